//! Searches a drive for leftovers: reads places of it and looks through what comes.

use crate::backend::Backend;
use crate::job::{Completed, Now, Task};
use crate::list::WorkList;
use crate::reading::{DriveReader, ReadingPurpose};
use crate::run::{Clock, JobControl};
use jurex_device::media::Geometry;
use jurex_pattern::units::Sectors;
use jurex_sanitize::pace::Pace;
use jurex_sanitize::residue::{SearchPlaces, SearchProgress, Searched, Tally};
use std::time::Duration;

/// Searches `places` of a drive of that geometry by `backend`. `control` may stop it; holding is not offered. `tell` hears how far it
/// is after each request.
pub fn search(
    places: &SearchPlaces,
    geometry: Geometry,
    backend: &mut dyn Backend,
    clock: &dyn Clock,
    control: &mut dyn JobControl,
    tell: &mut dyn FnMut(SearchProgress),
) -> Searched {
    let begun = clock.now().mono;
    let list = if places.is_whole() { WorkList::aligned() } else { WorkList::default() };
    let (tally, pace) = (Tally::new(geometry.bytes()), Pace::new(geometry.whole()));
    let mut met = Met { tally, read: 0, pace, answered: begun, of: places.count(), tell };
    let mut reader = DriveReader::new(geometry, list, backend, clock);
    reader.read(places.stretches().iter().copied(), &mut met, control);
    let (unreadable, ended) = reader.into_result();
    let took = clock.now().mono.saturating_sub(begun);
    Searched { tally: met.tally, read: met.read, unreadable, ended, pace: met.pace, took }
}

/// What was met so far.
struct Met<'t> {
    tally: Tally,
    read: u64,
    pace: Pace,
    /// When the drive last gave something: with several requests in flight, what came took the time since then.
    answered: Duration,
    of: u64,
    tell: &'t mut dyn FnMut(SearchProgress),
}

impl ReadingPurpose for Met<'_> {
    fn task(&self, at: Sectors) -> Task {
        Task::Search(at)
    }

    fn came(&mut self, at: Sectors, answer: Completed, now: Now) -> bool {
        let Completed::Searched(tally) = answer else { return false };
        self.tally.add(&tally);
        self.read += at.count;
        self.pace.note(at, now.mono.saturating_sub(self.answered));
        self.answered = now.mono;
        true
    }

    fn progress(&mut self, done: u64) {
        (self.tell)(SearchProgress { done, of: self.of, finds: self.tally.met() });
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Sequential;
    use crate::run::Unattended;
    use crate::testing::{Steady, StopsAfter};
    use jurex_device::media::MediaClass;
    use jurex_device::testing::Memory;
    use jurex_sanitize::evidence::Ended;

    const PNG: &[u8] = b"\x89PNG\x0d\x0a\x1a\x0a";

    /// A drive with a picture's head at these sectors.
    fn with_pictures(sectors: u64, at: &[u64]) -> Memory {
        let mut medium = Memory::new(MediaClass::Magnetic, sectors);
        at.iter().for_each(|lba| medium.bytes[*lba as usize * 512..][..8].copy_from_slice(PNG));
        medium
    }

    fn run(medium: &mut Memory, places: &SearchPlaces, control: &mut dyn JobControl) -> (Searched, Vec<SearchProgress>) {
        let (geometry, mut told) = (medium.drive.geometry, vec![]);
        let mut backend = Sequential::in_chunks(medium, 1 << 20);
        let found = search(places, geometry, &mut backend, &Steady::default(), control, &mut |so_far| told.push(so_far));
        (found, told)
    }

    fn whole(medium: &mut Memory) -> Searched {
        let places = SearchPlaces::whole(medium.drive.geometry);
        run(medium, &places, &mut Unattended).0
    }

    #[test]
    fn every_sector_is_looked_through_once() {
        let at = [0, 2047, 2048, 5000, 9999];
        let mut medium = with_pictures(10_000, &at);
        let places = SearchPlaces::whole(medium.drive.geometry);
        let (found, told) = run(&mut medium, &places, &mut Unattended);
        let last = SearchProgress { done: 10_000, of: 10_000, finds: 5 };
        assert_eq!((told.len(), told[4], told[2].finds, told[1].share()), (5, last, 4, 0.4096));
        assert_eq!((found.read, &found.ended), (10_000, &Ended::Finished));
        assert!(found.pace.total().0 == 10_000 && found.pace.speeds(512).iter().all(Option::is_some) && !found.took.is_zero());
        let png = &found.tally.finds()[0];
        assert_eq!((png.name.as_str(), png.count, png.places.iter().map(|l| l.0).collect::<Vec<_>>()), ("PNG", 5, at.to_vec()));
    }

    #[test]
    fn places_that_were_drawn_are_read_in_their_order_as_they_are() {
        let mut medium = with_pictures(10_000, &[100, 5000, 9999]);
        let places = SearchPlaces::Drawn(vec![Sectors::new(4999, 2), Sectors::new(99, 3), Sectors::new(2000, 100)]);
        let (found, told) = run(&mut medium, &places, &mut Unattended);
        assert_eq!(told.iter().map(|t| (t.done, t.of, t.finds)).collect::<Vec<_>>(), [(2, 105, 1), (5, 105, 2), (105, 105, 2)]);
        assert_eq!((found.read, found.tally.finds()[0].count), (105, 2), "what lies elsewhere was not looked at");
    }

    #[test]
    fn bad_sectors_cost_themselves_alone_and_a_drive_that_goes_away_or_falls_silent_ends_it() {
        let mut bad = with_pictures(6000, &[3001]);
        bad.unreadable = vec![3000];
        let unit = bad.drive.geometry.unit();
        let found = whole(&mut bad);
        assert_eq!((found.read, found.unreadable.count(), found.ended), (6000 - unit, unit, Ended::Finished));
        let found = whole(&mut Memory { gone_after: Some(1), ..with_pictures(6000, &[7]) });
        assert!(matches!(found.ended, Ended::Gone { .. }) && found.read == 2048 && found.tally.finds()[0].count == 1);
        let found = whole(&mut Memory { dead_after: Some(1), ..with_pictures(6000, &[7]) });
        assert!(matches!(found.ended, Ended::StoppedAnswering { .. }) && found.read == 2048, "{:?}", found.ended);
        assert!(found.unreadable.is_empty(), "a drive that answers nowhere has no bad sectors");
    }

    #[test]
    fn a_search_can_be_stopped() {
        let mut medium = with_pictures(6000, &[]);
        let places = SearchPlaces::whole(medium.drive.geometry);
        let (found, _) = run(&mut medium, &places, &mut StopsAfter(2));
        assert_eq!((found.ended, found.read), (Ended::Stopped, 4096));
    }
}
