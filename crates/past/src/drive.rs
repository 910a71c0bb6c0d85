//! Drives with all that is known of them: their jobs, and what was done with them afterwards.

use crate::job::JobLine;
use jiff::Timestamp;
use jurex_disposition::release::{Act, DriveStatus, Release, Treated, in_force};

/// All that is known of one drive.
#[derive(Clone, Debug, PartialEq)]
pub struct KnownDrive {
    /// Its serial; of one without, its job in brackets.
    pub name: String,
    /// Its jobs, the oldest first, each record judged again.
    pub jobs: Vec<JobLine>,
    /// What was noted of it, the oldest first. What can't be used is left out, and told by the check.
    pub releases: Vec<Release>,
    /// How it stands.
    pub standing: Option<DriveStatus>,
}

impl KnownDrive {
    /// What it is called, with its serial.
    pub fn called(&self) -> String {
        let by_job =
            || self.jobs.last().map(|j| format!("{}, serial {}", j.drive, j.serial.as_deref().unwrap_or("not reported")));
        by_job().or_else(|| self.releases.last().map(|r| r.drive.called())).unwrap_or_else(|| self.name.clone())
    }

    /// The statement of its destruction, if what was done to it last is that.
    pub fn destruction(&self) -> Option<&Release> {
        let destroyed = matches!(self.standing.as_ref()?.treated, Treated::Destroyed(_));
        in_force(&self.releases).into_iter().rev().find(|r| r.claim().is_some()).filter(|_| destroyed)
    }

    /// When it came in from outside after its newest job, if it did.
    pub fn came_back(&self) -> Option<Timestamp> {
        let is_unknown_again = self.standing.as_ref()?.treated == Treated::Never && !self.jobs.is_empty();
        let received = in_force(&self.releases).into_iter().rev().find(|r| matches!(r.act, Act::Received { .. }));
        received.filter(|_| is_unknown_again).map(|r| r.made)
    }

    /// Where it is, since when, and who says so.
    pub fn whereabouts(&self) -> Option<String> {
        let standing = self.standing.as_ref()?;
        let by = if standing.by.is_empty() { String::new() } else { format!(" ({})", standing.by) };
        Some(format!("{}, since {}{by}", standing.place.sentence(), standing.since.strftime("%Y-%m-%d %H:%M UTC")))
    }
}
