//! What is to be done to one drive, what that can earn, and the label check that arms it.

mod before;
mod mark;
mod marks;
mod order;
mod own;
mod stage;
mod verification;

pub use before::Version2;
pub use mark::MARK_BYTES;
pub use mark::mark_places;
pub use marks::{ProbeLayout, size_check};
pub use order::{NamedPasses, Order};
pub use own::{Course, NativeOrder};
pub use stage::{Check, Measure, Overwrite, PlannedErase, PlannedPass, PlannedReading, Secret, SizeCheck, Stage, UnhideOrder};
pub use verification::{HowMuch, Verification, WhichPasses};

use crate::evidence::Approval;
use crate::evidence::{
    CheckEvidence, Drawn, Ended, Evidence, Expect, NativeEvidence, OverwriteEvidence, PassEvidence, ReadBack, Session,
    SiblingRead, SizeEvidence, StageEvidence, StageKind, StageResult, Stated, UnhideEvidence, Unsound, fails,
};
use crate::rules::{Claim, Edition, judge};
use crate::words::ENGLISH;
use jiff::Timestamp;
use jurex_device::guard::{Cleared, Intent};
use jurex_device::media::{Drive, DriveLabel, Geometry, HiddenAreas, Scope};
use jurex_device::medium::Access;
use jurex_pattern::notation::{Entropy, MAX_PASSES};
use jurex_pattern::pattern::Base;
use jurex_pattern::units::{Sectors, size};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Why an order does not fit a drive.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum PlanError {
    /// The system sees no sector of the drive, so that nothing could be read back.
    #[error(
        "the system sees no sector of this drive, so that nothing could be read back of it: take its power away for ten seconds, and look at it again"
    )]
    NoSectors,
    /// The range is not on the drive.
    #[error("{range} do not lie on this drive: its last sector is {last}")]
    OutsideDrive {
        /// What was asked for.
        range: Sectors,
        /// The drive's last sector.
        last: u64,
    },
    /// More passes than a job may have.
    #[error("{passes} passes are too many: with all rounds a job has at most {MAX_PASSES}")]
    TooManyPasses {
        /// What was asked for.
        passes: usize,
    },
    /// What the drive does itself is of the whole drive: no part of it is overwritten after.
    #[error("an overwriting after the drive's own erasure is of the whole drive, not of {range}")]
    PartAfterOwn {
        /// What was asked for.
        range: Sectors,
    },
    /// Not an erasure that a drive does itself.
    #[error("{technique} is nothing that a drive does itself")]
    NotOwn {
        /// Its name.
        technique: &'static str,
    },
    /// A size check writes all over the drive.
    #[error(
        "whether the drive is as large as it says is found out by writing all over it, and not when {range} alone are to be overwritten"
    )]
    PartMeasured {
        /// What was asked for.
        range: Sectors,
    },
    /// A mark says that the whole drive was erased.
    #[error("an erasure tag says that the whole drive was erased: none is left where {range} alone are to be overwritten")]
    PartMarked {
        /// What was asked for.
        range: Sectors,
    },
    /// The drive is too small for a mark.
    #[error("an erasure tag takes 4096 bytes at either end and leaves room between: this drive has only {sectors} sectors")]
    NoRoomForMark {
        /// Its sectors.
        sectors: u64,
    },
    /// The passes ask to be read back, the order forbids it.
    #[error("the passes ask with `?` to be read back, and the verification is none: leave out one of the two")]
    Contradiction,
}

fn check_room_for_mark(drive: &Drive, marks: bool) -> Result<(), PlanError> {
    let fits = !marks || mark_places(drive.geometry).is_some();
    if fits { Ok(()) } else { Err(PlanError::NoRoomForMark { sectors: drive.geometry.sectors }) }
}

/// A plan for one drive: a sequence of stages, every random choice made.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Plan {
    drive: Drive,
    title: String,
    notation: String,
    verification: Verification,
    stages: Vec<Stage>,
    edition: Edition,
    expected: Claim,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    stated: Option<Stated>,
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    searches: bool,
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    marks: bool,
}

impl Plan {
    /// Fits `order` to `drive`.
    ///
    /// # Errors
    /// A range outside the drive, or too many passes.
    pub fn new(drive: &Drive, order: &Order, entropy: &mut dyn Entropy) -> Result<Self, PlanError> {
        let range = order.range.unwrap_or(drive.geometry.whole());
        if range.count == 0 || !range.lies_in(drive.geometry.whole()) {
            return Err(PlanError::OutsideDrive { range, last: drive.geometry.sectors.saturating_sub(1) });
        }
        if order.passes() > MAX_PASSES {
            return Err(PlanError::TooManyPasses { passes: order.passes() });
        }
        if order.size_check == SizeCheck::Yes && range != drive.geometry.whole() {
            return Err(PlanError::PartMeasured { range });
        }
        if order.marks && range != drive.geometry.whole() {
            return Err(PlanError::PartMarked { range });
        }
        check_room_for_mark(drive, order.marks)?;
        let stages = order.stages(drive, entropy);
        let expected = judge(order.edition, &faultless(drive, &stages, &Stated::default())).in_words(&ENGLISH);
        Ok(Self {
            drive: drive.clone(),
            title: order.title.clone(),
            notation: order.notation(),
            verification: order.verification,
            stages,
            edition: order.edition,
            expected,
            stated: None,
            searches: order.searches,
            marks: order.marks,
        })
    }

    /// Fits a course to `drive`.
    ///
    /// # Errors
    /// As [`Plan::new`] and [`Plan::own`].
    pub fn of(drive: &Drive, course: &Course, entropy: &mut dyn Entropy) -> Result<Self, PlanError> {
        match course {
            Course::Overwrite(order) => Self::new(drive, order, entropy),
            Course::Own(order) => Self::own(drive, order, entropy),
        }
    }

