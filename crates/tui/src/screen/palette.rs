//! The palette: everything that can be done, found by a few letters of its name.

use super::{Screen, ScreenAnswer, ScreenContext, WayTo};
use crate::action::{Action, BINDINGS, Binding, KeyPlace};
use crate::lane::Step;
use crate::state::State;
use jurex_look::column::{Column, shorten};
use jurex_look::field::{Field, Typed};
use jurex_look::panel::panel;
use jurex_look::theme::StyleRole;
use nucleo_matcher::pattern::{CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher, Utf32Str};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};

/// The palette while it is open.
pub(crate) struct Palette {
    field: Field,
    /// Place in what was found.
    cursor: usize,
    /// Everything that could be done when it was opened.
    offers: Vec<Offer>,
}

/// A line of the palette.
#[derive(Clone, Debug)]
struct Offer {
    binding: &'static Binding,
    /// Where it is done, and what.
    name: String,
    /// The step to go to first, if it is another than the present one.
    step: Option<Step>,
    /// Why it can't be done now.
    why_not: Option<String>,
}

/// What a place is called in the palette; `None` for places that only answer a question.
fn called(place: KeyPlace) -> Option<&'static str> {
    Some(match place {
        KeyPlace::Step(step) => step.name(),
        KeyPlace::Form => "Certify",
        KeyPlace::Bytes => "Bytes",
        KeyPlace::Methods => "Methods",
        KeyPlace::Lot => "Lot",
        KeyPlace::LedgerFind | KeyPlace::LedgerStory => "Ledger",
        KeyPlace::ReleaseForm => "Release",
        KeyPlace::Drives => "Drives",
        KeyPlace::Preview => "The paper",
        KeyPlace::Machine => "Machine",
        KeyPlace::FilesTree | KeyPlace::FilesPlan | KeyPlace::FreePlan | KeyPlace::FilesWork | KeyPlace::FilesOver => "Files",
        KeyPlace::Afar => "Wall view",
        KeyPlace::Bench | KeyPlace::Walking | KeyPlace::Lanes | KeyPlace::Anywhere => "Bench",
        KeyPlace::BytesPrompt
        | KeyPlace::MethodsSearch
        | KeyPlace::MethodsFile
        | KeyPlace::MethodsDelete
        | KeyPlace::Editor
        | KeyPlace::LotNaming
        | KeyPlace::Help
        | KeyPlace::StopQuestion
        | KeyPlace::QuitQuestion
        | KeyPlace::LessQuestion
        | KeyPlace::PapersQuestion
        | KeyPlace::Greeting
        | KeyPlace::Touring
        | KeyPlace::PlanRows
        | KeyPlace::MachineQuestion
        | KeyPlace::Countdown
        | KeyPlace::Typing
        | KeyPlace::Line
        | KeyPlace::Palette
        | KeyPlace::Settings
        | KeyPlace::SettingsField => return None,
    })
}

impl Palette {
    /// Of what can be done on this screen.
    pub(crate) fn over(screen: &dyn Screen, state: &State) -> Self {
        Self { field: Field::default(), cursor: 0, offers: offers(screen, state) }
    }

    /// What the letters find, the best first; with no letters everything, what can be done now first.
    fn found(&self) -> Vec<&Offer> {
        let text = self.field.value().trim();
        if text.is_empty() {
            // Only what can be done; what is asked for by name says why not.
            return self.offers.iter().filter(|o| o.why_not.is_none()).collect();
        }
        let pattern = Pattern::parse(text, CaseMatching::Ignore, Normalization::Smart);
        let mut matcher = Matcher::new(Config::DEFAULT);
        let mut letters = vec![];
        let mut scored: Vec<(u32, &Offer)> = self
            .offers
            .iter()
            .filter_map(|o| Some((pattern.score(Utf32Str::new(&o.name, &mut letters), &mut matcher)?, o)))
            .collect();
        // Sorting keeps the table's order among equals.
        scored.sort_by_key(|(score, offer)| (offer.why_not.is_some(), std::cmp::Reverse(*score)));
        scored.into_iter().map(|(_, offer)| offer).collect()
    }

    /// The chosen line goes to the screen beneath; what can't be done says why.
    fn choose(&self, state: &mut State) -> ScreenAnswer {
        // A scanner's line end is no answer of a person.
        if state.in_burst() {
            return ScreenAnswer::stay();
        }
        let found = self.found();
        let Some(offer) = found.get(self.cursor) else { return ScreenAnswer::back() };
        match &offer.why_not {
            Some(why) => {
                state.notice = Some(why.clone());
                ScreenAnswer::back()
            }
            None => ScreenAnswer::give(ScreenContext::Offer(offer.step, offer.binding.action)),
        }
    }
}

