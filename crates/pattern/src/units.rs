//! Numbers with a unit: sector addresses, stretches of sectors, and how sizes, rates and durations are said.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt;
use std::time::Duration;

/// Number of a logical sector, counted from 0. Not a byte offset.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct Lba(
    #[serde(with = "crate::text::u64_string")]
    #[schemars(with = "crate::text::Decimal")]
    pub u64,
);

impl fmt::Display for Lba {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

/// A stretch of logical sectors: the first one and how many. Never a byte range.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
pub struct Sectors {
    /// First sector of the stretch.
    pub first: Lba,
    /// Number of sectors; may be 0.
    #[serde(with = "crate::text::u64_string")]
    #[schemars(with = "crate::text::Decimal")]
    pub count: u64,
}

impl Sectors {
    /// `count` sectors from `first` on.
    pub fn new(first: u64, count: u64) -> Self {
        Self { first: Lba(first), count }
    }

    /// The sectors from `first` up to and including `last`; `None` if `last` is before `first` or they span 2^64.
    pub fn from_to(first: u64, last: u64) -> Option<Self> {
        let count = last.checked_sub(first)?.checked_add(1)?;
        Some(Self::new(first, count))
    }

    /// The first sector after the stretch (saturating at the largest number).
    pub fn end(&self) -> u64 {
        self.first.0.saturating_add(self.count)
    }

    /// The last sector of the stretch; the first one if it is empty.
    pub fn last(&self) -> Lba {
        Lba(self.end().saturating_sub(1).max(self.first.0))
    }

    /// Whether all of it lies in `range`; a stretch that runs over the largest number lies nowhere.
    pub fn lies_in(&self, range: Sectors) -> bool {
        let end = self.first.0.checked_add(self.count);
        self.first >= range.first && end.is_some_and(|end| end <= range.end())
    }

    /// Whether `lba` lies in the stretch.
    pub fn contains(&self, lba: Lba) -> bool {
        (self.first.0..self.end()).contains(&lba.0)
    }

    /// The two halves of a stretch of at least two `unit`s, cut at a multiple of `unit` from its start.
    pub fn halves(&self, unit: u64) -> (Self, Self) {
        let left = (self.count / 2).div_ceil(unit) * unit;
        let left = left.min(self.count);
        (Self::new(self.first.0, left), Self::new(self.first.0 + left, self.count - left))
    }
}

impl fmt::Display for Sectors {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.count {
            0 => write!(f, "no sector"),
            1 => write!(f, "sector {}", self.first),
            _ => write!(f, "sectors {} to {}", self.first, self.last()),
        }
    }
}

fn scaled(value: f64, base: f64, units: &[&str]) -> String {
    let mut scaled = value;
    let mut unit = 0;
    // 999.995 and more would print as "1000.00": it belongs to the next unit.
    while scaled >= base - 0.005 && unit + 1 < units.len() {
        scaled /= base;
        unit += 1;
    }
    match unit {
        0 => format!("{value:.0} {}", units[0]),
        _ if scaled >= 99.95 => format!("{scaled:.0} {}", units[unit]),
        _ if scaled >= 9.995 => format!("{scaled:.1} {}", units[unit]),
        _ => format!("{scaled:.2} {}", units[unit]),
    }
}

const SI: [&str; 7] = ["B", "kB", "MB", "GB", "TB", "PB", "EB"];
const BINARY: [&str; 7] = ["B", "KiB", "MiB", "GiB", "TiB", "PiB", "EiB"];

/// A size in SI units, as printed on a drive's case: `2.00 GB`.
pub fn si_size(bytes: u64) -> String {
    scaled(bytes as f64, 1000.0, &SI)
}

/// A size in SI units with the binary one in brackets: `2.00 GB (1.86 GiB)`.
pub fn size(bytes: u64) -> String {
    format!("{} ({})", si_size(bytes), scaled(bytes as f64, 1024.0, &BINARY))
}

/// Bytes of a size as people write it: `32GB`, `500 MB`, `2TB`.
pub fn parse_size(text: &str) -> Option<u64> {
    let text = text.trim().to_ascii_uppercase();
    let units = [("TB", 1_000_000_000_000), ("GB", 1_000_000_000), ("MB", 1_000_000_u64)];
    let (number, unit) = units.into_iter().find_map(|(u, n)| Some((text.strip_suffix(u)?, n)))?;
    number.trim().parse::<u64>().ok()?.checked_mul(unit)
}

/// A rate in SI units per second: `182 MB/s`.
pub fn rate(bytes_per_second: f64) -> String {
    format!("{}/s", scaled(bytes_per_second.max(0.0), 1000.0, &SI))
}

/// A duration as people say it: `12 s`, `3 min 20 s`, `1 h 12 min`, `6 d 4 h`.
pub fn duration(d: Duration) -> String {
    let seconds = d.as_secs();
    let (days, hours, minutes) = (seconds / 86_400, seconds / 3_600 % 24, seconds / 60 % 60);
    match seconds {
        0 if d.is_zero() => "0 s".into(),
        0 => "under 1 s".into(),
        1..60 => format!("{seconds} s"),
        60..3_600 => format!("{minutes} min {} s", seconds % 60),
        3_600..86_400 => format!("{hours} h {minutes} min"),
        _ => format!("{days} d {hours} h"),
    }
}

/// A whole number with thin groups of three: `3 906 250`.
pub fn grouped(number: u64) -> String {
    let digits = number.to_string();
    let mut out = String::new();
    for (i, digit) in digits.chars().enumerate() {
        if i > 0 && (digits.len() - i).is_multiple_of(3) {
            out.push('\u{202f}');
        }
        out.push(digit);
    }
    out
}

/// `1 sector`, `2 sectors`: a count with its noun, English plural by an `s`.
pub fn counted(number: u64, noun: &str) -> String {
    format!("{} {noun}{}", grouped(number), if number == 1 { "" } else { "s" })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sizes_keep_three_digits_and_never_print_a_thousand() {
        assert_eq!(size(2_000_000_000), "2.00 GB (1.86 GiB)");
        assert_eq!(size(16_000_000_000), "16.0 GB (14.9 GiB)");
        assert_eq!(size(512), "512 B (512 B)");
        assert_eq!(si_size(999_999_999), "1.00 GB");
        assert_eq!(si_size(u64::MAX), "18.4 EB");
    }

    #[test]
    fn durations_name_two_units_at_most() {
        let said = |s| duration(Duration::from_secs(s));
        assert_eq!(
            [said(0), said(59), said(61), said(4_320), said(532_800)],
            ["0 s", "59 s", "1 min 1 s", "1 h 12 min", "6 d 4 h"]
        );
        assert_eq!(duration(Duration::from_millis(5)), "under 1 s");
    }

    #[test]
    fn halves_cover_the_stretch_and_cut_at_units() {
        for (count, unit) in [(2048, 8), (9, 8), (16, 8), (2, 1), (3, 1)] {
            let whole = Sectors::new(100, count);
            let (a, b) = whole.halves(unit);
            assert_eq!((a.end(), a.count + b.count), (b.first.0, count));
            assert!(a.count.is_multiple_of(unit) && a.count > 0 && b.count > 0, "{count} by {unit}: {a:?} {b:?}");
        }
    }

    #[test]
    fn a_range_that_runs_backwards_or_over_the_top_is_no_range() {
        assert_eq!(Sectors::from_to(5, 4), None);
        assert_eq!(Sectors::from_to(0, u64::MAX), None);
        assert_eq!(Sectors::from_to(7, 7), Some(Sectors::new(7, 1)));
    }
}
