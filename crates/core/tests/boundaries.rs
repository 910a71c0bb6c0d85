//! The dependency arrows of ARCHITECTURE.md, checked against what cargo would build.

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

#[test]
fn the_arrows_between_the_crates_are_the_allowed_ones() {
    let metadata = metadata();
    let packages = metadata["packages"].as_array().unwrap();
    let members: Vec<&Value> = packages.iter().filter(|p| p["source"].is_null()).collect();
    let names: BTreeSet<&str> = members.iter().map(|p| text(p, "name")).collect();
    let arrows: BTreeMap<&str, BTreeSet<&str>> = members
        .iter()
        .map(|p| {
            let normal = p["dependencies"].as_array().unwrap().iter().filter(|d| d["kind"].is_null());
            (text(p, "name"), normal.map(|d| text(d, "name")).filter(|n| names.contains(n)).collect())
        })
        .collect();
    const EDGES: [&str; 7] =
        ["jurex-core", "jurex-ledger", "jurex-linux", "jurex-notice", "jurex-report", "jurex-sign", "jurex-sim"];
    let core = BTreeSet::from(["jurex-core"]);
    let expected = BTreeMap::from([
        (
            "jurex",
            BTreeSet::from([
                "jurex-core",
                "jurex-ledger",
                "jurex-linux",
                "jurex-report",
                "jurex-sign",
                "jurex-sim",
                "jurex-station",
                "jurex-tui",
            ]),
        ),
        ("jurex-station", BTreeSet::from(EDGES)),
        ("jurex-tui", EDGES.into_iter().chain(["jurex-station"]).collect()),
        ("jurex-core", BTreeSet::from(["jurex-fill"])),
        ("jurex-fill", BTreeSet::new()),
        ("jurex-ledger", core.clone()),
        ("jurex-notice", BTreeSet::new()),
        ("jurex-pages", BTreeSet::from(["jurex"])),
        ("jurex-linux", core.clone()),
        ("jurex-report", core.clone()),
        ("jurex-sign", BTreeSet::new()),
        ("jurex-sim", core),
    ]);
    assert_eq!(arrows, expected);
}

#[test]
fn core_needs_no_interface_no_sql_and_no_system_calls() {
    // By itself: features that other crates of the workspace turn on in what they share are not core's.
    let arguments = ["tree", "--offline", "--package", "jurex-core", "--edges", "normal", "--prefix", "depth"];
    let output = Command::new(env!("CARGO")).args(arguments).output().unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let tree = String::from_utf8(output.stdout).unwrap();
    let package = |line: &str| -> (usize, String) {
        let digits = line.chars().take_while(char::is_ascii_digit).count();
        (line[..digits].parse().unwrap(), line[digits..].split(' ').next().unwrap().to_string())
    };
    let all: Vec<(usize, String)> = tree.lines().filter(|l| l.starts_with(|c: char| c.is_ascii_digit())).map(package).collect();
    assert!(all.len() > 20 && all.iter().any(|(_, n)| n == "serde"), "{tree}");
    let forbidden = [
        "ratatui",
        "crossterm",
        "termion",
        "indicatif",
        "clap",
        "console",
        "rusqlite",
        "libsqlite3-sys",
        "sqlx",
        "rustix",
        "nix",
        "io-uring",
        "errno",
        "mio",
        "tokio",
        "getrandom",
        "signal-hook",
        "krilla",
        "svg",
        "tracing",
    ];
    let found: Vec<&str> = all.iter().map(|(_, n)| n.as_str()).filter(|n| forbidden.contains(n)).collect();
    assert!(found.is_empty(), "jurex-core has come to depend on {found:?}");
    // Processor feature detection asks libc on some targets; nothing else may.
    assert!(!all.iter().any(|(depth, n)| *depth == 1 && n == "libc"));
}
