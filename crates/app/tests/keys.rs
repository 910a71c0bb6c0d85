//! Keys, signatures and what `jurex check` says, with the real program.

mod common;

use common::{Answer, Place, json, shown};
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};

const SECTORS: &str = "4096";

fn new_key(place: &Place, name: &str) -> String {
    place.jurex(&["keys", "new", "--name", name, "--no-passphrase"]).expect(0, &["signs from now on"]);
    let all: serde_json::Value = serde_json::from_str(&place.jurex(&["keys", "list", "--json"]).expect(0, &[]).out).unwrap();
    all["keys"][0]["id"].as_str().unwrap().to_string()
}

/// An image erased with the keys that are there, and the folder of its papers.
fn erased(place: &Place, name: &str) -> PathBuf {
    let (image, out) = (place.image(&format!("{name}.img"), 2 << 20), place.path(name));
    let asked = ["erase", shown(&image), "--passes", "00 | random", "--label-check", SECTORS, "--out", shown(&out), "--quiet"];
    place.jurex(&asked).expect(0, &["Clear"]);
    out
}

fn check(place: &Place, file: &Path, more: &[&str]) -> Answer {
    place.jurex(&[&["check", shown(file)], more].concat())
}

#[test]
fn a_record_is_signed_and_every_bench_that_trusts_the_key_can_check_it() {
    let (ours, theirs) = (Place::new(), Place::new());
    let id = new_key(&ours, "Bench 2");
    erased(&ours, "out");
    let (signed, plain) = (ours.only("out", ".record.jws.json"), ours.only("out", ".record.json"));
    let said = check(&ours, &signed, &[]).expect(0, &[": good", "right, by key", &id, "(Bench 2)", "outcome    Clear", "digest"]);
    assert!(said.out.lines().count() <= 12, "in ten lines or so: {}", said.out);
    check(&ours, &plain, &[]).expect(0, &[": good", "signature  none"]);
    // The payload is the record, byte for byte.
    let payload = json(&signed)["payload"].as_str().unwrap().to_string();
    let decoded = std::process::Command::new("sh")
        .args(["-c", "printf '%s===' \"$0\" | tr '_-' '/+' | base64 -d 2>/dev/null"])
        .arg(&payload)
        .output()
        .unwrap();
    assert_eq!(decoded.stdout, fs::read(&plain).unwrap());
    let stranger = check(&theirs, &signed, &[]).expect(3, &["not all of it could be checked", "not known here", "--key"]);
    assert!(stranger.out.contains("outcome    Clear"), "what it says is told all the same: {}", stranger.out);
    let public = ours.path("bench-2.pem");
    fs::write(&public, ours.jurex(&["keys", "export", &id[..8]]).expect(0, &["BEGIN PUBLIC KEY"]).out).unwrap();
    check(&theirs, &signed, &["--key", shown(&public)]).expect(0, &["right, by key"]);
    theirs.jurex(&["keys", "trust", shown(&public), "--name", "Tern Quay"]).expect(0, &["Tern Quay"]);
    check(&theirs, &signed, &[]).expect(0, &["(Tern Quay)"]);
    // A second look is signed too, by whoever looked.
    let image = ours.path("out.img");
    ours.jurex(&["prove", shown(&image), "--record", shown(&plain), "--out", shown(&ours.path("proved"))])
        .expect(0, &["Confirmed"]);
    check(&ours, &ours.only("proved", ".verification.jws.json"), &[]).expect(0, &["right, by key", "finding    Confirmed"]);
    theirs.jurex(&["keys", "list"]).expect(0, &["trusted  Tern Quay"]);
    erased(&theirs, "unsigned");
    assert!(fs::read_dir(theirs.path("unsigned")).unwrap().flatten().all(|f| !f.path().to_string_lossy().contains("jws")));
    // The code of a paper names the key too.
    let record = json(&plain);
    let code = |key: &str| {
        let digest =
            check(&ours, &plain, &[]).out.lines().find_map(|l| l.trim().strip_prefix("digest")?.trim().to_string().into());
        format!(
            "jurex:{}:{}:{}:{key}",
            record["job"].as_str().unwrap(),
            record["claim"]["outcome"].as_str().unwrap(),
            digest.unwrap_or_default()
        )
    };
    let other = new_key(&theirs, "Tern Quay 9");
    check(&ours, &signed, &["--qr", &code(&id)]).expect(0, &["the key that it names is the one"]);
    check(&ours, &signed, &["--qr", &code(&other)]).expect(3, &["and what is here is signed by key"]);
    check(&ours, &plain, &["--qr", &code(&id)]).expect(3, &["nothing here is signed by a key that is known"]);
    check(&ours, &ours.only("out", ".certificate.pdf"), &["--qr", &code(&id)]).expect(0, &["the key that it names is the one"]);
}

