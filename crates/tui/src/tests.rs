//! Every step through a test terminal, with a world that is carried out at once and a clock that counts.

use super::app::App;
use super::lane::bytes::PAGE_SECTORS;
use super::lane::rows::PlanRow;
use super::lane::stage::WorkEnd;
use super::lane::{LaneId, LaneState, Step};
use super::measure::many;
use super::message::{AskLedger, AskLess, Effect, Message, Start};
use super::screen::help::Help;
use super::screen::line::TypedLine;
use super::screen::question::Question;
use jiff::Timestamp;
use jurex_device::guard::{self, Blocker};
use jurex_device::media::Scope;
use jurex_device::medium::Medium;
use jurex_device::medium::Port;
use jurex_device::native::{Capabilities, OwnState};
use jurex_device::testing::Fixed;
use jurex_disposition::proof::Finding;
use jurex_engine::{Activity, Clock, Control, Event, JobControl, Now, Unattended};
use jurex_linux::OpenError;
use jurex_look::need::NeedQuestion;
use jurex_look::theme::{Depth, Theme};
use jurex_pattern::notation::Entropy;
use jurex_pattern::units::{Lba, Sectors};
use jurex_sanitize::estimate::SpeedSample;
use jurex_sanitize::plan::Plan;
use jurex_sanitize::record::{JobId, Record, SecondLook, Tool};
use jurex_sanitize::rules::{Outcome, Technique};
use jurex_sim::{Fault, Pacing};
use jurex_station::bench::{Bench, DriveSnapshot};
use jurex_station::beside::{Again, LaneReading, ReadingEvent, WantedReading};
use jurex_station::clock::Surroundings;
use jurex_station::config::{Config, JobDefaults, ThemeName};
use jurex_station::policies;
use jurex_station::readings;
use jurex_station::service::JobService;
use jurex_station::settings::{Setting, SettingsFile};
use jurex_station::signing::Signer;
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers, MouseButton, MouseEvent, MouseEventKind};
use std::cell::Cell;
use std::collections::HashMap;
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Duration;

struct Counting(Cell<u64>);
impl Clock for Counting {
    fn now(&self) -> Now {
        self.0.set(self.0.get() + 1);
        Now { wall: Timestamp::UNIX_EPOCH, mono: Duration::from_millis(self.0.get() * 40) }
    }

    fn sleep(&self, so_long: Duration) {
        self.0.set(self.0.get() + so_long.as_millis() as u64 / 40);
    }
}

/// Stops the job at that poll.
struct StopsAt(Option<u32>);
impl JobControl for StopsAt {
    fn poll(&mut self) -> Option<Control> {
        let left = self.0.as_mut()?;
        *left = left.saturating_sub(1);
        (*left == 0).then_some(Control::Stop)
    }
    fn wait(&mut self) -> Option<Control> {
        Some(Control::GoOn)
    }
}

/// The same time always, and names of jobs in their order.
#[derive(Debug, Default)]
struct WrittenDown(AtomicUsize);

impl Surroundings for WrittenDown {
    fn clock(&self) -> Box<dyn Clock> {
        Box::new(Counting(Cell::new(0)))
    }

    fn wall(&self) -> Timestamp {
        Timestamp::UNIX_EPOCH
    }

    fn job_id(&self) -> JobId {
        const NAMES: [&str; 9] = [
            "261123-4F7QZK",
            "261123-M2R8D1",
            "261123-T5W0XE",
            "261123-9B3HKC",
            "261123-D4V1NS",
            "261123-H8G0AJ",
            "261123-P3C6RW",
            "261123-X2M9TE",
            "261123-Z5K7FB",
        ];
        NAMES[self.0.fetch_add(1, Ordering::Relaxed)].parse().unwrap()
    }

    fn entropy(&self) -> Box<dyn Entropy> {
        Box::new(Fixed(0x2a))
    }
}

/// The interface over the simulated bench. Jobs run at once, but their messages are handed over only when asked for.
struct World {
    app: App,
    bench: jurex_sim::SimBench,
    now: Duration,
    pending: Vec<Message>,
    wishes: Vec<Control>,
    opened: HashMap<LaneId, Start>,
    beacons: Vec<(LaneId, bool)>,
    asked_of_ledger: Vec<AskLedger>,
    asked_of_machine: Vec<jurex_station::machine::Ask>,
    asked_of_less: Vec<AskLess>,
    settings: SettingsFile,
    home: tempfile::TempDir,
    stop_at: Option<u32>,
    around: Arc<WrittenDown>,
    /// Keys that were pressed so far, those of a drive's serial and of a name that is searched for not among them.
    pressed: usize,
    labels: usize,
}

impl World {
    fn new(theme: ThemeName, (width, height): (u16, u16)) -> Self {
        Self::on(&sim(), theme, (width, height))
    }

    /// What the bench's drives are now, but for those in the bays that are named.
    fn list(bench: &jurex_sim::SimBench, without: &[u32]) -> Message {
        let drives = Bench::of_bays(bench.bays()).drives();
        let left = drives.into_iter().filter(|s| without.iter().all(|bay| s.drive.path != format!("sim:{bay}")));
        Message::Drives(1, left.collect())
    }

    fn on(bench: &jurex_sim::SimBench, theme: ThemeName, size: (u16, u16)) -> Self {
        let home = tempfile::tempdir().unwrap();
        let mut app = App::new(Theme::new(theme, Depth::True), Config::demo());
        app.state.size = size;
        // Handles on the same simulated drives.
        let drives = Bench::of_bays(bench.bays()).drives();
        app.update(Message::Tick(Duration::ZERO, "14:32".into()));
        app.update(Message::Drives(1, drives.clone()));
        for (lane, seen) in drives.iter().enumerate() {
            let (contents, sample) = seen.look();
            app.update(Message::Mark(LaneId::nth(lane), jurex_station::release::MarkHere::on(seen, &[])));
            app.update(Message::Looked(LaneId::nth(lane), contents, sample));
        }
        Self {
            app,
            bench: jurex_sim::SimBench::of(bench),
            now: Duration::ZERO,
            pending: vec![],
            wishes: vec![],
            opened: HashMap::new(),
            beacons: vec![],
            asked_of_ledger: vec![],
            asked_of_machine: vec![],
            asked_of_less: vec![],
            settings: SettingsFile { path: home.path().join("config.toml"), at_first: jurex_station::config::DEMO },
            home,
            stop_at: None,
            around: Arc::default(),
            pressed: 0,
            labels: 0,
        }
    }

    fn send(&mut self, message: Message) {
        for command in self.app.update(message) {
            self.carry_out(command);
        }
    }

    fn carry_out(&mut self, command: Effect) {
        match command {
            Effect::Plan(lane, course) => {
                let plan = Plan::of(&self.app.state.lanes[lane].seen.drive, &course, self.around.entropy().as_mut());
                self.send(Message::Planned(lane, plan.map(Box::new)));
            }
            Effect::SampleSpeed(lane) => {
                self.send(Message::Sampled(lane, Ok(SpeedSample { start: 200e6, middle: 160e6, end: 100e6 })));
            }
            Effect::SaveMethods(catalogue, said) => self.send(Message::Catalogue(Ok((catalogue, said)))),
            Effect::ExportMethods(chosen, file) => {
                let names: Vec<String> = chosen.into_iter().map(|m| m.name).collect();
                self.send(Message::Said(format!("{} to {}", names.join(", "), file.display())));
            }
            Effect::ImportMethods(file) => {
                let taken = jurex_station::methods::import(&self.app.state.catalogue, &file, &self.settings.path);
                self.send(Message::Catalogue(taken.map(|(all, names)| (all, names.join(", ")))));
            }
            Effect::SaveSetting(setting, text) => {
                let saved = jurex_station::settings::save(&self.settings, setting, &text);
                self.send(Message::Setting(saved.map(Box::new)));
            }
            Effect::ReadPolicy(name) => {
                self.send(Message::Policy(policies::read(self.home.path(), &name).map(Box::new)));
            }
            Effect::SavePolicy(name, policy) => {
                let saved = policies::save(self.home.path(), &name, &policy);
                let told = saved.map(|()| (policies::names(self.home.path()), format!("saved as {name}")));
                self.send(Message::Policies(told));
            }
            Effect::Open(start) => {
                let lane = start.lane;
                self.opened.insert(lane, *start);
                self.send(Message::Opened(lane));
            }
            Effect::Abandon(lane) => {
                self.opened.remove(&lane);
            }
            Effect::Go(lane) => self.go(lane),
            Effect::Look(lane) => {
                let (contents, sample) = self.app.state.lanes[lane].seen.look();
                let mark = jurex_station::release::MarkHere::on(&self.app.state.lanes[lane].seen, &[]);
                self.send(Message::Mark(lane, mark));
                self.send(Message::Looked(lane, contents, sample));
            }
            Effect::ReadPage(lane, first) => {
                let mut medium = self.app.state.lanes[lane].seen.peek().unwrap();
                let mut page = vec![0; (PAGE_SECTORS.min(medium.geometry().sectors - first) * 512) as usize];
                medium.read(Lba(first), &mut page).unwrap();
                self.send(Message::Page(lane, first, Ok(page)));
            }
            Effect::Search(lane, needle, from) => {
                let mut medium = self.app.state.lanes[lane].seen.peek().unwrap();
                let found = jurex_device::bytes::search(medium.as_mut(), &needle, from, &mut |_| true);
                self.send(Message::Searched(lane, found.map_err(Into::into)));
            }
            Effect::Read(lane, wanted) => self.read(lane, wanted),
            Effect::Ledger(asked) => self.asked_of_ledger.push(asked),
            Effect::Machine(ask) => self.asked_of_machine.push(ask),
            Effect::Less(asked) => self.asked_of_less.push(asked),
            Effect::Notes | Effect::Volumes | Effect::BreakOffSearch(_) | Effect::Suspend => {}
            Effect::Beacon(lane, on) => self.beacons.push((lane, on)),
            Effect::Wish(_, wish) => self.wishes.push(wish),
            Effect::Unlock(lane) => {
                let seen = self.app.state.lanes[lane].seen.clone();
                let said = seen.unlock().unwrap_or_else(|why| why.to_string());
                self.send(Message::Said(said));
                self.send(Message::Unlocked(lane, seen.answers_now().map(Box::new)));
            }
            Effect::Power(lane) => self.app.state.lanes[lane].seen.switch_power(),
            Effect::Release(lane, wanted, by) => self.release(lane, &wanted, &by),
            Effect::Label(job) => {
                self.labels += 1;
                self.send(Message::Said(format!("label of {job}")));
            }
            Effect::Write(lane, record) => {
                let path = |ending: &str| PathBuf::from(format!("/home/ines/certificates/{}.{ending}", record.job));
                self.send(Message::Written(lane, Ok(vec![path("record.json"), path("certificate.pdf"), path("strata.svg")])));
            }
        }
    }

