//! The dependency arrows of ARCHITECTURE.md, checked against what cargo would build.

mod common;

use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};
use std::process::Command;

fn metadata() -> Value {
    // Without a network, only what this machine builds is at hand.
    let version = Command::new("rustc").arg("-vV").output().unwrap();
    let version = String::from_utf8(version.stdout).unwrap();
    let host = version.lines().find_map(|l| l.strip_prefix("host: ")).unwrap();
    let arguments = ["metadata", "--format-version", "1", "--offline", "--filter-platform", host];
    let output = Command::new(env!("CARGO")).args(arguments).output().unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    serde_json::from_slice(&output.stdout).unwrap()
}

fn text<'v>(value: &'v Value, key: &str) -> &'v str {
    value[key].as_str().unwrap()
}

/// Each crate of the workspace with those of it that it rests on.
type Arrows<'v> = BTreeMap<&'v str, BTreeSet<&'v str>>;

fn members(metadata: &Value) -> Vec<&Value> {
    metadata["packages"].as_array().unwrap().iter().filter(|p| p["source"].is_null()).collect()
}

fn arrows<'v>(members: &[&'v Value]) -> Arrows<'v> {
    let names: BTreeSet<&str> = members.iter().map(|p| text(p, "name")).collect();
    let rests_on = |package: &&'v Value| {
        let normal = package["dependencies"].as_array().unwrap().iter().filter(|d| d["kind"].is_null());
        (text(package, "name"), normal.map(|d| text(d, "name")).filter(|n| names.contains(n)).collect())
    };
    members.iter().map(rests_on).collect()
}

#[test]
fn the_arrows_between_the_crates_are_the_allowed_ones() {
    let metadata = metadata();
    let arrows = arrows(&members(&metadata));
    const DOMAIN: &str = "jurex-pattern jurex-device jurex-sanitize";
    const ALL: &str = "jurex-pattern jurex-device jurex-sanitize jurex-engine jurex-disposition jurex-file-erase jurex-past \
                       jurex-ledger jurex-linux jurex-documents jurex-sign jurex-sim";
    let expected: BTreeMap<&str, BTreeSet<&str>> = [
        ("jurex", [ALL, "jurex-station jurex-tui"]),
        ("jurex-tui", [ALL, "jurex-notice jurex-station jurex-look"]),
        ("jurex-look", ["jurex-pattern jurex-device jurex-sanitize jurex-disposition jurex-past", "jurex-station"]),
        ("jurex-station", [ALL, "jurex-notice"]),
        ("jurex-xtask", ["jurex", ""]),
        ("jurex-ledger", [DOMAIN, "jurex-engine jurex-disposition jurex-past"]),
        ("jurex-past", ["jurex-device jurex-sanitize", "jurex-engine jurex-disposition"]),
        ("jurex-linux", [DOMAIN, "jurex-engine jurex-file-erase"]),
        ("jurex-documents", [DOMAIN, "jurex-disposition jurex-file-erase"]),
        ("jurex-sim", [DOMAIN, "jurex-disposition"]),
        ("jurex-sign", ["", ""]),
        ("jurex-notice", ["", ""]),
        ("jurex-disposition", [DOMAIN, "jurex-engine"]),
        ("jurex-engine", [DOMAIN, "jurex-keystream"]),
        ("jurex-file-erase", [DOMAIN, ""]),
        ("jurex-sanitize", ["jurex-pattern jurex-device", "jurex-keystream"]),
        ("jurex-device", ["jurex-pattern", "jurex-keystream"]),
        ("jurex-pattern", ["jurex-keystream", ""]),
        ("jurex-keystream", ["", ""]),
    ]
    .into_iter()
    .map(|(name, on)| (name, on.into_iter().flat_map(str::split_whitespace).collect()))
    .collect();
    assert_eq!(arrows, expected);
}

/// What computes a claim, and what works on a drive: all of it can be tested without one.
const COMPUTES: [&str; 7] =
    ["jurex-pattern", "jurex-device", "jurex-sanitize", "jurex-engine", "jurex-disposition", "jurex-file-erase", "jurex-past"];

