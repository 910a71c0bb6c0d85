//! The state machine of one job: it says what to do next and takes how that ended. It does no I/O and reads no clock.

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
    Write(Sectors, &'j Pattern),
    /// Read these sectors and compare them with the pattern's bytes.
    ReadBack(Sectors, &'j Pattern),
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

#[derive(Clone, Copy, Debug)]
enum Phase {
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
    Work(Attempt),
    Flush,
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
    /// When work was last reported: the next report's time counts from here.
    mark: Duration,
    advanced: Option<(Sectors, Duration)>,
    events: Vec<Event>,
    progress: Progress,
}

/// Progress is told at most about this often.
const TELL_EVERY: Duration = Duration::from_millis(50);

impl Job {
    /// Begins the job that `armed` allows, in chunks of `chunk_bytes`. `found` is the drive that answers right now.
    ///
    /// # Errors
    /// If that is not the drive that was armed.
    pub fn start(armed: ArmedPlan, found: &Drive, chunk_bytes: usize, now: Now) -> std::result::Result<Self, DriveChanged> {
        let plan = armed.into_plan();
        if !plan.drive().same_as(found) {
            let describe = |d: &Drive| {
                format!(
                    "{} (serial {}, {} sectors)",
                    d.called(),
                    d.identity.serial.as_deref().unwrap_or("none"),
                    d.geometry.sectors
                )
            };
            return Err(DriveChanged { armed: describe(plan.drive()), found: describe(found) });
        }
        let progress = Progress::of_plan(&plan);
        let unit = plan.drive().geometry.unit();
        let sectors = chunk_bytes as u64 / u64::from(plan.drive().geometry.logical);
        let mut job = Self {
            chunk: (sectors / unit * unit).max(unit),
            pass: 0,
            phase: Phase::Laying,
            left: vec![],
            again: vec![],
            in_flight: BTreeMap::new(),
            next_tag: 0,
            wish: Wish::GoOn,
            held: false,
            mark: now.mono,
            advanced: None,
            events: vec![],
            progress,
            plan,
        };
        job.begin_pass(now);
        Ok(job)
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

    /// The events since the last call.
    pub fn take_events(&mut self) -> Vec<Event> {
        std::mem::take(&mut self.events)
    }

    /// What to do next.
    pub fn request(&mut self, now: Now) -> Step<'_> {
        if matches!(self.phase, Phase::Over) {
            return Step::Ended;
        }
        match self.wish {
            Wish::GoOn => self.go_on(now),
            Wish::Hold | Wish::Stop if !self.in_flight.is_empty() => return Step::Wait,
            Wish::Stop => {
                self.end(Ended::Stopped);
                return Step::Ended;
            }
            Wish::Hold => {
                if !std::mem::replace(&mut self.held, true) {
                    self.tell_advance();
                    self.tell(Event::Held);
                }
                return Step::Held;
            }
        }
        let issued = match self.phase {
            Phase::Laying | Phase::ReadingBack => match self.next_attempt() {
                Some(attempt) => Issued::Work(attempt),
                None if !self.in_flight.is_empty() => return Step::Wait,
                None if matches!(self.phase, Phase::Laying) => {
                    self.tell_advance();
                    self.phase = Phase::Flushing;
                    Issued::Flush
                }
                None => {
                    self.tell_advance();
                    self.end_pass(now);
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
        let pattern = &self.plan.passes()[self.pass].pattern;
        let operation = match (issued, self.phase) {
            (Issued::Flush, _) => Operation::Flush,
            (Issued::Work(attempt), Phase::ReadingBack) => Operation::ReadBack(attempt.at, pattern),
            (Issued::Work(attempt), _) => Operation::Write(attempt.at, pattern),
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
            (Issued::Work(attempt), Result::Failed(e), _) => self.narrow(attempt, &e),
            (Issued::Work(attempt), Result::Done, Phase::Laying) => self.advance(Activity::Laying, attempt.at, now),
            (Issued::Work(attempt), Result::Read { wrong }, Phase::ReadingBack) => {
                self.advance(Activity::ReadingBack, attempt.at, now);
                for at in wrong.iter() {
                    self.fault(FaultKind::Wrong, *at, None);
                }
            }
            // A read reported as mere "done" was not compared, a write reported as "read" was not a write:
            // neither proves anything, so the work is given out again.
            (Issued::Work(attempt), Result::Done | Result::Read { .. }, _) => self.again.push(attempt),
        }
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
        }
    }

    fn advance(&mut self, activity: Activity, at: Sectors, now: Now) {
        let took = now.mono.saturating_sub(self.mark);
        self.mark = now.mono;
        match &mut self.advanced {
            Some((told, so_far)) if told.end() == at.first.0 => {
                told.count += at.count;
                *so_far += took;
            }
            _ => {
                self.tell_advance_as(activity);
                self.advanced = Some((at, took));
            }
        }
        if self.advanced.is_some_and(|(_, took)| took >= TELL_EVERY) {
            self.tell_advance_as(activity);
        }
    }

    fn tell_advance(&mut self) {
        self.tell_advance_as(match self.phase {
            Phase::ReadingBack => Activity::ReadingBack,
            _ => Activity::Laying,
        });
    }

    fn tell_advance_as(&mut self, activity: Activity) {
        if let Some((at, took)) = self.advanced.take() {
            self.tell(Event::Advanced { pass: self.pass as u32, activity, at, took });
        }
    }

    fn fault(&mut self, kind: FaultKind, at: Sectors, error: Option<String>) {
        self.tell_advance();
        self.tell(Event::Fault { pass: self.pass as u32, kind, at, error });
    }

    fn flushed(&mut self, flush_error: Option<String>, now: Now) {
        self.tell(Event::PassLaid { pass: self.pass as u32, flush_error });
        self.mark = now.mono;
        let reading = &self.plan.passes()[self.pass].reading;
        if *reading == Reading::None {
            return self.end_pass(now);
        }
        self.phase = Phase::ReadingBack;
        self.left = reading.places(self.plan.range()).iter().rev().copied().collect();
        let sampling = reading.sampling().cloned();
        self.tell(Event::ReadBackStarted { pass: self.pass as u32, sampling });
    }

    fn begin_pass(&mut self, now: Now) {
        self.phase = Phase::Laying;
        self.left = vec![self.plan.range()];
        self.mark = now.mono;
        let pattern = self.plan.passes()[self.pass].pattern.without_seed();
        let of = self.plan.passes().len() as u32;
        self.tell(Event::PassStarted { pass: self.pass as u32, of, pattern, time: now.wall });
    }

    fn end_pass(&mut self, now: Now) {
        self.tell(Event::PassEnded { pass: self.pass as u32, time: now.wall });
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
