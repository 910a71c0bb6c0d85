//! `jurex check FILE…`: whether what a file says can be believed, and what it says.

use super::say;
use crate::cli::Check;
use crate::exit::Failure;
use crate::places::Places;
use jurex_core::proof::VerificationRecord;
use jurex_core::record::{BadRecord, Record};
use jurex_core::text::{printable, shown_path};
use jurex_core::units::size;
use jurex_report::{NoAttachment, attached, is_as_printed};
use jurex_sign::{KeyStore, PublicKey, Signed};
use std::process::ExitCode;

/// What came of looking at one file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Held {
    /// Everything that could be checked holds.
    Good,
    /// Something could not be checked.
    Unchecked,
    /// Something is altered or contradicts itself.
    Altered,
}

/// The sentences about a file, and what they come to.
struct Found {
    held: Held,
    lines: Vec<String>,
}

impl Found {
    fn new() -> Self {
        Self { held: Held::Good, lines: vec![] }
    }

    fn good(&mut self, what: &str, said: &str) {
        self.lines.push(format!("  {what:<10} {said}"));
    }

    fn note(&mut self, held: Held, what: &str, said: &str) {
        self.held = self.held.max(held);
        self.lines.push(format!("✕ {what:<10} {said}"));
    }
}

pub(crate) fn run(asked: &Check) -> Result<ExitCode, Failure> {
    let mut known = KeyStore::new(&Places::find()?.keys()).known()?;
    for file in &asked.key {
        let text = std::fs::read_to_string(file);
        let text = text.map_err(|e| Failure::Use(format!("cannot read the key {}: {e}", shown_path(file))))?;
        let key = PublicKey::parse(&text).map_err(|e| Failure::Use(format!("{}: {e}", shown_path(file))))?;
        known.push((shown_path(file), key));
    }
    let mut worst = Held::Good;
    for file in &asked.file {
        let bytes = std::fs::read(file).map_err(|e| Failure::Use(format!("cannot read {}: {e}", shown_path(file))))?;
        let found = look(&bytes, &known);
        let word = match found.held {
            Held::Good => "good",
            Held::Unchecked => "not all of it could be checked",
            Held::Altered => "altered, or it contradicts itself",
        };
        say(&format!("{}: {word}", shown_path(file)));
        found.lines.iter().for_each(|line| say(line));
        worst = worst.max(found.held);
    }
    Ok(if worst == Held::Good { ExitCode::SUCCESS } else { ExitCode::from(3) })
}

fn look(bytes: &[u8], known: &[(String, PublicKey)]) -> Found {
    let mut found = Found::new();
    if bytes.starts_with(b"%PDF-") {
        paper(bytes, &mut found);
        return found;
    }
    let Ok(text) = std::str::from_utf8(bytes) else {
        found.note(Held::Altered, "file", "it is no text, and no certificate of Jurex");
        return found;
    };
    if text.trim_start().starts_with("{\"payload\"") || text.contains("\"signature\"") && text.contains("\"protected\"") {
        signed(text, known, &mut found);
    } else if record(text, &mut found).is_some() {
        found.good("signature", "none: anybody could have made it. The signed record beside it tells who vouches for it");
    }
    found
}

/// A certificate or report: its record, and whether the paper is what is printed of it.
fn paper(bytes: &[u8], found: &mut Found) {
    let text = match attached(bytes) {
        Ok(text) => text,
        Err(why @ NoAttachment::None) => return found.note(Held::Unchecked, "paper", &why.to_string()),
        Err(why @ NoAttachment::Damaged) => return found.note(Held::Altered, "paper", &why.to_string()),
    };
    let Some(record) = record(&text, found) else { return };
    if is_as_printed(bytes, &record) {
        found.good("paper", "to the byte what this version prints of the record that is attached to it");
    } else if record.tool.version == env!("CARGO_PKG_VERSION") {
        found.note(
            Held::Altered,
            "paper",
            "it is not what is printed of the record that is attached to it: the paper has been altered",
        );
    } else {
        let said = format!(
            "it was printed by version {} of Jurex, which this is not: only the record that is attached to it could be checked",
            printable(record.tool.version.as_bytes())
        );
        found.note(Held::Unchecked, "paper", &said);
    }
    found.good("signature", "none: anybody could have made it. The signed record beside it tells who vouches for it");
}

