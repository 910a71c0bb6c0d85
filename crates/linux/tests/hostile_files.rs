//! Files and free space where something beneath keeps copies, where others write meanwhile, and where another file system has come to the same
//! place: nothing is said that the medium does not bear out.

mod mounted;

use jurex_device::testing::Dice;
use jurex_file_erase::{Because, Ending, FileEvidence, FreeFinding, LeftAlone, StackLayer, Trace};
use jurex_linux::files::{
    FilesDone, FilesProgress, FillError, FillOrder, FillProgress, FillWatcher, Id, Watcher, erase, fill, found_again, ground_at,
};
use jurex_pattern::notation::Program;
use mounted::{Mounted, files_order, look, marks_in, run, write_marked};
use std::fs::{self, File, OpenOptions};
use std::io::Write;
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};

/// Does something when a lot begins, and at each word of progress.
struct Meanwhile<'m> {
    begins: Box<dyn FnMut() + 'm>,
    progress: Box<dyn FnMut(&FilesProgress) + 'm>,
}

impl Watcher for Meanwhile<'_> {
    fn begins(&mut self, _: &[&Trace]) -> std::io::Result<()> {
        (self.begins)();
        Ok(())
    }

    fn overwritten(&mut self, _: &[Trace]) -> std::io::Result<()> {
        Ok(())
    }

    fn ended(&mut self, _: Id, _: &FileEvidence) {}

    fn lot_ended(&mut self) {}

    fn progress(&mut self, progress: &FilesProgress) -> bool {
        (self.progress)(progress);
        true
    }
}

fn nothing<'m>() -> Meanwhile<'m> {
    Meanwhile { begins: Box::new(|| {}), progress: Box::new(|_| {}) }
}

/// Erases what lies at `path`; what is said of the first file, on all that lies beneath it.
fn erased(path: &Path, meanwhile: &mut Meanwhile<'_>) -> (FilesDone, (Ending, Vec<Because>)) {
    let tree = look(&[path.to_path_buf()]);
    let done = erase(&tree, files_order("00"), &mut Dice(1), meanwhile);
    let first = &done.files[0];
    let ending = first.ending(&tree.grounds()[first.ground as usize], 1);
    (done, ending)
}

fn text(path: &Path) -> &str {
    path.to_str().unwrap()
}

/// A file system in an image file that lies on another one.
struct InImage {
    device: String,
    at: PathBuf,
}

impl InImage {
    fn make(on: &Path, name: &str) -> Self {
        let (image, at) = (on.join(name), on.join(format!("{name}.mounted")));
        File::create(&image).unwrap().set_len(120 << 20).unwrap();
        run("mkfs.ext4", &["-F", "-q", text(&image)]).unwrap();
        let device = run("losetup", &["--find", "--show", text(&image)]).unwrap().trim().to_string();
        fs::create_dir(&at).unwrap();
        run("mount", &[&device, text(&at)]).unwrap();
        Self { device, at }
    }
}

impl Drop for InImage {
    fn drop(&mut self) {
        let _ = run("umount", &["-l", text(&self.at)]);
        let _ = run("losetup", &["--detach", &self.device]);
    }
}

#[test]
fn an_image_on_a_file_system_that_copies_is_never_overwritten_in_place_whatever_its_device_shows() {
    let Some(btrfs) = Mounted::make("btrfs", 900, "mkfs.btrfs", &["-q"], "") else { return };
    let volume = btrfs.path().join("volume");
    run("btrfs", &["subvolume", "create", text(&volume)]).unwrap();
    let inside = InImage::make(&volume, "ext4.img");
    let file = inside.at.join("tides.csv");
    write_marked(&file, 7, 400_000, false);
    run("sync", &["-f", text(&file)]).unwrap();
    btrfs.sync();
    run("btrfs", &["subvolume", "snapshot", text(&volume), text(&btrfs.path().join("kept"))]).unwrap();
    let (_, (ending, because)) = erased(&file, &mut nothing());
    assert_eq!(ending, Ending::NotOverwritten, "{because:?}");
    assert!(because.contains(&Because::CopyOnWrite), "{because:?}");
    btrfs.sync();
    assert!(marks_in(&btrfs.image).contains(&7), "all of it is in the snapshot");
    // The same of free space in it.
    let order = FillOrder { passes: "00".parse::<Program>().unwrap().resolve(&mut Dice(2)), reserve: 0 };
    let filled = fill(&inside.at, &order, &mut Dice(3), &mut Filling(Box::new(|_| true))).unwrap();
    assert_eq!(filled.evidence.finding(&filled.ground, 1), FreeFinding::Less, "{:?}", filled.ground);
    // Another file takes the image's name, on a file system of another kind: what the loop device is attached to stays what it is.
    let named = volume.join("ext4.img");
    fs::rename(&named, volume.join("moved.img")).unwrap();
    let Some(ext4) = Mounted::make("ext4", 64, "mkfs.ext4", &["-F", "-q"], "") else { return };
    fs::write(ext4.path().join("ext4.img"), [0; 4096]).unwrap();
    std::os::unix::fs::symlink(ext4.path().join("ext4.img"), &named).unwrap();
    let now = ground_at(&inside.at).unwrap();
    assert!(
        now.layers.iter().all(|l| !matches!(l, StackLayer::Image { on: Some(on), .. } if on.kind == "ext4")),
        "{:?}",
        now.layers
    );
}

