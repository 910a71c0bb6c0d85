//! The real program on devices that truly fail: the kernel's own device mapper answers some sectors with errors, or drops
//! what is written.

mod common;

use common::{Loop, Place, json, shown};
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

/// Sectors of the failing device: a number that no other device is likely to have, since it is the label.
const SECTORS: u64 = 7 * 2048 + 8 * 1237;

/// A mapped device over a loop device, and a loop device over that: mapped volumes themselves are no drives.
struct Failing {
    drive: Loop,
    _mapped: Mapped,
    _beneath: Loop,
    image: PathBuf,
}

struct Mapped(String);

impl Drop for Mapped {
    fn drop(&mut self) {
        let _ = dmsetup(&["remove", "--retry", &self.0]);
    }
}

fn dmsetup(arguments: &[&str]) -> std::io::Result<Output> {
    Command::new("dmsetup").args(arguments).output()
}

impl Failing {
    /// `table` gives the device mapper's lines for the device that lies beneath. `None`, with a word on it, where the
    /// kernel has no such target.
    fn new(place: &Place, target: &str, table: impl Fn(&str) -> String) -> Option<Self> {
        let targets = dmsetup(&["targets"]).map(|o| String::from_utf8_lossy(&o.stdout).into_owned()).unwrap_or_default();
        if !targets.lines().any(|l| l.split_whitespace().next() == Some(target)) {
            // No package brings it where the kernel has none.
            eprintln!("NOT RUN, no device mapper with the target `{target}` in this kernel, or no dmsetup");
            return None;
        }
        let image = place.image("beneath.img", (SECTORS + 2 * 2048) as usize * 512);
        let beneath = Loop::attach(&image)?;
        let name = format!("jurex-test-{target}-{}", std::process::id());
        let made = dmsetup(&["create", &name, "--table", &table(&beneath.device)]).unwrap();
        assert!(made.status.success(), "{}", String::from_utf8_lossy(&made.stderr));
        let mapped = Mapped(name.clone());
        // Where no daemon makes the node.
        let _ = dmsetup(&["mknodes", &name]);
        let drive = Loop::attach(Path::new(&format!("/dev/mapper/{name}")))?;
        Some(Self { drive, _mapped: mapped, _beneath: beneath, image })
    }
}

fn erase(place: &Place, failing: &Failing, passes: &str) -> common::Answer {
    let (out, label) = (place.path("out"), SECTORS.to_string());
    let arguments =
        ["erase", &failing.drive.device, "--passes", passes, "--label-check", &label, "--out", shown(&out), "--retries", "0"];
    place.jurex(&arguments)
}

#[test]
fn sectors_that_truly_fail_are_named_exactly_and_their_neighbours_are_written() {
    let place = Place::new();
    let bad = 4661..4664;
    let Some(failing) = Failing::new(&place, "error", |beneath| {
        let (first, after) = (bad.start, bad.end);
        format!(
            "0 {first} linear {beneath} 0\n{first} {} error\n{after} {} linear {beneath} {after}",
            after - first,
            SECTORS - after
        )
    }) else {
        return;
    };
    let answer =
        erase(&place, &failing, "5a?").expect(3, &["Not sanitized", "3 sectors could not be written (sectors 4661 to 4663)"]);
    assert!(!answer.err.contains("stopped answering"), "{}", answer.err);
    let record = json(&place.only("out", ".record.json"));
    let stages = &record["evidence"]["stages"];
    for set in [&stages[0]["what"]["passes"][0]["unwritable"], &stages[1]["what"]["unreadable"]] {
        assert_eq!(*set, serde_json::json!([{ "first": "4661", "count": "3" }]));
    }
    drop(failing.drive);
    let bytes = fs::read(&failing.image).unwrap();
    let written = |n: u64| bytes[n as usize * 512..][..512].iter().all(|b| *b == 0x5a);
    let wrong: Vec<u64> = (0..SECTORS).filter(|n| written(*n) == bad.contains(n)).collect();
    assert!(wrong.is_empty(), "not as it should be: {wrong:?}");
    assert!(!written(SECTORS), "nothing beyond the end is written");
}

#[test]
fn a_device_that_drops_what_is_written_is_found_out() {
    let place = Place::new();
    let flaky = |beneath: &str| format!("0 {SECTORS} flakey {beneath} 0 0 3600 1 drop_writes");
    let Some(failing) = Failing::new(&place, "flakey", flaky) else { return };
    erase(&place, &failing, "5a?").expect(3, &["Not sanitized", "did not hold what was written"]);
}
