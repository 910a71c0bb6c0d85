//! The demonstration's past: a year of made-up work, so that the ledger has something to be searched. Every job really ran, on a small
//! simulated drive under a clock of its own: its record follows from its evidence like any other.

use jiff::{SignedDuration, Timestamp};
use jurex_device::guard::check;
use jurex_device::media::{Bus, Drive, Geometry, MediaClass, Unit};
use jurex_device::medium::Medium;
use jurex_disposition::release::{Act, Circumstances, OfDrive, Release};
use jurex_engine::{CHUNK_BYTES, Checkpoint, CheckpointStore, Clock, Job, KeepError, Now, Sequential, Unattended};
use jurex_ledger::Ledger;
use jurex_pattern::method;
use jurex_pattern::notation::Entropy;
use jurex_pattern::units::Sectors;
use jurex_sanitize::contents::Contents;
use jurex_sanitize::plan::{Order, Plan};
use jurex_sanitize::record::{Backup, JobId, Papers, Record};
use jurex_sanitize::rules::Edition;
use jurex_sim::{CellKind, Fault, Pacing, SimDrive, SpeedShape};
use jurex_station::config::Config;
use jurex_station::exit::Failure;
use jurex_station::this_tool;
use std::cell::Cell;
use std::time::Duration;

/// Jobs of that year.
const JOBS: u64 = 48;

/// Sectors of a drive: enough to be shown, and quickly done.
const SECTORS: u64 = 2048;

/// A kind of drive that came in: maker, model, how serials begin, class, bus, and how its class is known.
type Model = (&'static str, &'static str, &'static str, MediaClass, Bus, &'static str);

const MODELS: [Model; 5] = [
    ("Ferrant", "Meridian 500", "FM0500", MediaClass::Magnetic, Bus::Sata, "it turns 5400 times a minute"),
    ("Ferrant", "Anvil 300", "FA0300", MediaClass::Magnetic, Bus::Sata, "it turns 10000 times a minute"),
    ("Quillon", "Arc 240", "QA240R", MediaClass::SolidState, Bus::Sata, "its rotation word is 1"),
    ("Tessel", "Logger 16", "TL16H6", MediaClass::RemovableFlash, Bus::Mmc, "it is an SD card"),
    ("Tessel", "Pebble 32", "TP32-5", MediaClass::RemovableFlash, Bus::Usb, "it is a USB stick"),
];

const SOURCES: [&str; 4] = ["Skerry Point station", "Gull Ness station", "Holm Sound station", "Hollow Ness mast"];

/// The time of that job's day: each look at it takes four milliseconds.
struct Then {
    morning: Timestamp,
    looks: Cell<u64>,
}

impl Clock for Then {
    fn now(&self) -> Now {
        self.looks.set(self.looks.get() + 1);
        let mono = Duration::from_millis(self.looks.get() * 4);
        let wall = self.morning + SignedDuration::try_from(mono).unwrap_or_default();
        Now { wall: Timestamp::from_millisecond(wall.as_millisecond()).unwrap_or(wall), mono }
    }
}

struct Forgets;

impl CheckpointStore for Forgets {
    fn keep(&mut self, _: &Checkpoint) -> Result<(), KeepError> {
        Ok(())
    }
}

/// Made-up chance, the same each time.
struct Seed(u64);

impl Seed {
    /// The next number below that, by a linear congruence.
    fn below(&mut self, most: u64) -> u64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % most
    }

    fn letters(&mut self, count: usize) -> String {
        const LETTERS: &[u8] = b"0123456789ABCDEFGHJKMNPQRSTVWXYZ";
        (0..count).map(|_| char::from(LETTERS[self.below(LETTERS.len() as u64) as usize])).collect()
    }
}

impl Entropy for Seed {
    fn fill(&mut self, out: &mut [u8]) {
        out.iter_mut().for_each(|byte| *byte = self.below(256) as u8);
    }
}

/// Puts a year of work before `now` into a ledger that holds no job yet. `meanwhile` is told of the time before each job: a ledger
/// lists jobs as they came.
///
/// # Errors
/// The ledger can't be written.
pub(super) fn remember(
    ledger: &Ledger,
    now: Timestamp,
    meanwhile: impl Fn(&Ledger, Timestamp) -> Result<(), Failure>,
) -> Result<(), Failure> {
    if !ledger.find("", None, 1)?.is_empty() {
        return Ok(());
    }
    let mut seed = Seed(417);
    for n in 0..JOBS {
        // From eleven months and a half ago on, a job every week, in working hours; the last ones a week ago.
        let ago = SignedDuration::from_hours(24 * 7 * (JOBS - n) as i64) - SignedDuration::from_mins(seed.below(400) as i64);
        let Some((record, drive)) = job(n, now - ago, &mut seed) else { continue };
        meanwhile(ledger, record.started)?;
        ledger.begin(&record.job, &drive, record.started)?;
        ledger.finish(&record, record.ended)?;
        let sanitized = record.kept_its_plan();
        let act = match (sanitized, n % 3) {
            (false, _) => continue,
            (true, 0) => Act::Stored { place: format!("shelf {}", n % 7 + 1) },
            (true, 1) => Act::Returned { to: SOURCES[(n % 4) as usize].into() },
            (true, _) => Act::HandedOver { to: "Tern Quay schools".into() },
        };
        let about = Circumstances {
            tool: record.tool.clone(),
            made: record.ended,
            by: record.papers().technician.name.clone(),
            drive: OfDrive::of(&drive),
            job: Some((record.job.clone(), record.digest())),
            lot: record.papers().lot.clone(),
            papers: None,
        };
        ledger.keep_release(&Release::new(about, act, Edition::default())?)?;
    }
    Ok(())
}

