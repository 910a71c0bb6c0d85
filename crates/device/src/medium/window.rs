//! `Read`, `Write` and `Seek` over a part of a medium, for writers of tables and file systems.

use super::Medium;
use jurex_pattern::pattern::AlignedBuffer;
use jurex_pattern::units::{Lba, Sectors};
use std::io::{self, Read, Seek, SeekFrom, Write};

/// A part of a medium as a file. What is written is held back one sector at most: [`Window::finish`] writes that too.
pub struct MediumWindow<'m> {
    medium: &'m mut dyn Medium,
    at: Sectors,
    position: u64,
    sector: AlignedBuffer,
    held: Option<u64>,
    changed: bool,
    /// Sectors that were written.
    written: u64,
}

impl std::fmt::Debug for MediumWindow<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Window").field("at", &self.at).finish_non_exhaustive()
    }
}

impl<'m> MediumWindow<'m> {
    /// These sectors of `medium`.
    pub fn new(medium: &'m mut dyn Medium, at: Sectors) -> Self {
        let sector = AlignedBuffer::new(medium.geometry().logical as usize);
        Self { medium, at, position: 0, sector, held: None, changed: false, written: 0 }
    }

    fn size(&self) -> u64 {
        self.medium.geometry().bytes_of(self.at.count)
    }

    /// Writes what is held back, and flushes.
    ///
    /// # Errors
    /// The drive does not take it.
    pub fn finish(mut self) -> io::Result<u64> {
        self.flush()?;
        Ok(self.written)
    }

    fn let_go(&mut self) -> io::Result<()> {
        if let (Some(held), true) = (self.held, self.changed) {
            self.medium.write(Lba(self.at.first.0 + held), self.sector.bytes()).map_err(io::Error::other)?;
            self.written += 1;
        }
        self.changed = false;
        Ok(())
    }

    fn hold(&mut self, sector: u64) -> io::Result<()> {
        if self.held != Some(sector) {
            self.let_go()?;
            self.held = None;
            self.medium.read(Lba(self.at.first.0 + sector), self.sector.bytes()).map_err(io::Error::other)?;
            self.held = Some(sector);
        }
        Ok(())
    }

    /// Where in which sector the position is, and how many of `len` bytes lie in it; `None`: at the end.
    fn part(&self, len: usize) -> Option<(u64, usize, usize)> {
        let left = self.size().checked_sub(self.position).filter(|left| *left > 0)?;
        let sector_bytes = u64::from(self.medium.geometry().logical);
        let offset = (self.position % sector_bytes) as usize;
        let room = (sector_bytes as usize - offset).min(left.try_into().unwrap_or(usize::MAX));
        Some((self.position / sector_bytes, offset, room.min(len)))
    }
}

impl Read for MediumWindow<'_> {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        let Some((sector, offset, n)) = self.part(out.len()).filter(|_| !out.is_empty()) else { return Ok(0) };
        self.hold(sector)?;
        out[..n].copy_from_slice(&self.sector.bytes()[offset..offset + n]);
        self.position += n as u64;
        Ok(n)
    }
}

impl Write for MediumWindow<'_> {
    fn write(&mut self, data: &[u8]) -> io::Result<usize> {
        let Some((sector, offset, n)) = self.part(data.len()).filter(|_| !data.is_empty()) else { return Ok(0) };
        self.hold(sector)?;
        self.sector.bytes()[offset..offset + n].copy_from_slice(&data[..n]);
        self.changed = true;
        self.position += n as u64;
        Ok(n)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.let_go()?;
        self.medium.flush().map_err(io::Error::other)
    }
}

impl Seek for MediumWindow<'_> {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let target = match to {
            SeekFrom::Start(at) => Some(at),
            SeekFrom::Current(by) => self.position.checked_add_signed(by),
            SeekFrom::End(by) => self.size().checked_add_signed(by),
        };
        self.position = target.ok_or_else(|| io::Error::new(io::ErrorKind::InvalidInput, "seek before the start"))?;
        Ok(self.position)
    }
}
