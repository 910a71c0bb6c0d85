//! Files erased on real file systems, made by the system's own tools on image files and mounted through loop devices. What is said of each
//! file is held against the raw image, which these tests search by themselves for what the files held.

mod mounted;

use jurex_device::testing::Dice;
use jurex_file_erase::{Because, Ending, FileEvidence, LeftAlone, NameRemoval, NodeKind, OldPlaces, Trace, WhyNotRead};
use jurex_linux::files::{FilesDone, FilesOrder, FilesProgress, Id, Tree, TreeError, Watcher, erase};
use jurex_pattern::notation::Program;
use mounted::{Mounted, files_order, look, marks_in, on_a_drive, write_marked};
use std::collections::BTreeMap;
use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

/// Hears everything; may do something when work begins on a lot, and stops after so many lots.
#[derive(Default)]
struct Heard<'h> {
    traces: Vec<Trace>,
    last: FilesProgress,
    before: Option<Box<dyn FnMut() + 'h>>,
    stops: bool,
    lots: usize,
    ended: usize,
}

impl Watcher for Heard<'_> {
    fn begins(&mut self, traces: &[&Trace]) -> std::io::Result<()> {
        self.traces.extend(traces.iter().map(|t| (*t).clone()));
        if let Some(before) = &mut self.before {
            before();
        }
        self.lots += 1;
        Ok(())
    }

    fn overwritten(&mut self, traces: &[Trace]) -> std::io::Result<()> {
        self.traces.extend_from_slice(traces);
        Ok(())
    }

    fn ended(&mut self, _: Id, _: &FileEvidence) {
        self.ended += 1;
    }

    fn lot_ended(&mut self) {}

    fn progress(&mut self, progress: &FilesProgress) -> bool {
        self.last = progress.clone();
        !(self.stops && self.lots > 0)
    }
}

/// What is said of each file, by its path.
fn endings(done: &FilesDone, tree: &Tree, passes: u32) -> BTreeMap<PathBuf, (Ending, Vec<Because>)> {
    let grounds: Vec<_> = tree.grounds().iter().map(|g| if g.layers.is_empty() { g.clone() } else { on_a_drive(g) }).collect();
    let files = done.files.iter().enumerate().filter(|(_, f)| f.kind == NodeKind::File);
    files.map(|(at, f)| (tree.path(at), f.ending(&grounds[f.ground as usize], passes))).collect()
}

/// A random tree of marked files: the mark of each, by its path.
fn random_tree(root: &Path, dice: &mut Dice, marks: &mut u64, plain: bool) -> BTreeMap<PathBuf, u64> {
    let mut files = BTreeMap::new();
    let mut folders = vec![root.to_path_buf()];
    fs::create_dir(root).unwrap();
    for n in 0..(2 + dice.below(4)) {
        let name =
            dice.pick(if plain { &["gauge", "küste ", "-rf"] } else { &["gauge", "küste ", "-rf", "a\nb", "'; ls", "..."] });
        let folder = dice.pick(&folders).join(format!("{name}{n}"));
        fs::create_dir(&folder).unwrap();
        folders.push(folder);
    }
    for n in 0..(10 + dice.below(30)) {
        let plain_names = &["tide", "w", "wind and pressure of the winter months of a station"][..];
        let name = dice.pick(if plain {
            plain_names
        } else {
            &["tide", "w", "$(reboot)", "é\u{202e}x", "*", "wind and pressure of the winter months"]
        });
        let path = dice.pick(&folders).join(format!("{name}{n}"));
        let hole = dice.one_in(5) && !plain;
        let bytes = dice.pick(&[0, 1, 100, 511, 4095, 4096, 4097, 20_000, 65_536, 300_001, 1_500_000]);
        *marks += 1;
        write_marked(&path, *marks, bytes, hole);
        files.insert(path, *marks);
    }
    if !plain {
        std::os::unix::fs::symlink("/etc/hostname", root.join("a link")).unwrap();
    }
    files
}

/// What the passes, the tree and the mount of a case are, and what must come of it.
struct Case {
    system: &'static str,
    tool: &'static str,
    make: &'static [&'static str],
    mount: &'static str,
    /// What every file that has contents must end in; `None`: whatever the image bears out.
    expected: Option<Ending>,
}

