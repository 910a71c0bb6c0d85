//! Notes of an erasure of files while it runs, each one JSON document on a line: with them it can go on after whatever has cut it short. They
//! hold the paths that were named, and no other names.

use super::file::{FileEvidence, NameRemoval, NodeKind};
use super::ground::StorageStack;
use super::trace::{FileSeen, Trace};
use jurex_sanitize::record::JobId;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;

/// What was asked for at first.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Noted {
    /// Name of the work.
    pub job: JobId,
    /// When it began.
    pub started: jiff::Timestamp,
    /// The passes.
    pub notation: String,
    /// Whether names stay.
    pub keep_names: bool,
    /// Whether names stand in the record.
    pub with_names: bool,
    /// What names are digested with.
    #[serde(with = "jurex_pattern::text::hex")]
    pub name_salt: Vec<u8>,
    /// What sectors are digested with.
    #[serde(with = "jurex_pattern::text::hex")]
    pub sample_salt: Vec<u8>,
    /// The paths.
    pub roots: Vec<NotedRoot>,
    /// What they lie on: evidence names grounds by their places here. Going on may add to them.
    pub grounds: Vec<StorageStack>,
}

/// A path that was named, and which file or folder it was.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct NotedRoot {
    /// Its bytes.
    #[serde(with = "jurex_pattern::text::hex")]
    pub path: Vec<u8>,
    /// The file system's number.
    pub device: u64,
    /// The file's number in it.
    pub inode: u64,
    /// What else tells it from others: numbers come to other files, and other sticks to the same place.
    #[serde(default)]
    pub known_by: KnownBy,
}

/// What tells a file or folder from others that have its numbers, as far as its file system tells it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct KnownBy {
    /// Its file system's own identity (UUID, or what `statfs` calls it), in hexadecimal digits.
    pub system: Option<String>,
    /// When it was made, in seconds and nanoseconds.
    pub born: Option<(i64, u32)>,
    /// How often its number has been given out.
    pub generation: Option<u64>,
    /// Its length, of a file.
    pub bytes: Option<u64>,
}

impl KnownBy {
    /// Whether both may be of one file: nothing that both tell differs, and they tell of one file system. A file that has another name by
    /// now must be known by more than that (`renamed`): when it was made, or its number's generation.
    pub fn is_of(&self, now: &Self, renamed: bool) -> bool {
        fn differ<T: PartialEq>(a: &Option<T>, b: &Option<T>) -> bool {
            matches!((a, b), (Some(a), Some(b)) if a != b)
        }
        let other = differ(&self.system, &now.system)
            || differ(&self.born, &now.born)
            || differ(&self.generation, &now.generation)
            // On its way out it is made whole blocks long, and then cut to nothing: only its name's being the same makes its length tell.
            || (!renamed && self.bytes.is_some_and(|then| now.bytes.is_some_and(|now| now != 0 && now < then)));
        let told = |a: bool, b: bool| a && b;
        let by_itself =
            told(self.born.is_some(), now.born.is_some()) || told(self.generation.is_some(), now.generation.is_some());
        let same_system = told(self.system.is_some(), now.system.is_some());
        !other && same_system && (by_itself || !renamed)
    }
}

/// One note.
#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum WorkNote {
    /// What was asked for; the first one.
    Asked(Noted),
    /// It goes on after an interruption, on these grounds too.
    WentOn(Vec<StorageStack>),
    /// How a file lies, or what was seen of it once it was overwritten.
    Traced(Trace),
    /// A file that was seen when it was overwritten, as a trace tells, and what became of its name and attributes.
    Removed(u64, u64, NameRemoval, u32, u32, Option<String>),
    /// Anything else that is done with, or left.
    Ended(FileEvidence),
}

impl WorkNote {
    /// That this one is done with.
    pub fn ended(device: u64, inode: u64, evidence: &FileEvidence) -> Self {
        if evidence.kind != NodeKind::File || evidence.left_alone.is_some() || evidence.fault.is_some() {
            return WorkNote::Ended(evidence.clone());
        }
        let FileEvidence { removal, attributes, attributes_left, not_removed, .. } = evidence;
        WorkNote::Removed(device, inode, *removal, *attributes, *attributes_left, not_removed.clone())
    }

    /// Writes how a file lies, or what was seen of it, as a line.
    ///
    /// # Errors
    /// What can't be written as JSON: none of these.
    pub fn write_trace(trace: &Trace, to: &mut Vec<u8>) -> std::io::Result<()> {
        #[derive(Serialize)]
        #[serde(rename_all = "kebab-case")]
        enum Borrowed<'t> {
            Traced(&'t Trace),
        }
        serde_json::to_writer(&mut *to, &Borrowed::Traced(trace))?;
        to.push(b'\n');
        Ok(())
    }