    /// What becomes of a drive is done and noted at once, in a ledger of its own.
    fn release(&mut self, lane: LaneId, wanted: &jurex_station::release::WantedRelease, by: &str) {
        let (seen, is_here) = (self.app.state.lanes[lane].seen.clone(), !self.app.state.lanes[lane].is_gone());
        let (ledger, seal) = (self.home.path().join("ledger.sqlite3"), jurex_station::signing::Signer::none(Default::default()));
        let who = (by, self.app.state.config.rules, &seal);
        let done = super::runtime::release::note(&seen, is_here, wanted, who, &ledger, self.home.path());
        self.send(Message::Released(lane, done));
    }

    /// A reading beside the job is over at once.
    fn read(&mut self, lane: LaneId, wanted: WantedReading) {
        let seen = self.app.state.lanes[lane].seen.clone();
        let heard = match wanted {
            WantedReading::End => return,
            WantedReading::AsLeft(job) => ReadingEvent::AsLeft(Err(format!("no record of {job}"))),
            WantedReading::Left => {
                let left = readings::search_leftovers(&seen, false, &mut jurex_engine::Unattended, &mut |_| {}).map(Box::new);
                ReadingEvent::Left(left.map_err(|e| e.to_string()))
            }
            WantedReading::Again(record, all) => {
                let expected = jurex_disposition::proof::ExpectedContents::by_record(&record);
                let sampling = (!all).then(|| jurex_sanitize::sampling::Sampling::new([7; 16]));
                let by = self.app.state.lanes[lane].papers.technician.clone();
                ReadingEvent::Again(expected.map_err(|e| format!("It can't be proved again: {e}.")).and_then(|expected| {
                    let proved = readings::prove(&seen, Some(&record), (expected, sampling), by, &mut Unattended, &mut |_| {});
                    let written = Ok(PathBuf::from("/home/ines/certificates/261123-4F7QZK.verification.json"));
                    proved.map(|v| Box::new(Again::new(v, written))).map_err(|e| e.to_string())
                }))
            }
        };
        self.send(Message::Reading(lane, heard));
    }

    /// The service that runs the jobs of this world: its ledger is a real one, its time and its chance are written down.
    fn service(&self) -> JobService {
        JobService {
            ledger: self.home.path().join("jobs.sqlite3"),
            habits: JobDefaults { hold_above: None, second_percent: 0 },
            seal: Signer::none(Default::default()).into(),
            people: None,
            around: self.around.clone(),
        }
    }

    /// The job of the lane runs at once; what it told waits to be handed over.
    fn go(&mut self, lane: LaneId) {
        let Start { lane, armed, before, papers, requirement, from, sample_at } =
            self.opened.remove(&lane).expect("the drive is open");
        let (service, seen) = (self.service(), self.app.state.lanes[lane].seen.clone());
        let opened = service.open(&seen, &armed).unwrap();
        let job = match from {
            Some(from) => service.go_on(opened, armed, *from).unwrap(),
            None => service.begin(opened, armed, before, (papers, requirement)).unwrap(),
        };
        self.pending.push(Message::Began(lane, job.id().clone()));
        let mut control = StopsAt(self.stop_at.take());
        let pending = &mut self.pending;
        let ended = service.run(job, &mut control, &mut |event| pending.push(Message::Job(lane, event.clone())));
        assert!(ended.doubts.is_empty() && ended.finished.ledger_trouble.is_none());
        let end = WorkEnd {
            mark: ended.finished.mark_said(),
            record: ended.finished.record,
            ledger_trouble: None,
            unfinished: ended.finished.unfinished,
            after: sample_at.and_then(|at| seen.sector(at)),
        };
        self.pending.push(Message::Ended(lane, Box::new(end)));
    }

    fn key(&mut self, code: KeyCode) {
        self.pressed += 1;
        if code == KeyCode::Enter {
            // A hand takes its time.
            self.now += Duration::from_millis(100);
            let now = self.now;
            self.send(Message::Tick(now, "14:32".into()));
        }
        self.send(Message::Key(KeyEvent::new(code, KeyModifiers::NONE)));
    }

    fn keys(&mut self, text: &str) {
        text.chars().for_each(|c| self.key(KeyCode::Char(c)));
    }

    /// Types or scans a serial: that is no work of hands that could be spared.
    fn scan(&mut self, serial: &str) {
        self.keys(serial);
        self.pressed -= serial.len();
    }

    /// Turns a row of the plan so many values on (or back), as its keys do.
    fn turn(&mut self, row: PlanRow, by: i32) {
        self.key(KeyCode::Tab);
        let rows = PlanRow::of(self.app.state.lane().unwrap());
        let at = rows.iter().position(|r| *r == row).unwrap_or_else(|| panic!("{row:?} is not among {rows:?}"));
        (0..at).for_each(|_| self.key(KeyCode::Down));
        (0..by.abs()).for_each(|_| self.key(if by > 0 { KeyCode::Right } else { KeyCode::Left }));
        self.key(KeyCode::Tab);
    }

    /// Opens what a row of the plan opens.
    fn open_row(&mut self, row: PlanRow) {
        self.turn(row, 0);
        self.key(KeyCode::Tab);
        let at = PlanRow::of(self.app.state.lane().unwrap()).iter().position(|r| *r == row).unwrap();
        (0..at).for_each(|_| self.key(KeyCode::Down));
        self.key(KeyCode::Enter);
    }

    fn pass(&mut self, seconds: u64) {
        self.now += Duration::from_secs(seconds);
        let now = self.now;
        self.send(Message::Tick(now, "14:32".into()));
    }

    /// Hands over what the job told up to the first event that `until` accepts.
    fn tell_until(&mut self, until: impl Fn(&Event) -> bool) {
        let at = self.pending.iter().position(|m| matches!(m, Message::Job(_, e) if until(e))).expect("the job tells that");
        let messages: Vec<Message> = self.pending.drain(..=at).collect();
        messages.into_iter().for_each(|m| self.send(m));
    }

    fn tell_all(&mut self) {
        std::mem::take(&mut self.pending).into_iter().for_each(|m| self.send(m));
    }

    fn choose(&mut self, serial: &str) {
        self.keys("/");
        self.keys(serial);
        self.key(KeyCode::Enter);
    }

    /// From Look to the first write of the chosen drive.
    fn start(&mut self, label: &str) {
        self.key(KeyCode::Enter);
        self.key(KeyCode::Enter);
        self.keys(label);
        self.key(KeyCode::Enter);
        self.pass(5);
    }

    fn picture(&self) -> Terminal<TestBackend> {
        let mut terminal = Terminal::new(TestBackend::new(self.app.state.size.0, self.app.state.size.1)).unwrap();
        terminal.draw(|frame| self.app.draw(frame)).unwrap();
        terminal
    }

    fn text(&self) -> String {
        self.picture().backend().to_string()
    }

    fn state(&self, lane: LaneId) -> LaneState {
        self.app.state.lanes[lane].state()
    }
}

mod files;
mod ledger;
mod machine;
mod release;

fn sim() -> jurex_sim::SimBench {
    jurex_sim::SimBench::new(Pacing::Unpaced)
}

/// The row of Plan that asks whether the drive leaves.
const LEAVES: PlanRow = PlanRow::Need(NeedQuestion::Leaves);
const FULL: (u16, u16) = (160, 47);
const MAGNETIC: LaneId = LaneId::nth(1);
const STICK: LaneId = LaneId::nth(5);
const CARD: LaneId = LaneId::nth(6);

#[test]
fn the_whole_walk_of_a_memory_card() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("R90C2Y");
    insta::assert_snapshot!("1-look", world.picture().backend());
    world.key(KeyCode::Enter);
    insta::assert_snapshot!("2-plan", world.picture().backend());
    world.key(KeyCode::Enter);
    world.keys("R90");
    insta::assert_snapshot!("3-arm", world.picture().backend());
    world.keys("C2Y");
    world.key(KeyCode::Tab);
    world.key(KeyCode::Enter);
    assert_eq!(world.state(CARD), LaneState::Armed);
    world.pass(4);
    assert!(world.pending.is_empty(), "nothing is written before the five seconds are over");
    world.pass(1);
    let halfway = |e: &Event| matches!(e, Event::Advanced { pass: 1, at, .. } if at.end() > 30_000);
    world.tell_until(halfway);
    insta::assert_snapshot!("4-erase", world.picture().backend());
    world.tell_all();
    insta::assert_snapshot!("5-prove", world.picture().backend());
    world.key(KeyCode::Enter);
    world.key(KeyCode::Tab);
    world.keys("BWS-03312");
    assert!(world.app.state.lanes[CARD].needs_person());
    world.key(KeyCode::Enter);
    insta::assert_snapshot!("6-certify", world.picture().backend());
    assert!(!world.app.state.lanes[CARD].needs_person());
}

