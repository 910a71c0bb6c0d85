//! Where on a file system something lay, to scale and from its first block to its last, in a few hundred parts.

use super::file::Ending;
use super::trace::Lies;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Parts that a file system is drawn in.
pub const BINS: u32 = 512;

/// What is shown of a part. Where several things lie in one part, the last of these counts.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ShownPart {
    /// Read on the device and found right.
    Proved,
    /// Laid, and not proved.
    Laid,
    /// Not reached, or the old bytes are there.
    NotReached,
}

/// Parts that show the same.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct StripRun {
    /// The first of them, counted from 0.
    pub first: u32,
    /// How many.
    pub count: u32,
    /// What they show.
    pub shown: ShownPart,
}

/// The parts of a file system in which something lay.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Strip {
    of: u64,
    bins: Vec<Option<ShownPart>>,
}

impl Strip {
    /// Of a file system of so many bytes, with nothing in it.
    pub fn new(of: u64) -> Self {
        Self { of: of.max(1), bins: vec![None; BINS as usize] }
    }

    /// Shows so many bytes from that one on.
    pub fn show(&mut self, first: u64, bytes: u64, shown: ShownPart) {
        let last = first.saturating_add(bytes.max(1) - 1).min(self.of - 1);
        if bytes == 0 {
            return;
        }
        // Beyond its end there is no part.
        for bin in self.bin(first)..=self.bin(last) {
            self.bins[bin] = self.bins[bin].max(Some(shown));
        }
    }

    /// Shows where a file lay that ended so.
    pub fn show_file(&mut self, lies: &Lies, ending: Ending) {
        let shown = match ending {
            Ending::Nothing => return,
            Ending::Proved => ShownPart::Proved,
            Ending::NotProvable => ShownPart::Laid,
            Ending::NotOverwritten | Ending::NotFinished | Ending::LeftAlone => ShownPart::NotReached,
        };
        lies.stretches.iter().filter_map(|s| Some((s.place?, s.bytes))).for_each(|(at, bytes)| self.show(at, bytes, shown));
    }

    fn bin(&self, at: u64) -> usize {
        (u128::from(at) * u128::from(BINS) / u128::from(self.of)) as usize
    }

    /// What it shows, from the first part to the last.
    pub fn runs(&self) -> Vec<StripRun> {
        let mut runs: Vec<StripRun> = vec![];
        for (at, shown) in self.bins.iter().enumerate() {
            let Some(shown) = *shown else { continue };
            match runs.last_mut() {
                Some(run) if run.shown == shown && run.first + run.count == at as u32 => run.count += 1,
                _ => runs.push(StripRun { first: at as u32, count: 1, shown }),
            }
        }
        runs
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_lies_in_a_part_is_shown_there_and_the_worst_wins() {
        let mut strip = Strip::new(512 * 100);
        strip.show(0, 100, ShownPart::Proved);
        strip.show(250, 100, ShownPart::Proved);
        strip.show(300, 1, ShownPart::NotReached);
        strip.show(51_199, 5000, ShownPart::Laid);
        strip.show(90_000, 5, ShownPart::Laid);
        strip.show(700, 0, ShownPart::Laid);
        let run = |first, count, shown| StripRun { first, count, shown };
        let expected = [
            run(0, 1, ShownPart::Proved),
            run(2, 1, ShownPart::Proved),
            run(3, 1, ShownPart::NotReached),
            run(511, 1, ShownPart::Laid),
        ];
        assert_eq!(strip.runs(), expected);
        strip.show(51_200, 100, ShownPart::NotReached);
        strip.show(u64::MAX, 1, ShownPart::NotReached);
        assert_eq!(strip.runs(), expected, "beyond its end");
        strip.show(10_000, 300, ShownPart::Laid);
        assert_eq!(strip.runs()[3], run(100, 3, ShownPart::Laid), "what shows the same is one");
    }

    #[test]
    fn a_file_is_shown_where_it_lay_as_it_ended() {
        use super::super::trace::Stretch;
        let stretch = |place| Stretch { at: 0, bytes: 150, place, encoded: false };
        let lies = Lies { stretches: vec![stretch(Some(1000)), stretch(None)], ..Lies::default() };
        let shown = |ending| {
            let mut strip = Strip::new(512 * 100);
            strip.show_file(&lies, ending);
            strip.runs().first().map(|run| (run.first, run.count, run.shown))
        };
        assert_eq!(shown(Ending::Nothing), None);
        assert_eq!(shown(Ending::Proved), Some((10, 2, ShownPart::Proved)));
        assert_eq!(shown(Ending::NotProvable), Some((10, 2, ShownPart::Laid)));
        for ending in [Ending::NotOverwritten, Ending::NotFinished, Ending::LeftAlone] {
            assert_eq!(shown(ending), Some((10, 2, ShownPart::NotReached)));
        }
    }
}
