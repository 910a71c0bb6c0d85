//! Text that came from outside, and how numbers are written in records.

use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

/// A text from a drive or a volume made safe to show: control characters (terminal escape codes among them),
/// directional overrides and undecodable bytes become `·`; ends are trimmed.
pub fn printable(raw: &[u8]) -> String {
    let text: String = String::from_utf8_lossy(raw).chars().map(|c| if is_hostile(c) { '·' } else { c }).collect();
    text.trim_matches(|c: char| c.is_whitespace() || c == '·').to_string()
}

/// A path made safe to show. Blanks at its ends, and at those of each name in it, are shown as signs: they tell one file from another, and
/// a name of nothing but blanks is a name.
pub fn shown_path(path: &std::path::Path) -> String {
    let text = path.to_string_lossy();
    let names: Vec<String> = text.split('/').map(|name| if name.is_empty() { String::new() } else { shown_name(name) }).collect();
    names.join("/")
}

fn shown_name(name: &str) -> String {
    let start = name.len() - name.trim_start().len();
    let end = name.trim_end().len().max(start);
    let sign = |c: char| if c.is_whitespace() && !c.is_control() { '\u{2420}' } else { c };
    let marked: String = name.char_indices().map(|(at, c)| if at < start || at >= end { sign(c) } else { c }).collect();
    marked.chars().map(|c| if is_hostile(c) { '·' } else { c }).collect()
}

/// Characters that could move the cursor, reorder text, or hide.
fn is_hostile(c: char) -> bool {
    c.is_control()
        || matches!(
            c,
            '\u{ad}' | '\u{61c}' | '\u{115f}' | '\u{1160}' | '\u{180e}' | '\u{3164}' | '\u{ffa0}' | '\u{e0000}'..='\u{e0fff}'
        )
        || matches!(c, '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{206f}' | '\u{feff}' | '\u{fffd}' | '\u{e000}'..='\u{f8ff}')
}

/// JSON text with every character escaped that could move a cursor or reorder text; it stays the same JSON.
pub fn safe_json(json: &str) -> String {
    let mut units = [0; 2];
    let escape = |c: char, out: &mut String| c.encode_utf16(&mut units).iter().for_each(|u| *out += &format!("\\u{u:04x}"));
    let mut escape = escape;
    let mut out = String::with_capacity(json.len());
    for c in json.chars() {
        // Control characters below 80h are escaped in JSON already; line ends stand between documents.
        if !c.is_ascii() && is_hostile(c) { escape(c, &mut out) } else { out.push(c) }
    }
    out
}

/// `text` with its first letter as a capital: the beginning of a sentence.
pub fn capital(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map(|c| c.to_uppercase().chain(chars).collect()).unwrap_or_default()
}

/// `text` cut to `room` columns of a terminal with an ellipsis: some letters take two columns.
pub fn shorten(text: &str, room: usize) -> String {
    if text.width() <= room {
        return text.to_string();
    }
    let mut left = room.saturating_sub(1);
    let fits = |c: &char| {
        let rest = left.checked_sub(c.width().unwrap_or(0));
        left = rest.unwrap_or(0);
        rest.is_some()
    };
    text.chars().take_while(fits).chain((room > 0).then_some('…')).collect()
}

/// The name under which a unit variant is written: one list of names for files, commands and tables. Of anything else nothing.
pub fn serde_name(variant: impl serde::Serialize) -> String {
    serde_json::to_value(variant).ok().and_then(|v| v.as_str().map(str::to_string)).unwrap_or_default()
}

/// 64-bit numbers as JSON strings: RFC 8785 keeps only 53 bits of a JSON number.
pub mod u64_string {
    use serde::{Deserialize, Deserializer, Serializer, de::Error};

    /// Writes the number as a decimal string.
    pub fn serialize<S: Serializer>(number: &u64, to: S) -> Result<S::Ok, S::Error> {
        to.collect_str(number)
    }

    /// Reads a decimal string; anything else is an error.
    pub fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<u64, D::Error> {
        let text = <std::borrow::Cow<'de, str>>::deserialize(from)?;
        text.parse().map_err(|_| D::Error::custom(format!("`{text}` is not a whole number")))
    }
}

/// Bytes as lower-case hexadecimal strings.
pub mod hex {
    use serde::{Deserialize, Deserializer, Serializer, de::Error};

    /// Two digits a byte.
    pub fn encode(bytes: &[u8]) -> String {
        bytes.iter().map(|b| format!("{b:02x}")).collect()
    }

