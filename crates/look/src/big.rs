//! Words that can be read from across the room: letters of 8 by 8 dots, as large as they fit.

use font8x8::{BASIC_FONTS, UnicodeFonts};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Dots of a letter's side.
const DOTS: u16 = 8;

/// The largest scale at which `lines` fit: dots are twice as wide as they are high in cells, so that letters are not narrow.
fn scale(lines: &[&str], area: Rect) -> u16 {
    let longest = lines.iter().map(|l| l.chars().count() as u16).max().unwrap_or(1).max(1);
    let wide = area.width / (longest * DOTS * 2);
    let high = area.height / (lines.len() as u16 * DOTS).max(1);
    wide.min(high)
}

/// The words on one line or, where that makes them larger, on a line each.
fn broken(words: &str, area: Rect) -> (Vec<&str>, u16) {
    let (one, each) = (vec![words], words.split(' ').collect::<Vec<_>>());
    let (of_one, of_each) = (scale(&one, area), scale(&each, area));
    if of_each > of_one { (each, of_each) } else { (one, of_one) }
}

/// Draws `words` in the middle of the area; where there is no room for large letters, as plain text. Gives the rows that it took.
pub fn draw(words: &str, style: Style, area: Rect, buffer: &mut Buffer) -> u16 {
    let (lines, scale) = broken(words, area);
    if scale == 0 {
        let x = area.x + area.width.saturating_sub(words.chars().count() as u16) / 2;
        buffer.set_stringn(x, area.y, words, usize::from(area.width), style);
        return 1.min(area.height);
    }
    let side = DOTS * scale;
    let top = area.y + area.height.saturating_sub(side * lines.len() as u16) / 2;
    for (row, line) in lines.iter().enumerate() {
        let width = line.chars().count() as u16 * side * 2;
        let left = area.x + area.width.saturating_sub(width) / 2;
        for (column, letter) in line.chars().enumerate() {
            let at = (left + column as u16 * side * 2, top + row as u16 * side);
            draw_letter(letter, at, scale, style, buffer);
        }
    }
    side * lines.len() as u16
}

fn draw_letter(letter: char, (x, y): (u16, u16), scale: u16, style: Style, buffer: &mut Buffer) {
    let dots = BASIC_FONTS.get(letter).unwrap_or_default();
    for (row, bits) in dots.iter().enumerate() {
        for column in (0..DOTS).filter(|c| bits >> c & 1 == 1) {
            for (dx, dy) in (0..scale * 2).flat_map(|dx| (0..scale).map(move |dy| (dx, dy))) {
                let place = (x + column * scale * 2 + dx, y + row as u16 * scale + dy);
                if let Some(cell) = buffer.cell_mut(place) {
                    // The ground has the letter's colour too: between rows of text there may be gaps that no sign fills.
                    let filled = style.fg.map_or(style, |colour| style.bg(colour));
                    cell.set_symbol("█").set_style(filled);
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn cells(words: &str, (width, height): (u16, u16)) -> (u16, usize) {
        let area = Rect::new(0, 0, width, height);
        let mut buffer = Buffer::empty(area);
        let rows = draw(words, Style::new(), area, &mut buffer);
        (rows, buffer.content.iter().filter(|c| c.symbol() == "█").count())
    }

    #[test]
    fn words_grow_with_their_room_and_never_leave_it() {
        let small = cells("DONE", (80, 20));
        let large = cells("DONE", (160, 40));
        assert_eq!((small.0, large.0), (8, 16));
        assert_eq!(large.1, small.1 * 4, "four cells for each");
        assert_eq!(cells("LOOK HERE", (80, 20)).0, 16, "a line each is larger than one line that has no room");
        assert_eq!(cells("DONE", (20, 3)), (1, 0), "plain where nothing large fits");
        assert_eq!(cells("DONE", (0, 0)).1, 0);
    }
}
