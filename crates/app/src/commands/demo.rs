//! `jurex demo`: the interface on the simulated bench, or the whole lot with no screen.

use super::{past_year, say};
use crate::cli::Demo;
use jurex_device::media::{Drive, MediaClass};
use jurex_disposition::lot::{Lot, LotList};
use jurex_disposition::release::{Act, Circumstances, OfDrive, Release};
use jurex_documents::House;
use jurex_engine::Unattended;
use jurex_ledger::Ledger;
use jurex_pattern::method::{self, Method, library};
use jurex_sanitize::ladder::ladder;
use jurex_sanitize::plan::{Course, Order, UnhideOrder};
use jurex_sanitize::record::{Backup, Record};
use jurex_sanitize::rules::{Edition, Outcome, Technique};
use jurex_sim::Pacing;
use jurex_station::app_paths::AppPaths;
use jurex_station::bench::{Bench, DriveSnapshot};
use jurex_station::clock::ThisMachine;
use jurex_station::clock::wall;
use jurex_station::config::{self, Config, ThemeName};
use jurex_station::exit::{self, Failure};
use jurex_station::files::{self};
use jurex_station::service::{JobService, LabelCheck, Requirement, not_certified};
use jurex_station::settings::SettingsFile;
use jurex_station::signing::Signer;
use jurex_station::work::Finished;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;

pub(crate) fn run(demo: Demo, theme: Option<ThemeName>) -> Result<ExitCode, Failure> {
    let places = AppPaths::find()?;
    let ledger = places.demo_ledger();
    if demo.unattended {
        let out = demo.out.ok_or_else(|| Failure::Use("--unattended needs --out DIR".into()))?;
        return unattended(&out, &ledger, &jurex_station::paper::house(&places)?);
    }
    let own = Config::read(&places.config_file())?;
    // A second demonstration beside this one keeps what it needs to go on.
    if let Some(alone) = jurex_station::lock::alone(&ledger) {
        forget_cut_short(&ledger);
        drop(alone);
    }
    let _running = jurex_station::lock::shared(&ledger);
    let book = Ledger::open(&ledger)?;
    let tagged = jurex_sim::record_of_bay_10();
    past_year::remember(&book, wall(), |book, then| if tagged.started < then { remember_bay_10(book, &tagged) } else { Ok(()) })?;
    expect_the_lot(&ledger)?;
    remember_bay_10(&book, &tagged)?;
    drop(book);
    let saved = places.demo_settings();
    let of_demo = if saved.exists() { Config::read(&saved)? } else { Config { rules: own.rules, ..Config::demo() } };
    let sample_speed = of_demo.sample_speed.or(own.sample_speed);
    let config = Config { sample_speed, methods: own.methods, ..of_demo };
    jurex_tui::run(jurex_tui::Setup {
        bench: Box::new(|| Bench::simulated(Pacing::Real)),
        theme: theme.or(config.theme).or(own.theme),
        ledger,
        log: places.log_folder(),
        out: demo.out.unwrap_or_else(|| PathBuf::from("jurex-certificates")),
        config,
        config_file: places.config_file(),
        settings: SettingsFile { path: saved, at_first: config::DEMO },
        policies: places.policies(),
        seal: Signer::none(jurex_station::paper::house(&places)?).into(),
        keys: vec![],
        outbox: None,
        machine: None,
        says: too_little_memory(&std::fs::read_to_string("/proc/meminfo").unwrap_or_default()),
        places: places.demo(),
        is_demo: true,
        greeted: jurex_station::machine::Machine::find()?.is_none().then(|| places.greeted(true)),
    })
}

/// What random passes over all simulated drives may take, in kibibytes.
const MAX_KIB: u64 = 6 << 20;

