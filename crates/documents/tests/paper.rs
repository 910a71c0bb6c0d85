//! Certificates and drawings of made-up jobs, good and bad.

use jiff::Timestamp;
use jurex_device::media::{Drive, MediaClass};
use jurex_device::medium::Access;
use jurex_device::testing::{Fixed, test_drive};
use jurex_documents::{Code, House, Language, LedgerEntry, PageSize, Print, attached, certificate, is_as_printed};
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::Sectors;
use jurex_sanitize::contents::{Contents, Region};
use jurex_sanitize::evidence::{
    CheckEvidence, Ended, Evidence, Expect, OverwriteEvidence, PassEvidence, ReadBack, Session, StageEvidence, StageKind,
    StageResult, Stated,
};
use jurex_sanitize::plan::{Order, Plan, PlannedPass};
use jurex_sanitize::record::{Papers, Person, Record, Tool};
use std::time::Duration;

const SECTORS: u64 = 1_000_000;

fn drive(model: &str) -> Drive {
    let mut drive = test_drive(MediaClass::Magnetic, SECTORS);
    drive.path = "sim:3".into();
    drive.class_basis = "it turns 5400 times a minute".into();
    drive.unit.maker = Some("Ferrant".into());
    drive.unit.model = Some(model.into());
    drive.unit.serial = Some("FM0500T3XW8D".into());
    drive.unit.firmware = Some("BR02".into());
    drive
}

/// A job of the notation in which `faults` single sectors could not be written.
fn record(notation: &str, model: &str, label: &str, faults: u64) -> Record {
    let plan = Plan::new(&drive(model), &Order::of_program("Test method", notation.parse().unwrap()), &mut Fixed(0)).unwrap();
    let mut all = RangeSet::new();
    all.insert(plan.range());
    let mut bad = RangeSet::new();
    (0..faults).for_each(|i| bad.insert(Sectors::new(1000 + i * 900, 1)));
    let now = Timestamp::UNIX_EPOCH;
    let pass = |p: &PlannedPass| {
        let mut begun = PassEvidence::begun(p.pattern.clone(), 0, plan.range(), now);
        (0..100).for_each(|i| begun.pace.note(Sectors::new(i * 10_000, 10_000), Duration::from_millis(30 + i)));
        PassEvidence { laid: all.clone(), unwritable: bad.clone(), flushed: true, ended: Some(now), ..begun }
    };
    let passes: Vec<PassEvidence> = plan.passes().iter().map(pass).collect();
    let laid = OverwriteEvidence { range: plan.range(), planned_passes: passes.len() as u32, passes };
    let read = CheckEvidence {
        range: plan.range(),
        expect: Expect::LastPass,
        read_back: ReadBack { read: all.clone(), ..ReadBack::default() },
        drawn: None,
        beside: vec![],
    };
    let stage = |what| StageEvidence { started: now, ended: Some(now), what };
    let evidence = Evidence {
        sessions: vec![Session::new(drive(model), Access::DIRECT, now)],
        planned: vec![StageKind::Overwrite, StageKind::Check],
        stages: vec![stage(StageResult::Overwritten(laid)), stage(StageResult::Checked(read))],
        ended: Ended::Finished,
        stated: Stated::default(),
    };
    let region = |first, count| Region { label: Some(label.into()), ..Region::new(Sectors::new(first, count), "FAT32") };
    let before =
        Contents { table: Some("GPT".into()), regions: vec![region(2048, 500_000), region(600_000, 2)], ..Contents::default() };
    let tool = Tool { name: "Jurex".into(), version: "0.1.0".into() };
    let papers = Papers { source: label.into(), ..Papers::default() };
    let ended = Timestamp::from_second(4000).unwrap();
    Record::new("261123-4F7QZK".parse().unwrap(), tool, &plan, before, evidence, (Timestamp::UNIX_EPOCH, ended), papers)
}

#[test]
fn the_strata_drawing_is_a_stable_file() {
    insta::assert_snapshot!(jurex_documents::strata_svg(&record("00 | FF?", "Meridian 500", "ARCHIVE", 2)));
}

#[test]
fn the_same_record_always_prints_the_same_paper() {
    let record = record("00 | FF | random?", "Meridian 500", "STATIONS", 0);
    let pdf = jurex_documents::certificate(&record, &Print::default()).unwrap();
    assert!(pdf.starts_with(b"%PDF-1.7"));
    assert_eq!(pdf, jurex_documents::certificate(&record, &Print::default()).unwrap());
}

