//! What the world does to the lanes: drives come, answer and go; jobs begin, tell and end. No input or output here: what is to
//! be done is returned as commands.

mod less;

use super::lane::stage::{LaneStage, WorkEnd, WrittenPapers};
use super::lane::{Lane, LaneId, Presence, Speed, Step};
use super::message::{AskLedger, Effect, Message};
use super::state::State;
use jurex_device::guard::LookedAt;
use jurex_engine::Event;
use jurex_look::release_form::ReleaseForm;
use jurex_sanitize::estimate::SpeedSample;
use jurex_sanitize::plan::{Plan, PlanError};
use jurex_sanitize::record::JobId;
use jurex_station::bench::{DriveSnapshot, ReadError};
use jurex_station::beside::WantedReading;
use jurex_station::machine::Ask;
use std::time::Duration;

/// Time between the right label and the first write.
const COUNTDOWN: Duration = Duration::from_secs(5);

impl State {
    /// Takes what is said of the drives and their jobs; other messages are for the screens.
    pub(crate) fn take(&mut self, message: Message) -> Vec<Effect> {
        match message {
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
            Message::Looked(id, contents, sample) => {
                self.in_lane(id, |lane| (lane.look.contents, lane.look.sample) = (Some(contents), sample));
            }
            Message::Mark(id, mark) => self.in_lane(id, |lane| lane.look.mark = mark),
            Message::Released(id, released) => return self.released(id, released),
            Message::Unfinished(id, unfinished) => {
                if let Some(lane) = self.lanes.get_mut(id).filter(|l| !l.has_job()) {
                    lane.unfinished = unfinished;
                    lane.ask_guard();
                }
            }
            Message::Planned(id, plan) => self.planned(id, plan),
            Message::Sampled(id, sampled) => self.sampled(id, sampled),
            Message::Reading(id, heard) => self.in_lane(id, |lane| lane.readings.hear(heard)),
            Message::StillAtWork(id, progress) => self.in_lane(id, |lane| lane.stage.wait_for_the_drive(progress)),
            Message::Opened(id) => {
                let starts = self.now + COUNTDOWN;
                self.in_lane(id, |lane| lane.stage.count_down(starts));
            }
            Message::Began(id, job) => self.began(id, job),
            Message::NotStarted(id, why) => self.not_started(id, why),
            Message::Job(id, event) => self.told(id, event),
            Message::Ended(..) | Message::Written(..) => return self.over(message),
            Message::BeaconEnded(id, error) => {
                if let Some(lane) = self.lanes.get_mut(id) {
                    lane.look.beacon = false;
                    self.notice = Some(format!("The beacon ended: {error}."));
                }
            }
            Message::Tick(now, time_of_day) => return self.tick(now, time_of_day),
            Message::Resized(0, _) | Message::Resized(_, 0) => {
                // Some lines tell a size of nothing.
            }
            Message::Resized(width, height) => self.size = (width, height),
            Message::Unlocked(id, Some(answers)) => {
                if let Some(lane) = self.lanes.get_mut(id).filter(|l| !l.is_working() && !l.is_gone()) {
                    lane.seen.take_answers(*answers);
                    lane.ask_guard();
                }
            }
            Message::Unlocked(_, None) => {}
            Message::Notes(notes) => {
                // Told once at the start; later they stand on the machine's page.
                if let (true, Some(first)) = (self.machine_notes.is_empty(), notes.first()) {
                    self.notice = Some(format!("{first} (F8 tells more)"));
                }
                self.machine_notes = notes;
            }
            Message::Volumes(volumes, keyboards) => (self.volumes, self.keyboards) = (volumes, keyboards),
            Message::Less(told) => return self.take_less(*told),
            Message::Said(words) => self.notice = Some(words),
            Message::TerminalLost => return self.terminal_lost(),
            Message::Terminate => return self.quit_now(),
            Message::At(_)
            | Message::Key(_)
            | Message::Mouse(_)
            | Message::Pasted(_)
            | Message::Page(..)
            | Message::Searching(..)
            | Message::Searched(..)
            | Message::Catalogue(_)
            | Message::Policy(_)
            | Message::Policies(_)
            | Message::Setting(_)
            | Message::Ledger(_)
            | Message::Machine(..)
            | Message::Notices(_) => {}
        }
        vec![]
    }

