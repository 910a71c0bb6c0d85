//! The record in a paper: taken out of the file again, and the paper printed anew from it to see whether a byte was changed.

use crate::certificate::certificate;
use jurex_core::record::Record;
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

/// The record's text that is attached to a paper.
///
/// # Errors
/// There is none, or it can't be read.
pub fn attached(pdf: &[u8]) -> Result<String, NoAttachment> {
    let find = |from: usize, what: &[u8]| pdf[from..].windows(what.len()).position(|w| w == what).map(|at| from + at);
    let kind = find(0, b"/Type/EmbeddedFile").ok_or(NoAttachment::None)?;
    let start = find(kind, b"stream\n").map(|at| at + 7).ok_or(NoAttachment::Damaged)?;
    let end = find(start, b"\nendstream").ok_or(NoAttachment::Damaged)?;
    let mut text = String::new();
    let mut plain = flate2::read::ZlibDecoder::new(&pdf[start..end]).take(MOST);
    plain.read_to_string(&mut text).map_err(|_| NoAttachment::Damaged)?;
    Ok(text)
}

/// Whether `pdf` is to the byte what this version prints of `record`.
pub fn is_as_printed(pdf: &[u8], record: &Record) -> bool {
    certificate(record).is_ok_and(|printed| printed == pdf)
}
