//! The engine on simulated drives: what its record claims, against what the drive's cells truly hold.

use jurex_device::media::{Bus, MediaClass};
use jurex_device::medium::Medium;
use jurex_device::testing::{Fixed, cleared, test_drive};
use jurex_engine::{CHUNK_BYTES, Clock, Job, NotKept, Now, Sequential, Unattended};
use jurex_pattern::units::{Lba, Sectors};
use jurex_sanitize::evidence::{Ended, Evidence, SizeFinding};
use jurex_sanitize::plan::{Order, Plan, SizeCheck};
use jurex_sanitize::rules::{Edition, Outcome, judge};
use jurex_sim::{Beyond, CellKind, Counterfeit, Fault, Pacing, SimDrive, SpeedShape};
use proptest::prelude::*;
use std::time::{Duration, Instant};

const SECRET: &[u8] = b"wind 31.4 m/s, gust 40.2 m/s at Anvil Rock";
const SECTORS: u64 = 20_000;

struct Wall(Instant);
impl Clock for Wall {
    fn now(&self) -> Now {
        Now { wall: Default::default(), mono: self.0.elapsed() }
    }
}

fn drive(kind: CellKind, class: MediaClass) -> SimDrive {
    let mut drive = test_drive(class, SECTORS);
    drive.unit.serial = Some("TEST000001".into());
    (drive.path, drive.bus, drive.protocol) = ("sim:99".into(), Bus::Usb, Bus::Usb.protocol());
    let shape = SpeedShape { outer: 1e9, inner: 1e9, read_factor: 1.0, slow_zone: None };
    let drive = SimDrive::new(drive, kind, shape, Pacing::Unpaced);
    let mut medium = drive.open().unwrap();
    let mut sector = [0x20; 512];
    sector[..SECRET.len()].copy_from_slice(SECRET);
    for lba in [0, 777, SECTORS - 1] {
        medium.write(Lba(lba), &sector).unwrap();
    }
    drop(medium);
    drive
}

fn erase(drive: &SimDrive, notation: &str) -> Evidence {
    carry_out(drive, &Order::of_program("test", notation.parse().unwrap()))
}

fn carry_out(drive: &SimDrive, order: &Order) -> Evidence {
    let plan = Plan::new(&drive.drive(), order, &mut Fixed(11)).unwrap();
    let armed = plan.arm(&cleared(&drive.drive()), "000001").unwrap();
    let mut medium = drive.open().unwrap();
    let clock = Wall(Instant::now());
    let job = Job::start(armed, &medium.identify().unwrap(), medium.access(), CHUNK_BYTES, clock.now()).unwrap();
    jurex_engine::run(job, &mut Sequential::new(&mut medium), &clock, &mut Unattended, &mut NotKept, &mut |_| {})
}

/// Whether any sector that an address reaches holds the secret, read with no code of the engine.
fn addressable_holds_secret(drive: &SimDrive) -> bool {
    let mut medium = drive.peek();
    (0..SECTORS).any(|lba| {
        let mut sector = [0; 512];
        medium.read(Lba(lba), &mut sector).is_ok() && sector.windows(SECRET.len()).any(|w| w == SECRET)
    })
}

#[test]
fn a_platter_is_truly_empty_after_one_pass() {
    let drive = drive(CellKind::Magnetic, MediaClass::Magnetic);
    assert!(drive.cells_hold(SECRET));
    assert_eq!(judge(Edition::default(), &erase(&drive, "00")).outcome(), Outcome::Clear);
    assert!(!drive.cells_hold(SECRET));
}

#[test]
fn flash_keeps_old_cells_after_one_pass_and_so_one_pass_earns_nothing() {
    let drive = drive(CellKind::Flash { spare_percent: 300 }, MediaClass::RemovableFlash);
    let claim = judge(Edition::default(), &erase(&drive, "00"));
    assert!(drive.cells_hold(SECRET) && !addressable_holds_secret(&drive));
    assert_eq!(claim.outcome(), Outcome::NotSanitized);
    assert!(claim.limits().iter().any(|l| l.sentence().contains("Spare cells")));
}

