//! The state of the interface: lanes, and for each the steps of its work.

use super::theme::Theme;
use super::widget::field::Field as Line;
use crate::bench::{Sample, Seen};
use crate::config::Config;
use crate::settings::Setting;
use crate::tui::screen::lot::LotPage;
use crate::tui::screen::methods::MethodsPage;
use crate::tui::screen::palette::Palette;
use crate::tui::screen::settings::SettingsPage;
use jurex_core::bytes::{Needle, Search};
use jurex_core::contents::Contents;
use jurex_core::erase::{Event, Progress, Wish};
use jurex_core::estimate::SpeedSample;
use jurex_core::evidence::Ended;
use jurex_core::guard::{Cleared, Hindrance, Refusal};
use jurex_core::ladder::{Way, ladder, suggested};
use jurex_core::media::{Drive, Label};
use jurex_core::method::{Catalogue, Method};
use jurex_core::native::Answers;
use jurex_core::need::{Need, Sensitivity};
use jurex_core::notation::{NoEntropy, Program};
use jurex_core::plan::{ArmedPlan, Order, Plan, PlanError};
use jurex_core::policy::Policy;
use jurex_core::record::{Backup, JobId, Papers, Record};
use jurex_core::rules::{Edition, Outcome, Technique};
use jurex_core::units::Lba;
use jurex_ledger::Unfinished;
use ratatui::crossterm::event::{KeyEvent, MouseEvent};
use std::borrow::Cow;
use std::path::PathBuf;
use std::time::Duration;

/// The steps of the work, in their order.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Step {
    Look,
    Plan,
    Arm,
    Erase,
    Prove,
    Certify,
}

impl Step {
    pub(crate) const ALL: [Step; 6] = [Step::Look, Step::Plan, Step::Arm, Step::Erase, Step::Prove, Step::Certify];

    pub(crate) fn name(self) -> &'static str {
        match self {
            Step::Look => "Look",
            Step::Plan => "Plan",
            Step::Arm => "Arm",
            Step::Erase => "Erase",
            Step::Prove => "Prove",
            Step::Certify => "Certify",
        }
    }

    /// The step `by` places further, if there is one.
    pub(crate) fn beside(self, by: isize) -> Option<Step> {
        Self::ALL.get((self as usize).checked_add_signed(by)?).copied()
    }
}

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
            LaneState::Proving => "proving",
            LaneState::Held => "held",
            LaneState::Proved => "proved",
            LaneState::Unproved => "unproved",
            LaneState::Failed => "failed",
            LaneState::Gone => "gone",
        }
    }
}

/// What is chosen in Plan, before it is fixed.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Draft {
    pub(crate) need: Need,
    /// How the drive would be overwritten.
    pub(crate) order: Order,
    /// The method that the passes come from, if they come from one.
    pub(crate) method: Option<Method>,
    /// The rung of the ladder that is looked at.
    pub(crate) way: Technique,
}

impl Draft {
    /// Takes the passes of `method`; rounds, verification and range stay.
    pub(crate) fn take_method(&mut self, method: &Method) {
        (self.order.title, self.order.program) = (method.title.clone(), method.program.clone());
        self.method = Some(method.clone());
        self.way = Technique::Overwrite;
    }

    /// Takes passes that come from no method.
    pub(crate) fn take_passes(&mut self, program: Program) {
        (self.order.title, self.order.program) = ("Passes of your own".into(), program);
        self.method = None;
        self.way = Technique::Overwrite;
    }
}

/// What follows from a draft: computed when the draft, or what it rests on, has changed, and not at every picture.
#[derive(Clone, Debug)]
pub(crate) struct Foreseen {
    /// What it was computed from.
    of: Foundation,
    /// Every way of sanitizing the drive, best first.
    pub(crate) ways: Vec<Way>,
    /// The plan that the draft would make, without its random choices.
    pub(crate) plan: Result<Plan, PlanError>,
}

/// What a draft's consequences rest on.
#[derive(Clone, Debug, PartialEq)]
struct Foundation {
    drive: Drive,
    answers: Answers,
    order: Order,
    speed: Option<SpeedSample>,
}

/// The label check.
#[derive(Debug, Default)]
pub(crate) struct Arming {
    pub(crate) typed: Line,
    pub(crate) problem: Option<String>,
    pub(crate) stage: ArmStage,
}

