//! A lot: drives that are expected together, what is known of each from elsewhere, and how far the work on them is. What is done is
//! computed from records; nobody sets it.

mod list;
mod statement;

pub use jurex_device::media::{same_serial, serial_key};
pub use jurex_sanitize::table::Mistake;
pub use list::LotList;
pub use statement::{BadStatement, SecondLooks, StandWord, Statement, StatementLine};

use crate::release::Release;
use jiff::Timestamp;
use jurex_sanitize::need::{Need, Sensitivity, is_enough};
use jurex_sanitize::record::{JobId, Papers, Record};
use jurex_sanitize::rules::Outcome;
use jurex_sanitize::words::Said;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;

/// A drive that is expected.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct ExpectedDrive {
    /// Its serial, as its label or the sender's list says.
    pub serial: String,
    /// The organisation's own number for it.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub property_number: String,
    /// Where it comes from.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub source: String,
    /// How sensitive is what it held.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sensitivity: Option<Sensitivity>,
    /// Whether it is used again.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub reuse: Option<bool>,
    /// Whether it leaves the organisation's control.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub leaves: Option<bool>,
    /// Where it goes afterwards.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub destination: String,
    /// Anything else that is to stand on its paper.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub notes: String,
}

impl ExpectedDrive {
    /// The three answers, if all are given.
    pub fn need(&self) -> Option<Need> {
        Some(Need { sensitivity: self.sensitivity?, reuse: self.reuse?, leaves: self.leaves? })
    }

    /// Puts what is known of it into papers; what stands in them of a person's hand is not overwritten where the list says nothing.
    pub fn fill(&self, lot: &str, papers: &mut Papers) {
        papers.lot = lot.into();
        let known = [
            (&self.property_number, &mut papers.property_number),
            (&self.source, &mut papers.source),
            (&self.destination, &mut papers.destination),
            (&self.notes, &mut papers.notes),
        ];
        known.into_iter().filter(|(known, _)| !known.is_empty()).for_each(|(known, field)| field.clone_from(known));
        papers.need = self.need().or(papers.need);
    }
}

/// A lot.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Lot {
    /// Its name.
    pub name: String,
    /// When it was opened.
    pub opened: Timestamp,
    /// When it was closed; `None`: it is at work.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub closed: Option<Timestamp>,
    /// The drives that are expected.
    pub expected: Vec<ExpectedDrive>,
}

/// Why something can't be done with a lot.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum LotError {
    /// No name.
    #[error("a lot's name has 1 to 60 signs, none of them a control character")]
    BadName,
    /// It is closed.
    #[error("lot {0} is closed: nothing is added to it any more")]
    Closed(String),
    /// The list has mistakes; nothing of it is taken.
    #[error("the list was not taken in: {}", .0.iter().map(ToString::to_string).collect::<Vec<_>>().join("; "))]
    Mistakes(Vec<Mistake>),
}

/// How one drive of a lot stands.
#[derive(Clone, Debug, PartialEq)]
pub enum LotStatus {
    /// It has earned what it needs.
    Done(Outcome),
    /// It is not sanitized, or less than it needs; the outcome that it has.
    Failed(Outcome),
    /// A job on it has begun and has no record.
    Begun,
    /// It is here; nothing was done to it yet.
    Here,
    /// Nobody has seen it.
    NotSeen,
}

impl LotStatus {
    /// In a word: begun without a record is here and not done.
    pub fn word(&self) -> StandWord {
        match self {
            LotStatus::Done(_) => StandWord::Done,
            LotStatus::Failed(_) => StandWord::Failed,
            LotStatus::Begun | LotStatus::Here => StandWord::Here,
            LotStatus::NotSeen => StandWord::NotSeen,
        }
    }
}

/// One drive of a lot: expected, or come without being expected.
#[derive(Clone, Debug, PartialEq)]
pub struct LotItem {
    /// Its serial.
    pub serial: String,
    /// As it was expected.
    pub expected: Option<ExpectedDrive>,
    /// How it stands.
    pub stand: LotStatus,
    /// Its newest job, with the record if it has one.
    pub job: Option<(JobId, Option<Box<Record>>)>,
    /// The statement of its destruction, where that came after its newest job and has earned at least what the job did.
    pub destroyed: Option<Box<Release>>,
}

impl LotItem {
    /// Takes it that the drive has come in again from outside after its newest job: what was done before says nothing of what it holds now.
    pub fn come_back(&mut self) {
        (self.stand, self.job) = (LotStatus::Here, None);
    }

    /// What is required of it at least: as its list says, else as the papers of its newest job. `None`: nobody has said it.
    pub fn required(&self) -> Option<Outcome> {
        required(self.expected.as_ref(), self.job.as_ref().and_then(|(_, record)| record.as_deref()))
    }

