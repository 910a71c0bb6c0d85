//! What is on a drive before it is erased: partition tables and file systems, read-only.
//!
//! Nothing here is trusted: tables may be damaged or hostile, names may be garbage. Whatever cannot be understood is
//! left out, and a note says so.

mod superblock;
mod tables;

use crate::residue::Leftovers;
use jiff::Timestamp;
use jurex_device::media::Geometry;
use jurex_device::medium::Medium;
use jurex_pattern::pattern::AlignedBuffer;
use jurex_pattern::units::{Lba, Sectors, si_size, size};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The drive has no such partition.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("there is no partition {number}: this drive's table has {of}")]
pub struct NoPartition {
    /// What was asked for.
    pub number: usize,
    /// How many there are.
    pub of: usize,
}

/// A stretch of the drive with something on it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Region {
    /// Where.
    pub at: Sectors,
    /// What: a file system's or a partition type's name.
    pub what: String,
    /// Its label, made safe to show.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub label: Option<String>,
    /// Bytes in use, where the superblock tells.
    #[serde(skip_serializing_if = "Option::is_none", default, with = "optional_u64")]
    #[schemars(with = "Option<jurex_pattern::text::Decimal>")]
    pub used: Option<u64>,
    /// When it was last written, where the superblock tells.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub written: Option<Timestamp>,
}

/// A 64-bit number that may be missing, as a decimal string.
mod optional_u64 {
    use serde::{Deserialize, Deserializer, Serializer};

    #[derive(Deserialize)]
    struct Number(#[serde(with = "jurex_pattern::text::u64_string")] u64);

    pub fn serialize<S: Serializer>(number: &Option<u64>, to: S) -> Result<S::Ok, S::Error> {
        match number {
            Some(n) => to.collect_str(n),
            None => to.serialize_none(),
        }
    }

    pub fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<Option<u64>, D::Error> {
        Ok(Option::<Number>::deserialize(from)?.map(|n| n.0))
    }
}

impl Region {
    /// It in one line: what, where, how large, how full, when last written.
    pub fn line(&self, geometry: Geometry) -> String {
        let used = self.used.map(|u| format!(", {} used", si_size(u))).unwrap_or_default();
        let written = self.written.map(|t| format!(", last written {}", t.strftime("%Y-%m-%d %H:%M UTC"))).unwrap_or_default();
        format!("{}: {}, {}{used}{written}", self.called(), self.at, size(geometry.bytes_of(self.at.count)))
    }

    /// A region of which no more is known.
    pub fn new(at: Sectors, what: impl Into<String>) -> Self {
        Self { at, what: what.into(), label: None, used: None, written: None }
    }

    /// What it is, with its label in quotes.
    pub fn called(&self) -> String {
        match &self.label {
            Some(label) => format!("{} \"{label}\"", self.what),
            None => self.what.clone(),
        }
    }
}

/// What a look at the drive found.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Contents {
    /// Kind of partition table.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub table: Option<String>,
    /// Partitions or file systems, in order of place.
    pub regions: Vec<Region>,
    /// What could not be read or understood.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub note: Option<String>,
    /// What a search for leftovers has found, where one was asked for.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub left: Option<Box<Leftovers>>,
}

impl Contents {
    /// Partition `number`, counted from 1 in the order of their first sectors.
    ///
    /// # Errors
    /// There is no such partition.
    pub fn partition(&self, number: usize) -> Result<&Region, NoPartition> {
        let of = match self.table.as_deref() {
            None | Some(tables::UNREADABLE_GPT) => 0,
            Some(_) => self.regions.len(),
        };
        let found = number.checked_sub(1).filter(|at| *at < of).and_then(|at| self.regions.get(at));
        found.ok_or(NoPartition { number, of })
    }

    /// The whole finding in one sentence.
    pub fn sentence(&self) -> String {
        let names: Vec<String> = self.regions.iter().map(Region::called).collect();
        match (&self.table, names.as_slice()) {
            (Some(table), _) if table == tables::UNREADABLE_GPT => {
                "A GPT partition table that can't be read: its partitions are not known.".into()
            }
            (Some(table), []) => format!("A {table} partition table without partitions."),
            (Some(table), _) => format!("{table} partition table: {}.", names.join(", ")),
            (None, []) if self.note.is_some() => "What is on it is not known: it could not be read.".into(),
            (None, []) => "No partition table and no file system that Jurex knows.".into(),
            (None, _) => format!("{}, without a partition table.", names.join(", ")),
        }
    }
}

