//! The conductor of one job: it asks the stage that is under way what to do next, gives that out, passes on how it ended, and
//! keeps control (pausing, stopping), checkpoints and events. It does no I/O and reads no clock.

mod context;
mod faults;
mod request;
mod resume;
mod stage;
#[cfg(test)]
mod tests;

pub use request::{Completed, Control, DriveChanged, JobStep, Now, Request, Task};

use super::checkpoint::Checkpoint;
use super::event::{Activity, Event, Progress};
use super::list::{NextAttempt, WorkList};
use super::requests::NoAnswer;
use super::run::KeepError;
use super::saved::CheckpointSaved;
use super::siblings::SiblingBaselines;
use context::{Context, InFlight, Meter};
use faults::Failures;
use jurex_device::media::Drive;
use jurex_device::medium::{Access, Cause, MediumError};
use jurex_sanitize::evidence::{Approval, Ended, Evidence, Session};
use jurex_sanitize::plan::{ArmedPlan, Stage};
use request::describe;
use stage::{
    CheckStage, ClosingStage, Issued, MeasureStage, NativeStage, OverwriteStage, StageMachine, StageTurn, Taken, Then,
    UnhideStage,
};
use std::time::Duration;

/// One job on one drive.
#[derive(Debug)]
pub struct Job {
    context: Context,
    /// The list that stood for the label check, if no person did.
    by_list: Option<Approval>,
    /// The stage that is under way, counted from 0, and its machine; `None`: the job is over, or has not begun.
    at: usize,
    stage: Option<Box<dyn StageMachine>>,
    /// What follows once hidden sectors are lifted anew, after a power cycle.
    then_after_lifting: Option<usize>,
    wish: Control,
    held: bool,
}

impl Job {
    /// Begins the job that `armed` allows, in chunks of `chunk_bytes`. `found` is the drive that answers right now, and
    /// `access` how it is reached.
    ///
    /// # Errors
    /// If that is not the drive that was armed.
    pub fn start(armed: ArmedPlan, found: &Drive, access: Access, chunk_bytes: usize, now: Now) -> Result<Self, DriveChanged> {
        let mut job = Self::new(armed, found, chunk_bytes, now)?;
        job.open(found, access, now);
        job.begin_stage(0, now);
        Ok(job)
    }

    fn new(armed: ArmedPlan, found: &Drive, chunk_bytes: usize, now: Now) -> Result<Self, DriveChanged> {
        let (plan, secret, by_list) = armed.into_parts();
        if !plan.drive().same_as(found) {
            return Err(DriveChanged::new(plan.drive(), found));
        }
        let context = Context {
            secret,
            progress: Progress::of_plan(&plan),
            plan,
            events: vec![],
            list: WorkList::default(),
            flight: InFlight::default(),
            activity: Activity::Laying,
            pass: 0,
            draw: None,
            beside: SiblingBaselines::default(),
            watched: false,
            failures: Failures::default(),
            meter: Meter::new(now),
            checkpoint: None,
        };
        let mut job = Self { context, by_list, at: 0, stage: None, then_after_lifting: None, wish: Control::GoOn, held: false };
        job.set_chunk(chunk_bytes);
        Ok(job)
    }

    /// A session begins: the evidence describes the drive as it was found now.
    fn open(&mut self, found: &Drive, access: Access, now: Now) {
        let session = Session::new(found.clone(), access, now.wall);
        let session = Box::new(Session { by_list: self.by_list.clone(), ..session });
        self.context.tell(Event::Opened { session });
    }

    /// Works in chunks of so many bytes from now on. What failed in larger ones is split when it is given out.
    pub fn set_chunk(&mut self, bytes: usize) {
        let geometry = self.context.geometry();
        let unit = geometry.unit();
        let sectors = bytes as u64 / u64::from(geometry.logical);
        self.context.list.set_chunk((sectors / unit * unit).max(unit));
    }