    /// Takes it that the drive was destroyed, as it is stated: what that has earned counts instead of its job.
    pub fn destroy(&mut self, release: Release) {
        let Some(outcome) = release.outcome() else { return };
        self.stand = stand_at(outcome, self.required());
        self.destroyed = Some(Box::new(release));
    }
}

/// A job of a lot: its name, its drive's serial, its record if it has one.
pub type LotJob = (JobId, Option<String>, Option<Box<Record>>);

impl Lot {
    /// An empty one.
    ///
    /// # Errors
    /// That is no name.
    pub fn new(name: &str, opened: Timestamp) -> Result<Self, LotError> {
        let name = name.trim();
        let right = (1..=60).contains(&name.chars().count()) && !name.chars().any(char::is_control);
        if right { Ok(Self { name: name.into(), opened, closed: None, expected: vec![] }) } else { Err(LotError::BadName) }
    }

    /// Adds the drives of a list. One that is expected already is taken as the list has it now.
    ///
    /// # Errors
    /// It is closed.
    pub fn add(&mut self, list: LotList) -> Result<(), LotError> {
        if self.closed.is_some() {
            return Err(LotError::Closed(self.name.clone()));
        }
        let mut places = self.places();
        for new in list.expected {
            let Some(key) = serial_key(&new.serial) else { continue };
            match places.get(&key) {
                Some(at) => self.expected[*at] = new,
                None => {
                    places.insert(key, self.expected.len());
                    self.expected.push(new);
                }
            }
        }
        Ok(())
    }

    /// What is expected of a drive of that serial.
    pub fn find(&self, serial: &str) -> Option<&ExpectedDrive> {
        self.expected.iter().find(|e| same_serial(&e.serial, serial))
    }

    /// Where each serial stands in the list.
    fn places(&self) -> HashMap<String, usize> {
        // The first of two counts, as for who looks for one.
        let keyed = self.expected.iter().enumerate().rev();
        keyed.filter_map(|(at, e)| Some((serial_key(&e.serial)?, at))).collect()
    }

    /// How every drive stands: those expected in their order, then those that came unexpected. `jobs` are the lot's, the oldest first;
    /// `here` are the serials of drives that are attached.
    pub fn items(&self, jobs: &[LotJob], here: &[&str]) -> Vec<LotItem> {
        // The last job of each serial.
        let last: HashMap<String, usize> =
            jobs.iter().enumerate().filter_map(|(at, (_, s, _))| Some((serial_key(s.as_deref()?)?, at))).collect();
        let newest = |serial: &str| last.get(&serial_key(serial)?).map(|at| &jobs[*at]);
        let places = self.places();
        let expected = self.expected.iter().map(|e| {
            let stand = match newest(&e.serial) {
                Some(job) => stand_of(job, Some(e)),
                None if here.iter().any(|s| same_serial(s, &e.serial)) => LotStatus::Here,
                None => LotStatus::NotSeen,
            };
            let job = newest(&e.serial).map(|(job, _, record)| (job.clone(), record.clone()));
            LotItem { serial: e.serial.clone(), expected: Some(e.clone()), stand, job, destroyed: None }
        });
        let unexpected = jobs.iter().enumerate().filter(|(at, (_, serial, _))| match serial.as_deref().and_then(serial_key) {
            Some(key) => !places.contains_key(&key) && last.get(&key) == Some(at),
            None => true,
        });
        let unexpected = unexpected.map(|(_, of)| {
            let (job, serial, record) = of.clone();
            let stand = stand_of(of, None);
            LotItem { serial: serial.unwrap_or_default(), expected: None, stand, job: Some((job, record)), destroyed: None }
        });
        expected.chain(unexpected).collect()
    }
}

/// What the first of these lots that is open expects of a drive of that serial, with the lot.
pub fn expected_in<'l>(lots: impl IntoIterator<Item = &'l Lot>, serial: &str) -> Option<(&'l Lot, &'l ExpectedDrive)> {
    lots.into_iter().filter(|lot| lot.closed.is_none()).find_map(|lot| Some((lot, lot.find(serial)?)))
}

fn stand_of((_, _, record): &LotJob, expected: Option<&ExpectedDrive>) -> LotStatus {
    let Some(record) = record else { return LotStatus::Begun };
    stand_at(record.claim().outcome(), required(expected, Some(record)))
}

fn required(expected: Option<&ExpectedDrive>, record: Option<&Record>) -> Option<Outcome> {
    expected.and_then(ExpectedDrive::need).or_else(|| record?.papers().need).map(Need::outcome)
}

fn stand_at(reached: Outcome, required: Option<Outcome>) -> LotStatus {
    if is_enough(reached, required) { LotStatus::Done(reached) } else { LotStatus::Failed(reached) }
}

