//! `jurex where`: where a drive is, and which drives somebody must still see to.

use super::ledger::open;
use super::{say, say_json};
use crate::cli::WhereArgs;
use jurex_disposition::release::{DriveStatus, OpenItem};
use jurex_past::{KnownDrive, PastWork};
use jurex_pattern::text::printable;
use jurex_station::app_paths::AppPaths;
use jurex_station::exit::Failure;
use serde_json::json;
use std::process::ExitCode;

/// Drives that are told of one kind or one search.
const MOST: u32 = 200;

pub(crate) fn run(asked: &WhereArgs) -> Result<ExitCode, Failure> {
    let ledger = open(&AppPaths::find()?, asked.demo)?;
    match asked.serial.as_deref().map(str::trim).filter(|s| !s.is_empty()) {
        Some(serial) => one(serial, &ledger, asked.json),
        None => open_matters(&ledger, asked.json),
    }
}

fn one(serial: &str, ledger: &dyn PastWork, json: bool) -> Result<ExitCode, Failure> {
    let known = match ledger.known(serial)? {
        Some(known) => vec![known],
        None => {
            let like = ledger.serials_like(serial, MOST)?;
            like.iter().filter_map(|s| ledger.known(s).transpose()).collect::<Result<Vec<_>, _>>()?
        }
    };
    if json {
        say_json(&json!({ "drives": known.iter().map(as_json).collect::<Vec<_>>() }));
    } else {
        known.iter().flat_map(text).for_each(|line| say(&line));
    }
    if known.is_empty() {
        return Err(Failure::Less(format!("no drive of serial {} is known here", printable(serial.as_bytes()))));
    }
    Ok(ExitCode::SUCCESS)
}

fn open_matters(ledger: &dyn PastWork, json: bool) -> Result<ExitCode, Failure> {
    let open = ledger.open_matters(MOST)?;
    if json {
        let one = |(matter, n, known): &(OpenItem, u64, Vec<KnownDrive>)| json!({ "matter": matter, "drives": n, "told": known.iter().map(as_json).collect::<Vec<_>>() });
        say_json(&json!({ "open": open.iter().map(one).collect::<Vec<_>>() }));
        return Ok(ExitCode::SUCCESS);
    }
    if open.is_empty() {
        say("Every drive that came to this bench has an end.");
    }
    for (matter, n, known) in &open {
        say(&format!("{} ({n})", matter.heading()));
        known.iter().for_each(|known| say(&format!("  {}", line(known))));
        if (known.len() as u64) < *n {
            say(&format!("  and {} more", n - known.len() as u64));
        }
    }
    Ok(ExitCode::SUCCESS)
}

fn shown(text: &str) -> String {
    printable(text.as_bytes())
}

/// A drive in one line.
fn line(known: &KnownDrive) -> String {
    let Some(standing) = &known.standing else { return shown(&known.called()) };
    let since = standing.since.strftime("%Y-%m-%d");
    format!("{:<24}{}, since {since}; {}", shown(&known.name), shown(&standing.place.sentence()), standing.treated_said())
}

/// A drive with all that happened to it.
fn text(known: &KnownDrive) -> Vec<String> {
    let mut lines = vec![shown(&known.called())];
    let Some(DriveStatus { place, since, by, story, .. }) = &known.standing else { return lines };
    let said_by = if by.is_empty() { String::new() } else { format!(" (says {})", shown(by)) };
    lines.push(format!("  where    {}, since {}{said_by}", shown(&place.sentence()), since.strftime("%Y-%m-%d %H:%M UTC")));
    let standing = known.standing.as_ref();
    lines.extend(standing.map(|s| format!("  erased   {}", s.treated_said())));
    lines.extend(standing.and_then(DriveStatus::matter).map(|m| format!("  open     {}", m.heading())));
    for (when, what) in story {
        lines.push(format!("  {}  {}", when.strftime("%Y-%m-%d %H:%M"), shown(what)));
    }
    lines
}

fn as_json(known: &KnownDrive) -> serde_json::Value {
    let story = known.standing.iter().flat_map(|s| &s.story);
    json!({
        "name": known.name,
        "called": known.called(),
        "place": known.standing.as_ref().map(|s| &s.place),
        "where": known.standing.as_ref().map(|s| s.place.sentence()),
        "since": known.standing.as_ref().map(|s| s.since),
        "by": known.standing.as_ref().map(|s| &s.by),
        "erased": known.standing.as_ref().map(DriveStatus::treated_said),
        "open": known.standing.as_ref().and_then(DriveStatus::matter),
        "story": story.map(|(when, what)| json!({ "time": when, "what": what })).collect::<Vec<_>>(),
    })
}
