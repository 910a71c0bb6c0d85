//! The facts that a rule is asked about, gathered from evidence or from a plan.

use super::data::{LackKind, Media};
use super::technique;
use crate::evidence::{
    CheckEvidence, Drawn, Ended, Evidence, Expect, NativeEvidence, OverwriteEvidence, PassEvidence, StageKind, StageResult,
};
use crate::words::Said;
use jurex_device::media::{Bus, Drive, Elsewhere, HiddenAreas, MediaClass, Protocol};
use jurex_device::medium::AccessWay;
use jurex_device::native::mmc::Removal;
use jurex_device::technique::{Condition, Reach, Technique};
use jurex_pattern::pattern::Base;
use jurex_pattern::units::Sectors;

/// A shortcoming with its details.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Lack {
    /// Its kind.
    pub kind: LackKind,
    /// What exactly is lacking, for people; `None`: the rule's own words say it.
    pub detail: Option<Said>,
}

impl Lack {
    fn of(kind: LackKind, detail: Said) -> Self {
        Self { kind, detail: Some(detail) }
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
    /// Whether every sector was given the same bytes last, and nothing else has shown that the drive has them all.
    pub size_unproved: bool,
    /// Other namespaces that the same command reached, and of which places are read at most, in words.
    pub unread: Option<String>,
    /// Whether nothing tells that its capacity was not cut.
    pub capacity_not_asked: bool,
    /// Whether the drive deallocated its sectors in its own erasure.
    pub deallocated: bool,
    /// How an embedded device is set to remove data, if it told.
    pub removal: Option<Removal>,
    /// What was read of it afterwards, as the end of a sentence.
    pub read: Said,
    /// Conditions that are known to be met.
    pub met: Vec<Condition>,
    /// Everything that reach or evidence lacks.
    pub lacks: Vec<Lack>,
}

impl Case {
    /// Of what nothing else is known: that is so of what people did with their hands, as they state it.
    pub fn stated(media: Media, technique: Technique, met: Vec<Condition>) -> Self {
        Self {
            media,
            technique,
            bridged: false,
            simulated: false,
            buffered: false,
            elsewhere: None,
            size_unproved: false,
            unread: None,
            capacity_not_asked: false,
            deallocated: false,
            removal: None,
            read: to_be_read(),
            met,
            lacks: vec![],
        }
    }

    /// A treatment of the whole of `drive` by `technique` on which nothing would go wrong: only what the drive itself
    /// keeps from being reached is lacking.
    pub fn foreseen(drive: &Drive, technique: Technique, met: Vec<Condition>) -> Self {
        Self::foreseen_by(drive, technique, met, NOW)
    }

    fn foreseen_by(drive: &Drive, technique: Technique, met: Vec<Condition>, reading: u32) -> Self {
        let hides_native = drive.bridged.then_some(Lack { kind: LackKind::BehindBridge, detail: None });
        let quiet: Vec<&str> = drive.elsewhere.iter().filter(|e| !e.user_data).map(|e| e.what.as_str()).collect();
        Self {
            bridged: drive.bridged,
            simulated: drive.simulated,
            elsewhere: (!quiet.is_empty()).then(|| quiet.join(", ")),
            unread: technique.reaches_whole_unit().then(|| user_data_elsewhere(drive)).flatten(),
            capacity_not_asked: reading >= 4 && is_scsi_drive(drive) && drive.hidden == HiddenAreas::NotAsked,
            lacks: unreached(drive, reading).into_iter().chain(hides_native).collect(),
            ..Self::stated(Media::of(drive), technique, met)
        }
    }

    /// Every stage of `evidence` that could earn something by itself.
    pub fn of_stages(evidence: &Evidence, reading: u32) -> Vec<Self> {
        let of_stage = |(n, what): (usize, &StageResult)| match what {
            StageResult::Overwritten(overwrite) => Some(Self::of_overwrite(evidence, n, overwrite, reading)),
            StageResult::Own(own) => Some(Self::of_own(evidence, n, own, reading)),
            StageResult::Lifted(_) | StageResult::Measured(_) | StageResult::Checked(_) => None,
        };
        evidence.stages.iter().map(|s| &s.what).enumerate().filter_map(of_stage).collect()
    }

