//! Making a drive ready for its next user: where tables and volumes lie, who may write them, and what was read back of it.
//! None of it erases anything.

use crate::start_medium::new_guid;
use gptman::{GPT, GPTPartitionEntry};
use jurex_device::guard::Cleared;
use jurex_device::media::{Drive, Geometry, MediaClass};
use jurex_device::medium::{Medium, MediumWindow};
use jurex_pattern::notation::Entropy;
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::{Sectors, counted, si_size, size};
use jurex_sanitize::contents::Contents;
use jurex_sanitize::plan::ArmError;
use jurex_sanitize::record::Record;
use jurex_sanitize::rules::Outcome;
use mbrman::{BOOT_INACTIVE, CHS, MBRHeader, MBRPartitionEntry};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::io::{self, Cursor, Write};

/// Volumes begin and end on this grid.
const GRID: u64 = 1 << 20;
/// Volumes of less than this hold no file system that is any good.
const SMALLEST: u64 = 40 << 20;

/// The word that what is written now is meant for this very drive. Not `Clone`; whoever writes uses it up.
#[derive(Debug, PartialEq, Eq)]
pub struct Permit {
    drive: Drive,
}

impl Permit {
    /// A person has read the drive's label.
    ///
    /// # Errors
    /// The text is not that of the label.
    pub fn by_label(cleared: &Cleared, typed: &str) -> Result<Self, ArmError> {
        let (drive, label) = (cleared.drive(), cleared.label());
        if label.matches(typed) {
            Ok(Self { drive: drive.clone() })
        } else {
            Err(ArmError::WrongLabel { drive: drive.called(), label: label.clone() })
        }
    }

    /// The drive was erased here, was checked by its label then, and has not been taken away since: nothing that anybody would miss is on
    /// it. `newest` is its newest record in this ledger.
    pub fn just_erased(cleared: &Cleared, newest: &Record) -> Option<Self> {
        let (found, then) = (cleared.drive(), newest.evidence().drive());
        let attached_since = found.attachment.instance.is_some() && found.attachment.instance == then.attachment.instance;
        let earned = newest.claim().outcome() != Outcome::NotSanitized;
        let same = found.unit.agrees_with(&then.unit) && found.geometry.is_as_large_as(newest.evidence().geometry());
        (attached_since && earned && same).then(|| Self { drive: found.clone() })
    }

    /// Whether it is of the drive that answers now.
    pub fn is_of(&self, found: &Drive) -> bool {
        self.drive.same_as(found)
    }
}

/// A kind of partition table.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum TableScheme {
    /// GUID partition table.
    #[default]
    Gpt,
    /// Master boot record.
    Mbr,
}

impl TableScheme {
    /// Its name, as [`Contents`] has it.
    pub fn name(self) -> &'static str {
        match self {
            TableScheme::Gpt => "GPT",
            TableScheme::Mbr => "MBR",
        }
    }
}

/// A file system.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum FileSystem {
    /// FAT32: every system reads and writes it; no file above 4 GiB.
    Fat32,
    /// exFAT: what cards and sticks of today use.
    Exfat,
    /// ext4: Linux.
    Ext4,
    /// NTFS: Windows.
    Ntfs,
}

impl FileSystem {
    /// Every one.
    pub const ALL: [FileSystem; 4] = [FileSystem::Fat32, FileSystem::Exfat, FileSystem::Ext4, FileSystem::Ntfs];

    /// Bytes that a volume of it has at least, on sectors of `logical` bytes. What has fewer than 65,525 clusters is no FAT32 to
    /// those who read it, and a cluster is a sector at least.
    fn least(self, logical: u64) -> u64 {
        const CLUSTERS: u64 = 66_000;
        let of_clusters = if self == FileSystem::Fat32 { CLUSTERS * logical + 4 * GRID } else { 0 };
        of_clusters.max(SMALLEST)
    }

