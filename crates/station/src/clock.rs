//! The system's clock and its source of random bytes, for a core that has neither.

use jiff::{Timestamp, Zoned};
use jurex_engine::{Clock, Now};
use jurex_pattern::notation::Entropy;
use jurex_sanitize::record::JobId;
use std::time::Instant;

/// The time of day, and the time since this was made.
pub struct SystemClock {
    start: Instant,
}

impl Default for SystemClock {
    /// It begins now.
    fn default() -> Self {
        Self { start: Instant::now() }
    }
}

impl Clock for SystemClock {
    fn now(&self) -> Now {
        Now { wall: wall(), mono: self.start.elapsed() }
    }
}

/// The time of day, to the millisecond: records need no finer one.
pub fn wall() -> Timestamp {
    let now = Timestamp::now();
    Timestamp::from_millisecond(now.as_millisecond()).unwrap_or(now)
}

/// The operating system's random bytes.
pub struct SystemEntropy;

impl Entropy for SystemEntropy {
    fn fill(&mut self, out: &mut [u8]) {
        // Without random bytes no pass could be trusted, and there is nothing sensible to go on with.
        getrandom::fill(out).expect("the operating system gives random bytes");
    }
}

/// What a job takes from the world around it: the time, and what is drawn by chance.
pub trait Surroundings: std::fmt::Debug + Send + Sync {
    /// A clock that begins now.
    fn clock(&self) -> Box<dyn Clock>;
    /// The time of day.
    fn wall(&self) -> Timestamp;
    /// A new name for a job of today.
    fn job_id(&self) -> JobId;
    /// A source of random bytes.
    fn entropy(&self) -> Box<dyn Entropy>;
}

/// The time and the chance of this machine.
#[derive(Clone, Copy, Debug, Default)]
pub struct ThisMachine;

impl Surroundings for ThisMachine {
    fn clock(&self) -> Box<dyn Clock> {
        Box::new(SystemClock::default())
    }

    fn wall(&self) -> Timestamp {
        wall()
    }

    fn job_id(&self) -> JobId {
        new_job_id()
    }

    fn entropy(&self) -> Box<dyn Entropy> {
        Box::new(SystemEntropy)
    }
}

/// A new name for a job of today.
pub fn new_job_id() -> JobId {
    let mut random = [0; 4];
    SystemEntropy.fill(&mut random);
    JobId::new(&Zoned::now().strftime("%y%m%d").to_string(), random)
}
