//! What a folder lies on: its mount, and the layers beneath it down to the drives.

use crate::ioctl::{btrfs_device, mapped_kinds, xfs_shares};
use crate::object::KernelObject;
use crate::sysfs::{entries, name, number, text};
use jurex_file_erase::{EXTERNAL_JOURNAL, StackLayer, StorageStack};
use jurex_pattern::text::printable;
use rustix::fs::{AtFlags, Mode, OFlags, StatxFlags, fstatvfs, major, makedev, minor, open, statx};
use rustix::io::Errno;
use std::fs;
use std::os::fd::{AsFd, OwnedFd};
use std::path::{Path, PathBuf};

/// Layers over layers are followed so far.
const DEEPEST: u32 = 8;

/// A mount, as files are told apart by.
#[derive(Clone, Debug)]
pub(crate) struct Mounted {
    pub(crate) mount: u64,
    pub(crate) ground: StorageStack,
    /// The block device that the file system calls its own.
    pub(crate) device: Option<u64>,
}

/// A line of the table of mounts.
struct MountLine {
    number: u64,
    point: String,
    options: String,
    kind: String,
    source: String,
    of_system: String,
}

/// The mount that something open lies on.
///
/// # Errors
/// It can't be told.
pub(crate) fn ground_of(fd: impl AsFd) -> Result<Mounted, Errno> {
    at_depth(fd, DEEPEST)
}

fn at_depth(fd: impl AsFd, deepest: u32) -> Result<Mounted, Errno> {
    let told = statx(&fd, "", AtFlags::EMPTY_PATH, StatxFlags::MNT_ID | StatxFlags::BASIC_STATS)?;
    let table = fs::read("/proc/self/mountinfo").map_err(|e| Errno::from_io_error(&e).unwrap_or(Errno::IO))?;
    let table = String::from_utf8_lossy(&table);
    let line = table.lines().filter_map(mount_line).find(|l| l.number == told.stx_mnt_id).ok_or(Errno::NOENT)?;
    let space = fstatvfs(&fd)?;
    let device = own_device(&fd, makedev(told.stx_dev_major, told.stx_dev_minor), &line);
    let dir = device.and_then(sysfs_dir);
    let holds = if line.kind == "fuseblk" { device.and_then(what_it_holds).unwrap_or_default() } else { String::new() };
    let ground = StorageStack {
        holds,
        mount: line.point.clone(),
        source: printable(line.source.as_bytes()),
        options: options(&line, dir.as_deref()),
        block: space.f_bsize.max(512),
        bytes: space.f_blocks.saturating_mul(space.f_frsize.max(1)),
        shares: if line.kind == "xfs" { xfs_shares(&fd).ok() } else { None },
        layers: match (dir, device) {
            (Some(dir), _) => layers(&dir, deepest),
            (None, Some(device)) => {
                let device = format!("{}:{}", major(device), minor(device));
                vec![StackLayer::Other { device, kind: "a kind that the system does not tell".into() }]
            }
            (None, None) => vec![],
        },
        kind: printable(line.kind.as_bytes()),
    };
    Ok(Mounted { mount: line.number, ground, device })
}

/// Every mounted file system that keeps files somewhere, each once, by where it is mounted.
pub fn mounted() -> Vec<StorageStack> {
    let table = fs::read("/proc/self/mountinfo").unwrap_or_default();
    let table = String::from_utf8_lossy(&table);
    let mut found: Vec<StorageStack> = vec![];
    for line in table.lines().filter_map(mount_line) {
        let kept = line.source.starts_with('/')
            || line.point == "/"
            || ["nfs", "nfs4", "cifs", "smb3", "zfs"].contains(&line.kind.as_str());
        // A file that is mounted over another one is no place to look into.
        let known = found.iter().any(|g| g.source == line.source && line.source.starts_with("/dev/") || g.mount == line.point);
        if !kept || known || !Path::new(&line.point).is_dir() {
            continue;
        }
        let opened = open(line.point.as_str(), OFlags::PATH | OFlags::DIRECTORY | OFlags::CLOEXEC, Mode::empty());
        found.extend(opened.ok().and_then(|fd| ground_of(&fd).ok()).map(|m| m.ground));
    }
    found
}

