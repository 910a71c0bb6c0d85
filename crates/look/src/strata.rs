//! The strata in characters: layers over the drive's width, the highest first, with a scale.

use crate::column::{shorten, words};
use crate::theme::{StyleRole, Theme};
use jurex_pattern::units::si_size;
use jurex_sanitize::strata::{SpanKind, Strata, StrataLayer};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::widgets::Widget;
use unicode_width::UnicodeWidthStr;

/// Columns of a layer's title.
const TITLE: u16 = 13;

/// Rows that the drawing takes.
pub fn rows(strata: &Strata) -> u16 {
    strata.layers.len() as u16 + 1
}

/// Draws the layers and the scale.
pub fn draw(strata: &Strata, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let width = area.width.saturating_sub(TITLE);
    for (row, layer) in strata.layers.iter().rev().enumerate() {
        let y = area.y + row as u16;
        if y + 1 >= area.bottom() || width == 0 {
            return;
        }
        buffer.set_string(area.x, y, shorten(&layer.title, usize::from(TITLE) - 1), theme.style(StyleRole::Faint));
        let line = Rect { x: area.x + TITLE, y, width, height: 1 };
        if layer.spans.iter().any(|s| s.kind == SpanKind::Former) || layer.title == "before" {
            draw_former(layer, strata, theme, line, buffer);
        } else {
            draw_layer(layer, strata, theme, line, buffer);
        }
    }
    let y = area.y + strata.layers.len() as u16;
    if y < area.bottom() {
        scale(strata, theme, Rect { x: area.x + TITLE, y, width, height: 1 }, buffer);
    }
}

const PART: [&str; 9] = [" ", "▏", "▎", "▍", "▌", "▋", "▊", "▉", "█"];

fn draw_layer(layer: &StrataLayer, strata: &Strata, theme: Theme, area: Rect, buffer: &mut Buffer) {
    for (column, cell) in layer.cells(strata.whole, area.width.into()).into_iter().enumerate() {
        let (shape, role) = match cell {
            None => ("·", StyleRole::Line),
            Some((SpanKind::Fault, _)) => ("✕", StyleRole::Fault),
            Some((SpanKind::Laid, eighths)) => (PART[usize::from(eighths.min(8))], StyleRole::Laid),
            Some((SpanKind::Proved, eighths)) => (if eighths >= 4 { "━" } else { "╸" }, StyleRole::Proved),
            Some((SpanKind::Left, _)) => ("▚", StyleRole::Strong),
            Some((SpanKind::Own, _)) => ("◆", StyleRole::Laid),
            Some((SpanKind::AtWork, _)) => ("◇", StyleRole::Act),
            Some((SpanKind::Former | SpanKind::Hidden, _)) => ("░", StyleRole::Former),
        };
        buffer.set_string(area.x + column as u16, area.y, shape, theme.style(role));
    }
}

/// Each region between its own edges, with its name where there is room.
fn draw_former(layer: &StrataLayer, strata: &Strata, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let style = theme.style(StyleRole::Former);
    let column = |sector: u64| {
        let share = (sector - strata.whole.first.0) as f64 / strata.whole.count.max(1) as f64;
        (share.min(1.0) * f64::from(area.width)).round() as u16
    };
    for x in 0..area.width {
        buffer.set_string(area.x + x, area.y, "·", theme.style(StyleRole::Line));
    }
    for span in &layer.spans {
        let from = column(span.at.first.0).min(area.width.saturating_sub(1));
        let to = column(span.at.end()).clamp(from + 1, area.width.max(from + 1));
        let inner = usize::from(to - from).saturating_sub(2);
        if span.kind == SpanKind::Hidden {
            // What nobody has seen: no region with a name, but a place.
            let text =
                if inner >= 6 { format!("▕{}▏", padded("hidden", inner)) } else { "▓".repeat(usize::from(to - from)) };
            buffer.set_stringn(area.x + from, area.y, text, usize::from(to - from), theme.style(StyleRole::Strong));
            continue;
        }
        let text = match (&span.text, inner) {
            (_, 0) => "▒".to_string(),
            (Some(name), 3..) => format!("▕{}▏", padded(name, inner)),
            _ => format!("▕{}▏", "░".repeat(inner)),
        };
        buffer.set_stringn(area.x + from, area.y, text, usize::from(to - from), style);
    }
}

/// A name with blanks around it, filled up with the sign of former contents.
fn padded(name: &str, room: usize) -> String {
    let shown = format!(" {} ", shorten(name, room - 2));
    let rest = room - shown.width();
    shown + &"░".repeat(rest)
}

fn scale(strata: &Strata, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let style = theme.style(StyleRole::Faint);
    words("0", style).render(area, buffer);
    words(si_size(strata.bytes / 2), style).centered().render(area, buffer);
    words(si_size(strata.bytes), style).right_aligned().render(area, buffer);
}
