//! Sets of sectors, kept as sorted stretches that never touch.

use crate::units::{Lba, Sectors};
use serde::{Deserialize, Serialize};

/// Sectors with something in common (unwritable, unreadable, wrong), as sorted, merged stretches.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct RangeSet {
    stretches: Vec<Sectors>,
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
        self.stretches.iter().map(|s| s.count).sum()
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
        }
    }
}
