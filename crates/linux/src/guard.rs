//! What the running system uses a drive for. Everything here errs on the side of "in use".

use crate::ioctl::loop_backing;
use crate::object::KernelObject;
use crate::open_handles::Openers;
use crate::sysfs::{entries, name, text};
use crate::system::System;
use crate::views;
use jurex_device::guard::Blocker;
use jurex_device::media::{Bus, Drive, MediaClass};
use jurex_pattern::text::{printable, shown_path};
use rustix::fs::{Access, FileType, FlockOperation, Mode, OFlags, access, flock, major, makedev, open, stat};
use rustix::io::Errno;
use std::fs;
use std::os::fd::{AsFd, AsRawFd};
use std::path::{Path, PathBuf};

/// Mount points that the running system cannot do without.
const SYSTEM_MOUNTS: [&str; 6] = ["/", "/boot", "/boot/efi", "/efi", "/usr", "/var"];

/// Names of the partitions of a start medium, as medium/build writes them into its table.
const START_PARTITIONS: [&str; 2] = ["JUREXSTART", "JUREXDATA"];

/// Loop devices over loop devices are followed so far.
const DEEPEST: u32 = 8;

struct Mount {
    device: u64,
    point: String,
}

/// An attached loop device.
struct Loop {
    dir: PathBuf,
    device: String,
    /// What it is attached to; `None` where that can't be told.
    backing: Option<KernelObject>,
    /// The same by its path, as it was when it was attached.
    path: PathBuf,
}

/// The kernel's tables, read once for all drives.
pub(crate) struct Uses {
    sys: PathBuf,
    /// Whether these are the kernel's own views.
    is_kernels_own: bool,
    mounts: Vec<Mount>,
    swaps: Vec<(KernelObject, String)>,
    loops: Vec<Loop>,
    openers: Openers,
    /// Files of Jurex itself.
    own: Vec<(KernelObject, String)>,
    /// As [`System::started_from`] was told.
    start_medium: Option<Option<String>>,
    /// What can't be read, so that nobody knows what is in use.
    unreadable: Vec<String>,
}

impl Uses {
    pub(crate) fn read(system: &System) -> Self {
        let mut unreadable = views::not_believed(system);
        let mut table = |name: &str| match fs::read(system.proc.join(name)) {
            // Paths in it may be of any bytes; the numbers that matter are plain.
            Ok(bytes) => String::from_utf8_lossy(&bytes).into_owned(),
            // A kernel without swap has no such table; a view that shows processes alone has none of the others either.
            Err(e) if e.kind() == std::io::ErrorKind::NotFound && name == "swaps" && views::shows_the_kernel(system) => {
                String::new()
            }
            Err(e) => {
                unreadable.push(format!("{}: {e}", system.proc.join(name).display()));
                String::new()
            }
        };
        let mount_table = table("self/mountinfo");
        let swaps = table("swaps").lines().skip(1).filter_map(swap).collect();
        unreadable.extend(views::covered(system, mount_table.lines().filter_map(mount_point)));
        let mut mounts: Vec<Mount> = mount_table.lines().filter_map(mount).collect();
        // In a container the table may not show the root's device; the file system itself knows it.
        if let Ok(root) = stat("/") {
            mounts.push(Mount { device: root.st_dev, point: "/".into() });
        }
        mounts.extend(btrfs_members(system));
        let own = system.own_files().iter().filter_map(|p| Some((KernelObject::at(p)?, shown_path(p)))).collect();
        let openers = Openers::read(&system.proc);
        let start_medium = system.start_medium.clone();
        Self {
            sys: system.sys.clone(),
            is_kernels_own: system.is_kernels_own,
            mounts,
            swaps,
            loops: loops(&system.sys),
            openers,
            own,
            start_medium,
            unreadable,
        }
    }

    /// What stands in the way of erasing the drive whose sysfs folder is `dir`.
    /// A drive that is at work on itself (`is_at_work`) is not opened to see who holds it: opening may wait until it has finished.
    pub(crate) fn of_drive(&self, dir: &Path, drive: &Drive, is_at_work: bool) -> Vec<Blocker> {
        let mut found = self.of_held_drive(dir, drive);
        let path = Path::new(&drive.path);
        if !is_at_work && found.iter().all(is_open_by) && drive.class != MediaClass::Optical && drive.geometry.sectors > 0 {
            take_claim(&mut found, no_rights(path).or_else(|| held(path)));
        }
        found
    }

