//! The paper of files and of free space.

use jiff::Timestamp;
use jurex_documents::{House, Language, attached, is_as_printed_of_less, less_paper, less_svg};
use jurex_file_erase::{
    FileEraseOrder, FileEraseRecord, FileEvidence, FileReadBack, FileWork, Fill, FreeEvidence, FreeProof, LeftAlone, Name,
    NameRemoval, NodeKind, OldPlaces, ShownPart, StackLayer, StorageStack, Strip, WhyNotRead,
};
use jurex_sanitize::record::{Person, Tool};
use std::process::Command;

fn asked(notation: &str) -> FileEraseOrder {
    FileEraseOrder {
        job: "261126-4F7QZK".parse().unwrap(),
        tool: Tool { name: "jurex".into(), version: "0.1.0".into() },
        by: Person { name: "Ines Okafor-Lindqvist".into(), ..Person::default() },
        started: Timestamp::UNIX_EPOCH,
        ended: Timestamp::from_second(75).unwrap(),
        notation: notation.into(),
        passes: notation.split('|').count() as u32,
        went_on: 1,
        demonstration: false,
    }
}

fn ground(kind: &str, mount: &str) -> StorageStack {
    let layers = vec![
        StackLayer::Encrypted { device: "/dev/mapper/stations".into() },
        StackLayer::Drive { device: "/dev/sdb".into(), turns: Some(false) },
    ];
    StorageStack { options: vec!["rw".into(), "discard".into()], layers, ..jurex_file_erase::testing::ground(kind, mount) }
}

/// A record of so many files, of which each third is shared, each fifth was left alone, and the others are proved.
fn files(count: u64, names: bool) -> FileEraseRecord {
    let salt = (!names).then_some(&b"salt"[..]);
    let one = |n: u64| {
        let path = format!("/srv/stations/Skerry Point/2024/a rather long name of a file that holds tides {n:04}.csv");
        let mut file = FileEvidence::new(Name::of(path.as_bytes(), salt), NodeKind::File, (n % 2) as u32, 4096);
        (file.before.mapped, file.read_back.right, file.passes, file.moved) = (4096, 4096, 2, Some(false));
        (file.look, file.removal) = (OldPlaces::Read { of: 4096, pattern: 4096, former: 0, unreadable: 0 }, NameRemoval::Removed);
        match n {
            n if n % 3 == 0 => file.before.shared = 4096,
            n if n % 5 == 0 => file.left_alone = Some(LeftAlone::Immutable),
            _ => {}
        }
        file
    };
    let mut strip = Strip::new(1 << 30);
    strip.show(1 << 20, 300 << 20, ShownPart::Proved);
    strip.show(700 << 20, 90 << 20, ShownPart::Laid);
    strip.show(900 << 20, 1 << 20, ShownPart::NotReached);
    let work = FileWork::Files {
        roots: vec![Name::of(b"/srv/stations", salt)],
        salt: if names { String::new() } else { "73616c74".into() },
        keep_names: false,
        journals_emptied: vec![0],
        files: (0..count).map(one).collect(),
    };
    let grounds = vec![ground("ext4", "/srv/stations"), ground("btrfs", "/srv/archive")];
    FileEraseRecord::new(asked("random | 00"), grounds, work, vec![strip.runs(), vec![]]).unwrap()
}

fn free(proof: FreeProof) -> FileEraseRecord {
    let read_back = FileReadBack { right: 1 << 29, ..FileReadBack::default() };
    let fill = Fill { laid: 1 << 29, files: 1, small: 64_000, gave_way: 5 << 20, passes: 1, past_caches: true, read_back };
    let (free_before, reserve, left_behind) = (900 << 20, 300 << 20, vec!["0".into()]);
    let free = FreeEvidence { free_before, reserve, fill, proof, free_after: 900 << 20, left_behind, fault: None };
    FileEraseRecord::new(asked("00"), vec![ground("ext4", "/srv/stations")], FileWork::Free { free }, vec![vec![]]).unwrap()
}

