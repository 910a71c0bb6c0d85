//! What a job tells while it runs. Terminal, progress lines, ledger and evidence all come from these events.

use super::forecast;
use crate::estimate::SpeedSample;
use crate::evidence::{
    CheckEvidence, Ended, Evidence, Expect, OverwriteEvidence, PassEvidence, ReadBack, Session, StageEvidence, What,
};
use crate::medium::{Access, AccessWay};
use crate::pace::Pace;
use crate::pattern::Pattern;
use crate::plan::Plan;
use crate::ranges::RangeSet;
use crate::sampling::Sampling;
use crate::text::capital;
use crate::units::{Sectors, counted};
use jiff::Timestamp;
use serde::Serialize;
use std::time::Duration;

/// Sectors of the last stretches that the present speed is told from.
const RECENT: usize = 40;

/// What a job is doing to sectors.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Activity {
    /// Laying a pass.
    Laying,
    /// Reading a pass back.
    ReadingBack,
}

/// What is wrong with sectors.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum FaultKind {
    /// The drive did not accept them.
    Unwritable,
    /// The drive did not give them back.
    Unreadable,
    /// They do not hold what was laid.
    Wrong,
}

/// Something that happened in a job. `pass` counts from 0.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "event")]
pub enum Event {
    /// The drive was opened: what is done from now on is done in this session.
    Opened {
        /// The drive as it was found, how it is reached, and when.
        session: Box<Session>,
    },
    /// A pass begins. The pattern carries no seed.
    PassStarted {
        /// Which pass.
        pass: u32,
        /// Of how many.
        of: u32,
        /// What it lays.
        pattern: Pattern,
        /// Whether the method means it as the complement of the pass before it.
        complement_of_before: bool,
        /// When.
        time: Timestamp,
    },
    /// Sectors were worked through.
    Advanced {
        /// Which pass.
        pass: u32,
        /// What was done to them.
        activity: Activity,
        /// Which sectors.
        at: Sectors,
        /// How long it took.
        #[serde(rename = "took_seconds", serialize_with = "seconds")]
        took: Duration,
    },
    /// Sectors are faulty.
    Fault {
        /// Which pass.
        pass: u32,
        /// What is wrong.
        kind: FaultKind,
        /// Which sectors.
        at: Sectors,
        /// The operating system's words, where there are any.
        error: Option<String>,
    },
    /// A pass lies on every sector that took it, and the caches are flushed, or could not be.
    PassLaid {
        /// Which pass.
        pass: u32,
        /// Why the flush failed, if it did.
        flush_error: Option<String>,
    },
    /// A flush failed: what was written before it may be lost, and no later flush brings it back.
    FlushFailed {
        /// Which pass.
        pass: u32,
        /// The operating system's words.
        error: String,
    },
    /// A pass is read back from here on; what an earlier session read of it does not count any more.
    ReadBackStarted {
        /// Which pass.
        pass: u32,
        /// When.
        time: Timestamp,
        /// The places that are read; `None`: every sector.
        #[serde(skip_serializing_if = "Option::is_none")]
        sampling: Option<Sampling>,
    },
    /// A pass, with its reading back, is over.
    PassEnded {
        /// Which pass.
        pass: u32,
        /// When.
        time: Timestamp,
    },
    /// The drive took long for these sectors, but did it.
    Slow {
        /// Which pass.
        pass: u32,
        /// Which sectors.
        at: Sectors,
        /// How long it took.
        #[serde(rename = "took_seconds", serialize_with = "seconds")]
        took: Duration,
    },
    /// The job goes on from a checkpoint, with this evidence so far.
    Resumed {
        /// The checkpoint's evidence, without seeds.
        evidence: Box<Evidence>,
    },
    /// Nothing of an earlier session can be trusted to be on this very drive: the treatment begins anew.
    NothingTrusted {
        /// Why.
        why: String,
    },
    /// The drive has not answered for a while. The job waits.
    NoAnswer {
        /// For how long.
        #[serde(rename = "for_seconds", serialize_with = "seconds")]
        so_long: Duration,
    },
    /// Many places in a row failed, but the drive answers elsewhere: they are truly bad.
    AnswersElsewhere,
    /// What was laid last before the job was cut short was read again.
    Rechecked {
        /// Which pass.
        pass: u32,
        /// Whether it is as laid; if not, the pass begins anew.
        trusted: bool,
    },
    /// The checkpoint could not be made fast: after a cut the job would go on from an earlier one.
    NotSaved {
        /// Why.
        error: String,
    },
    /// The job holds still.
    Held {
        /// The drive's temperature, if it holds because of that.
        #[serde(skip_serializing_if = "Option::is_none")]
        celsius: Option<i16>,
    },
    /// The job goes on after holding.
    WentOn,
    /// The job is over, and the session with it.
    Ended {
        /// How.
        ended: Ended,
        /// When.
        time: Timestamp,
        /// How long the session lasted by a clock that nobody can set.
        #[serde(rename = "session_seconds", serialize_with = "seconds")]
        lasted: Duration,
    },
}

