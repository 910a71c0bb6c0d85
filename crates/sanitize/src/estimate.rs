//! How long a plan will take: from the drive's speed at three places, its size, the passes and what is read back.

use crate::plan::{Order, size_check};
use crate::sampling::Sampling;
use jurex_device::media::{Drive, MediaClass};
use jurex_device::medium::{Medium, MediumError};
use jurex_pattern::pattern::AlignedBuffer;
use jurex_pattern::units::{Lba, Sectors, duration};
use schemars::JsonSchema;
use serde::Serialize;
use std::fmt;
use std::time::Duration;

/// Reading speed at the start, the middle and the end of a drive, in bytes per second.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct SpeedSample {
    /// At the first sectors.
    pub start: f64,
    /// Half way.
    pub middle: f64,
    /// At the last sectors.
    pub end: f64,
}

/// Bytes of one read of a sample.
const READ_BYTES: usize = 1 << 20;

impl SpeedSample {
    /// Reads at three places for about a third of `budget` each. `now` tells the time since any fixed moment.
    ///
    /// # Errors
    /// The drive can't be read there.
    pub fn take(medium: &mut dyn Medium, budget: Duration, now: &dyn Fn() -> Duration) -> Result<Self, MediumError> {
        let mut buffer = AlignedBuffer::new(READ_BYTES.max(medium.geometry().physical as usize));
        let mut at = |position: f64| Self::at_place(medium, position, budget / 3, now, buffer.bytes());
        Ok(Self { start: at(0.0)?, middle: at(0.5)?, end: at(1.0)? })
    }

    fn at_place(
        medium: &mut dyn Medium,
        position: f64,
        budget: Duration,
        now: &dyn Fn() -> Duration,
        buffer: &mut [u8],
    ) -> Result<f64, MediumError> {
        const MAX_READS: u64 = 128;
        // A place is a small part of the drive, or the end would be sampled far before the end.
        const A_PLACE: u64 = 50;
        let geometry = medium.geometry();
        let step = (buffer.len() as u64 / u64::from(geometry.logical)).clamp(1, geometry.sectors.max(1));
        let reads = MAX_READS.min(geometry.sectors / step / A_PLACE).max(1);
        let last = geometry.sectors.saturating_sub(reads * step);
        let first = (last as f64 * position) as u64 / geometry.unit() * geometry.unit();
        let out = &mut buffer[..geometry.bytes_of(step) as usize];
        // The way of the heads there is not the drive's speed: the first read is not timed.
        medium.read(Lba(first), out)?;
        let (begun, mut bytes) = (now(), 0);
        for n in 0..reads {
            medium.read(Lba(first + n * step), out)?;
            bytes += out.len();
            if now().saturating_sub(begun) >= budget {
                break;
            }
        }
        Ok(bytes as f64 / now().saturating_sub(begun).as_secs_f64().max(1e-9))
    }

    /// Speed at `position`, from 0.0 (first sector) to 1.0 (last), by straight lines between the three places.
    pub fn at(&self, position: f64) -> f64 {
        let (from, to, share) = match position.clamp(0.0, 1.0) {
            p if p < 0.5 => (self.start, self.middle, p * 2.0),
            p => (self.middle, self.end, p * 2.0 - 1.0),
        };
        (from + (to - from) * share).max(1.0)
    }

    /// Seconds to read `bytes` that lie evenly between two positions.
    fn seconds(&self, bytes: f64, from: f64, to: f64) -> f64 {
        const STEPS: u32 = 48;
        let middle = |n: u32| from + (to - from) * (f64::from(n) + 0.5) / f64::from(STEPS);
        (0..STEPS).map(|n| bytes / f64::from(STEPS) / self.at(middle(n))).sum()
    }
}

/// What an estimate rests on.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Basis {
    /// The drive's speed was sampled.
    Sampled,
    /// Nothing but the class of media is known.
    Typical,
    /// The drive's own word.
    ToldByDrive,
    /// The drive's own word, which is that it takes longer than this.
    ToldAtLeast,
}

