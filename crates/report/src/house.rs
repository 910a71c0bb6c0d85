//! The organisation's own: name, address, logo, colour, paper size, fields and closing words of its papers.

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use resvg::tiny_skia::{Color, Pixmap, Transform};
use resvg::usvg;
use serde::{Deserialize, Serialize};

/// How papers of an organisation look. Nothing of it is a claim: title, outcome and facts are Jurex's own.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct House {
    /// Version of this form.
    format: Format,
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
}

/// Says which form it is; also how it is told from other attachments.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
enum Format {
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

impl Default for Colour {
    fn default() -> Self {
        Self([0x23, 0x28, 0x2e])
    }
}

impl TryFrom<String> for Colour {
    type Error = HouseError;

    fn try_from(text: String) -> Result<Self, HouseError> {
        let digits = text.strip_prefix('#').filter(|d| d.len() == 6).and_then(jurex_core::text::hex::decode);
        digits.and_then(|d| d.try_into().ok()).map(Self).ok_or(HouseError::NoColour(jurex_core::text::printable(text.as_bytes())))
    }
}

impl From<Colour> for String {
    fn from(colour: Colour) -> String {
        format!("#{}", jurex_core::text::hex::encode(&colour.0))
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
    /// The logo is none.
    #[error("the logo is neither SVG nor PNG that can be read: {0}")]
    NoPicture(String),
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
struct Written {
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
        let written: Written = toml::from_str(text).map_err(|e| HouseError::Toml(e.to_string().trim_end().into()))?;
        let logo = match &written.logo {
            None => None,
            Some(name) => {
                let shown = jurex_core::text::printable(name.as_bytes());
                let bytes = read(name).map_err(|e| HouseError::NoPicture(format!("{shown}: {e}")))?;
                Some(Picture::of(&bytes).map_err(|why| HouseError::NoPicture(format!("{shown}: {why}")))?)
            }
        };
        let Written { language, page, name, address, colour, fields, closing, .. } = written;
        let colour = colour.unwrap_or_default();
        let house = Self { format: Format::One, language, page, name, address, colour, fields, closing, logo };
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

impl Picture {
    /// Most points on a side: on a paper it is a few centimetres wide.
    const MOST: f32 = 1200.0;

    /// Of an SVG or PNG file. What is not covered is white: a paper has no transparency.
    pub(crate) fn of(bytes: &[u8]) -> Result<Self, String> {
        let drawn = if bytes.starts_with(b"\x89PNG") {
            Pixmap::decode_png(bytes).map_err(|e| e.to_string())?
        } else {
            let tree = usvg::Tree::from_data(bytes, &usvg::Options::default()).map_err(|e| e.to_string())?;
            let size = tree.size();
            let scale = (Self::MOST / size.width().max(size.height())).min(8.0);
            let (w, h) = ((size.width() * scale).ceil().max(1.0), (size.height() * scale).ceil().max(1.0));
            let mut pixmap = Pixmap::new(w as u32, h as u32).ok_or("it has no size")?;
            resvg::render(&tree, Transform::from_scale(scale, scale), &mut pixmap.as_mut());
            pixmap
        };
        if drawn.width() > 4096 || drawn.height() > 4096 {
            return Err("it is larger than 4096 points on a side".into());
        }
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
            let bytes = (1..=4096).contains(&width).then_some(u64::from(width) * u64::from(height) * 3)?;
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
        for damaged in ["", "1x1:", "0x0:eJw=", "9999999999x1:AA==", "2x2:AAAA"] {
            assert!(Picture::try_from(damaged.to_string()).is_err(), "{damaged}");
        }
    }
}
