//! Drives that erase themselves, or say so: whatever they are, however they lie and wherever the job is cut, no record claims
//! more than the drive's cells bear out.
//!
//! A seed that fails prints itself; `JUREX_SEED=… cargo test -p jurex-sim --test own` plays it again, and `JUREX_SEEDS=100000`
//! tries that many.

use jurex_device::media::{Bus, Drive, MediaClass};
use jurex_device::medium::Port;
use jurex_device::medium::{Access, Medium};
use jurex_device::native::command::Image;
use jurex_device::native::{self, NativeErase, OwnState};
use jurex_device::technique::SanitizeKind;
use jurex_device::testing::{Dice, Trail, cleared_for, test_drive};
use jurex_engine::{
    Backend, Checkpoint, CheckpointStore, Clock, Control, Done, Event, Job, JobControl, KeepError, Now, RequestSetting,
    Sequential, Sibling, Task, WithSiblings,
};
use jurex_pattern::units::{Lba, Sectors};
use jurex_sanitize::evidence::{Evidence, Stated};
use jurex_sanitize::plan::{Course, HowMuch, NativeOrder, Order, Plan, Secret};
use jurex_sanitize::rules::{Condition, Edition, Outcome, Technique, judge};
use jurex_sim::{BlockEraseLeaves, CellKind, Fault, Hiding, Lie, Nature, Pacing, SimDrive, SpeedShape};
use std::cell::{Cell, RefCell};
use std::collections::BTreeMap;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::time::Duration;

/// What lay on the drive before; what others write to it between two sessions.
const SECRET: &[u8] = b"wind 31.4 m/s, gust 40.2 m/s at Anvil Rock";
const OTHERS: &[u8] = b"photographs of somebody else's holidays";
/// Sectors of a page of cells.
const PAGE: u64 = 128;

/// A drive that takes no time.
fn sim_drive(bus: Bus, class: MediaClass, sectors: u64, nature: Nature) -> SimDrive {
    let mut drive = test_drive(class, sectors);
    (drive.path, drive.bus, drive.protocol) = ("sim:99".into(), bus, bus.protocol());
    let kind = if class == MediaClass::Magnetic { CellKind::Magnetic } else { CellKind::Flash { spare_percent: 10 } };
    let shape = SpeedShape { outer: 1e9, inner: 1e9, read_factor: 1.0, slow_zone: None };
    SimDrive::with_nature(drive, kind, shape, Pacing::Unpaced, nature)
}

