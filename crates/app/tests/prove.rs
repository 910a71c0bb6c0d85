//! Proving again, by records and by expectation, with the real program.

mod common;

use common::{Answer, Place, json, shown};
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

const SECTORS: usize = 8192;

/// An image erased by those passes, and its record.
fn erased(place: &Place, name: &str, passes: &str, more: &[&str]) -> (PathBuf, PathBuf) {
    let image = place.image(name, SECTORS * 512);
    let out = place.path(&format!("out-{name}"));
    let asked = ["erase", shown(&image), "--passes", passes, "--label-check", "8192", "--out", shown(&out)];
    let answer = place.jurex(&[&asked[..], more].concat());
    assert!(matches!(answer.code, 0 | 3), "{} {}", answer.out, answer.err);
    (image, place.only(&format!("out-{name}"), ".record.json"))
}

fn prove(place: &Place, image: &Path, record: &Path, more: &[&str]) -> Answer {
    let out = place.path("proved");
    let asked = ["prove", shown(image), "--record", shown(record), "--out", shown(&out)];
    place.jurex(&[&asked[..], more].concat())
}

fn change(image: &Path, at: usize) {
    let mut bytes = fs::read(image).unwrap();
    bytes[at] ^= 1;
    fs::write(image, bytes).unwrap();
}

#[test]
fn a_second_person_confirms_what_lies_there_and_nothing_is_written() {
    let place = Place::new();
    let (image, record) = erased(&place, "drive.img", "00 | random", &[]);
    let before = fs::read(&image).unwrap();
    prove(&place, &image, &record, &["--by", "Jun Akyol"]).expect(0, &["Confirmed", "sectors were read and hold", "digest"]);
    prove(&place, &image, &record, &["--verify", "sampled"]).expect(0, &["places drawn from seed", "with a chance of 95 %"]);
    assert!(fs::read(&image).unwrap() == before, "it was only read");
    let first = json(&place.path("proved").join(format!("{}.verification.json", json(&record)["job"].as_str().unwrap())));
    assert_eq!(first["look"]["by"]["name"], "Jun Akyol");
    let digest = Command::new("sha256sum").arg(&record).output().unwrap();
    let digest = String::from_utf8(digest.stdout).unwrap();
    assert_eq!(first["look"]["of"]["digest"].as_str(), digest.split_whitespace().next(), "it names the record by its digest");
    let second = place.only("proved", ".verification-2.json");
    let (a, b) = (&json(&second)["look"]["sampling"]["seed"], &json(&record)["method"]["verification"]);
    assert!(a.is_string() && b.is_object() | b.is_string(), "a sample's places are drawn anew: {a} {b}");
}

#[test]
fn what_differs_is_named_by_its_sector() {
    let place = Place::new();
    let (image, record) = erased(&place, "drive.img", "lba", &[]);
    change(&image, 5000 * 512 + 17);
    let answer = prove(&place, &image, &record, &["--json"]).expect(3, &["\"contradicted\""]);
    assert!(answer.out.contains("\"first\":\"5000\""), "{}", answer.out);
    prove(&place, &image, &record, &[]).expect(3, &["Contradicted", "sector 5000"]);
}

#[test]
fn another_drive_a_damaged_record_and_a_shorter_image_are_told() {
    let place = Place::new();
    let (image, record) = erased(&place, "drive.img", "00", &[]);
    let other = place.image("other.img", 4096 * 512);
    prove(&place, &other, &record, &[]).expect(2, &["the record is of", "8192 sectors", "was not read"]);
    let text = fs::read_to_string(&record).unwrap();
    let altered = place.path("altered.json");
    fs::write(
        &altered,
        text.replace("\"outcome\":\"not-sanitized\"", "\"outcome\":\"purge\"")
            .replace("\"outcome\":\"clear\"", "\"outcome\":\"purge\""),
    )
    .unwrap();
    prove(&place, &image, &altered, &[]).expect(3, &["has been altered", "was not read"]);
    fs::write(&altered, "{}").unwrap();
    prove(&place, &image, &altered, &[]).expect(1, &["not a record"]);
    prove(&place, &image, &place.path("nowhere.json"), &[]).expect(1, &["cannot read the record"]);
    fs::OpenOptions::new().write(true).open(&image).unwrap().set_len(SECTORS as u64 * 512 - 512).unwrap();
    prove(&place, &image, &record, &[]).expect(2, &["8191 sectors"]);
    place.jurex(&["prove", shown(&image)]).expect(1, &["--record"]);
}

