//! What was written, as leaves of the tree, in the order of writing; and the tree's heads.

use crate::tree::Hash;
use serde::{Deserialize, Serialize};

/// One thing that was written.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "kind", deny_unknown_fields)]
pub enum Leaf {
    /// A job began.
    JobBegun {
        /// Its name.
        job: String,
        /// What its drive is called.
        drive: String,
        /// Its serial.
        serial: Option<String>,
        /// When.
        started: String,
    },
    /// A record was added.
    Record {
        /// Its job.
        job: String,
        /// When.
        made: String,
        /// SHA-256 of its text.
        record: String,
        /// Events of the job that were there.
        events: u64,
        /// SHA-256 over them.
        events_digest: String,
    },
    /// A second look was noted.
    Verification {
        /// The job that it is about.
        job: String,
        /// When.
        made: String,
        /// SHA-256 of its text.
        verification: String,
    },
    /// Events of a job that no record covers: of one that has none, or that came after it.
    Events {
        /// The job.
        job: String,
        /// When they were counted.
        when: String,
        /// Events of the job that were there.
        events: u64,
        /// SHA-256 over them.
        events_digest: String,
        /// SHA-256 of what it needs to go on beside its checkpoint: what was on the drive, and what people said of it.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        going_on: Option<String>,
    },
    /// A list of expected drives was made, changed or closed.
    Lot {
        /// The lot's name.
        lot: String,
        /// When.
        when: String,
        /// What was done, in a sentence.
        said: String,
        /// SHA-256 of its text.
        digest: String,
    },
    /// It was noted what became of a drive.
    Release {
        /// Its serial; empty: it has none.
        serial: String,
        /// When.
        when: String,
        /// SHA-256 of the statement.
        release: String,
    },
    /// Something else that matters happened; all that is kept of it is this.
    Noted {
        /// What it is about.
        about: NotedSubject,
        /// When.
        when: String,
        /// What happened, in a sentence.
        said: String,
        /// SHA-256 of what it is about, where there is a text of it.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        digest: Option<String>,
    },
}

/// What else than jobs the ledger notes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum NotedSubject {
    /// A key was made, retired or trusted.
    Key,
    /// The settings that decide what is done and claimed.
    Settings,
    /// Records were given out.
    Export,
    /// The ledger itself was put back from a copy.
    Restored,
}

impl NotedSubject {
    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            NotedSubject::Key => "key",
            NotedSubject::Settings => "settings",
            NotedSubject::Export => "export",
            NotedSubject::Restored => "restored",
        }
    }
}

/// How large the tree is, and its head.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TreeHead {
    /// Leaves.
    pub size: u64,
    /// The head of the tree over them.
    pub root: Hash,
}

/// A head that was kept, with the note that it was signed in, if it was.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StoredHead {
    /// The head.
    pub head: TreeHead,
    /// The signed note.
    pub note: Option<String>,
}