#[test]
fn an_overlay_that_is_called_like_a_device_is_an_overlay() {
    let Some(ext4) = Mounted::make("ext4", 64, "mkfs.ext4", &["-F", "-q"], "") else { return };
    let [lower, upper, work, merged] = ["lower", "upper", "work", "merged"].map(|name| ext4.path().join(name));
    [&lower, &upper, &work, &merged].into_iter().for_each(|dir| fs::create_dir(dir).unwrap());
    write_marked(&lower.join("tides.csv"), 3, 100_000, false);
    let options = format!("lowerdir={},upperdir={},workdir={}", text(&lower), text(&upper), text(&work));
    if run("mount", &["-t", "overlay", &ext4.device, "-o", &options, text(&merged)]).is_err() {
        eprintln!("NOT RUN, this kernel has no overlay");
        return;
    }
    let (_, (ending, because)) = erased(&merged.join("tides.csv"), &mut nothing());
    run("umount", &[text(&merged)]).unwrap();
    assert_eq!(ending, Ending::NotOverwritten, "{because:?}");
    assert!(fs::read(lower.join("tides.csv")).unwrap().starts_with(b"<of the file 0000000000000003>"));
}

#[test]
fn bytes_that_come_during_the_work_are_not_called_overwritten() {
    let Some(ext4) = Mounted::make("ext4", 200, "mkfs.ext4", &["-F", "-q"], "") else { return };
    let path = ext4.path().join("log");
    let named = |n: u64| path.join(format!("{n}.csv"));
    fs::create_dir(&path).unwrap();
    let write = |n: u64| write_marked(&named(n), n, 3_000_000, n == 2);
    (1..=5).for_each(write);
    ext4.sync();
    let open = |n: u64| OpenOptions::new().append(n == 1).write(true).open(named(n)).unwrap();
    let fresh = b"what came meanwhile ".repeat(500);

    // Appended, and into a hole, once it was measured.
    for n in [1, 2] {
        let mut file = open(n);
        let mut came = || if n == 1 { file.write_all(&fresh).unwrap() } else { file.write_all_at(&fresh, 70_000).unwrap() };
        let mut meanwhile = Meanwhile { begins: Box::new(&mut came), ..nothing() };
        let (done, (ending, _)) = erased(&named(n), &mut meanwhile);
        assert_eq!(ending, Ending::NotFinished, "{n}: {:?}", done.files);
        assert!(named(n).exists() && done.files[0].fault.as_ref().unwrap().contains("written to it meanwhile"));
    }
    // Over what was laid already, as late as it can be told.
    let (file, fresh) = (open(3), &fresh);
    let mut meanwhile = Meanwhile {
        progress: Box::new(move |p| {
            if p.bytes > 5_000_000 {
                file.write_all_at(fresh, 1_000_000).unwrap();
            }
        }),
        ..nothing()
    };
    let (done, (ending, because)) = erased(&named(3), &mut meanwhile);
    assert!(ending > Ending::Proved, "{ending:?} {because:?} {:?}", done.files);
    drop(meanwhile);
    // Somebody has it open for writing and does nothing: it could be, so that it is not proved.
    let held = open(4);
    let (done, (ending, because)) = erased(&named(4), &mut nothing());
    assert!(ending > Ending::Proved && because.contains(&Because::OpenElsewhere), "{because:?} {:?}", done.files);
    drop(held);
    let (done, _) = erased(&named(5), &mut nothing());
    let alone = jurex_file_erase::StorageStack { layers: vec![], ..ground_at(&ext4.path()).unwrap() };
    assert_eq!(done.files[0].ending(&alone, 1).0, Ending::Proved, "{:?}", done.files);
}