    /// Something of a lane, if it is there.
    fn in_lane(&mut self, id: LaneId, take: impl FnOnce(&mut Lane)) {
        if let Some(lane) = self.lanes.get_mut(id) {
            take(lane);
        }
    }

    /// A job is over, or its paper is written: the lots stand otherwise now.
    fn over(&mut self, message: Message) -> Vec<Effect> {
        match message {
            Message::Ended(id, end) => {
                self.has_records = true;
                self.ended(id, *end);
            }
            Message::Written(id, written) => {
                let label = self.written(id, written);
                return label.into_iter().chain([Effect::Ledger(AskLedger::Lots)]).collect();
            }
            _ => {}
        }
        vec![Effect::Ledger(AskLedger::Lots)]
    }

    /// Takes the list of what is there now: new drives get lanes, drives that are not in it are gone, and a drive that
    /// comes back gets its own lane again.
    fn drives(&mut self, drives: Vec<DriveSnapshot>) -> Vec<Effect> {
        let first = std::mem::replace(&mut self.loading, false);
        let mut here = vec![];
        let mut commands = vec![];
        for seen in drives {
            let id = match self.lane_of(&seen) {
                Some(id) => {
                    if self.lanes[id].come_back(&seen, self.now) && seen.has_answered() {
                        commands.push(Effect::Look(id));
                    }
                    id
                }
                None => {
                    let presence = if first { Presence::Here } else { Presence::Appeared(self.now) };
                    let has_answered = seen.has_answered();
                    let id = self.add(seen, presence);
                    if has_answered {
                        commands.extend([self.ask_what_is_known(id), Effect::Look(id)]);
                    }
                    id
                }
            };
            here.push(id);
        }
        let gone = self.lanes.ids().filter(|id| !here.contains(id));
        commands.extend(gone.filter_map(|id| self.went_away(id)));
        commands
    }

    /// A lane for a drive that has come.
    fn add(&mut self, seen: DriveSnapshot, presence: Presence) -> LaneId {
        let mut lane = self.new_lane(seen);
        lane.presence = presence;
        let id = self.lanes.add(lane);
        self.selected = self.selected.or(Some(id));
        id
    }

    /// The guard's word on every lane, with all the others beside it: a label that another drive carries is not asked for,
    /// and a drive that is in use by another path is not free.
    fn reconsider(&mut self) {
        self.retell_lot();
        let all: Vec<LookedAt> = self.lanes.iter().filter(|l| !l.is_gone()).map(|l| l.seen.looked_at()).collect();
        for lane in self.lanes.iter_mut().filter(|l| !l.is_working() && !l.is_gone()) {
            lane.seen.stand_beside(&all);
            lane.ask_guard();
        }
        if !self.touched && self.lanes.iter().all(|l| l.step == Step::Look) {
            self.selected = self.lanes.find(|l| l.verdict.is_ok()).or(self.lanes.at(0));
        }
    }

    fn went_away(&mut self, id: LaneId) -> Option<Effect> {
        let lane = &mut self.lanes[id];
        if lane.is_gone() {
            return None;
        }
        lane.presence = Presence::Gone(self.time_of_day.clone());
        lane.look.beacon = false;
        // A running job notices by itself; what was only armed is let go.
        lane.stage.disarm(None).then_some(Effect::Abandon(id))
    }

    /// The lane of a drive that is in the list: the one at that path, or one that is gone with the same serial and size.
    fn lane_of(&self, seen: &DriveSnapshot) -> Option<LaneId> {
        let drive = &seen.drive;
        // A drive whose hidden sectors were lifted comes back as large as it was before.
        let of_log = |l: &Lane| l.log().map(|log| log.progress.evidence().geometry()) == Some(drive.geometry);
        // The list may know it before the job has told.
        let lifted = |l: &Lane| of_log(l) || l.work().is_some_and(|w| w.lifts_to() == drive.geometry);
        let same_size = |l: &Lane| l.seen.drive.geometry == drive.geometry || lifted(l);
        let serial = |l: &Lane| drive.unit.is_named() && l.seen.drive.unit.agrees_with(&drive.unit);
        // The same name in another attachment is another object: an identical stick put in the place of the first.
        let swapped = |l: &Lane| match (&l.seen.drive.attachment.instance, &drive.attachment.instance) {
            (Some(before), Some(now)) => before != now,
            _ => false,
        };
        let at_path = |l: &Lane| l.seen.drive.path == drive.path && l.seen.drive.class_basis == drive.class_basis && !swapped(l);
        let is_here = |l: &Lane| !l.is_gone() && l.seen.drive.path == drive.path && same_size(l) && !swapped(l);
        let lanes = &self.lanes;
        lanes
            .find(is_here)
            .or_else(|| lanes.find(|l| l.is_gone() && same_size(l) && serial(l)))
            .or_else(|| lanes.find(|l| l.is_gone() && same_size(l) && !drive.unit.is_named() && at_path(l)))
    }

