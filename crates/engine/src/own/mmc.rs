//! eMMC and SD. An erasure unmaps what it names; secure erase erases its cells too, and every copy of them; SANITIZE_START erases
//! what no address reaches any more.

use super::{End, Next, Talk, Work};
use jurex_device::native::command::Answer;
use jurex_device::native::mmc::{self, Erase, ExtCsd, Family};
use jurex_device::technique::MmcWay;
use std::time::Duration;

#[derive(Clone, Debug, PartialEq, Eq)]
enum Step {
    Ask,
    DefineGroups,
    Erase,
    Trim,
    Sanitize,
    Over(End),
}

#[derive(Debug)]
pub(super) struct Mmc {
    /// `None`: an SD card's own erase.
    way: Option<MmcWay>,
    step: Step,
    /// Sectors of the drive as it was planned; what the device tells itself goes before.
    sectors: u64,
    told: Option<ExtCsd>,
    at_work: bool,
}

/// No time is told for SANITIZE_START.
const SANITIZE_PATIENCE: Duration = Duration::from_secs(6 * 3600);

impl Mmc {
    /// On a device of so many sectors of 512 bytes.
    pub(super) fn new(way: MmcWay, sectors: u64) -> Self {
        Self { way: Some(way), step: Step::Ask, sectors, told: None, at_work: false }
    }

    /// An SD card's, of so many sectors: such a card is asked nothing.
    pub(super) fn card(sectors: u64) -> Self {
        Self { way: None, step: Step::Erase, sectors, told: None, at_work: false }
    }

    fn hear(&mut self, answer: &Answer) -> Step {
        let told = answer.page().and_then(|p| ExtCsd::parse(p).ok());
        let refused = |why: &str| Step::Over(End::Refused(why.into()));
        self.told = told;
        match told {
            None => Step::Over(End::Refused(format!("it did not tell what it can: {}", answer.sentence()))),
            Some(told) if self.way == Some(MmcWay::Sanitize) && !told.sanitize => refused("it does not have SANITIZE_START"),
            Some(told) if self.way == Some(MmcWay::SecureErase) && !told.secure_erase => refused("it does not have secure erase"),
            // It would skip the protected groups, and say so only in one bit.
            Some(told) if told.write_protected => refused("parts of it are write protected, and would be skipped"),
            Some(_) => Step::DefineGroups,
        }
    }

    fn all(&self, erase: Erase) -> Next {
        let family = if self.way.is_none() { Family::Sd } else { Family::Embedded };
        // A device of 2 GiB or less tells no number of sectors.
        let sectors = self.told.map(|t| u64::from(t.sectors)).filter(|n| *n > 0).unwrap_or(self.sectors);
        let seconds = self.told.map_or_else(|| mmc::card_erase_seconds(self.sectors), |t| t.erase_seconds);
        let [start, end, erase] = mmc::erase_all(family, sectors, erase);
        Next::Change(vec![start, end, erase.patient(Duration::from_secs(2 * seconds + 600))])
    }

    fn after_erase(&self) -> Step {
        match self.way {
            Some(MmcWay::Sanitize) if self.told.is_some_and(|t| t.trim) => Step::Trim,
            Some(MmcWay::Sanitize) => Step::Sanitize,
            // No trim after it: that only unmaps, and sectors which the erasure had left would read as blank.
            Some(MmcWay::SecureErase) | None => Step::Over(End::Completed),
        }
    }
}

impl Talk for Mmc {
    fn next(&mut self) -> Next {
        self.at_work = matches!(self.step, Step::Erase | Step::Trim | Step::Sanitize);
        match &self.step {
            Step::Ask => Next::Ask(mmc::send_ext_csd()),
            Step::DefineGroups => Next::Change(vec![mmc::define_erase_groups()]),
            Step::Erase if self.told.is_some_and(|t| t.secure_erase) => self.all(Erase::Secure),
            Step::Erase => self.all(Erase::Plain),
            Step::Trim => self.all(Erase::Trim),
            Step::Sanitize => Next::Change(vec![mmc::sanitize_start().patient(SANITIZE_PATIENCE)]),
            Step::Over(end) => Next::Over(end.clone()),
        }
    }

    fn heard(&mut self, answer: &Answer) {
        self.at_work = false;
        self.step = match (&self.step, answer) {
            (Step::Ask, _) => self.hear(answer),
            (Step::Over(end), _) => Step::Over(end.clone()),
            (_, Answer::Lost { why }) => Step::Over(End::Silent(format!("no answer came ({why})"))),
            (step, answer) if !answer.is_good() => {
                let doing = if *step == Step::Sanitize { "SANITIZE_START" } else { "erasing" };
                Step::Over(End::Failed(format!("{doing} did not come to a good end: {}", answer.sentence())))
            }
            (Step::DefineGroups, _) => Step::Erase,
            (Step::Erase, _) => self.after_erase(),
            (Step::Trim, _) => Step::Sanitize,
            (Step::Sanitize, _) => Step::Over(End::Completed),
        };
    }

    fn work(&self) -> Work {
        Work { at_work: self.at_work, removal: self.told.and_then(|t| t.removal), ..Work::default() }
    }
}
