//! Laying a start medium onto a stick: the image as it is up to its data partition, and that partition as large as the stick.

use gptman::GPT;
use jurex_device::media::Geometry;
use jurex_device::medium::{Medium, MediumWindow};
use jurex_pattern::notation::Entropy;
use jurex_pattern::pattern::AlignedBuffer;
use jurex_pattern::text::hex;
use jurex_pattern::units::{Lba, Sectors};
use sha2::{Digest, Sha256};
use std::io::{self, Read, Seek, SeekFrom};

/// Bytes of a sector, as the image has them.
const SECTOR: u64 = 512;
/// Bytes that are written and read at once.
const CHUNK: usize = 1 << 20;
/// Sectors at the end of the data partition are kept to whole mebibytes.
const GRID: u64 = (1 << 20) / SECTOR;
/// Smallest data partition in bytes: a ledger, and papers of some hundred drives.
const MIN_DATA: u64 = 32 << 20;
/// The name of the partition that it starts from, and of the one that records are kept on.
const START: &str = "JUREXSTART";
/// See [`START`].
pub const DATA: &str = "JUREXDATA";

/// Why something is no start medium, or could not be laid.
#[derive(Debug, thiserror::Error)]
pub enum StartMediumError {
    /// It can't be read.
    #[error("the image can't be read: {0}")]
    Image(#[source] io::Error),
    /// Another kind of file.
    #[error("that is no start medium of Jurex: {0}")]
    NoMedium(String),
    /// The stick has another size of sectors than the image was made for.
    #[error("its sectors have {0} bytes, and a start medium is made for 512: take another stick")]
    Sectors(u32),
    /// The stick is too small.
    #[error("it holds {has} bytes, and {needs} are needed: take a larger stick")]
    TooSmall {
        /// Bytes that it has.
        has: u64,
        /// Bytes that are needed.
        needs: u64,
    },
    /// It was not taken.
    #[error("it can't be written or read back: {0}")]
    Medium(#[source] io::Error),
    /// What was read back is something else.
    #[error("sector {0} reads back otherwise than it was written: the stick is bad")]
    Differs(u64),
}

/// What is done with a chunk: its first sector, its bytes, and how far the image is.
type TakesChunk<'t> = dyn FnMut(u64, &[u8], f64) -> Result<(), StartMediumError> + 't;

/// An image of a start medium.
pub struct StartMedium<R> {
    image: R,
    table: GPT,
    /// First sector of its data partition.
    data: u64,
}

/// What was laid, and read back.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Laid {
    /// The data partition.
    pub data: Sectors,
    /// Sectors of the image that were written and read back.
    pub sectors: u64,
    /// SHA-256 of what was read back from the stick before the data partition, in hexadecimal.
    pub sha256: String,
}

impl<R: Read + Seek> StartMedium<R> {
    /// Looks whether the image is one.
    ///
    /// # Errors
    /// It can't be read, or is something else.
    pub fn of(mut image: R) -> Result<Self, StartMediumError> {
        let no = |why: &str| StartMediumError::NoMedium(why.into());
        let table =
            GPT::find_from(&mut image).map_err(|e| StartMediumError::NoMedium(format!("it has no partition table ({e})")))?;
        if table.sector_size != SECTOR {
            return Err(no("its sectors are not of 512 bytes"));
        }
        if table[1].partition_name.as_str() != START || table[3].partition_name.as_str() != DATA {
            return Err(no("its partitions are called otherwise"));
        }
        let data = table[3].starting_lba;
        let last = table.iter().filter(|(_, p)| p.is_used()).map(|(_, p)| p.starting_lba).max();
        if last != Some(data) {
            return Err(no("its data partition is not the last one"));
        }
        let bytes = image.seek(SeekFrom::End(0)).map_err(StartMediumError::Image)?;
        if bytes < data * SECTOR {
            return Err(no("it is cut short"));
        }
        Ok(Self { image, table, data })
    }

    /// The data partition that it will have on a stick of that size.
    ///
    /// # Errors
    /// The stick is too small, or has other sectors.
    pub fn data_on(&self, geometry: Geometry) -> Result<Sectors, StartMediumError> {
        if u64::from(geometry.logical) != SECTOR {
            return Err(StartMediumError::Sectors(geometry.logical));
        }
        // The second table takes its place at the end: its header, and as many sectors of entries as the first has.
        let entries =
            u64::from(self.table.header.number_of_partition_entries) * u64::from(self.table.header.size_of_partition_entry);
        let end = geometry.sectors.saturating_sub(1 + entries.div_ceil(SECTOR)) / GRID * GRID;
        let least = MIN_DATA / SECTOR;
        if end < self.data + least {
            let needs = (self.data + least + 2 * GRID) * SECTOR;
            return Err(StartMediumError::TooSmall { has: geometry.bytes(), needs });
        }
        Ok(Sectors::new(self.data, end - self.data))
    }

