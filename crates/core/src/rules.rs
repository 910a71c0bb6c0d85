//! From evidence to claim: one pure function, every rule with its citation.
//!
//! Rule set: SP 800-88 Rev. 2 with IEEE Std 2883-2022 techniques. Where these leave the overwriting of a device open,
//! SP 800-88 Rev. 1, Appendix A is kept as the stricter reading. Where a standard leaves doubt, the lower outcome is taken.

use crate::evidence::{Ended, Evidence};
use crate::media::{Bus, HiddenAreas, MediaClass};
use crate::pattern::{Base, Pattern};
use crate::ranges::RangeSet;
use crate::units::{counted, grouped};
use serde::{Deserialize, Serialize};
use std::fmt;

/// Name of the rule set, as printed on certificates.
pub const RULE_SET: &str = "NIST SP 800-88 Rev. 2, techniques of IEEE Std 2883-2022";

/// What a drive's treatment earned. Ordered from least to most.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Outcome {
    /// Stopped, failed, unproved or partial. Jurex's own value.
    NotSanitized,
    /// SP 800-88 Clear.
    Clear,
    /// SP 800-88 Purge.
    Purge,
    /// SP 800-88 Destroy.
    Destroy,
}

impl fmt::Display for Outcome {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Outcome::NotSanitized => "Not sanitized",
            Outcome::Clear => "Clear",
            Outcome::Purge => "Purge",
            Outcome::Destroy => "Destroy",
        })
    }
}

/// A sentence of a claim with the rule behind it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Reason {
    /// What follows, for people.
    pub sentence: String,
    /// Document and clause.
    pub citation: String,
}

/// What may be said of a drive. Only [`judge`] makes one.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Claim {
    outcome: Outcome,
    reasons: Vec<Reason>,
    limits: Vec<Reason>,
}

impl Claim {
    /// The outcome.
    pub fn outcome(&self) -> Outcome {
        self.outcome
    }

    /// Why it is this outcome and no other. Never empty.
    pub fn reasons(&self) -> &[Reason] {
        &self.reasons
    }

    /// What the outcome does not cover.
    pub fn limits(&self) -> &[Reason] {
        &self.limits
    }
}

const DEFINITIONS: &str = "SP 800-88 Rev. 1, 2.5";
const VERIFY: &str = "SP 800-88 Rev. 1, 4.7";
const FLASH_TABLE: &str = "SP 800-88 Rev. 1, Table A-8";
const MAGNETIC_TABLE: &str = "SP 800-88 Rev. 1, Table A-5";
const OWN_RULE: &str = "Jurex: in doubt the lower outcome";

/// What an overwrite can earn on a class of media.
struct OverwriteRow {
    class: MediaClass,
    outcome: Outcome,
    needs_complement: bool,
    sentence: &'static str,
    citation: &'static str,
}

const OVERWRITE: [OverwriteRow; 7] = [
    OverwriteRow {
        class: MediaClass::Magnetic,
        outcome: Outcome::Clear,
        needs_complement: false,
        sentence: "Every addressable sector of a magnetic drive was overwritten at least once and read back right.",
        citation: MAGNETIC_TABLE,
    },
    OverwriteRow {
        class: MediaClass::SolidState,
        outcome: Outcome::Clear,
        needs_complement: false,
        sentence: "Every addressable sector of a solid state drive was overwritten and read back right.",
        citation: FLASH_TABLE,
    },
    OverwriteRow {
        class: MediaClass::RemovableFlash,
        outcome: Outcome::Clear,
        needs_complement: true,
        sentence: "Every addressable sector was overwritten with a pattern and with its complement, and read back right.",
        citation: FLASH_TABLE,
    },
    OverwriteRow {
        class: MediaClass::EmbeddedFlash,
        outcome: Outcome::Clear,
        needs_complement: false,
        sentence: "Every addressable sector of the embedded flash was overwritten and read back right.",
        citation: FLASH_TABLE,
    },
    OverwriteRow {
        class: MediaClass::Virtual,
        outcome: Outcome::Clear,
        needs_complement: false,
        sentence: "Every addressable sector of this object was overwritten and read back right.",
        citation: DEFINITIONS,
    },
    OverwriteRow {
        class: MediaClass::Optical,
        outcome: Outcome::NotSanitized,
        needs_complement: false,
        sentence: "Optical media can't be sanitized by overwriting: destroy them.",
        citation: "SP 800-88 Rev. 1, Table A-7",
    },
    OverwriteRow {
        class: MediaClass::Unknown,
        outcome: Outcome::Clear,
        needs_complement: true,
        sentence: "The class of media is not known; it was treated as the strictest kind, with a pattern and its complement, and read back right.",
        citation: OWN_RULE,
    },
];

