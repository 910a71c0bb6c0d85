//! The size check of a drive: what it lays and reads, given out act by act.

use super::{Issued, StageMachine, StageTurn, Taken, Then};
use crate::event::{Activity, Event};
use crate::job::context::Context;
use crate::job::{Completed, Now, Task};
use crate::measure::{Measuring, ProbeAct};
use jurex_device::medium::MediumError;
use jurex_pattern::pattern::Pattern;
use jurex_pattern::units::Sectors;
use std::sync::Arc;

/// What is being done for the size check.
#[derive(Clone, Debug)]
enum MeasureStep {
    /// Tags of this keystream are laid.
    Laying(Arc<Pattern>),
    Flushing,
    /// Tags of this keystream are looked for.
    Reading(Arc<Pattern>),
}

/// The stage.
#[derive(Debug)]
pub(in crate::job) struct MeasureStage {
    measuring: Measuring,
    /// The keystream of the tags that were laid last.
    pattern: Arc<Pattern>,
    step: MeasureStep,
}

impl MeasureStage {
    /// With tags of that keystream.
    pub(in crate::job) fn begin(job: &mut Context, tags: &Pattern, now: Now) -> Self {
        job.activity = Activity::Measuring;
        let session = job.evidence().last_session();
        let measuring = Measuring::new(job.geometry(), tags, session);
        job.tell(Event::MeasureStarted { time: now.wall });
        // Kept before the first write, as before every pass.
        job.save(now);
        let pattern = Arc::new(tags.clone());
        let mut stage = Self { measuring, pattern, step: MeasureStep::Flushing };
        // There is something to lay on every drive.
        stage.next_act(job, now);
        stage
    }

    /// The act before is over: what comes next?
    fn next_act(&mut self, job: &mut Context, now: Now) -> Then {
        job.meter.mark(now);
        match self.measuring.next() {
            Some(ProbeAct::Lay(places, round)) => {
                self.pattern = Arc::clone(self.measuring.tags(round));
                // A drive of one sector has no stride at its start.
                job.list.set(places.into_iter().filter(|at| at.count > 0));
                self.step = MeasureStep::Laying(Arc::clone(&self.pattern));
            }
            Some(ProbeAct::Flush) => self.step = MeasureStep::Flushing,
            Some(ProbeAct::Read(places)) => {
                job.list.set(places);
                self.step = MeasureStep::Reading(Arc::clone(&self.pattern));
            }
            None => return self.measured(job, now),
        }
        Then::Stay
    }

    fn measured(&self, job: &mut Context, now: Now) -> Then {
        job.tell(Event::Measured { found: Box::new(self.measuring.found().clone()), time: now.wall });
        job.save(now);
        Then::Next
    }
}

impl StageMachine for MeasureStage {
    fn turn(&mut self, _: &mut Context, _: Now) -> StageTurn {
        match self.step {
            MeasureStep::Laying(_) | MeasureStep::Reading(_) => StageTurn::Work,
            MeasureStep::Flushing => StageTurn::Alone(Issued::Flush, Task::Flush),
        }
    }

    fn task(&self, _: &Context, at: Sectors) -> Task {
        match &self.step {
            MeasureStep::Reading(tags) => Task::Tags(at, Arc::clone(tags)),
            MeasureStep::Laying(tags) => Task::Write(at, Arc::clone(tags)),
            MeasureStep::Flushing => Task::Flush,
        }
    }

    fn worked_through(&mut self, job: &mut Context, now: Now) -> Then {
        self.next_act(job, now)
    }

    fn done(&mut self, job: &mut Context, issued: Issued, how: Completed, now: Now) -> Taken {
        match (issued, how, &self.step) {
            (Issued::Flush, Completed::Done, _) => return self.next_act(job, now).into(),
            (Issued::Work(attempt, _), Completed::Done, MeasureStep::Laying(_)) => {
                self.measuring.laid();
                job.advance_by_places(attempt.at, now);
            }
            (Issued::Work(attempt, _), Completed::Tags(met), MeasureStep::Reading(_)) => {
                self.measuring.note(attempt.at.first, &met);
                job.advance_by_places(attempt.at, now);
            }
            _ => return Taken::NotTheAnswer,
        }
        Then::Stay.into()
    }

