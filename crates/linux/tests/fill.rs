//! Free space filled on real file systems; what is said is held against the raw image.

mod mounted;

use jurex_device::testing::Dice;
use jurex_file_erase::{FreeFinding, FreeProof, WhyNotRead};
use jurex_linux::files::{FillError, FillOrder, FillPhase, FillProgress, FillWatcher, Filled, clean, fill};
use jurex_pattern::notation::Program;
use mounted::{Mounted, count_marks, marks_in, on_a_drive, write_marked};
use std::fs;
use std::path::{Path, PathBuf};

/// Hears everything, and does something at each word.
struct Heard<'h> {
    folders: Vec<PathBuf>,
    phases: Vec<FillPhase>,
    at_each: Box<dyn FnMut(&FillProgress) -> bool + 'h>,
}

impl Default for Heard<'_> {
    fn default() -> Self {
        Self { folders: vec![], phases: vec![], at_each: Box::new(|_| true) }
    }
}

impl FillWatcher for Heard<'_> {
    fn takes(&mut self, folder: &Path) -> std::io::Result<()> {
        self.folders.push(folder.into());
        Ok(())
    }

    fn progress(&mut self, progress: &FillProgress) -> bool {
        if self.phases.last() != Some(&progress.phase) {
            self.phases.push(progress.phase);
        }
        (self.at_each)(progress)
    }
}

fn order(notation: &str, reserve: u64) -> FillOrder {
    FillOrder { passes: notation.parse::<Program>().unwrap().resolve(&mut Dice(9)), reserve }
}

const MIB: u64 = 1 << 20;

/// Marked files that are kept and others that were deleted, all over the file system.
fn used_before(mounted: &Mounted) {
    for n in 0..60u64 {
        let path = mounted.path().join(format!("file{n}"));
        write_marked(&path, n, 1_000_000 + n as usize * 1777, false);
    }
    for n in 0..300u64 {
        write_marked(&mounted.path().join(format!("small{n}")), 1000 + n, 700, false);
    }
    mounted.sync();
    for n in (0..60).filter(|n| n % 3 != 0) {
        fs::remove_file(mounted.path().join(format!("file{n}"))).unwrap();
    }
    for n in 0..300 {
        fs::remove_file(mounted.path().join(format!("small{n}"))).unwrap();
    }
    mounted.sync();
    assert!(marks_in(&mounted.image).len() > 200, "what was deleted is there");
}

/// What is kept is whole, nothing of the filling is left, and the system's checker is content.
fn is_as_it_was(mounted: Mounted) {
    let mut names: Vec<_> =
        fs::read_dir(mounted.path()).unwrap().map(|e| e.unwrap().file_name().into_string().unwrap()).collect();
    names.retain(|n| n != "lost+found" && n != "$Extend");
    assert_eq!(names.len(), 20, "{names:?}");
    for n in (0..60u64).step_by(3) {
        let bytes = fs::read(mounted.path().join(format!("file{n}"))).unwrap();
        assert!(bytes.len() == 1_000_000 + n as usize * 1777 && bytes.starts_with(format!("<of the file {n:016x}").as_bytes()));
    }
    mounted.check();
}

fn filled(system: &str, tool: &'static str, make: &[&str], mount: &str, order: &FillOrder) -> Option<(Mounted, Filled)> {
    let mounted = Mounted::make(system, 400, tool, make, mount)?;
    used_before(&mounted);
    let mut heard = Heard::default();
    let filled = fill(&mounted.path(), order, &mut Dice(1), &mut heard).unwrap();
    mounted.sync();
    assert!(filled.evidence.left_behind.is_empty() && heard.folders.iter().all(|f| !f.exists()));
    Some((mounted, filled))
}