fn seconds<S: serde::Serializer>(d: &Duration, to: S) -> Result<S::Ok, S::Error> {
    to.serialize_f64(d.as_secs_f64())
}

impl Event {
    /// The event in one sentence; `None` for mere progress.
    pub fn sentence(&self) -> Option<String> {
        Some(match self {
            Event::Advanced { .. } => return None,
            Event::Opened { session } => {
                format!("{} was opened ({}).", session.drive.called(), session.access.sentence())
            }
            Event::FlushFailed { pass, error } => format!(
                "The drive's cache could not be flushed ({error}): what pass {} wrote before may be lost, and the pass proves nothing until it is laid again.",
                pass + 1
            ),
            Event::NothingTrusted { why } => format!("Going on from the beginning: {why}."),
            Event::NoAnswer { so_long } => format!("The drive has not answered for {}.", crate::units::duration(*so_long)),
            Event::AnswersElsewhere => "The drive answers at other places: these are truly bad.".into(),
            Event::PassStarted { pass, of, pattern, .. } => format!("Pass {} of {of} begins: {pattern}.", pass + 1),
            Event::Fault { kind, at, error, .. } => {
                let what = match kind {
                    FaultKind::Unwritable => "could not be written",
                    FaultKind::Unreadable => "could not be read back",
                    FaultKind::Wrong => "did not hold what was laid",
                };
                let why = error.as_ref().map(|e| format!(": {e}")).unwrap_or_default();
                format!("{} {what}{why}.", capital(&at.to_string()))
            }
            Event::PassLaid { pass, flush_error: None } => format!("Pass {} is laid and flushed.", pass + 1),
            Event::PassLaid { pass, flush_error: Some(e) } => {
                format!("Pass {} is laid, but the cache could not be flushed: {e}.", pass + 1)
            }
            Event::ReadBackStarted { pass, sampling: None, .. } => format!("Pass {} is being read back.", pass + 1),
            Event::ReadBackStarted { pass, sampling: Some(_), .. } => {
                format!("Pass {} is being read back at places drawn for this job.", pass + 1)
            }
            Event::PassEnded { pass, .. } => format!("Pass {} is over.", pass + 1),
            Event::Slow { at, took, .. } => {
                format!("{} took {} but did not fail.", capital(&at.to_string()), crate::units::duration(*took))
            }
            Event::Resumed { evidence } => match evidence.passes().len() {
                0 => "Going on from the beginning: nothing was laid before the job was cut short.".into(),
                n => format!("Going on with pass {n}, from where the job was cut short."),
            },
            Event::Rechecked { pass, trusted: true } => {
                format!("What pass {} laid last was read again and is as laid: it goes on from there.", pass + 1)
            }
            Event::Rechecked { pass, trusted: false } => {
                format!("What pass {} laid last is not as laid: nothing of it is trusted, and it begins anew.", pass + 1)
            }
            Event::NotSaved { error } => {
                format!("The place could not be saved ({error}): after a cut the job would go on from an earlier one.")
            }
            Event::Held { celsius: None } => "Holding: nothing is being written.".into(),
            Event::Held { celsius: Some(c) } => format!("Holding until the drive has cooled down: it has {c} °C."),
            Event::WentOn => "Going on.".into(),
            Event::Ended { ended, .. } => ended.sentence(),
        })
    }
}

/// Whole microseconds; the most that can be written, if there are more.
pub(super) fn micros(duration: Duration) -> u64 {
    u64::try_from(duration.as_micros()).unwrap_or(u64::MAX)
}

