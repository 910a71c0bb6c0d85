//! Certificates and drawings, made from records only.
//!
//! What does not live here: any judgement (the claim comes with the record) and any file access (bytes are returned).
//!
//! ```
//! let record = jurex_sanitize::testing::record();
//! assert!(jurex_documents::strata_svg(&record).starts_with("<svg"));
//! ```
#![forbid(unsafe_code)]

mod attached;
mod branding;
mod certificate;
mod drawing;
mod file_erase;
mod fonts;
mod label;
mod lot;
mod page;
mod pdf;
mod preview;
mod print;
mod qr;
mod release;
mod words;

pub use attached::{
    Attached, NoAttachment, attached, attached_anyhow, is_as_printed, is_as_printed_of_destruction, is_as_printed_of_less,
    is_as_printed_of_lot,
};
pub use branding::{Colour, House, HouseError, Language, OwnField, PageSize, Picture};
pub use certificate::{CertificateError, certificate};
pub use file_erase::{less_paper, less_paper_with, less_svg};
use jurex_sanitize::record::{Papers, Record};
use jurex_sanitize::strata::Strata;
pub use label::{LabelError, LabelSize, LabelsError, PrintedLabel, labels_pdf};
pub use lot::lot_certificate;
pub use pdf::PdfError;
pub use preview::{PreviewLine, preview};
pub use print::{LedgerEntry, Print};
pub use qr::{Code, NoCode};
pub use release::destruction_paper;

/// Signs in what people have written that the fonts of papers lack: a name is printed as it is written, or refused before anything is.
pub fn unprintable(papers: &Papers) -> Vec<char> {
    let mut lacking: Vec<char> = papers.texts().flat_map(|text| text.chars()).filter(|c| !fonts::fonts().can_show(*c)).collect();
    lacking.sort_unstable();
    lacking.dedup();
    lacking
}

/// The strata of a record's drive as SVG.
pub fn strata_svg(record: &Record) -> String {
    drawing::strata::draw(&Strata::of(record.evidence(), &record.before), 720.0).to_svg()
}

/// Speed over position of a record's passes as SVG; `None` if nothing was laid.
pub fn pace_svg(record: &Record) -> Option<String> {
    drawing::pace::draw(record.evidence(), 720.0, 200.0).map(|d| d.to_svg())
}
