//! What was found in how much, and what chance alone would have given.

use super::kinds::{BLOCK, HEADS, Heads, KINDS};
use jurex_device::bytes::repeated_byte;
use jurex_pattern::units::Lba;
use schemars::JsonSchema;
use serde::Serialize;
use std::sync::LazyLock;

/// Places that are kept of each kind.
const PLACES: usize = 32;
/// One block in so many is looked at closely: its bytes are counted.
const CLOSELY: u64 = 16;
/// Equal parts for which entropy is told.
pub const PARTS: usize = 120;

/// Things that are known by a check of their own, and not by fixed bytes: their names and groups.
pub const CHECKED: [(&str, &str); 3] =
    [("MBR partition table", "table"), ("ext2/3/4", "file system"), ("EFI system partition", "table")];
/// The chance of each in a block of random bytes, at most.
const CHECKED_CHANCE: [f64; 3] = [1.0e-13, 1.0e-12, 1.0e-30];

/// What is in a stretch of blocks.
#[derive(Clone, Debug, Default, PartialEq, Serialize, JsonSchema)]
pub struct Shares {
    /// One byte over and over.
    pub blank: u64,
    /// Words.
    pub text: u64,
    /// Jurex's own address pattern.
    pub addressed: u64,
    /// Anything else.
    pub other: u64,
}

/// Counts of what was met. Those of several readers are added up.
#[derive(Clone, Debug)]
pub struct Tally {
    /// Finds of each kind, [`KINDS`] first, then [`CHECKED`].
    finds: Vec<FindCount>,
    /// Blocks by what they hold.
    pub shares: Shares,
    /// How often each byte value stands in the blocks that were looked at closely.
    pub histogram: Box<[u64; 256]>,
    /// Bits of entropy of a byte, added up over the blocks that were looked at closely, and their number, in each part.
    entropy: Vec<(f64, u64)>,
    /// Blocks with something that a person could use, and blocks that were looked through, in each part.
    usable: Vec<(u64, u64)>,
    /// Blocks of the drive.
    blocks: u64,
    /// Whether the drive's first block holds boot code.
    pub boot_code: bool,
}

#[derive(Clone, Debug, Default)]
struct FindCount {
    count: u64,
    places: Vec<Lba>,
}

/// One kind of find.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Find {
    /// What it is.
    pub name: String,
    /// What sort of thing.
    pub group: String,
    /// How many.
    pub count: u64,
    /// How many chance alone would give in as many random bytes.
    pub by_chance: f64,
    /// Whether there are more than chance explains.
    pub beyond_chance: bool,
    /// Sectors at which the first ones begin.
    pub places: Vec<Lba>,
}

impl Tally {
    /// Nothing yet, of a drive of so many bytes.
    pub fn new(bytes: u64) -> Self {
        Self {
            finds: vec![FindCount::default(); KINDS.len() + CHECKED.len()],
            shares: Shares::default(),
            histogram: Box::new([0; 256]),
            entropy: vec![(0.0, 0); PARTS],
            usable: vec![(0, 0); PARTS],
            blocks: bytes.div_ceil(BLOCK as u64).max(1),
            boot_code: false,
        }
    }

    /// Looks through `bytes`, whole sectors of `sector_bytes` that begin at `first`.
    pub fn look(&mut self, first: Lba, sector_bytes: u32, bytes: &[u8]) {
        let per_sector = u64::from(sector_bytes) / BLOCK as u64;
        let heads = &*HEADS;
        let (mut part, mut part_ends) = (0, 0);
        for (n, block) in (0u64..).zip(bytes.chunks_exact(BLOCK)) {
            let number = first.0 * per_sector + n;
            let at = Lba(number / per_sector.max(1));
            if number >= part_ends {
                part = self.part(number);
                part_ends = self.first_after(part);
            }
            self.usable[part].1 += 1;
            if let Some(byte) = repeated_byte(block) {
                self.shares.blank += 1;
                if number.is_multiple_of(CLOSELY) {
                    self.histogram[usize::from(byte)] += BLOCK as u64;
                    self.entropy[part].1 += 1;
                }
                continue;
            }
            let mut usable = self.heads(heads, number, at, block);
            match () {
                () if is_addressed(block) => self.shares.addressed += 1,
                () if jurex_keystream::may_hold_a_line(block) && (is_text(block) || has_text(block)) => {
                    self.shares.text += 1;
                    usable = true;
                }
                () => self.shares.other += 1,
            }
            self.usable[part].0 += u64::from(usable);
            if number.is_multiple_of(CLOSELY) {
                self.closely(number, block);
            }
        }
    }

