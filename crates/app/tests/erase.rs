//! The real program on real images and loop devices. What lies on them afterwards is checked with plain code of these
//! tests, not with the program's own.

mod common;

use aes::Aes128;
use aes::cipher::{BlockCipherEncrypt, KeyInit};
use common::{Answer, Loop, Place, json, shown};
use std::fs::{self, File};
use std::io::{BufReader, Read};
use std::os::unix::fs::FileExt;
use std::path::Path;
use std::process::Command;

const MIB: usize = 1 << 20;

/// The keystream as NIST SP 800-38A describes it, block by block: AES of the block's number.
fn is_keystream(path: &Path, seed: &str) {
    let key: Vec<u8> = (0..16).map(|i| u8::from_str_radix(&seed[2 * i..2 * i + 2], 16).unwrap()).collect();
    let cipher = Aes128::new_from_slice(&key).unwrap();
    let mut reader = BufReader::with_capacity(MIB, File::open(path).unwrap());
    let mut read = [0; 4096];
    let mut number: u128 = 0;
    while reader.read_exact(&mut read[..512]).is_ok() {
        for got in read[..512].chunks(16) {
            let mut block = number.to_be_bytes().into();
            cipher.encrypt_block(&mut block);
            assert_eq!(got, block.as_slice(), "block {number}");
            number += 1;
        }
    }
    assert_eq!(number * 16, fs::metadata(path).unwrap().len().into());
}

fn all_are(path: &Path, expected: impl Fn(usize) -> u8) {
    let bytes = fs::read(path).unwrap();
    let wrong = bytes.iter().enumerate().position(|(i, b)| *b != expected(i));
    assert_eq!(wrong, None, "byte at which {} is not as it should be", path.display());
}

fn erase(place: &Place, drive: &Path, label: &str, more: &[&str]) -> Answer {
    let out = place.path("out");
    let fixed = ["erase", shown(drive), "--label-check", label, "--out", shown(&out), "--quiet"];
    place.jurex(&[&fixed[..], more].concat())
}

#[test]
fn an_image_holds_exactly_what_the_method_says() {
    let place = Place::new();
    // An odd number of sectors, so that the last stretch fits no block size of any file system.
    let image = place.image("drive.img", 5 * MIB + 512);
    let sectors = ((5 * MIB + 512) / 512).to_string();
    erase(&place, &image, &sectors, &["--passes", "00 | ~ | random?"]).expect(0, &[": Clear ("]);
    let record = json(&place.only("out", ".record.json"));
    let passes = record["evidence"]["stages"][0]["what"]["passes"].as_array().unwrap();
    assert_eq!(passes.len(), 3);
    is_keystream(&image, passes[2]["pattern"]["seed"].as_str().unwrap());

    let place = Place::new();
    let image = place.image("drive.img", MIB + 512);
    erase(&place, &image, "2049", &["--passes", "92 49 24"]).expect(0, &[]);
    all_are(&image, |i| [0x92, 0x49, 0x24][i % 3]);
    let place = Place::new();
    let image = place.image("drive.img", MIB);
    erase(&place, &image, "2048", &["--passes", "lba?"]).expect(0, &[]);
    let bytes = fs::read(&image).unwrap();
    assert!(bytes.chunks(512).enumerate().all(|(i, s)| s.starts_with(format!("sector {i:020} lba\n").as_bytes())));
}

#[test]
fn a_gibibyte_on_a_loop_device_holds_exactly_what_the_method_says() {
    let place = Place::new();
    let (image, bytes) = (place.path("backing.img"), common::odd(1 << 30));
    File::create(&image).unwrap().set_len(bytes as u64).unwrap();
    File::options().write(true).open(&image).unwrap().write_all_at(b"what was there before", 12_345_678).unwrap();
    let Some(device) = Loop::attach(&image) else { return };
    let answer = erase(&place, Path::new(&device.device), &common::label(bytes), &["--passes", "00 | ~ | random?"]);
    answer.expect(0, &[": Clear (", "The storage that hosts this object is not covered"]);
    let record = json(&place.only("out", ".record.json"));
    assert_eq!(record["evidence"]["sessions"][0]["drive"]["path"], device.device.as_str());
    assert_eq!(record["claim"]["outcome"], "clear");
    drop(device);
    is_keystream(&image, record["evidence"]["stages"][0]["what"]["passes"][2]["pattern"]["seed"].as_str().unwrap());
}

