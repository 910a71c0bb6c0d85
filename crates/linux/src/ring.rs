//! The kernel's queue: requests in flight by io_uring on registered buffers, filled and compared by helpers beside it, so
//! that the drive never waits for a pattern. Holds the only unsafe code beside `ioctl`.
#![allow(unsafe_code)]

use crate::errors::is_passing;
use crate::medium::LinuxMedium;
use crate::threads::{IN_FLIGHT, Threads, failed_by_defect};
use crossbeam_channel::{Receiver, Sender, unbounded};
use io_uring::{IoUring, opcode, squeue, types};
use jurex_device::medium::{Medium, Op};
use jurex_engine::{Backend, Completed, Done, RequestSetting, Task};
use jurex_pattern::pattern::{Pattern, PatternBuffer, poison, wrong_sectors};
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::Sectors;
use std::collections::VecDeque;
use std::io;
use std::os::fd::{AsRawFd, RawFd};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;
use std::thread::{self, JoinHandle};
use std::time::{Duration, Instant};

/// Helpers that fill and compare beside the queue.
const HELPERS: usize = 2;
/// The kernel's queue is this long: the deepest setting, rounded up.
const ENTRIES: u32 = 32;

/// How long a ring that is dropped waits for a drive that owes answers.
const LAST_PATIENCE: Duration = Duration::from_secs(3);
/// How often a wait for the kernel looks at the helpers and the hand.
const LOOK_EVERY: Duration = Duration::from_millis(10);

/// What a helper does with a buffer that is not in flight.
enum Chore {
    Fill,
    Compare,
}

/// A buffer on its way between the queue and a helper.
struct Parcel {
    chore: Chore,
    slot: usize,
    tag: u64,
    at: Sectors,
    pattern: Arc<Pattern>,
    buffer: PatternBuffer,
    wrong: RangeSet,
    /// Whether the chore ended in a panic.
    failed: bool,
}

/// What the kernel has in flight in a slot.
struct RingFlight {
    tag: u64,
    at: Sectors,
    pattern: Arc<Pattern>,
    buffer: PatternBuffer,
    op: Op,
}

enum Slot {
    Free(PatternBuffer),
    Flying(RingFlight),
    /// With a helper, or being handed over.
    Away,
}

pub(crate) struct Ring {
    ring: IoUring,
    medium: LinuxMedium,
    direct: RawFd,
    settings: Vec<RequestSetting>,
    slots: Vec<Slot>,
    /// Whether the slots' buffers are registered with the kernel. Without rights to lock memory they may not be.
    registered: bool,
    flying: usize,
    helped: usize,
    ready: VecDeque<Done>,
    to_helpers: Option<Sender<Parcel>>,
    from_helpers: Receiver<Parcel>,
    helpers: Vec<JoinHandle<()>>,
    /// For what direct I/O does not take, does not fit a buffer, or is no transfer: one request at a time on a thread of
    /// its own, so that a drive that hangs holds up no wait.
    hand: Threads,
}

impl Ring {
    /// A queue for `medium`; gives it back where the kernel refuses one.
    pub(crate) fn new(medium: LinuxMedium, settings: Vec<RequestSetting>) -> Result<Self, (Box<LinuxMedium>, io::Error)> {
        let Some(direct) = medium.direct().map(AsRawFd::as_raw_fd) else {
            return Err((Box::new(medium), io::Error::other("no direct I/O here")));
        };
        let ring = match IoUring::new(ENTRIES) {
            Ok(ring) => ring,
            Err(e) => return Err((Box::new(medium), e)),
        };
        let mut hand = match medium.again() {
            Ok(again) => Threads::new(again, settings.clone()),
            Err(e) => return Err((Box::new(medium), e)),
        };
        hand.set(RequestSetting { chunk: settings.iter().map(|s| s.chunk).max().unwrap_or(0), depth: 1 });
        let (to_helpers, chores) = unbounded::<Parcel>();
        let (done, from_helpers) = unbounded();
        let logical = medium.geometry().logical;
        let helper = |_| {
            let (chores, done) = (chores.clone(), done.clone());
            thread::spawn(move || help(logical, &chores, &done))
        };
        Ok(Self {
            ring,
            direct,
            settings,
            slots: vec![],
            registered: false,
            flying: 0,
            helped: 0,
            ready: VecDeque::new(),
            to_helpers: Some(to_helpers),
            from_helpers,
            helpers: (0..HELPERS).map(helper).collect(),
            hand,
            medium,
        })
    }

