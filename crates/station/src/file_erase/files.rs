//! Files and folders: looked at, erased, gone on with.

use super::notes::{self, Notes, UnfinishedFiles};
use crate::app_paths::AppPaths;
use crate::clock::{SystemEntropy, new_job_id, wall};
use crate::exit::Failure;
use crate::this_tool;
use jurex_file_erase::{
    FileEraseRecord, FileEvidence, FileWork, Name, NameRemoval, NodeKind, Noted, NotedRoot, StorageStack, Strip, Trace,
};
use jurex_linux::files::{FilesDone, FilesOrder, FilesProgress, Id, NamedRoot, Tree, TreeError, Watcher};
use jurex_pattern::notation::{Entropy, Program};
use jurex_pattern::text::{printable, shown_path};
use jurex_pattern::units::counted;
use jurex_sanitize::record::Person;
use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// How long other names of files are looked for.
const PATIENCE: Duration = Duration::from_secs(5);

/// What is wanted of a tree.
#[derive(Clone, Debug)]
pub struct FilesWish {
    pub program: Program,
    pub notation: String,
    pub keep_names: bool,
    /// Whether names stand in the record; else their digests do.
    pub with_names: bool,
    pub by: Person,
}

/// Hears how far the work has come, and answers whether to go on.
pub type Hears<'h> = &'h mut dyn FnMut(&FilesProgress) -> bool;

/// A tree, and what is to be told of it before anything is done.
#[derive(Debug)]
pub struct Surveyed {
    pub tree: Tree,
    /// Files that are somewhere else too: node, how many other names, and those that were found.
    pub linked: Vec<(usize, u64, Vec<PathBuf>)>,
    /// Files that somebody has open, with whom.
    pub open: Vec<(usize, String)>,
    /// The files that will be erased, the largest first: nodes. Kept, since a screen shows them again and again.
    pub files: Vec<usize>,
    /// What a person should know before, each of its kind (linked, open, left, unread) and in a sentence; kept for the same reason.
    pub to_know: Vec<(&'static str, String)>,
}

impl Surveyed {
    /// Of a tree that was looked at.
    pub fn new(tree: Tree, linked: Vec<(usize, u64, Vec<PathBuf>)>, open: Vec<(usize, String)>) -> Self {
        let nodes = &tree.nodes;
        let is_erased = |n: &usize| nodes[*n].kind == NodeKind::File && nodes[*n].left_alone.is_none();
        let mut files: Vec<usize> = (0..nodes.len()).filter(is_erased).collect();
        files.sort_by_key(|n| std::cmp::Reverse(nodes[*n].bytes));
        let to_know = to_know(&tree, &linked, &open);
        Self { tree, linked, open, files, to_know }
    }

    /// How many names will go: what a person types.
    pub fn count(&self) -> u64 {
        self.tree.names_to_lose()
    }