    /// Its name, as it is told of a volume that is found.
    pub fn name(self) -> &'static str {
        match self {
            FileSystem::Fat32 => "FAT32",
            FileSystem::Exfat => "exFAT",
            FileSystem::Ext4 => "ext4",
            FileSystem::Ntfs => "NTFS",
        }
    }

    /// Its name on the command line.
    pub fn slug(self) -> &'static str {
        match self {
            FileSystem::Fat32 => "fat32",
            FileSystem::Exfat => "exfat",
            FileSystem::Ext4 => "ext4",
            FileSystem::Ntfs => "ntfs",
        }
    }

    /// The program that makes it, and Debian's package of it.
    pub fn maker(self) -> (&'static str, &'static str) {
        match self {
            FileSystem::Fat32 => ("mkfs.fat", "dosfstools"),
            FileSystem::Exfat => ("mkfs.exfat", "exfatprogs"),
            FileSystem::Ext4 => ("mkfs.ext4", "e2fsprogs"),
            FileSystem::Ntfs => ("mkfs.ntfs", "ntfs-3g"),
        }
    }

    /// Signs that a label has at most.
    fn label_room(self) -> usize {
        match self {
            FileSystem::Fat32 | FileSystem::Exfat => 11,
            FileSystem::Ext4 => 16,
            FileSystem::Ntfs => 32,
        }
    }

    /// As tables name its kind: GUID as stored, and the number in an MBR.
    fn kind(self) -> ([u8; 16], u8) {
        /// Basic data, EBD0A0A2-B9E5-4433-87C0-68B6B72699C7, as stored.
        const BASIC_DATA: [u8; 16] =
            [0xa2, 0xa0, 0xd0, 0xeb, 0xe5, 0xb9, 0x33, 0x44, 0x87, 0xc0, 0x68, 0xb6, 0xb7, 0x26, 0x99, 0xc7];
        /// Linux data, 0FC63DAF-8483-4772-8E79-3D69D8477DE4, as stored.
        const LINUX_DATA: [u8; 16] =
            [0xaf, 0x3d, 0xc6, 0x0f, 0x83, 0x84, 0x72, 0x47, 0x8e, 0x79, 0x3d, 0x69, 0xd8, 0x47, 0x7d, 0xe4];
        match self {
            FileSystem::Fat32 => (BASIC_DATA, 0x0c),
            FileSystem::Exfat | FileSystem::Ntfs => (BASIC_DATA, 0x07),
            FileSystem::Ext4 => (LINUX_DATA, 0x83),
        }
    }
}

impl std::str::FromStr for FileSystem {
    type Err = LayoutError;

    fn from_str(text: &str) -> Result<Self, LayoutError> {
        let found = Self::ALL.into_iter().find(|f| f.slug() == text.to_ascii_lowercase());
        found.ok_or_else(|| LayoutError::NoSystem(jurex_pattern::text::printable(text.as_bytes())))
    }
}

/// A volume that is wished for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PlannedVolume {
    /// Its file system.
    pub system: FileSystem,
    /// Its label; empty: none.
    pub label: String,
    /// Its bytes; `None`: what the others leave.
    pub bytes: Option<u64>,
}

impl std::str::FromStr for PlannedVolume {
    type Err = LayoutError;

    /// `SYSTEM[:LABEL[:SIZE]]`, the size in SI units: `fat32:TIDES:32GB`.
    fn from_str(text: &str) -> Result<Self, LayoutError> {
        let mut parts = text.splitn(3, ':');
        let system: FileSystem = parts.next().unwrap_or_default().parse()?;
        let label = parts.next().unwrap_or_default().to_string();
        let bytes = parts.next().map(|s| {
            jurex_pattern::units::parse_size(s).ok_or_else(|| LayoutError::NoSize(jurex_pattern::text::printable(s.as_bytes())))
        });
        Ok(Self { system, label, bytes: bytes.transpose()? })
    }
}

/// How a drive is to be prepared.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PrepareOrder {
    /// The table.
    pub table: TableScheme,
    /// Its volumes, in order. Only one of them may take what the others leave.
    pub volumes: Vec<PlannedVolume>,
    /// Of a hundred parts of the drive those that stay unallocated; `None`: what suits the drive.
    pub spare_percent: Option<u8>,
}

impl PrepareOrder {
    /// What stays unallocated of a drive of that class unless told otherwise: solid state works longer and faster when it has room.
    pub fn usual_spare(class: MediaClass) -> u8 {
        if class == MediaClass::SolidState { 10 } else { 0 }
    }
}

