//! Lets a job work by a crew: asks it what to do, starts that, waits, reports, keeps checkpoints, and tells.

use super::checkpoint::Checkpoint;
use super::crew::{Crew, Done, Task};
use super::event::{Activity, Event};
use super::job::{Job, Now, Result, Step, Wish};
use super::tune::Tuner;
use crate::evidence::Evidence;

/// Bytes of one write or read.
pub const CHUNK_BYTES: usize = 1 << 20;

/// Tells the time.
pub trait Clock {
    /// The time now.
    fn now(&self) -> Now;
}

/// Where a person's wishes come from.
pub trait Control {
    /// A new wish, if there is one. Never waits.
    fn poll(&mut self) -> Option<Wish>;
    /// Waits for a new wish while the job is held; may give up after a while with none.
    fn wait(&mut self) -> Option<Wish>;
}

/// Nobody wishes anything: the job runs to its end.
#[derive(Clone, Copy, Debug)]
pub struct Unattended;

impl Control for Unattended {
    fn poll(&mut self) -> Option<Wish> {
        None
    }

    fn wait(&mut self) -> Option<Wish> {
        Some(Wish::GoOn)
    }
}

/// Where checkpoints are kept.
pub trait Keeper {
    /// Keeps the newest checkpoint; the one before it is not needed any more.
    ///
    /// # Errors
    /// Why it is not kept, in the system's words. The job goes on.
    fn keep(&mut self, checkpoint: &Checkpoint) -> std::result::Result<(), String>;
}

/// Checkpoints are not kept: the job can't go on after a cut.
#[derive(Clone, Copy, Debug)]
pub struct NotKept;

impl Keeper for NotKept {
    fn keep(&mut self, _: &Checkpoint) -> std::result::Result<(), String> {
        Ok(())
    }
}

/// Runs `job` by `crew` to its end and gives its evidence. `tell` gets every event, in order, as it happens; `keeper` every
/// checkpoint, before the events that follow it.
pub fn run(
    job: Job,
    crew: &mut dyn Crew,
    clock: &dyn Clock,
    control: &mut dyn Control,
    keeper: &mut dyn Keeper,
    tell: &mut dyn FnMut(&Event),
) -> Evidence {
    Run { job, crew, clock, keeper, tell, tuner: None, in_flight: 0, kept: true }.finish(control)
}

/// A job under way.
struct Run<'r> {
    job: Job,
    crew: &'r mut dyn Crew,
    clock: &'r dyn Clock,
    keeper: &'r mut dyn Keeper,
    tell: &'r mut dyn FnMut(&Event),
    /// The trials of the present activity.
    tuner: Option<(Activity, Tuner)>,
    in_flight: usize,
    /// Whether the last checkpoint was kept: a trouble is told once, not at every checkpoint.
    kept: bool,
}