#[test]
fn a_range_leaves_every_other_byte_alone_and_sanitizes_nothing() {
    let place = Place::new();
    let image = place.image("drive.img", MIB);
    let before = fs::read(&image).unwrap();
    erase(&place, &image, "2048", &["--method", "zeros", "--from", "3", "--to", "1000"])
        .expect(3, &["Not sanitized", "a part never sanitizes a drive"]);
    all_are(&image, |i| if (3 * 512..1001 * 512).contains(&i) { 0 } else { before[i] });
}

#[test]
fn without_reading_back_the_end_is_unproved() {
    let place = Place::new();
    let image = place.image("drive.img", MIB);
    erase(&place, &image, "2048", &["--passes", "00", "--verify", "none"])
        .expect(3, &["Not sanitized", "what was not read back is not verified"]);
    all_are(&image, |_| 0);
}

#[test]
fn events_come_one_a_line_carry_no_secret_and_cover_the_whole_drive() {
    let place = Place::new();
    let image = place.image("drive.img", 8 * MIB);
    let out = place.path("out");
    let arguments =
        ["erase", shown(&image), "--passes", "random | random?", "--label-check", "16384", "--out", shown(&out), "--json"];
    let answer = place.jurex(&arguments).expect(0, &[]);
    let events: Vec<serde_json::Value> = answer.out.lines().map(|l| serde_json::from_str(l).unwrap()).collect();
    let named = |name: &str| events.iter().filter(|e| e["event"] == name).collect::<Vec<_>>();
    assert_eq!((events[0]["event"].as_str(), events[0]["planned"].as_str()), (Some("job"), Some("clear")));
    assert_eq!((named("pass-started").len(), named("pass-laid").len(), named("pass-ended").len()), (2, 2, 2));
    let sectors: u64 = named("advanced").iter().map(|e| e["at"]["count"].as_str().unwrap().parse::<u64>().unwrap()).sum();
    assert_eq!(sectors, 3 * 16384, "two passes laid, one read back");
    let result = named("result")[0];
    assert_eq!((result["outcome"].as_str(), result["kept_its_plan"].as_bool()), (Some("clear"), Some(true)));
    assert_eq!(result["files"].as_array().unwrap().len(), 4);
    assert!(!answer.out.contains("seed"), "no event and no result carries a key");
    let record = fs::read_to_string(place.only("out", ".record.json")).unwrap();
    assert_eq!(record.matches("\"seed\"").count(), 1, "the record keeps the key of the last pass only");
}

#[test]
fn what_can_be_checked_beforehand_is_checked_before_a_byte_is_written() {
    let place = Place::new();
    let image = place.image("drive.img", MIB);
    let before = fs::read(&image).unwrap();
    let file = place.image("file", 512);
    let try_erase = |more: &[&str]| erase(&place, &image, "2048", more);
    erase(&place, &image, "2047", &["--method", "zeros"]).expect(2, &["label check failed", "Nothing was written"]);
    try_erase(&["--method", "zero"]).expect(1, &["no method `zero`", "nearest are zeros"]);
    try_erase(&["--passes", "00 | zz"]).expect(1, &["column 6", "\n       ^"]);
    try_erase(&["--passes", "00?", "--verify", "none"]).expect(1, &["leave out one of the two"]);
    try_erase(&[]).expect(1, &["--method", "--passes"]);
    try_erase(&["--method", "zeros", "--passes", "00"]).expect(1, &["cannot be used with"]);
    try_erase(&["--method", "zeros", "--from", "0", "--to", "2048"]).expect(1, &["last sector is 2047"]);
    try_erase(&["--method", "zeros", "--from", "9", "--to", "3"]).expect(1, &["holds no sector"]);
    try_erase(&["--method", "zeros", "--resume"]).expect(1, &["cannot be used with '--resume'"]);
    try_erase(&["--resume"]).expect(2, &["no job to resume", "no job was cut short"]);
    try_erase(&["--technique", "sanitize-block"]).expect(2, &["does not sanitize this media", "Nothing was written"]);
    try_erase(&["--technique", "degauss"]).expect(1, &["done by hand"]);
    try_erase(&["--technique", "discard"]).expect(1, &["alone sanitizes nothing"]);
    try_erase(&["--method", "zeros", "--then", "00"]).expect(1, &["--technique"]);
    try_erase(&["--technique", "sanitize-block", "--from", "0", "--to", "9"]).expect(1, &["of the whole drive"]);
    try_erase(&["--technique", "sanitize-crypto", "--attest", "sealed"]).expect(1, &["sealed", "encrypted-from-start"]);
    try_erase(&["--technique", "sanitize"]).expect(1, &["no technique `sanitize`"]);
    try_erase(&["--method", "zeros", "--verify", "half"]).expect(1, &["half", "sampled-every-pass"]);
    let out = format!("{}/sub", shown(&file));
    place
        .jurex(&["erase", shown(&image), "--method", "zeros", "--label-check", "2048", "--out", &out])
        .expect(1, &["cannot write into the folder"]);
    assert_eq!(fs::read(&image).unwrap(), before, "nothing was written");
    assert!(!place.path("home").join("ledger.sqlite3").exists(), "and no job was begun");
}

