//! The record of an erasure of less than a drive. It has no outcome.

use super::file::{Because, Ending, FileEvidence, Name, NodeKind};
use super::free::{FreeEvidence, FreeFinding};
use super::ground::StorageStack;
use super::strip::StripRun;
use jiff::Timestamp;
use jurex_pattern::text::{capital, hex, printable, shown_path};
use jurex_pattern::units::{counted, grouped, si_size};
use jurex_sanitize::plan::NamedPasses;
use jurex_sanitize::record::{JobId, Person, Tool};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

/// Name and version of the format.
pub const FORMAT: &str = "jurex-files/1";

/// What was asked for, of whom and when.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FileEraseOrder {
    /// Name of the work.
    pub job: JobId,
    /// The program.
    pub tool: Tool,
    /// Who had it done.
    pub by: Person,
    /// When it began, or the first time if it went on later.
    pub started: Timestamp,
    /// When it ended.
    pub ended: Timestamp,
    /// The passes in the notation.
    pub notation: String,
    /// How many they are.
    pub passes: u32,
    /// How often it was gone on with after an interruption.
    #[serde(default)]
    pub went_on: u32,
    /// Whether it was done in the demonstration, on its own made-up files.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub demonstration: bool,
}

/// The work itself.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "work", deny_unknown_fields)]
pub enum FileWork {
    /// Files and folders.
    Files {
        /// The paths that were asked for.
        roots: Vec<Name>,
        /// What names were digested with, in hexadecimal digits; empty: names stand as they were.
        salt: String,
        /// Whether names were kept.
        keep_names: bool,
        /// Grounds whose journal was emptied and overwritten with zeros afterwards, so that names are not found there.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        journals_emptied: Vec<u32>,
        /// Each file, folder, link.
        files: Vec<FileEvidence>,
    },
    /// Free space of the one ground.
    Free {
        /// What was done and seen.
        free: FreeEvidence,
    },
}

/// So many files of so many bytes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Counted {
    /// Files.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub files: u64,
    /// Their lengths together.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub bytes: u64,
}

/// Files that ended in the same way.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct EndedSo {
    /// How.
    pub ending: Ending,
    /// How many.
    pub sum: Counted,
    /// The reasons, with the number of files that each holds for.
    pub because: Vec<(Because, Counted)>,
}

/// What came of it: computed from the work, never set.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "of", deny_unknown_fields)]
pub enum FileTally {
    /// Of files: how many ended in which way, in the order of [`Ending::ALL`]; those that none ended in are left out.
    Files {
        /// The ways with their numbers, and the reasons with the number of files that each holds for.
        endings: Vec<EndedSo>,
        /// Folders, links and others that hold no contents.
        #[serde(with = "jurex_pattern::text::u64_string")]
        #[schemars(with = "jurex_pattern::text::Decimal")]
        other: u64,
    },
    /// Of free space.
    Free {
        /// What is said of it.
        finding: FreeFinding,
    },
}

