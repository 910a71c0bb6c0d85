//! Marks on real images and loop devices: where they stand, who vouches for them, and that nothing takes them for a table.

mod common;

use common::{Loop, Place, json, shown};
use std::fs;
use std::path::Path;
use std::process::Command;

const PAGE: usize = 4096;

/// A place with a key, a technician and a contact.
fn bench() -> Place {
    let place = Place::new();
    fs::create_dir_all(place.path("home")).unwrap();
    let config = "organisation = \"Brackwater Weather Service\"\n[technician]\nname = \"Ines Okafor-Lindqvist\"\nplace = \"Tern Quay workshop\"\n";
    fs::write(place.path("home/config.toml"), config).unwrap();
    place.jurex(&["keys", "new", "--name", "Bench 2", "--no-passphrase"]).expect(0, &["signs from now on"]);
    place
}

fn erase(place: &Place, drive: &str, sectors: usize, more: &[&str]) -> common::Answer {
    let (label, out) = (sectors.to_string(), place.path("out"));
    let fixed = ["erase", drive, "--method", "zeros", "--label-check", &label, "--out", shown(&out), "--quiet"];
    place.jurex(&[&fixed[..], more].concat())
}

/// Zeros everywhere but in the page at both ends, which is text. Gives it.
fn page_of(image: &Path) -> String {
    let bytes = fs::read(image).unwrap();
    let (first, last) = (&bytes[..PAGE], &bytes[bytes.len() - PAGE..]);
    assert_eq!(first, last, "both copies are alike");
    assert!(bytes[PAGE..bytes.len() - PAGE].iter().all(|b| *b == 0), "nothing else was written");
    String::from_utf8(first.to_vec()).unwrap()
}

fn is_taken_for_something(device: &str) -> bool {
    let found = Command::new("blkid").args(["--probe", device]).output().unwrap();
    let signs = Command::new("wipefs").args(["--no-act", device]).output().unwrap();
    !found.stdout.is_empty() || !signs.stdout.is_empty()
}

#[test]
fn a_mark_stands_at_both_ends_of_drives_of_every_kind_and_is_proved_with_the_rest() {
    for (sector, bytes) in [("512", 3 << 20), ("512", (3 << 20) + 512 * 3), ("4096", 3 << 20), ("4096", (3 << 20) + 4096)] {
        let (place, bytes) = (bench(), common::odd(bytes));
        let image = place.image("drive.img", bytes);
        let Some(device) = Loop::attach_with(&image, &["--sector-size", sector]) else { return };
        let sectors = bytes / sector.parse::<usize>().unwrap();
        erase(&place, &device.device, sectors, &["--mark", "yes"]).expect(0, &["An erasure tag was left on it", "signed by key"]);
        let page = page_of(&image);
        for says in ["JUREX MARK 1", "This drive was erased", "Outcome   Clear", "Brackwater Weather Service, Tern Quay workshop"]
        {
            assert!(page.contains(says), "{says}: {page}");
        }
        let record = place.only("out", ".record.json");
        let digest = Command::new("sha256sum").arg(&record).output().unwrap().stdout;
        assert!(page.contains(&format!("SHA-256 {}", &String::from_utf8(digest).unwrap()[..64])), "{page}");
        assert!(!is_taken_for_something(&device.device), "sectors of {sector}");
        place
            .jurex(&["prove", &device.device, "--record", shown(&record), "--out", shown(&place.path("again")), "--quiet"])
            .expect(0, &["Confirmed", "word for word"]);
        place
            .jurex(&["look", &device.device, "--as-left"])
            .expect(0, &["erased less than a day ago by Bench 2", "Its signature is right."]);
    }
}

