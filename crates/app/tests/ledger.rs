//! Past work found again, told and given out; lots; what is put back; with the real program.

mod common;

use common::{Place, json, shown};
use std::fs;
use std::path::{Path, PathBuf};

fn write(place: &Place, name: &str, text: &str) -> PathBuf {
    let path = place.path(name);
    fs::write(&path, text).unwrap();
    path
}

/// Erases a drive of the simulated bench; its job.
fn erased(place: &Place, bay: &str, label: &str, out: &str) -> String {
    let out = place.path(out);
    let asked = ["erase", bay, "--passes", "00", "--label-check", label, "--out", shown(&out), "--json", "--size-check", "no"];
    let said = place.jurex(&asked).out;
    let last: serde_json::Value = serde_json::from_str(said.lines().last().unwrap()).unwrap();
    last["job"].as_str().unwrap().to_string()
}

#[test]
fn past_work_is_found_told_and_given_out() {
    let place = Place::new();
    let image = place.image("tide.img", 2 << 20);
    let erase = |out: &str| {
        let folder = place.path(out);
        let asked = ["erase", shown(&image), "--passes", "00", "--label-check", "4096", "--out", shown(&folder), "--quiet"];
        place.jurex(&asked).expect(0, &["Clear"]);
        let record = place.only(out, ".record.json");
        record.file_name().unwrap().to_str().unwrap().trim_end_matches(".record.json").to_string()
    };
    fs::create_dir_all(place.path("home")).unwrap();
    fs::write(
        place.path("home/config.toml"),
        "lot = \"BW-0417\"\nsource = \"=1+1\"\n[technician]\nname = \"Ines Okafor-Lindqvist\"\n",
    )
    .unwrap();
    let first = erase("one");
    place.jurex(&["keys", "new", "--name", "Bench 2", "--no-passphrase"]).expect(0, &[]);
    let second = erase("two");
    let find = |words: &[&str]| place.jurex(&[&["ledger", "find"], words].concat());
    let listed = find(&["bw-0417", "okafor"]).expect(0, &[&first, &second]).out;
    assert!(listed.find(&second) < listed.find(&first), "the newest first: {listed}");
    find(&["lot:bw-0418"]).expect(0, &["No job in the ledger has all these words"]);
    find(&["person:ines", "date:20", "--most", "1"]).expect(0, &["These are the newest 1"]);
    let story = place
        .jurex(&["ledger", "show", &second])
        .expect(0, &["Clear", "because", "lot         BW-0417", "under a signed head"])
        .out;
    assert!(story.contains("Pass 1") && story.contains("T"), "its events in sentences: {story}");
    place.jurex(&["ledger", "show", "261123-NOSUCH"]).expect(1, &["there is no job"]);
    let whole: serde_json::Value =
        serde_json::from_str(&place.jurex(&["ledger", "show", &second, "--json"]).expect(0, &[]).out).unwrap();
    assert!(whole["record"]["job"] == second.as_str() && whole["events"].as_array().unwrap().len() > 3);
    // Given out, in each form; what a spreadsheet would run is text.
    let (csv, lines, folder) = (place.path("all.csv"), place.path("all.jsonl"), place.path("records"));
    place.jurex(&["ledger", "export", "--as", "csv", "--out", shown(&csv)]).expect(0, &["2 jobs written"]);
    let text = fs::read_to_string(&csv).unwrap();
    assert!(
        text.starts_with("job,started,") && text.contains(",'=1+1,Ines Okafor-Lindqvist,") && text.ends_with("\r\n"),
        "{text}"
    );
    place.jurex(&["ledger", "export", "--as", "csv", "--out", shown(&csv)]).expect(1, &["exists"]);
    place.jurex(&["ledger", "export", "--as", "json-lines", "--out", shown(&lines), &second]).expect(0, &["1 job written"]);
    let line: serde_json::Value = serde_json::from_str(fs::read_to_string(&lines).unwrap().trim()).unwrap();
    assert!(line["outcome"] == "clear" && line["source"] == "=1+1");
    place.jurex(&["ledger", "export", "--as", "records", "--out", shown(&folder)]).expect(0, &["2 jobs"]);
    for job in [&first, &second] {
        place.jurex(&["check", shown(&folder.join(format!("{job}.record.jws.json")))]).expect(0, &["right, by key"]);
    }
    // What was given out stands in the ledger too.
    place.jurex(&["ledger", "check"]).expect(0, &["as it was written"]);
}