    /// Writes it, and reads back every sector before the data partition. `tell` is given how far it is. The file system of the data
    /// partition is still to be made.
    ///
    /// # Errors
    /// The stick is too small, does not take it, or reads back otherwise.
    pub fn lay(
        &mut self,
        medium: &mut dyn Medium,
        entropy: &mut dyn Entropy,
        tell: &mut dyn FnMut(f64),
    ) -> Result<Laid, StartMediumError> {
        let geometry = medium.geometry();
        let data = self.data_on(geometry)?;
        self.each_chunk(&mut |at, bytes, share| {
            tell(share / 2.0);
            medium.write(Lba(at), bytes).map_err(failed)
        })?;
        let whole = geometry.whole();
        let mut table = self.table.clone();
        let mut window = MediumWindow::new(medium, whole);
        table.header.update_from(&mut window, SECTOR).map_err(failed)?;
        table[3].ending_lba = data.end() - 1;
        // Every stick is told from all others of its image: two in one machine must not be taken for one another.
        table.header.disk_guid = new_guid(entropy);
        for n in 1..=3 {
            table[n].unique_partition_guid = new_guid(entropy);
        }
        table.write_into(&mut window).map_err(failed)?;
        window.finish().map_err(failed)?;
        // The protective entry of the first sector covers the stick; the loader's code before it stays (UEFI 2.10, 5.2.3).
        let mut first = AlignedBuffer::new(SECTOR as usize);
        medium.read(Lba(0), first.bytes()).map_err(failed)?;
        let covered = u32::try_from(geometry.sectors - 1).unwrap_or(u32::MAX);
        first.bytes()[0x1be + 12..0x1be + 16].copy_from_slice(&covered.to_le_bytes());
        medium.write(Lba(0), first.bytes()).map_err(failed)?;
        medium.flush().map_err(failed)?;
        self.read_back(medium, &table, tell).map(|sha256| Laid { data, sectors: self.data, sha256 })
    }

    /// Compares what is on the stick with the image. The table's own sectors were written anew: the table is read back as one.
    fn read_back(&mut self, medium: &mut dyn Medium, table: &GPT, tell: &mut dyn FnMut(f64)) -> Result<String, StartMediumError> {
        let first_usable = table.header.first_usable_lba;
        let mut found = AlignedBuffer::new(CHUNK);
        let mut digest = Sha256::new();
        self.each_chunk(&mut |at, bytes, share| {
            tell(0.5 + share / 2.0);
            let found = &mut found.bytes()[..bytes.len()];
            medium.read(Lba(at), found).map_err(failed)?;
            digest.update(&*found);
            let sectors = bytes.chunks(SECTOR as usize).zip(found.chunks(SECTOR as usize)).zip(at..);
            let mut wrong = sectors.filter(|((written, found), at)| {
                // Of the first sector the loader's code counts.
                if *at == 0 { written[..0x1b8] != found[..0x1b8] } else { *at >= first_usable && written != found }
            });
            wrong.next().map_or(Ok(()), |(_, at)| Err(StartMediumError::Differs(at)))
        })?;
        let whole = medium.geometry().whole();
        let mut window = MediumWindow::new(medium, whole);
        let back = GPT::read_from(&mut window, SECTOR).map_err(failed)?;
        if back.header.disk_guid != table.header.disk_guid || !(1..=3).all(|n| back[n] == table[n]) {
            return Err(StartMediumError::Differs(1));
        }
        Ok(hex::encode(&digest.finalize()))
    }

