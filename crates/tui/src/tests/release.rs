//! Where a drive goes: the form, the label, where drives are, and a drive that carries a mark.

use super::*;
use jurex_ledger::Ledger;
use jurex_station::release::Becomes;

/// The picture with every time of day in it made the same: what becomes of a drive is noted when it does.
fn timeless(world: &World) -> String {
    let picture: Vec<char> =
        world.picture().backend().to_string().replace(world.home.path().to_str().unwrap(), "/home").chars().collect();
    let shape = "0000-00-00 00:00";
    let is_time = |at: usize| {
        let part = picture.get(at..at + shape.len());
        part.is_some_and(|p| p.iter().zip(shape.chars()).all(|(c, s)| if s == '0' { c.is_ascii_digit() } else { *c == s }))
    };
    let mut steady = picture.clone();
    for at in (0..picture.len()).filter(|at| is_time(*at)) {
        steady.splice(at..at + shape.len(), "2026-11-26 14:32".chars());
    }
    steady.into_iter().collect()
}

impl World {
    /// The card is erased, and its job is over.
    fn erased_card() -> Self {
        let mut world = World::new(ThemeName::Dark, FULL);
        world.choose("logger");
        world.start("R90C2Y");
        world.tell_all();
        world.key(KeyCode::Right);
        world
    }

    /// The ledger that what becomes of drives is noted in.
    fn noted(&self) -> Ledger {
        Ledger::open(&self.home.path().join("ledger.sqlite3")).unwrap()
    }

    fn answered(&mut self) -> String {
        let ledger = self.noted();
        self.answer_from(&ledger);
        self.text()
    }
}

/// Turns the form to that kind by its keys, and stays in it.
fn choose_kind(world: &mut World, kind: Becomes) {
    world.key(KeyCode::Tab);
    while world.app.state.lane().unwrap().release.kind() != kind {
        world.key(KeyCode::Right);
    }
}

#[test]
fn a_drive_that_has_failed_or_reached_too_little_is_to_be_destroyed_and_never_left_blank_by_itself() {
    let mut world = World::new(ThemeName::Mono, FULL);
    world.choose("R90C2Y");
    world.stop_at = Some(20);
    world.start("R90C2Y");
    world.tell_all();
    world.keys("r");
    let kind = |world: &World| world.app.state.lane().unwrap().release.kind();
    assert_eq!(kind(&world), Becomes::Destroyed, "it is not sanitized");
    choose_kind(&mut world, Becomes::Blank);
    assert!(world.text().contains("records no destination: it stays open"), "{}", world.text());
    world.key(KeyCode::Esc);
    world.key(KeyCode::Left);
    world.keys("r");
    assert_eq!(kind(&world), Becomes::Blank, "what a person chose stays");
}

#[test]
fn a_drive_is_put_away_and_the_ledger_knows_where() {
    let mut world = World::erased_card();
    let record = world.app.state.lanes[CARD].record().unwrap().clone();
    let ledger = world.noted();
    ledger.begin(&record.job, record.evidence().drive(), record.started).unwrap();
    ledger.finish(&record, record.ended).unwrap();
    world.keys("r");
    let text = world.answered();
    assert!(text.contains("Where does this drive go?") && text.contains("erased; destination not recorded"), "{text}");
    assert_eq!(world.app.state.lane().unwrap().release.kind(), Becomes::Stored, "it has reached what is required");
    world.key(KeyCode::Enter);
    assert!(world.text().contains("it is not said where it was put"), "{}", world.text());
    world.key(KeyCode::Tab);
    world.key(KeyCode::Tab);
    world.keys("shelf 3");
    // A scanner's line end does nothing by itself.
    world.send(Message::Key(KeyEvent::new(KeyCode::Enter, KeyModifiers::NONE)));
    assert_eq!(world.state(CARD), LaneState::Proved);
    world.key(KeyCode::Enter);
    world.answered();
    assert_eq!(world.state(CARD), LaneState::Released);
    insta::assert_snapshot!("release-stored", timeless(&world));
    assert!(world.noted().open_matters(9).unwrap().is_empty());
    world.keys("l");
    assert!(world.text().contains(&format!("label of {}", record.job)), "{}", world.text());
    // From any screen.
    world.key(KeyCode::F(3));
    world.send(Message::Key(KeyEvent::new(KeyCode::Char('w'), KeyModifiers::CONTROL)));
    assert!(world.answered().contains("every drive that came to this bench has an end"), "{}", world.text());
    world.keys("h6r9");
    let text = world.answered();
    assert!(text.contains("stored: shelf 3") && text.contains("It was put away: shelf 3."), "{text}");
    world.keys("x");
    assert!(world.answered().contains("No drive of such a serial"), "{}", world.text());
}

