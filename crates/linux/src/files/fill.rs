//! The free space of a file system in use: filled through files of its own, seen on the device, and given back whatever happens.

use super::contents::{FileContents, OpenFile, UNIT};
use super::freemap::free;
use super::ground::{Mounted, ground_of};
use super::places::{Devices, lies};
use super::pool::Pool;
use jurex_file_erase::{
    FileSystemFamily, Fill, FreeEvidence, FreeProof, Names, OldPlaces, STOPPED, ShownPart, StorageStack, Strip, StripRun,
    WhyNotRead,
};
use jurex_pattern::notation::{Entropy, PassPattern};
use jurex_pattern::pattern::PatternBuffer;
use rustix::fs::{
    Advice, AtFlags, Dir, FallocateFlags, IFlags, Mode, OFlags, fadvise, fallocate, fcntl_getfl, fcntl_setfl, fdatasync,
    fstatvfs, ftruncate, ioctl_getflags, ioctl_setflags, mkdirat, open, openat, syncfs, unlinkat,
};
use rustix::io::{Errno, pwrite};
use std::ffi::OsString;
use std::os::fd::{AsFd, OwnedFd};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// Bytes that are taken at once at most, so that others' use is seen in time.
const STEP: u64 = 256 << 20;
/// Bytes of one file: below what FAT can hold.
const LARGEST_FILE: u64 = (4 << 30) - (1 << 20);
/// Entries of the table of files that are left to others.
const ENTRIES_LEFT: u64 = 1000;
/// Small files where the table of files grows as it is needed.
const SOME: u64 = 1024;
/// How the folders of filling files are called.
const FOLDER: &str = ".jurex-free-";

/// What is to be done.
#[derive(Debug)]
pub struct FillOrder {
    /// The passes, random choices made.
    pub passes: Vec<PassPattern>,
    /// Bytes that are left to whoever else uses the file system.
    pub reserve: u64,
}

/// What it is at.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FillPhase {
    /// Taking free space.
    Taking,
    /// Laying passes and reading back.
    Laying,
    /// Filling the table of files.
    Entries,
    /// Reading on the device.
    Looking,
}

/// How far it has come.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FillProgress {
    /// What it is at.
    pub phase: FillPhase,
    /// Bytes that were laid and read.
    pub bytes: u64,
    /// All that are to be.
    pub of_bytes: u64,
    /// Small files.
    pub entries: u64,
    /// Bytes that are free for others now.
    pub free_now: u64,
    /// Bytes that were given back early.
    pub gave_way: u64,
}

/// Who hears of the work, and may stop it.
pub trait FillWatcher {
    /// Files that have names will be made in this folder: whoever finds it later can clean it.
    ///
    /// # Errors
    /// It could not be noted; then none are made.
    fn takes(&mut self, folder: &Path) -> std::io::Result<()>;
    /// How far it has come; whether it is to go on.
    fn progress(&mut self, progress: &FillProgress) -> bool;
}

/// What came of it.
#[derive(Debug)]
pub struct Filled {
    /// The file system.
    pub ground: StorageStack,
    /// What was done and seen.
    pub evidence: FreeEvidence,
    /// Where it lay.
    pub strip: Vec<StripRun>,
    /// Whether it was stopped.
    pub stopped: bool,
}

/// Why nothing was begun.
#[derive(Debug, thiserror::Error)]
pub enum FillError {
    /// The folder can't be used.
    #[error("{path} can't be used: {cause}")]
    Folder {
        /// As it was named.
        path: String,
        /// Why.
        #[source]
        cause: std::io::Error,
    },
    /// Another filling is at it: each would take the other's room.
    #[error("{0} is being filled by another Jurex: wait for its end")]
    UnderWay(String),
    /// Nothing beyond the reserve is free.
    #[error("{free} bytes are free, and {reserve} are to be left: there is nothing to fill")]
    Nothing {
        /// Free now.
        free: u64,
        /// To be left.
        reserve: u64,
    },
}

/// The reserve where nobody names one: a hundredth of the file system, from 64 MiB to 2 GiB, and no more than a fiftieth of what is free, so
/// that nearly all of it is reached.
pub fn usual_reserve(bytes: u64, free: u64) -> u64 {
    (bytes / 100).clamp(64 << 20, 2 << 30).min(free / 50)
}

