//! What every screen works on: the lanes, which of them is chosen, the settings, and the time.

use super::file_erase::Less;
use super::lane::stage::{Arming, LaneStage};
use super::lane::{Lane, LaneId, LaneState, Lanes, Speed, Step};
use super::message::{AskLedger, AskLess, Effect};
use jurex_disposition::erasure_tag::places;
use jurex_disposition::lot::LotTally;
use jurex_documents::House;
use jurex_engine::Control;
use jurex_look::theme::Theme;
use jurex_past::LotNow;
use jurex_pattern::method::Catalogue;
use jurex_pattern::text::capital;
use jurex_sanitize::record::Papers;
use jurex_station::bench::DriveSnapshot;
use jurex_station::config::Config;
use jurex_station::machine::{CarryVolume, Machine};
use std::time::Duration;

/// Keys that follow one another faster come from no hand.
const BURST: Duration = Duration::from_millis(60);

/// The shared state.
pub(crate) struct State {
    pub(crate) lanes: Lanes,
    /// The chosen lane; none as long as there is none.
    pub(crate) selected: Option<LaneId>,
    pub(crate) loading: bool,
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
    pub(crate) catalogue: Catalogue,
    /// The saved policies by name.
    pub(crate) policies: Vec<String>,
    /// Set once quitting is decided; the loop ends when the last job has ended.
    pub(crate) quitting: bool,
    /// When the last letter was typed: what follows at once comes from a scanner or a paste, not from a hand.
    pub(crate) last_letter: Option<Duration>,
    /// Whether the person has done anything yet: until then the first drive that may be erased is chosen.
    pub(crate) touched: bool,
    /// What screens and lanes want done in the world, that was not asked for by a key.
    pub(crate) to_do: Vec<Effect>,
    /// The open lots as they stand.
    pub(crate) lots: Vec<LotNow>,
    /// Which notices have not gone out, in a sentence.
    pub(crate) notices_wait: Option<String>,
    /// How the organisation's papers look.
    pub(crate) house: House,
    /// How the lot in work stands; `None`: nothing is expected of it.
    pub(crate) lot_said: Option<String>,
    /// By whom papers are signed, or why not.
    pub(crate) signs: String,
    /// The newest listing of drives that was told: answers of older ones are not taken.
    pub(crate) listing: u64,
    /// The machine, where a start medium has started it.
    pub(crate) machine: Option<Machine>,
    /// What is to be known of it.
    pub(crate) machine_notes: Vec<String>,
    /// Volumes that records can be carried to.
    pub(crate) volumes: Vec<CarryVolume>,
    pub(crate) keyboards: Vec<String>,
    /// Whether there are records that were not carried away since.
    pub(crate) has_records: bool,
    /// Less than a drive.
    pub(crate) less: Less,
    /// Whether it is the demonstration, and whether its guided tour is on.
    pub(crate) is_demo: bool,
    pub(crate) tour: bool,
    /// Whether the machine is to be switched off when the last job has ended.
    pub(crate) switches_off_after: bool,
    /// When it is switched off.
    pub(crate) off_at: Option<Duration>,
}

impl State {
    pub(crate) fn new(theme: Theme, config: Config) -> Self {
        Self {
            lanes: Lanes::default(),
            selected: None,
            loading: true,
            notice: None,
            theme,
            now: Duration::ZERO,
            time_of_day: String::new(),
            config,
            size: (160, 47),
            lanes_in_front: false,
            catalogue: Catalogue::default(),
            policies: vec![],
            quitting: false,
            last_letter: None,
            touched: false,
            to_do: vec![],
            lots: vec![],
            notices_wait: None,
            house: House::default(),
            lot_said: None,
            signs: String::new(),
            listing: 0,
            machine: None,
            machine_notes: vec![],
            volumes: vec![],
            keyboards: vec![],
            has_records: false,
            less: Less::default(),
            is_demo: false,
            tour: false,
            switches_off_after: false,
            off_at: None,
        }
    }

