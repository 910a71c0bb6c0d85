//! A label to stick on a drive: what came of it, in letters that are read from two metres, and who asks finds the rest by the code.

use crate::branding::PageSize;
use crate::certificate::CertificateError;
use crate::drawing::{Anchor, Drawing, Ink, Shape};
use crate::fonts::{Face, fonts};
use crate::page::{DocRole, Drawn, PageLayout};
use crate::pdf::{PdfInfo, write};
use crate::qr::Code;
use jiff::Timestamp;
use jurex_sanitize::record::Record;
use jurex_sanitize::rules::Outcome;
use serde::{Deserialize, Serialize};

/// Points of a millimetre.
const MM: f32 = 72.0 / 25.4;
/// Letters smaller than this are read by nobody.
const SMALLEST: f32 = 4.2;

/// What labels are printed on.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum LabelSize {
    /// Single labels of 62 by 29 millimetres.
    #[serde(rename = "62x29")]
    Tape62x29,
    /// Single labels of 89 by 36 millimetres.
    #[serde(rename = "89x36")]
    Tape89x36,
    /// Sheets of A4 with 21 labels of 63.5 by 38.1 millimetres.
    #[serde(rename = "a4-21")]
    Sheet21,
    /// Sheets of A4 with 24 labels of 70 by 37 millimetres.
    #[serde(rename = "a4-24")]
    Sheet24,
}

/// Where the labels of a sheet lie, in millimetres.
struct Sheet {
    across: usize,
    down: usize,
    left: f32,
    top: f32,
    /// From one label to the next.
    step: (f32, f32),
}

impl LabelSize {
    /// Every size.
    pub const ALL: [LabelSize; 4] = [LabelSize::Tape62x29, LabelSize::Tape89x36, LabelSize::Sheet21, LabelSize::Sheet24];

    /// Its name on the command line.
    pub fn slug(self) -> &'static str {
        match self {
            LabelSize::Tape62x29 => "62x29",
            LabelSize::Tape89x36 => "89x36",
            LabelSize::Sheet21 => "a4-21",
            LabelSize::Sheet24 => "a4-24",
        }
    }

    /// Width and height of one label in millimetres.
    pub fn millimetres(self) -> (f32, f32) {
        match self {
            LabelSize::Tape62x29 => (62.0, 29.0),
            LabelSize::Tape89x36 => (89.0, 36.0),
            LabelSize::Sheet21 => (63.5, 38.1),
            LabelSize::Sheet24 => (70.0, 37.0),
        }
    }

    fn sheet(self) -> Option<Sheet> {
        match self {
            LabelSize::Tape62x29 | LabelSize::Tape89x36 => None,
            LabelSize::Sheet21 => Some(Sheet { across: 3, down: 7, left: 7.2, top: 15.15, step: (66.04, 38.1) }),
            LabelSize::Sheet24 => Some(Sheet { across: 3, down: 8, left: 0.0, top: 0.5, step: (70.0, 37.0) }),
        }
    }
}

/// What a label says.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PrintedLabel {
    /// What the record claims.
    pub outcome: Outcome,
    /// When the job ended.
    pub ended: Timestamp,
    /// What the drive is called.
    pub drive: String,
    /// Its serial.
    pub serial: String,
    /// The organisation's number for it.
    pub property_number: String,
    /// Its lot.
    pub lot: String,
    /// Whether the drive is simulated.
    pub simulated: bool,
    /// The code, which names the job.
    pub code: Code,
}

/// Why there is no label.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum LabelError {
    /// Something that must stand on it whole does not fit.
    #[error("the label of job {job} has no room for its {what} `{text}`: take a larger one")]
    TooLong {
        /// The job.
        job: String,
        /// What.
        what: &'static str,
        /// Its text.
        text: String,
    },
}

impl PrintedLabel {
    /// Of that record, under the key that signs it.
    pub fn of(record: &Record, key_id: Option<&str>) -> Self {
        let (drive, papers) = (record.evidence().drive(), record.papers());
        Self {
            outcome: record.claim().outcome(),
            ended: record.ended,
            drive: drive.name(),
            serial: drive.unit.serial().unwrap_or_default().into(),
            property_number: papers.property_number.clone(),
            lot: papers.lot.clone(),
            simulated: drive.simulated,
            code: Code::of(record, key_id),
        }
    }

