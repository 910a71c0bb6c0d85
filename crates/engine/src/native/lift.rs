//! Hidden sectors of ATA drives: the host protected area, the accessible maximum, the device configuration overlay. Each is
//! asked for, lifted to the drive's native end, and looked at again.

use super::{CommandSequence, NextCommand, SequenceEnd};
use jurex_device::native::ata::{self, Identify, erase as command};
use jurex_device::native::command::{Answer, Command};
use jurex_sanitize::plan::UnhideOrder;

#[derive(Clone, Debug, PartialEq, Eq)]
enum UnhideStep {
    AskBefore,
    /// Where the native end is, by the command of that feature.
    AskEnd(Feature),
    Lift(Feature, u64),
    /// The system looks at the new capacity.
    Rescan,
    Over(SequenceEnd),
}

/// Features that hide sectors, in the order in which they are lifted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Feature {
    ProtectedArea,
    AccessibleMax,
    Configuration,
}

#[derive(Debug)]
pub(super) struct UnhideSequence {
    permanent: bool,
    configuration: bool,
    step: UnhideStep,
    told: Option<Identify>,
}

impl UnhideSequence {
    pub(super) fn new(lift: &UnhideOrder) -> Self {
        Self { permanent: lift.permanent, configuration: lift.configuration, step: UnhideStep::AskBefore, told: None }
    }

    /// The feature that comes after `done`, of those that the drive has.
    fn after(&self, done: Option<Feature>) -> UnhideStep {
        let Some(told) = &self.told else { return UnhideStep::Rescan };
        let has = |feature: Feature| match feature {
            Feature::ProtectedArea => told.can_hide_by_hpa,
            Feature::AccessibleMax => told.can_hide_by_amax,
            // It gives back every setting of the maker, not the capacity alone: only if a person said so.
            Feature::Configuration => told.can_hide_by_dco && self.configuration,
        };
        let order = [Feature::ProtectedArea, Feature::AccessibleMax, Feature::Configuration];
        let from = done.and_then(|d| order.iter().position(|f| *f == d)).map_or(0, |at| at + 1);
        order[from..].iter().find(|f| has(**f)).map_or(UnhideStep::Rescan, |f| UnhideStep::AskEnd(*f))
    }

    fn extended(&self) -> bool {
        self.told.as_ref().is_some_and(|t| t.long_addresses)
    }

    fn ask_end(&self, feature: Feature) -> Command {
        match feature {
            Feature::ProtectedArea => command::read_native_max(self.extended()),
            Feature::AccessibleMax => command::get_native_max(),
            Feature::Configuration => command::configuration_identify(),
        }
    }

    /// The last sector that the feature could give.
    fn end(&self, feature: Feature, answer: &Answer) -> Option<u64> {
        match feature {
            Feature::Configuration => ata::parse_configuration_max(answer.page()?).ok(),
            _ => {
                let registers = answer.registers().filter(ata::Registers::is_good)?;
                let long = feature == Feature::AccessibleMax || self.extended();
                Some(if long { registers.lba } else { registers.short_lba() })
            }
        }
    }

    fn lift(&self, feature: Feature, last: u64) -> Vec<Command> {
        match feature {
            Feature::ProtectedArea => {
                vec![command::read_native_max(self.extended()), command::set_max(last, self.extended(), self.permanent)]
            }
            Feature::AccessibleMax => vec![command::set_accessible_max(last)],
            Feature::Configuration => vec![command::configuration_restore()],
        }
    }

    fn refused(&self, feature: Feature, answer: &Answer) -> String {
        let again = match feature {
            // What is lifted until the next power-on is hidden again after it.
            Feature::Configuration if !self.permanent => {
                "Take its power away for ten seconds, and plan it anew with the area before it made accessible for good (--keep-accessible)"
            }
            _ => "Take its power away for ten seconds and resume the job",
        };
        let (what, why) = match feature {
            Feature::ProtectedArea => ("host protected area", "it is locked or frozen, or was changed once since power-on"),
            Feature::AccessibleMax => ("accessible maximum", "it is frozen, or was changed once since power-on"),
            Feature::Configuration => {
                ("configuration overlay", "it is frozen, or needs the area before it made accessible in an earlier power cycle")
            }
        };
        format!("its {what} could not be made accessible ({}): most likely {why}. {again}", answer.sentence())
    }
}

impl CommandSequence for UnhideSequence {
    fn next(&mut self) -> NextCommand {
        match &self.step {
            UnhideStep::AskBefore => NextCommand::Ask(command::identify()),
            UnhideStep::AskEnd(feature) => NextCommand::Ask(self.ask_end(*feature)),
            UnhideStep::Lift(feature, last) => NextCommand::Change(self.lift(*feature, *last)),
            UnhideStep::Rescan => {
                self.step = UnhideStep::Over(SequenceEnd::Completed);
                NextCommand::Rescan
            }
            UnhideStep::Over(end) => NextCommand::Over(end.clone()),
        }
    }

    fn heard(&mut self, answer: &Answer) {
        self.step = match &self.step {
            UnhideStep::AskBefore => {
                self.told = answer.page().and_then(|p| Identify::parse(p).ok());
                match &self.told {
                    Some(_) => self.after(None),
                    None => UnhideStep::Over(SequenceEnd::Refused(format!(
                        "it did not answer IDENTIFY DEVICE: {}",
                        answer.sentence()
                    ))),
                }
            }
            UnhideStep::AskEnd(feature) => match self.end(*feature, answer) {
                // The overlay's own word is about the sectors that it could give back beyond what is addressable now.
                Some(last) if last.checked_add(1).is_some_and(|end| end > self.addressable()) => UnhideStep::Lift(*feature, last),
                Some(_) => self.after(Some(*feature)),
                None => UnhideStep::Over(SequenceEnd::Refused(format!(
                    "it did not tell where its sectors end: {}",
                    answer.sentence()
                ))),
            },
            UnhideStep::Lift(feature, last) if answer.is_good() => {
                if let Some(told) = &mut self.told {
                    told.sectors = told.sectors.max(last.saturating_add(1));
                }
                self.after(Some(*feature))
            }
            UnhideStep::Lift(feature, _) => UnhideStep::Over(SequenceEnd::Refused(self.refused(*feature, answer))),
            UnhideStep::Rescan | UnhideStep::Over(_) => return,
        };
    }
}

impl UnhideSequence {
    fn addressable(&self) -> u64 {
        self.told.as_ref().map_or(0, |t| t.sectors)
    }
}