    /// Fits an erasure by the drive's own command to `drive`.
    ///
    /// # Errors
    /// The drive has no sectors, or the overwriting that follows it has too many passes, or is of a part.
    pub fn own(drive: &Drive, order: &NativeOrder, entropy: &mut dyn Entropy) -> Result<Self, PlanError> {
        if !order.technique.is_own() {
            return Err(PlanError::NotOwn { technique: order.technique.name() });
        }
        if drive.geometry.sectors == 0 {
            return Err(PlanError::NoSectors);
        }
        if let Some(then) = &order.then {
            if then.passes() > MAX_PASSES {
                return Err(PlanError::TooManyPasses { passes: then.passes() });
            }
            if let Some(range) = then.range {
                return Err(PlanError::PartAfterOwn { range });
            }
        }
        check_room_for_mark(drive, order.marks)?;
        let stages = order.stages(drive, entropy);
        let expected = judge(order.edition, &faultless(drive, &stages, &order.stated)).in_words(&ENGLISH);
        let verification = match order.how_much {
            None => Verification::None,
            Some(how_much) => Verification::Read(how_much, WhichPasses::Last),
        };
        Ok(Self {
            drive: drive.clone(),
            title: order.title(),
            notation: order.then.as_ref().map(Order::notation).unwrap_or_default(),
            verification,
            stages,
            edition: order.edition,
            expected,
            stated: (!order.stated.conditions.is_empty()).then(|| order.stated.clone()),
            searches: order.searches,
            marks: order.marks,
        })
    }

    /// Whether a search for leftovers runs before and after.
    pub fn searches(&self) -> bool {
        self.searches
    }

    /// Whether a mark is left on the drive once its erasure is proved.
    pub fn leaves_mark(&self) -> bool {
        self.marks
    }

    /// The drive's own erasure, if it has one.
    pub fn own_erase(&self) -> Option<&PlannedErase> {
        self.stages.iter().find_map(|s| if let Stage::Own(own) = s { Some(own) } else { None })
    }

    /// What is read after the drive's own erasure, if anything is.
    pub fn own_check(&self) -> Option<&Check> {
        self.check_after(self.own_at()?)
    }

    /// Number of the stage in which the drive erases itself, counted from 0.
    pub fn own_at(&self) -> Option<usize> {
        self.stages.iter().position(|s| matches!(s, Stage::Own(_)))
    }

    /// The lifting of hidden areas, if it has one.
    pub fn lift(&self) -> Option<&UnhideOrder> {
        self.stages.iter().find_map(|s| if let Stage::Lift(lift) = s { Some(lift) } else { None })
    }

    /// The size check, if it has one.
    pub fn measure(&self) -> Option<&Measure> {
        self.stages.iter().find_map(|s| if let Stage::Measure(measure) = s { Some(measure) } else { None })
    }

    /// Number of the stage in which the drive's size is found out, counted from 0.
    pub fn measure_at(&self) -> Option<usize> {
        self.stages.iter().position(|s| matches!(s, Stage::Measure(_)))
    }

    /// What people state.
    pub fn stated(&self) -> Stated {
        self.stated.clone().unwrap_or_default()
    }

    /// What the guard is asked about it.
    pub fn intent(&self) -> Intent {
        Intent { scope: self.scope(), own: self.own_erase().map(|o| o.technique), goes_on: false }
    }

    /// Number of the stage that overwrites, counted from 0.
    pub fn overwriting_at(&self) -> Option<usize> {
        self.stages.iter().position(|s| matches!(s, Stage::Overwrite(_)))
    }

    /// The drive that the plan is for.
    pub fn drive(&self) -> &Drive {
        &self.drive
    }

    /// Title of the method.
    pub fn title(&self) -> &str {
        &self.title
    }

    /// The passes in the notation.
    pub fn notation(&self) -> &str {
        &self.notation
    }

    /// Its stages, in order.
    pub fn stages(&self) -> &[Stage] {
        &self.stages
    }

    /// The kinds of its stages, in order.
    pub fn kinds(&self) -> Vec<StageKind> {
        self.stages.iter().map(Stage::kind).collect()
    }

    /// The overwriting, if it has one.
    fn overwrite(&self) -> Option<&Overwrite> {
        self.stages.iter().find_map(|s| if let Stage::Overwrite(o) = s { Some(o) } else { None })
    }

    /// The check of what was overwritten, if it has one.
    fn check(&self) -> Option<&Check> {
        self.check_after(self.overwriting_at()?)
    }

    /// The check right after stage `n`, if there is one.
    pub fn check_after(&self, n: usize) -> Option<&Check> {
        if let Stage::Check(check) = self.stages.get(n + 1)? { Some(check) } else { None }
    }

    /// The passes that are laid.
    pub fn passes(&self) -> &[PlannedPass] {
        self.overwrite().map_or(&[], |o| &o.passes)
    }

    /// What of pass `n`, counted from 0, is read back: right after it, or, of the last one, by the check.
    pub fn reading_of(&self, n: usize) -> &PlannedReading {
        let check = self.check().filter(|_| n + 1 == self.passes().len());
        check.map(|c| &c.reading).or_else(|| self.passes().get(n).map(|p| &p.reading)).unwrap_or(&PlannedReading::None)
    }

    /// What is read back of each pass, in order.
    pub fn readings(&self) -> impl Iterator<Item = &PlannedReading> {
        (0..self.passes().len()).map(|n| self.reading_of(n))
    }

    /// The rules that it is judged by.
    pub fn edition(&self) -> Edition {
        self.edition
    }

    /// What is read back.
    pub fn verification(&self) -> Verification {
        self.verification
    }

    /// The sectors to cover, as large as the drive is before anything was lifted.
    pub fn range(&self) -> Sectors {
        self.range_on(self.drive.geometry)
    }

    /// The sectors to cover on a drive of that size.
    pub fn range_on(&self, geometry: Geometry) -> Sectors {
        self.overwrite().and_then(|o| o.range).unwrap_or(geometry.whole())
    }

    /// The size of the drive once what the plan lifts is lifted.
    pub fn lifted(&self) -> Geometry {
        lifted(&self.drive, &self.stages)
    }

    /// Tries of a failing sector after the first.
    pub fn retries(&self) -> u32 {
        self.overwrite().map_or(0, |o| o.retries)
    }