/// `36 35 98:0 /mnt1 /mnt2 rw,noatime master:1 - ext3 /dev/root rw,errors=continue`
fn mount_line(line: &str) -> Option<MountLine> {
    let (before, after) = line.split_once(" - ")?;
    let mut of_mount = before.split(' ');
    let mut of_system = after.split(' ');
    Some(MountLine {
        number: of_mount.next()?.parse().ok()?,
        point: printable(crate::guard::unescape(of_mount.nth(3)?).as_bytes()),
        options: of_mount.next()?.into(),
        kind: of_system.next()?.into(),
        source: crate::guard::unescape(of_system.next()?),
        of_system: of_system.next().unwrap_or_default().into(),
    })
}

/// Options of mount and file system together. The table leaves out what an ext4 has by its own superblock, its way of journalling among it: that
/// is told elsewhere.
fn options(line: &MountLine, dir: Option<&Path>) -> Vec<String> {
    let mut options: Vec<String> = vec![];
    let ext4 = dir.filter(|_| line.kind.starts_with("ext")).map(|dir| Path::new("/proc/fs/ext4").join(name(dir)).join("options"));
    let ext4 = ext4.and_then(|file| fs::read_to_string(file).ok()).unwrap_or_default();
    let own = ext4.lines().filter(|l| l.starts_with("data="));
    let journal = dir.filter(|dir| line.kind.starts_with("ext") && has_external_journal(dir)).map(|_| EXTERNAL_JOURNAL);
    let own = own.chain(journal);
    for option in line.options.split(',').chain(line.of_system.split(',')).chain(own) {
        let option = printable(option.as_bytes());
        if !option.is_empty() && !options.contains(&option) {
            options.push(option);
        }
    }
    options
}

/// Whether the superblock of an ext3 or ext4 says that its journal lies on another device. Without the right to read it nothing is proved there
/// anyway.
fn has_external_journal(dir: &Path) -> bool {
    use std::os::unix::fs::FileExt;
    let mut superblock = [0u8; 1024];
    let device = crate::guard::device_number(dir).and_then(node_of).and_then(|node| fs::File::open(node).ok());
    if device.is_none_or(|device| device.read_exact_at(&mut superblock, 1024).is_err()) {
        return false;
    }
    let word = |at: usize| u32::from_le_bytes(superblock[at..at + 4].try_into().unwrap_or_default());
    // s_magic, the feature has_journal in s_feature_compat, and s_journal_inum, which is 0 where the journal is no file of its own.
    u16::from_le_bytes([superblock[56], superblock[57]]) == 0xef53 && word(0x5c) & 4 != 0 && word(0xe0) == 0
}

/// The block device of a file system: that of its files, or where it has several or gives files a number of its own, the one that it names.
fn own_device(fd: impl AsFd, of_files: u64, line: &MountLine) -> Option<u64> {
    if major(of_files) != 0 {
        return Some(of_files);
    }
    // Of others the source is only a name, which whoever mounts them chooses: an overlay may be called like a device.
    if line.kind != "btrfs" {
        return None;
    }
    let path = btrfs_device(&fd, 1).ok().map(|p| String::from_utf8_lossy(&p).into_owned()).unwrap_or_else(|| line.source.clone());
    number_of_node(Path::new(Some(path).filter(|p| p.starts_with('/'))?.as_str()))
}

/// The number of the block device at that path.
fn number_of_node(path: &Path) -> Option<u64> {
    match KernelObject::at(path)? {
        KernelObject::Device(number) => Some(number),
        KernelObject::File(..) => None,
    }
}

