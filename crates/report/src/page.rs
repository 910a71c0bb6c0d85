//! Pages as values: runs of marks at places, and a tree that says what they are. [`crate::pdf`] writes them.

use crate::drawing::{Drawing, Ink};
use crate::fonts::{Face, fonts};

/// A4 in points.
pub(crate) const WIDTH: f32 = 595.28;
/// A4 in points.
pub(crate) const HEIGHT: f32 = 841.89;
/// Left and right margin.
pub(crate) const MARGIN: f32 = 56.0;
const TOP: f32 = 52.0;
const BOTTOM: f32 = 64.0;

/// Something drawn, with absolute coordinates on its page.
#[derive(Clone, Debug)]
pub(crate) enum Mark {
    /// A line of text by its baseline.
    Text { x: f32, y: f32, face: Face, size: f32, ink: Ink, text: String },
    /// A straight line.
    Rule { from: (f32, f32), to: (f32, f32), width: f32, ink: Ink },
    /// A whole drawing by its top left corner.
    Drawing { x: f32, y: f32, drawing: Drawing },
}

/// Marks that belong together on one page.
#[derive(Debug)]
pub(crate) struct Run {
    pub(crate) page: usize,
    /// Decoration that a reader aloud skips.
    pub(crate) decoration: bool,
    pub(crate) marks: Vec<Mark>,
}

/// What a part of the document is.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Role {
    Heading(u16, String),
    Paragraph,
    Table,
    Row,
    HeaderCell,
    Cell,
    Figure(String),
}

/// The document's structure: roles over runs, by their numbers.
#[derive(Debug)]
pub(crate) enum Node {
    Group(Role, Vec<Node>),
    Run(usize),
}

/// How a paragraph is set.
#[derive(Clone, Copy)]
pub(crate) struct Style {
    pub(crate) face: Face,
    pub(crate) size: f32,
    pub(crate) leading: f32,
    pub(crate) ink: Ink,
}

impl Style {
    pub(crate) const fn new(face: Face, size: f32, ink: Ink) -> Self {
        Self { face, size, leading: size * 1.38, ink }
    }
}

/// A document being laid out from top to bottom.
pub(crate) struct Layout {
    pub(crate) runs: Vec<Run>,
    pub(crate) tree: Vec<Node>,
    pub(crate) pages: usize,
    y: f32,
}

/// A label with its value, for tables of facts.
pub(crate) struct Fact {
    pub(crate) label: &'static str,
    pub(crate) value: String,
    pub(crate) face: Face,
}

impl Layout {
    pub(crate) fn new() -> Self {
        Self { runs: vec![], tree: vec![], pages: 1, y: TOP }
    }

    /// Starts a new page if less than `height` is left on this one.
    pub(crate) fn need(&mut self, height: f32) {
        if self.y + height > HEIGHT - BOTTOM {
            self.pages += 1;
            self.y = TOP;
        }
    }

    pub(crate) fn space(&mut self, height: f32) {
        self.y += height;
    }

    fn run(&mut self, decoration: bool, marks: Vec<Mark>) -> Node {
        self.runs.push(Run { page: self.pages - 1, decoration, marks });
        Node::Run(self.runs.len() - 1)
    }

    /// A text over the full width.
    pub(crate) fn text(&mut self, role: Role, style: Style, text: &str) {
        let mut nodes = vec![];
        for line in fonts().wrap(style.face, style.size, text, WIDTH - 2.0 * MARGIN) {
            self.need(style.leading);
            self.y += style.leading;
            let mark = Mark::Text {
                x: MARGIN,
                y: self.y - style.leading + style.size,
                face: style.face,
                size: style.size,
                ink: style.ink,
                text: line,
            };
            nodes.push(self.run(false, vec![mark]));
        }
        self.tree.push(Node::Group(role, nodes));
    }

