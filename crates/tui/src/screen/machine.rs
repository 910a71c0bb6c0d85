//! The machine that a start medium has started: what was found at the start, where records are kept, and what can be asked of it.

use super::line::TypedLine;
use super::question::Question;
use super::{PlaceHelp, Screen, ScreenAnswer, ScreenEvent};
use crate::action::{Action, KeyPlace};
use crate::message::Effect;
use crate::state::State;
use jurex_look::column::Column;
use jurex_look::theme::StyleRole;
use jurex_look::window::{self, Scroll};
use jurex_station::machine::{Ask, CarryVolume, Machine};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};

/// The page.
#[derive(Default)]
pub(crate) struct MachinePage {
    cursor: usize,
    /// What was answered last, and whether it was done.
    said: Option<Result<String, String>>,
    /// Whether an answer is waited for.
    waits: bool,
}

/// A line of the page that something can be done at.
#[derive(Clone, Debug, PartialEq, Eq)]
enum MachineItem {
    Carry(CarryVolume),
    Keyboard,
    Zone,
    Clock,
    Sleep,
    SwitchOffAfter,
    Restart,
    SwitchOff,
}

impl MachineItem {
    fn label(&self, state: &State) -> String {
        match self {
            MachineItem::Carry(volume) => {
                let name = if volume.label.is_empty() { "without a name" } else { &volume.label };
                format!("carry all records to {name} ({}, {})", volume.device, volume.kind)
            }
            MachineItem::Keyboard => format!("keyboard layout: {}", state.machine.as_ref().map_or("", Machine::keyboard)),
            MachineItem::Zone => format!("zone of the times: {}", state.machine.as_ref().map_or("", Machine::zone)),
            MachineItem::Clock => "set the clock".into(),
            MachineItem::Sleep => "let the machine sleep and wake, to thaw frozen drives".into(),
            MachineItem::SwitchOffAfter => {
                let now = if state.switches_off_after { "yes" } else { "no" };
                format!("switch off when the last job has ended: {now}")
            }
            MachineItem::Restart => "restart the machine".into(),
            MachineItem::SwitchOff => "switch the machine off".into(),
        }
    }

    /// What it means, in one sentence.
    fn about(&self, state: &State) -> &'static str {
        match self {
            MachineItem::Carry(_) => {
                "Ledger, papers, keys and settings are copied into a folder of their own there, and read back. Nothing there is overwritten."
            }
            MachineItem::Keyboard => {
                "Another layout, by its name; it is kept in the settings. A scanner must be set to the same one."
            }
            MachineItem::Zone => {
                "Another zone, by its name, as Europe/Lisbon; it is kept in the settings. Records hold universal time."
            }
            MachineItem::Clock => "The time of this zone, as 2026-11-26 15:04; the hardware clock is set too.",
            MachineItem::Sleep => {
                "Firmware may freeze the security commands of drives when it starts. In sleep (S3) their power goes, and after it some \
                 firmware leaves them alone. Not while a job runs."
            }
            MachineItem::SwitchOffAfter => "A minute after the last job has ended, told by sound; any key stops it.",
            MachineItem::Restart | MachineItem::SwitchOff if state.loses_records() => {
                "RECORDS ARE IN MEMORY ALONE, and lost then: carry them to a stick first."
            }
            MachineItem::Restart | MachineItem::SwitchOff => "Not while a job runs. What was written is on its medium.",
        }
    }
}

impl MachinePage {
    /// With the volumes that records can be carried to; asks for them.
    pub(crate) fn open(state: &mut State) -> Self {
        state.to_do.push(Effect::Volumes);
        Self::default()
    }

    fn items(state: &State) -> Vec<MachineItem> {
        let carry = state.volumes.iter().cloned().map(MachineItem::Carry);
        let rest = [
            MachineItem::Keyboard,
            MachineItem::Zone,
            MachineItem::Clock,
            MachineItem::Sleep,
            MachineItem::SwitchOffAfter,
            MachineItem::Restart,
            MachineItem::SwitchOff,
        ];
        carry.chain(rest).collect()
    }

    fn chosen(&self, state: &State) -> MachineItem {
        let items = Self::items(state);
        items[self.cursor.min(items.len() - 1)].clone()
    }

