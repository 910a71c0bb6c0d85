//! What a record keeps of a search for leftovers: counts and places. What was chance is computed from them.

use super::kinds::BLOCK;
use super::report::{Residue, by_group, summed};
use super::tally::{beyond_chance, chance_of, group_of};
use crate::evidence::Ended;
use crate::words::Said;
use jurex_pattern::units::{Lba, counted, grouped};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Places that are kept of each kind.
const PLACES: usize = 4;

/// What lay on a drive that a person could have used.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Leftovers {
    /// Whether every sector was to be looked through, or places drawn all over the drive.
    pub whole: bool,
    /// Sectors that were looked through.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub read: u64,
    /// Sectors of the drive.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub of: u64,
    /// Blocks of 512 bytes that were looked through and hold one byte over and over.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub blank_blocks: u64,
    /// Blocks of words.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub text_blocks: u64,
    /// All blocks that were looked through.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub blocks: u64,
    /// What was found, by kind.
    pub finds: Vec<LeftoverSummary>,
    /// Whether it came to its end, or to that of the time that it had.
    pub complete: bool,
}

/// Finds of one kind.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct LeftoverSummary {
    /// What it is.
    pub kind: String,
    /// How many.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub count: u64,
    /// Sectors at which the first ones begin.
    pub places: Vec<Lba>,
}

impl Leftovers {
    /// What is kept of a search.
    pub fn of(residue: &Residue) -> Self {
        let finds = residue.finds.iter().map(|f| LeftoverSummary {
            kind: f.name.clone(),
            count: f.count,
            places: f.places.iter().take(PLACES).copied().collect(),
        });
        let shares = &residue.shares;
        Self {
            whole: residue.whole,
            read: residue.read,
            of: residue.sectors,
            blank_blocks: shares.blank,
            text_blocks: shares.text,
            blocks: shares.blank + shares.text + shares.addressed + shares.other,
            finds: finds.collect(),
            complete: residue.ended == Ended::Finished,
        }
    }

    /// The finds that chance does not explain, each with its group.
    fn beyond_chance(&self) -> impl Iterator<Item = (&str, u64)> {
        let trials = self.blocks.saturating_sub(self.blank_blocks);
        let beyond = move |l: &&LeftoverSummary| beyond_chance(l.count, trials as f64 * chance_of(&l.kind));
        self.finds.iter().filter(beyond).map(|l| (group_of(&l.kind), l.count))
    }

    /// Whether there is anything that a person could use.
    pub fn is_something(&self) -> bool {
        self.text_blocks > 0 || self.beyond_chance().next().is_some()
    }

    /// The same as data.
    fn said(&self) -> Said {
        let mut parts: Vec<Said> = by_group(self.beyond_chance())
            .into_iter()
            .map(|(group, n)| Said::new(format!("paper.find.{}", group.replace(' ', "-"))).number("n", n))
            .collect();
        parts.extend(
            (self.text_blocks > 0).then(|| Said::new("paper.residue.text").bytes("size", self.text_blocks * BLOCK as u64)),
        );
        let found = parts.into_iter().reduce(|all, next| Said::new("paper.residue.and").said("first", all).said("second", next));
        let mut said = found.unwrap_or_else(|| Said::new("paper.residue.nothing"));
        if !(self.whole && self.read == self.of) {
            said = Said::new("paper.residue.part").said("found", said).number("read", self.read).number("all", self.of);
        }
        if self.complete { said } else { Said::new("paper.residue.broken-off").said("found", said) }
    }

    /// `3 file systems, 1 204 pictures`, and of how much, where that is not all.
    pub fn summary(&self) -> String {
        let found = summed(self.beyond_chance(), self.text_blocks * BLOCK as u64);
        let all = self.whole && self.read == self.of;
        let how = if all { String::new() } else { format!(" (in {} of {})", grouped(self.read), counted(self.of, "sector")) };
        let broken_off = if self.complete { "" } else { "; the search was broken off" };
        format!("{found}{how}{broken_off}")
    }
}

/// Both searches of a job as data; `None`: there was none.
pub fn before_and_after_said(before: Option<&Leftovers>, after: Option<&Leftovers>) -> Option<Said> {
    let said = |l: Option<&Leftovers>| l.map_or_else(|| Said::new("paper.residue.not-searched"), Leftovers::said);
    (before.is_some() || after.is_some())
        .then(|| Said::new("paper.residue").said("before", said(before)).said("after", said(after)))
}

/// The same in English, as a part of a sentence.
pub fn before_and_after(before: Option<&Leftovers>, after: Option<&Leftovers>) -> Option<String> {
    let said = |l: Option<&Leftovers>| l.map_or_else(|| "not searched".into(), Leftovers::summary);
    (before.is_some() || after.is_some()).then(|| format!("before: {}; after: {}", said(before), said(after)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_chance_is_computed_from_the_counts_and_the_two_searches_are_said_side_by_side() {
        let left = |kind: &str, count| LeftoverSummary { kind: kind.into(), count, places: vec![Lba(7)] };
        let mut before = Leftovers {
            whole: false,
            read: 2048,
            of: 1_000_000,
            blank_blocks: 0,
            text_blocks: 2000,
            blocks: 2048,
            finds: vec![left("PNG", 3), left("ext2/3/4", 1)],
            complete: true,
        };
        let after = Leftovers { text_blocks: 0, finds: vec![], complete: false, ..before.clone() };
        let said = before_and_after(Some(&before), Some(&after)).unwrap();
        assert_eq!(
            said,
            "before: 3 pictures, 1 file system, 1.02 MB of text (in 2\u{202f}048 of 1\u{202f}000\u{202f}000 sectors); \
             after: none found (in 2\u{202f}048 of 1\u{202f}000\u{202f}000 sectors); the search was broken off"
        );
        // In so many random blocks one such find is chance.
        (before.blocks, before.text_blocks) = (u64::MAX / 4, 0);
        assert!(!before.is_something() && before_and_after(None, None).is_none());
        assert_eq!(serde_json::from_str::<Leftovers>(&serde_json::to_string(&before).unwrap()).unwrap(), before);
    }
}
