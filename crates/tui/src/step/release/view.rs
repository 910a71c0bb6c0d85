//! Release: the kinds, the fields of the chosen one, and what the ledger knows of the drive.

use crate::lane::Lane;
use crate::state::State;
use crate::widget::story::story;
use jurex_disposition::release::OpenItem;
use jurex_look::column::{Column, shorten};
use jurex_look::release_form::{ReleaseField, said};
use jurex_look::theme::StyleRole;
use jurex_pattern::units::si_size;
use jurex_station::release::Becomes;
use ratatui::text::{Line, Span};

/// Draws the step into a column that is as long as it needs.
pub(crate) fn draw(state: &State, lane: &Lane, column: &mut Column<'_>) {
    column.question("Where does this drive go?");
    stands(lane, column);
    column.gap();
    column.heading("Release this drive: choose one");
    let form = &lane.release;
    fields(state, lane, column);
    column.gap();
    column.sentence(said(form.kind()).1, StyleRole::Text);
    for hint in form.hints(lane.seen.drive.class, lane.seen.drive.simulated) {
        column.sentence(&hint, StyleRole::Faint);
    }
    column.gap();
    came_of_it(lane, column);
    lane.release.known.iter().filter_map(|k| k.standing.as_ref()).for_each(|standing| story(standing, column));
}

/// How the drive stands now.
fn stands(lane: &Lane, column: &mut Column<'_>) {
    let standing = lane.release.known.as_ref().and_then(|k| k.standing.as_ref());
    match standing {
        None => column.sentence("The ledger knows nothing of this drive yet.", StyleRole::Text),
        Some(standing) => {
            let matter = standing.matter();
            let role = if matter == Some(OpenItem::Undecided) { StyleRole::Fault } else { StyleRole::Strong };
            column.fact_in("where it is", &lane.release.known.as_ref().and_then(|k| k.whereabouts()).unwrap_or_default(), role);
            column.fact("erased", &standing.treated_said());
            if let Some(matter) = matter {
                column.fact("still open", &matter.heading().to_lowercase());
            }
        }
    }
    if let Some(mark) = lane.over().and_then(|over| over.end.mark.as_ref()) {
        column.fact("erasure tag", mark);
    }
}

fn fields(state: &State, lane: &Lane, column: &mut Column<'_>) {
    let form = &lane.release;
    for (i, field) in form.fields().into_iter().enumerate() {
        let here = form.focus == Some(i);
        if here {
            column.focus = Some(column.used());
        }
        let room = usize::from(column.width()).saturating_sub(24);
        let shown = form.shown(field);
        let styled = |text: String, role| vec![Span::styled(text, state.theme.style(role))];
        let value = match (here, field.is_choice()) {
            (true, false) => form.input.spans(state.theme, room, true),
            (true, true) => styled(format!("‹ {shown} ›"), StyleRole::Act),
            (false, _) if shown.is_empty() => styled("▁▁▁▁▁▁▁▁▁▁▁▁".into(), StyleRole::Faint),
            (false, _) => styled(shorten(&shown, room), StyleRole::Text),
        };
        let mark = if here { "▸ " } else { "  " };
        let label = Span::styled(format!("{mark}{:<21}", field.label(form.kind())), state.theme.style(StyleRole::Faint));
        column.line(Line::from_iter(std::iter::once(label).chain(value)));
        if field == ReleaseField::Label {
            let asks = lane.label().asks_for();
            let said = match form.kind() {
                Becomes::TablesCleared | Becomes::Prepared => {
                    format!("    {asks}, read from the drive; not asked for if it was just erased here and not taken away since")
                }
                Becomes::Destroyed if lane.seen.drive.unit.serial().is_none() => {
                    "    the job that was on it: it tells no serial number".into()
                }
                Becomes::Destroyed => format!("    {asks}, typed or scanned from the drive in your hand"),
                _ => format!("    {asks}, read from the drive; asked for only where something is written"),
            };
            column.sentence(&said, StyleRole::Faint);
        }
    }
}

fn came_of_it(lane: &Lane, column: &mut Column<'_>) {
    let form = &lane.release;
    if form.is_busy {
        let size = si_size(lane.seen.drive.geometry.bytes());
        return column.sentence(&format!("At work on it ({size}) …"), StyleRole::Strong);
    }
    match &form.outcome {
        None => {}
        Some(Ok(said)) => {
            column.heading("Noted");
            said.iter().for_each(|line| column.sentence(line, StyleRole::Strong));
            column.gap();
        }
        Some(Err(why)) => {
            column.sentence(&format!("✕ {why}"), StyleRole::Fault);
            column.gap();
        }
    }
}
