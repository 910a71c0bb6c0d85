//! What was done to one file and what was seen of it, and what follows.

use super::ground::{StorageStack, Weight};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a name leads to.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum NodeKind {
    /// A file with contents.
    #[default]
    File,
    /// A folder.
    Folder,
    /// A symbolic link, never what it leads to; or a further name of a file that is counted already.
    Link,
    /// A pipe, socket or device node: it alone.
    Special,
}

/// How a file is named in a record.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Name {
    /// By its path, made printable.
    Path(String),
    /// By SHA-256 of the record's salt and its path, in hexadecimal digits: who knows the path finds it.
    Digest(String),
}

/// How a file lay before anything was written, in bytes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct FileBefore {
    /// Stretches that it lay in.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub stretches: u64,
    /// In blocks of its own, the slack of the last one included; holes are not.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub mapped: u64,
    /// Of these, where no place was told.
    #[serde(with = "jurex_pattern::text::u64_string", skip_serializing_if = "is_none")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub unplaced: u64,
    /// Of these, shared with other files or snapshots.
    #[serde(with = "jurex_pattern::text::u64_string", skip_serializing_if = "is_none")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub shared: u64,
    /// Of these, compressed or encrypted by the file system.
    #[serde(with = "jurex_pattern::text::u64_string", skip_serializing_if = "is_none")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub encoded: u64,
    /// Inside the file system's own tables.
    #[serde(with = "jurex_pattern::text::u64_string", skip_serializing_if = "is_none")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub inline: u64,
}

/// What was read back of the last pass through the file, past caches, in bytes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct FileReadBack {
    /// As it was laid.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub right: u64,
    /// Otherwise.
    #[serde(with = "jurex_pattern::text::u64_string", skip_serializing_if = "is_none")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub wrong: u64,
    /// Not to be read.
    #[serde(with = "jurex_pattern::text::u64_string", skip_serializing_if = "is_none")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub unreadable: u64,
}

fn is_none(number: &u64) -> bool {
    *number == 0
}

fn is_zero(number: &u32) -> bool {
    *number == 0
}

fn is_default<T: Default + PartialEq>(value: &T) -> bool {
    *value == T::default()
}

/// Why the old places of a file were not read on the device.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum WhyNotRead {
    /// Without rights no device can be read.
    NoRights,
    /// There is no block device beneath.
    NoDevice,
    /// The file system does not tell the places of its files.
    NoPlaces,
    /// It lays its blocks over several drives in a way that is not followed here.
    Striped,
    /// The work ended before.
    NotReached,
}

/// What lay in the file's old places on the device afterwards.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "on-device", deny_unknown_fields)]
pub enum OldPlaces {
    /// They were not read.
    NotRead {
        /// Why.
        why: WhyNotRead,
    },
    /// Read, past caches; in bytes. Where the file system keeps each block twice, both are read.
    Read {
        /// To be read.
        #[serde(with = "jurex_pattern::text::u64_string")]
        #[schemars(with = "jurex_pattern::text::Decimal")]
        of: u64,
        /// Holding the last pass.
        #[serde(with = "jurex_pattern::text::u64_string")]
        #[schemars(with = "jurex_pattern::text::Decimal")]
        pattern: u64,
        /// Seen to hold what they held before. Only places that were read before are compared, some of each file.
        #[serde(with = "jurex_pattern::text::u64_string", default, skip_serializing_if = "is_none")]
        #[schemars(with = "jurex_pattern::text::Decimal")]
        former: u64,
        /// Not to be read.
        #[serde(with = "jurex_pattern::text::u64_string", default, skip_serializing_if = "is_none")]
        #[schemars(with = "jurex_pattern::text::Decimal")]
        unreadable: u64,
    },
}

