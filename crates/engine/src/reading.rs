//! Reads places of a drive with the patience and the doubts of a job: proving and searching ask their drive by this. Nothing is
//! written.

use crate::backend::Backend;
use crate::doubt::{Doubt, Probed, answers_nowhere};
use crate::job::{Completed, Control, Now, Task};
use crate::list::{Attempt, NextAttempt, WorkList};
use crate::requests::{GIVEN_UP_AFTER, LEFT_AFTER, NoAnswer, Requests, Waited};
use crate::run::{Clock, JobControl};
use jurex_device::media::Geometry;
use jurex_device::medium::{Cause, MediumError};
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::Sectors;
use jurex_sanitize::evidence::Ended;
use jurex_sanitize::plan::Order;
use std::collections::HashMap;

/// A drive that gives nothing for so many physical sectors in a row is given up.
const FAILED_IN_A_ROW: u64 = 1024;

/// What a reading is for: what is asked of the drive, and what becomes of what came.
pub trait ReadingPurpose {
    /// What is asked of these sectors.
    fn task(&self, at: Sectors) -> Task;
    /// These sectors came. Gives whether this answers what was asked.
    fn came(&mut self, at: Sectors, answer: Completed, now: Now) -> bool;
    /// A request ended; so many sectors were dealt with.
    fn progress(&mut self, done: u64);
}

/// A drive that is read.
pub struct DriveReader<'r> {
    geometry: Geometry,
    list: WorkList,
    requests: Requests<'r>,
    /// What is in flight by its tag; `None`: the drive is tried elsewhere.
    in_flight: HashMap<u64, Option<Attempt>>,
    /// Sectors that failed, before it is known that the drive answers at others.
    doubt: Doubt<()>,
    next_tag: u64,
    /// Sectors that could not be read, one after another.
    in_a_row: u64,
    done: u64,
    unreadable: RangeSet,
    ended: Ended,
}

/// What can be asked next.
enum NextRead {
    Ask(Option<Attempt>, Sectors),
    Wait,
    Over,
}

impl<'r> DriveReader<'r> {
    /// Nothing was read yet. What is read is taken from `list`.
    pub fn new(geometry: Geometry, list: WorkList, backend: &'r mut dyn Backend, clock: &'r dyn Clock) -> Self {
        Self {
            geometry,
            list,
            requests: Requests::new(backend, clock),
            in_flight: HashMap::new(),
            doubt: Doubt::default(),
            next_tag: 0,
            in_a_row: 0,
            done: 0,
            unreadable: RangeSet::new(),
            ended: Ended::Finished,
        }
    }

    /// The settings of requests are tried, of which the quickest is taken, on so many bytes.
    pub fn tune(&mut self, bytes: u64) {
        self.requests.tune(bytes);
    }

    /// Sectors that gave an error, and how it ended.
    pub fn into_result(self) -> (RangeSet, Ended) {
        (self.unreadable, self.ended)
    }

    /// Reads these, in their order, unless an earlier reading has ended it. A stretch that can't be read is halved down to one physical sector. `control` may stop it; holding
    /// is not offered.
    pub fn read<I: IntoIterator<Item = Sectors>>(
        &mut self,
        stretches: I,
        purpose: &mut dyn ReadingPurpose,
        control: &mut dyn JobControl,
    ) {
        self.list.set(stretches);
        loop {
            if control.poll() == Some(Control::Stop) && self.ended == Ended::Finished {
                self.ended = Ended::Stopped;
            }
            // As much as there is room for is begun before anything is waited for.
            let over = loop {
                match self.next() {
                    NextRead::Ask(attempt, at) => self.begin(attempt, at, purpose),
                    NextRead::Wait => break false,
                    NextRead::Over => break self.requests.are_none(),
                }
            };
            if over || !self.take_one(purpose) {
                break;
            }
            purpose.progress(self.done);
        }
    }

