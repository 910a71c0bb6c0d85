//! Where a job goes on that was cut off: which stage, which pass, and what it trusts.

use super::*;
use crate::native::tests::lift::Hider;
use jurex_device::media::{Bus, HiddenAreas, Protocol};
use jurex_sanitize::evidence::StageResult;
use jurex_sanitize::plan::{HowMuch, SizeCheck, UnhideOrder, Verification, WhichPasses};
use jurex_sanitize::rules::{Edition, Outcome, judge};
use std::cell::RefCell;
use std::rc::Rc;

const NATIVE: u64 = 1600;

fn zeros() -> Order {
    Order::of_program("zeros", "00".parse().unwrap())
}

fn plan_of(bench: &Bench<'_>, order: &Order) -> Plan {
    Plan::new(&bench.medium.drive, order, &mut Fixed(7)).unwrap()
}

/// Does one request of the job.
fn one(bench: &mut Bench<'_>, job: &mut Job) {
    assert!(bench.run(job, 1).is_none());
}

/// An ATA drive that gives so many of its sectors, and what it does of that.
fn hiding(gives: u64) -> (Bench<'static>, Rc<RefCell<Hider>>) {
    let hider = Rc::new(RefCell::new(Hider::of(gives, NATIVE)));
    let script = Rc::clone(&hider);
    let mut bench = Bench::new(NATIVE).answering(move |command, medium| {
        let mut hider = script.borrow_mut();
        let answer = hider.answer(command);
        size(medium, hider.gives);
        answer
    });
    (bench.medium.drive.bus, bench.medium.drive.protocol) = (Bus::Sata, Protocol::Ata);
    bench.medium.drive.class = MediaClass::Magnetic;
    size(&mut bench.medium, gives);
    (bench, hider)
}

fn size(medium: &mut jurex_device::testing::Memory, gives: u64) {
    medium.drive.geometry.sectors = gives;
    medium.drive.hidden = if gives < NATIVE { HiddenAreas::Hidden { sectors: NATIVE - gives } } else { HiddenAreas::None };
}

/// Its power was taken away and given back.
fn power_cycle(bench: &mut Bench<'_>, hider: &RefCell<Hider>, gives: u64) {
    let mut hider = hider.borrow_mut();
    (hider.gives, hider.spent) = (gives, false);
    size(&mut bench.medium, gives);
    (bench.sent, bench.events) = (vec![], vec![]);
}

/// A job of that plan is stopped once sector 800 is written.
fn stopped_in_its_pass(bench: &mut Bench<'_>, plan: &Plan) {
    let mut job = bench.start(plan);
    while bench.medium.writes[800] == 0 {
        one(bench, &mut job);
    }
    job.wish(Control::Stop);
    bench.finish(&mut job);
}

fn lifting() -> Order {
    Order { lift: Some(UnhideOrder { permanent: false, configuration: false }), size_check: SizeCheck::No, ..zeros() }
}

fn times_asked(bench: &Bench<'_>) -> usize {
    bench.sent.iter().filter(|name| *name == "IDENTIFY DEVICE").count()
}

#[test]
fn what_was_lifted_until_the_next_power_on_is_lifted_again_and_the_pass_goes_on_where_it_was() {
    let (mut bench, hider) = hiding(1200);
    let plan = plan_of(&bench, &lifting());
    // In the middle of its pass, and once more while it is read back.
    stopped_in_its_pass(&mut bench, &plan);
    power_cycle(&mut bench, &hider, 1200);
    let mut job = bench.resume(false);
    bench.until(&mut job, |task| matches!(task, Task::ReadBack(..)));
    assert_eq!((times_asked(&bench), bench.medium.drive.geometry.sectors), (1, NATIVE), "{:?}", bench.sent);
    let mut job = bench.resume(false);
    (bench.sent, bench.events) = (vec![], vec![]);
    let flush = bench.until(&mut job, |task| matches!(task, Task::Flush));
    assert!(bench.sent.is_empty(), "it is lifted still, and is asked nothing: {:?}", bench.sent);
    assert_eq!(bench.told(|e| matches!(e, Event::PassStarted { .. })), 0, "the pass goes on");
    // The same in the last reading.
    bench.answer(&mut job, &flush);
    while !bench.kept.as_ref().unwrap().evidence().stages.iter().any(|s| matches!(s.what, StageResult::Checked(_))) {
        one(&mut bench, &mut job);
    }
    power_cycle(&mut bench, &hider, 1200);
    let writes = bench.medium.writes.clone();
    let mut job = bench.resume(false);
    let evidence = bench.finish(&mut job);
    assert_eq!(
        (times_asked(&bench), &evidence.ended, bench.medium.writes == writes),
        (1, &Ended::Finished, true),
        "nothing is laid twice"
    );
    assert!(evidence.last_reading().is_some_and(|read| read.read.count() == NATIVE));
}

