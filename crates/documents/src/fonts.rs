//! The embedded fonts and how wide their letters are.

use std::sync::OnceLock;

const TEXT: &[u8] = include_bytes!("../fonts/Inter-Regular.otf");
const STRONG: &[u8] = include_bytes!("../fonts/Inter-SemiBold.otf");
const MONO: &[u8] = include_bytes!("../fonts/JetBrainsMono-Regular.ttf");

/// A face of type.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Face {
    /// Running text.
    Text,
    /// Headings and values that matter.
    Strong,
    /// Serial numbers, names of jobs, digests.
    Mono,
}

pub(crate) struct Fonts {
    faces: [(ttf_parser::Face<'static>, krilla::text::Font); 3],
}

/// The fonts, read once.
pub(crate) fn fonts() -> &'static Fonts {
    static FONTS: OnceLock<Fonts> = OnceLock::new();
    FONTS.get_or_init(|| Fonts { faces: [TEXT, STRONG, MONO].map(load) })
}

fn load(bytes: &'static [u8]) -> (ttf_parser::Face<'static>, krilla::text::Font) {
    let face = ttf_parser::Face::parse(bytes, 0).expect("an embedded font can be read: a test keeps it so");
    let font = krilla::text::Font::new(bytes.into(), 0).expect("an embedded font can be read: a test keeps it so");
    (face, font)
}

impl Fonts {
    fn face(&self, face: Face) -> &ttf_parser::Face<'static> {
        &self.faces[face as usize].0
    }

    pub(crate) fn font(&self, face: Face) -> krilla::text::Font {
        self.faces[face as usize].1.clone()
    }

    fn has_glyph(&self, face: Face, c: char) -> bool {
        self.face(face).glyph_index(c).is_some_and(|g| g.0 != 0)
    }

    /// Whether running text can show the sign.
    pub(crate) fn can_show(&self, c: char) -> bool {
        c.is_whitespace() || c.is_control() || self.has_glyph(Face::Text, c)
    }

    /// `text` with every character that the face cannot show named by its number, as `[U+6F22]`: PDF/A allows no missing glyph, and
    /// what a drive or a list says can be told from what it does not.
    pub(crate) fn showable(&self, face: Face, text: &str) -> String {
        let mut shown = String::with_capacity(text.len());
        for c in text.chars() {
            match c {
                _ if self.has_glyph(face, c) && !c.is_control() => shown.push(c),
                _ if c.is_whitespace() => shown.push(' '),
                _ => shown += &format!("[U+{:04X}]", u32::from(c)),
            }
        }
        shown
    }

    /// Width of a line of text in points, without kerning.
    pub(crate) fn width(&self, face: Face, size: f32, text: &str) -> f32 {
        let face = self.face(face);
        let advance = |c| face.glyph_index(c).and_then(|g| face.glyph_hor_advance(g)).unwrap_or(face.units_per_em() / 2);
        let units: u32 = text.chars().map(|c| u32::from(advance(c))).sum();
        units as f32 * size / f32::from(face.units_per_em())
    }

    /// A line of text as the data of an SVG path, from the point `(x, y)` of its baseline on, set as [`Fonts::width`] measures it.
    pub(crate) fn outline(&self, face: Face, size: f32, (x, y): (f32, f32), text: &str) -> String {
        let drawn = self.showable(face, text);
        let face = self.face(face);
        let scale = size / f32::from(face.units_per_em());
        let mut pen = Pen { data: String::new(), x, y, scale };
        for glyph in drawn.chars().filter_map(|c| face.glyph_index(c)) {
            face.outline_glyph(glyph, &mut pen);
            pen.x += f32::from(face.glyph_hor_advance(glyph).unwrap_or(0)) * scale;
        }
        pen.data
    }

    /// `text` cut with an ellipsis so that it is no wider than `room`.
    pub(crate) fn shorten(&self, face: Face, size: f32, text: &str, room: f32) -> String {
        let text = self.showable(face, text);
        if self.width(face, size, &text) <= room {
            return text;
        }
        let mut cut: String = text;
        while cut.pop().is_some() {
            let shown = format!("{}…", cut.trim_end());
            if self.width(face, size, &shown) <= room {
                return shown;
            }
        }
        String::new()
    }

    /// `text` in lines no wider than `room`, broken at blanks, and inside a word only if it alone is too wide.
    pub(crate) fn wrap(&self, face: Face, size: f32, text: &str, room: f32) -> Vec<String> {
        let mut lines: Vec<String> = vec![];
        for word in self.showable(face, text).split_whitespace() {
            let joined = lines.last().filter(|l| !l.is_empty()).map(|l| format!("{l} {word}"));
            match joined.filter(|j| self.width(face, size, j) <= room) {
                Some(joined) => *lines.last_mut().expect("a line was joined") = joined,
                None => lines.extend(self.break_word(face, size, word, room)),
            }
        }
        if lines.is_empty() { vec![String::new()] } else { lines }
    }

    fn break_word(&self, face: Face, size: f32, word: &str, room: f32) -> Vec<String> {
        let mut pieces = vec![String::new()];
        for c in word.chars() {
            let piece = pieces.last_mut().expect("there is always a piece");
            let longer = format!("{piece}{c}");
            if piece.is_empty() || self.width(face, size, &longer) <= room { *piece = longer } else { pieces.push(c.into()) }
        }
        pieces
    }
}

/// Writes glyphs down as the data of an SVG path; a font's own y goes upwards.
struct Pen {
    data: String,
    x: f32,
    y: f32,
    scale: f32,
}

impl Pen {
    fn go(&mut self, command: char, points: &[(f32, f32)]) {
        self.data.push(command);
        for (x, y) in points {
            let (x, y) = (round(self.x + x * self.scale), round(self.y - y * self.scale));
            self.data.push_str(&format!("{x} {y} "));
        }
    }
}

impl ttf_parser::OutlineBuilder for Pen {
    fn move_to(&mut self, x: f32, y: f32) {
        self.go('M', &[(x, y)]);
    }

    fn line_to(&mut self, x: f32, y: f32) {
        self.go('L', &[(x, y)]);
    }

    fn quad_to(&mut self, x1: f32, y1: f32, x: f32, y: f32) {
        self.go('Q', &[(x1, y1), (x, y)]);
    }

    fn curve_to(&mut self, x1: f32, y1: f32, x2: f32, y2: f32, x: f32, y: f32) {
        self.go('C', &[(x1, y1), (x2, y2), (x, y)]);
    }

    fn close(&mut self) {
        self.data.push('Z');
    }
}

/// Hundredths are enough, and keep the file the same on every machine.
pub(crate) fn round(v: f32) -> f32 {
    (v * 100.0).round() / 100.0
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_fit_and_lose_no_letter() {
        let fonts = fonts();
        let digest = "0123456789abcdef".repeat(8);
        let text = format!("Every sector was read back. {digest} end");
        let lines = fonts.wrap(Face::Text, 9.0, &text, 120.0);
        assert!(lines.iter().all(|l| fonts.width(Face::Text, 9.0, l) <= 120.0));
        let letters = |s: &str| s.chars().filter(|c| !c.is_whitespace()).collect::<String>();
        assert_eq!(letters(&lines.concat()), letters(&text));
    }

    #[test]
    fn what_a_face_cannot_show_is_named_by_its_number() {
        assert_eq!(fonts().showable(Face::Mono, "A\tB\u{1b}漢"), "A B[U+001B][U+6F22]");
        assert!(fonts().shorten(Face::Text, 8.0, "a rather long label", 30.0).ends_with('…'));
    }
}