#[test]
fn any_record_can_be_printed() {
    let long = "a very long name without end ".repeat(40);
    let cases = [
        record("00", "", "", 0),
        record("00 x90 | ~?", "Meridian 500", "many passes", 900),
        record("00", &long, &long, 3),
        record("00", "漢字 \u{202e}\u{1b}[2J ﷽ 🦀", "<svg>&\"'\u{0}\u{fffe}", 1),
    ];
    for record in cases {
        let pdf = jurex_documents::certificate(&record, &Print::default()).unwrap_or_else(|e| panic!("{e}"));
        assert!(pdf.len() > 10_000);
        let svg = jurex_documents::strata_svg(&record);
        assert!(!svg.contains("<svg>&") && !svg.contains('\u{1b}'), "{svg}");
        assert!(jurex_documents::pace_svg(&record).is_some());
    }
}

#[test]
fn svg_files_are_well_formed() {
    let record = record("00 | FF?", "Meridian 500", "<&>\"'\u{1}", 2);
    for svg in [jurex_documents::strata_svg(&record), jurex_documents::pace_svg(&record).unwrap()] {
        let checked = std::process::Command::new("xmllint").args(["--noout", "-"]).stdin(std::process::Stdio::piped()).spawn();
        match checked {
            Ok(mut child) => {
                std::io::Write::write_all(&mut child.stdin.take().unwrap(), svg.as_bytes()).unwrap();
                assert!(child.wait().unwrap().success(), "{svg}");
            }
            Err(e) => {
                assert!(std::env::var_os("JUREX_REQUIRE_ALL").is_none(), "NOT RUN, and everything is to be run: no xmllint: {e}");
                eprintln!("NOT RUN in full, no xmllint: {e}");
            }
        }
    }
}

#[test]
fn signs_that_cannot_be_printed_are_known_before() {
    let record = record("00", "Meridian 500", "Skerry Point, Łódź, Ærø", 0);
    assert_eq!(jurex_documents::unprintable(record.papers()), []);
    let technician = Person { name: "漢字 ไทย".into(), ..Person::default() };
    let with = record.clone().with_papers(Papers { technician, ..Papers::default() });
    assert!(jurex_documents::unprintable(with.papers()).contains(&'漢'), "{:?}", jurex_documents::unprintable(with.papers()));
}

/// What a program of somebody else says of a paper; `None`: it is not here, and need not be.
fn said_by(program: &str, arguments: &[&str], pdf: &[u8]) -> Option<String> {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("paper.pdf");
    std::fs::write(&path, pdf).unwrap();
    let named = |a: &&str| if *a == "PAPER" { path.clone().into() } else { std::ffi::OsString::from(*a) };
    let output = std::process::Command::new(program).args(arguments.iter().map(named)).output();
    match output {
        Ok(output) => Some(format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr))),
        Err(e) => {
            assert!(std::env::var_os("JUREX_REQUIRE_ALL").is_none(), "NOT RUN, and everything is to be run: no {program}: {e}");
            eprintln!("NOT RUN in full, no {program}: {e}");
            None
        }
    }
}

fn house(language: Language, page: PageSize) -> House {
    let svg = br##"<svg xmlns="http://www.w3.org/2000/svg" width="40" height="20"><rect width="30" height="20" rx="4" fill="#1d5a7a" fill-opacity="0.6"/></svg>"##;
    let toml = format!(
        "language = \"{}\"\npage = \"{}\"\nname = \"Brackwater Weather Service\"\naddress = [\"Tern Quay 4\"]\ncolour = \"#1d5a7a\"\n\
         closing = \"Kept for ten years.\"\nlogo = \"gull.svg\"\n[[field]]\nlabel = \"Contract\"\nvalue = \"BWS-118\"\n",
        language.tag(),
        if page == PageSize::A4 { "a4" } else { "letter" }
    );
    House::from_toml(&toml, |_| Ok(svg.to_vec())).unwrap()
}

fn standing() -> LedgerEntry {
    let proof = "c2sp.org/tlog-proof@v1\nextra e30=\nindex 7\n\nnote\n".to_string();
    LedgerEntry {
        proof,
        entry: 8,
        entries: 9,
        head: "ab".repeat(32),
        key_id: "kPrK_qmxVWaYVA9wwBF6Iuo3vVzz7TxHCTwXBygrS4k".into(),
    }
}