    /// Whether anything was found.
    fn heads(&mut self, heads: &Heads, number: u64, at: Lba, block: &[u8]) -> bool {
        let mut found = false;
        heads.of(block, |kind| {
            found = true;
            self.finds[kind].add(at);
        });
        // Two bytes, or four, tell at once that it is none of these.
        let first = self.finds.len() - CHECKED.len();
        let quarters = block[0] == 0x28 || block[128] == 0x28 || block[256] == 0x28 || block[384] == 0x28;
        let checked = [
            block[510] == 0x55 && is_partition_table(block),
            block[56] == 0x53 && is_ext(block),
            quarters && has_system_partition(block),
        ];
        for (n, _) in checked.iter().enumerate().filter(|(_, is)| **is) {
            found = true;
            self.finds[first + n].add(at);
        }
        if number == 0 {
            self.boot_code = block[510..] == [0x55, 0xaa] && repeated_byte(&block[..440]).is_none();
        }
        found
    }

    fn closely(&mut self, number: u64, block: &[u8]) {
        let bits = jurex_keystream::add_up(&jurex_keystream::counts(block), &mut self.histogram, &*BITS);
        let part = self.part(number);
        self.entropy[part].0 += bits;
        self.entropy[part].1 += 1;
    }

    fn part(&self, number: u64) -> usize {
        ((u128::from(number) * PARTS as u128 / u128::from(self.blocks)) as usize).min(PARTS - 1)
    }

    /// The first block after a part.
    fn first_after(&self, part: usize) -> u64 {
        ((part as u128 + 1) * u128::from(self.blocks)).div_ceil(PARTS as u128) as u64
    }

    /// Share of what was looked through that a person could use, in each part of the drive; `None`: nothing of it was.
    pub fn usable(&self) -> Vec<Option<f64>> {
        self.usable.iter().map(|(usable, of)| (*of > 0).then(|| *usable as f64 / *of as f64)).collect()
    }

    /// Adds what another reader of the same drive met.
    pub fn add(&mut self, other: &Self) {
        for (mine, theirs) in self.finds.iter_mut().zip(&other.finds) {
            mine.count += theirs.count;
            mine.places.extend(&theirs.places);
            mine.places.sort_unstable();
            mine.places.truncate(PLACES);
        }
        let Shares { blank, text, addressed, other: rest } = &other.shares;
        self.shares.blank += blank;
        self.shares.text += text;
        self.shares.addressed += addressed;
        self.shares.other += rest;
        self.histogram.iter_mut().zip(other.histogram.iter()).for_each(|(a, b)| *a += b);
        self.entropy.iter_mut().zip(&other.entropy).for_each(|(a, b)| *a = (a.0 + b.0, a.1 + b.1));
        self.usable.iter_mut().zip(&other.usable).for_each(|(a, b)| *a = (a.0 + b.0, a.1 + b.1));
        self.boot_code |= other.boot_code;
    }

    /// Everything that was met: finds, chance among them, and blocks of text.
    /// Finds, chance among them, and blocks of text.
    pub fn met(&self) -> u64 {
        self.finds.iter().map(|f| f.count).sum::<u64>() + self.shares.text
    }

    /// Blocks that were looked through.
    pub fn looked_through(&self) -> u64 {
        let Shares { blank, text, addressed, other } = self.shares;
        blank + text + addressed + other
    }

    /// Mean entropy of a byte in each part of the drive, in bits; `None`: no block of it was looked at closely.
    pub fn entropy(&self) -> Vec<Option<f64>> {
        self.entropy.iter().map(|(sum, n)| (*n > 0).then(|| sum / *n as f64)).collect()
    }

    /// What was found, in the order in which the kinds are written down.
    pub fn finds(&self) -> Vec<Find> {
        // Blank blocks could hold nothing by chance.
        let trials = (self.looked_through() - self.shares.blank) as f64;
        let named = KINDS.iter().map(|k| (k.name.as_str(), k.group.as_str(), k.chance()));
        let checked = CHECKED.iter().zip(CHECKED_CHANCE).map(|((name, group), chance)| (*name, *group, chance));
        named
            .chain(checked)
            .zip(&self.finds)
            .filter(|(_, found)| found.count > 0)
            .map(|((name, group, chance), found)| Find {
                name: name.into(),
                group: group.into(),
                count: found.count,
                by_chance: trials * chance,
                beyond_chance: beyond_chance(found.count, trials * chance),
                places: found.places.clone(),
            })
            .collect()
    }
}

