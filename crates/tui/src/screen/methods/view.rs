//! The methods page: the library on the left, one method or the editor on the right.

use super::editor::{EditField, Editor};
use super::{MethodGroup, MethodTarget, MethodsPage, Typing};
use crate::lane::Lane;
use crate::state::State;
use jurex_device::media::{Bus, Drive, Geometry, MediaClass};
use jurex_look::column::{Column, fit, shorten, words};
use jurex_look::field::Field;
use jurex_look::theme::StyleRole;
use jurex_look::window::{self, Scroll};
use jurex_look::{preview as strata_of, strata};
use jurex_pattern::method::{Method, Status};
use jurex_pattern::notation::{NoEntropy, Program};
use jurex_pattern::units::duration;
use jurex_sanitize::contents::Contents;
use jurex_sanitize::estimate::of_order;
use jurex_sanitize::plan::{Order, Plan};
use ratatui::buffer::Buffer;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::{Line, Span};

pub(super) fn draw(state: &State, page: &MethodsPage, area: Rect, buffer: &mut Buffer) {
    let (left, right) = sides(area);
    for y in left.top()..left.bottom() {
        buffer.set_string(left.right(), y, "│", state.theme.style(StyleRole::Line));
    }
    list(state, page, left, buffer);
    let scroll = if page.editor.is_some() { Scroll::Follows } else { Scroll::From(page.scroll) };
    window::draw(state.theme, right, scroll, buffer, |column| right_side(state, page, column));
}

/// The room of the list, and that of one method or the editor.
fn sides(area: Rect) -> (Rect, Rect) {
    let [_, left, _, right, _] = Layout::horizontal([
        Constraint::Length(1),
        Constraint::Length(list_width(area.width)),
        Constraint::Length(2),
        Constraint::Min(0),
        Constraint::Length(1),
    ])
    .areas(area);
    (left, right)
}

/// The farthest that the right side can be scrolled.
pub(super) fn most_scroll(state: &State, page: &MethodsPage) -> u16 {
    let (_, right) = sides(Rect::new(0, 1, state.size.0, state.size.1.saturating_sub(2)));
    window::most_scroll(state.theme, right, |column| right_side(state, page, column))
}

fn right_side(state: &State, page: &MethodsPage, column: &mut Column<'_>) {
    match &page.editor {
        Some(editor) => edit(state, page, editor, column),
        None => match page.chosen(&state.catalogue) {
            Some(method) => one(state, page, method, column),
            None => column.sentence("No method has all these words. Esc shows them all again.", StyleRole::Text),
        },
    }
}

/// Rows above the first line of the list, the top line among them.
const ABOVE: u16 = 5;

/// A line of the list.
enum ListLine<'m> {
    Heading(&'static str),
    /// A method, by its place in what was found.
    Method(usize, &'m Method),
}

/// The list with its headings.
fn lines<'m>(found: &[&'m Method]) -> Vec<ListLine<'m>> {
    let mut lines = vec![];
    let mut group = None;
    for (at, method) in found.iter().enumerate() {
        let of = MethodGroup::of(method.status);
        if group.replace(of) != Some(of) {
            lines.push(ListLine::Heading(of.heading()));
        }
        lines.push(ListLine::Method(at, method));
    }
    lines
}

/// The first line that is shown in a list of so many rows, so that the chosen method is in sight.
fn first_shown(page: &MethodsPage, lines: &[ListLine<'_>], rows: usize) -> usize {
    let here = lines.iter().position(|line| matches!(line, ListLine::Method(at, _) if *at == page.cursor)).unwrap_or(0);
    // The heading above the first one is seen with it.
    if here < rows.saturating_sub(2) { 0 } else { here.saturating_sub(rows.saturating_sub(3)) }
}

/// The method at that place of the screen, while the list is not covered by the editor.
pub(super) fn method_at(state: &State, page: &MethodsPage, (x, y): (u16, u16)) -> Option<usize> {
    let (left, rows) = (list_width(state.size.0) + 1, usize::from(state.size.1.saturating_sub(ABOVE + 1)));
    let found = page.found(&state.catalogue);
    let lines = lines(&found);
    let row = usize::from(y.checked_sub(ABOVE)?);
    match lines.get(first_shown(page, &lines, rows) + row)? {
        ListLine::Method(at, _) if page.editor.is_none() && x < left && row < rows => Some(*at),
        _ => None,
    }
}

fn list_width(width: u16) -> u16 {
    (width * 46 / 100).clamp(38, 74)
}

/// The drive that times and outcomes are for: the target's, else the chosen lane's.
fn lane<'a>(state: &'a State, page: &MethodsPage) -> Option<&'a Lane> {
    match page.target {
        MethodTarget::Lane(lane) => state.lanes.get(lane),
        MethodTarget::Nothing | MethodTarget::Lot => state.lane(),
    }
}

