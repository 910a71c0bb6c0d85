//! What lies under the paths that were named: looked at by folders' descriptors, links never followed, mounts never crossed.

use super::ground::{Mounted, ground_of};
use crate::guard::Uses;
use crate::object::KernelObject;
use crate::open_handles::Openers;
use jurex_device::guard::Blocker;
use jurex_file_erase::{KnownBy, LeftAlone, NodeKind, StorageStack};
use rustix::fs::{
    AtFlags, Dir, FileType, Mode, OFlags, ResolveFlags, Statx, StatxAttributes, StatxFlags, makedev, open, openat2, statx,
};
use rustix::io::Errno;
use std::collections::{HashMap, HashSet};
use std::ffi::OsString;
use std::os::fd::{AsFd, OwnedFd};
use std::os::unix::ffi::OsStringExt;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

/// What a name leads to, found again by its numbers.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Id {
    /// The file system's number.
    pub device: u64,
    /// The file's number in it.
    pub inode: u64,
}

/// A file, folder, link or other under the paths.
#[derive(Clone, Debug)]
pub struct TreeNode {
    /// Its name in its folder.
    pub name: OsString,
    /// The folder's place in [`Tree::nodes`]; `None`: it is one of the paths that were named.
    pub folder: Option<usize>,
    /// What it is.
    pub kind: NodeKind,
    /// Which file it is.
    pub id: Id,
    /// Its length in bytes.
    pub bytes: u64,
    /// How many names it has.
    pub names: u64,
    /// Which of the grounds it lies on.
    pub ground: u32,
    /// Why it will be left as it is.
    pub left_alone: Option<LeftAlone>,
}

/// A path that was named.
#[derive(Clone, Debug)]
pub struct NamedRoot {
    /// As it was named.
    pub path: PathBuf,
    /// The folder that holds it.
    pub folder: PathBuf,
    /// Which folder that is.
    pub(crate) folder_id: Id,
    /// Its place in [`Tree::nodes`].
    pub node: usize,
    /// What tells it from others that have its numbers later.
    pub known_by: KnownBy,
}

/// Where something that was at `path` and had these numbers lies in its folder, by whatever name it has now. Numbers alone tell nothing: the
/// same ones may be of another file by now, and of another file system that is mounted there.
pub fn found_again(path: &Path, wanted: Id, known_by: &KnownBy) -> Option<PathBuf> {
    let folder = path.parent()?;
    let opened = open(folder, OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC, Mode::empty()).ok()?;
    let names = Dir::read_from(&opened).ok()?.flatten().map(|e| OsString::from_vec(e.file_name().to_bytes().to_vec()));
    let is_it = |name: &OsString| {
        let renamed = Some(name.as_os_str()) != path.file_name();
        status(&opened, name).is_ok_and(|told| id(&told) == wanted) && known_by.is_of(&tell_apart(&opened, name), renamed)
    };
    names.filter(|n| n != "." && n != "..").find(is_it).map(|name| folder.join(name))
}

/// What tells a name's file or folder from others, as far as that is told.
pub(crate) fn tell_apart(folder: impl AsFd, name: &std::ffi::OsStr) -> KnownBy {
    let flags = OFlags::RDONLY | OFlags::NOFOLLOW | OFlags::NONBLOCK | OFlags::CLOEXEC | OFlags::NOCTTY;
    let told = statx(&folder, name, AtFlags::SYMLINK_NOFOLLOW, StatxFlags::BASIC_STATS | StatxFlags::BTIME).ok();
    // Nothing but files and folders is opened: whatever else may do something when it is.
    let kind = told.as_ref().map(kind);
    let opened = kind
        .filter(|k| matches!(k, NodeKind::File | NodeKind::Folder))
        .and_then(|_| openat2(&folder, name, flags, Mode::empty(), INSIDE).ok());
    let has_birth = |t: &&Statx| t.stx_mask & StatxFlags::BTIME.bits() != 0;
    KnownBy {
        system: crate::ioctl::system_id(folder),
        born: told.as_ref().filter(has_birth).map(|t| (t.stx_btime.tv_sec, t.stx_btime.tv_nsec)),
        generation: opened.and_then(|fd| crate::ioctl::generation(fd).ok()),
        bytes: told.as_ref().filter(|_| kind == Some(NodeKind::File)).map(|t| t.stx_size),
    }
}