/// A drive of some kind with one of its own erasures.
fn any_drive(dice: &mut Dice) -> (SimDrive, Technique) {
    use NativeErase::*;
    let (bus, class, own, hides): (Bus, MediaClass, &[NativeErase], bool) = dice.pick(&[
        (Bus::Sata, MediaClass::SolidState, &[SanitizeBlock, SanitizeCrypto, SecurityErase, SecurityEraseEnhanced][..], true),
        (Bus::Sata, MediaClass::Magnetic, &[SanitizeOverwrite, SecurityErase, SecurityEraseEnhanced], true),
        (Bus::Sas, MediaClass::Magnetic, &[SanitizeOverwrite], false),
        (Bus::Sas, MediaClass::SolidState, &[SanitizeBlock, SanitizeCrypto, SanitizeOverwrite], false),
        (Bus::Nvme, MediaClass::SolidState, &[SanitizeBlock, SanitizeCrypto, SanitizeOverwrite, Format, FormatCrypto], false),
        (Bus::Mmc, MediaClass::EmbeddedFlash, &[MmcSanitize], false),
        (Bus::Mmc, MediaClass::EmbeddedFlash, &[MmcSanitize, MmcSecureErase], false),
        (Bus::Mmc, MediaClass::RemovableFlash, &[SdErase], false),
        (Bus::Nvme, MediaClass::SolidState, &[TcgRevert, TcgKeyChange], false),
        (Bus::Sas, MediaClass::SolidState, &[TcgRevert, TcgKeyChange], false),
    ]);
    let technique = dice.pick(own).technique();
    let sectors = PAGE * (3 + dice.below(14));
    let lies = [
        Lie::Nothing,
        Lie::KeepsKey,
        Lie::Half,
        Lie::Fails,
        Lie::Backwards,
        Lie::Hangs,
        Lie::ForgetsByCut,
        Lie::FailsByCut,
        Lie::Aborts,
        Lie::RangeFails,
    ];
    let lies = if dice.one_in(2) { vec![] } else { vec![dice.pick(&lies)] };
    let hides = hides && dice.one_in(3);
    let nature = Nature {
        own: own.to_vec(),
        encrypts: own.iter().any(|e| e.technique().replaces_a_key()),
        gives: hides.then(|| sectors - 1 - dice.below(sectors / 2)),
        hides_by: dice.pick(&[Hiding::ProtectedArea, Hiding::AccessibleMax, Hiding::Configuration]),
        second_namespace: if bus == Bus::Nvme && dice.one_in(3) { PAGE } else { 0 },
        psid: own.contains(&TcgRevert).then(|| "PSID0123".to_string()),
        locking_ranges: dice.pick(&[0, 1, 8, 15]),
        leaves: dice.pick(&[BlockEraseLeaves::Readable, BlockEraseLeaves::Unreadable, BlockEraseLeaves::Deallocated]),
        removal: dice.pick(&[0, 0x01, 0x13, 0x38]),
        lies,
        ..Nature::default()
    };
    let sim = sim_drive(bus, class, sectors, nature);
    fill(&sim, sectors, dice);
    (sim, technique)
}

/// Old data in most places, or in hardly any; some of it replaced, some only in cells that nothing reaches any more.
fn fill(sim: &SimDrive, sectors: u64, dice: &mut Dice) {
    let how_full = dice.pick(&[0, 1, 5, 10]);
    let mut old = [0x20u8; 512];
    old[..SECRET.len()].copy_from_slice(SECRET);
    for page in 0..sectors / PAGE {
        if dice.below(10) < how_full {
            (0..PAGE).step_by(if dice.one_in(2) { 1 } else { 7 }).for_each(|n| {
                old[500..508].copy_from_slice(&(page * PAGE + n).to_le_bytes());
                sim.write_beyond(Lba(page * PAGE + n), &old);
            });
        }
    }
    // A cell that went out of use with what it held.
    for _ in 0..dice.below(3) {
        let at = Lba(dice.below(sectors));
        sim.write_beyond(at, &old);
        sim.retire(at);
        if dice.one_in(2) {
            sim.write_beyond(at, &[0; 512]);
        }
    }
    if dice.one_in(4) {
        // Everything that can be addressed was overwritten once: spare cells keep what was there.
        (0..sectors).step_by(PAGE as usize).for_each(|at| sim.write_beyond(Lba(at), &[0; 512 * PAGE as usize]));
    }
}

fn any_course(sim: &SimDrive, technique: Technique, dice: &mut Dice) -> Course {
    let drive = sim.drive();
    let mut then = Order::of_program("then", dice.pick(&["00", "random", "55 | ~"]).parse().unwrap());
    if dice.one_in(6) {
        then.lift = jurex_sanitize::plan::UnhideOrder::of(&drive);
        return Course::Overwrite(then);
    }
    let answers = jurex_device::native::Capabilities { format_reaches_all: true, ..sim.own_answers() };
    let mut own = NativeOrder::new(technique, &drive, &answers);
    own.how_much = dice.pick(&[Some(HowMuch::Full), Some(HowMuch::Sampled), None]);
    own.edition = dice.pick(&[Edition::Rev1, Edition::Rev2]);
    own.stated = Stated { conditions: if dice.one_in(5) { vec![] } else { Condition::STATED.to_vec() }, by: "Ines".into() };
    own.then = dice.one_in(5).then_some(then);
    match &mut own.lift {
        Some(_) if dice.one_in(5) => own.lift = None,
        Some(lift) => (lift.permanent, lift.configuration) = (dice.one_in(2), dice.one_in(2)),
        None => {}
    }
    Course::Own(own)
}

