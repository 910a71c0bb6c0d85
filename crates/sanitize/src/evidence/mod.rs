//! What was done and what was read back: the only thing that a claim is computed from.
//!
//! Evidence lists the sessions in which the drive was held, and the stages of the treatment side by side. A reading
//! proves something only in the session in which it was done: between two sessions anybody may have written.

mod approval;
mod size;

pub use approval::Approval;
pub use size::MAX_EXAMPLES;
pub use size::{SameSector, SizeEvidence, SizeFinding};

use crate::pace::Pace;
use crate::sampling::Sampling;
use crate::words::Said;
use jiff::Timestamp;
use jurex_device::media::{Drive, Geometry, HiddenAreas};
use jurex_device::medium::Access;
use jurex_device::native::mmc::Removal;
use jurex_device::technique::{Condition, Technique};
use jurex_pattern::pattern::Pattern;
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::Sectors;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::time::Duration;

/// How a job came to its end.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "how")]
pub enum Ended {
    /// Every pass ran, what was to be read back was read back, and the drive was still the same.
    Finished,
    /// A person or a signal stopped it.
    Stopped,
    /// The drive went away.
    Gone {
        /// The operating system's words.
        error: String,
    },
    /// The drive is there, but nothing that is asked of it is answered.
    StoppedAnswering {
        /// What was tried, and the operating system's words.
        error: String,
    },
    /// So many places failed that the drive was given up.
    GivenUp {
        /// Number of places that failed.
        #[serde(with = "jurex_pattern::text::u64_string")]
        #[schemars(with = "jurex_pattern::text::Decimal")]
        faults: u64,
    },
    /// The drive or the system refused to go on.
    Refused {
        /// The operating system's words.
        error: String,
    },
    /// At the end the drive was not what it was at the beginning.
    Changed {
        /// What is different.
        what: String,
    },
    /// A command of the drive's own did not come to a good end.
    CommandFailed {
        /// What the drive said of it.
        said: String,
    },
}

impl Ended {
    /// The end in one sentence.
    pub fn sentence(&self) -> String {
        self.said().english()
    }

    /// The same as data.
    pub fn said(&self) -> Said {
        match self {
            Ended::Finished => Said::new("ended.finished"),
            Ended::Stopped => Said::new("ended.stopped"),
            Ended::Gone { error } => Said::new("ended.gone").text("error", error),
            Ended::StoppedAnswering { error } => Said::new("ended.stopped-answering").text("error", error),
            Ended::GivenUp { faults } => Said::new("ended.given-up").number("faults", *faults),
            Ended::Refused { error } => Said::new("ended.refused").text("error", error),
            Ended::Changed { what } => Said::new("ended.changed").text("what", what),
            Ended::CommandFailed { said } => Said::new("ended.command-failed").text("said", said),
        }
    }

    /// Whether the job was cut short and can go on.
    pub fn can_go_on(&self) -> bool {
        match self {
            Ended::Stopped
            | Ended::Gone { .. }
            | Ended::StoppedAnswering { .. }
            | Ended::Refused { .. }
            | Ended::CommandFailed { .. } => true,
            Ended::Finished | Ended::GivenUp { .. } | Ended::Changed { .. } => false,
        }
    }
}

/// One unbroken hold on the drive, from its opening to its closing.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Session {
    /// The drive as it was found when it was opened: path, bus, bridge, identity, capacity.
    pub drive: Drive,
    /// How its sectors were reached.
    pub access: Access,
    /// When it was opened.
    pub opened: Timestamp,
    /// When it was let go; `None`: cut off, by a kill or a power cut.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub closed: Option<Timestamp>,
    /// How long it lasted by a clock that nobody can set, in microseconds; of one that was cut off, up to the last
    /// checkpoint.
    #[serde(with = "jurex_pattern::text::u64_string", default)]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub micros: u64,
    /// The list that stood for the label check; `None`: a person typed the label.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub by_list: Option<Approval>,
}

impl Session {
    /// A drive is opened.
    pub fn new(drive: Drive, access: Access, opened: Timestamp) -> Self {
        Self { drive, access, opened, closed: None, micros: 0, by_list: None }
    }

    /// Whether the clock of the day was set back while the session lasted: by it, less time passed than truly did.
    pub fn clock_was_set_back(&self) -> bool {
        let Some(closed) = self.closed else { return false };
        let truly = jiff::SignedDuration::try_from(Duration::from_micros(self.micros)).unwrap_or(jiff::SignedDuration::MAX);
        closed.duration_since(self.opened) + USUAL < truly || closed < self.opened
    }
}

/// Clocks are corrected by a little all the time.
pub const USUAL: jiff::SignedDuration = jiff::SignedDuration::from_secs(2);

/// A kind of stage of a treatment.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum StageKind {
    /// Making hidden areas addressable.
    Lift,
    /// Finding out whether the drive is as large as it says.
    Measure,
    /// The drive's own erase command.
    Own,
    /// Writing passes over sectors.
    Overwrite,
    /// Reading and comparing.
    Check,
}

/// One stage: what happened, and when.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct StageEvidence {
    /// When it began.
    pub started: Timestamp,
    /// When it was over; `None`: it did not come to its end.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub ended: Option<Timestamp>,
    /// What happened.
    pub what: StageResult,
}

impl StageEvidence {
    /// Its kind.
    pub fn kind(&self) -> StageKind {
        match self.what {
            StageResult::Lifted(_) => StageKind::Lift,
            StageResult::Measured(_) => StageKind::Measure,
            StageResult::Own(_) => StageKind::Own,
            StageResult::Overwritten(_) => StageKind::Overwrite,
            StageResult::Checked(_) => StageKind::Check,
        }
    }
}