    /// The bytes of a string of hexadecimal digits; `None` for anything else.
    pub fn decode(text: &str) -> Option<Vec<u8>> {
        let digits: Option<Vec<u8>> = text.chars().map(|c| c.to_digit(16).map(|d| d as u8)).collect();
        let digits = digits?;
        digits.len().is_multiple_of(2).then(|| digits.chunks(2).map(|pair| pair[0] << 4 | pair[1]).collect())
    }

    /// Writes `bytes` as a string.
    pub fn serialize<S: Serializer>(bytes: &[u8], to: S) -> Result<S::Ok, S::Error> {
        to.serialize_str(&encode(bytes))
    }

    /// Reads a string into whatever is made of the right number of bytes.
    pub fn deserialize<'de, D: Deserializer<'de>, T: TryFrom<Vec<u8>>>(from: D) -> Result<T, D::Error> {
        let text = <std::borrow::Cow<'de, str>>::deserialize(from)?;
        decode(&text)
            .and_then(|bytes| T::try_from(bytes).ok())
            .ok_or_else(|| D::Error::custom("not hexadecimal digits of the right number"))
    }
}

/// Stands in JSON Schemas for a whole number that is written as a string: JSON's own numbers keep only 53 bits (RFC 8785).
pub struct Decimal;

/// Stands in JSON Schemas for bytes that are written as hexadecimal digits.
pub struct HexDigits;

fn pattern_schema(pattern: &str) -> schemars::Schema {
    schemars::json_schema!({ "type": "string", "pattern": pattern })
}

impl schemars::JsonSchema for Decimal {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Decimal".into()
    }

    fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
        pattern_schema("^[0-9]{1,20}$")
    }
}

impl schemars::JsonSchema for HexDigits {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "HexDigits".into()
    }

    fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
        pattern_schema("^([0-9a-f]{2})*$")
    }
}

/// A cell that a spreadsheet takes for text: what it would take for a formula gets an apostrophe before it.
pub fn harmless_cell(text: &str) -> String {
    let runs = text.trim_start_matches(|c: char| c.is_whitespace() || c.is_control());
    let starts = |t: &str| t.starts_with(['=', '+', '-', '@', '\u{ff1d}', '\u{ff0b}', '\u{ff0d}', '\u{ff20}']);
    let plain = |c: char| match c {
        c if c.is_control() => ' ',
        // What turns the order of letters about would show another cell than there is.
        c if is_hostile(c) => '·',
        c => c,
    };
    let plain: String = text.chars().map(plain).collect();
    if starts(runs) || text.starts_with(['\t', '\r', '\n']) { format!("'{plain}") } else { plain }
}

#[cfg(test)]
mod tests {
    use super::{harmless_cell, printable};

    #[test]
    fn escape_codes_and_overrides_never_get_through() {
        assert_eq!(printable(b"  \x1b[2Jgone\x07\xff "), "[2Jgone");
        assert_eq!(printable("a\u{202e}b\u{9b}c".as_bytes()), "a·b·c");
        assert_eq!(super::safe_json("{\"ü\":\"a\u{202e}b\"}"), "{\"ü\":\"a\\u202eb\"}");
    }

    #[test]
    fn blanks_at_the_ends_of_names_are_seen() {
        let shown = |path: &str| super::shown_path(std::path::Path::new(path));
        assert_eq!(shown("/srv/tide.csv"), "/srv/tide.csv");
        assert_eq!(shown("/srv/   "), "/srv/␠␠␠");
        assert_eq!(shown("/srv/tide.csv /a b"), "/srv/tide.csv␠/a b");
        assert_eq!(shown("/srv/a\u{202e}b\x1b\n"), "/srv/a·b··");
        assert_eq!(shown("x\u{ad}y\u{3164}"), "x·y·");
        assert_eq!(shown(" "), "␠");
    }

    #[test]
    fn a_cell_that_would_run_is_made_text() {
        for (cell, harmless) in [
            ("FM20K7", "FM20K7"),
            ("=1+1", "'=1+1"),
            ("  =cmd|' /C calc'!A0", "'  =cmd|' /C calc'!A0"),
            ("@SUM(A1)", "'@SUM(A1)"),
            ("-2+3", "'-2+3"),
            ("\t=1", "' =1"),
            ("a\r\nb", "a  b"),
            ("\u{ff1d}1", "'\u{ff1d}1"),
            ("FM\u{202e}1234", "FM·1234"),
            ("a\u{61c}b\u{2066}c", "a·b·c"),
            ("", ""),
        ] {
            assert_eq!(harmless_cell(cell), harmless);
        }
    }
}
