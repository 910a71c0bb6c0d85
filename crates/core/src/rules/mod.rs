//! From evidence to claim: rules as data, each with its citation, and one small pure function that applies them.
//!
//! Where a standard leaves doubt, the lower outcome is taken.

mod case;
mod data;
pub mod page;

pub use case::{Case, Lack};
pub use data::{Condition, Edition, LackKind, LackRule, LimitRule, LimitWhen, Media, Rule, RuleSet, Technique};

use crate::evidence::Evidence;
use crate::text::capital;
use serde::{Deserialize, Serialize};
use std::fmt;

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

/// What may be said of a drive. Only [`evaluate`] makes one.
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

/// The claim that follows from the evidence of an overwriting, by the rules of `edition`.
pub fn judge(edition: Edition, evidence: &Evidence) -> Claim {
    evaluate(edition.rules(), &Case::of_overwrite(evidence))
}

/// The claim that follows from `case` by `rules`. Pure: the same case always gives the same claim, and nothing that is
/// added to what the case lacks ever raises it.
pub fn evaluate(rules: &RuleSet, case: &Case) -> Claim {
    let rule = rules.rule(case.media, case.technique);
    let reason = |sentence: &str, citation: &str| Reason { sentence: sentence.into(), citation: citation.into() };
    let mut lowering: Vec<Reason> = case.lacks.iter().filter_map(|lack| lowered_by(rules, case, lack)).collect();
    let limits = limits(rules, case);
    match rule {
        None => {
            let said = format!("{} earns nothing on this media ({}).", capital(case.technique.name()), case.media.name());
            lowering.push(reason(&said, &rules.title));
        }
        Some(rule) if rule.outcome == Outcome::NotSanitized => lowering.push(reason(&rule.sentence, &rule.citation)),
        Some(rule) => {
            let unmet = rule.needs.iter().filter(|n| !case.met.contains(n));
            lowering.extend(unmet.map(|n| reason(n.unmet(), &rule.citation)));
            if lowering.is_empty() {
                return Claim { outcome: rule.outcome, reasons: vec![reason(&rule.sentence, &rule.citation)], limits };
            }
        }
    }
    Claim { outcome: Outcome::NotSanitized, reasons: lowering, limits }
}

fn lowered_by(rules: &RuleSet, case: &Case, lack: &Lack) -> Option<Reason> {
    let rule = rules.lack(lack.kind, case.technique)?;
    Some(Reason { sentence: lack.detail.clone().unwrap_or_else(|| rule.rule.clone()), citation: rule.citation.clone() })
}