/// Whether so many are more than chance explains where so many are expected. As many kinds are looked for, one in a thousand
/// drives of random bytes would be called more than chance.
pub(super) fn beyond_chance(count: u64, expected: f64) -> bool {
    at_least(count, expected) < 0.001 / (KINDS.len() + CHECKED.len()) as f64
}

/// The chance of a find of that name in a block of random bytes; of one that this version does not know none.
pub(super) fn chance_of(name: &str) -> f64 {
    let checked = || CHECKED.iter().zip(CHECKED_CHANCE).find(|((n, _), _)| *n == name).map(|(_, chance)| chance);
    KINDS.iter().find(|k| k.name == name).map(|k| k.chance()).or_else(checked).unwrap_or(0.0)
}

/// What sort of thing a find of that name is.
pub(super) fn group_of(name: &str) -> &'static str {
    let checked = || CHECKED.iter().find(|(n, _)| *n == name).map(|(_, group)| *group);
    KINDS.iter().find(|k| k.name == name).map(|k| k.group.as_str()).or_else(checked).unwrap_or("other find")
}

/// What a byte value that stands so often in a block adds to its entropy, in bits.
static BITS: LazyLock<[f64; BLOCK + 1]> = LazyLock::new(|| {
    std::array::from_fn(|n| {
        let share = n as f64 / BLOCK as f64;
        if n == 0 { 0.0 } else { -share * share.log2() }
    })
});

impl FindCount {
    fn add(&mut self, at: Lba) {
        self.count += 1;
        if self.places.len() < PLACES {
            self.places.push(at);
        }
    }
}

/// The chance of `n` or more where `expected` are expected, by Poisson's law.
fn at_least(n: u64, expected: f64) -> f64 {
    if n == 0 {
        return 1.0;
    }
    let n = n.min(1_000_000);
    // From the n-th term upwards each is smaller by a factor that only falls.
    let log_term = n as f64 * expected.max(f64::MIN_POSITIVE).ln() - expected - (1..=n).map(|k| (k as f64).ln()).sum::<f64>();
    if (n as f64) <= expected {
        return 1.0;
    }
    let ratio = expected / (n + 1) as f64;
    (log_term.exp() / (1.0 - ratio)).min(1.0)
}

fn is_addressed(block: &[u8]) -> bool {
    block.starts_with(b"sector ") && block.get(27..32) == Some(b" lba\n")
}

/// Words from end to end, in ASCII, UTF-8 or UTF-16. The ends are looked at first: hardly anything else passes there.
fn is_text(block: &[u8]) -> bool {
    let word = |b: u8| matches!(b, b'\t' | b'\n' | b'\r' | 0x20..=0x7e) || b >= 0xc2;
    let narrow = |bytes: &[u8]| bytes.iter().all(|b| word(*b) || matches!(b, 0x80..=0xbf));
    let ends = |fits: &dyn Fn(&[u8]) -> bool| fits(&block[..16]) && fits(&block[block.len() - 16..]);
    if ends(&narrow) {
        let ascii = block.iter().filter(|b| matches!(b, b'\t' | b'\n' | b'\r' | 0x20..=0x7e)).count();
        let utf8 = || block.utf8_chunks().map(|c| c.invalid().len()).sum::<usize>() <= 6;
        return narrow(block) && (ascii * 10 >= block.len() * 9 || utf8());
    }
    let wide = |bytes: &[u8]| bytes.chunks_exact(2).all(|c| c[1] == 0 && word(c[0]) && c[0] < 0x80);
    ends(&wide) && wide(block)
}

/// A run of words in a block that holds other things too: as long as a line, and reaching over its start, its middle or its end.
/// One in 10^25 random blocks has one.
fn has_text(block: &[u8]) -> bool {
    use jurex_keystream::LINE;
    let line = |at: usize| {
        let bytes = &block[at..at + LINE];
        (is_narrow_line(bytes) || is_wide_line(bytes)) && repeated_byte(bytes).is_none()
    };
    line(0) || line(block.len() / 2 - LINE / 2) || line(block.len() - LINE)
}

fn is_word_sign(sign: char) -> bool {
    !sign.is_control() || matches!(sign, '\t' | '\n' | '\r')
}

/// ASCII or UTF-8 from end to end, but for a sign that is cut at either end.
fn is_narrow_line(bytes: &[u8]) -> bool {
    let cut = bytes.iter().take(3).take_while(|b| matches!(b, 0x80..=0xbf)).count();
    let rest = &bytes[cut..];
    let valid = match std::str::from_utf8(rest) {
        Ok(text) => text,
        // The last sign is cut off.
        Err(e) if e.error_len().is_none() => std::str::from_utf8(&rest[..e.valid_up_to()]).unwrap_or_default(),
        Err(_) => return false,
    };
    !valid.is_empty() && valid.chars().all(is_word_sign)
}

