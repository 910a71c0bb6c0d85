//! The record of one job: evidence, the claim that follows from it, and the papers of the people who stand for it.

use crate::contents::Contents;
use crate::evidence::{Ended, Evidence};
use crate::need::{Need, Sensitivity};
use crate::plan::{Plan, Verification};
use crate::rules::{Claim, Edition, Outcome, judge};
use crate::sampling::wrong_share_at_most;
use crate::units::{counted, grouped};
use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::fmt;

/// Name and version of the format.
pub const FORMAT: &str = "jurex-record/1";

/// Name of a job: `261123-4F7QZ`. Also the start of its files' names, so it holds no character that a path could mean.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct JobId(String);

impl JobId {
    /// Letters and digits that cannot be taken for one another when read aloud or copied by hand.
    const ALPHABET: &[u8; 32] = b"0123456789ABCDEFGHJKMNPQRSTVWXYZ";

    /// A name from the day `YYMMDD` and four random bytes.
    pub fn new(day: &str, random: [u8; 4]) -> Self {
        let number = u32::from_be_bytes(random);
        let tail: String = (0..6).map(|i| Self::ALPHABET[(number >> (5 * i)) as usize & 31] as char).collect();
        Self(format!("{day}-{tail}"))
    }

    /// The name as text.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for JobId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl TryFrom<String> for JobId {
    type Error = BadJobId;

    fn try_from(text: String) -> Result<Self, BadJobId> {
        let text = text.trim().to_uppercase();
        let right = !text.is_empty() && text.len() <= 32 && text.chars().all(|c| c.is_ascii_alphanumeric() || c == '-');
        if right { Ok(Self(text)) } else { Err(BadJobId(crate::text::printable(text.as_bytes()))) }
    }
}

impl std::str::FromStr for JobId {
    type Err = BadJobId;

    fn from_str(text: &str) -> Result<Self, BadJobId> {
        text.to_string().try_into()
    }
}

impl From<JobId> for String {
    fn from(id: JobId) -> String {
        id.0
    }
}

/// Not the name of a job.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("`{0}` is not the name of a job; they look like 261123-4F7QZK")]
pub struct BadJobId(String);

/// Someone who stands for the work with their name.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Person {
    /// Name.
    pub name: String,
    /// Title or function.
    pub title: String,
    /// Place of work.
    pub place: String,
    /// Telephone or other contact.
    pub contact: String,
}

/// Whether what was on the drive had been copied elsewhere.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Backup {
    /// It was.
    Yes,
    /// It was not.
    No,
    /// There was nothing to keep.
    NotNeeded,
    /// Nobody said.
    #[default]
    Unknown,
}

impl fmt::Display for Backup {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Backup::Yes => "yes",
            Backup::No => "no",
            Backup::NotNeeded => "not needed",
            Backup::Unknown => "unknown",
        })
    }
}

/// The fields of a certificate that no machine can know (SP 800-88 Rev. 1, 4.8). Empty ones print as a line to fill in.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Papers {
    /// Organisation.
    pub organisation: String,
    /// Lot that the drive belongs to.
    pub lot: String,
    /// Where the drive comes from: user, computer, station.
    pub source: String,
    /// The organisation's own number for it.
    pub property_number: String,
    /// The three answers, if they were given.
    pub need: Option<Need>,
    /// Confidentiality category afterwards.
    pub category_after: Option<Sensitivity>,
    /// Whether it was backed up.
    pub backup: Backup,
    /// Who sanitized it.
    pub technician: Person,
    /// Who validated it.
    pub validator: Person,
    /// Where it goes.
    pub destination: String,
}

/// The program that did the work.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Tool {
    /// Its name.
    pub name: String,
    /// Its version.
    pub version: String,
}

/// What was to be done.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct MethodSaid {
    /// Title of the method.
    pub title: String,
    /// Its passes in the notation.
    pub notation: String,
    /// What was to be read back.
    pub verification: Verification,
    /// Tries of a failing sector after the first.
    pub retries: u32,
    /// What the plan said it would earn.
    pub expected: Outcome,
}

