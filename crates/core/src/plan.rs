//! What is to be done to one drive, what that can earn, and the label check that arms it.

use crate::evidence::{
    CheckEvidence, Ended, Evidence, Expect, OverwriteEvidence, PassEvidence, ReadBack, Session, StageEvidence, StageKind,
    Unsound, What,
};
use crate::guard::Cleared;
use crate::media::{Drive, Label, Scope};
use crate::medium::Access;
use crate::method::Method;
use crate::notation::{Entropy, MOST_PASSES, Program, Resolved};
use crate::pattern::Pattern;
use crate::ranges::RangeSet;
use crate::rules::{Claim, Edition, judge};
use crate::sampling::Sampling;
use crate::units::Sectors;
use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use std::fmt;

/// Which passes are read back. The last one always is, and each that the method marks.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WhichPasses {
    /// The last one and those that are marked.
    Last,
    /// Every pass.
    Every,
}

/// How much of a pass is read back.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum HowMuch {
    /// Every sector.
    Full,
    /// A representative sample, drawn anew for each reading (SP 800-88 Rev. 1, 4.7).
    Sampled,
}

/// What is read back and compared.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub enum Verification {
    /// Nothing: the outcome stays unproved.
    None,
    /// So much of these passes.
    Read(HowMuch, WhichPasses),
}

impl Default for Verification {
    fn default() -> Self {
        Self::FULL
    }
}

impl Verification {
    /// Every sector of the last pass, and of each pass that the method marks.
    pub const FULL: Self = Self::Read(HowMuch::Full, WhichPasses::Last);
    /// A sample of the last pass, and of each pass that the method marks.
    pub const SAMPLED: Self = Self::Read(HowMuch::Sampled, WhichPasses::Last);
    /// Every choice.
    pub const ALL: [Self; 5] = [
        Self::FULL,
        Self::SAMPLED,
        Self::Read(HowMuch::Full, WhichPasses::Every),
        Self::Read(HowMuch::Sampled, WhichPasses::Every),
        Self::None,
    ];

    /// Its short name.
    pub fn name(self) -> &'static str {
        match self {
            Verification::None => "none",
            Verification::Read(HowMuch::Full, WhichPasses::Last) => "full",
            Verification::Read(HowMuch::Sampled, WhichPasses::Last) => "sampled",
            Verification::Read(HowMuch::Full, WhichPasses::Every) => "full-every-pass",
            Verification::Read(HowMuch::Sampled, WhichPasses::Every) => "sampled-every-pass",
        }
    }

    /// What is read, in a few words.
    pub fn short(self) -> &'static str {
        match self {
            Verification::None => "nothing",
            Verification::Read(HowMuch::Full, WhichPasses::Last) => "all of the last pass",
            Verification::Read(HowMuch::Sampled, WhichPasses::Last) => "a tenth of the last pass",
            Verification::Read(HowMuch::Full, WhichPasses::Every) => "all of every pass",
            Verification::Read(HowMuch::Sampled, WhichPasses::Every) => "a tenth of every pass",
        }
    }

    /// The next choice, round and round.
    pub fn next(self) -> Self {
        let at = Self::ALL.iter().position(|v| *v == self).unwrap_or(0);
        Self::ALL[(at + 1) % Self::ALL.len()]
    }
}

impl std::str::FromStr for Verification {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let names = || Self::ALL.map(Self::name).join(", ");
        Self::ALL.into_iter().find(|v| v.name() == text).ok_or_else(|| format!("`{text}` is no verification: choose {}", names()))
    }
}

impl TryFrom<String> for Verification {
    type Error = String;

    fn try_from(text: String) -> Result<Self, String> {
        text.parse()
    }
}

impl From<Verification> for String {
    fn from(v: Verification) -> String {
        v.name().into()
    }
}

impl fmt::Display for Verification {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Verification::Read(HowMuch::Full, WhichPasses::Last) => {
                "full: every sector of the last pass is read back and compared"
            }
            Verification::Read(HowMuch::Sampled, WhichPasses::Last) => {
                "sampled: a tenth of the last pass, at places drawn for this job, is read back and compared"
            }
            Verification::Read(HowMuch::Full, WhichPasses::Every) => {
                "full, every pass: every sector is read back after each pass"
            }
            Verification::Read(HowMuch::Sampled, WhichPasses::Every) => {
                "sampled, every pass: a tenth is read back after each pass, at places drawn for each"
            }
            Verification::None => "none: nothing is read back",
        })
    }
}

/// What of a pass is read back.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Reading {
    /// Nothing.
    None,
    /// Every sector.
    Full,
    /// These places.
    Sampled(Sampling),
}