#[test]
fn what_is_no_drive_is_said_to_be_none() {
    let place = Place::new();
    let short = place.image("short.img", 511);
    let odd = place.image("odd.img", 1000);
    let look = |drive: &str| place.jurex(&["look", drive]);
    look(shown(&short)).expect(1, &["has 511 bytes, which is shorter than a sector"]);
    look(shown(&odd)).expect(1, &["has 1000 bytes, which is not a whole number of sectors"]);
    look("/dev/nonesuch").expect(1, &["there is no drive or image at /dev/nonesuch"]);
    look("/dev/null").expect(1, &["is no storage"]);
    look("sim:99").expect(1, &["no bay `99`", "sim:2"]);
    for asked in [&["ledger", "show", "261123-4F7QZK"][..], &["ledger", "find", "x"], &["lot", "show"]] {
        place.jurex(asked).expect(1, &["there is no ledger yet"]);
    }
    place.jurex(&[]).expect(1, &["needs a terminal"]);
}

#[test]
fn a_drive_in_use_is_refused_by_the_name_of_what_uses_it() {
    let place = Place::new();
    let (image, bytes) = (place.path("backing.img"), common::odd(16 << 20));
    let label = common::label(bytes);
    File::create(&image).unwrap().set_len(bytes as u64).unwrap();
    let Some(device) = Loop::attach(&image) else { return };
    erase(&place, &image, &label, &["--method", "zeros"]).expect(2, &[&format!("{} is attached to this file", device.device)]);
    let run =
        |program: &str, arguments: &[&str]| Command::new(program).args(arguments).output().is_ok_and(|o| o.status.success());
    let mount = place.path("mnt");
    fs::create_dir(&mount).unwrap();
    if !run("mkfs.ext4", &["-q", "-F", &device.device]) || !run("mount", &[&device.device, shown(&mount)]) {
        return common::not_run("in full: no mkfs.ext4 or no mount here");
    }
    let answer = erase(&place, Path::new(&device.device), &label, &["--method", "zeros"]);
    let listed = place.jurex(&["drives", "--json"]);
    assert!(run("umount", &[shown(&mount)]));
    answer.expect(2, &["is mounted at", shown(&mount)]);
    let drives: serde_json::Value = serde_json::from_str(&listed.out).unwrap();
    let ours = drives.as_array().unwrap().iter().find(|d| d["path"] == device.device.as_str()).unwrap();
    assert_eq!(ours["verdict"]["may_be_erased"], false);
}

#[test]
fn a_swap_file_and_a_swap_device_are_refused() {
    let place = Place::new();
    let (image, bytes) = (place.path("swap.img"), common::odd(16 * MIB));
    let label = common::label(bytes);
    fs::write(&image, vec![0; bytes]).unwrap();
    fs::set_permissions(&image, std::os::unix::fs::PermissionsExt::from_mode(0o600)).unwrap();
    let run = |program: &str, path: &str| Command::new(program).arg(path).output().is_ok_and(|o| o.status.success());
    if !run("mkswap", shown(&image)) || !run("swapon", shown(&image)) {
        return common::not_run("no swap can be made here (this test needs root)");
    }
    let refused = erase(&place, &image, &label, &["--method", "zeros"]);
    assert!(run("swapoff", shown(&image)));
    refused.expect(2, &["is in use as swap", "Nothing was written"]);
    let Some(device) = Loop::attach(&image) else { return };
    if run("swapon", &device.device) {
        let refused = erase(&place, Path::new(&device.device), &label, &["--method", "zeros"]);
        assert!(run("swapoff", &device.device));
        refused.expect(2, &["is in use as swap"]);
    }
}

