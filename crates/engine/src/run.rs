//! Lets a job work by a backend: asks it what to do, starts that, waits, reports, keeps checkpoints, and tells.

use super::backend::Backend;
use super::checkpoint::Checkpoint;
use super::event::{Activity, Event};
use super::job::{Completed, Control, Job, JobStep, Now};
use super::requests::{LEFT_AFTER, LOOK_EVERY, Requests, SILENT, Waited};
use super::saved::CheckpointSaved;
use jurex_sanitize::evidence::Evidence;
use std::time::Duration;

/// Bytes of one write or read.
pub const CHUNK_BYTES: usize = 1 << 20;

/// Tells the time.
pub trait Clock {
    /// The time now.
    fn now(&self) -> Now;

    /// Lets so much time pass.
    fn sleep(&self, so_long: Duration) {
        std::thread::sleep(so_long);
    }
}

/// Where a person's wishes come from.
pub trait JobControl {
    /// A new wish, if there is one. Never waits.
    fn poll(&mut self) -> Option<Control>;
    /// Waits for a new wish while the job is held; may give up after a while with none.
    fn wait(&mut self) -> Option<Control>;
}

/// Nobody wishes anything: the job runs to its end.
#[derive(Clone, Copy, Debug)]
pub struct Unattended;

impl JobControl for Unattended {
    fn poll(&mut self) -> Option<Control> {
        None
    }

    fn wait(&mut self) -> Option<Control> {
        Some(Control::GoOn)
    }
}

/// Where checkpoints are kept.
pub trait CheckpointStore {
    /// Keeps the newest checkpoint; the one before it is not needed any more.
    ///
    /// # Errors
    /// Why it is not kept. The job goes on.
    fn keep(&mut self, checkpoint: &Checkpoint) -> Result<(), KeepError>;
}

/// Why a checkpoint is not kept.
#[derive(Debug, thiserror::Error)]
#[error("{0}")]
pub struct KeepError(#[source] pub Box<dyn std::error::Error + Send + Sync>);

/// Checkpoints are not kept: the job can't go on after a cut.
#[derive(Clone, Copy, Debug)]
pub struct NotKept;

impl CheckpointStore for NotKept {
    fn keep(&mut self, _: &Checkpoint) -> Result<(), KeepError> {
        Ok(())
    }
}

/// Runs `job` by `backend` to its end and gives its evidence. `tell` gets every event, in order, as it happens; `store` every
/// checkpoint. Both have what a request rests on before it is begun.
pub fn run(
    job: Job,
    backend: &mut dyn Backend,
    clock: &dyn Clock,
    control: &mut dyn JobControl,
    store: &mut dyn CheckpointStore,
    tell: &mut dyn FnMut(&Event),
) -> Evidence {
    JobRun {
        job,
        requests: Requests::new(backend, clock),
        clock,
        store,
        tell,
        tuned: None,
        chunk: 0,
        kept: true,
        silence_told: Duration::ZERO,
        left: false,
    }
    .finish(control)
}

/// A job under way.
struct JobRun<'r> {
    job: Job,
    requests: Requests<'r>,
    clock: &'r dyn Clock,
    store: &'r mut dyn CheckpointStore,
    tell: &'r mut dyn FnMut(&Event),
    /// The activity that settings are tried for.
    tuned: Option<Activity>,
    /// Bytes of a request, as the job was last told.
    chunk: usize,
    /// Whether the last checkpoint was kept: a trouble is told once, not at every checkpoint.
    kept: bool,
    /// The silence that was told last.
    silence_told: Duration,
    /// Whether a drive that does not answer was left with requests in flight.
    left: bool,
}

