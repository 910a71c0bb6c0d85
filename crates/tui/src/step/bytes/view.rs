//! The byte viewer: one sector in hexadecimal and text, and a map of the sectors around it, one sign a sector.

use crate::lane::Lane;
use crate::lane::bytes::{BytesView, DUMP_ROW, MAP_ROW, PAGE_SECTORS, Prompt};
use crate::state::State;

use jurex_device::bytes::{SectorKind, classify};
use jurex_look::column::{Column, words};
use jurex_look::field::Field;
use jurex_look::theme::StyleRole;
use jurex_pattern::units::{Lba, grouped, size};
use ratatui::buffer::Buffer;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::style::Modifier;
use ratatui::text::{Line, Span};
use ratatui::widgets::Widget;

/// Sign, role and word of each kind of sector.
fn sign(kind: SectorKind) -> (&'static str, StyleRole, &'static str) {
    match kind {
        SectorKind::Blank => ("·", StyleRole::Faint, "blank: one byte over and over"),
        SectorKind::Text => ("≡", StyleRole::Text, "text"),
        SectorKind::Dense => ("▓", StyleRole::Former, "dense: compressed, encrypted or random"),
        SectorKind::Structure => ("◈", StyleRole::Strong, "known structure: a table or superblock"),
        SectorKind::Mixed => ("░", StyleRole::Former, "mixed"),
    }
}

const KINDS: [SectorKind; 5] = [SectorKind::Structure, SectorKind::Text, SectorKind::Dense, SectorKind::Mixed, SectorKind::Blank];

pub(crate) fn draw(state: &State, lane: &Lane, view: &BytesView, area: Rect, buffer: &mut Buffer) {
    let [head, body] = Layout::vertical([Constraint::Length(6), Constraint::Min(0)]).areas(area);
    heading(lane, view, &mut Column::new(head, buffer, state.theme));
    let page = match &view.page {
        None => return words("Reading …", state.theme.style(StyleRole::Faint)).render(body, buffer),
        Some(Err(why)) => {
            let mut column = Column::new(body, buffer, state.theme);
            return column.sentence(&format!("✕ These sectors could not be read: {why}."), StyleRole::Strong);
        }
        Some(Ok(page)) => page,
    };
    let logical = lane.seen.drive.geometry.logical as usize;
    let with_map = body.width >= 78 + MAP_ROW as u16 + 3;
    let [dump_area, _, map_area] =
        Layout::horizontal([Constraint::Length(75), Constraint::Length(3), Constraint::Min(0)]).areas(body);
    let sector = page.chunks(logical).nth((view.cursor - view.first) as usize);
    dump(state, view, sector.unwrap_or_default(), if with_map { dump_area } else { body }, buffer);
    if with_map {
        map(state, view, page.chunks(logical), map_area, buffer);
    }
}

fn heading(lane: &Lane, view: &BytesView, column: &mut Column<'_>) {
    let geometry = lane.seen.drive.geometry;
    let byte = geometry.bytes_of(view.cursor);
    column.fact_in(
        "sector",
        &format!("{} of {}, byte {} ({})", grouped(view.cursor), grouped(geometry.sectors), grouped(byte), size(byte)),
        StyleRole::Strong,
    );
    let region = lane.look.contents.iter().flat_map(|c| &c.regions).find(|r| r.at.contains(Lba(view.cursor)));
    column.fact(
        "inside",
        &region.map_or("no partition".into(), |r| format!("{}, its sector {}", r.called(), grouped(view.cursor - r.at.first.0))),
    );
    let logical = geometry.logical as usize;
    let sector =
        view.page.as_ref().and_then(|p| p.as_ref().ok()).and_then(|p| p.chunks(logical).nth((view.cursor - view.first) as usize));
    column.fact("looks like", sector.map_or("", |s| sign(classify(s)).2));
    let prompt = |label: &str, field: &Field, after: &'static str| {
        let label = Span::styled(format!("{label:<18}"), column.theme.style(StyleRole::Faint));
        let after = Span::styled(after, column.theme.style(StyleRole::Faint));
        Line::from_iter(std::iter::once(label).chain(field.spans(column.theme, 40, true)).chain([after]))
    };
    match (&view.prompt, view.searching, &view.said) {
        (Some(Prompt::Sector(field)), ..) => column.line(prompt("go to sector", field, "")),
        (Some(Prompt::Search(field)), ..) => column.line(prompt("search for", field, "  (pairs of hex digits, or text)")),
        (None, Some(at), _) => column.fact_in("searching", &format!("at {}", size(at)), StyleRole::Act),
        (None, None, Some(said)) => column.fact_in("", said, StyleRole::Act),
        (None, None, None) => column.gap(),
    }
    column.heading("bytes");
}

fn dump(state: &State, view: &BytesView, sector: &[u8], area: Rect, buffer: &mut Buffer) {
    let mut column = Column::new(area, buffer, state.theme);
    let style = |role| state.theme.style(role);
    let rows = sector.chunks(DUMP_ROW).enumerate().skip(view.scroll / DUMP_ROW);
    for (i, row) in rows.take(area.height.into()) {
        let hex: Vec<String> = row.iter().map(|b| format!("{b:02x}")).collect();
        let text: String = row.iter().map(|b| if (0x20..0x7f).contains(b) { char::from(*b) } else { '·' }).collect();
        column.line(Line::from(vec![
            Span::styled(format!("{:04x}  ", i * DUMP_ROW), style(StyleRole::Faint)),
            Span::styled(format!("{:<49}", hex.join(" ")), style(StyleRole::Text)),
            Span::styled(text, style(StyleRole::Former)),
        ]));
    }
}

fn map<'p>(state: &State, view: &BytesView, sectors: impl Iterator<Item = &'p [u8]>, area: Rect, buffer: &mut Buffer) {
    for (i, sector) in sectors.enumerate() {
        let (x, y) = (area.x + (i as u64 % MAP_ROW) as u16, area.y + (i as u64 / MAP_ROW) as u16);
        if y >= area.bottom() {
            break;
        }
        let (shape, role, _) = sign(classify(sector));
        let style = state.theme.style(role);
        let here = view.first + i as u64 == view.cursor;
        buffer.set_string(x, y, shape, if here { style.add_modifier(Modifier::REVERSED) } else { style });
    }
    let below = area.y + (PAGE_SECTORS / MAP_ROW) as u16 + 1;
    for (i, kind) in KINDS.into_iter().enumerate() {
        let y = below + i as u16;
        if y < area.bottom() {
            let (shape, role, word) = sign(kind);
            let short = word.split(':').next().unwrap_or(word);
            let line = Line::from(vec![
                Span::styled(shape, state.theme.style(role)),
                Span::styled(format!(" {short}"), state.theme.style(StyleRole::Faint)),
            ]);
            line.render(Rect { y, height: 1, ..area }, buffer);
        }
    }
}
