//! Sets of sectors, kept as sorted stretches that never touch.

use crate::units::{Lba, Sectors};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Sectors with something in common (unwritable, unreadable, wrong), as sorted, merged stretches.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(try_from = "Vec<Sectors>", into = "Vec<Sectors>")]
pub struct RangeSet {
    stretches: Vec<Sectors>,
}

/// Stretches that are no set: one lists sectors twice, runs backwards, is empty, or ends past the last possible sector.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("the stretches {0} are not in order, not apart, or not possible")]
pub struct NotASet(Sectors);

impl TryFrom<Vec<Sectors>> for RangeSet {
    type Error = NotASet;

    /// Takes stretches from a record or checkpoint only as this module writes them: sorted, apart, none empty. Whatever
    /// counts the same sectors twice is refused, so that a count can never stand for a cover.
    fn try_from(stretches: Vec<Sectors>) -> Result<Self, NotASet> {
        let mut after = None;
        for s in &stretches {
            let end = s.first.0.checked_add(s.count).filter(|_| s.count > 0).ok_or(NotASet(*s))?;
            if after.is_some_and(|after| s.first.0 <= after) {
                return Err(NotASet(*s));
            }
            after = Some(end);
        }
        Ok(Self { stretches })
    }
}

impl From<RangeSet> for Vec<Sectors> {
    fn from(set: RangeSet) -> Self {
        set.stretches
    }
}

impl RangeSet {
    /// An empty set.
    pub fn new() -> Self {
        Self::default()
    }

    /// Adds a stretch, merging what it touches or overlaps. An empty one changes nothing.
    pub fn insert(&mut self, new: Sectors) {
        if new.count == 0 {
            return;
        }
        let from = self.stretches.partition_point(|s| s.end() < new.first.0);
        let to = self.stretches.partition_point(|s| s.first.0 <= new.end());
        let touched = &self.stretches[from..to];
        let first = touched.first().map_or(new.first.0, |s| s.first.0.min(new.first.0));
        let end = touched.last().map_or(new.end(), |s| s.end().max(new.end()));
        self.stretches.splice(from..to, [Sectors::new(first, end - first)]);
    }

    /// Adds every stretch of `other`.
    pub fn extend(&mut self, other: &RangeSet) {
        other.stretches.iter().for_each(|s| self.insert(*s));
    }

    /// What of the set lies in `stretch`.
    pub fn within(&self, stretch: Sectors) -> RangeSet {
        let cut = |s: &Sectors| {
            let first = s.first.0.max(stretch.first.0);
            Sectors::new(first, s.end().min(stretch.end()).saturating_sub(first))
        };
        RangeSet { stretches: self.stretches.iter().map(cut).filter(|s| s.count > 0).collect() }
    }

    /// The set without what is in `other`.
    pub fn without(&self, other: &RangeSet) -> RangeSet {
        let mut left = RangeSet::new();
        for s in &self.stretches {
            let mut first = s.first.0;
            let from = other.stretches.partition_point(|o| o.end() <= s.first.0);
            for o in other.stretches[from..].iter().take_while(|o| o.first.0 < s.end()) {
                left.insert(Sectors::new(first, o.first.0.saturating_sub(first)));
                first = o.end();
            }
            left.insert(Sectors::new(first, s.end().saturating_sub(first)));
        }
        left
    }

    /// Number of sectors in the set.
    pub fn count(&self) -> u64 {
        self.stretches.iter().fold(0, |n, s| n.saturating_add(s.count))
    }

    /// Whether no sector is in the set.
    pub fn is_empty(&self) -> bool {
        self.stretches.is_empty()
    }

    /// The stretches in order.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = &Sectors> + DoubleEndedIterator {
        self.stretches.iter()
    }

    /// Whether `lba` is in the set.
    pub fn contains(&self, lba: Lba) -> bool {
        let at = self.stretches.partition_point(|s| s.end() <= lba.0);
        self.stretches.get(at).is_some_and(|s| s.contains(lba))
    }

    /// Whether every sector of `stretch` is in the set.
    pub fn covers_all(&self, stretch: Sectors) -> bool {
        self.covers(&[stretch].into_iter().collect())
    }

    /// Whether every sector of `other` is in the set.
    pub fn covers(&self, other: &RangeSet) -> bool {
        other.stretches.iter().all(|s| {
            let at = self.stretches.partition_point(|own| own.end() <= s.first.0);
            self.stretches.get(at).is_some_and(|own| own.first <= s.first && own.end() >= s.end())
        })
    }

    /// Whether any sector of `stretch` is in the set.
    pub fn touches(&self, stretch: Sectors) -> bool {
        let at = self.stretches.partition_point(|s| s.end() <= stretch.first.0);
        self.stretches.get(at).is_some_and(|s| s.first.0 < stretch.end())
    }

    /// Up to `most` stretches in words: `sectors 8 to 15, sector 90 and 3 more stretches`.
    pub fn sentence(&self, most: usize) -> String {
        let named: Vec<String> = self.stretches.iter().take(most).map(Sectors::to_string).collect();
        let rest = self.stretches.len().saturating_sub(most);
        match (named.as_slice(), rest) {
            ([], _) => "no sector".into(),
            (_, 0) => named.join(", "),
            _ => format!("{} and {rest} more stretches", named.join(", ")),
        }
    }
}