#[test]
fn what_only_the_job_could_tell_is_not_claimed_by_anybody_else() {
    let place = Place::new();
    let out = place.path("crypto");
    let asked = ["erase", "sim:5", "--way", "sanitize-crypto", "--label-check", "E47J9P", "--out", shown(&out)];
    place.jurex(&asked).expect(3, &["Not sanitized"]);
    let record = place.only("crypto", ".record.json");
    prove(&place, Path::new("sim:5"), &record, &[]).expect(3, &["key was replaced", "was not read"]);
    // The bench of another process is as it was on the first day: what a job erased there is there again.
    let out = place.path("mmc");
    place
        .jurex(&["erase", "sim:9", "--way", "mmc-sanitize", "--label-check", "S3ZQ0F", "--out", shown(&out)])
        .expect(0, &["Purge"]);
    let record = place.only("mmc", ".record.json");
    prove(&place, Path::new("sim:9"), &record, &[]).expect(3, &["Contradicted", "one byte over and over"]);
    prove(&place, Path::new("sim:7"), &record, &[]).expect(2, &["the record is of"]);
}

#[test]
fn an_expectation_is_a_finding_and_never_an_outcome() {
    let place = Place::new();
    let image = place.image("drive.img", SECTORS * 512);
    let expect = |what: &str| place.jurex(&["prove", shown(&image), "--expect", what]);
    expect("00").expect(3, &["Contradicted", "not an outcome"]);
    fs::write(&image, vec![0xff; SECTORS * 512]).unwrap();
    let blank = expect("blank").expect(0, &["Confirmed", "the byte FF over and over", "not an outcome"]);
    assert!(!["Clear", "Purge", "sanitized"].iter().any(|word| blank.out.contains(word)), "{}", blank.out);
    expect("ff").expect(0, &["Confirmed"]);
    expect("random").expect(3, &["drawn anew"]);
    expect("00 |").expect(1, &["--expect: column"]);
}

#[test]
fn a_drive_that_is_in_use_is_not_judged() {
    let place = Place::new();
    let (image, record) = erased(&place, "drive.img", "00", &[]);
    let held = fs::File::open(&image).unwrap();
    held.lock().unwrap();
    prove(&place, &image, &record, &[]).expect(2, &["another Jurex", "not read"]);
}

/// The shell blocks of the page, in order.
fn blocks(page: &str) -> String {
    page.split("```sh\n").skip(1).filter_map(|rest| rest.split("```").next()).collect::<Vec<_>>().join("")
}

#[test]
fn a_stranger_with_a_shell_comes_to_the_same_end_by_the_page() {
    let page = fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/prove-by-hand.md")).unwrap();
    let script = blocks(&page);
    let has = |program: &str| Command::new(program).arg("version").output().is_ok();
    if !(has("jq") && has("openssl")) {
        return common::not_run("jq or openssl is not here");
    }
    let cases = ["random", "random | ~", "92 49 24", "lba", "lba | ~", "\"tide\""].map(|passes| (passes, "no"));
    for (passes, mark) in cases.into_iter().chain([("random", "yes"), ("00", "yes")]) {
        let place = Place::new();
        let (image, record) = erased(&place, "drive.img", passes, &["--mark", mark]);
        let run_by = |dir: &str, stops: &[&str]| {
            let dir = place.path(dir);
            fs::create_dir(&dir).unwrap();
            let mut shell = Command::new("bash");
            shell.args(stops).args(["-c", &script]).current_dir(&dir).env("record", &record).env("drive", &image);
            let done = shell.output().unwrap();
            (done.status.success(), String::from_utf8_lossy(&done.stdout).into_owned() + &String::from_utf8_lossy(&done.stderr))
        };
        let run = |dir: &str| run_by(dir, &["-e"]);
        let (good, said) = run("as-it-is");
        assert!(good && said.contains("is as the record says"), "{passes}, mark {mark}: {said}");
        change(&image, 4_000_000);
        // Pasted line by line as well, where nothing ends at the first failure.
        for (dir, stops) in [("changed", &["-e"][..]), ("pasted", &[])] {
            let (good, said) = run_by(dir, stops);
            assert!(!good && said.contains("differ") && said.contains("does NOT hold"), "{passes}: {said}");
            assert!(!said.contains("is as the record says"), "{passes}: {said}");
        }
    }
}

