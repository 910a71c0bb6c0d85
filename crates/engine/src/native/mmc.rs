//! eMMC and SD. An erasure unmaps what it names; secure erase erases its cells too, and every copy of them; SANITIZE_START erases
//! what no address reaches any more.

use super::{CommandSequence, DriveWork, NextCommand, SequenceEnd};
use jurex_device::native::command::Answer;
use jurex_device::native::mmc::{self, EraseKind, ExtCsd, MmcFamily};
use jurex_device::technique::MmcWay;
use std::time::Duration;

#[derive(Clone, Debug, PartialEq, Eq)]
enum MmcStep {
    Ask,
    DefineGroups,
    Erase,
    Trim,
    Sanitize,
    Over(SequenceEnd),
}

#[derive(Debug)]
pub(super) struct MmcSequence {
    /// `None`: an SD card's own erase.
    way: Option<MmcWay>,
    step: MmcStep,
    /// Sectors of the drive as it was planned; what the device tells itself goes before.
    sectors: u64,
    told: Option<ExtCsd>,
    at_work: bool,
}

/// No time is told for SANITIZE_START.
const SANITIZE_PATIENCE: Duration = Duration::from_secs(6 * 3600);

impl MmcSequence {
    /// On a device of so many sectors of 512 bytes.
    pub(super) fn new(way: MmcWay, sectors: u64) -> Self {
        Self { way: Some(way), step: MmcStep::Ask, sectors, told: None, at_work: false }
    }

    /// An SD card's, of so many sectors: such a card is asked nothing.
    pub(super) fn card(sectors: u64) -> Self {
        Self { way: None, step: MmcStep::Erase, sectors, told: None, at_work: false }
    }

    fn hear(&mut self, answer: &Answer) -> MmcStep {
        let told = answer.page().and_then(|p| ExtCsd::parse(p).ok());
        let refused = |why: &str| MmcStep::Over(SequenceEnd::Refused(why.into()));
        self.told = told;
        match told {
            None => MmcStep::Over(SequenceEnd::Refused(format!("it did not tell what it can: {}", answer.sentence()))),
            Some(told) if self.way == Some(MmcWay::Sanitize) && !told.sanitize => refused("it does not have SANITIZE_START"),
            Some(told) if self.way == Some(MmcWay::SecureErase) && !told.secure_erase => refused("it does not have secure erase"),
            // It would skip the protected groups, and say so only in one bit.
            Some(told) if told.write_protected => refused("parts of it are write protected, and would be skipped"),
            Some(_) => MmcStep::DefineGroups,
        }
    }

    fn all(&self, erase: EraseKind) -> NextCommand {
        let family = if self.way.is_none() { MmcFamily::Sd } else { MmcFamily::Embedded };
        // A device of 2 GiB or less tells no number of sectors.
        let sectors = self.told.map(|t| u64::from(t.sectors)).filter(|n| *n > 0).unwrap_or(self.sectors);
        let seconds = self.told.map_or_else(|| mmc::card_erase_seconds(self.sectors), |t| t.erase_seconds);
        let [start, end, erase] = mmc::erase_all(family, sectors, erase);
        NextCommand::Change(vec![start, end, erase.patient(Duration::from_secs(2 * seconds + 600))])
    }

    fn after_erase(&self) -> MmcStep {
        match self.way {
            Some(MmcWay::Sanitize) if self.told.is_some_and(|t| t.trim) => MmcStep::Trim,
            Some(MmcWay::Sanitize) => MmcStep::Sanitize,
            // No trim after it: that only unmaps, and sectors which the erasure had left would read as blank.
            Some(MmcWay::SecureErase) | None => MmcStep::Over(SequenceEnd::Completed),
        }
    }
}

impl CommandSequence for MmcSequence {
    fn next(&mut self) -> NextCommand {
        self.at_work = matches!(self.step, MmcStep::Erase | MmcStep::Trim | MmcStep::Sanitize);
        match &self.step {
            MmcStep::Ask => NextCommand::Ask(mmc::send_ext_csd()),
            MmcStep::DefineGroups => NextCommand::Change(vec![mmc::define_erase_groups()]),
            MmcStep::Erase if self.told.is_some_and(|t| t.secure_erase) => self.all(EraseKind::Secure),
            MmcStep::Erase => self.all(EraseKind::Plain),
            MmcStep::Trim => self.all(EraseKind::Trim),
            MmcStep::Sanitize => NextCommand::Change(vec![mmc::sanitize_start().patient(SANITIZE_PATIENCE)]),
            MmcStep::Over(end) => NextCommand::Over(end.clone()),
        }
    }

    fn heard(&mut self, answer: &Answer) {
        self.at_work = false;
        self.step = match (&self.step, answer) {
            (MmcStep::Ask, _) => self.hear(answer),
            (MmcStep::Over(end), _) => MmcStep::Over(end.clone()),
            (_, Answer::Lost { why }) => MmcStep::Over(SequenceEnd::Silent(format!("no answer came ({why})"))),
            (step, answer) if !answer.is_good() => {
                let doing = if *step == MmcStep::Sanitize { "SANITIZE_START" } else { "erasing" };
                MmcStep::Over(SequenceEnd::Failed(format!("{doing} did not come to a good end: {}", answer.sentence())))
            }
            (MmcStep::DefineGroups, _) => MmcStep::Erase,
            (MmcStep::Erase, _) => self.after_erase(),
            (MmcStep::Trim, _) => MmcStep::Sanitize,
            (MmcStep::Sanitize, _) => MmcStep::Over(SequenceEnd::Completed),
        };
    }

    fn work(&self) -> DriveWork {
        DriveWork { at_work: self.at_work, removal: self.told.and_then(|t| t.removal), ..DriveWork::default() }
    }
}
