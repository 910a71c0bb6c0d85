//! The engine over drives that fail, lie, vanish and lose power, cut anywhere and resumed: for thousands of seeds the
//! record never claims more than the drive's physical truth.
//!
//! A seed that fails prints itself; `JUREX_SEED=… cargo test -p jurex-engine --test cuts` plays it again, and
//! `JUREX_SEEDS=100000` tries that many.

use jiff::Timestamp;
use jurex_device::media::{Bus, Drive, Geometry, MediaClass};
use jurex_device::medium::{Access, Cause, MediumError, Op};
use jurex_device::testing::{Dice, Trail, cleared, test_drive};
use jurex_engine::{Checkpoint, Completed, Control, Event, Job, JobStep, Now, Progress, Task};
use jurex_pattern::pattern::{Pattern, wrong_sectors};
use jurex_pattern::units::Sectors;
use jurex_sanitize::evidence::{Evidence, SizeEvidence, StageResult};
use jurex_sanitize::plan::{Order, Plan, SizeCheck, Verification};
use jurex_sanitize::probe_tag::ProbeTag;
use jurex_sanitize::rules::{Edition, Outcome, judge};
use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::time::Duration;

const SECTOR: usize = 512;
/// A job rechecks 64 chunks: less than most of these drives.
const CHUNK: usize = SECTOR;

/// A drive with a volatile cache before its cells, and bad habits.
struct Liar {
    drive: Drive,
    /// What is on the media.
    cells: Vec<u8>,
    /// Written, but not flushed: gone at a power cut, at the drive's whim.
    cache: BTreeMap<u64, Vec<u8>>,
    unwritable: Vec<u64>,
    unreadable: Vec<u64>,
    /// Writes to these are acknowledged and dropped.
    drops: Vec<u64>,
    /// Addresses wrap after so many sectors: a counterfeit.
    wraps_at: Option<u64>,
    /// What sectors are tagged with to find that out: no pass.
    tags: Option<Pattern>,
    /// A bit turns over in this sector at some later read of another one.
    rots: Option<u64>,
    /// Says that it has flushed, and has not.
    lies_about_flush: bool,
    gone: bool,
    /// Cells that changed by themselves: after they were read nothing can know that.
    changed: BTreeSet<u64>,
    /// Sectors that others have written to since they were last laid.
    by_others: BTreeSet<u64>,
    ever_by_others: BTreeSet<u64>,
    /// How often a write of the job reached each sector of this very drive.
    laid: BTreeMap<u64, u32>,
}

impl Liar {
    fn new(dice: &mut Dice) -> Self {
        let most = if dice.one_in(4) { 600 } else { 120 };
        let sectors = 1 + dice.below(most);
        let some = |dice: &mut Dice, chance: u64| -> Vec<u64> {
            if dice.one_in(chance) { (0..1 + dice.below(3)).map(|_| dice.below(sectors)).collect() } else { vec![] }
        };
        let geometry = Geometry { logical: 512, physical: if dice.one_in(3) { 4096 } else { 512 }, sectors };
        let mut drive = Drive { path: "liar".into(), geometry, bus: Bus::Sas, ..test_drive(MediaClass::Magnetic, sectors) };
        if dice.one_in(4) {
            // Nothing names it: only its attachment tells it from another.
            drive.unit.serial = None;
            drive.attachment.instance = Some("boot 1".into());
        }
        Self {
            drive,
            cells: vec![0xee; sectors as usize * SECTOR],
            cache: BTreeMap::new(),
            unwritable: some(dice, 3),
            unreadable: some(dice, 4),
            drops: some(dice, 4),
            tags: None,
            wraps_at: dice.one_in(6).then(|| 1 + dice.below(sectors)),
            rots: dice.one_in(6).then(|| dice.below(sectors)),
            lies_about_flush: dice.one_in(5),
            gone: false,
            changed: BTreeSet::new(),
            by_others: BTreeSet::new(),
            ever_by_others: BTreeSet::new(),
            laid: BTreeMap::new(),
        }
    }

