//! The passes: each is laid, flushed and, as planned, read back. A job that goes on reads again what was laid last before it
//! trusts a checkpoint.

use super::{Issued, StageMachine, StageTurn, Taken, Then};
use crate::event::{Activity, Event};
use crate::job::context::Context;
use crate::job::{Completed, Now, Task};
use jurex_device::medium::MediumError;
use jurex_pattern::pattern::Pattern;
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::Sectors;
use jurex_sanitize::plan::PlannedReading;
use std::sync::Arc;

/// So many chunks before the place where a job goes on are read again before the checkpoint is trusted.
const RECHECKED_CHUNKS: u64 = 64;

/// What a checkpoint is about, once it is trusted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Trusted {
    /// The pass is laid further.
    Lay,
    /// The pass is laid: it is read back, from the first place on.
    ReadBack,
    /// The pass is over: the next one begins.
    NextPass,
}

#[derive(Clone, Copy, Debug)]
enum OverwriteStep {
    /// After going on from a checkpoint: what it says is laid last is read before it is trusted.
    Rechecking {
        /// What follows.
        then: Trusted,
        /// Whether anything was not as laid: the rest in flight is only waited for.
        distrusted: bool,
    },
    Laying,
    Flushing,
    ReadingBack,
}

/// The stage.
#[derive(Debug)]
pub(in crate::job) struct OverwriteStage {
    step: OverwriteStep,
    /// What the present pass lays; while a checkpoint is rechecked, what was laid last.
    pattern: Arc<Pattern>,
}

impl OverwriteStage {
    /// From the first pass on.
    pub(in crate::job) fn begin(job: &mut Context, now: Now) -> Self {
        job.pass = 0;
        let mut stage = Self { step: OverwriteStep::Laying, pattern: planned(job, 0) };
        stage.begin_pass(job, now);
        stage
    }

    /// From where the evidence of a checkpoint leaves off, once what lies before it was read again. At least one pass was
    /// begun. Gives also what follows at once.
    pub(in crate::job) fn go_on(job: &mut Context, now: Now) -> (Self, Then) {
        job.activity = Activity::Laying;
        let range = job.range();
        let passes = job.evidence().passes();
        let (last, n) = (&passes[passes.len() - 1], passes.len() - 1);
        let (laid, nothing_laid, is_over) = (last.laid.clone(), last.done().is_empty(), last.ended.is_some());
        let is_laid = last.flushed && last.done().covers_all(range);
        let then = match (is_laid, is_over) {
            (true, true) if n < job.plan.passes().len() - 1 => Trusted::NextPass,
            (true, _) => Trusted::ReadBack,
            (false, _) => Trusted::Lay,
        };
        // A pass of which nothing lies on the drive yet: what lies there is the one before it.
        let (of, recheck) = match n.checked_sub(1).map(|before| &passes[before]) {
            Some(before) if nothing_laid => (n - 1, tail_of(job, &before.laid)),
            _ => (n, tail_of(job, &laid)),
        };
        job.pass = n;
        job.meter.mark(now);
        let mut stage = Self { step: OverwriteStep::Rechecking { then, distrusted: false }, pattern: planned(job, of) };
        if recheck.is_empty() {
            // Nothing was laid before the cut: there is nothing to be read again, and nothing is told of it.
            let follows = stage.follow(job, then, now);
            return (stage, follows);
        }
        job.list.set(recheck.iter().copied().collect::<Vec<_>>());
        (stage, Then::Stay)
    }

    fn begin_pass(&mut self, job: &mut Context, now: Now) {
        self.step = OverwriteStep::Laying;
        job.activity = Activity::Laying;
        job.list.set([job.range()]);
        job.meter.mark(now);
        self.pattern = planned(job, job.pass);
        let (pattern, of) = (self.pattern.without_seed(), job.plan.passes().len() as u32);
        let complement_of_before = job.plan.passes()[job.pass].complement_of_before;
        job.tell(Event::PassStarted { pass: job.pass as u32, of, pattern, complement_of_before, time: now.wall });
        // Kept before the first write: whatever happens from then on, the job can go on, and from nothing that this pass
        // is about to write over.
        job.save(now);
    }

    fn flushed(&mut self, job: &mut Context, flush_error: Option<String>, now: Now) -> Then {
        job.tell(Event::PassLaid { pass: job.pass as u32, flush_error });
        job.meter.mark(now);
        self.begin_reading(job, now)
    }

    /// Reads the pass back, from the first place on; one of which nothing is to be read is over.
    fn begin_reading(&mut self, job: &mut Context, now: Now) -> Then {
        let reading = reading_now(job);
        if reading == PlannedReading::None {
            return self.end_pass(job, now);
        }
        self.step = OverwriteStep::ReadingBack;
        job.activity = Activity::ReadingBack;
        job.list.set(reading.places(job.range()).iter().copied().collect::<Vec<_>>());
        let sampling = reading.sampling().cloned();
        job.tell(Event::ReadBackStarted { pass: job.pass as u32, time: now.wall, sampling });
        job.save(now);
        Then::Stay
    }

    fn end_pass(&mut self, job: &mut Context, now: Now) -> Then {
        job.tell(Event::PassEnded { pass: job.pass as u32, time: now.wall });
        job.save(now);
        self.next_pass(job, now)
    }

    fn next_pass(&mut self, job: &mut Context, now: Now) -> Then {
        if job.pass + 1 == job.plan.passes().len() {
            return Then::NoMore;
        }
        job.pass += 1;
        self.begin_pass(job, now);
        Then::Stay
    }

