//! Where a drive is: found by its serial from any screen; and, as long as nothing is typed, every drive that somebody must still see to.

use super::{PlaceHelp, Screen, ScreenAnswer, ScreenEvent};
use crate::action::{Action, KeyPlace};
use crate::message::{AskLedger, Effect, FoundDrives};
use crate::state::State;
use crate::widget::story::story;
use jurex_disposition::release::{DriveStatus, OpenItem};
use jurex_look::column::{Column, fit};
use jurex_look::field::{Field, Typed};
use jurex_look::theme::StyleRole;
use jurex_look::window::{self, Scroll};
use jurex_past::KnownDrive;
use ratatui::buffer::Buffer;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::{Line, Span};

/// The page.
pub(crate) struct DrivesPage {
    field: Field,
    /// What the answer is of; `None`: nothing was answered yet.
    answered: Option<String>,
    found: FoundDrives,
    cursor: usize,
    scroll: u16,
    problem: Option<String>,
}

impl DrivesPage {
    /// With everything that is still open; asks for it.
    pub(crate) fn open(state: &mut State) -> Self {
        state.to_do.push(Effect::Ledger(AskLedger::Where(String::new())));
        Self { field: Field::default(), answered: None, found: vec![], cursor: 0, scroll: 0, problem: None }
    }

    /// What was found, under headings. The ledger knows of a job at work only that it was begun: such drives stand apart, and wait for nobody.
    fn groups(&self, state: &State) -> Vec<Group<'_>> {
        let is_at_work = |known: &&KnownDrive| is_at_work(state, known);
        let now: Vec<&KnownDrive> = self.found.iter().flat_map(|(_, known)| known).filter(is_at_work).collect();
        let n = now.len();
        let first = Group { heading: Some(format!("Being erased now ({n})")), drives: now, more: 0 };
        let others = self.found.iter().map(|(under, known)| {
            let drives: Vec<&KnownDrive> = known.iter().filter(|known| !is_at_work(known)).collect();
            let at_work = (known.len() - drives.len()) as u64;
            let heading = under.map(|(matter, n)| format!("{} ({})", matter.heading(), n.saturating_sub(at_work)));
            Group { heading, drives, more: under.map_or(0, |(_, n)| n.saturating_sub(known.len() as u64)) }
        });
        std::iter::once(first).chain(others).filter(|g| !g.drives.is_empty() || g.more > 0).collect()
    }

    fn chosen(&self, state: &State) -> Option<&KnownDrive> {
        self.groups(state).into_iter().flat_map(|g| g.drives).nth(self.cursor)
    }

    fn go(&mut self, to: usize) {
        let all: usize = self.found.iter().map(|(_, known)| known.len()).sum();
        (self.cursor, self.scroll) = (to.min(all.saturating_sub(1)), 0);
    }

    fn sides(area: Rect) -> [Rect; 2] {
        if area.width < 100 {
            return Layout::vertical([Constraint::Percentage(55), Constraint::Min(0)]).areas(area);
        }
        let [_, left, _, right, _] = Layout::horizontal([
            Constraint::Length(1),
            Constraint::Percentage(55),
            Constraint::Length(2),
            Constraint::Min(0),
            Constraint::Length(1),
        ])
        .areas(area);
        [left, right]
    }

    fn list(&self, state: &State, column: &mut Column<'_>) {
        let style = |role| state.theme.style(role);
        column.question("Where is it, and what is still open?");
        let room = usize::from(column.width()).saturating_sub(12);
        let label = Span::styled("  serial   ", style(StyleRole::Faint));
        column.line(Line::from_iter(std::iter::once(label).chain(self.field.spans(state.theme, room, true))));
        column.gap();
        if let Some(problem) = &self.problem {
            return column.sentence(&format!("✕ {problem}"), StyleRole::Strong);
        }
        if self.found.iter().all(|(_, known)| known.is_empty()) {
            let said = match self.answered.as_deref() {
                None => "Looking …",
                Some("") => "Nothing is open: every drive that came to this bench has an end.",
                Some(_) => "No drive of such a serial is known here.",
            };
            return column.sentence(said, StyleRole::Text);
        }
        let mut at = 0;
        for group in self.groups(state) {
            if let Some(heading) = &group.heading {
                column.heading(heading);
            }
            for known in group.drives {
                let here = at == self.cursor;
                if here {
                    column.focus = Some(column.used());
                }
                self.row(state, known, here, column);
                at += 1;
            }
            if group.more > 0 {
                column.sentence(&format!("  and {} more", group.more), StyleRole::Faint);
            }
        }
    }

    fn row(&self, state: &State, known: &KnownDrive, here: bool, column: &mut Column<'_>) {
        let style = |role| state.theme.style(role);
        let width = usize::from(column.width());
        let told = |s: &DriveStatus| format!("{}; {}", s.place.sentence(), treated_said(state, known, s));
        let place = known.standing.as_ref().map(told).unwrap_or_default();
        let since = known.standing.as_ref().map(|s| s.since.strftime("%Y-%m-%d").to_string()).unwrap_or_default();
        let name = fit(&known.name, 20);
        let rest = width.saturating_sub(2 + 20 + 1 + 11);
        column.line(Line::from(vec![
            Span::styled(if here { "▸ " } else { "  " }, style(StyleRole::Act)),
            Span::styled(name, style(if here { StyleRole::Strong } else { StyleRole::Text })),
            Span::styled(format!(" {since} "), style(StyleRole::Faint)),
            Span::styled(fit(&place, rest), style(StyleRole::Text)),
        ]));
    }

    fn story(&self, state: &State, column: &mut Column<'_>) {
        let Some(known) = self.chosen(state) else { return };
        column.sentence(&known.called(), StyleRole::Strong);
        column.gap();
        let Some(standing) = &known.standing else { return };
        column.fact("where it is", &known.whereabouts().unwrap_or_default());
        let matter = standing.matter().filter(|_| !is_at_work(state, known));
        let role = if matter == Some(OpenItem::Undecided) { StyleRole::Fault } else { StyleRole::Text };
        column.fact_in("erased", &treated_said(state, known, standing), role);
        matter.into_iter().for_each(|m| column.fact("still open", &m.heading().to_lowercase()));
        column.gap();
        story(standing, column);
    }
}

