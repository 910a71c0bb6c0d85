//! Whether what stands at `/sys` and `/proc` is the kernel's own view of this machine. Whoever has mounted something over it, or over a
//! part of it, makes the guard blind: then nobody knows what is in use, and nothing is erased.

use crate::system::System;
use rustix::fs::statfs;
use rustix::io::Errno;
use std::fs;
use std::path::{Path, PathBuf};

/// What `statfs` calls the kernel's file systems (`linux/magic.h`).
pub(crate) const SYSFS: i64 = 0x6265_6572;
/// The same.
pub(crate) const PROC: i64 = 0x9fa0;

/// Below `/sys`, what the guard asks: block devices by their names and numbers, and members of a Btrfs.
const ASKED: [&str; 6] = ["block", "dev", "class/block", "fs/btrfs", "bus", "devices"];
/// What containers and their tools cover, and the guard does not ask.
const NOT_ASKED: [&str; 3] = ["devices/system", "devices/virtual/powercap", "devices/virtual/dmi"];

/// What is not the kernel's own view, each as a reason. A tree that a test has made is taken as it is.
pub(crate) fn not_believed(system: &System) -> Vec<String> {
    if !system.is_kernels_own {
        return vec![];
    }
    let sys = [system.sys.clone(), system.sys.join("block"), system.sys.join("dev/block")].map(|path| (path, SYSFS, "sysfs"));
    let proc = [system.proc.clone(), system.proc.join("self/mountinfo")].map(|path| (path, PROC, "procfs"));
    sys.into_iter().chain(proc).filter_map(|(path, kind, called)| wrong(&path, kind, called)).collect()
}

fn wrong(path: &Path, kind: i64, called: &str) -> Option<String> {
    match statfs(path) {
        Ok(found) if found.f_type != kind => Some(format!("{} is not the kernel's {called}", path.display())),
        // No block device of any kind is there: then none is to be guarded.
        Err(Errno::NOENT) if path.ends_with("dev/block") => None,
        Err(e) => Some(format!("{}: {e}", path.display())),
        Ok(_) if path.is_dir() => fs::read_dir(path).err().map(|e| format!("{}: {e}", path.display())),
        Ok(_) => None,
    }
}

/// Whether the view of processes shows the kernel's own tables too: one that shows processes alone (`subset=pid`) has no table of swaps.
pub(crate) fn shows_the_kernel(system: &System) -> bool {
    !system.is_kernels_own || system.proc.join("version").exists()
}

/// Mounts that cover a part of what the guard asks, each as a reason.
pub(crate) fn covered(system: &System, mount_points: impl Iterator<Item = PathBuf>) -> Vec<String> {
    let covers = |point: &PathBuf| {
        if let Ok(below) = point.strip_prefix(&system.sys) {
            let asked =
                ASKED.iter().any(|asked| below.starts_with(asked) || below == Path::new("class") || below == Path::new("fs"));
            return below != Path::new("") && asked && !NOT_ASKED.iter().any(|spared| below.starts_with(spared));
        }
        let Ok(below) = point.strip_prefix(&system.proc) else { return false };
        let Some(first) = below.iter().next().and_then(|part| part.to_str()) else { return false };
        matches!(first, "self" | "thread-self" | "swaps" | "mounts" | "devices") || first.chars().all(|c| c.is_ascii_digit())
    };
    let said = |point: PathBuf| format!("something is mounted over {}", jurex_pattern::text::shown_path(&point));
    mount_points.filter(covers).map(said).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_covers_a_part_that_is_asked_is_told_and_what_containers_cover_is_not() {
        let told = |point: &str| !covered(&System::default(), std::iter::once(PathBuf::from(point))).is_empty();
        let asked =
            ["/sys/block", "/sys/devices", "/sys/devices/virtual/block", "/sys/dev", "/sys/fs/btrfs", "/proc/swaps", "/proc/1"];
        assert!(asked.into_iter().all(told));
        let others =
            ["/sys", "/proc", "/sys/fs/cgroup", "/sys/kernel/debug", "/sys/firmware", "/sys/devices/system/cpu", "/mnt/sys"];
        assert!(!others.into_iter().any(told), "what stands at /sys and /proc themselves is asked what it is");
        assert!(!["/proc/sys/fs/binfmt_misc", "/proc/acpi", "/proc/kcore"].into_iter().any(told));
    }

    #[test]
    fn what_is_no_sysfs_is_not_believed() {
        let dir = tempfile::tempdir().unwrap();
        let here = System { sys: dir.path().into(), ..System::default() };
        assert!(not_believed(&here)[0].ends_with("is not the kernel's sysfs"), "{:?}", not_believed(&here));
        assert_eq!(not_believed(&System::default()), Vec::<String>::new());
    }
}
