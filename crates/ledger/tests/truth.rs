//! Whatever is done to two drives and to the ledger that tells of them, in whatever order: what is printed of a drive never exceeds what the
//! ledger and the drive can bear, or the check says that the ledger was touched. Jobs, second checks and statements are made by the real code
//! on simulated drives; beside them a plain list keeps what truly happened.
//!
//! A seed that fails prints itself; `JUREX_SEED=… cargo test -p jurex-ledger --test truth` plays it again, and `JUREX_SEEDS=100000` tries that
//! many.

use jiff::Timestamp;
use jurex_device::media::MediaClass;
use jurex_device::medium::Medium;
use jurex_device::testing::{Dice, Fixed, cleared, test_drive};
use jurex_disposition::lot::{Lot, LotList, LotStatus};
use jurex_disposition::proof::{self, ExpectedContents, Finding, OfRecord, SecondCheck, VerificationFacts, VerificationRecord};
use jurex_disposition::release::{Act, Circumstances, Destruction, How, Named, OfDrive, Release};
use jurex_engine::{Clock, Event, Job, NotKept, Now, Sequential, Unattended};
use jurex_ledger::Ledger;
use jurex_past::TreeHead;
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::{Lba, Sectors};
use jurex_sanitize::contents::Contents;
use jurex_sanitize::plan::{Order, Plan};
use jurex_sanitize::record::{JobId, Papers, Person, Record, Tool};
use jurex_sanitize::rules::{Edition, Outcome};
use jurex_sim::{CellKind, Fault, Pacing, SimDrive, SpeedShape};
use rusqlite::Connection;
use std::cell::Cell;
use std::collections::BTreeMap;
use std::path::PathBuf;
use std::time::Duration;

const SECTORS: u64 = 256;
const CHUNK: usize = 64 * 512;

/// Each thing happens at a time of its own, and a job within one.
struct At(Cell<u64>, Timestamp);

impl Clock for At {
    fn now(&self) -> Now {
        self.0.set(self.0.get() + 1);
        Now { wall: self.1, mono: Duration::from_millis(self.0.get()) }
    }
}

/// What truly happened to a drive, in its order. What the ledger says is measured by this, and by nothing of the ledger.
#[derive(Clone, Debug)]
enum Truth {
    Begun,
    Recorded(JobId, Outcome),
    Checked(JobId, Finding),
    Received,
    Destroyed(String, Outcome),
    Withdrawn(String),
}

struct Drive {
    sim: SimDrive,
    truth: Vec<Truth>,
    newest: Option<Record>,
    /// A sector that somebody has written to, with what was there.
    spoiled: Option<(Lba, [u8; 512])>,
}

struct World {
    folder: tempfile::TempDir,
    path: PathBuf,
    drives: Vec<Drive>,
    lot: Lot,
    /// Heads as they were printed and carried away.
    heads: Vec<TreeHead>,
    copies: Vec<PathBuf>,
    second: i64,
    jobs: u32,
}

fn tool() -> Tool {
    Tool { name: "Jurex".into(), version: "0".into() }
}

fn sim_drive(n: u32) -> Drive {
    let mut drive = test_drive(MediaClass::Magnetic, SECTORS);
    (drive.unit.serial, drive.path) = (Some(format!("TEST00000{n}")), format!("sim:9{n}"));
    let shape = SpeedShape { outer: 1e9, inner: 1e9, read_factor: 1.0, slow_zone: None };
    Drive { sim: SimDrive::new(drive, CellKind::Magnetic, shape, Pacing::Unpaced), truth: vec![], newest: None, spoiled: None }
}

