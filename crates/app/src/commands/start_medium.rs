//! `jurex start-medium IMAGE DRIVE`: lays a start medium onto a stick, through the guard and the label check, and reads it back.

use super::bar::bar;
use super::say;
use crate::cli::StartMediumArgs;
use jurex_disposition::release::{FileSystem, Permit, PlannedVolume};
use jurex_disposition::start_medium::{DATA, StartMedium, StartMediumError};
use jurex_pattern::text::shown_path;
use jurex_pattern::units::si_size;
use jurex_station::app_paths::AppPaths;
use jurex_station::bench;
use jurex_station::clock::SystemEntropy;
use jurex_station::config::Config;
use jurex_station::exit::Failure;
use jurex_station::release::{self, volumes};
use std::fs::File;
use std::process::ExitCode;

pub(crate) fn run(asked: &StartMediumArgs) -> Result<ExitCode, Failure> {
    let places = AppPaths::find()?;
    let config = Config::read(&places.config_file())?;
    let file = shown_path(&asked.image);
    let wrong = |e: StartMediumError| Failure::Use(format!("{file}: {e}. Nothing was written"));
    let image = File::open(&asked.image).map_err(|e| wrong(StartMediumError::Image(e)))?;
    let mut start = StartMedium::of(image).map_err(wrong)?;
    let seen = bench::find(&asked.drive, &config.only, &places)?;
    let called = seen.drive.called();
    let volume = PlannedVolume { system: FileSystem::Ext4, label: DATA.into(), bytes: None };
    // Before anything is written.
    start.data_on(seen.drive.geometry).map_err(|e| Failure::Use(format!("{called}: {e}. Nothing was written")))?;
    if let volumes::MakerOf::Missing(why) = volumes::MakerOf::of(volume.system, seen.drive.simulated) {
        return Err(Failure::Use(format!("{called} gets no partition for records: {why}. Nothing was written")));
    }
    let refused = |e| Failure::Refused(format!("{called} may not be written: {e}. Nothing was written"));
    let cleared = seen.verdict().map_err(refused)?;
    let permit = Permit::by_label(&cleared, &asked.label_check)?;
    let (mut drive, _) = release::hold(&seen, cleared.label(), &permit)?;
    let progress = bar("{wide_bar} {msg}", !asked.quiet);
    progress.set_length(1000);
    let half = |why: String| Failure::Less(format!("{called} is no start medium, and may be half written: {why}"));
    let laid = start
        .lay(drive.medium(), &mut SystemEntropy, &mut |share| progress.set_position((share * 1000.0) as u64))
        .map_err(|e| half(e.to_string()))?;
    progress.finish_and_clear();
    let made_by = volumes::make_one(&volume, laid.data, &mut drive, seen.drive.simulated).map_err(half)?;
    release::show_partitions(&drive);
    say(&format!("{called} is a start medium of Jurex now."));
    say(&format!("  image    {} written and read back, SHA-256 {}", si_size(laid.sectors * 512), laid.sha256));
    say(&format!("  records  {DATA}, {}, ext4, made by {made_by}", si_size(laid.data.count * 512)));
    Ok(ExitCode::SUCCESS)
}
