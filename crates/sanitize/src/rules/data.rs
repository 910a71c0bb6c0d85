//! The rules as data: one file for each edition, read once.

use super::Outcome;
use crate::words::{ENGLISH_OF_VERSION_2, Said};
use jurex_device::media::{Drive, MediaClass, Protocol};
use jurex_device::technique::{Condition, Technique};
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::sync::LazyLock;

/// Which edition of the rules a drive is judged by.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Edition {
    /// SP 800-88 Rev. 1 (December 2014), device tables of its Appendix A.
    Rev1,
    /// SP 800-88 Rev. 2 (September 2025) with the techniques of IEEE Std 2883-2022.
    #[default]
    Rev2,
}

impl Edition {
    /// Both editions.
    pub const ALL: [Edition; 2] = [Edition::Rev1, Edition::Rev2];

    fn text(self) -> &'static str {
        match self {
            Edition::Rev1 => include_str!("sp800-88-rev1.toml"),
            Edition::Rev2 => include_str!("sp800-88-rev2.toml"),
        }
    }

    /// Its rules as earlier versions of the program had them: records are judged by those that they were made by, word for word.
    fn released(self) -> &'static [&'static str] {
        match self {
            Edition::Rev1 => &[
                include_str!("released/rev1-reading-3.toml"),
                include_str!("released/rev1-reading-4.toml"),
                include_str!("released/rev1-reading-5.toml"),
                include_str!("released/rev1-reading-6.toml"),
            ],
            Edition::Rev2 => &[
                include_str!("released/rev2-reading-3.toml"),
                include_str!("released/rev2-reading-4.toml"),
                include_str!("released/rev2-reading-5.toml"),
                include_str!("released/rev2-reading-6.toml"),
            ],
        }
    }

    /// The digests of its earlier states, the oldest first.
    pub fn released_digests(self) -> Vec<String> {
        self.released().iter().map(|text| digest_of(text, &RuleSet::read(text))).collect()
    }

    /// The rules of that digest, of whichever version; `None`: this program does not know them.
    pub fn rules_of(self, digest: &str) -> Option<&'static RuleSet> {
        static RELEASED: LazyLock<Vec<(Edition, String, RuleSet)>> = LazyLock::new(|| {
            let all = Edition::ALL.into_iter().flat_map(|e| e.released().iter().map(move |text| (e, *text)));
            all.map(|(edition, text)| {
                let rules = RuleSet::read(text);
                (edition, digest_of(text, &rules), rules)
            })
            .collect()
        });
        if digest == self.digest() {
            return Some(self.rules());
        }
        RELEASED.iter().find(|(edition, of, _)| *edition == self && of == digest).map(|(.., rules)| rules)
    }

    /// Its rules.
    pub fn rules(self) -> &'static RuleSet {
        static REV1: LazyLock<RuleSet> = LazyLock::new(|| RuleSet::read(Edition::Rev1.text()));
        static REV2: LazyLock<RuleSet> = LazyLock::new(|| RuleSet::read(Edition::Rev2.text()));
        match self {
            Edition::Rev1 => &REV1,
            Edition::Rev2 => &REV2,
        }
    }

    /// SHA-256 of the rules as this version has them, in hexadecimal digits: of their text, and of the number that is
    /// raised when the program reads them otherwise. Two claims by rules of one digest must agree word for word.
    pub fn digest(self) -> String {
        digest_of(self.text(), self.rules())
    }

    /// Its name, as printed on certificates.
    pub fn title(self) -> &'static str {
        &self.rules().title
    }

    /// The edition of that printed name.
    pub fn of_title(title: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|e| e.title() == title)
    }
}

fn digest_of(text: &str, rules: &RuleSet) -> String {
    let mut digest = Sha256::new();
    digest.update(text);
    digest.update(rules.reading.to_string());
    jurex_pattern::text::hex::encode(&digest.finalize())
}

