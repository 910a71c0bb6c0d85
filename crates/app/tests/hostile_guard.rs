//! What the guard asks is hidden, lies, or is asked in a way that a drive refuses: then Jurex writes nothing and says why.

mod common;

use common::{Answer, Loop, PROGRAM, Place, not_run, shown};
use std::fs;
use std::os::unix::fs::FileExt;
use std::path::Path;
use std::process::{Command, Stdio};

/// Runs shell commands where nothing that is mounted is seen outside; `None`, with a word on it, where that needs rights.
fn apart(more: &[&str], script: &str, arguments: &[&str]) -> Option<Answer> {
    if !rustix::process::geteuid().is_root() {
        not_run("mount namespaces need root");
        return None;
    }
    let mut command = Command::new("unshare");
    command.args(["--mount", "--propagation", "private"]).args(more).args(["sh", "-c", script, "sh"]).args(arguments);
    Some(Answer::of(command.env("PROGRAM", PROGRAM).output().unwrap()))
}

fn made_by(tool: &str, arguments: &[&str], input: &str) {
    let mut child = Command::new(tool).args(arguments).stdin(Stdio::piped()).stdout(Stdio::null()).spawn().unwrap();
    std::io::Write::write_all(&mut child.stdin.take().unwrap(), input.as_bytes()).unwrap();
    assert!(child.wait().unwrap().success(), "{tool}");
}

#[test]
fn nothing_is_erased_while_the_systems_own_views_are_hidden() {
    let place = Place::new();
    let image = place.image("drive.img", 4 << 20);
    let before = fs::read(&image).unwrap();
    let erase = "export JUREX_HOME=\"$1/home\"; exec \"$PROGRAM\" erase \"$2\" --passes 00 --label-check 8192 --out \"$1/out\"";
    let covers = [
        ("mount -t tmpfs none /sys", "/sys is not the kernel's sysfs"),
        ("mount -t tmpfs none /sys/block", "/sys/block"),
        ("mkdir -p \"$1/empty\"; mount --bind /sys/kernel /sys/devices/virtual/block", "mounted over /sys/devices/virtual/block"),
        ("mount --bind /proc/filesystems /proc/swaps", "mounted over /proc/swaps"),
        ("mount --bind /dev/null /proc/self/mountinfo", "mountinfo"),
    ];
    for (cover, says) in covers {
        let dir = place.path("");
        let Some(answer) = apart(&[], &format!("{cover}\n{erase}"), &[shown(&dir), shown(&image)]) else { return };
        // What covers this very process' own table is gone for the next process: then all is well, and there is nothing to refuse.
        if cover.contains("self") && answer.code == 0 {
            continue;
        }
        answer.expect(2, &[says]);
        assert_eq!(fs::read(&image).unwrap(), before, "{cover}");
    }
    // Nothing is hidden: it is what it was about.
    apart(&[], erase, &[shown(&place.path("")), shown(&image)]).unwrap().expect(0, &[": Clear ("]);
}

#[test]
fn in_a_container_it_is_said_that_not_every_program_can_be_seen() {
    let place = Place::new();
    let image = place.image("drive.img", 1 << 20);
    let look = "export JUREX_HOME=\"$1/home\"; exec \"$PROGRAM\" look \"$2\"";
    let arguments = [shown(&place.path("")).to_string(), shown(&image).to_string()];
    let arguments = [arguments[0].as_str(), arguments[1].as_str()];
    let Some(inside) = apart(&["--pid", "--fork", "--mount-proc"], look, &arguments) else { return };
    inside.expect(0, &["programs outside it that have the drive open can't be seen"]);
    let outside = apart(&[], look, &arguments).unwrap().expect(0, &[]);
    assert!(!outside.out.contains("container"), "{}", outside.out);
    // Somebody outside has it open for writing: nobody inside sees who, and the kernel's word is enough.
    let _held = fs::OpenOptions::new().write(true).open(&image).unwrap();
    let erase = "export JUREX_HOME=\"$1/home\"; exec \"$PROGRAM\" erase \"$2\" --passes 00 --label-check 2048 --out \"$1/out\"";
    apart(&["--pid", "--fork", "--mount-proc"], erase, &arguments).unwrap().expect(2, &["by whom can't be seen"]);
    assert!(fs::read(&image).unwrap().starts_with(b"tide log "));
}

/// Every byte of a stretch, read past the cache of the loop device by the file beneath.
fn holds(file: &Path, from: u64, bytes: usize) -> Vec<u8> {
    let mut found = vec![0; bytes];
    fs::File::open(file).unwrap().read_exact_at(&mut found, from).unwrap();
    found
}

#[test]
fn a_partition_is_erased_and_the_others_and_the_table_stay_on_sectors_of_any_size() {
    for sector in ["512", "4096"] {
        let place = Place::new();
        let bytes = common::odd(64 << 20);
        let path = place.image("gpt.img", bytes);
        let Some(device) = Loop::attach_with(&path, &["--sector-size", sector]) else { return };
        made_by(
            "sfdisk",
            &["-q", "--wipe", "always", &device.device],
            "label: gpt\nsize=8MiB, name=\"first\"\nsize=16MiB, name=\"second\"\n",
        );
        let sync = || assert!(Command::new("blockdev").args(["--flushbufs", &device.device]).status().unwrap().success());
        sync();
        let (table, second) = (holds(&path, 0, 1 << 20), holds(&path, 9 << 20, 16 << 20));
        let sectors = (bytes / sector.parse::<usize>().unwrap()).to_string();
        let out = place.path("out");
        let arguments =
            ["erase", &device.device, "--partition", "1", "--passes", "00", "--label-check", &sectors, "--out", shown(&out)];
        // A part of a drive is never the drive sanitized.
        let covered = if sector == "512" { "16\u{202f}384 of 131\u{202f}" } else { "2\u{202f}048 of 16\u{202f}" };
        place.jurex(&arguments).expect(3, &["Not sanitized", covered]);
        sync();
        assert!(holds(&path, 0, 1 << 20) == table, "{sector}: the table is as it was");
        assert!(holds(&path, 9 << 20, 16 << 20) == second, "{sector}: the second partition is as it was");
        assert!(holds(&path, 1 << 20, 8 << 20).iter().all(|b| *b == 0), "{sector}: the first one is erased");
        // With neither header left, nothing is a partition, the entry that stands for the GPT least of all.
        let file = fs::OpenOptions::new().write(true).open(&path).unwrap();
        let sector: u64 = sector.parse().unwrap();
        file.write_all_at(&vec![0; sector as usize], sector).unwrap();
        file.write_all_at(&vec![0; sector as usize], bytes as u64 - sector).unwrap();
        file.sync_all().unwrap();
        drop(file);
        sync();
        place.jurex(&arguments).expect(1, &["Nothing was written"]);
        assert!(holds(&path, 9 << 20, 16 << 20) == second);
    }
}
