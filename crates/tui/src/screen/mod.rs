//! What fills the screen or lies over it. Screens lie on one another in a stack; each owns its state, its keys and its
//! drawing, and answers what is to become of it. The lowest is the bench, which never goes.

pub(super) mod afar;
pub(super) mod drives;
pub(super) mod files;
pub(super) mod greeting;
pub(super) mod help;
pub(super) mod ledger;
pub(super) mod line;
pub(super) mod lot;
pub(super) mod machine;
pub(super) mod methods;
pub(super) mod palette;
pub(super) mod preview;
pub(super) mod question;
pub(super) mod settings;

use super::action::{Action, KeyPlace};
use super::lane::{LaneId, Step};
use super::message::{Effect, FoundDrives};
use super::state::State;
use jurex_look::field::Typed;
use jurex_past::JobLine;
use jurex_pattern::method::Method;
use jurex_pattern::notation::Program;
use jurex_sanitize::policy::Policy;
use jurex_station::story::Story;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// What becomes of a screen that was asked to do something, and what is to be done in the world.
pub(crate) struct ScreenAnswer {
    pub(crate) turn: Transition,
    pub(crate) commands: Vec<Effect>,
}

/// What becomes of a screen.
pub(crate) enum Transition {
    Stay,
    /// Another one is laid over it.
    Push(Box<dyn Screen>),
    /// It goes; what lies beneath is given this.
    Back(Option<ScreenContext>),
}

impl ScreenAnswer {
    /// The screen stays as it is.
    pub(crate) fn stay() -> Self {
        Self::to_do(vec![])
    }

    /// The screen stays, and this is to be done.
    pub(crate) fn to_do(commands: Vec<Effect>) -> Self {
        Self { turn: Transition::Stay, commands }
    }

    /// Another screen is laid over this one.
    pub(crate) fn push(screen: impl Screen + 'static) -> Self {
        Self { turn: Transition::Push(Box::new(screen)), commands: vec![] }
    }

    /// The screen goes.
    pub(crate) fn back() -> Self {
        Self { turn: Transition::Back(None), commands: vec![] }
    }

    /// The screen goes and gives something to the one beneath.
    pub(crate) fn give(given: ScreenContext) -> Self {
        Self { turn: Transition::Back(Some(given)), commands: vec![] }
    }

    /// The same, and this is to be done.
    pub(crate) fn and(self, commands: Vec<Effect>) -> Self {
        Self { commands, ..self }
    }
}

/// What a screen gives to the one that lies beneath it.
pub(crate) enum ScreenContext {
    /// A method that was chosen, for the plan of this lane if it was asked for one.
    Method(Option<LaneId>, Box<Method>),
    /// Passes of one's own for the plan of this lane.
    Passes(LaneId, Program),
    /// Passes for less than a drive, in the notation.
    Notation(String),
    /// Something to do, at another step if one is named.
    Offer(Option<Step>, Action),
}

/// What was done in the world for a screen.
pub(crate) enum ScreenEvent {
    /// The methods are saved; the catalogue is the new one.
    MethodsSaved,
    Policy(Box<Policy>),
    SettingSaved,
    /// Why a setting was not saved.
    SettingNotSaved(String),
    /// Jobs in which this was found, older than that one.
    Jobs(String, Option<i64>, Result<Vec<JobLine>, String>),
    /// A job's story.
    Story(Box<Story>),
    /// The drives of such a serial, or all that are still open.
    Where(String, Result<FoundDrives, String>),
    /// What the machine said when it was asked for something.
    Machine(Result<String, String>),
}

/// Name and words of a place, for its help.
pub(crate) type PlaceHelp = (&'static str, [&'static str; 3]);

/// How one gets to a place.
pub(crate) enum WayTo {
    /// By going to this step.
    Step(Step),
    /// Not now: why.
    Closed(String),
    /// It is no place of this screen.
    None,
}

/// One screen of the stack.
pub(crate) trait Screen {
    /// Where one is on it, from the innermost place outwards.
    fn places(&self, state: &State) -> Vec<KeyPlace>;

    /// Why something can't be done now, in one sentence; `None` if it can.
    fn why_not(&self, _state: &State, _action: Action) -> Option<String> {
        None
    }

    /// Does what was asked for, by a key or from the palette.
    fn perform(&mut self, state: &mut State, action: Action) -> ScreenAnswer;

    /// Something is typed into the field that is open.
    fn type_in(&mut self, _state: &mut State, _typed: &Typed<'_>) {}

    /// A click at that place.
    fn click(&mut self, _state: &mut State, _place: (u16, u16)) -> ScreenAnswer {
        ScreenAnswer::stay()
    }

    /// The screen above has gone and gives this.
    fn take(&mut self, _state: &mut State, _given: ScreenContext) -> ScreenAnswer {
        ScreenAnswer::stay()
    }

    /// Something was done in the world that it may wait for. Gives whether it did.
    fn hear(&mut self, _state: &mut State, _heard: &ScreenEvent) -> bool {
        false
    }

    /// Computes anew what it shows, where what that rests on has changed.
    fn refresh(&mut self, _state: &mut State) {}

    /// How one gets to a place of this screen where one is not now.
    fn way_to(&self, _state: &State, _place: KeyPlace) -> WayTo {
        WayTo::None
    }

    /// Whether it fills the screen; if not, what lies beneath is seen around it.
    fn fills(&self) -> bool {
        true
    }

    /// What its help says; over what has none, no help is opened.
    fn about(&self, _state: &State) -> Option<PlaceHelp> {
        None
    }

    /// Draws it: into the room between top and bottom line if it fills the screen, else over the whole.
    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer);
}
