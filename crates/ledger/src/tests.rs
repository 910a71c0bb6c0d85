//! The ledger under use, abuse and competition.

use super::*;
use crate::format::MIGRATIONS;
use jurex_device::media::MediaClass;
use jurex_device::medium::Access;
use jurex_device::testing::{Fixed, cleared, test_drive};
use jurex_disposition::lot::Lot;
use jurex_engine::{Checkpoint, Completed, Job, JobStep, Now};
use jurex_past::{BadProof, Inclusion, NotedSubject, TreeHead};
use jurex_pattern::method::library;
use jurex_sanitize::contents::Contents;
use jurex_sanitize::evidence::{Ended, Evidence, Session};
use jurex_sanitize::plan::{Order, Plan};
use jurex_sanitize::record::{Papers, SecondLook, Tool};
use jurex_sanitize::rules::Outcome;

fn drive() -> Drive {
    test_drive(MediaClass::Magnetic, 64)
}

fn record_of(job: &JobId, ended: Ended) -> Record {
    let plan = Plan::new(&drive(), &Order::of_method(&library()[0]), &mut Fixed(0)).unwrap();
    let session = Session::new(drive(), Access::DIRECT, Timestamp::UNIX_EPOCH);
    let evidence = Evidence { ended, ..Evidence::begin(session, plan.kinds()) };
    let tool = Tool { name: "Jurex".into(), version: "0".into() };
    let times = (Timestamp::UNIX_EPOCH, Timestamp::UNIX_EPOCH);
    Record::new(job.clone(), tool, &plan, Contents::default(), evidence, times, Papers::default())
}

fn stopped_record(job: &JobId) -> Record {
    record_of(job, Ended::Stopped)
}

/// The first checkpoint of a job on that drive.
fn checkpoint(drive: &Drive) -> Checkpoint {
    let order = Order::of_program("test", "random?".parse().unwrap());
    let plan = Plan::new(drive, &order, &mut Fixed(7)).unwrap();
    let typed = drive.unit.serial().map_or(drive.geometry.sectors.to_string(), str::to_string);
    let now = Now { wall: Timestamp::UNIX_EPOCH, mono: Duration::ZERO };
    let mut job = Job::start(plan.arm(&cleared(drive), &typed).unwrap(), drive, Access::DIRECT, 512, now).unwrap();
    let JobStep::Do(request) = job.request(now) else { panic!("a new job has work") };
    let tag = request.tag;
    job.complete(tag, Completed::Done, now);
    *job.take_checkpoint().unwrap()
}

fn begun(ledger: &Ledger, name: &str, drive: &Drive) -> JobId {
    let job: JobId = name.parse().unwrap();
    ledger.begin(&job, drive, Timestamp::UNIX_EPOCH).unwrap();
    ledger.can_go_on(&job, drive, &Contents::default(), &Papers::default()).unwrap();
    ledger.keep(&job, &checkpoint(drive), Timestamp::UNIX_EPOCH).unwrap();
    job
}

#[test]
fn records_outlive_the_process_and_the_newest_counts() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("deep/ledger.sqlite3");
    let job: JobId = "261123-AAAAAA".parse().unwrap();
    {
        let ledger = Ledger::open(&path).unwrap();
        ledger.begin(&job, &drive(), Timestamp::UNIX_EPOCH).unwrap();
        ledger.tell(&job, &Event::Held { celsius: None }, Timestamp::UNIX_EPOCH).unwrap();
        ledger.tell(&job, &Event::WentOn, Timestamp::UNIX_EPOCH).unwrap();
        assert!(matches!(ledger.record(&job), Err(PastError::NeverEnded { .. })), "no record without an end");
        ledger.add_record(&stopped_record(&job), Timestamp::UNIX_EPOCH).unwrap();
        let later = stopped_record(&job).with_papers(Papers { lot: "BW-0417".into(), ..Papers::default() });
        ledger.add_record(&later, Timestamp::UNIX_EPOCH).unwrap();
    }
    let ledger = Ledger::open(&path).unwrap();
    let record = ledger.record(&job).unwrap();
    assert_eq!((record.papers().lot.as_str(), record.claim().outcome()), ("BW-0417", Outcome::NotSanitized));
    let told: Vec<String> = ledger.events(&job).unwrap().into_iter().map(|(_, json)| json).collect();
    assert_eq!(told, [r#"{"event":"held"}"#, r#"{"event":"went-on"}"#]);
    let listed = ledger.find("", None, 9).unwrap();
    assert_eq!((listed.len(), listed[0].standing.word().as_str()), (1, "Not sanitized"));
    assert!(matches!(ledger.begin(&job, &drive(), Timestamp::UNIX_EPOCH), Err(PastError::Exists(_))));
}

#[test]
fn an_altered_ledger_cannot_claim_more() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("ledger.sqlite3");
    let job: JobId = "261123-BBBBBB".parse().unwrap();
    let ledger = Ledger::open(&path).unwrap();
    ledger.begin(&job, &drive(), Timestamp::UNIX_EPOCH).unwrap();
    ledger.add_record(&stopped_record(&job), Timestamp::UNIX_EPOCH).unwrap();
    let forged = "UPDATE record SET json = replace(json, '\"outcome\":\"not-sanitized\"', '\"outcome\":\"clear\"')";
    Connection::open(&path).unwrap().execute(forged, []).unwrap();
    assert!(matches!(ledger.record(&job), Err(PastError::Altered(_))));
    let line = &ledger.find("", None, 9).unwrap()[0];
    assert!(line.standing.word() == "not to be believed" && line.standing.record().is_none());
}

#[test]
fn a_file_that_is_no_ledger_and_one_of_the_future_are_refused_unharmed() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("ledger.sqlite3");
    std::fs::write(&path, b"not a database, but long enough to be looked at as one by its first bytes").unwrap();
    assert!(Ledger::open(&path).unwrap_err().to_string().contains("is damaged"));
    assert!(std::fs::read(&path).unwrap().starts_with(b"not a database"));
    let newer = dir.path().join("newer.sqlite3");
    Connection::open(&newer).unwrap().pragma_update(None, "user_version", 99).unwrap();
    assert!(matches!(Ledger::open(&newer), Err(PastError::TooNew { found: 99, .. })));
}

#[test]
fn many_workers_write_at_once() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("ledger.sqlite3");
    std::thread::scope(|scope| {
        for worker in 0..6u8 {
            let path = &path;
            scope.spawn(move || {
                let ledger = Ledger::open(path).unwrap();
                let job = JobId::new("261123", [worker, 0, 0, worker]);
                ledger.begin(&job, &drive(), Timestamp::UNIX_EPOCH).unwrap();
                (0..20).for_each(|_| ledger.tell(&job, &Event::Held { celsius: None }, Timestamp::UNIX_EPOCH).unwrap());
            });
        }
    });
    assert_eq!(Ledger::open(&path).unwrap().find("", None, 99).unwrap().len(), 6);
}