#[test]
fn a_drive_that_drops_writes_is_found_out_by_reading_back_and_only_by_that() {
    let drive = drive(CellKind::Magnetic, MediaClass::Magnetic);
    drive.add_fault(Fault::DropsWrites(Sectors::new(777, 1)));
    let evidence = erase(&drive, "00 | FF | random");
    assert!(addressable_holds_secret(&drive));
    assert_eq!(
        (evidence.wrong().sentence(3).as_str(), judge(Edition::default(), &evidence).outcome()),
        ("sector 777", Outcome::NotSanitized)
    );
}

fn counterfeit(beyond: Beyond, remembers: usize) -> SimDrive {
    let drive = drive(CellKind::Flash { spare_percent: 7 }, MediaClass::RemovableFlash);
    drive.make_counterfeit(Counterfeit { holds: SECTORS / 8, beyond, remembers });
    drive
}

#[test]
fn a_stick_that_says_more_than_it_holds_is_found_out_before_the_first_pass_and_only_what_it_holds_is_overwritten() {
    // It remembers a little less than the stretches that are laid before the first is read again.
    for (beyond, remembers) in
        [(Beyond::BeginsAgain, 0), (Beyond::BeginsAgain, 250), (Beyond::Drops, 250), (Beyond::Repeats(16), 16)]
    {
        let stick = counterfeit(beyond, remembers);
        let evidence = erase(&stick, "55 | ~");
        evidence.check_soundness().unwrap();
        let (size, claim) = (evidence.size().unwrap(), judge(Edition::default(), &evidence));
        let holds = SECTORS / 8 - if beyond == Beyond::Repeats(16) { 16 } else { 0 };
        assert_eq!((size.holds(), evidence.range()), (Some(holds), Sectors::new(0, holds)), "{beyond:?}: {size:?}");
        assert_eq!((claim.outcome(), evidence.ended.clone()), (Outcome::NotSanitized, Ended::Finished));
        let why = &claim.reasons()[0].sentence();
        assert!(why.starts_with("Claims 10.2 MB but holds only 1.2"), "{why}");
        assert!(claim.reasons().len() == 1 && evidence.wrong().is_empty(), "what it holds is overwritten: {:?}", claim.reasons());
        assert!(!stick.addresses_hold(SECRET));
    }
}

#[test]
fn without_the_size_check_such_a_stick_would_earn_what_it_does_not_deserve_and_an_address_pass_finds_it_out_too() {
    let unchecked = |notation: &str| Order { size_check: SizeCheck::No, ..Order::of_program("test", notation.parse().unwrap()) };
    let stick = counterfeit(Beyond::BeginsAgain, 0);
    let claim = judge(Edition::default(), &carry_out(&stick, &unchecked("55 | ~")));
    assert_eq!(claim.outcome(), Outcome::Clear);
    assert!(claim.limits().iter().any(|l| l.sentence().contains("Its size was not verified")));
    // A buffer that is larger than the stretches of the check hides a small lie from it, and not from a whole pass.
    let hiding = || {
        let stick = drive(CellKind::Magnetic, MediaClass::RemovableFlash);
        stick.make_counterfeit(Counterfeit { holds: SECTORS - 8, beyond: Beyond::Drops, remembers: 2000 });
        stick
    };
    assert!(erase(&hiding(), "55 | ~").size().unwrap().is_as_told());
    let addressed = erase(&hiding(), "lba | ~");
    assert!(!addressed.wrong().is_empty() || addressed.ended != Ended::Finished, "{:?}", addressed.wrong());
    assert_eq!(judge(Edition::default(), &addressed).outcome(), Outcome::NotSanitized);
}