#[test]
fn ext4_and_xfs_are_filled_to_the_last_block_and_nothing_deleted_is_left() {
    for (system, tool, make, passes) in [
        ("ext4", "mkfs.ext4", &["-F", "-q", "-N", "5000"][..], "00"),
        ("ext4", "mkfs.ext4", &["-F", "-q", "-b", "1024", "-N", "5000"][..], "random | ~?"),
        ("xfs", "mkfs.xfs", &["-q"][..], "random"),
    ] {
        let order = order(passes, 0);
        let Some((mounted, filled)) = filled(system, tool, make, "", &order) else { continue };
        let evidence = &filled.evidence;
        assert_eq!(evidence.finding(&on_a_drive(&filled.ground), order.passes.len() as u32), FreeFinding::Proved, "{evidence:?}");
        assert!(matches!(&evidence.proof, FreeProof::Read { by, .. } if by.contains("own map")), "{evidence:?}");
        let FreeProof::Read { unreached, .. } = evidence.proof else { panic!("{evidence:?}") };
        // A few megabytes the file system keeps back for itself, whoever asks.
        let left: u64 =
            count_marks(&mounted.image).into_iter().filter(|(n, _)| *n >= 1000 || n % 3 != 0).map(|(_, times)| times * 32).sum();
        assert!(left <= unreached && unreached < 32 * MIB, "{system}: {left} bytes are there, {unreached} were not reached");
        assert!(system != "ext4" || evidence.fill.small > 3000, "{evidence:?}");
        is_as_it_was(mounted);
    }
}

#[test]
fn what_is_left_to_others_is_told_as_not_reached() {
    let order = order("00", 150 * MIB);
    let Some((mounted, filled)) = filled("ext4", "mkfs.ext4", &["-F", "-q"], "", &order) else { return };
    let FreeProof::Read { free, pattern, unreached, .. } = filled.evidence.proof else { panic!("{:?}", filled.evidence) };
    assert!(unreached >= 150 * MIB && pattern + unreached == free, "{:?}", filled.evidence);
    let finding = filled.evidence.finding(&on_a_drive(&filled.ground), 1);
    assert_eq!(finding, FreeFinding::Less, "more than a third of what was free was left: {:?}", filled.evidence);
    let said = filled.evidence.sentences();
    assert!(said[1].contains("were not reached"), "{said:?}");
    is_as_it_was(mounted);
}

#[test]
fn btrfs_and_ntfs_are_filled_as_far_as_they_let_it_be_known() {
    for (system, tool, make) in [("btrfs", "mkfs.btrfs", &["-q"][..]), ("ntfs-3g", "mkfs.ntfs", &["-F", "-Q", "-q"][..])] {
        let order = order("random", 20 * MIB);
        let Some((mounted, filled)) = filled(system, tool, make, "", &order) else { continue };
        // How much is free they tell, but not where; and what they keep back of so small a file system may be more than a tenth of it.
        let finding = filled.evidence.finding(&on_a_drive(&filled.ground), 1);
        let few = filled.evidence.fill.laid < filled.evidence.free_before / 10 * 9;
        assert_eq!(finding, if few { FreeFinding::Less } else { FreeFinding::NotProvable }, "{:?}", filled.evidence);
        assert!(filled.evidence.fill.laid > 200 * MIB, "{:?}", filled.evidence);
        let left = marks_in(&mounted.image).into_iter().filter(|n| *n < 1000 && n % 3 != 0).count();
        assert!(left < 20, "{system}: {left} of 40 large files are there");
        is_as_it_was(mounted);
    }
}

#[test]
fn fat_exfat_and_f2fs_are_filled_and_the_table_of_fat_tells_what_is_free() {
    for (system, tool, make, by) in [
        ("vfat", "mkfs.vfat", &["-F", "32"][..], "file allocation table"),
        ("exfat", "mkfs.exfat", &[][..], "count"),
        ("f2fs", "mkfs.f2fs", &["-q"][..], "count"),
    ] {
        if !Mounted::is_known(system) {
            continue;
        }
        let order = order("random | 00", 0);
        let Some((mounted, filled)) = filled(system, tool, make, "", &order) else { continue };
        let FreeProof::Read { by: said, free, pattern, .. } = &filled.evidence.proof else {
            panic!("{system}: {:?}", filled.evidence)
        };
        assert!(said.contains(by), "{said}");
        let proved = filled.evidence.finding(&on_a_drive(&filled.ground), 2) == FreeFinding::Proved;
        assert_eq!(proved, system == "vfat", "{system}: {:?}", filled.evidence);
        assert!(*pattern > free / 10 * 9, "{system}: {:?}", filled.evidence);
        let left = marks_in(&mounted.image).into_iter().filter(|n| *n >= 1000 || n % 3 != 0).count();
        assert!(left == 0 || system == "f2fs", "{system}: {left} files are there, {:?}", filled.evidence);
        is_as_it_was(mounted);
    }
}