struct Fast(Cell<u64>);

impl Clock for Fast {
    fn now(&self) -> Now {
        self.0.set(self.0.get() + 1);
        Now { wall: Default::default(), mono: Duration::from_millis(self.0.get()) }
    }

    fn sleep(&self, so_long: Duration) {
        self.0.set(self.0.get() + so_long.as_millis() as u64);
    }
}

/// The last checkpoint, as text, as a ledger would keep it.
#[derive(Default)]
struct Kept {
    last: Option<String>,
    fails: bool,
}

impl CheckpointStore for Kept {
    fn keep(&mut self, checkpoint: &Checkpoint) -> Result<(), KeepError> {
        if self.fails {
            return Err(KeepError("no space left".into()));
        }
        let text = checkpoint.to_json();
        note(&text);
        self.last = Some(text);
        Ok(())
    }
}

/// The process is killed at the request of which `dies` says so: before it is carried out, or (true) after it and before its
/// answer is heard.
struct Killed<B, D> {
    backend: B,
    dies: D,
}

impl<B: Backend, D: FnMut(&Task) -> Option<bool>> Backend for Killed<B, D> {
    fn settings(&self) -> Vec<RequestSetting> {
        self.backend.settings()
    }

    fn set(&mut self, setting: RequestSetting) {
        self.backend.set(setting);
    }

    fn start(&mut self, tag: u64, task: Task) {
        note((tag, &task));
        let dies = (self.dies)(&task);
        if dies == Some(false) {
            std::panic::panic_any(Cut);
        }
        self.backend.start(tag, task);
        if dies == Some(true) {
            std::panic::panic_any(Cut);
        }
    }

    fn wait(&mut self, patience: Duration) -> Option<Done> {
        self.backend.wait(patience)
    }
}

/// Dies at the request after so many; `None`: never.
fn at_request(mut left: Option<u64>, after: bool) -> impl FnMut(&Task) -> Option<bool> {
    move |_| {
        let left = left.as_mut()?;
        let now = *left == 0;
        *left = left.saturating_sub(1);
        now.then_some(after)
    }
}

/// Dies at the first request after the drive has told that it is at work.
fn once_it_is_at_work() -> impl FnMut(&Task) -> Option<bool> {
    let (mut sent, mut asked) = (false, false);
    move |task| {
        let dies = asked.then_some(false);
        asked |= sent && matches!(task, Task::Ask(_));
        sent |= matches!(task, Task::Change(_));
        dies
    }
}

struct Cut;

/// A person who may want it stopped, or held for a moment.
struct Person {
    polls: u64,
    stop_at: Option<u64>,
}

impl JobControl for Person {
    fn poll(&mut self) -> Option<Control> {
        self.polls += 1;
        match self.stop_at {
            Some(at) if at == self.polls => Some(Control::Stop),
            _ if self.polls.is_multiple_of(97) => Some(Control::Hold),
            _ => None,
        }
    }

    fn wait(&mut self) -> Option<Control> {
        Some(Control::GoOn)
    }
}

/// Bytes of a request.
const CHUNK: usize = 512 * 32;

/// The job that goes on from what was kept, else one of a fresh plan.
fn begin(kept: Option<&str>, fresh: impl FnOnce() -> Plan, found: &Drive, access: Access, secret: Option<Secret>) -> Job {
    let now = Now { wall: Default::default(), mono: Duration::ZERO };
    match kept {
        None => {
            let plan = fresh();
            let armed = plan.arm(&cleared_for(found, plan.intent()), "K7Q41M").unwrap().with_secret(secret);
            Job::start(armed, found, access, CHUNK, now).unwrap()
        }
        Some(text) => {
            let checkpoint = Checkpoint::from_json(text).unwrap_or_else(|e| panic!("{e}: {text}"));
            let armed = checkpoint.arm(&cleared_for(found, checkpoint.intent()), "K7Q41M").unwrap().with_secret(secret);
            Job::resume(&checkpoint, armed, found, access, CHUNK, now).unwrap()
        }
    }
}