#[test]
fn faults_show_in_every_place_that_speaks_of_them() {
    let bench = sim();
    let stick = &bench.bay(6).unwrap().drive;
    stick.add_fault(Fault::Unwritable(Sectors::new(5_000, 16)));
    stick.add_fault(Fault::Unreadable(Sectors::new(10_000, 1)));
    let mut world = World::on(&bench, ThemeName::Dark, FULL);
    world.choose("0N2XV8");
    world.start("0N2XV8");
    world.tell_all();
    assert_eq!(world.state(STICK), LaneState::Unproved);
    insta::assert_snapshot!("faults-prove", world.picture().backend());
    world.key(KeyCode::Left);
    insta::assert_snapshot!("faults-erase", world.picture().backend());
}

#[test]
fn both_themes_colour_by_meaning() {
    let mut told = vec![];
    for theme in [ThemeName::Dark, ThemeName::Light, ThemeName::Mono] {
        let bench = sim();
        bench.bay(7).unwrap().drive.add_fault(Fault::Unwritable(Sectors::new(50_000, 16)));
        let mut world = World::on(&bench, theme, FULL);
        world.choose("R90C2Y");
        world.start("R90C2Y");
        world.tell_all();
        let terminal = world.picture();
        let buffer = terminal.backend().buffer();
        for sign in ["j", "⊘", "█", "━", "✕", "░", "◉", "·"] {
            let cell = buffer.content().iter().find(|c| c.symbol() == sign).unwrap_or_else(|| panic!("{sign} is drawn"));
            told.push(format!("{theme:?} {sign} {:?} on {:?} {:?}", cell.fg, cell.bg, cell.modifier));
        }
    }
    insta::assert_snapshot!("themes", told.join("\n"));
}

#[test]
fn smaller_terminals_get_smaller_pictures_and_too_small_ones_a_sentence() {
    for size in [(100, 30), (80, 24)] {
        let mut world = World::new(ThemeName::Dark, size);
        world.choose("R90C2Y");
        world.key(KeyCode::Enter);
        insta::assert_snapshot!(format!("plan-{}x{}", size.0, size.1), world.picture().backend());
    }
    let mut world = World::new(ThemeName::Dark, (80, 24));
    world.key(KeyCode::Esc);
    assert!(world.text().contains("Ferrant Meridian 2000") && !world.text().contains("Is that the right drive"));
    world.key(KeyCode::Enter);
    assert!(world.text().contains("Is that the right drive"));
    let tiny = World::new(ThemeName::Dark, (60, 12));
    assert!(tiny.text().contains("Jurex needs 80 columns and 24 rows; this terminal has 60"));
}

#[test]
fn every_step_draws_at_every_size() {
    let mut world = World::new(ThemeName::Light, FULL);
    world.choose("R90C2Y");
    world.start("R90C2Y");
    world.tell_all();
    for step in Step::ALL {
        world.app.state.lanes[CARD].step = step;
        for over in 0..4 {
            let help = || Help::new(("Look", ["a", "b", "c"]), vec![]);
            *world.app.above_mut() = match over {
                0 => vec![],
                1 => vec![Box::new(help())],
                2 => vec![Box::new(Question::quit(Duration::ZERO))],
                _ => vec![Box::new(TypedLine::to_find())],
            };
            for width in [1, 20, 79, 80, 99, 100, 161] {
                for height in [1, 5, 23, 24, 29, 30, 60] {
                    world.app.state.size = (width, height);
                    world.picture();
                }
            }
        }
    }
}

#[test]
fn a_wrong_label_names_the_drive_that_it_belongs_to() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("K7Q41M");
    world.start("R90C2Y");
    let text = world.text();
    assert!(text.contains("label check failed") && text.contains("Tessel Logger 32"), "{text}");
    assert_eq!(world.state(MAGNETIC), LaneState::Planned);
    assert!(world.pending.is_empty());
    world.keys("nonsense");
    world.key(KeyCode::Enter);
    assert!(world.text().contains("label of no drive on this bench"));
}

#[test]
fn any_key_stops_the_countdown_and_a_new_answer_is_needed() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("K7Q41M");
    world.key(KeyCode::Enter);
    world.key(KeyCode::Enter);
    world.keys("k7q41m");
    world.key(KeyCode::Enter);
    assert_eq!(world.state(MAGNETIC), LaneState::Armed);
    world.key(KeyCode::Enter);
    world.pass(60);
    assert_eq!(world.state(MAGNETIC), LaneState::Planned);
    assert!(world.pending.is_empty() && world.text().contains("Nothing was written"));
}

#[test]
fn a_guarded_drive_can_be_looked_at_and_nothing_else() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("3H08TB");
    assert_eq!(world.state(LaneId::nth(0)), LaneState::Guarded);
    for key in [KeyCode::Enter, KeyCode::Right, KeyCode::Char('x')] {
        world.key(key);
        assert_eq!(world.app.state.lanes[LaneId::nth(0)].step, Step::Look);
    }
    world.key(KeyCode::Right);
    assert!(world.text().contains("This drive is guarded: the running system lives on it (/)"));
}

#[test]
fn a_scanners_burst_answers_no_question() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("R90C2Y");
    world.start("R90C2Y");
    world.tell_until(|e| matches!(e, Event::Advanced { .. }));
    world.keys("x");
    world.keys("yyyyy");
    assert!(world.wishes.is_empty(), "keys right after the question do not answer it");
    world.pass(1);
    world.keys("y");
    assert_eq!(world.wishes, [Control::Stop]);
}

#[test]
fn quitting_asks_while_a_job_runs_and_stops_it_before_the_end() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("R90C2Y");
    world.start("R90C2Y");
    world.tell_until(|e| matches!(e, Event::Advanced { .. }));
    world.keys("q");
    assert!(world.text().contains("A stopped drive is Not sanitized"));
    world.key(KeyCode::Esc);
    assert!(!world.app.state.quitting);
    world.keys("q");
    world.pass(1);
    world.keys("y");
    assert_eq!((world.app.state.quitting, world.wishes.as_slice()), (true, &[Control::Stop][..]));
    let mut idle = World::new(ThemeName::Dark, FULL);
    idle.keys("q");
    assert!(idle.app.state.quitting);
}

#[test]
fn enter_holds_and_goes_on() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("R90C2Y");
    world.start("R90C2Y");
    world.tell_until(|e| matches!(e, Event::Advanced { .. }));
    world.key(KeyCode::Enter);
    world.send(Message::Job(CARD, Event::Held { celsius: None }));
    assert_eq!(world.state(CARD), LaneState::Held);
    world.key(KeyCode::Enter);
    assert_eq!(world.wishes, [Control::Hold, Control::GoOn]);
}

#[test]
fn changing_the_answers_takes_back_the_plan() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("K7Q41M");
    world.key(KeyCode::Enter);
    world.key(KeyCode::Enter);
    assert_eq!(world.state(MAGNETIC), LaneState::Planned);
    world.key(KeyCode::Esc);
    world.turn(LEAVES, 1);
    assert_eq!(world.state(MAGNETIC), LaneState::Ready);
    assert!(world.text().contains("✕ Required: Purge → overwrite gives only Clear"), "{}", world.text());
}

/// Clicks on these words.
fn click(world: &mut World, words: &str) {
    let text = world.text();
    let (row, line) = text.lines().enumerate().find(|(_, l)| l.contains(words)).expect(words);
    let column = line.split(words).next().unwrap().chars().count() as u16 - 1;
    let kind = MouseEventKind::Down(MouseButton::Left);
    world.send(Message::Mouse(MouseEvent { kind, column, row: row as u16, modifiers: KeyModifiers::NONE }));
}

#[test]
fn the_mouse_chooses_lanes_steps_and_ways() {
    let mut world = World::new(ThemeName::Dark, FULL);
    click(&mut world, "6 Tessel Pebble 64");
    assert_eq!(world.app.state.selected, Some(STICK));
    click(&mut world, "Plan ─");
    assert_eq!(world.app.state.lanes[STICK].step, Step::Plan);
    // What can't be taken now is unfolded where a technique is chosen.
    world.key(KeyCode::Tab);
    (0..3).for_each(|_| world.key(KeyCode::Down));
    click(&mut world, "physical destruction");
    assert_eq!(world.app.state.lanes[STICK].draft.way, Technique::Destruction);
    world.key(KeyCode::Left);
    while world.app.state.lanes[STICK].draft.way != Technique::Overwrite {
        world.key(KeyCode::Right);
    }
    world.key(KeyCode::Tab);
    world.open_row(PlanRow::Method);
    click(&mut world, "Canada CSEC");
    world.key(KeyCode::Enter);
    assert_eq!(world.app.state.lanes[STICK].draft.order.title, "Canada CSEC ITSG-06");
}

#[test]
fn a_job_that_could_not_start_says_so_where_it_was_armed() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("R90C2Y");
    world.start("R90C2Y");
    world.pending.clear();
    world.send(Message::NotStarted(CARD, "sim:7 went away before it could be opened. Nothing was written.".into()));
    assert_eq!((world.state(CARD), world.app.state.lanes[CARD].step), (LaneState::Planned, Step::Arm));
    assert!(world.text().contains("went away before it could be opened"));
}

#[test]
fn ten_lanes_fit_and_say_what_each_drive_is() {
    let world = World::new(ThemeName::Dark, FULL);
    assert_eq!(world.app.state.lanes.len(), 10);
    insta::assert_snapshot!("bench", world.picture().backend());
}

#[test]
fn drives_come_and_go_and_come_back_to_their_own_lane() {
    let bench = sim();
    let mut world = World::on(&bench, ThemeName::Dark, FULL);
    world.choose("R90C2Y");
    world.key(KeyCode::Enter);
    world.key(KeyCode::Enter);
    assert_eq!(world.state(CARD), LaneState::Planned);
    world.keys("R90C2Y");
    world.key(KeyCode::Enter);
    assert!(world.opened.contains_key(&CARD), "the drive is open from the label check on");
    world.send(World::list(&bench, &[7]));
    assert_eq!(world.state(CARD), LaneState::Gone);
    assert!(world.opened.is_empty(), "what was armed is let go");
    world.pass(60);
    assert!(world.pending.is_empty() && world.text().contains("gone since 14:32"));
    world.key(KeyCode::Right);
    assert!(world.text().contains("gone since 14:32"));
    world.pass(12);
    world.send(World::list(&bench, &[]));
    assert_eq!((world.state(CARD), world.app.state.lanes.len()), (LaneState::Ready, 10));
    world.pass(12);
    assert!(world.text().contains("Appeared 12 s ago."), "{}", world.text());
    assert!(world.app.state.lanes[CARD].plan().is_none(), "a drive that was away is planned anew");
}

