//! A conversation with the drive under way: what it decides on is sent, what the drive answers is told, and nothing that changes
//! the drive goes out before the job's place is kept.

use super::{Ended, Event, Issued, Job, Now, Phase, Step, Task};
use crate::erase::kept::{Change, Kept};
use crate::erase::own::{Dialogue, End, Turn};
use crate::erase::run::KeepError;
use crate::evidence::CommandAnswer;
use crate::native::command::{Answer, Command};
use crate::plan::Stage;
use crate::units::Sectors;
use std::time::Duration;

/// Progress that does not move is told after so long, and again each time that it doubles.
const STILL: Duration = Duration::from_secs(600);

/// What is to be sent.
#[derive(Debug)]
enum Said {
    Ask(Command),
    Change(Change),
}

/// The state of a conversation.
#[derive(Debug, Default)]
pub(super) struct Conversation {
    dialogue: Option<Dialogue>,
    said: Option<Said>,
    /// Nothing is sent before.
    until: Option<Duration>,
    /// A change waits for the job's place to be kept.
    waits_for_kept: bool,
    /// A command that changes the drive is in flight.
    changing: bool,
    /// The progress that was told last, and since when; when it was last told that it stands still.
    progress: (Option<u16>, Duration),
    still_told: Duration,
    told_cannot_stop: bool,
    was_at_work: bool,
}

impl Conversation {
    pub(super) fn begin(&mut self, dialogue: Dialogue) {
        *self = Self { dialogue: Some(dialogue), ..Self::default() };
    }

    /// What was decided on, to be sent.
    pub(super) fn task(&self) -> Task {
        match &self.said {
            Some(Said::Ask(command)) => Task::Ask(command.clone()),
            Some(Said::Change(change)) => Task::Change(change.clone()),
            None => Task::Identify,
        }
    }
}

impl Job {
    /// Whether a drive that does not answer may be left with what is in flight: not while it carries out a command that erases
    /// it, which is answered at its end.
    pub(in crate::erase) fn may_be_left(&self) -> bool {
        !self.conversation.changing
    }

    /// Whether the drive is at work on itself, so that holding still holds nothing.
    pub(super) fn drive_is_at_work(&self) -> bool {
        let work = self.conversation.dialogue.as_ref().map(|d| d.work().at_work);
        matches!(self.phase, Phase::Talking) && work == Some(true)
    }

    pub(super) fn tell_that_nothing_stops_it(&mut self) {
        if self.conversation.changing && !std::mem::replace(&mut self.conversation.told_cannot_stop, true) {
            self.tell(Event::CannotStop);
        }
    }

    /// The job's place was kept, or was not. Without it nothing that changes the drive is sent.
    pub fn kept(&mut self, kept: Result<Kept, KeepError>, now: Now) {
        if !std::mem::replace(&mut self.conversation.waits_for_kept, false) {
            return;
        }
        match (kept, &mut self.conversation.dialogue) {
            (Ok(kept), Some(dialogue)) => dialogue.kept(kept),
            (Err(e), _) => {
                let error = format!("the job's place could not be kept ({e}), so nothing was sent to the drive");
                self.end(Ended::Refused { error }, now);
            }
            (Ok(_), None) => {}
        }
    }

    /// What to do next in the conversation.
    pub(super) fn talk(&mut self, now: Now) -> Step {
        if !self.in_flight.is_empty() {
            return Step::Wait;
        }
        if self.conversation.waits_for_kept {
            return Step::Keep;
        }
        if let Some(until) = self.conversation.until {
            if now.mono < until {
                return Step::Until(until - now.mono);
            }
            self.conversation.until = None;
        }
        let Some(dialogue) = &mut self.conversation.dialogue else {
            self.end(Ended::Refused { error: "a defect in Jurex: there is nothing to talk about".into() }, now);
            return Step::Ended;
        };
        match dialogue.turn() {
            Turn::Ask(command) => {
                self.conversation.said = Some(Said::Ask(command));
                Step::Do(self.issue(Issued::Said))
            }
            Turn::Keep(commands) => {
                self.tell(Event::Sending { commands });
                self.conversation.waits_for_kept = true;
                self.save(now);
                Step::Keep
            }
            Turn::Change(change) => {
                self.conversation.said = Some(Said::Change(change));
                self.conversation.changing = true;
                Step::Do(self.issue(Issued::Said))
            }
            Turn::Wait(so_long) => {
                self.conversation.until = Some(now.mono + so_long);
                Step::Until(so_long)
            }
            Turn::Read(at) => Step::Do(self.issue(Issued::Tried(Sectors::new(at.0, 1)))),
            Turn::Tell(what) => {
                self.tell(Event::Said { what: what.into() });
                self.request(now)
            }
            Turn::Rescan => Step::Do(self.issue(Issued::Rescan)),
            Turn::Over(end) => {
                self.talked(end, now);
                self.request(now)
            }
        }
    }

