//! Finding jobs again: by what stands in their records, as somebody types it. The index only finds; what is shown of a job comes
//! from its record, which is judged again.

use crate::{Ledger, format};
use jurex_past::{Due, JobLine, JobStatus, PastError};
use jurex_sanitize::record::{JobId, Record, SecondLook};
use jurex_sanitize::rules::Outcome;
use rusqlite::{Connection, OptionalExtension, Transaction, params};

/// Fields that can be named before a word that is searched, as `lot:BW-0417`, and their columns.
const FIELDS: [(&str, &str); 10] = [
    ("job", "job"),
    ("drive", "drive"),
    ("serial", "serial"),
    ("lot", "lot"),
    ("property", "property"),
    ("from", "source"),
    ("person", "person"),
    ("outcome", "outcome"),
    ("date", "date"),
    ("method", "drive"),
];

/// Stands twice before each word, so that its first letter or two are three signs too, which alone the index knows.
const BEGINNING: char = '\u{1}';

/// What a job is found by.
#[derive(Debug, PartialEq, Eq)]
pub(crate) struct Indexed {
    job: String,
    started: String,
    serial: Option<String>,
    lot: String,
    drawn: Option<bool>,
    /// In the order of the index's columns, the beginnings left out.
    texts: [String; 9],
}

/// A row of the table of jobs: name, drive, serial, beginning.
type JobRow<'r> = (&'r str, &'r str, Option<String>, &'r str);

impl Indexed {
    /// Of a job and its record, if it has one that holds.
    pub(crate) fn of((job, drive, serial, started): JobRow<'_>, record: Option<&Record>) -> Self {
        let clean = |text: String| -> String { text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect() };
        let papers = record.map(Record::papers);
        let said = |of: &dyn Fn(&jurex_sanitize::record::Papers) -> String| papers.map(of).unwrap_or_default();
        let outcome = match record.map(|r| r.claim().outcome()) {
            None => "no record".to_string(),
            Some(Outcome::NotSanitized) => "not sanitized".into(),
            Some(earned) => earned.to_string(),
        };
        let lot = said(&|p| p.lot.clone());
        let texts = [
            job.to_string(),
            format!("{drive} {}", record.map(|r| r.method.title.clone()).unwrap_or_default()),
            serial.clone().unwrap_or_default(),
            lot.clone(),
            said(&|p| p.property_number.clone()),
            said(&|p| p.source.clone()),
            said(&|p| format!("{} {}", p.technician.name, p.validator.name)),
            outcome,
            started.chars().take(10).collect(),
        ];
        let drawn = record.and_then(|r| r.second_look.as_ref()).map(SecondLook::is_due);
        Self { job: job.into(), started: started.into(), serial, lot, drawn, texts: texts.map(clean) }
    }

    fn beginnings(&self) -> String {
        let words = self.texts.iter().flat_map(|t| t.split_whitespace());
        words.map(|w| format!("{BEGINNING}{BEGINNING}{} ", w.chars().take(2).collect::<String>())).collect()
    }

