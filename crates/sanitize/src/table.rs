//! Tables of others (CSV, RFC 4180) with a first row of names: what every list of drives has in common.

use jurex_pattern::text::printable;
use std::collections::BTreeMap;
use std::fmt;

/// A mistake in a list, with its line.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mistake {
    /// The line, from 1.
    pub line: u64,
    /// What is wrong there.
    pub what: String,
}

impl fmt::Display for Mistake {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "line {}: {}", self.line, self.what)
    }
}

/// A table, its names read.
pub struct CsvTable<'t> {
    text: &'t str,
    reader: csv::Reader<&'t [u8]>,
    head: csv::StringRecord,
}

/// A row that is not blank.
pub struct TableRow {
    record: csv::StringRecord,
    /// The line that it stands in, from 1.
    pub line: u64,
    /// Cells that the first row names.
    named: usize,
}

impl<'t> CsvTable<'t> {
    /// Reads the row of names; cells may be parted by commas, semicolons or tabs, and a byte order mark is passed over.
    ///
    /// # Errors
    /// It is not readable as CSV.
    pub fn of(text: &'t str) -> Result<Self, csv::Error> {
        let text = text.trim_start_matches('\u{feff}');
        let first = text.lines().next().unwrap_or_default();
        let parted_by = [b',', b';', b'\t'].into_iter().max_by_key(|c| first.bytes().filter(|b| b == c).count());
        let mut reader =
            csv::ReaderBuilder::new().delimiter(parted_by.unwrap_or(b',')).flexible(true).from_reader(text.as_bytes());
        let head = reader.headers()?.clone();
        Ok(Self { text, reader, head })
    }

    /// The names of its columns.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.head.iter()
    }

    /// Its rows but for blank ones; the first that is not readable is a mistake, and the last.
    pub fn rows(self) -> impl Iterator<Item = Result<TableRow, Mistake>> {
        let named = self.head.len();
        let mut lines = Lines { text: self.text, at: 0, ends: 0 };
        let mut over = false;
        let rows = self.reader.into_records().map(move |row| match row {
            Ok(record) => Ok(TableRow { line: lines.of(record.position()), record, named }),
            Err(e) => Err(Mistake { line: lines.of(e.position()), what: "it is not readable as CSV".into() }),
        });
        let rows = rows.take_while(move |row| !std::mem::replace(&mut over, row.is_err()));
        rows.filter(|row| row.as_ref().map_or(true, |row| row.record.iter().any(|cell| !cell.trim().is_empty())))
    }
}

impl TableRow {
    /// The text of a cell, without blanks around it; of one that is not there, nothing.
    pub fn cell(&self, at: Option<&usize>) -> String {
        at.and_then(|at| self.record.get(*at)).unwrap_or_default().trim().to_string()
    }

    /// What is wrong with its number of cells.
    pub fn wrong_count(&self) -> Option<String> {
        let cells = self.record.len();
        (cells != self.named).then(|| format!("it has {cells} cells, and the first line names {}", self.named))
    }
}

/// The lines in which serials stand, however their letters are written.
#[derive(Default)]
pub struct Serials(BTreeMap<String, u64>);

impl Serials {
    /// Takes in the serial of a line; says so if it stands in an earlier one. None is none.
    pub fn repeats(&mut self, serial: &str, line: u64) -> Option<String> {
        let earlier = self.0.insert(serial.to_lowercase(), line).filter(|_| !serial.is_empty())?;
        Some(format!("serial {} stands in line {earlier} already", printable(serial.as_bytes())))
    }
}

/// Counts lines, from one row to the next: the text is gone through once, however many rows it has.
struct Lines<'t> {
    text: &'t str,
    /// Up to here its line ends are counted.
    at: usize,
    ends: u64,
}

impl Lines<'_> {
    /// The line, from 1, that a row stands in; rows are asked for in their order. The reader's own count is behind where lines end with CR
    /// and LF, or are empty.
    fn of(&mut self, position: Option<&csv::Position>) -> u64 {
        let asked = position.map_or(0, |p| usize::try_from(p.byte()).unwrap_or(usize::MAX)).min(self.text.len());
        let bytes = self.text.as_bytes();
        if asked > self.at {
            self.ends += bytes[self.at..asked].iter().filter(|b| **b == b'\n').count() as u64;
            self.at = asked;
        }
        let gap = bytes[self.at..].iter().take_while(|b| matches!(b, b'\r' | b'\n'));
        1 + self.ends + gap.filter(|b| **b == b'\n').count() as u64
    }
}