/// What is to be said where simulated drives full of random bytes would not find room, by the kernel's `/proc/meminfo`.
fn too_little_memory(meminfo: &str) -> Option<String> {
    let line = meminfo.lines().find_map(|l| l.strip_prefix("MemAvailable:"))?;
    let kib: u64 = line.split_whitespace().next()?.parse().ok()?;
    (kib < MAX_KIB).then(|| {
        format!(
            "This machine has {} of memory left: random passes over the larger simulated drives may not find room. Passes of one byte do.",
            jurex_pattern::units::si_size(kib * 1024)
        )
    })
}

/// The demonstration's lot: what its sender has announced.
const LOT: &str = "serial,property number,source,sensitivity,reuse,leaves\n\
    FM2000K7Q41M,BWS 0041,Skerry Point station,moderate,yes,no\n\
    FM0500T3XW8D,BWS 0042,Skerry Point station,moderate,no,no\n\
    QA480R61YV5C,BWS 0043,Skerry Point station,moderate,yes,yes\n\
    QS1000E47J9P,BWS 0044,Skerry Point station,moderate,yes,yes\n\
    TP64-5D0N2XV8,BWS 0045,Hollow Ness mast,low,yes,no\n\
    TL32H6R90C2Y,BWS 0046,Hollow Ness mast,low,yes,no\n\
    FA0900M2G7KE,BWS 0047,Skerry Point station,high,yes,no\n\
    TI16B9S3ZQ0F,BWS 0048,Hollow Ness mast,moderate,yes,yes\n\
    FM0500D8JN6W,BWS 0049,Skerry Point station,low,yes,no\n\
    FM0250A9QL3T,BWS 0050,Hollow Ness mast,moderate,yes,no\n";

/// Opens the demonstration's lot, if there is none of that name yet.
fn expect_the_lot(ledger: &Path) -> Result<(), Failure> {
    let (ledger, name) = (Ledger::open(ledger)?, Config::demo().lot);
    if ledger.lot(&name)?.is_none() {
        let mut lot = Lot::new(&name, wall())?;
        lot.add(LotList::from_csv(LOT)?)?;
        ledger.keep_lot(&lot, "It was opened for the demonstration.", wall())?;
    }
    Ok(())
}

/// The drive in bay 10 was erased a while ago, and put away: the ledger knows of that.
fn remember_bay_10(ledger: &Ledger, record: &Record) -> Result<(), Failure> {
    if ledger.known_by_job(&record.job)?.is_some() {
        return Ok(());
    }
    let drive = record.evidence().drive();
    ledger.begin(&record.job, drive, record.started)?;
    ledger.finish(record, record.ended)?;
    let about = Circumstances {
        tool: record.tool.clone(),
        made: record.ended,
        by: record.papers().technician.name.clone(),
        drive: OfDrive::of(drive),
        job: Some((record.job.clone(), record.digest())),
        lot: record.papers().lot.clone(),
        papers: None,
    };
    let stored = Release::new(about, Act::Stored { place: "shelf 2".into() }, Edition::default())?;
    Ok(ledger.keep_release(&stored)?)
}

/// The simulated drives are made anew each time: jobs that were cut short on earlier ones can't go on.
fn forget_cut_short(ledger: &Path) {
    let Some(ledger) = ledger.exists().then(|| Ledger::open(ledger).ok()).flatten() else { return };
    for unfinished in ledger.unfinished().unwrap_or_default() {
        let _ = ledger.forget(&unfinished.job);
    }
}

/// Erases every drive that the guard lets through, all at once, and writes every certificate.
fn unattended(out: &Path, ledger: &Path, house: &House) -> Result<ExitCode, Failure> {
    files::check_folder(out).map_err(|e| Failure::Use(e.to_string()))?;
    let drives = Bench::simulated(Pacing::Real).drives();
    let ends: Vec<Result<Option<Record>, Failure>> = std::thread::scope(|scope| {
        let workers: Vec<_> = drives.iter().map(|seen| scope.spawn(|| one(seen, out, ledger, house))).collect();
        let defect = |_| Err(Failure::Defect("a worker panicked".into()));
        workers.into_iter().map(|w| w.join().unwrap_or_else(defect)).collect()
    });
    let mut worst = ExitCode::SUCCESS;
    for (seen, end) in drives.iter().zip(ends) {
        let code = match &end {
            Ok(Some(record)) => exit::of_record(record),
            Ok(None) => ExitCode::SUCCESS,
            Err(failure) => failure.code(),
        };
        if code != ExitCode::SUCCESS {
            worst = code;
        }
        say(&line(&seen.drive, &seen.verdict().err(), &end));
    }
    Ok(worst)
}