    /// Its drive was read by others since it was started: its time counts from now on.
    pub fn begins_now(&mut self, now: Now) {
        self.context.meter.begins(now);
    }

    /// What is wanted of the job from now on. A stop cannot be taken back.
    pub fn wish(&mut self, wish: Control) {
        if self.wish != Control::Stop {
            self.wish = wish;
        }
    }

    /// Whether nothing more is wanted of the drive: the job is to be stopped, or is over.
    pub(super) fn is_done_with_the_drive(&self) -> bool {
        self.wish == Control::Stop || self.stage.is_none()
    }

    /// Whether a drive that does not answer may be left with what is in flight.
    pub(crate) fn may_be_left(&self) -> bool {
        self.stage.as_ref().is_none_or(|s| s.may_be_left())
    }

    /// Where the job stands.
    pub fn progress(&self) -> &Progress {
        &self.context.progress
    }

    /// Bytes that this job has worked through itself. Counted, since it is asked for at every request.
    pub(super) fn worked_through(&self) -> u64 {
        self.context.geometry().bytes_of(self.context.meter.worked)
    }

    /// Bytes that a pass lays.
    pub(super) fn bytes_of_a_pass(&self) -> u64 {
        self.context.geometry().bytes_of(self.context.range().count)
    }

    /// The events since the last call.
    pub fn take_events(&mut self) -> Vec<Event> {
        std::mem::take(&mut self.context.events)
    }

    /// A checkpoint that was made since the last call; it is to be kept before anything else is told or begun.
    pub fn take_checkpoint(&mut self) -> Option<Box<Checkpoint>> {
        self.context.checkpoint.take()
    }

    /// The job's place was kept, or was not. Without it nothing that changes the drive is sent.
    pub fn kept(&mut self, kept: Result<CheckpointSaved, KeepError>, now: Now) {
        let then = self.stage.as_mut().map_or(Then::Stay, |s| s.kept(kept));
        self.follow(then, now);
    }

    /// Something to tell that is not the job's own finding.
    pub(super) fn tell_no_answer(&mut self, so_long: Duration) {
        // A command that erases is answered when it has: until then silence is no news.
        if self.may_be_left() {
            self.context.tell(Event::NoAnswer { so_long });
        }
    }

    /// What to do next.
    pub fn request(&mut self, now: Now) -> JobStep {
        loop {
            if let Some(step) = self.settle(now) {
                return step;
            }
        }
    }

    /// One look at what to do next; `None`: something was settled without the drive, and it is to be looked at again.
    fn settle(&mut self, now: Now) -> Option<JobStep> {
        if let Some(ended) = self.context.failures.given_up().filter(|_| self.stage.is_some()) {
            self.end(ended, now);
        }
        let Some(stage) = &self.stage else { return Some(JobStep::Ended) };
        let (at_work, writes) = (stage.drive_is_at_work(), stage.writes_passes());
        match self.wish {
            Control::GoOn => self.go_on(now),
            Control::Hold | Control::CoolDown(_) if at_work => self.go_on(now),
            Control::Hold | Control::CoolDown(_) | Control::Stop => return Some(self.rest(now)),
        }
        if self.context.meter.checkpoint_due {
            if writes {
                let idle = self.context.flight.is_empty();
                return Some(if idle { self.issue(Issued::FlushForCheckpoint, Task::Flush) } else { JobStep::Wait });
            }
            // Reading leaves nothing in a cache.
            self.context.save(now);
        }
        if self.context.failures.doubt.is_probing() {
            return self.probe();
        }
        let turn = self.stage.as_mut()?.turn(&mut self.context, now);
        match turn {
            StageTurn::Work => self.work(now),
            StageTurn::Alone(issued, task) if self.context.flight.is_empty() => Some(self.issue(issued, task)),
            StageTurn::Alone(..) | StageTurn::Wait => Some(JobStep::Wait),
            StageTurn::Keep => Some(JobStep::Keep),
            StageTurn::Until(so_long) => Some(JobStep::Until(so_long)),
            StageTurn::Settled(then) => {
                self.follow(then, now);
                None
            }
        }
    }

