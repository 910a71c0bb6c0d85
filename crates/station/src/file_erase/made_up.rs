//! The demonstration's made-up files: a folder of its own, in which alone it lists, erases and resumes.
//!
//! They are real files on this machine's own file system, so what is told of their old places is as true as of any others; only what
//! is in them is made up. Nothing outside that folder is listed or erased, and no journal of the file system is emptied for them.

use super::browse::{self, FolderEntry, MountedVolume};
use crate::app_paths::AppPaths;
use crate::exit::Failure;
use jurex_pattern::text::shown_path;
use std::fmt::Write as _;
use std::fs::{self, File};
use std::io::Write as _;
use std::path::Path;

/// Stations, with the height of their gauge in centimetres.
const STATIONS: [(&str, u32); 3] = [("Gannet Rock", 212), ("Skerry Point", 187), ("Tern Quay", 241)];
const YEARS: [u32; 2] = [2024, 2025];
/// Model runs, of so many bytes each.
const RUNS: u32 = 6;
const RUN_BYTES: usize = 2 << 20;

/// Lays every made-up file that is not there; one that is there is left as it is.
///
/// # Errors
/// They can't be written.
pub fn lay(folder: &Path) -> std::io::Result<()> {
    for (station, height) in STATIONS {
        for year in YEARS {
            let months = folder.join(station).join(year.to_string());
            fs::create_dir_all(&months)?;
            for month in 1..=12 {
                new_file(&months.join(format!("{year}-{month:02}-tide.csv")), || {
                    tides(station, height, year, month).into_bytes()
                })?;
            }
        }
    }
    let forecast = folder.join("forecast");
    fs::create_dir_all(&forecast)?;
    for run in 1..=RUNS {
        new_file(&forecast.join(format!("model-run-{run:02}.grid")), || grid(run))?;
    }
    // What a person should be told before: a second name elsewhere, and a link that is not followed.
    let kept = folder.join("kept");
    fs::create_dir_all(&kept)?;
    let (of, second) = (folder.join("Tern Quay/2025/2025-03-tide.csv"), kept.join("storm-of-march.csv"));
    let made = [fs::hard_link(of, second), std::os::unix::fs::symlink("../Tern Quay/2025", kept.join("this-year"))];
    // A file system without such names has none; those that are there stay.
    made.into_iter().for_each(drop);
    Ok(())
}

fn new_file(path: &Path, bytes: impl FnOnce() -> Vec<u8>) -> std::io::Result<()> {
    match File::create_new(path) {
        Ok(mut file) => file.write_all(&bytes()),
        Err(e) if e.kind() == std::io::ErrorKind::AlreadyExists => Ok(()),
        Err(e) => Err(e),
    }
}

/// Heights of the tide, every ten minutes of a month.
fn tides(station: &str, height: u32, year: u32, month: u32) -> String {
    let mut text = String::from("time,station,height cm\n");
    for step in 0..28 * 144 {
        let (day, minute) = (step / 144 + 1, step % 144 * 10);
        let swing = (step * 37 + month * 11) % 149;
        let (hour, minute, height) = (minute / 60, minute % 60, height + swing);
        let _ = writeln!(text, "{year}-{month:02}-{day:02}T{hour:02}:{minute:02}Z,{station},{height}");
    }
    text
}

fn grid(run: u32) -> Vec<u8> {
    let line = format!("forecast of run {run:02}: 04 07 11 13 11 08 05 03\n").into_bytes();
    line.into_iter().cycle().take(RUN_BYTES).collect()
}

/// The file systems that files can be chosen from: those that are mounted, or the one folder of the demonstration.
///
/// # Errors
/// The made-up files can't be written.
pub fn volumes(places: &AppPaths) -> Result<Vec<MountedVolume>, Failure> {
    places.made_up_files().map_or_else(|| Ok(browse::volumes()), |folder| Ok(vec![volume(folder)?]))
}

/// What that folder holds, where the demonstration may look into it.
///
/// # Errors
/// It can't be read, or is not of the made-up files.
pub fn list(places: &AppPaths, folder: &Path) -> Result<Vec<FolderEntry>, Failure> {
    only(places, [folder])?;
    browse::list(folder).map_err(|e| Failure::Use(e.to_string()))
}

