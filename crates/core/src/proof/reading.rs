//! Reads places of a drive and compares them with what should lie there. Nothing is written.

use super::expected::{Expected, Holds};
use crate::digest::{Met, Salt};
use crate::erase::tune::Tuner;
use crate::erase::{Backend, Clock, Completed, Done, JobControl, Setting, Task, Wish};
use crate::evidence::Ended;
use crate::mark;
use crate::media::Geometry;
use crate::medium::{Cause, MediumError};
use crate::pattern::Pattern;
use crate::ranges::RangeSet;
use crate::units::Sectors;
use std::collections::HashMap;
use std::sync::Arc;
use std::time::Duration;

/// How a request is waited for before wishes are looked at.
const LOOK_EVERY: Duration = Duration::from_millis(500);
/// A drive that answers nothing for so long is left.
const SILENT: Duration = Duration::from_secs(300);

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
pub struct Progress {
    /// Sectors that were dealt with.
    pub done: u64,
    /// Of so many.
    pub of: u64,
}

/// Reads `places` of a drive of that geometry by `backend`, and compares them with what is expected there. A stretch that can't
/// be read is halved down to one physical sector. `control` may stop it; holding is not offered. `tell` hears of each request.
pub fn read(
    expected: &Expected,
    places: &RangeSet,
    geometry: Geometry,
    backend: &mut dyn Backend,
    clock: &dyn Clock,
    control: &mut dyn JobControl,
    tell: &mut dyn FnMut(Progress),
) -> Reading {
    let marks = expected.mark.as_deref().map_or(vec![], |page| mark::patterns(page.as_bytes(), geometry));
    // Where the mark stands, it alone is expected.
    let rest = places.without(&marks.iter().map(|(at, _)| *at).collect());
    let reading = Reading {
        read: RangeSet::new(),
        wrong: RangeSet::new(),
        unreadable: RangeSet::new(),
        blank_byte: None,
        ended: Ended::Finished,
    };
    let progress = Progress { done: 0, of: places.count() };
    let mut work = Work {
        geometry,
        left: rest.iter().rev().copied().collect(),
        again: vec![],
        in_flight: HashMap::new(),
        next_tag: 0,
        reading,
        progress,
        in_a_row: 0,
    };
    let pattern = match &expected.holds {
        Holds::Pattern { pattern } => pattern.clone(),
        Holds::Blank => {
            backend.set(backend.settings()[0]);
            work.ask_blank_byte(backend)
        }
    };
    let mut tuner = Tuner::new(&backend.settings(), backend.trials(), geometry.bytes_of(progress.of));
    work.run(&Arc::new(pattern), &mut tuner, backend, (clock, &mut *control), tell);
    for (at, pattern) in marks {
        let asked = places.within(at);
        if work.reading.ended == Ended::Finished && asked.count() > 0 {
            work.left = asked.iter().rev().copied().collect();
            work.run(&Arc::new(pattern), &mut tuner, backend, (clock, &mut *control), tell);
        }
    }
    work.reading
}

struct Work {
    geometry: Geometry,
    /// Places to be read, the next one last.
    left: Vec<Sectors>,
    /// Parts of requests that failed.
    again: Vec<Sectors>,
    in_flight: HashMap<u64, Sectors>,
    next_tag: u64,
    reading: Reading,
    progress: Progress,
    /// Sectors that could not be read, one after another.
    in_a_row: u64,
}

/// A drive that gives nothing for so many physical sectors in a row is given up.
const GIVEN_UP_AFTER: u64 = 1024;

impl Work {
    /// The byte that the first sector holds over and over. One that is not blank is found wrong when it is read with the others.
    fn ask_blank_byte(&mut self, backend: &mut dyn Backend) -> Pattern {
        let Some(first) = self.left.last().map(|at| Sectors::new(at.first.0, 1)) else { return Pattern::zeros() };
        backend.start(u64::MAX, Task::Digest(first, Salt::new([0; 16])));
        let told = backend.wait(SILENT);
        let byte = match told.map(|done| done.how) {
            Some(Completed::Digested(met)) => met.first().and_then(|m| if let Met::Blank(byte) = m { Some(*byte) } else { None }),
            Some(_) => None,
            None => {
                self.reading.ended = silent();
                None
            }
        };
        self.reading.blank_byte = byte;
        byte.and_then(|b| Pattern::bytes([b])).unwrap_or_else(Pattern::zeros)
    }

