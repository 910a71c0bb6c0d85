//! One drive and its work: what was seen of it, what is chosen for it, and how far the work has come.

pub(super) mod bytes;
pub(super) mod draft;
mod form;
mod lanes;
pub(super) mod papers;
pub(crate) mod rows;
pub(super) mod stage;

pub(crate) use crate::desk::Step;
use bytes::BytesView;
use jurex_device::guard::{Cleared, Intent, Refusal};
use jurex_device::media::{DriveLabel, Scope};
use jurex_disposition::lot::{ExpectedDrive, expected_in};
use jurex_disposition::proof::Finding;
use jurex_engine::Activity;
use jurex_ledger::UnfinishedJob;
use jurex_look::release_form::ReleaseForm;
use jurex_past::LotNow;
use jurex_pattern::method::Catalogue;
use jurex_sanitize::contents::Contents;
use jurex_sanitize::draft::{Draft, DraftForecast};
use jurex_sanitize::estimate::SpeedSample;
use jurex_sanitize::evidence::Ended;
use jurex_sanitize::ladder::suggested;
use jurex_sanitize::need::is_enough;
use jurex_sanitize::need::{Need, Sensitivity};
use jurex_sanitize::plan::Plan;
use jurex_sanitize::record::{JobId, Papers, Record, SecondLook};
use jurex_sanitize::rules::{Edition, Outcome, Technique};
use jurex_station::bench::{DriveSnapshot, SampledSector};
use jurex_station::beside::{LaneReading, Readings};
use jurex_station::release::{Becomes, MarkHere};
pub(super) use lanes::{LaneId, Lanes};
use rows::PlanRow;
use stage::{Arming, LaneStage, Log, Over, RunningJob};
use std::borrow::Cow;
use std::time::Duration;

/// What a lane's drive is, as one word.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum LaneState {
    Unknown,
    Guarded,
    Ready,
    Planned,
    Armed,
    Erasing,
    Proving,
    Held,
    Proved,
    Unproved,
    Failed,
    Gone,
    /// It carries the mark of an earlier erasure.
    Tagged,
    /// It has gone where it was to go.
    Released,
}

impl LaneState {
    pub(crate) fn word(self) -> &'static str {
        match self {
            LaneState::Unknown => "unknown",
            LaneState::Guarded => "guarded",
            LaneState::Ready => "ready",
            LaneState::Planned => "planned",
            LaneState::Armed => "armed",
            LaneState::Erasing => "erasing",
            LaneState::Proving => "verifying",
            LaneState::Held => "paused",
            LaneState::Proved => "verified",
            LaneState::Unproved => "FAILED",
            LaneState::Failed => "FAILED",
            LaneState::Gone => "gone",
            LaneState::Tagged => "tagged",
            LaneState::Released => "released",
        }
    }
}

/// Whether the drive is there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Presence {
    /// Since the interface began.
    Here,
    /// Since this time.
    Appeared(Duration),
    /// Gone since this time of day.
    Gone(String),
}

impl Lane {
    /// Takes what an open lot knows of this drive, once, while nothing is decided about it.
    pub(crate) fn fill_from(&mut self, lots: &[LotNow]) {
        let is_open = match &self.stage {
            LaneStage::Idle => true,
            LaneStage::Planned(planned) => planned.from.is_none(),
            LaneStage::Arming(..) | LaneStage::Working(_) | LaneStage::Over(_) => false,
        };
        if self.is_listed || !is_open {
            return;
        }
        if let Some(expected) = self.fill_papers_from(lots) {
            if let Some(need) = expected.need() {
                (self.draft.need, self.listed_need) = (need, Some(need));
                self.plan_changed();
            }
            self.is_listed = true;
        }
    }

    /// Puts what an open lot knows of this drive into its papers; gives what that is.
    pub(crate) fn fill_papers_from(&mut self, lots: &[LotNow]) -> Option<ExpectedDrive> {
        let serial = self.seen.drive.unit.serial.as_deref()?;
        let (lot, expected) = expected_in(lots.iter().map(|now| &now.lot), serial)?;
        expected.fill(&lot.name, &mut self.papers);
        Some(expected.clone())
    }
}