    /// So many nodes of that kind that will be erased.
    pub fn of_kind(&self, kind: NodeKind) -> u64 {
        self.tree.nodes.iter().filter(|n| n.kind == kind && n.left_alone.is_none()).count() as u64
    }
}

fn to_know(tree: &Tree, linked: &[(usize, u64, Vec<PathBuf>)], open: &[(usize, String)]) -> Vec<(&'static str, String)> {
    let path = |node: usize| shown_path(&tree.path(node));
    let linked = linked.iter().map(|(at, n, found)| {
        let found: Vec<String> = found.iter().map(|p| shown_path(p)).collect();
        let found = if found.is_empty() { format!("inode {}", tree.nodes[*at].id.inode) } else { found.join(", ") };
        ("linked", format!("{} has {} elsewhere, which will be empty: {found}", path(*at), counted(*n, "name")))
    });
    let open = open.iter().map(|(at, who)| ("open", format!("{} is open in {}", path(*at), printable(who.as_bytes()))));
    let left = tree.nodes.iter().enumerate().filter_map(|(at, node)| {
        let why = node.left_alone?.sentence();
        Some(("left", format!("{} stays: {why}", path(at))))
    });
    let unread = tree.unread.iter().map(|(p, why)| ("unread", format!("{}: {why}", shown_path(p))));
    linked.chain(open).chain(left).chain(unread).collect()
}

/// Looks at everything under these paths; nothing is written.
///
/// # Errors
/// A path that can't be taken, or the work on it was cut short and must be gone on with.
pub fn survey(
    paths: &[PathBuf],
    (places, out): (&AppPaths, &Path),
    told: &mut dyn FnMut(usize) -> bool,
) -> Result<Surveyed, Failure> {
    super::made_up::only(places, paths.iter().map(PathBuf::as_path))?;
    let tree = Tree::look(paths, places.own_files(), told).map_err(|e| match e {
        TreeError::Stopped => Failure::Stopped(format!("{e}. Nothing was written")),
        e => Failure::Use(format!("{e}. Nothing was written")),
    })?;
    for own in [out, &places.less()] {
        if let Some(root) = tree.roots.iter().find(|r| lies_in(own, &r.path)) {
            let (own, root) = (shown_path(own), shown_path(&root.path));
            return Err(Failure::Refused(format!(
                "{own}, where the record is to be written, lies in {root}: name another folder with --out. Nothing was written"
            )));
        }
    }
    for unfinished in notes::unfinished(&places.less()) {
        if tree.nodes.iter().any(|n| unfinished.traces.contains_key(&n.id)) {
            return Err(Failure::Refused(format!(
                "the erasure {} of some of these files was cut short: resume it first (jurex files --resume). Only it knows where they were. Nothing was written",
                unfinished.asked.job
            )));
        }
    }
    let (linked, open) = (tree.linked(), tree.open());
    let mut others = tree.other_names(&linked, PATIENCE);
    let linked = linked.into_iter().map(|(at, n)| {
        let (mine, rest) = std::mem::take(&mut others).into_iter().partition(|(of, _)| *of == at);
        others = rest;
        let mine: Vec<(usize, PathBuf)> = mine;
        (at, n, mine.into_iter().map(|(_, path)| path).collect())
    });
    let linked = linked.collect();
    Ok(Surveyed::new(tree, linked, open))
}

/// Whether a folder, or where it will be, lies in that one.
fn lies_in(folder: &Path, root: &Path) -> bool {
    let Ok(root) = root.canonicalize() else { return false };
    let Ok(folder) = std::path::absolute(folder) else { return false };
    let there = folder.ancestors().find_map(|f| f.canonicalize().ok());
    there.is_some_and(|f| f.starts_with(&root)) && !root.is_symlink()
}

/// Erases a tree; what came of it is a record, whether it was stopped or not.
///
/// # Errors
/// What is needed to go on later can't be kept: nothing was written.
pub fn erase(tree: &Tree, wish: &FilesWish, places: &AppPaths, hears: Hears<'_>) -> Result<FileEraseRecord, Failure> {
    let random = |n: usize| {
        let mut bytes = vec![0; n];
        SystemEntropy.fill(&mut bytes);
        bytes
    };
    let asked = Noted {
        job: new_job_id(),
        started: wall(),
        notation: wish.notation.clone(),
        keep_names: wish.keep_names,
        with_names: wish.with_names,
        name_salt: random(16),
        sample_salt: random(16),
        roots: tree
            .roots
            .iter()
            .map(|r| {
                let path = std::path::absolute(&r.path).unwrap_or(r.path.clone());
                notes::noted_root(&path, tree.nodes[r.node].id, r.known_by.clone())
            })
            .collect(),
        grounds: tree.grounds(),
    };
    let notes = Notes::begin(&places.less(), &asked).map_err(|e| {
        Failure::Use(format!(
            "what is needed to resume later can't be kept in {}: {e}. Nothing was written",
            shown_path(&places.less())
        ))
    })?;
    let demonstration = places.made_up_files().is_some();
    let earlier = Earlier { asked, went_on: 0, traces: Default::default(), ended: vec![], demonstration };
    run(tree, earlier, &wish.program, &wish.by, notes, hears)
}

/// Goes on with an erasure that was cut short.
///
/// # Errors
/// It can't be gone on with.
pub fn go_on(unfinished: UnfinishedFiles, by: &Person, places: &AppPaths, hears: Hears<'_>) -> Result<FileEraseRecord, Failure> {
    let job = unfinished.asked.job.clone();
    let program: Program =
        unfinished.asked.notation.parse().map_err(|e| Failure::Defect(format!("the notes of {job} can't be read: {e}")))?;
    let paths: Vec<PathBuf> = unfinished.asked.roots.iter().filter_map(notes::now).collect();
    super::made_up::only(places, paths.iter().map(PathBuf::as_path))?;
    let tree = Tree::look(&paths, places.own_files(), &mut |_| true).map_err(|e| Failure::Use(format!("{job}: {e}")))?;
    // What the paths led to a moment ago and what the tree holds must be the same.
    let noted = |at: usize| {
        let root = &tree.roots[at];
        unfinished.asked.roots.iter().find(|r| is_still(r, root, tree.nodes[root.node].id))
    };
    if let Some(other) = (0..tree.roots.len()).find(|at| noted(*at).is_none()) {
        let path = shown_path(&tree.roots[other].path);
        return Err(Failure::Refused(format!("{job}: {path} was exchanged while it was looked at. Nothing was written")));
    }
    let (grounds, _) = together(unfinished.asked.grounds.clone(), tree.grounds());
    let notes = Notes::go_on(&unfinished, grounds).map_err(|e| Failure::Use(format!("{job} can't be resumed: {e}")))?;
    let UnfinishedFiles { asked, went_on, traces, ended, .. } = unfinished;
    let demonstration = places.made_up_files().is_some();
    let earlier = Earlier { asked, went_on: went_on + 1, traces, ended, demonstration };
    run(&tree, earlier, &program, by, notes, hears)
}

/// Whether a root is the one that was noted. One that has kept its name is known by less.
fn is_still(noted: &NotedRoot, root: &NamedRoot, id: Id) -> bool {
    let known = |renamed| noted.known_by.is_of(&root.known_by, renamed);
    notes::id_of(noted) == id && (known(true) || (notes::path_of(noted) == root.path && known(false)))
}

/// The grounds of all sessions, each once: those of earlier ones keep their places, and one that has changed since (a snapshot that is gone) is
/// another one. Gives them with the places of the present ones.
fn together(mut earlier: Vec<StorageStack>, now: Vec<StorageStack>) -> (Vec<StorageStack>, Vec<u32>) {
    let mut places = vec![];
    for ground in now {
        let at = earlier.iter().position(|g| *g == ground).unwrap_or(earlier.len());
        if at == earlier.len() {
            earlier.push(ground);
        }
        places.push(at as u32);
    }
    (earlier, places)
}

struct Earlier {
    asked: Noted,
    went_on: u32,
    traces: HashMap<Id, Trace>,
    ended: Vec<FileEvidence>,
    /// Whether it is done in the demonstration, on its own made-up files.
    demonstration: bool,
}

struct Noting<'n> {
    notes: &'n mut Notes,
    hears: Hears<'n>,
}

