//! Exit codes, and failures with the code that each leads to.

use jurex_disposition::lot::LotError;
use jurex_linux::{FindError, OpenError};
use jurex_past::PastError;
use jurex_sanitize::contents::NoPartition;
use jurex_sanitize::evidence::Ended;
use jurex_sanitize::plan::{ArmError, PlanError};
use jurex_sanitize::record::Record;
use jurex_sanitize::rules::Outcome;
use jurex_sign::KeyError;
use std::process::ExitCode;

/// Wrong use or configuration: exit code 1.
pub const WRONG_USE: ExitCode = ExitCode::FAILURE;

/// A command that could not do what was asked. The text says what was and was not done, and what to do now.
#[derive(Debug, thiserror::Error)]
pub enum Failure {
    /// Wrong use or configuration: exit code 1.
    #[error("{0}")]
    Use(String),
    /// Refused by the guard or the label check, nothing written: exit code 2.
    #[error("{0}")]
    Refused(String),
    /// The work ended, but less came of it than planned: exit code 3.
    #[error("{0}")]
    Less(String),
    /// Stopped, or the drive went away: exit code 4.
    #[error("{0}")]
    Stopped(String),
    /// A defect in Jurex: exit code 5.
    #[error("this is a defect in Jurex: {0}")]
    Defect(String),
}

impl Failure {
    pub fn code(&self) -> ExitCode {
        match self {
            Failure::Use(_) => WRONG_USE,
            Failure::Refused(_) => ExitCode::from(2),
            Failure::Less(_) => ExitCode::from(3),
            Failure::Stopped(_) => ExitCode::from(4),
            Failure::Defect(_) => ExitCode::from(5),
        }
    }
}

impl From<NoPartition> for Failure {
    fn from(e: NoPartition) -> Self {
        Failure::Use(format!("{e}. Nothing was written"))
    }
}

impl From<LotError> for Failure {
    fn from(e: LotError) -> Self {
        Failure::Use(e.to_string())
    }
}

impl From<FindError> for Failure {
    fn from(e: FindError) -> Self {
        Failure::Use(format!("{e}. Nothing was written"))
    }
}

impl From<PlanError> for Failure {
    fn from(e: PlanError) -> Self {
        Failure::Use(format!("{e}. Nothing was written"))
    }
}

impl From<ArmError> for Failure {
    fn from(e: ArmError) -> Self {
        Failure::Refused(format!("{e}. Nothing was written. Read them from the drive itself and try again"))
    }
}

impl From<OpenError> for Failure {
    fn from(e: OpenError) -> Self {
        let said = format!("{e}. Nothing was written");
        match e {
            OpenError::InUse(_) | OpenError::JobRunning(_) | OpenError::Another(_) | OpenError::Hindered { .. } => {
                Failure::Refused(said)
            }
            OpenError::Gone(_) => Failure::Stopped(said),
            OpenError::Rights(_) | OpenError::Other { .. } => Failure::Use(said),
        }
    }
}

impl From<KeyError> for Failure {
    fn from(e: KeyError) -> Self {
        match e {
            KeyError::WrongPassphrase(_) | KeyError::Shut(_) => Failure::Refused(e.to_string()),
            KeyError::Damaged { .. } => Failure::Less(e.to_string()),
            other => Failure::Use(other.to_string()),
        }
    }
}

impl From<PastError> for Failure {
    fn from(e: PastError) -> Self {
        Failure::Use(e.to_string())
    }
}

/// The exit code that a finished job's record earns.
pub fn of_record(record: &Record) -> ExitCode {
    match record.evidence().ended {
        Ended::Finished if record.kept_its_plan() && record.claim().outcome() > Outcome::NotSanitized => ExitCode::SUCCESS,
        // Planned or not: what is Not sanitized is less than anybody wanted.
        Ended::Finished | Ended::GivenUp { .. } | Ended::Changed { .. } => ExitCode::from(3),
        Ended::Stopped
        | Ended::Gone { .. }
        | Ended::StoppedAnswering { .. }
        | Ended::Refused { .. }
        | Ended::CommandFailed { .. } => ExitCode::from(4),
    }
}

/// The exit code of a reading that found all as it should be, or did not.
pub fn of_reading(is_good: bool, ended: &Ended) -> ExitCode {
    match ended {
        Ended::Stopped | Ended::Gone { .. } | Ended::StoppedAnswering { .. } => ExitCode::from(4),
        _ if is_good => ExitCode::SUCCESS,
        _ => ExitCode::from(3),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_could_not_be_opened_ends_with_the_contracts_code_and_says_that_nothing_was_written() {
        let path = || "/dev/sdq".to_string();
        let cases = [
            (OpenError::Rights(path()), ExitCode::from(1)),
            (OpenError::InUse(path()), ExitCode::from(2)),
            (OpenError::JobRunning(path()), ExitCode::from(2)),
            (OpenError::Another(path()), ExitCode::from(2)),
            (OpenError::Gone(path()), ExitCode::from(4)),
            (OpenError::Other { path: path(), cause: std::io::Error::other("odd") }, ExitCode::from(1)),
        ];
        for (error, code) in cases {
            let failure = Failure::from(error);
            assert_eq!(failure.code(), code, "{failure}");
            assert!(failure.to_string().contains("/dev/sdq") && failure.to_string().contains("Nothing was written"));
        }
        assert_eq!(Failure::Defect(String::new()).code(), ExitCode::from(5));
        assert_eq!(Failure::Less(String::new()).code(), ExitCode::from(3));
    }
}