fn row(class: MediaClass) -> &'static OverwriteRow {
    OVERWRITE.iter().find(|r| r.class == class).expect("every class of media has a row: a test keeps it so")
}

/// The claim that follows from `evidence`. Pure: the same evidence always gives the same claim, and nothing that is
/// added to the evidence of a fault, a range or an unreached area ever raises it.
pub fn judge(evidence: &Evidence) -> Claim {
    let row = row(evidence.drive.class);
    let mut lowering = lowering(evidence, row);
    let limits = limits(evidence);
    if lowering.is_empty() && row.outcome > Outcome::NotSanitized {
        let reasons = vec![reason(row.sentence, row.citation)];
        return Claim { outcome: row.outcome, reasons, limits };
    }
    if row.outcome == Outcome::NotSanitized {
        lowering.push(reason(row.sentence, row.citation));
    }
    Claim { outcome: Outcome::NotSanitized, reasons: lowering, limits }
}

fn reason(sentence: impl Into<String>, citation: &str) -> Reason {
    Reason { sentence: sentence.into(), citation: citation.into() }
}

/// Everything that keeps an overwrite from earning its row's outcome.
fn lowering(evidence: &Evidence, row: &OverwriteRow) -> Vec<Reason> {
    let mut found = vec![];
    if evidence.ended != Ended::Finished {
        found.push(reason(evidence.ended.sentence(), DEFINITIONS));
    }
    if !evidence.is_whole() {
        let covered = format!(
            "Only {} of {} sectors were covered: a part never sanitizes a drive.",
            grouped(evidence.range.count),
            grouped(evidence.drive.geometry.sectors)
        );
        found.push(reason(covered, DEFINITIONS));
    }
    found.extend(unreached(evidence));
    found.extend(writing_faults(evidence));
    found.extend(proof_faults(evidence));
    if row.needs_complement && !has_complement_pair(evidence) {
        let need = "This media needs two passes, a pattern and then its complement; that was not laid.";
        found.push(reason(need, row.citation));
    }
    found
}

fn unreached(evidence: &Evidence) -> Option<Reason> {
    let drive = &evidence.drive;
    match drive.hidden {
        HiddenAreas::Hidden { .. } => Some(reason(format!("{} They were not reached.", drive.hidden.sentence()), DEFINITIONS)),
        // Only ATA drives can hide sectors by a command of their own; what could hide there and was not asked for counts as hidden.
        HiddenAreas::NotAsked if drive.bus == Bus::Sata => Some(reason(
            "Whether the drive hides sectors from the host was not asked, so they may not all have been reached.",
            OWN_RULE,
        )),
        HiddenAreas::NotAsked | HiddenAreas::None => None,
    }
}

fn writing_faults(evidence: &Evidence) -> Vec<Reason> {
    let mut found = vec![];
    let unwritable = evidence.unwritable();
    if !unwritable.is_empty() {
        let said = format!("{} could not be written ({}).", counted(unwritable.count(), "sector"), unwritable.sentence(3));
        found.push(reason(said, DEFINITIONS));
    }
    let not_laid = evidence.passes.iter().filter(|p| p.laid.count() + p.unwritable.count() < evidence.range.count).count();
    let missing = (evidence.planned_passes as usize).saturating_sub(evidence.passes.len());
    if evidence.ended == Ended::Finished && (not_laid + missing > 0 || evidence.passes.is_empty()) {
        found.push(reason("Not every planned pass was laid on every sector.", DEFINITIONS));
    }
    if evidence.ended == Ended::Finished && evidence.passes.iter().any(|p| !p.flushed) {
        found.push(reason("The drive's cache could not be flushed: what was written may not be on the media.", OWN_RULE));
    }
    found
}