    /// The next stretch of the stage's work list.
    fn work(&mut self, now: Now) -> Option<JobStep> {
        match self.context.list.next(self.context.flight.is_empty()) {
            NextAttempt::Attempt(attempt) => {
                let task = self.stage.as_ref()?.task(&self.context, attempt.at);
                Some(self.issue(Issued::Work(attempt, now.mono), task))
            }
            NextAttempt::AfterThose => Some(JobStep::Wait),
            NextAttempt::Nothing if self.context.failures.doubt.has_suspects() => {
                self.context.begin_probing();
                None
            }
            NextAttempt::Nothing => {
                self.context.tell_advance();
                self.context.tell_wrong();
                let then = self.stage.as_mut()?.worked_through(&mut self.context, now);
                self.follow(then, now);
                None
            }
        }
    }

    fn issue(&mut self, issued: Issued, task: Task) -> JobStep {
        JobStep::Do(Request { tag: self.context.flight.begin(issued), task })
    }

    /// Stops or holds, once nothing is in flight and what was laid so far is fast, so that the work can go on from here.
    fn rest(&mut self, now: Now) -> JobStep {
        let Some(stage) = &mut self.stage else { return JobStep::Ended };
        if !self.context.flight.is_empty() {
            stage.rest_is_wanted(&mut self.context);
            return JobStep::Wait;
        }
        if stage.writes_passes() && self.context.meter.has_unsaved() {
            return self.issue(Issued::FlushForCheckpoint, Task::Flush);
        }
        if self.wish == Control::Stop {
            if stage.keeps_its_place() {
                self.context.save(now);
            }
            self.end(Ended::Stopped, now);
            return JobStep::Ended;
        }
        if !std::mem::replace(&mut self.held, true) {
            let celsius = if let Control::CoolDown(celsius) = self.wish { Some(celsius) } else { None };
            self.context.tell_advance();
            self.context.tell(Event::Held { celsius });
        }
        JobStep::Held
    }

    fn go_on(&mut self, now: Now) {
        if std::mem::replace(&mut self.held, false) {
            self.context.meter.mark(now);
            self.context.tell(Event::WentOn);
        }
    }

    /// Tries the drive at another place than those that failed.
    fn probe(&mut self) -> Option<JobStep> {
        if !self.context.flight.is_empty() {
            return Some(JobStep::Wait);
        }
        match self.context.failures.doubt.next_probe() {
            Some(at) => Some(self.issue(Issued::Probe, Task::Probe(at))),
            None => {
                self.context.confirm_suspects();
                None
            }
        }
    }

    /// Takes how the request of that tag ended. Unknown tags, and reports after the end, change nothing.
    pub fn complete(&mut self, tag: u64, how: Completed, now: Now) {
        let Some(issued) = self.context.flight.end(tag) else { return };
        let Some(stage) = &mut self.stage else { return };
        let job = &mut self.context;
        if matches!(issued, Issued::Work(..)) {
            job.list.came_back();
        }
        let taken = match (how, issued) {
            (Completed::Failed(e), _) => failed(stage.as_mut(), job, issued, &e, now).into(),
            (Completed::Done, Issued::Probe) => job.probed(None, now).into(),
            (Completed::Done, Issued::FlushForCheckpoint) => {
                job.save(now);
                Then::Stay.into()
            }
            (_, Issued::Probe | Issued::FlushForCheckpoint) => Taken::NotTheAnswer,
            (how, _) => stage.done(job, issued, how, now),
        };
        match (taken, issued) {
            (Taken::Then(then), _) => self.follow(then, now),
            // It proves nothing: the work is given out again.
            (Taken::NotTheAnswer, Issued::Work(attempt, _)) => job.list.again(attempt),
            (Taken::NotTheAnswer, _) => {
                self.end(Ended::Refused { error: "the answer was not that of the request".into() }, now);
            }
        }
    }