#[test]
fn a_job_ends_with_its_record_or_stays_able_to_make_it_again() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("ledger.sqlite3");
    let ledger = Ledger::open(&path).unwrap();
    let job = begun(&ledger, "261123-CCCCCC", &drive());
    Connection::open(&path).unwrap().execute("ALTER TABLE record RENAME TO away", []).unwrap();
    assert!(ledger.finish(&record_of(&job, Ended::Finished), Timestamp::UNIX_EPOCH).is_err());
    assert!(ledger.unfinished_job(&job).unwrap().is_some(), "the only proof is still there");
    Connection::open(&path).unwrap().execute("ALTER TABLE away RENAME TO record", []).unwrap();
    ledger.finish(&record_of(&job, Ended::Refused { error: "short of memory".into() }), Timestamp::UNIX_EPOCH).unwrap();
    assert!(ledger.unfinished_job(&job).unwrap().is_some(), "what is not finished can go on");
    ledger.finish(&record_of(&job, Ended::Finished), Timestamp::UNIX_EPOCH).unwrap();
    assert!(ledger.unfinished_job(&job).unwrap().is_none());
    let seed = "07".repeat(16);
    let files = std::fs::read_dir(dir.path()).unwrap().flatten();
    for file in files {
        let bytes = std::fs::read(file.path()).unwrap();
        assert!(!String::from_utf8_lossy(&bytes).contains(&seed), "a seed is left in {:?}", file.path());
    }
}

#[test]
fn drives_that_nothing_names_keep_their_own_checkpoints() {
    let dir = tempfile::tempdir().unwrap();
    let ledger = Ledger::open(&dir.path().join("ledger.sqlite3")).unwrap();
    let nameless = |path: &str| {
        let mut d = Drive { path: path.into(), ..drive() };
        d.unit.serial = None;
        d
    };
    let (a, b) = (nameless("/dev/sdx"), nameless("/dev/sdy"));
    let first = begun(&ledger, "261123-DDDDD1", &a);
    let second = begun(&ledger, "261123-DDDDD2", &b);
    assert_eq!(ledger.unfinished_on(&a).unwrap().unwrap().job, first);
    assert_eq!(ledger.unfinished_on(&b).unwrap().unwrap().job, second);
    let third = begun(&ledger, "261123-DDDDD3", &a);
    assert_eq!(ledger.unfinished_on(&a).unwrap().unwrap().job, third, "a new job on the same drive takes the place");
    assert!(matches!(ledger.keep(&first, &checkpoint(&a), Timestamp::UNIX_EPOCH), Err(PastError::NoPlace { .. })));
}

#[test]
fn checkpoints_that_cannot_be_read_any_more_are_wiped() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("ledger.sqlite3");
    let ledger = Ledger::open(&path).unwrap();
    begun(&ledger, "261123-EEEEE1", &drive());
    let old = "UPDATE unfinished SET checkpoint = replace(checkpoint, 'jurex-checkpoint/3', 'jurex-checkpoint/1')";
    Connection::open(&path).unwrap().execute(old, []).unwrap();
    let mut other = drive();
    other.unit.serial = Some("FM20K7Q41X".into());
    begun(&ledger, "261123-EEEEE2", &other);
    let left: i64 = ledger.connection.query_row("SELECT count(*) FROM unfinished", [], |r| r.get(0)).unwrap();
    assert_eq!(left, 1);
}

#[test]
fn the_ledger_is_for_its_owner_alone_and_can_be_read_where_nothing_may_be_written() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("own/ledger.sqlite3");
    let job: JobId = "261123-FFFFFF".parse().unwrap();
    {
        let ledger = Ledger::open(&path).unwrap();
        ledger.begin(&job, &drive(), Timestamp::UNIX_EPOCH).unwrap();
        ledger.add_record(&stopped_record(&job), Timestamp::UNIX_EPOCH).unwrap();
    }
    let mode = |p: &Path| std::fs::metadata(p).unwrap().permissions().mode() & 0o777;
    assert_eq!((mode(&path), mode(path.parent().unwrap())), (0o600, 0o700));
    std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o400)).unwrap();
    std::fs::set_permissions(path.parent().unwrap(), std::fs::Permissions::from_mode(0o500)).unwrap();
    let read = Ledger::open_to_read(&path).and_then(|l| l.record(&job));
    std::fs::set_permissions(path.parent().unwrap(), std::fs::Permissions::from_mode(0o700)).unwrap();
    assert_eq!(read.unwrap().job, job);
    assert!(Ledger::open_to_read(&dir.path().join("none.sqlite3")).is_err(), "a question makes no ledger");
    assert!(!dir.path().join("none.sqlite3").exists());
}

/// A record that earned something, of that lot, with that draw.
fn drawn_record(job: &JobId, lot: &str, look: Option<SecondLook>) -> Record {
    let papers = Papers { lot: lot.into(), ..Papers::default() };
    let mut record = record_of(job, Ended::Finished).with_papers(papers);
    record.second_look = look;
    record
}

#[test]
fn a_lots_draws_are_counted_by_its_newest_records_and_known_until_they_are_confirmed() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("ledger.sqlite3");
    let ledger = Ledger::open(&path).unwrap();
    let due = || SecondLook::draw([1; 16], 100, 0, 0);
    let not_due = || SecondLook::draw([1; 16], 20, 1, 1);
    let add = |name: &str, lot: &str, look: Option<SecondLook>| {
        let job: JobId = name.parse().unwrap();
        let _ = ledger.begin(&job, &drive(), Timestamp::UNIX_EPOCH);
        ledger.add_record(&drawn_record(&job, lot, look), Timestamp::UNIX_EPOCH).unwrap();
        job
    };
    let first = add("261123-GGGGG1", "BW-0417", Some(due()));
    add("261123-GGGGG2", "BW-0417", Some(not_due()));
    add("261123-GGGGG3", "BW-0417", None);
    add("261123-GGGGG4", "", Some(due()));
    // A later record of the same job counts in place of the first.
    add("261123-GGGGG2", "BW-0417", Some(due()));
    assert_eq!((ledger.drawn_of_lot("BW-0417").unwrap(), ledger.drawn_of_lot("").unwrap()), ((2, 2), (1, 1)));
    assert_eq!(ledger.drawn_of_lot("BW-0418").unwrap(), (0, 0));
    let names = |lot| ledger.drawn(lot).unwrap().iter().map(|d| d.record.job.to_string()).collect::<Vec<_>>();
    assert_eq!(names(Some("BW-0417")), ["261123-GGGGG1", "261123-GGGGG2"]);
    assert_eq!(names(None).len(), 3);
    // A record that somebody has altered is not believed, and hides no other.
    let spoiled = "UPDATE record SET json = replace(json, 'not-sanitized', 'purge') WHERE job = '261123-GGGGG2'";
    Connection::open(&path).unwrap().execute(spoiled, []).unwrap();
    assert_eq!(names(Some("BW-0417")), [first.to_string()]);
}