/// What can't be prepared so.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum LayoutError {
    /// Not a file system.
    #[error("`{0}` is no file system that is made here: choose fat32, exfat, ext4 or ntfs")]
    NoSystem(String),
    /// Not a size.
    #[error("`{0}` is no size: write it as 500MB, 32GB or 2TB")]
    NoSize(String),
    /// No volume.
    #[error("no volume is named: name at least one, as fat32:LABEL")]
    NoVolume,
    /// Too many for the table.
    #[error("an {table} table takes at most {most} volumes here, and {asked} are asked for")]
    TooMany {
        /// The table.
        table: &'static str,
        /// What it takes.
        most: usize,
        /// What is asked for.
        asked: usize,
    },
    /// Two take the rest.
    #[error("two volumes have no size: only one can take what the others leave")]
    TwoRests,
    /// A share that leaves nothing.
    #[error("{0} of a hundred parts can't stay unallocated: choose 0 to 50")]
    NoSpare(u8),
    /// A label that the file system does not take.
    #[error("`{label}` is no label for {system}: at most {most} letters, digits, blanks, - and _")]
    BadLabel {
        /// The label.
        label: String,
        /// The file system.
        system: &'static str,
        /// Its room.
        most: usize,
    },
    /// The drive is too small.
    #[error("the drive is too small for that: {needs} are asked for, and {has} are there")]
    TooSmall {
        /// What is asked for.
        needs: String,
        /// What is there.
        has: String,
    },
    /// A volume that is too small for its file system.
    #[error("{system} needs at least {least}, and {asked} would be its volume")]
    VolumeTooSmall {
        /// The file system.
        system: &'static str,
        /// What it needs.
        least: String,
        /// What it would get.
        asked: String,
    },
    /// An MBR reaches no further.
    #[error("an MBR table reaches 2 TiB of 512 byte sectors, and the drive is larger: use GPT")]
    BeyondMbr,
}

/// Where everything lies.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DiskLayout {
    /// The table.
    pub table: TableScheme,
    /// The volumes with their places.
    pub volumes: Vec<(PlannedVolume, Sectors)>,
    /// Sectors that stay unallocated for the drive's own use.
    pub spare: u64,
}

impl DiskLayout {
    /// Fits what is wished to a drive.
    ///
    /// # Errors
    /// It does not fit.
    pub fn of(wish: &PrepareOrder, drive: &Drive) -> Result<Self, LayoutError> {
        let most = if wish.table == TableScheme::Mbr { 4 } else { 16 };
        match wish.volumes.len() {
            0 => return Err(LayoutError::NoVolume),
            asked if asked > most => return Err(LayoutError::TooMany { table: wish.table.name(), most, asked }),
            _ => {}
        }
        if wish.volumes.iter().filter(|v| v.bytes.is_none()).count() > 1 {
            return Err(LayoutError::TwoRests);
        }
        wish.volumes.iter().try_for_each(check_label)?;
        let percent = wish.spare_percent.unwrap_or(PrepareOrder::usual_spare(drive.class));
        if percent > 50 {
            return Err(LayoutError::NoSpare(percent));
        }
        let geometry = drive.geometry;
        let whole = geometry.bytes();
        let spare = whole / 100 * u64::from(percent);
        // The first and the last of the grid belong to the table.
        let room = (whole.saturating_sub(spare) / GRID * GRID).saturating_sub(2 * GRID);
        let asked = |v: &PlannedVolume| v.bytes.map(|b| b / GRID * GRID);
        let sum = wish.volumes.iter().filter_map(asked).fold(0, u64::saturating_add);
        let rest = room.saturating_sub(sum);
        let needs_rest = wish.volumes.iter().any(|v| v.bytes.is_none());
        if sum > room || (needs_rest && rest < SMALLEST) {
            let needs = sum.saturating_add(if needs_rest { SMALLEST } else { 0 });
            return Err(LayoutError::TooSmall { needs: size(needs), has: size(room) });
        }
        let logical = u64::from(geometry.logical.max(1));
        let mut next = GRID;
        let mut volumes = vec![];
        for volume in &wish.volumes {
            let bytes = asked(volume).unwrap_or(rest);
            let least = volume.system.least(logical);
            if bytes < least {
                let (least, asked) = (size(least), size(bytes));
                return Err(LayoutError::VolumeTooSmall { system: volume.system.name(), least, asked });
            }
            volumes.push((volume.clone(), Sectors::new(next / logical, bytes / logical)));
            next += bytes;
        }
        if wish.table == TableScheme::Mbr && volumes.iter().any(|(_, at)| at.end() > u64::from(u32::MAX)) {
            return Err(LayoutError::BeyondMbr);
        }
        Ok(Self { table: wish.table, volumes, spare: spare / logical })
    }

