//! The record in a paper: taken out of the file again, and the paper printed anew from it to see whether a byte was changed.

use crate::branding::House;
use crate::certificate::certificate;
use crate::file_erase::less_paper;
use crate::lot::lot_certificate;
use crate::print::Print;
use crate::release::destruction_paper;
use jurex_disposition::lot::Statement;
use jurex_disposition::release::Release;
use jurex_file_erase::FileEraseRecord;
use jurex_sanitize::record::Record;
use std::io::Read;

/// Most bytes that a record may have.
const MOST: u64 = 256 << 20;

/// Why no record can be taken out of a file.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NoAttachment {
    /// Not a paper of Jurex.
    #[error("no record is attached to it: it is no certificate or report of Jurex, or was written anew by another program")]
    None,
    /// It is there and can't be read.
    #[error("the record that is attached to it can't be read: the file is damaged or has been altered")]
    Damaged,
}

/// What is attached to a paper: the record that it was made from, and what its print rests on besides.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Attached {
    /// The record's text, or that of a lot's statement.
    pub record: String,
    /// What proves that the record stands in a ledger.
    pub proof: Option<String>,
    /// How it is printed, where that is not as usual.
    pub house: Option<String>,
    /// The texts of the second verifications, in the order of the paper.
    pub verifications: Vec<String>,
    /// Whether the file was written anew by another program: then it is no paper as Jurex prints it.
    pub rewritten: bool,
}

/// What is attached to a paper.
///
/// # Errors
/// There is no record, or something can't be read.
pub fn attached(pdf: &[u8]) -> Result<Attached, NoAttachment> {
    sorted(texts(pdf)?, false)
}

/// The same of a file that another program has written anew: no form is asked for, every stream is looked into. Nothing of how the paper looks
/// can be told from it.
///
/// # Errors
/// There is no record in it.
pub fn attached_anyhow(pdf: &[u8]) -> Result<Attached, NoAttachment> {
    let (mut texts, mut from, mut room) = (vec![], 0, MOST);
    while let Some(start) = find(pdf, from, b"stream").map(|at| at + 6) {
        let start = start + pdf[start..].iter().take(2).take_while(|b| matches!(b, b'\r' | b'\n')).count();
        let Some(end) = find(pdf, start, b"endstream") else { break };
        from = end + 9;
        let packed = &pdf[start..end];
        let mut bytes = vec![];
        let plain = flate2::read::ZlibDecoder::new(packed).take(room).read_to_end(&mut bytes);
        // What is not packed stands there as it is.
        let bytes = if plain.is_ok() { bytes } else { packed.to_vec() };
        room = room.checked_sub(bytes.len() as u64).filter(|room| *room > 0).ok_or(NoAttachment::Damaged)?;
        // Whether a line end before the word that ends a stream is of it, some say and some do not: a proof ends with one, the rest with none.
        let text = String::from_utf8(bytes).unwrap_or_default();
        let text = text.trim_end_matches(['\r', '\n']);
        if text.starts_with(PROOF_START) {
            texts.push(format!("{text}\n"));
        } else if text.starts_with('{') && text.contains("\"format\":\"jurex-") {
            texts.push(text.to_string());
        }
    }
    sorted(texts, true)
}

/// Every attached text, in the one form in which papers hold them.
fn texts(pdf: &[u8]) -> Result<Vec<String>, NoAttachment> {
    let mut texts = vec![];
    let (mut from, mut room) = (0, MOST);
    while let Some(kind) = find(pdf, from, b"/Type/EmbeddedFile") {
        let start = find(pdf, kind, b"stream\n").map(|at| at + 7).ok_or(NoAttachment::Damaged)?;
        let end = find(pdf, start, b"\nendstream").ok_or(NoAttachment::Damaged)?;
        let mut text = String::new();
        let mut plain = flate2::read::ZlibDecoder::new(&pdf[start..end]).take(room);
        plain.read_to_string(&mut text).map_err(|_| NoAttachment::Damaged)?;
        // Of all of them together: many that are small in the file can be large in memory.
        room = room.checked_sub(text.len() as u64).filter(|room| *room > 0).ok_or(NoAttachment::Damaged)?;
        texts.push(text);
        from = end;
    }
    Ok(texts)
}

/// Tells the texts apart.
fn sorted(texts: Vec<String>, rewritten: bool) -> Result<Attached, NoAttachment> {
    let kind_of = |text: &str| match text {
        _ if text.starts_with(PROOF_START) => AttachmentKind::Proof,
        _ if text.starts_with(House::START) => AttachmentKind::House,
        _ if text.contains("\"format\":\"jurex-verification/") => AttachmentKind::Verification,
        _ => AttachmentKind::Record,
    };
    let first = |kind: AttachmentKind| texts.iter().find(|t| kind_of(t) == kind).cloned();
    let record = first(AttachmentKind::Record).ok_or(NoAttachment::None)?;
    let (proof, house) = (first(AttachmentKind::Proof), first(AttachmentKind::House));
    let verifications = texts.into_iter().filter(|t| kind_of(t) == AttachmentKind::Verification).collect();
    Ok(Attached { record, proof, house, verifications, rewritten })
}

/// What an attached text is.
#[derive(Clone, Copy, PartialEq, Eq)]
enum AttachmentKind {
    Record,
    Proof,
    House,
    Verification,
}

fn find(pdf: &[u8], from: usize, what: &[u8]) -> Option<usize> {
    pdf[from..].windows(what.len()).position(|w| w == what).map(|at| from + at)
}

/// How a proof of a ledger begins (C2SP tlog-proof).
const PROOF_START: &str = "c2sp.org/tlog-proof@";

/// Whether `pdf` is to the byte what this version prints of that lot so.
pub fn is_as_printed_of_lot(pdf: &[u8], statement: &Statement, house: &House) -> bool {
    lot_certificate(statement, house).is_ok_and(|printed| printed == pdf)
}

/// Whether `pdf` is to the byte what this version prints of those files or that free space so.
pub fn is_as_printed_of_less(pdf: &[u8], record: &FileEraseRecord, house: &House) -> bool {
    less_paper(record, house).is_ok_and(|printed| printed == pdf)
}

/// Whether `pdf` is to the byte what this version prints of that destruction so.
pub fn is_as_printed_of_destruction(pdf: &[u8], release: &Release, house: &House) -> bool {
    destruction_paper(release, house).is_ok_and(|printed| printed.as_deref() == Some(pdf))
}

/// Whether `pdf` is to the byte what this version prints of `record` so.
pub fn is_as_printed(pdf: &[u8], record: &Record, print: &Print) -> bool {
    certificate(record, print).is_ok_and(|printed| printed == pdf)
}