#[test]
fn a_ledger_of_an_earlier_version_is_taken_along_with_all_that_is_in_it() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("ledger.sqlite3");
    let job: JobId = "261123-HHHHHH".parse().unwrap();
    {
        let old = Connection::open(&path).unwrap();
        MIGRATIONS[..2].iter().for_each(|step| old.execute_batch(step).unwrap());
        old.pragma_update(None, "user_version", 2).unwrap();
        let row = params![job.as_str(), "Meridian", Timestamp::UNIX_EPOCH.to_string()];
        old.execute("INSERT INTO job (name, drive, started) VALUES (?1, ?2, ?3)", row).unwrap();
        let row = params![job.as_str(), Timestamp::UNIX_EPOCH.to_string(), stopped_record(&job).to_json()];
        old.execute("INSERT INTO record (job, made, json) VALUES (?1, ?2, ?3)", row).unwrap();
    }
    let ledger = Ledger::open(&path).unwrap();
    assert_eq!(ledger.record(&job).unwrap(), stopped_record(&job));
    assert!(ledger.drawn(None).unwrap().is_empty());
    let checked = ledger.check_chain(&[]).unwrap();
    assert_eq!((checked.leaves, checked.wrong), (2, vec![]), "what was there is in the tree now");
    let contents = Contents { note: Some("looked at".into()), ..Contents::default() };
    let other = begun(&ledger, "261123-HHHHH2", &drive());
    ledger.keep_contents(&other, &contents).unwrap();
    assert_eq!(ledger.unfinished_job(&other).unwrap().unwrap().before, contents);
}

/// The demonstration's ledger as the version before the index of beginnings wrote it: every job, record and entry stays.
#[test]
fn a_ledger_of_format_8_stays_as_it_was_written() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("ledger.sqlite3");
    let packed = include_bytes!("../tests/ledgers/8.sqlite3.gz");
    std::io::copy(&mut flate2::read::GzDecoder::new(&packed[..]), &mut std::fs::File::create(&path).unwrap()).unwrap();
    let read = |ledger: &Ledger| {
        let all = ledger.find("", None, 99).unwrap();
        let recorded = all.iter().filter(|l| l.standing.record().is_some()).count();
        let checked = ledger.check_chain(&[]).unwrap();
        (all.len(), recorded, checked.leaves, checked.wrong, ledger.lots(false).unwrap().len(), ledger.head().unwrap())
    };
    let before = read(&Ledger::open_to_read(&path).unwrap());
    assert_eq!((before.0, before.1, &before.3, before.4), (9, 9, &vec![], 0));
    let ledger = Ledger::open(&path).unwrap();
    assert_eq!(read(&ledger), before);
    assert_eq!((ledger.format, ledger.find("date:2026-11..2026-11", None, 99).unwrap().len()), (format::KNOWN, 9));
}

/// A ledger with three jobs, their events and records, and the heads after each record.
fn filled(path: &Path) -> Vec<TreeHead> {
    let ledger = Ledger::open(path).unwrap();
    let mut heads = vec![];
    for n in 1..=3 {
        let job: JobId = format!("261123-JJJJJ{n}").parse().unwrap();
        ledger.begin(&job, &drive(), Timestamp::UNIX_EPOCH).unwrap();
        for event in [Event::Held { celsius: None }, Event::WentOn] {
            ledger.tell(&job, &event, Timestamp::UNIX_EPOCH).unwrap();
        }
        ledger.finish(&record_of(&job, Ended::Finished), Timestamp::UNIX_EPOCH).unwrap();
        let head = ledger.head().unwrap();
        ledger.keep_head(&head, "a note").unwrap();
        heads.push(head);
    }
    heads
}

#[test]
fn whatever_is_done_to_a_ledger_behind_its_back_is_found_and_named() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("ledger.sqlite3");
    let heads = filled(&path);
    let good = Ledger::open(&path).unwrap().check_chain(&heads).unwrap();
    assert_eq!((good.leaves, good.wrong), (6, vec![]));
    Ledger::open(&path).unwrap().cut_log();
    // Each by itself, on a copy: what is done, and a word of what is said.
    let cases = [
        ("UPDATE record SET json = replace(json, 'K7Q41M', 'K7Q41N') WHERE number = 2", "has been altered"),
        ("UPDATE record SET json = replace(json, '\"retries\":2', '\"retries\":3') WHERE number = 1", "has been altered"),
        ("UPDATE record SET json = json || ' ' WHERE number = 3", "has been altered"),
        ("UPDATE record SET made = '2026-01-01T00:00:00Z' WHERE number = 1", "says now: at 2026-01-01"),
        ("DELETE FROM record WHERE number = 2", "is gone"),
        ("INSERT INTO record (job, made, json) SELECT job, made, json FROM record WHERE number = 1", "put in by other means"),
        ("UPDATE record SET job = '261123-JJJJJ1' WHERE number = 2", "is gone"),
        ("UPDATE job SET serial = 'FM20K7Q41N' WHERE name = '261123-JJJJJ2'", "says now"),
        ("UPDATE job SET started = '2020-01-01T00:00:00Z' WHERE name = '261123-JJJJJ1'", "says now"),
        ("INSERT INTO job SELECT '261123-KKKKKK', drive, serial, started FROM job LIMIT 1", "put in by other means"),
        ("DELETE FROM event WHERE job = '261123-JJJJJ3' AND number = 1", "some are gone"),
        ("UPDATE event SET json = '{}' WHERE job = '261123-JJJJJ1' AND number = 2", "some are gone or were changed"),
        ("UPDATE event SET time = '2020-01-01T00:00:00Z' WHERE number = 1", "some are gone or were changed"),
        ("DELETE FROM leaf WHERE number = 5", "the last ones are gone"),
        ("DELETE FROM leaf WHERE number = 2", "Entry 2 is missing"),
        ("UPDATE leaf SET json = replace(json, 'UPPER', 'x') || ' ' WHERE number = 0", "changed"),
        ("UPDATE frontier SET size = 5", "What is kept of the tree"),
        ("UPDATE record SET leaf = 1 WHERE number = 2", "names another entry than its own"),
        ("UPDATE record SET leaf = NULL WHERE number = 2", "names another entry than its own"),
        ("INSERT INTO event VALUES ('261123-JJJJJ2', 3, '2020-01-01T00:00:00Z', '{}')", "1 event more than any entry tells of"),
        ("CREATE TRIGGER t AFTER INSERT ON record BEGIN DELETE FROM event; END", "a trigger called t, of record"),
        ("CREATE TABLE more (x)", "a table called more"),
        ("CREATE VIEW v AS SELECT * FROM record", "a view called v"),
        ("DROP INDEX entry_of_serial", "index entry_of_serial of the file is gone"),
        ("UPDATE node SET hash = zeroblob(32) WHERE level = 1 AND place = 1", "above entry 3"),
        ("DELETE FROM entry WHERE number = 2", "not found by what stands"),
        ("UPDATE entry SET serial = 'OTHER' WHERE number = 1", "not found by what stands"),
        ("UPDATE entry SET lot = 'BW-0418' WHERE number = 3", "not found by what stands"),
        ("DELETE FROM finder WHERE rowid = 3", "261123-JJJJJ3 is not found by"),
        (
            "UPDATE leaf SET number = 99 WHERE number = 1; UPDATE leaf SET number = 1 WHERE number = 2; UPDATE leaf SET number = 2 WHERE number = 99",
            "another order",
        ),
        (
            "DELETE FROM leaf WHERE number >= 4; DELETE FROM record WHERE number = 3; DELETE FROM event WHERE job = '261123-JJJJJ3'; DELETE FROM job WHERE name = '261123-JJJJJ3'",
            "an earlier copy",
        ),
    ];
    for (change, said) in cases {
        let copy = dir.path().join("copy.sqlite3");
        std::fs::copy(&path, &copy).unwrap();
        let connection = Connection::open(&copy).unwrap();
        connection.pragma_update(None, "foreign_keys", false).unwrap();
        connection.execute_batch(change).unwrap();
        drop(connection);
        let found = Ledger::open(&copy).unwrap().check_chain(&heads).unwrap();
        assert!(found.wrong.iter().any(|s| s.contains(said)), "{change}: {:?}", found.wrong);
        ["", "-wal", "-shm"].iter().for_each(|end| drop(std::fs::remove_file(dir.path().join(format!("copy.sqlite3{end}")))));
    }
    // A file copy from before is a ledger in itself: only a head that was kept elsewhere shows it.
    let early = dir.path().join("early.sqlite3");
    let first = filled_once(&early);
    let alone = Ledger::open(&early).unwrap();
    assert!(alone.check_chain(&[first]).unwrap().wrong.is_empty());
    assert!(alone.check_chain(&heads[2..]).unwrap().wrong[0].contains("an earlier copy of the file"));
}