#[test]
fn a_list_in_the_configuration_keeps_jurex_to_some_drives() {
    let place = Place::new();
    let (image, bytes) = (place.path("backing.img"), common::odd(MIB));
    let label = common::label(bytes);
    File::create(&image).unwrap().set_len(bytes as u64).unwrap();
    let Some(device) = Loop::attach(&image) else { return };
    fs::create_dir(place.path("home")).unwrap();
    let with_only = |only: &str| {
        fs::write(place.path("home/config.toml"), format!("only = [{only}]\n")).unwrap();
        erase(&place, Path::new(&device.device), &label, &["--method", "zeros"])
    };
    with_only("\"/dev/sd*\", \"bus:usb\"").expect(2, &["`only` list does not name it"]);
    with_only("\"bus:loop\"").expect(0, &[": Clear ("]);
    with_only("\"port:*/virtual/block/loop*\"").expect(0, &[": Clear ("]);
    with_only("\"/dev/loo?*\"").expect(0, &[": Clear ("]);
}

#[test]
fn a_drive_held_by_another_program_is_refused() {
    let place = Place::new();
    let (image, bytes) = (place.path("backing.img"), common::odd(MIB));
    let label = common::label(bytes);
    File::create(&image).unwrap().set_len(bytes as u64).unwrap();
    let Some(device) = Loop::attach(&image) else { return };
    // O_EXCL on a block device, without O_CREAT, claims it.
    let exclusive =
        std::os::unix::fs::OpenOptionsExt::custom_flags(File::options().read(true), 0o200).open(&device.device).unwrap();
    erase(&place, Path::new(&device.device), &label, &["--method", "zeros"])
        .expect(2, &["another program holds it open for itself"]);
    drop(exclusive);
    erase(&place, Path::new(&device.device), &label, &["--method", "zeros"]).expect(0, &[]);
}

#[test]
fn a_look_and_a_beacon_write_nothing() {
    let place = Place::new();
    let image = place.image("drive.img", MIB);
    let before = fs::read(&image).unwrap();
    place.jurex(&["look", shown(&image), "--beacon", "1"]).expect(0, &["Nothing is written"]);
    let answer = place.jurex(&["look", shown(&image), "--json"]).expect(0, &[]);
    let said: serde_json::Value = serde_json::from_str(&answer.out).unwrap();
    assert_eq!(
        (&said["sectors"], &said["class"], &said["ways"][0]["outcome"]),
        (&"2048".into(), &"virtual".into(), &"clear".into())
    );
    let simulated = place
        .jurex(&["look", "sim:8"])
        .expect(0, &["encrypted volume (LUKS 2) \"tern-vault\"", "erases itself   SANITIZE overwrite"]);
    assert!(simulated.out.contains("4 years 216 days"), "{}", simulated.out);
    assert_eq!(fs::read(&image).unwrap(), before);
}

#[test]
fn the_certificate_comes_again_after_a_restart_and_overwrites_nothing() {
    let place = Place::new();
    let image = place.image("drive.img", MIB);
    erase(&place, &image, "2048", &["--method", "random"]).expect(0, &[]);
    let first = place.only("out", ".certificate.pdf");
    let job = first.file_name().unwrap().to_str().unwrap().split('.').next().unwrap().to_string();
    let out = place.path("out");
    place.jurex(&["certificate", &job, "--out", shown(&out)]).expect(1, &["already holds", "nothing was overwritten"]);
    let again = place.path("again");
    place.jurex(&["certificate", &job.to_lowercase(), "--out", shown(&again)]).expect(0, &["certificate.pdf"]);
    assert_eq!(
        fs::read(&first).unwrap(),
        fs::read(place.only("again", ".certificate.pdf")).unwrap(),
        "the same record, the same paper"
    );
    place.jurex(&["certificate", "000000-ABCDEF", "--out", shown(&again)]).expect(1, &["no job 000000-ABCDEF"]);
    place.jurex(&["certificate", "../../etc", "--out", shown(&again)]).expect(1, &["not the name of a job"]);
    let text = Command::new("pdftotext").args(["-layout", shown(&first), "-"]).output();
    match text {
        Ok(text) => {
            let text = String::from_utf8(text.stdout).unwrap();
            for words in
                ["Certificate of sanitization", &job, "One random pass", "1.05 MB (1.00 MiB)", "Sanitized by", "Signature"]
            {
                assert!(text.contains(words), "{words} is not in: {text}");
            }
        }
        Err(e) => common::not_run(&format!("in full, no pdftotext: {e}")),
    }
}

