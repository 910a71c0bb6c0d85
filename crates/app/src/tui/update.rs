//! What events do to the state. No input or output here: what is to be done in the world is returned as commands.

use super::methods::Target;
use super::state::{
    App, ArmStage, Command, Dialog, Field, Lane, LaneState, Message, Page, Presence, Start, Step, Work, WorkEnd, next_backup,
};
use super::view;
use crate::bench::Seen;
use jurex_core::erase::{Event, Progress, Wish};
use jurex_core::estimate::SpeedSample;
use jurex_core::guard::LookedAt;
use jurex_core::need::Sensitivity;
use jurex_core::plan::{ArmError, Plan};
use jurex_core::rules::Technique;
use jurex_core::text::{capital, printable};
use jurex_core::units::Sectors;
use ratatui::crossterm::event::{
    Event as TerminalEvent, KeyCode, KeyEvent, KeyEventKind, KeyModifiers, MouseButton, MouseEvent, MouseEventKind,
};
use std::time::Duration;
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler;

/// Time between the right label and the first write.
pub(crate) const COUNTDOWN: Duration = Duration::from_secs(5);
/// A question is deaf for so long after it is asked: a scanner's burst of letters must not answer it.
const DEAF: Duration = Duration::from_millis(500);
/// Keys that follow one another faster come from no hand.
const BURST: Duration = Duration::from_millis(60);
/// Longest text that a field takes.
pub(super) const MOST_CHARS: usize = 200;

impl App {
    /// Takes one event.
    pub(crate) fn update(&mut self, message: Message) -> Vec<Command> {
        match message {
            Message::Key(key) if key.kind != KeyEventKind::Release => return self.key(key),
            Message::Key(_) => {}
            Message::Mouse(mouse) => return self.mouse(mouse),
            // Some lines tell a size of nothing.
            Message::Resized(0, _) | Message::Resized(_, 0) => {}
            Message::Resized(width, height) => self.size = (width, height),
            Message::Tick(now, time_of_day) => return self.tick(now, time_of_day),
            // Answers of an older listing say nothing of what is there now.
            Message::Drives(listing, _) | Message::Answered(listing, _) if listing < self.listing => {}
            Message::Drives(listing, drives) => {
                self.listing = listing;
                let commands = self.drives(drives);
                self.reconsider();
                return commands;
            }
            Message::Answered(_, seen) => {
                let commands = self.answered(*seen);
                self.reconsider();
                return commands;
            }
            Message::Pasted(text) => self.paste(&text),
            Message::TerminalLost => return self.terminal_lost(),
            Message::Looked(lane, contents, sample) => {
                if let Some(lane) = self.lanes.get_mut(lane) {
                    (lane.contents, lane.sample) = (Some(contents), sample);
                }
            }
            Message::Unfinished(lane, unfinished) => {
                if let Some(lane) = self.lanes.get_mut(lane).filter(|l| l.work.is_none()) {
                    lane.unfinished = unfinished;
                }
            }
            Message::Planned(lane, plan) => self.planned(lane, plan),
            Message::Sampled(lane, sampled) => self.sampled(lane, sampled),
            Message::Catalogue(saved) => self.methods_saved(saved),
            Message::Policy(read) => self.policy_read(read),
            Message::Policies(Ok((names, said))) => (self.policies, self.notice) = (names, Some(said)),
            Message::Policies(Err(why)) | Message::Said(why) => self.notice = Some(why),
            Message::Began(lane, job) => {
                if let Some(work) = self.lanes.get_mut(lane).and_then(|l| l.work.as_mut()) {
                    work.job = Some(job);
                }
            }
            Message::NotStarted(lane, why) => self.not_started(lane, why),
            Message::Job(lane, event) => self.job(lane, event),
            Message::Ended(lane, end) => self.ended(lane, *end),
            Message::Written(lane, written) => {
                if let Some(lane) = self.lanes.get_mut(lane) {
                    if written.is_err() {
                        lane.papers_written = None;
                    }
                    lane.written = Some(written);
                }
            }
            Message::Page(lane, first, page) => self.page(lane, first, page),
            Message::Searching(lane, at) => self.searching(lane, at),
            Message::Searched(lane, found) => return self.searched(lane, found),
            Message::BeaconEnded(lane, error) => {
                if let Some(lane) = self.lanes.get_mut(lane) {
                    lane.beacon = false;
                    self.notice = error.map(|e| format!("The beacon ended: {e}."));
                }
            }
            Message::Opened(lane) => {
                let starts = self.now + COUNTDOWN;
                if let Some(lane) = self.lanes.get_mut(lane).filter(|l| l.arming.stage == ArmStage::Opening) {
                    lane.arming.stage = ArmStage::Counting(starts);
                }
            }
            Message::Terminate => return self.quit_now(),
        }
        vec![]
    }

