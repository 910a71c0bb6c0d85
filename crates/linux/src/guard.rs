//! What the running system uses a drive for. Everything here errs on the side of "in use".

use crate::discover::System;
use crate::sysfs::{entries, name, text};
use jurex_core::guard::Hindrance;
use jurex_core::media::{Bus, Drive, MediaClass};
use rustix::fs::{FileType, FlockOperation, Mode, OFlags, flock, major, makedev, open, stat};
use rustix::io::Errno;
use std::fs;
use std::path::{Path, PathBuf};

/// Mount points that the running system cannot do without.
const SYSTEM_MOUNTS: [&str; 6] = ["/", "/boot", "/boot/efi", "/efi", "/usr", "/var"];

struct Mount {
    device: u64,
    point: String,
}

enum SwapArea {
    Device(u64),
    File(PathBuf),
}

/// The kernel's tables, read once for all drives.
pub(crate) struct Uses {
    sys: PathBuf,
    mounts: Vec<Mount>,
    swaps: Vec<(SwapArea, String)>,
    /// Loop devices by what they are attached to.
    loops: Vec<(PathBuf, String)>,
}

impl Uses {
    pub(crate) fn read(system: &System) -> Self {
        let table = |name: &str| fs::read_to_string(system.proc.join(name)).unwrap_or_default();
        let mut mounts: Vec<Mount> = table("self/mountinfo").lines().filter_map(mount).collect();
        // In a container the table may not show the root's device; the file system itself knows it.
        if let Ok(root) = stat("/") {
            mounts.push(Mount { device: root.st_dev, point: "/".into() });
        }
        mounts.extend(btrfs_members(system));
        Self {
            sys: system.sys.clone(),
            mounts,
            swaps: table("swaps").lines().skip(1).filter_map(swap).collect(),
            loops: loops(&system.sys),
        }
    }

    /// What stands in the way of erasing the drive whose sysfs folder is `dir`.
    pub(crate) fn of_drive(&self, dir: &Path, drive: &Drive) -> Vec<Hindrance> {
        let mut found = vec![];
        self.of_device(dir, &mut found);
        for part in entries(dir).iter().filter(|p| p.join("partition").exists()) {
            self.of_device(part, &mut found);
        }
        if text(dir, "ro").as_deref() == Some("1") && drive.class != MediaClass::Optical {
            found.push(Hindrance::ReadOnly);
        }
        if name(dir).contains("boot") && drive.bus == Bus::Mmc {
            found.push(Hindrance::NotADrive { what: "a boot area of an embedded flash device".into() });
        }
        for (file, device) in &self.loops {
            if *file == Path::new(&drive.path) {
                found.push(Hindrance::Holder { device: drive.path.clone(), holder: device.clone() });
            }
        }
        if found.is_empty() && drive.class != MediaClass::Optical && drive.geometry.sectors > 0 {
            found.extend(held(Path::new(&drive.path)));
        }
        found.dedup();
        found
    }

    /// Uses of one block device (a drive, a partition, or something built on them) and of all that is built on it.
    fn of_device(&self, dir: &Path, found: &mut Vec<Hindrance>) {
        let device = format!("/dev/{}", name(dir));
        if let Some(number) = device_number(dir) {
            for mount in self.mounts.iter().filter(|m| m.device == number) {
                found.push(match SYSTEM_MOUNTS.contains(&mount.point.as_str()) {
                    true => Hindrance::System { mount: mount.point.clone() },
                    false => Hindrance::Mounted { device: device.clone(), mount: mount.point.clone() },
                });
            }
            let swapped = self.swaps.iter().filter(|(area, _)| matches!(area, SwapArea::Device(n) if *n == number));
            found.extend(swapped.map(|_| Hindrance::Swap { device: device.clone() }));
        }
        for holder in entries(&dir.join("holders")) {
            let own_name = text(&holder.join("dm"), "name").unwrap_or_else(|| name(&holder));
            found.push(Hindrance::Holder { device: device.clone(), holder: own_name });
            // Holders are links to the built device's own folder: what is mounted there keeps this drive too.
            let built = self.sys.join("block").join(name(&holder));
            if built.exists() && built != *dir {
                self.of_device(&built, found);
            }
        }
    }

    /// What stands in the way of erasing the image file at `real`.
    pub(crate) fn of_image(&self, real: &Path) -> Vec<Hindrance> {
        let mut found: Vec<Hindrance> = self
            .loops
            .iter()
            .filter(|(file, _)| file == real)
            .map(|(_, device)| Hindrance::AttachedAs { device: device.clone() })
            .collect();
        let is_swap = |area: &SwapArea| matches!(area, SwapArea::File(f) if f == real);
        found.extend(
            self.swaps.iter().filter(|(area, _)| is_swap(area)).map(|(_, shown)| Hindrance::Swap { device: shown.clone() }),
        );
        if rustix::fs::access(real, rustix::fs::Access::WRITE_OK).is_err() {
            found.push(Hindrance::ReadOnly);
        }
        if found.is_empty() {
            found.extend(held(real));
        }
        found
    }
}