    /// Someone else writes to the drive between two sessions of the job, and to the media at once.
    fn write_by_others(&mut self, lba: u64) {
        let real = self.real(lba);
        self.cache.remove(&real);
        self.cells[real as usize * SECTOR..][..SECTOR].fill(0xb7);
        self.by_others.insert(real);
        self.ever_by_others.insert(real);
    }

    /// Another drive of the same model stands at the path: it holds zeros, or what it held before.
    fn swap(&mut self, dice: &mut Dice) {
        let fill = if dice.one_in(2) { 0 } else { 0xee };
        self.cells.fill(fill);
        self.cache.clear();
        (self.changed, self.by_others, self.laid) = Default::default();
        self.drive.attachment.instance = Some(format!("boot {}", 2 + dice.below(1 << 40)));
    }

    fn real(&self, lba: u64) -> u64 {
        self.wraps_at.map_or(lba, |at| lba % at)
    }

    fn failed(op: Op, at: Sectors, cause: fn(io::Error) -> Cause) -> Completed {
        Completed::Failed(MediumError { op, at: Some(at), cause: cause(io::Error::other("scripted")) })
    }

    fn carry_out(&mut self, task: &Task, dice: &mut Dice) -> Completed {
        let (op, at) = match task {
            Task::Write(at, _) => (Op::Write, *at),
            Task::ReadBack(at, _) | Task::Tags(at, _) | Task::Probe(at) => (Op::Read, *at),
            Task::Flush => (Op::Flush, Sectors::new(0, 0)),
            Task::Identify => (Op::Identify, Sectors::new(0, 0)),
            Task::Digest(..) | Task::Search(_) | Task::Ask(_) | Task::Change(_) | Task::Rescan | Task::Beside(..) => {
                unreachable!("these plans only overwrite")
            }
        };
        if self.gone {
            return Self::failed(op, at, Cause::Gone);
        }
        match task {
            Task::Flush => {
                if !self.lies_about_flush {
                    self.empty_cache();
                }
                Completed::Done
            }
            Task::Write(at, pattern) => self.write(*at, pattern, dice),
            Task::ReadBack(at, pattern) => self.read(*at, pattern, dice),
            Task::Tags(at, _) if (at.first.0..at.end()).any(|l| self.unreadable.contains(&l)) => {
                Self::failed(Op::Read, *at, Cause::BadSector)
            }
            Task::Tags(at, tags) => {
                Completed::Tags((at.first.0..at.end()).map(|l| ProbeTag::of(tags, &self.sector(l))).collect())
            }
            Task::Probe(at) if (at.first.0..at.end()).any(|l| self.unreadable.contains(&l)) => {
                Self::failed(Op::Read, *at, Cause::BadSector)
            }
            Task::Probe(_) => Completed::Done,
            Task::Identify => Completed::Identified(Box::new(self.drive.clone())),
            Task::Digest(..) | Task::Search(_) | Task::Ask(_) | Task::Change(_) | Task::Rescan | Task::Beside(..) => {
                unreachable!("these plans only overwrite")
            }
        }
    }

    fn empty_cache(&mut self) {
        for (lba, bytes) in std::mem::take(&mut self.cache) {
            self.cells[lba as usize * SECTOR..][..SECTOR].copy_from_slice(&bytes);
        }
    }

