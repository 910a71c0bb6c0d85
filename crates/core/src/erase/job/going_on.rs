//! How a job that was cut short goes on: what it trusts of an earlier session, and what it does again.

use super::{DriveChanged, Job, Now, Phase, describe};
use crate::erase::checkpoint::Checkpoint;
use crate::erase::event::Event;
use crate::media::Drive;
use crate::medium::Access;
use crate::plan::{ArmedPlan, Reading};
use crate::ranges::RangeSet;
use crate::units::Sectors;
use std::sync::Arc;

/// So many chunks before the place where a job goes on are read again before the checkpoint is trusted.
const RECHECKED_CHUNKS: u64 = 64;

/// What a checkpoint is about, once it is trusted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Then {
    /// The pass is laid further.
    Lay,
    /// The pass is laid: it is read back, from the first place on.
    ReadBack,
    /// The pass is over: the next one begins.
    NextPass,
}

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
        job.watched = watched;
        job.recall(checkpoint);
        job.tell(Event::Resumed { evidence: Box::new(checkpoint.evidence().clone()) });
        job.open(found, access, now);
        if job.is_in_a_stage_of_the_drives_own() {
            job.go_on_with_own(found, now);
            return Ok(job);
        }
        if !found.unit.names_its_media() && !earlier.is_same_attachment(found) && !job.progress.evidence().passes().is_empty() {
            let why = "the drive tells nothing that names it, and was attached anew since: it may be another one";
            job.tell(Event::NothingTrusted { why: why.into() });
        }
        job.go_on_from_evidence(now);
        Ok(job)
    }

    /// Finds the place where the evidence of a checkpoint leaves off, and rechecks what lies before it.
    pub(super) fn go_on_from_evidence(&mut self, now: Now) {
        let range = self.range();
        self.stage = self.plan.overwriting_at().unwrap_or(0);
        let passes = self.progress.evidence().passes();
        let Some(last) = passes.last() else { return self.begin_stage(0, now) };
        let (laid, nothing_laid) = (last.laid.clone(), last.done().is_empty());
        let is_laid = last.flushed && last.done().covers_all(range);
        let last_pass = self.plan.passes().len() - 1;
        self.pass = passes.len() - 1;
        let then = match (is_laid, last.ended.is_some()) {
            (true, true) if self.pass < last_pass => Then::NextPass,
            (true, _) => Then::ReadBack,
            (false, _) => Then::Lay,
        };
        // A pass of which nothing lies on the drive yet: what lies there is the one before it.
        let recheck = match passes.len().checked_sub(2).map(|before| &passes[before]) {
            Some(before) if nothing_laid => {
                self.pattern = Arc::new(self.plan.passes()[self.pass - 1].pattern.clone());
                self.tail_of(&before.laid)
            }
            _ => {
                self.pattern = Arc::new(self.plan.passes()[self.pass].pattern.clone());
                self.tail_of(&laid)
            }
        };
        self.mark = now.mono;
        if recheck.is_empty() {
            // Nothing was laid before the cut: there is nothing to be read again, and nothing is told of it.
            return self.follow(then, now);
        }
        self.phase = Phase::Rechecking { then, distrusted: false };
        self.left = recheck.iter().rev().copied().collect();
    }

    /// The last sectors that were laid, up to the place where the work left off.
    fn tail_of(&self, laid: &RangeSet) -> RangeSet {
        let range = self.range();
        let frontier = laid.iter().last().map_or(range.first.0, Sectors::end);
        let from = frontier.saturating_sub(RECHECKED_CHUNKS * self.chunk).max(range.first.0);
        laid.within(Sectors::new(from, frontier - from))
    }

    /// What was rechecked is as laid: the work goes on where the checkpoint left off.
    pub(super) fn trust(&mut self, then: Then, now: Now) {
        self.tell(Event::Rechecked { pass: self.pass as u32, trusted: true });
        self.follow(then, now);
    }

    fn follow(&mut self, then: Then, now: Now) {
        self.mark = now.mono;
        self.pattern = Arc::new(self.plan.passes()[self.pass].pattern.clone());
        match then {
            Then::NextPass => self.next_pass(now),
            Then::ReadBack => self.begin_reading(now),
            Then::Lay => {
                let whole: RangeSet = [self.range()].into_iter().collect();
                let done = self.progress.evidence().passes().last().map(|p| p.done()).unwrap_or_default();
                self.phase = Phase::Laying;
                self.left = whole.without(&done).iter().rev().copied().collect();
            }
        }
    }

    /// What was rechecked is not as laid: nothing of this pass is trusted, and it begins anew. Of a drive that nothing
    /// names no pass is trusted then: it is most likely another drive.
    pub(super) fn distrust(&mut self, now: Now) {
        self.tell(Event::Rechecked { pass: self.pass as u32, trusted: false });
        if !self.plan.drive().unit.names_its_media() {
            let why = "the drive tells nothing that names it, and what lies on it is not what was laid: it may be another one";
            self.tell(Event::NothingTrusted { why: why.into() });
            self.pass = 0;
            if self.plan.overwriting_at() != Some(0) {
                // It may be another drive: what it was to do itself comes first again.
                return self.begin_stage(0, now);
            }
        }
        self.begin_pass(now);
    }

    /// What is to be read of the present pass. A sample proves a pass only in the session that laid it: what was laid
    /// before an interruption is read in full.
    pub(super) fn reading_now(&self) -> Reading {
        let planned = self.plan.reading_of(self.pass);
        let evidence = self.progress.evidence();
        let laid_now = evidence.passes().get(self.pass).is_some_and(|p| p.session == evidence.last_session());
        if matches!(planned, Reading::Sampled(_)) && !laid_now { Reading::Full } else { planned.clone() }
    }
}
