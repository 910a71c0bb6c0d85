//! `jurex ledger export`: records given out, as CSV, as JSON lines, or each as a signed file.

use super::{say, to_json};
use crate::cli::{ExportAs, LedgerExport};
use crate::clock::wall;
use crate::config::Config;
use crate::exit::Failure;
use crate::places::Places;
use jurex_core::text::{harmless_cell, shown_path};
use jurex_core::units::counted;
use jurex_ledger::{About, Ledger, LedgerError, Line};
use jurex_report::House;
use jurex_sign::{PrivateKey, sign};
use std::io::{BufWriter, Write};
use std::path::Path;
use std::process::ExitCode;

/// Columns of the CSV file, by the names that JSON has for them.
const COLUMNS: [&str; 15] = [
    "job", "started", "ended", "drive", "serial", "lot", "property_number", "source", "technician", "validator", "standing", "outcome",
    "method", "verification", "digest",
];

pub(super) fn run(asked: &LedgerExport, ledger: &Ledger, places: &Places, demo: bool) -> Result<ExitCode, Failure> {
    let config = Config::read(&places.config_file())?;
    let seal = crate::commands::seal(places, &config, House::default(), demo);
    let words = asked.words.join(" ");
    let failed = |e: std::io::Error| Failure::Use(format!("cannot write {}: {e}", shown_path(&asked.out)));
    let written = match asked.form {
        ExportAs::Records => records(ledger, &words, &asked.out, seal.key()),
        form => one_file(ledger, &words, &asked.out, form),
    };
    let n = written.map_err(|e| match e {
        Trouble::File(e) => failed(e),
        Trouble::Ledger(e) => e.into(),
    })?;
    let what = counted(n, "job");
    let searched = if words.trim().is_empty() { String::new() } else { format!(", those with \"{words}\"") };
    ledger.note(About::Export, &format!("{what} exported as {}{searched}.", asked.form.word()), None, wall())?;
    seal.close(&places.ledger_for(demo));
    say(&format!("{what} written to {}.", shown_path(&asked.out)));
    Ok(ExitCode::SUCCESS)
}

enum Trouble {
    File(std::io::Error),
    Ledger(LedgerError),
}

impl From<std::io::Error> for Trouble {
    fn from(e: std::io::Error) -> Self {
        Trouble::File(e)
    }
}

/// Goes through every job in which all these words appear, the newest first, some at a time.
fn each(ledger: &Ledger, words: &str, mut take: impl FnMut(&Line) -> std::io::Result<()>) -> Result<u64, Trouble> {
    const AT_ONCE: u32 = 500;
    let (mut before, mut n) = (None, 0);
    loop {
        let page = ledger.find(words, before, AT_ONCE).map_err(Trouble::Ledger)?;
        for line in &page {
            take(line)?;
            n += 1;
        }
        match page.last() {
            Some(last) if page.len() == AT_ONCE as usize => before = Some(last.number),
            _ => return Ok(n),
        }
    }
}

/// A new file, there under its name only when it is whole.
fn one_file(ledger: &Ledger, words: &str, out: &Path, form: ExportAs) -> Result<u64, Trouble> {
    let folder = out.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut file = BufWriter::new(tempfile::Builder::new().prefix(".jurex-").tempfile_in(folder)?);
    let n = if form == ExportAs::Csv {
        let mut rows = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(&mut file);
        rows.write_record(COLUMNS).map_err(std::io::Error::other)?;
        let n = each(ledger, words, |line| {
            let json = to_json(line);
            let cell = |name: &&str| harmless_cell(json[*name].as_str().unwrap_or_default());
            rows.write_record(COLUMNS.iter().map(cell)).map_err(std::io::Error::other)
        })?;
        rows.flush()?;
        n
    } else {
        each(ledger, words, |line| writeln!(file, "{}", jurex_core::text::safe_json(&to_json(line).to_string())))?
    };
    let file = file.into_inner().map_err(std::io::IntoInnerError::into_error)?;
    file.as_file().sync_all()?;
    file.persist_noclobber(out).map_err(|e| e.error)?;
    Ok(n)
}

/// Each record in a file of its own, signed where there is a key, with what proves that it stands in the ledger.
fn records(ledger: &Ledger, words: &str, out: &Path, key: Option<&PrivateKey>) -> Result<u64, Trouble> {
    std::fs::create_dir_all(out)?;
    let mut recorded = 0;
    each(ledger, words, |line| {
        let Some(record) = line.standing.record() else { return Ok(()) };
        recorded += 1;
        let put = |ending: &str, text: &str| crate::files::write_new(out, &out.join(format!("{}.{ending}", line.job)), text.as_bytes());
        put("record.json", &record.to_json())?;
        key.map_or(Ok(()), |key| put("record.jws.json", &sign(&record.to_json(), key)))?;
        let proof = ledger.inclusion(&line.job).map_err(std::io::Error::other)?;
        proof.map_or(Ok(()), |proof| put("tlog-proof", &proof.to_text()))
    })?;
    Ok(recorded)
}
