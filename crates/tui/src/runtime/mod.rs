//! The loop: it waits for events, lets the state take them, carries out the commands, and draws. Slow work runs on
//! threads that send events; nothing here waits for a drive.

mod drives;
mod file_erase;
mod input;
mod job;
mod ledger;
mod machine;
mod people;
pub(crate) mod release;

use crate::app::App;
use crate::file_erase::FilesStage;
use crate::frame;
use crate::lane::bytes::PAGE_SECTORS;
use crate::lane::{Lane, LaneId};
use crate::message::{AskLedger, Effect, Message, Start};
use crate::screen::afar;
use crossbeam_channel::{Receiver, Sender, unbounded};
use drives::look_for_drives;
use input::read_terminal;
use jiff::Zoned;
use job::JobOfLane;
use jurex_device::bytes::{Needle, search};
use jurex_engine::Control;
use jurex_ledger::{Ledger, UnfinishedJob};
use jurex_look::terminal::{TerminalScreen, can_be_suspended, terminal_size};
use jurex_look::theme::Theme;
use jurex_look::tune::Tune;
use jurex_notice::Outbox;
use jurex_pattern::method::Method;
use jurex_pattern::pattern::AlignedBuffer;
use jurex_pattern::units::Lba;
use jurex_sanitize::plan::Plan;
use jurex_sanitize::residue::SearchProgress;
use jurex_sign::KnownKey;
use jurex_station::app_paths::AppPaths;
use jurex_station::bench::{Bench, DriveSnapshot, ReadError};
use jurex_station::beside::{self, ReadingEvent, WantedReading};
use jurex_station::clock::SystemEntropy;
use jurex_station::clock::ThisMachine;
use jurex_station::config::JobDefaults;
use jurex_station::config::{Config, ThemeName};
use jurex_station::exit::Failure;
use jurex_station::machine::Machine;
use jurex_station::methods;
use jurex_station::paper;
use jurex_station::policies;
use jurex_station::release::MarkHere;
use jurex_station::said::say;
use jurex_station::service::{JobService, People};
use jurex_station::settings::{self, Setting, SettingsFile};
use jurex_station::signing::Signer;
#[cfg(test)]
pub(crate) use ledger::whereabouts;
use ratatui::crossterm::execute;
use ratatui::crossterm::style::Print;
use ratatui::crossterm::terminal::SetTitle;
use std::collections::HashMap;
use std::io::{IsTerminal, stdin, stdout};
use std::path::PathBuf;
use std::process::ExitCode;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread::{self, JoinHandle};
use std::time::{Duration, Instant};

/// What the interface starts with.
pub struct Setup {
    /// Finds the drives; runs beside the interface.
    pub bench: Box<dyn FnOnce() -> Bench + Send>,
    pub theme: Option<ThemeName>,
    pub ledger: PathBuf,
    pub log: PathBuf,
    /// Folder for certificates.
    pub out: PathBuf,
    pub config: Config,
    /// Where methods of one's own are saved.
    pub config_file: PathBuf,
    /// Where settings are saved.
    pub settings: SettingsFile,
    /// Folder of the saved policies.
    pub policies: PathBuf,
    /// What vouches for what is written.
    pub seal: Arc<Signer>,
    /// Keys that marks are checked with, by name.
    pub keys: Vec<KnownKey>,
    /// Who elsewhere is told; `None`: nobody.
    pub outbox: Option<Outbox>,
    /// The machine, where a start medium has started it.
    pub machine: Option<Machine>,
    /// What is to be said at the start.
    pub says: Option<String>,
    /// Where notes of work on files are kept, and which files are made up.
    pub places: AppPaths,
    /// Whether the bench is a made-up one, with a guided tour.
    pub is_demo: bool,
    /// A file that says that somebody was greeted; `None`: nobody is.
    pub greeted: Option<PathBuf>,
}

/// The longest time without a new picture.
const FRAME: Duration = Duration::from_millis(100);

