//! Real file systems and tables, made by the system's own tools on image files, as a look finds them. Each tool that is
//! missing is named; its volume is then not tried.

use jurex_linux::{System, peek};
use jurex_sanitize::contents::{Contents, look};
use std::fs::File;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// With `JUREX_REQUIRE_ALL=1`, as in CI, nothing may be missing.
#[track_caller]
fn not_run(why: &str) {
    assert!(std::env::var_os("JUREX_REQUIRE_ALL").is_none(), "NOT RUN, and everything is to be run: {why}");
    eprintln!("NOT RUN, {why}");
}

const MIB: u64 = 1 << 20;

fn image(dir: &Path, name: &str, mebibytes: u64) -> PathBuf {
    let path = dir.join(name);
    File::create(&path).unwrap().set_len(mebibytes * MIB).unwrap();
    path
}

/// Runs a tool on the image; false, with a word on it, if it is missing or fails.
fn run(tool: &str, arguments: &[&str], input: &str) -> bool {
    let child = Command::new(tool).args(arguments).stdin(Stdio::piped()).stdout(Stdio::null()).stderr(Stdio::piped()).spawn();
    let mut child = match child {
        Ok(child) => child,
        Err(e) => {
            not_run(&format!("no {tool}: {e}"));
            return false;
        }
    };
    // A tool that asks for nothing may be over before anything is said to it.
    let _ = std::io::Write::write_all(&mut child.stdin.take().unwrap(), input.as_bytes());
    let output = child.wait_with_output().unwrap();
    if !output.status.success() {
        not_run(&format!("{tool} failed: {}", String::from_utf8_lossy(&output.stderr)));
    }
    output.status.success()
}

/// Looks until two looks agree: what the tools wrote through the cache a moment ago may still be missing from what is read
/// past it, however often it was synced, while other tests keep the disk busy.
fn look_at(path: &Path) -> Contents {
    let look_once = || {
        File::open(path).and_then(|f| f.sync_all()).unwrap();
        let found = System::default().find(path).unwrap();
        look(&mut peek(&System::default(), &found.drive).unwrap())
    };
    let mut before = look_once();
    for _ in 0..20 {
        std::thread::sleep(std::time::Duration::from_millis(10));
        let now = look_once();
        if now == before {
            return now;
        }
        before = now;
    }
    panic!("{} never reads the same twice", path.display());
}

#[test]
fn every_kind_of_volume_is_told_by_its_superblock() {
    let dir = tempfile::tempdir().unwrap();
    let cases: [(&str, u64, &str, &[&str], &str); 15] = [
        ("fat12", 4, "mkfs.vfat", &["-F", "12", "-n", "BUOY"], "FAT12 \"BUOY\""),
        ("fat16", 32, "mkfs.vfat", &["-F", "16", "-n", "LOGGER"], "FAT16 \"LOGGER\""),
        ("fat32", 64, "mkfs.vfat", &["-F", "32", "-n", "STATIONS"], "FAT32 \"STATIONS\""),
        ("exfat", 64, "mkfs.exfat", &["-L", "gezeiten"], "exFAT \"gezeiten\""),
        ("ntfs", 64, "mkfs.ntfs", &["-F", "-Q", "-L", "office"], "NTFS \"office\""),
        ("ext2", 16, "mkfs.ext2", &["-F", "-L", "two"], "ext2 \"two\""),
        ("ext3", 16, "mkfs.ext3", &["-F", "-L", "three"], "ext3 \"three\""),
        ("ext4", 16, "mkfs.ext4", &["-F", "-L", "archive"], "ext4 \"archive\""),
        ("xfs", 320, "mkfs.xfs", &["-f", "-L", "charts"], "XFS \"charts\""),
        ("btrfs", 128, "mkfs.btrfs", &["-f", "-L", "forecast"], "Btrfs \"forecast\""),
        ("f2fs", 128, "mkfs.f2fs", &["-f", "-l", "cards"], "F2FS \"cards\""),
        ("swap", 8, "mkswap", &["-L", "tern"], "swap \"tern\""),
        (
            "luks1",
            16,
            "cryptsetup",
            &["luksFormat", "--type", "luks1", "--batch-mode", "--pbkdf-force-iterations", "1000", "--key-file", "-"],
            "encrypted volume (LUKS 1)",
        ),
        (
            "luks2",
            32,
            "cryptsetup",
            &[
                "luksFormat",
                "--type",
                "luks2",
                "--label",
                "vault",
                "--batch-mode",
                "--pbkdf",
                "pbkdf2",
                "--pbkdf-force-iterations",
                "1000",
                "--key-file",
                "-",
            ],
            "encrypted volume (LUKS 2) \"vault\"",
        ),
        ("blank", 4, "true", &[], ""),
    ];
    for (name, mebibytes, tool, arguments, expected) in cases {
        let path = image(dir.path(), name, mebibytes);
        let all: Vec<&str> = arguments.iter().copied().chain([path.to_str().unwrap()]).collect();
        if !run(tool, &all, "key") {
            continue;
        }
        let contents = look_at(&path);
        let found: Vec<String> = contents.regions.iter().map(|r| r.called()).collect();
        assert_eq!(found.join(", "), expected, "{name}");
        assert_eq!(contents.table, None, "{name}");
        if ["ext4", "btrfs", "xfs", "fat32", "exfat"].contains(&name) {
            let used = contents.regions[0].used.unwrap_or_else(|| panic!("{name} tells how full it is"));
            assert!(used < mebibytes * MIB, "{name}: {used}");
        }
        if name == "ext4" {
            let written = contents.regions[0].written.expect("ext4 tells when it was written");
            let age = std::time::SystemTime::now().duration_since(written.into()).unwrap();
            assert!(age.as_secs() < 3600, "{written}");
        }
    }
}

