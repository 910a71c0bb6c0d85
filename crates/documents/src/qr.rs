//! The code on a paper: job, outcome, digest and key, for whoever holds the paper and not its file.

use crate::drawing::{Drawing, Ink, Shape};
use jurex_sanitize::record::{JobId, Record};
use jurex_sanitize::rules::Outcome;
use qrcode::{Color, EcLevel, QrCode};
use std::fmt;

/// What a code says.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Code {
    /// The job.
    pub job: JobId,
    /// What the paper claims.
    pub outcome: Outcome,
    /// SHA-256 of the record, in hexadecimal digits.
    pub digest: String,
    /// The id of the key that vouches for it; `None`: none does.
    pub key_id: Option<String>,
}

/// A text that is no such code.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("this is not what stands in the code of a paper; it looks like jurex:261123-4F7QZK:clear:SHA-256:KEY")]
pub struct NoCode;

fn word(outcome: Outcome) -> &'static str {
    match outcome {
        Outcome::NotSanitized => "not-sanitized",
        Outcome::Clear => "clear",
        Outcome::Purge => "purge",
        Outcome::Destroy => "destroy",
    }
}

impl fmt::Display for Code {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let key = self.key_id.as_deref().unwrap_or("-");
        write!(f, "jurex:{}:{}:{}:{key}", self.job, word(self.outcome), self.digest)
    }
}

impl std::str::FromStr for Code {
    type Err = NoCode;

    fn from_str(text: &str) -> Result<Self, NoCode> {
        let parts: Vec<&str> = text.trim().split(':').collect();
        let ["jurex", job, outcome, digest, key] = parts[..] else { return Err(NoCode) };
        let all = [Outcome::NotSanitized, Outcome::Clear, Outcome::Purge, Outcome::Destroy];
        let outcome = all.into_iter().find(|o| word(*o) == outcome).ok_or(NoCode)?;
        let is_digest = digest.len() == 64 && digest.bytes().all(|b| b.is_ascii_digit() || (b'a'..=b'f').contains(&b));
        let is_key = key == "-" || key.bytes().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'_'));
        if !is_digest || !is_key || key.is_empty() {
            return Err(NoCode);
        }
        let key_id = (key != "-").then(|| key.to_string());
        Ok(Self { job: job.parse().map_err(|_| NoCode)?, outcome, digest: digest.into(), key_id })
    }
}

impl Code {
    /// Of that record, under that key.
    pub fn of(record: &Record, key_id: Option<&str>) -> Self {
        let outcome = record.claim().outcome();
        Self { job: record.job.clone(), outcome, digest: record.digest(), key_id: key_id.map(str::to_string) }
    }

    /// As a square so wide, its quiet border with it (ISO/IEC 18004).
    pub(crate) fn drawing(&self, width: f32, description: &str) -> Option<Drawing> {
        self.drawing_in(width, description, Ink::Text)
    }

    /// The same in that ink.
    pub(crate) fn drawing_in(&self, width: f32, description: &str, ink: Ink) -> Option<Drawing> {
        const QUIET: usize = 4;
        let code = QrCode::with_error_correction_level(self.to_string(), EcLevel::M).ok()?;
        let modules = code.width();
        let step = width / (modules + 2 * QUIET) as f32;
        let colors = code.to_colors();
        let mut shapes = vec![];
        for (y, row) in colors.chunks(modules).enumerate() {
            // Neighbours in a row are one rectangle: seams between them would show.
            let mut x = 0;
            while x < modules {
                let run = row[x..].iter().take_while(|c| **c == Color::Dark).count();
                if run > 0 {
                    let (left, top) = ((x + QUIET) as f32 * step, (y + QUIET) as f32 * step);
                    shapes.push(Shape::Rect { x: left, y: top, w: run as f32 * step, h: step, ink });
                }
                x += run.max(1);
            }
        }
        Some(Drawing { width, height: width, description: description.into(), shapes })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_code_is_read_back_and_nothing_else_is() {
        let digest = "0123456789abcdef".repeat(4);
        let code =
            Code { job: "261123-4F7QZK".parse().unwrap(), outcome: Outcome::Purge, digest, key_id: Some("kPrK_q-4".into()) };
        assert_eq!(code.to_string().parse(), Ok(code.clone()));
        let unsigned = Code { key_id: None, outcome: Outcome::NotSanitized, ..code.clone() };
        assert_eq!(format!(" {unsigned}\n").parse(), Ok(unsigned));
        let text = code.to_string();
        for other in [
            "",
            "jurex:",
            &text.replace("purge", "clean"),
            &text[..text.len() - 20],
            &text.replace("0123", "0G23"),
            &format!("{text}:x"),
        ] {
            assert_eq!(other.parse::<Code>(), Err(NoCode), "{other}");
        }
        let drawing = code.drawing(70.0, "x").unwrap();
        assert!(drawing.shapes.len() > 200);
    }
}
