//! Speed over position: how fast each part of the drive was worked through.

use jurex_pattern::units::Sectors;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::time::Duration;

/// Parts that a drive's range is divided into.
pub const BINS: usize = 120;

/// What happened in one part of the range.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Bin {
    /// Sectors worked through.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub sectors: u64,
    /// Microseconds that it took.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub micros: u64,
}

/// Speed over position for one pass, in [`BINS`] equal parts of its range.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Pace {
    range: Sectors,
    bins: Vec<Bin>,
}

impl Pace {
    /// Nothing worked through yet.
    pub fn new(range: Sectors) -> Self {
        Self { range, bins: vec![Bin::default(); BINS] }
    }

    /// Notes that `at` took so long. A stretch over several parts is shared out by its sectors.
    pub fn note(&mut self, at: Sectors, took: Duration) {
        let micros = took.as_micros().min(u64::MAX.into()) as u64;
        let mut first = at.first.0.max(self.range.first.0);
        let end = at.end().min(self.range.end());
        while first < end {
            let bin = self.bin_of(first);
            let n = self.first_after(bin).clamp(first + 1, end) - first;
            self.bins[bin].sectors = self.bins[bin].sectors.saturating_add(n);
            self.bins[bin].micros =
                self.bins[bin].micros.saturating_add((u128::from(micros) * u128::from(n) / u128::from(at.count.max(1))) as u64);
            first += n;
        }
    }

    fn bin_of(&self, lba: u64) -> usize {
        let offset = u128::from(lba - self.range.first.0);
        ((offset * BINS as u128 / u128::from(self.range.count.max(1))) as usize).min(BINS - 1)
    }

    fn first_after(&self, bin: usize) -> u64 {
        self.range.first.0 + ((bin as u128 + 1) * u128::from(self.range.count)).div_ceil(BINS as u128) as u64
    }

    /// Adds what another noted of the same range.
    pub fn add(&mut self, other: &Self) {
        for (mine, theirs) in self.bins.iter_mut().zip(&other.bins) {
            mine.sectors = mine.sectors.saturating_add(theirs.sectors);
            mine.micros = mine.micros.saturating_add(theirs.micros);
        }
    }

    /// Bytes per second of each part; `None` where nothing has been done or no time has passed.
    pub fn speeds(&self, sector_bytes: u32) -> Vec<Option<f64>> {
        let speed = |b: &Bin| (b.micros > 0).then(|| b.sectors as f64 * f64::from(sector_bytes) * 1e6 / b.micros as f64);
        self.bins.iter().map(speed).collect()
    }

    /// Seconds for one sector of each part; `None` where nothing has been done.
    pub fn seconds_per_sector(&self) -> Vec<Option<f64>> {
        self.bins.iter().map(|b| (b.sectors > 0).then(|| b.micros as f64 / 1e6 / b.sectors as f64)).collect()
    }

    /// The sectors of each part that have been worked through.
    pub fn sectors(&self) -> impl Iterator<Item = u64> {
        self.bins.iter().map(|b| b.sectors)
    }

    /// Whether it is about that range and its numbers can be added up.
    pub fn is_sound_for(&self, range: Sectors) -> bool {
        let sum = |of: fn(&Bin) -> u64| self.bins.iter().try_fold(0u64, |n, b| n.checked_add(of(b)));
        self.range == range && self.bins.len() == BINS && sum(|b| b.sectors).is_some() && sum(|b| b.micros).is_some()
    }

    /// The range that it is about.
    pub fn range(&self) -> Sectors {
        self.range
    }

    /// Sectors noted and the time that they took.
    pub fn total(&self) -> (u64, Duration) {
        let sum =
            self.bins.iter().fold(Bin::default(), |a, b| Bin { sectors: a.sectors + b.sectors, micros: a.micros + b.micros });
        (sum.sectors, Duration::from_micros(sum.micros))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn no_sector_is_lost_or_noted_twice(first in 0u64..1000, count in 1u64..10_000, step in 1u64..3000) {
            let range = Sectors::new(first, count);
            let mut pace = Pace::new(range);
            let mut at = first;
            while at < range.end() {
                let n = step.min(range.end() - at);
                pace.note(Sectors::new(at, n), Duration::from_millis(n));
                at += n;
            }
            prop_assert_eq!(pace.total().0, count);
            let covered = pace.bins.iter().filter(|b| b.sectors > 0).count();
            prop_assert_eq!(covered, (count as usize).min(BINS));
        }
    }

    #[test]
    fn a_slow_zone_shows_at_its_place() {
        let mut pace = Pace::new(Sectors::new(0, 1200));
        pace.note(Sectors::new(0, 600), Duration::from_secs(1));
        pace.note(Sectors::new(600, 300), Duration::from_secs(5));
        let speeds = pace.speeds(512);
        assert_eq!(speeds[10].map(|s| (s / 1e3).round()), Some(307.0));
        assert_eq!(speeds[70].map(|s| (s / 1e3).round()), Some(31.0));
        assert_eq!(speeds[119], None);
    }
}