    /// The chosen lane.
    pub(crate) fn lane(&self) -> Option<&Lane> {
        self.lanes.get(self.selected?)
    }

    pub(crate) fn lane_mut(&mut self) -> Option<&mut Lane> {
        self.lanes.get_mut(self.selected?)
    }

    /// A lane for a drive that has come, with what an open lot knows of it.
    pub(crate) fn new_lane(&self, seen: DriveSnapshot) -> Lane {
        let mut lane = Lane::new(seen, &self.config.papers(), &self.catalogue, self.config.rules);
        lane.fill_from(&self.lots);
        lane.draft.order.marks = self.config.mark && places(lane.seen.drive.geometry).is_some();
        lane
    }

    /// Takes the open lots as they stand now. Drives that one of them expects, and that nothing was done to yet, get its answers.
    pub(crate) fn take_lots(&mut self, lots: Vec<LotNow>) {
        self.lots = lots;
        for id in self.lanes.ids().collect::<Vec<_>>() {
            self.lanes[id].fill_from(&self.lots);
        }
        self.retell_lot();
    }

    /// Computes anew how the lot in work stands. Not at each picture: a lot may have hundreds of drives, and their records are large.
    pub(crate) fn retell_lot(&mut self) {
        self.lot_said = self.lot_sentence();
    }