    /// Writes the table. What was in the drive's first and last mebibyte is cleared, so that no rest of another table is found.
    ///
    /// # Errors
    /// The drive does not take it.
    pub fn write_table(&self, medium: &mut dyn Medium, entropy: &mut dyn Entropy) -> io::Result<()> {
        let geometry = medium.geometry();
        clear(medium, &ends_of(geometry))?;
        let mut guid = || new_guid(entropy);
        let mut window = MediumWindow::new(medium, geometry.whole());
        match self.table {
            TableScheme::Gpt => {
                let sector = u64::from(geometry.logical);
                let mut table = GPT::new_from(&mut window, sector, guid()).map_err(io::Error::other)?;
                for (n, (volume, at)) in self.volumes.iter().enumerate() {
                    table[n as u32 + 1] = GPTPartitionEntry {
                        partition_type_guid: volume.system.kind().0,
                        unique_partition_guid: guid(),
                        starting_lba: at.first.0,
                        ending_lba: at.end() - 1,
                        attribute_bits: 0,
                        partition_name: volume.label.as_str().into(),
                    };
                }
                table.write_into(&mut window).map_err(io::Error::other)?;
                GPT::write_protective_mbr_into(&mut window, sector).map_err(io::Error::other)?;
            }
            TableScheme::Mbr => {
                let id = guid();
                let mut header = MBRHeader::new([id[0], id[1], id[2], id[3]]);
                for (n, (volume, at)) in self.volumes.iter().enumerate() {
                    let entry = header.get_mut(n + 1).ok_or_else(|| io::Error::other("an MBR has four entries"))?;
                    *entry = MBRPartitionEntry {
                        boot: BOOT_INACTIVE,
                        first_chs: CHS::empty(),
                        sys: volume.system.kind().1,
                        last_chs: CHS::empty(),
                        starting_lba: u32::try_from(at.first.0).map_err(io::Error::other)?,
                        sectors: u32::try_from(at.count).map_err(io::Error::other)?,
                    };
                }
                let mut sector = Cursor::new(vec![0; 512]);
                header.write_into(&mut sector).map_err(io::Error::other)?;
                window.write_all(sector.get_ref())?;
            }
        }
        window.finish().map(drop)
    }

    /// Whether what is found on the drive afterwards is what was to be made.
    pub fn is_found(&self, contents: &Contents) -> bool {
        // Of some file systems the label is not read.
        let label_is = |found: Option<&str>, label: &str| found.is_none_or(|l| l.trim_end() == label);
        contents.table.as_deref() == Some(self.table.name())
            && contents.regions.len() == self.volumes.len()
            && self.volumes.iter().zip(&contents.regions).all(|((volume, at), found)| {
                *at == found.at && found.what == volume.system.name() && label_is(found.label.as_deref(), &volume.label)
            })
    }
}

fn check_label(volume: &PlannedVolume) -> Result<(), LayoutError> {
    let (label, most) = (&volume.label, volume.system.label_room());
    let right = |c: char| c.is_ascii_alphanumeric() || matches!(c, ' ' | '-' | '_');
    // FAT has no small letters in its labels.
    let large = volume.system != FileSystem::Fat32 || !label.chars().any(|c| c.is_ascii_lowercase());
    if label.len() <= most && label.chars().all(right) && label.trim() == label && large {
        return Ok(());
    }
    let system = if large { volume.system.name() } else { "FAT32, which has capitals only" };
    Err(LayoutError::BadLabel { label: jurex_pattern::text::printable(label.as_bytes()), system, most })
}

/// The first and the last mebibyte of a drive of that size, where tables lie.
pub fn ends_of(geometry: Geometry) -> RangeSet {
    let count = (GRID / u64::from(geometry.logical.max(1))).clamp(1, geometry.sectors.max(1));
    [Sectors::new(0, count), Sectors::new(geometry.sectors - count.min(geometry.sectors), count)].into_iter().collect()
}

/// Writes zeros.
fn clear(medium: &mut dyn Medium, at: &RangeSet) -> io::Result<()> {
    let sector = u64::from(medium.geometry().logical);
    let mut zeros = jurex_pattern::pattern::AlignedBuffer::new(GRID as usize);
    for range in at.iter() {
        let mut first = range.first.0;
        while first < range.end() {
            let count = (GRID / sector).min(range.end() - first);
            medium
                .write(jurex_pattern::units::Lba(first), &zeros.bytes()[..(count * sector) as usize])
                .map_err(io::Error::other)?;
            first += count;
        }
    }
    medium.flush().map_err(io::Error::other)
}