/// Runs the interface until the person quits.
pub fn run(setup: Setup) -> Result<ExitCode, Failure> {
    if !stdout().is_terminal() || !stdin().is_terminal() {
        let way = "the interface needs a terminal; without one use a command, or `jurex demo --unattended --out DIR` (see `jurex --help`)";
        return Err(Failure::Use(way.into()));
    }
    log_to(&setup.log);
    let terminal = TerminalScreen::open().map_err(|e| Failure::Use(format!("the terminal can't be used: {e}")))?;
    let mut runtime = Runtime::new(setup)?;
    let ended = runtime.turn(terminal);
    ended.map_err(|e| Failure::Use(format!("the terminal failed: {e}")))?;
    runtime.farewell();
    Ok(runtime.code())
}

/// The log goes to a file only: the screen belongs to the interface. Without a log the work goes on.
fn log_to(folder: &std::path::Path) {
    let file = std::fs::create_dir_all(folder)
        .and_then(|()| std::fs::OpenOptions::new().create(true).append(true).open(folder.join("jurex.log")));
    if let Ok(file) = file {
        let _ = tracing_subscriber::fmt().with_writer(std::sync::Mutex::new(file)).with_ansi(false).try_init();
    }
}

/// The way to a running job.
struct Wishes {
    sender: Sender<Control>,
    asked_to_stop: bool,
}

struct Runtime {
    app: App,
    start: Instant,
    sender: Sender<Message>,
    receiver: Receiver<Message>,
    ledger: PathBuf,
    out: PathBuf,
    habits: JobDefaults,
    seal: Arc<Signer>,
    keys: Arc<Vec<KnownKey>>,
    outbox: Option<Outbox>,
    /// Lots that were told to be done.
    lots_told: Vec<String>,
    /// Whether the end of a job rings.
    rings: bool,
    /// The terminal's title as it was set last.
    title: String,
    /// Jobs whose end was told.
    rung: usize,
    /// What the console's speaker plays, and the word that it played for last.
    tune: Tune,
    config_file: PathBuf,
    settings: SettingsFile,
    policies: PathBuf,
    /// Tells which drives alone may be erased, when that has changed.
    only: Sender<Vec<String>>,
    wishes: HashMap<LaneId, Wishes>,
    searches: HashMap<LaneId, Arc<AtomicBool>>,
    beacons: HashMap<LaneId, Arc<AtomicBool>>,
    /// Readings beside jobs.
    readings: HashMap<LaneId, Arc<AtomicBool>>,
    workers: Vec<JoinHandle<()>>,
    /// Certificates that are being written: they are waited for at the end.
    writers: Vec<JoinHandle<()>>,
    terminate: Arc<AtomicBool>,
    /// The terminal hung up.
    hung_up: Arc<AtomicBool>,
    /// The shell wants the screen.
    suspend: Arc<AtomicBool>,
    places: AppPaths,
    /// Ends the work on less than a drive.
    less_stops: Arc<AtomicBool>,
    /// Since when the program is to end.
    quitting_since: Option<Instant>,
}

/// A program that is to end waits no longer than this for jobs whose drives do not answer.
const QUIT_PATIENCE: Duration = Duration::from_secs(40);

