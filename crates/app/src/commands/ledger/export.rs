//! `jurex ledger export`: records given out, and noted as such.

use super::say;
use crate::cli::{ExportAs, LedgerExport};
use jurex_documents::House;
use jurex_past::{NotedSubject, PastWork};
use jurex_pattern::text::shown_path;
use jurex_pattern::units::counted;
use jurex_station::app_paths::AppPaths;
use jurex_station::clock::wall;
use jurex_station::config::Config;
use jurex_station::exit::Failure;
use jurex_station::export::{self, ExportTrouble};
use std::process::ExitCode;

pub(super) fn run(asked: &LedgerExport, ledger: &dyn PastWork, places: &AppPaths, demo: bool) -> Result<ExitCode, Failure> {
    let config = Config::read(&places.config_file())?;
    let seal = crate::commands::seal(places, &config, House::default(), demo);
    let words = asked.words.join(" ");
    let failed = |e: std::io::Error| Failure::Use(format!("cannot write {}: {e}", shown_path(&asked.out)));
    let written = match asked.form {
        ExportAs::Records => export::records(ledger, &words, &asked.out, seal.key()),
        form => export::one_file(ledger, &words, &asked.out, form == ExportAs::Csv),
    };
    let n = written.map_err(|e| match e {
        ExportTrouble::File(e) => failed(e),
        ExportTrouble::Ledger(e) => e.into(),
    })?;
    let what = counted(n, "job");
    let searched = if words.trim().is_empty() { String::new() } else { format!(", those with \"{words}\"") };
    ledger.note(NotedSubject::Export, &format!("{what} exported as {}{searched}.", asked.form.word()), None, wall())?;
    crate::commands::close_ledger(&seal, &places.ledger_for(demo));
    say(&format!("{what} written to {}.", shown_path(&asked.out)));
    Ok(ExitCode::SUCCESS)
}