/// Events that no record covers: of a job that was cut off, and those that were noted after a record.
#[test]
fn events_without_a_record_and_after_one_are_covered_by_the_next_head_and_so_is_what_a_job_would_go_on_with() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("ledger.sqlite3");
    filled_once(&path);
    let ledger = Ledger::open(&path).unwrap();
    let cut_off = begun(&ledger, "261123-MMMMMM", &drive());
    ledger.tell(&cut_off, &Event::Held { celsius: None }, Timestamp::UNIX_EPOCH).unwrap();
    ledger.tell(&"261123-JJJJJ1".parse().unwrap(), &Event::WentOn, Timestamp::UNIX_EPOCH).unwrap();
    let before = ledger.check_chain(&[]).unwrap();
    assert_eq!((before.wrong, before.uncovered), (vec![], 2), "they wait for the next head, and that is said");
    ledger.cover_events(Timestamp::UNIX_EPOCH).unwrap();
    let size = ledger.head().unwrap().size;
    ledger.cover_events(Timestamp::UNIX_EPOCH).unwrap();
    assert_eq!(ledger.head().unwrap().size, size, "nothing new, no entry");
    let covered = ledger.check_chain(&[]).unwrap();
    assert_eq!((covered.wrong, covered.uncovered), (vec![], 0));
    ledger.cut_log();
    for (change, said) in [
        ("UPDATE event SET json = '{}' WHERE job = '261123-MMMMMM'", "of job 261123-MMMMMM that were there at 1970"),
        ("DELETE FROM event WHERE job = '261123-JJJJJ1' AND json LIKE '%went-on%'", "job 261123-JJJJJ1 that were there at 1970"),
        ("UPDATE unfinished SET papers = replace(papers, '{', '{ ')", "What job 261123-MMMMMM would resume with"),
        ("UPDATE unfinished SET before = '{}'", "What job 261123-MMMMMM would resume with"),
        ("UPDATE job SET serial = 'OTHER' WHERE name = '261123-MMMMMM'", "of another drive than the one that it began on"),
    ] {
        let copy = dir.path().join("copy.sqlite3");
        std::fs::copy(&path, &copy).unwrap();
        Connection::open(&copy).unwrap().execute_batch(change).unwrap();
        let found = Ledger::open(&copy).unwrap().check_chain(&[]).unwrap();
        assert!(found.wrong.iter().any(|s| s.contains(said)), "{change}: {:?}", found.wrong);
        ["", "-wal", "-shm"].iter().for_each(|end| drop(std::fs::remove_file(dir.path().join(format!("copy.sqlite3{end}")))));
    }
}

/// A ledger with one job, and its head.
fn filled_once(path: &Path) -> TreeHead {
    let ledger = Ledger::open(path).unwrap();
    let job: JobId = "261123-JJJJJ1".parse().unwrap();
    ledger.begin(&job, &drive(), Timestamp::UNIX_EPOCH).unwrap();
    ledger.finish(&record_of(&job, Ended::Finished), Timestamp::UNIX_EPOCH).unwrap();
    ledger.head().unwrap()
}

#[test]
fn a_record_that_was_put_under_another_jobs_name_is_not_read_as_that_jobs() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("ledger.sqlite3");
    filled(&path);
    let swapped = "UPDATE record SET json = (SELECT json FROM record WHERE number = 1) WHERE number = 2";
    Connection::open(&path).unwrap().execute(swapped, []).unwrap();
    let said = Ledger::open(&path).unwrap().record(&"261123-JJJJJ2".parse().unwrap()).unwrap_err().to_string();
    assert!(said.contains("is not the one that was written"), "{said}");
    // With its leaf put there too the record itself still says whose it is.
    let swapped = "UPDATE record SET leaf = (SELECT leaf FROM record WHERE number = 1) WHERE number = 2";
    Connection::open(&path).unwrap().execute(swapped, []).unwrap();
    assert!(Ledger::open(&path).unwrap().record(&"261123-JJJJJ2".parse().unwrap()).is_err());
}

