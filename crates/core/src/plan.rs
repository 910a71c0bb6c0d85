//! What is to be done to one drive, what that can earn, and the label check that arms it.

use crate::evidence::{Ended, Evidence, PassEvidence, ReadBack};
use crate::guard::Cleared;
use crate::media::{Drive, Label};
use crate::method::Method;
use crate::notation::{Entropy, Program, Resolved};
use crate::pace::Pace;
use crate::ranges::RangeSet;
use crate::rules::{Claim, judge};
use crate::units::Sectors;
use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use std::fmt;

/// What is read back and compared.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Verification {
    /// Every sector of the last pass, and of each pass that the method marks.
    #[default]
    Full,
    /// Nothing: the outcome stays unproved.
    None,
}

impl fmt::Display for Verification {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Verification::Full => "full: every sector is read back and compared",
            Verification::None => "none: nothing is read back",
        })
    }
}

/// What is asked for, before it is fitted to a drive.
#[derive(Clone, Debug)]
pub struct Order {
    /// Title of the method, or what the passes are called.
    pub title: String,
    /// The passes.
    pub program: Program,
    /// What is read back.
    pub verification: Verification,
    /// The sectors to cover; `None`: all of them.
    pub range: Option<Sectors>,
    /// How often a failing sector is tried again.
    pub retries: u32,
}

impl Order {
    /// Tries of a failing sector after the first, unless told otherwise.
    pub const RETRIES: u32 = 2;

    /// A method of the library on the whole drive, fully verified.
    pub fn of_method(method: &Method) -> Self {
        Self::of_program(method.title, method.program())
    }

    /// Passes of one's own on the whole drive, fully verified.
    pub fn of_program(title: &str, program: Program) -> Self {
        Self { title: title.into(), program, verification: Verification::Full, range: None, retries: Self::RETRIES }
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
    /// The passes ask to be read back, the order forbids it.
    #[error("the passes ask with `?` to be read back, and the verification is none: leave out one of the two")]
    Contradiction,
}

/// A plan for one drive, every random choice made.
#[derive(Clone, Debug)]
pub struct Plan {
    drive: Drive,
    title: String,
    notation: String,
    passes: Vec<Resolved>,
    verification: Verification,
    range: Sectors,
    retries: u32,
    expected: Claim,
}

impl Plan {
    /// Fits `order` to `drive`.
    ///
    /// # Errors
    /// A range outside the drive.
    pub fn new(drive: &Drive, order: &Order, entropy: &mut dyn Entropy) -> Result<Self, PlanError> {
        let range = order.range.unwrap_or(drive.geometry.whole());
        if range.count == 0 || range.first.0.checked_add(range.count).is_none_or(|end| end > drive.geometry.sectors) {
            return Err(PlanError::OutsideDrive { range, last: drive.geometry.sectors.saturating_sub(1) });
        }
        let mut passes = order.program.resolve(entropy);
        match order.verification {
            Verification::Full => passes.last_mut().into_iter().for_each(|p| p.read_back = true),
            Verification::None => passes.iter_mut().for_each(|p| p.read_back = false),
        }
        let expected = judge(&faultless(drive, range, &passes));
        Ok(Self {
            drive: drive.clone(),
            title: order.title.clone(),
            notation: order.program.to_string(),
            passes,
            verification: order.verification,
            range,
            retries: order.retries,
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
    pub fn passes(&self) -> &[Resolved] {
        &self.passes
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

    /// What the plan earns if nothing goes wrong: the same rules that the record will be judged by.
    pub fn expected(&self) -> &Claim {
        &self.expected
    }

    /// Sectors to write and sectors to read, over all passes.
    pub fn work(&self) -> (u64, u64) {
        let read_backs = self.passes.iter().filter(|p| p.read_back).count() as u64;
        (self.range.count.saturating_mul(self.passes.len() as u64), self.range.count.saturating_mul(read_backs))
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
        let label = self.drive.label();
        match label.matches(typed) {
            true => Ok(ArmedPlan { plan: self.clone() }),
            false => Err(ArmError::WrongLabel { drive: self.drive.called(), label }),
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
fn faultless(drive: &Drive, range: Sectors, passes: &[Resolved]) -> Evidence {
    let mut all = RangeSet::new();
    all.insert(range);
    let pass = |p: &Resolved| PassEvidence {
        pattern: p.pattern.clone(),
        laid: all.clone(),
        unwritable: RangeSet::new(),
        flushed: true,
        read_back: p.read_back.then(|| ReadBack { read: all.clone(), ..ReadBack::default() }),
        started: Timestamp::UNIX_EPOCH,
        ended: Some(Timestamp::UNIX_EPOCH),
        pace: Pace::new(range),
    };
    Evidence {
        drive: drive.clone(),
        range,
        passes: passes.iter().map(pass).collect(),
        planned_passes: passes.len() as u32,
        ended: Ended::Finished,
    }
}

/// A plan whose drive a person has looked at: the only thing that the engine takes. Not `Clone`; a job uses it up.
#[derive(Debug)]
pub struct ArmedPlan {
    plan: Plan,
}

impl ArmedPlan {
    /// The plan that was armed.
    pub fn plan(&self) -> &Plan {
        &self.plan
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
mod tests {
    use super::*;
    use crate::guard;
    use crate::media::{MediaClass, test_drive};
    use crate::method;
    use crate::rules::Outcome;

    struct Zero;
    impl Entropy for Zero {
        fn fill(&mut self, out: &mut [u8]) {
            out.fill(0);
        }
    }

    fn plan(drive: &Drive, order: &Order) -> Result<Plan, PlanError> {
        Plan::new(drive, order, &mut Zero)
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
        assert_eq!(plan.passes().iter().map(|p| p.read_back).collect::<Vec<_>>(), [true, false, true]);
        assert_eq!(plan.work(), (192, 128));
    }

    #[test]
    fn a_range_that_leaves_the_drive_is_refused() {
        let drive = test_drive(MediaClass::Magnetic, 64);
        let order = Order::of_method(&method::LIBRARY[0]);
        for range in [Sectors::new(0, 65), Sectors::new(64, 1), Sectors::new(0, 0), Sectors::new(u64::MAX, 2)] {
            let order = Order { range: Some(range), ..order.clone() };
            assert!(matches!(plan(&drive, &order), Err(PlanError::OutsideDrive { last: 63, .. })), "{range:?}");
        }
    }

    #[test]
    fn only_the_right_label_on_the_cleared_drive_arms() {
        let drive = test_drive(MediaClass::Magnetic, 64);
        let plan = plan(&drive, &Order::of_method(&method::LIBRARY[0])).unwrap();
        let cleared = guard::check(&drive, &[]).unwrap();
        assert!(plan.arm(&cleared, "K7Q41M").is_ok());
        assert!(matches!(plan.arm(&cleared, "K7Q41X"), Err(ArmError::WrongLabel { .. })));
        let mut other = drive.clone();
        other.geometry.sectors = 65;
        let other = guard::check(&other, &[]).unwrap();
        assert!(matches!(plan.arm(&other, "K7Q41M"), Err(ArmError::NotCleared { .. })));
    }
}