    /// A drive has said who it is and what uses it.
    fn answered(&mut self, seen: DriveSnapshot) -> Vec<Effect> {
        let Some(id) = self.lanes.find(|l| !l.is_gone() && l.seen.drive.path == seen.drive.path) else { return vec![] };
        let lane = &mut self.lanes[id];
        if lane.is_working() || lane.is_armed() {
            return vec![];
        }
        let (old, new) = (&lane.seen.drive.unit.serial, &seen.drive.unit.serial);
        if lane.look.answered && old != new {
            // Another drive stands behind the same path: the old one is gone, this one is new.
            let mut commands: Vec<Effect> = self.went_away(id).into_iter().collect();
            let new = self.add(seen, Presence::Appeared(self.now));
            commands.extend([self.ask_what_is_known(new), Effect::Look(new)]);
            return commands;
        }
        let first = !std::mem::replace(&mut lane.look.answered, true);
        let plan_holds = lane.plan().is_some_and(|p| p.drive().same_as(&seen.drive));
        // Only now is it known that reading it does not hang; or it gives its sectors again.
        let can_be_read = !lane.seen.has_answered() || lane.seen.gives_nothing().is_some() && seen.gives_nothing().is_none();
        lane.seen = seen;
        lane.ask_guard();
        if !plan_holds || lane.verdict.is_err() {
            lane.stage.drop_plan();
            if !lane.has_job() && lane.step > Step::Plan {
                lane.enter(Step::Look);
            }
        }
        if first {
            lane.choose_method(&self.catalogue);
        }
        let known = first.then(|| self.ask_what_is_known(id));
        known.into_iter().chain(can_be_read.then_some(Effect::Look(id))).collect()
    }

    fn planned(&mut self, id: LaneId, plan: Result<Box<Plan>, PlanError>) {
        let Some(lane) = self.lanes.get_mut(id) else { return };
        match plan {
            Ok(plan) if !lane.has_job() && !lane.is_armed() => {
                lane.stage.plan(*plan, None);
                lane.enter(Step::Arm);
            }
            Ok(_) => {}
            Err(why) => self.refuse(&why),
        }
    }

    fn sampled(&mut self, id: LaneId, sampled: Result<SpeedSample, ReadError>) {
        let Some(lane) = self.lanes.get_mut(id) else { return };
        lane.look.speed = match sampled {
            Ok(speed) => Speed::Sampled(speed),
            Err(why) => {
                self.notice = Some(format!("The speed could not be sampled: {why}."));
                Speed::NotSampled
            }
        };
    }

    fn began(&mut self, id: LaneId, job: JobId) {
        if let Some(LaneStage::Working(work)) = self.lanes.get_mut(id).map(|l| &mut l.stage) {
            work.job = Some(job);
        }
    }

    fn not_started(&mut self, id: LaneId, why: String) {
        let Some(lane) = self.lanes.get_mut(id) else { return };
        if lane.stage.not_started(why.clone()) {
            lane.enter(Step::Arm);
        } else {
            self.notice = Some(why);
        }
    }

    /// What becomes of a drive was noted, or was not.
    fn released(&mut self, id: LaneId, released: Result<(Vec<String>, bool), String>) -> Vec<Effect> {
        let Some(lane) = self.lanes.get_mut(id) else { return vec![] };
        lane.release.is_busy = false;
        match released {
            Ok((said, has_gone)) => {
                lane.release.has_gone = has_gone;
                lane.release.outcome = Some(Ok(said));
            }
            Err(why) => lane.release.outcome = Some(Err(why)),
        }
        // What is on the drive, and how its lot stands, may be another thing now.
        vec![self.ask_what_is_known(id), Effect::Look(id), Effect::Ledger(AskLedger::Lots)]
    }

    fn told(&mut self, id: LaneId, event: Event) {
        let time = self.time_of_day.clone();
        if let Some(LaneStage::Working(work)) = self.lanes.get_mut(id).map(|l| &mut l.stage) {
            work.take(event, time);
        }
    }

