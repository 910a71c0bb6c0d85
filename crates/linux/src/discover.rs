//! Which drives there are, and what sysfs says of each.

use crate::guard::Uses;
use crate::identity::{attachment, ids, port, usb_serial};
use crate::ioctl::loop_backing;
use crate::object::KernelObject;
use crate::quiesce::is_quiet;
use crate::sysfs::{entries, name, number, text, vpd_serial};
use crate::system::System;
use crate::views;
use jurex_device::guard::Blocker;
use jurex_device::media::{Attachment, Bus, Drive, Elsewhere, Geometry, HiddenAreas, MediaClass, Protocol, Unit};
use jurex_device::native::{Capabilities, OwnState};
use jurex_pattern::text::shown_path;
use rustix::fs::{AtFlags, FileType, Mode, OFlags, Stat, StatxFlags, fstat, fstatfs, open, stat, statx};
use std::fs;
use std::io;
use std::os::fd::{AsFd, OwnedFd};
use std::path::{Path, PathBuf};
use std::sync::{Arc, PoisonError, mpsc};
use std::time::{Duration, Instant};
use wildmatch::WildMatch;

/// A drive or image with what stands in the way of erasing it.
#[derive(Clone, Debug)]
pub struct DiscoveredDrive {
    /// What it is.
    pub drive: Drive,
    /// What stands in the way.
    pub hindrances: Vec<Blocker>,
    /// What it answered beyond that.
    pub answers: Capabilities,
}

/// Why a path does not lead to a drive or an image.
#[derive(Debug, thiserror::Error)]
pub enum FindError {
    /// There is nothing there, or it can't be looked at.
    #[error("there is no drive or image at {path}: {cause}")]
    Unreachable {
        /// The path as given.
        path: String,
        /// The system's words.
        cause: io::Error,
    },
    /// Neither a block device nor a regular file.
    #[error("{path} is {what}; a drive is a block device or an image file")]
    NotAMedium {
        /// The path as given.
        path: String,
        /// What it is.
        what: &'static str,
    },
    /// A part of a drive, or something built on drives.
    #[error("{path} is {what}; Jurex erases whole drives{advice}")]
    NotADrive {
        /// The path as given.
        path: String,
        /// What it is.
        what: String,
        /// What to do instead.
        advice: String,
    },
    /// A file that no sector grid fits on.
    #[error("{path} has {bytes} bytes, which is {problem}; an image is a whole number of 512-byte sectors")]
    NotWholeSectors {
        /// The path as given.
        path: String,
        /// Its size.
        bytes: u64,
        /// What is wrong with it.
        problem: &'static str,
    },
}

/// Devices that are made of memory or of other drives.
const NOT_DRIVES: [(&str, &str); 6] = [
    ("ram", "a memory disk"),
    ("zram", "compressed memory"),
    ("dm-", "a mapped volume, built on drives"),
    ("md", "a RAID volume, built on drives"),
    ("bcache", "a cache volume, built on drives"),
    ("fd", "a floppy drive"),
];

fn not_a_drive(name: &str) -> Option<&'static str> {
    NOT_DRIVES.iter().find(|(prefix, _)| name.starts_with(prefix)).map(|(_, what)| *what)
}

/// How long a list of drives waits for the slowest of them.
const PATIENCE: Duration = Duration::from_secs(6);

impl System {
    /// Every drive of this machine, in the order of their names, loop devices last; empty loop devices and readers
    /// without media are left out. All are asked at once; one that does not answer in time is listed with what the
    /// system knows of it and may not be erased, and holds up nothing.
    pub fn drives(&self) -> Vec<DiscoveredDrive> {
        self.drives_within(PATIENCE)
    }

    /// The same, waiting no longer than `patience` for the slowest.
    pub fn drives_within(&self, patience: Duration) -> Vec<DiscoveredDrive> {
        let mut all: Vec<DiscoveredDrive> = vec![];
        self.drives_as_they_answer(patience, &mut |found| {
            for new in found {
                match all.iter_mut().find(|f| f.drive.path == new.drive.path) {
                    Some(known) => *known = new,
                    None => all.push(new),
                }
            }
        });
        all
    }

