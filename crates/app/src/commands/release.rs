//! `jurex release`: what becomes of a drive.

use super::{remark, say, say_json, seal};
use crate::cli::{ReleaseArgs, TableKind};
use jurex_disposition::release::{Act, OpenItem, Release, TableScheme};
use jurex_ledger::Ledger;
use jurex_past::PastWork;
use jurex_pattern::text::{printable, shown_path};
use jurex_sanitize::record::JobId;
use jurex_sanitize::rules::Outcome;
use jurex_sim::Pacing;
use jurex_station::app_paths::AppPaths;
use jurex_station::bench::{self, Bench, DriveSnapshot};
use jurex_station::config::Config;
use jurex_station::exit::Failure;
use jurex_station::files;
use jurex_station::release::{Becomes, ReleaseAuthor, Subject, WantedRelease};
use serde_json::json;
use sha2::{Digest, Sha256};
use std::ffi::OsStr;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

/// What a release is of: a drive that the ledger knows, and the drive itself where it is there.
struct ReleaseTarget {
    subject: Subject,
    seen: Option<DriveSnapshot>,
    /// The serial, where it was typed to name the drive.
    typed: Option<String>,
    /// Whether the batch named it that it went away with.
    by_batch: bool,
}

impl ReleaseTarget {
    fn new(subject: Subject, seen: Option<DriveSnapshot>) -> Self {
        Self { subject, seen, typed: None, by_batch: false }
    }
}

pub(crate) fn run(asked: &ReleaseArgs) -> Result<ExitCode, Failure> {
    let places = AppPaths::find()?;
    let simulated = asked.demo || asked.of.iter().any(|of| of.to_str().is_some_and(|of| of.starts_with("sim:")));
    let config = if simulated { Config::demo() } else { Config::read(&places.config_file())? };
    let at = places.ledger_for(simulated);
    let _running = jurex_station::lock::shared(&at);
    check_asked(asked)?;
    if let Some(out) = &asked.out {
        files::check_folder(out).map_err(|e| Failure::Use(format!("{e}. Nothing was noted")))?;
    }
    let mut targets = vec![];
    for of in &asked.of {
        targets.extend(find(of, asked, &config, &places, simulated)?);
    }
    let seal = seal(&places, &config, jurex_station::paper::house(&places)?, simulated);
    let by = asked.by.clone().unwrap_or_else(|| config.technician.name.clone());
    let who = ReleaseAuthor { by: &by, edition: config.rules, seal: &seal };
    let wanted = wanted(asked)?;
    if wanted.writes() && targets.len() != 1 {
        return Err(Failure::Use(
            "what is written to a drive is written to one at a time: name one drive. Nothing was written".into(),
        ));
    }
    if asked.becomes == Becomes::TablesCleared && !asked.json {
        remark("jurex: clearing the tables is no erasure: everything else stays on the drive, and is found by whoever looks");
    }
    let mut noted = vec![];
    for target in targets {
        let wanted = WantedRelease {
            label: wanted.label.clone().or_else(|| target.typed.clone()),
            by_batch: target.by_batch,
            ..wanted.clone()
        };
        let acts = wanted.carry_out(&target.subject, target.seen.as_ref(), &by)?;
        for act in acts {
            let release = target.subject.note(act, &who, &at)?;
            let name = target.subject.file_name();
            let files = asked.out.as_deref().map(|out| files::write_release(out, &name, &release, &seal)).transpose();
            noted.push((
                release,
                files.map_err(|e| Failure::Less(format!("{e}. What became of the drive is noted in the ledger")))?,
            ));
        }
    }
    tell(asked, &noted);
    let less = |release: &Release| match &release.act {
        Act::Prepared(prepared) => !prepared.as_wished,
        _ => release.outcome() == Some(Outcome::NotSanitized),
    };
    Ok(if noted.iter().any(|(release, _)| less(release)) { ExitCode::from(3) } else { ExitCode::SUCCESS })
}