/// Looks at the drive's tables and superblocks. Reads only; never fails: what cannot be read is noted.
pub fn look(medium: &mut dyn Medium) -> Contents {
    let geometry = medium.geometry();
    if geometry.sectors == 0 {
        return Contents::default();
    }
    let mut notes = vec![];
    if let Some(volume) = superblock::probe(medium, geometry.whole(), &mut notes) {
        return Contents { regions: vec![volume], ..Contents::default() };
    }
    let table = tables::read(medium);
    notes.extend(table.notes);
    let mut contents = Contents { table: table.kind, ..Contents::default() };
    for found in table.partitions {
        let at = Sectors::new(found.at.first.0, found.at.count.min(geometry.sectors.saturating_sub(found.at.first.0)));
        if at != found.at {
            notes.push("The partition table names sectors past the drive's end.".into());
        }
        if at.count == 0 {
            continue;
        }
        let mut region = superblock::probe(medium, at, &mut notes).unwrap_or_else(|| Region::new(at, found.kind));
        region.label = region.label.or(found.name);
        contents.regions.push(region);
    }
    contents.regions.sort_by_key(|r| r.at);
    let mut first = AlignedBuffer::new(geometry.logical as usize);
    if let Err(e) = medium.read(Lba(0), first.bytes()) {
        notes.push(format!("The first sector could not be read: {}.", e.cause.os()));
    }
    let mut told = std::collections::BTreeSet::new();
    notes.retain(|note| told.insert(note.clone()));
    contents.note = (!notes.is_empty()).then(|| notes.join(" "));
    contents
}

#[cfg(test)]
mod tests {
    use super::*;
    use gptman::{GPT, GPTPartitionEntry};
    use jurex_device::media::MediaClass;
    use jurex_device::testing::Memory;
    use mbrman::{BOOT_INACTIVE, CHS, MBRHeader, MBRPartitionEntry};
    use proptest::prelude::*;
    use std::io::Cursor;

    fn entry(sys: u8, starting_lba: u32, sectors: u32) -> MBRPartitionEntry {
        MBRPartitionEntry { boot: BOOT_INACTIVE, first_chs: CHS::empty(), sys, last_chs: CHS::empty(), starting_lba, sectors }
    }

    fn with_table(lba: usize, entries: [MBRPartitionEntry; 2], medium: &mut Memory) {
        let mut header = MBRHeader::new([1; 4]);
        [header.partition_1, header.partition_2] = entries;
        let mut sector = Cursor::new(vec![0; 512]);
        header.write_into(&mut sector).unwrap();
        medium.bytes[lba * 512..][..512].copy_from_slice(sector.get_ref());
    }

    fn blank(sectors: u64) -> Memory {
        let mut medium = Memory::new(MediaClass::Magnetic, sectors);
        medium.bytes.fill(0);
        medium
    }

    #[test]
    fn logical_partitions_are_followed_and_a_loop_ends() {
        let mut medium = blank(4096);
        with_table(0, [entry(0x83, 8, 100), entry(0x05, 200, 1000)], &mut medium);
        with_table(200, [entry(0x83, 8, 50), entry(0x05, 100, 100)], &mut medium);
        with_table(300, [entry(0x82, 8, 20), entry(0x05, 0, 100)], &mut medium);
        let places: Vec<Sectors> = look(&mut medium).regions.iter().map(|r| r.at).collect();
        assert_eq!(places, [Sectors::new(8, 100), Sectors::new(208, 50), Sectors::new(308, 20)]);
    }

    #[test]
    fn a_damaged_gpt_is_read_from_its_backup_and_a_hybrid_one_is_named() {
        let mut medium = blank(4096);
        let mut disk = Cursor::new(std::mem::take(&mut medium.bytes));
        let mut gpt = GPT::new_from(&mut disk, 512, [7; 16]).unwrap();
        gpt[1] = GPTPartitionEntry {
            partition_type_guid: [9; 16],
            starting_lba: 100,
            ending_lba: 199,
            partition_name: "tide".into(),
            ..GPTPartitionEntry::empty()
        };
        gpt.write_into(&mut disk).unwrap();
        medium.bytes = disk.into_inner();
        with_table(0, [entry(0xee, 1, 99), entry(0x0c, 2000, 100)], &mut medium);
        let whole = look(&mut medium);
        assert_eq!((whole.table.as_deref(), whole.regions[0].called().as_str()), (Some("GPT"), "partition \"tide\""));
        assert_eq!(whole.regions[0].at, Sectors::new(100, 100));
        assert!(whole.note.unwrap().contains("hybrid"));
        medium.bytes[512 + 20] ^= 1;
        let damaged = look(&mut medium);
        assert_eq!(damaged.regions, whole.regions);
        assert!(damaged.note.unwrap().contains("its backup at the drive's end was read"));
        medium.bytes[4095 * 512 + 20] ^= 1;
        assert!(look(&mut medium).note.unwrap().contains("neither it nor its backup can be read"));
    }

