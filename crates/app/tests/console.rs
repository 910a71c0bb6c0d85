//! The Linux text console has a font of 512 signs: every sign that Jurex draws must be one of them.

use std::collections::BTreeSet;
use std::path::Path;

/// The text of every source file below `folder`, but for its tests.
fn sources(folder: &Path, found: &mut String) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let name = path.file_name().unwrap().to_str().unwrap();
        if path.is_dir() {
            if name != "tests" {
                sources(&path, found);
            }
        } else if name.ends_with(".rs") && name != "tests.rs" {
            let text = std::fs::read_to_string(&path).unwrap();
            found.push_str(text.split("#[cfg(test)]\nmod").next().unwrap());
        }
    }
}

#[test]
fn the_console_font_has_every_sign_of_the_interface() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap();
    let mut text = String::new();
    for name in [
        "app",
        "device",
        "disposition",
        "engine",
        "file-erase",
        "ledger",
        "linux",
        "look",
        "notice",
        "past",
        "pattern",
        "sanitize",
        "sign",
        "sim",
        "station",
        "tui",
    ] {
        sources(&crates.join(name).join("src"), &mut text);
    }
    assert!(text.len() > 1_000_000, "the sources are not where they were");
    let listed = std::fs::read_to_string(crates.parent().unwrap().join("medium/signs")).unwrap();
    let listed: BTreeSet<char> = listed.lines().filter(|l| !l.starts_with('#')).flat_map(str::chars).collect();
    // Latin-1 and Latin Extended-A are in the font as letters, Braille as curves.
    let has = |c: &char| c.is_ascii() || matches!(c, '\u{a0}'..='\u{17f}' | '\u{2800}'..='\u{28ff}') || listed.contains(c);
    let lacking: BTreeSet<char> = text.chars().filter(|c| !has(c)).collect();
    assert!(lacking.is_empty(), "medium/signs lacks {lacking:?}");
    assert!(listed.contains(&'⊘') && listed.contains(&'▏'));
}
