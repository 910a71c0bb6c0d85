//! Pages as values: runs of marks at places, and a tree that says what they are. [`crate::pdf`] writes them.

use crate::branding::PageSize;
use crate::branding::Picture;
use crate::drawing::{Drawing, Ink};
use crate::fonts::{Face, fonts};

/// Left and right margin.
pub(crate) const MARGIN: f32 = 56.0;
const TOP: f32 = 52.0;
const BOTTOM: f32 = 64.0;

/// Something drawn, with absolute coordinates on its page.
#[derive(Clone, Debug)]
pub(crate) enum Drawn {
    /// A line of text by its baseline.
    Text { x: f32, y: f32, face: Face, size: f32, ink: Ink, text: String },
    /// A straight line.
    Rule { from: (f32, f32), to: (f32, f32), width: f32, ink: Ink },
    /// A filled rectangle by its top left corner.
    Block { x: f32, y: f32, w: f32, h: f32, ink: Ink },
    /// A whole drawing by its top left corner.
    Drawing { x: f32, y: f32, drawing: Drawing },
    /// A picture by its top left corner, so wide.
    Picture { x: f32, y: f32, w: f32, picture: Picture },
}

/// Marks that belong together on one page.
#[derive(Debug)]
pub(crate) struct TextRun {
    pub(crate) page: usize,
    /// Decoration that a reader aloud skips.
    pub(crate) decoration: bool,
    pub(crate) marks: Vec<Drawn>,
}

/// What a part of the document is.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum DocRole {
    Heading(u16, String),
    Paragraph,
    /// One in English, whatever the document is in.
    EnglishParagraph,
    Table,
    Row,
    HeaderCell,
    ColumnHeader,
    Cell,
    /// A cell that closes a row of so many columns.
    WideCell(u32),
    Figure(String),
}

/// The document's structure: roles over runs, by their numbers.
#[derive(Debug)]
pub(crate) enum DocNode {
    Group(DocRole, Vec<DocNode>),
    Run(usize),
    /// A part in English, whatever the document is in.
    English(Box<DocNode>),
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
pub(crate) struct PageLayout {
    pub(crate) runs: Vec<TextRun>,
    pub(crate) tree: Vec<DocNode>,
    pub(crate) pages: usize,
    /// Headings of the outline, with their pages and heights.
    pub(crate) outline: Vec<(String, usize, f32)>,
    pub(crate) size: PageSize,
    /// How much air is between lines and parts: 1 is usual.
    air: f32,
    /// How large running text, labels and values are set: 1 is usual.
    scale: f32,
    y: f32,
}

/// A label with its value, for tables of facts.
pub(crate) struct Fact {
    pub(crate) label: String,
    pub(crate) value: String,
    pub(crate) face: Face,
    /// Whether its value is in English, whatever the paper is in.
    pub(crate) english: bool,
}

impl Fact {
    /// The same with a value in English.
    pub(crate) fn english(self) -> Self {
        Self { english: true, ..self }
    }
}

impl PageLayout {
    /// With so much air as a part of the usual.
    pub(crate) fn with_air(size: PageSize, air: f32) -> Self {
        Self { runs: vec![], tree: vec![], pages: 1, outline: vec![], size, air, scale: 1.0, y: TOP }
    }

    /// So much air, and facts so large, from here on.
    pub(crate) fn set_density(&mut self, air: f32, scale: f32) {
        (self.air, self.scale) = (air, scale);
    }

    /// The page's width in points.
    pub(crate) fn width(&self) -> f32 {
        self.size.points().0
    }

    fn height(&self) -> f32 {
        self.size.points().1
    }

    /// Room between the margins.
    pub(crate) fn inner(&self) -> f32 {
        self.width() - 2.0 * MARGIN
    }

    /// Starts a new page if less than `height` is left on this one.
    pub(crate) fn need(&mut self, height: f32) {
        if self.y + height > self.height() - BOTTOM {
            self.new_page();
        }
    }

    pub(crate) fn space(&mut self, height: f32) {
        self.y += height;
    }

    fn run(&mut self, decoration: bool, marks: Vec<Drawn>) -> DocNode {
        self.runs.push(TextRun { page: self.pages - 1, decoration, marks });
        DocNode::Run(self.runs.len() - 1)
    }

    /// A text over the full width.
    pub(crate) fn text(&mut self, role: DocRole, style: Style, text: &str) {
        self.text_in(role, style, text, self.inner());
    }