    /// The same of a drive that this process holds: whatever else uses it.
    pub(crate) fn of_held_drive(&self, dir: &Path, drive: &Drive) -> Vec<Blocker> {
        let mut found = self.not_known();
        self.of_whole_device(dir, &mut found, DEEPEST);
        if self.is_start_medium(dir) {
            found.push(Blocker::StartMedium);
        }
        if text(dir, "ro").as_deref() == Some("1") && drive.class != MediaClass::Optical {
            found.push(Blocker::ReadOnly);
        }
        if name(dir).contains("boot") && drive.bus == Bus::Mmc {
            found.push(Blocker::NotADrive { what: "a boot area of an embedded flash device".into() });
        }
        self.of_loop(dir, DEEPEST, &mut found);
        dedup(&mut found);
        found
    }

    /// Whose open files can't be seen from here, as a sentence. Of a tree that a test has made nothing is said.
    pub(crate) fn blind_to(&self) -> Option<String> {
        self.openers.blind_to().filter(|_| self.is_kernels_own)
    }

    fn not_known(&self) -> Vec<Blocker> {
        self.unreadable.iter().map(|why| Blocker::NotKnown { why: why.clone() }).collect()
    }

    /// Whether it is the medium that this computer was started from, or another one of ours: nothing of the running system needs it once it
    /// has started, so that no mount and no open file speaks for it.
    fn is_start_medium(&self, dir: &Path) -> bool {
        let Some(medium) = &self.start_medium else { return false };
        let is_named = |part: &PathBuf| {
            let uevent = fs::read_to_string(part.join("uevent")).unwrap_or_default();
            uevent.lines().any(|line| line.strip_prefix("PARTNAME=").is_some_and(|n| START_PARTITIONS.contains(&n)))
        };
        medium.as_deref() == Some(&format!("/dev/{}", name(dir))) || entries(dir).iter().any(is_named)
    }

    /// Uses of a block device and of its partitions.
    fn of_whole_device(&self, dir: &Path, found: &mut Vec<Blocker>, deepest: u32) {
        self.of_device(dir, found, deepest);
        for part in entries(dir).iter().filter(|p| p.join("partition").exists()) {
            self.of_device(part, found, deepest);
        }
    }

    /// Uses of one block device (a drive, a partition, or something built on them) and of all that is built on it.
    fn of_device(&self, dir: &Path, found: &mut Vec<Blocker>, deepest: u32) {
        let Some(deeper) = deepest.checked_sub(1) else { return };
        let device = format!("/dev/{}", name(dir));
        let number = device_number(dir);
        if let Some(number) = number {
            for mount in self.mounts.iter().filter(|m| m.device == number) {
                found.push(if SYSTEM_MOUNTS.contains(&mount.point.as_str()) {
                    Blocker::System { mount: mount.point.clone() }
                } else {
                    Blocker::Mounted { device: device.clone(), mount: mount.point.clone() }
                });
            }
            let object = KernelObject::Device(number);
            let swapped = self.swaps.iter().filter(|(area, _)| *area == object);
            found.extend(swapped.map(|_| Blocker::Swap { device: device.clone() }));
            found.extend(self.openers.of(object).map(|who| Blocker::OpenBy { device: device.clone(), who }));
        }
        for holder in entries(&dir.join("holders")) {
            let own_name = text(&holder.join("dm"), "name").unwrap_or_else(|| name(&holder));
            found.push(Blocker::Holder { device: device.clone(), holder: own_name });
            // Holders are links to the built device's own folder: what is mounted there keeps this drive too.
            let built = self.sys.join("block").join(name(&holder));
            if built.exists() && built != *dir {
                self.of_device(&built, found, deeper);
            }
        }
        for over in self.loops.iter().filter(|l| number.is_some() && l.backing == number.map(KernelObject::Device)) {
            found.push(Blocker::Holder { device: device.clone(), holder: over.device.clone() });
            self.of_whole_device(&over.dir, found, deeper);
        }
    }