    fn put(&self, change: &Transaction<'_>) -> rusqlite::Result<()> {
        let known = "UPDATE entry SET started = ?2, serial = ?3, lot = ?4, drawn = ?5 WHERE job = ?1 RETURNING number";
        let new = "INSERT INTO entry (job, started, serial, lot, drawn) VALUES (?1, ?2, ?3, ?4, ?5) RETURNING number";
        let put = |query: &str| -> rusqlite::Result<Option<i64>> {
            let row = params![self.job, self.started, self.serial, self.lot, self.drawn];
            change.prepare_cached(query)?.query_row(row, |row| row.get(0)).optional()
        };
        let number = put(known)?.map_or_else(|| put(new), |number| Ok(Some(number)))?;
        change.prepare_cached("DELETE FROM finder WHERE rowid = ?1")?.execute([number])?;
        let words = "INSERT INTO finder (rowid, job, drive, serial, lot, property, source, person, outcome, date, beginnings)
            VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11)";
        let [a, b, c, d, e, f, g, h, i] = &self.texts;
        change.prepare_cached(words)?.execute(params![number, a, b, c, d, e, f, g, h, i, self.beginnings()]).map(drop)
    }

    /// Whether the list has the job so, and the search finds it by all that it is to be found by.
    pub(crate) fn is_found(&self, connection: &Connection) -> rusqlite::Result<bool> {
        type Row = (i64, String, Option<String>, String, Option<bool>);
        let entry = "SELECT number, started, serial, lot, drawn FROM entry WHERE job = ?1";
        let row = |r: &rusqlite::Row<'_>| Ok((r.get(0)?, r.get(1)?, r.get(2)?, r.get(3)?, r.get(4)?));
        let found: Option<Row> = connection.prepare_cached(entry)?.query_row([&self.job], row).optional()?;
        let Some((number, started, serial, lot, drawn)) = found else { return Ok(false) };
        if (&started, &serial, &lot, drawn) != (&self.started, &self.serial, &self.lot, self.drawn) {
            return Ok(false);
        }
        let long = |(_, column): &(&str, &str), text: &String| {
            (text.chars().count() >= 3).then(|| format!("{column} : {}", quoted(text)))
        };
        let all: Vec<String> = FIELDS.iter().zip(&self.texts).filter_map(|(f, t)| long(f, t)).collect();
        let mut find = connection.prepare_cached("SELECT 1 FROM finder WHERE finder MATCH ?1 AND rowid = ?2")?;
        find.exists(params![all.join(" AND "), number])
    }
}

fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('"', "\"\""))
}

/// What is typed, as the index is asked for it.
#[derive(Debug, Default, PartialEq, Eq)]
struct SearchTerms {
    /// Every word must appear, one of one or two letters at the beginning of a word. `None`: no word is asked for.
    words: Option<String>,
    /// Jobs that began then or later, and before that: both as RFC 3339 begins.
    dates: Option<(String, String)>,
}

/// The beginnings of RFC 3339 between which `A..B` lies, each a year, a month or a day; an end that is left out is open.
/// `None`: that is no such range.
fn dates(range: &str) -> Option<(String, String)> {
    let (from, to) = range.split_once("..")?;
    let is_date = |text: &str| {
        let parts: Vec<&str> = text.split('-').collect();
        let digits = |(n, part): (usize, &&str)| part.len() == [4, 2, 2][n] && part.bytes().all(|b| b.is_ascii_digit());
        text.is_empty() || (parts.len() <= 3 && parts.iter().enumerate().all(digits))
    };
    // Whatever begins with the last date is in it: no time of day comes after this sign.
    let end = if to.is_empty() { "~".to_string() } else { format!("{to}~") };
    (is_date(from) && is_date(to) && !(from.is_empty() && to.is_empty())).then(|| (from.to_string(), end))
}

fn asked(typed: &str) -> SearchTerms {
    let mut words = vec![];
    let mut asked = SearchTerms::default();
    for word in typed.split_whitespace() {
        let range = word.split_once(':').filter(|(field, _)| field.eq_ignore_ascii_case("date")).and_then(|(_, r)| dates(r));
        match (range, &asked.dates) {
            // Of two ranges what lies in both.
            (Some((from, to)), Some((f, t))) => asked.dates = Some((from.max(f.clone()), to.min(t.clone()))),
            (Some(range), None) => asked.dates = Some(range),
            (None, _) => words.extend(asked_word(word)),
        }
    }
    asked.words = (!words.is_empty()).then(|| words.join(" AND "));
    asked
}

/// One word, as the index is asked for it; `None`: there is nothing in it.
fn asked_word(word: &str) -> Option<String> {
    let field = word
        .split_once(':')
        .and_then(|(name, rest)| FIELDS.iter().find(|(n, _)| n.eq_ignore_ascii_case(name)).map(|(_, column)| (*column, rest)));
    let (column, word) = field.map_or((None, word), |(column, rest)| (Some(column), rest));
    let word: String = word.chars().filter(|c| !c.is_control()).collect();
    match (word.chars().count(), column) {
        (0, _) => None,
        (1 | 2, _) => {
            let marks = if word.chars().count() == 1 { 2 } else { 1 };
            let mark: String = std::iter::repeat_n(BEGINNING, marks).collect();
            Some(format!("beginnings : {}", quoted(&format!("{mark}{word}"))))
        }
        (_, Some(column)) => Some(format!("{column} : {}", quoted(&word))),
        (_, None) => Some(quoted(&word)),
    }
}