impl FromIterator<Sectors> for RangeSet {
    fn from_iter<I: IntoIterator<Item = Sectors>>(stretches: I) -> Self {
        stretches.into_iter().fold(Self::new(), |mut set, s| {
            set.insert(s);
            set
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::BTreeSet;

    proptest! {
        #[test]
        fn behaves_as_a_set_of_sectors(inserted in prop::collection::vec((0u64..200, 0u64..12), 0..40)) {
            let (mut set, mut plain) = (RangeSet::new(), BTreeSet::new());
            for (first, count) in inserted {
                set.insert(Sectors::new(first, count));
                plain.extend(first..first + count);
            }
            prop_assert_eq!(set.count(), plain.len() as u64);
            for lba in 0..220 {
                prop_assert_eq!(set.contains(Lba(lba)), plain.contains(&lba));
                prop_assert_eq!(set.touches(Sectors::new(lba, 3)), (lba..lba + 3).any(|l| plain.contains(&l)));
            }
            let ends: Vec<_> = set.iter().map(|s| (s.first.0, s.end())).collect();
            prop_assert!(ends.windows(2).all(|w| w[0].1 < w[1].0), "sorted and apart: {:?}", ends);
            let read: RangeSet = serde_json::from_str(&serde_json::to_string(&set).unwrap()).unwrap();
            prop_assert_eq!(read, set);
        }

        #[test]
        fn two_sets_meet_part_and_cover_as_sets_of_sectors_do(
            a in prop::collection::vec((0u64..120, 0u64..9), 0..20),
            b in prop::collection::vec((0u64..120, 0u64..9), 0..20),
            (first, count) in (0u64..120, 0u64..40),
        ) {
            let of = |list: &[(u64, u64)]| -> (RangeSet, BTreeSet<u64>) {
                let set = list.iter().map(|(f, n)| Sectors::new(*f, *n)).collect();
                (set, list.iter().flat_map(|(f, n)| *f..f + n).collect())
            };
            let plain = |set: &RangeSet| -> BTreeSet<u64> { set.iter().flat_map(|s| s.first.0..s.end()).collect() };
            let ((set_a, plain_a), (set_b, plain_b)) = (of(&a), of(&b));
            prop_assert_eq!(plain(&set_a.without(&set_b)), &plain_a - &plain_b);
            prop_assert_eq!(set_a.covers(&set_b), plain_a.is_superset(&plain_b));
            let stretch = Sectors::new(first, count);
            let inside: BTreeSet<u64> = plain_a.iter().copied().filter(|l| stretch.contains(Lba(*l))).collect();
            prop_assert_eq!(plain(&set_a.within(stretch)), inside.clone());
            prop_assert_eq!(set_a.covers_all(stretch), inside.len() as u64 == count);
            let mut both = set_a.clone();
            both.extend(&set_b);
            prop_assert_eq!(plain(&both), &plain_a | &plain_b);
        }
    }

    #[test]
    fn stretches_that_are_no_set_are_refused() {
        let read = |text: &str| serde_json::from_str::<RangeSet>(text).is_ok();
        let s = |first: &str, count: &str| format!("{{\"first\":\"{first}\",\"count\":\"{count}\"}}");
        assert!(read("[]") && read(&format!("[{},{}]", s("0", "8"), s("9", "1"))));
        for bad in [
            format!("[{},{}]", s("0", "500"), s("0", "500")),
            format!("[{},{}]", s("0", "8"), s("8", "1")),
            format!("[{},{}]", s("9", "1"), s("0", "8")),
            format!("[{}]", s("0", "0")),
            format!("[{}]", s("18446744073709551615", "2")),
        ] {
            assert!(!read(&bad), "{bad}");
        }
    }
}