impl JobRun<'_> {
    fn finish(mut self, control: &mut dyn JobControl) -> Evidence {
        loop {
            if let Some(wish) = control.poll() {
                self.job.wish(wish);
            }
            let room = self.requests.has_room();
            let chunk = self.requests.setting().chunk;
            if std::mem::replace(&mut self.chunk, chunk) != chunk {
                self.job.set_chunk(chunk);
            }
            let step = match (self.left, room) {
                (true, _) => JobStep::Ended,
                (false, true) => self.job.request(self.clock.now()),
                (false, false) => JobStep::Wait,
            };
            match step {
                JobStep::Do(request) => {
                    let (tag, task) = (request.tag, request.task);
                    // What must be kept and told before the request is begun.
                    self.pass_on();
                    self.requests.begin(tag, task);
                    // As much as there is room for is started before anything is waited for.
                    if self.requests.has_room() {
                        continue;
                    }
                    self.take_one();
                }
                // A job that has left its drive waits for nothing that is still in flight.
                JobStep::Ended if self.requests.are_none() || self.left => break,
                JobStep::Wait | JobStep::Ended if !self.requests.are_none() => self.take_one(),
                JobStep::Keep => {}
                JobStep::Until(so_long) => {
                    self.pass_on();
                    // Wishes are looked at meanwhile.
                    self.clock.sleep(so_long.min(LOOK_EVERY));
                    continue;
                }
                JobStep::Held | JobStep::Wait | JobStep::Ended => {
                    self.pass_on();
                    control.wait().into_iter().for_each(|w| self.job.wish(w));
                    self.requests.disturbed();
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
        let (done, now) = match self.requests.wait() {
            Waited::Done(done, now) => (done, now),
            Waited::Silent(so_long, now) => return self.nothing_came(so_long, now),
        };
        self.silence_told = Duration::ZERO;
        let was_work = matches!(done.how, Completed::Done | Completed::Read { .. });
        let before = self.job.worked_through();
        self.job.complete(done.tag, done.how, now);
        let bytes = self.job.worked_through().saturating_sub(before);
        let activity = self.job.progress().activity();
        if self.tuned != Some(activity) {
            self.tuned = Some(activity);
            self.requests.tune(self.job.bytes_of_a_pass());
        }
        if was_work && bytes > 0 {
            self.requests.moved(bytes, now);
        } else {
            self.requests.disturbed();
        }
    }

    /// The drive owes an answer. It may be trying hard, or hang: that is told, and a job that is to be stopped leaves it.
    fn nothing_came(&mut self, silent: Duration, now: Now) {
        if silent >= self.silence_told + SILENT {
            self.silence_told = silent;
            self.job.tell_no_answer(silent);
        }
        if self.job.is_done_with_the_drive() && self.job.may_be_left() && silent >= LEFT_AFTER {
            self.job.leave(silent, now);
            self.left = true;
        }
    }

    /// Keeps a new checkpoint, then tells what happened.
    fn pass_on(&mut self) {
        if let Some(checkpoint) = self.job.take_checkpoint() {
            let kept = CheckpointSaved::of(self.store, &checkpoint);
            if let (Err(error), true) = (&kept, self.kept) {
                (self.tell)(&Event::NotSaved { error: error.to_string() });
            }
            self.kept = kept.is_ok();
            self.job.kept(kept, self.clock.now());
        }
        self.job.take_events().iter().for_each(&mut *self.tell);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Progress;
    use crate::backend::{Buffers, Done, RequestSetting, Sequential, Trials};
    use crate::job::Task;
    use crate::testing::Steady;
    use jiff::Timestamp;
    use jurex_device::media::MediaClass;
    use jurex_device::medium::{Access, MediumError};
    use jurex_device::testing::{Fixed, Memory, cleared};
    use jurex_pattern::ranges::RangeSet;
    use jurex_pattern::units::{Lba, Sectors};
    use jurex_sanitize::evidence::Ended;
    use jurex_sanitize::plan::{Order, Plan, Verification};
    use jurex_sanitize::rules::{Edition, Outcome, judge};
    use proptest::prelude::*;
    use std::cell::Cell;

    /// Wishes by the number of the poll at which they come.
    #[derive(Default)]
    struct Script {
        polls: usize,
        wishes: Vec<(usize, Control)>,
    }
    impl JobControl for Script {
        fn poll(&mut self) -> Option<Control> {
            self.polls += 1;
            self.wishes.iter().find(|(at, _)| *at == self.polls).map(|(_, w)| *w)
        }
        fn wait(&mut self) -> Option<Control> {
            Some(Control::GoOn)
        }
    }

    fn order(notation: &str) -> Order {
        Order { retries: 1, ..Order::of_program("test", notation.parse().unwrap()) }
    }

    fn job(medium: &Memory, order: &Order, chunk: usize) -> Job {
        let plan = Plan::new(&medium.drive, order, &mut Fixed(7)).unwrap();
        let armed = plan.arm(&cleared(&medium.drive), "K7Q41M").unwrap();
        Job::start(armed, &medium.drive, Access::DIRECT, chunk, Steady::default().now()).unwrap()
    }

    fn erase(medium: &mut Memory, order: &Order, wishes: Vec<(usize, Control)>) -> (Evidence, Vec<Event>) {
        let job = job(medium, order, 16 * 512);
        let mut events = vec![];
        let mut control = Script { polls: 0, wishes };
        let mut backend = Sequential::in_chunks(medium, 16 * 512);
        let evidence = run(job, &mut backend, &Steady::default(), &mut control, &mut NotKept, &mut |e| events.push(e.clone()));
        (evidence, events)
    }

    fn outcome(evidence: &Evidence) -> Outcome {
        judge(Edition::default(), evidence).outcome()
    }

    #[test]
    fn every_sector_exactly_once_a_pass_and_the_bytes_are_the_methods() {
        for sectors in [1, 15, 16, 17, 100] {
            let mut medium = Memory::new(MediaClass::Magnetic, sectors);
            let (evidence, _) = erase(&mut medium, &order("00 | ~ | 92 49 24?"), vec![]);
            assert!(medium.writes.iter().all(|n| *n == 3), "{sectors} sectors: {:?}", medium.writes);
            assert!(medium.bytes.iter().enumerate().all(|(i, b)| *b == [0x92, 0x49, 0x24][i % 3]));
            assert_eq!((medium.flushes, outcome(&evidence)), (3, Outcome::Clear));
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
        assert_eq!((unwritten, outcome(&evidence)), (4, Outcome::NotSanitized));
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
        assert_eq!(outcome(&evidence), Outcome::NotSanitized);
    }

    #[test]
    fn a_drive_that_goes_away_ends_the_job_with_what_was_done() {
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        medium.gone_after = Some(2);
        let (evidence, _) = erase(&mut medium, &order("00"), vec![]);
        assert!(matches!(evidence.ended, Ended::Gone { .. }));
        assert_eq!(evidence.passes()[0].laid.sentence(9), "sectors 0 to 31");
        assert_eq!(outcome(&evidence), Outcome::NotSanitized);
    }

    #[test]
    fn holding_loses_nothing_and_stopping_claims_nothing() {
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        let (evidence, events) = erase(&mut medium, &order("00"), vec![(3, Control::Hold)]);
        assert_eq!(outcome(&evidence), Outcome::Clear);
        assert!(events.contains(&Event::Held { celsius: None }) && events.contains(&Event::WentOn));

        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        let (evidence, _) = erase(&mut medium, &order("00"), vec![(3, Control::Stop)]);
        assert_eq!((evidence.ended.clone(), outcome(&evidence)), (Ended::Stopped, Outcome::NotSanitized));
        assert_eq!((evidence.passes()[0].laid.sentence(9).as_str(), medium.flushes), ("sectors 0 to 31", 1));
        assert!(medium.bytes[32 * 512..].iter().all(|b| *b == 0xee), "nothing is written after a stop");
    }

    #[test]
    fn a_range_touches_no_other_sector() {
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        let order = Order { range: Some(Sectors::new(10, 20)), ..order("00") };
        let (evidence, _) = erase(&mut medium, &order, vec![]);
        assert!(medium.writes.iter().enumerate().all(|(i, n)| *n == u32::from((10..30).contains(&i))));
        assert_eq!(outcome(&evidence), Outcome::NotSanitized);
    }

    #[test]
    fn without_reading_back_nothing_is_claimed() {
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        let order = Order { verification: Verification::None, ..order("00") };
        assert_eq!(judge(Edition::default(), &erase(&mut medium, &order, vec![]).0).outcome(), Outcome::NotSanitized);
    }

    struct FullDisk(u32);
    impl CheckpointStore for FullDisk {
        fn keep(&mut self, _: &Checkpoint) -> Result<(), KeepError> {
            self.0 += 1;
            Err(KeepError("no space left".into()))
        }
    }

    #[test]
    fn a_checkpoint_that_cannot_be_kept_is_told_once_and_stops_nothing() {
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        let job = job(&medium, &order("00 | FF"), 16 * 512);
        let (mut store, mut told) = (FullDisk(0), vec![]);
        let mut backend = Sequential::in_chunks(&mut medium, 16 * 512);
        let clock = Steady::default();
        let evidence = run(job, &mut backend, &clock, &mut Unattended, &mut store, &mut |e| told.push(e.clone()));
        assert_eq!(outcome(&evidence), Outcome::Clear);
        let not_saved = told.iter().filter(|e| matches!(e, Event::NotSaved { .. })).count();
        assert!(not_saved == 1 && store.0 > 1, "told {not_saved} times of {}", store.0);
    }

    #[test]
    fn a_place_that_takes_much_longer_than_usual_is_slow_and_a_slow_drive_is_not() {
        /// So many seconds pass between two looks at it: once, or always.
        struct Sleepy {
            looks: Cell<u64>,
            seconds: Cell<u64>,
            once_at: Option<u64>,
        }
        impl Clock for Sleepy {
            fn now(&self) -> Now {
                self.looks.set(self.looks.get() + 1);
                let sleeps = self.once_at.is_none_or(|at| at == self.looks.get());
                self.seconds.set(self.seconds.get() + if sleeps { 3000 } else { 10 });
                Now { wall: Timestamp::UNIX_EPOCH, mono: Duration::from_millis(self.seconds.get()) }
            }
        }
        let slow = |once_at| {
            let mut medium = Memory::new(MediaClass::Magnetic, 128);
            let job = job(&medium, &order("00"), 16 * 512);
            let mut backend = Sequential::in_chunks(&mut medium, 16 * 512);
            let clock = Sleepy { looks: Cell::new(0), seconds: Cell::new(0), once_at };
            let evidence = run(job, &mut backend, &clock, &mut Unattended, &mut NotKept, &mut |_| {});
            assert_eq!((evidence.unwritable().count(), outcome(&evidence)), (0, Outcome::Clear));
            evidence.passes()[0].slow.count()
        };
        assert_eq!(slow(Some(10)), 16);
        assert_eq!(slow(None), 16, "only the first, before anything is usual");
    }

    #[test]
    fn after_too_many_bad_places_a_drive_is_given_up() {
        let mut medium = Memory::new(MediaClass::Magnetic, 100);
        medium.unwritable = (10..40).collect();
        let order = Order { faults_allowed: 7, ..order("00") };
        let (evidence, _) = erase(&mut medium, &order, vec![]);
        assert_eq!((evidence.ended.clone(), evidence.unwritable().count()), (Ended::GivenUp { faults: 8 }, 8));
        assert_eq!(outcome(&evidence), Outcome::NotSanitized);
    }

    #[test]
    fn another_drive_behind_the_same_path_is_refused() {
        let medium = Memory::new(MediaClass::Magnetic, 64);
        let plan = Plan::new(&medium.drive, &order("00"), &mut Fixed(7)).unwrap();
        let armed = plan.arm(&cleared(&medium.drive), "K7Q41M").unwrap();
        let mut swapped = medium.drive.clone();
        swapped.unit.serial = Some("OTHER".into());
        assert!(Job::start(armed, &swapped, Access::DIRECT, CHUNK_BYTES, Steady::default().now()).is_err());
        let mut put_back = medium.drive.clone();
        put_back.attachment.instance = Some("boot 7".into());
        let mut planned = medium.drive.clone();
        planned.attachment.instance = Some("boot 6".into());
        let armed = Plan::new(&planned, &order("00"), &mut Fixed(7)).unwrap().arm(&cleared(&planned), "K7Q41M").unwrap();
        assert!(
            Job::start(armed, &put_back, Access::DIRECT, CHUNK_BYTES, Steady::default().now()).is_err(),
            "a twin put in its place"
        );
    }

    #[test]
    fn only_the_last_passes_seed_survives_the_job_and_no_event_carries_one() {
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        let (evidence, events) = erase(&mut medium, &order("random | random"), vec![]);
        assert_eq!(evidence.passes().iter().map(|p| p.pattern.is_computable()).collect::<Vec<_>>(), [false, true]);
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
            let (evidence, events) = erase(&mut medium, &order("00 | FF"), stop_at.map(|at| (at, Control::Stop)).into_iter().collect());
            let plan = Plan::new(&medium.drive, &order("00 | FF"), &mut Fixed(7)).unwrap();
            let mut told = Progress::of_plan(&plan);
            events.iter().for_each(|e| told.apply(e));
            prop_assert_eq!(told.evidence(), &evidence);
            let truly = |lba: u64| medium.bytes[lba as usize * 512..][..512].iter().all(|b| *b == 0xff);
            if outcome(&evidence) > Outcome::NotSanitized {
                prop_assert!((0..sectors).all(truly));
            }
            if let Some(read) = evidence.reading_of(1) {
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
            let clock = Steady::default();
            loop {
                let full = self.in_flight.len() >= self.depth;
                let step = if full { JobStep::Wait } else { job.request(clock.now()) };
                match step {
                    JobStep::Do(request) => self.in_flight.push((request.tag, request.task)),
                    JobStep::Ended => return job.into_evidence(),
                    JobStep::Held | JobStep::Keep | JobStep::Until(_) => {
                        unreachable!("nobody holds this job, and it talks to no drive")
                    }
                    JobStep::Wait => {
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
            for (n, (a, b)) in straight.passes().iter().zip(reordered.passes()).enumerate() {
                prop_assert_eq!((&a.laid, &a.unwritable, straight.reading_of(n)), (&b.laid, &b.unwritable, reordered.reading_of(n)));
            }
        }
    }

    #[test]
    fn a_late_report_after_the_end_changes_nothing() {
        let medium = Memory::new(MediaClass::Magnetic, 64);
        let mut job = job(&medium, &order("00"), 16 * 512);
        let now = Steady::default().now();
        let tags: Vec<u64> = (0..2)
            .map(|_| match job.request(now) {
                JobStep::Do(r) => r.tag,
                other => panic!("{other:?}"),
            })
            .collect();
        let gone = MediumError {
            op: jurex_device::medium::Op::Write,
            at: None,
            cause: jurex_device::medium::Cause::Gone(std::io::Error::other("pulled")),
        };
        job.complete(tags[0], Completed::Failed(gone), now);
        job.complete(tags[1], Completed::Done, now);
        job.complete(99, Completed::Done, now);
        assert!(matches!(job.request(now), JobStep::Ended));
        let evidence = job.into_evidence();
        assert!(evidence.passes()[0].laid.is_empty() && matches!(evidence.ended, Ended::Gone { .. }));
    }

    #[test]
    fn a_write_that_is_reported_as_a_read_proves_nothing() {
        let medium = Memory::new(MediaClass::Magnetic, 16);
        let mut job = job(&medium, &order("00"), 16 * 512);
        let now = Steady::default().now();
        for _ in 0..3 {
            let JobStep::Do(request) = job.request(now) else { panic!("the same work is given out again") };
            assert!(matches!(request.task, Task::Write(at, _) if at == Sectors::new(0, 16)));
            let tag = request.tag;
            job.complete(tag, Completed::Read { wrong: RangeSet::new() }, now);
        }
        assert!(job.progress().evidence().passes()[0].laid.is_empty());
    }

    /// A backend over memory that carries out several requests at once, in settings that are tried for a moment, and
    /// merges requests that touch as the kernel does: one bad sector then fails them all.
    struct Merging<'m> {
        medium: &'m mut Memory,
        settings: Vec<RequestSetting>,
        setting: RequestSetting,
        queue: Vec<(u64, Task)>,
        done: Vec<Done>,
        started: &'m Cell<u64>,
        log: Vec<&'static str>,
    }

    impl Merging<'_> {
        fn place(task: &Task) -> Option<Sectors> {
            match task {
                Task::Write(at, _) | Task::ReadBack(at, _) | Task::Digest(at, _) | Task::Tags(at, _) => Some(*at),
                Task::Probe(at) | Task::Search(at) => Some(*at),
                Task::Flush | Task::Identify | Task::Ask(_) | Task::Change(_) | Task::Rescan | Task::Beside(..) => None,
            }
        }

        /// Carries out everything that waits, touching requests of one kind together.
        fn carry_out(&mut self) {
            let mut queue = std::mem::take(&mut self.queue);
            queue.sort_by_key(|(_, t)| Self::place(t).map(|p| p.first));
            let bad = |m: &Memory, task: &Task, at: Sectors| {
                let list = if matches!(task, Task::Write(..)) { &m.unwritable } else { &m.unreadable };
                list.iter().any(|l| at.contains(Lba(*l)))
            };
            let mut runs: Vec<Vec<(u64, Task)>> = vec![];
            for entry in queue {
                let end = runs.last().and_then(|r| r.last()).and_then(|(_, t)| Self::place(t)).map(|p| p.end());
                match (end, Self::place(&entry.1)) {
                    (Some(end), Some(next)) if end == next.first.0 => runs.last_mut().unwrap().push(entry),
                    _ => runs.push(vec![entry]),
                }
            }
            for run in runs {
                let fails = run.iter().any(|(_, t)| Self::place(t).is_some_and(|at| bad(self.medium, t, at)));
                for (tag, task) in run {
                    let how = if fails {
                        let cause = jurex_device::medium::Cause::BadSector(std::io::Error::other("merged"));
                        Completed::Failed(MediumError { op: jurex_device::medium::Op::Write, at: None, cause })
                    } else {
                        Buffers::new(1 << 20).carry_out(self.medium, &task)
                    };
                    self.done.push(Done { tag, how });
                }
            }
            self.done.reverse();
        }
    }

    impl Backend for Merging<'_> {
        fn settings(&self) -> Vec<RequestSetting> {
            self.settings.clone()
        }
        fn trials(&self) -> Trials {
            Trials { shortest: Duration::ZERO, longest: Duration::from_millis(40), enough: 8 * 512 }
        }
        fn set(&mut self, setting: RequestSetting) {
            assert!(self.queue.is_empty() && self.done.is_empty(), "a setting changes only when nothing is in flight");
            self.setting = setting;
        }
        fn start(&mut self, tag: u64, task: Task) {
            if let Some(at) = Self::place(&task) {
                let bytes = at.count as usize * 512;
                assert!(bytes <= self.setting.chunk, "{at} is larger than the setting's {} bytes", self.setting.chunk);
            }
            self.started.set(self.started.get() + 1);
            self.log.push(if matches!(task, Task::Write(..)) { "write" } else { "other" });
            assert!(self.queue.len() + self.done.len() < self.setting.depth, "no more in flight than the setting allows");
            self.queue.push((tag, task));
        }
        fn wait(&mut self, _: Duration) -> Option<Done> {
            if self.done.is_empty() {
                self.carry_out();
            }
            self.done.pop()
        }
    }

    fn merged(medium: &mut Memory, order: &Order, settings: &[(usize, usize)]) -> Evidence {
        let job = job(medium, order, settings[0].0);
        let settings: Vec<RequestSetting> =
            settings.iter().map(|(chunk, depth)| RequestSetting { chunk: *chunk, depth: *depth }).collect();
        let started = Cell::new(0);
        let mut backend =
            Merging { medium, setting: settings[0], settings, queue: vec![], done: vec![], started: &started, log: vec![] };
        run(job, &mut backend, &Steady::default(), &mut Unattended, &mut NotKept, &mut |_| {})
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(200))]
        #[test]
        fn with_many_in_flight_and_settings_that_change_only_the_bad_sectors_fail(
            sectors in 200u64..900,
            unwritable in prop::collection::btree_set(0u64..900, 0..6),
            unreadable in prop::collection::btree_set(0u64..900, 0..4),
            settings in prop::collection::vec((1usize..64, 2usize..9), 1..4),
        ) {
            let mut medium = Memory::new(MediaClass::Magnetic, sectors);
            let on_drive = |set: &std::collections::BTreeSet<u64>| set.iter().copied().filter(|l| *l < sectors).collect::<Vec<_>>();
            (medium.unwritable, medium.unreadable) = (on_drive(&unwritable), on_drive(&unreadable));
            let settings: Vec<_> = settings.iter().map(|(chunk, depth)| (chunk * 512, *depth)).collect();
            let evidence = merged(&mut medium, &order("00"), &settings);
            let set = |list: &[u64]| list.iter().map(|l| Sectors::new(*l, 1)).collect::<RangeSet>();
            prop_assert_eq!(evidence.unwritable(), set(&medium.unwritable));
            prop_assert_eq!(evidence.unreadable(), set(&medium.unreadable));
            for lba in 0..sectors {
                let held = medium.bytes[lba as usize * 512] == 0;
                prop_assert_eq!(held, !medium.unwritable.contains(&lba), "sector {}: good neighbours are written", lba);
            }
            prop_assert_eq!(evidence.ended.clone(), Ended::Finished);
        }
    }

    #[test]
    fn a_drive_that_answers_nothing_any_more_has_no_bad_sectors_and_can_go_on() {
        let mut medium = Memory::new(MediaClass::Magnetic, 20_000);
        medium.dead_after = Some(200);
        let (evidence, _) = erase(&mut medium, &order("00"), vec![]);
        assert!(matches!(evidence.ended, Ended::StoppedAnswering { .. }) && evidence.ended.can_go_on(), "{:?}", evidence.ended);
        assert!(evidence.unwritable().is_empty(), "what was not answered is not a bad sector: {:?}", evidence.unwritable());
        assert!(!evidence.passes()[0].laid.is_empty() && outcome(&evidence) == Outcome::NotSanitized);
    }

    #[test]
    fn a_large_bad_patch_of_a_drive_that_answers_elsewhere_is_bad() {
        let mut medium = Memory::new(MediaClass::Magnetic, 4000);
        medium.unwritable = (1000..1100).collect();
        let (evidence, events) = erase(&mut medium, &order("00"), vec![]);
        assert_eq!((evidence.unwritable().sentence(2).as_str(), &evidence.ended), ("sectors 1000 to 1099", &Ended::Finished));
        assert!(events.contains(&Event::AnswersElsewhere));
        medium.unwritable = vec![];
        medium.unreadable = (0..4000).collect();
        let (evidence, _) = erase(&mut medium, &order("00"), vec![]);
        assert!(matches!(evidence.ended, Ended::StoppedAnswering { .. }), "not one place can be read: {:?}", evidence.ended);
    }

    #[test]
    fn a_failed_flush_is_not_forgiven_by_a_later_good_one() {
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        medium.failing_flushes = vec![1];
        // Holding flushes for a checkpoint: that flush fails, the one at the pass's end does not.
        let (evidence, events) = erase(&mut medium, &order("00"), vec![(3, Control::Hold)]);
        assert!(medium.flushes >= 2 && events.iter().any(|e| matches!(e, Event::FlushFailed { .. })));
        assert!(
            !evidence.passes()[0].flushed && outcome(&evidence) == Outcome::NotSanitized,
            "{:?}",
            evidence.passes()[0].flush_error
        );
        medium.failing_flushes = vec![];
        let (evidence, _) = erase(&mut medium, &order("00"), vec![]);
        assert_eq!(outcome(&evidence), Outcome::Clear, "laid anew, it is proved");
    }

    #[test]
    fn wrong_sectors_have_a_budget_and_are_told_as_places_not_one_by_one() {
        let mut medium = Memory::new(MediaClass::Magnetic, 2000);
        medium.drops_writes_to = (500..2000).collect();
        let (evidence, events) = erase(&mut medium, &order("00"), vec![]);
        let told = events.iter().filter(|e| matches!(e, Event::Fault { .. })).count();
        assert!(evidence.wrong().count() == 1500 && told < 5, "{told} events");
        medium.drops_writes_to = (0..2000).step_by(2).collect();
        let (evidence, _) = erase(&mut medium, &Order { faults_allowed: 100, ..order("00") }, vec![]);
        assert!(matches!(evidence.ended, Ended::GivenUp { faults: 101.. }), "{:?}", evidence.ended);
    }

    #[test]
    fn what_a_write_rests_on_is_kept_and_told_before_it() {
        struct Kept<'k>(&'k Cell<u64>, &'k Cell<u64>);
        impl CheckpointStore for Kept<'_> {
            fn keep(&mut self, _: &Checkpoint) -> Result<(), KeepError> {
                if self.1.get() == u64::MAX {
                    self.1.set(self.0.get());
                }
                Ok(())
            }
        }
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        let job = job(&medium, &order("00"), 16 * 512);
        let (started, kept_at) = (Cell::new(0), Cell::new(u64::MAX));
        let setting = RequestSetting { chunk: 16 * 512, depth: 4 };
        let mut backend = Merging {
            medium: &mut medium,
            settings: vec![setting],
            setting,
            queue: vec![],
            done: vec![],
            started: &started,
            log: vec![],
        };
        let mut first_told = None;
        run(job, &mut backend, &Steady::default(), &mut Unattended, &mut Kept(&started, &kept_at), &mut |e| {
            if matches!(e, Event::PassStarted { .. }) {
                first_told.get_or_insert(started.get());
            }
        });
        assert_eq!(
            (kept_at.get(), first_told),
            (0, Some(0)),
            "requests begun before the first checkpoint, and before the pass was told"
        );
        assert!(backend.log.contains(&"write"));
    }

    #[test]
    fn a_drive_that_owes_an_answer_is_told_of_and_left_by_a_job_that_is_to_be_stopped() {
        /// Takes requests and never ends one.
        struct Hung(RequestSetting);
        impl Backend for Hung {
            fn settings(&self) -> Vec<RequestSetting> {
                vec![self.0]
            }
            fn set(&mut self, _: RequestSetting) {}
            fn start(&mut self, _: u64, _: Task) {}
            fn wait(&mut self, _: Duration) -> Option<Done> {
                None
            }
        }
        struct Seconds(Cell<u64>);
        impl Clock for Seconds {
            fn now(&self) -> Now {
                self.0.set(self.0.get() + 1);
                Now { wall: Timestamp::UNIX_EPOCH, mono: Duration::from_secs(self.0.get()) }
            }
        }
        let medium = Memory::new(MediaClass::Magnetic, 640);
        let job = job(&medium, &order("00"), 16 * 512);
        let mut events = vec![];
        let mut control = Script { polls: 0, wishes: vec![(100, Control::Stop)] };
        let mut hung = Hung(RequestSetting { chunk: 16 * 512, depth: 4 });
        let evidence = run(job, &mut hung, &Seconds(Cell::new(0)), &mut control, &mut NotKept, &mut |e| events.push(e.clone()));
        assert!(matches!(evidence.ended, Ended::StoppedAnswering { .. }) && evidence.passes()[0].laid.is_empty());
        assert!(events.iter().any(|e| matches!(e, Event::NoAnswer { .. })));
    }

    #[test]
    fn an_object_that_changed_under_the_job_is_not_this_object() {
        /// Says at the end that it is another.
        struct Swapped<'m>(Sequential<&'m mut Memory>, Option<Done>);
        impl Backend for Swapped<'_> {
            fn settings(&self) -> Vec<RequestSetting> {
                self.0.settings()
            }
            fn set(&mut self, _: RequestSetting) {}
            fn start(&mut self, tag: u64, task: Task) {
                if matches!(task, Task::Identify) {
                    let mut other = jurex_device::testing::test_drive(MediaClass::Magnetic, 64);
                    other.geometry.sectors = 128;
                    self.1 = Some(Done { tag, how: Completed::Identified(Box::new(other)) });
                } else {
                    self.0.start(tag, task);
                }
            }
            fn wait(&mut self, patience: Duration) -> Option<Done> {
                self.1.take().or_else(|| self.0.wait(patience))
            }
        }
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        let job = job(&medium, &order("00"), 16 * 512);
        let mut backend = Swapped(Sequential::in_chunks(&mut medium, 16 * 512), None);
        let evidence = run(job, &mut backend, &Steady::default(), &mut Unattended, &mut NotKept, &mut |_| {});
        assert!(matches!(&evidence.ended, Ended::Changed { what } if what.contains("128 sectors")), "{:?}", evidence.ended);
        assert_eq!(outcome(&evidence), Outcome::NotSanitized);
    }

    #[test]
    fn a_stop_is_never_lost_among_later_wishes() {
        assert_eq!(Control::of_several([Control::Hold, Control::Stop, Control::Hold, Control::GoOn]), Some(Control::Stop));
        assert_eq!(Control::of_several([Control::Hold, Control::GoOn]), Some(Control::GoOn));
        assert_eq!(Control::of_several([]), None);
    }
}