/// A kind of media as the rules tell them apart: class and native interface.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Media {
    /// Magnetic, ATA.
    MagneticAta,
    /// Magnetic, SCSI or SAS.
    MagneticScsi,
    /// Solid state, ATA.
    SolidStateAta,
    /// Solid state, SCSI or SAS.
    SolidStateScsi,
    /// Solid state, NVM Express.
    SolidStateNvme,
    /// USB stick or memory card.
    RemovableFlash,
    /// eMMC.
    EmbeddedFlash,
    /// Image file, loop device, a virtual machine's drive.
    Virtual,
    /// Optical media.
    Optical,
    /// Not known.
    Unknown,
}

impl Media {
    /// Every kind.
    pub const ALL: [Media; 10] = [
        Media::MagneticAta,
        Media::MagneticScsi,
        Media::SolidStateAta,
        Media::SolidStateScsi,
        Media::SolidStateNvme,
        Media::RemovableFlash,
        Media::EmbeddedFlash,
        Media::Virtual,
        Media::Optical,
        Media::Unknown,
    ];

    /// The kind that `drive` is.
    pub fn of(drive: &Drive) -> Self {
        Self::of_class(drive.class, drive.protocol)
    }

    /// Whether it keeps its bytes on platters.
    pub fn is_magnetic(self) -> bool {
        matches!(self, Media::MagneticAta | Media::MagneticScsi)
    }

    /// The kind that media of that class is, spoken to so.
    pub fn of_class(class: MediaClass, protocol: Protocol) -> Self {
        match (class, protocol) {
            (MediaClass::Magnetic, Protocol::Scsi) => Media::MagneticScsi,
            (MediaClass::Magnetic, _) => Media::MagneticAta,
            (MediaClass::SolidState, Protocol::Nvme { .. }) => Media::SolidStateNvme,
            (MediaClass::SolidState, Protocol::Scsi) => Media::SolidStateScsi,
            (MediaClass::SolidState, _) => Media::SolidStateAta,
            (MediaClass::RemovableFlash, _) => Media::RemovableFlash,
            (MediaClass::EmbeddedFlash, _) => Media::EmbeddedFlash,
            (MediaClass::Virtual, _) => Media::Virtual,
            (MediaClass::Optical, _) => Media::Optical,
            (MediaClass::Unknown, _) => Media::Unknown,
        }
    }

    /// Its name in rules and records.
    pub fn slug(self) -> String {
        jurex_pattern::text::serde_name(self)
    }

    /// Its name in words.
    pub fn name(self) -> &'static str {
        match self {
            Media::MagneticAta => "magnetic, ATA",
            Media::MagneticScsi => "magnetic, SCSI",
            Media::SolidStateAta => "solid state, ATA",
            Media::SolidStateScsi => "solid state, SCSI",
            Media::SolidStateNvme => "solid state, NVMe",
            Media::RemovableFlash => "USB stick, memory card",
            Media::EmbeddedFlash => "embedded flash",
            Media::Virtual => "virtual",
            Media::Optical => "optical",
            Media::Unknown => "unknown",
        }
    }
}

/// A kind of shortcoming of reach or evidence.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum LackKind {
    /// The job did not come to its end.
    EndedEarly,
    /// Only a part of the drive was covered.
    Part,
    /// The drive says that it has more sectors than it holds.
    SmallerThanTold,
    /// The drive hides sectors.
    Hidden,
    /// The drive was not asked whether it hides sectors.
    HiddenNotAsked,
    /// Sectors could not be written.
    Unwritable,
    /// Not every pass lies on every sector.
    PassMissing,
    /// The caches were not flushed.
    NotFlushed,
    /// Sectors were read back wrong.
    Wrong,
    /// Sectors could not be read back.
    Unreadable,
    /// Nothing was read back.
    NotReadBack,
    /// Less was read back than should have been.
    ReadInPart,
    /// A bridge hides the drive's own interface.
    BehindBridge,
    /// The unit holds user data elsewhere.
    Elsewhere,
    /// It was read back, or laid, under an earlier hold.
    EarlierHold,
    /// An embedded device removes data by a way of its maker's own, which nobody states to be confirmed.
    RemovalOfItsMaker,
}

