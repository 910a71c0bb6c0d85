//! What a job asks for, and what it is told.

use crate::saved::Change;
use crate::siblings::SiblingMet;
use jiff::Timestamp;
use jurex_device::media::Drive;
use jurex_device::medium::MediumError;
use jurex_device::native::command::{Answer, Command};
use jurex_pattern::pattern::Pattern;
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::Sectors;
use jurex_sanitize::digest::{Salt, SectorDigest};
use jurex_sanitize::probe_tag::ProbeTag;
use jurex_sanitize::residue::Tally;
use std::sync::Arc;
use std::time::Duration;

/// The time, given by the caller: for people, and for measuring.
#[derive(Clone, Copy, Debug)]
pub struct Now {
    /// Time of day.
    pub wall: Timestamp,
    /// Time since some fixed moment, never running backwards.
    pub mono: Duration,
}

/// What a person wants of a running job.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Control {
    /// Work, or go on working.
    GoOn,
    /// Hold still until told otherwise.
    Hold,
    /// Hold still until the drive, now of so many degrees Celsius, has cooled down.
    CoolDown(i16),
    /// End the job here.
    Stop,
}

impl Control {
    /// The wish that counts of several that came since the last look: a stop is never lost, else the last one.
    pub fn of_several(wishes: impl IntoIterator<Item = Control>) -> Option<Control> {
        wishes.into_iter().reduce(|earlier, later| if earlier == Control::Stop { earlier } else { later })
    }
}

/// What the caller does next.
#[derive(Debug)]
pub enum JobStep {
    /// Keep the checkpoint that was made, and tell the job how that went by [`super::Job::kept`] before it is asked again.
    Keep,
    /// Nothing to do for so long, unless the wish changes.
    Until(Duration),
    /// Carry this out and report it with [`super::Job::complete`]. Checkpoint and events that are there are kept and told
    /// before it is begun.
    Do(Request),
    /// Nothing to give out before a request in flight is reported.
    Wait,
    /// Nothing to do until the wish changes.
    Held,
    /// The job is over: [`super::Job::into_evidence`].
    Ended,
}

/// Something to carry out. Several may be in flight at once; each is reported by its tag, in any order.
#[derive(Clone, Debug)]
pub struct Request {
    /// Names the request.
    pub tag: u64,
    /// What to do.
    pub task: Task,
}

/// What a request asks for. It can travel to another thread.
#[derive(Clone, Debug)]
pub enum Task {
    /// Write the pattern's bytes on these sectors.
    Write(Sectors, Arc<Pattern>),
    /// Read these sectors and compare them with the pattern's bytes.
    ReadBack(Sectors, Arc<Pattern>),
    /// Read these sectors; what they hold does not matter, only whether the drive answers.
    Probe(Sectors),
    /// Flush every cache. Only asked for when nothing else is in flight.
    Flush,
    /// Ask the drive who it is. Only asked for when nothing else is in flight.
    Identify,
    /// Read these sectors and tell of each what it held, without its bytes.
    Digest(Sectors, Salt),
    /// Read these sectors and tell which tag of this keystream is on each.
    Tags(Sectors, Arc<Pattern>),
    /// Read these sectors and look through them for what a person could still use.
    Search(Sectors),
    /// Send a command that only asks. Nothing else is in flight.
    Ask(Command),
    /// Send commands that change the drive, one right after another. Nothing else is in flight.
    Change(Change),
    /// Let the system see the drive's capacity anew. Nothing else is in flight.
    Rescan,
    /// Lay marks on other namespaces of the unit, and tell what their drawn places hold. Nothing else is in flight.
    Beside(Salt, Vec<Vec<Sectors>>),
}

/// How a request ended.
#[derive(Debug)]
pub enum Completed {
    /// The sectors were accepted or read, or the cache was flushed.
    Done,
    /// The sectors were read; these of them were not as expected.
    Read {
        /// The wrong ones.
        wrong: RangeSet,
    },
    /// The drive said who it is.
    Identified(Box<Drive>),
    /// The sectors were read; this is what each of them held.
    Digested(Vec<SectorDigest>),
    /// The sectors were read; these are the tags that are on them.
    Tags(Vec<ProbeTag>),
    /// The sectors were read; this is what was met in them.
    Searched(Box<Tally>),
    /// The answers to the commands that were sent; of several the first that was not good is the last.
    Answered(Vec<Answer>),
    /// What the drawn places of other namespaces hold.
    Beside(Vec<SiblingMet>),
    /// It failed.
    Failed(MediumError),
}

/// The drive behind the path is not the one that was armed. Nothing has been written.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{armed} was armed, but {found} answers now; nothing was written")]
pub struct DriveChanged {
    /// The armed drive, with serial and size.
    pub armed: String,
    /// The one that answers.
    pub found: String,
}

impl DriveChanged {
    pub(super) fn new(armed: &Drive, found: &Drive) -> Self {
        Self { armed: describe(armed), found: describe(found) }
    }
}

pub(super) fn describe(drive: &Drive) -> String {
    let serial = drive.unit.serial().unwrap_or("none");
    format!("{} (serial {serial}, {} sectors)", drive.called(), drive.geometry.sectors)
}