fn sysfs_dir(device: u64) -> Option<PathBuf> {
    fs::canonicalize(format!("/sys/dev/block/{}:{}", major(device), minor(device))).ok()
}

/// The path of a block device's node, once it is seen that the node is of that number.
pub(crate) fn node_of(device: u64) -> Option<PathBuf> {
    let uevent = fs::read_to_string(sysfs_dir(device)?.join("uevent")).ok()?;
    let name = uevent.lines().find_map(|line| line.strip_prefix("DEVNAME="))?;
    let path = Path::new("/dev").join(name);
    (number_of_node(&path) == Some(device)).then_some(path)
}

/// What the first bytes of a device say that it holds.
fn what_it_holds(device: u64) -> Option<String> {
    use std::io::Read;
    let mut first = [0u8; 512];
    fs::File::open(node_of(device)?).ok()?.read_exact(&mut first).ok()?;
    let at = |from: usize, what: &[u8]| first[from..].starts_with(what);
    let kinds: [(usize, &[u8], &str); 4] =
        [(3, b"NTFS    ", "ntfs"), (3, b"EXFAT   ", "exfat"), (82, b"FAT32   ", "vfat"), (54, b"FAT", "vfat")];
    kinds.into_iter().find(|(from, what, _)| at(*from, what)).map(|(.., kind)| kind.into())
}

/// The layers from a device's sysfs folder down.
fn layers(dir: &Path, deepest: u32) -> Vec<StackLayer> {
    let Some(deeper) = deepest.checked_sub(1) else { return vec![] };
    if dir.join("partition").exists() {
        return dir.parent().map(|whole| layers(whole, deeper)).unwrap_or_default();
    }
    let device = format!("/dev/{}", name(dir).replace('!', "/"));
    let mut found = of_device(dir, &device, deeper);
    for beneath in entries(&dir.join("slaves")) {
        if let Ok(real) = fs::canonicalize(&beneath) {
            found.extend(layers(&real, deeper));
        }
    }
    found.dedup();
    found
}

fn of_device(dir: &Path, device: &str, deepest: u32) -> Vec<StackLayer> {
    let device = || device.to_string();
    if dir.join("dm").is_dir() {
        let called = text(&dir.join("dm"), "name").map_or_else(device, |n| format!("/dev/mapper/{n}"));
        return kinds_of_mapped(dir).into_iter().filter_map(|kind| of_kind(&kind, &called)).collect();
    }
    if dir.join("md").is_dir() {
        return vec![StackLayer::Raid { device: device(), level: text(&dir.join("md"), "level").unwrap_or_default() }];
    }
    if dir.join("bcache").is_dir() {
        return vec![StackLayer::Cache { device: device() }];
    }
    if dir.join("loop").is_dir() {
        return of_loop(dir, device(), deepest);
    }
    if crate::discover::is_hosted(dir) {
        return vec![StackLayer::Hosted { device: device() }];
    }
    if !dir.join("device").exists() {
        return vec![StackLayer::Other { device: device(), kind: "a device that is no drive".into() }];
    }
    vec![StackLayer::Drive { device: device(), turns: number(&dir.join("queue"), "rotational").map(|n| n == 1) }]
}

/// What a loop device lies on, by the kernel's own word and not by the name that the file had when it was attached: another file may have that
/// name by now.
fn of_loop(dir: &Path, device: String, deepest: u32) -> Vec<StackLayer> {
    let backing = crate::ioctl::loop_backing(&device);
    if let Some(KernelObject::Device(number)) = backing {
        return sysfs_dir(number)
            .map_or_else(|| vec![StackLayer::Image { device, on: None }], |beneath| layers(&beneath, deepest));
    }
    let open_backing = || -> Option<OwnedFd> {
        let named = fs::read_to_string(dir.join("loop/backing_file")).ok()?;
        let opened = open(named.trim_end_matches('\n'), OFlags::PATH | OFlags::CLOEXEC, Mode::empty()).ok()?;
        (backing.is_some() && KernelObject::of(&opened) == backing).then_some(opened)
    };
    let beneath = |fd: OwnedFd| at_depth(&fd, deepest).ok().map(|m| Box::new(m.ground));
    vec![StackLayer::Image { device, on: open_backing().and_then(beneath) }]
}

