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
            Page::Bytes(bytes) => {
                let begins = |at: &usize| bytes[*at..].starts_with(needle);
                bytes.iter().enumerate().filter(|(_, b)| **b == needle[0]).map(|(at, _)| at).any(|at| begins(&at))
            }
        }
    }
}

fn is_uniform(data: &[u8]) -> bool {
    let tile = [data[0]; 4096];
    data.chunks(tile.len()).all(|c| c == &tile[..c.len()])
}

/// A cell: what it holds, and the key that was in use when it was written.
#[derive(Clone, Debug)]
struct FlashCell {
    page: Page,
    key: u32,
}

/// Bytes that stand for what was written under one key and is read under another: no pattern, and always the same.
fn noise(cell: usize, keys: (u32, u32), at: usize, out: &mut [u8]) {
    let start = (cell as u64) << 40 | u64::from(keys.0) << 20 | u64::from(keys.1);
    for (i, byte) in out.iter_mut().enumerate() {
        let mut z = start.wrapping_mul(0x9e37_79b9_7f4a_7c15).wrapping_add(((at + i) as u64).wrapping_mul(0xbf58_476d_1ce4_e5b9));
        z = (z ^ (z >> 30)).wrapping_mul(0x94d0_49bb_1331_11eb);
        *byte = (z ^ (z >> 31)) as u8;
    }
}

/// All cells of a drive. Magnetic drives write in place; flash drives write a fresh page each time and keep the old
/// one, unreachable for the host, until its turn comes to be written again.
#[derive(Clone, Debug)]
pub(crate) struct Store {
    len: u64,
    cells: Vec<FlashCell>,
    /// Cell of each logical page.
    map: Vec<u32>,
    /// Cells that no address reaches, the next one to be used first. Empty on magnetic drives.
    spare: VecDeque<u32>,
    /// The key in use; what was written under another can't be made out any more.
    key: u32,
}

impl Store {
    /// `len` bytes of zeros, with `spare` more pages that no address reaches.
    pub(crate) fn new(len: u64, spare: u32) -> Self {
        let pages = len.div_ceil(PAGE as u64) as u32;
        let cells = vec![FlashCell { page: Page::Uniform(0), key: 0 }; (pages + spare) as usize];
        Self { len, cells, map: (0..pages).collect(), spare: (pages..pages + spare).collect(), key: 0 }
    }

    pub(crate) fn read(&self, at: u64, out: &mut [u8]) {
        for (page, from, part) in pages(at, out.len()) {
            let at = self.map[page] as usize;
            let cell = &self.cells[at];
            if cell.key == self.key {
                cell.page.read(from, &mut out[part]);
            } else {
                noise(at, (cell.key, self.key), from, &mut out[part]);
            }
        }
    }

