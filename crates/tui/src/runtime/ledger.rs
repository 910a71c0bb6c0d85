//! What is asked of the ledger, each on a thread of its own.

use super::Runtime;
use crate::message::{AskLedger, FoundDrives, FromLedger, Message};
use crate::screen::ledger::AT_ONCE;
use jurex_ledger::Ledger;
use jurex_past::{LotNow, PastError, PastWork};
use jurex_sanitize::record::JobId;
use jurex_station::export::to_new_table;
use jurex_station::files::{self, Issue};
use jurex_station::signing::Signer;
use jurex_station::story::Story;
use std::path::{Path, PathBuf};
use std::thread;

impl Runtime {
    /// Asks the ledger. One that is not there yet is not made for that.
    pub(super) fn ask_ledger(&self, asked: AskLedger) {
        let (path, out, seal, sender) = (self.ledger.clone(), self.out.clone(), self.seal.clone(), self.sender.clone());
        thread::spawn(move || {
            let none = || Err("nothing was erased here yet: there is no ledger".to_string());
            let opened = if path.exists() { Ledger::open_to_read(&path).map_err(|e| e.to_string()) } else { none() };
            let answer = match asked {
                AskLedger::Jobs(typed, before) => {
                    let found = opened.and_then(|l| l.find(&typed, before, AT_ONCE).map_err(|e| e.to_string()));
                    Some(Message::Ledger(FromLedger::Jobs(typed, before, found)))
                }
                AskLedger::Story(job) => {
                    let story = opened.and_then(|l| Story::of(&l, &job).map_err(|e| e.to_string()));
                    Some(story.map_or_else(Message::Said, |s| Message::Ledger(FromLedger::Story(Box::new(s)))))
                }
                AskLedger::WriteAgain(job) => {
                    let written = opened.and_then(|ledger| write_again(&ledger, &path, &job, &out, &seal));
                    Some(Message::Said(said(written.map(|paths| format!("{} files", paths.len())), &out)))
                }
                AskLedger::Export(typed) => {
                    let written = opened.and_then(|ledger| to_new_table(&ledger, &typed, &out));
                    let name = |path: PathBuf| path.file_name().unwrap_or_default().to_string_lossy().into_owned();
                    Some(Message::Said(said(written.map(|(n, path)| format!("{n} jobs, in {},", name(path))), &out)))
                }
                AskLedger::Where(typed) => {
                    let found = opened.and_then(|l| whereabouts(&l, &typed).map_err(|e| e.to_string()));
                    Some(Message::Ledger(FromLedger::Where(typed, found)))
                }
                AskLedger::Known(lane, serial, job) => {
                    // A ledger that can't be read says nothing, not that it knows nothing.
                    let known = opened.ok().and_then(|l| l.known_of(serial.as_deref(), job.as_ref()).ok());
                    known.map(|known| Message::Ledger(FromLedger::Known(lane, known.map(Box::new))))
                }
                AskLedger::Lots => opened.ok().and_then(|l| open_lots(&l).ok()).map(|l| Message::Ledger(FromLedger::Lots(l))),
            };
            answer.map(|message| sender.send(message))
        });
    }
}

fn said(written: Result<String, String>, out: &Path) -> String {
    match written {
        Ok(what) => format!("{what} are written to {}.", out.display()),
        Err(why) => format!("Nothing was written: {why}."),
    }
}

/// The papers of a past job, under a name that is free.
fn write_again(ledger: &dyn PastWork, path: &Path, job: &JobId, out: &Path, seal: &Signer) -> Result<Vec<PathBuf>, String> {
    let record = ledger.record(job).map_err(|e| e.to_string())?;
    let name = files::name_after_going_on(out, job);
    let issue = Issue { seal, print: seal.print(path, &record) };
    files::write_as(out, &name, &record, &issue).map_err(|e| e.to_string())
}

fn open_lots(ledger: &dyn PastWork) -> Result<Vec<LotNow>, PastError> {
    ledger.lots(true)?.into_iter().map(|lot| ledger.lot_now(lot)).collect()
}

/// The drives of such a serial; with nothing typed all that somebody must still see to.
pub(crate) fn whereabouts(ledger: &dyn PastWork, typed: &str) -> Result<FoundDrives, PastError> {
    /// Drives that are listed at once.
    const MOST: u32 = 100;
    let typed = typed.trim();
    if typed.is_empty() {
        let open = ledger.open_matters(MOST)?;
        return Ok(open.into_iter().map(|(matter, n, known)| (Some((matter, n)), known)).collect());
    }
    let like = ledger.serials_like(typed, MOST)?;
    let known = like.iter().filter_map(|serial| ledger.known(serial).transpose()).collect::<Result<Vec<_>, _>>()?;
    Ok(vec![(None, known)])
}