impl World {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("ledger.sqlite3");
        let mut lot = Lot::new("BW-0417", Timestamp::UNIX_EPOCH).unwrap();
        lot.add(LotList::from_csv("serial\nTEST000001\nTEST000002\n").unwrap()).unwrap();
        let drives = vec![sim_drive(1), sim_drive(2)];
        let world = Self { folder, path, drives, lot, heads: vec![], copies: vec![], second: 1000, jobs: 0 };
        world.ledger().unwrap().keep_lot(&world.lot, "opened", Timestamp::UNIX_EPOCH).unwrap();
        world
    }

    /// `None`: somebody has spoiled it so that it opens no more.
    fn ledger(&self) -> Option<Ledger> {
        Ledger::open(&self.path).ok()
    }

    fn now(&mut self) -> Timestamp {
        self.second += 10;
        Timestamp::from_second(self.second).unwrap()
    }

    /// What is covered is carried away: nobody who touches the file can touch that.
    fn keep_head(&mut self) {
        let now = self.now();
        if let Some(ledger) = self.ledger()
            && ledger.cover_events(now).is_ok()
            && let Ok(head) = ledger.head()
        {
            let _ = ledger.keep_head(&head, "a note");
            self.heads.push(head);
        }
    }

    fn erase(&mut self, n: usize, dice: &mut Dice) {
        self.jobs += 1;
        let job: JobId = format!("261130-{:06}", self.jobs).parse().unwrap();
        let when = self.now();
        let (is_cut, fails) = (dice.one_in(5), dice.one_in(12));
        let Some(ledger) = self.ledger() else { return };
        let drive = &mut self.drives[n];
        if fails {
            drive.sim.add_fault(Fault::DropsWrites(Sectors::new(dice.below(SECTORS), 1)));
        }
        let described = drive.sim.drive();
        let order = Order::of_program("test", "random?".parse().unwrap());
        let plan = Plan::new(&described, &order, &mut Fixed(dice.below(200) as u8)).unwrap();
        let armed = plan.arm(&cleared(&described), described.unit.serial().unwrap()).unwrap();
        let mut medium = drive.sim.open().unwrap();
        let clock = At(Cell::new(0), when);
        let begun = Job::start(armed, &medium.identify().unwrap(), medium.access(), CHUNK, clock.now()).unwrap();
        // A ledger that was spoiled may take nothing any more: then nothing is claimed by it.
        if ledger.begin(&job, &described, when).is_err() {
            return;
        }
        drive.truth.push(Truth::Begun);
        (drive.newest, drive.spoiled) = (None, None);
        let mut tell = |event: &Event| drop(ledger.tell(&job, event, when));
        let mut backend = Sequential::in_chunks(&mut medium, CHUNK);
        let evidence = jurex_engine::run(begun, &mut backend, &clock, &mut Unattended, &mut NotKept, &mut tell);
        if is_cut {
            return;
        }
        let papers = Papers { lot: self.lot.name.clone(), ..Papers::default() };
        let record = Record::new(job.clone(), tool(), &plan, Contents::default(), evidence, (when, when), papers);
        if ledger.finish(&record, when).is_ok() {
            drive.truth.push(Truth::Recorded(job, record.claim().outcome()));
            drive.newest = Some(record);
        }
    }

    /// A second check by somebody's file of the record: the true one, or one whose range was cut so that a leftover is not met.
    fn check(&mut self, n: usize, dice: &mut Dice) {
        let (started, ended) = (self.now(), self.now());
        let Some(ledger) = self.ledger() else { return };
        let drive = &mut self.drives[n];
        let Some(record) = drive.newest.clone() else { return };
        let Ok(mut expected) = ExpectedContents::by_record(&record) else { return };
        let is_edited = dice.one_in(3);
        if is_edited {
            expected.range = Sectors::new(0, 8);
        }
        let mut medium = drive.sim.open().unwrap();
        let found = medium.identify().unwrap();
        let access = medium.access();
        let places: RangeSet = [expected.range].into_iter().collect();
        let mut backend = Sequential::in_chunks(&mut medium, CHUNK);
        let clock = At(Cell::new(0), started);
        let reading = proof::read(&expected, &places, found.geometry, &mut backend, &clock, &mut Unattended, &mut |_| {});
        let by = Person { name: "Odile".into(), ..Person::default() };
        let of = Some(OfRecord::of(&record));
        let look = VerificationFacts {
            tool: tool(),
            by,
            of,
            drive: found,
            access,
            started,
            ended,
            expected,
            sampling: None,
            left: None,
        };
        let verification = VerificationRecord::new(look, reading);
        let kept = ledger.add_verification(&record.job, &verification, ended);
        let noted = kept.is_ok() && ledger.record(&record.job).is_ok();
        assert!(!is_edited || !noted, "a check of less than the record says has standing");
        if noted {
            drive.truth.push(Truth::Checked(record.job.clone(), verification.finding()));
        }
    }

    /// Somebody writes to a drive, or hides again that they did.
    fn spoil(&mut self, n: usize, dice: &mut Dice) {
        let drive = &mut self.drives[n];
        if let Some((at, before)) = drive.spoiled.take() {
            return drive.sim.write_beyond(at, &before);
        }
        let (at, mut before) = (Lba(dice.below(SECTORS)), [0; 512]);
        drive.sim.peek().read(at, &mut before).unwrap();
        drive.sim.write_beyond(at, &[0x41; 512]);
        drive.spoiled = Some((at, before));
    }

    fn note(&mut self, n: usize, act: Act) {
        let made = self.now();
        let drive = OfDrive::of(&self.drives[n].sim.drive());
        let lot = self.lot.name.clone();
        let about = Circumstances { tool: tool(), made, by: "Ines".into(), drive, job: None, lot, papers: None };
        let release = Release::new(about, act, Edition::Rev2).unwrap();
        if self.ledger().is_none_or(|ledger| ledger.keep_release(&release).is_err()) {
            return;
        }
        self.drives[n].truth.push(match &release.act {
            Act::Received { .. } => Truth::Received,
            Act::Withdrawn { statement, .. } => Truth::Withdrawn(statement.clone()),
            _ => Truth::Destroyed(release.digest(), release.outcome().unwrap()),
        });
    }

    fn destroy(&mut self, n: usize, dice: &mut Dice) {
        let how = dice.pick(&[How::Incinerated, How::Drilled]);
        let said = |text: &str| text.to_string();
        let (by, place, witness, named) = (said("Ines"), said("the yard"), said("Odile"), Some(Named::Label));
        self.note(n, Act::Destroyed(Destruction { by, place, witness, named, ..Destruction::of(how) }));
    }

    fn withdraw(&mut self, n: usize, dice: &mut Dice) {
        let stated = |t: &Truth| if let Truth::Destroyed(digest, _) = t { Some(digest.clone()) } else { None };
        let all: Vec<String> = self.drives[n].truth.iter().filter_map(stated).collect();
        if !all.is_empty() {
            self.note(n, Act::Withdrawn { statement: dice.pick(&all), why: "another drive".into() });
        }
    }

    fn copy(&mut self) {
        let copy = self.folder.path().join(format!("copy-{}", self.copies.len()));
        if self.ledger().is_some_and(|ledger| ledger.backup(&copy).is_ok()) {
            self.copies.push(copy);
        }
    }

    /// An earlier copy in the ledger's place, by other means than its own.
    fn put_back(&mut self, dice: &mut Dice) {
        if self.copies.is_empty() {
            return;
        }
        for end in ["", "-wal", "-shm"] {
            let _ = std::fs::remove_file(format!("{}{end}", self.path.display()));
        }
        std::fs::copy(dice.pick(&self.copies), &self.path).unwrap();
    }

    /// Somebody who can write the file.
    fn touch(&self, dice: &mut Dice) {
        let change = dice.pick(&[
            "UPDATE record SET json = replace(json, '\"outcome\":\"not-sanitized\"', '\"outcome\":\"clear\"')",
            "DELETE FROM record WHERE number = (SELECT max(number) FROM record)",
            "UPDATE record SET leaf = 1",
            "DELETE FROM verification WHERE number = (SELECT max(number) FROM verification)",
            "UPDATE verification SET confirmed = 1",
            "UPDATE verification SET json = replace(json, '\"contradicted\"', '\"confirmed\"')",
            "UPDATE verification SET job = (SELECT max(name) FROM job)",
            "DELETE FROM release WHERE number = (SELECT max(number) FROM release)",
            "UPDATE release SET json = replace(json, 'drilled', 'incinerated')",
            "UPDATE release SET serial = 'TEST000001'",
            "DELETE FROM job WHERE name = (SELECT max(name) FROM job)",
            "UPDATE job SET serial = 'TEST000001'",
            "UPDATE lot SET json = replace(json, 'TEST000002', 'TEST000001')",
            "DELETE FROM leaf WHERE number = (SELECT max(number) FROM leaf)",
            "DELETE FROM event WHERE job = (SELECT max(name) FROM job)",
            "CREATE TRIGGER IF NOT EXISTS t AFTER INSERT ON verification BEGIN DELETE FROM verification; END",
        ]);
        let other = Connection::open(&self.path).unwrap();
        other.pragma_update(None, "foreign_keys", false).unwrap();
        let _ = other.execute_batch(change);
    }
}