#[test]
fn many_writers_at_once_make_one_tree() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("ledger.sqlite3");
    drop(Ledger::open(&path).unwrap());
    std::thread::scope(|scope| {
        for writer in 0..6u8 {
            let path = &path;
            scope.spawn(move || {
                let ledger = Ledger::open(path).unwrap();
                for n in 0..8 {
                    let letter = char::from(b'A' + writer);
                    let job: JobId = format!("261123-LLLL{letter}{n}").parse().unwrap();
                    ledger.begin(&job, &drive(), Timestamp::UNIX_EPOCH).unwrap();
                    ledger.finish(&record_of(&job, Ended::Finished), Timestamp::UNIX_EPOCH).unwrap();
                    let head = ledger.head().unwrap();
                    ledger.keep_head(&head, "a note").unwrap();
                }
            });
        }
    });
    let ledger = Ledger::open(&path).unwrap();
    let heads: Vec<TreeHead> = ledger.heads().unwrap().into_iter().map(|k| k.head).collect();
    let checked = ledger.check_chain(&heads).unwrap();
    assert_eq!((checked.leaves, checked.wrong), (96, vec![]));
    assert!(
        heads.len() > 10
            && matches!(
                ledger.begin(&"261123-LLLLA0".parse().unwrap(), &drive(), Timestamp::UNIX_EPOCH),
                Err(PastError::Exists(_))
            )
    );
    assert_eq!(ledger.head().unwrap().size, 96, "what is refused leaves no entry");
}

#[test]
fn a_copy_has_all_entries_and_no_seed() {
    let dir = tempfile::tempdir().unwrap();
    let (path, copy) = (dir.path().join("ledger.sqlite3"), dir.path().join("copies/ledger.sqlite3"));
    let heads = filled(&path);
    let ledger = Ledger::open(&path).unwrap();
    let job = begun(&ledger, "261123-MMMMMM", &drive());
    assert!(ledger.backup(&copy).is_err(), "a folder that is not there is not made");
    std::fs::create_dir(dir.path().join("copies")).unwrap();
    ledger.backup(&copy).unwrap();
    assert!(ledger.backup(&copy).is_err() && ledger.unfinished_job(&job).unwrap().is_some());
    let left: Vec<_> = std::fs::read_dir(dir.path().join("copies")).unwrap().flatten().map(|f| f.file_name()).collect();
    assert_eq!(left, ["ledger.sqlite3"], "nothing else is left there");
    let bytes = std::fs::read(&copy).unwrap();
    assert!(!String::from_utf8_lossy(&bytes).contains(&"07".repeat(16)), "no seed is in the copy");
    let copied = Ledger::open(&copy).unwrap();
    assert!(copied.check_chain(&heads).unwrap().wrong.is_empty() && copied.unfinished().unwrap().is_empty());
    assert_eq!(copied.find("", None, 99).unwrap(), ledger.find("", None, 99).unwrap());
}

fn ranges_go_on_page_by_page_and_by_their_index(ledger: &Ledger) {
    let page = ledger.find("date:2026", None, 4).unwrap();
    let next = ledger.find("date:2026", page.last().map(|l| l.number), 4).unwrap();
    assert_eq!((page.len(), next.iter().map(|l| l.number).collect::<Vec<_>>()), (4, vec![2, 1]), "a range goes on page by page");
    for before in [None, Some(3)] {
        let plan = format!("EXPLAIN QUERY PLAN {}", crate::index::by_dates(before));
        let steps: Vec<String> = (ledger.connection.prepare(&plan).unwrap())
            .query_map(params![before, 9, "2026", "2027"], |row| row.get("detail"))
            .unwrap()
            .collect::<Result<_, _>>()
            .unwrap();
        let goes_by_dates = steps.iter().any(|s| s.contains("entry_of_start")) && !steps.iter().any(|s| s.contains("B-TREE"));
        assert!(goes_by_dates, "an old range is found without going through what came after it: {steps:?}");
    }
}

/// Everything that stands in a record, typed as somebody would; each finds the jobs it should, newest first, and no other.
#[test]
fn jobs_are_found_by_what_is_typed() {
    let dir = tempfile::tempdir().unwrap();
    let ledger = Ledger::open(&dir.path().join("ledger.sqlite3")).unwrap();
    for n in 1..=6u32 {
        let job: JobId = format!("261123-NNNNN{n}").parse().unwrap();
        let mut drive = drive();
        drive.unit.serial = Some(format!("FM-{n}00K7Q41{n}"));
        let day: Timestamp = format!("2026-11-0{n}T10:00:00Z").parse().unwrap();
        ledger.begin(&job, &drive, day).unwrap();
        if n == 6 {
            continue;
        }
        let papers = Papers {
            lot: if n % 2 == 1 { "BW-0417".into() } else { "BW-0418 \"x\" OR".into() },
            property_number: format!("P{n}"),
            technician: jurex_sanitize::record::Person { name: "Ines Okafor-Lindqvist".into(), ..Default::default() },
            ..Papers::default()
        };
        ledger.add_record(&stopped_record(&job).with_papers(papers), day).unwrap();
    }
    let found = |typed: &str| -> String {
        let lines = ledger.find(typed, None, 99).unwrap();
        lines.iter().map(|l| l.job.as_str().chars().last().unwrap()).collect()
    };
    for (typed, jobs) in [
        ("", "654321"),
        ("  ", "654321"),
        ("bw-0417", "531"),
        ("BW-0417 okafor", "531"),
        ("lot:bw-0418", "42"),
        ("drive:bw-0418", ""),
        ("k7q412", "2"),
        ("serial:300K7", "3"),
        ("2026-11-04", "4"),
        ("date:2026-11 not sanitized", "54321"),
        ("no record", "6"),
        ("outcome:clear", ""),
        ("p3", "3"),
        ("o", "54321"),
        ("or", "42"),
        ("p", "54321"),
        ("in lindqvist", "54321"),
        ("\"x\"", "42"),
        ("\" OR *", ""),
        ("nnnnn1", "1"),
        ("(", ""),
        ("lot:", "654321"),
        ("\u{1}\u{7}", "654321"),
        ("date:2026-11-02..2026-11-04", "432"),
        ("date:2026-11-05..", "65"),
        ("date:..2026-11-02", "21"),
        ("date:2026..2026", "654321"),
        ("date:2026-10..2026-11 bw-0417", "531"),
        ("DATE:2026-11-02.. date:..2026-11-03", "32"),
        ("date:2027..", ""),
        ("date:2026-11-04..2026-11-02", ""),
        // No range: a word like others, which nothing holds.
        ("date:..", ""),
        ("date:yesterday..2026", ""),
        ("date:2026-1..2026-2", ""),
    ] {
        assert_eq!(found(typed), jobs, "{typed}");
    }
    ranges_go_on_page_by_page_and_by_their_index(&ledger);
    let page = ledger.find("bw", None, 2).unwrap();
    assert_eq!(ledger.find("bw", Some(page[1].number), 9).unwrap().len(), 3, "the rest of five");
    // With new papers it is found by these, and not by the old ones.
    let job: JobId = "261123-NNNNN1".parse().unwrap();
    let moved = ledger.record(&job).unwrap().with_papers(Papers { lot: "BW-0500".into(), ..Papers::default() });
    ledger.add_record(&moved, Timestamp::UNIX_EPOCH).unwrap();
    assert_eq!((found("bw-0417").as_str(), found("bw-0500").as_str()), ("53", "1"));
    assert_eq!(ledger.of_lot("BW-0417").unwrap().len(), 2);
    assert_eq!(ledger.of_serial("fm-400k7q414").unwrap()[0].job.as_str(), "261123-NNNNN4");
    assert_eq!(ledger.check_chain(&[]).unwrap().wrong, Vec::<String>::new());
}

