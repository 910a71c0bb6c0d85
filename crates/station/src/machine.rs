//! The machine that a start medium has started: what was found at the start, and what a person can ask of it. Only a Jurex that runs
//! from a medium has one.

use crate::exit::Failure;
use jiff::Timestamp;
use jurex_pattern::text::printable;
use serde::Deserialize;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// Names the file that the medium's first process has written.
const FACTS: &str = "JUREX_MEDIUM";
/// Names the program that does what is asked of the machine.
const HELPER: &str = "JUREX_MACHINE";

/// The layout and the zone where nobody asks for another.
pub const USUAL_KEYBOARD: &str = "us";
/// See [`USUAL_KEYBOARD`].
pub const USUAL_ZONE: &str = "UTC";

/// What was found at the start.
#[derive(Clone, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields, default)]
struct Facts {
    /// The drive that the machine was started from; empty: from the network, or it is gone.
    medium: String,
    /// Where records are kept; empty: in memory.
    data: String,
    /// Its file system.
    data_kind: String,
    /// When the medium was made, in seconds since 1970.
    made: i64,
    /// The keyboard layout that was set at the start; empty: the usual one.
    keyboard: String,
    /// The zone that was set at the start; empty: the usual one.
    zone: String,
    /// What is to be said of it, each a sentence.
    notes: Vec<String>,
}

/// The machine.
#[derive(Clone, Debug)]
pub struct Machine {
    facts: Facts,
    helper: PathBuf,
}

/// What can be asked of it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Ask {
    /// Another keyboard layout, by its name.
    Keyboard(String),
    /// Another zone, by its name.
    Zone(String),
    /// Another time, as 2026-11-26 15:04.
    Clock(String),
    /// To sleep and to wake up again: drives that firmware has frozen are thawed by it, where it takes part.
    Sleep,
    /// To copy all records to this volume.
    Carry(String),
    SwitchOff,
    Restart,
}

impl Ask {
    fn words(&self) -> Vec<&str> {
        match self {
            Ask::Keyboard(name) => vec!["keyboard", name],
            Ask::Zone(name) => vec!["zone", name],
            Ask::Clock(time) => vec!["clock", time],
            Ask::Sleep => vec!["sleep"],
            Ask::Carry(device) => vec!["carry", device],
            Ask::SwitchOff => vec!["power-off"],
            Ask::Restart => vec!["restart"],
        }
    }
}

/// A volume that records can be carried to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CarryVolume {
    pub device: String,
    pub label: String,
    pub kind: String,
}

impl Machine {
    /// The machine, if this Jurex was started by a medium.
    ///
    /// # Errors
    /// The medium's own file can't be read: nobody knows then what is the medium.
    pub fn find() -> Result<Option<Self>, Failure> {
        let Some(facts) = std::env::var_os(FACTS).filter(|f| !f.is_empty()) else { return Ok(None) };
        let helper = std::env::var_os(HELPER).unwrap_or_else(|| "machine".into());
        Self::of(Path::new(&facts), helper.into()).map(Some)
    }

    fn of(facts: &Path, helper: PathBuf) -> Result<Self, Failure> {
        let shown = facts.display();
        let wrong = |why: String| Failure::Use(format!("what the start medium has found can't be read ({shown}: {why})"));
        let text = std::fs::read_to_string(facts).map_err(|e| wrong(e.to_string()))?;
        let facts = toml::from_str(&text).map_err(|e| wrong(e.to_string()))?;
        Ok(Self { facts, helper })
    }

    /// Whether records are kept where they outlast this run.
    pub fn keeps(&self) -> bool {
        !self.facts.data.is_empty()
    }

    /// The device that it was started from, if that is known.
    pub fn medium(&self) -> Option<String> {
        Some(self.facts.medium.clone()).filter(|m| !m.is_empty())
    }

    /// Where it was started from, in words.
    pub fn started_from(&self) -> String {
        if self.facts.medium.is_empty() { "the network, or a medium that is gone".into() } else { self.facts.medium.clone() }
    }

    /// Where records are kept, in words.
    pub fn keeps_in(&self) -> String {
        if self.keeps() {
            format!("{} ({})", self.facts.data, self.facts.data_kind)
        } else {
            "memory alone: they are lost when it is switched off".into()
        }
    }

    /// What is to be said of the start, and of its clock; `newest` is the time of the newest thing in the ledger.
    pub fn notes(&self, now: Timestamp, newest: Option<Timestamp>) -> Vec<String> {
        let made = Timestamp::from_second(self.facts.made).unwrap_or_default();
        self.facts.notes.iter().cloned().chain(doubt_of_clock(now, made, newest)).collect()
    }

    /// Asks something of it; gives what it says.
    ///
    /// # Errors
    /// It could not: what it says.
    pub fn ask(&self, ask: &Ask) -> Result<String, String> {
        self.run(&ask.words())
    }

    /// Notes that it has done that: what was set at the start is so no more.
    pub fn has_done(&mut self, ask: &Ask) {
        match ask {
            Ask::Keyboard(name) => self.facts.keyboard.clone_from(name),
            Ask::Zone(name) => self.facts.zone.clone_from(name),
            _ => {}
        }
    }

    /// The keyboard layout as it is, whether the start's menu or the settings asked for it.
    pub fn keyboard(&self) -> &str {
        if self.facts.keyboard.is_empty() { USUAL_KEYBOARD } else { &self.facts.keyboard }
    }

    /// The zone as it is.
    pub fn zone(&self) -> &str {
        if self.facts.zone.is_empty() { USUAL_ZONE } else { &self.facts.zone }
    }

