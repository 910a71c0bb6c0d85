//! `jurex look DRIVE`: who it is, what is on it, and how it can be sanitized.

use super::{drives, say};
use crate::bench::{self, Seen};
use crate::cli::Look;
use crate::clock::SystemEntropy;
use crate::exit::Failure;
use jurex_core::contents::Contents;
use jurex_core::media::Label;
use jurex_core::method::{LIBRARY, Method};
use jurex_core::plan::{Order, Plan};
use jurex_core::rules::Outcome;
use jurex_core::units::{counted, size};
use serde_json::json;
use std::process::ExitCode;

pub(crate) fn run(look: &Look) -> Result<ExitCode, Failure> {
    if look.beacon.is_some() {
        return Err(Failure::not_built("`jurex look --beacon`"));
    }
    let seen = bench::find(&look.drive)?;
    let (contents, _) = seen.look();
    let ways = ways(&seen);
    if look.json {
        let ways: Vec<_> = ways
            .iter()
            .map(|(m, outcome, why)| json!({"technique": "overwrite", "method": m.name, "outcome": outcome, "because": why}))
            .collect();
        let mut all = drives::as_json(&seen);
        all["contents"] = json!(contents);
        all["ways"] = json!(ways);
        say(&all.to_string());
    } else {
        text(&seen, &contents, &ways).iter().for_each(|line| say(line));
    }
    Ok(ExitCode::SUCCESS)
}

/// What each method of the library would earn on this drive, and why.
fn ways(seen: &Seen) -> Vec<(&'static Method, Outcome, String)> {
    let way = |method: &'static Method| {
        let plan = Plan::new(&seen.drive, &Order::of_method(method), &mut SystemEntropy).ok()?;
        let why: Vec<&str> = plan.expected().reasons().iter().map(|r| r.sentence.as_str()).collect();
        Some((method, plan.expected().outcome(), why.join(" ")))
    };
    LIBRARY.iter().filter_map(way).collect()
}

fn text(seen: &Seen, contents: &Contents, ways: &[(&Method, Outcome, String)]) -> Vec<String> {
    let drive = &seen.drive;
    let said = |v: &Option<String>| v.clone().unwrap_or_else(|| "not told".into());
    let mut lines = vec![
        drive.called(),
        fact("maker", &said(&drive.identity.maker)),
        fact("model", &said(&drive.identity.model)),
        fact("serial", &said(&drive.identity.serial)),
        fact("firmware", &said(&drive.identity.firmware)),
        fact("capacity", &format!("{}, {}", drive.size(), counted(drive.geometry.sectors, "sector"))),
        fact("sectors", &drive.geometry.sector_sizes()),
        fact("class", &format!("{}, because {}", drive.class, drive.class_basis)),
        fact("attached by", &drive.bus.to_string()),
        fact("hidden areas", &drive.hidden.sentence()),
        fact("contents", &contents.sentence()),
    ];
    for region in &contents.regions {
        lines.push(format!("{:18}{}: {}, {}", "", region.called(), region.at, size(drive.geometry.bytes_of(region.at.count))));
    }
    lines.extend(contents.note.as_ref().map(|note| fact("note", note)));
    lines.push(match seen.verdict() {
        Ok(_) => fact("may be erased?", "yes"),
        Err(refusal) => fact("may be erased?", &format!("no: {refusal}")),
    });
    if drive.label() == Label::SectorCount(drive.geometry.sectors) {
        lines.push(fact(
            "label check",
            &format!("the drive tells no serial number; type its number of sectors, {}", drive.geometry.sectors),
        ));
    }
    lines.push("Ways to sanitize it by overwriting:".into());
    lines.extend(ways.iter().map(|(method, outcome, why)| format!("  {:<20}would earn {outcome}: {why}", method.name)));
    lines.push("Erasing by the drive's own commands is not built yet.".into());
    lines
}

fn fact(label: &str, value: &str) -> String {
    format!("  {label:<16}{value}")
}
