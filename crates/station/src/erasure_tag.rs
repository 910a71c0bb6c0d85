//! Marks as they are met: whose they are, whether they are of this drive, and whether the drive is still as it was left.

use crate::bench::DriveSnapshot;
use jurex_device::media::Drive;
use jurex_disposition::erasure_tag::{self, ErasureTag, FoundTag, TagFacts, TagState};
use jurex_sign::{KnownKey, Signed};

/// Who vouches for a mark.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Voucher {
    /// A key that is known here, by its name.
    Known(String),
    /// One that was retired before the mark says that it was made.
    Retired(String),
    /// A key that is not.
    Unknown(String),
    /// Nobody.
    Nobody,
    /// The signature is not of this text.
    Wrong,
}

/// A mark that was found on a drive.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MarkSeen {
    pub says: TagFacts,
    pub whole: TagState,
    pub voucher: Voucher,
    /// Whether it is about this drive.
    pub fits: bool,
}

impl MarkSeen {
    fn of(mark: &ErasureTag, whole: TagState, drive: &Drive, keys: &[KnownKey]) -> Self {
        let voucher = match mark.signed() {
            None => Voucher::Nobody,
            Some(text) => match Signed::parse(text) {
                Err(_) => Voucher::Wrong,
                Ok(signed) => match keys.iter().find(|known| known.key.id() == signed.key_id()) {
                    None => Voucher::Unknown(signed.key_id().into()),
                    Some(known) if signed.check(&known.key).is_err() => Voucher::Wrong,
                    Some(known) if known.retired.is_some_and(|since| mark.says().ended > since) => {
                        Voucher::Retired(known.name.clone())
                    }
                    Some(known) => Voucher::Known(known.name.clone()),
                },
            },
        };
        Self { says: mark.says().clone(), whole, voucher, fits: mark.says().fits(drive) }
    }

    /// What it says, and what is to be said of it, each a sentence.
    pub fn sentences(&self, now: jiff::Timestamp) -> Vec<String> {
        let TagFacts { job, outcome, method, ended, serial, ask, .. } = &self.says;
        let by = match &self.voucher {
            Voucher::Known(name) => format!(" by {name}"),
            _ => String::new(),
        };
        let mut said = vec![format!(
            "It carries an erasure tag: erased {} ago{by} ({}), {outcome} by {method}, job {job}.",
            age(*ended, now),
            ended.strftime("%Y-%m-%d")
        )];
        if !ask.is_empty() {
            said.push(format!("Ask: {ask}."));
        }
        match &self.voucher {
            Voucher::Known(_) => said.push("Its signature is right.".into()),
            Voucher::Retired(name) => {
                said.push(format!("✕ It is signed by a key of {name} that was retired before that: it counts for nothing."));
            }
            Voucher::Unknown(id) => {
                said.push(format!("It is signed by key {id}, which is not known here: anybody can have made it."));
            }
            Voucher::Nobody => said.push("It is not signed: anybody can have written it.".into()),
            Voucher::Wrong => said.push("✕ Its signature is not of what it says: it has been altered, or made up.".into()),
        }
        if !self.fits {
            let serial = if serial.is_empty() { "no serial" } else { serial };
            said.push(format!(
                "✕ It is the erasure tag of another drive ({serial}, {} sectors): it was copied here, and says nothing of this one.",
                self.says.sectors
            ));
        }
        if self.fits && serial.is_empty() {
            said.push("The drive tells no serial number: that the tag is its own follows from its size alone.".into());
        }
        if let Some(trouble) = self.whole.trouble() {
            said.push(format!("✕ The drive is not as it was left: {trouble}."));
        }
        said
    }
}

/// How long ago, in words.
fn age(then: jiff::Timestamp, now: jiff::Timestamp) -> String {
    let days = now.duration_since(then).as_hours() / 24;
    let counted = |n: i64, what: &str| jurex_pattern::units::counted(n.max(0) as u64, what);
    match days {
        ..1 => "less than a day".into(),
        1..14 => counted(days, "day"),
        14..70 => counted(days / 7, "week"),
        70..730 => counted(days / 30, "month"),
        _ => counted(days / 365, "year"),
    }
}

/// What was found where marks stand.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum MarkHere {
    /// A mark.
    Mark(Box<MarkSeen>),
    /// The rest of one, that says nothing any more.
    Rest,
}

impl MarkHere {
    /// Looks for one; `None`: there is none, or the drive gives nothing.
    pub fn on(seen: &DriveSnapshot, keys: &[KnownKey]) -> Option<Self> {
        let mut medium = seen.peek().ok()?;
        match erasure_tag::look(medium.as_mut(), &said_in) {
            FoundTag::Nothing => None,
            FoundTag::Rest => Some(MarkHere::Rest),
            FoundTag::Mark(mark, whole) => Some(MarkHere::Mark(Box::new(MarkSeen::of(&mark, whole, &seen.drive, keys)))),
        }
    }

    /// The mark, if it is one.
    pub fn mark(&self) -> Option<&MarkSeen> {
        if let MarkHere::Mark(mark) = self { Some(mark) } else { None }
    }

    /// What is to be said of it, each a sentence.
    pub fn sentences(&self, now: jiff::Timestamp) -> Vec<String> {
        match self {
            MarkHere::Mark(mark) => mark.sentences(now),
            MarkHere::Rest => {
                vec![
                    "✕ It carries the rest of an erasure tag, which was written over or changed: it says nothing any more."
                        .into(),
                ]
            }
        }
    }

    /// What is to be said before it is planned again; `None`: nothing, it is no mark of this drive.
    pub fn warning(&self) -> Option<String> {
        let mark = self.mark().filter(|m| m.fits)?;
        Some(format!(
            "This drive carries the erasure tag of {}, job {}. Erasing it again takes the tag away, and may not be needed.",
            mark.says.outcome, mark.says.job
        ))
    }
}

/// What a signed text says, whoever has signed it.
pub fn said_in(text: &str) -> Option<String> {
    Signed::parse(text).ok().map(|signed| signed.unchecked().to_string())
}