/// How fast a drive reads.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Speed {
    NotSampled,
    Sampling,
    Sampled(SpeedSample),
}

impl Speed {
    pub(crate) fn sample(&self) -> Option<&SpeedSample> {
        match self {
            Speed::Sampled(sample) => Some(sample),
            Speed::NotSampled | Speed::Sampling => None,
        }
    }
}

/// What was seen of the drive beside its own answers.
pub(crate) struct LaneLook {
    /// Whether the drive itself has been asked; until then it is known by the system's word only.
    pub(crate) answered: bool,
    /// Whether the ledger was asked what it knows of it.
    pub(crate) asked_ledger: bool,
    pub(crate) contents: Option<Contents>,
    pub(crate) sample: Option<SampledSector>,
    /// The mark of an earlier erasure that was found on it.
    pub(crate) mark: Option<MarkHere>,
    pub(crate) speed: Speed,
    /// The byte viewer, while it is open.
    pub(crate) bytes: Option<BytesView>,
    /// Whether the beacon is on.
    pub(crate) beacon: bool,
}

impl LaneLook {
    /// What is on it, as far as it is known.
    pub(crate) fn known_contents(&self) -> Cow<'_, Contents> {
        self.contents.as_ref().map_or_else(Cow::default, Cow::Borrowed)
    }
}

/// One drive and its work.
pub(crate) struct Lane {
    pub(crate) seen: DriveSnapshot,
    pub(crate) verdict: Result<Cleared, Refusal>,
    pub(crate) presence: Presence,
    pub(crate) look: LaneLook,
    /// Whether it is one of the lot that is planned together.
    pub(crate) is_picked: bool,
    pub(crate) step: Step,
    /// First line of the step that is shown.
    pub(crate) scroll: u16,
    pub(crate) draft: Draft,
    /// The row of Plan that the keys are on; `None`: they walk through the steps.
    pub(crate) plan_row: Option<PlanRow>,
    /// What follows from the draft, once it was asked for.
    foreseen: Option<Box<DraftForecast>>,
    /// A job on this drive that was cut short and can go on.
    pub(crate) unfinished: Option<Box<UnfinishedJob>>,
    pub(crate) papers: Papers,
    /// Whether an open lot's answers were taken.
    is_listed: bool,
    /// What an open lot's list requires of this very drive.
    pub(crate) listed_need: Option<Need>,
    pub(crate) readings: Readings,
    /// What is to become of it.
    pub(crate) release: ReleaseForm,
    pub(crate) stage: LaneStage,
}

/// How a step of a drive's work stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum StepStands {
    /// It is shown.
    Here,
    /// It was done.
    Done,
    /// It can be gone to.
    Open,
    /// Something is missing for it.
    Closed,
}

impl Lane {
    /// How a step stands: what was done, and not only what can be gone to.
    pub(crate) fn step_stands(&self, step: Step) -> StepStands {
        let over = self.over();
        let done = match step {
            Step::Look | Step::Plan => self.plan().is_some(),
            Step::Arm => self.has_job(),
            Step::Erase => over.is_some(),
            Step::Prove => over.is_some_and(|o| o.end.record.claim().outcome() != Outcome::NotSanitized),
            Step::Certify => matches!(over.and_then(|o| o.written.as_ref()), Some(Ok(_))),
            Step::Release => self.state() == LaneState::Released,
        };
        match (step == self.step, done, self.missing(step)) {
            (true, ..) => StepStands::Here,
            (false, true, _) => StepStands::Done,
            (false, false, None) => StepStands::Open,
            (false, false, Some(_)) => StepStands::Closed,
        }
    }