impl LackKind {
    /// Every kind.
    pub const ALL: [LackKind; 16] = [
        LackKind::EndedEarly,
        LackKind::Part,
        LackKind::SmallerThanTold,
        LackKind::Hidden,
        LackKind::HiddenNotAsked,
        LackKind::Unwritable,
        LackKind::PassMissing,
        LackKind::NotFlushed,
        LackKind::Wrong,
        LackKind::Unreadable,
        LackKind::NotReadBack,
        LackKind::ReadInPart,
        LackKind::BehindBridge,
        LackKind::Elsewhere,
        LackKind::EarlierHold,
        LackKind::RemovalOfItsMaker,
    ];
}

/// From a technique on media to the outcome that it earns.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Rule {
    /// The technique.
    pub technique: Technique,
    /// The kinds of media that the rule is about.
    pub media: Vec<Media>,
    /// What it earns, if nothing is lacking.
    pub outcome: Outcome,
    /// What must also be true.
    #[serde(default)]
    pub needs: Vec<Condition>,
    /// Why: the code of a sentence.
    #[serde(default)]
    pub code: Option<String>,
    /// The sentence itself, in rules of earlier versions.
    #[serde(default)]
    sentence: Option<String>,
    /// Document and clause.
    pub citation: String,
}

impl Rule {
    /// Why, where that was read back.
    pub(super) fn says(&self, read: &Said) -> Wording {
        Wording::of(
            self.code.as_deref(),
            self.sentence.as_deref(),
            |s| s.said("read", read.clone()),
            |text| text.replace("{read}", &ENGLISH_OF_VERSION_2.say(read)),
        )
    }
}

/// What a shortcoming means: with it no outcome is earned.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct LackRule {
    /// The shortcoming.
    pub kind: LackKind,
    /// Techniques to which it matters; none named: to all.
    #[serde(default)]
    pub techniques: Vec<Technique>,
    /// The rule: the code of a sentence.
    #[serde(default)]
    pub code: Option<String>,
    /// The sentence itself, in rules of earlier versions.
    #[serde(default)]
    rule: Option<String>,
    /// Document and clause.
    pub citation: String,
}

impl LackRule {
    /// The rule itself.
    pub(super) fn says(&self) -> Wording {
        Wording::of(self.code.as_deref(), self.rule.as_deref(), |s| s, str::to_string)
    }
}

/// When an outcome has a limit.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum LimitWhen {
    /// Whenever media and technique fit.
    Always,
    /// Where a bridge stands before the drive.
    Bridged,
    /// Where the drive is simulated.
    Simulated,
    /// Where it was read back through the system's cache.
    Buffered,
    /// Where the unit has areas that no address reaches.
    Elsewhere,
    /// Where the same command reached other namespaces, which were not read back.
    ErasedUnread,
    /// Where a drive on SCSI does not tell whether its capacity was cut.
    CapacityNotAsked,
    /// The last pass is the same in every sector, so that one sector could have answered for another, and the size was not checked.
    SizeUnproved,
    /// The drive deallocated its sectors in its own erasure.
    Deallocated,
    /// An embedded device does not tell how it removes data.
    RemovalNotTold,
    /// It removes data by a way of its maker's own.
    RemovalOfItsMaker,
}

/// What an outcome does not cover.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct LimitRule {
    /// When.
    pub when: LimitWhen,
    /// On these media; none named: on all.
    #[serde(default)]
    pub media: Vec<Media>,
    /// By these techniques; none named: by all.
    #[serde(default)]
    pub techniques: Vec<Technique>,
    /// The limit: the code of a sentence.
    #[serde(default)]
    pub code: Option<String>,
    /// The sentence itself, in rules of earlier versions.
    #[serde(default)]
    sentence: Option<String>,
    /// Document and clause.
    pub citation: String,
}