impl Runtime {
    fn new(setup: Setup) -> Result<Self, Failure> {
        let (sender, receiver) = unbounded();
        let theme = Theme::of_environment(setup.theme);
        let mut app = App::new(theme, setup.config.clone());
        app.state.catalogue = setup.config.catalogue()?;
        app.state.policies = policies::names(&setup.policies);
        app.state.size = terminal_size();
        app.state.time_of_day = time_of_day();
        use signal_hook::consts::{SIGALRM, SIGHUP, SIGINT, SIGPROF, SIGQUIT, SIGTERM, SIGTSTP, SIGUSR1, SIGUSR2, SIGVTALRM};
        let flags = [AtomicBool::new(false), AtomicBool::new(false), AtomicBool::new(false)].map(Arc::new);
        let [terminate, hung_up, suspend] = flags;
        // Those that would end it at once, and leave the terminal as it is: one ends it in order, the others are none of its business.
        let nothing = Arc::new(AtomicBool::new(false));
        let ignored = [SIGUSR1, SIGUSR2, SIGALRM, SIGVTALRM, SIGPROF].map(|signal| (signal, &nothing));
        let heard = [(SIGTERM, &terminate), (SIGINT, &terminate), (SIGQUIT, &terminate), (SIGHUP, &hung_up), (SIGTSTP, &suspend)];
        for (signal, flag) in heard.into_iter().chain(ignored) {
            let failed = |e| Failure::Use(format!("cannot watch for signals: {e}"));
            signal_hook::flag::register(signal, flag.clone()).map_err(failed)?;
        }
        (app.state.machine, app.state.notice) = (setup.machine, setup.says);
        app.state.has_records = setup.ledger.exists();
        app.state.is_demo = setup.is_demo;
        // Whoever can't keep that file is greeted again: that harms nobody.
        if let Some(file) = setup.greeted.filter(|file| !file.exists()) {
            let _ = std::fs::write(file, "");
            app.greet();
        }
        if app.state.machine.is_some() {
            app.state.to_do.push(Effect::Notes);
        }
        app.state.signs = setup.seal.sentence();
        app.state.house = setup.seal.house.clone();
        app.state.to_do.push(Effect::Ledger(AskLedger::Lots));
        let (only, only_now) = unbounded();
        look_for_drives(setup.bench, only_now, sender.clone());
        let start = Instant::now();
        read_terminal(start, sender.clone());
        if let Some(outbox) = setup.outbox.clone() {
            people::send_notices(outbox, sender.clone());
        }
        let (ledger, out) = (setup.ledger, setup.out);
        Ok(Self {
            app,
            start,
            sender,
            receiver,
            ledger,
            out,
            habits: setup.config.habits(),
            seal: setup.seal,
            keys: setup.keys.into(),
            outbox: setup.outbox,
            lots_told: vec![],
            rings: setup.config.bell.unwrap_or(true),
            title: String::new(),
            rung: 0,
            tune: Tune::default(),
            config_file: setup.config_file,
            settings: setup.settings,
            policies: setup.policies,
            only,
            wishes: HashMap::new(),
            searches: HashMap::new(),
            beacons: HashMap::new(),
            readings: HashMap::new(),
            workers: vec![],
            places: setup.places,
            less_stops: Arc::default(),
            writers: vec![],
            terminate,
            hung_up,
            suspend,
            quitting_since: None,
        })
    }

    fn turn(&mut self, screen: TerminalScreen) -> std::io::Result<()> {
        let mut drawn = Instant::now() - FRAME;
        // Without a terminal the jobs go on with no screen; their records are in the ledger.
        let mut screen = Some(screen);
        loop {
            let idle = self.wait(FRAME.saturating_sub(drawn.elapsed()));
            let tick = Message::Tick(self.start.elapsed(), time_of_day());
            self.take(tick);
            if self.terminate.swap(false, Ordering::Relaxed) {
                self.take(Message::Terminate);
            }
            if self.hung_up.swap(false, Ordering::Relaxed) {
                tracing::warn!("the terminal hung up; jobs that run continue without a screen");
                self.take(Message::TerminalLost);
                screen = None;
            }
            if self.is_over() {
                break;
            }
            // A flood of progress is drawn at most thirty times a second; a key is answered at once.
            if !idle || drawn.elapsed() >= FRAME {
                if let Some(Err(e)) = screen.as_mut().map(|s| self.show(s)) {
                    tracing::warn!("the terminal failed ({e}); jobs that run continue without a screen");
                    self.take(Message::TerminalLost);
                    screen = None;
                }
                drawn = Instant::now();
            }
        }
        self.wait_for_writers();
        // A job whose drive hangs is waited for by nobody: its thread ends with the program.
        for worker in self.workers.drain(..).filter(JoinHandle::is_finished) {
            let _ = worker.join();
        }
        // Records that came while the last picture was shown.
        while let Ok(message) = self.receiver.try_recv() {
            self.app.update(message);
        }
        Ok(())
    }