    fn take(&mut self, state: &mut State) -> ScreenAnswer {
        let busy = state.is_busy();
        match self.chosen(state) {
            MachineItem::Carry(volume) => {
                self.waits = true;
                ScreenAnswer::to_do(vec![Effect::Machine(Ask::Carry(volume.device))])
            }
            MachineItem::Keyboard => ScreenAnswer::push(TypedLine::of_keyboard(state.keyboards.clone())),
            MachineItem::Zone => ScreenAnswer::push(TypedLine::of_zone()),
            MachineItem::Clock => ScreenAnswer::push(TypedLine::of_clock()),
            MachineItem::SwitchOffAfter => {
                state.switches_off_after = !state.switches_off_after;
                ScreenAnswer::stay()
            }
            MachineItem::Sleep | MachineItem::Restart | MachineItem::SwitchOff if busy => {
                self.said = Some(Err("Not while a job runs: it would be cut short.".into()));
                ScreenAnswer::stay()
            }
            MachineItem::Sleep => ScreenAnswer::push(Question::machine(Ask::Sleep, state.now)),
            MachineItem::Restart => ScreenAnswer::push(Question::machine(Ask::Restart, state.now)),
            MachineItem::SwitchOff => ScreenAnswer::push(Question::machine(Ask::SwitchOff, state.now)),
        }
    }

    fn column(&self, state: &State, column: &mut Column<'_>) {
        let style = |role| state.theme.style(role);
        column.question("What is this machine, and what should it do?");
        // Elsewhere the page can't be opened.
        let Some(machine) = &state.machine else { return };
        column.fact("started from", &machine.started_from());
        let role = if machine.keeps() { StyleRole::Text } else { StyleRole::Fault };
        column.fact_in("keeps records in", &machine.keeps_in(), role);
        column.gap();
        if !state.machine_notes.is_empty() {
            column.heading("To know");
            state.machine_notes.iter().for_each(|note| column.sentence(&format!("▸ {note}"), StyleRole::Strong));
            column.gap();
        }
        column.heading("To do");
        for (at, item) in Self::items(state).iter().enumerate() {
            let here = at == self.cursor;
            if here {
                column.focus = Some(column.used());
            }
            let mark = Span::styled(if here { "▸ " } else { "  " }, style(StyleRole::Act));
            let role = if here { StyleRole::Strong } else { StyleRole::Text };
            column.line(Line::from_iter([mark, Span::styled(item.label(state), style(role))]));
        }
        if state.volumes.is_empty() {
            column.sentence(
                "  (No stick is here that records could be carried to: put one in, and open this page again.)",
                StyleRole::Faint,
            );
        }
        column.gap();
        column.sentence(self.chosen(state).about(state), StyleRole::Text);
        column.gap();
        match &self.said {
            _ if self.waits => column.sentence("At it …", StyleRole::Strong),
            Some(Ok(said)) => column.sentence(&format!("✓ {said}"), StyleRole::Proved),
            Some(Err(why)) => column.sentence(&format!("✕ {why}"), StyleRole::Fault),
            None => {}
        }
    }
}

impl Screen for MachinePage {
    fn places(&self, _: &State) -> Vec<KeyPlace> {
        vec![KeyPlace::Machine, KeyPlace::Anywhere]
    }

    fn perform(&mut self, state: &mut State, action: Action) -> ScreenAnswer {
        let last = Self::items(state).len() - 1;
        match action {
            Action::Back => return ScreenAnswer::back(),
            Action::RowBefore => self.cursor = self.cursor.saturating_sub(1),
            Action::RowAfter => self.cursor = (self.cursor + 1).min(last),
            Action::Take if !self.waits => return self.take(state),
            _ => {}
        }
        ScreenAnswer::stay()
    }

    fn hear(&mut self, _: &mut State, heard: &ScreenEvent) -> bool {
        let said = match heard {
            ScreenEvent::Machine(said) => said.clone(),
            ScreenEvent::SettingSaved => Ok("It holds from now on, and is kept in the settings.".into()),
            ScreenEvent::SettingNotSaved(why) => Err(format!("{why}.")),
            _ => return false,
        };
        (self.said, self.waits) = (Some(said), false);
        true
    }

    fn refresh(&mut self, state: &mut State) {
        self.cursor = self.cursor.min(Self::items(state).len() - 1);
    }

    fn about(&self, _: &State) -> Option<PlaceHelp> {
        Some((
            "Machine",
            [
                "What is this machine, and what should it do?",
                "It was started from a Jurex medium. What that could not do, or could not drive, stands under \"To know\".",
                "The medium itself is guarded, and so is every other start medium that is attached.",
            ],
        ))
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        let area = Rect { x: area.x + 1, width: area.width.saturating_sub(2), ..area };
        window::draw(state.theme, area, Scroll::Follows, buffer, |column| self.column(state, column));
    }
}
