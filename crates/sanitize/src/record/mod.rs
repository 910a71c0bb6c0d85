//! The record of one job: evidence, the claim that follows from it, and the papers of the people who stand for it.

mod second;
mod v1;

pub use second::SecondLook;

use crate::contents::Contents;
use crate::evidence::{Drawn, Ended, Evidence, Expect, ReadBack, StageKind, USUAL, Unsound, fails};
use crate::need::{Need, Sensitivity};
use crate::plan::{NamedPasses, Plan, Verification};
use crate::residue::{Leftovers, before_and_after, before_and_after_said};
use crate::rules::{Claim, Edition, Outcome, judge, judge_by};
use crate::sampling::Sampling;
use crate::words::{ENGLISH_OF_VERSION_2, Said, Words};
use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::fmt;

/// Name and version of the format.
pub const FORMAT: &str = "jurex-record/3";
/// The one before it, whose claims are in words.
const IN_WORDS: &str = "jurex-record/2";

/// Name of a job: `261123-4F7QZ`. Also the start of its files' names, so it holds no character that a path could mean.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
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
        if right { Ok(Self(text)) } else { Err(BadJobId(jurex_pattern::text::printable(text.as_bytes()))) }
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
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Person {
    /// Name.
    pub name: String,
    /// Title or function.
    pub title: String,
    /// Organisation; empty: that of the certificate.
    pub organisation: String,
    /// Place of work.
    pub place: String,
    /// Telephone or other contact.
    pub contact: String,
}

impl Person {
    /// Every text.
    pub fn texts(&self) -> [&String; 5] {
        [&self.name, &self.title, &self.organisation, &self.place, &self.contact]
    }
}

/// Whether what was on the drive had been copied elsewhere.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
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
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
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
    /// Where the backup is.
    pub backup_place: String,
    /// Maker of the drive, where the drive itself does not tell it.
    pub maker: String,
    /// Anything else that is to stand on the certificate.
    pub notes: String,
    /// Who sanitized it.
    pub technician: Person,
    /// Who validated it.
    pub validator: Person,
    /// Where it goes.
    pub destination: String,
}

impl Papers {
    /// Every text that people have written.
    pub fn texts(&self) -> impl Iterator<Item = &String> {
        let own = [
            &self.organisation,
            &self.lot,
            &self.source,
            &self.property_number,
            &self.backup_place,
            &self.maker,
            &self.notes,
            &self.destination,
        ];
        own.into_iter().chain(self.technician.texts()).chain(self.validator.texts())
    }
}

/// The program that did the work.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Tool {
    /// Its name.
    pub name: String,
    /// Its version.
    pub version: String,
}

/// What was to be done.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
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
    /// Whether a mark was to be left on the drive after the proof.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub mark: bool,
}

/// The record. Its claim is computed from its evidence when it is made and again whenever it is read.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
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
    /// What a search for leftovers has found after it, where one was asked for. A finding, and nothing that a claim rests on.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub left: Option<Leftovers>,
    /// Whether this drive of its lot is to be looked at a second time; `None`: it earned nothing, or records of that time had no
    /// draw.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub second_look: Option<SecondLook>,
    /// What spoke against the ledger when the job ran, each in a sentence: it did not follow from the heads that were kept of it.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub ledger_doubts: Vec<String>,
    evidence: Evidence,
    rule_set: String,
    /// Digest of the rules by which it was judged; `None` in records of version 1.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    rules_digest: Option<String>,
    claim: Claim,
    /// What was read back and with what confidence that tells of the whole; records of version 2 say it nowhere.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    confidence: Option<Said>,
    /// What people add.
    papers: Papers,
    /// The text that an older version wrote, which its digest is of.
    #[serde(skip)]
    original: Option<Box<str>>,
}

#[derive(Deserialize)]
struct RecordHead {
    format: String,
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
    #[error("the record was judged by `{0}`: this version does not know these rules, and can't judge it")]
    OtherRules(String),
    /// It contradicts itself.
    #[error("the record has been altered: {0}")]
    Unsound(#[from] Unsound),
    /// It is that of another job than it is kept as.
    #[error("it is the record of job {0}, and was put in its place by other means")]
    OtherJob(JobId),
    /// The claim does not follow from the evidence.
    #[error(
        "the record claims {claimed}, but by the rules of this version its evidence gives {earned}{}",
        if *.same_rules { ": it has been altered" } else { ": it has been altered, or the rules have been corrected since it was made" }
    )]
    ClaimDoesNotFollow {
        /// What stands in the record.
        claimed: Outcome,
        /// What follows from its evidence.
        earned: Outcome,
        /// Whether it was judged by the very rules of this version.
        same_rules: bool,
    },
}