    /// Whether everything has ended that the program waits for.
    fn is_over(&mut self) -> bool {
        if !self.app.state.quitting {
            return false;
        }
        let since = *self.quitting_since.get_or_insert_with(Instant::now);
        // Jobs that go on without a screen take their time; those that are to stop do not.
        let stopping = self.wishes.values().any(|w| w.asked_to_stop);
        !self.app.state.is_busy() || (stopping && since.elapsed() > QUIT_PATIENCE)
    }

    fn show(&mut self, screen: &mut TerminalScreen) -> std::io::Result<()> {
        if self.suspend.swap(false, Ordering::Relaxed) {
            if can_be_suspended() {
                screen.suspend()?;
            } else {
                self.app.state.notice = Some("There is no shell above that could resume it: it stays on the screen.".into());
            }
        }
        screen.take_size(self.app.state.size)?;
        screen.take_palette(self.app.state.theme)?;
        screen.terminal.draw(|frame| self.app.draw(frame))?;
        self.tell_the_terminal()
    }

    fn wait_for_writers(&mut self) {
        for writer in self.writers.drain(..) {
            let _ = writer.join();
        }
    }

    /// The terminal's title says what the lanes say; the end of a job rings, and is told as a notification.
    fn tell_the_terminal(&mut self) -> std::io::Result<()> {
        let title = frame::title(&self.app.state);
        if title != self.title {
            execute!(stdout(), SetTitle(&title))?;
            self.title = title;
        }
        let ended: Vec<&Lane> = self.app.state.lanes.iter().filter(|l| l.record().is_some()).collect();
        if ended.len() > self.rung && self.rings {
            let said = match ended.last().and_then(|l| Some((l, l.record()?))) {
                Some((lane, record)) => format!("{}: {}", lane.seen.drive.name(), record.claim().outcome()),
                None => String::new(),
            };
            // Names come from drives: nothing in them may end the sequence early.
            let said: String = said.chars().filter(|c| !c.is_control()).collect();
            execute!(stdout(), Print(format!("\x07\x1b]9;Jurex: {said}\x07")))?;
        }
        self.rung = ended.len();
        // Only Linux's own console plays tones.
        if self.rings && self.app.state.theme.palette().is_some() {
            self.tune.play(afar::word(&self.app.state))?;
        }
        Ok(())
    }

    /// Takes every event that is there; waits for the first one. Gives whether nothing came but progress.
    fn wait(&mut self, longest: Duration) -> bool {
        let mut idle = true;
        let mut next = self.receiver.recv_timeout(longest.max(Duration::from_millis(1))).ok();
        while let Some(message) = next {
            idle &= matches!(message, Message::Job(..));
            self.take(message);
            next = self.receiver.try_recv().ok();
        }
        idle
    }

    fn take(&mut self, message: Message) {
        self.tell_people(&message);
        for command in self.app.update(message) {
            self.carry_out(command);
        }
    }