    /// A line of decoration over the full width.
    pub(crate) fn rule(&mut self, width: f32, ink: Ink) {
        let mark = Mark::Rule { from: (MARGIN, self.y), to: (WIDTH - MARGIN, self.y), width, ink };
        self.run(true, vec![mark]);
    }

    /// A heading that stays on one page with at least `following` points of what comes after it.
    pub(crate) fn heading(&mut self, text: &str, following: f32) {
        self.need(34.0 + following);
        self.space(13.0);
        self.text(Role::Heading(2, text.into()), Style::new(Face::Strong, 10.5, Ink::Text), text);
        self.space(1.0);
        self.rule(0.5, Ink::Rule);
        self.space(4.0);
    }

    /// Facts in two columns of label over value. Rows are as high as the higher of their two cells.
    pub(crate) fn facts(&mut self, facts: &[Fact]) {
        const GUTTER: f32 = 18.0;
        let column = (WIDTH - 2.0 * MARGIN - GUTTER) / 2.0;
        let mut rows = vec![];
        for pair in facts.chunks(2) {
            let cells: Vec<Vec<String>> =
                pair.iter().map(|f| fonts().wrap(f.face, VALUE, &f.value, column - LABEL_WIDTH)).collect();
            let lines = cells.iter().map(Vec::len).max().unwrap_or(1);
            self.need(lines as f32 * LEADING + 2.5);
            let mut row = vec![];
            for (i, (fact, lines)) in pair.iter().zip(&cells).enumerate() {
                let x = MARGIN + i as f32 * (column + GUTTER);
                row.extend(self.fact(x, fact, lines));
            }
            rows.push(Node::Group(Role::Row, row));
            self.y += lines as f32 * LEADING + 2.5;
        }
        self.tree.push(Node::Group(Role::Table, rows));
    }

    /// Facts one below the other, values over the whole width.
    pub(crate) fn wide_facts(&mut self, facts: &[Fact]) {
        let room = WIDTH - 2.0 * MARGIN - LABEL_WIDTH;
        let mut rows = vec![];
        for fact in facts {
            let lines = fonts().wrap(fact.face, VALUE, &fact.value, room);
            self.need(lines.len() as f32 * LEADING + 2.5);
            let row = self.fact(MARGIN, fact, &lines);
            rows.push(Node::Group(Role::Row, row));
            self.y += lines.len() as f32 * LEADING + 2.5;
        }
        self.tree.push(Node::Group(Role::Table, rows));
    }

    fn fact(&mut self, x: f32, fact: &Fact, lines: &[String]) -> Vec<Node> {
        let y = self.y + VALUE;
        let label = Mark::Text { x, y, face: Face::Text, size: LABEL, ink: Ink::Faint, text: fact.label.into() };
        let label = self.run(false, vec![label]);
        let blank = fact.value.is_empty();
        let value = if blank {
            // An empty field is a line to write on.
            let (from, to) = ((x + LABEL_WIDTH, y + 2.0), (x + LABEL_WIDTH + 120.0, y + 2.0));
            vec![Mark::Rule { from, to, width: 0.5, ink: Ink::Faint }]
        } else {
            lines
                .iter()
                .enumerate()
                .map(|(i, line)| Mark::Text {
                    x: x + LABEL_WIDTH,
                    y: y + i as f32 * LEADING,
                    face: fact.face,
                    size: VALUE,
                    ink: Ink::Text,
                    text: line.clone(),
                })
                .collect()
        };
        let value = self.run(blank, value);
        let cell = if blank { vec![] } else { vec![value] };
        vec![Node::Group(Role::HeaderCell, vec![label]), Node::Group(Role::Cell, cell)]
    }

    /// A drawing at the left margin.
    pub(crate) fn drawing(&mut self, drawing: Drawing) {
        self.need(drawing.height);
        let (height, description) = (drawing.height, drawing.description.clone());
        let run = self.run(false, vec![Mark::Drawing { x: MARGIN, y: self.y, drawing }]);
        self.tree.push(Node::Group(Role::Figure(description), vec![run]));
        self.y += height;
    }