    /// A text that is no wider than that.
    pub(crate) fn text_in(&mut self, role: DocRole, style: Style, text: &str, room: f32) {
        // What is set to be seen from afar stays as large as it is.
        let style = if style.face == Face::Text { Style::new(Face::Text, style.size * self.scale, style.ink) } else { style };
        let mut nodes = vec![];
        for line in fonts().wrap(style.face, style.size, text, room) {
            self.need(style.leading);
            self.y += style.leading;
            let mark = Drawn::Text {
                x: MARGIN,
                y: self.y - style.leading + style.size,
                face: style.face,
                size: style.size,
                ink: style.ink,
                text: line,
            };
            nodes.push(self.run(false, vec![mark]));
        }
        self.tree.push(DocNode::Group(role, nodes));
    }

    /// A line of decoration over the full width.
    pub(crate) fn rule(&mut self, width: f32, ink: Ink) {
        let mark = Drawn::Rule { from: (MARGIN, self.y), to: (self.width() - MARGIN, self.y), width, ink };
        self.run(true, vec![mark]);
    }

    /// A heading that stays on one page with at least `following` points of what comes after it.
    pub(crate) fn heading(&mut self, text: &str, following: f32) {
        self.need(34.0 + following);
        self.space(13.0 * self.air);
        self.outline.push((text.into(), self.pages - 1, self.y));
        self.text(DocRole::Heading(2, text.into()), Style::new(Face::Strong, 10.5, Ink::Own), text);
        self.space(1.0);
        self.rule(0.5, Ink::Rule);
        self.space(4.0);
    }

    /// Facts in two columns of label over value. Rows are as high as the higher of their two cells.
    pub(crate) fn facts(&mut self, facts: &[Fact]) {
        const GUTTER: f32 = 18.0;
        let column = (self.inner() - GUTTER) / 2.0;
        let mut rows = vec![];
        for pair in facts.chunks(2) {
            let cells: Vec<FactCell> = pair.iter().map(|f| FactCell::of(f, column, self.scale)).collect();
            let height = cells.iter().map(FactCell::height).fold(LEADING * self.scale, f32::max);
            self.need(height + 2.5 * self.air);
            let mut row = vec![];
            for (i, (fact, cell)) in pair.iter().zip(&cells).enumerate() {
                let x = MARGIN + i as f32 * (column + GUTTER);
                // A row that has one fact alone is closed by it: every row of a table has as many columns (PDF/UA-1, 7.5).
                let closes = if pair.len() == 1 && facts.len() > 1 { 3 } else { 1 };
                row.extend(self.fact(x, fact, cell, closes));
            }
            rows.push(DocNode::Group(DocRole::Row, row));
            self.y += height + 2.5 * self.air;
        }
        self.tree.push(DocNode::Group(DocRole::Table, rows));
    }

    /// Facts one below the other, values over the whole width.
    pub(crate) fn wide_facts(&mut self, facts: &[Fact]) {
        if facts.is_empty() {
            return;
        }
        let room = self.inner();
        let mut rows = vec![];
        for fact in facts {
            let cell = FactCell::of(fact, room, self.scale);
            self.need(cell.height() + 2.5 * self.air);
            let row = self.fact(MARGIN, fact, &cell, 1);
            rows.push(DocNode::Group(DocRole::Row, row));
            self.y += cell.height() + 2.5 * self.air;
        }
        self.tree.push(DocNode::Group(DocRole::Table, rows));
    }

    /// A label and its value, over so many columns.
    fn fact(&mut self, x: f32, fact: &Fact, cell: &FactCell, columns: u32) -> Vec<DocNode> {
        let scale = self.scale;
        let y = self.y + VALUE * scale;
        let lines = cell.label.iter().enumerate();
        let label = lines.map(|(i, line)| {
            let y = y + i as f32 * LABEL_LEADING * scale;
            Drawn::Text { x, y, face: Face::Text, size: LABEL * scale, ink: Ink::Faint, text: line.clone() }
        });
        let label = self.run(false, label.collect());
        let blank = fact.value.is_empty();
        let value = if blank {
            // An empty field is a line to write on.
            let (from, to) = ((x + LABEL_WIDTH, y + 2.0), (x + LABEL_WIDTH + 120.0, y + 2.0));
            vec![Drawn::Rule { from, to, width: 0.5, ink: Ink::Faint }]
        } else {
            let set = |(i, line): (usize, &String)| Drawn::Text {
                x: x + LABEL_WIDTH,
                y: y + i as f32 * LEADING * scale,
                face: fact.face,
                size: VALUE * scale,
                ink: Ink::Text,
                text: line.clone(),
            };
            cell.value.iter().enumerate().map(set).collect()
        };
        let value = self.run(blank, value);
        let value = if fact.english { DocNode::English(Box::new(value)) } else { value };
        let cell = if blank { vec![] } else { vec![value] };
        let role = if columns > 1 { DocRole::WideCell(columns) } else { DocRole::Cell };
        vec![DocNode::Group(DocRole::HeaderCell, vec![label]), DocNode::Group(role, cell)]
    }