fn line(drive: &Drive, refusal: &Option<jurex_device::guard::Refusal>, end: &Result<Option<Record>, Failure>) -> String {
    let head = format!("{:<7}{:<24}", drive.path, drive.name());
    match (end, refusal) {
        (Ok(Some(record)), _) => {
            let why: Vec<String> = record.claim().reasons().iter().map(|r| r.sentence()).collect();
            format!("{head}{}, {}: {}. {}", record.job, record.method.title, record.claim().outcome(), why.join(" "))
        }
        (Ok(None), Some(refusal)) => format!("{head}left alone: {refusal}."),
        (Ok(None), None) => format!("{head}left alone."),
        (Err(failure), _) => format!("{head}{failure}."),
    }
}

/// The method of the demonstration: what suits the media: flash behind a translation layer needs two passes, inverted.
fn demo_method(drive: &Drive) -> &'static Method {
    let name = match drive.class {
        MediaClass::RemovableFlash | MediaClass::EmbeddedFlash => "pattern-complement",
        _ => "zeros",
    };
    method::find(name).unwrap_or(&library()[0])
}

/// An erasure of the drive's own where that earns Purge with nothing to be stated by a person; else the demonstration's method,
/// hidden areas lifted first.
fn course(seen: &DriveSnapshot) -> Course {
    let lift = UnhideOrder::of(&seen.drive);
    let order = Order { lift, ..Order::of_method(demo_method(&seen.drive)) };
    let ways = ladder(&seen.drive, &seen.answers, &order, None);
    let purges = ways.iter().find(|w| w.is_ready() && w.outcome() >= Outcome::Purge);
    let way = purges.map_or(Technique::Overwrite, |w| w.technique);
    Course::of_way(way, &seen.drive, &seen.answers, &order)
}

fn one(seen: &DriveSnapshot, out: &Path, ledger: &Path, house: &House) -> Result<Option<Record>, Failure> {
    if seen.verdict().is_err() {
        return Ok(None);
    }
    let seal = Signer::none(house.clone()).into();
    let service = JobService {
        ledger: ledger.into(),
        habits: Config::default().habits(),
        seal,
        people: None,
        around: Arc::new(ThisMachine),
    };
    let plan = match service.plan(seen, &course(seen)) {
        Err(Failure::Refused(_)) => return Ok(None),
        plan => plan?,
    };
    // Nobody stands at a simulated bench with no screen: the demonstration reads the label itself.
    let label = seen.drive.label().text();
    let mut papers = Config::demo().papers();
    papers.backup = Backup::NotNeeded;
    let terms = (papers, Requirement::MustBeReached);
    let job = service.start(seen, &plan, LabelCheck::Typed(&label), |_| Ok(None), terms)?;
    let ended = service.run(job, &mut Unattended, &mut |_| {});
    let written = service.write_papers(&ended, out);
    let Finished { record, is_stored, .. } = ended.finished;
    written.map_err(|e| not_certified(&record, &e, is_stored))?;
    Ok(Some(record))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn little_memory_is_told_and_enough_is_not() {
        let told = |kib: u64| too_little_memory(&format!("MemTotal: 99 kB\nMemAvailable:   {kib} kB\n"));
        assert!(told(1_000_000).unwrap().contains("1.02 GB"), "{:?}", told(1_000_000));
        assert_eq!((told(8 << 20), too_little_memory("")), (None, None));
    }
}
