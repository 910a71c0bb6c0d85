//! Who carries out what a job asks for: one request at a time, or many at once.

use super::job::{Completed, Task};
use jurex_device::medium::Port;
use jurex_device::medium::{Cause, Medium, MediumError, Op};
use jurex_pattern::pattern::{AlignedBuffer, Pattern, PatternBuffer, poison, wrong_sectors};
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::{Lba, Sectors};
use jurex_sanitize::digest::SectorDigest;
use jurex_sanitize::probe_tag::ProbeTag;
use jurex_sanitize::residue::Tally;
use std::ops::DerefMut;
use std::time::Duration;

/// A request that has ended.
#[derive(Debug)]
pub struct Done {
    /// Which one.
    pub tag: u64,
    /// How.
    pub how: Completed,
}

/// How large requests are and how many are in flight at once.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct RequestSetting {
    /// Bytes of one request.
    pub chunk: usize,
    /// Requests in flight at most.
    pub depth: usize,
}

/// How long a setting is tried before it is judged.
#[derive(Clone, Copy, Debug)]
pub struct Trials {
    /// At least this long.
    pub shortest: Duration,
    /// At most this long.
    pub longest: Duration,
    /// It may end once so many bytes have moved.
    pub enough: u64,
}

impl Trials {
    /// What suits drives.
    pub const USUAL: Self =
        Self { shortest: Duration::from_millis(150), longest: Duration::from_millis(1500), enough: 128 << 20 };
}

/// Carries out requests, several at once if it can.
pub trait Backend {
    /// The settings that it can work with, the plainest first. Never empty; a backend with one setting is not tuned.
    fn settings(&self) -> Vec<RequestSetting>;
    /// How long each is tried.
    fn trials(&self) -> Trials {
        Trials::USUAL
    }
    /// Works with this setting from now on. Nothing is in flight.
    fn set(&mut self, setting: RequestSetting);
    /// Begins a request; fewer than the setting's depth are in flight.
    fn start(&mut self, tag: u64, task: Task);
    /// Waits for a request to end, but no longer than `patience`; at least one is in flight.
    fn wait(&mut self, patience: Duration) -> Option<Done>;
}

/// One medium, its own or another's, one request at a time.
pub struct Sequential<M> {
    medium: M,
    buffers: Buffers,
    setting: RequestSetting,
    done: Option<Done>,
}

impl<M> std::fmt::Debug for Sequential<M> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Sequential").finish_non_exhaustive()
    }
}

impl<M: DerefMut<Target: Medium + Sized>> Sequential<M> {
    /// Works on `medium` in requests of [`super::CHUNK_BYTES`].
    pub fn new(medium: M) -> Self {
        Self::in_chunks(medium, super::CHUNK_BYTES)
    }

    /// Works on `medium` in requests of `chunk` bytes.
    pub fn in_chunks(medium: M, chunk: usize) -> Self {
        let buffers = Buffers::new(chunk.max(medium.geometry().physical as usize));
        Self { medium, buffers, setting: RequestSetting { chunk, depth: 1 }, done: None }
    }
}

impl<M: DerefMut<Target: Medium + Sized>> Backend for Sequential<M> {
    fn settings(&self) -> Vec<RequestSetting> {
        vec![self.setting]
    }

    fn set(&mut self, _: RequestSetting) {}

    fn start(&mut self, tag: u64, task: Task) {
        let how = self.buffers.carry_out(&mut *self.medium, &task);
        self.done = Some(Done { tag, how });
    }

    fn wait(&mut self, _: Duration) -> Option<Done> {
        self.done.take()
    }
}

/// The buffers that requests are carried out with, one at a time. No allocation once they are made.
pub struct Buffers {
    expected: PatternBuffer,
    read: AlignedBuffer,
    len: usize,
}

impl Buffers {
    /// For requests of up to `len` bytes; larger ones are carried out in parts.
    pub fn new(len: usize) -> Self {
        Self { expected: PatternBuffer::new(len), read: AlignedBuffer::new(len), len }
    }