/// Everything under some paths.
#[derive(Clone, Debug, Default)]
pub struct Tree {
    /// Folders stand before what they hold.
    pub nodes: Vec<TreeNode>,
    /// The paths.
    pub roots: Vec<NamedRoot>,
    /// What it lies on.
    pub(crate) mounts: Vec<Mounted>,
    /// Folders that could not be read, and why.
    pub unread: Vec<(PathBuf, String)>,
}

/// Why a path can't be taken.
#[derive(Debug, thiserror::Error)]
pub enum TreeError {
    /// It is not there, or can't be looked at.
    #[error("cannot look at {path}: {cause}")]
    Unseen {
        /// As it was named.
        path: String,
        /// Why.
        #[source]
        cause: std::io::Error,
    },
    /// It is named by something that has no name of its own.
    #[error("{0} has no name of its own: name the folder by its path")]
    Nameless(String),
    /// It is the root of a file system.
    #[error("{0} is where a file system is mounted: name what lies in it, or erase the drive")]
    MountPoint(String),
    /// A path lies under another one.
    #[error("{0} is named twice, or lies under another path that is named")]
    Twice(String),
    /// Somebody wants no more of it.
    #[error("looking was stopped")]
    Stopped,
}

impl Tree {
    /// What it lies on.
    pub fn grounds(&self) -> Vec<StorageStack> {
        self.mounts.iter().map(|m| m.ground.clone()).collect()
    }

    /// The path of a node, below the path that was named.
    pub fn path(&self, node: usize) -> PathBuf {
        let mut names = vec![];
        let mut at = node;
        while let Some(folder) = self.nodes[at].folder {
            names.push(&self.nodes[at].name);
            at = folder;
        }
        let root = self.roots.iter().find(|r| r.node == at).map(|r| r.folder.join(&self.nodes[at].name)).unwrap_or_default();
        names.into_iter().rev().fold(root, |path, name| path.join(name))
    }

    /// Files with contents that will be erased: how many, and their bytes.
    pub fn to_erase(&self) -> (u64, u64) {
        let files = self.nodes.iter().filter(|n| n.kind == NodeKind::File && n.left_alone.is_none());
        files.fold((0, 0), |(count, bytes), n| (count + 1, bytes + n.bytes))
    }

    /// Everything whose name goes: what a person types the number of.
    pub fn names_to_lose(&self) -> u64 {
        self.nodes.iter().filter(|n| n.left_alone.is_none()).count() as u64
    }

    /// Files that have names outside of the tree too: the node, and how many.
    pub fn linked(&self) -> Vec<(usize, u64)> {
        let mut inside: HashMap<Id, u64> = HashMap::new();
        let of = |n: &&TreeNode| n.kind == NodeKind::File && n.names > 1;
        self.nodes.iter().filter(of).for_each(|n| *inside.entry(n.id).or_default() += 1);
        let mut found = vec![];
        for (at, node) in self.nodes.iter().enumerate().filter(|(_, n)| of(n)) {
            if let Some(here) = inside.remove(&node.id)
                && node.names > here
            {
                found.push((at, node.names - here));
            }
        }
        found
    }