/// That free space may be filled.
///
/// # Errors
/// It is that of a demonstration: the machine's own.
pub fn no_free_space(places: &AppPaths) -> Result<(), Failure> {
    match places.made_up_files() {
        None => Ok(()),
        Some(_) => Err(Failure::Refused(
            "the demonstration fills no free space: it would be this machine's own. Nothing was written".into(),
        )),
    }
}

/// The folder, on what holds it.
fn volume(folder: &Path) -> Result<MountedVolume, Failure> {
    let cannot =
        |e: &dyn std::fmt::Display| Failure::Use(format!("the made-up files can't be written to {}: {e}", shown_path(folder)));
    fs::create_dir_all(folder).and_then(|()| lay(folder)).map_err(|e| cannot(&e))?;
    let whole = folder.canonicalize().map_err(|e| cannot(&e))?;
    let holding =
        browse::volumes().into_iter().filter(|v| whole.starts_with(&v.ground.mount)).max_by_key(|v| v.ground.mount.len());
    let mut holding = holding.ok_or_else(|| cannot(&"no file system that Jurex knows holds it"))?;
    holding.ground.mount = folder.to_string_lossy().into_owned();
    Ok(holding)
}

/// Whether that path lies in the folder of made-up files; whatever leads out of it does not.
pub fn holds(folder: &Path, path: &Path) -> bool {
    let whole = (folder.canonicalize(), path.parent().map(Path::canonicalize), path.file_name());
    let (Ok(folder), Some(Ok(parent)), Some(name)) = whole else { return false };
    parent.join(name).starts_with(folder)
}

/// That the demonstration may go on with these paths.
///
/// # Errors
/// One of them is not of its made-up files.
pub fn only<'p>(places: &AppPaths, paths: impl IntoIterator<Item = &'p Path>) -> Result<(), Failure> {
    let Some(folder) = places.made_up_files() else { return Ok(()) };
    match paths.into_iter().find(|path| !holds(folder, path)) {
        None => Ok(()),
        Some(other) => Err(Failure::Refused(format!(
            "{} is not one of the demonstration's made-up files in {}: jurex without demo works on real ones. Nothing was written",
            shown_path(other),
            shown_path(folder)
        ))),
    }
}

#[cfg(test)]
mod tests {
    use super::super::{FilesWish, erase, survey};
    use super::*;
    use jurex_sanitize::record::Person;

    #[test]
    fn the_demonstration_erases_its_own_files_says_so_and_takes_no_others() {
        let dir = tempfile::tempdir().unwrap();
        let places = AppPaths::all_in(dir.path()).demo();
        let folder = places.made_up_files().unwrap().to_path_buf();
        lay(&folder).unwrap();
        let (real, out) = (dir.path().join("real.csv"), dir.path().join("out"));
        fs::write(&real, "somebody's").unwrap();
        std::os::unix::fs::symlink(dir.path(), folder.join("out-of-it")).unwrap();
        let look = |path: &Path| survey(&[path.to_path_buf()], (&places, &out), &mut |_| true);
        for outside in [real.clone(), folder.join("../../real.csv"), folder.join("out-of-it/real.csv"), dir.path().to_path_buf()]
        {
            let said = look(&outside).unwrap_err().to_string();
            assert!(said.contains("made-up files"), "{said}");
        }
        let surveyed = look(&folder.join("Tern Quay")).unwrap();
        assert!(surveyed.to_know.iter().any(|(kind, _)| *kind == "linked"), "{:?}", surveyed.to_know);
        let wish = FilesWish {
            program: "00".parse().unwrap(),
            notation: "00".into(),
            keep_names: false,
            with_names: true,
            by: Person::default(),
        };
        let record = erase(&surveyed.tree, &wish, &places, &mut |_| true).unwrap();
        assert!(record.asked.demonstration && record.results().last().unwrap().starts_with("Demonstration: "));
        assert!(!folder.join("Tern Quay").exists() && folder.join("Skerry Point").exists() && real.exists());
        // They come back, and what was changed since stays.
        fs::write(folder.join("forecast/model-run-01.grid"), "changed").unwrap();
        lay(&folder).unwrap();
        assert!(folder.join("Tern Quay/2024/2024-01-tide.csv").exists());
        assert_eq!(fs::read(folder.join("forecast/model-run-01.grid")).unwrap(), b"changed");
    }
}