/// Every language, both paper sizes, good and bad: what it was made from is found in the paper, the paper is made again from that to
/// the byte, and each altered way of printing it is another paper.
#[test]
fn a_paper_is_made_again_from_what_is_attached_to_it() {
    for language in Language::ALL {
        for (page, faults) in [(PageSize::A4, 0), (PageSize::Letter, 3)] {
            let record = record("00 | FF?", "Meridian 500", "STATIONS", faults);
            let print = Print { house: house(language, page), standing: Some(standing()), verifications: vec![] };
            let pdf = certificate(&record, &print).unwrap();
            let found = attached(&pdf).unwrap();
            assert_eq!((found.record, found.proof), (record.to_json(), Some(standing().proof)));
            let again = Print { house: House::from_attached(&found.house.unwrap()).unwrap(), ..print.clone() };
            assert!(is_as_printed(&pdf, &record, &again), "{language:?}");
            // The same for every language: looked at in one.
            let others = language == Language::En;
            let mut other_house = print.house.clone();
            other_house.closing = "Purge.".into();
            for other in [
                Print { standing: None, ..print.clone() },
                Print { house: House::default(), ..print.clone() },
                Print { house: other_house.clone(), ..print.clone() },
            ]
            .into_iter()
            .filter(|_| others)
            {
                assert!(!is_as_printed(&pdf, &record, &other));
            }
            let Some(text) = said_by("pdftotext", &["-layout", "PAPER", "-"], &pdf) else { continue };
            assert!(
                text.contains("Contract") && text.contains("Kept for ten years.") && text.contains(&"ab".repeat(32)),
                "{text}"
            );
        }
    }
}

#[test]
fn a_paper_of_a_drive_that_is_not_sanitized_looks_like_none_that_is() {
    let print = Print::default();
    let text = |faults| {
        let pdf = certificate(&record("00", "Meridian 500", "STATIONS", faults), &print).unwrap();
        said_by("pdftotext", &["-layout", "-f", "1", "-l", "1", "PAPER", "-"], &pdf)
    };
    let (Some(good), Some(bad)) = (text(0), text(4)) else { return };
    assert!(bad.contains("NOT SANITIZED") && bad.contains("Not sanitized: report of the treatment"), "{bad}");
    assert!(!bad.contains("Certificate"), "{bad}");
    assert!(good.contains("Certificate of sanitization") && !good.to_lowercase().contains("not sanitized"), "{good}");
    assert!(good.contains("Confidentiality") && !good.contains("category afterwards"));
}

/// The first page is for whom it is handed to, and is signed; what was sent and answered is on those that follow.
#[test]
fn what_is_signed_is_one_page_and_the_evidence_follows() {
    let page = |pdf: &[u8], n: &str| said_by("pdftotext", &["-layout", "-f", n, "-l", n, "PAPER", "-"], pdf);
    for (language, faults) in Language::ALL.into_iter().flat_map(|l| [(l, 0), (l, 4)]) {
        let papers = |r: Record| {
            let name = |name: &str| Person { name: name.into(), title: "technician".into(), ..Person::default() };
            let (technician, validator) = (name("Ines Okafor-Lindqvist"), name("Odile Brannigan-Vey"));
            r.with_papers(Papers { technician, validator, notes: "Rust on its screws.".into(), ..Papers::default() })
        };
        let record = papers(record("00 | FF?", "Meridian 500", "STATIONS", faults));
        let print = Print { house: house(language, PageSize::A4), standing: Some(standing()), verifications: vec![] };
        let pdf = certificate(&record, &print).unwrap();
        let (Some(first), Some(second)) = (page(&pdf, "1"), page(&pdf, "2")) else { return };
        let signed = ["FM0500T3XW8D", "Ines Okafor-Lindqvist", "Odile Brannigan-Vey", "01:06:40"];
        assert!(signed.iter().all(|what| first.contains(what)), "{language:?}: {first}");
        assert!(!first.contains("BR02") && !second.contains("Brannigan"), "{language:?}: {first}");
        assert!(second.contains("BR02") && second.contains("1. 00"), "{language:?}: {second}");
    }
}

/// A sentence of English on a paper of another language stands out: who does not read English can't check what he signs.
#[test]
fn no_paper_speaks_two_languages() {
    const ENGLISH: [&str; 16] = [
        "the",
        "were",
        "could",
        "not",
        "every",
        "sectors",
        "written",
        "with",
        "and",
        "by",
        "which",
        "that",
        "read",
        "back",
        "overwritten",
        "of",
    ];
    for language in [Language::De, Language::Fr, Language::Es] {
        for (notation, faults) in [("00 | FF?", 0), ("00 | FF?", 25)] {
            let print = Print {
                house: House::from_toml(&format!("language = \"{}\"", language.tag()), |_| unreachable!()).unwrap(),
                ..Print::default()
            };
            let pdf = certificate(&record(notation, "Meridian 500", "STATIONS", faults), &print).unwrap();
            let Some(text) = said_by("pdftotext", &["-layout", "PAPER", "-"], &pdf) else { return };
            // Names of documents are what they are.
            let text = text.replace("techniques of IEEE Std", "IEEE Std").replace("scope of sanitization", "");
            let found: Vec<&str> = text.split(|c: char| !c.is_alphabetic()).filter(|w| ENGLISH.contains(w)).collect();
            assert!(found.is_empty(), "{language:?} {faults}: {found:?} in {text}");
        }
    }
}

