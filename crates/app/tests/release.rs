//! What becomes of drives, by the real program: made ready for the next user and checked by the system's own tools; destroyed, handed on,
//! and found again; labels that an independent reader reads.

mod common;

use common::{Loop, Place, json, not_run, shown};
use std::fs;
use std::path::Path;
use std::process::Command;

const MIB: usize = 1 << 20;

fn bench() -> Place {
    let place = Place::new();
    fs::create_dir_all(place.path("home")).unwrap();
    fs::write(place.path("home/config.toml"), "[technician]\nname = \"Ines Okafor-Lindqvist\"\n").unwrap();
    place
}

fn erase(place: &Place, drive: &str, sectors: usize) -> String {
    let (label, out) = (sectors.to_string(), tempfile::tempdir_in(place.path("")).unwrap());
    let answer =
        place.jurex(&["erase", drive, "--method", "zeros", "--label-check", &label, "--out", shown(out.path()), "--json"]);
    let answer = answer.expect(0, &[]);
    let last: serde_json::Value = serde_json::from_str(answer.out.lines().last().unwrap()).unwrap();
    last["job"].as_str().unwrap().to_string()
}

/// Whether a program of the system finds nothing wrong.
fn is_sound(program: &str, arguments: &[&str]) -> bool {
    let done = Command::new(program).args(arguments).output();
    let done = done.unwrap_or_else(|e| panic!("{program}: {e}"));
    let said = String::from_utf8_lossy(&done.stdout).into_owned() + &String::from_utf8_lossy(&done.stderr);
    assert!(done.status.success(), "{program} {arguments:?}: {said}");
    true
}

/// A loop device over a part of an image.
fn window(image: &Path, offset: u64, bytes: u64) -> Option<Loop> {
    Loop::attach_with(image, &["--offset", &offset.to_string(), "--sizelimit", &bytes.to_string()])
}

#[test]
fn what_is_prepared_is_sound_to_the_systems_own_tools() {
    let place = bench();
    let bytes = common::odd(220 * MIB);
    let image = place.image("drive.img", bytes);
    let Some(device) = Loop::attach(&image) else { return };
    erase(&place, &device.device, bytes / 512);
    let out = place.path("released");
    let volumes =
        ["--volume", "fat32:TIDES:50MB", "--volume", "ext4:logs:60MB", "--volume", "exfat:LOGGER:45MB", "--volume", "ntfs:desk"];
    let prepared = ["release", &device.device, "--as", "prepared", "--out", shown(&out), "--spare", "2"];
    // Just erased here and not taken away since: the label is not asked for again.
    place
        .jurex(&[&prepared[..], &volumes].concat())
        .expect(0, &["GPT partition table: FAT32 \"TIDES\", ext4 \"logs\", exFAT", "NTFS"]);
    is_sound("sgdisk", &["--verify", shown(&image)]);
    let release = json(&place.only("released", ".release.json"));
    assert_eq!(release["act"]["as_wished"], true);
    let made = release["act"]["volumes"].as_array().unwrap();
    let checks: [(&str, &[&str]); 4] =
        [("fsck.fat", &["-n"]), ("fsck.ext4", &["-f", "-n"]), ("fsck.exfat", &["-n"]), ("ntfsfix", &["--no-action"])];
    let mut end = 0;
    for (volume, (program, arguments)) in made.iter().zip(checks) {
        let number = |field: &str| volume["at"][field].as_str().unwrap().parse::<u64>().unwrap() * 512;
        let (first, count) = (number("first"), number("count"));
        assert!(first % (MIB as u64) == 0 && first >= end, "aligned, and beside each other");
        end = first + count;
        let part = window(&image, first, count).unwrap();
        is_sound(program, &[arguments, &[&part.device]].concat());
    }
    assert!(bytes as u64 - end >= bytes as u64 / 50, "two of a hundred parts stay free");
    // What ext4 says of itself is enough to mount it and to keep a file on it.
    let number = |field: &str| made[1]["at"][field].as_str().unwrap().parse::<u64>().unwrap() * 512;
    let part = window(&image, number("first"), number("count")).unwrap();
    let (folder, log) = (place.path("mounted"), place.path("mounted/log"));
    fs::create_dir(&folder).unwrap();
    if is_sound("mount", &[&part.device, shown(&folder)]) {
        fs::write(&log, "tide").unwrap();
        assert_eq!(fs::read(&log).unwrap(), b"tide");
        // In use, it is left alone.
        let refused = ["release", &device.device, "--as", "tables-cleared", "--label-check", &(bytes / 512).to_string()];
        place.jurex(&refused).expect(2, &["Nothing was written"]);
        is_sound("umount", &[shown(&folder)]);
    }
    drop(part);
    // Somebody may have put something there since: now the label is asked for.
    let again = ["release", &device.device, "--as", "prepared", "--volume", "fat32:TIDES", "--table", "mbr"];
    place.jurex(&again).expect(2, &["was not just erased here", "Nothing was written"]);
    let label = (bytes / 512).to_string();
    place.jurex(&[&again[..], &["--label-check", "7"]].concat()).expect(2, &["Nothing was written"]);
    place.jurex(&[&again[..], &["--label-check", &label]].concat()).expect(0, &["MBR partition table: FAT32 \"TIDES\""]);
    let said = Command::new("sfdisk").args(["--dump", shown(&image)]).output().unwrap().stdout;
    assert!(String::from_utf8(said).unwrap().contains("type=c"), "one FAT32 partition");
}

