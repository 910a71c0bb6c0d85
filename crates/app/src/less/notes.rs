//! What is noted of an erasure of files while it runs, so that it can go on after whatever has cut it short: one JSON document a line, removed
//! when the work has ended. It holds the paths that were named, and no other names.

use jurex_core::less::{FileEvidence, Ground, Trace};
use jurex_core::record::JobId;
use jurex_linux::files::Id;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::ffi::OsString;
use std::fs::File;
use std::io::{BufRead, BufReader, Write};
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Path, PathBuf};

/// How notes of unfinished work end.
const ENDING: &str = "notes";

/// What was asked for at first.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Asked {
    pub(crate) job: JobId,
    pub(crate) started: jiff::Timestamp,
    pub(crate) notation: String,
    pub(crate) keep_names: bool,
    /// Whether names stand in the record.
    pub(crate) with_names: bool,
    #[serde(with = "jurex_core::text::hex")]
    pub(crate) name_salt: Vec<u8>,
    #[serde(with = "jurex_core::text::hex")]
    pub(crate) sample_salt: Vec<u8>,
    pub(crate) roots: Vec<NotedRoot>,
    /// What they lie on: evidence names grounds by their places here.
    pub(crate) grounds: Vec<Ground>,
}

/// A path that was named, and which file or folder it was.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct NotedRoot {
    #[serde(with = "jurex_core::text::hex")]
    path: Vec<u8>,
    device: u64,
    inode: u64,
}

impl NotedRoot {
    pub(crate) fn new(path: &Path, id: Id) -> Self {
        Self { path: path.as_os_str().as_bytes().to_vec(), device: id.device, inode: id.inode }
    }

    pub(crate) fn path(&self) -> PathBuf {
        OsString::from_vec(self.path.clone()).into()
    }

    /// Where it is now: under its name, or under the one that it was given on its way out. `None`: it is gone.
    pub(crate) fn now(&self) -> Option<PathBuf> {
        let path = self.path();
        let id = Id { device: self.device, inode: self.inode };
        jurex_linux::files::found_again(path.parent()?, id)
    }
}

#[derive(Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
enum Line {
    Asked(Asked),
    /// It goes on after an interruption.
    WentOn,
    Traced(Trace),
    Ended(FileEvidence),
}

/// Notes of work that is under way. Others see that it is by the lock.
#[derive(Debug)]
pub(crate) struct Notes {
    file: File,
    path: PathBuf,
}

/// What notes of work that was cut short say.
#[derive(Debug)]
pub(crate) struct Unfinished {
    pub(crate) asked: Asked,
    pub(crate) went_on: u32,
    pub(crate) traces: HashMap<Id, Trace>,
    pub(crate) ended: Vec<FileEvidence>,
    path: PathBuf,
}

impl Notes {
    /// Begins notes in that folder.
    pub(crate) fn begin(folder: &Path, asked: &Asked) -> std::io::Result<Self> {
        std::fs::create_dir_all(folder)?;
        let path = folder.join(format!("{}.{ENDING}", asked.job));
        let mut options = File::options();
        std::os::unix::fs::OpenOptionsExt::mode(&mut options, 0o600);
        let file = options.append(true).create_new(true).open(&path)?;
        file.lock()?;
        let mut notes = Self { file, path };
        notes.add(&[Line::Asked(asked.clone())], true)?;
        Ok(notes)
    }

    /// Goes on with notes of work that was cut short.
    pub(crate) fn go_on(unfinished: &Unfinished) -> std::io::Result<Self> {
        let file = File::options().append(true).open(&unfinished.path)?;
        file.try_lock().map_err(std::io::Error::from)?;
        let mut notes = Self { file, path: unfinished.path.clone() };
        // A line that was cut short ends here.
        notes.file.write_all(b"\n")?;
        notes.add(&[Line::WentOn], true)?;
        Ok(notes)
    }

    fn add(&mut self, lines: &[Line], to_disk: bool) -> std::io::Result<()> {
        let mut text = vec![];
        for line in lines {
            serde_json::to_writer(&mut text, line)?;
            text.push(b'\n');
        }
        self.file.write_all(&text)?;
        if to_disk { self.file.sync_data() } else { Ok(()) }
    }

