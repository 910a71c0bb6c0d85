//! The key that signs what is written, if the bench has one.

use crate::config::Config;
use crate::places::Places;
use jurex_core::text::shown_path;
use jurex_ledger::{Ledger, LedgerError};
use jurex_sign::{KeyError, KeyInfo, KeyStore, Passphrase, PrivateKey, sign_head};
use std::io::{BufRead, IsTerminal, Write};
use std::path::{Path, PathBuf};

/// Where a passphrase comes from, where nobody is asked.
#[derive(Clone, Debug)]
pub(crate) struct Signing {
    store: KeyStore,
    passphrase_file: Option<PathBuf>,
}

/// The file's name among the credentials that systemd hands to a service.
const CREDENTIAL: &str = "jurex-passphrase";

impl Signing {
    /// By the keys and the settings of this bench.
    pub(crate) fn of(places: &Places, config: &Config) -> Self {
        let handed = std::env::var_os("CREDENTIALS_DIRECTORY").map(|folder| PathBuf::from(folder).join(CREDENTIAL));
        let passphrase_file = config.key_passphrase_file.clone().or_else(|| handed.filter(|file| file.exists()));
        Self { store: KeyStore::new(&places.keys()), passphrase_file }
    }

    /// The passphrase that stands in a file; `None`: there is none.
    fn written_passphrase(&self) -> Result<Option<Passphrase>, KeyError> {
        let Some(path) = &self.passphrase_file else { return Ok(None) };
        let read = std::fs::read_to_string(path);
        read.map(|text| Some(Passphrase::new(&text))).map_err(|cause| KeyError::File { path: shown_path(path), cause })
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
    pub(crate) fn key(&self, ask: bool) -> (Option<PrivateKey>, Option<String>) {
        let opened = self.store.signing().and_then(|info| info.map(|info| self.open(&info, ask)).transpose());
        match opened {
            Ok(key) => (key, None),
            Err(e) => (None, Some(format!("the files are not signed: {e}"))),
        }
    }
}

/// Signs the ledger's head as it is now. What could not be signed is told in the log: the entries stand without it, and the next head
/// covers them too.
pub(crate) fn sign_the_head(ledger: &Path, key: &PrivateKey) {
    let run = || -> Result<(), LedgerError> {
        let ledger = Ledger::open(ledger)?;
        let head = ledger.head()?;
        ledger.keep_head(&head, &sign_head(head.size, &head.root, key))
    };
    if let Err(e) = run() {
        tracing::error!("the head of the ledger is not signed: {e}");
    }
}

/// Reads a line from the terminal without showing it.
pub(crate) fn ask_hidden(question: &str) -> std::io::Result<Passphrase> {
    use std::os::fd::AsFd;
    let input = std::io::stdin();
    let before = rustix::termios::tcgetattr(input.as_fd())?;
    let mut hidden = before.clone();
    hidden.local_modes.remove(rustix::termios::LocalModes::ECHO);
    rustix::termios::tcsetattr(input.as_fd(), rustix::termios::OptionalActions::Flush, &hidden)?;
    let mut line = String::new();
    let _ = write!(std::io::stderr(), "{question}");
    let read = input.lock().read_line(&mut line);
    rustix::termios::tcsetattr(input.as_fd(), rustix::termios::OptionalActions::Flush, &before)?;
    let _ = writeln!(std::io::stderr());
    read.map(|_| Passphrase::new(&line))
}
