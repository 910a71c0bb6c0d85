//! A job's whole story, as the ledger has it.

use jiff::Timestamp;
use jurex_disposition::proof::VerificationRecord;
use jurex_disposition::release::Release;
use jurex_engine::Event;
use jurex_past::{PastError, PastWork};
use jurex_sanitize::record::{JobId, Record};

/// What became of a job.
#[derive(Clone, Debug, PartialEq)]
pub struct Story {
    pub job: JobId,
    /// Its record, or why there is none that can be believed.
    pub record: Result<Box<Record>, String>,
    /// What happened, each with its time.
    pub events: Vec<(String, String)>,
    /// Who looked again, the oldest first.
    pub looks: Vec<VerificationRecord>,
    /// What became of its drive since it began, the oldest first.
    pub releases: Vec<Release>,
    /// Its record's number in the ledger, from 1, where a signed head covers it.
    pub entry: Option<u64>,
}

impl Story {
    /// From the ledger.
    ///
    /// # Errors
    /// There is no such job, or the ledger is damaged.
    pub fn of(ledger: &dyn PastWork, job: &JobId) -> Result<Self, PastError> {
        let record = match ledger.record(job) {
            Ok(record) => Ok(Box::new(record)),
            Err(e @ (PastError::NeverEnded { .. } | PastError::Altered(_) | PastError::Record { .. })) => Err(e.to_string()),
            Err(e) => return Err(e),
        };
        // A record whose second checks were altered tells nothing either: the one that contradicts it may be the one that is gone.
        let (record, looks) = match ledger.verifications(job) {
            Ok(looks) => (record, looks),
            Err(e @ PastError::AlteredChecks(_)) => (Err(e.to_string()), vec![]),
            Err(e) => return Err(e),
        };
        Ok(Self {
            record,
            events: events(ledger, job)?,
            looks,
            releases: releases(ledger, job)?,
            entry: ledger.inclusion(job)?.map(|proof| proof.place + 1),
            job: job.clone(),
        })
    }
}

/// What became of the drive of a job since it began.
fn releases(ledger: &dyn PastWork, job: &JobId) -> Result<Vec<Release>, PastError> {
    let Some(known) = ledger.known_by_job(job)? else { return Ok(vec![]) };
    let began = known.jobs.iter().find(|line| line.job == *job).and_then(|line| line.started.parse::<Timestamp>().ok());
    Ok(known.releases.into_iter().filter(|r| began.is_none_or(|began| r.made >= began)).collect())
}

/// The events of a job in sentences. What this version can't read is told as such.
fn events(ledger: &dyn PastWork, job: &JobId) -> Result<Vec<(String, String)>, PastError> {
    let one = |(time, json): (String, String)| match serde_json::from_str::<Event>(&json) {
        Ok(event) => event.sentence().map(|s| (time, s)),
        Err(_) => Some((time, "Something happened that this version of Jurex can't read.".into())),
    };
    Ok(ledger.events(job)?.into_iter().filter_map(one).collect())
}
