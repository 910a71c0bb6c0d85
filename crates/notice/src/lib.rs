//! Notices to people who are elsewhere: that a job or a lot has ended, or that a drive needs somebody. By mail (SMTP) and by webhook
//! (HTTPS POST of JSON, signed by HMAC). They are queued in a folder until they have gone out, and tried again after longer and longer
//! times; nothing here ever holds up or fails a job.
//!
//! What does not live here: what is told, and when (jurex-station decides that).
//!
//! ```
//! use jurex_notice::{Outbox, Ways};
//!
//! let folder = tempfile::tempdir()?;
//! let queue = Outbox::new(folder.path(), Ways::default());
//! assert!(queue.waiting().is_empty() && queue.trouble().is_none());
//! # Ok::<(), std::io::Error>(())
//! ```
#![forbid(unsafe_code)]

mod mail;
mod queue;
mod webhook;

pub use mail::{Mail, MailSecurity};
pub use queue::{Outbox, Waiting};
pub use webhook::Webhook;

use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use std::path::Path;

/// What a notice is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum NoticeKind {
    /// A job has ended.
    Job,
    /// Every drive of a lot is done.
    Lot,
    /// A drive needs somebody.
    Person,
    /// Nothing happened: somebody tries whether notices go out.
    Test,
}

/// A notice.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Notice {
    /// What it is about.
    pub kind: NoticeKind,
    /// When it was written.
    pub made: Timestamp,
    /// Name of the bench.
    pub bench: String,
    /// In one line.
    pub subject: String,
    /// In sentences.
    pub text: String,
    /// For programs: job, drive, outcome and the like.
    pub facts: serde_json::Value,
}

/// Where notices go.
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Ways {
    /// The kinds that are sent; empty: all.
    pub on: Vec<NoticeKind>,
    /// By mail.
    pub mail: Option<Mail>,
    /// By webhook.
    pub webhook: Option<Webhook>,
}

/// One way of sending.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Channel {
    /// By mail.
    Mail,
    /// By webhook.
    Webhook,
}

impl Channel {
    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            Channel::Mail => "mail",
            Channel::Webhook => "webhook",
        }
    }
}

/// Why a notice did not go out.
#[derive(Debug, thiserror::Error)]
pub enum NotSent {
    /// Something in the settings.
    #[error("{0}")]
    Settings(String),
    /// A file that the settings name.
    #[error("cannot read {path}: {cause}")]
    File {
        /// The file.
        path: String,
        /// The system's words.
        cause: std::io::Error,
    },
    /// The server can't be reached, or does not take it.
    #[error("{server} did not take it: {why}")]
    Server {
        /// Its name.
        server: String,
        /// What came of it.
        why: String,
    },
}

impl Ways {
    /// Paths that are not absolute are in that folder.
    pub fn beside(&mut self, folder: &Path) {
        let of_mail = self.mail.iter_mut().flat_map(|mail| [&mut mail.password_file, &mut mail.trust]);
        let of_hook = self.webhook.iter_mut().flat_map(|hook| [&mut hook.secret_file, &mut hook.trust]);
        of_mail.chain(of_hook).flatten().for_each(|path| *path = folder.join(&*path));
    }

    /// Whether there is any.
    pub fn is_any(&self) -> bool {
        self.mail.is_some() || self.webhook.is_some()
    }

    /// The ways that there are.
    pub fn all(&self) -> Vec<Channel> {
        let mail = self.mail.as_ref().map(|_| Channel::Mail);
        mail.into_iter().chain(self.webhook.as_ref().map(|_| Channel::Webhook)).collect()
    }

    /// Whether notices of that kind are sent.
    pub fn wants(&self, kind: NoticeKind) -> bool {
        self.is_any() && (kind == NoticeKind::Test || self.on.is_empty() || self.on.contains(&kind))
    }

    /// Sends a notice.
    ///
    /// # Errors
    /// Why it did not go out.
    pub fn send(&self, way: Channel, notice: &Notice) -> Result<(), NotSent> {
        let none = || NotSent::Settings(format!("the settings name no {} any more", way.word()));
        match way {
            Channel::Mail => self.mail.as_ref().ok_or_else(none)?.send(notice),
            Channel::Webhook => self.webhook.as_ref().ok_or_else(none)?.send(notice),
        }
    }
}

/// The text of a file, its last line end left out.
#[cfg(any(feature = "mail", feature = "webhook"))]
fn read(path: &std::path::Path) -> Result<String, NotSent> {
    let text = std::fs::read_to_string(path).map_err(|cause| NotSent::File { path: path.display().to_string(), cause })?;
    Ok(text.trim_end_matches(['\r', '\n']).into())
}

/// The longest that a server may take.
#[cfg(any(feature = "mail", feature = "webhook"))]
const PATIENCE: std::time::Duration = std::time::Duration::from_secs(20);
