//! The form in which a drive is released: the kind, its fields, and what came of it.

use crate::field::{Field, Typed};
use jurex_device::media::MediaClass;
use jurex_disposition::release::{How, PrepareOrder, TableScheme};
use jurex_past::KnownDrive;
use jurex_pattern::choice::{beside, place_beside};
use jurex_station::release::{Becomes, MakerOf, WantedRelease, makers};
use std::collections::BTreeMap;

/// A field of the form.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum ReleaseField {
    /// What becomes of it.
    Kind,
    /// From whom, or to whom.
    Whom,
    /// Shelf, bench, or where it was destroyed.
    Place,
    /// The service that destroys it.
    Service,
    /// The batch that it goes with.
    Batch,
    /// Number of the service's certificate.
    Certificate,
    /// How it was destroyed.
    How,
    /// The largest piece, in millimetres.
    Pieces,
    /// The degausser's field, in oersted.
    FieldStrength,
    /// The drive's coercivity, in oersted.
    Coercivity,
    /// Whether the degausser is rated for it.
    Rated,
    /// The machine.
    Machine,
    /// Who did it.
    DoneBy,
    /// Who saw it.
    Witness,
    /// The table for its next user.
    Table,
    /// Volumes for its next user.
    Volumes,
    /// What stays free, in parts of a hundred.
    Spare,
    /// Whether all of it is discarded first.
    Discard,
    /// The label check.
    Label,
    /// Why a statement is withdrawn.
    Why,
}

/// The kinds in the order in which they are offered: what most erased drives become comes first.
pub const KINDS: [Becomes; 11] = [
    Becomes::Blank,
    Becomes::Prepared,
    Becomes::Stored,
    Becomes::Returned,
    Becomes::HandedOver,
    Becomes::Destroyed,
    Becomes::SentOut,
    Becomes::TablesCleared,
    Becomes::Received,
    Becomes::AtBench,
    Becomes::Withdrawn,
];

/// A kind in a few words, and what it means.
pub fn said(kind: Becomes) -> (&'static str, &'static str) {
    match kind {
        Becomes::Blank => (
            "left blank",
            "It stays as its erasure left it. That records no destination: it stays open until it is stored, returned, handed over or destroyed.",
        ),
        Becomes::Prepared => {
            ("prepared", "It gets a table and volumes, so that its next user finds it ready. That is no erasure.")
        }
        Becomes::Stored => ("stored", "It is put away. Scan or type the shelf or the box."),
        Becomes::Returned => ("returned", "It goes back to whom it came from."),
        Becomes::HandedOver => ("handed over", "It goes to somebody else."),
        Becomes::Destroyed => {
            ("destroyed", "The outcome follows from what you state, by the rules; the paper says that it rests on that.")
        }
        Becomes::SentOut => ("sent out", "A service destroys it. It stays open until their certificate is entered here."),
        Becomes::TablesCleared => (
            "tables cleared",
            "Only the tables of a stubborn drive are cleared, quickly. That is no erasure: all else stays on it.",
        ),
        Becomes::Received => ("came in", "It has come in and waits for its erasure."),
        Becomes::AtBench => ("at the bench", "It was brought to a bench."),
        Becomes::Withdrawn => {
            ("withdrawn", "The newest statement about it is taken back: it stays to be read, and counts for nothing any more.")
        }
    }
}

impl ReleaseField {
    /// What it is called where this becomes of the drive.
    pub fn label(self, kind: Becomes) -> &'static str {
        match (self, kind) {
            (ReleaseField::Kind, _) => "release as",
            (ReleaseField::Whom, Becomes::Received) => "from",
            (ReleaseField::Whom, _) => "to",
            (ReleaseField::Place, Becomes::Stored) => "shelf or box",
            (ReleaseField::Place, Becomes::AtBench) => "bench",
            (ReleaseField::Place, _) => "where",
            (ReleaseField::Service, _) => "service",
            (ReleaseField::Batch, _) => "batch",
            (ReleaseField::Certificate, _) => "their certificate",
            (ReleaseField::How, _) => "how",
            (ReleaseField::Pieces, _) => "largest piece, mm",
            (ReleaseField::FieldStrength, _) => "field, oersted",
            (ReleaseField::Coercivity, _) => "coercivity, oersted",
            (ReleaseField::Rated, _) => "rated for it",
            (ReleaseField::Machine, _) => "machine",
            (ReleaseField::DoneBy, _) => "done by",
            (ReleaseField::Witness, _) => "seen by",
            (ReleaseField::Table, _) => "table",
            (ReleaseField::Volumes, _) => "volumes",
            (ReleaseField::Spare, _) => "stays free, %",
            (ReleaseField::Discard, _) => "discard first",
            (ReleaseField::Label, _) => "label of the drive",
            (ReleaseField::Why, _) => "why",
        }
    }

    /// What left and right turn it through; empty: it is typed.
    fn choices(self) -> Vec<&'static str> {
        match self {
            ReleaseField::Kind => KINDS.map(|kind| said(kind).0).to_vec(),
            ReleaseField::How => How::ALL.map(How::word).to_vec(),
            ReleaseField::Rated | ReleaseField::Discard => vec!["no", "yes"],
            ReleaseField::Table => vec!["gpt", "mbr"],
            _ => vec![],
        }
    }

    /// Whether left and right turn it through a few values.
    pub fn is_choice(self) -> bool {
        !self.choices().is_empty()
    }
}