/// Starts an erasure that takes long, and waits until it has laid something.
fn start_long(place: &Place, image: &Path) -> (std::process::Child, String) {
    let (child, mut lines) = place.erasing(image, fs::metadata(image).unwrap().len() / 512, "random x90");
    let first: serde_json::Value = serde_json::from_str(&lines.next().unwrap().unwrap()).unwrap();
    assert!(lines.by_ref().any(|l| l.unwrap().contains("\"advanced\"")));
    // The rest is read away, or the pipe would fill up and hold the job.
    std::thread::spawn(move || lines.for_each(drop));
    (child, first["job"].as_str().unwrap().to_string())
}

#[test]
fn an_interrupt_stops_the_job_and_its_record_claims_nothing() {
    let place = Place::new();
    let image = place.image("drive.img", 32 * MIB);
    let (mut child, _) = start_long(&place, &image);
    assert!(Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap().success());
    assert_eq!(child.wait().unwrap().code(), Some(4));
    let record = json(&place.only("out", ".record.json"));
    assert_eq!((&record["claim"]["outcome"], &record["evidence"]["ended"]["how"]), (&"not-sanitized".into(), &"stopped".into()));
}

#[test]
fn a_killed_job_is_known_and_has_no_certificate() {
    let place = Place::new();
    let image = place.image("drive.img", 32 * MIB);
    let (mut child, job) = start_long(&place, &image);
    child.kill().unwrap();
    child.wait().unwrap();
    let out = place.path("later");
    place.jurex(&["certificate", &job, "--out", shown(&out)]).expect(1, &["never came to an end", "Not sanitized"]);
    erase(&place, &image, "65536", &["--method", "zeros"]).expect(0, &[": Clear ("]);
}

#[test]
fn a_drive_that_shrinks_under_the_job_is_gone() {
    let place = Place::new();
    let image = place.image("drive.img", 32 * MIB);
    let (mut child, _) = start_long(&place, &image);
    // A write past the end would make a file grow again, so the end is cut again and again until a read-back meets it.
    let file = File::options().write(true).open(&image).unwrap();
    let code = loop {
        file.set_len(4096).unwrap();
        match child.try_wait().unwrap() {
            Some(status) => break status.code(),
            None => std::thread::sleep(std::time::Duration::from_millis(1)),
        }
    };
    assert!(matches!(code, Some(3 | 4)), "{code:?}");
    let record = json(&place.only("out", ".record.json"));
    assert_eq!(record["claim"]["outcome"], "not-sanitized");
}

#[test]
fn a_full_disk_loses_no_record() {
    let place = Place::new();
    let image = place.image("drive.img", MIB);
    let full = place.path("full");
    fs::create_dir(&full).unwrap();
    let mounted = Command::new("mount").args(["-t", "tmpfs", "-o", "size=16k", "jurex-test", shown(&full)]).output();
    if !mounted.is_ok_and(|o| o.status.success()) {
        return common::not_run("no tmpfs can be mounted (this test needs root)");
    }
    let arguments = ["erase", shown(&image), "--method", "zeros", "--label-check", "2048", "--out", shown(&full), "--quiet"];
    let answer = place.jurex(&arguments);
    let left: Vec<_> = fs::read_dir(&full).unwrap().map(|e| e.unwrap().file_name().into_string().unwrap()).collect();
    assert!(Command::new("umount").arg(&full).status().unwrap().success());
    let answer = answer.expect(3, &["No space left", "The job itself is over (outcome: Clear)", "the record is in the ledger"]);
    assert!(!left.iter().any(|n| n.ends_with(".pdf") || n.starts_with(".jurex-")), "no half file stays: {left:?}");
    let job = answer.err.split("jurex certificate ").nth(1).unwrap().split(' ').next().unwrap();
    let out = place.path("elsewhere");
    place.jurex(&["certificate", job, "--out", shown(&out)]).expect(0, &["certificate.pdf"]);
}

