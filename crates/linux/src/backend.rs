//! Who carries out a job's requests on a real drive: the kernel's queue (io_uring), or, where it is refused, a few threads.

use crate::medium::LinuxMedium;
use crate::ring::Ring;
use crate::threads::{Threads, settings};
use jurex_core::erase::{Backend, Buffers, Done, Setting, Task};
use jurex_core::medium::Medium;
use std::time::Duration;

/// How requests are carried out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Carrying {
    /// By the kernel's queue, where it can be had; else by threads.
    AsCan,
    /// By threads.
    Threads,
}

/// The backend for an open drive.
pub fn backend(medium: LinuxMedium, carrying: Carrying) -> Box<dyn Backend> {
    let settings = settings(&medium);
    if settings.is_empty() {
        // Physical sectors of a size that no setting suits: one whole sector at a time.
        let chunk = medium.geometry().physical as usize;
        return Box::new(Single { chunk, buffers: Buffers::new(chunk), medium, done: None });
    }
    if carrying == Carrying::Threads {
        return threads(medium, settings);
    }
    match Ring::new(medium, settings.clone()) {
        Ok(ring) => Box::new(ring),
        Err((medium, why)) => {
            tracing::info!("no queue of the kernel for {}: {why}; threads do the work", medium.geometry().bytes());
            threads(*medium, settings)
        }
    }
}

fn threads(medium: LinuxMedium, settings: Vec<Setting>) -> Box<dyn Backend> {
    Box::new(Threads::new(medium, settings))
}

/// One request at a time.
struct Single {
    chunk: usize,
    buffers: Buffers,
    medium: LinuxMedium,
    done: Option<Done>,
}

impl Backend for Single {
    fn settings(&self) -> Vec<Setting> {
        vec![Setting { chunk: self.chunk, depth: 1 }]
    }

    fn set(&mut self, _: Setting) {}

    fn start(&mut self, tag: u64, task: Task) {
        let how = self.buffers.carry_out(&mut self.medium, &task);
        self.done = Some(Done { tag, how });
    }

    fn wait(&mut self, _: Duration) -> Option<Done> {
        self.done.take()
    }
}