#[test]
fn drives_of_a_lot_are_drawn_for_a_second_look_and_it_is_known_which_had_it() {
    let place = Place::new();
    fs::create_dir_all(place.path("home")).unwrap();
    let settings = |text: &str| fs::write(place.path("home").join("config.toml"), text).unwrap();
    settings("lot = \"BW-0417\"\nsecond_look_percent = 0\n");
    erased(&place, "none.img", "00", &[]);
    place.jurex(&["prove", "--due"]).expect(0, &["No drive was drawn"]);
    settings("lot = \"BW-0417\"\nsecond_look_percent = 100\n");
    let (image, record) = erased(&place, "drive.img", "00", &[]);
    settings("lot = \"BW-0418\"\nsecond_look_percent = 100\n");
    erased(&place, "unread.img", "00", &["--verify", "none"]);
    let due = |code: i32, lot: &str| -> serde_json::Value {
        let answer = place.jurex(&["prove", "--due", "--lot", lot, "--json"]).expect(code, &[]);
        serde_json::from_str(&answer.out).unwrap()
    };
    let first = due(3, "BW-0417");
    assert_eq!((first["drawn"].as_array().unwrap().len(), &first["drawn"][0]["job"]), (1, &json(&record)["job"]));
    assert!(first["drawn"][0]["confirmed"].is_null() && first["drawn"][0]["draw"]["percent"] == 100);
    assert!(due(0, "BW-0418")["drawn"].as_array().unwrap().is_empty(), "what earned nothing is not looked at twice");
    change(&image, 3);
    prove(&place, &image, &record, &[]).expect(3, &["Contradicted"]);
    assert!(due(3, "BW-0417")["drawn"][0]["confirmed"].is_null(), "a look that found something else is none");
    change(&image, 3);
    prove(&place, &image, &record, &["--by", "Jun Akyol"]).expect(0, &["Confirmed"]);
    let stands = due(3, "BW-0417")["drawn"][0].clone();
    assert!(
        stands["confirmed"].is_null() && stands["contradicted"] == true,
        "it stands until the drive is erased again: {stands}"
    );
    // Of another drive that was drawn nothing speaks against its check.
    settings("lot = \"BW-0419\"\nsecond_look_percent = 100\n");
    let (image, record) = erased(&place, "another.img", "00", &[]);
    prove(&place, &image, &record, &["--by", "Jun Akyol"]).expect(0, &["Confirmed"]);
    assert!(due(0, "BW-0419")["drawn"][0]["confirmed"].is_string());
    place.jurex(&["prove", "--due"]).expect(3, &["BW-0417", "BW-0419", "confirmed", "CONTRADICTED"]);
    place.jurex(&["prove", "--due", "--leftovers"]).expect(1, &["--due"]);
    place.jurex(&["prove"]).expect(1, &["DRIVE"]);
}