    /// Takes the list of what is there now: new drives get lanes, drives that are not in it are gone, and a drive that
    /// comes back gets its own lane again.
    fn drives(&mut self, drives: Vec<Seen>) -> Vec<Command> {
        let first = std::mem::replace(&mut self.loading, false);
        let mut here = vec![];
        let mut commands = vec![];
        for seen in drives {
            let lane = match self.lane_of(&seen) {
                Some(lane) => {
                    if self.lanes[lane].come_back(&seen, self.now) {
                        commands.push(Command::Look(lane));
                    }
                    lane
                }
                None => {
                    let mut lane = Lane::new(seen, &self.papers, &self.catalogue, self.edition);
                    if !first {
                        lane.presence = Presence::Appeared(self.now);
                    }
                    self.lanes.push(lane);
                    commands.push(Command::Look(self.lanes.len() - 1));
                    self.lanes.len() - 1
                }
            };
            here.push(lane);
        }
        let gone: Vec<usize> = (0..self.lanes.len()).filter(|lane| !here.contains(lane)).collect();
        commands.extend(gone.into_iter().filter_map(|lane| self.went_away(lane)));
        commands
    }

    /// The guard's word on every lane, with all the others beside it: a label that another drive carries is not asked for,
    /// and a drive that is in use by another path is not free.
    fn reconsider(&mut self) {
        let here = |l: &&Lane| !matches!(l.presence, Presence::Gone(_));
        let all: Vec<LookedAt> = self.lanes.iter().filter(here).map(|l| l.seen.looked_at()).collect();
        for lane in self.lanes.iter_mut().filter(|l| !l.is_working() && !matches!(l.presence, Presence::Gone(_))) {
            lane.seen.stand_beside(&all);
            lane.verdict = lane.seen.verdict();
        }
        if !self.touched && self.lanes.iter().all(|l| l.step == Step::Look) {
            self.selected = self.lanes.iter().position(|l| l.verdict.is_ok()).unwrap_or(0);
        }
    }

    fn went_away(&mut self, lane: usize) -> Option<Command> {
        let since = self.time_of_day.clone();
        let lane_now = &mut self.lanes[lane];
        if matches!(lane_now.presence, Presence::Gone(_)) {
            return None;
        }
        lane_now.presence = Presence::Gone(since);
        lane_now.beacon = false;
        // A running job notices by itself; what was only armed is let go.
        let armed = lane_now.arming.stage != ArmStage::Asking;
        lane_now.arming = Default::default();
        armed.then_some(Command::Abandon(lane))
    }

    /// The lane of a drive that is in the list: the one at that path, or one that is gone with the same serial and size.
    fn lane_of(&self, seen: &Seen) -> Option<usize> {
        let (drive, same_size) = (&seen.drive, |l: &Lane| l.seen.drive.geometry == seen.drive.geometry);
        let gone = |l: &Lane| matches!(l.presence, Presence::Gone(_));
        let serial = |l: &Lane| drive.unit.is_named() && l.seen.drive.unit.agrees_with(&drive.unit);
        // The same name in another attachment is another object: an identical stick put in the place of the first.
        let swapped = |l: &Lane| match (&l.seen.drive.attachment.instance, &drive.attachment.instance) {
            (Some(before), Some(now)) => before != now,
            _ => false,
        };
        let at_path = |l: &Lane| l.seen.drive.path == drive.path && l.seen.drive.class_basis == drive.class_basis && !swapped(l);
        let is_here = |l: &&Lane| !gone(l) && l.seen.drive.path == drive.path && same_size(l) && !swapped(l);
        let place = |found: Option<&Lane>| found.and_then(|f| self.lanes.iter().position(|l| std::ptr::eq(l, f)));
        place(self.lanes.iter().find(is_here))
            .or_else(|| place(self.lanes.iter().find(|l| gone(l) && same_size(l) && serial(l))))
            .or_else(|| place(self.lanes.iter().find(|l| gone(l) && same_size(l) && !drive.unit.is_named() && at_path(l))))
    }

    /// A drive has said who it is and what uses it.
    fn answered(&mut self, seen: Seen) -> Vec<Command> {
        let here = |l: &Lane| !matches!(l.presence, Presence::Gone(_)) && l.seen.drive.path == seen.drive.path;
        let Some(index) = self.lanes.iter().position(here) else { return vec![] };
        let lane = &mut self.lanes[index];
        if lane.is_working() || lane.arming.stage != ArmStage::Asking {
            return vec![];
        }
        let (old, new) = (&lane.seen.drive.unit.serial, &seen.drive.unit.serial);
        if lane.answered && old != new {
            // Another drive stands behind the same path: the old one is gone, this one is new.
            let mut commands: Vec<Command> = self.went_away(index).into_iter().collect();
            let mut lane = Lane::new(seen, &self.papers, &self.catalogue, self.edition);
            lane.presence = Presence::Appeared(self.now);
            self.lanes.push(lane);
            commands.push(Command::Look(self.lanes.len() - 1));
            return commands;
        }
        let first = !std::mem::replace(&mut lane.answered, true);
        let plan_holds = lane.plan.as_ref().is_some_and(|p| p.drive().same_as(&seen.drive));
        lane.verdict = seen.verdict();
        lane.seen = seen;
        if !plan_holds || lane.verdict.is_err() {
            lane.plan = None;
            if lane.work.is_none() && lane.step > Step::Plan {
                lane.step = Step::Look;
            }
        }
        if first {
            lane.choose_method(&self.catalogue);
        }
        vec![]
    }

