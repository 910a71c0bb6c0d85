//! The methods page: the library with search, and the editor of methods and passes.

mod editor;
mod view;

use super::{PlaceHelp, Screen, ScreenAnswer, ScreenContext, ScreenEvent};
use crate::action::{Action, KeyPlace};
use crate::lane::LaneId;
use crate::message::Effect;
use crate::state::State;
use editor::{EditField, Editor};
use jurex_look::field::{Field, Typed};
use jurex_look::window;
use jurex_pattern::method::{Catalogue, Method, Status};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use std::path::PathBuf;

/// What a chosen method is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum MethodTarget {
    /// Only to be read.
    Nothing,
    /// The plan of this lane.
    Lane(LaneId),
    /// The row of the lot page that was chosen there.
    Lot,
}

/// Under which heading a method stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum MethodGroup {
    Own,
    InForce,
    Withdrawn,
}

impl MethodGroup {
    fn of(status: Status) -> Self {
        match status {
            Status::Own => Self::Own,
            Status::Current => Self::InForce,
            Status::Replaced | Status::Historical | Status::Proposal => Self::Withdrawn,
        }
    }

    fn heading(self) -> &'static str {
        match self {
            Self::Own => "Your own",
            Self::InForce => "In force",
            Self::Withdrawn => "Withdrawn, replaced, or never in force",
        }
    }
}

/// The page.
pub(crate) struct MethodsPage {
    target: MethodTarget,
    /// What is searched for; being typed while `typing`.
    search: Field,
    typing: Typing,
    /// Place in what was found.
    cursor: usize,
    /// First line of the right side that is shown.
    scroll: u16,
    editor: Option<Editor>,
}

/// What letters go into.
#[derive(Clone, Debug, PartialEq)]
enum Typing {
    Nothing,
    Search,
    /// Name of a file to write to.
    Export(Field),
    /// Name of a file to take in.
    Import(Field),
    /// Take away the chosen method? Asked.
    Delete,
}

impl MethodsPage {
    fn new(target: MethodTarget) -> Self {
        Self { target, search: Field::default(), typing: Typing::Nothing, cursor: 0, scroll: 0, editor: None }
    }

    /// The library, only to be read.
    pub(crate) fn to_read() -> Self {
        Self::new(MethodTarget::Nothing)
    }

    /// To choose one for the plan of this lane.
    pub(crate) fn for_lane(state: &State, lane: LaneId) -> Self {
        let method = state.lanes.get(lane).and_then(|l| l.draft.method.as_ref());
        let cursor = method.and_then(|m| state.catalogue.methods().iter().position(|c| c.name == m.name)).unwrap_or(0);
        Self { cursor, ..Self::new(MethodTarget::Lane(lane)) }
    }

    /// To choose one for a row of the lot.
    pub(crate) fn for_lot() -> Self {
        Self::new(MethodTarget::Lot)
    }

    /// The editor on the passes of this lane's plan.
    pub(crate) fn for_passes(state: &State, lane: LaneId) -> Self {
        let program = state.lanes.get(lane).map(|l| l.draft.order.program.clone());
        let editor = program.map(|program| Editor::of_passes(&program));
        Self { editor, ..Self::for_lane(state, lane) }
    }

