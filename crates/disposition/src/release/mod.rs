//! What becomes of a drive after its job, and before it: who has it, where it lies, what was made of it. Each is stated by a person
//! or read back from the drive; none of it changes what the drive's record claims.

mod destruction;
mod prepare;
mod standing;

use destruction::DestructionRules;
pub use destruction::{Destruction, How, Named, Outside, judge_destruction};
pub use prepare::{
    Discarded, DiskLayout, FileSystem, LayoutError, Leave, Permit, PlannedVolume, PrepareOrder, PreparedDrive, TableScheme,
    TablesCleared, VolumeMade, ends_of,
};
pub use standing::{DriveStatus, JobSeen, OpenItem, Treated, Whereabouts};

use crate::erasure_tag::TagEvidence;
use jiff::Timestamp;
use jurex_device::media::{Drive, DriveLabel, Geometry, MediaClass, Protocol, Unit};
use jurex_sanitize::evidence::{Unsound, fails};
use jurex_sanitize::record::{JobId, Papers, Tool};
use jurex_sanitize::rules::{Claim, Edition, Media, Outcome};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

/// Name and version of the format.
pub const FORMAT: &str = "jurex-release/1";

/// The drive that it is about. It may be one that answers nothing any more: then it is known by its label.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OfDrive {
    /// What it says it is, or what its label says.
    pub unit: Unit,
    /// Class of media.
    pub class: MediaClass,
    /// What it is spoken to in.
    pub protocol: Protocol,
    /// Its size, if it told one.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub geometry: Option<Geometry>,
    /// Whether it is simulated.
    #[serde(skip_serializing_if = "std::ops::Not::not", default)]
    pub simulated: bool,
}

impl OfDrive {
    /// A drive that was looked at.
    pub fn of(drive: &Drive) -> Self {
        Self {
            unit: drive.unit.clone(),
            class: drive.class,
            protocol: drive.protocol,
            geometry: Some(drive.geometry),
            simulated: drive.simulated,
        }
    }

    /// One that is known by its label alone.
    pub fn by_label(serial: &str, class: MediaClass) -> Self {
        let unit = Unit { serial: Some(jurex_pattern::text::printable(serial.trim().as_bytes())), ..Unit::default() };
        Self { unit, class, protocol: Protocol::Block, geometry: None, simulated: false }
    }

    /// Maker, model and serial, as far as they are known.
    pub fn called(&self) -> String {
        let serial = self.unit.serial().map_or_else(|| "no serial".into(), |s| format!("serial {s}"));
        match self.unit.name() {
            Some(name) => format!("{name}, {serial}"),
            None => format!("{} drive, {serial}", self.class),
        }
    }

    /// Whether that text names this drive: its serial or the end of it, as its label says; of one without a serial the job that was on
    /// it.
    pub fn is_named_by(&self, typed: &str, job: Option<&JobId>) -> bool {
        match (self.unit.serial(), job) {
            (Some(serial), _) => DriveLabel::of_serial(serial).matches(typed),
            (None, Some(job)) => typed.trim().eq_ignore_ascii_case(job.as_str()),
            (None, None) => false,
        }
    }

    fn media(&self) -> Media {
        Media::of_class(self.class, self.protocol)
    }
}

/// What happened to it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "as")]
pub enum Act {
    /// It came in.
    Received {
        /// From whom.
        from: String,
    },
    /// It was brought to a bench.
    AtBench {
        /// Which.
        bench: String,
    },
    /// A mark was left on it.
    Marked(TagEvidence),
    /// It stays as its erasure left it.
    Blank,
    /// Its sectors were given back to it as unused; that erases nothing.
    Discarded(Discarded),
    /// It was made ready for its next user.
    Prepared(PreparedDrive),
    /// Its tables were cleared; that erases nothing.
    TablesCleared(TablesCleared),
    /// It was destroyed, or damaged.
    Destroyed(Destruction),
    /// It was given to a service that destroys it.
    SentOut {
        /// Who.
        service: String,
        /// The batch that it went with.
        batch: String,
    },
    /// It was put away.
    Stored {
        /// Shelf or box.
        place: String,
    },
    /// It went back to whom it came from.
    Returned {
        /// To whom.
        to: String,
    },
    /// It was handed to somebody.
    HandedOver {
        /// To whom.
        to: String,
    },
    /// An earlier statement is taken back. It stays where it is, and counts for nothing from now on.
    Withdrawn {
        /// SHA-256 of the statement, in hexadecimal digits.
        statement: String,
        /// Why.
        why: String,
    },
}

