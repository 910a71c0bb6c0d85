//! The record of a second look at a drive: who read it, how, when, by which program, against what, and what was found.

use super::expected::{ExpectedContents, Holds};
use super::reading::Reading;
use crate::erasure_tag::page_bytes;
use jiff::Timestamp;
use jurex_device::media::Drive;
use jurex_device::medium::Access;
use jurex_pattern::ranges::RangeSet;
use jurex_sanitize::evidence::{Ended, Unsound, check_geometry, fails};
use jurex_sanitize::record::{JobId, Person, Record, Tool};
use jurex_sanitize::residue::Leftovers;
use jurex_sanitize::sampling::Sampling;
use jurex_sanitize::words::Said;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt;

/// Name and version of the format.
pub const FORMAT: &str = "jurex-verification/1";

/// What follows from a reading.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Finding {
    /// Everything that was to be read holds what should lie there.
    Confirmed,
    /// Something else lies there.
    Contradicted,
    /// Not all that was to be read was read.
    Incomplete,
}

impl fmt::Display for Finding {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Finding::Confirmed => "Confirmed",
            Finding::Contradicted => "Contradicted",
            Finding::Incomplete => "Incomplete",
        })
    }
}

/// The record that was looked into again.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OfRecord {
    /// Its job.
    pub job: JobId,
    /// SHA-256 of its canonical JSON, in hexadecimal digits.
    pub digest: String,
    /// When that job ended.
    pub ended: Timestamp,
}

impl VerificationRecord {
    /// Whether it is about the job of that record. Papers may have been filled in since: they change the record's digest, not the job.
    pub fn is_of(&self, record: &Record) -> bool {
        self.look.of.as_ref().is_some_and(|of| of.job == record.job && of.ended == record.ended)
    }
}

impl OfRecord {
    /// Names that record.
    pub fn of(record: &Record) -> Self {
        Self { job: record.job.clone(), digest: record.digest(), ended: record.ended }
    }
}

/// Who looked, how, and at what.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct VerificationFacts {
    /// The program.
    pub tool: Tool,
    /// Who had it done.
    pub by: Person,
    /// The record that it is about; `None`: somebody expected it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub of: Option<OfRecord>,
    /// The drive as it was found.
    pub drive: Drive,
    /// How it was reached.
    pub access: Access,
    /// When it began.
    pub started: Timestamp,
    /// When it ended.
    pub ended: Timestamp,
    /// What should lie there.
    pub expected: ExpectedContents,
    /// The places, of a sample; `None`: every sector.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub sampling: Option<Sampling>,
    /// What a search for leftovers has found, where one was asked for.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub left: Option<Leftovers>,
}

/// A verification with what was found. The finding is computed when it is made and again whenever it is read.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct VerificationRecord {
    format: String,
    /// Who looked, how, and at what.
    pub look: VerificationFacts,
    read: RangeSet,
    wrong: RangeSet,
    unreadable: RangeSet,
    #[serde(skip_serializing_if = "Option::is_none", default)]
    blank_byte: Option<u8>,
    end: Ended,
    finding: Finding,
}

