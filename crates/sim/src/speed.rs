//! How fast a simulated drive is at each place, and waiting as long as it would take.

use std::time::{Duration, Instant};

/// Speed over position, in bytes per second: from `outer` at the first sector to `inner` at the last, along the curve
/// of a platter whose track length shrinks with the radius. Flash has the same speed everywhere.
#[derive(Clone, Copy, Debug)]
pub struct SpeedShape {
    /// At the first sector.
    pub outer: f64,
    /// At the last sector.
    pub inner: f64,
    /// Reading is faster than writing by this factor.
    pub read_factor: f64,
    /// A worn zone from one position to another, and the factor by which it is slower.
    pub slow_zone: Option<(f64, f64, f64)>,
}

impl SpeedShape {
    /// Speed of writing at `position`, from 0.0 (first sector) to 1.0 (last). On a disc of constant areal density the
    /// area passed is proportional to position, so speed, like the radius, goes with the square root of what is left.
    pub fn at(&self, position: f64) -> f64 {
        let (o, i) = (self.outer * self.outer, self.inner * self.inner);
        let factor = self.slow_zone.filter(|(from, to, _)| (*from..*to).contains(&position)).map_or(1.0, |(_, _, factor)| factor);
        (o + (i - o) * position.clamp(0.0, 1.0)).sqrt() * factor
    }
}

/// Whether a simulated drive takes its time.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Pacing {
    /// As long as the shape says.
    Real,
    /// As fast as the machine can.
    Unpaced,
}

/// Waits so that work takes as long as it should on the whole, however coarse the system's sleep is.
#[derive(Debug, Default)]
pub(crate) struct Pacer {
    due: Option<Instant>,
}

impl Pacer {
    /// Adds `cost` to what is owed. The caller sleeps until the returned moment, with no lock held.
    pub(crate) fn owe(&mut self, cost: Duration) -> Instant {
        // What was slept too long is caught up; a drive that stood idle has nothing to catch up.
        const CAUGHT_UP: Duration = Duration::from_millis(20);
        const IDLE: Duration = Duration::from_millis(500);
        let now = Instant::now();
        let last = self.due.filter(|d| now.saturating_duration_since(*d) < IDLE);
        let due = last.map_or(now, |d| d.max(now - CAUGHT_UP)) + cost;
        self.due = Some(due);
        due
    }
}

/// Sleeps until `due`, unless it is nearer than the system can sleep.
pub(crate) fn sleep_until(due: Instant) {
    let left = due.saturating_duration_since(Instant::now());
    if left > Duration::from_micros(300) {
        std::thread::sleep(left);
    }
}

#[cfg(test)]
mod tests {
    use super::SpeedShape;

    #[test]
    fn outer_tracks_are_fast_and_inner_ones_slow() {
        let shape = SpeedShape { outer: 200e6, inner: 100e6, read_factor: 1.0, slow_zone: Some((0.2, 0.3, 0.5)) };
        assert_eq!((shape.at(0.0), shape.at(1.0)), (200e6, 100e6));
        assert!(shape.at(0.25) < shape.at(0.31), "a worn zone dips");
        assert!(shape.at(0.5) > 150e6, "the drop is steeper towards the inside");
    }
}
