//! The key that signs what is written, if the bench has one.

use crate::app_paths::AppPaths;
use crate::clock::wall;
use crate::config::Config;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use jurex_disposition::proof::VerificationRecord;
use jurex_documents::{House, LedgerEntry, Print};
use jurex_ledger::Ledger;
use jurex_past::{Inclusion, PastError, PastWork};
use jurex_pattern::text::shown_path;
use jurex_sanitize::record::{Papers, Record};
use jurex_sign::{KeyError, KeyInfo, KeyStore, Passphrase, PdfKey, PrivateKey, SignedHead, sign_head, sign_pdf, unsigned_head};
use std::io::{IsTerminal, Read, Write};
use std::path::{Path, PathBuf};

/// Where a passphrase comes from, where nobody is asked.
#[derive(Clone, Debug)]
pub struct Signing {
    store: KeyStore,
    passphrase_file: Option<PathBuf>,
}

/// The file's name among the credentials that systemd hands to a service.
const CREDENTIAL: &str = "jurex-passphrase";

impl Signing {
    /// By the keys and the settings of this bench.
    pub fn of(places: &AppPaths, config: &Config) -> Self {
        let handed = std::env::var_os("CREDENTIALS_DIRECTORY").map(|folder| PathBuf::from(folder).join(CREDENTIAL));
        let passphrase_file = config.key_passphrase_file.clone().or_else(|| handed.filter(|file| file.exists()));
        Self { store: KeyStore::new(&places.keys()), passphrase_file }
    }

    /// The passphrase that stands in a file; `None`: there is none.
    fn written_passphrase(&self) -> Result<Option<Passphrase>, KeyError> {
        let Some(path) = &self.passphrase_file else { return Ok(None) };
        read_passphrase(path).map(Some).map_err(|cause| KeyError::File { path: shown_path(path), cause })
    }

    fn open(&self, info: &KeyInfo, ask: bool) -> Result<PrivateKey, KeyError> {
        if !info.shut {
            return self.store.open(info, None);
        }
        match self.written_passphrase()? {
            None if ask && std::io::stdin().is_terminal() => {
                let asked = ask_hidden(&format!("Passphrase of key {} ({}): ", info.name, &info.id()[..8]));
                self.store.open(info, Some(&asked.map_err(|cause| KeyError::File { path: "the terminal".into(), cause })?))
            }
            passphrase => self.store.open(info, passphrase.as_ref()),
        }
    }

    /// The key that signs now, with what is to be said where there is one and it can't sign. A person at the terminal is asked for a
    /// passphrase if `ask`.
    pub fn key(&self, ask: bool) -> (Option<PrivateKey>, Option<String>) {
        let opened = self.store.signing().and_then(|info| info.map(|info| self.open(&info, ask)).transpose());
        match opened {
            // No key signs, but a broken file may have been one: say so.
            Ok(None) => {
                let broken = self.store.broken().unwrap_or_default();
                (None, broken.first().map(|why| format!("the files are not signed: {why}")))
            }
            Ok(key) => (key, None),
            Err(e) => (None, Some(format!("the files are not signed: {e}"))),
        }
    }
}

/// What vouches for what is written: the key that signs, and where heads of the ledger are kept beside it.
#[derive(Debug, Default)]
pub struct Signer {
    key: Option<PrivateKey>,
    /// Why nothing is signed, where there is a key that could.
    unsigned: Option<String>,
    /// With what papers are signed for PDF readers.
    pdf: Option<PdfKey>,
    /// Why they are not, where there is a certificate.
    pdf_unsigned: Option<String>,
    /// Files that hold the newest head: whoever puts an earlier ledger in its place is found by them.
    heads: Vec<PathBuf>,
    /// How the organisation's papers look.
    pub house: House,
}

impl Signer {
    /// By the keys and settings of this bench. A person at the terminal is asked for the key's passphrase if `ask`.
    pub fn of(places: &AppPaths, config: &Config, house: House, ask: bool) -> Self {
        let (key, unsigned) = Signing::of(places, config).key(ask);
        let (pdf, pdf_unsigned) = match pdf_key(config) {
            Ok(pdf) => (pdf, None),
            Err(why) => (None, Some(format!("papers are not signed for PDF readers: {why}"))),
        };
        let heads = crate::heads::files(places, config);
        Self { key, unsigned, pdf, pdf_unsigned, heads, house }
    }

    /// Of what is simulated: nothing vouches for it.
    pub fn none(house: House) -> Self {
        Self { house, ..Self::default() }
    }

    /// The key that signs.
    pub fn key(&self) -> Option<&PrivateKey> {
        self.key.as_ref()
    }

