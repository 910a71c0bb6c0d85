//! Speed over position: one line a pass, the last one strong, earlier ones thin.

use super::{Anchor, Drawing, Ink, Shape};
use jurex_pattern::units::{rate, si_size};
use jurex_sanitize::evidence::Evidence;

const LEFT: f32 = 62.0;
const BOTTOM: f32 = 22.0;
const TOP: f32 = 8.0;
const SMALL: f32 = 7.5;

/// Draws the writing speed of every pass; `None` if nothing was laid.
pub(crate) fn draw(evidence: &Evidence, width: f32, height: f32) -> Option<Drawing> {
    let logical = evidence.drive().geometry.logical;
    let passes: Vec<Vec<Option<f64>>> = evidence.passes().iter().map(|p| p.pace.speeds(logical)).collect();
    let fastest = passes.iter().flatten().flatten().copied().fold(0.0, f64::max);
    if fastest <= 0.0 {
        return None;
    }
    let top = nice_above(fastest);
    let mut shapes = vec![];
    let plot = Plot { width: width - LEFT - 10.0, height: height - TOP - BOTTOM, top };
    plot.scale(evidence, &mut shapes);
    for (i, speeds) in passes.iter().enumerate() {
        let last = i + 1 == passes.len();
        plot.line(speeds, if last { (1.4, Ink::Laid) } else { (0.5, Ink::Faint) }, &mut shapes);
    }
    let description = format!("Writing speed from the first to the last sector, up to {}.", rate(fastest));
    Some(Drawing { width, height, description, shapes })
}

/// 1, 2 or 5 times a power of ten, at least `value`.
fn nice_above(value: f64) -> f64 {
    let power = 10f64.powf(value.log10().floor());
    [1.0, 2.0, 5.0, 10.0].map(|m| m * power).into_iter().find(|n| *n >= value).unwrap_or(value)
}

struct Plot {
    width: f32,
    height: f32,
    top: f64,
}

impl Plot {
    fn y(&self, speed: f64) -> f32 {
        TOP + self.height * (1.0 - (speed / self.top) as f32)
    }

    fn line(&self, speeds: &[Option<f64>], (width, ink): (f32, Ink), shapes: &mut Vec<Shape>) {
        let step = self.width / speeds.len() as f32;
        let place = |i: usize, s: f64| (LEFT + step * (i as f32 + 0.5), self.y(s));
        // Parts without a speed break the line: nothing is drawn where nothing was measured.
        for stretch in speeds.iter().enumerate().collect::<Vec<_>>().split(|(_, s)| s.is_none()) {
            let points: Vec<(f32, f32)> = stretch.iter().filter_map(|(i, s)| s.map(|s| place(*i, s))).collect();
            if !points.is_empty() {
                shapes.push(Shape::Path { points, width, ink });
            }
        }
    }

    fn scale(&self, evidence: &Evidence, shapes: &mut Vec<Shape>) {
        for share in [0.0, 0.5, 1.0] {
            let y = self.y(self.top * share);
            shapes.push(Shape::Line { from: (LEFT, y), to: (LEFT + self.width, y), width: 0.4, ink: Ink::Rule });
            let text = if share == 0.0 { "0".into() } else { rate(self.top * share) };
            shapes.push(Shape::Text { x: LEFT - 5.0, y: y + 2.5, size: SMALL, anchor: Anchor::End, ink: Ink::Faint, text });
        }
        let geometry = evidence.drive().geometry;
        let (from, to) = (geometry.bytes_of(evidence.range().first.0), geometry.bytes_of(evidence.range().end()));
        let y = TOP + self.height + 12.0;
        for (x, anchor, bytes) in [(LEFT, Anchor::Start, from), (LEFT + self.width, Anchor::End, to)] {
            let text = if bytes == 0 { "0".into() } else { si_size(bytes) };
            shapes.push(Shape::Text { x, y, size: SMALL, anchor, ink: Ink::Faint, text });
        }
    }
}