#[test]
fn a_lifting_that_was_cut_off_is_begun_again_once_whatever_it_has_reached() {
    for lifted in [false, true] {
        let (mut bench, hider) = hiding(1200);
        let plan = plan_of(&bench, &lifting());
        let mut job = bench.start(&plan);
        let change = bench.until(&mut job, |task| matches!(task, Task::Change(_)));
        if lifted {
            bench.carry_out(&change.task);
        }
        bench.sent.clear();
        let mut job = bench.resume(false);
        assert_eq!(bench.finish(&mut job).ended, Ended::Finished);
        assert_eq!((times_asked(&bench), hider.borrow().gives), (1, NATIVE), "{:?}", bench.sent);
    }
    // The plan says that something is hidden, and nothing is: there is nothing to be lifted again.
    let (bench, hider) = hiding(1200);
    let plan = plan_of(&bench, &lifting());
    *hider.borrow_mut() = Hider::of(1200, 1200);
    let script = Rc::clone(&hider);
    let mut bench = bench.answering(move |command, _| script.borrow_mut().answer(command));
    let mut job = bench.start(&plan);
    let asked = bench.until(&mut job, |task| matches!(task, Task::Identify));
    bench.medium.drive.hidden = HiddenAreas::None;
    bench.answer(&mut job, &asked);
    bench.until(&mut job, |task| matches!(task, Task::Flush));
    bench.sent.clear();
    let mut job = bench.resume(false);
    assert_eq!((bench.finish(&mut job).ended, bench.sent.len()), (Ended::Finished, 0), "{:?}", bench.sent);
}

#[test]
fn a_size_check_goes_on_by_itself_and_after_lifting_again_where_that_is_needed() {
    for hidden_again in [false, true] {
        let (mut bench, hider) = hiding(1200);
        let plan = plan_of(&bench, &Order { size_check: SizeCheck::Yes, ..lifting() });
        let mut job = bench.start(&plan);
        bench.until(&mut job, |task| matches!(task, Task::Tags(..)));
        power_cycle(&mut bench, &hider, if hidden_again { 1200 } else { NATIVE });
        let mut job = bench.resume(false);
        let evidence = bench.finish(&mut job);
        let asked = usize::from(hidden_again);
        assert_eq!(
            (times_asked(&bench), bench.told(|e| matches!(e, Event::MeasureStarted { .. }))),
            (asked, 1),
            "{:?}",
            bench.sent
        );
        assert!(evidence.ended == Ended::Finished && evidence.size().is_some_and(|s| s.told == NATIVE && s.is_as_told()));
    }
}

/// A plan of a size check and the drive's own erasure.
fn own_after_measuring(bench: &Bench<'_>, technique: Technique, how_much: Option<HowMuch>) -> Plan {
    let drive = &bench.medium.drive;
    let order = NativeOrder::new(technique, drive, &Capabilities::default());
    Plan::own(drive, &NativeOrder { size_check: SizeCheck::Yes, how_much, ..order }, &mut Fixed(7)).unwrap()
}

fn erases(medium: &mut jurex_device::testing::Memory, name: &str) {
    match name {
        "SANITIZE, crypto erase" | "SANITIZE, cryptographic erase" => medium.bytes.iter_mut().for_each(|b| *b ^= 0x5a),
        name if name.starts_with("SANITIZE") => medium.bytes.fill(0),
        _ => {}
    }
}

fn sanitizes() -> Bench<'static> {
    Bench::new(4000).answering(|command, medium| {
        erases(medium, command.name);
        good()
    })
}

fn times_sanitized(bench: &Bench<'_>) -> usize {
    bench.sent.iter().filter(|name| name.starts_with("SANITIZE")).count()
}

