//! A stand-in for tests: time.

use crate::{Clock, Now};

/// A clock that counts a millisecond each time that it is looked at.
#[derive(Debug, Default)]
pub struct Steady(std::cell::Cell<u64>);

impl Clock for Steady {
    fn now(&self) -> Now {
        self.0.set(self.0.get() + 1);
        Now { wall: jiff::Timestamp::UNIX_EPOCH, mono: std::time::Duration::from_millis(self.0.get()) }
    }
}
