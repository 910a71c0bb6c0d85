//! Where a file's bytes lie: its extents by the file system's word, and the places on devices that these come to.

use super::ground::{Mounted, node_of};
use crate::ioctl::{block_of, block_size, btrfs_chunks, btrfs_device, extent, extents};
use jurex_file_erase::{FileBefore, FileSystemFamily, Lies, Stretch, WhyNotRead};
use rustix::fs::{Mode, OFlags, open};
use rustix::io::{Errno, pread};
use std::collections::HashMap;
use std::os::fd::{AsFd, OwnedFd};
use std::path::Path;

/// How a file of so many bytes lies, after it was written out. Blocks are of `block` bytes. A file system that does not tell gets one stretch
/// without a place.
///
/// # Errors
/// The file can't be read any more.
pub(crate) fn lies(fd: impl AsFd, bytes: u64, block: u64, kind: FileSystemFamily) -> Result<Lies, Errno> {
    let end = bytes.next_multiple_of(block);
    let mut before = FileBefore::default();
    let mut stretches = match extents(&fd) {
        Ok(told) => {
            let cut = |e: &crate::ioctl::FileExtent| e.length.min(end.saturating_sub(e.logical));
            let (inline, outside): (Vec<_>, Vec<_>) = told.into_iter().partition(|e| e.flags & extent::INLINE != 0);
            before.inline = inline.iter().map(cut).sum();
            before.shared = outside.iter().filter(|e| e.flags & extent::SHARED != 0).map(cut).sum();
            let one = |e: crate::ioctl::FileExtent| Stretch {
                at: e.logical,
                bytes: cut(&e),
                place: (e.flags & extent::UNKNOWN == 0 && e.physical > 0).then_some(e.physical),
                encoded: e.flags & extent::ENCODED != 0,
            };
            outside.into_iter().map(one).collect()
        }
        Err(Errno::BADF | Errno::IO) => return Err(Errno::IO),
        Err(_) => block_by_block(&fd, end, block, kind),
    };
    stretches.retain(|s: &Stretch| s.bytes > 0);
    let sum = |is: &dyn Fn(&&Stretch) -> bool| stretches.iter().filter(is).map(|s| s.bytes).sum::<u64>();
    before.stretches = stretches.len() as u64;
    before.mapped = sum(&|_| true);
    before.unplaced = sum(&|s| s.place.is_none());
    before.encoded = sum(&|s| s.encoded);
    if kind == FileSystemFamily::Ntfs && before.unplaced > 0 {
        // What has no place there lies in the table of files, or is compressed: neither is overwritten where it lies.
        let of = if bytes <= block { &mut before.inline } else { &mut before.encoded };
        *of += before.unplaced;
    }
    Ok(Lies { stretches, before })
}

/// By the older call, a block at a time. What it does not tell may be a hole, or inside tables: it is taken for bytes without a place.
fn block_by_block(fd: impl AsFd, end: u64, cluster: u64, kind: FileSystemFamily) -> Vec<Stretch> {
    let whole = |place| Stretch { at: 0, bytes: end, place, encoded: false };
    if end == 0 {
        return vec![];
    }
    // The longer call writes files out by itself.
    if rustix::fs::fdatasync(&fd).is_err() {
        return vec![whole(None)];
    }
    let Some(size) = block_size(&fd)
        .ok()
        .map(u64::from)
        .filter(|_| matches!(kind, FileSystemFamily::Fat | FileSystemFamily::ExFat | FileSystemFamily::Ntfs))
    else {
        return vec![whole(None)];
    };
    let mut found: Vec<Stretch> = vec![];
    for number in 0..end.div_ceil(size) {
        let place = match u32::try_from(number).map_err(|_| Errno::FBIG).and_then(|n| block_of(&fd, n)) {
            Ok(0) => None,
            Ok(block) => Some(u64::from(block) * size),
            Err(_) => return vec![whole(None)],
        };
        let (at, bytes) = (number * size, size.min(end - number * size));
        // A cluster is allocated as a whole: what is not told of the part behind the file's end follows from the part before it.
        let in_cluster = matches!(kind, FileSystemFamily::Fat | FileSystemFamily::ExFat) && at % cluster != 0;
        let before = found.last().filter(|_| in_cluster && place.is_none()).and_then(|l| Some(l.place? + l.bytes));
        let place = place.or(before);
        match found.last_mut() {
            Some(last) if last.place.map(|p| p + last.bytes) == place => last.bytes += bytes,
            _ => found.push(Stretch { at, bytes, place, encoded: false }),
        }
    }
    found
}