const fn case(system: &'static str, tool: &'static str, make: &'static [&'static str], mount: &'static str) -> Case {
    Case { system, tool, make, mount, expected: None }
}

/// Over random trees: a file that is called proved leaves nothing of what it held anywhere on the image, and one whose bytes are there is
/// not called anything better than not overwritten.
fn what_is_said_is_what_the_image_shows(case: &Case) {
    let Some(mounted) = Mounted::make(case.system, 400, case.tool, case.make, case.mount) else { return };
    let mut dice = Dice(case.mount.len() as u64 + 7);
    let mut marks = 0;
    for round in 0..3 {
        let root = mounted.path().join(format!("tree{round}"));
        let files = random_tree(&root, &mut dice, &mut marks, matches!(case.system, "vfat" | "exfat"));
        mounted.sync();
        let before = marks_in(&mounted.image);
        // Some file systems leave contents of files so small elsewhere than in blocks; what is compressed shows no marks at all.
        if !case.mount.contains("compress") {
            assert!(before.len() > files.len() / 2, "the marks are found before");
        }
        let tree = look(std::slice::from_ref(&root));
        let passes = dice.pick(&["00", "random | ~", "55?"]);
        let done = erase(&tree, files_order(passes), &mut dice, &mut Heard::default());
        assert!(
            !root.exists() && !done.stopped,
            "{} {:?}",
            case.system,
            done.files.iter().filter(|f| f.not_removed.is_some()).collect::<Vec<_>>()
        );
        mounted.sync();
        let left = marks_in(&mounted.image);
        let planned = passes.parse::<Program>().unwrap().passes() as u32;
        let endings = endings(&done, &tree, planned);
        assert_eq!(endings.len(), files.len());
        for (path, mark) in &files {
            let (ending, because) = &endings[path];
            let is_there = left.contains(mark);
            if is_there {
                assert_eq!(*ending, Ending::NotOverwritten, "{} {}: {path:?} is there, {because:?}", case.system, case.mount);
            }
            if let Some(expected) = case.expected.filter(|_| *ending != Ending::Nothing) {
                assert_eq!(*ending, expected, "{} {}: {path:?} {because:?}", case.system, case.mount);
            }
        }
    }
    mounted.check();
}

#[test]
fn ext4_is_overwritten_in_place_and_proved() {
    for (make, mount) in [
        (&["-F", "-q"][..], ""),
        (&["-F", "-q", "-b", "1024"][..], "data=writeback"),
        (&["-F", "-q", "-O", "^extents,^64bit,^has_journal"][..], ""),
    ] {
        what_is_said_is_what_the_image_shows(&Case { expected: Some(Ending::Proved), ..case("ext4", "mkfs.ext4", make, mount) });
    }
}

#[test]
fn what_went_through_the_journal_or_lies_in_tables_is_not_called_overwritten() {
    let journal = case("ext4", "mkfs.ext4", &["-F", "-q"], "data=journal");
    what_is_said_is_what_the_image_shows(&Case { expected: Some(Ending::NotOverwritten), ..journal });
    // The same by the file system's own wish, which no table of mounts tells.
    let by_itself = case("ext4", "sh", &["-c", "mkfs.ext4 -F -q \"$0\" && tune2fs -o journal_data \"$0\""], "");
    what_is_said_is_what_the_image_shows(&Case { expected: Some(Ending::NotOverwritten), ..by_itself });
    what_is_said_is_what_the_image_shows(&case("ext4", "mkfs.ext4", &["-F", "-q", "-O", "inline_data", "-I", "256"], ""));
}

#[test]
fn xfs_is_overwritten_in_place_with_and_without_shared_blocks() {
    for make in [&["-q", "-m", "reflink=0"][..], &["-q", "-m", "reflink=1"][..]] {
        what_is_said_is_what_the_image_shows(&Case { expected: Some(Ending::Proved), ..case("xfs", "mkfs.xfs", make, "") });
    }
}

#[test]
fn btrfs_is_told_as_what_each_way_of_mounting_it_makes_of_it() {
    let plain = case("btrfs", "mkfs.btrfs", &["-q"], "");
    what_is_said_is_what_the_image_shows(&Case { expected: Some(Ending::NotOverwritten), ..plain });
    what_is_said_is_what_the_image_shows(&case("btrfs", "mkfs.btrfs", &["-q", "-m", "single"], "compress-force=zstd"));
    what_is_said_is_what_the_image_shows(&case("btrfs", "mkfs.btrfs", &["-q", "-d", "dup"], "nodatacow,max_inline=0"));
}

