//! What was read of a drive beside its job: a second proof, a search for leftovers.

use jurex_disposition::proof::VerificationRecord;
use jurex_pattern::units::{Lba, grouped};
use jurex_sanitize::record::{JobId, Record};
use jurex_sanitize::residue::Residue;
use std::path::PathBuf;

/// One reading.
#[derive(Debug, Default)]
pub(crate) enum LaneReading<T> {
    /// Nobody has asked for it.
    #[default]
    NotAsked,
    /// It is under way: so much of it is done, from 0.0 to 1.0.
    Going(f64),
    /// It is over.
    Over(Box<T>),
    /// It could not be done.
    Failed(String),
}

/// A second proof.
#[derive(Debug)]
pub(crate) struct Again {
    pub(crate) verification: VerificationRecord,
    /// What it found, in sentences.
    pub(crate) said: Vec<String>,
    /// Where its record was written.
    pub(crate) written: Result<PathBuf, String>,
}

impl Again {
    pub(crate) fn new(verification: VerificationRecord, written: Result<PathBuf, String>) -> Self {
        Self { said: verification.sentences(), verification, written }
    }
}

/// What is wanted.
#[derive(Debug)]
pub(crate) enum WantedReading {
    /// What the job of that record has left, once more: a new sample, or (true) every sector.
    Again(Box<Record>, bool),
    /// A search for what a person could still use.
    Left,
    /// Whether the drive is still as this job, whose mark it carries, has left it.
    AsLeft(JobId),
    /// That the reading ends.
    End,
}

/// What is told of one.
#[derive(Debug)]
pub(crate) enum ReadingEvent {
    /// So much of it is done, from 0.0 to 1.0.
    On(f64),
    /// So much of a search is done, with so many finds.
    Searching(f64, u64),
    /// The job's proof was read again.
    Again(Result<Box<Again>, String>),
    /// The sample of a marked drive was read.
    AsLeft(Result<Box<VerificationRecord>, String>),
    /// A search for leftovers is over.
    Left(Result<Box<Residue>, String>),
}

/// All of a drive.
#[derive(Debug, Default)]
pub(crate) struct Readings {
    /// The job's proof, read again.
    pub(crate) again: LaneReading<Again>,
    /// Whether it is still as the job has left it whose mark it carries.
    pub(crate) as_left: LaneReading<VerificationRecord>,
    /// What is left on it.
    pub(crate) left: LaneReading<Residue>,
    /// Finds of the search that goes on.
    pub(crate) finds_so_far: u64,
    /// What a search found before the job, in a few words.
    pub(crate) left_before: Option<String>,
    /// The find whose bytes are looked at next.
    next_find: usize,
}

impl Readings {
    /// Whether one is under way.
    pub(crate) fn is_going(&self) -> bool {
        let going = [matches!(self.again, LaneReading::Going(_)), matches!(self.left, LaneReading::Going(_))];
        going.contains(&true) || matches!(self.as_left, LaneReading::Going(_))
    }

    /// Every find of the last search that has a place: what it is, and where.
    pub(crate) fn finds(&self) -> impl Iterator<Item = (&str, Lba)> {
        let residue = if let LaneReading::Over(residue) = &self.left { Some(residue) } else { None };
        residue.into_iter().flat_map(|r| &r.finds).flat_map(|f| f.places.iter().map(|at| (f.name.as_str(), *at)))
    }

    /// The find to look at now, with its number and how many there are; the next one each time, round and round.
    pub(crate) fn see_next(&mut self) -> Option<(String, Lba)> {
        let all = self.finds().count();
        let n = self.next_find % all.max(1);
        let (what, at) = self.finds().nth(n)?;
        let said = format!("{what}, {} of {all}: sector {}.", n + 1, grouped(at.0));
        self.next_find = n + 1;
        Some((said, at))
    }

    /// Takes what is told. Of a reading that nobody waits for any more nothing is.
    pub(crate) fn hear(&mut self, heard: ReadingEvent) {
        if let (ReadingEvent::AsLeft(_) | ReadingEvent::On(_), LaneReading::Going(done)) = (&heard, &mut self.as_left) {
            match heard {
                ReadingEvent::On(share) => *done = share,
                ReadingEvent::AsLeft(read) => self.as_left = read.map_or_else(LaneReading::Failed, LaneReading::Over),
                _ => {}
            }
            return;
        }
        match (heard, &mut self.again, &mut self.left) {
            (ReadingEvent::On(share), LaneReading::Going(done), _) => *done = share,
            (ReadingEvent::Searching(share, finds), _, LaneReading::Going(done)) => (*done, self.finds_so_far) = (share, finds),
            (ReadingEvent::Again(again), LaneReading::Going(_), _) => {
                self.again = again.map_or_else(LaneReading::Failed, LaneReading::Over);
            }
            (ReadingEvent::Left(left), _, LaneReading::Going(_)) => {
                self.left = left.map_or_else(LaneReading::Failed, LaneReading::Over);
                self.next_find = 0;
            }
            _ => {}
        }
    }

    /// A job begins: what was found is what was there before.
    pub(crate) fn job_begins(&mut self) {
        if let LaneReading::Over(residue) = std::mem::take(&mut self.left) {
            self.left_before = Some(residue.summary());
        }
        (self.again, self.as_left) = (LaneReading::NotAsked, LaneReading::NotAsked);
    }
}
