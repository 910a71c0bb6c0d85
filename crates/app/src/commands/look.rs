//! `jurex look DRIVE`: who it is, what is on it, and how it can be sanitized.

use super::{drives, remark, say, say_json};
use crate::cli::LookArgs;
use jurex_device::media::DriveLabel;
use jurex_disposition::proof::{Finding, VerificationRecord};
use jurex_ledger::Ledger;
use jurex_pattern::method::{Method, library};
use jurex_pattern::units::counted;
use jurex_sanitize::contents::Contents;
use jurex_sanitize::plan::{Order, Plan};
use jurex_sanitize::rules::Outcome;
use jurex_sign::KeyStore;
use jurex_station::app_paths::AppPaths;
use jurex_station::bench::{self, DriveSnapshot};
use jurex_station::clock::{SystemEntropy, wall};
use jurex_station::config::Config;
use jurex_station::exit::{self, Failure};
use jurex_station::readings;
use jurex_station::release::MarkHere;
use jurex_station::stop::StopOnSignal;
use serde_json::json;
use std::process::ExitCode;
use std::time::{Duration, Instant};

pub(crate) fn run(look: &LookArgs) -> Result<ExitCode, Failure> {
    let places = AppPaths::find()?;
    let config = Config::read(&places.config_file())?;
    let seen = bench::find(&look.drive, &config.only, &places)?;
    if let Some(seconds) = look.beacon {
        return beacon(&seen, seconds);
    }
    let (contents, _) = seen.look();
    let mark = MarkHere::on(&seen, &KeyStore::new(&places.keys()).known()?);
    let as_left = look.as_left.then(|| as_left(&seen, mark.as_ref(), &places, &config)).transpose()?;
    let ways = ways(&seen);
    if look.json {
        let ways: Vec<_> = ways
            .iter()
            .map(|(m, outcome, why)| json!({"technique": "overwrite", "method": m.name, "outcome": outcome, "because": why}))
            .collect();
        let mut all = drives::as_json(&seen);
        all["contents"] = json!(contents);
        all["mark"] = json!(mark.as_ref().map(|mark| json!({
            "says": mark.mark().map(|m| &m.says),
            "of_this_drive": mark.mark().is_some_and(|m| m.fits),
            "told": mark.sentences(wall()),
        })));
        all["as_left"] = json!(as_left.as_ref().map(|v| json!({ "finding": v.finding(), "told": v.sentences() })));
        all["ways"] = json!(ways);
        say_json(&all);
    } else {
        text(&seen, &contents, &ways).iter().for_each(|line| say(line));
        mark.iter().flat_map(|m| m.sentences(wall())).for_each(|said| say(&fact("erasure tag", &said)));
        as_left.iter().flat_map(VerificationRecord::sentences).for_each(|said| say(&fact("as it was left?", &said)));
    }
    Ok(as_left.map_or(ExitCode::SUCCESS, |v| exit::of_reading(v.finding() == Finding::Confirmed, v.end())))
}

/// Reads a sample of a marked drive, and compares it with what the ledger's record of that job says.
fn as_left(
    seen: &DriveSnapshot,
    mark: Option<&MarkHere>,
    places: &AppPaths,
    config: &Config,
) -> Result<VerificationRecord, Failure> {
    let called = seen.drive.called();
    let mark = mark.and_then(MarkHere::mark);
    let mark =
        mark.ok_or_else(|| Failure::Less(format!("{called} carries no erasure tag that could be followed. It was not read")))?;
    let path = places.ledger_for(seen.drive.simulated);
    let record = if path.exists() { Ledger::open_to_read(&path)?.record(&mark.says.job).ok() } else { None };
    let record = record.ok_or_else(|| {
        let job = &mark.says.job;
        Failure::Less(format!("the ledger here has no record of job {job}: how {called} was left is not known. It was not read"))
    })?;
    let mut control = StopOnSignal::install()?;
    let verification = readings::still_as_left(seen, &record, config.papers().technician, &mut control, &mut |_| {})?;
    if let Err(e) = readings::note_in_ledger(&path, &verification) {
        return Err(Failure::Less(format!("{e}. The look stands for itself, and closes no second check")));
    }
    Ok(verification)
}

fn beacon(seen: &DriveSnapshot, seconds: u64) -> Result<ExitCode, Failure> {
    remark(&format!("Reading from {} in a long-short rhythm for {seconds} s. Nothing is written.", seen.drive.called()));
    let end = Instant::now() + Duration::from_secs(seconds);
    let failed = |e| Failure::Stopped(format!("the beacon of {} ended: {e}", seen.drive.called()));
    seen.beacon(&|| Instant::now() < end).map_err(failed)?;
    Ok(ExitCode::SUCCESS)
}

