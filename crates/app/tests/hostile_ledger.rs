//! Records that were edited, checks that contradict, and ledgers that were put back, emptied or exchanged: the real program on real images.

mod common;

use common::{Place, json, shown};
use std::fs;
use std::path::{Path, PathBuf};

/// A bench whose every drive is drawn for a second check, with one image erased; the image and its record.
fn bench(place: &Place) -> (PathBuf, PathBuf) {
    fs::create_dir_all(place.path("home")).unwrap();
    fs::write(place.path("home/config.toml"), "second_look_percent = 100\n").unwrap();
    let image = place.image("tide.img", 2 << 20);
    (image.clone(), erased(place, &image, "out"))
}

fn erased(place: &Place, image: &Path, out: &str) -> PathBuf {
    let folder = place.path(out);
    let asked = ["erase", shown(image), "--passes", "00", "--label-check", "4096", "--out", shown(&folder), "--quiet"];
    place.jurex(&asked).expect(0, &["Clear"]);
    place.only(out, ".record.json")
}

#[test]
fn an_edited_record_closes_no_second_check_and_a_contradiction_stands() {
    let place = Place::new();
    let (image, record) = bench(&place);
    place.jurex(&["prove", "--due"]).expect(3, &["due"]);
    // The same record, but for the end of what was overwritten: of this nothing was ever judged.
    let mut edited = json(&record);
    let text = edited.to_string();
    let cut = text.replace("\"count\":\"4096\"", "\"count\":\"8\"");
    assert_ne!(cut, text, "the record's ranges are named so");
    edited = serde_json::from_str(&cut).unwrap();
    let file = place.path("edited.json");
    fs::write(&file, edited.to_string()).unwrap();
    let answer = place.jurex(&["prove", shown(&image), "--record", shown(&file), "--out", shown(&place.path("looks"))]);
    assert_ne!(answer.code, 0, "{}{}", answer.out, answer.err);
    place.jurex(&["prove", "--due"]).expect(3, &["due"]);
    // Something else lies there: that stands, whatever is confirmed after it.
    let right = fs::read(&image).unwrap();
    let mut other = right.clone();
    other[70_000] = 1;
    fs::write(&image, &other).unwrap();
    let prove = || place.jurex(&["prove", shown(&image), "--record", shown(&record), "--out", shown(&place.path("looks"))]);
    assert_ne!(prove().code, 0);
    fs::write(&image, &right).unwrap();
    prove().expect(0, &["Confirmed"]);
    place.jurex(&["prove", "--due"]).expect(3, &["CONTRADICTED", "erase the drive again"]);
    let job = json(&record)["job"].as_str().unwrap().to_string();
    let papers = place.path("papers");
    place.jurex(&["certificate", &job, "--out", shown(&papers)]).expect(0, &[]);
    let paper = place.only("papers", ".pdf");
    place.jurex(&["check", shown(&paper)]).expect(3, &["CONTRADICTED by the second check", "Contradicted", "Confirmed"]);
    // A column that somebody has changed says nothing.
    let change = |statement: &str| {
        let lines = "import sqlite3, sys\nc = sqlite3.connect(sys.argv[1])\nc.execute(sys.argv[2])\nc.commit()";
        let database = place.path("home/ledger.sqlite3");
        let done = std::process::Command::new("python3").args(["-c", lines, shown(&database), statement]).status().unwrap();
        assert!(done.success(), "{statement}");
    };
    change("UPDATE verification SET confirmed = 1");
    place.jurex(&["prove", "--due"]).expect(3, &["CONTRADICTED"]);
    // Nor is it gone with its row.
    change("DELETE FROM verification WHERE number = 1");
    place.jurex(&["prove", "--due"]).expect(3, &["not to be believed"]);
}

#[test]
fn a_ledger_that_does_not_follow_from_its_head_says_so_at_the_next_job_and_keeps_both() {
    let place = Place::new();
    let (image, _) = bench(&place);
    let elsewhere = place.path("elsewhere/head");
    fs::write(place.path("home/config.toml"), format!("head_file = {:?}\n", shown(&elsewhere))).unwrap();
    place.jurex(&["keys", "new", "--name", "Bench 2", "--no-passphrase"]).expect(0, &[]);
    erased(&place, &image, "out2");
    let (ledger, then) = (place.path("home/ledger.sqlite3"), fs::read_to_string(&elsewhere).unwrap());
    place.jurex(&["ledger", "check"]).expect(0, &["as it was written"]);
    // Emptied: the next job runs, says so on its record, and takes nothing of what tells it away.
    fs::remove_file(&ledger).unwrap();
    let folder = place.path("out3");
    let asked = ["erase", shown(&image), "--passes", "00", "--label-check", "4096", "--out", shown(&folder), "--quiet"];
    place.jurex(&asked).expect(0, &["Clear", "does not follow from the head"]);
    let record = json(&place.only("out3", ".record.json"));
    assert!(record["ledger_doubts"][0].as_str().unwrap().contains("put back, emptied or exchanged"), "{record}");
    assert_eq!(fs::read_to_string(&elsewhere).unwrap(), then);
    assert!(place.path("elsewhere/head.now").exists());
    place.jurex(&["ledger", "check"]).expect(3, &["touched"]);
    let paper = place.only("out3", ".certificate.pdf");
    place.jurex(&["check", shown(&paper)]).expect(3, &["put back, emptied or exchanged"]);
    // A person has looked, and takes it as it is.
    place.jurex(&["ledger", "head", "--take"]).expect(0, &["taken as it is", "kept: "]);
    fs::remove_dir_all(place.path("out3")).unwrap();
    let answer = place.jurex(&asked).expect(0, &["Clear"]);
    assert!(!answer.err.contains("does not follow"), "{}", answer.err);
    // The check reports a head that is gone, and a folder in its place.
    fs::remove_file(&elsewhere).unwrap();
    place.jurex(&["ledger", "check"]).expect(3, &["is gone"]);
    fs::create_dir(&elsewhere).unwrap();
    place.jurex(&["ledger", "check"]).expect(3, &["no plain file"]);
}

#[test]
fn nothing_but_a_plain_file_is_replaced() {
    let place = Place::new();
    let (image, _) = bench(&place);
    let node = place.path("node");
    let mode = rustix::fs::Mode::from(0o600);
    if rustix::fs::mknodat(rustix::fs::CWD, &node, rustix::fs::FileType::CharacterDevice, mode, rustix::fs::makedev(1, 7))
        .is_err()
    {
        common::not_run("device nodes need root");
        return;
    }
    fs::write(place.path("home/config.toml"), format!("head_file = {:?}\n", shown(&node))).unwrap();
    let folder = place.path("out2");
    let asked = ["erase", shown(&image), "--passes", "00", "--label-check", "4096", "--out", shown(&folder), "--quiet"];
    place.jurex(&asked).expect(0, &["no plain file"]);
    let kind = fs::symlink_metadata(&node).unwrap().file_type();
    assert!(std::os::unix::fs::FileTypeExt::is_char_device(&kind), "the node is still one");
}
