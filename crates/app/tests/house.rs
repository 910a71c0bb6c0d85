//! The rooms of every crate use one another in one direction only, and so do the files of the interface.

mod common;

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

/// Every file below `folder` by the path of its module.
fn modules(folder: &Path) -> BTreeMap<String, String> {
    let module = |file: &Path| {
        let parts = file.strip_prefix(folder).unwrap().with_extension("");
        let parts = parts.components().map(|c| c.as_os_str().to_str().unwrap()).filter(|part| *part != "mod");
        std::iter::once("crate").chain(parts).collect::<Vec<_>>().join("::")
    };
    common::sources(folder).iter().map(|file| (module(file), std::fs::read_to_string(file).unwrap())).collect()
}

/// The paths that a `use` names, its braces opened.
fn opened(path: &str) -> Vec<String> {
    let Some((start, inner)) = path.split_once('{') else { return vec![path.trim().to_string()] };
    let inner = inner.rsplit_once('}').map_or(inner, |(inner, _)| inner);
    let (mut depth, mut parts) = (0, vec![String::new()]);
    for c in inner.chars() {
        depth += i32::from(c == '{') - i32::from(c == '}');
        match (c, depth) {
            (',', 0) => parts.push(String::new()),
            _ => parts.last_mut().unwrap().push(c),
        }
    }
    parts.iter().filter(|p| !p.trim().is_empty()).flat_map(|p| opened(&format!("{start}{}", p.trim()))).collect()
}

/// The modules of the interface that a module takes something from.
fn taken(module: &str, text: &str, all: &BTreeMap<String, String>) -> BTreeSet<String> {
    let uses = text.split("\nuse ").chain(text.split("\npub(super) use ")).chain(text.split("\npub(crate) use "));
    let paths = uses.skip(1).filter_map(|rest| rest.split(';').next()).flat_map(opened);
    let mut taken = BTreeSet::new();
    for path in paths {
        let mut from = module.to_string();
        let mut rest = path.as_str();
        while let Some(above) = rest.strip_prefix("super::") {
            (from, rest) = (from.rsplit_once("::").unwrap().0.to_string(), above);
        }
        let mut named = if rest.starts_with("crate::") { rest.to_string() } else { format!("{from}::{rest}") };
        while !all.contains_key(&named) {
            let Some((shorter, _)) = named.rsplit_once("::") else { break };
            named = shorter.to_string();
        }
        // A module and the parts that it is made of are one.
        let apart = |a: &str, b: &str| !b.starts_with(a);
        if all.contains_key(&named) && apart(&named, module) && apart(module, &named) {
            taken.insert(named);
        }
    }
    taken
}

/// What is left once everything that takes nothing from the others is put aside, until nothing can be: circles, and what uses them.
fn circles(mut left: BTreeMap<String, BTreeSet<String>>) -> BTreeMap<String, BTreeSet<String>> {
    loop {
        let free: Vec<String> = left.iter().filter(|(_, from)| from.is_empty()).map(|(m, _)| m.clone()).collect();
        if free.is_empty() {
            return left;
        }
        for module in free {
            left.remove(&module);
            for from in left.values_mut() {
                from.remove(&module);
            }
        }
    }
}

fn folder(krate: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap().join(krate).join("src")
}

#[test]
fn the_files_of_the_interface_make_no_circle() {
    let all = modules(&folder("tui"));
    let arrows: BTreeMap<String, BTreeSet<String>> = all.iter().map(|(m, text)| (m.clone(), taken(m, text, &all))).collect();
    let count: usize = arrows.values().map(BTreeSet::len).sum();
    assert!(all.len() > 30 && count > 100, "{} files and {count} arrows were found: the test does not see them", all.len());
    let left = circles(arrows);
    assert!(left.is_empty(), "these use one another in a circle, or use one: {left:#?}");
}

/// The first part of a path below the crate: its room.
fn room(path: &str) -> &str {
    path.split("::").next().unwrap_or(path)
}

