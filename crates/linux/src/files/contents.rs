//! What is laid over the contents of files, read back through them, and looked for in their old places on the device. Many files are treated
//! together, so that one flush serves all of them.

use super::places::{DevicePlace, Devices, lies, read_whole};
use super::pool::{CHUNK, Pool, PoolBuffers};
use jurex_file_erase::{
    FileEvidence, FileReadBack, FileSeen, Lies, Name, NodeKind, OldPlaces, SectorSample, StorageStack, Stretch, Trace, WhyNotRead,
};
use jurex_pattern::notation::PassPattern;
use jurex_pattern::pattern::{Pattern, poison};
use rustix::fs::{Advice, fadvise, fdatasync, fstat, ftruncate, syncfs};
use rustix::io::{Errno, pwrite};
use sha2::{Digest, Sha256};
use std::os::fd::{AsFd, OwnedFd};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// Sectors of each file that are remembered, to know later whether the old bytes are still there.
const SAMPLES: usize = 16;

/// Why a file has failed that somebody has written to.
pub(crate) const WRITTEN_TO: &str = "somebody has written to it meanwhile: what came is not overwritten";

/// Sectors as patterns count them: address-tagged ones carry an address each 512 bytes.
pub(crate) const UNIT: u32 = 512;

/// An open file whose contents are overwritten.
pub(crate) struct OpenFile {
    /// Its place in the tree.
    pub(crate) node: usize,
    pub(crate) fd: OwnedFd,
    /// Whether it is written past the system's caches.
    pub(crate) direct: bool,
    /// Where it lies in the bytes of the whole work: no two files get the same bytes of a pass.
    pub(crate) base: u64,
    /// How it lay at first, by an earlier session's word if there was one.
    pub(crate) trace: Trace,
    /// Whether there was none.
    pub(crate) is_fresh: bool,
    /// Whether an earlier session has overwritten it and looked, so that only its name is left.
    pub(crate) is_overwritten: bool,
    /// How it lies now.
    pub(crate) now: Lies,
    /// The byte from which on nothing more is laid or read: room was given back there.
    pub(crate) limit: Arc<AtomicU64>,
    /// What it was like when the last pass had been flushed.
    pub(crate) left_as: Option<Stamp>,
    pub(crate) evidence: FileEvidence,
}

/// What tells that somebody has written to a file since.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Stamp {
    length: i64,
    written: (i64, u64),
    changed: Option<(i64, u64)>,
}

impl Stamp {
    /// As the file is now.
    pub(crate) fn of(fd: impl AsFd) -> Result<Self, Errno> {
        let told = fstat(fd)?;
        let changed = Some((told.st_ctime as i64, told.st_ctime_nsec as u64));
        Ok(Self { length: told.st_size as i64, written: (told.st_mtime as i64, told.st_mtime_nsec as u64), changed })
    }

    /// The same without when its name or rights were changed: they may be, by whoever takes its name away.
    pub(crate) fn of_contents(fd: impl AsFd) -> Result<Self, Errno> {
        Ok(Self { changed: None, ..Self::of(fd)? })
    }
}

impl OpenFile {
    /// A file that fills free space.
    pub(crate) fn of_filling(fd: OwnedFd, direct: bool, base: u64, limit: Arc<AtomicU64>) -> Self {
        let evidence = FileEvidence::new(Name::Path(String::new()), NodeKind::File, 0, 0);
        Self {
            node: 0,
            fd,
            direct,
            base,
            trace: Trace::default(),
            is_fresh: true,
            is_overwritten: false,
            now: Lies::default(),
            limit,
            left_as: None,
            evidence,
        }
    }

    /// Fails it if somebody has written to it since the last pass was flushed: what came is not overwritten.
    pub(crate) fn check_untouched(&mut self) {
        let Some(left_as) = self.left_as.filter(|_| self.is_sound()) else { return };
        if Stamp::of(&self.fd) != Ok(left_as) {
            self.evidence.fault = Some(WRITTEN_TO.into());
        }
    }