/// The record. Its claim is computed from its evidence when it is made and again whenever it is read.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Record {
    format: String,
    /// Name of the job.
    pub job: JobId,
    /// The program.
    pub tool: Tool,
    /// Start of the job.
    pub started: Timestamp,
    /// End of the job.
    pub ended: Timestamp,
    /// What was to be done.
    pub method: MethodSaid,
    /// What was on the drive before.
    pub before: Contents,
    evidence: Evidence,
    rule_set: String,
    claim: Claim,
    /// What people add.
    pub papers: Papers,
}

/// A text that is not a record, or one that contradicts itself.
#[derive(Debug, thiserror::Error)]
pub enum BadRecord {
    /// Not the JSON of a record.
    #[error("this is not a record of Jurex")]
    NotARecord(#[source] serde_json::Error),
    /// Another version of the format.
    #[error("the record's format is `{0}`; this version reads {FORMAT}")]
    OtherFormat(String),
    /// Judged by rules that this version does not have.
    #[error("the record was judged by `{0}`, which this version does not know")]
    OtherRules(String),
    /// The claim does not follow from the evidence.
    #[error("the record claims {claimed}, but its evidence earns {earned}: it has been altered, or was made under other rules")]
    ClaimDoesNotFollow {
        /// What stands in the record.
        claimed: Outcome,
        /// What follows from its evidence.
        earned: Outcome,
    },
}

impl Record {
    /// The record of a job that ran by `plan` and left `evidence`.
    pub fn new(
        job: JobId,
        tool: Tool,
        plan: &Plan,
        before: Contents,
        evidence: Evidence,
        times: (Timestamp, Timestamp),
        papers: Papers,
    ) -> Self {
        let method = MethodSaid {
            title: plan.title().into(),
            notation: plan.notation().into(),
            verification: plan.verification(),
            retries: plan.retries(),
            expected: plan.expected().outcome(),
        };
        let claim = judge(plan.edition(), &evidence);
        let (started, ended) = times;
        Self {
            format: FORMAT.into(),
            job,
            tool,
            started,
            ended,
            method,
            before,
            evidence,
            rule_set: plan.edition().title().into(),
            claim,
            papers,
        }
    }

    /// Reads a record and judges its evidence again.
    ///
    /// # Errors
    /// Text that is no record, another format, or a claim that does not follow from the evidence.
    pub fn from_json(text: &str) -> Result<Self, BadRecord> {
        let record: Self = serde_json::from_str(text).map_err(BadRecord::NotARecord)?;
        if record.format != FORMAT {
            return Err(BadRecord::OtherFormat(crate::text::printable(record.format.as_bytes())));
        }
        let edition = Edition::of_title(&record.rule_set)
            .ok_or_else(|| BadRecord::OtherRules(crate::text::printable(record.rule_set.as_bytes())))?;
        let earned = judge(edition, &record.evidence);
        if earned != record.claim {
            return Err(BadRecord::ClaimDoesNotFollow { claimed: record.claim.outcome(), earned: earned.outcome() });
        }
        Ok(record)
    }

    /// The record in canonical JSON (RFC 8785).
    pub fn to_json(&self) -> String {
        serde_json_canonicalizer::to_string(self).expect("a record holds only strings, small numbers, lists and maps")
    }

    /// SHA-256 of the canonical JSON, in hexadecimal digits.
    pub fn digest(&self) -> String {
        crate::text::hex::encode(&Sha256::digest(self.to_json().as_bytes()))
    }

    /// What was done and read back.
    pub fn evidence(&self) -> &Evidence {
        &self.evidence
    }

    /// What follows from it.
    pub fn claim(&self) -> &Claim {
        &self.claim
    }

    /// The rules by which it follows.
    pub fn rule_set(&self) -> &str {
        &self.rule_set
    }

    /// Whether the job finished, was proved, and earned at least what the plan said.
    pub fn kept_its_plan(&self) -> bool {
        self.evidence.ended == Ended::Finished
            && self.method.verification != Verification::None
            && self.claim.outcome() >= self.method.expected
            && self.evidence.unwritable().is_empty()
            && self.evidence.unreadable().is_empty()
            && self.evidence.wrong().is_empty()
    }