    /// A stretch that could not be tagged, or not read, is not tried again: this is no pass. After a flush that failed what was
    /// laid is read in any case.
    fn failed(&mut self, job: &mut Context, issued: Issued, _: &MediumError, now: Now) -> Then {
        let Issued::Work(attempt, _) = issued else { return self.next_act(job, now) };
        if matches!(self.step, MeasureStep::Reading(_)) {
            self.measuring.not_read(attempt.at);
        } else {
            self.measuring.not_laid(attempt.at);
        }
        if self.measuring.is_answered() {
            job.list.clear();
        }
        job.meter.mark(now);
        Then::Stay
    }
}

#[cfg(test)]
mod tests {
    use crate::backend::Buffers;
    use crate::testing::Steady;
    use crate::{Checkpoint, Completed, Control, Job, JobStep, Task};
    use jurex_device::media::{Drive, MediaClass};
    use jurex_device::medium::Access;
    use jurex_device::testing::{Fixed, Memory, cleared};
    use jurex_sanitize::evidence::{Ended, Evidence, SizeEvidence, SizeFinding, StageKind};
    use jurex_sanitize::plan::{Order, Plan, SizeCheck};
    use jurex_sanitize::rules::{Edition, Outcome, judge};

    fn order() -> Order {
        Order { size_check: SizeCheck::Yes, ..Order::of_program("test", "55 | ~".parse().unwrap()) }
    }

    fn plan(medium: &Memory) -> Plan {
        Plan::new(&medium.drive, &order(), &mut Fixed(7)).unwrap()
    }

    fn typed(drive: &Drive) -> String {
        drive.unit.serial().map_or_else(|| drive.geometry.sectors.to_string(), |_| "K7Q41M".into())
    }

    /// Lets a job do so many requests, one after another; gives its last checkpoint and, if it came to its end, its evidence.
    fn run(mut job: Job, medium: &mut Memory, clock: &Steady, requests: usize) -> (Option<Box<Checkpoint>>, Option<Evidence>) {
        use crate::Clock;
        let (mut kept, mut buffers) = (None, Buffers::new(64 * 512));
        for _ in 0..requests {
            let (tag, task) = match job.request(clock.now()) {
                JobStep::Do(request) => (request.tag, request.task),
                JobStep::Ended => return (kept, Some(job.into_evidence())),
                other => panic!("{other:?}"),
            };
            kept = job.take_checkpoint().or(kept);
            job.complete(tag, buffers.carry_out(medium, &task), clock.now());
        }
        (job.take_checkpoint().or(kept), None)
    }

    fn begun(medium: &Memory, clock: &Steady) -> Job {
        use crate::Clock;
        let armed = plan(medium).arm(&cleared(&medium.drive), &typed(&medium.drive)).unwrap();
        Job::start(armed, &medium.drive, Access::DIRECT, 64 * 512, clock.now()).unwrap()
    }

    fn gone_on(checkpoint: &Checkpoint, found: &Drive, clock: &Steady) -> Job {
        use crate::Clock;
        let armed = checkpoint.arm(&cleared(found), &typed(found)).unwrap();
        Job::resume(checkpoint, armed, found, Access::DIRECT, 64 * 512, clock.now()).unwrap()
    }

    fn size(evidence: &Evidence) -> &SizeEvidence {
        evidence.size().unwrap()
    }

    #[test]
    fn it_is_asked_before_the_first_pass_and_the_evidence_has_no_key_of_it() {
        let (mut medium, clock) = (Memory::new(MediaClass::RemovableFlash, 5000), Steady::default());
        let (kept, evidence) = run(begun(&medium, &clock), &mut medium, &clock, usize::MAX);
        let evidence = evidence.unwrap();
        assert_eq!(evidence.planned, [StageKind::Measure, StageKind::Overwrite, StageKind::Check]);
        assert!(size(&evidence).is_as_told() && judge(Edition::default(), &evidence).outcome() == Outcome::Clear);
        assert!(medium.bytes.iter().all(|b| *b == 0xaa), "no mark is left");
        let json = serde_json::to_string(&evidence).unwrap();
        assert!(!json.contains("seed") && kept.unwrap().to_json().contains("seed"), "the checkpoint goes on with the same marks");
    }