    /// Writes it as a line.
    ///
    /// # Errors
    /// What can't be written as JSON: none of these.
    pub fn write(&self, to: &mut Vec<u8>) -> std::io::Result<()> {
        serde_json::to_writer(&mut *to, self)?;
        to.push(b'\n');
        Ok(())
    }
}

/// What notes come to.
#[derive(Debug, Default)]
pub struct NotedProgress {
    /// What was asked for.
    pub noted: Option<Noted>,
    /// How often it was gone on with.
    pub went_on: u32,
    /// Files by their file system's number and their own.
    pub traces: HashMap<(u64, u64), Trace>,
    /// What is done with, or left.
    pub ended: Vec<FileEvidence>,
}

impl NotedProgress {
    /// Takes one line; one that was cut short is passed over.
    pub fn take(&mut self, line: &str) {
        match serde_json::from_str(line) {
            Ok(WorkNote::Asked(noted)) => self.noted = Some(noted),
            Ok(WorkNote::WentOn(grounds)) => {
                self.went_on += 1;
                self.noted.iter_mut().for_each(|n| n.grounds.clone_from(&grounds));
            }
            Ok(WorkNote::Traced(mut trace)) => {
                let id = (trace.device, trace.inode);
                if let (Some(before), Some(_)) = (self.traces.get(&id), &trace.seen) {
                    // How it lay was noted before.
                    trace.lies = before.lies.clone();
                    trace.name = trace.name.or_else(|| before.name.clone());
                }
                self.traces.insert(id, trace);
            }
            Ok(WorkNote::Removed(device, inode, removal, attributes, attributes_left, not_removed)) => {
                let seen = self.traces.get(&(device, inode)).and_then(|t| t.seen.as_ref());
                let became =
                    |s: &FileSeen| FileEvidence { removal, attributes, attributes_left, not_removed, ..s.evidence.clone() };
                self.ended.extend(seen.map(became));
            }
            Ok(WorkNote::Ended(file)) => self.ended.push(file),
            Err(_) => {}
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_noted_of_a_file_is_there_again() {
        let (mut lines, mut progress) = (vec![], NotedProgress::default());
        let trace = Trace { device: 7, inode: 12, length: 5000, ..Trace::default() };
        WorkNote::write_trace(&trace, &mut lines).unwrap();
        let text = String::from_utf8(lines).unwrap();
        assert!(text.ends_with('\n'));
        text.lines().for_each(|line| progress.take(line));
        assert_eq!(progress.traces.get(&(7, 12)), Some(&trace));
    }

    #[test]
    fn a_file_is_taken_up_again_only_where_nothing_tells_it_from_another() {
        let known = KnownBy { system: Some("a1".into()), born: Some((7, 3)), generation: Some(5), bytes: Some(4096) };
        let is = |change: &dyn Fn(&mut KnownBy), renamed| {
            let mut now = known.clone();
            change(&mut now);
            (known.is_of(&now, renamed), now.is_of(&known, renamed))
        };
        assert_eq!((is(&|_| {}, false), is(&|_| {}, true)), ((true, true), (true, true)));
        for (what, change) in [
            ("another file system", &(|k: &mut KnownBy| k.system = Some("b2".into())) as &dyn Fn(&mut KnownBy)),
            ("made at another time", &|k| k.born = Some((7, 4))),
            ("its number was given out anew", &|k| k.generation = Some(6)),
        ] {
            assert_eq!((is(change, false), is(change, true)), ((false, false), (false, false)), "{what}");
        }
        // Where either does not tell its file system nothing is known; what tells only that is known by its name alone.
        assert_eq!(is(&|k| k.system = None, false), (false, false));
        assert_eq!((is(&|k| k.born = None, true), is(&|k| k.generation = None, true)), ((true, true), (true, true)));
        let neither = |k: &mut KnownBy| (k.born, k.generation) = (None, None);
        assert_eq!((is(&neither, false), is(&neither, true)), ((true, true), (false, false)));
        // It is made whole blocks long, and cut to nothing in the end; shorter than it was, but not empty, is another of its name.
        let long = |bytes| move |k: &mut KnownBy| k.bytes = Some(bytes);
        assert!(known.is_of(&KnownBy { bytes: Some(8192), ..known.clone() }, false));
        assert!(is(&long(0), false).0);
        assert_eq!((is(&long(4095), false).0, is(&long(4095), true).0, is(&long(4096), false).0), (false, true, true));
        assert_eq!(is(&|k| k.bytes = None, false), (true, true));
    }
}
