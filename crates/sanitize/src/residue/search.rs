//! Reads a drive, all of it or places, by as many readers as there are handles on it.

use super::tally::Tally;
use crate::evidence::Ended;
use crate::pace::Pace;
use jurex_device::media::Geometry;
use jurex_device::medium::{Cause, Medium, MediumError};
use jurex_pattern::notation::Entropy;
use jurex_pattern::pattern::{AlignedBuffer, poison};
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::Sectors;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::Duration;

/// Bytes of one request.
const CHUNK: u64 = 1 << 20;
/// Places of a sample, one request each, one in each of so many equal parts.
const SAMPLED: u64 = 2000;
/// After so many requests in a row that gave nothing the drive is left.
const GIVEN_UP_AFTER: u64 = 64;

/// Which stretches are read: each no longer than one request.
#[derive(Clone, Debug)]
pub struct SearchPlaces(Stretches);

#[derive(Clone, Debug)]
enum Stretches {
    /// All of this, so many sectors at a time.
    Whole(Sectors, u64),
    /// These.
    Drawn(Vec<Sectors>),
}

impl SearchPlaces {
    fn per_chunk(geometry: Geometry) -> u64 {
        (CHUNK / u64::from(geometry.logical)).max(1)
    }

    /// Every sector.
    pub fn whole(geometry: Geometry) -> Self {
        Self(Stretches::Whole(geometry.whole(), Self::per_chunk(geometry)))
    }

    /// Two thousand stretches of a mebibyte, one drawn in each of as many equal parts; everything of a drive that has no more, and
    /// the drive's two ends in any case.
    pub fn sampled(geometry: Geometry, entropy: &mut dyn Entropy) -> Self {
        let (whole, chunk) = (geometry.whole(), Self::per_chunk(geometry));
        if whole.count <= chunk * SAMPLED {
            return Self::whole(geometry);
        }
        let edge = |n: u64| (u128::from(whole.count) * u128::from(n) / u128::from(SAMPLED)) as u64;
        let mut draw = || {
            let mut bytes = [0; 8];
            entropy.fill(&mut bytes);
            u64::from_le_bytes(bytes)
        };
        let within = |n: u64, draw: u64| {
            let free = edge(n + 1) - edge(n) - chunk;
            let from = edge(n) + if n == 0 { 0 } else { draw % (free + 1) };
            Sectors::new(if n + 1 == SAMPLED { whole.count - chunk } else { from }, chunk)
        };
        // In an order that leaps over the drive, so that a search that is broken off has seen something of all of it. The step
        // has no divisor in common with their number.
        Self(Stretches::Drawn((0..SAMPLED).map(|n| n * 777 % SAMPLED).map(|n| within(n, draw())).collect()))
    }

    /// Number of stretches.
    pub fn len(&self) -> u64 {
        match &self.0 {
            Stretches::Whole(whole, chunk) => whole.count.div_ceil(*chunk),
            Stretches::Drawn(drawn) => drawn.len() as u64,
        }
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Whether it is every sector.
    pub fn is_whole(&self) -> bool {
        matches!(self.0, Stretches::Whole(..))
    }

    fn nth(&self, n: u64) -> Option<Sectors> {
        match &self.0 {
            Stretches::Whole(whole, chunk) => {
                let first = n.checked_mul(*chunk).filter(|first| *first < whole.count)?;
                Some(Sectors::new(first, (*chunk).min(whole.count - first)))
            }
            Stretches::Drawn(drawn) => drawn.get(usize::try_from(n).ok()?).copied(),
        }
    }
}

/// How far a search is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct SearchProgress {
    /// Places that are done.
    pub done: u64,
    /// Of how many.
    pub of: u64,
    /// Finds in them, chance among them, and blocks of text.
    pub finds: u64,
}

impl SearchProgress {
    /// From 0.0 to 1.0.
    pub fn share(self) -> f64 {
        self.done as f64 / self.of.max(1) as f64
    }
}

/// Hears how far a search is, and says whether it goes on.
pub type SearchTell<'t> = &'t (dyn Fn(SearchProgress) -> bool + Sync);

/// What a search came to.
#[derive(Clone, Debug)]
pub struct Searched {
    /// What was met.
    pub tally: Tally,
    /// Sectors that were looked through.
    pub read: u64,
    /// Sectors that gave an error.
    pub unreadable: RangeSet,
    /// How it ended.
    pub ended: Ended,
    /// Speed over position, and how long it took in all.
    pub pace: Pace,
    /// How long it took.
    pub took: Duration,
}