#[test]
fn clearing_the_tables_is_quick_and_no_erasure() {
    let place = bench();
    let bytes = 64 * MIB;
    let image = place.image("drive.img", bytes);
    let label = (bytes / 512).to_string();
    let target = shown(&image);
    let noted = ["release", target, "--as", "tables-cleared", "--label-check", &label];
    // An image without a serial and without a job can't be found again by anything: nothing is noted of it, and nothing is done to it.
    place.jurex(&noted).expect(1, &["nobody could find it again"]);
    let job = erase(&place, target, bytes / 512);
    let large = ["release", target, "--as", "prepared", "--volume", "fat32:A:90MB"];
    place.jurex(&large).expect(1, &["too small", "Nothing was written"]);
    fs::write(&image, vec![b'x'; bytes]).unwrap();
    // Somebody has written to it since, though no table is on it.
    place.jurex(&noted[..4]).expect(2, &["was not just erased here"]);
    place.jurex(&noted).expect(0, &["That is no erasure", "sectors written with zeros"]);
    let now = fs::read(&image).unwrap();
    assert!(now[..MIB].iter().chain(&now[bytes - MIB..]).all(|b| *b == 0));
    assert!(now[MIB..bytes - MIB].iter().all(|b| *b == b'x'), "all else is there still");
    place.jurex(&["ledger", "show", &job]).expect(0, &["Clear"]);
}