/// The offset of the bench stands beside universal time, and is part of what the paper is made again from.
#[test]
fn times_are_those_of_the_bench_with_their_offset() {
    let record = record("00", "Meridian 500", "STATIONS", 0);
    let mut house = House::default();
    house.offset = -210;
    let print = Print { house, ..Print::default() };
    let pdf = certificate(&record, &print).unwrap();
    let again = House::from_attached(&attached(&pdf).unwrap().house.unwrap()).unwrap();
    assert_eq!(again.offset, -210);
    assert!(is_as_printed(&pdf, &record, &print) && !is_as_printed(&pdf, &record, &Print::default()));
    let Some(text) = said_by("pdftotext", &["-layout", "PAPER", "-"], &pdf) else { return };
    assert!(text.contains("1969-12-31 21:36:40 -03:30") && text.contains("(01:06:40 UTC)"), "{text}");
}

#[test]
fn a_colour_that_is_too_faint_to_be_read_is_refused() {
    let colour = |c: &str| House::from_toml(&format!("colour = \"{c}\""), |_| unreachable!());
    assert!(colour("#1d5a7a").is_ok() && colour("#767676").is_ok());
    let faint = colour("#777777").unwrap_err().to_string();
    assert!(faint.contains("#777777") && faint.contains("4.5:1"), "{faint}");
    assert!(colour("#ffe680").unwrap_err().to_string().contains("darker"));
}

/// What of PDF/A-3a and PDF/UA-1 an independent reader can tell. What it can't: whether colours are told apart, whether the reading order
/// makes sense, and the whole of a validator's rules.
#[test]
fn an_independent_reader_finds_what_archives_and_readers_aloud_need() {
    let record = record("00 | FF?", "Meridian 500", "STATIONS", 1);
    let print = Print { house: house(Language::En, PageSize::A4), standing: Some(standing()), verifications: vec![] };
    let pdf = certificate(&record, &print).unwrap();
    let check = r#"
import sys, pikepdf
pdf = pikepdf.open(sys.argv[1])
root = pdf.Root
meta = pdf.open_metadata()
assert meta["pdfaid:part"] == "3" and meta["pdfaid:conformance"] == "A", "XMP says PDF/A-3a"
assert meta["{http://www.aiim.org/pdfua/ns/id/}part"] == "1", "XMP says PDF/UA-1"
assert root.MarkInfo.Marked and str(root.Lang) == "en" and root.ViewerPreferences.DisplayDocTitle
assert meta["dc:title"], "a title"
intent = root.OutputIntents[0]
assert intent.S == "/GTS_PDFA1" and len(bytes(intent.DestOutputProfile.read_bytes())) > 100, "output intent with its profile"
assert "/Outlines" in root and root.Outlines.Count != 0, "an outline"
seen = set()
def span(cell):
    attributes = cell.get("/A", [])
    attributes = attributes if isinstance(attributes, pikepdf.Array) else [attributes]
    return max([int(a.get("/ColSpan", 1)) for a in attributes if isinstance(a, pikepdf.Dictionary)] + [1])
def rows(table):
    kids = table.K if isinstance(table.K, pikepdf.Array) else [table.K]
    return [sum(span(c) for c in (r.K if isinstance(r.K, pikepdf.Array) else [r.K])) for r in kids]
def walk(node, path):
    if isinstance(node, pikepdf.Array):
        for kid in node: walk(kid, path)
    elif isinstance(node, pikepdf.Dictionary) and "/S" in node:
        seen.add(str(node.S))
        if node.S == "/Figure": assert str(node.get("/Alt", "")), "a figure has words"
        if node.S == "/Table": assert len(set(rows(node))) == 1, ("rows of one table have as many columns", rows(node))
        if node.S == "/TH": assert "/A" in node, "a header says what it heads"
        if "/K" in node: walk(node.K, path)
walk(root.StructTreeRoot.K, [])
need = {"/Document", "/H1", "/H2", "/P", "/Table", "/TR", "/TH", "/TD", "/Figure"}
assert need <= seen | {"/Document"}, need - seen
fonts = images = 0
for obj in pdf.objects:
    if isinstance(obj, pikepdf.Dictionary) or isinstance(obj, pikepdf.Stream):
        if obj.get("/Type") == "/FontDescriptor":
            fonts += 1
            assert any(k in obj for k in ("/FontFile", "/FontFile2", "/FontFile3")), "fonts are embedded"
        if obj.get("/Subtype") == "/Image":
            images += 1
            assert "/SMask" not in obj and "/Mask" not in obj, "nothing is seen through"
        if obj.get("/Type") == "/ExtGState":
            assert obj.get("/ca", 1) == 1 and obj.get("/CA", 1) == 1 and obj.get("/SMask", "/None") == "/None", "nothing is seen through"
        assert obj.get("/S") != "/JavaScript" and obj.get("/S") != "/Launch", "nothing runs"
assert fonts >= 2 and images == 1, (fonts, images)
kinds = sorted(str(f.AFRelationship) for f in root.AF)
assert kinds == ["/Source", "/Supplement", "/Supplement"], kinds
for page in pdf.pages:
    assert page.get("/Tabs") is None or page.Tabs == "/S"
    assert page.get("/Group") is None or page.Group.get("/S") != "/Transparency" or "/CS" in page.Group
print("all is there")
"#;
    let Some(said) = said_by("/usr/bin/python3", &["-c", check, "PAPER"], &pdf) else { return };
    assert!(said.contains("all is there"), "{said}");
    if let Some(said) = said_by("qpdf", &["--check", "PAPER"], &pdf) {
        assert!(said.contains("No syntax or stream encoding errors found"), "{said}");
    }
}