#[test]
fn what_was_read_under_an_earlier_hold_proves_nothing_so_a_key_is_replaced_again_and_what_is_blank_is_read_in_full() {
    let gone_on = |technique, how_much, cut: &dyn Fn(&Task) -> bool| {
        let mut bench = sanitizes();
        let plan = own_after_measuring(&bench, technique, how_much);
        let mut job = bench.start(&plan);
        bench.until(&mut job, |task| matches!(task, Task::Change(_)));
        let mut job = bench.resume(false);
        bench.until(&mut job, cut);
        let measured = bench.told(|e| matches!(e, Event::MeasureStarted { .. }));
        (bench.sent, bench.events) = (vec![], vec![]);
        let mut job = bench.resume(false);
        let evidence = bench.finish(&mut job);
        assert_eq!(
            (&evidence.ended, measured, bench.told(|e| matches!(e, Event::MeasureStarted { .. }))),
            (&Ended::Finished, 1, 0)
        );
        let checked = bench.told(|e| matches!(e, Event::CheckStarted { .. }));
        (times_sanitized(&bench), checked)
    };
    let sample = Some(HowMuch::Sampled);
    // While it is read.
    assert_eq!(gone_on(Technique::SanitizeBlock, sample, &|task| matches!(task, Task::ReadBack(..))), (0, 1));
    assert_eq!(gone_on(Technique::SanitizeCrypto, sample, &|task| matches!(task, Task::Identify)), (1, 1));
    // Nothing is read after it, and nothing but the drive's name is missing.
    assert_eq!(gone_on(Technique::SanitizeBlock, None, &|task| matches!(task, Task::Identify)), (0, 0));
    assert_eq!(gone_on(Technique::SanitizeCrypto, None, &|task| matches!(task, Task::Identify)), (1, 0));
}

#[test]
fn what_was_drawn_before_the_first_try_is_what_must_be_gone_and_is_not_drawn_anew() {
    let drawn_again = |cut: &dyn Fn(&Task) -> bool| {
        let mut bench = sanitizes();
        let drive = bench.medium.drive.clone();
        bench.medium.bytes.chunks_mut(512).enumerate().for_each(|(n, s)| s[..8].copy_from_slice(&n.to_le_bytes()));
        let order = NativeOrder::new(Technique::SanitizeBlock, &drive, &Capabilities::default());
        let plan = Plan::own(&drive, &order, &mut Fixed(7)).unwrap();
        let mut job = bench.start(&plan);
        bench.until(&mut job, cut);
        // Where nothing was kept, it begins from the beginning.
        bench.kept.as_ref()?;
        let mut job = bench.resume(false);
        let first = bench.until(&mut job, |_| true);
        Some(matches!(first.task, Task::Digest(..)))
    };
    assert_eq!(drawn_again(&|task| matches!(task, Task::Digest(..))), None);
    assert_eq!(drawn_again(&|task| matches!(task, Task::Change(_))), Some(false));
    // A person has stopped it before anything was sent: what lies there may be something else by now.
    let stopped = |forget: bool| {
        let mut bench = sanitizes();
        let drive = bench.medium.drive.clone();
        let order = NativeOrder::new(Technique::SanitizeBlock, &drive, &Capabilities::default());
        let plan = Plan::own(&drive, &order, &mut Fixed(7)).unwrap();
        let mut job = bench.start(&plan);
        let request =
            bench.until(&mut job, |task| if forget { matches!(task, Task::Change(_)) } else { matches!(task, Task::Ask(_)) });
        if forget {
            // What was drawn is not among what was kept.
            let evidence = bench.kept.as_ref().unwrap().evidence().clone();
            bench.kept = Some(Checkpoint::new(&plan, &evidence, Duration::ZERO));
        } else {
            job.wish(Control::Stop);
            bench.answer(&mut job, &request);
            bench.finish(&mut job);
        }
        let mut job = bench.resume(false);
        matches!(bench.until(&mut job, |_| true).task, Task::Digest(..))
    };
    assert!(stopped(false) && stopped(true));
}

