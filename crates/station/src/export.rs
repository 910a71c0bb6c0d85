//! Records given out: as CSV, as JSON lines, or each as a signed file.

use crate::disk::write_new;
use crate::files::free_name;
use jurex_past::{JobLine, PastError, PastWork};
use jurex_pattern::text::harmless_cell;
use jurex_sign::{PrivateKey, sign};
use serde_json::{Value, json};
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};

/// Columns of the CSV file, by the names that JSON has for them.
const COLUMNS: [&str; 15] = [
    "job",
    "started",
    "ended",
    "drive",
    "serial",
    "lot",
    "property_number",
    "source",
    "technician",
    "validator",
    "standing",
    "outcome",
    "method",
    "verification",
    "digest",
];

/// Why nothing, or not all, was written.
#[derive(Debug, thiserror::Error)]
pub enum ExportTrouble {
    #[error("{0}")]
    File(#[from] std::io::Error),
    #[error("{0}")]
    Ledger(#[source] PastError),
}

/// Goes through every job in which all these words appear, the newest first, some at a time.
fn each(ledger: &dyn PastWork, words: &str, mut take: impl FnMut(&JobLine) -> std::io::Result<()>) -> Result<u64, ExportTrouble> {
    const AT_ONCE: u32 = 500;
    let (mut before, mut n) = (None, 0);
    loop {
        let page = ledger.find(words, before, AT_ONCE).map_err(ExportTrouble::Ledger)?;
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
pub fn one_file(ledger: &dyn PastWork, words: &str, out: &Path, as_csv: bool) -> Result<u64, ExportTrouble> {
    let folder = out.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut file = BufWriter::new(tempfile::Builder::new().prefix(".jurex-").tempfile_in(folder)?);
    let n = if as_csv {
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
        each(ledger, words, |line| writeln!(file, "{}", jurex_pattern::text::safe_json(&to_json(line).to_string())))?
    };
    let file = file.into_inner().map_err(std::io::IntoInnerError::into_error)?;
    file.as_file().sync_all()?;
    file.persist_noclobber(out).map_err(|e| e.error)?;
    Ok(n)
}

/// Each record in a file of its own, signed where there is a key, with what proves that it stands in the ledger.
pub fn records(ledger: &dyn PastWork, words: &str, out: &Path, key: Option<&PrivateKey>) -> Result<u64, ExportTrouble> {
    std::fs::create_dir_all(out)?;
    let mut recorded = 0;
    each(ledger, words, |line| {
        let Some(record) = line.standing.record() else { return Ok(()) };
        recorded += 1;
        let put = |ending: &str, text: &str| write_new(out, &out.join(format!("{}.{ending}", line.job)), text.as_bytes());
        put("record.json", &record.to_json())?;
        key.map_or(Ok(()), |key| put("record.jws.json", &sign(&record.to_json(), key)))?;
        let proof = ledger.inclusion(&line.job).map_err(std::io::Error::other)?;
        proof.map_or(Ok(()), |proof| put("tlog-proof", &proof.to_text()))
    })?;
    Ok(recorded)
}

/// The jobs in which all these words appear as a table in that folder, under a name that is free. Gives how many, and its path.
pub fn to_new_table(ledger: &dyn PastWork, words: &str, folder: &Path) -> Result<(u64, PathBuf), String> {
    std::fs::create_dir_all(folder).map_err(|e| e.to_string())?;
    let free = folder.join(format!("{}.csv", free_name(folder, "ledger", &["csv"])));
    let n = one_file(ledger, words, &free, true).map_err(|e| e.to_string())?;
    Ok((n, free))
}

/// A job as JSON: what its record says, judged again.
pub fn to_json(line: &JobLine) -> Value {
    let record = line.standing.record();
    let papers = record.map(|r| r.papers());
    json!({
        "job": line.job,
        "drive": line.drive,
        "serial": line.serial,
        "started": line.started,
        "ended": record.map(|r| r.ended),
        "standing": line.standing.word(),
        "outcome": record.map(|r| r.claim().outcome()),
        "lot": papers.map(|p| &p.lot),
        "property_number": papers.map(|p| &p.property_number),
        "source": papers.map(|p| &p.source),
        "technician": papers.map(|p| &p.technician.name),
        "validator": papers.map(|p| &p.validator.name),
        "method": record.map(|r| &r.method.title),
        "verification": record.map(|r| r.method.verification),
        "digest": record.map(|r| r.digest()),
    })
}
