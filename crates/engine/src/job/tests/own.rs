//! A drive's own erasure as a stage: what is drawn before it, the conversation, and what others see of it meanwhile.

use super::*;
use jurex_device::native::command::{Answer, Command};
use jurex_device::testing::Memory;
use jurex_sanitize::evidence::NativeEvidence;

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
    for wish in [Control::Hold, Control::Hold, Control::Hold, Control::GoOn] {
        job.wish(wish);
        assert!(matches!(bench.step(&mut job), JobStep::Wait));
    }
    let silence = bench.told(|e| matches!(e, Event::NoAnswer { .. }));
    assert_eq!((bench.told(|e| *e == Event::CannotStop), silence), (1, 0));
    bench.answer(&mut job, &change);
    assert!(job.may_be_left());
    let poll = bench.until(&mut job, |task| matches!(task, Task::Ask(_)));
    bench.answer(&mut job, &poll);
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
                bench.answer(&mut job, &request);
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
fn without_its_place_kept_nothing_that_changes_the_drive_is_sent() {
    let mut bench = Bench::new(4000).answering(erasing(&[]));
    let plan = plan(&bench, Technique::SanitizeBlock);
    let mut job = bench.start(&plan);
    bench.keeps = false;
    let evidence = bench.finish(&mut job);
    assert!(matches!(&evidence.ended, Ended::Refused { error } if error.contains("the disk is full")), "{:?}", evidence.ended);
    assert!(!bench.sent.iter().any(|name| name.starts_with("SANITIZE")), "{:?}", bench.sent);
}

#[test]
fn a_password_is_told_where_it_comes_or_goes_and_nowhere_else() {
    let mut locker = crate::native::tests::Locker::default();
    let mut bench = Bench::new(4000).answering(move |command, medium| {
        if command.name.starts_with("SECURITY ERASE UNIT") {
            medium.bytes.fill(0);
        }
        locker.answer(command)
    });
    (bench.medium.drive.bus, bench.medium.drive.protocol) = (jurex_device::media::Bus::Sata, jurex_device::media::Protocol::Ata);
    let plan = plan(&bench, Technique::SecurityErase);
    let mut job = bench.start(&plan);
    assert_eq!(bench.finish(&mut job).ended, Ended::Finished);
    let told = bench.events.iter().filter_map(|e| if let Event::PasswordTold { set } = e { Some(*set) } else { None });
    assert_eq!(told.collect::<Vec<_>>(), [false, true, false], "as it was, set for the erasure, and gone with it");
}

#[test]
fn what_can_be_told_apart_is_laid_where_too_little_lies_and_not_tried_twice() {
    let marked = |change: &dyn Fn(&mut Memory)| {
        let mut bench = Bench::new(4000).answering(erasing(&[]));
        change(&mut bench.medium);
        let plan = plan(&bench, Technique::SanitizeBlock);
        let mut job = bench.start(&plan);
        let evidence = bench.finish(&mut job);
        let compared = evidence.own_check().unwrap().drawn.unwrap().compared;
        (bench.told(|e| matches!(e, Event::Marked { .. })), compared > 0, bench.medium.flushes > 0)
    };
    assert_eq!(marked(&|_| {}), (1, true, true), "it is blank");
    assert_eq!(
        marked(&|m| m.failing_flushes = vec![1]),
        (1, true, true),
        "what a failed flush took is not there when it is read"
    );
    assert_eq!(marked(&|m| m.drops_writes_to = (0..4000).collect()), (1, false, true), "it takes nothing: once is enough");
    let numbered =
        |m: &mut Memory| m.bytes.chunks_mut(512).enumerate().for_each(|(n, s)| s[..8].copy_from_slice(&n.to_le_bytes()));
    assert_eq!(marked(&numbered), (0, true, false), "each sector has its own");
}