/// What one crate is built from, each with how far beneath it lies. By itself: features that other crates of the
/// workspace turn on in what they share are not its own.
fn tree(of: &str) -> Vec<(usize, String)> {
    let arguments = ["tree", "--offline", "--package", of, "--edges", "normal", "--prefix", "depth"];
    let output = Command::new(env!("CARGO")).args(arguments).output().unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let tree = String::from_utf8(output.stdout).unwrap();
    let package = |line: &str| -> (usize, String) {
        let digits = line.chars().take_while(char::is_ascii_digit).count();
        (line[..digits].parse().unwrap(), line[digits..].split(' ').next().unwrap().to_string())
    };
    tree.lines().filter(|l| l.starts_with(|c: char| c.is_ascii_digit())).map(package).collect()
}

#[test]
fn what_computes_needs_no_interface_no_sql_and_no_system_calls() {
    const FORBIDDEN: &str = "ratatui crossterm termion indicatif clap console rusqlite libsqlite3-sys sqlx rustix nix io-uring \
                             errno mio tokio getrandom signal-hook krilla svg tracing";
    let forbidden: BTreeSet<&str> = FORBIDDEN.split_whitespace().collect();
    for of in COMPUTES {
        let all = tree(of);
        assert!(all.len() > 10 && all.iter().any(|(_, n)| n == "serde"), "{of}: {all:?}");
        let found: Vec<&str> = all.iter().map(|(_, n)| n.as_str()).filter(|n| forbidden.contains(n)).collect();
        assert!(found.is_empty(), "{of} has come to depend on {found:?}");
        // Processor feature detection asks libc on some targets; nothing else may.
        assert!(!all.iter().any(|(depth, n)| *depth == 1 && n == "libc"), "{of} asks libc itself");
    }
}

#[test]
fn no_crate_is_so_large_that_its_rooms_can_t_be_known_and_each_says_what_does_not_live_there() {
    const MAX_LINES: usize = 15_000;
    for member in members(&metadata()) {
        let (name, manifest) = (text(member, "name"), std::path::Path::new(text(member, "manifest_path")));
        let files = common::rust_files(manifest.parent().unwrap());
        let lines: usize = files.iter().map(|f| std::fs::read_to_string(f).unwrap().lines().count()).sum();
        assert!(lines < MAX_LINES, "{name} has {lines} lines");
        let lib = std::fs::read_to_string(manifest.with_file_name("src").join("lib.rs"));
        if let Ok(lib) = lib {
            let opens: String = lib.lines().take_while(|l| l.starts_with("//!")).collect();
            assert!(opens.contains("What does not live here"), "{name} does not say what does not live there");
        }
    }
}

/// The crates with the arrows that say something: what follows from two others is left out.
fn reduced<'v>(arrows: &Arrows<'v>) -> Vec<(&'v str, &'v str)> {
    fn reaches(arrows: &Arrows<'_>, from: &str, to: &str) -> bool {
        arrows[from].iter().any(|next| *next == to || reaches(arrows, next, to))
    }
    let all = arrows.iter().flat_map(|(from, to)| to.iter().map(move |to| (*from, *to)));
    all.filter(|(from, to)| !arrows[from].iter().any(|by| by != to && reaches(arrows, by, to))).collect()
}

/// How many crates lie above at most, one upon another: each stands right beneath what rests on it.
fn depth(arrows: &Arrows<'_>, name: &str) -> usize {
    let above = arrows.iter().filter(|(_, to)| to.contains(name));
    above.map(|(from, _)| depth(arrows, from) + 1).max().unwrap_or(0)
}