/// How far arming has come.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum ArmStage {
    /// The label is asked for.
    #[default]
    Asking,
    /// The label was right; the drive is being opened for this process alone.
    Opening,
    /// It is open, and the job starts at this time.
    Counting(Duration),
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

/// A job of this lane, running or over.
pub(crate) struct Work {
    pub(crate) job: Option<JobId>,
    pub(crate) progress: Progress,
    /// Sentences of the events with their time of day.
    pub(crate) told: Vec<(String, Event)>,
    pub(crate) end: Option<WorkEnd>,
}

/// How a job of this lane ended.
pub(crate) struct WorkEnd {
    pub(crate) record: Record,
    pub(crate) ledger_trouble: Option<String>,
    /// What the job needs to go on, if it was cut short.
    pub(crate) unfinished: Option<Box<Unfinished>>,
    /// The sampled sector as it is now.
    pub(crate) after: Option<Sample>,
}

/// The fields of the certificate that people fill in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Field {
    PropertyNumber,
    Source,
    Lot,
    Destination,
    CategoryAfter,
    Backup,
    TechnicianName,
    BackupPlace,
    Maker,
    Notes,
    TechnicianTitle,
    TechnicianOrganisation,
    TechnicianPlace,
    TechnicianContact,
    ValidatorName,
    ValidatorTitle,
    ValidatorOrganisation,
    ValidatorPlace,
    ValidatorContact,
}

impl Field {
    pub(crate) const ALL: [Field; 19] = [
        Field::PropertyNumber,
        Field::Source,
        Field::Lot,
        Field::Destination,
        Field::CategoryAfter,
        Field::Backup,
        Field::BackupPlace,
        Field::Maker,
        Field::Notes,
        Field::TechnicianName,
        Field::TechnicianTitle,
        Field::TechnicianOrganisation,
        Field::TechnicianPlace,
        Field::TechnicianContact,
        Field::ValidatorName,
        Field::ValidatorTitle,
        Field::ValidatorOrganisation,
        Field::ValidatorPlace,
        Field::ValidatorContact,
    ];

    pub(crate) fn label(self) -> &'static str {
        match self {
            Field::PropertyNumber => "property number",
            Field::Source => "source",
            Field::Lot => "lot",
            Field::Destination => "destination",
            Field::CategoryAfter => "category afterwards",
            Field::Backup => "backed up",
            Field::BackupPlace => "  where to",
            Field::Maker => "maker, if not told",
            Field::Notes => "notes",
            Field::TechnicianOrganisation | Field::ValidatorOrganisation => "  organisation",
            Field::TechnicianName => "sanitized by",
            Field::TechnicianTitle | Field::ValidatorTitle => "  title",
            Field::TechnicianPlace | Field::ValidatorPlace => "  place",
            Field::TechnicianContact | Field::ValidatorContact => "  contact",
            Field::ValidatorName => "validated by",
        }
    }

    /// Whether Space turns it through a few answers instead of being typed.
    pub(crate) fn is_choice(self) -> bool {
        matches!(self, Field::CategoryAfter | Field::Backup)
    }

    pub(crate) fn text(self, papers: &mut Papers) -> Option<&mut String> {
        Some(match self {
            Field::PropertyNumber => &mut papers.property_number,
            Field::Source => &mut papers.source,
            Field::Lot => &mut papers.lot,
            Field::Destination => &mut papers.destination,
            Field::BackupPlace => &mut papers.backup_place,
            Field::Maker => &mut papers.maker,
            Field::Notes => &mut papers.notes,
            Field::TechnicianOrganisation => &mut papers.technician.organisation,
            Field::ValidatorOrganisation => &mut papers.validator.organisation,
            Field::TechnicianName => &mut papers.technician.name,
            Field::TechnicianTitle => &mut papers.technician.title,
            Field::TechnicianPlace => &mut papers.technician.place,
            Field::TechnicianContact => &mut papers.technician.contact,
            Field::ValidatorName => &mut papers.validator.name,
            Field::ValidatorTitle => &mut papers.validator.title,
            Field::ValidatorPlace => &mut papers.validator.place,
            Field::ValidatorContact => &mut papers.validator.contact,
            Field::CategoryAfter | Field::Backup => return None,
        })
    }

    pub(crate) fn shown(self, papers: &Papers) -> String {
        match self {
            Field::CategoryAfter => papers.category_after.map(|c| c.to_string()).unwrap_or_default(),
            Field::Backup => papers.backup.to_string(),
            field => field.text(&mut papers.clone()).map(|t| t.clone()).unwrap_or_default(),
        }
    }
}