#[test]
fn without_rights_the_sentence_says_what_is_missing() {
    let place = Place::new();
    let (image, bytes) = (place.path("backing.img"), common::odd(MIB));
    let label = common::label(bytes);
    File::create(&image).unwrap().set_len(bytes as u64).unwrap();
    let Some(device) = Loop::attach(&image) else { return };
    // The program's folder may be closed to others, so it is run from a copy.
    let program = std::env::temp_dir().join(format!("jurex-{}", std::process::id()));
    fs::copy(common::PROGRAM, &program).unwrap();
    let home = tempfile::tempdir().unwrap();
    fs::set_permissions(home.path(), std::os::unix::fs::PermissionsExt::from_mode(0o777)).unwrap();
    let out = home.path().join("out");
    let output = Command::new("setpriv")
        .args(["--reuid=65534", "--regid=65534", "--clear-groups", shown(&program), "erase", &device.device])
        .args(["--method", "zeros", "--label-check", &label, "--out", shown(&out)])
        .env("JUREX_HOME", home.path())
        .output();
    fs::remove_file(&program).unwrap();
    match output {
        Ok(output) => drop(Answer::of(output).expect(2, &["no right to write", "root", "Nothing was written"])),
        Err(e) => common::not_run(&format!("no setpriv: {e}")),
    }
}

#[test]
fn the_demonstration_runs_with_no_screen_and_its_claims_are_right() {
    let place = Place::new();
    let out = place.path("out");
    // One of the drives is worn out, so the lot as a whole earns less than was planned.
    let answer = place.jurex(&["demo", "--unattended", "--out", shown(&out)]).expect(3, &[]);
    let line = |bay: &str| {
        answer.out.lines().find(|l| l.split_whitespace().next() == Some(bay)).unwrap_or_else(|| panic!("{bay}: {}", answer.out))
    };
    assert!(line("sim:1").contains("left alone: the running system lives on it (/)"));
    assert!(line("sim:2").contains(": Clear."));
    assert!(line("sim:3").contains(": Not sanitized. 25 sectors could not be written"));
    // Each goes to Purge where it has a way that nobody has to state anything for.
    assert!(["sim:4", "sim:5", "sim:8", "sim:9"].iter().all(|bay| line(bay).contains(": Purge.")), "{}", answer.out);
    assert!(line("sim:10").contains(": Clear."));
    let counterfeit =
        ": Not sanitized. Claims 64.0 MB but holds only 8.00 MB: after 15\u{202f}625 sectors its addresses begin again";
    assert!(line("sim:6").contains(counterfeit), "{}", line("sim:6"));
    assert!(line("sim:7").contains(": Clear."));
    let papers = |ending: &str| {
        let names = fs::read_dir(&out).unwrap().map(|e| e.unwrap().file_name().into_string().unwrap());
        names.filter(|n| n.ends_with(ending)).count()
    };
    assert_eq!((papers(".certificate.pdf"), papers(".report.pdf")), (7, 2), "nothing that is not sanitized has a certificate");
    assert!(!place.path("home/ledger.sqlite3").exists(), "nothing simulated stands in the ledger of real work");
}

/// Erases a simulated drive by a way of its own.
fn by_itself(place: &Place, bay: &str, ending: &str, way: &str, more: &[&str]) -> common::Answer {
    let out = place.path(&format!("{way}-{bay}"));
    let out = shown(&out).to_string();
    let asked = ["erase", bay, "--technique", way, "--label-check", ending, "--out", &out];
    place.jurex(&[&asked[..], more].concat())
}

#[test]
fn a_drive_erases_itself_and_its_record_tells_what_was_sent_answered_and_read() {
    let place = Place::new();
    by_itself(&place, "sim:9", "S3ZQ0F", "mmc-sanitize", &["--then", "55 | ~"]).expect(0, &[": Purge (", "written"]);
    let record = json(&place.only("mmc-sanitize-sim:9", ".record.json"));
    let kinds: Vec<&str> = record["evidence"]["planned"].as_array().unwrap().iter().map(|k| k.as_str().unwrap()).collect();
    assert_eq!(kinds, ["own", "check", "overwrite", "check"]);
    let own = &record["evidence"]["stages"][0]["what"];
    let sent: Vec<&str> = own["commands"].as_array().unwrap().iter().map(|c| c["command"].as_str().unwrap()).collect();
    assert!(sent.iter().any(|c| c.contains("CMD6 03a50100")) && own["completed"] == true, "{sent:?}");
    let text =
        Command::new("pdftotext").args(["-layout", shown(&place.only("mmc-sanitize-sim:9", ".certificate.pdf")), "-"]).output();
    if let Ok(text) = text {
        let text = String::from_utf8(text.stdout).unwrap();
        assert!(
            ["Own erasure", "Commands and raw", "Read after it", "overwriting"].iter().all(|words| text.contains(words)),
            "{text}"
        );
    }
}

