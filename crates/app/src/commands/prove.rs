//! `jurex prove DRIVE`: reads a drive again, by what a record says lies there or by what somebody expects.

use super::bar::bar;
use super::{say, say_json, seal};
use crate::cli::Prove;
use jurex_disposition::proof::{ExpectedContents, Finding, ReadingProgress, SecondCheck, VerificationRecord};
use jurex_documents::House;
use jurex_ledger::Ledger;
use jurex_past::Due;
use jurex_pattern::notation::Program;
use jurex_sanitize::evidence::Ended;
use jurex_sanitize::plan::HowMuch;
use jurex_sanitize::record::{BadRecord, Person, Record};
use jurex_sanitize::residue::Leftovers;
use jurex_sign::PrivateKey;
use jurex_station::app_paths::AppPaths;
use jurex_station::bench;
use jurex_station::clock::new_job_id;
use jurex_station::config::Config;
use jurex_station::disk;
use jurex_station::exit::{self, Failure};
use jurex_station::files;
use jurex_station::readings;
use jurex_station::stop::StopOnSignal;
use serde_json::json;
use std::path::Path;
use std::process::ExitCode;

pub(crate) fn run(asked: &Prove) -> Result<ExitCode, Failure> {
    if asked.due {
        return due(asked);
    }
    let places = AppPaths::find()?;
    let config = Config::read(&places.config_file())?;
    let record = asked.record.as_deref().map(read_record).transpose()?;
    let drive = asked.drive.as_ref().ok_or_else(|| Failure::Use("name a drive, or ask what is --due".into()))?;
    let seen = bench::find(drive, &config.only, &places)?;
    let called = seen.drive.called();
    let expected = match &record {
        Some(record) => {
            ExpectedContents::check_drive(record, &seen.drive)
                .map_err(|e| Failure::Refused(format!("{called} was not read: {e}")))?;
            ExpectedContents::by_record(record)
        }
        None => ExpectedContents::by_word(expectation(asked)?.as_ref(), &seen.drive),
    };
    let expected = expected.map_err(|e| Failure::Less(format!("{called} can't be verified again: {e}. It was not read")))?;
    seen.may_be_proved().map_err(|e| Failure::Refused(format!("{called} can't be verified now: {e}. It was not read")))?;
    if let Some(out) = &asked.out {
        files::check_folder(out).map_err(|e| Failure::Use(format!("{e}. The drive was not read")))?;
    }
    let sampling = (asked.verify == HowMuch::Sampled).then(readings::new_sample);
    let by = match &asked.by {
        Some(name) => Person { name: name.clone(), ..Person::default() },
        None => config.papers().technician,
    };
    let simulated = seen.drive.simulated || asked.out.is_none();
    let seal = seal(&places, &config, House::default(), simulated);
    let mut control = StopOnSignal::install()?;
    let bar = bar("{wide_bar} {bytes} of {total_bytes}  {bytes_per_sec}  {eta} left", !asked.quiet && !asked.json);
    let mut show = |progress: ReadingProgress| {
        bar.set_length(seen.drive.geometry.bytes_of(progress.of));
        bar.set_position(seen.drive.geometry.bytes_of(progress.done));
    };
    let mut verification = readings::prove(&seen, record.as_ref(), (expected, sampling), by, &mut control, &mut show)?;
    if asked.leftovers && verification.end() == &Ended::Finished {
        bar.set_length(1000);
        let searched =
            readings::search_for_a_minute(&seen, &mut control, &mut |share| bar.set_position((share * 1000.0) as u64)).0;
        verification.look.left = Some(Leftovers::of(&searched?));
    }
    bar.finish_and_clear();
    let noted = readings::note_in_ledger(&places.ledger_for(seen.drive.simulated), &verification);
    if !simulated && places.ledger().exists() {
        super::close_ledger(&seal, &places.ledger());
    }
    let told = tell(asked, &verification, record.as_ref(), seal.key())?;
    match noted {
        Ok(()) => Ok(told),
        Err(e) => Err(Failure::Less(format!("{e}. What was found stands above, and closes no second check"))),
    }
}

