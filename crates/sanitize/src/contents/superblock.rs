//! File systems and containers by their superblocks: kind, label, used space, last time written.
//!
//! Offsets are those of each format's public description. Every field is read through [`Bytes`], which answers with
//! nothing past the end of what was read, so that no superblock can lead outside.

use super::Region;
use jiff::Timestamp;
use jiff::civil::DateTime;
use jiff::tz::TimeZone;
use jurex_device::medium::Medium;
use jurex_device::native::text_field;
use jurex_pattern::pattern::AlignedBuffer;
use jurex_pattern::text::printable;
use jurex_pattern::units::{Lba, Sectors};

/// Bytes from a volume's start that hold nearly every superblock.
const HEAD: u64 = 80 * 1024;

/// What a superblock tells.
#[derive(Debug, Default, PartialEq)]
struct Superblock {
    what: &'static str,
    label: Option<String>,
    used: Option<u64>,
    written: Option<Timestamp>,
}

impl Superblock {
    fn of(what: &'static str) -> Self {
        Self { what, ..Self::default() }
    }

    fn labelled(what: &'static str, raw: &[u8]) -> Self {
        Self { what, label: text_field(raw), ..Self::default() }
    }
}

/// The file system or container in `at`. Where none is found and not all could be read, a note says so.
pub(super) fn probe(medium: &mut dyn Medium, at: Sectors, notes: &mut Vec<String>) -> Option<Region> {
    let mut volume = VolumeBytes { medium, at, unread: None };
    let found = probe_volume(&mut volume);
    if let (None, Some(first)) = (&found, volume.unread) {
        notes.push(format!("Sector {} could not be read: whether a file system lies there is not known.", first.0));
    }
    found
}

fn probe_volume(volume: &mut VolumeBytes<'_>) -> Option<Region> {
    let at = volume.at;
    let head = volume.read(0, HEAD)?;
    let found = of_head(Bytes(&head)).or_else(|| of_far_places(volume));
    let mut found = found?;
    match found.what {
        "exFAT" => found.label = exfat_label(Bytes(&head), volume),
        "NTFS" => found.label = ntfs_label(Bytes(&head), volume),
        _ => {}
    }
    let bytes = u64::from(volume.medium.geometry().logical).saturating_mul(at.count);
    // A superblock that claims more than its place holds is not believed on that.
    let used = found.used.filter(|u| *u <= bytes);
    Some(Region { at, what: found.what.into(), label: found.label, used, written: found.written })
}

/// A stretch of the drive as bytes.
struct VolumeBytes<'m> {
    medium: &'m mut dyn Medium,
    at: Sectors,
    /// The first sector that the medium would not give.
    unread: Option<Lba>,
}

impl VolumeBytes<'_> {
    fn bytes(&self) -> u64 {
        u64::from(self.medium.geometry().logical).saturating_mul(self.at.count)
    }

    /// Up to `len` bytes from `offset` of the volume on, in whole sectors; `None` if nothing of it can be read.
    fn read(&mut self, offset: u64, len: u64) -> Option<Vec<u8>> {
        let sector = u64::from(self.medium.geometry().logical);
        let first = offset / sector;
        let count = (offset % sector + len).div_ceil(sector).min(self.at.count.checked_sub(first)?);
        if count == 0 {
            return None;
        }
        let mut buffer = AlignedBuffer::new((count * sector) as usize);
        let from = self.at.first.0.checked_add(first)?;
        if self.medium.read(Lba(from), buffer.bytes()).is_err() {
            // One bad sector must not hide the rest: what cannot be read counts as zeros.
            for (i, part) in buffer.bytes().chunks_mut(sector as usize).enumerate() {
                let sector = Lba(from + i as u64);
                if self.medium.read(sector, part).is_err() {
                    self.unread.get_or_insert(sector);
                    part.fill(0);
                }
            }
        }
        let skip = (offset % sector) as usize;
        Some(buffer.bytes()[skip..].to_vec())
    }
}

/// Bytes that answer nothing past their end.
#[derive(Clone, Copy)]
struct Bytes<'b>(&'b [u8]);

impl<'b> Bytes<'b> {
    fn is(self, at: usize, magic: &[u8]) -> bool {
        self.part(at, magic.len()) == Some(magic)
    }

