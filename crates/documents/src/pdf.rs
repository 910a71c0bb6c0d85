//! Writes laid-out pages as PDF/A-3a and PDF/UA-1: tagged, with an outline, fonts embedded, the record attached.

use crate::branding::{Colour, House, Picture};
use crate::drawing::{Drawing, Ink, Shape, anchored};
use crate::fonts::{Face, fonts};
use crate::page::{DocNode, DocRole, Drawn, PageLayout, TextRun};
use jiff::{Timestamp, tz::TimeZone};
use krilla::color::rgb;
use krilla::configure::{Accessibility, Archival, ConfigurationBuilder};
use krilla::destination::XyzDestination;
use krilla::embed::{AssociationKind, EmbeddedFile, MimeType};
use krilla::error::KrillaError;
use krilla::geom::{PathBuilder, Point, Rect, Size, Transform};
use krilla::image::{BitsPerComponent, CustomImage, Image, ImageColorspace};
use krilla::metadata::{DateTime, Metadata};
use krilla::outline::{Outline, OutlineNode};
use krilla::page::PageSettings;
use krilla::paint::{Fill, Stroke};
use krilla::surface::Surface;
use krilla::tagging::{
    Artifact, ArtifactType, ContentTag, Identifier, SpanTag, TableHeaderScope, Tag, TagGroup, TagKind, TagTree,
};
use krilla::text::TextDirection;
use krilla::{Document, SerializeSettings};
use std::num::{NonZeroU16, NonZeroU32};

/// What the file says about itself.
pub(crate) struct PdfInfo {
    pub(crate) title: String,
    pub(crate) id: String,
    pub(crate) made: Timestamp,
    /// The language of its words.
    pub(crate) language: &'static str,
    /// The organisation's colour.
    pub(crate) colour: Colour,
    /// What is attached, the record first.
    pub(crate) attached: Vec<ToAttach>,
}

/// A text to be attached.
pub(crate) struct ToAttach {
    pub(crate) name: String,
    pub(crate) kind: &'static str,
    pub(crate) about: &'static str,
    /// Whether the paper is made from it.
    pub(crate) is_source: bool,
    pub(crate) text: String,
}

impl ToAttach {
    /// JSON of that name.
    pub(crate) fn json(name: String, about: &'static str, is_source: bool, text: String) -> Self {
        Self { name, kind: "application/json", about, is_source, text }
    }

