//! Keys with what they do, as help and questions show them.

use crate::action::{self, Binding};
use jurex_look::column::{Column, shorten};
use jurex_look::theme::StyleRole;
use ratatui::text::{Line, Span};

/// The keys with what they do, in as many columns as they need.
pub(crate) fn key_lines(bindings: &[&Binding], column: &mut Column<'_>) {
    let shown: Vec<&&Binding> = bindings.iter().filter(|b| action::is_shown(b)).collect();
    let rows = usize::from(column.left()).max(1);
    let columns = shown.len().div_ceil(rows).clamp(1, 3);
    let width = usize::from(column.width()) / columns;
    for row in shown.chunks(columns) {
        column.line(Line::from_iter(row.iter().flat_map(|b| {
            let words = format!("{:<w$}", shorten(b.label, width.saturating_sub(13)), w = width.saturating_sub(12));
            [
                Span::styled(format!("  {:<10}", b.shown), column.theme.style(StyleRole::Act)),
                Span::styled(words, column.theme.style(StyleRole::Text)),
            ]
        })));
    }
}
