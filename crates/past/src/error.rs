//! Why the past could not be asked, or added to.

use jurex_disposition::proof::NoStanding;
use jurex_sanitize::record::{BadRecord, JobId};

/// What is the matter with whoever keeps it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum StoreTrouble {
    /// No room.
    #[error("cannot grow, its disk is full")]
    Full,
    /// No rights.
    #[error("cannot be written")]
    Unwritable,
    /// It is not what it was.
    #[error("is damaged")]
    Damaged,
    /// Another program has it.
    #[error("is kept open by another program")]
    Busy,
    /// Something else.
    #[error("failed")]
    Other,
}

/// Why the ledger could not do something.
#[derive(Debug, thiserror::Error)]
pub enum PastError {
    /// The folder can't be made.
    #[error("cannot make the folder of the ledger, {path}: {cause}")]
    Folder {
        /// The folder.
        path: String,
        /// The system's words.
        cause: std::io::Error,
    },
    /// Whoever keeps it says no.
    #[error("the ledger {path} {trouble}: {cause}")]
    Store {
        /// Where it is kept.
        path: String,
        /// What is the matter.
        trouble: StoreTrouble,
        /// The keeper's words.
        cause: Box<dyn std::error::Error + Send + Sync>,
    },
    /// Made by a newer version.
    #[error("the ledger {path} was made by a newer version of Jurex (its format is {found}, this version knows {known})")]
    TooNew {
        /// The ledger's file.
        path: String,
        /// Its format.
        found: i64,
        /// The newest format known here.
        known: i64,
    },
    /// The same name twice: drawn again by the caller.
    #[error("there is a job {0} already")]
    Exists(JobId),
    /// No such job.
    #[error("there is no job {job} in the ledger {path}")]
    NoJob {
        /// The name asked for.
        job: JobId,
        /// The ledger's file.
        path: String,
    },
    /// The job was begun and never ended.
    #[error(
        "job {job} on {drive} was begun at {started} and never came to an end: it is Not sanitized, and there is no certificate for it"
    )]
    NeverEnded {
        /// The job.
        job: JobId,
        /// Its drive.
        drive: String,
        /// Its beginning.
        started: String,
    },
    /// A check that is not of what the record says.
    #[error("this is no second check of job {job} as the ledger has it: {why}")]
    NoStanding {
        /// The job.
        job: JobId,
        /// Why it says nothing of it.
        why: NoStanding,
    },
    /// The place where a job's checkpoints are kept is not there any more.
    #[error("the ledger {path} has no place any more for the checkpoints of job {job}: another job has taken it, or a person")]
    NoPlace {
        /// The job.
        job: JobId,
        /// The ledger's file.
        path: String,
    },
    /// What is stored is not what was written.
    #[error(
        "the ledger's record of job {0} is not the one that was written: it has been altered (`jurex ledger check` tells more)"
    )]
    Altered(JobId),
    /// The second checks that are stored are not those that were written.
    #[error(
        "the second checks of job {0} in the ledger are not those that were written: one was altered, put in or taken away (`jurex ledger check` tells more)"
    )]
    AlteredChecks(JobId),
    /// A copy that is to be put back is not as it was written.
    #[error("the copy {path} was touched, and is not put in the ledger's place: {wrong}")]
    CopyTouched {
        /// The copy.
        path: String,
        /// What does not fit.
        wrong: String,
    },
    /// Made by an older version, where it can't be brought up to date.
    #[error("the ledger {0} was made by an older version of Jurex and can only be searched where it may be written once")]
    TooOld(String),
    /// What is stored is not a record, or contradicts itself.
    #[error("the ledger's record of job {job} cannot be used: {cause}")]
    Record {
        /// The job.
        job: JobId,
        /// What is wrong with it.
        cause: BadRecord,
    },
}
