//! What a sample would have found: the chance that a leftover of some size, lying anywhere in one piece, is met by at least one
//! place. Sectors inside a place are no draws of their own; what counts is where the two places of each part can lie.

use super::{Sampling, wrong_share_at_most};
use crate::words::Said;
use jurex_device::media::Geometry;
use jurex_pattern::units::Sectors;

/// Positions that the chance is averaged over.
const STEPS: u32 = 2048;

/// One part with its two places, in sectors.
#[derive(Clone, Copy)]
struct ChancePart {
    /// Sectors of the part.
    size: f64,
    /// Sectors of each place.
    place: f64,
}

impl ChancePart {
    /// The chance that neither place touches the stretch from `from` to `to` of the part. The starts of the two places are two
    /// draws from what the places leave free, in order, the second shifted by a place's length: both lie before the stretch,
    /// both after it, or one on each side.
    fn missed(self, from: f64, to: f64) -> f64 {
        let free = self.size - 2.0 * self.place;
        let share = |room: f64| (room / free).clamp(0.0, 1.0);
        let before = share(from - 2.0 * self.place);
        let after = share(free - to);
        let each_side = 2.0 * share(from - self.place) * share(free + self.place - to);
        (before * before + after * after + each_side).min(1.0)
    }
}

impl Sampling {
    /// The chance, from 0.0 to 1.0, that a sample of `range` meets a leftover of so many sectors in one piece, wherever it lies.
    pub fn chance_to_meet(range: Sectors, leftover: u64) -> f64 {
        let size = range.count as f64 / range.count.clamp(1, Self::PARTS) as f64;
        let part = ChancePart { size, place: (size / Self::ONE_IN as f64).ceil() };
        let leftover = leftover as f64;
        // Parts that small are read whole; of two parts in a row at least one is covered whole.
        if part.size <= 2.0 * part.place || leftover >= 2.0 * size {
            return if leftover > 0.0 { 1.0 } else { 0.0 };
        }
        let missed_from = |start: f64| match start + leftover {
            end if end <= size => part.missed(start, end),
            // It reaches over the whole of the next part.
            end if end >= 2.0 * size => 0.0,
            end => part.missed(start, size) * part.missed(0.0, end - size),
        };
        let at = |step: u32| (f64::from(step) + 0.5) / f64::from(STEPS) * size;
        let missed: f64 = (0..STEPS).map(|step| missed_from(at(step))).sum::<f64>() / f64::from(STEPS);
        1.0 - missed
    }

    /// What a sample of `range` in which nothing was wrong says. Only places were drawn, so only they are counted.
    pub fn confidence(range: Sectors, geometry: Geometry) -> Said {
        let bytes = |sectors: u64| geometry.bytes_of(sectors.min(range.count));
        let share = wrong_share_at_most(Self::number_of_places(range)).unwrap_or(1.0);
        Said::new("chance")
            .number("one_in", (1.0 / share.max(f64::MIN_POSITIVE)).floor() as u64)
            .bytes("met95", bytes(Self::leftover_met(range, 0.95)))
            .bytes("met99", bytes(Self::leftover_met(range, 0.99)))
            .bytes("always", bytes(range.count.div_ceil(Self::PARTS).saturating_mul(2)))
    }

    /// The smallest leftover, in sectors, that a sample of `range` meets with at least that chance.
    pub fn leftover_met(range: Sectors, chance: f64) -> u64 {
        let (mut too_small, mut enough) = (0, range.count.max(1));
        while enough - too_small > 1 {
            let middle = too_small + (enough - too_small) / 2;
            if Self::chance_to_meet(range, middle) >= chance { enough = middle } else { too_small = middle }
        }
        enough
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_device::testing::Dice;

    /// How often a leftover of that size, put anywhere, is met by samples that are really drawn.
    fn observed(range: Sectors, leftover: u64, dice: &mut Dice) -> f64 {
        const SAMPLES: u32 = 40;
        const PLANTED: u32 = 250;
        let mut met = 0;
        for _ in 0..SAMPLES {
            let places = Sampling::new(std::array::from_fn(|_| dice.roll() as u8)).places(range);
            for _ in 0..PLANTED {
                let first = range.first.0 + dice.below(range.count - leftover + 1);
                met += u32::from(places.touches(Sectors::new(first, leftover)));
            }
        }
        f64::from(met) / f64::from(SAMPLES * PLANTED)
    }

    #[test]
    fn planted_leftovers_are_met_as_often_as_is_foretold() {
        let dice = &mut Dice(7);
        for count in [40_000, 1_000_000, 60_000_000] {
            let range = Sectors::new(dice.below(1000), count);
            let part = count / 1000;
            for share in [0, 5, 20, 50, 75, 100, 130, 170, 199] {
                let leftover = (part * share / 100).max(1);
                let (foretold, seen) = (Sampling::chance_to_meet(range, leftover), observed(range, leftover, dice));
                // Four standard deviations of ten thousand trials, and what whole sectors round.
                let noise = 4.0 * (foretold * (1.0 - foretold) / 10_000.0).sqrt() + 1.5 / part as f64 + 0.002;
                assert!((foretold - seen).abs() < noise, "{count}, {leftover}: {foretold:.4} foretold, {seen:.4} seen");
            }
        }
    }

    #[test]
    fn the_chance_grows_with_the_leftover_and_its_bounds_are_kept() {
        for count in [1, 999, 20_000, 35_000_000_000] {
            let range = Sectors::new(0, count);
            let sizes: Vec<u64> = (0..40).map(|n| count / 500 * n / 20).collect();
            let chances: Vec<f64> = sizes.iter().map(|s| Sampling::chance_to_meet(range, *s)).collect();
            assert!(
                chances.windows(2).all(|w| w[0] <= w[1] + 1e-9) && chances.iter().all(|c| (0.0..=1.0).contains(c)),
                "{chances:?}"
            );
            for chance in [0.95, 0.99] {
                let met = Sampling::leftover_met(range, chance);
                assert!(Sampling::chance_to_meet(range, met) >= chance);
                assert!(met == 1 || Sampling::chance_to_meet(range, met - 1) < chance);
            }
        }
        assert_eq!(Sampling::leftover_met(Sectors::new(0, 1500), 0.99), 1, "what is read whole misses nothing");
    }
}