    /// A loop device is erased only if what lies beneath it is free of everything else.
    fn of_loop(&self, dir: &Path, deepest: u32, found: &mut Vec<Blocker>) {
        let Some(this) = self.loops.iter().find(|l| name(&l.dir) == name(dir)) else { return };
        let Some(deeper) = deepest.checked_sub(1) else { return };
        let beneath = shown_path(&this.path);
        let mut lower = vec![];
        let beside = |l: &&Loop| l.device != this.device && self.same_backing(l, this);
        for other in self.loops.iter().filter(beside) {
            lower.push(Blocker::AttachedAs { device: other.device.clone() });
            self.of_whole_device(&other.dir, &mut lower, deeper);
        }
        match this.backing {
            Some(KernelObject::Device(number)) => self.beneath_device(number, &this.device, deeper, &mut lower),
            Some(file @ KernelObject::File(..)) => lower.extend(self.of_file(file, &this.path)),
            None => {
                let why = format!("what {} is attached to is not known", this.device);
                found.push(Blocker::NotKnown { why });
            }
        }
        found.extend(lower.into_iter().map(|h| Blocker::Beneath { device: beneath.clone(), because: Box::new(h) }));
    }

    /// Uses of the device under a loop device, apart from that loop device itself; of a partition, its drive's own as well.
    fn beneath_device(&self, number: u64, this: &str, deepest: u32, lower: &mut Vec<Blocker>) {
        let (major, minor) = (major(number), rustix::fs::minor(number));
        let Ok(dir) = fs::canonicalize(self.sys.join(format!("dev/block/{major}:{minor}"))) else { return };
        let is_this = |h: &Blocker| matches!(h, Blocker::Holder { holder, .. } if holder == this);
        let mut uses = vec![];
        self.of_whole_device(&dir, &mut uses, DEEPEST);
        if let Some(whole) = dir.parent().filter(|_| dir.join("partition").exists()) {
            self.of_device(whole, &mut uses, deepest);
        }
        self.of_loop(&dir, deepest, &mut uses);
        uses.extend(held(&Path::new("/dev").join(name(&dir).replace('!', "/"))));
        lower.extend(uses.into_iter().filter(|h| !is_this(h)));
    }

    fn same_backing(&self, a: &Loop, b: &Loop) -> bool {
        match (a.backing, b.backing) {
            (Some(a), Some(b)) => a == b,
            _ => a.path == b.path,
        }
    }

    /// What a file is used for by the system and by Jurex itself; loop devices are told by name only.
    pub(crate) fn of_file_alone(&self, file: KernelObject) -> Vec<Blocker> {
        let attached = self.loops.iter().filter(|l| l.backing == Some(file));
        let mut found: Vec<Blocker> = attached.map(|l| Blocker::AttachedAs { device: l.device.clone() }).collect();
        found.extend(self.swap_or_own(file));
        found
    }

    fn swap_or_own(&self, file: KernelObject) -> Vec<Blocker> {
        let swaps = self.swaps.iter().filter(|(area, _)| *area == file);
        let own = self.own.iter().filter(|(own, _)| *own == file);
        let swaps = swaps.map(|(_, shown)| Blocker::Swap { device: shown.clone() });
        swaps.chain(own.map(|(_, what)| Blocker::OwnFile { what: what.clone() })).collect()
    }

    /// What a file is used for, apart from loop devices.
    fn of_file(&self, file: KernelObject, path: &Path) -> Vec<Blocker> {
        let mut found = self.swap_or_own(file);
        found.extend(self.openers.of(file).map(|who| Blocker::OpenBy { device: shown_path(path), who }));
        found
    }

    /// What stands in the way of erasing the image file that is open, be it only to its name (`O_PATH`); it is called `real`.
    pub(crate) fn of_image(&self, opened: impl AsFd, real: &Path) -> Vec<Blocker> {
        let mut found = self.of_held_image(&opened, real);
        let way = by_descriptor(&opened);
        found.extend(no_rights(&way));
        if found.iter().all(is_open_by) {
            take_claim(&mut found, held(&way));
        }
        dedup(&mut found);
        found
    }

    /// The same of a file that this process holds: whatever else uses it.
    pub(crate) fn of_held_image(&self, opened: impl AsFd, real: &Path) -> Vec<Blocker> {
        let mut found = self.not_known();
        let Some(file) = KernelObject::of(&opened) else {
            found.push(Blocker::NotKnown { why: format!("{} can't be looked at", shown_path(real)) });
            return found;
        };
        // By what it is and not by its name: a hard link or a bind mount leads to the same file.
        for over in self.loops.iter().filter(|l| l.backing.map_or(l.path == real, |b| b == file)) {
            found.push(Blocker::AttachedAs { device: over.device.clone() });
            self.of_whole_device(&over.dir, &mut found, DEEPEST);
        }
        found.extend(self.of_file(file, real));
        dedup(&mut found);
        found
    }
}

