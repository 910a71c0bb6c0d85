//! A drawing as a list of shapes, so that one description serves the SVG file and the certificate's page.

pub(crate) mod pace;
pub(crate) mod strata;
pub(crate) mod strip;

pub(crate) use crate::fonts::round;
use crate::fonts::{Face, fonts};
use svg::Document;
use svg::node::element::{Line as SvgLine, Path as SvgPath, Polyline as SvgPolyline, Rectangle, Text as SvgText};

/// What a shape means; the colour follows. Shapes differ too, so that a print without colour says the same.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Ink {
    /// What was there before.
    Former,
    /// Laid by a pass.
    Laid,
    /// Read back and right.
    Proved,
    /// Faulty.
    Fault,
    /// Frames and scales.
    Rule,
    /// Words.
    Text,
    /// Lesser words.
    Faint,
    /// On a dark ground.
    White,
    /// On labels, which are printed without any grey.
    Black,
    /// The organisation's own colour; that of words where it has none.
    Own,
}

impl Ink {
    /// Red, green and blue on paper.
    pub(crate) fn rgb(self) -> [u8; 3] {
        match self {
            Ink::Former => [0x4a, 0x66, 0x94],
            Ink::Laid => [0xd8, 0xa8, 0x48],
            Ink::Proved => [0x12, 0x7a, 0x63],
            Ink::Fault => [0xb3, 0x26, 0x1e],
            Ink::Rule => [0xc9, 0xc4, 0xb6],
            Ink::Text | Ink::Own => [0x23, 0x28, 0x2e],
            Ink::White => [0xff; 3],
            Ink::Black => [0; 3],
            Ink::Faint => [0x5d, 0x66, 0x70],
        }
    }

    fn hex(self) -> String {
        let [r, g, b] = self.rgb();
        format!("#{r:02x}{g:02x}{b:02x}")
    }
}

/// Where a text's point lies in it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Anchor {
    Start,
    Middle,
    End,
}

/// A shape. Coordinates in points from the top left corner; a text's `y` is its baseline.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Shape {
    Rect {
        x: f32,
        y: f32,
        w: f32,
        h: f32,
        ink: Ink,
    },
    Line {
        from: (f32, f32),
        to: (f32, f32),
        width: f32,
        ink: Ink,
    },
    Path {
        points: Vec<(f32, f32)>,
        width: f32,
        ink: Ink,
    },
    Text {
        x: f32,
        y: f32,
        size: f32,
        anchor: Anchor,
        ink: Ink,
        text: String,
    },
    /// Strong letters.
    Title {
        x: f32,
        y: f32,
        size: f32,
        ink: Ink,
        text: String,
    },
}

/// Shapes on a surface of a fixed size.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Drawing {
    pub(crate) width: f32,
    pub(crate) height: f32,
    /// What the drawing says, for those who can't see it.
    pub(crate) description: String,
    pub(crate) shapes: Vec<Shape>,
}

impl Drawing {
    /// As SVG whose words can be searched; the reader's own fonts draw them.
    pub(crate) fn to_svg(&self) -> String {
        self.svg(&self.width.to_string(), &self.height.to_string(), words)
    }

    /// As SVG to be printed in that size, each number with its unit: letters are outlines, so that no printer's font cuts a word short.
    pub(crate) fn to_svg_outlined(&self, width: &str, height: &str) -> String {
        self.svg(width, height, outlines)
    }

    fn svg(&self, width: &str, height: &str, letters: fn(Document, &Letters<'_>) -> Document) -> String {
        let document = Document::new()
            .set("viewBox", (0, 0, self.width, self.height))
            .set("width", width)
            .set("height", height)
            .set("role", "img")
            .add(svg::node::element::Title::new(self.description.as_str()))
            .add(Rectangle::new().set("width", "100%").set("height", "100%").set("fill", "#ffffff"));
        self.shapes
            .iter()
            .fold(document, |d, shape| match shape {
                Shape::Rect { x, y, w, h, ink } => {
                    let block = Rectangle::new().set("x", round(*x)).set("y", round(*y)).set("width", round(*w));
                    let block = block.set("height", round(*h)).set("fill", ink.hex());
                    // No light seams between the rows of a code.
                    d.add(if *ink == Ink::Black { block.set("shape-rendering", "crispEdges") } else { block })
                }
                Shape::Line { from, to, width, ink } => d.add(
                    SvgLine::new()
                        .set("x1", round(from.0))
                        .set("y1", round(from.1))
                        .set("x2", round(to.0))
                        .set("y2", round(to.1))
                        .set("stroke", ink.hex())
                        .set("stroke-width", *width),
                ),
                Shape::Path { points, width, ink } => {
                    let points: Vec<String> = points.iter().map(|(x, y)| format!("{},{}", round(*x), round(*y))).collect();
                    let line = SvgPolyline::new().set("points", points.join(" ")).set("fill", "none");
                    d.add(line.set("stroke", ink.hex()).set("stroke-width", *width).set("stroke-linejoin", "round"))
                }
                Shape::Title { x, y, size, ink, text } => {
                    letters(d, &Letters { at: (*x, *y), size: *size, face: Face::Strong, anchor: Anchor::Start, ink: *ink, text })
                }
                Shape::Text { x, y, size, anchor, ink, text } => {
                    letters(d, &Letters { at: (*x, *y), size: *size, face: Face::Text, anchor: *anchor, ink: *ink, text })
                }
            })
            .to_string()
    }
}

/// A line of text of a drawing.
struct Letters<'a> {
    at: (f32, f32),
    size: f32,
    face: Face,
    anchor: Anchor,
    ink: Ink,
    text: &'a str,
}

fn words(document: Document, letters: &Letters<'_>) -> Document {
    let anchor = match letters.anchor {
        Anchor::Start => "start",
        Anchor::Middle => "middle",
        Anchor::End => "end",
    };
    let node =
        SvgText::new(letters.text).set("x", round(letters.at.0)).set("y", round(letters.at.1)).set("font-size", letters.size);
    let node = node.set("font-family", "Inter, sans-serif").set("text-anchor", anchor).set("fill", letters.ink.hex());
    document.add(if letters.face == Face::Strong { node.set("font-weight", 600) } else { node })
}

fn outlines(document: Document, letters: &Letters<'_>) -> Document {
    let width = fonts().width(letters.face, letters.size, letters.text);
    let left = letters.at.0 - anchored(letters.anchor, width);
    let path = fonts().outline(letters.face, letters.size, (left, letters.at.1), letters.text);
    document.add(SvgPath::new().set("d", path).set("fill", letters.ink.hex()).set("aria-label", letters.text))
}

/// How far left of its point a text of that width begins.
pub(crate) fn anchored(anchor: Anchor, width: f32) -> f32 {
    match anchor {
        Anchor::Start => 0.0,
        Anchor::Middle => width / 2.0,
        Anchor::End => width,
    }
}
