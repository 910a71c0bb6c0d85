//! `jurex residue DRIVE`: a search for what a person could still use.

use super::stop::StopOnSignal;
use super::{say, say_json};
use crate::bench::{self, Seen};
use crate::cli::Residue as Asked;
use crate::clock::SystemEntropy;
use crate::config::Config;
use crate::exit::Failure;
use crate::places::Places as Folders;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use jurex_core::erase::{JobControl, Wish};
use jurex_core::evidence::Ended;
use jurex_core::medium::Medium;
use jurex_core::residue::{Places, Residue, Verdict, search};
use serde_json::json;
use std::io::IsTerminal;
use std::process::ExitCode;
use std::sync::Mutex;

/// Readers, each with a mebibyte: while some wait for the drive the others look through what they have got.
const READERS: usize = 4;

pub(crate) fn run(asked: &Asked) -> Result<ExitCode, Failure> {
    let folders = Folders::find()?;
    let config = Config::read(&folders.config_file())?;
    let seen = bench::find(&asked.drive, &config.only, &folders)?;
    let geometry = seen.drive.geometry;
    if geometry.sectors == 0 {
        return Err(Failure::Use(format!("{} has no sector that could be searched", seen.drive.called())));
    }
    let readers = readers(&seen)?;
    let places = if asked.sampled { Places::sampled(geometry, &mut SystemEntropy) } else { Places::whole(geometry) };
    let bar = progress_bar(asked, places.len());
    let control = Mutex::new(StopOnSignal::install()?);
    let goes_on = |done: u64| {
        bar.set_position(done);
        control.lock().map_or(true, |mut control| control.poll() != Some(Wish::Stop))
    };
    let searched = search(readers, geometry, &places, &goes_on);
    bar.finish_and_clear();
    let residue = Residue::of(&searched, geometry, places.is_whole());
    tell(asked, &seen, &residue);
    Ok(match (residue.verdict, &residue.ended) {
        (_, Ended::Stopped | Ended::Gone { .. } | Ended::StoppedAnswering { .. }) => ExitCode::from(4),
        (Verdict::Nothing, _) => ExitCode::SUCCESS,
        (Verdict::Something | Verdict::Incomplete, _) => ExitCode::from(3),
    })
}

/// Handles on the drive, one for each thread that reads.
fn readers(seen: &Seen) -> Result<Vec<Box<dyn Medium + Send>>, Failure> {
    (0..READERS).map(|_| Ok(seen.peek()?)).collect()
}

fn progress_bar(asked: &Asked, places: u64) -> ProgressBar {
    let bar = ProgressBar::new(places);
    let shown = std::io::stderr().is_terminal() && !asked.quiet && !asked.json;
    bar.set_draw_target(if shown { ProgressDrawTarget::stderr() } else { ProgressDrawTarget::hidden() });
    if let Ok(style) = ProgressStyle::with_template("{wide_bar} {percent} %  {eta} left") {
        bar.set_style(style.progress_chars("█▉▊▋▌▍▎▏ "));
    }
    bar
}

fn tell(asked: &Asked, seen: &Seen, residue: &Residue) {
    if asked.json {
        return say_json(&json!({"drive": seen.drive, "residue": residue}));
    }
    let verdict = match residue.verdict {
        Verdict::Nothing => "Nothing beyond chance",
        Verdict::Something => "Something is left",
        Verdict::Incomplete => "Not searched to the end; nothing was found so far",
    };
    say(&format!("{}: {verdict}: {}", seen.drive.called(), residue.summary()));
    residue.sentences().iter().for_each(|sentence| say(&format!("  {sentence}")));
}