#[test]
fn a_drive_that_failed_is_destroyed_and_its_lot_is_done_by_that() {
    let place = bench();
    fs::write(
        place.path("list.csv"),
        "serial,property number,sensitivity,reuse,leaves\nFM05T2R88C,BWS 0042,moderate,no,no\nNEW1,,,,\n",
    )
    .unwrap();
    place.jurex(&["lot", "import", "BW-0417", shown(&place.path("list.csv"))]).expect(0, &["2 expected"]);
    let drive = "serial:FM05T2R88C";
    let release =
        |more: &[&str], code: i32, says: &[&str]| place.jurex(&[&["release", drive][..], more].concat()).expect(code, says);
    release(&["--as", "received", "--from", "Skerry Point station"], 0, &["It came in from Skerry Point station."]);
    place.jurex(&["where"]).expect(0, &["Came in, and never erased (1)", "FM05T2R88C"]);
    // A hole is no destruction, whatever it is called.
    let out = place.path("d");
    let drilled = ["--as", "destroyed", "--how", "drilled", "--class", "magnetic", "--out", shown(&out)];
    release(&drilled, 1, &["where it was done (--place)", "Nothing was noted"]);
    let drilled = [&drilled[..], &["--place", "the yard"]].concat();
    release(&drilled, 1, &["who saw it (--witness)", "--batch"]);
    let drilled = [&drilled[..], &["--witness", "Odile Brand"]].concat();
    release(&drilled, 3, &["Not sanitized", "a hole leaves the rest of the platter", "IEEE Std 2883-2022"]);
    place.jurex(&["check", shown(&place.only("d", ".report.pdf"))]).expect(0, &["to the byte", "Not sanitized"]);
    // The same Enter twice notes it once.
    release(&drilled, 1, &["is noted already", "Nothing was noted"]);
    place.jurex(&["lot", "show", "BW-0417"]).expect(0, &["0 of 2 done, 1 failed"]);
    place.jurex(&["where"]).expect(0, &["Not sanitized: decide what happens next (1)"]);
    // It goes to a service, and stays open until their certificate comes back.
    release(&["--as", "sent-out", "--service", "Gannet Metals"], 1, &["the batch that it went with"]);
    release(&["--as", "sent-out", "--service", "Gannet Metals", "--batch", "7"], 0, &["has not come back yet"]);
    place.jurex(&["where"]).expect(0, &["At a service, its certificate not back (1)"]);
    let folder = place.path("e");
    let back = ["release", "batch:7", "--as", "destroyed", "--how", "disintegrated", "--pieces", "2", "--out", shown(&folder)];
    place.jurex(&back).expect(1, &["the number of the service's certificate"]);
    place
        .jurex(&[&back[..], &["--certificate", "GM-1182"]].concat())
        .expect(0, &["Destroy", "certificate GM-1182 of Gannet Metals"]);
    place.jurex(&["where"]).expect(0, &["has an end"]);
    place.jurex(&["where", "05t2"]).expect(0, &["destroyed, since", "It came in from Skerry Point station."]);
    // What is stated is altered: that is found.
    let paper = place.only("e", ".certificate.pdf");
    place.jurex(&["check", shown(&paper)]).expect(0, &["Destroy", "No program has seen it"]);
    let statement = place.only("e", ".release.json");
    let altered =
        fs::read_to_string(&statement).unwrap().replace("\"disintegrated\"", "\"bent\"").replace(",\"particle_mm\":2", "");
    let forged = place.path("forged.json");
    fs::write(&forged, altered).unwrap();
    place.jurex(&["check", shown(&forged)]).expect(3, &["does not follow from what is stated"]);
    let papers = place.path("lot");
    let lot =
        place.jurex(&["certificate", "--lot", "BW-0417", "--out", shown(&papers)]).expect(3, &["1 of 2 done, 1 not seen yet"]);
    assert!(lot.out.contains("lot.report.pdf"), "{}", lot.out);
    let lines = json(&place.only("lot", ".lot.json"))["lines"].clone();
    assert_eq!((&lines[0]["outcome"], &lines[0]["stated"]), (&"destroy".into(), &true.into()));
    assert!(lines[0]["whereabouts"].as_str().unwrap().starts_with("destroyed, since "), "{lines}");
    if let Ok(said) = Command::new("pdftotext").args(["-layout", shown(&place.only("lot", ".lot.report.pdf")), "-"]).output() {
        let text = String::from_utf8(said.stdout).unwrap();
        assert!(text.contains("Where they are now") && text.contains("destroyed, since"), "{text}");
    }
    // It was another drive: the statement is withdrawn, stays to be read, and counts for nothing; its paper is found to be so.
    let again = ["--as", "destroyed", "--how", "melted", "--place", "the yard", "--witness", "Odile Brand"];
    release(&again, 1, &["was disintegrated is noted already", "withdraw that first"]);
    release(&["--as", "withdrawn"], 1, &["why it is withdrawn"]);
    release(&["--as", "withdrawn", "--why", "the drive lies on shelf 3", "--statement", "ffffffffff"], 1, &["no such statement"]);
    release(&["--as", "withdrawn", "--why", "the drive lies on shelf 3"], 0, &["is withdrawn: the drive lies on shelf 3"]);
    place.jurex(&["where", "05t2"]).expect(0, &["Withdrawn since: It was disintegrated", "At a service"]);
    place.jurex(&["lot", "show", "BW-0417"]).expect(0, &["0 of 2 done"]);
    for file in [&paper, &statement] {
        place.jurex(&["check", shown(file)]).expect(3, &["withdrawn", "the drive lies on shelf 3"]);
    }
    place.jurex(&["ledger", "check"]).expect(0, &["as it was written"]);
}