    /// Tells first, at once, every drive as the system knows it, and then each again as soon as it has answered, for as
    /// long as `patience` lasts. Until then a drive's hindrance is that it has not answered.
    pub fn drives_as_they_answer(&self, patience: Duration, tell: &mut dyn FnMut(Vec<DiscoveredDrive>)) {
        let uses = Arc::new(Uses::read(self));
        // A drive that is at work on itself, or failed at it, has no size for the kernel, and needs help most. A reader without
        // media and a loop device that is attached to nothing have none either.
        let there = |dir: &Path, d: &Drive| {
            let fixed = dir.join("device").exists() && number(dir, "removable") == Some(0);
            d.geometry.sectors > 0 || d.class == MediaClass::Optical || fixed
        };
        let mut known: Vec<(PathBuf, Drive)> = entries(&self.sys.join("block"))
            .into_iter()
            .filter(|dir| not_a_drive(&name(dir)).is_none() && number(dir, "hidden").unwrap_or(0) == 0)
            .map(|dir| (dir.clone(), self.drive(&dir)))
            .filter(|(dir, drive)| there(dir, drive))
            .collect();
        known.sort_by_key(|(_, d)| (d.bus == Bus::Loop, natural(&d.path)));
        let unasked = |drive: &Drive| DiscoveredDrive {
            drive: drive.clone(),
            hindrances: vec![Blocker::NoAnswer],
            answers: Capabilities { notes: vec!["The drive has not answered.".into()], ..Capabilities::default() },
        };
        tell(known.iter().map(|(_, drive)| unasked(drive)).collect());
        let (sender, answers) = mpsc::channel();
        for (dir, drive) in known {
            // One that still owes an answer from before keeps its thread; it gets no second one.
            if !self.begin_asking(&dir) {
                continue;
            }
            let (sender, uses, system) = (sender.clone(), uses.clone(), self.clone());
            // Not joined: a drive that hangs keeps its thread, and nobody else.
            std::thread::spawn(move || {
                let found = system.found_of(drive, &dir, &uses);
                system.end_asking(&dir);
                let _ = sender.send(found);
            });
        }
        drop(sender);
        let deadline = Instant::now() + patience;
        while let Ok(answer) = answers.recv_timeout(deadline.saturating_duration_since(Instant::now())) {
            tell(vec![answer]);
        }
    }

    fn begin_asking(&self, dir: &Path) -> bool {
        self.asking.lock().unwrap_or_else(PoisonError::into_inner).insert(dir.into())
    }

    fn end_asking(&self, dir: &Path) {
        self.asking.lock().unwrap_or_else(PoisonError::into_inner).remove(dir);
    }

    /// The drive or image at `path`.
    ///
    /// # Errors
    /// Nothing there, not a whole drive, or a file that is not a whole number of sectors.
    pub fn find(&self, path: &Path) -> Result<DiscoveredDrive, FindError> {
        let shown = shown_path(path);
        let unreachable = |cause| FindError::Unreachable { path: shown.clone(), cause };
        let real = fs::canonicalize(path).map_err(unreachable)?;
        // From here on the object is asked, and not its name, which may lead elsewhere in a moment.
        let opened = open(&real, OFlags::PATH | OFlags::CLOEXEC, Mode::empty()).map_err(|e| unreachable(e.into()))?;
        let status = fstat(&opened).map_err(|e| unreachable(e.into()))?;
        match FileType::from_raw_mode(status.st_mode) {
            FileType::BlockDevice => self.find_device(&shown, &status),
            FileType::RegularFile if is_the_kernels(&opened) => {
                Err(FindError::NotAMedium { path: shown, what: "a file of the kernel, no image" })
            }
            FileType::RegularFile => self.find_image(&shown, &real, &opened, &status),
            FileType::Directory => Err(FindError::NotAMedium { path: shown, what: "a folder" }),
            _ => Err(FindError::NotAMedium { path: shown, what: "no storage" }),
        }
    }

    fn find_device(&self, shown: &str, status: &Stat) -> Result<DiscoveredDrive, FindError> {
        let dir = self.device_dir(status.st_rdev).map_err(|cause| FindError::Unreachable { path: shown.into(), cause })?;
        let not_a_drive_error = |what: String, advice: String| FindError::NotADrive { path: shown.into(), what, advice };
        if dir.join("partition").exists() {
            let whole = dir.parent().map(name).unwrap_or_default();
            let advice = format!(": name /dev/{whole}, with --from and --to if only a part of it is meant");
            return Err(not_a_drive_error(format!("a partition of /dev/{whole}"), advice));
        }
        if let Some(what) = not_a_drive(&name(&dir)) {
            return Err(not_a_drive_error(what.into(), ": name the drives under it".into()));
        }
        Ok(self.found_of(self.drive(&dir), &dir, &Uses::read(self)))
    }