    fn write(&mut self, at: Sectors, pattern: &Pattern, dice: &mut Dice) -> Completed {
        let mut data = vec![0; at.count as usize * SECTOR];
        pattern.fill(at.first.0 * SECTOR as u64, SECTOR as u32, &mut data);
        let hit = (at.first.0..at.end()).find(|l| self.unwritable.contains(l));
        for (lba, bytes) in (at.first.0..at.end()).zip(data.chunks(SECTOR)) {
            if hit.is_some_and(|h| lba >= h) {
                break;
            }
            if self.drops.contains(&lba) {
                continue;
            }
            let real = self.real(lba);
            self.by_others.remove(&real);
            let is_tag = self.tags.as_ref().is_some_and(|tags| tags == pattern || tags.is_complement_of(pattern));
            *self.laid.entry(lba).or_default() += u32::from(!is_tag);
            if dice.one_in(2) {
                drop(self.cache.insert(real, bytes.to_vec()));
            } else {
                self.cache.remove(&real);
                self.cells[real as usize * SECTOR..][..SECTOR].copy_from_slice(bytes);
            }
        }
        if hit.is_some() { Self::failed(Op::Write, at, Cause::BadSector) } else { Completed::Done }
    }

    fn read(&mut self, at: Sectors, pattern: &Pattern, dice: &mut Dice) -> Completed {
        if let Some(lba) = self.rots.filter(|_| dice.one_in(9)) {
            self.change(lba, 1);
            self.rots = None;
        }
        if (at.first.0..at.end()).any(|l| self.unreadable.contains(&l)) {
            return Self::failed(Op::Read, at, Cause::BadSector);
        }
        let mut expected = vec![0; at.count as usize * SECTOR];
        pattern.fill(at.first.0 * SECTOR as u64, SECTOR as u32, &mut expected);
        let read: Vec<u8> = (at.first.0..at.end()).flat_map(|l| self.sector(l)).collect();
        Completed::Read { wrong: wrong_sectors(at.first, SECTOR as u32, &expected, &read) }
    }

    /// What a read of that address gives now.
    fn sector(&self, lba: u64) -> Vec<u8> {
        let real = self.real(lba);
        self.cache.get(&real).cloned().unwrap_or_else(|| self.cells[real as usize * SECTOR..][..SECTOR].to_vec())
    }

    /// Turns bits over behind the job's back.
    fn change(&mut self, lba: u64, bits: u8) {
        self.cells[lba as usize * SECTOR] ^= bits;
        self.changed.insert(lba);
    }

    /// Power fails: what was only in the cache is lost.
    fn cut(&mut self) {
        // What lay over the bytes of others only in the cache is theirs again.
        let is_theirs = |lba: &u64| self.cells[*lba as usize * SECTOR..][..SECTOR].iter().all(|b| *b == 0xb7);
        self.by_others.extend(self.cache.keys().copied().filter(is_theirs));
        self.cache.clear();
        self.gone = false;
    }
}

/// How one run of a job ended.
enum End {
    Over(Box<Evidence>),
    /// Killed, or the power failed: nothing more was told or kept.
    Cut,
}

struct Bench {
    dice: Dice,
    drive: Liar,
    kept: Option<Checkpoint>,
    now: Duration,
    progress: Option<Progress>,
    trail: Trail,
}

impl Bench {
    fn now(&mut self) -> Now {
        // Now and then a long time passes, so that checkpoints fall due and requests are slow.
        self.now += Duration::from_millis(if self.dice.one_in(5) { self.dice.below(4000) } else { 1 });
        Now { wall: Timestamp::UNIX_EPOCH, mono: self.now }
    }

