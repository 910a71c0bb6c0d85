//! Where notes of an erasure of files are kept while it runs ([`jurex_file_erase::Note`]), so that it can go on after whatever has cut it short.
//! They are removed when the work has ended.

use jurex_file_erase::{FileEvidence, KnownBy, Noted, NotedProgress, NotedRoot, StorageStack, Trace, WorkNote};
use jurex_linux::files::Id;
use std::collections::HashMap;
use std::ffi::OsString;
use std::fs::File;
use std::io::{BufRead, BufReader, Write};
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Path, PathBuf};

/// How notes of unfinished work end.
const ENDING: &str = "notes";

/// A path as it is noted, with which file or folder it is.
pub fn noted_root(path: &Path, id: Id, known_by: KnownBy) -> NotedRoot {
    NotedRoot { path: path.as_os_str().as_bytes().to_vec(), device: id.device, inode: id.inode, known_by }
}

/// Which file or folder it was.
pub fn id_of(root: &NotedRoot) -> Id {
    Id { device: root.device, inode: root.inode }
}

/// The path that was named.
pub fn path_of(root: &NotedRoot) -> PathBuf {
    OsString::from_vec(root.path.clone()).into()
}

/// Where it is now: under its name, or under the one that it was given on its way out. `None`: it is gone, or what has its numbers is
/// something else: of another file system that is mounted there now, or made since.
pub fn now(root: &NotedRoot) -> Option<PathBuf> {
    jurex_linux::files::found_again(&path_of(root), id_of(root), &root.known_by)
}

/// Notes of work that is under way. Others see that it is by the lock.
#[derive(Debug)]
pub struct Notes {
    file: File,
    path: PathBuf,
    /// What is written with the next lot.
    waiting: Vec<WorkNote>,
}

/// What notes of work that was cut short say.
#[derive(Debug)]
pub struct UnfinishedFiles {
    pub asked: Noted,
    pub went_on: u32,
    pub traces: HashMap<Id, Trace>,
    pub ended: Vec<FileEvidence>,
    path: PathBuf,
}

impl Notes {
    /// Begins notes in that folder.
    pub fn begin(folder: &Path, asked: &Noted) -> std::io::Result<Self> {
        std::fs::create_dir_all(folder)?;
        let path = folder.join(format!("{}.{ENDING}", asked.job));
        let mut options = File::options();
        std::os::unix::fs::OpenOptionsExt::mode(&mut options, 0o600);
        let file = options.append(true).create_new(true).open(&path)?;
        file.lock()?;
        let mut notes = Self { file, path, waiting: vec![] };
        notes.add(&[WorkNote::Asked(asked.clone())], true)?;
        Ok(notes)
    }

    /// Goes on with notes of work that was cut short.
    pub fn go_on(unfinished: &UnfinishedFiles, grounds: Vec<StorageStack>) -> std::io::Result<Self> {
        let file = File::options().append(true).open(&unfinished.path)?;
        briefly(|| file.try_lock())?;
        let mut notes = Self { file, path: unfinished.path.clone(), waiting: vec![] };
        // A line that was cut short ends here.
        notes.file.write_all(b"\n")?;
        notes.add(&[WorkNote::WentOn(grounds)], true)?;
        Ok(notes)
    }

    fn add(&mut self, lines: &[WorkNote], to_disk: bool) -> std::io::Result<()> {
        let mut text = vec![];
        for line in lines {
            line.write(&mut text)?;
        }
        self.file.write_all(&text)?;
        if to_disk { self.file.sync_data() } else { Ok(()) }
    }

    /// Notes how files lay, or what was seen of them; it is on disk when this ends.
    pub fn trace<'t>(&mut self, traces: impl Iterator<Item = &'t Trace>) -> std::io::Result<()> {
        let mut text = vec![];
        for trace in traces {
            WorkNote::write_trace(trace, &mut text)?;
        }
        self.file.write_all(&text)?;
        self.file.sync_data()
    }

    /// Notes what is done with; it is written with its lot. If it is lost, the traces tell almost as much.
    pub fn ended(&mut self, id: Id, evidence: &FileEvidence) {
        self.waiting.push(WorkNote::ended(id.device, id.inode, evidence));
    }

    /// Writes what is done with.
    pub fn lot_ended(&mut self) {
        let lines = std::mem::take(&mut self.waiting);
        if let Err(e) = self.add(&lines, false) {
            tracing::warn!("what is done with could not be noted: {e}");
        }
    }

    /// The work has ended: there is nothing to go on with.
    pub fn close(self) {
        if let Err(e) = std::fs::remove_file(&self.path) {
            tracing::warn!("notes of work that has ended are left in {}: {e}", self.path.display());
        }
    }
}

