//! Where files lay on their file systems, and where free space was filled: each file system a line from its first block to its last.

use super::{Anchor, Drawing, Ink, Shape};
use crate::fonts::{Face, fonts};
use jurex_file_erase::{BINS, FileEraseRecord, ShownPart, StripRun};
use jurex_pattern::units::si_size;

const ROW: f32 = 15.0;
const STEP: f32 = 30.0;
const TITLE: f32 = 86.0;
const SMALL: f32 = 7.5;

/// Draws every ground on which something lay; `None`: no places are told.
pub(crate) fn draw(record: &FileEraseRecord, width: f32) -> Option<Drawing> {
    let grounds = record.grounds().iter().zip(record.strips()).filter(|(_, runs)| !runs.is_empty());
    let (mut shapes, mut y, mut mounts) = (vec![], 2.0, vec![]);
    for (ground, runs) in grounds {
        let text = fonts().shorten(Face::Text, SMALL, &ground.mount, TITLE - 8.0);
        shapes.push(Shape::Text { x: TITLE - 6.0, y: y + ROW - 4.5, size: SMALL, anchor: Anchor::End, ink: Ink::Faint, text });
        line(runs, y, width - TITLE - 1.0, &mut shapes);
        let ends = [("0".to_string(), TITLE, Anchor::Start), (si_size(ground.bytes), width - 1.0, Anchor::End)];
        for (text, x, anchor) in ends {
            shapes.push(Shape::Text { x, y: y + ROW + 8.5, size: SMALL, anchor, ink: Ink::Faint, text });
        }
        mounts.push(ground.mount.as_str());
        y += STEP;
    }
    let description = format!("Where it was, from the first block to the last: {}.", mounts.join(", "));
    (!mounts.is_empty()).then_some(Drawing { width, height: y, description, shapes })
}

fn line(runs: &[StripRun], y: f32, width: f32, shapes: &mut Vec<Shape>) {
    let x = |bin: u32| TITLE + width * bin as f32 / BINS as f32;
    let rule = |y: f32| Shape::Line { from: (TITLE, y), to: (TITLE + width, y), width: 0.5, ink: Ink::Rule };
    shapes.extend([rule(y), rule(y + ROW)]);
    for run in runs {
        let (from, to) = (x(run.first), x(run.first + run.count));
        let w = to - from;
        match run.shown {
            ShownPart::Proved => shapes.push(Shape::Rect { x: from, y, w, h: ROW, ink: Ink::Proved }),
            ShownPart::Laid => shapes.push(Shape::Rect { x: from, y: y + ROW / 2.0, w, h: ROW / 2.0, ink: Ink::Laid }),
            ShownPart::NotReached => {
                let cross = |from, to| Shape::Line { from, to, width: 0.8, ink: Ink::Fault };
                let mut at = from;
                while at < to {
                    let end = (at + ROW / 2.0).min(to);
                    shapes.extend([cross((at, y + ROW), (end, y)), cross((at, y), (end, y + ROW))]);
                    at += ROW / 2.0;
                }
            }
        }
    }
}
