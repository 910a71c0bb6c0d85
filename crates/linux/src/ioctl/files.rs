//! Commands of file systems: where a file lies, what is free, what they are.

use rustix::io::Errno;
use rustix::ioctl::{Ioctl, IoctlOutput, Opcode, Updater, ioctl, opcode};
use std::ffi::c_void;
use std::os::fd::AsFd;

/// A call whose structure is longer than its opcode says: a head, and after it room for what is told.
struct WithRoom<'s, const OPCODE: Opcode, T>(&'s mut T);

// SAFETY: the calls that are made with it (FS_IOC_FIEMAP, FS_IOC_GETFSMAP) read and write the head and as many entries after it as that
// counts, which is as many as the structure has room for; the structure outlives the call.
unsafe impl<const OPCODE: Opcode, T> Ioctl for WithRoom<'_, OPCODE, T> {
    type Output = ();
    const IS_MUTATING: bool = true;

    fn opcode(&self) -> Opcode {
        OPCODE
    }

    fn as_ptr(&mut self) -> *mut c_void {
        std::ptr::from_mut(self.0).cast()
    }

    unsafe fn output_from_ptr(_: IoctlOutput, _: *mut c_void) -> rustix::io::Result<()> {
        Ok(())
    }
}

/// `struct fiemap_extent` of `linux/fiemap.h`.
#[repr(C)]
#[derive(Clone, Copy, Default)]
pub(crate) struct FileExtent {
    /// Byte of the file.
    pub(crate) logical: u64,
    /// Byte of the device.
    pub(crate) physical: u64,
    /// Bytes.
    pub(crate) length: u64,
    reserved: [u64; 2],
    /// FIEMAP_EXTENT_*.
    pub(crate) flags: u32,
    reserved_too: [u32; 3],
}

/// FIEMAP_EXTENT_*.
pub(crate) mod extent {
    pub(crate) const LAST: u32 = 1;
    /// Its place is not known, or not yet.
    pub(crate) const UNKNOWN: u32 = 2 | 4;
    /// Compressed or encrypted, so that its length on the device is another.
    pub(crate) const ENCODED: u32 = 8 | 0x80;
    /// Inside tables, or packed with others.
    pub(crate) const INLINE: u32 = 0x200 | 0x400;
    pub(crate) const SHARED: u32 = 0x2000;
}

const EXTENTS: usize = 128;

#[repr(C)]
struct FileMap {
    start: u64,
    length: u64,
    flags: u32,
    mapped: u32,
    count: u32,
    reserved: u32,
    extents: [FileExtent; EXTENTS],
}

const _: () = assert!(size_of::<FileExtent>() == 56 && size_of::<FileMap>() == 32 + 56 * EXTENTS);

/// Where the file lies (FS_IOC_FIEMAP), after it was written out; a head of 32 bytes is what the opcode tells the size of.
///
/// # Errors
/// `EOPNOTSUPP` and others if the file system does not tell.
pub(crate) fn extents(fd: impl AsFd) -> Result<Vec<FileExtent>, Errno> {
    const FIEMAP: Opcode = opcode::read_write::<[u8; 32]>(b'f', 11);
    const SYNC: u32 = 1;
    let mut found: Vec<FileExtent> = vec![];
    let mut map = FileMap {
        start: 0,
        length: u64::MAX,
        flags: SYNC,
        mapped: 0,
        count: EXTENTS as u32,
        reserved: 0,
        extents: [FileExtent::default(); EXTENTS],
    };
    loop {
        map.mapped = 0;
        // SAFETY: as of `WithRoom`: `count` is the number of extents that there is room for.
        unsafe { ioctl(&fd, WithRoom::<FIEMAP, FileMap>(&mut map)) }?;
        let told = &map.extents[..(map.mapped as usize).min(EXTENTS)];
        found.extend_from_slice(told);
        let Some(last) = told.last() else { return Ok(found) };
        let next = last.logical.saturating_add(last.length);
        if last.flags & extent::LAST != 0 || next <= map.start {
            return Ok(found);
        }
        (map.start, map.length) = (next, u64::MAX - next);
    }
}

/// The block of the device that holds a block of the file (FIBMAP); 0: a hole, or not told.
///
/// # Errors
/// `EPERM` without rights, `EINVAL` if the file system does not tell.
pub(crate) fn block_of(fd: impl AsFd, block: u32) -> Result<u32, Errno> {
    const FIBMAP: Opcode = opcode::none(0, 1);
    let mut number = block as i32;
    // SAFETY: FIBMAP reads and writes one int through its pointer, which is to a local that outlives the call.
    unsafe { ioctl(fd, Updater::<FIBMAP, i32>::new(&mut number)) }?;
    Ok(number as u32)
}

