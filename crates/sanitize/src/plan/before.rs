//! Plans as checkpoints of format 2 keep them: passes without stages. A job that was cut short under an earlier version goes
//! on under this one.

use super::stage::overwriting;
use super::{Overwrite, Plan, PlannedPass, Verification};
use crate::rules::{Claim, Edition};
use jurex_device::media::Drive;
use jurex_pattern::units::Sectors;
use serde::Deserialize;

/// A plan of that format.
#[derive(Deserialize)]
pub struct Version2 {
    drive: Drive,
    title: String,
    notation: String,
    passes: Vec<PlannedPass>,
    verification: Verification,
    range: Sectors,
    retries: u32,
    faults_allowed: u64,
    edition: Edition,
    expected: Claim,
}

impl From<Version2> for Plan {
    fn from(before: Version2) -> Self {
        let Version2 { drive, title, notation, passes, verification, range, retries, faults_allowed, edition, expected } = before;
        let range = (range != drive.geometry.whole()).then_some(range);
        let stages = overwriting(Overwrite { passes, range, retries, faults_allowed });
        Self { drive, title, notation, verification, stages, edition, expected, stated: None, searches: false, marks: false }
    }
}