    /// What was read back of the bytes that now lie on the drive, and what follows with what confidence, in one sentence.
    pub fn confidence(&self) -> String {
        let range = self.evidence.range.count;
        let Some(read) = self.evidence.passes.last().and_then(|p| p.read_back.as_ref()) else {
            return "Nothing of the last pass was read back: nothing is proved.".into();
        };
        let (n, wrong) = (read.read.count(), read.wrong.count());
        match (wrong, read.unreadable.count()) {
            (0, 0) if n == range => {
                format!("All {} in question were read back and hold what the last pass laid.", counted(range, "sector"))
            }
            (0, 0) if read.sampling.is_some() => format!(
                "{} of {} were read back, at places drawn for this job, and hold what the last pass laid: with 95 % confidence \
                 fewer than {} of the sectors are wrong. Faults that lie close together are found less surely.",
                grouped(n),
                counted(range, "sector"),
                share(wrong_share_at_most(n).unwrap_or(1.0)),
            ),
            (wrong, unreadable) => format!(
                "{} of {} were read back; {} wrong, {} could not be read.",
                grouped(n),
                counted(range, "sector"),
                grouped(wrong),
                grouped(unreadable)
            ),
        }
    }
}

/// A small share in words: `1 in 3 000`.
fn share(share: f64) -> String {
    format!("1 in {}", grouped((1.0 / share.max(f64::MIN_POSITIVE)).floor() as u64))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::media::{MediaClass, test_drive};
    use crate::method;
    use crate::notation::Entropy;
    use crate::pattern::Pattern;
    use crate::plan::Order;
    use crate::rules::tests::faultless;
    use crate::units::Sectors;

    struct Nines;
    impl Entropy for Nines {
        fn fill(&mut self, out: &mut [u8]) {
            out.fill(9);
        }
    }

    fn record() -> Record {
        let plan =
            Plan::new(&test_drive(MediaClass::Magnetic, 1000), &Order::of_method(method::find("random").unwrap()), &mut Nines)
                .unwrap();
        let evidence = faultless(MediaClass::Magnetic, &[Pattern::random([9; 16])]);
        let tool = Tool { name: "Jurex".into(), version: "0".into() };
        let times = (Timestamp::UNIX_EPOCH, Timestamp::UNIX_EPOCH);
        Record::new(JobId::new("261123", [1, 2, 3, 4]), tool, &plan, Contents::default(), evidence, times, Papers::default())
    }

    #[test]
    fn a_record_survives_its_json_and_keeps_its_digest() {
        let record = record();
        let read = Record::from_json(&record.to_json()).unwrap();
        assert_eq!((read.digest(), &read), (record.digest(), &record));
        assert!(record.kept_its_plan());
    }

    #[test]
    fn an_altered_record_is_found_out() {
        let json = record().to_json();
        let better = json.replace("\"outcome\":\"clear\"", "\"outcome\":\"purge\"");
        assert_ne!(json, better);
        assert!(matches!(Record::from_json(&better), Err(BadRecord::ClaimDoesNotFollow { earned: Outcome::Clear, .. })));
        let faulty = json.replace("\"unwritable\":[]", "\"unwritable\":[{\"first\":\"7\",\"count\":\"1\"}]");
        assert!(matches!(Record::from_json(&faulty), Err(BadRecord::ClaimDoesNotFollow { earned: Outcome::NotSanitized, .. })));
        assert!(matches!(Record::from_json("{}"), Err(BadRecord::NotARecord(_))));
    }

    #[test]
    fn a_fault_breaks_the_plan_even_where_little_was_expected() {
        let mut record = record();
        record.method.expected = Outcome::NotSanitized;
        record.evidence.passes[0].unwritable.insert(Sectors::new(5, 1));
        assert!(!record.kept_its_plan());
    }

    #[test]
    fn job_names_are_safe_as_file_names() {
        assert_eq!("261123-abc".parse::<JobId>().unwrap().as_str(), "261123-ABC");
        assert!(["../x", "a/b", "", "a b", "\u{1b}"].iter().all(|t| t.parse::<JobId>().is_err()));
        assert_eq!(JobId::new("261123", [0; 4]).as_str(), "261123-000000");
    }
}