/// A place on a device, in bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct DevicePlace {
    /// Which of the devices.
    pub(crate) device: usize,
    /// First byte.
    pub(crate) at: u64,
    /// Bytes.
    pub(crate) bytes: u64,
}

/// The devices beneath a file system, opened to be read past caches.
pub(crate) struct Devices {
    open: Vec<OwnedFd>,
    /// Bytes that can be read at once at least: the largest sector of them.
    pub(crate) sector: u64,
    chunks: Option<Chunks>,
}

impl Devices {
    /// Those of a mount; `fd` is something open on it.
    ///
    /// # Errors
    /// Why none can be read.
    pub(crate) fn of(mounted: &Mounted, fd: impl AsFd) -> Result<Self, WhyNotRead> {
        if mounted.ground.system() == FileSystemFamily::Btrfs {
            let chunks = Chunks::read(&fd).map_err(|e| why(&e))?;
            let mut open = vec![];
            let mut numbers = HashMap::new();
            for number in chunks.devices() {
                let path = btrfs_device(&fd, number).map_err(|e| why(&e))?;
                let path = std::ffi::OsString::from(String::from_utf8_lossy(&path).into_owned());
                numbers.insert(number, open.len());
                open.push(open_direct(Path::new(&path))?);
            }
            return Ok(Self { sector: sector(&open), open, chunks: Some(Chunks { numbers, ..chunks }) });
        }
        let node = mounted.device.and_then(node_of).ok_or(WhyNotRead::NoDevice)?;
        let open = vec![open_direct(&node)?];
        Ok(Self { sector: sector(&open), open, chunks: None })
    }

    /// The places that a stretch of the file system's own addresses comes to, each with its byte in the stretch: one, or as many as there are
    /// copies. `None`: not followed.
    pub(crate) fn places(&self, at: u64, bytes: u64) -> Option<Vec<(u64, DevicePlace)>> {
        match &self.chunks {
            None => Some(vec![(0, DevicePlace { device: 0, at, bytes })]),
            Some(chunks) => chunks.places(at, bytes),
        }
    }

    /// Reads a whole window, on boundaries of sectors, into a buffer on a boundary of 4096 bytes.
    pub(crate) fn read(&self, device: usize, at: u64, out: &mut [u8]) -> Result<(), Errno> {
        read_whole(&self.open[device], at, out)
    }
}

/// Reads all of it from that byte on; an end before that is an error.
pub(crate) fn read_whole(fd: impl AsFd, at: u64, out: &mut [u8]) -> Result<(), Errno> {
    let mut done = 0;
    while done < out.len() {
        match pread(&fd, &mut out[done..], at + done as u64) {
            Ok(0) => return Err(Errno::IO),
            Ok(n) => done += n,
            Err(Errno::INTR) => {}
            Err(e) => return Err(e),
        }
    }
    Ok(())
}

fn sector(open: &[OwnedFd]) -> u64 {
    open.iter().map(|fd| rustix::fs::ioctl_blksszget(fd).map_or(512, u64::from)).max().unwrap_or(512)
}

fn why(error: &Errno) -> WhyNotRead {
    match *error {
        Errno::PERM | Errno::ACCESS => WhyNotRead::NoRights,
        _ => WhyNotRead::NoPlaces,
    }
}

fn open_direct(path: &Path) -> Result<OwnedFd, WhyNotRead> {
    let flags = OFlags::RDONLY | OFlags::DIRECT | OFlags::CLOEXEC | OFlags::NOCTTY;
    open(path, flags, Mode::empty()).map_err(|e| match e {
        Errno::PERM | Errno::ACCESS => WhyNotRead::NoRights,
        _ => WhyNotRead::NoDevice,
    })
}

/// First byte, bytes, and the copies, each a device's number and its first byte there; none: spread in a way that is not followed.
type Chunk = (u64, u64, Vec<(u64, u64)>);