    fn is_failed(&self) -> bool {
        self.outcome == Outcome::NotSanitized
    }

    fn description(&self) -> String {
        format!("Label of job {}: {}, serial {}", self.code.job, self.outcome, self.serial)
    }

    /// The lines beside the outcome: what they are, the text, whether it must stand there whole, and how large it is beside the others.
    fn lines(&self) -> Vec<(&'static str, String, bool, f32)> {
        let serial = if self.serial.is_empty() { "no serial told".into() } else { self.serial.clone() };
        let lot = [&self.lot, &self.property_number].into_iter().filter(|t| !t.is_empty()).cloned().collect::<Vec<_>>();
        let mut lines = vec![
            ("serial", serial, true, 1.35),
            ("date", self.ended.strftime("%Y-%m-%d").to_string(), true, 1.1),
            ("job", format!("job {}", self.code.job), true, 1.0),
            ("drive", self.drive.clone(), false, 0.9),
        ];
        if self.simulated {
            lines.insert(0, ("demonstration", "DEMONSTRATION".into(), true, 1.35));
        }
        if !lot.is_empty() {
            lines.push(("lot", lot.join(", "), false, 0.9));
        }
        lines
    }

    fn draw(&self, (width, height): (f32, f32)) -> Result<Drawing, LabelError> {
        let mut shapes = vec![];
        let margin = (height * 0.055).max(4.0);
        let failed = self.is_failed();
        // What is not sanitized: white in a black band, slanted bars down the edge, a frame. No other label has any black ground.
        let edge = if failed { height * 0.17 } else { 0.0 };
        let band = if failed { height * 0.42 } else { 0.0 };
        let code = if failed { height - band - 2.0 * margin } else { (height - 2.0 * margin).min(width * 0.4) };
        let room = width - edge - code - 3.0 * margin;
        let word = self.outcome.to_string().to_uppercase();
        let left = edge + margin;
        let top = if failed {
            shapes.push(Shape::Rect { x: edge, y: 0.0, w: width - edge, h: band, ink: Ink::Black });
            let across = width - edge - 2.0 * margin;
            let size = largest(&word, across, band * 0.72);
            let y = (band + size * 0.72) / 2.0;
            shapes.push(Shape::Title { x: left, y, size, ink: Ink::White, text: word });
            shapes.extend(slanted(edge, height));
            shapes.extend(frame(width, height));
            band + margin * 0.6
        } else {
            let size = largest(&word, room, height * 0.34);
            shapes.push(Shape::Title { x: left, y: margin + size * 0.76, size, ink: Ink::Black, text: word });
            margin + size * 0.98
        };
        let lines = self.lines();
        let parts: f32 = lines.iter().map(|l| l.3).sum();
        let usual = ((height - top - margin) / parts / 1.2).min(height * 0.12);
        let mut y = top;
        for (what, text, whole, part) in lines {
            let size = largest(&text, room, usual * part);
            if whole && size < SMALLEST {
                return Err(LabelError::TooLong { job: self.code.job.to_string(), what, text });
            }
            let size = size.max(SMALLEST.min(usual * part));
            let text = fonts().shorten(Face::Text, size, &text, room);
            let shape = if what == "serial" {
                Shape::Title { x: left, y: y + size * 0.9, size, ink: Ink::Black, text }
            } else {
                Shape::Text { x: left, y: y + size * 0.9, size, anchor: Anchor::Start, ink: Ink::Black, text }
            };
            shapes.push(shape);
            y += size * 1.2;
        }
        if let Some(drawn) = self.code.drawing_in(code, "", Ink::Black) {
            let (dx, dy) = (width - margin - code, height - margin - code);
            let dy = if failed { dy } else { (height - code) / 2.0 };
            shapes.extend(drawn.shapes.into_iter().map(|shape| moved(shape, dx, dy)));
        }
        Ok(Drawing { width, height, description: self.description(), shapes })
    }

    /// As SVG, in its true size.
    ///
    /// # Errors
    /// What must stand on it does not fit.
    pub fn to_svg(&self, size: LabelSize) -> Result<String, LabelError> {
        let (w, h) = size.millimetres();
        Ok(self.draw((w * MM, h * MM))?.to_svg_outlined(&format!("{w}mm"), &format!("{h}mm")))
    }
}