    fn run(
        &mut self,
        pattern: &Arc<Pattern>,
        tuner: &mut Tuner,
        backend: &mut dyn Backend,
        (clock, control): (&dyn Clock, &mut dyn JobControl),
        tell: &mut dyn FnMut(Progress),
    ) {
        let mut setting = tuner.setting();
        backend.set(setting);
        let mut answered = clock.now().mono;
        while self.reading.ended == Ended::Finished || !self.in_flight.is_empty() {
            if control.poll() == Some(Wish::Stop) && self.reading.ended == Ended::Finished {
                self.reading.ended = Ended::Stopped;
            }
            let wanted = tuner.setting();
            if wanted != setting && self.in_flight.is_empty() {
                setting = wanted;
                backend.set(setting);
            }
            let goes_on = self.reading.ended == Ended::Finished && wanted == setting;
            while goes_on && self.in_flight.len() < setting.depth {
                let Some(at) = self.next(setting) else { break };
                self.next_tag += 1;
                self.in_flight.insert(self.next_tag, at);
                backend.start(self.next_tag, Task::ReadBack(at, Arc::clone(pattern)));
            }
            if self.in_flight.is_empty() {
                if goes_on { break } else { continue }
            }
            let Some(Done { tag, how }) = backend.wait(LOOK_EVERY) else {
                let so_long = clock.now().mono.saturating_sub(answered);
                if so_long > SILENT || (self.reading.ended != Ended::Finished && so_long > SILENT / 10) {
                    self.reading.ended = silent();
                    return;
                }
                continue;
            };
            let now = clock.now().mono;
            answered = now;
            let Some(at) = self.in_flight.remove(&tag) else { continue };
            match how {
                Completed::Read { wrong } => {
                    self.in_a_row = 0;
                    self.progress.done += at.count;
                    self.reading.read.insert(at);
                    self.reading.wrong.extend(&wrong);
                    tuner.note(self.geometry.bytes_of(at.count), now);
                }
                Completed::Failed(error) => {
                    tuner.disturbed();
                    self.failed(at, &error);
                }
                _ => self.reading.ended = Ended::Refused { error: "a defect in Jurex: it was asked to read".into() },
            }
            tell(self.progress);
        }
    }

    /// The next stretch, no longer than one request. It ends at a physical sector where it can.
    fn next(&mut self, setting: Setting) -> Option<Sectors> {
        if let Some(part) = self.again.pop() {
            return Some(part);
        }
        let at = self.left.last_mut()?;
        let most = (setting.chunk as u64 / u64::from(self.geometry.logical)).max(1);
        // Requests begin where chunks begin, so that a device's stripes are met whole.
        let count = (most - at.first.0 % most).min(at.count);
        let part = Sectors::new(at.first.0, count);
        *at = Sectors::new(at.first.0 + count, at.count - count);
        if at.count == 0 {
            self.left.pop();
        }
        Some(part)
    }

    fn failed(&mut self, at: Sectors, error: &MediumError) {
        let said = || error.cause.os().to_string();
        match error.cause {
            Cause::BadSector(_) => self.halve(at),
            Cause::Gone(_) => self.reading.ended = Ended::Gone { error: said() },
            Cause::Refused(_) => self.reading.ended = Ended::Refused { error: said() },
        }
    }

    /// One or more of these sectors can't be read: they are looked for down to one physical sector.
    fn halve(&mut self, at: Sectors) {
        let unit = self.geometry.unit();
        if at.count <= unit {
            self.reading.unreadable.insert(at);
            self.progress.done += at.count;
            self.in_a_row += 1;
            if self.in_a_row >= GIVEN_UP_AFTER {
                self.reading.ended = Ended::GivenUp { faults: self.in_a_row };
            }
            return;
        }
        let middle = (at.first.0 + at.count / 2).div_ceil(unit) * unit;
        let middle = middle.clamp(at.first.0 + 1, at.end() - 1);
        self.again.push(Sectors::new(middle, at.end() - middle));
        self.again.push(Sectors::new(at.first.0, middle - at.first.0));
    }
}

fn silent() -> Ended {
    Ended::StoppedAnswering { error: format!("no answer for {}", crate::units::duration(SILENT)) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::erase::{Sequential, Unattended};
    use crate::media::MediaClass;
    use crate::sampling::Sampling;
    use crate::testing::{Memory, Steady};
    use crate::units::Lba;
    use proptest::prelude::*;
    use std::collections::BTreeSet;

    fn expected(holds: Holds, count: u64) -> Expected {
        Expected { holds, range: Sectors::new(0, count), mark: None }
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
        let says = crate::mark::MarkSays::of(&crate::record::tests_record(true), "Tern Quay").unwrap();
        let page = crate::mark::Mark::new(says, |_| None).page(512).unwrap();
        let mut medium = Memory::new(MediaClass::Magnetic, 999);
        medium.bytes.fill(0);
        medium.bytes[..4096].copy_from_slice(&page);
        medium.bytes[991 * 512..].copy_from_slice(&page);
        let mut look = |change: &dyn Fn(&mut Memory), mark: bool, holds: Holds| {
            let before = medium.bytes.clone();
            change(&mut medium);
            let page = mark.then(|| String::from_utf8(page.clone()).unwrap());
            let (expected, geometry) = (Expected { mark: page, ..expected(holds, 999) }, medium.drive.geometry);
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
        assert_eq!((&found.ended, found.unreadable.count()), (&Ended::GivenUp { faults: 1024 }, 1024));
    }

    #[test]
    fn a_reading_that_is_stopped_says_how_far_it_came() {
        struct AfterThree(u32);
        impl JobControl for AfterThree {
            fn poll(&mut self) -> Option<Wish> {
                self.0 += 1;
                (self.0 == 4).then_some(Wish::Stop)
            }
            fn wait(&mut self) -> Option<Wish> {
                None
            }
        }
        let mut medium = Memory::new(MediaClass::Magnetic, 64);
        let stopped = read_all(&mut medium, Holds::Blank, &whole(64), &mut AfterThree(0));
        assert_eq!((&stopped.ended, stopped.read.count()), (&Ended::Stopped, 24));
    }
}