/// A time with its spread.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Estimate {
    /// The most likely time, in seconds.
    #[serde(rename = "likely_seconds", serialize_with = "seconds")]
    #[schemars(with = "f64")]
    pub likely: Duration,
    /// The shortest that is likely, in seconds.
    #[serde(rename = "shortest_seconds", serialize_with = "seconds")]
    #[schemars(with = "f64")]
    pub shortest: Duration,
    /// The longest that is likely, in seconds.
    #[serde(rename = "longest_seconds", serialize_with = "seconds")]
    #[schemars(with = "f64")]
    pub longest: Duration,
    /// What it rests on.
    pub basis: Basis,
}

fn seconds<S: serde::Serializer>(d: &Duration, to: S) -> Result<S::Ok, S::Error> {
    to.serialize_u64(d.as_secs())
}

impl fmt::Display for Estimate {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (likely, shortest, longest) = (duration(self.likely), duration(self.shortest), duration(self.longest));
        match self.basis {
            Basis::ToldByDrive => write!(f, "{likely}, by the drive's own word"),
            Basis::ToldAtLeast => write!(f, "more than {likely}, by the drive's own word"),
            Basis::Sampled if self.longest < Duration::from_secs(1) => write!(f, "{longest}"),
            Basis::Sampled if self.likely < Duration::from_secs(1) => write!(f, "{likely} (up to {longest})"),
            Basis::Sampled if shortest == longest => write!(f, "about {likely}"),
            Basis::Sampled => write!(f, "about {likely} ({shortest} to {longest})"),
            Basis::Typical => write!(f, "perhaps {likely} ({shortest} to {longest}; its speed was not sampled)"),
        }
    }
}

/// What is known of a class where its speed was not sampled, and how writing relates to reading.
struct Habit {
    typical: SpeedSample,
    /// Writing speed as a share of reading speed: least, likely, most.
    writing: (f64, f64, f64),
    /// Time of one move to another place.
    seek: Duration,
}

fn habit(class: MediaClass) -> Habit {
    let flat = |speed: f64| SpeedSample { start: speed, middle: speed, end: speed };
    let (typical, writing, seek_ms) = match class {
        MediaClass::Magnetic => (SpeedSample { start: 190e6, middle: 155e6, end: 92e6 }, (0.8, 0.9, 1.05), 12),
        MediaClass::SolidState => (flat(450e6), (0.4, 0.8, 1.1), 0),
        MediaClass::RemovableFlash => (flat(25e6), (0.25, 0.6, 1.0), 1),
        MediaClass::EmbeddedFlash => (flat(60e6), (0.3, 0.7, 1.0), 1),
        MediaClass::Virtual | MediaClass::Optical | MediaClass::Unknown => (flat(200e6), (0.4, 0.8, 1.1), 1),
    };
    Habit { typical, writing, seek: Duration::from_millis(seek_ms) }
}

/// Writing speed of a class of media as a likely share of its reading speed.
pub fn writing_share(class: MediaClass) -> f64 {
    habit(class).writing.1
}

/// How far a typical speed may be off, either way.
const TYPICAL_SPREAD: f64 = 2.5;
/// How far a sampled reading speed may be off.
const SAMPLED_SPREAD: f64 = 1.05;

