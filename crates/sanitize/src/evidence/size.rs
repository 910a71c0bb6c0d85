//! Whether a drive is as large as it says: sectors all over it were given their own address under a key of the job, and
//! read again.

use super::{Unsound, fails};
use crate::words::Said;
use jurex_pattern::units::Lba;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What was laid and what was met. What follows from it is computed: [`SizeEvidence::finding`].
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(default)]
pub struct SizeEvidence {
    /// The session in which it was done, counted from 0.
    pub session: u32,
    /// Sectors that the drive says it has.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub told: u64,
    /// Bytes of a sector.
    pub sector_bytes: u32,
    /// Sectors that were tagged all over it and then read.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub tagged: u64,
    /// Of these, the ones that held their own tag.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub own: u64,
    /// Those that held the tag of another address.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub of_others: u64,
    /// Those that held no tag.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub lost: u64,
    /// Of these, the ones that held one byte over and over.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub blank: u64,
    /// Those that could not be written or read.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub failed: u64,
    /// Two addresses of which the second gave what was laid on the first: a few examples.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub same: Vec<SameSector>,
    /// The address at which the first sector is met again, where trials found it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub begins_again_at: Option<Lba>,
    /// The first sector that does not hold what is laid on it, where trials found that none holds from there on.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub ends_before: Option<Lba>,
}

/// Two addresses of one sector.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct SameSector {
    /// The address that was written.
    pub written: Lba,
    /// The address at which that was read.
    pub read: Lba,
}

/// What the check found.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SizeFinding {
    /// Every tag was where it was laid.
    AsTold,
    /// Nothing speaks against it, but not every tag could be laid and read.
    NotProved,
    /// After so many sectors the addresses begin again.
    BeginsAgain {
        /// How many.
        after: u64,
    },
    /// From that sector on, addresses give what was laid on others.
    Repeats {
        /// The first that does.
        from: u64,
    },
    /// From that sector on, nothing that is laid stays.
    Drops {
        /// The first that does not hold.
        from: u64,
    },
    /// Some places do not hold what is laid on them, in no such order.
    Holes,
}

/// Examples that are kept.
pub const MAX_EXAMPLES: usize = 4;

impl SizeEvidence {
    /// What follows from what was met.
    pub fn finding(&self) -> SizeFinding {
        let false_ones = self.of_others.saturating_add(self.lost);
        match (self.begins_again_at, self.ends_before) {
            _ if false_ones == 0 && self.failed == 0 && self.own > 0 && self.own == self.tagged => SizeFinding::AsTold,
            _ if false_ones == 0 => SizeFinding::NotProved,
            (Some(at), _) if self.lost == 0 => SizeFinding::BeginsAgain { after: at.0 },
            (_, Some(Lba(from))) if self.of_others > 0 => SizeFinding::Repeats { from },
            (_, Some(Lba(from))) => SizeFinding::Drops { from },
            _ => SizeFinding::Holes,
        }
    }

    /// Whether it is proved to be as large as it says.
    pub fn is_as_told(&self) -> bool {
        self.finding() == SizeFinding::AsTold
    }

    /// Whether the drive says more than it holds.
    pub fn is_false(&self) -> bool {
        !matches!(self.finding(), SizeFinding::AsTold | SizeFinding::NotProved)
    }

    /// The sectors that it holds, where that is fewer than it says and could be found.
    pub fn holds(&self) -> Option<u64> {
        match self.finding() {
            SizeFinding::BeginsAgain { after } => Some(after),
            SizeFinding::Repeats { from } | SizeFinding::Drops { from } => Some(from),
            SizeFinding::AsTold | SizeFinding::NotProved | SizeFinding::Holes => None,
        }
    }

    /// The sectors that are to be covered, where that is fewer than it says. What does not keep what is written may still give
    /// what lay there before: unless it was blank wherever it was looked at, all of it is tried.
    pub fn covers(&self) -> Option<u64> {
        self.holds().filter(|n| *n > 0 && self.lost == self.blank)
    }

    /// The finding in a sentence.
    pub fn sentence(&self) -> String {
        self.said().english()
    }

    /// The same as data.
    pub fn said(&self) -> Said {
        let bytes = |sectors: u64| sectors.saturating_mul(self.sector_bytes.into());
        let holds =
            |code: &str, n: u64| Said::new(format!("size.{code}")).bytes("told", bytes(self.told)).bytes("holds", bytes(n));
        match self.finding() {
            SizeFinding::AsTold => Said::new("size.as-told").number("tagged", self.tagged),
            SizeFinding::NotProved => Said::new("size.not-proved").number("failed", self.failed).number("tagged", self.tagged),
            SizeFinding::BeginsAgain { after } => holds("begins-again", after).number("after", after),
            SizeFinding::Repeats { from } => holds("repeats", from).number("from", from),
            SizeFinding::Drops { from } => holds("drops", from).number("from", from),
            SizeFinding::Holes => {
                Said::new("size.holes").number("false", self.of_others.saturating_add(self.lost)).number("tagged", self.tagged)
            }
        }
    }