/// What happened in a stage.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "stage")]
pub enum StageResult {
    /// Hidden areas were made addressable.
    Lifted(UnhideEvidence),
    /// Sectors all over the drive were tagged, and read.
    Measured(SizeEvidence),
    /// The drive erased itself.
    Own(NativeEvidence),
    /// Passes were laid.
    Overwritten(OverwriteEvidence),
    /// Sectors were read and compared.
    Checked(CheckEvidence),
}

/// Hidden areas that were made addressable.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct UnhideEvidence {
    /// Sizes before.
    pub before: Geometry,
    /// Sizes after.
    pub after: Geometry,
    /// What the drive says afterwards of what it hides.
    pub hidden: HiddenAreas,
    /// Every command that was sent, with the drive's raw answer.
    pub commands: Vec<CommandAnswer>,
}

/// A drive's own erasure.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct NativeEvidence {
    /// Which technique.
    pub technique: Technique,
    /// Every command that was sent, secrets blanked, with the drive's raw answer.
    pub commands: Vec<CommandAnswer>,
    /// Whether the drive itself said that it came to its end without error.
    pub completed: bool,
    /// Commands that change the drive, as far as they were about to be sent.
    #[serde(default)]
    pub sent: u32,
    /// Whether the drive was seen at work on it.
    #[serde(default)]
    pub at_work: bool,
    /// The session in which it ended, counted from 0.
    #[serde(default)]
    pub session: u32,
    /// Whether it is of everything on the unit, every namespace included.
    #[serde(default)]
    pub of_whole_unit: bool,
    /// Whether the drive had a password when it last told, after what was sent last; `None`: it has not told since.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub password: Option<bool>,
    /// Whether the drive says that it deallocated its sectors by it: what reads back then is how it answers for them.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub deallocated: bool,
    /// How an embedded device is set to remove data, if it told.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub removal: Option<Removal>,
    /// Why it did not come to a good end, if it did not.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub failure: Option<String>,
}

impl NativeEvidence {
    /// One of which nothing has happened yet.
    pub fn begun(technique: Technique) -> Self {
        Self {
            technique,
            commands: vec![],
            completed: false,
            sent: 0,
            at_work: false,
            session: 0,
            of_whole_unit: false,
            password: None,
            deallocated: false,
            removal: None,
            failure: None,
        }
    }

    /// Whether Jurex's password may still be set: SECURITY SET PASSWORD was about to be sent, and the drive has not said since
    /// that it is gone.
    pub fn may_have_left_a_password(&self) -> bool {
        let security = self.technique.is_security();
        security && self.sent > 0 && !self.completed && self.password != Some(false)
    }
}

/// What people state about a drive that no drive can tell, by name.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Stated {
    /// The conditions that they say are met.
    pub conditions: Vec<Condition>,
    /// Who says so.
    pub by: String,
}

impl Stated {
    fn is_nothing(&self) -> bool {
        self.conditions.is_empty()
    }
}

/// A command and what the drive answered.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct CommandAnswer {
    /// The command's name and its bytes in hexadecimal digits, secrets as `..`.
    pub command: String,
    /// The raw status in hexadecimal digits; empty: none came.
    pub status: String,
}

/// Passes that were laid on a range.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct OverwriteEvidence {
    /// The sectors that were to be covered.
    pub range: Sectors,
    /// Number of passes that were planned.
    pub planned_passes: u32,
    /// Passes in the order in which they were begun.
    pub passes: Vec<PassEvidence>,
}

/// One pass: what was laid and, where it is not the last, what of it was read back.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct PassEvidence {
    /// What it laid.
    pub pattern: Pattern,
    /// Whether the method means it as the complement of the pass before it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub complement_of_before: bool,
    /// The session in which it was begun, counted from 0. If that is not the last, others may have written since.
    pub session: u32,
    /// Sectors that the drive accepted.
    pub laid: RangeSet,
    /// Sectors that it did not.
    pub unwritable: RangeSet,
    /// Sectors that took long, but were written or read.
    #[serde(skip_serializing_if = "RangeSet::is_empty", default)]
    pub slow: RangeSet,
    /// Whether the caches were flushed after the last write, and no flush before it had failed.
    pub flushed: bool,
    /// Why a flush failed, if one did: a later good one does not bring back what was lost.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub flush_error: Option<String>,
    /// The reading back in the middle of the treatment, if any was begun. That of the last pass is a stage of its own.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub read_back: Option<ReadBack>,
    /// When the first write was asked for.
    pub started: Timestamp,
    /// When the pass, with its reading back, was over.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub ended: Option<Timestamp>,
    /// Speed of the writing over position.
    pub pace: Pace,
}

impl PassEvidence {
    /// A pass that is about to begin.
    pub fn begun(pattern: Pattern, session: u32, range: Sectors, started: Timestamp) -> Self {
        Self {
            pattern,
            complement_of_before: false,
            session,
            laid: RangeSet::new(),
            unwritable: RangeSet::new(),
            slow: RangeSet::new(),
            flushed: false,
            flush_error: None,
            read_back: None,
            started,
            ended: None,
            pace: Pace::new(range),
        }
    }

    /// What it has worked through: laid or found unwritable.
    pub fn done(&self) -> RangeSet {
        let mut done = self.laid.clone();
        done.extend(&self.unwritable);
        done
    }
}

