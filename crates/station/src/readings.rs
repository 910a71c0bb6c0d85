//! Readings of a drive beside its job: proving again, and searching for leftovers. Nothing is written to it.

use crate::bench::DriveSnapshot;
use crate::clock::{SystemClock, SystemEntropy, wall};
use crate::exit::Failure;
use jurex_device::media::Drive;
use jurex_device::medium::MediumError;
use jurex_disposition::proof::{
    self, ExpectedContents, OfRecord, Reading, ReadingProgress, VerificationFacts, VerificationRecord,
};
use jurex_engine::{Backend, Completed, Control, JobControl, Task, ask, search};
use jurex_ledger::Ledger;
use jurex_past::PastError;
use jurex_pattern::notation::Entropy;
use jurex_pattern::ranges::RangeSet;
use jurex_sanitize::evidence::Ended;
use jurex_sanitize::record::{Person, Record};
use jurex_sanitize::residue::{Residue, SearchPlaces, SearchProgress};
use jurex_sanitize::sampling::Sampling;
use std::path::Path;
use std::time::{Duration, Instant};

/// A sample in places that are drawn now.
pub fn new_sample() -> Sampling {
    let mut seed = [0; 16];
    SystemEntropy.fill(&mut seed);
    Sampling::new(seed)
}

/// Reads the drive by what should lie there, held for this process alone from the first sector to the last.
///
/// # Errors
/// It is in use, gone, or another one.
pub fn prove(
    seen: &DriveSnapshot,
    record: Option<&Record>,
    (expected, sampling): (ExpectedContents, Option<Sampling>),
    by: Person,
    control: &mut dyn JobControl,
    tell: &mut dyn FnMut(ReadingProgress),
) -> Result<VerificationRecord, Failure> {
    let called = seen.drive.called();
    let gone = |e: MediumError| Failure::Stopped(format!("{called} went away ({}). It was not read", e.cause.os()));
    let mut drive = seen.open_to_read()?;
    let found = drive.medium().identify().map_err(gone)?;
    if !found.is_same_unit(&seen.drive) {
        return Err(Failure::Refused(format!("{called} is another drive now ({}). It was not read", found.called())));
    }
    let (clock, access, started) = (SystemClock::default(), drive.medium().access(), wall());
    let expected = match record.filter(|r| r.method.mark) {
        Some(record) => {
            let mark = jurex_disposition::erasure_tag::look(drive.medium(), &crate::erasure_tag::said_in);
            expected.with_mark(&mark, record, found.geometry)
        }
        None => expected,
    };
    let all = [expected.range].into_iter().collect::<RangeSet>();
    let places = sampling.as_ref().map_or(all, |s| s.places(expected.range));
    let reading = drive.with_backend(|backend| {
        let reading = proof::read(&expected, &places, found.geometry, backend, &clock, control, tell);
        still_the_same(reading, &found, backend)
    });
    let tool = crate::this_tool();
    let of = record.map(OfRecord::of);
    let look = VerificationFacts { tool, by, of, drive: found, access, started, ended: wall(), expected, sampling, left: None };
    Ok(VerificationRecord::new(look, reading))
}

/// Notes a second check in the ledger that has the job which it is about. That ledger may be elsewhere, or gone: the check stands for
/// itself.
///
/// # Errors
/// The ledger here has another record of that job than the one that was checked, or it can't be written.
pub fn note_in_ledger(path: &Path, verification: &VerificationRecord) -> Result<(), PastError> {
    let Some(of) = verification.look.of.as_ref().filter(|_| path.exists()) else { return Ok(()) };
    let noted = Ledger::open(path).and_then(|ledger| ledger.add_verification(&of.job, verification, wall()));
    noted.inspect_err(|e| tracing::error!("the second check of job {}: {e}", of.job))
}

/// At the end the drive is asked once more who it is.
fn still_the_same(reading: Reading, found: &Drive, backend: &mut dyn Backend) -> Reading {
    if reading.ended != Ended::Finished {
        return reading;
    }
    let what = match ask(backend, Task::Identify) {
        Ok(Completed::Identified(now)) if now.same_as(found) => return reading,
        Ok(Completed::Identified(now)) => format!("it is {} now", now.called()),
        _ => "it did not say who it is".into(),
    };
    Reading { ended: Ended::Changed { what }, ..reading }
}

/// Time of a search beside a job.
const A_MINUTE: Duration = Duration::from_secs(60);

/// Tells how far something is no more often than a screen is drawn.
#[derive(Default)]
pub(crate) struct NowAndThen(Option<Instant>);

impl NowAndThen {
    const EVERY: Duration = Duration::from_millis(100);

    pub(crate) fn tell(&mut self, tell: impl FnOnce()) {
        if self.0.is_none_or(|told| told.elapsed() >= Self::EVERY) {
            self.0 = Some(Instant::now());
            tell();
        }
    }
}

/// What is wished of a job while its drive is searched is kept for the job; a stop ends the search too, and so does its time.
struct WishesMeanwhile<'c> {
    control: &'c mut dyn JobControl,
    wishes: Vec<Control>,
    until: Instant,
}

impl WishesMeanwhile<'_> {
    fn wants_to_stop(&self) -> bool {
        self.wishes.contains(&Control::Stop)
    }
}

impl JobControl for WishesMeanwhile<'_> {
    fn poll(&mut self) -> Option<Control> {
        self.wishes.extend(self.control.poll());
        (self.wants_to_stop() || Instant::now() >= self.until).then_some(Control::Stop)
    }

    fn wait(&mut self) -> Option<Control> {
        self.poll()
    }
}