    /// Carries out one request on `medium`, and waits for it.
    pub fn carry_out(&mut self, medium: &mut dyn Medium, task: &Task) -> Completed {
        self.attempt(medium, task).unwrap_or_else(Completed::Failed)
    }

    fn attempt(&mut self, medium: &mut dyn Medium, task: &Task) -> Result<Completed, MediumError> {
        match task {
            Task::Flush => medium.flush().map(|()| Completed::Done),
            Task::Identify => medium.identify().map(|drive| Completed::Identified(Box::new(drive))),
            Task::Write(at, pattern) => {
                for part in self.parts(medium, *at) {
                    self.write(medium, part, pattern)?;
                }
                Ok(Completed::Done)
            }
            Task::Probe(at) => {
                for part in self.parts(medium, *at) {
                    let len = medium.geometry().bytes_of(part.count) as usize;
                    medium.read(part.first, &mut self.read.bytes()[..len])?;
                }
                Ok(Completed::Done)
            }
            Task::ReadBack(at, pattern) => {
                let mut wrong = RangeSet::new();
                for part in self.parts(medium, *at) {
                    wrong.extend(&self.read_back(medium, part, pattern)?);
                }
                Ok(Completed::Read { wrong })
            }
            Task::Digest(at, salt) => {
                let mut met = Vec::with_capacity(at.count as usize);
                for part in self.parts(medium, *at) {
                    met.extend(self.read_sectors(medium, part)?.map(|(lba, bytes)| SectorDigest::of(*salt, lba, bytes)));
                }
                Ok(Completed::Digested(met))
            }
            Task::Tags(at, pattern) => {
                let mut met = Vec::with_capacity(at.count as usize);
                for part in self.parts(medium, *at) {
                    met.extend(self.read_sectors(medium, part)?.map(|(_, bytes)| ProbeTag::of(pattern, bytes)));
                }
                Ok(Completed::Tags(met))
            }
            Task::Search(at) => {
                let geometry = medium.geometry();
                let mut tally = Box::new(Tally::new(geometry.bytes()));
                for part in self.parts(medium, *at) {
                    tally.look(part.first, geometry.logical, self.read(medium, part)?);
                }
                Ok(Completed::Searched(tally))
            }
            Task::Ask(command) => port(medium)?.send(command).map(|answer| Completed::Answered(vec![answer])),
            Task::Change(change) => port(medium)?.send_together(change.commands()).map(Completed::Answered),
            Task::Rescan => port(medium)?.rescan().map(|()| Completed::Done),
            // None is held beside this drive.
            Task::Beside(..) => Ok(Completed::Beside(vec![])),
        }
    }

    /// Reads `at` and gives each sector with its address.
    fn read_sectors(&mut self, medium: &mut dyn Medium, at: Sectors) -> Result<impl Iterator<Item = (Lba, &[u8])>, MediumError> {
        let logical = medium.geometry().logical as usize;
        Ok((at.first.0..).map(Lba).zip(self.read(medium, at)?.chunks(logical)))
    }

    fn read(&mut self, medium: &mut dyn Medium, at: Sectors) -> Result<&[u8], MediumError> {
        let geometry = medium.geometry();
        let read = &mut self.read.bytes()[..geometry.bytes_of(at.count) as usize];
        // A medium that says "read" and fills nothing must not find here what it held before.
        poison(geometry.logical, read);
        medium.read(at.first, read)?;
        Ok(read)
    }

    /// The stretch in parts that fit the buffers.
    fn parts(&self, medium: &dyn Medium, at: Sectors) -> impl Iterator<Item = Sectors> + use<> {
        let most = (self.len as u64 / u64::from(medium.geometry().logical)).max(1);
        (at.first.0..at.end()).step_by(most as usize).map(move |first| Sectors::new(first, most.min(at.end() - first)))
    }

