//! `jurex residue DRIVE`: a search for what a person could still use.

use super::stop::StopOnSignal;
use super::{say, say_json};
use crate::bench::{self, Seen};
use crate::cli::Residue as Asked;
use crate::config::Config;
use crate::exit::Failure;
use crate::places::Places;
use crate::readings::search_leftovers;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use jurex_core::erase::{JobControl, Wish};
use jurex_core::evidence::Ended;
use jurex_core::residue::{Residue, Verdict};
use serde_json::json;
use std::io::IsTerminal;
use std::process::ExitCode;
use std::sync::Mutex;

pub(crate) fn run(asked: &Asked) -> Result<ExitCode, Failure> {
    let places = Places::find()?;
    let config = Config::read(&places.config_file())?;
    let seen = bench::find(&asked.drive, &config.only, &places)?;
    let bar = progress_bar(asked);
    let control = Mutex::new(StopOnSignal::install()?);
    let goes_on = |done: u64, of: u64| {
        bar.set_length(of);
        bar.set_position(done);
        control.lock().map_or(true, |mut control| control.poll() != Some(Wish::Stop))
    };
    let residue = search_leftovers(&seen, asked.sampled, &goes_on)?;
    bar.finish_and_clear();
    tell(asked, &seen, &residue);
    Ok(match (residue.verdict, &residue.ended) {
        (_, Ended::Stopped | Ended::Gone { .. } | Ended::StoppedAnswering { .. }) => ExitCode::from(4),
        (Verdict::Nothing, _) => ExitCode::SUCCESS,
        (Verdict::Something | Verdict::Incomplete, _) => ExitCode::from(3),
    })
}

fn progress_bar(asked: &Asked) -> ProgressBar {
    let bar = ProgressBar::new(1);
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