    /// A treatment of which nothing was begun that could earn anything: judged as an overwriting that was not done.
    pub fn of_nothing(evidence: &Evidence, reading: u32) -> Self {
        let nothing = OverwriteEvidence { range: evidence.geometry().whole(), planned_passes: 1, passes: vec![] };
        Self::of_overwrite(evidence, evidence.stages.len(), &nothing, reading)
    }

    /// The overwriting that is stage `n`. It counts only if the check right after it compared every place with what it laid.
    fn of_overwrite(evidence: &Evidence, n: usize, overwrite: &OverwriteEvidence, reading: u32) -> Self {
        let met = if has_complement_pair(overwrite) { vec![Condition::ComplementPair] } else { vec![] };
        let proof = evidence.check_after(n);
        let expects = |expect: &Expect| *expect == Expect::LastPass;
        let unproved = proof_lacks(evidence, proof, overwrite.range, expects, Said::new("unread.last-pass"));
        let found = [unproved, holds(evidence, n, proof)].concat();
        let case = Self::of_stage(evidence, (Technique::Overwrite, met), part(evidence, overwrite.range), found, reading);
        let read = proof.map_or_else(to_be_read, said_to_be_read);
        let last = overwrite.passes.last().map(|p| &p.pattern.base);
        // Proved, or found to be less: neither is in question any more.
        let measured = evidence.size().is_some_and(|s| s.is_as_told() || s.is_false());
        Self { size_unproved: matches!(last, Some(Base::Bytes { .. })) && !measured, read, ..case }
    }

    /// The drive's own erasure that is stage `n`. It counts only if the drive itself said that it ended well, and the check
    /// right after it has found what such a command leaves: after a key was replaced nothing as it was, else blank sectors
    /// or known bytes.
    fn of_own(evidence: &Evidence, n: usize, own: &NativeEvidence, reading: u32) -> Self {
        let mut found = vec![];
        if !own.completed {
            let said = Said::new("lack.not-completed").said("technique", technique(own.technique));
            found.push(Lack::of(LackKind::EndedEarly, said));
        }
        let proof = evidence.check_after(n);
        let expects = |expect: &Expect| match expect {
            Expect::LastPass => false,
            Expect::Changed => own.technique.leaves_unknown_bytes(),
            Expect::Blank | Expect::Bytes { .. } => !own.technique.replaces_a_key(),
        };
        let unread = Said::new("unread.erasure").said("technique", technique(own.technique));
        found.extend(proof_lacks(evidence, proof, evidence.geometry().whole(), expects, unread));
        found.extend(proof.into_iter().flat_map(|check| tells_too_little(check, reading)));
        found.extend(holds(evidence, n, proof));
        let mut case = Self::of_stage(evidence, (own.technique, evidence.stated.conditions.clone()), vec![], found, reading);
        case.read = proof.map_or_else(to_be_read, said_to_be_read);
        (case.deallocated, case.removal) = (own.deallocated, own.removal);
        if own.removal == Some(Removal::OfItsMaker) && !case.met.contains(&Condition::MakerConfirms) {
            case.lacks.push(Lack { kind: LackKind::RemovalOfItsMaker, detail: None });
        }
        if own.of_whole_unit {
            case.reaches_unit(evidence.drive(), proof, own.session == evidence.last_session(), reading);
        }
        case
    }

