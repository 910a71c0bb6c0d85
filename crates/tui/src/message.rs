//! What happens, and what is to be done about it in the world.

use super::file_erase::WorkProgress;
use super::lane::LaneId;
use super::lane::stage::{WorkEnd, WrittenPapers};
use jurex_device::bytes::{Needle, Search};
use jurex_device::native::Capabilities;
use jurex_disposition::release::OpenItem;
use jurex_engine::{Control, Event};
use jurex_file_erase::FileEraseRecord;
use jurex_ledger::UnfinishedJob;
use jurex_past::{JobLine, KnownDrive, LotNow};
use jurex_pattern::method::{Catalogue, Method};
use jurex_pattern::units::Lba;
use jurex_sanitize::contents::Contents;
use jurex_sanitize::estimate::SpeedSample;
use jurex_sanitize::plan::{ArmedPlan, Course, Plan, PlanError};
use jurex_sanitize::policy::Policy;
use jurex_sanitize::record::{JobId, Papers, Record};
use jurex_station::bench::{DriveSnapshot, ReadError, SampledSector};
use jurex_station::beside::{ReadingEvent, WantedReading};
use jurex_station::config::{Config, ConfigError};
use jurex_station::file_erase::{FilesWish, FolderEntry, FreePlan, FreeWish, MountedVolume, Sums, Surveyed};
use jurex_station::machine::{self, Ask};
use jurex_station::methods::MethodFileError;
use jurex_station::policies::PolicyFileError;
use jurex_station::release::{self, MarkHere};
use jurex_station::service::Requirement;
use jurex_station::settings::Setting;
use jurex_station::story::Story;
use ratatui::crossterm::event::{KeyEvent, MouseEvent};
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

/// Drives that were found: under what they stand, if they still need somebody, and how many there are of that.
pub(crate) type FoundDrives = Vec<(Option<(OpenItem, u64)>, Vec<KnownDrive>)>;

/// Something that happened.
pub(crate) enum Message {
    /// What the person does next came at this time since the start, however late it is taken.
    At(Duration),
    Key(KeyEvent),
    Mouse(MouseEvent),
    Resized(u16, u16),
    /// Time has passed: since the start, and as time of day.
    Tick(Duration, String),
    /// Every drive that is there now, as far as it is known, and the number of this listing.
    Drives(u64, Vec<DriveSnapshot>),
    /// A drive has answered in that listing.
    Answered(u64, Box<DriveSnapshot>),
    /// Text that was pasted.
    Pasted(String),
    /// The terminal is gone: jobs go on without a screen.
    TerminalLost,
    Looked(LaneId, Contents, Option<SampledSector>),
    /// The ledger has a job of this drive that was cut short, or has none.
    Unfinished(LaneId, Option<Box<UnfinishedJob>>),
    /// Sectors for the byte viewer, from this one on.
    Page(LaneId, u64, Result<Vec<u8>, ReadError>),
    Searching(LaneId, u64),
    Searched(LaneId, Result<Search, ReadError>),
    /// The beacon has ended by itself.
    BeaconEnded(LaneId, ReadError),
    /// Something of a reading beside the job.
    Reading(LaneId, ReadingEvent),
    /// The drive is still at work on its own erasure, so far in parts of 65536; it is opened when that is over.
    StillAtWork(LaneId, Option<u16>),
    /// The drive is open for this process alone; the countdown may begin.
    Opened(LaneId),
    Planned(LaneId, Result<Box<Plan>, PlanError>),
    /// The drive's speed was sampled.
    Sampled(LaneId, Result<SpeedSample, ReadError>),
    /// Methods were saved or taken in: the catalogue as it is now.
    Catalogue(Result<(Catalogue, String), MethodFileError>),
    /// A policy was read.
    Policy(Result<Box<Policy>, PolicyFileError>),
    /// A policy was saved: every name that there is now, and what to say.
    Policies(Result<(Vec<String>, String), PolicyFileError>),
    /// A setting was saved: the settings as they are now.
    Setting(Result<Box<Config>, ConfigError>),
    /// A drive's password was taken away, or was not: what it answers now.
    Unlocked(LaneId, Option<Box<Capabilities>>),
    /// The ledger has answered.
    Ledger(FromLedger),
    /// Which notices have not gone out, in a sentence; `None`: none.
    Notices(Option<String>),
    /// The mark that is on a drive, if one is.
    Mark(LaneId, Option<MarkHere>),
    /// What becomes of a drive was noted, in sentences, and whether it has gone now; or it was not, and why.
    Released(LaneId, Result<(Vec<String>, bool), String>),
    /// What the machine said when it was asked for something.
    Machine(Ask, Result<String, String>),
    /// What is to be known of the machine.
    Notes(Vec<String>),
    /// The volumes that records can be carried to, and the keyboard layouts.
    Volumes(Vec<machine::CarryVolume>, Vec<String>),
    /// Something of less than a drive.
    Less(Box<FromLess>),
    /// Something to say at the bottom.
    Said(String),
    Began(LaneId, JobId),
    /// The job did not start; nothing was written.
    NotStarted(LaneId, String),
    Job(LaneId, Event),
    Ended(LaneId, Box<WorkEnd>),
    Written(LaneId, WrittenPapers),
    /// The system asks the program to end.
    Terminate,
}

