//! `jurex ledger show JOB`: a job's whole story.

use super::{say, say_json};
use crate::cli::LedgerShow;
use jurex_past::PastWork;
use jurex_pattern::text::printable;
use jurex_sanitize::record::{BadJobId, JobId, Record};
use jurex_station::exit::Failure;
use jurex_station::story::Story;
use serde_json::json;
use std::process::ExitCode;

pub(super) fn run(asked: &LedgerShow, ledger: &dyn PastWork) -> Result<ExitCode, Failure> {
    let job: JobId = asked.job.parse().map_err(|e: BadJobId| Failure::Use(e.to_string()))?;
    let Story { record, events, looks, releases, entry, .. } = Story::of(ledger, &job)?;
    if asked.json {
        let raw: Vec<_> = ledger
            .events(&job)?
            .into_iter()
            .enumerate()
            .map(|(n, (time, text))| {
                // Its text as it is kept: the entry's digest is over that.
                let event = serde_json::from_str::<serde_json::Value>(&text).ok();
                json!({ "number": n + 1, "time": time, "event": event, "text": text })
            })
            .collect();
        let whole = |json: String| serde_json::from_str::<serde_json::Value>(&json).ok();
        say_json(&json!({
            "job": job,
            "record": record.as_ref().ok().and_then(|r| whole(r.to_json())),
            "digest": record.as_ref().ok().map(|r| r.digest()),
            "verifications": looks.iter().map(|v| whole(v.to_json())).collect::<Vec<_>>(),
            "releases": releases.iter().map(|r| whole(r.to_json())).collect::<Vec<_>>(),
            "events": raw,
            "proof": ledger.inclusion(&job)?.map(|p| p.to_text()),
        }));
        return Ok(ExitCode::SUCCESS);
    }
    match &record {
        Ok(record) => told(record),
        Err(why) => say(&format!("✕ {why}")),
    }
    for (time, sentence) in &events {
        say(&format!("  {time}  {sentence}"));
    }
    for look in &looks {
        let by = printable(look.look.by.name.as_bytes());
        say(&format!(
            "  looked at again by {}: {}, {}",
            if by.is_empty() { "somebody" } else { &by },
            look.finding(),
            look.look.ended
        ));
    }
    for release in &releases {
        let (said, by) = (printable(release.act.sentence().as_bytes()), printable(release.by.as_bytes()));
        say(&format!("  {}  {said} ({by})", release.made));
    }
    if let Some(entry) = entry {
        say(&format!("  it is entry {entry} of the ledger, under a signed head"));
    }
    Ok(ExitCode::SUCCESS)
}

fn told(record: &Record) {
    let (drive, papers) = (record.evidence().drive(), record.papers());
    let shown = |text: &str| printable(text.as_bytes());
    say(&format!("{}: {}", record.job, record.claim().outcome()));
    let line = |what: &str, said: &str| {
        if !said.is_empty() {
            say(&format!("  {what:<11} {said}"));
        }
    };
    line("drive", &format!("{} (serial {}), {}", drive.called(), drive.unit.serial().unwrap_or("none"), drive.size()));
    line("method", &record.method.title);
    record.claim().reasons().iter().for_each(|r| line("because", &r.sentence()));
    record.claim().limits().iter().for_each(|r| line("but", &r.sentence()));
    line("proof", &record.confidence());
    line("lot", &shown(&papers.lot));
    line("property", &shown(&papers.property_number));
    line("from", &shown(&papers.source));
    line("sanitized", &shown(&papers.technician.name));
    line("validated", &shown(&papers.validator.name));
    line("goes to", &shown(&papers.destination));
    line("digest", &record.digest());
}
