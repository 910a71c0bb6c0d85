//! The facts that a rule is asked about, gathered from evidence or from a plan.

use super::data::{Condition, LackKind, Media, Technique};
use crate::evidence::{Ended, Evidence, Expect, OwnEvidence, PassEvidence, What};
use crate::media::{Bus, Drive, HiddenAreas, MediaClass, Protocol};
use crate::medium::AccessWay;
use crate::pattern::{Base, Pattern};
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
    /// Whether the system's cache stood between drive and program.
    pub buffered: bool,
    /// Areas of the unit without user data that no address reaches, in words.
    pub elsewhere: Option<String>,
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
        let quiet: Vec<&str> = drive.elsewhere.iter().filter(|e| !e.user_data).map(|e| e.what.as_str()).collect();
        Self {
            media: Media::of(drive),
            technique,
            bridged: drive.bridged,
            simulated: drive.simulated,
            buffered: false,
            elsewhere: (!quiet.is_empty()).then(|| quiet.join(", ")),
            met,
            lacks: unreached(drive).into_iter().chain(hides_native).collect(),
        }
    }

    /// Every stage of `evidence` that could earn something by itself.
    pub fn of_stages(evidence: &Evidence) -> Vec<Self> {
        let of_stage = |(n, what): (usize, &What)| match what {
            What::Overwritten(_) => Some(Self::of_overwrite(evidence)),
            What::Own(own) => Some(Self::of_own(evidence, n, own)),
            What::Lifted(_) | What::Checked(_) => None,
        };
        evidence.stages.iter().map(|s| &s.what).enumerate().filter_map(of_stage).collect()
    }

    /// The overwriting that `evidence` tells of.
    pub fn of_overwrite(evidence: &Evidence) -> Self {
        let met = if has_complement_pair(evidence) { vec![Condition::ComplementPair] } else { vec![] };
        let mut case = Self::foreseen(evidence.drive(), Technique::Overwrite, met);
        case.buffered = is_buffered(evidence);
        let found = [ended(evidence), case.lacks, writing_faults(evidence), proof_faults(evidence), holds(evidence)];
        case.lacks = found.into_iter().flatten().collect();
        // What was compared with something else proves nothing of the last pass.
        if evidence.check().is_some_and(|c| c.expect != Expect::LastPass) {
            case.lacks.push(Lack::of(LackKind::NotReadBack, "What was read was not compared with what the last pass laid."));
        }
        case
    }

    /// The drive's own erasure that is stage `n`. It counts only if the drive itself said that it ended well, and a check
    /// after it has read it.
    fn of_own(evidence: &Evidence, n: usize, own: &OwnEvidence) -> Self {
        let mut case = Self::foreseen(evidence.drive(), own.technique, vec![]);
        case.buffered = is_buffered(evidence);
        let mut found = ended(evidence);
        if !own.completed {
            let said = format!("The drive did not say that its {} ended without error.", own.technique.name());
            found.push(Lack::of(LackKind::EndedEarly, said));
        }
        let checked = evidence.stages.iter().skip(n + 1).any(|s| matches!(s.what, What::Checked(_)));
        if !checked {
            found.push(Lack::of(LackKind::NotReadBack, "Nothing was read after it: what was not read is not proved."));
        }
        case.lacks = [found, case.lacks, proof_faults(evidence), holds(evidence)].concat();
        case
    }
}

fn is_buffered(evidence: &Evidence) -> bool {
    evidence.sessions.last().is_some_and(|s| s.access.way == AccessWay::Buffered)
}

fn ended(evidence: &Evidence) -> Vec<Lack> {
    let mut found = vec![];
    if evidence.ended != Ended::Finished {
        found.push(Lack::of(LackKind::EndedEarly, evidence.ended.sentence()));
    } else if evidence.stages.len() < evidence.planned.len() || evidence.stages.iter().any(|s| s.ended.is_none()) {
        found.push(Lack::of(LackKind::EndedEarly, "A planned stage of the treatment did not come to its end."));
    }
    if !evidence.is_whole() {
        let covered = format!(
            "Only {} of {} sectors were covered: a part never sanitizes a drive.",
            grouped(evidence.range().count),
            grouped(evidence.drive().geometry.sectors)
        );
        found.push(Lack::of(LackKind::Part, covered));
    }
    found
}