    fn planned(&mut self, lane: usize, plan: Result<Box<Plan>, String>) {
        let Some(lane) = self.lanes.get_mut(lane) else { return };
        match plan {
            Ok(plan) => {
                lane.plan = Some(*plan);
                lane.going_on = false;
                lane.arming = Default::default();
                lane.step = Step::Arm;
            }
            Err(why) => self.notice = Some(format!("{}.", capital(&why))),
        }
    }

    fn sampled(&mut self, lane: usize, sampled: Result<SpeedSample, String>) {
        let Some(lane) = self.lanes.get_mut(lane) else { return };
        lane.sampling = false;
        match sampled {
            Ok(speed) => lane.speed = Some(speed),
            Err(why) => self.notice = Some(format!("The speed could not be sampled: {why}.")),
        }
    }

    /// Asks for the speed of a drive that is to be planned, once.
    pub(super) fn sample_speed(&mut self, index: usize) -> Vec<Command> {
        let wanted = self.samples_speed;
        let Some(lane) = self.lanes.get_mut(index) else { return vec![] };
        let can = wanted && lane.speed.is_none() && !lane.sampling && lane.work.is_none() && lane.missing(Step::Plan).is_none();
        lane.sampling |= can;
        if can { vec![Command::SampleSpeed(index)] } else { vec![] }
    }

    fn not_started(&mut self, lane: usize, why: String) {
        let Some(lane) = self.lanes.get_mut(lane) else { return };
        lane.work = None;
        lane.not_started = Some(why);
        lane.arming = Default::default();
        lane.step = Step::Arm;
    }

    fn job(&mut self, lane: usize, event: Event) {
        let time = self.time_of_day.clone();
        let Some(work) = self.lanes.get_mut(lane).and_then(|l| l.work.as_mut()) else { return };
        work.progress.apply(&event);
        if !matches!(event, Event::Advanced { .. }) && !goes_on(work.told.last_mut(), &event) {
            work.told.push((time, event));
        }
    }

    fn ended(&mut self, lane: usize, end: WorkEnd) {
        let Some(lane) = self.lanes.get_mut(lane) else { return };
        if let Some(work) = lane.work.as_mut() {
            lane.unfinished = end.unfinished.clone();
            work.end = Some(end);
            if lane.step == Step::Erase && !self.quitting {
                lane.step = Step::Prove;
            }
        }
    }

    fn tick(&mut self, now: Duration, time_of_day: String) -> Vec<Command> {
        (self.now, self.time_of_day) = (now, time_of_day);
        let due: Vec<usize> = (0..self.lanes.len())
            .filter(|i| matches!(self.lanes[*i].arming.stage, ArmStage::Counting(starts) if starts <= now))
            .collect();
        due.into_iter().filter_map(|i| self.start(i)).collect()
    }

    fn start(&mut self, index: usize) -> Option<Command> {
        let lane = &mut self.lanes[index];
        lane.arming = Default::default();
        let plan = lane.plan.as_ref()?;
        let progress = Progress::of_plan(plan).with_sample(lane.speed);
        lane.work = Some(Work { job: None, progress, told: vec![], end: None });
        lane.step = Step::Erase;
        // Of drives that were planned together, the next one is armed now, by a label check of its own.
        if std::mem::replace(&mut lane.marked, false) && self.selected == index {
            let waits = |l: &Lane| l.marked && l.plan.is_some() && l.work.is_none() && l.missing(Step::Arm).is_none();
            if let Some(next) = self.lanes.iter().position(waits) {
                self.selected = next;
                self.lanes[next].step = Step::Arm;
            }
        }
        Some(Command::Go(index))
    }

    fn quit_now(&mut self) -> Vec<Command> {
        self.quitting = true;
        self.dialog = None;
        let armed = |l: &Lane| l.arming.stage != ArmStage::Asking;
        let stop = |i: usize| match (self.lanes[i].is_working(), armed(&self.lanes[i])) {
            (true, _) => Some(Command::Wish(i, Wish::Stop)),
            (_, true) => Some(Command::Abandon(i)),
            _ => None,
        };
        let commands = (0..self.lanes.len()).filter_map(stop).collect();
        self.lanes.iter_mut().for_each(|l| l.arming = Default::default());
        commands
    }

