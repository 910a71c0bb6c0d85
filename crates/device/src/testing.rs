//! Stand-ins for tests of this crate and of those around it: drives, randomness and media that do as they are told.

use crate::guard::{self, Cleared};
use crate::media::{Bus, Drive, Geometry, MediaClass, Scope, Unit};
use crate::medium::{Access, Cause, Medium, MediumError, Op};
use jurex_pattern::notation::Entropy;
use jurex_pattern::units::{Lba, Sectors};
use std::io;

/// A drive of that class with a serial that ends in K7Q41M.
pub fn test_drive(class: MediaClass, sectors: u64) -> Drive {
    Drive {
        unit: Unit { serial: Some("FM20K7Q41M".into()), model: Some("Meridian".into()), ..Unit::default() },
        simulated: true,
        ..Drive::bare("test", Bus::Sata, class, "the test says so", Geometry { logical: 512, physical: 512, sectors })
    }
}

/// The guard's word on a drive that nothing stands in the way of, alone on its bench.
///
/// # Panics
/// If the drive itself is none that may be erased.
pub fn cleared(drive: &Drive) -> Cleared {
    cleared_for(drive, Scope::WholeUnit)
}

/// The same, for what is intended.
///
/// # Panics
/// If the drive itself is none that may be erased.
pub fn cleared_for(drive: &Drive, intent: impl Into<guard::Intent>) -> Cleared {
    guard::check(intent, &[(drive.clone(), vec![])]).expect("nothing uses a test's drive")
}

/// The same byte for ever.
#[derive(Clone, Copy, Debug)]
pub struct Fixed(pub u8);

impl Entropy for Fixed {
    fn fill(&mut self, out: &mut [u8]) {
        out.fill(self.0);
    }
}

/// Numbers from a seed (splitmix64).
#[derive(Clone, Debug)]
pub struct Dice(pub u64);

impl Dice {
    /// The next number.
    pub fn roll(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    /// One below `limit`; 0 where there is none.
    pub fn below(&mut self, limit: u64) -> u64 {
        self.roll() % limit.max(1)
    }

    /// True once in `n` times.
    pub fn one_in(&mut self, n: u64) -> bool {
        self.below(n) == 0
    }

    /// One of those. Never asked of none.
    pub fn pick<T: Clone>(&mut self, from: &[T]) -> T {
        from[self.below(from.len() as u64) as usize].clone()
    }
}

impl Entropy for Dice {
    fn fill(&mut self, out: &mut [u8]) {
        out.iter_mut().for_each(|b| *b = self.roll() as u8);
    }
}

/// Everything that was asked, told and kept while one seed was played, as one number: two builds that do the same of a seed
/// come to the same number.
#[derive(Clone, Debug, Default)]
pub struct Trail(std::hash::DefaultHasher);

impl Trail {
    /// One more thing that happened.
    pub fn note(&mut self, what: impl std::fmt::Debug) {
        use std::hash::Hash;
        format!("{what:?}").hash(&mut self.0);
    }

    /// The number so far.
    pub fn number(&self) -> u64 {
        use std::hash::Hasher;
        self.0.finish()
    }