#[test]
fn a_paper_carries_the_proof_that_its_record_stood_in_the_ledger() {
    let (place, stranger) = (Place::new(), Place::new());
    place.jurex(&["keys", "new", "--name", "Bench 2", "--no-passphrase"]).expect(0, &[]);
    let image = place.image("tide.img", 2 << 20);
    let out = place.path("out");
    let asked = ["erase", shown(&image), "--passes", "00", "--label-check", "4096", "--out", shown(&out), "--quiet"];
    place.jurex(&asked).expect(0, &["Clear"]);
    let (paper, proof) = (place.only("out", ".certificate.pdf"), place.only("out", ".tlog-proof"));
    place.jurex(&["check", shown(&paper)]).expect(0, &[": good", "under a head signed by key", "(Bench 2)", "to the byte"]);
    // Whoever has neither ledger nor key is told what could not be checked, and with the key nothing is missing.
    stranger.jurex(&["check", shown(&paper)]).expect(3, &["not all of it could be checked", "not known here"]);
    let key = write(&place, "key.pem", &place.jurex(&["keys", "export", "Bench 2"]).expect(0, &[]).out);
    stranger
        .jurex(&["check", shown(&paper), shown(&proof), "--key", shown(&key)])
        .expect(0, &["of 3 in the ledger", "by itself"]);
    let text = fs::read_to_string(&proof).unwrap();
    let altered = write(&place, "altered", &text.replacen("index 2", "index 1", 1));
    place.jurex(&["check", shown(&altered)]).expect(3, &["does not lead to it"]);
    // The code on the paper: with the file, by the ledger, and of another paper.
    let record = json(&place.only("out", ".record.json"));
    let job = record["job"].as_str().unwrap();
    let digest = place.jurex(&["ledger", "find", job, "--json"]).expect(0, &[]).out;
    let digest = serde_json::from_str::<serde_json::Value>(&digest).unwrap()["jobs"][0]["digest"].as_str().unwrap().to_string();
    let code = format!("jurex:{job}:clear:{digest}:-");
    place.jurex(&["check", "--qr", &code]).expect(0, &["in the ledger here has this digest"]);
    place.jurex(&["check", "--qr", &code, shown(&paper)]).expect(0, &["the code of the paper is of this record"]);
    place.jurex(&["check", "--qr", &code.replace("clear", "purge"), shown(&paper)]).expect(3, &["of another record"]);
    place.jurex(&["check", "--qr", &code.replace("clear", "purge")]).expect(3, &["or has been altered"]);
    stranger.jurex(&["check", "--qr", &code]).expect(3, &["a code by itself proves nothing"]);
    place.jurex(&["check", "--qr", "http://x"]).expect(1, &["not what stands in the code"]);
}

