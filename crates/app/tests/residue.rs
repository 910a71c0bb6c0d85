//! The search for leftovers, on real file systems with real files, with the real program.

mod common;

use common::{Place, not_run, shown};
use std::fs;
use std::path::Path;
use std::process::Command;

const MIB: usize = 1 << 20;

/// Files of a station: photographs, a database, a report, mail, logs; a kilobyte each and more.
fn station(folder: &Path) {
    let log = "2026-03-14 06:00 wind 31.4 m/s gust 40.2 m/s pressure 981.2 hPa at Anvil Rock\n".repeat(40);
    let with = |head: &[u8]| [head, &[0x5a; 3000][..]].concat();
    for n in 0..12 {
        fs::write(folder.join(format!("photo{n}.jpg")), with(b"\xff\xd8\xff\xe0\x00\x10JFIF\x00\x01")).unwrap();
    }
    fs::write(folder.join("stations.db"), with(b"SQLite format 3\x00")).unwrap();
    fs::write(folder.join("report.pdf"), with(b"%PDF-1.7\n")).unwrap();
    fs::write(folder.join("mail.eml"), [b"Return-Path: <ines@tern-quay.example>\r\n", log.as_bytes()].concat()).unwrap();
    (0..6).for_each(|n| fs::write(folder.join(format!("wind{n}.csv")), &log).unwrap());
}

fn has(program: &str) -> bool {
    Command::new(program).arg("-V").output().is_ok()
}

fn run(program: &str, arguments: &[&str]) {
    let done = Command::new(program).args(arguments).output().unwrap();
    assert!(done.status.success(), "{program}: {}", String::from_utf8_lossy(&done.stderr));
}

/// What was found of that kind, from the JSON of a search.
fn count(found: &serde_json::Value, name: &str) -> u64 {
    let finds = found["residue"]["finds"].as_array().unwrap();
    finds.iter().find(|f| f["name"] == name).map_or(0, |f| f["count"].as_u64().unwrap())
}

#[test]
fn files_outlive_a_quick_format_and_nothing_outlives_an_overwriting() {
    if !(has("mke2fs") && has("mkfs.vfat")) {
        return not_run("mke2fs or mkfs.vfat is not here");
    }
    let place = Place::new();
    let (folder, image) = (place.path("station"), place.path("drive.img"));
    fs::create_dir(&folder).unwrap();
    station(&folder);
    fs::File::create(&image).unwrap().set_len(32 * MIB as u64).unwrap();
    run("mke2fs", &["-q", "-t", "ext4", "-d", shown(&folder), shown(&image)]);
    let search = |code: i32| -> serde_json::Value {
        let answer = place.jurex(&["residue", shown(&image), "--json"]).expect(code, &[]);
        assert!(!answer.out.contains("Anvil Rock") && !answer.out.contains("tern-quay"), "no contents are told");
        serde_json::from_str(&answer.out).unwrap()
    };
    let full = search(3);
    let all = |found: &serde_json::Value| ["JPEG (JFIF)", "SQLite", "PDF", "mail"].map(|name| count(found, name));
    assert_eq!(all(&full), [12, 1, 1, 1]);
    assert!(count(&full, "ext2/3/4") >= 1 && count(&full, "ext directory") >= 1);
    assert!(full["residue"]["shares"]["text"].as_u64().unwrap() > 6 * 5, "the logs");
    run("mkfs.vfat", &[shown(&image)]);
    let formatted = search(3);
    assert_eq!(all(&formatted), [12, 1, 1, 1], "a quick format leaves the files");
    assert!(count(&formatted, "FAT16") + count(&formatted, "FAT12") + count(&formatted, "FAT32") > 0);
    let out = place.path("out");
    let erase = ["erase", shown(&image), "--passes", "00", "--label-check", "65536", "--out", shown(&out)];
    place.jurex(&erase).expect(0, &["Clear"]);
    let erased = search(0);
    assert_eq!((erased["residue"]["verdict"].as_str(), all(&erased)), (Some("nothing"), [0; 4]));
    let said = place.jurex(&["residue", shown(&image)]).expect(0, &["Nothing beyond chance", "No computer would start"]);
    assert!(said.out.contains("one byte over and over all"), "{}", said.out);
}