/// The largest letters up to `most` in which `text` is no wider than `room`.
fn largest(text: &str, room: f32, most: f32) -> f32 {
    let width = fonts().width(Face::Strong, 1.0, text);
    most.min(room / width.max(0.1))
}

/// How thick the frame of a failed drive's label is.
const FRAME: f32 = 2.4;

/// Slanted bars down the left edge, inside the frame.
fn slanted(edge: f32, height: f32) -> Vec<Shape> {
    let (wide, thick) = (edge - FRAME, (edge - FRAME) * 0.36);
    let rise = wide * 0.42;
    let (first, last) = (FRAME + thick, height - FRAME - thick - rise);
    let gaps = ((last - first) / wide).floor().max(1.0);
    let bar = |n: u16| {
        let y = first + f32::from(n) * (last - first) / gaps;
        Shape::Line { from: (FRAME + wide * 0.2, y + rise), to: (FRAME + wide * 0.8, y), width: thick, ink: Ink::Black }
    };
    (0..=gaps as u16).map(bar).collect()
}

fn frame(width: f32, height: f32) -> [Shape; 4] {
    let side = |x, y, w, h| Shape::Rect { x, y, w, h, ink: Ink::Black };
    [
        side(0.0, 0.0, width, FRAME),
        side(0.0, height - FRAME, width, FRAME),
        side(0.0, 0.0, FRAME, height),
        side(width - FRAME, 0.0, FRAME, height),
    ]
}

fn moved(shape: Shape, dx: f32, dy: f32) -> Shape {
    match shape {
        Shape::Rect { x, y, w, h, ink } => Shape::Rect { x: x + dx, y: y + dy, w, h, ink },
        other => other,
    }
}

/// Labels as a PDF: each on a page of its own, or on sheets from the place `first` on, counted from 1.
///
/// # Errors
/// What must stand on one does not fit, or PDF/A forbids something: a defect in Jurex.
pub fn labels_pdf(labels: &[PrintedLabel], size: LabelSize, first: usize, made: Timestamp) -> Result<Vec<u8>, LabelsError> {
    let (w, h) = size.millimetres();
    let sheet = size.sheet();
    let paper = if sheet.is_some() { PageSize::A4 } else { PageSize::Tenths((w * 10.0) as u16, (h * 10.0) as u16) };
    let mut page = PageLayout::with_air(paper, 1.0);
    let mut at = first.saturating_sub(1);
    for label in labels {
        let drawing = label.draw((w * MM, h * MM))?;
        let (x, y) = match &sheet {
            None => (0.0, 0.0),
            Some(sheet) => {
                at %= sheet.across * sheet.down;
                let (column, row) = (at % sheet.across, at / sheet.across);
                ((sheet.left + column as f32 * sheet.step.0) * MM, (sheet.top + row as f32 * sheet.step.1) * MM)
            }
        };
        let begins = at == 0 && !page.runs.is_empty();
        if begins || (sheet.is_none() && !page.runs.is_empty()) {
            page.new_page();
        }
        page.outline.push((label.description(), page.pages - 1, y));
        page.place(DocRole::Figure(label.description()), Drawn::Drawing { x, y, drawing });
        at += 1;
    }
    let names: Vec<&str> = labels.iter().map(|l| l.code.job.as_str()).collect();
    let about = PdfInfo {
        title: format!("Labels of {}", names.join(", ")),
        id: format!("labels {} {}", size.slug(), names.join(" ")),
        made,
        language: "en",
        colour: Default::default(),
        attached: vec![],
    };
    let failed = |problem| CertificateError { job: names.join(", "), problem };
    write(&page, about).map_err(|e| LabelsError::Pdf(failed(e)))
}

/// Why there are no labels.
#[derive(Debug, thiserror::Error)]
pub enum LabelsError {
    /// One does not fit.
    #[error(transparent)]
    Label(#[from] LabelError),
    /// The PDF can't be written.
    #[error(transparent)]
    Pdf(CertificateError),
}

#[cfg(test)]
mod tests {
    use super::*;