/// The form.
#[derive(Debug, Default)]
pub struct ReleaseForm {
    /// What was chosen; `None`: what fits how the drive stands.
    chosen: Option<Becomes>,
    fits: Option<Becomes>,
    values: BTreeMap<ReleaseField, String>,
    /// The field that is open, by its place.
    pub focus: Option<usize>,
    /// Its text, where it is typed.
    pub input: Field,
    /// Whether something is being done to the drive or noted now.
    pub is_busy: bool,
    /// What came of the last one, each a sentence; `Err`: why nothing did.
    pub outcome: Option<Result<Vec<String>, String>>,
    /// Whether it was said that it has gone: put away, returned, handed over, destroyed.
    pub has_gone: bool,
    /// All that the ledger knows of the drive.
    pub known: Option<Box<KnownDrive>>,
}

impl ReleaseForm {
    /// What becomes of it, as it stands in the form.
    pub fn kind(&self) -> Becomes {
        self.chosen.or(self.fits).unwrap_or(KINDS[0])
    }

    /// This kind fits how the drive stands now; what a person chose stays.
    pub fn suggest(&mut self, kind: Becomes) {
        self.fits = Some(kind);
    }

    /// The next value of the choice that is open, or the one before.
    pub fn turn(&mut self, forwards: bool) {
        let Some(field) = self.asked() else { return };
        if field == ReleaseField::Kind {
            (self.chosen, self.outcome) = (Some(beside(&KINDS, self.kind(), forwards)), None);
            return;
        }
        let (choices, now) = (field.choices(), self.shown(field));
        if choices.contains(&now.as_str()) {
            self.values.insert(field, beside(&choices, now.as_str(), forwards).into());
        }
    }

    /// The fields of the present kind, in order.
    pub fn fields(&self) -> Vec<ReleaseField> {
        use ReleaseField as F;
        let of_kind = match self.kind() {
            Becomes::Blank => vec![F::Discard, F::Label],
            Becomes::Prepared => vec![F::Table, F::Volumes, F::Spare, F::Discard, F::Label],
            Becomes::TablesCleared => vec![F::Label],
            Becomes::Stored | Becomes::AtBench => vec![F::Place],
            Becomes::Returned | Becomes::HandedOver | Becomes::Received => vec![F::Whom],
            Becomes::SentOut => vec![F::Service, F::Batch],
            Becomes::Withdrawn => vec![F::Why],
            Becomes::Destroyed => {
                let how = self.how();
                let of_pieces = how.is_some_and(How::leaves_pieces).then_some(F::Pieces);
                let degaussed = how == Some(How::Degaussed);
                let of_field = [F::FieldStrength, F::Coercivity, F::Rated].into_iter().filter(move |_| degaussed);
                let rest = [F::Label, F::Place, F::Witness, F::Batch, F::DoneBy, F::Machine, F::Service, F::Certificate];
                std::iter::once(F::How).chain(of_pieces).chain(of_field).chain(rest).collect()
            }
        };
        std::iter::once(F::Kind).chain(of_kind).collect()
    }

    /// How it was destroyed.
    pub fn how(&self) -> Option<How> {
        let word = self.shown(ReleaseField::How);
        How::ALL.into_iter().find(|h| h.word() == word)
    }

    /// A field's value: what was chosen or typed, else what a choice begins with.
    pub fn shown(&self, field: ReleaseField) -> String {
        if field == ReleaseField::Kind {
            return said(self.kind()).0.into();
        }
        let first = || field.choices().first().map(|c| (*c).to_string()).unwrap_or_default();
        self.values.get(&field).cloned().unwrap_or_else(first)
    }

