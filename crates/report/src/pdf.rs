//! Writes laid-out pages as PDF/A-3a: tagged, fonts embedded, the record attached.

use crate::drawing::{Anchor, Drawing, Ink, Shape};
use crate::fonts::{Face, fonts};
use crate::page::{HEIGHT, Layout, Mark, Node, Role, Run, WIDTH};
use jiff::{Timestamp, tz::TimeZone};
use krilla::color::rgb;
use krilla::configure::{Archival, ConfigurationBuilder};
use krilla::embed::{AssociationKind, EmbeddedFile, MimeType};
use krilla::error::KrillaError;
use krilla::geom::{PathBuilder, Point, Rect};
use krilla::metadata::{DateTime, Metadata};
use krilla::page::PageSettings;
use krilla::paint::{Fill, Stroke};
use krilla::surface::Surface;
use krilla::tagging::{
    Artifact, ArtifactType, ContentTag, Identifier, SpanTag, TableHeaderScope, Tag, TagGroup, TagKind, TagTree,
};
use krilla::text::TextDirection;
use krilla::{Document, SerializeSettings};
use std::num::NonZeroU16;

/// What the file says about itself.
pub(crate) struct About {
    pub(crate) title: String,
    pub(crate) id: String,
    pub(crate) made: Timestamp,
    pub(crate) attachment_name: String,
    pub(crate) attachment: String,
}

/// Why a layout could not be set as PDF/A.
#[derive(Debug, thiserror::Error)]
pub enum PdfError {
    /// The library does not know this kind of PDF.
    #[error("this kind of PDF can't be written: {0}")]
    Kind(String),
    /// A page has no size.
    #[error("the page has no size")]
    NoSize,
    /// What the rules of the format find wrong.
    #[error("{0:?}")]
    Rules(KrillaError),
}

/// The PDF's bytes.
///
/// # Errors
/// What the PDF/A rules find wrong.
pub(crate) fn write(layout: &Layout, about: About) -> Result<Vec<u8>, PdfError> {
    let configuration = ConfigurationBuilder::new()
        .with_archival_validator(Archival::A3_A)
        .finish()
        .map_err(|e| PdfError::Kind(format!("{e:?}")))?;
    let mut document =
        Document::new_with(SerializeSettings { configuration, enable_tagging: true, ..SerializeSettings::default() });
    let date = date(about.made);
    document.set_metadata(
        Metadata::new()
            .title(about.title)
            .language("en".into())
            .creator("Jurex".into())
            .creation_date(date)
            .document_id(about.id),
    );
    let identifiers = draw_pages(&mut document, layout)?;
    let mut tree = TagTree::new().with_lang(Some("en".into()));
    for node in &layout.tree {
        if let Some(node) = tag(node, &identifiers) {
            tree.push(node);
        }
    }
    document.set_tag_tree(tree);
    document.embed_file(EmbeddedFile {
        path: about.attachment_name,
        mime_type: MimeType::new("application/json"),
        description: Some("The record that this certificate was made from".into()),
        association_kind: AssociationKind::Source,
        data: about.attachment.into_bytes().into(),
        modification_date: Some(date),
        compress: None,
        location: None,
    });
    document.finish().map_err(PdfError::Rules)
}

fn date(time: Timestamp) -> DateTime {
    let t = time.to_zoned(TimeZone::UTC).datetime();
    let part = |n: i8| n.unsigned_abs();
    DateTime::new(t.year().unsigned_abs())
        .month(part(t.month()))
        .day(part(t.day()))
        .hour(part(t.hour()))
        .minute(part(t.minute()))
        .second(part(t.second()))
        .utc_offset_hour(0)
        .utc_offset_minute(0)
}

fn draw_pages(document: &mut Document, layout: &Layout) -> Result<Vec<Option<Identifier>>, PdfError> {
    let mut identifiers = vec![None; layout.runs.len()];
    for page_number in 0..layout.pages {
        let settings = PageSettings::from_wh(WIDTH, HEIGHT).ok_or(PdfError::NoSize)?;
        let mut page = document.start_page_with(settings);
        let mut surface = page.surface();
        for (i, run) in layout.runs.iter().enumerate().filter(|(_, r)| r.page == page_number) {
            identifiers[i] = draw_run(&mut surface, run);
        }
        surface.finish();
        page.finish();
    }
    Ok(identifiers)
}