    /// The keyboard layouts that are there.
    pub fn keyboards(&self) -> Vec<String> {
        let told = self.run(&["keyboard"]).unwrap_or_default();
        told.split_whitespace().map(String::from).collect()
    }

    /// The volumes that records can be carried to.
    pub fn volumes(&self) -> Vec<CarryVolume> {
        let told = self.run(&["volumes"]).unwrap_or_default();
        let one = |line: &str| {
            let mut parts = line.split('\t').map(String::from);
            Some(CarryVolume { device: parts.next()?, label: parts.next()?, kind: parts.next()? })
        };
        told.lines().filter_map(one).collect()
    }

    fn run(&self, words: &[&str]) -> Result<String, String> {
        let done = Command::new(&self.helper).args(words).stdin(Stdio::null()).output();
        let output = done.map_err(|e| format!("{} can't be run: {e}", self.helper.display()))?;
        let lines: Vec<String> = String::from_utf8_lossy(&output.stdout).lines().map(shown).collect();
        let said = lines.join("\n");
        match output.status.success() {
            true => Ok(said),
            false if said.trim().is_empty() => Err(format!("{} ended with {}", self.helper.display(), output.status)),
            false => Err(said),
        }
    }

    #[cfg(any(test, feature = "testing"))]
    pub fn for_tests(data: &str, notes: &[&str]) -> Self {
        let notes = notes.iter().map(ToString::to_string).collect();
        let facts = Facts { medium: "/dev/sdz".into(), data: data.into(), data_kind: "ext4".into(), notes, ..Facts::default() };
        Self { facts, helper: "/nonexistent/machine".into() }
    }
}

/// A line of the helper, but for the tabs that part its words.
fn shown(line: &str) -> String {
    line.split('\t').map(|part| printable(part.as_bytes())).collect::<Vec<_>>().join("\t")
}

/// Why a clock can't be right, if it can't: it is before the program was made, before the newest thing that the ledger holds, or far beyond
/// any use of this medium.
pub fn doubt_of_clock(now: Timestamp, made: Timestamp, newest: Option<Timestamp>) -> Option<String> {
    const YEARS: i64 = 20;
    let said = |why: &str| {
        Some(format!(
            "The clock says {}, and that is plainly wrong: {why}. Set it before anything is signed: every record carries its time.",
            now.strftime("%Y-%m-%d %H:%M UTC")
        ))
    };
    if now < made {
        return said("this medium was made later");
    }
    if now.as_second() - made.as_second() > YEARS * 365 * 86_400 {
        return said("it is many years after this medium was made");
    }
    // Clocks are corrected by a little all the time.
    newest.filter(|newest| now.as_second() + 120 < newest.as_second()).and_then(|_| said("the ledger holds something newer"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::os::unix::fs::PermissionsExt;

    fn helper(folder: &Path, script: &str) -> PathBuf {
        let path = folder.join("helper");
        std::fs::write(&path, format!("#!/bin/sh\n{script}\n")).unwrap();
        std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o755)).unwrap();
        path
    }

    #[test]
    fn what_the_first_process_wrote_is_read_and_the_helper_is_asked() {
        let dir = tempfile::tempdir().unwrap();
        let facts = dir.path().join("medium.toml");
        let text = "medium = \"/dev/sdc\"\ndata = \"\"\ndata_kind = \"\"\nmade = 1795706726\nkeyboard = \"de\"\nnotes = [\n  \"No data partition was found.\",\n]\n";
        std::fs::write(&facts, text).unwrap();
        let script = "case $1 in volumes) printf '/dev/sdd1\\tCARRY\\tvfat\\n' ;; keyboard) echo us; echo de ;; sleep) echo 'No S3.'; exit 1 ;; *) echo \"$@\" ;; esac";
        let mut machine = Machine::of(&facts, helper(dir.path(), script)).unwrap();
        assert_eq!((machine.keyboard(), machine.zone()), ("de", "UTC"));
        machine.has_done(&Ask::Keyboard("fr".into()));
        machine.has_done(&Ask::Zone("Europe/Lisbon".into()));
        assert_eq!((machine.keyboard(), machine.zone()), ("fr", "Europe/Lisbon"));
        assert!(!machine.keeps() && machine.keeps_in().contains("memory alone"));
        let now = Timestamp::from_second(1_795_800_000).unwrap();
        assert_eq!(machine.notes(now, None), ["No data partition was found."]);
        assert_eq!(machine.volumes(), [CarryVolume { device: "/dev/sdd1".into(), label: "CARRY".into(), kind: "vfat".into() }]);
        assert_eq!(machine.keyboards(), ["us", "de"]);
        assert_eq!(machine.ask(&Ask::Sleep), Err("No S3.".into()));
        assert_eq!(machine.ask(&Ask::Clock("2026-11-26 15:04".into())), Ok("clock 2026-11-26 15:04".into()));
        std::fs::write(&facts, "medium = \"/dev/sdc\"\ncolour = 1\n").unwrap();
        assert!(Machine::of(&facts, "x".into()).is_err(), "what is not understood is not passed over");
    }

    #[test]
    fn a_clock_that_can_t_be_right_is_told() {
        let at = |second: i64| Timestamp::from_second(second).unwrap();
        let made = at(1_795_000_000);
        assert_eq!(doubt_of_clock(at(1_795_000_500), made, Some(at(1_795_000_400))), None);
        for (now, newest, why) in [
            (at(946_684_800), None, "made later"),
            (at(1_795_000_500), Some(at(1_795_900_000)), "something newer"),
            (at(4_000_000_000), None, "many years"),
        ] {
            let said = doubt_of_clock(now, made, newest).unwrap();
            assert!(said.contains(why), "{said}");
        }
    }
}