fn tell(asked: &ReleaseArgs, noted: &[(Release, Option<Vec<PathBuf>>)]) {
    if asked.json {
        let one = |(release, files): &(Release, Option<Vec<PathBuf>>)| {
            json!({
                "release": serde_json::from_str::<serde_json::Value>(&release.to_json()).ok(),
                "digest": release.digest(),
                "outcome": release.outcome(),
                "files": files,
            })
        };
        return say_json(&json!({ "noted": noted.iter().map(one).collect::<Vec<_>>() }));
    }
    for (release, files) in noted {
        say(&format!("{}: {}", release.drive.called(), release.act.sentence()));
        if let (Some(claim), Act::Destroyed(destruction)) = (release.claim(), &release.act) {
            say(&format!("  outcome  {}", claim.outcome()));
            claim.reasons().iter().for_each(|r| say(&format!("  because  {} [{}]", r.sentence(), r.citation())));
            claim.limits().iter().for_each(|r| say(&format!("  but      {} [{}]", r.sentence(), r.citation())));
            say(&format!("  mind     {}", destruction.how.protects()));
        }
        files.iter().flatten().for_each(|path| say(&format!("  written  {}", path.display())));
    }
}

/// What belongs to something else than what is asked for would be lost without a word.
fn check_asked(asked: &ReleaseArgs) -> Result<(), Failure> {
    use Becomes::{AtBench, Blank, Destroyed, HandedOver, Prepared, Received, Returned, SentOut, Stored, Withdrawn};
    let of_destruction = asked.how.is_some() || asked.pieces.is_some() || asked.field.is_some() || asked.coercivity.is_some();
    let of_destruction = of_destruction || asked.rated || asked.machine.is_some() || asked.done_by.is_some();
    let of_destruction = of_destruction || asked.witness.is_some() || asked.photo.is_some() || asked.certificate.is_some();
    let strays: [(bool, &str, &[Becomes]); 9] = [
        (asked.from.is_some(), "--from", &[Received]),
        (asked.to.is_some(), "--to", &[Returned, HandedOver]),
        (asked.place.is_some(), "--place", &[Stored, AtBench, Destroyed]),
        (asked.service.is_some(), "--service", &[SentOut, Destroyed]),
        (asked.batch.is_some(), "--batch", &[SentOut, Destroyed]),
        (of_destruction, "what is said of a destruction", &[Destroyed]),
        (!asked.volume.is_empty() || asked.spare.is_some(), "--volume or --spare", &[Prepared]),
        (asked.discard, "--discard", &[Blank, Prepared]),
        (asked.statement.is_some() || asked.why.is_some(), "--statement or --why", &[Withdrawn]),
    ];
    match strays.iter().find(|(given, _, fits)| *given && !fits.contains(&asked.becomes)) {
        Some((_, what, _)) => {
            Err(Failure::Use(format!("{what} does not belong to what is asked for with --as. Nothing was noted")))
        }
        None => Ok(()),
    }
}

/// The drives that an argument names.
fn find(
    of: &OsStr,
    asked: &ReleaseArgs,
    config: &Config,
    places: &AppPaths,
    simulated: bool,
) -> Result<Vec<ReleaseTarget>, Failure> {
    let at = places.ledger_for(simulated);
    let ledger = Ledger::open(&at)?;
    let destroyed = asked.becomes == Becomes::Destroyed;
    match of.to_str() {
        Some(text) if text.starts_with("serial:") => {
            let serial = text["serial:".len()..].trim();
            if serial.is_empty() {
                return Err(Failure::Use("serial: names no drive: write the serial right after it. Nothing was noted".into()));
            }
            let subject = Subject::of_label(serial, asked.class, &ledger)?;
            // What is destroyed answers nothing: whether it is here is asked of the machine, not of the person.
            let seen = if destroyed { with_serial(&subject, &drives(config, places, simulated)) } else { None };
            Ok(vec![ReleaseTarget { typed: Some(serial.into()), ..ReleaseTarget::new(subject, seen) }])
        }
        Some(text) if text.starts_with("batch:") => {
            let mut targets = of_batch(text["batch:".len()..].trim(), &ledger)?;
            if destroyed {
                let here = drives(config, places, simulated);
                targets.iter_mut().for_each(|t| t.seen = with_serial(&t.subject, &here));
            }
            Ok(targets)
        }
        Some(text) if !Path::new(text).exists() && is_job(text, &ledger) => {
            let job: JobId = text.parse().map_err(|e: jurex_sanitize::record::BadJobId| Failure::Use(e.to_string()))?;
            let subject = Subject::of_job(&job, &ledger)?;
            let seen = if destroyed { with_serial } else { attached }(&subject, &drives(config, places, simulated));
            Ok(vec![ReleaseTarget::new(subject, seen)])
        }
        _ => {
            let seen = bench::find(of, &config.only, places)?;
            let subject = Subject::of_seen(&seen, &ledger)?;
            Ok(vec![ReleaseTarget::new(subject, Some(seen))])
        }
    }
}