/// A text that is no such record, or one that contradicts itself.
#[derive(Debug, thiserror::Error)]
pub enum BadFileEraseRecord {
    /// Not the JSON of one.
    #[error("this is not a record of files or free space")]
    NotOne(#[source] serde_json::Error),
    /// Another version of the format.
    #[error("the record's format is `{0}`; this version reads {FORMAT}")]
    OtherFormat(String),
    /// What it says does not follow from what it holds.
    #[error("the record has been altered: {0}")]
    DoesNotFollow(&'static str),
}

/// The record.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FileEraseRecord {
    format: String,
    /// What was asked for.
    pub asked: FileEraseOrder,
    grounds: Vec<StorageStack>,
    work: FileWork,
    /// Where it lay on each ground, in [`super::BINS`] parts.
    strips: Vec<Vec<StripRun>>,
    tally: FileTally,
}

#[derive(Deserialize)]
struct FileEraseHead {
    format: String,
}

/// What whoever reads such a record that nobody has signed must simply believe; its sums and what is said of each file follow from these.
pub const BELIEVED: [(&str, &str); 4] = [
    ("asked", "who did it, when, by which program, and which bytes its passes wrote: only their number is compared"),
    ("grounds", "what held it: file systems, their options, every layer beneath"),
    ("files", "of each file: its name, where it was, what was written, read back and found in its old places"),
    ("free, strips, roots, salt, keep_names, journals_emptied", "where it was, and how names stand here"),
];

impl FileEraseRecord {
    /// Of that work; what came of it is computed.
    ///
    /// # Errors
    /// A file lies on no ground: a defect of the caller.
    pub fn new(
        asked: FileEraseOrder,
        grounds: Vec<StorageStack>,
        work: FileWork,
        strips: Vec<Vec<StripRun>>,
    ) -> Result<Self, BadFileEraseRecord> {
        let tally = tally(&work, &grounds, asked.passes)?;
        Ok(Self { format: FORMAT.into(), asked, grounds, work, strips, tally })
    }

    /// Reads one, and computes again what came of it.
    ///
    /// # Errors
    /// Text that is none, another format, or what does not follow.
    pub fn from_json(text: &str) -> Result<Self, BadFileEraseRecord> {
        let head: FileEraseHead = serde_json::from_str(text).map_err(BadFileEraseRecord::NotOne)?;
        if head.format != FORMAT {
            return Err(BadFileEraseRecord::OtherFormat(printable(head.format.as_bytes())));
        }
        let read: Self = serde_json::from_str(text).map_err(BadFileEraseRecord::NotOne)?;
        let named = NamedPasses::of(&read.asked.notation).map(|named| named.count() as u64);
        if named != Some(read.asked.passes.into()) || read.most_passes() > read.asked.passes {
            return Err(BadFileEraseRecord::DoesNotFollow("the passes that it names are not as many as were written"));
        }
        if read.tally != tally(&read.work, &read.grounds, read.asked.passes)? {
            return Err(BadFileEraseRecord::DoesNotFollow("its sums do not follow from what was seen of each file"));
        }
        let fits = |r: &StripRun| r.first.checked_add(r.count).is_some_and(|end| end <= super::BINS);
        if read.strips.len() > read.grounds.len() || !read.strips.iter().flatten().all(fits) {
            return Err(BadFileEraseRecord::DoesNotFollow("a place lies outside of its file system"));
        }
        Ok(read)
    }

    /// Passes over what was overwritten most often.
    fn most_passes(&self) -> u32 {
        match &self.work {
            FileWork::Files { files, .. } => files.iter().map(|file| file.passes).max().unwrap_or(0),
            FileWork::Free { free } => free.fill.passes,
        }
    }

    /// As canonical JSON (RFC 8785).
    ///
    /// # Panics
    /// Never: every part can be written as JSON.
    pub fn to_json(&self) -> String {
        serde_json_canonicalizer::to_string(self).expect("a record is plain data")
    }

    /// SHA-256 of its canonical JSON, in hexadecimal digits.
    pub fn digest(&self) -> String {
        hex::encode(&Sha256::digest(self.to_json()))
    }

    /// What it lay on.
    pub fn grounds(&self) -> &[StorageStack] {
        &self.grounds
    }

    /// The work.
    pub fn work(&self) -> &FileWork {
        &self.work
    }

    /// Where it lay.
    pub fn strips(&self) -> &[Vec<StripRun>] {
        &self.strips
    }

    /// What came of it.
    pub fn tally(&self) -> &FileTally {
        &self.tally
    }

