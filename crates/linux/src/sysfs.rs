//! Reading small attribute files of sysfs.

use jurex_pattern::text::printable;
use std::fs;
use std::path::{Path, PathBuf};

/// The attribute as safe, trimmed text; `None` if it is missing, unreadable or empty.
pub(crate) fn text(dir: &Path, name: &str) -> Option<String> {
    let raw = fs::read(dir.join(name)).ok()?;
    Some(printable(&raw)).filter(|t| !t.is_empty())
}

/// The attribute as a whole number.
pub(crate) fn number(dir: &Path, name: &str) -> Option<u64> {
    text(dir, name)?.parse().ok()
}

/// Unit serial number page (SCSI SPC, VPD page 80h): four bytes of header, then the text.
pub(crate) fn vpd_serial(dir: &Path) -> Option<String> {
    let page = fs::read(dir.join("vpd_pg80")).ok()?;
    let length = usize::from(u16::from_be_bytes([*page.get(2)?, *page.get(3)?]));
    let text = page.get(4..(4 + length).min(page.len()))?;
    Some(printable(text)).filter(|t| !t.is_empty())
}

/// The entries of a directory, sorted; none if it can't be read.
pub(crate) fn entries(dir: &Path) -> Vec<PathBuf> {
    let mut found: Vec<PathBuf> = fs::read_dir(dir).into_iter().flatten().flatten().map(|e| e.path()).collect();
    found.sort();
    found
}

/// Last part of a path as text.
pub(crate) fn name(path: &Path) -> String {
    path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default()
}
