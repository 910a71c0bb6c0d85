//! Jobs as lists show them.

use jurex_disposition::proof::SecondCheck;
use jurex_sanitize::record::{JobId, Record};

/// A job whose drive is to be looked at a second time.
#[derive(Clone, Debug)]
pub struct Due {
    /// Its record.
    pub record: Record,
    /// What came of it.
    pub check: SecondCheck,
}

/// A job as lists show it.
#[derive(Clone, Debug, PartialEq)]
pub struct JobLine {
    /// Its place among all jobs: the newest has the largest.
    pub number: i64,
    /// Its name.
    pub job: JobId,
    /// When it began, RFC 3339.
    pub started: String,
    /// What its drive is called.
    pub drive: String,
    /// Its drive's serial.
    pub serial: Option<String>,
    /// How it stands.
    pub standing: JobStatus,
}

/// How a job stands.
#[derive(Clone, Debug, PartialEq)]
pub enum JobStatus {
    /// It has a record that holds.
    Recorded(Box<Record>),
    /// It was begun, and has no record (yet).
    NoRecord,
    /// Its record can't be believed, and why.
    NotBelieved(String),
}

impl JobStatus {
    /// In a word or two.
    pub fn word(&self) -> String {
        match self {
            JobStatus::Recorded(record) => record.claim().outcome().to_string(),
            JobStatus::NoRecord => "no record".into(),
            JobStatus::NotBelieved(_) => "not to be believed".into(),
        }
    }

    /// Its record, if it has one that holds.
    pub fn record(&self) -> Option<&Record> {
        match self {
            JobStatus::Recorded(record) => Some(record),
            JobStatus::NoRecord | JobStatus::NotBelieved(_) => None,
        }
    }
}
