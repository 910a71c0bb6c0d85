//! Who carries out what a job asks for: one request at a time, or many at once.

use super::job::{Operation, Request, Result};
use crate::medium::{Medium, MediumError};
use crate::pattern::{AlignedBuffer, Pattern, PatternBuffer, wrong_sectors};
use crate::units::Sectors;
use std::sync::Arc;

/// A request that can travel to another thread.
#[derive(Clone, Debug)]
pub enum Task {
    /// Write the pattern's bytes on these sectors.
    Write(Sectors, Arc<Pattern>),
    /// Read these sectors and compare them with the pattern's bytes.
    ReadBack(Sectors, Arc<Pattern>),
    /// Flush every cache. Only asked for when nothing else is in flight.
    Flush,
}

impl Task {
    pub(super) fn of(request: &Request<'_>) -> Self {
        match &request.operation {
            Operation::Write(at, pattern) => Task::Write(*at, Arc::clone(pattern)),
            Operation::ReadBack(at, pattern) => Task::ReadBack(*at, Arc::clone(pattern)),
            Operation::Flush => Task::Flush,
        }
    }
}

/// A request that has ended.
#[derive(Debug)]
pub struct Done {
    /// Which one.
    pub tag: u64,
    /// How.
    pub result: Result,
}

/// How large requests are and how many are in flight at once.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Setting {
    /// Bytes of one request.
    pub chunk: usize,
    /// Requests in flight at most.
    pub depth: usize,
}

/// Carries out requests, several at once if it can.
pub trait Crew {
    /// The settings that it can work with, the plainest first. Never empty; a crew with one setting is not tuned.
    fn settings(&self) -> Vec<Setting>;
    /// Works with this setting from now on. Nothing is in flight.
    fn set(&mut self, setting: Setting);
    /// Begins a request; fewer than the setting's depth are in flight.
    fn start(&mut self, tag: u64, task: Task);
    /// Waits for a request to end; at least one is in flight.
    fn wait(&mut self) -> Done;
}

/// One medium, one request at a time.
pub struct Alone<'m> {
    medium: &'m mut dyn Medium,
    buffers: Buffers,
    setting: Setting,
    done: Option<Done>,
}

impl std::fmt::Debug for Alone<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Alone").finish_non_exhaustive()
    }
}

impl<'m> Alone<'m> {
    /// Works on `medium` in requests of [`super::CHUNK_BYTES`].
    pub fn new(medium: &'m mut dyn Medium) -> Self {
        Self::in_chunks(medium, super::CHUNK_BYTES)
    }

    /// Works on `medium` in requests of `chunk` bytes.
    pub fn in_chunks(medium: &'m mut dyn Medium, chunk: usize) -> Self {
        let buffers = Buffers::new(chunk.max(medium.geometry().physical as usize));
        Self { medium, buffers, setting: Setting { chunk, depth: 1 }, done: None }
    }
}

impl Crew for Alone<'_> {
    fn settings(&self) -> Vec<Setting> {
        vec![self.setting]
    }

    fn set(&mut self, _: Setting) {}

    fn start(&mut self, tag: u64, task: Task) {
        let result = self.buffers.carry_out(self.medium, &task);
        self.done = Some(Done { tag, result });
    }

    fn wait(&mut self) -> Done {
        self.done.take().expect("a request was started: the caller keeps count")
    }
}

/// The buffers that requests are carried out with, one at a time. No allocation once they are made.
pub struct Buffers {
    expected: PatternBuffer,
    read: AlignedBuffer,
}

impl Buffers {
    /// For requests of up to `len` bytes.
    pub fn new(len: usize) -> Self {
        Self { expected: PatternBuffer::new(len), read: AlignedBuffer::new(len) }
    }

    /// Carries out one request on `medium`, and waits for it.
    pub fn carry_out(&mut self, medium: &mut dyn Medium, task: &Task) -> Result {
        self.attempt(medium, task).unwrap_or_else(Result::Failed)
    }

    fn attempt(&mut self, medium: &mut dyn Medium, task: &Task) -> std::result::Result<Result, MediumError> {
        let geometry = medium.geometry();
        match task {
            Task::Flush => medium.flush().map(|()| Result::Done),
            Task::Write(at, pattern) => {
                let len = geometry.bytes_of(at.count) as usize;
                let data = self.expected.get(pattern, geometry.bytes_of(at.first.0), geometry.logical, len);
                medium.write(at.first, data).map(|()| Result::Done)
            }
            Task::ReadBack(at, pattern) => {
                let len = geometry.bytes_of(at.count) as usize;
                let expected = self.expected.get(pattern, geometry.bytes_of(at.first.0), geometry.logical, len);
                let read = &mut self.read.bytes()[..len];
                medium.read(at.first, read)?;
                Ok(Result::Read { wrong: wrong_sectors(at.first, geometry.logical, expected, read) })
            }
        }
    }
}
