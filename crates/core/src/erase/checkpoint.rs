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
        let passes = read.plan.passes().len();
        let sound = read.format == FORMAT && passes > 0 && read.evidence.passes.len() <= passes;
        if sound { Ok(read) } else { Err(BadCheckpoint(None)) }
    }
}
