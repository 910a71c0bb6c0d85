//! The lot page: three answers and a treatment for each class of media, and what follows for each drive.

use super::{LotCell, LotForecast, LotPage, LotRow, Naming, Proposed};
use crate::lane::Lane;
use crate::state::State;
use jurex_look::column::{Column, fit, shorten};
use jurex_look::need::NeedQuestion;
use jurex_look::rows::{ValueRow, rows};
use jurex_look::theme::StyleRole;
use jurex_look::window::{self, Scroll};
use jurex_pattern::text::capital;
use jurex_pattern::units::duration;
use jurex_sanitize::ladder::suggested;
use jurex_sanitize::plan::Order;
use jurex_sanitize::policy::Proposal;
use jurex_sanitize::rules::Media;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Paragraph, Widget, Wrap};

pub(super) fn draw(state: &State, page: &LotPage, area: Rect, buffer: &mut Buffer) {
    let area = Rect { x: area.x + 1, width: area.width.saturating_sub(2), ..area };
    window::draw(state.theme, area, Scroll::Follows, buffer, |column| whole(state, page, column));
}

/// The columns of a row of the drives, and of the classes above them: what matters less has less room or none.
struct Columns {
    name: usize,
    kind: usize,
    title: usize,
    class: usize,
    method: usize,
    verification: usize,
    retries: usize,
    time: usize,
    blank: &'static str,
}

impl Columns {
    fn of(width: u16) -> Self {
        match width {
            118.. => Self {
                name: 24,
                kind: 24,
                title: 30,
                class: 18,
                method: 34,
                verification: 28,
                retries: 10,
                time: 14,
                blank: "a pass of zeros",
            },
            _ => Self {
                name: 20,
                kind: 0,
                title: 20,
                class: 17,
                method: 20,
                verification: 21,
                retries: 8,
                time: 8,
                blank: "zeros",
            },
        }
    }
}

fn whole(state: &State, page: &LotPage, column: &mut Column<'_>) {
    let style = |role| state.theme.style(role);
    let columns = Columns::of(column.width());
    let drives = if page.lanes.len() == 1 { "1 drive".into() } else { format!("{} drives", page.lanes.len()) };
    column.line(Line::styled(
        format!("One plan for {drives}: what level is needed, and how does each reach it?"),
        style(StyleRole::Strong),
    ));
    column.gap();
    let need = page.policy.need();
    let here = page.chosen(state);
    let asked = NeedQuestion::ALL.map(|q| ValueRow { label: q.label(), value: q.answer(need), opens: false });
    rows(&asked, NeedQuestion::ALL.iter().position(|q| here == Some(LotRow::Question(*q))), column);
    let required = format!("  Required: {}, where no list says otherwise", need.outcome());
    column.line(Line::styled(required, style(StyleRole::Strong)));
    if let Some(why) = need.contradiction() {
        column.sentence(why, StyleRole::Strong);
    }
    column.gap();
    column.heading("How each class of media is treated");
    let Columns { class, method, verification, retries, .. } = columns;
    let head = format!(
        "    {:<class$}{:<method$}{:<verification$}{:<retries$}{}",
        "class", "method", "verification", "retries", "final zeros"
    );
    column.line(Line::styled(head, style(StyleRole::Faint)));
    for class in page.classes(state) {
        let Some(lane) = page.lanes.iter().map(|l| &state.lanes[*l]).find(|l| l.seen.drive.class == class) else {
            continue;
        };
        let order = page.policy.order(&lane.seen.drive, &state.catalogue, state.config.rules);
        let order = order.unwrap_or_else(|_| suggested(&lane.seen.drive, &state.catalogue, state.config.rules));
        let cell = (here == Some(LotRow::Class(class))).then_some(page.cell);
        treatment(&class.to_string(), &order, cell, &columns, column);
    }
    column.gap();
    match &page.foreseen {
        Some(LotForecast { proposals: Ok(proposals), .. }) => proposed(state, page, proposals, here, &columns, column),
        Some(LotForecast { proposals: Err(why), .. }) => column.sentence(&format!("{why}."), StyleRole::Strong),
        None => {}
    }
    if let Some(naming) = &page.typing {
        naming_line(state, naming, column);
    }
}

/// The name of a policy that is being typed, and those that there are.
fn naming_line(state: &State, naming: &Naming, column: &mut Column<'_>) {
    column.gap();
    let (question, field) = match naming {
        Naming::Save(field) => ("Save this policy by the name", field),
        Naming::Take(field) => ("Take the policy of the name", field),
    };
    let question = Span::styled(format!("{question}: "), state.theme.style(StyleRole::Text));
    let saved = if state.policies.is_empty() { "none".into() } else { state.policies.join(", ") };
    column.focus = Some(column.used() + 1);
    column.line(Line::from_iter(std::iter::once(question).chain(field.spans(state.theme, 40, true))));
    column.line(Line::styled(format!("saved so far: {saved}"), state.theme.style(StyleRole::Faint)));
}

