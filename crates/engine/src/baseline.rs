//! What lay at drawn places before a drive erased itself, remembered without a byte of it: a salted digest of each sector that
//! held anything that could be told apart later. Salt and digests live as long as the job can go on, and no longer.

use jurex_pattern::ranges::RangeSet;
use jurex_pattern::text::hex;
use jurex_pattern::units::{Lba, Sectors};
use jurex_sanitize::digest::SectorDigest;
use jurex_sanitize::evidence::Drawn;
use jurex_sanitize::sampling::Sampling;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// Nothing is known of the sector: it was not read, or gave an error.
const UNKNOWN: u64 = 0;
/// It was blank.
const BLANK: u64 = 1;
const FIRST_DIGEST: u64 = SectorDigest::FIRST_DIGEST;

/// Digests that are kept at most: of larger samples each sector in so many.
const MOST: u64 = 1 << 16;
/// Sectors of a part of the drive on which something is laid, where nothing lies there that could be told apart.
const MARKS: usize = 4;
/// One sector is drawn in each of so many parts where only that is to be known.
const THIN: u64 = Sampling::PARTS;

/// The drawn places and what they held.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct BaselineSample {
    whole: Sectors,
    /// Places with the number of sectors in those before each.
    places: Vec<(Sectors, u64)>,
    stride: u64,
    met: Vec<u64>,
}

/// The same as it is kept.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub(super) struct KeptBaseline {
    /// Eight bytes of each.
    met: String,
}

impl BaselineSample {
    /// At `places` of a drive that reaches over `whole`.
    pub(super) fn new(whole: Sectors, places: &RangeSet) -> Self {
        let mut before = 0;
        let placed = |at: &Sectors| {
            let start = before;
            before += at.count;
            (*at, start)
        };
        let places: Vec<(Sectors, u64)> = places.iter().map(placed).collect();
        let stride = before.div_ceil(MOST).max(1);
        Self { whole, places, stride, met: vec![UNKNOWN; before.div_ceil(stride) as usize] }
    }

    /// One sector in each of a thousand parts: enough to tell whether a drive holds anything at all.
    pub(super) fn thin(whole: Sectors) -> Self {
        let parts = whole.count.min(THIN);
        let first = |n: u64| whole.first.0 + (u128::from(whole.count) * u128::from(n) / u128::from(parts.max(1))) as u64;
        let places: Vec<(Sectors, u64)> = (0..parts).map(|n| (Sectors::new(first(n), 1), n)).collect();
        Self { whole, places, stride: 1, met: vec![UNKNOWN; parts as usize] }
    }

    /// What the places are of.
    pub(super) fn whole(&self) -> Sectors {
        self.whole
    }