    /// Where whoever finds a mark is to ask.
    pub fn where_to_ask(&self, papers: &Papers) -> String {
        let house = &self.house;
        let name = if house.name.is_empty() { &papers.organisation } else { &house.name };
        let person = &papers.technician;
        let parts = std::iter::once(name).chain(&house.address).chain([&person.place, &person.contact]);
        parts.map(|p| p.trim()).filter(|p| !p.is_empty()).collect::<Vec<_>>().join(", ")
    }

    /// What is not signed though there is a key that could, and why.
    pub fn unsigned(&self) -> impl Iterator<Item = &str> {
        [&self.unsigned, &self.pdf_unsigned].into_iter().flatten().map(String::as_str)
    }

    /// A paper, signed for PDF readers where there is a certificate whose time it is.
    ///
    /// # Errors
    /// Why it could not be signed.
    pub fn sign_paper(&self, pdf: Vec<u8>) -> Result<Vec<u8>, String> {
        let Some(key) = &self.pdf else { return Ok(pdf) };
        let now = wall();
        key.check_time(now).map_err(|e| e.to_string())?;
        sign_pdf(&pdf, key, now).map_err(|e| e.to_string())
    }

    /// By whom papers are signed, or why not, in a sentence.
    pub fn sentence(&self) -> String {
        match (&self.key, &self.unsigned) {
            (Some(key), _) => {
                let pdf = self.pdf.as_ref().map(|k| format!(", and for PDF readers as {}", k.public().subject));
                format!("Signed by key {}{}.", &key.public().id()[..12], pdf.unwrap_or_default())
            }
            (None, Some(why)) => format!("Not signed: {why}."),
            // Nothing is kept of it elsewhere either.
            (None, None) if self.heads.is_empty() => "Nothing that is simulated is signed.".into(),
            (None, None) => "Not signed: there is no key (jurex keys new makes one).".into(),
        }
    }

    /// Signs the ledger's head as it is now, and keeps it where it is seen from elsewhere. What could not be done, and what speaks against
    /// the ledger, goes into the log and to the caller: the entries stand without it, and the next head covers them too.
    pub fn close(&self, ledger: &Path) -> Vec<String> {
        let run = || -> Result<Vec<String>, PastError> {
            let ledger = Ledger::open(ledger)?;
            ledger.cover_events(wall())?;
            let head = ledger.head()?;
            let note = self.key.as_ref().map(|key| sign_head(head.size, &head.root, key));
            // Before the new one is among the ledger's own.
            let text = note.clone().unwrap_or_else(|| unsigned_head(head.size, &head.root));
            let said = crate::heads::keep(&self.heads, &ledger, &text);
            note.iter().try_for_each(|note| ledger.keep_head(&head, note))?;
            Ok(said)
        };
        let said = run().unwrap_or_else(|e| vec![format!("the head of the ledger is not kept: {e}")]);
        said.iter().for_each(|said| tracing::error!("{said}"));
        said
    }

    /// What speaks against the ledger by the heads that are kept of it, each in a sentence.
    pub fn doubts(&self, ledger: &dyn PastWork) -> Vec<String> {
        crate::heads::doubts(&self.heads, ledger)
    }

    /// How papers of that time look.
    pub fn house_at(&self, time: Timestamp) -> House {
        house_at(&self.house, time)
    }

    /// How the paper of a job is printed: with the proof that its record stands in the ledger, and every second check.
    pub fn print(&self, ledger: &Path, record: &Record) -> Print {
        let run = || -> Result<(Option<Inclusion>, Vec<VerificationRecord>), PastError> {
            let ledger = Ledger::open_to_read(ledger)?;
            let stored = ledger.record(&record.job)?.digest() == record.digest();
            let proof = if stored { ledger.inclusion(&record.job)? } else { None };
            Ok((proof, ledger.verifications(&record.job)?))
        };
        let (proof, verifications) = run().unwrap_or_else(|e| {
            tracing::warn!("job {}: nothing of the ledger stands on its paper: {e}", record.job);
            (None, vec![])
        });
        Print { house: self.house_at(record.ended), standing: proof.as_ref().and_then(standing), verifications }
    }
}

/// How papers look, with what the clocks here are ahead of universal time at that moment.
pub fn house_at(house: &House, time: Timestamp) -> House {
    let offset = TimeZone::system().to_offset(time).seconds() / 60;
    let mut house = house.clone();
    house.offset = i16::try_from(offset).unwrap_or(0);
    house
}

/// A proof as it is printed; `None`: its head is none.
pub fn standing(proof: &Inclusion) -> Option<LedgerEntry> {
    let head = SignedHead::parse(&proof.note).ok()?;
    Some(LedgerEntry {
        proof: proof.to_text(),
        entry: proof.place + 1,
        entries: head.size,
        head: jurex_pattern::text::hex::encode(&head.root),
        key_id: head.key_id().into(),
    })
}

