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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::proof::{Holds, OfRecord, Reading, VerificationFacts};
    use jurex_device::media::MediaClass;
    use jurex_device::medium::Access;
    use jurex_device::testing::test_drive;
    use jurex_pattern::pattern::Pattern;
    use jurex_pattern::ranges::RangeSet;
    use jurex_pattern::units::Sectors;
    use jurex_sanitize::evidence::Ended;
    use jurex_sanitize::record::{JobId, Person, Tool};
    use jurex_sanitize::testing::{SECTORS, record};

    fn second(seconds: i64) -> Timestamp {
        Timestamp::from_second(seconds).unwrap()
    }

    /// A check of all that the record says, begun after so many seconds, with so many sectors read and one wrong or none.
    fn check(of: &Record, begun: i64, read: u64, wrong: bool) -> VerificationRecord {
        let all = |count| [Sectors::new(0, count)].into_iter().collect::<RangeSet>();
        let look = VerificationFacts {
            left: None,
            tool: Tool { name: "Jurex".into(), version: "0".into() },
            by: Person { name: "Ines Okafor-Lindqvist".into(), ..Person::default() },
            of: Some(OfRecord::of(of)),
            drive: test_drive(MediaClass::Magnetic, SECTORS),
            access: Access::DIRECT,
            started: second(begun),
            ended: second(begun + 5),
            expected: ExpectedContents::by_record(of).unwrap(),
            sampling: None,
        };
        let wrong = if wrong { all(1) } else { RangeSet::new() };
        let ended = Ended::Finished;
        VerificationRecord::new(look, Reading { read: all(read), wrong, unreadable: RangeSet::new(), blank_byte: None, ended })
    }

    #[test]
    fn a_check_counts_for_its_own_job_drive_bytes_and_sectors_and_only_after_it() {
        let record = record();
        let good = check(&record, 10, SECTORS, false);
        assert_eq!(good.has_standing(&record), Ok(()));
        assert_eq!(check(&record, 0, SECTORS, false).has_standing(&record), Ok(()), "begun as the job ended");
        let with = |change: &dyn Fn(&mut VerificationFacts)| {
            let mut other = good.clone();
            change(&mut other.look);
            other.has_standing(&record)
        };
        assert_eq!(with(&|l| l.started = second(-1)), Err(NoStanding::TooEarly));
        assert_eq!(with(&|l| l.of = None), Err(NoStanding::OtherJob));
        assert_eq!(with(&|l| l.of.as_mut().unwrap().job = JobId::new("261123", [9; 4])), Err(NoStanding::OtherJob));
        assert_eq!(with(&|l| l.of.as_mut().unwrap().ended = second(1)), Err(NoStanding::OtherJob));
        assert_eq!(with(&|l| l.of.as_mut().unwrap().digest = "0".into()), Ok(()), "papers were filled in since");
        assert_eq!(with(&|l| l.drive.unit.serial = Some("FM0500T3XW8D".into())), Err(NoStanding::OtherDrive));
        assert_eq!(with(&|l| l.drive.geometry.sectors -= 1), Err(NoStanding::OtherDrive));
        assert_eq!(with(&|l| l.expected.holds = Holds::Pattern { pattern: Pattern::zeros() }), Err(NoStanding::OtherExpectation));
        assert_eq!(with(&|l| l.expected.range = Sectors::new(0, 8)), Err(NoStanding::OtherExpectation));
        assert_eq!(with(&|l| l.expected.mark = Some(String::new())), Err(NoStanding::OtherExpectation), "the job left none");
    }

    #[test]
    fn what_contradicts_stands_and_what_is_confirmed_is_the_last() {
        let record = record();
        let (right, wrong) = (|at| check(&record, at, SECTORS, false), |at| check(&record, at, SECTORS, true));
        let cut = |at| check(&record, at, SECTORS - 1, false);
        let other = |at| {
            let mut other = wrong(at);
            other.look.of = None;
            other
        };
        let of = |checks: &[VerificationRecord]| SecondCheck::of(&record, checks);
        let confirmed = |at: i64| SecondCheck::Confirmed { ended: second(at + 5) };
        let contradicted = |at: i64| SecondCheck::Contradicted { ended: second(at + 5) };
        assert_eq!(of(&[]), SecondCheck::NotMade);
        assert_eq!(of(&[cut(10)]), SecondCheck::NotMade, "not all of it was read");
        assert_eq!(of(&[right(10), right(20), cut(30)]), confirmed(20));
        assert_eq!(of(&[right(10), wrong(20), right(30), wrong(40)]), contradicted(20), "until the drive is erased again");
        assert_eq!(of(&[other(5), right(10)]), confirmed(10), "what has no standing speaks neither for nor against");
        for (standing, is_confirmed, finding, said) in [
            (SecondCheck::NotMade, false, None, "due"),
            (confirmed(10), true, Some(Finding::Confirmed), "confirmed 1970-01-01T00:00:15Z"),
            (contradicted(10), false, Some(Finding::Contradicted), "CONTRADICTED 1970-01-01T00:00:15Z: erase the drive again"),
            (SecondCheck::NotBelieved, false, None, "not to be believed: its checks are not as they were written"),
        ] {
            assert_eq!(
                (standing.is_confirmed(), standing.finding(), standing.to_string().as_str()),
                (is_confirmed, finding, said)
            );
        }
    }
}