/// Bytes of the blocks that [`block_of`] counts in (FIGETBSZ).
///
/// # Errors
/// `EINVAL` if the file system does not tell.
pub(crate) fn block_size(fd: impl AsFd) -> Result<u32, Errno> {
    const FIGETBSZ: Opcode = opcode::none(0, 2);
    let mut bytes = 0i32;
    // SAFETY: FIGETBSZ writes one int through its pointer, which is to a local that outlives the call.
    unsafe { ioctl(fd, Updater::<FIGETBSZ, i32>::new(&mut bytes)) }?;
    u32::try_from(bytes).ok().filter(|b| *b > 0).ok_or(Errno::INVAL)
}

/// `struct fsmap` of `linux/fsmap.h`.
#[repr(C)]
#[derive(Clone, Copy, Default)]
struct SpaceMap {
    device: u32,
    flags: u32,
    physical: u64,
    owner: u64,
    offset: u64,
    length: u64,
    reserved: [u64; 3],
}

const SPACES: usize = 512;

#[repr(C)]
struct SpaceMaps {
    iflags: u32,
    oflags: u32,
    count: u32,
    entries: u32,
    reserved: [u64; 6],
    keys: [SpaceMap; 2],
    spaces: [SpaceMap; SPACES],
}

const _: () = assert!(size_of::<SpaceMap>() == 64 && size_of::<SpaceMaps>() == 192 + 64 * SPACES);

/// What is free on the file system's own device, by its own word (FS_IOC_GETFSMAP): first byte and length of each stretch.
///
/// # Errors
/// `EOPNOTSUPP` and others if it does not tell, `EPERM` without rights.
pub(crate) fn free_space(fd: impl AsFd, device: u64) -> Result<Vec<(u64, u64)>, Errno> {
    const GETFSMAP: Opcode = opcode::read_write::<[u8; 192]>(b'X', 59);
    const SPECIAL_OWNER: u32 = 0x10;
    const LAST: u32 = 0x20;
    const OWNED_BY_NOBODY: u64 = 1;
    // As the kernel writes device numbers there: 32 bits, the low byte of the minor number first.
    let (major, minor) = (rustix::fs::major(device), rustix::fs::minor(device));
    let device = (minor & 0xff) | (major << 8) | ((minor & !0xff) << 12);
    let all = SpaceMap {
        device: u32::MAX,
        flags: u32::MAX,
        physical: u64::MAX,
        owner: u64::MAX,
        offset: u64::MAX,
        ..SpaceMap::default()
    };
    let mut maps = SpaceMaps {
        iflags: 0,
        oflags: 0,
        count: SPACES as u32,
        entries: 0,
        reserved: [0; 6],
        keys: [SpaceMap::default(), all],
        spaces: [SpaceMap::default(); SPACES],
    };
    let mut free = vec![];
    loop {
        maps.entries = 0;
        // SAFETY: as of `WithRoom`: `count` is the number of spaces that there is room for.
        unsafe { ioctl(&fd, WithRoom::<GETFSMAP, SpaceMaps>(&mut maps)) }?;
        let told = &maps.spaces[..(maps.entries as usize).min(SPACES)];
        let is_free = |s: &&SpaceMap| s.device == device && s.flags & SPECIAL_OWNER != 0 && s.owner == OWNED_BY_NOBODY;
        free.extend(told.iter().filter(is_free).map(|s| (s.physical, s.length)));
        let Some(last) = told.last().copied() else { return Ok(free) };
        if last.flags & LAST != 0 {
            return Ok(free);
        }
        maps.keys[0] = last;
    }
}

/// Whether an XFS lets files share blocks (XFS_IOC_FSGEOMETRY).
///
/// # Errors
/// `ENOTTY` on other file systems.
pub(crate) fn xfs_shares(fd: impl AsFd) -> Result<bool, Errno> {
    const FSGEOMETRY: Opcode = opcode::read::<[u8; 256]>(b'X', 126);
    const REFLINK: u32 = 1 << 20;
    const FLAGS_AT: usize = 92;
    let mut told = [0u8; 256];
    // SAFETY: XFS_IOC_FSGEOMETRY writes 256 bytes through its pointer, which is to a local of that size that outlives the call.
    unsafe { ioctl(fd, Updater::<FSGEOMETRY, [u8; 256]>::new(&mut told)) }?;
    let flags = u32::from_ne_bytes([told[FLAGS_AT], told[FLAGS_AT + 1], told[FLAGS_AT + 2], told[FLAGS_AT + 3]]);
    Ok(flags & REFLINK != 0)
}