/// Sectors that were read and compared, as the last act of a treatment or by itself.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct CheckEvidence {
    /// The sectors in question.
    pub range: Sectors,
    /// What was expected there.
    pub expect: Expect,
    /// What was read.
    #[serde(flatten)]
    pub read_back: ReadBack,
    /// What was known of the places beforehand, where they are compared with themselves.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub drawn: Option<Drawn>,
    /// What was read of other namespaces of the unit, after an erasure of everything on it.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub beside: Vec<SiblingRead>,
}

/// What was read of another namespace after an erasure of everything on the unit: one sector in each of a thousand equal parts,
/// or all of them on a small one.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct SiblingRead {
    /// Its name, as the drive's list of other storage has it.
    pub what: String,
    /// Its size.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub sectors: u64,
    /// Sectors that were read.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub read: u64,
    /// Sectors that were to be read and gave an error.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub unreadable: u64,
    /// Sectors that hold what they held before.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub as_before: u64,
    /// Sectors that hold anything but one byte over and over.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub not_blank: u64,
    /// Sectors that held something before that could be told apart.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub compared: u64,
    /// Of a thousand equal parts (of twenty, in records of earlier rules), those in which at least one such sector lies.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub parts: u64,
}

impl SiblingRead {
    /// What speaks against the erasure of it, by rules of that reading; `None`: it is proved as far as places can prove it.
    pub fn against(&self, must_be_blank: bool, reading: u32) -> Option<Said> {
        let all = Drawn::parts_of(Sectors::new(0, self.sectors), reading);
        let found = |code: &str, n: u64| Said::new(format!("elsewhere.{code}")).number("n", n);
        match self {
            Self { as_before: n @ 1.., .. } => Some(found("as-before", *n).number("read", self.read)),
            Self { not_blank: n @ 1.., .. } if must_be_blank => Some(found("not-blank", *n).number("read", self.read)),
            Self { unreadable: n @ 1.., read, .. } if reading >= 4 || read / 9 < *n => Some(found("error", *n)),
            Self { read: 0, .. } => Some(Said::new("elsewhere.nothing-read")),
            Self { parts, .. } if *parts < all => {
                Some(Said::new("elsewhere.too-little-before").number("parts", *parts).number("all", all))
            }
            _ => None,
        }
    }

    /// The same as data, for papers.
    pub fn said(&self) -> Said {
        let said = Said::new("paper.beside").text("what", &self.what).number("read", self.read);
        said.number("same", self.as_before).number("compared", self.compared)
    }

    /// In words.
    pub fn sentence(&self) -> String {
        let read = jurex_pattern::units::counted(self.read, "sector");
        format!(
            "{}: {read} in places all over it were read, {} as before (of {} that were compared)",
            self.what,
            if self.as_before == 0 { "none".to_string() } else { self.as_before.to_string() },
            self.compared
        )
    }
}

/// Places that were read and digested before a key was replaced. The digests themselves, and the salt that they were made
/// with, are gone with the job.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Drawn {
    /// Sectors of which a digest was kept, and which are compared.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub compared: u64,
    /// Sectors that held one byte over and over before: they prove nothing, and are not compared.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub blank_before: u64,
    /// Of a thousand equal parts of the drive (of twenty, in records of earlier rules), those in which at least one sector is compared.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub parts: u64,
}

impl Drawn {
    /// Equal parts of a drive. In each of them something must be compared: a drive may have erased itself in part.
    pub const PARTS: u64 = 1000;
    /// Parts by rules that are read in an earlier way.
    const PARTS_ONCE: u64 = 20;

    /// Parts that there are on a drive of these sectors, by rules of that reading; a tiny one does not have so many.
    pub fn parts_of(whole: Sectors, reading: u32) -> u64 {
        let parts = if reading < 5 { Self::PARTS_ONCE } else { Self::PARTS };
        parts.min(whole.count)
    }
}

/// What a check compares with.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "what")]
pub enum Expect {
    /// What the last pass laid.
    LastPass,
    /// These bytes.
    Bytes {
        /// The bytes.
        pattern: Pattern,
    },
    /// Nothing is as it was: after a key was replaced.
    Changed,
    /// One byte over and over, whichever.
    Blank,
}

/// Reading sectors and comparing them.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ReadBack {
    /// The session in which everything in `read` was read, counted from 0.
    pub session: u32,
    /// The places that were to be read; `None`: every sector.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub sampling: Option<Sampling>,
    /// Sectors that were read, right or wrong, in that session.
    pub read: RangeSet,
    /// Sectors that were read and were not as expected, in any session.
    pub wrong: RangeSet,
    /// Sectors that could not be read, in any session.
    pub unreadable: RangeSet,
}

impl ReadBack {
    /// The places of `range` that were to be read.
    pub fn places(&self, range: Sectors) -> RangeSet {
        match &self.sampling {
            None => [range].into_iter().collect(),
            Some(sampling) => sampling.places(range),
        }
    }

    /// Whether every place that was to be read was read, or found unreadable.
    pub fn is_complete(&self, range: Sectors) -> bool {
        let mut met = self.read.clone();
        met.extend(&self.unreadable);
        met.covers(&self.places(range))
    }
}

/// Everything that a claim may rest on.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Evidence {
    /// The holds on the drive, in order; at least one.
    pub sessions: Vec<Session>,
    /// The stages that were planned.
    pub planned: Vec<StageKind>,
    /// The stages that were begun, in order.
    pub stages: Vec<StageEvidence>,
    /// How it ended.
    pub ended: Ended,
    /// What people state.
    #[serde(skip_serializing_if = "Stated::is_nothing", default)]
    pub stated: Stated,
}

