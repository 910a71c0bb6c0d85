//! Less than a drive: what is chosen, planned, at work and over. It is the same whether its page is open or not.

use jurex_file_erase::{FileEraseRecord, NodeKind};
use jurex_linux::files::{FilesProgress, FillProgress};
use jurex_look::field::Field;
use jurex_station::file_erase::{FolderEntry, FreePlan, MountedVolume, Sums, Surveyed};
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

/// All of it.
#[derive(Default)]
pub(crate) struct Less {
    pub(crate) volumes: Vec<MountedVolume>,
    /// What open folders hold.
    pub(crate) open: HashMap<PathBuf, Vec<FolderEntry>>,
    pub(crate) sums: HashMap<PathBuf, Sums>,
    /// What is chosen to be erased.
    pub(crate) picked: Vec<PathBuf>,
    pub(crate) cursor: usize,
    pub(crate) passes: Passes,
    pub(crate) keep_names: bool,
    pub(crate) with_names: bool,
    pub(crate) stage: FilesStage,
    /// How many works were cut short and can be gone on with.
    pub(crate) cut_short: usize,
    /// What is wrong, in a sentence.
    pub(crate) problem: Option<String>,
}

/// The passes in the notation.
pub(crate) struct Passes(pub(crate) String);

impl Default for Passes {
    fn default() -> Self {
        Self("random".into())
    }
}

/// How far it has come.
#[derive(Default)]
pub(crate) enum FilesStage {
    #[default]
    Choosing,
    /// What is chosen is being looked at.
    Looking,
    /// What would be lost is told; the number of names is being typed.
    Files { surveyed: Arc<Surveyed>, typed: Field },
    /// What would be filled is told.
    Free { path: PathBuf, plan: FreePlan },
    Working {
        /// What is worked on.
        what: String,
        began: Duration,
        progress: WorkProgress,
        /// Whether it was asked to stop.
        stops: bool,
    },
    Over {
        record: Box<FileEraseRecord>,
        /// What came of it in sentences: of many files they take their time, and are shown again and again.
        results: Vec<String>,
        /// Where its papers are, or why they are not written.
        written: Result<Vec<PathBuf>, String>,
    },
}

/// How far the work has come.
#[derive(Clone, Debug)]
pub(crate) enum WorkProgress {
    /// It has not begun to tell.
    None,
    Files(FilesProgress),
    Free(FillProgress),
}

impl WorkProgress {
    /// As a part of the whole.
    pub(crate) fn share(&self) -> f64 {
        match self {
            WorkProgress::None => 0.0,
            WorkProgress::Files(p) => jurex_station::file_erase::share(p),
            WorkProgress::Free(p) => jurex_station::file_erase::share_of_fill(p),
        }
    }
}

/// A row of the tree.
pub(crate) enum TreeRow<'l> {
    Volume(&'l MountedVolume, bool),
    Entry { listed: &'l FolderEntry, depth: usize, open: bool },
}

impl TreeRow<'_> {
    pub(crate) fn path(&self) -> &Path {
        match self {
            TreeRow::Volume(volume, _) => Path::new(&volume.ground.mount),
            TreeRow::Entry { listed, .. } => &listed.path,
        }
    }
}

impl Less {
    /// The rows that are in sight when every open folder is.
    pub(crate) fn rows(&self) -> Vec<TreeRow<'_>> {
        let mut rows = vec![];
        for volume in &self.volumes {
            let path = Path::new(&volume.ground.mount);
            rows.push(TreeRow::Volume(volume, self.open.contains_key(path)));
            self.below(path, 1, &mut rows);
        }
        rows
    }

    fn below<'l>(&'l self, folder: &Path, depth: usize, rows: &mut Vec<TreeRow<'l>>) {
        for listed in self.open.get(folder).into_iter().flatten() {
            let open = listed.kind == NodeKind::Folder && self.open.contains_key(&listed.path);
            // What is mounted there has a row of its own.
            if self.volumes.iter().any(|v| Path::new(&v.ground.mount) == listed.path) {
                continue;
            }
            rows.push(TreeRow::Entry { listed, depth, open });
            if open {
                self.below(&listed.path, depth + 1, rows);
            }
        }
    }

    /// The path of the row that the cursor is on.
    pub(crate) fn here(&self) -> Option<PathBuf> {
        self.rows().get(self.cursor).map(|r| r.path().to_path_buf())
    }

    /// Whether the row that the cursor is on can be opened.
    pub(crate) fn is_folder_here(&self) -> bool {
        match self.rows().get(self.cursor) {
            Some(TreeRow::Entry { listed, .. }) => listed.kind == NodeKind::Folder,
            row => row.is_some(),
        }
    }

    pub(crate) fn is_volume_here(&self) -> bool {
        matches!(self.rows().get(self.cursor), Some(TreeRow::Volume(..)))
    }

    pub(crate) fn is_working(&self) -> bool {
        matches!(self.stage, FilesStage::Working { .. })
    }

    /// Marks the row, or takes the mark away; a path that lies under a marked one is marked with it.
    pub(crate) fn mark(&mut self) {
        let Some(path) = self.here().filter(|_| !self.is_volume_here()) else { return };
        if let Some(at) = self.picked.iter().position(|m| *m == path) {
            self.picked.remove(at);
            return;
        }
        if self.is_marked(&path) {
            self.problem = Some("It lies in a folder that is selected already.".into());
            return;
        }
        self.picked.retain(|m| !m.starts_with(&path));
        self.picked.push(path);
    }

    pub(crate) fn is_marked(&self, path: &Path) -> bool {
        self.picked.iter().any(|m| path.starts_with(m))
    }
}
