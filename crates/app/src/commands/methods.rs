//! `jurex methods [NAME]`: the library of overwrite methods and those of one's own.

use super::{say, say_json};
use crate::cli::Methods;
use jurex_pattern::method::{Catalogue, Method};
use jurex_pattern::text::shorten;
use jurex_station::app_paths::AppPaths;
use jurex_station::config::Config;
use jurex_station::exit::Failure;
use jurex_station::methods::{export, import};
use jurex_station::order;
use serde_json::json;
use std::process::ExitCode;

pub(crate) fn run(asked: &Methods) -> Result<ExitCode, Failure> {
    let config_file = AppPaths::find()?.config_file();
    let catalogue = Config::read(&config_file)?.catalogue()?;
    if let Some(file) = &asked.import {
        let (_, names) = import(&catalogue, file, &config_file)?;
        say(&format!("taken into {}: {}", config_file.display(), names.join(", ")));
        return Ok(ExitCode::SUCCESS);
    }
    let named = asked.name.as_ref().map(|name| order::find(&catalogue, name)).transpose()?;
    if let Some(file) = &asked.export {
        let methods: Vec<&Method> = named.map_or_else(|| catalogue.own().collect(), |m| vec![m]);
        export(&methods, file)?;
        return Ok(ExitCode::SUCCESS);
    }
    match named {
        Some(method) if asked.json => say_json(&as_json(method)),
        Some(method) => one(method),
        None => several(&catalogue, asked),
    }
    Ok(ExitCode::SUCCESS)
}

fn several(catalogue: &Catalogue, asked: &Methods) {
    let found = catalogue.search(asked.search.as_deref().unwrap_or_default());
    if asked.json {
        return say_json(&json!(found.into_iter().map(as_json).collect::<Vec<_>>()));
    }
    say(&format!("{:<22}{:>6}  {:<12}{:<40}{}", "NAME", "PASSES", "STATUS", "SOURCE", "NOTATION"));
    for m in found {
        let (source, notation) = (shorten(&m.source(), 38), shorten(&m.program.to_string(), 60));
        say(&format!("{:<22}{:>6}  {:<12}{source:<40}{notation}", m.name, m.program.passes(), m.status.word()));
    }
}

fn as_json(method: &Method) -> serde_json::Value {
    let mut all = json!(method);
    all["number_of_passes"] = json!(method.program.passes());
    all["asks_verified"] = json!(method.asks_verified());
    all
}

fn one(m: &Method) {
    say(&format!("{} ({})", m.title, m.name));
    say(&format!("  source    {}", m.source()));
    say(&format!("  status    {}", m.status.sentence()));
    say(&format!("  passes    {}, written {}", m.program.passes(), m.program));
    say(&format!("  verified  {}", m.asks_verified()));
    say(&format!("  costs     {} times the drive to write, and what is read back (see `jurex plan`)", m.program.passes()));
    if !m.remark.is_empty() {
        say(&format!("  remark    {}", m.remark));
    }
}
