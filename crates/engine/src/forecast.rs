//! The time that a job has left, learned from its pace by position: the inner tracks of a magnetic drive are slower than
//! the outer ones, so a flat mean promises too much.

use jurex_device::media::{Drive, MediaClass};
use jurex_sanitize::estimate::{SpeedSample, writing_share};
use jurex_sanitize::pace::{BINS, Pace};
use std::time::Duration;

/// What is known of the drive's pace. The last of each list is the pass that is being worked on.
pub(super) struct KnownPace<'p> {
    pub(super) drive: &'p Drive,
    pub(super) laying: Vec<&'p Pace>,
    pub(super) reading: Vec<&'p Pace>,
    pub(super) sample: Option<&'p SpeedSample>,
}

/// Sectors that are still to be worked through.
pub(super) struct RemainingWork {
    pub(super) laying_now: u64,
    pub(super) reading_now: u64,
    pub(super) passes_after: u64,
    pub(super) reading_after: u64,
}

/// Seconds for one sector of each part of the range.
type PaceShape = [f64; BINS];

impl KnownPace<'_> {
    /// `None` before any work was noted.
    pub(super) fn time_left(&self, left: &RemainingWork) -> Option<Duration> {
        let begun = |paces: &[&Pace]| paces.iter().any(|p| p.total().0 > 0);
        if !begun(&self.laying) {
            return None;
        }
        let laying = self.shape(&self.laying, None)?;
        let reading = if begun(&self.reading) {
            self.shape(&self.reading, Some(&laying))?
        } else {
            // Nothing was read yet: as the sample reads, else as such media read next to how they write.
            self.sampled_shape().unwrap_or_else(|| laying.map(|s| s * writing_share(self.drive.class)))
        };
        let all = self.range_sectors();
        let mean = |shape: &PaceShape| shape.iter().sum::<f64>() / BINS as f64;
        let now_laying = rest(self.laying.last()?, &laying, left.laying_now, all);
        let now_reading = match self.reading.last() {
            Some(pace) if pace.total().0 > 0 => rest(pace, &reading, left.reading_now, all),
            _ => left.reading_now as f64 * mean(&reading),
        };
        let later = left.passes_after as f64 * all * mean(&laying) + left.reading_after as f64 * mean(&reading);
        Duration::try_from_secs_f64(now_laying + now_reading + later).ok()
    }

    fn range_sectors(&self) -> f64 {
        self.laying.last().map_or(0.0, |p| p.range().count as f64)
    }

    /// The shape of the passes so far: what was measured, and for the rest what an earlier pass, `other`, the sample, or a
    /// platter's geometry foretells, scaled so that it meets what was measured.
    fn shape(&self, paces: &[&Pace], other: Option<&PaceShape>) -> Option<PaceShape> {
        let known = paces.iter().rev().find(|p| p.total().0 > 0)?.seconds_per_sector();
        let earlier = paces.iter().rev().skip(1).find(|p| p.sectors().all(|n| n > 0)).map(|p| {
            let seconds = p.seconds_per_sector();
            std::array::from_fn(|i| seconds[i].unwrap_or(0.0))
        });
        let foretold: PaceShape =
            earlier.or(other.copied()).or_else(|| self.sampled_shape()).unwrap_or_else(|| self.platter(&known));
        let (measured, expected) = known
            .iter()
            .zip(&foretold)
            .filter_map(|(k, f)| Some((k.as_ref()?, f)))
            .fold((0.0, 0.0), |(m, e), (k, f)| (m + k, e + f));
        let scale = if expected > 0.0 { measured / expected } else { 1.0 };
        Some(std::array::from_fn(|i| known[i].unwrap_or(foretold[i] * scale)))
    }

    fn sampled_shape(&self) -> Option<PaceShape> {
        let sample = self.sample?;
        let sector = f64::from(self.drive.geometry.logical);
        Some(std::array::from_fn(|i| sector / sample.at(self.position(i))))
    }

    /// Position on the drive of the middle of part `i` of the range.
    fn position(&self, i: usize) -> f64 {
        let range = self.laying.last().map(|p| p.range());
        let (first, count) = range.map_or((0.0, 1.0), |r| (r.first.0 as f64, r.count as f64));
        (first + count * (i as f64 + 0.5) / BINS as f64) / (self.drive.geometry.sectors.max(1)) as f64
    }

    /// On a platter of even density the square of the speed falls in a straight line with position. The line is fitted to
    /// what was measured; it never rises, and never falls below a third of the first speed. Other media are flat.
    fn platter(&self, known: &[Option<f64>]) -> PaceShape {
        let points: Vec<(f64, f64)> =
            known.iter().enumerate().filter_map(|(i, s)| Some((self.position(i), s.as_ref()?.max(1e-12).powi(-2)))).collect();
        let n = points.len() as f64;
        let (mean_x, mean_y) = points.iter().fold((0.0, 0.0), |(x, y), p| (x + p.0 / n, y + p.1 / n));
        let (sxx, sxy) =
            points.iter().fold((0.0, 0.0), |(a, b), p| (a + (p.0 - mean_x).powi(2), b + (p.0 - mean_x) * (p.1 - mean_y)));
        const ENOUGH: usize = 8;
        let turns = self.drive.class == MediaClass::Magnetic && points.len() >= ENOUGH;
        let slope = if turns && sxx > 0.0 { (sxy / sxx).min(0.0) } else { 0.0 };
        let at = |x: f64| mean_y + slope * (x - mean_x);
        let least = at(0.0).max(mean_y) / 9.0;
        std::array::from_fn(|i| at(self.position(i)).max(least).max(1e-18).powf(-0.5))
    }
}

/// Seconds for the parts that `pace` has not covered. `left` is how many sectors that is in truth: faulty ones and those
/// that are not sampled are not in the pace.
fn rest(pace: &Pace, shape: &PaceShape, left: u64, all: f64) -> f64 {
    let a_part = all / BINS as f64;
    let (sectors, seconds) = pace
        .sectors()
        .zip(shape)
        .map(|(done, seconds)| ((a_part - done as f64).max(0.0), seconds))
        .fold((0.0, 0.0), |(n, t), (open, seconds)| (n + open, t + open * seconds));
    if sectors > 0.0 { seconds * left as f64 / sectors } else { 0.0 }
}
