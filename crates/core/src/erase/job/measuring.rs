//! The size check of a job: what it lays and reads, given out act by act.

use super::{Event, Job, Now, Phase};
use crate::erase::measure::{Act, Measuring};
use crate::tag::Tag;
use crate::units::Sectors;

/// What is being done for the size check.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum MeasureStep {
    Laying,
    Flushing,
    Reading,
}

impl Job {
    pub(super) fn begin_measuring(&mut self, now: Now) {
        let Some(measure) = self.plan.measure() else { return self.begin_stage(self.stage + 1, now) };
        let session = self.progress.evidence().last_session();
        self.measuring = Some(Measuring::new(self.geometry(), &measure.tags, session));
        self.tell(Event::MeasureStarted { time: now.wall });
        // Kept before the first write, as before every pass.
        self.save(now);
        self.measure_on(now);
    }

    /// The act before is over: what comes next?
    pub(super) fn measure_on(&mut self, now: Now) {
        self.mark = now.mono;
        let Some(measuring) = &mut self.measuring else { return };
        match measuring.next() {
            Some(Act::Lay(places, round)) => {
                self.pattern = measuring.tags(round).clone();
                // A drive of one sector has no stride at its start.
                self.left = places.into_iter().rev().filter(|at| at.count > 0).collect();
                self.phase = Phase::Measuring(MeasureStep::Laying);
            }
            Some(Act::Flush) => self.phase = Phase::Measuring(MeasureStep::Flushing),
            Some(Act::Read(places)) => {
                self.left = places.into_iter().rev().collect();
                self.phase = Phase::Measuring(MeasureStep::Reading);
            }
            None => self.measured(now),
        }
    }

    fn measured(&mut self, now: Now) {
        let Some(measuring) = self.measuring.take() else { return };
        self.tell(Event::Measured { found: Box::new(measuring.found().clone()), time: now.wall });
        self.save(now);
        self.begin_stage(self.stage + 1, now);
    }

    /// A stretch was tagged.
    pub(super) fn tag_laid(&mut self, at: Sectors, now: Now) {
        self.measuring.iter_mut().for_each(Measuring::laid);
        self.advance_measuring(at, now);
    }

    /// A stretch was read, and told these tags.
    pub(super) fn tags_met(&mut self, at: Sectors, met: &[Tag], now: Now) {
        self.measuring.iter_mut().for_each(|m| m.note(at.first, met));
        self.advance_measuring(at, now);
    }

    /// A stretch could not be tagged, or not read. It is not tried again: this is no pass.
    pub(super) fn not_measured(&mut self, at: Sectors, now: Now) {
        let reading = matches!(self.phase, Phase::Measuring(MeasureStep::Reading));
        if let Some(measuring) = &mut self.measuring {
            if reading {
                measuring.not_read(at);
            } else {
                measuring.not_laid(at);
            }
            if measuring.is_answered() {
                self.left.clear();
            }
        }
        self.mark = now.mono;
    }

    /// Neither counted as work nor timed as the pace of a pass: single sectors here and there are slower than any pass.
    fn advance_measuring(&mut self, at: Sectors, now: Now) {
        let took = now.mono.saturating_sub(self.mark);
        self.mark = now.mono;
        self.advanced.0.insert(at);
        self.advanced.1 += took;
        if self.advanced.1 >= super::TELL_EVERY {
            self.tell_advance();
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::erase::backend::Buffers;
    use crate::erase::{Checkpoint, Completed, Step, Task, Wish};
    use crate::evidence::{Ended, Evidence, Size, SizeEvidence, StageKind};
    use crate::media::{Drive, MediaClass};
    use crate::medium::Access;
    use crate::plan::{Order, Plan, SizeCheck};
    use crate::rules::{Edition, Outcome, judge};
    use crate::testing::{Fixed, Memory, Steady, cleared};

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
        use crate::erase::Clock;
        let (mut kept, mut buffers) = (None, Buffers::new(64 * 512));
        for _ in 0..requests {
            let (tag, task) = match job.request(clock.now()) {
                Step::Do(request) => (request.tag, request.task),
                Step::Ended => return (kept, Some(job.into_evidence())),
                other => panic!("{other:?}"),
            };
            kept = job.take_checkpoint().or(kept);
            job.complete(tag, buffers.carry_out(medium, &task), clock.now());
        }
        (job.take_checkpoint().or(kept), None)
    }

    fn begun(medium: &Memory, clock: &Steady) -> Job {
        use crate::erase::Clock;
        let armed = plan(medium).arm(&cleared(&medium.drive), &typed(&medium.drive)).unwrap();
        Job::start(armed, &medium.drive, Access::DIRECT, 64 * 512, clock.now()).unwrap()
    }

    fn gone_on(checkpoint: &Checkpoint, found: &Drive, clock: &Steady) -> Job {
        use crate::erase::Clock;
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
        assert_eq!(size(&evidence).finding(), Size::Drops { from: 350 }, "{:?}", size(&evidence));
        assert_eq!(evidence.range().count, 700, "what is still there beyond that is to be overwritten if it can be");
        assert_eq!(judge(Edition::default(), &evidence).outcome(), Outcome::NotSanitized);
    }

    #[test]
    fn a_stop_in_the_middle_of_it_ends_the_job_and_a_missing_flush_is_no_reason_to_believe() {
        use crate::erase::Clock;
        let (mut medium, clock) = (Memory::new(MediaClass::RemovableFlash, 700), Steady::default());
        let mut job = begun(&medium, &clock);
        job.wish(Wish::Stop);
        let evidence = run(job, &mut medium, &clock, 9).1.unwrap();
        assert!(evidence.ended == Ended::Stopped && size(&evidence).finding() == Size::NotProved);
        assert!(medium.writes.iter().all(|n| *n == 0), "stopped before its first write");
        medium.failing_flushes = vec![1, 2, 3];
        let evidence = run(begun(&medium, &clock), &mut medium, &clock, usize::MAX).1.unwrap();
        assert!(size(&evidence).is_as_told(), "what is read past every cache is read: a flush that failed took nothing here");
        // An answer of another kind than the one that was asked for is none.
        let mut job = begun(&medium, &clock);
        let mut asked = 0;
        while asked < 2 {
            let (tag, reads) = match job.request(clock.now()) {
                Step::Do(request) => (request.tag, matches!(request.task, Task::Tags(..))),
                other => panic!("{other:?}"),
            };
            asked += u32::from(reads);
            job.complete(tag, Completed::Done, clock.now());
        }
        assert_eq!(job.progress().evidence().size().unwrap().own, 0);
    }
}
