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
mod order;
mod plan;
mod prove;
mod release;
mod residue;
mod schema;
mod start_medium;
mod stop;
mod unattended;
mod unlock;
mod whereabouts;

use crate::cli::{Arguments, Command};
use crate::config::Config;
use crate::exit::Failure;
use crate::places::Places;
use crate::signing::Seal;
use jurex_report::House;
use jurex_sign::KeyStore;
pub(crate) use look::{own_erases, region_line};
use std::path::Path;
use std::process::ExitCode;
pub(crate) use stop::StopOnSignal;
pub(crate) use unattended::{Entry, Round, Stand};

/// Carries out one command.
pub(crate) fn carry_out(arguments: Arguments) -> Result<ExitCode, Failure> {
    let theme = arguments.theme;
    match arguments.command {
        None => machine_interface(theme),
        Some(Command::Demo(demo)) => demo::run(demo, theme),
        Some(Command::Drives(table)) => drives::run(&table),
        Some(Command::Look(look)) => look::run(&look),
        Some(Command::Plan(plan)) => plan::run(&plan),
        Some(Command::Methods(methods)) => methods::run(&methods),
        Some(Command::Erase(erase)) => erase::run(&erase),
        Some(Command::StartMedium(asked)) => start_medium::run(&asked),
        Some(Command::Unattended(asked)) => unattended::run(&asked, theme),
        Some(Command::Unlock(unlock)) => unlock::run(&unlock),
        Some(Command::Certificate(certificate)) => certificate::run(&certificate),
        Some(Command::Prove(prove)) => prove::run(&prove),
        Some(Command::Residue(residue)) => residue::run(&residue),
        Some(Command::Ledger(ledger)) => ledger::run(&ledger),
        Some(Command::Notice(notice)) => notice::run(&notice),
        Some(Command::Schema(schema)) => schema::run(&schema),
        Some(Command::Lot(lot)) => lot::run(&lot),
        Some(Command::Release(release)) => release::run(&release),
        Some(Command::Label(label)) => label::run(&label),
        Some(Command::Files(asked)) => files::run(&asked),
        Some(Command::Free(asked)) => free::run(&asked),
        Some(Command::Where(asked)) => whereabouts::run(&asked),
        Some(Command::Keys(keys)) => keys::run(&keys),
        Some(Command::Check(check)) => check::run(&check),
    }
}

fn machine_interface(theme: Option<crate::config::ThemeName>) -> Result<ExitCode, Failure> {
    let places = Places::find()?;
    let config = Config::read(&places.config_file())?;
    let (only, here) = (config.only.clone(), places.clone());
    let _running = crate::lock::shared(&places.ledger());
    let seal = seal(&places, &config, crate::paper::house(&places)?, false);
    let outbox = crate::notices::outbox(&places, &config);
    let machine = crate::machine::Machine::find()?;
    let says = crate::less::clean_up(&places).into_iter().next();
    // What a start medium's own folder holds is gone when it is switched off: papers go where the ledger is.
    let out = if machine.is_some() { places.certificates() } else { "jurex-certificates".into() };
    crate::tui::run(crate::tui::Setup {
        bench: Box::new(move || crate::bench::Bench::machine(&only, &here)),
        theme: theme.or(config.theme),
        ledger: places.ledger(),
        log: places.log_folder(),
        out,
        config,
        config_file: places.config_file(),
        settings: crate::settings::SettingsFile { path: places.config_file(), at_first: "" },
        policies: places.policies(),
        seal: seal.into(),
        keys: KeyStore::new(&places.keys()).known()?,
        outbox,
        machine,
        says,
        places: Some(places),
    })
}

/// Prints a line. A result that could not be written is an error at the end ([`output_failed`]); a reader that has gone
/// away (`jurex drives | head -1`) is none of Jurex's business.
pub(crate) fn say(text: &str) {
    use std::io::Write;
    if let Err(e) = writeln!(std::io::stdout(), "{text}") {
        let mut failed = OUTPUT_FAILED.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        failed.get_or_insert_with(|| e.to_string());
    }
}

/// Prints a JSON document on one line.
pub(crate) fn say_json(value: &serde_json::Value) {
    say(&jurex_core::text::safe_json(&value.to_string()));
}

static OUTPUT_FAILED: std::sync::Mutex<Option<String>> = std::sync::Mutex::new(None);

/// Why something that was to be printed was not, if it was not.
pub(crate) fn output_failed() -> Option<String> {
    use std::io::Write;
    let told = OUTPUT_FAILED.lock().unwrap_or_else(std::sync::PoisonError::into_inner).clone();
    told.or_else(|| std::io::stdout().flush().err().map(|e| e.to_string()))
}

/// The same beside the results, on the error stream: a terminal that is gone must not end a job.
pub(crate) fn remark(text: &str) {
    use std::io::Write;
    let _ = writeln!(std::io::stderr(), "{text}");
}

/// Signs the ledger's head; what could not be done, and what speaks against the ledger, the person at the terminal reads.
fn close_ledger(seal: &Seal, ledger: &Path) {
    seal.close(ledger).iter().for_each(|said| remark(&format!("jurex: {said}")));
}

/// What vouches for the papers of a drive: of a real one the key of this bench, a person being asked for its passphrase; where there is
/// one and it can't sign, that is said. Asked for before the work: nobody stands here any more when it is over.
fn seal(places: &Places, config: &Config, house: House, simulated: bool) -> Seal {
    if simulated {
        return Seal::none(house);
    }
    let seal = Seal::of(places, config, house, true);
    seal.unsigned().for_each(|why| remark(&format!("jurex: {why}")));
    seal
}