/// Bytes that are free and the file system's own size, at that path.
///
/// # Errors
/// It can't be looked at.
pub fn space(path: &Path) -> Result<(u64, u64), FillError> {
    let space = rustix::fs::statvfs(path)
        .map_err(|e| FillError::Folder { path: jurex_pattern::text::shown_path(path), cause: e.into() })?;
    Ok((space.f_bavail.saturating_mul(space.f_frsize), space.f_blocks.saturating_mul(space.f_frsize)))
}

/// The file system at that path.
///
/// # Errors
/// It can't be looked at.
pub fn ground_at(path: &Path) -> Result<StorageStack, FillError> {
    let failed = |cause: Errno| FillError::Folder { path: jurex_pattern::text::shown_path(path), cause: cause.into() };
    let folder = open(path, OFlags::PATH | OFlags::CLOEXEC, Mode::empty()).map_err(failed)?;
    ground_of(&folder).map(|m| m.ground).map_err(failed)
}

/// Fills the free space of the file system that `path` lies on.
///
/// # Errors
/// Nothing was begun.
pub fn fill(
    path: &Path,
    order: &FillOrder,
    entropy: &mut dyn Entropy,
    watcher: &mut dyn FillWatcher,
) -> Result<Filled, FillError> {
    let failed = |cause: Errno| FillError::Folder { path: jurex_pattern::text::shown_path(path), cause: cause.into() };
    let folder = open(path, OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC, Mode::empty()).map_err(failed)?;
    let mounted = ground_of(&folder).map_err(failed)?;
    // Held until it ends: the root of the file system is what every filling of it can find.
    let _alone = alone(&mounted, &folder).map_err(|e| match e {
        Errno::WOULDBLOCK => FillError::UnderWay(mounted.ground.mount.clone()),
        e => failed(e),
    })?;
    let room = Room::of(&folder).map_err(failed)?;
    if room.to_take(order.reserve) < mounted.ground.block {
        return Err(FillError::Nothing { free: room.free_for_me(order.reserve), reserve: order.reserve });
    }
    // What is free by the map and yet given to nobody.
    let withheld = free(&folder, &mounted).map_or(0, |f| f.bytes.saturating_sub(room.free));
    let where_named = std::path::absolute(path).unwrap_or_else(|_| path.into());
    let progress =
        FillProgress { phase: FillPhase::Taking, bytes: 0, of_bytes: 0, entries: 0, free_now: room.available, gave_way: 0 };
    let (reserve, block) = (order.reserve, mounted.ground.block);
    let teller = FillTeller { watcher, folder: &folder, reserve, block, ends: vec![], progress, stopped: false };
    let mut filling = Filling { path: where_named, order, teller, names: Names::new(entropy), named: None, grown: false };
    let mut evidence = FreeEvidence {
        free_before: room.free,
        reserve: order.reserve + room.kept_back(order.reserve) + withheld,
        fill: Fill::default(),
        proof: FreeProof::NotRead { why: WhyNotRead::NotReached },
        free_after: 0,
        left_behind: vec![],
        fault: None,
    };
    let mut strip = Strip::new(mounted.ground.bytes);
    if let Err(why) = filling.all(&mounted, &mut evidence, &mut strip) {
        evidence.fault = Some(why);
    }
    let stopped = filling.teller.stopped;
    filling.give_back(&mut evidence);
    if stopped {
        evidence.fault.get_or_insert_with(|| STOPPED.into());
    }
    let _ = syncfs(&folder);
    evidence.free_after = Room::of(&folder).map_or(0, |r| r.free);
    Ok(Filled { ground: mounted.ground, evidence, strip: strip.runs(), stopped })
}

/// A lock on the root of the mounted file system, by which fillings of it know of each other; `None` where its file system knows no locks.
fn alone(mounted: &Mounted, folder: &OwnedFd) -> Result<Option<OwnedFd>, Errno> {
    let root = open(mounted.ground.mount.as_str(), OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC, Mode::empty());
    let root = root.ok().filter(|root| ground_of(root).is_ok_and(|m| m.mount == mounted.mount));
    let root = root.map_or_else(|| rustix::io::dup(folder), Ok)?;
    match rustix::fs::flock(&root, rustix::fs::FlockOperation::NonBlockingLockExclusive) {
        Ok(()) => Ok(Some(root)),
        Err(Errno::WOULDBLOCK) => Err(Errno::WOULDBLOCK),
        Err(_) => Ok(None),
    }
}

