//! Jobs that are cut short in the real program: killed, stopped, their drive altered or exchanged; and going on.

mod common;

use common::{Answer, Loop, Place, json, shown};
use jurex_pattern::pattern::Pattern;
use std::fs::{self, File};
use std::os::unix::fs::FileExt;
use std::path::Path;
use std::process::{Child, Command};

const MIB: usize = 1 << 20;

/// Starts an erasure, and waits until it has laid so many passes.
fn start(place: &Place, drive: &Path, sectors: usize, passes: &str, until: usize) -> Child {
    let (child, lines) = place.erasing(drive, sectors as u64, passes);
    let mut lines = lines.map(Result::unwrap);
    for _ in 0..until {
        assert!(lines.any(|l| l.contains("\"pass-laid\"")));
    }
    assert!(lines.any(|l| l.contains("\"advanced\"")));
    // The rest is read away, or the pipe would fill up and hold the job.
    std::thread::spawn(move || lines.for_each(drop));
    child
}

fn kill(mut child: Child) {
    child.kill().unwrap();
    child.wait().unwrap();
}

fn go_on(place: &Place, drive: &Path, label: &str, more: &[&str]) -> Answer {
    let out = place.path("out");
    let fixed = ["erase", shown(drive), "--resume", "--label-check", label, "--out", shown(&out), "--quiet"];
    place.jurex(&[&fixed[..], more].concat())
}

/// Asserts that the drive holds what the record says its last pass laid.
fn holds_what_its_record_says(drive: &Path, record: &Path) {
    let evidence = &json(record)["evidence"];
    let last = evidence["stages"][0]["what"]["passes"].as_array().unwrap().last().unwrap().clone();
    let pattern: Pattern = serde_json::from_value(last["pattern"].clone()).unwrap();
    let mut expected = vec![0; fs::metadata(drive).map(|m| m.len()).ok().filter(|n| *n > 0).unwrap_or(32 * MIB as u64) as usize];
    pattern.fill(0, 512, &mut expected);
    let mut held = vec![0; expected.len()];
    File::open(drive).unwrap().read_exact_at(&mut held, 0).unwrap();
    assert!(held == expected, "{} holds something else than its record says", shown(drive));
}

#[test]
fn a_killed_job_goes_on_and_leaves_no_seed_behind() {
    let place = Place::new();
    let image = place.image("drive.img", 32 * MIB);
    kill(start(&place, &image, 65536, "random x8", 3));
    go_on(&place, &image, "65535", &[]).expect(2, &["label check failed", "Nothing was written"]);
    go_on(&place, &image, "65536", &[]).expect(0, &[": Clear ("]);
    let record = place.only("out", ".record.json");
    assert_eq!(json(&record)["evidence"]["stages"][0]["what"]["passes"].as_array().unwrap().len(), 8);
    holds_what_its_record_says(&image, &record);
    for file in fs::read_dir(place.path("home")).unwrap().flatten() {
        let bytes = fs::read(file.path()).unwrap();
        let kept = bytes.windows(18).any(|w| w == b"jurex-checkpoint/3");
        assert!(!kept, "{:?} still holds a checkpoint, and with it the seeds of passes", file.path());
    }
    go_on(&place, &image, "65536", &[]).expect(2, &["no job to resume"]);
}

#[test]
fn a_stopped_job_goes_on_and_its_first_papers_stay() {
    let place = Place::new();
    let image = place.image("drive.img", 32 * MIB);
    let mut child = start(&place, &image, 65536, "random x8", 2);
    assert!(Command::new("kill").args(["-TERM", &child.id().to_string()]).status().unwrap().success());
    assert_eq!(child.wait().unwrap().code(), Some(4));
    let first = place.only("out", ".record.json");
    let before = fs::read(&first).unwrap();
    go_on(&place, &image, "65536", &[]).expect(0, &["-2.certificate.pdf"]);
    assert_eq!(fs::read(&first).unwrap(), before);
    let second = first.with_file_name(first.file_name().unwrap().to_str().unwrap().replace(".record", "-2.record"));
    assert_eq!(json(&second)["job"], json(&first)["job"]);
    holds_what_its_record_says(&image, &second);
}

#[test]
fn what_was_altered_meanwhile_is_not_trusted_and_another_drive_is_refused() {
    let place = Place::new();
    let image = place.image("drive.img", 32 * MIB);
    kill(start(&place, &image, 65536, "00 x30", 2));
    // Someone writes to the drive while the job is away: the pass begins anew.
    let file = File::options().write(true).open(&image).unwrap();
    file.write_all_at(&[0xaa; 32 * MIB], 0).unwrap();
    file.sync_all().unwrap();
    drop(file);
    let answer = go_on(&place, &image, "65536", &["--json"]).expect(0, &["\"resumed\""]);
    let rechecked = answer.out.lines().find(|l| l.contains("\"rechecked\"")).unwrap_or_default();
    // Between two passes there is nothing to recheck; within one, what lies there is not as laid.
    assert!(rechecked.is_empty() || rechecked.contains("\"trusted\":false"), "{rechecked}");
    holds_what_its_record_says(&image, &place.only("out", ".record.json"));

    kill(start(&place, &image, 65536, "00 x30", 2));
    fs::write(&image, vec![0; 16 * MIB]).unwrap();
    go_on(&place, &image, "32768", &[]).expect(2, &["can't be resumed on", "it had 65536 sectors of 512 B and has 32768"]);
    assert!(fs::read(&image).unwrap().iter().all(|b| *b == 0), "nothing was written to the other drive");
}

