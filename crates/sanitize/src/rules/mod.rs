//! From evidence to claim: rules as data, each with its citation, and one small pure function that applies them.
//!
//! Where a standard leaves doubt, the lower outcome is taken.

mod case;
mod data;
pub mod page;

pub use crate::outcome::Outcome;
pub use case::{Case, Lack};
pub use data::{Edition, LackKind, LackRule, LimitRule, LimitWhen, Media, Rule, RuleSet};
pub use jurex_device::technique::{Condition, Technique};

use crate::evidence::Evidence;
use crate::words::{ENGLISH, Param, Said, Words};
use data::Wording;
use jurex_device::native::mmc::Removal;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// A sentence of a claim with the rule behind it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(untagged)]
pub enum Reason {
    /// What follows, as data.
    Coded(CodedReason),
    /// What follows, in words: so records of version 2 have it, and statements about drives.
    Worded(WordedReason),
}

/// What follows, as data.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CodedReason {
    /// Which sentence, as the files of words name it.
    code: String,
    /// What stands in it, by name.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    params: BTreeMap<String, Param>,
    /// Document and clause.
    citation: String,
}

/// What follows, in words.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct WordedReason {
    /// What follows, for people.
    sentence: String,
    /// Document and clause.
    citation: String,
}

impl Reason {
    /// In words.
    pub fn worded(sentence: impl Into<String>, citation: impl Into<String>) -> Self {
        Self::Worded(WordedReason { sentence: sentence.into(), citation: citation.into() })
    }

    /// As data.
    pub fn said(said: Said, citation: impl Into<String>) -> Self {
        Self::Coded(CodedReason { code: said.code, params: said.params, citation: citation.into() })
    }

    fn of(wording: Wording, citation: &str) -> Self {
        match wording {
            Wording::Said(said) => Self::said(said, citation),
            Wording::Text(text) => Self::worded(text, citation),
        }
    }

    /// Which sentence it is; `None`: it is in words.
    pub fn code(&self) -> Option<&str> {
        match self {
            Reason::Coded(reason) => Some(&reason.code),
            Reason::Worded(_) => None,
        }
    }

    /// What follows, for people who read English.
    pub fn sentence(&self) -> String {
        self.sentence_in(&ENGLISH)
    }

    /// The same in the words of another language. What is kept in English words stays English where that language has none for it.
    pub fn sentence_in(&self, words: &Words) -> String {
        match self {
            Reason::Coded(reason) => words.sentence(&reason.code, &reason.params),
            Reason::Worded(reason) => words.fixed(&reason.sentence).to_string(),
        }
    }

    /// What follows, as data, whatever it is kept as.
    pub fn as_said(&self) -> Said {
        match self {
            Reason::Coded(reason) => Said { code: reason.code.clone(), params: reason.params.clone() },
            Reason::Worded(reason) => Said::new("paper.text").text("text", &reason.sentence),
        }
    }

    /// Document and clause.
    pub fn citation(&self) -> &str {
        match self {
            Reason::Coded(reason) => &reason.citation,
            Reason::Worded(reason) => &reason.citation,
        }
    }
}

/// What may be said of a drive. Only [`evaluate`] makes one.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
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

    /// The same with its sentences in these words in place of codes.
    #[must_use]
    pub fn in_words(&self, words: &Words) -> Self {
        let worded = |r: &Reason| Reason::worded(r.sentence_in(words), r.citation());
        Self {
            outcome: self.outcome,
            reasons: self.reasons.iter().map(worded).collect(),
            limits: self.limits.iter().map(worded).collect(),
        }
    }
}

/// The claim that follows from evidence, by the rules of `edition`. Each stage that can earn something is judged with all
/// that the evidence lacks as a whole; the whole earns what its best stage does, and nothing if a planned stage did not
/// come to its end.
pub fn judge(edition: Edition, evidence: &Evidence) -> Claim {
    judge_by(edition.rules(), evidence)
}

/// The same by rules of whichever version.
pub fn judge_by(rules: &RuleSet, evidence: &Evidence) -> Claim {
    let claims: Vec<Claim> = Case::of_stages(evidence, rules.reading).iter().map(|case| evaluate(rules, case)).collect();
    let best = claims.iter().map(Claim::outcome).max();
    let chosen = claims.into_iter().find(|c| Some(c.outcome()) == best);
    chosen.unwrap_or_else(|| evaluate(rules, &Case::of_nothing(evidence, rules.reading)))
}

/// The claim that follows from `case` by `rules`. Pure: the same case always gives the same claim, and nothing that is
/// added to what the case lacks ever raises it.
pub fn evaluate(rules: &RuleSet, case: &Case) -> Claim {
    evaluate_stated(rules, case, vec![], vec![])
}

