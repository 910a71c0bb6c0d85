//! `jurex ledger`: whether it is as it was written, and its head.

use super::say;
use crate::cli::{LedgerArgs, LedgerCheck, LedgerDo};
use crate::exit::Failure;
use crate::places::Places;
use jurex_core::text::{printable, shown_path};
use jurex_core::units::counted;
use jurex_ledger::{Head, Ledger};
use jurex_sign::{KeyStore, PublicKey, SignedHead};
use std::process::ExitCode;

pub(crate) fn run(asked: &LedgerArgs) -> Result<ExitCode, Failure> {
    match &asked.what {
        LedgerDo::Check(check) => self::check(check),
        LedgerDo::Head => head(),
        LedgerDo::List(later) => super::later_command("ledger list", &later.rest),
        LedgerDo::Show(later) => super::later_command("ledger show", &later.rest),
        LedgerDo::Find(later) => super::later_command("ledger find", &later.rest),
        LedgerDo::Export(later) => super::later_command("ledger export", &later.rest),
        LedgerDo::Backup(later) => super::later_command("ledger backup", &later.rest),
    }
}

fn open(places: &Places) -> Result<Ledger, Failure> {
    let path = places.ledger();
    if !path.exists() {
        return Err(Failure::Use(format!("there is no ledger yet ({})", shown_path(&path))));
    }
    Ok(Ledger::open(&path)?)
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
    let store = KeyStore::new(&places.keys());
    let mut known: Vec<PublicKey> = vec![];
    for info in store.all()? {
        known.push(info.key().map_err(jurex_sign::KeyError::from)?);
    }
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