    fn begin(&mut self, attempt: Option<Attempt>, at: Sectors, purpose: &dyn ReadingPurpose) {
        self.next_tag += 1;
        self.in_flight.insert(self.next_tag, attempt);
        let task = if attempt.is_some() { purpose.task(at) } else { Task::Probe(at) };
        self.requests.begin(self.next_tag, task);
    }

    fn next(&mut self) -> NextRead {
        if self.ended != Ended::Finished {
            return NextRead::Over;
        }
        if !self.requests.has_room() {
            return NextRead::Wait;
        }
        self.list.set_chunk(self.requests.setting().chunk as u64 / u64::from(self.geometry.logical));
        loop {
            if self.doubt.is_probing() {
                // A place that is taken from the list is tried: none is taken before it can be.
                if !self.requests.are_none() {
                    return NextRead::Wait;
                }
                match self.doubt.next_probe() {
                    Some(at) => return NextRead::Ask(None, at),
                    None => self.confirm(),
                }
                continue;
            }
            return match self.list.next(self.requests.are_none()) {
                NextAttempt::Attempt(attempt) => NextRead::Ask(Some(attempt), attempt.at),
                NextAttempt::AfterThose => NextRead::Wait,
                NextAttempt::Nothing if self.doubt.has_suspects() => {
                    self.begin_probing();
                    continue;
                }
                NextAttempt::Nothing => NextRead::Over,
            };
        }
    }

    /// Waits for one request. Gives whether the drive still answers.
    fn take_one(&mut self, purpose: &mut dyn ReadingPurpose) -> bool {
        let (done, now) = match self.requests.wait() {
            Waited::Done(done, now) => (done, now),
            Waited::Silent(so_long, _) => {
                let stopped = self.ended != Ended::Finished && so_long >= LEFT_AFTER;
                if stopped || so_long >= GIVEN_UP_AFTER {
                    self.ended = NoAnswer(so_long).into();
                    return false;
                }
                return true;
            }
        };
        let Some(attempt) = self.in_flight.remove(&done.tag) else { return true };
        let Some(attempt) = attempt else {
            self.probed(&done.how);
            return true;
        };
        self.list.came_back();
        if let Completed::Failed(error) = done.how {
            self.requests.disturbed();
            self.failed(attempt, &error);
        } else if purpose.came(attempt.at, done.how, now) {
            self.confirm();
            self.in_a_row = 0;
            self.done += attempt.at.count;
            self.requests.moved(self.geometry.bytes_of(attempt.at.count), now);
        } else {
            self.ended = Ended::Refused { error: "a defect in Jurex: it was asked to read".into() };
        }
        true
    }

    fn probed(&mut self, how: &Completed) {
        match (how, self.doubt.probed(matches!(how, Completed::Done))) {
            (_, Probed::Answers) => self.confirm(),
            (Completed::Failed(e), Probed::Dead(places)) => self.ended = answers_nowhere(places, e),
            _ => {}
        }
    }

    fn failed(&mut self, attempt: Attempt, error: &MediumError) {
        let said = || error.cause.os().to_string();
        match error.cause {
            Cause::BadSector(_) => {
                let bad = self.list.narrow(attempt, self.geometry.unit(), Order::RETRIES);
                if bad && self.doubt.suspect(attempt.at, ()) {
                    self.begin_probing();
                }
            }
            Cause::Gone(_) => self.ended = Ended::Gone { error: said() },
            Cause::Refused(_) => self.ended = Ended::Refused { error: said() },
        }
    }

    fn begin_probing(&mut self) {
        if !self.doubt.begin_probing(self.geometry) {
            self.confirm();
        }
    }

    /// The drive answers: what failed before can't be read.
    fn confirm(&mut self) {
        for (at, ()) in self.doubt.confirm() {
            self.unreadable.insert(at);
            self.done += at.count;
            self.in_a_row += 1;
            if self.in_a_row >= FAILED_IN_A_ROW && self.ended == Ended::Finished {
                self.ended = Ended::GivenUp { faults: self.in_a_row };
            }
        }
    }
}