    fn bytes_of(&self, at: Sectors) -> (u64, usize) {
        let geometry = self.medium.geometry();
        (geometry.bytes_of(at.first.0), geometry.bytes_of(at.count) as usize)
    }

    /// A slot whose buffer is at hand.
    fn take_slot(&mut self) -> (usize, PatternBuffer) {
        let slot = self.slots.iter().position(|s| matches!(s, Slot::Free(_))).expect("fewer are in flight than there are slots");
        match std::mem::replace(&mut self.slots[slot], Slot::Away) {
            Slot::Free(buffer) => (slot, buffer),
            Slot::Flying(_) | Slot::Away => unreachable!("the slot was free"),
        }
    }

    fn send(&mut self, parcel: Parcel) {
        self.helped += 1;
        let refused = match &self.to_helpers {
            Some(to) => to.send(parcel).err().map(|e| e.0),
            None => Some(parcel),
        };
        if let Some(mut parcel) = refused {
            // No helper is left: the chore is done here.
            let logical = self.medium.geometry().logical;
            chore(logical, &mut parcel, &mut None);
            self.returned(parcel);
        }
    }

    /// Gives a slot's request to the kernel.
    fn launch(&mut self, slot: usize, mut flight: RingFlight) {
        let ((offset, len), logical) = (self.bytes_of(flight.at), self.medium.geometry().logical);
        let data = match flight.op {
            Op::Read => {
                let into = flight.buffer.to_read_into();
                // A kernel or drive that says "read" and fills nothing must not find the expected bytes here from before.
                poison(logical, &mut into[..len]);
                into.as_mut_ptr()
            }
            // Already filled: this computes nothing.
            _ => flight.buffer.filled().as_mut_ptr(),
        };
        let (fd, len) = (types::Fd(self.direct), len as u32);
        let entry = match (flight.op, self.registered) {
            (Op::Read, true) => opcode::ReadFixed::new(fd, data, len, slot as u16).offset(offset).build(),
            (Op::Read, false) => opcode::Read::new(fd, data, len).offset(offset).build(),
            (_, true) => opcode::WriteFixed::new(fd, data, len, slot as u16).offset(offset).build(),
            (_, false) => opcode::Write::new(fd, data, len).offset(offset).build(),
        };
        self.slots[slot] = Slot::Flying(flight);
        self.flying += 1;
        self.push(&entry.user_data(slot as u64));
    }

    fn push(&mut self, entry: &squeue::Entry) {
        // SAFETY: the entry's buffer belongs to the slot `user_data`, which holds it as `Flying` until the completion with
        // that number has been taken; `Drop` and `set` wait for all of them before any buffer is freed. The buffer's bytes
        // lie on the heap and stay where they are when the slot moves, `len` is no longer than the buffer (`start` gives what
        // does not fit to the hand), and nothing else touches them meanwhile. The descriptor lives as long as `medium`.
        while unsafe { self.ring.submission().push(entry) }.is_err() {
            // The queue is longer than the deepest setting, so it is full only until what stands in it is submitted.
            let _ = self.ring.submit();
        }
    }

    /// Takes every completion that is there.
    fn reap(&mut self) {
        while let Some(entry) = self.next_completion() {
            self.flying -= 1;
            let (slot, result) = entry;
            let Slot::Flying(flight) = std::mem::replace(&mut self.slots[slot], Slot::Away) else { continue };
            self.landed(slot, flight, result);
        }
    }

    fn next_completion(&mut self) -> Option<(usize, i32)> {
        self.ring.completion().next().map(|e| (e.user_data() as usize, e.result()))
    }

