//! The organisation's own: name, address, logo, colour, paper size, fields and closing words of its papers.

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
#[cfg(feature = "logos")]
use resvg::tiny_skia::{Color, Pixmap, Transform};
#[cfg(feature = "logos")]
use resvg::usvg;
use serde::{Deserialize, Serialize};

/// How papers of an organisation look. Nothing of it is a claim: title, outcome and facts are Jurex's own.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct House {
    /// Version of this form.
    format: BrandingFormat,
    /// The language of the paper's own words.
    pub language: Language,
    /// The size of its pages.
    pub page: PageSize,
    /// The organisation's name; empty: that of the record.
    pub name: String,
    /// Its address, line by line.
    pub address: Vec<String>,
    /// Red, green and blue of headings and rules, as `#127a63`.
    pub colour: Colour,
    /// Fields of its own.
    #[serde(rename = "field")]
    pub fields: Vec<OwnField>,
    /// Words at the end.
    pub closing: String,
    /// Its logo.
    pub logo: Option<Picture>,
    /// Local time of the bench less universal time, in minutes, when the paper's job ended: times are printed in both.
    #[serde(skip_serializing_if = "is_zero")]
    pub offset: i16,
}

fn is_zero(offset: &i16) -> bool {
    *offset == 0
}

/// Says which form it is; also how it is told from other attachments.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
enum BrandingFormat {
    #[default]
    #[serde(rename = "jurex-house/1")]
    One,
}

/// A language that papers can be printed in.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Language {
    /// English.
    #[default]
    En,
    /// German.
    De,
    /// French.
    Fr,
    /// Spanish.
    Es,
}

impl Language {
    /// Every language.
    pub const ALL: [Language; 4] = [Language::En, Language::De, Language::Fr, Language::Es];

    /// Its tag (RFC 5646).
    pub fn tag(self) -> &'static str {
        match self {
            Language::En => "en",
            Language::De => "de",
            Language::Fr => "fr",
            Language::Es => "es",
        }
    }
}

/// The size of pages.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum PageSize {
    /// 210 by 297 millimetres (ISO 216).
    #[default]
    A4,
    /// 8.5 by 11 inches.
    Letter,
    /// So many tenths of a millimetre: labels.
    #[serde(skip)]
    Tenths(u16, u16),
}

impl PageSize {
    /// Width and height in points.
    pub(crate) fn points(self) -> (f32, f32) {
        match self {
            PageSize::A4 => (595.28, 841.89),
            PageSize::Letter => (612.0, 792.0),
            PageSize::Tenths(w, h) => (f32::from(w) * 7.2 / 25.4, f32::from(h) * 7.2 / 25.4),
        }
    }
}

/// A colour.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Colour(pub(crate) [u8; 3]);

/// The least contrast of text that is read (WCAG 2.2, 1.4.3).
const MIN_CONTRAST: f64 = 4.5;

impl Colour {
    /// Its contrast on white paper, from 1 to 21 (WCAG 2.2, contrast ratio).
    fn contrast_on_white(self) -> f64 {
        let linear = |c: u8| {
            let c = f64::from(c) / 255.0;
            if c <= 0.04045 { c / 12.92 } else { ((c + 0.055) / 1.055).powf(2.4) }
        };
        let [r, g, b] = self.0.map(linear);
        1.05 / (0.2126 * r + 0.7152 * g + 0.0722 * b + 0.05)
    }
}

impl Default for Colour {
    fn default() -> Self {
        Self([0x23, 0x28, 0x2e])
    }
}

impl TryFrom<String> for Colour {
    type Error = HouseError;

    fn try_from(text: String) -> Result<Self, HouseError> {
        let digits = text.strip_prefix('#').filter(|d| d.len() == 6).and_then(jurex_pattern::text::hex::decode);
        digits
            .and_then(|d| d.try_into().ok())
            .map(Self)
            .ok_or(HouseError::NoColour(jurex_pattern::text::printable(text.as_bytes())))
    }
}

impl From<Colour> for String {
    fn from(colour: Colour) -> String {
        format!("#{}", jurex_pattern::text::hex::encode(&colour.0))
    }
}