#[test]
fn a_drive_is_prepared_only_with_its_label_and_what_an_installer_finds_is_read_back() {
    let mut world = World::erased_card();
    world.keys("r");
    choose_kind(&mut world, Becomes::Prepared);
    world.key(KeyCode::Tab);
    world.key(KeyCode::Tab);
    world.keys("fat32:TIDES");
    world.key(KeyCode::Enter);
    let text = world.text();
    assert!(text.contains("too small") || text.contains("needs at least"), "32 MB hold no FAT32 volume: {text}");
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("arc 480");
    world.app.state.go_to(Step::Release);
    choose_kind(&mut world, Becomes::Prepared);
    world.key(KeyCode::Tab);
    world.key(KeyCode::Tab);
    world.keys("fat32:TIDES");
    world.key(KeyCode::Enter);
    assert!(world.text().contains("its label is asked for"), "{}", world.text());
    world.key(KeyCode::BackTab);
    world.keys("61YV5C");
    world.key(KeyCode::Enter);
    let text = world.text();
    assert!(
        text.contains("what an installer finds: GPT partition table: FAT32 \"TIDES\"") && text.contains("stay unallocated"),
        "{text}"
    );
    insta::assert_snapshot!("release-prepared", timeless(&world));
}

#[test]
fn what_a_destruction_earns_is_told_with_its_reason() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("t3xw8d");
    world.app.state.go_to(Step::Release);
    choose_kind(&mut world, Becomes::Destroyed);
    (0..3).for_each(|_| world.key(KeyCode::Tab));
    let type_in = |world: &mut World, text: &str| {
        world.keys(text);
        world.key(KeyCode::Tab);
    };
    type_in(&mut world, "t3xw8d");
    type_in(&mut world, "the yard");
    type_in(&mut world, "Odile Brand");
    world.key(KeyCode::Enter);
    world.answered();
    assert!(world.text().contains("is attached here"), "{}", world.text());
    // It is pulled out.
    let mut drives = Bench::of_bays(world.bench.bays()).drives();
    drives.retain(|s| !s.drive.unit.serial().is_some_and(|s| s.to_lowercase().ends_with("t3xw8d")));
    world.send(Message::Drives(2, drives));
    world.choose("t3xw8d");
    world.app.state.go_to(Step::Release);
    world.key(KeyCode::Tab);
    world.key(KeyCode::Tab);
    let destroy = |world: &mut World, way: &str| {
        for _ in 0..12 {
            if world.app.state.lane().unwrap().release.how().unwrap().word() == way {
                break;
            }
            world.key(KeyCode::Right);
        }
    };
    destroy(&mut world, "drilled");
    assert!(world.text().contains("Goggles"), "{}", world.text());
    world.key(KeyCode::Enter);
    let text = world.text();
    assert!(text.contains("Outcome: Not sanitized.") && text.contains("a hole leaves the rest"), "{text}");
    world.key(KeyCode::Tab);
    world.key(KeyCode::Tab);
    destroy(&mut world, "disintegrated");
    world.key(KeyCode::Tab);
    world.keys("x");
    world.key(KeyCode::Enter);
    assert!(world.text().contains("is no number of millimetres"), "{}", world.text());
    (0..3).for_each(|_| world.key(KeyCode::Tab));
    world.key(KeyCode::Backspace);
    world.keys("2");
    world.key(KeyCode::Enter);
    world.answered();
    let text = world.text();
    let said = world.app.state.lane().unwrap().release.outcome.as_ref().unwrap().as_ref().unwrap().join("\n");
    assert!(text.contains("Outcome: Destroy.") && said.contains("No program has seen it"), "{text}");
    insta::assert_snapshot!("release-destroyed", timeless(&world));
}

#[test]
fn a_marked_drive_says_so_and_planning_it_again_warns_first() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("d8jn6w");
    assert_eq!(world.state(LaneId::nth(9)), LaneState::Tagged);
    let text = world.text();
    assert!(
        text.contains("It carries an erasure tag: erased") && text.contains("It is not signed: anybody can have written it."),
        "{text}"
    );
    world.keys("a");
    assert!(world.text().contains("no record of 261023-7Q4KPT"), "{}", world.text());
    world.key(KeyCode::Enter);
    let tag = |world: &World| world.app.state.lane().unwrap().draft.order.marks;
    assert!(world.text().contains("carries the erasure tag of") && !tag(&world), "{}", world.text());
    world.turn(PlanRow::ErasureTag, 1);
    assert!(tag(&world) && world.text().contains("a page in the first and last sectors says"), "{}", world.text());
}

#[test]
fn the_release_step_fits_small_screens() {
    for size in [(100, 30), (80, 24), (60, 20)] {
        let mut world = World::new(ThemeName::Mono, size);
        world.choose("t3xw8d");
        world.app.state.go_to(Step::Release);
        for _ in 0..10 {
            world.key(KeyCode::Tab);
            world.key(KeyCode::Right);
            world.key(KeyCode::Esc);
            assert!(!world.text().is_empty());
        }
    }
}
