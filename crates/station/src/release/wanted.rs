//! What is wanted of a drive before it goes, from the command line or from a form: what is said of it, and what is written to it.

use super::{Subject, permit, write};
use crate::bench::DriveSnapshot;
use crate::exit::Failure;
use jurex_disposition::release::{
    Act, Destruction, DiskLayout, How, LayoutError, Leave, Named, Outside, PlannedVolume, PrepareOrder, TableScheme, check_who,
};
use jurex_pattern::text::printable;
use jurex_sanitize::rules::Outcome;

/// What becomes of a drive.
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub enum Becomes {
    /// It came in
    Received,
    /// It was brought to a bench
    AtBench,
    /// It stays as its erasure left it
    Blank,
    /// It gets a table and volumes for its next user
    Prepared,
    /// Its tables are cleared, quickly; that is no erasure
    TablesCleared,
    /// It was destroyed, or damaged: the outcome follows from what is stated
    Destroyed,
    /// It goes to a service that destroys it
    SentOut,
    /// It was put away
    Stored,
    /// It goes back to whom it came from
    Returned,
    /// It is handed to somebody
    HandedOver,
    /// A statement about it is taken back: it stays in the ledger, and counts for nothing from now on
    Withdrawn,
}

/// All that can be said of it.
#[derive(Clone, Debug, Default)]
pub struct WantedRelease {
    pub becomes: Option<Becomes>,
    /// From or to whom.
    pub whom: String,
    pub place: String,
    pub service: String,
    pub batch: String,
    pub certificate: String,
    pub how: Option<How>,
    pub particle_mm: Option<f64>,
    pub field_oersted: Option<u32>,
    pub coercivity_oersted: Option<u32>,
    pub rated: bool,
    pub machine: String,
    pub done_by: String,
    pub witness: String,
    /// SHA-256 of a photograph.
    pub photo: String,
    pub table: TableScheme,
    pub volumes: Vec<String>,
    pub spare: Option<u8>,
    pub discard: bool,
    /// The label as it was read from the drive.
    pub label: Option<String>,
    /// Whether drives are named by the batch that they went away with.
    pub by_batch: bool,
    /// The beginning of the digest of a statement that is withdrawn; empty: the newest that can be.
    pub statement: String,
    /// Why it is.
    pub why: String,
}

impl From<LayoutError> for Failure {
    fn from(e: LayoutError) -> Self {
        Failure::Use(format!("{e}. Nothing was written"))
    }
}

impl WantedRelease {
    /// Whether something is written to the drive.
    pub fn writes(&self) -> bool {
        matches!(self.becomes, Some(Becomes::Prepared | Becomes::TablesCleared)) || self.discard
    }

    /// Says or does it; gives what is to be noted, in order.
    ///
    /// # Errors
    /// Something is not said, or the drive can't be written to: what was and was not done.
    pub fn carry_out(&self, subject: &Subject, seen: Option<&DriveSnapshot>, by: &str) -> Result<Vec<Act>, Failure> {
        // What is done must be noted: whether it can be is known first.
        check_who(by, &subject.drive, subject.job.as_ref())?;
        if self.writes() { self.written(subject, seen) } else { self.stated(subject, seen, by).map(|act| vec![act]) }
    }

    /// What needs nothing to be written to the drive.
    fn stated(&self, subject: &Subject, seen: Option<&DriveSnapshot>, by: &str) -> Result<Act, Failure> {
        let becomes = self.becomes.ok_or_else(|| Failure::Use("say how the drive is released. Nothing was noted".into()))?;
        Ok(match becomes {
            Becomes::Received => Act::Received { from: self.whom.clone() },
            Becomes::AtBench => Act::AtBench { bench: self.place.clone() },
            Becomes::Blank => blank(subject, seen)?,
            Becomes::Stored => Act::Stored { place: self.place.clone() },
            Becomes::Returned => Act::Returned { to: self.whom.clone() },
            Becomes::HandedOver => Act::HandedOver { to: self.whom.clone() },
            Becomes::SentOut => Act::SentOut { service: self.service.clone(), batch: self.batch.clone() },
            Becomes::Destroyed => Act::Destroyed(self.destroyed(subject, seen, by)?),
            Becomes::Withdrawn => Act::Withdrawn { statement: self.withdrawn(subject)?, why: self.why.trim().into() },
            Becomes::Prepared | Becomes::TablesCleared => return Err(Failure::Defect("this is written to the drive".into())),
        })
    }

    /// The statement that is taken back.
    fn withdrawn(&self, subject: &Subject) -> Result<String, Failure> {
        let wanted = self.statement.trim().to_ascii_lowercase();
        // What withdraws is only meant where it is named.
        let fits = |release: &&jurex_disposition::release::Release| {
            if wanted.is_empty() {
                !matches!(release.act, Act::Withdrawn { .. } | Act::Marked(_))
            } else {
                release.digest().starts_with(&wanted)
            }
        };
        let called = subject.drive.called();
        let fitting: Vec<_> = subject.noted.iter().filter(fits).collect();
        match (&fitting[..], wanted.is_empty()) {
            ([], _) => Err(Failure::Use(format!("of {called} no such statement stands. Nothing was noted"))),
            ([one], _) | ([.., one], true) => Ok(one.digest()),
            (several, false) => Err(Failure::Use(format!(
                "{} statements begin with that: name more of the digest. Nothing was noted",
                several.len()
            ))),
        }
    }