/// Everything under one path, erased; what is said of each file by its name.
fn erased(path: &Path, order: FilesOrder, heard: &mut Heard<'_>) -> (FilesDone, BTreeMap<String, (Ending, Vec<Because>)>) {
    let tree = look(&[path.to_path_buf()]);
    let passes = order.passes.len() as u32;
    let done = erase(&tree, order, &mut Dice(1), heard);
    let endings = endings(&done, &tree, passes);
    let named = |p: PathBuf| p.file_name().unwrap().to_string_lossy().into_owned();
    (done, endings.into_iter().map(|(path, ending)| (named(path), ending)).collect())
}

#[test]
fn blocks_that_are_shared_and_snapshots_are_seen() {
    let Some(xfs) = Mounted::make("xfs", 400, "mkfs.xfs", &["-q", "-m", "reflink=1"], "") else { return };
    let tree = xfs.path().join("tree");
    fs::create_dir(&tree).unwrap();
    write_marked(&tree.join("shared"), 1, 100_000, false);
    write_marked(&tree.join("alone"), 2, 100_000, false);
    mounted::run("cp", &["--reflink=always", tree.join("shared").to_str().unwrap(), xfs.path().join("copy").to_str().unwrap()])
        .unwrap();
    xfs.sync();
    let (_, said) = erased(&tree, files_order("00"), &mut Heard::default());
    xfs.sync();
    assert_eq!(said["alone"].0, Ending::Proved);
    assert!(said["shared"].0 == Ending::NotOverwritten && said["shared"].1.contains(&Because::Shared), "{said:?}");
    assert_eq!(marks_in(&xfs.image), [1].into());
    xfs.check();

    let Some(btrfs) = Mounted::make("btrfs", 400, "mkfs.btrfs", &["-q"], "nodatacow") else { return };
    let (volume, kept) = (btrfs.path().join("volume"), btrfs.path().join("kept"));
    mounted::run("btrfs", &["subvolume", "create", volume.to_str().unwrap()]).unwrap();
    write_marked(&volume.join("in the snapshot"), 1, 100_000, false);
    btrfs.sync();
    mounted::run("btrfs", &["subvolume", "snapshot", volume.to_str().unwrap(), kept.to_str().unwrap()]).unwrap();
    write_marked(&volume.join("after it"), 2, 100_000, false);
    btrfs.sync();
    let (_, said) = erased(&volume.join("in the snapshot"), files_order("00"), &mut Heard::default());
    assert_eq!(said["in the snapshot"].0, Ending::NotOverwritten, "{said:?}");
    let (_, said) = erased(&volume.join("after it"), files_order("00"), &mut Heard::default());
    assert_eq!(said["after it"], (Ending::Proved, vec![]), "what no snapshot shares is overwritten in place");
    btrfs.sync();
    assert_eq!(marks_in(&btrfs.image), [1].into());
    btrfs.check();
}