    /// Whether a piece of it is still to be laid and read.
    fn holds(&self, piece: FilePiece) -> bool {
        piece.at + piece.bytes as u64 <= self.limit.load(Ordering::Relaxed)
    }

    pub(crate) fn is_sound(&self) -> bool {
        self.evidence.fault.is_none()
    }

    /// What is kept of it once it is overwritten, for whoever goes on later; `None`: it can't be looked at any more.
    pub(crate) fn overwritten(&self) -> Option<Trace> {
        let changed = fstat(&self.fd).ok()?;
        let changed = (changed.st_mtime as i64, changed.st_mtime_nsec as u32);
        let seen = Some(FileSeen { evidence: self.evidence.clone(), changed });
        let Trace { device, inode, born, length, ground, .. } = self.trace;
        Some(Trace { device, inode, born, name: None, length, ground, lies: Lies::default(), samples: vec![], seen })
    }

    fn fail(&mut self, what: &str, error: Errno) {
        self.evidence.fault.get_or_insert_with(|| format!("{what}: {error}"));
    }
}

/// A piece of a file that is laid or read at once.
#[derive(Clone, Copy)]
struct FilePiece {
    file: usize,
    at: u64,
    bytes: usize,
}

/// Every piece of every file that nothing has failed of yet.
fn pieces(files: &[OpenFile]) -> impl Iterator<Item = FilePiece> + '_ {
    files.iter().enumerate().filter(|(_, h)| h.is_sound()).flat_map(|(file, held)| {
        held.now.stretches.iter().flat_map(move |s| {
            (s.at..s.at + s.bytes).step_by(CHUNK).map(move |at| FilePiece {
                file,
                at,
                bytes: (s.at + s.bytes - at).min(CHUNK as u64) as usize,
            })
        })
    })
}

/// So many pieces are handed out together: a large file is never listed as a whole.
const HANDED_OUT: usize = 1 << 14;

/// What contents are worked on with.
pub(crate) struct FileContents<'c> {
    pub(crate) pool: &'c Pool,
    pub(crate) passes: &'c [PassPattern],
    pub(crate) ground: &'c StorageStack,
    pub(crate) devices: &'c Result<Devices, WhyNotRead>,
    pub(crate) salt: &'c [u8; 16],
}

type Tick<'t> = &'t mut dyn FnMut(u64) -> bool;