/// A field that an organisation adds.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct OwnField {
    /// Its label.
    pub label: String,
    /// Its value; empty: a line to fill in by hand.
    #[serde(default)]
    pub value: String,
}

/// A picture, whatever it was made of, as points of red, green and blue on white.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Picture {
    width: u32,
    height: u32,
    rgb: Vec<u8>,
}

/// Why an organisation's papers can't look so.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum HouseError {
    /// Not of this form.
    #[error("{0}")]
    Toml(String),
    /// No colour.
    #[error("`{0}` is no colour; they look like #127a63")]
    NoColour(String),
    /// Too faint to be read on white paper.
    #[error(
        "the colour {colour} has a contrast of {contrast}:1 on white; at least 4.5:1 is needed to be read: take a darker one"
    )]
    Faint {
        /// Which.
        colour: String,
        /// Its contrast.
        contrast: String,
    },
    /// The logo is none.
    #[error("the logo is neither SVG nor PNG that can be read: {0}")]
    NoPicture(String),
    /// It would say what only a record may say.
    #[error(
        "{what} says `{word}`: what a treatment has reached is said by the record alone, and nowhere else on a paper. Say it in other words, or leave it out"
    )]
    SaysAnOutcome {
        /// What.
        what: &'static str,
        /// Which word.
        word: String,
    },
    /// Something is longer than a paper has room for.
    #[error("{what} is longer than {most} signs: a paper has no room for it")]
    TooLong {
        /// What.
        what: &'static str,
        /// Signs that it may have.
        most: usize,
    },
}

/// `certificate.toml` as it is written: the logo is a file beside it.
#[derive(Deserialize)]
#[serde(deny_unknown_fields, default)]
#[derive(Default)]
struct WrittenBranding {
    language: Language,
    page: PageSize,
    name: String,
    address: Vec<String>,
    colour: Option<Colour>,
    #[serde(rename = "field")]
    fields: Vec<OwnField>,
    closing: String,
    logo: Option<String>,
}

impl House {
    /// How its text begins, in the one form in which it is attached.
    pub(crate) const START: &'static str = "{\"address\":";

    /// From the text of `certificate.toml`; `read` reads the logo's file by its name.
    ///
    /// # Errors
    /// What is wrong with it, and where.
    pub fn from_toml(text: &str, read: impl FnOnce(&str) -> std::io::Result<Vec<u8>>) -> Result<Self, HouseError> {
        let written: WrittenBranding = toml::from_str(text).map_err(|e| HouseError::Toml(e.to_string().trim_end().into()))?;
        let logo = match &written.logo {
            None => None,
            Some(name) => {
                let shown = jurex_pattern::text::printable(name.as_bytes());
                let bytes = read(name).map_err(|e| HouseError::NoPicture(format!("{shown}: {e}")))?;
                Some(Picture::of(&bytes).map_err(|why| HouseError::NoPicture(format!("{shown}: {why}")))?)
            }
        };
        let WrittenBranding { language, page, name, address, colour, fields, closing, .. } = written;
        let colour = colour.unwrap_or_default();
        let contrast = colour.contrast_on_white();
        if contrast < MIN_CONTRAST {
            return Err(HouseError::Faint { colour: colour.into(), contrast: format!("{contrast:.1}") });
        }
        let house = Self { format: BrandingFormat::One, language, page, name, address, colour, fields, closing, logo, offset: 0 };
        house.check_lengths()?;
        Ok(house)
    }

    fn check_lengths(&self) -> Result<(), HouseError> {
        let lines = self.address.iter().map(|l| ("a line of the address", 120, l));
        let fields = self.fields.iter().flat_map(|f| [("a field's label", 60, &f.label), ("a field's value", 400, &f.value)]);
        let own = [("the name", 120, &self.name), ("the closing text", 2000, &self.closing)];
        for (what, most, text) in own.into_iter().chain(lines).chain(fields) {
            if text.chars().count() > most {
                return Err(HouseError::TooLong { what, most });
            }
            if let Some(word) = outcome_in(text) {
                return Err(HouseError::SaysAnOutcome { what, word: jurex_pattern::text::printable(word.as_bytes()) });
            }
        }
        let too_many = |what, most, n: usize| if n > most { Err(HouseError::TooLong { what, most }) } else { Ok(()) };
        too_many("the address, in lines,", 8, self.address.len())?;
        too_many("the list of fields", 24, self.fields.len())
    }

