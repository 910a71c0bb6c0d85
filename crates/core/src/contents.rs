//! What is on a drive before it is erased: partition tables and file systems, read-only.
//!
//! Nothing here is trusted: tables may be damaged or hostile, names may be garbage. Whatever cannot be understood is
//! left out, and a note says so.

use crate::medium::{Medium, SectorReader};
use crate::text::printable;
use crate::units::{Lba, Sectors};
use gptman::GPTHeader;
use mbrman::MBRHeader;
use serde::{Deserialize, Serialize};
use std::io::{Cursor, Read, Seek, SeekFrom};

/// A stretch of the drive with something on it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Region {
    /// Where.
    pub at: Sectors,
    /// What: a file system's or a partition type's name.
    pub what: String,
    /// Its label, made safe to show.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub label: Option<String>,
}

impl Region {
    /// What it is, with its label in quotes.
    pub fn called(&self) -> String {
        match &self.label {
            Some(label) => format!("{} \"{label}\"", self.what),
            None => self.what.clone(),
        }
    }
}

/// What a look at the drive found.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Contents {
    /// Kind of partition table.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub table: Option<String>,
    /// Partitions or file systems, in order of place.
    pub regions: Vec<Region>,
    /// What could not be read or understood.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub note: Option<String>,
}

impl Contents {
    /// The whole finding in one sentence.
    pub fn sentence(&self) -> String {
        let names: Vec<String> = self.regions.iter().map(Region::called).collect();
        match (&self.table, names.as_slice()) {
            (Some(table), []) => format!("A {table} partition table without partitions."),
            (Some(table), _) => format!("{table} partition table: {}.", names.join(", ")),
            (None, []) => "No partition table and no file system that Jurex knows.".into(),
            (None, _) => format!("{}, without a partition table.", names.join(", ")),
        }
    }
}

/// Sectors that a look may read for partition tables.
const TABLE_BUDGET: u32 = 2048;
/// Logical partitions that are followed.
const MOST_LOGICAL: usize = 64;
/// Bytes from a volume's start that hold every superblock that is known here.
const PROBE_BYTES: u64 = 8192;

/// Looks at the drive's tables and superblocks. Reads only; never fails: what cannot be read is noted.
pub fn look(medium: &mut dyn Medium) -> Contents {
    let geometry = medium.geometry();
    if geometry.sectors == 0 {
        return Contents::default();
    }
    if let Some(volume) = probe(medium, geometry.whole()) {
        return Contents { table: None, regions: vec![volume], note: None };
    }
    let (table, partitions) = match gpt(medium) {
        Some(found) => (Some("GPT"), found),
        None => match mbr(medium) {
            Some(found) => (Some("MBR"), found),
            None => (None, vec![]),
        },
    };
    let mut contents = Contents { table: table.map(String::from), ..Contents::default() };
    for (at, kind, name) in partitions {
        let clipped = Sectors::new(at.first.0, at.count.min(geometry.sectors.saturating_sub(at.first.0)));
        if clipped != at {
            contents.note = Some("The partition table names sectors past the drive's end.".into());
        }
        if clipped.count == 0 {
            continue;
        }
        let mut region = probe(medium, clipped).unwrap_or(Region { at: clipped, what: kind, label: None });
        region.label = region.label.or(name);
        contents.regions.push(region);
    }
    contents.regions.sort_by_key(|r| r.at);
    let mut first = vec![0; geometry.logical as usize];
    if let Err(e) = medium.read(Lba(0), &mut first) {
        contents.note = Some(format!("The first sector could not be read: {}.", e.cause.os()));
    }
    contents
}

type Partition = (Sectors, String, Option<String>);

/// Partitions of the primary table, or of the backup if the primary is damaged.
fn gpt(medium: &mut dyn Medium) -> Option<Vec<Partition>> {
    let geometry = medium.geometry();
    [1, geometry.sectors.saturating_sub(1)].into_iter().find_map(|lba| gpt_at(medium, lba))
}

fn gpt_at(medium: &mut dyn Medium, lba: u64) -> Option<Vec<Partition>> {
    let geometry = medium.geometry();
    let sector = u64::from(geometry.logical);
    let mut reader = SectorReader::new(medium, TABLE_BUDGET);
    reader.seek(SeekFrom::Start(lba * sector)).ok()?;
    let header = GPTHeader::read_from(&mut reader).ok()?;
    // The reader allocates what the header asks for: sane numbers only.
    let sane = header.number_of_partition_entries <= 512
        && (128..=1024).contains(&header.size_of_partition_entry)
        && header.partition_entry_lba < geometry.sectors;
    if !sane {
        return None;
    }
    let entries = header.read_partitions(&mut reader, sector).ok()?;
    let used = entries.iter().filter(|e| e.is_used());
    Some(
        used.filter_map(|e| {
            let at = Sectors::from_to(e.starting_lba, e.ending_lba)?;
            let name = printable(e.partition_name.as_str().as_bytes());
            Some((at, gpt_kind(&e.partition_type_guid).to_string(), (!name.is_empty()).then_some(name)))
        })
        .collect(),
    )
}

/// Well-known partition types by the first bytes of their GUID as stored.
fn gpt_kind(guid: &[u8; 16]) -> &'static str {
    match guid[..4] {
        [0x28, 0x73, 0x2a, 0xc1] => "EFI system",
        [0xaf, 0x3d, 0xc6, 0x0f] => "Linux data",
        [0x6d, 0xfd, 0x57, 0x06] => "Linux swap",
        [0xa2, 0xa0, 0xd0, 0xeb] => "basic data",
        [0x79, 0xd3, 0xd6, 0xe6] => "Linux LVM",
        _ => "partition",
    }
}