    /// The methods that the search finds.
    fn found<'c>(&self, catalogue: &'c Catalogue) -> Vec<&'c Method> {
        let mut found = catalogue.search(self.search.value());
        found.sort_by_key(|method| MethodGroup::of(method.status));
        found
    }

    /// The chosen method.
    fn chosen<'c>(&self, catalogue: &'c Catalogue) -> Option<&'c Method> {
        self.found(catalogue).get(self.cursor).copied()
    }

    /// After a change of what is searched for the chosen row is still one.
    fn keep_cursor_in_list(&mut self, catalogue: &Catalogue) {
        self.cursor = self.cursor.min(self.found(catalogue).len().saturating_sub(1));
    }

    fn perform_in_list(&mut self, state: &State, action: Action) -> ScreenAnswer {
        let last = self.found(&state.catalogue).len().saturating_sub(1);
        match action {
            Action::Back if self.typing == Typing::Nothing => return ScreenAnswer::back(),
            Action::Back => {
                if self.typing == Typing::Search {
                    self.search.clear();
                }
                self.typing = Typing::Nothing;
            }
            Action::Take => return ScreenAnswer::to_do(self.typed(&state.catalogue)),
            Action::RowBefore => (self.cursor, self.scroll) = (self.cursor.saturating_sub(1), 0),
            Action::RowAfter => (self.cursor, self.scroll) = ((self.cursor + 1).min(last), 0),
            Action::First => (self.cursor, self.scroll) = (0, 0),
            Action::Last => (self.cursor, self.scroll) = (last, 0),
            Action::ScrollUp | Action::ScrollDown => {
                let (down, most) = (action == Action::ScrollDown, view::most_scroll(state, self));
                self.scroll = window::scrolled(self.scroll, down, state.size.1, most);
            }
            Action::TakeMethod => return self.take_method(&state.catalogue),
            Action::SearchMethods => {
                self.search.clear();
                (self.typing, self.cursor) = (Typing::Search, 0);
            }
            Action::NewMethod => self.editor = Some(Editor::of_new()),
            Action::EditMethod => self.editor = self.chosen(&state.catalogue).map(Editor::of_method),
            Action::DeleteMethod => self.typing = Typing::Delete,
            Action::ConfirmDelete => return ScreenAnswer::to_do(self.delete_method(&state.catalogue)),
            Action::ExportMethod => {
                let name = self.chosen(&state.catalogue).map(|m| format!("{}.toml", m.name)).unwrap_or_default();
                self.typing = Typing::Export(Field::of(&name));
            }
            Action::ImportMethods => self.typing = Typing::Import(Field::default()),
            _ => {}
        }
        ScreenAnswer::stay()
    }

    /// Gives the chosen method to who asked for one.
    fn take_method(&self, catalogue: &Catalogue) -> ScreenAnswer {
        match (self.chosen(catalogue), self.target) {
            (None, _) | (_, MethodTarget::Nothing) => ScreenAnswer::stay(),
            (Some(method), MethodTarget::Lane(lane)) => {
                ScreenAnswer::give(ScreenContext::Method(Some(lane), Box::new(method.clone())))
            }
            (Some(method), MethodTarget::Lot) => ScreenAnswer::give(ScreenContext::Method(None, Box::new(method.clone()))),
        }
    }

    /// Does what was typed.
    fn typed(&mut self, catalogue: &Catalogue) -> Vec<Effect> {
        match std::mem::replace(&mut self.typing, Typing::Nothing) {
            Typing::Search | Typing::Nothing => vec![],
            // Taking away is answered by its own letter, not by the key that a scanner sends.
            Typing::Delete => {
                self.typing = Typing::Delete;
                vec![]
            }
            Typing::Import(file) if !file.value().trim().is_empty() => {
                vec![Effect::ImportMethods(PathBuf::from(file.value().trim()))]
            }
            Typing::Export(file) if !file.value().trim().is_empty() => {
                let methods = self.chosen(catalogue).into_iter().cloned().collect();
                vec![Effect::ExportMethods(methods, PathBuf::from(file.value().trim()))]
            }
            Typing::Import(_) | Typing::Export(_) => vec![],
        }
    }

    fn delete_method(&mut self, catalogue: &Catalogue) -> Vec<Effect> {
        self.typing = Typing::Nothing;
        let Some(name) = self.chosen(catalogue).map(|m| m.name.clone()) else { return vec![] };
        let mut without = catalogue.clone();
        without.remove(&name);
        vec![Effect::SaveMethods(without, format!("`{name}` was taken away."))]
    }

    fn perform_in_editor(&mut self, state: &mut State, action: Action) -> ScreenAnswer {
        let Some(editor) = self.editor.as_mut() else { return ScreenAnswer::stay() };
        match action {
            Action::Back if editor.asks_before_leaving() => {
                state.notice = Some("Your changes are not saved: Esc again drops them, any other key keeps them.".into());
            }
            Action::Back => {
                let only_passes = editor.saves.is_none();
                self.editor = None;
                return if only_passes { ScreenAnswer::back() } else { ScreenAnswer::stay() };
            }
            Action::Take => return self.save_edited(state),
            Action::FieldAfter | Action::FieldBefore => editor.next_field(action == Action::FieldAfter),
            _ => {}
        }
        ScreenAnswer::stay()
    }

    /// Saves the edited method, or gives the edited passes to the plan that they are for.
    fn save_edited(&mut self, state: &mut State) -> ScreenAnswer {
        let Some(editor) = self.editor.as_mut() else { return ScreenAnswer::stay() };
        editor.leaving = false;
        let program = match editor.checked(&state.catalogue) {
            Ok(program) => program,
            Err(why) => {
                state.refuse(&why);
                return ScreenAnswer::stay();
            }
        };
        let Some(saves) = &editor.saves else {
            return match self.target {
                MethodTarget::Lane(lane) => ScreenAnswer::give(ScreenContext::Passes(lane, program)),
                MethodTarget::Lot | MethodTarget::Nothing => ScreenAnswer::back(),
            };
        };
        let method = editor.method(program);
        let name = method.name.clone();
        let mut with = state.catalogue.clone();
        if let Some(old) = &saves.replaces {
            with.remove(old);
        }
        match with.add(method) {
            Ok(()) => ScreenAnswer::to_do(vec![Effect::SaveMethods(with, format!("`{name}` is saved in config.toml."))]),
            Err(e) => {
                state.refuse(&e);
                ScreenAnswer::stay()
            }
        }
    }
}