    /// Whether all ended as it was planned.
    pub fn kept_its_plan(&self) -> bool {
        match (&self.tally, &self.work) {
            (FileTally::Files { endings, .. }, FileWork::Files { files, .. }) => {
                let removed = |f: &FileEvidence| f.removal != super::NameRemoval::Left && f.attributes_left == 0;
                endings.iter().all(|e| e.ending <= Ending::Proved) && files.iter().all(removed)
            }
            (FileTally::Free { finding }, FileWork::Free { free }) => {
                *finding == FreeFinding::Proved && free.left_behind.is_empty()
            }
            _ => false,
        }
    }

    /// Whether the work was stopped before its end, so that it can be gone on with; what has failed in it is no such thing.
    pub fn is_cut_short(&self) -> bool {
        let stopped = |fault: &Option<String>| fault.as_ref().is_some_and(|f| f.starts_with(super::STOPPED));
        match &self.work {
            FileWork::Files { files, .. } => files.iter().any(|f| stopped(&f.fault)),
            FileWork::Free { free } => stopped(&free.fault),
        }
    }

    /// What came of it in sentences, the best first.
    pub fn results(&self) -> Vec<String> {
        let demonstration =
            "Demonstration: it was done on made-up files, in the demonstration's own folder. It says nothing about any others.";
        let said = self.said_of_work();
        said.into_iter().chain(self.asked.demonstration.then(|| demonstration.to_string())).collect()
    }

    fn said_of_work(&self) -> Vec<String> {
        match (&self.tally, &self.work) {
            (FileTally::Files { endings, other }, FileWork::Files { files, journals_emptied, .. }) => {
                let mut said = self.of_endings(endings);
                if *other > 0 {
                    said.push(format!("{} of folders, links and others, which hold no contents.", counted(*other, "name")));
                }
                let of = |is: &dyn Fn(&FileEvidence) -> bool| files.iter().filter(|f| is(f)).count() as u64;
                let (names, attributes) = (of(&|f| f.not_removed.is_some()), of(&|f| f.attributes_left > 0));
                if names > 0 {
                    said.push(format!("{} could not be removed.", counted(names, "name")));
                }
                if attributes > 0 {
                    said.push(format!("Attributes of {} could not be removed.", counted(attributes, "file")));
                }
                for ground in journals_emptied.iter().filter_map(|g| self.grounds.get(*g as usize)) {
                    said.push(format!("The journal of {} was emptied and overwritten with zeros.", ground.called()));
                }
                said
            }
            (FileTally::Free { finding }, FileWork::Free { free }) => {
                let mut said = vec![format!("{}.", capital(finding.sentence()))];
                said.extend(free.sentences());
                if free.fill.small > 0 {
                    said.push(format!(
                        "{} took entries of the table of files, and were removed.",
                        counted(free.fill.small, "small file")
                    ));
                }
                said.extend(free.fault.iter().map(|why| format!("It ended early: {why}.")));
                said.extend(free.left_behind.iter().map(|name| format!("{name} could not be removed.")));
                said.push("Names of deleted files in folders that are there are not reached.".into());
                said
            }
            _ => vec![],
        }
    }

    /// Why files were left as they were, each reason once.
    fn left_alone(&self) -> impl Iterator<Item = &'static str> {
        let files = match &self.work {
            FileWork::Files { files, .. } => files.as_slice(),
            FileWork::Free { .. } => &[],
        };
        let why: std::collections::BTreeSet<_> = files.iter().filter_map(|f| f.left_alone).collect();
        why.into_iter().map(super::LeftAlone::sentence)
    }

    fn of_endings(&self, endings: &[EndedSo]) -> Vec<String> {
        let one = |EndedSo { ending, sum, because }: &EndedSo| {
            let why = because.iter().map(|(why, of)| {
                if of.files == sum.files {
                    why.sentence().to_string()
                } else {
                    format!("{} ({})", why.sentence(), grouped(of.files))
                }
            });
            let left = self.left_alone().filter(|_| *ending == Ending::LeftAlone).map(String::from);
            let why: Vec<String> = why.chain(left).collect();
            let why = if why.is_empty() { String::new() } else { format!(" ({})", why.join("; ")) };
            format!("{}, {}: {}{why}.", counted(sum.files, "file"), si_size(sum.bytes), ending.sentence())
        };
        endings.iter().map(one).collect()
    }

