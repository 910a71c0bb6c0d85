//! The facts that a rule is asked about, gathered from evidence or from a plan.

use super::data::{Condition, LackKind, Media, Technique};
use crate::evidence::{Ended, Evidence, ReadBack};
use crate::media::{Bus, Drive, HiddenAreas};
use crate::pattern::{Base, Pattern};
use crate::ranges::RangeSet;
use crate::units::{counted, grouped};

/// A shortcoming with its details.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Lack {
    /// Its kind.
    pub kind: LackKind,
    /// What exactly is lacking, for people; `None`: the rule's own words say it.
    pub detail: Option<String>,
}

impl Lack {
    fn of(kind: LackKind, detail: impl Into<String>) -> Self {
        Self { kind, detail: Some(detail.into()) }
    }
}

/// What [`super::evaluate`] judges: the media, how it was reached and treated, and what the evidence lacks.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Case {
    /// The kind of media.
    pub media: Media,
    /// What was done to it.
    pub technique: Technique,
    /// Whether a bridge stands before it.
    pub bridged: bool,
    /// Whether the drive is simulated.
    pub simulated: bool,
    /// Conditions that are known to be met.
    pub met: Vec<Condition>,
    /// Everything that reach or evidence lacks.
    pub lacks: Vec<Lack>,
}

impl Case {
    /// A treatment of the whole of `drive` by `technique` on which nothing would go wrong: only what the drive itself
    /// keeps from being reached is lacking.
    pub fn foreseen(drive: &Drive, technique: Technique, met: Vec<Condition>) -> Self {
        let hides_native = drive.bridged.then_some(Lack { kind: LackKind::BehindBridge, detail: None });
        Self {
            media: Media::of(drive),
            technique,
            bridged: drive.bridged,
            simulated: drive.simulated,
            met,
            lacks: unreached(drive).into_iter().chain(hides_native).collect(),
        }
    }

    /// The overwriting that `evidence` tells of.
    pub fn of_overwrite(evidence: &Evidence) -> Self {
        let met = if has_complement_pair(evidence) { vec![Condition::ComplementPair] } else { vec![] };
        let mut case = Self::foreseen(&evidence.drive, Technique::Overwrite, met);
        let found = [ended(evidence), case.lacks, writing_faults(evidence), proof_faults(evidence)];
        case.lacks = found.into_iter().flatten().collect();
        case
    }
}

fn ended(evidence: &Evidence) -> Vec<Lack> {
    let mut found = vec![];
    if evidence.ended != Ended::Finished {
        found.push(Lack::of(LackKind::EndedEarly, evidence.ended.sentence()));
    }
    if !evidence.is_whole() {
        let covered = format!(
            "Only {} of {} sectors were covered: a part never sanitizes a drive.",
            grouped(evidence.range.count),
            grouped(evidence.drive.geometry.sectors)
        );
        found.push(Lack::of(LackKind::Part, covered));
    }
    found
}

fn unreached(drive: &Drive) -> Option<Lack> {
    match drive.hidden {
        HiddenAreas::Hidden { .. } => {
            Some(Lack::of(LackKind::Hidden, format!("{} They were not reached.", drive.hidden.sentence())))
        }
        // Only ATA drives can hide sectors by a command of their own; what could hide there and was not asked for counts as hidden.
        HiddenAreas::NotAsked if drive.bus == Bus::Sata => Some(Lack::of(
            LackKind::HiddenNotAsked,
            "Whether the drive hides sectors from the host was not asked, so they may not all have been reached.",
        )),
        HiddenAreas::NotAsked | HiddenAreas::None => None,
    }
}

fn writing_faults(evidence: &Evidence) -> Vec<Lack> {
    let mut found = vec![];
    let unwritable = evidence.unwritable();
    if !unwritable.is_empty() {
        let said = format!("{} could not be written ({}).", counted(unwritable.count(), "sector"), unwritable.sentence(3));
        found.push(Lack::of(LackKind::Unwritable, said));
    }
    let not_laid = evidence.passes.iter().filter(|p| p.laid.count() + p.unwritable.count() < evidence.range.count).count();
    let missing = (evidence.planned_passes as usize).saturating_sub(evidence.passes.len());
    if evidence.ended == Ended::Finished && (not_laid + missing > 0 || evidence.passes.is_empty()) {
        found.push(Lack::of(LackKind::PassMissing, "Not every planned pass was laid on every sector."));
    }
    if evidence.ended == Ended::Finished && evidence.passes.iter().any(|p| !p.flushed) {
        let said = "The drive's cache could not be flushed: what was written may not be on the media.";
        found.push(Lack::of(LackKind::NotFlushed, said));
    }
    found
}

fn proof_faults(evidence: &Evidence) -> Vec<Lack> {
    let mut found = vec![];
    let (wrong, unreadable) = (evidence.wrong(), evidence.unreadable());
    if !wrong.is_empty() {
        let said = format!("{} did not hold what was laid ({}).", counted(wrong.count(), "sector"), wrong.sentence(3));
        found.push(Lack::of(LackKind::Wrong, said));
    }
    if !unreadable.is_empty() {
        let said = format!("{} could not be read back ({}).", counted(unreadable.count(), "sector"), unreadable.sentence(3));
        found.push(Lack::of(LackKind::Unreadable, said));
    }
    if evidence.ended == Ended::Finished {
        match evidence.passes.last().and_then(|p| p.read_back.as_ref()) {
            None => {
                let said = "The last pass was not read back: what was not read back is not proved.";
                found.push(Lack::of(LackKind::NotReadBack, said));
            }
            Some(read) if !is_complete(read, evidence) => {
                found.push(Lack::of(LackKind::ReadInPart, "The last pass was read back only in part."));
            }
            Some(_) => {}
        }
    }
    found
}

/// Whether every place that was to be read was read, or found unreadable.
fn is_complete(read: &ReadBack, evidence: &Evidence) -> bool {
    let mut met = read.read.clone();
    met.extend(&read.unreadable);
    match &read.sampling {
        None => met.count() >= evidence.range.count,
        Some(sampling) => met.covers(&sampling.places(evidence.range)),
    }
}

/// A pass and right after it its complement, both laid on every sector of the range.
fn has_complement_pair(evidence: &Evidence) -> bool {
    let whole = |laid: &RangeSet| laid.count() == evidence.range.count;
    evidence
        .passes
        .windows(2)
        .any(|pair| whole(&pair[0].laid) && whole(&pair[1].laid) && complements(&pair[0].pattern, &pair[1].pattern))
}

/// Whether one pattern turns over every bit of the other. A record drops the seed of a spent random pass but keeps that
/// of its complement, so two random patterns are told to belong together by their seeds, or by one seed being dropped:
/// only the notation's `~` makes a complemented random pass, and it complements the pass right before it.
fn complements(first: &Pattern, second: &Pattern) -> bool {
    match (&first.base, &second.base) {
        (Base::Random { seed: a }, Base::Random { seed: b }) => {
            first.complemented != second.complemented && (a == b || a.is_none() || b.is_none())
        }
        _ => second.is_complement_of(first),
    }
}
