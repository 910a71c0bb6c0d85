//! What is stated of a lot as a whole: every drive of it, what its record earned, and the sums. It is computed from the records; whoever
//! has them can compute it again.

use super::{Lot, LotItem, LotStatus, LotTally};
use crate::proof::Finding;
use crate::release::{Act, Release};
use jiff::Timestamp;
use jurex_sanitize::need::is_enough;
use jurex_sanitize::record::{JobId, Person, Record, Tool};
use jurex_sanitize::rules::{Outcome, Reason};
use jurex_sanitize::words::Said;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

/// Name and version of the format.
const FORMAT: &str = "jurex-lot/1";

/// One drive of a lot, as it is stated.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct StatementLine {
    /// Its serial; empty where the drive told none.
    pub serial: String,
    /// Whether it was expected.
    pub expected: bool,
    /// How it stands.
    pub stand: StandWord,
    /// The organisation's own number for it.
    pub property_number: String,
    /// Where it comes from.
    pub source: String,
    /// What it is called.
    pub drive: String,
    /// What is required of it at least, where its list or its papers say so; without a word anything that is sanitized is enough.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub required: Option<Outcome>,
    /// What its newest record earned.
    pub outcome: Option<Outcome>,
    /// What was done.
    pub method: String,
    /// What was read back.
    pub verification: String,
    /// When it ended.
    pub ended: Option<Timestamp>,
    /// Its job.
    pub job: Option<JobId>,
    /// SHA-256 of its record.
    pub digest: String,
    /// Why it stands so, in a sentence.
    pub because: String,
    /// The same as data, for papers in other languages; empty in statements of earlier versions.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub said: Vec<Said>,
    /// What the last second look found.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub second: Option<Finding>,
    /// Whether the outcome is that of a destruction which people state; the digest is that of their statement.
    #[serde(skip_serializing_if = "std::ops::Not::not", default)]
    pub stated: bool,
    /// Where it is now, since when, and who says so.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub whereabouts: String,
    /// Whether the drive is simulated.
    #[serde(skip_serializing_if = "std::ops::Not::not", default)]
    pub simulated: bool,
}

/// How a drive stands, in a word.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum StandWord {
    /// It has earned what it needs.
    Done,
    /// It has not.
    Failed,
    /// It was begun or is here, and is not done.
    Here,
    /// Nobody has seen it.
    NotSeen,
}

/// Second looks of a lot.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SecondLooks {
    /// Drives that were drawn for one.
    pub due: u64,
    /// Of these: looked at again and confirmed.
    pub confirmed: u64,
}

/// What is stated of a lot.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Statement {
    format: String,
    /// The lot's name.
    pub lot: String,
    /// When it was opened.
    pub opened: Timestamp,
    /// When it was closed; `None`: it is still at work.
    pub closed: Option<Timestamp>,
    /// When this was stated.
    pub made: Timestamp,
    /// The program.
    pub tool: Tool,
    /// Organisation.
    pub organisation: String,
    /// Who sanitized.
    pub technician: Person,
    /// Who validates.
    pub validator: Person,
    /// Second looks.
    pub second_looks: SecondLooks,
    /// The signed head of the ledger at that time.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub head: Option<String>,
    tally: LotTally,
    lines: Vec<StatementLine>,
}

/// A text that is no statement, or one that contradicts itself.
#[derive(Debug, thiserror::Error)]
pub enum BadStatement {
    /// Not the JSON of one.
    #[error("this is not a statement of a lot by Jurex")]
    NotOne(#[source] serde_json::Error),
    /// Its sums are not those of its lines, or a line says of a drive what its outcome does not bear.
    #[error("the statement has been altered: its sums are not those of its drives")]
    OtherSums,
}

impl Statement {
    /// Of a lot and how its drives stand. `head`, people and second looks are put in by who knows them.
    pub fn of(lot: &Lot, items: &[LotItem], made: Timestamp, tool: Tool) -> Self {
        let lines: Vec<StatementLine> = items.iter().map(StatementLine::of).collect();
        Self {
            format: FORMAT.into(),
            lot: lot.name.clone(),
            opened: lot.opened,
            closed: lot.closed,
            made,
            tool,
            organisation: String::new(),
            technician: Person::default(),
            validator: Person::default(),
            second_looks: SecondLooks::default(),
            head: None,
            tally: tally_of(&lines),
            lines,
        }
    }

