//! NVMe Format NVM with secure erase: it is answered when it is done. Cut off in the middle its content is undefined, and it is
//! asked for again.

use super::{CommandSequence, DriveWork, NextCommand, SequenceEnd};
use jurex_device::media::Scope;
use jurex_device::native::command::{Answer, Command};
use jurex_device::native::nvme;
use jurex_device::technique::Technique;
use jurex_sanitize::plan::PlannedErase;
use std::time::Duration;

/// The standard has no word for how long it takes.
const PATIENCE: Duration = Duration::from_secs(48 * 3600);

#[derive(Clone, Debug, PartialEq, Eq)]
enum FormatStep {
    AskController,
    AskNamespace,
    Format(Command),
    Over(SequenceEnd),
}

#[derive(Debug)]
pub(super) struct FormatSequence {
    technique: Technique,
    /// Whether its key is replaced, and not its blocks erased.
    crypto: bool,
    /// One namespace, or all.
    namespace: Option<u32>,
    /// Whose format is kept.
    of: u32,
    /// Whether it takes a format of all namespaces by the number that means all of them.
    broadcast: bool,
    step: FormatStep,
    at_work: bool,
}

impl FormatSequence {
    pub(super) fn new(own: &PlannedErase, crypto: bool) -> Self {
        let namespace = if let Scope::Namespace { namespace } = own.scope { Some(namespace) } else { None };
        Self {
            technique: own.technique,
            crypto,
            namespace,
            of: namespace.or(own.namespace).unwrap_or(1),
            broadcast: true,
            step: FormatStep::AskController,
            at_work: false,
        }
    }

    fn hear_controller(&mut self, answer: &Answer) -> FormatStep {
        let refused = |why: String| FormatStep::Over(SequenceEnd::Refused(why));
        let Some(told) = answer.page().and_then(|p| nvme::Controller::parse(p).ok()) else {
            return refused(format!("it did not tell what it can: {}", answer.sentence()));
        };
        self.broadcast = told.format_broadcast;
        let has = told.own_erases().iter().any(|e| e.technique() == self.technique);
        match (has, self.namespace) {
            // Some accept a cryptographic erase that they do not have, and erase nothing.
            (false, _) => refused(format!("it does not have {}", self.technique.name())),
            (true, Some(_)) if told.format_erases_all => refused(
                "an erasing format reaches every namespace of this drive, and the plan is for one of them: plan it anew".into(),
            ),
            (true, None) if !told.format_broadcast && !told.format_erases_all => {
                refused("it formats one namespace at a time, and the plan is for all of them: plan each by itself".into())
            }
            (true, _) => FormatStep::AskNamespace,
        }
    }
}

impl CommandSequence for FormatSequence {
    fn next(&mut self) -> NextCommand {
        match &self.step {
            FormatStep::AskController => NextCommand::Ask(nvme::identify_controller()),
            FormatStep::AskNamespace => NextCommand::Ask(nvme::identify_namespace(self.of)),
            FormatStep::Format(command) => {
                self.at_work = true;
                NextCommand::Change(vec![command.clone()])
            }
            FormatStep::Over(end) => NextCommand::Over(end.clone()),
        }
    }

    fn heard(&mut self, answer: &Answer) {
        self.step = match &self.step {
            FormatStep::AskController => self.hear_controller(answer),
            FormatStep::AskNamespace => {
                let secure_erase = if self.crypto { 2 } else { 1 };
                // One that erases all of them whichever is named, and takes no number that means all: any of them is named (FNA bits 1 and 3).
                let named = self.namespace.or((!self.broadcast).then_some(self.of));
                match answer.page().and_then(|page| nvme::format(named, page, secure_erase)) {
                    Some(command) => FormatStep::Format(command.patient(PATIENCE)),
                    None => FormatStep::Over(SequenceEnd::Refused(format!(
                        "it did not tell its namespace's format: {}",
                        answer.sentence()
                    ))),
                }
            }
            FormatStep::Format(_) if answer.is_good() => FormatStep::Over(SequenceEnd::Completed),
            FormatStep::Format(_) => match answer {
                Answer::Lost { why } => FormatStep::Over(SequenceEnd::Silent(format!("no answer came to the format ({why})"))),
                refused => FormatStep::Over(SequenceEnd::Failed(format!("it did not format: {}", refused.sentence()))),
            },
            FormatStep::Over(end) => FormatStep::Over(end.clone()),
        };
        self.at_work = false;
    }

    fn work(&self) -> DriveWork {
        DriveWork { at_work: self.at_work, ..DriveWork::default() }
    }
}
