//! That a record stood in a ledger, for those who see nothing else of it: its leaf, the way up from it, and the signed head. Written
//! as C2SP tlog-proof: a few lines of text that other programs read too.

use crate::head::{Leaf, TreeHead};
use crate::tree::{self, Hash, climb};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use std::fmt::Write;

/// The first line.
const FORMAT: &str = "c2sp.org/tlog-proof@v1";

/// A leaf, and the way from it to the head of the tree.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Inclusion {
    /// The leaf's JSON.
    pub leaf: String,
    /// Its number, from 0.
    pub place: u64,
    /// The heads beside its way up.
    pub path: Vec<Hash>,
    /// The head that it leads to, as a signed note.
    pub note: String,
}

/// A text that proves nothing.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum BadProof {
    /// Not of this form.
    #[error("it is no proof that something stands in a ledger")]
    NoProof,
    /// Written otherwise than Jurex writes.
    #[error("the proof is not as it was written: a byte of it has been changed")]
    OtherForm,
    /// The way from the leaf does not lead to the head.
    #[error("the record is not in the ledger that this head is of: the proof does not lead to it")]
    OtherTree,
    /// The leaf is about something else.
    #[error("the proof is of another record than this one")]
    OtherRecord,
}

impl Inclusion {
    /// As text.
    pub fn to_text(&self) -> String {
        let mut text = format!("{FORMAT}\nextra {}\nindex {}\n", STANDARD.encode(&self.leaf), self.place);
        for hash in &self.path {
            let _ = writeln!(text, "{}", STANDARD.encode(hash));
        }
        text + "\n" + &self.note
    }

    /// From that text.
    ///
    /// # Errors
    /// It is none, or not in the one form in which they are written.
    pub fn parse(text: &str) -> Result<Self, BadProof> {
        let (lines, note) = text.split_once("\n\n").ok_or(BadProof::NoProof)?;
        let mut lines = lines.lines();
        if lines.next() != Some(FORMAT) {
            return Err(BadProof::NoProof);
        }
        let decoded = |line: Option<&str>| line.and_then(|l| STANDARD.decode(l).ok()).ok_or(BadProof::OtherForm);
        let leaf = decoded(lines.next().and_then(|l| l.strip_prefix("extra ")))?;
        let place = lines.next().and_then(|l| l.strip_prefix("index ")).and_then(|n| n.parse().ok());
        let hash = |line| decoded(Some(line)).and_then(|bytes| bytes.try_into().map_err(|_| BadProof::OtherForm));
        let path = lines.map(hash).collect::<Result<_, _>>()?;
        let (leaf, place) = (String::from_utf8(leaf).map_err(|_| BadProof::OtherForm)?, place.ok_or(BadProof::OtherForm)?);
        let proof = Self { leaf, place, path, note: note.into() };
        if proof.to_text() == text { Ok(proof) } else { Err(BadProof::OtherForm) }
    }

    /// Whether it proves that the record of that job and digest stands in the ledger of that head.
    ///
    /// # Errors
    /// What it does not prove.
    pub fn check(&self, job: &str, digest: &str, head: &TreeHead) -> Result<(), BadProof> {
        match serde_json::from_str::<Leaf>(&self.leaf) {
            Ok(Leaf::Record { job: of, record, .. }) if of == job && record == digest => {}
            _ => return Err(BadProof::OtherRecord),
        }
        self.check_alone(head)
    }

    /// Whether it proves that its leaf, whatever it is about, stands in the ledger of that head.
    ///
    /// # Errors
    /// It does not.
    pub fn check_alone(&self, head: &TreeHead) -> Result<(), BadProof> {
        let climbed = climb(tree::leaf(self.leaf.as_bytes()), self.place, head.size, &self.path);
        if climbed == Some(head.root) { Ok(()) } else { Err(BadProof::OtherTree) }
    }
}