    /// Lets the job run with several requests in flight, reported in any order, until it is over or cut.
    fn run(&mut self, mut job: Job) -> End {
        let depth = 1 + self.dice.below(6) as usize;
        let cut_after = if self.dice.one_in(2) { self.dice.below(120) } else { u64::MAX };
        let vanishes_after = if self.dice.one_in(4) { self.dice.below(90) } else { u64::MAX };
        let mut in_flight: Vec<(u64, Task)> = vec![];
        for step in 0.. {
            if step == vanishes_after {
                self.drive.gone = true;
            }
            if step == cut_after {
                return End::Cut;
            }
            match self.dice.below(60) {
                0 => job.wish(Control::Stop),
                1 => job.wish(Control::Hold),
                _ => job.wish(Control::GoOn),
            }
            let now = self.now();
            let next = if in_flight.len() < depth { job.request(now) } else { JobStep::Wait };
            match next {
                JobStep::Do(request) => {
                    let task = request.task;
                    self.trail.note((request.tag, &task));
                    assert!(in_flight.is_empty() || !matches!(task, Task::Flush), "a flush is asked for alone");
                    in_flight.push((request.tag, task));
                }
                JobStep::Ended => {
                    self.listen(&mut job);
                    return End::Over(Box::new(job.into_evidence()));
                }
                JobStep::Keep | JobStep::Until(_) => unreachable!("these plans only overwrite"),
                JobStep::Held => assert!(in_flight.is_empty(), "a held job has nothing in flight"),
                JobStep::Wait => {
                    assert!(!in_flight.is_empty(), "a job waits for something");
                    let which = self.dice.below(in_flight.len() as u64) as usize;
                    let (tag, task) = in_flight.remove(which);
                    let result = self.drive.carry_out(&task, &mut self.dice);
                    let now = self.now();
                    job.complete(tag, result, now);
                }
            }
            self.listen(&mut job);
        }
        unreachable!("the loop has no end of its own")
    }

    /// Keeps checkpoints and folds events, as the program does.
    fn listen(&mut self, job: &mut Job) {
        if let Some(checkpoint) = job.take_checkpoint() {
            let json = checkpoint.to_json();
            self.trail.note(&json);
            self.kept = Some(Checkpoint::from_json(&json).expect("a checkpoint survives its JSON"));
        }
        let events: Vec<Event> = job.take_events();
        self.trail.note(&events);
        let patterns = events.iter().flat_map(|e| match e {
            Event::PassStarted { pattern, .. } => vec![pattern],
            Event::Resumed { evidence } => evidence.passes().iter().map(|p| &p.pattern).collect(),
            _ => vec![],
        });
        patterns.for_each(|p| assert_eq!(*p, p.without_seed(), "no event carries the seed of a pass"));
        if let Some(progress) = &mut self.progress {
            events.iter().for_each(|e| progress.apply(e));
        }
    }
}

fn order(dice: &mut Dice) -> Order {
    let notations = ["00", "random", "00 | ~", "55? | ~", "random | random", "lba | ~", "00 | FF? | random"];
    let program = notations[dice.below(notations.len() as u64) as usize].parse().unwrap();
    let verification = match dice.below(4) {
        0 => Verification::SAMPLED,
        1 => Verification::ALL[2],
        _ => Verification::FULL,
    };
    let size_check = if dice.one_in(3) { SizeCheck::Yes } else { SizeCheck::No };
    Order { verification, size_check, retries: dice.below(3) as u32, blank: dice.one_in(4), ..Order::of_program("test", program) }
}

/// What came of one seed: whether something was claimed, and how often the job was cut and went on.
struct Tally {
    claimed: bool,
    cuts: u32,
    begun_anew: bool,
    written_between: bool,
    swapped: bool,
    trail: u64,
}

/// What the person types of that drive.
fn label(drive: &Drive) -> String {
    drive.unit.serial().map_or_else(|| drive.geometry.sectors.to_string(), |_| "K7Q41M".into())
}