impl FileContents<'_> {
    /// How a file of so many bytes lies now.
    pub(crate) fn measure(&self, held: &mut OpenFile, length: u64) {
        match lies(&held.fd, length, self.ground.block, self.ground.system()) {
            Ok(now) => held.now = now,
            Err(e) => held.fail("it can't be told where it lies", e),
        }
    }

    /// Makes a file whole blocks long, so that the slack of the last one is reached too.
    fn make_whole(&self, held: &mut OpenFile) {
        let grown = length(&held.fd).and_then(|l| match l.next_multiple_of(self.ground.block) {
            end if end > l => ftruncate(&held.fd, end),
            _ => Ok(()),
        });
        if let Err(e) = grown {
            held.fail("it can't be made whole blocks long", e);
        }
    }

    /// Remembers what some sectors of files hold that no earlier session has traced.
    pub(crate) fn sample(&self, files: &mut [OpenFile], tick: Tick<'_>) {
        let Ok(devices) = self.devices else { return };
        let mut wanted: Vec<(usize, u64)> = vec![];
        for (file, held) in files.iter().enumerate().filter(|(_, h)| h.is_fresh && h.is_sound()) {
            wanted.extend(sample_places(&held.now, devices.sector).into_iter().map(|place| (file, place)));
        }
        let bytes = devices.sector as u32;
        let read = |places: &[(usize, DevicePlace)], buffers: &mut PoolBuffers| -> Vec<(usize, Option<u64>)> {
            self.window(devices, places, buffers, |_, bytes, _| digest(self.salt, bytes))
        };
        let all: Vec<(usize, DevicePlace)> = wanted
            .iter()
            .enumerate()
            .filter_map(|(n, (_, at))| Some((n, devices.places(*at, u64::from(bytes))?.first()?.1)))
            .collect();
        for (n, digest) in self.in_windows(&all, read, tick) {
            let (file, place) = wanted[n];
            if let Some(digest) = digest {
                files[file].trace.samples.push(SectorSample { place, bytes, digest });
            }
        }
    }

    /// Lays every pass, reads back where that is asked for and after the last, and flushes after each.
    pub(crate) fn lay(&self, files: &mut [OpenFile], tick: Tick<'_>) {
        files.iter_mut().for_each(|held| self.make_whole(held));
        self.lay_from(0, files, tick);
    }

    /// The same from a pass on, counted from 0, over files of whole blocks.
    pub(crate) fn lay_from(&self, first: usize, files: &mut [OpenFile], tick: Tick<'_>) {
        for (number, pass) in self.passes.iter().enumerate().skip(first) {
            let last = number + 1 == self.passes.len();
            let laid = self.over_pieces(files, |held, piece, buffers| self.lay_piece(held, piece, &pass.pattern, buffers), tick);
            if self.pool.is_stopped() {
                return;
            }
            for (file, (at, e)) in laid.into_iter().filter_map(|(file, how)| Some((file, how.err()?))) {
                files[file].fail(&format!("it can't be written at byte {at}"), e);
            }
            self.flush(files);
            for held in files.iter_mut().filter(|h| h.is_sound()) {
                held.evidence.passes += 1;
                // Before it is read back: what comes from here on shows by this, what came before is read.
                held.left_as = Stamp::of(&held.fd).ok();
            }
            if last || pass.read_back {
                self.read_back(files, &pass.pattern, last, tick);
            }
        }
    }

    /// Does `work` on every piece; gives for each its file and what came of it.
    fn over_pieces<R: Send>(
        &self,
        files: &[OpenFile],
        work: impl Fn(&OpenFile, FilePiece, &mut PoolBuffers) -> R + Sync,
        tick: Tick<'_>,
    ) -> Vec<(usize, R)> {
        let mut all = pieces(files);
        let mut results = vec![];
        loop {
            let part: Vec<FilePiece> = all.by_ref().take(HANDED_OUT).collect();
            if part.is_empty() || self.pool.is_stopped() {
                return results;
            }
            let done = self.pool.each(&part, |p, buffers| work(&files[p.file], *p, buffers), tick);
            results.extend(part.iter().zip(done).filter_map(|(p, r)| Some((p.file, r?))));
        }
    }

    fn lay_piece(
        &self,
        held: &OpenFile,
        piece: FilePiece,
        pattern: &Pattern,
        buffers: &mut PoolBuffers,
    ) -> Result<(), (u64, Errno)> {
        if !held.holds(piece) {
            return Ok(());
        }
        let bytes = buffers.pattern.get(pattern, held.base + piece.at, UNIT, piece.bytes);
        let mut done = 0;
        while done < bytes.len() {
            match pwrite(&held.fd, &bytes[done..], piece.at + done as u64) {
                Ok(0) => return Err((piece.at + done as u64, Errno::IO)),
                Ok(n) => done += n,
                Err(Errno::INTR) => {}
                Err(e) => return Err((piece.at + done as u64, e)),
            }
        }
        self.pool.count(piece.bytes as u64);
        Ok(())
    }

    /// Everything is on the device when this ends; what could not be flushed has failed.
    fn flush(&self, files: &mut [OpenFile]) {
        let many = files.len() > 1 && files.iter().all(|h| h.direct);
        if many {
            let synced = syncfs(&files[0].fd).and_then(|()| fdatasync(&files[files.len() - 1].fd));
            if let Err(e) = synced {
                files.iter_mut().for_each(|h| h.fail("it can't be flushed", e));
            }
            return;
        }
        for held in files.iter_mut() {
            if let Err(e) = fdatasync(&held.fd) {
                held.fail("it can't be flushed", e);
            }
            if !held.direct {
                let _ = fadvise(&held.fd, 0, None, Advice::DontNeed);
            }
        }
    }

    pub(crate) fn read_back(&self, files: &mut [OpenFile], pattern: &Pattern, last: bool, tick: Tick<'_>) {
        let read = self.over_pieces(files, |held, piece, buffers| self.read_piece(held, piece, pattern, buffers), tick);
        for (file, found) in read {
            let sum = &mut files[file].evidence.read_back;
            if last {
                sum.right += found.right;
            }
            sum.wrong += found.wrong;
            sum.unreadable += found.unreadable;
        }
    }

    fn read_piece(&self, held: &OpenFile, piece: FilePiece, pattern: &Pattern, buffers: &mut PoolBuffers) -> FileReadBack {
        let mut found = FileReadBack::default();
        if !held.holds(piece) {
            return found;
        }
        let whole = self.read_and_compare(held, piece, pattern, buffers, &mut found);
        if whole.is_err() && piece.bytes > self.ground.block as usize {
            // Block by block, so that one bad place does not hide the rest.
            for at in (0..piece.bytes).step_by(self.ground.block as usize) {
                let bytes = (piece.bytes - at).min(self.ground.block as usize);
                let part = FilePiece { at: piece.at + at as u64, bytes, ..piece };
                if self.read_and_compare(held, part, pattern, buffers, &mut found).is_err() {
                    found.unreadable += bytes as u64;
                }
            }
        } else if whole.is_err() {
            found.unreadable += piece.bytes as u64;
        }
        self.pool.count(piece.bytes as u64);
        found
    }

    fn read_and_compare(
        &self,
        held: &OpenFile,
        piece: FilePiece,
        pattern: &Pattern,
        buffers: &mut PoolBuffers,
        found: &mut FileReadBack,
    ) -> Result<(), Errno> {
        let PoolBuffers { pattern: expected, read } = buffers;
        let out = &mut read.to_read_into()[..piece.bytes];
        poison(UNIT, out);
        read_whole(&held.fd, piece.at, out)?;
        let right = right_bytes(expected.get(pattern, held.base + piece.at, UNIT, piece.bytes), out);
        found.right += right;
        found.wrong += piece.bytes as u64 - right;
        Ok(())
    }

    /// Where files lie now, and what is in their old places.
    pub(crate) fn look(&self, files: &mut [OpenFile], tick: Tick<'_>) {
        for held in files.iter_mut().filter(|h| h.is_sound()) {
            let after = length(&held.fd).and_then(|l| lies(&held.fd, l, self.ground.block, self.ground.system()));
            // What was a hole, or lay behind the end, and has blocks now, came from somebody else, and no pass was laid over it.
            // (What lay in the file system's tables gets blocks by being made whole; nothing of that kind is called overwritten.)
            let plain = held.now.before.inline == 0 && held.now.before.encoded == 0;
            let grew = plain && after.as_ref().is_ok_and(|after| after.before.mapped > held.now.before.mapped);
            held.evidence.moved = after.ok().and_then(|after| held.trace.lies.has_moved(&after));
            if grew && held.limit.load(Ordering::Relaxed) == u64::MAX {
                held.evidence.fault.get_or_insert_with(|| WRITTEN_TO.into());
            }
        }
        let devices = match self.devices {
            Ok(devices) => devices,
            Err(why) => {
                files.iter_mut().for_each(|h| h.evidence.look = OldPlaces::NotRead { why: *why });
                return;
            }
        };
        let Some(pattern) = self.passes.last().map(|p| &p.pattern) else { return };
        let mut sums = vec![Sum::default(); files.len()];
        let mut handed_out: Vec<Old> = vec![];
        for at in 0..files.len() {
            if !files[at].is_sound() {
                continue;
            }
            files[at].evidence.look = OldPlaces::Read { of: 0, pattern: 0, former: 0, unreadable: 0 };
            for stretch in files[at].trace.lies.stretches.clone() {
                match old_places(&stretch, devices) {
                    Ok(places) => handed_out.extend(places.into_iter().map(|(byte, place)| Old { file: at, byte, place })),
                    Err(why) => files[at].evidence.look = OldPlaces::NotRead { why },
                }
                if handed_out.len() >= HANDED_OUT {
                    self.compare(devices, files, &std::mem::take(&mut handed_out), pattern, &mut sums, tick);
                }
            }
        }
        self.compare(devices, files, &handed_out, pattern, &mut sums, tick);
        for (held, sum) in files.iter_mut().zip(sums) {
            if matches!(held.evidence.look, OldPlaces::Read { .. }) {
                let Sum { of, pattern, unreadable } = sum;
                let former = if of == pattern { 0 } else { self.still_there(devices, held) };
                held.evidence.look = OldPlaces::Read { of, pattern, former, unreadable };
            }
        }
    }

    /// Reads old places and adds what of them holds the pattern.
    fn compare(&self, devices: &Devices, files: &[OpenFile], old: &[Old], pattern: &Pattern, sums: &mut [Sum], tick: Tick<'_>) {
        let places: Vec<(usize, DevicePlace)> = old.iter().enumerate().map(|(n, o)| (n, o.place)).collect();
        let compare = |places: &[(usize, DevicePlace)], buffers: &mut PoolBuffers| {
            self.window(devices, places, buffers, |n, bytes, expected| {
                let from = files[old[n].file].base + old[n].byte;
                right_bytes(expected.get(pattern, from, UNIT, bytes.len()), bytes)
            })
        };
        for (o, (_, right)) in old.iter().zip(self.in_windows(&places, compare, tick)) {
            let sum = &mut sums[o.file];
            sum.of += o.place.bytes;
            match right {
                Some(right) => sum.pattern += right,
                None => sum.unreadable += o.place.bytes,
            }
        }
    }

    /// Bytes of the remembered sectors that hold what they held.
    fn still_there(&self, devices: &Devices, held: &OpenFile) -> u64 {
        let mut buffer = jurex_pattern::pattern::AlignedBuffer::new(4096);
        let mut same = 0;
        for sample in &held.trace.samples {
            let out = &mut buffer.bytes()[..(sample.bytes as usize).min(4096)];
            let place = devices.places(sample.place, u64::from(sample.bytes)).and_then(|p| p.first().copied());
            let Some((_, place)) = place else { continue };
            if devices.read(place.device, place.at, out).is_ok() && digest(self.salt, out) == sample.digest {
                same += u64::from(sample.bytes);
            }
        }
        same
    }

    /// Places sorted and read in windows; gives what `work` made of each, in the order of `places`.
    fn in_windows<R: Send + Clone>(
        &self,
        places: &[(usize, DevicePlace)],
        work: impl Fn(&[(usize, DevicePlace)], &mut PoolBuffers) -> Vec<(usize, Option<R>)> + Sync,
        tick: Tick<'_>,
    ) -> Vec<(usize, Option<R>)> {
        let mut sorted = places.to_vec();
        sorted.sort_unstable_by_key(|(_, place)| *place);
        let windows: Vec<&[(usize, DevicePlace)]> = windows(&sorted);
        let mut found: Vec<(usize, Option<R>)> =
            self.pool.each(&windows, |window, buffers| work(window, buffers), tick).into_iter().flatten().flatten().collect();
        found.sort_unstable_by_key(|(n, _)| *n);
        // What was not come to was not read.
        let mut found = found.into_iter().peekable();
        places.iter().map(|(n, _)| (*n, found.next_if(|(m, _)| m == n).and_then(|(_, r)| r))).collect()
    }

    /// Reads one window and gives each place's bytes to `work`; `None` for what can't be read. If it can't be read as a whole, each place is
    /// read by itself.
    fn window<R>(
        &self,
        devices: &Devices,
        places: &[(usize, DevicePlace)],
        buffers: &mut PoolBuffers,
        work: impl Fn(usize, &[u8], &mut jurex_pattern::pattern::PatternBuffer) -> R,
    ) -> Vec<(usize, Option<R>)> {
        let Some((_, first)) = places.first() else { return vec![] };
        let from = first.at - first.at % devices.sector;
        let to = places.iter().map(|(_, p)| p.at + p.bytes).max().unwrap_or(from).next_multiple_of(devices.sector);
        let PoolBuffers { pattern, read } = buffers;
        let whole = &mut read.to_read_into()[..(to - from) as usize];
        poison(UNIT, whole);
        let all = devices.read(first.device, from, whole);
        let mut one = |(n, place): &(usize, DevicePlace)| {
            self.pool.count(place.bytes);
            if all.is_err() {
                let from = place.at - place.at % devices.sector;
                let end = (place.at + place.bytes).next_multiple_of(devices.sector);
                let out = &mut read.to_read_into()[..(end - from) as usize];
                poison(UNIT, out);
                if devices.read(place.device, from, out).is_err() {
                    return (*n, None);
                }
                let at = (place.at - from) as usize;
                return (*n, Some(work(*n, &out[at..at + place.bytes as usize], pattern)));
            }
            let at = (place.at - from) as usize;
            (*n, Some(work(*n, &read.filled()[at..at + place.bytes as usize], pattern)))
        };
        places.iter().map(&mut one).collect()
    }
}