    pub(crate) fn new(seen: DriveSnapshot, papers: &Papers, catalogue: &Catalogue, edition: Edition) -> Self {
        let need = Need { sensitivity: Sensitivity::Moderate, reuse: true, leaves: false };
        let draft = Draft::new(need, suggested(&seen.drive, catalogue, edition));
        let look = LaneLook {
            asked_ledger: false,
            answered: seen.has_answered(),
            contents: None,
            sample: None,
            mark: None,
            speed: Speed::NotSampled,
            bytes: None,
            beacon: false,
        };
        let mut lane = Self {
            verdict: seen.verdict(),
            seen,
            presence: Presence::Here,
            look,
            is_picked: false,
            step: Step::Look,
            scroll: 0,
            draft,
            plan_row: None,
            foreseen: None,
            unfinished: None,
            papers: papers.clone(),
            is_listed: false,
            listed_need: None,
            readings: Readings::default(),
            release: ReleaseForm::default(),
            stage: LaneStage::Idle,
        };
        lane.choose_method(catalogue);
        lane.ask_guard();
        lane
    }

    /// Asks the guard. What stands in the way of writing may be what the drive's own erasure is the remedy for, or a job that
    /// was cut short.
    pub(crate) fn ask_guard(&mut self) {
        self.verdict = self.seen.verdict().or_else(|refusal| {
            let remedies = self.remedies();
            remedies.iter().find_map(|intent| self.seen.verdict_on(*intent).ok()).ok_or(refusal)
        });
        self.settle_way();
    }

    /// What might be done with a drive that can't be written to.
    fn remedies(&self) -> Vec<Intent> {
        let cut_short = self.unfinished.iter().map(|u| u.checkpoint.intent());
        let own = |technique| Intent { scope: Scope::WholeUnit, own: Some(technique), goes_on: false };
        let of_its_own = self.seen.answers.own_erases.iter().map(|e| own(e.technique()));
        cut_short.chain(self.plan().map(Plan::intent)).chain(of_its_own).collect()
    }

    fn own_way_out(&self) -> Option<Technique> {
        let can = |intent: &Intent| self.seen.verdict_on(*intent).is_ok();
        self.remedies().iter().filter(|i| can(i)).find_map(|i| i.own)
    }

    /// Goes to a step, and to its first line.
    pub(crate) fn enter(&mut self, step: Step) {
        (self.step, self.scroll, self.plan_row) = (step, 0, None);
        self.release.suggest(self.fitting_release());
    }

    /// What fits how the drive stands: what has reached what is required goes to its destination or to a shelf, all else is destroyed.
    fn fitting_release(&self) -> Becomes {
        let Some(record) = self.record() else { return Becomes::Stored };
        let required = record.papers().need.map(Need::outcome);
        match record.claim().outcome() {
            reached if !is_enough(reached, required) => Becomes::Destroyed,
            _ if !record.papers().destination.is_empty() => Becomes::HandedOver,
            _ => Becomes::Stored,
        }
    }

    /// Chooses the method that suits the drive's class of media.
    pub(crate) fn choose_method(&mut self, catalogue: &Catalogue) {
        let suited = suggested(&self.seen.drive, catalogue, self.draft.order.edition);
        if let Some(method) = catalogue.titled(&suited.title) {
            self.draft.take_method(method);
        }
        self.settle_way();
    }

    /// Leaves the finished job behind, so that the drive can be planned again. It is looked at anew.
    pub(crate) fn begin_anew(&mut self) {
        self.stage.leave_job();
        (self.draft.is_chosen, self.draft.less_is_accepted) = (false, false);
        (self.look.contents, self.look.sample) = (None, None);
        self.enter(Step::Look);
    }

    pub(crate) fn is_gone(&self) -> bool {
        matches!(self.presence, Presence::Gone(_))
    }

    /// Whether this drive of its lot was drawn to be looked at a second time, and was not yet.
    pub(crate) fn second_look_is_due(&self) -> bool {
        let drawn = self.record().and_then(|r| r.second_look.as_ref()).is_some_and(SecondLook::is_due);
        let confirmed = matches!(&self.readings.again, LaneReading::Over(a) if a.verification.finding() == Finding::Confirmed);
        drawn && !confirmed
    }

    /// The byte viewer, where it is in sight.
    pub(crate) fn bytes_in_sight(&self) -> Option<&BytesView> {
        self.look.bytes.as_ref().filter(|_| matches!(self.step, Step::Look | Step::Prove))
    }

    /// What the person must type to arm it.
    pub(crate) fn label(&self) -> DriveLabel {
        self.verdict.as_ref().map_or_else(|_| self.seen.drive.label(), |cleared| cleared.label().clone())
    }