#[test]
fn a_stick_that_is_as_large_as_it_says_earns_its_outcome_without_that_limit() {
    let stick = drive(CellKind::Flash { spare_percent: 7 }, MediaClass::RemovableFlash);
    let evidence = erase(&stick, "55 | ~");
    let claim = judge(Edition::default(), &evidence);
    assert!(evidence.size().unwrap().is_as_told() && claim.outcome() == Outcome::Clear, "{:?}", claim.reasons());
    assert!(!claim.limits().iter().any(|l| l.sentence().contains("as large as it says")));
    let worn = drive(CellKind::Magnetic, MediaClass::RemovableFlash);
    worn.add_fault(Fault::Unwritable(Sectors::new(SECTORS - 2, 1)));
    let size = erase(&worn, "55 | ~").size().cloned().unwrap();
    assert_eq!(size.finding(), SizeFinding::NotProved, "a sector that can't be written says nothing of the size: {size:?}");
}

#[test]
fn a_drive_that_vanishes_leaves_a_record_of_what_was_done() {
    let drive = drive(CellKind::Magnetic, MediaClass::Magnetic);
    drive.add_fault(Fault::VanishesAfter(4));
    let evidence = erase(&drive, "00");
    assert!(matches!(&evidence.ended, Ended::Gone { error } if error == "no such device"));
    assert_eq!(evidence.passes()[0].laid.count(), 4 * (CHUNK_BYTES as u64 / 512));
    assert!(drive.open().unwrap().identify().is_err(), "it stays away");
}

#[test]
fn pacing_takes_the_time_that_the_shape_says() {
    let quick = drive(CellKind::Magnetic, MediaClass::Magnetic);
    let shape = SpeedShape { outer: 40e6, inner: 40e6, read_factor: 1.0, slow_zone: None };
    let paced = SimDrive::new(quick.drive().clone(), CellKind::Magnetic, shape, Pacing::Real);
    let mut medium = paced.open().unwrap();
    let begun = Instant::now();
    (0..8).for_each(|i| medium.write(Lba(i * 2048), &[0; 1 << 20]).unwrap());
    // 8 MiB at 40 MB/s are 210 ms; a busy machine may take longer, never shorter.
    assert!(begun.elapsed() >= Duration::from_millis(180), "{:?}", begun.elapsed());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    #[test]
    fn what_is_claimed_is_true(
        unwritable in prop::collection::vec((0..SECTORS, 1u64..9), 0..3),
        unreadable in prop::collection::vec((0..SECTORS, 1u64..9), 0..3),
        dropped in prop::collection::vec((0..SECTORS, 1u64..9), 0..3),
        vanishes in prop::option::of(1u64..60),
        flash: bool,
    ) {
        let (kind, class) = if flash { (CellKind::Flash { spare_percent: 7 }, MediaClass::RemovableFlash) } else { (CellKind::Magnetic, MediaClass::Magnetic) };
        let drive = drive(kind, class);
        let stretch = |(first, count): &(u64, u64)| Sectors::new(*first, (*count).min(SECTORS - first));
        unwritable.iter().for_each(|s| drive.add_fault(Fault::Unwritable(stretch(s))));
        unreadable.iter().for_each(|s| drive.add_fault(Fault::Unreadable(stretch(s))));
        dropped.iter().for_each(|s| drive.add_fault(Fault::DropsWrites(stretch(s))));
        vanishes.into_iter().for_each(|after| drive.add_fault(Fault::VanishesAfter(after)));
        let evidence = erase(&drive, "00 | ~");
        let faultless = unwritable.is_empty() && unreadable.is_empty() && dropped.is_empty();
        if judge(Edition::default(), &evidence).outcome() > Outcome::NotSanitized {
            prop_assert!(faultless, "a claim was made on a faulty drive");
            prop_assert!(!addressable_holds_secret(&drive));
        } else {
            prop_assert!(!faultless || vanishes.is_some(), "a faultless drive earns its claim");
        }
        let named = |set: jurex_pattern::ranges::RangeSet, at: &(u64, u64)| set.contains(Lba(at.0));
        if evidence.ended == Ended::Finished {
            prop_assert!(unwritable.iter().all(|s| named(evidence.unwritable(), s)));
            prop_assert!(unreadable.iter().all(|s| named(evidence.unreadable(), s)));
        }
    }
}