/// The same where people state what was done: what their statement lacks beside the case, and what their word does not cover.
pub fn evaluate_stated(rules: &RuleSet, case: &Case, stated_lacks: Vec<Reason>, stated_limits: Vec<Reason>) -> Claim {
    let rule = rules.rule(case.media, case.technique);
    let mut lowering: Vec<Reason> = case.lacks.iter().filter_map(|lack| lowered_by(rules, case, lack)).collect();
    lowering.extend(stated_lacks);
    let limits = limits(rules, case).into_iter().chain(stated_limits).collect();
    match rule {
        None => {
            let said = Said::new("earns-nothing").said("technique", technique(case.technique));
            lowering.push(Reason::said(said.said("media", Said::new(format!("media.{}", case.media.slug()))), &rules.title));
        }
        Some(rule) if rule.outcome == Outcome::NotSanitized => {
            lowering.push(Reason::of(rule.says(&case.read), &rule.citation));
        }
        Some(rule) => {
            let unmet = rule.needs.iter().filter(|n| !case.met.contains(n));
            lowering.extend(unmet.map(|n| Reason::said(Said::new(format!("unmet.{}", n.slug())), &rule.citation)));
            if lowering.is_empty() {
                let reasons = vec![Reason::of(rule.says(&case.read), &rule.citation)];
                return Claim { outcome: rule.outcome, reasons, limits };
            }
        }
    }
    Claim { outcome: Outcome::NotSanitized, reasons: lowering, limits }
}

fn lowered_by(rules: &RuleSet, case: &Case, lack: &Lack) -> Option<Reason> {
    let rule = rules.lack(lack.kind, case.technique)?;
    let wording = lack.detail.clone().map_or_else(|| rule.says(), Wording::Said);
    Some(Reason::of(wording, &rule.citation))
}

fn limits(rules: &RuleSet, case: &Case) -> Vec<Reason> {
    let fits = |limit: &&LimitRule| {
        (limit.media.is_empty() || limit.media.contains(&case.media))
            && (limit.techniques.is_empty() || limit.techniques.contains(&case.technique))
            && match limit.when {
                LimitWhen::Always => true,
                LimitWhen::Bridged => case.bridged,
                LimitWhen::Simulated => case.simulated,
                LimitWhen::Buffered => case.buffered,
                LimitWhen::Elsewhere => case.elsewhere.is_some(),
                LimitWhen::ErasedUnread => case.unread.is_some(),
                LimitWhen::SizeUnproved => case.size_unproved,
                LimitWhen::CapacityNotAsked => case.capacity_not_asked,
                LimitWhen::Deallocated => case.deallocated,
                LimitWhen::RemovalNotTold => case.removal.is_none(),
                LimitWhen::RemovalOfItsMaker => case.removal == Some(Removal::OfItsMaker),
            }
    };
    let what = |l: &LimitRule| match l.when {
        LimitWhen::Elsewhere => case.elsewhere.as_deref(),
        LimitWhen::ErasedUnread => case.unread.as_deref(),
        _ => None,
    };
    rules.limits.iter().filter(fits).map(|l| Reason::of(l.says(what(l)), &l.citation)).collect()
}