#[test]
fn keys_are_turned_over_and_what_the_old_one_signed_stays_good() {
    let place = Place::new();
    let first = new_key(&place, "Bench 2");
    erased(&place, "one");
    place.jurex(&["keys", "retire", "Bench 2"]).expect(0, &["signs no more", "not signed now"]);
    erased(&place, "between");
    assert!(fs::read_dir(place.path("between")).unwrap().flatten().all(|f| !f.path().to_string_lossy().contains("jws")));
    let second = new_key(&place, "Bench 2, from May on");
    erased(&place, "two");
    check(&place, &place.only("one", ".record.jws.json"), &[]).expect(0, &[&first, "was retired on", "stays good"]);
    // The key was in strange hands before: what says that it was signed after that counts for nothing.
    place.jurex(&["keys", "retire", &first, "--since", "2020-01-01T00:00:00Z"]).expect(0, &["signs no more"]);
    place.jurex(&["keys", "retire", &first, "--since", "2999-01-01T00:00:00Z"]).expect(1, &["has not come yet"]);
    check(&place, &place.only("one", ".record.jws.json"), &[]).expect(3, &["retired on 2020-01-01", "counts for nothing"]);
    check(&place, &place.only("two", ".record.jws.json"), &[]).expect(0, &[&second]);
    place.jurex(&["keys", "show", &first[..10]]).expect(0, &["retired", "stays signed"]);
    place.jurex(&["keys", "show", "nobody"]).expect(1, &["no key nobody"]);
    // Ids are base64url: some begin with a hyphen, and are no options for that.
    for asked in [
        &["keys", "show", "-Zx"][..],
        &["keys", "retire", "-Zx"],
        &["keys", "export", "--jwk", "-Zx"],
        &["keys", "export", "-Zx", "--jwk"],
    ] {
        place.jurex(asked).expect(1, &["no key -Zx"]);
    }
    place.jurex(&["keys", "export", &first[..10], "--jwk"]).expect(0, &["\"kty\":\"OKP\""]);
    let folder = place.path("home/keys");
    let mode = |p: &Path| fs::metadata(p).unwrap().permissions().mode() & 0o777;
    assert_eq!(mode(&folder), 0o700);
    assert!(fs::read_dir(&folder).unwrap().flatten().all(|f| mode(&f.path()) == 0o600));
}

#[test]
fn a_shut_key_signs_by_its_passphrase_from_a_file_and_else_the_papers_are_not_signed_and_that_is_said() {
    let place = Place::new();
    let (right, wrong) = (place.path("passphrase"), place.path("wrong"));
    fs::write(&right, "ebb and flood\n").unwrap();
    fs::write(&wrong, "ebb\n").unwrap();
    place.jurex(&["keys", "new", "--name", "Bench 2"]).expect(1, &["nobody can be asked", "No key was made"]);
    place.jurex(&["keys", "new", "--name", "Bench 2", "--passphrase-file", "/dev/null"]).expect(1, &["no plain file"]);
    place.jurex(&["keys", "new", "--name", "Bench 2", "--passphrase-file", shown(&right)]).expect(0, &["signs from now on"]);
    let config = |file: &Path| {
        let text = format!("key_passphrase_file = {:?}\n", shown(file));
        fs::write(place.path("home/config.toml"), text).unwrap();
    };
    let erase = |name: &str| {
        let (image, out) = (place.image(&format!("{name}.img"), 2 << 20), place.path(name));
        place.jurex(&["erase", shown(&image), "--passes", "00", "--label-check", SECTORS, "--out", shown(&out)])
    };
    erase("asked").expect(0, &["the files are not signed", "shut by a passphrase"]);
    config(&wrong);
    erase("by-the-wrong-one").expect(0, &["the files are not signed", "not the passphrase"]);
    config(&right);
    erase("by-the-right-one").expect(0, &["record.jws.json"]);
    check(&place, &place.only("by-the-right-one", ".record.jws.json"), &[]).expect(0, &["right, by key"]);
}

