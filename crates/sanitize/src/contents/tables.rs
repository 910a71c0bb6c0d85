//! Partition tables: GPT with its backup, MBR with logical partitions, and both at once.

use gptman::GPTHeader;
use jurex_device::medium::{Medium, SectorReader};
use jurex_pattern::text::printable;
use jurex_pattern::units::{Lba, Sectors};
use mbrman::MBRHeader;
use std::io::{Cursor, Seek, SeekFrom};

/// A partition as its table names it; it may lie anywhere.
pub(super) struct TablePartition {
    pub(super) at: Sectors,
    pub(super) kind: String,
    pub(super) name: Option<String>,
}

/// What kind of table there is, and what it names.
#[derive(Default)]
pub(super) struct PartitionTable {
    pub(super) kind: Option<String>,
    pub(super) partitions: Vec<TablePartition>,
    pub(super) notes: Vec<String>,
}

/// Sectors that may be read for one table.
const BUDGET: u32 = 2048;
/// Logical partitions that are followed.
const MAX_LOGICAL: usize = 64;
/// Kind of a table whose protective MBR stands, but of whose GPT nothing can be read: nobody knows what its partitions are.
pub(super) const UNREADABLE_GPT: &str = "GPT (unreadable)";
/// Type of the MBR entry that stands for a GPT.
const PROTECTIVE: u8 = 0xee;

/// What a place holds that may hold a table.
enum There<T> {
    Table(T),
    /// Everything was read, and there is none.
    Nothing,
    /// A sector could not be read: nobody knows.
    Unread(Lba),
}

impl<T> There<T> {
    fn table(self, notes: &mut Vec<String>) -> Option<T> {
        match self {
            There::Table(table) => Some(table),
            There::Nothing => None,
            There::Unread(at) => {
                notes.push(format!("Sector {} could not be read: whether a partition table lies there is not known.", at.0));
                None
            }
        }
    }
}

/// The drive's partition table.
pub(super) fn read(medium: &mut dyn Medium) -> PartitionTable {
    let last = medium.geometry().sectors.saturating_sub(1);
    let mut notes = vec![];
    let header = mbr_at(medium, 0).table(&mut notes);
    let from_gpt = gpt_at(medium, 1).table(&mut notes).or_else(|| {
        let backup = gpt_at(medium, last).table(&mut notes)?;
        notes.push("The primary GPT is damaged; its backup at the drive's end was read.".into());
        Some(backup)
    });
    let names_own = |h: &MBRHeader| h.iter().any(|(_, e)| e.is_used() && e.sys != PROTECTIVE);
    match (from_gpt, header) {
        (Some(partitions), header) => {
            if header.as_ref().is_some_and(names_own) {
                notes.push("The MBR names partitions of its own beside the GPT (a hybrid table).".into());
            }
            PartitionTable { kind: Some("GPT".into()), partitions, notes }
        }
        (None, Some(header)) => {
            let kind = if header.iter().any(|(_, e)| e.sys == PROTECTIVE) {
                notes.push("The MBR says that there is a GPT, but neither it nor its backup can be read.".into());
                UNREADABLE_GPT
            } else {
                "MBR"
            };
            let partitions = mbr(medium, &header, &mut notes);
            PartitionTable { kind: Some(kind.into()), partitions, notes }
        }
        (None, None) => PartitionTable { notes, ..PartitionTable::default() },
    }
}

fn gpt_at(medium: &mut dyn Medium, lba: u64) -> There<Vec<TablePartition>> {
    let mut reader = SectorReader::new(medium, BUDGET);
    match gpt_from(&mut reader, lba) {
        Some(partitions) => There::Table(partitions),
        None => reader.unread().map_or(There::Nothing, There::Unread),
    }
}

fn gpt_from(reader: &mut SectorReader<'_>, lba: u64) -> Option<Vec<TablePartition>> {
    let geometry = reader.geometry();
    let sector = u64::from(geometry.logical);
    reader.seek(SeekFrom::Start(lba.checked_mul(sector)?)).ok()?;
    let header = GPTHeader::read_from(reader).ok()?;
    // The reader allocates what the header asks for: sane numbers only.
    let sane = header.number_of_partition_entries <= 512
        && (128..=1024).contains(&header.size_of_partition_entry)
        && header.partition_entry_lba < geometry.sectors;
    if !sane {
        return None;
    }
    let entries = header.read_partitions(reader, sector).ok()?;
    let used = entries.iter().filter(|e| e.is_used());
    Some(
        used.filter_map(|e| {
            let at = Sectors::from_to(e.starting_lba, e.ending_lba)?;
            let name = printable(e.partition_name.as_str().as_bytes());
            Some(TablePartition { at, kind: gpt_kind(&e.partition_type_guid).into(), name: (!name.is_empty()).then_some(name) })
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
        [0x0f, 0x88, 0x9d, 0xa1] => "Linux RAID",
        _ => "partition",
    }
}

/// What an MBR names. The entry that stands for a GPT is no partition: it spans the table and all that the GPT names.
fn mbr(medium: &mut dyn Medium, header: &MBRHeader, notes: &mut Vec<String>) -> Vec<TablePartition> {
    let mut found = vec![];
    for (_, entry) in header.iter().filter(|(_, e)| e.is_used() && e.sys != PROTECTIVE) {
        let first = u64::from(entry.starting_lba);
        if entry.is_extended() {
            logical(medium, first, &mut found, notes);
        } else {
            found.push(TablePartition { at: Sectors::new(first, entry.sectors.into()), kind: mbr_kind(entry.sys), name: None });
        }
    }
    found
}

/// The chain of an extended partition. Links must run forwards, so that a loop ends.
fn logical(medium: &mut dyn Medium, extended: u64, found: &mut Vec<TablePartition>, notes: &mut Vec<String>) {
    let mut at = extended;
    for _ in 0..MAX_LOGICAL {
        let Some(header) = mbr_at(medium, at).table(notes) else { return };
        let (partition, next) = (&header.partition_1, &header.partition_2);
        if partition.is_used() && partition.sectors > 0 {
            let first = at + u64::from(partition.starting_lba);
            found.push(TablePartition {
                at: Sectors::new(first, partition.sectors.into()),
                kind: mbr_kind(partition.sys),
                name: None,
            });
        }
        let next = extended + u64::from(next.starting_lba);
        if next <= at {
            return;
        }
        at = next;
    }
}

fn mbr_at(medium: &mut dyn Medium, lba: u64) -> There<MBRHeader> {
    let geometry = medium.geometry();
    if lba >= geometry.sectors {
        return There::Nothing;
    }
    let mut sector = jurex_pattern::pattern::AlignedBuffer::new(geometry.logical as usize);
    if medium.read(Lba(lba), sector.bytes()).is_err() {
        return There::Unread(Lba(lba));
    }
    MBRHeader::read_from(&mut Cursor::new(&sector.bytes()[..512])).map_or(There::Nothing, There::Table)
}

fn mbr_kind(id: u8) -> String {
    match id {
        0x01 | 0x04 | 0x06 | 0x0e => "FAT partition".into(),
        0x0b | 0x0c => "FAT32 partition".into(),
        0x07 => "NTFS or exFAT partition".into(),
        0x82 => "Linux swap".into(),
        0x83 => "Linux data".into(),
        0x8e => "Linux LVM".into(),
        PROTECTIVE => "GPT protection".into(),
        0xef => "EFI system".into(),
        0xfd => "Linux RAID".into(),
        id => format!("partition of type {id:02X}"),
    }
}
