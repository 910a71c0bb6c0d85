//! What is kept of a file before anything is written to it, so that an interrupted work can go on and still say where the file lay at first.

use super::file::{FileBefore, FileEvidence, Name};
use serde::{Deserialize, Serialize};

/// A stretch of a file, in bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Stretch {
    /// First byte in the file.
    pub at: u64,
    /// Bytes.
    pub bytes: u64,
    /// First byte in the file system's own addresses; `None`: not told.
    pub place: Option<u64>,
    /// Whether its length on the device is another than in the file.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub encoded: bool,
}

/// How a file lies.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Lies {
    /// What is mapped, up to the block that its last byte is in, in the order of the file.
    pub stretches: Vec<Stretch>,
    /// In bytes: what a record says of it.
    pub before: FileBefore,
}

/// What a sector held, as a digest under a salt.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct SectorSample {
    /// Its first byte in the file system's own addresses.
    pub place: u64,
    /// Bytes.
    pub bytes: u32,
    /// The first 64 bits of its salted SHA-256.
    pub digest: u64,
}

/// A file that is about to be written to.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Trace {
    /// The file system's number.
    pub device: u64,
    /// The file's number in it.
    pub inode: u64,
    /// When it was made, in seconds and nanoseconds, where that is told: a number may have come to another file since.
    pub born: (i64, u32),
    /// Its name as the record has it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<Name>,
    /// Its length.
    pub length: u64,
    /// Which of the record's grounds it lies on.
    #[serde(default)]
    pub ground: u32,
    /// How it lies.
    pub lies: Lies,
    /// What some of its sectors hold.
    pub samples: Vec<SectorSample>,
    /// What was seen of it once it was overwritten; its name may still be there.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub seen: Option<FileSeen>,
}

/// What was seen of a file once it was overwritten.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileSeen {
    /// All of it.
    pub evidence: FileEvidence,
    /// When it had been changed last, in seconds and nanoseconds: if somebody has written to it since, this is of something else.
    pub changed: (i64, u32),
}

impl Lies {
    /// Adds what `now` has where this has nothing: it came since.
    pub fn with_what_came(&mut self, now: &Lies) {
        for new in &now.stretches {
            let mut at = new.at;
            while at < new.at + new.bytes {
                let next = self.stretches.partition_point(|s| s.at <= at);
                if let Some(known) = next.checked_sub(1).map(|n| self.stretches[n]).filter(|s| at < s.at + s.bytes) {
                    at = known.at + known.bytes;
                    continue;
                }
                let end = self.stretches.get(next).map_or(u64::MAX, |s| s.at).min(new.at + new.bytes);
                let place = new.place.map(|p| p + (at - new.at));
                self.stretches.insert(next, Stretch { at, bytes: end - at, place, encoded: new.encoded });
                self.before.stretches += 1;
                self.before.mapped += end - at;
                self.before.unplaced += if place.is_none() { end - at } else { 0 };
                self.before.encoded += if new.encoded { end - at } else { 0 };
                at = end;
            }
        }
        self.before.shared = self.before.shared.max(now.before.shared);
        self.before.inline = self.before.inline.max(now.before.inline);
    }

    /// Whether every byte that had a place has the same one in `now`. `None`: not told.
    pub fn has_moved(&self, now: &Lies) -> Option<bool> {
        let (mut told, mut moved) = (true, false);
        for was in &self.stretches {
            let mut at = was.at;
            while at < was.at + was.bytes {
                let next = now.stretches.partition_point(|s| s.at <= at);
                let Some(is) = next.checked_sub(1).map(|n| now.stretches[n]).filter(|s| at < s.at + s.bytes) else {
                    moved = true;
                    break;
                };
                match (was.place, is.place) {
                    (Some(was_at), Some(is_at)) => moved |= was_at + (at - was.at) != is_at + (at - is.at),
                    _ => told = false,
                }
                at = (is.at + is.bytes).min(was.at + was.bytes);
            }
        }
        match (moved, told) {
            (true, _) => Some(true),
            (false, true) => Some(false),
            (false, false) => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn lie(stretches: &[(u64, u64, Option<u64>)]) -> Lies {
        let one =
            |(at, bytes, place): &(u64, u64, Option<u64>)| Stretch { at: *at, bytes: *bytes, place: *place, encoded: false };
        Lies { stretches: stretches.iter().map(one).collect(), before: FileBefore::default() }
    }

    #[test]
    fn what_came_since_is_added_where_nothing_was() {
        let mut first = lie(&[(0, 4096, Some(1 << 20)), (8192, 4096, Some(2 << 20))]);
        first.with_what_came(&lie(&[(0, 16384, Some(5 << 20))]));
        let places: Vec<_> = first.stretches.iter().map(|s| (s.at, s.bytes, s.place)).collect();
        let (five, mib) = (5 << 20, 1 << 20);
        assert_eq!(
            places,
            [
                (0, 4096, Some(mib)),
                (4096, 4096, Some(five + 4096)),
                (8192, 4096, Some(2 * mib)),
                (12288, 4096, Some(five + 12288))
            ]
        );
        assert_eq!((first.before.mapped, first.before.stretches), (8192, 2));
        assert_eq!((first.before.unplaced, first.before.encoded), (0, 0));
        let mut came = lie(&[(4096, 4096, None), (12288, 4096, Some(7))]);
        came.stretches[1].encoded = true;
        let mut first = lie(&[(0, 8192, Some(1 << 20))]);
        first.with_what_came(&came);
        assert_eq!((first.before.unplaced, first.before.encoded), (0, 4096), "the first of them was known");
        let mut first = lie(&[(0, 6144, Some(1 << 20))]);
        first.with_what_came(&came);
        assert_eq!((first.before.unplaced, first.before.encoded, first.before.mapped), (2048, 4096, 6144));
        assert_eq!((first.stretches[1].at, first.stretches[1].bytes), (6144, 2048));
        let mut first = lie(&[(0, 6144, Some(1 << 20))]);
        first.with_what_came(&lie(&[(4096, 4096, Some(9 << 20))]));
        assert_eq!(first.stretches[1].place, Some((9 << 20) + 2048), "where the rest of it lies");
    }

    #[test]
    fn a_file_has_moved_if_any_byte_of_it_has() {
        let before = lie(&[(0, 8192, Some(1 << 20)), (16384, 4096, Some(9 << 20))]);
        let split = lie(&[
            (0, 4096, Some(1 << 20)),
            (4096, 4096, Some((1 << 20) + 4096)),
            (8192, 4096, Some(7)),
            (16384, 8192, Some(9 << 20)),
        ]);
        assert_eq!(before.has_moved(&before), Some(false));
        assert_eq!(before.has_moved(&split), Some(false), "what is split lies where it lay");
        let half = lie(&[(0, 4096, Some(1 << 20)), (4096, 4096, Some(5 << 20)), (16384, 4096, Some(9 << 20))]);
        assert_eq!(before.has_moved(&half), Some(true));
        assert_eq!(before.has_moved(&lie(&[(0, 8192, Some(1 << 20))])), Some(true), "what is no more mapped is not there");
        assert_eq!(lie(&[(0, 4096, None)]).has_moved(&before), None);
        // The other way round: what was in pieces lies in one now, from before its start on.
        assert_eq!(lie(&[(4096, 4096, Some((1 << 20) + 4096))]).has_moved(&before), Some(false));
        assert_eq!(lie(&[(4096, 4096, Some(1 << 20))]).has_moved(&before), Some(true));
        assert_eq!(lie(&[(8192, 4096, Some(7))]).has_moved(&before), Some(true), "nothing of it is there");
    }
}