impl Drive {
    /// Whether what was done to it last, by what truly happened, has earned something.
    fn is_done(&self) -> bool {
        let mut withdrawn = vec![];
        for truth in self.truth.iter().rev() {
            match truth {
                Truth::Withdrawn(of) => withdrawn.push(of.clone()),
                Truth::Destroyed(of, outcome) if *outcome > Outcome::NotSanitized && !withdrawn.contains(of) => return true,
                Truth::Recorded(_, outcome) => return *outcome > Outcome::NotSanitized,
                Truth::Begun | Truth::Received => return false,
                Truth::Destroyed(..) | Truth::Checked(..) => {}
            }
        }
        false
    }

    /// Whether a second check of that job was truly made with that end.
    fn was_checked(&self, job: &JobId, finding: Finding) -> bool {
        self.truth.iter().any(|t| matches!(t, Truth::Checked(of, f) if of == job && *f == finding))
    }

    /// Whether that statement of its destruction stands, by what truly happened.
    fn states(&self, digest: &str) -> bool {
        let mut withdrawn = vec![];
        self.truth.iter().rev().any(|truth| match truth {
            Truth::Withdrawn(of) => {
                withdrawn.push(of.clone());
                false
            }
            Truth::Destroyed(of, _) => of == digest && !withdrawn.contains(of),
            _ => false,
        })
    }
}