/// A signed file: the signature, and what is under it.
fn signed(text: &str, known: &[(String, PublicKey)], found: &mut Found) {
    let signed = match Signed::parse(text) {
        Ok(signed) => signed,
        Err(why) => return found.note(Held::Altered, "signature", &why.to_string()),
    };
    let id = printable(signed.key_id().as_bytes());
    match known.iter().find(|(_, key)| key.id() == signed.key_id()) {
        None => {
            let said = format!(
                "by key {id}, which is not known here: nobody can say whether the text is as it was signed. Ask whoever signed it for the public key, and name it with --key, or trust it (jurex keys trust)"
            );
            found.note(Held::Unchecked, "signature", &said);
        }
        Some((name, key)) => match signed.check(key) {
            Ok(_) => found.good("signature", &format!("right, by key {id} ({name})")),
            Err(why) => return found.note(Held::Altered, "signature", &why.to_string()),
        },
    }
    record(signed.unchecked(), found);
}

/// A record, or a verification record, by itself.
fn record(text: &str, found: &mut Found) -> Option<Record> {
    if text.contains("\"jurex-verification/") {
        verification(text, found);
        return None;
    }
    let record = match Record::from_json(text) {
        Ok(record) => record,
        Err(why) => {
            let held = match why {
                BadRecord::OtherFormat(_) | BadRecord::OtherRules(_) => Held::Unchecked,
                BadRecord::NotARecord(_)
                | BadRecord::Unsound(_)
                | BadRecord::OtherJob(_)
                | BadRecord::ClaimDoesNotFollow { .. } => Held::Altered,
            };
            found.note(held, "record", &why.to_string());
            return None;
        }
    };
    if record.to_json() != text.trim_end() {
        found.note(
            Held::Altered,
            "record",
            "it is not in the canonical form in which records are written: a byte of it has been changed",
        );
    }
    let evidence = record.evidence();
    let drive = evidence.drive();
    found.good("job", &format!("{}, ended {}", record.job, record.ended));
    found.good(
        "drive",
        &format!("{} (serial {}), {}", drive.called(), drive.unit.serial().unwrap_or("none"), size(evidence.geometry().bytes())),
    );
    found.good("outcome", &format!("{}, which follows from its evidence by {}", record.claim().outcome(), record.rule_set()));
    record.claim().reasons().iter().for_each(|r| found.good("because", &r.sentence));
    record.claim().limits().iter().for_each(|r| found.good("but", &r.sentence));
    found.good("proof", &record.confidence());
    evidence.size().iter().for_each(|size| found.good("size", &size.sentence()));
    record.other_rules().iter().for_each(|said| found.good("rules", said));
    let people = record.papers();
    if !people.technician.name.is_empty() {
        found.good("by", &printable(people.technician.name.as_bytes()));
    }
    found.good("digest", &record.digest());
    Some(record)
}

fn verification(text: &str, found: &mut Found) {
    match VerificationRecord::from_json(text) {
        Err(why) => found.note(Held::Altered, "record", &why.to_string()),
        Ok(record) => {
            if record.to_json() != text.trim_end() {
                found.note(Held::Altered, "record", "it is not in the canonical form: a byte of it has been changed");
            }
            found.good("finding", &record.finding().to_string());
            record.look.of.iter().for_each(|of| found.good("of", &format!("job {}, its record's digest {}", of.job, of.digest)));
            record.sentences().iter().for_each(|s| found.good("found", s));
        }
    }
}
