//! What strangers check without Jurex: the scripts of the documentation, as they stand there.

mod common;

use common::{Place, shown};
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

const SECTORS: &str = "40960";

fn script(name: &str) -> PathBuf {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/by-hand").join(name);
    let lines = fs::read_to_string(&path).unwrap().lines().count();
    assert!(lines <= 60, "{name} has {lines} lines: a stranger is to read all of it");
    path
}

/// Runs a script; whether it ended well, and all that it said.
fn run(name: &str, arguments: &[&Path], input: &str) -> (bool, String) {
    let mut command = Command::new("python3");
    command.arg(script(name)).args(arguments).stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped());
    let mut child = command.spawn().unwrap();
    std::io::Write::write_all(&mut child.stdin.take().unwrap(), input.as_bytes()).unwrap();
    let done = child.wait_with_output().unwrap();
    let said = String::from_utf8_lossy(&done.stdout).into_owned() + &String::from_utf8_lossy(&done.stderr);
    (done.status.success(), said)
}

/// A copy of the file with one text in place of another.
fn altered(place: &Place, file: &Path, from: &str, to: &str) -> PathBuf {
    let text = fs::read_to_string(file).unwrap();
    assert!(text.contains(from), "{from} is not in {text}");
    let copy = place.path("altered");
    fs::write(&copy, text.replacen(from, to, 1)).unwrap();
    copy
}

#[test]
fn strangers_with_python_and_openssl_come_to_the_same_end() {
    let is_here =
        |program: &str| Command::new(program).arg("--help").stdout(Stdio::null()).stderr(Stdio::null()).status().is_ok();
    if !is_here("python3") || !is_here("openssl") {
        return common::not_run("python3 or openssl is not here");
    }
    let place = Place::new();
    place.jurex(&["keys", "new", "--name", "Bench 2", "--no-passphrase"]).expect(0, &[]);
    let key = place.path("key.pem");
    fs::write(&key, place.jurex(&["keys", "export", "Bench 2"]).expect(0, &[]).out).unwrap();
    // Other entries on both sides, so that the way up to the head turns both ways.
    for name in ["before", "it", "after", "later", "last"] {
        let (image, out) = (place.image(&format!("{name}.img"), 40960 * 512), place.path(name));
        let asked = ["erase", shown(&image), "--passes", "00? | random", "--verify", "sampled", "--label-check", SECTORS];
        place.jurex(&[&asked[..], &["--out", shown(&out), "--quiet"]].concat()).expect(0, &["Clear"]);
    }
    let it = |ending: &str| place.only("it", ending);
    let (record, signed) = (it(".record.json"), it(".record.jws.json"));
    let job = common::json(&record)["job"].as_str().unwrap().to_string();
    // The paper that is printed now carries a proof under the newest head.
    let again = place.path("again");
    place.jurex(&["certificate", &job, "--out", shown(&again)]).expect(0, &[]);
    let proof = place.only("again", ".tlog-proof");

    let (good, said) = run("signed.py", &[&signed, &key], "");
    assert!(good && said == fs::read_to_string(&record).unwrap(), "{said}");
    let other = place.path("other.pem");
    let stranger = Place::new();
    stranger.jurex(&["keys", "new", "--name", "Bench 9", "--no-passphrase"]).expect(0, &[]);
    fs::write(&other, stranger.jurex(&["keys", "export", "Bench 9"]).expect(0, &[]).out).unwrap();
    assert!(!run("signed.py", &[&signed, &other], "").0);

    let (good, said) = run("proof.py", &[&proof, &record, &key], "");
    assert!(good && said.contains(&format!("job {job}: entry 5 of 11")), "{said}");
    let forged = altered(&place, &record, "\"read\":[", "\"read\":[ ");
    for (why, (good, said)) in [
        ("another record", run("proof.py", &[&proof, &forged, &key], "")),
        ("signed by another key", run("proof.py", &[&proof, &record, &other], "")),
        ("does not lead to the head", run("proof.py", &[&altered(&place, &proof, "index 4", "index 6"), &record, &key], "")),
    ] {
        assert!(!good && said.contains(why), "{why}: {said}");
    }
    let head = fs::read_to_string(&proof).unwrap();
    let root = head.split("\n\n").nth(1).unwrap().lines().nth(1).unwrap();
    let (good, said) = run("proof.py", &[&altered(&place, &proof, &format!("\n{root}\n"), "\n1\n"), &record, &key], "");
    assert!(!good && said.contains("NOT PROVED"), "{said}");

    let story = place.jurex(&["ledger", "show", &job, "--json"]).expect(0, &[]).out;
    let (good, said) = run("events.py", &[], &story);
    assert!(good && said.contains("are those that its entry tells of"), "{said}");
    let (good, said) = run("events.py", &[], &story.replacen("\"number\":2", "\"number\":9", 1));
    assert!(!good && said.contains("NOT the events"), "{said}");

    let (good, said) = run("places.py", &[&record], "");
    assert!(good && said.lines().count() > 900, "{said}");
    let seed = common::json(&record).to_string();
    let at = seed.find("\"sampling\":{\"seed\":\"").unwrap() + 20;
    let swapped = altered(&place, &record, &seed[at..at + 8], "00000000");
    let (good, said) = run("places.py", &[&swapped], "");
    assert!(!good && said.contains("OTHER sectors"), "{said}");
}
