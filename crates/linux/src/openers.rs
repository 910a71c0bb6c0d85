//! Who has a device or file open, though not for themselves alone: a virtual machine on a raw disk, a database, a copy
//! under way. Without rights only this user's own programs are seen.

use crate::object::Object;
use rustix::fs::FileType;
use rustix::fs::stat;
use std::collections::BTreeMap;
use std::fs;
use std::path::Path;
use std::sync::OnceLock;
use std::time::Duration;

/// Programs by what they hold open. Looked up when it is first asked for.
pub(crate) struct Openers {
    proc: std::path::PathBuf,
    found: OnceLock<BTreeMap<Object, Vec<(u32, String)>>>,
}

/// Programs that look at a new device for a moment (udev, blkid) are not a use of it.
const MOMENT: Duration = Duration::from_millis(60);

impl Openers {
    pub(crate) fn read(proc: &Path) -> Self {
        Self { proc: proc.into(), found: OnceLock::new() }
    }

    /// The programs that had it open when this was first asked of anything; `None` if none had.
    pub(crate) fn now(&self, object: Object) -> Option<String> {
        let found = self.found.get_or_init(|| all(&self.proc)).get(&object)?;
        Some(found.iter().map(|(pid, name)| format!("{name} ({pid})")).collect::<Vec<_>>().join(", "))
    }

    /// The programs that have it open, by name and number; `None` if none has.
    pub(crate) fn of(&self, object: Object) -> Option<String> {
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

fn all(proc: &Path) -> BTreeMap<Object, Vec<(u32, String)>> {
    let mut found: BTreeMap<Object, Vec<(u32, String)>> = BTreeMap::new();
    let own = std::process::id();
    for process in fs::read_dir(proc).into_iter().flatten().flatten() {
        let Some(pid) = process.file_name().to_str().and_then(|n| n.parse::<u32>().ok()).filter(|pid| *pid != own) else {
            continue;
        };
        let mut files = files_of(&process.path());
        if files.is_empty() {
            continue;
        }
        files.sort();
        files.dedup();
        let name = crate::sysfs::text(&process.path(), "comm").unwrap_or_else(|| "a program".into());
        files.into_iter().for_each(|file| found.entry(file).or_default().push((pid, name.clone())));
    }
    found
}

/// Block devices and regular files that a process has open.
fn files_of(process: &Path) -> Vec<Object> {
    let object = |entry: fs::DirEntry| {
        let status = stat(entry.path()).ok()?;
        match FileType::from_raw_mode(status.st_mode) {
            FileType::BlockDevice => Some(Object::Device(status.st_rdev)),
            FileType::RegularFile => Some(Object::File(status.st_dev, status.st_ino)),
            _ => None,
        }
    };
    fs::read_dir(process.join("fd")).into_iter().flatten().flatten().filter_map(object).collect()
}