/// Carries the course out, through cuts and going on. Gives the evidence, if the job came to any end.
fn carry_out(sim: &SimDrive, course: &Course, dice: &mut Dice) -> Option<Evidence> {
    let plan = Plan::of(&sim.drive(), course, dice).unwrap();
    let mut kept = Kept::default();
    let secret = || match plan.own_erase()?.technique {
        Technique::TcgRevert => Some(Secret::psid("PSID-0123")),
        Technique::TcgKeyChange => Some(Secret::password("admin1")),
        _ => None,
    };
    for session in 0..6 {
        let mut medium = sim.open().unwrap();
        let found = medium.identify().unwrap();
        kept.fails = dice.one_in(40);
        let fresh = || if session == 0 { plan.clone() } else { Plan::of(&found, course, dice).unwrap() };
        let job = begin(kept.last.as_deref(), fresh, &found, medium.access(), secret());
        let cuts = session < 4 && dice.one_in(2);
        let far = dice.pick(&[12, 60, 400]);
        let mut sequential = Sequential::in_chunks(&mut medium, CHUNK);
        let mut second = sim.second_namespace();
        let beside = second.iter_mut().map(|(what, medium)| Sibling { what: what.clone(), medium }).collect();
        let dies = at_request(cuts.then(|| dice.below(far)), dice.one_in(2));
        let mut backend = Killed { backend: WithSiblings::new(&mut sequential, beside), dies };
        let mut person = Person { polls: 0, stop_at: (session < 4 && dice.one_in(6)).then(|| dice.below(far * 2)) };
        let mut ended: BTreeMap<&str, u32> = BTreeMap::new();
        let run = AssertUnwindSafe(|| {
            jurex_engine::run(job, &mut backend, &Fast(Cell::new(0)), &mut person, &mut kept, &mut |e: &Event| {
                note(e);
                *ended.entry(if matches!(e, Event::Ended { .. }) { "ended" } else { "told" }).or_default() += 1;
            })
        });
        let done = catch_unwind(run).map_err(|cause| assert!(cause.is::<Cut>(), "a defect")).ok();
        drop(backend);
        drop(sequential);
        drop(second);
        drop(medium);
        match done {
            Some(evidence) if !evidence.ended.can_go_on() || session == 5 || dice.one_in(5) => return Some(evidence),
            _ => {}
        }
        // Power comes and goes, and somebody else may come by.
        if dice.one_in(2) {
            sim.power_cycle();
        }
        if dice.one_in(6) {
            write_by_others(sim, dice);
        }
    }
    None
}

fn write_by_others(sim: &SimDrive, dice: &mut Dice) {
    let mut sector = [0x40u8; 512];
    sector[..OTHERS.len()].copy_from_slice(OTHERS);
    let sectors = sim.drive().geometry.sectors;
    let Ok(mut medium) = sim.open() else { return };
    for _ in 0..1 + dice.below(4) {
        // A locked drive, or one that erases itself, takes nothing.
        let _ = medium.write(Lba(dice.below(sectors)), &sector);
    }
}

/// What the cells bear out.
fn truth(sim: &SimDrive) -> Outcome {
    let lost = |holds: &dyn Fn(&[u8]) -> bool| !holds(SECRET) && !holds(OTHERS);
    if lost(&|needle| sim.cells_hold(needle)) {
        Outcome::Purge
    } else if lost(&|needle| sim.addresses_hold(needle)) {
        Outcome::Clear
    } else {
        Outcome::NotSanitized
    }
}

thread_local! {
    /// The seed that is played, for whoever reads of a defect.
    static SEED: Cell<u64> = const { Cell::new(0) };
    /// What happened while it was played.
    static TRAIL: RefCell<Trail> = RefCell::new(Trail::default());
}