#[test]
fn a_drive_that_gives_no_sector_is_not_asked_for_all_of_them() {
    let asked_of = |sectors: u64, technique, unreadable: std::ops::Range<u64>| {
        let mut bench = Bench::new(sectors).answering(erasing(&[]));
        bench.medium.bytes.chunks_mut(512).enumerate().for_each(|(n, s)| s[..8].copy_from_slice(&n.to_le_bytes()));
        bench.medium.unreadable = unreadable.collect();
        let plan = plan(&bench, technique);
        let mut job = bench.start(&plan);
        let mut asked = 0;
        loop {
            let request = bench.until(&mut job, |_| true);
            if !matches!(request.task, Task::Digest(..)) {
                return asked;
            }
            asked += 1;
            bench.answer(&mut job, &request);
        }
    };
    let asked = |unreadable| asked_of(4000, Technique::SanitizeBlock, unreadable);
    let whole = Bench::new(400_000);
    let sampled =
        plan(&whole, Technique::SanitizeCrypto).own_check().unwrap().reading.places(Sectors::new(0, 400_000)).iter().len();
    let given_up = 2 * (sampled as u64).div_ceil(1000) + 1;
    assert!(sampled > 1000 && asked_of(400_000, Technique::SanitizeCrypto, 0..400_000) == given_up, "{sampled} places");
    assert_eq!((asked(0..0), asked(0..4000)), (1000, 3), "one in a thousand parts each: a part of them is lost for good");
    assert_eq!(asked(8..12), 1000, "a few that are bad are no reason to stop");
}

#[test]
fn other_namespaces_are_read_before_and_after_and_one_that_was_not_erased_is_seen() {
    let run = |erased: bool, there: bool| {
        let mut bench = Bench::new(4000);
        let second = Elsewhere { what: "Namespace 2 (1.02 MB)".into(), user_data: true, no_address: false };
        bench.medium.drive.elsewhere = vec![second.clone()];
        bench.beside = there.then(|| (second.what.clone(), Memory::new(MediaClass::SolidState, 2000)));
        let plan = plan(&bench, Technique::SanitizeBlock);
        let mut bench = bench.answering(erasing(&[]));
        let mut job = bench.start(&plan);
        let change = bench.until(&mut job, is_change);
        if let (true, Some((_, medium))) = (erased, &mut bench.beside) {
            medium.bytes.fill(0);
        }
        bench.answer(&mut job, &change);
        let evidence = bench.finish(&mut job);
        let beside = evidence.own_check().unwrap().beside.clone();
        (evidence.ended == Ended::Finished, beside.first().map(|b| (b.read, b.as_before > 0, b.not_blank > 0)))
    };
    assert_eq!(run(true, true), (true, Some((1000, false, false))));
    assert_eq!(run(false, true), (true, Some((1000, true, true))), "what was laid there is there still");
    assert_eq!(run(true, false), (true, None), "it can't be reached: nothing is said of it");
    // A unit that has no other is not asked for one.
    let mut bench = Bench::new(4000).answering(erasing(&[]));
    let plan = plan(&bench, Technique::SanitizeBlock);
    let mut job = bench.start(&plan);
    bench.finish(&mut job);
    assert_eq!(bench.told(|e| matches!(e, Event::BesideRead { .. })), 0);
}

#[test]
fn what_a_drives_own_erasure_reaches_is_noted_and_where_its_first_sector_is_bad_the_rest_is_read() {
    let run = |technique, unreadable: Vec<u64>| {
        let mut bench = Bench::new(4000).answering(erasing(&[]));
        (bench.medium.drive.bus, bench.medium.unreadable) = (jurex_device::media::Bus::Sas, unreadable);
        let plan = plan(&bench, technique);
        let mut job = bench.start(&plan);
        let change = bench.until(&mut job, is_change);
        bench.answer(&mut job, &change);
        // One request asks for the byte, whatever comes of it.
        let asked = bench.until(&mut job, |task| matches!(task, Task::Digest(..)));
        bench.answer(&mut job, &asked);
        bench.until(&mut job, |task| {
            assert!(!matches!(task, Task::Digest(..)));
            matches!(task, Task::Identify)
        });
        job.progress().evidence().clone()
    };
    let good = run(Technique::SanitizeBlock, vec![]);
    assert!(good.own().is_some_and(|o| o.of_whole_unit) && good.unreadable().is_empty());
    let bad = run(Technique::SanitizeBlock, vec![0, 77]);
    let read = &bad.own_check().unwrap().read_back;
    assert_eq!((read.unreadable.sentence(9), read.wrong.count(), read.read.count()), ("sector 0, sector 77".into(), 0, 3998));
    let begun = NativeEvidence::begun(Technique::SdErase);
    assert!(!begun.of_whole_unit);
}