/// The rooms that a text names, in its imports or anywhere else. What stands in comments or only in tests is passed over.
fn rooms_named(text: &str, rooms: &BTreeSet<String>) -> BTreeSet<String> {
    let tests = text.match_indices("\n#[cfg(test)]\n").find(|(at, mark)| {
        let after = text[at + mark.len()..].lines().next().unwrap_or_default();
        after.contains("mod ") && after.ends_with('{')
    });
    let code = &text[..tests.map_or(text.len(), |(at, _)| at)];
    let code: String = code.lines().filter(|l| !l.trim_start().starts_with("//")).collect::<Vec<_>>().join("\n");
    let mut named = BTreeSet::new();
    for (at, _) in code.match_indices("crate::") {
        // `jurex_crate::` is another crate, and so is a name that ends in it.
        if code[..at].ends_with(|c: char| c.is_alphanumeric() || c == '_') {
            continue;
        }
        let rest = &code[at + "crate::".len()..];
        let end =
            if rest.starts_with('{') { rest.find("};").unwrap_or(0) } else { rest.find([';', ' ', '(', ',', ')']).unwrap_or(0) };
        named.extend(opened(&rest[..end]).iter().map(|path| room(path).to_string()).filter(|r| rooms.contains(r)));
    }
    named
}

#[test]
fn the_rooms_of_no_crate_make_a_circle() {
    let crates = std::fs::read_dir(folder("app").join("../..")).unwrap();
    let mut seen = 0;
    for krate in crates.map(|e| e.unwrap().file_name().into_string().unwrap()) {
        let mut all = modules(&folder(&krate));
        let path = |module: &str| module.strip_prefix("crate::").unwrap_or_default().to_string();
        // The crate's own file names every room; stand-ins for tests may know all of them.
        all.retain(|module, _| !["lib", "main", "testing", ""].contains(&room(&path(module))));
        let rooms: BTreeSet<String> = all.keys().map(|m| room(&path(m)).to_string()).collect();
        let mut arrows: BTreeMap<String, BTreeSet<String>> = rooms.iter().map(|r| (r.clone(), BTreeSet::new())).collect();
        for (module, text) in &all {
            let from = room(&path(module)).to_string();
            let mut named = rooms_named(text, &rooms);
            named.remove(&from);
            seen += named.len();
            arrows.entry(from).or_default().extend(named);
        }
        let left = circles(arrows);
        assert!(left.is_empty(), "rooms of {krate} use one another in a circle, or use one: {left:#?}");
    }
    assert!(seen > 300, "{seen} arrows were found: the test does not see them");
}

/// Letters and digits of a sentence or a function's name, a blank between the words.
fn words(text: &str) -> String {
    let text = text.replace(['\'', '’'], "").to_lowercase();
    text.split(|c: char| !c.is_ascii_alphanumeric()).filter(|word| !word.is_empty()).collect::<Vec<_>>().join(" ")
}

/// The names of all functions in a file, or in the files of a folder.
fn functions(path: &Path) -> Vec<String> {
    let files = if path.is_dir() { common::rust_files(path) } else { vec![path.to_path_buf()] };
    let text: String = files.iter().map(|file| std::fs::read_to_string(file).unwrap()).collect();
    let named = text.lines().filter_map(|line| line.trim().strip_prefix("fn ").or(line.strip_prefix("def ")));
    named.filter_map(|rest| rest.split_once('(')).map(|(name, _)| words(name)).collect()
}

#[test]
fn every_test_that_stands_for_a_claim_is_there() {
    let root = folder("app").join("../../..");
    let page = std::fs::read_to_string(root.join("docs/trust.md")).unwrap();
    let rows = page.lines().filter(|l| l.starts_with('|') && !l.contains("---") && !l.starts_with("| input"));
    let mut seen = 0;
    for row in rows {
        let cells: Vec<&str> = row.trim_matches('|').split('|').map(str::trim).collect();
        assert!(cells.len() == 4 && cells.iter().all(|cell| !cell.is_empty()), "a cell is empty: {row}");
        for named in cells[3].split(';').filter(|named| named.contains('`')) {
            let (path, rest) = named.trim().trim_start_matches('`').split_once('`').unwrap();
            let path = [root.join("crates").join(path), root.join(path)].into_iter().find(|p| p.exists());
            let path = path.unwrap_or_else(|| panic!("there is no {named}"));
            let wanted = words(rest.trim_start_matches(':'));
            assert!(wanted.is_empty() || functions(&path).iter().any(|f| f.contains(&wanted)), "there is no such test: {named}");
            seen += 1;
        }
    }
    assert!(seen > 40, "{seen} tests were found");
}
