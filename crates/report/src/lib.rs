//! Certificates and drawings, made from records only.
//!
//! What does not live here: any judgement (the claim comes with the record) and any file access (bytes are returned).
#![forbid(unsafe_code)]

mod certificate;
mod drawing;
mod fonts;
mod page;
mod pdf;

pub use certificate::{CertificateError, certificate};
use jurex_core::record::Record;
use jurex_core::strata::Strata;

/// The strata of a record's drive as SVG.
pub fn strata_svg(record: &Record) -> String {
    drawing::strata::draw(&Strata::of(record.evidence(), &record.before), 720.0).to_svg()
}

/// Speed over position of a record's passes as SVG; `None` if nothing was laid.
pub fn pace_svg(record: &Record) -> Option<String> {
    drawing::pace::draw(record.evidence(), 720.0, 200.0).map(|d| d.to_svg())
}