/// A drive that answers was not destroyed, whatever somebody says; nor is another than that in the hand.
#[test]
fn a_drive_that_answers_here_is_not_destroyed() {
    let place = bench();
    let stated = ["--as", "destroyed", "--how", "incinerated", "--place", "the kiln", "--witness", "Odile Brand"];
    let state = |of: &[&str], code: i32, says: &[&str]| place.jurex(&[&["release"][..], of, &stated].concat()).expect(code, says);
    state(&["sim:7", "--label-check", "R90C2Y"], 2, &["is attached here", "Nothing was noted"]);
    state(&["serial:TL32H6R90C2Y", "--demo"], 2, &["is attached here", "Take it out first"]);
    place.jurex(&["where", "--demo"]).expect(0, &[]);
    // An image answers as long as its file is there.
    fs::write(place.path("a.img"), vec![0; 1 << 20]).unwrap();
    state(&[shown(&place.path("a.img"))], 1, &["no serial number and no job"]);
    // Of a job the label is asked for, and it must be the drive's.
    let out = place.path("out");
    let image = place.path("a.img");
    let erased = ["erase", shown(&image), "--method", "zeros", "--label-check", "2048", "--out", shown(&out), "--quiet"];
    place.jurex(&erased).expect(0, &[]);
    let job = json(&place.only("out", ".record.json"))["job"].as_str().unwrap().to_string();
    state(&[&job], 1, &["which drive it is", "--label-check"]);
    state(&[&job, "--label-check", "R90C2Y"], 2, &["is not the label"]);
}

/// What was done before says nothing of a drive that was away.
#[test]
fn a_drive_that_has_come_in_again_is_not_done_any_more_and_gets_no_label() {
    let place = bench();
    fs::write(place.path("list.csv"), "serial\nTL32H6R90C2Y\n").unwrap();
    place.jurex(&["lot", "import", "BW-0417", shown(&place.path("list.csv")), "--demo"]).expect(0, &["1 expected"]);
    let out = place.path("out");
    let arguments = ["erase", "sim:7", "--method", "pattern-complement", "--label-check", "R90C2Y", "--mark", "yes"];
    let rest = ["--out", shown(&out), "--quiet"];
    place.jurex(&[&arguments[..], &rest].concat()).expect(0, &["An erasure tag was left on it", "(not signed)"]);
    let job = json(&place.only("out", ".record.json"))["job"].as_str().unwrap().to_string();
    let label = |code: i32, says: &str| {
        let labels = tempfile::tempdir_in(place.path("")).unwrap();
        place.jurex(&["label", &job, "--demo", "--out", shown(labels.path())]).expect(code, &[says]);
    };
    label(0, "label.pdf");
    let release =
        |more: &[&str]| drop(place.jurex(&[&["release", "serial:TL32H6R90C2Y", "--demo"][..], more].concat()).expect(0, &[]));
    release(&["--as", "returned", "--to", "Hollow Ness mast"]);
    place.jurex(&["lot", "show", "BW-0417", "--demo"]).expect(0, &["1 of 1 done"]);
    label(0, "label.pdf");
    release(&["--as", "received", "--from", "Hollow Ness mast"]);
    place.jurex(&["lot", "show", "BW-0417", "--demo"]).expect(0, &["0 of 1 done, 1 here and not done"]);
    place.jurex(&["where", "--demo"]).expect(0, &["Came in, and never erased (1)"]);
    label(3, "has come in again since");
    place
        .jurex(&["ledger", "show", &job, "--demo"])
        .expect(0, &["It went back to Hollow Ness mast.", "An erasure tag was left on it"]);
    // The simulated drive is as it was, full of files: it is not blank, whatever the ledger says of an earlier one.
    place.jurex(&["release", "sim:7", "--as", "blank"]).expect(3, &["is not blank: MBR partition table"]);
}

#[test]
fn what_can_not_be_noted_is_a_sentence() {
    let place = bench();
    let no_one = Place::new();
    for (arguments, code, says) in [
        (vec!["release", "serial:X1", "--as", "stored"], 1, "a shelf or a box"),
        (vec!["release", "serial:X1", "--as", "stored", "--to", "x"], 1, "--to does not belong"),
        (vec!["release", "serial:X1", "--as", "stored", "--why", "x"], 1, "--why does not belong"),
        (vec!["release", "serial:X1", "--as", "withdrawn", "--why", "x"], 1, "no such statement"),
        (vec!["release", "serial:", "--as", "received"], 1, "names no drive"),
        (vec!["release", "batch:9", "--as", "destroyed", "--how", "melted"], 1, "no drive is at a service"),
        (vec!["release", "serial:X1", "--as", "destroyed"], 1, "how it was destroyed"),
        (vec!["release", "serial:X1", "--as", "destroyed", "--how", "melted", "--pieces", "2"], 1, "pieces of a size"),
        (vec!["release", "serial:X1", "--as", "blank"], 3, "is not blank"),
        (vec!["release", "serial:X1", "--as", "prepared", "--volume", "fat32"], 1, "is not attached"),
        (vec!["release", "serial:X1", "--as", "prepared", "--from", "x"], 1, "--from does not belong"),
        (vec!["release", "sim:7", "--as", "prepared", "--volume", "ext4", "--label-check", "R90C2Y"], 1, "too small"),
        (vec!["release", "sim:4", "--as", "prepared", "--volume", "ext4", "--label-check", "61YV5C"], 1, "FAT32 only"),
        (vec!["release", "sim:4", "--as", "prepared", "--volume", "fat32:much too long"], 1, "no label for FAT32"),
        (vec!["release", "sim:1", "--as", "tables-cleared", "--label-check", "3H08TB"], 2, "running system lives on it"),
        (vec!["release", "sim:4", "serial:X1", "--as", "tables-cleared"], 1, "one at a time"),
        (vec!["where", "nothing"], 3, "no drive of serial"),
        (vec!["label", "261126-AAAAAA", "--out", "x"], 1, "no job"),
    ] {
        place.jurex(&arguments).expect(code, &[says]);
    }
    no_one.jurex(&["release", "serial:X1", "--as", "received"]).expect(1, &["who says so", "Nothing was noted"]);
    place
        .jurex(&["release", "sim:4", "--as", "prepared", "--volume", "fat32:TIDES", "--label-check", "61YV5C"])
        .expect(0, &["FAT32 \"TIDES\""]);
}