impl Reading {
    /// The places of `range` to read.
    pub fn places(&self, range: Sectors) -> RangeSet {
        match self {
            Reading::None => RangeSet::new(),
            Reading::Full => [range].into_iter().collect(),
            Reading::Sampled(sampling) => sampling.places(range),
        }
    }

    /// The places that were drawn, if they were.
    pub fn sampling(&self) -> Option<&Sampling> {
        match self {
            Reading::Sampled(sampling) => Some(sampling),
            Reading::None | Reading::Full => None,
        }
    }
}

/// A pass of a plan, every random choice made.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlannedPass {
    /// What it lays down.
    pub pattern: Pattern,
    /// What of it is read back.
    pub reading: Reading,
    /// Whether it turns over every bit of the pass before it, by the method's design. A pair that only a draw has placed
    /// side by side is luck, and earns nothing.
    #[serde(default)]
    pub complement_of_before: bool,
}

/// What is asked for, before it is fitted to a drive.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Order {
    /// Title of the method, or what the passes are called.
    pub title: String,
    /// The passes.
    pub program: Program,
    /// How often the passes are run through, at least 1.
    pub rounds: u32,
    /// Whether one more pass of zeros follows at the end.
    pub blank: bool,
    /// What is read back.
    pub verification: Verification,
    /// The sectors to cover; `None`: all of them.
    pub range: Option<Sectors>,
    /// How often a failing sector is tried again.
    pub retries: u32,
    /// After more bad places than this the drive is given up.
    pub faults_allowed: u64,
    /// The rules that it is judged by.
    pub edition: Edition,
}

impl Order {
    /// Tries of a failing sector after the first, unless told otherwise.
    pub const RETRIES: u32 = 2;

    /// Bad places before a drive is given up, unless told otherwise.
    pub const FAULTS_ALLOWED: u64 = 10_000;

    /// A method of the library on the whole drive, fully verified.
    pub fn of_method(method: &Method) -> Self {
        Self::of_program(&method.title, method.program.clone())
    }

    /// Passes of one's own on the whole drive, fully verified.
    pub fn of_program(title: &str, program: Program) -> Self {
        Self {
            title: title.into(),
            program,
            rounds: 1,
            blank: false,
            verification: Verification::default(),
            range: None,
            retries: Self::RETRIES,
            faults_allowed: Self::FAULTS_ALLOWED,
            edition: Edition::default(),
        }
    }

    /// Passes that will run.
    pub fn passes(&self) -> usize {
        self.program.passes().saturating_mul(self.rounds as usize).saturating_add(self.blank.into())
    }

    /// Times that a pass is read back.
    pub fn readings(&self) -> usize {
        match self.verification {
            Verification::None => 0,
            Verification::Read(_, WhichPasses::Every) => self.passes(),
            Verification::Read(_, WhichPasses::Last) => {
                let marked = self.program.marked() * self.rounds as usize;
                // The last pass is read back even if it is not marked.
                let last_is_marked = !self.blank && self.program.last_is_marked();
                marked + usize::from(!last_is_marked)
            }
        }
    }

    /// Whether only places of a pass are read back.
    pub fn is_sampled(&self) -> bool {
        matches!(self.verification, Verification::Read(HowMuch::Sampled, _))
    }

    /// The passes in the notation, with rounds and blank pass said in words.
    pub fn notation(&self) -> String {
        let rounds = if self.rounds > 1 { format!(", {} rounds", self.rounds) } else { String::new() };
        let blank = if self.blank { ", then a pass of zeros" } else { "" };
        format!("{}{rounds}{blank}", self.program)
    }

    /// The passes with every random choice made. No place is read twice by the same draw.
    fn resolve(&self, entropy: &mut dyn Entropy) -> Vec<PlannedPass> {
        let mut passes: Vec<Resolved> = (0..self.rounds).flat_map(|_| self.program.resolve(entropy)).collect();
        if self.blank {
            passes.push(Resolved { pattern: Pattern::zeros(), read_back: false, complement_of_before: false, is_fixed: true });
        }
        let last = passes.len().saturating_sub(1);
        let mut reading = |n: usize, marked: bool| match self.verification {
            Verification::Read(how_much, which) if marked || n == last || which == WhichPasses::Every => match how_much {
                HowMuch::Full => Reading::Full,
                HowMuch::Sampled => {
                    let mut seed = [0; 16];
                    entropy.fill(&mut seed);
                    Reading::Sampled(Sampling::new(seed))
                }
            },
            Verification::Read(..) | Verification::None => Reading::None,
        };
        passes
            .into_iter()
            .enumerate()
            .map(|(n, p)| PlannedPass {
                reading: reading(n, p.read_back),
                pattern: p.pattern,
                complement_of_before: p.complement_of_before,
            })
            .collect()
    }
}