#[test]
fn a_mark_that_was_changed_copied_or_made_up_is_told_rightly() {
    let place = bench();
    let bytes = 2 << 20;
    let image = place.image("drive.img", bytes);
    erase(&place, shown(&image), bytes / 512, &["--mark", "yes"]).expect(0, &["An erasure tag was left"]);
    let record = place.only("out", ".record.json");
    let page = page_of(&image);
    let as_it_was = fs::read(&image).unwrap();
    let look = |says: &[&str]| drop(place.jurex(&["look", shown(&image)]).expect(0, says));
    let prove = |code: i32, says: &[&str]| {
        let again = tempfile::tempdir_in(place.path("")).unwrap();
        place
            .jurex(&["prove", shown(&image), "--record", shown(&record), "--out", shown(again.path()), "--quiet"])
            .expect(code, says);
    };
    let change = |at: usize, with: &[u8]| {
        let mut bytes = as_it_was.clone();
        bytes[at..at + with.len()].copy_from_slice(with);
        fs::write(&image, bytes).unwrap();
    };
    prove(0, &["Confirmed"]);
    // A word of the page that people read.
    let at = page.find("Clear").unwrap();
    change(at, b"Purge");
    look(&["✕ The drive is not as it was left", "of its copy in the first sectors: it was changed"]);
    prove(3, &["Contradicted"]);
    // Half written over, and one end gone.
    change(bytes - PAGE / 2, &[7; PAGE / 2]);
    look(&["of its copy in the last sectors: it was changed"]);
    change(0, &[0; PAGE]);
    look(&["of its copy in the first sectors: no mark"]);
    // Somebody has written between them.
    // So much that no sample misses it.
    change(1 << 20, &b"new letters".repeat(6000));
    look(&["Its signature is right."]);
    prove(3, &["Contradicted", "2048"]);
    place.jurex(&["look", shown(&image), "--as-left"]).expect(3, &["do not hold"]);
    // On another drive, of another size.
    let other = place.path("other.img");
    let mut copied = as_it_was.clone();
    copied.splice(PAGE..PAGE, vec![0; 1 << 20]);
    fs::write(&other, copied).unwrap();
    place.jurex(&["look", shown(&other)]).expect(0, &["It is the erasure tag of another drive", "was copied here"]);
    // By a key that nobody here knows.
    fs::write(&image, &as_it_was).unwrap();
    let stranger = Place::new();
    stranger.jurex(&["look", shown(&image)]).expect(0, &["which is not known here: anybody can have made it"]);
    stranger.jurex(&["look", shown(&image), "--as-left"]).expect(3, &["no record of job"]);
    // Planned again, that is said first.
    let plan = ["plan", shown(&image), "--sensitivity", "low", "--reuse", "yes", "--leaves", "no", "--no-sample"];
    place.jurex(&plan).expect(0, &["carries the erasure tag of"]);
}

#[test]
fn a_mark_is_left_only_where_it_would_be_true() {
    let place = bench();
    let image = place.image("drive.img", 1 << 20);
    let part = ["--mark", "yes", "--from", "0", "--to", "99"];
    erase(&place, shown(&image), 2048, &part).expect(1, &["says that the whole drive was erased", "Nothing was written"]);
    let small = place.image("small.img", 10 * 512);
    erase(&place, shown(&small), 10, &["--mark", "yes"]).expect(1, &["has only 10 sectors"]);
    // Nothing was read back: nothing is earned, and no mark says so.
    erase(&place, shown(&image), 2048, &["--mark", "yes", "--verify", "none"])
        .expect(3, &["No erasure tag was left on the drive"]);
    assert!(fs::read(&image).unwrap().iter().all(|b| *b == 0));
    // By the settings, where nothing else is said; and never on a part.
    fs::write(place.path("home/config.toml"), "mark = true\n").unwrap();
    let out = place.path("part");
    let range =
        ["erase", shown(&image), "--method", "zeros", "--label-check", "2048", "--out", shown(&out), "--from", "0", "--to", "99"];
    let said = place.jurex(&range).expect(3, &["Not sanitized"]);
    assert!(!said.out.contains("mark "), "{}", said.out);
    let whole = place.path("whole");
    let all = ["erase", shown(&image), "--method", "zeros", "--label-check", "2048", "--out", shown(&whole), "--quiet"];
    place.jurex(&all).expect(0, &["An erasure tag was left on it", "signed by key"]);
    let record = json(&place.only("whole", ".record.json"));
    assert_eq!(record["method"]["mark"], true);
}