    /// What was done, in one sentence.
    pub fn what(&self) -> String {
        match &self.work {
            FileWork::Files { roots, files, .. } => {
                let of = |kind| files.iter().filter(move |f| f.kind == kind);
                let bytes = of(NodeKind::File).map(|f| f.bytes).sum();
                format!(
                    "{} of {}, {}, under {}",
                    counted(of(NodeKind::File).count() as u64, "file"),
                    si_size(bytes),
                    counted(of(NodeKind::Folder).count() as u64, "folder"),
                    counted(roots.len() as u64, "path"),
                )
            }
            FileWork::Free { .. } => {
                format!("the free space of {}", self.grounds.first().map(StorageStack::called).unwrap_or_default())
            }
        }
    }
}

/// How a path stands in a record: as it is, or as its digest.
impl Name {
    /// As its digest under that salt, or made printable where there is none.
    pub fn of(path: &[u8], salt: Option<&[u8]>) -> Self {
        match salt {
            None => Name::Path(shown_path(Path::new(OsStr::from_bytes(path)))),
            Some(salt) => Name::Digest(hex::encode(&Sha256::new().chain_update(salt).chain_update(path).finalize())),
        }
    }

    /// As it stands.
    pub fn shown(&self) -> &str {
        match self {
            Name::Path(text) | Name::Digest(text) => text,
        }
    }
}

fn tally(work: &FileWork, grounds: &[StorageStack], passes: u32) -> Result<FileTally, BadFileEraseRecord> {
    let astray = BadFileEraseRecord::DoesNotFollow("a file is on a file system that is not in the record");
    match work {
        FileWork::Free { free } => match grounds {
            [ground] => Ok(FileTally::Free { finding: free.finding(ground, passes) }),
            _ => Err(astray),
        },
        FileWork::Files { files, .. } => {
            let mut sums: Vec<EndedSo> = vec![];
            let mut other = 0;
            for file in files {
                let ground = grounds.get(file.ground as usize).ok_or(BadFileEraseRecord::DoesNotFollow("a file lies nowhere"))?;
                let (ending, because) = file.ending(ground, passes);
                if file.kind != NodeKind::File && ending == Ending::Nothing {
                    other += 1;
                    continue;
                }
                let at = sums.iter().position(|e| e.ending == ending).unwrap_or_else(|| {
                    sums.push(EndedSo { ending, sum: Counted::default(), because: vec![] });
                    sums.len() - 1
                });
                let EndedSo { sum, because: reasons, .. } = &mut sums[at];
                add(sum, file.bytes);
                for reason in because {
                    match reasons.iter_mut().find(|(r, _)| *r == reason) {
                        Some((_, sum)) => add(sum, file.bytes),
                        None => reasons.push((reason, Counted { files: 1, bytes: file.bytes })),
                    }
                }
            }
            sums.sort_by_key(|e| e.ending);
            sums.iter_mut().for_each(|e| e.because.sort_by_key(|(r, _)| *r));
            Ok(FileTally::Files { endings: sums, other })
        }
    }
}

fn add(sum: &mut Counted, bytes: u64) {
    sum.files += 1;
    sum.bytes = sum.bytes.saturating_add(bytes);
}

#[cfg(test)]
mod tests {
    use super::super::ground::tests::ground;
    use super::super::{LeftAlone, NameRemoval, OldPlaces, WhyNotRead};
    use super::*;

