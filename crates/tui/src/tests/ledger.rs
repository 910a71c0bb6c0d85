//! The ledger page, the lot on the bench, and the paper before it is written.

use super::*;
use crate::message::{AskLedger, FromLedger};
use crate::screen::ledger::AT_ONCE;
use jurex_disposition::lot::{Lot, LotList};
use jurex_ledger::Ledger;
use jurex_past::PastWork;
use jurex_sanitize::record::JobId;
use jurex_station::story::Story;

impl World {
    /// Lets a ledger answer all that was asked of it.
    pub(super) fn answer_from(&mut self, ledger: &dyn PastWork) {
        for command in std::mem::take(&mut self.asked_of_ledger) {
            match command {
                AskLedger::Jobs(typed, before) => {
                    let found = ledger.find(&typed, before, AT_ONCE).map_err(|e| e.to_string());
                    self.send(Message::Ledger(FromLedger::Jobs(typed, before, found)));
                }
                AskLedger::Story(job) => {
                    self.send(Message::Ledger(FromLedger::Story(Box::new(Story::of(ledger, &job).unwrap()))));
                }
                AskLedger::Lots => {
                    let lots = ledger.lots(true).unwrap().into_iter().map(|lot| ledger.lot_now(lot).unwrap());
                    self.send(Message::Ledger(FromLedger::Lots(lots.collect())));
                }
                AskLedger::Where(typed) => {
                    let found = crate::runtime::whereabouts(ledger, &typed).map_err(|e| e.to_string());
                    self.send(Message::Ledger(FromLedger::Where(typed, found)));
                }
                AskLedger::Known(lane, serial, job) => {
                    let known = serial.and_then(|s| ledger.known(&s).unwrap());
                    let known = known.or_else(|| ledger.known_by_job(&job?).unwrap());
                    self.send(Message::Ledger(FromLedger::Known(lane, known.map(Box::new))));
                }
                other => self.asked_of_ledger.push(other),
            }
        }
        if self.asked_of_ledger.iter().any(|c| matches!(c, AskLedger::Jobs(..) | AskLedger::Story(_))) {
            self.answer_from(ledger);
        }
    }
}

/// A ledger with these jobs on the drives of the simulated bench: the bay, the day, and whether it was erased.
pub(super) fn ledger_of(path: &std::path::Path, jobs: &[(u32, u32, bool)]) -> Ledger {
    let ledger = Ledger::open(path).unwrap();
    let drives = Bench::of_bays(sim().bays()).drives();
    for (n, (bay, day, erased)) in jobs.iter().enumerate() {
        let seen = drives.iter().find(|s| s.drive.path == format!("sim:{bay}")).unwrap();
        let job: JobId = format!("2611{day:02}-STUVW{n}").parse().unwrap();
        let began: Timestamp = format!("2026-11-{day:02}T09:30:00Z").parse().unwrap();
        ledger.begin(&job, &seen.drive, began).unwrap();
        ledger.tell(&job, &Event::Held { celsius: Some(71) }, began).unwrap();
        if !erased {
            continue;
        }
        let order = jurex_sanitize::plan::Order::of_program("One pass of zeros", "00?".parse().unwrap());
        let plan = Plan::new(&seen.drive, &order, &mut Fixed(0)).unwrap();
        let session = jurex_sanitize::evidence::Session::new(seen.drive.clone(), jurex_device::medium::Access::DIRECT, began);
        let ended = jurex_sanitize::evidence::Ended::Stopped;
        let evidence =
            jurex_sanitize::evidence::Evidence { ended, ..jurex_sanitize::evidence::Evidence::begin(session, plan.kinds()) };
        let tool = Tool { name: "Jurex".into(), version: "0.1.0".into() };
        let papers = Config::demo().papers();
        let record = Record::new(job, tool, &plan, Default::default(), evidence, (began, began), papers);
        ledger.finish(&record, began).unwrap();
    }
    ledger
}

