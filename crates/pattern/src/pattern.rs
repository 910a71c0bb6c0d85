//! The bytes of a pass. Any sector's bytes can be computed alone, from the pattern and its address.
//!
//! That gives verification in any order, sampling, and detection of drives that wrap addresses.

use crate::ranges::RangeSet;
use crate::text::{hex, printable};
use crate::units::{Lba, Sectors};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt;

/// Key of a random pass. Secret while the job runs: `Debug` does not print it.
#[derive(Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct Seed(
    #[serde(with = "hex")]
    #[schemars(with = "crate::text::HexDigits")]
    pub [u8; 16],
);

impl fmt::Debug for Seed {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Seed(secret)")
    }
}

/// What a pattern is made of, before it may be complemented.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "kind")]
pub enum Base {
    /// These bytes over and over: byte address `a` of the drive holds `bytes[a % bytes.len()]`.
    Bytes {
        /// At least one byte.
        #[serde(with = "hex")]
        #[schemars(with = "crate::text::HexDigits")]
        bytes: Vec<u8>,
    },
    /// AES-128-CTR keystream under the seed; the block counter is the byte address divided by 16.
    Random {
        /// The key; `None` once a finished job no longer needs it.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        seed: Option<Seed>,
    },
    /// Every sector carries its own address, see [`address_unit`].
    Address,
}

/// What one pass lays down on every sector.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Pattern {
    /// The bytes.
    #[serde(flatten)]
    pub base: Base,
    /// Whether every bit is turned over.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub complemented: bool,
}

/// Bytes of the unit that an address-tagged sector repeats.
pub const ADDRESS_UNIT: usize = 32;

/// The text that an address-tagged sector repeats: `sector 00000000000000004096 lba` and a line feed.
pub fn address_unit(lba: Lba) -> [u8; ADDRESS_UNIT] {
    let mut unit = *b"sector 00000000000000000000 lba\n";
    let mut rest = lba.0;
    for digit in unit[7..27].iter_mut().rev() {
        *digit = b'0' + (rest % 10) as u8;
        rest /= 10;
    }
    unit
}

impl Pattern {
    /// These bytes over and over; `None` if there are none.
    pub fn bytes(bytes: impl Into<Vec<u8>>) -> Option<Self> {
        let bytes = bytes.into();
        (!bytes.is_empty()).then_some(Self { base: Base::Bytes { bytes }, complemented: false })
    }

    /// Zeros.
    pub fn zeros() -> Self {
        Self { base: Base::Bytes { bytes: vec![0] }, complemented: false }
    }

    /// A keystream under `seed`.
    pub fn random(seed: [u8; 16]) -> Self {
        Self { base: Base::Random { seed: Some(Seed(seed)) }, complemented: false }
    }

    /// Every sector carries its own address.
    pub fn address() -> Self {
        Self { base: Base::Address, complemented: false }
    }

    /// The same with every bit turned over. Fixed bytes are turned over themselves, so `~00` is `FF`.
    pub fn complement(&self) -> Self {
        match &self.base {
            Base::Bytes { bytes } => {
                Self { base: Base::Bytes { bytes: bytes.iter().map(|b| !b).collect() }, complemented: self.complemented }
            }
            base => Self { base: base.clone(), complemented: !self.complemented },
        }
    }

    /// Whether laying `self` and then `other` leaves every bit written both ways.
    pub fn is_complement_of(&self, other: &Pattern) -> bool {
        *self == other.complement()
    }

    /// The same as far as records tell it. A record drops the seed of a spent random pass but keeps that of its complement, so two
    /// random patterns are told to belong together by their seeds, or by one seed being dropped: only the notation's `~` makes a
    /// complemented random pass, and it complements the pass right before it.
    pub fn may_complement(&self, before: &Pattern) -> bool {
        match (&before.base, &self.base) {
            (Base::Random { seed: a }, Base::Random { seed: b }) => {
                before.complemented != self.complemented && (a == b || a.is_none() || b.is_none())
            }
            _ => self.is_complement_of(before),
        }
    }

    /// The pattern without its secret, for records that need not prove it again.
    pub fn without_seed(&self) -> Self {
        match &self.base {
            Base::Random { .. } => Self { base: Base::Random { seed: None }, ..self.clone() },
            _ => self.clone(),
        }
    }

    /// Whether there is anything to write: a pattern of no bytes is none.
    pub fn has_bytes(&self) -> bool {
        !matches!(&self.base, Base::Bytes { bytes } if bytes.is_empty())
    }

    /// Whether the bytes can be computed: false for a random pattern whose seed is gone.
    pub fn is_computable(&self) -> bool {
        !matches!(self.base, Base::Random { seed: None })
    }

