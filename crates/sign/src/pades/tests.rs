//! Signing papers, by keys of each kind, and by what another program says of them.

use super::*;
use crate::store::Passphrase;
use std::process::Command;

/// A paper in the form in which they are written.
fn paper() -> Vec<u8> {
    let objects = [
        "<</Type/Pages/Count 1/Kids[2 0 R]>>",
        "<</Type/Page/Resources<<>>/MediaBox[0 0 595 842]/StructParents 0/Tabs/S/Parent 1 0 R>>",
        "<</Type/StructTreeRoot/K[4 0 R]/ParentTree<</Nums[0 5 0 R]>>/ParentTreeNextKey 1>>",
        "<</Type/StructElem/S/Document/P 3 0 R/Lang(en)/K[]>>",
        "[]",
        "<</Type/Catalog/Pages 1 0 R/StructTreeRoot 3 0 R/MarkInfo<</Marked true>>>>",
        "<</Title(A paper)>>",
    ];
    let mut pdf = b"%PDF-1.7\n%\xe2\xe3\xcf\xd3\n".to_vec();
    let mut places = vec![];
    for (i, body) in objects.iter().enumerate() {
        places.push(pdf.len());
        pdf.extend(format!("{} 0 obj\n{body}\nendobj\n", i + 1).bytes());
    }
    let start = pdf.len();
    pdf.extend(format!("xref\n0 {}\n0000000000 65535 f \n", objects.len() + 1).bytes());
    places.iter().for_each(|at| pdf.extend(format!("{at:010} 00000 n \n").bytes()));
    pdf.extend(format!("trailer\n<</Size 8/Root 6 0 R/Info 7 0 R/ID[(abc)(def)]>>\nstartxref\n{start}\n%%EOF").bytes());
    pdf
}

fn now() -> Timestamp {
    "2026-11-26T09:00:00Z".parse().unwrap()
}

fn key() -> PdfKey {
    let (certificate, key) = PdfKey::self_signed("Brackwater Weather Service, Records", [5; 32], now(), 365).unwrap();
    PdfKey::from_pem(&certificate, &key, None).unwrap()
}

#[test]
fn a_signed_paper_is_found_right_and_every_changed_bit_of_it_wrong() {
    let (paper, key) = (paper(), key());
    assert!(check_pdf(&paper).is_none());
    let signed = sign_pdf(&paper, &key, now()).unwrap();
    let found = check_pdf(&signed).unwrap().unwrap_or_else(|e| panic!("{e}"));
    let own = found.own.unwrap();
    assert_eq!((found.paper, own.when, own.by.subject.as_str()), (&paper[..], now(), "Brackwater Weather Service, Records"));
    assert!(found.later.is_empty());
    let is_right = |pdf: &[u8]| matches!(check_pdf(pdf), Some(Ok(found)) if found.later.iter().all(Result::is_ok));
    // Every byte but most of the empty room, where the zeros are all alike.
    let gap = find(&signed, b"/Contents<").unwrap() + 2500;
    for at in (9..gap).chain((gap..gap + 2 * ROOM - 2600).step_by(997)).chain(gap + 2 * ROOM - 2600..signed.len()) {
        let mut altered = signed.clone();
        altered[at] ^= 1;
        assert!(!is_right(&altered), "byte {at}");
    }
    let more = [&signed[..], b"\n%more"].concat();
    assert!(matches!(&check_pdf(&more).unwrap().unwrap_or_else(|e| panic!("{e}")).later[..], [Err(BadLater::NoUpdate)]));
    assert!(matches!(check_pdf(&signed[..signed.len() - 1]), Some(Err(_))));
    assert_eq!(sign_pdf(b"%PDF-1.4 of somebody else", &key, now()), Err(BadPdfSignature::NoPaper));
}

#[test]
fn a_certificate_out_of_its_time_signs_nothing() {
    let later: Timestamp = "2028-01-01T00:00:00Z".parse().unwrap();
    assert_eq!(key().check_time(now()), Ok(()));
    let said = key().check_time(later).unwrap_err().to_string();
    assert!(said.contains("good from 2026-11-26 to 2027-11-26, and it is 2028-01-01"), "{said}");
}

/// Whether a program is here; with `JUREX_REQUIRE_ALL=1`, as in CI, it must be.
fn is_here(program: &str) -> bool {
    let here = Command::new(program).arg("-v").output().is_ok();
    assert!(here || std::env::var_os("JUREX_REQUIRE_ALL").is_none(), "NOT RUN, and everything is to be run: no {program}");
    if !here {
        eprintln!("NOT RUN in full, no {program}");
    }
    here
}

