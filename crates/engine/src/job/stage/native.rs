//! A drive's own erasure. Before it drawn places are read, of the drive and of other namespaces, and something is laid where too
//! little lies that could be told apart afterwards; then the conversation follows that lets the drive erase itself.

use super::conversation::Conversation;
use super::{Issued, StageMachine, StageTurn, Taken, Then};
use crate::baseline::BaselineSample;
use crate::event::{Activity, Event};
use crate::job::context::Context;
use crate::job::{Completed, Now, Task};
use crate::native::{Dialogue, DriveWork, SequenceEnd};
use crate::run::KeepError;
use crate::saved::CheckpointSaved;
use crate::siblings::{SiblingBaselines, SiblingMet};
use jurex_device::media::Scope;
use jurex_device::medium::MediumError;
use jurex_pattern::pattern::Pattern;
use jurex_pattern::units::Sectors;
use jurex_sanitize::evidence::Drawn;
use jurex_sanitize::plan::PlannedErase;
use std::sync::Arc;

#[derive(Debug)]
enum NativeStep {
    /// Drawn places are read. Whether something was laid on some of them before.
    Drawing {
        marked: bool,
    },
    /// Something is laid on drawn places, to be told apart later; then the cache is flushed.
    Marking {
        laid: bool,
    },
    /// Other namespaces are looked at.
    DrawingBeside,
    Talking(Box<Conversation>),
}

/// The stage.
#[derive(Debug)]
pub(in crate::job) struct NativeStage {
    own: PlannedErase,
    step: NativeStep,
    marks: Arc<Pattern>,
    /// Drawn places in a row that could not be read.
    undrawn_in_a_row: u64,
}

impl NativeStage {
    /// The erasure that is stage `at` of the plan.
    pub(in crate::job) fn begin(job: &mut Context, own: &PlannedErase, at: usize, now: Now) -> Self {
        let (technique, of_whole_unit) = (own.technique, own.scope == Scope::WholeUnit);
        job.activity = Activity::Laying;
        job.tell(Event::OwnStarted { technique, of_whole_unit, time: now.wall });
        let step = NativeStep::Drawing { marked: false };
        let mut stage = Self { own: own.clone(), step, marks: Arc::new(Pattern::address()), undrawn_in_a_row: 0 };
        let was_sent = job.own_evidence().sent > 0;
        // What was drawn before the first try is what must be gone, also after the second.
        let drawn_before = job.draw.is_some() && was_sent;
        if !drawn_before && job.plan.check_after(at).is_some() {
            stage.draw(job, at, now);
        } else {
            stage.talk(job);
        }
        stage
    }

    fn draw(&mut self, job: &mut Context, at: usize, now: Now) {
        let whole = job.geometry().whole();
        job.draw = job.new_draw(at, whole);
        let places: Vec<Sectors> = job.draw.iter().flat_map(BaselineSample::places).collect();
        job.list.set(places);
        job.activity = Activity::Drawing;
        job.meter.mark(now);
    }

    /// The conversation about the erasure begins.
    fn talk(&mut self, job: &mut Context) {
        let dialogue = Dialogue::erase(&self.own, job.secret.as_ref(), job.plan.drive(), &job.own_evidence(), job.watched);
        job.activity = Activity::Laying;
        self.step = NativeStep::Talking(Box::new(Conversation::new(dialogue)));
    }

    /// The drawn places were read. Where they hold too little that could be told apart later, something is laid there.
    fn drawn(&mut self, job: &mut Context, marked: bool, now: Now) {
        job.meter.mark(now);
        let too_little = job.draw.as_ref().is_some_and(|d| !d.is_enough());
        if marked || !too_little {
            return self.draw_beside(job);
        }
        job.list.set(Self::places_to_mark(job));
        if job.list.is_empty() {
            // Nothing can be laid where nothing could be read.
            return self.draw_beside(job);
        }
        self.step = NativeStep::Marking { laid: false };
    }

    fn places_to_mark(job: &Context) -> Vec<Sectors> {
        job.draw.as_ref().map(BaselineSample::marks).unwrap_or_default()
    }

    /// What was laid there is read.
    fn marked(&mut self, job: &mut Context, now: Now) {
        job.meter.mark(now);
        job.list.set(Self::places_to_mark(job));
        let sectors = job.list.len() as u64;
        job.tell(Event::Marked { sectors });
        self.step = NativeStep::Drawing { marked: true };
    }

    /// A drawn place could not be read. After so many in a row that a whole part of the drive is among them there will be no
    /// proof, whatever the others hold; a drive whose own erasure has failed gives no sector, and takes its time for each.
    fn undrawn(&mut self, job: &mut Context) {
        self.undrawn_in_a_row += 1;
        let places = job.draw.as_ref().map_or(0, |d| d.places().count() as u64);
        if self.undrawn_in_a_row > 2 * places.div_ceil(Drawn::PARTS) {
            job.list.clear();
        }
    }

    fn draw_beside(&mut self, job: &mut Context) {
        if job.reaches_others() {
            job.beside = SiblingBaselines::default();
            job.activity = Activity::Laying;
            self.step = NativeStep::DrawingBeside;
        } else {
            self.talk(job);
        }
    }

