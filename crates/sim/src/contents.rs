//! What simulated drives hold before they are erased: partition tables, FAT volumes and a weather service's files, all
//! made from a seed.

use crate::store::{Store, StoreWindow};
use fatfs::{Date, DateTime, Dir, FatType, FileSystem, FormatVolumeOptions, FsOptions, Time, TimeProvider};
use gptman::{GPT, GPTPartitionEntry};
use mbrman::{BOOT_INACTIVE, CHS, MBRHeader, MBRPartitionEntry};
use std::io::{self, Cursor, Seek, SeekFrom, Write};

const SECTOR: u64 = 512;
const PHOTO: &[u8] = include_bytes!("../assets/photo.jpg");

/// EFI system partition, C12A7328-F81F-11D2-BA4B-00A0C93EC93B, as stored.
const EFI_SYSTEM: [u8; 16] = [0x28, 0x73, 0x2a, 0xc1, 0x1f, 0xf8, 0xd2, 0x11, 0xba, 0x4b, 0x00, 0xa0, 0xc9, 0x3e, 0xc9, 0x3b];
/// Basic data, EBD0A0A2-B9E5-4433-87C0-68B6B72699C7, as stored.
const BASIC_DATA: [u8; 16] = [0xa2, 0xa0, 0xd0, 0xeb, 0xe5, 0xb9, 0x33, 0x44, 0x87, 0xc0, 0x68, 0xb6, 0xb7, 0x26, 0x99, 0xc7];
/// Linux swap, 0657FD6D-A4AB-43C4-84E5-0933C84B4F4F, as stored.
const LINUX_SWAP: [u8; 16] = [0x6d, 0xfd, 0x57, 0x06, 0xab, 0xa4, 0xc4, 0x43, 0x84, 0xe5, 0x09, 0x33, 0xc8, 0x4b, 0x4f, 0x4f];

