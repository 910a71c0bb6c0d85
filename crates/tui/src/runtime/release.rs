//! What is to become of a drive, done and noted on a thread that is waited for.

use super::Runtime;
use crate::lane::LaneId;
use crate::message::Message;
use jurex_disposition::release::Act;
use jurex_ledger::Ledger;
use jurex_sanitize::record::JobId;
use jurex_sanitize::rules::{Edition, Outcome};
use jurex_station::bench::DriveSnapshot;
use jurex_station::files;
use jurex_station::release::{Labels, ReleaseAuthor, Subject, WantedRelease};
use jurex_station::signing::Signer;
use std::path::Path;
use std::thread;

impl Runtime {
    /// Does and notes what is to become of the drive of that lane.
    pub(super) fn release(&mut self, lane: LaneId, wanted: WantedRelease, by: String) {
        let seen = self.app.state.lanes[lane].seen.clone();
        let is_here = !self.app.state.lanes[lane].is_gone();
        let edition = self.app.state.config.rules;
        let (ledger, out, seal, sender) = (self.ledger.clone(), self.out.clone(), self.seal.clone(), self.sender.clone());
        self.writers.push(thread::spawn(move || {
            let done = note(&seen, is_here, &wanted, (&by, edition, &seal), &ledger, &out);
            let _ = sender.send(Message::Released(lane, done));
        }));
    }

    /// Makes the label of that job, and prints it where the settings name a printer.
    pub(super) fn label(&mut self, job: JobId) {
        let config = &self.app.state.config;
        let labels = Labels { size: config.label_size(), first: 1, printer: config.label_printer.clone() };
        let (ledger, out, seal, sender) = (self.ledger.clone(), self.out.clone(), self.seal.clone(), self.sender.clone());
        self.writers.push(thread::spawn(move || {
            let made =
                Ledger::open_to_read(&ledger).map_err(Into::into).and_then(|ledger| labels.of_jobs(&[job], &ledger, &seal));
            let said = made.and_then(|made| made.give_out(Some(&out))).map_or_else(|e| format!("{e}."), |given| given.sentence());
            let _ = sender.send(Message::Said(said));
        }));
    }
}

/// What was noted, in sentences, and whether the drive has gone now.
pub(crate) fn note(
    seen: &DriveSnapshot,
    is_here: bool,
    wanted: &WantedRelease,
    (by, edition, seal): (&str, Edition, &Signer),
    ledger: &Path,
    out: &Path,
) -> Result<(Vec<String>, bool), String> {
    let failed = |e: jurex_station::exit::Failure| format!("{e}.");
    let opened = Ledger::open(ledger).map_err(|e| format!("{e}. Nothing was written to the drive."))?;
    let subject = Subject::of_seen(seen, &opened).map_err(|e| format!("{e}."))?;
    let acts = wanted.carry_out(&subject, is_here.then_some(seen), by).map_err(failed)?;
    let (mut said, mut has_gone) = (vec![], false);
    for act in acts {
        let release = subject.note(act, &ReleaseAuthor { by, edition, seal }, ledger).map_err(failed)?;
        said.push(release.act.sentence());
        if let Some(claim) = release.claim() {
            said.push(format!("Outcome: {}.", claim.outcome()));
            said.extend(claim.reasons().iter().chain(claim.limits()).map(|r| format!("{} [{}]", r.sentence(), r.citation())));
            let written = files::write_release(out, &subject.file_name(), &release, seal);
            said.push(match written {
                Ok(paths) => {
                    format!("Written: {}.", paths.iter().map(|p| p.display().to_string()).collect::<Vec<_>>().join(", "))
                }
                Err(e) => format!("✕ {e}. The statement is in the ledger."),
            });
        }
        // What is only damaged lies where it lay.
        let only_damaged = release.outcome() == Some(Outcome::NotSanitized);
        has_gone |= !only_damaged
            && matches!(
                release.act,
                Act::Stored { .. } | Act::Returned { .. } | Act::HandedOver { .. } | Act::Destroyed(_) | Act::SentOut { .. }
            );
    }
    Ok((said, has_gone))
}
