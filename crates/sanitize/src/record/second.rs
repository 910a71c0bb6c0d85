//! Which drives of a lot are to be looked at a second time: a part of them, drawn when their jobs are over. SP 800-88 Rev. 1, 4.7
//! advises such a look, by other people with other tools, for about a fifth of the media.

use crate::words::Said;
use jurex_pattern::text::hex;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

/// The draw for one drive of a lot. Whether it is due follows from these numbers, for whoever has them.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct SecondLook {
    /// Drawn for this job.
    #[serde(with = "hex", rename = "drawn_with")]
    #[schemars(with = "jurex_pattern::text::HexDigits")]
    seed: [u8; 16],
    /// Of a hundred drives of a lot, those that are to be looked at again.
    percent: u8,
    /// Drives of the lot that earned something before this one.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    before: u64,
    /// Those of them that were drawn.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    drawn_before: u64,
}

impl SecondLook {
    /// Of how many drives in a hundred, unless the settings say otherwise.
    pub const USUAL_PERCENT: u8 = 20;

    /// A draw, in a lot of which `before` drives earned something before, and `drawn_before` were drawn.
    pub fn draw(seed: [u8; 16], percent: u8, before: u64, drawn_before: u64) -> Self {
        Self { seed, percent: percent.min(100), before, drawn_before }
    }

    /// Whether this drive is to be looked at again.
    ///
    /// The lot falls into runs of drives of which one is due each (with a fifth: of five). In a run in which none was drawn yet each
    /// of those that are left has the same chance, so that nobody knows beforehand which, and the last is drawn for sure.
    pub fn is_due(&self) -> bool {
        let due_of = |n: u64| (u128::from(n) * u128::from(self.percent) / 100) as u64;
        let wanted = due_of(self.before) + 1;
        if self.percent == 0 || self.drawn_before >= wanted {
            return false;
        }
        // Those that are left of the run, this one among them.
        let end = (u128::from(wanted) * 100).div_ceil(u128::from(self.percent)) as u64;
        let left = end.saturating_sub(self.before).max(1);
        let digest = Sha256::digest(self.seed);
        let drawn = u64::from_le_bytes(std::array::from_fn(|i| digest[i]));
        drawn % left == 0
    }

    /// The same as data, for papers.
    pub fn said(&self) -> Said {
        let code = match (self.is_due(), self.percent) {
            (_, 0) => return Said::new("paper.second.none"),
            (true, _) => "paper.second.due",
            (false, _) => "paper.second.not-due",
        };
        Said::new(code).number("percent", self.percent.into()).text("seed", hex::encode(&self.seed))
    }

    /// In a sentence.
    pub fn sentence(&self) -> String {
        let of = format!("{} of a hundred drives of a lot are looked at again, seed {}", self.percent, hex::encode(&self.seed));
        match (self.is_due(), self.percent) {
            (_, 0) => "None is asked for.".into(),
            (true, _) => format!("Due: this drive was drawn ({of})."),
            (false, _) => format!("Not due: this drive was not drawn ({of})."),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_device::testing::Dice;

    /// The places of the drawn ones in a lot of `drives`.
    fn lot(percent: u8, drives: u64, dice: &mut Dice) -> Vec<u64> {
        let mut drawn = vec![];
        for n in 0..drives {
            let seed = std::array::from_fn(|_| dice.roll() as u8);
            if SecondLook::draw(seed, percent, n, drawn.len() as u64).is_due() {
                drawn.push(n);
            }
        }
        drawn
    }

    #[test]
    fn of_every_five_one_is_drawn_and_nobody_knows_which() {
        let mut dice = Dice(5);
        let mut at = [0u32; 5];
        for _ in 0..400 {
            let drawn = lot(20, 25, &mut dice);
            assert_eq!(drawn.iter().map(|n| n / 5).collect::<Vec<_>>(), [0, 1, 2, 3, 4], "{drawn:?}");
            drawn.iter().for_each(|n| at[(n % 5) as usize] += 1);
        }
        assert!(at.iter().all(|n| (330..470).contains(n)), "each place is as likely as the others: {at:?}");
    }

    #[test]
    fn any_share_is_kept_to_and_a_lot_that_was_drawn_from_before_goes_on() {
        let mut dice = Dice(6);
        for percent in [1, 7, 33, 50, 99, 100] {
            let drawn = lot(percent, 300, &mut dice).len() as u64;
            assert!(drawn.abs_diff(u64::from(percent) * 3) <= 1, "{percent} %: {drawn}");
        }
        assert!(lot(0, 50, &mut dice).is_empty());
        let behind = SecondLook::draw([1; 16], 20, 4, 0);
        assert!(behind.is_due(), "the last of five is drawn where none was");
        assert!(!SecondLook::draw([1; 16], 20, 4, 1).is_due() && behind.sentence().contains("01010101"));
        assert_eq!(serde_json::from_str::<SecondLook>(&serde_json::to_string(&behind).unwrap()).unwrap(), behind);
    }
}