    fn part(self, at: usize, len: usize) -> Option<&'b [u8]> {
        self.0.get(at..at.checked_add(len)?)
    }

    fn field(self, at: usize, len: usize) -> &'b [u8] {
        self.part(at, len).unwrap_or_default()
    }

    /// A little-endian number of `len` bytes.
    fn le(self, at: usize, len: usize) -> u64 {
        self.field(at, len).iter().rev().fold(0, |v, b| v << 8 | u64::from(*b))
    }

    /// A big-endian number of `len` bytes.
    fn be(self, at: usize, len: usize) -> u64 {
        self.field(at, len).iter().fold(0, |v, b| v << 8 | u64::from(*b))
    }
}

fn seconds(since_1970: u64) -> Option<Timestamp> {
    let time = Timestamp::from_second(i64::try_from(since_1970).ok()?).ok()?;
    (since_1970 > 0).then_some(time)
}

fn of_head(head: Bytes<'_>) -> Option<Superblock> {
    [luks, swap, boot_sector, ext, xfs, btrfs, f2fs, hfs, apfs, iso9660, lvm, raid_at_start].iter().find_map(|probe| probe(head))
}

fn boot_sector(head: Bytes<'_>) -> Option<Superblock> {
    if !head.is(510, &[0x55, 0xaa]) {
        return None;
    }
    if head.is(3, b"-FVE-FS-") {
        return Some(Superblock::of("encrypted volume (BitLocker)"));
    }
    if head.is(3, b"NTFS    ") {
        return Some(Superblock::of("NTFS"));
    }
    if head.is(3, b"EXFAT   ") {
        let volume = head.le(72, 8) << head.le(108, 1).min(12);
        let percent = Some(head.le(112, 1)).filter(|p| *p <= 100);
        return Some(Superblock { used: percent.map(|p| volume / 100 * p), ..Superblock::of("exFAT") });
    }
    fat(head)
}

fn fat(head: Bytes<'_>) -> Option<Superblock> {
    let label = |at: usize| text_field(head.field(at, 11)).filter(|l| l != "NO NAME");
    let sector = head.le(11, 2);
    if !matches!(sector, 512 | 1024 | 2048 | 4096) {
        return None;
    }
    let what = match (head.is(54, b"FAT12"), head.is(54, b"FAT16"), head.is(82, b"FAT32")) {
        (true, ..) => "FAT12",
        (_, true, _) => "FAT16",
        (.., true) => return Some(Superblock { label: label(71), used: fat32_used(head, sector), ..Superblock::of("FAT32") }),
        _ => return None,
    };
    Some(Superblock { label: label(43), ..Superblock::of(what) })
}

/// Used space by the count of free clusters in the information sector, which may be missing or unknown.
fn fat32_used(head: Bytes<'_>, sector: u64) -> Option<u64> {
    let info = usize::try_from(head.le(48, 2) * sector).ok()?;
    let free = head.le(info + 488, 4);
    if !head.is(info, b"RRaA") || free == 0xffff_ffff {
        return None;
    }
    let cluster = head.le(13, 1) * sector;
    let overhead = head.le(14, 2) + head.le(16, 1) * head.le(36, 4);
    let clusters = head.le(32, 4).checked_sub(overhead)?.checked_div(head.le(13, 1))?;
    clusters.checked_sub(free)?.checked_mul(cluster)
}

/// The label entry (type 83h) in the first cluster of an exFAT root directory.
fn exfat_label(head: Bytes<'_>, volume: &mut VolumeBytes<'_>) -> Option<String> {
    let sector = 1u64 << head.le(108, 1).min(12);
    let cluster = sector << head.le(109, 1).min(16);
    let root = head.le(96, 4).checked_sub(2)?.checked_mul(cluster)?;
    let directory = volume.read(head.le(88, 4).checked_mul(sector)?.checked_add(root)?, cluster.min(64 * 1024))?;
    let entry = directory.chunks_exact(32).take_while(|e| e[0] != 0).find(|e| e[0] == 0x83)?;
    let units: Vec<u16> = entry[2..24].chunks(2).take(entry[1].into()).map(|c| u16::from_le_bytes([c[0], c[1]])).collect();
    utf16(&units)
}