#[test]
fn whatever_is_altered_in_a_record_or_its_paper_is_found() {
    let place = Place::new();
    new_key(&place, "Bench 2");
    erased(&place, "out");
    let paper = place.only("out", ".certificate.pdf");
    check(&place, &paper, &[]).expect(0, &[": good", "to the byte what this version prints", "outcome    Clear"]);
    let altered = place.path("altered");
    let try_it = |bytes: &[u8], words: &[&str]| {
        fs::write(&altered, bytes).unwrap();
        check(&place, &altered, &[]).expect(3, words)
    };
    let pdf = fs::read(&paper).unwrap();
    // From its head to its last byte; the program's own tests go through more of them.
    for at in (9..pdf.len()).step_by(pdf.len() / 24) {
        let mut bytes = pdf.clone();
        bytes[at] ^= 4;
        try_it(&bytes, &[]);
    }
    try_it(&[&pdf[..], b"%"].concat(), &["the paper has been altered"]);
    let text = fs::read_to_string(place.only("out", ".record.json")).unwrap();
    let signed = fs::read_to_string(place.only("out", ".record.jws.json")).unwrap();
    try_it(signed.replacen("\"signature\":\"", "\"signature\":\"A", 1).as_bytes(), &["altered"]);
    try_it(text.replace("\"outcome\":\"clear\"", "\"outcome\":\"purge\"").as_bytes(), &["claims Purge"]);
    try_it(text.replace("\"job\":", "\"job\": ").as_bytes(), &["canonical form"]);
    try_it(b"tide log", &["not a record"]);
    place.jurex(&["check", "/nowhere"]).expect(1, &["cannot read"]);
    place.jurex(&["check"]).expect(1, &[]);
}

#[test]
fn a_ledger_that_was_touched_or_rolled_back_is_found_out_by_its_signed_heads() {
    let place = Place::new();
    place.jurex(&["ledger", "check"]).expect(1, &["there is no ledger yet"]);
    erased(&place, "unsigned");
    place.jurex(&["ledger", "check"]).expect(0, &["as it was written: 3 entries", "no head of it is signed"]);
    place.jurex(&["ledger", "head"]).expect(3, &["no head of the ledger was signed yet"]);
    new_key(&place, "Bench 2");
    erased(&place, "one");
    let early = place.path("early.sqlite3");
    let ledger = place.path("home/ledger.sqlite3");
    fs::copy(&ledger, &early).unwrap();
    erased(&place, "two");
    place.jurex(&["ledger", "check"]).expect(0, &["8 entries, 2 heads signed"]);
    let kept = place.path("head");
    let head = place.jurex(&["ledger", "head"]).expect(0, &["jurex-ledger\n8\n"]).out;
    fs::write(&kept, &head).unwrap();
    place.jurex(&["ledger", "check", "--since", shown(&kept)]).expect(0, &["nothing was changed or taken away since"]);
    fs::write(&kept, head.replacen('8', "7", 1)).unwrap();
    place.jurex(&["ledger", "check", "--since", shown(&kept)]).expect(3, &["altered"]);
    fs::write(&kept, &head).unwrap();
    // A copy is a ledger with the same heads, for its owner alone, and takes no file's place.
    let copy = place.path("copy.sqlite3");
    place.jurex(&["ledger", "backup", shown(&copy)]).expect(0, &["is copied"]);
    place.jurex(&["ledger", "backup", shown(&copy)]).expect(1, &["exists"]);
    assert_eq!(fs::metadata(&copy).unwrap().permissions().mode() & 0o777, 0o600);
    let listed = place.jurex(&["ledger", "list"]).expect(0, &["Clear"]).out;
    assert_eq!(listed.lines().count(), 3, "{listed}");
    let elsewhere = Place::new();
    fs::create_dir_all(elsewhere.path("home")).unwrap();
    fs::copy(&copy, elsewhere.path("home/ledger.sqlite3")).unwrap();
    assert_eq!(elsewhere.jurex(&["ledger", "list"]).expect(0, &[]).out, listed);
    elsewhere.jurex(&["ledger", "check"]).expect(3, &["not known here"]);
    // The file is put back as it was before the last job: by itself it is a good ledger.
    fs::copy(&early, &ledger).unwrap();
    place.jurex(&["ledger", "check"]).expect(3, &["an earlier copy of the file"]);
    // Nor does it help to remove the head: the check reports that it is gone.
    fs::remove_file(place.path("home/ledger-head")).unwrap();
    place.jurex(&["ledger", "check"]).expect(3, &["6 entries", "is gone"]);
    place.jurex(&["ledger", "check", "--since", shown(&kept)]).expect(3, &["an earlier copy of the file"]);
}