    pub(crate) fn write(&mut self, at: u64, data: &[u8]) {
        for (page, from, part) in pages(at, data.len()) {
            let cell = self.cell_to_write(page);
            if self.cells[cell].key != self.key {
                // What else is in the cell is read under the new key, and written under it.
                let mut bytes = vec![0; PAGE];
                noise(cell, (self.cells[cell].key, self.key), 0, &mut bytes);
                self.cells[cell] = FlashCell { page: Page::Bytes(bytes.into_boxed_slice()), key: self.key };
            }
            self.cells[cell].page.write(from, &data[part]);
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
        self.cells.iter().any(|c| c.key == self.key && c.page.contains(needle))
    }

    /// The same of the cells that addresses reach.
    pub(crate) fn holds_at_an_address(&self, needle: &[u8]) -> bool {
        let cell = |at: &u32| &self.cells[*at as usize];
        self.map.iter().map(cell).any(|c| c.key == self.key && c.page.contains(needle))
    }

    /// Bytes of text that people wrote and could still read: in cells that addresses reach, and in all others. Patterns and
    /// noise hold none. Told in whole blocks of 512 bytes.
    pub(crate) fn legible(&self) -> (u64, u64) {
        let mapped: std::collections::BTreeSet<u32> = self.map.iter().copied().collect();
        let mut found = (0, 0);
        for (at, cell) in self.cells.iter().enumerate().filter(|(_, c)| c.key == self.key) {
            let Page::Bytes(bytes) = &cell.page else { continue };
            let blocks = bytes.chunks(512).filter(|block| is_legible(block)).count() as u64 * 512;
            if mapped.contains(&(at as u32)) { found.0 += blocks } else { found.1 += blocks }
        }
        found
    }

    /// Every byte from that one on is zero.
    pub(crate) fn blank_from(&mut self, from: u64) {
        let zeros = [0; PAGE];
        let mut at = from;
        while at < self.len {
            let n = (PAGE as u64 - at % PAGE as u64).min(self.len - at);
            self.write(at, &zeros[..n as usize]);
            at += n;
        }
    }

    /// Drops what the spare cells hold: the state of a drive fresh from its maker with its first contents.
    pub(crate) fn forget_spares(&mut self) {
        self.spare.iter().for_each(|c| self.cells[*c as usize].page = Page::Uniform(0));
    }

    /// Replaces a cell by a fresh one with its content, as a drive does with one that it does not trust: the old one keeps what
    /// it holds, and no address, and no writing, reaches it any more.
    pub(crate) fn retire(&mut self, at: u64) {
        let page = (at / PAGE as u64) as usize;
        let copy = self.cells[self.map[page] as usize].clone();
        self.map[page] = self.cells.len() as u32;
        self.cells.push(copy);
    }

    /// Every cell, addressable or not, holds `byte` from now on.
    pub(crate) fn erase_all(&mut self, byte: u8) {
        let key = self.key;
        self.cells.iter_mut().for_each(|c| *c = FlashCell { page: Page::Uniform(byte), key });
    }

    /// The cells that addresses reach now hold `byte`; all others keep what they hold.
    pub(crate) fn erase_mapped(&mut self, byte: u8) {
        for at in &self.map {
            self.cells[*at as usize] = FlashCell { page: Page::Uniform(byte), key: self.key };
        }
    }

    /// Half of all cells hold `byte`, beginning with those of the lowest addresses.
    pub(crate) fn erase_half(&mut self, byte: u8) {
        let half = self.map.len().div_ceil(2);
        for at in &self.map[..half] {
            self.cells[*at as usize] = FlashCell { page: Page::Uniform(byte), key: self.key };
        }
    }

    /// Every address reads as `byte` from now on, and the cells that it had keep what they hold among the spare ones.
    pub(crate) fn unmap_all(&mut self, byte: u8) {
        let key = self.key;
        for page in 0..self.map.len() {
            self.spare.push_back(self.map[page]);
            self.map[page] = self.cells.len() as u32;
            self.cells.push(FlashCell { page: Page::Uniform(byte), key });
        }
    }

    /// Half of the addresses read as `byte` from now on; the cells that they had keep what they hold.
    pub(crate) fn unmap_half(&mut self, byte: u8) {
        let whole = std::mem::take(&mut self.map);
        self.map = whole[..whole.len().div_ceil(2)].to_vec();
        self.unmap_all(byte);
        self.map.extend(&whole[whole.len().div_ceil(2)..]);
    }

    /// Every cell that no address reaches holds `byte`.
    pub(crate) fn erase_unmapped(&mut self, byte: u8) {
        let mapped: std::collections::BTreeSet<u32> = self.map.iter().copied().collect();
        for (at, cell) in self.cells.iter_mut().enumerate().filter(|(at, _)| !mapped.contains(&(*at as u32))) {
            let _ = at;
            *cell = FlashCell { page: Page::Uniform(byte), key: self.key };
        }
    }

    /// Another key is in use from now on; the old one is gone.
    pub(crate) fn new_key(&mut self) {
        self.key += 1;
    }

    /// The same, but for the first `pages` addresses: they are of ranges that have keys of their own.
    pub(crate) fn new_key_but(&mut self, pages: usize) {
        let old = self.key;
        self.new_key();
        for at in self.map.iter().take(pages) {
            let cell = &mut self.cells[*at as usize];
            if cell.key == old {
                cell.key = self.key;
            }
        }
    }

    /// What that address held can't be read any more.
    pub(crate) fn new_key_of(&mut self, page: usize) {
        if let Some(at) = self.map.get(page) {
            self.cells[*at as usize].key = u32::MAX;
        }
    }
}

/// Whether a block reads as text of people: mostly letters, figures and blanks, and not one byte over and over.
fn is_legible(block: &[u8]) -> bool {
    let readable =
        block.iter().filter(|b| b.is_ascii_alphanumeric() || matches!(b, b' ' | b'\n' | b',' | b'.' | b';' | b':')).count();
    let words = block.windows(2).filter(|w| w[0].is_ascii_lowercase() && w[1] == b' ').count();
    readable * 100 > block.len() * 85 && words >= 8
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
pub(crate) struct StoreWindow<'s> {
    store: &'s mut Store,
    start: u64,
    len: u64,
    position: u64,
}

impl<'s> StoreWindow<'s> {
    pub(crate) fn new(store: &'s mut Store, start: u64, len: u64) -> Self {
        assert!(start + len <= store.len, "a window lies inside its store");
        Self { store, start, len, position: 0 }
    }

    fn room(&self, wanted: usize) -> usize {
        (self.len.saturating_sub(self.position)).min(wanted as u64) as usize
    }
}

impl Read for StoreWindow<'_> {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        let n = self.room(out.len());
        self.store.read(self.start + self.position, &mut out[..n]);
        self.position += n as u64;
        Ok(n)
    }
}

impl Write for StoreWindow<'_> {
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

impl Seek for StoreWindow<'_> {
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
            store.cells.resize(64 + spare as usize, FlashCell { page: Page::Uniform(0), key: 0 });
            store.write(63 * PAGE as u64, secret);
            (0..64).for_each(|p| store.write(p * PAGE as u64, &[0; PAGE]));
            assert_eq!(store.holds_anywhere(secret), stays);
            (0..64).for_each(|p| store.write(p * PAGE as u64, &[0xff; PAGE]));
            assert!(!store.holds_anywhere(secret), "the second pass has been round all spare cells");
        }
    }
}