#[test]
fn a_lot_is_expected_worked_and_certified_as_a_whole() {
    let place = Place::new();
    let lot = |asked: &[&str]| place.jurex(&[&["lot", "--demo"], asked].concat());
    let wrong = write(&place, "wrong.csv", "serial,reuse\nFM0500D8JN6W,perhaps\n,yes\n");
    lot(&["import", "BW-0417", shown(&wrong)]).expect(1, &["line 2: `perhaps`", "line 3: it names no serial", "not taken in"]);
    let list = write(
        &place,
        "list.csv",
        "Serial;Property number;Source;Sensitivity;Reuse;Leaves;Shelf\nfm0500d8jn6w;BWS 0010;Skerry Point;low;yes;no;4\nTL32H6R90C2Y;BWS 0007;Tern Quay;moderate;yes;yes;\nGONE1;BWS 0099;;;;;\n",
    );
    lot(&["import", "BW-0417", shown(&list)]).expect(0, &["3 drives of a list were taken in", "passed over: Shelf"]);
    let job = erased(&place, "sim:10", "D8JN6W", "out");
    let record = json(&place.path(&format!("out/{job}.record.json")));
    assert_eq!(record["papers"]["property_number"], "BWS 0010", "the list fills the papers: {}", record["papers"]);
    assert_eq!((&record["papers"]["source"], &record["papers"]["lot"]), (&"Skerry Point".into(), &"BW-0417".into()));
    lot(&["show"]).expect(0, &["BW-0417: 1 of 3 done"]);
    let said = lot(&["show", "BW-0417"]).expect(0, &["fm0500d8jn6w", "Clear", "GONE1", "not seen yet", &job]).out;
    assert!(said.contains("1 of 3 done, 1 here and not done, 1 not seen yet"), "{said}");
    lot(&["close", "BW-0417"]).expect(3, &["stays open", "1 of 3 done"]);
    let papers = place.path("papers");
    place.jurex(&["certificate", "--lot", "BW-0417", "--demo", "--out", shown(&papers)]).expect(3, &["1 of 3 done"]);
    place
        .jurex(&["check", shown(&place.only("papers", ".lot.report.pdf")), shown(&place.only("papers", ".lot.json"))])
        .expect(0, &["to the byte", "GONE1: It was expected and has not been seen.", "1 of 3 done"]);
    let csv = fs::read_to_string(place.only("papers", ".lot.csv")).unwrap();
    assert_eq!(csv.lines().count(), 4, "{csv}");
    let text = fs::read_to_string(place.only("papers", ".lot.json")).unwrap();
    let forged = write(&place, "forged.json", &text.replacen("\"not-seen\"", "\"done\"", 1));
    place.jurex(&["check", shown(&forged)]).expect(3, &["altered"]);
    lot(&["close", "BW-0417", "--incomplete"]).expect(3, &["is closed"]);
    lot(&["import", "BW-0417", shown(&list)]).expect(1, &["is closed"]);
    lot(&["close", "other"]).expect(1, &["there is no lot other"]);
    place.jurex(&["ledger", "--demo", "check"]).expect(0, &["as it was written"]);
}

#[test]
fn a_copy_that_is_put_back_is_told_from_a_ledger_that_was_rolled_back() {
    let place = Place::new();
    place.jurex(&["keys", "new", "--name", "Bench 2", "--no-passphrase"]).expect(0, &[]);
    let erase = |name: &str| {
        let image = place.image("tide.img", 1 << 20);
        let folder = place.path(name);
        let asked = ["erase", shown(&image), "--passes", "00", "--label-check", "2048", "--out", shown(&folder), "--quiet"];
        place.jurex(&asked).expect(0, &["Clear"]);
    };
    erase("one");
    let copy = place.path("copy.sqlite3");
    place.jurex(&["ledger", "backup", shown(&copy)]).expect(0, &[]);
    erase("two");
    place.jurex(&["ledger", "restore", shown(&copy)]).expect(0, &["is the ledger now", "ledger-replaced-"]);
    let said = place.jurex(&["ledger", "check"]).expect(0, &["restored", "The ledger in its place had 5 entries"]).out;
    assert!(said.contains("as it was written: 4 entries"), "{said}");
    place.jurex(&["ledger", "restore", shown(&write(&place, "junk", "junk"))]).expect(1, &["is damaged"]);
    assert!(exists(&place.path("home/ledger.sqlite3")));
}

fn exists(path: &Path) -> bool {
    path.exists()
}

/// Events as they are told, each a line, and a schema that takes not everything.
#[test]
fn what_is_told_while_a_job_runs_is_what_its_schema_says() {
    let place = Place::new();
    let image = place.image("tide.img", 4 << 20);
    let out = place.path("out");
    let asked = [
        "erase",
        shown(&image),
        "--passes",
        "00 | random?",
        "--label-check",
        "8192",
        "--out",
        shown(&out),
        "--json",
        "--leftovers",
    ];
    let said = place.jurex(&asked).expect(0, &[]).out;
    let mut events: Vec<serde_json::Value> =
        said.lines().map(|l| serde_json::from_str(l).unwrap()).filter(|l: &serde_json::Value| l["event"].is_string()).collect();
    assert!(events.len() > 5);
    // The first line and the last are the command's own, the job's name and what came of it: the schema is of all lines.
    assert_eq!((&events[0]["event"], &events.last().unwrap()["event"]), (&"job".into(), &"result".into()));
    events.push(serde_json::json!({ "event": "vanished" }));
    let Some(found) = common::faults("event", &events) else { return };
    let (none, rest) = found.split_last().unwrap();
    assert!(rest.iter().all(Vec::is_empty) && !none.is_empty(), "{found:?}");
    place.jurex(&["schema", "nothing"]).expect(1, &["record"]);
}