    /// The folder of a block device in sysfs. Gone with the drive.
    pub(crate) fn device_dir(&self, device: u64) -> io::Result<PathBuf> {
        let (major, minor) = (rustix::fs::major(device), rustix::fs::minor(device));
        fs::canonicalize(self.sys.join(format!("dev/block/{major}:{minor}")))
    }

    fn find_image(&self, shown: &str, real: &Path, opened: &OwnedFd, status: &Stat) -> Result<DiscoveredDrive, FindError> {
        let bytes = status.st_size as u64;
        let problem = match bytes {
            0 => Some("empty"),
            1..512 => Some("shorter than a sector"),
            _ if !bytes.is_multiple_of(512) => Some("not a whole number of sectors"),
            _ => None,
        };
        if let Some(problem) = problem {
            return Err(FindError::NotWholeSectors { path: shown.into(), bytes, problem });
        }
        let drive = image(real, opened, status);
        let uses = Uses::read(self);
        let mut hindrances = uses.of_image(opened, real);
        if !self.is_listed(&drive, real) {
            hindrances.push(Blocker::NotListed);
        }
        let answers = Capabilities { notes: uses.blind_to().into_iter().collect(), ..Capabilities::default() };
        Ok(DiscoveredDrive { drive, hindrances, answers })
    }

    fn found_of(&self, drive: Drive, dir: &Path, uses: &Uses) -> DiscoveredDrive {
        // A drive that a job of this process talks to is not asked beside it.
        let (drive, mut answers) =
            if is_quiet(&drive.path) { (drive, Capabilities::default()) } else { (self.asker)(drive, dir) };
        answers.notes.extend(uses.blind_to());
        let is_at_work = matches!(answers.own_state, Some(OwnState::Running { .. }));
        let mut hindrances = uses.of_drive(dir, &drive, is_at_work);
        if !self.is_listed(&drive, dir) {
            hindrances.push(Blocker::NotListed);
        }
        hindrances.extend(jurex_device::guard::of_answers(&answers));
        DiscoveredDrive { drive, hindrances, answers }
    }

    /// Whether the `only` list names the drive, or is empty.
    fn is_listed(&self, drive: &Drive, dir: &Path) -> bool {
        let place = fs::canonicalize(dir).unwrap_or_else(|_| dir.into()).to_string_lossy().into_owned();
        let bus = drive.bus.word();
        let names = |name: &String| match name.split_once(':') {
            // A SATA drive behind an adapter for SAS speaks ATA all the same.
            Some(("bus", wanted)) => {
                let ata = drive.bus == Bus::Sas && drive.protocol == Protocol::Ata;
                wanted.eq_ignore_ascii_case(bus) || ata && wanted.eq_ignore_ascii_case(Bus::Sata.word())
            }
            Some(("port", pattern)) => WildMatch::new(pattern).matches(&place),
            _ => WildMatch::new(name).matches(&drive.path),
        };
        self.only.is_empty() || self.only.iter().any(names)
    }

    /// Lets the kernel read the drive's capacity anew: one that was erasing itself when it was found has none yet.
    ///
    /// # Errors
    /// The drive is gone, or may not be looked at anew.
    pub fn rescan(&self, path: &Path) -> io::Result<()> {
        let dir = self.device_dir(stat(path)?.st_rdev)?;
        crate::port::rescan(&dir)
    }

    /// The serial of the drive that a loop device lies on: whoever erases the one erases the other, and must have read its label.
    fn serial_beneath(&self, dir: &Path) -> Option<String> {
        let KernelObject::Device(number) = loop_backing(&format!("/dev/{}", name(dir)))? else { return None };
        let beneath = self.device_dir(number).ok()?;
        let whole = if beneath.join("partition").exists() { beneath.parent()?.to_path_buf() } else { beneath };
        // By its own word too: the system's book has no serial of some that tell one when they are asked.
        let drive = self.drive(&whole);
        let asked = || (!is_quiet(&drive.path)).then(|| (self.asker)(drive.clone(), &whole).0.unit.serial).flatten();
        drive.unit.serial.clone().or_else(asked)
    }

