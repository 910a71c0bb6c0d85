//! How a job that was cut short goes on: where, and what it trusts of an earlier session.

use super::stage::OverwriteStage;
use super::{DriveChanged, Job, Now, describe};
use crate::checkpoint::Checkpoint;
use crate::event::Event;
use jurex_device::media::Drive;
use jurex_device::medium::Access;
use jurex_sanitize::evidence::StageResult;
use jurex_sanitize::plan::ArmedPlan;

impl Job {
    /// Goes on from `checkpoint`. What it says was laid last is read again before it is trusted; if that is not as laid,
    /// the pass begins anew. What an earlier session read back proves nothing any more: that reading begins anew.
    ///
    /// Of a drive that nothing names, what was laid before it was attached anew is not trusted at all: it may be another.
    ///
    /// # Errors
    /// `found` is not the drive that was armed, or `armed` is not the checkpoint's own plan.
    pub fn resume(
        checkpoint: &Checkpoint,
        armed: ArmedPlan,
        found: &Drive,
        access: Access,
        chunk_bytes: usize,
        now: Now,
    ) -> Result<Self, DriveChanged> {
        Self::resume_watched(checkpoint, armed, found, access, (chunk_bytes, false), now)
    }

    /// The same of a drive that was seen at work on its own erasure since the job was cut off, without a moment in which it
    /// gave or took a sector (`watched`, beside the bytes of a chunk): what it says that it has finished is the erasure that the
    /// job began.
    ///
    /// # Errors
    /// As [`Job::resume`].
    pub fn resume_watched(
        checkpoint: &Checkpoint,
        armed: ArmedPlan,
        found: &Drive,
        access: Access,
        (chunk_bytes, watched): (usize, bool),
        now: Now,
    ) -> Result<Self, DriveChanged> {
        if !checkpoint.is_of(armed.plan()) {
            let armed = describe(armed.plan().drive());
            return Err(DriveChanged { armed, found: format!("a checkpoint of {}", describe(checkpoint.drive())) });
        }
        let mut job = Self::new(armed, found, chunk_bytes, now)?;
        let earlier = checkpoint.evidence().drive().clone();
        job.context.watched = watched;
        job.context.recall(checkpoint);
        job.context.tell(Event::Resumed { evidence: Box::new(checkpoint.evidence().clone()) });
        job.open(found, access, now);
        if job.is_before_the_overwriting() {
            job.go_on_before_the_overwriting(found, now);
            return Ok(job);
        }
        let was_attached_anew = !found.unit.names_its_media() && !earlier.is_same_attachment(found);
        if was_attached_anew && !job.context.evidence().passes().is_empty() {
            let why = "the drive tells nothing that names it, and was attached anew since: it may be another one";
            job.context.tell(Event::NothingTrusted { why: why.into() });
        }
        job.go_on_with_passes(now);
        Ok(job)
    }

    /// Goes on with the passes, or from the beginning if none was begun.
    fn go_on_with_passes(&mut self, now: Now) {
        self.at = self.context.plan.overwriting_at().unwrap_or(0);
        if self.context.evidence().passes().is_empty() {
            return self.begin_stage(0, now);
        }
        let (stage, then) = OverwriteStage::go_on(&mut self.context, now);
        self.stage = Some(Box::new(stage));
        self.follow(then, now);
    }

    /// Whether what is to go on is no overwriting.
    fn is_before_the_overwriting(&self) -> bool {
        let (evidence, plan) = (self.context.evidence(), &self.context.plan);
        let before = match evidence.stages.last().map(|s| &s.what) {
            None => plan.overwriting_at() != Some(0),
            Some(StageResult::Lifted(_) | StageResult::Measured(_) | StageResult::Own(_)) => true,
            Some(StageResult::Checked(_)) => evidence.overwrite().is_none(),
            Some(StageResult::Overwritten(_)) => false,
        };
        // What was lifted until the next power-on has to be lifted anew.
        before || self.is_hidden_again()
    }

    /// Whether what was lifted is hidden again: the drive is as small as it was.
    fn is_hidden_again(&self) -> bool {
        let evidence = self.context.evidence();
        evidence.lift().is_some_and(|l| l.after != l.before && evidence.drive().geometry == l.before)
    }

    /// Goes on with hidden areas, the size check or the drive's own erasure. Nothing is sent before the drive was asked.
    fn go_on_before_the_overwriting(&mut self, found: &Drive, now: Now) {
        let (evidence, plan) = (self.context.evidence(), &self.context.plan);
        let own_at = plan.own_at();
        let stage = match evidence.stages.last().map(|s| (&s.what, s.ended.is_some())) {
            None => 0,
            Some((StageResult::Lifted(_), false)) => 0,
            Some((StageResult::Lifted(_), true)) => 1,
            // Nothing was erased since: it is found out anew, since this may be another drive of that name.
            Some((StageResult::Measured(_), _)) => plan.measure_at().unwrap_or(0),
            Some((StageResult::Own(_), false)) => own_at.unwrap_or(0),
            // What was read under an earlier hold proves nothing. A key is replaced again; what is blank is read in full.
            Some((StageResult::Own(own), true)) if own.technique.leaves_unknown_bytes() => own_at.unwrap_or(0),
            Some((StageResult::Own(_), true)) => own_at.map_or(0, |n| n + 1),
            Some((StageResult::Checked(_), _)) if evidence.overwrite().is_none() => {
                let again = evidence.own().is_some_and(|o| o.technique.leaves_unknown_bytes());
                own_at.map_or(0, |n| n + usize::from(!again))
            }
            Some((StageResult::Checked(_) | StageResult::Overwritten(_), _)) => plan.overwriting_at().unwrap_or(0),
        };
        let hides_again = stage > 0 && plan.lift().is_some() && found.geometry != evidence.geometry();
        if hides_again {
            self.then_after_lifting = Some(stage);
            return self.begin_stage(0, now);
        }
        self.go_on_with_stage(stage, now);
    }

    pub(super) fn go_on_with_stage(&mut self, stage: usize, now: Now) {
        if Some(stage) == self.context.plan.overwriting_at() && !self.context.evidence().passes().is_empty() {
            return self.go_on_with_passes(now);
        }
        self.begin_stage(stage, now);
    }
}