    /// A drive with a GPT of two partitions, and the usual MBR before it.
    fn with_gpt() -> Memory {
        let mut medium = blank(4096);
        let mut disk = Cursor::new(std::mem::take(&mut medium.bytes));
        let mut gpt = GPT::new_from(&mut disk, 512, [7; 16]).unwrap();
        for (n, at) in [(1, 100), (2, 1000)] {
            let ending_lba = at + 99;
            gpt[n] = GPTPartitionEntry {
                partition_type_guid: [9; 16],
                unique_partition_guid: [n as u8; 16],
                starting_lba: at,
                ending_lba,
                partition_name: "tide".into(),
                ..GPTPartitionEntry::empty()
            };
        }
        gpt.write_into(&mut disk).unwrap();
        medium.bytes = disk.into_inner();
        with_table(0, [entry(0xee, 1, u32::MAX), entry(0, 0, 0)], &mut medium);
        medium
    }

    #[test]
    fn what_can_not_be_read_is_never_no_gpt_and_the_entry_that_stands_for_one_is_no_partition() {
        let mut medium = with_gpt();
        medium.aligned_only = true;
        let whole = look(&mut medium);
        assert_eq!(whole.partition(2).unwrap().at, Sectors::new(1000, 100), "every read is one that a controller can carry out");
        // Header, entries, and both copies: whatever fails, partition 1 never becomes "sector 1 to the end".
        for unread in [vec![1], vec![2], vec![1, 4095], vec![2, 4063], (1..34).chain(4063..4096).collect()] {
            medium.unreadable = unread.clone();
            let found = look(&mut medium);
            let note = found.note.clone().unwrap_or_default();
            assert!(note.contains(&format!("Sector {} could not be read", unread[0])), "{unread:?}: {note}");
            assert!(found.regions.iter().all(|r| whole.regions.contains(r)), "{unread:?}: {found:?}");
            if unread.len() == 1 {
                assert_eq!(found.partition(1).unwrap().at, Sectors::new(100, 100), "its backup tells the same");
            } else {
                assert!(found.partition(1).is_err(), "{unread:?}: {found:?}");
                assert!(found.sentence().contains("can't be read"), "{}", found.sentence());
            }
        }
        // A hybrid one's own entries are shown, and none of them can be chosen: their numbers are not those of the GPT.
        with_table(0, [entry(0xee, 1, 99), entry(0x0c, 2000, 100)], &mut medium);
        assert!(look(&mut medium).partition(1).is_err());
        // Nothing of the start gives anything: not "no table", but "not known".
        medium.unreadable = (0..4096).collect();
        let nothing = look(&mut medium);
        assert_eq!((nothing.table.as_deref(), nothing.regions.len()), (None, 0));
        assert!(nothing.sentence().contains("not known"), "{}", nothing.sentence());
    }

    #[test]
    fn a_partition_past_the_end_is_cut_off_and_noted() {
        let mut medium = blank(256);
        with_table(0, [entry(0x83, 8, u32::MAX), entry(0x83, u32::MAX, 9)], &mut medium);
        let contents = look(&mut medium);
        assert_eq!(contents.regions.iter().map(|r| r.at).collect::<Vec<_>>(), [Sectors::new(8, 248)]);
        assert!(contents.note.is_some());
    }

    #[test]
    fn a_label_cannot_reach_the_terminal_with_its_escape_codes() {
        let mut medium = blank(256);
        medium.bytes[1024 + 56..1024 + 58].copy_from_slice(&[0x53, 0xef]);
        medium.bytes[1024 + 120..1024 + 128].copy_from_slice(b"\x1b[2Jtide");
        assert_eq!(look(&mut medium).sentence(), "ext2 \"[2Jtide\", without a partition table.");
    }

    proptest! {
        #[test]
        fn garbage_is_looked_at_without_harm(seed: u64, magic in 0usize..5) {
            let mut medium = blank(64);
            let mut state = seed | 1;
            medium.bytes.iter_mut().for_each(|b| {
                state = state.wrapping_mul(6364136223846793005).wrapping_add(1442695040888963407);
                *b = (state >> 56) as u8;
            });
            let (at, bytes): (usize, &[u8]) =
                [(510, &[0x55, 0xaa][..]), (512, b"EFI PART"), (1080, &[0x53, 0xef]), (4086, b"SWAPSPACE2"), (82, b"FAT32")][magic];
            medium.bytes[at..at + bytes.len()].copy_from_slice(bytes);
            for boot in [446, 462, 478, 494] {
                medium.bytes[boot] &= 0x80;
            }
            let contents = look(&mut medium);
            prop_assert!(contents.regions.iter().all(|r| r.at.end() <= 64 && r.called().chars().all(|c| !c.is_control())));
        }
    }
}
