//! What a job tells while it runs. Terminal, progress lines, ledger and evidence all come from these events.

use super::forecast;
use crate::estimate::SpeedSample;
use crate::evidence::{Ended, Evidence, PassEvidence};
use crate::media::Drive;
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
    /// A pass begins. The pattern carries no seed.
    PassStarted {
        /// Which pass.
        pass: u32,
        /// Of how many.
        of: u32,
        /// What it lays.
        pattern: Pattern,
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
    /// A pass is read back from here on.
    ReadBackStarted {
        /// Which pass.
        pass: u32,
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
    /// The job is over.
    Ended {
        /// How.
        ended: Ended,
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
            Event::ReadBackStarted { pass, sampling: None } => format!("Pass {} is being read back.", pass + 1),
            Event::ReadBackStarted { pass, sampling: Some(_) } => {
                format!("Pass {} is being read back at places drawn for this job.", pass + 1)
            }
            Event::PassEnded { pass, .. } => format!("Pass {} is over.", pass + 1),
            Event::Slow { at, took, .. } => {
                format!("{} took {} but did not fail.", capital(&at.to_string()), crate::units::duration(*took))
            }
            Event::Resumed { evidence } => match evidence.passes.len() {
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
            Event::Ended { ended } => ended.sentence(),
        })
    }
}

