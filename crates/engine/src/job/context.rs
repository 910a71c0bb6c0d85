//! What the stages of a job share: the plan, what has happened, what is remembered of the drive, the work list, time, and the
//! checkpoint that is due.

use super::faults::Failures;
use super::stage::Issued;
use super::{Now, describe};
use crate::baseline::BaselineSample;
use crate::checkpoint::Checkpoint;
use crate::event::{Activity, Event, Progress};
use crate::list::WorkList;
use crate::siblings::SiblingBaselines;
use jurex_device::media::{Drive, Geometry, Scope};
use jurex_device::technique::Technique;
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::Sectors;
use jurex_sanitize::digest::Salt;
use jurex_sanitize::evidence::{Ended, Evidence, Expect, NativeEvidence};
use jurex_sanitize::plan::{Plan, Secret};
use std::collections::BTreeMap;
use std::time::Duration;

/// Progress is told at most about this often.
const TELL_EVERY: Duration = Duration::from_millis(50);
/// A checkpoint is made after so much time or so many bytes, whichever comes first: no more work than that is ever lost.
const CHECKPOINT_EVERY: (Duration, u64) = (Duration::from_secs(5), 1 << 30);
/// Work that took longer, and much longer than is usual on this drive, is told as slow: the drive tried hard, and its
/// sectors may be the next to fail.
const SLOW: Duration = Duration::from_secs(2);
/// How much longer than usual.
const SLOWER_THAN_USUAL: f64 = 8.0;

/// The part of a job that its stages work with.
#[derive(Debug)]
pub(super) struct Context {
    pub(super) plan: Plan,
    pub(super) secret: Option<Secret>,
    pub(super) progress: Progress,
    /// What happened since somebody listened.
    pub(super) events: Vec<Event>,
    pub(super) list: WorkList,
    pub(super) flight: InFlight,
    /// What is being done, for whoever is told of it.
    pub(super) activity: Activity,
    /// The pass that is under way, counted from 0.
    pub(super) pass: usize,
    /// What lay at drawn places before the drive erased itself: of itself, and of other namespaces.
    pub(super) draw: Option<BaselineSample>,
    pub(super) beside: SiblingBaselines,
    /// Whether the drive was seen at work on its own erasure right before it was opened.
    pub(super) watched: bool,
    pub(super) failures: Failures,
    pub(super) meter: Meter,
    /// A checkpoint that was made and is to be kept.
    pub(super) checkpoint: Option<Box<Checkpoint>>,
}

/// Requests in flight by their tags.
#[derive(Debug, Default)]
pub(super) struct InFlight {
    issued: BTreeMap<u64, Issued>,
    next_tag: u64,
}

impl InFlight {
    pub(super) fn is_empty(&self) -> bool {
        self.issued.is_empty()
    }

    /// Notes what is given out; gives its tag.
    pub(super) fn begin(&mut self, issued: Issued) -> u64 {
        let tag = self.next_tag;
        self.next_tag += 1;
        self.issued.insert(tag, issued);
        tag
    }

    pub(super) fn end(&mut self, tag: u64) -> Option<Issued> {
        self.issued.remove(&tag)
    }
}

/// How work goes on, by the clock.
#[derive(Debug)]
pub(super) struct Meter {
    /// When the session began.
    opened: Duration,
    /// When work was last reported: the next report's time counts from here.
    mark: Duration,
    /// Seconds for a sector, as a slowly moving mean.
    usual: Option<f64>,
    /// What was worked through and not yet told, and in which time.
    advanced: (RangeSet, Duration),
    /// Sectors worked through.
    pub(super) worked: u64,
    /// Sectors worked through since the last checkpoint, and when that was.
    unsaved: (u64, Duration),
    /// Whether a checkpoint is due; it is made when nothing is in flight and the caches are flushed.
    pub(super) checkpoint_due: bool,
}

impl Meter {
    pub(super) fn new(now: Now) -> Self {
        Self {
            opened: now.mono,
            mark: now.mono,
            usual: None,
            advanced: (RangeSet::new(), Duration::ZERO),
            worked: 0,
            unsaved: (0, now.mono),
            checkpoint_due: false,
        }
    }

    /// Whatever comes next takes its time from now on.
    pub(super) fn mark(&mut self, now: Now) {
        self.mark = now.mono;
    }

    /// The same, and nothing was worked through yet.
    pub(super) fn begins(&mut self, now: Now) {
        (self.mark, self.unsaved.1) = (now.mono, now.mono);
    }

    pub(super) fn has_unsaved(&self) -> bool {
        self.unsaved.0 > 0
    }

    pub(super) fn put_off_checkpoint(&mut self, now: Now) {
        (self.unsaved, self.checkpoint_due) = ((0, now.mono), false);
    }
}

impl Context {
    /// The drive's sizes, as the stages so far have left them.
    pub(super) fn geometry(&self) -> Geometry {
        self.progress.evidence().geometry()
    }

    /// The sectors to overwrite, on the drive as it is now.
    pub(super) fn range(&self) -> Sectors {
        self.progress.evidence().range_of(self.plan.range_on(self.geometry()))
    }

    pub(super) fn evidence(&self) -> &Evidence {
        self.progress.evidence()
    }

    /// What is known of the drive's own erasure so far.
    pub(super) fn own_evidence(&self) -> NativeEvidence {
        self.evidence().own().cloned().unwrap_or_else(|| NativeEvidence::begun(Technique::Discard))
    }

