//! What a file lies on: its file system and what is beneath that, and what may be hoped for there.

use jurex_pattern::text::capital;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A mounted file system as the kernel tells of it, with what is beneath.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct StorageStack {
    /// The kernel's word for its kind: `ext4`, `btrfs`, `fuseblk`.
    pub kind: String,
    /// What the device itself says that it holds, where the kind does not tell (`fuseblk`); empty: nothing.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub holds: String,
    /// Where it is mounted.
    pub mount: String,
    /// What is mounted, in the kernel's words.
    pub source: String,
    /// Its options, those of the mount and those of the file system.
    pub options: Vec<String>,
    /// Bytes of a block: what is allocated at once.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub block: u64,
    /// Its size in bytes.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub bytes: u64,
    /// Whether its files can share blocks, where it tells.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub shares: Option<bool>,
    /// What is beneath, from the top down; empty where that is not told.
    pub layers: Vec<StackLayer>,
}

/// The word among a file system's options for a journal that its superblock says to be on another device.
pub const EXTERNAL_JOURNAL: &str = "jurex:external-journal";

/// A layer beneath a file system.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "layer", deny_unknown_fields)]
pub enum StackLayer {
    /// An encrypted volume.
    Encrypted {
        /// Its device.
        device: String,
    },
    /// A volume that other volumes are snapshots of: what is overwritten is copied to them first.
    SnapshotOrigin {
        /// Its device.
        device: String,
    },
    /// A snapshot: what is overwritten in it stays in what it is a snapshot of.
    Snapshot {
        /// Its device.
        device: String,
    },
    /// A volume that gets its blocks when they are written, and may share them with snapshots.
    Thin {
        /// Its device.
        device: String,
    },
    /// Several drives as one.
    Raid {
        /// Its device.
        device: String,
        /// Its level in the kernel's words.
        level: String,
    },
    /// A faster device in front of a slower one.
    Cache {
        /// Its device.
        device: String,
    },
    /// A device of blocks that are found equal or made smaller.
    Deduplicated {
        /// Its device.
        device: String,
    },
    /// A file that is attached as a drive.
    Image {
        /// The loop device.
        device: String,
        /// What the file lies on, where that is told.
        on: Option<Box<StorageStack>>,
    },
    /// A drive.
    Drive {
        /// Its device.
        device: String,
        /// Whether it turns, where it tells.
        turns: Option<bool>,
    },
    /// A disk whose sectors other storage hosts: a virtual machine's, another computer's, a pool's, a controller's.
    Hosted {
        /// Its device.
        device: String,
    },
    /// Another mapped device, or one of which nothing is told.
    Other {
        /// Its device.
        device: String,
        /// Its kind in the kernel's words.
        kind: String,
    },
}

/// Families of file systems, by how they treat what is overwritten.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FileSystemFamily {
    /// ext2, ext3, ext4.
    Ext,
    /// XFS.
    Xfs,
    /// Btrfs.
    Btrfs,
    /// F2FS.
    F2fs,
    /// Others that write elsewhere by design: ZFS, bcachefs, NILFS2, UBIFS.
    Copying,
    /// NTFS.
    Ntfs,
    /// FAT.
    Fat,
    /// exFAT.
    ExFat,
    /// Another computer's.
    Network,
    /// A program's.
    Program,
    /// One laid over another.
    Overlay,
    /// In memory.
    Memory,
    /// One that nothing is known of.
    Unknown,
}

/// How much a doubt weighs.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Weight {
    /// Told beside what is proved: what lies beyond contents, or beyond addresses.
    Aside,
    /// Decided file by file, by what is seen.
    FileByFile,
    /// What is overwritten can't be proved to be gone.
    Unprovable,
    /// What is overwritten goes elsewhere by design; a look at the device shows whether it did.
    Copies,
    /// Copies are kept where no look at the device sees them.
    KeepsCopies,
}

/// A reason why an overwrite may reach less than one thinks.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StackDoubt {
    /// Its weight.
    pub weight: Weight,
    /// What is the matter, as a sentence.
    pub what: String,
    /// What would help, as a sentence.
    pub helps: &'static str,
}