    /// The drive behind a device number as it says it is now.
    pub(crate) fn identify(&self, device: u64) -> io::Result<Drive> {
        let dir = self.device_dir(device)?;
        Ok((self.asker)(self.drive(&dir), &dir).0)
    }

    /// What sysfs says of the block device whose folder is `dir`.
    pub(crate) fn drive(&self, dir: &Path) -> Drive {
        let real = fs::canonicalize(dir).unwrap_or_else(|_| dir.into());
        let device = dir.join("device");
        let device_name = name(dir);
        let bus = bus(&device_name, &real);
        let (class, class_basis) = class(bus, dir);
        let logical = number(dir, "queue/logical_block_size").filter(|n| n.is_power_of_two() && *n >= 512).unwrap_or(512);
        let physical = number(dir, "queue/physical_block_size").filter(|n| n.is_multiple_of(logical)).unwrap_or(logical);
        // The attribute counts units of 512 bytes whatever the sector size is.
        let sectors = number(dir, "size").unwrap_or(0).saturating_mul(512) / logical;
        let serial = text(&device, "serial").or_else(|| text(dir, "serial")).or_else(|| vpd_serial(&device));
        let serial = serial.or_else(|| (bus == Bus::Loop).then(|| self.serial_beneath(dir)).flatten());
        Drive {
            unit: Unit {
                maker: text(&device, "vendor").filter(|v| v != "ATA" && !v.starts_with("0x")),
                model: text(&device, "model").or_else(|| text(&device, "name")),
                serial: serial.or_else(|| usb_serial(&real)),
                firmware: text(&device, "rev").or_else(|| text(&device, "firmware_rev")).or_else(|| text(&device, "fwrev")),
                ids: ids(dir, &real),
            },
            protocol: match bus {
                Bus::Nvme => Protocol::Nvme { namespace: number(dir, "nsid").unwrap_or(1) as u32 },
                other => other.protocol(),
            },
            attachment: Attachment { instance: attachment(dir, &self.proc), port: port(&real) },
            hidden: match bus {
                Bus::Virtio | Bus::Loop | Bus::File => HiddenAreas::None,
                // Until it was asked and has answered.
                Bus::Sata | Bus::Sas | Bus::Usb | Bus::Nvme | Bus::Mmc | Bus::Unknown => HiddenAreas::NotAsked,
            },
            elsewhere: if bus == Bus::Mmc { areas_of_card(&self.sys, &device_name) } else { vec![] },
            zoned_by_host: text(dir, "queue/zoned").as_deref() == Some("host-managed"),
            // A disk on USB that nobody could ask is treated as a stick, and has a bridge before it all the same.
            bridged: bus == Bus::Usb && number(dir, "removable") != Some(1),
            ..Drive::bare(
                format!("/dev/{}", device_name.replace('!', "/")),
                bus,
                class,
                class_basis,
                Geometry { logical: logical as u32, physical: physical as u32, sectors },
            )
        }
    }
}

/// Boot areas, the replay protected block and general-purpose areas of an MMC device: devices of their own beside it.
fn areas_of_card(sys: &Path, device: &str) -> Vec<Elsewhere> {
    let there = |suffix: &str| sys.join("block").join(format!("{device}{suffix}")).exists();
    let area = |what: &str, user_data| Elsewhere { what: what.into(), user_data, no_address: false };
    let mut found = vec![];
    if there("boot0") || there("boot1") {
        found.push(area("the boot areas", false));
        // It is no block device, and there wherever boot areas are.
        found.push(area("the replay protected memory block", false));
    }
    found.extend((0..4).filter(|n| there(&format!("gp{n}"))).map(|n| area(&format!("General-purpose area {n}"), true)));
    found
}

/// Whether a file is made by the kernel as it is read: sysfs, procfs and the like.
fn is_the_kernels(opened: &OwnedFd) -> bool {
    const OTHERS: [i64; 9] = [
        0x6462_6720, // debugfs
        0x7472_6163, // tracefs
        0x7363_6673, // securityfs
        0x6265_6570, // configfs
        0xde5e_81e4, // efivarfs
        0xcafe_4a11, // bpf
        0x27_e0eb,   // cgroup
        0x6367_7270, // cgroup2
        0x1cd1,      // devpts
    ];
    fstatfs(opened).is_ok_and(|f| {
        let kind = f.f_type;
        kind == views::SYSFS || kind == views::PROC || OTHERS.contains(&kind)
    })
}

