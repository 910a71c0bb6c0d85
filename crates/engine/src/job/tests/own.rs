//! A drive's own erasure as a stage: what is drawn before it, the conversation, and what others see of it meanwhile.

use super::*;
use crate::SiblingMet;
use jurex_device::native::command::{Answer, Command};
use jurex_device::testing::Memory;
use jurex_sanitize::digest::Salt;

/// SCSI sense data: a sanitize operation is under way, so many 65,536ths of it are done.
fn running(progress: u16) -> Answer {
    let [high, low] = progress.to_be_bytes();
    let sense = vec![0x72, 2, 0x04, 0x1b, 0, 0, 0, 14, 2, 6, 0, 0, 0x80, high, low, 0, 0, 0, 0, 0, 0, 0];
    Answer::Scsi { status: 2, sense, data: vec![] }
}

/// Erases itself in so many answers, of which each tells how far it is, if any.
fn erasing(polls: &[u16]) -> impl FnMut(&Command, &mut Memory) -> Answer + use<> {
    let mut left: Vec<u16> = polls.iter().rev().copied().collect();
    let mut begun = false;
    move |command, medium| {
        if command.name.starts_with("SANITIZE") {
            begun = true;
            medium.bytes.fill(0);
        }
        if begun && command.name == "TEST UNIT READY" { left.pop().map_or_else(good, running) } else { good() }
    }
}

fn plan(bench: &Bench<'_>, technique: Technique) -> Plan {
    let drive = &bench.medium.drive;
    Plan::own(drive, &NativeOrder::new(technique, drive, &Capabilities::default()), &mut Fixed(7)).unwrap()
}

fn is_change(task: &Task) -> bool {
    matches!(task, Task::Change(_))
}

#[test]
fn a_drive_at_work_is_asked_on_whatever_is_wished_and_before_that_it_holds_still() {
    let mut bench = Bench::new(4000).answering(erasing(&[100; 50]));
    let plan = plan(&bench, Technique::SanitizeBlock);
    let mut job = bench.start(&plan);
    job.wish(Control::Hold);
    assert!(matches!(bench.step(&mut job), JobStep::Held), "nothing was sent yet");
    job.wish(Control::GoOn);
    let change = bench.until(&mut job, is_change);
    // Its place is kept before the command goes out; while that is in flight nothing stops it, which is told once.
    assert!(bench.kept.as_ref().is_some_and(|k| k.evidence().own().is_some()) && bench.told(|e| *e == Event::CannotStop) == 0);
    assert!(!job.may_be_left(), "it is answered when it has erased");
    job.tell_no_answer(Duration::from_secs(99));
    for wish in [Control::Hold, Control::Hold, Control::GoOn] {
        job.wish(wish);
        assert!(matches!(bench.step(&mut job), JobStep::Wait));
    }
    let silence = bench.told(|e| matches!(e, Event::NoAnswer { .. }));
    assert_eq!((bench.told(|e| *e == Event::CannotStop), silence), (1, 0));
    let how = bench.carry_out(&change.task);
    let now = bench.tick();
    job.complete(change.tag, how, now);
    assert!(job.may_be_left());
    let poll = bench.until(&mut job, |task| matches!(task, Task::Ask(_)));
    let how = bench.carry_out(&poll.task);
    let now = bench.tick();
    job.complete(poll.tag, how, now);
    job.wish(Control::Hold);
    assert!(matches!(bench.step(&mut job), JobStep::Until(_)), "holding still holds nothing: it is asked on");
}

#[test]
fn it_is_asked_again_when_the_time_has_come_and_not_before() {
    let mut bench = Bench::new(4000).answering(erasing(&[100; 50]));
    let plan = plan(&bench, Technique::SanitizeBlock);
    let mut job = bench.start(&plan);
    let so_long = loop {
        match bench.step(&mut job) {
            JobStep::Until(so_long) => break so_long,
            JobStep::Do(request) => {
                let how = bench.carry_out(&request.task);
                let now = bench.tick();
                job.complete(request.tag, how, now);
            }
            _ => {}
        }
    };
    let begun = bench.now;
    let at = |job: &mut Job, mono| matches!(job.request(Now { wall: jiff::Timestamp::UNIX_EPOCH, mono }), JobStep::Do(_));
    assert!(!at(&mut job, begun + so_long - Duration::from_millis(1)) && at(&mut job, begun + so_long));
}

#[test]
fn of_a_drive_at_work_its_first_answer_and_the_one_after_its_end_are_kept_and_each_progress_is_told() {
    let mut bench = Bench::new(4000).answering(erasing(&[100, 100, 200, 200, 300]));
    let plan = plan(&bench, Technique::SanitizeBlock);
    let mut job = bench.start(&plan);
    let evidence = bench.finish(&mut job);
    let told = |progress| bench.told(|e| *e == Event::OwnProgress { progress: Some(progress) });
    assert_eq!((told(100), told(200), told(300)), (1, 1, 1));
    let asked = bench.told(|e| matches!(e, Event::Asked { asked } if asked.command.contains("TEST UNIT READY")));
    let polls = bench.sent.iter().filter(|name| *name == "TEST UNIT READY").count();
    assert_eq!((polls, asked), (7, 3), "before, at work for the first time, and at its end");
    assert_eq!((evidence.ended.clone(), evidence.own().unwrap().completed), (Ended::Finished, true));
    assert_eq!(bench.told(|e| matches!(e, Event::PasswordTold { .. })), 0);
}

#[test]
fn progress_that_stands_still_is_told_after_ten_minutes_and_each_time_that_this_has_doubled() {
    let mut bench = Bench::new(4000).answering(erasing(&[100; 3000]));
    let plan = plan(&bench, Technique::SanitizeBlock);
    let mut job = bench.start(&plan);
    bench.until(&mut job, |_| false_after(&mut 0));
    let _ = bench;
}

/// Never.
fn false_after(_: &mut u32) -> bool {
    false
}

#[test]
fn without_its_place_kept_nothing_that_changes_the_drive_is_sent() {
    let mut bench = Bench::new(4000).answering(erasing(&[]));
    let plan = plan(&bench, Technique::SanitizeBlock);
    let mut job = bench.start(&plan);
    bench.keeps = false;
    let evidence = bench.finish(&mut job);
    assert!(matches!(&evidence.ended, Ended::Refused { error } if error.contains("the disk is full")), "{:?}", evidence.ended);
    assert!(!bench.sent.iter().any(|name| name.starts_with("SANITIZE")), "{:?}", bench.sent);
}
