//! The erasure of a tree: one folder after another, the deepest first, many small files together.

use super::contents::{FileContents, OpenFile, Stamp, WRITTEN_TO, length};
use super::ground::Mounted;
use super::places::Devices;
use super::pool::Pool;
use super::removal::{Leaving, erase_attributes, erase_length, erase_times};
use super::tree::{INSIDE, Id, Tree, TreeNode, id, open_folder, refusal};
use jurex_file_erase::{
    FileEvidence, FileSystemFamily, LeftAlone, Lies, Name, NameRemoval, Names, NodeKind, STOPPED, StorageStack, Strip, Trace,
    WhyNotRead,
};
use jurex_pattern::notation::{Entropy, PassPattern};
use rustix::fs::{AtFlags, IFlags, Mode, OFlags, StatxFlags, fsync, ioctl_getflags, open, openat2, statx};
use rustix::io::Errno;
use std::collections::HashMap;
use std::os::fd::{AsFd, OwnedFd};
use std::os::unix::ffi::OsStrExt;
use std::path::PathBuf;
use std::sync::Arc;

/// Files that are treated together at most, and the bytes that end such a lot early.
const TOGETHER: usize = 512;
const TOGETHER_BYTES: u64 = 256 << 20;

/// What is to be done.
#[derive(Debug)]
pub struct FilesOrder {
    /// The passes, random choices made.
    pub passes: Vec<PassPattern>,
    /// Whether names stay.
    pub keep_names: bool,
    /// What names are digested with in the evidence; `None`: they stand as they are.
    pub name_salt: Option<Vec<u8>>,
    /// What sectors are digested with; the same in every session of a work.
    pub sample_salt: [u8; 16],
    /// What earlier sessions have traced.
    pub traces: HashMap<Id, Trace>,
    /// Every ground of the record, those of earlier sessions first.
    pub grounds: Vec<StorageStack>,
    /// The place there of each ground of the tree.
    pub numbers: Vec<u32>,
    /// Whether the journals of file systems that names were removed from are emptied afterwards, where that is possible.
    pub empties_journals: bool,
}

/// How far it has come.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct FilesProgress {
    /// Names that are done with.
    pub names: u64,
    /// All of them.
    pub of_names: u64,
    /// Bytes that were laid and read.
    pub bytes: u64,
    /// All that are to be laid and read, as far as lengths tell.
    pub of_bytes: u64,
    /// The folder that it is at.
    pub folder: PathBuf,
}

/// Who hears of the work, and may stop it.
pub trait Watcher {
    /// These files are about to be written to; where this fails they are not.
    ///
    /// # Errors
    /// It could not be kept.
    fn begins(&mut self, traces: &[&Trace]) -> std::io::Result<()>;
    /// These were overwritten; their names go next.
    ///
    /// # Errors
    /// It could not be kept.
    fn overwritten(&mut self, traces: &[Trace]) -> std::io::Result<()>;
    /// That one is done with, or left.
    fn ended(&mut self, id: Id, evidence: &FileEvidence);
    /// A lot is done with.
    fn lot_ended(&mut self);
    /// How far it has come; whether it is to go on.
    fn progress(&mut self, progress: &FilesProgress) -> bool;
}

/// What came of a tree.
#[derive(Debug)]
pub struct FilesDone {
    /// Each file, folder and link.
    pub files: Vec<FileEvidence>,
    /// Where files lay on each ground.
    pub strips: Vec<Strip>,
    /// Grounds whose journal was emptied.
    pub journals_emptied: Vec<u32>,
    /// Whether it was stopped.
    pub stopped: bool,
}