/// The form of Certify: which field is being edited, and its text.
#[derive(Debug, Default)]
pub(crate) struct Form {
    pub(crate) focus: Option<usize>,
    pub(crate) input: Line,
}

/// What came of writing the files.
pub(crate) type Written = Result<Vec<PathBuf>, String>;

/// One drive and its work.
pub(crate) struct Lane {
    pub(crate) seen: Seen,
    pub(crate) verdict: Result<Cleared, Refusal>,
    pub(crate) presence: Presence,
    /// Whether the drive itself has been asked; until then it is known by the system's word only.
    pub(crate) answered: bool,
    pub(crate) contents: Option<Contents>,
    pub(crate) sample: Option<Sample>,
    /// The byte viewer, while it is open.
    pub(crate) bytes: Option<BytesView>,
    /// Whether the beacon is on.
    pub(crate) beacon: bool,
    /// Whether it is one of the lot that is planned together.
    pub(crate) marked: bool,
    /// How fast it reads; `None`: not sampled.
    pub(crate) speed: Option<SpeedSample>,
    /// Whether its speed is being sampled now.
    pub(crate) sampling: bool,
    pub(crate) step: Step,
    /// First line of the step that is shown.
    pub(crate) scroll: u16,
    pub(crate) draft: Draft,
    /// What follows from the draft, once it was asked for.
    foreseen: Option<Box<Foreseen>>,
    pub(crate) plan: Option<Plan>,
    pub(crate) arming: Arming,
    /// A job on this drive that was cut short and can go on.
    pub(crate) unfinished: Option<Box<Unfinished>>,
    /// Whether the plan is that job's, to go on with.
    pub(crate) going_on: bool,
    /// Why the job did not start, if it did not.
    pub(crate) not_started: Option<String>,
    pub(crate) work: Option<Work>,
    /// What was asked of the job and is not done yet: it waits for what is in flight.
    pub(crate) asked_for: Option<Wish>,
    pub(crate) papers: Papers,
    pub(crate) form: Form,
    pub(crate) written: Option<Written>,
    /// The papers with which it was written.
    pub(crate) papers_written: Option<Papers>,
}

impl Lane {
    pub(crate) fn new(seen: Seen, papers: &Papers, catalogue: &Catalogue, edition: Edition) -> Self {
        let verdict = seen.verdict();
        let draft = Draft {
            need: Need { sensitivity: Sensitivity::Moderate, reuse: true, leaves: false },
            order: suggested(&seen.drive, catalogue, edition),
            method: None,
            way: Technique::Overwrite,
        };
        let mut lane = Self {
            answered: !seen.hindrances.contains(&Hindrance::NoAnswer),
            seen,
            verdict,
            presence: Presence::Here,
            contents: None,
            sample: None,
            bytes: None,
            beacon: false,
            marked: false,
            speed: None,
            sampling: false,
            step: Step::Look,
            scroll: 0,
            draft,
            foreseen: None,
            plan: None,
            arming: Arming::default(),
            unfinished: None,
            going_on: false,
            not_started: None,
            work: None,
            asked_for: None,
            papers: papers.clone(),
            form: Form::default(),
            written: None,
            papers_written: None,
        };
        lane.choose_method(catalogue);
        lane
    }

    /// Goes to a step, and to its first line.
    pub(crate) fn enter(&mut self, step: Step) {
        (self.step, self.scroll) = (step, 0);
    }

    /// Chooses the method that suits the drive's class of media.
    pub(crate) fn choose_method(&mut self, catalogue: &Catalogue) {
        let suited = suggested(&self.seen.drive, catalogue, self.draft.order.edition);
        if let Some(method) = catalogue.titled(&suited.title) {
            self.draft.take_method(method);
        }
    }

    /// The byte viewer, where it is in sight.
    pub(crate) fn bytes_in_sight(&self) -> Option<&BytesView> {
        self.bytes.as_ref().filter(|_| self.step == Step::Look)
    }

    /// What the person must type to arm it.
    pub(crate) fn label(&self) -> Label {
        self.verdict.as_ref().map_or_else(|_| self.seen.drive.label(), |cleared| cleared.label().clone())
    }