#[test]
fn a_person_who_stops_it_leaves_its_place_kept_where_that_tells_anything() {
    let kept_by_stop = |plan: &dyn Fn(&Bench<'_>) -> Plan, at: &dyn Fn(&Task) -> bool| {
        let mut bench = sanitizes();
        let plan = plan(&bench);
        let mut job = bench.start(&plan);
        let request = bench.until(&mut job, at);
        bench.kept = None;
        job.wish(Control::Stop);
        bench.answer(&mut job, &request);
        let flushes = bench.medium.flushes;
        assert_eq!(bench.finish(&mut job).ended, Ended::Stopped);
        (bench.kept.is_some(), bench.medium.flushes > flushes)
    };
    let own = |bench: &Bench<'_>| own_after_measuring(bench, Technique::SanitizeBlock, Some(HowMuch::Full));
    let passes = |bench: &Bench<'_>| plan_of(bench, &zeros());
    assert_eq!(kept_by_stop(&own, &|task| matches!(task, Task::Tags(..))), (false, false), "a size check begins anew");
    assert_eq!(kept_by_stop(&own, &|task| matches!(task, Task::Digest(..))), (false, false), "places are drawn anew");
    assert_eq!(kept_by_stop(&own, &|task| matches!(task, Task::Ask(_))), (true, false));
    assert_eq!(
        kept_by_stop(&own, &|task| matches!(task, Task::ReadBack(..))),
        (true, false),
        "reading leaves nothing in a cache"
    );
    assert_eq!(kept_by_stop(&passes, &|task| matches!(task, Task::Write(..))), (true, true));
    assert_eq!(kept_by_stop(&passes, &|task| matches!(task, Task::ReadBack(..))), (true, false));
    // While what was laid last is read again there is nothing new to keep.
    let mut bench = Bench::new(400);
    let plan = plan_of(&bench, &zeros());
    let mut job = bench.start(&plan);
    bench.run(&mut job, 20);
    job.wish(Control::Stop);
    bench.finish(&mut job);
    let mut job = bench.resume(false);
    bench.kept = None;
    let rereads = bench.until(&mut job, |_| true);
    job.wish(Control::Stop);
    bench.answer(&mut job, &rereads);
    assert!(bench.finish(&mut job).ended == Ended::Stopped && bench.kept.is_none());
}

#[test]
fn while_hidden_sectors_are_lifted_the_drive_is_not_left_and_before_that_its_place_is_kept() {
    let (mut bench, _) = hiding(1200);
    let plan = plan_of(&bench, &lifting());
    let mut job = bench.start(&plan);
    let asked = bench.until(&mut job, |task| matches!(task, Task::Ask(_)));
    assert!(job.may_be_left() && bench.kept.is_none());
    job.wish(Control::Stop);
    bench.answer(&mut job, &asked);
    assert!(bench.finish(&mut job).ended == Ended::Stopped && bench.kept.is_some());
    let mut job = bench.resume(false);
    bench.until(&mut job, |task| matches!(task, Task::Change(_)));
    assert!(!job.may_be_left(), "its capacity is being changed");
    job.wish(Control::Stop);
    assert!(matches!(bench.step(&mut job), JobStep::Wait) && bench.told(|e| *e == Event::CannotStop) == 1);
}

#[test]
fn a_pass_that_was_laid_and_not_flushed_is_flushed_before_it_is_read() {
    let mut bench = Bench::new(400);
    let plan = plan_of(&bench, &zeros());
    let mut job = bench.start(&plan);
    bench.run(&mut job, 50);
    assert!(bench.medium.writes.iter().all(|n| *n == 1) && bench.medium.flushes == 0, "all is laid");
    job.wish(Control::Stop);
    bench.finish(&mut job);
    let kept = bench.kept.as_ref().unwrap().evidence().passes()[0].clone();
    assert!(!kept.flushed && kept.laid.count() == 400);
    let mut job = bench.resume(false);
    let evidence = bench.finish(&mut job);
    assert!(evidence.passes()[0].flushed && evidence.ended == Ended::Finished && bench.medium.writes.iter().all(|n| *n == 1));
}