/// Whether someone else has the device or file for themselves. What can't be opened for lack of rights tells nothing.
fn held(path: &Path) -> Option<Hindrance> {
    let is_device = stat(path).is_ok_and(|s| FileType::from_raw_mode(s.st_mode) == FileType::BlockDevice);
    let exclusive = if is_device { OFlags::EXCL } else { OFlags::empty() };
    let shared = || open(path, OFlags::RDONLY | OFlags::NONBLOCK | OFlags::CLOEXEC, Mode::empty());
    match open(path, OFlags::RDONLY | OFlags::NONBLOCK | OFlags::CLOEXEC | exclusive, Mode::empty()) {
        Err(Errno::BUSY) => Some(match shared().is_ok_and(|fd| is_locked(&fd)) {
            true => Hindrance::JobRunning,
            false => Hindrance::HeldOpen,
        }),
        Ok(fd) if is_locked(&fd) => Some(Hindrance::JobRunning),
        Ok(_) | Err(_) => None,
    }
}

fn is_locked(fd: &impl std::os::fd::AsFd) -> bool {
    flock(fd, FlockOperation::NonBlockingLockShared) == Err(Errno::WOULDBLOCK)
}

fn device_number(dir: &Path) -> Option<u64> {
    let text = text(dir, "dev")?;
    let (major, minor) = text.split_once(':')?;
    Some(makedev(major.parse().ok()?, minor.parse().ok()?))
}

/// One line of mountinfo: `36 35 98:0 /mnt1 /mnt2 rw,noatime master:1 - ext3 /dev/root rw`.
fn mount(line: &str) -> Option<Mount> {
    let mut fields = line.split(' ');
    let number = fields.nth(2)?;
    let point = unescape(fields.nth(1)?);
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
        .filter_map(|member| Some(Mount { device: device_number(&member)?, point: "a Btrfs volume".into() }))
        .collect()
}

/// A line of /proc/swaps after the heading: `/dev/sda2  partition  8388604  0  -2`.
fn swap(line: &str) -> Option<(SwapArea, String)> {
    let path = unescape(line.split_whitespace().next()?);
    let area = match stat(path.as_str()) {
        Ok(s) if FileType::from_raw_mode(s.st_mode) == FileType::BlockDevice => SwapArea::Device(s.st_rdev),
        _ => SwapArea::File(fs::canonicalize(&path).unwrap_or_else(|_| path.clone().into())),
    };
    Some((area, path))
}

fn loops(sys: &Path) -> Vec<(PathBuf, String)> {
    let attached = |dir: PathBuf| {
        let raw = fs::read_to_string(dir.join("loop/backing_file")).ok()?;
        let file = raw.trim_end_matches('\n');
        Some((PathBuf::from(file), format!("/dev/{}", name(&dir))))
    };
    entries(&sys.join("block")).into_iter().filter(|d| name(d).starts_with("loop")).filter_map(attached).collect()
}

/// Blanks and backslashes stand as octal numbers in the kernel's tables: `\040`.
fn unescape(text: &str) -> String {
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
        assert_eq!((sda.bus, sda.class, sda.geometry.unit()), (Bus::Sata, MediaClass::Magnetic, 8));
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
                Hindrance::System { mount: "/boot".into() },
                Hindrance::Holder { device: "/dev/sda2".into(), holder: "vault-data".into() },
                Hindrance::Mounted { device: "/dev/dm-0".into(), mount: "/srv/tide logs".into() },
            ]
        );
        assert_eq!(drives[0].hindrances, [Hindrance::ReadOnly]);
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
        let drives = system.drives();
        let said =
            |at: usize| (drives[at].drive.unit.firmware.as_deref(), drives[at].hindrances.contains(&Hindrance::NoAnswer));
        assert_eq!((said(0), said(1)), ((None, true), (Some("asked"), false)));
        drop(hold);
    }

    #[test]
    fn the_only_list_names_drives_by_path_bus_or_port() {
        let (_root, system) = machine();
        let allowed = |name: &str| -> Vec<String> {
            let listed = system.clone().only(&[name.to_string()]).drives();
            let free = listed.iter().filter(|f| !f.hindrances.contains(&Hindrance::NotListed));
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
        uses.of_device(&dir, &mut found);
        assert!(found.contains(&Hindrance::System { mount: "/".into() }), "{found:?}");
    }
}