/// A volume that was made.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct VolumeMade {
    /// Its sectors.
    pub at: Sectors,
    /// Its file system.
    pub system: FileSystem,
    /// Its label.
    pub label: String,
    /// The program that made it.
    pub made_by: String,
}

/// A drive that was made ready for its next user.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PreparedDrive {
    /// The table.
    pub table: TableScheme,
    /// The volumes.
    pub volumes: Vec<VolumeMade>,
    /// Bytes that stay unallocated.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub spare_bytes: u64,
    /// What was found when it was read back.
    pub found: String,
    /// Whether that is what was to be made.
    pub as_wished: bool,
}

impl PreparedDrive {
    /// In a sentence.
    pub fn sentence(&self) -> String {
        let spare = match self.spare_bytes {
            0 => String::new(),
            bytes => format!(" {} stay unallocated.", si_size(bytes)),
        };
        let end = if self.as_wished { "" } else { " That is not what was to be made." };
        format!("It was prepared for its next user; what an installer finds: {}{spare}{end}", self.found)
    }
}

/// Tables that were cleared.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct TablesCleared {
    /// What was written with zeros.
    pub cleared: RangeSet,
    /// What was found when it was read back.
    pub found: String,
}

impl TablesCleared {
    /// Clears the tables of `medium`, and the beginnings of the partitions that `before` has found.
    ///
    /// # Errors
    /// The drive does not take it.
    pub fn clear(medium: &mut dyn Medium, before: &Contents) -> io::Result<RangeSet> {
        let geometry = medium.geometry();
        let mut at = ends_of(geometry);
        let count = GRID / u64::from(geometry.logical.max(1));
        before.regions.iter().for_each(|r| at.insert(Sectors::new(r.at.first.0, count.min(r.at.count))));
        clear(medium, &at)?;
        Ok(at)
    }

    /// In a sentence.
    pub fn sentence(&self) -> String {
        format!(
            "Its tables were cleared ({} written with zeros). That is no erasure: all else that was on it is there still. What is found now: {}",
            counted(self.cleared.count(), "sector"),
            self.found
        )
    }
}

/// Sectors that were given back to the drive as unused.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Discarded {
    /// How many.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub sectors: u64,
}

impl Discarded {
    /// In a sentence.
    pub fn sentence(&self) -> String {
        format!(
            "The drive was told that its {} are unused (discard), so that it is fast for its next user. That is no erasure, and no part of one.",
            counted(self.sectors, "sector")
        )
    }
}