    /// The places, in order.
    pub(super) fn places(&self) -> impl DoubleEndedIterator<Item = Sectors> + '_ {
        self.places.iter().map(|(at, _)| *at)
    }

    fn slot(&self, lba: u64) -> Option<usize> {
        let at = self.places.partition_point(|(place, _)| place.first.0 <= lba).checked_sub(1)?;
        let (place, before) = self.places[at];
        let index = before + (lba - place.first.0);
        (lba < place.end() && index.is_multiple_of(self.stride)).then_some((index / self.stride) as usize)
    }

    /// The sector of a slot.
    fn sector(&self, slot: usize) -> u64 {
        let index = slot as u64 * self.stride;
        let at = self.places.partition_point(|(_, before)| *before <= index).saturating_sub(1);
        self.places.get(at).map_or(0, |(place, before)| place.first.0 + (index - before))
    }

    /// Notes what the sectors from `first` on hold.
    pub(super) fn note(&mut self, first: Lba, met: &[SectorDigest]) {
        for (lba, met) in (first.0..).zip(met) {
            if let Some(slot) = self.slot(lba) {
                self.met[slot] = match met {
                    SectorDigest::Blank(_) => BLANK,
                    SectorDigest::Digest(digest) => *digest,
                };
            }
        }
    }

    /// Those of the sectors from `first` on that are as they were.
    pub(super) fn as_before(&self, first: Lba, met: &[SectorDigest]) -> RangeSet {
        let mut same = RangeSet::new();
        for (lba, met) in (first.0..).zip(met) {
            let Some(slot) = self.slot(lba) else { continue };
            if matches!(met, SectorDigest::Digest(digest) if self.met[slot] == *digest) {
                same.insert(Sectors::new(lba, 1));
            }
        }
        same
    }

    /// What is known of the places.
    pub(super) fn drawn(&self) -> Drawn {
        Drawn {
            compared: self.met.iter().filter(|m| **m >= FIRST_DIGEST).count() as u64,
            blank_before: self.met.iter().filter(|m| **m == BLANK).count() as u64,
            parts: self.told_parts().len() as u64,
        }
    }

    fn parts(&self) -> u64 {
        Drawn::PARTS.min(self.whole.count)
    }

    /// The part of the drive in which a slot's sector lies.
    fn part(&self, slot: usize) -> u64 {
        let at = u128::from(self.sector(slot) - self.whole.first.0);
        // A part begins with the sector that its share of the whole, rounded down, falls on.
        ((at + 1) * u128::from(self.parts())).div_ceil(u128::from(self.whole.count.max(1))) as u64 - 1
    }

    /// The parts in which something lies that can be told apart.
    fn told_parts(&self) -> BTreeSet<u64> {
        (0..self.met.len()).filter(|slot| self.met[*slot] >= FIRST_DIGEST).map(|slot| self.part(slot)).collect()
    }

    /// Whether enough of them hold something that can be told apart afterwards.
    pub(super) fn is_enough(&self) -> bool {
        self.drawn().parts >= self.parts()
    }

    /// Sectors on which something is laid to be told apart, where too little lies there.
    pub(super) fn marks(&self) -> Vec<Sectors> {
        let told = self.told_parts();
        let mut blank: BTreeMap<u64, Vec<usize>> = BTreeMap::new();
        for slot in (0..self.met.len()).filter(|slot| self.met[*slot] == BLANK) {
            let part = self.part(slot);
            if !told.contains(&part) {
                blank.entry(part).or_default().push(slot);
            }
        }
        let spread = |slots: &Vec<usize>| {
            let every = slots.len().div_ceil(MARKS).max(1);
            slots.iter().step_by(every).map(|slot| Sectors::new(self.sector(*slot), 1)).collect::<Vec<_>>()
        };
        blank.values().flat_map(spread).collect()
    }

    pub(super) fn to_kept(&self) -> KeptBaseline {
        let bytes: Vec<u8> = self.met.iter().flat_map(|m| m.to_le_bytes()).collect();
        KeptBaseline { met: hex::encode(&bytes) }
    }

    /// With what was kept of the same places; `None`: it is of others.
    pub(super) fn with_kept(mut self, kept: &KeptBaseline) -> Option<Self> {
        let bytes = hex::decode(&kept.met)?;
        let met: Vec<u64> = bytes.chunks_exact(8).map(|b| u64::from_le_bytes(std::array::from_fn(|i| b[i]))).collect();
        (met.len() == self.met.len()).then(|| {
            self.met = met;
            self
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_sanitize::digest::Salt;
    use proptest::prelude::*;

    fn salt() -> Salt {
        Salt::new([9; 16])
    }

    fn met(lba: u64, byte: u8) -> SectorDigest {
        let mut sector = [byte; 512];
        sector[3] = lba as u8;
        SectorDigest::of(salt(), Lba(lba), &sector)
    }

    #[test]
    fn what_was_blank_proves_nothing_and_what_is_as_before_is_found() {
        let whole = Sectors::new(0, 400_000);
        let mut draw = BaselineSample::new(whole, &[Sectors::new(10, 4), Sectors::new(3000, 2)].into_iter().collect());
        draw.note(Lba(10), &[met(10, 1), SectorDigest::Blank(0), met(12, 1), met(13, 1)]);
        draw.note(Lba(3000), &[met(3000, 1)]);
        assert_eq!(draw.drawn(), Drawn { compared: 4, blank_before: 1, parts: 2 });
        assert!(!draw.is_enough() && draw.marks().is_empty(), "its part is told already");
        let after = [met(10, 1), met(11, 1), met(12, 2), SectorDigest::Blank(0)];
        assert_eq!(draw.as_before(Lba(10), &after).sentence(3), "sector 10");
        let again = BaselineSample::new(whole, &[Sectors::new(10, 4), Sectors::new(3000, 2)].into_iter().collect());
        assert_eq!(again.with_kept(&draw.to_kept()), Some(draw.clone()));
        assert_eq!(BaselineSample::thin(whole).with_kept(&draw.to_kept()), None, "kept of other places");
    }

    #[test]
    fn something_must_lie_in_every_part_of_a_drive_before_it_is_enough() {
        let whole = Sectors::new(0, 400_000);
        let mut sample = BaselineSample::thin(whole);
        let places: Vec<Sectors> = sample.places().collect();
        let (last, others) = places.split_last().unwrap();
        others.iter().for_each(|at| sample.note(at.first, &[met(at.first.0, 1)]));
        assert!(!sample.is_enough(), "a drive may have erased itself in part");
        sample.note(last.first, &[met(last.first.0, 1)]);
        assert!(sample.is_enough());
        sample.note(last.first, &[SectorDigest::Digest(FIRST_DIGEST)]);
        assert!(sample.is_enough() && sample.drawn().compared == 1000, "the lowest digest is one too");
    }

    #[test]
    fn of_many_places_every_so_many_is_kept_and_found_again() {
        // Two stretches, three times as many sectors as are kept.
        let (first, second) = (Sectors::new(7, 2 * MOST), Sectors::new(7 + 5 * MOST, MOST));
        let mut sample = BaselineSample::new(Sectors::new(7, 8 * MOST), &[first, second].into_iter().collect());
        assert_eq!((sample.stride, sample.met.len() as u64), (3, MOST));
        let sectors: Vec<u64> = (0..MOST as usize).map(|slot| sample.sector(slot)).collect();
        assert!(sectors.windows(2).all(|two| two[1] - two[0] == 3 || two == [first.end() - 2, second.first.0 + 1]));
        assert_eq!(sample.slot(first.first.0 - 1), None, "before all of them");
        assert_eq!(
            (sample.slot(first.first.0), sample.slot(first.first.0 + 1), sample.slot(first.first.0 + 3)),
            (Some(0), None, Some(1))
        );
        assert_eq!((sample.slot(first.end()), sample.slot(second.end())), (None, None), "behind a stretch");
        // Sectors between two slots are kept nowhere; those of a slot are compared with what it held.
        sample.note(first.first, &[met(7, 1), met(8, 1), met(9, 1), met(10, 1)]);
        assert_eq!(sample.drawn().compared, 2);
        assert_eq!(
            sample.as_before(first.first, &[met(7, 1), met(8, 1), met(9, 1), met(10, 1)]).sentence(3),
            "sector 7, sector 10"
        );
        let at_the_end = |sector: u64| sample.part(sample.slot(sector).unwrap());
        assert_eq!((at_the_end(7), at_the_end(second.end() - 3)), (0, Drawn::PARTS * 6 / 8 - 1));
    }

    #[test]
    fn marks_are_laid_in_each_part_that_holds_nothing_distinct_and_in_no_other() {
        let whole = Sectors::new(100, 400_000);
        let mut sample = BaselineSample::new(whole, &[whole].into_iter().collect());
        let of_part = |part: u64| 100 + 400 * part;
        // All is blank, but for one sector of the second part; the third was never read.
        for part in (0..1000).filter(|part| *part != 2) {
            sample.note(Lba(of_part(part)), &vec![SectorDigest::Blank(0); 400]);
        }
        let distinct = (of_part(1)..of_part(2)).find(|lba| sample.slot(*lba).is_some()).unwrap();
        sample.note(Lba(distinct), &[met(distinct, 1)]);
        assert_eq!(sample.drawn().parts, 1);
        let marks = sample.marks();
        let in_part = |part: u64| marks.iter().filter(|m| (m.first.0 - 100) / 400 == part).count();
        assert_eq!((in_part(0), in_part(1), in_part(2), in_part(999)), (MARKS, 0, 0, MARKS));
        assert!(marks.iter().all(|m| m.count == 1 && sample.slot(m.first.0).is_some_and(|slot| sample.met[slot] == BLANK)));
    }

    proptest! {
        #[test]
        fn every_slot_is_the_sector_that_it_stands_for(count in 1u64..200_000, seed: u8) {
            let whole = Sectors::new(0, count);
            for draw in [BaselineSample::new(whole, &Sampling::new([seed; 16]).places(whole)), BaselineSample::thin(whole)] {
                let step = (draw.met.len() / 50).max(1);
                for slot in (0..draw.met.len()).step_by(step) {
                    prop_assert_eq!(draw.slot(draw.sector(slot)), Some(slot));
                }
                let mut all = draw.clone();
                all.met.fill(FIRST_DIGEST);
                prop_assert!(all.is_enough(), "a part of {} has no place: {:?}", count, all.drawn());
                prop_assert!(draw.met.len() as u64 <= MOST);
            }
        }
    }
}