#[test]
fn a_pass_goes_on_from_what_it_has_laid_or_from_the_pass_before_it() {
    let order = Order::of_program("two", "random | 00".parse().unwrap());
    for done in [0, 1, 30] {
        let mut bench = Bench::new(400);
        let plan = plan_of(&bench, &order);
        let mut job = bench.start(&plan);
        let flush = bench.until(&mut job, |task| matches!(task, Task::Flush));
        bench.answer(&mut job, &flush);
        bench.run(&mut job, done);
        job.wish(Control::Stop);
        bench.finish(&mut job);
        assert_eq!(bench.kept.as_ref().unwrap().evidence().passes().len(), 2);
        bench.events.clear();
        let mut job = bench.resume(false);
        let evidence = bench.finish(&mut job);
        assert_eq!(bench.told(|e| matches!(e, Event::Rechecked { trusted: false, .. })), 0, "after {done}");
        assert_eq!(bench.told(|e| matches!(e, Event::Rechecked { trusted: true, .. })), 1, "after {done}");
        assert!(evidence.ended == Ended::Finished && evidence.passes().len() == 2);
    }
    // The first is over, and nothing was kept of the second.
    let mut bench = Bench::new(400);
    let plan = plan_of(&bench, &Order { verification: Verification::Read(HowMuch::Full, WhichPasses::Every), ..order });
    let mut job = bench.start(&plan);
    let flush = bench.until(&mut job, |task| matches!(task, Task::Flush));
    bench.answer(&mut job, &flush);
    bench.until(&mut job, |task| matches!(task, Task::Write(..)));
    let mut evidence = bench.kept.as_ref().unwrap().evidence().clone();
    evidence.overwrite_mut().unwrap().passes.truncate(1);
    bench.kept = Some(Checkpoint::new(&plan, &evidence, Duration::ZERO));
    bench.events.clear();
    let mut job = bench.resume(false);
    assert_eq!(bench.finish(&mut job).ended, Ended::Finished);
    assert_eq!(bench.told(|e| matches!(e, Event::ReadBackStarted { pass: 0, .. })), 0, "it is over, and is not read again");
}

#[test]
fn what_is_not_as_laid_begins_anew_from_where_it_can_be_told_whose_it_is() {
    /// Passes and the drive's own erasure that are done again.
    fn again(named: bool, own: bool) -> (Vec<u32>, usize) {
        let mut bench = sanitizes();
        if !named {
            bench.medium.drive.unit.serial = None;
            bench.medium.drive.unit.ids.clear();
            bench.medium.drive.attachment.instance = Some("boot 1".into());
        }
        let two = Order::of_program("two", "random | 00".parse().unwrap());
        let drive = bench.medium.drive.clone();
        let plan = if own {
            let order = NativeOrder::new(Technique::SanitizeBlock, &drive, &Capabilities::default());
            Plan::own(&drive, &NativeOrder { then: Some(two), ..order }, &mut Fixed(7)).unwrap()
        } else {
            plan_of(&bench, &two)
        };
        let mut job = bench.start(&plan);
        while bench.kept.as_ref().is_none_or(|k| k.evidence().passes().len() < 2) {
            one(&mut bench, &mut job);
        }
        bench.run(&mut job, 9);
        job.wish(Control::Stop);
        bench.finish(&mut job);
        bench.medium.bytes.fill(0xee);
        (bench.sent, bench.events) = (vec![], vec![]);
        let mut job = bench.resume(false);
        let evidence = bench.finish(&mut job);
        assert_eq!(evidence.ended, Ended::Finished);
        let begun = bench.events.iter().filter_map(|e| if let Event::PassStarted { pass, .. } = e { Some(*pass) } else { None });
        (begun.collect(), times_sanitized(&bench))
    }
    assert_eq!(again(true, false), (vec![1], 0), "its present pass");
    assert_eq!(again(false, false), (vec![0, 1], 0), "it may be another drive");
    assert_eq!(again(true, true), (vec![1], 0));
    assert_eq!(again(false, true), (vec![0, 1], 1), "what it was to do itself comes first");
}

