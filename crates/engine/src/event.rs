//! What a job tells while it runs. Terminal, progress lines, ledger and evidence all come from these events.

use super::forecast;
use jiff::Timestamp;
use jurex_device::media::{Geometry, HiddenAreas};
use jurex_device::medium::{Access, AccessWay};
use jurex_device::native::by_its_own_word;
use jurex_device::native::mmc::Removal;
use jurex_device::technique::Technique;
use jurex_pattern::pattern::Pattern;
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::text::capital;
use jurex_pattern::units::{Sectors, counted};
use jurex_sanitize::estimate::SpeedSample;
use jurex_sanitize::evidence::{
    CheckEvidence, CommandAnswer, Drawn, Ended, Evidence, Expect, NativeEvidence, OverwriteEvidence, PassEvidence, ReadBack,
    Session, SiblingRead, SizeEvidence, StageEvidence, StageResult, UnhideEvidence,
};
use jurex_sanitize::pace::Pace;
use jurex_sanitize::plan::{Plan, PlannedReading, ProbeLayout, Stage};
use jurex_sanitize::residue::Leftovers;
use jurex_sanitize::sampling::Sampling;
use schemars::JsonSchema;
use serde::{Deserialize, Deserializer, Serialize};
use std::time::Duration;

/// Sectors of the last stretches that the present speed is told from.
const RECENT: usize = 40;

/// What a job is doing to sectors.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Activity {
    /// Laying a pass.
    Laying,
    /// Reading a pass back.
    ReadingBack,
    /// Giving hidden sectors back.
    Lifting,
    /// Searching for what a person could use, before or after.
    Searching,
    /// Finding out whether the drive is as large as it says.
    Measuring,
    /// Reading drawn places before the drive erases itself.
    Drawing,
    /// The drive erases itself.
    Own,
    /// Reading after the drive has erased itself.
    Checking,
}

impl Activity {
    /// In a word or two, as something that is being done.
    pub fn word(self) -> &'static str {
        match self {
            Activity::Laying => "writing",
            Activity::ReadingBack => "reading back",
            Activity::Lifting => "making hidden areas accessible",
            Activity::Searching => "searching it",
            Activity::Measuring => "checking its size",
            Activity::Drawing => "reading what lies there",
            Activity::Own => "erasing itself",
            Activity::Checking => "reading after it",
        }
    }
}