#[test]
fn a_label_is_read_by_an_independent_reader_and_is_always_of_the_newest_job() {
    let place = bench();
    let image = place.image("drive.img", MIB);
    let earlier = erase(&place, shown(&image), MIB / 512);
    for (n, size) in ["62x29", "89x36", "a4-21", "a4-24"].into_iter().enumerate() {
        let out = place.path(&format!("labels/{n}"));
        place
            .jurex(&["label", &earlier, "--size", size, "--first", "5", "--out", shown(&out)])
            .expect(0, &["label.pdf", "label.svg"]);
        let page = place.path(&format!("page-{n}"));
        let pdf = place.only(&format!("labels/{n}"), ".label.pdf");
        is_sound("pdftoppm", &["-r", "300", "-png", "-singlefile", shown(&pdf), shown(&page)]);
        let read = Command::new("zbarimg").args(["--quiet", "--raw", &format!("{}.png", shown(&page))]).output();
        let Ok(read) = read else { return not_run("no zbarimg") };
        let code = String::from_utf8(read.stdout).unwrap();
        assert!(code.starts_with(&format!("jurex:{earlier}:clear:")), "{size}: {code}");
        place.jurex(&["check", "--qr", code.trim()]).expect(0, &["has this digest and this outcome"]);
        is_sound("xmllint", &["--noout", shown(&place.only(&format!("labels/{n}"), ".label.svg"))]);
    }
    // A failed drive's label says so in words.
    let newer = {
        let out = place.path("failed");
        let arguments = [
            "erase",
            shown(&image),
            "--method",
            "zeros",
            "--verify",
            "none",
            "--label-check",
            "2048",
            "--out",
            shown(&out),
            "--quiet",
        ];
        place.jurex(&arguments).expect(3, &["Not sanitized"]);
        let record = place.only("failed", ".record.json");
        json(&record)["job"].as_str().unwrap().to_string()
    };
    let out = place.path("labels/failed");
    place.jurex(&["label", &newer, "--out", shown(&out)]).expect(0, &[]);
    let svg = fs::read_to_string(place.only("labels/failed", ".label.svg")).unwrap();
    assert!(svg.contains("NOT SANITIZED") && svg.contains("62mm") && !svg.contains("<text"), "{svg}");
    // By the system's lp, where there is one.
    let bin = place.path("bin");
    fs::create_dir(&bin).unwrap();
    let lp = bin.join("lp");
    fs::write(&lp, format!("#!/bin/sh\nhead -c 5 > {}\necho request id is labels-7 \"$@\"\n", shown(&place.path("printed"))))
        .unwrap();
    fs::set_permissions(&lp, std::os::unix::fs::PermissionsExt::from_mode(0o755)).unwrap();
    let print = |path: &str| {
        let mut command = place.command();
        common::Answer::of(command.env("PATH", path).args(["label", &newer, "--print", "bench-2"]).output().unwrap())
    };
    print(&format!("{}:/usr/bin:/bin", shown(&bin))).expect(0, &["request id is labels-7", "-d bench-2"]);
    assert_eq!(fs::read(place.path("printed")).unwrap(), b"%PDF-");
    print(shown(&place.path("home"))).expect(3, &["there is no lp here"]);
}