/// The drives that were drawn for a second check.
fn due(asked: &Prove) -> Result<ExitCode, Failure> {
    let path = AppPaths::find()?.ledger();
    let drawn = if path.exists() { Ledger::open(&path)?.drawn(asked.lot.as_deref())? } else { vec![] };
    if asked.json {
        let one = |d: &Due| {
            let drive = d.record.evidence().drive();
            json!({
                "job": d.record.job,
                "lot": d.record.papers().lot,
                "drive": drive.called(),
                "serial": drive.unit.serial(),
                "outcome": d.record.claim().outcome(),
                "draw": d.record.second_look,
                "confirmed": match d.check {
                    SecondCheck::Confirmed { ended } => Some(ended),
                    SecondCheck::NotMade | SecondCheck::Contradicted { .. } | SecondCheck::NotBelieved => None,
                },
                "contradicted": matches!(d.check, SecondCheck::Contradicted { .. }),
                "state": d.check.to_string(),
            })
        };
        say_json(&json!({ "drawn": drawn.iter().map(one).collect::<Vec<_>>() }));
    } else if drawn.is_empty() {
        say("No drive was drawn for a second check yet.");
    } else {
        for d in &drawn {
            let (drive, lot) = (d.record.evidence().drive(), &d.record.papers().lot);
            let state = d.check;
            let serial = drive.unit.serial().unwrap_or("no serial");
            let lot = if lot.is_empty() { "no lot".into() } else { jurex_pattern::text::printable(lot.as_bytes()) };
            say(&format!("{}  {lot}  {} ({serial})  {}: {state}", d.record.job, drive.called(), d.record.claim().outcome()));
        }
    }
    let left = drawn.iter().filter(|d| !d.check.is_confirmed()).count();
    Ok(if left == 0 { ExitCode::SUCCESS } else { ExitCode::from(3) })
}

fn read_record(file: &Path) -> Result<Record, Failure> {
    let shown = jurex_pattern::text::shown_path(file);
    let text = disk::read_small(file, 256 << 20);
    let text = text.map_err(|e| Failure::Use(format!("cannot read the record {shown}: {e}. The drive was not read")))?;
    Record::from_json(&text).map_err(|e| {
        let said = format!("{shown}: {e}. The drive was not read");
        match e {
            BadRecord::Unsound(_) | BadRecord::OtherJob(_) | BadRecord::ClaimDoesNotFollow { .. } => Failure::Less(said),
            BadRecord::NotARecord(_) | BadRecord::OtherFormat(_) | BadRecord::OtherRules(_) => Failure::Use(said),
        }
    })
}

/// The pass that is expected; `None`: blank.
fn expectation(asked: &Prove) -> Result<Option<Program>, Failure> {
    match asked.expect.as_deref() {
        None | Some("blank") => Ok(None),
        Some(notation) => {
            let parsed = notation.parse::<Program>();
            parsed.map(Some).map_err(|e| Failure::Use(format!("--expect: {e}, or the word `blank`. The drive was not read")))
        }
    }
}

fn tell(
    asked: &Prove,
    verification: &VerificationRecord,
    record: Option<&Record>,
    key: Option<&PrivateKey>,
) -> Result<ExitCode, Failure> {
    let json = verification.to_json();
    let name = record.map_or_else(|| new_job_id().to_string(), |r| r.job.to_string());
    let written = asked.out.as_deref().map(|out| files::write_verification(out, &name, &json, key)).transpose();
    if asked.json {
        say(&jurex_pattern::text::safe_json(&json));
    } else {
        let called = verification.look.drive.called();
        say(&format!("{}: {called}", verification.finding()));
        if let Some(record) = record {
            say(&format!("  record   job {}, {}, digest {}", record.job, record.claim().outcome(), record.digest()));
        }
        verification.sentences().iter().for_each(|s| say(&format!("  found    {s}")));
        verification.look.left.iter().for_each(|left| say(&format!("  usable   {}", left.summary())));
    }
    match written {
        Ok(Some(paths)) if !asked.json => paths.iter().for_each(|p| say(&format!("  written  {}", p.display()))),
        Ok(_) => {}
        Err(e) => return Err(Failure::Less(format!("{e}. What was found: {}", verification.finding()))),
    }
    Ok(exit::of_reading(verification.finding() == Finding::Confirmed, verification.end()))
}