/// Time to carry out `order` on `drive`.
pub fn of_order(drive: &Drive, order: &Order, sample: Option<&SpeedSample>) -> Estimate {
    let habit = habit(drive.class);
    let speed = sample.copied().unwrap_or(habit.typical);
    let spread = if sample.is_some() { SAMPLED_SPREAD } else { TYPICAL_SPREAD };
    let range = order.range.unwrap_or(drive.geometry.whole());
    let position = |lba: u64| lba as f64 / drive.geometry.sectors.max(1) as f64;
    let bytes = drive.geometry.bytes_of(range.count) as f64;
    let once = speed.seconds(bytes, position(range.first.0), position(range.end()));
    let readings = order.readings() as f64;
    let (share, places) = if order.is_sampled() { sampled_share(range) } else { (1.0, 0) };
    let reading = readings * (once * share + places as f64 * habit.seek.as_secs_f64());
    let (marking, marks) = if order.measures(drive) { size_check(drive.geometry) } else { (0, 0) };
    let reading = reading + 2.0 * marks as f64 * habit.seek.as_secs_f64();
    let laying = once * order.passes() as f64 + marking as f64 / speed.at(0.5);
    let (least, likely, most) = habit.writing;
    let time =
        |writing: f64, spread: f64| Duration::try_from_secs_f64((laying / writing + reading) * spread).unwrap_or(Duration::MAX);
    Estimate {
        likely: time(likely, 1.0),
        shortest: time(most, 1.0 / spread),
        longest: time(least, spread),
        basis: if sample.is_some() { Basis::Sampled } else { Basis::Typical },
    }
}

/// Share of the range that a sample reads, and in how many places.
fn sampled_share(range: Sectors) -> (f64, usize) {
    let places = Sampling::new([0; 16]).places(range);
    (places.count() as f64 / range.count.max(1) as f64, places.iter().len())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::plan::Verification;
    use jurex_device::testing::Memory;
    use jurex_device::testing::test_drive;
    use jurex_pattern::method;
    use std::cell::Cell;

    const TB: u64 = 1_000_000_000_000 / 512;

    #[test]
    fn thirty_five_passes_over_a_large_magnetic_drive_read_as_days() {
        let sample = SpeedSample { start: 200e6, middle: 160e6, end: 100e6 };
        let order = |name: &str| Order::of_method(method::find(name).unwrap());
        let drive = test_drive(MediaClass::Magnetic, 2 * TB);
        let said = |order: &Order| of_order(&drive, order, Some(&sample)).to_string();
        let sampled = Order { verification: Verification::SAMPLED, ..order("zeros") };
        let half = Order { range: Some(Sectors::new(0, TB)), ..order("zeros") };
        insta::assert_snapshot!([said(&order("gutmann-1996")), said(&order("zeros")), said(&sampled), said(&half)].join("\n"));
    }

    #[test]
    fn a_sample_is_a_second_or_two_of_reading_at_three_places_and_no_write() {
        let mut medium = Memory::new(MediaClass::Magnetic, 40_000);
        let clock = Cell::new(0);
        let now = || {
            clock.set(clock.get() + 5);
            Duration::from_millis(clock.get())
        };
        let sample = SpeedSample::take(&mut medium, Duration::from_secs(1), &now).unwrap();
        assert!(sample.start > 0.0 && sample.end > 0.0 && clock.get() < 1200, "{sample:?} after {} ms", clock.get());
        assert!(medium.writes.iter().all(|n| *n == 0));
        for sectors in [1, 7, 2049] {
            let mut tiny = Memory::new(MediaClass::Magnetic, sectors);
            assert!(SpeedSample::take(&mut tiny, Duration::ZERO, &now).is_ok(), "{sectors} sectors");
        }
    }

    #[test]
    fn a_size_check_takes_seconds_and_is_in_the_estimate() {
        let drive = test_drive(MediaClass::RemovableFlash, TB / 16);
        let order = Order::of_method(method::find("zeros").unwrap());
        let without = Order { size_check: crate::plan::SizeCheck::No, ..order.clone() };
        let sample = SpeedSample { start: 25e6, middle: 25e6, end: 25e6 };
        let more = of_order(&drive, &order, Some(&sample)).likely - of_order(&drive, &without, Some(&sample)).likely;
        assert!((Duration::from_secs(3)..Duration::from_secs(40)).contains(&more), "{more:?}");
    }

    #[test]
    fn an_unsampled_drive_says_so_and_its_spread_is_wide() {
        let drive = test_drive(MediaClass::RemovableFlash, TB / 16);
        let order = Order::of_method(method::find("zeros").unwrap());
        let estimate = of_order(&drive, &order, None);
        assert!(estimate.to_string().contains("not sampled") && estimate.longest > estimate.shortest * 4);
    }
}