#[test]
fn what_must_not_be_touched_is_left_and_told() {
    let Some(ext4) = Mounted::make("ext4", 64, "mkfs.ext4", &["-F", "-q"], "") else { return };
    let tree = ext4.path().join("tree");
    let other = ext4.path().join("outside");
    fs::create_dir_all(tree.join("mounted here")).unwrap();
    fs::create_dir(&other).unwrap();
    for (n, name) in ["immutable", "swapped to", "an image", "plain", "linked", "held"].into_iter().enumerate() {
        write_marked(&tree.join(name), n as u64, 200_000, false);
    }
    write_marked(&other.join("theirs"), 90, 5000, false);
    fs::hard_link(tree.join("linked"), other.join("its other name")).unwrap();
    fs::hard_link(tree.join("linked"), tree.join("linked too")).unwrap();
    std::os::unix::fs::symlink(&other, tree.join("link to a folder")).unwrap();
    std::os::unix::fs::symlink(other.join("theirs"), tree.join("link to a file")).unwrap();
    mounted::run("mkfifo", &[tree.join("pipe").to_str().unwrap()]).unwrap();
    mounted::run("mount", &["--bind", other.to_str().unwrap(), tree.join("mounted here").to_str().unwrap()]).unwrap();
    mounted::run("chattr", &["+i", tree.join("immutable").to_str().unwrap()]).unwrap();
    let image = tree.join("an image");
    let device = mounted::run("losetup", &["--find", "--show", image.to_str().unwrap()]).unwrap();
    let swap = tree.join("swapped to");
    let swaps = mounted::run("mkswap", &[swap.to_str().unwrap()]).and_then(|_| mounted::run("swapon", &[swap.to_str().unwrap()]));
    let held = fs::File::open(tree.join("held")).unwrap();
    let seen = look(std::slice::from_ref(&tree));
    let left = |name: &str| seen.nodes.iter().find(|n| n.name.to_string_lossy() == name).unwrap().left_alone;
    let (found, open) = (seen.linked(), seen.open());
    let done = erase(&seen, files_order("00"), &mut Dice(3), &mut Heard::default());
    drop(held);
    let said = swaps.is_ok().then(|| left("swapped to"));
    let _ = mounted::run("swapoff", &[swap.to_str().unwrap()]);
    mounted::run("losetup", &["--detach", device.trim()]).unwrap();
    mounted::run("umount", &[tree.join("mounted here").to_str().unwrap()]).unwrap();
    mounted::run("chattr", &["-i", tree.join("immutable").to_str().unwrap()]).unwrap();

    assert!(said.is_none_or(|s| s == Some(LeftAlone::Swap)), "{said:?}");
    assert_eq!(left("immutable"), Some(LeftAlone::Immutable));
    assert_eq!(left("an image"), Some(LeftAlone::Image));
    assert_eq!(left("mounted here"), Some(LeftAlone::OtherMount));
    assert_eq!(
        found.iter().map(|(at, n)| (seen.path(*at).exists(), *n)).collect::<Vec<_>>(),
        [(false, 1)],
        "one name is outside"
    );
    assert!(open.is_empty(), "this very program is not told of: {open:?}");
    let names: Vec<String> = fs::read_dir(&tree).unwrap().map(|e| e.unwrap().file_name().into_string().unwrap()).collect();
    let mut expected = vec!["an image", "immutable", "mounted here"];
    expected.extend(said.map(|_| "swapped to"));
    let mut names: Vec<&str> = names.iter().map(String::as_str).collect();
    names.sort_unstable();
    assert_eq!(names, expected, "everything else is gone, the folder stays");
    assert!(done.files[0].removal == NameRemoval::Left && done.files[0].not_removed.is_some(), "the folder is not empty");
    assert_eq!(fs::read(other.join("theirs")).unwrap().len(), 5000, "what a link or a mount leads to is not touched");
    assert_eq!(fs::read(other.join("its other name")).unwrap(), b"", "what had another name is empty there");
    let linked = done.files.iter().find(|f| f.other_names > 0).unwrap();
    assert_eq!((linked.other_names, linked.kind), (1, NodeKind::File));
}

/// Somebody exchanges files and folders of the tree for links while it is erased: nothing outside of it is touched.
#[test]
fn a_tree_that_changes_under_the_work_leads_nowhere_else() {
    let Some(ext4) = Mounted::make("ext4", 64, "mkfs.ext4", &["-F", "-q"], "") else { return };
    let (tree, outside) = (ext4.path().join("tree"), ext4.path().join("outside"));
    fs::create_dir_all(tree.join("z folder")).unwrap();
    fs::create_dir(&outside).unwrap();
    for n in 0..40 {
        write_marked(&outside.join(format!("file{n}")), 0x10000 + n, 5000, false);
        write_marked(&tree.join("z folder").join(format!("file{n}")), n, 5000, false);
        write_marked(&tree.join(format!("file{n}")), 100 + n, 5000, false);
    }
    let seen = look(std::slice::from_ref(&tree));
    let victim = tree.join("file7");
    let exchange = || {
        // What was a file is a link to another one, a plain file of the same name, or a folder's place is taken.
        let _ = fs::remove_file(&victim);
        let _ = std::os::unix::fs::symlink(outside.join("file7"), &victim);
        let _ = fs::rename(tree.join("file8"), tree.join("file8 away"));
        let _ = fs::hard_link(outside.join("file8"), tree.join("file8"));
    };
    let mut heard = Heard { before: Some(Box::new(exchange)), ..Heard::default() };
    fs::rename(tree.join("z folder"), tree.join("moved away")).unwrap();
    std::os::unix::fs::symlink(&outside, tree.join("z folder")).unwrap();
    let done = erase(&seen, files_order("00"), &mut Dice(3), &mut heard);
    drop(heard);
    for n in 0..40 {
        let theirs = fs::read(outside.join(format!("file{n}"))).unwrap();
        assert!(theirs.starts_with(b"<of the file 00000000000100") && theirs.len() == 5000, "file{n} is as it was");
    }
    assert!(victim.is_symlink() && tree.join("file8").exists(), "what was put in their place stays");
    assert!(fs::read_dir(tree.join("moved away")).unwrap().count() == 40, "what was moved away is not followed");
    let of = |name: &str| {
        &done.files[seen.nodes.iter().position(|n| n.name.to_string_lossy() == name && n.folder == Some(0)).unwrap()]
    };
    assert_eq!(of("z folder").left_alone, Some(LeftAlone::Changed));
    assert!(of("file7").removal == NameRemoval::Left && of("file7").not_removed.is_some(), "{:?}", of("file7"));
    assert_eq!(of("file9").removal, NameRemoval::Removed);
}

