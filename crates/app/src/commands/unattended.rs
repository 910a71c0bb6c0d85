//! `jurex unattended LIST`: erases the drives that a list names, and no others. The list is the label check, made beforehand by a person.

use super::{people, remark, say};
use crate::cli::UnattendedArgs;
use jurex_station::app_paths::AppPaths;
use jurex_station::bench::Bench;
use jurex_station::clock::ThisMachine;
use jurex_station::config::{AfterList, Config, ThemeName};
use jurex_station::exit::Failure;
use jurex_station::machine::{Ask, Machine};
use jurex_station::round::{Round, RoundWork};
use jurex_station::service::JobService;
use jurex_station::signing::Signer;
use jurex_station::stop::StopOnSignal;
use jurex_station::{files, list};
use jurex_tui::WallView;
use std::process::ExitCode;
use std::sync::Arc;
use std::time::Duration;

pub(crate) fn run(asked: &UnattendedArgs, theme: Option<ThemeName>) -> Result<ExitCode, Failure> {
    let places = AppPaths::find()?;
    let config = Config::read(&places.config_file())?;
    let machine = Machine::find()?;
    let (listed, unused) = list::read(&asked.list, &config.catalogue()?)?;
    if !unused.is_empty() {
        remark(&format!("jurex: columns that nothing is known of, passed over: {}", unused.join(", ")));
    }
    files::check_folder(&asked.out).map_err(|e| Failure::Use(format!("{e}. Nothing was written to any drive")))?;
    let ledger = places.ledger();
    let _running = jurex_station::lock::shared(&ledger);
    let house = jurex_station::paper::house(&places)?;
    // Nobody is there to be asked for a passphrase.
    let seal = Signer::of(&places, &config, house, false);
    seal.unsigned().for_each(|why| remark(&format!("jurex: {why}")));
    let stop = StopOnSignal::install()?;
    let bench = Bench::machine(&config.only, &places);
    let (theme, bell) = (theme.or(config.theme), config.bell.unwrap_or(true));
    let goes_off = config.after_list == AfterList::PowerOff;
    let machine = machine.filter(|_| goes_off);
    let people = people(&places, &config);
    let service = JobService { ledger, habits: config.habits(), seal: seal.into(), people, around: Arc::new(ThisMachine) };
    let work = RoundWork { service, out: asked.out.clone(), places, config, stop: stop.clone() };
    let mut round = Round::new(work, bench, listed)?;
    if asked.screen {
        let watch = WallView { theme, bell, switches_off: machine.is_some() };
        if jurex_tui::watch(&mut round, &stop, &watch)? {
            machine.iter().for_each(switch_off);
        }
        return Ok(round.code());
    }
    while !round.is_over() {
        round.step(Duration::from_millis(200));
        round.news().iter().for_each(|line| say(line));
    }
    round.news().iter().for_each(|line| say(line));
    say(&round.sentence());
    // Where something is left to be seen, the machine stays on.
    machine.iter().filter(|_| round.is_done()).for_each(switch_off);
    Ok(round.code())
}

fn switch_off(machine: &Machine) {
    if let Err(why) = machine.ask(&Ask::SwitchOff) {
        remark(&format!("jurex: it could not be switched off: {why}"));
    }
}