/// The name attribute (60h) of the master file table's record 3.
fn ntfs_label(head: Bytes<'_>, volume: &mut VolumeBytes<'_>) -> Option<String> {
    let cluster = head.le(11, 2).checked_mul(head.le(13, 1)).filter(|c| (512..=1 << 21).contains(c))?;
    // A negative number is a power of two in bytes, a positive one a count of clusters.
    let size = match head.le(64, 1) as u8 as i8 {
        n @ -16..=-9 => 1u64 << -n,
        n @ 1.. => n as u64 * cluster,
        _ => return None,
    };
    let record = volume.read(head.le(48, 8).checked_mul(cluster)?.checked_add(3 * size)?, size.min(64 * 1024))?;
    let record = Bytes(&record);
    if !record.is(0, b"FILE") {
        return None;
    }
    let mut at = record.le(20, 2) as usize;
    for _ in 0..64 {
        let (kind, length) = (record.le(at, 4), record.le(at + 4, 4) as usize);
        if kind == 0x60 {
            let name = record.part(at + record.le(at + 20, 2) as usize, record.le(at + 16, 4) as usize)?;
            let units: Vec<u16> = name.chunks_exact(2).map(|c| u16::from_le_bytes([c[0], c[1]])).collect();
            return utf16(&units);
        }
        if kind == 0xffff_ffff || length < 16 {
            return None;
        }
        at = at.checked_add(length)?;
    }
    None
}

fn utf16(units: &[u16]) -> Option<String> {
    let end = units.iter().position(|u| *u == 0).unwrap_or(units.len());
    Some(printable(String::from_utf16_lossy(&units[..end]).as_bytes())).filter(|t| !t.is_empty())
}

fn luks(head: Bytes<'_>) -> Option<Superblock> {
    match (head.is(0, b"LUKS\xba\xbe"), head.be(6, 2)) {
        (true, 1) => Some(Superblock::of("encrypted volume (LUKS 1)")),
        (true, _) => Some(Superblock::labelled("encrypted volume (LUKS 2)", head.field(24, 48))),
        _ => None,
    }
}

/// The signature ends the first page, whose size is the maker's.
fn swap(head: Bytes<'_>) -> Option<Superblock> {
    let signed = [4096, 8192, 16384, 65536].iter().any(|page| head.is(page - 10, b"SWAPSPACE2"));
    signed.then(|| Superblock::labelled("swap", head.field(1024 + 28, 16)))
}

/// The generation by the feature words: extents or 64-bit make it ext4, a journal ext3.
fn ext(head: Bytes<'_>) -> Option<Superblock> {
    const AT: usize = 1024;
    if !head.is(AT + 56, &[0x53, 0xef]) {
        return None;
    }
    let (compatible, incompatible) = (head.le(AT + 92, 4), head.le(AT + 96, 4));
    let what = match (incompatible & 0xc0 != 0, compatible & 4 != 0) {
        (true, _) => "ext4",
        (false, true) => "ext3",
        (false, false) => "ext2",
    };
    let high = |at: usize| if incompatible & 0x80 != 0 { head.le(AT + at, 4) << 32 } else { 0 };
    let (blocks, free) = (head.le(AT + 4, 4) | high(0x150), head.le(AT + 12, 4) | high(0x158));
    let block = 1024u64 << head.le(AT + 24, 4).min(6);
    Some(Superblock {
        label: text_field(head.field(AT + 120, 16)),
        used: blocks.checked_sub(free).and_then(|n| n.checked_mul(block)),
        written: seconds(head.le(AT + 48, 4) | head.le(AT + 0x274, 1) << 32),
        ..Superblock::of(what)
    })
}

fn xfs(head: Bytes<'_>) -> Option<Superblock> {
    if !head.is(0, b"XFSB") {
        return None;
    }
    let used = head.be(8, 8).checked_sub(head.be(144, 8)).and_then(|n| n.checked_mul(head.be(4, 4)));
    Some(Superblock { used, ..Superblock::labelled("XFS", head.field(108, 12)) })
}

fn btrfs(head: Bytes<'_>) -> Option<Superblock> {
    const AT: usize = 64 * 1024;
    let found = head.is(AT + 0x40, b"_BHRfS_M");
    found.then(|| Superblock { used: Some(head.le(AT + 0x78, 8)), ..Superblock::labelled("Btrfs", head.field(AT + 0x12b, 256)) })
}