    /// A table with a row of headings, that goes on over pages under the same headings. Widths are parts of the room.
    pub(crate) fn table(&mut self, head: &[String], widths: &[f32], rows: &[Vec<(String, Face)>]) {
        const SIZE: f32 = 7.6;
        const LINE: f32 = 9.8;
        const GAP: f32 = 6.0;
        let room = self.inner();
        let sum: f32 = widths.iter().sum();
        let widths: Vec<f32> = widths.iter().map(|w| w / sum * room).collect();
        let starts: Vec<f32> = widths.iter().scan(MARGIN, |x, w| Some(std::mem::replace(x, *x + w))).collect();
        let wrap = |face, text: &str, i: usize| fonts().wrap(face, SIZE, text, widths[i] - GAP);
        let titles: Vec<Vec<String>> = head.iter().enumerate().map(|(i, h)| wrap(Face::Strong, h, i)).collect();
        let title_height = titles.iter().map(Vec::len).max().unwrap_or(1) as f32 * LINE + 5.0;
        let cells = |page: &mut Self, lines: &[Vec<String>], faces: &dyn Fn(usize) -> Face, ink, again| -> Vec<DocNode> {
            let y = page.y;
            let set = |i: usize, n: usize, line: &String| Drawn::Text {
                x: starts[i],
                y: y + SIZE + n as f32 * LINE,
                face: faces(i),
                size: SIZE,
                ink,
                text: line.clone(),
            };
            let marks = |(i, lines): (usize, &Vec<String>)| lines.iter().enumerate().map(|(n, l)| set(i, n, l)).collect();
            lines.iter().enumerate().map(marks).map(|marks| page.run(again, marks)).collect()
        };
        self.need(title_height + 3.0 * LINE);
        let (mut nodes, mut page_of_head) = (vec![], usize::MAX);
        for row in rows {
            let lines: Vec<Vec<String>> = row.iter().enumerate().map(|(i, (text, face))| wrap(*face, text, i)).collect();
            let height = lines.iter().map(Vec::len).max().unwrap_or(1) as f32 * LINE + 3.0;
            self.need(height);
            if page_of_head != self.pages {
                // What stands again on a further page is decoration: a reader aloud has heard it.
                let again = page_of_head != usize::MAX;
                let runs = cells(self, &titles, &|_| Face::Strong, Ink::Faint, again);
                if !again {
                    let cell = |run| DocNode::Group(DocRole::ColumnHeader, vec![run]);
                    nodes.push(DocNode::Group(DocRole::Row, runs.into_iter().map(cell).collect()));
                }
                self.y += title_height - 3.0;
                self.rule(0.5, Ink::Rule);
                self.y += 3.0;
                page_of_head = self.pages;
            }
            let runs = cells(self, &lines, &|i| row[i].1, Ink::Text, false);
            nodes.push(DocNode::Group(
                DocRole::Row,
                runs.into_iter().map(|run| DocNode::Group(DocRole::Cell, vec![run])).collect(),
            ));
            self.y += height;
        }
        self.tree.push(DocNode::Group(DocRole::Table, nodes));
    }

    /// A drawing at the left margin.
    pub(crate) fn drawing(&mut self, drawing: Drawing) {
        self.need(drawing.height);
        let (height, description) = (drawing.height, drawing.description.clone());
        let run = self.run(false, vec![Drawn::Drawing { x: MARGIN, y: self.y, drawing }]);
        self.tree.push(DocNode::Group(DocRole::Figure(description), vec![run]));
        self.y += height;
    }

    /// One or two fields side by side for signing by hand: heading, facts, and lines for signature and date.
    pub(crate) fn signatures(&mut self, people: Vec<(String, Vec<Fact>)>, words: [&str; 2]) {
        self.need(130.0);
        let top = self.y;
        let column = (self.inner() - 24.0) / 2.0;
        let mut deepest = top;
        for (i, (heading, facts)) in people.into_iter().enumerate() {
            self.y = top;
            let x = MARGIN + i as f32 * (column + 24.0);
            let mark = Drawn::Text { x, y: self.y + 10.0, face: Face::Strong, size: 9.0, ink: Ink::Text, text: heading };
            let run = self.run(false, vec![mark]);
            self.tree.push(DocNode::Group(DocRole::Paragraph, vec![run]));
            self.y += 18.0;
            let mut rows = vec![];
            for fact in &facts {
                let cell = FactCell::of(fact, column, self.scale);
                let row = self.fact(x, fact, &cell, 1);
                rows.push(DocNode::Group(DocRole::Row, row));
                self.y += cell.height() + 2.5;
            }
            self.tree.push(DocNode::Group(DocRole::Table, rows));
            // Room for a hand, however close the rest is.
            self.y += (34.0 * self.air).max(22.0);
            let line = Drawn::Rule { from: (x, self.y), to: (x + column, self.y), width: 0.7, ink: Ink::Text };
            self.run(true, vec![line]);
            let word =
                |x, text: &str| Drawn::Text { x, y: 0.0, face: Face::Text, size: LABEL, ink: Ink::Faint, text: text.into() };
            let [signature, date] = words;
            let marks = [word(x, signature), word(x + column - 80.0, date)].map(|m| at_baseline(m, self.y + 10.0));
            let run = self.run(false, marks.into());
            self.tree.push(DocNode::Group(DocRole::Paragraph, vec![run]));
            deepest = deepest.max(self.y + 14.0);
        }
        self.y = deepest;
    }

