//! TCG Opal by the kernel's interface: revert by PSID, and a new key for every locking range. Both are answered when they are
//! done.

use super::{End, Next, Talk};
use crate::native::command::{Answer, Command, Data, Image, OpalCall};
use crate::plan::{OwnErase, Secret};
use crate::technique::Technique;
use std::time::Duration;

/// Flags of the kernel's status call.
const SUPPORTED: u32 = 1;
const LOCKING_ENABLED: u32 = 4;
const LOCKED: u32 = 8;
/// Locking ranges that the kernel knows, the global one first.
const RANGES: u8 = 9;
/// Where the removal mechanism is overwriting, it takes hours.
const PATIENCE: Duration = Duration::from_secs(48 * 3600);

#[derive(Clone, Debug, PartialEq, Eq)]
enum Step {
    AskBefore,
    Revert,
    EraseRange(u8),
    AskAfter,
    Over(End),
}

#[derive(Debug)]
pub(super) struct Tcg {
    technique: Technique,
    secret: Option<Secret>,
    step: Step,
}

fn opal(name: &'static str, call: OpalCall, patience: Duration) -> Command {
    Command { name, image: Image::Opal(call), data: Data::None, patience }
}

impl Tcg {
    pub(super) fn new(own: &OwnErase, secret: Option<&Secret>) -> Self {
        Self { technique: own.technique, secret: secret.cloned(), step: Step::AskBefore }
    }

    fn hear_before(&self, answer: &Answer) -> Step {
        let refused = |why: &str| Step::Over(End::Refused(why.into()));
        match answer {
            Answer::Opal { status: 0, flags } if flags & SUPPORTED == 0 => refused("it does not speak TCG Opal"),
            Answer::Opal { status: 0, flags } if self.technique == Technique::TcgKeyChange && flags & LOCKING_ENABLED == 0 => {
                refused("its locking is not in use, so that no password of Admin1 is set: revert it by its PSID instead")
            }
            Answer::Opal { status: 0, .. } if self.secret.is_none() => {
                refused("its PSID, or the password of Admin1, is needed again: it is never kept with a job")
            }
            Answer::Opal { status: 0, .. } if self.technique == Technique::TcgKeyChange => Step::EraseRange(0),
            Answer::Opal { status: 0, .. } => Step::Revert,
            other => Step::Over(End::Refused(format!("it did not tell whether it speaks TCG Opal: {}", other.sentence()))),
        }
    }

    fn hear_after(&self, answer: &Answer) -> Step {
        let clean = |flags: u32| match self.technique {
            Technique::TcgKeyChange => true,
            _ => flags & (LOCKING_ENABLED | LOCKED) == 0,
        };
        match answer {
            Answer::Opal { status: 0, flags } if clean(*flags) => Step::Over(End::Completed),
            Answer::Opal { status: 0, .. } => Step::Over(End::Failed("after the revert its locking is still in use".into())),
            other => Step::Over(End::Silent(format!("it does not tell its state any more: {}", other.sentence()))),
        }
    }
}

impl Talk for Tcg {
    fn next(&mut self) -> Next {
        let secret = self.secret.as_ref().map(|s| s.text().to_string()).unwrap_or_default();
        match &self.step {
            Step::AskBefore | Step::AskAfter => Next::Ask(opal("TCG Opal status", OpalCall::Status, Command::SHORT)),
            Step::Revert => Next::Change(vec![opal("TCG revert by PSID", OpalCall::RevertByPsid(secret), PATIENCE)]),
            Step::EraseRange(range) => {
                let call = OpalCall::EraseRange { range: *range, password: secret };
                Next::Change(vec![opal("TCG key change", call, PATIENCE)])
            }
            Step::Over(end) => Next::Over(end.clone()),
        }
    }

    fn heard(&mut self, answer: &Answer) {
        self.step = match (&self.step, answer) {
            (Step::AskBefore, _) => self.hear_before(answer),
            (Step::AskAfter, _) => self.hear_after(answer),
            (Step::Over(end), _) => Step::Over(end.clone()),
            (_, Answer::Lost { why }) => Step::Over(End::Silent(format!("no answer came ({why})"))),
            (Step::Revert, good) if good.is_good() => Step::AskAfter,
            (Step::EraseRange(range), good) if good.is_good() && range + 1 < RANGES => Step::EraseRange(range + 1),
            // A drive with fewer ranges says so by an invalid parameter; the global one every drive has.
            (Step::EraseRange(range), good) if good.is_good() || (*range > 0 && is_no_such_range(good)) => Step::AskAfter,
            (_, refused) => Step::Over(End::Failed(format!("it did not replace its key: {}", refused.sentence()))),
        };
    }
}

fn is_no_such_range(answer: &Answer) -> bool {
    matches!(answer, Answer::Opal { status: 0x0c, .. })
}