/// Removes what an earlier filling has left in that folder: plain files and the folder itself, nothing else. What could not be removed.
pub fn clean(folder: &Path) -> Vec<String> {
    let is_ours = folder.file_name().is_some_and(|n| n.to_string_lossy().starts_with(FOLDER));
    let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::NOFOLLOW | OFlags::CLOEXEC;
    let (Some(parent), Some(name), true) = (folder.parent(), folder.file_name(), is_ours) else {
        return vec![jurex_pattern::text::shown_path(folder)];
    };
    let opened = open(parent, OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC, Mode::empty());
    let Ok(parent) = opened else { return vec![] };
    match openat(&parent, name, flags, Mode::empty()) {
        Ok(inside) => clean_in(&parent, name, &inside),
        Err(Errno::NOENT) => vec![],
        Err(_) => vec![jurex_pattern::text::shown_path(folder)],
    }
}

fn clean_in(parent: &OwnedFd, name: &std::ffi::OsStr, inside: &OwnedFd) -> Vec<String> {
    let mut left = vec![];
    for entry in Dir::read_from(inside).into_iter().flatten().flatten() {
        let name = entry.file_name();
        if name != c"." && name != c".." && unlinkat(inside, name, AtFlags::empty()).is_err() {
            left.push(jurex_pattern::text::printable(name.to_bytes()));
        }
    }
    if unlinkat(parent, name, AtFlags::REMOVEDIR).is_err() {
        left.push(jurex_pattern::text::printable(name.as_encoded_bytes()));
    }
    left
}

/// What is free, in bytes.
#[derive(Clone, Copy)]
struct Room {
    /// For root.
    free: u64,
    /// For everybody.
    available: u64,
}

impl Room {
    fn of(fd: impl AsFd) -> Result<Self, Errno> {
        let space = fstatvfs(fd)?;
        let bytes = |blocks: u64| blocks.saturating_mul(space.f_frsize);
        Ok(Self { free: bytes(space.f_bfree), available: bytes(space.f_bavail) })
    }

    /// What root's own share adds to the reserve: where something is left to others, that stays too.
    fn kept_back(self, reserve: u64) -> u64 {
        if reserve == 0 { 0 } else { self.free.saturating_sub(self.available) }
    }

    fn free_for_me(self, reserve: u64) -> u64 {
        if reserve == 0 && rustix::process::geteuid().is_root() { self.free } else { self.available }
    }

    fn to_take(self, reserve: u64) -> u64 {
        self.free_for_me(reserve).saturating_sub(reserve)
    }
}

/// The end of a filling file, from which room is given back.
struct FillEnd {
    fd: OwnedFd,
    limit: Arc<AtomicU64>,
}

/// Tells how far it has come; sees that others keep their room, and gives way at once where they need it.
struct FillTeller<'f> {
    watcher: &'f mut dyn FillWatcher,
    folder: &'f OwnedFd,
    reserve: u64,
    block: u64,
    ends: Vec<FillEnd>,
    progress: FillProgress,
    stopped: bool,
}

impl FillTeller<'_> {
    fn tick(&mut self, bytes: u64) -> bool {
        self.progress.bytes = bytes;
        if let Ok(room) = Room::of(self.folder) {
            // A little less than the reserve is what the file system itself has used meanwhile.
            if room.available < self.reserve - self.reserve / 4 {
                self.progress.gave_way += self.give_back(self.reserve - room.available);
            }
            self.progress.free_now = room.available;
        }
        self.stopped |= !self.watcher.progress(&self.progress);
        !self.stopped
    }

    /// Gives so many bytes back, from the last file on; how many were.
    fn give_back(&self, wanted: u64) -> u64 {
        let mut wanted = wanted.next_multiple_of(self.block);
        let mut all = 0;
        for end in self.ends.iter().rev() {
            let limit = end.limit.load(Ordering::Relaxed);
            let given = wanted.min(limit);
            if given == 0 {
                continue;
            }
            // Nothing is laid beyond the limit any more; then the room is given.
            end.limit.store(limit - given, Ordering::Relaxed);
            let _ = ftruncate(&end.fd, limit - given);
            (all, wanted) = (all + given, wanted - given);
        }
        all
    }

    /// What was being laid while room was given back may have taken it again.
    fn cut(&self) {
        for end in &self.ends {
            let limit = end.limit.load(Ordering::Relaxed);
            if super::contents::length(&end.fd).is_ok_and(|l| l > limit) {
                let _ = ftruncate(&end.fd, limit);
            }
        }
    }
}