/// Takes a job into the index, or what is known of it now.
pub(crate) fn take(change: &Transaction<'_>, job: &str, record: Option<&Record>) -> rusqlite::Result<()> {
    let of = "SELECT drive, serial, started FROM job WHERE name = ?1";
    type Row = (String, Option<String>, String);
    let row: Row = change.prepare_cached(of)?.query_row([job], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)))?;
    Indexed::of((job, &row.0, row.1, &row.2), record).put(change)
}

/// Takes in the jobs that an earlier version has kept without an index.
pub(crate) fn migrate(change: &Transaction<'_>) -> rusqlite::Result<()> {
    let all =
        "SELECT name, (SELECT json FROM record WHERE job = name ORDER BY number DESC LIMIT 1) FROM job ORDER BY started, name";
    let mut statement = change.prepare(all)?;
    let mut rows = statement.query([])?;
    while let Some(row) = rows.next()? {
        let (job, json): (String, Option<String>) = (row.get(0)?, row.get(1)?);
        take(change, &job, json.and_then(|json| Record::from_json(&json).ok()).as_ref())?;
    }
    Ok(())
}

/// Jobs by when they began, the newest first: after job number ?1 if that is asked for, ?2 at most, from ?3 to before ?4.
pub(crate) fn by_dates(before: Option<i64>) -> String {
    let after = match before {
        // Where a clock was set back a job with a higher number began earlier.
        Some(_) => "(started, number) < (SELECT started, number FROM entry WHERE number = ?1)",
        None => "?1 IS NULL",
    };
    format!(
        "SELECT number FROM entry WHERE started >= ?3 AND started < ?4 AND {after} ORDER BY started DESC, number DESC LIMIT ?2"
    )
}

impl Ledger {
    pub(crate) fn can_search(&self) -> Result<(), PastError> {
        let old = self.format < format::WITH_INDEX;
        if old { Err(PastError::TooOld(self.path.display().to_string())) } else { Ok(()) }
    }

    /// The newest jobs in which all that is typed appears (nothing typed: of all), so many at most, and only those older than `before`.
    /// Their records are judged again.
    ///
    /// # Errors
    /// A damaged file.
    pub fn find(&self, typed: &str, before: Option<i64>, most: u32) -> Result<Vec<JobLine>, PastError> {
        self.can_search()?;
        let numbers = self.numbers(typed, before, most).map_err(|e| self.sql(e))?;
        numbers.into_iter().filter_map(|n| self.line(n).transpose()).collect()
    }