fn f2fs(head: Bytes<'_>) -> Option<Superblock> {
    if !head.is(1024, &[0x10, 0x20, 0xf5, 0xf2]) {
        return None;
    }
    let units: Vec<u16> = head.field(1024 + 124, 1024).chunks_exact(2).map(|c| u16::from_le_bytes([c[0], c[1]])).collect();
    Some(Superblock { label: utf16(&units), ..Superblock::of("F2FS") })
}

fn hfs(head: Bytes<'_>) -> Option<Superblock> {
    const AT: usize = 1024;
    if !(head.is(AT, b"H+\0\x04") || head.is(AT, b"HX\0\x05")) {
        return None;
    }
    /// Seconds from 1904 to 1970.
    const EPOCH: u64 = 2_082_844_800;
    let used = head.be(AT + 44, 4).checked_sub(head.be(AT + 48, 4)).map(|n| n * head.be(AT + 40, 4));
    Some(Superblock { used, written: head.be(AT + 20, 4).checked_sub(EPOCH).and_then(seconds), ..Superblock::of("HFS+") })
}

fn apfs(head: Bytes<'_>) -> Option<Superblock> {
    head.is(32, b"NXSB").then(|| Superblock::of("APFS"))
}

fn iso9660(head: Bytes<'_>) -> Option<Superblock> {
    const AT: usize = 32768;
    if !head.is(AT, b"\x01CD001") {
        return None;
    }
    Some(Superblock {
        used: head.le(AT + 80, 4).checked_mul(2048),
        written: iso_time(head.field(AT + 830, 16)),
        ..Superblock::labelled("ISO 9660", head.field(AT + 40, 32))
    })
}

/// `YYYYMMDDHHMMSScc` in digits.
fn iso_time(raw: &[u8]) -> Option<Timestamp> {
    let number = |at: usize, len: usize| std::str::from_utf8(raw.get(at..at + len)?).ok()?.parse::<i16>().ok();
    let part = |at: usize| i8::try_from(number(at, 2)?).ok();
    let time = DateTime::new(number(0, 4)?, part(4)?, part(6)?, part(8)?, part(10)?, part(12)?, 0).ok()?;
    Some(time.to_zoned(TimeZone::UTC).ok()?.timestamp())
}

/// The label may stand in any of the first four sectors.
fn lvm(head: Bytes<'_>) -> Option<Superblock> {
    let found = (0..4).any(|n| head.is(n * 512, b"LABELONE") && head.is(n * 512 + 24, b"LVM2 001"));
    found.then(|| Superblock::of("LVM volume"))
}

const RAID: [u8; 4] = [0xfc, 0x4e, 0x2b, 0xa9];

fn raid_at_start(head: Bytes<'_>) -> Option<Superblock> {
    [0, 4096]
        .into_iter()
        .find(|at| head.is(*at, &RAID))
        .map(|at| Superblock::labelled("Linux RAID member", head.field(at + 32, 32)))
}

/// Superblocks that lie near the volume's end, or far inside.
fn of_far_places(volume: &mut VolumeBytes<'_>) -> Option<Superblock> {
    let bytes = volume.bytes();
    let raid = |volume: &mut VolumeBytes<'_>, at: u64| {
        let block = volume.read(at, 128)?;
        let named = Bytes(&block).le(4, 4) == 1;
        let label = if named { text_field(Bytes(&block).field(32, 32)) } else { None };
        Bytes(&block).is(0, &RAID).then(|| Superblock { label, ..Superblock::of("Linux RAID member") })
    };
    let old = (bytes & !0xffff).checked_sub(0x1_0000);
    let newer = (bytes & !0xfff).checked_sub(0x2000);
    [old, newer].into_iter().flatten().find_map(|at| raid(volume, at)).or_else(|| zfs(volume))
}