/// What each method of the library would earn on this drive, and why.
fn ways(seen: &DriveSnapshot) -> Vec<(&'static Method, Outcome, String)> {
    let way = |method: &'static Method| {
        let plan = Plan::new(&seen.drive, &Order::of_method(method), &mut SystemEntropy).ok()?;
        let why: Vec<String> = plan.expected().reasons().iter().map(|r| r.sentence()).collect();
        Some((method, plan.expected().outcome(), why.join(" ")))
    };
    library().iter().filter_map(way).collect()
}

fn text(seen: &DriveSnapshot, contents: &Contents, ways: &[(&Method, Outcome, String)]) -> Vec<String> {
    let drive = &seen.drive;
    let said = |v: &Option<String>| v.clone().unwrap_or_else(|| "not reported".into());
    let mut lines = vec![
        drive.called(),
        fact("maker", &said(&drive.unit.maker)),
        fact("model", &said(&drive.unit.model)),
        fact("serial", &said(&drive.unit.serial)),
        fact("firmware", &said(&drive.unit.firmware)),
        fact("capacity", &format!("{}, {}", drive.size(), counted(drive.geometry.sectors, "sector"))),
        fact("sectors", &drive.geometry.sector_sizes()),
        fact("class", &format!("{}, because {}", drive.class, drive.class_basis)),
        fact("attached by", &drive.bus.to_string()),
        fact("hidden areas", &drive.hidden_sentence()),
    ];
    let names: Vec<String> = drive.unit.ids.iter().map(|id| id.sentence()).collect();
    lines.extend((!names.is_empty()).then(|| fact("other identifiers", &names.join(", "))));
    lines.extend(drive.attachment.port.as_ref().map(|port| fact("plugged in at", port)));
    lines.extend(drive.elsewhere.iter().map(|e| fact("other namespaces", &e.what)));
    let health = seen.answers.health.sentences();
    let health = if health.is_empty() { "not reported".into() } else { health.join(", ") };
    lines.push(fact("age and health", &health));
    lines.extend(seen.answers.bridge.as_ref().map(|b| fact("bridge", &format!("{b} stands before the drive"))));
    if !seen.answers.own_erases.is_empty() {
        lines.push(fact("erases itself", &seen.answers.own_erases_said()));
    }
    lines.extend(seen.answers.notes.iter().map(|note| fact("note", note)));
    lines.push(fact("contents", &contents.sentence()));
    for region in &contents.regions {
        lines.push(format!("{:18}{}", "", region.line(drive.geometry)));
    }
    lines.extend(contents.note.as_ref().map(|note| fact("note", note)));
    lines.push(match seen.verdict() {
        Ok(_) => fact("may be erased?", "yes"),
        Err(refusal) => fact("may be erased?", &format!("no: {refusal}")),
    });
    match seen.verdict().map(|c| c.label().clone()).unwrap_or_else(|_| drive.label()) {
        DriveLabel::SectorCount(sectors) => {
            lines.push(fact("label check", &format!("the drive tells no serial number; type its number of sectors, {sectors}")));
        }
        DriveLabel::Place(place) => lines.push(fact(
            "label check",
            &format!(
                "another drive here carries the same label; find this one by its light (--beacon) and type its place, {place}"
            ),
        )),
        DriveLabel::Namespace { ending, namespace, .. } => lines.push(fact(
            "label check",
            &format!("its controller has several namespaces with this serial; type {ending}/{namespace} to mean this one alone"),
        )),
        DriveLabel::SerialEnding { .. } => {}
    }
    lines.push("Ways to sanitize it by overwriting:".into());
    lines.extend(grouped_ways(ways));
    lines
}

/// The methods by what they would earn and why: many earn the same.
fn grouped_ways(ways: &[(&Method, Outcome, String)]) -> Vec<String> {
    let mut groups: Vec<(Outcome, &str, Vec<&str>)> = vec![];
    for (method, outcome, why) in ways {
        match groups.iter_mut().find(|(o, w, _)| o == outcome && w == why) {
            Some((.., names)) => names.push(&method.name),
            None => groups.push((*outcome, why, vec![&method.name])),
        }
    }
    groups.sort_by_key(|(outcome, ..)| std::cmp::Reverse(*outcome));
    let lines =
        |(outcome, why, names): (Outcome, &str, Vec<&str>)| [format!("  {outcome}: {why}"), format!("    {}", names.join(", "))];
    groups.into_iter().flat_map(lines).collect()
}

fn fact(label: &str, value: &str) -> String {
    format!("  {label:<16}{value}")
}