/// The passphrase that stands in a file.
pub fn read_passphrase(path: &Path) -> std::io::Result<Passphrase> {
    crate::disk::read_small(path, crate::disk::FEW_LINES).map(|text| Passphrase::new(&text))
}

/// The organisation's certificate with its key; `None`: there is none.
fn pdf_key(config: &Config) -> Result<Option<PdfKey>, String> {
    let Some(file) = &config.pdf_certificate else { return Ok(None) };
    let unreadable = |path: &Path, e: std::io::Error| format!("cannot read {}: {e}", shown_path(path));
    let passphrase = config.pdf_passphrase_file.as_deref();
    let passphrase = passphrase.map(|path| read_passphrase(path).map_err(|e| unreadable(path, e))).transpose()?;
    let bytes = crate::disk::read_bounded(file, 4 << 20).map_err(|e| unreadable(file, e))?;
    let key = match std::str::from_utf8(&bytes) {
        Ok(pem) if pem.contains("-----BEGIN") => {
            let text = |path: &Path| crate::disk::read_small(path, 4 << 20).map_err(|e| unreadable(path, e));
            let key = config.pdf_key.as_deref().map(text).transpose()?;
            // One file may hold both, the key before or after the certificate.
            let own =
                || pem.find("PRIVATE KEY-----").and_then(|at| pem[..at].rfind("-----BEGIN")).map(|at| pem[at..].to_string());
            PdfKey::from_pem(pem, &key.or_else(own).unwrap_or_default(), passphrase.as_ref())
        }
        _ => PdfKey::from_pkcs12(&bytes, passphrase.as_ref()),
    };
    let key = key.map_err(|e| format!("{}: {e}", shown_path(file)))?;
    key.check_time(wall()).map_err(|e| e.to_string())?;
    Ok(Some(key))
}

/// Reads a passphrase from the terminal without showing it.
pub fn ask_hidden(question: &str) -> std::io::Result<Passphrase> {
    ask_hidden_text(question).map(|line| Passphrase::new(&line))
}

/// Reads a line from the terminal without showing it.
pub fn ask_hidden_text(question: &str) -> std::io::Result<String> {
    use rustix::termios::{LocalModes, OptionalActions, tcgetattr, tcsetattr};
    use std::os::fd::AsFd;
    let input = std::io::stdin();
    let before = tcgetattr(input.as_fd())?;
    let mut hidden = before.clone();
    // Signals of the keyboard too: one that ended the program here would leave the terminal without its echo.
    hidden.local_modes.remove(LocalModes::ECHO | LocalModes::ICANON | LocalModes::ISIG);
    tcsetattr(input.as_fd(), OptionalActions::Flush, &hidden)?;
    let _ = write!(std::io::stderr(), "{question}");
    let line = read_hidden(&mut input.lock().bytes());
    tcsetattr(input.as_fd(), OptionalActions::Flush, &before)?;
    let _ = writeln!(std::io::stderr());
    line
}

/// A line as it is typed where the terminal itself edits none.
fn read_hidden(typed: &mut dyn Iterator<Item = std::io::Result<u8>>) -> std::io::Result<String> {
    const INTERRUPT: u8 = 3;
    const END: u8 = 4;
    const ERASE_LINE: u8 = 0x15;
    let mut line = vec![];
    for byte in typed {
        match byte? {
            b'\n' | b'\r' => break,
            END if line.is_empty() => break,
            INTERRUPT => {
                return Err(std::io::Error::new(std::io::ErrorKind::Interrupted, "nothing was typed: it was interrupted"));
            }
            8 | 0x7f => {
                // The whole of the last letter, which may have several bytes.
                while line.pop().is_some_and(|byte: u8| byte & 0xc0 == 0x80) {}
            }
            ERASE_LINE => line.clear(),
            other => line.push(other),
        }
    }
    String::from_utf8(line).map_err(|_| std::io::Error::new(std::io::ErrorKind::InvalidData, "it is no text"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_hidden_line_is_edited_and_an_interrupt_is_no_passphrase() {
        let typed = |bytes: &[u8]| read_hidden(&mut bytes.iter().map(|b| Ok(*b)));
        assert_eq!(typed(b"tide\n more").unwrap(), "tide");
        assert_eq!(typed("k\u{fc}\x7fiste\r".as_bytes()).unwrap(), "kiste");
        assert_eq!(typed(b"wrong\x15right\n").unwrap(), "right");
        assert_eq!(typed(b"tid\x03").unwrap_err().kind(), std::io::ErrorKind::Interrupted);
        assert_eq!(typed(b"\x04").unwrap(), "");
    }
}
