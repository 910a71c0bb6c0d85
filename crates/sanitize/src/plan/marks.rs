//! Where a drive is marked to find out how large it truly is.

use jurex_device::media::Geometry;
use jurex_pattern::units::Sectors;

/// Bytes of a stride, where the drive is large enough.
const STRIDE_BYTES: u64 = 32 << 20;
/// Sectors a stride apart are at most so many: on larger drives the stride is longer.
const MAX_PLACES: u64 = 4096;
/// A stride is at most such a part of the drive.
const MIN_PLACES: u64 = 64;
/// Where tags are laid.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ProbeLayout {
    /// Sectors that the drive says it has.
    pub told: u64,
    unit: u64,
    /// From one tag to the next, in sectors.
    pub stride: u64,
}

impl ProbeLayout {
    /// As a drive of that size is tagged.
    pub fn of(geometry: Geometry) -> Self {
        let (told, unit) = (geometry.sectors, geometry.unit());
        let usual = STRIDE_BYTES / u64::from(geometry.logical);
        let stride = usual.max(told / MAX_PLACES).min(told / MIN_PLACES) / unit * unit;
        Self { told, unit, stride: stride.max(unit) }
    }

    /// The stride at the end of the drive, from the start of a physical sector on.
    pub fn last(&self) -> Sectors {
        let first = self.told.saturating_sub(self.stride) / self.unit * self.unit;
        Sectors::new(first, self.told - first)
    }

    /// The one at its start.
    pub fn first(&self) -> Sectors {
        Sectors::new(0, self.stride.min(self.last().first.0))
    }

    /// A physical sector at each stride before the last one.
    pub fn apart(&self) -> Vec<Sectors> {
        let end = self.last().first.0;
        (0..end).step_by(self.stride as usize).map(|first| Sectors::new(first, self.unit)).collect()
    }

    /// Sectors that are written and read if nothing is wrong.
    pub fn work(&self) -> u64 {
        let apart = self.apart().iter().map(|s| s.count).sum::<u64>();
        2 * (apart + self.last().count) + self.first().count
    }
}

/// Bytes that a size check of such a drive writes and reads, and the places a stride apart.
pub fn size_check(geometry: Geometry) -> (u64, u64) {
    let layout = ProbeLayout::of(geometry);
    (geometry.bytes_of(layout.work()), layout.apart().len() as u64)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_large_drive_is_measured_by_little_and_every_period_comes_to_lie_on_a_tag() {
        let geometry = |sectors| Geometry { logical: 512, physical: 512, sectors };
        let megabytes = |sectors| ProbeLayout::of(geometry(sectors)).work() * 512 / 1_000_000;
        assert!(megabytes(125_000_000) < 180, "{} MB of 64 GB", megabytes(125_000_000));
        assert!(megabytes(4_000_000_000) < 2700, "{} MB of 2 TB", megabytes(4_000_000_000));
        for told in [1, 2, 63, 64, 65, 1000, 4097] {
            let layout = ProbeLayout::of(geometry(told));
            assert!(layout.last().end() == told && layout.stride >= 1 && layout.apart().len() as u64 <= told, "{layout:?}");
        }
    }

    #[test]
    fn the_stride_is_a_64th_of_a_small_drive_32_mib_of_an_ordinary_and_a_4096th_of_a_large_one() {
        let of = |physical, sectors| ProbeLayout::of(Geometry { logical: 512, physical, sectors });
        assert_eq!((of(512, 6400).stride, of(4096, 6400).stride), (100, 96), "on whole physical sectors");
        assert_eq!(of(512, 64 * 65_536).stride, 65_536);
        assert_eq!((of(512, 4096 * 65_536).stride, of(512, 4096 * 65_537).stride), (65_536, 65_537));
        assert_eq!((of(4096, 8).stride, of(4096, 8).apart().len()), (8, 0), "never less than a physical sector");
        let layout = of(4096, 1010);
        assert_eq!((layout.stride, layout.last(), layout.first()), (8, Sectors::new(1000, 10), Sectors::new(0, 8)));
        let apart = layout.apart();
        assert_eq!((apart.len(), apart[1], apart[124]), (125, Sectors::new(8, 8), Sectors::new(992, 8)));
        assert_eq!(layout.work(), 2 * (1000 + 10) + 8);
        assert_eq!(size_check(Geometry { logical: 512, physical: 4096, sectors: 1010 }), (2028 * 512, 125));
        // The last one before the end may be a part of a physical sector.
        let odd = ProbeLayout { told: 20, unit: 3, stride: 8 };
        assert_eq!((odd.last(), odd.apart()), (Sectors::new(12, 8), vec![Sectors::new(0, 3), Sectors::new(8, 3)]));
    }

    proptest! {
        /// The number theory behind it, without a drive: on whatever drive that begins again after so many sectors, the stride at the
        /// end comes to lie on a mark, on the start that is written after it, or on itself.
        #[test]
        fn whatever_the_period_the_last_stride_lies_on_a_mark(told in 2u64..3_000_000, share in 0.0f64..1.0, physical in prop::sample::select(vec![512u32, 4096])) {
            let layout = ProbeLayout::of(Geometry { logical: 512, physical, sectors: told });
            let period = 1 + ((told - 1) as f64 * share) as u64;
            prop_assume!(period < told);
            let last = layout.last();
            prop_assert!(last.count >= layout.stride.min(told) && last.count < layout.stride + 16, "{:?}", layout);
            if period < last.count {
                return Ok(());
            }
            // It covers so many sectors from there on, perhaps round the end of what there is.
            let from = last.first.0 % period;
            let covered = |lba: u64| (lba + period - from) % period < last.count;
            let marked = layout.apart().iter().any(|at| at.first.0 < period && covered(at.first.0));
            let start = layout.first().count.min(period);
            prop_assert!(marked || covered(0) || from < start, "{:?} {period}", layout);
        }
    }
}
