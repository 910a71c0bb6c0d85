//! Drives that say more than they hold.

use crate::store::Store;
use jurex_pattern::units::Lba;
use std::collections::VecDeque;

/// What a drive does with addresses beyond what it holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Beyond {
    /// They are its first ones over again.
    BeginsAgain,
    /// What is written there is acknowledged and dropped; zeros are read.
    Drops,
    /// They all come to lie on its last sectors: so many.
    Repeats(u64),
}

/// A drive that holds fewer sectors than it says.
#[derive(Clone, Debug)]
pub struct Counterfeit {
    /// Sectors that it holds.
    pub holds: u64,
    /// What it does with the others.
    pub beyond: Beyond,
    /// Sectors that it keeps in a buffer, and answers from it: those that were written or read last.
    pub remembers: usize,
}

/// The same at work.
pub(crate) struct False {
    nature: Counterfeit,
    buffer: VecDeque<(u64, Box<[u8]>)>,
}

impl False {
    pub(crate) fn new(nature: Counterfeit) -> Self {
        Self { nature, buffer: VecDeque::new() }
    }

    fn real(&self, lba: u64) -> Option<u64> {
        let holds = self.nature.holds;
        match self.nature.beyond {
            _ if lba < holds => Some(lba),
            Beyond::BeginsAgain => Some(lba % holds),
            Beyond::Drops => None,
            Beyond::Repeats(ring) => Some(holds - ring + lba % ring),
        }
    }

    pub(crate) fn write(&mut self, store: &mut Store, at: Lba, sector: usize, data: &[u8]) {
        for (lba, bytes) in (at.0..).zip(data.chunks(sector)) {
            if let Some(real) = self.real(lba) {
                store.write(real * sector as u64, bytes);
            }
            self.remember(lba, bytes);
        }
    }

    fn remember(&mut self, lba: u64, bytes: &[u8]) {
        if self.nature.remembers == 0 {
            return;
        }
        self.buffer.push_back((lba, bytes.into()));
        while self.buffer.len() > self.nature.remembers {
            self.buffer.pop_front();
        }
    }

    pub(crate) fn read(&mut self, store: &Store, at: Lba, sector: usize, out: &mut [u8]) {
        for (lba, bytes) in (at.0..).zip(out.chunks_mut(sector)) {
            match (self.buffer.iter().rev().find(|(l, _)| *l == lba), self.real(lba)) {
                (Some((_, kept)), _) => bytes.copy_from_slice(kept),
                (None, Some(real)) => store.read(real * sector as u64, bytes),
                (None, None) => bytes.fill(0),
            }
            self.remember(lba, bytes);
        }
    }
}
