//! `jurex ledger`: past work found again, told, given out; whether the ledger is as it was written; copies of it.

mod check;
mod export;
mod show;

use super::{say, say_json};
use crate::cli::{LedgerArgs, LedgerDo, LedgerFind, LedgerList};
use jurex_ledger::Ledger;
use jurex_past::{JobLine, JobStatus, PastWork};
use jurex_pattern::text::{printable, shown_path};
use jurex_station::app_paths::AppPaths;
use jurex_station::clock::wall;
use jurex_station::exit::Failure;
use jurex_station::export::to_json;
use serde_json::json;
use std::path::Path;
use std::process::ExitCode;

pub(crate) fn run(asked: &LedgerArgs) -> Result<ExitCode, Failure> {
    let places = AppPaths::find()?;
    // One that is to be put back may not be there, or may be damaged.
    let ledger = || open(&places, asked.demo);
    match &asked.what {
        LedgerDo::Restore(from) => restore(&from.file, &places.ledger_for(asked.demo)),
        LedgerDo::Check(check) => check::run(check, &ledger()?, &places, asked.demo),
        LedgerDo::Head(head) => check::head(head, &ledger()?, &places),
        LedgerDo::List(LedgerList { most, json }) => list(&ledger()?, "", *most, *json),
        LedgerDo::Find(LedgerFind { words, most, json }) => list(&ledger()?, &words.join(" "), *most, *json),
        LedgerDo::Show(show) => show::run(show, &ledger()?),
        LedgerDo::Export(export) => export::run(export, &ledger()?, &places, asked.demo),
        LedgerDo::Backup(to) => {
            ledger()?.backup(&to.file)?;
            say(&format!("The ledger is copied to {}, its entries and heads with it.", shown_path(&to.file)));
            Ok(ExitCode::SUCCESS)
        }
    }
}

/// Puts a copy in the ledger's place; what was there stays beside it.
fn restore(copy: &Path, ledger: &Path) -> Result<ExitCode, Failure> {
    // Nobody may be at work on the ledger that is taken away.
    let Some(_alone) = jurex_station::lock::alone(ledger) else {
        return Err(Failure::Use("another Jurex uses the ledger: end it first. Nothing was changed".into()));
    };
    let replaced = Ledger::restore(copy, ledger, wall())?;
    say(&format!("The copy {} is the ledger now, and says so in an entry of its own.", shown_path(copy)));
    replaced.iter().for_each(|aside| say(&format!("What was there is kept: {}", shown_path(aside))));
    Ok(ExitCode::SUCCESS)
}

pub(super) fn open(places: &AppPaths, demo: bool) -> Result<Ledger, Failure> {
    let path = places.ledger_for(demo);
    if !path.exists() {
        return Err(Failure::Use(format!("there is no ledger yet ({})", shown_path(&path))));
    }
    Ok(Ledger::open(&path)?)
}

/// The newest jobs in which all these words appear.
fn list(ledger: &dyn PastWork, words: &str, most: u32, as_json: bool) -> Result<ExitCode, Failure> {
    let found = ledger.find(words, None, most)?;
    if as_json {
        say_json(&json!({ "jobs": found.iter().map(to_json).collect::<Vec<_>>() }));
        return Ok(ExitCode::SUCCESS);
    }
    match (found.is_empty(), words.trim()) {
        (false, _) => found.iter().for_each(|line| say(&in_a_line(line))),
        (true, "") => say("There is no job in the ledger."),
        (true, _) => say("No job in the ledger has all these words."),
    }
    if found.len() as u32 == most {
        say(&format!("These are the newest {most}: --most N shows more."));
    }
    Ok(ExitCode::SUCCESS)
}

fn in_a_line(line: &JobLine) -> String {
    let shown = |text: &str| printable(text.as_bytes());
    let standing = match &line.standing {
        JobStatus::NotBelieved(why) => format!("not to be believed: {why}"),
        other => other.word(),
    };
    let lot = line.standing.record().map(|r| r.papers().lot.clone()).filter(|lot| !lot.is_empty());
    let lot = lot.map(|lot| format!(", lot {}", shown(&lot))).unwrap_or_default();
    format!("{}  {}  {}: {standing}{lot}", line.job, line.started, shown(&line.drive))
}