impl Act {
    /// Its name on the command line.
    pub fn slug(&self) -> &'static str {
        match self {
            Act::Received { .. } => "received",
            Act::AtBench { .. } => "at-bench",
            Act::Marked(_) => "marked",
            Act::Blank => "blank",
            Act::Discarded(_) => "discarded",
            Act::Prepared(_) => "prepared",
            Act::TablesCleared(_) => "tables-cleared",
            Act::Destroyed(_) => "destroyed",
            Act::SentOut { .. } => "sent-out",
            Act::Stored { .. } => "stored",
            Act::Returned { .. } => "returned",
            Act::HandedOver { .. } => "handed-over",
            Act::Withdrawn { .. } => "withdrawn",
        }
    }

    /// What happened, in a sentence.
    pub fn sentence(&self) -> String {
        let said = |what: &str, text: &str| if text.is_empty() { format!("{what}.") } else { format!("{what} {text}.") };
        match self {
            Act::Received { from } if from.is_empty() => "It came in.".into(),
            Act::Received { from } => format!("It came in from {from}."),
            Act::AtBench { bench } if bench.is_empty() => "It was brought to the bench.".into(),
            Act::AtBench { bench } => format!("It was brought to {bench}."),
            Act::Marked(marked) => marked.sentence(),
            Act::Blank => "It stays as its erasure has left it: without a table, without a volume.".into(),
            Act::Discarded(discarded) => discarded.sentence(),
            Act::Prepared(prepared) => prepared.sentence(),
            Act::TablesCleared(cleared) => cleared.sentence(),
            Act::Destroyed(destruction) => destruction.sentence(),
            Act::SentOut { service, batch } => {
                format!(
                    "It went to {service} with batch {batch}, to be destroyed there; their certificate has not come back yet."
                )
            }
            Act::Stored { place } => said("It was put away:", place),
            Act::Returned { to } => said("It went back to", to),
            Act::HandedOver { to } => said("It was handed to", to),
            Act::Withdrawn { statement, why } => {
                let short = statement.get(..8).unwrap_or(statement);
                format!("The statement {short} about it is withdrawn: {why}.")
            }
        }
    }

    fn texts(&self) -> Vec<&str> {
        match self {
            Act::Received { from: text }
            | Act::AtBench { bench: text }
            | Act::Stored { place: text }
            | Act::Returned { to: text }
            | Act::HandedOver { to: text } => vec![text],
            Act::SentOut { service, batch } => vec![service, batch],
            Act::Withdrawn { statement, why } => vec![statement, why],
            Act::Destroyed(destruction) => destruction.texts(),
            Act::Marked(_) | Act::Blank | Act::Discarded(_) | Act::Prepared(_) | Act::TablesCleared(_) => vec![],
        }
    }

    /// What must be said and was not.
    fn lacks(&self) -> Option<&'static str> {
        let empty = |text: &String| text.trim().is_empty();
        match self {
            Act::Stored { place } if empty(place) => Some("where it was put: a shelf or a box"),
            Act::Returned { to } | Act::HandedOver { to } if empty(to) => Some("to whom it went"),
            Act::SentOut { service, .. } if empty(service) => Some("which service it went to"),
            Act::SentOut { batch, .. } if empty(batch) => Some("the batch that it went with"),
            Act::Withdrawn { why, .. } if empty(why) => Some("why it is withdrawn"),
            Act::Withdrawn { statement, .. } if !is_digest(statement) => Some("which statement is withdrawn, by its digest"),
            Act::Destroyed(destruction) => destruction.lacks(),
            _ => None,
        }
    }

    /// What must be said of it today beyond that. Statements of earlier versions stay readable without.
    fn lacks_today(&self) -> Option<&'static str> {
        if let Act::Destroyed(destruction) = self { destruction.lacks_today() } else { None }
    }
}

fn is_digest(text: &str) -> bool {
    text.len() == 64 && text.bytes().all(|b| b.is_ascii_hexdigit())
}

