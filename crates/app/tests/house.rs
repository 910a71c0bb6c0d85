//! The files of the interface use one another in one direction only.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

/// Every file below `folder` by the path of its module.
fn modules(folder: &Path, path: &str, found: &mut BTreeMap<String, String>) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let file = entry.unwrap().path();
        let name = file.file_stem().unwrap().to_str().unwrap().to_string();
        if file.is_dir() {
            modules(&file, &format!("{path}::{name}"), found);
        } else if file.extension().is_some_and(|e| e == "rs") && name != "tests" {
            let module = if name == "mod" { path.to_string() } else { format!("{path}::{name}") };
            found.insert(module, std::fs::read_to_string(&file).unwrap());
        }
    }
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
        let mut named = rest.strip_prefix("crate::").map_or(format!("{from}::{rest}"), Into::into);
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

#[test]
fn the_files_of_the_interface_make_no_circle() {
    let mut all = BTreeMap::new();
    modules(&Path::new(env!("CARGO_MANIFEST_DIR")).join("src/tui"), "tui", &mut all);
    let mut left: BTreeMap<String, BTreeSet<String>> = all.iter().map(|(m, text)| (m.clone(), taken(m, text, &all))).collect();
    let arrows: usize = left.values().map(BTreeSet::len).sum();
    assert!(all.len() > 30 && arrows > 100, "{} files and {arrows} arrows were found: the test does not see them", all.len());
    // Whatever takes nothing from the others that are left is put aside, until nothing is left: or a circle is.
    loop {
        let free: Vec<String> = left.iter().filter(|(_, from)| from.is_empty()).map(|(m, _)| m.clone()).collect();
        if free.is_empty() {
            break;
        }
        for module in free {
            left.remove(&module);
            for from in left.values_mut() {
                from.remove(&module);
            }
        }
    }
    assert!(left.is_empty(), "these use one another in a circle, or use one: {left:#?}");
}
