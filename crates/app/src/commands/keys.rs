//! `jurex keys`: the keys that sign, and those of others that are trusted.

use super::{say, say_json};
use crate::cli::{Keys, KeysDo, RetireKey, SelfSigned, TrustKey};
use jurex_ledger::Ledger;
use jurex_past::NotedSubject;
use jurex_pattern::notation::Entropy;
use jurex_pattern::text::{printable, shown_path};
use jurex_sign::{BadKey, CertificateInfo, KeyError, KeyInfo, KeyStore, Passphrase, PdfKey, Whose, certificate_of};
use jurex_station::app_paths::AppPaths;
use jurex_station::clock::{SystemEntropy, wall};
use jurex_station::exit::Failure;
use jurex_station::signing::{ask_hidden, read_passphrase};
use serde_json::json;
use std::io::{IsTerminal, Write};
use std::os::unix::fs::OpenOptionsExt;
use std::process::ExitCode;

pub(crate) fn run(asked: &Keys) -> Result<ExitCode, Failure> {
    let places = AppPaths::find()?;
    let store = KeyStore::new(&places.keys());
    // What has become of keys stands in the ledger, where there is one.
    let note = |said: &str| -> Result<(), Failure> {
        let ledger = places.ledger();
        if ledger.exists() { Ok(Ledger::open(&ledger)?.note(NotedSubject::Key, said, None, wall())?) } else { Ok(()) }
    };
    match &asked.what {
        KeysDo::New(new) => {
            let passphrase = passphrase(new.no_passphrase, new.passphrase_file.as_deref())?;
            let made = store.make(&printable(new.name.as_bytes()), passphrase.as_ref(), wall())?;
            note(&format!("Key {} ({}) was made.", made.id(), made.name))?;
            say(&format!(
                "Key {} signs from now on. Give others its public key: jurex keys export {}",
                made.id(),
                &made.id()[..8]
            ));
        }
        KeysDo::List(table) if table.json => say_json(&json!({
            "keys": store.all()?.iter().map(as_json).collect::<Vec<_>>(),
            "certificates": store.certificates()?.iter().map(certificate_as_json).collect::<Vec<_>>(),
        })),
        KeysDo::List(_) => {
            let signing = store.signing()?.map(|k| k.id());
            let all = store.all()?;
            all.iter().for_each(|key| say(&line(key, signing.as_ref() == Some(&key.id()))));
            store.certificates()?.iter().for_each(|certificate| say(&certificate_line(certificate)));
            if all.is_empty() {
                say("There is no key: records are not signed. `jurex keys new --name NAME` makes one.");
            }
        }
        KeysDo::Show(which) => {
            let key = store.find(&which.key)?;
            let signs = store.signing()?.is_some_and(|k| k.id() == key.id());
            say(&line(&key, signs));
            say(&format!("  made      {}", key.made));
            key.retired
                .iter()
                .for_each(|when| say(&format!("  retired   {when}: it signs no more, and what it has signed stays signed")));
            say(&format!("  private   {}", private(&key)));
        }
        KeysDo::Export(export) => {
            let key = store.find(&export.key)?.key().map_err(KeyError::from)?;
            say(&if export.jwk { key.to_jwk().to_string() } else { key.to_pem().trim_end().to_string() });
        }
        KeysDo::Retire(which) => retire(which, &store, &note)?,
        KeysDo::SelfSigned(asked) => self_signed(asked)?,
        KeysDo::Trust(asked) => trust(asked, &store, &note)?,
    }
    Ok(ExitCode::SUCCESS)
}

/// A certificate that only its owner vouches for, and its key, each in a new file.
fn self_signed(asked: &SelfSigned) -> Result<(), Failure> {
    let mut seed = [0; 32];
    SystemEntropy.fill(&mut seed);
    let made = PdfKey::self_signed(&asked.name, seed, wall(), asked.days);
    let (certificate, key) = made.map_err(|_| Failure::Use("that name can't stand in a certificate".into()))?;
    let write = |name: &str, text: &str, mode: u32| {
        let path = asked.out.join(name);
        let failed = |e: std::io::Error| Failure::Use(format!("cannot write {}: {e}", shown_path(&path)));
        std::fs::create_dir_all(&asked.out).map_err(failed)?;
        let file = std::fs::OpenOptions::new().write(true).create_new(true).mode(mode).open(&path);
        file.and_then(|mut file| file.write_all(text.as_bytes()).and_then(|()| file.sync_all())).map_err(failed)
    };
    write("certificate.key", &key, 0o600)?;
    write("certificate.pem", &certificate, 0o644)?;
    let folder = shown_path(&asked.out);
    say(&format!("Written: {folder}/certificate.pem and {folder}/certificate.key. In config.toml:"));
    say(&format!("  pdf_certificate = \"{folder}/certificate.pem\""));
    say(&format!("  pdf_key = \"{folder}/certificate.key\""));
    Ok(())
}

/// What notes in the ledger what has become of keys.
type KeyNote<'n> = dyn Fn(&str) -> Result<(), Failure> + 'n;