impl Run<'_> {
    fn finish(mut self, control: &mut dyn Control) -> Evidence {
        let mut setting = self.crew.settings()[0];
        self.crew.set(setting);
        self.job.set_chunk(setting.chunk);
        loop {
            if let Some(wish) = control.poll() {
                self.job.wish(wish);
            }
            // A new setting is taken when nothing is in flight.
            let wanted = self.tuner.as_ref().map_or(setting, |(_, t)| t.setting());
            if wanted != setting && self.in_flight == 0 {
                setting = wanted;
                self.crew.set(setting);
                self.job.set_chunk(setting.chunk);
            }
            let room = wanted == setting && self.in_flight < setting.depth;
            let step = if room { self.job.request(self.clock.now()) } else { Step::Wait };
            match step {
                Step::Do(request) => {
                    let tag = request.tag;
                    self.crew.start(tag, Task::of(&request));
                    self.in_flight += 1;
                    // As much as there is room for is started before anything is waited for.
                    if self.in_flight < setting.depth {
                        continue;
                    }
                    self.take_one();
                }
                Step::Wait | Step::Ended if self.in_flight > 0 => self.take_one(),
                Step::Ended => break,
                Step::Held | Step::Wait => {
                    self.pass_on();
                    control.wait().into_iter().for_each(|w| self.job.wish(w));
                    self.tuner.iter_mut().for_each(|(_, t)| t.disturbed());
                    continue;
                }
            }
            self.pass_on();
        }
        self.pass_on();
        self.job.into_evidence()
    }

    /// Waits for one request to end and reports it.
    fn take_one(&mut self) {
        let Done { tag, result } = self.crew.wait();
        self.in_flight -= 1;
        let now = self.clock.now();
        let was_work = matches!(result, Result::Done | Result::Read { .. });
        let before = self.job.worked_through();
        self.job.complete(tag, result, now);
        let bytes = self.job.worked_through().saturating_sub(before);
        let activity = self.job.progress().activity();
        let tuner = match &mut self.tuner {
            Some((of, tuner)) if *of == activity => tuner,
            other => {
                let tuner = Tuner::new(&self.crew.settings(), self.job.bytes_of_a_pass());
                &mut other.insert((activity, tuner)).1
            }
        };
        match was_work && bytes > 0 {
            true => drop(tuner.note(bytes, now.mono)),
            false => tuner.disturbed(),
        }
    }

    /// Keeps a new checkpoint, then tells what happened.
    fn pass_on(&mut self) {
        if let Some(checkpoint) = self.job.take_checkpoint() {
            let kept = self.keeper.keep(&checkpoint);
            if let (Err(error), true) = (&kept, self.kept) {
                (self.tell)(&Event::NotSaved { error: error.clone() });
            }
            self.kept = kept.is_ok();
        }
        self.job.take_events().iter().for_each(&mut *self.tell);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::erase::Progress;
    use crate::erase::crew::{Alone, Buffers};
    use crate::erase::job::Operation;
    use crate::evidence::Ended;
    use crate::guard;
    use crate::media::MediaClass;
    use crate::medium::MediumError;
    use crate::medium::memory::Memory;
    use crate::notation::Entropy;
    use crate::plan::{Order, Plan, Verification};
    use crate::ranges::RangeSet;
    use crate::rules::{Edition, Outcome, judge};
    use crate::units::{Lba, Sectors};
    use jiff::Timestamp;
    use proptest::prelude::*;
    use std::cell::Cell;
    use std::time::Duration;

    struct Steady(Cell<u64>);
    impl Clock for Steady {
        fn now(&self) -> Now {
            self.0.set(self.0.get() + 1);
            Now { wall: Timestamp::UNIX_EPOCH, mono: Duration::from_millis(self.0.get()) }
        }
    }

    /// Wishes by the number of the poll at which they come.
    #[derive(Default)]
    struct Script {
        polls: usize,
        wishes: Vec<(usize, Wish)>,
    }
    impl Control for Script {
        fn poll(&mut self) -> Option<Wish> {
            self.polls += 1;
            self.wishes.iter().find(|(at, _)| *at == self.polls).map(|(_, w)| *w)
        }
        fn wait(&mut self) -> Option<Wish> {
            Some(Wish::GoOn)
        }
    }

    struct Sevens;
    impl Entropy for Sevens {
        fn fill(&mut self, out: &mut [u8]) {
            out.fill(7);
        }
    }

    fn order(notation: &str) -> Order {
        Order { retries: 1, ..Order::of_program("test", notation.parse().unwrap()) }
    }

    fn job(medium: &Memory, order: &Order, chunk: usize) -> Job {
        let plan = Plan::new(&medium.drive, order, &mut Sevens).unwrap();
        let armed = plan.arm(&guard::check(&medium.drive, &[]).unwrap(), "K7Q41M").unwrap();
        Job::start(armed, &medium.drive, chunk, Steady(Cell::new(0)).now()).unwrap()
    }

    fn erase(medium: &mut Memory, order: &Order, wishes: Vec<(usize, Wish)>) -> (Evidence, Vec<Event>) {
        let job = job(medium, order, 16 * 512);
        let mut events = vec![];
        let mut control = Script { polls: 0, wishes };
        let mut crew = Alone::in_chunks(medium, 16 * 512);
        let evidence = run(job, &mut crew, &Steady(Cell::new(0)), &mut control, &mut NotKept, &mut |e| events.push(e.clone()));
        (evidence, events)
    }

    #[test]
    fn every_sector_exactly_once_a_pass_and_the_bytes_are_the_methods() {
        for sectors in [1, 15, 16, 17, 100] {
            let mut medium = Memory::new(MediaClass::Magnetic, sectors);
            let (evidence, _) = erase(&mut medium, &order("00 | ~ | 92 49 24?"), vec![]);
            assert!(medium.writes.iter().all(|n| *n == 3), "{sectors} sectors: {:?}", medium.writes);
            assert!(medium.bytes.iter().enumerate().all(|(i, b)| *b == [0x92, 0x49, 0x24][i % 3]));
            assert_eq!((medium.flushes, judge(Edition::default(), &evidence).outcome()), (3, Outcome::Clear));
        }
    }

    #[test]
    fn bad_sectors_are_narrowed_down_and_everything_around_them_is_written() {
        let mut medium = Memory::new(MediaClass::Magnetic, 100);
        medium.unwritable = vec![3, 40, 41, 99];
        medium.unreadable = vec![70];
        let (evidence, _) = erase(&mut medium, &order("00"), vec![]);
        assert_eq!(evidence.unwritable().sentence(9), "sector 3, sectors 40 to 41, sector 99");
        assert_eq!(evidence.unreadable().sentence(9), "sector 70");
        // What could not be written still holds its old bytes, and reading back says so.
        assert_eq!(evidence.wrong(), evidence.unwritable());
        let unwritten = medium.bytes.chunks(512).filter(|s| s.iter().any(|b| *b != 0)).count();
        assert_eq!((unwritten, judge(Edition::default(), &evidence).outcome()), (4, Outcome::NotSanitized));
    }

    #[test]
    fn narrowing_stops_at_the_physical_sector() {
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        medium.drive.geometry.physical = 4096;
        medium.unwritable = vec![21];
        let (evidence, _) = erase(&mut medium, &order("00"), vec![]);
        assert_eq!(evidence.unwritable().sentence(9), "sectors 16 to 23");
    }

    #[test]
    fn a_drive_that_drops_writes_is_found_out() {
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        medium.drops_writes_to = vec![33];
        let (evidence, _) = erase(&mut medium, &order("random"), vec![]);
        assert_eq!(evidence.wrong().sentence(9), "sector 33");
        assert_eq!(judge(Edition::default(), &evidence).outcome(), Outcome::NotSanitized);
    }

    #[test]
    fn a_drive_that_goes_away_ends_the_job_with_what_was_done() {
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        medium.gone_after = Some(2);
        let (evidence, _) = erase(&mut medium, &order("00"), vec![]);
        assert!(matches!(evidence.ended, Ended::Gone { .. }));
        assert_eq!(evidence.passes[0].laid.sentence(9), "sectors 0 to 31");
        assert_eq!(judge(Edition::default(), &evidence).outcome(), Outcome::NotSanitized);
    }

    #[test]
    fn holding_loses_nothing_and_stopping_claims_nothing() {
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        let (evidence, events) = erase(&mut medium, &order("00"), vec![(3, Wish::Hold)]);
        assert_eq!(judge(Edition::default(), &evidence).outcome(), Outcome::Clear);
        assert!(events.contains(&Event::Held { celsius: None }) && events.contains(&Event::WentOn));

        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        let (evidence, _) = erase(&mut medium, &order("00"), vec![(3, Wish::Stop)]);
        assert_eq!(
            (evidence.ended.clone(), judge(Edition::default(), &evidence).outcome()),
            (Ended::Stopped, Outcome::NotSanitized)
        );
        assert_eq!((evidence.passes[0].laid.sentence(9).as_str(), medium.flushes), ("sectors 0 to 31", 1));
        assert!(medium.bytes[32 * 512..].iter().all(|b| *b == 0xee), "nothing is written after a stop");
    }

    #[test]
    fn a_range_touches_no_other_sector() {
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        let order = Order { range: Some(Sectors::new(10, 20)), ..order("00") };
        let (evidence, _) = erase(&mut medium, &order, vec![]);
        assert!(medium.writes.iter().enumerate().all(|(i, n)| *n == u32::from((10..30).contains(&i))));
        assert_eq!(judge(Edition::default(), &evidence).outcome(), Outcome::NotSanitized);
    }

    #[test]
    fn without_reading_back_nothing_is_claimed() {
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        let order = Order { verification: Verification::None, ..order("00") };
        assert_eq!(judge(Edition::default(), &erase(&mut medium, &order, vec![]).0).outcome(), Outcome::NotSanitized);
    }

    struct FullDisk(u32);
    impl Keeper for FullDisk {
        fn keep(&mut self, _: &Checkpoint) -> std::result::Result<(), String> {
            self.0 += 1;
            Err("no space left".into())
        }
    }

    #[test]
    fn a_checkpoint_that_cannot_be_kept_is_told_once_and_stops_nothing() {
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        let job = job(&medium, &order("00 | FF"), 16 * 512);
        let (mut keeper, mut told) = (FullDisk(0), vec![]);
        let mut crew = Alone::in_chunks(&mut medium, 16 * 512);
        let clock = Steady(Cell::new(0));
        let evidence = run(job, &mut crew, &clock, &mut Unattended, &mut keeper, &mut |e| told.push(e.clone()));
        assert_eq!(judge(Edition::default(), &evidence).outcome(), Outcome::Clear);
        let not_saved = told.iter().filter(|e| matches!(e, Event::NotSaved { .. })).count();
        assert!(not_saved == 1 && keeper.0 > 1, "told {not_saved} times of {}", keeper.0);
    }

    #[test]
    fn a_slow_place_is_told_apart_from_a_bad_one() {
        /// Three seconds pass between any two looks at it.
        struct Sleepy(Cell<u64>);
        impl Clock for Sleepy {
            fn now(&self) -> Now {
                self.0.set(self.0.get() + 3);
                Now { wall: Timestamp::UNIX_EPOCH, mono: Duration::from_secs(self.0.get()) }
            }
        }
        let mut medium = Memory::new(MediaClass::Magnetic, 32);
        let job = job(&medium, &order("00"), 16 * 512);
        let mut crew = Alone::in_chunks(&mut medium, 16 * 512);
        let evidence = run(job, &mut crew, &Sleepy(Cell::new(0)), &mut Unattended, &mut NotKept, &mut |_| {});
        assert_eq!((evidence.passes[0].slow.sentence(3).as_str(), evidence.unwritable().count()), ("sectors 0 to 31", 0));
        assert_eq!(judge(Edition::default(), &evidence).outcome(), Outcome::Clear);
    }

    #[test]
    fn after_too_many_bad_places_a_drive_is_given_up() {
        let mut medium = Memory::new(MediaClass::Magnetic, 100);
        medium.unwritable = (10..40).collect();
        let order = Order { faults_allowed: 7, ..order("00") };
        let (evidence, _) = erase(&mut medium, &order, vec![]);
        assert_eq!((evidence.ended.clone(), evidence.unwritable().count()), (Ended::GivenUp { faults: 8 }, 8));
        assert_eq!(judge(Edition::default(), &evidence).outcome(), Outcome::NotSanitized);
    }

    #[test]
    fn another_drive_behind_the_same_path_is_refused() {
        let medium = Memory::new(MediaClass::Magnetic, 64);
        let plan = Plan::new(&medium.drive, &order("00"), &mut Sevens).unwrap();
        let armed = plan.arm(&guard::check(&medium.drive, &[]).unwrap(), "K7Q41M").unwrap();
        let mut swapped = medium.drive.clone();
        swapped.identity.serial = Some("OTHER".into());
        assert!(Job::start(armed, &swapped, CHUNK_BYTES, Steady(Cell::new(0)).now()).is_err());
    }

    #[test]
    fn only_the_last_passes_seed_survives_the_job_and_no_event_carries_one() {
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        let (evidence, events) = erase(&mut medium, &order("random | random"), vec![]);
        assert_eq!(evidence.passes.iter().map(|p| p.pattern.is_computable()).collect::<Vec<_>>(), [false, true]);
        assert!(!serde_json::to_string(&events).unwrap().contains("seed"));
    }

    proptest! {
        /// Whatever fails, the evidence is what the events tell, and it never says more than the medium's own bytes do.
        #[test]
        fn evidence_never_exceeds_the_truth(
            sectors in 1u64..120,
            unwritable in prop::collection::vec(0u64..120, 0..6),
            unreadable in prop::collection::vec(0u64..120, 0..6),
            dropped in prop::collection::vec(0u64..120, 0..3),
            gone_after in prop::option::of(0u64..60),
            stop_at in prop::option::of(1usize..60),
        ) {
            let mut medium = Memory::new(MediaClass::Magnetic, sectors);
            (medium.unwritable, medium.unreadable, medium.drops_writes_to, medium.gone_after) = (unwritable, unreadable, dropped, gone_after);
            let (evidence, events) = erase(&mut medium, &order("00 | FF"), stop_at.map(|at| (at, Wish::Stop)).into_iter().collect());
            let mut told = Progress::new(&medium.drive, evidence.range, vec![0, evidence.range.count]);
            events.iter().for_each(|e| told.apply(e));
            prop_assert_eq!(told.evidence(), &evidence);
            let truly = |lba: u64| medium.bytes[lba as usize * 512..][..512].iter().all(|b| *b == 0xff);
            if judge(Edition::default(), &evidence).outcome() > Outcome::NotSanitized {
                prop_assert!((0..sectors).all(truly));
            }
            if let Some(read) = evidence.passes.get(1).and_then(|p| p.read_back.as_ref()) {
                for lba in (0..sectors).filter(|l| read.read.contains(Lba(*l))) {
                    prop_assert_eq!(truly(lba), !read.wrong.contains(Lba(lba)), "sector {}", lba);
                }
            }
        }
    }

    /// Carries out what a job asks for with several requests in flight, reported in an order of the test's choosing.
    struct InAnyOrder<'m> {
        medium: &'m mut Memory,
        depth: usize,
        choices: Vec<usize>,
        in_flight: Vec<(u64, Task)>,
    }

    impl InAnyOrder<'_> {
        fn choose(&mut self, of: usize) -> usize {
            self.choices.pop().unwrap_or(0) % of
        }

        fn run(mut self, mut job: Job) -> Evidence {
            let clock = Steady(Cell::new(0));
            loop {
                let full = self.in_flight.len() >= self.depth;
                let step = if full { Step::Wait } else { job.request(clock.now()) };
                match step {
                    Step::Do(request) => self.in_flight.push((request.tag, Task::of(&request))),
                    Step::Ended => return job.into_evidence(),
                    Step::Held => unreachable!("nobody holds this job"),
                    Step::Wait => {
                        assert!(!self.in_flight.is_empty(), "a job waits for something");
                        let which = self.choose(self.in_flight.len());
                        let (tag, task) = self.in_flight.remove(which);
                        let result = Buffers::new(CHUNK_BYTES).carry_out(self.medium, &task);
                        job.complete(tag, result, clock.now());
                    }
                }
            }
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]
        #[test]
        fn the_order_of_completion_changes_nothing(
            sectors in 1u64..150,
            depth in 1usize..9,
            unwritable in prop::collection::vec(0u64..150, 0..4),
            choices in prop::collection::vec(0usize..8, 0..200),
        ) {
            let mut one = Memory::new(MediaClass::Magnetic, sectors);
            one.unwritable = unwritable.clone();
            let (straight, _) = erase(&mut one, &order("00 | FF"), vec![]);
            let mut many = Memory::new(MediaClass::Magnetic, sectors);
            many.unwritable = unwritable;
            let job = job(&many, &order("00 | FF"), 16 * 512);
            let reordered = InAnyOrder { medium: &mut many, depth, choices, in_flight: vec![] }.run(job);
            prop_assert_eq!(&one.bytes, &many.bytes);
            prop_assert_eq!(judge(Edition::default(), &straight), judge(Edition::default(), &reordered));
            for (a, b) in straight.passes.iter().zip(&reordered.passes) {
                prop_assert_eq!((&a.laid, &a.unwritable, &a.read_back), (&b.laid, &b.unwritable, &b.read_back));
            }
        }
    }

    #[test]
    fn a_late_report_after_the_end_changes_nothing() {
        let medium = Memory::new(MediaClass::Magnetic, 64);
        let mut job = job(&medium, &order("00"), 16 * 512);
        let now = Steady(Cell::new(0)).now();
        let tags: Vec<u64> = (0..2)
            .map(|_| match job.request(now) {
                Step::Do(r) => r.tag,
                other => panic!("{other:?}"),
            })
            .collect();
        let gone = MediumError {
            op: crate::medium::Op::Write,
            at: None,
            cause: crate::medium::Cause::Gone(std::io::Error::other("pulled")),
        };
        job.complete(tags[0], Result::Failed(gone), now);
        job.complete(tags[1], Result::Done, now);
        job.complete(99, Result::Done, now);
        assert!(matches!(job.request(now), Step::Ended));
        let evidence = job.into_evidence();
        assert!(evidence.passes[0].laid.is_empty() && matches!(evidence.ended, Ended::Gone { .. }));
    }

    #[test]
    fn a_write_that_is_reported_as_a_read_proves_nothing() {
        let medium = Memory::new(MediaClass::Magnetic, 16);
        let mut job = job(&medium, &order("00"), 16 * 512);
        let now = Steady(Cell::new(0)).now();
        for _ in 0..3 {
            let Step::Do(request) = job.request(now) else { panic!("the same work is given out again") };
            assert!(matches!(request.operation, Operation::Write(at, _) if at == Sectors::new(0, 16)));
            let tag = request.tag;
            job.complete(tag, Result::Read { wrong: RangeSet::new() }, now);
        }
        assert!(job.progress().evidence().passes[0].laid.is_empty());
    }
}