/// The order that the lane's draft would be with these passes, hidden sectors lifted or not as in Plan: one forecast for both.
fn order_with(lane: &Lane, title: &str, program: &Program) -> Order {
    Order { title: title.into(), program: program.clone(), ..lane.draft.order_on(&lane.seen.drive) }
}

fn list(state: &State, page: &MethodsPage, area: Rect, buffer: &mut Buffer) {
    let mut column = Column::new(area, buffer, state.theme);
    let style = |role| state.theme.style(role);
    let for_whom = match page.target {
        MethodTarget::Lane(_) => lane(state, page).map(|l| format!("Methods, for {}", l.seen.drive.name())).unwrap_or_default(),
        MethodTarget::Lot => "Methods, for the lot".into(),
        MethodTarget::Nothing => "Methods".into(),
    };
    column.line(Line::styled(for_whom, style(StyleRole::Strong)));
    let room = usize::from(column.width()).saturating_sub(2);
    column.line(match (&page.typing, page.search.value()) {
        (Typing::Search, _) => Line::from_iter(
            std::iter::once(Span::styled("/ ", style(StyleRole::Act))).chain(page.search.spans(state.theme, room, true)),
        ),
        (_, "") => Line::styled(format!("{} methods; / searches", state.catalogue.methods().len()), style(StyleRole::Faint)),
        (_, text) => Line::styled(format!("/ {text}"), style(StyleRole::Text)),
    });
    column.gap();
    let lane = lane(state, page);
    let time_head = lane.map(|l| format!("on {}", shorten(&l.seen.drive.path, 12))).unwrap_or_default();
    let title_room = usize::from(column.width()).saturating_sub(2 + 7 + 14 + 2);
    column.line(Line::styled(format!("  {:<title_room$}{:>6}  {:<14}", "method", "passes", time_head), style(StyleRole::Faint)));
    let found = page.found(&state.catalogue);
    let lines = lines(&found);
    let rows = usize::from(column.left());
    let first = first_shown(page, &lines, rows);
    let more = lines.len().saturating_sub(first + rows);
    let shown = if more > 0 { rows.saturating_sub(1) } else { rows };
    for line in lines.iter().skip(first).take(shown) {
        let (i, method) = match line {
            ListLine::Heading(heading) => {
                column.line(Line::styled(format!("  {heading}"), style(StyleRole::Act)));
                continue;
            }
            ListLine::Method(i, method) => (*i, *method),
        };
        let here = i == page.cursor;
        let role = match (here, method.status) {
            (true, _) => StyleRole::Strong,
            (_, Status::Historical | Status::Proposal) => StyleRole::Faint,
            _ => StyleRole::Text,
        };
        let time = lane
            .map(|l| {
                duration(of_order(&l.seen.drive, &order_with(l, &method.title, &method.program), l.look.speed.sample()).likely)
            })
            .unwrap_or_default();
        let title = fit(&method.title, title_room.saturating_sub(1)) + " ";
        column.line(Line::from(vec![
            Span::styled(if here { "▸ " } else { "  " }, style(StyleRole::Act)),
            Span::styled(format!("{title}{:>6}  {time:<14}", method.program.passes()), style(role)),
        ]));
    }
    if more > 0 {
        column.line(Line::styled(format!("  … {} more lines ↓", more + 1), style(StyleRole::Faint)));
    }
}

fn one(state: &State, page: &MethodsPage, method: &Method, column: &mut Column<'_>) {
    column.line(Line::styled(method.title.clone(), state.theme.style(StyleRole::Strong)));
    column.gap();
    column.fact("name", &method.name);
    if method.status != Status::Own {
        column.fact("issuer", &method.issuer);
        column.fact("document", &method.document);
        column.fact("year", &method.year.map(|y| y.to_string()).unwrap_or_default());
    }
    column.fact("status", method.status.sentence());
    column.fact("passes", &format!("{}: {}", method.program.passes(), method.program));
    column.fact("reads back", method.asks_verified());
    if !method.remark.is_empty() {
        column.fact("remark", &method.remark);
    }
    column.gap();
    preview(state, page, &method.title, &method.program, column);
    match &page.typing {
        Typing::Delete => {
            column.gap();
            column.focus = Some(column.used());
            column.sentence(&format!("Take {} away for good? y takes it away, Esc keeps it.", method.name), StyleRole::Strong);
        }
        Typing::Export(file) => prompt(state, "Write it to the new file", file, column),
        Typing::Import(file) => prompt(state, "Take in the methods of the file", file, column),
        Typing::Nothing | Typing::Search => {}
    }
}

fn prompt(state: &State, question: &str, field: &Field, column: &mut Column<'_>) {
    column.gap();
    column.focus = Some(column.used());
    let room = usize::from(column.width()).saturating_sub(question.len() + 2);
    let question = Span::styled(format!("{question}: "), state.theme.style(StyleRole::Text));
    column.line(Line::from_iter(std::iter::once(question).chain(field.spans(state.theme, room, true))));
}