/// What a file system is called whatever it is mounted as: its UUID (FS_IOC_GETFSUUID), else what `statfs` calls it, which some make of the
/// device's number. In hexadecimal digits.
pub(crate) fn system_id(fd: impl AsFd) -> Option<String> {
    // `struct fsuuid2` of `linux/fs.h`: a length, then 16 bytes.
    const GET_UUID: Opcode = opcode::read::<[u8; 17]>(0x15, 0);
    let mut told = [0u8; 17];
    let hex = |bytes: &[u8]| bytes.iter().map(|b| format!("{b:02x}")).collect::<String>();
    // SAFETY: FS_IOC_GETFSUUID writes 17 bytes through its pointer, which is to a local of that size that outlives the call.
    if unsafe { ioctl(&fd, Updater::<GET_UUID, [u8; 17]>::new(&mut told)) }.is_ok() {
        return Some(hex(&told[1..1 + usize::from(told[0]).min(16)]));
    }
    let id = rustix::fs::fstatvfs(&fd).ok()?.f_fsid;
    (id != 0).then(|| hex(&id.to_be_bytes()))
}

/// How often a file's number has been given out (FS_IOC_GETVERSION).
///
/// # Errors
/// `ENOTTY` where the file system does not tell.
pub(crate) fn generation(fd: impl AsFd) -> Result<u64, Errno> {
    const GET_VERSION: Opcode = opcode::read::<libc::c_long>(b'v', 1);
    let mut told: libc::c_long = 0;
    // SAFETY: FS_IOC_GETVERSION writes an int or a long through its pointer, which is to a local long that outlives the call.
    unsafe { ioctl(fd, Updater::<GET_VERSION, libc::c_long>::new(&mut told)) }?;
    Ok(u64::from(told as u32))
}

/// Writes everything in an ext4's journal to its place, and overwrites the journal with zeros (EXT4_IOC_CHECKPOINT).
///
/// # Errors
/// `ENOTTY` on other file systems and older kernels, `EPERM` without rights.
pub(crate) fn ext4_empty_journal(fd: impl AsFd, zeros: bool) -> Result<(), Errno> {
    const CHECKPOINT: Opcode = opcode::write::<u32>(b'f', 43);
    const ZEROOUT: u32 = 2;
    let mut flags = if zeros { ZEROOUT } else { 0 };
    // SAFETY: EXT4_IOC_CHECKPOINT reads one u32 through its pointer, which is to a local that outlives the call.
    unsafe { ioctl(fd, Updater::<CHECKPOINT, u32>::new(&mut flags)) }
}

/// One search in a Btrfs's trees (BTRFS_IOC_TREE_SEARCH): `struct btrfs_ioctl_search_args`, 4096 bytes.
#[repr(C, align(8))]
struct TreeSearch {
    tree: u64,
    objects: [u64; 2],
    offsets: [u64; 2],
    transactions: [u64; 2],
    types: [u32; 2],
    items: u32,
    unused: u32,
    unused_too: [u64; 4],
    found: [u8; 3992],
}

const _: () = assert!(size_of::<TreeSearch>() == 4096);