/// Latin letters in UTF-16, the small end first, from either byte on.
fn is_wide_line(bytes: &[u8]) -> bool {
    let sign = |b: u8| matches!(b, b'\t' | b'\n' | b'\r' | 0x20..=0x7e | 0xa0..=0xff);
    let latin = |from: usize| bytes[from..].chunks_exact(2).all(|c| c[1] == 0 && sign(c[0]));
    (bytes[1] == 0 && latin(0)) || (bytes[2] == 0 && latin(1))
}

/// A master boot record with at least one entry, and each entry possible.
fn is_partition_table(block: &[u8]) -> bool {
    if block[510..] != [0x55, 0xaa] {
        return false;
    }
    let mut used = 0;
    let possible = block[446..510].chunks_exact(16).all(|entry| {
        let number = |at: usize| u32::from_le_bytes(std::array::from_fn(|i| entry[at + i]));
        match entry[4] {
            0 => entry.iter().all(|b| *b == 0),
            _ => {
                used += 1;
                matches!(entry[0], 0 | 0x80) && number(8) > 0 && number(12) > 0
            }
        }
    });
    possible && used > 0
}

/// The superblock of ext2, ext3 or ext4 (Linux, `ext4.h`): its magic number and fields that have few values.
fn is_ext(block: &[u8]) -> bool {
    let number = |at: usize| u32::from_le_bytes(std::array::from_fn(|i| block[at + i]));
    block[56..58] == [0x53, 0xef] && number(24) <= 6 && number(76) <= 1 && number(72) <= 4 && number(0) > 0 && number(4) > 0
}