impl StackDoubt {
    /// What is the matter and what would help.
    pub fn sentence(&self) -> String {
        format!("{} {}", self.what, self.helps)
    }
}

const ERASE_DRIVE: &str = "Erase the whole drive when it can be spared.";
const DESTROY_KEY: &str = "Destroy the volume's key: that reaches everything in it.";

impl StorageStack {
    /// Its family.
    pub fn system(&self) -> FileSystemFamily {
        let kind = if self.kind == "fuseblk" && !self.holds.is_empty() { self.holds.as_str() } else { self.kind.as_str() };
        match kind.to_ascii_lowercase().as_str() {
            "ext2" | "ext3" | "ext4" => FileSystemFamily::Ext,
            "xfs" => FileSystemFamily::Xfs,
            "btrfs" => FileSystemFamily::Btrfs,
            "f2fs" => FileSystemFamily::F2fs,
            "zfs" | "bcachefs" | "nilfs2" | "ubifs" | "jffs2" => FileSystemFamily::Copying,
            "ntfs" | "ntfs3" => FileSystemFamily::Ntfs,
            "vfat" | "msdos" | "fat" | "fat12" | "fat16" | "fat32" => FileSystemFamily::Fat,
            "exfat" => FileSystemFamily::ExFat,
            "nfs" | "nfs4" | "cifs" | "smb3" | "9p" | "ceph" | "afs" | "virtiofs" => FileSystemFamily::Network,
            "overlay" | "aufs" => FileSystemFamily::Overlay,
            "tmpfs" | "ramfs" | "hugetlbfs" => FileSystemFamily::Memory,
            fuse if fuse == "fuseblk" || fuse.starts_with("fuse") => FileSystemFamily::Program,
            _ => FileSystemFamily::Unknown,
        }
    }

    fn has(&self, option: &str) -> bool {
        self.options.iter().any(|o| o == option || o.strip_prefix(option).is_some_and(|rest| rest.starts_with('=')))
    }

    /// Whether contents go through the journal: copies of them stay there.
    pub fn journals_data(&self) -> bool {
        self.system() == FileSystemFamily::Ext && self.options.iter().any(|o| o == "data=journal")
    }

    /// Whether freed blocks are told to the drive at once.
    pub fn discards(&self) -> bool {
        self.has("discard") && !self.options.iter().any(|o| o == "nodiscard")
    }

    /// How it is called in a sentence.
    pub fn called(&self) -> String {
        let holds = if self.holds.is_empty() { String::new() } else { format!(" ({})", self.holds) };
        format!("{}{holds} at {}", self.kind, self.mount)
    }

    /// Everything that stands against a hope, weightiest first.
    pub fn doubts(&self) -> Vec<StackDoubt> {
        let mut doubts = self.of_system();
        if self.discards() {
            doubts.push(StackDoubt {
                weight: Weight::Aside,
                what:
                    "Freed blocks are told to the drive as unused at once: what it then answers there says nothing of its cells."
                        .into(),
                helps: "Mount without discard while files are erased.",
            });
        }
        if self.spreads_over_devices() {
            doubts.push(StackDoubt {
                weight: Weight::Unprovable,
                what: "A part of it, as its journal, lies on another device, which is not looked at.".into(),
                helps: "Erase that device too.",
            });
        }
        self.layers.iter().for_each(|layer| doubts.extend(layer.doubt()));
        doubts.sort_by_key(|d| std::cmp::Reverse(d.weight));
        doubts
    }