    /// The terminal is gone, and with it everybody who could say stop: what runs goes on, what is held ends, and what was
    /// only armed is let go. The program ends when the last job has.
    fn terminal_lost(&mut self) -> Vec<Command> {
        self.quitting = true;
        let command = |i: usize| match (self.lanes[i].state(), self.lanes[i].arming.stage) {
            (LaneState::Held, _) => Some(Command::Wish(i, Wish::Stop)),
            (_, ArmStage::Opening | ArmStage::Counting(_)) => Some(Command::Abandon(i)),
            _ => None,
        };
        let commands = (0..self.lanes.len()).filter_map(command).collect();
        self.lanes.iter_mut().for_each(|l| l.arming = Default::default());
        commands
    }

    /// Pasted text goes into the field that takes letters, on one line, and does nothing else.
    fn paste(&mut self, text: &str) {
        self.notice = None;
        if self.is_counting() || self.dialog.is_some() || !matches!(self.page, Page::Bench) || !self.is_typing() {
            return;
        }
        let line: String = printable(text.as_bytes()).chars().take(MOST_CHARS).collect();
        for c in line.chars() {
            self.typing_key(KeyEvent::new(KeyCode::Char(c), KeyModifiers::NONE));
        }
    }

    /// Whether a letter came just now: no hand is that fast, but a scanner or a paste is.
    fn in_burst(&self) -> bool {
        self.last_letter.is_some_and(|at| self.now.saturating_sub(at) < BURST)
    }

    fn key(&mut self, key: KeyEvent) -> Vec<Command> {
        let commands = self.take_key(key);
        if matches!(key.code, KeyCode::Char(_)) {
            self.last_letter = Some(self.now);
        }
        commands
    }

    fn take_key(&mut self, key: KeyEvent) -> Vec<Command> {
        (self.notice, self.touched) = (None, true);
        if self.is_counting() {
            return self.stop_countdown();
        }
        if key.modifiers.contains(KeyModifiers::CONTROL) {
            match key.code {
                KeyCode::Char('c' | 'q') => self.ask_to_quit(),
                KeyCode::Char('z') => return vec![Command::Suspend],
                _ => {}
            }
            return vec![];
        }
        if self.dialog.is_some() {
            return self.dialog_key(key.code);
        }
        match self.page {
            Page::Bench => {}
            Page::Methods(_) => return self.methods_key(key),
            Page::Lot(_) => return self.lot_key(key),
        }
        if self.lane().is_some_and(|l| l.step == Step::Look && l.bytes.is_some()) {
            return self.bytes_key(key.code);
        }
        if self.is_typing() {
            return self.typing_key(key);
        }
        match key.code {
            KeyCode::Char('q') => self.ask_to_quit(),
            KeyCode::Char('?') | KeyCode::F(1) => self.dialog = Some(Dialog::Help),
            KeyCode::F(3) => self.open_methods(Target::Nothing),
            KeyCode::Char('/') => self.dialog = Some(Dialog::Find(String::new())),
            KeyCode::Char('t') => self.theme = self.theme.next(),
            code => return self.common_key(code),
        }
        vec![]
    }

    /// Whether letters go into a field: the label check, or the certificate's form.
    fn is_typing(&self) -> bool {
        self.lane().is_some_and(|l| match l.step {
            Step::Arm => l.work.is_none() && l.plan.is_some(),
            Step::Certify => l.form.focus.is_some(),
            _ => false,
        })
    }

    /// Whether the chosen lane is between the right label and the first write.
    fn is_counting(&self) -> bool {
        self.lane().is_some_and(|l| l.arming.stage != ArmStage::Asking)
    }

    fn stop_countdown(&mut self) -> Vec<Command> {
        let index = self.selected;
        if let Some(lane) = self.lane_mut() {
            lane.arming = Default::default();
            lane.arming.problem = Some("The countdown was stopped. Nothing was written.".into());
        }
        vec![Command::Abandon(index)]
    }

    pub(super) fn ask_to_quit(&mut self) {
        match self.working() {
            0 => drop(self.quit_now()),
            _ => self.dialog = Some(Dialog::Quit(self.now)),
        }
    }

    fn dialog_key(&mut self, code: KeyCode) -> Vec<Command> {
        let Some(dialog) = self.dialog.take() else { return vec![] };
        match (dialog, code) {
            (_, KeyCode::Esc) => {}
            (Dialog::Help, KeyCode::Char('?') | KeyCode::Char('q') | KeyCode::Enter) => {}
            (Dialog::Stop(since), KeyCode::Char('s')) if self.now >= since + DEAF => {
                return vec![Command::Wish(self.selected, Wish::Stop)];
            }
            (Dialog::Quit(since), KeyCode::Char('s')) if self.now >= since + DEAF => return self.quit_now(),
            (Dialog::Range(text), KeyCode::Enter) => self.take_range(&text),
            (Dialog::Find(text), KeyCode::Enter) => self.find(&text),
            (mut dialog, code) => {
                if let Dialog::Range(text) | Dialog::Find(text) = &mut dialog {
                    type_into(text, code);
                }
                self.dialog = Some(dialog);
            }
        }
        vec![]
    }