    fn label(outcome: Outcome) -> PrintedLabel {
        let code = Code { job: "261126-4F7QZK".parse().unwrap(), outcome, digest: "0123456789abcdef".repeat(4), key_id: None };
        PrintedLabel {
            outcome,
            ended: "2026-11-26T12:00:00Z".parse().unwrap(),
            drive: "Ferrant Meridian 2000".into(),
            serial: "FM20K7Q41M".into(),
            property_number: "BWS 0046".into(),
            simulated: false,
            lot: "BW-0417".into(),
            code,
        }
    }

    #[test]
    fn everything_lies_on_the_label_and_only_what_failed_has_a_black_ground() {
        for size in LabelSize::ALL {
            let (w, h) = size.millimetres();
            let (w, h) = (w * MM, h * MM);
            for outcome in [Outcome::Clear, Outcome::Purge, Outcome::NotSanitized] {
                let drawing = label(outcome).draw((w, h)).unwrap();
                let mut black = 0.0f32;
                for shape in &drawing.shapes {
                    match shape {
                        Shape::Rect { x, y, w: rw, h: rh, .. } => {
                            assert!(*x >= 0.0 && *y >= 0.0 && x + rw <= w + 0.1 && y + rh <= h + 0.1, "{size:?} {shape:?}");
                            black = black.max(rw * rh);
                        }
                        Shape::Title { x, y, size: s, text, .. } => {
                            assert!(*y <= h && x + fonts().width(Face::Strong, *s, text) <= w, "{size:?} {text}");
                        }
                        Shape::Text { x, y, size: s, text, .. } => {
                            assert!(*y <= h && *s > 3.0 && x + fonts().width(Face::Text, *s, text) <= w, "{size:?} {text}");
                        }
                        Shape::Line { .. } | Shape::Path { .. } => {}
                    }
                }
                assert_eq!(black > w * h * 0.3, outcome == Outcome::NotSanitized, "{size:?} {outcome}");
            }
        }
    }

    #[test]
    fn a_serial_is_never_cut_and_sheets_go_on_where_labels_are_left() {
        let long = PrintedLabel { serial: "X".repeat(90), ..label(Outcome::Clear) };
        let said = long.to_svg(LabelSize::Tape62x29).unwrap_err().to_string();
        assert!(said.contains("no room for its serial") && said.contains("larger"), "{said}");
        let pages = |n: usize, size, first| {
            pages_of(&labels_pdf(&vec![label(Outcome::Clear); n], size, first, Timestamp::UNIX_EPOCH).unwrap())
        };
        assert_eq!(pages(3, LabelSize::Tape62x29, 1), 3);
        assert_eq!(
            (pages(21, LabelSize::Sheet21, 1), pages(21, LabelSize::Sheet21, 2), pages(24, LabelSize::Sheet24, 1)),
            (1, 2, 1)
        );
    }

    #[test]
    fn a_failed_drives_label_is_drawn_whole_without_any_font() {
        use resvg::{tiny_skia, usvg};
        for size in LabelSize::ALL {
            // The drawing program has no font at all.
            let svg = label(Outcome::NotSanitized).to_svg(size).unwrap();
            let tree = usvg::Tree::from_str(&svg, &usvg::Options::default()).unwrap();
            let (w, h) = (400, (400.0 * tree.size().height() / tree.size().width()) as u32);
            let mut picture = tiny_skia::Pixmap::new(w, h).unwrap();
            let scale = w as f32 / tree.size().width();
            resvg::render(&tree, tiny_skia::Transform::from_scale(scale, scale), &mut picture.as_mut());
            let light = |x: u32, y: u32| picture.pixel(x, y).unwrap().red() > 128;
            // In the black band: the first and the last letter, and black on both sides of them.
            let edge = (size.millimetres().1 * 0.17 / size.millimetres().0 * w as f32) as u32 + 1;
            let lit: Vec<u32> = (edge..w).filter(|x| (h / 20..h * 2 / 5).any(|y| light(*x, y))).collect();
            let (first, last) = (*lit.first().unwrap(), *lit.last().unwrap());
            assert!(first > edge + 5 && last < w - 6 && last - first > w / 2, "{size:?}: {first} to {last} of {edge} to {w}");
        }
    }

    fn pages_of(pdf: &[u8]) -> usize {
        let count = |what: &[u8]| pdf.windows(what.len()).filter(|w| *w == what).count();
        count(b"/Type/Page") - count(b"/Type/Pages")
    }
}
