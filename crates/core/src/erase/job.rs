//! The state machine of one job: it says what to do next and takes how that ended. It does no I/O and reads no clock.

use super::checkpoint::Checkpoint;
use super::event::{Activity, Event, FaultKind, Progress};
use crate::evidence::{Ended, Evidence};
use crate::media::Drive;
use crate::medium::{Cause, MediumError};
use crate::pattern::Pattern;
use crate::plan::{ArmedPlan, Plan, Reading};
use crate::ranges::RangeSet;
use crate::units::Sectors;
use jiff::Timestamp;
use std::collections::BTreeMap;
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
pub enum Wish {
    /// Work, or go on working.
    GoOn,
    /// Hold still until told otherwise.
    Hold,
    /// Hold still until the drive, now of so many degrees Celsius, has cooled down.
    CoolDown(i16),
    /// End the job here.
    Stop,
}

/// What the caller does next.
#[derive(Debug)]
pub enum Step<'j> {
    /// Carry this out and report it with [`Job::complete`].
    Do(Request<'j>),
    /// Nothing to give out before a request in flight is reported.
    Wait,
    /// Nothing to do until the wish changes.
    Held,
    /// The job is over: [`Job::into_evidence`].
    Ended,
}

/// Something to carry out. Several may be in flight at once; each is reported by its tag, in any order.
#[derive(Debug)]
pub struct Request<'j> {
    /// Names the request.
    pub tag: u64,
    /// What to do.
    pub operation: Operation<'j>,
}