#[test]
fn another_drive_in_the_same_place_gets_a_lane_of_its_own() {
    let bench = sim();
    let mut world = World::on(&bench, ThemeName::Dark, FULL);
    let mut seen = Bench::of_bays(bench.bays()).drives().swap_remove(6);
    seen.drive.unit.serial = Some("TL32X0X0X0X0".into());
    world.send(Message::Answered(1, Box::new(seen)));
    assert_eq!(
        (world.app.state.lanes.len(), world.state(CARD), world.state(LaneId::nth(10))),
        (11, LaneState::Gone, LaneState::Ready)
    );
}

#[test]
fn an_identical_stick_in_the_place_of_another_gets_a_lane_of_its_own() {
    let bench = sim();
    let mut world = World::on(&bench, ThemeName::Dark, FULL);
    let mut nameless = Bench::of_bays(bench.bays()).drives();
    let attached = |drives: &mut Vec<jurex_station::bench::DriveSnapshot>, instance: &str| {
        let drive = &mut drives[6].drive;
        (drive.unit.serial, drive.attachment.instance) = (None, Some(instance.into()));
    };
    attached(&mut nameless, "boot 1 disk 5");
    world.send(Message::Drives(2, nameless.clone()));
    world.app.state.lanes[CARD].seen = nameless[6].clone();
    attached(&mut nameless, "boot 1 disk 9");
    world.send(Message::Drives(3, nameless.clone()));
    assert_eq!(
        (world.app.state.lanes.len(), world.state(CARD), world.state(LaneId::nth(10))),
        (11, LaneState::Gone, LaneState::Ready)
    );
    // An answer of an older listing comes too late to matter.
    let mut late = nameless.swap_remove(6);
    late.hindrances = vec![Blocker::ReadOnly];
    world.send(Message::Answered(2, Box::new(late)));
    assert_eq!(world.state(LaneId::nth(10)), LaneState::Ready);
}

#[test]
fn a_label_that_two_drives_carry_arms_neither() {
    let bench = sim();
    let mut world = World::on(&bench, ThemeName::Dark, FULL);
    let mut drives = Bench::of_bays(bench.bays()).drives();
    drives[9].drive.unit.serial = drives[6].drive.unit.serial.clone();
    world.app.state.lanes[LaneId::nth(9)].seen = drives[9].clone();
    world.send(Message::Drives(2, drives));
    world.app.state.selected = Some(CARD);
    world.key(KeyCode::Enter);
    world.key(KeyCode::Enter);
    world.keys("R90C2Y");
    world.key(KeyCode::Enter);
    assert!(world.opened.is_empty(), "{}", world.text());
    assert!(world.text().contains("another drive here carries the same label"), "{}", world.text());
    world.keys("bay 7");
    world.key(KeyCode::Enter);
    assert!(world.opened.contains_key(&CARD), "{}", world.text());
}

#[test]
fn a_lost_terminal_stops_no_job_that_runs_and_ends_one_that_is_held() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("R90C2Y");
    world.start("R90C2Y");
    assert!(world.app.state.lanes[CARD].is_working());
    world.send(Message::TerminalLost);
    assert!(world.app.state.quitting && world.wishes.is_empty(), "what runs goes on: {:?}", world.wishes);
    world.send(Message::Job(CARD, Event::Held { celsius: None }));
    world.send(Message::TerminalLost);
    assert_eq!(world.wishes, [Control::Stop], "nobody is left who could let it go on");
}

#[test]
fn line_ends_of_a_paste_or_a_scanner_write_no_certificate() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("R90C2Y");
    world.start("R90C2Y");
    world.tell_all();
    world.key(KeyCode::Enter);
    let writes = |world: &World| world.app.state.lanes[CARD].is_written();
    world.key(KeyCode::Tab);
    for _ in 0..10 {
        world.keys("BWS-03312");
        world.send(Message::Key(KeyEvent::new(KeyCode::Enter, KeyModifiers::NONE)));
    }
    assert!(!writes(&world), "a burst of letters and line ends wrote a certificate");
    world.send(Message::Pasted("one\ntwo\u{1b}[2J\n".into()));
    assert!(!writes(&world));
    world.key(KeyCode::Enter);
    assert!(writes(&world));
    world.key(KeyCode::Enter);
    assert!(world.text().contains("written already"), "{}", world.text());
}

#[test]
fn a_drive_is_unknown_until_it_has_answered_and_guarded_as_soon_as_it_is_used() {
    let bench = sim();
    let mut world = World::on(&bench, ThemeName::Dark, FULL);
    let answer = |hindrances: &[Blocker]| {
        let mut seen = Bench::of_bays(bench.bays()).drives().swap_remove(6);
        seen.hindrances = hindrances.to_vec();
        Message::Answered(1, Box::new(seen))
    };
    world.choose("R90C2Y");
    world.key(KeyCode::Enter);
    world.key(KeyCode::Enter);
    world.send(answer(&[Blocker::Mounted { device: "/dev/sdq1".into(), mount: "/media/logger".into() }]));
    assert_eq!((world.state(CARD), world.app.state.lanes[CARD].step), (LaneState::Guarded, Step::Look));
    assert!(world.text().contains("/dev/sdq1 is mounted at /media/logger"));
    world.send(answer(&[]));
    assert_eq!(world.state(CARD), LaneState::Ready);

    let mut fresh = World::on(&bench, ThemeName::Dark, FULL);
    fresh.app.state.lanes[CARD].look.answered = false;
    let silent = (fresh.app.state.lanes[CARD].seen.drive.clone(), vec![Blocker::NoAnswer]);
    fresh.app.state.lanes[CARD].verdict = guard::check(Scope::WholeUnit, &[silent]);
    assert_eq!(fresh.state(CARD), LaneState::Unknown);
}

#[test]
fn the_bytes_are_walked_searched_and_mapped() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("R90C2Y");
    world.key(KeyCode::Tab);
    assert!(world.text().contains("known structure"));
    world.keys("j");
    insta::assert_snapshot!("bytes", world.picture().backend());
    let cursor = |world: &World| world.app.state.lanes[CARD].look.bytes.as_ref().unwrap().cursor;
    assert_eq!(cursor(&world), 2048);
    world.keys("/");
    world.keys("Tide gauge cleaned");
    world.key(KeyCode::Enter);
    assert!(world.text().contains("Found at byte") && world.text().contains("Tide gauge"), "{}", world.text());
    let found = cursor(&world);
    world.keys("n");
    assert!(cursor(&world) >= found);
    world.key(KeyCode::End);
    assert_eq!(cursor(&world), 62_495);
    world.key(KeyCode::PageDown);
    assert_eq!(cursor(&world), 62_495);
    world.keys("g");
    world.keys("99999999");
    world.key(KeyCode::Enter);
    assert!(world.text().contains("is no sector of this drive; its last one is 62495"));
    world.keys("g");
    world.keys("300");
    world.key(KeyCode::Enter);
    world.key(KeyCode::Up);
    assert_eq!(cursor(&world), 284);
    click(&mut world, "Plan ─");
    world.turn(LEAVES, 1);
    assert!(world.app.state.lane().unwrap().draft.need.leaves, "a viewer that is left open takes no key of another step");
    click(&mut world, "Look ─");
    world.key(KeyCode::Tab);
    assert!(world.text().contains("Is that the right drive?"));
}

#[test]
fn the_beacon_goes_on_and_off_by_its_key() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("R90C2Y");
    world.keys("b");
    assert!(world.text().contains("The beacon is on"));
    world.keys("b");
    assert_eq!(world.beacons, [(CARD, true), (CARD, false)]);
    world.keys("b");
    world.send(Message::BeaconEnded(CARD, OpenError::Gone("sim:7".into()).into()));
    assert!(world.text().contains("The beacon ended: sim:7 went away"));
}

#[test]
fn two_dozen_drives_fall_back_to_one_row_each_and_all_can_be_reached() {
    let config = Config::demo();
    let mut world = World::new(ThemeName::Dark, FULL);
    world.app = App::new(Theme::new(ThemeName::Dark, Depth::True), config);
    world.app.state.size = FULL;
    world.send(Message::Drives(1, many(24)));
    insta::assert_snapshot!("two-dozen", world.picture().backend());
    world.app.state.size = (100, 30);
    world.send(Message::Drives(1, many(60)));
    for _ in 0..59 {
        world.key(KeyCode::Down);
    }
    assert_eq!(world.app.state.selected, Some(LaneId::nth(59)));
    assert!(world.text().contains("60 Tessel Logger"), "the chosen lane is in sight: {}", world.text());
}

#[test]
fn faults_that_touch_are_told_as_one() {
    let bench = sim();
    bench.bay(7).unwrap().drive.add_fault(Fault::Unwritable(Sectors::new(1000, 40)));
    let mut world = World::on(&bench, ThemeName::Dark, FULL);
    world.choose("R90C2Y");
    world.start("R90C2Y");
    world.tell_all();
    let told: Vec<String> = world.app.state.lanes[CARD].log().unwrap().told.iter().filter_map(|(_, e)| e.sentence()).collect();
    let unwritable: Vec<&String> = told.iter().filter(|s| s.contains("could not be written")).collect();
    assert_eq!(unwritable, ["Sectors 1000 to 1039 could not be written: medium error."; 2], "one sentence a pass");
}