    /// Writes the numbers of all seeds to `$JUREX_TRAILS/NAME`, a line each, where that folder is named: for comparing the
    /// engine before and after it was rebuilt.
    ///
    /// # Panics
    /// If the file can't be written.
    pub fn keep(name: &str, seeds: &[(u64, u64)]) {
        if let Some(folder) = std::env::var_os("JUREX_TRAILS") {
            let lines: String = seeds.iter().map(|(seed, number)| format!("{seed} {number:016x}\n")).collect();
            std::fs::write(std::path::Path::new(&folder).join(name), lines).expect("the trails can be kept");
        }
    }
}

/// A medium in memory: counts what is written where, and fails where it is told to.
#[derive(Debug)]
pub struct Memory {
    /// What it says that it is.
    pub drive: Drive,
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// How often each sector was written.
    pub writes: Vec<u32>,
    /// Sectors that take nothing.
    pub unwritable: Vec<u64>,
    /// Sectors that give nothing.
    pub unreadable: Vec<u64>,
    /// Sectors whose writes are acknowledged and dropped.
    pub drops_writes_to: Vec<u64>,
    /// Operations after which it is gone.
    pub gone_after: Option<u64>,
    /// Operations after which it is there, and answers nothing any more.
    pub dead_after: Option<u64>,
    /// Numbers of the flushes that fail, counted from 1.
    pub failing_flushes: Vec<u32>,
    /// Flushes so far.
    pub flushes: u32,
    /// Whether it takes only buffers that a controller could reach: on a boundary of 512 bytes.
    pub aligned_only: bool,
}

impl Memory {
    /// A healthy one, full of `ee`.
    pub fn new(class: MediaClass, sectors: u64) -> Self {
        Self {
            drive: test_drive(class, sectors),
            bytes: vec![0xee; sectors as usize * 512],
            writes: vec![0; sectors as usize],
            unwritable: vec![],
            unreadable: vec![],
            drops_writes_to: vec![],
            gone_after: None,
            dead_after: None,
            failing_flushes: vec![],
            flushes: 0,
            aligned_only: false,
        }
    }

    fn error(op: Op, at: Sectors, cause: fn(io::Error) -> Cause) -> MediumError {
        MediumError { op, at: Some(at), cause: cause(io::Error::other("scripted")) }
    }

    fn answer(&mut self, op: Op, at: Lba, len: usize) -> Result<(), MediumError> {
        let asked = Sectors::new(at.0, len as u64 / 512);
        if let Some(left) = &mut self.gone_after {
            *left = left.checked_sub(1).ok_or_else(|| Self::error(op, asked, Cause::Gone))?;
        }
        if let Some(left) = &mut self.dead_after {
            *left = left.checked_sub(1).ok_or_else(|| Self::error(op, asked, Cause::BadSector))?;
        }
        let bad = if op == Op::Read { &self.unreadable } else { &self.unwritable };
        if bad.iter().any(|b| asked.contains(Lba(*b))) { Err(Self::error(op, asked, Cause::BadSector)) } else { Ok(()) }
    }
}

impl Medium for Memory {
    fn geometry(&self) -> Geometry {
        self.drive.geometry
    }

    fn access(&self) -> Access {
        Access::DIRECT
    }

    fn identify(&mut self) -> Result<Drive, MediumError> {
        Ok(self.drive.clone())
    }

    fn read(&mut self, at: Lba, out: &mut [u8]) -> Result<(), MediumError> {
        self.answer(Op::Read, at, out.len())?;
        if self.aligned_only && !(out.as_ptr() as usize).is_multiple_of(512) {
            return Err(Self::error(Op::Read, Sectors::new(at.0, out.len() as u64 / 512), Cause::Refused));
        }
        let from = at.0 as usize * 512;
        out.copy_from_slice(&self.bytes[from..from + out.len()]);
        Ok(())
    }

    fn write(&mut self, at: Lba, data: &[u8]) -> Result<(), MediumError> {
        self.answer(Op::Write, at, data.len())?;
        for (i, sector) in data.chunks(512).enumerate() {
            let lba = at.0 as usize + i;
            self.writes[lba] += 1;
            if !self.drops_writes_to.contains(&(lba as u64)) {
                self.bytes[lba * 512..][..512].copy_from_slice(sector);
            }
        }
        Ok(())
    }

    fn flush(&mut self) -> Result<(), MediumError> {
        self.flushes += 1;
        if self.failing_flushes.contains(&self.flushes) {
            return Err(MediumError { op: Op::Flush, at: None, cause: Cause::BadSector(io::Error::other("scripted")) });
        }
        Ok(())
    }
}