/// A technique as a part of a sentence.
pub fn technique(of: Technique) -> Said {
    Said::new(format!("technique.{}", of.slug()))
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use crate::evidence::{
        CheckEvidence, Drawn, Ended, Expect, NativeEvidence, PassEvidence, ReadBack, SiblingRead, SizeEvidence, StageEvidence,
        StageKind, StageResult, UnhideEvidence,
    };
    use crate::sampling::Sampling;
    use crate::testing::{SECTORS, check, faultless, stage};
    use jurex_device::media::{Bus, Elsewhere, Geometry, HiddenAreas, MediaClass, Protocol};
    use jurex_device::testing::test_drive;
    use jurex_pattern::pattern::Pattern;
    use jurex_pattern::ranges::RangeSet;
    use jurex_pattern::units::Sectors;
    use proptest::prelude::*;

    fn all(range: Sectors) -> RangeSet {
        [range].into_iter().collect()
    }

    fn drive_of(evidence: &mut Evidence) -> &mut jurex_device::media::Drive {
        &mut evidence.sessions.last_mut().unwrap().drive
    }

    fn reading_of(evidence: &mut Evidence) -> Option<&mut ReadBack> {
        let last =
            evidence.stages.iter_mut().rev().find_map(|s| if let StageResult::Checked(c) = &mut s.what { Some(c) } else { None });
        last.map(|c| &mut c.read_back)
    }

    fn last_pass_of(evidence: &mut Evidence) -> Option<&mut PassEvidence> {
        evidence.overwrite_mut().and_then(|o| o.passes.last_mut())
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
        let pair: &[Condition] = &[ComplementPair];
        let sealed: &[Condition] = &[EncryptedFromStart, KeyStrength, KeysNotEscrowed, ModuleTrusted];
        let mut cells = vec![
            (Overwrite, MagneticAta, Clear, Clear, &[][..]),
            (Overwrite, MagneticScsi, Clear, Clear, &[][..]),
            (Overwrite, SolidStateAta, Clear, Clear, &[][..]),
            (Overwrite, SolidStateScsi, Clear, Clear, &[][..]),
            (Overwrite, SolidStateNvme, Clear, Clear, &[][..]),
            (Overwrite, RemovableFlash, Clear, Clear, pair),
            (Overwrite, EmbeddedFlash, Clear, Clear, pair),
            (Overwrite, Virtual, Clear, Clear, &[][..]),
            (Overwrite, Unknown, Clear, Clear, pair),
            (SanitizeOverwrite, MagneticAta, Purge, Purge, &[][..]),
            (SanitizeOverwrite, MagneticScsi, Purge, Purge, &[][..]),
            (SanitizeBlock, SolidStateAta, Purge, Purge, &[][..]),
            (SanitizeBlock, SolidStateScsi, Purge, Purge, &[][..]),
            (SanitizeBlock, SolidStateNvme, Purge, Purge, &[][..]),
            (SanitizeCrypto, MagneticAta, Purge, Purge, sealed),
            (SanitizeCrypto, MagneticScsi, Purge, Purge, sealed),
            (SanitizeCrypto, SolidStateAta, Purge, Purge, sealed),
            (SanitizeCrypto, SolidStateScsi, Purge, Purge, sealed),
            (SanitizeCrypto, SolidStateNvme, Purge, Purge, sealed),
            (SanitizeOverwrite, SolidStateAta, Clear, Clear, &[][..]),
            (SanitizeOverwrite, SolidStateScsi, Clear, Clear, &[][..]),
            (SanitizeOverwrite, SolidStateNvme, Clear, Clear, &[][..]),
            (SecurityEraseEnhanced, SolidStateAta, Clear, Clear, &[][..]),
            (SecurityErase, MagneticAta, Clear, Clear, &[][..]),
            (SecurityErase, SolidStateAta, Clear, Clear, &[][..]),
            // Where all is encrypted it may be carried out as a key erase: the lower of both.
            (Format, SolidStateNvme, Purge, Clear, sealed),
            (FormatCrypto, SolidStateNvme, Purge, Clear, sealed),
            (MmcSanitize, EmbeddedFlash, Purge, Purge, &[][..]),
            (MmcSecureErase, EmbeddedFlash, Purge, NotSanitized, &[MakerConfirms][..]),
            (Degauss, MagneticAta, Purge, Purge, &[RatedDegausser][..]),
            (Degauss, MagneticScsi, Purge, Purge, &[RatedDegausser][..]),
        ];
        cells.extend(spinning_or_solid.map(|m| (TcgRevert, m, Purge, Purge, sealed)));
        cells.extend(spinning_or_solid.map(|m| (TcgKeyChange, m, Purge, Purge, sealed)));
        cells.extend(Media::ALL.map(|m| (Destruction, m, Destroy, Destroy, &[][..])));
        for (media, technique) in Media::ALL.into_iter().flat_map(|m| Technique::ALL.map(|t| (m, t))) {
            // The one cell whose condition depends on the edition.
            let enhanced = (technique, media) == (SecurityEraseEnhanced, MagneticAta);
            let cell = cells.iter().find(|(t, m, ..)| (*t, *m) == (technique, media));
            let (rev1, rev2, needs) = cell.map_or((NotSanitized, NotSanitized, &[][..]), |(.., a, b, n)| (*a, *b, *n));
            let sanitized = (technique, media) == (MmcSanitize, EmbeddedFlash);
            let editions = if sanitized {
                [(Edition::Rev1, Purge, &[MakerConfirms][..]), (Edition::Rev2, Purge, &[][..])]
            } else if enhanced {
                [(Edition::Rev1, Purge, &[MakerConfirms][..]), (Edition::Rev2, Clear, &[][..])]
            } else {
                [(Edition::Rev1, rev1, needs), (Edition::Rev2, rev2, needs)]
            };
            for (edition, earns, needs) in editions {
                let outcome = |met| evaluate(edition.rules(), &Case::stated(media, technique, met)).outcome();
                assert_eq!(outcome(needs.to_vec()), earns, "{edition:?}: {media:?} {technique:?}");
                for missing in 0..needs.len() {
                    let met = needs.iter().enumerate().filter(|(n, _)| *n != missing).map(|(_, c)| *c).collect();
                    assert_eq!(outcome(met), NotSanitized, "{edition:?}: {media:?} {technique:?} without {:?}", needs[missing]);
                }
            }
        }
    }

    /// Sentences and citations that contradict what the set says of itself.
    #[test]
    fn no_rule_cites_what_its_edition_replaced_or_says_what_it_does_not_earn() {
        let rev2 = Edition::Rev2.rules();
        let said = |code: &Option<String>| ENGLISH.template(code.as_deref().unwrap()).unwrap();
        let all = rev2.rules.iter().map(|r| (&r.citation, said(&r.code)));
        for (citation, sentence) in all.chain(rev2.lacks.iter().map(|l| (&l.citation, said(&l.code)))) {
            let told_as_withdrawn = citation.contains("withdrawn") || !citation.contains("Rev. 1");
            assert!(told_as_withdrawn, "{citation}: {sentence}");
        }
        let enhanced = rev2.rule(Media::MagneticAta, Technique::SecurityEraseEnhanced).unwrap();
        assert!(
            !said(&enhanced.code).contains("replaced"),
            "it earns Clear: no sentence says that replaced sectors were reached"
        );
        let claim = |edition: Edition, media, technique, met| evaluate(edition.rules(), &Case::stated(media, technique, met));
        let block = claim(Edition::Rev2, Media::SolidStateNvme, Technique::SanitizeBlock, vec![]);
        assert_eq!(block.reasons()[0].code(), Some("rule.sanitize-block"));
        let format = claim(Edition::Rev1, Media::SolidStateNvme, Technique::Format, vec![]);
        assert_eq!(format.outcome(), Outcome::NotSanitized, "a user data erase may be carried out as a key erase: {format:?}");
        let nvme = Edition::Rev1.rules().rule(Media::SolidStateNvme, Technique::SanitizeBlock).unwrap();
        assert!(nvme.citation.contains("analogy"), "NVMe SANITIZE is younger than Rev. 1");
        let embedded = Edition::Rev1.rules().rule(Media::EmbeddedFlash, Technique::MmcSanitize).unwrap();
        assert!(embedded.citation.contains("A-3"));
    }

    #[test]
    fn a_stick_that_was_given_the_same_bytes_everywhere_is_not_proved_to_be_as_large_as_it_says() {
        let limited = |class, patterns: &[Pattern]| {
            let claim = judge(Edition::Rev2, &faultless(class, patterns));
            (claim.outcome(), claim.limits().iter().any(|l| l.code() == Some("limit.size-unproved")))
        };
        let byte = |b: u8| Pattern::bytes([b]).unwrap();
        let keystream = Pattern::random([9; 16]);
        assert_eq!(limited(MediaClass::RemovableFlash, &[byte(0x55), byte(0xaa)]), (Outcome::Clear, true));
        assert_eq!(limited(MediaClass::RemovableFlash, &[keystream.clone(), keystream.complement()]), (Outcome::Clear, false));
        assert!(!limited(MediaClass::RemovableFlash, &[Pattern::address(), Pattern::address().complement()]).1);
        assert_eq!(limited(MediaClass::Magnetic, &[byte(0)]), (Outcome::Clear, false));
    }

    #[test]
    fn no_drive_that_says_more_than_it_holds_earns_anything_by_any_technique() {
        let size = |own: u64, of_others: u64, begins_again_at| {
            StageResult::Measured(SizeEvidence {
                told: SECTORS,
                sector_bytes: 512,
                tagged: 100,
                own,
                of_others,
                begins_again_at,
                ..SizeEvidence::default()
            })
        };
        let with = |mut evidence: Evidence, what: StageResult| {
            evidence.stages.insert(0, stage(what));
            evidence.planned.insert(0, StageKind::Measure);
            evidence.check_soundness().unwrap();
            judge(Edition::Rev2, &evidence)
        };
        let flash = || faultless(MediaClass::RemovableFlash, &[Pattern::random([9; 16]), Pattern::random([9; 16]).complement()]);
        assert_eq!(with(flash(), size(100, 0, None)).outcome(), Outcome::Clear);
        assert_eq!(with(flash(), size(99, 0, None)).outcome(), Outcome::Clear, "not proved is not disproved");
        for found in [size(60, 40, Some(jurex_pattern::units::Lba(125))), size(60, 40, None), size(99, 1, None)] {
            let said = with(flash(), found);
            assert!(said.outcome() == Outcome::NotSanitized && said.reasons()[0].sentence().contains("hold"), "{said:?}");
        }
        // Not by its own erasure either.
        let mut own = in_four_stages(Technique::SanitizeBlock, Expect::Blank);
        assert_eq!(judge(Edition::Rev2, &own).outcome(), Outcome::Purge);
        own.stages.insert(1, stage(size(60, 40, Some(jurex_pattern::units::Lba(125)))));
        own.planned.insert(1, StageKind::Measure);
        assert_eq!(judge(Edition::Rev2, &own).outcome(), Outcome::NotSanitized);
        // What such a drive holds is all that there is to be covered, and any other part is a part.
        let mut part = flash();
        let holds = Sectors::new(0, 125);
        let (first, rest) = part.stages.split_first_mut().unwrap();
        let StageResult::Overwritten(laid) = &mut first.what else { panic!() };
        let StageResult::Checked(read) = &mut rest[0].what else { panic!() };
        (laid.range, read.range, read.read_back.read) = (holds, holds, all(holds));
        laid.passes.iter_mut().for_each(|p| (p.laid, p.pace) = (all(holds), crate::pace::Pace::new(holds)));
        let reasons = |found| with(part.clone(), found).reasons().iter().map(|r| r.sentence().clone()).collect::<Vec<_>>();
        assert_eq!(reasons(size(60, 40, Some(jurex_pattern::units::Lba(125)))).len(), 1);
        assert!(reasons(size(60, 40, Some(jurex_pattern::units::Lba(126)))).iter().any(|r| r.contains("a part never sanitizes")));
        assert!(reasons(size(100, 0, None)).iter().any(|r| r.contains("a part never sanitizes")));
    }

    #[test]
    fn a_hidden_area_or_a_bridge_matters_to_what_goes_through_the_host_interface() {
        let mut drive = test_drive(MediaClass::Magnetic, SECTORS);
        let foreseen = |drive: &jurex_device::media::Drive, technique| {
            evaluate(Edition::Rev2.rules(), &Case::foreseen(drive, technique, vec![])).outcome()
        };
        drive.hidden = HiddenAreas::Hidden { sectors: 8 };
        assert_eq!(foreseen(&drive, Technique::Overwrite), Outcome::NotSanitized);
        assert_eq!(foreseen(&drive, Technique::SecurityErase), Outcome::NotSanitized);
        assert_eq!(foreseen(&drive, Technique::SanitizeOverwrite), Outcome::NotSanitized, "what stays hidden can't be read back");
        (drive.hidden, drive.bridged) = (HiddenAreas::None, true);
        assert_eq!(foreseen(&drive, Technique::Overwrite), Outcome::Clear);
        assert_eq!(foreseen(&drive, Technique::SanitizeOverwrite), Outcome::NotSanitized);
    }

    #[test]
    fn a_whole_sample_is_proof_and_part_of_one_is_not() {
        let mut evidence = faultless(MediaClass::Magnetic, &[zeros()]);
        let sampling = Sampling::new([3; 16]);
        let places = sampling.places(evidence.range());
        let read = ReadBack { sampling: Some(sampling), read: places.clone(), ..ReadBack::default() };
        evidence.stages[1] = check(read.clone());
        assert_eq!(judge(Edition::Rev2, &evidence).outcome(), Outcome::Clear);
        let one = places.iter().next().unwrap().first.0;
        evidence.stages[1] = check(ReadBack { read: without(&places, one), ..read });
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
        let mut by_luck = faultless(MediaClass::RemovableFlash, &[zeros(), zeros().complement()]);
        last_pass_of(&mut by_luck).unwrap().complement_of_before = false;
        assert_eq!(judge(Edition::default(), &by_luck).outcome(), Outcome::NotSanitized, "a pair that a draw has made is luck");
    }

    #[test]
    fn what_was_read_under_an_earlier_hold_proves_nothing_now() {
        let mut evidence = faultless(MediaClass::Magnetic, &[zeros()]);
        let session = evidence.sessions[0].clone();
        evidence.sessions.push(session);
        let said = judge(Edition::default(), &evidence);
        assert!(said.outcome() == Outcome::NotSanitized && said.reasons()[0].sentence().contains("earlier hold"), "{said:?}");
        reading_of(&mut evidence).unwrap().session = 1;
        assert_eq!(judge(Edition::default(), &evidence).outcome(), Outcome::Clear, "read again in full, it is proved");
        let sampling = Sampling::new([3; 16]);
        let read = sampling.places(evidence.range());
        evidence.stages[1] = check(ReadBack { session: 1, sampling: Some(sampling), read, ..ReadBack::default() });
        assert_eq!(judge(Edition::default(), &evidence).outcome(), Outcome::NotSanitized, "a sample proves only its own hold");
        last_pass_of(&mut evidence).unwrap().session = 1;
        assert_eq!(judge(Edition::default(), &evidence).outcome(), Outcome::Clear);
        let StageEvidence { what: StageResult::Checked(check), .. } = &mut evidence.stages[1] else { panic!() };
        check.expect = Expect::Blank;
        assert_eq!(judge(Edition::default(), &evidence).outcome(), Outcome::NotSanitized, "compared with something else");
    }

    #[test]
    fn other_storage_of_the_unit_with_user_data_denies_the_outcome_and_without_it_is_told() {
        let mut evidence = faultless(MediaClass::SolidState, &[zeros()]);
        let area = |what: &str, user_data| Elsewhere { what: what.into(), user_data, no_address: false };
        drive_of(&mut evidence).elsewhere = vec![area("The replay protected memory block", false)];
        let told = judge(Edition::default(), &evidence);
        assert!(told.outcome() == Outcome::Clear && told.limits().iter().any(|l| l.sentence().contains("replay protected")));
        drive_of(&mut evidence).elsewhere.push(area("Namespace 2 (8.00 GB)", true));
        let denied = judge(Edition::default(), &evidence);
        assert_eq!(denied.reasons()[0].sentence(), "Namespace 2 (8.00 GB) of the same unit was not covered.");
    }

    /// Evidence of stages that no machine runs yet, built by hand: a hidden area lifted, the drive's own erasure and its
    /// check, and an overwriting with its own.
    fn in_four_stages(technique: Technique, expect: Expect) -> Evidence {
        let mut evidence = faultless(MediaClass::SolidState, &[zeros()]);
        let after = evidence.drive().geometry;
        let before = Geometry { sectors: after.sectors - 100, ..after };
        drive_of(&mut evidence).geometry = before;
        drive_of(&mut evidence).hidden = HiddenAreas::Hidden { sectors: 100 };
        let lifted = UnhideEvidence { before, after, hidden: HiddenAreas::None, commands: vec![] };
        let own = NativeEvidence { completed: true, sent: 1, ..NativeEvidence::begun(technique) };
        let read = ReadBack { read: all(after.whole()), ..ReadBack::default() };
        let drawn = Some(Drawn { compared: Drawn::PARTS, blank_before: 0, parts: Drawn::PARTS });
        let proof = CheckEvidence { range: after.whole(), expect, read_back: read, drawn, beside: vec![] };
        let first = [StageResult::Lifted(lifted), StageResult::Own(own), StageResult::Checked(proof)].map(stage);
        evidence.stages.splice(0..0, first);
        evidence.planned.splice(0..0, [StageKind::Lift, StageKind::Own, StageKind::Check]);
        evidence.check_soundness().unwrap();
        evidence
    }

    fn outcome_of(evidence: &Evidence) -> Outcome {
        judge(Edition::default(), evidence).outcome()
    }

    /// The same without stage `n`: neither planned nor done.
    fn without_stage(evidence: &Evidence, n: usize) -> Evidence {
        let mut less = evidence.clone();
        less.planned.remove(n);
        less.stages.remove(n);
        less
    }

    #[test]
    fn a_drives_own_erasure_counts_once_the_drive_says_so_and_a_check_right_after_it_has_read_it() {
        let whole = in_four_stages(Technique::SanitizeBlock, Expect::Blank);
        assert_eq!(outcome_of(&whole), Outcome::Purge, "the whole earns what its best stage does");
        let mut unsaid = whole.clone();
        if let StageResult::Own(own) = &mut unsaid.stages[1].what {
            own.completed = false;
        }
        assert_eq!(outcome_of(&unsaid), Outcome::Clear, "the overwriting after it stands by itself");
        assert_eq!(outcome_of(&without_stage(&whole, 2)), Outcome::Clear, "what the overwriting's check read proves only that");
        assert_eq!(outcome_of(&without_stage(&whole, 0)), Outcome::NotSanitized, "what was hidden stays hidden");
        let mut unfinished = whole.clone();
        unfinished.stages[3].ended = None;
        assert_eq!(outcome_of(&unfinished), Outcome::NotSanitized, "every planned stage must come to its end");
        let other = in_four_stages(Technique::SanitizeBlock, Expect::Changed);
        assert_eq!(outcome_of(&other), Outcome::Clear, "an erased drive is blank: changed is not enough");
        let key = in_four_stages(Technique::SanitizeCrypto, Expect::Changed);
        assert_eq!(outcome_of(&key), Outcome::Clear, "nobody has stated that it was encrypted from the start");
        let text = serde_json::to_string(&whole).unwrap();
        assert_eq!(serde_json::from_str::<Evidence>(&text).unwrap(), whole);
    }

    #[test]
    fn of_two_overwritings_a_fault_of_either_denies_both() {
        let mut evidence = faultless(MediaClass::Magnetic, &[zeros()]);
        let again = faultless(MediaClass::Magnetic, &[zeros().complement()]);
        evidence.stages.extend(again.stages);
        evidence.planned.extend(again.planned);
        assert_eq!(outcome_of(&evidence), Outcome::Clear);
        if let StageResult::Overwritten(second) = &mut evidence.stages[2].what {
            second.passes[0].unwritable.insert(Sectors::new(3, 1));
        }
        assert_eq!(outcome_of(&evidence), Outcome::NotSanitized);
        assert!(evidence.unwritable().contains(jurex_pattern::units::Lba(3)));
    }

    #[test]
    fn a_record_without_spent_seeds_is_judged_as_before() {
        let random = Pattern::random([7; 16]);
        let mut evidence = faultless(MediaClass::RemovableFlash, &[random.clone(), random.complement()]);
        let before = judge(Edition::default(), &evidence);
        evidence.overwrite_mut().unwrap().passes[0].pattern = random.without_seed();
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
        AnotherSession,
        StageUnended,
        Elsewhere,
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
        match by {
            Worse::Unwritable(at) => last_pass_of(evidence).into_iter().for_each(|p| {
                p.unwritable.insert(Sectors::new(*at, 1));
                p.laid = without(&p.laid, *at);
            }),
            Worse::Unreadable(at) => reading_of(evidence).into_iter().for_each(|r| {
                r.unreadable.insert(Sectors::new(*at, 1));
                r.read = without(&r.read, *at);
            }),
            Worse::Wrong(at) => reading_of(evidence).into_iter().for_each(|r| r.wrong.insert(Sectors::new(*at, 1))),
            Worse::Range => {
                evidence.overwrite_mut().into_iter().for_each(|o| o.range.count = o.range.count.saturating_sub(1));
            }
            Worse::Hidden => drive_of(evidence).hidden = HiddenAreas::Hidden { sectors: 8 },
            Worse::NotFlushed => last_pass_of(evidence).into_iter().for_each(|p| p.flushed = false),
            Worse::Stopped => evidence.ended = Ended::Stopped,
            Worse::NotReadBack => evidence.stages.truncate(1),
            Worse::ReadInPart => reading_of(evidence).into_iter().for_each(|r| r.read = without(&r.read, 5)),
            Worse::PassMissing => {
                evidence.overwrite_mut().into_iter().for_each(|o| o.passes.truncate(o.passes.len().saturating_sub(1)));
            }
            Worse::AnotherSession => evidence.sessions.push(evidence.sessions[0].clone()),
            Worse::StageUnended => evidence.stages.iter_mut().for_each(|s| s.ended = None),
            Worse::Elsewhere => {
                drive_of(evidence).elsewhere.push(Elsewhere { what: "Namespace 2".into(), user_data: true, no_address: false });
            }
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
            Just(Worse::AnotherSession),
            Just(Worse::StageUnended),
            Just(Worse::Elsewhere),
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

        /// The combination is never above its best stage, and no stage that is taken away, no fault, no cut and no other hold
        /// ever raises it.
        #[test]
        fn nothing_that_is_taken_from_a_treatment_in_stages_raises_what_it_earns(
            technique in prop::sample::select(&Technique::ALL[..]), expect in 0usize..4, completed: bool, planned_too: bool,
            taken in prop::collection::vec(0usize..5, 0..4), worse in prop::option::of(0usize..6), rev1: bool,
        ) {
            let edition = if rev1 { Edition::Rev1 } else { Edition::Rev2 };
            let expect = [Expect::LastPass, Expect::Changed, Expect::Blank, Expect::Bytes { pattern: zeros() }][expect].clone();
            let mut evidence = in_four_stages(technique, expect);
            if let StageResult::Own(own) = &mut evidence.stages[1].what {
                own.completed = completed;
            }
            let mut outcome = judge(edition, &evidence).outcome();
            let best = Case::of_stages(&evidence, edition.rules().reading).iter().map(|c| evaluate(edition.rules(), c).outcome()).max();
            prop_assert_eq!(Some(outcome), best);
            for n in taken {
                if n < evidence.stages.len() {
                    evidence.stages.remove(n);
                    if planned_too {
                        evidence.planned.remove(n);
                    }
                }
                let after = judge(edition, &evidence).outcome();
                prop_assert!(after <= outcome, "without stage {} {:?} became {:?}", n, outcome, after);
                prop_assert!(planned_too || evidence.stages.len() == 5 || after == Outcome::NotSanitized);
                outcome = after;
            }
            match worse {
                Some(0) => evidence.sessions.push(evidence.sessions[0].clone()),
                Some(1) => evidence.ended = Ended::Stopped,
                Some(2) => evidence.stages.iter_mut().for_each(|s| s.ended = None),
                Some(3) => evidence.stages.iter_mut().for_each(|s| if let StageResult::Checked(c) = &mut s.what {
                    c.read_back.wrong.insert(Sectors::new(7, 1));
                }),
                Some(4) => evidence.stages.iter_mut().for_each(|s| if let StageResult::Overwritten(o) = &mut s.what {
                    o.passes[0].unwritable.insert(Sectors::new(7, 1));
                }),
                Some(5) => drive_of(&mut evidence).elsewhere.push(Elsewhere { what: "Namespace 2".into(), user_data: true, no_address: false }),
                _ => {}
            }
            prop_assert!(judge(edition, &evidence).outcome() <= outcome, "{:?} raised it", worse);
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
                bridged,
                simulated,
                lacks: kinds.into_iter().map(lack).collect(),
                ..Case::stated(Media::ALL[cell.0], Technique::ALL[cell.1], met.into_iter().filter(|(is, _)| *is).map(|(_, c)| c).collect())
            };
            let before = evaluate(rules, &case);
            let with_one_more = Case { lacks: [case.lacks.clone(), vec![lack(more)]].concat(), ..case.clone() };
            let with_less_known = Case { met: vec![], ..case };
            for worse in [with_one_more, with_less_known] {
                let after = evaluate(rules, &worse);
                prop_assert!(after.outcome() <= before.outcome() && !after.reasons().is_empty());
                prop_assert!(after.reasons().iter().all(|r| !r.citation().is_empty()));
            }
        }
    }

    #[test]
    fn what_was_read_is_said_as_it_was_and_no_sector_that_gives_an_error_is_passed_over() {
        let sentence = |evidence: &Evidence| judge(Edition::Rev2, evidence).reasons()[0].sentence().clone();
        let mut evidence = faultless(MediaClass::Magnetic, &[zeros()]);
        assert!(
            sentence(&evidence).ends_with("all of it was read afterwards, and holds what was written."),
            "{}",
            sentence(&evidence)
        );
        evidence.stages[1] =
            check(ReadBack { sampling: Some(Sampling::new([3; 16])), read: all(evidence.range()), ..ReadBack::default() });
        assert!(sentence(&evidence).contains("all of it was read"), "of a small drive a sample is all of it");
        let said = sentence(&crate::plan::tests::sampled(Sectors::new(0, 10_000_000))).replace('\u{202f}', " ");
        assert!(said.contains("of its 10 000 000 sectors were read afterwards, a sample, and hold what was written"), "{said}");
        // After the drive's own erasure: what it reported and what was read, and never what nobody saw.
        let mut own = in_four_stages(Technique::SanitizeBlock, Expect::Blank);
        let claim = judge(Edition::Rev2, &own);
        assert!(claim.reasons()[0].sentence().starts_with("The drive reported"), "{claim:?}");
        assert!(claim.limits().iter().any(|l| l.code() == Some("limit.cells-by-its-word")), "{claim:?}");
        for stage in &mut own.stages {
            if let StageResult::Checked(check) = &mut stage.what
                && check.expect == Expect::Blank
            {
                check.read_back.read = without(&check.read_back.read, 500);
                check.read_back.unreadable = all(Sectors::new(500, 1));
            }
        }
        assert_eq!(judge(Edition::Rev2, &own).outcome(), Outcome::NotSanitized, "one sector of a thousand is not passed over");
    }

    /// Records of earlier rules asked for twenty parts, and are judged by those still; today's ask for a thousand.
    #[test]
    fn in_how_many_parts_something_must_have_lain_is_a_matter_of_the_rules() {
        let mut own = in_four_stages(Technique::SanitizeBlock, Expect::Blank);
        for stage in &mut own.stages {
            if let StageResult::Checked(CheckEvidence { drawn: Some(drawn), .. }) = &mut stage.what {
                (drawn.compared, drawn.parts) = (95, 20);
            }
        }
        own.check_soundness().unwrap();
        let edition = Edition::Rev2;
        assert_eq!(judge(edition, &own).outcome(), Outcome::Clear, "what the overwrite beside it earns");
        let earlier = edition.released_digests();
        let asked_for_twenty = earlier.iter().filter_map(|digest| edition.rules_of(digest)).find(|rules| rules.reading == 4);
        let by_earlier = judge_by(asked_for_twenty.unwrap(), &own);
        assert_eq!(by_earlier.outcome(), Outcome::Purge);
    }

    #[test]
    fn capacity_of_no_namespace_may_hold_a_deleted_one() {
        let mut evidence = faultless(MediaClass::SolidState, &[zeros()]);
        let unallocated = Elsewhere { what: "8.00 GB that belong to no namespace".into(), user_data: true, no_address: true };
        drive_of(&mut evidence).elsewhere = vec![unallocated.clone()];
        assert_eq!(judge(Edition::Rev1, &evidence).outcome(), Outcome::NotSanitized, "zeros do not reach it");
        // SANITIZE does, and nobody could read it back.
        let mut own = in_four_stages(Technique::SanitizeBlock, Expect::Blank);
        drive_of(&mut own).elsewhere = vec![unallocated];
        let own_of = |own: &mut Evidence| {
            own.stages
                .iter_mut()
                .find_map(|s| if let StageResult::Own(o) = &mut s.what { Some(&mut o.of_whole_unit) } else { None })
                .map(|f| *f = true)
        };
        own_of(&mut own).unwrap();
        assert_eq!(judge(Edition::Rev2, &own).outcome(), Outcome::Purge);
    }

    /// Earlier rules let a tenth of the sectors go unread after a drive's own erasure; records by them are judged so for ever.
    #[test]
    fn by_earlier_rules_a_tenth_may_give_an_error_and_no_sector_more() {
        let unread = |unreadable: u64| {
            let mut evidence = in_four_stages(Technique::SanitizeBlock, Expect::Blank);
            let whole = evidence.geometry().whole();
            let StageResult::Checked(check) = &mut evidence.stages[2].what else { unreachable!() };
            check.read_back.read = all(Sectors::new(0, whole.count - unreadable));
            check.read_back.unreadable = all(Sectors::new(whole.count - unreadable, unreadable));
            let lacks = |reading| Case::of_stages(&evidence, reading)[0].lacks.iter().any(|l| l.kind == LackKind::ReadInPart);
            lacks(3)
        };
        let sectors = in_four_stages(Technique::SanitizeBlock, Expect::Blank).geometry().sectors;
        assert!(!unread(sectors / 10) && unread(sectors / 10 + 2), "of {sectors}");
        let sibling = |unreadable: u64| {
            let read = SiblingRead {
                what: "Namespace 2".into(),
                sectors: 1000,
                read: 1000 - unreadable,
                unreadable,
                as_before: 0,
                not_blank: 0,
                compared: 1000,
                parts: 1000,
            };
            (read.against(true, 3).is_some(), read.against(true, 4).is_some())
        };
        assert_eq!((sibling(0), sibling(100), sibling(102)), ((false, false), (false, true), (true, true)));
    }

    #[test]
    fn two_passes_are_a_pair_only_where_one_is_the_others_complement() {
        let pair = |first: Pattern, second: Pattern| outcome_of(&faultless(MediaClass::RemovableFlash, &[first, second]));
        let random = || Pattern::random([3; 16]);
        assert_eq!(pair(random(), random().complement()), Outcome::Clear);
        assert_eq!(pair(random().without_seed(), random().complement()), Outcome::Clear, "a spent seed is dropped");
        assert_eq!(pair(random().without_seed(), random()), Outcome::NotSanitized, "twice the same is no pair");
        assert_eq!(pair(random(), Pattern::random([4; 16]).complement()), Outcome::NotSanitized, "of another seed");
    }

    #[test]
    fn a_removal_of_the_makers_own_earns_nothing_until_somebody_states_that_the_maker_confirms_it() {
        let judged = |removal, stated: bool| {
            let mut evidence = in_four_stages(Technique::MmcSanitize, Expect::Blank);
            drive_of(&mut evidence).class = MediaClass::EmbeddedFlash;
            evidence.stated.conditions = if stated { vec![Condition::MakerConfirms] } else { vec![] };
            let StageResult::Own(own) = &mut evidence.stages[1].what else { unreachable!() };
            own.removal = removal;
            let case = &Case::of_stages(&evidence, Edition::default().rules().reading)[0];
            case.lacks.iter().any(|l| l.kind == LackKind::RemovalOfItsMaker)
        };
        assert!(judged(Some(Removal::OfItsMaker), false) && !judged(Some(Removal::OfItsMaker), true) && !judged(None, false));
    }

    #[test]
    fn a_drive_that_could_hide_sectors_and_was_not_asked_earns_nothing_on_any_bus() {
        let mut evidence = faultless(MediaClass::Magnetic, &[zeros()]);
        drive_of(&mut evidence).hidden = HiddenAreas::NotAsked;
        let outcome = |bus, protocol, evidence: &mut Evidence| {
            (drive_of(evidence).bus, drive_of(evidence).protocol) = (bus, protocol);
            judge(Edition::default(), evidence).outcome()
        };
        let namespace = Protocol::Nvme { namespace: 1 };
        for (bus, protocol) in
            [(Bus::Sata, Protocol::Ata), (Bus::Usb, Protocol::Ata), (Bus::Sas, Protocol::Ata), (Bus::Nvme, namespace)]
        {
            assert_eq!(outcome(bus, protocol, &mut evidence), Outcome::NotSanitized, "{bus} {protocol:?}");
        }
        // A drive on SCSI has nothing that could be asked: that is said.
        let limits = |evidence: &Evidence| {
            judge(Edition::default(), evidence).limits().iter().map(|l| l.sentence().clone()).collect::<Vec<_>>()
        };
        assert_eq!(outcome(Bus::Sas, Protocol::Scsi, &mut evidence), Outcome::Clear);
        assert!(limits(&evidence).iter().any(|l| l.contains("MODE SELECT")), "{:?}", limits(&evidence));
        assert_eq!(
            outcome(Bus::Usb, Protocol::Scsi, &mut evidence),
            Outcome::Clear,
            "a bridge that lets nobody ask has its limit"
        );
    }
}