/// Why an order does not fit a drive.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum PlanError {
    /// The range is not on the drive.
    #[error("{range} do not lie on this drive: its last sector is {last}")]
    OutsideDrive {
        /// What was asked for.
        range: Sectors,
        /// The drive's last sector.
        last: u64,
    },
    /// The drive has no such partition.
    #[error("there is no partition {number}: this drive's table has {of}")]
    NoPartition {
        /// What was asked for.
        number: usize,
        /// How many there are.
        of: usize,
    },
    /// More passes than a job may have.
    #[error("{passes} passes are too many: with all rounds a job has at most {MOST_PASSES}")]
    TooManyPasses {
        /// What was asked for.
        passes: usize,
    },
    /// The passes ask to be read back, the order forbids it.
    #[error("the passes ask with `?` to be read back, and the verification is none: leave out one of the two")]
    Contradiction,
}

/// A plan for one drive, every random choice made.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Plan {
    drive: Drive,
    title: String,
    notation: String,
    passes: Vec<PlannedPass>,
    verification: Verification,
    range: Sectors,
    retries: u32,
    faults_allowed: u64,
    edition: Edition,
    expected: Claim,
}

impl Plan {
    /// Fits `order` to `drive`.
    ///
    /// # Errors
    /// A range outside the drive, or too many passes.
    pub fn new(drive: &Drive, order: &Order, entropy: &mut dyn Entropy) -> Result<Self, PlanError> {
        let range = order.range.unwrap_or(drive.geometry.whole());
        if range.count == 0 || range.first.0.checked_add(range.count).is_none_or(|end| end > drive.geometry.sectors) {
            return Err(PlanError::OutsideDrive { range, last: drive.geometry.sectors.saturating_sub(1) });
        }
        if order.passes() > MOST_PASSES {
            return Err(PlanError::TooManyPasses { passes: order.passes() });
        }
        let passes = order.resolve(entropy);
        let expected = judge(order.edition, &faultless(drive, range, &passes));
        Ok(Self {
            drive: drive.clone(),
            title: order.title.clone(),
            notation: order.notation(),
            passes,
            verification: order.verification,
            range,
            retries: order.retries,
            faults_allowed: order.faults_allowed,
            edition: order.edition,
            expected,
        })
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

    /// The passes, with what is read back decided.
    pub fn passes(&self) -> &[PlannedPass] {
        &self.passes
    }

    /// The rules that it is judged by.
    pub fn edition(&self) -> Edition {
        self.edition
    }

    /// What is read back.
    pub fn verification(&self) -> Verification {
        self.verification
    }

    /// The sectors to cover.
    pub fn range(&self) -> Sectors {
        self.range
    }

    /// Tries of a failing sector after the first.
    pub fn retries(&self) -> u32 {
        self.retries
    }

    /// Bad places after which the drive is given up.
    pub fn faults_allowed(&self) -> u64 {
        self.faults_allowed
    }

    /// What the plan earns if nothing goes wrong: the same rules that the record will be judged by.
    pub fn expected(&self) -> &Claim {
        &self.expected
    }

    /// Whether this can be a plan: what one from outside must pass before it is carried out.
    ///
    /// # Errors
    /// What is impossible about it.
    pub(crate) fn check_soundness(&self) -> Result<(), Unsound> {
        let on_drive = self.range.first.0.checked_add(self.range.count).is_some_and(|end| end <= self.drive.geometry.sectors);
        if self.range.count == 0 || !on_drive {
            return Err(Unsound("its range is not on the drive"));
        }
        if self.passes.is_empty() || self.passes.len() > MOST_PASSES {
            return Err(Unsound("it has no possible number of passes"));
        }
        let can_be_laid = |p: &PlannedPass| p.pattern.is_computable() && p.pattern.period() != Some(0);
        if self.passes.iter().all(can_be_laid) { Ok(()) } else { Err(Unsound("a pass has no bytes")) }
    }

    /// What it reaches.
    pub fn scope(&self) -> Scope {
        Scope::Sectors(self.range)
    }

    /// Its stages, in order.
    pub fn stages(&self) -> Vec<StageKind> {
        planned(&self.passes)
    }

    /// The same plan for the same drive, attached elsewhere.
    pub(crate) fn move_to(&mut self, found: &Drive) {
        self.drive = found.clone();
    }

    /// Sectors to write and sectors to read, over all passes.
    pub fn work(&self) -> (u64, u64) {
        let read = self.passes.iter().map(|p| p.reading.places(self.range).count()).fold(0, u64::saturating_add);
        (self.range.count.saturating_mul(self.passes.len() as u64), read)
    }

    /// What will be lost, in one sentence.
    pub fn warning(&self) -> String {
        let how_often = times(self.passes.len());
        match self.range == self.drive.geometry.whole() {
            true => format!(
                "Everything on {} is lost for good: all {} are overwritten {how_often}.",
                self.drive.called(),
                self.drive.size()
            ),
            false => format!("What lies on {} of {} is lost for good: overwritten {how_often}.", self.range, self.drive.called()),
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
        let label = cleared.label();
        if label.matches(typed) {
            Ok(ArmedPlan { plan: self.clone(), label: label.clone() })
        } else {
            Err(ArmError::WrongLabel { drive: self.drive.called(), label: label.clone() })
        }
    }
}

fn times(n: usize) -> String {
    match n {
        1 => "once".into(),
        2 => "twice".into(),
        n => format!("{n} times"),
    }
}

/// The evidence that a job without any fault would leave.
fn faultless(drive: &Drive, range: Sectors, passes: &[PlannedPass]) -> Evidence {
    let all: RangeSet = [range].into_iter().collect();
    let now = Timestamp::UNIX_EPOCH;
    let read = |reading: &Reading| ReadBack {
        sampling: reading.sampling().cloned(),
        read: reading.places(range),
        ..ReadBack::default()
    };
    let last = passes.len().saturating_sub(1);
    let pass = |(n, p): (usize, &PlannedPass)| PassEvidence {
        laid: all.clone(),
        flushed: true,
        read_back: (n != last && p.reading != Reading::None).then(|| read(&p.reading)),
        ended: Some(now),
        complement_of_before: p.complement_of_before,
        ..PassEvidence::begun(p.pattern.clone(), 0, range, now)
    };
    let overwritten =
        OverwriteEvidence { range, planned_passes: passes.len() as u32, passes: passes.iter().enumerate().map(pass).collect() };
    let stage = |what| StageEvidence { started: now, ended: Some(now), what };
    let check = passes
        .last()
        .filter(|p| p.reading != Reading::None)
        .map(|p| stage(What::Checked(CheckEvidence { range, expect: Expect::LastPass, read_back: read(&p.reading) })));
    Evidence {
        sessions: vec![Session::new(drive.clone(), Access::DIRECT, now)],
        planned: planned(passes),
        stages: std::iter::once(stage(What::Overwritten(overwritten))).chain(check).collect(),
        ended: Ended::Finished,
    }
}

/// The stages of an overwriting by these passes: the reading back of the last one is a check of its own.
fn planned(passes: &[PlannedPass]) -> Vec<StageKind> {
    if passes.last().is_some_and(|p| p.reading != Reading::None) {
        vec![StageKind::Overwrite, StageKind::Check]
    } else {
        vec![StageKind::Overwrite]
    }
}

/// A plan whose drive a person has looked at: the only thing that the engine takes. Not `Clone`; a job uses it up.
#[derive(Debug)]
pub struct ArmedPlan {
    plan: Plan,
    label: Label,
}

impl ArmedPlan {
    /// The plan that was armed.
    pub fn plan(&self) -> &Plan {
        &self.plan
    }

    /// What the person typed: the guard, asked again when the drive is opened, must still ask for the same.
    pub fn label(&self) -> &Label {
        &self.label
    }

    pub(crate) fn into_plan(self) -> Plan {
        self.plan
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
        label: Label,
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
    use crate::media::MediaClass;
    use crate::method;
    use crate::rules::Outcome;
    use crate::testing::{Fixed, cleared, test_drive};

    fn plan(drive: &Drive, order: &Order) -> Result<Plan, PlanError> {
        Plan::new(drive, order, &mut Fixed(0))
    }

    /// Faultless evidence of one pass of zeros on a magnetic drive, of which a sample was read.
    pub(crate) fn sampled(range: Sectors) -> Evidence {
        let reading = Reading::Sampled(Sampling::new([5; 16]));
        let pass = PlannedPass { pattern: Pattern::zeros(), reading, complement_of_before: false };
        faultless(&test_drive(MediaClass::Magnetic, range.count), range, &[pass])
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
        assert_eq!(plan.passes().iter().map(|p| p.reading != Reading::None).collect::<Vec<_>>(), [true, false, true]);
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
            let read: String = plan.passes().iter().map(|p| if p.reading == Reading::None { '-' } else { 'r' }).collect();
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
        assert!("half".parse::<Verification>().unwrap_err().contains("sampled-every-pass"));
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
}