    /// Whether any drive of it is simulated: then it says nothing about real media.
    pub fn is_demonstration(&self) -> bool {
        self.lines.iter().any(|l| l.simulated)
    }

    /// Every drive.
    pub fn lines(&self) -> &[StatementLine] {
        &self.lines
    }

    /// Notes what a second look at the drive of a job has found.
    pub fn note_second(&mut self, job: &JobId, found: Finding) {
        let lines = self.lines.iter_mut().filter(|l| l.job.as_ref() == Some(job));
        lines.for_each(|line| line.second = Some(found));
    }

    /// Notes where the drive of that serial is now.
    pub fn note_whereabouts(&mut self, serial: &str, said: &str) {
        let lines = self.lines.iter_mut().filter(|l| super::same_serial(&l.serial, serial));
        lines.for_each(|line| line.whereabouts = said.into());
    }

    /// The sums.
    pub fn tally(&self) -> LotTally {
        self.tally
    }

    /// In canonical JSON (RFC 8785).
    pub fn to_json(&self) -> String {
        serde_json_canonicalizer::to_string(self).expect("a statement holds only strings, small numbers, lists and maps")
    }

    /// SHA-256 of that, in hexadecimal digits.
    pub fn digest(&self) -> String {
        jurex_pattern::text::hex::encode(&Sha256::digest(self.to_json().as_bytes()))
    }

    /// From that JSON.
    ///
    /// # Errors
    /// It is none, or its sums are others than those of its drives.
    pub fn from_json(text: &str) -> Result<Self, BadStatement> {
        let statement: Self = serde_json::from_str(text).map_err(BadStatement::NotOne)?;
        let bears = |l: &StatementLine| match l.stand {
            StandWord::Done => l.is_enough() == Some(true) && (l.job.is_some() || l.stated) && l.digest.len() == 64,
            // Statements of before say nothing of what was required.
            StandWord::Failed => {
                l.outcome.is_some() && (l.required.is_none() || l.is_enough() == Some(false)) && (l.job.is_some() || l.stated)
            }
            StandWord::Here | StandWord::NotSeen => l.outcome.is_none(),
        };
        let right =
            statement.format == FORMAT && statement.tally == tally_of(&statement.lines) && statement.lines.iter().all(bears);
        if right { Ok(statement) } else { Err(BadStatement::OtherSums) }
    }

    /// As CSV (RFC 4180). Cells that a spreadsheet would take for formulas are made harmless.
    ///
    /// # Panics
    /// Never: memory takes every row.
    pub fn to_csv(&self) -> String {
        let mut rows = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(vec![]);
        let head = [
            "serial",
            "property number",
            "source",
            "drive",
            "stands",
            "required",
            "outcome",
            "enough",
            "method",
            "verification",
            "ended",
            "job",
            "record SHA-256",
            "second check",
            "because",
            "where it is now",
        ];
        let mut put = |row: [String; 16]| {
            rows.write_record(row.map(|cell| jurex_pattern::text::harmless_cell(&cell))).expect("memory takes every row");
        };
        put(head.map(String::from));
        for l in &self.lines {
            let stand = if l.expected { l.stand.word().to_string() } else { format!("{}, not expected", l.stand.word()) };
            put([
                l.serial.clone(),
                l.property_number.clone(),
                l.source.clone(),
                l.drive.clone(),
                stand,
                l.required.map(|o| o.to_string()).unwrap_or_default(),
                l.outcome
                    .map(|o| if l.simulated { format!("{o} (demonstration: simulated)") } else { o.to_string() })
                    .unwrap_or_default(),
                l.is_enough().map(|enough| if enough { "yes" } else { "no" }.to_string()).unwrap_or_default(),
                l.method.clone(),
                l.verification.clone(),
                l.ended.map(|t| t.to_string()).unwrap_or_default(),
                l.job.as_ref().map(ToString::to_string).unwrap_or_default(),
                l.digest.clone(),
                l.second.map(|f| f.to_string()).unwrap_or_default(),
                l.because.clone(),
                l.whereabouts.clone(),
            ]);
        }
        String::from_utf8(rows.into_inner().expect("memory takes every row")).expect("every cell is text")
    }
}

fn tally_of(lines: &[StatementLine]) -> LotTally {
    LotTally::count(lines.iter().map(|line| (line.expected, line.stand)))
}

impl StandWord {
    /// In plain words.
    pub fn word(self) -> &'static str {
        match self {
            StandWord::Done => "done",
            StandWord::Failed => "failed",
            StandWord::Here => "here and not done",
            StandWord::NotSeen => "not seen",
        }
    }
}

