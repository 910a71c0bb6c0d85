//! `jurex prove DRIVE`: reads a drive again, by what a record says lies there or by what somebody expects.

use super::say;
use super::stop::StopOnSignal;
use crate::bench::{self, Seen};
use crate::cli::Prove;
use crate::clock::{SystemClock, SystemEntropy, new_job_id, wall};
use crate::config::Config;
use crate::exit::Failure;
use crate::files;
use crate::places::Places;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use jurex_core::evidence::Ended;
use jurex_core::media::Drive;
use jurex_core::medium::MediumError;
use jurex_core::notation::{Entropy, Program};
use jurex_core::proof::{self, Expected, Finding, OfRecord, Reading, Verification, VerificationRecord};
use jurex_core::ranges::RangeSet;
use jurex_core::record::{BadRecord, Person, Record, Tool};
use jurex_core::sampling::Sampling;
use std::io::IsTerminal;
use std::path::Path;
use std::process::ExitCode;

pub(crate) fn run(asked: &Prove) -> Result<ExitCode, Failure> {
    let places = Places::find()?;
    let config = Config::read(&places.config_file())?;
    let record = asked.record.as_deref().map(read_record).transpose()?;
    let seen = bench::find(&asked.drive, &config.only, &places)?;
    let called = seen.drive.called();
    let expected = match &record {
        Some(record) => {
            Expected::check_drive(record, &seen.drive).map_err(|e| Failure::Refused(format!("{called} was not read: {e}")))?;
            Expected::by_record(record)
        }
        None => Expected::by_word(expectation(asked)?.as_ref(), &seen.drive),
    };
    let expected = expected.map_err(|e| Failure::Less(format!("{called} can't be proved again: {e}. It was not read")))?;
    seen.may_be_proved().map_err(|e| Failure::Refused(format!("{called} can't be proved now: {e}. It was not read")))?;
    if let Some(out) = &asked.out {
        files::check_folder(out).map_err(|e| Failure::Use(format!("{e}. The drive was not read")))?;
    }
    let sampling = (asked.verify == "sampled").then(|| {
        let mut seed = [0; 16];
        SystemEntropy.fill(&mut seed);
        Sampling::new(seed)
    });
    let by = match &asked.by {
        Some(name) => Person { name: name.clone(), ..Person::default() },
        None => config.papers().technician,
    };
    let verification = look(asked, &seen, record.as_ref(), (expected, sampling), by)?;
    tell(asked, &verification, record.as_ref())
}

fn read_record(file: &Path) -> Result<Record, Failure> {
    let shown = jurex_core::text::shown_path(file);
    let text = std::fs::read_to_string(file);
    let text = text.map_err(|e| Failure::Use(format!("cannot read the record {shown}: {e}. The drive was not read")))?;
    Record::from_json(&text).map_err(|e| {
        let said = format!("{shown}: {e}. The drive was not read");
        match e {
            BadRecord::Unsound(_) | BadRecord::ClaimDoesNotFollow { .. } => Failure::Less(said),
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

/// Reads the drive, held for this process alone from the first sector to the last.
fn look(
    asked: &Prove,
    seen: &Seen,
    record: Option<&Record>,
    (expected, sampling): (Expected, Option<Sampling>),
    by: Person,
) -> Result<VerificationRecord, Failure> {
    let called = seen.drive.called();
    let gone = |e: MediumError| Failure::Stopped(format!("{called} went away ({}). It was not read", e.cause.os()));
    let mut control = StopOnSignal::install()?;
    let mut drive = seen.open_to_read()?;
    let found = drive.medium().identify().map_err(gone)?;
    if !found.is_same_unit(&seen.drive) {
        return Err(Failure::Refused(format!("{called} is another drive now ({}). It was not read", found.called())));
    }
    let (clock, access, started) = (SystemClock::new(), drive.medium().access(), wall());
    let all = [expected.range].into_iter().collect::<RangeSet>();
    let places = sampling.as_ref().map_or(all, |s| s.places(expected.range));
    let bar = progress_bar(asked, found.geometry.bytes_of(places.count()));
    let mut tell = |progress: proof::Progress| bar.set_position(found.geometry.bytes_of(progress.done));
    let reading = drive.with_backend(|backend| {
        let reading = proof::read(&expected, &places, found.geometry, backend, &clock, &mut control, &mut tell);
        still_the_same(reading, &found, backend)
    });
    bar.finish_and_clear();
    let tool = Tool { name: "Jurex".into(), version: env!("CARGO_PKG_VERSION").into() };
    let of = record.map(OfRecord::of);
    let look = Verification { tool, by, of, drive: found, access, started, ended: wall(), expected, sampling };
    Ok(VerificationRecord::new(look, reading))
}

/// At the end the drive is asked once more who it is.
fn still_the_same(reading: Reading, found: &Drive, backend: &mut dyn jurex_core::erase::Backend) -> Reading {
    use jurex_core::erase::{Completed, Done, Task};
    if reading.ended != Ended::Finished {
        return reading;
    }
    backend.start(u64::MAX - 1, Task::Identify);
    let now = backend.wait(std::time::Duration::from_secs(60));
    let what = match now.map(|Done { how, .. }| how) {
        Some(Completed::Identified(now)) if now.same_as(found) => return reading,
        Some(Completed::Identified(now)) => format!("it is {} now", now.called()),
        _ => "it did not say who it is".into(),
    };
    Reading { ended: Ended::Changed { what }, ..reading }
}

fn progress_bar(asked: &Prove, bytes: u64) -> ProgressBar {
    let bar = ProgressBar::new(bytes);
    let shown = std::io::stderr().is_terminal() && !asked.quiet && !asked.json;
    bar.set_draw_target(if shown { ProgressDrawTarget::stderr() } else { ProgressDrawTarget::hidden() });
    if let Ok(style) = ProgressStyle::with_template("{wide_bar} {bytes} of {total_bytes}  {bytes_per_sec}  {eta} left") {
        bar.set_style(style.progress_chars("█▉▊▋▌▍▎▏ "));
    }
    bar
}

fn tell(asked: &Prove, verification: &VerificationRecord, record: Option<&Record>) -> Result<ExitCode, Failure> {
    let json = verification.to_json();
    let name = record.map_or_else(|| new_job_id().to_string(), |r| r.job.to_string());
    let written = asked.out.as_deref().map(|out| files::write_verification(out, &name, &json)).transpose();
    if asked.json {
        say(&jurex_core::text::safe_json(&json));
    } else {
        let called = verification.look.drive.called();
        say(&format!("{}: {called}", verification.finding()));
        if let Some(record) = record {
            say(&format!("  record   job {}, {}, digest {}", record.job, record.claim().outcome(), record.digest()));
        }
        verification.sentences().iter().for_each(|s| say(&format!("  found    {s}")));
    }
    match written {
        Ok(Some(path)) if !asked.json => say(&format!("  written  {}", path.display())),
        Ok(_) => {}
        Err(e) => return Err(Failure::Less(format!("{e}. What was found: {}", verification.finding()))),
    }
    Ok(match (verification.finding(), verification.end()) {
        (Finding::Confirmed, _) => ExitCode::SUCCESS,
        (_, Ended::Stopped | Ended::Gone { .. } | Ended::StoppedAnswering { .. }) => ExitCode::from(4),
        (Finding::Contradicted | Finding::Incomplete, _) => ExitCode::from(3),
    })
}