fn openssl(dir: &std::path::Path, arguments: &str) {
    let output = Command::new("openssl").args(arguments.split_whitespace()).current_dir(dir).output().unwrap();
    assert!(output.status.success(), "{arguments}: {}", String::from_utf8_lossy(&output.stderr));
}

/// Keys as an organisation brings them, each made by openssl; what poppler says of papers that they have signed.
#[test]
fn keys_of_every_kind_sign_and_a_reader_of_others_agrees() {
    if !is_here("openssl") || !is_here("pdfsig") {
        return;
    }
    let dir = tempfile::tempdir().unwrap();
    let run = |arguments: &str| openssl(dir.path(), arguments);
    let read = |name: &str| std::fs::read_to_string(dir.path().join(name)).unwrap();
    run("req -x509 -newkey rsa:2048 -keyout rsa.key -out rsa.pem -days 90 -nodes -subj /CN=Rsa");
    run(
        "req -x509 -newkey ec -pkeyopt ec_paramgen_curve:P-256 -keyout ec.key -out ec.pem -days 90 -nodes -subj /O=Brackwater/CN=Ec",
    );
    run("pkcs8 -topk8 -in ec.key -out shut.key -passout pass:tide -v2 aes-256-cbc -iter 1000");
    run("ec -in ec.key -out sec1.key");
    run("rsa -in rsa.key -out pkcs1.key -traditional");
    run("pkcs12 -export -inkey ec.key -in ec.pem -out ec.p12 -passout pass:tide");
    run("pkcs12 -export -inkey rsa.key -in rsa.pem -out old.p12 -passout pass:tide -legacy");
    run("req -x509 -newkey ed25519 -keyout ed.key -out ed.pem -days 90 -nodes -subj /CN=Ed");
    let tide = Passphrase::new("tide");
    let bytes = |name: &str| std::fs::read(dir.path().join(name)).unwrap();
    let keys = [
        PdfKey::from_pem(&read("rsa.pem"), &read("rsa.key"), None).unwrap(),
        PdfKey::from_pem(&read("rsa.pem"), &read("pkcs1.key"), None).unwrap(),
        PdfKey::from_pem(&read("ec.pem"), &read("ec.key"), None).unwrap(),
        PdfKey::from_pem(&read("ec.pem"), &read("sec1.key"), None).unwrap(),
        PdfKey::from_pem(&read("ec.pem"), &read("shut.key"), Some(&tide)).unwrap(),
        PdfKey::from_pkcs12(&bytes("ec.p12"), Some(&tide)).unwrap(),
        PdfKey::from_pkcs12(&bytes("old.p12"), Some(&tide)).unwrap(),
        key(),
    ];
    for (i, key) in keys.iter().enumerate() {
        let signed = sign_pdf(&paper(), key, now()).unwrap();
        assert!(matches!(check_pdf(&signed), Some(Ok(_))), "{i}");
        let file = dir.path().join("signed.pdf");
        std::fs::write(&file, &signed).unwrap();
        let said = |file: &std::path::Path| {
            String::from_utf8(Command::new("pdfsig").arg("-nocert").arg(file).output().unwrap().stdout).unwrap()
        };
        let good = said(&file);
        assert!(good.contains("Signature is Valid") && good.contains("Total document signed"), "{i}: {good}");
        assert!(good.contains("ETSI.CAdES.detached"), "{good}");
        let mut altered = signed.clone();
        altered[60] ^= 1;
        std::fs::write(&file, &altered).unwrap();
        assert!(!said(&file).contains("Signature is Valid"), "{}", said(&file));
    }
    for (why, wrong) in [
        (BadPdfKey::OtherKey, PdfKey::from_pem(&read("ec.pem"), &read("rsa.key"), None)),
        (BadPdfKey::WrongPassphrase, PdfKey::from_pem(&read("ec.pem"), &read("shut.key"), Some(&Passphrase::new("ebb")))),
        (BadPdfKey::WrongPassphrase, PdfKey::from_pem(&read("ec.pem"), &read("shut.key"), None)),
        (BadPdfKey::WrongPassphrase, PdfKey::from_pkcs12(&bytes("ec.p12"), None)),
        (BadPdfKey::NoKey, PdfKey::from_pem(&read("ed.pem"), &read("ed.key"), None)),
        (BadPdfKey::NoKey, PdfKey::from_pem(&read("ec.pem"), "junk", None)),
        (BadPdfKey::NoCertificate, PdfKey::from_pem("junk", &read("ec.key"), None)),
        (BadPdfKey::NoCertificate, PdfKey::from_pkcs12(b"junk", None)),
    ] {
        assert_eq!(wrong.err(), Some(why));
    }
}