/// Why a file was left as it was.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum LeftAlone {
    /// It must not be changed (immutable, append-only, sealed).
    Immutable,
    /// It is swapped to.
    Swap,
    /// It is attached as a drive.
    Image,
    /// It is a program that runs.
    Runs,
    /// It is a file of Jurex itself.
    Own,
    /// No right to write to it.
    NoRights,
    /// The file system is read-only.
    ReadOnly,
    /// Another file system is mounted there.
    OtherMount,
    /// It is not what it was when the tree was looked at.
    Changed,
    /// It is gone.
    Gone,
    /// It could not be opened.
    Unopened,
}

impl LeftAlone {
    /// As a part of a sentence.
    pub fn sentence(self) -> &'static str {
        match self {
            LeftAlone::Immutable => "it must not be changed: chattr -i -a takes that away",
            LeftAlone::Swap => "it is swapped to",
            LeftAlone::Image => "it is attached as a drive",
            LeftAlone::Runs => "it is a program that runs, or swapped to",
            LeftAlone::Own => "it is a file of Jurex itself",
            LeftAlone::NoRights => "no right to write to it",
            LeftAlone::ReadOnly => "its file system is read-only",
            LeftAlone::OtherMount => "another file system is mounted there",
            LeftAlone::Changed => "it is not what it was when the tree was looked at",
            LeftAlone::Gone => "it is gone",
            LeftAlone::Unopened => "it can't be opened",
        }
    }
}

/// What became of the name.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum NameRemoval {
    /// It stands where it stood, with no contents.
    Kept,
    /// Renamed, in its own length first, and removed.
    Removed,
    /// Removed, but not renamed before.
    RemovedAsItWas,
    /// It could not be removed.
    #[default]
    Left,
}

/// How the fault of what was only stopped begins: it can be gone on with.
pub const STOPPED: &str = "the work was stopped";

/// What was done to one file, and what was seen.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FileEvidence {
    /// Its name.
    pub name: Name,
    /// What it is.
    pub kind: NodeKind,
    /// Which of the record's grounds it lies on.
    pub ground: u32,
    /// Its length in bytes.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub bytes: u64,
    /// Other names of the same file, which keep an empty file.
    #[serde(default, skip_serializing_if = "is_none", with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub other_names: u64,
    /// How it lay.
    #[serde(default, skip_serializing_if = "is_default")]
    pub before: FileBefore,
    /// Whether its contents go through the journal by its own attribute.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub journaled: bool,
    /// Whether the file system overwrites it in its place by its own attribute, where it copies others.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub not_copied: bool,
    /// Whether somebody else had it open so that bytes could come at any time, until its name went.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub open_elsewhere: bool,
    /// Passes that were laid over all of it and flushed.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub passes: u32,
    /// Whether passes went past the system's caches.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub past_caches: bool,
    /// What was read back.
    #[serde(default, skip_serializing_if = "is_default")]
    pub read_back: FileReadBack,
    /// What lay in its old places.
    pub look: OldPlaces,
    /// Whether it lay elsewhere after it was written to; `None`: not told.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub moved: Option<bool>,
    /// Extended attributes and further streams that were written over and removed.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub attributes: u32,
    /// Those that could not be.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub attributes_left: u32,
    /// Why it was left as it was.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub left_alone: Option<LeftAlone>,
    /// Why it did not come to its end, in the system's words.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fault: Option<String>,
    /// What became of its name.
    #[serde(default)]
    pub removal: NameRemoval,
    /// Why its name could not be removed, in the system's words.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub not_removed: Option<String>,
}

/// What is said of a file's contents. From the best to the worst.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Ending {
    /// It had none on the medium: an empty file, a folder, a link.
    Nothing,
    /// Overwritten in its place, and read there on the device.
    Proved,
    /// Overwritten, but not provable.
    NotProvable,
    /// Not overwritten: what was written went elsewhere, or copies are kept.
    NotOverwritten,
    /// The work did not come to its end.
    NotFinished,
    /// Left as it was.
    LeftAlone,
}

impl Ending {
    /// All of them, from the best to the worst.
    pub const ALL: [Ending; 6] =
        [Ending::Nothing, Ending::Proved, Ending::NotProvable, Ending::NotOverwritten, Ending::NotFinished, Ending::LeftAlone];