/// Any of the first label's uberblocks, in either byte order.
fn zfs(volume: &mut VolumeBytes<'_>) -> Option<Superblock> {
    let ring = volume.read(128 * 1024, 128 * 1024)?;
    let magic = |b: &[u8]| b.starts_with(&[0x0c, 0xb1, 0xba, 0, 0, 0, 0, 0]) || b.starts_with(&[0, 0, 0, 0, 0, 0xba, 0xb1, 0x0c]);
    ring.chunks(1024).any(magic).then(|| Superblock::of("ZFS member"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn put(head: &mut [u8], at: usize, bytes: &[u8]) {
        head[at..at + bytes.len()].copy_from_slice(bytes);
    }

    #[test]
    fn each_kind_is_told_by_its_own_signature() {
        type Mark<'a> = (usize, &'a [u8]);
        let cases: [(&str, &[Mark<'_>]); 14] = [
            ("encrypted volume (BitLocker)", &[(3, b"-FVE-FS-"), (510, &[0x55, 0xaa])]),
            ("NTFS", &[(3, b"NTFS    "), (510, &[0x55, 0xaa])]),
            ("exFAT", &[(3, b"EXFAT   "), (510, &[0x55, 0xaa])]),
            ("encrypted volume (LUKS 1)", &[(0, b"LUKS\xba\xbe\0\x01")]),
            ("encrypted volume (LUKS 2)", &[(0, b"LUKS\xba\xbe\0\x02")]),
            ("swap", &[(65536 - 10, b"SWAPSPACE2")]),
            ("ext2", &[(1080, &[0x53, 0xef])]),
            ("XFS", &[(0, b"XFSB")]),
            ("Btrfs", &[(65536 + 64, b"_BHRfS_M")]),
            ("F2FS", &[(1024, &[0x10, 0x20, 0xf5, 0xf2])]),
            ("HFS+", &[(1024, b"H+\0\x04")]),
            ("APFS", &[(32, b"NXSB")]),
            ("LVM volume", &[(512, b"LABELONE"), (536, b"LVM2 001")]),
            ("Linux RAID member", &[(4096, &RAID)]),
        ];
        for (what, marks) in cases {
            let mut head = vec![0u8; HEAD as usize];
            marks.iter().for_each(|(at, bytes)| put(&mut head, *at, bytes));
            assert_eq!(of_head(Bytes(&head)).map(|s| s.what), Some(what));
        }
        assert_eq!(of_head(Bytes(&vec![0; HEAD as usize])), None);
    }

    #[test]
    fn an_ext4_tells_label_use_and_time() {
        let mut head = vec![0u8; HEAD as usize];
        put(&mut head, 1024 + 4, &1000u32.to_le_bytes());
        put(&mut head, 1024 + 12, &400u32.to_le_bytes());
        put(&mut head, 1024 + 24, &2u32.to_le_bytes());
        put(&mut head, 1024 + 48, &1_790_000_000u32.to_le_bytes());
        put(&mut head, 1080, &[0x53, 0xef]);
        put(&mut head, 1024 + 96, &[0x40]);
        put(&mut head, 1024 + 120, b"stations");
        let found = of_head(Bytes(&head)).unwrap();
        assert_eq!((found.what, found.label.as_deref(), found.used), ("ext4", Some("stations"), Some(600 * 4096)));
        assert_eq!(found.written.unwrap().to_string(), "2026-09-21T14:13:20Z");
    }

    #[test]
    fn an_iso_tells_its_time() {
        assert_eq!(iso_time(b"2026093016400000").unwrap().to_string(), "2026-09-30T16:40:00Z");
        assert_eq!((iso_time(b"0000000000000000"), iso_time(b"2026"), iso_time(b"20269930164000xx")), (None, None, None));
    }

    proptest! {
        #[test]
        fn garbage_behind_a_signature_is_survived(garbage in prop::collection::vec(any::<u8>(), 2048), which in 0usize..6, cut in 0usize..2048) {
            let signatures: [(usize, &[u8]); 6] = [(3, b"EXFAT   "), (1080, &[0x53, 0xef]), (0, b"XFSB"), (1024, b"H+\0\x04"), (82, b"FAT32"), (1024, &[0x10, 0x20, 0xf5, 0xf2])];
            let mut head = garbage;
            put(&mut head, 510, &[0x55, 0xaa]);
            put(&mut head, 11, &[0, 2]);
            put(&mut head, signatures[which].0, signatures[which].1);
            let _ = of_head(Bytes(&head[..cut]));
            if let Some(found) = of_head(Bytes(&head)) {
                prop_assert!(found.label.unwrap_or_default().chars().all(|c| !c.is_control()));
            }
        }
    }
}
