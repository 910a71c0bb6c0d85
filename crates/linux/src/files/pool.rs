//! The same work on many things at once, by a few threads, while the caller hears how far it has come.

use crossbeam_channel::{RecvTimeoutError, bounded};
use jurex_pattern::pattern::PatternBuffer;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicU64, AtomicUsize, Ordering};
use std::time::Duration;

/// Bytes that are laid or read at once.
pub(crate) const CHUNK: usize = 1 << 20;

/// How often the caller hears of it.
const TICK: Duration = Duration::from_millis(100);

/// What threads work with: a buffer to lay from or compare with, and one to read into.
pub(crate) struct PoolBuffers {
    pub(crate) pattern: PatternBuffer,
    pub(crate) read: PatternBuffer,
}

/// The threads' buffers, and what is said between them and the caller.
pub(crate) struct Pool {
    buffers: Vec<Mutex<PoolBuffers>>,
    /// Bytes that were worked on.
    pub(crate) done: AtomicU64,
    /// Whether it is to end.
    pub(crate) stops: AtomicBool,
}

impl Pool {
    /// Of as many threads as suit this machine: more than processors, since each waits for the drive.
    pub(crate) fn new() -> Self {
        let processors = std::thread::available_parallelism().map_or(2, usize::from);
        let buffers = || Mutex::new(PoolBuffers { pattern: PatternBuffer::new(CHUNK), read: PatternBuffer::new(CHUNK) });
        let buffers = (0..(processors * 2).clamp(4, 16)).map(|_| buffers()).collect();
        Self { buffers, done: AtomicU64::new(0), stops: AtomicBool::new(false) }
    }

    pub(crate) fn is_stopped(&self) -> bool {
        self.stops.load(Ordering::Relaxed)
    }

    pub(crate) fn count(&self, bytes: u64) {
        self.done.fetch_add(bytes, Ordering::Relaxed);
    }

    /// Does `work` on each of the items; `tick` is called now and then, and says whether to go on. What was not come to is `None`. Results are in
    /// the order of the items.
    pub(crate) fn each<T: Sync, R: Send>(
        &self,
        items: &[T],
        work: impl Fn(&T, &mut PoolBuffers) -> R + Sync,
        tick: &mut dyn FnMut(u64) -> bool,
    ) -> Vec<Option<R>> {
        let mut results: Vec<Option<R>> = items.iter().map(|_| None).collect();
        if items.is_empty() {
            return results;
        }
        let next = AtomicUsize::new(0);
        let (sender, ended) = bounded::<Vec<(usize, R)>>(self.buffers.len());
        std::thread::scope(|scope| {
            for buffers in self.buffers.iter().take(items.len()) {
                let (sender, next, work) = (sender.clone(), &next, &work);
                scope.spawn(move || {
                    let mut buffers = buffers.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
                    let mut mine = vec![];
                    while !self.is_stopped() {
                        let at = next.fetch_add(1, Ordering::Relaxed);
                        let Some(item) = items.get(at) else { break };
                        mine.push((at, work(item, &mut buffers)));
                    }
                    let _ = sender.send(mine);
                });
            }
            drop(sender);
            loop {
                match ended.recv_timeout(TICK) {
                    Ok(mine) => mine.into_iter().for_each(|(at, result)| results[at] = Some(result)),
                    Err(RecvTimeoutError::Timeout) => {
                        if !tick(self.done.load(Ordering::Relaxed)) {
                            self.stops.store(true, Ordering::Relaxed);
                        }
                    }
                    Err(RecvTimeoutError::Disconnected) => break,
                }
            }
        });
        results
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_item_is_done_once_and_a_stop_leaves_the_rest_undone() {
        let pool = Pool::new();
        let items: Vec<u64> = (0..1000).collect();
        let squares = pool.each(&items, |n, _| n * n, &mut |_| true);
        assert!(squares.iter().enumerate().all(|(n, s)| *s == Some((n * n) as u64)));
        let slow = |_: &u64, _: &mut PoolBuffers| std::thread::sleep(Duration::from_millis(5));
        let done = pool.each(&items, slow, &mut |_| false);
        assert!(done.iter().any(Option::is_none) && done[0].is_some());
    }
}
