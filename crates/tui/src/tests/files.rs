//! The page of files and free space.

use super::*;
use crate::file_erase::{FilesStage, WorkProgress};
use crate::message::FromLess;
use jurex_file_erase::{NodeKind, StorageStack};
use jurex_linux::files::{FilesProgress, FillPhase, FillProgress, Tree};
use jurex_station::file_erase::{FolderEntry, FreePlan, FreeWish, MountedVolume, Surveyed};
use std::sync::Arc;

fn ground(kind: &str, mount: &str) -> StorageStack {
    StorageStack { options: vec!["rw".into()], bytes: 2_000_000_000, ..jurex_file_erase::testing::ground(kind, mount) }
}

/// The page with two file systems, one of them open, over true files.
fn on_the_page(size: (u16, u16)) -> (World, tempfile::TempDir) {
    let dir = tempfile::tempdir().unwrap();
    std::fs::create_dir(dir.path().join("gauges")).unwrap();
    for name in ["gauges/tide.csv", "gauges/wind.csv", "notes.txt"] {
        std::fs::write(dir.path().join(name), "pressure falling").unwrap();
    }
    let mut world = World::new(ThemeName::Dark, size);
    world.key(KeyCode::F(9));
    assert_eq!(format!("{:?}", world.asked_of_less), "[Volumes]");
    let mount = dir.path().to_str().unwrap();
    let volumes = vec![
        MountedVolume { ground: ground("btrfs", "/srv/archive"), free: 700_000_000 },
        MountedVolume { ground: ground("ext4", mount), free: 900_000_000 },
    ];
    world.send(Message::Less(Box::new(FromLess::Volumes(volumes, 1))));
    world.key(KeyCode::Down);
    world.key(KeyCode::Right);
    let listed = jurex_station::file_erase::list(dir.path()).map_err(|e| e.to_string());
    let folders = [dir.path().join("gauges")];
    world.send(Message::Less(Box::new(FromLess::Listed(dir.path().into(), listed))));
    world.send(Message::Less(Box::new(FromLess::Sums(jurex_station::file_erase::sums(&folders)))));
    (world, dir)
}

fn surveyed(paths: &[PathBuf]) -> Surveyed {
    let tree = Tree::look(paths, vec![], &mut |_| true).unwrap();
    Surveyed::new(tree, vec![], vec![(0, "logger (41)".into())])
}

#[test]
fn what_is_marked_is_lost_only_once_its_number_was_typed() {
    let (mut world, dir) = on_the_page(FULL);
    let text = world.text();
    assert!(text.contains("+ gauges/") && text.contains("2 files, 32 B") && text.contains("notes.txt"), "{text}");
    assert!(text.contains("1 erasure of files cut short"), "{text}");
    // A whole file system is not marked.
    world.keys("s");
    assert!(world.text().contains("erase the drive, or fill its free space"), "{}", world.text());
    world.key(KeyCode::Down);
    world.keys("s");
    world.keys("s");
    let text = world.text();
    assert!(text.contains("● ") && text.contains("+ gauges/"), "{text}");
    world.key(KeyCode::Enter);
    let paths = [dir.path().join("gauges"), dir.path().join("notes.txt")];
    assert!(matches!(world.asked_of_less.last(), Some(AskLess::Survey(asked)) if asked == &paths), "{:?}", world.asked_of_less);
    world.send(Message::Less(Box::new(FromLess::Surveyed(Ok(Arc::new(surveyed(&paths)))))));
    let text = world.text();
    for words in [
        "What will be lost?",
        "3 files, 48 B",
        "1 folder",
        "is open in logger (41)",
        "4 names will be lost",
        "NOT A SANITIZATION",
    ] {
        assert!(text.contains(words), "{words}: {text}");
    }
    world.keys("3");
    world.pass(1);
    world.key(KeyCode::Enter);
    assert!(world.text().contains("✕ 4 names will be lost: type that number"), "{}", world.text());
    world.key(KeyCode::Backspace);
    world.keys("4");
    // A scanner's line end is no answer.
    world.send(Message::Key(KeyEvent::new(KeyCode::Enter, KeyModifiers::NONE)));
    assert!(!world.app.state.less.is_working());
    world.pass(1);
    world.key(KeyCode::Enter);
    let Some(AskLess::Erase(asked, wish)) = world.asked_of_less.last() else { panic!("{:?}", world.asked_of_less) };
    assert_eq!((asked.count(), wish.notation.as_str(), wish.with_names), (4, "random", false));
    let progress = FilesProgress { names: 2, of_names: 4, bytes: 16, of_bytes: 96, folder: dir.path().into() };
    world.pass(2);
    world.send(Message::Less(Box::new(FromLess::Progress(WorkProgress::Files(progress)))));
    assert!(world.text().contains("Is it going well?") && world.text().contains("2 of 4"), "{}", world.text());
    // It goes on when the page is left; quitting asks; stopping is told.
    world.key(KeyCode::Esc);
    world.keys("q");
    assert!(world.text().contains("Files or free space are still being worked on"), "{}", world.text());
    world.key(KeyCode::Esc);
    world.key(KeyCode::F(9));
    world.keys("x");
    assert!(matches!(world.asked_of_less.last(), Some(AskLess::Stop)) && world.text().contains("Stopping"), "{}", world.text());
    world.send(Message::Less(Box::new(FromLess::Over(Err("the notes can't be kept".into())))));
    assert!(world.text().contains("✕ the notes can't be kept"), "{}", world.text());
}