    fn record() -> FileEraseRecord {
        let asked = FileEraseOrder {
            job: "261126-4F7QZK".parse().unwrap(),
            tool: Tool { name: "jurex".into(), version: "0".into() },
            by: Person::default(),
            started: Timestamp::UNIX_EPOCH,
            ended: Timestamp::UNIX_EPOCH,
            notation: "00".into(),
            passes: 1,
            went_on: 0,
            demonstration: false,
        };
        let mut proved = FileEvidence::new(Name::of(b"/srv/a", None), NodeKind::File, 0, 4096);
        (proved.before.mapped, proved.read_back.right, proved.passes, proved.moved) = (4096, 4096, 1, Some(false));
        proved.look = OldPlaces::Read { of: 4096, pattern: 4096, former: 0, unreadable: 0 };
        proved.removal = NameRemoval::Removed;
        let unseen = FileEvidence { look: OldPlaces::NotRead { why: WhyNotRead::NoRights }, bytes: 100, ..proved.clone() };
        let left = FileEvidence { left_alone: Some(LeftAlone::Immutable), bytes: 7, ..unseen.clone() };
        let folder =
            FileEvidence { removal: NameRemoval::Removed, ..FileEvidence::new(Name::of(b"/srv", None), NodeKind::Folder, 0, 0) };
        let files = vec![proved, unseen.clone(), left, unseen, folder];
        let work = FileWork::Files {
            roots: vec![Name::of(b"/srv", None)],
            salt: String::new(),
            keep_names: false,
            journals_emptied: vec![],
            files,
        };
        FileEraseRecord::new(asked, vec![ground("ext4", &[], vec![])], work, vec![vec![]]).unwrap()
    }

    #[test]
    fn what_came_of_it_is_counted_from_the_files_and_counted_again_when_it_is_read() {
        let record = record();
        let one = |files, bytes| Counted { files, bytes };
        let so = |ending, sum, because| EndedSo { ending, sum, because };
        let expected = FileTally::Files {
            endings: vec![
                so(Ending::Proved, one(1, 4096), vec![]),
                so(Ending::NotProvable, one(2, 200), vec![(Because::NoRights, one(2, 200))]),
                so(Ending::LeftAlone, one(1, 7), vec![]),
            ],
            other: 1,
        };
        assert_eq!(record.tally(), &expected);
        assert!(!record.kept_its_plan() && !record.is_cut_short());
        assert_eq!(
            record.results()[..3],
            [
                "1 file, 4.10 kB: overwritten in place, read on the device.",
                "2 files, 200 B: overwritten, not provable (the device can't be read without rights).",
                "1 file, 7 B: left as it was (it must not be changed: chattr -i -a takes that away).",
            ]
        );
        let text = record.to_json();
        assert_eq!(FileEraseRecord::from_json(&text).unwrap(), record);
        for (from, to) in [
            ("\"why\":\"no-rights\"", "\"why\":\"no-device\""),
            ("{\"bytes\":\"4096\",\"files\":\"1\"}", "{\"bytes\":\"4296\",\"files\":\"3\"}"),
            ("\"kind\":\"ext4\"", "\"kind\":\"btrfs\""),
            ("\"pattern\":\"4096\"", "\"pattern\":\"4095\""),
            ("\"notation\":\"00\"", "\"notation\":\"00 | ff | random\""),
            ("\"notation\":\"00\"", "\"notation\":\"three passes\""),
            ("\"passes\":1", "\"passes\":3"),
        ] {
            let altered = text.replacen(from, to, 1);
            assert_ne!(altered, text, "{from}");
            assert!(matches!(FileEraseRecord::from_json(&altered), Err(BadFileEraseRecord::DoesNotFollow(_))), "{from}");
        }
        assert!(matches!(
            FileEraseRecord::from_json(&text.replace("jurex-files/1", "jurex-files/9")),
            Err(BadFileEraseRecord::OtherFormat(_))
        ));
    }