/// A job as its events tell it: the evidence so far, and where the work stands.
#[derive(Clone, Debug, PartialEq)]
pub struct Progress {
    evidence: Evidence,
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
    /// Before the first event of a job on `range` of `drive` that lays a pass for each of `readings` and reads so many
    /// sectors back after it.
    pub fn new(drive: &Drive, range: Sectors, readings: Vec<u64>) -> Self {
        let passes = readings.len() as u32;
        let evidence = Evidence { drive: drive.clone(), range, passes: vec![], planned_passes: passes, ended: Ended::Stopped };
        Self {
            evidence,
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

    /// Before the first event of the job that `plan` describes.
    pub fn of_plan(plan: &Plan) -> Self {
        let readings = plan.passes().iter().map(|p| p.reading.places(plan.range()).count()).collect();
        Self::new(plan.drive(), plan.range(), readings)
    }

    /// The same with the drive's speed as it was sampled before the job, for a better estimate.
    pub fn with_sample(mut self, sample: Option<SpeedSample>) -> Self {
        self.sample = sample;
        self
    }

    /// Takes one event. Events of passes that were never started change nothing.
    pub fn apply(&mut self, event: &Event) {
        match event {
            Event::PassStarted { pass, pattern, time, .. } => {
                self.activity = Activity::Laying;
                // A pass that begins anew leaves nothing of its earlier beginning.
                self.evidence.passes.truncate(*pass as usize);
                self.reading_paces.truncate(*pass as usize);
                self.reading_paces.push(Pace::new(self.evidence.range));
                self.evidence.passes.push(PassEvidence {
                    pattern: pattern.clone(),
                    laid: RangeSet::new(),
                    unwritable: RangeSet::new(),
                    slow: RangeSet::new(),
                    flushed: false,
                    read_back: None,
                    started: *time,
                    ended: None,
                    pace: Pace::new(self.evidence.range),
                });
            }
            Event::Advanced { pass, activity, at, took } => self.advance(*pass, *activity, *at, *took),
            Event::Fault { pass, kind, at, .. } => self.fault(*pass, *kind, *at),
            Event::PassLaid { pass, flush_error } => {
                if let Some(p) = self.pass_mut(*pass) {
                    p.flushed = flush_error.is_none();
                }
            }
            Event::ReadBackStarted { pass, sampling } => {
                self.activity = Activity::ReadingBack;
                if let Some(p) = self.pass_mut(*pass) {
                    p.read_back.get_or_insert_default().sampling = sampling.clone();
                }
            }
            Event::PassEnded { pass, time } => {
                if let Some(p) = self.pass_mut(*pass) {
                    p.ended = Some(*time);
                }
            }
            Event::Slow { pass, at, .. } => {
                if let Some(p) = self.pass_mut(*pass) {
                    p.slow.insert(*at);
                }
            }
            Event::Resumed { evidence } => {
                self.evidence = (**evidence).clone();
                self.reading_paces = self.evidence.passes.iter().map(|_| Pace::new(self.evidence.range)).collect();
                let reading = self.evidence.passes.last().is_some_and(|p| p.read_back.is_some() && p.ended.is_none());
                self.activity = if reading { Activity::ReadingBack } else { Activity::Laying };
            }
            Event::Rechecked { .. } | Event::NotSaved { .. } => {}
            Event::Held { .. } => self.held = true,
            Event::WentOn => self.held = false,
            Event::Ended { ended } => {
                self.held = false;
                self.over = true;
                self.evidence.ended = ended.clone();
            }
        }
    }

    fn pass_mut(&mut self, pass: u32) -> Option<&mut PassEvidence> {
        self.evidence.passes.get_mut(pass as usize)
    }

    fn advance(&mut self, pass: u32, activity: Activity, at: Sectors, took: Duration) {
        self.worked += took;
        self.recent.push((at.count, took));
        if self.recent.len() > 40 {
            self.recent.remove(0);
        }
        let Some(p) = self.pass_mut(pass) else { return };
        match activity {
            Activity::Laying => {
                p.laid.insert(at);
                p.pace.note(at, took);
            }
            Activity::ReadingBack => {
                p.read_back.get_or_insert_default().read.insert(at);
                if let Some(pace) = self.reading_paces.get_mut(pass as usize) {
                    pace.note(at, took);
                }
            }
        }
    }

    fn fault(&mut self, pass: u32, kind: FaultKind, at: Sectors) {
        let Some(p) = self.pass_mut(pass) else { return };
        match kind {
            FaultKind::Unwritable => p.unwritable.insert(at),
            FaultKind::Unreadable => p.read_back.get_or_insert_default().unreadable.insert(at),
            FaultKind::Wrong => p.read_back.get_or_insert_default().wrong.insert(at),
        }
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
        self.evidence.passes.len()
    }

    /// Sectors worked through (laid, read, or found faulty) and sectors to work through, over all passes.
    pub fn work(&self) -> (u64, u64) {
        let done: u64 = self
            .evidence
            .passes
            .iter()
            .map(|p| {
                let read = p.read_back.as_ref().map_or(0, |r| r.read.count() + r.unreadable.count());
                p.laid.count() + p.unwritable.count() + read
            })
            .sum();
        let laying = self.evidence.range.count.saturating_mul(self.evidence.planned_passes.into());
        (done, self.readings.iter().fold(laying, |all, n| all.saturating_add(*n)))
    }

    /// Share of the work that is done, from 0.0 to 1.0.
    pub fn share(&self) -> f64 {
        let (done, all) = self.work();
        if all == 0 { 0.0 } else { (done as f64 / all as f64).min(1.0) }
    }

    /// Bytes per second: over the last stretches, and over the whole job.
    pub fn speeds(&self) -> (Option<f64>, Option<f64>) {
        let sector = f64::from(self.evidence.drive.geometry.logical);
        let (sectors, took) = self.recent.iter().fold((0, Duration::ZERO), |(s, t), (n, d)| (s + n, t + *d));
        let speed = |sectors: u64, took: Duration| (!took.is_zero()).then(|| sectors as f64 * sector / took.as_secs_f64());
        (speed(sectors, took), speed(self.work().0, self.worked))
    }

    /// Time left, from the pace by position; `None` before there is any.
    pub fn time_left(&self) -> Option<Duration> {
        if self.over {
            return Some(Duration::ZERO);
        }
        let pass = self.evidence.passes.len().checked_sub(1)?;
        let done = |set: &RangeSet, faulty: &RangeSet| set.count() + faulty.count();
        let now = &self.evidence.passes[pass];
        let read = now.read_back.as_ref().map_or(0, |r| done(&r.read, &r.unreadable));
        let known = forecast::Known {
            drive: &self.evidence.drive,
            laying: self.evidence.passes.iter().map(|p| &p.pace).collect(),
            reading: self.reading_paces.iter().collect(),
            sample: self.sample.as_ref(),
        };
        let range = self.evidence.range.count;
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