impl StatementLine {
    /// Whether what was reached is what is required, or more. `None`: nothing was reached yet.
    pub fn is_enough(&self) -> Option<bool> {
        self.outcome.map(|reached| is_enough(reached, self.required))
    }

    fn of(item: &LotItem) -> Self {
        let record = item.job.as_ref().and_then(|(_, record)| record.as_deref());
        let papers = record.map(|r| r.papers());
        let from_list = |of: fn(&super::ExpectedDrive) -> &String| item.expected.as_ref().map(of).filter(|t| !t.is_empty());
        let from_papers = |of: fn(&jurex_sanitize::record::Papers) -> &String| papers.map(of);
        let said = |list: Option<&String>, papers: Option<&String>| {
            papers.filter(|t| !t.is_empty()).or(list).cloned().unwrap_or_default()
        };
        let first_reason = |r: &Record| r.claim().reasons().first().map(Reason::as_said);
        let why: Vec<Said> = match (&item.stand, record) {
            (LotStatus::Failed(reached), Some(r)) if *reached != Outcome::NotSanitized => {
                let required = item.required().unwrap_or(Outcome::Clear);
                let less =
                    Said::new("paper.lot.less").text("reached", reached.to_string()).text("required", required.to_string());
                std::iter::once(less).chain(first_reason(r)).collect()
            }
            (_, Some(r)) => first_reason(r).into_iter().collect(),
            (LotStatus::Begun, None) => vec![Said::new("paper.lot.begun")],
            (LotStatus::Here, _) => vec![Said::new("paper.lot.untouched")],
            _ => vec![Said::new("paper.lot.not-seen")],
        };
        let mut line = Self {
            serial: item.serial.clone(),
            expected: item.expected.is_some(),
            stand: item.stand.word(),
            property_number: said(from_list(|e| &e.property_number), from_papers(|p| &p.property_number)),
            source: said(from_list(|e| &e.source), from_papers(|p| &p.source)),
            drive: record.map(|r| r.evidence().drive().called()).unwrap_or_default(),
            required: item.required(),
            outcome: record.map(|r| r.claim().outcome()),
            method: record.map(|r| r.method.title.clone()).unwrap_or_default(),
            verification: record.map(|r| r.method.verification.name().to_string()).unwrap_or_default(),
            ended: record.map(|r| r.ended),
            job: item.job.as_ref().map(|(job, _)| job.clone()),
            digest: record.map(|r| r.digest()).unwrap_or_default(),
            because: in_english(&why),
            said: why,
            simulated: record.is_some_and(|r| r.evidence().drive().simulated),
            second: None,
            stated: false,
            whereabouts: String::new(),
        };
        if let Some(release) = &item.destroyed {
            line.stated(release);
        }
        line
    }

