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

/// Signs in what people and drives have written that the certificate's fonts lack: they print as `?`. The record itself
/// keeps them.
pub fn unprintable(record: &Record) -> Vec<char> {
    let papers = record.papers();
    let drive = record.evidence().drive();
    let path = drive.shown_path();
    let people = [&papers.technician, &papers.validator];
    let of_people = people.into_iter().flat_map(|p| [&p.name, &p.title, &p.organisation, &p.place, &p.contact]);
    let of_papers = [
        &papers.organisation,
        &papers.lot,
        &papers.source,
        &papers.property_number,
        &papers.destination,
        &papers.backup_place,
        &papers.maker,
        &papers.notes,
        &record.method.title,
        &path,
    ];
    let of_drive = [&drive.unit.maker, &drive.unit.model, &drive.unit.serial].into_iter().flatten();
    let of_volumes = record.before.regions.iter().filter_map(|r| r.label.as_ref());
    let mut lacking: Vec<char> = of_people
        .chain(of_papers)
        .chain(of_drive)
        .chain(of_volumes)
        .flat_map(|text| text.chars())
        .filter(|c| !fonts::fonts().can_show(*c))
        .collect();
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
