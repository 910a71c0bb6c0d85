mod bench;
mod going_on;
mod own;

pub(super) use bench::{Bench, good};

use super::*;
use crate::event::FaultKind;
use jurex_device::media::{Elsewhere, Geometry, MediaClass};
use jurex_device::native::Capabilities;
use jurex_device::technique::Technique;
use jurex_device::testing::{Fixed, cleared_for, test_drive};
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::Sectors;
use jurex_sanitize::evidence::Expect;
use jurex_sanitize::plan::{NativeOrder, Order, Plan};

const SECTORS: u64 = 4_000_000;

pub(super) fn at(millis: u64) -> Now {
    Now { wall: jiff::Timestamp::UNIX_EPOCH, mono: Duration::from_millis(millis) }
}

fn drive() -> Drive {
    let drive = test_drive(MediaClass::SolidState, SECTORS);
    Drive { geometry: Geometry { physical: 4096, ..drive.geometry }, ..drive }
}

/// A job by that plan that was begun after a second.
fn job(plan: &Plan) -> Job {
    let armed = plan.arm(&cleared_for(plan.drive(), plan.intent()), "K7Q41M").unwrap();
    let mut job = Job::start(armed, plan.drive(), Access::DIRECT, 1 << 20, at(1000)).unwrap();
    job.take_events();
    job
}

pub(super) fn overwriting() -> Job {
    let order = Order { retries: 7, ..Order::of_program("zeros", "00".parse().unwrap()) };
    job(&Plan::new(&drive(), &order, &mut Fixed(7)).unwrap())
}

fn own(technique: Technique, drive: &Drive) -> Job {
    job(&Plan::own(drive, &NativeOrder::new(technique, drive, &Capabilities::default()), &mut Fixed(7)).unwrap())
}

/// What was told to have been worked through: the first sector, how many, milliseconds.
fn advanced(job: &mut Job) -> Vec<(u64, u64, u128)> {
    let one = |event| match event {
        Event::Advanced { at, took, .. } => Some((at.first.0, at.count, took.as_millis())),
        _ => None,
    };
    job.take_events().into_iter().filter_map(one).collect()
}

#[test]
fn progress_is_told_each_fifty_milliseconds_and_each_stretch_with_its_share_of_the_time() {
    let mut job = overwriting();
    let work = |job: &mut Job, first, count, until| job.context.advance(Sectors::new(first, count), at(0).mono, at(until));
    work(&mut job, 0, 8, 1049);
    assert_eq!(advanced(&mut job), []);
    work(&mut job, 8, 8, 1050);
    assert_eq!(advanced(&mut job), [(0, 16, 50)], "what touches is one stretch");
    work(&mut job, 16, 8, 1060);
    work(&mut job, 1000, 24, 1130);
    assert_eq!(advanced(&mut job), [(16, 8, 20), (1000, 24, 60)]);
    // Single places take their time and are no work that a speed could follow from.
    job.context.advance_by_places(Sectors::new(5000, 1), at(1200));
    assert_eq!((advanced(&mut job), job.context.meter.worked, job.worked_through()), (vec![(5000, 1, 70)], 48, 48 * 512));
    assert_eq!(job.bytes_of_a_pass(), SECTORS * 512);
}

#[test]
fn a_checkpoint_is_due_after_five_seconds_or_a_gibibyte() {
    let due = |count, until: u64| {
        let mut job = overwriting();
        job.context.advance(Sectors::new(0, count), at(0).mono, at(until));
        assert!(job.context.meter.has_unsaved());
        job.context.meter.checkpoint_due
    };
    assert_eq!((due(8, 5999), due(8, 6000)), (false, true));
    assert_eq!((due((1 << 21) - 8, 1001), due(1 << 21, 1001)), (false, true));
    let mut job = overwriting();
    job.context.advance(Sectors::new(0, 8), at(0).mono, at(6000));
    job.context.advance(Sectors::new(8, 8), at(0).mono, at(6001));
    assert!(job.context.meter.checkpoint_due, "until it is made");
    job.context.save(at(7000));
    assert!(!job.context.meter.checkpoint_due && !job.context.meter.has_unsaved() && job.take_checkpoint().is_some());
    assert_eq!(job.context.lasted(at(7000)), Duration::from_secs(6));
}

#[test]
fn time_that_it_was_held_is_no_time_that_it_worked() {
    let mut job = overwriting();
    job.wish(Control::Hold);
    assert!(matches!(job.request(at(1000)), JobStep::Held));
    assert!(job.take_events().contains(&Event::Held { celsius: None }));
    job.wish(Control::GoOn);
    assert!(matches!(job.request(at(61_000)), JobStep::Do(_)) && job.take_events().contains(&Event::WentOn));
    job.context.advance(Sectors::new(0, 8), at(61_000).mono, at(61_070));
    assert_eq!(advanced(&mut job), [(0, 8, 70)]);
}

#[test]
fn a_job_whose_drive_was_read_by_others_first_counts_from_its_own_beginning() {
    let mut job = overwriting();
    job.begins_now(at(61_000));
    job.context.advance(Sectors::new(0, 8), at(0).mono, at(61_050));
    assert_eq!((advanced(&mut job), job.context.meter.checkpoint_due), (vec![(0, 8, 50)], false));
}