    /// Chooses the first drive after the present one whose path, name or serial holds the text.
    fn find(&mut self, text: &str) {
        let wanted = text.trim().to_lowercase();
        let holds = |l: &Lane| {
            let drive = &l.seen.drive;
            let serial = drive.unit.serial.as_deref().unwrap_or_default();
            [&drive.path, &drive.name(), serial].iter().any(|t| t.to_lowercase().contains(&wanted))
        };
        let order = (1..=self.lanes.len()).map(|by| (self.selected + by) % self.lanes.len().max(1));
        match order.into_iter().find(|i| holds(&self.lanes[*i])) {
            Some(found) if !wanted.is_empty() => self.select(found),
            _ => self.notice = Some(format!("No drive here says \"{}\".", text.trim())),
        }
    }

    fn select(&mut self, lane: usize) {
        if lane < self.lanes.len() {
            self.leave_field();
            self.selected = lane;
        }
    }

    fn common_key(&mut self, code: KeyCode) -> Vec<Command> {
        let narrow_lanes = self.lanes_in_front && view::is_narrow(self.size);
        match code {
            KeyCode::Up => self.select(self.selected.saturating_sub(1)),
            KeyCode::Down => self.select(self.selected + 1),
            KeyCode::Esc => self.lanes_in_front = true,
            KeyCode::Enter | KeyCode::Right if narrow_lanes => self.lanes_in_front = false,
            KeyCode::Left => return self.walk(-1),
            KeyCode::Right => return self.walk(1),
            KeyCode::Enter => return self.act(),
            KeyCode::Tab if self.lane().is_some_and(|l| l.step == Step::Look) => return self.open_bytes(),
            KeyCode::Tab | KeyCode::BackTab => self.next_field(code == KeyCode::Tab),
            KeyCode::Char(' ') => self.mark(),
            KeyCode::Char('p') if self.lanes.iter().any(|l| l.marked) => return self.open_lot(),
            KeyCode::Char('b') if self.lane().is_some_and(|l| l.step == Step::Look) => return self.toggle_beacon(),
            KeyCode::Char(c) => self.letter(c),
            _ => {}
        }
        vec![]
    }

    /// Marks a drive for the lot, or takes it out.
    fn mark(&mut self) {
        let Some(lane) = self.lane_mut() else { return };
        match lane.missing(Step::Plan) {
            Some(why) if !lane.marked => self.notice = Some(why),
            None if lane.work.is_some() && !lane.marked => {
                self.notice = Some("This drive has a job already: it can't be planned with others.".into());
            }
            _ => lane.marked = !lane.marked,
        }
    }

    fn walk(&mut self, by: isize) -> Vec<Command> {
        match self.lane().and_then(|l| l.step.beside(by)) {
            Some(step) => self.go_to(step),
            None => vec![],
        }
    }

    pub(super) fn go_to(&mut self, step: Step) -> Vec<Command> {
        self.leave_field();
        let index = self.selected;
        let Some(lane) = self.lane_mut() else { return vec![] };
        match lane.missing(step) {
            Some(why) => self.notice = Some(why),
            None => {
                lane.step = step;
                if step == Step::Plan {
                    return self.sample_speed(index);
                }
            }
        }
        vec![]
    }

    /// The step's one main act.
    fn act(&mut self) -> Vec<Command> {
        let index = self.selected;
        let Some(lane) = self.lane_mut() else { return vec![] };
        match lane.step {
            Step::Look => self.go_to(Step::Plan),
            Step::Plan if lane.is_working() => self.go_to(Step::Erase),
            Step::Plan if lane.work.is_some() => {
                lane.begin_anew();
                vec![Command::Look(index)]
            }
            Step::Plan => self.take_plan(index),
            Step::Arm => self.go_to(Step::Erase),
            Step::Erase => match lane.state() {
                LaneState::Held => vec![Command::Wish(index, Wish::GoOn)],
                LaneState::Erasing | LaneState::Proving => vec![Command::Wish(index, Wish::Hold)],
                _ => self.go_to(Step::Prove),
            },
            Step::Prove => self.go_to(Step::Certify),
            Step::Certify => self.write(),
        }
    }

    /// Takes the plan of the job that was cut short; the drive's own label arms it anew.
    fn go_on_with_unfinished(&mut self) {
        let Some(lane) = self.lane_mut().filter(|l| !l.is_working()) else { return };
        if let Presence::Gone(_) = lane.presence {
            self.notice = Some("The drive is gone: attach it again to go on with its job.".into());
            return;
        }
        if let Err(refusal) = &lane.verdict {
            self.notice = Some(format!("This drive is guarded: {refusal}."));
            return;
        }
        let Some(unfinished) = &lane.unfinished else { return };
        let plan = unfinished.checkpoint.plan_on(&lane.seen.drive);
        if !plan.drive().same_as(&lane.seen.drive) {
            self.notice = Some("This is not the drive that the job was cut short on.".into());
            return;
        }
        (lane.work, lane.written, lane.not_started) = (None, None, None);
        (lane.plan, lane.going_on, lane.marked) = (Some(plan), true, false);
        lane.arming = Default::default();
        lane.step = Step::Arm;
    }