#[test]
fn past_work_is_found_as_one_types_and_told_beside_it() {
    let dir = tempfile::tempdir().unwrap();
    let ledger = ledger_of(&dir.path().join("ledger.sqlite3"), &[(2, 3, true), (7, 9, true), (10, 12, true), (8, 20, false)]);
    let mut world = World::new(ThemeName::Dark, FULL);
    world.key(KeyCode::F(2));
    assert!(world.text().contains("Looking …"));
    world.answer_from(&ledger);
    let all = world.text();
    assert!(all.contains("no record") && all.find("2026-11-20") < all.find("2026-11-03"), "the newest first: {all}");
    world.keys("lot:bw-0417 tessel");
    world.answer_from(&ledger);
    insta::assert_snapshot!("ledger", world.picture().backend());
    // An answer to what was typed before is not taken.
    world.send(Message::Ledger(FromLedger::Jobs("old".into(), None, Ok(vec![]))));
    assert!(world.text().contains("Logger 32"));
    // Letters are words to find until the story has the keys; then they do something with it.
    world.keys("w");
    world.answer_from(&ledger);
    assert!(world.text().contains("No job has all these words"));
    world.key(KeyCode::Enter);
    world.key(KeyCode::Esc);
    world.answer_from(&ledger);
    assert!(world.text().contains("no record"), "nothing was chosen, and all are shown again");
    world.key(KeyCode::Down);
    world.answer_from(&ledger);
    world.key(KeyCode::Enter);
    world.keys("a");
    assert!(matches!(&world.asked_of_ledger[..], [AskLedger::WriteAgain(job)] if job.as_str() == "261112-STUVW2"));
    world.keys("w");
    assert!(matches!(world.asked_of_ledger.last(), Some(AskLedger::Export(typed)) if typed.is_empty()));
    world.asked_of_ledger.clear();
    world.key(KeyCode::Up);
    world.answer_from(&ledger);
    world.keys("a");
    assert!(world.asked_of_ledger.is_empty() && world.text().contains("no record that a paper could be written of"));
    world.key(KeyCode::Esc);
    world.key(KeyCode::F(2));
    assert!(world.text().contains("Is that the right drive?"), "back at the bench");
}

#[test]
fn the_ledger_page_works_where_there_is_little_room_and_says_why_there_is_nothing() {
    let dir = tempfile::tempdir().unwrap();
    let ledger = ledger_of(&dir.path().join("ledger.sqlite3"), &[(2, 3, true), (7, 9, true)]);
    let mut world = World::new(ThemeName::Dark, (80, 24));
    world.key(KeyCode::F(2));
    world.answer_from(&ledger);
    assert!(world.text().contains("261109-STUVW1") || world.text().contains("Logger 32"));
    world.key(KeyCode::Enter);
    assert!(world.text().contains("Not sanitized") && world.text().contains("more lines"), "{}", world.text());
    world.key(KeyCode::Esc);
    world.send(Message::Ledger(FromLedger::Jobs(String::new(), None, Err("the ledger is damaged".into()))));
    assert!(world.text().contains("✕ the ledger is damaged"));
}

#[test]
fn a_lot_fills_answers_and_papers_of_its_drives_and_tells_how_it_stands() {
    let dir = tempfile::tempdir().unwrap();
    let ledger = ledger_of(&dir.path().join("ledger.sqlite3"), &[(2, 3, true)]);
    let mut lot = Lot::new("BW-0417", Timestamp::UNIX_EPOCH).unwrap();
    let list = "serial,property number,source,sensitivity,reuse,leaves\nFM2000K7Q41M,BWS 0041,x,,,\ntl32h6r90c2y,BWS 0046,Hollow Ness mast,high,yes,no\nGONE,,,,,\n";
    lot.add(LotList::from_csv(list).unwrap()).unwrap();
    ledger.keep_lot(&lot, "opened", Timestamp::UNIX_EPOCH).unwrap();
    let mut world = World::new(ThemeName::Dark, FULL);
    assert!(world.text().contains("lot BW-0417   "), "{}", world.text());
    world.asked_of_ledger.push(AskLedger::Lots);
    world.answer_from(&ledger);
    assert!(world.text().contains("lot BW-0417: 0 of 3 done, 1 failed, 1 here and not done, 1 not seen yet"), "{}", world.text());
    let card = &world.app.state.lanes[CARD];
    assert_eq!((card.papers.property_number.as_str(), card.papers.source.as_str()), ("BWS 0046", "Hollow Ness mast"));
    assert_eq!(card.draft.need.outcome(), jurex_sanitize::rules::Outcome::Purge);
    // A setting that is changed leaves what the list says of the drive.
    let config = Config { source: "another station".into(), ..Config::demo() };
    world.send(Message::Setting(Ok(Box::new(config))));
    let source_of = |world: &World, lane: LaneId| world.app.state.lanes[lane].papers.source.clone();
    assert_eq!((source_of(&world, CARD).as_str(), source_of(&world, STICK).as_str()), ("Hollow Ness mast", "another station"));
    // What a person has changed since stays, whatever the list says later.
    world.app.state.lanes[CARD].papers.source = "by hand".into();
    world.asked_of_ledger.push(AskLedger::Lots);
    world.answer_from(&ledger);
    assert_eq!(world.app.state.lanes[CARD].papers.source, "by hand");
}