    /// Whether the person is to type its label now.
    pub(crate) fn is_asked_for_its_label(&self) -> bool {
        self.step == Step::Arm && matches!(self.stage, LaneStage::Planned(_)) && !self.is_gone()
    }

    /// Whether the label was right and nothing is written yet.
    pub(crate) fn is_armed(&self) -> bool {
        matches!(self.stage, LaneStage::Arming(..))
    }

    /// Whether what begins in a moment waits for it: any key stops that.
    pub(crate) fn is_counting(&self) -> bool {
        matches!(self.stage, LaneStage::Arming(_, Arming::Opening | Arming::Counting(_)))
    }

    /// How far it is with its own erasure, where it is opened only after that; `None`: it is not waited for.
    pub(crate) fn waits_for_the_drive(&self) -> Option<Option<u16>> {
        if let LaneStage::Arming(_, Arming::DriveAtWork(progress)) = self.stage { Some(progress) } else { None }
    }

    /// Whether a job is running.
    pub(crate) fn is_working(&self) -> bool {
        matches!(self.stage, LaneStage::Working(_))
    }

    /// The job that is running.
    pub(crate) fn running_job(&self) -> Option<&JobId> {
        if let LaneStage::Working(running) = &self.stage { running.job.as_ref() } else { None }
    }

    /// Whether it has a job, running or over.
    pub(crate) fn has_job(&self) -> bool {
        matches!(self.stage, LaneStage::Working(_) | LaneStage::Over(_))
    }

    pub(crate) fn plan(&self) -> Option<&Plan> {
        match &self.stage {
            LaneStage::Idle => None,
            LaneStage::Planned(planned) | LaneStage::Arming(planned, _) => Some(&planned.plan),
            LaneStage::Working(work) => Some(work.plan()),
            LaneStage::Over(over) => Some(&over.plan),
        }
    }

    /// The running job.
    pub(crate) fn work(&self) -> Option<&RunningJob> {
        match &self.stage {
            LaneStage::Working(work) => Some(work),
            _ => None,
        }
    }

    /// The job that is over.
    pub(crate) fn over(&self) -> Option<&Over> {
        match &self.stage {
            LaneStage::Over(over) => Some(over),
            _ => None,
        }
    }

    /// What the job has told, running or over.
    pub(crate) fn log(&self) -> Option<&Log> {
        match &self.stage {
            LaneStage::Working(work) => Some(&work.log),
            LaneStage::Over(over) => Some(&over.log),
            LaneStage::Idle | LaneStage::Planned(_) | LaneStage::Arming(..) => None,
        }
    }

    /// The record, once the job is over.
    pub(crate) fn record(&self) -> Option<&Record> {
        self.over().map(|over| &over.end.record)
    }

    /// The record as it was written, with what people added: what its digest is of.
    pub(crate) fn written_record(&self) -> Option<Record> {
        let over = self.over().filter(|over| matches!(over.written, Some(Ok(_))))?;
        Some(over.end.record.clone().with_papers(over.papers_written.clone()?))
    }

    pub(crate) fn state(&self) -> LaneState {
        match &self.stage {
            LaneStage::Idle | LaneStage::Over(_) if self.release.has_gone && !self.release.is_busy => LaneState::Released,
            LaneStage::Working(work) if work.log.progress.is_held() => LaneState::Held,
            LaneStage::Working(work) if matches!(work.log.progress.activity(), Activity::ReadingBack | Activity::Checking) => {
                LaneState::Proving
            }
            LaneStage::Working(_) => LaneState::Erasing,
            LaneStage::Over(over) => self.state_after(&over.end.record),
            _ if self.is_gone() => LaneState::Gone,
            _ if self.verdict.is_err() && self.look.answered => LaneState::Guarded,
            _ if self.verdict.is_err() => LaneState::Unknown,
            LaneStage::Idle if self.carries_its_mark() => LaneState::Tagged,
            LaneStage::Idle => LaneState::Ready,
            LaneStage::Planned(_) => LaneState::Planned,
            LaneStage::Arming(..) => LaneState::Armed,
        }
    }