#[test]
fn lvm_and_raid_members_are_told() {
    let dir = tempfile::tempdir().unwrap();
    // These tools take devices only.
    for (tool, arguments, expected) in [
        ("pvcreate", &["--force", "--yes"][..], "LVM volume"),
        (
            "mdadm",
            &[
                "--create",
                "/dev/md/jurex-test",
                "--run",
                "--force",
                "--level=1",
                "--raid-devices=1",
                "--metadata=1.2",
                "--name=tern",
            ][..],
            "Linux RAID member",
        ),
    ] {
        if tool == "mdadm" && !Path::new("/proc/mdstat").exists() {
            eprintln!("NOT RUN, this kernel has no RAID");
            continue;
        }
        let path = image(dir.path(), tool, 32);
        let attached = Command::new("losetup").args(["--find", "--show"]).arg(&path).output();
        let Some(device) = attached.ok().filter(|o| o.status.success()).map(|o| String::from_utf8(o.stdout).unwrap()) else {
            not_run("no loop device (this test needs root)");
            return;
        };
        let all: Vec<&str> = arguments.iter().copied().chain([device.trim()]).collect();
        let made = run(tool, &all, "");
        if tool == "mdadm" {
            run("mdadm", &["--stop", "/dev/md/jurex-test"], "");
        }
        run("losetup", &["--detach", device.trim()], "");
        if made {
            assert!(look_at(&path).regions[0].called().starts_with(expected));
        }
    }
}

#[test]
fn an_iso_image_is_told_with_its_label() {
    let dir = tempfile::tempdir().unwrap();
    std::fs::write(dir.path().join("note.txt"), "Maintenance notes").unwrap();
    let path = dir.path().join("disc.iso");
    let file = dir.path().join("note.txt");
    if run("genisoimage", &["-quiet", "-V", "CHARTS", "-o", path.to_str().unwrap(), file.to_str().unwrap()], "") {
        assert_eq!(look_at(&path).regions[0].called(), "ISO 9660 \"CHARTS\"");
    }
}

#[test]
fn tables_of_the_systems_own_partitioner_are_read() {
    let dir = tempfile::tempdir().unwrap();
    let path = image(dir.path(), "mbr", 64);
    let shown = path.to_str().unwrap();
    let script =
        "label: dos\nsize=8MiB, type=c\nsize=8MiB, type=82\nsize=40MiB, type=5\nsize=4MiB, type=83\nsize=6MiB, type=8e\n";
    if !run("sfdisk", &["-q", shown], script) {
        return;
    }
    let contents = look_at(&path);
    let found: Vec<String> = contents.regions.iter().map(|r| format!("{} {}", r.called(), r.at.count / 2048)).collect();
    assert_eq!(
        (contents.table.as_deref(), found.as_slice()),
        (Some("MBR"), &["FAT32 partition 8", "Linux swap 8", "Linux LVM 6", "Linux data 4"].map(String::from)[..])
    );

    let path = image(dir.path(), "gpt", 64);
    let shown = path.to_str().unwrap();
    assert!(run("sfdisk", &["-q", shown], "label: gpt\nsize=8MiB, type=uefi, name=\"boot\"\nsize=32MiB, name=\"tide logs\"\n"));
    let whole = look_at(&path);
    let named: Vec<String> = whole.regions.iter().map(|r| r.called()).collect();
    assert_eq!(
        (whole.table.as_deref(), named.as_slice()),
        (Some("GPT"), &["EFI system \"boot\"", "Linux data \"tide logs\""].map(String::from)[..])
    );
    // The primary header is lost; the backup tells the same.
    let file = File::options().write(true).open(&path).unwrap();
    std::os::unix::fs::FileExt::write_all_at(&file, &[0; 512], 512).unwrap();
    let damaged = look_at(&path);
    assert_eq!(damaged.regions, whole.regions, "{:?}", damaged.note);
    assert!(damaged.note.unwrap().contains("backup"));
}