/// What is printed and exceeds what is borne, each a sentence; `None`: the ledger can't be read at all, and prints nothing.
fn above(world: &World) -> Option<Vec<String>> {
    let ledger = Ledger::open_to_read(&world.path).ok()?;
    let lot = ledger.lot(&world.lot.name).ok()??;
    let now = ledger.lot_now(lot).ok()?;
    let mut above = vec![];
    for item in now.items(&[]) {
        let is_it = |d: &&Drive| d.sim.drive().unit.serial() == Some(item.serial.as_str());
        let Some(drive) = world.drives.iter().find(is_it) else { continue };
        if matches!(item.stand, LotStatus::Done(_)) && !drive.is_done() {
            above.push(format!("{} is done", item.serial));
        }
        if let Some(release) = &item.destroyed
            && release.outcome() > Some(Outcome::NotSanitized)
            && !drive.states(&release.digest())
        {
            above.push(format!("{} is destroyed", item.serial));
        }
    }
    for drive in &world.drives {
        let recorded = |t: &Truth| if let Truth::Recorded(job, _) = t { Some(job.clone()) } else { None };
        let jobs: Vec<JobId> = drive.truth.iter().filter_map(recorded).collect();
        for (job, stands) in ledger.second_checks(&jobs).ok()? {
            let is_borne = drive.was_checked(&job, Finding::Confirmed) && !drive.was_checked(&job, Finding::Contradicted);
            if stands.is_confirmed() && !is_borne {
                above.push(format!("the second check of {job} is {stands}"));
            }
            assert!(stands != SecondCheck::NotMade || !drive.was_checked(&job, Finding::Contradicted) || is_touched(world));
        }
    }
    Some(above)
}

