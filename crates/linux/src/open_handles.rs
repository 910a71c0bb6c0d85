//! Who has a device or file open, though not for themselves alone: a virtual machine on a raw disk, a database, a copy
//! under way, a library that runs. What lies in a map counts as what is open: its descriptor may be closed. Without rights, and in a
//! container of its own, not every program is seen ([`Openers::blind_to`]). A descriptor that is under way in a socket is in no
//! program's table: of a file the kernel tells it ([`crate::ioctl::is_open_elsewhere`]), of a device nothing does.

use crate::object::KernelObject;
use rustix::fs::{FileType, makedev, stat};
use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::OnceLock;
use std::time::Duration;

/// Programs by what they hold open. Looked up when it is first asked for.
pub(crate) struct Openers {
    proc: std::path::PathBuf,
    found: OnceLock<BTreeMap<KernelObject, Vec<(u32, String)>>>,
    blind_to: OnceLock<Option<String>>,
}

/// Programs that look at a new device for a moment (udev, blkid) are not a use of it.
const MOMENT: Duration = Duration::from_millis(60);

impl Openers {
    pub(crate) fn read(proc: &Path) -> Self {
        Self { proc: proc.into(), found: OnceLock::new(), blind_to: OnceLock::new() }
    }

    /// Whose open files can't be seen from here, as a sentence; `None`: every program's can.
    pub(crate) fn blind_to(&self) -> Option<String> {
        // Every process is gone through for it, and each drive of a list has the same answer.
        self.blind_to.get_or_init(|| self.look_for_hidden()).clone()
    }

    fn look_for_hidden(&self) -> Option<String> {
        // The number that the kernel gives the first namespace of processes (PROC_PID_INIT_INO).
        const FIRST: &str = "pid:[4026531836]";
        let own = fs::read_link(self.proc.join("self/ns/pid")).map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
        if own != FIRST {
            return Some("Jurex runs in a container: programs outside it that have the drive open can't be seen.".into());
        }
        let hidden =
            processes(&self.proc).filter(|(_, dir)| fs::read_dir(dir.join("fd")).is_err_and(|e| is_kept_from(&e))).count();
        (hidden > 0).then(|| format!("What {hidden} programs of other users have open can't be seen without being root."))
    }

    /// The programs that had it open when this was first asked of anything; `None` if none had.
    pub(crate) fn now(&self, object: KernelObject) -> Option<String> {
        let found = self.found.get_or_init(|| all(&self.proc)).get(&object)?;
        Some(found.iter().map(|(pid, name)| format!("{name} ({pid})")).collect::<Vec<_>>().join(", "))
    }

    /// The programs that have it open, by name and number; `None` if none has.
    pub(crate) fn of(&self, object: KernelObject) -> Option<String> {
        let found = self.found.get_or_init(|| all(&self.proc));
        let first = found.get(&object)?;
        std::thread::sleep(MOMENT);
        let still: Vec<String> = first
            .iter()
            .filter(|(pid, _)| files_of(&self.proc.join(pid.to_string())).contains(&object))
            .map(|(pid, name)| format!("{name} ({pid})"))
            .collect();
        (!still.is_empty()).then(|| still.join(", "))
    }
}

/// How many descriptors of this very program are open to the same file.
pub(crate) fn own_descriptors(opened: impl std::os::fd::AsFd) -> usize {
    let Some(object) = KernelObject::of(opened) else { return 0 };
    let own = fs::read_dir("/proc/self/fd").into_iter().flatten().flatten();
    own.filter(|entry| storage_at(&entry.path()) == Some(object)).count()
}

fn is_kept_from(error: &std::io::Error) -> bool {
    error.kind() == std::io::ErrorKind::PermissionDenied
}

/// Every process but this one, with its folder.
fn processes(proc: &Path) -> impl Iterator<Item = (u32, PathBuf)> {
    let own = std::process::id();
    let number = move |entry: fs::DirEntry| {
        let pid = entry.file_name().to_str()?.parse::<u32>().ok()?;
        (pid != own).then(|| (pid, entry.path()))
    };
    fs::read_dir(proc).into_iter().flatten().flatten().filter_map(number)
}

fn all(proc: &Path) -> BTreeMap<KernelObject, Vec<(u32, String)>> {
    let mut found: BTreeMap<KernelObject, Vec<(u32, String)>> = BTreeMap::new();
    for (pid, process) in processes(proc) {
        let mut files = files_of(&process);
        if files.is_empty() {
            continue;
        }
        files.sort();
        files.dedup();
        let name = crate::sysfs::text(&process, "comm").unwrap_or_else(|| "a program".into());
        files.into_iter().for_each(|file| found.entry(file).or_default().push((pid, name.clone())));
    }
    found
}

/// Block devices and regular files that a process has open or in a map.
fn files_of(process: &Path) -> Vec<KernelObject> {
    let opened = fs::read_dir(process.join("fd")).into_iter().flatten().flatten().filter_map(|entry| storage_at(&entry.path()));
    opened.chain(mapped_by(process)).collect()
}

fn storage_at(path: &Path) -> Option<KernelObject> {
    let status = stat(path).ok()?;
    let kind = FileType::from_raw_mode(status.st_mode);
    matches!(kind, FileType::BlockDevice | FileType::RegularFile).then(|| KernelObject::by(&status))
}

/// What a process has in its maps. Lines are like `7f00aa000000-7f00aa001000 rw-s 00000000 00:06 412   /dev/sdb`.
fn mapped_by(process: &Path) -> Vec<KernelObject> {
    let table = fs::read(process.join("maps")).unwrap_or_default();
    let table = String::from_utf8_lossy(&table);
    let mut seen = BTreeSet::new();
    let object = |line: &str| {
        let mut fields = line.split_ascii_whitespace();
        let (range, device, inode) = (fields.next()?, fields.nth(2)?, fields.next()?);
        if inode == "0" || !seen.insert((device.to_string(), inode.to_string())) {
            return None;
        }
        // What is mapped is asked by its map, and not by its name; that needs rights. Without them the line itself tells of files.
        let (from, to) = range.split_once('-')?;
        let bare = |address: &str| address.trim_start_matches('0').to_string();
        let by_map = process.join("map_files").join(format!("{}-{}", bare(from), bare(to)));
        storage_at(&by_map).or_else(|| {
            let (major, minor) = device.split_once(':')?;
            let number = makedev(u32::from_str_radix(major, 16).ok()?, u32::from_str_radix(minor, 16).ok()?);
            Some(KernelObject::File(number, inode.parse().ok()?))
        })
    };
    table.lines().filter_map(object).collect()
}
