//! `jurex unattended LIST`: erases the drives that a list names, and no others. The list is the label check, made beforehand by a person.

mod round;

use super::order;
use super::stop::StopOnSignal;
use super::{remark, say};
use crate::bench::Bench;
use crate::cli::{self, Unattended};
use crate::config::Config;
use crate::exit::Failure;
use crate::files;
use crate::machine::{Ask, Machine};
use crate::places::Places;
use crate::signing::Seal;
use crate::tui::{self, Watch};
use jurex_core::method::Catalogue;
use jurex_core::orders::{OrderLine, Orders};
use jurex_core::text::{printable, shown_path};
pub(crate) use round::{Entry, Round, Stand};
use std::path::Path;
use std::process::ExitCode;
use std::time::Duration;

/// A list is no larger than this, in mebibytes.
const MOST_MIB: u64 = 4;

/// A line of the list with its plan understood.
#[derive(Debug)]
pub(crate) struct Listed {
    pub(crate) line: OrderLine,
    pub(crate) order: cli::OrderArgs,
}

pub(crate) fn run(asked: &Unattended, theme: Option<crate::config::ThemeName>) -> Result<ExitCode, Failure> {
    let places = Places::find()?;
    let config = Config::read(&places.config_file())?;
    let machine = Machine::find()?;
    let listed = read(&asked.list, &config.catalogue()?)?;
    files::check_folder(&asked.out).map_err(|e| Failure::Use(format!("{e}. Nothing was written to any drive")))?;
    let ledger = places.ledger();
    let _running = crate::lock::shared(&ledger);
    let house = crate::paper::house(&places)?;
    // Nobody is there to be asked for a passphrase.
    let seal = Seal::of(&places, &config, house, false);
    seal.unsigned().for_each(|why| remark(&format!("jurex: {why}")));
    let stop = StopOnSignal::install()?;
    let bench = Bench::machine(&config.only, &places);
    let (theme, bell) = (theme.or(config.theme), config.bell.unwrap_or(true));
    let goes_off = config.after_list == crate::config::AfterList::PowerOff;
    let machine = machine.filter(|_| goes_off);
    let work = round::Work { ledger, out: asked.out.clone(), places, config, seal, stop: stop.clone() };
    let mut round = Round::new(work, bench, listed)?;
    if asked.screen {
        let watch = Watch { theme, bell, switches_off: machine.is_some() };
        if tui::watch(&mut round, &stop, &watch)? {
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

/// The list, every plan of it understood before anything is done.
fn read(path: &Path, catalogue: &Catalogue) -> Result<Vec<Listed>, Failure> {
    let file = shown_path(path);
    let unreadable = |why| Failure::Use(format!("cannot read the list {file}: {why}. Nothing was written"));
    let bytes = files::read_plain(path, MOST_MIB).map_err(unreadable)?;
    let orders = Orders::from_csv(&bytes).map_err(|e| Failure::Use(format!("{file}: {e}")))?;
    if !orders.unused.is_empty() {
        remark(&format!("jurex: columns that nothing is known of, passed over: {}", orders.unused.join(", ")));
    }
    let mut wrong = vec![];
    let mut listed = vec![];
    for line in orders.orders {
        match understood(&line, catalogue) {
            Ok(order) => listed.push(Listed { line, order }),
            Err(why) => wrong.push(format!("line {}: {why}", line.by.line)),
        }
    }
    if wrong.is_empty() {
        return Ok(listed);
    }
    Err(Failure::Use(format!("{file}: nothing of the list is carried out: {}", wrong.join("; "))))
}

/// The plan of a line, as it would be understood after `jurex erase DRIVE`.
fn understood(line: &OrderLine, catalogue: &Catalogue) -> Result<cli::OrderArgs, String> {
    let shown = printable(line.plan.as_bytes());
    let words = shlex::split(&line.plan).ok_or_else(|| format!("`{shown}` has a quotation mark without its other"))?;
    let order = cli::order_of(words).map_err(|why| format!("`{shown}` is no plan: {why}"))?;
    if order.from.is_some() || order.partition.is_some() {
        return Err(format!("`{shown}` is of a part of a drive: a list is of whole drives"));
    }
    if order.method.is_none() && order.passes.is_none() && order.way.is_none() {
        return Err(format!("`{shown}` names no method, no passes and no way"));
    }
    order::check_listed(&order, catalogue)?;
    Ok(order)
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_core::orders::ByList;

    fn line(plan: &str) -> OrderLine {
        let by = ByList { sha256: String::new(), line: 2, approved_by: "Tomasz Averill".into() };
        OrderLine { serial: "FM0500T3XW8D".into(), plan: plan.into(), sectors: None, namespace: None, by }
    }

    #[test]
    fn a_plan_is_understood_as_after_erase_and_what_a_list_can_t_mean_is_refused() {
        let understood = |line: &OrderLine| super::understood(line, &Catalogue::default());
        assert_eq!(understood(&line("--passes '00 | random?' --verify none")).unwrap().passes.unwrap(), "00 | random?");
        for (plan, says) in [
            ("--method zeros --partition 1", "part of a drive"),
            ("--method zeros --from 0 --to 9", "part of a drive"),
            ("--verify full", "names no method"),
            ("--passes '00", "quotation mark"),
            ("--method zeros --label-check 123456", "no plan"),
            ("--resume", "no plan"),
            ("--method nothing-like-it", "no method"),
            ("--passes '00 | zz'", "passes are wrong"),
            ("/dev/sda --method zeros", "no plan"),
            ("--way tcg-revert", "PSID"),
        ] {
            let said = understood(&line(plan)).unwrap_err();
            assert!(said.contains(says), "{plan}: {said}");
        }
    }
}