    /// What the drawn places of other namespaces hold.
    fn beside_told(&mut self, job: &mut Context, met: &[SiblingMet], now: Now) {
        job.meter.mark(now);
        if !job.beside.note(met) {
            self.talk(job);
        }
    }

    fn talked(job: &mut Context, end: SequenceEnd, work: DriveWork, now: Now) -> Then {
        let failure = match &end {
            SequenceEnd::Completed => None,
            SequenceEnd::Refused(why) | SequenceEnd::Failed(why) | SequenceEnd::Silent(why) => Some(why.clone()),
        };
        let (deallocated, removal) = (work.deallocated, work.removal);
        job.tell(Event::OwnEnded { failure, deallocated, removal, time: now.wall });
        job.save(now);
        end.ended().map_or(Then::Next, Then::End)
    }
}

impl StageMachine for NativeStage {
    fn turn(&mut self, job: &mut Context, now: Now) -> StageTurn {
        match &mut self.step {
            NativeStep::Drawing { .. } | NativeStep::Marking { laid: false } => StageTurn::Work,
            NativeStep::Marking { laid: true } => StageTurn::Alone(Issued::Flush, Task::Flush),
            NativeStep::DrawingBeside => StageTurn::Alone(Issued::Beside, Task::Beside(job.salt(), job.beside.marks.clone())),
            NativeStep::Talking(conversation) => match conversation.turn(job, now) {
                Ok(turn) => turn,
                Err((end, work)) => StageTurn::Settled(Self::talked(job, end, work, now)),
            },
        }
    }

    fn task(&self, job: &Context, at: Sectors) -> Task {
        match self.step {
            NativeStep::Marking { .. } => Task::Write(at, Arc::clone(&self.marks)),
            NativeStep::Drawing { .. } | NativeStep::DrawingBeside | NativeStep::Talking(_) => Task::Digest(at, job.salt()),
        }
    }

    fn worked_through(&mut self, job: &mut Context, now: Now) -> Then {
        match self.step {
            NativeStep::Drawing { marked } => self.drawn(job, marked, now),
            NativeStep::Marking { .. } => self.step = NativeStep::Marking { laid: true },
            NativeStep::DrawingBeside | NativeStep::Talking(_) => {}
        }
        Then::Stay
    }

    fn done(&mut self, job: &mut Context, issued: Issued, how: Completed, now: Now) -> Taken {
        match (issued, how, &mut self.step) {
            (Issued::Work(attempt, begun), Completed::Digested(met), NativeStep::Drawing { .. }) => {
                job.advance(attempt.at, begun, now);
                self.undrawn_in_a_row = 0;
                job.draw.iter_mut().for_each(|d| d.note(attempt.at.first, &met));
            }
            (Issued::Work(..), Completed::Done, NativeStep::Marking { .. }) => job.meter.mark(now),
            (Issued::Flush, Completed::Done, NativeStep::Marking { .. }) => self.marked(job, now),
            (Issued::Beside, Completed::Beside(met), NativeStep::DrawingBeside) => self.beside_told(job, &met, now),
            (Issued::Said, Completed::Answered(answers), NativeStep::Talking(conversation)) => {
                return conversation.answered(job, &answers, now).into();
            }
            (Issued::Rescan, Completed::Done, NativeStep::Talking(_)) => job.meter.mark(now),
            (Issued::Tried, Completed::Done, NativeStep::Talking(conversation)) => conversation.tried(job, true, now),
            _ => return Taken::NotTheAnswer,
        }
        Then::Stay.into()
    }

    fn failed(&mut self, job: &mut Context, _: Issued, _: &MediumError, now: Now) -> Then {
        match &mut self.step {
            NativeStep::Drawing { .. } => {
                job.meter.mark(now);
                self.undrawn(job);
            }
            // What was laid to be told apart is read again: what was lost is not there.
            NativeStep::Marking { laid: true } => self.marked(job, now),
            NativeStep::Marking { laid: false } => job.meter.mark(now),
            NativeStep::DrawingBeside => self.beside_told(job, &[], now),
            NativeStep::Talking(conversation) => conversation.tried(job, false, now),
        }
        Then::Stay
    }

    fn kept(&mut self, kept: Result<CheckpointSaved, KeepError>) -> Then {
        match &mut self.step {
            NativeStep::Talking(conversation) => conversation.kept(kept),
            NativeStep::Drawing { .. } | NativeStep::Marking { .. } | NativeStep::DrawingBeside => Then::Stay,
        }
    }

    fn keeps_its_place(&self) -> bool {
        matches!(self.step, NativeStep::Talking(_))
    }

    fn drive_is_at_work(&self) -> bool {
        matches!(&self.step, NativeStep::Talking(conversation) if conversation.drive_is_at_work())
    }

    fn may_be_left(&self) -> bool {
        !matches!(&self.step, NativeStep::Talking(conversation) if !conversation.may_be_left())
    }

    fn rest_is_wanted(&mut self, job: &mut Context) {
        if let NativeStep::Talking(conversation) = &mut self.step {
            conversation.tell_that_nothing_stops_it(job);
        }
    }
}