fn draw_run(surface: &mut Surface<'_>, run: &Run) -> Option<Identifier> {
    let tag = if run.decoration {
        ContentTag::Artifact(Artifact::with_kind(ArtifactType::Other))
    } else {
        ContentTag::Span(SpanTag::empty())
    };
    let identifier = surface.start_tagged(tag);
    run.marks.iter().for_each(|mark| draw(surface, mark));
    surface.end_tagged();
    (!run.decoration).then_some(identifier)
}

fn draw(surface: &mut Surface<'_>, mark: &Mark) {
    match mark {
        Mark::Text { x, y, face, size, ink, text } => draw_text(surface, (*x, *y), *face, *size, *ink, text),
        Mark::Rule { from, to, width, ink } => draw_path(surface, &[*from, *to], *width, *ink),
        Mark::Drawing { x, y, drawing } => draw_drawing(surface, (*x, *y), drawing),
    }
}

fn draw_drawing(surface: &mut Surface<'_>, (left, top): (f32, f32), drawing: &Drawing) {
    for shape in &drawing.shapes {
        match shape {
            Shape::Rect { x, y, w, h, ink } => {
                let Some(rect) = Rect::from_xywh(left + x, top + y, *w, *h) else { continue };
                let mut path = PathBuilder::new();
                path.push_rect(rect);
                let Some(path) = path.finish() else { continue };
                surface.set_stroke(None);
                surface.set_fill(Some(fill(*ink)));
                surface.draw_path(&path);
            }
            Shape::Line { from, to, width, ink } => {
                draw_path(surface, &[(left + from.0, top + from.1), (left + to.0, top + to.1)], *width, *ink);
            }
            Shape::Path { points, width, ink } => {
                let moved: Vec<(f32, f32)> = points.iter().map(|(x, y)| (left + x, top + y)).collect();
                draw_path(surface, &moved, *width, *ink);
            }
            Shape::Text { x, y, size, anchor, ink, text } => {
                let width = fonts().width(Face::Text, *size, text);
                let shift = match anchor {
                    Anchor::Start => 0.0,
                    Anchor::Middle => width / 2.0,
                    Anchor::End => width,
                };
                draw_text(surface, (left + x - shift, top + y), Face::Text, *size, *ink, text);
            }
        }
    }
}

fn fill(ink: Ink) -> Fill {
    let [r, g, b] = ink.rgb();
    Fill { paint: rgb::Color::new(r, g, b).into(), ..Fill::default() }
}

fn draw_text(surface: &mut Surface<'_>, (x, y): (f32, f32), face: Face, size: f32, ink: Ink, text: &str) {
    if text.trim().is_empty() {
        return;
    }
    surface.set_stroke(None);
    surface.set_fill(Some(fill(ink)));
    let text = fonts().showable(face, text);
    surface.draw_text(Point::from_xy(x, y), fonts().font(face), size, &text, false, TextDirection::LeftToRight);
}

fn draw_path(surface: &mut Surface<'_>, points: &[(f32, f32)], width: f32, ink: Ink) {
    let mut path = PathBuilder::new();
    for (i, (x, y)) in points.iter().enumerate() {
        if i == 0 { path.move_to(*x, *y) } else { path.line_to(*x, *y) }
    }
    // A path of one point, or of no length, has nothing to draw.
    let Some(path) = path.finish() else { return };
    let [r, g, b] = ink.rgb();
    surface.set_fill(None);
    surface.set_stroke(Some(Stroke { paint: rgb::Color::new(r, g, b).into(), width, ..Stroke::default() }));
    surface.draw_path(&path);
}

fn tag(node: &Node, identifiers: &[Option<Identifier>]) -> Option<krilla::tagging::Node> {
    match node {
        Node::Run(run) => identifiers[*run].map(Into::into),
        Node::Group(role, children) => {
            let mut group = TagGroup::new(kind(role));
            children.iter().filter_map(|c| tag(c, identifiers)).for_each(|c| group.push(c));
            Some(group.into())
        }
    }
}

fn kind(role: &Role) -> TagKind {
    match role {
        Role::Heading(level, text) => Tag::Hn(NonZeroU16::new(*level).unwrap_or(NonZeroU16::MIN), Some(text.clone())).into(),
        Role::Paragraph => Tag::P.into(),
        Role::Table => Tag::Table.into(),
        Role::Row => Tag::TR.into(),
        Role::HeaderCell => Tag::TH(TableHeaderScope::Row).into(),
        Role::Cell => Tag::TD.into(),
        Role::Figure(description) => Tag::Figure(Some(description.clone())).into(),
    }
}
