//! `jurex files` and `jurex free`: the real program on real file systems, killed, stopped, and asked wrongly.

mod common;
#[path = "../../linux/tests/mounted/mod.rs"]
mod mounted;

use common::{PROGRAM, Place, json, shown};
use mounted::{Mounted, count_marks, marks_in, write_marked};
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

fn ext4() -> Option<Mounted> {
    Mounted::make("ext4", 400, "mkfs.ext4", &["-F", "-q"], "")
}

/// A folder with so many marked files of so many bytes, on disk.
fn tree(mounted: &Mounted, files: u64, bytes: usize) -> PathBuf {
    let tree = mounted.path().join("stations");
    fs::create_dir(&tree).unwrap();
    for n in 0..files {
        write_marked(&tree.join(format!("gauge{n:03}.csv")), n, bytes, false);
    }
    mounted.sync();
    tree
}

#[track_caller]
fn wait_until(what: &str, seen: impl Fn() -> bool) {
    let begun = Instant::now();
    while !seen() {
        assert!(begun.elapsed() < Duration::from_secs(60), "never: {what}");
        std::thread::sleep(Duration::from_millis(10));
    }
}

/// The notes of unfinished work, as text.
fn notes(place: &Place) -> String {
    let files = fs::read_dir(place.path("home/files")).into_iter().flatten().flatten().map(|e| e.path());
    let of_work = files.filter(|p| p.extension().is_some_and(|e| e == "notes"));
    of_work.map(|p| fs::read_to_string(p).unwrap_or_default()).collect()
}

fn begun(place: &Place, arguments: &[&str]) -> Child {
    place.command().args(arguments).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap()
}

fn signal(child: &Child, name: &str) {
    Command::new("kill").args([name, &child.id().to_string()]).status().unwrap();
}

#[test]
fn nothing_is_lost_but_what_was_told_and_whose_number_was_given() {
    let Some(ext4) = ext4() else { return };
    let place = Place::new();
    let tree = tree(&ext4, 20, 5000);
    let out = place.path("out");
    let plan = place.jurex(&["files", shown(&tree), "--plan"]);
    plan.expect(
        0,
        &["20 files of 100 kB, 1 folder", "ext4 at", "21 names will be lost", "THIS IS NOT A SANITIZATION OF THE DRIVE"],
    );
    let told: serde_json::Value = serde_json::from_str(&place.jurex(&["files", shown(&tree), "--plan", "--json"]).out).unwrap();
    assert_eq!((&told["count"], &told["grounds"][0]["ground"]["kind"]), (&21.into(), &"ext4".into()));
    place.jurex(&["files", shown(&tree)]).expect(2, &["nobody is at the terminal", "Nothing was written"]);
    place.jurex(&["files", shown(&tree), "--yes-count", "20"]).expect(2, &["21 names will be lost", "Nothing was written"]);
    place.jurex(&["files", shown(&tree.join("gone")), "--yes-count", "1"]).expect(1, &["cannot look at", "Nothing was written"]);
    place.jurex(&["files", shown(&tree), "--passes", "zebra"]).expect(1, &["column 1"]);
    place.jurex(&["files", shown(&ext4.path()), "--yes-count", "1"]).expect(1, &["is mounted"]);
    place.jurex(&["files"]).expect(1, &[]);
    place.jurex(&["files", "--resume"]).expect(1, &["no erasure of files was cut short"]);
    let inside = shown(&tree.join("papers")).to_string();
    place.jurex(&["files", shown(&tree), "--yes-count", "22", "--out", &inside]).expect(2, &["name another folder"]);
    fs::remove_dir(&inside).unwrap();
    ext4.sync();
    assert_eq!(marks_in(&ext4.image).len(), 20, "all is there");

    let done = place.jurex(&[
        "files",
        shown(&tree),
        "--yes-count",
        "21",
        "--passes",
        "random | 00?",
        "--out",
        shown(&out),
        "--by",
        "Ines Okafor-Lindqvist",
    ]);
    let (code, words) = best(&place, &ext4.path());
    done.expect(code, &[&format!("20 files, 100 kB: {words}"), "The journal of ext4", "NOT A SANITIZATION"]);
    ext4.sync();
    assert!(marks_in(&ext4.image).is_empty() && !tree.exists() && notes(&place).is_empty());
    let record = json(&place.only("out", ".files.json"));
    assert_eq!((&record["asked"]["passes"], &record["asked"]["by"]["name"]), (&2.into(), &"Ines Okafor-Lindqvist".into()));
    assert!(!record.to_string().contains("gauge"), "names are digests");
    let svg = fs::read_to_string(place.only("out", ".places.svg")).unwrap();
    assert!(svg.starts_with("<svg"), "{svg}");
    let (paper, text) = (place.only("out", ".report.pdf"), place.only("out", ".files.json"));
    place
        .jurex(&["check", shown(&paper), shown(&text)])
        .expect(0, &["no outcome: it is no sanitization", "to the byte what this version prints"]);
    let (record_text, of) = (fs::read_to_string(&text).unwrap(), "\"pattern\":\"");
    let altered = record_text.replacen(of, "\"pattern\":\"1", 1);
    assert_ne!(altered, record_text);
    fs::write(place.path("altered.json"), altered).unwrap();
    place.jurex(&["check", shown(&place.path("altered.json"))]).expect(3, &["altered"]);
    fs::remove_file(place.path("altered.json")).unwrap();
    ext4.check();
}

