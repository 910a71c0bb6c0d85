//! Hidden sectors are given back: a conversation with the drive, after which it is asked how large it is now.

use super::conversation::Conversation;
use super::{Issued, StageMachine, StageTurn, Taken, Then};
use crate::event::{Activity, Event};
use crate::job::context::Context;
use crate::job::{Completed, Now, Task};
use crate::native::{Dialogue, SequenceEnd};
use crate::run::KeepError;
use crate::saved::CheckpointSaved;
use jurex_device::media::{Drive, HiddenAreas};
use jurex_device::medium::MediumError;
use jurex_pattern::units::counted;
use jurex_sanitize::evidence::Ended;
use jurex_sanitize::plan::UnhideOrder;

/// The stage.
#[derive(Debug)]
pub(in crate::job) struct UnhideStage {
    conversation: Conversation,
    /// The conversation is over, and the drive is asked who it is.
    asks_size: bool,
}

impl UnhideStage {
    pub(in crate::job) fn begin(job: &mut Context, lift: &UnhideOrder, now: Now) -> Self {
        job.activity = Activity::Laying;
        let before = job.evidence().drive().geometry;
        job.tell(Event::LiftStarted { before, time: now.wall });
        Self { conversation: Conversation::new(Dialogue::lift(lift)), asks_size: false }
    }

    fn talked(&mut self, end: SequenceEnd) -> Then {
        if let Some(ended) = end.ended() {
            return Then::End(ended);
        }
        self.asks_size = true;
        Then::Stay
    }

    /// The drive was asked who it is after its capacity was changed.
    fn size_told(found: &Drive, job: &mut Context, now: Now) -> Then {
        let before = job.evidence().drive().clone();
        let same_size = Drive { geometry: before.geometry, ..found.clone() };
        if !before.same_as(&same_size) {
            return Then::End(Context::changed(&before, found));
        }
        job.tell(Event::Lifted { after: found.geometry, hidden: found.hidden.clone(), time: now.wall });
        job.save(now);
        if let HiddenAreas::Hidden { sectors } = found.hidden {
            let left = counted(sectors, "sector");
            let said = format!(
                "{left} are still hidden: take its power away for ten seconds and resume the job; if they stay hidden, a configuration overlay keeps them, which is taken off only where the plan says so"
            );
            return Then::End(Ended::CommandFailed { said });
        }
        Then::Next
    }
}

impl StageMachine for UnhideStage {
    fn turn(&mut self, job: &mut Context, now: Now) -> StageTurn {
        if self.asks_size {
            return StageTurn::Alone(Issued::Identify, Task::Identify);
        }
        match self.conversation.turn(job, now) {
            Ok(turn) => turn,
            Err((end, _)) => StageTurn::Settled(self.talked(end)),
        }
    }

    fn done(&mut self, job: &mut Context, issued: Issued, how: Completed, now: Now) -> Taken {
        match (issued, how) {
            (Issued::Said, Completed::Answered(answers)) => self.conversation.answered(job, &answers, now).into(),
            (Issued::Rescan, Completed::Done) => {
                self.asks_size = true;
                Then::Stay.into()
            }
            (Issued::Identify, Completed::Identified(found)) => Self::size_told(&found, job, now).into(),
            _ => Taken::NotTheAnswer,
        }
    }

    /// Nothing of this is asked for here: no sector is read or written.
    fn failed(&mut self, _: &mut Context, _: Issued, _: &MediumError, _: Now) -> Then {
        Then::Stay
    }

    fn kept(&mut self, kept: Result<CheckpointSaved, KeepError>) -> Then {
        self.conversation.kept(kept)
    }

    fn keeps_its_place(&self) -> bool {
        true
    }

    fn may_be_left(&self) -> bool {
        self.conversation.may_be_left()
    }

    fn rest_is_wanted(&mut self, job: &mut Context) {
        self.conversation.tell_that_nothing_stops_it(job);
    }
}