    /// What was sent was answered.
    pub(super) fn answered(&mut self, answers: &[Answer], now: Now) {
        self.mark = now.mono;
        self.conversation.changing = false;
        let Some(said) = self.conversation.said.take() else { return };
        let Some(last) = answers.last() else {
            return self.end(Ended::Refused { error: "a defect in Jurex: nothing was sent".into() }, now);
        };
        if let Some(dialogue) = &mut self.conversation.dialogue {
            dialogue.heard(last);
        }
        let work = self.conversation.dialogue.as_ref().map(Dialogue::work).unwrap_or_default();
        match said {
            Said::Change(_) => self.tell(Event::Answered { statuses: answers.iter().map(Answer::raw).collect() }),
            // A drive at work is asked again and again: its first answer and the one after its end are kept.
            Said::Ask(_) if work.at_work && self.conversation.was_at_work => {}
            Said::Ask(command) => {
                let asked = CommandAnswer { command: command.shown(), status: last.raw() };
                self.tell(Event::Asked { asked });
            }
        }
        if let Some(set) = work.password
            && self.own_evidence().password != work.password
        {
            self.tell(Event::PasswordTold { set });
        }
        if work.at_work {
            self.at_work(work.progress, now);
        }
        self.conversation.was_at_work = work.at_work;
    }

    /// Whether a sector that the conversation wanted to be read could be.
    pub(super) fn tried(&mut self, could_be_read: bool, now: Now) {
        self.mark = now.mono;
        self.conversation.dialogue.iter_mut().for_each(|d| d.read(could_be_read));
    }

    fn at_work(&mut self, progress: Option<u16>, now: Now) {
        let (before, since) = self.conversation.progress;
        let begins = !self.conversation.was_at_work;
        if begins || before != progress {
            self.conversation.progress = (progress, now.mono);
            self.conversation.still_told = Duration::ZERO;
            self.tell(Event::OwnProgress { progress });
        } else if progress.is_some() {
            let still = now.mono.saturating_sub(since);
            if still >= STILL.max(self.conversation.still_told * 2) {
                self.conversation.still_told = still;
                self.tell(Event::StandsStill { so_long: still });
            }
        }
        if begins {
            // Who comes after a power cut knows that it was at work.
            self.save(now);
        }
    }

    /// Whether the conversation is about hidden sectors.
    pub(super) fn lifts_now(&self) -> bool {
        matches!(self.plan.stages().get(self.stage), Some(Stage::Lift(_)))
    }

    /// The conversation is over.
    fn talked(&mut self, end: End, now: Now) {
        let work = self.conversation.dialogue.take().map(|d| d.work()).unwrap_or_default();
        let lifts = self.lifts_now();
        let failure = match &end {
            End::Completed => None,
            End::Refused(why) | End::Failed(why) | End::Silent(why) => Some(why.clone()),
        };
        if !lifts {
            let (deallocated, removal) = (work.deallocated, work.removal);
            self.tell(Event::OwnEnded { failure, deallocated, removal, time: now.wall });
            self.save(now);
        }
        match end {
            End::Completed if lifts => self.phase = Phase::AskingSize,
            End::Completed => self.begin_stage(self.stage + 1, now),
            End::Refused(error) => self.end(Ended::Refused { error }, now),
            End::Failed(said) => self.end(Ended::CommandFailed { said }, now),
            End::Silent(error) => self.end(Ended::StoppedAnswering { error }, now),
        }
    }
}
