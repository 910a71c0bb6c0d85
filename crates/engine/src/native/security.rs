//! ATA SECURITY ERASE UNIT: a password is set, the drive erases itself while its port is busy, and the password is gone when
//! it has. A drive that is cut off in the middle is locked: it is opened, or erased, by the same password, which stands in the
//! job's checkpoint before it is sent.

use super::{CommandSequence, DriveWork, NextCommand, SequenceEnd};
use jurex_device::native::ata::{Identify, SecurityFeatures as State, erase as ata};
use jurex_device::native::command::{Answer, Command};
use jurex_sanitize::evidence::NativeEvidence;
use std::time::Duration;

#[derive(Clone, Debug, PartialEq, Eq)]
enum SecurityStep {
    AskBefore,
    SetPassword,
    /// Whether the password is set now.
    AskSet,
    Erase,
    AskAfter,
    /// The password is still set: it is taken away.
    Disable {
        locked: bool,
    },
    AskDisabled,
    Over(SequenceEnd),
}

#[derive(Debug)]
pub(super) struct SecuritySequence {
    enhanced: bool,
    /// Whether the drive is to be erased, or only to lose the password.
    erases: bool,
    /// Whether the password is this job's own, set in an earlier session.
    is_ours: bool,
    step: SecurityStep,
    /// How long SECURITY ERASE UNIT may take.
    patience: Duration,
    /// Why the erasure did not come to a good end, if it did not.
    failure: Option<String>,
    at_work: bool,
    /// Whether the drive has a password, if its last answer told.
    password: Option<bool>,
}

impl SecuritySequence {
    pub(super) fn erase(enhanced: bool, before: &NativeEvidence) -> Self {
        Self {
            enhanced,
            erases: true,
            is_ours: before.sent > 0,
            step: SecurityStep::AskBefore,
            patience: Duration::ZERO,
            failure: None,
            at_work: false,
            password: None,
        }
    }

    /// Takes Jurex's password away and erases nothing.
    pub(super) fn unlock() -> Self {
        Self {
            erases: false,
            is_ours: true,
            ..Self::erase(false, &NativeEvidence::begun(jurex_device::technique::Technique::SecurityErase))
        }
    }

    fn name(&self) -> &'static str {
        if self.enhanced { "SECURITY ERASE UNIT, enhanced" } else { "SECURITY ERASE UNIT" }
    }

    fn hear_before(&mut self, told: &Identify) -> SecurityStep {
        let refused = |why: &str| SecurityStep::Over(SequenceEnd::Refused(why.into()));
        let State { supported, enabled, locked, frozen, expired, enhanced_erase } = told.security;
        // Twice what the drive itself tells and an hour; two days where it tells nothing.
        let minutes = if self.enhanced { told.enhanced_erase_minutes } else { told.erase_minutes };
        self.patience = minutes
            .filter(|(_, at_least)| !at_least)
            .map_or(Duration::from_secs(48 * 3600), |(minutes, _)| Duration::from_secs(minutes * 120 + 3600));
        match (supported, frozen, expired) {
            (false, ..) => return refused("it does not have the security feature set"),
            (_, true, _) => {
                return refused(
                    "its security commands are frozen: take its power away for ten seconds, give it back, and resume the job",
                );
            }
            (.., true) => {
                return refused("too many wrong passwords were tried: take its power away for ten seconds and resume the job");
            }
            _ => {}
        }
        match (self.erases, enabled) {
            (false, true) => SecurityStep::Disable { locked },
            (false, false) => SecurityStep::Over(SequenceEnd::Completed),
            (true, _) if self.enhanced && !enhanced_erase => refused("it does not have the enhanced erase"),
            (true, true) if self.is_ours => SecurityStep::Erase,
            (true, true) => {
                refused("it has a password that this job did not set: take it away first, with the program that set it")
            }
            (true, false) => SecurityStep::SetPassword,
        }
    }

    /// What the drive says of itself after the erasure.
    fn hear_after(&mut self, told: &Identify) -> SecurityStep {
        match (told.security.enabled, &self.failure) {
            (false, None) => SecurityStep::Over(SequenceEnd::Completed),
            (false, Some(why)) => SecurityStep::Over(SequenceEnd::Failed(format!("{why}. It has no password"))),
            (true, _) => {
                let said = format!("{} ended, but the password is still set", self.name());
                self.failure.get_or_insert(said);
                SecurityStep::Disable { locked: told.security.locked }
            }
        }
    }

    fn hear_disabled(&mut self, told: &Identify) -> SecurityStep {
        match (told.security.enabled, self.failure.take()) {
            (false, None) => SecurityStep::Over(SequenceEnd::Completed),
            (false, Some(why)) => SecurityStep::Over(SequenceEnd::Failed(format!("{why}. The password was taken away again"))),
            (true, why) => {
                let said = password_left();
                SecurityStep::Over(SequenceEnd::Failed(why.map_or_else(|| said.clone(), |why| format!("{why}. {said}"))))
            }
        }
    }

    fn hear_identify(&mut self, told: &Identify) -> SecurityStep {
        match &self.step {
            SecurityStep::AskBefore => self.hear_before(told),
            SecurityStep::AskSet if told.security.enabled => SecurityStep::Erase,
            SecurityStep::AskSet => {
                SecurityStep::Over(SequenceEnd::Refused("it accepted a password and did not set it: nothing was erased".into()))
            }
            SecurityStep::AskAfter => self.hear_after(told),
            _ => self.hear_disabled(told),
        }
    }
}

