//! How far the work on a drive has come. Each stage holds what it needs and nothing else; the transitions move it on.

use super::papers::Form;
use jurex_device::media::Geometry;
use jurex_engine::{Control, Event, Progress};
use jurex_ledger::UnfinishedJob;
use jurex_look::field::Field;
use jurex_sanitize::estimate::SpeedSample;
use jurex_sanitize::plan::Plan;
use jurex_sanitize::record::{JobId, Papers, Record};
use jurex_station::bench::SampledSector;
use jurex_station::paper::PaperError;
use std::mem;
use std::path::PathBuf;
use std::time::Duration;

/// The stages.
pub(crate) enum LaneStage {
    /// Nothing is planned.
    Idle,
    /// A plan is made; the drive's label is asked for.
    Planned(Box<Planned>),
    /// The label was right, and nothing is written yet.
    Arming(Box<Planned>, Arming),
    /// A job is running.
    Working(Box<RunningJob>),
    /// The job is over.
    Over(Box<Over>),
}

/// A plan, and what is typed as its drive's label.
pub(crate) struct Planned {
    pub(crate) plan: Plan,
    /// The job that the plan goes on with, if it is no new one.
    pub(crate) from: Option<Box<UnfinishedJob>>,
    pub(crate) typed: Field,
    /// What was wrong with the label, or why the job did not start.
    pub(crate) problem: Option<String>,
}

/// What is waited for after the right label.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Arming {
    /// The drive is being opened for this process alone.
    Opening,
    /// The drive is at work on the erasure that the job began, so far in parts of 65536 if it tells; it is opened after that.
    DriveAtWork(Option<u16>),
    /// It is open, and the job starts at this time.
    Counting(Duration),
}

/// A job that is running.
pub(crate) struct RunningJob {
    planned: Planned,
    pub(crate) job: Option<JobId>,
    pub(crate) log: Log,
    /// What was asked of the job and is not done yet: it waits for what is in flight.
    pub(crate) asked_for: Option<Control>,
}

/// What a job has told.
pub(crate) struct Log {
    pub(crate) progress: Progress,
    /// Events with their time of day.
    pub(crate) told: Vec<(String, Event)>,
}

/// A job that is over, and its paper.
pub(crate) struct Over {
    pub(crate) plan: Plan,
    pub(crate) log: Log,
    pub(crate) end: WorkEnd,
    /// What follows from what was read back, in words. It is computed once: that of a sample is too much for each picture.
    pub(crate) confidence: String,
    pub(crate) form: Form,
    pub(crate) written: Option<WrittenPapers>,
    /// The papers with which it was written, or is being written.
    pub(crate) papers_written: Option<Papers>,
    /// Whether its label is to be made as soon as the paper is written.
    pub(crate) label_follows: bool,
}

/// How a job ended.
pub(crate) struct WorkEnd {
    pub(crate) record: Record,
    pub(crate) ledger_trouble: Option<String>,
    /// What the job needs to go on, if it was cut short.
    pub(crate) unfinished: Option<Box<UnfinishedJob>>,
    /// What came of the mark that was to be left on the drive; `None`: none was.
    pub(crate) mark: Option<String>,
    /// The sampled sector as it is now.
    pub(crate) after: Option<SampledSector>,
}

/// What came of writing the files.
pub(crate) type WrittenPapers = Result<Vec<PathBuf>, PaperError>;

impl RunningJob {
    /// The size of the drive once what is hidden is lifted.
    pub(crate) fn lifts_to(&self) -> Geometry {
        self.planned.plan.lifted()
    }
}

impl Log {
    /// The log of a job that has told this.
    pub(crate) fn of(progress: Progress) -> Self {
        Self { progress, told: vec![] }
    }

    fn take(&mut self, event: Event, time: String) {
        self.progress.apply(&event);
        if !matches!(event, Event::Advanced { .. } | Event::Searching { .. }) && !goes_on(self.told.last_mut(), &event) {
            self.told.push((time, event));
        }
    }
}

impl RunningJob {
    pub(crate) fn plan(&self) -> &Plan {
        &self.planned.plan
    }

    /// An event of the job, at that time of day.
    pub(crate) fn take(&mut self, event: Event, time: String) {
        if matches!(event, Event::Held { .. } | Event::WentOn | Event::Ended { .. }) {
            self.asked_for = None;
        }
        self.log.take(event, time);
    }
}

