//! The mark that may be left on an erased drive: a page of plain text in its first sectors and again in its last, with a part for
//! programs that a key may vouch for. `docs/mark.md` describes it.
//!
//! What the page says follows from a part of it: who changes a letter of the rest is found out by writing the page anew.

mod lay;

pub use lay::{CopyEnd, CopyEvidence, FoundTag, NotWhole, TagEvidence, TagState, lay, look};

use jiff::Timestamp;
use jurex_device::media::Geometry;
use jurex_pattern::pattern::Pattern;
use jurex_pattern::units::{Sectors, size};
use jurex_sanitize::plan::MARK_BYTES;
pub use jurex_sanitize::plan::mark_places as places;
use jurex_sanitize::record::{JobId, Record};
use jurex_sanitize::rules::Outcome;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

/// Name and version of the format.
pub const FORMAT: &str = "jurex-mark/1";
/// Columns of the part for programs.
const COLUMNS: usize = 64;
/// Most signs that a signature takes with its header: an id of a key, 64 bytes in base64, the names of the fields.
const SIGNATURE: usize = 320;
const FIRST_LINE: &str = "JUREX MARK 1";
const BEGIN: &str = "----- for programs -----";
const END: &str = "----- end -----";

/// What a mark says.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct TagFacts {
    format: String,
    /// The job.
    pub job: JobId,
    /// What its record claims.
    pub outcome: Outcome,
    /// The rules by which.
    pub rules: String,
    /// The method.
    pub method: String,
    /// When the job ended.
    pub ended: Timestamp,
    /// What the drive is called.
    pub drive: String,
    /// Its serial; empty: it tells none.
    pub serial: String,
    /// Its number of sectors.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub sectors: u64,
    /// Bytes of a sector.
    pub sector_bytes: u32,
    /// SHA-256 of the record, in hexadecimal digits. Papers that are filled in later change it.
    pub record: String,
    /// SHA-256 of the record's evidence, in hexadecimal digits. Nothing changes it.
    pub evidence: String,
    /// Where to ask.
    pub ask: String,
}

/// Letters that any byte viewer shows, no more than `room` of them.
fn plain(text: &str, room: usize) -> String {
    let text: String = deunicode::deunicode(text).chars().map(|c| if c.is_ascii_graphic() { c } else { ' ' }).collect();
    let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
    if text.len() <= room { text } else { format!("{}..", &text[..room - 2]) }
}

impl TagFacts {
    /// What the mark of that record says. Only of a drive that has earned something there is one.
    pub fn of(record: &Record, ask: &str) -> Option<Self> {
        let outcome = record.claim().outcome();
        if outcome == Outcome::NotSanitized {
            return None;
        }
        let evidence = record.evidence();
        let (drive, geometry) = (evidence.drive(), evidence.geometry());
        Some(Self {
            format: FORMAT.into(),
            job: record.job.clone(),
            outcome,
            rules: plain(record.rule_set(), 100),
            method: plain(&record.method.title, 100),
            ended: record.ended,
            drive: plain(&drive.unit.name().unwrap_or_default(), 100),
            serial: plain(drive.unit.serial().unwrap_or_default(), 60),
            sectors: geometry.sectors,
            sector_bytes: geometry.logical,
            record: record.digest(),
            evidence: record.evidence_digest(),
            ask: plain(ask, 200),
        })
    }

    /// Whether it is the mark of that record, whatever papers were filled in since.
    pub fn is_of(&self, record: &Record) -> bool {
        Self::of(record, &self.ask).is_some_and(|now| Self { record: self.record.clone(), ..now } == *self)
    }

    /// In canonical JSON (RFC 8785): what a key vouches for.
    pub fn to_json(&self) -> String {
        serde_json_canonicalizer::to_string(self).expect("it holds only texts and small numbers")
    }

    fn from_json(text: &str) -> Option<Self> {
        let says: Self = serde_json::from_str(text).ok()?;
        (says.format == FORMAT && says.to_json() == text).then_some(says)
    }

    /// Whether it is about a drive of that serial and size.
    pub fn fits(&self, drive: &jurex_device::media::Drive) -> bool {
        let serial = plain(drive.unit.serial().unwrap_or_default(), 60);
        (self.serial.as_str(), self.sectors, self.sector_bytes)
            == (serial.as_str(), drive.geometry.sectors, drive.geometry.logical)
    }
}

/// A mark as it stands on a drive.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ErasureTag {
    says: TagFacts,
    /// The signed text around what it says, if a key has signed it.
    signed: Option<String>,
}

impl ErasureTag {
    /// With what `sign` makes of its text; `None`: nobody signs it.
    pub fn new(says: TagFacts, sign: impl FnOnce(&str) -> Option<String>) -> Self {
        let signed = sign(&says.to_json());
        Self { says, signed }
    }