    /// Bad places after which the drive is given up.
    pub fn faults_allowed(&self) -> u64 {
        self.overwrite().map_or(0, |o| o.faults_allowed)
    }

    /// What the plan earns if nothing goes wrong: the same rules that the record will be judged by.
    pub fn expected(&self) -> &Claim {
        &self.expected
    }

    /// Whether this can be a plan: what one from outside must pass before it is carried out.
    ///
    /// # Errors
    /// What is impossible about it.
    pub fn check_soundness(&self) -> Result<(), Unsound> {
        let after_lift = match self.stages.as_slice() {
            [Stage::Lift(_), rest @ ..] => rest,
            all => all,
        };
        let after_measure = match after_lift {
            [Stage::Measure(_), rest @ ..] => rest,
            all => all,
        };
        let after_own = match after_measure {
            [Stage::Own(_), Stage::Check(_), rest @ ..] | [Stage::Own(_), rest @ ..] => rest,
            all => all,
        };
        let has_own = after_own.len() < after_measure.len();
        let can_be_carried_out = match after_own {
            [] => has_own,
            [Stage::Overwrite(_)] | [Stage::Overwrite(_), Stage::Check(_)] => true,
            _ => false,
        };
        fails(!can_be_carried_out, "its stages are in no order that can be carried out")?;
        fails(self.own_erase().is_some_and(|o| !o.technique.is_own()), "its own erasure is none of a drive")?;
        let proves_nothing = |c: &Check| c.reading == PlannedReading::None || c.expect == Expect::LastPass;
        fails(self.own_check().is_some_and(proves_nothing), "the check of its own erasure compares with nothing")?;
        let range = self.range();
        fails(range.count == 0 || !range.lies_in(self.lifted().whole()), "its range is not on the drive")?;
        let no_tags = |m: &Measure| !matches!(m.tags.base, Base::Random { seed: Some(_) });
        fails(self.measure().is_some_and(no_tags), "its size check has no tags")?;
        // What is still hidden is covered too, once it is lifted.
        let in_part = self.range_on(self.lifted()) != self.lifted().whole();
        fails(self.measure().is_some() && in_part, "it checks the size of a drive of which it covers a part")?;
        let passes = self.passes().len();
        fails((passes == 0 && self.overwriting_at().is_some()) || passes > MAX_PASSES, "it has no possible number of passes")?;
        let can_be_laid = |p: &PlannedPass| p.pattern.is_computable() && p.pattern.period() != Some(0);
        fails(!self.passes().iter().all(can_be_laid), "a pass has no bytes")?;
        let of_last = self.passes().last().map(|p| &p.reading);
        fails(of_last.is_some_and(|r| *r != PlannedReading::None), "its last pass is read back twice")?;
        let is_proof = |c: &Check| c.expect == Expect::LastPass && c.reading != PlannedReading::None;
        fails(self.check().is_some_and(|c| !is_proof(c)), "its check compares with something else")
    }

    /// What it reaches.
    pub fn scope(&self) -> Scope {
        match (self.own_erase(), self.lift()) {
            (Some(own), _) => own.scope,
            (None, Some(_)) => Scope::WholeUnit,
            (None, None) => Scope::Sectors(self.range()),
        }
    }

    /// The same plan for the same drive, attached elsewhere.
    pub fn move_to(&mut self, found: &Drive) {
        self.drive = found.clone();
    }

    /// Sectors to write and sectors to read, over all passes.
    pub fn work(&self) -> (u64, u64) {
        let geometry = self.lifted();
        let range = self.range_on(geometry);
        let read = self.readings().map(|r| r.places(range).count()).fold(self.own_reading(geometry), u64::saturating_add);
        (range.count.saturating_mul(self.passes().len() as u64), read)
    }

    /// Sectors that are read for the drive's own erasure: what can only be compared with itself is read twice.
    pub fn own_reading(&self, geometry: Geometry) -> u64 {
        let Some(check) = self.own_check() else { return 0 };
        let times = if check.expect == Expect::Changed { 2 } else { 1 };
        check.reading.places(geometry.whole()).count().saturating_mul(times)
    }

    /// What will be lost, in one sentence.
    pub fn warning(&self) -> String {
        let (how_often, range, called) = (times(self.passes().len()), self.range(), self.drive.called());
        if let Some(own) = self.own_erase() {
            return own_warning(own, &self.drive);
        }
        if range == self.drive.geometry.whole() {
            // What is made accessible first is overwritten with the rest.
            let all = size(self.lifted().bytes());
            format!("Everything on {called} is lost for good: all {all} are overwritten {how_often}.")
        } else {
            format!("What lies on {range} of {called} is lost for good: overwritten {how_often}.")
        }
    }

    /// Arms the plan: `cleared` is the guard's word on the drive, `typed` what the person read from the drive itself.
    ///
    /// # Errors
    /// The text does not match, or the guard's word is about another drive.
    pub fn arm(&self, cleared: &Cleared, typed: &str) -> Result<ArmedPlan, ArmError> {
        if !cleared.drive().same_as(&self.drive) {
            return Err(ArmError::NotCleared { planned: self.drive.called(), cleared: cleared.drive().called() });
        }
        if !cleared.is_for(self.intent()) {
            return Err(ArmError::ClearedForLess { drive: self.drive.called() });
        }
        let label = cleared.label();
        if label.matches(typed) {
            Ok(ArmedPlan { plan: self.clone(), label: label.clone(), intent: cleared.intent(), secret: None, by_list: None })
        } else {
            Err(ArmError::WrongLabel { drive: self.drive.called(), label: label.clone() })
        }
    }
}