/// What the passes would be on the drive at hand: time, outcome, strata.
fn preview(state: &State, page: &MethodsPage, title: &str, program: &Program, column: &mut Column<'_>) {
    let drawing = match lane(state, page) {
        Some(lane) => {
            let order = order_with(lane, title, program);
            let Ok(plan) = lane.preview(&order) else {
                return column.sentence("With the rounds of the plan these are too many passes.", StyleRole::Strong);
            };
            column.heading(&format!("On {}", lane.seen.drive.name()));
            column.fact_in("it gives", &plan.expected().outcome().to_string(), StyleRole::Strong);
            let reasons: Vec<String> = plan.expected().reasons().iter().map(|r| r.sentence()).collect();
            column.fact("because", &reasons.join(" "));
            column.fact_in("time", &of_order(&lane.seen.drive, &order, lane.look.speed.sample()).to_string(), StyleRole::Strong);
            column.gap();
            strata_of::of_plan(&plan, &lane.look.known_contents())
        }
        None => {
            let drive = unnamed();
            let Ok(plan) = Plan::new(&drive, &Order::of_program(title, program.clone()), &mut NoEntropy) else { return };
            strata_of::of_plan(&plan, &Contents::default())
        }
    };
    let place = column.take(strata::rows(&drawing));
    strata::draw(&drawing, state.theme, place, column.buffer());
}

/// A drive of no particular kind, where none is attached.
fn unnamed() -> Drive {
    let geometry = Geometry { logical: 512, physical: 512, sectors: 2_000_000 };
    Drive::bare("no drive", Bus::Unknown, MediaClass::Magnetic, "", geometry)
}

fn edit(state: &State, page: &MethodsPage, editor: &Editor, column: &mut Column<'_>) {
    let head = match &editor.saves {
        None => "Passes for this plan only".to_string(),
        Some(saves) => match &saves.replaces {
            Some(name) => format!("Your method {name}"),
            None => "A new method of your own".into(),
        },
    };
    column.line(Line::styled(head, state.theme.style(StyleRole::Strong)));
    column.gap();
    for field in editor.fields() {
        edit_field(state, editor, *field, column);
    }
    column.sentence(
        "Passes: 00 or 92 49 24 (bytes)  \"text\"  random  lba (each sector its address)  byte (one random byte)  ~ (complement). \
         After a pass ? reads it back, x4 repeats it. | between passes; shuffle( a | b ) in random order.",
        StyleRole::Faint,
    );
    column.gap();
    match editor.program() {
        Ok(program) => {
            let passes = program.passes();
            column.fact("passes", &if passes == 1 { "1".into() } else { passes.to_string() });
            preview(state, page, "Passes of your own", &program, column);
        }
        Err(_) => column.sentence("The strata appear here once the passes can be read.", StyleRole::Faint),
    }
}

/// Columns before a field's text.
const LABEL: usize = 9;

fn edit_field(state: &State, editor: &Editor, field: EditField, column: &mut Column<'_>) {
    let style = |role| state.theme.style(role);
    let here = field == editor.field;
    let input = &editor.inputs[field as usize];
    let room = usize::from(column.width()).saturating_sub(LABEL + 3).max(1);
    let mark = if here { "▸" } else { " " };
    if here {
        column.focus = Some(column.used());
    }
    let row = column.take(1);
    let text = format!("{mark}{:<w$} ", field.label(), w = LABEL - 2);
    words(text, style(if here { StyleRole::Act } else { StyleRole::Faint })).render_at(row, column.buffer());
    let place = Rect { x: row.x + LABEL as u16, width: row.width.saturating_sub(LABEL as u16), ..row };
    Line::from(input.spans(state.theme, room, here)).render_at(place, column.buffer());
    // A long text is shown around its cursor, and what is wrong with it under that.
    under(state, editor, field, input.first_shown(room, here), column);
}

/// What is wrong with a field, under it; with the passes the mark stands under the very column.
fn under(state: &State, editor: &Editor, field: EditField, scroll: usize, column: &mut Column<'_>) {
    let fault = state.theme.style(StyleRole::Fault);
    if !editor.is_judged(field) {
        return column.gap();
    }
    match (field, editor.program()) {
        (EditField::Passes, Err(e)) => {
            let at = (e.column - 1).saturating_sub(scroll);
            column.line(Line::styled(format!("{}▲", " ".repeat(LABEL + at)), fault));
            let said = format!("column {}: found {}, expected {}", e.column, e.found, e.expected);
            column.fact_in("", &said, StyleRole::Fault);
        }
        _ => match editor.problem(field, &state.catalogue) {
            Some(problem) => column.fact_in("", &problem, StyleRole::Fault),
            None => column.gap(),
        },
    }
}

/// Draws a line at a place.
trait RenderAt {
    fn render_at(self, area: Rect, buffer: &mut Buffer);
}

impl RenderAt for Line<'_> {
    fn render_at(self, area: Rect, buffer: &mut Buffer) {
        use ratatui::widgets::Widget;
        if area.height > 0 {
            self.render(area, buffer);
        }
    }
}