/// An image file that is open, as a drive that is called `real`.
pub(crate) fn image(real: &Path, opened: impl AsFd, status: &Stat) -> Drive {
    let geometry = Geometry { logical: 512, physical: 512, sectors: status.st_size as u64 / 512 };
    let path = real.display().to_string();
    let mut drive = Drive::bare(path, Bus::File, MediaClass::Virtual, "it is a regular file", geometry);
    drive.odd_path = real.to_str().is_none().then(|| real.into());
    drive.attachment.instance = Some(format!("file {}:{} of {}", status.st_dev, status.st_ino, birth(opened)));
    drive
}

/// When a file came into being: its inode number may be given to another file later.
fn birth(opened: impl AsFd) -> String {
    let told =
        statx(opened, "", AtFlags::EMPTY_PATH, StatxFlags::BTIME).ok().filter(|t| t.stx_mask & StatxFlags::BTIME.bits() != 0);
    told.map_or_else(|| "unknown".into(), |t| format!("{}.{:09}", t.stx_btime.tv_sec, t.stx_btime.tv_nsec))
}

fn bus(device: &str, real: &Path) -> Bus {
    let path = real.to_string_lossy();
    match device {
        d if d.starts_with("loop") => Bus::Loop,
        d if d.starts_with("nvme") => Bus::Nvme,
        d if d.starts_with("mmcblk") => Bus::Mmc,
        d if d.starts_with("vd") || d.starts_with("xvd") => Bus::Virtio,
        _ if path.contains("/usb") => Bus::Usb,
        _ if path.contains("/ata") => Bus::Sata,
        d if d.starts_with("sd") || d.starts_with("sr") => Bus::Sas,
        _ => Bus::Unknown,
    }
}

/// Class of media, and how it is known.
fn class(bus: Bus, dir: &Path) -> (MediaClass, String) {
    let rotational = number(dir, "queue/rotational");
    // SCSI peripheral device type 5 is an optical drive.
    if number(&dir.join("device"), "type") == Some(5) {
        return (MediaClass::Optical, "it is an optical drive".into());
    }
    if let Some(what) = hosted(bus, dir) {
        return (MediaClass::Virtual, what);
    }
    let (class, basis) = match (bus, rotational) {
        (Bus::Loop, _) => {
            let file = text(&dir.join("loop"), "backing_file").unwrap_or_else(|| "nothing".into());
            return (MediaClass::Virtual, format!("it is a loop device over {file}"));
        }
        (Bus::Virtio, _) => (MediaClass::Virtual, "it is a virtual machine's drive"),
        (Bus::File, _) => (MediaClass::Virtual, "it is a regular file"),
        (Bus::Nvme, _) => (MediaClass::SolidState, "it speaks NVMe"),
        (Bus::Mmc, _) => match text(&dir.join("device"), "type").as_deref() {
            Some("SD" | "SDcombo") => (MediaClass::RemovableFlash, "it is an SD card"),
            Some("MMC") => (MediaClass::EmbeddedFlash, "it is an MMC device"),
            _ => (MediaClass::Unknown, "the card does not say what it is"),
        },
        (Bus::Usb, _) if number(dir, "removable") == Some(1) => (MediaClass::RemovableFlash, "it is removable and on USB"),
        // Whatever the system says of its rotation is then its own guess.
        (Bus::Usb, _) => (MediaClass::RemovableFlash, "it is on USB and was not, or could not be, asked what it is"),
        (Bus::Sata | Bus::Sas, Some(0)) => (MediaClass::SolidState, "it says that nothing turns"),
        // "It turns" is also what the system assumes of a drive that says nothing.
        (Bus::Sata | Bus::Sas, Some(1)) => (MediaClass::Unknown, "it was not asked whether it turns, or does not tell"),
        _ => (MediaClass::Unknown, "the system does not tell"),
    };
    (class, basis.into())
}

/// Whether the sectors of the drive with that sysfs folder are hosted by other storage, of which nothing is told here.
pub(crate) fn is_hosted(dir: &Path) -> bool {
    let real = fs::canonicalize(dir).unwrap_or_else(|_| dir.into());
    let bus = bus(&name(dir), &real);
    bus == Bus::Virtio || hosted(bus, dir).is_some()
}

