//! Proving again: a drive is read by what a record says lies there, or by what somebody expects, and what was found is a
//! verification record of its own. Nothing is written to the drive, and nothing is earned: outcomes come from jobs alone.

mod expected;
mod reading;
mod second;
mod verification;

pub use expected::{ExpectedContents, Holds, OtherDrive, Unprovable};
pub use reading::{Reading, ReadingProgress, read};
pub use second::{NoStanding, SecondCheck};
pub use verification::{BELIEVED, BadVerificationRecord, FORMAT, Finding, OfRecord, VerificationFacts, VerificationRecord};