#[test]
fn a_record_is_proved_to_stand_in_the_ledger_by_any_later_head_and_no_other_record_is() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("ledger.sqlite3");
    let ledger = Ledger::open(&path).unwrap();
    let job = |n: u32| -> JobId { format!("261123-PPPPP{n}").parse().unwrap() };
    for n in 1..=5 {
        ledger.begin(&job(n), &drive(), Timestamp::UNIX_EPOCH).unwrap();
        ledger.finish(&record_of(&job(n), Ended::Finished), Timestamp::UNIX_EPOCH).unwrap();
        assert_eq!(ledger.inclusion(&job(n)).unwrap(), None, "no head is signed since");
        let head = ledger.head().unwrap();
        ledger.keep_head(&head, &format!("head of {n}\n")).unwrap();
    }
    let head = ledger.head().unwrap();
    for n in 1..=5 {
        let proof = ledger.inclusion(&job(n)).unwrap().unwrap();
        let digest = ledger.record(&job(n)).unwrap().digest();
        assert_eq!((proof.check(job(n).as_str(), &digest, &head), proof.note.as_str()), (Ok(()), "head of 5\n"));
        assert_eq!(Inclusion::parse(&proof.to_text()), Ok(proof.clone()));
        assert_eq!(proof.check("261123-PPPPP9", &digest, &head), Err(BadProof::OtherRecord));
        assert_eq!(proof.check(job(n).as_str(), &"0".repeat(64), &head), Err(BadProof::OtherRecord));
        let text = proof.to_text();
        for at in 0..text.len() {
            let mut bytes = text.clone().into_bytes();
            bytes[at] ^= 1;
            let Ok(altered) = String::from_utf8(bytes) else { continue };
            let still = Inclusion::parse(&altered)
                .is_ok_and(|p| p.check(job(n).as_str(), &digest, &head).is_ok() && p.note == proof.note);
            assert!(!still, "byte {at}: {altered}");
        }
    }
    // Of a tree that was touched nothing is proved.
    Connection::open(&path).unwrap().execute("UPDATE node SET hash = zeroblob(32) WHERE level = 1", []).unwrap();
    assert_eq!(ledger.inclusion(&job(1)).unwrap(), None);
}

#[test]
fn a_lots_list_is_kept_and_changes_behind_its_back_are_found() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("ledger.sqlite3");
    let ledger = Ledger::open(&path).unwrap();
    let mut lot = Lot::new("BW-0417", Timestamp::UNIX_EPOCH).unwrap();
    ledger.keep_lot(&lot, "opened", Timestamp::UNIX_EPOCH).unwrap();
    lot.add(jurex_disposition::lot::LotList::from_csv("serial\nA1\nA2\n").unwrap()).unwrap();
    ledger.keep_lot(&lot, "2 drives are expected", Timestamp::UNIX_EPOCH).unwrap();
    let closed = Lot { closed: Some(Timestamp::UNIX_EPOCH), ..Lot::new("BW-0416", Timestamp::UNIX_EPOCH).unwrap() };
    ledger.keep_lot(&closed, "closed", Timestamp::UNIX_EPOCH).unwrap();
    assert_eq!((ledger.lot("BW-0417").unwrap(), ledger.lot("other").unwrap()), (Some(lot.clone()), None));
    assert_eq!((ledger.lots(true).unwrap().len(), ledger.lots(false).unwrap().len()), (1, 2));
    assert_eq!(ledger.check_chain(&[]).unwrap().wrong, Vec::<String>::new());
    // Jobs on its drives count from its opening on, whatever lot they were done for, and before they have a record.
    let mut expected = drive();
    expected.unit.serial = Some("a1".into());
    for (n, day) in [(1, -5), (2, 5), (3, 6)] {
        let job: JobId = format!("261123-TTTTT{n}").parse().unwrap();
        ledger.begin(&job, &expected, Timestamp::from_second(day * 86_400).unwrap()).unwrap();
        if n < 3 {
            ledger.finish(&record_of(&job, Ended::Finished), Timestamp::UNIX_EPOCH).unwrap();
        }
    }
    let now = ledger.lot_now(lot.clone()).unwrap();
    let names: Vec<&str> = now.jobs.iter().map(|(job, ..)| job.as_str()).collect();
    assert_eq!(names, ["261123-TTTTT2", "261123-TTTTT3"]);
    assert_eq!(now.items(&[])[0].stand, jurex_disposition::lot::LotStatus::Begun);
    for (change, said) in [
        ("UPDATE lot SET json = replace(json, 'A2', 'A3') WHERE name = 'BW-0417'", "list of lot BW-0417 is not as"),
        ("DELETE FROM lot WHERE name = 'BW-0417'", "Lot BW-0417 is gone"),
        ("INSERT INTO lot SELECT 'X', open, json FROM lot LIMIT 1", "Lot X was put in"),
        ("UPDATE lot SET open = 1 WHERE name = 'BW-0416'", "Lot BW-0416 is listed as open or closed"),
    ] {
        let other = Connection::open(&path).unwrap();
        other.execute_batch(&format!("BEGIN; {change}; COMMIT")).unwrap();
        let wrong = ledger.check_chain(&[]).unwrap().wrong;
        assert!(wrong.iter().any(|w| w.contains(said)), "{change}: {wrong:?}");
    }
}

#[test]
fn a_copy_that_is_put_back_says_so_and_what_it_lacks_is_found_by_the_head_that_was_kept() {
    let dir = tempfile::tempdir().unwrap();
    let (path, copy) = (dir.path().join("ledger.sqlite3"), dir.path().join("copy.sqlite3"));
    let heads = filled(&path);
    Ledger::open(&path).unwrap().backup(&copy).unwrap();
    let later: JobId = "261123-QQQQQQ".parse().unwrap();
    let ledger = Ledger::open(&path).unwrap();
    ledger.begin(&later, &drive(), Timestamp::UNIX_EPOCH).unwrap();
    ledger.finish(&record_of(&later, Ended::Finished), Timestamp::UNIX_EPOCH).unwrap();
    let newest = ledger.head().unwrap();
    drop(ledger);
    let aside = Ledger::restore(&copy, &path, Timestamp::UNIX_EPOCH).unwrap().unwrap();
    let back = Ledger::open(&path).unwrap();
    assert_eq!(back.check_chain(&heads).unwrap().wrong, Vec::<String>::new());
    assert!(matches!(back.record(&later), Err(PastError::NoJob { .. })));
    let wrong = back.check_chain(std::slice::from_ref(&newest)).unwrap().wrong;
    assert!(wrong[0].contains("an earlier copy"), "{wrong:?}");
    let root = jurex_pattern::text::hex::encode(&newest.root);
    assert!(
        matches!(&back.noted().unwrap()[..], [Leaf::Noted { about: NotedSubject::Restored, said, digest: Some(of), .. }] if said.contains("had 8 entries") && *of == root)
    );
    assert!(Ledger::open(&aside).unwrap().record(&later).is_ok(), "what was replaced is kept");
    let mode = std::fs::metadata(&path).unwrap().permissions().mode();
    assert_eq!(mode & 0o777, 0o600);
    // A copy that somebody has changed is not taken.
    Connection::open(&copy).unwrap().execute("DELETE FROM record WHERE number = 1", []).unwrap();
    assert!(matches!(Ledger::restore(&copy, &path, Timestamp::UNIX_EPOCH), Err(PastError::CopyTouched { .. })));
    std::fs::write(&copy, "no ledger at all, but long enough to be looked at as one by whoever reads it").unwrap();
    assert!(
        Ledger::restore(&copy, &path, Timestamp::UNIX_EPOCH).is_err() && back.record(&"261123-JJJJJ1".parse().unwrap()).is_ok()
    );
}