    fn carry_out(&mut self, command: Effect) {
        match command {
            Effect::Unlock(lane) => self.beside(lane, move |seen, sender| {
                let said = seen.unlock().unwrap_or_else(|why| format!("{why}."));
                let _ = sender.send(Message::Said(said));
                // What it answers now is another thing: it is looked at again.
                let _ = sender.send(Message::Unlocked(lane, seen.answers_now().map(Box::new)));
            }),
            Effect::Power(lane) => self.app.state.lanes[lane].seen.switch_power(),
            Effect::Plan(lane, course) => {
                let drive = self.app.state.lanes[lane].seen.drive.clone();
                let plan = Plan::of(&drive, &course, &mut SystemEntropy).map(Box::new);
                self.take(Message::Planned(lane, plan));
            }
            Effect::SampleSpeed(lane) => self.beside(lane, move |seen, sender| {
                let _ = sender.send(Message::Sampled(lane, seen.sample_speed()));
            }),
            Effect::SaveMethods(catalogue, said) => {
                let saved = methods::save(&catalogue, &self.config_file).map(|()| (catalogue, said)).map_err(Into::into);
                self.take(Message::Catalogue(saved));
            }
            Effect::ExportMethods(chosen, file) => {
                let chosen: Vec<&Method> = chosen.iter().collect();
                let said = match methods::export(&chosen, &file) {
                    Ok(()) => format!("Written to {}.", file.display()),
                    Err(why) => format!("Nothing was written: {why}."),
                };
                self.take(Message::Said(said));
            }
            Effect::ImportMethods(file) => {
                let taken = methods::import(&self.app.state.catalogue, &file, &self.config_file);
                self.take(Message::Catalogue(taken.map(|(all, names)| (all, format!("Taken in: {}.", names.join(", "))))));
            }
            Effect::SaveSetting(setting, text) => self.save_setting(setting, &text),
            Effect::ReadPolicy(name) => {
                let read = policies::read(&self.policies, &name).map(Box::new);
                self.take(Message::Policy(read));
            }
            Effect::SavePolicy(name, policy) => {
                let saved = policies::save(&self.policies, &name, &policy);
                let names = || (policies::names(&self.policies), format!("The policy is saved as {name}."));
                self.take(Message::Policies(saved.map(|()| names())));
            }
            Effect::Open(start) => self.open(*start),
            Effect::Go(lane) => self.wish(lane, Control::GoOn),
            // Without a sender the waiting thread closes the drive and ends.
            Effect::Abandon(lane) => {
                self.wishes.remove(&lane);
            }
            Effect::Look(lane) => {
                let (ledger, keys) = (self.ledger.clone(), self.keys.clone());
                self.beside(lane, move |seen, sender| {
                    let _ = sender.send(Message::Mark(lane, MarkHere::on(&seen, &keys)));
                    let (contents, sample) = seen.look();
                    let _ = sender.send(Message::Looked(lane, contents, sample));
                    let _ = sender.send(Message::Unfinished(lane, unfinished(&ledger, &seen)));
                });
            }
            Effect::ReadPage(lane, first) => self.beside(lane, move |seen, sender| {
                let _ = sender.send(Message::Page(lane, first, read_page(&seen, first)));
            }),
            Effect::Search(lane, needle, from) => self.search(lane, needle, from),
            Effect::BreakOffSearch(lane) => Self::lower(&mut self.searches, lane),
            Effect::Beacon(lane, on) => self.beacon(lane, on),
            Effect::Wish(lane, wish) => self.wish(lane, wish),
            Effect::Read(lane, wanted) => self.read(lane, wanted),
            Effect::Write(lane, record) => {
                let (ledger, out, sender) = (self.ledger.clone(), self.out.clone(), self.sender.clone());
                let seal = self.seal.clone();
                self.writers.push(thread::spawn(move || {
                    let _ = sender.send(Message::Written(lane, paper::write(&record, &ledger, &out, &seal)));
                }));
            }
            Effect::Release(lane, wanted, by) => self.release(lane, *wanted, by),
            Effect::Label(job) => self.label(job),
            Effect::Ledger(asked) => self.ask_ledger(asked),
            Effect::Less(asked) => self.ask_less(asked),
            Effect::Machine(ask) => self.ask_machine(ask),
            Effect::Notes => self.look_at_machine(false),
            Effect::Volumes => self.look_at_machine(true),
            Effect::Suspend => self.suspend.store(true, Ordering::Relaxed),
        }
    }

    /// Saves a setting; what it says holds from now on.
    fn save_setting(&mut self, setting: Setting, text: &str) {
        if let Err(why) = self.tell_machine(setting, text) {
            return self.take(Message::Setting(Err(why)));
        }
        let saved = settings::save(&self.settings, setting, text);
        if let Ok(config) = &saved {
            (self.habits, self.rings) = (config.habits(), config.bell.unwrap_or(true));
            if setting == Setting::Only {
                let _ = self.only.send(config.only.clone());
            }
        }
        self.take(Message::Setting(saved.map(Box::new)));
    }