fn limits(rules: &RuleSet, case: &Case) -> Vec<Reason> {
    let fits = |limit: &&LimitRule| {
        (limit.media.is_empty() || limit.media.contains(&case.media))
            && (limit.techniques.is_empty() || limit.techniques.contains(&case.technique))
            && match limit.when {
                LimitWhen::Always => true,
                LimitWhen::Bridged => case.bridged,
                LimitWhen::Simulated => case.simulated,
            }
    };
    rules.limits.iter().filter(fits).map(|l| Reason { sentence: l.sentence.clone(), citation: l.citation.clone() }).collect()
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use crate::evidence::{Ended, PassEvidence, ReadBack};
    use crate::media::{Bus, HiddenAreas, MediaClass, test_drive};
    use crate::pace::Pace;
    use crate::pattern::Pattern;
    use crate::ranges::RangeSet;
    use crate::sampling::Sampling;
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
            slow: RangeSet::new(),
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

    /// What each technique earns, written down from the standards a second time: Rev. 1, Rev. 2 where it differs.
    #[test]
    fn every_cell_of_the_table_earns_what_the_standards_say() {
        use Condition::*;
        use Media::*;
        use Outcome::*;
        use Technique::*;
        let spinning_or_solid = [MagneticAta, MagneticScsi, SolidStateAta, SolidStateScsi, SolidStateNvme];
        let pair = Some(ComplementPair);
        let sealed = Some(EncryptedFromStart);
        let mut cells = vec![
            (Overwrite, MagneticAta, Clear, Clear, None),
            (Overwrite, MagneticScsi, Clear, Clear, None),
            (Overwrite, SolidStateAta, Clear, Clear, None),
            (Overwrite, SolidStateScsi, Clear, Clear, None),
            (Overwrite, SolidStateNvme, Clear, Clear, None),
            (Overwrite, RemovableFlash, Clear, Clear, pair),
            (Overwrite, EmbeddedFlash, Clear, Clear, None),
            (Overwrite, Virtual, Clear, Clear, None),
            (Overwrite, Unknown, Clear, Clear, pair),
            (SanitizeOverwrite, MagneticAta, Purge, Purge, None),
            (SanitizeOverwrite, MagneticScsi, Purge, Purge, None),
            (SanitizeBlock, SolidStateAta, Purge, Purge, None),
            (SanitizeBlock, SolidStateScsi, Purge, Purge, None),
            (SanitizeBlock, SolidStateNvme, Purge, Purge, None),
            (SanitizeCrypto, MagneticAta, Purge, Purge, sealed),
            (SanitizeCrypto, MagneticScsi, Purge, Purge, None),
            (SanitizeCrypto, SolidStateAta, Purge, Purge, None),
            (SanitizeCrypto, SolidStateScsi, Purge, Purge, None),
            (SanitizeCrypto, SolidStateNvme, Purge, Purge, None),
            (SecurityEraseEnhanced, MagneticAta, Purge, Clear, None),
            (SecurityEraseEnhanced, SolidStateAta, Clear, Clear, None),
            (SecurityErase, MagneticAta, Clear, Clear, None),
            (SecurityErase, SolidStateAta, Clear, Clear, None),
            (Format, SolidStateNvme, Purge, Clear, None),
            (FormatCrypto, SolidStateNvme, Purge, Clear, None),
            (MmcSanitize, EmbeddedFlash, Purge, Purge, None),
            (Degauss, MagneticAta, Purge, Purge, None),
            (Degauss, MagneticScsi, Purge, Purge, None),
        ];
        cells.extend(spinning_or_solid.map(|m| (TcgRevert, m, Purge, Purge, sealed)));
        cells.extend(spinning_or_solid.map(|m| (TcgKeyChange, m, Purge, Purge, sealed)));
        cells.extend(Media::ALL.map(|m| (Destruction, m, Destroy, Destroy, None)));
        for (media, technique) in Media::ALL.into_iter().flat_map(|m| Technique::ALL.map(|t| (m, t))) {
            let cell = cells.iter().find(|(t, m, ..)| (*t, *m) == (technique, media));
            let (rev1, rev2, needs) = cell.map_or((NotSanitized, NotSanitized, None), |(.., a, b, n)| (*a, *b, *n));
            for (edition, earns) in [(Edition::Rev1, rev1), (Edition::Rev2, rev2)] {
                let case = |met: Vec<Condition>| Case { media, technique, bridged: false, simulated: false, met, lacks: vec![] };
                let outcome = |met| evaluate(edition.rules(), &case(met)).outcome();
                assert_eq!(outcome(needs.into_iter().collect()), earns, "{edition}: {media:?} {technique:?}");
                let without = if needs.is_some() { NotSanitized } else { earns };
                assert_eq!(outcome(vec![]), without, "{edition}: {media:?} {technique:?} with its condition unmet");
            }
        }
    }

    #[test]
    fn a_hidden_area_or_a_bridge_matters_to_what_goes_through_the_host_interface() {
        let mut drive = test_drive(MediaClass::Magnetic, SECTORS);
        let foreseen = |drive: &crate::media::Drive, technique| {
            evaluate(Edition::Rev2.rules(), &Case::foreseen(drive, technique, vec![])).outcome()
        };
        drive.hidden = HiddenAreas::Hidden { sectors: 8 };
        assert_eq!(foreseen(&drive, Technique::Overwrite), Outcome::NotSanitized);
        assert_eq!(foreseen(&drive, Technique::SecurityErase), Outcome::NotSanitized);
        assert_eq!(foreseen(&drive, Technique::SanitizeOverwrite), Outcome::Purge, "SANITIZE reaches hidden sectors");
        (drive.hidden, drive.bridged) = (HiddenAreas::None, true);
        assert_eq!(foreseen(&drive, Technique::Overwrite), Outcome::Clear);
        assert_eq!(foreseen(&drive, Technique::SanitizeOverwrite), Outcome::NotSanitized);
    }

    #[test]
    fn a_whole_sample_is_proof_and_part_of_one_is_not() {
        let mut evidence = faultless(MediaClass::Magnetic, &[zeros()]);
        let sampling = Sampling::new([3; 16]);
        let places = sampling.places(evidence.range);
        let read = ReadBack { sampling: Some(sampling), read: places.clone(), ..ReadBack::default() };
        evidence.passes[0].read_back = Some(read.clone());
        assert_eq!(judge(Edition::Rev2, &evidence).outcome(), Outcome::Clear);
        let one = places.iter().next().unwrap().first.0;
        evidence.passes[0].read_back = Some(ReadBack { read: without(&places, one), ..read });
        assert_eq!(judge(Edition::Rev2, &evidence).outcome(), Outcome::NotSanitized);
    }

    #[test]
    fn flash_asks_for_a_true_complement_right_after_its_pattern() {
        let outcome =
            |patterns: &[Pattern]| judge(Edition::default(), &faultless(MediaClass::RemovableFlash, patterns)).outcome();
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
        let before = judge(Edition::default(), &evidence);
        evidence.passes[0].pattern = random.without_seed();
        assert_eq!((judge(Edition::default(), &evidence), before.outcome()), (before.clone(), Outcome::Clear));
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
        fn nothing_that_goes_wrong_ever_raises_the_outcome_and_each_alone_denies_it(
            worse in prop::collection::vec(any_worse(), 1..4), flash: bool, rev1: bool,
        ) {
            let class = if flash { MediaClass::RemovableFlash } else { MediaClass::Magnetic };
            let edition = if rev1 { Edition::Rev1 } else { Edition::Rev2 };
            let mut evidence = faultless(class, &[zeros(), zeros().complement()]);
            let mut outcome = judge(edition, &evidence).outcome();
            prop_assert_eq!(outcome, Outcome::Clear);
            for step in &worse {
                worsen(&mut evidence, step);
                let after = judge(edition, &evidence);
                prop_assert!(after.outcome() <= outcome, "{:?} raised the outcome", step);
                prop_assert!(!after.reasons().is_empty());
                outcome = after.outcome();
            }
            prop_assert_eq!(outcome, Outcome::NotSanitized, "{:?}", worse);
        }

        #[test]
        fn no_shortcoming_of_any_case_raises_it_and_no_missing_condition_does(
            cell in (0..Media::ALL.len(), 0..Technique::ALL.len()),
            kinds in prop::collection::vec(0..LackKind::ALL.len(), 0..5), more in 0..LackKind::ALL.len(),
            bridged: bool, simulated: bool, rev1: bool, pair: bool, sealed: bool,
        ) {
            let rules = if rev1 { Edition::Rev1 } else { Edition::Rev2 }.rules();
            let lack = |kind: usize| Lack { kind: LackKind::ALL[kind], detail: None };
            let met = [(pair, Condition::ComplementPair), (sealed, Condition::EncryptedFromStart)];
            let case = Case {
                media: Media::ALL[cell.0],
                technique: Technique::ALL[cell.1],
                bridged,
                simulated,
                met: met.into_iter().filter(|(is, _)| *is).map(|(_, c)| c).collect(),
                lacks: kinds.into_iter().map(lack).collect(),
            };
            let before = evaluate(rules, &case);
            let with_one_more = Case { lacks: [case.lacks.clone(), vec![lack(more)]].concat(), ..case.clone() };
            let with_less_known = Case { met: vec![], ..case };
            for worse in [with_one_more, with_less_known] {
                let after = evaluate(rules, &worse);
                prop_assert!(after.outcome() <= before.outcome() && !after.reasons().is_empty());
                prop_assert!(after.reasons().iter().all(|r| !r.citation.is_empty()));
            }
        }
    }

    #[test]
    fn an_ata_drive_that_was_not_asked_for_hidden_areas_earns_nothing() {
        let mut evidence = faultless(MediaClass::Magnetic, &[zeros()]);
        evidence.drive.hidden = HiddenAreas::NotAsked;
        assert_eq!(judge(Edition::default(), &evidence).outcome(), Outcome::NotSanitized);
        evidence.drive.bus = Bus::Usb;
        assert_eq!(judge(Edition::default(), &evidence).outcome(), Outcome::Clear);
    }
}