fn proof_faults(evidence: &Evidence) -> Vec<Reason> {
    let mut found = vec![];
    let (wrong, unreadable) = (evidence.wrong(), evidence.unreadable());
    if !wrong.is_empty() {
        let said = format!("{} did not hold what was laid ({}).", counted(wrong.count(), "sector"), wrong.sentence(3));
        found.push(reason(said, VERIFY));
    }
    if !unreadable.is_empty() {
        let said = format!("{} could not be read back ({}).", counted(unreadable.count(), "sector"), unreadable.sentence(3));
        found.push(reason(said, VERIFY));
    }
    if evidence.ended == Ended::Finished {
        match evidence.passes.last().and_then(|p| p.read_back.as_ref()) {
            None => found.push(reason("The last pass was not read back: what was not read back is not proved.", VERIFY)),
            Some(r) if r.read.count() + r.unreadable.count() < evidence.range.count => {
                found.push(reason("The last pass was read back only in part.", VERIFY));
            }
            Some(_) => {}
        }
    }
    found
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

fn limits(evidence: &Evidence) -> Vec<Reason> {
    let drive = &evidence.drive;
    let mut found = vec![];
    match drive.class {
        MediaClass::Virtual => found.push(reason("The storage that hosts this object is not covered.", DEFINITIONS)),
        MediaClass::SolidState | MediaClass::RemovableFlash | MediaClass::EmbeddedFlash => {
            found.push(reason("Spare cells, which no address reaches, may still hold older data.", FLASH_TABLE));
        }
        MediaClass::Magnetic => {
            found.push(reason(
                "Sectors that the drive replaced earlier, which no address reaches, are not covered.",
                MAGNETIC_TABLE,
            ));
        }
        MediaClass::Optical | MediaClass::Unknown => {}
    }
    if drive.bridged {
        found.push(reason("A bridge stands before the drive and may hide sectors of it.", OWN_RULE));
    }
    if drive.simulated {
        found.push(reason(
            "This drive is simulated: the claim is about a demonstration, not about any real media.",
            "Jurex: demonstration",
        ));
    }
    found
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use crate::evidence::{PassEvidence, ReadBack};
    use crate::media::test_drive;
    use crate::pace::Pace;
    use crate::units::Sectors;
    use jiff::Timestamp;
    use proptest::prelude::*;

    const SECTORS: u64 = 1000;

    fn all(range: Sectors) -> RangeSet {
        let mut set = RangeSet::new();
        set.insert(range);
        set
    }

    pub(crate) fn pass(pattern: Pattern, range: Sectors) -> PassEvidence {
        PassEvidence {
            pattern,
            laid: all(range),
            unwritable: RangeSet::new(),
            flushed: true,
            read_back: None,
            started: Timestamp::UNIX_EPOCH,
            ended: Some(Timestamp::UNIX_EPOCH),
            pace: Pace::new(range),
        }
    }

    /// Evidence of a job on which nothing went wrong, its last pass read back in full.
    pub(crate) fn faultless(class: MediaClass, patterns: &[Pattern]) -> Evidence {
        let range = Sectors::new(0, SECTORS);
        let mut passes: Vec<PassEvidence> = patterns.iter().map(|p| pass(p.clone(), range)).collect();
        if let Some(last) = passes.last_mut() {
            last.read_back = Some(ReadBack { read: all(range), ..ReadBack::default() });
        }
        Evidence { drive: test_drive(class, SECTORS), range, planned_passes: passes.len() as u32, passes, ended: Ended::Finished }
    }

    fn zeros() -> Pattern {
        Pattern::bytes([0]).unwrap()
    }

    #[test]
    fn each_class_earns_what_its_row_says() {
        let one = |class| judge(&faultless(class, &[zeros()])).outcome();
        let two = |class| judge(&faultless(class, &[zeros(), zeros().complement()])).outcome();
        let (clear, none) = (Outcome::Clear, Outcome::NotSanitized);
        let cases = [
            (MediaClass::Magnetic, clear, clear),
            (MediaClass::SolidState, clear, clear),
            (MediaClass::RemovableFlash, none, clear),
            (MediaClass::EmbeddedFlash, clear, clear),
            (MediaClass::Virtual, clear, clear),
            (MediaClass::Optical, none, none),
            (MediaClass::Unknown, none, clear),
        ];
        for (class, by_one, by_two) in cases {
            assert_eq!((one(class), two(class)), (by_one, by_two), "{class}");
        }
    }

    #[test]
    fn flash_asks_for_a_true_complement_right_after_its_pattern() {
        let outcome = |patterns: &[Pattern]| judge(&faultless(MediaClass::RemovableFlash, patterns)).outcome();
        let random = |s| Pattern::random([s; 16]);
        assert_eq!(outcome(&[random(1), random(2)]), Outcome::NotSanitized);
        assert_eq!(outcome(&[random(1), random(2).complement()]), Outcome::NotSanitized);
        assert_eq!(outcome(&[zeros(), random(1), zeros().complement()]), Outcome::NotSanitized);
        assert_eq!(outcome(&[random(1), random(1).complement()]), Outcome::Clear);
        assert_eq!(outcome(&[zeros(), zeros().complement(), random(1)]), Outcome::Clear);
    }

    #[test]
    fn a_record_without_spent_seeds_is_judged_as_before() {
        let random = Pattern::random([7; 16]);
        let mut evidence = faultless(MediaClass::RemovableFlash, &[random.clone(), random.complement()]);
        let before = judge(&evidence);
        evidence.passes[0].pattern = random.without_seed();
        assert_eq!((judge(&evidence), before.outcome()), (before.clone(), Outcome::Clear));
    }

    /// A thing that went wrong, or was less than the whole.
    #[derive(Clone, Debug)]
    enum Worse {
        Unwritable(u64),
        Unreadable(u64),
        Wrong(u64),
        Range,
        Hidden,
        NotFlushed,
        Stopped,
        NotReadBack,
        ReadInPart,
        PassMissing,
    }

    fn without(set: &RangeSet, lba: u64) -> RangeSet {
        let mut rest = RangeSet::new();
        for s in set.iter() {
            rest.insert(Sectors::new(s.first.0, lba.clamp(s.first.0, s.end()) - s.first.0));
            let after = (lba + 1).clamp(s.first.0, s.end());
            rest.insert(Sectors::new(after, s.end() - after));
        }
        rest
    }

    fn worsen(evidence: &mut Evidence, by: &Worse) {
        let last = evidence.passes.last_mut();
        match by {
            Worse::Unwritable(at) => last.into_iter().for_each(|p| {
                p.unwritable.insert(Sectors::new(*at, 1));
                p.laid = without(&p.laid, *at);
            }),
            Worse::Unreadable(at) => last.and_then(|p| p.read_back.as_mut()).into_iter().for_each(|r| {
                r.unreadable.insert(Sectors::new(*at, 1));
                r.read = without(&r.read, *at);
            }),
            Worse::Wrong(at) => {
                last.and_then(|p| p.read_back.as_mut()).into_iter().for_each(|r| r.wrong.insert(Sectors::new(*at, 1)))
            }
            Worse::Range => evidence.range.count = evidence.range.count.saturating_sub(1),
            Worse::Hidden => evidence.drive.hidden = HiddenAreas::Hidden { sectors: 8 },
            Worse::NotFlushed => last.into_iter().for_each(|p| p.flushed = false),
            Worse::Stopped => evidence.ended = Ended::Stopped,
            Worse::NotReadBack => last.into_iter().for_each(|p| p.read_back = None),
            Worse::ReadInPart => last.and_then(|p| p.read_back.as_mut()).into_iter().for_each(|r| r.read = without(&r.read, 5)),
            Worse::PassMissing => drop(evidence.passes.pop()),
        }
    }

    fn any_worse() -> impl Strategy<Value = Worse> {
        let at = 0..SECTORS;
        prop_oneof![
            at.clone().prop_map(Worse::Unwritable),
            at.clone().prop_map(Worse::Unreadable),
            at.prop_map(Worse::Wrong),
            Just(Worse::Range),
            Just(Worse::Hidden),
            Just(Worse::NotFlushed),
            Just(Worse::Stopped),
            Just(Worse::NotReadBack),
            Just(Worse::ReadInPart),
            Just(Worse::PassMissing),
        ]
    }

    proptest! {
        #[test]
        fn nothing_that_goes_wrong_ever_raises_the_outcome_and_each_alone_denies_it(worse in prop::collection::vec(any_worse(), 1..4), flash: bool) {
            let class = if flash { MediaClass::RemovableFlash } else { MediaClass::Magnetic };
            let mut evidence = faultless(class, &[zeros(), zeros().complement()]);
            let mut outcome = judge(&evidence).outcome();
            prop_assert_eq!(outcome, Outcome::Clear);
            for step in &worse {
                worsen(&mut evidence, step);
                let after = judge(&evidence);
                prop_assert!(after.outcome() <= outcome, "{:?} raised the outcome", step);
                prop_assert!(!after.reasons().is_empty());
                outcome = after.outcome();
            }
            prop_assert_eq!(outcome, Outcome::NotSanitized, "{:?}", worse);
        }
    }

    #[test]
    fn an_ata_drive_that_was_not_asked_for_hidden_areas_earns_nothing() {
        let mut evidence = faultless(MediaClass::Magnetic, &[zeros()]);
        evidence.drive.hidden = HiddenAreas::NotAsked;
        assert_eq!(judge(&evidence).outcome(), Outcome::NotSanitized);
        evidence.drive.bus = Bus::Usb;
        assert_eq!(judge(&evidence).outcome(), Outcome::Clear);
    }
}