/// Neighbouring places that fit into one buffer; gaps of up to 32 KiB are read along.
fn windows(sorted: &[(usize, DevicePlace)]) -> Vec<&[(usize, DevicePlace)]> {
    const GAP: u64 = 32 << 10;
    let mut windows = vec![];
    let mut from = 0;
    for at in 1..=sorted.len() {
        let ends = at == sorted.len() || {
            let (first, before, next) = (sorted[from].1, sorted[at - 1].1, sorted[at].1);
            next.device != first.device
                || next.at > before.at + before.bytes + GAP
                || next.at + next.bytes - first.at > (CHUNK - 8192) as u64
        };
        if ends {
            windows.push(&sorted[from..at]);
            from = at;
        }
    }
    windows
}

/// An old place, with the file that lay there and the byte of it.
#[derive(Clone, Copy)]
struct Old {
    file: usize,
    byte: u64,
    place: DevicePlace,
}

/// Bytes of a file's old places.
#[derive(Clone, Default)]
struct Sum {
    of: u64,
    pattern: u64,
    unreadable: u64,
}

/// The old places of a stretch in pieces that fit into a buffer, each with the byte of the file that lay there.
fn old_places(stretch: &Stretch, devices: &Devices) -> Result<Vec<(u64, DevicePlace)>, WhyNotRead> {
    const PIECE: u64 = 512 << 10;
    let from = stretch.place.ok_or(WhyNotRead::NoPlaces)?;
    // Of what is compressed only the beginning is known to lie there.
    let bytes = if stretch.encoded { stretch.bytes.min(4096) } else { stretch.bytes };
    let mut found = vec![];
    for done in (0..bytes).step_by(PIECE as usize) {
        let places = devices.places(from + done, (bytes - done).min(PIECE)).ok_or(WhyNotRead::Striped)?;
        found.extend(places.into_iter().map(|(skip, place)| (stretch.at + done + skip, place)));
    }
    Ok(found)
}