    /// As it is attached to a paper; `None`: it is the usual one, and nothing need be attached.
    pub fn to_attach(&self) -> Option<String> {
        let canonical = || serde_json_canonicalizer::to_string(self).expect("texts and numbers can be written");
        (*self != Self::default()).then(canonical)
    }

    /// From what is attached to a paper.
    ///
    /// # Errors
    /// It is none.
    pub fn from_attached(text: &str) -> Result<Self, HouseError> {
        let house: Self = serde_json::from_str(text).map_err(|e| HouseError::Toml(e.to_string()))?;
        house.check_lengths()?;
        Ok(house)
    }
}

/// Words by which a paper says what was earned, in every language that it can be printed in, without accents and in small letters.
const OUTCOME_WORDS: [&str; 27] = [
    "outcome",
    "clear",
    "cleared",
    "purge",
    "purged",
    "destroy",
    "destroyed",
    "sanitized",
    "sanitised",
    "ergebnis",
    "bereinigt",
    "vernichtet",
    "resultat",
    "assaini",
    "assainie",
    "assainis",
    "assainies",
    "detruit",
    "detruite",
    "detruits",
    "detruites",
    "resultado",
    "saneado",
    "saneada",
    "saneados",
    "destruido",
    "destruida",
];

/// The Latin letter that a Cyrillic or Greek one looks like.
fn latin(c: char) -> char {
    const ALIKE: [(&str, &str); 2] =
        [("АВЕКМНОРСТХаеорсухіѕјԁԛԝ", "ABEKMHOPCTXaeopcyxisjdqw"), ("ΑΒΕΖΗΙΚΜΝΟΡΤΥΧονυρ", "ABEZHIKMNOPTYXovup")];
    let found = ALIKE.iter().find_map(|(strange, plain)| plain.chars().nth(strange.chars().position(|s| s == c)?));
    found.unwrap_or(c)
}

/// The first word in it that says what was earned, whatever its letters look like: accents, letters of other scripts that look the same,
/// and letters with blanks between them make no other word.
fn outcome_in(text: &str) -> Option<String> {
    let plain = deunicode::deunicode(&text.chars().map(latin).collect::<String>()).to_lowercase();
    let words: Vec<&str> = plain.split(|c: char| !c.is_ascii_alphanumeric()).filter(|w| !w.is_empty()).collect();
    let spaced: Vec<String> = words.chunk_by(|a, b| a.len() == 1 && b.len() == 1).map(<[&str]>::concat).collect();
    let says = |word: &&str| OUTCOME_WORDS.contains(word);
    words.iter().copied().chain(spaced.iter().map(String::as_str)).find(says).map(str::to_string)
}

#[cfg(feature = "logos")]
/// Nodes of a drawing once everything that it uses is in its place.
const MAX_NODES: usize = 20_000;

