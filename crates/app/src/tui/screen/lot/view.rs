//! The lot page: three answers and a treatment for each class of media, and what follows for each drive.

use super::{Foreseen, LotPage, Naming, Proposed, Row};
use crate::tui::state::State;
use crate::tui::theme::Role;
use crate::tui::widget::column::{Column, fit};
use crate::tui::widget::need::questions;
use jurex_core::ladder::suggested;
use jurex_core::plan::Order;
use jurex_core::rules::{Media, Technique};
use jurex_core::units::duration;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Paragraph, Widget, Wrap};

pub(super) fn draw(state: &State, page: &LotPage, area: Rect, buffer: &mut Buffer) {
    let area = Rect { x: area.x + 1, width: area.width.saturating_sub(2), ..area };
    let mut column = Column::new(area, buffer, state.theme);
    let style = |role| state.theme.style(role);
    let drives = if page.lanes.len() == 1 { "1 drive".into() } else { format!("{} drives", page.lanes.len()) };
    column.line(Line::styled(format!("One plan for {drives}: what must be done, and with which method?"), style(Role::Strong)));
    column.gap();
    questions(page.policy.need(), &mut column);
    column.gap();
    column.heading("How each class of media is treated");
    let here = page.chosen(state);
    let head = format!("    {:<18}{:<34}{:<28}{:<10}{}", "class", "method", "reads back", "retries", "after it");
    column.line(Line::styled(head, style(Role::Faint)));
    for class in page.classes(state) {
        let Some(lane) = page.lanes.iter().map(|l| &state.lanes[*l]).find(|l| l.seen.drive.class == class) else {
            continue;
        };
        let order = page.policy.order(&lane.seen.drive, &state.catalogue, state.config.rules);
        let order = order.unwrap_or_else(|_| suggested(&lane.seen.drive, &state.catalogue, state.config.rules));
        treatment(state, &class.to_string(), &order, here == Some(Row::Class(class)), &mut column);
    }
    column.gap();
    match &page.foreseen {
        Some(Foreseen { proposals: Ok(proposals), .. }) => proposed(state, page, proposals, here, &mut column),
        Some(Foreseen { proposals: Err(why), .. }) => column.sentence(&format!("{why}."), Role::Strong),
        None => {}
    }
    if let Some(naming) = &page.typing {
        column.gap();
        let (question, field) = match naming {
            Naming::Save(field) => ("Save this policy by the name", field),
            Naming::Take(field) => ("Take the policy of the name", field),
        };
        let question = Span::styled(format!("{question}: "), style(Role::Text));
        column.line(Line::from_iter(std::iter::once(question).chain(field.spans(state.theme, 50, true))));
        let saved = if state.policies.is_empty() { "none".into() } else { state.policies.join(", ") };
        column.line(Line::styled(format!("saved so far: {saved}"), style(Role::Faint)));
    }
}

fn treatment(state: &State, class: &str, order: &Order, here: bool, column: &mut Column<'_>) {
    let style = |role| state.theme.style(role);
    let role = if here { Role::Strong } else { Role::Text };
    let blank = if order.blank { "a pass of zeros" } else { "" };
    let verification = order.verification.short();
    column.line(Line::from(vec![
        Span::styled(if here { " ▸  " } else { "    " }, style(Role::Act)),
        Span::styled(format!("{class:<18}{} {verification:<28}{:<10}{blank}", fit(&order.title, 33), order.retries), style(role)),
    ]));
}

fn proposed(state: &State, page: &LotPage, proposals: &[Proposed], here: Option<Row>, column: &mut Column<'_>) {
    let style = |role| state.theme.style(role);
    let unable = proposals.iter().filter(|p| p.proposal.what_to_do.is_some()).count();
    for (at, Proposed { lane: id, proposal }) in proposals.iter().enumerate() {
        if at == 0 && unable > 0 {
            column.heading(&format!("These can't reach {}: they stay unplanned", page.policy.need().outcome()));
        } else if at == unable {
            column.heading("These can");
        }
        let chosen = here == Some(Row::Drive(*id));
        let lane = &state.lanes[*id];
        let drive = &lane.seen.drive;
        let serial: String = drive.unit.serial.as_deref().unwrap_or_default().chars().rev().take(6).collect();
        let serial: String = serial.chars().rev().collect();
        let way = proposal.ways.iter().find(|w| w.technique == Technique::Overwrite);
        let time = way.and_then(|w| w.time).map(|t| duration(t.likely)).unwrap_or_default();
        let own = if page.changed.iter().any(|(l, _)| l == id) { "changed here" } else { "" };
        let (mark, role) = match (chosen, proposal.what_to_do.is_some()) {
            (true, _) => (" ▸ ", Role::Strong),
            (false, true) => ("   ", Role::Text),
            (false, false) => ("   ", Role::Text),
        };
        let (sign, sign_role) = if proposal.what_to_do.is_some() { ("✕ ", Role::Fault) } else { ("✓ ", Role::Proved) };
        let title = fit(&proposal.order.title, 29) + " ";
        column.line(Line::from(vec![
            Span::styled(mark, style(Role::Act)),
            Span::styled(sign, style(sign_role)),
            Span::styled(
                format!(
                    "{} {:<9}{:<24}{title}{:<15}{time:<14}{own}",
                    fit(&drive.name(), 23),
                    serial,
                    Media::of(&lane.seen.drive).name(),
                    proposal.earns.to_string()
                ),
                style(role),
            ),
        ]));
        if let Some(what) = &proposal.what_to_do {
            let indent = 5;
            let place = column.indented(what, indent);
            Paragraph::new(what.as_str()).style(style(Role::Faint)).wrap(Wrap { trim: true }).render(place, column.buffer());
        }
    }
}