/// How a Btrfs lays its own addresses onto devices.
struct Chunks {
    chunks: Vec<Chunk>,
    /// Which of the open devices has which number.
    numbers: HashMap<u64, usize>,
}

impl Chunks {
    fn read(fd: impl AsFd) -> Result<Self, Errno> {
        let (mut chunks, mut from) = (vec![], 0);
        loop {
            let found = btrfs_chunks(&fd, from)?;
            let Some((last, _)) = found.last() else { break };
            from = last + 1;
            chunks.extend(found.iter().filter_map(|(at, item)| chunk(*at, item)));
        }
        chunks.sort_unstable_by_key(|(first, ..)| *first);
        Ok(Self { chunks, numbers: HashMap::new() })
    }

    fn devices(&self) -> Vec<u64> {
        let mut all: Vec<u64> = self.chunks.iter().flat_map(|(.., copies)| copies.iter().map(|(device, _)| *device)).collect();
        all.sort_unstable();
        all.dedup();
        all
    }

    fn places(&self, first: u64, bytes: u64) -> Option<Vec<(u64, DevicePlace)>> {
        let (mut at, mut left, mut places) = (first, bytes, vec![]);
        while left > 0 {
            let next = self.chunks.partition_point(|(first, ..)| *first <= at);
            let (begin, length, copies) =
                self.chunks.get(next.checked_sub(1)?).filter(|(begin, length, _)| at - begin < *length)?;
            let here = left.min(begin + length - at);
            if copies.is_empty() {
                return None;
            }
            for (device, offset) in copies {
                let place = DevicePlace { device: *self.numbers.get(device)?, at: offset + (at - begin), bytes: here };
                places.push((at - first, place));
            }
            (at, left) = (at + here, left - here);
        }
        Some(places)
    }
}

/// `struct btrfs_chunk`: length, owner, stripe length, type, three sizes, number of stripes; then each stripe's device, offset and UUID.
fn chunk(at: u64, item: &[u8]) -> Option<Chunk> {
    const SPREAD: u64 = 1 << 3 | 1 << 6 | 1 << 7 | 1 << 8;
    const HEAD: usize = 48;
    if item.len() < HEAD {
        return None;
    }
    let word = |from: usize| Some(u64::from_le_bytes(item.get(from..from + 8)?.try_into().ok()?));
    let stripes = u16::from_le_bytes(item.get(44..46)?.try_into().ok()?);
    let copies = if word(24)? & SPREAD != 0 {
        vec![]
    } else {
        (0..usize::from(stripes)).map(|n| Some((word(HEAD + 32 * n)?, word(HEAD + 8 + 32 * n)?))).collect::<Option<_>>()?
    };
    Some((at, word(0)?, copies))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_chunk_gives_every_copy_and_a_spread_one_none() {
        let item = |kind: u64, stripes: &[(u64, u64)]| {
            let mut bytes = vec![0u8; 48 + 32 * stripes.len()];
            bytes[..8].copy_from_slice(&(1u64 << 30).to_le_bytes());
            bytes[24..32].copy_from_slice(&kind.to_le_bytes());
            bytes[44..46].copy_from_slice(&(stripes.len() as u16).to_le_bytes());
            for (n, (device, offset)) in stripes.iter().enumerate() {
                bytes[48 + 32 * n..56 + 32 * n].copy_from_slice(&device.to_le_bytes());
                bytes[56 + 32 * n..64 + 32 * n].copy_from_slice(&offset.to_le_bytes());
            }
            bytes
        };
        let twice = chunk(1 << 20, &item(1 | 1 << 4, &[(1, 5 << 20), (2, 9 << 20)])).unwrap();
        let chunks = Chunks { chunks: vec![twice], numbers: HashMap::from([(1, 0), (2, 1)]) };
        let place = |device, at| (0, DevicePlace { device, at, bytes: 4096 });
        assert_eq!(chunks.places((1 << 20) + 4096, 4096), Some(vec![place(0, (5 << 20) + 4096), place(1, (9 << 20) + 4096)]));
        assert_eq!(chunks.places(0, 4096), None, "no chunk is there");
        assert_eq!(chunk(0, &item(1 | 1 << 3, &[(1, 0)])).unwrap().2, []);
        assert!(chunk(0, &[0; 47]).is_none() && chunk(0, &item(1, &[(1, 0)])[..60]).is_none());
    }
}