/// Evidence that can't be what a job left: altered, or of a defect.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("the evidence contradicts itself: {0}")]
pub struct Unsound(pub &'static str);

impl Evidence {
    /// Before anything happened, in the first session.
    pub fn begin(session: Session, planned: Vec<StageKind>) -> Self {
        Self { sessions: vec![session], planned, stages: vec![], ended: Ended::Stopped, stated: Stated::default() }
    }

    /// The drive, as it was found last.
    ///
    /// # Panics
    /// Never on evidence that was made here or found sound: it has a session.
    pub fn drive(&self) -> &Drive {
        &self.sessions.last().expect("evidence has a session").drive
    }

    /// The sizes of the drive as the stages have left them: lifting a hidden area makes it larger.
    pub fn geometry(&self) -> Geometry {
        self.lift().map_or(self.drive().geometry, |l| l.after)
    }

    /// What the drive hides after the stages that were done.
    pub fn hidden(&self) -> &HiddenAreas {
        self.lift().map_or(&self.drive().hidden, |l| &l.hidden)
    }

    /// The last lifting of hidden areas, if any was begun.
    pub fn lift(&self) -> Option<&UnhideEvidence> {
        self.stages.iter().rev().find_map(|s| if let StageResult::Lifted(l) = &s.what { Some(l) } else { None })
    }

    /// What was found out about the drive's size, if that was asked.
    pub fn size(&self) -> Option<&SizeEvidence> {
        self.stages.iter().rev().find_map(|s| if let StageResult::Measured(size) = &s.what { Some(size) } else { None })
    }

    /// The sectors to cover where `planned` were: of a drive that holds less than it says, those that it holds.
    pub fn range_of(&self, planned: Sectors) -> Sectors {
        let measured = self.stages.iter().any(|s| matches!(s.what, StageResult::Measured(_)) && s.ended.is_some());
        match self.size().filter(|_| measured).and_then(SizeEvidence::covers) {
            Some(holds) if planned == self.geometry().whole() => Sectors::new(0, holds),
            _ => planned,
        }
    }

    /// Number of the last session, counted from 0.
    pub fn last_session(&self) -> u32 {
        self.sessions.len().saturating_sub(1) as u32
    }

    /// The overwriting, if it has begun; of several the first.
    pub fn overwrite(&self) -> Option<&OverwriteEvidence> {
        self.overwrites().next()
    }

    /// Every overwriting that was begun, in order.
    pub fn overwrites(&self) -> impl Iterator<Item = &OverwriteEvidence> {
        self.stages.iter().filter_map(|s| if let StageResult::Overwritten(o) = &s.what { Some(o) } else { None })
    }

    /// Every pass of every overwriting, in order.
    pub fn all_passes(&self) -> impl Iterator<Item = &PassEvidence> {
        self.overwrites().flat_map(|o| &o.passes)
    }

    /// The check that follows stage `n` before anything is changed on the drive again.
    pub fn check_after(&self, n: usize) -> Option<&CheckEvidence> {
        match &self.stages.get(n + 1)?.what {
            StageResult::Checked(check) => Some(check),
            StageResult::Lifted(_) | StageResult::Measured(_) | StageResult::Own(_) | StageResult::Overwritten(_) => None,
        }
    }

    /// The overwriting, to be added to while it goes on.
    pub fn overwrite_mut(&mut self) -> Option<&mut OverwriteEvidence> {
        self.stages.iter_mut().find_map(|s| if let StageResult::Overwritten(o) = &mut s.what { Some(o) } else { None })
    }

    /// The passes that were begun, in order.
    pub fn passes(&self) -> &[PassEvidence] {
        self.overwrite().map_or(&[], |o| &o.passes)
    }

    /// Number of passes that were planned, as far as the overwriting has begun.
    pub fn planned_passes(&self) -> u32 {
        self.overwrite().map_or(0, |o| o.planned_passes)
    }

    /// The sectors that were to be covered; the whole drive before anything began.
    pub fn range(&self) -> Sectors {
        self.overwrite().map_or_else(|| self.geometry().whole(), |o| o.range)
    }

    /// The drive's own erasure, if it was begun.
    pub fn own(&self) -> Option<&NativeEvidence> {
        self.stages.iter().find_map(|s| if let StageResult::Own(own) = &s.what { Some(own) } else { None })
    }

    /// The check that follows the drive's own erasure, if it was begun.
    pub fn own_check(&self) -> Option<&CheckEvidence> {
        let own = self.stages.iter().position(|s| matches!(s.what, StageResult::Own(_)))?;
        self.check_after(own)
    }

    /// The check that follows the overwriting, if it was begun.
    fn check_of_overwrite(&self) -> Option<&CheckEvidence> {
        let overwrite = self.stages.iter().position(|s| matches!(s.what, StageResult::Overwritten(_)))?;
        self.check_after(overwrite)
    }

    /// The last check that was begun.
    pub fn check(&self) -> Option<&CheckEvidence> {
        self.stages.iter().rev().find_map(|s| if let StageResult::Checked(c) = &s.what { Some(c) } else { None })
    }

    /// The check right after a drive's own erasure.
    pub fn own_check_mut(&mut self) -> Option<&mut CheckEvidence> {
        let own = self.stages.iter().position(|s| matches!(s.what, StageResult::Own(_)))?;
        match &mut self.stages.get_mut(own + 1)?.what {
            StageResult::Checked(check) => Some(check),
            StageResult::Lifted(_) | StageResult::Measured(_) | StageResult::Own(_) | StageResult::Overwritten(_) => None,
        }
    }

    /// The reading back of pass `n`, counted from 0: its own, or, of the last one, the check that follows.
    pub fn reading_of(&self, n: usize) -> Option<&ReadBack> {
        let is_last = n + 1 == self.planned_passes() as usize;
        match self.passes().get(n)?.read_back.as_ref() {
            None if is_last => self.check_of_overwrite().map(|c| &c.read_back),
            own => own,
        }
    }

    /// The reading back of the pass that was begun last.
    pub fn last_reading(&self) -> Option<&ReadBack> {
        self.reading_of(self.passes().len().checked_sub(1)?)
    }

    /// Whether every addressable sector was to be covered.
    pub fn is_whole(&self) -> bool {
        self.range() == self.geometry().whole()
    }

    /// Bytes that the drive accepted, over all passes.
    pub fn bytes_laid(&self) -> u64 {
        let sectors = self.all_passes().fold(0u64, |n, p| n.saturating_add(p.laid.count()));
        self.drive().geometry.bytes_of(sectors)
    }

    /// Bytes that were read back, over all passes.
    pub fn bytes_read(&self) -> u64 {
        let sectors = self.read_backs().fold(0u64, |n, r| n.saturating_add(r.read.count()));
        self.drive().geometry.bytes_of(sectors)
    }

    /// Every reading back, in order.
    pub fn read_backs(&self) -> impl Iterator<Item = &ReadBack> {
        let of_passes = self.all_passes().filter_map(|p| p.read_back.as_ref());
        let of_checks =
            self.stages.iter().filter_map(|s| if let StageResult::Checked(c) = &s.what { Some(&c.read_back) } else { None });
        of_passes.chain(of_checks)
    }

    /// Sectors that any pass could not write.
    pub fn unwritable(&self) -> RangeSet {
        union(self.all_passes().map(|p| &p.unwritable))
    }

    /// Sectors that could not be read back after any pass.
    pub fn unreadable(&self) -> RangeSet {
        union(self.read_backs().map(|r| &r.unreadable))
    }

    /// Sectors that were read back wrong after any pass.
    pub fn wrong(&self) -> RangeSet {
        union(self.read_backs().map(|r| &r.wrong))
    }

    /// Time under way, by a clock that nobody can set.
    pub fn lasted(&self) -> Duration {
        Duration::from_micros(self.sessions.iter().fold(0, |all, s| all.saturating_add(s.micros)))
    }

    /// Whether the clock of the day was set back during the work, or between two sessions of it.
    pub fn clock_was_set_back(&self) -> bool {
        let between = self.sessions.windows(2).any(|w| w[1].opened < w[0].closed.unwrap_or(w[0].opened));
        between || self.sessions.iter().any(Session::clock_was_set_back)
    }

    /// Whether this can be what a job left: what a record or checkpoint from outside must pass before it is judged.
    ///
    /// # Errors
    /// What contradicts what.
    pub fn check_soundness(&self) -> Result<(), Unsound> {
        fails(self.sessions.is_empty(), "it has no session")?;
        let geometry = self.geometry();
        check_geometry(geometry)?;
        let was_before = |g: Geometry| self.stages.iter().any(|s| matches!(&s.what, StageResult::Lifted(l) if l.before == g));
        let other_size = |s: &Session| s.drive.geometry != geometry && !was_before(s.drive.geometry);
        fails(self.sessions.iter().any(other_size), "its drive has several sizes")?;
        let unit = &self.drive().unit;
        let other_unit = |s: &Session| !s.drive.unit.agrees_with(unit) && !s.drive.unit.is_surely(unit);
        fails(self.sessions.iter().any(other_unit), "its sessions are on two drives")?;
        self.check_pass_times()?;
        fails(self.stages.len() > self.planned.len(), "it has more stages than were planned")?;
        let in_order = self.stages.iter().map(StageEvidence::kind).zip(&self.planned).all(|(a, b)| a == *b);
        fails(!in_order, "its stages are not the planned ones")?;
        self.stages.iter().try_for_each(|stage| match &stage.what {
            StageResult::Overwritten(o) => o.check_soundness(geometry.whole(), self.sessions.len()),
            StageResult::Checked(c) => {
                let sound = c.range.lies_in(geometry.whole()) && c.read_back.is_sound(c.range, self.sessions.len());
                fails(!sound, "a check lies outside its range")?;
                let expects_nothing =
                    matches!(&c.expect, Expect::Bytes { pattern } if !pattern.has_bytes() || !pattern.is_computable());
                fails(expects_nothing, "a check compares with bytes that nobody knows")?;
                let more = c.drawn.is_some_and(|d| d.compared > c.range.count || d.parts > d.compared.min(Drawn::PARTS));
                fails(more, "a check compared more than there is")
            }
            StageResult::Own(o) => {
                fails(o.session as usize >= self.sessions.len(), "an erasure of the drive's own is of no session")?;
                fails(o.completed && o.sent == 0 && !o.commands.is_empty(), "what was never sent has come to an end")
            }
            StageResult::Measured(size) => size.check_soundness(self.sessions.len(), geometry.sectors),
            StageResult::Lifted(l) => {
                let other_sectors = (l.before.logical, l.before.physical) != (l.after.logical, l.after.physical);
                fails(
                    other_sectors || l.after.sectors < l.before.sectors,
                    "making a hidden area accessible made the drive smaller",
                )
            }
        })
    }
}

impl Evidence {
    /// Whether each pass was begun and ended while its drive was open, where nobody has set the clock back meanwhile.
    fn check_pass_times(&self) -> Result<(), Unsound> {
        // Of a session that was cut off nobody knows whether its clock was set back.
        if self.clock_was_set_back() || self.sessions.iter().any(|s| s.closed.is_none()) {
            return Ok(());
        }
        let last = self.sessions.last().and_then(|s| s.closed);
        let passes =
            self.stages.iter().filter_map(|s| if let StageResult::Overwritten(o) = &s.what { Some(&o.passes) } else { None });
        for pass in passes.flatten() {
            let Some(session) = self.sessions.get(pass.session as usize) else { continue };
            let before = pass.started + USUAL < session.opened;
            let after = session.closed.is_some_and(|closed| pass.started > closed + USUAL);
            fails(before || after, "a pass was begun while its drive was not open")?;
            let Some(ended) = pass.ended else { continue };
            let late = last.is_some_and(|closed| ended > closed + USUAL);
            fails(ended + USUAL < pass.started || late, "a pass ended before it began, or after its drive was let go")?;
        }
        Ok(())
    }
}

impl OverwriteEvidence {
    fn check_soundness(&self, whole: Sectors, sessions: usize) -> Result<(), Unsound> {
        fails(self.range.count == 0 || !self.range.lies_in(whole), "its range is not on the drive")?;
        fails(self.passes.len() > self.planned_passes as usize, "it has more passes than were planned")?;
        for p in &self.passes {
            let sets = [&p.laid, &p.unwritable, &p.slow];
            fails(!sets.into_iter().all(|s| all_lie_in(s, self.range)), "a pass lies outside its range")?;
            fails(p.session as usize >= sessions, "a pass is of no session")?;
            fails(!p.pattern.has_bytes(), "a pass has a pattern of no bytes")?;
            fails(p.flushed && p.flush_error.is_some(), "a pass is flushed and not flushed")?;
            fails(!p.pace.is_sound_for(self.range), "a pass's pace is of another range")?;
            let reading = p.read_back.as_ref();
            fails(reading.is_some_and(|r| !r.is_sound(self.range, sessions)), "a reading back lies outside its range")?;
        }
        Ok(())
    }
}

impl ReadBack {
    fn is_sound(&self, range: Sectors, sessions: usize) -> bool {
        let sets = [&self.read, &self.wrong, &self.unreadable];
        sets.into_iter().all(|s| all_lie_in(s, range)) && (self.session as usize) < sessions
    }
}

/// Whether a drive can have these sizes.
///
/// # Errors
/// What no drive has.
pub fn check_geometry(geometry: Geometry) -> Result<(), Unsound> {
    fails(geometry.logical == 0 || geometry.physical == 0, "its sectors have no size")?;
    let possible = (512..=64 << 10).contains(&geometry.logical) && geometry.physical.is_multiple_of(geometry.logical);
    fails(!geometry.logical.is_power_of_two() || !possible, "its sectors are of a size that no drive has")?;
    fails(geometry.sectors.checked_mul(geometry.logical.into()).is_none(), "its drive is larger than any can be")
}

/// The first thing that is wrong ends a check of soundness.
pub fn fails(wrong: bool, why: &'static str) -> Result<(), Unsound> {
    if wrong { Err(Unsound(why)) } else { Ok(()) }
}

fn all_lie_in(set: &RangeSet, range: Sectors) -> bool {
    set.iter().all(|s| s.lies_in(range))
}

fn union<'a>(sets: impl Iterator<Item = &'a RangeSet>) -> RangeSet {
    sets.fold(RangeSet::new(), |mut all, set| {
        all.extend(set);
        all
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::{check, faultless, stage};
    use jurex_device::media::MediaClass;
    use jurex_pattern::units::Lba;

    fn at(seconds: i64) -> Timestamp {
        Timestamp::from_second(seconds).unwrap()
    }

    fn set(first: u64, count: u64) -> RangeSet {
        [Sectors::new(first, count)].into_iter().collect()
    }

    fn evidence() -> Evidence {
        faultless(MediaClass::Magnetic, &[Pattern::zeros(), Pattern::zeros().complement()])
    }

    fn overwrite(evidence: &mut Evidence) -> &mut OverwriteEvidence {
        let StageResult::Overwritten(overwrite) = &mut evidence.stages[0].what else { panic!() };
        overwrite
    }

    fn pass(evidence: &mut Evidence) -> &mut PassEvidence {
        &mut overwrite(evidence).passes[1]
    }

    fn checked(evidence: &mut Evidence) -> &mut CheckEvidence {
        let StageResult::Checked(check) = &mut evidence.stages[1].what else { panic!() };
        check
    }

    /// That evidence with its check replaced by a drive's own erasure and a check of it.
    fn with_own(own: NativeEvidence) -> Evidence {
        let mut evidence = evidence();
        evidence.planned = vec![StageKind::Own, StageKind::Check];
        evidence.stages = vec![stage(StageResult::Own(own)), check(ReadBack { read: set(0, 1000), ..ReadBack::default() })];
        evidence
    }

    #[test]
    fn what_no_job_can_have_left_is_refused_and_its_very_border_is_not() {
        type Change<'c> = &'c dyn Fn(&mut Evidence);
        let drawn = |compared, parts| Some(Drawn { compared, blank_before: 0, parts });
        let cases: [(Change<'_>, Option<&str>); 24] = [
            (&|e| e.sessions.clear(), Some("no session")),
            (&|e| e.planned.truncate(1), Some("more stages")),
            (&|e| e.planned.reverse(), Some("not the planned ones")),
            (&|e| overwrite(e).range = Sectors::new(0, 0), Some("not on the drive")),
            (&|e| overwrite(e).range = Sectors::new(1, 1000), Some("not on the drive")),
            (&|e| overwrite(e).planned_passes = 1, Some("more passes")),
            (&|e| overwrite(e).planned_passes = 3, None),
            (&|e| pass(e).laid = set(999, 2), Some("pass lies outside")),
            (&|e| pass(e).laid = set(999, 1), None),
            (&|e| pass(e).unwritable = set(1000, 1), Some("pass lies outside")),
            (&|e| pass(e).session = 1, Some("pass is of no session")),
            (&|e| pass(e).flush_error = Some("it did not".into()), Some("flushed and not flushed")),
            (
                &|e| {
                    pass(e).flushed = false;
                    pass(e).flush_error = Some("it did not".into());
                },
                None,
            ),
            (&|e| pass(e).read_back = Some(ReadBack { session: 1, ..ReadBack::default() }), Some("reading back lies")),
            (&|e| pass(e).read_back = Some(ReadBack { wrong: set(1000, 1), ..ReadBack::default() }), Some("reading back lies")),
            (&|e| checked(e).range = Sectors::new(1, 1000), Some("check lies outside")),
            (&|e| checked(e).read_back.session = 1, Some("check lies outside")),
            (&|e| checked(e).range = Sectors::new(0, 8), Some("check lies outside")),
            (&|e| checked(e).expect = Expect::Bytes { pattern: Pattern::random([1; 16]).without_seed() }, Some("nobody knows")),
            (&|e| checked(e).drawn = drawn(1001, 5), Some("compared more")),
            (&|e| checked(e).drawn = drawn(1000, 1000), None),
            (&|e| checked(e).drawn = drawn(4, 5), Some("compared more")),
            (&|e| checked(e).drawn = drawn(5, 5), None),
            (&|e| pass(e).pace = Pace::new(Sectors::new(0, 8)), Some("of another range")),
        ];
        for (n, (change, why)) in cases.into_iter().enumerate() {
            let mut changed = evidence();
            change(&mut changed);
            match (changed.check_soundness(), why) {
                (Ok(()), None) => {}
                (Err(Unsound(said)), Some(why)) if said.contains(why) => {}
                (found, why) => panic!("case {n}: {found:?} and not {why:?}"),
            }
        }
    }

    #[test]
    fn lifting_a_hidden_area_makes_a_drive_larger_and_changes_nothing_else() {
        let lifted = |change: &dyn Fn(&mut Geometry)| {
            let mut evidence = evidence();
            let after = evidence.geometry();
            let mut before = after;
            change(&mut before);
            let lift = UnhideEvidence { before, after, hidden: HiddenAreas::None, commands: vec![] };
            evidence.stages.insert(0, stage(StageResult::Lifted(lift)));
            evidence.planned.insert(0, StageKind::Lift);
            evidence.check_soundness().is_ok()
        };
        assert!(lifted(&|_| {}) && lifted(&|before| before.sectors -= 1));
        assert!(!lifted(&|before| before.sectors += 1) && !lifted(&|before| before.physical = 4096));
        assert!(!lifted(&|before| before.logical = 4096));
    }

    #[test]
    fn an_erasure_of_its_own_is_of_a_session_and_ends_only_if_it_was_sent() {
        let begun = NativeEvidence::begun(Technique::SanitizeBlock);
        let sent = |sent, completed| NativeEvidence { sent, completed, ..begun.clone() };
        assert_eq!(with_own(sent(1, true)).check_soundness(), Ok(()));
        assert!(with_own(NativeEvidence { session: 1, ..sent(1, true) }).check_soundness().is_err());
        let of_commands = |sent, completed| {
            let mut own = NativeEvidence { sent, completed, ..begun.clone() };
            own.commands = vec![CommandAnswer { command: "SANITIZE: 48".into(), status: "00".into() }];
            with_own(own).check_soundness()
        };
        assert!(of_commands(0, true).is_err() && of_commands(0, false).is_ok() && of_commands(1, true).is_ok());
    }

    #[test]
    fn a_pass_lies_within_its_session_but_for_what_clocks_are_corrected_by() {
        let with = |opened: i64, closed: i64, started: i64, ended: i64| {
            let mut evidence = evidence();
            overwrite(&mut evidence).passes.truncate(1);
            let session = &mut evidence.sessions[0];
            (session.opened, session.closed) = (at(opened), Some(at(closed)));
            let pass = &mut overwrite(&mut evidence).passes[0];
            (pass.started, pass.ended) = (at(started), Some(at(ended)));
            evidence.check_soundness().is_ok()
        };
        assert!(with(10, 20, 10, 20) && with(10, 20, 8, 22) && with(10, 20, 22, 22) && with(10, 20, 14, 12));
        assert!(!with(10, 20, 7, 20), "begun before its drive was opened");
        assert!(!with(10, 20, 23, 23), "begun after it was let go");
        assert!(!with(10, 20, 10, 23), "ended after it was let go");
        assert!(!with(10, 20, 15, 12), "ended before it began");
    }

    #[test]
    fn a_clock_that_was_set_back_is_told_by_what_truly_passed_and_by_the_next_session() {
        let session = |opened: i64, closed: Option<i64>, seconds: u64| {
            let mut session = evidence().sessions.remove(0);
            (session.opened, session.closed, session.micros) = (at(opened), closed.map(at), seconds * 1_000_000);
            session
        };
        let alone = |closed, seconds| session(100, closed, seconds).clock_was_set_back();
        assert!(!alone(None, 50) && !alone(Some(110), 10) && !alone(Some(110), 12), "a little is usual");
        assert!(alone(Some(110), 13) && alone(Some(99), 0) && !alone(Some(100), 0) && !alone(Some(110), 0));
        let two = |first: Session, second: Session| Evidence { sessions: vec![first, second], ..evidence() }.clock_was_set_back();
        assert!(!two(session(0, Some(10), 10), session(10, Some(20), 10)));
        assert!(two(session(0, Some(10), 10), session(9, Some(20), 10)), "the next one began before this one's end");
        assert!(two(session(10, None, 0), session(9, Some(20), 10)) && !two(session(10, None, 0), session(10, Some(20), 10)));
        assert!(two(session(0, Some(10), 10), session(10, Some(20), 50)), "in the second one");
    }

    #[test]
    fn another_namespace_is_proved_by_places_all_over_it_and_by_nothing_less() {
        let good = SiblingRead {
            what: "namespace 2".into(),
            sectors: 5000,
            read: 1000,
            compared: 1000,
            parts: 1000,
            ..SiblingRead::default()
        };
        let against = |change: &dyn Fn(&mut SiblingRead), must_be_blank, reading| {
            let mut read = good.clone();
            change(&mut read);
            read.against(must_be_blank, reading).map(|said| said.code)
        };
        let now = 7;
        assert_eq!(against(&|_| {}, true, now), None);
        assert_eq!(against(&|r| r.as_before = 1, false, now).unwrap(), "elsewhere.as-before");
        assert_eq!(against(&|r| r.not_blank = 1, true, now).unwrap(), "elsewhere.not-blank");
        assert_eq!(against(&|r| r.not_blank = 1000, false, now), None, "after a new key it is noise");
        assert_eq!(against(&|r| r.unreadable = 1, false, now).unwrap(), "elsewhere.error");
        assert_eq!(
            (against(&|r| r.unreadable = 111, false, 3), against(&|r| r.unreadable = 112, false, 3).is_some()),
            (None, true)
        );
        assert_eq!(against(&|r| r.read = 0, false, now).unwrap(), "elsewhere.nothing-read");
        assert_eq!(against(&|r| r.parts = 999, false, now).unwrap(), "elsewhere.too-little-before");
        assert_eq!((against(&|r| r.parts = 20, false, 4), against(&|r| r.parts = 19, false, 4).is_some()), (None, true));
        assert!(against(&|r| r.parts = 20, false, 5).is_some(), "a thousand parts by later rules");
        let small = SiblingRead { sectors: 7, parts: 7, ..good.clone() };
        assert_eq!(small.against(true, now), None);
        assert_eq!(
            good.sentence(),
            "namespace 2: 1\u{202f}000 sectors in places all over it were read, none as before (of 1000 that were compared)"
        );
    }

    #[test]
    fn a_password_may_be_left_until_the_drive_says_that_it_is_gone() {
        let of = |technique, sent, completed, password| {
            NativeEvidence { sent, completed, password, ..NativeEvidence::begun(technique) }.may_have_left_a_password()
        };
        use Technique::{SanitizeBlock, SecurityErase};
        assert!(of(SecurityErase, 1, false, None) && of(SecurityErase, 1, false, Some(true)));
        assert!(
            !of(SecurityErase, 0, false, None) && !of(SecurityErase, 1, true, None) && !of(SecurityErase, 1, false, Some(false))
        );
        assert!(!of(SanitizeBlock, 1, false, None));
    }

    #[test]
    fn sums_and_lookups_are_of_what_was_laid_and_read() {
        let mut evidence = evidence();
        pass(&mut evidence).read_back = Some(ReadBack { read: set(0, 10), ..ReadBack::default() });
        assert_eq!((evidence.bytes_laid(), evidence.bytes_read()), (2 * 1000 * 512, (10 + 1000) * 512));
        assert!(evidence.is_whole() && evidence.check().is_some() && evidence.own_check().is_none());
        evidence.sessions[0].micros = 7;
        assert_eq!(evidence.lasted(), Duration::from_micros(7));
        overwrite(&mut evidence).range = Sectors::new(0, 999);
        assert!(!evidence.is_whole());
        let own = with_own(NativeEvidence::begun(Technique::SanitizeBlock));
        assert!(own.own_check().is_some() && own.own().is_some());
        assert_eq!(Ended::Stopped.sentence(), Ended::Stopped.said().english());
        assert!(
            Ended::GivenUp { faults: 1024 }.sentence().contains("1\u{202f}024")
                || Ended::GivenUp { faults: 1024 }.sentence().contains("1024")
        );
        assert!(
            Stated::default().is_nothing()
                && !Stated { conditions: vec![Condition::KeyStrength], by: String::new() }.is_nothing()
        );
    }

    #[test]
    fn a_drive_that_holds_less_is_covered_as_far_as_it_holds_once_that_is_found() {
        let measured = |ended: bool, planned: Sectors| {
            let size = SizeEvidence {
                told: 1000,
                tagged: 9,
                own: 5,
                of_others: 4,
                begins_again_at: Some(Lba(500)),
                ..SizeEvidence::default()
            };
            let mut evidence = evidence();
            evidence.stages.insert(0, StageEvidence { ended: ended.then(|| at(0)), ..stage(StageResult::Measured(size)) });
            evidence.range_of(planned)
        };
        let whole = Sectors::new(0, 1000);
        assert_eq!(measured(true, whole), Sectors::new(0, 500));
        assert_eq!(measured(false, whole), whole, "not found out to the end");
        assert_eq!(measured(true, Sectors::new(0, 8)), Sectors::new(0, 8), "a part is what was asked for");
    }
}