/// The best that can be said on this machine, and the exit code of it: on a disk that other storage hosts, as that of a virtual machine, nothing
/// is proved.
fn best(place: &Place, on: &Path) -> (i32, &'static str) {
    let plan = place.jurex(&["free", shown(on), "--plan", "--json"]).expect(0, &["\"ground\""]).out;
    if plan.contains("\"hosted\"") { (3, "overwritten, not provable") } else { (0, "overwritten in place, read on the device") }
}

#[test]
fn what_was_begun_and_is_moved_away_has_an_ending_and_keeps_its_notes() {
    let Some(ext4) = ext4() else { return };
    let place = Place::new();
    let tree = tree(&ext4, 40, 3_000_000);
    let mut child = begun(&place, &["files", shown(&tree), "--yes-count", "41", "--passes", "random x30", "--with-names"]);
    wait_until("it has begun", || notes(&place).contains("traced"));
    std::thread::sleep(Duration::from_millis(300));
    child.kill().unwrap();
    child.wait().unwrap();
    // The whole tree is somewhere else: nothing of it is called done.
    let away = ext4.path().join("elsewhere/away");
    fs::create_dir(ext4.path().join("elsewhere")).unwrap();
    fs::rename(&tree, &away).unwrap();
    let out = |n: u32| place.path(&format!("out{n}"));
    let resume = |n: u32| place.jurex(&["files", "--resume", "--out", shown(&out(n))]);
    resume(1).expect(3, &["NOT finished"]);
    assert!(notes(&place).contains("traced"), "only the notes know where it lay");
    let record = json(&place.only("out1", ".files.json")).to_string();
    assert!(record.contains("it is not where it was named"), "{record}");
    fs::rename(&away, &tree).unwrap();
    // It is back, but for one file: that one has an ending of its own, and the others theirs.
    let first = fs::read_dir(&tree).unwrap().map(|e| e.unwrap().path()).find(|p| p.is_file()).unwrap();
    fs::rename(&first, ext4.path().join("moved away")).unwrap();
    resume(2).expect(3, &["NOT finished"]);
    let record = json(&place.only("out2", ".files.json"));
    let files = record["work"]["files"].as_array().unwrap();
    let plain: Vec<_> = files.iter().filter(|f| f["kind"] == "file" && f["fault"].as_str() != Some("")).collect();
    assert!(plain.len() >= 40, "{} files have an ending", plain.len());
    assert!(record.to_string().contains("somebody has moved it away"), "{record}");
    assert!(notes(&place).contains("traced"));
    ext4.check();
}