    /// The field that is being edited.
    pub fn asked(&self) -> Option<ReleaseField> {
        self.fields().get(self.focus?).copied()
    }

    /// Goes to the next field, or to the one before.
    pub fn next_field(&mut self, forwards: bool) {
        self.store();
        let all = self.fields().len();
        if all == 0 {
            return;
        }
        let next = match self.focus {
            None if forwards => 0,
            None => all - 1,
            Some(at) => place_beside(at, all, forwards),
        };
        self.focus = Some(next);
        self.input = Field::of(&self.fields().get(next).map(|f| self.shown(*f)).unwrap_or_default());
    }

    /// Leaves the form; what was typed stays.
    pub fn leave(&mut self) {
        self.store();
        self.focus = None;
    }

    /// Changes the field that is open, if it is one that is typed.
    pub fn type_in(&mut self, typed: &Typed<'_>) {
        if self.asked().is_some_and(|field| !field.is_choice()) {
            self.input.take(typed);
            self.store();
        }
    }

    fn store(&mut self) {
        if let Some(field) = self.asked().filter(|f| !f.is_choice()) {
            self.values.insert(field, self.input.value().to_string());
        }
    }

    /// What it says, to be done.
    ///
    /// # Errors
    /// A number that is none.
    pub fn wanted(&self) -> Result<WantedRelease, String> {
        let fields = self.fields();
        let text = |field| if fields.contains(&field) { self.shown(field).trim().to_string() } else { String::new() };
        let is_yes = |field| text(field) == "yes";
        let label = text(ReleaseField::Label);
        Ok(WantedRelease {
            becomes: Some(self.kind()),
            whom: text(ReleaseField::Whom),
            place: text(ReleaseField::Place),
            service: text(ReleaseField::Service),
            batch: text(ReleaseField::Batch),
            certificate: text(ReleaseField::Certificate),
            how: self.how(),
            particle_mm: number(&text(ReleaseField::Pieces), "millimetres")?,
            field_oersted: number(&text(ReleaseField::FieldStrength), "oersted")?,
            coercivity_oersted: number(&text(ReleaseField::Coercivity), "oersted")?,
            rated: is_yes(ReleaseField::Rated),
            machine: text(ReleaseField::Machine),
            done_by: text(ReleaseField::DoneBy),
            witness: text(ReleaseField::Witness),
            photo: String::new(),
            table: if text(ReleaseField::Table) == "mbr" { TableScheme::Mbr } else { TableScheme::Gpt },
            volumes: text(ReleaseField::Volumes).split(',').map(|v| v.trim().to_string()).filter(|v| !v.is_empty()).collect(),
            spare: number(&text(ReleaseField::Spare), "parts of a hundred")?,
            discard: is_yes(ReleaseField::Discard),
            label: (!label.is_empty()).then_some(label),
            by_batch: false,
            statement: String::new(),
            why: text(ReleaseField::Why),
        })
    }

    /// What is to be known before it is done, each a sentence.
    pub fn hints(&self, class: MediaClass, simulated: bool) -> Vec<String> {
        match self.kind() {
            Becomes::Prepared => {
                let spare = match PrepareOrder::usual_spare(class) {
                    0 => "Empty for what stays free: nothing.".to_string(),
                    n => format!("Empty for what stays free: {n}. A solid state drive works longer and faster when it has room."),
                };
                let mut hints =
                    vec!["Volumes as fat32:TIDES:32GB, ext4:logs: one without a size takes what is left.".into(), spare];
                hints.extend(makers(simulated).into_iter().filter_map(|(_, maker)| {
                    if let MakerOf::Missing(why) = maker {
                        Some(format!("⊘ {}.", jurex_pattern::text::capital(&why)))
                    } else {
                        None
                    }
                }));
                hints.dedup();
                hints
            }
            Becomes::Destroyed => {
                let asked = "It must be taken out first. Asked for: its label, where it was done, and who saw it or its batch.";
                std::iter::once(asked.to_string()).chain(self.how().map(|how| how.protects().to_string())).collect()
            }
            Becomes::Blank => {
                vec!["To discard tells the drive that all of it is unused: it is faster then. That is no erasure.".into()]
            }
            _ => vec![],
        }
    }
}

/// A number that may be left out.
fn number<T: std::str::FromStr>(text: &str, of: &str) -> Result<Option<T>, String> {
    if text.is_empty() {
        return Ok(None);
    }
    text.replace(',', ".").parse().map(Some).map_err(|_| format!("`{text}` is no number of {of}."))
}