/// What is to be done to a drive before it goes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Leave {
    /// It stays as it is.
    Blank,
    /// It is prepared.
    Prepared(DiskLayout),
    /// Its tables are cleared.
    TablesCleared,
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_device::testing::{Dice, Memory, cleared, test_drive};
    use jurex_sanitize::contents;

    fn wish(table: TableScheme, volumes: &[&str], spare: Option<u8>) -> PrepareOrder {
        PrepareOrder { table, volumes: volumes.iter().map(|v| v.parse().unwrap()).collect(), spare_percent: spare }
    }

    fn drive(class: MediaClass, megabytes: u64) -> Drive {
        test_drive(class, megabytes * 1_000_000 / 512)
    }

    #[test]
    fn volumes_lie_on_the_grid_beside_each_other_and_leave_what_is_to_stay_free() {
        let solid = drive(MediaClass::SolidState, 1000);
        let layout = DiskLayout::of(&wish(TableScheme::Gpt, &["fat32:TIDES:100MB", "ext4:archive"], None), &solid).unwrap();
        let places: Vec<Sectors> = layout.volumes.iter().map(|(_, at)| *at).collect();
        assert!(places.iter().all(|at| at.first.0 % 2048 == 0 && at.count % 2048 == 0), "{places:?}");
        assert_eq!((places[0].first.0, places[0].end()), (2048, places[1].first.0));
        let free = solid.geometry.sectors - places[1].end();
        assert!(layout.spare == 195_312 && free >= layout.spare, "a tenth stays free: {free}");
        let none = DiskLayout::of(&wish(TableScheme::Gpt, &["ext4"], Some(0)), &solid).unwrap();
        assert!(solid.geometry.sectors - none.volumes[0].1.end() < 2 * 4096);
    }

    #[test]
    fn what_does_not_fit_is_said() {
        let small = drive(MediaClass::Magnetic, 100);
        let of = |table, volumes: &[&str], spare| DiskLayout::of(&wish(table, volumes, spare), &small).unwrap_err().to_string();
        for (said, why) in [
            (of(TableScheme::Gpt, &[], None), "no volume"),
            (of(TableScheme::Mbr, &["fat32"; 5], None), "at most 4"),
            (of(TableScheme::Gpt, &["fat32", "ext4"], None), "only one"),
            (of(TableScheme::Gpt, &["fat32::200MB"], None), "too small"),
            (of(TableScheme::Gpt, &["fat32::90MB", "ext4"], None), "too small"),
            (of(TableScheme::Gpt, &["ext4::5MB"], None), "needs at least"),
            (of(TableScheme::Gpt, &["fat32:a long label here"], None), "no label"),
            (of(TableScheme::Gpt, &["fat32:tides"], None), "capitals"),
            (of(TableScheme::Gpt, &["ext4:tides"], Some(90)), "unallocated"),
        ] {
            assert!(said.contains(why), "{why}: {said}");
        }
        assert!("zfs".parse::<PlannedVolume>().unwrap_err().to_string().contains("fat32, exfat"));
        assert!("ext4:x:9".parse::<PlannedVolume>().unwrap_err().to_string().contains("32GB"));
        let mut of_large_sectors = small.clone();
        (of_large_sectors.geometry.logical, of_large_sectors.geometry.sectors) = (4096, 50_000);
        let fits =
            |volume: &str| DiskLayout::of(&wish(TableScheme::Gpt, &[volume], None), &of_large_sectors).map_err(|e| e.to_string());
        assert!(fits("fat32").unwrap_err().contains("FAT32 needs at least 27"), "{:?}", fits("fat32"));
        assert!(fits("exfat").is_ok());
        let large = test_drive(MediaClass::Magnetic, 1 << 33);
        assert_eq!(DiskLayout::of(&wish(TableScheme::Mbr, &["ntfs"], None), &large), Err(LayoutError::BeyondMbr));
    }

    #[test]
    fn a_table_that_was_written_is_found_by_our_own_reader() {
        for table in [TableScheme::Gpt, TableScheme::Mbr] {
            let mut medium = Memory::new(MediaClass::Magnetic, 200_000);
            let layout = DiskLayout::of(&wish(table, &["fat32:A:42MB", "ext4:B"], None), &medium.drive).unwrap();
            layout.write_table(&mut medium, &mut Dice(7)).unwrap();
            let contents = contents::look(&mut medium);
            let places: Vec<Sectors> = contents.regions.iter().map(|r| r.at).collect();
            assert_eq!((contents.table.as_deref(), contents.note.as_deref()), (Some(table.name()), None));
            assert_eq!(places, layout.volumes.iter().map(|(_, at)| *at).collect::<Vec<_>>());
            assert!(!layout.is_found(&contents), "no file system was made");
            let cleared = TablesCleared::clear(&mut medium, &contents).unwrap();
            let now = contents::look(&mut medium);
            assert!(now.table.is_none() && now.regions.is_empty() && cleared.covers(&ends_of(medium.drive.geometry)));
            let untouched = (0..200_000u64)
                .filter(|n| medium.writes[*n as usize] > 0)
                .all(|n| cleared.contains(jurex_pattern::units::Lba(n)) || !(4096..=195_000).contains(&n));
            assert!(untouched);
        }
    }

    #[test]
    fn nothing_is_written_without_the_label_but_to_what_was_just_erased_here() {
        let drive = test_drive(MediaClass::Magnetic, 1000);
        let guarded = cleared(&drive);
        assert!(Permit::by_label(&guarded, "K7Q41M").unwrap().is_of(&drive));
        assert!(Permit::by_label(&guarded, "K7Q41X").is_err());
        let record = jurex_sanitize::testing::record();
        assert_eq!(Permit::just_erased(&guarded, &record), None, "nothing tells that it stayed attached");
        let mut attached = record.evidence().drive().clone();
        attached.attachment.instance = Some("7".into());
        assert_eq!(Permit::just_erased(&cleared(&attached), &record), None, "it was attached anew");
    }
}