/// Every action once, as it stands first in the table for the place where one is, else for its own.
fn offers(screen: &dyn Screen, state: &State) -> Vec<Offer> {
    let here = screen.places(state);
    let mut offers: Vec<Offer> = vec![];
    let is_here = |b: &&'static Binding| here.contains(&b.place);
    for binding in BINDINGS.iter().filter(is_here).chain(BINDINGS.iter().filter(|b| !is_here(b))) {
        let Some(place) = called(binding.place) else { continue };
        let known = |o: &Offer| o.binding.action == binding.action && called(o.binding.place) == Some(place);
        if binding.action == Action::Palette || offers.iter().any(known) {
            continue;
        }
        let why_not = || screen.why_not(state, binding.action);
        let (step, why_not) = match screen.way_to(state, binding.place) {
            _ if is_here(&binding) => (None, why_not()),
            WayTo::Step(step) => (Some(step), why_not()),
            WayTo::Closed(why) => (None, Some(why)),
            WayTo::None => (None, Some(format!("That is done in {place}."))),
        };
        offers.push(Offer { binding, name: format!("{place}: {}", binding.label), step, why_not });
    }
    offers
}

impl Screen for Palette {
    fn places(&self, _: &State) -> Vec<KeyPlace> {
        vec![KeyPlace::Palette]
    }

    fn perform(&mut self, state: &mut State, action: Action) -> ScreenAnswer {
        match action {
            Action::RowBefore => self.cursor = self.cursor.saturating_sub(1),
            Action::RowAfter => self.cursor = (self.cursor + 1).min(self.found().len().saturating_sub(1)),
            Action::Take => return self.choose(state),
            Action::Back => return ScreenAnswer::back(),
            _ => {}
        }
        ScreenAnswer::stay()
    }

    fn type_in(&mut self, _: &mut State, typed: &Typed<'_>) {
        self.field.take(typed);
        self.cursor = 0;
    }

    fn fills(&self) -> bool {
        false
    }

    /// What is typed, and what it finds; of what can't be done now the reason.
    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        let inner = panel(state.theme, 96, 26, area, buffer);
        let mut column = Column::new(inner, buffer, state.theme);
        let room = usize::from(column.width());
        let style = |role| state.theme.style(role);
        let prompt = Span::styled("Do what?  ", style(StyleRole::Faint));
        column.line(Line::from_iter(std::iter::once(prompt).chain(self.field.spans(state.theme, room.saturating_sub(10), true))));
        column.gap();
        let found = self.found();
        if found.is_empty() {
            return column.sentence("Nothing has these letters.", StyleRole::Faint);
        }
        let rows = usize::from(column.left()).saturating_sub(1).max(1);
        let first = self.cursor.saturating_sub(rows.saturating_sub(1));
        for (at, offer) in found.iter().enumerate().skip(first).take(rows) {
            let here = at == self.cursor;
            let role = match (here, &offer.why_not) {
                (true, _) => StyleRole::Strong,
                (false, None) => StyleRole::Text,
                (false, Some(_)) => StyleRole::Faint,
            };
            let mark = if here { "▸ " } else { "  " };
            let why = offer.why_not.as_deref().unwrap_or_default();
            let name_room = (room / 2).clamp(20, 44);
            column.line(Line::from(vec![
                Span::styled(mark, style(StyleRole::Act)),
                Span::styled(format!("{:<name_room$}", shorten(&offer.name, name_room - 1)), style(role)),
                Span::styled(format!("{:<10}", offer.binding.shown), style(StyleRole::Act)),
                Span::styled(shorten(why, room.saturating_sub(name_room + 12)), style(StyleRole::Faint)),
            ]));
        }
        if found.len() > first + rows {
            column.line(Line::styled(format!("  … {} more lines ↓", found.len() - first - rows), style(StyleRole::Faint)));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_action_that_is_no_answer_has_a_name_of_its_own() {
        let mut names: Vec<(String, Action)> =
            BINDINGS.iter().filter_map(|b| Some((format!("{}: {}", called(b.place)?, b.label), b.action))).collect();
        names.sort_by(|a, b| a.0.cmp(&b.0));
        names.dedup();
        let twins: Vec<&(String, Action)> = names.windows(2).filter(|w| w[0].0 == w[1].0).map(|w| &w[0]).collect();
        assert!(twins.is_empty(), "two actions of one name: {twins:?}");
    }
}