/// The crates of the workspace as a drawing: what rests on others stands over them.
fn drawing(arrows: &Arrows<'_>, says: &BTreeMap<&str, &str>) -> String {
    const WIDE: usize = 204;
    const HIGH: usize = 88;
    const GAP: (usize, usize) = (20, 44);
    let mut floors: BTreeMap<usize, Vec<&str>> = BTreeMap::new();
    for name in arrows.keys() {
        floors.entry(depth(arrows, name)).or_default().push(name);
    }
    let most = floors.values().map(Vec::len).max().unwrap();
    let (width, tall) = (most * (WIDE + GAP.0) + GAP.0, floors.len() * (HIGH + GAP.1));
    let mut places = BTreeMap::new();
    for (floor, names) in &floors {
        let left = (width - names.len() * (WIDE + GAP.0) + GAP.0) / 2;
        for (n, name) in names.iter().enumerate() {
            places.insert(*name, (left + n * (WIDE + GAP.0), floor * (HIGH + GAP.1) + GAP.1 / 2));
        }
    }
    let mut svg = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}\" height=\"{tall}\" viewBox=\"0 0 {width} {tall}\" \
         font-family=\"sans-serif\">\n<rect width=\"{width}\" height=\"{tall}\" fill=\"#ffffff\"/>\n"
    );
    for (from, to) in reduced(arrows) {
        let ((x1, y1), (x2, y2)) = (places[from], places[to]);
        let (x1, y1, x2) = (x1 + WIDE / 2, y1 + HIGH, x2 + WIDE / 2);
        svg += &format!(
            "<path d=\"M{x1} {y1}C{x1} {} {x2} {} {x2} {y2}\" fill=\"none\" stroke=\"#8a94a6\" stroke-width=\"1.5\"/>\n\
             <circle cx=\"{x2}\" cy=\"{y2}\" r=\"3\" fill=\"#8a94a6\"/>\n",
            y1 + GAP.1 / 2,
            y2 - GAP.1 / 2
        );
    }
    for (name, (x, y)) in &places {
        svg += &format!(
            "<rect x=\"{x}\" y=\"{y}\" width=\"{WIDE}\" height=\"{HIGH}\" rx=\"6\" fill=\"#f3f5f9\" stroke=\"#3d4a63\"/>\n\
             <text x=\"{}\" y=\"{}\" font-size=\"15\" font-weight=\"600\" fill=\"#1c2536\">{name}</text>\n",
            x + 12,
            y + 22
        );
        for (n, line) in lines(says[*name], 32).iter().take(4).enumerate() {
            let line = line.replace('&', "&amp;");
            svg += &format!("<text x=\"{}\" y=\"{}\" font-size=\"11\" fill=\"#4a566e\">{line}</text>\n", x + 12, y + 38 + n * 14);
        }
    }
    svg + "</svg>\n"
}

fn lines(text: &str, wide: usize) -> Vec<String> {
    let mut lines = vec![String::new()];
    for word in text.split_whitespace() {
        if lines.last().is_some_and(|l| !l.is_empty() && l.len() + word.len() >= wide) {
            lines.push(String::new());
        }
        let last = lines.last_mut().unwrap();
        let gap = if last.is_empty() { "" } else { " " };
        *last += &format!("{gap}{word}");
    }
    lines
}

fn docs(file: &str) -> std::path::PathBuf {
    std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(file)
}

#[test]
fn the_picture_of_the_crates_is_the_one_that_cargo_tells_of() {
    let metadata = metadata();
    let members = members(&metadata);
    let arrows = arrows(&members);
    let says = members.iter().map(|p| (text(p, "name"), text(p, "description"))).collect();
    let (drawn, file) = (drawing(&arrows, &says), docs("docs/crates.svg"));
    if std::env::var_os("JUREX_WRITE_DOCS").is_some() {
        std::fs::write(&file, &drawn).unwrap();
    }
    let there = std::fs::read_to_string(&file).unwrap_or_default();
    assert!(there == drawn, "draw docs/crates.svg anew with JUREX_WRITE_DOCS=1");
}

/// A map that names rooms which are not there leads nowhere.
#[test]
fn the_map_names_rooms_that_are_there_and_fits_a_screen() {
    let map = std::fs::read_to_string(docs("ARCHITECTURE.md")).unwrap();
    let mut named = 0;
    for path in map.split('`').filter(|p| p.contains("/src/") && !p.contains(' ')) {
        let found = docs("crates").join(path.trim_end_matches('*'));
        assert!(found.exists() || docs(path).exists(), "there is no {path}");
        named += 1;
    }
    let long: Vec<&str> = map.lines().filter(|l| l.chars().count() > 120).collect();
    assert!(named > 20 && long.is_empty() && map.lines().count() < 100, "{named} rooms, {long:#?}");
}