    /// The other names of those files on their file systems, as far as they are found in so much time.
    pub fn other_names(&self, of: &[(usize, u64)], patience: Duration) -> Vec<(usize, PathBuf)> {
        let until = Instant::now() + patience;
        let wanted: HashMap<Id, usize> = of.iter().map(|(at, _)| (self.nodes[*at].id, *at)).collect();
        let own: HashSet<PathBuf> =
            (0..self.nodes.len()).filter(|n| wanted.contains_key(&self.nodes[*n].id)).map(|n| self.path(n)).collect();
        let mounts = of.iter().map(|(at, _)| self.mounts[self.nodes[*at].ground as usize].ground.mount.clone().into()).collect();
        let mut found = vec![];
        search(mounts, until, &mut |id, path| {
            if let Some(at) = wanted.get(&id).filter(|_| !own.contains(path)) {
                found.push((*at, path.to_path_buf()));
            }
        });
        found
    }

    /// Where files of these numbers lie now on the tree's file systems, as far as they are found in so much time.
    pub fn whereabouts(&self, wanted: &HashSet<Id>, patience: Duration) -> HashMap<Id, PathBuf> {
        let mut found = HashMap::new();
        if !wanted.is_empty() {
            let mounts = self.mounts.iter().map(|m| m.ground.mount.clone().into()).collect();
            search(mounts, Instant::now() + patience, &mut |id, path| {
                if wanted.contains(&id) {
                    found.entry(id).or_insert_with(|| path.to_path_buf());
                }
            });
        }
        found
    }

    /// Files that somebody has open, with whom. Without rights only this user's own programs are seen.
    pub fn open(&self) -> Vec<(usize, String)> {
        let openers = Openers::read(Path::new("/proc"));
        let files = self.nodes.iter().enumerate().filter(|(_, n)| n.kind == NodeKind::File);
        files.filter_map(|(at, n)| Some((at, openers.now(KernelObject::File(n.id.device, n.id.inode))?))).collect()
    }

    /// Looks at everything under these paths. `own` are files of Jurex itself. `told` hears how many were seen, and answers whether to go on.
    ///
    /// # Errors
    /// A path that can't be taken.
    pub fn look(paths: &[PathBuf], own: Vec<PathBuf>, told: &mut dyn FnMut(usize) -> bool) -> Result<Self, TreeError> {
        let uses = Uses::read(&crate::System::default().keeping(own));
        let mut look = TreeLook { tree: Tree::default(), uses, told };
        for path in paths {
            look.root(path)?;
        }
        look.check_apart()?;
        Ok(look.tree)
    }
}

/// Tells every file below these folders on their own file systems, until it is too late.
fn search(mut folders: Vec<PathBuf>, until: Instant, told: &mut dyn FnMut(Id, &Path)) {
    use std::os::unix::fs::MetadataExt;
    folders.sort_unstable();
    folders.dedup();
    let systems: HashSet<u64> = folders.iter().filter_map(|f| Some(std::fs::symlink_metadata(f).ok()?.dev())).collect();
    while let Some(folder) = folders.pop() {
        if Instant::now() > until {
            return;
        }
        for entry in std::fs::read_dir(&folder).into_iter().flatten().flatten() {
            let Ok(status) = entry.metadata() else { continue };
            if status.is_dir() && systems.contains(&status.dev()) {
                folders.push(entry.path());
            } else {
                told(Id { device: status.dev(), inode: status.ino() }, &entry.path());
            }
        }
    }
}

/// Folders in folders are followed so far: each holds a descriptor open.
pub(crate) const DEEPEST: u32 = 500;

/// How names below a folder are opened: the name itself, in that folder, on that mount.
pub(crate) const INSIDE: ResolveFlags =
    ResolveFlags::BENEATH.union(ResolveFlags::NO_SYMLINKS).union(ResolveFlags::NO_XDEV).union(ResolveFlags::NO_MAGICLINKS);

/// Opens a folder that lies in another one.
pub(crate) fn open_folder(folder: impl AsFd, name: &std::ffi::OsStr) -> Result<OwnedFd, Errno> {
    let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::NOFOLLOW | OFlags::CLOEXEC;
    openat2(folder, name, flags, Mode::empty(), INSIDE)
}