    fn wish(&mut self, lane: LaneId, wish: Control) {
        if let Some(wishes) = self.wishes.get_mut(&lane) {
            wishes.asked_to_stop |= wish == Control::Stop;
            let _ = wishes.sender.send(wish);
        }
    }

    /// Something slow with a lane's drive, on a thread of its own.
    fn beside(&self, lane: LaneId, work: impl FnOnce(DriveSnapshot, Sender<Message>) + Send + 'static) {
        let (seen, sender) = (self.app.state.lanes[lane].seen.clone(), self.sender.clone());
        thread::spawn(move || work(seen, sender));
    }

    fn open(&mut self, start: Start) {
        let Start { lane, armed, before, papers, requirement, from, sample_at } = start;
        let (wish, wishes) = unbounded();
        self.wishes.insert(lane, Wishes { sender: wish, asked_to_stop: false });
        let (seen, sender) = (self.app.state.lanes[lane].seen.clone(), self.sender.clone());
        let bench = self.app.state.config.bench.clone();
        let people = self.outbox.clone().map(|outbox| People { outbox, bench });
        let (ledger, habits, seal) = (self.ledger.clone(), self.habits, self.seal.clone());
        let service = JobService { ledger, habits, seal, people, around: Arc::new(ThisMachine) };
        self.workers.push(thread::spawn(move || {
            let job = JobOfLane { lane, seen, service, sender: sender.clone(), wishes, sample_at };
            let run = std::panic::AssertUnwindSafe(|| job.run(armed, before, (papers, requirement), from));
            if std::panic::catch_unwind(run).is_err() {
                let said = "A defect in Jurex ended this job. The drive is Not sanitized, and there is no record; the ledger has its events.";
                let _ = sender.send(Message::NotStarted(lane, said.into()));
            }
        }));
    }

    /// A flag that a new piece of work of this kind on this lane looks at; an earlier one ends.
    fn flag(flags: &mut HashMap<LaneId, Arc<AtomicBool>>, lane: LaneId) -> Arc<AtomicBool> {
        let flag = Arc::new(AtomicBool::new(true));
        if let Some(earlier) = flags.insert(lane, flag.clone()) {
            earlier.store(false, Ordering::Relaxed);
        }
        flag
    }

    /// The work of this kind on this lane is to end.
    fn lower(flags: &mut HashMap<LaneId, Arc<AtomicBool>>, lane: LaneId) {
        if let Some(flag) = flags.remove(&lane) {
            flag.store(false, Ordering::Relaxed);
        }
    }

    fn search(&mut self, lane: LaneId, needle: Needle, from: u64) {
        let go_on = Self::flag(&mut self.searches, lane);
        self.beside(lane, move |seen, sender| {
            let mut told = Instant::now();
            let mut tell = |at: u64| {
                if told.elapsed() > FRAME {
                    told = Instant::now();
                    let _ = sender.send(Message::Searching(lane, at));
                }
                go_on.load(Ordering::Relaxed)
            };
            let mut search = || Ok(search(seen.peek()?.as_mut(), &needle, from, &mut tell)?);
            let found = search();
            let _ = sender.send(Message::Searched(lane, found));
        });
    }

    /// Begins a reading beside the job, or ends it.
    fn read(&mut self, lane: LaneId, what: WantedReading) {
        if let WantedReading::End = what {
            return Self::lower(&mut self.readings, lane);
        }
        let (flag, out, ledger) = (Self::flag(&mut self.readings, lane), self.out.clone(), self.ledger.clone());
        let seal = self.seal.clone();
        let by = self.app.state.lanes[lane].papers.technician.clone();
        self.beside(lane, move |seen, sender| {
            let tell = |share| drop(sender.send(Message::Reading(lane, ReadingEvent::On(share))));
            let heard = match what {
                WantedReading::Again(record, all) => {
                    let mut again = beside::read_again(&seen, &record, all, by, &out, seal.key(), (flag, &tell));
                    again.iter_mut().for_each(|a| a.said.extend(beside::not_noted(&ledger, &a.verification)));
                    ReadingEvent::Again(again.map(Box::new))
                }
                WantedReading::AsLeft(job) => {
                    let read = beside::as_left(&seen, &job, &ledger, by, (flag, &tell));
                    let untaken = read.iter().find_map(|v| beside::not_noted(&ledger, v));
                    untaken.into_iter().for_each(|why| drop(sender.send(Message::Said(why))));
                    ReadingEvent::AsLeft(read.map(Box::new))
                }
                _ => {
                    let tell = |so_far: SearchProgress| {
                        drop(sender.send(Message::Reading(lane, ReadingEvent::Searching(so_far.share(), so_far.finds))));
                    };
                    ReadingEvent::Left(beside::search_left(&seen, flag, &tell).map(Box::new))
                }
            };
            let _ = sender.send(Message::Reading(lane, heard));
        });
    }