#[test]
fn a_paper_that_is_signed_for_pdf_readers_is_shown_valid_by_one_and_checked_here_too() {
    let place = Place::new();
    let folder = place.path("pdf");
    let made = ["keys", "self-signed", "--name", "Brackwater Weather Service", "--out", shown(&folder)];
    place.jurex(&made).expect(0, &["pdf_certificate", "pdf_key"]);
    place.jurex(&made).expect(1, &["exists"]);
    assert_eq!(fs::metadata(folder.join("certificate.key")).unwrap().permissions().mode() & 0o777, 0o600);
    fs::create_dir_all(place.path("home")).unwrap();
    let config = |key: &str| {
        let text =
            format!("pdf_certificate = {:?}\npdf_key = {:?}\n", shown(&folder.join("certificate.pem")), shown(&folder.join(key)));
        fs::write(place.path("home/config.toml"), text).unwrap();
    };
    config("certificate.key");
    new_key(&place, "Bench 2");
    erased(&place, "out");
    let paper = place.only("out", ".certificate.pdf");
    check(&place, &paper, &[]).expect(
        0,
        &[
            "inside the paper, of these bytes",
            "the certificate says: Brackwater Weather Service",
            "the configuration here",
            "to the byte",
        ],
    );
    // Whoever finds the name in a certificate knows nothing yet: anybody can make one of that name.
    let (theirs, pem) = (Place::new(), folder.join("certificate.pem"));
    let bench_key = place.path("bench.pem");
    let trust_head = ["check", shown(&paper), "--key", shown(&bench_key)];
    fs::write(place.path("bench.pem"), place.jurex(&["keys", "export", "Bench 2"]).expect(0, &[]).out).unwrap();
    theirs.jurex(&trust_head).expect(3, &["nobody here trusts", "to the byte", "Brackwater Weather Service"]);
    theirs.jurex(&["keys", "trust", shown(&pem), "--name", "Brackwater"]).expect(0, &["for the word of Brackwater from now on"]);
    theirs.jurex(&trust_head).expect(0, &["vouched for by Brackwater, which is trusted here"]);
    theirs.jurex(&["keys", "list"]).expect(0, &["certificate ", "trusted  Brackwater (Brackwater Weather Service)"]);
    theirs.jurex(&["keys", "retire", "Brackwater"]).expect(0, &["is not trusted any more"]);
    theirs.jurex(&trust_head).expect(0, &["what was signed before stays good"]);
    theirs.jurex(&["keys", "retire", "Brackwater", "--since", "2020-01-01T00:00:00Z"]).expect(0, &[]);
    theirs.jurex(&trust_head).expect(3, &["only: this was signed later"]);
    match std::process::Command::new("pdfsig").arg("-nocert").arg(&paper).output() {
        Ok(said) => {
            let said = String::from_utf8(said.stdout).unwrap();
            assert!(said.contains("Signature is Valid") && said.contains("Total document signed"), "{said}");
        }
        Err(e) => common::not_run(&format!("no pdfsig: {e}")),
    }
    let pdf = fs::read(&paper).unwrap();
    let altered = place.path("altered.pdf");
    for at in (9..pdf.len()).step_by(pdf.len() / 12).chain([pdf.len() - 1]) {
        let mut bytes = pdf.clone();
        bytes[at] ^= 4;
        fs::write(&altered, &bytes).unwrap();
        check(&place, &altered, &[]).expect(3, &[]);
    }
    // Another program that writes it anew makes another file of it: that is said, and the record in it is judged all the same.
    for how in ["--qdf", "--object-streams=generate"] {
        let anew = place.path("anew.pdf");
        match std::process::Command::new("qpdf").args([how, shown(&paper), shown(&anew)]).output() {
            Ok(done) if done.status.code() == Some(0) || done.status.code() == Some(3) => {
                check(&place, &anew, &[])
                    .expect(3, &["written this file anew", "outcome    Clear", "not all of it could be checked"]);
            }
            _ => common::not_run("no qpdf"),
        }
    }
    config("gone.key");
    erased(&place, "unsigned");
    check(&place, &place.only("unsigned", ".certificate.pdf"), &[]).expect(0, &["signature  none"]);
}