/// Some sectors of a file, spread over it: its first, its last, and others between.
fn sample_places(lies: &Lies, sector: u64) -> Vec<u64> {
    let placed: Vec<(u64, u64)> = lies.stretches.iter().filter_map(|s| Some((s.place?, s.bytes / sector))).collect();
    let sectors: u64 = placed.iter().map(|(_, n)| n).sum();
    // One of each 4 KiB is enough: what was overwritten was so by whole blocks.
    let count = sectors.div_ceil((4096 / sector).max(1)).min(SAMPLES as u64);
    let (mut found, mut before, mut stretches) = (vec![], 0, placed.into_iter().peekable());
    for n in 0..count {
        let wanted = if count == 1 { 0 } else { (u128::from(n) * u128::from(sectors - 1) / u128::from(count - 1)) as u64 };
        while let Some((place, here)) = stretches.peek() {
            if wanted < before + here {
                found.push(place + (wanted - before) * sector);
                break;
            }
            before += here;
            stretches.next();
        }
    }
    found
}

fn digest(salt: &[u8; 16], bytes: &[u8]) -> u64 {
    let hash = Sha256::new().chain_update(salt).chain_update(bytes).finalize();
    u64::from_be_bytes(hash[..8].try_into().unwrap_or_default())
}

/// Bytes in sectors that are as expected.
fn right_bytes(expected: &[u8], read: &[u8]) -> u64 {
    if expected == read {
        return read.len() as u64;
    }
    let unit = UNIT as usize;
    expected.chunks(unit).zip(read.chunks(unit)).filter(|(e, r)| e == r).map(|(e, _)| e.len() as u64).sum()
}

