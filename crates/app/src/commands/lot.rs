//! `jurex lot`: which drives are expected, what is done, what is missing.

use super::ledger::open;
use super::{say, say_json};
use crate::cli::{LotArgs, LotClose, LotDo, LotImport, LotShow};
use jurex_disposition::lot::{Lot, LotItem, LotList, LotStatus, LotTally, SecondLooks, Statement};
use jurex_ledger::Ledger;
use jurex_past::{LotNow, PastWork};
use jurex_pattern::text::{printable, shown_path};
use jurex_pattern::units::counted;
use jurex_sanitize::record::JobId;
use jurex_sanitize::rules::Outcome;
use jurex_sim::Pacing;
use jurex_station::app_paths::AppPaths;
use jurex_station::bench::Bench;
use jurex_station::clock::wall;
use jurex_station::config::Config;
use jurex_station::exit::Failure;
use jurex_station::this_tool;
use serde_json::json;
use std::process::ExitCode;

pub(crate) fn run(asked: &LotArgs) -> Result<ExitCode, Failure> {
    let places = AppPaths::find()?;
    let at = places.ledger_for(asked.demo);
    match &asked.what {
        LotDo::New(new) => {
            let ledger = Ledger::open(&at)?;
            if ledger.lot(&new.lot)?.is_some() {
                return Err(Failure::Use(format!("there is a lot {} already", shown(&new.lot))));
            }
            let lot = Lot::new(&new.lot, wall())?;
            ledger.keep_lot(&lot, "It was opened.", wall())?;
            say(&format!("Lot {} is open.", shown(&lot.name)));
            Ok(ExitCode::SUCCESS)
        }
        LotDo::Import(import) => self::import(import, &Ledger::open(&at)?),
        LotDo::Show(show) => self::show(show, &open(&places, asked.demo)?, &attached(&places, asked.demo)?),
        LotDo::Close(close) => self::close(close, &open(&places, asked.demo)?),
    }
}

fn shown(text: &str) -> String {
    printable(text.as_bytes())
}

fn import(asked: &LotImport, ledger: &dyn PastWork) -> Result<ExitCode, Failure> {
    let file = shown_path(&asked.file);
    let bytes = jurex_station::disk::read_bounded(&asked.file, 64 << 20)
        .map_err(|e| Failure::Use(format!("cannot read the list {file}: {e}")))?;
    let text = String::from_utf8(bytes)
        .map_err(|_| Failure::Use(format!("{file} is not UTF-8: save it as CSV in UTF-8. Nothing was taken in")))?;
    let list = LotList::from_csv(&text).map_err(|e| Failure::Use(format!("{file}: {e}")))?;
    let mut lot = ledger.lot(&asked.lot)?.map_or_else(|| Lot::new(&asked.lot, wall()), Ok)?;
    let (taken, unused) = (list.expected.len() as u64, list.unused.clone());
    lot.add(list)?;
    let said = format!(
        "{} of a list {} taken in; {} expected now.",
        counted(taken, "drive"),
        if taken == 1 { "was" } else { "were" },
        lot.expected.len()
    );
    ledger.keep_lot(&lot, &said, wall())?;
    say(&format!("Lot {}: {said}", shown(&lot.name)));
    if !unused.is_empty() {
        say(&format!("Columns that nothing is known of, passed over: {}", unused.join(", ")));
    }
    Ok(ExitCode::SUCCESS)
}

fn find(ledger: &dyn PastWork, name: &str) -> Result<Lot, Failure> {
    ledger.lot(name)?.ok_or_else(|| Failure::Use(format!("there is no lot {} (`jurex lot show` lists them)", shown(name))))
}

/// A lot's drives as they stand, those that are attached now told from those that are not.
fn items(now: &LotNow, here: &[String]) -> Vec<LotItem> {
    let here: Vec<&str> = here.iter().map(String::as_str).collect();
    now.items(&here)
}

/// Serials of the drives that are attached.
fn attached(places: &AppPaths, demo: bool) -> Result<Vec<String>, Failure> {
    let only = Config::read(&places.config_file())?.only;
    let bench = if demo { Bench::simulated(Pacing::Real) } else { Bench::machine(&only, places) };
    Ok(bench.drives().into_iter().filter_map(|s| s.drive.unit.serial).collect())
}