/// Searches a sample of the drive beside its job, for a minute at most. `tell` hears how much of it is done. What is wished of the
/// job meanwhile is given back; a stop breaks the search off.
pub fn search_for_a_minute(
    seen: &DriveSnapshot,
    control: &mut dyn JobControl,
    tell: &mut dyn FnMut(f64),
) -> (Result<Residue, Failure>, Option<Control>) {
    let mut meanwhile = WishesMeanwhile { control, wishes: vec![], until: Instant::now() + A_MINUTE };
    let mut now_and_then = NowAndThen::default();
    let mut tell = |so_far: SearchProgress| now_and_then.tell(|| tell(so_far.share()));
    let searched = search_leftovers(seen, true, &mut meanwhile, &mut tell);
    // One whose time was over has done what was asked.
    let in_time = |residue: Residue| match residue.ended {
        Ended::Stopped if !meanwhile.wants_to_stop() => Residue { ended: Ended::Finished, whole: false, ..residue },
        _ => residue,
    };
    (searched.map(in_time), Control::of_several(meanwhile.wishes))
}

/// Searches the drive for leftovers, all of it or a sample. `tell` hears how far it is; `control` may stop it.
///
/// # Errors
/// It has no sector, gives none, or can't be opened.
pub fn search_leftovers(
    seen: &DriveSnapshot,
    sampled: bool,
    control: &mut dyn JobControl,
    tell: &mut dyn FnMut(SearchProgress),
) -> Result<Residue, Failure> {
    let geometry = seen.drive.geometry;
    if geometry.sectors == 0 {
        return Err(Failure::Use(format!("{} has no sector that could be searched", seen.drive.called())));
    }
    let places = if sampled { SearchPlaces::sampled(geometry, &mut SystemEntropy) } else { SearchPlaces::whole(geometry) };
    let clock = SystemClock::default();
    let searched = seen.read_beside(|backend| search(&places, geometry, backend, &clock, control, tell))?;
    Ok(Residue::of(&searched, geometry, places.is_whole()))
}

/// Whether the drive is still as its job has left it: a sample against what the ledger's record says.
///
/// # Errors
/// The record is of another drive or of other work, or the drive can't be read.
pub fn still_as_left(
    seen: &DriveSnapshot,
    record: &Record,
    by: Person,
    control: &mut dyn JobControl,
    tell: &mut dyn FnMut(ReadingProgress),
) -> Result<VerificationRecord, Failure> {
    let called = seen.drive.called();
    ExpectedContents::check_drive(record, &seen.drive).map_err(|e| Failure::Refused(format!("{called} was not read: {e}")))?;
    let expected =
        ExpectedContents::by_record(record).map_err(|e| Failure::Less(format!("{called} can't be looked into again: {e}")))?;
    prove(seen, Some(record), (expected, Some(new_sample())), by, control, tell)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::bench::Bench;
    use jurex_engine::Unattended;
    use jurex_sim::{Fault, Pacing};

    /// Wishes the same at every look, from the second on.
    struct Wishes(Control, u32);

    impl JobControl for Wishes {
        fn poll(&mut self) -> Option<Control> {
            self.1 += 1;
            (self.1 > 1).then_some(self.0)
        }
        fn wait(&mut self) -> Option<Control> {
            None
        }
    }

    fn bay(bench: &jurex_sim::SimBench, number: u32) -> DriveSnapshot {
        let drives = Bench::of_bays(bench.bays()).drives();
        drives.into_iter().find(|d| d.drive.path == format!("sim:{number}")).unwrap()
    }

    #[test]
    fn a_search_beside_a_job_tells_how_far_it_is_and_gives_back_what_was_wished_meanwhile() {
        let bench = jurex_sim::SimBench::new(Pacing::Unpaced);
        let (mut told, seen) = (vec![], bay(&bench, 7));
        let (found, wish) = search_for_a_minute(&seen, &mut Unattended, &mut |share| told.push(share));
        let found = found.unwrap();
        assert_eq!((&found.ended, found.read, wish), (&Ended::Finished, seen.drive.geometry.sectors, None));
        assert!(found.summary().contains("file system") && told.iter().all(|s| (0.0..=1.0).contains(s)), "{told:?}");
        let big = bay(&bench, 2);
        let (found, wish) = search_for_a_minute(&big, &mut Wishes(Control::Stop, 0), &mut |_| {});
        assert_eq!(wish, Some(Control::Stop), "the job is stopped too");
        assert!(found.is_ok_and(|f| f.ended == Ended::Stopped || f.read == big.drive.geometry.sectors));
        let (found, wish) = search_for_a_minute(&big, &mut Wishes(Control::Hold, 0), &mut |_| {});
        assert_eq!((found.unwrap().ended, wish), (Ended::Finished, Some(Control::Hold)), "a job that is to hold has not begun");
    }

    #[test]
    fn a_drive_that_goes_away_in_mid_search_is_told_and_what_was_found_stays() {
        let bench = jurex_sim::SimBench::new(Pacing::Unpaced);
        bench.bay(7).unwrap().drive.add_fault(Fault::VanishesAfter(9));
        let found = search_leftovers(&bay(&bench, 7), false, &mut Unattended, &mut |_| {}).unwrap();
        assert!(matches!(found.ended, Ended::Gone { .. }) && found.read > 0, "{:?}", found.ended);
        assert!(found.finds.iter().any(|f| f.group == "table"), "its first sector was searched: {:?}", found.finds);
        assert!(found.sentences().iter().any(|s| s.contains("went away")), "{:?}", found.sentences());
    }
}
