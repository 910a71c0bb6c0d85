//! What is asked of the machine that a start medium has started, on threads of their own.

use super::Runtime;
use crate::message::Message;
use jiff::Timestamp;
use jurex_ledger::Ledger;
use jurex_linux::System;
use jurex_station::clock::wall;
use jurex_station::config::ConfigError;
use jurex_station::machine::{Ask, Machine, USUAL_KEYBOARD, USUAL_ZONE};
use jurex_station::settings::Setting;
use std::path::Path;
use std::thread;

impl Runtime {
    /// Asks it; what it says comes back as a message.
    pub(super) fn ask_machine(&self, ask: Ask) {
        let (Some(machine), sender) = (self.app.state.machine.clone(), self.sender.clone()) else { return };
        let (again, only) = (self.only.clone(), self.app.state.config.only.clone());
        thread::spawn(move || {
            let said = machine.ask(&ask);
            if matches!(ask, Ask::Sleep | Ask::Carry(_)) {
                // Drives may answer otherwise now, or were in use meanwhile: all are looked at anew.
                let _ = again.send(only);
            }
            let _ = sender.send(Message::Machine(ask, said));
        });
    }

    /// Looks what is to be known of it and, where that is asked for, which volumes there are.
    pub(super) fn look_at_machine(&self, volumes: bool) {
        let (Some(machine), sender) = (self.app.state.machine.clone(), self.sender.clone()) else { return };
        let (ledger, again, only) = (self.ledger.clone(), self.only.clone(), self.app.state.config.only.clone());
        thread::spawn(move || {
            let _ = sender.send(Message::Notes(notes(&machine, &ledger)));
            if volumes {
                let _ = sender.send(Message::Volumes(machine.volumes(), machine.keyboards()));
                // While they were looked for, drives were open: whoever listed them then has seen them in use.
                let _ = again.send(only);
            }
        });
    }

    /// Tells the machine of a setting that it must take before it is saved.
    pub(super) fn tell_machine(&mut self, setting: Setting, text: &str) -> Result<(), ConfigError> {
        let ask = match setting {
            Setting::Keyboard => Ask::Keyboard(if text.is_empty() { USUAL_KEYBOARD } else { text }.into()),
            Setting::Zone => Ask::Zone(if text.is_empty() { USUAL_ZONE } else { text }.into()),
            _ => return Ok(()),
        };
        let Some(machine) = &mut self.app.state.machine else { return Ok(()) };
        machine.ask(&ask).map_err(|why| ConfigError::Machine(why.trim_end_matches('.').into()))?;
        machine.has_done(&ask);
        Ok(())
    }
}

/// What was found at the start, what the clock says, and what has no driver.
fn notes(machine: &Machine, ledger: &Path) -> Vec<String> {
    let undriven = System::default().undriven().into_iter().map(|u| u.sentence());
    machine.notes(wall(), newest(ledger)).into_iter().chain(undriven).collect()
}

/// When the newest job of the ledger began, if there is one.
fn newest(ledger: &Path) -> Option<Timestamp> {
    let ledger = ledger.exists().then(|| Ledger::open_to_read(ledger).ok())??;
    ledger.find("", None, 1).ok()?.first()?.started.parse().ok()
}