/// One thing that became of a drive, with who says so. What follows from a destruction is computed when it is made and again whenever it
/// is read.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Release {
    format: String,
    /// The program.
    pub tool: Tool,
    /// When it was noted.
    pub made: Timestamp,
    /// Who says so.
    pub by: String,
    /// The drive.
    pub drive: OfDrive,
    /// The drive's newest job at that time, if it has one.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub job: Option<JobId>,
    /// SHA-256 of that job's record, if there is one.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub record: String,
    /// The drive's lot.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub lot: String,
    /// What people said of the drive when it came in or was erased: where it is from, its number, who validates. Of a destruction
    /// alone, whose paper says it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub papers: Option<Box<Papers>>,
    /// What happened.
    pub act: Act,
    /// The rules by which a destruction is judged.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    edition: Option<Edition>,
    /// What names the rules that a destruction was judged by; `None`: those that had no such name yet.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    rules_digest: Option<String>,
    /// What a destruction has earned.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    claim: Option<Claim>,
}

/// The people and things beside an act.
#[derive(Clone, Debug, PartialEq)]
pub struct Circumstances {
    /// The program.
    pub tool: Tool,
    /// When.
    pub made: Timestamp,
    /// Who says so.
    pub by: String,
    /// The drive.
    pub drive: OfDrive,
    /// Its newest job, with the digest of its record if there is one.
    pub job: Option<(JobId, String)>,
    /// Its lot.
    pub lot: String,
    /// What people said of it, if they did.
    pub papers: Option<Box<Papers>>,
}