fn mbr(medium: &mut dyn Medium) -> Option<Vec<Partition>> {
    let header = mbr_at(medium, 0)?;
    let mut found = vec![];
    for (_, entry) in header.iter().filter(|(_, e)| e.is_used()) {
        let first = u64::from(entry.starting_lba);
        match entry.is_extended() {
            true => logical(medium, first, &mut found),
            false => found.push((Sectors::new(first, entry.sectors.into()), mbr_kind(entry.sys), None)),
        }
    }
    Some(found)
}

/// The chain of an extended partition. Links must run forwards, so that a loop ends.
fn logical(medium: &mut dyn Medium, extended: u64, found: &mut Vec<Partition>) {
    let mut at = extended;
    for _ in 0..MOST_LOGICAL {
        let Some(header) = mbr_at(medium, at) else { return };
        let (partition, next) = (&header.partition_1, &header.partition_2);
        if partition.is_used() && partition.sectors > 0 {
            let first = at + u64::from(partition.starting_lba);
            found.push((Sectors::new(first, partition.sectors.into()), mbr_kind(partition.sys), None));
        }
        let next = extended + u64::from(next.starting_lba);
        if next <= at {
            return;
        }
        at = next;
    }
}

fn mbr_at(medium: &mut dyn Medium, lba: u64) -> Option<MBRHeader> {
    let geometry = medium.geometry();
    if lba >= geometry.sectors {
        return None;
    }
    let mut sector = vec![0; geometry.logical as usize];
    medium.read(Lba(lba), &mut sector).ok()?;
    MBRHeader::read_from(&mut Cursor::new(&sector[..512])).ok()
}

fn mbr_kind(id: u8) -> String {
    match id {
        0x01 | 0x04 | 0x06 | 0x0e => "FAT partition".into(),
        0x0b | 0x0c => "FAT32 partition".into(),
        0x07 => "NTFS or exFAT partition".into(),
        0x82 => "Linux swap".into(),
        0x83 => "Linux data".into(),
        0x8e => "Linux LVM".into(),
        0xee => "GPT protection".into(),
        0xef => "EFI system".into(),
        id => format!("partition of type {id:02X}"),
    }
}

/// The file system or container at the start of `at`, by its superblock.
fn probe(medium: &mut dyn Medium, at: Sectors) -> Option<Region> {
    let sector = u64::from(medium.geometry().logical);
    let len = PROBE_BYTES.min(at.count.saturating_mul(sector));
    let mut head = vec![0; len as usize];
    let mut reader = SectorReader::new(medium, TABLE_BUDGET);
    reader.seek(SeekFrom::Start(at.first.0.checked_mul(sector)?)).ok()?;
    reader.read_exact(&mut head).ok()?;
    // Every field asked for below lies inside.
    head.resize(PROBE_BYTES as usize, 0);
    let (what, label) = superblock(&head)?;
    let label = label.map(printable).filter(|l| !l.is_empty());
    Some(Region { at, what: what.into(), label })
}

/// Name and raw label of the volume whose first [`PROBE_BYTES`] are `head`.
fn superblock(head: &[u8]) -> Option<(&'static str, Option<&[u8]>)> {
    let is = |at: usize, magic: &[u8]| head[at..].starts_with(magic);
    if is(510, &[0x55, 0xaa]) {
        if is(3, b"NTFS    ") {
            return Some(("NTFS", None));
        }
        if is(3, b"EXFAT   ") {
            return Some(("exFAT", None));
        }
        let fat_label = |at: usize| Some(&head[at..at + 11]).filter(|l| *l != b"NO NAME    ");
        match (is(54, b"FAT12"), is(54, b"FAT16"), is(82, b"FAT32")) {
            (true, ..) => return Some(("FAT12", fat_label(43))),
            (_, true, _) => return Some(("FAT16", fat_label(43))),
            (.., true) => return Some(("FAT32", fat_label(71))),
            _ => {}
        }
    }
    if is(0, b"LUKS\xba\xbe") {
        return Some(("encrypted volume (LUKS)", None));
    }
    if is(1024 + 56, &[0x53, 0xef]) {
        return Some((ext_version(head), Some(&head[1024 + 120..1024 + 136])));
    }
    if is(4086, b"SWAPSPACE2") {
        return Some(("swap", Some(&head[1024 + 28..1024 + 44])));
    }
    if is(0, b"XFSB") {
        return Some(("XFS", Some(&head[108..120])));
    }
    None
}

/// The generation of an ext file system by its feature words: extents make it ext4, a journal ext3.
fn ext_version(head: &[u8]) -> &'static str {
    let word = |at: usize| u32::from_le_bytes([head[at], head[at + 1], head[at + 2], head[at + 3]]);
    let (compatible, incompatible) = (word(1024 + 92), word(1024 + 96));
    match (incompatible & 0x40 != 0, compatible & 0x4 != 0) {
        (true, _) => "ext4",
        (false, true) => "ext3",
        (false, false) => "ext2",
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::media::MediaClass;
    use crate::medium::memory::Memory;
    use mbrman::{BOOT_INACTIVE, CHS, MBRPartitionEntry};
    use proptest::prelude::*;

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