/// What poppler reads in a paper, and how many pages it has; `None`, with a word on it, where there is no poppler.
fn read(pdf: &[u8]) -> Option<(String, usize)> {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("paper.pdf");
    std::fs::write(&file, pdf).unwrap();
    match Command::new("pdftotext").arg("-layout").arg(&file).arg("-").output() {
        Ok(output) => {
            let text = String::from_utf8_lossy(&output.stdout).into_owned();
            let pages = text.matches('\u{c}').count();
            Some((text, pages))
        }
        Err(e) => {
            assert!(std::env::var_os("JUREX_REQUIRE_ALL").is_none(), "NOT RUN, and everything is to be run: {e}");
            eprintln!("NOT RUN, no pdftotext: {e}");
            None
        }
    }
}

fn house(language: Language) -> House {
    let text = format!("language = \"{}\"\n", language.tag());
    House::from_toml(&text, |_| Err(std::io::Error::other("no file is named"))).unwrap()
}

#[test]
fn the_paper_is_one_page_that_says_in_large_letters_what_it_is_not() {
    for (language, loud) in [
        (Language::En, "NOT A SANITIZATION OF THE DRIVE"),
        (Language::De, "KEINE BEREINIGUNG DES LAUFWERKS"),
        (Language::Fr, "PAS UN ASSAINISSEMENT DU SUPPORT"),
        (Language::Es, "NO ES UN SANEAMIENTO DE LA UNIDAD"),
    ] {
        let house = house(language);
        for record in
            [files(1, true), files(400, true), files(400, false), free(FreeProof::NotRead { why: WhyNotRead::NoRights })]
        {
            let Some((text, pages)) = read(&less_paper(&record, &house).unwrap()) else { return };
            assert!(text.contains(loud), "{language:?}: {text}");
            assert_eq!(pages, 1, "{language:?}: {text}");
            assert!(!text.contains("[U+"), "every sign can be printed: {text}");
        }
    }
}

#[test]
fn names_stand_on_it_only_where_they_are_wanted_and_the_worst_are_told() {
    let Some((with, _)) = read(&less_paper(&files(60, true), &House::default()).unwrap()) else { return };
    assert!(
        with.contains("Skerry Point") && with.contains("blocks are shared") && with.contains("more are in the attached record"),
        "{with}"
    );
    let Some((without, _)) = read(&less_paper(&files(60, false), &House::default()).unwrap()) else { return };
    assert!(!without.contains("Skerry Point") && without.contains("73616c74"), "{without}");
    for words in [
        "NOT overwritten",
        "left as it was (it must not be changed",
        "solid state",
        "encrypted volume",
        "never overwrites",
        "once",
    ] {
        let there = without.split_whitespace().collect::<Vec<_>>().join(" ").contains(words);
        assert!(there || words == "once", "{words}: {without}");
    }
}

#[test]
fn the_paper_is_made_again_from_what_is_attached_to_it() {
    for record in [files(3, true), free(FreeProof::NotRead { why: WhyNotRead::NoRights })] {
        let pdf = less_paper(&record, &House::default()).unwrap();
        let text = attached(&pdf).unwrap().record;
        let again = FileEraseRecord::from_json(&text).unwrap();
        assert_eq!(again, record);
        assert!(is_as_printed_of_less(&pdf, &again, &House::default()));
        assert!(!is_as_printed_of_less(&pdf, &files(4, true), &House::default()));
    }
}

#[test]
fn the_drawing_shows_where_it_lay_and_there_is_none_where_that_is_not_told() {
    let svg = less_svg(&files(3, true)).unwrap();
    assert!(svg.contains("/srv/stations") && !svg.contains("/srv/archive"), "only where something lay: {svg}");
    assert!(less_svg(&free(FreeProof::NotRead { why: WhyNotRead::NoDevice })).is_none());
    let proof = FreeProof::Read {
        by: "its own map".into(),
        placed: true,
        free: 1 << 30,
        pattern: 1 << 29,
        unreached: 1 << 28,
        unreadable: 4096,
    };
    let said = free(proof).results().join(" ");
    for words in [
        "50.0 % of it",
        "hold something else",
        "4.10 kB can't be read",
        "given back",
        "small files took entries",
        "0 could not be removed",
    ] {
        assert!(said.contains(words), "{words}: {said}");
    }
}