/// What is wrong with sectors.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
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
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
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
    /// Hidden areas are to be made addressable.
    LiftStarted {
        /// The drive's sizes before.
        before: Geometry,
        /// When.
        time: Timestamp,
    },
    /// The drive's capacity was looked at anew.
    Lifted {
        /// Its sizes now.
        after: Geometry,
        /// What it says that it still hides.
        hidden: HiddenAreas,
        /// When.
        time: Timestamp,
    },
    /// What a person could use is searched for, beside the job.
    Searching {
        /// How much of the search is done, from 0.0 to 1.0.
        share: f64,
    },
    /// It was searched for.
    Searched {
        /// Whether before the job; if not, after it.
        before: bool,
        /// What was found.
        found: Box<Leftovers>,
    },
    /// It could not be searched. That stops no job.
    NotSearched {
        /// Why.
        why: String,
    },
    /// Sectors all over the drive are tagged and read from here on: is it as large as it says?
    MeasureStarted {
        /// When.
        time: Timestamp,
    },
    /// That was found out.
    Measured {
        /// What was met.
        found: Box<SizeEvidence>,
        /// When.
        time: Timestamp,
    },
    /// The drive is to erase itself.
    OwnStarted {
        /// By which command.
        technique: Technique,
        /// Whether that reaches everything on the unit.
        of_whole_unit: bool,
        /// When.
        time: Timestamp,
    },
    /// Something was laid on these sectors, since the drive held too little that could be told apart afterwards.
    Marked {
        /// Number of sectors.
        sectors: u64,
    },
    /// The drive was asked something.
    Asked {
        /// What, and what it answered.
        asked: CommandAnswer,
    },
    /// Commands that change the drive are about to be sent.
    Sending {
        /// Their names and bytes.
        commands: Vec<String>,
    },
    /// They were answered.
    Answered {
        /// The raw answers, in order; a command without one was not sent, or not answered.
        statuses: Vec<String>,
    },
    /// The drive is at work on itself.
    OwnProgress {
        /// How far, in parts of 65536, if it tells.
        progress: Option<u16>,
    },
    /// The drive told whether it has a password.
    PasswordTold {
        /// Whether it has.
        set: bool,
    },
    /// The progress that the drive tells has not moved for a while.
    StandsStill {
        /// For how long.
        #[serde(rename = "for_seconds", serialize_with = "seconds", deserialize_with = "from_seconds")]
        #[schemars(with = "f64")]
        so_long: Duration,
    },
    /// A stop was asked for, and the drive can't be stopped.
    CannotStop,
    /// The conversation about the drive's own erasure is over.
    OwnEnded {
        /// Why it did not come to a good end; `None`: the drive itself says that it did.
        failure: Option<String>,
        /// Whether the drive says that it deallocated its sectors by it.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        deallocated: bool,
        /// How an embedded device is set to remove data, if it told.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        removal: Option<Removal>,
        /// When.
        time: Timestamp,
    },
    /// Something about the drive's own erasure that a person is to know.
    Said {
        /// What.
        what: String,
    },
    /// What the drive's own erasure left is read from here on.
    CheckStarted {
        /// What should be there.
        expect: Expect,
        /// The places; `None`: every sector.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        sampling: Option<Sampling>,
        /// What was known of the drawn places.
        drawn: Drawn,
        /// When.
        time: Timestamp,
    },
    /// Sectors do not hold what the drive's own erasure should have left, or could not be read.
    CheckFault {
        /// What is wrong.
        kind: FaultKind,
        /// Which sectors.
        at: Sectors,
        /// The operating system's words, where there are any.
        error: Option<String>,
    },
    /// Other namespaces of the unit were looked at.
    BesideRead {
        /// What was found on each.
        beside: Vec<SiblingRead>,
    },
    /// That check is over.
    CheckEnded {
        /// When.
        time: Timestamp,
    },
    /// Sectors were worked through.
    Advanced {
        /// Which pass; of no meaning beside the drive's own erasure.
        pass: u32,
        /// What was done to them.
        activity: Activity,
        /// Which sectors.
        at: Sectors,
        /// How long it took.
        #[serde(rename = "took_seconds", serialize_with = "seconds", deserialize_with = "from_seconds")]
        #[schemars(with = "f64")]
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
        #[serde(skip_serializing_if = "Option::is_none", default)]
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
        #[serde(rename = "took_seconds", serialize_with = "seconds", deserialize_with = "from_seconds")]
        #[schemars(with = "f64")]
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
        #[serde(rename = "for_seconds", serialize_with = "seconds", deserialize_with = "from_seconds")]
        #[schemars(with = "f64")]
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
    /// The checkpoint could not be made fast: after a cut the job would resume from an earlier one.
    NotSaved {
        /// Why.
        error: String,
    },
    /// The job holds still.
    Held {
        /// The drive's temperature, if it holds because of that.
        #[serde(skip_serializing_if = "Option::is_none", default)]
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
        #[serde(rename = "session_seconds", serialize_with = "seconds", deserialize_with = "from_seconds")]
        #[schemars(with = "f64")]
        lasted: Duration,
    },
}

fn from_seconds<'de, D: Deserializer<'de>>(from: D) -> Result<Duration, D::Error> {
    Duration::try_from_secs_f64(f64::deserialize(from)?).map_err(serde::de::Error::custom)
}

fn seconds<S: serde::Serializer>(d: &Duration, to: S) -> Result<S::Ok, S::Error> {
    to.serialize_f64(d.as_secs_f64())
}

