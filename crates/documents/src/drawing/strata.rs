//! The strata: the drive lies flat, first sector left; what was there below, each pass on top, proof above its pass.

use super::{Anchor, Drawing, Ink, Shape};
use crate::fonts::{Face, fonts};
use jurex_pattern::units::si_size;
use jurex_sanitize::strata::{Span, SpanKind, Strata, StrataLayer};

const ROW: f32 = 15.0;
const GAP: f32 = 3.0;
const TITLE: f32 = 86.0;
const SMALL: f32 = 7.5;

/// Draws the layers, the highest first, with a scale below.
pub(crate) fn draw(strata: &Strata, width: f32) -> Drawing {
    let mut shapes = vec![];
    let across = Across { left: TITLE, width: width - TITLE - 1.0, strata };
    let mut y = 2.0;
    for layer in strata.layers.iter().rev() {
        title(layer, y, &mut shapes);
        for span in &layer.spans {
            across.span(span, y, &mut shapes);
        }
        y += ROW + GAP;
    }
    across.scale(y + 2.0, &mut shapes);
    let titles: Vec<&str> = strata.layers.iter().map(|l| l.title.as_str()).collect();
    let description = format!("The drive from its first to its last sector, layers from below: {}.", titles.join(", "));
    Drawing { width, height: y + 16.0, description, shapes }
}

fn title(layer: &StrataLayer, y: f32, shapes: &mut Vec<Shape>) {
    let text = fonts().shorten(Face::Text, SMALL, &layer.title, TITLE - 8.0);
    shapes.push(Shape::Text { x: TITLE - 6.0, y: y + ROW - 4.5, size: SMALL, anchor: Anchor::End, ink: Ink::Faint, text });
}

/// From sectors to places on paper.
struct Across<'s> {
    left: f32,
    width: f32,
    strata: &'s Strata,
}

impl Across<'_> {
    fn x(&self, sector: u64) -> f32 {
        let share = (sector - self.strata.whole.first.0.min(sector)) as f64 / self.strata.whole.count.max(1) as f64;
        self.left + self.width * share.min(1.0) as f32
    }

    fn span(&self, span: &Span, y: f32, shapes: &mut Vec<Shape>) {
        let x = self.x(span.at.first.0);
        let w = (self.x(span.at.end()) - x).max(0.4);
        match span.kind {
            SpanKind::Laid => shapes.push(Shape::Rect { x, y, w, h: ROW, ink: Ink::Laid }),
            SpanKind::Proved => shapes.push(Shape::Rect { x, y: y + ROW * 0.36, w, h: ROW * 0.28, ink: Ink::Proved }),
            SpanKind::Left => shapes.push(Shape::Rect { x, y: y + ROW * 0.2, w, h: ROW * 0.6, ink: Ink::Former }),
            SpanKind::Fault => self.fault(x + w / 2.0, y, shapes),
            SpanKind::Former | SpanKind::Hidden => self.former(span, x, y, w, shapes),
            SpanKind::Own | SpanKind::AtWork => self.own(span.kind, x, y, w, shapes),
        }
    }

    /// A cross with a line through the layer: seen at any size, and in black and white.
    fn fault(&self, x: f32, y: f32, shapes: &mut Vec<Shape>) {
        let (r, middle) = (2.6, y + ROW / 2.0);
        let line = |from, to, width| Shape::Line { from, to, width, ink: Ink::Fault };
        shapes.push(line((x, y), (x, y + ROW), 0.6));
        shapes.push(line((x - r, middle - r), (x + r, middle + r), 1.2));
        shapes.push(line((x - r, middle + r), (x + r, middle - r), 1.2));
    }

    /// A row of lozenges: filled where the drive says that it has erased itself, open where it was at work.
    fn own(&self, kind: SpanKind, x: f32, y: f32, w: f32, shapes: &mut Vec<Shape>) {
        const APART: f32 = 11.0;
        let (r, middle) = (4.0, y + ROW / 2.0);
        shapes.push(Shape::Line { from: (x, middle), to: (x + w, middle), width: 0.5, ink: Ink::Laid });
        let mut at = x + APART / 2.0;
        while at < x + w {
            let corners = vec![(at, middle - r), (at + r, middle), (at, middle + r), (at - r, middle), (at, middle - r)];
            shapes.push(Shape::Path { points: corners, width: 0.8, ink: Ink::Laid });
            if kind == SpanKind::Own {
                shapes.push(Shape::Rect { x: at - r / 2.0, y: middle - r / 2.0, w: r, h: r, ink: Ink::Laid });
            }
            at += APART;
        }
    }

    /// A frame with slanted lines, and the label on a clear field.
    fn former(&self, span: &Span, x: f32, y: f32, w: f32, shapes: &mut Vec<Shape>) {
        let line = |from, to, width| Shape::Line { from, to, width, ink: Ink::Former };
        let mut at = 0.0;
        while at < w {
            let run = ROW.min(w - at);
            shapes.push(line((x + at, y + ROW), (x + at + run, y + ROW - run), 0.35));
            at += 4.0;
        }
        let corners = vec![(x, y), (x + w, y), (x + w, y + ROW), (x, y + ROW), (x, y)];
        shapes.push(Shape::Path { points: corners, width: 0.7, ink: Ink::Former });
        let Some(text) = &span.text else { return };
        let text = fonts().shorten(Face::Text, SMALL, text, w - 8.0);
        if text.chars().count() < 3 {
            return;
        }
        let field = fonts().width(Face::Text, SMALL, &text) + 5.0;
        shapes.push(Shape::Rect { x: x + 2.5, y: y + 2.0, w: field, h: ROW - 4.0, ink: Ink::Rule });
        shapes.push(Shape::Text { x: x + 5.0, y: y + ROW - 4.5, size: SMALL, anchor: Anchor::Start, ink: Ink::Text, text });
    }

    fn scale(&self, y: f32, shapes: &mut Vec<Shape>) {
        let (from, to) = ((self.left, y), (self.left + self.width, y));
        shapes.push(Shape::Line { from, to, width: 0.6, ink: Ink::Rule });
        for (share, anchor) in [(0.0, Anchor::Start), (0.5, Anchor::Middle), (1.0, Anchor::End)] {
            let x = self.left + self.width * share;
            shapes.push(Shape::Line { from: (x, y), to: (x, y + 3.0), width: 0.6, ink: Ink::Rule });
            let text = if share == 0.0 { "0".into() } else { si_size((self.strata.bytes as f64 * f64::from(share)) as u64) };
            shapes.push(Shape::Text { x, y: y + 11.0, size: SMALL, anchor, ink: Ink::Faint, text });
        }
    }
}