    fn lot_sentence(&self) -> Option<String> {
        let now = self.lots.iter().find(|l| l.lot.name == self.config.lot || self.config.lot.is_empty())?;
        let here: Vec<&str> =
            self.lanes.iter().filter(|l| !l.is_gone()).filter_map(|l| l.seen.drive.unit.serial.as_deref()).collect();
        let tally = LotTally::of(&now.items(&here));
        Some(format!("lot {}: {}", now.lot.name, tally.sentence()))
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

    /// Whether records would be lost if the machine were switched off now.
    pub(crate) fn loses_records(&self) -> bool {
        self.has_records && self.machine.as_ref().is_some_and(|m| !m.keeps())
    }

    /// Number of running jobs.
    pub(crate) fn working(&self) -> usize {
        self.lanes.iter().filter(|l| l.is_working()).count()
    }

    /// Whether anything is at work: on drives, or on less.
    pub(crate) fn is_busy(&self) -> bool {
        self.working() > 0 || self.less.is_working()
    }

    /// Whether a letter came just now: no hand is that fast, but a scanner or a paste is.
    pub(crate) fn in_burst(&self) -> bool {
        self.last_letter.is_some_and(|at| self.now.saturating_sub(at) < BURST)
    }

    /// Whether the chosen lane is between the right label and the first write.
    pub(crate) fn is_counting(&self) -> bool {
        self.lane().is_some_and(Lane::is_counting)
    }

    /// Chooses a lane.
    pub(crate) fn select(&mut self, id: LaneId) {
        if self.lanes.get(id).is_some() {
            self.leave_field();
            self.selected = Some(id);
        }
    }

    /// Chooses the lane so many places further down, if there is one.
    pub(crate) fn walk_lanes(&mut self, by: isize) {
        let place = self.selected.map(|id| self.lanes.place(id)).and_then(|at| at.checked_add_signed(by));
        if let Some(id) = place.and_then(|at| self.lanes.at(at)) {
            self.select(id);
        }
    }

    /// Chooses the first drive after the present one whose path, name or serial holds the text.
    pub(crate) fn find(&mut self, text: &str) {
        let wanted = text.trim().to_lowercase();
        let holds = |l: &Lane| {
            let drive = &l.seen.drive;
            let serial = drive.unit.serial.as_deref().unwrap_or_default();
            [&drive.path, &drive.name(), serial].iter().any(|t| t.to_lowercase().contains(&wanted))
        };
        let after = self.selected.map_or(0, |id| self.lanes.place(id) + 1);
        let (before, behind): (Vec<LaneId>, Vec<LaneId>) = self.lanes.ids().partition(|id| self.lanes.place(*id) < after);
        match behind.into_iter().chain(before).find(|id| holds(&self.lanes[*id])) {
            Some(found) if !wanted.is_empty() => self.select(found),
            _ => self.notice = Some(format!("No drive here says \"{}\".", text.trim())),
        }
    }

    /// Goes to a step of the chosen lane, or says why it can't be entered.
    pub(crate) fn go_to(&mut self, step: Step) -> Vec<Effect> {
        self.leave_field();
        self.lanes_in_front = false;
        let Some(lane) = self.lane_mut() else { return vec![] };
        match lane.missing(step) {
            Some(why) => self.notice = Some(why),
            None => {
                lane.enter(step);
                match (step, self.selected) {
                    (Step::Plan, Some(id)) => return self.sample_speed(id),
                    (Step::Release, Some(id)) => return vec![self.ask_what_is_known(id)],
                    _ => {}
                }
            }
        }
        vec![]
    }

    /// Asks the ledger for all that it knows of the drive of that lane.
    pub(crate) fn ask_what_is_known(&self, id: LaneId) -> Effect {
        let lane = &self.lanes[id];
        let marked = lane.look.mark.as_ref().and_then(|m| m.mark()).filter(|m| m.fits).map(|m| m.says.job.clone());
        let job = lane.record().map(|r| r.job.clone()).or(marked);
        Effect::Ledger(AskLedger::Known(id, lane.seen.drive.unit.serial.clone(), job))
    }

    /// Leaves the field of the certificate that is being edited.
    pub(crate) fn leave_field(&mut self) {
        if let Some(lane) = self.lane_mut() {
            lane.leave_field();
            lane.release.leave();
        }
    }

    /// Asks for the speed of a drive that is to be planned, once.
    pub(crate) fn sample_speed(&mut self, id: LaneId) -> Vec<Effect> {
        let wanted = self.config.sample_speed.unwrap_or(true);
        let Some(lane) = self.lanes.get_mut(id) else { return vec![] };
        let free = lane.look.speed == Speed::NotSampled && !lane.has_job() && lane.missing(Step::Plan).is_none();
        if !wanted || !free {
            return vec![];
        }
        lane.look.speed = Speed::Sampling;
        vec![Effect::SampleSpeed(id)]
    }

    /// Asks something of the job of that lane; it is shown at once, and done when the job gets to it.
    pub(crate) fn wish(&mut self, id: LaneId, wish: Control) -> Vec<Effect> {
        let Some(LaneStage::Working(work)) = self.lanes.get_mut(id).map(|l| &mut l.stage) else { return vec![] };
        work.asked_for = Some(wish);
        vec![Effect::Wish(id, wish)]
    }

    /// Lets go what was armed on the chosen lane.
    pub(crate) fn stop_countdown(&mut self) -> Vec<Effect> {
        let (Some(id), Some(lane)) = (self.selected, self.lane_mut()) else { return vec![] };
        let why = match lane.waits_for_the_drive() {
            Some(_) => "The drive was left at work on its own erasure; nothing was sent to it.",
            None => "The countdown was stopped. Nothing was written.",
        };
        let armed = lane.stage.disarm(Some(why));
        if armed { vec![Effect::Abandon(id)] } else { vec![] }
    }

    /// Fixes the chosen lane's draft as its plan, if its way can be taken.
    pub(crate) fn take_plan(&mut self) -> Vec<Effect> {
        let (Some(id), Some(lane)) = (self.selected, self.lane()) else { return vec![] };
        match lane.foreseen().chosen() {
            Some(way) if !way.is_ready() => {
                let name = capital(way.technique.name());
                self.notice = Some(format!("{name} can't be planned. {}", way.availability.sentence()));
                vec![]
            }
            _ => {
                let course = lane.draft.course(&lane.seen.drive, &lane.seen.answers, &lane.papers.technician.name);
                vec![Effect::Plan(id, Box::new(course))]
            }
        }
    }

    /// Says why something could not be done.
    pub(crate) fn refuse(&mut self, why: &dyn std::error::Error) {
        self.notice = Some(format!("{}.", capital(&why.to_string())));
    }

    /// What the clock on the wall will say after so long, with the days that will have gone by.
    pub(crate) fn time_after(&self, left: Duration) -> String {
        let number = |text: Option<&str>| text.and_then(|t| t.parse::<u64>().ok()).unwrap_or(0);
        let mut parts = self.time_of_day.split(':');
        let now = number(parts.next()) * 60 + number(parts.next());
        let then = now + left.as_secs().div_ceil(60);
        let day = match then / 1440 {
            0 => String::new(),
            1 => " tomorrow".into(),
            n => format!(" in {n} days"),
        };
        format!("{:02}:{:02}{day}", then / 60 % 24, then % 60)
    }

    /// Writes the papers of these lanes as their fields stand; each label follows once its paper is there.
    pub(crate) fn write_all(&mut self, lanes: &[LaneId]) -> Vec<Effect> {
        self.leave_field();
        let mut commands = vec![];
        for id in lanes {
            let Some(lane) = self.lanes.get_mut(*id).filter(|lane| lane.needs_person()) else { continue };
            let LaneStage::Over(over) = &mut lane.stage else { continue };
            (over.papers_written, over.label_follows) = (Some(lane.papers.clone()), true);
            commands.push(Effect::Write(*id, Box::new(over.end.record.clone().with_papers(lane.papers.clone()))));
        }
        commands
    }

    /// Drives of which a job is over and no paper is written.
    pub(crate) fn unwritten(&self) -> usize {
        self.lanes.iter().filter(|lane| lane.needs_person()).count()
    }

    /// Ends the program: jobs are stopped, and what was only armed is let go.
    pub(crate) fn quit_now(&mut self) -> Vec<Effect> {
        let stops = self.less.is_working().then_some(Effect::Less(AskLess::Stop));
        let mut commands = self.end_program(Lane::is_working);
        commands.extend(stops);
        commands
    }

    /// The terminal is gone, and with it everybody who could say stop: what runs goes on, what is held ends, and what was
    /// only armed is let go. The program ends when the last job has.
    pub(crate) fn terminal_lost(&mut self) -> Vec<Effect> {
        self.end_program(|lane| lane.state() == LaneState::Held)
    }

    fn end_program(&mut self, is_stopped: impl Fn(&Lane) -> bool) -> Vec<Effect> {
        self.quitting = true;
        let mut commands = vec![];
        for id in self.lanes.ids() {
            let lane = &mut self.lanes[id];
            if is_stopped(lane) {
                commands.push(Effect::Wish(id, Control::Stop));
            } else if lane.stage.disarm(None) {
                commands.push(Effect::Abandon(id));
            }
        }
        commands
    }

    /// The settings hold from now on; what belongs to a job that has begun stays as it was.
    pub(crate) fn take_config(&mut self, config: Config) {
        if let Some(theme) = config.theme {
            self.theme = self.theme.named(theme);
        }
        let (papers, edition) = (config.papers(), config.rules);
        for lane in self.lanes.iter_mut().filter(|l| !l.has_job() && !l.is_armed()) {
            // What the person has answered already stays.
            lane.papers = Papers { backup: lane.papers.backup, ..papers.clone() };
            // What a lot expects of this drive is more than what the settings say of every one.
            lane.fill_papers_from(&self.lots);
            if lane.draft.order.edition != edition {
                lane.draft.order.edition = edition;
                lane.stage.drop_plan();
            }
        }
        self.config = config;
        self.retell_lot();
    }

    /// Whether the job on that lane starts now.
    pub(crate) fn is_due(&self, id: LaneId) -> bool {
        let stage = self.lanes.get(id).map(|l| &l.stage);
        matches!(stage, Some(LaneStage::Arming(_, Arming::Counting(starts))) if *starts <= self.now)
    }
}