    /// In a few words.
    pub fn sentence(self) -> &'static str {
        match self {
            Ending::Nothing => "no contents on the medium",
            Ending::Proved => "overwritten in place, read on the device",
            Ending::NotProvable => "overwritten, not provable",
            Ending::NotOverwritten => "NOT overwritten: the old bytes are elsewhere",
            Ending::NotFinished => "NOT finished",
            Ending::LeftAlone => "left as it was",
        }
    }
}

/// A reason of an ending.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Because {
    /// Its old places hold what they held.
    FormerThere,
    /// It lay elsewhere afterwards.
    Moved,
    /// Blocks were shared.
    Shared,
    /// Compressed or encrypted by the file system.
    Encoded,
    /// Copies are in the journal.
    Journaled,
    /// It lay inside the file system's tables.
    Inline,
    /// The file system or a layer beneath keeps copies.
    KeepsCopies,
    /// The file system writes elsewhere by design, and nothing seen speaks against it.
    CopyOnWrite,
    /// Something else was read back through the file.
    ReadBackDiffers,
    /// Not all of it was read back.
    NotReadBack,
    /// No rights to read the device.
    NoRights,
    /// No device beneath.
    NoDevice,
    /// Places not told.
    NoPlaces,
    /// Spread over several drives.
    Striped,
    /// Something else lies in its old places.
    OtherThere,
    /// Old places can't be read.
    Unreadable,
    /// What is beneath can't be vouched for.
    Beneath,
    /// Somebody else had it open.
    OpenElsewhere,
}

impl Because {
    /// As a part of a sentence.
    pub fn sentence(self) -> &'static str {
        match self {
            Because::FormerThere => "its old places still hold the old bytes",
            Because::Moved => "the new bytes were written to other places",
            Because::Shared => "its blocks are shared with another file or a snapshot",
            Because::Encoded => "the file system compresses or encrypts it",
            Because::Journaled => "its contents went through the journal",
            Because::Inline => "it was inside the file system's own tables",
            Because::KeepsCopies => "a layer beneath keeps copies of what is overwritten",
            Because::CopyOnWrite => "the file system never overwrites",
            Because::ReadBackDiffers => "something else was read back",
            Because::NotReadBack => "not all of it was read back",
            Because::NoRights => "the device can't be read without rights",
            Because::NoDevice => "no device of this computer is beneath it",
            Because::NoPlaces => "the file system does not report where it was",
            Because::Striped => "its blocks are spread over several drives",
            Because::OtherThere => "something else lies in its old places",
            Because::Unreadable => "its old places can't be read",
            Because::Beneath => "what is beneath may keep copies",
            Because::OpenElsewhere => "another program had it open and could write to it",
        }
    }
}

impl FileEvidence {
    /// A file of which nothing is known yet.
    pub fn new(name: Name, kind: NodeKind, ground: u32, bytes: u64) -> Self {
        Self {
            name,
            kind,
            ground,
            bytes,
            other_names: 0,
            before: FileBefore::default(),
            journaled: false,
            not_copied: false,
            open_elsewhere: false,
            passes: 0,
            past_caches: false,
            read_back: FileReadBack::default(),
            look: OldPlaces::NotRead { why: WhyNotRead::NotReached },
            moved: None,
            attributes: 0,
            attributes_left: 0,
            left_alone: None,
            fault: None,
            removal: NameRemoval::Left,
            not_removed: None,
        }
    }

    /// What is said of it where `planned` passes were to be laid, and why. In doubt the worse is said.
    pub fn ending(&self, on: &StorageStack, planned: u32) -> (Ending, Vec<Because>) {
        if self.left_alone.is_some() {
            return (Ending::LeftAlone, vec![]);
        }
        if self.kind != NodeKind::File {
            return (Ending::Nothing, vec![]);
        }
        if self.fault.is_some() || self.passes < planned || planned == 0 {
            return (Ending::NotFinished, vec![]);
        }
        let elsewhere = self.elsewhere(on);
        if !elsewhere.is_empty() {
            return (Ending::NotOverwritten, elsewhere);
        }
        if self.before.mapped == 0 {
            return (Ending::Nothing, vec![]);
        }
        let open = self.open_questions(on);
        if open.is_empty() { (Ending::Proved, vec![]) } else { (Ending::NotProvable, open) }
    }