fn unreached(drive: &Drive) -> Vec<Lack> {
    let mut found = vec![];
    match drive.hidden {
        HiddenAreas::Hidden { .. } => {
            found.push(Lack::of(LackKind::Hidden, format!("{} They were not reached.", drive.hidden.sentence())));
        }
        // What could hide sectors by a command of its own and was not asked counts as hiding some.
        HiddenAreas::NotAsked if may_hide(drive) => found.push(Lack::of(
            LackKind::HiddenNotAsked,
            "Whether the drive hides sectors from the host was not asked, or not answered, so they may not all have been reached.",
        )),
        HiddenAreas::NotAsked | HiddenAreas::None => {}
    }
    let user_data = drive.elsewhere.iter().filter(|e| e.user_data);
    found.extend(user_data.map(|e| Lack::of(LackKind::Elsewhere, format!("{} of the same unit was not covered.", e.what))));
    found
}

/// Whether the drive has commands that could hide sectors: those that speak ATA, whatever stands between, and drives on
/// SCSI. A stick or card, and what a bridge lets nobody ask, has its limit instead.
fn may_hide(drive: &Drive) -> bool {
    let scsi_drive = drive.protocol == Protocol::Scsi && drive.bus == Bus::Sas;
    drive.class != MediaClass::Virtual && (drive.protocol == Protocol::Ata || scsi_drive)
}

fn writing_faults(evidence: &Evidence) -> Vec<Lack> {
    let mut found = vec![];
    let unwritable = evidence.unwritable();
    if !unwritable.is_empty() {
        let said = format!("{} could not be written ({}).", counted(unwritable.count(), "sector"), unwritable.sentence(3));
        found.push(Lack::of(LackKind::Unwritable, said));
    }
    let passes = evidence.passes();
    let is_laid = |p: &PassEvidence| p.done().covers_all(evidence.range());
    let missing = passes.len() < evidence.planned_passes() as usize || !passes.iter().all(is_laid);
    if evidence.ended == Ended::Finished && (missing || passes.is_empty()) {
        found.push(Lack::of(LackKind::PassMissing, "Not every planned pass was laid on every sector."));
    }
    if evidence.ended == Ended::Finished && passes.iter().any(|p| !p.flushed) {
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
        match evidence.check().map(|c| (c, &c.read_back)) {
            None => {
                let said = "The last pass was not read back: what was not read back is not proved.";
                found.push(Lack::of(LackKind::NotReadBack, said));
            }
            Some((check, read)) if check.range != evidence.range() || !read.is_complete(evidence.range()) => {
                found.push(Lack::of(LackKind::ReadInPart, "The last pass was read back only in part."));
            }
            Some(_) => {}
        }
    }
    found
}

/// What was read proves something only in the hold in which it was read, and a sample only what was laid in that hold.
fn holds(evidence: &Evidence) -> Vec<Lack> {
    let Some(read) = evidence.check().map(|c| &c.read_back) else { return vec![] };
    let laid_before = evidence.passes().last().is_some_and(|p| p.session != evidence.last_session());
    if read.session != evidence.last_session() {
        let said = "The reading back was done under an earlier hold: others may have written to the drive since.";
        vec![Lack::of(LackKind::EarlierHold, said)]
    } else if read.sampling.is_some() && laid_before {
        let said = "The last pass was laid under an earlier hold, and only a sample of it was read since.";
        vec![Lack::of(LackKind::EarlierHold, said)]
    } else {
        vec![]
    }
}

/// A pass and right after it, by the method's design, its complement, both laid on every sector of the range.
fn has_complement_pair(evidence: &Evidence) -> bool {
    let whole = |p: &PassEvidence| p.laid.covers_all(evidence.range());
    evidence.passes().windows(2).any(|pair| {
        pair[1].complement_of_before && whole(&pair[0]) && whole(&pair[1]) && complements(&pair[0].pattern, &pair[1].pattern)
    })
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
