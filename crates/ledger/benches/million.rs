//! A ledger of a million jobs (JUREX_BENCH_JOBS: of so many): the first page, and what a search takes.
//!
//! `cargo bench -p jurex-ledger --features testing`. The ledger is made once, in the folder of the build, and kept for the next time.

use jiff::{Timestamp, ToSpan};
use jurex_device::media::MediaClass;
use jurex_device::medium::Access;
use jurex_device::testing::{Fixed, test_drive};
use jurex_ledger::Ledger;
use jurex_pattern::method::library;
use jurex_sanitize::contents::Contents;
use jurex_sanitize::evidence::{Ended, Evidence, Session};
use jurex_sanitize::plan::{Order, Plan};
use jurex_sanitize::record::{JobId, Papers, Person, Record, Tool};
use std::path::PathBuf;
use std::time::Instant;

fn main() {
    divan::main();
}

fn jobs() -> u32 {
    std::env::var("JUREX_BENCH_JOBS").ok().and_then(|n| n.parse().ok()).unwrap_or(1_000_000)
}

/// Job number `n` of a service that retires drives for years.
fn record(n: u32) -> Record {
    let mut drive = test_drive(MediaClass::Magnetic, 64);
    drive.unit.serial = Some(format!("FM{:08X}K7{:04X}", n.wrapping_mul(2_654_435_761), n % 65_536));
    let plan = Plan::new(&drive, &Order::of_method(&library()[n as usize % 5]), &mut Fixed(0)).expect("a plan");
    let began: Timestamp = "2010-01-01T06:00:00Z".parse().expect("a time");
    let began = began + (i64::from(n) * 480).seconds();
    let session = Session::new(drive, Access::DIRECT, began);
    let evidence = Evidence { ended: Ended::Stopped, ..Evidence::begin(session, plan.kinds()) };
    let papers = Papers {
        lot: format!("BW-{:04}", n / 180),
        property_number: format!("BWS {n:07}"),
        source: ["Skerry Point station", "Tern Quay workshop", "Hollow Ness mast"][n as usize % 3].into(),
        technician: Person { name: "Ines Okafor-Lindqvist".into(), ..Person::default() },
        validator: Person { name: "Tomasz Averill".into(), ..Person::default() },
        ..Papers::default()
    };
    let tool = Tool { name: "Jurex".into(), version: "0".into() };
    let day = began.strftime("%y%m%d").to_string();
    let times = (began, began + 300.seconds());
    Record::new(JobId::new(&day, n.to_be_bytes()), tool, &plan, Contents::default(), evidence, times, papers)
}

fn ledger() -> Ledger {
    let path = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join(format!("million/{}.sqlite3", jobs()));
    let ledger = Ledger::open(&path).expect("a ledger");
    let there = ledger.head().expect("a head").size / 2;
    let began = Instant::now();
    for from in (there as u32..jobs()).step_by(20_000) {
        ledger.add_many((from..(from + 20_000).min(jobs())).map(record)).expect("room for it");
        eprintln!("{from} jobs after {:.0} s", began.elapsed().as_secs_f64());
    }
    ledger
}

#[divan::bench(args = ["", "bw-5000", "K79ACE", "okafor skerry", "bws 0012345", "2021-03", "not sanitized", "o", "zzzz", "lot:bw-0001 tern", "bw-0001 2024"])]
fn first_page(bencher: divan::Bencher<'_, '_>, typed: &str) {
    let ledger = ledger();
    bencher.bench_local(|| ledger.find(typed, None, 50).expect("an answer"));
}

#[divan::bench]
fn of_one_drive(bencher: divan::Bencher<'_, '_>) {
    let ledger = ledger();
    let serial = record(jobs() / 2).evidence().drive().unit.serial.clone().expect("one");
    bencher.bench_local(|| ledger.of_serial(&serial).expect("an answer"));
}

#[divan::bench]
fn a_proof(bencher: divan::Bencher<'_, '_>) {
    let ledger = ledger();
    let head = ledger.head().expect("a head");
    ledger.keep_head(&head, "a note").expect("room for it");
    let job = record(jobs() / 2).job;
    bencher.bench_local(|| ledger.inclusion(&job).expect("an answer").expect("a proof"));
}