#[test]
fn the_certificate_takes_the_fields_as_they_stand_and_choices_turn() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("R90C2Y");
    world.start("R90C2Y");
    world.tell_all();
    world.key(KeyCode::Enter);
    for _ in 0..5 {
        world.key(KeyCode::Tab);
    }
    world.keys(" x");
    world.key(KeyCode::Tab);
    world.keys("  ");
    world.key(KeyCode::Tab);
    world.keys("shelf 4");
    (0..3).for_each(|_| world.key(KeyCode::Tab));
    for _ in 0..40 {
        world.key(KeyCode::Backspace);
    }
    world.keys("Ines Okafor");
    world.key(KeyCode::Left);
    world.keys("!");
    world.key(KeyCode::Esc);
    let papers = &world.app.state.lanes[CARD].papers;
    assert_eq!(papers.technician.name, "Ines Okafo!r", "arrows move in the text while a field is open");
    assert_eq!(papers.category_after, Some(jurex_sanitize::need::Sensitivity::Low));
    assert_eq!((papers.backup, papers.backup_place.as_str()), (jurex_sanitize::record::Backup::No, "shelf 4"));
    world.key(KeyCode::Left);
    assert_eq!(world.app.state.lanes[CARD].step, Step::Prove, "and walk the steps once it is left");
}

#[test]
fn a_drive_can_be_erased_again_after_its_job_is_over() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("R90C2Y");
    world.start("R90C2Y");
    world.tell_until(|e| matches!(e, Event::Advanced { .. }));
    world.app.state.lanes[CARD].step = Step::Plan;
    world.key(KeyCode::Enter);
    assert_eq!(world.app.state.lanes[CARD].step, Step::Erase, "a running job is left in peace");
    world.tell_all();
    world.app.state.lanes[CARD].step = Step::Plan;
    assert!(world.text().contains("begins anew") && world.text().contains("certificate is not written yet"));
    world.key(KeyCode::Enter);
    assert_eq!((world.state(CARD), world.app.state.lanes[CARD].step), (LaneState::Ready, Step::Look));
    assert!(world.text().contains("No partition table and no file system"), "it is looked at again");
    world.start("R90C2Y");
    world.tell_all();
    assert_eq!(world.state(CARD), LaneState::Proved);
}

/// The desk's part of the screen.
fn desk(world: &World) -> String {
    world.text().lines().map(|l| l.trim_matches('"').chars().skip(56).collect::<String>().trim_end().to_string() + "\n").collect()
}

#[test]
fn every_bay_has_its_ladder() {
    let mut world = World::new(ThemeName::Mono, FULL);
    let mut ladders = String::new();
    for lane in 1..10 {
        world.app.state.selected = Some(LaneId::nth(lane));
        world.key(KeyCode::Enter);
        let text = desk(&world);
        let ladder: Vec<&str> = text.lines().skip(11).take_while(|l| !l.is_empty()).collect();
        ladders += &format!("{}\n{}\n", world.app.state.lanes[LaneId::nth(lane)].seen.drive.name(), ladder.join("\n"));
    }
    insta::assert_snapshot!(ladders);
}

#[test]
fn a_way_that_is_frozen_says_why_and_can_be_taken_once_the_power_was_away() {
    let mut world = World::new(ThemeName::Mono, FULL);
    world.choose("61YV5C");
    world.key(KeyCode::Enter);
    to_technique(&mut world, Technique::SecurityEraseEnhanced);
    insta::assert_snapshot!("plan_frozen", world.picture().backend());
    world.key(KeyCode::Enter);
    assert!(world.app.state.lane().unwrap().plan().is_none() && world.text().contains("can't be planned"));
    // Its power is taken away and given back: the same drive comes, and is asked anew.
    let bench_now = |world: &mut World, without: &[u32]| {
        let message = World::list(&world.bench, without);
        world.send(message);
    };
    world.keys("P");
    bench_now(&mut world, &[]);
    assert!(world.app.state.lane().unwrap().is_gone());
    world.keys("P");
    bench_now(&mut world, &[]);
    let lane = world.app.state.lane().unwrap();
    assert!(!lane.is_gone() && !lane.seen.answers.security_frozen);
    world.key(KeyCode::Enter);
    to_technique(&mut world, Technique::SecurityEraseEnhanced);
    world.key(KeyCode::Enter);
    assert_eq!(world.app.state.lane().unwrap().step, Step::Arm);
}

/// Chooses the technique by the keys of its row.
fn to_technique(world: &mut World, way: Technique) {
    while world.app.state.lane().unwrap().draft.way != way {
        world.turn(PlanRow::Technique, 1);
    }
}

/// Plans the drive's own erasure by that way, arms it, and lets it run.
fn erase_itself(world: &mut World, ending: &str, way: Technique) {
    world.choose(ending);
    world.key(KeyCode::Enter);
    to_technique(world, way);
}

#[test]
fn a_drive_erases_itself_under_the_eyes_of_its_person() {
    let mut world = World::new(ThemeName::Mono, FULL);
    erase_itself(&mut world, "E47J9P", Technique::SanitizeCrypto);
    insta::assert_snapshot!("own-plan", world.picture().backend());
    world.turn(PlanRow::Attested, 1);
    let rung = |world: &mut World| world.text().lines().find(|l| l.contains("▸")).unwrap_or_default().to_string();
    assert_eq!(world.app.state.lane().unwrap().foreseen().plan.as_ref().unwrap().expected().outcome(), Outcome::Purge);
    assert!(rung(&mut world).contains("✓ Purge"), "the ladder says what is earned with what is stated: {}", rung(&mut world));
    world.key(KeyCode::Enter);
    world.keys("E47J9P");
    world.key(KeyCode::Enter);
    world.pass(5);
    world.tell_until(|e| matches!(e, Event::Answered { .. }));
    let text = world.text();
    assert!(
        text.contains("it does not tell how far it is") && !text.contains(" 0 %"),
        "what the drive does not tell is not made up: {text}"
    );
    world.tell_until(|e| matches!(e, Event::OwnProgress { .. }));
    assert!(world.text().contains("Nothing stops it"), "{}", world.text());
    insta::assert_snapshot!("own-erase", world.picture().backend());
    world.tell_all();
    let record = world.app.state.lane().unwrap().record().unwrap();
    assert_eq!(record.claim().outcome(), Outcome::Purge);
    assert_eq!(record.evidence().stated.by, "Ines Okafor-Lindqvist");
    let second = "Namespace 2";
    assert!(record.claim().limits().iter().any(|l| l.sentence().contains(second)), "it was erased too, and read in places");
    insta::assert_snapshot!("own-prove", world.picture().backend());
}

#[test]
fn a_drive_that_still_erases_itself_is_waited_for_beside_other_work_and_left_alone_by_esc() {
    let mut world = World::new(ThemeName::Mono, FULL);
    erase_itself(&mut world, "E47J9P", Technique::SanitizeBlock);
    world.key(KeyCode::Enter);
    world.keys("E47J9P");
    world.pass(1);
    // The label is right, and the drive is not opened yet.
    let commands = world.app.update(Message::Key(KeyEvent::new(KeyCode::Enter, KeyModifiers::NONE)));
    assert!(matches!(commands.as_slice(), [Effect::Open(_)]), "{commands:?}");
    let id = world.app.state.selected.unwrap();
    world.send(Message::StillAtWork(id, Some(24_248)));
    let text = world.text();
    assert!(text.contains("still at work") && text.contains("37 % done, as the "), "{text}");
    // Hours may pass: other drives are seen to meanwhile.
    world.choose("K7Q41M");
    assert!(world.app.state.lanes[id].is_armed() && world.text().contains("still erases itself, 37 %"), "{}", world.text());
    world.choose("E47J9P");
    let commands = world.app.update(Message::Key(KeyEvent::new(KeyCode::Esc, KeyModifiers::NONE)));
    assert!(matches!(commands.as_slice(), [Effect::Abandon(left)] if *left == id), "{commands:?}");
    assert!(!world.app.state.lanes[id].is_armed() && world.text().contains("left at work"), "{}", world.text());
    // When it is over the countdown begins, as after any other opening.
    world.keys("E47J9P");
    world.pass(1);
    world.app.update(Message::Key(KeyEvent::new(KeyCode::Enter, KeyModifiers::NONE)));
    world.send(Message::StillAtWork(id, None));
    world.send(Message::Opened(id));
    assert!(world.text().contains("Any key stops it"), "{}", world.text());
}

#[test]
fn nothing_is_read_from_a_drive_before_it_has_said_that_it_gives_its_sectors() {
    let asked = |seen: &DriveSnapshot, own_state| {
        let mut seen = seen.clone();
        seen.take_answers(Capabilities { own_state: Some(own_state), ..seen.answers.clone() });
        seen
    };
    let known = Bench::of_bays(sim().bays()).drives().swap_remove(4);
    let mut silent = known.clone();
    silent.hindrances.push(Blocker::NoAnswer);
    let mut app = App::new(Theme::new(ThemeName::Mono, Depth::True), Config::demo());
    let looks = |commands: Vec<Effect>| commands.iter().filter(|c| matches!(c, Effect::Look(_))).count();
    assert_eq!(looks(app.update(Message::Drives(1, vec![silent]))), 0, "reading one that erases itself may hang");
    let running = asked(&known, OwnState::Running { progress: Some(1) });
    assert_eq!(looks(app.update(Message::Answered(1, Box::new(running.clone())))), 1, "it is told why it is not read");
    assert_eq!(looks(app.update(Message::Answered(2, Box::new(running)))), 0);
    assert_eq!(looks(app.update(Message::Answered(3, Box::new(asked(&known, OwnState::Idle))))), 1, "it is over");
}