#[test]
fn slow_is_what_takes_two_seconds_and_eight_times_as_long_as_is_usual_on_this_drive() {
    /// Sectors that were worked through one after the other, each in so many milliseconds; which of them were slow.
    fn slow<const N: usize>(served: &[(u64, u64)], which: [usize; N]) {
        let (mut job, mut now, mut slow) = (overwriting(), 1000, vec![]);
        for (n, (count, millis)) in served.iter().enumerate() {
            now += millis;
            job.context.advance(Sectors::new(n as u64 * 1000, *count), at(0).mono, at(now));
            if job.take_events().iter().any(|e| matches!(e, Event::Slow { .. })) {
                slow.push(n);
            }
        }
        assert_eq!(slow, which, "{served:?}");
    }
    slow(&[(1, 1999)], []);
    // Nothing is usual yet.
    slow(&[(1, 2000)], [0]);
    // Eight times as long and no longer; of nine sectors it is not long.
    slow(&[(1, 250), (1, 2000)], []);
    slow(&[(1, 250), (9, 3000)], []);
    // The usual goes on slowly: 260 ms after one of 250 and one of 350.
    slow(&[(1, 250), (1, 350), (1, 2050)], []);
    slow(&[(1, 250), (1, 350), (1, 2100)], [2]);
    // One slow place does not make slowness usual; a drive that is slow from the start is.
    slow(&[(1, 10), (1, 2000), (1, 2000)], [1, 2]);
    slow(&[(1, 2000), (1, 2000)], [0]);
    // What waited for others that were in flight before it is not slow itself.
    let mut job = overwriting();
    job.context.advance(Sectors::new(0, 8), at(4500).mono, at(5000));
    assert!(!job.take_events().iter().any(|e| matches!(e, Event::Slow { .. })), "the drive could begin with it only then");
}

#[test]
fn wrong_sectors_are_told_once_a_second_or_when_they_are_many_and_counted_as_places() {
    let wrong = |first, count| [Sectors::new(first, count)].into_iter().collect::<RangeSet>();
    let told = |job: &mut Job| {
        let one = |event| if let Event::Fault { kind: FaultKind::Wrong, at, .. } = event { Some(at) } else { None };
        job.take_events().into_iter().filter_map(one).collect::<Vec<_>>()
    };
    let mut job = overwriting();
    job.context.found_wrong(&wrong(0, 8), at(999));
    assert_eq!(told(&mut job), []);
    job.context.found_wrong(&wrong(8, 8), at(1000));
    assert_eq!(told(&mut job), [Sectors::new(0, 16)]);
    job.context.found_wrong(&wrong(100, 1), at(1999));
    assert_eq!(told(&mut job), [], "a second after the last");
    job.context.found_wrong(&(0..499).map(|n| Sectors::new(200 + 2 * n, 1)).collect(), at(1999));
    assert_eq!(told(&mut job), [], "they are five hundred");
    job.context.found_wrong(&wrong(3000, 1), at(1999));
    assert_eq!(told(&mut job).len(), 501);
}

#[test]
fn requests_hold_whole_physical_sectors_and_are_tried_as_often_as_is_planned() {
    let mut job = overwriting();
    for (bytes, sectors) in [(1 << 16, 128), (5000, 8), (12_288 + 512, 24), (1, 8)] {
        job.set_chunk(bytes);
        assert_eq!(job.context.list.chunk(), sectors, "{bytes} bytes");
    }
    assert_eq!(job.context.retries(), 7);
    assert_eq!(own(Technique::SanitizeBlock, &drive()).context.retries(), Order::RETRIES, "no passes: as is usual");
}

#[test]
fn other_namespaces_are_looked_at_where_the_drives_own_erasure_reaches_them() {
    let second = |user_data| Elsewhere { what: "Namespace 2".into(), user_data, no_address: false };
    let with = |elsewhere| Drive { elsewhere, ..drive() };
    let reaches = |technique, drive: &Drive| own(technique, drive).context.reaches_others();
    assert!(reaches(Technique::SanitizeBlock, &with(vec![second(true)])));
    assert!(!reaches(Technique::SanitizeBlock, &with(vec![second(false)])), "what holds no user data is not read");
    assert!(!reaches(Technique::SanitizeBlock, &drive()));
    assert!(!reaches(Technique::SdErase, &with(vec![second(true)])), "its user area alone is erased");
}

#[test]
fn what_is_compared_later_is_noted_at_all_places_and_what_is_blank_later_at_few() {
    let whole = drive().geometry.whole();
    let drawn = |technique| {
        let job = own(technique, &drive());
        let check = job.context.plan.own_check().unwrap();
        let places = check.reading.places(whole);
        let draw = job.context.new_draw(job.context.plan.own_at().unwrap(), whole).unwrap();
        (check.expect == Expect::Changed, draw.places().map(|at| at.count).sum::<u64>() == places.count())
    };
    assert_eq!(drawn(Technique::SanitizeCrypto), (true, true));
    assert_eq!(drawn(Technique::SanitizeBlock), (false, false));
}

#[test]
fn a_drive_is_left_only_where_nothing_is_changed_in_it_meanwhile() {
    let mut job = overwriting();
    assert!(job.may_be_left());
    job.tell_no_answer(Duration::from_secs(30));
    assert!(matches!(job.take_events()[..], [Event::NoAnswer { .. }]));
    job.leave(Duration::from_secs(30), at(31_000));
    let ended = job.into_evidence().ended;
    assert!(matches!(&ended, Ended::StoppedAnswering { error } if error == "no answer for 30 s"), "{ended:?}");
}