/// A class with what is done to it; `cell`: the column that the keys are on, if they are on this row.
fn treatment(class: &str, order: &Order, cell: Option<LotCell>, columns: &Columns, column: &mut Column<'_>) {
    let theme = column.theme;
    if cell.is_some() {
        column.focus = Some(column.used());
    }
    let blank = if order.blank { columns.blank } else { "no" };
    let cells = [
        (LotCell::Method, order.title.clone(), columns.method),
        (LotCell::Verification, order.verification.short().to_string(), columns.verification),
        (LotCell::Retries, order.retries.to_string(), columns.retries),
        (LotCell::FinalZeros, blank.to_string(), columns.blank.len() + 4),
    ];
    let role = if cell.is_some() { StyleRole::Strong } else { StyleRole::Text };
    let mut spans = vec![
        Span::styled(if cell.is_some() { " ▸  " } else { "    " }, theme.style(StyleRole::Act)),
        Span::styled(fit(class, columns.class), theme.style(role)),
    ];
    for (which, value, room) in cells {
        let value = if cell == Some(which) { format!("‹ {} ›", shorten(&value, room.saturating_sub(5))) } else { value };
        spans.push(Span::styled(format!("{} ", fit(&value, room - 1)), theme.style(role)));
    }
    column.line(Line::from(spans));
}

fn proposed(
    state: &State,
    page: &LotPage,
    proposals: &[Proposed],
    here: Option<LotRow>,
    columns: &Columns,
    column: &mut Column<'_>,
) {
    let style = |role| state.theme.style(role);
    let unable = proposals.iter().filter(|p| p.proposal.what_to_do.is_some()).count();
    let head = row(columns, ["drive", "serial", "kind", "technique or method", "required", "gives", "time"].map(String::from));
    for (at, Proposed { lane: id, proposal }) in proposals.iter().enumerate() {
        if at == 0 && unable > 0 {
            column.heading("These can't reach what is required: they stay unplanned");
        } else if at == unable {
            column.heading("These reach what is required");
        }
        if at == 0 || at == unable {
            column.line(Line::styled(format!("     {head}"), style(StyleRole::Faint)));
        }
        let chosen = here == Some(LotRow::Drive(*id));
        if chosen {
            column.focus = Some(column.used());
        }
        let able = proposal.what_to_do.is_none();
        let own = if page.changed.iter().any(|(l, _)| l == id) { "changed here" } else { "" };
        let (sign, sign_role) = if able { ("✓ ", StyleRole::Proved) } else { ("✕ ", StyleRole::Fault) };
        column.line(Line::from(vec![
            Span::styled(if chosen { " ▸ " } else { "   " }, style(StyleRole::Act)),
            Span::styled(sign, style(sign_role)),
            Span::styled(
                one(&state.lanes[*id], proposal, own, columns),
                style(if chosen { StyleRole::Strong } else { StyleRole::Text }),
            ),
        ]));
        if let Some(what) = &proposal.what_to_do {
            let place = column.indented(what, 5);
            Paragraph::new(what.as_str()).style(style(StyleRole::Faint)).wrap(Wrap { trim: true }).render(place, column.buffer());
        }
    }
}

/// A drive in one row: who it is, what is proposed, what is required, and what that gives.
fn one(lane: &Lane, proposal: &Proposal, own: &str, columns: &Columns) -> String {
    let drive = &lane.seen.drive;
    let serial = drive.unit.serial.as_deref().unwrap_or_default();
    let ending: String = serial.chars().skip(serial.chars().count().saturating_sub(6)).collect();
    let way = proposal.ways.iter().find(|w| w.technique == proposal.way);
    let chosen = if proposal.way.is_own() { capital(proposal.way.name()) } else { proposal.order.title.clone() };
    let time = way.and_then(|w| w.time).map(|t| duration(t.likely));
    let time = time.unwrap_or_else(|| if columns.kind > 0 { "no estimate".into() } else { "-".into() });
    let by_list = if lane.listed_need.is_some() { " (list)" } else { "" };
    let required = format!("{}{by_list}", proposal.need.outcome());
    let kind = Media::of(drive).name().to_string();
    format!("{}{own}", row(columns, [drive.name(), ending, kind, chosen, required, proposal.earns.to_string(), time]))
}

/// The cells of a row: name, serial, kind, technique, required, gives, time.
fn row(columns: &Columns, [name, serial, kind, technique, required, gives, time]: [String; 7]) -> String {
    let kind = if columns.kind > 0 { fit(&kind, columns.kind) } else { String::new() };
    let (name, technique) = (fit(&name, columns.name - 1), fit(&technique, columns.title - 1));
    format!("{name} {serial:<8}{kind}{technique} {required:<16}{gives:<14}{time:<w$}", w = columns.time)
}
