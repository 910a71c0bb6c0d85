//! File systems on image files, mounted through loop devices of their own, and the search of the raw image.
#![allow(dead_code, reason = "each test uses its part of it")]

use jurex_device::testing::Dice;
use jurex_file_erase::{StackLayer, StorageStack};
use jurex_linux::files::{FilesOrder, Tree};
use jurex_pattern::notation::Program;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::fs::{self, File};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::process::Command;

/// With `JUREX_REQUIRE_ALL=1`, as in CI, nothing may be missing.
#[track_caller]
pub fn not_run(why: &str) {
    assert!(std::env::var_os("JUREX_REQUIRE_ALL").is_none(), "NOT RUN, and everything is to be run: {why}");
    eprintln!("NOT RUN, {why}");
}

/// Runs a command; why it failed, if it did.
pub fn run(tool: &str, arguments: &[&str]) -> Result<String, String> {
    let output = Command::new(tool).args(arguments).output().map_err(|e| format!("no {tool}: {e}"))?;
    let said = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    if output.status.success() {
        Ok(said(&output.stdout))
    } else {
        Err(format!("{tool}: {}{}", said(&output.stderr), said(&output.stdout)))
    }
}

/// An order of these passes over whole files, names and all.
pub fn files_order(notation: &str) -> FilesOrder {
    FilesOrder {
        passes: notation.parse::<Program>().unwrap().resolve(&mut Dice(9)),
        keep_names: false,
        name_salt: None,
        sample_salt: [3; 16],
        traces: HashMap::new(),
        grounds: vec![],
        numbers: vec![],
        empties_journals: true,
    }
}

/// The tree at these paths.
pub fn look(paths: &[PathBuf]) -> Tree {
    Tree::look(paths, vec![], &mut |_| true).unwrap()
}

/// A file system on an image, mounted; gone when it is dropped.
pub struct Mounted {
    dir: tempfile::TempDir,
    /// The raw image.
    pub image: PathBuf,
    /// The loop device.
    pub device: String,
    system: String,
    checked_by: &'static str,
}

impl Mounted {
    /// Whether this kernel can mount it; where it can't, a word on that: a machine that can must try it.
    pub fn is_known(system: &str) -> bool {
        let known =
            fs::read_to_string("/proc/filesystems").is_ok_and(|t| t.lines().any(|l| l.split_whitespace().last() == Some(system)));
        if !known {
            eprintln!("NOT RUN, this kernel has no {system}");
        }
        known
    }

    /// Makes one of so many mebibytes by that tool and mounts it; `None`, with a word on it: it can't be had here.
    pub fn make(system: &str, mebibytes: u64, tool: &'static str, make: &[&str], options: &str) -> Option<Self> {
        let dir = tempfile::tempdir().unwrap();
        let image = dir.path().join("image");
        File::create(&image).unwrap().set_len(mebibytes << 20).unwrap();
        let path = image.to_str().unwrap().to_string();
        let made = run(tool, &[make, &[path.as_str()]].concat());
        if let Err(why) = made {
            not_run(&why);
            return None;
        }
        let device = match run("losetup", &["--find", "--show", &path]) {
            Ok(device) => device.trim().to_string(),
            Err(why) => {
                not_run(&why);
                return None;
            }
        };
        let mounted = Self { image, device, system: system.into(), checked_by: tool, dir };
        fs::create_dir(mounted.path()).unwrap();
        match mounted.mount(options) {
            Ok(()) => Some(mounted),
            Err(why) => {
                not_run(&why);
                None
            }
        }
    }

    fn mount(&self, options: &str) -> Result<(), String> {
        let point = self.path();
        let options = if options.is_empty() { "rw" } else { options };
        run("mount", &["-t", &self.system, "-o", options, &self.device, point.to_str().unwrap()]).map(drop)
    }

    /// Where it is mounted.
    pub fn path(&self) -> PathBuf {
        self.dir.path().join("mounted")
    }

    /// Everything is on the image.
    pub fn sync(&self) {
        run("sync", &["-f", self.path().to_str().unwrap()]).unwrap();
        run("sync", &[]).unwrap();
    }