/// Erases everything in a tree that was looked at.
pub fn erase(tree: &Tree, order: FilesOrder, entropy: &mut dyn Entropy, watcher: &mut dyn Watcher) -> FilesDone {
    raise_limit();
    let (_, bytes) = tree.to_erase();
    let rounds = order.passes.len() as u64 + order.passes.iter().filter(|p| p.read_back).count() as u64 + 2;
    let progress =
        FilesProgress { of_names: tree.nodes.len() as u64, of_bytes: bytes.saturating_mul(rounds), ..FilesProgress::default() };
    let mut inside: HashMap<Id, u64> = HashMap::new();
    tree.nodes.iter().filter(|n| n.kind == NodeKind::File && n.names > 1).for_each(|n| *inside.entry(n.id).or_default() += 1);
    let mut work = Working {
        tree,
        order: &order,
        names: Names::new(entropy),
        watcher,
        progress,
        pool: Pool::new(),
        devices: HashMap::new(),
        strips: tree.mounts.iter().map(|m| Strip::new(m.ground.bytes)).collect(),
        evidence: tree.nodes.iter().map(|_| None).collect(),
        base: 0,
        inside,
        first_names: HashMap::new(),
        on_ground: HashMap::new(),
    };
    for root in &tree.roots {
        let folder = open(&root.folder, OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC, Mode::empty());
        match folder {
            Ok(folder) if same_folder(&folder, root.folder_id) => {
                work.of_folder(&folder, &[root.node]);
                work.on_ground.insert(tree.nodes[root.node].ground, folder);
            }
            Ok(_) => work.leave(root.node, LeftAlone::Changed),
            Err(e) => work.leave(root.node, refusal(e)),
        }
    }
    work.end()
}

/// As many descriptors as this process may have: each file of a lot holds one.
fn raise_limit() {
    use rustix::process::{Resource, Rlimit, getrlimit, setrlimit};
    let limit = getrlimit(Resource::Nofile);
    let _ = setrlimit(Resource::Nofile, Rlimit { current: limit.maximum, maximum: limit.maximum });
}

fn same_folder(folder: &OwnedFd, expected: Id) -> bool {
    statx(folder, "", AtFlags::EMPTY_PATH, StatxFlags::BASIC_STATS).is_ok_and(|told| id(&told) == expected)
}

struct Working<'w> {
    tree: &'w Tree,
    order: &'w FilesOrder,
    names: Names<'w>,
    watcher: &'w mut dyn Watcher,
    progress: FilesProgress,
    pool: Pool,
    devices: HashMap<u32, Result<Devices, WhyNotRead>>,
    strips: Vec<Strip>,
    evidence: Vec<Option<FileEvidence>>,
    /// The next byte of the passes that no file has had.
    base: u64,
    /// Names in the tree of files that have several.
    inside: HashMap<Id, u64>,
    /// The first name of each file that has several: another one of it is only a name.
    first_names: HashMap<Id, usize>,
    /// A folder on each ground.
    on_ground: HashMap<u32, OwnedFd>,
}

