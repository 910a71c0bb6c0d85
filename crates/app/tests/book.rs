//! The documents keep their word: every command that stands in them is run as it is printed, or read by the program's own arguments
//! where it needs hardware or a screen; links lead somewhere; what is made from the program is as the program says.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").canonicalize().unwrap()
}

/// The README, the notes beside it, and every page of the book.
fn pages() -> Vec<PathBuf> {
    let mut found: Vec<PathBuf> = ["README.md", "CONTRIBUTING.md", "SECURITY.md"].iter().map(|f| root().join(f)).collect();
    let mut folders = vec![root().join("docs")];
    while let Some(folder) = folders.pop() {
        for entry in fs::read_dir(folder).unwrap().flatten() {
            match entry.path() {
                path if path.is_dir() => folders.push(path),
                path if path.extension().is_some_and(|e| e == "md") => found.push(path),
                _ => {}
            }
        }
    }
    found.sort();
    assert!(found.len() > 30, "{found:?}");
    found
}

/// Blocks of a page: what stands after the fence, and the lines, without the indentation of a list.
fn blocks(text: &str) -> Vec<(String, Vec<String>)> {
    let mut blocks = vec![];
    let mut open: Option<(usize, String, Vec<String>)> = None;
    for line in text.lines() {
        let indent = line.len() - line.trim_start().len();
        match (&mut open, line.trim_start().strip_prefix("```")) {
            (None, Some(kind)) => open = Some((indent, kind.trim().to_string(), vec![])),
            (Some(_), Some("")) => {
                let (_, kind, lines) = open.take().expect("it is open");
                blocks.push((kind, lines));
            }
            (Some((indent, _, lines)), _) => lines.push(line.get(*indent..).unwrap_or_default().to_string()),
            (None, None) => {}
        }
    }
    assert!(open.is_none(), "a fence is not closed");
    blocks
}

/// A line of a shell as a command of the program: its arguments.
fn arguments_of(line: &str) -> Option<Vec<String>> {
    let line = line.split(" # ").next().unwrap_or_default();
    let words = shlex::split(line)?;
    let words: Vec<String> = words.into_iter().skip_while(|w| w == "sudo").collect();
    match words.first().map(String::as_str) {
        Some("jurex") => Some(words),
        // `cargo run [--release] -- …`
        Some("cargo") if words.get(1).is_some_and(|w| w == "run") => {
            let behind = words.iter().position(|w| w == "--").map_or(words.len(), |at| at + 1);
            Some(std::iter::once("jurex".to_string()).chain(words[behind..].iter().cloned()).collect())
        }
        _ => None,
    }
}

/// Whether the program takes these arguments.
fn is_taken(arguments: &[String], page: &Path) {
    if let Err(e) = jurex::arguments().try_get_matches_from(arguments) {
        let is_help = matches!(e.kind(), clap::error::ErrorKind::DisplayHelp | clap::error::ErrorKind::DisplayVersion);
        assert!(is_help, "{}: {}: {e}", page.display(), arguments.join(" "));
    }
}

/// Commands that need hardware or a screen are marked so, and every option and technique in them is one that the program has.
#[test]
fn commands_that_cannot_be_run_here_are_at_least_taken() {
    let mut read = 0;
    for page in pages() {
        for (kind, lines) in blocks(&fs::read_to_string(&page).unwrap()) {
            for line in &lines {
                let Some(arguments) = arguments_of(line) else { continue };
                assert!(
                    ["sh", "sh hardware", "sh terminal"].contains(&kind.as_str()),
                    "{}: `{line}` stands in a block `{kind}`",
                    page.display()
                );
                if kind != "sh" {
                    is_taken(&arguments, &page);
                    read += 1;
                }
            }
            // A list for nobody's presence: each plan is what would be written after `jurex erase DRIVE`.
            let Some(at) = lines.first().and_then(|head| head.split(',').position(|column| column == "plan")) else { continue };
            for line in &lines[1..] {
                let plan = shlex::split(line.split(',').nth(at).unwrap()).unwrap();
                let fixed = ["jurex", "erase", "DRIVE", "--label-check", "ENDING", "--out", "DIR"].map(String::from);
                is_taken(&[&fixed[..], &plan[..]].concat(), &page);
                read += 1;
            }
        }
    }
    assert!(read > 15, "{read} commands were read: the test does not see them");
}