#[test]
fn what_a_card_or_an_embedded_device_erases_earns_what_each_edition_says_of_it() {
    let place = Place::new();
    let secure = ["--rules", "rev1", "--attest", "maker-confirms"];
    let (bay, ending, way) = ("sim:9", "S3ZQ0F", "mmc-secure-erase");
    by_itself(&place, bay, ending, way, &secure).expect(0, &[": Purge (", "Table A-3"]);
    let record = json(&place.only("mmc-secure-erase-sim:9", ".record.json"));
    let own = &record["evidence"]["stages"][0]["what"];
    assert!(own["of_whole_unit"] == false && own["completed"] == true, "neither boot nor other areas: {own}");
    let place = Place::new();
    by_itself(&place, bay, ending, way, &secure[..2]).expect(3, &[": Not sanitized", "maker confirms"]);
    let place = Place::new();
    by_itself(&place, bay, ending, way, &[]).expect(3, &[": Not sanitized", "does not sanitize this media"]);
    let place = Place::new();
    by_itself(&place, "sim:7", "R90C2Y", "sd-erase", &[]).expect(3, &[": Not sanitized", "one byte over and over"]);
    let place = Place::new();
    by_itself(&place, "sim:7", "R90C2Y", "sd-erase", &["--then", "55 | ~"]).expect(0, &[": Clear (", "written"]);
    by_itself(&place, "sim:5", "E47J9P", "sd-erase", &[]).expect(2, &["not", "Nothing was written"]);
}

#[test]
fn what_no_drive_can_tell_is_stated_by_name_or_earns_nothing() {
    let place = Place::new();
    by_itself(&place, "sim:5", "E47J9P", "sanitize-crypto", &["--verify", "none"]).expect(3, &[": Not sanitized"]);
    let all = "encrypted-from-start,key-strength,keys-not-escrowed,module-trusted";
    let place = Place::new();
    let answer = by_itself(&place, "sim:5", "E47J9P", "sanitize-crypto", &["--attest", all, "--json"]);
    let answer = answer.expect(0, &["\"outcome\":\"purge\""]);
    let record = fs::read_to_string(place.only("sanitize-crypto-sim:5", ".record.json")).unwrap();
    assert!(record.contains("keys-not-escrowed") && record.contains("Namespace 2"), "{record}");
    assert!(!answer.out.contains("salt") && !record.contains("salt"), "neither events nor the record hold the salt of a digest");
    by_itself(&place, "sim:5", "E47J9X", "sanitize-crypto", &[]).expect(2, &["label check failed"]);
}

#[test]
fn hidden_sectors_are_lifted_first_or_named() {
    let place = Place::new();
    let asked = |more: &[&str]| {
        let out = place.path(&format!("out{}", more.len()));
        let out = shown(&out).to_string();
        let asked = ["erase", "sim:2", "--passes", "00", "--verify", "sampled", "--label-check", "K7Q41M", "--out", &out];
        place.jurex(&[&asked[..], more].concat())
    };
    asked(&["--leave-hidden"]).expect(3, &[": Not sanitized", "hides 131"]);
    asked(&[]).expect(0, &[": Clear (", "Hidden areas are being made addressable", "No sector is hidden from the host"]);
}

#[test]
fn a_way_that_is_frozen_says_what_to_do_and_an_unlocked_drive_stays_as_it_is() {
    let place = Place::new();
    by_itself(&place, "sim:4", "61YV5C", "security-erase", &[]).expect(2, &["Frozen", "ten seconds", "Nothing was written"]);
    place.jurex(&["unlock", "sim:2"]).expect(0, &["has no password"]);
    place.jurex(&["unlock", "sim:4"]).expect(2, &["frozen"]);
}

#[test]
fn a_damaged_configuration_is_named_and_nothing_is_done() {
    let place = Place::new();
    let image = place.image("drive.img", 4096);
    fs::create_dir(place.path("home")).unwrap();
    fs::write(place.path("home/config.toml"), "lot = 4\n").unwrap();
    erase(&place, &image, "8", &["--method", "zeros"]).expect(1, &["config.toml is wrong", "lot"]);
    assert_eq!(fs::read(&image).unwrap()[..8], *b"tide log");
}