#[test]
fn what_a_list_requires_chooses_the_technique_of_each_drive_and_less_is_asked_for() {
    let dir = tempfile::tempdir().unwrap();
    let ledger = ledger_of(&dir.path().join("ledger.sqlite3"), &[(2, 3, true)]);
    let mut world = World::new(ThemeName::Mono, FULL);
    let serial_of = |world: &World, ending: &str| {
        let is = |l: &crate::lane::Lane| l.seen.drive.unit.serial.as_deref().is_some_and(|s| s.ends_with(ending));
        world.app.state.lanes.named().find(|(_, l)| is(l)).map(|(id, _)| id).unwrap()
    };
    let (swift, anvil) = (serial_of(&world, "E47J9P"), serial_of(&world, "M2G7KE"));
    let listed = |world: &World, lane: LaneId| world.app.state.lanes[lane].seen.drive.unit.serial.clone().unwrap();
    let list = format!(
        "serial,sensitivity,reuse,leaves\n{},moderate,yes,yes\n{},moderate,yes,no\n{},moderate,yes,yes\n",
        listed(&world, swift),
        listed(&world, anvil),
        listed(&world, MAGNETIC)
    );
    let mut lot = Lot::new("BW-0418", Timestamp::UNIX_EPOCH).unwrap();
    lot.add(LotList::from_csv(&list).unwrap()).unwrap();
    ledger.keep_lot(&lot, "opened", Timestamp::UNIX_EPOCH).unwrap();
    world.asked_of_ledger.push(AskLedger::Lots);
    world.answer_from(&ledger);
    let ways = [swift, anvil].map(|lane| world.app.state.lanes[lane].draft.way);
    assert_eq!(ways, [Technique::SanitizeBlock, Technique::Overwrite], "each by what its own list line requires");
    // The lot page keeps to what each drive's line requires, whatever is answered for the others.
    for lane in [swift, anvil, MAGNETIC] {
        world.app.state.selected = Some(lane);
        world.keys("s");
    }
    world.keys("p");
    let text = world.text();
    let row = |name: &str| text.lines().find(|l| l.contains(name) && l.contains("(list)")).unwrap_or_default().to_string();
    assert!(row("E47J9P").contains("Purge (list)    Purge") && row("M2G7KE").contains("Clear (list)    Clear"), "{text}");
    assert!(row("K7Q41M").contains("✕") && row("K7Q41M").contains("Purge (list)    Clear"), "{text}");
    world.key(KeyCode::Enter);
    let planned = |world: &World, lane: LaneId| world.app.state.lanes[lane].plan().is_some();
    assert_eq!([swift, anvil, MAGNETIC].map(|lane| planned(&world, lane)), [true, true, false]);
    // By itself it can be taken all the same, after a question of its own.
    world.app.state.selected = Some(MAGNETIC);
    world.app.state.lanes[MAGNETIC].enter(Step::Plan);
    world.key(KeyCode::Enter);
    let text = world.text();
    assert!(text.contains("Take less than is required of Ferrant Meridian 2000"), "{text}");
    assert!(text.contains("Required by its list: Purge. This plan gives Clear") && !planned(&world, MAGNETIC), "{text}");
    world.key(KeyCode::Esc);
    assert!(!planned(&world, MAGNETIC));
    world.key(KeyCode::Enter);
    world.pass(1);
    world.keys("y");
    assert!(planned(&world, MAGNETIC) && world.app.state.lanes[MAGNETIC].step == Step::Arm);
    let text = world.text();
    assert!(text.contains("Purge by its list") && text.contains("less than is required, and accepted so"), "{text}");
    world.keys("K7Q41M");
    world.key(KeyCode::Enter);
    world.pass(6);
    world.tell_all();
    let record = world.app.state.lanes[MAGNETIC].record().unwrap().clone();
    let need = record.papers().need.unwrap().outcome();
    assert_eq!((need, record.claim().outcome()), (Outcome::Purge, Outcome::Clear));
}