#[cfg(feature = "logos")]
/// Whether a drawing can be drawn in a time that nobody notices: what is used again and again, and what is made anew for each of its
/// points, can be more than any machine has room for.
fn is_small(svg: &usvg::roxmltree::Document<'_>) -> Result<(), String> {
    use usvg::roxmltree::Node;
    let named = |node: &Node<'_, '_>| node.tag_name().name().to_string();
    let heavy = ["filter", "pattern", "marker", "mask", "image", "foreignObject"];
    if let Some(node) = svg.descendants().find(|n| n.is_element() && heavy.contains(&named(n).as_str())) {
        return Err(format!("it holds `{}`, which a logo has no need of", named(&node)));
    }
    let by_id = |id: &str| svg.descendants().find(|n| n.attribute("id") == Some(id));
    // Each use is followed with what is left to be drawn: a ring, or a tower of uses, runs out of it.
    fn count<'a, 'i>(
        node: Node<'a, 'i>,
        by_id: &dyn Fn(&str) -> Option<Node<'a, 'i>>,
        depth: usize,
        left: &mut usize,
    ) -> Result<(), String> {
        let too_large = || Err(format!("drawn out it has more than {MAX_NODES} parts"));
        *left = match left.checked_sub(1) {
            Some(left) if depth < 200 => left,
            _ => return too_large(),
        };
        if node.tag_name().name() == "use" {
            let xlink = ("http://www.w3.org/1999/xlink", "href");
            let target =
                node.attribute("href").or_else(|| node.attribute(xlink)).and_then(|h| h.strip_prefix('#')).and_then(by_id);
            if let Some(target) = target {
                count(target, by_id, depth + 1, left)?;
            }
        }
        node.children().try_for_each(|child| count(child, by_id, depth + 1, left))
    }
    count(svg.root(), &by_id, 0, &mut { MAX_NODES })
}

#[cfg(feature = "logos")]
/// Width and height that a PNG says it has: it is asked before room for it is made.
fn png_size(bytes: &[u8]) -> Option<(u32, u32)> {
    let number = |at: usize| bytes.get(at..at + 4).map(|b| u32::from_be_bytes([b[0], b[1], b[2], b[3]]));
    (bytes.get(12..16)? == b"IHDR").then_some((number(16)?, number(20)?))
}

impl Picture {
    #[cfg(feature = "logos")]
    /// Most points on a side: on a paper it is a few centimetres wide.
    const MOST: f32 = 1200.0;
    /// Most points on a side of a file that is taken, before it is made smaller.
    const MAX_OF_FILE: u32 = 4096;

    /// None: this program was built without logos.
    #[cfg(not(feature = "logos"))]
    pub(crate) fn of(_: &[u8]) -> Result<Self, String> {
        Err("this Jurex was built without logos".into())
    }

    /// Of an SVG or PNG file. What is not covered is white: a paper has no transparency.
    #[cfg(feature = "logos")]
    pub(crate) fn of(bytes: &[u8]) -> Result<Self, String> {
        let drawn = if bytes.starts_with(b"\x89PNG") {
            let (width, height) = png_size(bytes).ok_or("its head is damaged")?;
            if width > Self::MAX_OF_FILE || height > Self::MAX_OF_FILE {
                return Err(format!("it is larger than {} points on a side", Self::MAX_OF_FILE));
            }
            smaller(Pixmap::decode_png(bytes).map_err(|e| e.to_string())?, Self::MOST)?
        } else {
            let text = std::str::from_utf8(bytes).map_err(|_| "it is no text: a packed SVG is unpacked first")?;
            let options =
                usvg::roxmltree::ParsingOptions { allow_dtd: false, nodes_limit: MAX_NODES as u32, ..Default::default() };
            let document = usvg::roxmltree::Document::parse_with_options(text, options).map_err(|e| e.to_string())?;
            is_small(&document)?;
            let tree = usvg::Tree::from_xmltree(&document, &usvg::Options::default()).map_err(|e| e.to_string())?;
            let size = tree.size();
            let scale = (Self::MOST / size.width().max(size.height())).min(8.0);
            let (w, h) = ((size.width() * scale).ceil().max(1.0), (size.height() * scale).ceil().max(1.0));
            let mut pixmap = Pixmap::new(w as u32, h as u32).ok_or("it has no size")?;
            resvg::render(&tree, Transform::from_scale(scale, scale), &mut pixmap.as_mut());
            pixmap
        };
        let mut ground = Pixmap::new(drawn.width(), drawn.height()).ok_or("it has no size")?;
        ground.fill(Color::WHITE);
        ground.draw_pixmap(0, 0, drawn.as_ref(), &Default::default(), Transform::identity(), None);
        let rgb = ground.pixels().iter().flat_map(|p| [p.red(), p.green(), p.blue()]).collect();
        Ok(Self { width: drawn.width(), height: drawn.height(), rgb })
    }