/// The items of a Btrfs's chunk tree from a byte of its own address space on: that byte, and the item. A few at a time; none: no more.
///
/// # Errors
/// `EPERM` without rights, `ENOTTY` on other file systems.
pub(crate) fn btrfs_chunks(fd: impl AsFd, from: u64) -> Result<Vec<(u64, Vec<u8>)>, Errno> {
    const TREE_SEARCH: Opcode = opcode::read_write::<TreeSearch>(0x94, 17);
    const CHUNK_TREE: u64 = 3;
    const FIRST_CHUNK: u64 = 256;
    const CHUNK_ITEM: u32 = 228;
    let mut search = TreeSearch {
        tree: CHUNK_TREE,
        objects: [FIRST_CHUNK; 2],
        offsets: [from, u64::MAX],
        transactions: [0, u64::MAX],
        types: [CHUNK_ITEM; 2],
        items: 64,
        unused: 0,
        unused_too: [0; 4],
        found: [0; 3992],
    };
    // SAFETY: BTRFS_IOC_TREE_SEARCH reads and writes one `btrfs_ioctl_search_args` of 4096 bytes (asserted above), which outlives the call.
    unsafe { ioctl(fd, Updater::<TREE_SEARCH, TreeSearch>::new(&mut search)) }?;
    // Each item: a head (transaction, object, offset, type, length) of 32 bytes, then its bytes.
    let mut found = vec![];
    let mut rest = &search.found[..];
    for _ in 0..search.items {
        let Some((head, after)) = rest.split_at_checked(32) else { break };
        let word = |at: usize| u64::from_ne_bytes(head[at..at + 8].try_into().unwrap_or_default());
        let length = u32::from_ne_bytes(head[28..32].try_into().unwrap_or_default()) as usize;
        let Some((item, after)) = after.split_at_checked(length) else { break };
        found.push((word(16), item.to_vec()));
        rest = after;
    }
    Ok(found)
}

#[repr(C, align(8))]
struct BtrfsDevice {
    number: u64,
    uuid: [u8; 16],
    used: u64,
    total: u64,
    unused: [u64; 379],
    path: [u8; 1024],
}

const _: () = assert!(size_of::<BtrfsDevice>() == 4096);

/// The path of a Btrfs's device of that number (BTRFS_IOC_DEV_INFO), as the kernel knows it.
///
/// # Errors
/// `ENODEV` if there is none, `ENOTTY` on other file systems.
pub(crate) fn btrfs_device(fd: impl AsFd, number: u64) -> Result<Vec<u8>, Errno> {
    const DEV_INFO: Opcode = opcode::read_write::<BtrfsDevice>(0x94, 30);
    let mut device = BtrfsDevice { number, uuid: [0; 16], used: 0, total: 0, unused: [0; 379], path: [0; 1024] };
    // SAFETY: BTRFS_IOC_DEV_INFO reads and writes one `btrfs_ioctl_dev_info_args` of 4096 bytes (asserted above), which outlives the call.
    unsafe { ioctl(fd, Updater::<DEV_INFO, BtrfsDevice>::new(&mut device)) }?;
    Ok(device.path.iter().copied().take_while(|b| *b != 0).collect())
}

#[repr(C, align(8))]
struct MappedTable {
    version: [u32; 3],
    data_size: u32,
    data_start: u32,
    targets: u32,
    open_count: i32,
    flags: u32,
    event: u32,
    padding: u32,
    device: u64,
    name: [u8; 128],
    uuid: [u8; 129],
    data: [u8; 7],
    room: [u8; 16 << 10],
}

const _: () = assert!(size_of::<MappedTable>() == 312 + (16 << 10));

/// The kinds of a mapped device's targets (DM_TABLE_STATUS), in the kernel's words: `linear`, `crypt`, `snapshot-origin`.
///
/// # Errors
/// `EACCES` without rights, `ENXIO` if it is none.
pub(crate) fn mapped_kinds(control: impl AsFd, device: u64) -> Result<Vec<String>, Errno> {
    const TABLE_STATUS: Opcode = opcode::read_write::<[u8; 312]>(0xfd, 12);
    const STATUS_TABLE: u32 = 1 << 4;
    let mut table = MappedTable {
        version: [4, 0, 0],
        data_size: size_of::<MappedTable>() as u32,
        data_start: 312,
        targets: 0,
        open_count: 0,
        flags: STATUS_TABLE,
        event: 0,
        padding: 0,
        device,
        name: [0; 128],
        uuid: [0; 129],
        data: [0; 7],
        room: [0; 16 << 10],
    };
    // SAFETY: as of `WithRoom`: `data_size` is the size of the whole structure, beyond which nothing is written.
    unsafe { ioctl(control, WithRoom::<TABLE_STATUS, MappedTable>(&mut table)) }?;
    // Each target: first sector, length, status, where the next one begins, and its kind in 16 bytes.
    let (mut kinds, mut at) = (vec![], 0usize);
    for _ in 0..table.targets {
        let Some(spec) = table.room.get(at..at + 40) else { break };
        let kind: Vec<u8> = spec[24..40].iter().copied().take_while(|b| *b != 0).collect();
        kinds.push(String::from_utf8_lossy(&kind).into_owned());
        at = u32::from_ne_bytes(spec[20..24].try_into().unwrap_or_default()) as usize;
    }
    Ok(kinds)
}
