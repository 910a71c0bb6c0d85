//! What was done to the free space of a file system and what was seen of it, and what follows.

use super::file::{FileReadBack, WhyNotRead};
use super::ground::{StorageStack, Weight};
use jurex_pattern::units::si_size;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What was laid into free space.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Fill {
    /// Bytes of the files that filled it.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub laid: u64,
    /// Those files.
    pub files: u32,
    /// Small files, for entries of the table of files.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub small: u64,
    /// Bytes given back before the end because others needed room.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub gave_way: u64,
    /// Passes that were laid and flushed.
    pub passes: u32,
    /// Whether they went past the system's caches.
    pub past_caches: bool,
    /// What was read back of the last pass.
    pub read_back: FileReadBack,
}

/// What lay on the device in all that is free once the filling files are gone.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "on-device", deny_unknown_fields)]
pub enum FreeProof {
    /// It was not read.
    NotRead {
        /// Why.
        why: WhyNotRead,
    },
    /// Read, past caches, in bytes.
    Read {
        /// How it is known what is free.
        by: String,
        /// Whether the places of all that is free are known, and not only how much it is.
        placed: bool,
        /// Free by that.
        #[serde(with = "jurex_pattern::text::u64_string")]
        #[schemars(with = "jurex_pattern::text::Decimal")]
        free: u64,
        /// Holding the last pass.
        #[serde(with = "jurex_pattern::text::u64_string")]
        #[schemars(with = "jurex_pattern::text::Decimal")]
        pattern: u64,
        /// Never filled: the reserve, and what the file system keeps back for itself.
        #[serde(with = "jurex_pattern::text::u64_string")]
        #[schemars(with = "jurex_pattern::text::Decimal")]
        unreached: u64,
        /// Not to be read.
        #[serde(with = "jurex_pattern::text::u64_string")]
        #[schemars(with = "jurex_pattern::text::Decimal")]
        unreadable: u64,
    },
}

/// What was done to free space.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FreeEvidence {
    /// Bytes that were free at the beginning.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub free_before: u64,
    /// Bytes that were to be left free: the reserve, what is root's alone where a reserve is left, and what the file system gives to nobody.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub reserve: u64,
    /// What was laid.
    pub fill: Fill,
    /// What was then seen.
    pub proof: FreeProof,
    /// Bytes that were free at the end.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub free_after: u64,
    /// Files of the filling that could not be removed.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub left_behind: Vec<String>,
    /// Why it did not come to its end, in the system's words.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fault: Option<String>,
}

/// What is said of free space. From the best to the worst.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum FreeFinding {
    /// All but the reserve holds the last pass, read on the device.
    Proved,
    /// Filled; what is free was not read on the device.
    NotProvable,
    /// Less was reached than was to be.
    Less,
    /// The work did not come to its end.
    NotFinished,
}

impl FreeFinding {
    /// In a few words.
    pub fn sentence(self) -> &'static str {
        match self {
            FreeFinding::Proved => "filled but for the reserve, read on the device",
            FreeFinding::NotProvable => "filled, not provable",
            FreeFinding::Less => "less was reached than was to be",
            FreeFinding::NotFinished => "NOT finished",
        }
    }
}

impl FreeEvidence {
    /// What is said of it where `planned` passes were to be laid. In doubt the worse is said.
    pub fn finding(&self, on: &StorageStack, planned: u32) -> FreeFinding {
        if self.fault.is_some() || planned == 0 || self.fill.passes < planned {
            return FreeFinding::NotFinished;
        }
        let read_back = self.fill.read_back;
        if read_back.wrong > 0
            || read_back.unreadable > 0
            || read_back.right < self.fill.laid
            || on.weight() == Weight::KeepsCopies
            // A file system beneath the image that copies on write puts the pattern elsewhere than the old bytes.
            || on.weight_beneath() >= Weight::Copies
            || !nearly_all(self.fill.laid, self.free_before)
        {
            return FreeFinding::Less;
        }
        match &self.proof {
            FreeProof::NotRead { .. } => FreeFinding::NotProvable,
            FreeProof::Read { placed, free, pattern, unreached, .. } => {
                let reached =
                    pattern + unreached == *free && *unreached <= self.may_be_unreached() && nearly_all(*pattern, *free);
                let doubtful = !placed || on.has_unprovable();
                match (reached, doubtful) {
                    (false, _) => FreeFinding::Less,
                    (true, true) => FreeFinding::NotProvable,
                    (true, false) => FreeFinding::Proved,
                }
            }
        }
    }

    /// The reserve, what others needed, and what file systems keep back: a hundredth, or 8 MiB.
    fn may_be_unreached(&self) -> u64 {
        self.reserve + self.fill.gave_way + (self.free_before / 100).max(8 << 20)
    }