    fn beacon(&mut self, lane: LaneId, on: bool) {
        let go_on = Self::flag(&mut self.beacons, lane);
        go_on.store(on, Ordering::Relaxed);
        if !on {
            return;
        }
        self.beside(lane, move |seen, sender| {
            let ended = seen.beacon(&|| go_on.load(Ordering::Relaxed));
            // One that was ended by the person tells nothing: another may be on by now.
            if let Err(why) = ended {
                let _ = sender.send(Message::BeaconEnded(lane, why));
            }
        });
    }

    /// What became of each job, said on the plain terminal after the screen is put back.
    fn farewell(&self) {
        if let FilesStage::Over { record, results, .. } = &self.app.state.less.stage {
            let what = jurex_pattern::text::printable(record.what().as_bytes());
            say(&format!("{}: {what}. {}", record.asked.job, results.first().cloned().unwrap_or_default()));
            if record.is_cut_short() {
                say("  it was cut short: jurex files --resume resumes files");
            }
        }
        for lane in self.app.state.lanes.iter() {
            let drive = lane.seen.drive.called();
            if lane.is_working() {
                let job = lane.work().and_then(|w| w.job.as_ref()).map(ToString::to_string).unwrap_or_default();
                say(&format!("{job}: {drive} does not answer. Its job has no record yet: resume it (--resume) once it does."));
            }
            let Some(record) = lane.record() else { continue };
            say(&format!("{}: {drive} {}. {}", record.job, record.claim().outcome(), record.evidence().ended.sentence()));
            if !lane.is_written() {
                say(&format!("  no {} written yet: jurex certificate {} --out DIR", lane.paper(), record.job));
            }
        }
    }

    /// 4 if a job or a work on files was stopped or its drive went away, else 0: the interface itself has no planned outcome.
    fn code(&self) -> ExitCode {
        let cut_short = |l: &Lane| l.is_working() || l.record().is_some_and(|r| r.evidence().ended.can_go_on());
        let less = matches!(&self.app.state.less.stage, FilesStage::Over { record, .. } if record.is_cut_short());
        if less || self.app.state.lanes.iter().any(cut_short) { ExitCode::from(4) } else { ExitCode::SUCCESS }
    }
}

fn time_of_day() -> String {
    Zoned::now().strftime("%H:%M").to_string()
}

/// The byte viewer's page from that sector on, cut at the drive's end.
fn read_page(seen: &DriveSnapshot, first: u64) -> Result<Vec<u8>, ReadError> {
    let mut medium = seen.peek()?;
    let geometry = medium.geometry();
    let count = PAGE_SECTORS.min(geometry.sectors.saturating_sub(first));
    let mut buffer = AlignedBuffer::new(geometry.bytes_of(count) as usize);
    medium.read(Lba(first), buffer.bytes())?;
    Ok(buffer.bytes().to_vec())
}

/// The job of this drive that was cut short, if the ledger has one. A ledger that is not there yet is not made for that.
fn unfinished(ledger: &std::path::Path, seen: &DriveSnapshot) -> Option<Box<UnfinishedJob>> {
    ledger.exists().then(|| Ledger::open(ledger).ok()?.unfinished_on(&seen.drive).ok()?.map(Box::new))?
}
