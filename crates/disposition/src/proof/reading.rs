//! Reads places of a drive and compares them with what should lie there. Nothing is written.

use super::expected::{ExpectedContents, Holds};
use crate::erasure_tag;
use jurex_device::media::Geometry;
use jurex_engine::{Backend, Clock, Completed, DriveReader, JobControl, NoAnswer, Now, ReadingPurpose, Task, WorkList, ask};
use jurex_pattern::pattern::Pattern;
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::Sectors;
use jurex_sanitize::digest::{Salt, SectorDigest};
use jurex_sanitize::evidence::Ended;
use std::sync::Arc;

/// What was read, and what was found.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Reading {
    /// Sectors that came and were compared.
    pub read: RangeSet,
    /// Those of them that do not hold what should lie there.
    pub wrong: RangeSet,
    /// Sectors that gave an error.
    pub unreadable: RangeSet,
    /// The byte that a blank drive holds everywhere, where it had to be asked.
    pub blank_byte: Option<u8>,
    /// How it ended.
    pub ended: Ended,
}

/// How far a reading is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ReadingProgress {
    /// Sectors that were dealt with.
    pub done: u64,
    /// Of so many.
    pub of: u64,
}

impl ReadingProgress {
    /// The share that is done, from 0.0 to 1.0.
    pub fn share(&self) -> f64 {
        self.done as f64 / self.of.max(1) as f64
    }
}

/// Reads `places` of a drive of that geometry by `backend`, and compares them with what is expected there. A stretch that can't
/// be read is halved down to one physical sector. `control` may stop it; holding is not offered. `tell` hears of each request.
pub fn read(
    expected: &ExpectedContents,
    places: &RangeSet,
    geometry: Geometry,
    backend: &mut dyn Backend,
    clock: &dyn Clock,
    control: &mut dyn JobControl,
    tell: &mut dyn FnMut(ReadingProgress),
) -> Reading {
    let marks = expected.mark.as_deref().map_or(vec![], |page| erasure_tag::patterns(page.as_bytes(), geometry));
    // Where the mark stands, it alone is expected.
    let rest = places.without(&marks.iter().map(|(at, _)| *at).collect());
    let mut reading = Reading {
        read: RangeSet::new(),
        wrong: RangeSet::new(),
        unreadable: RangeSet::new(),
        blank_byte: None,
        ended: Ended::Finished,
    };
    let pattern = match &expected.holds {
        Holds::Pattern { pattern } => Ok((pattern.clone(), None)),
        Holds::Blank => blank_byte(&rest, backend),
    };
    let mut reader = DriveReader::new(geometry, WorkList::aligned(), backend, clock);
    reader.tune(geometry.bytes_of(places.count()));
    let (pattern, blank_byte) = match pattern {
        Ok(known) => known,
        Err(no_answer) => return Reading { ended: no_answer.into(), ..reading },
    };
    reading.blank_byte = blank_byte;
    let mut proof = Proof { pattern: Arc::new(pattern), reading: &mut reading, of: places.count(), tell };
    reader.read(rest.iter().copied(), &mut proof, control);
    for (at, pattern) in marks {
        let asked = places.within(at);
        proof.pattern = Arc::new(pattern);
        reader.read(asked.iter().copied(), &mut proof, control);
    }
    let (unreadable, ended) = reader.into_result();
    Reading { unreadable, ended, ..reading }
}

/// The pattern of the byte that the first sector holds over and over. One that is not blank is found wrong when it is read with
/// the others.
fn blank_byte(places: &RangeSet, backend: &mut dyn Backend) -> Result<(Pattern, Option<u8>), NoAnswer> {
    let Some(first) = places.iter().next().map(|at| Sectors::new(at.first.0, 1)) else { return Ok((Pattern::zeros(), None)) };
    let setting = backend.settings()[0];
    backend.set(setting);
    let byte = match ask(backend, Task::Digest(first, Salt::new([0; 16])))? {
        Completed::Digested(met) => met.first().and_then(|m| if let SectorDigest::Blank(byte) = m { Some(*byte) } else { None }),
        _ => None,
    };
    Ok((byte.and_then(|b| Pattern::bytes([b])).unwrap_or_else(Pattern::zeros), byte))
}

/// What comes is compared with a pattern.
struct Proof<'p> {
    pattern: Arc<Pattern>,
    reading: &'p mut Reading,
    of: u64,
    tell: &'p mut dyn FnMut(ReadingProgress),
}