/// A text that is no verification record, or one that contradicts itself.
#[derive(Debug, thiserror::Error)]
pub enum BadVerificationRecord {
    /// Not the JSON of one.
    #[error("this is not a verification record of Jurex")]
    NotOne(#[source] serde_json::Error),
    /// Another version of the format.
    #[error("the verification record's format is `{0}`; this version reads {FORMAT}")]
    OtherFormat(String),
    /// It contradicts itself.
    #[error("the verification record has been altered: {0}")]
    Unsound(#[from] Unsound),
}

/// What whoever reads one that nobody has signed must simply believe; the finding follows from these.
pub const BELIEVED: [(&str, &str); 2] = [
    ("look", "who looked, when, by which program, at which drive, and what was expected there"),
    ("read, wrong, unreadable, blank_byte, end", "what was read, and how it compared"),
];

#[derive(Deserialize)]
struct VerificationHead {
    format: String,
}

impl VerificationRecord {
    /// What that reading found.
    pub fn new(look: VerificationFacts, reading: Reading) -> Self {
        let Reading { read, wrong, unreadable, blank_byte, ended: end } = reading;
        let finding = finding(&look, &read, &wrong, &end);
        Self { format: FORMAT.into(), look, read, wrong, unreadable, blank_byte, end, finding }
    }

    /// Reads one and looks whether its finding follows.
    ///
    /// # Errors
    /// Text that is none, another format, or a finding that does not follow.
    pub fn from_json(text: &str) -> Result<Self, BadVerificationRecord> {
        let head: VerificationHead = serde_json::from_str(text).map_err(BadVerificationRecord::NotOne)?;
        if head.format != FORMAT {
            return Err(BadVerificationRecord::OtherFormat(jurex_pattern::text::printable(head.format.as_bytes())));
        }
        let read: Self = serde_json::from_str(text).map_err(BadVerificationRecord::NotOne)?;
        check_geometry(read.look.drive.geometry)?;
        let range = read.look.expected.range;
        fails(range.end() > read.look.drive.geometry.sectors || range.count == 0, "its range is not on its drive")?;
        let inside = |set: &RangeSet| set.within(range).count() == set.count();
        fails(![&read.read, &read.unreadable].into_iter().all(inside), "it read beyond its range")?;
        fails(!read.read.covers(&read.wrong), "it found something wrong where it did not read")?;
        let page = read.look.expected.mark.as_ref();
        let is_page = |page: &String| page.is_ascii() && page.len() == page_bytes(read.look.drive.geometry.logical);
        fails(!page.is_none_or(is_page), "the erasure tag that it expects is none")?;
        let blank_is_known = read.look.expected.holds == Holds::Blank || read.blank_byte.is_none();
        fails(!blank_is_known, "it names the byte of a blank drive that is not one")?;
        let follows = finding(&read.look, &read.read, &read.wrong, &read.end);
        fails(follows != read.finding, "its finding does not follow from what it read")?;
        Ok(read)
    }

    /// The record in canonical JSON (RFC 8785).
    pub fn to_json(&self) -> String {
        serde_json_canonicalizer::to_string(self).expect("it holds only strings, small numbers, lists and maps")
    }

    /// What follows from it.
    pub fn finding(&self) -> Finding {
        self.finding
    }

    /// How the reading ended.
    pub fn end(&self) -> &Ended {
        &self.end
    }

    /// The finding in words, each a sentence.
    pub fn sentences(&self) -> Vec<String> {
        self.said().iter().map(Said::english).collect()
    }

    /// The same as data, for papers.
    pub fn said(&self) -> Vec<Said> {
        let VerificationFacts { expected, sampling, .. } = &self.look;
        let (all, read) = (expected.range.count, self.read.count());
        let holds = match (&expected.holds, self.blank_byte) {
            (Holds::Blank, Some(byte)) => Said::new("paper.holds.byte").text("byte", format!("{byte:02X}")),
            (Holds::Blank, None) => Said::new("paper.holds.blank"),
            (Holds::Pattern { pattern }, _) => Said::new("paper.holds.pattern").text("pattern", pattern.to_string()),
        };
        let mut said = vec![match (self.finding, sampling) {
            (Finding::Confirmed, None) => Said::new("paper.check.all").number("all", all).said("what", holds),
            (Finding::Confirmed, Some(sampling)) => Said::new("paper.check.sample")
                .number("read", read)
                .number("all", all)
                .number("places", Sampling::number_of_places(expected.range))
                .text("seed", sampling.seed())
                .said("what", holds)
                .said("chance", Sampling::confidence(expected.range, self.look.drive.geometry)),
            (Finding::Contradicted, _) => Said::new("paper.check.wrong")
                .number("wrong", self.wrong.count())
                .number("read", read)
                .said("what", holds)
                .places("at", &self.wrong),
            (Finding::Incomplete, _) => {
                Said::new("paper.check.incomplete").number("read", read).number("all", all).said("end", self.end.said())
            }
        }];
        if !self.unreadable.is_empty() {
            let unreadable = Said::new("paper.check.unreadable").number("n", self.unreadable.count());
            said.push(unreadable.places("at", &self.unreadable));
        }
        if self.look.expected.mark.is_some() {
            said.push(Said::new("paper.check.tag"));
        }
        if self.look.of.is_none() {
            said.push(Said::new("paper.check.finding"));
        }
        if self.look.of.is_some() && !self.look.drive.unit.is_named() {
            said.push(Said::new("paper.check.unnamed"));
        }
        said
    }
}

fn finding(look: &VerificationFacts, read: &RangeSet, wrong: &RangeSet, end: &Ended) -> Finding {
    let range = look.expected.range;
    let places = look.sampling.as_ref().map_or_else(|| [range].into_iter().collect(), |s| s.places(range));
    match () {
        () if !wrong.is_empty() => Finding::Contradicted,
        () if *end != Ended::Finished || !read.covers(&places) || range.count == 0 => Finding::Incomplete,
        () => Finding::Confirmed,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_device::media::MediaClass;
    use jurex_device::testing::test_drive;
    use jurex_pattern::pattern::Pattern;
    use jurex_pattern::units::Sectors;

    fn record(sampling: Option<Sampling>, reading: Reading) -> VerificationRecord {
        let drive = test_drive(MediaClass::Magnetic, 1000);
        let range = drive.geometry.whole();
        let look = VerificationFacts {
            left: None,
            tool: Tool { name: "Jurex".into(), version: "0".into() },
            by: Person { name: "Ines".into(), ..Person::default() },
            of: None,
            drive,
            access: Access::DIRECT,
            started: Timestamp::UNIX_EPOCH,
            ended: Timestamp::UNIX_EPOCH,
            expected: ExpectedContents { holds: Holds::Pattern { pattern: Pattern::zeros() }, range, mark: None },
            sampling,
        };
        VerificationRecord::new(look, reading)
    }

    fn reading(read: RangeSet) -> Reading {
        Reading { read, wrong: RangeSet::new(), unreadable: RangeSet::new(), blank_byte: None, ended: Ended::Finished }
    }

    fn all() -> RangeSet {
        [Sectors::new(0, 1000)].into_iter().collect()
    }

    #[test]
    fn a_finding_follows_from_what_was_read_and_from_nothing_else() {
        let sampling = Sampling::new([3; 16]);
        assert_eq!(record(None, reading(all())).finding(), Finding::Confirmed);
        let almost: RangeSet = [Sectors::new(0, 999)].into_iter().collect();
        assert_eq!(record(None, reading(almost.clone())).finding(), Finding::Incomplete);
        assert_eq!(record(Some(sampling.clone()), reading(all())).finding(), Finding::Confirmed);
        assert_eq!(record(Some(sampling), reading(almost)).finding(), Finding::Incomplete, "a small drive is read whole");
        let one: RangeSet = [Sectors::new(7, 1)].into_iter().collect();
        assert_eq!(record(None, Reading { wrong: one.clone(), ..reading(all()) }).finding(), Finding::Contradicted);
        let cut = Reading { ended: Ended::Stopped, ..reading(all()) };
        assert_eq!(record(None, cut).finding(), Finding::Incomplete);
        let bad = Reading { unreadable: one, ..reading([Sectors::new(0, 7), Sectors::new(8, 992)].into_iter().collect()) };
        let bad = record(None, bad);
        assert!(bad.finding() == Finding::Incomplete && bad.sentences().join(" ").contains("1 sector could not be read"));
    }

    #[test]
    fn the_words_say_what_was_read_and_what_is_not_known() {
        let said = |change: &dyn Fn(&mut VerificationFacts), reading: Reading| {
            let mut look = record(None, super::tests::reading(all())).look;
            change(&mut look);
            VerificationRecord::new(look, reading).sentences()
        };
        let of = || Some(OfRecord::of(&jurex_sanitize::testing::record()));
        let blank = said(&|l| l.expected.holds = Holds::Blank, Reading { blank_byte: Some(0xff), ..reading(all()) });
        assert_eq!(blank[0], "All 1\u{202f}000 sectors were read and hold the byte FF over and over.");
        let finding_alone = "It is a finding, not an outcome: how those bytes came there is not known.";
        let unnamed = "The drive reports nothing that names it: that it is the drive of the record rests on whoever brought it.";
        assert_eq!(blank[1..], [finding_alone]);
        assert_eq!(said(&|l| l.of = of(), reading(all())).len(), 1, "a named drive, and a record that tells the rest");
        let nameless = |l: &mut VerificationFacts| (l.drive.unit.serial, l.drive.unit.ids) = (None, vec![]);
        assert_eq!(said(&nameless, reading(all()))[1..], [finding_alone]);
        let both = |l: &mut VerificationFacts| {
            nameless(l);
            l.of = of();
        };
        assert_eq!(said(&both, reading(all()))[1..], [unnamed]);
        let marked = said(&|l| l.expected.mark = Some(String::new()), reading(all()));
        assert!(marked[1].starts_with("The erasure tag in the first and last sectors"), "{marked:?}");
    }

    #[test]
    fn an_altered_one_is_found_out() {
        let one = [Sectors::new(7, 1)].into_iter().collect();
        let json = record(None, Reading { wrong: one, ..reading(all()) }).to_json();
        assert_eq!(VerificationRecord::from_json(&json).unwrap().to_json(), json);
        let changed = |from: &str, to: &str| {
            let text = json.replace(from, to);
            assert_ne!(text, json, "{from}");
            VerificationRecord::from_json(&text).map_err(|e| e.to_string()).unwrap_err()
        };
        assert!(changed("\"contradicted\"", "\"confirmed\"").contains("does not follow"));
        assert!(changed("\"wrong\":[{\"count\":\"1\",\"first\":\"7\"}]", "\"wrong\":[]").contains("does not follow"));
        assert!(changed("\"first\":\"7\"", "\"first\":\"7000\"").contains("did not read"));
        assert!(changed("\"range\":{\"count\":\"1000\"", "\"range\":{\"count\":\"1001\"").contains("not on its drive"));
        assert!(changed("\"range\":{\"count\":\"1000\"", "\"range\":{\"count\":\"0\"").contains("not on its drive"));
        assert!(
            changed("\"expected\":{", "\"blank_byte\":7,\"expected\":{").contains("not a verification record"),
            "it stands elsewhere"
        );
        assert!(changed("\"end\":", "\"blank_byte\":7,\"end\":").contains("byte of a blank drive"));
        let mark = |n: usize| format!("\"expected\":{{\"mark\":\"{}\",", "x".repeat(n));
        assert!(changed("\"expected\":{", &mark(4095)).contains("erasure tag that it expects is none"));
        VerificationRecord::from_json(&json.replace("\"expected\":{", &mark(4096))).unwrap();
        assert!(changed("\"logical\":512", "\"logical\":513").contains("size that no drive has"));
        assert!(changed("\"logical\":512", "\"logical\":0").contains("no size"));
        assert!(changed("verification/1", "verification/9").contains("verification/9"));
        assert!(changed("\"read\":", "\"red\":").contains("not a verification record"));
    }
}
