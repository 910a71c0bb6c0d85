//! `jurex notice`: whether notices go out, and which wait.

use super::say;
use crate::cli::{NoticeArgs, NoticeDo};
use jurex_pattern::text::printable;
use jurex_station::app_paths::AppPaths;
use jurex_station::clock::wall;
use jurex_station::config::Config;
use jurex_station::exit::Failure;
use jurex_station::notices;
use std::process::ExitCode;

pub(crate) fn run(asked: &NoticeArgs) -> Result<ExitCode, Failure> {
    let places = AppPaths::find()?;
    let config = Config::read(&places.config_file())?;
    let outbox = notices::outbox(&places, &config).ok_or_else(|| {
        let file = jurex_pattern::text::shown_path(&places.config_file());
        Failure::Use(format!("nobody gets a notice: {file} has no [notice.mail] and no [notice.webhook]"))
    })?;
    match asked.what {
        NoticeDo::Test => {
            let tried = outbox.try_now(&notices::of_test(&config.bench));
            let all = tried.iter().all(|(_, sent)| sent.is_ok());
            for (way, sent) in &tried {
                match sent {
                    Ok(()) => say(&format!("{}: it was taken. Look whether it arrives.", way.word())),
                    Err(why) => say(&format!("✕ {}: {}", way.word(), printable(why.to_string().as_bytes()))),
                }
            }
            Ok(if all { ExitCode::SUCCESS } else { ExitCode::from(3) })
        }
        NoticeDo::Show => {
            let waiting = outbox.waiting();
            for w in &waiting {
                let why = w.why.as_deref().map(|why| format!(" ({why})")).unwrap_or_default();
                let line = format!(
                    "{}  {}  {}: tried {} times, next {}{why}",
                    w.notice.made,
                    w.way.word(),
                    w.notice.subject,
                    w.tries,
                    w.next
                );
                say(&printable(line.as_bytes()));
            }
            if waiting.is_empty() {
                say("No notice waits.");
            }
            Ok(ExitCode::SUCCESS)
        }
        NoticeDo::Send => {
            let sent = outbox.send_due(wall());
            say(&format!("{} went out.", jurex_pattern::units::counted(sent as u64, "notice")));
            let trouble = outbox.trouble();
            trouble.iter().for_each(|said| say(&printable(format!("✕ {said}").as_bytes())));
            Ok(if trouble.is_none() { ExitCode::SUCCESS } else { ExitCode::from(3) })
        }
    }
}