    /// Fixes the draft as the plan, if its way can be taken.
    fn take_plan(&mut self, index: usize) -> Vec<Command> {
        let Some(lane) = self.lanes.get(index) else { return vec![] };
        match lane.ways().into_iter().find(|w| w.technique == lane.draft.way) {
            Some(way) if !way.is_ready() => {
                let name = capital(way.technique.name());
                self.notice = Some(format!("{name} can't be planned. {}", way.availability.sentence()));
                vec![]
            }
            _ => vec![Command::Plan(index, lane.draft.order.clone())],
        }
    }

    fn take_range(&mut self, text: &str) {
        let Some(lane) = self.lane_mut() else { return };
        match range_of(lane, text) {
            Ok(range) => {
                lane.draft.order.range = range;
                lane.plan = None;
            }
            Err(why) => {
                self.notice = Some(format!("{}.", capital(&why)));
                self.dialog = Some(Dialog::Range(text.into()));
            }
        }
    }

    fn toggle_beacon(&mut self) -> Vec<Command> {
        let index = self.selected;
        let Some(lane) = self.lane_mut() else { return vec![] };
        if lane.is_working() || matches!(lane.presence, Presence::Gone(_)) {
            self.notice = Some("The beacon reads from a drive that is there and not being worked on.".into());
            return vec![];
        }
        lane.beacon = !lane.beacon;
        vec![Command::Beacon(index, lane.beacon)]
    }

    fn letter(&mut self, c: char) {
        let now = self.now;
        let Some(lane) = self.lane_mut() else { return };
        match (lane.step, c) {
            (Step::Look | Step::Plan | Step::Erase | Step::Prove, 'c') if lane.unfinished.is_some() => {
                self.go_on_with_unfinished()
            }
            (Step::Plan, 'm') if lane.work.is_none() => self.open_methods(Target::Lane(self.selected)),
            (Step::Plan, 'e') if lane.work.is_none() => self.edit_passes(),
            (Step::Plan, 'g') if lane.work.is_none() => self.dialog = Some(Dialog::Range(String::new())),
            (Step::Plan, _) if lane.work.is_none() => change_draft(lane, c),
            (Step::Erase, 'x') if lane.is_working() => self.dialog = Some(Dialog::Stop(now)),
            _ => {}
        }
    }

    fn typing_key(&mut self, key: KeyEvent) -> Vec<Command> {
        match self.lane().map(|l| l.step) {
            Some(Step::Arm) => self.label_key(key.code),
            _ => self.form_key(key),
        }
    }

    fn label_key(&mut self, code: KeyCode) -> Vec<Command> {
        let Some(lane) = self.lane_mut() else { return vec![] };
        match code {
            KeyCode::Char(c) if lane.arming.typed.chars().count() < MOST_CHARS => {
                lane.arming.problem = None;
                lane.arming.typed.push(c);
            }
            KeyCode::Backspace => drop(lane.arming.typed.pop()),
            KeyCode::Tab => lane.papers.backup = next_backup(lane.papers.backup),
            KeyCode::Enter => return self.check_label(),
            KeyCode::Left => return self.walk(-1),
            KeyCode::Right => return self.walk(1),
            KeyCode::Up => self.select(self.selected.saturating_sub(1)),
            KeyCode::Down => self.select(self.selected + 1),
            KeyCode::Esc => return self.go_to(Step::Plan),
            _ => {}
        }
        vec![]
    }

    /// Checks the label. If it is right, the drive is opened for this process alone, and the countdown begins once it is.
    fn check_label(&mut self) -> Vec<Command> {
        let index = self.selected;
        let Some(lane) = self.lanes.get(index) else { return vec![] };
        let typed = lane.arming.typed.clone();
        let (Some(plan), Ok(cleared)) = (&lane.plan, &lane.verdict) else { return vec![] };
        let checked = plan.arm(cleared, &typed);
        let problem = match &checked {
            Ok(_) => None,
            Err(e @ ArmError::WrongLabel { .. }) => {
                Some(format!("{}. Nothing was written.{}", capital(&e.to_string()), self.whose(&typed)))
            }
            Err(e) => Some(format!("{}. Nothing was written.", capital(&e.to_string()))),
        };
        let Some(lane) = self.lane_mut() else { return vec![] };
        lane.arming.typed.clear();
        lane.arming.problem = problem;
        lane.not_started = None;
        let Ok(armed) = checked else { return vec![] };
        lane.arming.stage = ArmStage::Opening;
        lane.papers.need = Some(lane.draft.need);
        vec![Command::Open(Box::new(Start {
            lane: index,
            armed,
            before: lane.contents.clone().unwrap_or_default(),
            papers: lane.papers.clone(),
            from: lane.unfinished.clone().filter(|_| lane.going_on),
            sample_at: lane.sample.as_ref().map(|s| s.at),
        }))]
    }

