//! The cells of a simulated drive: pages of true bytes, and for flash the translation that keeps old ones.

use std::collections::VecDeque;
use std::io::{self, Read, Seek, SeekFrom, Write};

/// Bytes of one page.
pub(crate) const PAGE: usize = 64 * 1024;

/// One page. Pages of one repeated byte cost nothing to keep.
#[derive(Clone, Debug)]
enum Page {
    Uniform(u8),
    Bytes(Box<[u8]>),
}

impl Page {
    fn read(&self, at: usize, out: &mut [u8]) {
        match self {
            Page::Uniform(byte) => out.fill(*byte),
            Page::Bytes(bytes) => out.copy_from_slice(&bytes[at..at + out.len()]),
        }
    }

    fn write(&mut self, at: usize, data: &[u8]) {
        if data.len() == PAGE && is_uniform(data) {
            *self = Page::Uniform(data[0]);
            return;
        }
        if let Page::Uniform(byte) = *self {
            *self = Page::Bytes(vec![byte; PAGE].into_boxed_slice());
        }
        if let Page::Bytes(bytes) = self {
            bytes[at..at + data.len()].copy_from_slice(data);
        }
    }

    fn contains(&self, needle: &[u8]) -> bool {
        match self {
            Page::Uniform(byte) => needle.len() <= PAGE && needle.iter().all(|b| b == byte),
            Page::Bytes(bytes) => bytes.windows(needle.len()).any(|w| w == needle),
        }
    }
}

fn is_uniform(data: &[u8]) -> bool {
    let tile = [data[0]; 4096];
    data.chunks(tile.len()).all(|c| c == &tile[..c.len()])
}

/// All cells of a drive. Magnetic drives write in place; flash drives write a fresh page each time and keep the old
/// one, unreachable for the host, until its turn comes to be written again.
#[derive(Clone, Debug)]
pub(crate) struct Store {
    len: u64,
    cells: Vec<Page>,
    /// Cell of each logical page.
    map: Vec<u32>,
    /// Cells that no address reaches, the next one to be used first. Empty on magnetic drives.
    spare: VecDeque<u32>,
}

impl Store {
    /// `len` bytes of zeros, with `spare` more pages that no address reaches.
    pub(crate) fn new(len: u64, spare: u32) -> Self {
        let pages = len.div_ceil(PAGE as u64) as u32;
        let cells = vec![Page::Uniform(0); (pages + spare) as usize];
        Self { len, cells, map: (0..pages).collect(), spare: (pages..pages + spare).collect() }
    }

    pub(crate) fn read(&self, at: u64, out: &mut [u8]) {
        for (page, from, part) in pages(at, out.len()) {
            self.cells[self.map[page] as usize].read(from, &mut out[part]);
        }
    }

    pub(crate) fn write(&mut self, at: u64, data: &[u8]) {
        for (page, from, part) in pages(at, data.len()) {
            let cell = self.cell_to_write(page);
            self.cells[cell].write(from, &data[part]);
        }
    }

    /// The cell that takes the next write to a logical page: the same one, or on flash a spare one with its content.
    fn cell_to_write(&mut self, page: usize) -> usize {
        let old = self.map[page];
        let Some(fresh) = self.spare.pop_front() else { return old as usize };
        self.cells[fresh as usize] = self.cells[old as usize].clone();
        self.map[page] = fresh;
        self.spare.push_back(old);
        fresh as usize
    }

    /// Whether any cell, reachable or not, holds `needle`. Only tests and later laboratory views may ask this.
    pub(crate) fn holds_anywhere(&self, needle: &[u8]) -> bool {
        self.cells.iter().any(|c| c.contains(needle))
    }

    /// Drops what the spare cells hold: the state of a drive fresh from its maker with its first contents.
    pub(crate) fn forget_spares(&mut self) {
        self.spare.iter().for_each(|c| self.cells[*c as usize] = Page::Uniform(0));
    }
}

/// The pages that `len` bytes from `at` lie on: page, offset in it, and the part of the caller's buffer.
fn pages(at: u64, len: usize) -> impl Iterator<Item = (usize, usize, std::ops::Range<usize>)> {
    let mut done = 0;
    std::iter::from_fn(move || {
        let here = at + done as u64;
        let from = (here % PAGE as u64) as usize;
        let n = (PAGE - from).min(len - done);
        let part = done..done + n;
        done += n;
        (n > 0).then_some(((here / PAGE as u64) as usize, from, part))
    })
}

/// A part of a store as a file, for writing tables and file systems.
pub(crate) struct Window<'s> {
    store: &'s mut Store,
    start: u64,
    len: u64,
    position: u64,
}

impl<'s> Window<'s> {
    pub(crate) fn new(store: &'s mut Store, start: u64, len: u64) -> Self {
        assert!(start + len <= store.len, "a window lies inside its store");
        Self { store, start, len, position: 0 }
    }

    fn room(&self, wanted: usize) -> usize {
        (self.len.saturating_sub(self.position)).min(wanted as u64) as usize
    }
}

impl Read for Window<'_> {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        let n = self.room(out.len());
        self.store.read(self.start + self.position, &mut out[..n]);
        self.position += n as u64;
        Ok(n)
    }
}

impl Write for Window<'_> {
    fn write(&mut self, data: &[u8]) -> io::Result<usize> {
        let n = self.room(data.len());
        self.store.write(self.start + self.position, &data[..n]);
        self.position += n as u64;
        Ok(n)
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Seek for Window<'_> {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let target = match to {
            SeekFrom::Start(at) => Some(at),
            SeekFrom::Current(by) => self.position.checked_add_signed(by),
            SeekFrom::End(by) => self.len.checked_add_signed(by),
        };
        self.position = target.ok_or(io::ErrorKind::InvalidInput)?;
        Ok(self.position)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn holds_what_was_written_in_place_or_with_spare_cells(
            spare in 0u32..4,
            writes in prop::collection::vec((0u64..200_000, 1usize..90_000, any::<u8>()), 1..12),
        ) {
            let mut store = Store::new(300_000, spare);
            let mut plain = vec![0u8; 300_000];
            for (at, len, byte) in writes {
                store.write(at, &vec![byte; len]);
                plain[at as usize..at as usize + len].fill(byte);
            }
            let mut read = vec![1; plain.len()];
            store.read(0, &mut read);
            prop_assert!(read == plain);
        }
    }

    #[test]
    fn one_overwrite_leaves_the_old_bytes_in_spare_cells_and_only_there() {
        let secret = b"tide log of Skerry Point";
        for (spare, stays) in [(0, false), (8, true)] {
            let mut store = Store::new(64 * PAGE as u64, 0);
            store.spare = (0..spare).map(|i| i + 64).collect();
            store.cells.resize(64 + spare as usize, Page::Uniform(0));
            store.write(63 * PAGE as u64, secret);
            (0..64).for_each(|p| store.write(p * PAGE as u64, &[0; PAGE]));
            assert_eq!(store.holds_anywhere(secret), stays);
            (0..64).for_each(|p| store.write(p * PAGE as u64, &[0xff; PAGE]));
            assert!(!store.holds_anywhere(secret), "the second pass has been round all spare cells");
        }
    }
}