#[test]
fn free_space_is_filled_as_it_is_planned_and_what_came_of_it_is_told() {
    let (mut world, _dir) = on_the_page(FULL);
    world.key(KeyCode::Home);
    world.keys("e");
    world.key(KeyCode::Backspace);
    world.keys(" zebra");
    world.key(KeyCode::Enter);
    assert!(world.text().contains("Column 1"), "{}", world.text());
    (0..20).for_each(|_| world.key(KeyCode::Backspace));
    world.keys("00 | ~");
    world.key(KeyCode::Enter);
    world.key(KeyCode::Tab);
    let plan = FreePlan { ground: ground("btrfs", "/srv/archive"), free: 700_000_000, reserve: 67_108_864 };
    world.send(Message::Less(Box::new(FromLess::Free("/srv/archive".into(), Ok(plan)))));
    let text = world.text();
    assert!(text.contains("never overwrites (copy on write)") && text.contains("67.1 MB") && text.contains("00 | ~"), "{text}");
    world.pass(1);
    world.key(KeyCode::Enter);
    let Some(AskLess::Fill(FreeWish { notation, reserve, .. })) = world.asked_of_less.last() else {
        panic!("{:?}", world.asked_of_less)
    };
    assert_eq!((notation.as_str(), *reserve), ("00 | ~", 67_108_864));
    let progress =
        FillProgress { phase: FillPhase::Laying, bytes: 1, of_bytes: 4, entries: 0, free_now: 60_000_000, gave_way: 5_000_000 };
    world.send(Message::Less(Box::new(FromLess::Progress(WorkProgress::Free(progress)))));
    assert!(world.text().contains("5.00 MB: others needed room"), "{}", world.text());
    let record = jurex_station::testing::less_record();
    world.send(Message::Less(Box::new(FromLess::Over(Ok((Box::new(record), Err("the disk is full".into())))))));
    let text = world.text();
    for words in ["What really became of it?", "THIS IS NOT A SANITIZATION", "NOT overwritten", "✕ the disk is full", "━"] {
        assert!(text.contains(words), "{words}: {text}");
    }
    assert!(matches!(world.app.state.less.stage, FilesStage::Over { .. }));
    world.key(KeyCode::Enter);
    assert!(world.text().contains("Which files are to go"), "{}", world.text());
}

#[test]
fn the_page_is_usable_on_a_small_screen() {
    let (mut world, dir) = on_the_page((80, 24));
    assert!(world.text().contains("gauges/"), "{}", world.text());
    let paths = [dir.path().join("gauges")];
    world.key(KeyCode::Down);
    world.keys("s");
    world.key(KeyCode::Enter);
    world.send(Message::Less(Box::new(FromLess::Surveyed(Ok(Arc::new(surveyed(&paths)))))));
    assert!(world.text().contains("names that will be lost, typed:"), "{}", world.text());
    world.send(Message::Less(Box::new(FromLess::Listed("/gone".into(), Err("no such folder".into())))));
    let listed = FolderEntry { path: "/x".into(), kind: NodeKind::Link, bytes: 0 };
    world.send(Message::Less(Box::new(FromLess::Listed("/".into(), Ok(vec![listed])))));
    assert!(world.text().contains("/gone can't be read"), "{}", world.text());
}

#[test]
fn why_something_can_t_be_done_stands_above_the_fold() {
    let (mut world, _dir) = on_the_page((80, 24));
    let why = Err("the demonstration fills no free space".to_string());
    world.send(Message::Less(Box::new(FromLess::Free("/srv/archive".into(), why))));
    assert!(world.text().contains("✕ the demonstration fills no free space"), "{}", world.text());
}