    /// What may be hoped for, in one sentence.
    pub fn hope(&self) -> &'static str {
        match self.weight() {
            Weight::Aside => "What is overwritten is overwritten in its place. As root that is read on the device itself.",
            Weight::FileByFile => "Whether a file is overwritten in its place shows file by file, read on the device as root.",
            Weight::Unprovable => "A file can be overwritten here, but nothing proves that its old bytes are gone.",
            Weight::Copies => "An overwrite goes elsewhere here: the old bytes stay.",
            Weight::KeepsCopies => "Copies of what is overwritten are kept.",
        }
    }

    /// The weightiest doubt's weight: the heaviest layer decides for all of them.
    pub fn weight(&self) -> Weight {
        self.doubts().first().map_or(Weight::Aside, |d| d.weight)
    }

    /// Whether there is a doubt that no reading of the device can settle.
    pub fn has_unprovable(&self) -> bool {
        self.doubts().iter().any(|doubt| doubt.weight == Weight::Unprovable)
    }

    /// The same for one file; `not_copied`: the file system overwrites it in its place by an attribute of the file's own. That takes away
    /// what speaks against the file system, and nothing of what speaks against the layers beneath it.
    pub fn weight_of(&self, not_copied: bool) -> Weight {
        if !(not_copied && self.system() == FileSystemFamily::Btrfs) {
            return self.weight();
        }
        self.weight_beneath().max(Weight::FileByFile)
    }

    /// The weight of what lies beneath the file system, and beside it: layers, and a journal on another device.
    pub fn weight_beneath(&self) -> Weight {
        let layers = self.layers.iter().filter_map(StackLayer::doubt).map(|d| d.weight);
        let beside = self.spreads_over_devices().then_some(Weight::Unprovable);
        layers.chain(beside).max().unwrap_or(Weight::Aside)
    }

    /// Whether its journal, its log or a part of its files lies on another device than the one that is looked at.
    pub fn spreads_over_devices(&self) -> bool {
        [EXTERNAL_JOURNAL, "journal_path", "journal_dev", "logdev", "rtdev"].iter().any(|option| self.has(option))
    }

    fn of_system(&self) -> Vec<StackDoubt> {
        let doubt = |weight, what: &str, helps| StackDoubt { weight, what: what.into(), helps };
        let names = "Names of files stay in its journal, and in blocks that its folders had.";
        let fill = "As root the journal is emptied at the end; filling the free space afterwards reaches blocks of folders that are gone.";
        match self.system() {
            FileSystemFamily::Ext if self.journals_data() => vec![doubt(
                Weight::KeepsCopies,
                "It writes contents into its journal first (data=journal): copies of what was written stay there.",
                "Mount with data=ordered, write much else, and erase the drive when it can be spared.",
            )],
            FileSystemFamily::Ext if self.kind == "ext2" => vec![],
            FileSystemFamily::Ext => vec![doubt(Weight::Aside, names, fill)],
            FileSystemFamily::Xfs => {
                let log = "Fill the free space afterwards: that reaches blocks of folders that are gone, and writes the journal over as it goes round.";
                let mut doubts = vec![doubt(Weight::Aside, names, log)];
                if self.shares != Some(false) {
                    let what = "Files may share blocks (reflinks): what is shared is copied and not overwritten.";
                    doubts.push(doubt(
                        Weight::FileByFile,
                        what,
                        "Erase every file that shares the blocks, then fill the free space.",
                    ));
                }
                doubts
            }
            FileSystemFamily::Btrfs => {
                let snapshots =
                    "Delete the snapshots, then the files, then fill the free space (jurex free); or erase the drive.";
                let plain = self.has("nodatacow") && !self.has("compress") && !self.has("compress-force");
                if plain {
                    let what =
                        "It overwrites in place only what no snapshot shares, and what was not written before it was mounted so.";
                    vec![doubt(Weight::FileByFile, what, snapshots)]
                } else {
                    let what = "It never overwrites (copy on write): new bytes go elsewhere, the old ones stay until their place is used again.";
                    vec![doubt(Weight::Copies, what, snapshots)]
                }
            }
            FileSystemFamily::F2fs if self.options.iter().any(|o| o == "mode=lfs") => {
                vec![doubt(
                    Weight::Copies,
                    "It writes a log: new bytes go elsewhere, the old ones stay.",
                    "Fill the free space; or erase the drive.",
                )]
            }
            FileSystemFamily::F2fs => vec![doubt(
                Weight::FileByFile,
                "It writes a log, and overwrites in place only where that is cheaper.",
                "Fill the free space; or erase the drive.",
            )],
            other => vec![of_others(other, &self.kind)],
        }
    }
}

