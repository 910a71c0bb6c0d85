//! The file's format: the steps from one to the next.

/// The newest format.
pub(crate) const KNOWN: i64 = MIGRATIONS.len() as i64;

/// Steps from one format to the next; the file's `user_version` counts those done.
pub(crate) const MIGRATIONS: [&str; 9] = [
    "
    CREATE TABLE job (
        name TEXT PRIMARY KEY,
        drive TEXT NOT NULL,
        serial TEXT,
        started TEXT NOT NULL
    ) STRICT;
    CREATE TABLE event (
        job TEXT NOT NULL REFERENCES job(name),
        number INTEGER NOT NULL,
        time TEXT NOT NULL,
        json TEXT NOT NULL,
        PRIMARY KEY (job, number)
    ) STRICT, WITHOUT ROWID;
    CREATE TABLE record (
        number INTEGER PRIMARY KEY AUTOINCREMENT,
        job TEXT NOT NULL REFERENCES job(name),
        made TEXT NOT NULL,
        json TEXT NOT NULL
    ) STRICT;
    CREATE INDEX record_of_job ON record(job, number);
",
    "
    CREATE TABLE unfinished (
        job TEXT PRIMARY KEY REFERENCES job(name),
        before TEXT NOT NULL,
        papers TEXT NOT NULL,
        kept TEXT,
        checkpoint TEXT
    ) STRICT;
",
    "
    CREATE TABLE verification (
        number INTEGER PRIMARY KEY AUTOINCREMENT,
        job TEXT NOT NULL REFERENCES job(name),
        made TEXT NOT NULL,
        confirmed INTEGER NOT NULL,
        json TEXT NOT NULL
    ) STRICT;
",
    "
    CREATE TABLE leaf (
        number INTEGER PRIMARY KEY,
        json TEXT NOT NULL
    ) STRICT;
    CREATE TABLE frontier (
        size INTEGER NOT NULL,
        peaks BLOB NOT NULL
    ) STRICT;
    INSERT INTO frontier (size, peaks) VALUES (0, x'');
    CREATE TABLE head (
        size INTEGER PRIMARY KEY,
        root TEXT NOT NULL,
        note TEXT
    ) STRICT;
",
    "
    CREATE TABLE node (
        level INTEGER NOT NULL,
        place INTEGER NOT NULL,
        hash BLOB NOT NULL,
        PRIMARY KEY (level, place)
    ) STRICT, WITHOUT ROWID;
    ALTER TABLE record ADD COLUMN leaf INTEGER;
    CREATE TABLE entry (
        number INTEGER PRIMARY KEY AUTOINCREMENT,
        job TEXT NOT NULL UNIQUE REFERENCES job(name),
        started TEXT NOT NULL,
        serial TEXT COLLATE NOCASE,
        lot TEXT NOT NULL,
        drawn INTEGER
    ) STRICT;
    CREATE INDEX entry_of_lot ON entry(lot, number);
    CREATE INDEX entry_of_serial ON entry(serial, number);
    CREATE INDEX entry_drawn ON entry(drawn, number) WHERE drawn = 1;
    CREATE VIRTUAL TABLE finder USING fts5(
        job, drive, serial, lot, property, source, person, outcome, date, beginnings,
        content = '', contentless_delete = 1, tokenize = 'trigram'
    );
    CREATE TABLE lot (
        name TEXT PRIMARY KEY,
        open INTEGER NOT NULL,
        json TEXT NOT NULL
    ) STRICT;
",
    "
    CREATE INDEX leaf_about ON leaf(iif(json_valid(json), json_extract(json, '$.about'), NULL), number);
",
    "
    CREATE TABLE release (
        number INTEGER PRIMARY KEY,
        serial TEXT NOT NULL COLLATE NOCASE,
        job TEXT,
        made TEXT NOT NULL,
        json TEXT NOT NULL
    ) STRICT;
    CREATE INDEX release_of_serial ON release(serial, number);
    CREATE INDEX release_of_job ON release(job, number);
    CREATE TABLE matter (
        name TEXT PRIMARY KEY COLLATE NOCASE,
        matter TEXT NOT NULL,
        since TEXT NOT NULL
    ) STRICT;
    CREATE INDEX matter_of_kind ON matter(matter, since, name);
",
    "
    CREATE TABLE uncovered (
        job TEXT PRIMARY KEY REFERENCES job(name)
    ) STRICT, WITHOUT ROWID;
    INSERT INTO uncovered SELECT job FROM event GROUP BY job HAVING count(*) > coalesce((
        SELECT iif(json_valid(leaf.json), json_extract(leaf.json, '$.events'), 0) FROM record JOIN leaf ON leaf.number = record.leaf
        WHERE record.job = event.job ORDER BY record.number DESC LIMIT 1
    ), 0);
    CREATE INDEX leaf_of_check ON leaf(iif(json_valid(json), json_extract(json, '$.job'), NULL))
        WHERE substr(json, 1, 22) = '{\"kind\":\"verification\"';
",
    "
    CREATE INDEX entry_of_start ON entry(started, number);
",
];

/// What SQL says of the leaves of second checks, and the job that one is about: as its index has them.
pub(crate) const IS_CHECK: &str = "substr(json, 1, 22) = '{\"kind\":\"verification\"'";
pub(crate) const JOB_OF_CHECK: &str = "iif(json_valid(json), json_extract(json, '$.job'), NULL)";

/// What a leaf of the last kind is about, as its index has it; NULL of every other one.
pub(crate) const ABOUT: &str = "iif(json_valid(json), json_extract(json, '$.about'), NULL)";

/// The format from which on everything that is written is a leaf of the tree.
pub(crate) const WITH_TREE: i64 = 4;

/// The format from which on a record knows its leaf, and jobs are found by what stands in their records.
pub(crate) const WITH_INDEX: i64 = 5;

/// The format from which on it is kept what becomes of drives.
pub(crate) const WITH_RELEASES: i64 = 7;

/// The format from which on events that no record covers have entries too.
pub(crate) const WITH_EVENTS: i64 = 8;

/// Everything that a ledger of this format is made of, as SQLite tells it: kind, name, table, text.
pub(crate) fn schema(connection: &rusqlite::Connection) -> rusqlite::Result<std::collections::BTreeSet<[String; 4]>> {
    let text = |row: &rusqlite::Row<'_>, at| row.get::<_, Option<String>>(at).map(Option::unwrap_or_default);
    let mut all = connection.prepare("SELECT type, name, tbl_name, sql FROM sqlite_schema WHERE name NOT LIKE 'sqlite_stat%'")?;
    all.query_map([], |row| Ok([text(row, 0)?, text(row, 1)?, text(row, 2)?, text(row, 3)?]))?.collect()
}

/// The same of one that was never touched.
pub(crate) fn fresh_schema() -> rusqlite::Result<std::collections::BTreeSet<[String; 4]>> {
    let fresh = rusqlite::Connection::open_in_memory()?;
    MIGRATIONS.iter().try_for_each(|step| fresh.execute_batch(step))?;
    schema(&fresh)
}