/// What will be lost by the drive's own command, and whether anything stops it.
fn own_warning(own: &PlannedErase, drive: &Drive) -> String {
    let (called, size) = (drive.called(), drive.size());
    let reach = match own.scope {
        Scope::Namespace { namespace } => format!("Everything in namespace {namespace} of {called} ({size}) is lost for good"),
        _ => format!("Everything on {called} ({size}) is lost for good"),
    };
    let others: Vec<&str> = drive.elsewhere.iter().map(|e| e.what.as_str()).collect();
    let with = match own.scope {
        Scope::WholeUnit if !others.is_empty() => format!(", and with it {}", others.join(", ")),
        _ => String::new(),
    };
    let stop = if own.technique.runs_by_itself() {
        "nothing stops it, not even taking its power away, and until it ends the drive gives no sector"
    } else {
        "it can't be stopped, and the drive answers nothing until it ends"
    };
    format!("{reach}{with}: the drive erases itself by {}. Once begun, {stop}.", own.technique.name())
}

/// The size of `drive` once the stages have lifted what it hides.
fn lifted(drive: &Drive, stages: &[Stage]) -> Geometry {
    let lifts = stages.iter().any(|s| matches!(s, Stage::Lift(_)));
    match drive.hidden {
        HiddenAreas::Hidden { sectors } if lifts => {
            Geometry { sectors: drive.geometry.sectors.saturating_add(sectors), ..drive.geometry }
        }
        _ => drive.geometry,
    }
}

fn times(n: usize) -> String {
    match n {
        1 => "once".into(),
        2 => "twice".into(),
        n => format!("{n} times"),
    }
}

/// The evidence that a treatment by these stages without any fault would leave.
fn faultless(drive: &Drive, stages: &[Stage], stated: &Stated) -> Evidence {
    let now = Timestamp::UNIX_EPOCH;
    let after = lifted(drive, stages);
    let whole = after.whole();
    // A check is of what the overwriting before it covered.
    let mut range = whole;
    let mut what = |stage: &Stage| match stage {
        Stage::Lift(_) => {
            StageResult::Lifted(UnhideEvidence { before: drive.geometry, after, hidden: HiddenAreas::None, commands: vec![] })
        }
        Stage::Measure(_) => StageResult::Measured(SizeEvidence {
            told: whole.count,
            sector_bytes: after.logical,
            tagged: 1,
            own: 1,
            ..SizeEvidence::default()
        }),
        Stage::Own(own) => {
            let of_whole_unit = own.scope == Scope::WholeUnit;
            let removal = own.removal;
            StageResult::Own(NativeEvidence {
                completed: true,
                sent: 1,
                of_whole_unit,
                removal,
                ..NativeEvidence::begun(own.technique)
            })
        }
        Stage::Overwrite(overwrite) => {
            range = overwrite.range.unwrap_or(whole);
            StageResult::Overwritten(faultlessly_laid(overwrite, range, now))
        }
        Stage::Check(check) => {
            let read_back = read(&check.reading, range);
            let all = read_back.read.count();
            let drawn = Drawn { compared: all, blank_before: 0, parts: Drawn::PARTS.min(range.count) };
            let drawn = (check.expect != Expect::LastPass).then_some(drawn);
            let of_unit = stages.iter().any(|s| matches!(s, Stage::Own(own) if own.scope == Scope::WholeUnit));
            let others = drive.other_user_data().filter(|_| of_unit && check.expect != Expect::LastPass);
            let beside = others.map(|e| SiblingRead { what: e.what.clone(), read: 1, ..SiblingRead::default() }).collect();
            StageResult::Checked(CheckEvidence { range, expect: check.expect.clone(), read_back, drawn, beside })
        }
    };
    Evidence {
        sessions: vec![Session::new(drive.clone(), Access::DIRECT, now)],
        planned: stages.iter().map(Stage::kind).collect(),
        stages: stages.iter().map(|s| StageEvidence { started: now, ended: Some(now), what: what(s) }).collect(),
        ended: Ended::Finished,
        stated: stated.clone(),
    }
}

fn read(reading: &PlannedReading, range: Sectors) -> ReadBack {
    ReadBack { sampling: reading.sampling().cloned(), read: reading.places(range), ..ReadBack::default() }
}

fn faultlessly_laid(overwrite: &Overwrite, range: Sectors, now: Timestamp) -> OverwriteEvidence {
    let pass = |p: &PlannedPass| PassEvidence {
        laid: [range].into_iter().collect(),
        flushed: true,
        read_back: (p.reading != PlannedReading::None).then(|| read(&p.reading, range)),
        ended: Some(now),
        complement_of_before: p.complement_of_before,
        ..PassEvidence::begun(p.pattern.clone(), 0, range, now)
    };
    let planned_passes = overwrite.passes.len() as u32;
    OverwriteEvidence { range, planned_passes, passes: overwrite.passes.iter().map(pass).collect() }
}

/// A plan whose drive a person has looked at: the only thing that the engine takes. Not `Clone`; a job uses it up.
#[derive(Debug)]
pub struct ArmedPlan {
    plan: Plan,
    label: DriveLabel,
    intent: Intent,
    secret: Option<Secret>,
    by_list: Option<Approval>,
}

impl ArmedPlan {
    /// The plan that was armed.
    pub fn plan(&self) -> &Plan {
        &self.plan
    }

    /// What the person typed: the guard, asked again when the drive is opened, must still ask for the same.
    pub fn label(&self) -> &DriveLabel {
        &self.label
    }

    /// For what the guard has cleared the drive; it is asked the same again when the drive is opened.
    pub fn intent(&self) -> Intent {
        self.intent
    }

    /// With the PSID or password that the drive's own erasure needs. It goes to the drive, and nowhere else.
    #[must_use]
    pub fn with_secret(self, secret: Option<Secret>) -> Self {
        Self { secret, ..self }
    }

    /// Armed by a line of a list, and not by what a person typed.
    #[must_use]
    pub fn by_list(self, list: Approval) -> Self {
        Self { by_list: Some(list), ..self }
    }

    /// What the engine begins with; a secret leaves this way alone.
    pub fn into_parts(self) -> (Plan, Option<Secret>, Option<Approval>) {
        (self.plan, self.secret, self.by_list)
    }
}