    /// The work goes on where a checkpoint left off.
    fn follow(&mut self, job: &mut Context, then: Trusted, now: Now) -> Then {
        job.meter.mark(now);
        self.pattern = planned(job, job.pass);
        match then {
            Trusted::NextPass => self.next_pass(job, now),
            Trusted::ReadBack => self.begin_reading(job, now),
            Trusted::Lay => {
                let whole: RangeSet = [job.range()].into_iter().collect();
                let done = job.evidence().passes().last().map(|p| p.done()).unwrap_or_default();
                self.step = OverwriteStep::Laying;
                job.list.set(whole.without(&done).iter().copied().collect::<Vec<_>>());
                Then::Stay
            }
        }
    }

    /// What was rechecked is not as laid: nothing of this pass is trusted, and it begins anew. Of a drive that nothing
    /// names no pass is trusted then: it is most likely another drive.
    fn distrust(&mut self, job: &mut Context, now: Now) -> Then {
        job.tell(Event::Rechecked { pass: job.pass as u32, trusted: false });
        if !job.plan.drive().unit.names_its_media() {
            let why = "the drive reports nothing that names it, and what is on it is not what was written: it may be another one";
            job.tell(Event::NothingTrusted { why: why.into() });
            job.pass = 0;
            if job.plan.overwriting_at() != Some(0) {
                // It may be another drive: what it was to do itself comes first again.
                return Then::Anew;
            }
        }
        self.begin_pass(job, now);
        Then::Stay
    }

    /// Something was not as laid: nothing more is read, and once nothing is in flight the pass begins anew.
    fn distrust_when_idle(&mut self, job: &mut Context) {
        job.list.clear();
        if let OverwriteStep::Rechecking { distrusted, .. } = &mut self.step {
            *distrusted = true;
        }
    }
}

/// What pass `n` lays.
fn planned(job: &Context, n: usize) -> Arc<Pattern> {
    Arc::new(job.plan.passes()[n].pattern.clone())
}

/// The last sectors that were laid, up to the place where the work left off.
fn tail_of(job: &Context, laid: &RangeSet) -> RangeSet {
    let range = job.range();
    let frontier = laid.iter().last().map_or(range.first.0, Sectors::end);
    let from = frontier.saturating_sub(RECHECKED_CHUNKS * job.list.chunk()).max(range.first.0);
    laid.within(Sectors::new(from, u64::MAX - from))
}

/// What is to be read of the present pass. A sample proves a pass only in the session that laid it: what was laid
/// before an interruption is read in full.
fn reading_now(job: &Context) -> PlannedReading {
    let planned = job.plan.reading_of(job.pass);
    let laid_now = job.evidence().passes().get(job.pass).is_some_and(|p| p.session == job.evidence().last_session());
    if matches!(planned, PlannedReading::Sampled(_)) && !laid_now { PlannedReading::Full } else { planned.clone() }
}

impl StageMachine for OverwriteStage {
    fn turn(&mut self, _: &mut Context, _: Now) -> StageTurn {
        match self.step {
            OverwriteStep::Flushing => StageTurn::Alone(Issued::Flush, Task::Flush),
            OverwriteStep::Rechecking { .. } | OverwriteStep::Laying | OverwriteStep::ReadingBack => StageTurn::Work,
        }
    }

    fn task(&self, _: &Context, at: Sectors) -> Task {
        let pattern = Arc::clone(&self.pattern);
        match self.step {
            OverwriteStep::Rechecking { .. } | OverwriteStep::ReadingBack => Task::ReadBack(at, pattern),
            OverwriteStep::Laying | OverwriteStep::Flushing => Task::Write(at, pattern),
        }
    }

    fn worked_through(&mut self, job: &mut Context, now: Now) -> Then {
        match self.step {
            OverwriteStep::Laying => self.step = OverwriteStep::Flushing,
            OverwriteStep::Rechecking { distrusted: true, .. } => return self.distrust(job, now),
            OverwriteStep::Rechecking { then, .. } => {
                job.tell(Event::Rechecked { pass: job.pass as u32, trusted: true });
                return self.follow(job, then, now);
            }
            OverwriteStep::Flushing | OverwriteStep::ReadingBack => return self.end_pass(job, now),
        }
        Then::Stay
    }

    fn done(&mut self, job: &mut Context, issued: Issued, how: Completed, now: Now) -> Taken {
        match (issued, how, self.step) {
            (Issued::Work(attempt, begun), Completed::Done, OverwriteStep::Laying) => job.advance(attempt.at, begun, now),
            (Issued::Flush, Completed::Done, OverwriteStep::Flushing) => return self.flushed(job, None, now).into(),
            (Issued::Work(attempt, begun), Completed::Read { wrong }, OverwriteStep::ReadingBack) => {
                job.advance(attempt.at, begun, now);
                job.found_wrong(&wrong, now);
            }
            (Issued::Work(..), Completed::Read { wrong }, OverwriteStep::Rechecking { .. }) => {
                job.meter.mark(now);
                if !wrong.is_empty() {
                    self.distrust_when_idle(job);
                }
            }
            // A read reported as mere "done" was not compared, a write reported as "read" was not a write.
            _ => return Taken::NotTheAnswer,
        }
        Then::Stay.into()
    }

    fn failed(&mut self, job: &mut Context, issued: Issued, error: &MediumError, now: Now) -> Then {
        match (issued, self.step) {
            (Issued::Work(..), OverwriteStep::Rechecking { .. }) => self.distrust_when_idle(job),
            (Issued::Work(attempt, _), _) => job.narrow(attempt, error, now),
            (Issued::Flush, OverwriteStep::Flushing) => return self.flushed(job, Some(error.cause.os().to_string()), now),
            _ => {}
        }
        Then::Stay
    }

    fn writes_passes(&self) -> bool {
        matches!(self.step, OverwriteStep::Laying)
    }

    fn keeps_its_place(&self) -> bool {
        matches!(self.step, OverwriteStep::ReadingBack)
    }
}