/// Searches `places` by all of `readers`, handles on the same drive, each on a thread of its own. `now` tells the time since any
/// fixed moment. `tell` hears how far it is; it says whether the search goes on.
///
/// # Panics
/// If a reader does.
pub fn search(
    readers: Vec<Box<dyn Medium + Send>>,
    geometry: Geometry,
    places: &SearchPlaces,
    now: &(dyn Fn() -> Duration + Sync),
    tell: SearchTell<'_>,
) -> Searched {
    let (begun, side_by_side) = (now(), readers.len().max(1) as u32);
    let shared = Shared {
        next: AtomicU64::new(0),
        done: AtomicU64::new(0),
        finds: AtomicU64::new(0),
        stopped: AtomicBool::new(false),
        failed_in_a_row: AtomicU64::new(0),
        ended: Mutex::new(None),
    };
    let parts: Vec<ReaderPart> = std::thread::scope(|scope| {
        let each = |medium| {
            let part = ReaderPart { side_by_side, ..ReaderPart::new(geometry) };
            scope.spawn(|| part.search(medium, places, &shared, (now, tell)))
        };
        let threads: Vec<_> = readers.into_iter().map(each).collect();
        threads.into_iter().map(|t| t.join().expect("a reader met a defect")).collect()
    });
    let mut tally = Tally::new(geometry.bytes());
    let (mut read, mut unreadable, mut pace) = (0, RangeSet::new(), Pace::new(geometry.whole()));
    for part in &parts {
        tally.add(&part.tally);
        read += part.read;
        unreadable.extend(&part.unreadable);
        pace.add(&part.pace);
    }
    let stopped = if shared.stopped.into_inner() { Ended::Stopped } else { Ended::Finished };
    let ended = shared.ended.into_inner().ok().flatten().unwrap_or(stopped);
    Searched { tally, read, unreadable, ended, pace, took: now().saturating_sub(begun) }
}

struct Shared {
    next: AtomicU64,
    done: AtomicU64,
    finds: AtomicU64,
    stopped: AtomicBool,
    failed_in_a_row: AtomicU64,
    ended: Mutex<Option<Ended>>,
}

impl Shared {
    fn end(&self, how: Ended) {
        if let Ok(mut ended) = self.ended.lock() {
            ended.get_or_insert(how);
        }
        self.stopped.store(true, Ordering::Relaxed);
    }
}

/// What one reader met.
struct ReaderPart {
    geometry: Geometry,
    tally: Tally,
    read: u64,
    unreadable: RangeSet,
    pace: Pace,
    /// Readers at work at once: each has but its share of the time that it waits.
    side_by_side: u32,
}

impl ReaderPart {
    fn new(geometry: Geometry) -> Self {
        Self {
            geometry,
            tally: Tally::new(geometry.bytes()),
            read: 0,
            unreadable: RangeSet::new(),
            pace: Pace::new(geometry.whole()),
            side_by_side: 1,
        }
    }