#[test]
fn a_work_that_was_cut_short_goes_on_and_still_knows_where_files_lay_at_first() {
    let Some(btrfs) = Mounted::make("btrfs", 400, "mkfs.btrfs", &["-q"], "nodatacow,max_inline=0") else { return };
    let volume = btrfs.path().join("volume");
    mounted::run("btrfs", &["subvolume", "create", volume.to_str().unwrap()]).unwrap();
    write_marked(&volume.join("tides"), 5, 100_000, false);
    btrfs.sync();
    mounted::run("btrfs", &["subvolume", "snapshot", volume.to_str().unwrap(), btrfs.path().join("kept").to_str().unwrap()])
        .unwrap();
    let mut heard = Heard { stops: true, ..Heard::default() };
    let (done, said) = erased(&volume.join("tides"), files_order("random x200"), &mut heard);
    assert!(done.stopped && said["tides"].0 == Ending::NotFinished, "{said:?}");
    assert!(volume.join("tides").exists());
    // By now the file lies elsewhere, alone: without the trace it would seem to be overwritten in place.
    let traces = std::mem::take(&mut heard.traces);
    let id = |t: &Trace| jurex_linux::files::Id { device: t.device, inode: t.inode };
    let going_on = FilesOrder { traces: traces.iter().map(|t| (id(t), t.clone())).collect(), ..files_order("00") };
    let (done, said) = erased(&volume.join("tides"), going_on, &mut Heard::default());
    assert_eq!(said["tides"].0, Ending::NotOverwritten, "{:?}", done.files);
    assert_eq!(done.files[0].bytes, 100_000, "the length is the one that it had at first");
    btrfs.sync();
    assert_eq!(marks_in(&btrfs.image), [5].into());

    // What was overwritten and seen before is only removed; what somebody wrote to it since is erased as a file of its own.
    for (name, written) in [("once", false), ("again", true)] {
        let path = volume.join(name);
        write_marked(&path, 6, 50_000, false);
        btrfs.sync();
        let mut heard = Heard::default();
        let tree = look(std::slice::from_ref(&path));
        erase(&tree, FilesOrder { keep_names: true, ..files_order("00") }, &mut Dice(2), &mut heard);
        let mut seen = heard.traces.into_iter().rev().find(|t| t.seen.is_some()).unwrap();
        if written {
            write_marked(&path, 7, 9000, false);
        } else {
            seen.seen.as_mut().unwrap().evidence.passes = 77;
        }
        let going_on = FilesOrder { traces: [(id(&seen), seen)].into(), ..files_order("00") };
        let (done, said) = erased(&path, going_on, &mut Heard::default());
        assert_eq!((done.files[0].passes, said[name].0), if written { (1, Ending::Proved) } else { (77, Ending::Proved) });
        assert!(!path.exists());
    }
    btrfs.check();
}