/// The kinds of a mapped device's targets; without rights, what its name for other programs tells.
fn kinds_of_mapped(dir: &Path) -> Vec<String> {
    let control = open("/dev/mapper/control", OFlags::RDWR | OFlags::CLOEXEC, Mode::empty());
    if let (Ok(control), Some(device)) = (control, crate::guard::device_number(dir))
        && let Ok(mut kinds) = mapped_kinds(&control, device)
    {
        kinds.sort();
        kinds.dedup();
        return kinds;
    }
    let uuid = text(&dir.join("dm"), "uuid").unwrap_or_default();
    let ends = |end: &str| uuid.ends_with(end);
    let beneath: Vec<String> =
        entries(&dir.join("slaves")).iter().filter_map(|slave| text(&fs::canonicalize(slave).ok()?.join("dm"), "uuid")).collect();
    let kind = match () {
        () if uuid.starts_with("CRYPT-") => "crypt",
        () if beneath.iter().any(|b| b.ends_with("-cow")) => "snapshot",
        () if beneath.iter().any(|b| b.ends_with("-real")) => "snapshot-origin",
        () if ends("-tpool") || beneath.iter().any(|b| b.ends_with("-tpool")) => "thin",
        () if uuid.starts_with("LVM-") => "linear",
        () => "a kind that only root can see",
    };
    vec![kind.into()]
}

fn of_kind(kind: &str, device: &str) -> Option<StackLayer> {
    let device = device.to_string();
    Some(match kind {
        "linear" | "striped" | "multipath" | "delay" | "flakey" => return None,
        "crypt" | "default-key" => StackLayer::Encrypted { device },
        "snapshot-origin" => StackLayer::SnapshotOrigin { device },
        "snapshot" => StackLayer::Snapshot { device },
        "thin" | "thin-pool" => StackLayer::Thin { device },
        "raid" | "mirror" => StackLayer::Raid { device, level: kind.into() },
        "cache" | "writecache" | "ebs" => StackLayer::Cache { device },
        "vdo" => StackLayer::Deduplicated { device },
        other => StackLayer::Other { device, kind: printable(other.as_bytes()) },
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_of_the_table_is_read_whatever_signs_its_paths_hold() {
        let line =
            mount_line("36 35 98:0 / /mnt/sk\\040pt rw,noatime shared:1 master:2 - ext4 /dev/sd\\134b rw,data=journal").unwrap();
        assert_eq!((line.number, line.point.as_str(), line.source.as_str()), (36, "/mnt/sk pt", "/dev/sd\\b"));
        assert_eq!(options(&line, None), ["rw", "noatime", "data=journal"]);
        assert!(mount_line("nothing of the kind").is_none());
    }

    #[test]
    fn mapped_devices_are_known_by_their_kinds() {
        let at = |kind| of_kind(kind, "/dev/mapper/tides");
        assert_eq!(at("linear"), None);
        assert!(matches!(at("crypt"), Some(StackLayer::Encrypted { .. })));
        assert!(matches!(at("snapshot-origin"), Some(StackLayer::SnapshotOrigin { .. })));
        assert!(matches!(at("thin"), Some(StackLayer::Thin { .. })));
        assert!(matches!(at("zoned"), Some(StackLayer::Other { .. })));
    }

    #[test]
    fn the_ground_of_this_very_folder_is_told() {
        let here = open(".", OFlags::RDONLY, Mode::empty()).unwrap();
        let mounted = ground_of(&here).unwrap();
        assert!(mounted.ground.bytes > 0 && mounted.ground.block >= 512 && mounted.ground.mount.starts_with('/'));
    }
}
