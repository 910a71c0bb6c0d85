//! ATA SECURITY ERASE UNIT: a password is set, the drive erases itself while its port is busy, and the password is gone when
//! it has. A drive that is cut off in the middle is locked: it is opened, or erased, by the same password, which stands in the
//! job's checkpoint before it is sent.

use super::{End, Next, Talk, Work};
use jurex_device::native::ata::{Identify, Security as State, erase as ata};
use jurex_device::native::command::{Answer, Command};
use jurex_sanitize::evidence::OwnEvidence;
use std::time::Duration;

#[derive(Clone, Debug, PartialEq, Eq)]
enum Step {
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
    Over(End),
}

#[derive(Debug)]
pub(super) struct Security {
    enhanced: bool,
    /// Whether the drive is to be erased, or only to lose the password.
    erases: bool,
    /// Whether the password is this job's own, set in an earlier session.
    is_ours: bool,
    step: Step,
    /// How long SECURITY ERASE UNIT may take.
    patience: Duration,
    /// Why the erasure did not come to a good end, if it did not.
    failure: Option<String>,
    at_work: bool,
    /// Whether the drive has a password, if its last answer told.
    password: Option<bool>,
}

impl Security {
    pub(super) fn erase(enhanced: bool, before: &OwnEvidence) -> Self {
        Self {
            enhanced,
            erases: true,
            is_ours: before.sent > 0,
            step: Step::AskBefore,
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
            ..Self::erase(false, &OwnEvidence::begun(jurex_device::technique::Technique::SecurityErase))
        }
    }

    fn name(&self) -> &'static str {
        if self.enhanced { "SECURITY ERASE UNIT, enhanced" } else { "SECURITY ERASE UNIT" }
    }

    fn hear_before(&mut self, told: &Identify) -> Step {
        let refused = |why: &str| Step::Over(End::Refused(why.into()));
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
                    "its security commands are frozen: take its power away for ten seconds, give it back, and go on with the job",
                );
            }
            (.., true) => {
                return refused(
                    "too many wrong passwords were tried: take its power away for ten seconds and go on with the job",
                );
            }
            _ => {}
        }
        match (self.erases, enabled) {
            (false, true) => Step::Disable { locked },
            (false, false) => Step::Over(End::Completed),
            (true, _) if self.enhanced && !enhanced_erase => refused("it does not have the enhanced erase"),
            (true, true) if self.is_ours => Step::Erase,
            (true, true) => {
                refused("it has a password that this job did not set: take it away first, with the program that set it")
            }
            (true, false) => Step::SetPassword,
        }
    }

    /// What the drive says of itself after the erasure.
    fn hear_after(&mut self, told: &Identify) -> Step {
        match (told.security.enabled, &self.failure) {
            (false, None) => Step::Over(End::Completed),
            (false, Some(why)) => Step::Over(End::Failed(format!("{why}. It has no password"))),
            (true, _) => {
                let said = format!("{} ended, but the password is still set", self.name());
                self.failure.get_or_insert(said);
                Step::Disable { locked: told.security.locked }
            }
        }
    }

    fn hear_disabled(&mut self, told: &Identify) -> Step {
        match (told.security.enabled, self.failure.take()) {
            (false, None) => Step::Over(End::Completed),
            (false, Some(why)) => Step::Over(End::Failed(format!("{why}. The password was taken away again"))),
            (true, why) => {
                let said = password_left();
                Step::Over(End::Failed(why.map_or_else(|| said.clone(), |why| format!("{why}. {said}"))))
            }
        }
    }

    fn hear_identify(&mut self, told: &Identify) -> Step {
        match &self.step {
            Step::AskBefore => self.hear_before(told),
            Step::AskSet if told.security.enabled => Step::Erase,
            Step::AskSet => Step::Over(End::Refused("it accepted a password and did not set it: nothing was erased".into())),
            Step::AskAfter => self.hear_after(told),
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

impl Talk for Security {
    fn next(&mut self) -> Next {
        match &self.step {
            Step::AskBefore | Step::AskSet | Step::AskAfter | Step::AskDisabled => Next::Ask(ata::identify()),
            Step::SetPassword => Next::Change(vec![ata::set_password()]),
            Step::Erase => {
                self.at_work = true;
                let unit: Command = ata::erase_unit(self.enhanced).patient(self.patience);
                Next::Change(vec![ata::erase_prepare(), unit])
            }
            Step::Disable { locked: true } => Next::Change(vec![ata::unlock(), ata::disable_password()]),
            Step::Disable { locked: false } => Next::Change(vec![ata::disable_password()]),
            Step::Over(end) => Next::Over(end.clone()),
        }
    }

    fn heard(&mut self, answer: &Answer) {
        self.password = None;
        self.step = match &self.step {
            Step::AskBefore | Step::AskSet | Step::AskAfter | Step::AskDisabled => {
                let told = answer.page().and_then(|p| Identify::parse(p).ok());
                self.password = told.as_ref().map(|t| t.security.enabled);
                match told {
                    Some(told) => self.hear_identify(&told),
                    None if self.step == Step::AskBefore => {
                        Step::Over(End::Refused(format!("it did not answer IDENTIFY DEVICE: {}", answer.sentence())))
                    }
                    None => Step::Over(End::Silent(format!(
                        "it does not answer any more: {}. {}",
                        answer.sentence(),
                        password_left()
                    ))),
                }
            }
            Step::SetPassword if answer.is_good() || matches!(answer, Answer::Lost { .. }) => Step::AskSet,
            Step::SetPassword => {
                Step::Over(End::Refused(format!("it did not take the password that erasing needs: {}", answer.sentence())))
            }
            Step::Erase => {
                self.at_work = false;
                if !answer.is_good() {
                    self.failure = Some(format!("{} did not come to a good end: {}", self.name(), answer.sentence()));
                }
                Step::AskAfter
            }
            Step::Disable { .. } => Step::AskDisabled,
            Step::Over(end) => Step::Over(end.clone()),
        };
    }

    fn work(&self) -> Work {
        Work { at_work: self.at_work, password: self.password, ..Work::default() }
    }
}