/// What to do about a drive that has kept Jurex's password.
pub(super) fn password_left() -> String {
    format!(
        "The drive has the password `{}` and locks itself when its power goes: `jurex unlock` takes it away, and so does going \
         on with the job",
        ata::PASSWORD
    )
}

impl CommandSequence for SecuritySequence {
    fn next(&mut self) -> NextCommand {
        match &self.step {
            SecurityStep::AskBefore | SecurityStep::AskSet | SecurityStep::AskAfter | SecurityStep::AskDisabled => {
                NextCommand::Ask(ata::identify())
            }
            SecurityStep::SetPassword => NextCommand::Change(vec![ata::set_password()]),
            SecurityStep::Erase => {
                self.at_work = true;
                let unit: Command = ata::erase_unit(self.enhanced).patient(self.patience);
                NextCommand::Change(vec![ata::erase_prepare(), unit])
            }
            SecurityStep::Disable { locked: true } => NextCommand::Change(vec![ata::unlock(), ata::disable_password()]),
            SecurityStep::Disable { locked: false } => NextCommand::Change(vec![ata::disable_password()]),
            SecurityStep::Over(end) => NextCommand::Over(end.clone()),
        }
    }

    fn heard(&mut self, answer: &Answer) {
        self.password = None;
        self.step = match &self.step {
            SecurityStep::AskBefore | SecurityStep::AskSet | SecurityStep::AskAfter | SecurityStep::AskDisabled => {
                let told = answer.page().and_then(|p| Identify::parse(p).ok());
                self.password = told.as_ref().map(|t| t.security.enabled);
                match told {
                    Some(told) => self.hear_identify(&told),
                    None if self.step == SecurityStep::AskBefore => SecurityStep::Over(SequenceEnd::Refused(format!(
                        "it did not answer IDENTIFY DEVICE: {}",
                        answer.sentence()
                    ))),
                    None => SecurityStep::Over(SequenceEnd::Silent(format!(
                        "it does not answer any more: {}. {}",
                        answer.sentence(),
                        password_left()
                    ))),
                }
            }
            SecurityStep::SetPassword if answer.is_good() || matches!(answer, Answer::Lost { .. }) => SecurityStep::AskSet,
            SecurityStep::SetPassword => SecurityStep::Over(SequenceEnd::Refused(format!(
                "it did not take the password that erasing needs: {}",
                answer.sentence()
            ))),
            SecurityStep::Erase => {
                self.at_work = false;
                if !answer.is_good() {
                    self.failure = Some(format!("{} did not come to a good end: {}", self.name(), answer.sentence()));
                }
                SecurityStep::AskAfter
            }
            SecurityStep::Disable { .. } => SecurityStep::AskDisabled,
            SecurityStep::Over(end) => SecurityStep::Over(end.clone()),
        };
    }

    fn work(&self) -> DriveWork {
        DriveWork { at_work: self.at_work, password: self.password, ..DriveWork::default() }
    }
}