impl Watcher for Noting<'_> {
    fn begins(&mut self, traces: &[&Trace]) -> std::io::Result<()> {
        self.notes.trace(traces.iter().copied())
    }

    fn overwritten(&mut self, traces: &[Trace]) -> std::io::Result<()> {
        self.notes.trace(traces.iter())
    }

    fn ended(&mut self, id: Id, evidence: &FileEvidence) {
        self.notes.ended(id, evidence);
    }

    fn lot_ended(&mut self) {
        self.notes.lot_ended();
    }

    fn progress(&mut self, progress: &FilesProgress) -> bool {
        (self.hears)(progress)
    }
}

fn run(
    tree: &Tree,
    earlier: Earlier,
    program: &Program,
    by: &Person,
    mut notes: Notes,
    hears: Hears<'_>,
) -> Result<FileEraseRecord, Failure> {
    let Earlier { asked, went_on, traces, ended, demonstration } = earlier;
    let salt = (!asked.with_names).then(|| asked.name_salt.clone());
    let passes = program.resolve(&mut SystemEntropy);
    let planned = passes.len() as u32;
    let sample_salt = asked.sample_salt.clone().try_into().unwrap_or_default();
    let lost = lost_roots(tree, &asked.roots, &ended, salt.as_deref());
    let gone = gone_meanwhile(tree, &traces, &ended);
    let earlier_places: Vec<Trace> = traces.values().filter(|t| t.seen.is_some()).cloned().collect();
    let (grounds, numbers) = together(asked.grounds.clone(), tree.grounds());
    let (keep_names, name_salt) = (asked.keep_names, salt.clone());
    let order = FilesOrder {
        passes,
        keep_names,
        name_salt,
        sample_salt,
        traces,
        grounds: grounds.clone(),
        numbers: numbers.clone(),
        // The journal that it would be is the machine's own.
        empties_journals: !demonstration,
    };
    let done = jurex_linux::files::erase(tree, order, &mut SystemEntropy, &mut Noting { notes: &mut notes, hears });
    // What is not found keeps its notes: only they know where it lay, and it may come back.
    let missing = !lost.is_empty() || gone.iter().any(|f| f.fault.is_some());
    if !done.stopped && !missing {
        notes.close();
    }
    let FilesDone { files, strips, journals_emptied, .. } = done;
    let mut drawn: Vec<Strip> = grounds.iter().map(|g| Strip::new(g.bytes)).collect();
    numbers.iter().zip(strips).for_each(|(at, strip)| drawn[*at as usize] = strip);
    let here: HashSet<&str> = files.iter().map(|f| f.name.shown()).collect();
    let before: Vec<FileEvidence> =
        ended.into_iter().chain(gone).chain(lost).filter(|f| !here.contains(f.name.shown())).collect();
    for trace in earlier_places {
        let Some(seen) = &trace.seen else { continue };
        let at = seen.evidence.ground as usize;
        if let (Some(strip), Some(ground)) = (drawn.get_mut(at), grounds.get(at)) {
            strip.show_file(&trace.lies, seen.evidence.ending(ground, planned).0);
        }
    }
    let root = |r: &NotedRoot| Name::of(&r.path, salt.as_deref());
    let about = jurex_file_erase::FileEraseOrder {
        job: asked.job,
        tool: this_tool(),
        by: by.clone(),
        started: asked.started,
        ended: wall(),
        notation: asked.notation,
        passes: planned,
        went_on,
        demonstration,
    };
    let work = FileWork::Files {
        roots: asked.roots.iter().map(root).collect(),
        salt: salt.map(|s| jurex_pattern::text::hex::encode(&s)).unwrap_or_default(),
        keep_names: asked.keep_names,
        journals_emptied,
        files: before.into_iter().chain(files).collect(),
    };
    FileEraseRecord::new(about, grounds, work, drawn.iter().map(Strip::runs).collect())
        .map_err(|e| Failure::Defect(e.to_string()))
}

