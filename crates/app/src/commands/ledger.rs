//! `jurex ledger`: whether it is as it was written, and its head.

use super::{say, say_json};
use crate::cli::{LedgerArgs, LedgerCheck, LedgerDo, LedgerList};
use crate::exit::Failure;
use crate::places::Places;
use jurex_core::text::{printable, shown_path};
use jurex_core::units::counted;
use jurex_ledger::{Entry, Head, Ledger, LedgerError};
use jurex_sign::{KeyStore, PublicKey, SignedHead};
use serde_json::json;
use std::process::ExitCode;

pub(crate) fn run(asked: &LedgerArgs) -> Result<ExitCode, Failure> {
    match &asked.what {
        LedgerDo::Check(check) => self::check(check),
        LedgerDo::Head => head(),
        LedgerDo::List(list) => self::list(list),
        LedgerDo::Backup(to) => {
            open(&Places::find()?)?.backup(&to.file)?;
            say(&format!("The ledger is copied to {}, its entries and heads with it.", shown_path(&to.file)));
            Ok(ExitCode::SUCCESS)
        }
        LedgerDo::Show(later) => super::later_command("ledger show", &later.rest),
        LedgerDo::Find(later) => super::later_command("ledger find", &later.rest),
        LedgerDo::Export(later) => super::later_command("ledger export", &later.rest),
    }
}

fn open(places: &Places) -> Result<Ledger, Failure> {
    let path = places.ledger();
    if !path.exists() {
        return Err(Failure::Use(format!("there is no ledger yet ({})", shown_path(&path))));
    }
    Ok(Ledger::open(&path)?)
}

/// The newest jobs; of one whose record can't be believed it is said why.
fn list(asked: &LedgerList) -> Result<ExitCode, Failure> {
    let ledger = open(&Places::find()?)?;
    let mut all = vec![];
    for entry in ledger.newest(asked.most)? {
        let (outcome, lot) = match ledger.record(&entry.job) {
            Ok(record) => (record.claim().outcome().to_string(), record.papers().lot.clone()),
            Err(LedgerError::NeverEnded { .. }) => ("never ended".into(), String::new()),
            Err(e) => (format!("not to be believed: {e}"), String::new()),
        };
        all.push((entry, outcome, printable(lot.as_bytes())));
    }
    if asked.json {
        let one = |(entry, outcome, lot): &(Entry, String, String)| json!({ "job": entry.job, "drive": entry.drive, "started": entry.started, "outcome": outcome, "lot": lot });
        say_json(&json!({ "jobs": all.iter().map(one).collect::<Vec<_>>() }));
        return Ok(ExitCode::SUCCESS);
    }
    if all.is_empty() {
        say("There is no job in the ledger.");
    }
    for (entry, outcome, lot) in &all {
        let lot = if lot.is_empty() { String::new() } else { format!(", lot {lot}") };
        say(&format!("{}  {}  {}: {outcome}{lot}", entry.job, entry.started, printable(entry.drive.as_bytes())));
    }
    Ok(ExitCode::SUCCESS)
}

/// The newest head that was signed.
fn head() -> Result<ExitCode, Failure> {
    let heads = open(&Places::find()?)?.heads()?;
    let newest = heads.into_iter().rev().find_map(|h| h.note);
    let note = newest.ok_or_else(|| {
        let why = "no head of the ledger was signed yet: with a key (jurex keys new) one is signed after each record";
        Failure::Less(why.into())
    })?;
    // The very bytes: whoever keeps them keeps a signed note.
    print!("{note}");
    Ok(ExitCode::SUCCESS)
}

fn check(asked: &LedgerCheck) -> Result<ExitCode, Failure> {
    let places = Places::find()?;
    let known: Vec<PublicKey> = KeyStore::new(&places.keys()).known()?.into_iter().map(|(_, key)| key).collect();
    let ledger = open(&places)?;
    let (mut heads, mut wrong, mut signed) = (vec![], vec![], 0u64);
    for kept in ledger.heads()? {
        match kept.note.as_deref().map(|note| checked_head(note, &known)) {
            Some(Ok(head)) if head == kept.head => {
                signed += 1;
                heads.push(head);
            }
            Some(Ok(_)) => wrong.push(format!("The head of {} entries is not the one that was signed.", kept.head.size)),
            Some(Err(why)) => wrong.push(format!("The head of {} entries: {why}.", kept.head.size)),
            None => heads.push(kept.head),
        }
    }
    if let Some(file) = &asked.since {
        let text = std::fs::read_to_string(file);
        let text = text.map_err(|e| Failure::Use(format!("cannot read the head {}: {e}", shown_path(file))))?;
        match checked_head(&text, &known) {
            Ok(head) => heads.push(head),
            Err(why) => return Err(Failure::Less(format!("{}: {why}", shown_path(file)))),
        }
    }
    let checked = ledger.check_chain(&heads)?;
    wrong.extend(checked.wrong);
    let entries = if checked.leaves == 1 { "1 entry".to_string() } else { format!("{} entries", checked.leaves) };
    if wrong.is_empty() {
        say(&format!("The ledger is as it was written: {entries}, {} signed.", counted(signed, "head")));
        if signed == 0 {
            say("  but      no head of it is signed: whoever can write the file could have written all of it anew");
        }
        if let Some(file) = &asked.since {
            say(&format!("  since    nothing was changed or taken away since {}", shown_path(file)));
        }
        return Ok(ExitCode::SUCCESS);
    }
    say(&format!("The ledger was touched ({entries}):"));
    wrong.iter().for_each(|sentence| say(&format!("✕ {}", printable(sentence.as_bytes()))));
    Ok(ExitCode::from(3))
}

/// The head that a note signs, if its signature is by a key that is known here.
fn checked_head(note: &str, known: &[PublicKey]) -> Result<Head, String> {
    let head = SignedHead::parse(note).map_err(|e| e.to_string())?;
    let id = printable(head.key_id().as_bytes());
    let key = known.iter().find(|k| k.id() == head.key_id());
    let key = key.ok_or_else(|| format!("it is signed by key {id}, which is not known here"))?;
    head.check(key).map_err(|e| e.to_string())?;
    Ok(Head { size: head.size, root: head.root })
}