#[test]
fn what_is_left_is_searched_before_and_after_and_the_proof_is_read_again() {
    let mut world = World::new(ThemeName::Mono, FULL);
    world.choose("R90C2Y");
    world.keys("f");
    let text = world.text();
    assert!(text.contains("Residual data") && text.contains("1 file system, 1 table"), "{text}");
    world.key(KeyCode::Enter);
    world.key(KeyCode::Enter);
    world.keys("R90C2Y");
    world.key(KeyCode::Enter);
    world.pass(5);
    world.tell_all();
    assert!(world.text().contains("not searched yet: f does"), "{}", world.text());
    world.keys("fa");
    assert!(world.text().contains("Write the paper first"), "its record has no digest before: {}", world.text());
    world.key(KeyCode::Enter);
    world.key(KeyCode::Enter);
    world.key(KeyCode::Left);
    world.keys("a");
    insta::assert_snapshot!("read-again", world.picture().backend());
    let lane = world.app.state.lane().unwrap();
    let LaneReading::Over(again) = &lane.readings.again else { panic!("it was read again") };
    assert_eq!(
        (again.verification.finding(), again.verification.look.by.name.as_str()),
        (Finding::Confirmed, "Ines Okafor-Lindqvist")
    );
    let record = lane.record().unwrap().clone().with_papers(lane.papers.clone());
    assert_eq!(again.verification.look.of.as_ref().unwrap().digest, record.digest(), "of the record as it was written");
    // What somebody writes to it meanwhile is found.
    let id = world.app.state.selected.unwrap();
    let drive = &world.bench.bay(7).unwrap().drive;
    drive.open().unwrap().write(Lba(777), &[0x41; 512]).unwrap();
    world.keys("A");
    let LaneReading::Over(again) = &world.app.state.lanes[id].readings.again else { panic!("it was read again") };
    assert_eq!(again.verification.finding(), Finding::Contradicted);
    assert!(world.text().contains("sector 777"), "{}", world.text());
}

#[test]
fn the_bytes_of_each_find_are_shown_one_after_another_and_where_they_lie() {
    let mut world = World::new(ThemeName::Mono, FULL);
    world.choose("0N2XV8");
    world.keys("o");
    assert!(world.text().contains("Nothing was found that could be looked at"), "{}", world.text());
    world.keys("f");
    let text = world.text();
    assert!(text.contains("▚▚▚") && text.contains("That took"), "a layer, and its pace: {text}");
    let places: Vec<u64> = world.app.state.lane().unwrap().readings.finds().map(|(_, at)| at.0).collect();
    assert!(places.len() > 5 && places.contains(&0), "{places:?}");
    let cursor = |world: &World| world.app.state.lanes[STICK].look.bytes.as_ref().unwrap().cursor;
    for place in &places {
        world.keys("o");
        assert_eq!(cursor(&world), *place);
    }
    assert!(world.text().contains(&format!("{0} of {0}: sector", places.len())), "{}", world.text());
    world.keys("o");
    assert_eq!(cursor(&world), places[0], "round and round");
    assert!(world.text().contains("1 of"));
}

#[test]
fn the_size_check_and_the_searches_are_turned_on_and_off_in_the_plan() {
    let mut world = World::new(ThemeName::Mono, FULL);
    world.choose("R90C2Y");
    world.key(KeyCode::Enter);
    let plan = |world: &World| {
        let plan = world.app.state.lane().unwrap().foreseen().plan.as_ref().unwrap().clone();
        (plan.measure().is_some(), plan.searches())
    };
    assert_eq!(plan(&world), (true, false));
    world.turn(PlanRow::SizeCheck, 1);
    assert_eq!(plan(&world), (false, false));
    assert!(world.text().contains("Its size was not verified"), "the limit is back");
    world.turn(PlanRow::SizeCheck, 1);
    world.turn(PlanRow::ResidualData, 1);
    assert!(plan(&world) == (true, true) && world.text().contains("a sample before and after"), "{}", world.text());
    world.open_row(PlanRow::Range);
    world.keys("p1");
    world.key(KeyCode::Enter);
    assert_eq!(plan(&world), (false, true), "where a part alone is overwritten nothing else is marked");
}

#[test]
fn a_drive_that_was_drawn_is_due_for_a_second_look_until_it_had_one() {
    let mut world = World::new(ThemeName::Mono, FULL);
    world.choose("R90C2Y");
    world.start("R90C2Y");
    for message in &mut world.pending {
        if let Message::Ended(_, end) = message {
            end.record.second_look = Some(SecondLook::draw([7; 16], 100, 0, 0));
        }
    }
    world.tell_all();
    assert!(world.text().contains("Due: this drive was drawn"), "{}", world.text());
    world.key(KeyCode::Enter);
    world.key(KeyCode::Enter);
    world.key(KeyCode::Left);
    assert!(world.text().contains("verified: Clear, second check due"), "{}", world.text());
    world.keys("a");
    assert!(!world.text().contains("second check due"), "{}", world.text());
}

#[test]
fn a_drive_that_was_left_locked_says_how_to_open_it_and_is_opened() {
    let mut world = World::new(ThemeName::Mono, FULL);
    // A job set the password and was killed; the power was away since.
    let drive = &world.bench.bay(2).unwrap().drive.clone();
    drive.open().unwrap().send(&jurex_device::native::ata::erase::set_password()).unwrap();
    drive.power_cycle();
    let seen = Bench::of_bays(world.bench.bays()).drives().swap_remove(1);
    world.send(Message::Answered(1, Box::new(seen)));
    world.choose("K7Q41M");
    assert!(world.text().contains("its security is locked"), "{}", world.text());
    world.keys("u");
    assert!(world.text().contains("the password `jurex` is taken away"), "{}", world.text());
    assert!(world.app.state.lane().unwrap().verdict.is_ok());
}

#[test]
fn hidden_sectors_are_lifted_erased_like_the_rest_and_shown() {
    let mut world = World::new(ThemeName::Mono, FULL);
    world.choose("K7Q41M");
    assert!(world.text().contains("hides 131"), "{}", world.text());
    insta::assert_snapshot!("hidden-look", world.picture().backend());
    world.key(KeyCode::Enter);
    world.turn(PlanRow::HiddenAreas, 3);
    assert_eq!(world.app.state.lane().unwrap().foreseen().plan.as_ref().unwrap().expected().outcome(), Outcome::NotSanitized);
    world.turn(PlanRow::HiddenAreas, 1);
    world.key(KeyCode::Enter);
    world.keys("K7Q41M");
    world.key(KeyCode::Enter);
    world.pass(5);
    world.tell_all();
    let lane = world.app.state.lane().unwrap();
    assert_eq!(lane.record().unwrap().claim().outcome(), Outcome::Clear);
    assert_eq!(lane.seen.laboratory().unwrap().at_addresses, 0, "what was hidden is gone too");
}

#[test]
fn rounds_blank_pass_verification_and_range_change_the_plan() {
    let mut world = World::new(ThemeName::Mono, FULL);
    world.choose("K7Q41M");
    world.key(KeyCode::Enter);
    world.turn(PlanRow::Rounds, 2);
    world.turn(PlanRow::Rounds, -1);
    world.turn(PlanRow::FinalZeros, 1);
    world.turn(PlanRow::Verification, 1);
    let text = world.text();
    assert!(text.contains("00?, 2 rounds, then a pass of zeros") && text.contains("sampled: a tenth"), "{text}");
    world.open_row(PlanRow::Range);
    world.keys("5 4");
    world.key(KeyCode::Enter);
    assert!(!world.app.above_mut().is_empty() && world.text().contains("From 5 to 4 there is no sector"));
    (0..3).for_each(|_| world.key(KeyCode::Backspace));
    world.keys("p2");
    world.key(KeyCode::Enter);
    assert!(world.text().contains("A part never sanitizes a drive"));
    world.key(KeyCode::Tab);
    world.key(KeyCode::Enter);
    assert!(world.text().contains("Take less than is required"), "{}", world.text());
    world.pass(1);
    world.keys("y");
    let plan = world.app.state.lane().unwrap().plan().unwrap();
    assert_eq!((plan.passes().len(), plan.range().count), (3, 1_638_400));
}

#[test]
fn the_library_is_searched_and_a_method_taken_for_the_drive() {
    let mut world = World::new(ThemeName::Mono, FULL);
    world.choose("K7Q41M");
    world.key(KeyCode::Enter);
    world.open_row(PlanRow::Method);
    world.keys("/gutm");
    world.key(KeyCode::Enter);
    // Sectors that the drive hides are lifted here as in Plan: one forecast for both.
    assert!(world.text().contains("it gives          Clear"), "{}", world.text());
    insta::assert_snapshot!("methods", world.picture().backend());
    world.key(KeyCode::Enter);
    world.key(KeyCode::Tab);
    assert!(world.text().contains("the other 34 passes add"), "{}", world.text());
    assert_eq!(world.app.state.lane().unwrap().draft.order.program.passes(), 35);
}

#[test]
fn the_editor_marks_a_mistake_under_its_column_and_saves_only_what_is_right() {
    let mut world = World::new(ThemeName::Mono, FULL);
    world.choose("K7Q41M");
    world.key(KeyCode::F(3));
    world.keys("+");
    assert!(!world.text().contains("title that people can read"), "nothing is complained of before anything is typed");
    world.keys("zeros");
    assert!(!world.text().contains("is a method of the library"), "a name is half of one until it is left");
    world.key(KeyCode::Tab);
    assert!(world.text().contains("`zeros` is a method of the library"));
    world.key(KeyCode::BackTab);
    world.keys("-twice");
    world.key(KeyCode::Tab);
    world.keys("Zeros twice");
    world.key(KeyCode::Tab);
    (0..3).for_each(|_| world.key(KeyCode::Backspace));
    world.keys("00 | zz");
    insta::assert_snapshot!("editor_mistake", world.picture().backend());
    world.key(KeyCode::Enter);
    assert!(world.text().contains("Not saved") && world.app.state.catalogue.find("zeros-twice").is_none());
    world.key(KeyCode::Backspace);
    world.key(KeyCode::Backspace);
    world.keys("00?");
    world.key(KeyCode::Esc);
    assert!(world.text().contains("Esc again"), "nothing is lost by one key");
    world.key(KeyCode::Enter);
    assert!(world.app.state.catalogue.find("zeros-twice").is_some() && world.text().contains("is saved"));
    world.keys("d");
    assert!(world.text().contains("for good? y takes it away"), "{}", world.text());
    world.key(KeyCode::Enter);
    assert!(world.app.state.catalogue.find("zeros-twice").is_some(), "a scanner's Enter takes nothing away");
    world.keys("y");
    assert!(world.app.state.catalogue.find("zeros-twice").is_none());
    world.keys("d");
    assert!(world.text().contains("the library stays"));
}

