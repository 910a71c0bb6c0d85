//! What a search for leftovers says.

use super::kinds::BLOCK;
use super::search::Searched;
use super::tally::{CHECKED, Find, Shares};
use crate::evidence::Ended;
use jurex_device::media::Geometry;
use jurex_pattern::units::{counted, duration, grouped, rate, si_size};
use schemars::JsonSchema;
use serde::Serialize;
use std::time::Duration;

/// What follows.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ResidueVerdict {
    /// Nothing that a person could use, beyond what chance puts into random bytes.
    Nothing,
    /// Something.
    Something,
    /// It was not searched to its end.
    Incomplete,
}

/// The result of a search, with no byte of what was found.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct Residue {
    /// Whether every sector was to be searched, or places.
    pub whole: bool,
    /// Sectors of the drive.
    pub sectors: u64,
    /// Sectors that were looked through.
    pub read: u64,
    /// Sectors that gave an error.
    pub unreadable: u64,
    /// What was found.
    pub finds: Vec<Find>,
    /// Blocks of 512 bytes by what they hold.
    pub shares: Shares,
    /// How often each byte value stands in one block of sixteen.
    pub histogram: Vec<u64>,
    /// Bits of entropy of a byte in equal parts of the drive.
    pub entropy: Vec<Option<f64>>,
    /// Share of what was looked through that a person could use, in the same parts.
    pub usable: Vec<Option<f64>>,
    /// Bytes per second in the same parts.
    pub pace: Vec<Option<f64>>,
    /// How long it took, in seconds.
    pub seconds: f64,
    /// Bytes per second, over all.
    pub speed: f64,
    /// Whether it would start a computer, in a sentence.
    pub starts: String,
    /// How it ended.
    pub ended: Ended,
    /// What follows.
    pub verdict: ResidueVerdict,
}

impl Residue {
    /// What that search of a drive of this geometry found.
    pub fn of(searched: &Searched, geometry: Geometry, whole: bool) -> Self {
        let finds = searched.tally.finds();
        let shares = searched.tally.shares.clone();
        let found = finds.iter().any(|f| f.beyond_chance) || shares.text > 0;
        let complete = searched.ended == Ended::Finished;
        let verdict = match (found, complete) {
            (true, _) => ResidueVerdict::Something,
            (false, true) if searched.unreadable.is_empty() && searched.read > 0 => ResidueVerdict::Nothing,
            (false, _) => ResidueVerdict::Incomplete,
        };
        Self {
            whole,
            sectors: geometry.sectors,
            read: searched.read,
            unreadable: searched.unreadable.count(),
            starts: starts(&finds, searched.tally.boot_code),
            finds,
            shares,
            histogram: searched.tally.histogram.to_vec(),
            entropy: searched.tally.entropy(),
            usable: searched.tally.usable(),
            pace: searched.pace.speeds(geometry.logical),
            seconds: searched.took.as_secs_f64(),
            speed: geometry.bytes_of(searched.read) as f64 / searched.took.as_secs_f64().max(1e-6),
            ended: searched.ended.clone(),
            verdict,
        }
    }

    /// Finds of each group, the largest first: `3 file systems, 1 204 pictures`.
    pub fn summary(&self) -> String {
        let beyond = self.finds.iter().filter(|f| f.beyond_chance).map(|f| (f.group.as_str(), f.count));
        summed(beyond, self.shares.text * BLOCK as u64)
    }

    /// How fast it went: where that differs by place, at the start, in the middle and at the end.
    fn pace_said(&self) -> String {
        let third = |n: usize| {
            let part = &self.pace[self.pace.len() * n / 3..self.pace.len() * (n + 1) / 3];
            let known: Vec<f64> = part.iter().flatten().copied().collect();
            (!known.is_empty()).then(|| known.iter().sum::<f64>() / known.len() as f64)
        };
        let all = format!("That took {}, at {}", duration(Duration::from_secs_f64(self.seconds)), rate(self.speed));
        match (third(0), third(1), third(2)) {
            (Some(start), Some(middle), Some(end)) if self.seconds >= 1.0 => {
                format!("{all}: {} in its first third, {} in the middle, {} in the last.", rate(start), rate(middle), rate(end))
            }
            _ => format!("{all}."),
        }
    }

    /// All of it in words, each a sentence.
    pub fn sentences(&self) -> Vec<String> {
        let how = if self.whole { "" } else { ", in places drawn all over it" };
        let mut said = vec![format!("{} of {} were looked through{how}.", grouped(self.read), counted(self.sectors, "sector"))];
        said.push(self.pace_said());
        if self.unreadable > 0 {
            said.push(format!("{} could not be read, and were not searched.", counted(self.unreadable, "sector")));
        }
        if self.ended != Ended::Finished {
            said.push(self.ended.sentence());
        }
        for find in &self.finds {
            let places: Vec<String> = find.places.iter().take(4).map(|l| grouped(l.0)).collect();
            let more = if find.count > 4 { ", …" } else { "" };
            let chance = if find.beyond_chance { "" } else { "; no more than chance puts there" };
            let at = if places.len() == 1 { "sector" } else { "sectors" };
            said.push(format!("{}: {} ({at} {}{more}{chance}).", find.name, grouped(find.count), places.join(", ")));
        }
        let Shares { blank, text, addressed, other } = &self.shares;
        let all = (blank + text + addressed + other).max(1);
        // Never a hundred where a byte of it is another.
        let share = |n: &u64| match *n {
            n if n == all => "all".to_string(),
            n => format!("{:.1} %", (n as f64 * 100.0 / all as f64).min(99.9)),
        };
        said.push(format!(
            "What was read is: one byte over and over {}, text {}, Jurex's own address pattern {}, anything else {}.",
            share(blank),
            share(text),
            share(addressed),
            share(other)
        ));
        said.push(self.starts.clone());
        said
    }
}

/// Finds by group, the largest first.
pub(super) fn by_group<'f>(finds: impl Iterator<Item = (&'f str, u64)>) -> Vec<(&'f str, u64)> {
    let mut groups: Vec<(&str, u64)> = vec![];
    for (group, count) in finds {
        match groups.iter_mut().find(|(g, _)| *g == group) {
            Some((_, n)) => *n += count,
            None => groups.push((group, count)),
        }
    }
    groups.sort_by_key(|(_, n)| std::cmp::Reverse(*n));
    groups
}

/// The same in English, and how much of it is words.
pub(super) fn summed<'f>(finds: impl Iterator<Item = (&'f str, u64)>, text: u64) -> String {
    let groups = by_group(finds);
    let mut said: Vec<String> = groups.iter().map(|(group, n)| counted(*n, group)).collect();
    said.extend((text > 0).then(|| format!("{} of text", si_size(text))));
    if said.is_empty() { "none found".into() } else { said.join(", ") }
}

/// Whether a computer could be started from the drive.
fn starts(finds: &[Find], boot_code: bool) -> String {
    let system_partition = finds.iter().any(|f| f.name == CHECKED[2].0);
    match (boot_code, system_partition) {
        (true, true) => "It holds boot code and an EFI system partition: a computer might start from it.",
        (true, false) => "Its first sector holds boot code: a computer might start from it.",
        (false, true) => "It holds an EFI system partition: a computer might start from it.",
        (false, false) => "No computer would start from it: no boot code, and no EFI system partition.",
    }
    .into()
}