impl LaneStage {
    /// A plan takes the place of what was there; a job that runs stays.
    pub(crate) fn plan(&mut self, plan: Plan, from: Option<Box<UnfinishedJob>>) {
        if !matches!(self, LaneStage::Working(_) | LaneStage::Arming(..)) {
            *self = LaneStage::Planned(Box::new(Planned { plan, from, typed: Field::default(), problem: None }));
        }
    }

    /// What was planned does not hold any more.
    pub(crate) fn drop_plan(&mut self) {
        if let LaneStage::Planned(_) = self {
            *self = LaneStage::Idle;
        }
    }

    /// The finished job is left behind; its record is in the ledger.
    pub(crate) fn leave_job(&mut self) {
        if let LaneStage::Over(_) = self {
            *self = LaneStage::Idle;
        }
    }

    /// The label was right: the drive is being opened.
    pub(crate) fn arm(&mut self) {
        *self = match mem::replace(self, LaneStage::Idle) {
            LaneStage::Planned(planned) => LaneStage::Arming(planned, Arming::Opening),
            other => other,
        };
    }

    /// The drive is still at work on its own erasure.
    pub(crate) fn wait_for_the_drive(&mut self, progress: Option<u16>) {
        if let LaneStage::Arming(_, arming @ (Arming::Opening | Arming::DriveAtWork(_))) = self {
            *arming = Arming::DriveAtWork(progress);
        }
    }

    /// The drive is open: the job starts at that time.
    pub(crate) fn count_down(&mut self, starts: Duration) {
        if let LaneStage::Arming(_, arming @ (Arming::Opening | Arming::DriveAtWork(_))) = self {
            *arming = Arming::Counting(starts);
        }
    }

    /// What was armed is let go. Gives whether it was armed.
    pub(crate) fn disarm(&mut self, why: Option<&str>) -> bool {
        let armed = matches!(self, LaneStage::Arming(..));
        *self = match mem::replace(self, LaneStage::Idle) {
            LaneStage::Arming(mut planned, _) => {
                planned.problem = why.map(Into::into);
                LaneStage::Planned(planned)
            }
            other => other,
        };
        armed
    }

    /// The countdown is over: the job begins. Gives whether there is one to begin.
    pub(crate) fn begin(&mut self, speed: Option<SpeedSample>) -> bool {
        let armed = matches!(self, LaneStage::Arming(..));
        *self = match mem::replace(self, LaneStage::Idle) {
            LaneStage::Arming(planned, _) => {
                let progress = Progress::of_plan(&planned.plan).with_sample(speed);
                LaneStage::Working(Box::new(RunningJob { planned: *planned, job: None, log: Log::of(progress), asked_for: None }))
            }
            other => other,
        };
        armed
    }

    /// The job did not start. Gives whether there is a plan of which this can be said.
    pub(crate) fn not_started(&mut self, why: String) -> bool {
        *self = match mem::replace(self, LaneStage::Idle) {
            LaneStage::Planned(planned) | LaneStage::Arming(planned, _) => {
                LaneStage::Planned(Box::new(Planned { problem: Some(why), ..*planned }))
            }
            LaneStage::Working(work) => LaneStage::Planned(Box::new(Planned { problem: Some(why), ..work.planned })),
            other => other,
        };
        matches!(self, LaneStage::Planned(_))
    }

    /// The job has come to its end. Gives whether one was running.
    pub(crate) fn end(&mut self, end: WorkEnd) -> bool {
        let worked = matches!(self, LaneStage::Working(_));
        *self = match mem::replace(self, LaneStage::Idle) {
            LaneStage::Working(work) => {
                let RunningJob { planned, log, .. } = *work;
                let (plan, form, confidence) = (planned.plan, Form::default(), end.record.confidence());
                let (written, papers_written, label_follows) = (None, None, false);
                LaneStage::Over(Box::new(Over { plan, log, end, confidence, form, written, papers_written, label_follows }))
            }
            other => other,
        };
        worked
    }
}

/// Whether `event` is the same fault right after the last one that was told: that one then grows by it.
fn goes_on(last: Option<&mut (String, Event)>, event: &Event) -> bool {
    let Some((_, Event::Fault { pass, kind, at, error })) = last else { return false };
    let Event::Fault { pass: next_pass, kind: next_kind, at: next, error: next_error } = event else { return false };
    let same = *pass == *next_pass && *kind == *next_kind && *error == *next_error;
    let touches = same && at.end() == next.first.0;
    if touches {
        at.count += next.count;
    }
    touches
}