    /// What speaks for its old bytes being elsewhere. The heaviest layer decides: what is read on one device says nothing of where the layers
    /// beneath it have put what was overwritten, so that a reading can take a claim away and never give one.
    fn elsewhere(&self, on: &StorageStack) -> Vec<Because> {
        let former = matches!(self.look, OldPlaces::Read { former, .. } if former > 0);
        let weight = on.weight_of(self.not_copied);
        [
            (former, Because::FormerThere),
            (self.moved == Some(true), Because::Moved),
            (self.before.shared > 0, Because::Shared),
            (self.before.encoded > 0, Because::Encoded),
            (self.journaled || on.journals_data(), Because::Journaled),
            (self.before.inline > 0, Because::Inline),
            (weight == Weight::KeepsCopies && !on.journals_data(), Because::KeepsCopies),
            (weight == Weight::Copies && self.before.mapped > 0, Because::CopyOnWrite),
        ]
        .into_iter()
        .filter_map(|(holds, because)| holds.then_some(because))
        .collect()
    }

    fn open_questions(&self, on: &StorageStack) -> Vec<Because> {
        let mut open = vec![];
        let mut ask = |holds: bool, because| open.extend(holds.then_some(because));
        ask(self.read_back.wrong > 0, Because::ReadBackDiffers);
        ask(self.read_back.unreadable > 0 || self.read_back.right < self.before.mapped, Because::NotReadBack);
        match self.look {
            OldPlaces::NotRead { why } => ask(
                true,
                match why {
                    WhyNotRead::NoRights => Because::NoRights,
                    WhyNotRead::NoDevice => Because::NoDevice,
                    WhyNotRead::NoPlaces | WhyNotRead::NotReached => Because::NoPlaces,
                    WhyNotRead::Striped => Because::Striped,
                },
            ),
            OldPlaces::Read { of, pattern, unreadable, .. } => {
                ask(unreadable > 0, Because::Unreadable);
                ask(pattern + unreadable != of || of < self.before.mapped, Because::OtherThere);
                ask(self.moved.is_none() || self.before.unplaced > 0, Because::NoPlaces);
            }
        }
        ask(on.has_unprovable(), Because::Beneath);
        ask(self.open_elsewhere, Because::OpenElsewhere);
        open
    }
}

#[cfg(test)]
mod tests {
    use super::super::ground::tests::ground;
    use super::super::ground::{FileSystemFamily, StackLayer};
    use super::*;
    use proptest::prelude::*;

    /// A file of which everything was seen as it should be.
    fn faultless() -> FileEvidence {
        let mut file = FileEvidence::new(Name::Path("tides.csv".into()), NodeKind::File, 0, 5000);
        file.before = FileBefore { stretches: 1, mapped: 8192, ..FileBefore::default() };
        (file.passes, file.past_caches) = (3, true);
        file.read_back.right = 8192;
        file.look = OldPlaces::Read { of: 8192, pattern: 8192, former: 0, unreadable: 0 };
        file.moved = Some(false);
        file
    }