    /// Width and height in points of itself.
    pub(crate) fn size(&self) -> (u32, u32) {
        (self.width, self.height)
    }

    /// Red, green and blue of each point, row by row.
    pub(crate) fn rgb(&self) -> &[u8] {
        &self.rgb
    }
}

#[cfg(feature = "logos")]
/// The same picture with at most so many points on a side.
fn smaller(picture: Pixmap, most: f32) -> Result<Pixmap, String> {
    let (width, height) = (picture.width() as f32, picture.height() as f32);
    let scale = most / width.max(height);
    if scale >= 1.0 {
        return Ok(picture);
    }
    let size = |side: f32| (side * scale).ceil().max(1.0) as u32;
    let mut small = Pixmap::new(size(width), size(height)).ok_or("it has no size")?;
    let paint = resvg::tiny_skia::PixmapPaint { quality: resvg::tiny_skia::FilterQuality::Bilinear, ..Default::default() };
    small.draw_pixmap(0, 0, picture.as_ref(), &paint, Transform::from_scale(scale, scale), None);
    Ok(small)
}

impl From<Picture> for String {
    fn from(picture: Picture) -> String {
        let mut deflated = flate2::write::ZlibEncoder::new(vec![], flate2::Compression::best());
        let packed = std::io::Write::write_all(&mut deflated, &picture.rgb).and_then(|()| deflated.finish());
        format!("{}x{}:{}", picture.width, picture.height, STANDARD.encode(packed.unwrap_or_default()))
    }
}

impl TryFrom<String> for Picture {
    type Error = HouseError;

