//! The fields of a certificate that only people know, and the form in which they are filled in.

use jurex_look::field::Field;
use jurex_sanitize::need::Sensitivity;
use jurex_sanitize::record::{Backup, Papers};

/// The fields of the certificate that people fill in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum PaperField {
    PropertyNumber,
    Source,
    Lot,
    Destination,
    CategoryAfter,
    Backup,
    TechnicianName,
    BackupPlace,
    Maker,
    Notes,
    TechnicianTitle,
    TechnicianOrganisation,
    TechnicianPlace,
    TechnicianContact,
    ValidatorName,
    ValidatorTitle,
    ValidatorOrganisation,
    ValidatorPlace,
    ValidatorContact,
}

impl PaperField {
    pub(crate) const ALL: [PaperField; 19] = [
        PaperField::PropertyNumber,
        PaperField::Source,
        PaperField::Lot,
        PaperField::Destination,
        PaperField::CategoryAfter,
        PaperField::Backup,
        PaperField::BackupPlace,
        PaperField::Maker,
        PaperField::Notes,
        PaperField::TechnicianName,
        PaperField::TechnicianTitle,
        PaperField::TechnicianOrganisation,
        PaperField::TechnicianPlace,
        PaperField::TechnicianContact,
        PaperField::ValidatorName,
        PaperField::ValidatorTitle,
        PaperField::ValidatorOrganisation,
        PaperField::ValidatorPlace,
        PaperField::ValidatorContact,
    ];

    pub(crate) fn label(self) -> &'static str {
        match self {
            PaperField::PropertyNumber => "property number",
            PaperField::Source => "source",
            PaperField::Lot => "lot",
            PaperField::Destination => "destination",
            PaperField::CategoryAfter => "confidential after",
            PaperField::Backup => "backed up",
            PaperField::BackupPlace => "  where to",
            PaperField::Maker => "maker, if unknown",
            PaperField::Notes => "notes",
            PaperField::TechnicianOrganisation | PaperField::ValidatorOrganisation => "  organisation",
            PaperField::TechnicianName => "sanitized by",
            PaperField::TechnicianTitle | PaperField::ValidatorTitle => "  title",
            PaperField::TechnicianPlace | PaperField::ValidatorPlace => "  place",
            PaperField::TechnicianContact | PaperField::ValidatorContact => "  contact",
            PaperField::ValidatorName => "validated by",
        }
    }

    /// Whether Space turns it through a few answers instead of being typed.
    pub(crate) fn is_choice(self) -> bool {
        matches!(self, PaperField::CategoryAfter | PaperField::Backup)
    }

    pub(crate) fn text(self, papers: &mut Papers) -> Option<&mut String> {
        Some(match self {
            PaperField::PropertyNumber => &mut papers.property_number,
            PaperField::Source => &mut papers.source,
            PaperField::Lot => &mut papers.lot,
            PaperField::Destination => &mut papers.destination,
            PaperField::BackupPlace => &mut papers.backup_place,
            PaperField::Maker => &mut papers.maker,
            PaperField::Notes => &mut papers.notes,
            PaperField::TechnicianOrganisation => &mut papers.technician.organisation,
            PaperField::ValidatorOrganisation => &mut papers.validator.organisation,
            PaperField::TechnicianName => &mut papers.technician.name,
            PaperField::TechnicianTitle => &mut papers.technician.title,
            PaperField::TechnicianPlace => &mut papers.technician.place,
            PaperField::TechnicianContact => &mut papers.technician.contact,
            PaperField::ValidatorName => &mut papers.validator.name,
            PaperField::ValidatorTitle => &mut papers.validator.title,
            PaperField::ValidatorPlace => &mut papers.validator.place,
            PaperField::ValidatorContact => &mut papers.validator.contact,
            PaperField::CategoryAfter | PaperField::Backup => return None,
        })
    }

    pub(crate) fn shown(self, papers: &Papers) -> String {
        match self {
            PaperField::CategoryAfter => papers.category_after.map(|c| c.to_string()).unwrap_or_default(),
            PaperField::Backup => papers.backup.to_string(),
            field => field.text(&mut papers.clone()).map(|t| t.clone()).unwrap_or_default(),
        }
    }
}

/// The form of Certify: which field is being edited, and its text.
#[derive(Debug, Default)]
pub(crate) struct Form {
    pub(crate) focus: Option<usize>,
    pub(crate) input: Field,
}

/// The answers to "backed up?" in the order in which Tab or Space turns through them.
pub(crate) fn next_backup(backup: Backup) -> Backup {
    match backup {
        Backup::Unknown => Backup::Yes,
        Backup::Yes => Backup::No,
        Backup::No => Backup::NotNeeded,
        Backup::NotNeeded => Backup::Unknown,
    }
}

pub(crate) fn next_category(category: Option<Sensitivity>) -> Option<Sensitivity> {
    match category {
        None => Some(Sensitivity::Low),
        Some(Sensitivity::Low) => Some(Sensitivity::Moderate),
        Some(Sensitivity::Moderate) => Some(Sensitivity::High),
        Some(Sensitivity::High) => None,
    }
}