impl Event {
    /// The event in one sentence; `None` for mere progress.
    pub fn sentence(&self) -> Option<String> {
        Some(match self {
            Event::Advanced { .. } | Event::Searching { .. } => return None,
            Event::NotSearched { why } => format!("It was not searched for residual data: {why}."),
            Event::Searched { before, found } => {
                format!(
                    "{}: {}.",
                    if *before { "Residual data now" } else { "What a person could still use of it" },
                    found.summary()
                )
            }
            Event::Opened { session } => {
                format!("{} was opened ({}).", session.drive.called(), session.access.sentence())
            }
            Event::FlushFailed { pass, error } => format!(
                "The drive's cache could not be flushed ({error}): what pass {} wrote before may be lost, and the pass proves nothing until it is written again.",
                pass + 1
            ),
            Event::NothingTrusted { why } => format!("Going on from the beginning: {why}."),
            Event::NoAnswer { so_long } => {
                format!("The drive has not answered for {}.", jurex_pattern::units::duration(*so_long))
            }
            Event::AnswersElsewhere => "The drive answers at other places: these are truly bad.".into(),
            Event::PassStarted { pass, of, pattern, .. } => format!("Pass {} of {of} begins: {pattern}.", pass + 1),
            Event::Fault { kind, at, error, .. } => {
                let what = match kind {
                    FaultKind::Unwritable => "could not be written",
                    FaultKind::Unreadable => "could not be read back",
                    FaultKind::Wrong => "did not hold what was written",
                };
                let why = error.as_ref().map(|e| format!(": {e}")).unwrap_or_default();
                format!("{} {what}{why}.", capital(&at.to_string()))
            }
            Event::PassLaid { pass, flush_error: None } => format!("Pass {} is written to the drive.", pass + 1),
            Event::PassLaid { pass, flush_error: Some(e) } => {
                format!("Pass {} is written, but the cache could not be flushed: {e}.", pass + 1)
            }
            Event::ReadBackStarted { pass, sampling: None, .. } => format!("Pass {} is being verified.", pass + 1),
            Event::ReadBackStarted { pass, sampling: Some(_), .. } => {
                format!("Pass {} is being verified at places drawn for this job.", pass + 1)
            }
            Event::PassEnded { pass, .. } => format!("Pass {} is over.", pass + 1),
            Event::Slow { at, took, .. } => {
                format!("{} took {} but did not fail.", capital(&at.to_string()), jurex_pattern::units::duration(*took))
            }
            Event::Resumed { evidence } => match evidence.passes().len() {
                0 if evidence.own().is_some_and(|own| own.sent > 0) => {
                    "Going on: the drive is asked what became of its own erasure, before anything is sent to it.".into()
                }
                0 => "Going on from the beginning: nothing was written before the job was cut short.".into(),
                n => format!("Going on with pass {n}, from where the job was cut short."),
            },
            Event::Rechecked { pass, trusted: true } => {
                format!("What pass {} wrote last was read again and is as written: the job resumes there.", pass + 1)
            }
            Event::Rechecked { pass, trusted: false } => {
                format!("What pass {} wrote last is not as written: nothing of it is trusted, and it begins anew.", pass + 1)
            }
            Event::NotSaved { error } => {
                format!("The place could not be saved ({error}): after a cut the job would resume from an earlier one.")
            }
            Event::Held { celsius: None } => "Holding: nothing is being written.".into(),
            Event::Held { celsius: Some(c) } => format!("Holding until the drive has cooled down: it has {c} °C."),
            Event::WentOn => "Going on.".into(),
            Event::Ended { ended, .. } => ended.sentence(),
            of_the_drives_own => return of_the_drives_own.own_sentence(),
        })
    }

    /// The same of hidden areas and of the drive's own erasure.
    fn own_sentence(&self) -> Option<String> {
        Some(match self {
            Event::LiftStarted { .. } => "Hidden areas are being made addressable.".into(),
            Event::Lifted { after, hidden, .. } => {
                format!("The drive has {} now. {}", counted(after.sectors, "sector"), hidden.sentence())
            }
            Event::MeasureStarted { .. } => {
                "Is it as large as it claims? Sectors all over it get a number each, and are read.".into()
            }
            Event::Measured { found, .. } => found.sentence(),
            Event::OwnStarted { technique, .. } => format!("The drive is to erase itself: {}.", technique.name()),
            Event::Marked { sectors } => format!(
                "Too little on the drive could be told apart afterwards: {} got bytes of their own first.",
                counted(*sectors, "sector")
            ),
            Event::Sending { commands } => {
                let names: Vec<&str> = commands.iter().map(|c| c.split(':').next().unwrap_or(c)).collect();
                format!("Sent to the drive: {}.", names.join(", "))
            }
            Event::StandsStill { so_long } => {
                format!("The progress that the drive reports has not moved for {}.", jurex_pattern::units::duration(*so_long))
            }
            Event::CannotStop => "The drive can't be stopped: the job ends when the drive does.".into(),
            Event::Said { what } => what.clone(),
            Event::OwnEnded { failure: None, .. } => "The drive says that it has erased itself without error.".into(),
            Event::OwnEnded { failure: Some(_), .. } => "The drive's own command is over, without success.".into(),
            Event::CheckStarted { expect: Expect::Changed, drawn, .. } => format!(
                "The drawn places are read again: none of {} may be as before ({} were blank, and prove nothing).",
                counted(drawn.compared, "sector"),
                counted(drawn.blank_before, "sector")
            ),
            Event::CheckStarted { sampling: None, .. } => "Every sector is read: nothing may be left.".into(),
            Event::CheckStarted { sampling: Some(_), .. } => "Places drawn for this job are read: nothing may be left.".into(),
            Event::CheckFault { kind, at, error } => {
                let what = if *kind == FaultKind::Unreadable { "could not be read" } else { "did not hold what it should" };
                let why = error.as_ref().map(|e| format!(": {e}")).unwrap_or_default();
                format!("{} {what}{why}.", capital(&at.to_string()))
            }
            Event::BesideRead { beside } if beside.is_empty() => "No other namespace of the unit could be read.".into(),
            Event::BesideRead { beside } => beside.iter().map(|b| format!("{}.", b.sentence())).collect::<Vec<_>>().join(" "),
            Event::CheckEnded { .. } => "The reading after the drive's own erasure is over.".into(),
            _ => return None,
        })
    }
}

