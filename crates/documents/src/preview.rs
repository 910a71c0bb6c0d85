//! A paper as lines of letters, each where it stands on the page: what will be printed, for a screen of letters alone.

use crate::certificate::best_fit;
use crate::drawing::{Anchor, Ink, Shape};
use crate::fonts::{Face, fonts};
use crate::page::{Drawn, PageLayout};
use crate::print::Print;
use jurex_sanitize::record::Record;

/// What a line of a preview is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum PreviewLine {
    /// Words, with the places in it that stand out.
    Words {
        /// The line.
        text: String,
        /// Whether it is large or strong on the paper.
        strong: bool,
        /// Whether it stands white on black.
        inverted: bool,
    },
    /// A line across.
    Rule,
    /// The end of a page: its number, and how many there are.
    EndOfPage(usize, usize),
}

/// The paper of `record` as it will print, in so many columns.
pub fn preview(record: &Record, print: &Print, columns: usize) -> Vec<PreviewLine> {
    let layout = best_fit(record, print);
    let mut lines = vec![];
    for page in 0..layout.pages {
        lines.extend(page_lines(&layout, page, columns));
        lines.push(PreviewLine::EndOfPage(page + 1, layout.pages));
    }
    lines
}

/// A piece of text with its baseline and left edge in points.
struct TextPiece {
    y: f32,
    x: f32,
    text: String,
    strong: bool,
    inverted: bool,
}

fn pieces(layout: &PageLayout, page: usize) -> (Vec<TextPiece>, Vec<f32>) {
    let (mut pieces, mut rules) = (vec![], vec![]);
    for mark in layout.runs.iter().filter(|r| r.page == page).flat_map(|r| &r.marks) {
        match mark {
            Drawn::Text { x, y, face, size, ink, text } => {
                let (strong, inverted) = (*face == Face::Strong || *size > 12.0, *ink == Ink::White);
                pieces.push(TextPiece { x: *x, y: *y, text: text.clone(), strong, inverted });
            }
            Drawn::Rule { from, to, .. } if from.1 == to.1 && to.0 - from.0 > layout.inner() * 0.9 => rules.push(from.1),
            Drawn::Drawing { x, y, drawing } => pieces.extend(drawing.shapes.iter().filter_map(|shape| match shape {
                Shape::Text { x: dx, y: dy, size, anchor, text, .. } => {
                    let width = fonts().width(Face::Text, *size, text);
                    let shift = match anchor {
                        Anchor::Start => 0.0,
                        Anchor::Middle => width / 2.0,
                        Anchor::End => width,
                    };
                    Some(TextPiece { x: x + dx - shift, y: y + dy, text: text.clone(), strong: false, inverted: false })
                }
                _ => None,
            })),
            Drawn::Rule { .. } | Drawn::Block { .. } | Drawn::Picture { .. } => {}
        }
    }
    (pieces, rules)
}

fn page_lines(layout: &PageLayout, page: usize, columns: usize) -> Vec<PreviewLine> {
    /// Baselines nearer than this are one line.
    const NEAR: f32 = 3.5;
    let (mut pieces, mut rules) = pieces(layout, page);
    pieces.sort_by(|a, b| a.y.total_cmp(&b.y).then(a.x.total_cmp(&b.x)));
    rules.sort_by(f32::total_cmp);
    let mut rules = rules.into_iter().peekable();
    let mut lines = vec![];
    let mut rest = &pieces[..];
    while let Some(first) = rest.first() {
        while rules.next_if(|y| *y < first.y - NEAR).is_some() {
            lines.push(PreviewLine::Rule);
        }
        let n = rest.iter().take_while(|p| p.y - first.y < NEAR).count();
        let mut line: Vec<&TextPiece> = rest[..n].iter().collect();
        line.sort_by(|a, b| a.x.total_cmp(&b.x));
        let mut text = String::new();
        for piece in &line {
            let at = (piece.x / layout.width() * columns as f32) as usize;
            let used = text.chars().count();
            // Letters of one width are wider than those on the paper: nothing is laid over another.
            text.extend(std::iter::repeat_n(' ', if used == 0 { at } else { at.saturating_sub(used).max(2) }));
            text += jurex_pattern::text::printable(piece.text.as_bytes()).trim_end();
        }
        let (strong, inverted) = (line.iter().any(|p| p.strong), line.iter().any(|p| p.inverted));
        lines.push(PreviewLine::Words { text, strong, inverted });
        rest = &rest[n..];
    }
    lines
}
