//! One lane's job, on a thread of its own.

use crate::lane::LaneId;
use crate::lane::stage::WorkEnd;
use crate::message::Message;
use crossbeam_channel::{Receiver, Sender, TryRecvError};
use jurex_engine::{Control, JobControl};
use jurex_ledger::UnfinishedJob;
use jurex_pattern::units::Lba;
use jurex_sanitize::contents::Contents;
use jurex_sanitize::evidence::Ended;
use jurex_sanitize::plan::ArmedPlan;
use jurex_sanitize::record::Papers;
use jurex_station::bench::{DriveSnapshot, WatchedErase};
use jurex_station::service::{JobService, Requirement};

/// One job on a thread of its own.
pub(super) struct JobOfLane {
    pub(super) lane: LaneId,
    pub(super) seen: DriveSnapshot,
    pub(super) service: JobService,
    pub(super) sender: Sender<Message>,
    pub(super) wishes: Receiver<Control>,
    pub(super) sample_at: Option<Lba>,
}

impl JobOfLane {
    /// Opens the drive, waits for the word to begin, and works to the end.
    pub(super) fn run(
        mut self,
        armed: ArmedPlan,
        before: Contents,
        terms: (Papers, Requirement),
        from: Option<Box<UnfinishedJob>>,
    ) {
        if from.is_some() && armed.intent().goes_on && self.seen.opening_waits() {
            let (sender, lane, wishes) = (self.sender.clone(), self.lane, self.wishes.clone());
            let mut tell = |progress| drop(sender.send(Message::StillAtWork(lane, progress)));
            // Who has let it go has dropped the sender.
            let mut is_wanted = || wishes.try_recv() != Err(TryRecvError::Disconnected);
            match self.seen.watch_its_own_erasure(&mut tell, &mut is_wanted) {
                WatchedErase::LeftAtWork => return,
                WatchedErase::WasNotAtWork => {}
                WatchedErase::ToItsEnd => {
                    self.seen.rescan();
                    self.seen.was_watched = true;
                }
            }
        }
        let opened = match self.service.open(&self.seen, &armed) {
            Ok(opened) => opened,
            Err(failure) => return self.send(Message::NotStarted(self.lane, format!("{failure}."))),
        };
        self.send(Message::Opened(self.lane));
        // The drive stays open for this process alone while the countdown runs; if it is stopped, it is closed again.
        if self.wishes.recv() != Ok(Control::GoOn) {
            return;
        }
        let service = self.service.clone();
        let prepared = match from {
            Some(from) => service.go_on(opened, armed, *from),
            None => service.begin(opened, armed, before, terms),
        };
        let job = match prepared {
            Ok(job) => job,
            Err(failure) => return self.send(Message::NotStarted(self.lane, format!("{failure}."))),
        };
        self.send(Message::Began(self.lane, job.id().clone()));
        let (sender, lane) = (self.sender.clone(), self.lane);
        let ended = service.run(job, &mut self, &mut |event| {
            let _ = sender.send(Message::Job(lane, event.clone()));
        });
        let told_beside = ended.doubts.into_iter().chain(ended.untold);
        told_beside.for_each(|said| self.send(Message::Said(format!("{said}."))));
        let finished = ended.finished;
        let answers = !matches!(finished.record.evidence().ended, Ended::Gone { .. } | Ended::StoppedAnswering { .. });
        let mark = finished.mark_said();
        let end = WorkEnd {
            mark,
            record: finished.record,
            ledger_trouble: finished.ledger_trouble.map(|e| e.to_string()),
            unfinished: finished.unfinished,
            // A drive that is gone or hangs is not asked for more.
            after: self.sample_at.filter(|_| answers).and_then(|at| self.seen.sector(at)),
        };
        self.send(Message::Ended(self.lane, Box::new(end)));
    }

    fn send(&self, message: Message) {
        let _ = self.sender.send(message);
    }
}

impl JobControl for JobOfLane {
    fn poll(&mut self) -> Option<Control> {
        Control::of_several(self.wishes.try_iter())
    }

    fn wait(&mut self) -> Option<Control> {
        // If the interface is gone, nobody can say "go on" any more.
        let first = self.wishes.recv().unwrap_or(Control::Stop);
        Control::of_several(std::iter::once(first).chain(self.wishes.try_iter()))
    }
}