/// A key signs no more, or a certificate is not trusted any more.
fn retire(which: &RetireKey, store: &KeyStore, note: &KeyNote<'_>) -> Result<(), Failure> {
    let since = which.since.unwrap_or_else(wall);
    if since > wall() {
        return Err(Failure::Use("that time has not come yet: nothing was retired".into()));
    }
    if let Some(certificate) = certificate_named(store, &which.key)? {
        let retired = store.retire_certificate(&certificate, since)?;
        let said = format!("Certificate {} ({}) is not trusted any more since {since}", &retired.fingerprint[..16], retired.name);
        note(&format!("{said}."))?;
        say(&format!("{said}; what was signed with it before stays good."));
        return Ok(());
    }
    let key = store.retire(&store.find(&which.key)?, since)?;
    note(&format!("Key {} signs no more.", key.id()))?;
    let next = store.signing()?.map_or_else(|| "records are not signed now".into(), |k| format!("key {} signs now", k.id()));
    say(&format!("Key {} signs no more; {next}.", key.id()));
    Ok(())
}

/// A key, or a certificate, of others is trusted.
fn trust(trust: &TrustKey, store: &KeyStore, note: &KeyNote<'_>) -> Result<(), Failure> {
    let shown = shown_path(&trust.file);
    let bytes = jurex_station::disk::read_bounded(&trust.file, jurex_station::disk::FEW_LINES);
    let bytes = bytes.map_err(|e| Failure::Use(format!("cannot read the key {shown}: {e}")))?;
    if certificate_of(&bytes).is_some() {
        let certificate = store.trust_certificate(&printable(trust.name.as_bytes()), &bytes, wall())?;
        let (print, name) = (&certificate.fingerprint, &certificate.name);
        note(&format!("Certificate {} ({name}) is trusted.", &print[..16]))?;
        say(&format!(
            "Papers signed with certificate {print} ({}), or for whose signer it vouches, are taken for the word of {name} from now on.",
            printable(certificate.subject.as_bytes())
        ));
        return Ok(());
    }
    let text = String::from_utf8(bytes).map_err(|_| Failure::Use(format!("{shown}: {}", BadKey::NoKey)))?;
    let key = store.trust(&printable(trust.name.as_bytes()), &text, wall()).map_err(|e| match e {
        KeyError::BadKey(why) => Failure::Use(format!("{shown}: {why}")),
        other => other.into(),
    })?;
    note(&format!("Key {} ({}) of another bench is trusted.", key.id(), key.name))?;
    say(&format!("What key {} has signed is taken for the word of {} from now on.", key.id(), key.name));
    Ok(())
}

/// The trusted certificate of that name, or whose fingerprint begins so.
fn certificate_named(store: &KeyStore, beginning: &str) -> Result<Option<CertificateInfo>, Failure> {
    let mut fitting = store.certificates()?;
    fitting.retain(|c| c.name == beginning || beginning.len() >= 6 && c.fingerprint.starts_with(beginning));
    match fitting.len() {
        0 | 1 => Ok(fitting.pop()),
        n => Err(Failure::Use(format!("{n} certificates are called that: name more of the fingerprint"))),
    }
}

fn certificate_line(certificate: &CertificateInfo) -> String {
    let state = certificate.retired.map_or("trusted".into(), |since| format!("retired since {since}"));
    let subject = printable(certificate.subject.as_bytes());
    format!("certificate {}  {state:<8} {} ({subject})", &certificate.fingerprint[..16], certificate.name)
}

fn certificate_as_json(certificate: &CertificateInfo) -> serde_json::Value {
    let CertificateInfo { name, subject, fingerprint, made, retired, .. } = certificate;
    json!({ "fingerprint": fingerprint, "name": name, "subject": subject, "made": made, "retired": retired })
}

/// What a new key is shut with.
fn passphrase(none: bool, file: Option<&std::path::Path>) -> Result<Option<Passphrase>, Failure> {
    if none {
        return Ok(None);
    }
    let empty =
        || Failure::Use("an empty passphrase shuts nothing: say --no-passphrase if that is meant. No key was made".into());
    if let Some(file) = file {
        let unread = |e| Failure::Use(format!("cannot read the passphrase {}: {e}. No key was made", shown_path(file)));
        return Some(read_passphrase(file).map_err(unread)?).filter(|p| !p.is_empty()).ok_or_else(empty).map(Some);
    }
    if !std::io::stdin().is_terminal() {
        let why = "nobody can be asked for a passphrase here: name --passphrase-file, or say --no-passphrase. No key was made";
        return Err(Failure::Use(why.into()));
    }
    let ask =
        |question| ask_hidden(question).map_err(|e| Failure::Use(format!("the terminal can't be read: {e}. No key was made")));
    let (first, again) = (ask("Passphrase of the new key: ")?, ask("The same again: ")?);
    if first != again {
        return Err(Failure::Use("these are two passphrases. No key was made".into()));
    }
    Some(first).filter(|p| !p.is_empty()).ok_or_else(empty).map(Some)
}

fn private(key: &KeyInfo) -> &'static str {
    match (key.whose, key.shut) {
        (Whose::Trusted, _) => "elsewhere: it is another bench's",
        (Whose::Own, true) => "here, shut by a passphrase",
        (Whose::Own, false) => "here, open to whoever can read the file",
    }
}

fn line(key: &KeyInfo, signs: bool) -> String {
    let state = match (key.whose, key.retired, signs) {
        (_, Some(_), _) => "retired",
        (Whose::Trusted, ..) => "trusted",
        (Whose::Own, None, true) => "signs",
        (Whose::Own, None, false) => "waits",
    };
    format!("{}  {state:<8} {}", key.id(), key.name)
}

fn as_json(key: &KeyInfo) -> serde_json::Value {
    json!({ "id": key.id(), "name": key.name, "whose": key.whose, "made": key.made, "retired": key.retired, "shut": key.shut })
}
