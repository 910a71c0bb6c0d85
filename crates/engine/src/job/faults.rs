//! What a job does about requests that fail: it narrows them down, tries again, tells bad sectors from a drive that
//! answers nothing any more, and gives dying drives up.

use super::Now;
use super::context::Context;
use super::stage::Then;
use crate::doubt::{Doubt, Probed, answers_nowhere};
use crate::event::{Activity, Event, FaultKind};
use crate::list::Attempt;
use jurex_device::medium::MediumError;
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::Sectors;
use jurex_sanitize::evidence::Ended;
use jurex_sanitize::plan::Order;
use std::time::Duration;

/// Wrong sectors are told at most about this often, and stretches that touch as one.
const TELL_WRONG_EVERY: Duration = Duration::from_secs(1);
/// Or once there are so many stretches.
const MAX_UNTOLD: usize = 500;

/// What has failed in a job, and what follows from it.
#[derive(Debug, Default)]
pub(super) struct Failures {
    pub(super) doubt: Doubt<(FaultKind, String)>,
    wrong: Wrong,
    /// Places that failed for good, in this session.
    count: u64,
    /// Whether they are more than the plan allows.
    gives_up: bool,
}

impl Failures {
    /// Why the job gives the drive up, if it does.
    pub(super) fn given_up(&self) -> Option<Ended> {
        self.gives_up.then_some(Ended::GivenUp { faults: self.count })
    }
}

/// Wrong sectors that were found and not yet told.
#[derive(Debug, Default)]
struct Wrong {
    untold: RangeSet,
    told: Duration,
}

impl Context {
    /// A stretch failed: it is narrowed down, tried again, and then suspected.
    pub(super) fn narrow(&mut self, attempt: Attempt, error: &MediumError, now: Now) {
        let (unit, retries) = (self.geometry().unit(), self.retries());
        if self.list.narrow(attempt, unit, retries) {
            let reads = matches!(self.activity, Activity::ReadingBack | Activity::Checking);
            let kind = if reads { FaultKind::Unreadable } else { FaultKind::Unwritable };
            if self.failures.doubt.suspect(attempt.at, (kind, error.cause.os().to_string())) {
                self.begin_probing();
            }
        }
        self.meter.mark(now);
    }

    /// Asks the drive at other places, before so many failures are called bad sectors.
    pub(super) fn begin_probing(&mut self) {
        let geometry = self.geometry();
        if !self.failures.doubt.begin_probing(geometry) {
            // There is no other place: the whole drive has failed.
            self.confirm_suspects();
        }
    }

    /// A probe was answered, or failed.
    pub(super) fn probed(&mut self, failed: Option<&MediumError>, now: Now) -> Then {
        self.meter.mark(now);
        match (self.failures.doubt.probed(failed.is_none()), failed) {
            (Probed::Answers, _) => {
                self.tell(Event::AnswersElsewhere);
                self.confirm_suspects();
            }
            (Probed::Dead(places), Some(e)) => return Then::End(answers_nowhere(places, e)),
            (Probed::NotYet | Probed::Dead(_), _) => {}
        }
        Then::Stay
    }

    /// Something went well: what failed before it is truly bad.
    pub(super) fn confirm_suspects(&mut self) {
        for (at, (kind, error)) in self.failures.doubt.confirm() {
            if self.failures.gives_up {
                return;
            }
            self.tell_advance();
            self.tell_fault(kind, at, Some(error));
            self.count_faults(1);
        }
    }

    /// Sectors were read and did not hold what was laid.
    pub(super) fn found_wrong(&mut self, wrong: &RangeSet, now: Now) {
        self.failures.wrong.untold.extend(wrong);
        let due = now.mono.saturating_sub(self.failures.wrong.told) >= TELL_WRONG_EVERY;
        if due || self.failures.wrong.untold.iter().len() > MAX_UNTOLD {
            self.tell_wrong();
            self.failures.wrong.told = now.mono;
        }
    }

    /// Tells the wrong sectors that were found, touching ones as one place.
    pub(super) fn tell_wrong(&mut self) {
        let wrong = std::mem::take(&mut self.failures.wrong.untold);
        if wrong.is_empty() {
            return;
        }
        for at in wrong.iter() {
            self.tell_fault(FaultKind::Wrong, *at, None);
        }
        self.count_faults(wrong.iter().len() as u64);
    }

    fn tell_fault(&mut self, kind: FaultKind, at: Sectors, error: Option<String>) {
        let of_a_pass = self.activity != Activity::Checking;
        let pass = self.pass as u32;
        self.tell(if of_a_pass { Event::Fault { pass, kind, at, error } } else { Event::CheckFault { kind, at, error } });
    }

    fn count_faults(&mut self, more: u64) {
        self.failures.count = self.failures.count.saturating_add(more);
        let allowed = if self.plan.passes().is_empty() { Order::FAULTS_ALLOWED } else { self.plan.faults_allowed() };
        self.failures.gives_up |= self.failures.count > allowed;
    }

    pub(super) fn retries(&self) -> u32 {
        if self.plan.passes().is_empty() { Order::RETRIES } else { self.plan.retries() }
    }
}