    fn try_from(text: String) -> Result<Self, HouseError> {
        let parse = || {
            let (size, data) = text.split_once(':')?;
            let (width, height) = size.split_once('x')?;
            let (width, height): (u32, u32) = (width.parse().ok()?, height.parse().ok()?);
            let possible = 1..=Picture::MAX_OF_FILE;
            let bytes =
                (possible.contains(&width) && possible.contains(&height)).then_some(u64::from(width) * u64::from(height) * 3)?;
            let mut rgb = vec![];
            let packed = STANDARD.decode(data).ok()?;
            std::io::Read::read_to_end(
                &mut std::io::Read::take(flate2::read::ZlibDecoder::new(&packed[..]), bytes + 1),
                &mut rgb,
            )
            .ok()?;
            (rgb.len() as u64 == bytes && bytes > 0).then_some(Self { width, height, rgb })
        };
        parse().ok_or_else(|| HouseError::NoPicture("it is damaged".into()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Pictures that are small files and want all the room there is: refused before anything is drawn.
    #[test]
    fn a_logo_that_grows_without_end_is_refused() {
        let refused = |bytes: &[u8]| Picture::of(bytes).unwrap_err();
        let svg = |inner: &str| format!("<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"9\" height=\"9\">{inner}</svg>");
        let mut tower = "<defs><g id=\"a0\"><rect width=\"1\" height=\"1\"/></g>".to_string();
        for n in 1..20 {
            let uses = format!("<use href=\"#a{}\"/>", n - 1).repeat(10);
            tower += &format!("<g id=\"a{n}\">{uses}</g>");
        }
        tower += "</defs><use href=\"#a19\"/>";
        assert!(refused(svg(&tower).as_bytes()).contains("more than 20000 parts"));
        assert!(refused(svg("<g id=\"r\"><use href=\"#r\"/></g>").as_bytes()).contains("more than"));
        assert!(refused(svg("<filter id=\"f\"/>").as_bytes()).contains("`filter`"));
        assert!(refused(b"\x1f\x8b\x08\0").contains("unpacked first"));
        let mut png = b"\x89PNG\r\n\x1a\n\0\0\0\x0dIHDR".to_vec();
        png.extend(30_000u32.to_be_bytes());
        png.extend(20_000u32.to_be_bytes());
        assert!(refused(&png).contains("larger than 4096"));
        let large = Pixmap::new(2400, 600).unwrap().encode_png().unwrap();
        assert_eq!(Picture::of(&large).unwrap().size(), (1200, 300), "made smaller");
        assert!(Picture::of(svg("<use href=\"#r\"/><rect id=\"r\" width=\"3\" height=\"3\"/>").as_bytes()).is_ok());
    }

    const SVG: &[u8] = br##"<svg xmlns="http://www.w3.org/2000/svg" width="40" height="20"><rect width="20" height="20" fill="#d6a13d" fill-opacity="0.5"/></svg>"##;

    #[test]
    fn a_house_is_read_from_its_file_and_survives_being_attached() {
        let toml = "language = \"de\"\npage = \"letter\"\nname = \"Brackwater\"\naddress = [\"Tern Quay 4\"]\ncolour = \"#127a63\"\nclosing = \"Kept ten years.\"\nlogo = \"gull.svg\"\n[[field]]\nlabel = \"Contract\"\n";
        let house = House::from_toml(toml, |name| {
            assert_eq!(name, "gull.svg");
            Ok(SVG.to_vec())
        })
        .unwrap();
        let logo = house.logo.clone().unwrap();
        assert_eq!((logo.size(), logo.rgb().len()), ((320, 160), 320 * 160 * 3));
        assert!(logo.rgb()[0] > 0xd6 && logo.rgb()[320 * 3 - 1] == 0xff, "what is half covered is mixed with white");
        let text = house.to_attach().unwrap();
        assert!(text.starts_with(House::START), "{}", &text[..40]);
        assert_eq!(House::from_attached(&text), Ok(house));
        assert_eq!(House::default().to_attach(), None);
    }

    #[test]
    fn what_no_paper_can_be_is_refused_with_its_reason() {
        let refuse = |text: &str| House::from_toml(text, |_| Ok(b"<svg".to_vec())).unwrap_err().to_string();
        for (text, says) in [
            ("colour = \"green\"", "no colour"),
            ("language = \"tlh\"", "unknown variant"),
            ("logo = \"x.svg\"", "neither SVG nor PNG"),
            ("title = \"Purge\"", "unknown field"),
            ("address = 3", "line 1"),
        ] {
            assert!(refuse(text).contains(says), "{text}: {}", refuse(text));
        }
        assert!(refuse(&format!("closing = \"{}\"", "x".repeat(2001))).contains("no room"));
        assert!(matches!(
            House::from_toml("logo = \"gone.png\"", |_| Err(std::io::ErrorKind::NotFound.into())),
            Err(HouseError::NoPicture(_))
        ));
        // What only a record may say, however it is written.
        for (text, what) in [
            ("closing = \"Outcome: Purge\"", "closing text"),
            ("closing = \"All drives were PURGED.\"", "closing text"),
            ("closing = \"C l e a r\"", "closing text"),
            ("closing = \"Рurgе\"", "closing text"),
            ("closing = \"Alle Laufwerke sind bereinigt.\"", "closing text"),
            ("closing = \"Résultat\"", "closing text"),
            ("closing = \"unidades saneadas, no; saneado, sí\"", "closing text"),
            ("name = \"Sanitized Drives of Brackwater\"", "name"),
            ("[[field]]\nlabel = \"Outcome\"\nvalue = \"x\"", "label"),
            ("[[field]]\nlabel = \"x\"\nvalue = \"Destroy\"", "value"),
        ] {
            assert!(
                refuse(text).contains("is said by the record alone") && refuse(text).contains(what),
                "{text}: {}",
                refuse(text)
            );
        }
        assert!(House::from_attached("{\"closing\":\"Purge\"}").is_err(), "nor on a paper that was printed elsewhere");
        let plain = "name = \"Clearwater Purgeon\"\nclosing = \"Our policy of sanitization applies.\"";
        assert!(House::from_toml(plain, |_| unreachable!()).is_ok());
        for damaged in ["1x4294967295:eJw=", "", "1x1:", "0x0:eJw=", "9999999999x1:AA==", "2x2:AAAA"] {
            assert!(Picture::try_from(damaged.to_string()).is_err(), "{damaged}");
        }
    }
}
