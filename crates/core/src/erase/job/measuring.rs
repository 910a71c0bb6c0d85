//! The size check of a job: what it lays and reads, given out act by act.

use super::{Event, Job, Now, Phase};
use crate::erase::measure::{Act, Measuring};
use crate::tag::Tag;
use crate::units::Sectors;

/// What is being done for the size check.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum MeasureStep {
    Laying,
    Flushing,
    Reading,
}

impl Job {
    pub(super) fn begin_measuring(&mut self, now: Now) {
        let Some(measure) = self.plan.measure() else { return self.begin_stage(self.stage + 1, now) };
        let session = self.progress.evidence().last_session();
        self.measuring = Some(Measuring::new(self.geometry(), &measure.tags, session));
        self.tell(Event::MeasureStarted { time: now.wall });
        // Kept before the first write, as before every pass.
        self.save(now);
        self.measure_on(now);
    }

    /// The act before is over: what comes next?
    pub(super) fn measure_on(&mut self, now: Now) {
        self.mark = now.mono;
        let Some(measuring) = &mut self.measuring else { return };
        match measuring.next() {
            Some(Act::Lay(places, round)) => {
                self.pattern = measuring.tags(round).clone();
                self.left = places.into_iter().rev().collect();
                self.phase = Phase::Measuring(MeasureStep::Laying);
            }
            Some(Act::Flush) => self.phase = Phase::Measuring(MeasureStep::Flushing),
            Some(Act::Read(places)) => {
                self.left = places.into_iter().rev().collect();
                self.phase = Phase::Measuring(MeasureStep::Reading);
            }
            None => self.measured(now),
        }
    }

    fn measured(&mut self, now: Now) {
        let Some(measuring) = self.measuring.take() else { return };
        self.tell(Event::Measured { found: Box::new(measuring.found().clone()), time: now.wall });
        self.save(now);
        self.begin_stage(self.stage + 1, now);
    }

    /// A stretch was tagged.
    pub(super) fn tag_laid(&mut self, at: Sectors, now: Now) {
        self.measuring.iter_mut().for_each(Measuring::laid);
        self.advance_measuring(at, now);
    }

    /// A stretch was read, and told these tags.
    pub(super) fn tags_met(&mut self, at: Sectors, met: &[Tag], now: Now) {
        self.measuring.iter_mut().for_each(|m| m.note(at.first, met));
        self.advance_measuring(at, now);
    }

    /// A stretch could not be tagged, or not read. It is not tried again: this is no pass.
    pub(super) fn not_measured(&mut self, at: Sectors, now: Now) {
        let reading = matches!(self.phase, Phase::Measuring(MeasureStep::Reading));
        if let Some(measuring) = &mut self.measuring {
            if reading {
                measuring.not_read(at);
            } else {
                measuring.not_laid(at);
            }
            if measuring.is_answered() {
                self.left.clear();
            }
        }
        self.mark = now.mono;
    }

    /// Neither counted as work nor timed as the pace of a pass: single sectors here and there are slower than any pass.
    fn advance_measuring(&mut self, at: Sectors, now: Now) {
        let took = now.mono.saturating_sub(self.mark);
        self.mark = now.mono;
        self.advanced.0.insert(at);
        self.advanced.1 += took;
        if self.advanced.1 >= super::TELL_EVERY {
            self.tell_advance();
        }
    }
}
