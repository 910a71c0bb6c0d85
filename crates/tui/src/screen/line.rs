//! A line that is typed over the screen: which drive to find, or which range of sectors a plan covers.

use super::{Screen, ScreenAnswer, ScreenContext};
use crate::action::{Action, KeyPlace};
use crate::lane::LaneId;
use crate::message::Effect;
use crate::state::State;
use jurex_look::column::shorten;
use jurex_look::field::{Field, Typed};
use jurex_look::panel::typed;
use jurex_pattern::notation::Program;
use jurex_sanitize::plan::Secret;
use jurex_station::machine::Ask;
use jurex_station::settings::Setting;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The line.
pub(crate) struct TypedLine {
    asks: Asks,
    field: Field,
}

/// What is asked for.
enum Asks {
    /// A drive, by what it says of itself.
    Drive,
    /// A range of sectors for the plan of this lane.
    Range(LaneId),
    /// The PSID on the label of this lane's drive.
    Psid(LaneId),
    /// The name of a keyboard layout; these there are.
    Keyboard(Vec<String>),
    /// The name of a zone.
    Zone,
    /// Date and time.
    Clock,
    /// Passes in the notation, for less than a drive.
    Passes,
}

impl TypedLine {
    /// Which drive?
    pub(crate) fn to_find() -> Self {
        Self { asks: Asks::Drive, field: Field::default() }
    }

    /// Which passes? These are set now.
    pub(crate) fn of_passes(now: &str) -> Self {
        Self { asks: Asks::Passes, field: Field::of(now) }
    }

    /// Which PSID stands on the drive's label? A scanner may type it.
    pub(crate) fn of_psid(lane: LaneId) -> Self {
        Self { asks: Asks::Psid(lane), field: Field::default() }
    }

    /// Which keyboard layout, of these?
    pub(crate) fn of_keyboard(names: Vec<String>) -> Self {
        Self { asks: Asks::Keyboard(names), field: Field::default() }
    }

    /// Which zone?
    pub(crate) fn of_zone() -> Self {
        Self { asks: Asks::Zone, field: Field::default() }
    }

    /// What time is it?
    pub(crate) fn of_clock() -> Self {
        Self { asks: Asks::Clock, field: Field::default() }
    }

    /// Which sectors for the plan of this lane?
    pub(crate) fn of_range(lane: LaneId) -> Self {
        Self { asks: Asks::Range(lane), field: Field::default() }
    }
}

impl TypedLine {
    /// Saves what is typed as that setting.
    fn saved(&self, setting: Setting) -> Vec<Effect> {
        vec![Effect::SaveSetting(setting, self.field.value().trim().to_string())]
    }
}

impl Screen for TypedLine {
    fn places(&self, _: &State) -> Vec<KeyPlace> {
        vec![KeyPlace::Line]
    }

    fn perform(&mut self, state: &mut State, action: Action) -> ScreenAnswer {
        match (action, &self.asks) {
            (Action::Take, Asks::Drive) => state.find(self.field.value()),
            // What means no range stays, to be mended.
            (Action::Take, Asks::Range(lane)) if !take_range(state, *lane, self.field.value()) => return ScreenAnswer::stay(),
            (Action::Take, Asks::Psid(lane)) => return take_psid(state, *lane, self.field.value()),
            (Action::Take, Asks::Keyboard(_)) => return ScreenAnswer::back().and(self.saved(Setting::Keyboard)),
            (Action::Take, Asks::Zone) => return ScreenAnswer::back().and(self.saved(Setting::Zone)),
            (Action::Take, Asks::Clock) => {
                let asked = Effect::Machine(Ask::Clock(self.field.value().trim().to_string()));
                return ScreenAnswer::back().and(vec![asked]);
            }
            (Action::Take, Asks::Passes) => {
                let typed = self.field.value().trim().to_string();
                if let Err(e) = typed.parse::<Program>() {
                    state.refuse(&e);
                    return ScreenAnswer::stay();
                }
                return ScreenAnswer::give(ScreenContext::Notation(typed));
            }
            (Action::Take | Action::Back, _) => {}
            _ => return ScreenAnswer::stay(),
        }
        ScreenAnswer::back()
    }

    fn type_in(&mut self, _: &mut State, typed: &Typed<'_>) {
        self.field.take(typed);
    }

    fn fills(&self) -> bool {
        false
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        let question = match &self.asks {
            Asks::Drive => "Find a drive by serial, model or path: ".to_string(),
            Asks::Psid(_) => "PSID, as it is printed on the drive's label: ".into(),
            Asks::Range(_) if area.width < 110 => "First and last sector, or p1; empty: all: ".into(),
            Asks::Range(_) => "First and last sector, or p1 for the first partition; empty for the whole drive: ".into(),
            Asks::Keyboard(names) => {
                format!("Layout ({}): ", shorten(&names.join(" "), usize::from(area.width).saturating_sub(30)))
            }
            Asks::Passes => "Passes, as random, or 00 | ~ | random?: ".into(),
            Asks::Zone => "Zone, as Europe/Lisbon: ".into(),
            Asks::Clock => "Date and time of this zone, as 2026-11-26 15:04: ".into(),
        };
        typed(state.theme, &question, &self.field, area, buffer);
    }
}

/// Takes the PSID and makes the plan; one of another length than labels have stays, to be mended.
fn take_psid(state: &mut State, id: LaneId, text: &str) -> ScreenAnswer {
    let secret = Secret::psid(text);
    const PRINTED: usize = 32;
    let length = secret.text().chars().count();
    let Some(lane) = state.lanes.get_mut(id) else { return ScreenAnswer::back() };
    if !lane.seen.drive.simulated && length != PRINTED {
        state.notice = Some(format!("A PSID has {PRINTED} signs, and that has {length}: read it from the label again."));
        return ScreenAnswer::stay();
    }
    lane.draft.secret = Some(secret);
    let commands = state.take_plan();
    ScreenAnswer::back().and(commands)
}

/// Takes the range for the plan of the lane, or says what is wrong with it. Gives whether it was taken.
fn take_range(state: &mut State, lane: LaneId, text: &str) -> bool {
    let Some(lane) = state.lanes.get_mut(lane) else { return true };
    match lane.range_of(text) {
        Ok(range) => {
            lane.draft.order.range = range;
            // A mark says that the whole drive was erased.
            lane.draft.order.marks &= range.is_none();
            lane.stage.drop_plan();
            true
        }
        Err(why) => {
            state.refuse(&why);
            false
        }
    }
}
