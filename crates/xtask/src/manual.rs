//! The manual's pages: what the arguments say, and the sections that a manual has beside them.

use std::fmt::Write as _;
use std::path::Path;

/// Exit codes, the same for every command.
const CODES: [(u8, &str); 6] = [
    (0, "Done as planned."),
    (1, "Wrong use or configuration: what is wrong, and the right form, are said."),
    (2, "Refused: the drive is in use, or the label is another one. Nothing was written."),
    (3, "Finished, but not verified or less than planned; or the ledger holds the record and its files could not be written."),
    (4, "Stopped, or the drive went away: the job can be resumed."),
    (5, "A defect in Jurex."),
];

const FILES: [(&str, &str); 5] = [
    ("$XDG_DATA_HOME/jurex/ledger.sqlite3", "The ledger: records of all jobs, lots, and what became of drives."),
    ("$XDG_DATA_HOME/jurex/keys", "Keys that sign, and those of others that are trusted."),
    ("$XDG_CONFIG_HOME/jurex/config.toml", "The settings."),
    ("$XDG_CONFIG_HOME/jurex/certificate.toml", "How the organisation's papers look."),
    ("$XDG_STATE_HOME/jurex/jurex.log", "The log of the interface."),
];

const ENVIRONMENT: [(&str, &str); 3] = [
    ("JUREX_HOME", "Puts data, settings and log into one folder."),
    ("JUREX_IO", "threads: drives are worked by threads, without the kernel's queue (io_uring)."),
    ("TZ", "The time zone of the times that are shown and printed beside universal time."),
];

/// Examples by command: `jurex` itself first.
pub(crate) const EXAMPLES: [(&str, &str, &str); 27] = [
    ("jurex", "jurex demo", "The demonstration, with its guided tour: no drive is opened."),
    ("jurex", "jurex drives", "Every drive of this machine, and whether it may be erased."),
    ("jurex-demo", "jurex demo --unattended --out certificates", "The whole made-up lot with no screen."),
    ("jurex-drives", "jurex drives --json", "The same as one JSON document."),
    ("jurex-look", "jurex look /dev/sdX --beacon 60", "Its light blinks for a minute."),
    ("jurex-plan", "jurex plan /dev/sdX --sensitivity low --reuse yes --leaves no", "What is required, and what reaches it."),
    ("jurex-methods", "jurex methods zeros", "One method, its passes and its document."),
    (
        "jurex-erase",
        "jurex erase /dev/sdX --method zeros --label-check ENDING --out certificates",
        "Overwrites it, and verifies that.",
    ),
    (
        "jurex-erase",
        "jurex erase /dev/sdX --technique sanitize-block --label-check ENDING --out certificates",
        "It erases itself.",
    ),
    ("jurex-erase", "jurex erase /dev/sdX --resume --label-check ENDING --out certificates", "Resumes what was cut short."),
    (
        "jurex-start-medium",
        "jurex start-medium jurex.iso /dev/sdX --label-check ENDING",
        "A stick that starts a computer into Jurex.",
    ),
    ("jurex-unattended", "jurex unattended drives.csv --out certificates", "The drives of a list, and no others."),
    ("jurex-unlock", "jurex unlock /dev/sdX", "Takes the password of a broken-off erasure away."),
    ("jurex-certificate", "jurex certificate --lot BW-0417 --out certificates", "One paper for a whole lot."),
    ("jurex-prove", "jurex prove /dev/sdX --record JOB.record.json --verify sampled --out certificates", "A second check."),
    ("jurex-residue", "jurex residue /dev/sdX --sampled", "Two thousand places, in seconds."),
    ("jurex-keys", "jurex keys new --name Bench", "A key that signs from then on."),
    ("jurex-check", "jurex check JOB.certificate.pdf", "Whether a paper can be believed."),
    ("jurex-ledger", "jurex ledger find outcome:Clear date:2026-11", "What reached Clear in that month."),
    ("jurex-schema", "jurex schema record", "The JSON Schema of records."),
    ("jurex-notice", "jurex notice test", "Whether notices go out."),
    ("jurex-lot", "jurex lot import BW-0417 list.csv", "Takes a sender's list in."),
    ("jurex-release", "jurex release /dev/sdX --as stored --place 'Shelf 4'", "Where it is now."),
    ("jurex-label", "jurex label --lot BW-0417 --size a4-24 --out labels", "A sheet of labels."),
    ("jurex-files", "jurex files letters --plan", "What would be lost, and what may be hoped for."),
    ("jurex-where", "jurex where FM20", "Where the drives of such a serial are."),
    ("jurex-free", "jurex free /home --plan", "What filling its free space would reach."),
];

/// A backslash and a dot at the beginning of a line mean something to the manual's formatter.
fn plain(text: &str) -> String {
    text.replace('\\', "\\e").replace('-', "\\-")
}

fn section(name: &str, entries: &[(String, &str)]) -> String {
    let mut text = format!(".SH {name}\n");
    for (term, about) in entries {
        let _ = writeln!(text, ".TP\n\\fB{}\\fR\n{}", plain(term), plain(about));
    }
    text
}

/// What follows the arguments on the page of that name.
fn sections(page: &str) -> String {
    let codes = CODES.map(|(code, about)| (code.to_string(), about));
    let files = FILES.map(|(file, about)| (file.to_string(), about));
    let environment = ENVIRONMENT.map(|(name, about)| (name.to_string(), about));
    let examples: Vec<(String, &str)> =
        EXAMPLES.iter().filter(|(of, ..)| *of == page).map(|(_, command, about)| ((*command).to_string(), *about)).collect();
    let mut text = section("\"EXIT STATUS\"", &codes) + &section("FILES", &files) + &section("ENVIRONMENT", &environment);
    if !examples.is_empty() {
        text += &section("EXAMPLES", &examples);
    }
    text
}

/// Writes every page.
///
/// # Errors
/// A file that can't be written.
pub(crate) fn write(folder: &Path) -> std::io::Result<()> {
    std::fs::create_dir_all(folder)?;
    clap_mangen::generate_to(jurex::arguments(), folder)?;
    for page in std::fs::read_dir(folder)?.flatten().map(|entry| entry.path()) {
        let name = page.file_stem().unwrap_or_default().to_string_lossy().into_owned();
        let text = std::fs::read_to_string(&page)?;
        // Before the last section of the program's own, which names its version.
        let (before, version) = text.split_at(text.find(".SH VERSION").unwrap_or(text.len()));
        std::fs::write(&page, format!("{before}{}{version}", sections(&name)))?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_page_has_its_sections_and_every_example_is_one_that_the_program_takes() {
        let folder = tempfile::tempdir().unwrap();
        write(folder.path()).unwrap();
        for command in jurex::arguments().get_subcommands().filter(|c| c.get_name() != "help") {
            let page = std::fs::read_to_string(folder.path().join(format!("jurex-{}.1", command.get_name()))).unwrap();
            for heading in ["EXIT STATUS", "FILES", "ENVIRONMENT", "EXAMPLES"] {
                assert_eq!(
                    page.matches(&format!(".SH {heading}\n")).count() + page.matches(&format!(".SH \"{heading}\"")).count(),
                    1,
                    "{heading} of {}",
                    command.get_name()
                );
            }
        }
        for (_, example, _) in EXAMPLES {
            let words = example.replace("'Shelf 4'", "Shelf");
            jurex::arguments().try_get_matches_from(words.split(' ')).unwrap_or_else(|e| panic!("{example}: {e}"));
        }
    }
}