    /// The command was of everything on the unit: other namespaces are covered by it, as far as they were read back too.
    ///
    /// Of those only places are read, which prove nothing where the command ended under an earlier hold (`done_now`).
    fn reaches_unit(&mut self, drive: &Drive, proof: Option<&CheckEvidence>, done_now: bool, reading: u32) {
        self.unread = user_data_elsewhere(drive);
        self.lacks.retain(|l| l.kind != LackKind::Elsewhere);
        // A format is of namespaces: capacity that belongs to none, and may hold a deleted one, it does not reach.
        if self.technique.descriptor().reach == Reach::Namespaces {
            self.lacks.extend(drive.other_user_data().filter(|e| e.no_address).map(not_covered));
        }
        let must_be_blank = proof.is_some_and(|p| p.expect != Expect::Changed);
        for other in drive.other_user_data().filter(|e| !e.no_address) {
            let read = proof.and_then(|p| p.beside.iter().find(|b| b.what == other.what));
            let against = match read {
                None => Some(Said::new("elsewhere.nothing-read")),
                Some(_) if !done_now => Some(Said::new("elsewhere.later-hold")),
                Some(read) => read.against(must_be_blank, reading),
            };
            if let Some(why) = against {
                let said = Said::new("lack.not-proved-elsewhere").text("what", &other.what).said("why", why);
                self.lacks.push(Lack::of(LackKind::NotReadBack, said));
            }
        }
    }