#[test]
fn random_bytes_are_told_as_chance_and_a_single_planted_head_is_not() {
    let place = Place::new();
    let image = place.image("drive.img", 16 * MIB);
    let out = place.path("out");
    let erase = ["erase", shown(&image), "--passes", "random", "--label-check", "32768", "--out", shown(&out)];
    place.jurex(&erase).expect(0, &["Clear"]);
    place.jurex(&["residue", shown(&image)]).expect(0, &["Nothing beyond chance", "anything else all"]);
    let mut bytes = fs::read(&image).unwrap();
    bytes[20_000 * 512..][..8].copy_from_slice(b"\x89PNG\r\n\x1a\n");
    fs::write(&image, bytes).unwrap();
    let found = place.jurex(&["residue", shown(&image)]).expect(3, &["Something is left: 1 picture", "PNG: 1 (sector 20"]);
    assert!(!found.out.contains("could not be read"), "{}", found.out);
}

#[test]
fn the_bench_is_searched_bad_sectors_and_all() {
    let place = Place::new();
    place.jurex(&["residue", "sim:3"]).expect(3, &["Something is left", "could not be read, and were not searched"]);
    place.jurex(&["residue", "sim:2"]).expect(3, &["EFI system partition", "of text"]);
    // Of a large one a sample is read in seconds, and says so.
    let image = place.path("large.img");
    fs::File::create(&image).unwrap().set_len(6 << 30).unwrap();
    place.jurex(&["residue", shown(&image), "--sampled"]).expect(0, &["places drawn all over it", "Nothing beyond chance"]);
    place.jurex(&["residue", "sim:99"]).expect(1, &[]);
}

#[test]
fn what_lay_there_before_and_after_stands_in_the_record_by_counts_and_places_and_on_the_certificate() {
    if !(has("mke2fs") && Command::new("pdftotext").arg("-v").output().is_ok()) {
        return not_run("mke2fs or pdftotext is not here");
    }
    let place = Place::new();
    let (folder, image, out) = (place.path("station"), place.path("drive.img"), place.path("out"));
    fs::create_dir(&folder).unwrap();
    station(&folder);
    fs::File::create(&image).unwrap().set_len(32 * MIB as u64).unwrap();
    run("mke2fs", &["-q", "-t", "ext4", "-d", shown(&folder), shown(&image)]);
    let asked = ["erase", shown(&image), "--passes", "00", "--label-check", "65536", "--out", shown(&out), "--leftovers"];
    let answer = place.jurex(&asked).expect(0, &["usable   before: ", "after: none found"]);
    let path = place.only("out", ".record.json");
    let (text, record) = (fs::read_to_string(&path).unwrap(), common::json(&path));
    let of = |left: &serde_json::Value, kind: &str| -> String {
        let finds = left["finds"].as_array().unwrap();
        finds.iter().find(|f| f["kind"] == kind).map_or_else(|| "0".into(), |f| f["count"].as_str().unwrap().into())
    };
    assert_eq!(
        (of(&record["before"]["left"], "JPEG (JFIF)").as_str(), record["left"]["finds"].as_array().unwrap().len()),
        ("12", 0)
    );
    assert!(["Anvil Rock", "tern-quay"].iter().all(|words| !text.contains(words) && !answer.out.contains(words)));
    let paper = Command::new("pdftotext").arg(place.only("out", ".certificate.pdf")).arg("-").output().unwrap();
    let paper = String::from_utf8_lossy(&paper.stdout).replace('\n', " ");
    assert!(paper.contains("12 pictures") && paper.contains("After: none found."), "{paper}");
    // Somebody has put something on it since: the pass is not there any more, and the search says what is.
    let mut bytes = fs::read(&image).unwrap();
    bytes[512 * 4000..][..11].copy_from_slice(b"\xff\xd8\xff\xe0\x00\x10JFIF\x00");
    fs::write(&image, bytes).unwrap();
    let again = ["prove", shown(&image), "--record", shown(&path), "--out", shown(&out), "--leftovers"];
    place.jurex(&again).expect(3, &["Contradicted", "sector 4000", "usable   1 picture"]);
    let look = common::json(&place.only("out", ".verification.json"));
    assert_eq!(look["look"]["left"]["finds"][0]["places"][0], "4000");
}