    /// Whether a mark of an erasure of this very drive is on it.
    fn carries_its_mark(&self) -> bool {
        self.look.mark.as_ref().and_then(MarkHere::mark).is_some_and(|m| m.fits)
    }

    /// What became of it in its newest job before this, and where it was put, as the ledger has it; `None`: it knows nothing.
    pub(crate) fn history(&self) -> Option<String> {
        let known = self.release.known.as_ref()?;
        let job = known.jobs.iter().rev().find(|line| self.record().is_none_or(|r| r.job != line.job)).map(|line| {
            let date = line.started.get(..10).unwrap_or_default();
            match line.standing.record() {
                Some(record) => format!("{} on {date}, job {}", record.claim().outcome(), line.job),
                None => format!("job {} on {date}, without a record", line.job),
            }
        });
        let place = known.standing.as_ref().map(|standing| standing.place.sentence()).filter(|said| !said.is_empty());
        let said: Vec<String> = job.into_iter().chain(place).collect();
        (!said.is_empty()).then(|| said.join("; "))
    }

    /// The job that a label can be made of: the newest on this drive, if it has a record.
    pub(crate) fn job_for_label(&self) -> Option<JobId> {
        let newest = || self.release.known.as_ref()?.jobs.last().filter(|l| l.standing.record().is_some()).map(|l| l.job.clone());
        self.record().map(|r| r.job.clone()).or_else(newest)
    }

    fn state_after(&self, record: &Record) -> LaneState {
        match record.evidence().ended {
            // One that has come back is not gone any more: its job can go on.
            Ended::Gone { .. } if self.is_gone() => LaneState::Gone,
            Ended::Gone { .. }
            | Ended::StoppedAnswering { .. }
            | Ended::Stopped
            | Ended::GivenUp { .. }
            | Ended::Changed { .. }
            | Ended::Refused { .. }
            | Ended::CommandFailed { .. } => LaneState::Failed,
            Ended::Finished if record.kept_its_plan() => LaneState::Proved,
            Ended::Finished => LaneState::Unproved,
        }
    }

    /// What its paper is: nothing that is not sanitized has a certificate.
    pub(crate) fn paper(&self) -> &'static str {
        match self.record().map(|r| r.claim().outcome()) {
            Some(Outcome::NotSanitized) => "report",
            _ => "certificate",
        }
    }

    /// Whether its paper is written.
    pub(crate) fn is_written(&self) -> bool {
        self.over().is_some_and(|over| matches!(over.written, Some(Ok(_))))
    }

    /// Whether the lane waits for the person: its job is over, and its paper not written.
    pub(crate) fn needs_person(&self) -> bool {
        self.record().is_some() && !self.is_written()
    }

    /// Why a step can't be entered yet; `None` if it can.
    pub(crate) fn missing(&self, step: Step) -> Option<String> {
        let guarded = match (&self.presence, &self.verdict) {
            _ if self.has_job() => None,
            (Presence::Gone(since), _) => Some(format!("This drive is gone since {since}.")),
            (_, verdict) => verdict.as_ref().err().map(|r| format!("This drive is guarded: {r}.")),
        };
        let unless = |can: bool, why: &str| if can { None } else { Some(why.to_string()) };
        match step {
            Step::Look => None,
            Step::Plan => guarded,
            Step::Arm => {
                guarded.or_else(|| unless(self.plan().is_some(), "There is no plan yet: choose a way in Plan and press Enter."))
            }
            Step::Erase => guarded.or_else(|| unless(self.has_job(), "Nothing is being erased: the drive must be armed first.")),
            Step::Prove => guarded.or_else(|| {
                let read = self.log().is_some_and(|l| l.progress.evidence().read_backs().next().is_some());
                unless(self.over().is_some() || read, "Nothing has been read back yet.")
            }),
            Step::Certify => {
                guarded.or_else(|| unless(self.record().is_some(), "There is no record yet: the job must come to its end first."))
            }
            // Also of one that is gone, or guarded: it may be destroyed, or handed to somebody.
            Step::Release => unless(
                !self.is_working() && !self.is_armed(),
                "Something is done to this drive now: its job must come to its end first.",
            ),
        }
    }
}
