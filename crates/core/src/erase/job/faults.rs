//! What a job does about requests that fail: it narrows them down, tries again, tells bad sectors from a drive that
//! answers nothing any more, and gives dying drives up.

use super::{Attempt, Ended, FaultKind, Job, Now, Phase};
use crate::erase::event::Event;
use crate::medium::MediumError;
use crate::plan::Order;
use crate::ranges::RangeSet;
use crate::units::Sectors;
use std::time::Duration;

/// So many bad places in a row, with nothing that went well between them, make one doubt that the drive answers at all.
const DOUBTED_AFTER: usize = 16;
/// Places that are then tried.
const PROBES: u64 = 5;
/// Wrong sectors are told at most about this often, and stretches that touch as one.
const TELL_WRONG_EVERY: Duration = Duration::from_secs(1);
/// Or once there are so many stretches.
const MOST_UNTOLD: usize = 500;

/// Places that failed and are not yet called faults: only a drive that answers otherwise has bad sectors.
#[derive(Debug)]
pub(super) struct Doubt {
    suspects: Vec<(FaultKind, Sectors, String)>,
    /// Bad places in a row after which it is doubted next.
    limit: usize,
    /// Places still to be tried, while it is doubted.
    probes: Vec<Sectors>,
    probing: bool,
}

impl Default for Doubt {
    fn default() -> Self {
        Self { suspects: vec![], limit: DOUBTED_AFTER, probes: vec![], probing: false }
    }
}

impl Doubt {
    pub(super) fn has_suspects(&self) -> bool {
        !self.suspects.is_empty()
    }

    /// Whether it is being found out whether the drive answers.
    pub(super) fn is_probing(&self) -> bool {
        self.probing
    }

    pub(super) fn next_probe(&mut self) -> Option<Sectors> {
        self.probes.pop()
    }

    /// What was suspected is neither laid nor faulty: it is tried again when the job goes on.
    pub(super) fn drop_suspects(&mut self) {
        *self = Self { limit: self.limit, ..Self::default() };
    }
}

/// Wrong sectors that were found and not yet told.
#[derive(Debug, Default)]
pub(super) struct Wrong {
    untold: RangeSet,
    told: Duration,
}

impl Job {
    /// A stretch failed: halve it, down to one physical sector; try that by itself, a few times; then it is suspected.
    ///
    /// What failed goes out alone from then on: the kernel merges requests that touch, and a merged request fails as a
    /// whole, so that good sectors beside a bad one would stay unwritten.
    pub(super) fn narrow(&mut self, attempt: Attempt, error: &MediumError, now: Now) {
        let unit = self.geometry().unit();
        if attempt.at.count > unit {
            let (left, right) = attempt.at.halves(unit);
            self.again.extend([right, left].map(|at| Attempt { at, tries: 0, alone: true }));
        } else if !attempt.alone {
            self.again.push(Attempt { alone: true, ..attempt });
        } else if attempt.tries < self.retries() {
            self.again.push(Attempt { tries: attempt.tries + 1, ..attempt });
        } else {
            let reads = matches!(self.phase, Phase::ReadingBack | Phase::Checking);
            let kind = if reads { FaultKind::Unreadable } else { FaultKind::Unwritable };
            self.doubt.suspects.push((kind, attempt.at, error.cause.os().to_string()));
            if self.doubt.suspects.len() >= self.doubt.limit {
                self.begin_probing();
            }
        }
        self.mark = now.mono;
    }

    /// Asks the drive at other places, before so many failures are called bad sectors.
    pub(super) fn begin_probing(&mut self) {
        let whole = self.geometry().whole();
        let place = |n: u64| (u128::from(whole.count - 1) * u128::from(n) / u128::from(PROBES - 1)) as u64;
        let suspected = |lba: u64| self.doubt.suspects.iter().any(|(_, at, _)| at.contains(crate::units::Lba(lba)));
        let unit = self.geometry().unit();
        // A place that failed itself says nothing: its neighbour is asked instead.
        let beside =
            |lba: u64| (0..whole.count.div_ceil(unit)).map(|n| (lba / unit + n) * unit % whole.count).find(|l| !suspected(*l));
        self.doubt.probes = (0..PROBES)
            .filter_map(|n| beside(place(n)))
            .map(|first| Sectors::new(first, unit.min(whole.count - first)))
            .collect();
        self.doubt.probes.dedup();
        self.doubt.probing = true;
        if self.doubt.probes.is_empty() {
            // There is no other place: the whole drive has failed.
            self.doubt.probing = false;
            self.confirm_suspects();
        }
    }

    /// A probe was answered, or failed.
    pub(super) fn probed(&mut self, failed: Option<&MediumError>, now: Now) {
        self.mark = now.mono;
        match failed {
            None => {
                self.doubt.limit = self.doubt.limit.saturating_mul(2);
                self.tell(Event::AnswersElsewhere);
                self.confirm_suspects();
            }
            Some(e) if self.doubt.probes.is_empty() => {
                let error = format!(
                    "{} in a row failed, and so did reading at other places: {}",
                    crate::units::counted(self.doubt.suspects.len() as u64, "place"),
                    e.cause.os()
                );
                self.end(Ended::StoppedAnswering { error }, now);
            }
            Some(_) => {}
        }
    }

    /// Something went well: what failed before it is truly bad.
    pub(super) fn confirm_suspects(&mut self) {
        (self.doubt.probing, self.doubt.probes) = (false, vec![]);
        for (kind, at, error) in std::mem::take(&mut self.doubt.suspects) {
            if self.gives_up {
                return;
            }
            self.tell_advance();
            self.tell_fault(kind, at, Some(error));
            self.count_faults(1);
        }
    }

    /// Sectors were read and did not hold what was laid.
    pub(super) fn found_wrong(&mut self, wrong: &RangeSet, now: Now) {
        self.wrong.untold.extend(wrong);
        let due = now.mono.saturating_sub(self.wrong.told) >= TELL_WRONG_EVERY;
        if due || self.wrong.untold.iter().len() > MOST_UNTOLD {
            self.tell_wrong();
            self.wrong.told = now.mono;
        }
    }

    /// Tells the wrong sectors that were found, touching ones as one place.
    pub(super) fn tell_wrong(&mut self) {
        let wrong = std::mem::take(&mut self.wrong.untold);
        if wrong.is_empty() {
            return;
        }
        for at in wrong.iter() {
            self.tell_fault(FaultKind::Wrong, *at, None);
        }
        self.count_faults(wrong.iter().len() as u64);
    }

    fn tell_fault(&mut self, kind: FaultKind, at: Sectors, error: Option<String>) {
        let of_a_pass = !matches!(self.phase, Phase::Checking);
        let pass = self.pass as u32;
        self.tell(if of_a_pass { Event::Fault { pass, kind, at, error } } else { Event::CheckFault { kind, at, error } });
    }

    fn count_faults(&mut self, more: u64) {
        self.faults = self.faults.saturating_add(more);
        let allowed = if self.plan.passes().is_empty() { Order::FAULTS_ALLOWED } else { self.plan.faults_allowed() };
        self.gives_up |= self.faults > allowed;
    }

    fn retries(&self) -> u32 {
        if self.plan.passes().is_empty() { Order::RETRIES } else { self.plan.retries() }
    }
}
