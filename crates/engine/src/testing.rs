//! Stand-ins for tests: time, and a person who stops a job.

use crate::{Clock, Control, JobControl, Now};

/// A clock that counts a millisecond each time that it is looked at.
#[derive(Debug, Default)]
pub struct Steady(std::cell::Cell<u64>);

impl Clock for Steady {
    fn now(&self) -> Now {
        self.0.set(self.0.get() + 1);
        Now { wall: jiff::Timestamp::UNIX_EPOCH, mono: std::time::Duration::from_millis(self.0.get()) }
    }
}

/// Asks for a stop whenever it is asked after so many times.
#[derive(Debug)]
pub struct StopsAfter(pub u32);

impl JobControl for StopsAfter {
    fn poll(&mut self) -> Option<Control> {
        let stops = self.0 == 0;
        self.0 = self.0.saturating_sub(1);
        stops.then_some(Control::Stop)
    }

    fn wait(&mut self) -> Option<Control> {
        self.poll()
    }
}