fn note(what: impl std::fmt::Debug) {
    TRAIL.with_borrow_mut(|trail| trail.note(what));
}

/// One seed: claimed and true, if it came to an end; and the number of its trail.
fn play(seed: u64) -> (Option<(Technique, Outcome, Outcome)>, u64) {
    TRAIL.set(Trail::default());
    let played = play_out(seed);
    note(played);
    (played, TRAIL.with_borrow(Trail::number))
}

fn play_out(seed: u64) -> Option<(Technique, Outcome, Outcome)> {
    SEED.set(seed);
    let dice = &mut Dice(seed);
    let (sim, technique) = any_drive(dice);
    if dice.one_in(8) {
        let sectors = sim.drive().geometry.sectors;
        let at = Sectors::new(dice.below(sectors), 1);
        sim.add_fault(dice.pick(&[Fault::Unreadable(at), Fault::Unwritable(at), Fault::DropsWrites(at)]));
    }
    let course = any_course(&sim, technique, dice);
    let evidence = carry_out(&sim, &course, dice)?;
    evidence.check_soundness().unwrap();
    let keeps_password = evidence.own().is_some_and(jurex_sanitize::evidence::NativeEvidence::may_have_left_a_password);
    assert!(keeps_password || !sim.own_answers().security_enabled, "the drive keeps a password that nobody is told of");
    let edition = match &course {
        Course::Own(own) => own.edition,
        Course::Overwrite(order) => order.edition,
    };
    let claimed = judge(edition, &evidence).outcome();
    let technique = if matches!(course, Course::Own(_)) { technique } else { Technique::Overwrite };
    Some((technique, claimed, truth(&sim)))
}

#[test]
fn no_record_claims_more_than_the_cells_bear_out() {
    let number = |name: &str| std::env::var(name).ok().and_then(|v| v.parse::<u64>().ok());
    std::panic::set_hook(Box::new(|info| {
        if !info.payload().is::<Cut>() {
            eprintln!("seed {}: {info}", SEED.get());
        }
    }));
    let seeds: Vec<u64> = match number("JUREX_SEED") {
        Some(seed) => vec![seed],
        None => (0..number("JUREX_SEEDS").unwrap_or(1000)).collect(),
    };
    let mut tally: BTreeMap<(String, String), u64> = BTreeMap::new();
    let mut above = vec![];
    let threads = std::thread::available_parallelism().map_or(1, usize::from);
    let played = std::thread::scope(|scope| {
        let seeds = &seeds;
        let share = move |n: usize| seeds.iter().skip(n).step_by(threads).map(|seed| (*seed, play(*seed)));
        let workers: Vec<_> = (0..threads).map(|n| scope.spawn(move || share(n).collect::<Vec<_>>())).collect();
        let mut played: Vec<_> = workers.into_iter().flat_map(|w| w.join().expect("a seed met a defect")).collect();
        played.sort_by_key(|(seed, _)| *seed);
        played
    });
    Trail::keep("own", &played.iter().map(|(seed, (_, trail))| (*seed, *trail)).collect::<Vec<_>>());
    for (seed, (technique, claimed, truth)) in played.iter().filter_map(|(seed, (ended, _))| Some((seed, ended.as_ref()?))) {
        *tally.entry((technique.slug(), claimed.to_string())).or_default() += 1;
        if claimed > truth {
            above.push(format!("seed {seed}: {} claims {claimed}, the cells bear out {truth}", technique.name()));
        }
    }
    let told: Vec<String> = tally.iter().map(|((way, claim), n)| format!("{way}: {claim} {n}")).collect();
    eprintln!("{} seeds\n{}", seeds.len(), told.join("\n"));
    assert!(above.is_empty(), "{}", above.join("\n"));
    let earned = |way: &str, claim: &str| tally.get(&(way.into(), claim.into())).is_some_and(|n| *n > 0);
    if seeds.len() >= 1000 {
        let ways = ["sanitize-block", "sanitize-crypto", "mmc-sanitize", "tcg-revert", "tcg-key-change"];
        assert!(ways.iter().all(|way| earned(way, "Purge")), "each earns what it can where nothing goes wrong");
        assert!(earned("security-erase", "Clear") && earned("format", "Clear"), "and no more");
    }
}