/// What a request asks for.
#[derive(Debug)]
pub enum Operation<'j> {
    /// Write the pattern's bytes on these sectors.
    Write(Sectors, &'j Arc<Pattern>),
    /// Read these sectors and compare them with the pattern's bytes.
    ReadBack(Sectors, &'j Arc<Pattern>),
    /// Flush every cache.
    Flush,
}

/// How a request ended.
#[derive(Debug)]
pub enum Result {
    /// The sectors were accepted, or the cache was flushed.
    Done,
    /// The sectors were read; these of them were not as expected.
    Read {
        /// The wrong ones.
        wrong: RangeSet,
    },
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

fn describe(drive: &Drive) -> String {
    let serial = drive.identity.serial.as_deref().unwrap_or("none");
    format!("{} (serial {serial}, {} sectors)", drive.called(), drive.geometry.sectors)
}

#[derive(Clone, Copy, Debug)]
enum Phase {
    /// After going on from a checkpoint: what it says is laid last is read before it is trusted.
    Rechecking {
        /// Whether the pass was being read back when the checkpoint was made.
        reading: bool,
        /// Whether anything was not as laid: the rest in flight is only waited for.
        distrusted: bool,
    },
    Laying,
    Flushing,
    ReadingBack,
    Over,
}

#[derive(Clone, Copy, Debug)]
struct Attempt {
    at: Sectors,
    tries: u32,
}

#[derive(Clone, Copy, Debug)]
enum Issued {
    /// Since when it is in flight.
    Work(Attempt, Duration),
    Flush,
    /// A flush in the middle of a pass, so that a checkpoint tells of nothing that a power cut could take.
    FlushForCheckpoint,
}

/// One job on one drive.
#[derive(Debug)]
pub struct Job {
    plan: Plan,
    chunk: u64,
    pass: usize,
    phase: Phase,
    /// Stretches that are still to be worked through in this phase, the next one last.
    left: Vec<Sectors>,
    /// Stretches that failed and are narrowed down, the next one last.
    again: Vec<Attempt>,
    in_flight: BTreeMap<u64, Issued>,
    next_tag: u64,
    wish: Wish,
    held: bool,
    /// What the present pass lays.
    pattern: Arc<Pattern>,
    /// Sectors worked through since the last checkpoint, and when that was.
    unsaved: (u64, Duration),
    /// A checkpoint that is due; it is made when nothing is in flight and the caches are flushed.
    checkpoint_due: bool,
    checkpoint: Option<Box<Checkpoint>>,
    /// Sectors worked through.
    worked: u64,
    /// Stretches of one physical sector that failed for good.
    faults: u64,
    /// When work was last reported: the next report's time counts from here.
    mark: Duration,
    advanced: (RangeSet, Duration),
    events: Vec<Event>,
    progress: Progress,
}

/// Progress is told at most about this often.
const TELL_EVERY: Duration = Duration::from_millis(50);
/// A checkpoint is made after so much time or so many bytes, whichever comes first: no more work than that is ever lost.
const CHECKPOINT_EVERY: (Duration, u64) = (Duration::from_secs(5), 1 << 30);
/// So many chunks before the place where a job goes on are read again before the checkpoint is trusted.
const RECHECKED_CHUNKS: u64 = 64;
/// Work that took longer is told as slow: the drive tried hard, and its sectors may be the next to fail.
const SLOW: Duration = Duration::from_secs(2);

impl Job {
    /// Begins the job that `armed` allows, in chunks of `chunk_bytes`. `found` is the drive that answers right now.
    ///
    /// # Errors
    /// If that is not the drive that was armed.
    pub fn start(armed: ArmedPlan, found: &Drive, chunk_bytes: usize, now: Now) -> std::result::Result<Self, DriveChanged> {
        let mut job = Self::new(armed, found, chunk_bytes, now)?;
        // Kept before the first write: whatever happens from then on, the job can go on.
        job.save(now);
        job.begin_pass(now);
        Ok(job)
    }

    /// Goes on from `checkpoint`. What it says was laid last is read again before it is trusted; if that is not as laid,
    /// the pass begins anew.
    ///
    /// # Errors
    /// `found` is not the drive that was armed, or `armed` is not the checkpoint's own plan.
    pub fn resume(
        checkpoint: &Checkpoint,
        armed: ArmedPlan,
        found: &Drive,
        chunk_bytes: usize,
        now: Now,
    ) -> std::result::Result<Self, DriveChanged> {
        if !checkpoint.is_of(armed.plan()) {
            let armed = describe(armed.plan().drive());
            return Err(DriveChanged { armed, found: format!("a checkpoint of {}", describe(checkpoint.drive())) });
        }
        let mut job = Self::new(armed, found, chunk_bytes, now)?;
        let evidence = checkpoint.evidence().clone();
        job.faults =
            evidence.passes.iter().map(|p| p.unwritable.count() + p.read_back.as_ref().map_or(0, |r| r.unreadable.count())).sum();
        job.tell(Event::Resumed { evidence: Box::new(evidence) });
        job.go_on_from_evidence(now);
        Ok(job)
    }

    fn new(armed: ArmedPlan, found: &Drive, chunk_bytes: usize, now: Now) -> std::result::Result<Self, DriveChanged> {
        let plan = armed.into_plan();
        if !plan.drive().same_as(found) {
            return Err(DriveChanged { armed: describe(plan.drive()), found: describe(found) });
        }
        let progress = Progress::of_plan(&plan);
        let mut job = Self {
            chunk: 0,
            pass: 0,
            phase: Phase::Laying,
            left: vec![],
            again: vec![],
            in_flight: BTreeMap::new(),
            next_tag: 0,
            wish: Wish::GoOn,
            held: false,
            pattern: Arc::new(plan.passes()[0].pattern.clone()),
            unsaved: (0, now.mono),
            checkpoint_due: false,
            checkpoint: None,
            worked: 0,
            faults: 0,
            mark: now.mono,
            advanced: (RangeSet::new(), Duration::ZERO),
            events: vec![],
            progress,
            plan,
        };
        job.set_chunk(chunk_bytes);
        Ok(job)
    }

    /// Works in chunks of so many bytes from now on.
    pub fn set_chunk(&mut self, bytes: usize) {
        let geometry = self.plan.drive().geometry;
        let unit = geometry.unit();
        let sectors = bytes as u64 / u64::from(geometry.logical);
        self.chunk = (sectors / unit * unit).max(unit);
    }

    /// Finds the place where the evidence of a checkpoint leaves off, and rechecks what lies before it.
    fn go_on_from_evidence(&mut self, now: Now) {
        let range = self.plan.range();
        let Some(last) = self.progress.evidence().passes.last() else { return self.begin_pass(now) };
        let (laid, ended, flushed) = (last.laid.clone(), last.ended.is_some(), last.flushed);
        self.pass = self.progress.evidence().passes.len() - 1;
        self.pattern = Arc::new(self.plan.passes()[self.pass].pattern.clone());
        if ended {
            return self.next_pass(now);
        }
        let mut done = laid.clone();
        done.extend(&last.unwritable);
        let reading = flushed && done.count() == range.count;
        // The last sectors that were laid, up to the place where the work left off.
        let frontier = match &last.read_back {
            Some(read) if reading => read.read.iter().last().map_or(range.end(), |s| s.end()),
            _ => laid.iter().last().map_or(range.first.0, |s| s.end()),
        };
        let from = frontier.saturating_sub(RECHECKED_CHUNKS * self.chunk).max(range.first.0);
        let mut recheck = laid.within(Sectors::new(from, frontier - from));
        if let Some(read) = &last.read_back {
            recheck = recheck.without(&read.wrong).without(&read.unreadable);
        }
        self.phase = Phase::Rechecking { reading, distrusted: false };
        self.left = recheck.iter().rev().copied().collect();
    }

    /// What was rechecked is as laid: the work goes on where the checkpoint left off.
    fn trust(&mut self, reading: bool, now: Now) {
        let range = self.plan.range();
        self.tell(Event::Rechecked { pass: self.pass as u32, trusted: true });
        let Some(last) = self.progress.evidence().passes.last() else { return };
        let whole: RangeSet = [range].into_iter().collect();
        if !reading {
            self.phase = Phase::Laying;
            let todo = whole.without(&last.laid).without(&last.unwritable);
            self.left = todo.iter().rev().copied().collect();
        } else if let Some(read) = &last.read_back {
            self.phase = Phase::ReadingBack;
            let todo = self.plan.passes()[self.pass].reading.places(range).without(&read.read).without(&read.unreadable);
            self.left = todo.iter().rev().copied().collect();
        } else {
            self.after_flush(now);
        }
        self.mark = now.mono;
    }

    /// What was rechecked is not as laid: nothing of this pass is trusted, and it begins anew.
    fn distrust(&mut self, now: Now) {
        self.tell(Event::Rechecked { pass: self.pass as u32, trusted: false });
        self.begin_pass(now);
    }

    /// What is wanted of the job from now on. A stop cannot be taken back.
    pub fn wish(&mut self, wish: Wish) {
        if self.wish != Wish::Stop {
            self.wish = wish;
        }
    }

    /// Where the job stands.
    pub fn progress(&self) -> &Progress {
        &self.progress
    }

    /// Bytes that this job has worked through itself. Counted, since it is asked for at every request.
    pub(super) fn worked_through(&self) -> u64 {
        self.plan.drive().geometry.bytes_of(self.worked)
    }

    /// Bytes that a pass lays.
    pub(super) fn bytes_of_a_pass(&self) -> u64 {
        self.plan.drive().geometry.bytes_of(self.plan.range().count)
    }

    /// The events since the last call.
    pub fn take_events(&mut self) -> Vec<Event> {
        std::mem::take(&mut self.events)
    }

    /// What to do next.
    pub fn request(&mut self, now: Now) -> Step<'_> {
        if matches!(self.phase, Phase::Over) {
            return Step::Ended;
        }
        let unsaved = matches!(self.phase, Phase::Laying) && self.unsaved.0 > 0;
        match self.wish {
            Wish::GoOn => self.go_on(now),
            Wish::Hold | Wish::CoolDown(_) | Wish::Stop if !self.in_flight.is_empty() => return Step::Wait,
            // What was laid so far is made fast first, so that the work can go on from here.
            Wish::Hold | Wish::CoolDown(_) | Wish::Stop if unsaved => return Step::Do(self.issue(Issued::FlushForCheckpoint)),
            Wish::Stop => {
                if matches!(self.phase, Phase::ReadingBack) {
                    self.save(now);
                }
                self.end(Ended::Stopped);
                return Step::Ended;
            }
            Wish::Hold | Wish::CoolDown(_) => {
                if !std::mem::replace(&mut self.held, true) {
                    let celsius = if let Wish::CoolDown(celsius) = self.wish { Some(celsius) } else { None };
                    self.tell_advance();
                    self.tell(Event::Held { celsius });
                }
                return Step::Held;
            }
        }
        if self.checkpoint_due {
            match self.phase {
                Phase::Laying if !self.in_flight.is_empty() => return Step::Wait,
                Phase::Laying => return Step::Do(self.issue(Issued::FlushForCheckpoint)),
                // Reading leaves nothing in a cache.
                _ => self.save(now),
            }
        }
        let issued = match self.phase {
            Phase::Laying | Phase::ReadingBack | Phase::Rechecking { .. } => match self.next_attempt() {
                Some(attempt) => Issued::Work(attempt, now.mono),
                None if !self.in_flight.is_empty() => return Step::Wait,
                None if matches!(self.phase, Phase::Laying) => {
                    self.tell_advance();
                    self.phase = Phase::Flushing;
                    Issued::Flush
                }
                None => {
                    self.tell_advance();
                    match self.phase {
                        Phase::Rechecking { distrusted: true, .. } => self.distrust(now),
                        Phase::Rechecking { reading, .. } => self.trust(reading, now),
                        _ => self.end_pass(now),
                    }
                    return self.request(now);
                }
            },
            Phase::Flushing => return Step::Wait,
            Phase::Over => return Step::Ended,
        };
        Step::Do(self.issue(issued))
    }

    fn go_on(&mut self, now: Now) {
        if std::mem::replace(&mut self.held, false) {
            self.mark = now.mono;
            self.tell(Event::WentOn);
        }
    }

    fn next_attempt(&mut self) -> Option<Attempt> {
        if let Some(attempt) = self.again.pop() {
            return Some(attempt);
        }
        let next = self.left.last_mut()?;
        let at = Sectors::new(next.first.0, next.count.min(self.chunk));
        *next = Sectors::new(at.end(), next.count - at.count);
        if next.count == 0 {
            self.left.pop();
        }
        Some(Attempt { at, tries: 0 })
    }

    fn issue(&mut self, issued: Issued) -> Request<'_> {
        let tag = self.next_tag;
        self.next_tag += 1;
        self.in_flight.insert(tag, issued);
        let pattern = &self.pattern;
        let operation = match (issued, self.phase) {
            (Issued::Flush | Issued::FlushForCheckpoint, _) => Operation::Flush,
            (Issued::Work(attempt, _), Phase::ReadingBack | Phase::Rechecking { .. }) => Operation::ReadBack(attempt.at, pattern),
            (Issued::Work(attempt, _), _) => Operation::Write(attempt.at, pattern),
        };
        Request { tag, operation }
    }

    /// Takes how the request of that tag ended. Unknown tags, and reports after the end, change nothing.
    pub fn complete(&mut self, tag: u64, result: Result, now: Now) {
        let Some(issued) = self.in_flight.remove(&tag) else { return };
        match (issued, result, self.phase) {
            (_, _, Phase::Over) => {}
            (_, Result::Failed(MediumError { cause: Cause::Gone(e), .. }), _) => self.end(Ended::Gone { error: e.to_string() }),
            (_, Result::Failed(MediumError { cause: Cause::Refused(e), .. }), _) => {
                self.end(Ended::Refused { error: e.to_string() })
            }
            (Issued::Flush, Result::Failed(e), _) => self.flushed(Some(e.cause.os().to_string()), now),
            (Issued::Flush, Result::Done | Result::Read { .. }, _) => self.flushed(None, now),
            (Issued::FlushForCheckpoint, Result::Failed(e), _) => {
                // No checkpoint, and no new try at once; the flush at the pass's end decides what the evidence says.
                self.put_off_checkpoint(now);
                self.tell(Event::NotSaved { error: e.cause.os().to_string() });
            }
            (Issued::FlushForCheckpoint, Result::Done | Result::Read { .. }, _) => self.save(now),
            (Issued::Work(..), Result::Failed(_), Phase::Rechecking { .. }) => self.distrust_when_idle(),
            (Issued::Work(..), Result::Read { wrong }, Phase::Rechecking { .. }) => {
                self.mark = now.mono;
                if !wrong.is_empty() {
                    self.distrust_when_idle();
                }
            }
            (Issued::Work(attempt, _), Result::Failed(e), _) => self.narrow(attempt, &e),
            (Issued::Work(attempt, begun), Result::Done, Phase::Laying) => {
                self.told_if_slow(attempt.at, begun, now);
                self.advance(attempt.at, now);
            }
            (Issued::Work(attempt, begun), Result::Read { wrong }, Phase::ReadingBack) => {
                self.told_if_slow(attempt.at, begun, now);
                self.advance(attempt.at, now);
                for at in wrong.iter() {
                    self.fault(FaultKind::Wrong, *at, None);
                }
            }
            // A read reported as mere "done" was not compared, a write reported as "read" was not a write:
            // neither proves anything, so the work is given out again.
            (Issued::Work(attempt, _), Result::Done | Result::Read { .. }, _) => self.again.push(attempt),
        }
    }

    /// Something was not as laid: nothing more is read, and once nothing is in flight the pass begins anew.
    fn distrust_when_idle(&mut self) {
        self.left.clear();
        if let Phase::Rechecking { distrusted, .. } = &mut self.phase {
            *distrusted = true;
        }
    }

    fn told_if_slow(&mut self, at: Sectors, begun: Duration, now: Now) {
        let took = now.mono.saturating_sub(begun);
        if took >= SLOW {
            self.tell_advance();
            self.tell(Event::Slow { pass: self.pass as u32, at, took });
        }
    }

    fn put_off_checkpoint(&mut self, now: Now) {
        (self.unsaved, self.checkpoint_due) = ((0, now.mono), false);
    }

    /// Makes a checkpoint of what is fast on the media now.
    fn save(&mut self, now: Now) {
        self.tell_advance();
        self.put_off_checkpoint(now);
        self.checkpoint = Some(Box::new(Checkpoint::new(&self.plan, self.progress.evidence())));
    }

    /// A checkpoint that was made since the last call; it is to be kept before anything else is told.
    pub fn take_checkpoint(&mut self) -> Option<Box<Checkpoint>> {
        self.checkpoint.take()
    }

    /// A stretch failed: halve it, down to one physical sector; try that again a few times; then it is a fault.
    fn narrow(&mut self, attempt: Attempt, error: &MediumError) {
        let unit = self.plan.drive().geometry.unit();
        if attempt.at.count > unit {
            let (left, right) = attempt.at.halves(unit);
            self.again.extend([right, left].map(|at| Attempt { at, tries: 0 }));
        } else if attempt.tries < self.plan.retries() {
            self.again.push(Attempt { tries: attempt.tries + 1, ..attempt });
        } else {
            let kind = match self.phase {
                Phase::ReadingBack => FaultKind::Unreadable,
                _ => FaultKind::Unwritable,
            };
            self.fault(kind, attempt.at, Some(error.cause.os().to_string()));
            self.faults += 1;
            if self.faults > self.plan.faults_allowed() {
                self.end(Ended::GivenUp { faults: self.faults });
            }
        }
    }

    fn advance(&mut self, at: Sectors, now: Now) {
        let took = now.mono.saturating_sub(self.mark);
        self.mark = now.mono;
        self.advanced.0.insert(at);
        self.advanced.1 += took;
        if self.advanced.1 >= TELL_EVERY {
            self.tell_advance();
        }
        self.worked += at.count;
        self.unsaved.0 += at.count;
        let bytes = self.plan.drive().geometry.bytes_of(self.unsaved.0);
        self.checkpoint_due |= bytes >= CHECKPOINT_EVERY.1 || now.mono.saturating_sub(self.unsaved.1) >= CHECKPOINT_EVERY.0;
    }

    /// Tells what was worked through, each stretch with its share of the time.
    fn tell_advance(&mut self) {
        let (stretches, took) = std::mem::take(&mut self.advanced);
        let activity = match self.phase {
            Phase::ReadingBack => Activity::ReadingBack,
            _ => Activity::Laying,
        };
        let all = stretches.count().max(1) as f64;
        for at in stretches.iter() {
            let took = took.mul_f64(at.count as f64 / all);
            self.tell(Event::Advanced { pass: self.pass as u32, activity, at: *at, took });
        }
    }

    fn fault(&mut self, kind: FaultKind, at: Sectors, error: Option<String>) {
        self.tell_advance();
        self.tell(Event::Fault { pass: self.pass as u32, kind, at, error });
    }

    fn flushed(&mut self, flush_error: Option<String>, now: Now) {
        self.tell(Event::PassLaid { pass: self.pass as u32, flush_error });
        self.after_flush(now);
    }

    fn after_flush(&mut self, now: Now) {
        self.mark = now.mono;
        let reading = &self.plan.passes()[self.pass].reading;
        if *reading == Reading::None {
            return self.end_pass(now);
        }
        self.phase = Phase::ReadingBack;
        self.left = reading.places(self.plan.range()).iter().rev().copied().collect();
        let sampling = reading.sampling().cloned();
        self.tell(Event::ReadBackStarted { pass: self.pass as u32, sampling });
        self.save(now);
    }

    fn begin_pass(&mut self, now: Now) {
        self.phase = Phase::Laying;
        self.left = vec![self.plan.range()];
        self.mark = now.mono;
        self.unsaved = (0, now.mono);
        self.pattern = Arc::new(self.plan.passes()[self.pass].pattern.clone());
        let pattern = self.pattern.without_seed();
        let of = self.plan.passes().len() as u32;
        self.tell(Event::PassStarted { pass: self.pass as u32, of, pattern, time: now.wall });
    }

    fn end_pass(&mut self, now: Now) {
        self.tell(Event::PassEnded { pass: self.pass as u32, time: now.wall });
        self.save(now);
        self.next_pass(now);
    }

    fn next_pass(&mut self, now: Now) {
        if self.pass + 1 == self.plan.passes().len() {
            return self.end(Ended::Finished);
        }
        self.pass += 1;
        self.begin_pass(now);
    }

    fn end(&mut self, ended: Ended) {
        self.tell_advance();
        self.phase = Phase::Over;
        self.tell(Event::Ended { ended });
    }

    fn tell(&mut self, event: Event) {
        self.progress.apply(&event);
        self.events.push(event);
    }

    /// The evidence, with the seed of the bytes that lie on the drive now. The seeds of earlier passes are dropped.
    pub fn into_evidence(mut self) -> Evidence {
        let evidence = self.progress.evidence_mut();
        if let Some((pass, planned)) = evidence.passes.iter_mut().zip(self.plan.passes()).last() {
            pass.pattern = planned.pattern.clone();
        }
        evidence.clone()
    }
}