    /// How the organisation has papers printed, where that is not as usual, beside what has that name.
    pub(crate) fn house(house: &House, name: &str) -> Option<Self> {
        let about = "How the organisation has its papers printed";
        house.to_attach().map(|text| Self::json(format!("{name}.house.json"), about, false, text))
    }
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
pub(crate) fn write(layout: &PageLayout, about: PdfInfo) -> Result<Vec<u8>, PdfError> {
    let configuration = ConfigurationBuilder::new()
        .with_archival_validator(Archival::A3_A)
        .with_accessibility_validator(Accessibility::UA1)
        .finish()
        .map_err(|e| PdfError::Kind(format!("{e:?}")))?;
    let mut document =
        Document::new_with(SerializeSettings { configuration, enable_tagging: true, ..SerializeSettings::default() });
    let date = date(about.made);
    document.set_metadata(
        Metadata::new()
            .title(about.title)
            .language(about.language.into())
            .creator("Jurex".into())
            .creation_date(date)
            .document_id(about.id),
    );
    let identifiers = draw_pages(&mut document, layout, about.colour)?;
    let mut tree = TagTree::new().with_lang(Some(about.language.into()));
    for node in &layout.tree {
        if let Some(node) = tag(node, &identifiers) {
            tree.push(node);
        }
    }
    document.set_tag_tree(tree);
    let mut outline = Outline::new();
    for (heading, page, y) in &layout.outline {
        let there = XyzDestination::new(*page, Point::from_xy(0.0, *y));
        outline.push_child(OutlineNode::new(heading.clone(), there));
    }
    document.set_outline(outline);
    for attached in about.attached {
        let kind = if attached.is_source { AssociationKind::Source } else { AssociationKind::Supplement };
        document.embed_file(EmbeddedFile {
            path: attached.name,
            mime_type: MimeType::new(attached.kind),
            description: Some(attached.about.into()),
            association_kind: kind,
            data: attached.text.into_bytes().into(),
            modification_date: Some(date),
            // Told apart from others by what is in it, not by how small it came out.
            compress: Some(true),
            location: None,
        });
    }
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

fn draw_pages(document: &mut Document, layout: &PageLayout, own: Colour) -> Result<Vec<Option<Identifier>>, PdfError> {
    let mut identifiers = vec![None; layout.runs.len()];
    for page_number in 0..layout.pages {
        let settings = PageSettings::from_wh(layout.size.points().0, layout.size.points().1).ok_or(PdfError::NoSize)?;
        let mut page = document.start_page_with(settings);
        let mut surface = page.surface();
        for (i, run) in layout.runs.iter().enumerate().filter(|(_, r)| r.page == page_number) {
            identifiers[i] = draw_run(&mut surface, run, own);
        }
        surface.finish();
        page.finish();
    }
    Ok(identifiers)
}

fn draw_run(surface: &mut Surface<'_>, run: &TextRun, own: Colour) -> Option<Identifier> {
    let tag = if run.decoration {
        ContentTag::Artifact(Artifact::with_kind(ArtifactType::Other))
    } else {
        ContentTag::Span(SpanTag::empty())
    };
    let identifier = surface.start_tagged(tag);
    run.marks.iter().for_each(|mark| draw(surface, mark, own));
    surface.end_tagged();
    (!run.decoration).then_some(identifier)
}

fn draw(surface: &mut Surface<'_>, mark: &Drawn, own: Colour) {
    let rgb = |ink: Ink| if ink == Ink::Own { own.0 } else { ink.rgb() };
    match mark {
        Drawn::Text { x, y, face, size, ink, text } => draw_text(surface, (*x, *y), *face, *size, rgb(*ink), text),
        Drawn::Rule { from, to, width, ink } => draw_path(surface, &[*from, *to], *width, rgb(*ink)),
        Drawn::Block { x, y, w, h, ink } => draw_block(surface, (*x, *y, *w, *h), rgb(*ink)),
        Drawn::Drawing { x, y, drawing } => draw_drawing(surface, (*x, *y), drawing),
        Drawn::Picture { x, y, w, picture } => draw_picture(surface, (*x, *y), *w, picture),
    }
}

fn draw_block(surface: &mut Surface<'_>, (x, y, w, h): (f32, f32, f32, f32), rgb: [u8; 3]) {
    let Some(rect) = Rect::from_xywh(x, y, w, h) else { return };
    let mut path = PathBuilder::new();
    path.push_rect(rect);
    let Some(path) = path.finish() else { return };
    surface.set_stroke(None);
    surface.set_fill(Some(fill(rgb)));
    surface.draw_path(&path);
}

/// Points of red, green and blue, with nothing that is seen through.
#[derive(Clone, Hash)]
struct Opaque {
    rgb: Vec<u8>,
    size: (u32, u32),
}

impl CustomImage for Opaque {
    fn color_channel(&self) -> &[u8] {
        &self.rgb
    }

    fn alpha_channel(&self) -> Option<&[u8]> {
        None
    }

    fn bits_per_component(&self) -> BitsPerComponent {
        BitsPerComponent::Eight
    }

    fn size(&self) -> (u32, u32) {
        self.size
    }

    fn icc_profile(&self) -> Option<&[u8]> {
        None
    }

    fn color_space(&self) -> ImageColorspace {
        ImageColorspace::Rgb
    }
}

fn draw_picture(surface: &mut Surface<'_>, (x, y): (f32, f32), w: f32, picture: &Picture) {
    let (across, down) = picture.size();
    let opaque = Opaque { rgb: picture.rgb().to_vec(), size: (across, down) };
    let size = Size::from_wh(w, w * down as f32 / across as f32);
    if let (Ok(image), Some(size)) = (Image::from_custom(opaque, false), size) {
        surface.push_transform(&Transform::from_translate(x, y));
        surface.draw_image(image, size);
        surface.pop();
    }
}

fn draw_drawing(surface: &mut Surface<'_>, (left, top): (f32, f32), drawing: &Drawing) {
    for shape in &drawing.shapes {
        match shape {
            Shape::Rect { x, y, w, h, ink } => draw_block(surface, (left + x, top + y, *w, *h), ink.rgb()),
            Shape::Line { from, to, width, ink } => {
                draw_path(surface, &[(left + from.0, top + from.1), (left + to.0, top + to.1)], *width, ink.rgb());
            }
            Shape::Path { points, width, ink } => {
                let moved: Vec<(f32, f32)> = points.iter().map(|(x, y)| (left + x, top + y)).collect();
                draw_path(surface, &moved, *width, ink.rgb());
            }
            Shape::Title { x, y, size, ink, text } => {
                draw_text(surface, (left + x, top + y), Face::Strong, *size, ink.rgb(), text);
            }
            Shape::Text { x, y, size, anchor, ink, text } => {
                let width = fonts().width(Face::Text, *size, text);
                draw_text(surface, (left + x - anchored(*anchor, width), top + y), Face::Text, *size, ink.rgb(), text);
            }
        }
    }
}

fn fill([r, g, b]: [u8; 3]) -> Fill {
    Fill { paint: rgb::Color::new(r, g, b).into(), ..Fill::default() }
}

fn draw_text(surface: &mut Surface<'_>, (x, y): (f32, f32), face: Face, size: f32, rgb: [u8; 3], text: &str) {
    if text.trim().is_empty() {
        return;
    }
    surface.set_stroke(None);
    surface.set_fill(Some(fill(rgb)));
    let text = fonts().showable(face, text);
    surface.draw_text(Point::from_xy(x, y), fonts().font(face), size, &text, false, TextDirection::LeftToRight);
}

fn draw_path(surface: &mut Surface<'_>, points: &[(f32, f32)], width: f32, [r, g, b]: [u8; 3]) {
    let mut path = PathBuilder::new();
    for (i, (x, y)) in points.iter().enumerate() {
        if i == 0 { path.move_to(*x, *y) } else { path.line_to(*x, *y) }
    }
    // A path of one point, or of no length, has nothing to draw.
    let Some(path) = path.finish() else { return };
    surface.set_fill(None);
    surface.set_stroke(Some(Stroke { paint: rgb::Color::new(r, g, b).into(), width, ..Stroke::default() }));
    surface.draw_path(&path);
}

fn tag(node: &DocNode, identifiers: &[Option<Identifier>]) -> Option<krilla::tagging::Node> {
    match node {
        DocNode::Run(run) => identifiers[*run].map(Into::into),
        DocNode::English(part) => {
            let mut group = TagGroup::new(Tag::Span.with_lang(Some("en".into())));
            tag(part, identifiers).into_iter().for_each(|part| group.push(part));
            Some(group.into())
        }
        DocNode::Group(role, children) => {
            let mut group = TagGroup::new(kind(role));
            children.iter().filter_map(|c| tag(c, identifiers)).for_each(|c| group.push(c));
            Some(group.into())
        }
    }
}

fn kind(role: &DocRole) -> TagKind {
    match role {
        DocRole::Heading(level, text) => Tag::Hn(NonZeroU16::new(*level).unwrap_or(NonZeroU16::MIN), Some(text.clone())).into(),
        DocRole::Paragraph => Tag::P.into(),
        DocRole::EnglishParagraph => Tag::P.with_lang(Some("en".into())).into(),
        DocRole::Table => Tag::Table.into(),
        DocRole::Row => Tag::TR.into(),
        DocRole::HeaderCell => Tag::TH(TableHeaderScope::Row).into(),
        DocRole::ColumnHeader => Tag::TH(TableHeaderScope::Column).into(),
        DocRole::Cell => Tag::TD.into(),
        DocRole::WideCell(columns) => Tag::TD.with_col_span(NonZeroU32::new(*columns)).into(),
        DocRole::Figure(description) => Tag::Figure(Some(description.clone())).into(),
    }
}