    fn landed(&mut self, slot: usize, flight: RingFlight, result: i32) {
        let (_, len) = self.bytes_of(flight.at);
        let RingFlight { tag, at, pattern, buffer, op } = flight;
        let wrong = RangeSet::new();
        let error = (result < 0).then(|| io::Error::from_raw_os_error(-result));
        if error.as_ref().is_some_and(is_passing) || (result >= 0 && result as usize != len) {
            // Cut short, interrupted, or the system is short of something: done again by hand, which either does it all or
            // says what is wrong.
            self.slots[slot] = Slot::Free(buffer);
            let task = if op == Op::Read { Task::ReadBack(at, pattern) } else { Task::Write(at, pattern) };
            self.hand.start(tag, task);
        } else if let Some(error) = error {
            let error = self.medium.fail(op, Some(at), error);
            self.slots[slot] = Slot::Free(buffer);
            self.ready.push_back(Done { tag, how: Completed::Failed(error) });
        } else if op == Op::Read {
            self.send(Parcel { chore: Chore::Compare, slot, tag, at, pattern, buffer, wrong, failed: false });
        } else {
            self.slots[slot] = Slot::Free(buffer);
            self.ready.push_back(Done { tag, how: Completed::Done });
        }
    }

    /// Takes a buffer back from a helper: a filled one flies, a compared one is done.
    fn returned(&mut self, parcel: Parcel) {
        self.helped -= 1;
        let Parcel { chore, slot, tag, at, pattern, buffer, wrong, failed } = parcel;
        match chore {
            Chore::Fill if !failed => self.launch(slot, RingFlight { tag, at, pattern, buffer, op: Op::Write }),
            Chore::Fill | Chore::Compare => {
                self.slots[slot] = Slot::Free(buffer);
                let how = if failed { failed_by_defect(Op::Read) } else { Completed::Read { wrong } };
                self.ready.push_back(Done { tag, how });
            }
        }
    }

    /// Waits until nothing is in flight and no buffer is with a helper, or the time is up.
    fn drain(&mut self, until: Option<Instant>) {
        while self.flying + self.helped > 0 && until.is_none_or(|u| Instant::now() < u) {
            self.move_on(LOOK_EVERY);
        }
    }

    /// Waits for one thing to happen, but not for long.
    fn move_on(&mut self, patience: Duration) {
        while let Ok(parcel) = self.from_helpers.try_recv() {
            self.returned(parcel);
        }
        if self.flying > 0 {
            self.wait_for_the_kernel(if self.helped + self.hand.in_flight() > 0 { LOOK_EVERY } else { patience });
            self.reap();
        } else if self.helped > 0
            && self.ready.is_empty()
            && let Ok(parcel) = self.from_helpers.recv_timeout(patience)
        {
            self.returned(parcel);
        }
        let patience = if self.flying + self.helped > 0 || !self.ready.is_empty() { Duration::ZERO } else { patience };
        if self.hand.in_flight() > 0
            && let Some(done) = self.hand.wait(patience)
        {
            self.ready.push_back(done);
        }
    }

    /// An interrupted wait, or one whose time is up, is tried again by the caller's loop.
    fn wait_for_the_kernel(&self, patience: Duration) {
        if self.ring.params().is_feature_ext_arg() {
            let patience = types::Timespec::from(patience);
            let _ = self.ring.submitter().submit_with_args(1, &types::SubmitArgs::new().timespec(&patience));
        } else {
            let _ = self.ring.submit_and_wait(1);
        }
    }

    fn unregister(&mut self) {
        if std::mem::take(&mut self.registered) {
            let _ = self.ring.submitter().unregister_buffers();
        }
    }