struct Filling<'f> {
    path: PathBuf,
    order: &'f FillOrder,
    teller: FillTeller<'f>,
    names: Names<'f>,
    /// The folder of files that have names, once there is one.
    named: Option<(OsString, OwnedFd)>,
    /// Whether files grew by writing the first pass, since they could not be had otherwise.
    grown: bool,
}

impl Filling<'_> {
    fn all(&mut self, mounted: &Mounted, evidence: &mut FreeEvidence, strip: &mut Strip) -> Result<(), String> {
        let mut files = self.take(&mounted.ground)?;
        let first = files.first().ok_or("no file could be made in its free space")?;
        if self.teller.stopped {
            return Ok(());
        }
        let pool = Pool::new();
        let devices = Devices::of(mounted, &first.fd);
        let (passes, ground) = (&self.order.passes, &mounted.ground);
        let contents = FileContents { pool: &pool, passes, ground, devices: &devices, salt: &[0; 16] };
        measure(&contents, &mut files)?;
        self.lay(&contents, &mut files);
        self.teller.cut();
        sum_up(&files, &mut evidence.fill);
        if let Some(why) = files.iter().find_map(|h| h.evidence.fault.clone()) {
            return Err(why);
        }
        if !self.teller.stopped {
            self.teller.progress.phase = FillPhase::Entries;
            self.fill_entries(ground);
        }
        if self.teller.stopped {
            return Ok(());
        }
        evidence.fill.small = self.teller.progress.entries;
        let _ = syncfs(self.teller.folder);
        measure(&contents, &mut files)?;
        files.iter_mut().for_each(|h| h.trace.lies = h.now.clone());
        self.teller.progress.phase = FillPhase::Looking;
        contents.look(&mut files, &mut |bytes| self.teller.tick(bytes));
        // What was given back meanwhile is no more of it.
        evidence.fill.laid = files.iter().map(|h| h.now.before.mapped).sum();
        evidence.fill.gave_way = self.teller.progress.gave_way;
        evidence.proof = proof(self.teller.folder, mounted, &files, strip);
        Ok(())
    }

    /// Takes free space until only the reserve is left.
    fn take(&mut self, ground: &StorageStack) -> Result<Vec<OpenFile>, String> {
        let mut files: Vec<OpenFile> = vec![];
        let mut step = STEP;
        loop {
            let room = Room::of(self.teller.folder).map_err(|e| format!("what is free can't be told: {e}"))?;
            self.teller.progress.free_now = room.available;
            if !self.teller.watcher.progress(&self.teller.progress) {
                self.teller.stopped = true;
                return Ok(files);
            }
            let wanted = room.to_take(self.order.reserve).min(step) / ground.block * ground.block;
            if wanted == 0 {
                break;
            }
            if files.last().is_none_or(|h| h.trace.length + wanted > LARGEST_FILE) {
                let base = files.len() as u64 * LARGEST_FILE.next_multiple_of(1 << 20);
                files.push(self.new_file(base).map_err(|e| format!("no file can be made in its free space: {e}"))?);
            }
            let Some(last) = files.last_mut() else { break };
            match self.grow(last, wanted) {
                Ok(()) => {}
                // Smaller and smaller, for the tails; then it is full.
                Err(Errno::NOSPC | Errno::DQUOT) if step > ground.block => step = (wanted / 2).max(ground.block),
                Err(Errno::NOSPC | Errno::DQUOT) => break,
                Err(e) => return Err(format!("its free space can't be taken: {e}")),
            }
        }
        for (end, held) in self.teller.ends.iter().zip(&files) {
            end.limit.store(held.trace.length, Ordering::Relaxed);
        }
        Ok(files)
    }

    /// A file that has no name, or one in a folder that is noted where that can't be.
    fn new_file(&mut self, base: u64) -> Result<OpenFile, Errno> {
        let mode = Mode::RUSR | Mode::WUSR;
        let flags = OFlags::RDWR | OFlags::CLOEXEC;
        let fd = match openat(self.teller.folder, ".", flags | OFlags::TMPFILE, mode) {
            Ok(fd) => fd,
            Err(_) => {
                let name = self.names.draw(8);
                let inside = self.named_folder()?;
                openat(inside, name.as_str(), flags | OFlags::CREATE | OFlags::EXCL, mode)?
            }
        };
        // So that passes are laid over one another where files are copied on write otherwise.
        if let Ok(flags) = ioctl_getflags(&fd) {
            let _ = ioctl_setflags(&fd, flags | IFlags::NOCOW);
        }
        let direct = fcntl_getfl(&fd).and_then(|flags| fcntl_setfl(&fd, flags | OFlags::DIRECT)).is_ok();
        let limit = Arc::new(AtomicU64::new(u64::MAX));
        self.teller.ends.push(FillEnd { fd: rustix::io::dup(&fd)?, limit: limit.clone() });
        Ok(OpenFile::of_filling(fd, direct, base, limit))
    }

    fn named_folder(&mut self) -> Result<&OwnedFd, Errno> {
        if self.named.is_none() {
            let name = format!("{FOLDER}{}", self.names.draw(8));
            let noted = self.teller.watcher.takes(&self.path.join(&name));
            noted.map_err(|e| Errno::from_io_error(&e).unwrap_or(Errno::IO))?;
            mkdirat(self.teller.folder, name.as_str(), Mode::RWXU)?;
            let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::NOFOLLOW | OFlags::CLOEXEC;
            let inside = openat(self.teller.folder, name.as_str(), flags, Mode::empty())?;
            self.named = Some((name.into(), inside));
        }
        self.named.as_ref().map(|(_, inside)| inside).ok_or(Errno::NOENT)
    }

    /// Makes a file so many bytes longer: without writing where the file system has a call for that, else by the first pass.
    fn grow(&mut self, held: &mut OpenFile, bytes: u64) -> Result<(), Errno> {
        let Some(pass) = self.order.passes.first() else { return Err(Errno::INVAL) };
        let at = held.trace.length;
        if !self.grown {
            match fallocate(&held.fd, FallocateFlags::empty(), at, bytes) {
                Ok(()) => {
                    held.trace.length += bytes;
                    return Ok(());
                }
                Err(Errno::OPNOTSUPP | Errno::NOSYS | Errno::INVAL) => self.grown = true,
                Err(e) => return Err(e),
            }
        }
        let mut buffer = PatternBuffer::new(1 << 20);
        while held.trace.length < at + bytes {
            let here = (at + bytes - held.trace.length).min(1 << 20) as usize;
            let laid = buffer.get(&pass.pattern, held.base + held.trace.length, UNIT, here);
            match pwrite(&held.fd, laid, held.trace.length) {
                // What falls short of a sector is written again with the next step.
                Ok(n) if n >= UNIT as usize => held.trace.length += (n - n % UNIT as usize) as u64,
                Ok(_) => return Err(Errno::NOSPC),
                Err(Errno::INTR) => {}
                Err(e) => return Err(e),
            }
        }
        fdatasync(&held.fd)?;
        if !held.direct {
            let _ = fadvise(&held.fd, 0, None, Advice::DontNeed);
        }
        Ok(())
    }

    fn lay(&mut self, contents: &FileContents<'_>, files: &mut [OpenFile]) {
        let passes = contents.passes;
        let mapped: u64 = files.iter().map(|h| h.now.before.mapped).sum();
        let between = passes.iter().rev().skip(1).filter(|p| p.read_back).count();
        let rounds = passes.len() + between + 2 - usize::from(self.grown);
        self.teller.progress.of_bytes = mapped.saturating_mul(rounds as u64);
        self.teller.progress.phase = FillPhase::Laying;
        let mut tick = |bytes: u64| self.teller.tick(bytes);
        if !self.grown {
            return contents.lay_from(0, files, &mut tick);
        }
        files.iter_mut().for_each(|h| h.evidence.passes = 1);
        if let Some(first) = passes.first().filter(|p| passes.len() == 1 || p.read_back) {
            contents.read_back(files, &first.pattern, passes.len() == 1, &mut tick);
        }
        contents.lay_from(1, files, &mut tick);
    }

    /// Makes small files until few entries of the table of files are left: each takes the place of one that was used before.
    fn fill_entries(&mut self, ground: &StorageStack) {
        let entries = fstatvfs(self.teller.folder).map_or(0, |s| s.f_favail);
        let wanted = match ground.system() {
            FileSystemFamily::Ext => entries.saturating_sub(ENTRIES_LEFT.max(entries / 100)),
            FileSystemFamily::Xfs | FileSystemFamily::F2fs => entries.min(SOME),
            _ => 0,
        };
        let (flags, mode) = (OFlags::WRONLY | OFlags::CREATE | OFlags::EXCL | OFlags::CLOEXEC, Mode::RUSR | Mode::WUSR);
        let done = self.teller.progress.bytes;
        if wanted > 0 && self.order.reserve == 0 {
            // Where nothing was left free, the folder that holds them gets back what it needs of what was laid.
            self.teller.give_back(wanted.saturating_mul(24) + (256 << 10));
            let _ = syncfs(self.teller.folder);
        }
        for n in 0..wanted {
            if n % 4096 == 0 && !self.teller.tick(done) {
                return;
            }
            let Ok(inside) = self.named_folder() else { return };
            if openat(inside, format!("{n:x}"), flags, mode).is_err() {
                return;
            }
            self.teller.progress.entries += 1;
        }
    }

    /// Removes everything that has a name; what has none goes with its descriptor.
    fn give_back(self, evidence: &mut FreeEvidence) {
        // Some file systems keep a file under another name for as long as somebody has it open.
        let FillTeller { ends, folder, .. } = self.teller;
        drop(ends);
        if let Some((name, inside)) = &self.named {
            evidence.left_behind = clean_in(folder, name, inside);
        }
    }
}

