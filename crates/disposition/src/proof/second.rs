//! How a job stands by all second checks of what it has left: one that contradicts it stands until the drive is erased again, whatever came
//! after it, and only a check of what the record itself says counts.

use super::expected::ExpectedContents;
use super::verification::{Finding, VerificationRecord};
use jiff::Timestamp;
use jurex_sanitize::record::Record;
use std::fmt;

/// Why a check says nothing of a record.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NoStanding {
    /// It names another job, or none.
    #[error("it is not of this job")]
    OtherJob,
    /// Of another drive.
    #[error("it is of another drive than the record's")]
    OtherDrive,
    /// It looked for other bytes, or on other sectors, than the record says.
    #[error("it expected other bytes, or other sectors, than the record says")]
    OtherExpectation,
    /// It was made before the job had ended.
    #[error("it was begun before the job had ended")]
    TooEarly,
}

/// How a job stands by its second checks.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum SecondCheck {
    /// None that counts has come to its end.
    #[default]
    NotMade,
    /// Confirmed, and contradicted by none.
    Confirmed {
        /// When the last one ended.
        ended: Timestamp,
    },
    /// Contradicted.
    Contradicted {
        /// When the first one that did ended.
        ended: Timestamp,
    },
    /// What is kept of its checks is not what was written: some were changed or taken away.
    NotBelieved,
}

impl SecondCheck {
    /// Of a job by these checks, whichever count.
    pub fn of<'v>(record: &Record, checks: impl IntoIterator<Item = &'v VerificationRecord>) -> Self {
        let mut standing = Self::NotMade;
        for check in checks.into_iter().filter(|check| check.has_standing(record).is_ok()) {
            let ended = check.look.ended;
            standing = match (check.finding(), standing) {
                (_, contradicted @ Self::Contradicted { .. }) => contradicted,
                (Finding::Contradicted, _) => Self::Contradicted { ended },
                (Finding::Confirmed, _) => Self::Confirmed { ended },
                (Finding::Incomplete, before) => before,
            };
        }
        standing
    }

    /// Whether it was confirmed and nothing speaks against that.
    pub fn is_confirmed(self) -> bool {
        matches!(self, Self::Confirmed { .. })
    }

    /// As a finding, where there is one.
    pub fn finding(self) -> Option<Finding> {
        match self {
            Self::Confirmed { .. } => Some(Finding::Confirmed),
            Self::Contradicted { .. } => Some(Finding::Contradicted),
            Self::NotMade | Self::NotBelieved => None,
        }
    }
}

impl fmt::Display for SecondCheck {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::NotMade => f.write_str("due"),
            Self::Confirmed { ended } => write!(f, "confirmed {ended}"),
            Self::Contradicted { ended } => write!(f, "CONTRADICTED {ended}: erase the drive again"),
            Self::NotBelieved => f.write_str("not to be believed: its checks are not as they were written"),
        }
    }
}

impl VerificationRecord {
    /// Whether it counts as a second check of what that record says: of its job and drive, of its bytes and sectors, and made after it.
    ///
    /// # Errors
    /// Why it does not.
    pub fn has_standing(&self, record: &Record) -> Result<(), NoStanding> {
        if !self.is_of(record) {
            return Err(NoStanding::OtherJob);
        }
        if ExpectedContents::check_drive(record, &self.look.drive).is_err() {
            return Err(NoStanding::OtherDrive);
        }
        let expected = ExpectedContents::by_record(record).map_err(|_| NoStanding::OtherExpectation)?;
        let looked_for = &self.look.expected;
        let mark_fits = looked_for.mark.is_none() || record.method.mark;
        if (&looked_for.holds, looked_for.range) != (&expected.holds, expected.range) || !mark_fits {
            return Err(NoStanding::OtherExpectation);
        }
        if self.look.started < record.ended { Err(NoStanding::TooEarly) } else { Ok(()) }
    }
}
