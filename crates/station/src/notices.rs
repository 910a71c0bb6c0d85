//! What people who are elsewhere are told: that a job or a lot has ended, or that a drive needs somebody.

use crate::app_paths::AppPaths;
use crate::clock::wall;
use crate::config::Config;
use jurex_device::media::Drive;
use jurex_notice::{Notice, NoticeKind, Outbox};
use jurex_pattern::text::printable;
use jurex_sanitize::evidence::Ended;
use jurex_sanitize::record::Record;
use serde_json::json;
use std::sync::mpsc;
use std::time::Duration;

/// The queue of this bench; `None`: nobody is told anything.
pub fn outbox(places: &AppPaths, config: &Config) -> Option<Outbox> {
    config.notice.is_any().then(|| Outbox::new(&places.notices(), config.notice.clone()))
}

/// That a job has ended, or that its drive needs somebody because it did not come to its end.
pub fn of_job(record: &Record, bench: &str) -> Notice {
    let (drive, claim) = (record.evidence().drive(), record.claim());
    let ended = &record.evidence().ended;
    let kind = if *ended == Ended::Finished { NoticeKind::Job } else { NoticeKind::Person };
    let because: Vec<String> = claim.reasons().iter().map(|r| r.sentence()).collect();
    Notice {
        kind,
        made: wall(),
        bench: bench.into(),
        subject: format!("{}: {} ({})", drive.name(), claim.outcome(), record.job),
        text: format!("{} {}", ended.sentence(), because.join(" ")),
        facts: json!({
            "job": record.job,
            "drive": drive.called(),
            "serial": drive.unit.serial(),
            "outcome": claim.outcome(),
            "lot": printable(record.papers().lot.as_bytes()),
            "property_number": printable(record.papers().property_number.as_bytes()),
            "digest": record.digest(),
        }),
    }
}

/// That every drive of a lot is done.
pub fn of_lot(lot: &str, sentence: &str, bench: &str) -> Notice {
    let lot = printable(lot.as_bytes());
    let facts = json!({ "lot": lot });
    let subject = format!("Lot {lot}: {sentence}");
    Notice {
        kind: NoticeKind::Lot,
        made: wall(),
        bench: bench.into(),
        text: format!("Every drive of lot {lot} is done."),
        subject,
        facts,
    }
}

/// That a drive needs somebody.
pub fn of_person(drive: &Drive, why: &str, bench: &str) -> Notice {
    let facts = json!({ "drive": drive.called(), "serial": drive.unit.serial() });
    Notice {
        kind: NoticeKind::Person,
        made: wall(),
        bench: bench.into(),
        subject: format!("{} needs you", drive.name()),
        text: why.into(),
        facts,
    }
}

/// To try whether notices go out.
pub fn of_test(bench: &str) -> Notice {
    let text = "Nothing has happened: somebody tries whether notices arrive.".into();
    Notice {
        kind: NoticeKind::Test,
        made: wall(),
        bench: bench.into(),
        subject: "A notice to try".into(),
        text,
        facts: json!({}),
    }
}

/// Sends what is due, for so long at most; what did not go out by then waits in the queue. Gives what is to be said of it.
pub fn send_within(outbox: &Outbox, longest: Duration) -> Option<String> {
    let (done, wait) = mpsc::channel();
    let sender = outbox.clone();
    std::thread::spawn(move || done.send(sender.send_due(wall())));
    match wait.recv_timeout(longest) {
        Ok(_) => outbox.trouble(),
        Err(_) => Some("the notice waits: the server is slow, and it will be tried again".into()),
    }
}