    /// What was reached and what not, each a sentence.
    pub fn sentences(&self) -> Vec<String> {
        let mut said = vec![format!(
            "{} of {} that were free were filled; {} were to be left (the reserve, and what the file system keeps back).",
            si_size(self.fill.laid),
            si_size(self.free_before),
            si_size(self.reserve)
        )];
        match &self.proof {
            FreeProof::NotRead { why } => said.push(format!("What is free now was not read on the device: {}.", why.sentence())),
            FreeProof::Read { by, placed, free, pattern, unreached, unreadable } => {
                said.push(format!(
                    "Of {} that are free now ({by}) {} hold the last pass, read on the device ({}); {} were not reached.",
                    si_size(*free),
                    si_size(*pattern),
                    share(*pattern, *free),
                    si_size(*unreached),
                ));
                if !placed {
                    said.push(
                        "The file system does not report where the rest of what is free is: what it holds is not known.".into(),
                    );
                }
                let other = free.saturating_sub(pattern + unreached + unreadable);
                if other > 0 || *unreadable > 0 {
                    said.push(format!("{} hold something else, {} can't be read.", si_size(other), si_size(*unreadable)));
                }
            }
        }
        if self.fill.gave_way > 0 {
            said.push(format!("{} were given back before the end: others needed room.", si_size(self.fill.gave_way)));
        }
        said
    }
}

/// Whether so little of what was free is left that one may say that it was filled: less than a tenth, whatever it was left for.
fn nearly_all(part: u64, whole: u64) -> bool {
    whole > 0 && u128::from(part) * 10 >= u128::from(whole) * 9
}

/// A part of a whole in per cent, never rounded up: what was not reached is never rounded away.
fn share(part: u64, whole: u64) -> String {
    let tenths = (u128::from(part) * 1000).checked_div(u128::from(whole)).unwrap_or(0);
    format!("{}.{} % of it", tenths / 10, tenths % 10)
}

