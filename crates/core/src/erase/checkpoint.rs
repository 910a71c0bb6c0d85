//! Where a job stands, so that it can go on after a stop, a lost drive, a kill or a power cut.

use crate::evidence::Evidence;
use crate::guard::Cleared;
use crate::media::Drive;
use crate::plan::{ArmError, ArmedPlan, Plan};
use serde::{Deserialize, Serialize};

/// Name and version of the format.
const FORMAT: &str = "jurex-checkpoint/1";

/// The plan with all its random choices, and the evidence of what is fast on the media. It holds the seeds of random
/// passes, so it is kept only while the job can still go on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Checkpoint {
    format: String,
    plan: Plan,
    evidence: Evidence,
}

/// A text that is no checkpoint.
#[derive(Debug, thiserror::Error)]
#[error("this is not a checkpoint that this version can go on from")]
pub struct BadCheckpoint(#[source] Option<serde_json::Error>);

impl Checkpoint {
    pub(super) fn new(plan: &Plan, evidence: &Evidence) -> Self {
        Self { format: FORMAT.into(), plan: plan.clone(), evidence: evidence.clone() }
    }

    /// The drive that the job works on.
    pub fn drive(&self) -> &Drive {
        self.plan.drive()
    }

    /// The plan that is being carried out.
    pub fn plan(&self) -> &Plan {
        &self.plan
    }

    /// What was done and read back when the checkpoint was made.
    pub fn evidence(&self) -> &Evidence {
        &self.evidence
    }

    /// Whether it was made by a job of that plan. The drive's path may be another by now.
    pub(super) fn is_of(&self, plan: &Plan) -> bool {
        let mut same_place = self.plan.clone();
        same_place.move_to(&plan.drive().path);
        same_place == *plan
    }

    /// The plan for `found`, the same drive as it is attached now. A drive without a serial can't be told elsewhere, and
    /// another drive is not this one's: the plan then stays where it was, and arming it is refused.
    pub fn plan_on(&self, found: &Drive) -> Plan {
        let mut plan = self.plan.clone();
        let has_serial = self.drive().identity.serial.as_deref().is_some_and(|s| !s.trim().is_empty());
        if has_serial && self.drive().is_same_unit(found) {
            plan.move_to(&found.path);
        }
        plan
    }

    /// The plan armed anew for the drive that the guard has cleared: its label is asked for again.
    ///
    /// # Errors
    /// Another drive, or the label does not match.
    pub fn arm(&self, cleared: &Cleared, typed: &str) -> Result<ArmedPlan, ArmError> {
        self.plan_on(cleared.drive()).arm(cleared, typed)
    }

    /// Where it stands, in a few words.
    pub fn place(&self) -> String {
        let of = self.plan.passes().len();
        match self.evidence.passes.last() {
            None => format!("before pass 1 of {of}"),
            Some(pass) => {
                let n = self.evidence.passes.len();
                let doing = if pass.read_back.is_some() { "reading back" } else { "in" };
                format!("{doing} pass {n} of {of}")
            }
        }
    }

    /// The checkpoint as JSON.
    pub fn to_json(&self) -> String {
        serde_json::to_string(self).expect("a checkpoint holds only strings, numbers, lists and maps")
    }

    /// Reads a checkpoint.
    ///
    /// # Errors
    /// Text that is none, or of another version.
    pub fn from_json(text: &str) -> Result<Self, BadCheckpoint> {
        let read: Self = serde_json::from_str(text).map_err(|e| BadCheckpoint(Some(e)))?;
        let (passes, range) = (read.plan.passes().len(), read.plan.range());
        let on_the_drive = range.count > 0 && range.end() <= read.drive().geometry.sectors;
        let sound = read.format == FORMAT && passes > 0 && read.evidence.passes.len() <= passes && on_the_drive;
        if sound { Ok(read) } else { Err(BadCheckpoint(None)) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::erase::Progress;
    use crate::media::{MediaClass, test_drive};
    use crate::notation::Entropy;
    use crate::plan::Order;
    use crate::{guard, method};

    struct Ones;
    impl Entropy for Ones {
        fn fill(&mut self, out: &mut [u8]) {
            out.fill(1);
        }
    }

    #[test]
    fn it_goes_on_on_the_same_drive_wherever_it_is_and_on_no_other() {
        let drive = test_drive(MediaClass::Magnetic, 64);
        let plan = Plan::new(&drive, &Order::of_method(method::find("random").unwrap()), &mut Ones).unwrap();
        let kept = Checkpoint::new(&plan, Progress::of_plan(&plan).evidence());
        let arm = |drive: &Drive, typed: &str| kept.arm(&guard::check(drive, &[]).unwrap(), typed).map(|a| a.plan().clone());
        let moved = Drive { path: "elsewhere".into(), ..drive.clone() };
        assert!(kept.is_of(&arm(&moved, "K7Q41M").unwrap()), "another path, the same serial");
        assert!(matches!(arm(&moved, "K7Q41X"), Err(ArmError::WrongLabel { .. })));
        let mut other = drive.clone();
        other.identity.serial = Some("FM20K7Q41N".into());
        assert!(matches!(arm(&other, "K7Q41N"), Err(ArmError::NotCleared { .. })), "the same path, another serial");
        let nameless = |path: &str| {
            let mut d = Drive { path: path.into(), ..drive.clone() };
            d.identity.serial = None;
            d
        };
        let plan = Plan::new(&nameless("here"), &Order::of_method(method::find("zeros").unwrap()), &mut Ones).unwrap();
        let kept = Checkpoint::new(&plan, Progress::of_plan(&plan).evidence());
        let arm = |path| kept.arm(&guard::check(&nameless(path), &[]).unwrap(), "64").is_ok();
        assert_eq!((arm("here"), arm("there")), (true, false), "without a serial only the place tells");
    }

    #[test]
    fn what_is_no_checkpoint_or_lies_outside_the_drive_is_refused() {
        let drive = test_drive(MediaClass::Magnetic, 64);
        let plan = Plan::new(&drive, &Order::of_method(method::find("random").unwrap()), &mut Ones).unwrap();
        let json = Checkpoint::new(&plan, Progress::of_plan(&plan).evidence()).to_json();
        assert!(Checkpoint::from_json(&json).is_ok());
        let beyond = json.replacen("\"count\":\"64\"", "\"count\":\"65\"", 1);
        let other = json.replacen("jurex-checkpoint/1", "jurex-checkpoint/9", 1);
        for text in ["", "{}", &beyond, &other] {
            assert!(Checkpoint::from_json(text).is_err(), "{text}");
        }
    }
}