    fn numbers(&self, typed: &str, before: Option<i64>, most: u32) -> rusqlite::Result<Vec<i64>> {
        let SearchTerms { words, dates } = asked(typed);
        match (words, dates) {
            (None, None) => {
                let all = "SELECT number FROM entry WHERE number < ?1 ORDER BY number DESC LIMIT ?2";
                let asked = params![before.unwrap_or(i64::MAX), most];
                self.connection.prepare_cached(all)?.query_map(asked, |row| row.get(0))?.collect()
            }
            (None, Some((from, to))) => {
                let asked = params![before, most, from, to];
                self.connection.prepare_cached(&by_dates(before))?.query_map(asked, |row| row.get(0))?.collect()
            }
            (Some(words), dates) => {
                let (from, to) = dates.unzip();
                let found = "SELECT rowid FROM finder WHERE finder MATCH ?5 AND rowid < ?1 AND (?3 IS NULL OR EXISTS
                    (SELECT 1 FROM entry WHERE number = finder.rowid AND started >= ?3 AND started < ?4))
                    ORDER BY rowid DESC LIMIT ?2";
                let asked = params![before.unwrap_or(i64::MAX), most, from, to, words];
                self.connection.prepare_cached(found)?.query_map(asked, |row| row.get(0))?.collect()
            }
        }
    }

    /// One job of the list; `None`: its name is none, put there by other means.
    fn line(&self, number: i64) -> Result<Option<JobLine>, PastError> {
        type Row = (String, String, Option<String>, String);
        let of = "SELECT name, drive, job.serial, job.started FROM entry JOIN job ON name = entry.job WHERE number = ?1";
        let run = || -> rusqlite::Result<Option<Row>> {
            let row = |r: &rusqlite::Row<'_>| Ok((r.get(0)?, r.get(1)?, r.get(2)?, r.get(3)?));
            self.connection.prepare_cached(of)?.query_row([number], row).optional()
        };
        let Some((name, drive, serial, started)) = run().map_err(|e| self.sql(e))? else { return Ok(None) };
        let Ok(job) = name.parse::<JobId>() else { return Ok(None) };
        let standing = match self.record(&job) {
            Ok(record) => JobStatus::Recorded(Box::new(record)),
            Err(PastError::NeverEnded { .. }) => JobStatus::NoRecord,
            Err(e @ (PastError::Record { .. } | PastError::Altered(_))) => JobStatus::NotBelieved(e.to_string()),
            Err(e) => return Err(e),
        };
        Ok(Some(JobLine { number, job, started, drive, serial, standing }))
    }

    /// The jobs of a lot, the oldest first.
    ///
    /// # Errors
    /// A damaged file.
    pub fn of_lot(&self, lot: &str) -> Result<Vec<JobLine>, PastError> {
        self.can_search()?;
        self.lines("SELECT number FROM entry WHERE lot = ?1 ORDER BY number", params![lot])
    }

    /// The jobs on drives of that serial, the oldest first.
    ///
    /// # Errors
    /// A damaged file.
    pub fn of_serial(&self, serial: &str) -> Result<Vec<JobLine>, PastError> {
        self.can_search()?;
        self.lines("SELECT number FROM entry WHERE serial = ?1 ORDER BY number", params![serial.trim()])
    }

    fn lines(&self, query: &str, params: impl rusqlite::Params) -> Result<Vec<JobLine>, PastError> {
        let run = || -> rusqlite::Result<Vec<i64>> {
            self.connection.prepare_cached(query)?.query_map(params, |row| row.get(0))?.collect()
        };
        run().map_err(|e| self.sql(e))?.into_iter().filter_map(|n| self.line(n).transpose()).collect()
    }

    /// How many drives of that lot have earned something, and how many of them were drawn for a second look.
    ///
    /// # Errors
    /// A damaged file.
    pub fn drawn_of_lot(&self, lot: &str) -> Result<(u64, u64), PastError> {
        self.can_search()?;
        let counted = "SELECT count(drawn), coalesce(sum(drawn), 0) FROM entry WHERE lot = ?1";
        let run = || self.connection.query_row(counted, [lot], |row| Ok((row.get::<_, i64>(0)?, row.get::<_, i64>(1)?)));
        run().map(|(all, due)| (all as u64, due as u64)).map_err(|e| self.sql(e))
    }

    /// The jobs whose drives were drawn for a second look, of that lot or of all.
    ///
    /// # Errors
    /// A damaged file.
    pub fn drawn(&self, lot: Option<&str>) -> Result<Vec<Due>, PastError> {
        self.can_search()?;
        let of_lot = "SELECT number FROM entry WHERE drawn = 1 AND (?1 IS NULL OR lot = ?1) ORDER BY number";
        let written = self.written_checks()?;
        let mut drawn = vec![];
        for line in self.lines(of_lot, params![lot])? {
            let JobStatus::Recorded(record) = line.standing else { continue };
            if record.second_look.as_ref().is_some_and(SecondLook::is_due) {
                let check = self.second_check(&record, &written)?;
                drawn.push(Due { record: *record, check });
            }
        }
        Ok(drawn)
    }
}