/// A job as its events tell it: the evidence so far, and where the work stands.
#[derive(Clone, Debug, PartialEq)]
pub struct Progress {
    evidence: Evidence,
    /// Whether the evidence's session is a true one; before the drive is opened it only holds a place.
    opened: bool,
    range: Sectors,
    planned_passes: u32,
    /// Sectors to read back after each pass.
    readings: Vec<u64>,
    /// Speed of reading back over position, for each pass.
    reading_paces: Vec<Pace>,
    sample: Option<SpeedSample>,
    activity: Activity,
    held: bool,
    over: bool,
    worked: Duration,
    recent: Vec<(u64, Duration)>,
}

impl Progress {
    /// Before the first event of the job that `plan` describes.
    pub fn of_plan(plan: &Plan) -> Self {
        let readings = plan.readings().map(|r| r.places(plan.range()).count()).collect();
        let session =
            Session::new(plan.drive().clone(), Access { way: AccessWay::Unknown, exclusive: false }, Timestamp::UNIX_EPOCH);
        Self {
            evidence: Evidence::begin(session, plan.kinds()),
            opened: false,
            range: plan.range(),
            planned_passes: plan.passes().len() as u32,
            reading_paces: vec![],
            sample: None,
            readings,
            activity: Activity::Laying,
            held: false,
            over: false,
            worked: Duration::ZERO,
            recent: vec![],
        }
    }

    /// The same with the drive's speed as it was sampled before the job, for a better estimate.
    pub fn with_sample(mut self, sample: Option<SpeedSample>) -> Self {
        self.sample = sample;
        self
    }

    /// Takes one event. Events of passes that were never started change nothing.
    pub fn apply(&mut self, event: &Event) {
        match event {
            Event::Opened { session } => self.open(session),
            Event::PassStarted { pass, pattern, complement_of_before, time, .. } => {
                let begun = PassEvidence::begun(pattern.clone(), self.evidence.last_session(), self.range, *time);
                self.start_pass(*pass as usize, PassEvidence { complement_of_before: *complement_of_before, ..begun });
            }
            Event::Advanced { pass, activity, at, took } => self.advance(*pass, *activity, *at, *took),
            Event::Fault { pass, kind, at, .. } => self.fault(*pass, *kind, *at),
            Event::FlushFailed { pass, error } => {
                if let Some(p) = self.pass_mut(*pass) {
                    p.flush_error.get_or_insert_with(|| error.clone());
                }
            }
            Event::PassLaid { pass, flush_error } => {
                if let Some(p) = self.pass_mut(*pass) {
                    p.flush_error = p.flush_error.take().or_else(|| flush_error.clone());
                    p.flushed = p.flush_error.is_none();
                }
            }
            Event::ReadBackStarted { pass, sampling, time } => self.start_reading(*pass, sampling.as_ref(), *time),
            Event::PassEnded { pass, time } => self.end_pass(*pass, *time),
            Event::Slow { pass, at, .. } => {
                if let Some(p) = self.pass_mut(*pass) {
                    p.slow.insert(*at);
                }
            }
            Event::Resumed { evidence } => {
                self.evidence = (**evidence).clone();
                self.opened = true;
                self.reading_paces = self.evidence.passes().iter().map(|_| Pace::new(self.range)).collect();
                let reading = self.evidence.last_reading().is_some() && self.evidence.ended != Ended::Finished;
                self.activity = if reading { Activity::ReadingBack } else { Activity::Laying };
            }
            Event::NothingTrusted { .. } => {
                self.evidence.stages.clear();
                self.reading_paces.clear();
            }
            Event::Rechecked { .. } | Event::NotSaved { .. } | Event::NoAnswer { .. } | Event::AnswersElsewhere => {}
            Event::Held { .. } => self.held = true,
            Event::WentOn => self.held = false,
            Event::Ended { ended, time, lasted } => {
                self.held = false;
                self.over = true;
                self.evidence.ended = ended.clone();
                self.close(*time, *lasted);
            }
        }
    }

    fn open(&mut self, session: &Session) {
        if !std::mem::replace(&mut self.opened, true) {
            self.evidence.sessions.clear();
        }
        self.evidence.sessions.push(session.clone());
    }