    /// What people state of its destruction counts instead of its record.
    fn stated(&mut self, release: &Release) {
        let (Act::Destroyed(destruction), Some(claim)) = (&release.act, release.claim()) else { return };
        self.stated = true;
        self.simulated |= release.drive.simulated;
        self.outcome = Some(claim.outcome());
        self.method = format!("{}, as it is stated", destruction.how.word());
        self.verification = String::new();
        self.ended = Some(release.made);
        self.digest = release.digest();
        self.because = claim.reasons().iter().chain(claim.limits()).map(Reason::sentence).collect::<Vec<_>>().join(" ");
        let in_codes = release.claim_as_data().unwrap_or_else(|| claim.clone());
        self.said = in_codes.reasons().iter().chain(in_codes.limits()).map(Reason::as_said).collect();
        if self.drive.is_empty() {
            self.drive = release.drive.called();
        }
    }
}

fn in_english(said: &[Said]) -> String {
    said.iter().map(Said::english).collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::lot::LotList;
    use jurex_sanitize::testing;

    #[test]
    fn a_statement_is_computed_and_one_whose_sums_were_changed_is_found() {
        let mut lot = Lot::new("BW-0417", Timestamp::UNIX_EPOCH).unwrap();
        lot.add(LotList::from_csv("serial,property number,source\nA1,=1+1,Skerry\nA2,,\nA3,,\n").unwrap()).unwrap();
        let job = |n: u8| JobId::new("261123", [n; 4]);
        let jobs = [
            (job(1), Some("A1".into()), Some(Box::new(testing::record()))),
            (job(2), Some("A2".into()), Some(Box::new(testing::stopped_record()))),
            (job(3), None, None),
        ];
        let tool = Tool { name: "Jurex".into(), version: "0".into() };
        let items = lot.items(&jobs, &[]);
        let mut statement = Statement::of(&lot, &items, Timestamp::UNIX_EPOCH, tool);
        statement.note_second(&job(1), Finding::Confirmed);
        assert_eq!(statement.tally(), LotTally::of(&items));
        let json = statement.to_json();
        assert_eq!(Statement::from_json(&json).unwrap(), statement);
        for (from, to) in [
            ("\"done\":1", "\"done\":2"),
            ("\"stand\":\"failed\"", "\"stand\":\"done\""),
            ("\"outcome\":\"not-sanitized\"", "\"outcome\":\"purge\",\"x\":1"),
            ("\"expected\":true", "\"expected\":false"),
            ("jurex-lot/1", "jurex-lot/9"),
        ] {
            let other = json.replacen(from, to, 1);
            assert!(other != json && Statement::from_json(&other).is_err(), "{from}");
        }
        // A drive that has reached Clear, where its list requires Purge: it is no drive that is not sanitized, and not enough.
        lot.add(LotList::from_csv("serial,sensitivity,reuse,leaves\nA1,moderate,yes,yes\n").unwrap()).unwrap();
        let short = Statement::of(&lot, &lot.items(&jobs[..1], &[]), Timestamp::UNIX_EPOCH, statement.tool.clone());
        let line = &short.lines()[0];
        assert_eq!((line.outcome, line.required, line.is_enough()), (Some(Outcome::Clear), Some(Outcome::Purge), Some(false)));
        assert!(line.because.starts_with("Clear is less than the Purge that is required."), "{}", line.because);
        assert!(short.to_csv().contains("failed,Purge,Clear (demonstration: simulated),no,"), "{}", short.to_csv());
        let done =
            [("\"stand\":\"failed\"", "\"stand\":\"done\""), ("\"done\":0", "\"done\":1"), ("\"failed\":1", "\"failed\":0")];
        for changes in [&[("\"required\":\"purge\"", "\"required\":\"clear\"")][..], &done] {
            let other = changes.iter().fold(short.to_json(), |json, (from, to)| {
                assert!(json.contains(from), "{from}");
                json.replacen(from, to, 1)
            });
            assert!(Statement::from_json(&other).is_err(), "{changes:?}");
        }
        let csv = statement.to_csv();
        assert!(csv.contains("\r\nA1,'=1+1,Skerry,") && csv.contains("A2,,") && csv.contains("Confirmed"), "{csv}");
        assert_eq!(csv::Reader::from_reader(csv.as_bytes()).records().map(|r| r.unwrap().len()).collect::<Vec<_>>(), [16; 4]);
    }
}
