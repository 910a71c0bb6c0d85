//! What events do to the state. No input or output here: what is to be done in the world is returned as commands.

use super::action;
use super::screen::frame;
use super::state::{App, ArmStage, Command, Lane, LaneState, Message, Page, Presence, Step, Work, WorkEnd};
use crate::bench::Seen;
use jurex_core::erase::{Event, Progress, Wish};
use jurex_core::estimate::SpeedSample;
use jurex_core::guard::LookedAt;
use jurex_core::plan::Plan;
use jurex_core::text::capital;
use ratatui::crossterm::event::{KeyEventKind, MouseButton, MouseEvent, MouseEventKind};
use std::time::Duration;

/// Time between the right label and the first write.
pub(crate) const COUNTDOWN: Duration = Duration::from_secs(5);

impl App {
    /// Takes one event.
    pub(crate) fn update(&mut self, message: Message) -> Vec<Command> {
        let commands = self.take(message);
        if let Some(lane) = self.lane_mut().filter(|l| l.step == Step::Plan && l.work.is_none()) {
            lane.look_ahead();
        }
        commands
    }

    fn take(&mut self, message: Message) -> Vec<Command> {
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
            Message::Setting(saved) => self.setting_saved(saved),
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
                    let mut lane = self.new_lane(seen);
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
            let mut lane = self.new_lane(seen);
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
                lane.enter(Step::Look);
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
                lane.enter(Step::Arm);
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
        let wanted = self.config.sample_speed.unwrap_or(true);
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
        lane.enter(Step::Arm);
    }

    fn job(&mut self, lane: usize, event: Event) {
        let time = self.time_of_day.clone();
        let Some(lane) = self.lanes.get_mut(lane) else { return };
        if matches!(event, Event::Held { .. } | Event::WentOn | Event::Ended { .. }) {
            lane.asked_for = None;
        }
        let Some(work) = lane.work.as_mut() else { return };
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
            lane.asked_for = None;
            if lane.step == Step::Erase && !self.quitting {
                lane.enter(Step::Prove);
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
        (lane.work, lane.asked_for) = (Some(Work { job: None, progress, told: vec![], end: None }), None);
        lane.enter(Step::Erase);
        // Of drives that were planned together, the next one is armed now, by a label check of its own.
        if std::mem::replace(&mut lane.marked, false) && self.selected == index {
            let waits = |l: &Lane| l.marked && l.plan.is_some() && l.work.is_none() && l.missing(Step::Arm).is_none();
            if let Some(next) = self.lanes.iter().position(waits) {
                self.selected = next;
                self.lanes[next].enter(Step::Arm);
            }
        }
        Some(Command::Go(index))
    }

    pub(super) fn quit_now(&mut self) -> Vec<Command> {
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

    fn mouse(&mut self, mouse: MouseEvent) -> Vec<Command> {
        let place = (mouse.column, mouse.row);
        match mouse.kind {
            // A click is a key too: it stops a countdown, and answers no question.
            MouseEventKind::Down(_) if self.is_counting() => self.perform(action::Action::StopCountdown),
            MouseEventKind::Down(MouseButton::Left) if self.dialog.is_none() && matches!(self.page, Page::Methods(_)) => {
                let found = crate::tui::screen::methods::view::method_at(self, place);
                if let (Some(at), Page::Methods(page)) = (found, &mut self.page) {
                    page.cursor = at;
                }
                vec![]
            }
            MouseEventKind::Down(MouseButton::Left) if self.dialog.is_none() && matches!(self.page, Page::Bench) => {
                match frame::hit(self, place) {
                    Some(frame::Hit::Lane(lane)) => self.select(lane),
                    Some(frame::Hit::Step(step)) => return self.go_to(step),
                    Some(frame::Hit::Way(way)) => {
                        if let Some(lane) = self.lane_mut().filter(|l| l.work.is_none()) {
                            lane.draft.way = way;
                        }
                    }
                    None => {}
                }
                vec![]
            }
            MouseEventKind::ScrollDown | MouseEventKind::ScrollUp
                if self.dialog.is_none() && matches!(self.page, Page::Bench) =>
            {
                let down = mouse.kind == MouseEventKind::ScrollDown;
                self.perform(if down { action::Action::ScrollDown } else { action::Action::ScrollUp })
            }
            _ => vec![],
        }
    }
}

impl Lane {
    /// Leaves the finished job behind, whose record is in the ledger, so that the drive can be planned again.
    pub(super) fn begin_anew(&mut self) {
        (self.work, self.plan, self.written, self.not_started) = (None, None, None, None);
        self.papers_written = None;
        self.going_on = false;
        (self.contents, self.sample) = (None, None);
        self.arming = Default::default();
        self.enter(Step::Look);
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
            self.enter(Step::Look);
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