    fn close(&mut self, time: Timestamp, lasted: Duration) {
        if let Some(session) = self.evidence.sessions.last_mut() {
            session.closed = Some(time);
            session.micros = micros(lasted);
        }
    }

    /// A pass begins. One that begins anew leaves nothing of its earlier beginning, nor of what followed it.
    fn start_pass(&mut self, pass: usize, begun: PassEvidence) {
        self.activity = Activity::Laying;
        self.evidence.stages.truncate(1);
        if self.evidence.overwrite().is_none() {
            let what =
                What::Overwritten(OverwriteEvidence { range: self.range, planned_passes: self.planned_passes, passes: vec![] });
            self.evidence.stages.push(StageEvidence { started: begun.started, ended: None, what });
        }
        if let Some(stage) = self.evidence.stages.last_mut() {
            stage.ended = None;
        }
        if let Some(overwrite) = self.evidence.overwrite_mut() {
            overwrite.passes.truncate(pass);
            overwrite.passes.push(begun);
        }
        self.reading_paces.truncate(pass);
        self.reading_paces.push(Pace::new(self.range));
    }

    /// A pass is read back, from the first place on: what was read in an earlier session does not count, what was found
    /// wrong or unreadable does.
    fn start_reading(&mut self, pass: u32, sampling: Option<&Sampling>, time: Timestamp) {
        self.activity = Activity::ReadingBack;
        let (session, range) = (self.evidence.last_session(), self.range);
        if let Some(readings) = self.readings.get_mut(pass as usize).filter(|_| sampling.is_none()) {
            *readings = range.count;
        }
        if let Some(pace) = self.reading_paces.get_mut(pass as usize) {
            *pace = Pace::new(range);
        }
        let earlier = self.reading_mut(pass).map(std::mem::take).unwrap_or_default();
        let read_back = ReadBack { session, sampling: sampling.cloned(), read: RangeSet::new(), ..earlier };
        if pass + 1 < self.planned_passes {
            if let Some(p) = self.pass_mut(pass) {
                p.read_back = Some(read_back);
            }
            return;
        }
        // The last pass is laid: its stage is over, and the check is a stage of its own.
        self.evidence.stages.truncate(1);
        if let Some(p) = self.pass_mut(pass) {
            p.ended.get_or_insert(time);
        }
        if let Some(stage) = self.evidence.stages.last_mut() {
            stage.ended.get_or_insert(time);
        }
        let what = What::Checked(CheckEvidence { range, expect: Expect::LastPass, read_back });
        self.evidence.stages.push(StageEvidence { started: time, ended: None, what });
    }

    fn end_pass(&mut self, pass: u32, time: Timestamp) {
        let is_last = pass + 1 == self.planned_passes;
        if let Some(p) = self.pass_mut(pass) {
            p.ended.get_or_insert(time);
        }
        if let Some(stage) = self.evidence.stages.last_mut().filter(|_| is_last) {
            stage.ended = Some(time);
        }
    }

    /// The reading back of a pass: its own, or, of the last one, the check.
    fn reading_mut(&mut self, pass: u32) -> Option<&mut ReadBack> {
        if pass + 1 == self.planned_passes {
            return self.evidence.check_mut().map(|c| &mut c.read_back);
        }
        self.pass_mut(pass)?.read_back.as_mut()
    }

    fn pass_mut(&mut self, pass: u32) -> Option<&mut PassEvidence> {
        self.evidence.overwrite_mut()?.passes.get_mut(pass as usize)
    }

    fn advance(&mut self, pass: u32, activity: Activity, at: Sectors, took: Duration) {
        self.worked += took;
        self.recent.push((at.count, took));
        if self.recent.len() > RECENT {
            self.recent.remove(0);
        }
        match activity {
            Activity::Laying => {
                let Some(p) = self.pass_mut(pass) else { return };
                p.laid.insert(at);
                p.pace.note(at, took);
            }
            Activity::ReadingBack => {
                let Some(reading) = self.reading_mut(pass) else { return };
                reading.read.insert(at);
                if let Some(pace) = self.reading_paces.get_mut(pass as usize) {
                    pace.note(at, took);
                }
            }
        }
    }

