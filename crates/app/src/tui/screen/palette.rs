//! The palette: everything that can be done, found by a few letters of its name.

use crate::tui::action::{Action, BINDINGS, Binding, Place, beneath_dialogs, why_not};
use crate::tui::state::{App, Page, Step};
use crate::tui::widget::field::Field;
use nucleo_matcher::pattern::{CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher, Utf32Str};

/// The palette while it is open.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Palette {
    pub(crate) field: Field,
    /// Place in what was found.
    pub(crate) cursor: usize,
}

/// A line of the palette.
#[derive(Clone, Debug)]
pub(crate) struct Offer {
    pub(crate) binding: &'static Binding,
    /// Where it is done, and what.
    pub(crate) name: String,
    /// The step to go to first, if it is another than the present one.
    pub(crate) from: Option<Step>,
    /// Why it can't be done now.
    pub(crate) why_not: Option<String>,
}

/// What a place is called in the palette; `None` for places that only answer a question.
fn called(place: Place) -> Option<&'static str> {
    Some(match place {
        Place::Step(step) => step.name(),
        Place::Form => "Certify",
        Place::Bytes => "Bytes",
        Place::Methods => "Methods",
        Place::Lot => "Lot",
        Place::Bench | Place::Walking | Place::Lanes | Place::Anywhere => "Bench",
        Place::BytesPrompt
        | Place::MethodsSearch
        | Place::MethodsFile
        | Place::MethodsDelete
        | Place::Editor
        | Place::LotNaming
        | Place::Help
        | Place::StopQuestion
        | Place::QuitQuestion
        | Place::Countdown
        | Place::Typing
        | Place::Line
        | Place::Palette
        | Place::Settings
        | Place::SettingsField => return None,
    })
}

impl Palette {
    /// What the letters find, the best first; with no letters everything, what can be done now first.
    pub(crate) fn found(&self, app: &App) -> Vec<Offer> {
        let all = offers(app);
        let text = self.field.value().trim();
        if text.is_empty() {
            let (can, cannot): (Vec<Offer>, Vec<Offer>) = all.into_iter().partition(|o| o.why_not.is_none());
            return can.into_iter().chain(cannot).collect();
        }
        let pattern = Pattern::parse(text, CaseMatching::Ignore, Normalization::Smart);
        let mut matcher = Matcher::new(Config::DEFAULT);
        let mut letters = vec![];
        let mut scored: Vec<(u32, Offer)> = all
            .into_iter()
            .filter_map(|o| Some((pattern.score(Utf32Str::new(&o.name, &mut letters), &mut matcher)?, o)))
            .collect();
        // Sorting keeps the table's order among equals.
        scored.sort_by_key(|(score, offer)| (offer.why_not.is_some(), std::cmp::Reverse(*score)));
        scored.into_iter().map(|(_, offer)| offer).collect()
    }
}

/// Every action once, as it stands first in the table for the place where one is, else for its own.
fn offers(app: &App) -> Vec<Offer> {
    let here = beneath_dialogs(app);
    let mut offers: Vec<Offer> = vec![];
    let is_here = |b: &&'static Binding| here.contains(&b.place);
    for binding in BINDINGS.iter().filter(is_here).chain(BINDINGS.iter().filter(|b| !is_here(b))) {
        let Some(place) = called(binding.place) else { continue };
        let known = |o: &Offer| o.binding.action == binding.action && called(o.binding.place) == Some(place);
        if binding.action == Action::Palette || offers.iter().any(known) {
            continue;
        }
        let (from, why_not) = reachable(app, binding, &here);
        offers.push(Offer { binding, name: format!("{place}: {}", binding.label), from, why_not });
    }
    offers
}

/// The step to go to first, and why it can't be done.
fn reachable(app: &App, binding: &Binding, here: &[Place]) -> (Option<Step>, Option<String>) {
    if here.contains(&binding.place) {
        return (None, why_not(app, binding.action));
    }
    match binding.place {
        Place::Step(step) if matches!(app.page, Page::Bench) => {
            let missing = app.lane().and_then(|l| l.missing(step));
            (Some(step), missing.or_else(|| why_not(app, binding.action)))
        }
        place => (None, Some(format!("That is done in {}.", called(place).unwrap_or("another place")))),
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
