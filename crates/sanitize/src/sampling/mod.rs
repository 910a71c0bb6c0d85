//! Representative sampling: where to read when not everything is read (SP 800-88 Rev. 1, 4.7).

mod chance;

use jurex_pattern::pattern::{Pattern, PatternBuffer};
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::text::hex;
use jurex_pattern::units::Sectors;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt;

/// A choice of places. The same seed on the same range always gives the same places, so anyone can repeat the reading.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Sampling {
    /// What the places are drawn from; stands in the record.
    #[serde(with = "hex")]
    #[schemars(with = "jurex_pattern::text::HexDigits")]
    seed: [u8; 16],
}

impl Sampling {
    /// Equal parts that the range is divided into: the standard asks for at least a thousand.
    pub const PARTS: u64 = 1000;
    /// Each place covers at least one in so many sectors of its part: 5 %.
    const ONE_IN: u64 = 20;

    /// A choice drawn from `seed`.
    pub fn new(seed: [u8; 16]) -> Self {
        Self { seed }
    }

    /// The seed in hexadecimal digits.
    pub fn seed(&self) -> String {
        hex::encode(&self.seed)
    }

    /// In each part two places that don't overlap, at least 5 % of the part each, and the first and the last sector of
    /// the range. Parts too small for that are read whole.
    pub fn places(&self, range: Sectors) -> RangeSet {
        let mut places = RangeSet::new();
        let parts = range.count.min(Self::PARTS);
        let draws = self.draws(parts);
        for (part, draw) in (0..parts).zip(draws.chunks_exact(16)) {
            let edge = |n: u64| range.first.0 + (u128::from(range.count) * u128::from(n) / u128::from(parts)) as u64;
            let part = Sectors::new(edge(part), edge(part + 1) - edge(part));
            let long = part.count.div_ceil(Self::ONE_IN);
            // Two places in the free sectors: the first anywhere in the sorted draw, the second after it.
            let Some(free) = part.count.checked_sub(2 * long) else {
                places.insert(part);
                continue;
            };
            let draw = |at: usize| u64::from_le_bytes(std::array::from_fn(|i| draw[at + i]));
            let (a, b) = (draw(0) % (free + 1), draw(8) % (free + 1));
            places.insert(Sectors::new(part.first.0 + a.min(b), long));
            places.insert(Sectors::new(part.first.0 + a.max(b) + long, long));
        }
        if range.count > 0 {
            places.insert(Sectors::new(range.first.0, 1));
            places.insert(Sectors::new(range.last().0, 1));
        }
        places
    }

    /// How many places are drawn by themselves: two in each part. The first and the last sector are read too, and are no draws.
    pub fn number_of_places(range: Sectors) -> u64 {
        range.count.min(Self::PARTS) * 2
    }

    fn draws(&self, parts: u64) -> Vec<u8> {
        let len = (parts as usize * 16).next_multiple_of(512).max(512);
        PatternBuffer::new(len).get(&Pattern::random(self.seed), 0, 512, len).to_vec()
    }
}

impl fmt::Display for Sampling {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "places drawn from seed {}", self.seed())
    }
}

/// With 95 % confidence, the largest share of wrong sectors that `n` right ones, drawn at random, leave possible:
/// `1 - 0.05^(1/n)`. `None` for no sample.
/// ```
/// let share = jurex_sanitize::sampling::wrong_share_at_most(299).unwrap();
/// assert!((share - 0.00997).abs() < 0.0001);
/// ```
pub fn wrong_share_at_most(n: u64) -> Option<f64> {
    (n > 0).then(|| -f64::exp_m1(0.05f64.ln() / n as f64))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn every_part_is_met_with_a_tenth_of_its_sectors_and_the_ends_are_read(
            first in 0u64..1_000_000, count in 1u64..3_000_000, seed: [u8; 16],
        ) {
            let range = Sectors::new(first, count);
            let places = Sampling::new(seed).places(range);
            prop_assert!(places.count() * 10 >= count && places.contains(range.first) && places.contains(range.last()));
            prop_assert!(places.iter().all(|p| p.first >= range.first && p.end() <= range.end()));
            let parts = count.min(1000);
            for n in 0..parts {
                let (from, to) = (first + count * n / parts, first + count * (n + 1) / parts);
                let met: u64 = places.iter().map(|p| p.end().min(to).saturating_sub(p.first.0.max(from))).sum();
                prop_assert!(met * 10 >= to - from, "part {} has {} of {}", n, met, to - from);
            }
        }
    }

    #[test]
    fn another_seed_reads_elsewhere_and_the_same_one_repeats() {
        let range = Sectors::new(0, 1_000_000);
        let (a, b) = (Sampling::new([1; 16]), Sampling::new([2; 16]));
        assert_eq!(a.places(range), a.places(range));
        assert_ne!(a.places(range), b.places(range));
        assert!(a.places(range).count() < 110_000);
    }
}