    fn search(
        mut self,
        mut medium: Box<dyn Medium + Send>,
        places: &SearchPlaces,
        shared: &Shared,
        (now, tell): (&(dyn Fn() -> Duration + Sync), SearchTell<'_>),
    ) -> Self {
        let mut buffer = AlignedBuffer::new((CHUNK as usize).max(self.geometry.logical as usize));
        while !shared.stopped.load(Ordering::Relaxed) {
            let Some(at) = places.nth(shared.next.fetch_add(1, Ordering::Relaxed)) else { break };
            let (before, found_before) = (now(), self.tally.met());
            if let Err(error) = self.look(medium.as_mut(), at, buffer.bytes()) {
                self.failed(medium.as_mut(), at, &error, &mut buffer, shared);
            } else {
                self.pace.note(at, now().saturating_sub(before) / self.side_by_side);
                shared.failed_in_a_row.store(0, Ordering::Relaxed);
            }
            let done = shared.done.fetch_add(1, Ordering::Relaxed) + 1;
            let new = self.tally.met() - found_before;
            let finds = shared.finds.fetch_add(new, Ordering::Relaxed) + new;
            if !tell(SearchProgress { done, of: places.len(), finds }) {
                shared.stopped.store(true, Ordering::Relaxed);
            }
        }
        self
    }

    fn look(&mut self, medium: &mut dyn Medium, at: Sectors, room: &mut [u8]) -> Result<(), MediumError> {
        let bytes = &mut room[..self.geometry.bytes_of(at.count) as usize];
        // What a medium says that it has read, and has not, must not be the sectors before.
        poison(self.geometry.logical, bytes);
        medium.read(at.first, bytes)?;
        self.tally.look(at.first, self.geometry.logical, bytes);
        self.read += at.count;
        Ok(())
    }

    /// A request that can't be read is read again by physical sectors, unless the drive gives nothing any more.
    fn failed(&mut self, medium: &mut dyn Medium, at: Sectors, error: &MediumError, buffer: &mut AlignedBuffer, shared: &Shared) {
        let said = error.cause.os().to_string();
        match error.cause {
            Cause::Gone(_) => return shared.end(Ended::Gone { error: said }),
            Cause::Refused(_) => return shared.end(Ended::Refused { error: said }),
            Cause::BadSector(_) => {}
        }
        let unit = self.geometry.unit();
        let mut got_any = false;
        let mut from = at.first.0;
        while from < at.end() {
            let part = Sectors::new(from, (unit - from % unit).min(at.end() - from));
            match self.look(medium, part, buffer.bytes()) {
                Ok(()) => got_any = true,
                Err(MediumError { cause: Cause::Gone(e), .. }) => return shared.end(Ended::Gone { error: e.to_string() }),
                Err(_) => self.unreadable.insert(part),
            }
            from = part.end();
        }
        let in_a_row = if got_any { 0 } else { shared.failed_in_a_row.fetch_add(1, Ordering::Relaxed) + 1 };
        if got_any {
            shared.failed_in_a_row.store(0, Ordering::Relaxed);
        } else if in_a_row >= GIVEN_UP_AFTER {
            shared.end(Ended::GivenUp { faults: self.unreadable.count() });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_device::media::MediaClass;
    use jurex_device::testing::{Fixed, Memory};
    use jurex_pattern::units::Lba;

    const PNG: &[u8] = b"\x89PNG\x0d\x0a\x1a\x0a";

    fn run(media: Vec<Memory>, places: &SearchPlaces, tell: SearchTell<'_>) -> Searched {
        let geometry = media[0].drive.geometry;
        let readers = media.into_iter().map(|m| Box::new(m) as Box<dyn Medium + Send>).collect();
        let (clock, tick) = (AtomicU64::new(0), Duration::from_millis(1));
        search(readers, geometry, places, &|| tick * clock.fetch_add(1, Ordering::Relaxed) as u32, tell)
    }

    /// A drive with a picture's head at these sectors.
    fn with_pictures(sectors: u64, at: &[u64]) -> Memory {
        let mut medium = Memory::new(MediaClass::Magnetic, sectors);
        at.iter().for_each(|lba| medium.bytes[*lba as usize * 512..][..8].copy_from_slice(PNG));
        medium
    }

    #[test]
    fn every_sector_is_looked_through_once_whoever_reads_it() {
        let at = [0, 2047, 2048, 5000, 9999];
        let media: Vec<Memory> = (0..3).map(|_| with_pictures(10_000, &at)).collect();
        let places = SearchPlaces::whole(media[0].drive.geometry);
        let most = AtomicU64::new(0);
        let found = run(media, &places, &|so_far| {
            most.fetch_max(so_far.finds, Ordering::Relaxed);
            so_far.of == places.len() && so_far.share() <= 1.0
        });
        assert_eq!(most.into_inner(), 5, "what was found is told on the way");
        assert_eq!((found.read, &found.ended), (10_000, &Ended::Finished));
        assert!(found.pace.total().0 == 10_000 && found.pace.speeds(512).iter().all(Option::is_some) && !found.took.is_zero());
        let png = &found.tally.finds()[0];
        assert_eq!((png.name.as_str(), png.count, png.places.iter().map(|l| l.0).collect::<Vec<_>>()), ("PNG", 5, at.to_vec()));
    }

    #[test]
    fn bad_sectors_cost_themselves_alone_and_a_drive_that_goes_away_ends_it() {
        let mut bad = with_pictures(6000, &[3001]);
        bad.unreadable = vec![3000];
        let places = SearchPlaces::whole(bad.drive.geometry);
        let unit = bad.drive.geometry.unit();
        let found = run(vec![bad], &places, &|_| true);
        assert_eq!((found.read, found.unreadable.count()), (6000 - unit, unit));
        let gone = Memory { gone_after: Some(1), ..with_pictures(6000, &[7]) };
        let found = run(vec![gone], &places, &|_| true);
        assert!(matches!(found.ended, Ended::Gone { .. }) && found.read == 2048 && found.tally.finds()[0].count == 1);
        let stopped = run(vec![with_pictures(6000, &[])], &places, &|so_far| so_far.done < 2);
        assert_eq!((&stopped.ended, stopped.read), (&Ended::Stopped, 4096));
    }

    #[test]
    fn a_sample_has_a_place_in_each_part_and_the_ends() {
        let geometry = Geometry { logical: 512, physical: 4096, sectors: 35_000_000_000 };
        let places = SearchPlaces::sampled(geometry, &mut Fixed(0x5a));
        assert_eq!((places.len(), places.is_whole()), (2000, false));
        let mut all: Vec<Sectors> = (0..2000).filter_map(|n| places.nth(n)).collect();
        let early = all.iter().take(50).filter(|at| at.first.0 > geometry.sectors / 2).count();
        assert!((15..35).contains(&early), "a part of them is of the whole drive");
        all.sort_by_key(|at| at.first);
        assert!(
            all[0].first == Lba(0) && all[1999].end() == geometry.sectors && all.windows(2).all(|w| w[0].end() <= w[1].first.0)
        );
        let small = Geometry { sectors: 5000, ..geometry };
        assert!(SearchPlaces::sampled(small, &mut Fixed(1)).is_whole());
    }
}