/// The length of an open file.
pub(crate) fn length(fd: impl AsFd) -> Result<u64, Errno> {
    fstat(fd).map(|s| u64::try_from(s.st_size).unwrap_or(0))
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_file_erase::FileBefore;

    fn lie(stretches: &[(u64, u64, u64)]) -> Lies {
        let one = |(at, bytes, place): &(u64, u64, u64)| Stretch { at: *at, bytes: *bytes, place: Some(*place), encoded: false };
        Lies { stretches: stretches.iter().map(one).collect(), before: FileBefore::default() }
    }

    #[test]
    fn samples_lie_in_the_file_the_first_and_the_last_sector_among_them() {
        assert_eq!(sample_places(&lie(&[(0, 4096, 8192)]), 4096), [8192]);
        assert_eq!(sample_places(&lie(&[(0, 8192, 8192)]), 512), [8192, 8192 + 15 * 512]);
        let lies = lie(&[(0, 1 << 20, 1 << 30), (1 << 20, 4096, 4096)]);
        let places = sample_places(&lies, 512);
        assert_eq!((places.len(), places[0], *places.last().unwrap()), (SAMPLES, 1 << 30, 4096 + 7 * 512));
        assert!(sample_places(&lie(&[]), 512).is_empty());
    }

    #[test]
    fn windows_hold_every_place_once_and_fit_into_a_buffer() {
        let place = |at, bytes| DevicePlace { device: 0, at, bytes };
        let sorted: Vec<(usize, DevicePlace)> = [
            place(0, 4096),
            place(4096, 4096),
            place(60_000, 512),
            place(900_000, 524_288),
            DevicePlace { device: 1, at: 901_000, bytes: 512 },
        ]
        .into_iter()
        .enumerate()
        .collect();
        let found = windows(&sorted);
        assert_eq!(found.iter().map(|w| w.len()).collect::<Vec<_>>(), [2, 1, 1, 1]);
        assert!(windows(&[]).is_empty());
    }

    #[test]
    fn only_whole_sectors_that_are_right_count() {
        let expected = vec![7u8; 2048];
        let mut read = expected.clone();
        read[600] = 8;
        assert_eq!(right_bytes(&expected, &read), 1536);
        assert_eq!(right_bytes(&expected, &expected), 2048);
    }
}