    /// What it says. That it is true is not known by that.
    pub fn says(&self) -> &TagFacts {
        &self.says
    }

    /// The signed text, which is to be checked.
    pub fn signed(&self) -> Option<&str> {
        self.signed.as_deref()
    }

    /// The page, padded to whole sectors of that size; `None`: it does not fit.
    pub fn page(&self, sector_bytes: u32) -> Option<Vec<u8>> {
        let mut page = self.text().into_bytes();
        let len = page_bytes(sector_bytes);
        if page.len() >= len || !page.is_ascii() {
            return None;
        }
        page.resize(len, b' ');
        page[len - 1] = b'\n';
        Some(page)
    }

    fn text(&self) -> String {
        let TagFacts { job, outcome, rules, method, ended, drive, serial, sectors, sector_bytes, record, evidence, ask, .. } =
            &self.says;
        let told = |text: &str| if text.is_empty() { "not told".to_string() } else { text.to_string() };
        let capacity = plain(&size(sectors.saturating_mul((*sector_bytes).into())), 60);
        let facts = [
            ("Outcome", outcome.to_string()),
            ("Rules", rules.clone()),
            ("Method", method.clone()),
            ("Ended", ended.strftime("%Y-%m-%d %H:%M UTC").to_string()),
            ("Drive", told(drive)),
            ("Serial", told(serial)),
            ("Size", format!("{capacity}, {sectors} sectors of {sector_bytes} bytes")),
            ("Job", job.to_string()),
            ("Record", format!("SHA-256 {record}")),
            ("Evidence", format!("SHA-256 {evidence}")),
            ("Ask", told(ask)),
        ];
        let mut text = format!("{FIRST_LINE}\n\nThis drive was erased, and what the erasure left was read back.\n\n");
        for (label, value) in facts {
            text += &format!("  {label:<9} {value}\n");
        }
        text += "\nThis page stands in the first and in the last sectors of the drive, and\n\
                 nothing else does but what the erasure left. It is no partition table\n\
                 and no file system: whoever uses the drive again writes over it.\n";
        let signed = match self.signed {
            Some(_) => "The part for programs is signed (JWS, EdDSA)",
            None => "The part for programs is NOT signed: anybody can have written it",
        };
        text += &format!("{signed}.\n\n{BEGIN}\n");
        let json = self.signed.clone().unwrap_or_else(|| self.says.to_json());
        for line in json.as_bytes().chunks(COLUMNS) {
            text += &String::from_utf8_lossy(line);
            text.push('\n');
        }
        text + END + "\n"
    }

    /// Reads a page. Only the very bytes that [`ErasureTag::page`] writes are taken. `payload` gives what a signed text says, whoever says it.
    pub fn parse(page: &[u8], sector_bytes: u32, payload: impl Fn(&str) -> Option<String>) -> Result<Self, NotWhole> {
        if !page.starts_with(FIRST_LINE.as_bytes()) {
            return Err(NotWhole::NoMark);
        }
        let text = std::str::from_utf8(page).map_err(|_| NotWhole::Altered)?;
        let part = text.split_once(&format!("\n{BEGIN}\n")).and_then(|(_, rest)| rest.split_once(END));
        let (part, _) = part.ok_or(NotWhole::Altered)?;
        let json: String = part.split('\n').collect();
        let mark = match TagFacts::from_json(&json) {
            Some(says) => Self { says, signed: None },
            None => {
                let says = payload(&json).and_then(|said| TagFacts::from_json(&said)).ok_or(NotWhole::Altered)?;
                // A signature and the name of its key take little: nothing else is carried beside what is said.
                if json.len() > says.to_json().len() * 4 / 3 + SIGNATURE {
                    return Err(NotWhole::Altered);
                }
                Self { says, signed: Some(json) }
            }
        };
        if mark.page(sector_bytes).as_deref() == Some(page) { Ok(mark) } else { Err(NotWhole::Altered) }
    }

    /// SHA-256 of the page, in hexadecimal digits.
    pub fn digest(page: &[u8]) -> String {
        jurex_pattern::text::hex::encode(&Sha256::digest(page))
    }
}

/// Bytes of a page on sectors of that size.
pub(crate) fn page_bytes(sector_bytes: u32) -> usize {
    MARK_BYTES.max(sector_bytes as usize)
}

/// A page as a pattern that has it at `at`.
fn pattern(page: &[u8], at: Sectors, geometry: Geometry) -> Option<Pattern> {
    let mut bytes = page.to_vec();
    let before = geometry.bytes_of(at.first.0) % (page.len() as u64).max(1);
    bytes.rotate_right(before as usize);
    Pattern::bytes(bytes)
}