#[test]
fn the_code_on_the_paper_is_read_by_a_camera() {
    let record = record("00", "Meridian 500", "STATIONS", 0);
    let print = Print { standing: Some(standing()), ..Print::default() };
    let pdf = certificate(&record, &print).unwrap();
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("paper.pdf");
    std::fs::write(&path, &pdf).unwrap();
    let drawn = std::process::Command::new("pdftoppm")
        .args(["-r", "150", "-png", "-f", "1", "-l", "1", "-gray"])
        .arg(&path)
        .arg(dir.path().join("page"))
        .status();
    let page =
        std::fs::read_dir(dir.path()).unwrap().flatten().map(|f| f.path()).find(|p| p.extension().is_some_and(|e| e == "png"));
    let (Ok(_), Some(page)) = (drawn, page) else {
        assert!(std::env::var_os("JUREX_REQUIRE_ALL").is_none(), "NOT RUN, and everything is to be run: no pdftoppm");
        return eprintln!("NOT RUN, no pdftoppm");
    };
    let Some(said) = said_by_file("zbarimg", &["--quiet", "--raw"], &page) else { return };
    assert_eq!(said.trim().parse(), Ok(Code::of(&record, Some(&standing().key_id))), "{said}");
}

fn said_by_file(program: &str, arguments: &[&str], file: &std::path::Path) -> Option<String> {
    match std::process::Command::new(program).args(arguments).arg(file).output() {
        Ok(output) => Some(String::from_utf8_lossy(&output.stdout).into_owned()),
        Err(e) => {
            assert!(std::env::var_os("JUREX_REQUIRE_ALL").is_none(), "NOT RUN, and everything is to be run: no {program}: {e}");
            eprintln!("NOT RUN, no {program}: {e}");
            None
        }
    }
}

/// What the preview shows is what the paper says: every word of the page, page by page.
#[test]
fn the_preview_has_every_word_of_the_paper() {
    for (faults, language) in [(0, Language::En), (3, Language::Fr)] {
        let record = record("00 | FF?", "Meridian 500", "STATIONS", faults);
        let print = Print { house: house(language, PageSize::A4), standing: Some(standing()), verifications: vec![] };
        let lines = jurex_documents::preview(&record, &print, 140);
        let words: Vec<&str> = lines
            .iter()
            .filter_map(|l| match l {
                jurex_documents::PreviewLine::Words { text, .. } => Some(text.split_whitespace()),
                _ => None,
            })
            .flatten()
            .collect();
        let inverted = lines.iter().any(|l| matches!(l, jurex_documents::PreviewLine::Words { inverted: true, .. }));
        assert_eq!(inverted, faults > 0, "what is not sanitized stands white on black");
        let pages = lines.iter().filter(|l| matches!(l, jurex_documents::PreviewLine::EndOfPage(..))).count();
        assert!(pages >= 2);
        let Some(text) = said_by("pdftotext", &["-layout", "PAPER", "-"], &certificate(&record, &print).unwrap()) else {
            continue;
        };
        for word in text.split_whitespace() {
            assert!(words.iter().any(|w| w.contains(word) || word.contains(w)), "{word} is not in the preview");
        }
    }
}