impl WhyNotRead {
    /// As a part of a sentence.
    pub fn sentence(self) -> &'static str {
        match self {
            WhyNotRead::NoRights => "that needs the rights of root",
            WhyNotRead::NoDevice => "no device of this computer is beneath it",
            WhyNotRead::NoPlaces => "the file system does not tell places",
            WhyNotRead::Striped => "its blocks are spread over several drives",
            WhyNotRead::NotReached => "the work ended before",
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::ground::tests::ground;
    use super::*;

    const MIB: u64 = 1 << 20;

    fn read(pattern: u64, unreached: u64) -> FreeProof {
        FreeProof::Read {
            by: "its own map".into(),
            placed: true,
            free: 1000 * MIB,
            pattern: pattern * MIB,
            unreached: unreached * MIB,
            unreadable: 0,
        }
    }

    /// Of 1,000 MiB all were filled but for a reserve of 90.
    fn evidence(proof: FreeProof) -> FreeEvidence {
        let read_back = FileReadBack { right: 900 * MIB, ..FileReadBack::default() };
        FreeEvidence {
            free_before: 1000 * MIB,
            reserve: 90 * MIB,
            fill: Fill { laid: 900 * MIB, files: 1, passes: 1, past_caches: true, read_back, ..Fill::default() },
            proof,
            free_after: 1000 * MIB,
            left_behind: vec![],
            fault: None,
        }
    }

    #[test]
    fn free_space_is_proved_only_where_all_but_the_reserve_was_seen_to_hold_the_last_pass() {
        let ext = ground("ext4", &[], vec![]);
        let good = evidence(read(900, 100));
        assert_eq!(good.finding(&ext, 1), FreeFinding::Proved);
        assert!(good.sentences()[1].contains("90.0 % of it"), "{:?}", good.sentences());
        assert_eq!(evidence(read(899, 100)).finding(&ext, 1), FreeFinding::Less, "something else lies there");
        assert_eq!(evidence(read(800, 200)).finding(&ext, 1), FreeFinding::Less, "more than the reserve was not reached");
        assert_eq!(evidence(FreeProof::NotRead { why: WhyNotRead::NoRights }).finding(&ext, 1), FreeFinding::NotProvable);
        // Somebody else has filled it meanwhile, or a reserve of half of it was to be left: nothing of that is "filled".
        let mut little = evidence(read(0, 1000));
        (little.reserve, little.fill.gave_way) = (1000 * MIB, 1000 * MIB);
        (little.fill.laid, little.fill.read_back.right) = (0, 0);
        assert_eq!(little.finding(&ext, 1), FreeFinding::Less, "nothing was laid at all");
        let mut half = evidence(read(460, 540));
        (half.reserve, half.fill.laid) = (500 * MIB, 460 * MIB);
        assert_eq!(half.finding(&ext, 1), FreeFinding::Less);
        half.proof = FreeProof::NotRead { why: WhyNotRead::NoRights };
        assert_eq!(half.finding(&ext, 1), FreeFinding::Less, "whether it was read or not");
        let btrfs = ground("btrfs", &[], vec![]);
        let image = super::super::ground::StackLayer::Image { device: "/dev/loop0".into(), on: Some(Box::new(btrfs)) };
        assert_eq!(good.finding(&ground("ext4", &[], vec![image]), 1), FreeFinding::Less, "what was there is beneath");
        let mut counted = good.clone();
        if let FreeProof::Read { placed, .. } = &mut counted.proof {
            *placed = false;
        }
        assert_eq!(counted.finding(&ext, 1), FreeFinding::NotProvable, "how much is free is not where");
        assert_eq!(good.finding(&ext, 2), FreeFinding::NotFinished);
        assert_eq!(good.finding(&ground("tmpfs", &[], vec![]), 1), FreeFinding::NotProvable);
        assert_eq!(share(999_999, 1_000_000), "99.9 % of it");
    }

    #[test]
    fn what_was_laid_and_read_back_and_what_may_be_left_are_taken_to_their_borders() {
        let (ext, good) = (ground("ext4", &[], vec![]), evidence(read(900, 100)));
        assert_eq!(good.finding(&ext, 0), FreeFinding::NotFinished);
        let with = |change: &dyn Fn(&mut FreeEvidence)| {
            let mut changed = good.clone();
            change(&mut changed);
            changed.finding(&ext, 1)
        };
        assert_eq!(with(&|f| f.fault = Some("the disk is gone".into())), FreeFinding::NotFinished);
        assert_eq!(with(&|f| f.fill.read_back.wrong = 1), FreeFinding::Less);
        assert_eq!(with(&|f| f.fill.read_back.unreadable = 1), FreeFinding::Less);
        assert_eq!(with(&|f| f.fill.read_back.right -= 1), FreeFinding::Less);
        assert_eq!(with(&|f| f.fill.read_back.right += 1), FreeFinding::Proved);
        // What may be left: the reserve, what others needed, and a hundredth or 8 MiB.
        assert_eq!(with(&|f| f.reserve = 90 * MIB - 1), FreeFinding::Less);
        assert_eq!(with(&|f| (f.reserve, f.fill.gave_way) = (50 * MIB, 40 * MIB)), FreeFinding::Proved);
        assert_eq!(with(&|f| (f.reserve, f.fill.gave_way) = (50 * MIB, 40 * MIB - 1)), FreeFinding::Less);
        let of_small = |reserve: u64| {
            let mut small = evidence(FreeProof::Read {
                by: "its own map".into(),
                placed: true,
                free: 100 * MIB,
                pattern: 91 * MIB,
                unreached: 9 * MIB,
                unreadable: 0,
            });
            (small.free_before, small.reserve) = (100 * MIB, reserve);
            (small.fill.laid, small.fill.read_back.right) = (91 * MIB, 91 * MIB);
            small.finding(&ext, 1)
        };
        assert_eq!((of_small(MIB), of_small(MIB - 1)), (FreeFinding::Proved, FreeFinding::Less));
        assert_eq!((nearly_all(9, 10), nearly_all(89, 100), nearly_all(0, 0)), (true, false, false));
        let memory = ground("ext4", &[], vec![super::super::ground::StackLayer::Image { device: "/dev/loop0".into(), on: None }]);
        assert_eq!(good.finding(&memory, 1), FreeFinding::NotProvable, "nobody knows what the image lies on");
    }

    #[test]
    fn what_cant_be_read_is_said_even_where_nothing_else_is_there() {
        let with = |pattern: u64, unreadable: u64| {
            let mut proof = read(pattern, 100);
            if let FreeProof::Read { unreadable: bad, .. } = &mut proof {
                *bad = unreadable * MIB;
            }
            evidence(proof).sentences().len()
        };
        assert_eq!((with(900, 0), with(899, 0), with(899, 1)), (2, 3, 3));
        let says = [FreeFinding::Proved, FreeFinding::NotProvable, FreeFinding::Less, FreeFinding::NotFinished]
            .map(FreeFinding::sentence);
        assert!(says[0].contains("read on the device") && says[1].contains("not provable") && says[2].starts_with("less"));
        assert_eq!(says[3], "NOT finished");
        let why = [WhyNotRead::NoRights, WhyNotRead::NoDevice, WhyNotRead::NoPlaces, WhyNotRead::Striped, WhyNotRead::NotReached];
        let why: std::collections::BTreeSet<&str> = why.into_iter().map(WhyNotRead::sentence).collect();
        assert!(why.len() == 5 && why.iter().any(|w| w.contains("rights of root")), "each has its own");
    }

    #[test]
    fn what_was_not_reached_is_said_with_its_size() {
        let good = evidence(read(900, 100));
        let mut other = evidence(FreeProof::Read {
            by: "its own map".into(),
            placed: false,
            free: 1000 * MIB,
            pattern: 700 * MIB,
            unreached: 200 * MIB,
            unreadable: 40 * MIB,
        });
        other.fill.gave_way = 3 * MIB;
        let said = other.sentences();
        assert_eq!(said.len(), 5, "{said:?}");
        assert!(
            said[2].contains("does not report") && said[3].starts_with("62.9 MB hold something else, 41.9 MB can't be read"),
            "{said:?}"
        );
        assert!(said[4].starts_with("3.15 MB were given back"), "{said:?}");
        assert_eq!(good.sentences().len(), 2, "nothing else is to be said");
        let unread = evidence(FreeProof::NotRead { why: WhyNotRead::NoRights }).sentences();
        assert!(
            unread[1].ends_with(&format!(": {}.", WhyNotRead::NoRights.sentence()))
                && !WhyNotRead::NoRights.sentence().is_empty()
        );
    }
}