#[test]
fn a_certificate_in_the_houses_own_look_and_language_is_checked_by_strangers_and_mistakes_are_told_before_the_job() {
    let place = Place::new();
    fs::create_dir_all(place.path("home")).unwrap();
    let house = |text: &str| fs::write(place.path("home/certificate.toml"), text).unwrap();
    let image = place.image("tide.img", 2 << 20);
    let out = place.path("out");
    let asked = ["erase", shown(&image), "--passes", "00", "--label-check", SECTORS, "--out", shown(&out), "--quiet"];
    for (text, says) in [
        ("language = \"klingon\"", "unknown variant"),
        ("logo = \"gone.svg\"", "gone.svg"),
        ("colour = \"sea\"", "no colour"),
        ("outcome = \"Purge\"", "unknown field"),
    ] {
        house(text);
        place.jurex(&asked).expect(1, &["certificate.toml is wrong", says]);
    }
    assert!(fs::read(&image).unwrap().starts_with(b"tide log"), "nothing was written");
    fs::write(
        place.path("home/gull.svg"),
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"9\" height=\"9\"><rect width=\"9\" height=\"5\"/></svg>",
    )
    .unwrap();
    house(
        "language = \"es\"\npage = \"letter\"\nname = \"Brackwater\"\nlogo = \"gull.svg\"\n[[field]]\nlabel = \"Contrato\"\nvalue = \"118\"\n",
    );
    place.jurex(&asked).expect(0, &["Clear"]);
    let paper = place.only("out", ".certificate.pdf");
    check(&Place::new(), &paper, &[]).expect(0, &["to the byte", "outcome    Clear"]);
    match std::process::Command::new("pdftotext").arg("-layout").arg(&paper).arg("-").output() {
        Ok(said) => {
            let said = String::from_utf8(said.stdout).unwrap();
            assert!(
                said.contains("Certificado de saneamiento") && said.contains("Contrato") && said.contains("el inglés"),
                "{said}"
            );
        }
        Err(e) => common::not_run(&format!("no pdftotext: {e}")),
    }
}

#[test]
fn the_newest_head_is_kept_on_another_medium_too_and_tells_of_keys_that_were_made() {
    let place = Place::new();
    let elsewhere = place.path("stick/head");
    fs::create_dir_all(place.path("home")).unwrap();
    fs::write(place.path("home/config.toml"), format!("head_file = {:?}\n", shown(&elsewhere))).unwrap();
    erased(&place, "one");
    assert_eq!(fs::read_to_string(&elsewhere).unwrap().lines().count(), 3, "unsigned as long as there is no key");
    let id = new_key(&place, "Bench 2");
    erased(&place, "two");
    let head = fs::read_to_string(&elsewhere).unwrap();
    assert!(head.starts_with("jurex-ledger\n6\n") && head.contains(&id), "{head}");
    assert_eq!(head, fs::read_to_string(place.path("home/ledger-head")).unwrap());
    place.jurex(&["ledger", "check", "--since", shown(&elsewhere)]).expect(0, &["6 entries", "1 head signed"]);
}