/// A drive of that bus whose block erase has failed, begun with leave to end the failure mode or without.
fn failed(bus: Bus, leave_to_exit: bool) -> SimDrive {
    let nature = Nature { own: vec![NativeErase::SanitizeBlock], lies: vec![Lie::Fails], ..Nature::default() };
    let sim = sim_drive(bus, MediaClass::SolidState, 4 * PAGE, nature);
    let mut begun = match bus {
        Bus::Sata => native::ata::erase::sanitize(SanitizeKind::Block),
        Bus::Nvme => native::nvme::sanitize(2),
        _ => native::scsi::sanitize(SanitizeKind::Block),
    };
    if leave_to_exit {
        match &mut begun.image {
            Image::Scsi(cdb) if bus == Bus::Sata => cdb[6] |= 1 << 4,
            Image::Scsi(cdb) => cdb[1] |= 1 << 5,
            Image::Nvme { cdw10, .. } => *cdw10 |= 1 << 3,
            Image::Mmc { .. } | Image::Opal(_) => unreachable!("{bus:?}"),
        }
    }
    assert!(sim.open().unwrap().send(&begun).unwrap().is_good());
    while matches!(sim.own_answers().own_state, Some(OwnState::Running { .. })) {}
    assert_eq!(sim.own_answers().own_state, Some(OwnState::Failed));
    sim
}

#[test]
fn a_failure_mode_ends_only_where_the_failed_operation_was_begun_with_leave_for_it() {
    for bus in [Bus::Sata, Bus::Sas, Bus::Nvme] {
        let leave = |sim: &SimDrive| jurex_engine::leave_failure(&mut sim.open().unwrap(), bus.protocol());
        let strict = failed(bus, false);
        let told = leave(&strict).unwrap_err().to_string();
        assert!(told.contains("stays in failure mode") && told.contains("sanitize it again"), "{bus:?}: {told}");
        assert_eq!(strict.own_answers().own_state, Some(OwnState::Failed));
        let lenient = failed(bus, true);
        leave(&lenient).unwrap_or_else(|why| panic!("{bus:?}: {why}"));
        assert_eq!(lenient.own_answers().own_state, Some(OwnState::Idle));
        let again = leave(&lenient).unwrap_err().to_string();
        assert!(again.contains("does not say that a sanitize operation of it has failed"), "{again}");
    }
}

/// A drive of two namespaces is told to erase itself, the process is killed while it is at work, and the job goes on. `between`
/// happens to the drive meanwhile.
fn two_namespaces_through_a_cut(lies: Vec<Lie>, between: fn(&SimDrive)) -> Evidence {
    let nature = Nature { own: vec![NativeErase::SanitizeBlock], second_namespace: 2 * PAGE, lies, ..Nature::default() };
    let sim = sim_drive(Bus::Nvme, MediaClass::SolidState, 8 * PAGE, nature);
    (0..8 * PAGE).for_each(|at| sim.write_beyond(Lba(at), &SECRET.repeat(20)[..512]));
    let own = NativeOrder::new(Technique::SanitizeBlock, &sim.drive(), &sim.own_answers());
    let plan = Plan::of(&sim.drive(), &Course::Own(own), &mut Dice(1)).unwrap();
    let mut kept = Kept::default();
    let mut session = |dies: bool| {
        let (mut medium, mut second) = (sim.open().unwrap(), sim.second_namespace());
        let found = medium.identify().unwrap();
        let job = begin(kept.last.as_deref(), || plan.clone(), &found, medium.access(), None);
        let mut sequential = Sequential::in_chunks(&mut medium, CHUNK);
        let beside = second.iter_mut().map(|(what, medium)| Sibling { what: what.clone(), medium }).collect();
        let mut at_work = once_it_is_at_work();
        let dies = |task: &Task| if dies { at_work(task) } else { None };
        let mut backend = Killed { backend: WithSiblings::new(&mut sequential, beside), dies };
        let mut person = Person { polls: 0, stop_at: None };
        let run = AssertUnwindSafe(|| {
            jurex_engine::run(job, &mut backend, &Fast(Cell::new(0)), &mut person, &mut kept, &mut |_: &Event| {})
        });
        catch_unwind(run).map_err(|cause| assert!(cause.is::<Cut>(), "a defect")).ok()
    };
    assert!(session(true).is_none(), "it is killed");
    between(&sim);
    session(false).unwrap()
}