#[test]
fn others_get_their_room_at_once() {
    let Some(mounted) = Mounted::make("ext4", 400, "mkfs.ext4", &["-F", "-q", "-m", "0"], "") else { return };
    let theirs = mounted.path().join("theirs");
    let mut file = fs::File::create(&theirs).unwrap();
    let (mut written, mut low) = (0u64, u64::MAX);
    let at_each = |progress: &FillProgress| {
        if progress.phase == FillPhase::Laying && written < 120 * MIB {
            // More than the reserve in all, a part at a time.
            std::io::Write::write_all(&mut file, &vec![b'x'; 20 << 20]).expect("others have room");
            file.sync_all().unwrap();
            written += 20 * MIB;
        }
        low = low.min(progress.free_now);
        true
    };
    let mut heard = Heard { at_each: Box::new(at_each), ..Heard::default() };
    let filled = fill(&mounted.path(), &order("random x8", 40 * MIB), &mut Dice(2), &mut heard).unwrap();
    drop(heard);
    assert_eq!(written, 120 * MIB);
    assert!(filled.evidence.fill.gave_way >= 60 * MIB, "{:?}", filled.evidence);
    assert!(filled.evidence.sentences().iter().any(|s| s.contains("given back")));
    assert_eq!(fs::metadata(&theirs).unwrap().len(), 120 * MIB);
    drop(file);
    mounted.check();
}

#[test]
fn a_stop_gives_everything_back_and_a_folder_that_was_left_is_cleaned() {
    let Some(mounted) = Mounted::make("ext4", 400, "mkfs.ext4", &["-F", "-q"], "") else { return };
    let free = || rustix::fs::statvfs(mounted.path()).map(|s| s.f_bavail).unwrap();
    let before = free();
    let mut heard = Heard { at_each: Box::new(|p| p.phase != FillPhase::Laying), ..Heard::default() };
    let filled = fill(&mounted.path(), &order("random x8", 20 * MIB), &mut Dice(2), &mut heard).unwrap();
    assert!(filled.stopped && filled.evidence.finding(&on_a_drive(&filled.ground), 8) == FreeFinding::NotFinished);
    assert_eq!(filled.evidence.proof, FreeProof::NotRead { why: WhyNotRead::NotReached });
    // A journal gives room back at its next commit.
    let folder = fs::File::open(mounted.path()).unwrap();
    let given_back = (0..200).any(|_| {
        rustix::fs::syncfs(&folder).unwrap();
        let is_back = before.saturating_sub(free()) < 100;
        if !is_back {
            std::thread::sleep(std::time::Duration::from_millis(50));
        }
        is_back
    });
    assert!(given_back, "all is given back: {before} blocks were free, and {} are", free());
    drop(folder);
    let left = mounted.path().join(".jurex-free-abcd2345");
    fs::create_dir(&left).unwrap();
    fs::write(left.join("0"), "x").unwrap();
    let other = mounted.path().join("other");
    fs::create_dir(&other).unwrap();
    assert_eq!(clean(&left), Vec::<String>::new());
    assert!(!left.exists() && !clean(&other).is_empty() && other.exists(), "only what is named so is cleaned");
    let nothing = fill(&mounted.path(), &order("00", 10_000 * MIB), &mut Dice(2), &mut Heard::default());
    assert!(matches!(nothing, Err(FillError::Nothing { .. })), "{nothing:?}");
    mounted.check();
}