/// Why a plan was not armed. Nothing has been written.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ArmError {
    /// What was typed is not what stands on the drive.
    #[error("the label check failed: that is not {} of {drive}", .label.asks_for())]
    WrongLabel {
        /// The drive of the plan.
        drive: String,
        /// What it asks for.
        label: DriveLabel,
    },
    /// The guard cleared the drive for something else.
    #[error("the guard looked at {drive} for another treatment than the planned one")]
    ClearedForLess {
        /// The drive of the plan.
        drive: String,
    },
    /// The guard cleared another drive than the planned one.
    #[error("the plan is for {planned}, but the guard looked at {cleared}")]
    NotCleared {
        /// The plan's drive.
        planned: String,
        /// The guard's drive.
        cleared: String,
    },
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use crate::rules::Outcome;
    use jurex_device::media::{Elsewhere, MediaClass};
    use jurex_device::technique::Technique;
    use jurex_device::testing::{Fixed, cleared, test_drive};
    use jurex_pattern::method;
    use jurex_pattern::pattern::Pattern;

    fn plan(drive: &Drive, order: &Order) -> Result<Plan, PlanError> {
        Plan::new(drive, order, &mut Fixed(0))
    }

    /// The evidence that a plan would leave that is carried out without a fault.
    pub fn faultless_of(plan: &Plan) -> Evidence {
        faultless(&plan.drive, &plan.stages, &Stated::default())
    }

    /// Faultless evidence of one pass of zeros on a magnetic drive, of which a sample was read.
    pub fn sampled(range: Sectors) -> Evidence {
        let order = Order { verification: Verification::SAMPLED, ..Order::of_program("zeros", "00".parse().unwrap()) };
        faultless(
            &test_drive(MediaClass::Magnetic, range.count),
            &order.stages(&test_drive(MediaClass::Magnetic, range.count), &mut Fixed(5)),
            &Stated::default(),
        )
    }

    #[test]
    fn a_drive_that_erases_itself_takes_with_it_what_lies_beside_and_no_more_is_said() {
        let alone = test_drive(MediaClass::SolidState, 4096);
        let second = |what: &str, user_data| Elsewhere { what: what.into(), user_data, no_address: false };
        let elsewhere = vec![second("Namespace 2 (8.00 GB)", true), second("Boot partition 1", false)];
        let beside = Drive { elsewhere, ..alone.clone() };
        let warning = |drive: &Drive, technique| own(technique, drive, &|_| {}).unwrap().warning();
        let said = warning(&alone, Technique::SanitizeBlock);
        assert!(said.contains("is lost for good: the drive erases itself"), "{said}");
        let said = warning(&beside, Technique::SanitizeBlock);
        assert!(said.contains("is lost for good, and with it Namespace 2 (8.00 GB), Boot partition 1: the drive"), "{said}");
        let said = warning(&beside, Technique::SdErase);
        assert!(said.contains("is lost for good: the drive"), "its user area alone: {said}");
        // What is foreseen is read there too, where its contents tell anything; what passes leave is another matter.
        let foreseen = |technique| faultless_of(&own(technique, &beside, &|o| o.then = Some(zeros())).unwrap());
        let read_beside = |evidence: &Evidence| {
            let checks =
                evidence.stages.iter().filter_map(|s| if let StageResult::Checked(c) = &s.what { Some(c) } else { None });
            checks.map(|c| c.beside.iter().map(|s| s.what.clone()).collect()).collect::<Vec<Vec<String>>>()
        };
        let (unit, user_area) = (foreseen(Technique::SanitizeBlock), foreseen(Technique::SdErase));
        assert_eq!(read_beside(&unit), [vec!["Namespace 2 (8.00 GB)".to_string()], vec![]]);
        assert_eq!(read_beside(&user_area), [Vec::<String>::new(), vec![]]);
        assert_eq!((unit.own().unwrap().of_whole_unit, user_area.own().unwrap().of_whole_unit), (true, false));
    }

    fn zeros() -> Order {
        Order::of_program("One pass of zeros", "00".parse().unwrap())
    }

    fn own(technique: Technique, drive: &Drive, change: &dyn Fn(&mut NativeOrder)) -> Result<Plan, PlanError> {
        let mut order = NativeOrder::new(technique, drive, &jurex_device::native::Capabilities::default());
        change(&mut order);
        Plan::own(drive, &order, &mut Fixed(0))
    }

    #[test]
    fn a_plan_from_outside_that_nobody_can_carry_out_is_refused_and_its_border_is_not() {
        let drive = test_drive(MediaClass::SolidState, 4096);
        let overwriting = plan(&drive, &Order { size_check: SizeCheck::Yes, ..zeros() }).unwrap();
        let own = own(Technique::SanitizeBlock, &drive, &|_| {}).unwrap();
        fn passes(plan: &mut Plan) -> &mut Vec<PlannedPass> {
            plan.stages.iter_mut().find_map(|s| if let Stage::Overwrite(o) = s { Some(&mut o.passes) } else { None }).unwrap()
        }
        fn check(plan: &mut Plan) -> &mut Check {
            plan.stages.iter_mut().find_map(|s| if let Stage::Check(c) = s { Some(c) } else { None }).unwrap()
        }
        fn range(plan: &mut Plan, range: Sectors) {
            plan.stages.iter_mut().for_each(|s| {
                if let Stage::Overwrite(o) = s {
                    o.range = Some(range);
                }
            });
        }
        type Change<'c> = &'c dyn Fn(&mut Plan);
        let cases: [(&Plan, Change<'_>, Option<&str>); 19] = [
            (&overwriting, &|_| {}, None),
            (&own, &|_| {}, None),
            (&overwriting, &|p| p.stages.reverse(), Some("in no order")),
            (&overwriting, &|p| p.stages.clear(), Some("in no order")),
            (&overwriting, &|p| p.stages.truncate(1), Some("in no order")),
            (&own, &|p| p.stages.truncate(1), None),
            (&own, &|p| p.stages.insert(0, p.stages[0].clone()), Some("in no order")),
            (&own, &|p| check(p).reading = PlannedReading::None, Some("compares with nothing")),
            (&own, &|p| check(p).expect = Expect::LastPass, Some("compares with nothing")),
            (&overwriting, &|p| check(p).reading = PlannedReading::None, Some("something else")),
            (&overwriting, &|p| check(p).expect = Expect::Blank, Some("something else")),
            (&overwriting, &|p| range(p, Sectors::new(0, 0)), Some("range is not on the drive")),
            (&overwriting, &|p| range(p, Sectors::new(1, 4096)), Some("range is not on the drive")),
            (&overwriting, &|p| range(p, Sectors::new(0, 4095)), Some("covers a part")),
            (&overwriting, &|p| range(p, Sectors::new(0, 4096)), None),
            (&overwriting, &|p| passes(p).clear(), Some("possible number of passes")),
            (
                &overwriting,
                &|p| {
                    let one = passes(p)[0].clone();
                    *passes(p) = vec![one; MAX_PASSES];
                },
                None,
            ),
            (
                &overwriting,
                &|p| {
                    let one = passes(p)[0].clone();
                    *passes(p) = vec![one; MAX_PASSES + 1];
                },
                Some("possible number of passes"),
            ),
            (&overwriting, &|p| passes(p)[0].reading = PlannedReading::Full, Some("read back twice")),
        ];
        for (n, (plan, change, why)) in cases.into_iter().enumerate() {
            let mut changed = plan.clone();
            change(&mut changed);
            match (changed.check_soundness(), why) {
                (Ok(()), None) => {}
                (Err(Unsound(said)), Some(why)) if said.contains(why) => {}
                (found, why) => panic!("case {n}: {found:?} and not {why:?}"),
            }
        }
        let mut unknown = overwriting.clone();
        passes(&mut unknown)[0].pattern = Pattern::random([1; 16]).without_seed();
        assert!(unknown.check_soundness().is_err(), "nobody knows its bytes");
    }

    #[test]
    fn what_does_not_fit_on_a_drive_is_refused_with_its_number() {
        let drive = test_drive(MediaClass::Magnetic, 64);
        let of = |order: Order| plan(&drive, &order).map(|_| ());
        let times = |n: usize| Order {
            blank: n > MAX_PASSES,
            ..Order::of_program("zeros", format!("00 x{}", n.min(MAX_PASSES)).parse().unwrap())
        };
        assert!(of(times(MAX_PASSES)).is_ok());
        assert!(matches!(of(times(MAX_PASSES + 1)), Err(PlanError::TooManyPasses { passes }) if passes == MAX_PASSES + 1));
        let then =
            |n: usize, range| own(Technique::SanitizeBlock, &drive, &|o| o.then = Some(Order { range, ..times(n) })).map(|_| ());
        assert!(then(MAX_PASSES, None).is_ok());
        assert!(matches!(then(MAX_PASSES + 1, None), Err(PlanError::TooManyPasses { .. })));
        assert!(matches!(then(1, Some(Sectors::new(0, 8))), Err(PlanError::PartAfterOwn { .. })));
        // A mark takes eight sectors at either end of sectors of 512 bytes, and as many lie between.
        let marked = |sectors| {
            let drive = test_drive(MediaClass::Magnetic, sectors);
            let order = Order { marks: true, ..zeros() };
            (plan(&drive, &order).is_ok(), own(Technique::SanitizeBlock, &drive, &|o| o.marks = true).is_ok())
        };
        assert_eq!((marked(23), marked(24)), ((false, false), (true, true)));
        let part = |size_check, marks| of(Order { range: Some(Sectors::new(0, 8)), size_check, marks, ..zeros() });
        assert!(matches!(part(SizeCheck::Yes, false), Err(PlanError::PartMeasured { .. })));
        assert!(matches!(part(SizeCheck::No, true), Err(PlanError::PartMarked { .. })));
    }

    #[test]
    fn a_plan_says_what_will_be_done_and_lost() {
        let drive = test_drive(MediaClass::Magnetic, 64);
        let whole = plan(&drive, &Order { marks: true, searches: true, rounds: 3, blank: true, retries: 7, ..zeros() }).unwrap();
        assert_eq!((whole.title(), whole.notation()), ("One pass of zeros", "00, 3 rounds, then a pass of zeros"));
        assert!(whole.leaves_mark() && whole.searches() && whole.retries() == 7 && whole.own_check().is_none());
        assert!(
            whole.warning().starts_with("Everything on ") && whole.warning().contains("are overwritten 4 times"),
            "{}",
            whole.warning()
        );
        let plain = plan(&drive, &Order { range: Some(Sectors::new(0, 8)), ..zeros() }).unwrap();
        assert!(!plain.leaves_mark() && !plain.searches() && plain.lift().is_none() && plain.measure_at().is_none());
        assert!(plain.warning().starts_with("What lies on sectors 0 to 7 of ") && plain.warning().contains("overwritten once"));
        assert_eq!(plan(&drive, &Order { rounds: 2, ..zeros() }).unwrap().notation(), "00, 2 rounds");
        let mut beside = test_drive(MediaClass::SolidState, 64);
        beside.elsewhere =
            vec![jurex_device::media::Elsewhere { what: "Namespace 2".into(), user_data: true, no_address: false }];
        let unit = own(Technique::SanitizeBlock, &beside, &|o| o.scope = Scope::WholeUnit).unwrap();
        assert!(unit.title().starts_with("SANITIZE block erase") && unit.notation().is_empty() && unit.own_check().is_some());
        assert!(
            unit.warning().contains("and with it Namespace 2: ") && unit.warning().contains("nothing stops it"),
            "{}",
            unit.warning()
        );
        let namespace = own(Technique::Format, &beside, &|o| o.scope = Scope::Namespace { namespace: 1 }).unwrap().warning();
        assert!(
            namespace.starts_with("Everything in namespace 1 of ") && namespace.contains("it can't be stopped"),
            "{namespace}"
        );
        assert!(!namespace.contains("Namespace 2"), "another namespace stays: {namespace}");
        let twice = own(Technique::SanitizeBlock, &drive, &|o| o.then = Some(zeros())).unwrap();
        assert!(twice.title().ends_with(", then One pass of zeros") && twice.notation() == "00");
        let sectors = |technique| own(technique, &drive, &|_| {}).unwrap().own_reading(drive.geometry);
        assert_eq!(
            (sectors(Technique::SanitizeBlock), sectors(Technique::SanitizeCrypto)),
            (64, 128),
            "what is compared with itself"
        );
        assert_eq!(whole.own_reading(drive.geometry), 0);
    }

    #[test]
    fn what_is_read_back_goes_round_by_its_names_and_words() {
        let mut seen = vec![];
        let mut at = Verification::None;
        for _ in 0..5 {
            assert_eq!(at.name().parse::<Verification>().as_ref(), Ok(&at));
            assert_eq!(Verification::try_from(at.name().to_string()).as_ref(), Ok(&at));
            assert!(
                !at.short().is_empty() && at.to_string().contains(if at == Verification::None { "none" } else { "pass" }),
                "{at}"
            );
            seen.push(at.short());
            at = at.beside(true);
        }
        assert_eq!(at, Verification::None, "five of them");
        seen.sort_unstable();
        seen.dedup();
        assert_eq!(seen.len(), 5);
        assert!("half".parse::<Verification>().is_err());
        let order = Order { verification: Verification::SAMPLED, edition: Edition::Rev1, ..zeros() };
        let plan = plan(&test_drive(MediaClass::Magnetic, 64), &order).unwrap();
        assert_eq!((plan.verification(), plan.edition()), (Verification::SAMPLED, Edition::Rev1));
    }

    #[test]
    fn a_format_is_of_its_namespace_unless_the_controller_says_that_it_is_of_all() {
        let nvme =
            Drive { protocol: jurex_device::media::Protocol::Nvme { namespace: 2 }, ..test_drive(MediaClass::SolidState, 64) };
        let scope = |technique, drive: &Drive, format_reaches_all| {
            let answers = jurex_device::native::Capabilities { format_reaches_all, ..Default::default() };
            NativeOrder::new(technique, drive, &answers).scope
        };
        assert_eq!(scope(Technique::Format, &nvme, false), Scope::Namespace { namespace: 2 });
        assert_eq!(scope(Technique::Format, &nvme, true), Scope::WholeUnit);
        assert_eq!(scope(Technique::SanitizeBlock, &nvme, false), Scope::WholeUnit);
    }

    #[test]
    fn what_can_only_be_compared_with_itself_is_read_as_a_sample() {
        let drive = test_drive(MediaClass::SolidState, 64);
        let reading = |technique, how_much| {
            let plan = own(technique, &drive, &|o| o.how_much = how_much).unwrap();
            plan.own_check().map(|check| matches!(check.reading, PlannedReading::Full))
        };
        assert_eq!(reading(Technique::SanitizeBlock, Some(HowMuch::Full)), Some(true));
        assert_eq!(reading(Technique::SanitizeBlock, Some(HowMuch::Sampled)), Some(false));
        assert_eq!(reading(Technique::SanitizeCrypto, Some(HowMuch::Full)), Some(false));
        assert_eq!(reading(Technique::SanitizeBlock, None), None);
    }

    #[test]
    fn the_size_is_found_out_where_it_is_asked_for_or_matters_and_never_of_a_part() {
        let measures = |class, size_check, range| {
            let order = Order { size_check, range, ..zeros() };
            order.measures(&test_drive(class, 64))
        };
        use MediaClass::{Magnetic, RemovableFlash};
        assert!(measures(Magnetic, SizeCheck::Yes, None) && !measures(Magnetic, SizeCheck::WhereItMatters, None));
        assert!(measures(RemovableFlash, SizeCheck::WhereItMatters, None) && !measures(RemovableFlash, SizeCheck::No, None));
        assert!(measures(RemovableFlash, SizeCheck::WhereItMatters, Some(Sectors::new(0, 64))), "the whole, in numbers");
        assert!(!measures(RemovableFlash, SizeCheck::WhereItMatters, Some(Sectors::new(0, 8))));
        let measured = plan(&test_drive(Magnetic, 4096), &Order { size_check: SizeCheck::Yes, ..zeros() }).unwrap();
        assert_eq!((measured.measure_at(), measured.overwriting_at()), (Some(0), Some(1)));
    }

    #[test]
    fn the_pass_of_zeros_after_rounds_is_one_of_zeros() {
        let named = NamedPasses::of("a5 | ~, 2 rounds, then a pass of zeros").unwrap();
        let (a5, other, zeros) = (Pattern::bytes([0xa5]).unwrap(), Pattern::bytes([0x5a]).unwrap(), Pattern::zeros());
        assert_eq!((named.count(), named.meant_complements().collect::<Vec<_>>()), (5, vec![false, true, false, true, false]));
        assert!(named.can_have_laid(&[&a5, &other, &a5, &other, &zeros]) && named.can_have_laid(&[&a5, &other, &a5]));
        assert!(!named.can_have_laid(&[&a5, &other, &a5, &other, &a5]), "not zeros");
        assert!(!named.can_have_laid(&[&a5, &other, &a5, &other, &zeros, &zeros]), "more than there are");
        assert!(NamedPasses::of("a5, no rounds").is_none() && NamedPasses::of("").is_none());
    }

    #[test]
    fn hidden_sectors_are_lifted_where_the_drive_says_that_it_has_some() {
        let hiding = |hidden| Drive { hidden, ..test_drive(MediaClass::Magnetic, 64) };
        let some = hiding(HiddenAreas::Hidden { sectors: 36 });
        let plan = own(Technique::SecurityErase, &some, &|_| {}).unwrap();
        assert!(plan.lift().is_some() && plan.lifted().sectors == 100);
        assert!(own(Technique::SecurityErase, &hiding(HiddenAreas::None), &|_| {}).unwrap().lift().is_none());
        let mut left = plan.clone();
        left.stages.retain(|s| !matches!(s, Stage::Lift(_)));
        assert_eq!(left.lifted().sectors, 64, "what is not lifted is not there");
    }

    #[test]
    fn what_the_guard_has_cleared_for_less_arms_no_more() {
        use jurex_device::guard::Intent;
        use jurex_device::media::Scope;
        let drive = test_drive(MediaClass::Magnetic, 64);
        let whole = plan(&drive, &Order::of_program("zeros", "00".parse().unwrap())).unwrap();
        let part = Order { range: Some(Sectors::new(0, 10)), ..Order::of_program("zeros", "00".parse().unwrap()) };
        let part = plan(&drive, &part).unwrap();
        let cleared = |intent| jurex_device::testing::cleared_for(&drive, intent);
        let sectors = Intent { scope: Scope::Sectors(Sectors::new(0, 10)), own: None, goes_on: false };
        let unit = Intent { scope: Scope::WholeUnit, ..sectors };
        let own = Intent { own: Some(Technique::SanitizeBlock), ..unit };
        assert!(whole.arm(&cleared(unit), "K7Q41M").is_ok() && part.arm(&cleared(unit), "K7Q41M").is_ok());
        let less = |armed: Result<ArmedPlan, ArmError>| matches!(armed, Err(ArmError::ClearedForLess { .. }));
        assert!(
            less(whole.arm(&cleared(own), "K7Q41M")),
            "what was cleared for a command of the drive's own is cleared for that"
        );
    }

    #[test]
    fn the_plan_says_beforehand_what_it_can_earn() {
        let order = Order::of_method(method::find("zeros").unwrap());
        let expected = |class, order: &Order| plan(&test_drive(class, 64), order).unwrap().expected().outcome();
        assert_eq!(expected(MediaClass::Magnetic, &order), Outcome::Clear);
        assert_eq!(expected(MediaClass::RemovableFlash, &order), Outcome::NotSanitized);
        let part = Order { range: Some(Sectors::new(0, 63)), ..order.clone() };
        assert_eq!(expected(MediaClass::Magnetic, &part), Outcome::NotSanitized);
        let unproved = Order { verification: Verification::None, ..order };
        assert_eq!(expected(MediaClass::Magnetic, &unproved), Outcome::NotSanitized);
    }

    #[test]
    fn the_last_pass_is_read_back_even_if_the_notation_forgot_it() {
        let order = Order::of_program("own", "00? | FF | 11".parse().unwrap());
        let plan = plan(&test_drive(MediaClass::Magnetic, 64), &order).unwrap();
        assert_eq!(plan.readings().map(|r| *r != PlannedReading::None).collect::<Vec<_>>(), [true, false, true]);
        assert_eq!(plan.work(), (192, 128));
        assert_eq!(order.readings(), 2);
    }

    #[test]
    fn rounds_a_blank_pass_and_what_is_read_back_of_them() {
        let drive = test_drive(MediaClass::Magnetic, 100_000);
        let order = Order { rounds: 2, blank: true, ..Order::of_program("own", "00 | random?".parse().unwrap()) };
        let read = |verification| {
            let order = Order { verification, ..order.clone() };
            let plan = plan(&drive, &order).unwrap();
            let read: String = plan.readings().map(|r| if *r == PlannedReading::None { '-' } else { 'r' }).collect();
            assert_eq!(read.matches('r').count(), order.readings(), "{verification}");
            (read, plan.work().1)
        };
        let said: Vec<_> = Verification::ALL.map(read).into();
        assert_eq!(said[0], ("-r-rr".into(), 300_000));
        assert_eq!((said[2].clone(), said[4].clone()), (("rrrrr".into(), 500_000), ("-----".into(), 0)));
        assert!(said[1].0 == "-r-rr" && (30_000..33_100).contains(&said[1].1), "{said:?}");
        let too_many = Order { rounds: 300, ..order };
        assert!(matches!(plan(&drive, &too_many), Err(PlanError::TooManyPasses { passes: 601 })));
        assert_eq!("sampled".parse(), Ok(Verification::SAMPLED));
        assert!("half".parse::<Verification>().unwrap_err().to_string().contains("sampled-every-pass"));
    }

    #[test]
    fn a_range_that_leaves_the_drive_is_refused() {
        let drive = test_drive(MediaClass::Magnetic, 64);
        let order = Order::of_method(method::find("zeros").unwrap());
        for range in [Sectors::new(0, 65), Sectors::new(64, 1), Sectors::new(0, 0), Sectors::new(u64::MAX, 2)] {
            let order = Order { range: Some(range), ..order.clone() };
            assert!(matches!(plan(&drive, &order), Err(PlanError::OutsideDrive { last: 63, .. })), "{range:?}");
        }
    }

    #[test]
    fn only_the_right_label_on_the_cleared_drive_arms() {
        let drive = test_drive(MediaClass::Magnetic, 64);
        let plan = plan(&drive, &Order::of_method(method::find("zeros").unwrap())).unwrap();
        let word = cleared(&drive);
        assert!(plan.arm(&word, "K7Q41M").is_ok());
        assert!(matches!(plan.arm(&word, "K7Q41X"), Err(ArmError::WrongLabel { .. })));
        let mut other = drive.clone();
        other.geometry.sectors = 65;
        let other = cleared(&other);
        assert!(matches!(plan.arm(&other, "K7Q41M"), Err(ArmError::NotCleared { .. })));
    }

    #[test]
    fn a_drive_without_a_sector_gets_no_plan_and_evidence_of_none_earns_nothing() {
        let whole = test_drive(MediaClass::SolidState, 4096);
        let answers = jurex_device::native::Capabilities {
            own_erases: vec![jurex_device::native::NativeErase::SanitizeBlock],
            ..Default::default()
        };
        let order = NativeOrder::new(Technique::SanitizeBlock, &whole, &answers);
        let none = Drive { geometry: Geometry { sectors: 0, ..whole.geometry }, ..whole.clone() };
        let own = |drive| Plan::own(drive, &order, &mut jurex_device::testing::Fixed(1));
        assert_eq!(own(&none).unwrap_err(), PlanError::NoSectors);
        let stages = order.stages(&whole, &mut jurex_device::testing::Fixed(1));
        let outcome = |drive| judge(order.edition, &faultless(drive, &stages, &order.stated)).outcome();
        assert_eq!(outcome(&whole), crate::rules::Outcome::Purge);
        assert_eq!(outcome(&none), crate::rules::Outcome::NotSanitized);
    }
}