/// Every other block is run as it is printed, page by page, each page in a folder of its own. A command that does not end with 0 says so
/// beside it: `# exit code 4`.
#[test]
fn commands_are_run_as_they_are_printed() {
    let program = Path::new(env!("CARGO_BIN_EXE_jurex")).parent().unwrap().to_path_buf();
    let path =
        std::env::join_paths(std::iter::once(program).chain(std::env::split_paths(&std::env::var_os("PATH").unwrap()))).unwrap();
    let mut run = 0;
    for page in pages() {
        // Its commands go on with variables of a record: `prove.rs` runs them.
        if page.ends_with("docs/prove-by-hand.md") {
            continue;
        }
        let script: Vec<String> = blocks(&fs::read_to_string(&page).unwrap())
            .into_iter()
            .filter(|(kind, _)| kind == "sh")
            .flat_map(|(_, lines)| lines)
            .map(|line| match line.split_once("# exit code ") {
                Some((command, code)) => format!("code=0; {command} || code=$?; [ \"$code\" -eq {code} ]"),
                None => line,
            })
            .collect();
        if script.is_empty() {
            continue;
        }
        let folder = tempfile::tempdir().unwrap();
        let output = Command::new("bash")
            .args(["-euo", "pipefail", "-c", &script.join("\n")])
            .current_dir(&folder)
            .env("PATH", &path)
            .env("JUREX_HOME", folder.path().join("home"))
            .stdin(std::process::Stdio::null())
            .output()
            .unwrap();
        let said = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        assert!(
            output.status.success(),
            "{}: {}\n{}\n{}",
            page.display(),
            script.join("\n"),
            said(&output.stdout),
            said(&output.stderr)
        );
        run += 1;
    }
    assert!(run > 7, "{run} pages were run");
}

#[test]
fn every_link_leads_somewhere_and_every_page_is_in_the_book() {
    let summary = fs::read_to_string(root().join("docs/SUMMARY.md")).unwrap();
    for page in pages() {
        let text = fs::read_to_string(&page).unwrap();
        for link in text.split("](").skip(1).filter_map(|rest| rest.split_once(')')).map(|(link, _)| link) {
            let target = link.split('#').next().unwrap();
            if target.is_empty() || target.contains("://") || target.contains('\n') {
                continue;
            }
            let there = page.parent().unwrap().join(target);
            assert!(there.exists(), "{} links to {link}", page.display());
        }
        let in_docs = page.strip_prefix(root().join("docs")).ok().filter(|p| !p.ends_with("SUMMARY.md"));
        if let Some(own) = in_docs {
            assert!(summary.contains(&format!("({})", own.display())), "{} is in no part of the book", own.display());
        }
    }
    let readme = fs::read_to_string(root().join("README.md")).unwrap().lines().count();
    assert!(readme <= 150, "the README has {readme} lines");
}

fn is_as_made(file: &str, made: &str) {
    let path = root().join("docs").join(file);
    if std::env::var_os("JUREX_WRITE_DOCS").is_some() {
        fs::write(&path, made).unwrap();
    }
    let there = fs::read_to_string(&path).unwrap_or_default();
    assert!(there == made, "write docs/{file} anew with JUREX_WRITE_DOCS=1");
}

/// Every command with its options, from the program's own arguments.
#[test]
fn the_page_of_commands_is_made_from_the_program() {
    fn add(command: &mut clap::Command, name: &str, page: &mut String) {
        let help = command.render_long_help().to_string();
        let help: Vec<&str> = help.lines().map(str::trim_end).collect();
        page.push_str(&format!("\n## {name}\n\n```text\n{}\n```\n", help.join("\n").trim()));
        let mut inner: Vec<clap::Command> =
            command.get_subcommands().filter(|c| c.get_name() != "help" && !c.is_hide_set()).cloned().collect();
        for one in &mut inner {
            let name = format!("{name} {}", one.get_name());
            *one = one.clone().bin_name(name.clone());
            add(one, &name, page);
        }
    }
    let mut page = "# Commands\n\nMade from the program. Exit codes: 0 done as planned, 1 wrong use, 2 refused, 3 finished but not verified or less \
                    than\nplanned, 4 stopped or the drive went away, 5 a defect in Jurex.\n"
        .to_string();
    add(&mut jurex::arguments().bin_name("jurex").term_width(118), "jurex", &mut page);
    is_as_made("reference/commands.md", &page);
}

/// Every key of the configuration with what it means, from the type that reads it.
#[test]
fn the_page_of_settings_is_made_from_the_program() {
    let source = fs::read_to_string(root().join("crates/station/src/config.rs")).unwrap();
    let fields = source.split("pub struct Config {").nth(1).unwrap().split("\n}").next().unwrap();
    let mut rows = String::new();
    let (mut about, mut renamed) = (vec![], None);
    for line in fields.lines().map(str::trim) {
        if let Some(words) = line.strip_prefix("/// ") {
            about.push(words);
        } else if let Some(rest) = line.strip_prefix("#[serde(rename = \"") {
            renamed = rest.split('"').next();
        } else if let Some(name) = line.strip_prefix("pub ").and_then(|rest| rest.split(':').next()) {
            rows += &format!("| `{}` | {} |\n", renamed.take().unwrap_or(name), about.join(" ").replace('|', "\\|"));
            about.clear();
        }
    }
    assert!(rows.lines().count() > 20, "{rows}");
    let page = format!(
        "# Settings\n\nMade from the program. They stand in `config.toml` of the configuration's folder (`$XDG_CONFIG_HOME/jurex`, or\n\
         `$JUREX_HOME`); all may be left out. F4 changes most of them in place. A path that is not absolute is beside the file.\n\n\
         | key | what it means |\n|---|---|\n{rows}"
    );
    is_as_made("reference/settings.md", &page);
}