    /// What follows from the draft as it stands: what was computed, if it is still of that, else anew.
    pub(crate) fn foreseen(&self) -> Cow<'_, Foreseen> {
        match &self.foreseen {
            Some(known) if self.stands_on(&known.of) => Cow::Borrowed(known),
            _ => Cow::Owned(self.foresee()),
        }
    }

    /// Computes what follows from the draft, if it is not known yet.
    pub(crate) fn look_ahead(&mut self) {
        if !self.foreseen.as_ref().is_some_and(|known| self.stands_on(&known.of)) {
            self.foreseen = Some(Box::new(self.foresee()));
        }
    }

    fn stands_on(&self, of: &Foundation) -> bool {
        let Foundation { drive, answers, order, speed } = of;
        (drive, answers, order, speed) == (&self.seen.drive, &self.seen.answers, &self.draft.order, &self.speed)
    }

    fn foresee(&self) -> Foreseen {
        let (drive, answers, order) = (&self.seen.drive, &self.seen.answers, &self.draft.order);
        Foreseen {
            ways: ladder(drive, answers, order, self.speed.as_ref()),
            plan: self.preview(order),
            of: Foundation { drive: drive.clone(), answers: answers.clone(), order: order.clone(), speed: self.speed },
        }
    }

    /// The plan that `order` would make, without its random choices.
    pub(crate) fn preview(&self, order: &Order) -> Result<Plan, PlanError> {
        Plan::new(&self.seen.drive, order, &mut NoEntropy)
    }

    /// Whether a job is running.
    pub(crate) fn is_working(&self) -> bool {
        self.work.as_ref().is_some_and(|w| w.end.is_none())
    }

    /// The record, once the job is over.
    pub(crate) fn record(&self) -> Option<&Record> {
        self.work.as_ref()?.end.as_ref().map(|end| &end.record)
    }

    pub(crate) fn state(&self) -> LaneState {
        let Some(work) = &self.work else {
            return match (&self.presence, &self.verdict, self.arming.stage, &self.plan) {
                (Presence::Gone(_), ..) => LaneState::Gone,
                (_, Err(_), ..) if self.answered => LaneState::Guarded,
                (_, Err(_), ..) => LaneState::Unknown,
                (_, _, ArmStage::Opening | ArmStage::Counting(_), _) => LaneState::Armed,
                (.., Some(_)) => LaneState::Planned,
                _ => LaneState::Ready,
            };
        };
        match &work.end {
            None if work.progress.is_held() => LaneState::Held,
            None if work.progress.activity() == jurex_core::erase::Activity::ReadingBack => LaneState::Proving,
            None => LaneState::Erasing,
            Some(end) => match end.record.evidence().ended {
                // One that has come back is not gone any more: its job can go on.
                Ended::Gone { .. } if matches!(self.presence, Presence::Gone(_)) => LaneState::Gone,
                Ended::Gone { .. }
                | Ended::StoppedAnswering { .. }
                | Ended::Stopped
                | Ended::GivenUp { .. }
                | Ended::Changed { .. }
                | Ended::Refused { .. } => LaneState::Failed,
                Ended::Finished if end.record.kept_its_plan() => LaneState::Proved,
                Ended::Finished => LaneState::Unproved,
            },
        }
    }

    /// What its paper is: nothing that is not sanitized has a certificate.
    pub(crate) fn paper(&self) -> &'static str {
        match self.record().map(|r| r.claim().outcome()) {
            Some(Outcome::NotSanitized) => "report",
            _ => "certificate",
        }
    }

    /// Whether the lane waits for the person: its job is over, and its certificate not written.
    pub(crate) fn needs_person(&self) -> bool {
        self.record().is_some() && !matches!(self.written, Some(Ok(_)))
    }

    /// Why a step can't be entered yet; `None` if it can.
    pub(crate) fn missing(&self, step: Step) -> Option<String> {
        let guarded = match (&self.presence, &self.verdict) {
            _ if self.work.is_some() => None,
            (Presence::Gone(since), _) => Some(format!("This drive is gone since {since}.")),
            (_, verdict) => verdict.as_ref().err().map(|r| format!("This drive is guarded: {r}.")),
        };
        match step {
            Step::Look => None,
            Step::Plan => guarded,
            Step::Arm => guarded
                .or_else(|| self.plan.is_none().then(|| "There is no plan yet: choose a way in Plan and press Enter.".into())),
            Step::Erase => {
                guarded.or_else(|| self.work.is_none().then(|| "Nothing is being erased: the drive must be armed first.".into()))
            }
            Step::Prove => guarded.or_else(|| {
                let begun =
                    self.work.as_ref().is_some_and(|w| w.end.is_some() || w.progress.evidence().read_backs().next().is_some());
                (!begun).then(|| "Nothing has been read back yet.".into())
            }),
            Step::Certify => guarded.or_else(|| {
                self.record().is_none().then(|| "There is no record yet: the job must come to its end first.".into())
            }),
        }
    }
}