#[test]
fn a_killed_erasure_is_gone_on_with_and_only_by_its_notes() {
    let Some(ext4) = ext4() else { return };
    let place = Place::new();
    let tree = tree(&ext4, 40, 3_000_000);
    let mut child = begun(&place, &["files", shown(&tree), "--yes-count", "41", "--passes", "random x30"]);
    wait_until("it has begun", || notes(&place).contains("traced"));
    std::thread::sleep(Duration::from_millis(400));
    child.kill().unwrap();
    child.wait().unwrap();
    let left = fs::read_dir(&tree).unwrap().count();
    assert!(left > 0, "it was cut short");
    let count = (left + 1).to_string();
    place.jurex(&["files", shown(&tree), "--yes-count", &count]).expect(2, &["was cut short", "--resume"]);
    let done = place.jurex(&["files", "--resume", "--out", shown(&place.path("out"))]);
    let (code, words) = best(&place, &ext4.path());
    done.expect(code, &[&format!("40 files, 120 MB: {words}")]);
    let record = json(&place.only("out", ".files.json"));
    assert_eq!(record["asked"]["went_on"], 1);
    assert!(!tree.exists() && notes(&place).is_empty());
    ext4.sync();
    assert!(marks_in(&ext4.image).is_empty());
    ext4.check();
}

#[test]
fn a_stopped_erasure_tells_what_was_done_and_a_full_disk_keeps_nothing_from_being_told() {
    let Some(ext4) = ext4() else { return };
    let place = Place::new();
    let tree = tree(&ext4, 8, 20_000_000);
    let out = place.path("out");
    let arguments = ["files", shown(&tree), "--yes-count", "9", "--passes", "random x20", "--out", shown(&out), "--with-names"];
    let child = place.command().args(arguments).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    wait_until("it has begun", || notes(&place).contains("traced"));
    signal(&child, "-INT");
    let output = child.wait_with_output().unwrap();
    let (said, why) =
        (String::from_utf8_lossy(&output.stdout).into_owned(), String::from_utf8_lossy(&output.stderr).into_owned());
    assert_eq!(output.status.code(), Some(4), "{said}{why}");
    assert!(said.contains("NOT finished") && why.contains("--resume"), "{said}{why}");
    let record = json(&place.only("out", ".files.json"));
    assert!(record.to_string().contains("gauge000.csv"), "names are wanted");
    // Others fill the disk meanwhile: what was to be overwritten lies where it lies.
    let filler = ext4.path().join("filler");
    let mut file = fs::File::create(&filler).unwrap();
    while std::io::Write::write(&mut file, &[7; 65536]).is_ok() {}
    drop(file);
    let (code, words) = best(&place, &ext4.path());
    place.jurex(&["files", "--resume", "--out", shown(&out)]).expect(code, &[&format!("8 files, 160 MB: {words}")]);
    fs::remove_file(filler).unwrap();
    ext4.sync();
    assert!(marks_in(&ext4.image).is_empty());
    ext4.check();
}