    /// Words at the foot of every page.
    pub(crate) fn footers(&mut self, lines: &[String; 2], number: impl Fn(usize, usize) -> String) {
        for page in 0..self.pages {
            let y = self.height() - BOTTOM + 22.0;
            let [first, second] = lines.clone();
            let size = 6.8;
            let text = |y, text: String, face| Drawn::Text {
                x: MARGIN,
                y,
                face,
                size,
                ink: Ink::Faint,
                text: fonts().showable(face, &text),
            };
            let number = number(page + 1, self.pages);
            let x = self.width() - MARGIN - fonts().width(Face::Text, size, &number);
            let marks = vec![
                Drawn::Rule { from: (MARGIN, y - 11.0), to: (self.width() - MARGIN, y - 11.0), width: 0.5, ink: Ink::Rule },
                text(y, first, Face::Text),
                text(y + 10.0, second, Face::Mono),
                Drawn::Text { x, y, face: Face::Text, size, ink: Ink::Faint, text: number },
            ];
            self.runs.push(TextRun { page, decoration: true, marks });
        }
    }

    /// A mark at an absolute place on this page.
    pub(crate) fn place(&mut self, role: DocRole, mark: Drawn) {
        self.runs.push(TextRun { page: self.pages - 1, decoration: false, marks: vec![mark] });
        self.tree.push(DocNode::Group(role, vec![DocNode::Run(self.runs.len() - 1)]));
    }

    /// A mark on this page, which a reader aloud skips.
    pub(crate) fn on_this_page(&mut self, mark: Drawn) {
        self.run(true, vec![mark]);
    }

    /// Marks on every page, which a reader aloud skips.
    pub(crate) fn on_every_page(&mut self, marks: &[Drawn]) {
        (0..self.pages).for_each(|page| self.runs.push(TextRun { page, decoration: true, marks: marks.to_vec() }));
    }

    /// A drawing at an absolute place on this page.
    pub(crate) fn figure(&mut self, description: &str, mark: Drawn) {
        self.place(DocRole::Figure(description.into()), mark);
    }

    /// Where the next thing goes.
    pub(crate) fn y(&self) -> f32 {
        self.y
    }

    /// Goes down to there, if it is not farther down already.
    pub(crate) fn down_to(&mut self, y: f32) {
        self.y = self.y.max(y);
    }

    /// Whether the last page holds little more than a rest.
    pub(crate) fn ends_in_a_rest(&self) -> bool {
        /// Less than this part of its room is a rest.
        const REST: f32 = 0.45;
        self.pages > 1 && (self.y - TOP) / (self.height() - BOTTOM - TOP) < REST
    }

    /// Goes on at the top of a new page.
    pub(crate) fn new_page(&mut self) {
        self.pages += 1;
        self.y = TOP;
    }

    /// What is left of this page.
    pub(crate) fn left(&self) -> f32 {
        self.height() - BOTTOM - self.y
    }
}

/// A fact's label and value, in lines.
struct FactCell {
    label: Vec<String>,
    value: Vec<String>,
    scale: f32,
}

impl FactCell {
    fn of(fact: &Fact, room: f32, scale: f32) -> Self {
        let label = fonts().wrap(Face::Text, LABEL * scale, &fact.label, LABEL_WIDTH - 5.0);
        Self { label, value: fonts().wrap(fact.face, VALUE * scale, &fact.value, room - LABEL_WIDTH), scale }
    }

    fn height(&self) -> f32 {
        (self.value.len() as f32 * LEADING).max(self.label.len() as f32 * LABEL_LEADING) * self.scale
    }
}

fn at_baseline(mark: Drawn, baseline: f32) -> Drawn {
    match mark {
        Drawn::Text { x, face, size, ink, text, .. } => Drawn::Text { x, y: baseline, face, size, ink, text },
        other => other,
    }
}

const LABEL: f32 = 7.6;
const VALUE: f32 = 9.0;
const LEADING: f32 = 12.2;
const LABEL_LEADING: f32 = 9.4;
const LABEL_WIDTH: f32 = 82.0;