fn play(seed: u64) -> Tally {
    let mut dice = Dice(seed);
    let drive = Liar::new(&mut dice);
    let order = order(&mut dice);
    let plan = Plan::new(&drive.drive, &order, &mut dice).unwrap();
    let typed = label(&drive.drive);
    let drive = Liar { tags: plan.measure().map(|m| m.tags.clone()), ..drive };
    let mut bench =
        Bench { dice, drive, kept: None, now: Duration::ZERO, progress: Some(Progress::of_plan(&plan)), trail: Trail::default() };
    let mut tally = Tally { claimed: false, cuts: 0, begun_anew: false, written_between: false, swapped: false, trail: 0 };
    let mut found = bench.drive.drive.clone();
    let now = bench.now();
    let mut job = Job::start(plan.arm(&cleared(&found), &typed).unwrap(), &found, Access::DIRECT, CHUNK, now).unwrap();
    let evidence = loop {
        match bench.run(job) {
            End::Over(evidence) if evidence.ended.can_go_on() && tally.cuts < 20 => {
                // Stopped, or the drive was pulled: it keeps what it had, or loses its cache with its power.
                let told = bench.progress.as_ref().unwrap().evidence();
                assert_eq!(without_seeds(told), without_seeds(&evidence), "whoever has the events has the evidence");
                assert_eq!(judge(Edition::Rev2, &evidence).outcome(), Outcome::NotSanitized);
            }
            End::Over(evidence) => break *evidence,
            End::Cut if tally.cuts >= 20 => return Tally { trail: bench.trail.number(), ..tally },
            End::Cut => {}
        }
        tally.cuts += 1;
        bench.drive.cut();
        kept_is_true(&bench, &plan);
        if bench.dice.one_in(3) {
            // Someone else uses the drive while the job is away, wherever they like.
            for _ in 0..1 + bench.dice.below(4) {
                let lba = bench.dice.below(found.geometry.sectors);
                bench.drive.write_by_others(lba);
            }
            tally.written_between = true;
        }
        if found.unit.serial().is_none() && bench.dice.one_in(3) {
            // Its twin stands at the same path now, as blank as it came from its maker.
            bench.drive.swap(&mut bench.dice);
            found = bench.drive.drive.clone();
            tally.swapped = true;
        }
        let Some(kept) = bench.kept.clone() else { return Tally { trail: bench.trail.number(), ..tally } };
        let now = bench.now();
        job = Job::resume(&kept, kept.arm(&cleared(&found), &typed).unwrap(), &found, Access::DIRECT, CHUNK, now).unwrap();
        bench.progress = Some(Progress::of_plan(&plan));
        bench.listen(&mut job);
        tally.begun_anew |= kept.evidence().passes().is_empty();
    };
    truth(&mut bench, &evidence, &plan);
    bench.trail.note(&evidence);
    tally.trail = bench.trail.number();
    tally.claimed = judge(Edition::Rev2, &evidence).outcome() > Outcome::NotSanitized;
    tally
}

/// What a checkpoint says is laid survives a power cut, on any drive that tells the truth about its cache.
fn kept_is_true(bench: &Bench, plan: &Plan) {
    let (Some(kept), drive) = (&bench.kept, &bench.drive) else { return };
    let Some(last) = kept.evidence().passes().last().filter(|p| p.ended.is_none()) else { return };
    let is_twin = kept.evidence().drive().attachment != drive.drive.attachment;
    if drive.lies_about_flush || drive.wraps_at.is_some() || is_twin {
        return;
    }
    let mut expected = vec![0; drive.cells.len()];
    plan.passes()[kept.evidence().passes().len() - 1].pattern.fill(0, SECTOR as u32, &mut expected);
    let honest = |lba: &u64| !drive.drops.contains(lba) && !drive.changed.contains(lba) && !drive.ever_by_others.contains(lba);
    for lba in last.laid.iter().flat_map(|s| s.first.0..s.end()).filter(honest) {
        let at = lba as usize * SECTOR..(lba as usize + 1) * SECTOR;
        assert!(drive.cells[at.clone()] == expected[at], "sector {lba} was kept as laid and is lost");
    }
}

/// Events carry no seeds; evidence carries that of the bytes which lie on the drive.
fn without_seeds(evidence: &Evidence) -> Evidence {
    let mut evidence = evidence.clone();
    for stage in &mut evidence.stages {
        if let StageResult::Overwritten(o) = &mut stage.what {
            o.passes.iter_mut().for_each(|p| p.pattern = p.pattern.without_seed());
        }
    }
    evidence
}

