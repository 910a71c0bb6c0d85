//! The state machine of one job: it says what to do next and takes how that ended. It does no I/O and reads no clock.

mod faults;
mod going_on;
mod measuring;
mod own_check;
mod request;
mod stages;
mod talking;

pub use request::{Completed, DriveChanged, Now, Request, Step, Task, Wish};

use super::beside::BesideDraws;
use super::checkpoint::Checkpoint;
use super::draw::Draw;
use super::event::{Activity, Event, FaultKind, Progress};
use super::measure::Measuring;
use crate::digest::Met;
use crate::evidence::ByList;
use crate::evidence::{Ended, Evidence, Session};
use crate::media::{Drive, Geometry};
use crate::medium::{Access, Cause, MediumError};
use crate::pattern::Pattern;
use crate::plan::{ArmedPlan, Plan, Reading, Secret};
use crate::ranges::RangeSet;
use crate::units::Sectors;
use faults::{Doubt, Wrong};
use going_on::Then;
use measuring::MeasureStep;
use request::describe;
use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::Duration;
use talking::Conversation;

#[derive(Clone, Copy, Debug)]
enum Phase {
    /// After going on from a checkpoint: what it says is laid last is read before it is trusted.
    Rechecking {
        /// What follows.
        then: Then,
        /// Whether anything was not as laid: the rest in flight is only waited for.
        distrusted: bool,
    },
    Laying,
    Flushing,
    ReadingBack,
    /// A conversation with the drive, about its hidden sectors or its own erasure.
    Talking,
    /// Hidden sectors were lifted: the drive is asked how large it is now.
    AskingSize,
    /// It is found out whether the drive is as large as it says.
    Measuring(MeasureStep),
    /// Drawn places are read before the drive erases itself.
    Drawing {
        /// Whether something was laid on some of them.
        marked: bool,
    },
    /// Something is laid on drawn places, to be told apart later.
    Marking,
    /// What the drive's own erasure left is read.
    Checking,
    /// Other namespaces are looked at, before the drive erases itself.
    DrawingBeside,
    /// And after it.
    CheckingBeside,
    /// Everything is done: the drive is asked once more who it is.
    AskingAgain,
    Over,
}

#[derive(Clone, Copy, Debug)]
struct Attempt {
    at: Sectors,
    tries: u32,
    /// Nothing else is in flight beside it.
    alone: bool,
}

#[derive(Clone, Copy, Debug)]
enum Issued {
    /// Since when it is in flight.
    Work(Attempt, Duration),
    Probe(Sectors),
    Flush,
    /// A flush in the middle of a pass, so that a checkpoint tells of nothing that a power cut could take.
    FlushForCheckpoint,
    Identify,
    /// What was decided on in the conversation with the drive.
    Said,
    /// A sector is read to know whether it can be.
    Tried(Sectors),
    Rescan,
    /// Other namespaces are looked at.
    Beside,
}

/// What to work on next.
enum Next {
    Attempt(Attempt),
    /// Something in flight must be reported first.
    AfterThose,
    /// Nothing is left to do.
    Nothing,
}

/// One job on one drive.
#[derive(Debug)]
pub struct Job {
    plan: Plan,
    secret: Option<Secret>,
    /// The list that stood for the label check, if no person did.
    by_list: Option<ByList>,
    /// The stage that is under way, counted from 0.
    stage: usize,
    conversation: Conversation,
    /// What lay at drawn places before the drive erases itself.
    draw: Option<Draw>,
    /// The size check that is under way.
    measuring: Option<Measuring>,
    /// What follows once hidden sectors are lifted anew, after a power cycle.
    then_after_lifting: Option<usize>,
    /// The first sector is read to know which byte a blank drive holds; what else is to be read waits.
    asks_blank_byte: bool,
    /// Drawn places in a row that could not be read.
    undrawn_in_a_row: u64,
    beside: BesideDraws,
    held_back: Vec<Sectors>,
    /// Whether the drive was seen at work on its own erasure right before it was opened.
    watched: bool,
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
    /// Places that failed for good, in this session.
    faults: u64,
    gives_up: bool,
    doubt: Doubt,
    wrong: Wrong,
    /// When the session began.
    opened: Duration,
    /// When work was last reported: the next report's time counts from here.
    mark: Duration,
    /// Seconds for a sector, as a slowly moving mean.
    usual: Option<f64>,
    advanced: (RangeSet, Duration),
    events: Vec<Event>,
    progress: Progress,
}