#[test]
fn what_is_mounted_read_only_is_not_written_to_its_journal_neither() {
    let Some(ext4) = Mounted::make("ext4", 64, "mkfs.ext4", &["-F", "-q"], "") else { return };
    let path = ext4.path().join("tides.csv");
    write_marked(&path, 1, 100_000, false);
    ext4.sync();
    run("mount", &["-o", "remount,ro", text(&ext4.path())]).unwrap();
    run("blockdev", &["--flushbufs", &ext4.device]).unwrap();
    let before = fs::read(&ext4.image).unwrap();
    let (done, _) = erased(&path, &mut nothing());
    assert_eq!((done.files[0].left_alone, done.journals_emptied.as_slice()), (Some(LeftAlone::ReadOnly), &[][..]));
    run("blockdev", &["--flushbufs", &ext4.device]).unwrap();
    assert!(fs::read(&ext4.image).unwrap() == before);
}

#[test]
fn attributes_are_erased_however_many_there_are() {
    let Some(xfs) = Mounted::make("xfs", 400, "mkfs.xfs", &["-q"], "") else { return };
    let path = xfs.path().join("tides.csv");
    write_marked(&path, 1, 10_000, false);
    for n in 0..90 {
        let name = format!("user.{}{n}", "a note beside it ".repeat(6));
        rustix::fs::setxattr(&path, name.as_str(), b"who was where", rustix::fs::XattrFlags::CREATE).unwrap();
    }
    let (done, _) = erased(&path, &mut nothing());
    assert_eq!((done.files[0].attributes, done.files[0].attributes_left), (90, 0), "more names than 4096 bytes hold");
}

#[test]
fn a_file_of_the_same_number_on_another_file_system_at_the_same_place_is_another() {
    let Some(mounted) = Mounted::make("ext4", 64, "mkfs.ext4", &["-F", "-q"], "") else { return };
    let path = mounted.path().join("tides.csv");
    write_marked(&path, 1, 100_000, false);
    let tree = look(&[path.to_path_buf()]);
    let (id, known_by) = (tree.nodes[tree.roots[0].node].id, tree.roots[0].known_by.clone());
    assert_eq!(found_again(&path, id, &known_by), Some(path.clone()));
    // Renamed on its way out, it is found by what else is known of it.
    let renamed = mounted.path().join("qzkfw");
    fs::rename(&path, &renamed).unwrap();
    assert_eq!(found_again(&path, id, &known_by), Some(renamed));
    // Another stick comes to the same device and place, with a file of the same number and name.
    run("umount", &[text(&mounted.path())]).unwrap();
    let other = mounted.image.with_extension("other");
    File::create(&other).unwrap().set_len(64 << 20).unwrap();
    run("mkfs.ext4", &["-F", "-q", text(&other)]).unwrap();
    // (Its bytes come to the loop device: one that is let go of for a moment may be another test's.)
    let bytes = format!("if={}", text(&other));
    run("dd", &[&bytes, &format!("of={}", mounted.device), "bs=1M", "conv=fsync", "status=none"]).unwrap();
    run("mount", &[&mounted.device, text(&mounted.path())]).unwrap();
    write_marked(&path, 2, 100_000, false);
    let now = look(&[path.to_path_buf()]);
    assert_eq!(now.nodes[now.roots[0].node].id, id, "its numbers are the same");
    assert_eq!(found_again(&path, id, &known_by), None);
}

struct Filling<'f>(Box<dyn FnMut(&FillProgress) -> bool + 'f>);

impl FillWatcher for Filling<'_> {
    fn takes(&mut self, _: &Path) -> std::io::Result<()> {
        Ok(())
    }

    fn progress(&mut self, progress: &FillProgress) -> bool {
        (self.0)(progress)
    }
}

#[test]
fn two_fillings_of_one_file_system_know_of_each_other() {
    let Some(ext4) = Mounted::make("ext4", 96, "mkfs.ext4", &["-F", "-q"], "") else { return };
    let order = || FillOrder { passes: "00".parse::<Program>().unwrap().resolve(&mut Dice(2)), reserve: 0 };
    let inner = ext4.path().join("lost+found");
    let mut second = None;
    let mut meanwhile = Filling(Box::new(|_| {
        second.get_or_insert_with(|| fill(&inner, &order(), &mut Dice(4), &mut Filling(Box::new(|_| true))));
        true
    }));
    let first = fill(&ext4.path(), &order(), &mut Dice(3), &mut meanwhile).unwrap();
    drop(meanwhile);
    assert!(matches!(second, Some(Err(FillError::UnderWay(_)))), "{second:?}");
    let alone = jurex_file_erase::StorageStack { layers: vec![], ..first.ground.clone() };
    assert_eq!(first.evidence.finding(&alone, 1), FreeFinding::Proved, "{:?}", first.evidence);
    assert!(jurex_linux::files::usual_reserve(96 << 20, 90 << 20) < 2 << 20, "a small file system is filled too");
}