#[test]
fn of_a_drive_that_nothing_names_nothing_is_trusted_once_it_was_attached_anew_whatever_was_done_to_it() {
    fn nameless(bench: &mut Bench<'_>, instance: &str) {
        bench.medium.drive.unit.serial = None;
        bench.medium.drive.unit.ids.clear();
        bench.medium.drive.attachment.instance = Some(instance.into());
    }
    // Its own erasure is over and is being read; its twin is blank, and was never sanitized.
    let twin = |attached: &str| {
        let mut bench = sanitizes();
        nameless(&mut bench, "boot 1");
        let drive = bench.medium.drive.clone();
        let order = NativeOrder::new(Technique::SanitizeBlock, &drive, &Capabilities::default());
        let plan = Plan::own(&drive, &order, &mut Fixed(7)).unwrap();
        let mut job = bench.start(&plan);
        bench.until(&mut job, |task| matches!(task, Task::ReadBack(..)));
        nameless(&mut bench, attached);
        (bench.sent, bench.events) = (vec![], vec![]);
        let mut job = bench.resume(false);
        let evidence = bench.finish(&mut job);
        let told = bench.told(|e| matches!(e, Event::NothingTrusted { .. }));
        (times_sanitized(&bench), told, evidence.own().unwrap().session)
    };
    assert_eq!((twin("boot 1"), twin("boot 2")), ((0, 0, 0), (1, 1, 1)));
    // Its hidden sectors were lifted, and a pass is being laid: power was away, so that they are hidden again.
    for gives in [1200, NATIVE] {
        let (mut bench, hider) = hiding(1200);
        nameless(&mut bench, "boot 1");
        let plan = plan_of(&bench, &lifting());
        stopped_in_its_pass(&mut bench, &plan);
        power_cycle(&mut bench, &hider, gives);
        nameless(&mut bench, "boot 2");
        let mut job = bench.resume(false);
        assert_eq!(bench.finish(&mut job).ended, Ended::Finished);
        let told = bench.told(|e| matches!(e, Event::NothingTrusted { .. }));
        assert_eq!((told, bench.medium.writes[0]), (1, 2), "the pass begins anew where it gives {gives}");
    }
}

#[test]
fn a_flush_that_failed_ends_the_pass_unproved_and_what_cant_be_read_again_is_not_trusted() {
    let mut bench = Bench::new(400);
    bench.medium.failing_flushes = vec![1];
    let plan = plan_of(&bench, &zeros());
    let mut job = bench.start(&plan);
    let evidence = bench.finish(&mut job);
    let pass = &evidence.passes()[0];
    assert_eq!((&evidence.ended, bench.medium.flushes, pass.flushed), (&Ended::Finished, 1, false));
    assert!(pass.flush_error.is_some() && judge(Edition::default(), &evidence).outcome() == Outcome::NotSanitized);
    let mut bench = Bench::new(400);
    let plan = plan_of(&bench, &zeros());
    let mut job = bench.start(&plan);
    bench.run(&mut job, 20);
    job.wish(Control::Stop);
    bench.finish(&mut job);
    bench.medium.unreadable = vec![100];
    bench.events.clear();
    let mut job = bench.resume(false);
    bench.finish(&mut job);
    assert_eq!(bench.told(|e| matches!(e, Event::Rechecked { trusted: false, .. })), 1);
    assert_eq!(bench.told(|e| matches!(e, Event::PassStarted { pass: 0, .. })), 1, "it begins anew");
}

#[test]
fn where_lifting_was_all_that_was_kept_the_passes_begin_without_lifting_again() {
    let (mut bench, _) = hiding(1200);
    let plan = plan_of(&bench, &lifting());
    let mut job = bench.start(&plan);
    bench.until(&mut job, |task| matches!(task, Task::Write(..)));
    let mut evidence = bench.kept.as_ref().unwrap().evidence().clone();
    evidence.stages.truncate(1);
    bench.kept = Some(Checkpoint::new(&plan, &evidence, Duration::ZERO));
    (bench.sent, bench.events) = (vec![], vec![]);
    let mut job = bench.resume(false);
    assert_eq!((bench.finish(&mut job).ended, bench.sent.len()), (Ended::Finished, 0), "{:?}", bench.sent);
}

#[test]
fn a_drive_of_one_sector_is_asked_for_no_stretch_of_none() {
    let mut bench = Bench::new(1);
    let plan = plan_of(&bench, &Order { size_check: SizeCheck::Yes, ..zeros() });
    let mut job = bench.start(&plan);
    bench.until(&mut job, |task| {
        if let Task::Write(at, _) | Task::Tags(at, _) | Task::ReadBack(at, _) = task {
            assert!(at.count > 0);
        }
        matches!(task, Task::Identify)
    });
}