    #[test]
    fn a_file_is_proved_only_where_everything_speaks_for_it() {
        let ext = ground("ext4", &["data=ordered"], vec![]);
        assert_eq!(ext.system(), FileSystemFamily::Ext);
        assert_eq!(faultless().ending(&ext, 3), (Ending::Proved, vec![]));
        let changed = |change: &dyn Fn(&mut FileEvidence)| {
            let mut file = faultless();
            change(&mut file);
            file.ending(&ext, 3)
        };
        let look = |pattern, former, unreadable| OldPlaces::Read { of: 8192, pattern, former, unreadable };
        assert_eq!(changed(&|f| f.passes = 2).0, Ending::NotFinished);
        assert_eq!(changed(&|f| f.fault = Some("no space".into())).0, Ending::NotFinished);
        assert_eq!(changed(&|f| f.left_alone = Some(LeftAlone::Swap)).0, Ending::LeftAlone);
        assert_eq!(changed(&|f| f.look = look(4096, 4096, 0)), (Ending::NotOverwritten, vec![Because::FormerThere]));
        assert_eq!(changed(&|f| f.look = look(4096, 0, 0)), (Ending::NotProvable, vec![Because::OtherThere]));
        assert_eq!(changed(&|f| f.look = look(4096, 0, 4096)), (Ending::NotProvable, vec![Because::Unreadable]));
        let half = OldPlaces::Read { of: 4096, pattern: 4096, former: 0, unreadable: 0 };
        assert_eq!(changed(&|f| f.look = half), (Ending::NotProvable, vec![Because::OtherThere]));
        assert_eq!(changed(&|f| f.before.shared = 1), (Ending::NotOverwritten, vec![Because::Shared]));
        assert_eq!(changed(&|f| f.before.encoded = 1), (Ending::NotOverwritten, vec![Because::Encoded]));
        assert_eq!(changed(&|f| f.before.inline = 1), (Ending::NotOverwritten, vec![Because::Inline]));
        assert_eq!(changed(&|f| f.before.unplaced = 1), (Ending::NotProvable, vec![Because::NoPlaces]));
        assert_eq!(changed(&|f| f.moved = Some(true)), (Ending::NotOverwritten, vec![Because::Moved]));
        assert_eq!(changed(&|f| f.moved = None), (Ending::NotProvable, vec![Because::NoPlaces]));
        assert_eq!(changed(&|f| f.read_back.wrong = 512).1, [Because::ReadBackDiffers]);
        assert_eq!(changed(&|f| f.read_back.right = 4096).1, [Because::NotReadBack]);
        assert_eq!(changed(&|f| f.read_back.unreadable = 512).1, [Because::NotReadBack]);
        let empty = FileEvidence { before: FileBefore::default(), ..faultless() };
        assert_eq!(
            empty.ending(&ground("btrfs", &[], vec![]), 3),
            (Ending::Nothing, vec![]),
            "what holds nothing is nowhere else"
        );
        assert_eq!(faultless().ending(&ext, 0).0, Ending::NotFinished, "no pass, no proof");
    }

    #[test]
    fn a_ground_that_copies_or_keeps_copies_is_believed_whatever_is_read_on_the_device() {
        let seen = faultless();
        let unseen = FileEvidence { look: OldPlaces::NotRead { why: WhyNotRead::NoRights }, ..faultless() };
        let btrfs = ground("btrfs", &[], vec![]);
        assert_eq!(unseen.ending(&btrfs, 3), (Ending::NotOverwritten, vec![Because::CopyOnWrite]));
        assert_eq!(seen.ending(&btrfs, 3), (Ending::NotOverwritten, vec![Because::CopyOnWrite]), "a reading gives no claim");
        let in_place = FileEvidence { not_copied: true, ..faultless() };
        assert_eq!(in_place.ending(&btrfs, 3).0, Ending::Proved, "a file that is not copied on write lies in its place");
        // An image in a file system that copies: the device that is read is the image, and the old bytes are beneath it.
        let image = |on| ground("ext4", &[], vec![StackLayer::Image { device: "/dev/loop0".into(), on: Some(Box::new(on)) }]);
        assert_eq!(seen.ending(&image(btrfs.clone()), 3), (Ending::NotOverwritten, vec![Because::CopyOnWrite]));
        assert_eq!(in_place.ending(&ground("btrfs", &[], image(btrfs.clone()).layers), 3).0, Ending::NotOverwritten);
        assert_eq!(seen.ending(&image(ground("ext4", &[], vec![])), 3).0, Ending::Proved);
        for layer in [
            StackLayer::Hosted { device: "/dev/vda".into() },
            StackLayer::Raid { device: "/dev/md0".into(), level: "raid1".into() },
            StackLayer::Thin { device: "/dev/dm-1".into() },
        ] {
            assert_eq!(seen.ending(&ground("ext4", &[], vec![layer.clone()]), 3), (Ending::NotProvable, vec![Because::Beneath]));
            let in_image = image(ground("ext4", &[], vec![layer]));
            assert_eq!(seen.ending(&in_image, 3), (Ending::NotProvable, vec![Because::Beneath]), "an image on it as well");
        }
        assert_eq!(
            seen.ending(&ground("ext4", &["journal_path=/dev/sdc1"], vec![]), 3),
            (Ending::NotProvable, vec![Because::Beneath])
        );
        let overlay = ground("overlay", &[], vec![]);
        assert_eq!(in_place.ending(&overlay, 3), (Ending::NotOverwritten, vec![Because::CopyOnWrite]));
        let open = FileEvidence { open_elsewhere: true, ..faultless() };
        assert_eq!(open.ending(&ground("ext4", &[], vec![]), 3), (Ending::NotProvable, vec![Because::OpenElsewhere]));
        let origin = ground("ext4", &[], vec![StackLayer::SnapshotOrigin { device: "/dev/dm-1".into() }]);
        assert_eq!(seen.ending(&origin, 3), (Ending::NotOverwritten, vec![Because::KeepsCopies]));
        let journal = ground("ext4", &["data=journal"], vec![]);
        assert_eq!(seen.ending(&journal, 3), (Ending::NotOverwritten, vec![Because::Journaled]));
        assert_eq!(unseen.ending(&ground("ext4", &[], vec![]), 3), (Ending::NotProvable, vec![Because::NoRights]));
        assert_eq!(seen.ending(&ground("nfs4", &[], vec![]), 3), (Ending::NotProvable, vec![Because::Beneath]));
    }