/// A statement that can't be taken, or a text that is none.
#[derive(Debug, thiserror::Error)]
pub enum BadRelease {
    /// Something must be said.
    #[error("it is not said {0}")]
    Lacks(&'static str),
    /// A text with control characters, or a very long one.
    #[error("`{0}` is no text for it: at most 200 characters, none of them a control character")]
    BadText(String),
    /// Nobody could find the drive again.
    #[error("the drive has no serial number and no job: nobody could find it again by that")]
    Nameless,
    /// Not the JSON of one.
    #[error("this is not a release statement of Jurex")]
    NotOne(#[source] serde_json::Error),
    /// Another version of the format.
    #[error("the release statement's format is `{0}`; this version reads {FORMAT}")]
    OtherFormat(String),
    /// Judged by rules that this version does not have.
    #[error("the statement was judged by rules of digest {0}, which this version does not know: it can't be judged here")]
    OtherRules(String),
    /// It contradicts itself.
    #[error("the release statement has been altered: {0}")]
    Unsound(#[from] Unsound),
}

/// Whether anything can be noted of that drive by that person: asked before something is done to it.
///
/// # Errors
/// Nobody is named, or nobody could find the drive again.
pub fn check_who(by: &str, drive: &OfDrive, job: Option<&JobId>) -> Result<(), BadRelease> {
    if by.trim().is_empty() {
        return Err(BadRelease::Lacks("who says so: name the technician in the configuration, or with --by"));
    }
    if drive.unit.serial().is_none() && job.is_none() {
        return Err(BadRelease::Nameless);
    }
    Ok(())
}

/// Those of them, in order, that nothing later has withdrawn; what withdraws is itself among them.
pub fn in_force(releases: &[Release]) -> Vec<&Release> {
    let mut withdrawn: Vec<&str> = vec![];
    let mut standing = vec![];
    let any = releases.iter().any(|r| matches!(r.act, Act::Withdrawn { .. }));
    for release in releases.iter().rev() {
        // A digest costs something, and hardly anything is ever withdrawn.
        if any && withdrawn.contains(&release.digest().as_str()) {
            continue;
        }
        if let Act::Withdrawn { statement, .. } = &release.act {
            withdrawn.push(statement);
        }
        standing.push(release);
    }
    standing.reverse();
    standing
}

#[derive(Deserialize)]
struct ReleaseHead {
    format: String,
}

impl Release {
    /// Notes an act. What a destruction earns is judged by `edition`.
    ///
    /// # Errors
    /// Something that must be said is not, or can't be kept.
    pub fn new(about: Circumstances, act: Act, edition: Edition) -> Result<Self, BadRelease> {
        let Circumstances { tool, made, by, drive, job, lot, papers } = about;
        let (job, record) = job.map_or((None, String::new()), |(job, digest)| (Some(job), digest));
        let judged = matches!(act, Act::Destroyed(_)).then_some(edition);
        let mut release = Self {
            format: FORMAT.into(),
            tool,
            made,
            by,
            drive,
            job,
            record,
            lot,
            papers: papers.filter(|_| judged.is_some()),
            act,
            edition: judged,
            rules_digest: None,
            claim: None,
        };
        release.rules_digest = judged.map(DestructionRules::digest);
        release.claim = release.judged();
        release.check()?;
        if let Some(what) = release.act.lacks_today() {
            return Err(BadRelease::Lacks(what));
        }
        Ok(release)
    }

    fn judged(&self) -> Option<Claim> {
        match (&self.act, self.edition) {
            (Act::Destroyed(destruction), Some(edition)) => Some(judge_destruction(edition, self.drive.media(), destruction)),
            _ => None,
        }
    }

    /// What it claims by the very rules that it was made by.
    fn judged_by_its_own(&self) -> Result<Option<Claim>, BadRelease> {
        let (Act::Destroyed(destruction), Some(edition)) = (&self.act, self.edition) else { return Ok(None) };
        let rules = DestructionRules::of(edition, self.rules_digest.as_deref());
        let unknown =
            || BadRelease::OtherRules(jurex_pattern::text::printable(self.rules_digest.as_deref().unwrap_or("none").as_bytes()));
        Ok(Some(destruction::judge_by(&rules.ok_or_else(unknown)?, edition, self.drive.media(), destruction)))
    }

    /// What it claims as data, by the very rules that it was made by: for papers in other languages. `None`: it claims nothing, or these
    /// rules are not known here.
    pub fn claim_as_data(&self) -> Option<Claim> {
        let (Act::Destroyed(destruction), Some(edition)) = (&self.act, self.edition) else { return None };
        let rules = DestructionRules::of(edition, self.rules_digest.as_deref())?;
        Some(destruction::judge_as_data(&rules, edition, self.drive.media(), destruction))
    }

    fn check(&self) -> Result<(), BadRelease> {
        check_who(&self.by, &self.drive, self.job.as_ref())?;
        if let Some(what) = self.act.lacks() {
            return Err(BadRelease::Lacks(what));
        }
        let serial = self.drive.unit.serial.as_deref();
        let of_papers = self.papers.iter().flat_map(|papers| papers.texts()).map(String::as_str);
        let own = [self.by.as_str(), self.lot.as_str()];
        let texts = self.act.texts().into_iter().chain(own).chain(of_papers).chain(serial);
        for text in texts {
            if text.chars().count() > 200 || text.chars().any(char::is_control) {
                return Err(BadRelease::BadText(jurex_pattern::text::printable(text.as_bytes()).chars().take(60).collect()));
            }
        }
        Ok(())
    }

    /// Reads one and judges it again.
    ///
    /// # Errors
    /// Text that is none, another format, or a claim that does not follow.
    pub fn from_json(text: &str) -> Result<Self, BadRelease> {
        let head: ReleaseHead = serde_json::from_str(text).map_err(BadRelease::NotOne)?;
        if head.format != FORMAT {
            return Err(BadRelease::OtherFormat(jurex_pattern::text::printable(head.format.as_bytes())));
        }
        let read: Self = serde_json::from_str(text).map_err(BadRelease::NotOne)?;
        read.check()?;
        let is_destroyed = matches!(read.act, Act::Destroyed(_));
        fails(is_destroyed != read.edition.is_some(), "it names rules for what no rule judges, or none for a destruction")?;
        // Word for word: its reasons and limits are no free text either.
        fails(read.judged_by_its_own()? != read.claim, "what it claims does not follow from what is stated")?;
        if let Act::Marked(marked) = &read.act {
            marked.check(read.drive.geometry)?;
        }
        Ok(read)
    }

    /// In canonical JSON (RFC 8785).
    pub fn to_json(&self) -> String {
        serde_json_canonicalizer::to_string(self).expect("it holds only strings, small numbers, lists and maps")
    }

    /// SHA-256 of the canonical JSON, in hexadecimal digits.
    pub fn digest(&self) -> String {
        jurex_pattern::text::hex::encode(&Sha256::digest(self.to_json().as_bytes()))
    }

    /// What a destruction has earned; `None`: this is none.
    pub fn claim(&self) -> Option<&Claim> {
        self.claim.as_ref()
    }

    /// The rules that a destruction was judged by.
    pub fn edition(&self) -> Option<Edition> {
        self.edition
    }

    /// What a destruction has earned, in a word; of all else nothing.
    pub fn outcome(&self) -> Option<Outcome> {
        self.claim.as_ref().map(Claim::outcome)
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;

    pub(crate) fn about(class: MediaClass) -> Circumstances {
        Circumstances {
            tool: Tool { name: "Jurex".into(), version: "0".into() },
            made: "2026-11-26T12:00:00Z".parse().unwrap(),
            by: "Ines".into(),
            drive: OfDrive::by_label("FM05T2R88C", class),
            job: None,
            lot: "BW-0417".into(),
            papers: None,
        }
    }

    #[test]
    fn a_statement_is_read_as_it_was_written_and_claims_nothing_that_it_did_not_earn() {
        let shredded = Destruction { particle_mm: Some(10.0), ..Destruction::by(How::Shredded) };
        let release = |edition| Release::new(about(MediaClass::Magnetic), Act::Destroyed(shredded.clone()), edition).unwrap();
        let rev1 = release(Edition::Rev1);
        assert_eq!((rev1.outcome(), release(Edition::Rev2).outcome()), (Some(Outcome::Destroy), Some(Outcome::NotSanitized)));
        let json = rev1.to_json();
        assert_eq!(Release::from_json(&json).unwrap(), rev1);
        for (from, to, why) in [
            ("\"shredded\"", "\"drilled\"", "pieces of a size"),
            ("\"edition\":\"rev1\"", "\"edition\":\"rev2\"", "can't be judged here"),
            ("The media were", "Beyond all laboratories the media were", "does not follow"),
            ("\"magnetic\"", "\"removable-flash\"", "does not follow"),
            ("jurex-release/1", "jurex-release/9", "jurex-release/9"),
            ("\"by\":\"Ines\"", "\"by\":\" \"", "who says so"),
            ("\"lot\":\"BW-0417\"", "\"lot\":\"\\u001b\"", "no text"),
        ] {
            let altered = json.replace(from, to);
            assert_ne!(altered, json, "{from}");
            let said = Release::from_json(&altered).unwrap_err().to_string();
            assert!(said.contains(why), "{from}: {said}");
        }
        // One of the first version, which named no rules, is judged by those, word for word too.
        let earlier = json.replace(&format!(",\"rules_digest\":\"{}\"", DestructionRules::digest(Edition::Rev1)), "");
        assert_ne!(earlier, json);
        assert_eq!(Release::from_json(&earlier).unwrap().outcome(), Some(Outcome::Destroy));
        assert!(Release::from_json(&earlier.replace("The media were", "All media were")).is_err());
        // Earlier versions asked for neither a place nor a witness: what they wrote stays readable.
        let sparse = Destruction { by: "Ines".into(), particle_mm: Some(10.0), ..Destruction::of(How::Shredded) };
        let mut sparse = Release { act: Act::Destroyed(sparse), ..rev1.clone() };
        sparse.claim = sparse.judged();
        assert_eq!(Release::from_json(&sparse.to_json()).unwrap().outcome(), Some(Outcome::Destroy));
        let bare = json.replace(",\"edition\":\"rev1\"", "");
        assert!(Release::from_json(&bare).unwrap_err().to_string().contains("rules"));
    }

    #[test]
    fn what_must_be_said_is_asked_for() {
        let new = |act| Release::new(about(MediaClass::Magnetic), act, Edition::Rev2);
        for (act, why) in [
            (Act::Stored { place: " ".into() }, "where it was put"),
            (Act::Returned { to: String::new() }, "to whom"),
            (Act::HandedOver { to: String::new() }, "to whom"),
            (Act::SentOut { service: "x".into(), batch: String::new() }, "batch"),
            (Act::Destroyed(Destruction { by: String::new(), ..Destruction::by(How::Drilled) }), "who did it"),
            (Act::Destroyed(Destruction { place: String::new(), ..Destruction::by(How::Drilled) }), "where it was done"),
            (Act::Destroyed(Destruction { witness: String::new(), ..Destruction::by(How::Drilled) }), "who saw it"),
            (Act::Destroyed(Destruction { named: None, ..Destruction::by(How::Drilled) }), "label"),
            (Act::Withdrawn { statement: "x".into(), why: "a wrong drive".into() }, "which statement"),
            (Act::Withdrawn { statement: "0".repeat(64), why: " ".into() }, "why"),
        ] {
            assert!(new(act).unwrap_err().to_string().contains(why), "{why}");
        }
        let nameless = Circumstances { drive: OfDrive::by_label("", MediaClass::Unknown), ..about(MediaClass::Unknown) };
        assert!(matches!(Release::new(nameless, Act::Blank, Edition::Rev2), Err(BadRelease::Nameless)));
    }
}