#[test]
fn without_rights_or_places_nothing_is_called_proved_and_what_holds_nothing_is_told_so() {
    let dir = tempfile::tempdir_in("/dev/shm").unwrap();
    write_marked(&dir.path().join("in memory"), 1, 10_000, false);
    fs::write(dir.path().join("empty"), "").unwrap();
    let (done, said) = erased(&dir.path().join("in memory"), files_order("00 | FF?"), &mut Heard::default());
    assert_eq!(said["in memory"].0, Ending::NotProvable, "{said:?}");
    assert_eq!(done.files[0].look, OldPlaces::NotRead { why: WhyNotRead::NoDevice });
    let (done, said) = erased(&dir.path().join("empty"), files_order("00"), &mut Heard::default());
    assert_eq!((said["empty"].0, done.files[0].removal), (Ending::Nothing, NameRemoval::Removed));
    for (paths, expected) in [
        (vec![dir.path().join("gone")], "cannot look at"),
        (vec![PathBuf::from("/dev/shm")], "mounted"),
        (vec![PathBuf::from("/")], "no name of its own"),
        (vec![dir.path().to_path_buf(), dir.path().join("x")], "lies under another"),
    ] {
        fs::write(dir.path().join("x"), "").unwrap();
        let said = Tree::look(&paths, vec![], &mut |_| true).unwrap_err().to_string();
        assert!(said.contains(expected), "{said}");
    }
    assert!(matches!(Tree::look(&[dir.path().into()], vec![], &mut |_| false), Err(TreeError::Stopped)));
}

#[test]
fn attributes_go_names_may_stay_and_a_hostile_name_is_only_a_name() {
    let Some(ext4) = Mounted::make("ext4", 64, "mkfs.ext4", &["-F", "-q"], "") else { return };
    let tree = ext4.path().join("tree");
    fs::create_dir(&tree).unwrap();
    let longest = "x".repeat(255);
    let names: [&[u8]; 5] = [b"-rf *", b"\xff\xfe broken", b"a\nb", longest.as_bytes(), b"\x1b[2J"];
    for (n, name) in names.iter().enumerate() {
        write_marked(&tree.join(std::ffi::OsStr::from_bytes(name)), n as u64, 6000, false);
    }
    let first = tree.join("-rf *");
    rustix::fs::setxattr(&first, "user.note", b"a secret beside it", rustix::fs::XattrFlags::CREATE).unwrap();
    let done = erase(
        &look(std::slice::from_ref(&tree)),
        FilesOrder { keep_names: true, ..files_order("00") },
        &mut Dice(4),
        &mut Heard::default(),
    );
    assert_eq!(done.files.iter().map(|f| f.attributes).sum::<u32>(), 1);
    assert!(done.files.iter().all(|f| f.removal == NameRemoval::Kept));
    let kept = fs::metadata(&first).unwrap();
    assert!(kept.len() == 0 && kept.modified().unwrap() == std::time::UNIX_EPOCH);
    let salted = FilesOrder { name_salt: Some(vec![1]), ..files_order("00") };
    let (done, _) = erased(&tree, salted, &mut Heard::default());
    assert!(!tree.exists() && done.files.iter().all(|f| !f.name.shown().contains("rf")));
    ext4.sync();
    let raw = fs::read(&ext4.image).unwrap();
    // Names may stay in blocks of folders, and that is told; attributes lay in the files' own entries.
    for wanted in [&b"a secret beside it"[..], b"user.note"] {
        assert!(!raw.windows(wanted.len()).any(|w| w == wanted), "{} is on the image", String::from_utf8_lossy(wanted));
    }
    assert_eq!(done.journals_emptied, [0]);
    ext4.check();
}

#[test]
fn fat_and_exfat_are_overwritten_in_place_and_f2fs_is_told_as_it_was_seen() {
    let proved = Some(Ending::Proved);
    for (system, tool, make, expected) in [
        ("vfat", "mkfs.vfat", &["-F", "32"][..], proved),
        ("vfat", "mkfs.vfat", &["-F", "16", "-s", "32"][..], proved),
        ("exfat", "mkfs.exfat", &[][..], proved),
        ("f2fs", "mkfs.f2fs", &["-q"][..], None),
    ] {
        if Mounted::is_known(system) {
            what_is_said_is_what_the_image_shows(&Case { expected, ..case(system, tool, make, "") });
        }
    }
}

#[test]
fn ntfs_through_a_program_is_told_as_what_it_is() {
    what_is_said_is_what_the_image_shows(&case("ntfs-3g", "mkfs.ntfs", &["-F", "-Q", "-q"], ""));
}