    #[test]
    fn what_is_not_there_takes_no_room_in_a_record() {
        let plain = FileEvidence::new(Name::Path("tides.csv".into()), NodeKind::File, 0, 5000);
        let json = serde_json::to_string(&plain).unwrap();
        for absent in ["wrong", "unreadable", "attributes_left", "journaled", "shared"] {
            assert!(!json.contains(absent), "{absent}: {json}");
        }
        assert!(!json.contains("read_back") && !json.contains("before"), "{json}");
        let mut right = plain.clone();
        (right.read_back.right, right.before.mapped) = (1, 1);
        let json = serde_json::to_string(&right).unwrap();
        assert!(json.contains("\"right\":\"1\"") && !json.contains("wrong") && !json.contains("shared"), "{json}");
        let mut full = faultless();
        (full.read_back.wrong, full.attributes_left, full.before.shared) = (512, 2, 4096);
        let json = serde_json::to_string(&full).unwrap();
        assert!(json.contains("\"wrong\":\"512\"") && json.contains("attributes_left") && json.contains("shared"), "{json}");
    }

    proptest! {
        /// Whatever else is seen, one thing that speaks against a file keeps it from being called proved.
        #[test]
        fn nothing_that_speaks_against_a_file_is_outweighed(
            kind in prop::sample::select(vec!["ext4", "xfs", "btrfs", "f2fs", "vfat", "exfat", "nfs", "zfs", "overlay"]),
            harm in 0usize..12, amount in 1u64..8192,
        ) {
            let mut file = faultless();
            match harm {
                0 => file.before.shared = amount,
                1 => file.before.encoded = amount,
                2 => file.before.inline = amount,
                3 => file.before.unplaced = amount,
                4 => file.read_back.wrong = amount,
                5 => file.read_back.right -= amount,
                6 => file.look = OldPlaces::Read { of: 8192, pattern: 8192 - amount, former: 0, unreadable: 0 },
                7 => file.look = OldPlaces::Read { of: 8192 - amount, pattern: 8192 - amount, former: 0, unreadable: 0 },
                8 => file.look = OldPlaces::Read { of: 8192, pattern: 8192, former: amount, unreadable: 0 },
                9 => file.moved = None,
                10 => file.passes -= 1,
                _ => file.journaled = true,
            }
            let on = ground(kind, &[], vec![]);
            prop_assert!(file.ending(&on, 3).0 > Ending::Proved, "{:?}", file);
        }
    }
}
