//! Prints the record of the job that erased the drive in bay 10 of the demonstration a while ago: a real job on the simulated drive,
//! under a clock of its own. `assets/bay-10.record.json` was made so.

use jurex_device::guard::check;
use jurex_device::medium::Medium;
use jurex_engine::{CHUNK_BYTES, Checkpoint, CheckpointStore, Clock, Job, KeepError, Now, Sequential, Unattended};
use jurex_pattern::method;
use jurex_pattern::notation::Entropy;
use jurex_sanitize::contents::Contents;
use jurex_sanitize::plan::{Order, Plan};
use jurex_sanitize::record::{Backup, Papers, Person, Record, Tool};
use jurex_sim::{Pacing, SimBench};
use std::cell::Cell;
use std::time::Duration;

/// Half a millisecond more at each look, from the morning of that day on.
struct Then(Cell<u64>);

impl Clock for Then {
    fn now(&self) -> Now {
        self.0.set(self.0.get() + 1);
        let mono = Duration::from_micros(self.0.get() * 4_000);
        let morning: jiff::Timestamp = "2026-10-23T09:12:00Z".parse().expect("a time");
        let wall = morning + jiff::SignedDuration::try_from(mono).expect("a short time");
        Now { wall: jiff::Timestamp::from_millisecond(wall.as_millisecond()).expect("a time"), mono }
    }
}

struct Forgets;

impl CheckpointStore for Forgets {
    fn keep(&mut self, _: &Checkpoint) -> Result<(), KeepError> {
        Ok(())
    }
}

struct Same;

impl Entropy for Same {
    fn fill(&mut self, out: &mut [u8]) {
        out.fill(7);
    }
}

fn main() {
    let bench = SimBench::new(Pacing::Unpaced);
    let sim = &bench.bay(10).expect("the bench has ten bays").drive;
    let order = Order { marks: true, ..Order::of_method(method::find("zeros").expect("it is in the library")) };
    let plan = Plan::new(&sim.drive(), &order, &mut Same).expect("it fits");
    let cleared = check(plan.intent(), &[(sim.drive(), vec![])]).expect("nothing uses it");
    let armed = plan.arm(&cleared, "D8JN6W").expect("that is its label");
    let clock = Then(Cell::new(0));
    let mut medium = sim.open().expect("nobody else has it");
    let (found, access) = (medium.identify().expect("it answers"), medium.access());
    let began = clock.now();
    let job = Job::start(armed, &found, access, CHUNK_BYTES, began).expect("it is the same drive");
    let mut backend = Sequential::new(&mut medium);
    let evidence = jurex_engine::run(job, &mut backend, &clock, &mut Unattended, &mut Forgets, &mut |_| {});
    let person = |name: &str, title: &str, contact: &str| Person {
        name: name.into(),
        title: title.into(),
        place: "Tern Quay workshop".into(),
        contact: contact.into(),
        ..Person::default()
    };
    let papers = Papers {
        organisation: "Brackwater Weather Service".into(),
        lot: "BW-0398".into(),
        source: "Skerry Point station".into(),
        backup: Backup::NotNeeded,
        technician: person("Ines Okafor-Lindqvist", "media technician", "extension 214"),
        validator: person("Tomasz Averill", "records officer", "extension 207"),
        ..Papers::default()
    };
    let tool = Tool { name: "Jurex".into(), version: "0.1.0".into() };
    let id = "261023-7Q4KPT".parse().expect("a name");
    let times = (began.wall, clock.now().wall);
    println!("{}", Record::new(id, tool, &plan, Contents::default(), evidence, times, papers).to_json());
}