#[test]
fn what_is_used_under_another_name_is_refused() {
    let place = Place::new();
    let bytes = common::odd(MIB);
    let (image, label) = (place.image("drive.img", bytes), common::label(bytes));
    let Some(device) = Loop::attach(&image) else { return };
    let link = place.path("another-name.img");
    fs::hard_link(&image, &link).unwrap();
    erase(&place, &link, &label, &["--method", "zeros"]).expect(2, &["is attached to this file"]);
    // A second loop device over the same file, and one over the first one.
    let second = Loop::attach(&image).unwrap();
    for path in [&device, &second] {
        erase(&place, Path::new(&path.device), &label, &["--method", "zeros"])
            .expect(2, &["it lies on", "is attached to this file"]);
    }
    drop(second);
    let stacked = Loop::attach(Path::new(&device.device)).unwrap();
    erase(&place, Path::new(&device.device), &label, &["--method", "zeros"]).expect(2, &["is built on"]);
    let mounted = Command::new("mkfs.ext4").args(["-q", "-F", &device.device]).output().is_ok_and(|o| o.status.success()) && {
        fs::create_dir_all(place.path("mnt")).unwrap();
        Command::new("mount").arg(&device.device).arg(place.path("mnt")).status().is_ok_and(|s| s.success())
    };
    if mounted {
        let answer = erase(&place, Path::new(&stacked.device), &label, &["--method", "zeros"]);
        Command::new("umount").arg(place.path("mnt")).status().unwrap();
        answer.expect(2, &["is mounted at"]);
    } else {
        common::not_run("no file system could be made and mounted here");
    }
}

#[test]
fn jurexs_own_ledger_is_no_image() {
    let place = Place::new();
    let image = place.image("drive.img", MIB);
    erase(&place, &image, "2048", &["--method", "zeros"]).expect(0, &[]);
    let ledger = place.path("home/ledger.sqlite3");
    let label = (fs::metadata(&ledger).unwrap().len() / 512).to_string();
    erase(&place, &ledger, &label, &["--method", "zeros"]).expect(2, &["of Jurex itself"]);
}

#[test]
fn an_image_that_grows_under_the_job_is_not_the_one_that_was_planned() {
    let place = Place::new();
    let image = place.image("drive.img", 32 * MIB);
    let (mut child, lines) = place.erasing(&image, 65536, "random x6");
    let mut lines = lines.map(Result::unwrap);
    assert!(lines.any(|l| l.contains("\"pass-laid\"")));
    File::options().write(true).open(&image).unwrap().set_len(33 << 20).unwrap();
    lines.for_each(drop);
    assert_eq!(child.wait().unwrap().code(), Some(3));
    let record = json(&place.only("out", ".record.json"));
    assert_eq!((&record["claim"]["outcome"], &record["evidence"]["ended"]["how"]), (&"not-sanitized".into(), &"changed".into()));
}

#[test]
fn odd_names_work_and_nothing_in_them_reaches_the_terminal() {
    use std::os::unix::ffi::OsStrExt;
    let place = Place::new();
    let name = std::ffi::OsStr::from_bytes(b"tide \xff\x1b[2J\xe2\x80\xae.img");
    let image = place.path("x").with_file_name(name);
    fs::write(&image, vec![0xee; MIB]).unwrap();
    let run = |arguments: &[&str]| place.command().arg(arguments[0]).arg(&image).args(&arguments[1..]).output().unwrap();
    let out = place.path("out");
    for arguments in [
        vec!["look"],
        vec!["look", "--json"],
        vec!["plan", "--sensitivity", "low", "--reuse", "yes", "--leaves", "no", "--no-sample"],
        vec!["erase", "--method", "zeros", "--label-check", "-1", "--out", shown(&out)],
        vec!["erase", "--method", "zeros", "--label-check", "2048", "--out", shown(&out)],
    ] {
        let output = run(&arguments);
        let said = [output.stdout, output.stderr].concat();
        let text = String::from_utf8(said).expect("what is printed is UTF-8");
        let hostile = text.chars().find(|c| (c.is_control() && *c != '\n') || *c == '\u{202e}');
        assert_eq!(hostile, None, "{arguments:?}: {text:?}");
    }
    all_are(&image, |_| 0);
}

#[test]
fn results_that_nobody_can_read_are_an_error() {
    let place = Place::new();
    let full = File::options().write(true).open("/dev/full").unwrap();
    let output = place.command().args(["methods"]).stdout(full).output().unwrap();
    assert_eq!(output.status.code(), Some(1));
    assert!(String::from_utf8_lossy(&output.stderr).contains("output could not be written"));
}
