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
        let was_attached_anew = !found.unit.names_its_media() && !earlier.is_same_attachment(found);
        if was_attached_anew && job.was_erasing() {
            let why = "the drive reports nothing that names it, and was attached anew since: it may be another one";
            job.context.tell(Event::NothingTrusted { why: why.into() });
            (job.context.draw, job.context.beside) = Default::default();
            job.begin_stage(0, now);
        } else if job.is_before_the_overwriting() {
            job.go_on_before_the_overwriting(found, now);
        } else {
            job.go_on_with_passes(now);
        }
        Ok(job)
    }

    /// Whether anything was done that a claim could rest on.
    fn was_erasing(&self) -> bool {
        let evidence = self.context.evidence();
        evidence.own().is_some() || !evidence.passes().is_empty()
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
        let evidence = self.context.evidence();
        let before = match evidence.stages.last().map(|s| &s.what) {
            None | Some(StageResult::Lifted(_) | StageResult::Measured(_) | StageResult::Own(_)) => true,
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::job::Control;
    use crate::job::tests::{Bench, good};
    use jurex_device::native::command::Answer;
    use jurex_device::native::{Capabilities, NativeErase};
    use jurex_device::testing::Fixed;
    use jurex_pattern::units::Sectors;
    use jurex_sanitize::evidence::Ended;
    use jurex_sanitize::plan::{Course, HowMuch, NativeOrder, Order, Plan, Verification};

    fn passes(bench: &Bench<'_>, verification: Verification) -> Plan {
        let order = Order { verification, ..Order::of_program("random", "random".parse().unwrap()) };
        Plan::new(&bench.medium.drive, &order, &mut Fixed(3)).unwrap()
    }

    #[test]
    fn a_sample_proves_a_pass_only_in_the_session_that_laid_it() {
        let reading = |cut: bool| {
            let mut bench = Bench::new(400_000);
            let plan = passes(&bench, Verification::SAMPLED);
            let mut job = bench.start(&plan);
            if cut {
                bench.run(&mut job, 900);
                job.wish(Control::Stop);
                bench.run(&mut job, 9).unwrap();
                job = bench.resume(false);
            }
            let evidence = bench.finish(&mut job);
            let read = evidence.last_reading().unwrap();
            (read.sampling.is_some(), read.read.covers_all(evidence.range()))
        };
        assert_eq!((reading(false), reading(true)), ((true, false), (false, true)));
    }

    #[test]
    fn what_was_laid_last_is_read_again_as_far_back_as_a_cache_could_lose_it() {
        let trusts = |chunks_back: u64| {
            let mut bench = Bench::new(8 * 200);
            let plan = passes(&bench, Verification::FULL);
            let mut job = bench.start(&plan);
            bench.run(&mut job, 120);
            job.wish(Control::Stop);
            bench.run(&mut job, 9).unwrap();
            let frontier = bench.kept.as_ref().unwrap().evidence().passes()[0].laid.iter().last().map_or(0, Sectors::end);
            let lost = (frontier - 8 * chunks_back) as usize * 512;
            bench.medium.bytes[lost..lost + 512].fill(0xee);
            let mut job = bench.resume(false);
            bench.run(&mut job, 70);
            bench.events.iter().any(|e| matches!(e, Event::Rechecked { trusted: true, .. }))
        };
        assert_eq!([trusts(1), trusts(20), trusts(60), trusts(80)], [false, false, false, true]);
    }

    #[test]
    fn a_stop_can_not_be_taken_back() {
        let mut bench = Bench::new(8 * 20);
        let plan = passes(&bench, Verification::FULL);
        let mut job = bench.start(&plan);
        job.wish(Control::Stop);
        job.wish(Control::GoOn);
        job.wish(Control::Hold);
        assert_eq!(bench.finish(&mut job).ended, Ended::Stopped);
    }

    /// SCSI sense data: a sanitize operation is under way.
    const RUNNING: [u8; 22] = [0x72, 2, 0x04, 0x1b, 0, 0, 0, 14, 2, 6, 0, 0, 0x80, 0x40, 0, 0, 0, 0, 0, 0, 0, 0];

    #[test]
    fn an_erasure_that_was_watched_to_its_end_is_not_begun_again_and_all_of_it_is_read() {
        let gone_on = |watched: bool| {
            let mut begun = false;
            let mut bench = Bench::new(400_000).answering(move |command, _| {
                begun |= command.name.starts_with("SANITIZE");
                if begun && command.name == "TEST UNIT READY" {
                    Answer::Scsi { status: 2, sense: RUNNING.to_vec(), data: vec![] }
                } else {
                    good()
                }
            });
            let drive = bench.medium.drive.clone();
            let answers = Capabilities { own_erases: vec![NativeErase::SanitizeBlock], ..Capabilities::default() };
            let mut order = NativeOrder::new(NativeErase::SanitizeBlock.technique(), &drive, &answers);
            order.how_much = Some(HowMuch::Sampled);
            let plan = Plan::of(&drive, &Course::Own(order), &mut Fixed(5)).unwrap();
            let mut job = bench.start(&plan);
            // Until it says that it is at work, and that is kept.
            while !bench.kept.as_ref().is_some_and(|k| k.evidence().own().is_some_and(|o| o.at_work)) {
                assert!(bench.run(&mut job, 1).is_none());
            }
            (bench.events, bench.sent) = (vec![], vec![]);
            bench.medium.bytes.fill(0);
            let mut bench = bench.answering(|_, _| good());
            let mut job = bench.resume(watched);
            let evidence = bench.finish(&mut job);
            let again = bench.sent.iter().any(|name| name.starts_with("SANITIZE"));
            let sampled = bench.events.iter().any(|e| matches!(e, Event::CheckStarted { sampling: Some(_), .. }));
            (again, sampled, evidence.ended == Ended::Finished)
        };
        assert_eq!(gone_on(true), (false, false, true), "it is over: what it left is read in full");
        assert_eq!(gone_on(false), (true, true, true), "what it became of is not known: it is done again, in this hold");
    }
}