#[test]
fn over_a_network_the_journal_is_one_that_needs_no_shared_memory() {
    assert_eq!(
        (journal_for(Some(0x6969)), journal_for(Some(0xff53_4d42)), journal_for(Some(0x6573_5546))),
        ("delete", "delete", "delete")
    );
    // ext4, XFS, Btrfs, memory, and one that says nothing.
    assert!(
        [Some(0xef53), Some(0x5846_5342), Some(0x9123_683e), Some(0x0102_1994), None]
            .into_iter()
            .all(|kind| journal_for(kind) == "wal")
    );
    // With that journal everything works the same.
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("ledger.sqlite3");
    filled(&path);
    Connection::open(&path).unwrap().query_row("PRAGMA journal_mode = delete", [], |_| Ok(())).unwrap();
    let alone = Ledger { connection: Connection::open(&path).unwrap(), path: path.clone(), format: format::KNOWN };
    let job: JobId = "261123-RRRRRR".parse().unwrap();
    alone.begin(&job, &drive(), Timestamp::UNIX_EPOCH).unwrap();
    alone.finish(&record_of(&job, Ended::Finished), Timestamp::UNIX_EPOCH).unwrap();
    assert_eq!(alone.check_chain(&[]).unwrap().wrong, Vec::<String>::new());
}

/// What the disk holds when the power goes: the file, and so much of its log.
fn after_a_cut(dir: &Path, file: &[u8], log: &[u8]) -> Ledger {
    let path = dir.join("cut.sqlite3");
    ["", "-wal", "-shm"].iter().for_each(|end| drop(std::fs::remove_file(dir.join(format!("cut.sqlite3{end}")))));
    std::fs::write(&path, file).unwrap();
    std::fs::write(dir.join("cut.sqlite3-wal"), log).unwrap();
    Ledger::open(&path).unwrap()
}

/// All of a ledger holds, and its heads are of its entries. Gives its entries.
fn is_sound(ledger: &Ledger) -> u64 {
    let heads: Vec<TreeHead> = ledger.heads().unwrap().into_iter().map(|k| k.head).collect();
    let checked = ledger.check_chain(&heads).unwrap();
    assert_eq!(checked.wrong, Vec::<String>::new());
    checked.leaves
}

/// The log is cut after every page that was written to it, within pages, and with rubbish in the page that was being written; then the
/// power goes while the log is worked into the file. Whatever is left is an earlier state of the ledger as a whole.
#[test]
fn a_power_cut_between_any_two_writes_leaves_an_earlier_state_as_a_whole() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("ledger.sqlite3");
    let before = filled(&path).last().unwrap().size;
    Ledger::open(&path).unwrap().cut_log();
    // Somebody who reads keeps the log from being worked into the file.
    let reader = Connection::open(&path).unwrap();
    reader.execute_batch("BEGIN").unwrap();
    reader.query_row("SELECT count(*) FROM job", [], |row| row.get::<_, i64>(0)).unwrap();
    let ledger = Ledger::open(&path).unwrap();
    let job = begun(&ledger, "261123-SSSSS1", &drive());
    ledger.tell(&job, &Event::WentOn, Timestamp::UNIX_EPOCH).unwrap();
    ledger.finish(&record_of(&job, Ended::Finished), Timestamp::UNIX_EPOCH).unwrap();
    let head = ledger.head().unwrap();
    ledger.keep_head(&head, "a note").unwrap();
    ledger.keep_lot(&Lot::new("BW-0417", Timestamp::UNIX_EPOCH).unwrap(), "opened", Timestamp::UNIX_EPOCH).unwrap();
    ledger.note(NotedSubject::Export, "1 job exported.", None, Timestamp::UNIX_EPOCH).unwrap();
    let (old, log) = (std::fs::read(&path).unwrap(), std::fs::read(dir.path().join("ledger.sqlite3-wal")).unwrap());
    let last = ledger.head().unwrap().size;
    const PAGE: usize = 4096 + 24;
    let frames = (log.len() - 32) / PAGE;
    assert!(frames > 20 && (log.len() - 32).is_multiple_of(PAGE), "{} bytes", log.len());
    let mut entries = before;
    for frame in 0..=frames {
        let end = 32 + frame * PAGE;
        let torn = [&log[..end], &log[end..(end + 1000).min(log.len())], &[0xa5; 300]].concat();
        let now = is_sound(&after_a_cut(dir.path(), &old, &log[..end]));
        assert!(now >= entries, "what was there stays: {now} entries after {entries}");
        assert_eq!(is_sound(&after_a_cut(dir.path(), &old, &torn)), now, "half a page is none");
        entries = now;
    }
    assert_eq!((entries, is_sound(&after_a_cut(dir.path(), &old, &log[..20]))), (last, before));
    // Some pages of the file are new already, others are old, and one is half of each: the log is whole still.
    drop(reader);
    ledger.cut_log();
    drop(ledger);
    let new = std::fs::read(&path).unwrap();
    for pattern in [0b1u64, 0b1010_1010, 0b1111_0000_1100, 0x5a5a_a5a5_0f0f_f0f0, u64::MAX] {
        let mut mixed = new.clone();
        for (n, page) in mixed.chunks_mut(4096).enumerate() {
            let place = n * 4096;
            if pattern >> (n % 64) & 1 == 1 && place + page.len() <= old.len() {
                page[..2048].copy_from_slice(&old[place..place + 2048]);
                if n % 3 > 0 {
                    page[2048..].copy_from_slice(&old[place + 2048..place + 4096]);
                }
            }
        }
        assert_eq!(is_sound(&after_a_cut(dir.path(), &mixed, &log)), last);
    }
}