/// The way to what is open, whatever its name leads to by now.
pub(crate) fn by_descriptor(opened: impl AsFd) -> PathBuf {
    PathBuf::from(format!("/proc/self/fd/{}", opened.as_fd().as_raw_fd()))
}

fn is_open_by(h: &Blocker) -> bool {
    matches!(h, Blocker::OpenBy { .. })
}

/// Whoever claims it for themselves has it open as well: the claim says more.
fn take_claim(found: &mut Vec<Blocker>, claim: Option<Blocker>) {
    if let Some(claim) = claim {
        found.retain(|h| !is_open_by(h));
        found.push(claim);
    }
}

fn dedup(found: &mut Vec<Blocker>) {
    let mut seen: Vec<Blocker> = vec![];
    found.retain(|h| {
        let new = !seen.contains(h);
        if new {
            seen.push(h.clone());
        }
        new
    });
}

/// Whether this user may write to it at all: what may not be written may not be called free.
fn no_rights(path: &Path) -> Option<Blocker> {
    match access(path, Access::WRITE_OK) {
        Err(Errno::ACCESS | Errno::PERM) => Some(Blocker::NoRights),
        Err(Errno::ROFS) => Some(Blocker::ReadOnly),
        _ => None,
    }
}

/// Whether someone else has the device or file for themselves.
fn held(path: &Path) -> Option<Blocker> {
    let is_device = stat(path).is_ok_and(|s| FileType::from_raw_mode(s.st_mode) == FileType::BlockDevice);
    let exclusive = if is_device { OFlags::EXCL } else { OFlags::empty() };
    let shared = || open(path, OFlags::RDONLY | OFlags::NONBLOCK | OFlags::CLOEXEC, Mode::empty());
    match open(path, OFlags::RDONLY | OFlags::NONBLOCK | OFlags::CLOEXEC | exclusive, Mode::empty()) {
        Err(Errno::BUSY) if shared().is_ok_and(|fd| is_locked(&fd)) => Some(Blocker::JobRunning),
        Err(Errno::BUSY) => Some(Blocker::HeldOpen),
        Ok(fd) if is_locked(&fd) => Some(Blocker::JobRunning),
        Ok(_) | Err(_) => None,
    }
}

fn is_locked(fd: &impl std::os::fd::AsFd) -> bool {
    flock(fd, FlockOperation::NonBlockingLockShared) == Err(Errno::WOULDBLOCK)
}

/// The number of the block device with that sysfs folder.
pub(crate) fn device_number(dir: &Path) -> Option<u64> {
    let text = text(dir, "dev")?;
    let (major, minor) = text.split_once(':')?;
    Some(makedev(major.parse().ok()?, minor.parse().ok()?))
}

/// Where a line of mountinfo says that something is mounted.
fn mount_point(line: &str) -> Option<PathBuf> {
    Some(PathBuf::from(unescape(line.split(' ').nth(4)?)))
}

/// One line of mountinfo: `36 35 98:0 /mnt1 /mnt2 rw,noatime master:1 - ext3 /dev/root rw`.
fn mount(line: &str) -> Option<Mount> {
    let mut fields = line.split(' ');
    let number = fields.nth(2)?;
    let point = printable(unescape(fields.nth(1)?).as_bytes());
    let (major_text, minor_text) = number.split_once(':')?;
    let device = makedev(major_text.parse().ok()?, minor_text.parse().ok()?);
    if major(device) != 0 {
        return Some(Mount { device, point });
    }
    // Some file systems have a number of their own; then the source may name the device.
    let source = unescape(line.split_once(" - ")?.1.split(' ').nth(1)?);
    let status = stat(source.starts_with("/dev/").then_some(source.as_str())?).ok()?;
    let is_device = FileType::from_raw_mode(status.st_mode) == FileType::BlockDevice;
    is_device.then_some(Mount { device: status.st_rdev, point })
}

/// Every member of a Btrfs that the kernel knows, mounted or assembled: the mount table names only one of them.
fn btrfs_members(system: &System) -> Vec<Mount> {
    let volumes = entries(&system.sys.join("fs/btrfs"));
    volumes
        .iter()
        .flat_map(|volume| entries(&volume.join("devices")))
        .filter_map(|member| Some(Mount { device: device_number(&member)?, point: "(a member of a mounted Btrfs)".into() }))
        .collect()
}

