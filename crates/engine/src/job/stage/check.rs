//! What a drive's own erasure left is read: places that must not be as they were, or sectors that must be blank or hold certain
//! bytes; then other namespaces, if it reaches them.

use super::{Issued, StageMachine, StageTurn, Taken, Then};
use crate::baseline::BaselineSample;
use crate::event::{Activity, Event};
use crate::job::context::Context;
use crate::job::{Completed, Now, Task};
use jurex_device::medium::MediumError;
use jurex_pattern::pattern::Pattern;
use jurex_pattern::units::Sectors;
use jurex_sanitize::digest::SectorDigest;
use jurex_sanitize::evidence::Expect;
use jurex_sanitize::plan::{self, PlannedReading};
use std::sync::Arc;

#[derive(Debug)]
enum CheckStep {
    /// Places are compared with what they held before.
    Comparing,
    /// The first sector is read to know which byte a blank drive holds; what else is to be read waits.
    AskingBlankByte { held_back: Vec<Sectors> },
    /// Sectors are compared with these bytes.
    Reading(Arc<Pattern>),
    /// Other namespaces are looked at.
    Beside,
}

/// The stage.
#[derive(Debug)]
pub(in crate::job) struct CheckStage {
    step: CheckStep,
}

impl CheckStage {
    pub(in crate::job) fn begin(job: &mut Context, check: &plan::Check, now: Now) -> Self {
        job.activity = Activity::Checking;
        let whole = job.geometry().whole();
        let reading = reading_now(job, check);
        let drawn = job.draw.as_ref().map(BaselineSample::drawn).unwrap_or_default();
        let sampling = reading.sampling().cloned();
        job.tell(Event::CheckStarted { expect: check.expect.clone(), sampling, drawn, time: now.wall });
        let mut places = reading.places(whole);
        // What lay, or was laid, where it could be told apart is looked at in any case.
        job.draw.iter().flat_map(BaselineSample::places).for_each(|at| places.insert(at));
        job.list.set(places.iter().copied().collect::<Vec<_>>());
        job.save(now);
        let step = match &check.expect {
            Expect::Bytes { pattern } => CheckStep::Reading(Arc::new(pattern.clone())),
            Expect::Blank => {
                let held_back = job.list.take();
                job.list.set(held_back.first().map(|at| Sectors::new(at.first.0, 1)));
                CheckStep::AskingBlankByte { held_back }
            }
            Expect::Changed | Expect::LastPass => CheckStep::Comparing,
        };
        Self { step }
    }

    /// The first sector was read: what it holds over and over all others must hold too. One that is not blank at all is found
    /// wrong when it is read again with the others.
    fn blank_byte_told(&mut self, job: &mut Context, byte: Option<u8>) {
        let CheckStep::AskingBlankByte { held_back } = &mut self.step else { return };
        job.list.set(std::mem::take(held_back));
        let pattern = byte.and_then(|b| Pattern::bytes([b])).unwrap_or_else(Pattern::zeros);
        self.step = CheckStep::Reading(Arc::new(pattern));
    }

    fn end(job: &mut Context, now: Now) -> Then {
        job.tell(Event::CheckEnded { time: now.wall });
        job.save(now);
        Then::Next
    }
}

/// A sample proves only what was done in the hold in which it is read.
fn reading_now(job: &Context, check: &plan::Check) -> PlannedReading {
    // Between its end and the opening of a drive that was only watched somebody else may have come.
    let done_now = job.own_evidence().session == job.evidence().last_session() && !job.watched;
    let sampled = matches!(check.reading, PlannedReading::Sampled(_));
    if sampled && !done_now && check.expect != Expect::Changed { PlannedReading::Full } else { check.reading.clone() }
}

impl StageMachine for CheckStage {
    fn turn(&mut self, job: &mut Context, _: Now) -> StageTurn {
        match self.step {
            CheckStep::Beside => StageTurn::Alone(Issued::Beside, Task::Beside(job.salt(), job.beside.marks.clone())),
            CheckStep::Comparing | CheckStep::AskingBlankByte { .. } | CheckStep::Reading(_) => StageTurn::Work,
        }
    }

    fn task(&self, job: &Context, at: Sectors) -> Task {
        match &self.step {
            CheckStep::Reading(pattern) => Task::ReadBack(at, Arc::clone(pattern)),
            CheckStep::Comparing | CheckStep::AskingBlankByte { .. } | CheckStep::Beside => Task::Digest(at, job.salt()),
        }
    }

    fn worked_through(&mut self, job: &mut Context, now: Now) -> Then {
        match self.step {
            CheckStep::AskingBlankByte { .. } => {
                // The first sector could not be read.
                self.blank_byte_told(job, None);
                return Then::Stay;
            }
            CheckStep::Comparing | CheckStep::Reading(_) if job.reaches_others() => {
                job.activity = Activity::Laying;
                self.step = CheckStep::Beside;
                return Then::Stay;
            }
            CheckStep::Comparing | CheckStep::Reading(_) | CheckStep::Beside => {}
        }
        Self::end(job, now)
    }

    fn done(&mut self, job: &mut Context, issued: Issued, how: Completed, now: Now) -> Taken {
        match (issued, how, &self.step) {
            (Issued::Work(..), Completed::Digested(met), CheckStep::AskingBlankByte { .. }) => {
                job.meter.mark(now);
                self.blank_byte_told(job, if let [SectorDigest::Blank(byte)] = met.as_slice() { Some(*byte) } else { None });
            }
            (Issued::Work(attempt, begun), Completed::Digested(met), CheckStep::Comparing) => {
                let as_before = job.draw.as_ref().map(|d| d.as_before(attempt.at.first, &met)).unwrap_or_default();
                job.advance(attempt.at, begun, now);
                job.found_wrong(&as_before, now);
            }
            (Issued::Work(attempt, begun), Completed::Read { wrong }, CheckStep::Reading(_)) => {
                job.advance(attempt.at, begun, now);
                job.found_wrong(&wrong, now);
            }
            (Issued::Beside, Completed::Beside(met), CheckStep::Beside) => {
                job.meter.mark(now);
                let beside = job.beside.compare(&met);
                job.tell(Event::BesideRead { beside });
                return Self::end(job, now).into();
            }
            _ => return Taken::NotTheAnswer,
        }
        Then::Stay.into()
    }

    fn failed(&mut self, job: &mut Context, issued: Issued, error: &MediumError, now: Now) -> Then {
        match (issued, &self.step) {
            (Issued::Work(..), CheckStep::AskingBlankByte { .. }) => job.meter.mark(now),
            (Issued::Work(attempt, _), _) => job.narrow(attempt, error, now),
            (_, CheckStep::Beside) => {
                job.meter.mark(now);
                let beside = job.beside.compare(&[]);
                job.tell(Event::BesideRead { beside });
                return Self::end(job, now);
            }
            _ => {}
        }
        Then::Stay
    }

    fn keeps_its_place(&self) -> bool {
        true
    }
}
