//! `jurex residue DRIVE`: a search for what a person could still use.

use super::bar::bar;
use super::{say, say_json};
use crate::cli::ResidueArgs as Asked;
use jurex_pattern::units::counted;
use jurex_sanitize::residue::{Residue, ResidueVerdict, SearchProgress};
use jurex_station::app_paths::AppPaths;
use jurex_station::bench::{self, DriveSnapshot};
use jurex_station::config::Config;
use jurex_station::exit::{self, Failure};
use jurex_station::readings::search_leftovers;
use jurex_station::stop::StopOnSignal;
use serde_json::json;
use std::process::ExitCode;

pub(crate) fn run(asked: &Asked) -> Result<ExitCode, Failure> {
    let places = AppPaths::find()?;
    let config = Config::read(&places.config_file())?;
    let seen = bench::find(&asked.drive, &config.only, &places)?;
    let bar = bar("{wide_bar} {percent} %  {msg}  {eta} left", !asked.quiet && !asked.json);
    let mut stop = StopOnSignal::install()?;
    let mut show = |so_far: SearchProgress| {
        bar.set_length(so_far.of);
        bar.set_position(so_far.done);
        bar.set_message(format!("{} so far", counted(so_far.finds, "find")));
    };
    let residue = search_leftovers(&seen, asked.sampled, &mut stop, &mut show)?;
    bar.finish_and_clear();
    tell(asked, &seen, &residue);
    Ok(exit::of_reading(residue.verdict == ResidueVerdict::Nothing, &residue.ended))
}

fn tell(asked: &Asked, seen: &DriveSnapshot, residue: &Residue) {
    if asked.json {
        return say_json(&json!({"drive": seen.drive, "residue": residue}));
    }
    let verdict = match residue.verdict {
        ResidueVerdict::Nothing => "Nothing beyond chance",
        ResidueVerdict::Something => "Something is left",
        ResidueVerdict::Incomplete => "Not searched to the end; nothing was found so far",
    };
    say(&format!("{}: {verdict}: {}", seen.drive.called(), residue.summary()));
    residue.sentences().iter().for_each(|sentence| say(&format!("  {sentence}")));
}