/// An entry of a GPT whose type is the EFI system partition (UEFI, 5.3.3).
fn has_system_partition(block: &[u8]) -> bool {
    const TYPE: [u8; 16] = [0x28, 0x73, 0x2a, 0xc1, 0x1f, 0xf8, 0xd2, 0x11, 0xba, 0x4b, 0x00, 0xa0, 0xc9, 0x3e, 0xc9, 0x3b];
    block.chunks_exact(128).any(|entry| entry[..16] == TYPE)
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_device::testing::Dice;
    use jurex_pattern::pattern::Pattern;

    fn tally(bytes: &[u8]) -> Tally {
        let mut tally = Tally::new(bytes.len() as u64);
        tally.look(Lba(0), 512, bytes);
        tally
    }

    fn random(seed: u64, blocks: usize) -> Vec<u8> {
        let mut bytes = vec![0; blocks * BLOCK];
        let mut dice = Dice(seed);
        Pattern::random(std::array::from_fn(|_| dice.roll() as u8)).fill(0, 512, &mut bytes);
        bytes
    }

    #[test]
    fn poissons_law_tells_chance_from_finds() {
        assert!((at_least(1, 0.01) - 0.00995).abs() < 1e-4 && (at_least(3, 2.0) - 0.3233).abs() < 0.08);
        assert!(at_least(3, 2.8) > 0.3 && at_least(30, 2.8) < 1e-15, "three of three are chance, thirty are none");
        assert_eq!((at_least(0, 5.0), at_least(5, 100.0)), (1.0, 1.0));
    }

    #[test]
    fn random_bytes_give_as_many_finds_as_chance_foretells() {
        // Keys of four bytes come once in four thousand million blocks: only a key cut short can be seen to be right.
        let mut short = 0u32;
        for seed in 0..40 {
            let tally = tally(&random(seed, 4096));
            assert!(tally.finds().iter().all(|f| !f.beyond_chance), "{:?}", tally.finds());
            assert_eq!((tally.shares.blank, tally.shares.text, tally.shares.addressed), (0, 0, 0));
            short += random(seed, 4096).chunks_exact(BLOCK).filter(|b| b[0] == 0x89).count() as u32;
            let dense = tally.entropy().iter().flatten().all(|bits| *bits > 7.2);
            let even = tally.histogram.iter().all(|n| (350..700).contains(n));
            assert!(dense && even, "{:?}", tally.histogram);
        }
        let foretold = 40.0 * 4096.0 / 256.0;
        assert!((f64::from(short) - foretold).abs() < 5.0 * f64::sqrt(foretold));
    }

    #[test]
    fn what_lies_there_is_told_by_what_it_is() {
        let mut bytes = vec![0; 64 * BLOCK];
        let mut put = |block: usize, what: &[u8]| bytes[block * BLOCK..][..what.len()].copy_from_slice(what);
        let words = b"wind 31.4 m/s, gust 40.2 m/s at Anvil Rock, pressure 981.2 hPa; ".repeat(8);
        let wide: Vec<u8> = words.iter().take(256).flat_map(|b| [*b, 0]).collect();
        let accents = "Vindstyrke på Skjærgård målt øst for fyret, trykk fallende; ".repeat(12);
        put(3, &words);
        put(4, &wide);
        put(5, &accents.as_bytes()[..512]);
        let mut end_of_a_file = words[..200].to_vec();
        end_of_a_file.extend([0; 100]);
        put(20, &end_of_a_file);
        put(21, &[vec![0x92; 200], words[..100].to_vec()].concat());
        put(22, &[vec![0x92; 455], words[..57].to_vec()].concat());
        put(9, b"\x89PNG\x0d\x0a\x1a\x0a rest of a picture");
        put(11, &jurex_pattern::pattern::address_unit(Lba(11)).repeat(16));
        let mut boot = vec![0xeb; 512];
        boot[1] = 0x3c;
        boot[446..510].fill(0);
        boot[446..462].copy_from_slice(&[0x80, 0, 2, 0, 0x0c, 0, 0, 0, 0, 8, 0, 0, 0, 0, 1, 0]);
        boot[510..].copy_from_slice(&[0x55, 0xaa]);
        put(0, &boot);
        let tally = tally(&bytes);
        assert_eq!(tally.shares, Shares { blank: 55, text: 5, addressed: 1, other: 3 });
        let names: Vec<(String, u64, Vec<Lba>)> = tally.finds().into_iter().map(|f| (f.name, f.count, f.places)).collect();
        let expected = [("PNG".to_string(), 1, vec![Lba(9)]), ("MBR partition table".to_string(), 1, vec![Lba(0)])];
        assert!(names == expected && tally.boot_code && tally.finds().iter().all(|f| f.beyond_chance), "{names:?}");
    }

    #[test]
    fn a_long_line_is_seen_wherever_it_stands_in_a_block_and_random_bytes_have_none() {
        let line = b"2026-03-14 06:00 wind 31.4 m/s gust 40.2 m/s pressure 981.2 hPa at Anvil Rock; ".repeat(5);
        let mut dice = Dice(11);
        for at in 0..=512 - 288 {
            let mut block = random(dice.roll(), 1);
            // 288 bytes reach over the start, the middle or the end, wherever they begin.
            block[at..at + 288].copy_from_slice(&line[..288]);
            assert!(has_text(&block), "at {at}");
            assert_eq!(tally(&block).shares.text, 1);
        }
        let wide: Vec<u8> = line.iter().take(144).flat_map(|b| [*b, 0]).collect();
        let northern = "Vindstyrke på Skjærgård målt øst for fyret, trykk fallende; ".repeat(6).into_bytes();
        let cyrillic = "Ветер у маяка крепкий, давление падает; ".repeat(6).into_bytes();
        for at in (0..=512 - 288).step_by(7) {
            for text in [&wide[..288], &northern[..288], &cyrillic[..288]] {
                let mut block = random(dice.roll(), 1);
                block[at..at + 288].copy_from_slice(text);
                assert!(has_text(&block), "{} at {at}", String::from_utf8_lossy(text));
            }
        }
        for _ in 0..20_000 {
            assert!(!has_text(&random(dice.roll(), 1)));
        }
        let mut blank = vec![0; 512];
        blank[224..288].fill(b'U');
        assert!(!has_text(&blank), "one byte over and over is no line");
    }

    #[test]
    fn two_readers_of_halves_tell_what_one_of_all_does() {
        let mut bytes = random(3, 200);
        for block in (0..200).step_by(3) {
            bytes[block * BLOCK..][..8].copy_from_slice(b"\x89PNG\x0d\x0a\x1a\x0a");
        }
        let whole = tally(&bytes);
        let mut halves = Tally::new(bytes.len() as u64);
        let mut second = halves.clone();
        second.look(Lba(80), 512, &bytes[80 * BLOCK..]);
        halves.look(Lba(0), 512, &bytes[..80 * BLOCK]);
        halves.add(&second);
        assert_eq!((halves.finds(), &halves.shares, &halves.histogram), (whole.finds(), &whole.shares, &whole.histogram));
        assert_eq!(halves.finds()[0].places.len(), PLACES);
    }
}