#[test]
fn other_namespaces_are_proved_through_a_cut_by_what_was_drawn_before_it() {
    let honest = two_namespaces_through_a_cut(vec![], |_| {});
    assert_eq!(judge(Edition::Rev2, &honest).outcome(), Outcome::Purge, "{honest:?}");
    let half = two_namespaces_through_a_cut(vec![Lie::Half], |_| {});
    assert_eq!(judge(Edition::Rev2, &half).outcome(), Outcome::NotSanitized);
    let again =
        |evidence: &Evidence| evidence.own().unwrap().commands.iter().filter(|c| c.command.starts_with("Sanitize:")).count();
    // Over before anybody came back: the drive itself says that nothing was written to any of them since, or is told again.
    let over: fn(&SimDrive) = |sim| while sim.own_answers().own_state != Some(OwnState::Idle) {};
    let untouched = two_namespaces_through_a_cut(vec![], over);
    assert_eq!((judge(Edition::Rev2, &untouched).outcome(), again(&untouched)), (Outcome::Purge, 1));
    let touched = two_namespaces_through_a_cut(vec![], |sim| {
        while sim.own_answers().own_state != Some(OwnState::Idle) {}
        sim.second_namespace().unwrap().1.write(Lba(5), &OTHERS.repeat(20)[..512]).unwrap();
    });
    assert_eq!((judge(Edition::Rev2, &touched).outcome(), again(&touched)), (Outcome::Purge, 2));
}

/// The job of one of its own erasures on `nature`, from beginning to end: what was told meanwhile, and what it left.
fn own_job(bus: Bus, class: MediaClass, nature: Nature, technique: Technique, stated: &[Condition]) -> (Vec<String>, Evidence) {
    let sim = sim_drive(bus, class, 8 * PAGE, nature);
    (0..8 * PAGE).for_each(|at| sim.write_beyond(Lba(at), &SECRET.repeat(20)[..512]));
    let mut own = NativeOrder::new(technique, &sim.drive(), &sim.own_answers());
    own.stated = Stated { conditions: stated.to_vec(), by: "Ines".into() };
    let plan = Plan::of(&sim.drive(), &Course::Own(own), &mut Dice(1)).unwrap();
    let mut medium = sim.open().unwrap();
    let found = medium.identify().unwrap();
    let job = begin(None, || plan, &found, medium.access(), None);
    let mut backend = Sequential::in_chunks(&mut medium, CHUNK);
    let (mut person, mut told) = (Person { polls: 0, stop_at: None }, vec![]);
    let mut tell = |event: &Event| told.extend(event.sentence());
    let evidence = jurex_engine::run(job, &mut backend, &Fast(Cell::new(0)), &mut person, &mut Kept::default(), &mut tell);
    (told, evidence)
}

fn limits(evidence: &Evidence) -> Vec<String> {
    judge(Edition::Rev2, evidence).limits().iter().map(|l| l.sentence()).collect()
}