    /// Every chunk of the image before its data partition: its first sector, its bytes, and how far it is.
    fn each_chunk(&mut self, take: &mut TakesChunk<'_>) -> Result<(), StartMediumError> {
        let mut buffer = AlignedBuffer::new(CHUNK);
        self.image.seek(SeekFrom::Start(0)).map_err(StartMediumError::Image)?;
        let mut at = 0;
        while at < self.data {
            let count = (CHUNK as u64 / SECTOR).min(self.data - at);
            let bytes = &mut buffer.bytes()[..(count * SECTOR) as usize];
            self.image.read_exact(bytes).map_err(StartMediumError::Image)?;
            take(at, bytes, at as f64 / self.data as f64)?;
            at += count;
        }
        Ok(())
    }
}

/// Version 4, variant 1 (RFC 9562), as stored.
pub(crate) fn new_guid(entropy: &mut dyn Entropy) -> [u8; 16] {
    let mut bytes = [0; 16];
    entropy.fill(&mut bytes);
    bytes[7] = bytes[7] & 0x0f | 0x40;
    bytes[8] = bytes[8] & 0x3f | 0x80;
    bytes
}

/// That the stick does not do what is asked of it.
fn failed(e: impl std::fmt::Display) -> StartMediumError {
    StartMediumError::Medium(io::Error::other(e.to_string()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use gptman::GPTPartitionEntry;
    use jurex_device::media::MediaClass;
    use jurex_device::testing::{Dice, Fixed, Memory};
    use std::io::{Cursor, Write};

    /// An image of three mebibytes before its data partition, each sector of which is another.
    fn image(data_name: &str) -> Cursor<Vec<u8>> {
        let mut image = Cursor::new(vec![0; 8 << 20]);
        for sector in 0..(8 << 20) / SECTOR {
            image.write_all(&sector.to_le_bytes().repeat(64)).unwrap();
        }
        let mut table = GPT::new_from(&mut image, SECTOR, [7; 16]).unwrap();
        for (n, name, first, last) in [(1, START, 64, 4095), (2, "Appended2", 4096, 6143), (3, data_name, 6144, 12_287)] {
            table[n] = GPTPartitionEntry {
                partition_type_guid: [n as u8; 16],
                unique_partition_guid: [n as u8 + 8; 16],
                starting_lba: first,
                ending_lba: last,
                attribute_bits: 0,
                partition_name: name.into(),
            };
        }
        table.write_into(&mut image).unwrap();
        image
    }

    #[test]
    fn the_data_partition_grows_to_the_stick_and_every_sector_before_it_is_read_back() {
        let mut start = StartMedium::of(image(DATA)).unwrap();
        let sectors = (100 << 20) / SECTOR;
        let mut stick = Memory::new(MediaClass::RemovableFlash, sectors);
        let laid = start.lay(&mut stick, &mut Dice(7), &mut |_| {}).unwrap();
        assert_eq!((laid.sectors, laid.data.first.0), (6144, 6144));
        assert!(laid.data.end() <= sectors - 34 && laid.data.count > sectors - 6144 - 3 * GRID, "{:?}", laid.data);
        let table = GPT::find_from(&mut MediumWindow::new(&mut stick, Sectors::new(0, sectors))).unwrap();
        assert_eq!((table[3].partition_name.as_str(), table.header.backup_lba), (DATA, sectors - 1));
        let of_image = GPT::find_from(&mut image(DATA)).unwrap();
        assert!((1..=3).all(|n| table[n].unique_partition_guid != of_image[n].unique_partition_guid), "each stick is another");
        // It is one of ours again, and goes onto the next stick.
        let bytes = stick.bytes.clone();
        assert!(StartMedium::of(Cursor::new(bytes)).is_ok());
    }

    #[test]
    fn what_is_no_medium_and_what_has_no_room_is_refused_before_anything_is_written() {
        assert!(matches!(StartMedium::of(Cursor::new(vec![0; 1 << 20])), Err(StartMediumError::NoMedium(_))));
        assert!(matches!(StartMedium::of(image("TIDES")), Err(StartMediumError::NoMedium(_))));
        let mut cut = image(DATA).into_inner();
        cut.truncate(2 << 20);
        assert!(StartMedium::of(Cursor::new(cut)).is_err());
        let mut start = StartMedium::of(image(DATA)).unwrap();
        let mut small = Memory::new(MediaClass::RemovableFlash, (20 << 20) / SECTOR);
        assert!(matches!(start.lay(&mut small, &mut Fixed(7), &mut |_| {}), Err(StartMediumError::TooSmall { .. })));
        assert!(small.writes.iter().all(|n| *n == 0), "nothing was written");
        let mut other = Memory::new(MediaClass::RemovableFlash, 25_600);
        other.drive.geometry.logical = 4096;
        assert!(matches!(start.lay(&mut other, &mut Fixed(7), &mut |_| {}), Err(StartMediumError::Sectors(4096))));
    }

    #[test]
    fn a_stick_that_reads_back_otherwise_is_told() {
        let mut start = StartMedium::of(image(DATA)).unwrap();
        let mut stick = Memory::new(MediaClass::RemovableFlash, (100 << 20) / SECTOR);
        stick.drops_writes_to.push(5000);
        assert!(matches!(start.lay(&mut stick, &mut Dice(7), &mut |_| {}), Err(StartMediumError::Differs(5000))));
    }
}