impl ReadingPurpose for Proof<'_> {
    fn task(&self, at: Sectors) -> Task {
        Task::ReadBack(at, Arc::clone(&self.pattern))
    }

    fn came(&mut self, at: Sectors, answer: Completed, _: Now) -> bool {
        let Completed::Read { wrong } = answer else { return false };
        self.reading.read.insert(at);
        self.reading.wrong.extend(&wrong);
        true
    }

    fn progress(&mut self, done: u64) {
        (self.tell)(ReadingProgress { done, of: self.of });
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_device::media::MediaClass;
    use jurex_device::testing::Memory;
    use jurex_engine::testing::{Steady, StopsAfter};
    use jurex_engine::{Control, Done, GIVEN_UP_AFTER, LEFT_AFTER, RequestSetting, Sequential, Unattended};
    use jurex_pattern::units::Lba;
    use jurex_sanitize::sampling::Sampling;
    use proptest::prelude::*;
    use std::collections::{BTreeSet, VecDeque};
    use std::time::Duration;

    fn expected(holds: Holds, count: u64) -> ExpectedContents {
        ExpectedContents { holds, range: Sectors::new(0, count), mark: None }
    }

    fn whole(count: u64) -> RangeSet {
        [Sectors::new(0, count)].into_iter().collect()
    }

    fn read_all(medium: &mut Memory, holds: Holds, places: &RangeSet, control: &mut dyn JobControl) -> Reading {
        let geometry = medium.drive.geometry;
        let mut backend = Sequential::in_chunks(medium, 4096);
        read(&expected(holds, geometry.sectors), places, geometry, &mut backend, &Steady::default(), control, &mut |_| {})
    }

    proptest! {
        #[test]
        fn exactly_the_sectors_that_are_wrong_or_bad_are_found(
            count in 1u64..300, wrong: Vec<prop::sample::Index>, bad: Vec<prop::sample::Index>, sampled: bool, seed: [u8; 16],
        ) {
            let mut medium = Memory::new(MediaClass::Magnetic, count);
            let pattern = Pattern::random(seed);
            let mut bytes = vec![0; count as usize * 512];
            pattern.fill(0, 512, &mut bytes);
            let at = |list: &[prop::sample::Index]| -> Vec<u64> { list.iter().take(5).map(|i| i.index(count as usize) as u64).collect() };
            let (wrong, bad): (BTreeSet<u64>, Vec<u64>) = (at(&wrong).into_iter().collect(), at(&bad));
            medium.drive.geometry.physical = 512;
            wrong.iter().for_each(|lba| bytes[*lba as usize * 512 + 100] ^= 1);
            medium.bytes.copy_from_slice(&bytes);
            bad.iter().for_each(|lba| medium.unreadable.push(*lba));
            let places = if sampled { Sampling::new(seed).places(Sectors::new(0, count)) } else { whole(count) };
            let found = read_all(&mut medium, Holds::Pattern { pattern }, &places, &mut Unattended);
            prop_assert_eq!(&found.ended, &Ended::Finished);
            for lba in 0..count {
                let (in_places, is_bad) = (places.contains(Lba(lba)), bad.contains(&lba));
                prop_assert_eq!(found.unreadable.contains(Lba(lba)), in_places && is_bad);
                prop_assert_eq!(found.wrong.contains(Lba(lba)), in_places && !is_bad && wrong.contains(&lba));
                prop_assert_eq!(found.read.contains(Lba(lba)), in_places && !is_bad);
            }
        }
    }

    #[test]
    fn a_blank_drive_is_blank_in_one_byte_and_in_no_other() {
        let mut medium = Memory::new(MediaClass::SolidState, 64);
        medium.bytes.fill(0xff);
        let blank = read_all(&mut medium, Holds::Blank, &whole(64), &mut Unattended);
        assert_eq!((blank.blank_byte, blank.wrong.count(), blank.read.count()), (Some(0xff), 0, 64));
        medium.bytes[40 * 512..41 * 512].fill(0);
        assert_eq!(read_all(&mut medium, Holds::Blank, &whole(64), &mut Unattended).wrong.sentence(3), "sector 40");
        medium.bytes[7] = 1;
        let first = read_all(&mut medium, Holds::Blank, &whole(64), &mut Unattended);
        assert!(first.blank_byte.is_none() && first.wrong.count() > 60, "the first sector is not blank at all");
    }

    #[test]
    fn where_a_mark_should_stand_it_alone_is_right_and_everywhere_else_it_is_wrong() {
        let says = crate::erasure_tag::TagFacts::of(&jurex_sanitize::testing::record(), "Tern Quay").unwrap();
        let page = crate::erasure_tag::ErasureTag::new(says, |_| None).page(512).unwrap();
        let mut medium = Memory::new(MediaClass::Magnetic, 999);
        medium.bytes.fill(0);
        medium.bytes[..4096].copy_from_slice(&page);
        medium.bytes[991 * 512..].copy_from_slice(&page);
        let mut look = |change: &dyn Fn(&mut Memory), mark: bool, holds: Holds| {
            let before = medium.bytes.clone();
            change(&mut medium);
            let page = mark.then(|| String::from_utf8(page.clone()).unwrap());
            let (expected, geometry) = (ExpectedContents { mark: page, ..expected(holds, 999) }, medium.drive.geometry);
            let mut backend = Sequential::in_chunks(&mut medium, 4096);
            let found = read(&expected, &whole(999), geometry, &mut backend, &Steady::default(), &mut Unattended, &mut |_| {});
            medium.bytes = before;
            (found.read.count(), found.wrong.sentence(3))
        };
        let zeros = || Holds::Pattern { pattern: Pattern::zeros() };
        assert_eq!(look(&|_| {}, true, zeros()), (999, "no sector".into()));
        assert_eq!(look(&|_| {}, true, Holds::Blank), (999, "no sector".into()));
        assert_eq!(look(&|_| {}, false, zeros()).1, "sectors 0 to 7, sectors 991 to 998");
        assert_eq!(look(&|m| m.bytes[300] ^= 1, true, zeros()).1, "sector 0");
        assert_eq!(look(&|m| m.bytes[998 * 512..].fill(0), true, zeros()).1, "sector 998", "blank is wrong where it stands");
        assert_eq!(look(&|m| m.bytes[500 * 512] = 1, true, zeros()).1, "sector 500");
    }

    #[test]
    fn a_drive_that_goes_away_or_gives_nothing_any_more_is_left() {
        let mut gone = Memory { gone_after: Some(4), ..Memory::new(MediaClass::Magnetic, 6400) };
        let found = read_all(&mut gone, Holds::Blank, &whole(6400), &mut Unattended);
        assert!(matches!(found.ended, Ended::Gone { .. }) && found.read.count() == 24, "{found:?}");
        let mut dead = Memory { dead_after: Some(4), ..Memory::new(MediaClass::Magnetic, 6400) };
        let found = read_all(&mut dead, Holds::Blank, &whole(6400), &mut Unattended);
        assert!(matches!(&found.ended, Ended::StoppedAnswering { error } if error.starts_with("16 places in a row failed")));
        assert_eq!(found.unreadable.count(), 0, "a drive that answers nowhere has no bad sectors: it is the drive");
        let mut worn = Memory::new(MediaClass::Magnetic, 6400);
        worn.unreadable = (100..3000).collect();
        let found = read_all(&mut worn, Holds::Blank, &whole(6400), &mut Unattended);
        assert!(
            matches!(found.ended, Ended::GivenUp { faults: 1024 }),
            "it answers elsewhere, and is given up: {:?}",
            found.ended
        );
    }

    /// A clock that goes as far as was waited.
    #[derive(Default)]
    struct Waiting(std::cell::Cell<Duration>);

    impl Clock for Waiting {
        fn now(&self) -> Now {
            Now { wall: jiff::Timestamp::UNIX_EPOCH, mono: self.0.get() }
        }
    }

    /// A drive that takes every request and never answers one.
    struct Mute<'c>(&'c Waiting);

    impl Backend for Mute<'_> {
        fn settings(&self) -> Vec<RequestSetting> {
            Sequential::in_chunks(&mut Memory::new(MediaClass::Magnetic, 64), 4096).settings()
        }
        fn set(&mut self, _: RequestSetting) {}
        fn start(&mut self, _: u64, _: Task) {}
        fn wait(&mut self, patience: Duration) -> Option<Done> {
            self.0.0.set(self.0.0.get() + patience);
            None
        }
    }

    #[test]
    fn a_drive_that_never_answers_is_left_in_the_end_and_sooner_once_its_person_wants_to_stop() {
        /// Stops once so much was waited.
        struct After<'c>(&'c Waiting, Duration);
        impl JobControl for After<'_> {
            fn poll(&mut self) -> Option<Control> {
                (self.0.0.get() >= self.1).then_some(Control::Stop)
            }
            fn wait(&mut self) -> Option<Control> {
                None
            }
        }
        let geometry = Memory::new(MediaClass::Magnetic, 64).drive.geometry;
        let ends = |control: &dyn Fn(&Waiting) -> Box<dyn JobControl + '_>| {
            let clock = Waiting::default();
            let expected = expected(Holds::Pattern { pattern: Pattern::zeros() }, 64);
            let mut control = control(&clock);
            let found = read(&expected, &whole(64), geometry, &mut Mute(&clock), &clock, control.as_mut(), &mut |_| {});
            (found.ended, clock.0.get())
        };
        let silent_for = |so_long| Ended::from(NoAnswer(so_long));
        let (ended, waited) = ends(&|_| Box::new(Unattended));
        assert!(ended == silent_for(waited) && waited == GIVEN_UP_AFTER, "{ended:?} after {waited:?}");
        let (ended, waited) = ends(&|clock| Box::new(After(clock, Duration::from_secs(1))));
        assert!(ended == silent_for(waited) && waited == LEFT_AFTER, "{ended:?} after {waited:?}");
        let (ended, waited) = ends(&|_| Box::new(StopsAfter(0)));
        assert_eq!((ended, waited), (Ended::Stopped, Duration::ZERO), "nothing was asked yet");
    }

    /// Four requests in flight at once.
    struct FourAtOnce<'m> {
        one: Sequential<&'m mut Memory>,
        done: VecDeque<Done>,
        probed: BTreeSet<u64>,
    }

    impl Backend for FourAtOnce<'_> {
        fn settings(&self) -> Vec<RequestSetting> {
            self.one.settings().into_iter().map(|one| RequestSetting { depth: 4, ..one }).collect()
        }
        fn set(&mut self, setting: RequestSetting) {
            self.one.set(setting);
        }
        fn start(&mut self, tag: u64, task: Task) {
            if let Task::Probe(at) = &task {
                self.probed.insert(at.first.0);
            }
            self.one.start(tag, task);
            self.done.extend(self.one.wait(Duration::ZERO));
        }
        fn wait(&mut self, _: Duration) -> Option<Done> {
            self.done.pop_front()
        }
    }

    #[test]
    fn each_place_that_a_silent_drive_is_to_be_tried_at_is_tried_while_much_is_in_flight() {
        let mut dead = Memory { dead_after: Some(4), ..Memory::new(MediaClass::Magnetic, 6400) };
        let geometry = dead.drive.geometry;
        let mut backend =
            FourAtOnce { one: Sequential::in_chunks(&mut dead, 4096), done: VecDeque::new(), probed: BTreeSet::new() };
        let expected = expected(Holds::Pattern { pattern: Pattern::zeros() }, 6400);
        let found = read(&expected, &whole(6400), geometry, &mut backend, &Steady::default(), &mut Unattended, &mut |_| {});
        assert!(
            matches!(&found.ended, Ended::StoppedAnswering { error } if error.starts_with("16 places in a row failed")),
            "{found:?}"
        );
        assert_eq!(found.unreadable.count(), 0, "it answers nowhere");
        assert_eq!(backend.probed.len(), 5, "{:?}", backend.probed);
        // One that answers at the first of them is tried nowhere else.
        let mut worn = Memory { unreadable: (100..300).collect(), ..Memory::new(MediaClass::Magnetic, 6400) };
        let mut backend =
            FourAtOnce { one: Sequential::in_chunks(&mut worn, 4096), done: VecDeque::new(), probed: BTreeSet::new() };
        let found = read(&expected, &whole(6400), geometry, &mut backend, &Steady::default(), &mut Unattended, &mut |_| {});
        assert_eq!((found.ended, backend.probed.len()), (Ended::Finished, 1));
    }

    #[test]
    fn how_far_it_is_is_told_after_each_request() {
        let mut medium = Memory { unreadable: vec![9], ..Memory::new(MediaClass::Magnetic, 24) };
        let (geometry, mut told) = (medium.drive.geometry, vec![]);
        let mut backend = Sequential::in_chunks(&mut medium, 4096);
        let expected = expected(Holds::Pattern { pattern: Pattern::zeros() }, 24);
        let mut tell = |so_far: ReadingProgress| told.push((so_far.done, so_far.of));
        read(&expected, &whole(24), geometry, &mut backend, &Steady::default(), &mut Unattended, &mut tell);
        assert_eq!((told[0], told.last()), ((8, 24), Some(&(24, 24))), "what can't be read is dealt with too: {told:?}");
    }

    #[test]
    fn a_reading_that_is_stopped_says_how_far_it_came() {
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        let stopped = read_all(&mut medium, Holds::Blank, &whole(64), &mut StopsAfter(3));
        assert_eq!((&stopped.ended, stopped.read.count()), (&Ended::Stopped, 24));
    }
}