    /// Whether this can be what a check left.
    pub(super) fn check_soundness(&self, sessions: usize, sectors: u64) -> Result<(), Unsound> {
        fails(self.session as usize >= sessions, "a size check is of no session")?;
        fails(self.told > sectors, "a size check is of a larger drive")?;
        let met = [self.own, self.of_others, self.lost, self.failed].into_iter().try_fold(0u64, u64::checked_add);
        let more = met.is_none_or(|n| n > self.tagged) || self.tagged > self.told || self.blank > self.lost;
        fails(more, "a size check met more than there is")?;
        let cut = |at: Option<Lba>| at.is_some_and(|n| n.0 >= self.told);
        fails(cut(self.begins_again_at) || cut(self.ends_before), "a size check found more than there is")?;
        fails(self.begins_again_at == Some(Lba(0)), "a size check found addresses that begin again at once")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn met(own: u64, of_others: u64, lost: u64, failed: u64) -> SizeEvidence {
        SizeEvidence { told: 1000, tagged: 100, own, of_others, lost, failed, ..SizeEvidence::default() }
    }

    #[test]
    fn a_size_is_proved_by_every_tag_in_its_place_and_by_nothing_less() {
        assert!(met(100, 0, 0, 0).is_as_told() && !met(0, 0, 0, 0).is_as_told(), "nothing was tagged");
        assert!(!met(99, 0, 0, 0).is_as_told() && !met(99, 0, 0, 1).is_as_told() && !met(99, 1, 0, 0).is_as_told());
        let none = SizeEvidence { tagged: 0, ..met(0, 0, 0, 0) };
        assert!(!none.is_as_told() && none.finding() == SizeFinding::NotProved);
        assert_eq!(met(100, 0, 0, 0).sentence(), met(100, 0, 0, 0).said().english());
        assert!(met(100, 0, 0, 0).sentence().contains("100"), "{}", met(100, 0, 0, 0).sentence());
    }

    #[test]
    fn the_finding_follows_from_what_was_met_and_not_from_what_is_said() {
        let told = |begins_again_at, ends_before, of: SizeEvidence| SizeEvidence { begins_again_at, ends_before, ..of }.finding();
        assert_eq!(told(None, None, met(100, 0, 0, 0)), SizeFinding::AsTold);
        assert_eq!(told(Some(Lba(125)), None, met(100, 0, 0, 0)), SizeFinding::AsTold, "a size without a false place is none");
        assert_eq!(told(None, None, met(99, 0, 0, 1)), SizeFinding::NotProved);
        assert_eq!(told(None, None, met(99, 0, 0, 0)), SizeFinding::NotProved, "one that was not met at all");
        assert_eq!(told(None, None, SizeEvidence::default()), SizeFinding::NotProved);
        assert_eq!(told(Some(Lba(125)), None, met(60, 40, 0, 0)), SizeFinding::BeginsAgain { after: 125 });
        assert_eq!(told(Some(Lba(125)), Some(Lba(120)), met(60, 39, 1, 0)), SizeFinding::Repeats { from: 120 });
        assert_eq!(told(None, Some(Lba(120)), met(60, 0, 40, 0)), SizeFinding::Drops { from: 120 });
        assert_eq!(told(None, None, met(99, 0, 1, 0)), SizeFinding::Holes);
        assert_eq!(
            told(None, None, met(100, 1, 0, 0)),
            SizeFinding::Holes,
            "one that holds another's is not as told, whatever else"
        );
        let covers = |blank, of: SizeEvidence| SizeEvidence { blank, ends_before: Some(Lba(120)), ..of }.covers();
        assert_eq!((covers(40, met(60, 0, 40, 0)), covers(0, met(60, 40, 0, 0))), (Some(120), Some(120)));
        assert_eq!(covers(39, met(60, 0, 40, 0)), None, "something else is there, and is to be overwritten if it can be");
        assert_eq!(SizeEvidence { ends_before: Some(Lba(0)), blank: 40, ..met(60, 0, 40, 0) }.covers(), None);
    }

    #[test]
    fn what_no_check_can_have_left_is_refused() {
        let sound = |of: &SizeEvidence| of.check_soundness(1, 1000).is_ok();
        let good = met(60, 40, 0, 0);
        let all = [
            SizeEvidence { session: 1, ..good.clone() },
            SizeEvidence { told: 1001, ..good.clone() },
            SizeEvidence { own: 61, ..good.clone() },
            SizeEvidence { blank: 1, ..good.clone() },
            SizeEvidence { own: u64::MAX, ..good.clone() },
            SizeEvidence { tagged: 1001, ..good.clone() },
            SizeEvidence { begins_again_at: Some(Lba(1000)), ..good.clone() },
            SizeEvidence { begins_again_at: Some(Lba(0)), ..good.clone() },
        ];
        assert!(sound(&good) && all.iter().all(|bad| !sound(bad)));
        let json = serde_json::to_string(&SizeEvidence { ends_before: Some(Lba(7)), ..good.clone() }).unwrap();
        assert_eq!(serde_json::from_str::<SizeEvidence>(&json).unwrap().ends_before, Some(Lba(7)));
    }
}