impl LimitRule {
    /// The limit, which is of `what` where that is named.
    pub(super) fn says(&self, what: Option<&str>) -> Wording {
        let named = |said: Said| if let Some(what) = what { said.text("what", what) } else { said };
        Wording::of(self.code.as_deref(), self.sentence.as_deref(), named, |text| match what {
            Some(what) => format!("{text} It is: {what}."),
            None => text.into(),
        })
    }
}

/// What a rule says: a sentence by its code, or, in rules of earlier versions, word for word.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Wording {
    Said(Said),
    Text(String),
}

impl Wording {
    fn of(code: Option<&str>, sentence: Option<&str>, said: impl Fn(Said) -> Said, text: impl Fn(&str) -> String) -> Self {
        match code {
            Some(code) => Self::Said(said(Said::new(code))),
            None => Self::Text(text(sentence.unwrap_or_default())),
        }
    }
}

/// The rules of one edition.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct RuleSet {
    /// Name, as printed on certificates.
    pub title: String,
    /// Month and year.
    pub issued: String,
    /// How the program reads these rules: raised whenever the same rules and evidence lead to another claim than before.
    #[serde(default = "first_with_digests")]
    pub reading: u32,
    /// What each technique earns on each media.
    #[serde(rename = "rule")]
    pub rules: Vec<Rule>,
    /// What takes an outcome away.
    #[serde(rename = "lack")]
    pub lacks: Vec<LackRule>,
    /// What an outcome does not cover.
    #[serde(rename = "limit")]
    pub limits: Vec<LimitRule>,
}

/// The reading of rules that do not name theirs.
fn first_with_digests() -> u32 {
    3
}

impl RuleSet {
    fn read(text: &str) -> Self {
        toml::from_str(text).expect("the rule files are part of the program: a test reads them")
    }

    /// The rule for a technique on media; `None`: it earns nothing.
    pub fn rule(&self, media: Media, technique: Technique) -> Option<&Rule> {
        self.rules.iter().find(|r| r.technique == technique && r.media.contains(&media))
    }

    /// What a shortcoming means to a technique; `None`: nothing.
    pub fn lack(&self, kind: LackKind, technique: Technique) -> Option<&LackRule> {
        self.lacks.iter().find(|l| l.kind == kind && (l.techniques.is_empty() || l.techniques.contains(&technique)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_two_rules_answer_the_same_question_and_every_shortcoming_has_its_rule() {
        for edition in Edition::ALL {
            let rules = edition.rules();
            assert_eq!(Edition::of_title(&rules.title), Some(edition));
            for (media, technique) in Media::ALL.into_iter().flat_map(|m| Technique::ALL.map(|t| (m, t))) {
                let fitting = rules.rules.iter().filter(|r| r.technique == technique && r.media.contains(&media)).count();
                assert!(fitting <= 1, "{edition:?}: {media:?} {technique:?}");
                assert_eq!(media.is_magnetic(), media.name().starts_with("magnetic"), "{media:?}");
            }
            for text in edition.released() {
                let (rules, digest) = (RuleSet::read(text), digest_of(text, &RuleSet::read(text)));
                assert_eq!(
                    edition.rules_of(&digest).map(|r| r.reading),
                    Some(rules.reading),
                    "every released set is known by its digest"
                );
            }
            assert!(edition.rules_of("00").is_none() && edition.rules_of(&edition.digest()).is_some());
            for kind in LackKind::ALL {
                let fitting: Vec<_> = rules.lacks.iter().filter(|l| l.kind == kind).collect();
                assert!(fitting.len() == 1 && !fitting[0].citation.is_empty(), "{edition:?}: {kind:?}");
            }
        }
    }
}