fn measure(contents: &FileContents<'_>, files: &mut [OpenFile]) -> Result<(), String> {
    for held in files {
        let length = held.trace.length.min(held.limit.load(Ordering::Relaxed));
        held.now = lies(&held.fd, length, contents.ground.block, contents.ground.system())
            .map_err(|e| format!("where the filling lies can't be told: {e}"))?;
    }
    Ok(())
}

fn sum_up(files: &[OpenFile], fill: &mut Fill) {
    fill.files = files.len() as u32;
    fill.passes = files.iter().map(|h| h.evidence.passes).min().unwrap_or(0);
    fill.past_caches = files.iter().all(|h| h.direct);
    for of in files.iter().map(|h| h.evidence.read_back) {
        fill.read_back.right += of.right;
        fill.read_back.wrong += of.wrong;
        fill.read_back.unreadable += of.unreadable;
    }
}

/// What lies on the device in all that is free once the filling is gone: what the filling holds, and what is free beside it.
fn proof(folder: &OwnedFd, mounted: &Mounted, files: &[OpenFile], strip: &mut Strip) -> FreeProof {
    let (mut of, mut pattern, mut unreadable) = (0, 0, 0);
    for held in files {
        let right = match held.evidence.look {
            OldPlaces::NotRead { why } => return FreeProof::NotRead { why },
            OldPlaces::Read { of: here, pattern: right, unreadable: lost, .. } => {
                (of, pattern, unreadable) = (of + here, pattern + right, unreadable + lost);
                right == here
            }
        };
        for stretch in &held.trace.lies.stretches {
            strip.show(stretch.place.unwrap_or(u64::MAX), stretch.bytes, if right { ShownPart::Proved } else { ShownPart::Laid });
        }
    }
    let Ok(beside) = free(folder, mounted) else { return FreeProof::NotRead { why: WhyNotRead::NoPlaces } };
    beside.stretches.iter().for_each(|(at, bytes)| strip.show(*at, *bytes, ShownPart::NotReached));
    let (by, unreached) = (beside.by.into(), beside.bytes);
    FreeProof::Read { by, placed: beside.placed, free: of + unreached, pattern, unreached, unreadable }
}
