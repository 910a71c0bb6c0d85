//! Free space: filled, and what a filling that was cut short has left is cleaned at the next start.

use crate::app_paths::AppPaths;
use crate::clock::{SystemEntropy, new_job_id, wall};
use crate::exit::Failure;
use crate::this_tool;
use jurex_file_erase::{FileEraseOrder, FileEraseRecord, FileWork, StorageStack};
use jurex_linux::files::{FillOrder, FillProgress, FillWatcher, clean, ground_at, space, usual_reserve};
use jurex_pattern::notation::Program;
use jurex_pattern::text::shown_path;
use jurex_sanitize::record::Person;
use std::ffi::OsString;
use std::fs::File;
use std::io::Write;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Path, PathBuf};

/// How markers of folders that a filling has made end.
const ENDING: &str = "filling";

/// What is wanted.
#[derive(Clone, Debug)]
pub struct FreeWish {
    pub path: PathBuf,
    pub program: Program,
    pub notation: String,
    /// Bytes that are left to others.
    pub reserve: u64,
    pub by: Person,
}

/// What is to be told before anything is done.
#[derive(Clone, Debug)]
pub struct FreePlan {
    pub ground: StorageStack,
    /// Bytes that are free for others.
    pub free: u64,
    /// Bytes that are left to them.
    pub reserve: u64,
}

/// What the file system at that path is, and what would be left free; nothing is written.
///
/// # Errors
/// It can't be looked at.
pub fn plan_free(path: &Path, reserve: Option<u64>) -> Result<FreePlan, Failure> {
    let failed = |e: jurex_linux::files::FillError| Failure::Use(format!("{e}. Nothing was written"));
    let ground = ground_at(path).map_err(failed)?;
    let (free, bytes) = space(path).map_err(failed)?;
    Ok(FreePlan { ground, free, reserve: reserve.unwrap_or_else(|| usual_reserve(bytes, free)) })
}

/// Notes the folder, so that the next start cleans it if this one does not come to that.
struct Marking<'m> {
    folder: PathBuf,
    job: String,
    /// Locked for as long as this runs.
    marker: Option<(File, PathBuf)>,
    hears: &'m mut dyn FnMut(&FillProgress) -> bool,
}

impl FillWatcher for Marking<'_> {
    fn takes(&mut self, folder: &Path) -> std::io::Result<()> {
        std::fs::create_dir_all(&self.folder)?;
        let path = self.folder.join(format!("{}.{ENDING}", self.job));
        let mut file = File::create_new(&path)?;
        file.lock()?;
        file.write_all(folder.as_os_str().as_bytes())?;
        file.sync_all()?;
        self.marker = Some((file, path));
        Ok(())
    }

    fn progress(&mut self, progress: &FillProgress) -> bool {
        (self.hears)(progress)
    }
}

/// Fills the free space of a file system; what came of it is a record, whether it was stopped or not.
///
/// # Errors
/// Nothing was begun.
pub fn fill(
    wish: &FreeWish,
    places: &AppPaths,
    hears: &mut dyn FnMut(&FillProgress) -> bool,
) -> Result<FileEraseRecord, Failure> {
    super::made_up::no_free_space(places)?;
    let (job, started) = (new_job_id(), wall());
    let order = FillOrder { passes: wish.program.resolve(&mut SystemEntropy), reserve: wish.reserve };
    let passes = order.passes.len() as u32;
    let mut marking = Marking { folder: places.less(), job: job.to_string(), marker: None, hears };
    let filled = jurex_linux::files::fill(&wish.path, &order, &mut SystemEntropy, &mut marking)
        .map_err(|e| Failure::Use(format!("{e}. Nothing was written")))?;
    if let Some((_, path)) = marking.marker.filter(|_| filled.evidence.left_behind.is_empty()) {
        let _ = std::fs::remove_file(path);
    }
    let tool = this_tool();
    let by = wish.by.clone();
    let notation = wish.notation.clone();
    let about = FileEraseOrder { job, tool, by, started, ended: wall(), notation, passes, went_on: 0, demonstration: false };
    FileEraseRecord::new(about, vec![filled.ground], FileWork::Free { free: filled.evidence }, vec![filled.strip])
        .map_err(|e| Failure::Defect(e.to_string()))
}

/// Removes what fillings that were cut short have left; a sentence of each.
pub fn clean_up(places: &AppPaths) -> Vec<String> {
    let markers = std::fs::read_dir(places.less()).into_iter().flatten().flatten().map(|e| e.path());
    markers.filter(|p| p.extension().is_some_and(|e| e == ENDING)).filter_map(|marker| clean_one(&marker)).collect()
}

fn clean_one(marker: &Path) -> Option<String> {
    let file = File::open(marker).ok()?;
    // Somebody is at it now.
    file.try_lock().ok()?;
    let folder: PathBuf = OsString::from_vec(std::fs::read(marker).ok()?).into();
    let shown = shown_path(&folder);
    if folder.as_os_str().is_empty() || !folder.exists() {
        // The file system may not be mounted now; then it is cleaned once it is.
        let there = folder.parent().is_some_and(Path::exists);
        if there {
            let _ = std::fs::remove_file(marker);
        }
        return None;
    }
    let left = clean(&folder);
    if left.is_empty() {
        let _ = std::fs::remove_file(marker);
        return Some(format!("what a filling of free space that was cut short had left in {shown} is removed"));
    }
    Some(format!("what a filling of free space that was cut short has left in {shown} can't be removed: {}", left.join(", ")))
}