/// What whoever reads a record that nobody has signed must simply believe, and why nothing of it can be computed again: whoever writes it
/// anew in canonical form can put there what they like. The claim, its reasons and its limits follow from these by the rules.
pub const BELIEVED: [(&str, &str); 11] = [
    ("job, tool, started, ended", "when it was done and by which program: clocks and names are whoever's they are"),
    ("papers", "who did it, for whom, and what they remarked"),
    (
        "method: title, verification, retries, expected, mark",
        "what was ordered, but for its passes: those must be what was written",
    ),
    ("sessions: opened, closed, access, micros, by_list", "when and how the drive was kept open, and by whose list"),
    ("second_look", "whether a second check by another person was drawn"),
    ("sessions: drive", "which drive it was: serial, maker, model, bus, class of media, whether it is simulated"),
    ("sessions: drive.geometry, hidden, elsewhere", "how large it is and what it hides: the drive's own word, as it was asked"),
    ("laid, seed, unwritable, flushed, pace", "which sectors took what was written, made from which seed, and how fast"),
    ("read, wrong, unreadable, drawn, beside", "which sectors were read back, and how they compared"),
    ("commands, completed, at_work, deallocated, removal", "what a drive that erased itself was sent and answered"),
    ("stated, before, left, events", "what people stated of encryption, what was on the drive before and after"),
];

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
            mark: plan.leaves_mark(),
        };
        let claim = judge(plan.edition(), &evidence);
        // A clock that was set a little meanwhile makes no job that ended before its work did.
        let last = evidence.sessions.last().and_then(|s| s.closed);
        let (started, ended) = times;
        let ended = if evidence.clock_was_set_back() { ended } else { ended.max(started).max(last.unwrap_or(ended)) };
        let mut record = Self {
            format: FORMAT.into(),
            job,
            tool,
            started,
            ended,
            method,
            before,
            left: None,
            second_look: None,
            ledger_doubts: vec![],
            evidence,
            rule_set: plan.edition().title().into(),
            rules_digest: Some(plan.edition().digest()),
            claim,
            confidence: None,
            papers,
            original: None,
        };
        record.confidence = Some(record.confidence_as_data());
        record
    }

    /// Reads a record and judges its evidence again.
    ///
    /// # Errors
    /// Text that is no record, another format, or a claim that does not follow from the evidence.
    pub fn from_json(text: &str) -> Result<Self, BadRecord> {
        let head: RecordHead = serde_json::from_str(text).map_err(BadRecord::NotARecord)?;
        let mut record: Self = match head.format.as_str() {
            FORMAT | IN_WORDS => serde_json::from_str(text).map_err(BadRecord::NotARecord)?,
            v1::FORMAT => {
                let old = serde_json::from_str(text).map_err(BadRecord::NotARecord)?;
                let present = v1::to_present(old).ok_or(Unsound("it is not of the shape of its version"))?;
                // By its text, as every record is read: one way to read them is enough.
                serde_json::from_str(&present.to_string()).map_err(BadRecord::NotARecord)?
            }
            other => return Err(BadRecord::OtherFormat(jurex_pattern::text::printable(other.as_bytes()))),
        };
        if head.format == v1::FORMAT {
            record.original = Some(text.trim_end().into());
        }
        record.evidence.check_soundness()?;
        record.check_times()?;
        record.check_method()?;
        // Since version 3 each record names the rules that it was judged by.
        fails(head.format == FORMAT && record.rules_digest.is_none(), "it does not name the rules that it was judged by")?;
        let edition = Edition::of_title(&record.rule_set)
            .ok_or_else(|| BadRecord::OtherRules(jurex_pattern::text::printable(record.rule_set.as_bytes())))?;
        // Each record by the very rules that it was made by, word for word. Version 1 does not name them: its outcome must follow by today's.
        let earned = match &record.rules_digest {
            Some(digest) => {
                let unknown = || {
                    BadRecord::OtherRules(format!(
                        "{}, digest {}",
                        edition.title(),
                        jurex_pattern::text::printable(digest.as_bytes())
                    ))
                };
                judge_by(edition.rules_of(digest).ok_or_else(unknown)?, &record.evidence)
            }
            None => judge(edition, &record.evidence),
        };
        let same_rules = record.rules_digest.is_some();
        let follows = match head.format.as_str() {
            FORMAT => earned == record.claim && record.confidence == Some(record.confidence_as_data()),
            _ if same_rules => earned.in_words(&ENGLISH_OF_VERSION_2) == record.claim && record.confidence.is_none(),
            _ => earned.outcome() == record.claim.outcome(),
        };
        if follows {
            Ok(record)
        } else {
            Err(BadRecord::ClaimDoesNotFollow { claimed: record.claim.outcome(), earned: earned.outcome(), same_rules })
        }
    }

    /// Whether the passes that it names can be those that were written.
    fn check_method(&self) -> Result<(), Unsound> {
        let notation = self.method.notation.as_str();
        let Some(overwritten) = self.evidence.overwrite() else {
            let none_planned = !self.evidence.planned.contains(&StageKind::Overwrite);
            return fails(none_planned && !notation.is_empty(), "it names passes, and none was planned");
        };
        let named = NamedPasses::of(notation).ok_or(Unsound("the passes that it names are none"))?;
        let passes = &overwritten.passes;
        let fit = named.count() == overwritten.planned_passes as usize
            && named.can_have_laid(&passes.iter().map(|pass| &pass.pattern).collect::<Vec<_>>());
        fails(!fit, "the passes that it names are not those that were written")?;
        let by_design = passes.iter().zip(named.meant_complements()).all(|(pass, meant)| meant || !pass.complement_of_before);
        fails(!by_design, "passes are called a pair that its method does not mean as one")
    }

    /// Whether its beginning and end can be those of its evidence, where nobody has set the clock back meanwhile.
    fn check_times(&self) -> Result<(), Unsound> {
        if self.evidence.clock_was_set_back() {
            return Ok(());
        }
        let (opened, closed) = (self.evidence.sessions.first(), self.evidence.sessions.last().and_then(|s| s.closed));
        let wrong = [
            (self.ended < self.started, "it ended before it began"),
            (opened.is_some_and(|s| self.started > s.opened + USUAL), "it began after its drive was opened"),
            (closed.is_some_and(|closed| self.ended + USUAL < closed), "it ended before its drive was let go"),
        ];
        wrong.into_iter().try_for_each(|(wrong, why)| fails(wrong, why))
    }

    /// What is to be said of a record that was judged by another state of the rules than this version's.
    pub fn other_rules(&self) -> Option<String> {
        let today = self.outcome_by_other_rules()?;
        Some(format!(
            "It was judged by an earlier state of these rules, by which its outcome is {}. By today's it is {today}.",
            self.claim.outcome()
        ))
    }

    /// The outcome by the rules of today, where it was judged by an earlier state of them.
    pub fn outcome_by_other_rules(&self) -> Option<Outcome> {
        let edition = Edition::of_title(&self.rule_set)?;
        let same = self.rules_digest.as_ref() == Some(&edition.digest());
        (!same).then(|| judge(edition, &self.evidence).outcome())
    }

    /// The same as data, for papers.
    pub fn leftovers_said(&self) -> Option<Said> {
        before_and_after_said(self.before.left.as_deref(), self.left.as_ref())
    }

    /// What searches before and after it have found; `None`: there was none.
    pub fn leftovers(&self) -> Option<String> {
        before_and_after(self.before.left.as_deref(), self.left.as_ref())
    }

    /// What people add.
    pub fn papers(&self) -> &Papers {
        &self.papers
    }

    /// The same record with other papers. One of an older version is written in the present one then.
    #[must_use]
    pub fn with_papers(mut self, papers: Papers) -> Self {
        self.papers = papers;
        if self.original.take().is_some()
            && let Some(edition) = Edition::of_title(&self.rule_set)
        {
            self.format = FORMAT.into();
            self.claim = judge(edition, &self.evidence);
            self.rules_digest = Some(edition.digest());
            self.confidence = Some(self.confidence_as_data());
        }
        self
    }

    /// The record in canonical JSON (RFC 8785); one of an older version as it was written.
    pub fn to_json(&self) -> String {
        if let Some(original) = &self.original {
            return original.to_string();
        }
        serde_json_canonicalizer::to_string(self).expect("a record holds only strings, small numbers, lists and maps")
    }

    /// SHA-256 of the canonical JSON, in hexadecimal digits.
    pub fn digest(&self) -> String {
        jurex_pattern::text::hex::encode(&Sha256::digest(self.to_json().as_bytes()))
    }

    /// SHA-256 of the canonical JSON of its evidence, in hexadecimal digits. Papers that are filled in later leave it as it is.
    pub fn evidence_digest(&self) -> String {
        let json =
            serde_json_canonicalizer::to_vec(&self.evidence).expect("evidence holds only strings, small numbers, lists and maps");
        jurex_pattern::text::hex::encode(&Sha256::digest(&json))
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

    /// What was read back of the bytes that now lie on the drive, and what follows with what confidence, in sentences.
    pub fn confidence(&self) -> String {
        self.confidence_as_data().english()
    }

    /// The same in the words of another language.
    pub fn confidence_in(&self, words: &Words) -> String {
        words.say(&self.confidence_as_data())
    }

    /// The same as data.
    fn confidence_as_data(&self) -> Said {
        let range = self.evidence.range();
        let Some((read, what)) = self.proof() else { return Said::new("confidence.nothing") };
        let (n, wrong, unreadable) = (read.read.count(), read.wrong.count(), read.unreadable.count());
        let of = |code: &str| Said::new(format!("confidence.{code}")).number("read", n).number("all", range.count);
        // The places are drawn one by one, the sectors in them are not: only the number of places counts.
        let drawn = |code: &str, sampling: &Sampling| {
            of(code).number("places", Sampling::number_of_places(range)).text("seed", sampling.seed())
        };
        match (wrong, unreadable, &read.sampling) {
            // Also of a sample whose places lie so close that nothing is left between them.
            (0, 0, _) if n == range.count && read.is_complete(range) => {
                Said::new("confidence.all").number("sectors", range.count).said("what", what)
            }
            // Only sectors that held something before tell anything: nothing is said of all places.
            (0, 0, Some(sampling)) if self.compares_with_before() => drawn("compared", sampling).said("what", what),
            (0, 0, Some(sampling)) => {
                let chance = Sampling::confidence(range, self.evidence.drive().geometry);
                drawn("sample", sampling).said("what", what).said("chance", chance)
            }
            (wrong, unreadable, _) => of("faults").number("wrong", wrong).number("unreadable", unreadable),
        }
    }

    /// How the rules that it was judged by are read.
    fn reading(&self) -> u32 {
        let rules = || Edition::of_title(&self.rule_set)?.rules_of(self.rules_digest.as_deref()?);
        rules().map_or(1, |rules| rules.reading)
    }

    /// Whether the proof is that nothing is as it was.
    fn compares_with_before(&self) -> bool {
        let own = self.evidence.own_check().is_some_and(|c| c.expect == Expect::Changed);
        own && self.evidence.last_reading().is_none()
    }

    /// The reading of what lies on the drive now, and what it found if nothing was wrong.
    fn proof(&self) -> Option<(&ReadBack, Said)> {
        if let Some(read) = self.evidence.last_reading() {
            return Some((read, Said::new("found.last-pass")));
        }
        let check = self.evidence.own_check()?;
        let drawn = check.drawn.unwrap_or_default();
        let what = match check.expect {
            Expect::Changed => Said::new("found.changed")
                .number("compared", drawn.compared)
                .number("parts", drawn.parts)
                .number("all", Drawn::parts_of(check.range, self.reading()))
                .number("blank", drawn.blank_before),
            Expect::Blank => Said::new("found.blank"),
            Expect::Bytes { .. } | Expect::LastPass => Said::new("found.erasure"),
        };
        Some((&check.read_back, what))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::plan::{HowMuch, NativeOrder, Order};
    use crate::testing::record;
    use jurex_device::media::MediaClass;
    use jurex_device::technique::Technique;
    use jurex_device::testing::{Fixed, test_drive};
    use jurex_pattern::units::Sectors;

    #[test]
    fn a_record_survives_its_json_and_keeps_its_digest() {
        let record = record();
        let read = Record::from_json(&record.to_json()).unwrap();
        assert_eq!((read.digest(), &read, read.other_rules()), (record.digest(), &record, None));
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
        let words = json.replace("rule.overwrite.magnetic", "rule.overwrite.solid-state");
        assert!(matches!(Record::from_json(&words), Err(BadRecord::ClaimDoesNotFollow { same_rules: true, .. })));
        let surer = json.replace("\"code\":\"confidence.all\"", "\"code\":\"confidence.sample\"");
        assert!(
            words != json && surer != json && Record::from_json(&surer).is_err(),
            "how sure one may be follows from the evidence"
        );
        let half = "{\"count\":\"500\",\"first\":\"0\"}";
        let whole = "{\"count\":\"1000\",\"first\":\"0\"}";
        let twice = json.replace(&format!("[{whole}]"), &format!("[{half},{half}]"));
        assert!(twice != json && Record::from_json(&twice).is_err(), "the same half twice is not the whole");
        let elsewhere =
            json.replace(&format!("\"laid\":[{whole}]"), "\"laid\":[{\"count\":\"18446744073709551615\",\"first\":\"0\"}]");
        assert!(elsewhere != json && Record::from_json(&elsewhere).is_err());
        assert!(matches!(Record::from_json("{}"), Err(BadRecord::NotARecord(_))));
        for other in ["00 | ff | random", "random? x7", "00?", "random, 2 rounds", "random, then a pass of zeros"] {
            let other = json.replace("\"notation\":\"random?\"", &format!("\"notation\":\"{other}\""));
            let said = Record::from_json(&other).unwrap_err().to_string();
            assert!(other != json && said.contains("the passes that it names are not those that were written"), "{said}");
        }
        let endless = json
            .replace("\"notation\":\"random?\"", "\"notation\":\"random?, 4294967295 rounds\"")
            .replace("\"planned_passes\":1", "\"planned_passes\":4294967295");
        assert!(matches!(Record::from_json(&endless), Err(BadRecord::ClaimDoesNotFollow { .. })), "and costs no memory");
        let other = "{\"format\":\"jurex-record/9\",\"anything\":[]}";
        assert!(matches!(Record::from_json(other), Err(BadRecord::OtherFormat(_))), "the format is looked at first");
    }

    /// The record of a drive's own erasure of which a sample was read, and of passes after it.
    fn own_record(technique: Technique, then: Option<Order>) -> Record {
        let drive = test_drive(MediaClass::SolidState, 4_000_000);
        let answers = jurex_device::native::Capabilities::default();
        let how_much = Some(HowMuch::Sampled);
        let order = NativeOrder { how_much, then, ..NativeOrder::new(technique, &drive, &answers) };
        let plan = Plan::own(&drive, &order, &mut Fixed(7)).unwrap();
        let evidence = crate::plan::tests::faultless_of(&plan);
        let tool = Tool { name: "Jurex".into(), version: "0".into() };
        let now = Timestamp::UNIX_EPOCH;
        Record::new(JobId::new("261123", [1, 2, 3, 4]), tool, &plan, Contents::default(), evidence, (now, now), Papers::default())
    }

    #[test]
    fn of_a_sample_it_says_what_it_was_compared_with() {
        let sampled = || Order { verification: Verification::SAMPLED, ..Order::of_program("zeros", "00".parse().unwrap()) };
        let code = |technique, then| own_record(technique, then).confidence_as_data().code;
        assert_eq!(code(Technique::SanitizeCrypto, None), "confidence.compared", "with what lay there before");
        assert_eq!(code(Technique::SanitizeBlock, None), "confidence.sample");
        assert_eq!(code(Technique::SanitizeCrypto, Some(sampled())), "confidence.sample", "its passes are what lies there now");
    }

    #[test]
    fn what_searches_found_is_told_if_there_was_one() {
        let mut record = record();
        assert_eq!(record.leftovers(), None);
        let found = crate::residue::Leftovers {
            whole: true,
            read: 1000,
            of: 1000,
            blank_blocks: 0,
            text_blocks: 0,
            blocks: 1000,
            finds: vec![],
            complete: true,
        };
        record.left = Some(found);
        assert!(record.leftovers().is_some_and(|said| said.ends_with("; after: none found")), "{:?}", record.leftovers());
    }

    #[test]
    fn a_record_of_version_2_is_good_by_its_very_words_and_has_no_more() {
        let read = |change: &dyn Fn(&mut serde_json::Value)| {
            let text = include_str!("../../tests/records/v2/clear-with-size-check.json");
            let mut record: serde_json::Value = serde_json::from_str(text).unwrap();
            change(&mut record);
            Record::from_json(&record.to_string())
        };
        assert!(read(&|_| {}).is_ok());
        let other = read(&|r| r["claim"]["reasons"][0]["sentence"] = "It is as good as new.".into());
        assert!(matches!(other, Err(BadRecord::ClaimDoesNotFollow { same_rules: true, .. })), "{other:?}");
        let surer = serde_json::to_value(record().confidence_as_data()).unwrap();
        let more = read(&|r| r["confidence"] = surer.clone());
        assert!(matches!(more, Err(BadRecord::ClaimDoesNotFollow { same_rules: true, .. })), "{more:?}");
    }

    #[test]
    fn figures_that_no_job_can_have_are_refused_each_with_its_sentence() {
        let json = record().to_json();
        let whole = "{\"count\":\"1000\",\"first\":\"0\"}";
        let laid = |other: &str| json.replacen(&format!("\"laid\":[{whole}]"), &format!("\"laid\":[{other}]"), 1);
        let time = |field: &str, other: &str| {
            let at = json.rfind(&format!("\"{field}\":\"")).unwrap() + field.len() + 4;
            let end = at + json[at..].find('"').unwrap();
            format!("{}{other}{}", &json[..at], &json[end..])
        };
        fn passes(evidence: &mut serde_json::Value) -> &mut serde_json::Value {
            let stages = evidence["stages"].as_array_mut().unwrap();
            let stage = stages.iter_mut().find(|s| s.to_string().contains("passes")).unwrap();
            &mut stage["what"]["passes"]
        }
        let changed = |change: &dyn Fn(&mut serde_json::Value)| {
            let mut value: serde_json::Value = serde_json::from_str(&json).unwrap();
            change(&mut value["evidence"]);
            value.to_string()
        };
        for (altered, says) in [
            (laid("{\"count\":\"99999999\",\"first\":\"0\"}"), "a pass lies outside its range"),
            (laid("{\"count\":\"600\",\"first\":\"0\"},{\"count\":\"600\",\"first\":\"400\"}"), "not a record"),
            (time("started", "2031-01-01T00:00:00Z"), "it ended before it began"),
            (
                changed(&|e| {
                    e["sessions"][0]["closed"] = "1970-01-01T00:00:09Z".into();
                    passes(e)[0]["ended"] = "1960-01-01T00:00:00Z".into();
                }),
                "a pass ended before it began",
            ),
            (
                json.replacen("\"ended\":\"1970-01-01T00:00:00Z\"", "\"ended\":\"1960-01-01T00:00:00Z\"", 9),
                "it ended before it began",
            ),
            (
                changed(&|e| {
                    e["sessions"][0]["opened"] = "1980-01-01T00:00:00Z".into();
                    e["sessions"][0]["closed"] = "1980-01-01T01:00:00Z".into();
                }),
                "a pass was begun while its drive was not open",
            ),
            (
                changed(&|e| {
                    let mut other = e["sessions"][0].clone();
                    other["drive"]["unit"]["serial"] = "ANOTHER".into();
                    e["sessions"].as_array_mut().unwrap().push(other);
                }),
                "its sessions are on two drives",
            ),
            (
                changed(&|e| e["sessions"][0]["drive"]["geometry"]["logical"] = 513.into()),
                "its sectors are of a size that no drive has",
            ),
            (
                changed(&|e| e["sessions"][0]["drive"]["geometry"]["physical"] = 700.into()),
                "its sectors are of a size that no drive has",
            ),
            (
                changed(&|e| {
                    passes(e)[0]["pattern"] = serde_json::json!({ "kind": "bytes", "bytes": "" });
                }),
                "pattern",
            ),
        ] {
            assert_ne!(altered, json, "{says}");
            let said = Record::from_json(&altered).unwrap_err().to_string();
            assert!(said.contains(says), "{says}: {said}");
        }
    }

    /// Whatever can be changed in a record of one pass, and is read all the same, is named among what must be believed.
    #[test]
    fn nothing_that_can_be_changed_unseen_is_missing_in_the_table_of_what_is_believed() {
        use serde_json::Value;
        fn paths(value: &Value, at: &str, found: &mut Vec<String>) {
            match value {
                Value::Object(members) => members.iter().for_each(|(name, v)| paths(v, &format!("{at}/{name}"), found)),
                Value::Array(items) => items.iter().enumerate().for_each(|(n, v)| paths(v, &format!("{at}/{n}"), found)),
                _ => {}
            }
            found.push(at.into());
        }
        fn others(value: &Value) -> Vec<Value> {
            match value {
                Value::Bool(is) => vec![(!is).into()],
                Value::Number(n) => vec![(n.as_u64().unwrap_or(0) + 1).into(), 0.into()],
                Value::String(text) => match text.parse::<u64>() {
                    Ok(n) => vec![(n + 1).to_string().into(), n.saturating_sub(1).to_string().into()],
                    Err(_) => vec![format!("{text}0").into(), "".into()],
                },
                Value::Array(_) => vec![Value::Array(vec![])],
                Value::Object(_) | Value::Null => vec![],
            }
        }
        let is_canonical = |text: &str| Record::from_json(text).is_ok_and(|read| read.to_json() == text);
        let canonical = |value: &Value| serde_json_canonicalizer::to_string(value).unwrap();
        let believed: std::collections::BTreeSet<&str> =
            BELIEVED.iter().flat_map(|(fields, _)| fields.split([',', ':', '.', ' ']).filter(|part| !part.is_empty())).collect();
        let random = record();
        let stopped = crate::testing::stopped_record();
        for record in [&random, &stopped] {
            let json: Value = serde_json::from_str(&record.to_json()).unwrap();
            let mut all = vec![];
            paths(&json, "", &mut all);
            for path in all.iter().filter(|p| !p.is_empty()) {
                let (parent, name) = path.rsplit_once('/').unwrap();
                let mut changed: Vec<Value> = others(json.pointer(path).unwrap())
                    .into_iter()
                    .map(|other| {
                        let mut changed = json.clone();
                        *changed.pointer_mut(path).unwrap() = other;
                        changed
                    })
                    .collect();
                let mut without = json.clone();
                if let Some(members) = without.pointer_mut(parent).and_then(Value::as_object_mut) {
                    members.remove(name);
                    changed.push(without);
                }
                let unseen = changed.iter().filter(|c| **c != json).map(canonical).find(|text| is_canonical(text));
                let is_named = path.split('/').any(|part| believed.contains(part));
                assert!(unseen.is_none() || is_named, "{path} can be changed: {}", unseen.unwrap());
            }
        }
    }

    /// Somebody set the clock back, and the power went: what the job itself has left is read all the same.
    #[test]
    fn a_clock_that_was_set_back_in_a_session_that_was_cut_off_makes_no_record_unreadable() {
        let mut value: serde_json::Value = serde_json::from_str(&record().to_json()).unwrap();
        let mut later = value["evidence"]["sessions"][0].clone();
        value["evidence"]["sessions"][0].as_object_mut().unwrap().remove("closed");
        (later["opened"], later["closed"]) = ("1970-01-01T00:05:00Z".into(), "1970-01-01T00:06:00Z".into());
        value["evidence"]["sessions"].as_array_mut().unwrap().push(later);
        value["ended"] = "1970-01-01T00:07:00Z".into();
        let text = value.to_string().replace("\"ended\":\"1970-01-01T00:00:00Z\"", "\"ended\":\"1970-01-01T02:00:00Z\"");
        assert!(text.contains("02:00:00Z"));
        let evidence: crate::evidence::Evidence =
            serde_json::from_value(serde_json::from_str::<serde_json::Value>(&text).unwrap()["evidence"].clone()).unwrap();
        evidence.check_soundness().unwrap();
    }

    #[test]
    fn the_page_of_records_holds_the_table_of_what_is_believed() {
        let page = include_str!("../../../../docs/record.md");
        for (fields, what) in BELIEVED {
            assert!(page.contains(&format!("| `{fields}` | {what} |")), "{fields}");
        }
    }

    /// One bit of each byte in turn: what is still a record in its one form claims what it did, or less. What can be changed unseen is
    /// what people wrote, what the drive is called and the like: a signature tells that, and nothing else can.
    #[test]
    fn no_flipped_byte_of_a_record_makes_it_claim_more() {
        let (json, outcome) = (record().to_json(), record().claim().outcome());
        // One byte in five, and all of them in the long run.
        let every = if std::env::var_os("JUREX_EVERY_BYTE").is_some() { 1 } else { 5 };
        let (mut unseen, mut tried) = (0, 0);
        for at in (0..json.len()).step_by(every) {
            tried += 1;
            for bit in [1u8, 4, 16] {
                let mut bytes = json.clone().into_bytes();
                bytes[at] ^= bit;
                let Ok(altered) = String::from_utf8(bytes) else { continue };
                if let Ok(read) = Record::from_json(&altered)
                    && read.to_json() == altered
                {
                    unseen += 1;
                    assert!(read.claim().outcome() <= outcome, "byte {at}: {altered}");
                    assert_ne!(read.digest(), record().digest(), "its digest is another");
                }
            }
        }
        assert!(unseen < tried / 2, "{unseen} of {tried} bytes");
    }

    #[test]
    fn a_record_is_judged_by_its_own_rules_word_for_word_and_by_none_that_nobody_knows() {
        let edition = Edition::default();
        let mut record = record();
        let released = edition.released_digests();
        assert_eq!(released.len(), 4);
        let earlier = edition.rules_of(&released[0]).unwrap();
        (record.claim, record.rules_digest) = (judge_by(earlier, &record.evidence), Some(released[0].clone()));
        let json = record.to_json();
        assert!(json.contains("and read back right"), "its own words, which are others than today's: {json}");
        let read = Record::from_json(&json).unwrap();
        assert!(read.other_rules().unwrap().contains("By today's it is Clear"), "{:?}", read.other_rules());
        // No word of it can be another, its reasons and limits least of all.
        let more = json.replace("and read back right", "and destroyed beyond laboratory recovery");
        assert_ne!(more, json);
        let altered = Record::from_json(&more).unwrap_err();
        assert!(matches!(altered, BadRecord::ClaimDoesNotFollow { same_rules: true, .. }), "{altered}");
        // By a digest that nobody knows anything could be claimed: it can't be judged here.
        let unknown = more.replace(&released[0], &released[0].chars().rev().collect::<String>());
        let said = Record::from_json(&unknown).unwrap_err();
        assert!(matches!(said, BadRecord::OtherRules(_)) && said.to_string().contains("can't judge"), "{said}");
    }

    /// Records as version 1 of the format wrote them.
    #[test]
    fn records_of_version_1_stay_readable_and_are_judged_by_what_they_hold() {
        let read = |text: &str| Record::from_json(text);
        let clear = include_str!("../../tests/records/v1/magnetic-clear.json");
        let record = read(clear).unwrap();
        assert_eq!((record.claim().outcome(), record.to_json().as_str()), (Outcome::Clear, clear.trim_end()));
        assert!(record.other_rules().is_some() && record.confidence().starts_with("All"), "{}", record.confidence());
        let card = read(include_str!("../../tests/records/v1/card-two-passes.json")).unwrap();
        assert_eq!((card.claim().outcome(), card.evidence().passes().len()), (Outcome::Clear, 2));
        let failing = read(include_str!("../../tests/records/v1/magnetic-failing.json")).unwrap();
        assert_eq!((failing.claim().outcome(), failing.evidence().unwritable().count()), (Outcome::NotSanitized, 25));
        // One pass on embedded flash was called Clear then; the rules have been corrected since.
        let embedded = read(include_str!("../../tests/records/v1/embedded-one-pass.json")).unwrap_err();
        assert!(matches!(embedded, BadRecord::ClaimDoesNotFollow { same_rules: false, .. }), "{embedded}");
        let altered = clear.replace("\"wrong\":[]", "\"wrong\":[{\"count\":\"1\",\"first\":\"9\"}]");
        assert!(altered != clear && read(&altered).is_err());
        let signed = record.with_papers(Papers { lot: "BW-0417".into(), ..Papers::default() });
        assert!(read(&signed.to_json()).unwrap().other_rules().is_none(), "with new papers it is a record of today");
    }

    /// Records as version 2 of the format wrote them, before claims carried codes.
    #[test]
    fn records_of_version_2_stay_readable_word_for_word() {
        for (text, outcome) in [
            (include_str!("../../tests/records/v2/clear-with-size-check.json"), Outcome::Clear),
            (include_str!("../../tests/records/v2/card-by-its-own-erase.json"), Outcome::Purge),
            (include_str!("../../tests/records/v2/ata-sanitize-overwrite.json"), Outcome::Purge),
            (include_str!("../../tests/records/v2/nvme-sanitize-block.json"), Outcome::Purge),
            (include_str!("../../tests/records/v2/stick-not-sanitized.json"), Outcome::NotSanitized),
        ] {
            let record = Record::from_json(text).unwrap();
            assert_eq!((record.claim().outcome(), record.to_json().as_str()), (outcome, text.trim_end()));
        }
    }

    #[test]
    fn the_confidence_of_a_sample_counts_places_and_not_their_sectors() {
        let mut record = record();
        let range = Sectors::new(0, 10_000_000);
        record.evidence = crate::plan::tests::sampled(range);
        let said = record.confidence().replace('\u{202f}', " ");
        assert!(
            said.contains("2 000 places")
                && said.contains("1 in 668")
                && said.contains("10.2 MB or more")
                && said.contains("MB with 99 %"),
            "{said}"
        );
    }

    #[test]
    fn a_fault_breaks_the_plan_even_where_little_was_expected() {
        let mut record = record();
        record.method.expected = Outcome::NotSanitized;
        record.evidence.overwrite_mut().unwrap().passes[0].unwritable.insert(Sectors::new(5, 1));
        assert!(!record.kept_its_plan());
    }

    #[test]
    fn a_plan_is_kept_only_where_it_finished_was_proved_and_met_no_fault() {
        let with = |change: &dyn Fn(&mut serde_json::Value)| {
            let mut json: serde_json::Value = serde_json::from_str(&record().to_json()).unwrap();
            change(&mut json);
            // What is asked here is not whether it follows.
            serde_json::from_value::<Record>(json).unwrap().kept_its_plan()
        };
        fn stage(json: &mut serde_json::Value, n: usize) -> &mut serde_json::Value {
            &mut json["evidence"]["stages"][n]["what"]
        }
        let one = || serde_json::json!([{"first": "7", "count": "1"}]);
        assert!(with(&|_| {}));
        assert!(!with(&|r| r["evidence"]["ended"] = serde_json::json!({"how": "stopped"})));
        assert!(!with(&|r| r["method"]["verification"] = "none".into()));
        assert!(!with(&|r| r["method"]["expected"] = "purge".into()), "less than was promised");
        assert!(!with(&|r| stage(r, 0)["passes"][0]["unwritable"] = one()));
        assert!(!with(&|r| stage(r, 1)["unreadable"] = one()) && !with(&|r| stage(r, 1)["wrong"] = one()));
    }

    #[test]
    fn the_times_of_a_record_are_those_of_its_sessions_but_for_what_clocks_are_corrected_by() {
        let with = |started: &str, ended: &str| {
            let mut json: serde_json::Value = serde_json::from_str(&record().to_json()).unwrap();
            json["evidence"]["sessions"][0]["opened"] = "1970-01-01T00:01:00Z".into();
            json["evidence"]["sessions"][0]["closed"] = "1970-01-01T00:02:00Z".into();
            (json["started"], json["ended"]) =
                (format!("1970-01-01T00:{started}Z").into(), format!("1970-01-01T00:{ended}Z").into());
            serde_json::from_value::<Record>(json).unwrap().check_times().is_ok()
        };
        assert!(with("01:00", "02:00") && with("01:02", "01:58") && with("00:00", "09:00"));
        assert!(!with("01:03", "02:00"), "it began after its drive was opened");
        assert!(!with("01:00", "01:57"), "it ended before its drive was let go");
        assert!(!with("02:00", "01:59"), "it ended before it began");
    }

    #[test]
    fn a_record_names_its_rules_and_digests_its_evidence() {
        let (one, other) = (record(), crate::testing::stopped_record());
        assert_eq!((one.rule_set(), one.evidence_digest().len()), (Edition::default().title(), 64));
        assert_ne!(one.evidence_digest(), other.evidence_digest());
        assert_eq!(
            one.evidence_digest(),
            record().with_papers(Papers { lot: "BW-0417".into(), ..Papers::default() }).evidence_digest()
        );
        assert!(one.leftovers().is_none() && one.reading() == Edition::default().rules().reading);
    }

    #[test]
    fn whether_there_is_a_copy_elsewhere_is_said_in_a_word_or_two() {
        let said = [Backup::Yes, Backup::No, Backup::NotNeeded, Backup::Unknown].map(|b| b.to_string());
        assert_eq!(said, ["yes", "no", "not needed", "unknown"]);
    }

    #[test]
    fn job_names_are_safe_as_file_names() {
        assert_eq!(JobId::new("261123", [0x12, 0x34, 0x56, 0x78]).as_str(), "261123-RKN839");
        assert!(JobId::try_from("A".repeat(32)).is_ok() && JobId::try_from("A".repeat(33)).is_err());
        assert_eq!(JobId::new("261123", [1; 4]).to_string(), JobId::new("261123", [1; 4]).as_str());
        assert_eq!("261123-abc".parse::<JobId>().unwrap().as_str(), "261123-ABC");
        assert!(["../x", "a/b", "", "a b", "\u{1b}"].iter().all(|t| t.parse::<JobId>().is_err()));
        assert_eq!(JobId::new("261123", [0; 4]).as_str(), "261123-000000");
    }
}