/// Whole microseconds; the most that can be written, if there are more.
pub(super) fn micros(duration: Duration) -> u64 {
    u64::try_from(duration.as_micros()).unwrap_or(u64::MAX)
}

/// What a job by that plan begins with.
fn first_activity(plan: &Plan) -> Activity {
    match plan.stages().first() {
        Some(Stage::Lift(_)) => Activity::Lifting,
        Some(Stage::Measure(_)) => Activity::Measuring,
        Some(Stage::Own(_)) => Activity::Own,
        Some(Stage::Overwrite(_) | Stage::Check(_)) | None => Activity::Laying,
    }
}

/// A job as its events tell it: the evidence so far, and where the work stands.
#[derive(Clone, Debug, PartialEq)]
pub struct Progress {
    evidence: Evidence,
    /// Whether the evidence's session is a true one; before the drive is opened it only holds a place.
    opened: bool,
    range: Sectors,
    /// Whether that is the whole drive, however large it becomes.
    covers_all: bool,
    planned_passes: u32,
    /// Where the overwriting stands among the planned stages.
    overwriting_at: Option<usize>,
    /// Sectors to read for the drive's own erasure, and how many of them were read before it.
    own_reading: u64,
    drawn: u64,
    /// Sectors to write and read for the size check, and how many of them were.
    measuring: u64,
    measured: u64,
    /// What the drive tells of its own erasure.
    own_progress: Option<u16>,
    /// Number of commands that were sent together last.
    last_sent: usize,
    /// What is read back of each pass, and how many sectors that is.
    planned_readings: Vec<PlannedReading>,
    readings: Vec<u64>,
    /// Speed of reading back over position, for each pass.
    reading_paces: Vec<Pace>,
    sample: Option<SpeedSample>,
    activity: Activity,
    /// What the job begins with, and how far a search before or after it is.
    first_activity: Activity,
    searching: f64,
    held: bool,
    over: bool,
    worked: Duration,
    recent: Vec<(u64, Duration)>,
}

