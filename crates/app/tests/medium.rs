//! Start media by the real program: a stick is written through the guard and the label check, and is sound to the system's own tools; lists
//! with mistakes do nothing; a computer that was started from a medium leaves all media alone.

mod common;

use common::{Loop, Place, not_run, shown};
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

const MIB: usize = 1 << 20;

/// An image with the partitions of a start medium, whose sectors all hold something.
fn start_image(place: &Place, data: &str) -> Option<PathBuf> {
    let image = place.image("start.img", 12 * MIB);
    let done = Command::new("sgdisk")
        .args(["--clear", "--new=1:64:8191", "--change-name=1:JUREXSTART", "--new=2:8192:10239", "--new=3:10240:20479"])
        .arg(format!("--change-name=3:{data}"))
        .args(["--set-alignment=1", shown(&image)])
        .output();
    match done {
        Ok(output) if output.status.success() => Some(image),
        other => {
            not_run(&format!("no sgdisk: {other:?}"));
            None
        }
    }
}

fn said_by(program: &str, arguments: &[&str]) -> String {
    let done = Command::new(program).args(arguments).output().unwrap_or_else(|e| panic!("{program}: {e}"));
    let said = String::from_utf8_lossy(&done.stdout).into_owned() + &String::from_utf8_lossy(&done.stderr);
    assert!(done.status.success(), "{program} {arguments:?}: {said}");
    said
}

#[test]
fn a_stick_is_written_by_its_label_alone_and_read_back_by_others() {
    let place = Place::new();
    let Some(image) = start_image(&place, "JUREXDATA") else { return };
    let bytes = common::odd(90 * MIB);
    let stick = place.image("stick.img", bytes);
    let before = fs::read(&stick).unwrap();
    let write = |label: &str| place.jurex(&["start-medium", shown(&image), shown(&stick), "--quiet", "--label-check", label]);
    write("12345").expect(2, &["label check failed", "Nothing was written"]);
    assert!(fs::read(&stick).unwrap() == before, "a wrong label writes nothing");
    let Some(device) = Loop::attach(&stick) else { return };
    write(&(bytes / 512).to_string()).expect(2, &[&device.device, "Nothing was written"]);
    drop(device);
    write(&(bytes / 512).to_string()).expect(0, &["is a start medium of Jurex now", "read back, SHA-256", "JUREXDATA"]);
    assert!(said_by("sgdisk", &["--verify", shown(&stick)]).contains("No problems found"));
    let (written, of_image) = (fs::read(&stick).unwrap(), fs::read(&image).unwrap());
    assert!(written[64 * 512..10_240 * 512] == of_image[64 * 512..10_240 * 512], "the image as it is");
    let partition = said_by("sgdisk", &["--info=3", shown(&stick)]);
    assert!(partition.contains("JUREXDATA") && partition.contains("First sector: 10240"), "{partition}");
    let data = Loop::attach_with(&stick, &["--offset", &(10_240 * 512).to_string()]).unwrap();
    let label = said_by("blkid", &["-p", "-o", "value", "-s", "LABEL", &data.device]);
    assert_eq!(label.trim(), "JUREXDATA");
}

#[test]
fn what_is_no_start_medium_and_a_stick_without_room_are_refused() {
    let place = Place::new();
    let stick = place.image("stick.img", 60 * MIB);
    let sectors = (60 * MIB / 512).to_string();
    let write = |image: &Path, stick: &Path| {
        place.jurex(&["start-medium", shown(image), shown(stick), "--quiet", "--label-check", &sectors])
    };
    write(&place.path("nothing.img"), &stick).expect(1, &["can't be read", "Nothing was written"]);
    write(&stick, &place.image("other.img", MIB)).expect(1, &["no start medium of Jurex", "Nothing was written"]);
    let Some(other) = start_image(&place, "TIDES") else { return };
    write(&other, &stick).expect(1, &["partitions are called otherwise", "Nothing was written"]);
    let Some(image) = start_image(&place, "JUREXDATA") else { return };
    let small = place.image("small.img", 20 * MIB);
    let before = fs::read(&small).unwrap();
    write(&image, &small).expect(1, &["take a larger stick", "Nothing was written"]);
    assert!(fs::read(&small).unwrap() == before);
}

#[test]
fn a_list_with_a_mistake_is_not_begun() {
    let place = Place::new();
    let list = place.path("list.csv");
    let run = |text: &str| {
        fs::write(&list, text).unwrap();
        place.jurex(&["unattended", shown(&list), "--out", shown(&place.path("out"))])
    };
    let head = "serial,plan,approved by\r\n";
    for (rows, says) in [
        ("FM0500T3XW8D,--method nothing-like-it,Tomasz Averill\r\n", "line 2: there is no method"),
        ("FM0500T3XW8D,--method zeros,\r\n", "line 2: it does not say who approved it"),
        ("FM0500T3XW8D,--method zeros --partition 1,Tomasz Averill\r\n", "a list is of whole drives"),
        ("\r\nFM0500T3XW8D,--way tcg-revert,Tomasz Averill\r\n", "line 3: TCG"),
    ] {
        let answer = run(&format!("{head}{rows}"));
        answer.expect(1, &[says, "nothing of the list is carried out"]);
    }
    run("serial,plan\nFM0500T3XW8D,--method zeros\n").expect(1, &["approved by"]);
    place.jurex(&["unattended", "/dev/null", "--out", shown(&place.path("out"))]).expect(1, &["no plain file"]);
    assert!(!place.path("home/ledger.sqlite3").exists(), "nothing was begun");
}

#[test]
fn a_computer_that_was_started_from_a_medium_leaves_it_alone() {
    let place = Place::new();
    let image = place.image("start.img", 3 * MIB);
    let Some(device) = Loop::attach(&image) else { return };
    let facts = place.path("medium.toml");
    let look = |medium: &str| {
        fs::write(&facts, format!("medium = \"{medium}\"\nmade = 1700000000\nnotes = []\n")).unwrap();
        let mut command = place.command();
        command.args(["look", &device.device, "--json"]).env("JUREX_MEDIUM", &facts);
        common::Answer::of(command.output().unwrap()).expect(0, &[]).out
    };
    assert!(!look("/dev/sdzz").contains("start medium"), "another drive may be erased");
    // By its device, though nothing of it is mounted.
    assert!(look(&device.device).contains("start medium"));
    let mut erase = place.command();
    erase.args(["erase", &device.device, "--passes", "00", "--label-check", &(3 * MIB / 512).to_string()]);
    erase.args(["--out", shown(&place.path("out"))]).env("JUREX_MEDIUM", &facts);
    common::Answer::of(erase.output().unwrap()).expect(2, &["start medium", "Nothing was written"]);
}