/// Certificates as organisations have them, made by openssl: a root, one between, and those that sign.
#[test]
fn who_vouches_for_a_signature_follows_from_the_chain_and_from_who_is_trusted_here() {
    if !is_here("openssl") {
        return;
    }
    let dir = tempfile::tempdir().unwrap();
    let run = |arguments: &str| openssl(dir.path(), arguments);
    let read = |name: &str| std::fs::read_to_string(dir.path().join(name)).unwrap();
    let extensions = |name: &str, text: &str| std::fs::write(dir.path().join(name), text).unwrap();
    extensions("ca.ext", "basicConstraints=critical,CA:TRUE\nkeyUsage=critical,keyCertSign\n");
    extensions("leaf.ext", "basicConstraints=critical,CA:FALSE\nkeyUsage=critical,digitalSignature\n");
    extensions("strange.ext", "basicConstraints=critical,CA:TRUE\nnameConstraints=critical,permitted;DNS:example.org\n");
    let ec = "-newkey ec -pkeyopt ec_paramgen_curve:P-256 -nodes";
    run("req -x509 -newkey rsa:2048 -nodes -keyout root.key -out root.pem -days 3650 -subj /CN=Root -sha384");
    let issue = |name: &str, by: &str, ext: &str| {
        run(&format!("req -new {ec} -keyout {name}.key -out {name}.csr -subj /CN={name}"));
        run(&format!(
            "x509 -req -in {name}.csr -CA {by}.pem -CAkey {by}.key -CAcreateserial -out {name}.pem -days 900 -extfile {ext}"
        ));
    };
    issue("Between", "root", "ca.ext");
    issue("Signer", "Between", "leaf.ext");
    issue("Under", "Signer", "leaf.ext");
    issue("Strange", "root", "strange.ext");
    issue("Stranger", "Strange", "leaf.ext");
    // Another of the same name as the one between, who signs for whom he likes.
    run(&format!("req -x509 {ec} -keyout Forger.key -out Forger.pem -days 900 -subj /CN=Between"));
    issue("Forged", "Forger", "leaf.ext");
    let trusted = |name: &str| TrustedCertificate {
        name: format!("our {name}"),
        der: certificate_of(read(name).as_bytes()).unwrap().0,
        retired: None,
    };
    let now: Timestamp = Timestamp::now();
    let vouched_at = |chain: &[&str], by: &[&str], when: Timestamp| {
        let pem: String = chain.iter().map(|name| read(&format!("{name}.pem"))).collect();
        let key = PdfKey::from_pem(&pem, &read(&format!("{}.key", chain[0])), None).unwrap();
        let signed = sign_pdf(&paper(), &key, when).unwrap();
        let found = check_pdf(&signed).unwrap().unwrap_or_else(|e| panic!("{e}"));
        who_vouches(&found.own.unwrap().certificates, &by.iter().map(|name| trusted(name)).collect::<Vec<_>>(), when)
    };
    let vouched = |chain: &[&str], by: &[&str]| vouched_at(chain, by, now);
    let by = |name: &str, through: &[&str]| Vouched::By {
        name: name.into(),
        through: through.iter().map(|t| t.to_string()).collect(),
        retired: None,
    };
    let nobody = |why: &str, found: Vouched| match found {
        Vouched::Nobody { why: said } if why.is_empty() => assert_eq!(said, None),
        Vouched::Nobody { why: Some(said) } => assert!(said.contains(why), "{said}"),
        other => panic!("{other:?}"),
    };
    assert_eq!(vouched(&["Signer", "Between"], &["root.pem"]), by("our root.pem", &["Between"]));
    assert_eq!(vouched(&["Signer"], &["Between.pem"]), by("our Between.pem", &[]));
    assert_eq!(vouched(&["Signer"], &["Signer.pem"]), by("our Signer.pem", &[]), "pinned");
    nobody("", vouched(&["Signer"], &["root.pem"]));
    nobody("", vouched(&["Signer", "Between"], &[]));
    nobody("did not sign", vouched(&["Forged", "Between"], &["root.pem"]));
    nobody("did not sign", vouched(&["Forged"], &["Between.pem"]));
    nobody("may vouch for no other", vouched(&["Under", "Signer", "Between"], &["root.pem"]));
    nobody("can't be looked at", vouched(&["Stranger", "Strange"], &["root.pem"]));
    let late = now.checked_add(jiff::SignedDuration::from_hours(24 * 1000)).unwrap();
    nobody("not good at that time", vouched_at(&["Signer", "Between"], &["root.pem"], late));
    assert!(certificate_of(b"junk").is_none());
}

