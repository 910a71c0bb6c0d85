//! Making file systems: by the system's own programs where they are installed, FAT32 by a library where they are not.

use crate::bench::OpenDrive;
use jurex_device::medium::{Medium, MediumWindow};
use jurex_disposition::release::{DiskLayout, FileSystem, PlannedVolume, VolumeMade};
use jurex_linux::LoopWindow;
use jurex_pattern::units::Sectors;
use std::io;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// What makes a file system here.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum MakerOf {
    /// This program.
    Program(PathBuf),
    /// The library that is built in.
    BuiltIn,
    /// Nothing, and what to install.
    Missing(String),
}

/// Where programs of the system lie, beside those of the search path.
const SYSTEM: [&str; 2] = ["/usr/sbin", "/sbin"];

fn find_program(name: &str) -> Option<PathBuf> {
    let path = std::env::var_os("PATH").unwrap_or_default();
    let folders = std::env::split_paths(&path).chain(SYSTEM.map(PathBuf::from));
    folders.map(|folder| folder.join(name)).find(|file| file.is_file())
}

impl MakerOf {
    /// What makes it on a drive of this machine, or on a simulated one, which no program of the system reaches.
    pub fn of(system: FileSystem, simulated: bool) -> Self {
        let (program, package) = system.maker();
        match find_program(program).filter(|_| !simulated) {
            Some(path) => MakerOf::Program(path),
            None if system == FileSystem::Fat32 => MakerOf::BuiltIn,
            None if simulated => {
                MakerOf::Missing("simulated drives take FAT32 only: no program of this system reaches them".into())
            }
            None => {
                MakerOf::Missing(format!("{} needs {program}, which is not installed here: package {package}", system.name()))
            }
        }
    }
}

/// What makes each file system here.
pub fn makers(simulated: bool) -> [(FileSystem, MakerOf); 4] {
    FileSystem::ALL.map(|system| (system, MakerOf::of(system, simulated)))
}

/// Makes every volume of a layout on the open drive.
///
/// # Errors
/// What could not be made, and why. Volumes before it are made.
pub(super) fn make(layout: &DiskLayout, drive: &mut OpenDrive, simulated: bool) -> Result<Vec<VolumeMade>, String> {
    let one = |(volume, at): &(PlannedVolume, Sectors)| {
        let made_by =
            make_one(volume, *at, drive, simulated).map_err(|why| format!("{} at {at}: {why}", volume.system.name()))?;
        Ok(VolumeMade { at: *at, system: volume.system, label: volume.label.clone(), made_by })
    };
    layout.volumes.iter().map(one).collect()
}

/// Makes a volume at those sectors of the open drive; gives what made it.
///
/// # Errors
/// What is missing, or what the program said.
pub fn make_one(volume: &PlannedVolume, at: Sectors, drive: &mut OpenDrive, simulated: bool) -> Result<String, String> {
    match (MakerOf::of(volume.system, simulated), &mut *drive) {
        (MakerOf::Missing(why), _) => Err(why),
        (MakerOf::Program(program), OpenDrive::Machine(medium)) => match LoopWindow::over(medium, at) {
            Ok(window) => run(&program, volume, window.path()),
            // Without rights to loop devices, an image can still have its FAT volume.
            Err(_) if volume.system == FileSystem::Fat32 => built_in(volume, at, drive.medium()),
            Err(e) => Err(format!("the system gives no loop device for it ({e}): run Jurex as root")),
        },
        (MakerOf::Program(_) | MakerOf::BuiltIn, _) => built_in(volume, at, drive.medium()),
    }
}

/// Runs a program of the system on a window onto the volume's sectors: it can't reach any others.
fn run(program: &Path, volume: &PlannedVolume, window: &Path) -> Result<String, String> {
    let mut command = Command::new(program);
    let label = volume.label.as_str();
    match volume.system {
        FileSystem::Fat32 => {
            command.args(["-F", "32"]);
            if !label.is_empty() {
                command.args(["-n", label]);
            }
        }
        FileSystem::Exfat => {
            if !label.is_empty() {
                command.args(["-L", label]);
            }
        }
        FileSystem::Ext4 => {
            command.args(["-q", "-F", "-E", "nodiscard", "-L", label]);
        }
        FileSystem::Ntfs => {
            command.args(["-q", "-Q", "-F", "-L", label]);
        }
    }
    let done = command.arg(window).stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::piped()).output();
    let shown = jurex_pattern::text::shown_path(program);
    match done {
        Ok(output) if output.status.success() => Ok(shown),
        Ok(output) => {
            let said = jurex_pattern::text::printable(&output.stderr);
            let said: String = said.chars().rev().take(200).collect::<Vec<_>>().into_iter().rev().collect();
            Err(format!("{shown} ended with {}: {said}", output.status))
        }
        Err(e) => Err(format!("{shown} could not be run: {e}")),
    }
}

/// FAT32 by the library.
fn built_in(volume: &PlannedVolume, at: Sectors, medium: &mut dyn Medium) -> Result<String, String> {
    let geometry = medium.geometry();
    let sector = u16::try_from(geometry.logical).map_err(|_| "the drive's sectors are too large for FAT32".to_string())?;
    let mut label = [b' '; 11];
    label.iter_mut().zip(volume.label.bytes()).for_each(|(to, from)| *to = from);
    let options = fatfs::FormatVolumeOptions::new()
        .fat_type(fatfs::FatType::Fat32)
        .bytes_per_sector(sector)
        .bytes_per_cluster(cluster(geometry.bytes_of(at.count), u32::from(sector)))
        .volume_id(at.count as u32 ^ 0x4a75_7265);
    let options = if volume.label.is_empty() { options } else { options.volume_label(label) };
    let format = || -> io::Result<()> {
        let mut window = MediumWindow::new(medium, at);
        fatfs::format_volume(&mut window, options)?;
        window.finish().map(drop)
    };
    format().map_err(|e| e.to_string())?;
    Ok("Jurex, with the library fatfs".into())
}

/// Bytes of a cluster: as small as keeps the table small, and never so large that the volume would be FAT16.
fn cluster(bytes: u64, sector: u32) -> u32 {
    /// FAT32 has at least 65 525 clusters.
    const LEAST: u64 = 66_000;
    let usual: u32 = match bytes {
        0..=0x1fff_ffff => 512,
        0x2000_0000..=0x1_ffff_ffff => 4096,
        0x2_0000_0000..=0x7_ffff_ffff => 16384,
        _ => 32768,
    };
    let mut cluster = usual.max(sector);
    while cluster > sector && bytes / u64::from(cluster) < LEAST {
        cluster /= 2;
    }
    cluster
}