/// Something to be done in the world.
#[derive(Debug)]
pub(crate) enum Effect {
    /// Make the plan of this course.
    Plan(LaneId, Box<Course>),
    /// Take Jurex's own password away from the drive; nothing is erased.
    Unlock(LaneId),
    /// Take the power of a simulated drive away, or give it back.
    Power(LaneId),
    /// Read at three places to learn how fast it is.
    SampleSpeed(LaneId),
    /// Save the methods of one's own; the words say what was done.
    SaveMethods(Catalogue, String),
    /// Write methods to a new file.
    ExportMethods(Vec<Method>, PathBuf),
    /// Take in the methods of a file.
    ImportMethods(PathBuf),
    /// Change a setting to this text.
    SaveSetting(Setting, String),
    ReadPolicy(String),
    SavePolicy(String, Box<Policy>),
    /// Open the drive for this process alone; the job begins at [`Command::Go`].
    Open(Box<Start>),
    Go(LaneId),
    /// Close it again, nothing written.
    Abandon(LaneId),
    Look(LaneId),
    ReadPage(LaneId, u64),
    /// Search forwards from this byte.
    Search(LaneId, Needle, u64),
    BreakOffSearch(LaneId),
    Beacon(LaneId, bool),
    /// Begin a reading beside the job, or end it.
    Read(LaneId, WantedReading),
    Wish(LaneId, Control),
    Write(LaneId, Box<Record>),
    /// Do and note what is to become of a drive; who says so.
    Release(LaneId, Box<release::WantedRelease>, String),
    /// Make the label of this job, and print it where there is a printer for that.
    Label(JobId),
    /// Ask something of the ledger.
    Ledger(AskLedger),
    /// Something with less than a drive.
    Less(AskLess),
    /// Ask something of the machine.
    Machine(Ask),
    /// Look what is to be known of the machine.
    Notes,
    /// The same, and which volumes records can be carried to.
    Volumes,
    /// Leave the screen to the shell until the person comes back.
    Suspend,
}

/// A job to be started.
#[derive(Debug)]
pub(crate) struct Start {
    pub(crate) lane: LaneId,
    pub(crate) armed: ArmedPlan,
    pub(crate) before: Contents,
    pub(crate) papers: Papers,
    /// Whether less than is required was accepted.
    pub(crate) requirement: Requirement,
    /// The job to go on with, if it is no new one.
    pub(crate) from: Option<Box<UnfinishedJob>>,
    /// The sector to show again afterwards.
    pub(crate) sample_at: Option<Lba>,
}

/// What is asked of the ledger.
#[derive(Debug)]
pub(crate) enum AskLedger {
    /// Jobs in which this appears, older than that one.
    Jobs(String, Option<i64>),
    Story(JobId),
    /// To write the papers of a past job again.
    WriteAgain(JobId),
    /// To write the jobs in which this appears to a table.
    Export(String),
    /// How the open lots stand.
    Lots,
    /// The drives of such a serial, or, with nothing typed, all that are still open.
    Where(String),
    /// All that is known of the drive of this lane: by its serial, else by its job.
    Known(LaneId, Option<String>, Option<JobId>),
}

/// What the ledger answers.
pub(crate) enum FromLedger {
    /// Jobs in which this was found, older than that one.
    Jobs(String, Option<i64>, Result<Vec<JobLine>, String>),
    Story(Box<Story>),
    /// The open lots with their jobs.
    Lots(Vec<LotNow>),
    Where(String, Result<FoundDrives, String>),
    Known(LaneId, Option<Box<KnownDrive>>),
}

/// What is asked of the world for less than a drive.
#[derive(Debug)]
pub(crate) enum AskLess {
    /// The file systems, and whether something was cut short.
    Volumes,
    /// What that folder holds.
    List(PathBuf),
    /// What would be lost with these.
    Survey(Vec<PathBuf>),
    /// What there is to fill there.
    PlanFree(PathBuf),
    Erase(Arc<Surveyed>, FilesWish),
    Fill(FreeWish),
    /// Everything that was cut short is gone on with.
    GoOn,
    Stop,
}

/// What comes back.
pub(crate) enum FromLess {
    Volumes(Vec<MountedVolume>, usize),
    Listed(PathBuf, Result<Vec<FolderEntry>, String>),
    Sums(Vec<(PathBuf, Sums)>),
    Surveyed(Result<Arc<Surveyed>, String>),
    Free(PathBuf, Result<FreePlan, String>),
    Progress(WorkProgress),
    /// What came of it; or why nothing was begun.
    Over(Result<LessOver, String>),
}

/// A record, and where its papers are, or why they are not written.
pub(crate) type LessOver = (Box<FileEraseRecord>, Result<Vec<PathBuf>, String>);