/// One job of that morning, with its drive; `None`: it could not be made.
fn job(n: u64, morning: Timestamp, seed: &mut Seed) -> Option<(Record, Drive)> {
    let (maker, model, start, class, bus, basis) = MODELS[seed.below(MODELS.len() as u64) as usize];
    let geometry = Geometry { logical: 512, physical: 512, sectors: SECTORS };
    let unit = Unit {
        maker: Some(maker.into()),
        model: Some(model.into()),
        serial: Some(format!("{start}{}", seed.letters(6))),
        firmware: Some("1.04".into()),
        ids: vec![],
    };
    let drive = Drive { unit, simulated: true, ..Drive::bare(format!("sim:{}", n % 9 + 2), bus, class, basis, geometry) };
    let shape = SpeedShape { outer: 100e6, inner: 60e6, read_factor: 1.15, slow_zone: None };
    let sim = SimDrive::new(drive, CellKind::Magnetic, shape, Pacing::Unpaced);
    // Every eighth is worn out.
    if n % 8 == 5 {
        sim.add_fault(Fault::Unwritable(Sectors::new(900 + seed.below(800), 1 + seed.below(9))));
    }
    let name = match class {
        MediaClass::RemovableFlash => "pattern-complement",
        _ if n.is_multiple_of(4) => "random",
        _ => "zeros",
    };
    let drive = sim.drive();
    let plan = Plan::new(&drive, &Order::of_method(method::find(name)?), seed).ok()?;
    let cleared = check(plan.intent(), &[(drive.clone(), vec![])]).ok()?;
    let armed = plan.arm(&cleared, &drive.label().text()).ok()?;
    let clock = Then { morning, looks: Cell::new(0) };
    let mut medium = sim.open().ok()?;
    let (found, access) = (medium.identify().ok()?, medium.access());
    let began = clock.now();
    let job = Job::start(armed, &found, access, CHUNK_BYTES, began).ok()?;
    let mut backend = Sequential::new(&mut medium);
    let evidence = jurex_engine::run(job, &mut backend, &clock, &mut Unattended, &mut Forgets, &mut |_| {});
    let papers = Papers {
        lot: format!("BW-{:04}", 300 + n * 2),
        source: SOURCES[(n % 4) as usize].into(),
        property_number: format!("BWS {:04}", 1100 + n * 7),
        backup: Backup::NotNeeded,
        ..Config::demo().papers()
    };
    let day = morning.strftime("%y%m%d").to_string();
    let id = JobId::new(&day, std::array::from_fn(|_| seed.below(256) as u8));
    let times = (began.wall, clock.now().wall);
    Some((Record::new(id, this_tool(), &plan, Contents::default(), evidence, times, papers), drive))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_year_of_work_can_be_searched_and_comes_once() {
        let home = tempfile::tempdir().unwrap();
        let ledger = Ledger::open(&home.path().join("ledger.sqlite3")).unwrap();
        let now: Timestamp = "2026-11-26T12:00:00Z".parse().unwrap();
        remember(&ledger, now, |_, _| Ok(())).unwrap();
        remember(&ledger, now, |_, _| Ok(())).unwrap();
        let all = ledger.find("", None, 100).unwrap();
        assert_eq!(all.len() as u64, JOBS);
        assert!(all.iter().all(|line| line.standing.record().is_some()), "every record holds");
        let started = |line: &jurex_past::JobLine| line.started[..7].to_string();
        assert_eq!((started(&all[0]), started(all.last().unwrap())), ("2026-11".into(), "2025-12".into()));
        let found = |words: &str| ledger.find(words, None, 100).unwrap().len();
        assert!(found("date:2026-03") >= 3 && found("Gull Ness") >= 10, "months and places are found");
        let outcomes = [found("outcome:Clear"), found("outcome:Not")];
        assert!(outcomes[0] > 30 && outcomes[1] >= 4, "{outcomes:?}");
    }
}