#[test]
fn a_technique_that_a_person_chose_stays_and_any_other_follows_what_is_required() {
    let mut world = World::new(ThemeName::Mono, FULL);
    world.choose("E47J9P");
    world.key(KeyCode::Enter);
    let way = |world: &World| world.app.state.lane().unwrap().draft.way;
    let first = way(&world);
    world.turn(LEAVES, 1);
    assert_eq!(way(&world), Technique::SanitizeBlock, "it leaves: Purge is required");
    world.turn(LEAVES, 1);
    assert_eq!(way(&world), first, "and not any more");
    world.turn(PlanRow::Technique, 1);
    let chosen = way(&world);
    assert_ne!(chosen, first);
    world.turn(LEAVES, 2);
    assert_eq!(way(&world), chosen);
}

#[test]
fn what_the_person_signs_is_shown_as_it_will_print() {
    let mut world = World::new(ThemeName::Dark, FULL);
    world.choose("logger");
    world.start("R90C2Y");
    world.tell_all();
    world.key(KeyCode::Right);
    world.app.state.signs = "Signed by key kPrK_qmxVWaY.".into();
    assert!(world.text().contains("Signed by key kPrK_qmxVWaY."), "{}", world.text());
    world.keys("v");
    insta::assert_snapshot!("paper", world.picture().backend());
    (0..9).for_each(|_| world.key(KeyCode::PageDown));
    assert!(world.text().contains("end of page 2 of 2") || world.text().contains("end of page 3 of 3"), "{}", world.text());
    world.key(KeyCode::Esc);
    assert!(world.text().contains("Can I sign for it?"));
}

#[test]
fn a_drive_that_is_being_erased_waits_for_nobody_until_its_job_ends() {
    let folder = tempfile::tempdir().unwrap();
    let mut world = World::new(ThemeName::Mono, FULL);
    world.choose("R90C2Y");
    world.start("R90C2Y");
    world.tell_until(|e| matches!(e, Event::Advanced { .. }));
    let lane = &world.app.state.lanes[CARD];
    let (job, drive) = (lane.running_job().unwrap().clone(), lane.seen.drive.clone());
    let ledger = Ledger::open(&folder.path().join("ledger.sqlite3")).unwrap();
    ledger.begin(&job, &drive, Timestamp::UNIX_EPOCH).unwrap();
    world.send(Message::Key(KeyEvent::new(KeyCode::Char('w'), KeyModifiers::CONTROL)));
    world.answer_from(&ledger);
    let text = world.text();
    assert!(text.contains("Being erased now (1)") && text.contains("is at work on it"), "{text}");
    assert!(!text.contains("decide what happens next") && !text.contains("still open  "), "{text}");
    // Its end is not in the ledger yet: what was begun without a record is not sanitized.
    world.tell_all();
    let text = world.text();
    assert!(!text.contains("Being erased now") && text.contains("Not sanitized: decide what happens next (1)"), "{text}");
}

#[test]
fn the_ledger_is_asked_about_every_drive_as_soon_as_it_has_answered() {
    let drives = Bench::of_bays(sim().bays()).drives();
    let mut app = App::new(Theme::new(ThemeName::Dark, Depth::True), Config::demo());
    let all = drives.len();
    let effects = app.update(Message::Drives(1, drives));
    let asked = effects.iter().filter(|e| matches!(e, Effect::Ledger(AskLedger::Known(_, Some(_), _)))).count();
    assert_eq!((asked, all > 5), (all, true), "{effects:?}");
}