#[test]
fn what_was_read_before_an_interruption_proves_nothing_afterwards() {
    let place = Place::new();
    let bytes = common::odd(96 * MIB);
    let (image, label) = (place.image("drive.img", bytes), common::label(bytes));
    let Some(device) = Loop::attach(&image) else { return };
    let path = Path::new(&device.device);
    let (child, lines) = place.erasing(path, bytes as u64 / 512, "00");
    let mut lines = lines.map(Result::unwrap);
    assert!(lines.any(|l| l.contains("\"reading-back\"")), "it is being read back");
    kill(child);
    // The drive is used elsewhere, at a place that had been read, and that is not rechecked before the job goes on.
    let drive = File::options().write(true).open(path).unwrap();
    drive.write_all_at(&[0xb7; 512], 0).unwrap();
    drive.sync_all().unwrap();
    drop(drive);
    go_on(&place, path, &label, &[]).expect(3, &["Not sanitized", "1 sector did not hold what was written"]);
    let record = json(&place.only("out", ".record.json"));
    let sessions = record["evidence"]["sessions"].as_array().unwrap();
    assert_eq!(sessions.len(), 2, "the interruption stands in the record");
    assert!(sessions[0]["closed"].is_null() && sessions.iter().all(|s| s["access"]["way"] == "direct"), "{sessions:?}");
    let check = &record["evidence"]["stages"][1]["what"];
    assert_eq!((&check["session"], &check["read"][0]["count"]), (&1.into(), &label.as_str().into()), "all of it was read anew");
}

#[test]
fn a_job_on_a_drive_that_nothing_names_trusts_nothing_of_another_in_its_place() {
    let place = Place::new();
    let bytes = common::odd(34 * MIB);
    let (first, second) = (place.image("first.img", bytes), place.image("second.img", bytes));
    let Some(device) = Loop::attach(&first) else { return };
    let name = device.device.clone();
    kill(start(&place, Path::new(&name), bytes / 512, "00 x30", 2));
    fs::write(&second, vec![0; bytes]).unwrap();
    // A twin, as blank as the passes were, at the very same loop device.
    device.exchange(&second);
    let answer = go_on(&place, Path::new(&name), &common::label(bytes), &["--json"]);
    drop(device);
    let answer = answer.expect(0, &["\"nothing-trusted\""]);
    let begun = answer.out.lines().filter(|l| l.contains("\"pass-started\"")).count();
    assert_eq!(begun, 30, "every pass is laid on the drive that is certified");
}

#[test]
fn a_killed_job_on_a_loop_device_goes_on_by_queue_and_by_threads() {
    let place = Place::new();
    let bytes = common::odd(32 * MIB);
    let (image, label) = (place.image("drive.img", bytes), common::label(bytes));
    let Some(device) = Loop::attach(&image) else { return };
    let path = Path::new(&device.device);
    kill(start(&place, path, bytes / 512, "random x6", 2));
    let out = place.path("out");
    let arguments = ["erase", shown(path), "--resume", "--label-check", &label, "--out", shown(&out), "--quiet"];
    let output = place.command().env("JUREX_IO", "threads").args(arguments).output().unwrap();
    Answer::of(output).expect(0, &[": Clear ("]);
    holds_what_its_record_says(path, &place.only("out", ".record.json"));
}

#[test]
fn a_loop_device_detached_under_the_job_stays_until_the_job_is_over() {
    let place = Place::new();
    let bytes = common::odd(36 * MIB);
    let image = place.image("drive.img", bytes);
    let Some(device) = Loop::attach(&image) else { return };
    let mut child = start(&place, Path::new(&device.device), bytes / 512, "random x4", 1);
    drop(device);
    let code = child.wait().unwrap().code();
    // The kernel lets go of it when the job closes it; where it does so at once, the drive is gone, and that is said.
    assert!(matches!(code, Some(0 | 4)), "{code:?}");
    let record = place.only("out", ".record.json");
    assert_eq!(json(&record)["claim"]["outcome"], if code == Some(0) { "clear" } else { "not-sanitized" });
}

#[test]
fn a_dying_drive_is_given_up_after_its_budget_of_bad_places() {
    // Bay 3 is worn out: with no bad place allowed it is given up at the first one.
    let place = Place::new();
    let out = place.path("out");
    let arguments =
        ["erase", "sim:3", "--method", "zeros", "--faults", "0", "--label-check", "T3XW8D", "--out", shown(&out), "--quiet"];
    place.jurex(&arguments).expect(3, &["the job was given up after 1 bad place.", "Not sanitized"]);
}
