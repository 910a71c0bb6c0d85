//! The Linux text console has a font of 512 signs: every sign that Jurex draws must be one of them.

mod common;

use std::collections::BTreeSet;
use std::path::Path;

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
        for file in common::sources(&crates.join(name).join("src")) {
            text += std::fs::read_to_string(file).unwrap().split("#[cfg(test)]\nmod").next().unwrap();
        }
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
