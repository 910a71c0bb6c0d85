//! What there is to choose from: file systems, folders, and how much is in them.

use jurex_file_erase::{NodeKind, StorageStack};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

/// How long the contents of folders are counted.
const PATIENCE: Duration = Duration::from_secs(3);

/// Something in a folder.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FolderEntry {
    pub path: PathBuf,
    pub kind: NodeKind,
    /// Bytes of a file.
    pub bytes: u64,
}

/// A mounted file system.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MountedVolume {
    pub ground: StorageStack,
    /// Bytes that are free for others than root.
    pub free: u64,
}

/// What is in a folder and in all below it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Sums {
    pub files: u64,
    pub bytes: u64,
    /// Whether all of it was counted.
    pub whole: bool,
}

/// The file systems that files can be chosen from.
pub fn volumes() -> Vec<MountedVolume> {
    let grounds = jurex_linux::files::mounted();
    let free = |g: &StorageStack| jurex_linux::files::space(Path::new(&g.mount)).map_or(0, |(free, _)| free);
    grounds.into_iter().map(|ground| MountedVolume { free: free(&ground), ground }).collect()
}

/// What a folder holds: folders first, each by name. Links are not followed.
///
/// # Errors
/// It can't be read.
pub fn list(folder: &Path) -> std::io::Result<Vec<FolderEntry>> {
    let mut found = vec![];
    for entry in std::fs::read_dir(folder)? {
        let entry = entry?;
        let Ok(told) = entry.metadata() else { continue };
        let kind = match told.file_type() {
            t if t.is_dir() => NodeKind::Folder,
            t if t.is_file() => NodeKind::File,
            t if t.is_symlink() => NodeKind::Link,
            _ => NodeKind::Special,
        };
        found.push(FolderEntry { path: entry.path(), kind, bytes: if kind == NodeKind::File { told.len() } else { 0 } });
    }
    found.sort_by(|a, b| (a.kind != NodeKind::Folder, &a.path).cmp(&(b.kind != NodeKind::Folder, &b.path)));
    Ok(found)
}

/// What is in each of those folders, as far as it is counted in time.
pub fn sums(folders: &[PathBuf]) -> Vec<(PathBuf, Sums)> {
    let until = Instant::now() + PATIENCE;
    folders.iter().map(|folder| (folder.clone(), sum(folder, until))).collect()
}

fn sum(folder: &Path, until: Instant) -> Sums {
    let mut sums = Sums { whole: true, ..Sums::default() };
    let mut open = vec![folder.to_path_buf()];
    while let Some(folder) = open.pop() {
        for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
            if Instant::now() > until {
                return Sums { whole: false, ..sums };
            }
            match entry.metadata() {
                Ok(told) if told.is_dir() => open.push(entry.path()),
                Ok(told) if told.is_file() => {
                    sums.files += 1;
                    sums.bytes += told.len();
                }
                _ => {}
            }
        }
    }
    sums
}