/// The record against the physical truth: of whatever is claimed, every sector holds what the last pass laid, whoever wrote
/// in between. Only what changed after it was read can nobody know.
fn truth(bench: &mut Bench, evidence: &Evidence, plan: &Plan) {
    let drive = &bench.drive;
    let (told, holds) = (drive.drive.geometry.sectors, drive.wraps_at.unwrap_or(u64::MAX));
    if evidence.size().is_some_and(SizeEvidence::is_as_told) {
        assert!(holds >= told, "{told} sectors are not proved of a drive that holds {holds}");
    }
    let Some(read) = evidence.last_reading() else { return };
    let passes = evidence.passes();
    assert!(passes.iter().rev().skip(1).all(|p| p.ended.is_some()), "no pass is begun before the one before is over");
    let mut expected = vec![0; drive.cells.len()];
    plan.passes()[passes.len() - 1].pattern.fill(0, SECTOR as u32, &mut expected);
    let holds = |lba: u64| drive.sector(lba) == expected[lba as usize * SECTOR..][..SECTOR];
    if judge(Edition::Rev2, evidence).outcome() > Outcome::NotSanitized {
        let untouched = |lba: u64| !drive.changed.contains(&drive.real(lba));
        let in_question = |lba: &u64| read.sampling.is_none() || read.read.contains(jurex_pattern::units::Lba(*lba));
        let not_as_laid: Vec<u64> =
            (0..drive.drive.geometry.sectors).filter(in_question).filter(|l| !holds(*l) && untouched(*l)).collect();
        assert!(not_as_laid.is_empty(), "claimed, but sectors {not_as_laid:?} do not hold what the last pass laid");
        assert!(passes.iter().all(|p| p.laid.covers_all(drive.drive.geometry.whole())));
        assert!(drive.unwritable.is_empty(), "a drive with unwritable sectors earns nothing");
        assert!(drive.by_others.is_empty(), "claimed over sectors {:?} that others wrote to", drive.by_others);
        for lba in 0..drive.drive.geometry.sectors {
            let laid = drive.laid.get(&lba).copied().unwrap_or(0) as usize;
            let dropped = drive.drops.contains(&lba) || drive.wraps_at.is_some();
            assert!(laid >= passes.len() || dropped, "{laid} of {} passes reached sector {lba}", passes.len());
        }
    }
}

#[test]
fn no_record_ever_claims_more_than_the_truth() {
    let number = |name: &str| std::env::var(name).ok().and_then(|v| v.parse::<u64>().ok());
    if let Some(seed) = number("JUREX_SEED") {
        play(seed);
        return;
    }
    let seeds = number("JUREX_SEEDS").unwrap_or(600);
    let mut trails = vec![];
    let (mut claimed, mut resumed, mut anew, mut claimed_after_others) = (0, 0, 0, 0);
    for seed in 0..seeds {
        match std::panic::catch_unwind(|| play(seed)) {
            Ok(tally) => {
                trails.push((seed, tally.trail));
                claimed += u64::from(tally.claimed);
                resumed += u64::from(tally.cuts > 0);
                anew += u64::from(tally.begun_anew);
                claimed_after_others += u64::from(tally.claimed && (tally.written_between || tally.swapped));
            }
            Err(_) => panic!("seed {seed} fails: play it again with JUREX_SEED={seed} cargo test -p jurex-engine --test cuts"),
        }
    }
    Trail::keep("cuts", &trails);
    println!("{seeds} seeds: {claimed} claimed an outcome, {resumed} were cut and went on, {anew} of them from the beginning");
    // A test in which nothing is ever claimed or cut would prove nothing.
    assert!(claimed > seeds / 10 && resumed > seeds / 4, "{claimed} claimed, {resumed} resumed of {seeds}");
    assert!(claimed_after_others > seeds / 100, "{claimed_after_others} claimed although others had the drive in between");
}