/// Raw sectors of the drive.
pub(crate) struct BytesView {
    /// The chosen sector.
    pub(crate) cursor: u64,
    /// First byte of it that is shown.
    pub(crate) scroll: usize,
    /// First sector of the page, and its bytes once they are read.
    pub(crate) first: u64,
    pub(crate) page: Option<Result<Vec<u8>, String>>,
    pub(crate) prompt: Option<Prompt>,
    pub(crate) needle: Option<Needle>,
    /// Where a search is, while it goes on.
    pub(crate) searching: Option<u64>,
    pub(crate) said: Option<String>,
}

/// Something that is being typed in the byte viewer.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Prompt {
    /// A sector to go to.
    Sector(Line),
    /// Bytes or text to search for.
    Search(Line),
}

impl Prompt {
    pub(crate) fn field(&mut self) -> &mut Line {
        match self {
            Prompt::Sector(field) | Prompt::Search(field) => field,
        }
    }
}

/// Sectors that the byte viewer reads and draws at once.
pub(crate) const PAGE_SECTORS: u64 = 256;

/// Something that lies over the screen and takes the keys.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Dialog {
    Help,
    /// Stop the job of the chosen lane? Since when it is asked.
    Stop(Duration),
    /// Stop all jobs and quit? Since when it is asked.
    Quit(Duration),
    /// Find a drive by what it says.
    Find(Line),
    /// A range of sectors for the plan.
    Range(Line),
    /// Everything that can be done, by name.
    Palette(Palette),
}

/// What fills the screen.
pub(crate) enum Page {
    /// Lanes and desk.
    Bench,
    /// The library of methods and their editor.
    Methods(Box<MethodsPage>),
    /// One need and one policy for the marked drives.
    Lot(Box<LotPage>),
    /// The settings.
    Settings(SettingsPage),
}

/// The whole state.
pub(crate) struct App {
    pub(crate) lanes: Vec<Lane>,
    pub(crate) selected: usize,
    pub(crate) loading: bool,
    pub(crate) dialog: Option<Dialog>,
    /// What was just refused or done, in one sentence; gone with the next key.
    pub(crate) notice: Option<String>,
    pub(crate) theme: Theme,
    /// Time since the start.
    pub(crate) now: Duration,
    /// Time of day, hours and minutes.
    pub(crate) time_of_day: String,
    /// The settings as they are now.
    pub(crate) config: Config,
    pub(crate) size: (u16, u16),
    /// On a narrow screen: whether the lanes are shown, or the desk.
    pub(crate) lanes_in_front: bool,
    pub(crate) page: Page,
    pub(crate) catalogue: Catalogue,
    /// The saved policies by name.
    pub(crate) policies: Vec<String>,
    /// Set once quitting is decided; the loop ends when the last job has ended.
    pub(crate) quitting: bool,
    /// When the last letter was typed: what follows at once comes from a scanner or a paste, not from a hand.
    pub(crate) last_letter: Option<Duration>,
    /// Whether the person has done anything yet: until then the first drive that may be erased is chosen.
    pub(crate) touched: bool,
    /// The newest listing of drives that was told: answers of older ones are not taken.
    pub(crate) listing: u64,
}

impl App {
    pub(crate) fn new(theme: Theme, config: Config) -> Self {
        Self {
            lanes: vec![],
            selected: 0,
            loading: true,
            dialog: None,
            notice: None,
            theme,
            now: Duration::ZERO,
            time_of_day: String::new(),
            config,
            size: (160, 47),
            lanes_in_front: false,
            page: Page::Bench,
            catalogue: Catalogue::default(),
            policies: vec![],
            quitting: false,
            last_letter: None,
            touched: false,
            listing: 0,
        }
    }