impl Screen for MethodsPage {
    fn places(&self, _: &State) -> Vec<KeyPlace> {
        if self.editor.is_some() {
            return vec![KeyPlace::Editor, KeyPlace::Typing];
        }
        match self.typing {
            Typing::Search => vec![KeyPlace::MethodsSearch, KeyPlace::Typing],
            Typing::Export(_) | Typing::Import(_) => vec![KeyPlace::MethodsFile, KeyPlace::Typing],
            Typing::Delete => vec![KeyPlace::MethodsDelete],
            Typing::Nothing => vec![KeyPlace::Methods, KeyPlace::Anywhere],
        }
    }

    fn why_not(&self, state: &State, action: Action) -> Option<String> {
        let own = || self.chosen(&state.catalogue).is_some_and(|m| m.status == Status::Own);
        let why = match action {
            Action::TakeMethod if self.target == MethodTarget::Nothing => {
                "To use a method, choose a drive, go to Plan, and press m there."
            }
            Action::DeleteMethod if !own() => "Only methods of your own can be taken away; the library stays.",
            _ => return None,
        };
        Some(why.into())
    }

    fn perform(&mut self, state: &mut State, action: Action) -> ScreenAnswer {
        if self.editor.is_some() { self.perform_in_editor(state, action) } else { self.perform_in_list(state, action) }
    }

    fn type_in(&mut self, state: &mut State, typed: &Typed<'_>) {
        match (&mut self.editor, &mut self.typing) {
            (Some(editor), _) => editor.type_in(typed),
            (None, Typing::Search) => {
                self.search.take(typed);
            }
            (None, Typing::Export(field) | Typing::Import(field)) => {
                field.take(typed);
            }
            (None, Typing::Nothing | Typing::Delete) => {}
        }
        self.keep_cursor_in_list(&state.catalogue);
    }

    fn click(&mut self, state: &mut State, place: (u16, u16)) -> ScreenAnswer {
        if let Some(at) = view::method_at(state, self, place) {
            self.cursor = at;
        }
        ScreenAnswer::stay()
    }

    /// Methods were saved: the one that was edited is chosen in the list.
    fn hear(&mut self, state: &mut State, heard: &ScreenEvent) -> bool {
        let ScreenEvent::MethodsSaved = heard else { return false };
        let edited = self.editor.take().map(|e| e.text(EditField::Name).trim().to_string());
        let at = edited.and_then(|name| self.found(&state.catalogue).iter().position(|m| m.is_called(&name)));
        self.cursor = at.unwrap_or(self.cursor);
        self.keep_cursor_in_list(&state.catalogue);
        true
    }

    fn about(&self, _: &State) -> Option<PlaceHelp> {
        Some((
            "Methods",
            [
                "Which passes, and who ordered them?",
                "The library keeps the facts of the documents: issuer, year, passes. Historical ones stay because contracts ask for them.",
                "Methods of your own are kept in config.toml; their names never hide the library's.",
            ],
        ))
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        view::draw(state, self, area, buffer);
    }
}