    #[test]
    fn a_plan_is_kept_where_everything_was_proved_and_removed_and_nothing_less() {
        let good = {
            let mut record = record();
            let FileWork::Files { files, .. } = &mut record.work else { panic!() };
            files.retain(|f| f.kind == NodeKind::Folder || f.look != OldPlaces::NotRead { why: WhyNotRead::NoRights });
            files.retain(|f| f.left_alone.is_none());
            FileEraseRecord::new(record.asked, record.grounds, record.work, record.strips).unwrap()
        };
        assert!(good.kept_its_plan() && !good.is_cut_short() && good.digest().len() == 64 && good.grounds().len() == 1);
        let with = |change: &dyn Fn(&mut FileEvidence)| {
            let mut record = good.clone();
            let FileWork::Files { files, .. } = &mut record.work else { panic!() };
            change(&mut files[0]);
            FileEraseRecord::new(record.asked, record.grounds, record.work, record.strips).unwrap()
        };
        let cut = with(&|f| f.fault = Some(format!("{}: by its person", super::super::STOPPED)));
        assert!(!cut.kept_its_plan() && cut.is_cut_short());
        let failed = with(&|f| f.fault = Some("an error".into()));
        assert!(!failed.kept_its_plan() && !failed.is_cut_short(), "what has failed is not gone on with");
        assert!(!with(&|f| f.removal = NameRemoval::Left).kept_its_plan());
        let attributes = with(&|f| f.attributes_left = 2);
        assert!(
            !attributes.kept_its_plan() && attributes.results().iter().any(|s| s == "Attributes of 1 file could not be removed.")
        );
        assert!(with(&|f| f.not_removed = Some("busy".into())).results().iter().any(|s| s == "1 name could not be removed."));
        assert!(good.results().iter().all(|s| !s.contains("could not be removed")), "{:?}", good.results());
        assert!(good.what().starts_with("1 file of 4.10 kB, 1 folder, under 1 path"), "{}", good.what());
    }

    #[test]
    fn more_passes_than_were_named_are_refused_and_a_file_without_contents_is_no_folder() {
        let record = record();
        let with = |change: &dyn Fn(&mut FileEvidence)| {
            let mut changed = record.clone();
            let FileWork::Files { files, .. } = &mut changed.work else { panic!() };
            change(&mut files[0]);
            changed.tally = tally(&changed.work, &changed.grounds, 1).unwrap();
            FileEraseRecord::from_json(&changed.to_json())
        };
        assert!(with(&|_| {}).is_ok() && with(&|f| f.passes = 0).is_ok());
        assert!(matches!(with(&|f| f.passes = 2), Err(BadFileEraseRecord::DoesNotFollow(_))));
        let empty = with(&|f| f.before.mapped = 0).unwrap();
        let FileTally::Files { endings, other } = empty.tally() else { panic!() };
        let nothing: Vec<u64> = endings.iter().filter(|e| e.ending == Ending::Nothing).map(|e| e.sum.files).collect();
        assert_eq!((nothing, *other), (vec![1], 1), "it is told with the files");
        let kept = FileEvidence { kind: NodeKind::Folder, left_alone: Some(LeftAlone::Immutable), ..record_file(&record) };
        let left = with(&|f| *f = kept.clone()).unwrap();
        let FileTally::Files { endings, other } = left.tally() else { panic!() };
        let alone: Vec<u64> = endings.iter().filter(|e| e.ending == Ending::LeftAlone).map(|e| e.sum.files).collect();
        assert_eq!((alone, *other), (vec![2], 1), "a folder that was left is told too");
        assert!(
            left.results().iter().any(|s| s == "1 name of folders, links and others, which hold no contents."),
            "{:?}",
            left.results()
        );
        let mut files_only = record.clone();
        let FileWork::Files { files, .. } = &mut files_only.work else { panic!() };
        files.retain(|f| f.kind == NodeKind::File);
        files_only.tally = tally(&files_only.work, &files_only.grounds, 1).unwrap();
        assert!(files_only.results().iter().all(|s| !s.contains("of folders")), "{:?}", files_only.results());
        assert_eq!(record.strips(), [vec![]]);
    }