fn is_job(text: &str, ledger: &dyn PastWork) -> bool {
    text.parse::<JobId>().is_ok_and(|job| ledger.known_by_job(&job).is_ok_and(|known| known.is_some()))
}

/// The drive that a subject is about, if it is attached.
fn attached(subject: &Subject, here: &[DriveSnapshot]) -> Option<DriveSnapshot> {
    let is_it = |s: &DriveSnapshot| s.drive.unit.serial().is_some() && s.drive.unit.agrees_with(&subject.drive.unit);
    here.iter().find(|s| is_it(s)).cloned()
}

/// A drive that is attached and carries the subject's serial, whatever else is known of it: of one that was typed by hand no maker is.
fn with_serial(subject: &Subject, here: &[DriveSnapshot]) -> Option<DriveSnapshot> {
    let serial = subject.drive.unit.serial()?;
    let is_it = |s: &DriveSnapshot| s.drive.unit.serial().is_some_and(|its| its.eq_ignore_ascii_case(serial));
    here.iter().find(|s| is_it(s)).cloned()
}

fn drives(config: &Config, places: &AppPaths, simulated: bool) -> Vec<DriveSnapshot> {
    let bench = if simulated { Bench::simulated(Pacing::Real) } else { Bench::machine(&config.only, places) };
    bench.drives()
}

/// Every drive that is at a service with that batch.
fn of_batch(batch: &str, ledger: &dyn PastWork) -> Result<Vec<ReleaseTarget>, Failure> {
    let mut found = vec![];
    for known in ledger.open_of(OpenItem::AtService, u32::MAX)?.1 {
        let Some(release) = known.releases.last() else { continue };
        let subject = match (release.drive.unit.serial(), &release.job) {
            (Some(serial), _) => Subject::of_label(serial, None, ledger)?,
            (None, Some(job)) => Subject::of_job(job, ledger)?,
            (None, None) => continue,
        };
        if subject.at_service.as_ref().is_some_and(|(_, its)| its == batch) {
            found.push(ReleaseTarget { by_batch: true, ..ReleaseTarget::new(subject, None) });
        }
    }
    if found.is_empty() {
        let shown = printable(batch.as_bytes());
        return Err(Failure::Use(format!(
            "no drive is at a service with batch {shown} (`jurex where` lists them). Nothing was noted"
        )));
    }
    Ok(found)
}

/// What is wanted, as the arguments say it.
fn wanted(asked: &ReleaseArgs) -> Result<WantedRelease, Failure> {
    let text = |of: &Option<String>| of.clone().unwrap_or_default();
    Ok(WantedRelease {
        becomes: Some(asked.becomes),
        whom: asked.from.clone().or_else(|| asked.to.clone()).unwrap_or_default(),
        place: text(&asked.place),
        service: text(&asked.service),
        batch: text(&asked.batch),
        certificate: text(&asked.certificate),
        how: asked.how,
        particle_mm: asked.pieces,
        field_oersted: asked.field,
        coercivity_oersted: asked.coercivity,
        rated: asked.rated,
        machine: text(&asked.machine),
        done_by: text(&asked.done_by),
        witness: text(&asked.witness),
        photo: asked.photo.as_deref().map(digest_of).transpose()?.unwrap_or_default(),
        table: if asked.table == TableKind::Mbr { TableScheme::Mbr } else { TableScheme::Gpt },
        volumes: asked.volume.clone(),
        spare: asked.spare,
        discard: asked.discard,
        label: asked.label_check.clone(),
        by_batch: false,
        statement: text(&asked.statement),
        why: text(&asked.why),
    })
}

fn digest_of(file: &Path) -> Result<String, Failure> {
    let unread = |e| Failure::Use(format!("cannot read the photograph {}: {e}. Nothing was noted", shown_path(file)));
    let bytes = jurex_station::disk::read_bounded(file, 256 << 20).map_err(unread)?;
    Ok(jurex_pattern::text::hex::encode(&Sha256::digest(&bytes)))
}