#[test]
fn sectors_that_an_erasure_leaves_unreadable_are_made_to_answer_and_what_that_shows_is_limited() {
    let done = |leaves| {
        let nature = Nature { own: vec![NativeErase::SanitizeBlock], leaves, ..Nature::default() };
        let (told, evidence) = own_job(Bus::Nvme, MediaClass::SolidState, nature, Technique::SanitizeBlock, &[]);
        let sent: Vec<&str> = evidence.own().unwrap().commands.iter().map(|c| c.command.as_str()).collect();
        let sent = sent.iter().filter(|c| c.starts_with("Sanitize:")).count();
        let limited = limits(&evidence).iter().any(|l| l.contains("not what its cells hold"));
        assert_eq!(told.iter().any(|t| t.contains("can't be read as this erasure leaves them")), sent == 2, "{told:?}");
        (judge(Edition::Rev2, &evidence).outcome(), sent, limited)
    };
    assert_eq!(done(BlockEraseLeaves::Readable), (Outcome::Purge, 1, false));
    assert_eq!(done(BlockEraseLeaves::Unreadable), (Outcome::Purge, 2, true), "once more, in the other mode");
    assert_eq!(
        done(BlockEraseLeaves::Deallocated),
        (Outcome::Purge, 1, true),
        "the drive says that it did not do as it was asked"
    );
}

#[test]
fn how_an_embedded_device_removes_data_is_read_and_a_way_of_its_makers_own_wants_the_makers_word() {
    let done = |removal, stated: &[Condition]| {
        let nature = Nature { own: vec![NativeErase::MmcSanitize], removal, ..Nature::default() };
        let (_, evidence) = own_job(Bus::Mmc, MediaClass::EmbeddedFlash, nature, Technique::MmcSanitize, stated);
        let said = limits(&evidence).iter().filter(|l| l.contains("SECURE_REMOVAL_TYPE")).cloned().collect::<String>();
        (judge(Edition::Rev2, &evidence).outcome(), said)
    };
    assert_eq!(done(0x01, &[]), (Outcome::Purge, String::new()));
    let (outcome, said) = done(0x00, &[]);
    assert!(outcome == Outcome::Purge && said.contains("does not report how it removes"), "{outcome} {said}");
    let (outcome, said) = done(0x38, &[]);
    assert!(outcome == Outcome::NotSanitized && said.contains("by a method of its maker"), "{outcome} {said}");
    assert_eq!(done(0x38, &[Condition::MakerConfirms]).0, Outcome::Purge);
}

#[test]
fn a_drive_that_failed_is_sanitized_again_and_proved_by_the_next_job() {
    let nature = Nature { own: vec![NativeErase::SanitizeBlock], lies: vec![Lie::FailsByCut], ..Nature::default() };
    let sim = sim_drive(Bus::Nvme, MediaClass::SolidState, 8 * PAGE, nature);
    let mut dice = Dice(1);
    sim.write_beyond(Lba(3), &SECRET.repeat(20)[..512]);
    assert!(sim.open().unwrap().send(&native::nvme::sanitize(2)).unwrap().is_good());
    sim.power_cycle();
    assert_eq!(sim.own_answers().own_state, Some(OwnState::Failed));
    let mut run = || {
        let own = NativeOrder::new(Technique::SanitizeBlock, &sim.drive(), &sim.own_answers());
        let plan = Plan::of(&sim.drive(), &Course::Own(own), &mut dice).unwrap();
        let mut medium = sim.open().unwrap();
        let found = medium.identify().unwrap();
        let job = begin(None, || plan, &found, medium.access(), None);
        let mut backend = Sequential::in_chunks(&mut medium, CHUNK);
        let mut person = Person { polls: 0, stop_at: None };
        let evidence =
            jurex_engine::run(job, &mut backend, &Fast(Cell::new(0)), &mut person, &mut Kept::default(), &mut |_: &Event| {});
        let claim = judge(Edition::Rev2, &evidence);
        (claim.outcome(), format!("{:?}", evidence.ended))
    };
    // What it held could not be read before: nothing proves what the drive says of itself.
    assert_eq!(run(), (Outcome::NotSanitized, "Finished".into()));
    assert_eq!(truth(&sim), Outcome::Purge);
    assert_eq!(run(), (Outcome::Purge, "Finished".into()));
}