#[test]
fn passes_of_ones_own_are_typed_for_one_plan() {
    let mut world = World::new(ThemeName::Mono, FULL);
    world.choose("K7Q41M");
    world.key(KeyCode::Enter);
    world.open_row(PlanRow::Passes);
    world.keys(" | random?");
    world.key(KeyCode::Enter);
    assert_eq!(world.app.state.lane().unwrap().draft.order.notation(), "00? | random?");
    assert!(world.text().contains("Passes of your own"));
}

#[test]
fn a_lot_is_planned_with_one_need_and_those_that_cannot_reach_it_come_first() {
    let mut world = World::new(ThemeName::Mono, FULL);
    for lane in [1, 4, 5, 7] {
        world.app.state.selected = Some(LaneId::nth(lane));
        world.keys("s");
    }
    world.app.state.selected = Some(LaneId::nth(0));
    world.keys("s");
    assert!(
        !world.app.state.lanes[LaneId::nth(0)].is_picked && world.text().contains("guarded"),
        "a guarded drive can't be taken"
    );
    world.keys("p");
    // Does it leave?
    (0..2).for_each(|_| world.key(KeyCode::Down));
    world.key(KeyCode::Right);
    insta::assert_snapshot!("lot_unreached", world.picture().backend());
    world.key(KeyCode::Left);
    // The magnetic ones: verification and retries.
    world.key(KeyCode::Down);
    world.key(KeyCode::Tab);
    world.key(KeyCode::Right);
    world.key(KeyCode::Tab);
    world.key(KeyCode::Right);
    world.key(KeyCode::BackTab);
    world.key(KeyCode::BackTab);
    world.key(KeyCode::Down);
    world.key(KeyCode::Right);
    world.keys("/one random");
    world.key(KeyCode::Enter);
    world.key(KeyCode::Enter);
    // The stick alone gets one pass, which is not enough there.
    (0..4).for_each(|_| world.key(KeyCode::Down));
    world.key(KeyCode::Right);
    world.keys("/hmg base");
    world.key(KeyCode::Enter);
    world.key(KeyCode::Enter);
    world.keys("wstations");
    world.key(KeyCode::Enter);
    insta::assert_snapshot!("lot", world.picture().backend());
    let saved = policies::read(world.home.path(), "stations").unwrap();
    assert!(saved.magnetic.as_ref().is_some_and(|t| t.retries == 3), "{saved:?}");
    world.key(KeyCode::Enter);
    let planned = |world: &World| world.app.state.lanes.iter().filter(|l| l.plan().is_some()).count();
    assert_eq!((planned(&world), world.app.state.selected), (3, Some(MAGNETIC)));
    assert_eq!(world.app.state.lanes[LaneId::nth(4)].draft.way, Technique::SanitizeBlock, "it has two namespaces");
    // Each is armed by its own label; after one has started, the next waits for its own.
    world.keys("K7Q41M");
    world.key(KeyCode::Enter);
    world.pass(5);
    assert_eq!((world.app.state.selected, world.app.state.lane().unwrap().step), (Some(LaneId::nth(4)), Step::Arm));
    assert!(!world.app.state.lanes[LaneId::nth(1)].is_picked && world.app.state.lane().unwrap().log().is_none());
}

#[test]
fn a_job_that_was_stopped_goes_on_from_where_it_stood() {
    let mut world = World::new(ThemeName::Mono, FULL);
    world.choose("R90C2Y");
    world.stop_at = Some(20);
    world.start("R90C2Y");
    world.tell_all();
    assert_eq!(world.state(CARD), LaneState::Failed);
    world.app.state.lanes[CARD].step = Step::Plan;
    insta::assert_snapshot!("cut_short", world.picture().backend());
    world.keys("c");
    assert_eq!(world.app.state.lanes[CARD].step, Step::Arm);
    world.keys("R90C2Y");
    world.key(KeyCode::Enter);
    world.pass(5);
    world.tell_all();
    assert_eq!(world.state(CARD), LaneState::Proved, "{}", world.text());
    assert!(world.app.state.lanes[CARD].unfinished.is_none());
}

#[test]
fn one_drive_takes_nine_keys_beside_its_serial() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.key(KeyCode::Char('/'));
    world.scan("R90C2Y");
    world.key(KeyCode::Enter);
    world.key(KeyCode::Enter);
    world.key(KeyCode::Enter);
    world.scan("R90C2Y");
    world.key(KeyCode::Enter);
    world.pass(5);
    world.tell_all();
    // From the proof: the paper and the label.
    world.key(KeyCode::Char('w'));
    world.pass(1);
    world.key(KeyCode::Char('y'));
    assert!(world.app.state.lanes[CARD].is_written() && world.labels == 1, "{}", world.text());
    assert!(world.pressed <= 9, "{} keys", world.pressed);
    // By the steps it is as many, and ends where the drive goes.
    let mut world = World::new(ThemeName::Dark, FULL);
    world.key(KeyCode::Char('/'));
    world.scan("R90C2Y");
    world.key(KeyCode::Enter);
    world.key(KeyCode::Enter);
    world.key(KeyCode::Enter);
    world.scan("R90C2Y");
    world.key(KeyCode::Enter);
    world.pass(5);
    world.tell_all();
    (0..3).for_each(|_| world.key(KeyCode::Enter));
    assert_eq!(world.app.state.lanes[CARD].step, Step::Release, "{}", world.text());
    world.key(KeyCode::Char('l'));
    assert!(world.app.state.lanes[CARD].is_written() && world.labels == 1 && world.pressed <= 9, "{} keys", world.pressed);
}

#[test]
fn nine_drives_take_seventy_keys_beside_their_serials() {
    let mut world = World::new(ThemeName::Dark, FULL);
    // All that the bench has and the guard allows.
    world.app.state.select(LaneId::nth(1));
    for n in 0..9 {
        world.key(KeyCode::Char('s'));
        if n < 8 {
            world.key(KeyCode::Down);
        }
    }
    world.key(KeyCode::Char('p'));
    world.key(KeyCode::Enter);
    for _ in 0..9 {
        let serial = world.app.state.lane().and_then(|l| l.seen.drive.unit.serial.clone()).expect("it is asked for its label");
        world.scan(&serial[serial.len() - 6..]);
        world.key(KeyCode::Enter);
        world.pass(5);
        world.tell_all();
    }
    world.key(KeyCode::Char('w'));
    assert!(world.text().contains("Write the papers of 9 drives, and their labels?"), "{}", world.text());
    world.key(KeyCode::Char('y'));
    assert_eq!(world.app.state.unwritten(), 9, "the question is deaf at first");
    world.pass(1);
    world.key(KeyCode::Char('y'));
    assert_eq!((world.app.state.unwritten(), world.labels), (0, 9), "{}", world.text());
    assert!(world.pressed <= 70, "{} keys", world.pressed);
    // Twice the same writes nothing twice.
    world.key(KeyCode::Char('w'));
    assert!(world.text().contains("No paper waits to be written."), "{}", world.text());
}

/// What stands on every screen: which drive it is about, and the keys for help and for the end.
fn names_its_drive_and_the_way_out(world: &World, drive: &str) {
    let text = world.text();
    assert!(text.contains(drive), "no {drive} on: {text}");
    let bottom = text.lines().last().unwrap();
    assert!(bottom.contains("help") && bottom.contains("quit"), "no way out on: {text}");
}

/// One key has one meaning wherever it is bound, and what is done by a letter is done by the same one everywhere.
#[test]
fn one_action_has_one_key_and_one_letter_one_meaning() {
    use crate::action::BINDINGS;
    let letters = |b: &crate::action::Binding| {
        b.keys.iter().filter_map(|k| if let KeyCode::Char(c) = k { Some(*c) } else { None }).collect::<Vec<char>>()
    };
    let mut of_action: HashMap<String, Vec<char>> = HashMap::new();
    let mut meanings: HashMap<char, Vec<&str>> = HashMap::new();
    for binding in BINDINGS {
        for letter in letters(binding) {
            let known = of_action.entry(format!("{:?}", binding.action)).or_default();
            if !known.contains(&letter) && binding.action != crate::action::Action::Back {
                known.push(letter);
            }
            let said = meanings.entry(letter).or_default();
            if !said.contains(&binding.label) && binding.action != crate::action::Action::Back {
                said.push(binding.label);
            }
        }
    }
    let twice: Vec<_> = of_action.iter().filter(|(_, letters)| letters.len() > 1).collect();
    assert!(twice.is_empty(), "{twice:?}");
    // Several things are one act: yes to a question, once again, go on, search, write to a file, take in, look at what was found.
    let same = ['y', 'a', 'c', '/', 'w', 'i', 'o', 'x', 'e'];
    let many: Vec<_> = meanings.iter().filter(|(letter, said)| said.len() > 1 && !same.contains(letter)).collect();
    assert!(many.is_empty(), "{many:?}");
}