/// Paths that were named and are not where they were, and are not done with either: what lay under them is not finished.
fn lost_roots(tree: &Tree, roots: &[NotedRoot], ended: &[FileEvidence], salt: Option<&[u8]>) -> Vec<FileEvidence> {
    let here: HashSet<Id> = tree.roots.iter().map(|r| tree.nodes[r.node].id).collect();
    let done: HashSet<&str> = ended.iter().map(|f| f.name.shown()).collect();
    let lost = roots.iter().filter(|r| !here.contains(&notes::id_of(r)));
    let named = lost.map(|r| (Name::of(&r.path, salt), r)).filter(|(name, _)| !done.contains(name.shown()));
    let fault = Some(LOST.to_string());
    named.map(|(name, _)| FileEvidence { fault: fault.clone(), ..FileEvidence::new(name, NodeKind::File, 0, 0) }).collect()
}

/// Why what was named and is not found has not come to its end.
const LOST: &str = "it is not where it was named: it was moved or removed, or another file system is mounted there now";

/// Files that were begun and are not under the paths any more. Those that were overwritten and seen, and are nowhere else either, were removed
/// just before the interruption; of all others it is said what is known: every file that was begun has an ending.
fn gone_meanwhile(tree: &Tree, traces: &HashMap<Id, Trace>, ended: &[FileEvidence]) -> Vec<FileEvidence> {
    let here: HashSet<_> = tree.nodes.iter().map(|n| n.id).collect();
    let noted: HashSet<&str> = ended.iter().map(|f| f.name.shown()).collect();
    let is_open = |name: Option<&Name>| name.is_none_or(|n| !noted.contains(n.shown()));
    let named = |t: &Trace| t.seen.as_ref().map(|s| s.evidence.name.clone()).or_else(|| t.name.clone());
    let gone = traces.iter().filter(|(id, t)| !here.contains(id) && is_open(named(t).as_ref()));
    let gone: Vec<(&Id, &Trace)> = gone.collect();
    let elsewhere = tree.whereabouts(&gone.iter().map(|(id, _)| **id).collect(), PATIENCE);
    let of = |(id, trace): (&Id, &Trace)| {
        let moved = elsewhere.get(id).map(|path| shown_path(path));
        match (&trace.seen, moved) {
            (Some(seen), None) => FileEvidence { removal: NameRemoval::RemovedAsItWas, ..seen.evidence.clone() },
            (Some(seen), Some(_)) => {
                let not_removed = Some("it was overwritten, and somebody has moved it away before its name was removed".into());
                FileEvidence { removal: NameRemoval::Left, not_removed, ..seen.evidence.clone() }
            }
            (None, moved) => {
                let name = named(trace).unwrap_or_else(|| Name::Path(format!("a file of number {}", trace.inode)));
                let why = if moved.is_some() { "somebody has moved it away" } else { "it is not there any more" };
                let fault = Some(format!("it was begun, and {why}: nobody knows what of it is overwritten"));
                let before = trace.lies.before;
                FileEvidence { fault, before, ..FileEvidence::new(name, NodeKind::File, trace.ground, trace.length) }
            }
        }
    };
    gone.into_iter().map(of).collect()
}
