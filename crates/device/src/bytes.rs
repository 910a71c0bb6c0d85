//! Looking at raw sectors: what kind each is, and searching forwards for bytes.

use crate::medium::{Medium, MediumError};
use jurex_pattern::pattern::AlignedBuffer;
use jurex_pattern::units::Lba;
use memchr::memmem::Finder;

/// What a sector looks like at a glance.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SectorKind {
    /// One byte over and over.
    Blank,
    /// Words.
    Text,
    /// No pattern to be seen: compressed, encrypted or random.
    Dense,
    /// A table or superblock that Jurex knows.
    Structure,
    /// Anything else.
    Mixed,
}

/// What `sector` looks like. Entropy is Shannon's, over single bytes; 512 random bytes have about 7.6 bits.
pub fn classify(sector: &[u8]) -> SectorKind {
    if sector.is_empty() || repeated_byte(sector).is_some() {
        return SectorKind::Blank;
    }
    if is_structure(sector) {
        return SectorKind::Structure;
    }
    let wordlike = |b: &&u8| matches!(**b, b'\t' | b'\n' | b'\r' | 0x20..=0x7e);
    let used = sector.len() - sector.iter().rev().take_while(|b| **b == 0).count();
    let words = sector[..used].iter().filter(wordlike).count();
    if used >= 16 && words * 10 >= used * 9 {
        return SectorKind::Text;
    }
    if entropy(sector) >= 7.2 { SectorKind::Dense } else { SectorKind::Mixed }
}

/// The byte that `bytes` are over and over; `None`: they differ, or there are none.
pub fn repeated_byte(bytes: &[u8]) -> Option<u8> {
    let (first, rest) = bytes.split_first()?;
    (*rest == bytes[..rest.len()]).then_some(*first)
}

fn is_structure(sector: &[u8]) -> bool {
    let starts: [&[u8]; 7] = [b"EFI PART", b"LUKS\xba\xbe", b"XFSB", b"LABELONE", b"RRaA", b"H+\0\x04", b"\x01CD001"];
    let ext = sector.get(56..58) == Some(&[0x53, 0xef]) && sector.get(..4) != Some(&[0; 4]);
    starts.iter().any(|s| sector.starts_with(s)) || sector.get(510..512) == Some(&[0x55, 0xaa]) || ext
}

fn entropy(bytes: &[u8]) -> f64 {
    let counts = jurex_keystream::counts(bytes);
    let total = bytes.len() as f64;
    counts.iter().filter(|n| **n > 0).map(|n| f64::from(*n) / total).map(|p| -p * p.log2()).sum()
}

/// Bytes to search for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Needle(Vec<u8>);

impl Needle {
    /// Reads what a person typed: pairs of hexadecimal digits are bytes, anything else is text; text that looks like
    /// digits is put in quotes. `None` if there is nothing to search for.
    pub fn parse(typed: &str) -> Option<Self> {
        let typed = typed.trim();
        let quoted = typed.strip_prefix('"').map(|t| t.strip_suffix('"').unwrap_or(t));
        let joined: String = typed.split_whitespace().collect();
        let bytes = match quoted {
            Some(text) => text.as_bytes().to_vec(),
            None => jurex_pattern::text::hex::decode(&joined).unwrap_or_else(|| typed.as_bytes().to_vec()),
        };
        (!bytes.is_empty()).then_some(Self(bytes))
    }
}

/// How a search ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Search {
    /// The needle begins at this byte of the drive.
    Found(u64),
    /// It is nowhere from the start to the end.
    NotFound,
    /// It was broken off.
    BrokenOff,
}

/// Bytes that are read at once.
const CHUNK: u64 = 1 << 20;

/// Searches forwards from byte `from` on. `go_on` is asked before each stretch with its first byte.
///
/// # Errors
/// A stretch that can't be read; what lies before it does not hold the needle.
pub fn search(
    medium: &mut dyn Medium,
    needle: &Needle,
    from: u64,
    go_on: &mut dyn FnMut(u64) -> bool,
) -> Result<Search, MediumError> {
    let geometry = medium.geometry();
    let sector = u64::from(geometry.logical);
    let finder = Finder::new(&needle.0);
    // A needle may lie across two stretches: the next one begins that much earlier.
    let overlap = (needle.0.len() as u64 - 1).next_multiple_of(sector);
    let mut buffer = AlignedBuffer::new((CHUNK + overlap) as usize);
    let mut at = from / sector * sector;
    while at < geometry.bytes() {
        if !go_on(at) {
            return Ok(Search::BrokenOff);
        }
        let len = (CHUNK + overlap).min(geometry.bytes() - at) as usize;
        let stretch = &mut buffer.bytes()[..len];
        medium.read(Lba(at / sector), stretch)?;
        let skip = from.saturating_sub(at) as usize;
        if let Some(place) = finder.find(&stretch[skip.min(len)..]) {
            return Ok(Search::Found(at + (skip + place) as u64));
        }
        at += CHUNK;
    }
    Ok(Search::NotFound)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::media::MediaClass;
    use crate::testing::Memory;
    use jurex_pattern::pattern::Pattern;
    use proptest::prelude::*;

    #[test]
    fn sectors_are_told_apart_at_a_glance() {
        let mut random = [0; 512];
        Pattern::random([3; 16]).fill(0, 512, &mut random);
        let mut boot = random;
        boot[510..].copy_from_slice(&[0x55, 0xaa]);
        let mut text = [0; 512];
        text[..300].copy_from_slice(&b"time_utc,wind_ms\n".repeat(20)[..300]);
        let mut sparse = [0; 512];
        sparse[7] = 1;
        let kinds = [[0xff; 512], text, random, boot, sparse].map(|s| classify(&s));
        assert_eq!(kinds, [SectorKind::Blank, SectorKind::Text, SectorKind::Dense, SectorKind::Structure, SectorKind::Mixed]);
    }

    #[test]
    fn digits_are_bytes_and_quotes_make_them_text() {
        assert_eq!(Needle::parse("55 AA"), Some(Needle(vec![0x55, 0xaa])));
        assert_eq!(Needle::parse("\"55AA\""), Some(Needle(b"55AA".to_vec())));
        assert_eq!(Needle::parse(" tide gauge "), Some(Needle(b"tide gauge".to_vec())));
        assert_eq!((Needle::parse(" "), Needle::parse("\"\"")), (None, None));
    }

    proptest! {
        #[test]
        fn a_needle_is_found_wherever_it_lies(at in 0usize..3_000_000, from in 0u64..3_000_000) {
            let mut medium = Memory::new(MediaClass::Magnetic, 6144);
            let needle = Needle::parse("needle across stretches").unwrap();
            medium.bytes[at..at + needle.0.len()].copy_from_slice(&needle.0);
            let expected = if at as u64 >= from { Search::Found(at as u64) } else { Search::NotFound };
            prop_assert_eq!(search(&mut medium, &needle, from, &mut |_| true).unwrap(), expected);
            prop_assert_eq!(search(&mut medium, &needle, 0, &mut |_| false).unwrap(), Search::BrokenOff);
        }
    }
}