    fn fault(&mut self, pass: u32, kind: FaultKind, at: Sectors) {
        if kind == FaultKind::Unwritable {
            if let Some(p) = self.pass_mut(pass) {
                p.unwritable.insert(at);
            }
            return;
        }
        let Some(reading) = self.reading_mut(pass) else { return };
        let set = if kind == FaultKind::Unreadable { &mut reading.unreadable } else { &mut reading.wrong };
        set.insert(at);
    }

    /// The evidence so far. Until the job is over it reads as stopped, so that nothing can be claimed from it.
    pub fn evidence(&self) -> &Evidence {
        &self.evidence
    }

    pub(super) fn evidence_mut(&mut self) -> &mut Evidence {
        &mut self.evidence
    }

    /// Whether the job holds still.
    pub fn is_held(&self) -> bool {
        self.held
    }

    /// Whether the job is over.
    pub fn is_over(&self) -> bool {
        self.over
    }

    /// What is being done.
    pub fn activity(&self) -> Activity {
        self.activity
    }

    /// The pass that is being worked on, counted from 1; 0 before the first.
    pub fn pass(&self) -> usize {
        self.evidence.passes().len()
    }

    /// Number of passes that are planned.
    pub fn planned_passes(&self) -> u32 {
        self.planned_passes
    }

    /// Sectors worked through (laid, read, or found faulty) and sectors to work through, over all passes.
    pub fn work(&self) -> (u64, u64) {
        let laid = self.evidence.passes().iter().map(|p| p.laid.count().saturating_add(p.unwritable.count()));
        let read = self.evidence.read_backs().map(|r| r.read.count().saturating_add(r.unreadable.count()));
        let done = laid.chain(read).fold(0, u64::saturating_add);
        let laying = self.range.count.saturating_mul(self.planned_passes.into());
        (done, self.readings.iter().fold(laying, |all, n| all.saturating_add(*n)))
    }

    /// Share of the work that is done, from 0.0 to 1.0.
    pub fn share(&self) -> f64 {
        let (done, all) = self.work();
        if all == 0 { 0.0 } else { (done as f64 / all as f64).min(1.0) }
    }

    /// Bytes per second: over the last stretches, and over the whole job.
    pub fn speeds(&self) -> (Option<f64>, Option<f64>) {
        let sector = f64::from(self.evidence.drive().geometry.logical);
        let (sectors, took) = self.recent.iter().fold((0, Duration::ZERO), |(s, t), (n, d)| (s + n, t + *d));
        let speed = |sectors: u64, took: Duration| (!took.is_zero()).then(|| sectors as f64 * sector / took.as_secs_f64());
        (speed(sectors, took), speed(self.work().0, self.worked))
    }

    /// Time left, from the pace by position; `None` before there is any.
    pub fn time_left(&self) -> Option<Duration> {
        if self.over {
            return Some(Duration::ZERO);
        }
        let passes = self.evidence.passes();
        let pass = passes.len().checked_sub(1)?;
        let done = |set: &RangeSet, faulty: &RangeSet| set.count().saturating_add(faulty.count());
        let now = passes.last()?;
        let read = self.evidence.reading_of(pass).map_or(0, |r| done(&r.read, &r.unreadable));
        let known = forecast::Known {
            drive: self.evidence.drive(),
            laying: passes.iter().map(|p| &p.pace).collect(),
            reading: self.reading_paces.iter().collect(),
            sample: self.sample.as_ref(),
        };
        let range = self.range.count;
        known.time_left(&forecast::Left {
            laying_now: range.saturating_sub(done(&now.laid, &now.unwritable)),
            reading_now: self.readings.get(pass).map_or(0, |n| n.saturating_sub(read)),
            passes_after: self.readings.len().saturating_sub(pass + 1) as u64,
            reading_after: self.readings.iter().skip(pass + 1).sum(),
        })
    }

    /// Number of faulty sectors in words; `None` if there are none.
    pub fn faults(&self) -> Option<String> {
        let said: Vec<String> = [
            (self.evidence.unwritable().count(), "unwritable"),
            (self.evidence.unreadable().count(), "unreadable"),
            (self.evidence.wrong().count(), "wrong"),
        ]
        .into_iter()
        .filter(|(n, _)| *n > 0)
        .map(|(n, what)| counted(n, &format!("{what} sector")))
        .collect();
        (!said.is_empty()).then(|| said.join(", "))
    }
}