/// What stands against those that are treated in one way whatever their options.
fn of_others(system: FileSystemFamily, kind: &str) -> StackDoubt {
    let doubt = |weight, what: &str, helps| StackDoubt { weight, what: what.into(), helps };
    match system {
        FileSystemFamily::Copying => doubt(
            Weight::Copies,
            &format!("{} never overwrites: new bytes go elsewhere, the old ones stay.", capital(kind)),
            ERASE_DRIVE,
        ),
        FileSystemFamily::Ntfs => doubt(
            Weight::FileByFile,
            "Small files lie in the table of files itself, and compressed ones are written elsewhere. Names stay in its journals.",
            ERASE_DRIVE,
        ),
        FileSystemFamily::Fat | FileSystemFamily::ExFat => doubt(
            Weight::Aside,
            "Names of files stay in the entries of their folders until these are used again.",
            "Erase the drive when it can be spared.",
        ),
        FileSystemFamily::Network => doubt(
            Weight::Unprovable,
            "It is another computer's: what that does with what is overwritten is not known here.",
            "Erase on that computer itself.",
        ),
        FileSystemFamily::Program => doubt(
            Weight::Unprovable,
            "A program stands for it (FUSE): where that puts what is overwritten is not known here.",
            "Erase where the program keeps its files.",
        ),
        FileSystemFamily::Overlay => doubt(
            Weight::Copies,
            "It lies over another file system: a file of the lower one is copied before it is changed, and stays there.",
            "Erase the file in the lower file system.",
        ),
        FileSystemFamily::Memory => doubt(
            Weight::Unprovable,
            "It lies in memory, and may have been written to swap.",
            "Switch the computer off; erase the swap.",
        ),
        _ => doubt(Weight::Unprovable, &format!("How {} treats what is overwritten is not known here.", kind), ERASE_DRIVE),
    }
}

impl StackLayer {
    /// Its device.
    pub fn device(&self) -> &str {
        match self {
            StackLayer::Encrypted { device }
            | StackLayer::SnapshotOrigin { device }
            | StackLayer::Snapshot { device }
            | StackLayer::Thin { device }
            | StackLayer::Raid { device, .. }
            | StackLayer::Cache { device }
            | StackLayer::Deduplicated { device }
            | StackLayer::Image { device, .. }
            | StackLayer::Drive { device, .. }
            | StackLayer::Hosted { device }
            | StackLayer::Other { device, .. } => device,
        }
    }

