//! A conversation with the drive under way: what it decides on is sent, what the drive answers is told, and nothing that changes
//! the drive goes out before the job's place is kept.

use super::{Issued, StageTurn, Then};
use crate::event::Event;
use crate::job::context::Context;
use crate::job::{Now, Task};
use crate::native::{self, Dialogue, DriveWork, SequenceEnd};
use crate::run::KeepError;
use crate::saved::CheckpointSaved;
use jurex_device::native::command::{Answer, Command};
use jurex_pattern::units::Sectors;
use jurex_sanitize::evidence::{CommandAnswer, Ended};
use std::time::Duration;

/// Progress that does not move is told after so long, and again each time that it doubles.
const STILL: Duration = Duration::from_secs(600);

/// What is to be sent.
#[derive(Debug)]
enum Said {
    Ask(Command),
    Change,
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
    pub(super) fn new(dialogue: Dialogue) -> Self {
        Self { dialogue: Some(dialogue), ..Self::default() }
    }

    pub(super) fn may_be_left(&self) -> bool {
        !self.changing
    }

    pub(super) fn drive_is_at_work(&self) -> bool {
        self.dialogue.as_ref().is_some_and(|d| d.work().at_work)
    }

    pub(super) fn tell_that_nothing_stops_it(&mut self, job: &mut Context) {
        if self.changing && !std::mem::replace(&mut self.told_cannot_stop, true) {
            job.tell(Event::CannotStop);
        }
    }

    /// The job's place was kept, or was not. Without it nothing that changes the drive is sent.
    pub(super) fn kept(&mut self, kept: Result<CheckpointSaved, KeepError>) -> Then {
        if !std::mem::replace(&mut self.waits_for_kept, false) {
            return Then::Stay;
        }
        match (kept, &mut self.dialogue) {
            (Ok(kept), Some(dialogue)) => {
                dialogue.kept(kept);
                Then::Stay
            }
            (Err(e), _) => {
                let error = format!("the job's place could not be kept ({e}), so nothing was sent to the drive");
                Then::End(Ended::Refused { error })
            }
            (Ok(_), None) => Then::Stay,
        }
    }

    /// What to do next; how the conversation ended, with the drive's last word, once it has.
    pub(super) fn turn(&mut self, job: &mut Context, now: Now) -> Result<StageTurn, (SequenceEnd, DriveWork)> {
        if !job.flight.is_empty() {
            return Ok(StageTurn::Wait);
        }
        if self.waits_for_kept {
            return Ok(StageTurn::Keep);
        }
        if let Some(until) = self.until {
            if now.mono < until {
                return Ok(StageTurn::Until(until - now.mono));
            }
            self.until = None;
        }
        let Some(dialogue) = &mut self.dialogue else {
            let error = "a defect in Jurex: there is nothing to talk about".into();
            return Ok(StageTurn::Settled(Then::End(Ended::Refused { error })));
        };
        Ok(match dialogue.turn() {
            native::SequenceTurn::Ask(command) => {
                self.said = Some(Said::Ask(command.clone()));
                StageTurn::Alone(Issued::Said, Task::Ask(command))
            }
            native::SequenceTurn::Keep(commands) => {
                job.tell(Event::Sending { commands });
                self.waits_for_kept = true;
                job.save(now);
                StageTurn::Keep
            }
            native::SequenceTurn::Change(change) => {
                self.said = Some(Said::Change);
                self.changing = true;
                StageTurn::Alone(Issued::Said, Task::Change(change))
            }
            native::SequenceTurn::Wait(so_long) => {
                self.until = Some(now.mono + so_long);
                StageTurn::Until(so_long)
            }
            native::SequenceTurn::Read(at) => StageTurn::Alone(Issued::Tried, Task::Probe(Sectors::new(at.0, 1))),
            native::SequenceTurn::Tell(what) => {
                job.tell(Event::Said { what: what.into() });
                StageTurn::Settled(Then::Stay)
            }
            native::SequenceTurn::Rescan => StageTurn::Alone(Issued::Rescan, Task::Rescan),
            native::SequenceTurn::Over(end) => return Err((end, self.dialogue.take().map(|d| d.work()).unwrap_or_default())),
        })
    }

    /// What was sent was answered.
    pub(super) fn answered(&mut self, job: &mut Context, answers: &[Answer], now: Now) -> Then {
        job.meter.mark(now);
        self.changing = false;
        let Some(said) = self.said.take() else { return Then::Stay };
        let Some(last) = answers.last() else {
            return Then::End(Ended::Refused { error: "a defect in Jurex: nothing was sent".into() });
        };
        if let Some(dialogue) = &mut self.dialogue {
            dialogue.heard(last);
        }
        let work = self.dialogue.as_ref().map(Dialogue::work).unwrap_or_default();
        match said {
            Said::Change => job.tell(Event::Answered { statuses: answers.iter().map(Answer::raw).collect() }),
            // A drive at work is asked again and again: its first answer and the one after its end are kept.
            Said::Ask(_) if work.at_work && self.was_at_work => {}
            Said::Ask(command) => {
                let asked = CommandAnswer { command: command.shown(), status: last.raw() };
                job.tell(Event::Asked { asked });
            }
        }
        if let Some(set) = work.password
            && job.own_evidence().password != work.password
        {
            job.tell(Event::PasswordTold { set });
        }
        if work.at_work {
            self.at_work(job, work.progress, now);
        }
        self.was_at_work = work.at_work;
        Then::Stay
    }

    /// Whether a sector that the conversation wanted to be read could be.
    pub(super) fn tried(&mut self, job: &mut Context, could_be_read: bool, now: Now) {
        job.meter.mark(now);
        self.dialogue.iter_mut().for_each(|d| d.read(could_be_read));
    }

    fn at_work(&mut self, job: &mut Context, progress: Option<u16>, now: Now) {
        let (before, since) = self.progress;
        let begins = !self.was_at_work;
        if begins || before != progress {
            self.progress = (progress, now.mono);
            self.still_told = Duration::ZERO;
            job.tell(Event::OwnProgress { progress });
        } else if progress.is_some() {
            let still = now.mono.saturating_sub(since);
            if still >= STILL.max(self.still_told * 2) {
                self.still_told = still;
                job.tell(Event::StandsStill { so_long: still });
            }
        }
        if begins {
            // Who comes after a power cut knows that it was at work.
            job.save(now);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::job::tests::{at, overwriting};

    #[test]
    fn progress_that_stands_still_is_told_after_ten_minutes_and_each_time_that_this_has_doubled() {
        let (mut job, mut talk) = (overwriting().context, Conversation { was_at_work: true, ..Conversation::default() });
        let mut still = |progress, seconds: u64| {
            talk.at_work(&mut job, progress, at(seconds * 1000));
            std::mem::take(&mut job.events).into_iter().find_map(|e| match e {
                Event::StandsStill { so_long } => Some(so_long.as_secs()),
                _ => None,
            })
        };
        let seen = [100, 699, 700, 701, 1299, 1300, 1301, 2499, 2500].map(|seconds| still(Some(7), seconds));
        assert_eq!(seen, [None, None, Some(600), None, None, Some(1200), None, None, Some(2400)]);
        let seen = [2600, 3199, 3200].map(|seconds| still(Some(8), seconds));
        assert_eq!(seen, [None, None, Some(600)], "it has moved: the time counts anew");
        assert_eq!([3300, 9999].map(|seconds| still(None, seconds)), [None, None], "one that tells nothing stands nowhere");
    }
}