/// The validator signs too, with another program: each signature is followed, and what was changed meanwhile is found.
#[test]
fn a_second_signature_by_another_program_is_followed_and_a_change_of_the_paper_is_none() {
    if !is_here("openssl") || !is_here("pdfsig") {
        return;
    }
    let dir = tempfile::tempdir().unwrap();
    let done = |program: &str, arguments: &str| {
        let run = Command::new(program).args(arguments.split_whitespace()).current_dir(dir.path()).output();
        run.is_ok_and(|output| output.status.success())
    };
    openssl(dir.path(), "req -x509 -newkey rsa:2048 -keyout v.key -out v.pem -days 400 -nodes -subj /CN=Odile");
    openssl(dir.path(), "pkcs12 -export -inkey v.key -in v.pem -out v.p12 -passout pass:x -name odile");
    std::fs::create_dir(dir.path().join("db")).unwrap();
    let nss = done("certutil", "-N -d sql:db --empty-password")
        && done("pk12util", "-i v.p12 -d sql:db -W x")
        && done("certutil", "-M -n odile -t TCu,Cu,Tu -d sql:db");
    if !nss {
        assert!(std::env::var_os("JUREX_REQUIRE_ALL").is_none(), "NOT RUN, and everything is to be run: no certutil");
        return eprintln!("NOT RUN, no certutil");
    }
    let sign_again = |pdf: &[u8]| {
        std::fs::write(dir.path().join("in.pdf"), pdf).unwrap();
        let _ = std::fs::remove_file(dir.path().join("out.pdf"));
        done("pdfsig", "-nssdir sql:db -add-signature -nick odile in.pdf out.pdf");
        std::fs::read(dir.path().join("out.pdf")).unwrap()
    };
    let signed = sign_pdf(&paper(), &key(), now()).unwrap();
    let (twice, alone) = (sign_again(&signed), sign_again(&paper()));
    let third = sign_again(&twice);
    for (pdf, own, later) in [(&twice, true, 1), (&alone, false, 1), (&third, true, 2)] {
        let found = check_pdf(pdf).unwrap().unwrap_or_else(|e| panic!("{e}"));
        assert_eq!((found.own.is_some(), found.later.len()), (own, later));
        for signature in found.later {
            let signature = signature.unwrap_or_else(|e| panic!("{e}"));
            assert!(signature.when.is_some() && !signature.shows);
            let der = certificate_of(&std::fs::read(dir.path().join("v.pem")).unwrap()).unwrap().0;
            assert_eq!(signature.certificates[0], der);
        }
    }
    // Whoever changes the paper, or what they have signed, is found.
    let found = |pdf: &[u8]| match check_pdf(pdf).unwrap() {
        Err(_) => Some(BadLater::Wrong),
        Ok(found) => found.later.into_iter().find_map(Result::err),
    };
    let mut flipped = twice.clone();
    flipped[signed.len() + 300] ^= 1;
    assert!(found(&flipped).is_some());
    let added = |object: &str, number: u32| {
        let mut pdf = twice.clone();
        pdf.extend(b"\n");
        let at = pdf.len();
        pdf.extend(format!("{number} 0 obj\n{object}\nendobj\n").bytes());
        let start = pdf.len();
        let trailer =
            format!("xref\n{number} 1\n{at:010} 00000 n \ntrailer\n<</Size 99/Root 6 0 R>>\nstartxref\n{start}\n%%EOF\n");
        pdf.extend(trailer.bytes());
        found(&pdf)
    };
    assert_eq!(added("<</Title(Purge)>>", 7), Some(BadLater::Changes("`Title` of object 7".into())));
    assert_eq!(added("<</Title(A paper)>>", 7), Some(BadLater::Unsigned));
    assert_eq!(added("<</DSS<<>>>>", 90), Some(BadLater::Unsigned));
}