    /// Notes how files lay, or what was seen of them; it is on disk when this ends.
    pub(crate) fn trace(&mut self, traces: &[Trace]) -> std::io::Result<()> {
        self.add(&traces.iter().cloned().map(Line::Traced).collect::<Vec<_>>(), true)
    }

    /// Notes what is done with. If it is lost, the traces tell almost as much.
    pub(crate) fn ended(&mut self, files: &[FileEvidence]) {
        if let Err(e) = self.add(&files.iter().cloned().map(Line::Ended).collect::<Vec<_>>(), false) {
            tracing::warn!("what is done with could not be noted: {e}");
        }
    }

    /// The work has ended: there is nothing to go on with.
    pub(crate) fn close(self) {
        if let Err(e) = std::fs::remove_file(&self.path) {
            tracing::warn!("notes of work that has ended are left in {}: {e}", self.path.display());
        }
    }
}

/// Work that was cut short, by the notes in that folder; that which runs now is left out.
pub(crate) fn unfinished(folder: &Path) -> Vec<Unfinished> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten().map(|e| e.path());
    let mut found: Vec<Unfinished> =
        entries.filter(|p| p.extension().is_some_and(|e| e == ENDING)).filter_map(|path| read(&path)).collect();
    found.sort_by(|a, b| a.asked.started.cmp(&b.asked.started));
    found
}

fn read(path: &Path) -> Option<Unfinished> {
    let file = File::open(path).ok()?;
    file.try_lock_shared().ok()?;
    let (mut asked, mut went_on, mut traces, mut ended) = (None, 0, HashMap::new(), vec![]);
    for line in BufReader::new(&file).lines().map_while(Result::ok) {
        // The last line may have been cut short.
        match serde_json::from_str(&line) {
            Ok(Line::Asked(a)) => asked = Some(a),
            Ok(Line::WentOn) => went_on += 1,
            Ok(Line::Traced(trace)) => {
                traces.insert(Id { device: trace.device, inode: trace.inode }, trace);
            }
            Ok(Line::Ended(file)) => ended.push(file),
            Err(_) => {}
        }
    }
    Some(Unfinished { asked: asked?, went_on, traces, ended, path: path.into() })
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_core::less::{Kind, Name};

    #[test]
    fn notes_are_read_again_however_they_were_cut_short_and_only_where_nobody_works_on_them() {
        let dir = tempfile::tempdir().unwrap();
        let asked = Asked {
            job: "261126-4F7QZK".parse().unwrap(),
            started: jiff::Timestamp::UNIX_EPOCH,
            notation: "00".into(),
            keep_names: false,
            with_names: true,
            name_salt: vec![1],
            sample_salt: vec![2; 16],
            roots: vec![NotedRoot::new(Path::new("/srv/stations"), Id { device: 1, inode: 2 })],
            grounds: vec![],
        };
        let mut notes = Notes::begin(dir.path(), &asked).unwrap();
        let trace = Trace { device: 1, inode: 7, born: (3, 4), length: 5, lies: Default::default(), samples: vec![], seen: None };
        notes.trace(std::slice::from_ref(&trace)).unwrap();
        notes.ended(&[FileEvidence::new(Name::Path("a".into()), Kind::Link, 0, 0)]);
        assert!(unfinished(dir.path()).is_empty(), "somebody works on it");
        notes.file.write_all(b"{\"traced\":{\"dev").unwrap();
        drop(notes);
        let found = unfinished(dir.path()).pop().unwrap();
        assert_eq!((&found.asked, found.went_on, found.ended.len()), (&asked, 0, 1));
        assert_eq!(found.traces[&Id { device: 1, inode: 7 }], trace);
        let mut again = Notes::go_on(&found).unwrap();
        again.trace(&[Trace { inode: 8, ..trace }]).unwrap();
        drop(again);
        let found = unfinished(dir.path()).pop().unwrap();
        assert_eq!((found.went_on, found.traces.len()), (1, 2));
        Notes::go_on(&found).unwrap().close();
        assert!(unfinished(dir.path()).is_empty());
    }
}