/// Progress is told at most about this often.
const TELL_EVERY: Duration = Duration::from_millis(50);
/// A checkpoint is made after so much time or so many bytes, whichever comes first: no more work than that is ever lost.
const CHECKPOINT_EVERY: (Duration, u64) = (Duration::from_secs(5), 1 << 30);
/// Work that took longer, and much longer than is usual on this drive, is told as slow: the drive tried hard, and its
/// sectors may be the next to fail.
const SLOW: Duration = Duration::from_secs(2);
/// How much longer than usual.
const SLOWER_THAN_USUAL: f64 = 8.0;

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
        let progress = Progress::of_plan(&plan);
        let first = plan.passes().first().map_or_else(Pattern::zeros, |p| p.pattern.clone());
        let mut job = Self {
            secret,
            by_list,
            stage: 0,
            conversation: Conversation::default(),
            draw: None,
            measuring: None,
            then_after_lifting: None,
            asks_blank_byte: false,
            undrawn_in_a_row: 0,
            beside: BesideDraws::default(),
            held_back: vec![],
            watched: false,
            chunk: 0,
            pass: 0,
            phase: Phase::Laying,
            left: vec![],
            again: vec![],
            in_flight: BTreeMap::new(),
            next_tag: 0,
            wish: Wish::GoOn,
            held: false,
            pattern: Arc::new(first),
            unsaved: (0, now.mono),
            checkpoint_due: false,
            checkpoint: None,
            worked: 0,
            faults: 0,
            gives_up: false,
            doubt: Doubt::default(),
            wrong: Wrong::default(),
            opened: now.mono,
            mark: now.mono,
            usual: None,
            advanced: (RangeSet::new(), Duration::ZERO),
            events: vec![],
            progress,
            plan,
        };
        job.set_chunk(chunk_bytes);
        Ok(job)
    }

    /// A session begins: the evidence describes the drive as it was found now.
    fn open(&mut self, found: &Drive, access: Access, now: Now) {
        let session = Session::new(found.clone(), access, now.wall);
        let session = Box::new(Session { by_list: self.by_list.clone(), ..session });
        self.tell(Event::Opened { session });
    }

    /// Works in chunks of so many bytes from now on. What failed in larger ones is split when it is given out.
    pub fn set_chunk(&mut self, bytes: usize) {
        let geometry = self.geometry();
        let unit = geometry.unit();
        let sectors = bytes as u64 / u64::from(geometry.logical);
        self.chunk = (sectors / unit * unit).max(unit);
    }

    /// Its drive was read by others since it was started: its time counts from now on.
    pub fn begins_now(&mut self, now: Now) {
        (self.mark, self.unsaved.1) = (now.mono, now.mono);
    }

    /// What is wanted of the job from now on. A stop cannot be taken back.
    pub fn wish(&mut self, wish: Wish) {
        if self.wish != Wish::Stop {
            self.wish = wish;
        }
    }

    /// Whether nothing more is wanted of the drive: the job is to be stopped, or is over.
    pub(super) fn is_done_with_the_drive(&self) -> bool {
        self.wish == Wish::Stop || matches!(self.phase, Phase::Over)
    }

    /// Where the job stands.
    pub fn progress(&self) -> &Progress {
        &self.progress
    }

    /// Bytes that this job has worked through itself. Counted, since it is asked for at every request.
    pub(super) fn worked_through(&self) -> u64 {
        self.geometry().bytes_of(self.worked)
    }

    /// The drive's sizes, as the stages so far have left them.
    fn geometry(&self) -> Geometry {
        self.progress.evidence().geometry()
    }

    /// The sectors to overwrite, on the drive as it is now.
    fn range(&self) -> Sectors {
        self.progress.evidence().range_of(self.plan.range_on(self.geometry()))
    }

    /// Bytes that a pass lays.
    pub(super) fn bytes_of_a_pass(&self) -> u64 {
        self.geometry().bytes_of(self.range().count)
    }

    /// The events since the last call.
    pub fn take_events(&mut self) -> Vec<Event> {
        std::mem::take(&mut self.events)
    }

    /// Something to tell that is not the job's own finding.
    pub(super) fn tell_no_answer(&mut self, so_long: Duration) {
        // A command that erases is answered when it has: until then silence is no news.
        if self.may_be_left() {
            self.tell(Event::NoAnswer { so_long });
        }
    }

    /// What to do next.
    pub fn request(&mut self, now: Now) -> Step {
        if self.gives_up && !matches!(self.phase, Phase::Over) {
            self.end(Ended::GivenUp { faults: self.faults }, now);
        }
        if matches!(self.phase, Phase::Over) {
            return Step::Ended;
        }
        match self.wish {
            Wish::GoOn => self.go_on(now),
            Wish::Hold | Wish::CoolDown(_) if self.drive_is_at_work() => self.go_on(now),
            Wish::Hold | Wish::CoolDown(_) | Wish::Stop => return self.rest(now),
        }
        if self.checkpoint_due {
            match self.phase {
                Phase::Laying if !self.in_flight.is_empty() => return Step::Wait,
                Phase::Laying => return Step::Do(self.issue(Issued::FlushForCheckpoint)),
                // Reading leaves nothing in a cache.
                _ => self.save(now),
            }
        }
        if self.doubt.is_probing() {
            return self.probe(now);
        }
        match self.phase {
            Phase::Talking => self.talk(now),
            Phase::Laying
            | Phase::ReadingBack
            | Phase::Rechecking { .. }
            | Phase::Drawing { .. }
            | Phase::Marking
            | Phase::Measuring(MeasureStep::Laying | MeasureStep::Reading)
            | Phase::Checking => match self.next_attempt() {
                Next::Attempt(attempt) => Step::Do(self.issue(Issued::Work(attempt, now.mono))),
                Next::AfterThose => Step::Wait,
                Next::Nothing => self.phase_is_done(now),
            },
            Phase::DrawingBeside | Phase::CheckingBeside if self.in_flight.is_empty() => Step::Do(self.issue(Issued::Beside)),
            Phase::Measuring(MeasureStep::Flushing) if self.in_flight.is_empty() => Step::Do(self.issue(Issued::Flush)),
            Phase::AskingAgain | Phase::AskingSize if self.in_flight.is_empty() => Step::Do(self.issue(Issued::Identify)),
            Phase::Flushing
            | Phase::Measuring(MeasureStep::Flushing)
            | Phase::AskingAgain
            | Phase::AskingSize
            | Phase::DrawingBeside
            | Phase::CheckingBeside => Step::Wait,
            Phase::Over => Step::Ended,
        }
    }

    /// Stops or holds, once nothing is in flight and what was laid so far is fast, so that the work can go on from here.
    fn rest(&mut self, now: Now) -> Step {
        if !self.in_flight.is_empty() {
            self.tell_that_nothing_stops_it();
            return Step::Wait;
        }
        if matches!(self.phase, Phase::Laying) && self.unsaved.0 > 0 {
            return Step::Do(self.issue(Issued::FlushForCheckpoint));
        }
        if self.wish == Wish::Stop {
            if matches!(self.phase, Phase::ReadingBack | Phase::Talking | Phase::Checking) {
                self.save(now);
            }
            self.end(Ended::Stopped, now);
            return Step::Ended;
        }
        if !std::mem::replace(&mut self.held, true) {
            let celsius = if let Wish::CoolDown(celsius) = self.wish { Some(celsius) } else { None };
            self.tell_advance();
            self.tell(Event::Held { celsius });
        }
        Step::Held
    }

    fn probe(&mut self, now: Now) -> Step {
        if !self.in_flight.is_empty() {
            return Step::Wait;
        }
        match self.doubt.next_probe() {
            Some(at) => Step::Do(self.issue(Issued::Probe(at))),
            None => {
                self.confirm_suspects();
                self.request(now)
            }
        }
    }

    /// Nothing is left to give out in this phase, and nothing is in flight.
    fn phase_is_done(&mut self, now: Now) -> Step {
        if self.doubt.has_suspects() {
            self.begin_probing();
            return self.request(now);
        }
        self.tell_advance();
        self.tell_wrong();
        match self.phase {
            Phase::Laying => {
                self.phase = Phase::Flushing;
                return Step::Do(self.issue(Issued::Flush));
            }
            Phase::Rechecking { distrusted: true, .. } => self.distrust(now),
            Phase::Rechecking { then, .. } => self.trust(then, now),
            Phase::Drawing { marked } => self.drawn(marked, now),
            Phase::Marking => return Step::Do(self.issue(Issued::Flush)),
            Phase::Measuring(_) => self.measure_on(now),
            Phase::Checking => self.checked(now),
            _ => self.end_pass(now),
        }
        self.request(now)
    }

    fn go_on(&mut self, now: Now) {
        if std::mem::replace(&mut self.held, false) {
            self.mark = now.mono;
            self.tell(Event::WentOn);
        }
    }

    /// What failed before comes first, and by itself. Nothing is ever larger than the chunk, though it may have failed
    /// when chunks were larger.
    fn next_attempt(&mut self) -> Next {
        let one_is_alone = self.in_flight.values().any(|i| matches!(i, Issued::Work(Attempt { alone: true, .. }, _)));
        if one_is_alone || (!self.again.is_empty() && !self.in_flight.is_empty()) {
            return Next::AfterThose;
        }
        if let Some(attempt) = self.again.pop() {
            let (at, rest) = split(attempt.at, self.chunk);
            self.again.extend(rest.map(|at| Attempt { at, ..attempt }));
            return Next::Attempt(Attempt { at, ..attempt });
        }
        let Some(next) = self.left.pop() else {
            return if self.in_flight.is_empty() { Next::Nothing } else { Next::AfterThose };
        };
        let (at, rest) = split(next, self.chunk);
        self.left.extend(rest);
        Next::Attempt(Attempt { at, tries: 0, alone: false })
    }

    fn issue(&mut self, issued: Issued) -> Request {
        let tag = self.next_tag;
        self.next_tag += 1;
        self.in_flight.insert(tag, issued);
        let pattern = || Arc::clone(&self.pattern);
        let salt = self.salt();
        let task = match (issued, self.phase) {
            (Issued::Said, _) => self.conversation.task(),
            (Issued::Rescan, _) => Task::Rescan,
            (Issued::Tried(at), _) => Task::Probe(at),
            (Issued::Beside, _) => Task::Beside(salt, self.beside.marks.clone()),
            (Issued::Work(attempt, _), Phase::Measuring(MeasureStep::Reading)) => Task::Tags(attempt.at, pattern()),
            (Issued::Work(attempt, _), Phase::Drawing { .. }) => Task::Digest(attempt.at, salt),
            (Issued::Work(attempt, _), Phase::Checking) if self.compares_digests() => Task::Digest(attempt.at, salt),
            (Issued::Work(attempt, _), Phase::Checking) => Task::ReadBack(attempt.at, pattern()),
            (Issued::Flush | Issued::FlushForCheckpoint, _) => Task::Flush,
            (Issued::Identify, _) => Task::Identify,
            (Issued::Probe(at), _) => Task::Probe(at),
            (Issued::Work(attempt, _), Phase::ReadingBack | Phase::Rechecking { .. }) => Task::ReadBack(attempt.at, pattern()),
            (Issued::Work(attempt, _), _) => Task::Write(attempt.at, pattern()),
        };
        Request { tag, task }
    }

    /// Takes how the request of that tag ended. Unknown tags, and reports after the end, change nothing.
    pub fn complete(&mut self, tag: u64, how: Completed, now: Now) {
        let Some(issued) = self.in_flight.remove(&tag) else { return };
        if matches!(self.phase, Phase::Over) {
            return;
        }
        match how {
            Completed::Failed(MediumError { cause: Cause::Gone(e), .. }) => self.end(Ended::Gone { error: e.to_string() }, now),
            // What is only tried may be refused.
            Completed::Failed(MediumError { cause: Cause::Refused(e), .. }) if !matches!(issued, Issued::Tried(_)) => {
                self.end(Ended::Refused { error: e.to_string() }, now);
            }
            Completed::Failed(e) => self.failed(issued, &e, now),
            how => self.succeeded(issued, how, now),
        }
    }

    fn failed(&mut self, issued: Issued, error: &MediumError, now: Now) {
        let words = error.cause.os().to_string();
        match issued {
            // What was laid to be told apart is read again: what was lost is not there.
            Issued::Flush if matches!(self.phase, Phase::Marking) => self.marked(now),
            Issued::Flush if matches!(self.phase, Phase::Measuring(_)) => self.measure_on(now),
            Issued::Work(attempt, _) if matches!(self.phase, Phase::Measuring(_)) => self.not_measured(attempt.at, now),
            Issued::Tried(_) => self.tried(false, now),
            Issued::Said | Issued::Rescan => self.end(Ended::Refused { error: words }, now),
            Issued::Work(..) if matches!(self.phase, Phase::Drawing { .. }) => self.undrawn(now),
            Issued::Beside => self.beside_told(&[], now),
            Issued::Work(..) if matches!(self.phase, Phase::Marking) || self.asks_blank_byte => self.mark = now.mono,
            Issued::Flush => self.flushed(Some(words), now),
            Issued::FlushForCheckpoint => {
                // No checkpoint, and no new try at once. What was lost stays lost: the pass is not proved any more.
                self.put_off_checkpoint(now);
                self.tell(Event::FlushFailed { pass: self.pass as u32, error: words });
            }
            Issued::Identify => self.end(Ended::Gone { error: words }, now),
            Issued::Probe(_) => self.probed(Some(error), now),
            Issued::Work(..) if matches!(self.phase, Phase::Rechecking { .. }) => self.distrust_when_idle(),
            Issued::Work(attempt, _) => self.narrow(attempt, error, now),
        }
    }

    fn succeeded(&mut self, issued: Issued, how: Completed, now: Now) {
        match (issued, how, self.phase) {
            (Issued::Said, Completed::Answered(answers), _) => self.answered(&answers, now),
            (Issued::Rescan, Completed::Done, _) if self.lifts_now() => self.phase = Phase::AskingSize,
            (Issued::Rescan, Completed::Done, _) => self.mark = now.mono,
            (Issued::Tried(_), Completed::Done, _) => self.tried(true, now),
            (Issued::Identify, Completed::Identified(found), Phase::AskingSize) => self.size_told(&found, now),
            (Issued::Flush, Completed::Done, Phase::Marking) => self.marked(now),
            (Issued::Flush, Completed::Done, Phase::Measuring(_)) => self.measure_on(now),
            (Issued::Work(attempt, _), Completed::Done, Phase::Measuring(MeasureStep::Laying)) => self.tag_laid(attempt.at, now),
            (Issued::Work(attempt, _), Completed::Tags(met), Phase::Measuring(MeasureStep::Reading)) => {
                self.tags_met(attempt.at, &met, now);
            }
            (Issued::Work(..), Completed::Done, Phase::Marking) => self.mark = now.mono,
            (Issued::Work(attempt, begun), Completed::Digested(met), Phase::Drawing { .. }) => {
                self.advance(attempt.at, begun, now);
                self.undrawn_in_a_row = 0;
                self.draw.iter_mut().for_each(|d| d.note(attempt.at.first, &met));
            }
            (Issued::Work(..), Completed::Digested(met), Phase::Checking) if self.asks_blank_byte => {
                self.mark = now.mono;
                self.blank_byte_told(if let [Met::Blank(byte)] = met.as_slice() { Some(*byte) } else { None });
            }
            (Issued::Work(attempt, begun), Completed::Digested(met), Phase::Checking) => {
                let wrong = self.draw.as_ref().map(|d| d.as_before(attempt.at.first, &met)).unwrap_or_default();
                self.advance(attempt.at, begun, now);
                self.found_wrong(&wrong, now);
            }
            (Issued::Work(attempt, begun), Completed::Read { wrong }, Phase::Checking) => {
                self.advance(attempt.at, begun, now);
                self.found_wrong(&wrong, now);
            }
            (Issued::Flush, Completed::Done, _) => self.flushed(None, now),
            (Issued::FlushForCheckpoint, Completed::Done, _) => self.save(now),
            (Issued::Beside, Completed::Beside(met), _) => self.beside_told(&met, now),
            (Issued::Probe(_), Completed::Done, _) => self.probed(None, now),
            (Issued::Identify, Completed::Identified(found), _) => self.asked_again(&found, now),
            (Issued::Work(..), Completed::Read { wrong }, Phase::Rechecking { .. }) => {
                self.mark = now.mono;
                if !wrong.is_empty() {
                    self.distrust_when_idle();
                }
            }
            (Issued::Work(attempt, begun), Completed::Done, Phase::Laying) => self.advance(attempt.at, begun, now),
            (Issued::Work(attempt, begun), Completed::Read { wrong }, Phase::ReadingBack) => {
                self.advance(attempt.at, begun, now);
                self.found_wrong(&wrong, now);
            }
            // A read reported as mere "done" was not compared, a write reported as "read" was not a write:
            // neither proves anything, so the work is given out again.
            (Issued::Work(attempt, _), ..) => self.again.push(attempt),
            // An answer to another question than the one that was asked.
            (
                Issued::Flush
                | Issued::Probe(_)
                | Issued::Identify
                | Issued::FlushForCheckpoint
                | Issued::Said
                | Issued::Tried(_)
                | Issued::Beside
                | Issued::Rescan,
                ..,
            ) => {
                self.end(Ended::Refused { error: "the answer was not that of the request".into() }, now);
            }
        }
    }

    /// Something was not as laid: nothing more is read, and once nothing is in flight the pass begins anew.
    fn distrust_when_idle(&mut self) {
        self.left.clear();
        if let Phase::Rechecking { distrusted, .. } = &mut self.phase {
            *distrusted = true;
        }
    }

    fn put_off_checkpoint(&mut self, now: Now) {
        (self.unsaved, self.checkpoint_due) = ((0, now.mono), false);
    }

    /// Makes a checkpoint of what is fast on the media now.
    fn save(&mut self, now: Now) {
        self.tell_advance();
        self.tell_wrong();
        self.put_off_checkpoint(now);
        let lasted = now.mono.saturating_sub(self.opened);
        let mut checkpoint = Checkpoint::new(&self.plan, self.progress.evidence(), lasted);
        // What was drawn is of use only until it has been compared.
        if self.progress.evidence().overwrite().is_none() {
            checkpoint = checkpoint.with_drawn(self.draw.as_ref().map(Draw::to_kept), self.beside.to_kept());
        }
        self.checkpoint = Some(Box::new(checkpoint));
    }

    /// A checkpoint that was made since the last call; it is to be kept before anything else is told or begun.
    pub fn take_checkpoint(&mut self) -> Option<Box<Checkpoint>> {
        self.checkpoint.take()
    }

    /// Work was done. Its time counts from when the drive could begin with it: requests wait for one another.
    fn advance(&mut self, at: Sectors, begun: Duration, now: Now) {
        self.confirm_suspects();
        let took = now.mono.saturating_sub(self.mark);
        let served = now.mono.saturating_sub(self.mark.max(begun));
        self.mark = now.mono;
        self.tell_if_slow(at, served);
        self.advanced.0.insert(at);
        self.advanced.1 += took;
        if self.advanced.1 >= TELL_EVERY {
            self.tell_advance();
        }
        self.worked += at.count;
        self.unsaved.0 += at.count;
        let bytes = self.geometry().bytes_of(self.unsaved.0);
        self.checkpoint_due |= bytes >= CHECKPOINT_EVERY.1 || now.mono.saturating_sub(self.unsaved.1) >= CHECKPOINT_EVERY.0;
    }

    fn tell_if_slow(&mut self, at: Sectors, served: Duration) {
        let for_a_sector = served.as_secs_f64() / at.count.max(1) as f64;
        let much_longer = self.usual.is_none_or(|usual| for_a_sector > usual * SLOWER_THAN_USUAL);
        let is_slow = served >= SLOW && much_longer;
        if is_slow {
            self.tell_advance();
            self.tell(Event::Slow { pass: self.pass as u32, at, took: served });
        }
        // One slow place does not make slowness usual; a drive that is slow from the start is.
        if !is_slow || self.usual.is_none() {
            self.usual = Some(self.usual.map_or(for_a_sector, |usual| usual * 0.9 + for_a_sector * 0.1));
        }
    }

    /// Tells what was worked through, each stretch with its share of the time.
    fn tell_advance(&mut self) {
        let (stretches, took) = std::mem::take(&mut self.advanced);
        let activity = match self.phase {
            Phase::ReadingBack => Activity::ReadingBack,
            Phase::Drawing { .. } | Phase::Marking => Activity::Drawing,
            Phase::Checking => Activity::Checking,
            Phase::Measuring(_) => Activity::Measuring,
            _ => Activity::Laying,
        };
        let all = stretches.count().max(1) as f64;
        for at in stretches.iter() {
            let took = took.mul_f64(at.count as f64 / all);
            self.tell(Event::Advanced { pass: self.pass as u32, activity, at: *at, took });
        }
    }

    fn flushed(&mut self, flush_error: Option<String>, now: Now) {
        self.tell(Event::PassLaid { pass: self.pass as u32, flush_error });
        self.mark = now.mono;
        self.begin_reading(now);
    }

    /// Reads the pass back, from the first place on; one of which nothing is to be read is over.
    fn begin_reading(&mut self, now: Now) {
        let reading = self.reading_now();
        if reading == Reading::None {
            return self.end_pass(now);
        }
        self.phase = Phase::ReadingBack;
        self.left = reading.places(self.range()).iter().rev().copied().collect();
        let sampling = reading.sampling().cloned();
        self.tell(Event::ReadBackStarted { pass: self.pass as u32, time: now.wall, sampling });
        self.save(now);
    }

    fn begin_pass(&mut self, now: Now) {
        self.phase = Phase::Laying;
        self.left = vec![self.range()];
        self.mark = now.mono;
        self.pattern = Arc::new(self.plan.passes()[self.pass].pattern.clone());
        let (pattern, of) = (self.pattern.without_seed(), self.plan.passes().len() as u32);
        let complement_of_before = self.plan.passes()[self.pass].complement_of_before;
        self.tell(Event::PassStarted { pass: self.pass as u32, of, pattern, complement_of_before, time: now.wall });
        // Kept before the first write: whatever happens from then on, the job can go on, and from nothing that this pass
        // is about to write over.
        self.save(now);
    }

    fn end_pass(&mut self, now: Now) {
        self.tell(Event::PassEnded { pass: self.pass as u32, time: now.wall });
        self.save(now);
        self.next_pass(now);
    }

    fn next_pass(&mut self, now: Now) {
        if self.pass + 1 == self.plan.passes().len() {
            // The check of the last pass has been done with it.
            return self.begin_stage(self.plan.stages().len(), now);
        }
        self.pass += 1;
        self.begin_pass(now);
    }

    /// Everything is done. The claim is about the object of the beginning: is this still it?
    fn asked_again(&mut self, found: &Drive, now: Now) {
        let evidence = self.progress.evidence();
        let armed = &Drive { geometry: evidence.geometry(), ..evidence.drive().clone() };
        if armed.same_as(found) {
            self.end(Ended::Finished, now);
        } else {
            let what = format!("it was {}, and {} answers now", describe(armed), describe(found));
            self.end(Ended::Changed { what }, now);
        }
    }

    /// The drive does not answer, and nobody waits for it any more: what is in flight counts as not done.
    pub(super) fn leave(&mut self, so_long: Duration, now: Now) {
        if !matches!(self.phase, Phase::Over) {
            let error = format!("nothing came back from it for {}", crate::units::duration(so_long));
            self.end(Ended::StoppedAnswering { error }, now);
        }
    }

    fn end(&mut self, ended: Ended, now: Now) {
        self.doubt.drop_suspects();
        self.tell_advance();
        self.tell_wrong();
        self.phase = Phase::Over;
        let lasted = now.mono.saturating_sub(self.opened);
        self.tell(Event::Ended { ended, time: now.wall, lasted });
    }

    fn tell(&mut self, event: Event) {
        self.progress.apply(&event);
        self.events.push(event);
    }

    /// The evidence, with the seed of the bytes that lie on the drive now. The seeds of earlier passes are dropped.
    pub fn into_evidence(mut self) -> Evidence {
        let evidence = self.progress.evidence_mut();
        let passes = evidence.overwrite_mut().map(|o| &mut o.passes);
        if let Some((pass, planned)) = passes.into_iter().flatten().zip(self.plan.passes()).last() {
            pass.pattern = planned.pattern.clone();
        }
        evidence.clone()
    }
}

/// A stretch cut after `chunk` sectors, with the rest, if there is any.
fn split(at: Sectors, chunk: u64) -> (Sectors, Option<Sectors>) {
    let first = Sectors::new(at.first.0, at.count.min(chunk));
    let rest = Sectors::new(first.end(), at.count - first.count);
    (first, (rest.count > 0).then_some(rest))
}