    fn doubt(&self) -> Option<StackDoubt> {
        let device = self.device();
        let (weight, what, helps) = match self {
            StackLayer::Encrypted { .. } => {
                (Weight::Aside, format!("{device} is an encrypted volume: the drive holds only what its key opens."), DESTROY_KEY)
            }
            StackLayer::SnapshotOrigin { .. } => (
                Weight::KeepsCopies,
                format!("{device} has snapshots: what is overwritten is copied to them first."),
                "Delete the snapshots; then erase what held them.",
            ),
            StackLayer::Snapshot { .. } => (
                Weight::KeepsCopies,
                format!("{device} is a snapshot: what is overwritten in it stays in the volume that it was taken of."),
                "Erase in the volume itself as well.",
            ),
            StackLayer::Thin { .. } => (
                Weight::Unprovable,
                format!("{device} is a thin volume: blocks that a snapshot shares are copied before they are overwritten."),
                "Delete its snapshots; erase the drives of the pool.",
            ),
            StackLayer::Raid { level, .. } => (
                Weight::Unprovable,
                format!("{device} is several drives as one ({level}): what is read back comes from one of them."),
                "Erase each drive when it can be spared.",
            ),
            StackLayer::Cache { .. } => (
                Weight::Unprovable,
                format!("{device} has a cache on another drive, which may hold copies."),
                "Take the cache away, and erase its drive.",
            ),
            StackLayer::Deduplicated { .. } => {
                (Weight::KeepsCopies, format!("{device} keeps equal blocks once and writes changed ones elsewhere."), ERASE_DRIVE)
            }
            StackLayer::Image { on: Some(on), .. } if on.weight() >= Weight::FileByFile => (
                on.weight().max(Weight::Unprovable),
                format!("{device} is a file on {}, which may write elsewhere what is overwritten here.", on.called()),
                "Erase the file where it lies, and the drive beneath it.",
            ),
            StackLayer::Image { on: Some(on), .. } => (
                Weight::Aside,
                format!("{device} is a file on {}: what holds there holds here too.", on.called()),
                "Erase the file where it lies.",
            ),
            StackLayer::Image { on: None, .. } => (
                Weight::Unprovable,
                format!("{device} is a file, and what holds that is not known."),
                "Erase the file where it lies.",
            ),
            StackLayer::Drive { turns: Some(false), .. } => (
                Weight::Aside,
                format!(
                    "{device} is solid state: it writes each sector to other cells, and the old cells keep what they held until it erases them."
                ),
                "Erase the drive by its own command when it can be spared.",
            ),
            StackLayer::Hosted { .. } => (
                Weight::Unprovable,
                format!("{device} is hosted by other storage: what that does with what is overwritten is not known here."),
                "Erase where its sectors are kept.",
            ),
            StackLayer::Drive { turns: Some(true), .. } => return None,
            StackLayer::Drive { turns: None, .. } => {
                (Weight::Aside, format!("{device} does not tell what it is made of: it may keep old cells."), ERASE_DRIVE)
            }
            StackLayer::Other { kind, .. } => {
                (Weight::Unprovable, format!("{device} is a mapped device ({kind}) that nothing is known of here."), ERASE_DRIVE)
            }
        };
        Some(StackDoubt { weight, what, helps })
    }
}

#[cfg(test)]
pub(super) mod tests {
    use super::*;

    pub(crate) fn ground(kind: &str, options: &[&str], layers: Vec<StackLayer>) -> StorageStack {
        let options = options.iter().map(ToString::to_string).collect();
        StorageStack { options, layers, ..crate::testing::ground(kind, "/srv/stations") }
    }

    #[test]
    fn a_file_system_is_told_by_its_kind_and_one_that_a_program_stands_for_by_what_that_says() {
        use FileSystemFamily::{Copying, ExFat, Fat, Memory, Network, Ntfs, Overlay, Program, Unknown};
        let system = |kind: &str, holds: &str| StorageStack { holds: holds.into(), ..ground(kind, &[], vec![]) }.system();
        for (kind, family) in [
            ("zfs", Copying),
            ("bcachefs", Copying),
            ("ntfs3", Ntfs),
            ("VFAT", Fat),
            ("exfat", ExFat),
            ("nfs4", Network),
            ("ceph", Network),
            ("overlay", Overlay),
            ("tmpfs", Memory),
            ("fuse.sshfs", Program),
            ("fuseblk", Program),
            ("hfsplus", Unknown),
        ] {
            assert_eq!(system(kind, ""), family, "{kind}");
        }
        assert_eq!(
            (system("fuseblk", "ntfs"), system("fuse", "ntfs"), system("ext4", "ntfs")),
            (Ntfs, Program, FileSystemFamily::Ext)
        );
        for (kind, says) in [
            ("tmpfs", "in memory"),
            ("overlay", "over another file system"),
            ("hfsplus", "not known"),
            ("exfat", "entries of their folders"),
        ] {
            let doubt = ground(kind, &[], vec![]).doubts().remove(0);
            assert!(doubt.sentence().contains(says) && doubt.sentence().ends_with(doubt.helps), "{}", doubt.sentence());
        }
        assert_eq!(
            StorageStack { holds: "ntfs".into(), ..ground("fuseblk", &[], vec![]) }.called(),
            "fuseblk (ntfs) at /srv/stations"
        );
        let discards = |options: &[&str]| ground("ext4", options, vec![]).discards();
        assert!(discards(&["rw", "discard"]) && discards(&["discard=async"]));
        assert!(!discards(&["rw"]) && !discards(&["discard", "nodiscard"]) && !discards(&["discarded"]));
        assert_eq!(StackLayer::Thin { device: "/dev/dm-3".into() }.device(), "/dev/dm-3");
    }