impl Progress {
    /// Before the first event of the job that `plan` describes.
    pub fn of_plan(plan: &Plan) -> Self {
        let range = plan.range_on(plan.lifted());
        let planned_readings: Vec<PlannedReading> = plan.readings().cloned().collect();
        let readings = planned_readings.iter().map(|r| r.places(range).count()).collect();
        let session =
            Session::new(plan.drive().clone(), Access { way: AccessWay::Unknown, exclusive: false }, Timestamp::UNIX_EPOCH);
        Self {
            evidence: Evidence { stated: plan.stated(), ..Evidence::begin(session, plan.kinds()) },
            opened: false,
            range,
            covers_all: range == plan.lifted().whole(),
            planned_passes: plan.passes().len() as u32,
            overwriting_at: plan.overwriting_at(),
            own_reading: plan.own_reading(plan.lifted()),
            drawn: 0,
            measuring: plan.measure().map_or(0, |_| ProbeLayout::of(plan.lifted()).work()),
            measured: 0,
            own_progress: None,
            last_sent: 0,
            reading_paces: vec![],
            sample: None,
            planned_readings,
            readings,
            activity: first_activity(plan),
            first_activity: first_activity(plan),
            searching: 0.0,
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
            Event::LiftStarted { before, time } => self.start_lift(*before, *time),
            Event::Lifted { after, hidden, time } => self.lifted(*after, hidden, *time),
            Event::Searching { share } => (self.activity, self.searching) = (Activity::Searching, *share),
            Event::Searched { before, .. } => {
                self.activity = if *before { self.first_activity } else { self.activity };
            }
            Event::MeasureStarted { time } => self.start_measuring(*time),
            Event::Measured { found, time } => self.end_measuring(found, *time),
            Event::OwnStarted { technique, of_whole_unit, time } => self.start_own(*technique, *of_whole_unit, *time),
            Event::Asked { asked } => self.commands_mut().into_iter().for_each(|c| c.push(asked.clone())),
            Event::Sending { commands } => self.sending(commands),
            Event::Answered { statuses } => self.answered(statuses),
            Event::OwnProgress { progress } => self.own_at_work(*progress),
            Event::PasswordTold { set } => self.own_mut().into_iter().for_each(|own| own.password = Some(*set)),
            Event::OwnEnded { failure, deallocated, removal, time } => {
                self.own_mut().into_iter().for_each(|own| (own.deallocated, own.removal) = (*deallocated, *removal));
                self.end_own(failure.as_ref(), *time);
            }
            Event::CheckStarted { expect, sampling, drawn, time } => self.start_check(expect, sampling.as_ref(), *drawn, *time),
            Event::CheckFault { kind, at, .. } => {
                if let Some(check) = self.evidence.own_check_mut() {
                    let read = &mut check.read_back;
                    if *kind == FaultKind::Unreadable { &mut read.unreadable } else { &mut read.wrong }.insert(*at);
                }
            }
            Event::BesideRead { beside } => {
                if let Some(check) = self.evidence.own_check_mut() {
                    check.beside.clone_from(beside);
                }
            }
            Event::CheckEnded { time } => {
                if let Some(stage) = self.evidence.stages.last_mut() {
                    stage.ended = Some(*time);
                }
            }
            Event::Marked { .. } | Event::Said { .. } | Event::StandsStill { .. } | Event::CannotStop => {}
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
            Event::Resumed { evidence } => self.resume(evidence),
            Event::NothingTrusted { .. } => {
                self.evidence.stages.clear();
                self.reading_paces.clear();
            }
            Event::NotSearched { .. } => self.activity = self.first_activity,
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

    /// What a checkpoint told replaces what was folded before.
    fn resume(&mut self, evidence: &Evidence) {
        self.evidence = evidence.clone();
        self.opened = true;
        self.reading_paces = self.evidence.passes().iter().map(|_| Pace::new(self.range)).collect();
        self.cover(self.evidence.overwrite().map_or(self.range, |o| o.range));
        if self.evidence.stages.iter().any(|s| matches!(s.what, StageResult::Measured(_)) && s.ended.is_some()) {
            self.measured = self.measuring;
        }
        let reading = self.evidence.last_reading().is_some() && self.evidence.ended != Ended::Finished;
        self.activity = match self.evidence.stages.last().map(|s| &s.what) {
            _ if reading => Activity::ReadingBack,
            Some(StageResult::Lifted(_)) => Activity::Lifting,
            Some(StageResult::Measured(_)) => Activity::Measuring,
            Some(StageResult::Own(_)) => Activity::Own,
            Some(StageResult::Checked(_)) => Activity::Checking,
            Some(StageResult::Overwritten(_)) | None => Activity::Laying,
        };
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
        let at = self.overwriting_at.unwrap_or(0);
        self.range = begun.pace.range();
        self.evidence.stages.truncate(at + 1);
        if self.evidence.overwrite().is_none() {
            let what = StageResult::Overwritten(OverwriteEvidence {
                range: self.range,
                planned_passes: self.planned_passes,
                passes: vec![],
            });
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
        self.evidence.stages.truncate(self.overwriting_at.unwrap_or(0) + 1);
        if let Some(p) = self.pass_mut(pass) {
            p.ended.get_or_insert(time);
        }
        if let Some(stage) = self.evidence.stages.last_mut() {
            stage.ended.get_or_insert(time);
        }
        let what =
            StageResult::Checked(CheckEvidence { range, expect: Expect::LastPass, read_back, drawn: None, beside: vec![] });
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
            let check = self.evidence.stages.get_mut(self.overwriting_at? + 1);
            return check.and_then(|s| if let StageResult::Checked(c) = &mut s.what { Some(&mut c.read_back) } else { None });
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
            Activity::Drawing => self.drawn += at.count,
            // Where a drive is found to hold too little, more is tried than was foreseen.
            Activity::Measuring => self.measured = self.measuring.min(self.measured + at.count),
            Activity::Checking => {
                if let Some(check) = self.evidence.own_check_mut() {
                    check.read_back.read.insert(at);
                }
            }
            Activity::Own | Activity::Lifting | Activity::Searching => {}
        }
    }

    fn start_lift(&mut self, before: Geometry, time: Timestamp) {
        self.activity = Activity::Lifting;
        let lifted = UnhideEvidence { before, after: before, hidden: self.evidence.drive().hidden.clone(), commands: vec![] };
        let stage = StageEvidence { started: time, ended: None, what: StageResult::Lifted(lifted) };
        match self.evidence.stages.first_mut() {
            // After a power cycle it is lifted again: what was found before stays as it was found first.
            Some(StageEvidence { what: StageResult::Lifted(lift), ended, .. }) => {
                // It may have become larger before the job was cut off and could say so.
                lift.after.sectors = lift.after.sectors.max(before.sectors);
                *ended = None;
            }
            _ => self.evidence.stages.insert(0, stage),
        }
    }

    fn lifted(&mut self, after: Geometry, hidden: &HiddenAreas, time: Timestamp) {
        if let Some(StageEvidence { what: StageResult::Lifted(lift), ended, .. }) = self.evidence.stages.first_mut() {
            // One that has left something hidden has not come to its end.
            let whole = *hidden == HiddenAreas::None;
            (lift.after, lift.hidden, *ended) = (after, hidden.clone(), whole.then_some(time));
        }
        if self.covers_all {
            self.range = after.whole();
        }
    }

    /// The size check begins, or begins anew: nothing was erased since.
    fn start_measuring(&mut self, time: Timestamp) {
        (self.activity, self.measured) = (Activity::Measuring, 0);
        if let Some(earlier) = self.evidence.stages.iter().position(|s| matches!(s.what, StageResult::Measured(_))) {
            self.evidence.stages.truncate(earlier);
        }
        let what = StageResult::Measured(SizeEvidence { session: self.evidence.last_session(), ..SizeEvidence::default() });
        self.evidence.stages.push(StageEvidence { started: time, ended: None, what });
    }

    fn end_measuring(&mut self, found: &SizeEvidence, time: Timestamp) {
        self.measured = self.measuring;
        if let Some(StageEvidence { what: StageResult::Measured(size), ended, .. }) = self.evidence.stages.last_mut() {
            (*size, *ended) = (found.clone(), Some(time));
        }
        if self.covers_all {
            self.cover(self.evidence.range_of(self.evidence.geometry().whole()));
        }
    }

    /// These sectors are to be overwritten, and so many of them read back after each pass.
    fn cover(&mut self, range: Sectors) {
        if self.range != range {
            self.range = range;
            self.readings = self.planned_readings.iter().map(|r| r.places(range).count()).collect();
        }
    }

    /// The drive is to erase itself. What was sent in an earlier session stays in the evidence.
    fn start_own(&mut self, technique: Technique, of_whole_unit: bool, time: Timestamp) {
        (self.activity, self.own_progress, self.drawn) = (Activity::Own, None, 0);
        let before = self.evidence.stages.iter().position(|s| matches!(s.what, StageResult::Own(_)));
        match before {
            Some(at) => {
                self.evidence.stages.truncate(at + 1);
                let stage = &mut self.evidence.stages[at];
                stage.ended = None;
                if let StageResult::Own(own) = &mut stage.what {
                    (own.completed, own.failure) = (false, None);
                }
            }
            None => {
                let what = StageResult::Own(NativeEvidence { of_whole_unit, ..NativeEvidence::begun(technique) });
                self.evidence.stages.push(StageEvidence { started: time, ended: None, what });
            }
        }
    }

    fn own_mut(&mut self) -> Option<&mut NativeEvidence> {
        self.evidence.stages.iter_mut().find_map(|s| if let StageResult::Own(own) = &mut s.what { Some(own) } else { None })
    }

    /// The commands of what is under way.
    fn commands_mut(&mut self) -> Option<&mut Vec<CommandAnswer>> {
        let lifting = self.activity == Activity::Lifting;
        self.evidence.stages.iter_mut().find_map(|s| match &mut s.what {
            StageResult::Lifted(lift) if lifting => Some(&mut lift.commands),
            StageResult::Own(own) if !lifting => Some(&mut own.commands),
            _ => None,
        })
    }

    fn sending(&mut self, commands: &[String]) {
        self.last_sent = commands.len();
        let unanswered = commands.iter().map(|c| CommandAnswer { command: c.clone(), status: String::new() });
        self.commands_mut().into_iter().for_each(|all| all.extend(unanswered.clone()));
        if self.activity != Activity::Lifting {
            self.activity = Activity::Own;
            if let Some(own) = self.own_mut() {
                own.sent += commands.len() as u32;
                own.password = None;
            }
        }
    }

    /// The answers to what was sent last: the last commands, which have none yet.
    fn answered(&mut self, statuses: &[String]) {
        let last_sent = self.last_sent;
        let Some(all) = self.commands_mut() else { return };
        let from = all.len().saturating_sub(last_sent);
        for (sent, status) in all[from..].iter_mut().zip(statuses) {
            sent.status.clone_from(status);
        }
    }

    fn own_at_work(&mut self, progress: Option<u16>) {
        (self.own_progress, self.activity) = (progress, Activity::Own);
        self.own_mut().into_iter().for_each(|own| own.at_work = true);
    }

    fn end_own(&mut self, failure: Option<&String>, time: Timestamp) {
        self.own_progress = None;
        let session = self.evidence.last_session();
        if let Some(own) = self.own_mut() {
            (own.completed, own.session, own.failure) = (failure.is_none(), session, failure.cloned());
        }
        let own = self.evidence.stages.iter_mut().find(|s| matches!(s.what, StageResult::Own(_)));
        if let Some(stage) = own.filter(|_| failure.is_none()) {
            stage.ended = Some(time);
        }
    }

    /// The check begins, or begins anew: what an earlier session read does not count, what it found wrong does.
    fn start_check(&mut self, expect: &Expect, sampling: Option<&Sampling>, drawn: Drawn, time: Timestamp) {
        self.activity = Activity::Checking;
        let (session, range) = (self.evidence.last_session(), self.evidence.geometry().whole());
        let earlier = self.evidence.own_check_mut().map(|c| std::mem::take(&mut c.read_back)).unwrap_or_default();
        let read_back = ReadBack { session, sampling: sampling.cloned(), read: RangeSet::new(), ..earlier };
        let what =
            StageResult::Checked(CheckEvidence { range, expect: expect.clone(), read_back, drawn: Some(drawn), beside: vec![] });
        if let Some(own) = self.evidence.stages.iter().position(|s| matches!(s.what, StageResult::Own(_))) {
            self.evidence.stages.truncate(own + 1);
            self.evidence.stages.push(StageEvidence { started: time, ended: None, what });
        }
        if sampling.is_none() {
            self.own_reading = self.drawn.saturating_add(range.count);
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

    /// How far the drive is with erasing itself, from 0.0 to 1.0, by its own word.
    pub fn own_share(&self) -> Option<f64> {
        self.own_progress.map(|p| f64::from(p) / 65536.0)
    }

    /// The same in words.
    pub fn own_progress_said(&self) -> Option<String> {
        self.own_progress.map(by_its_own_word)
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
        let done = laid.chain(read).fold(self.drawn.saturating_add(self.measured), u64::saturating_add);
        let laying = self.range.count.saturating_mul(self.planned_passes.into()).saturating_add(self.own_reading);
        let laying = laying.saturating_add(self.measuring);
        (done, self.readings.iter().fold(laying, |all, n| all.saturating_add(*n)))
    }

    /// Share of the work that is done, from 0.0 to 1.0.
    pub fn share(&self) -> f64 {
        if self.activity == Activity::Searching {
            return self.searching;
        }
        if let (Activity::Own, Some(share)) = (self.activity, self.own_share()) {
            return share;
        }
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
        let known = forecast::KnownPace {
            drive: self.evidence.drive(),
            laying: passes.iter().map(|p| &p.pace).collect(),
            reading: self.reading_paces.iter().collect(),
            sample: self.sample.as_ref(),
        };
        let range = self.range.count;
        known.time_left(&forecast::RemainingWork {
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