/// How many drives of a lot stand how.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct LotTally {
    /// Expected.
    pub expected: usize,
    /// Of these: have earned what they need.
    pub done: usize,
    /// Not sanitized, or less than required.
    pub failed: usize,
    /// At work, or here and not begun.
    pub here: usize,
    /// Not seen yet.
    pub not_seen: usize,
    /// Came without being expected.
    pub unexpected: usize,
    /// Of these: have earned nothing.
    pub unexpected_failed: usize,
}

impl LotTally {
    /// Of these drives.
    pub fn of(items: &[LotItem]) -> Self {
        Self::count(items.iter().map(|item| (item.expected.is_some(), item.stand.word())))
    }

    /// Of drives of which is known whether they were expected, and how they stand.
    pub(crate) fn count(drives: impl Iterator<Item = (bool, StandWord)>) -> Self {
        let mut tally = Self::default();
        for (expected, stand) in drives {
            if !expected {
                tally.unexpected += 1;
                tally.unexpected_failed += usize::from(stand != StandWord::Done);
                continue;
            }
            tally.expected += 1;
            match stand {
                StandWord::Done => tally.done += 1,
                StandWord::Failed => tally.failed += 1,
                StandWord::Here => tally.here += 1,
                StandWord::NotSeen => tally.not_seen += 1,
            }
        }
        tally
    }

    /// Whether every drive that was expected, and every other one that came, has earned what it needs.
    pub fn is_complete(self) -> bool {
        self.done == self.expected && self.unexpected_failed == 0
    }

    /// In a sentence without an end.
    pub fn sentence(self) -> String {
        self.said().english()
    }

    /// The same as data.
    pub fn said(self) -> Said {
        let said = Said::new("paper.lot").number("done", self.done as u64).number("expected", self.expected as u64);
        let more = [("failed", self.failed), ("here", self.here), ("missing", self.not_seen), ("unexpected", self.unexpected)];
        more.into_iter()
            .filter(|(_, n)| *n > 0)
            .fold(said, |said, (what, n)| said.said(what, Said::new(format!("paper.lot.{what}")).number("n", n as u64)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_lot_takes_a_corrected_list_and_none_once_it_is_closed() {
        let mut lot = Lot::new(" BW-0417 ", Timestamp::UNIX_EPOCH).unwrap();
        lot.add(LotList::from_csv("serial,source\nFM20K7Q41M,Skerry Point\nQA48,x\nTP64,x\n").unwrap()).unwrap();
        lot.add(LotList::from_csv("serial,source\nfm20k7q41m,Hollow Ness\nNEW1,x\n").unwrap()).unwrap();
        assert_eq!((lot.expected.len(), lot.find("FM20K7Q41M ").unwrap().source.as_str()), (4, "Hollow Ness"));
        lot.closed = Some(Timestamp::UNIX_EPOCH);
        assert_eq!(lot.add(LotList { expected: vec![], unused: vec![] }), Err(LotError::Closed("BW-0417".into())));
        assert!(Lot::new("", Timestamp::UNIX_EPOCH).is_err() && Lot::new("a\u{1b}", Timestamp::UNIX_EPOCH).is_err());
    }

    #[test]
    fn what_is_done_follows_from_records_and_not_from_the_list() {
        let mut lot = Lot::new("BW-0417", Timestamp::UNIX_EPOCH).unwrap();
        let list =
            "serial,sensitivity,reuse,leaves\nA1,low,yes,no\nA2,moderate,yes,yes\nA3,low,yes,no\nA4,low,yes,no\nA5,,,\nA6,,,\n";
        lot.add(LotList::from_csv(list).unwrap()).unwrap();
        let clear = || Some(Box::new(jurex_sanitize::testing::record()));
        let failed = || Some(Box::new(jurex_sanitize::testing::stopped_record()));
        let job = |n: u8| JobId::new("261123", [n; 4]);
        let of = |n: u8, serial: &str, record| (job(n), Some(serial.to_string()), record);
        let jobs = [
            of(1, "a1", failed()),
            of(2, "A1 ", clear()),
            of(3, "A2", clear()),
            of(4, "A3", failed()),
            of(5, "A4", None),
            of(6, "X9", clear()),
            (job(7), None, failed()),
        ];
        let items = lot.items(&jobs, &["A5", "zz"]);
        let stands: Vec<LotStatus> = items.iter().map(|i| i.stand.clone()).collect();
        use LotStatus::*;
        let clear = Outcome::Clear;
        let none = Outcome::NotSanitized;
        assert_eq!(stands, [Done(clear), Failed(clear), Failed(none), Begun, Here, NotSeen, Done(clear), Failed(none)]);
        let tally = LotTally::of(&items);
        assert_eq!(tally.sentence(), "1 of 6 done, 2 failed, 2 here and not done, 1 not seen yet, 2 not expected");
        assert!(!tally.is_complete());
    }
}