/// What a partition of a simulated drive is filled with.
#[derive(Clone, Copy)]
pub(crate) enum SimVolume {
    /// A boot volume.
    Boot,
    /// Station logs, notes and photos in a FAT volume of this label.
    Station { label: &'static str, stations: &'static [&'static str], days: u32 },
    /// A swap area.
    Swap,
    /// An encrypted volume: its header, and content that looks like noise.
    Encrypted { label: &'static str },
}

/// One partition: its size in sectors, and what is on it.
pub(crate) struct SimPartition {
    pub(crate) sectors: u64,
    pub(crate) volume: SimVolume,
}

/// Sectors before the first partition, and the grid that partitions lie on.
const ALIGN: u64 = 2048;

fn layout(partitions: &[SimPartition]) -> Vec<u64> {
    let starts = partitions.iter().scan(ALIGN, |next, p| {
        let start = *next;
        *next = (start + p.sectors).next_multiple_of(ALIGN);
        Some(start)
    });
    starts.collect()
}

/// Writes a GPT and fills its partitions.
pub(crate) fn gpt(store: &mut Store, sectors: u64, partitions: &[SimPartition], seed: u64) -> io::Result<()> {
    let starts = layout(partitions);
    {
        let mut whole = StoreWindow::new(store, 0, sectors * SECTOR);
        let mut table = GPT::new_from(&mut whole, SECTOR, guid(seed)).map_err(io::Error::other)?;
        for (i, (partition, start)) in partitions.iter().zip(&starts).enumerate() {
            table[i as u32 + 1] = GPTPartitionEntry {
                partition_type_guid: match partition.volume {
                    SimVolume::Boot => EFI_SYSTEM,
                    SimVolume::Station { .. } | SimVolume::Encrypted { .. } => BASIC_DATA,
                    SimVolume::Swap => LINUX_SWAP,
                },
                unique_partition_guid: guid(seed ^ (i as u64 + 1)),
                starting_lba: *start,
                ending_lba: start + partition.sectors - 1,
                attribute_bits: 0,
                partition_name: "".into(),
            };
        }
        table.write_into(&mut whole).map_err(io::Error::other)?;
        GPT::write_protective_mbr_into(&mut whole, SECTOR).map_err(io::Error::other)?;
    }
    fill(store, partitions, &starts, seed)
}

/// Writes an MBR and fills its partitions (four at most).
pub(crate) fn mbr(store: &mut Store, partitions: &[SimPartition], seed: u64) -> io::Result<()> {
    let starts = layout(partitions);
    let mut header = MBRHeader::new((seed as u32).to_le_bytes());
    for (i, (partition, start)) in partitions.iter().zip(&starts).enumerate() {
        let entry = header.get_mut(i + 1).ok_or_else(|| io::Error::other("an MBR has four entries"))?;
        *entry = MBRPartitionEntry {
            boot: BOOT_INACTIVE,
            first_chs: CHS::empty(),
            sys: if matches!(partition.volume, SimVolume::Swap) { 0x82 } else { 0x0e },
            last_chs: CHS::empty(),
            starting_lba: *start as u32,
            sectors: partition.sectors as u32,
        };
    }
    let mut sector = Cursor::new(vec![0; SECTOR as usize]);
    header.write_into(&mut sector).map_err(io::Error::other)?;
    store.write(0, sector.get_ref());
    fill(store, partitions, &starts, seed)
}

fn fill(store: &mut Store, partitions: &[SimPartition], starts: &[u64], seed: u64) -> io::Result<()> {
    for (i, (partition, start)) in partitions.iter().zip(starts).enumerate() {
        let mut window = StoreWindow::new(store, start * SECTOR, partition.sectors * SECTOR);
        match partition.volume {
            SimVolume::Boot => fat(&mut window, "TERN BOOT", partition.sectors, boot_files)?,
            SimVolume::Swap => swap(&mut window)?,
            SimVolume::Encrypted { label } => encrypted(&mut window, label, seed)?,
            SimVolume::Station { label, stations, days } => {
                let mut numbers = Numbers(seed ^ (i as u64) << 32);
                fat(&mut window, label, partition.sectors, |root| station_files(root, stations, days, &mut numbers))?;
            }
        }
    }
    Ok(())
}

fn guid(seed: u64) -> [u8; 16] {
    let mut numbers = Numbers(seed);
    let mut out = [0; 16];
    out[..8].copy_from_slice(&numbers.next().to_le_bytes());
    out[8..].copy_from_slice(&numbers.next().to_le_bytes());
    out
}

type RootFolder<'a, 'w, 's> = Dir<'a, &'w mut StoreWindow<'s>>;

fn fat<'s>(
    window: &mut StoreWindow<'s>,
    label: &str,
    sectors: u64,
    files: impl FnOnce(&RootFolder<'_, '_, 's>) -> io::Result<()>,
) -> io::Result<()> {
    let mut padded = [b' '; 11];
    padded.iter_mut().zip(label.bytes()).for_each(|(to, from)| *to = from);
    // FAT16 up to half a gigabyte, FAT32 above: as cameras and loggers format.
    let kind = if sectors * SECTOR < 512 << 20 { FatType::Fat16 } else { FatType::Fat32 };
    let options = FormatVolumeOptions::new().volume_label(padded).fat_type(kind).total_sectors(sectors as u32);
    fatfs::format_volume(&mut *window, options)?;
    let volume = FileSystem::new(window, FsOptions::new().time_provider(&FIXED_TIME))?;
    files(&volume.root_dir())?;
    volume.unmount()
}

#[derive(Debug)]
struct FixedTime;
static FIXED_TIME: FixedTime = FixedTime;
impl TimeProvider for FixedTime {
    fn get_current_date(&self) -> Date {
        Date { year: 2026, month: 9, day: 30 }
    }
    fn get_current_date_time(&self) -> DateTime {
        DateTime { date: self.get_current_date(), time: Time { hour: 16, min: 40, sec: 0, millis: 0 } }
    }
}

fn boot_files(root: &RootFolder<'_, '_, '_>) -> io::Result<()> {
    root.create_file("loader.conf")?.write_all(b"timeout 3\ndefault forecast\n")
}

fn station_files(root: &RootFolder<'_, '_, '_>, stations: &[&str], days: u32, numbers: &mut Numbers) -> io::Result<()> {
    for station in stations {
        let folder = root.create_dir(&station.replace(' ', "-").to_lowercase())?;
        for day in 0..days {
            let (month, day) = (day / 28 % 12 + 1, day % 28 + 1);
            let name = format!("2026{month:02}{day:02}.csv");
            folder.create_file(&name)?.write_all(station_log(station, month, day, numbers).as_bytes())?;
        }
        folder.create_file("maintenance.txt")?.write_all(maintenance_notes(station).as_bytes())?;
        for shot in 1..=3 {
            folder.create_file(&format!("mast{shot:02}.jpg"))?.write_all(&photo(station, shot))?;
        }
    }
    Ok(())
}

/// One day's log: a line for each ten minutes.
fn station_log(station: &str, month: u32, day: u32, numbers: &mut Numbers) -> String {
    let mut log =
        format!("# Brackwater Weather Service, {station}\ntime_utc,wind_ms,gust_ms,direction_deg,pressure_hpa,tide_m\n");
    let mut pressure = 9_900 + (numbers.next() % 300) as i64;
    for slot in 0..144u32 {
        pressure += (numbers.next() % 7) as i64 - 3;
        let wind = 20 + numbers.next() % 120;
        let gust = wind + numbers.next() % 60;
        let tide = (f64::from(slot) * std::f64::consts::TAU / 74.5).sin() * 2.1 + 2.4;
        log += &format!(
            "2026-{month:02}-{day:02}T{:02}:{:02}Z,{:.1},{:.1},{},{:.1},{tide:.2}\n",
            slot / 6,
            slot % 6 * 10,
            wind as f64 / 10.0,
            gust as f64 / 10.0,
            numbers.next() % 360,
            pressure as f64 / 10.0
        );
    }
    log
}

fn maintenance_notes(station: &str) -> String {
    format!(
        "Maintenance notes, {station}\n\
         2026-02-11  Anemometer bearing replaced, old one noisy above 20 m/s.\n\
         2026-05-03  Tide gauge cleaned of weed, zero checked against the quay mark.\n\
         2026-09-30  Station retired. Storage sent to Tern Quay workshop, lot BW-0417.\n"
    )
}

/// The little photo with a comment that tells where and which it is.
fn photo(station: &str, shot: u32) -> Vec<u8> {
    let comment = format!("{station}, mast camera, shot {shot}");
    let mut out = PHOTO[..2].to_vec();
    out.extend([0xff, 0xfe]);
    out.extend((comment.len() as u16 + 2).to_be_bytes());
    out.extend(comment.bytes());
    out.extend(&PHOTO[2..]);
    out
}

/// The header of a swap area (version 1) with a label.
fn swap(window: &mut StoreWindow<'_>) -> io::Result<()> {
    let mut head = vec![0; 4096];
    head[1024..1028].copy_from_slice(&1u32.to_le_bytes());
    head[1024 + 28..1024 + 32].copy_from_slice(b"tern");
    head[4086..].copy_from_slice(b"SWAPSPACE2");
    window.write_all(&head)
}

/// A LUKS 2 header with its label, and a mebibyte of what its content looks like.
fn encrypted(window: &mut StoreWindow<'_>, label: &str, seed: u64) -> io::Result<()> {
    let mut head = vec![0; 4096];
    head[..8].copy_from_slice(b"LUKS\xba\xbe\0\x02");
    head[24..24 + label.len()].copy_from_slice(label.as_bytes());
    window.write_all(&head)?;
    window.seek(SeekFrom::Start(16 << 20))?;
    let mut numbers = Numbers(seed);
    let noise: Vec<u8> = (0..(1 << 20) / 8).flat_map(|_| numbers.next().to_le_bytes()).collect();
    window.write_all(&noise)
}

/// Numbers that only look random (SplitMix64), so that the same seed makes the same drive.
struct Numbers(u64);
impl Numbers {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }
}