    fn register(&mut self) {
        let buffers: Vec<libc::iovec> = self
            .slots
            .iter_mut()
            .filter_map(|s| match s {
                Slot::Free(buffer) => {
                    let bytes = buffer.to_read_into();
                    Some(libc::iovec { iov_base: bytes.as_mut_ptr().cast(), iov_len: bytes.len() })
                }
                Slot::Flying(_) | Slot::Away => None,
            })
            .collect();
        // SAFETY: every buffer belongs to a slot and is freed only after `unregister` (in `set` and `Drop`); their bytes lie
        // on the heap and do not move with the slots.
        self.registered = unsafe { self.ring.submitter().register_buffers(&buffers) }.is_ok();
    }
}

impl Backend for Ring {
    fn settings(&self) -> Vec<RequestSetting> {
        self.settings.clone()
    }

    fn set(&mut self, setting: RequestSetting) {
        self.drain(None);
        self.unregister();
        let depth = setting.depth.min(IN_FLIGHT / setting.chunk).min(ENTRIES as usize).max(1);
        self.slots.clear();
        self.slots.extend((0..depth).map(|_| Slot::Free(PatternBuffer::new(setting.chunk))));
        self.register();
    }

    fn start(&mut self, tag: u64, task: Task) {
        let (at, pattern, op) = match &task {
            Task::Write(at, pattern) => (*at, Arc::clone(pattern), Op::Write),
            Task::ReadBack(at, pattern) => (*at, Arc::clone(pattern), Op::Read),
            Task::Flush
            | Task::Probe(_)
            | Task::Identify
            | Task::Digest(..)
            | Task::Tags(..)
            | Task::Search(_)
            | Task::Ask(_)
            | Task::Change(_)
            | Task::Beside(..)
            | Task::Rescan => return self.hand.start(tag, task),
        };
        let (offset, len) = self.bytes_of(at);
        let fits = self.slots.iter().any(|s| matches!(s, Slot::Free(buffer) if len <= buffer.len()));
        if !fits || !self.medium.is_direct(offset, len) {
            return self.hand.start(tag, task);
        }
        let (slot, mut buffer) = self.take_slot();
        let wrong = RangeSet::new();
        if op == Op::Write && pattern.period().is_none() {
            return self.send(Parcel { chore: Chore::Fill, slot, tag, at, pattern, buffer, wrong, failed: false });
        }
        if op == Op::Write {
            buffer.get(&pattern, offset, self.medium.geometry().logical, len);
        }
        self.launch(slot, RingFlight { tag, at, pattern, buffer, op });
        // The drive begins at once; what follows is submitted with the next wait.
        let _ = self.ring.submit();
    }

    fn wait(&mut self, patience: Duration) -> Option<Done> {
        let until = Instant::now() + patience;
        loop {
            if let Some(done) = self.ready.pop_front() {
                return Some(done);
            }
            let left = until.saturating_duration_since(Instant::now());
            if left.is_zero() {
                return None;
            }
            self.move_on(left);
        }
    }
}

impl Drop for Ring {
    fn drop(&mut self) {
        self.drain(Some(Instant::now() + LAST_PATIENCE));
        self.to_helpers = None;
        for helper in self.helpers.drain(..) {
            let _ = helper.join();
        }
        if self.flying > 0 {
            // The drive hangs. Its buffers stay where they are for ever: the kernel may still write into them.
            std::mem::forget(std::mem::take(&mut self.slots));
        } else {
            // Left registered, the kernel would hold the drive open for a while after this.
            self.unregister();
        }
    }
}

/// A helper's life: fill or compare what comes, and send it back, whatever happens.
fn help(logical: u32, chores: &Receiver<Parcel>, done: &Sender<Parcel>) {
    let mut expected: Option<PatternBuffer> = None;
    for mut parcel in chores {
        chore(logical, &mut parcel, &mut expected);
        if done.send(parcel).is_err() {
            return;
        }
    }
}

/// Does a chore. A panic becomes its result.
fn chore(logical: u32, parcel: &mut Parcel, expected: &mut Option<PatternBuffer>) {
    let done = catch_unwind(AssertUnwindSafe(|| fill_or_compare(logical, parcel, expected)));
    parcel.failed = done.is_err();
}