/// A page with the places where it should stand, each as a pattern.
pub(crate) fn patterns(page: &[u8], geometry: Geometry) -> Vec<(Sectors, Pattern)> {
    let places = places(geometry).into_iter().flatten();
    places.filter_map(|at| Some((at, pattern(page, at, geometry)?))).collect()
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use jurex_device::media::MediaClass;
    use jurex_device::medium::Medium;
    use jurex_device::testing::Memory;
    use jurex_sanitize::contents;
    use proptest::prelude::*;

    /// A signature that is none: the text between brackets.
    pub(crate) fn stamped(json: &str) -> Option<String> {
        Some(format!("[{json}]"))
    }

    pub(crate) fn unstamp(text: &str) -> Option<String> {
        Some(text.strip_prefix('[')?.strip_suffix(']')?.to_string())
    }

    pub(crate) fn says() -> TagFacts {
        let record = jurex_sanitize::testing::record();
        TagFacts::of(&record, "Brackwater Weather Service, Tern Quay").unwrap()
    }

    #[test]
    fn a_mark_is_read_as_it_was_written_and_not_otherwise() {
        for (sign, signed) in [(stamped as fn(&str) -> Option<String>, true), (|_: &str| None, false)] {
            for sector in [512, 4096, 8192] {
                let mark = ErasureTag::new(says(), sign);
                let page = mark.page(sector).unwrap();
                assert_eq!(page.len(), 4096.max(sector as usize));
                assert_eq!((ErasureTag::parse(&page, sector, unstamp), mark.signed().is_some()), (Ok(mark.clone()), signed));
                for at in 0..page.len() {
                    let mut altered = page.clone();
                    altered[at] ^= 1;
                    let read = ErasureTag::parse(&altered, sector, unstamp);
                    // What is signed may be taken apart; the key tells that its text is another.
                    let other = read.as_ref().is_ok_and(|m| m.says != mark.says || m.signed != mark.signed);
                    assert!(read.is_err() || other, "byte {at}");
                }
            }
        }
        assert_eq!(ErasureTag::parse(&[0; 4096], 512, unstamp), Err(NotWhole::NoMark));
        // Nobody carries anything in what stands around it.
        let stuffed = ErasureTag::new(says(), |json| Some(format!("[{json}{}]", "x".repeat(900)))).page(512).unwrap();
        let payload = |text: &str| unstamp(text).map(|t| t.trim_end_matches('x').to_string());
        assert_eq!(ErasureTag::parse(&stuffed, 512, payload), Err(NotWhole::Altered));
    }

    #[test]
    fn only_what_earned_something_gets_a_mark_and_papers_of_later_do_not_part_it_from_its_record() {
        assert_eq!(TagFacts::of(&jurex_sanitize::testing::stopped_record(), ""), None);
        let (record, says) = (jurex_sanitize::testing::record(), says());
        let filled = record.clone().with_papers(jurex_sanitize::record::Papers { notes: "x".into(), ..Default::default() });
        assert!(says.is_of(&record) && says.is_of(&filled) && filled.digest() != says.record);
        assert!(!TagFacts { sectors: 7, ..says.clone() }.is_of(&record));
        assert!(!TagFacts { outcome: Outcome::Purge, ..says }.is_of(&record));
    }

    #[test]
    fn it_stands_at_both_ends_of_drives_that_are_large_enough() {
        let of = |logical: u32, sectors| places(Geometry { logical, physical: 4096, sectors });
        assert_eq!(of(512, 1001), Some([Sectors::new(0, 8), Sectors::new(993, 8)]));
        assert_eq!(of(4096, 7), Some([Sectors::new(0, 1), Sectors::new(6, 1)]));
        assert_eq!((of(512, 23), of(4096, 2), of(512, 0)), (None, None, None));
    }

    proptest! {
        /// Whatever people write into it, no operating system takes it for a table or a file system.
        #[test]
        fn nothing_takes_it_for_a_table(ask in "\\PC{0,300}", method in "\\PC{0,200}", odd in 0u64..9) {
            let mut says = says();
            (says.ask, says.method) = (plain(&ask, 200), plain(&method, 100));
            let page = ErasureTag::new(says, |json| Some(format!("[{json}{json}]"))).page(512).unwrap();
            let mut medium = Memory::new(MediaClass::Magnetic, 4096 + odd);
            medium.bytes.fill(0);
            for (at, pattern) in patterns(&page, medium.geometry()) {
                let from = at.first.0 as usize * 512;
                let len = at.count as usize * 512;
                pattern.fill(from as u64, 512, &mut medium.bytes[from..from + len]);
                prop_assert_eq!(&medium.bytes[from..from + len], page.as_slice());
            }
            let contents = contents::look(&mut medium);
            prop_assert!(contents.regions.is_empty() && contents.table.is_none(), "{contents:?}");
            prop_assert!(page.chunks(512).all(|sector| sector[510..] != [0x55, 0xaa]));
        }
    }
}