    /// A stage with what it lacks itself, in the world that all stages have left: a fault anywhere lowers each of them.
    fn of_stage(
        evidence: &Evidence,
        (technique, met): (Technique, Vec<Condition>),
        part: Vec<Lack>,
        proof: Vec<Lack>,
        reading: u32,
    ) -> Self {
        let drive = Drive { geometry: evidence.geometry(), hidden: evidence.hidden().clone(), ..evidence.drive().clone() };
        let mut case = Self::foreseen_by(&drive, technique, met, reading);
        case.buffered = is_buffered(evidence);
        case.lacks =
            [ended(evidence), size(evidence), part, case.lacks, writing_faults(evidence), reading_faults(evidence), proof]
                .concat();
        case
    }
}

/// Other storage of the unit with user data, in words.
fn user_data_elsewhere(drive: &Drive) -> Option<String> {
    let all: Vec<&str> = drive.other_user_data().map(|e| e.what.as_str()).collect();
    (!all.is_empty()).then(|| all.join(", "))
}

/// What a check after the drive's own erasure tells too little of: places that were blank before, and sectors that it did not
/// give.
fn tells_too_little(check: &CheckEvidence, reading: u32) -> Vec<Lack> {
    let mut found = vec![];
    if check.range.count == 0 {
        found.push(Lack::of(LackKind::NotReadBack, Said::new("lack.no-sector-given")));
    }
    let (parts, all) = (check.drawn.map_or(0, |d| d.parts), Drawn::parts_of(check.range, reading));
    if parts < all {
        let said = Said::new("lack.too-little-before").number("parts", parts).number("all", all);
        let said = if parts == 0 { said.said("again", Said::new("too-little-before.again")) } else { said };
        found.push(Lack::of(LackKind::NotReadBack, said));
    }
    // After a block erasure a sector may give an error until it is written. Where most of them do, nothing was seen.
    let (read, unreadable) = (check.read_back.read.count(), check.read_back.unreadable.count());
    // (Later readings let none of them pass: each is said for itself.)
    if reading < 4 && read / 9 < unreadable {
        let said = Said::new("lack.many-unread").number("unreadable", unreadable).number("all", read + unreadable);
        found.push(Lack::of(LackKind::ReadInPart, said));
    }
    found
}

fn is_buffered(evidence: &Evidence) -> bool {
    evidence.sessions.last().is_some_and(|s| s.access.way == AccessWay::Buffered)
}

fn ended(evidence: &Evidence) -> Vec<Lack> {
    let mut found = vec![];
    if evidence.ended != Ended::Finished {
        found.push(Lack::of(LackKind::EndedEarly, evidence.ended.said()));
    } else if evidence.stages.len() < evidence.planned.len() || evidence.stages.iter().any(|s| s.ended.is_none()) {
        found.push(Lack::of(LackKind::EndedEarly, Said::new("lack.stage-not-ended")));
    }
    found
}

/// What is lacking where a stage covered only `range`.
fn part(evidence: &Evidence, range: Sectors) -> Vec<Lack> {
    let whole = evidence.geometry().whole();
    let said = || Said::new("lack.part").number("covered", range.count).number("all", whole.count);
    // What a drive does not hold is told for itself.
    if range == evidence.range_of(whole) { vec![] } else { vec![Lack::of(LackKind::Part, said())] }
}

/// What is said of a job that is still to come.
fn to_be_read() -> Said {
    Said::new("read.to-be-read")
}

/// Of a job that is still to come what this version reads last counts, however rules are numbered.
const NOW: u32 = u32::MAX;

/// What a check has read, as the end of a sentence. What was read of a sample is said as that.
fn said_to_be_read(check: &CheckEvidence) -> Said {
    let (read, range) = (check.read_back.read.count(), check.range.count);
    let how_many = if read >= range { "all" } else { "sample" };
    let of = |what: &str| {
        let said = Said::new(format!("read.{how_many}.{what}"));
        if read >= range { said } else { said.number("read", read).number("all", range) }
    };
    match &check.expect {
        Expect::LastPass => of("last-pass"),
        Expect::Bytes { .. } => of("bytes"),
        Expect::Blank => of("blank"),
        Expect::Changed => of("changed").number("compared", check.drawn.map_or(0, |d| d.compared)),
    }
}

fn not_covered(elsewhere: &Elsewhere) -> Lack {
    Lack::of(LackKind::Elsewhere, Said::new("lack.elsewhere").text("what", &elsewhere.what))
}

fn unreached(drive: &Drive, reading: u32) -> Vec<Lack> {
    let mut found = vec![];
    match drive.hidden {
        HiddenAreas::Hidden { sectors } => {
            found.push(Lack::of(LackKind::Hidden, Said::new("lack.hidden").number("sectors", sectors)));
        }
        // What could hide sectors by a command of its own and was not asked counts as hiding some.
        HiddenAreas::NotAsked if may_hide(drive, reading) => {
            found.push(Lack::of(LackKind::HiddenNotAsked, Said::new("lack.hidden-not-asked")));
        }
        HiddenAreas::NotAsked | HiddenAreas::None => {}
    }
    found.extend(drive.other_user_data().map(not_covered));
    found
}

/// Whether the drive could hide sectors and tells, when it is asked, whether it does: those that speak ATA, whatever stands between, and
/// controllers of namespaces. A stick or card, what a bridge lets nobody ask, and a drive on SCSI, which has nothing to ask, have their limit
/// instead.
fn may_hide(drive: &Drive, reading: u32) -> bool {
    let asked = match drive.protocol {
        Protocol::Ata => true,
        Protocol::Nvme { .. } => reading >= 4,
        Protocol::Scsi => reading < 4 && drive.bus == Bus::Sas,
        Protocol::Mmc | Protocol::Block => false,
    };
    drive.class != MediaClass::Virtual && asked
}

fn is_scsi_drive(drive: &Drive) -> bool {
    drive.class != MediaClass::Virtual && drive.protocol == Protocol::Scsi && drive.bus == Bus::Sas
}

/// A drive that holds less than it says.
fn size(evidence: &Evidence) -> Vec<Lack> {
    let Some(size) = evidence.size().filter(|s| s.is_false()) else { return vec![] };
    // What was to be covered is what it holds; the passes say for themselves whether it was.
    let covers_that = evidence.overwrite().is_some_and(|o| Some(o.range.count) == size.covers());
    let said = Said::new("lack.smaller-than-told").said("size", size.said());
    let said = if covers_that { said.said("beyond", Said::new("smaller-than-told.covered")) } else { said };
    vec![Lack::of(LackKind::SmallerThanTold, said)]
}

fn writing_faults(evidence: &Evidence) -> Vec<Lack> {
    let mut found = vec![];
    let unwritable = evidence.unwritable();
    if !unwritable.is_empty() {
        let said = Said::new("lack.unwritable").number("sectors", unwritable.count()).places("at", &unwritable);
        found.push(Lack::of(LackKind::Unwritable, said));
    }
    let is_laid = |o: &OverwriteEvidence| {
        o.passes.len() >= o.planned_passes.max(1) as usize && o.passes.iter().all(|p| p.done().covers_all(o.range))
    };
    let planned = evidence.planned.iter().filter(|k| **k == StageKind::Overwrite).count();
    let missing = !evidence.overwrites().all(is_laid) || evidence.overwrites().count() < planned;
    if evidence.ended == Ended::Finished && missing {
        found.push(Lack::of(LackKind::PassMissing, Said::new("lack.pass-missing")));
    }
    if evidence.ended == Ended::Finished && evidence.all_passes().any(|p| !p.flushed) {
        found.push(Lack::of(LackKind::NotFlushed, Said::new("lack.not-flushed")));
    }
    found
}

fn reading_faults(evidence: &Evidence) -> Vec<Lack> {
    let mut found = vec![];
    let (wrong, unreadable) = (evidence.wrong(), evidence.unreadable());
    if !wrong.is_empty() {
        let what = if evidence.overwrite().is_some() { "expected.last-pass" } else { "expected.erasure" };
        let said = Said::new("lack.wrong").number("sectors", wrong.count()).said("what", Said::new(what)).places("at", &wrong);
        found.push(Lack::of(LackKind::Wrong, said));
    }
    if !unreadable.is_empty() {
        let said = Said::new("lack.unreadable").number("sectors", unreadable.count()).places("at", &unreadable);
        found.push(Lack::of(LackKind::Unreadable, said));
    }
    found
}

/// What the proof of a stage that covered `range` lacks: the check right after it, of all of that range, compared with what
/// that stage leaves.
fn proof_lacks(
    evidence: &Evidence,
    proof: Option<&CheckEvidence>,
    range: Sectors,
    expects: impl Fn(&Expect) -> bool,
    unread: Said,
) -> Vec<Lack> {
    match proof {
        // Of a treatment that was cut short it is said already that it was.
        _ if evidence.ended != Ended::Finished => vec![],
        None => vec![Lack::of(LackKind::NotReadBack, Said::new("lack.not-read-back").said("what", unread))],
        Some(check) if !expects(&check.expect) => {
            vec![Lack::of(LackKind::NotReadBack, Said::new("lack.not-compared"))]
        }
        Some(check) if check.range != range || !check.read_back.is_complete(range) => {
            vec![Lack::of(LackKind::ReadInPart, Said::new("lack.read-in-part"))]
        }
        Some(_) => vec![],
    }
}

/// What was read proves something only in the hold in which it was read, and a sample only what was laid in that hold.
fn holds(evidence: &Evidence, n: usize, proof: Option<&CheckEvidence>) -> Vec<Lack> {
    let Some(read) = proof.map(|c| &c.read_back) else { return vec![] };
    let laid_before = match evidence.stages.get(n).map(|s| &s.what) {
        Some(StageResult::Overwritten(o)) => o.passes.last().is_some_and(|p| p.session != evidence.last_session()),
        Some(StageResult::Own(own)) => own.session != evidence.last_session(),
        _ => false,
    };
    if read.session != evidence.last_session() {
        vec![Lack::of(LackKind::EarlierHold, Said::new("lack.earlier-hold"))]
    } else if read.sampling.is_some() && laid_before {
        vec![Lack::of(LackKind::EarlierHold, Said::new("lack.earlier-hold-sampled"))]
    } else {
        vec![]
    }
}

/// A pass and right after it, by the method's design, its complement, both laid on every sector of the range.
fn has_complement_pair(overwrite: &OverwriteEvidence) -> bool {
    let whole = |p: &PassEvidence| p.laid.covers_all(overwrite.range);
    overwrite.passes.windows(2).any(|pair| {
        pair[1].complement_of_before && whole(&pair[0]) && whole(&pair[1]) && pair[1].pattern.may_complement(&pair[0].pattern)
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::evidence::ReadBack;
    use crate::evidence::{SiblingRead, StageEvidence};
    use crate::sampling::Sampling;
    use crate::testing::{SECTORS, check, faultless, stage};
    use jurex_device::testing::test_drive;
    use jurex_pattern::pattern::Pattern;

    fn kinds(case: &Case) -> Vec<LackKind> {
        case.lacks.iter().map(|lack| lack.kind).collect()
    }

    fn all() -> jurex_pattern::ranges::RangeSet {
        [Sectors::new(0, SECTORS)].into_iter().collect()
    }

    /// An NVMe drive with these other things on its unit.
    fn nvme(elsewhere: &[(&str, bool, bool)]) -> Drive {
        let other = |(what, user_data, no_address): &(&str, bool, bool)| Elsewhere {
            what: (*what).into(),
            user_data: *user_data,
            no_address: *no_address,
        };
        Drive {
            protocol: Protocol::Nvme { namespace: 1 },
            bus: Bus::Nvme,
            hidden: HiddenAreas::None,
            elsewhere: elsewhere.iter().map(other).collect(),
            ..test_drive(MediaClass::SolidState, SECTORS)
        }
    }

    /// A whole unit erased by its own command in session `own`, and read in session `read` with these namespaces beside.
    fn erased(drive: &Drive, technique: Technique, (own, read): (u32, u32), beside: Vec<SiblingRead>) -> Case {
        let mut evidence = faultless(MediaClass::SolidState, &[]);
        let mut sessions = vec![evidence.sessions.remove(0); 2];
        sessions.iter_mut().for_each(|session| session.drive = drive.clone());
        let own =
            NativeEvidence { sent: 1, completed: true, of_whole_unit: true, session: own, ..NativeEvidence::begun(technique) };
        let drawn = Some(Drawn { compared: SECTORS, blank_before: 0, parts: SECTORS });
        let read_back = crate::evidence::ReadBack { session: read, read: all(), ..Default::default() };
        let StageEvidence { what: StageResult::Checked(check), .. } = check(read_back) else { panic!() };
        let checked = CheckEvidence { expect: Expect::Blank, drawn, beside, ..check };
        evidence.stages = vec![stage(StageResult::Own(own)), stage(StageResult::Checked(checked))];
        (evidence.sessions, evidence.planned) = (sessions, vec![StageKind::Own, StageKind::Check]);
        Case::of_stages(&evidence, 7).remove(0)
    }

    fn good(what: &str) -> SiblingRead {
        SiblingRead { what: what.into(), sectors: 5000, read: 1000, compared: 1000, parts: 1000, ..SiblingRead::default() }
    }

    #[test]
    fn an_erasure_of_the_unit_covers_other_namespaces_as_far_as_they_were_read_in_the_same_hold() {
        let two = nvme(&[("Namespace 2", true, false)]);
        let block = Technique::SanitizeBlock;
        let proved = erased(&two, block, (1, 1), vec![good("Namespace 2")]);
        assert_eq!((kinds(&proved), proved.unread.as_deref()), (vec![], Some("Namespace 2")));
        assert_eq!(kinds(&erased(&two, block, (1, 1), vec![])), [LackKind::NotReadBack], "nothing of it was read");
        assert_eq!(kinds(&erased(&two, block, (1, 1), vec![good("Namespace 3")])), [LackKind::NotReadBack], "of another");
        let dirty = SiblingRead { not_blank: 1, ..good("Namespace 2") };
        assert_eq!(kinds(&erased(&two, block, (1, 1), vec![dirty])), [LackKind::NotReadBack]);
        let earlier = erased(&two, block, (0, 1), vec![good("Namespace 2")]);
        assert!(kinds(&earlier).contains(&LackKind::NotReadBack), "places prove nothing of an earlier hold: {:?}", earlier.lacks);
        let quiet = nvme(&[("A boot partition", false, false)]);
        let case = erased(&quiet, block, (1, 1), vec![]);
        assert_eq!((kinds(&case), case.unread, case.elsewhere.as_deref()), (vec![], None, Some("A boot partition")));
    }

    #[test]
    fn capacity_of_no_namespace_is_reached_by_a_sanitize_and_by_no_format() {
        let deleted = nvme(&[("Capacity of no namespace", true, true)]);
        let of = |technique| kinds(&erased(&deleted, technique, (1, 1), vec![]));
        assert_eq!(of(Technique::SanitizeBlock), []);
        assert_eq!(of(Technique::Format), [LackKind::Elsewhere]);
    }

    #[test]
    fn what_could_hide_sectors_and_was_not_asked_counts_as_hiding_some() {
        let of = |protocol, bus, class, reading| {
            let drive = Drive { protocol, bus, hidden: HiddenAreas::NotAsked, ..test_drive(class, SECTORS) };
            let case = Case::foreseen_by(&drive, Technique::Overwrite, vec![], reading);
            (kinds(&case).contains(&LackKind::HiddenNotAsked), case.capacity_not_asked)
        };
        use MediaClass::{Magnetic, SolidState, Virtual};
        let (ata, nvme, scsi) = (Protocol::Ata, Protocol::Nvme { namespace: 1 }, Protocol::Scsi);
        assert_eq!(of(ata, Bus::Sata, Magnetic, 7), (true, false));
        assert_eq!((of(nvme, Bus::Nvme, SolidState, 4), of(nvme, Bus::Nvme, SolidState, 3)), ((true, false), (false, false)));
        assert_eq!((of(scsi, Bus::Sas, Magnetic, 4), of(scsi, Bus::Sas, Magnetic, 3)), ((false, true), (true, false)));
        assert_eq!(
            (of(scsi, Bus::Usb, Magnetic, 7), of(Protocol::Block, Bus::Sas, Magnetic, 7)),
            ((false, false), (false, false))
        );
        assert_eq!((of(ata, Bus::Sata, Virtual, 7), of(scsi, Bus::Sas, Virtual, 7)), ((false, false), (false, false)));
        let asked = Drive { protocol: scsi, bus: Bus::Sas, hidden: HiddenAreas::None, ..test_drive(Magnetic, SECTORS) };
        assert!(!Case::foreseen_by(&asked, Technique::Overwrite, vec![], 7).capacity_not_asked);
    }

    #[test]
    fn a_cache_between_is_told_of_the_hold_in_which_it_was_read() {
        let mut evidence = faultless(MediaClass::Magnetic, &[Pattern::zeros()]);
        assert!(!Case::of_stages(&evidence, 7)[0].buffered);
        evidence.sessions[0].access.way = AccessWay::Buffered;
        assert!(Case::of_stages(&evidence, 7)[0].buffered);
    }

    #[test]
    fn a_sample_proves_only_what_was_laid_in_its_own_hold() {
        let mut evidence = faultless(MediaClass::Magnetic, &[Pattern::zeros()]);
        evidence.sessions.push(evidence.sessions[0].clone());
        let lacks = |laid: u32, read: u32, sampled: bool| {
            let mut evidence = evidence.clone();
            let StageResult::Overwritten(overwrite) = &mut evidence.stages[0].what else { panic!() };
            overwrite.passes[0].session = laid;
            let sampling = sampled.then(|| crate::sampling::Sampling::new([1; 16]));
            let StageEvidence { what: StageResult::Checked(check), .. } =
                check(crate::evidence::ReadBack { session: read, read: all(), sampling, ..Default::default() })
            else {
                panic!()
            };
            holds(&evidence, 0, Some(&check)).into_iter().filter_map(|lack| lack.detail).map(|said| said.code).collect::<Vec<_>>()
        };
        assert!(lacks(1, 1, true).is_empty() && lacks(1, 1, false).is_empty() && lacks(0, 1, false).is_empty());
        assert_eq!(lacks(0, 1, true), ["lack.earlier-hold-sampled"]);
        assert_eq!((lacks(0, 0, false), lacks(1, 0, true)), (vec!["lack.earlier-hold".into()], vec!["lack.earlier-hold".into()]));
        // The same of what a drive has erased by itself.
        let sampled = ReadBack { session: 1, read: all(), sampling: Some(Sampling::new([1; 16])), ..Default::default() };
        let StageResult::Checked(sample) = check(sampled).what else { panic!() };
        let erased = |session: u32| {
            let own = NativeEvidence { session, ..NativeEvidence::begun(Technique::SanitizeBlock) };
            let evidence = Evidence { stages: vec![stage(StageResult::Own(own))], ..evidence.clone() };
            holds(&evidence, 0, Some(&sample)).len()
        };
        assert_eq!((erased(0), erased(1)), (1, 0), "a sample proves nothing of an erasure before somebody else had the drive");
    }

    #[test]
    fn a_pass_that_was_planned_and_never_begun_is_missing() {
        let mut evidence = faultless(MediaClass::Magnetic, &[Pattern::zeros()]);
        assert_eq!(writing_faults(&evidence), []);
        evidence.planned.push(StageKind::Overwrite);
        assert_eq!(writing_faults(&evidence)[0].kind, LackKind::PassMissing, "two overwritings were planned");
        evidence.planned.pop();
        let with = |change: &dyn Fn(&mut OverwriteEvidence)| {
            let mut evidence = evidence.clone();
            let StageResult::Overwritten(overwrite) = &mut evidence.stages[0].what else { panic!() };
            change(overwrite);
            writing_faults(&evidence).into_iter().map(|lack| lack.kind).collect::<Vec<_>>()
        };
        assert_eq!(with(&|o| o.planned_passes = 2), [LackKind::PassMissing], "one of two, and that one whole");
        let half = || [Sectors::new(0, SECTORS / 2)].into_iter().collect();
        assert_eq!(with(&|o| o.passes[0].laid = half()), [LackKind::PassMissing], "as many as planned, and not whole");
        assert_eq!(with(&|o| o.passes[0].flushed = false), [LackKind::NotFlushed]);
        evidence.planned.push(StageKind::Overwrite);
        evidence.ended = Ended::Stopped;
        assert_eq!(writing_faults(&evidence), [], "of what was cut short that is said already");
    }

    #[test]
    fn what_was_read_is_said_as_all_or_as_a_sample() {
        let said = |read: u64| {
            let read = [Sectors::new(0, read)].into_iter().collect();
            let stage = check(crate::evidence::ReadBack { read, ..Default::default() });
            let StageResult::Checked(check) = &stage.what else { panic!() };
            said_to_be_read(check)
        };
        assert_eq!(said(SECTORS), Said::new("read.all.last-pass"));
        assert_eq!(said(SECTORS - 1), Said::new("read.sample.last-pass").number("read", SECTORS - 1).number("all", SECTORS));
    }

    #[test]
    fn by_earlier_rules_a_tenth_of_what_was_to_be_read_may_give_an_error_and_by_later_ones_none() {
        let lacks = |read: u64, unreadable: u64, reading| {
            let set = |first, count| [Sectors::new(first, count)].into_iter().collect();
            let read_back =
                crate::evidence::ReadBack { read: set(0, read), unreadable: set(read, unreadable), ..Default::default() };
            let StageEvidence { what: StageResult::Checked(mut check), .. } = check(read_back) else { panic!() };
            check.drawn = Some(Drawn { compared: 20, blank_before: 0, parts: 20 });
            tells_too_little(&check, reading).len()
        };
        assert_eq!((lacks(900, 100, 3), lacks(899, 101, 3), lacks(900, 0, 3)), (0, 1, 0));
        assert_eq!(lacks(0, 10, 4), 0, "each is said for itself");
        assert_eq!((lacks(900, 0, 4), lacks(900, 0, 5)), (0, 1), "twenty parts are too few by later rules");
        let StageEvidence { what: StageResult::Checked(check), .. } =
            check(crate::evidence::ReadBack { unreadable: all(), ..Default::default() })
        else {
            panic!()
        };
        let said: Vec<Said> = tells_too_little(&check, 3).into_iter().filter_map(|lack| lack.detail).collect();
        let too_little = Said::new("lack.too-little-before").number("parts", 0).number("all", 20);
        let many = Said::new("lack.many-unread").number("unreadable", SECTORS).number("all", SECTORS);
        assert_eq!(said, [too_little.said("again", Said::new("too-little-before.again")), many]);
        let drawn = CheckEvidence { drawn: Some(Drawn { compared: 1, blank_before: 0, parts: 1 }), ..check };
        let said = tells_too_little(&drawn, 7)[0].detail.clone().unwrap();
        assert_eq!(said, Said::new("lack.too-little-before").number("parts", 1).number("all", 1000), "nothing of trying again");
    }
}