/// Whether the check says that somebody touched the ledger, by the heads that were carried away.
fn is_touched(world: &World) -> bool {
    let checked = Ledger::open_to_read(&world.path).and_then(|ledger| ledger.check_chain(&world.heads));
    checked.map_or(true, |checked| !checked.wrong.is_empty())
}

/// What was found to exceed the truth without a word of the check, with what happened; what was printed above it and was told.
#[derive(Default)]
struct Played {
    wrong: Option<(u64, Vec<String>)>,
    told: u64,
    looks: u64,
}

fn play(seed: u64) -> Played {
    let dice = &mut Dice(seed);
    let mut world = World::new();
    let mut played = Played::default();
    let is_honest = dice.one_in(2);
    let mut did = vec![];
    world.erase(0, dice);
    for _ in 0..6 + dice.below(12) {
        let n = usize::from(dice.one_in(4));
        let what = dice.below(if is_honest { 10 } else { 13 });
        did.push(format!("{what} of {n}"));
        match what {
            0 => world.erase(n, dice),
            1..=4 => world.check(n, dice),
            5 | 6 => world.spoil(n, dice),
            7 => world.destroy(n, dice),
            8 => world.withdraw(n, dice),
            9 => world.note(n, Act::Received { from: "Skerry Point".into() }),
            10 => world.copy(),
            11 => world.put_back(dice),
            _ => world.touch(dice),
        }
        if what < 10 {
            world.keep_head();
        }
        let (Some(above), is_told) = (above(&world), is_touched(&world)) else { continue };
        played.looks += 1;
        played.told += u64::from(!above.is_empty() && is_told);
        // Whoever touches nothing is accused of nothing.
        let accused = (is_honest && is_told).then(|| "nobody has touched it, and the check says so".to_string());
        if accused.is_some() || (!above.is_empty() && !is_told) {
            played.wrong = Some((seed, above.into_iter().chain(accused).chain([did.join(", ")]).collect()));
            break;
        }
    }
    played
}

#[test]
fn what_is_printed_never_exceeds_what_the_ledger_and_the_drive_can_bear() {
    let number = |name: &str| std::env::var(name).ok().and_then(|v| v.parse::<u64>().ok());
    let seeds: Vec<u64> = match number("JUREX_SEED") {
        Some(seed) => vec![seed],
        None => (0..number("JUREX_SEEDS").unwrap_or(60)).collect(),
    };
    let threads = std::thread::available_parallelism().map_or(1, usize::from);
    let played: Vec<Played> = std::thread::scope(|scope| {
        let seeds = &seeds;
        let share = move |n: usize| seeds.iter().skip(n).step_by(threads).map(|seed| play(*seed)).collect::<Vec<_>>();
        let workers: Vec<_> = (0..threads).map(|n| scope.spawn(move || share(n))).collect();
        workers.into_iter().flat_map(|w| w.join().expect("a seed met a defect")).collect()
    });
    let sum = |of: fn(&Played) -> u64| played.iter().map(of).sum::<u64>();
    eprintln!(
        "{} seeds, {} looks; {} times more was printed and the check said so",
        seeds.len(),
        sum(|p| p.looks),
        sum(|p| p.told)
    );
    let wrong: BTreeMap<u64, Vec<String>> = played.into_iter().filter_map(|p| p.wrong).collect();
    assert!(wrong.is_empty(), "{wrong:#?}");
}