    fn follow(&mut self, then: Then, now: Now) {
        match then {
            Then::Stay => {}
            Then::Next => match self.then_after_lifting.take() {
                Some(stage) => self.go_on_with_stage(stage, now),
                None => self.begin_stage(self.at + 1, now),
            },
            Then::NoMore => self.begin_stage(self.context.plan.stages().len(), now),
            Then::Anew => self.begin_stage(0, now),
            Then::End(ended) => self.end(ended, now),
        }
    }

    /// Begins stage `n`; after the last one the drive is asked once more who it is.
    fn begin_stage(&mut self, n: usize, now: Now) {
        self.at = n;
        let job = &mut self.context;
        job.meter.mark(now);
        let stage: Box<dyn StageMachine> = match job.plan.stages().get(n).cloned() {
            Some(Stage::Lift(lift)) => Box::new(UnhideStage::begin(job, &lift, now)),
            Some(Stage::Measure(measure)) => Box::new(MeasureStage::begin(job, &measure.tags, now)),
            Some(Stage::Own(own)) => Box::new(NativeStage::begin(job, &own, n, now)),
            Some(Stage::Check(check)) => Box::new(CheckStage::begin(job, &check, now)),
            Some(Stage::Overwrite(_)) => Box::new(OverwriteStage::begin(job, now)),
            None => Box::new(ClosingStage::begin(job)),
        };
        self.stage = Some(stage);
    }

    /// The drive does not answer, and nobody waits for it any more: what is in flight counts as not done.
    pub(super) fn leave(&mut self, so_long: Duration, now: Now) {
        if self.stage.is_some() {
            self.end(NoAnswer(so_long).into(), now);
        }
    }

    fn end(&mut self, ended: Ended, now: Now) {
        let job = &mut self.context;
        job.failures.doubt.drop_suspects();
        job.tell_advance();
        job.tell_wrong();
        self.stage = None;
        let lasted = job.lasted(now);
        job.tell(Event::Ended { ended, time: now.wall, lasted });
    }

    /// The evidence, with the seed of the bytes that lie on the drive now. The seeds of earlier passes are dropped.
    pub fn into_evidence(mut self) -> Evidence {
        let evidence = self.context.progress.evidence_mut();
        let passes = evidence.overwrite_mut().map(|o| &mut o.passes);
        if let Some((pass, planned)) = passes.into_iter().flatten().zip(self.context.plan.passes()).last() {
            pass.pattern = planned.pattern.clone();
        }
        evidence.clone()
    }
}

/// A request failed. What is not the stage's own matter is the same in all of them.
fn failed(stage: &mut dyn StageMachine, job: &mut Context, issued: Issued, error: &MediumError, now: Now) -> Then {
    let words = error.cause.os().to_string();
    match (issued, &error.cause) {
        (_, Cause::Gone(e)) => Then::End(Ended::Gone { error: e.to_string() }),
        // What is only tried may be refused.
        (Issued::Tried, _) => stage.failed(job, issued, error, now),
        (_, Cause::Refused(e)) => Then::End(Ended::Refused { error: e.to_string() }),
        (Issued::Said | Issued::Rescan, _) => Then::End(Ended::Refused { error: words }),
        (Issued::Identify, _) => Then::End(Ended::Gone { error: words }),
        (Issued::Probe, _) => job.probed(Some(error), now),
        (Issued::FlushForCheckpoint, _) => {
            // No checkpoint, and no new try at once. What was lost stays lost: the pass is not proved any more.
            job.meter.put_off_checkpoint(now);
            job.tell(Event::FlushFailed { pass: job.pass as u32, error: words });
            Then::Stay
        }
        (Issued::Work(..) | Issued::Flush | Issued::Beside, _) => stage.failed(job, issued, error, now),
    }
}
