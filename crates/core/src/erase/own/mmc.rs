//! eMMC: everything is erased (securely where the device has that), which unmaps it; trim reaches what is less than a whole
//! erase group; and SANITIZE_START then erases physically what no address reaches any more.

use super::{End, Next, Talk, Work};
use crate::native::command::Answer;
use crate::native::mmc::{self, Erase, ExtCsd};
use std::time::Duration;

#[derive(Clone, Debug, Default, PartialEq, Eq)]
enum Step {
    #[default]
    Ask,
    DefineGroups,
    Erase,
    Trim,
    Sanitize,
    Over(End),
}

#[derive(Debug, Default)]
pub(super) struct Mmc {
    step: Step,
    told: Option<ExtCsd>,
    at_work: bool,
}

/// No time is told for SANITIZE_START.
const SANITIZE_PATIENCE: Duration = Duration::from_secs(6 * 3600);

impl Mmc {
    fn hear(&mut self, answer: &Answer) -> Step {
        let told = answer.page().and_then(|p| ExtCsd::parse(p).ok());
        let refused = |why: &str| Step::Over(End::Refused(why.into()));
        self.told = told;
        match told {
            None => Step::Over(End::Refused(format!("it did not tell what it can: {}", answer.sentence()))),
            Some(told) if !told.sanitize => refused("it does not have SANITIZE_START"),
            // It would skip the protected groups, and say so only in one bit.
            Some(told) if told.write_protected => refused("parts of it are write protected, and would be skipped"),
            Some(_) => Step::DefineGroups,
        }
    }
}

impl Talk for Mmc {
    fn next(&mut self) -> Next {
        let (sectors, seconds) = self.told.map_or((0, 0), |t| (t.sectors, t.erase_seconds));
        let all = |erase: Erase| {
            let [start, end, erase] = mmc::erase_all(sectors, erase);
            Next::Change(vec![start, end, erase.patient(Duration::from_secs(2 * seconds + 600))])
        };
        self.at_work = matches!(self.step, Step::Erase | Step::Trim | Step::Sanitize);
        match &self.step {
            Step::Ask => Next::Ask(mmc::send_ext_csd()),
            Step::DefineGroups => Next::Change(vec![mmc::define_erase_groups()]),
            Step::Erase if self.told.is_some_and(|t| t.secure_erase) => all(Erase::Secure),
            Step::Erase => all(Erase::Plain),
            Step::Trim => all(Erase::Trim),
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
            (Step::Erase, _) if self.told.is_some_and(|t| t.trim) => Step::Trim,
            (Step::Erase | Step::Trim, _) => Step::Sanitize,
            (Step::Sanitize, _) => Step::Over(End::Completed),
        };
    }

    fn work(&self) -> Work {
        Work { at_work: self.at_work, progress: None }
    }
}
