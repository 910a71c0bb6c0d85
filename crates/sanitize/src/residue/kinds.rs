//! What is looked for, and the automatons that look for it.

use aho_corasick::{AhoCorasick, AhoCorasickKind, Anchored, Input, MatchKind, StartKind};
use jurex_keystream::Pairs;
use serde::Deserialize;
use std::collections::BTreeMap;
use std::sync::LazyLock;

/// Bytes of the block at whose beginning things begin.
pub const BLOCK: usize = 512;

/// Something that a person could use, known by its first bytes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FindKind {
    /// What it is called.
    pub name: String,
    /// What sort of thing it is: `picture`, `file system` …
    pub group: String,
    /// Where its bytes are written down.
    pub source: String,
    /// Where they lie in their block.
    pub at: usize,
    /// The bytes; `None`: any.
    bytes: Vec<Option<u8>>,
}

/// One as it stands in the file.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct WrittenKind {
    name: String,
    group: String,
    source: String,
    #[serde(default)]
    at: usize,
    bytes: Option<String>,
    text: Option<String>,
}

#[derive(Deserialize)]
struct KindsFile {
    kind: Vec<WrittenKind>,
}

impl FindKind {
    fn of(written: WrittenKind) -> Option<Self> {
        let bytes = match (&written.bytes, &written.text) {
            (None, Some(text)) => text.bytes().map(Some).collect(),
            (Some(pairs), None) => pairs
                .split_whitespace()
                .map(|pair| if pair == "??" { Some(None) } else { u8::from_str_radix(pair, 16).ok().map(Some) })
                .collect::<Option<Vec<_>>>()?,
            _ => return None,
        };
        let WrittenKind { name, group, source, at, .. } = written;
        let kind = Self { name, group, source, at, bytes };
        (kind.fixed() >= 4 && kind.at + kind.bytes.len() <= BLOCK).then_some(kind)
    }

    /// How many of its bytes are fixed.
    pub fn fixed(&self) -> u32 {
        self.bytes.iter().flatten().count() as u32
    }

    /// The chance that it begins in a block of random bytes.
    pub fn chance(&self) -> f64 {
        256f64.powi(-(self.fixed() as i32))
    }

    fn is_in(&self, block: &[u8]) -> bool {
        let there = block.get(self.at..self.at + self.bytes.len());
        there.is_some_and(|there| self.bytes.iter().zip(there).all(|(wanted, found)| wanted.is_none_or(|w| w == *found)))
    }

    /// Where in the block its longest stretch of fixed bytes lies, and that.
    fn key(&self) -> (usize, Vec<u8>) {
        let mut best = (0, vec![]);
        let mut from = 0;
        for part in self.bytes.split(Option::is_none) {
            if part.len() > best.1.len() {
                best = (from, part.iter().flatten().copied().collect());
            }
            from += part.len() + 1;
        }
        (self.at + best.0, best.1)
    }
}

/// Every kind.
pub static KINDS: LazyLock<Vec<FindKind>> = LazyLock::new(|| {
    let file: KindsFile =
        toml::from_str(include_str!("kinds.toml")).expect("the kinds are part of the program: a test reads them");
    file.kind.into_iter().map(|w| FindKind::of(w).expect("each kind means something: a test looks")).collect()
});

/// For each place in a block at which bytes of kinds lie: what knows them there.
pub(super) struct Heads {
    /// The pairs of bytes that any of them begins with, at each place: hardly any block gets further.
    pairs: Pairs,
    at: Vec<HeadsAt>,
}

struct HeadsAt {
    at: usize,
    automaton: AhoCorasick,
    /// The kinds, with their keys.
    kinds: Vec<(Vec<u8>, usize)>,
}

/// The one set of automatons.
pub(super) static HEADS: LazyLock<Heads> = LazyLock::new(|| {
    let mut places: BTreeMap<usize, Vec<(Vec<u8>, usize)>> = BTreeMap::new();
    for (n, kind) in KINDS.iter().enumerate() {
        let (at, key) = kind.key();
        places.entry(at).or_default().push((key, n));
    }
    let build = |keys: &[(Vec<u8>, usize)]| {
        AhoCorasick::builder()
            .kind(Some(AhoCorasickKind::DFA))
            .start_kind(StartKind::Anchored)
            .match_kind(MatchKind::LeftmostLongest)
            .build(keys.iter().map(|(key, _)| key))
            .expect("so few short keys make a small automaton")
    };
    let mut pairs = Pairs::default();
    let mut heads_at = |(at, kinds): (usize, Vec<(Vec<u8>, usize)>)| {
        pairs.add(at, kinds.iter().map(|(key, _)| [key[0], key[1]]));
        HeadsAt { at, automaton: build(&kinds), kinds }
    };
    let at = places.into_iter().map(&mut heads_at).collect();
    Heads { pairs, at }
});

impl Heads {
    /// The kinds that begin in that block, by their numbers in [`KINDS`].
    pub(super) fn of(&self, block: &[u8], mut found: impl FnMut(usize)) {
        let mut from = 0;
        while let Some(place) = self.pairs.met(block, from) {
            from = place + 1;
            let HeadsAt { at, automaton, kinds } = &self.at[place];
            let input = Input::new(block).span(*at..block.len()).anchored(Anchored::Yes);
            let Some(hit) = automaton.find(input) else { continue };
            // Several kinds may have the same key, and differ around it.
            for (_, n) in kinds.iter().filter(|(key, n)| block[hit.range()] == **key && KINDS[*n].is_in(block)) {
                found(*n);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A block that begins like this.
    pub(in crate::residue) fn head_of(kind: &FindKind) -> Vec<u8> {
        let mut block = vec![0xa7; BLOCK];
        kind.bytes.iter().enumerate().for_each(|(n, b)| block[kind.at + n] = b.unwrap_or(0x03));
        block
    }

    #[test]
    fn each_kind_is_known_by_its_head_and_by_nothing_less() {
        assert!(KINDS.len() >= 100);
        for (n, kind) in KINDS.iter().enumerate() {
            assert!(!kind.source.is_empty() && kind.fixed() >= 4, "{}", kind.name);
            let block = head_of(kind);
            let found = |block: &[u8]| {
                let mut all = vec![];
                HEADS.of(block, |n| all.push(n));
                all
            };
            let all = found(&block);
            let longer = all.iter().any(|m| KINDS[*m].fixed() > kind.fixed() && KINDS[*m].at == kind.at);
            assert!(all.contains(&n) || longer, "{}: {:?}", kind.name, all.iter().map(|m| &KINDS[*m].name).collect::<Vec<_>>());
            for (at, byte) in kind.bytes.iter().enumerate().filter_map(|(at, b)| Some((at, (*b)?))) {
                let mut other = block.clone();
                other[kind.at + at] = !byte;
                assert!(!found(&other).contains(&n), "{}, byte {at}", kind.name);
            }
        }
    }
}
