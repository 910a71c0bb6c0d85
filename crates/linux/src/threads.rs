//! Requests carried out by threads, or one at a time.

use crate::medium::LinuxMedium;
use crossbeam_channel::{Receiver, Sender, bounded};
use jurex_device::medium::{Cause, Medium, MediumError, Op};
use jurex_engine::{Backend, Buffers, Completed, Done, RequestSetting, Task};
use std::io;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::thread::{self, JoinHandle};
use std::time::Duration;

/// Bytes of all buffers of a job: what is in flight at once.
pub(crate) const IN_FLIGHT: usize = 10 << 20;

const KIB: usize = 1 << 10;
const MIB: usize = 1 << 20;

/// The settings that are tried on a drive, the plainest first; none has more than [`IN_FLIGHT`] in flight.
const SETTINGS: [RequestSetting; 3] = [
    RequestSetting { chunk: MIB, depth: 10 },
    RequestSetting { chunk: 2 * MIB, depth: 5 },
    RequestSetting { chunk: 512 * KIB, depth: 20 },
];

/// The settings that suit a drive: whole physical sectors.
pub(crate) fn settings(medium: &LinuxMedium) -> Vec<RequestSetting> {
    let physical = medium.geometry().physical as usize;
    SETTINGS.into_iter().filter(|s| s.chunk >= physical && s.chunk.is_multiple_of(physical.max(1))).collect()
}

/// Threads that each carry out one request at a time.
pub(crate) struct Threads {
    medium: LinuxMedium,
    settings: Vec<RequestSetting>,
    tasks: Option<Sender<(u64, Task)>>,
    done: (Sender<Done>, Receiver<Done>),
    workers: Vec<JoinHandle<()>>,
    in_flight: usize,
}

/// Threads of a job. More requests than this wait for a free one.
const WORKERS: usize = 4;

/// What a panic of a worker becomes: the request has failed, and the job is told.
pub(crate) fn failed_by_defect(op: Op) -> Completed {
    let cause = Cause::Refused(io::Error::other("a defect in Jurex ended this request"));
    Completed::Failed(MediumError { op, at: None, cause })
}

impl Threads {
    pub(crate) fn new(medium: LinuxMedium, settings: Vec<RequestSetting>) -> Self {
        let settings = settings.into_iter().map(|s| RequestSetting { depth: s.depth.min(WORKERS), ..s }).collect();
        Self { medium, settings, tasks: None, done: bounded(64), workers: vec![], in_flight: 0 }
    }

    /// Requests that have not ended.
    pub(crate) fn in_flight(&self) -> usize {
        self.in_flight
    }

    /// Sends the workers home. Nobody waits for one whose drive hangs: it ends when its request does.
    fn dismiss(&mut self) {
        self.tasks = None;
        if self.in_flight == 0 {
            for worker in self.workers.drain(..) {
                let _ = worker.join();
            }
        } else {
            self.workers.clear();
        }
    }
}

impl Backend for Threads {
    fn settings(&self) -> Vec<RequestSetting> {
        self.settings.clone()
    }

    fn set(&mut self, setting: RequestSetting) {
        self.dismiss();
        let (tasks, queue) = bounded::<(u64, Task)>(64);
        self.tasks = Some(tasks);
        for _ in 0..setting.depth {
            let Ok(mut medium) = self.medium.again() else { break };
            let (queue, done) = (queue.clone(), self.done.0.clone());
            self.workers.push(thread::spawn(move || {
                let mut buffers = Buffers::new(setting.chunk);
                for (tag, task) in queue {
                    let work = AssertUnwindSafe(|| buffers.carry_out(&mut medium, &task));
                    let how = catch_unwind(work).unwrap_or_else(|_| failed_by_defect(Op::Read));
                    if done.send(Done { tag, how }).is_err() {
                        return;
                    }
                }
            }));
        }
    }

    fn start(&mut self, tag: u64, task: Task) {
        self.in_flight += 1;
        let sent = match (&self.tasks, self.workers.is_empty()) {
            (Some(tasks), false) => tasks.send((tag, task)).is_ok(),
            _ => false,
        };
        if !sent {
            let cause = Cause::Refused(io::Error::other("no thread could be started for this drive"));
            let how = Completed::Failed(MediumError { op: Op::Write, at: None, cause });
            let _ = self.done.0.send(Done { tag, how });
        }
    }

    fn wait(&mut self, patience: Duration) -> Option<Done> {
        let done = self.done.1.recv_timeout(patience).ok()?;
        self.in_flight -= 1;
        Some(done)
    }
}

impl Drop for Threads {
    fn drop(&mut self) {
        self.dismiss();
    }
}