    fn unmount(&self) {
        let point = self.path();
        // While other tests keep the disk busy, what was closed a moment ago may hold it for a while.
        let mut last = Ok(String::new());
        for _ in 0..300 {
            last = run("umount", &[point.to_str().unwrap()]);
            if last.is_ok() {
                return;
            }
            std::thread::sleep(std::time::Duration::from_millis(100));
        }
        panic!("it is never unmounted: {last:?}");
    }

    /// The system's own checker finds nothing wrong.
    pub fn check(self) {
        self.unmount();
        let device = self.device.as_str();
        let checked = match self.checked_by {
            // By a shell where one tool is not enough to make it.
            "mkfs.ext4" | "sh" => run("e2fsck", &["-fn", device]),
            "mkfs.xfs" => run("xfs_repair", &["-n", device]),
            "mkfs.btrfs" => run("btrfs", &["check", "--readonly", device]),
            "mkfs.ntfs" => run("ntfsfix", &["-n", device]),
            "mkfs.vfat" => run("fsck.vfat", &["-n", device]),
            "mkfs.exfat" => run("fsck.exfat", &["-n", device]),
            "mkfs.f2fs" => run("fsck.f2fs", &["--dry-run", device]),
            other => panic!("no checker for {other}"),
        };
        checked.unwrap();
    }
}

impl Drop for Mounted {
    fn drop(&mut self) {
        let _ = run("umount", &["-l", self.path().to_str().unwrap()]);
        let _ = run("losetup", &["--detach", &self.device]);
    }
}

/// A file system as it would be on a drive that turns: these tests are about what it does itself, and the machine that they run on may be a
/// virtual one, on whose disks nothing is ever proved.
pub fn on_a_drive(ground: &StorageStack) -> StorageStack {
    let hosted = ground.layers.iter().any(|l| matches!(l, StackLayer::Image { .. }));
    assert!(hosted, "they all lie in images: {:?}", ground.layers);
    StorageStack { layers: vec![], ..ground.clone() }
}

const MARK: &[u8] = b"<of the file ";

/// Writes a file whose every 32 bytes say which one it is; with a hole in its middle if that is wanted.
pub fn write_marked(path: &Path, mark: u64, bytes: usize, hole: bool) {
    let unit = format!("<of the file {mark:016x}> ");
    assert_eq!(unit.len(), 31);
    let whole: Vec<u8> = unit.bytes().chain(*b"\n").cycle().take(bytes).collect();
    let mut file = File::create(path).unwrap();
    if hole && bytes > 200_000 {
        use std::os::unix::fs::FileExt;
        file.write_all_at(&whole[..65_536], 0).unwrap();
        file.write_all_at(&whole[131_072..], 131_072).unwrap();
    } else {
        file.write_all(&whole).unwrap();
    }
}

/// The marks that lie anywhere on the raw image.
pub fn marks_in(image: &Path) -> BTreeSet<u64> {
    count_marks(image).into_keys().collect()
}

/// The same, and how often each does: 32 bytes each time.
pub fn count_marks(image: &Path) -> BTreeMap<u64, u64> {
    let mut found: BTreeMap<u64, u64> = BTreeMap::new();
    let mut file = File::open(image).unwrap();
    let (mut buffer, mut kept) = (vec![0u8; 4 << 20], 0);
    loop {
        let n = file.read(&mut buffer[kept..]).unwrap();
        if n == 0 {
            return found;
        }
        let whole = &buffer[..kept + n];
        let mut rest = whole;
        while let Some(at) = rest.iter().position(|b| *b == b'<') {
            rest = &rest[at..];
            if let Some(digits) = rest.strip_prefix(MARK).and_then(|r| r.get(..16)) {
                let mark = std::str::from_utf8(digits).ok().and_then(|d| u64::from_str_radix(d, 16).ok());
                mark.into_iter().for_each(|m| *found.entry(m).or_default() += 1);
            }
            rest = &rest[1..];
        }
        // A mark may lie across the border of two reads; what is whole already is not counted twice.
        let keep = whole.len().min(MARK.len() + 15);
        let from = whole.len() - keep;
        buffer.copy_within(from..from + keep, 0);
        kept = keep;
    }
}