/// Every byte of a record's row and of its leaf in turn: none is read as it was, and the check finds each.
#[test]
fn every_flipped_byte_of_a_record_in_the_ledger_is_found_when_it_is_read() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("ledger.sqlite3");
    filled(&path);
    let ledger = Ledger::open(&path).unwrap();
    let other = Connection::open(&path).unwrap();
    other.pragma_update(None, "synchronous", "off").unwrap();
    let job: JobId = "261123-JJJJJ2".parse().unwrap();
    let before = ledger.record(&job).unwrap();
    for (table, of) in [("record", "job = '261123-JJJJJ2'"), ("leaf", "number = 3")] {
        let text: String = other.query_row(&format!("SELECT json FROM {table} WHERE {of}"), [], |row| row.get(0)).unwrap();
        let put = |text: &str| other.execute(&format!("UPDATE {table} SET json = ?1 WHERE {of}"), [text]).unwrap();
        for at in 0..text.len() {
            let mut bytes = text.clone().into_bytes();
            bytes[at] ^= 1;
            let Ok(altered) = String::from_utf8(bytes) else { continue };
            put(&altered);
            // A leaf that still names this record is another leaf all the same: the tree tells that.
            let is_found = ledger.record(&job).is_err() || !ledger.check_chain(&[]).unwrap().wrong.is_empty();
            assert!(is_found, "{table}, byte {at}: {altered}");
        }
        put(&text);
    }
    assert_eq!(ledger.record(&job).unwrap(), before);
}

#[test]
fn settings_are_noted_when_they_change_and_found_again_without_going_through_all_entries() {
    let dir = tempfile::tempdir().unwrap();
    let ledger = Ledger::open(&dir.path().join("ledger.sqlite3")).unwrap();
    let note = |text: &str| ledger.note_settings(text, Timestamp::UNIX_EPOCH).unwrap();
    ["warm at 70", "warm at 70", "warm at 60", "warm at 70"].iter().for_each(|t| note(t));
    ledger.note(NotedSubject::Key, "Key x was made.", None, Timestamp::UNIX_EPOCH).unwrap();
    note("warm at 70");
    let said = |leaf: &Leaf| matches!(leaf, Leaf::Noted { about: NotedSubject::Settings, said, .. } if said.starts_with("warm"));
    let noted = ledger.noted().unwrap();
    assert_eq!((noted.len(), noted.iter().filter(|l| said(l)).count()), (4, 3));
    let plan = format!("EXPLAIN QUERY PLAN SELECT json FROM leaf WHERE {} = 'x' ORDER BY number DESC LIMIT 1", format::ABOUT);
    let how: String = ledger.connection.query_row(&plan, [], |row| row.get(3)).unwrap();
    assert!(how.contains("USING INDEX leaf_about"), "{how}");
}

fn noted(ledger: &Ledger, serial: &str, when: &str, act: jurex_disposition::release::Act) {
    use jurex_disposition::release::{Circumstances, OfDrive, Release};
    let about = Circumstances {
        tool: Tool { name: "Jurex".into(), version: "0".into() },
        made: when.parse().unwrap(),
        by: "Ines".into(),
        drive: OfDrive::by_label(serial, MediaClass::Magnetic),
        job: None,
        lot: String::new(),
        papers: None,
    };
    ledger.keep_release(&Release::new(about, act, Default::default()).unwrap()).unwrap();
}

#[test]
fn what_became_of_drives_is_kept_and_what_is_open_follows_from_it() {
    use jurex_disposition::release::{Act, OpenItem};
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("ledger.sqlite3");
    let ledger = Ledger::open(&path).unwrap();
    let open = |ledger: &Ledger| -> Vec<(OpenItem, u64, Vec<String>)> {
        let all = ledger.open_matters(9).unwrap();
        all.into_iter().map(|(m, n, known)| (m, n, known.into_iter().map(|k| k.name).collect())).collect()
    };
    let job: JobId = "261123-AAAAAA".parse().unwrap();
    ledger.begin(&job, &drive(), Timestamp::UNIX_EPOCH).unwrap();
    assert_eq!(open(&ledger), [(OpenItem::Undecided, 1, vec!["FM20K7Q41M".to_string()])], "a job without an end");
    ledger.add_record(&stopped_record(&job), Timestamp::UNIX_EPOCH).unwrap();
    noted(&ledger, "NEW1", "2026-11-26T10:00:00Z", Act::Received { from: "Skerry Point".into() });
    noted(&ledger, "fm20k7q41m", "2026-11-26T11:00:00Z", Act::SentOut { service: "Gannet".into(), batch: "7".into() });
    let nameless = Drive { unit: Default::default(), ..drive() };
    let other: JobId = "261123-BBBBBB".parse().unwrap();
    ledger.begin(&other, &nameless, Timestamp::UNIX_EPOCH).unwrap();
    let now = open(&ledger);
    assert_eq!(now[0], (OpenItem::Undecided, 1, vec!["(261123-BBBBBB)".to_string()]));
    assert_eq!(now[1], (OpenItem::NeverErased, 1, vec!["NEW1".to_string()]));
    assert_eq!((now[2].0, now[2].1, now[2].2[0].to_uppercase()), (OpenItem::AtService, 1, "FM20K7Q41M".to_string()));
    let known = ledger.known("Fm20k7q41M ").unwrap().unwrap();
    assert_eq!((known.jobs.len(), known.releases.len()), (1, 1));
    assert_eq!(ledger.known_by_job(&job).unwrap().unwrap().releases.len(), 1);
    assert!(ledger.known_by_job(&other).unwrap().unwrap().called().contains("serial not reported"));
    assert_eq!(ledger.serials_like("new", 5).unwrap(), ["NEW1"]);
    noted(&ledger, "NEW1", "2026-11-26T12:00:00Z", Act::HandedOver { to: "the harbour".into() });
    assert_eq!(open(&ledger).len(), 2);
    assert_eq!(ledger.check_chain(&[]).unwrap().wrong, Vec::<String>::new());
    drop(ledger);
    for (tampering, told) in [
        ("UPDATE release SET json = replace(json, 'Skerry', 'Hollow') WHERE number = 1", "has been altered"),
        ("DELETE FROM release WHERE number = 3", "is gone"),
        ("INSERT INTO release SELECT 9, serial, job, made, json FROM release WHERE number = 1", "more than were ever written"),
        ("DELETE FROM matter", "does not follow"),
        ("UPDATE matter SET matter = 'no-end' WHERE name = '(261123-BBBBBB)'", "does not follow"),
    ] {
        let copy = dir.path().join("copy.sqlite3");
        Ledger::open(&path).unwrap().backup(&copy).unwrap();
        Connection::open(&copy).unwrap().execute(tampering, []).unwrap();
        let wrong = Ledger::open(&copy).unwrap().check_chain(&[]).unwrap().wrong.join(" ");
        assert!(wrong.contains(told), "{tampering}: {wrong}");
        std::fs::remove_file(&copy).unwrap();
    }
}