#[test]
fn free_space_is_filled_reported_and_given_back_even_after_a_kill() {
    let place = Place::new();
    if let Some(ext4) = ext4() {
        let tree = tree(&ext4, 30, 1_000_000);
        fs::remove_dir_all(&tree).unwrap();
        let out = place.path("out");
        place
            .jurex(&["free", shown(&ext4.path()), "--plan"])
            .expect(0, &["free space of ext4", "left to others", "NOT A SANITIZATION"]);
        place.jurex(&["free", shown(&ext4.path()), "--reserve", "lots"]).expect(1, &["write it as 500MB"]);
        place.jurex(&["free", shown(&ext4.path()), "--reserve", "9TB"]).expect(1, &["there is nothing to fill"]);
        let done = place.jurex(&["free", shown(&ext4.path()), "--passes", "00", "--reserve", "0", "--out", shown(&out)]);
        let (code, _) = best(&place, &ext4.path());
        let words = if code == 0 { "Filled but for the reserve, read on the device" } else { "Filled, not provable" };
        done.expect(code, &[words, "hold the last pass", "Names of deleted files"]);
        ext4.sync();
        // A few blocks the file system gives to nobody.
        let left: u64 = count_marks(&ext4.image).values().map(|times| times * 32).sum();
        assert!(left < 8 << 20, "{left} of 30 000 000 bytes that were deleted are there");
        place.jurex(&["check", shown(&place.only("out", ".report.pdf"))]).expect(0, &["the free space of ext4"]);
        ext4.check();
    }
    // Where files can't be without a name, a kill leaves them; the next start takes them away.
    let Some(ntfs) = Mounted::make("ntfs-3g", 200, "mkfs.ntfs", &["-F", "-Q", "-q"], "") else { return };
    let mut child = begun(&place, &["free", shown(&ntfs.path()), "--passes", "random x50", "--reserve", "20MB"]);
    let left = || {
        let names = fs::read_dir(ntfs.path()).unwrap().map(|e| e.unwrap().path());
        names.filter(|p| p.to_string_lossy().contains(".jurex-free-")).collect::<Vec<PathBuf>>()
    };
    let holds =
        |folder: &Path| fs::read_dir(folder).is_ok_and(|d| d.flatten().any(|f| f.metadata().is_ok_and(|m| m.len() > 1_000_000)));
    wait_until("it fills", || left().first().is_some_and(|f| holds(f)));
    // While it runs another start leaves it alone.
    place.jurex(&["free", shown(&place.path("gone"))]).expect(1, &["can't be used"]);
    assert_eq!(left().len(), 1);
    child.kill().unwrap();
    child.wait().unwrap();
    assert_eq!(left().len(), 1, "a kill leaves it");
    wait_until("its program lets go of it", || {
        let answer = place.jurex(&["files", shown(&place.path("gone"))]);
        assert_eq!(answer.code, 1);
        left().is_empty()
    });
    ntfs.check();
}

/// The page in a real terminal, from the tree to what came of it.
#[test]
fn the_page_erases_what_is_marked_in_a_real_terminal() {
    let Some(ext4) = ext4() else { return };
    let place = Place::new();
    place.greeted();
    let tree = tree(&ext4, 5, 70_000);
    let socket = format!("jurex-files-{}", std::process::id());
    let tmux = |arguments: &[&str]| Command::new("tmux").args(["-L", &socket]).args(arguments).output().ok();
    let line = format!(
        "cd {}; JUREX_HOME={} {PROGRAM}; echo \"exit code $?\"; exec sh",
        shown(&place.path("")),
        shown(&place.path("home"))
    );
    if !tmux(&["-f", "/dev/null", "new-session", "-d", "-x", "160", "-y", "47", "sh", "-c", &line])
        .is_some_and(|o| o.status.success())
    {
        return common::not_run("no tmux here");
    }
    let screen = || tmux(&["capture-pane", "-p"]).map(|o| String::from_utf8_lossy(&o.stdout).into_owned()).unwrap_or_default();
    let key = |key: &str| {
        tmux(&["send-keys", key]).unwrap();
        std::thread::sleep(Duration::from_millis(120));
    };
    let wait = |words: &str| wait_until(&format!("{words}\n{}", screen()), || screen().contains(words));
    wait("jurex");
    key("F9");
    wait("File systems and folders");
    wait(shown(&ext4.path()));
    // Its row is that of the file system that was mounted last, or near it.
    let here = |words: &str| screen().lines().any(|l| l.trim_start().starts_with('▸') && l.contains(words));
    key("Home");
    for _ in 0..60 {
        if here(shown(&ext4.path())) {
            break;
        }
        key("Down");
    }
    key("Right");
    wait("stations/");
    while !here("stations/") {
        key("Down");
    }
    key("s");
    key("Enter");
    wait("6 names will be lost");
    key("6");
    std::thread::sleep(Duration::from_millis(400));
    key("Enter");
    wait("What really became of it?");
    wait(&format!("5 files, 350 kB: {}", best(&place, &ext4.path()).1));
    key("Escape");
    key("q");
    wait("exit code 0");
    let _ = tmux(&["kill-server"]);
    ext4.sync();
    assert!(marks_in(&ext4.image).is_empty() && !tree.exists());
}