    /// Two fields side by side for signing by hand: heading, facts, and lines for signature and date.
    pub(crate) fn signatures(&mut self, people: [(&'static str, Vec<Fact>); 2]) {
        self.need(150.0);
        let top = self.y;
        let column = (WIDTH - 2.0 * MARGIN - 24.0) / 2.0;
        let mut deepest = top;
        for (i, (heading, facts)) in people.into_iter().enumerate() {
            self.y = top;
            let x = MARGIN + i as f32 * (column + 24.0);
            let mark = Mark::Text { x, y: self.y + 10.0, face: Face::Strong, size: 9.0, ink: Ink::Text, text: heading.into() };
            let run = self.run(false, vec![mark]);
            self.tree.push(Node::Group(Role::Paragraph, vec![run]));
            self.y += 18.0;
            let mut rows = vec![];
            for fact in &facts {
                let lines = fonts().wrap(fact.face, VALUE, &fact.value, column - LABEL_WIDTH);
                let row = self.fact(x, fact, &lines);
                rows.push(Node::Group(Role::Row, row));
                self.y += lines.len() as f32 * LEADING + 2.5;
            }
            self.tree.push(Node::Group(Role::Table, rows));
            self.y += 34.0;
            let line = Mark::Rule { from: (x, self.y), to: (x + column, self.y), width: 0.7, ink: Ink::Text };
            self.run(true, vec![line]);
            let word =
                |x, text: &str| Mark::Text { x, y: 0.0, face: Face::Text, size: LABEL, ink: Ink::Faint, text: text.into() };
            let marks = [word(x, "Signature"), word(x + column - 80.0, "Date")].map(|m| at_baseline(m, self.y + 10.0));
            let run = self.run(false, marks.into());
            self.tree.push(Node::Group(Role::Paragraph, vec![run]));
            deepest = deepest.max(self.y + 14.0);
        }
        self.y = deepest;
    }

    /// Words at the foot of every page.
    pub(crate) fn footers(&mut self, left: impl Fn(usize, usize) -> [String; 2]) {
        for page in 0..self.pages {
            let y = HEIGHT - BOTTOM + 22.0;
            let [first, second] = left(page + 1, self.pages);
            let size = 6.8;
            let text = |y, text: String, face| Mark::Text {
                x: MARGIN,
                y,
                face,
                size,
                ink: Ink::Faint,
                text: fonts().showable(face, &text),
            };
            let number = format!("page {} of {}", page + 1, self.pages);
            let x = WIDTH - MARGIN - fonts().width(Face::Text, size, &number);
            let marks = vec![
                Mark::Rule { from: (MARGIN, y - 11.0), to: (WIDTH - MARGIN, y - 11.0), width: 0.5, ink: Ink::Rule },
                text(y, first, Face::Text),
                text(y + 10.0, second, Face::Mono),
                Mark::Text { x, y, face: Face::Text, size, ink: Ink::Faint, text: number },
            ];
            self.runs.push(Run { page, decoration: true, marks });
        }
    }

    /// A mark at an absolute place on the first page.
    pub(crate) fn place(&mut self, role: Role, mark: Mark) {
        self.runs.push(Run { page: 0, decoration: false, marks: vec![mark] });
        self.tree.push(Node::Group(role, vec![Node::Run(self.runs.len() - 1)]));
    }

    /// Where the next thing goes.
    pub(crate) fn y(&self) -> f32 {
        self.y
    }
}

fn at_baseline(mark: Mark, baseline: f32) -> Mark {
    match mark {
        Mark::Text { x, face, size, ink, text, .. } => Mark::Text { x, y: baseline, face, size, ink, text },
        other => other,
    }
}

const LABEL: f32 = 7.6;
const VALUE: f32 = 9.0;
const LEADING: f32 = 12.2;
const LABEL_WIDTH: f32 = 82.0;