/// Names of devices that are no drives of their own: other computers', pools', replicas, memory.
const HOSTED_NAMES: [&str; 9] = ["nbd", "rbd", "zd", "drbd", "nullb", "ublk", "dasd", "zram", "ram"];

/// What virtual machines, targets and controllers call the disks that they make, in small letters.
const HOSTED_MODELS: [&str; 24] = [
    "qemu",
    "vmware",
    "vbox",
    "virtualbox",
    "virtual disk",
    "virtual hd",
    "virtual volume",
    "virtual drive",
    "virtual nvme",
    "msft",
    "microsoft nvme",
    "lio-org",
    "iet ",
    "elastic block store",
    "persistentdisk",
    "nvme_card",
    "xensrc",
    "bochs",
    "parallels",
    "nutanix",
    "logical volume",
    "perc ",
    "megaraid",
    "serveraid",
];

/// Drivers of host adapters that show a controller's volumes, or another machine's.
const HOSTED_DRIVERS: [&str; 19] = [
    "megaraid_sas",
    "megaraid_mbox",
    "megaraid_legacy",
    "aacraid",
    "hpsa",
    "smartpqi",
    "arcmsr",
    "3w-9xxx",
    "3w-sas",
    "3w-xxxx",
    "ips",
    "mvumi",
    "stex",
    "esas2r",
    "virtio_scsi",
    "Virtio SCSI HBA",
    "storvsc",
    "vmw_pvscsi",
    "xen_scsi",
];

/// What hosts the sectors of a disk that is not the media itself, as the end of "… because".
fn hosted(bus: Bus, dir: &Path) -> Option<String> {
    let device = dir.join("device");
    let real = fs::canonicalize(dir).unwrap_or_else(|_| dir.into());
    let place = real.to_string_lossy().into_owned();
    let device_name = name(dir);
    let is_named = |prefix: &&str| {
        device_name
            .strip_prefix(*prefix)
            .is_some_and(|rest| rest.starts_with(|c: char| c.is_ascii_digit() || c.is_ascii_lowercase()))
    };
    if HOSTED_NAMES.iter().any(is_named) {
        return Some("its sectors are hosted by other storage".into());
    }
    let names = [text(&device, "vendor"), text(&device, "model")].into_iter().flatten().collect::<Vec<_>>().join(" ");
    let lower = names.to_lowercase();
    if HOSTED_MODELS.iter().any(|v| lower.contains(v)) {
        return Some(format!("it is a virtual disk ({names})"));
    }
    if bus == Bus::Nvme {
        return transports(&device)
            .into_iter()
            .find(|t| t != "pcie" && t != "apple-nvme")
            .map(|t| format!("it is reached over a network (NVMe over {t})"));
    }
    if place.contains("/session") || place.contains("/rport-") {
        return Some("it is a remote disk".into());
    }
    if place.contains("/virtio") && bus != Bus::Virtio {
        return Some("it is a virtual machine's disk (virtio)".into());
    }
    if !matches!(bus, Bus::Sas | Bus::Sata) {
        return None;
    }
    let host = place.split('/').find(|part| part.starts_with("host") && part[4..].chars().all(|c| c.is_ascii_digit()))?;
    let folder = dir.ancestors().nth(2).map(Path::to_path_buf).unwrap_or_default();
    let class = real.ancestors().find(|a| a.ends_with(host)).map(|a| a.join("scsi_host").join(host)).unwrap_or(folder);
    let driver = text(&class, "proc_name").unwrap_or_default();
    HOSTED_DRIVERS.contains(&driver.as_str()).then(|| format!("it stands behind a controller that hosts its sectors ({driver})"))
}

/// How an NVMe controller is reached, of each path to it: `pcie`, `tcp`, `rdma`, `fc`. `device` is the controller, or its subsystem with
/// the controllers in it.
fn transports(device: &Path) -> Vec<String> {
    let controllers = entries(device).into_iter().filter(|d| name(d).starts_with("nvme"));
    text(device, "transport").into_iter().chain(controllers.filter_map(|d| text(&d, "transport"))).collect()
}

/// Splits digits from text, so that `loop10` follows `loop9`.
fn natural(path: &str) -> (String, u64) {
    let digits = path.len() - path.trim_end_matches(|c: char| c.is_ascii_digit()).len();
    let (text, number) = path.split_at(path.len() - digits);
    (text.into(), number.parse().unwrap_or(0))
}