impl Working<'_> {
    fn node(&self, at: usize) -> &TreeNode {
        &self.tree.nodes[at]
    }

    /// The record's number of a ground of the tree.
    fn number(&self, ground: u32) -> u32 {
        self.order.numbers.get(ground as usize).copied().unwrap_or(ground)
    }

    /// Of a file that lay on one ground when it was first written to and lies on another now (a snapshot was taken or is gone), the worse one.
    fn worse(&self, then: u32, now: u32) -> u32 {
        let weight = |n: u32| self.order.grounds.get(n as usize).map(StorageStack::weight);
        if weight(then) > weight(now) { then } else { now }
    }

    fn new_evidence(&self, at: usize) -> FileEvidence {
        let node = self.node(at);
        let path = self.tree.path(at);
        let name = Name::of(path.as_os_str().as_bytes(), self.order.name_salt.as_deref());
        FileEvidence::new(name, node.kind, self.number(node.ground), node.bytes)
    }

    fn leave(&mut self, at: usize, why: LeftAlone) {
        let evidence = FileEvidence { left_alone: Some(why), ..self.new_evidence(at) };
        self.done_with(at, evidence);
    }

    fn done_with(&mut self, at: usize, evidence: FileEvidence) {
        // What was only stopped is not over.
        if !self.is_stopped() {
            self.watcher.ended(self.tree.nodes[at].id, &evidence);
        }
        self.evidence[at] = Some(evidence);
        self.progress.names += 1;
    }

    fn is_stopped(&self) -> bool {
        self.pool.is_stopped()
    }

    /// Tells how far it has come, and hears whether to go on.
    fn tick(&mut self) {
        self.progress.bytes = self.pool.done.load(std::sync::atomic::Ordering::Relaxed);
        if !self.watcher.progress(&self.progress) {
            self.pool.stops.store(true, std::sync::atomic::Ordering::Relaxed);
        }
    }

    /// Everything of one folder that is among `nodes`: what folders hold first, then files, then the folders themselves.
    fn of_folder(&mut self, folder: &OwnedFd, nodes: &[usize]) {
        let mut files = vec![];
        let mut folders = vec![];
        for at in nodes.iter().copied() {
            if let Some(why) = self.node(at).left_alone {
                self.leave(at, why);
                continue;
            }
            match self.node(at).kind {
                NodeKind::Folder => folders.push(at),
                _ => files.push(at),
            }
        }
        for at in folders.iter().copied() {
            if self.is_stopped() {
                return;
            }
            match self.open_same_folder(folder, at) {
                Ok(inside) => {
                    let held = self.children(at);
                    self.of_folder(&inside, &held);
                }
                Err(why) => self.leave(at, why),
            }
        }
        self.progress.folder =
            nodes.first().map(|at| self.tree.path(*at)).and_then(|p| p.parent().map(PathBuf::from)).unwrap_or_default();
        let mut lot = vec![];
        let mut bytes = 0;
        for at in files {
            lot.push(at);
            bytes += self.node(at).bytes;
            if lot.len() >= TOGETHER || bytes >= TOGETHER_BYTES {
                self.of_lot(folder, &std::mem::take(&mut lot));
                bytes = 0;
            }
        }
        self.of_lot(folder, &lot);
        for at in folders {
            if !self.is_stopped() && self.evidence[at].is_none() {
                self.remove_folder(folder, at);
            }
        }
    }

    fn children(&self, of: usize) -> Vec<usize> {
        // What a folder holds stands behind it, up to the first that lies in none of its folders.
        let rest = self.tree.nodes[of + 1..].iter().enumerate().map(|(n, node)| (of + 1 + n, node));
        rest.take_while(|(_, n)| n.folder.is_some_and(|f| f >= of))
            .filter(|(_, n)| n.folder == Some(of))
            .map(|(at, _)| at)
            .collect()
    }

    fn open_same_folder(&self, folder: &OwnedFd, at: usize) -> Result<OwnedFd, LeftAlone> {
        let node = self.node(at);
        let inside = open_folder(folder, &node.name).map_err(refusal)?;
        if same_folder(&inside, node.id) { Ok(inside) } else { Err(LeftAlone::Changed) }
    }

    fn remove_folder(&mut self, folder: &OwnedFd, at: usize) {
        let node = self.node(at);
        let mut evidence = self.new_evidence(at);
        if self.order.keep_names {
            evidence.removal = NameRemoval::Kept;
            return self.done_with(at, evidence);
        }
        let holds_some = self.children(at).into_iter().any(|c| {
            let removed = self.evidence[c].as_ref().map(|e| e.removal);
            !matches!(removed, Some(NameRemoval::Removed | NameRemoval::RemovedAsItWas))
        });
        if holds_some {
            evidence.not_removed = Some("it holds something that is left".into());
        } else {
            let own = node.name.clone();
            let mut leaving = Leaving::new(&own, node.id);
            let renamed =
                leaving.rename(folder, own.len(), &mut self.names).and_then(|()| leaving.shorten(folder, &mut self.names));
            match renamed.and_then(|()| leaving.remove(folder, true)) {
                Ok(removal) => evidence.removal = removal,
                Err(e) => {
                    leaving.restore(folder, &own);
                    evidence.not_removed = Some(not_removed("removed", e));
                }
            }
            let _ = fsync(folder);
        }
        self.done_with(at, evidence);
    }

    /// Files, links and others of one folder, together.
    fn of_lot(&mut self, folder: &OwnedFd, lot: &[usize]) {
        if lot.is_empty() || self.is_stopped() {
            return;
        }
        let (mut held, mut overwritten, mut names_only) = (vec![], vec![], vec![]);
        for at in lot.iter().copied() {
            let (kind, names, id) = (self.node(at).kind, self.node(at).names, self.node(at).id);
            let again = kind == NodeKind::File && names > 1 && self.first_names.contains_key(&id);
            if kind != NodeKind::File || again {
                let kind = if again { NodeKind::Link } else { kind };
                names_only.push((at, FileEvidence { kind, bytes: 0, ..self.new_evidence(at) }));
                continue;
            }
            if names > 1 {
                self.first_names.insert(id, at);
            }
            match self.open_file(folder, at) {
                Ok(file) if file.is_overwritten => overwritten.push(file),
                Ok(file) => held.push(file),
                Err(evidence) => self.done_with(at, *evidence),
            }
        }
        self.contents_of(&mut held);
        held.extend(overwritten);
        self.tick();
        if self.is_stopped() {
            for mut file in held {
                file.evidence.fault.get_or_insert_with(|| STOPPED.into());
                self.done_with(file.node, file.evidence);
            }
            return;
        }
        self.remove_lot(folder, held, names_only);
        self.watcher.lot_ended();
        self.tick();
    }

    /// Opens a file that is still the one that was looked at. Nothing but a plain file is ever written to.
    fn open_file(&mut self, folder: &OwnedFd, at: usize) -> Result<OpenFile, Box<FileEvidence>> {
        let evidence = self.new_evidence(at);
        let node = self.node(at);
        let leave = |why| Box::new(FileEvidence { left_alone: Some(why), ..evidence.clone() });
        let flags = OFlags::RDWR | OFlags::NOFOLLOW | OFlags::NONBLOCK | OFlags::CLOEXEC | OFlags::NOCTTY;
        let open = |flags| openat2(folder, &node.name, flags, Mode::empty(), INSIDE);
        // Past caches, if the file system lets it be so.
        let (opened, direct) = match open(flags | OFlags::DIRECT) {
            Err(Errno::INVAL) => (open(flags), false),
            opened => (opened, true),
        };
        let fd = opened.map_err(|e| leave(refusal(e)))?;
        let wanted = StatxFlags::BASIC_STATS | StatxFlags::BTIME;
        let told = statx(&fd, "", AtFlags::EMPTY_PATH, wanted).map_err(|e| leave(refusal(e)))?;
        if id(&told) != node.id || super::tree::kind(&told) != NodeKind::File {
            return Err(leave(LeftAlone::Changed));
        }
        let system = self.tree.mounts[node.ground as usize].ground.system();
        let has = |flag| ioctl_getflags(&fd).is_ok_and(|f| f.contains(flag));
        let journaled = system == FileSystemFamily::Ext && has(IFlags::JOURNALING);
        let not_copied = system == FileSystemFamily::Btrfs && has(IFlags::NOCOW);
        // Whoever opens it from now on waits until its name is gone; whoever has it open already can write to it at any time.
        let open_elsewhere = matches!(crate::ioctl::hold_alone(&fd), Ok(Some(true)));
        let mut evidence =
            FileEvidence { journaled, not_copied, open_elsewhere, past_caches: direct, bytes: told.stx_size, ..evidence };
        let inside = self.inside.get(&node.id).copied().unwrap_or(1);
        evidence.other_names = u64::from(told.stx_nlink).saturating_sub(inside);
        let time = |t: rustix::fs::StatxTimestamp| (t.tv_sec, t.tv_nsec);
        let (born, changed) = (time(told.stx_btime), time(told.stx_mtime));
        // Where the system does not tell when a file was made, its number may have come to another one: its name must be the same then.
        let same = |t: &&Trace| t.born == born && (born != (0, 0) || t.name.as_ref() == Some(&evidence.name));
        let known = self.order.traces.get(&node.id).filter(same);
        // What somebody has written to since is another content, and what was seen of the one before says nothing of it.
        let seen = known.and_then(|t| t.seen.as_ref()).filter(|seen| seen.changed == changed || changed == (0, 0));
        let is_overwritten = seen.is_some();
        if let Some(seen) = seen {
            let open_elsewhere = open_elsewhere || seen.evidence.open_elsewhere;
            evidence = FileEvidence { other_names: evidence.other_names, open_elsewhere, ..seen.evidence.clone() };
        }
        let begun = known.filter(|t| t.seen.is_none());
        if let Some(begun) = begun {
            (evidence.bytes, evidence.ground) = (begun.length, self.worse(begun.ground, evidence.ground));
        }
        let trace = begun.cloned().unwrap_or_else(|| Trace {
            device: node.id.device,
            inode: node.id.inode,
            born,
            name: Some(evidence.name.clone()),
            length: told.stx_size,
            ground: evidence.ground,
            lies: Lies::default(),
            samples: vec![],
            seen: None,
        });
        let left_as = if is_overwritten { Stamp::of(&fd).ok() } else { None };
        let is_fresh = begun.is_none();
        let base = self.base;
        self.base += told.stx_size.next_multiple_of(1 << 20).max(1 << 20);
        Ok(OpenFile {
            node: at,
            fd,
            direct,
            base,
            trace,
            is_fresh,
            is_overwritten,
            now: Lies::default(),
            limit: Arc::new(u64::MAX.into()),
            left_as,
            evidence,
        })
    }

    /// Overwrites the contents of a lot and sees what came of it.
    fn contents_of(&mut self, held: &mut [OpenFile]) {
        let Some(first) = held.first() else { return };
        let number = self.tree.nodes[first.node].ground;
        let mounted: &Mounted = &self.tree.mounts[number as usize];
        let devices = self.devices.entry(number).or_insert_with(|| Devices::of(mounted, &first.fd));
        let (passes, ground, salt) = (&self.order.passes, &mounted.ground, &self.order.sample_salt);
        let contents = FileContents { pool: &self.pool, passes, ground, devices, salt };
        let (watcher, progress) = (&mut *self.watcher, &mut self.progress);
        let mut tick = |watcher: &mut dyn Watcher, bytes: u64| {
            progress.bytes = bytes;
            watcher.progress(progress)
        };
        for file in held.iter_mut() {
            match length(&file.fd) {
                Ok(length) => contents.measure(file, length),
                Err(e) => file.evidence.fault = Some(format!("it can't be looked at: {e}")),
            }
        }
        contents.sample(held, &mut |bytes| tick(watcher, bytes));
        for file in held.iter_mut() {
            if file.is_fresh {
                file.trace.lies = file.now.clone();
            } else {
                file.trace.lies.with_what_came(&file.now);
            }
            file.evidence.before = file.trace.lies.before;
        }
        if self.pool.is_stopped() {
            return;
        }
        let traces: Vec<&Trace> = held.iter().filter(|h| h.is_sound()).map(|h| &h.trace).collect();
        if let Err(e) = watcher.begins(&traces) {
            let why = format!("what is needed to resume later can't be kept: {e}");
            held.iter_mut().for_each(|h| h.evidence.fault = Some(why.clone()));
            return;
        }
        lay_and_look(&contents, held, &mut |bytes| tick(watcher, bytes));
        for file in held.iter() {
            let judged_on = self.order.grounds.get(file.evidence.ground as usize).unwrap_or(ground);
            let ending = file.evidence.ending(judged_on, passes.len() as u32).0;
            self.strips[number as usize].show_file(&file.trace.lies, ending);
        }
        if self.pool.is_stopped() {
            return;
        }
        let overwritten: Vec<Trace> = held.iter().filter(|h| h.is_sound()).filter_map(OpenFile::overwritten).collect();
        if let Err(e) = watcher.overwritten(&overwritten) {
            tracing::warn!("what was overwritten can't be kept for later: {e}");
        }
    }

    /// Attributes, times, lengths and names of a lot; then the folder is written out.
    fn remove_lot(&mut self, folder: &OwnedFd, held: Vec<OpenFile>, names_only: Vec<(usize, FileEvidence)>) {
        let keeps = self.order.keep_names;
        let mut leaving: Vec<(usize, FileEvidence, Option<LastSeen>)> = vec![];
        for mut file in held {
            file.check_untouched();
            if !file.is_sound() {
                self.done_with(file.node, file.evidence);
                continue;
            }
            (file.evidence.attributes, file.evidence.attributes_left) = erase_attributes(&file.fd);
            // A lease that was there and is broken: somebody has opened it, or waits to write.
            let held_alone = crate::ioctl::is_held_alone(&file.fd);
            file.evidence.open_elsewhere |= !held_alone && crate::ioctl::hold_alone(&file.fd) == Ok(Some(true));
            if keeps && let Err(e) = erase_length(&file.fd) {
                file.evidence.not_removed = Some(format!("it can't be cut to nothing: {e}"));
            }
            erase_times(&file.fd);
            let as_left = Stamp::of_contents(&file.fd).ok();
            leaving.push((file.node, file.evidence, Some((file.fd, as_left))));
        }
        for (at, mut evidence) in names_only {
            // A further name is removed only once what it leads to is done with.
            let first = self.first_names.get(&self.node(at).id).filter(|_| self.node(at).kind == NodeKind::File);
            let of_first = first.and_then(|first| self.evidence[*first].as_ref());
            if of_first.is_some_and(|e| e.fault.is_some() || e.left_alone.is_some()) {
                evidence.not_removed = Some("it is a name of a file that could not be erased".into());
                self.done_with(at, evidence);
            } else {
                leaving.push((at, evidence, None));
            }
        }
        if keeps {
            for (at, mut evidence, fd) in leaving {
                evidence.fault = fd.and_then(|(fd, _)| came_after(&fd));
                evidence.removal = if evidence.not_removed.is_none() { NameRemoval::Kept } else { NameRemoval::Left };
                self.done_with(at, evidence);
            }
            return;
        }
        let tree = self.tree;
        let mut names: Vec<Leaving> =
            leaving.iter().map(|(at, ..)| Leaving::new(&tree.nodes[*at].name, tree.nodes[*at].id)).collect();
        for (name, (at, evidence, _)) in names.iter_mut().zip(&mut leaving) {
            let renamed = name.rename(folder, tree.nodes[*at].name.len(), &mut self.names);
            evidence.not_removed = renamed.err().map(|e| not_removed("renamed", e));
        }
        let _ = fsync(folder);
        for (mut name, (at, mut evidence, fd)) in names.into_iter().zip(leaving) {
            if let Some((fd, Some(as_left))) = &fd
                && Stamp::of_contents(fd) != Ok(*as_left)
            {
                // It keeps what somebody has written, under its own name.
                evidence.fault = Some(WRITTEN_TO.into());
                name.restore(folder, &tree.nodes[at].name);
                self.done_with(at, evidence);
                continue;
            }
            let cut = fd.as_ref().map_or(Ok(()), |(fd, _)| erase_length(fd));
            if evidence.not_removed.is_none() {
                let shortened = name.shorten(folder, &mut self.names);
                match shortened.and(cut).and_then(|()| name.remove(folder, false)) {
                    Ok(removal) => evidence.removal = removal,
                    Err(e) => evidence.not_removed = Some(not_removed("removed", e)),
                }
            }
            // Once more, now that nobody finds it by its name.
            evidence.fault = fd.and_then(|(fd, _)| came_after(&fd));
            self.done_with(at, evidence);
        }
        let _ = fsync(folder);
    }

    fn end(mut self) -> FilesDone {
        let stopped = self.is_stopped();
        for at in 0..self.tree.nodes.len() {
            if self.evidence[at].is_none() {
                let fault = Some(format!("{STOPPED} before it"));
                self.evidence[at] = Some(FileEvidence { fault, ..self.new_evidence(at) });
            }
        }
        // The journal holds copies of names and tables: where that is possible it is emptied.
        let mut journals_emptied: Vec<u32> = vec![];
        for (ground, folder) in self.on_ground.iter().filter(|_| !stopped && self.order.empties_journals) {
            let of = &self.tree.mounts[*ground as usize].ground;
            // One that is mounted read-only is not to be written to, its journal as little as anything else.
            let read_only = of.options.iter().any(|o| o == "ro");
            if of.system() == FileSystemFamily::Ext
                && !read_only
                && of.kind != "ext2"
                && crate::ioctl::ext4_empty_journal(folder, true).is_ok()
            {
                journals_emptied.push(self.number(*ground));
            }
        }
        journals_emptied.sort_unstable();
        FilesDone { files: self.evidence.into_iter().flatten().collect(), strips: self.strips, journals_emptied, stopped }
    }
}

/// A file whose contents are done with, and what it was like then.
type LastSeen = (OwnedFd, Option<Stamp>);

/// Why a file that was cut to nothing has failed after all: bytes are in it again.
fn came_after(fd: &OwnedFd) -> Option<String> {
    (length(fd) != Ok(0)).then(|| WRITTEN_TO.into())
}

fn not_removed(what: &str, error: Errno) -> String {
    match error {
        Errno::STALE => "somebody has put something else in its place".into(),
        e => format!("it can't be {what}: {e}"),
    }
}

/// Lays the passes over the files of a lot, and looks at their old places.
fn lay_and_look(contents: &FileContents<'_>, held: &mut [OpenFile], tick: &mut dyn FnMut(u64) -> bool) {
    contents.lay(held, tick);
    if contents.pool.is_stopped() {
        return;
    }
    let journals = contents.ground.journals_data() || held.iter().any(|h| h.evidence.journaled);
    if journals && let Some(first) = held.first() {
        // What is in the journal alone does not lie in its place yet.
        let _ = crate::ioctl::ext4_empty_journal(first.fd.as_fd(), false);
    }
    contents.look(held, tick);
}