    /// A destruction, of a drive that is named, is not here any more, and was not destroyed before.
    fn destroyed(&self, subject: &Subject, seen: Option<&DriveSnapshot>, by: &str) -> Result<Destruction, Failure> {
        let called = subject.drive.called();
        if let Some(seen) = seen {
            return Err(Failure::Refused(format!(
                "{called} is attached here, at {}, and answers: what is destroyed answers nothing. Take it out first. Nothing was noted",
                printable(seen.drive.path.as_bytes())
            )));
        }
        let stated = self.destruction(subject, by)?;
        let before = subject.noted.iter().rev().find_map(|r| if let Act::Destroyed(d) = &r.act { Some((r, d)) } else { None });
        match before {
            Some((release, before)) if release.outcome() != Some(Outcome::NotSanitized) || *before == stated => {
                let (when, digest) = (release.made.strftime("%Y-%m-%d %H:%M UTC"), &release.digest()[..8]);
                Err(Failure::Use(format!(
                    "that {called} was {} is noted already ({when}, by {}, statement {digest}): withdraw that first (--as withdrawn) if it is wrong. Nothing was noted",
                    before.how.word(),
                    printable(release.by.as_bytes())
                )))
            }
            _ => Ok(stated),
        }
    }

    /// How the drive was named; wrong: a refusal.
    fn named(&self, subject: &Subject) -> Result<Option<Named>, Failure> {
        match self.label.as_deref().map(str::trim).filter(|l| !l.is_empty()) {
            None => Ok(self.by_batch.then_some(Named::Batch)),
            Some(typed) if subject.drive.is_named_by(typed, subject.job.as_ref()) => Ok(Some(Named::Label)),
            Some(typed) => Err(Failure::Refused(format!(
                "`{}` is not the label of {}: nothing is said of another drive than that in your hand. Nothing was noted",
                printable(typed.as_bytes()),
                subject.drive.called()
            ))),
        }
    }

    fn destruction(&self, subject: &Subject, by: &str) -> Result<Destruction, Failure> {
        let (at_service, named) = (subject.at_service.as_ref(), self.named(subject)?);
        let how = self.how.ok_or_else(|| Failure::Use("say how it was destroyed. Nothing was noted".into()))?;
        // Back from a service: which one, and with which batch, stands in the ledger.
        let (service, batch) = at_service.cloned().unwrap_or_default();
        let or = |given: &String, known: String| if given.trim().is_empty() { known } else { given.clone() };
        let is_outside = !self.service.is_empty() || !self.certificate.is_empty() || at_service.is_some();
        let outside = is_outside.then(|| Outside {
            service: or(&self.service, service),
            batch: or(&self.batch, batch),
            certificate: self.certificate.clone(),
        });
        // What is done outside is done by the service.
        let usual = outside.as_ref().map_or_else(|| by.to_string(), |o| o.service.clone());
        Ok(Destruction {
            batch: if outside.is_some() { String::new() } else { self.batch.trim().into() },
            named,
            particle_mm: self.particle_mm,
            field_oersted: self.field_oersted,
            coercivity_oersted: self.coercivity_oersted,
            rated: self.rated,
            machine: self.machine.clone(),
            place: self.place.clone(),
            by: or(&self.done_by, usual),
            witness: self.witness.clone(),
            photo: self.photo.clone(),
            outside,
            ..Destruction::of(how)
        })
    }

    /// What is written to the drive.
    fn written(&self, subject: &Subject, seen: Option<&DriveSnapshot>) -> Result<Vec<Act>, Failure> {
        let called = subject.drive.called();
        let seen = seen.ok_or_else(|| {
            Failure::Use(format!("{called} is not attached: what is to be written needs the drive itself. Nothing was written"))
        })?;
        // What is guarded is said before what is wrong with the wish.
        let refused = |e| Failure::Refused(format!("{} may not be written to: {e}. Nothing was written", seen.drive.called()));
        let cleared = seen.verdict().map_err(refused)?;
        let leave = match self.becomes {
            Some(Becomes::Prepared) => {
                let volumes = self.volumes.iter().map(|v| v.parse()).collect::<Result<Vec<PlannedVolume>, LayoutError>>()?;
                Leave::Prepared(DiskLayout::of(
                    &PrepareOrder { table: self.table, volumes, spare_percent: self.spare },
                    &seen.drive,
                )?)
            }
            Some(Becomes::TablesCleared) => Leave::TablesCleared,
            _ => blank(subject, Some(seen)).map(|_| Leave::Blank)?,
        };
        let typed = self.label.as_deref().map(str::trim).filter(|l| !l.is_empty());
        let permit = permit(seen, &cleared, subject.record.as_deref(), typed)?.ok_or_else(|| {
            let asks = cleared.label().asks_for();
            let called = seen.drive.called();
            Failure::Refused(format!("{called} was not just erased here: its label is asked for ({asks}). Nothing was written"))
        })?;
        write(seen, cleared.label(), permit, &leave, self.discard)
    }
}

/// A drive may stay as its erasure left it only if an erasure has left it.
fn blank(subject: &Subject, seen: Option<&DriveSnapshot>) -> Result<Act, Failure> {
    let earned = subject.record.as_ref().is_some_and(|r| r.claim().outcome() != Outcome::NotSanitized);
    let called = subject.drive.called();
    // Where the drive is there, it is looked at.
    let found = seen.map(|seen| seen.look().0).filter(|found| found.table.is_some() || !found.regions.is_empty());
    if let Some(found) = found {
        return Err(Failure::Less(format!("{called} is not blank: {} Nothing was noted", found.sentence())));
    }
    if earned {
        return Ok(Act::Blank);
    }
    Err(Failure::Less(format!(
        "{called} is not blank: its newest job reached nothing, or it has none in this ledger. Nothing was noted"
    )))
}