/// A line of /proc/swaps after the heading: `/dev/sda2  partition  8388604  0  -2`.
fn swap(line: &str) -> Option<(KernelObject, String)> {
    let path = unescape(line.split_whitespace().next()?);
    Some((KernelObject::at(Path::new(&path))?, printable(path.as_bytes())))
}

fn loops(sys: &Path) -> Vec<Loop> {
    let attached = |dir: PathBuf| {
        let raw = fs::read(dir.join("loop/backing_file")).ok()?;
        let text = String::from_utf8_lossy(&raw);
        let path = PathBuf::from(text.trim_end_matches('\n'));
        let device = format!("/dev/{}", name(&dir));
        // The kernel's own word is right whatever has become of the path; it needs the right to open the device.
        let backing = loop_backing(&device).or_else(|| KernelObject::at(&path));
        Some(Loop { dir, device, backing, path })
    };
    entries(&sys.join("block")).into_iter().filter(|d| name(d).starts_with("loop")).filter_map(attached).collect()
}

/// Blanks and backslashes stand as octal numbers in the kernel's tables: `\040`.
pub(crate) fn unescape(text: &str) -> String {
    let mut out = vec![];
    let bytes = text.as_bytes();
    let mut at = 0;
    while at < bytes.len() {
        let octal = bytes.get(at + 1..at + 4).filter(|_| bytes[at] == b'\\').and_then(|o| std::str::from_utf8(o).ok());
        match octal.and_then(|o| u8::from_str_radix(o, 8).ok()) {
            Some(byte) => {
                out.push(byte);
                at += 4;
            }
            None => {
                out.push(bytes[at]);
                at += 1;
            }
        }
    }
    String::from_utf8_lossy(&out).into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::os::unix::fs::symlink;

    /// A machine with one SATA drive (two partitions, LVM on the second, its volume mounted) and one NVMe drive.
    fn machine() -> (tempfile::TempDir, System) {
        let root = tempfile::tempdir().unwrap();
        let sys = root.path().join("sys");
        let put = |path: &str, text: &str| {
            let file = sys.join(path);
            fs::create_dir_all(file.parent().unwrap()).unwrap();
            fs::write(file, text).unwrap();
        };
        let sda = "devices/pci0/ata1/host0/target0/block/sda";
        for (path, value) in [("size", "3907029168"), ("dev", "8:0"), ("ro", "0"), ("queue/rotational", "1"), ("removable", "0")]
        {
            put(&format!("{sda}/{path}"), value);
        }
        put(&format!("{sda}/queue/logical_block_size"), "512");
        put(&format!("{sda}/queue/physical_block_size"), "4096");
        put(&format!("{sda}/device/vendor"), "ATA     ");
        put(&format!("{sda}/device/model"), "Meridian\u{1b}[2J 2000 ");
        fs::write(sys.join(sda).join("device/vpd_pg80"), b"\0\x80\0\x08FM20K7Q4garbage").unwrap();
        for part in ["sda1", "sda2"] {
            put(&format!("{sda}/{part}/partition"), "1");
        }
        put(&format!("{sda}/sda1/dev"), "8:1");
        put(&format!("{sda}/sda2/dev"), "8:2");
        put("devices/virtual/block/dm-0/dev", "253:0");
        put("devices/virtual/block/dm-0/dm/name", "vault-data");
        put("devices/virtual/block/dm-0/size", "100");
        fs::create_dir_all(sys.join(sda).join("sda2/holders")).unwrap();
        symlink(sys.join("devices/virtual/block/dm-0"), sys.join(sda).join("sda2/holders/dm-0")).unwrap();
        let nvme = "devices/pci0/nvme/nvme0/nvme0n1";
        for (path, value) in [("size", "8000"), ("dev", "259:0"), ("ro", "1"), ("queue/logical_block_size", "4096")] {
            put(&format!("{nvme}/{path}"), value);
        }
        put(&format!("{nvme}/device/serial"), "QS1000  ");
        fs::create_dir_all(sys.join("block")).unwrap();
        for (name, dir) in [("sda", sda), ("nvme0n1", nvme), ("dm-0", "devices/virtual/block/dm-0")] {
            symlink(sys.join(dir), sys.join("block").join(name)).unwrap();
        }
        let proc = root.path().join("proc");
        fs::create_dir_all(proc.join("self")).unwrap();
        let mounts =
            "30 1 8:1 / /boot rw - ext4 /dev/sda1 rw\n31 1 253:0 / /srv/tide\\040logs rw - ext4 /dev/mapper/vault-data rw\n";
        fs::write(proc.join("self/mountinfo"), mounts).unwrap();
        fs::write(proc.join("swaps"), "Filename Type Size Used Priority\n").unwrap();
        (root, System::at(sys, proc))
    }

    #[test]
    fn a_drive_is_known_by_its_attributes() {
        let (_root, system) = machine();
        let drives = system.drives();
        assert_eq!(drives.iter().map(|f| f.drive.path.as_str()).collect::<Vec<_>>(), ["/dev/nvme0n1", "/dev/sda"]);
        let sda = &drives[1].drive;
        assert_eq!(
            (sda.bus, sda.class, sda.geometry.unit()),
            (Bus::Sata, MediaClass::Unknown, 8),
            "that it turns is what the system assumes of any"
        );
        assert_eq!(sda.unit.serial.as_deref(), Some("FM20K7Q4"), "the page's own length counts");
        assert_eq!(sda.unit.name().as_deref(), Some("Meridian·[2J 2000"));
        let nvme = &drives[0].drive;
        assert_eq!((nvme.geometry.logical, nvme.geometry.sectors), (4096, 1000), "sysfs counts 512 bytes always");
    }

    #[test]
    fn what_is_mounted_on_any_layer_keeps_the_drive() {
        let (_root, system) = machine();
        let drives = system.drives();
        assert_eq!(
            drives[1].hindrances,
            [
                Blocker::System { mount: "/boot".into() },
                Blocker::Holder { device: "/dev/sda2".into(), holder: "vault-data".into() },
                Blocker::Mounted { device: "/dev/dm-0".into(), mount: "/srv/tide logs".into() },
            ]
        );
        assert_eq!(drives[0].hindrances, [Blocker::ReadOnly]);
    }

    #[test]
    fn a_drive_that_hangs_is_listed_may_not_be_erased_and_holds_up_nobody() {
        let (_root, system) = machine();
        let (hold, never) = std::sync::mpsc::channel::<()>();
        let never = std::sync::Mutex::new(never);
        let system = system.asking(std::sync::Arc::new(move |mut drive: Drive, _: &Path| {
            if drive.bus == Bus::Nvme {
                let _ = never.lock().unwrap().recv();
            }
            drive.unit.firmware = Some("asked".into());
            (drive, Default::default())
        }));
        let drives = system.drives_within(std::time::Duration::from_millis(300));
        let said = |at: usize| (drives[at].drive.unit.firmware.as_deref(), drives[at].hindrances.contains(&Blocker::NoAnswer));
        assert_eq!((said(0), said(1)), ((None, true), (Some("asked"), false)));
        let again = system.drives_within(std::time::Duration::from_millis(50));
        assert!(again[0].hindrances.contains(&Blocker::NoAnswer), "it is not asked a second time while it owes an answer");
        drop(hold);
    }

    /// The machine with loop devices over these files; the first one's numbers are 7:97 on.
    fn with_loops(backing: &[&Path]) -> (tempfile::TempDir, System) {
        let (root, system) = machine();
        for (n, file) in backing.iter().enumerate() {
            let dir = system.sys.join(format!("block/loop{}", 97 + n));
            fs::create_dir_all(dir.join("loop")).unwrap();
            fs::write(dir.join("loop/backing_file"), format!("{}\n", file.display())).unwrap();
            fs::write(dir.join("dev"), format!("7:{}", 97 + n)).unwrap();
            fs::write(dir.join("size"), "64").unwrap();
        }
        (root, system)
    }

    fn mount_also(system: &System, line: &str) {
        let table = system.proc.join("self/mountinfo");
        fs::write(&table, fs::read_to_string(&table).unwrap() + line).unwrap();
    }

    #[test]
    fn an_image_is_guarded_by_what_it_is_whatever_name_leads_to_it() {
        let dir = tempfile::tempdir().unwrap();
        let (image, link) = (dir.path().join("drive.img"), dir.path().join("other-name.img"));
        fs::write(&image, [0; 4096]).unwrap();
        fs::hard_link(&image, &link).unwrap();
        let (_root, system) = with_loops(&[&image, &link]);
        mount_also(&system, "40 1 7:97 / /mnt/scratch rw - ext4 /dev/loop97 rw\n");
        let uses = Uses::read(&system);
        let by_link = uses.of_image(fs::File::open(&link).unwrap(), &link);
        assert!(by_link.contains(&Blocker::AttachedAs { device: "/dev/loop97".into() }), "{by_link:?}");
        let mounted = Blocker::Mounted { device: "/dev/loop97".into(), mount: "/mnt/scratch".into() };
        assert!(by_link.contains(&mounted), "{by_link:?}");
        // A second loop device over the same file is not free while the first one is mounted.
        let drive = system.drive(&system.sys.join("block/loop98"));
        let second = uses.of_drive(&system.sys.join("block/loop98"), &drive, false);
        assert!(second.iter().any(|h| matches!(h, Blocker::Beneath { because, .. } if **because == mounted)), "{second:?}");
    }

    #[test]
    fn a_loop_device_over_a_drive_keeps_what_the_drive_is_used_for() {
        let dir = tempfile::tempdir().unwrap();
        let (_root, system) = with_loops(&[dir.path()]);
        let mut uses = Uses::read(&system);
        let loop_dir = system.sys.join("block/loop97");
        for (beneath, says) in [(makedev(8, 0), "/boot"), (makedev(8, 1), "/boot"), (makedev(8, 2), "vault-data")] {
            let link = system.sys.join(format!("dev/block/8:{}", rustix::fs::minor(beneath)));
            fs::create_dir_all(link.parent().unwrap()).unwrap();
            let target = match rustix::fs::minor(beneath) {
                0 => "devices/pci0/ata1/host0/target0/block/sda".to_string(),
                n => format!("devices/pci0/ata1/host0/target0/block/sda/sda{n}"),
            };
            symlink(system.sys.join(target), &link).unwrap();
            uses.loops[0].backing = Some(KernelObject::Device(beneath));
            let found = uses.of_drive(&loop_dir, &system.drive(&loop_dir), false);
            let said: Vec<String> = found.iter().map(ToString::to_string).collect();
            assert!(said.iter().any(|s| s.contains(says)), "{said:?}");
        }
        // And the other way round: a drive or partition under a loop device is in use by it.
        let sda = system.sys.join("block/sda");
        let found = uses.of_drive(&sda, &system.drive(&sda), false);
        assert!(found.contains(&Blocker::Holder { device: "/dev/sda2".into(), holder: "/dev/loop97".into() }), "{found:?}");
    }

    #[test]
    fn a_program_that_has_it_open_without_claiming_it_keeps_it() {
        let dir = tempfile::tempdir().unwrap();
        let image = dir.path().join("drive.img");
        fs::write(&image, [0; 4096]).unwrap();
        let mut other = std::process::Command::new("sleep").arg("30").stdin(fs::File::open(&image).unwrap()).spawn().unwrap();
        let opened = fs::File::open(&image).unwrap();
        let found = Uses::read(&System::default()).of_image(&opened, &image);
        let _ = other.kill().and_then(|()| other.wait());
        assert!(found.iter().any(|h| matches!(h, Blocker::OpenBy { who, .. } if who.starts_with("sleep ("))), "{found:?}");
        assert_eq!(Uses::read(&System::default()).of_image(&opened, &image), []);
    }

    #[test]
    fn jurexs_own_files_and_the_kernels_are_no_images() {
        let dir = tempfile::tempdir().unwrap();
        let (ledger, link) = (dir.path().join("ledger.sqlite3"), dir.path().join("x.img"));
        fs::write(&ledger, [0; 4096]).unwrap();
        fs::hard_link(&ledger, &link).unwrap();
        let system = System::default().keeping(vec![ledger]);
        let found = system.find(&link).unwrap().hindrances;
        assert!(matches!(&found[..], [Blocker::OwnFile { .. }]), "{found:?}");
        for path in ["/proc/version", "/sys/kernel/uevent_seqnum"].map(Path::new).into_iter().filter(|p| p.exists()) {
            assert!(matches!(system.find(path), Err(crate::FindError::NotAMedium { .. })), "{path:?}");
        }
    }

    #[test]
    fn a_table_that_cannot_be_read_refuses_and_odd_bytes_in_it_do_not_hide_a_mount() {
        let (_root, system) = machine();
        let table = system.proc.join("self/mountinfo");
        fs::write(&table, b"30 1 8:1 / /srv/\xff\xfe rw - ext4 /dev/sda1 rw\n").unwrap();
        let sda = system.sys.join("block/sda");
        let found = || Uses::read(&system).of_drive(&sda, &system.drive(&sda), false);
        assert!(found().iter().any(|h| matches!(h, Blocker::Mounted { device, .. } if device == "/dev/sda1")), "{:?}", found());
        fs::remove_file(&table).unwrap();
        assert!(matches!(&found()[0], Blocker::NotKnown { .. }), "{:?}", found());
    }

    #[test]
    fn virtual_and_hosted_disks_are_told_from_media() {
        let (_root, system) = machine();
        let sda = system.sys.join("devices/pci0/ata1/host0/target0/block/sda");
        let class = |model: &str| {
            fs::write(sda.join("device/model"), model).unwrap();
            system.drive(&system.sys.join("block/sda")).class
        };
        assert_eq!(class("Meridian 2000"), MediaClass::Unknown);
        for model in ["QEMU HARDDISK", "qemu disk", "Virtual Disk", "VBOX HARDDISK", "LOGICAL VOLUME", "PERC H730"] {
            assert_eq!(class(model), MediaClass::Virtual, "{model}");
        }
        // What is reached over a network is another machine's, whatever it says of itself.
        let controller = system.sys.join("devices/pci0/nvme/nvme0/nvme0n1/device");
        let reached_by = |transport: &str| {
            fs::write(controller.join("transport"), transport).unwrap();
            system.drive(&system.sys.join("block/nvme0n1")).class
        };
        assert_eq!((reached_by("pcie\n"), reached_by("tcp\n")), (MediaClass::SolidState, MediaClass::Virtual));
        fs::write(sda.join("queue/zoned"), "host-managed\n").unwrap();
        assert!(system.drive(&system.sys.join("block/sda")).zoned_by_host);
    }

    #[test]
    fn the_only_list_names_drives_by_path_bus_or_port() {
        let (_root, system) = machine();
        let allowed = |name: &str| -> Vec<String> {
            let listed = system.clone().only(&[name.to_string()]).drives();
            let free = listed.iter().filter(|f| !f.hindrances.contains(&Blocker::NotListed));
            free.map(|f| f.drive.path.clone()).collect()
        };
        assert_eq!(allowed("/dev/sd?"), ["/dev/sda"]);
        assert_eq!(allowed("bus:NVMe"), ["/dev/nvme0n1"]);
        assert_eq!(allowed("port:*/ata1/*"), ["/dev/sda"]);
        assert!(allowed("/dev/vd*").is_empty());
    }

    #[test]
    fn the_drive_under_this_machine_is_guarded() {
        let root = stat("/").unwrap().st_dev;
        let system = System::default();
        let Ok(dir) = system.device_dir(root) else {
            eprintln!("the root file system (device {root:#x}) has no block device of its own here: nothing to guard");
            return;
        };
        let uses = Uses::read(&system);
        let mut found = vec![];
        uses.of_device(&dir, &mut found, DEEPEST);
        assert!(found.contains(&Blocker::System { mount: "/".into() }), "{found:?}");
    }

    #[test]
    fn a_computer_that_a_medium_has_started_leaves_all_such_media_alone() {
        let (root, system) = machine();
        let is_start_medium = |system: &System| {
            let all = Uses::read(system);
            let dir = fs::canonicalize(root.path().join("sys/block/nvme0n1")).unwrap();
            all.is_start_medium(&dir)
        };
        let named = |name: &str| {
            let part = root.path().join("sys/block/nvme0n1/nvme0n1p3");
            fs::create_dir_all(&part).unwrap();
            fs::write(part.join("uevent"), format!("MAJOR=259\nDEVTYPE=partition\nPARTNAME={name}\n")).unwrap();
        };
        let started = system.clone().started_from(None);
        assert!(!is_start_medium(&started));
        assert!(is_start_medium(&system.clone().started_from(Some("/dev/nvme0n1".into()))), "by its device");
        named("TIDES");
        assert!(!is_start_medium(&started));
        named("JUREXDATA");
        assert!(is_start_medium(&started), "by its partitions, whichever of ours the computer was started from");
        assert!(!is_start_medium(&system), "elsewhere such a stick may be erased");
    }
}