fn fill_or_compare(logical: u32, parcel: &mut Parcel, expected: &mut Option<PatternBuffer>) {
    let (offset, len) = (parcel.at.first.0 * u64::from(logical), parcel.at.count as usize * logical as usize);
    match parcel.chore {
        Chore::Fill => {
            parcel.buffer.get(&parcel.pattern, offset, logical, len);
        }
        Chore::Compare => {
            if expected.as_ref().is_none_or(|e| e.len() < len) {
                *expected = Some(PatternBuffer::new(len));
            }
            let Some(expected) = expected.as_mut() else { return };
            let should_be = expected.get(&parcel.pattern, offset, logical, len);
            let read = &parcel.buffer.filled()[..len];
            parcel.wrong = wrong_sectors(parcel.at.first, logical, should_be, read);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::backend::{Carrying, backend};
    use crate::threads::settings;
    use crate::{System, open};

    fn image(bytes: u64) -> (tempfile::TempDir, LinuxMedium) {
        let dir = tempfile::tempdir_in(".").unwrap();
        let path = dir.path().join("drive.img");
        std::fs::write(&path, vec![0xab; bytes as usize]).unwrap();
        let medium = open(&System::default(), &System::default().find(&path).unwrap().drive).unwrap();
        (dir, medium)
    }

    /// Every sector once, many requests in flight, then all of it read back, with one sector altered in between.
    fn lays_and_proves(bytes: u64, carrying: Carrying) {
        let (dir, medium) = image(bytes);
        let sectors = bytes / 512;
        let setting = settings(&medium)[2];
        let mut backend = backend(medium, carrying);
        backend.set(setting);
        let pattern = Arc::new(Pattern::random([5; 16]));
        let chunk = setting.chunk as u64 / 512;
        let mut all = |task: &dyn Fn(Sectors) -> Task| {
            let mut wrong = RangeSet::new();
            let (mut next, mut in_flight) = (0, 0);
            while next < sectors || in_flight > 0 {
                if next < sectors && in_flight < setting.depth.min(4) {
                    let at = Sectors::new(next, chunk.min(sectors - next));
                    backend.start(next, task(at));
                    (next, in_flight) = (at.end(), in_flight + 1);
                    continue;
                }
                in_flight -= 1;
                match backend.wait(Duration::from_secs(60)).expect("it ends").how {
                    Completed::Read { wrong: w } => wrong.extend(&w),
                    Completed::Done
                    | Completed::Identified(_)
                    | Completed::Digested(_)
                    | Completed::Tags(_)
                    | Completed::Searched(_)
                    | Completed::Answered(_)
                    | Completed::Beside(_) => {}
                    Completed::Failed(e) => panic!("{e}: {:?}", e.cause),
                }
            }
            wrong
        };
        all(&|at| Task::Write(at, Arc::clone(&pattern)));
        let path = dir.path().join("drive.img");
        let mut expected = vec![0; bytes as usize];
        pattern.fill(0, 512, &mut expected);
        assert!(std::fs::read(&path).unwrap() == expected, "the image holds exactly the pattern");
        use std::os::unix::fs::FileExt;
        let file = std::fs::OpenOptions::new().write(true).open(&path).unwrap();
        file.write_all_at(&[!expected[700 * 512]], 700 * 512).unwrap();
        file.sync_all().unwrap();
        let wrong = all(&|at| Task::ReadBack(at, Arc::clone(&pattern)));
        assert_eq!(wrong.sentence(3), "sector 700");
    }

    #[test]
    fn the_queue_lays_exactly_the_bytes_and_finds_the_one_that_changed() {
        lays_and_proves(9 << 20, Carrying::AsCan);
        lays_and_proves((3 << 20) + 512 * 21, Carrying::AsCan);
    }

    #[test]
    fn threads_do_the_same_where_the_kernel_has_no_queue() {
        lays_and_proves((3 << 20) + 512 * 21, Carrying::Threads);
    }

    #[test]
    fn a_drive_is_free_again_as_soon_as_its_queue_is_gone() {
        let (_dir, medium) = image(8 << 20);
        let drive = System::default().find(&_dir.path().join("drive.img")).unwrap().drive;
        let setting = settings(&medium)[0];
        let mut ring = Ring::new(medium, vec![setting]).unwrap_or_else(|(_, e)| panic!("{e}"));
        ring.set(setting);
        // Dropped with requests in flight: it waits for them.
        for n in 0..4 {
            ring.start(n, Task::Write(Sectors::new(n * 2048, 2048), Arc::new(Pattern::random([1; 16]))));
        }
        drop(ring);
        assert!(open(&System::default(), &drive).is_ok());
    }

    #[test]
    fn an_image_that_shrinks_under_the_queue_is_gone() {
        let (dir, medium) = image(8 << 20);
        let setting = settings(&medium)[0];
        let mut backend = backend(medium, Carrying::AsCan);
        backend.set(setting);
        let file = std::fs::OpenOptions::new().write(true).open(dir.path().join("drive.img")).unwrap();
        file.set_len(1 << 20).unwrap();
        backend.start(1, Task::ReadBack(Sectors::new(8192, 2048), Arc::new(Pattern::zeros())));
        let Completed::Failed(error) = backend.wait(Duration::from_secs(60)).expect("it ends").how else {
            panic!("there is nothing to read")
        };
        assert!(matches!(error.cause, jurex_device::medium::Cause::Gone(_)), "{error}: {:?}", error.cause);
    }

    #[test]
    fn a_request_larger_than_its_buffer_is_done_by_hand_and_right() {
        let (dir, medium) = image(4 << 20);
        let small = RequestSetting { chunk: 64 << 10, depth: 4 };
        let mut ring = Ring::new(medium, vec![small]).unwrap_or_else(|(_, e)| panic!("{e}"));
        ring.set(small);
        let pattern = Arc::new(Pattern::random([9; 16]));
        for (n, task) in
            [Task::Write(Sectors::new(8, 4096), pattern.clone()), Task::ReadBack(Sectors::new(8, 4096), pattern.clone())]
                .into_iter()
                .enumerate()
        {
            ring.start(n as u64, task);
            match ring.wait(Duration::from_secs(60)).expect("it ends").how {
                Completed::Done => {}
                Completed::Read { wrong } => assert!(wrong.is_empty(), "{wrong:?}"),
                other => panic!("{other:?}"),
            }
        }
        let mut expected = vec![0; 2 << 20];
        pattern.fill(8 * 512, 512, &mut expected);
        assert!(std::fs::read(dir.path().join("drive.img")).unwrap()[8 * 512..][..2 << 20] == expected);
    }

    #[test]
    fn a_helper_that_panics_gives_a_result_and_lives_on() {
        let (_dir, medium) = image(1 << 20);
        let setting = settings(&medium)[0];
        let mut ring = Ring::new(medium, vec![setting]).unwrap_or_else(|(_, e)| panic!("{e}"));
        ring.set(setting);
        // A pattern whose seed is gone can't be filled.
        let spent = Arc::new(Pattern::random([1; 16]).without_seed());
        let at = Sectors::new(0, 8);
        for n in 0..5 {
            ring.start(n, Task::Write(at, spent.clone()));
            let done = ring.wait(Duration::from_secs(60)).expect("each chore gives a result");
            assert!(matches!(done.how, Completed::Failed(_)));
        }
        ring.start(9, Task::Write(at, Arc::new(Pattern::random([1; 16]))));
        assert!(matches!(ring.wait(Duration::from_secs(60)).unwrap().how, Completed::Done));
    }

    #[test]
    fn the_kernels_queue_is_there_where_tests_need_it() {
        let (_dir, medium) = image(1 << 20);
        let setting = settings(&medium)[0];
        let refused = Ring::new(medium, vec![setting]).err();
        let why = refused.map(|(_, e)| e.to_string());
        let asked_for = std::env::var_os("JUREX_IO").is_some_and(|v| v == "threads");
        assert!(why.is_none() || asked_for, "these tests fell back to threads unasked: {why:?}");
    }
}