    /// Fills `out` with the bytes that belong at byte address `address` of the drive and after.
    /// `sector_bytes` matters to address-tagged patterns only; `address` must then be a sector's start.
    ///
    /// # Panics
    /// If the pattern is random and its seed is gone ([`Pattern::is_computable`]).
    pub fn fill(&self, address: u64, sector_bytes: u32, out: &mut [u8]) {
        match &self.base {
            Base::Bytes { bytes } => jurex_keystream::repeat(bytes, address, out),
            Base::Random { seed } => {
                let seed = seed.as_ref().expect("a random pass keeps its seed while it can be written or verified");
                jurex_keystream::keystream(&seed.0, address, out);
            }
            Base::Address => {
                let first = address / u64::from(sector_bytes);
                for (i, sector) in out.chunks_mut(sector_bytes as usize).enumerate() {
                    jurex_keystream::repeat(&address_unit(Lba(first + i as u64)), 0, sector);
                }
            }
        }
        if self.complemented {
            jurex_keystream::complement(out);
        }
    }

    /// Length after which the bytes repeat; `None` if they never do.
    pub fn period(&self) -> Option<u64> {
        match &self.base {
            Base::Bytes { bytes } => Some(bytes.len() as u64),
            Base::Random { .. } | Base::Address => None,
        }
    }
}

impl fmt::Display for Pattern {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.complemented {
            f.write_str("complement of ")?;
        }
        match &self.base {
            Base::Bytes { bytes } if bytes.len() > 4 => {
                let text = printable(&bytes[..bytes.len().min(24)]);
                if bytes.iter().all(|b| (0x20..0x7f).contains(b)) {
                    write!(f, "\"{text}\"{}", if bytes.len() > 24 { "…" } else { "" })
                } else {
                    write!(f, "{} bytes {}…", bytes.len(), spaced(&bytes[..4]))
                }
            }
            Base::Bytes { bytes } => f.write_str(&spaced(bytes)),
            Base::Random { .. } => f.write_str("random"),
            Base::Address => f.write_str("address"),
        }
    }
}

/// Bytes as upper-case pairs: `92 49 24`.
pub fn spaced(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02X}")).collect::<Vec<_>>().join(" ")
}

/// Bytes that no pass lays at the start of a sector.
const POISON: [u8; 16] = *b"\x9b\x1dnot read \xe4\x53\xc8\x06\xf1";

/// Marks each sector of `buffer` as not read. Whoever reads into it and then finds the mark knows that nothing came.
pub fn poison(sector_bytes: u32, buffer: &mut [u8]) {
    for sector in buffer.chunks_mut(sector_bytes as usize) {
        let n = sector.len().min(POISON.len());
        sector[..n].copy_from_slice(&POISON[..n]);
        // A sector that came only in part is not read either.
        let from = sector.len() - n;
        sector[from..].copy_from_slice(&POISON[..n]);
    }
}

/// A buffer on a 4096-byte boundary, as direct I/O asks for.
pub struct AlignedBuffer {
    store: Vec<u8>,
    offset: usize,
    len: usize,
}

impl AlignedBuffer {
    /// Strictest alignment that drives and file systems ask for, in bytes.
    pub const ALIGNMENT: usize = 4096;

    /// `len` bytes, zeroed.
    pub fn new(len: usize) -> Self {
        let store = vec![0; len + Self::ALIGNMENT];
        let offset = store.as_ptr().align_offset(Self::ALIGNMENT);
        Self { store, offset, len }
    }

    /// The bytes.
    pub fn bytes(&mut self) -> &mut [u8] {
        &mut self.store[self.offset..][..self.len]
    }
}

/// The bytes of a pattern for one stretch after another; repeating ones are computed once, not for each stretch.
pub struct PatternBuffer {
    buffer: AlignedBuffer,
    holds: Option<(Pattern, u64, usize)>,
}

impl PatternBuffer {
    /// For stretches of up to `len` bytes.
    pub fn new(len: usize) -> Self {
        Self { buffer: AlignedBuffer::new(len), holds: None }
    }

    /// Bytes that it has room for.
    #[allow(clippy::len_without_is_empty, reason = "it is never empty")]
    pub fn len(&self) -> usize {
        self.buffer.len
    }

    /// The whole buffer, to be read into; whatever pattern it held is forgotten.
    pub fn to_read_into(&mut self) -> &mut [u8] {
        self.holds = None;
        self.buffer.bytes()
    }

    /// The whole buffer as it is, filled or read into before.
    pub fn filled(&mut self) -> &mut [u8] {
        self.buffer.bytes()
    }

    /// The bytes of `pattern` for `len` bytes from byte address `address`, on a 4096-byte boundary.
    pub fn get(&mut self, pattern: &Pattern, address: u64, sector_bytes: u32, len: usize) -> &[u8] {
        let phase = pattern.period().map(|period| address % period);
        let held = self.holds.as_ref().is_some_and(|(p, at, n)| Some(*at) == phase && *n >= len && p == pattern);
        let out = &mut self.buffer.bytes()[..len];
        if !held {
            // Forgotten first: a fill that does not come to its end leaves nothing that is taken for whole.
            self.holds = None;
            pattern.fill(address, sector_bytes, out);
            self.holds = phase.map(|phase| (pattern.clone(), phase, len));
        }
        out
    }
}