#[test]
fn the_whole_way_at_eighty_columns() {
    let mut world = World::new(ThemeName::Mono, (80, 24));
    let top = |world: &World| world.text().lines().next().unwrap().to_string();
    world.choose("R90C2Y");
    names_its_drive_and_the_way_out(&world, "7 Tessel Logger 32");
    assert!(world.text().contains("serial ends R90C2Y") && top(&world).contains("BW-0417"));
    assert!(world.text().contains("more lines ↓") && world.text().contains("May it be erased?"), "the verdict is above the fold");
    (0..4).for_each(|_| world.key(KeyCode::PageDown));
    assert!(world.text().contains("What is on it") && world.text().contains("lines above ↑"), "{}", world.text());
    world.key(KeyCode::Enter);
    names_its_drive_and_the_way_out(&world, "7 Tessel Logger 32");
    assert!(
        world.text().contains("✓ Required: Clear → overwrite gives Clear"),
        "what matters most is above the fold: {}",
        world.text()
    );
    world.key(KeyCode::PageDown);
    assert!(world.text().contains("available?") && world.text().contains("more not now"), "{}", world.text());
    (0..9).for_each(|_| world.key(KeyCode::PageDown));
    assert!(world.text().contains("proof"), "the strata are reached: {}", world.text());
    world.key(KeyCode::Enter);
    names_its_drive_and_the_way_out(&world, "7 Tessel Logger 32");
    assert!(!world.text().contains("R90C2Y"), "the ending is read from the drive, not from the screen");
    world.keys("nonsense");
    world.key(KeyCode::Enter);
    assert!(world.text().contains("label check failed"), "a wrong label is told: {}", world.text());
    world.keys("R90C2Y");
    world.key(KeyCode::Enter);
    assert!(world.text().contains("Writing begins in 5 s"), "{}", world.text());
    assert!(world.text().lines().last().unwrap().contains("any key stop the countdown"), "{}", world.text());
    world.pass(5);
    world.tell_until(|e| matches!(e, Event::Advanced { activity: Activity::Laying, .. }));
    names_its_drive_and_the_way_out(&world, "7 Tessel Logger 32");
    assert!(world.text().contains("Writing pass 1 of 2"));
    world.key(KeyCode::Enter);
    assert!(world.text().contains("Pausing pass 1 of 2"), "at once: {}", world.text());
    world.send(Message::Job(CARD, Event::Held { celsius: None }));
    assert!(world.text().contains("nothing is being written"));
    world.tell_all();
    names_its_drive_and_the_way_out(&world, "7 Tessel Logger 32");
    assert!(world.text().contains("Is it really gone?") && world.text().contains("Clear."));
    world.key(KeyCode::Enter);
    names_its_drive_and_the_way_out(&world, "7 Tessel Logger 32");
    world.key(KeyCode::BackTab);
    world.keys("x214");
    assert!(world.text().contains("extension 207x214"), "the field that is typed in is in sight: {}", world.text());
    world.key(KeyCode::Tab);
    world.keys("BWS-03312");
    world.key(KeyCode::Enter);
    assert!(world.text().contains("Written"), "{}", world.text());
    world.key(KeyCode::Esc);
    assert!(world.text().contains("1 Quillon Arc"), "Esc shows all drives: {}", world.text());
    world.key(KeyCode::Enter);
    assert!(world.text().contains("Can I sign for it?"));
}

#[test]
fn where_there_are_more_drives_than_rows_the_last_row_sums_them_up() {
    let mut world = World::new(ThemeName::Mono, (80, 24));
    world.send(Message::Drives(1, many(40)));
    world.app.state.lanes_in_front = true;
    world.app.state.selected = Some(LaneId::nth(30));
    let text = world.text();
    assert!(text.contains("50 drives · ") && text.contains(" ready"), "{text}");
    assert!(text.contains("…000020"), "the chosen one is in sight: {text}");
    click(&mut world, "…000020");
    assert_eq!(world.app.state.selected, Some(LaneId::nth(30)), "what is drawn is what is clicked");
    click(&mut world, "50 drives");
    assert_eq!(world.app.state.selected, Some(LaneId::nth(30)), "the sum of the lanes is no lane");
}

#[test]
fn pages_that_are_longer_than_the_screen_say_so_and_all_of_them_can_be_reached() {
    let mut world = World::new(ThemeName::Mono, (80, 24));
    world.send(Message::Drives(1, many(24)));
    for lane in world.app.state.lanes.iter_mut().skip(10) {
        lane.is_picked = true;
    }
    world.keys("p");
    assert!(world.text().contains("One plan for 24 drives") && world.text().contains("more lines ↓"), "{}", world.text());
    (0..60).for_each(|_| world.key(KeyCode::Down));
    let text = world.text();
    let chosen = text.lines().find(|l| l.contains("▸")).expect("the chosen row is in sight");
    assert!(chosen.contains("000023") && chosen.contains("Clear"), "what it earns has room: {text}");
    assert!(text.contains("lines above ↑"), "{text}");
    world.keys("w");
    assert!(world.text().contains("Save this policy by the name"), "what is typed is in sight: {}", world.text());
    world.key(KeyCode::Esc);
    world.key(KeyCode::Esc);
    world.key(KeyCode::F(3));
    world.keys("/vsitr");
    world.key(KeyCode::Enter);
    let first = world.text();
    assert!(first.contains("more lines ↓ (PgDn)"), "{first}");
    (0..9).for_each(|_| world.key(KeyCode::PageDown));
    let last = world.text();
    assert!(last.contains("lines above ↑ (PgUp)") && last.contains("before"), "the strata lie at the end: {last}");
}

#[test]
fn the_palette_finds_by_letters_does_what_can_be_done_and_says_why_not() {
    let mut world = World::new(ThemeName::Mono, FULL);
    world.choose("K7Q41M");
    let palette = |world: &mut World, letters: &str| {
        world.send(Message::Key(KeyEvent::new(KeyCode::Char('p'), KeyModifiers::CONTROL)));
        world.keys(letters);
    };
    palette(&mut world, "");
    insta::assert_snapshot!("palette", world.picture().backend());
    world.key(KeyCode::Esc);
    palette(&mut world, "stp jb");
    assert!(world.text().contains("Nothing has these letters") || world.text().contains("No job is running"), "{}", world.text());
    world.key(KeyCode::Esc);
    palette(&mut world, "erase stop");
    assert!(world.text().contains("Erase: stop") && world.text().contains("Nothing is being erased"), "{}", world.text());
    world.key(KeyCode::Enter);
    assert!(world.app.above_mut().is_empty() && world.text().contains("Nothing is being erased"));
    palette(&mut world, "plan rounds");
    world.send(Message::Key(KeyEvent::new(KeyCode::Enter, KeyModifiers::NONE)));
    assert!(!world.app.above_mut().is_empty(), "a scanner's line end does nothing");
    world.key(KeyCode::Enter);
    let lane = world.app.state.lane().unwrap();
    assert_eq!((lane.step, lane.plan_row), (Step::Plan, Some(PlanRow::Rounds)), "it goes to the step and to the row");
    world.key(KeyCode::Right);
    assert_eq!(world.app.state.lane().unwrap().draft.order.rounds, 2);
}

#[test]
fn settings_are_changed_in_place_checked_and_hold_at_once() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.key(KeyCode::F(4));
    insta::assert_snapshot!("settings", world.picture().backend());
    let go_to = |world: &mut World, setting: Setting| {
        let at = Setting::ALL.iter().position(|s| *s == setting).unwrap();
        (0..30).for_each(|_| world.key(KeyCode::Up));
        (0..at).for_each(|_| world.key(KeyCode::Down));
    };
    go_to(&mut world, Setting::Lot);
    world.key(KeyCode::Enter);
    (0..20).for_each(|_| world.key(KeyCode::Backspace));
    world.send(Message::Pasted("BW-\u{1b}[31m0420\n".into()));
    world.key(KeyCode::Enter);
    assert_eq!(world.app.state.lanes[CARD].papers.lot, world.app.state.config.lot);
    assert!(
        world.app.state.config.lot.starts_with("BW-") && !world.app.state.config.lot.contains('\u{1b}'),
        "{:?}",
        world.app.state.config.lot
    );
    go_to(&mut world, Setting::HeatLimit);
    world.key(KeyCode::Enter);
    world.keys("900");
    world.key(KeyCode::Enter);
    assert!(world.text().contains("Not saved") && world.text().contains("no temperature"), "{}", world.text());
    (0..3).for_each(|_| world.key(KeyCode::Backspace));
    world.keys("55");
    world.key(KeyCode::Enter);
    assert_eq!(world.app.state.config.hold_above_celsius, Some(55));
    go_to(&mut world, Setting::Theme);
    world.key(KeyCode::Enter);
    assert_eq!(world.app.state.config.theme, Some(ThemeName::Light));
    go_to(&mut world, Setting::Rules);
    world.key(KeyCode::Enter);
    assert_eq!(world.app.state.lanes[CARD].draft.order.edition, jurex_sanitize::rules::Edition::Rev1);
    let saved = std::fs::read_to_string(&world.settings.path).unwrap();
    assert!(saved.contains("# The demonstration's settings") && saved.contains("hold_above_celsius = 55"), "{saved}");
    world.key(KeyCode::Esc);
    assert!(world.text().contains("Is that the right drive?"));
}

#[test]
fn every_key_of_the_table_is_drawn_somewhere_and_none_means_two_things_at_once() {
    let mut world = World::new(ThemeName::Mono, FULL);
    world.choose("R90C2Y");
    let twins = |world: &World| {
        let usable = world.app.usable();
        for (at, a) in usable.iter().enumerate() {
            let same = usable.iter().skip(at + 1).find(|b| b.place == a.place && a.keys.iter().any(|k| b.keys.contains(k)));
            assert!(same.is_none(), "{:?} and {:?} have one key at {:?}", a.action, same.map(|b| b.action), a.place);
        }
    };
    for step in [KeyCode::Enter, KeyCode::Enter] {
        twins(&world);
        world.key(step);
    }
    world.keys("R90C2Y");
    world.key(KeyCode::Enter);
    world.pass(5);
    twins(&world);
    world.tell_until(|e| matches!(e, Event::Advanced { .. }));
    twins(&world);
    world.tell_all();
    for step in Step::ALL {
        world.app.state.lanes[CARD].step = step;
        twins(&world);
    }
}