#[test]
fn a_stick_that_says_more_than_it_holds_is_told_so_on_every_paper_and_no_part_is_measured() {
    let place = Place::new();
    let out = place.path("out");
    let asked = ["erase", "sim:6", "--passes", "55 | ~", "--label-check", "0N2XV8", "--out", shown(&out)];
    place.jurex(&asked).expect(3, &["Not sanitized", "Claims 64.0 MB but holds only 8.00 MB", "size     Claims"]);
    let path = place.only("out", ".record.json");
    let measured = json(&path)["evidence"]["stages"][0]["what"].clone();
    assert_eq!((&measured["stage"], &measured["begins_again_at"]), (&"measured".into(), &"15625".into()));
    // Whoever takes the finding out of the record takes its soundness or its claim.
    let text = fs::read_to_string(&path).unwrap();
    let altered = place.path("altered.json");
    let (others, own) = (measured["of_others"].as_str().unwrap(), measured["own"].as_str().unwrap());
    let all = (others.parse::<u64>().unwrap() + own.parse::<u64>().unwrap()).to_string();
    let better = text
        .replace(&format!("\"of_others\":\"{others}\""), "\"of_others\":\"0\"")
        .replace(&format!("\"own\":\"{own}\""), &format!("\"own\":\"{all}\""));
    assert!(better != text);
    fs::write(&altered, better).unwrap();
    prove(&place, Path::new("sim:6"), &altered, &[]).expect(3, &["altered"]);
    let image = place.image("drive.img", SECTORS * 512);
    let part = ["erase", shown(&image), "--passes", "00", "--label-check", "8192", "--out", shown(&out)];
    let part = |more: &[&str]| place.jurex(&[&part[..], more].concat());
    part(&["--size-check", "yes", "--from", "0", "--to", "99"]).expect(1, &["writing all over it", "Nothing was written"]);
    part(&["--size-check", "yes"]).expect(0, &["Clear", "size     It is as large as it claims"]);
}

#[test]
fn a_loop_device_is_measured_by_the_kernels_queue_and_by_threads_alike() {
    let place = Place::new();
    let bytes = common::odd(48 << 20);
    let image = place.image("drive.img", bytes);
    let Some(device) = common::Loop::attach(&image) else { return };
    let sectors = common::label(bytes);
    for io in ["", "threads"] {
        let out = place.path(&format!("out-{io}"));
        let asked = ["erase", &device.device, "--passes", "random", "--size-check", "yes", "--label-check", &sectors];
        let mut program = place.command();
        program.args(asked).args(["--out", shown(&out), "--json"]).env("JUREX_IO", io);
        let answer = Answer::of(program.output().unwrap()).expect(0, &["\"measured\""]);
        let events: Vec<serde_json::Value> = answer.out.lines().map(|l| serde_json::from_str(l).unwrap()).collect();
        let found = &events.iter().find(|e| e["event"] == "measured").unwrap()["found"];
        assert!(found["own"] == found["tagged"] && found["told"] == sectors.as_str(), "{found}");
        let named = |name: &str| events.iter().position(|e| e["event"] == name).unwrap();
        assert!(named("measure-started") < named("measured") && named("measured") < named("pass-started"));
        let tagged: u64 = events
            .iter()
            .filter(|e| e["event"] == "advanced" && e["activity"] == "measuring")
            .map(|e| e["at"]["count"].as_str().unwrap().parse::<u64>().unwrap())
            .sum();
        assert!(tagged > found["tagged"].as_str().unwrap().parse().unwrap(), "each was written and read: {tagged}");
    }
}

#[test]
fn a_job_that_is_killed_while_its_size_is_checked_goes_on_with_the_check() {
    use std::io::BufRead;
    let place = Place::new();
    let image = place.image("drive.img", 256 << 20);
    let sectors = ((256 << 20) / 512).to_string();
    let out = place.path("out");
    let asked =
        ["erase", shown(&image), "--passes", "00", "--size-check", "yes", "--label-check", &sectors, "--out", shown(&out)];
    let mut program = place.command();
    program.args(asked).arg("--json").stdout(std::process::Stdio::piped()).stderr(std::process::Stdio::null());
    let mut child = program.spawn().unwrap();
    let mut lines = std::io::BufReader::new(child.stdout.take().unwrap()).lines();
    let measuring = lines.find(|l| l.as_ref().is_ok_and(|l| l.contains("\"measuring\"")));
    child.kill().unwrap();
    child.wait().unwrap();
    assert!(measuring.is_some(), "it was killed in the middle of it");
    let again = ["erase", shown(&image), "--resume", "--label-check", &sectors, "--out", shown(&out)];
    place.jurex(&again).expect(0, &["Clear", "size     It is as large as it claims"]);
    let record = json(&place.only("out", ".record.json"));
    let sessions = record["evidence"]["sessions"].as_array().unwrap().len();
    let measured = &record["evidence"]["stages"][0]["what"];
    assert_eq!((sessions, measured["stage"].as_str(), &measured["session"]), (2, Some("measured"), &1.into()));
    assert!(fs::read(&image).unwrap().iter().all(|b| *b == 0), "no mark is left");
}
