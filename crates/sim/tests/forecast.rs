//! How well the remaining time is foretold at a quarter of the work, on the simulated drives, in their own time.

use jiff::Timestamp;
use jurex_device::media::{Drive, DriveLabel, Geometry, MediaClass};
use jurex_device::medium::{Access, Medium, MediumError};
use jurex_device::testing::{Fixed, cleared};
use jurex_engine::{Clock, Event, Job, NotKept, Now, Progress, Sequential, Unattended, run};
use jurex_pattern::units::{Lba, Sectors};
use jurex_sanitize::estimate::SpeedSample;
use jurex_sanitize::plan::{Order, Plan};
use jurex_sim::{Bay, Pacing, SimBench, SimDrive, SimMedium};
use std::cell::Cell;
use std::rc::Rc;
use std::time::Duration;

/// A clock that only the drive's work moves.
#[derive(Clone, Default)]
struct DriveTime(Rc<Cell<Duration>>);

impl Clock for DriveTime {
    fn now(&self) -> Now {
        Now { wall: Timestamp::UNIX_EPOCH, mono: self.0.get() }
    }
}

struct Timed {
    inner: SimMedium,
    drive: SimDrive,
    clock: DriveTime,
}

impl Timed {
    fn spend(&self, at: Lba, len: usize, reading: bool) {
        let sectors = Sectors::new(at.0, len as u64 / u64::from(self.inner.geometry().logical));
        self.clock.0.set(self.clock.0.get() + self.drive.time_for(sectors, reading));
    }
}

impl Medium for Timed {
    fn geometry(&self) -> Geometry {
        self.inner.geometry()
    }
    fn access(&self) -> Access {
        self.inner.access()
    }
    fn identify(&mut self) -> Result<Drive, MediumError> {
        self.inner.identify()
    }
    fn read(&mut self, at: Lba, out: &mut [u8]) -> Result<(), MediumError> {
        self.spend(at, out.len(), true);
        self.inner.read(at, out)
    }
    fn write(&mut self, at: Lba, data: &[u8]) -> Result<(), MediumError> {
        self.spend(at, data.len(), false);
        self.inner.write(at, data)
    }
    fn flush(&mut self) -> Result<(), MediumError> {
        self.inner.flush()
    }
}

/// Relative errors of the remaining time at a quarter of the work: as the job foretells it, and as a flat mean would.
fn errors(bay: &Bay, notation: &str, sampled: bool) -> (f64, f64) {
    let clock = DriveTime::default();
    let mut medium = Timed { inner: bay.drive.open().unwrap(), drive: bay.drive.clone(), clock: clock.clone() };
    let now = || clock.0.get();
    let sample = sampled.then(|| SpeedSample::take(&mut medium, Duration::from_millis(600), &now).unwrap());
    let drive = &bay.drive.drive();
    let plan = Plan::new(drive, &Order::of_program("test", notation.parse().unwrap()), &mut Fixed(9)).unwrap();
    let DriveLabel::SerialEnding { ending, .. } = drive.label() else { panic!("every bay has a serial") };
    let armed = plan.arm(&cleared(drive), &ending).unwrap();
    let job = Job::start(armed, drive, Access::DIRECT, 1 << 20, clock.now()).unwrap();
    let begun = now();
    let mut progress = Progress::of_plan(&plan).with_sample(sample);
    let mut quarter = None;
    run(job, &mut Sequential::new(&mut medium), &clock, &mut Unattended, &mut NotKept, &mut |event: &Event| {
        progress.apply(event);
        if quarter.is_none() && progress.share() >= 0.25 {
            let flat = (now() - begun).as_secs_f64() * 3.0;
            quarter = Some((now(), progress.time_left().unwrap().as_secs_f64(), flat));
        }
    });
    let (at, foretold, flat) = quarter.unwrap();
    let truly = (now() - at).as_secs_f64();
    ((foretold - truly).abs() / truly, (flat - truly).abs() / truly)
}

#[test]
fn at_a_quarter_of_the_work_the_remaining_time_is_right_within_a_tenth() {
    let bench = SimBench::new(Pacing::Unpaced);
    println!("error of the remaining time at 25 % of the work (in brackets: by a flat mean)");
    for (number, notation) in [(2, "00?"), (2, "00 | FF | 11?"), (10, "00?"), (8, "00"), (4, "00?"), (6, "00 | FF?")] {
        let bay = bench.bay(number).unwrap();
        for sampled in [false, true] {
            let (error, flat) = errors(bay, notation, sampled);
            let known = if sampled { "sampled" } else { "not sampled" };
            println!("  bay {number:>2}, {notation:<14} {known:<12} {:5.1} % ({:5.1} %)", error * 100.0, flat * 100.0);
            // How fast flash reads is not known before it was read once or sampled.
            if sampled || bay.drive.drive().class == MediaClass::Magnetic {
                assert!(error < 0.1, "bay {number}, {notation}, {known}: {error}");
            }
        }
    }
    // A worn zone that lies ahead can't be foretold; it is printed, so that nobody believes otherwise.
    let (worn, flat) = errors(bench.bay(3).unwrap(), "00?", true);
    println!("  bay  3, with a worn zone and bad sectors: {:5.1} % ({:5.1} %)", worn * 100.0, flat * 100.0);
}
