//! `jurex ledger check` and `head`: whether the ledger is as it was written.

use super::say;
use crate::cli::{LedgerCheck, LedgerHead};
use jurex_ledger::Ledger;
use jurex_past::{Leaf, NotedSubject, PastWork, TreeHead};
use jurex_pattern::text::{hex, printable, shown_path};
use jurex_pattern::units::counted;
use jurex_sign::{KeyStore, PublicKey, SignedHead, parse_unsigned_head};
use jurex_station::app_paths::AppPaths;
use jurex_station::config::Config;
use jurex_station::disk::{FEW_LINES, read_small};
use jurex_station::exit::Failure;
use jurex_station::heads;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

/// The newest head that was signed.
pub(super) fn head(asked: &LedgerHead, ledger: &dyn PastWork, places: &AppPaths) -> Result<ExitCode, Failure> {
    if asked.take {
        let taken =
            heads::take(&files(places)?, ledger).map_err(|e| Failure::Use(format!("the heads are left as they are: {e}")))?;
        taken.iter().for_each(|said| say(&printable(said.as_bytes())));
        if taken.is_empty() {
            say("The ledger follows from every head that is kept of it: there is nothing to take.");
        }
        return Ok(ExitCode::SUCCESS);
    }
    let newest = ledger.newest_head()?.and_then(|h| h.note);
    let note = newest.ok_or_else(|| {
        let why = "no head of the ledger was signed yet: with a key (jurex keys new) one is signed after each record";
        Failure::Less(why.into())
    })?;
    // The very bytes: whoever keeps them keeps a signed note.
    print!("{note}");
    Ok(ExitCode::SUCCESS)
}

/// Where heads of this bench's ledger are kept.
fn files(places: &AppPaths) -> Result<Vec<PathBuf>, Failure> {
    Ok(heads::files(places, &Config::read(&places.config_file())?))
}

pub(super) fn run(asked: &LedgerCheck, ledger: &Ledger, places: &AppPaths, demo: bool) -> Result<ExitCode, Failure> {
    let known: Vec<PublicKey> = KeyStore::new(&places.keys()).known()?.into_iter().map(|known| known.key).collect();
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
        let text = read_small(file, FEW_LINES);
        let text = text.map_err(|e| Failure::Use(format!("cannot read the head {}: {e}", shown_path(file))))?;
        match checked_head(&text, &known) {
            Ok(head) => heads.push(head),
            Err(why) => return Err(Failure::Less(format!("{}: {why}", shown_path(file)))),
        }
    }
    let put_back: Vec<Leaf> =
        ledger.noted()?.into_iter().filter(|l| matches!(l, Leaf::Noted { about: NotedSubject::Restored, .. })).collect();
    for file in files(places)?.into_iter().filter(|_| !demo) {
        match head_beside(&file, &known) {
            // The ledger was put back from a copy, and an entry says so: what it lacks stands below, and is no forgery.
            Some(Ok(head)) if put_back.iter().any(|l| replaced_by(l, &head)) => {}
            Some(Ok(head)) => heads.push(head),
            Some(Err(why)) => wrong.push(format!("The newest head, kept in {}: {why}.", shown_path(&file))),
            None if signed > 0 => wrong.push(format!("The newest head that was kept in {} is gone.", shown_path(&file))),
            None => {}
        }
    }
    // Heads are signed after each record where there is a key: none at all means that they were taken away.
    let signs = KeyStore::new(&places.keys()).signing()?.is_some();
    if signed == 0 && signs && !demo && ledger.has_records_since_a_key()? {
        wrong.push("The bench has a key, and no head of this ledger is signed: they were taken away.".into());
    }
    let checked = ledger.check_chain(&heads)?;
    wrong.extend(checked.wrong.iter().cloned());
    let entries = if checked.leaves == 1 { "1 entry".to_string() } else { format!("{} entries", checked.leaves) };
    let good = wrong.is_empty();
    if good {
        say(&format!("The ledger is as it was written: {entries}, {} signed.", counted(signed, "head")));
    } else {
        say(&format!("The ledger was touched ({entries}):"));
        wrong.iter().for_each(|sentence| say(&format!("✕ {}", printable(sentence.as_bytes()))));
    }
    for leaf in &put_back {
        if let Leaf::Noted { when, said, .. } = leaf {
            say(&format!("  restored {when}: {}", printable(said.as_bytes())));
        }
    }
    if good && signed == 0 {
        say("  but      no head of it is signed: whoever can write the file could have written all of it anew");
    }
    if good && checked.uncovered > 0 {
        let of = counted(checked.uncovered, "job");
        say(&format!("  but      events of {of} stand under no head yet: the next one covers them"));
    }
    if let Some(file) = asked.since.as_ref().filter(|_| good) {
        say(&format!("  since    nothing was changed or taken away since {}", shown_path(file)));
    }
    Ok(if good { ExitCode::SUCCESS } else { ExitCode::from(3) })
}

/// Whether a restoring took the place of the ledger that had this head.
fn replaced_by(leaf: &Leaf, head: &TreeHead) -> bool {
    matches!(leaf, Leaf::Noted { digest: Some(root), .. } if *root == hex::encode(&head.root))
}

/// The newest head as it is kept apart from the ledger; `None`: there is none.
fn head_beside(file: &Path, known: &[PublicKey]) -> Option<Result<TreeHead, String>> {
    let text = match read_small(file, FEW_LINES) {
        Ok(text) => text,
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => return None,
        Err(e) => return Some(Err(e.to_string())),
    };
    Some(match parse_unsigned_head(&text) {
        Some((size, root)) => Ok(TreeHead { size, root }),
        None => checked_head(&text, known),
    })
}

/// The head that a note signs, if its signature is by a key that is known here.
fn checked_head(note: &str, known: &[PublicKey]) -> Result<TreeHead, String> {
    let head = SignedHead::parse(note).map_err(|e| e.to_string())?;
    let id = printable(head.key_id().as_bytes());
    let key = known.iter().find(|k| k.id() == head.key_id());
    let key = key.ok_or_else(|| format!("it is signed by key {id}, which is not known here"))?;
    head.check(key).map_err(|e| e.to_string())?;
    Ok(TreeHead { size: head.size, root: head.root })
}
