//! The machine's page, the bench seen from afar, and switching off after the last job.

use super::*;
use crate::screen::afar::word;
use jurex_look::afar::Word;
use jurex_station::machine::{Ask, CarryVolume, Machine};

impl World {
    /// The same, on a machine that a medium has started; records are kept there, or in memory.
    fn from_medium(data: &str) -> Self {
        let mut world = World::new(ThemeName::Dark, FULL);
        world.app.state.machine = Some(Machine::for_tests(data, &["No data partition was found."]));
        world
    }

    /// Goes to the line of the page that has these words.
    fn line_with(&mut self, words: &str) {
        (0..20).for_each(|_| self.key(KeyCode::Up));
        while !self.text().lines().any(|l| l.contains("▸ ") && l.contains(words)) {
            let before = self.text();
            self.key(KeyCode::Down);
            assert_ne!(self.text(), before, "no line has {words}");
        }
    }
}

#[test]
fn only_a_medium_s_machine_has_a_page_and_what_would_lose_records_says_so() {
    let mut elsewhere = World::new(ThemeName::Dark, FULL);
    elsewhere.key(KeyCode::F(8));
    assert!(elsewhere.text().contains("was not started from a medium here"), "{}", elsewhere.text());

    let mut world = World::from_medium("");
    world.app.state.has_records = true;
    world.key(KeyCode::F(8));
    world.send(Message::Notes(vec!["No data partition was found.".into()]));
    let volume = CarryVolume { device: "/dev/sdd1".into(), label: "CARRY".into(), kind: "vfat".into() };
    world.send(Message::Volumes(vec![volume], vec!["us".into(), "de".into()]));
    let text = world.text();
    assert!(text.contains("RECORDS IN MEMORY ALONE") && text.contains("No data partition was found"), "{text}");
    // It is asked, and a scanner's burst does not answer.
    world.line_with("switch the machine off");
    assert!(world.text().contains("carry them to a stick first"), "{}", world.text());
    world.key(KeyCode::Enter);
    assert!(world.text().contains("WILL BE LOST"), "{}", world.text());
    world.keys("y");
    assert_eq!(world.asked_of_machine, [], "a question is deaf at first");
    world.key(KeyCode::Esc);
    // Carried, nothing is lost any more.
    world.line_with("CARRY");
    world.key(KeyCode::Enter);
    assert_eq!(world.asked_of_machine, [Ask::Carry("/dev/sdd1".into())]);
    world.send(Message::Machine(Ask::Carry("/dev/sdd1".into()), Ok("Carried.".into())));
    assert!(world.text().contains("✓ Carried.") && !world.text().contains("RECORDS IN MEMORY ALONE"), "{}", world.text());
    world.line_with("switch the machine off");
    world.key(KeyCode::Enter);
    world.pass(1);
    world.keys("y");
    assert_eq!(world.asked_of_machine.last(), Some(&Ask::SwitchOff));
    // What a person types goes to the machine or to the settings.
    world.line_with("set the clock");
    world.key(KeyCode::Enter);
    world.keys("2026-11-26 15:04");
    world.key(KeyCode::Enter);
    assert_eq!(world.asked_of_machine.last(), Some(&Ask::Clock("2026-11-26 15:04".into())));
    world.line_with("keyboard layout");
    world.key(KeyCode::Enter);
    world.keys("de");
    world.key(KeyCode::Enter);
    assert_eq!(world.app.state.config.keyboard.as_deref(), Some("de"));
}

#[test]
fn nothing_of_the_machine_is_done_while_a_job_runs() {
    let mut world = World::from_medium("/dev/sdz3");
    world.choose("logger");
    world.start("R90C2Y");
    assert!(world.app.state.working() > 0);
    world.key(KeyCode::F(8));
    for words in ["let the machine sleep", "restart the machine", "switch the machine off"] {
        world.line_with(words);
        world.key(KeyCode::Enter);
        assert!(world.text().contains("Not while a job runs"), "{}", world.text());
    }
    assert_eq!(world.asked_of_machine, []);
}

#[test]
fn a_drive_whose_hidden_sectors_are_lifted_stays_one_lane_however_early_the_list_knows() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("K7Q41M");
    world.start("K7Q41M");
    let (lanes, before) = (world.app.state.lanes.len(), world.app.state.lanes[MAGNETIC].seen.drive.geometry);
    // The job has run and its drive is larger now, and nothing of it was told yet.
    let mut drives = Bench::of_bays(world.bench.bays()).drives();
    let now = drives.iter_mut().find(|s| s.drive.unit.serial().is_some_and(|s| s.ends_with("K7Q41M"))).unwrap();
    assert!(now.drive.geometry.sectors > before.sectors, "its hidden sectors are lifted");
    world.send(Message::Drives(2, drives));
    assert_eq!(world.app.state.lanes.len(), lanes);
    assert!(world.app.state.lanes[MAGNETIC].is_working());
}

#[test]
fn from_afar_one_word_says_how_all_jobs_stand() {
    let mut world = World::new(ThemeName::Dark, FULL);
    assert_eq!(word(&world.app.state), Word::Waits);
    world.choose("logger");
    world.start("R90C2Y");
    world.key(KeyCode::F(7));
    assert!(matches!(word(&world.app.state), Word::Works(0..=99)), "{:?}", word(&world.app.state));
    world.tell_all();
    assert!(world.app.state.lanes[CARD].record().unwrap().kept_its_plan());
    assert!(matches!(word(&world.app.state), Word::Wait(n) if n > 5), "others are here and wait: {:?}", word(&world.app.state));
    assert!(world.text().contains("██"), "{}", world.text());
    // A drive that a list expects and nobody has seen is waited for too.
    let left = world.bench.bays().len() as u32;
    let drives = World::list(&world.bench, &(1..=left).filter(|n| *n != 7).collect::<Vec<_>>());
    world.send(drives);
    assert_eq!(word(&world.app.state), Word::Done, "all that is here is done");
    world.key(KeyCode::Esc);
    assert!(world.text().contains("Is it really gone?"), "{}", world.text());
}

#[test]
fn a_drive_that_failed_calls_for_a_look_and_the_machine_goes_off_only_when_all_is_kept() {
    let mut world = World::from_medium("/dev/sdz3");
    world.choose("logger");
    world.stop_at = Some(2);
    world.start("R90C2Y");
    world.tell_all();
    assert_eq!(word(&world.app.state), Word::LookHere, "a stopped job is not done");
    world.app.state.switches_off_after = true;
    world.pass(1);
    assert!(world.text().contains("Switching off in"), "{}", world.text());
    // Any key stops it.
    world.key(KeyCode::Down);
    assert!(world.text().contains("The machine stays on"), "{}", world.text());
    world.pass(120);
    assert_eq!(world.asked_of_machine, []);
    world.app.state.switches_off_after = true;
    world.pass(1);
    world.pass(61);
    assert_eq!(world.asked_of_machine, [Ask::SwitchOff]);
    // Records that nobody has carried away are not lost.
    world.app.state.machine = Some(Machine::for_tests("", &[]));
    world.asked_of_machine.clear();
    world.app.state.switches_off_after = true;
    world.pass(1);
    assert!(world.text().contains("Not switched off"), "{}", world.text());
    world.pass(120);
    assert_eq!(world.asked_of_machine, []);
}