/// Drives under a heading, and how many more there are that are not shown.
struct Group<'p> {
    heading: Option<String>,
    drives: Vec<&'p KnownDrive>,
    more: u64,
}

/// Whether its newest job is at work at this bench.
fn is_at_work(state: &State, known: &KnownDrive) -> bool {
    let newest = known.jobs.last().map(|line| &line.job);
    newest.is_some() && state.lanes.iter().any(|lane| lane.running_job() == newest)
}

/// What was done to it, in a few words.
fn treated_said(state: &State, known: &KnownDrive, standing: &DriveStatus) -> String {
    match known.jobs.last() {
        Some(line) if is_at_work(state, known) => format!("job {} is at work on it", line.job),
        _ => standing.treated_said(),
    }
}

impl Screen for DrivesPage {
    fn places(&self, _: &State) -> Vec<KeyPlace> {
        vec![KeyPlace::Drives, KeyPlace::Typing]
    }

    fn perform(&mut self, state: &mut State, action: Action) -> ScreenAnswer {
        match action {
            Action::Back if !self.field.value().is_empty() => {
                self.field.clear();
                state.to_do.push(Effect::Ledger(AskLedger::Where(String::new())));
            }
            Action::Back => return ScreenAnswer::back(),
            Action::RowBefore => self.go(self.cursor.saturating_sub(1)),
            Action::RowAfter => self.go(self.cursor + 1),
            Action::ScrollUp | Action::ScrollDown => {
                let body = Rect::new(0, 1, state.size.0, state.size.1.saturating_sub(2));
                let most = window::most_scroll(state.theme, Self::sides(body)[1], |column| self.story(state, column));
                self.scroll = window::scrolled(self.scroll, action == Action::ScrollDown, state.size.1, most);
            }
            _ => {}
        }
        ScreenAnswer::stay()
    }

    fn type_in(&mut self, state: &mut State, typed: &Typed<'_>) {
        if self.field.take(typed) {
            state.to_do.push(Effect::Ledger(AskLedger::Where(self.field.value().to_string())));
        }
    }

    fn hear(&mut self, _: &mut State, heard: &ScreenEvent) -> bool {
        let ScreenEvent::Where(asked, found) = heard else { return false };
        // What was typed since then has been asked for too.
        if asked == self.field.value() {
            match found {
                Err(why) => self.problem = Some(why.clone()),
                Ok(found) => (self.found, self.problem, self.answered) = (found.clone(), None, Some(asked.clone())),
            }
            self.go(0);
        }
        true
    }

    fn about(&self, _: &State) -> Option<PlaceHelp> {
        Some((
            "Drives",
            [
                "Where is it, and what is still open?",
                "A part of the serial finds a drive, whether it is attached or not. With nothing typed, all that still needs somebody is listed.",
                "Where a drive is follows from its jobs and from what was noted of it in Release, or by jurex release.",
            ],
        ))
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        let [left, right] = Self::sides(area);
        window::draw(state.theme, left, Scroll::Follows, buffer, |column| self.list(state, column));
        if area.width >= 100 {
            for y in left.top()..left.bottom() {
                buffer.set_string(left.right(), y, "│", state.theme.style(StyleRole::Line));
            }
        }
        window::draw(state.theme, right, Scroll::From(self.scroll), buffer, |column| self.story(state, column));
    }
}