/// What a name leads to, never through a link.
pub(crate) fn status(folder: impl AsFd, name: &std::ffi::OsStr) -> Result<Statx, Errno> {
    let flags = AtFlags::SYMLINK_NOFOLLOW | AtFlags::NO_AUTOMOUNT;
    statx(folder, name, flags, StatxFlags::BASIC_STATS | StatxFlags::MNT_ID)
}

pub(crate) fn id(told: &Statx) -> Id {
    Id { device: makedev(told.stx_dev_major, told.stx_dev_minor), inode: told.stx_ino }
}

pub(crate) fn kind(told: &Statx) -> NodeKind {
    match FileType::from_raw_mode(u32::from(told.stx_mode)) {
        FileType::RegularFile => NodeKind::File,
        FileType::Directory => NodeKind::Folder,
        FileType::Symlink => NodeKind::Link,
        _ => NodeKind::Special,
    }
}

struct TreeLook<'l> {
    tree: Tree,
    uses: Uses,
    told: &'l mut dyn FnMut(usize) -> bool,
}

impl TreeLook<'_> {
    fn root(&mut self, path: &Path) -> Result<(), TreeError> {
        let shown = || jurex_pattern::text::shown_path(path);
        let unseen = |cause: Errno| TreeError::Unseen { path: shown(), cause: cause.into() };
        let whole = std::path::absolute(path).map_err(|cause| TreeError::Unseen { path: shown(), cause })?;
        let name =
            whole.file_name().filter(|_| !path.ends_with("..")).ok_or_else(|| TreeError::Nameless(shown()))?.to_os_string();
        let folder = whole.parent().ok_or_else(|| TreeError::Nameless(shown()))?.to_path_buf();
        // The way to the folder is the person's own; below it no link is followed.
        let opened = open(&folder, OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC, Mode::empty()).map_err(unseen)?;
        let told = status(&opened, &name).map_err(unseen)?;
        if told.stx_attributes.contains(StatxAttributes::MOUNT_ROOT) && kind(&told) == NodeKind::Folder {
            return Err(TreeError::MountPoint(shown()));
        }
        let ground = self.ground(&opened).map_err(unseen)?;
        let node = self.tree.nodes.len();
        let of_folder = statx(&opened, "", AtFlags::EMPTY_PATH, StatxFlags::BASIC_STATS).map_err(unseen)?;
        let known_by = tell_apart(&opened, &name);
        self.tree.roots.push(NamedRoot { path: path.into(), folder, folder_id: id(&of_folder), node, known_by });
        self.add(&opened, None, name, &told, ground, DEEPEST)
    }

    fn ground(&mut self, fd: &OwnedFd) -> Result<u32, Errno> {
        let found = ground_of(fd)?;
        let at = self.tree.mounts.iter().position(|m| m.mount == found.mount).unwrap_or_else(|| {
            self.tree.mounts.push(found);
            self.tree.mounts.len() - 1
        });
        Ok(at as u32)
    }

    fn add(
        &mut self,
        folder: &OwnedFd,
        in_folder: Option<usize>,
        name: OsString,
        told: &Statx,
        ground: u32,
        deepest: u32,
    ) -> Result<(), TreeError> {
        let at = self.tree.nodes.len();
        if !(self.told)(at) {
            return Err(TreeError::Stopped);
        }
        let (id, kind) = (id(told), kind(told));
        let left_alone = self.left_alone(told, id, kind, ground);
        let (bytes, names) = (if kind == NodeKind::File { told.stx_size } else { 0 }, u64::from(told.stx_nlink));
        let opened = (kind == NodeKind::Folder && left_alone != Some(LeftAlone::OtherMount)).then(|| open_folder(folder, &name));
        self.tree.nodes.push(TreeNode { name, folder: in_folder, kind, id, bytes, names, ground, left_alone });
        match opened {
            None => Ok(()),
            Some(Ok(inside)) if deepest > 0 => self.below(&inside, at, ground, deepest - 1),
            Some(Ok(_)) => {
                self.tree.nodes[at].left_alone = Some(LeftAlone::Unopened);
                self.tree.unread.push((self.tree.path(at), format!("it lies deeper than {DEEPEST} folders")));
                Ok(())
            }
            Some(Err(e)) => {
                self.tree.nodes[at].left_alone = Some(refusal(e));
                self.tree.unread.push((self.tree.path(at), e.to_string()));
                Ok(())
            }
        }
    }

    fn below(&mut self, folder: &OwnedFd, at: usize, ground: u32, deepest: u32) -> Result<(), TreeError> {
        let dir = match Dir::read_from(folder) {
            Ok(dir) => dir,
            Err(e) => {
                self.tree.unread.push((self.tree.path(at), e.to_string()));
                return Ok(());
            }
        };
        for entry in dir {
            let entry = match entry {
                Ok(entry) => entry,
                Err(e) => {
                    self.tree.unread.push((self.tree.path(at), e.to_string()));
                    return Ok(());
                }
            };
            let name = OsString::from_vec(entry.file_name().to_bytes().to_vec());
            if name == "." || name == ".." {
                continue;
            }
            // What is gone by now is nobody's loss any more.
            let Ok(told) = status(folder, &name) else { continue };
            self.add(folder, Some(at), name, &told, ground, deepest)?;
        }
        Ok(())
    }

    /// What can be told without opening it.
    fn left_alone(&self, told: &Statx, id: Id, kind: NodeKind, ground: u32) -> Option<LeftAlone> {
        let attributes = told.stx_attributes;
        let mount = &self.tree.mounts[ground as usize];
        if told.stx_mnt_id != mount.mount {
            return Some(LeftAlone::OtherMount);
        }
        if attributes.intersects(StatxAttributes::IMMUTABLE | StatxAttributes::APPEND | StatxAttributes::VERITY) {
            return Some(LeftAlone::Immutable);
        }
        if kind != NodeKind::File {
            return None;
        }
        let object = KernelObject::File(id.device, id.inode);
        self.uses.of_file_alone(object).into_iter().find_map(|h| match h {
            Blocker::Swap { .. } => Some(LeftAlone::Swap),
            Blocker::AttachedAs { .. } => Some(LeftAlone::Image),
            Blocker::OwnFile { .. } => Some(LeftAlone::Own),
            _ => None,
        })
    }

    /// No path may lie under another one: it would be gone before its turn.
    fn check_apart(&self) -> Result<(), TreeError> {
        let nodes = &self.tree.nodes;
        let mut named: HashSet<(Id, &OsString)> = HashSet::new();
        let twice = |node: usize| TreeError::Twice(jurex_pattern::text::shown_path(&self.tree.path(node)));
        for root in &self.tree.roots {
            if !named.insert((root.folder_id, &nodes[root.node].name)) {
                return Err(twice(root.node));
            }
        }
        let below = |n: &TreeNode| n.folder.is_some_and(|f| named.contains(&(nodes[f].id, &n.name)));
        nodes.iter().position(below).map_or(Ok(()), |at| Err(twice(at)))
    }
}

/// What a refusal to open something means.
pub(crate) fn refusal(error: Errno) -> LeftAlone {
    match error {
        Errno::XDEV => LeftAlone::OtherMount,
        Errno::ACCESS | Errno::PERM => LeftAlone::NoRights,
        Errno::ROFS => LeftAlone::ReadOnly,
        Errno::TXTBSY => LeftAlone::Runs,
        Errno::NOENT => LeftAlone::Gone,
        Errno::LOOP | Errno::NOTDIR | Errno::ISDIR | Errno::NXIO => LeftAlone::Changed,
        _ => LeftAlone::Unopened,
    }
}