    pub(crate) fn lane(&self) -> Option<&Lane> {
        self.lanes.get(self.selected)
    }

    pub(crate) fn lane_mut(&mut self) -> Option<&mut Lane> {
        self.lanes.get_mut(self.selected)
    }

    /// A lane for a drive that has come.
    pub(crate) fn new_lane(&self, seen: Seen) -> Lane {
        Lane::new(seen, &self.config.papers(), &self.catalogue, self.config.rules)
    }

    /// Whether lanes and desk take turns on this screen.
    pub(crate) fn is_narrow(&self) -> bool {
        let (width, height) = self.size;
        width < 100 || height < 30
    }

    /// Whether only the lanes are in sight.
    pub(crate) fn lanes_alone(&self) -> bool {
        self.is_narrow() && self.lanes_in_front
    }

    /// Number of running jobs.
    pub(crate) fn working(&self) -> usize {
        self.lanes.iter().filter(|l| l.is_working()).count()
    }
}

/// Something that happened.
pub(crate) enum Message {
    Key(KeyEvent),
    Mouse(MouseEvent),
    Resized(u16, u16),
    /// Time has passed: since the start, and as time of day.
    Tick(Duration, String),
    /// Every drive that is there now, as far as it is known, and the number of this listing.
    Drives(u64, Vec<Seen>),
    /// A drive has answered in that listing.
    Answered(u64, Box<Seen>),
    /// Text that was pasted.
    Pasted(String),
    /// The terminal is gone: jobs go on without a screen.
    TerminalLost,
    Looked(usize, Contents, Option<Sample>),
    /// The ledger has a job of this drive that was cut short, or has none.
    Unfinished(usize, Option<Box<Unfinished>>),
    /// Sectors for the byte viewer, from this one on.
    Page(usize, u64, Result<Vec<u8>, String>),
    Searching(usize, u64),
    Searched(usize, Result<Search, String>),
    /// The beacon has ended, perhaps by an error.
    BeaconEnded(usize, Option<String>),
    /// The drive is open for this process alone; the countdown may begin.
    Opened(usize),
    Planned(usize, Result<Box<Plan>, String>),
    /// The drive's speed was sampled.
    Sampled(usize, Result<SpeedSample, String>),
    /// Methods were saved or taken in: the catalogue as it is now.
    Catalogue(Result<(Catalogue, String), String>),
    /// A policy was read.
    Policy(Result<Box<Policy>, String>),
    /// A policy was saved: every name that there is now, and what to say.
    Policies(Result<(Vec<String>, String), String>),
    /// A setting was saved: the settings as they are now.
    Setting(Result<Box<Config>, String>),
    /// Something to say at the bottom.
    Said(String),
    Began(usize, JobId),
    /// The job did not start; nothing was written.
    NotStarted(usize, String),
    Job(usize, Event),
    Ended(usize, Box<WorkEnd>),
    Written(usize, Written),
    /// The system asks the program to end.
    Terminate,
}

/// Something to be done in the world.
#[derive(Debug)]
pub(crate) enum Command {
    Plan(usize, Order),
    /// Read at three places to learn how fast it is.
    SampleSpeed(usize),
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
    Go(usize),
    /// Close it again, nothing written.
    Abandon(usize),
    Look(usize),
    ReadPage(usize, u64),
    /// Search forwards from this byte.
    Search(usize, Needle, u64),
    BreakOffSearch(usize),
    Beacon(usize, bool),
    Wish(usize, Wish),
    Write(usize, Box<Record>),
    /// Leave the screen to the shell until the person comes back.
    Suspend,
}

/// A job to be started.
#[derive(Debug)]
pub(crate) struct Start {
    pub(crate) lane: usize,
    pub(crate) armed: ArmedPlan,
    pub(crate) before: Contents,
    pub(crate) papers: Papers,
    /// The job to go on with, if it is no new one.
    pub(crate) from: Option<Box<Unfinished>>,
    /// The sector to show again afterwards.
    pub(crate) sample_at: Option<Lba>,
}

/// The answers to "backed up?" in the order in which Tab or Space turns through them.
pub(crate) fn next_backup(backup: Backup) -> Backup {
    match backup {
        Backup::Unknown => Backup::Yes,
        Backup::Yes => Backup::No,
        Backup::No => Backup::NotNeeded,
        Backup::NotNeeded => Backup::Unknown,
    }
}