    /// What digests are made with.
    pub(super) fn salt(&self) -> Salt {
        self.plan.own_check().and_then(|c| c.salt).unwrap_or(Salt::new([0; 16]))
    }

    /// Whether the drive's own erasure reaches other namespaces, which are looked at too.
    pub(super) fn reaches_others(&self) -> bool {
        let of_unit = self.plan.own_erase().is_some_and(|own| own.scope == Scope::WholeUnit);
        of_unit && self.plan.drive().other_user_data().next().is_some()
    }

    /// Nothing noted yet, of the places that stage `own` wants; `None`: nothing is read after it.
    pub(super) fn new_draw(&self, own: usize, whole: Sectors) -> Option<BaselineSample> {
        let check = self.plan.check_after(own)?;
        Some(match check.expect {
            Expect::Changed => BaselineSample::new(whole, &check.reading.places(whole)),
            // Whether it is blank afterwards is read in any case; here only whether it was not so before.
            _ => BaselineSample::thin(whole),
        })
    }

    /// Takes what a checkpoint keeps beside its evidence.
    pub(super) fn recall(&mut self, checkpoint: &Checkpoint) {
        if let (Some(kept), Some(own)) = (checkpoint.draw(), self.plan.own_at()) {
            let whole = checkpoint.evidence().geometry().whole();
            self.draw = self.new_draw(own, whole).and_then(|draw| draw.with_kept(kept));
        }
        // Of a drive that was only watched nobody knows what others wrote to them between its end and their opening; places
        // would not show it.
        if !self.watched {
            self.beside = SiblingBaselines::of_kept(checkpoint.beside());
        }
    }

    /// Why another drive that answers ends the job.
    pub(super) fn changed(before: &Drive, found: &Drive) -> Ended {
        let what = format!("it was {}, and {} answers now", describe(before), describe(found));
        Ended::Changed { what }
    }

    pub(super) fn tell(&mut self, event: Event) {
        self.progress.apply(&event);
        self.events.push(event);
    }

    /// How long this session has lasted.
    pub(super) fn lasted(&self, now: Now) -> Duration {
        now.mono.saturating_sub(self.meter.opened)
    }

    /// Makes a checkpoint of what is fast on the media now.
    pub(super) fn save(&mut self, now: Now) {
        self.tell_advance();
        self.tell_wrong();
        self.meter.put_off_checkpoint(now);
        let mut checkpoint = Checkpoint::new(&self.plan, self.progress.evidence(), self.lasted(now));
        // What was drawn is of use only until it has been compared.
        if self.evidence().overwrite().is_none() {
            checkpoint = checkpoint.with_drawn(self.draw.as_ref().map(BaselineSample::to_kept), self.beside.to_kept());
        }
        self.checkpoint = Some(Box::new(checkpoint));
    }

    /// Work was done. Its time counts from when the drive could begin with it: requests wait for one another.
    pub(super) fn advance(&mut self, at: Sectors, begun: Duration, now: Now) {
        self.confirm_suspects();
        let took = now.mono.saturating_sub(self.meter.mark);
        let served = now.mono.saturating_sub(self.meter.mark.max(begun));
        self.meter.mark = now.mono;
        self.tell_if_slow(at, served);
        self.note_advance(at, took);
        self.meter.worked += at.count;
        self.meter.unsaved.0 += at.count;
        let bytes = self.geometry().bytes_of(self.meter.unsaved.0);
        let since = now.mono.saturating_sub(self.meter.unsaved.1);
        self.meter.checkpoint_due |= bytes >= CHECKPOINT_EVERY.1 || since >= CHECKPOINT_EVERY.0;
    }

    /// The same of single sectors here and there: neither counted as work nor timed as the pace of a pass, than which they are
    /// slower.
    pub(super) fn advance_by_places(&mut self, at: Sectors, now: Now) {
        let took = now.mono.saturating_sub(self.meter.mark);
        self.meter.mark = now.mono;
        self.note_advance(at, took);
    }

    fn note_advance(&mut self, at: Sectors, took: Duration) {
        self.meter.advanced.0.insert(at);
        self.meter.advanced.1 += took;
        if self.meter.advanced.1 >= TELL_EVERY {
            self.tell_advance();
        }
    }

    fn tell_if_slow(&mut self, at: Sectors, served: Duration) {
        let for_a_sector = served.as_secs_f64() / at.count.max(1) as f64;
        let much_longer = self.meter.usual.is_none_or(|usual| for_a_sector > usual * SLOWER_THAN_USUAL);
        let is_slow = served >= SLOW && much_longer;
        if is_slow {
            self.tell_advance();
            self.tell(Event::Slow { pass: self.pass as u32, at, took: served });
        }
        // One slow place does not make slowness usual; a drive that is slow from the start is.
        if !is_slow || self.meter.usual.is_none() {
            self.meter.usual = Some(self.meter.usual.map_or(for_a_sector, |usual| usual * 0.9 + for_a_sector * 0.1));
        }
    }

    /// Tells what was worked through, each stretch with its share of the time.
    pub(super) fn tell_advance(&mut self) {
        let (stretches, took) = std::mem::take(&mut self.meter.advanced);
        let all = stretches.count().max(1) as f64;
        for at in stretches.iter() {
            let took = took.mul_f64(at.count as f64 / all);
            self.tell(Event::Advanced { pass: self.pass as u32, activity: self.activity, at: *at, took });
        }
    }
}
