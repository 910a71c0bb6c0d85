//! Which places of a drive are searched, how far a search is, and what it came to.

use super::tally::Tally;
use crate::evidence::Ended;
use crate::pace::Pace;
use jurex_device::media::Geometry;
use jurex_pattern::notation::Entropy;
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::Sectors;
use std::time::Duration;

/// Bytes of one place of a sample.
const PLACE: u64 = 1 << 20;
/// Places of a sample, one in each of so many equal parts.
const SAMPLED: u64 = 2000;

/// Which stretches are read, in this order.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum SearchPlaces {
    /// All of this.
    Whole(Sectors),
    /// These.
    Drawn(Vec<Sectors>),
}

impl SearchPlaces {
    /// Every sector.
    pub fn whole(geometry: Geometry) -> Self {
        Self::Whole(geometry.whole())
    }

    /// Two thousand stretches of a mebibyte, one drawn in each of as many equal parts; everything of a drive that has no more, and
    /// the drive's two ends in any case.
    pub fn sampled(geometry: Geometry, entropy: &mut dyn Entropy) -> Self {
        let (whole, place) = (geometry.whole(), (PLACE / u64::from(geometry.logical)).max(1));
        if whole.count <= place * SAMPLED {
            return Self::whole(geometry);
        }
        let edge = |n: u64| (u128::from(whole.count) * u128::from(n) / u128::from(SAMPLED)) as u64;
        let mut draw = || {
            let mut bytes = [0; 8];
            entropy.fill(&mut bytes);
            u64::from_le_bytes(bytes)
        };
        let within = |n: u64, draw: u64| {
            let free = edge(n + 1) - edge(n) - place;
            let from = edge(n) + if n == 0 { 0 } else { draw % (free + 1) };
            Sectors::new(if n + 1 == SAMPLED { whole.count - place } else { from }, place)
        };
        // In an order that leaps over the drive, so that a search that is broken off has seen something of all of it. The step
        // has no divisor in common with their number.
        Self::Drawn((0..SAMPLED).map(|n| n * 777 % SAMPLED).map(|n| within(n, draw())).collect())
    }

    /// The stretches.
    pub fn stretches(&self) -> &[Sectors] {
        match self {
            Self::Whole(whole) => std::slice::from_ref(whole),
            Self::Drawn(drawn) => drawn,
        }
    }

    /// Sectors of all of them.
    pub fn count(&self) -> u64 {
        self.stretches().iter().map(|at| at.count).sum()
    }

    /// Whether it is every sector.
    pub fn is_whole(&self) -> bool {
        matches!(self, Self::Whole(_))
    }
}

/// How far a search is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct SearchProgress {
    /// Sectors that were dealt with.
    pub done: u64,
    /// Of so many.
    pub of: u64,
    /// Finds in them, chance among them, and blocks of text.
    pub finds: u64,
}

impl SearchProgress {
    /// From 0.0 to 1.0.
    pub fn share(self) -> f64 {
        self.done as f64 / self.of.max(1) as f64
    }
}

/// What a search came to.
#[derive(Clone, Debug)]
pub struct Searched {
    /// What was met.
    pub tally: Tally,
    /// Sectors that were looked through.
    pub read: u64,
    /// Sectors that gave an error.
    pub unreadable: RangeSet,
    /// How it ended.
    pub ended: Ended,
    /// Speed over position.
    pub pace: Pace,
    /// How long it took.
    pub took: Duration,
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_device::testing::Fixed;
    use jurex_pattern::units::Lba;

    #[test]
    fn a_sample_has_a_place_in_each_part_and_the_ends() {
        let geometry = Geometry { logical: 512, physical: 4096, sectors: 35_000_000_000 };
        let places = SearchPlaces::sampled(geometry, &mut Fixed(0x5a));
        assert_eq!((places.count(), places.is_whole()), (2000 * 2048, false));
        let mut all = places.stretches().to_vec();
        let early = all.iter().take(50).filter(|at| at.first.0 > geometry.sectors / 2).count();
        assert!((15..35).contains(&early), "a part of them is of the whole drive");
        all.sort_by_key(|at| at.first);
        assert!(
            all[0].first == Lba(0) && all[1999].end() == geometry.sectors && all.windows(2).all(|w| w[0].end() <= w[1].first.0)
        );
        let small = Geometry { sectors: 5000, ..geometry };
        assert_eq!(SearchPlaces::sampled(small, &mut Fixed(1)), SearchPlaces::Whole(Sectors::new(0, 5000)));
    }
}
