//! Requests to one drive: how many are in flight and how large they are, and how long the drive has owed an answer. Erasing,
//! proving, searching and writing a mark all ask their drive by this, with one patience.

use super::backend::{Backend, Done, RequestSetting};
use super::job::{Completed, Now, Task};
use super::run::Clock;
use super::tune::Tuner;
use jurex_sanitize::evidence::Ended;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

/// How long a request is waited for before the wishes are looked at again.
pub const LOOK_EVERY: Duration = Duration::from_millis(500);
/// A drive that answers nothing for so long is told of.
pub const SILENT: Duration = Duration::from_secs(30);
/// A drive of which nothing more is wanted is not waited for any longer than this.
pub const LEFT_AFTER: Duration = Duration::from_secs(20);
/// Nor is one that is only read, or asked one thing.
pub const GIVEN_UP_AFTER: Duration = Duration::from_secs(300);

/// Nothing came back from the drive for so long.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("no answer for {}", jurex_pattern::units::duration(*.0))]
pub struct NoAnswer(pub Duration);

impl From<NoAnswer> for Ended {
    fn from(no_answer: NoAnswer) -> Self {
        Self::StoppedAnswering { error: no_answer.to_string() }
    }
}

/// Asks one thing of a drive of which nothing else is asked, and waits for the answer.
///
/// # Errors
/// It does not come.
pub fn ask(backend: &mut dyn Backend, task: Task) -> Result<Completed, NoAnswer> {
    // No two have the same tag: what comes too late is not the answer to what is asked next.
    static NEXT: AtomicU64 = AtomicU64::new(1 << 63);
    let tag = NEXT.fetch_add(1, Ordering::Relaxed);
    backend.start(tag, task);
    loop {
        match backend.wait(GIVEN_UP_AFTER) {
            Some(done) if done.tag == tag => return Ok(done.how),
            Some(_) => {}
            None => return Err(NoAnswer(GIVEN_UP_AFTER)),
        }
    }
}

/// What waiting came to.
pub enum Waited {
    /// A request ended, at this time.
    Done(Done, Now),
    /// None did by this time; the drive has answered nothing for so long.
    Silent(Duration, Now),
}

/// The requests of one piece of work.
pub struct Requests<'r> {
    backend: &'r mut dyn Backend,
    clock: &'r dyn Clock,
    setting: RequestSetting,
    tuner: Option<Tuner>,
    in_flight: usize,
    /// When the drive answered last, or was last asked after it owed nothing.
    answered: Duration,
}

impl<'r> Requests<'r> {
    /// None yet, in the plainest setting.
    pub fn new(backend: &'r mut dyn Backend, clock: &'r dyn Clock) -> Self {
        let setting = backend.settings()[0];
        backend.set(setting);
        Self { answered: clock.now().mono, backend, clock, setting, tuner: None, in_flight: 0 }
    }

    /// Settings are tried on so many bytes of work from now on.
    pub fn tune(&mut self, work_bytes: u64) {
        self.tuner = Some(Tuner::new(&self.backend.settings(), self.backend.trials(), work_bytes));
    }

    /// How large a request is at most.
    pub fn setting(&self) -> RequestSetting {
        self.setting
    }

    /// Whether one more may be begun. A new setting is taken once nothing is in flight.
    pub fn has_room(&mut self) -> bool {
        let wanted = self.tuner.as_ref().map_or(self.setting, Tuner::setting);
        if wanted != self.setting && self.in_flight == 0 {
            self.setting = wanted;
            self.backend.set(wanted);
        }
        wanted == self.setting && self.in_flight < self.setting.depth
    }

    /// Whether nothing is in flight.
    pub fn are_none(&self) -> bool {
        self.in_flight == 0
    }

    /// Begins one.
    pub fn begin(&mut self, tag: u64, task: Task) {
        if self.in_flight == 0 {
            self.answered = self.clock.now().mono;
        }
        self.in_flight += 1;
        self.backend.start(tag, task);
    }

    /// Waits for one to end, but no longer than [`LOOK_EVERY`]. At least one is in flight.
    pub fn wait(&mut self) -> Waited {
        let done = self.backend.wait(LOOK_EVERY);
        let now = self.clock.now();
        match done {
            Some(done) => {
                // What comes too late, of something that nobody waits for any more, is none of these.
                self.in_flight = self.in_flight.saturating_sub(1);
                self.answered = now.mono;
                Waited::Done(done, now)
            }
            None => Waited::Silent(now.mono.saturating_sub(self.answered), now),
        }
    }

    /// So many bytes were moved by a request that ended at `now`.
    pub fn moved(&mut self, bytes: u64, now: Now) {
        if let Some(tuner) = &mut self.tuner {
            tuner.note(bytes, now.mono);
        }
    }

    /// What was going on says nothing of the drive's speed: the present trial begins anew.
    pub fn disturbed(&mut self) {
        self.tuner.iter_mut().for_each(Tuner::disturbed);
    }
}
