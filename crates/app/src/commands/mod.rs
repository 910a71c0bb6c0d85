//! The commands, one a file.

mod bar;
mod certificate;
mod check;
mod demo;
mod drives;
mod erase;
mod files;
mod free;
mod keys;
mod label;
mod ledger;
mod look;
mod lot;
mod methods;
mod notice;
mod past_year;
mod plan;
mod prove;
mod release;
mod residue;
mod schema;
mod start_medium;
mod unattended;
mod unlock;
mod whereabouts;

use crate::cli::{AppCommand, Arguments};
use jurex_documents::House;
use jurex_sign::KeyStore;
use jurex_station::app_paths::AppPaths;
use jurex_station::config::Config;
use jurex_station::exit::Failure;
pub(crate) use jurex_station::said::{output_failed, remark, say, say_json};
use jurex_station::service::People;
use jurex_station::signing::Signer;
use std::path::Path;
use std::process::ExitCode;

/// Carries out one command.
pub(crate) fn carry_out(arguments: Arguments) -> Result<ExitCode, Failure> {
    let theme = arguments.theme;
    // On the screen it is said by the interface.
    let has_command = arguments.command.is_some();
    if let Some(said) = AppPaths::find().ok().and_then(|places| places.two_ledgers()).filter(|_| has_command) {
        remark(&format!("jurex: {said}"));
    }
    match arguments.command {
        None => machine_interface(theme),
        Some(AppCommand::Demo(demo)) => demo::run(demo, theme),
        Some(AppCommand::Drives(table)) => drives::run(&table),
        Some(AppCommand::Look(look)) => look::run(&look),
        Some(AppCommand::Plan(plan)) => plan::run(&plan),
        Some(AppCommand::Methods(methods)) => methods::run(&methods),
        Some(AppCommand::Erase(erase)) => erase::run(&erase),
        Some(AppCommand::StartMedium(asked)) => start_medium::run(&asked),
        Some(AppCommand::Unattended(asked)) => unattended::run(&asked, theme),
        Some(AppCommand::Unlock(unlock)) => unlock::run(&unlock),
        Some(AppCommand::Certificate(certificate)) => certificate::run(&certificate),
        Some(AppCommand::Prove(prove)) => prove::run(&prove),
        Some(AppCommand::Residue(residue)) => residue::run(&residue),
        Some(AppCommand::Ledger(ledger)) => ledger::run(&ledger),
        Some(AppCommand::Notice(notice)) => notice::run(&notice),
        Some(AppCommand::Schema(schema)) => schema::run(&schema),
        Some(AppCommand::Lot(lot)) => lot::run(&lot),
        Some(AppCommand::Release(release)) => release::run(&release),
        Some(AppCommand::Label(label)) => label::run(&label),
        Some(AppCommand::Files(asked)) => files::run(&asked),
        Some(AppCommand::Free(asked)) => free::run(&asked),
        Some(AppCommand::Where(asked)) => whereabouts::run(&asked),
        Some(AppCommand::Keys(keys)) => keys::run(&keys),
        Some(AppCommand::Check(check)) => check::run(&check),
    }
}

fn machine_interface(theme: Option<jurex_station::config::ThemeName>) -> Result<ExitCode, Failure> {
    let places = AppPaths::find()?;
    let config = Config::read(&places.config_file())?;
    let (only, here) = (config.only.clone(), places.clone());
    let _running = jurex_station::lock::shared(&places.ledger());
    let seal = seal(&places, &config, jurex_station::paper::house(&places)?, false);
    let outbox = jurex_station::notices::outbox(&places, &config);
    let machine = jurex_station::machine::Machine::find()?;
    let says = places.two_ledgers().or_else(|| jurex_station::file_erase::clean_up(&places).into_iter().next());
    // What a start medium's own folder holds is gone when it is switched off: papers go where the ledger is.
    let out = if machine.is_some() { places.certificates() } else { "jurex-certificates".into() };
    let is_machine = machine.is_some();
    jurex_tui::run(jurex_tui::Setup {
        bench: Box::new(move || jurex_station::bench::Bench::machine(&only, &here)),
        theme: theme.or(config.theme),
        ledger: places.ledger(),
        log: places.log_folder(),
        out,
        config,
        config_file: places.config_file(),
        settings: jurex_station::settings::SettingsFile { path: places.config_file(), at_first: "" },
        policies: places.policies(),
        seal: seal.into(),
        keys: KeyStore::new(&places.keys()).known()?,
        outbox,
        machine,
        says,
        is_demo: false,
        // A machine that was started for this alone greets nobody: lists may be at work there.
        greeted: (!is_machine).then(|| places.greeted(false)),
        places,
    })
}

/// Signs the ledger's head; what could not be done, and what speaks against the ledger, the person at the terminal reads.
fn close_ledger(seal: &Signer, ledger: &Path) {
    seal.close(ledger).iter().for_each(|said| remark(&format!("jurex: {said}")));
}

/// Who elsewhere gets a notice when a job ends; `None`: nobody.
fn people(places: &AppPaths, config: &Config) -> Option<People> {
    jurex_station::notices::outbox(places, config).map(|outbox| People { outbox, bench: config.bench.clone() })
}

/// What vouches for the papers of a drive: of a real one the key of this bench, a person being asked for its passphrase; where there is
/// one and it can't sign, that is said. Asked for before the work: nobody stands here any more when it is over.
fn seal(places: &AppPaths, config: &Config, house: House, simulated: bool) -> Signer {
    if simulated {
        return Signer::none(house);
    }
    let seal = Signer::of(places, config, house, true);
    seal.unsigned().for_each(|why| remark(&format!("jurex: {why}")));
    seal
}