    /// Which other drive a wrong answer would have named.
    fn whose(&self, typed: &str) -> String {
        let other = self.lanes.iter().enumerate().find(|(i, l)| *i != self.selected && l.label().matches(typed));
        match other {
            Some((_, lane)) => format!(" That is the label of {}.", lane.seen.drive.called()),
            None => " It is the label of no drive on this bench.".into(),
        }
    }

    fn next_field(&mut self, forwards: bool) {
        let Some(lane) = self.lane_mut() else { return };
        if lane.step != Step::Certify {
            return;
        }
        store_field(lane);
        let all = Field::ALL.len();
        let next = match lane.form.focus {
            None if forwards => 0,
            None => all - 1,
            Some(at) => (at + if forwards { 1 } else { all - 1 }) % all,
        };
        focus_field(lane, next);
    }

    fn leave_field(&mut self) {
        if let Some(lane) = self.lane_mut() {
            store_field(lane);
            lane.form.focus = None;
        }
    }

    fn form_key(&mut self, key: KeyEvent) -> Vec<Command> {
        match key.code {
            KeyCode::Enter => return self.write(),
            KeyCode::Esc => self.leave_field(),
            KeyCode::Tab | KeyCode::Down => self.next_field(true),
            KeyCode::BackTab | KeyCode::Up => self.next_field(false),
            _ => self.edit_field(key),
        }
        vec![]
    }

    fn edit_field(&mut self, key: KeyEvent) {
        let Some(lane) = self.lane_mut() else { return };
        let Some(field) = lane.form.focus.map(|at| Field::ALL[at]) else { return };
        match (field, key.code) {
            (Field::Backup, KeyCode::Char(' ')) => lane.papers.backup = next_backup(lane.papers.backup),
            (Field::CategoryAfter, KeyCode::Char(' ')) => lane.papers.category_after = next_category(lane.papers.category_after),
            (field, _) if field.is_choice() => {}
            (_, KeyCode::Char(_)) if lane.form.input.value().chars().count() >= MOST_CHARS => {}
            _ => {
                lane.form.input.handle_event(&TerminalEvent::Key(key));
                store_field(lane);
            }
        }
    }

    /// Writes the certificate with the fields as they stand.
    fn write(&mut self) -> Vec<Command> {
        let index = self.selected;
        if self.in_burst() {
            // The line end of a scanner or a paste: it goes on to the next field, and writes nothing.
            self.next_field(true);
            self.notice = Some("Press Enter by itself to write the certificate: this one came with what was typed.".into());
            return vec![];
        }
        self.leave_field();
        if let Some(Ok(paths)) =
            self.lane().filter(|l| l.papers_written.as_ref() == Some(&l.papers)).and_then(|l| l.written.as_ref())
        {
            let folder = paths.first().and_then(|p| p.parent()).map(jurex_core::text::shown_path).unwrap_or_default();
            self.notice =
                Some(format!("This certificate is written already, in {folder}. Change a field to write another beside it."));
            return vec![];
        }
        let Some(lane) = self.lane() else { return vec![] };
        let Some(record) = lane.record() else { return vec![] };
        let mut record = record.clone();
        let papers = lane.papers.clone();
        record = record.with_papers(papers.clone());
        if let Some(lane) = self.lane_mut() {
            lane.papers_written = Some(papers);
        }
        vec![Command::Write(index, Box::new(record))]
    }

    fn mouse(&mut self, mouse: MouseEvent) -> Vec<Command> {
        let place = (mouse.column, mouse.row);
        match mouse.kind {
            // A click is a key too: it stops a countdown, and answers no question.
            MouseEventKind::Down(_) if self.is_counting() => self.stop_countdown(),
            MouseEventKind::Down(MouseButton::Left) if self.dialog.is_none() && matches!(self.page, Page::Methods(_)) => {
                let found = view::method_at(self, place);
                if let (Some(at), Page::Methods(page)) = (found, &mut self.page) {
                    page.cursor = at;
                }
                vec![]
            }
            MouseEventKind::Down(MouseButton::Left) if self.dialog.is_none() && matches!(self.page, Page::Bench) => {
                match view::hit(self, place) {
                    Some(view::Hit::Lane(lane)) => self.select(lane),
                    Some(view::Hit::Step(step)) => return self.go_to(step),
                    Some(view::Hit::Way(way)) => {
                        if let Some(lane) = self.lane_mut().filter(|l| l.work.is_none()) {
                            lane.draft.way = way;
                        }
                    }
                    None => {}
                }
                vec![]
            }
            _ => vec![],
        }
    }
}