/// Work that was cut short, by the notes in that folder; that which runs now is left out.
pub fn unfinished(folder: &Path) -> Vec<UnfinishedFiles> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten().map(|e| e.path());
    let mut found: Vec<UnfinishedFiles> =
        entries.filter(|p| p.extension().is_some_and(|e| e == ENDING)).filter_map(|path| read(&path)).collect();
    found.sort_by_key(|u| u.asked.started);
    found
}

/// Tries for a moment to get a lock: a process that this one has just begun holds what was open until it is another program.
fn briefly(lock: impl Fn() -> Result<(), std::fs::TryLockError>) -> std::io::Result<()> {
    const TRIES: u32 = 5;
    for _ in 1..TRIES {
        match lock() {
            Err(std::fs::TryLockError::WouldBlock) => std::thread::sleep(std::time::Duration::from_millis(10)),
            done => return done.map_err(Into::into),
        }
    }
    lock().map_err(Into::into)
}

fn read(path: &Path) -> Option<UnfinishedFiles> {
    let file = File::open(path).ok()?;
    briefly(|| file.try_lock_shared()).ok()?;
    let mut so_far = NotedProgress::default();
    BufReader::new(&file).lines().map_while(Result::ok).for_each(|line| so_far.take(&line));
    let NotedProgress { noted, went_on, traces, ended } = so_far;
    let traces = traces.into_iter().map(|((device, inode), trace)| (Id { device, inode }, trace)).collect();
    Some(UnfinishedFiles { asked: noted?, went_on, traces, ended, path: path.into() })
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_file_erase::{FileSeen, Name, NameRemoval, NodeKind};

    #[test]
    fn notes_are_read_again_however_they_were_cut_short_and_only_where_nobody_works_on_them() {
        let dir = tempfile::tempdir().unwrap();
        let asked = Noted {
            job: "261126-4F7QZK".parse().unwrap(),
            started: jiff::Timestamp::UNIX_EPOCH,
            notation: "00".into(),
            keep_names: false,
            with_names: true,
            name_salt: vec![1],
            sample_salt: vec![2; 16],
            roots: vec![noted_root(Path::new("/srv/stations"), Id { device: 1, inode: 2 }, KnownBy::default())],
            grounds: vec![],
        };
        let mut notes = Notes::begin(dir.path(), &asked).unwrap();
        let trace = Trace { device: 1, inode: 7, born: (3, 4), length: 5, ..Trace::default() };
        notes.trace([&trace].into_iter()).unwrap();
        let id = |inode| Id { device: 1, inode };
        notes.ended(id(9), &FileEvidence::new(Name::Path("a".into()), NodeKind::Link, 0, 0));
        let evidence = FileEvidence::new(Name::Path("b".into()), NodeKind::File, 0, 5);
        let seen = Some(FileSeen { evidence: evidence.clone(), changed: (0, 0) });
        notes.trace([&Trace { inode: 11, seen, ..trace.clone() }].into_iter()).unwrap();
        notes.ended(id(11), &FileEvidence { removal: NameRemoval::Removed, attributes: 2, ..evidence });
        notes.lot_ended();
        assert!(unfinished(dir.path()).is_empty(), "somebody works on it");
        notes.file.write_all(b"{\"traced\":{\"dev").unwrap();
        drop(notes);
        let found = unfinished(dir.path()).pop().unwrap();
        assert_eq!((&found.asked, found.went_on, found.ended.len()), (&asked, 0, 2));
        assert_eq!(
            (found.ended[1].name.shown(), found.ended[1].removal, found.ended[1].attributes),
            ("b", NameRemoval::Removed, 2)
        );
        assert_eq!(found.traces[&Id { device: 1, inode: 7 }], trace);
        let mut again = Notes::go_on(&found, vec![]).unwrap();
        again.trace([&Trace { inode: 8, ..trace }].into_iter()).unwrap();
        drop(again);
        let found = unfinished(dir.path()).pop().unwrap();
        assert_eq!((found.went_on, found.traces.len()), (1, 3));
        Notes::go_on(&found, vec![]).unwrap().close();
        assert!(unfinished(dir.path()).is_empty());
    }
}