    #[test]
    fn every_file_system_gets_the_weight_that_its_way_of_writing_has() {
        let on = |kind: &str, options: &[&str]| ground(kind, options, vec![]).weight();
        assert_eq!(on("ext2", &[]), Weight::Aside);
        assert!(ground("ext2", &[], vec![]).doubts().is_empty() && ground("ext2", &[], vec![]).hope().contains("in its place"));
        assert_eq!(on("ext4", &["rw", "data=ordered"]), Weight::Aside);
        assert_eq!(on("ext4", &["rw", "data=journal"]), Weight::KeepsCopies);
        assert_eq!(on("vfat", &["discard"]), Weight::Aside);
        assert_eq!(on("xfs", &[]), Weight::FileByFile);
        assert_eq!(StorageStack { shares: Some(false), ..ground("xfs", &[], vec![]) }.weight(), Weight::Aside);
        assert_eq!(on("btrfs", &["compress=zstd:3", "nodatacow"]), Weight::Copies);
        assert_eq!(on("btrfs", &["nodatacow"]), Weight::FileByFile);
        assert_eq!(
            (on("f2fs", &["mode=lfs"]), on("f2fs", &[]), on("ntfs3", &[])),
            (Weight::Copies, Weight::FileByFile, Weight::FileByFile)
        );
        let says = |kind: &str| ground(kind, &[], vec![]).doubts().iter().map(|d| d.what.clone()).collect::<Vec<_>>().join(" ");
        assert!(says("ext4").contains("stay in its journal") && says("ntfs3").contains("table of files"));
        assert!(says("nfs4").contains("another computer") && says("fuse.sshfs").contains("A program stands for it"));
        for kind in ["zfs", "nilfs2", "overlay"] {
            assert_eq!(on(kind, &[]), Weight::Copies, "{kind}");
        }
        for kind in ["nfs4", "cifs", "fuse.sshfs", "tmpfs", "newfs"] {
            assert_eq!(on(kind, &[]), Weight::Unprovable, "{kind}");
        }
        assert_eq!(StorageStack { holds: "ntfs".into(), ..ground("fuseblk", &[], vec![]) }.system(), FileSystemFamily::Ntfs);
        assert_eq!(ground("fuseblk", &[], vec![]).system(), FileSystemFamily::Program);
    }

    #[test]
    fn what_is_beneath_weighs_too_and_each_doubt_says_what_would_help() {
        let device = || "/dev/mapper/tides".to_string();
        let on = |layer| ground("ext4", &["data=ordered"], vec![layer]);
        assert_eq!(on(StackLayer::SnapshotOrigin { device: device() }).weight(), Weight::KeepsCopies);
        assert_eq!(on(StackLayer::Thin { device: device() }).weight(), Weight::Unprovable);
        assert_eq!(on(StackLayer::Encrypted { device: device() }).weight(), Weight::Aside);
        let image = |on| StackLayer::Image { device: "/dev/loop0".into(), on: Some(Box::new(on)) };
        assert_eq!(on(image(ground("ext4", &[], vec![]))).weight(), Weight::Aside);
        assert_eq!(on(image(ground("btrfs", &[], vec![]))).weight(), Weight::Copies);
        assert_eq!(
            on(image(ground("xfs", &[], vec![]))).weight(),
            Weight::Unprovable,
            "whether it shares blocks is not known here"
        );
        assert_eq!(on(image(on(StackLayer::Snapshot { device: device() }))).weight(), Weight::KeepsCopies);
        let solid = on(StackLayer::Drive { device: "/dev/sdb".into(), turns: Some(false) });
        assert!(solid.doubts().iter().any(|d| d.what.contains("solid state") && !d.helps.is_empty()));
    }
}