/// The sectors of `read` that are not as `expected`; both start at `at`.
pub fn wrong_sectors(at: Lba, sector_bytes: u32, expected: &[u8], read: &[u8]) -> RangeSet {
    let mut wrong = RangeSet::new();
    if expected == read {
        return wrong;
    }
    let size = sector_bytes as usize;
    for (i, (want, got)) in expected.chunks(size).zip(read.chunks(size)).enumerate() {
        if want != got {
            wrong.insert(Sectors::new(at.0 + i as u64, 1));
        }
    }
    wrong
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn any_pattern() -> impl Strategy<Value = Pattern> {
        let base = prop_oneof![
            prop::collection::vec(any::<u8>(), 1..40).prop_map(|b| Pattern::bytes(b).unwrap()),
            any::<[u8; 16]>().prop_map(Pattern::random),
            Just(Pattern::address()),
        ];
        (base, any::<bool>()).prop_map(|(p, turned)| if turned { p.complement() } else { p })
    }

    proptest! {
        #[test]
        fn any_stretch_can_be_computed_alone(pattern in any_pattern(), first in 0u64..1 << 40, sectors in 1usize..9, skip in 0usize..8) {
            let skip = skip.min(sectors - 1);
            let (mut whole, mut part) = (vec![0; sectors * 512], vec![0xcc; (sectors - skip) * 512]);
            pattern.fill(first * 512, 512, &mut whole);
            pattern.fill((first + skip as u64) * 512, 512, &mut part);
            prop_assert_eq!(&whole[skip * 512..], &part[..]);
        }

        #[test]
        fn a_complement_turns_over_every_bit_and_back(pattern in any_pattern(), first in 0u64..1 << 40) {
            let (mut a, mut b) = ([0; 1024], [0; 1024]);
            pattern.fill(first * 512, 512, &mut a);
            pattern.complement().fill(first * 512, 512, &mut b);
            prop_assert!(a.iter().zip(&b).all(|(a, b)| a ^ b == 0xff));
            prop_assert_eq!(pattern.complement().complement(), pattern.clone());
            prop_assert!(pattern.complement().is_complement_of(&pattern));
        }

        #[test]
        fn the_reused_buffer_never_hands_out_stale_bytes(asked in prop::collection::vec((0usize..4, 0u64..5000, 1usize..5), 1..30)) {
            let patterns = [Pattern::bytes([1, 2, 3]).unwrap(), Pattern::bytes([0]).unwrap(), Pattern::random([5; 16]), Pattern::address()];
            let mut buffer = PatternBuffer::new(4 * 512);
            for (which, first, sectors) in asked {
                let mut fresh = vec![0; sectors * 512];
                patterns[which].fill(first * 512, 512, &mut fresh);
                prop_assert_eq!(buffer.get(&patterns[which], first * 512, 512, sectors * 512), &fresh[..]);
            }
        }
    }

    #[test]
    fn a_keystream_matches_the_published_vector() {
        // NIST SP 800-38A, F.5.1 uses another first counter; with a zero counter the first block is AES(key, 0),
        // here the all-zero key's: FIPS 197 implementations agree on 66E94BD4EF8A2C3B884CFA59CA342B2E.
        let mut out = [0; 16];
        Pattern::random([0; 16]).fill(0, 512, &mut out);
        assert_eq!(hex::encode(&out), "66e94bd4ef8a2c3b884cfa59ca342b2e");
    }

    #[test]
    fn fixed_bytes_run_on_across_sectors() {
        let mut out = [0; 1024];
        Pattern::bytes([0x92, 0x49, 0x24]).unwrap().fill(512, 512, &mut out);
        assert_eq!(out[..4], [0x24, 0x92, 0x49, 0x24], "512 % 3 is 2: the second sector starts in mid-pattern");
    }

    #[test]
    fn every_sector_names_itself() {
        let mut out = vec![0; 8192];
        Pattern::address().fill(4096 * 7, 4096, &mut out);
        assert_eq!(&out[4096..4096 + 32], b"sector 00000000000000000008 lba\n");
        assert_eq!(&out[4096 - 32..4096], b"sector 00000000000000000007 lba\n");
    }

    #[test]
    fn wrong_sectors_are_named_one_by_one() {
        let expected = vec![0; 2048];
        let mut read = expected.clone();
        read[600] = 1;
        read[2047] = 1;
        assert_eq!(wrong_sectors(Lba(10), 512, &expected, &read).sentence(9), "sector 11, sector 13");
    }
}