impl Lane {
    /// Leaves the finished job behind, whose record is in the ledger, so that the drive can be planned again.
    fn begin_anew(&mut self) {
        (self.work, self.plan, self.written, self.not_started) = (None, None, None, None);
        self.papers_written = None;
        self.going_on = false;
        (self.contents, self.sample) = (None, None);
        self.arming = Default::default();
        self.step = Step::Look;
    }

    /// A drive in the list is this lane's: if it was gone, it is here again, and has to be looked at again.
    fn come_back(&mut self, seen: &Seen, now: Duration) -> bool {
        if !matches!(self.presence, Presence::Gone(_)) {
            return false;
        }
        self.presence = Presence::Appeared(now);
        self.verdict = seen.verdict();
        self.answered = false;
        self.seen = seen.clone();
        self.arming = Default::default();
        self.bytes = None;
        if self.work.is_none() {
            (self.contents, self.sample, self.plan) = (None, None, None);
            self.step = Step::Look;
        }
        true
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

fn change_draft(lane: &mut Lane, c: char) {
    let need = &mut lane.draft.need;
    match c {
        's' => need.sensitivity = next_sensitivity(need.sensitivity),
        'r' => need.reuse = !need.reuse,
        'l' => need.leaves = !need.leaves,
        'w' => lane.draft.way = way_beside(lane, 1),
        'W' => lane.draft.way = way_beside(lane, -1),
        'v' => lane.draft.order.verification = lane.draft.order.verification.next(),
        '+' => lane.draft.order.rounds = (lane.draft.order.rounds + 1).min(MOST_ROUNDS),
        '-' => lane.draft.order.rounds = lane.draft.order.rounds.saturating_sub(1).max(1),
        'z' => lane.draft.order.blank = !lane.draft.order.blank,
        _ => return,
    }
    // What was planned before is not what stands here now.
    lane.plan = None;
}

/// Most rounds that the keys offer; the command line takes more.
const MOST_ROUNDS: u32 = 99;

fn way_beside(lane: &Lane, by: isize) -> Technique {
    let ways = lane.ways();
    let here = ways.iter().position(|w| w.technique == lane.draft.way).unwrap_or(0) as isize;
    ways.get((here + by).rem_euclid(ways.len().max(1) as isize) as usize).map_or(Technique::Overwrite, |w| w.technique)
}

/// The range that a text means: nothing (the whole drive), `2048 4095` (first and last sector), or `p2` (a partition).
fn range_of(lane: &Lane, text: &str) -> Result<Option<Sectors>, String> {
    let words: Vec<&str> = text.split(|c: char| c.is_whitespace() || c == '-').filter(|w| !w.is_empty()).collect();
    let number = |word: &str| word.parse::<u64>().map_err(|_| format!("`{word}` is no sector number"));
    let range = match words.as_slice() {
        [] => return Ok(None),
        [p] if p.starts_with(['p', 'P']) => {
            let which = p[1..].parse().map_err(|_| format!("`{p}` names no partition: type p1, p2 …"))?;
            lane.contents.clone().unwrap_or_default().partition(which).map_err(|e| e.to_string())?.at
        }
        [first, last] => {
            let (first, last) = (number(first)?, number(last)?);
            Sectors::from_to(first, last).ok_or_else(|| format!("from {first} to {last} there is no sector"))?
        }
        _ => return Err("type the first and the last sector, or p1 for the first partition".into()),
    };
    let order = jurex_core::plan::Order { range: Some(range), ..lane.draft.order.clone() };
    lane.preview(&order).map_err(|e| e.to_string())?;
    Ok((range != lane.seen.drive.geometry.whole()).then_some(range))
}

pub(super) fn next_sensitivity(level: Sensitivity) -> Sensitivity {
    match level {
        Sensitivity::Low => Sensitivity::Moderate,
        Sensitivity::Moderate => Sensitivity::High,
        Sensitivity::High => Sensitivity::Low,
    }
}

/// A letter, or one taken back, in a line of plain text.
fn type_into(text: &mut String, code: KeyCode) {
    match code {
        KeyCode::Backspace => drop(text.pop()),
        KeyCode::Char(c) if text.chars().count() < MOST_CHARS => text.push(c),
        _ => {}
    }
}

fn next_category(category: Option<Sensitivity>) -> Option<Sensitivity> {
    match category {
        None => Some(Sensitivity::Low),
        Some(Sensitivity::Low) => Some(Sensitivity::Moderate),
        Some(Sensitivity::Moderate) => Some(Sensitivity::High),
        Some(Sensitivity::High) => None,
    }
}

fn store_field(lane: &mut Lane) {
    let Some(at) = lane.form.focus else { return };
    let value = lane.form.input.value().to_string();
    if let Some(text) = Field::ALL[at].text(&mut lane.papers) {
        *text = value;
    }
}

fn focus_field(lane: &mut Lane, at: usize) {
    lane.form.focus = Some(at);
    lane.form.input = Input::new(Field::ALL[at].shown(&lane.papers));
}