    fn write(&mut self, medium: &mut dyn Medium, at: Sectors, pattern: &Pattern) -> Result<(), MediumError> {
        let geometry = medium.geometry();
        let len = geometry.bytes_of(at.count) as usize;
        let data = self.expected.get(pattern, geometry.bytes_of(at.first.0), geometry.logical, len);
        medium.write(at.first, data)
    }

    fn read_back(&mut self, medium: &mut dyn Medium, at: Sectors, pattern: &Pattern) -> Result<RangeSet, MediumError> {
        let geometry = medium.geometry();
        let len = geometry.bytes_of(at.count) as usize;
        let expected = self.expected.get(pattern, geometry.bytes_of(at.first.0), geometry.logical, len);
        let read = &mut self.read.bytes()[..len];
        // A medium that says "read" and fills nothing must not find the expected bytes here from before.
        poison(geometry.logical, read);
        medium.read(at.first, read)?;
        Ok(wrong_sectors(at.first, geometry.logical, expected, read))
    }
}

fn port(medium: &mut dyn Medium) -> Result<&mut dyn Port, MediumError> {
    let none = || {
        let why = std::io::Error::other("there is no way to this drive's own commands here");
        MediumError { op: Op::Command, at: None, cause: Cause::Refused(why) }
    };
    medium.port().ok_or_else(none)
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_device::media::{Drive, Geometry, MediaClass};
    use jurex_device::medium::Access;
    use jurex_device::testing::Memory;
    use jurex_pattern::units::Lba;
    use std::sync::Arc;

    /// Says that it has read, and has not.
    struct Idle(Memory);

    impl Medium for Idle {
        fn geometry(&self) -> Geometry {
            self.0.drive.geometry
        }
        fn access(&self) -> Access {
            Access::DIRECT
        }
        fn identify(&mut self) -> Result<Drive, MediumError> {
            self.0.identify()
        }
        fn read(&mut self, _: Lba, _: &mut [u8]) -> Result<(), MediumError> {
            Ok(())
        }
        fn write(&mut self, at: Lba, data: &[u8]) -> Result<(), MediumError> {
            self.0.write(at, data)
        }
        fn flush(&mut self) -> Result<(), MediumError> {
            Ok(())
        }
    }

    #[test]
    fn what_was_not_really_read_is_never_taken_for_right() {
        for pattern in [Pattern::zeros(), Pattern::bytes([0xff]).unwrap(), Pattern::random([3; 16])] {
            let (mut idle, pattern) = (Idle(Memory::new(MediaClass::Magnetic, 16)), Arc::new(pattern));
            let mut buffers = Buffers::new(8 * 512);
            let at = Sectors::new(0, 16);
            assert!(matches!(buffers.carry_out(&mut idle, &Task::Write(at, pattern.clone())), Completed::Done));
            let Completed::Read { wrong } = buffers.carry_out(&mut idle, &Task::ReadBack(at, pattern)) else { panic!() };
            assert!(wrong.covers_all(at), "{wrong:?}");
        }
    }

    #[test]
    fn what_was_not_really_read_is_neither_blank_nor_tagged() {
        let mut idle = Idle(Memory::new(MediaClass::Magnetic, 16));
        let (mut buffers, at) = (Buffers::new(8 * 512), Sectors::new(0, 16));
        let salt = jurex_sanitize::digest::Salt::new([7; 16]);
        let Completed::Digested(met) = buffers.carry_out(&mut idle, &Task::Digest(at, salt)) else { panic!() };
        assert!(met.iter().all(|m| matches!(m, SectorDigest::Digest(_))), "a buffer of zeros is no blank drive: {met:?}");
        let tags = Arc::new(Pattern::random([9; 16]));
        let Completed::Tags(met) = buffers.carry_out(&mut idle, &Task::Tags(at, tags)) else { panic!() };
        assert!(met.iter().all(|m| *m == ProbeTag::None), "{met:?}");
    }
}