    fn record_file(record: &FileEraseRecord) -> FileEvidence {
        let FileWork::Files { files, .. } = &record.work else { panic!() };
        files[0].clone()
    }

    #[test]
    fn of_free_space_it_says_what_was_reached_and_what_stays() {
        use super::super::{FileReadBack, Fill, FreeEvidence, FreeProof};
        const MIB: u64 = 1 << 20;
        let (by, placed) = ("its own map".to_string(), true);
        let proof = FreeProof::Read { by, placed, free: 1000 * MIB, pattern: 950 * MIB, unreached: 50 * MIB, unreadable: 0 };
        let read_back = FileReadBack { right: 950 * MIB, ..FileReadBack::default() };
        let free = FreeEvidence {
            free_before: 1000 * MIB,
            reserve: 50 * MIB,
            fill: Fill { laid: 950 * MIB, files: 1, passes: 1, past_caches: true, read_back, ..Fill::default() },
            proof,
            free_after: 1000 * MIB,
            left_behind: vec![],
            fault: None,
        };
        let with = |change: &dyn Fn(&mut FreeEvidence)| {
            let mut free = free.clone();
            change(&mut free);
            FileEraseRecord::new(record().asked, record().grounds, FileWork::Free { free }, vec![]).unwrap()
        };
        let good = with(&|_| {});
        assert!(good.kept_its_plan() && !good.is_cut_short(), "{:?}", good.tally());
        assert_eq!(FileEraseRecord::from_json(&good.to_json()).unwrap(), good);
        let said = good.results();
        assert!(
            said[0] == "Filled but for the reserve, read on the device." && said.iter().all(|s| !s.contains("small file")),
            "{said:?}"
        );
        assert!(said.last().unwrap().starts_with("Names of deleted files"));
        let some = with(&|f| (f.fill.small, f.left_behind) = (3, vec![".jurex-free-x".into()]));
        assert!(!some.kept_its_plan(), "something of it is there still");
        assert!(some.results().iter().any(|s| s.starts_with("3 small files took entries")), "{:?}", some.results());
        assert!(!with(&|f| f.fill.laid = 500 * MIB).kept_its_plan());
        let twice = with(&|f| f.fill.passes = 2);
        assert!(FileEraseRecord::from_json(&twice.to_json()).is_err(), "one pass was named");
        let two = [record().grounds, record().grounds].concat();
        assert!(FileEraseRecord::new(record().asked, two, FileWork::Free { free }, vec![]).is_err(), "it lies on one");
    }

    #[test]
    fn a_place_that_its_file_system_does_not_have_is_refused() {
        let record = record();
        let with = |strips: Vec<Vec<StripRun>>| {
            let changed = FileEraseRecord { strips, ..record.clone() };
            FileEraseRecord::from_json(&changed.to_json()).is_ok()
        };
        let run = |first, count| StripRun { first, count, shown: super::super::ShownPart::Laid };
        let bins = super::super::BINS;
        assert!(with(vec![vec![run(bins - 1, 1)]]) && !with(vec![vec![run(bins - 1, 2)]]) && !with(vec![vec![run(1, u32::MAX)]]));
        assert!(with(vec![]) && !with(vec![vec![], vec![]]), "of more grounds than there are");
    }

    #[test]
    fn a_digested_name_is_found_by_who_knows_the_path_and_the_salt() {
        assert_eq!(Name::of(b"/srv/\x07a", None).shown(), shown_path(Path::new("/srv/\x07a")));
        let digest = Name::of(b"/srv/a", Some(b"salt"));
        assert_eq!(digest, Name::of(b"/srv/a", Some(b"salt")));
        assert_ne!(digest, Name::of(b"/srv/a", Some(b"other")));
        assert!(!digest.shown().contains("srv") && digest.shown().len() == 64);
    }
}