    fn ended(&mut self, id: LaneId, end: WorkEnd) {
        let Some(lane) = self.lanes.get_mut(id) else { return };
        let unfinished = end.unfinished.clone();
        if lane.stage.end(end) {
            lane.unfinished = unfinished;
            if lane.step == Step::Erase && !self.quitting {
                lane.enter(Step::Prove);
            }
        }
    }

    /// Gives the label that is to follow, if one is.
    fn written(&mut self, id: LaneId, written: WrittenPapers) -> Option<Effect> {
        match (self.lanes.get_mut(id).map(|l| &mut l.stage), written) {
            (Some(LaneStage::Over(over)), written) => {
                if written.is_err() {
                    over.papers_written = None;
                }
                let follows = std::mem::take(&mut over.label_follows) && written.is_ok();
                over.written = Some(written);
                return follows.then(|| Effect::Label(over.end.record.job.clone()));
            }
            // The job was left behind meanwhile: nothing is lost without a word.
            (_, Err(why)) => self.notice = Some(why.to_string()),
            (_, Ok(_)) => {}
        }
        None
    }

    fn tick(&mut self, now: Duration, time_of_day: String) -> Vec<Effect> {
        (self.now, self.time_of_day) = (now, time_of_day);
        let due: Vec<LaneId> = self.lanes.ids().filter(|id| self.is_due(*id)).collect();
        let started = due.into_iter().flat_map(|id| self.start(id)).collect::<Vec<_>>();
        let off = self.switch_off_if_due();
        started.into_iter().chain(off).collect()
    }

    /// Counts down to switching the machine off once the last job has ended, where that is wished; what would lose records is not done.
    fn switch_off_if_due(&mut self) -> Option<Effect> {
        const COUNTS: Duration = Duration::from_secs(60);
        let ended = self.lanes.iter().any(|l| l.record().is_some());
        let busy = self.is_busy() || self.is_counting() || self.lanes.iter().any(Lane::is_armed);
        if !self.switches_off_after || !ended || busy {
            self.off_at = None;
            return None;
        }
        if self.loses_records() {
            self.switches_off_after = false;
            self.notice = Some("Not switched off: the records are in memory alone. Carry them to a stick (F8).".into());
            return None;
        }
        let at = *self.off_at.get_or_insert(self.now + COUNTS);
        match at.checked_sub(self.now).filter(|left| !left.is_zero()) {
            Some(left) => {
                self.notice = Some(format!("All jobs have ended. Switching off in {} s: any key stops it.", left.as_secs() + 1));
                None
            }
            None => {
                (self.off_at, self.switches_off_after) = (None, false);
                Some(Effect::Machine(Ask::SwitchOff))
            }
        }
    }

    fn start(&mut self, id: LaneId) -> Vec<Effect> {
        let lane = &mut self.lanes[id];
        if !lane.stage.begin(lane.look.speed.sample().copied()) {
            return vec![];
        }
        // A search that is still going on would only hold the job up.
        let search = lane.readings.is_going().then_some(Effect::Read(id, WantedReading::End));
        lane.readings.job_begins();
        (lane.release, lane.look.mark) = (ReleaseForm::default(), None);
        lane.enter(Step::Erase);
        // Of drives that were planned together, the next one is armed now, by a label check of its own.
        if std::mem::replace(&mut lane.is_picked, false) && self.selected == Some(id) {
            let waits = |l: &Lane| l.is_picked && matches!(l.stage, LaneStage::Planned(_)) && l.missing(Step::Arm).is_none();
            if let Some(next) = self.lanes.find(waits) {
                self.selected = Some(next);
                self.lanes[next].enter(Step::Arm);
            }
        }
        search.into_iter().chain([Effect::Go(id)]).collect()
    }
}

impl Lane {
    /// A drive in the list is this lane's: if it was gone, it is here again, and has to be looked at again.
    fn come_back(&mut self, seen: &DriveSnapshot, now: Duration) -> bool {
        if !self.is_gone() {
            return false;
        }
        self.presence = Presence::Appeared(now);
        self.seen = seen.clone();
        self.ask_guard();
        (self.look.answered, self.look.bytes) = (false, None);
        if !self.has_job() {
            (self.look.contents, self.look.sample) = (None, None);
            self.stage.drop_plan();
            self.enter(Step::Look);
        }
        true
    }
}