fn show(asked: &LotShow, ledger: &dyn PastWork, here: &[String]) -> Result<ExitCode, Failure> {
    let lots = match &asked.lot {
        Some(name) => vec![find(ledger, name)?],
        None => ledger.lots(false)?,
    };
    let nows = lots.into_iter().map(|lot| ledger.lot_now(lot)).collect::<Result<Vec<_>, _>>()?;
    if asked.json {
        let one = |now: &LotNow| {
            let items = items(now, here);
            let tally = LotTally::of(&items);
            let drives = Statement::of(&now.lot, &items, wall(), this_tool());
            json!({ "lot": now.lot.name, "opened": now.lot.opened, "closed": now.lot.closed, "tally": tally, "complete": tally.is_complete(), "drives": drives.lines() })
        };
        say_json(&json!({ "lots": nows.iter().map(one).collect::<Vec<_>>() }));
        return Ok(ExitCode::SUCCESS);
    }
    if nows.is_empty() {
        say("There is no lot. `jurex lot import LOT FILE.csv` takes in a list of expected drives.");
    }
    for now in &nows {
        let items = items(now, here);
        let state = now.lot.closed.map(|at| format!(" (closed {at})")).unwrap_or_default();
        say(&format!("{}{state}: {}", shown(&now.lot.name), LotTally::of(&items).sentence()));
        if asked.lot.is_some() {
            items.iter().for_each(|item| say(&line(item)));
        }
    }
    Ok(ExitCode::SUCCESS)
}

fn line(item: &LotItem) -> String {
    let required = item.required();
    let stand = match item.stand {
        LotStatus::Done(reached) => required.map_or_else(|| reached.to_string(), |of| format!("{reached} ({of} required)")),
        LotStatus::Failed(Outcome::NotSanitized) => format!("✕ {}", Outcome::NotSanitized),
        LotStatus::Failed(reached) => {
            format!("✕ {reached}, less than the {} that is required", required.unwrap_or(Outcome::Clear))
        }
        LotStatus::Begun => "begun, no record".into(),
        LotStatus::Here => "here".into(),
        LotStatus::NotSeen => "not seen yet".into(),
    };
    let job = item.job.as_ref().map(|(job, _)| format!("  {job}")).unwrap_or_default();
    let unexpected = if item.expected.is_none() { "  (not expected)" } else { "" };
    let property = item.expected.as_ref().map(|e| shown(&e.property_number)).unwrap_or_default();
    let serial = if item.serial.is_empty() { "no serial".into() } else { shown(&item.serial) };
    format!("  {serial:<22}{property:<14}{stand}{job}{unexpected}")
}

fn close(asked: &LotClose, ledger: &dyn PastWork) -> Result<ExitCode, Failure> {
    let mut lot = find(ledger, &asked.lot)?;
    let tally = LotTally::of(&items(&ledger.lot_now(lot.clone())?, &[]));
    if !tally.is_complete() && !asked.incomplete {
        let name = shown(&lot.name);
        return Err(Failure::Less(format!(
            "lot {name} stays open: {}. `jurex lot show {name}` names them; --incomplete closes it all the same",
            tally.sentence()
        )));
    }
    lot.closed = lot.closed.or(Some(wall()));
    ledger.keep_lot(&lot, &format!("It was closed: {}.", tally.sentence()), wall())?;
    say(&format!("Lot {} is closed: {}.", shown(&lot.name), tally.sentence()));
    Ok(if tally.is_complete() { ExitCode::SUCCESS } else { ExitCode::from(3) })
}

/// What is stated of a lot, from the records of the ledger.
pub(crate) fn statement(name: &str, places: &AppPaths, config: &Config, demo: bool) -> Result<Statement, Failure> {
    let ledger = open(places, demo)?;
    let now = ledger.lot_now(find(&ledger, name)?)?;
    let mut statement = Statement::of(&now.lot, &items(&now, &[]), wall(), this_tool());
    let papers = config.papers();
    (statement.organisation, statement.technician, statement.validator) =
        (papers.organisation, papers.technician, papers.validator);
    let drawn = ledger.drawn(Some(name))?;
    let confirmed = drawn.iter().filter(|d| d.check.is_confirmed()).count() as u64;
    statement.second_looks = SecondLooks { due: drawn.len() as u64, confirmed };
    let jobs: Vec<JobId> = now.jobs.iter().map(|(job, ..)| job.clone()).collect();
    for (job, check) in ledger.second_checks(&jobs)? {
        check.finding().into_iter().for_each(|finding| statement.note_second(&job, finding));
    }
    for known in &now.known {
        known.whereabouts().iter().for_each(|said| statement.note_whereabouts(&known.name, said));
    }
    statement.head = ledger.newest_head()?.and_then(|h| h.note);
    Ok(statement)
}