    #[test]
    fn a_job_that_is_cut_at_any_moment_of_it_asks_anew_and_comes_to_the_same_end() {
        for cut in (0..140).step_by(3) {
            let (mut medium, clock) = (Memory::new(MediaClass::RemovableFlash, 700), Steady::default());
            let (kept, ended) = run(begun(&medium, &clock), &mut medium, &clock, cut);
            assert!(ended.is_none());
            let kept = Checkpoint::from_json(&kept.unwrap().to_json()).unwrap();
            let evidence = run(gone_on(&kept, &medium.drive, &clock), &mut medium, &clock, usize::MAX).1.unwrap();
            evidence.check_soundness().unwrap();
            assert!(size(&evidence).is_as_told(), "cut after {cut}: {:?}", size(&evidence));
            assert_eq!((&evidence.ended, judge(Edition::default(), &evidence).outcome()), (&Ended::Finished, Outcome::Clear));
        }
    }

    #[test]
    fn what_was_found_of_a_drive_that_nothing_names_is_not_believed_of_its_twin() {
        let nameless = |instance: &str| {
            let mut medium = Memory::new(MediaClass::RemovableFlash, 700);
            medium.drive.unit.serial = None;
            medium.drive.attachment.instance = Some(instance.into());
            medium
        };
        let (mut first, clock) = (nameless("boot 1"), Steady::default());
        // Far enough that it has been found out, and a pass is being laid.
        let mut requests = 0;
        let kept = loop {
            requests += 10;
            let (kept, _) = run(begun(&first, &clock), &mut first, &clock, requests);
            match kept {
                Some(kept) if !kept.evidence().passes().is_empty() => break kept,
                _ => assert!(requests < 10_000),
            }
        };
        assert!(size(kept.evidence()).is_as_told());
        // Its twin drops what is written to its second half.
        let mut twin = nameless("boot 2");
        twin.drops_writes_to = (350..700).collect();
        twin.bytes.iter_mut().enumerate().for_each(|(n, byte)| *byte = n as u8);
        let evidence = run(gone_on(&kept, &twin.drive.clone(), &clock), &mut twin, &clock, usize::MAX).1.unwrap();
        assert_eq!(size(&evidence).finding(), SizeFinding::Drops { from: 350 }, "{:?}", size(&evidence));
        assert_eq!(evidence.range().count, 700, "what is still there beyond that is to be overwritten if it can be");
        assert_eq!(judge(Edition::default(), &evidence).outcome(), Outcome::NotSanitized);
    }

    #[test]
    fn a_stop_in_the_middle_of_it_ends_the_job_and_a_missing_flush_is_no_reason_to_believe() {
        use crate::Clock;
        let (mut medium, clock) = (Memory::new(MediaClass::RemovableFlash, 700), Steady::default());
        let mut job = begun(&medium, &clock);
        job.wish(Control::Stop);
        let evidence = run(job, &mut medium, &clock, 9).1.unwrap();
        assert!(evidence.ended == Ended::Stopped && size(&evidence).finding() == SizeFinding::NotProved);
        assert!(medium.writes.iter().all(|n| *n == 0), "stopped before its first write");
        medium.failing_flushes = vec![1, 2, 3];
        let evidence = run(begun(&medium, &clock), &mut medium, &clock, usize::MAX).1.unwrap();
        assert!(size(&evidence).is_as_told(), "what is read past every cache is read: a flush that failed took nothing here");
        // An answer of another kind than the one that was asked for is none.
        let mut job = begun(&medium, &clock);
        let mut asked = 0;
        while asked < 2 {
            let (tag, reads) = match job.request(clock.now()) {
                JobStep::Do(request) => (request.tag, matches!(request.task, Task::Tags(..))),
                other => panic!("{other:?}"),
            };
            asked += u32::from(reads);
            job.complete(tag, Completed::Done, clock.now());
        }
        assert_eq!(job.progress().evidence().size().unwrap().own, 0);
    }
}
