//! The stages of a treatment as machines. Each owns its state, what it asks of the drive, what a failure means to it, and what
//! it trusts after an interruption; the conductor ([`super::Job`]) asks one at a time, and passes on what came of it.

mod check;
mod closing;
mod conversation;
mod measure;
mod native;
mod overwrite;
mod unhide;

pub(super) use check::CheckStage;
pub(super) use closing::ClosingStage;
pub(super) use measure::MeasureStage;
pub(super) use native::NativeStage;
pub(super) use overwrite::OverwriteStage;
pub(super) use unhide::UnhideStage;

use super::context::Context;
use super::{Completed, Now, Task};
use crate::list::Attempt;
use crate::run::KeepError;
use crate::saved::CheckpointSaved;
use jurex_device::medium::MediumError;
use jurex_pattern::units::Sectors;
use jurex_sanitize::evidence::Ended;
use std::time::Duration;

/// What is in flight, and what it was given out for.
#[derive(Clone, Copy, Debug)]
pub(super) enum Issued {
    /// A stretch of the work list, and since when it is in flight.
    Work(Attempt, Duration),
    /// The drive is tried at another place than those that failed.
    Probe,
    Flush,
    /// A flush in the middle of a pass, so that a checkpoint tells of nothing that a power cut could take.
    FlushForCheckpoint,
    Identify,
    /// What was decided on in a conversation with the drive.
    Said,
    /// A sector is read to know whether it can be.
    Tried,
    Rescan,
    /// Other namespaces are looked at.
    Beside,
}

/// What a stage wants next.
pub(super) enum StageTurn {
    /// Work on what is left in the list; once nothing is, [`StageMachine::worked_through`].
    Work,
    /// This, once nothing else is in flight.
    Alone(Issued, Task),
    /// Something in flight must be reported first.
    Wait,
    /// A checkpoint was made, and must be kept before anything goes on.
    Keep,
    /// Nothing for so long.
    Until(Duration),
    /// Something was settled without the drive.
    Settled(Then),
}

/// What follows from something that a stage was told.
#[derive(Debug)]
pub(super) enum Then {
    /// The stage goes on.
    Stay,
    /// The next stage begins.
    Next,
    /// The last pass is over, and its check has been done with it: no stage is left.
    NoMore,
    /// Nothing that was done is trusted: the first stage begins.
    Anew,
    /// The job is over.
    End(Ended),
}

/// What a request came to, as a stage understands it.
pub(super) enum Taken {
    Then(Then),
    /// That is not an answer to what was asked: it proves nothing.
    NotTheAnswer,
}

impl From<Then> for Taken {
    fn from(then: Then) -> Self {
        Self::Then(then)
    }
}

/// One stage under way.
pub(super) trait StageMachine: std::fmt::Debug + Send {
    /// What is to be done next.
    fn turn(&mut self, job: &mut Context, now: Now) -> StageTurn;

    /// How a stretch of the work list is worked on. What works through none never gives one out; a place would only be tried.
    fn task(&self, _job: &Context, at: Sectors) -> Task {
        Task::Probe(at)
    }

    /// Nothing is left in the work list, and nothing is in flight.
    fn worked_through(&mut self, _job: &mut Context, _now: Now) -> Then {
        Then::Stay
    }

    /// A request ended well.
    fn done(&mut self, job: &mut Context, issued: Issued, how: Completed, now: Now) -> Taken;

    /// A stretch, a flush, a trial or a look at other namespaces failed. What else fails ends the job, whatever the stage.
    fn failed(&mut self, job: &mut Context, issued: Issued, error: &MediumError, now: Now) -> Then;

    /// The job's place was kept, or was not.
    fn kept(&mut self, _kept: Result<CheckpointSaved, KeepError>) -> Then {
        Then::Stay
    }

    /// Whether what it writes stays in a cache until a flush, so that a checkpoint in mid-work wants one.
    fn writes_passes(&self) -> bool {
        false
    }

    /// Whether a checkpoint is made of where it stands when a person stops the job.
    fn keeps_its_place(&self) -> bool {
        false
    }

    /// Whether the drive is at work on itself, so that holding still holds nothing.
    fn drive_is_at_work(&self) -> bool {
        false
    }

    /// Whether a drive that does not answer may be left with what is in flight: not while it carries out a command that erases
    /// it, which is answered at its end.
    fn may_be_left(&self) -> bool {
        true
    }

    /// A person wants it to rest while a request is in flight.
    fn rest_is_wanted(&mut self, _job: &mut Context) {}
}
