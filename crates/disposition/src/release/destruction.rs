//! A destruction as people state it, and what follows from that by the rules.

use jurex_sanitize::rules::{Case, Claim, Condition, Edition, Media, Reason, RuleSet, Technique, evaluate_stated};
use jurex_sanitize::words::{ENGLISH_OF_VERSION_2, Said};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::sync::LazyLock;

/// What was done to it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum How {
    /// Torn into small pieces by a disintegrator.
    Disintegrated,
    /// Cut into strips or pieces by a shredder.
    Shredded,
    /// Ground to powder.
    Pulverized,
    /// Burnt in a licensed incinerator.
    Incinerated,
    /// Melted down.
    Melted,
    /// Pressed flat.
    Crushed,
    /// Drilled through.
    Drilled,
    /// Sawn or cut apart.
    Cut,
    /// Bent.
    Bent,
    /// Put through a degausser.
    Degaussed,
}

impl How {
    /// Every way.
    pub const ALL: [How; 10] = [
        How::Disintegrated,
        How::Shredded,
        How::Pulverized,
        How::Incinerated,
        How::Melted,
        How::Crushed,
        How::Drilled,
        How::Cut,
        How::Bent,
        How::Degaussed,
    ];

    /// Its word, on the command line and in sentences.
    pub fn word(self) -> &'static str {
        match self {
            How::Disintegrated => "disintegrated",
            How::Shredded => "shredded",
            How::Pulverized => "pulverized",
            How::Incinerated => "incinerated",
            How::Melted => "melted",
            How::Crushed => "crushed",
            How::Drilled => "drilled",
            How::Cut => "cut",
            How::Bent => "bent",
            How::Degaussed => "degaussed",
        }
    }

    /// Whether it leaves pieces whose size tells how much may still be read.
    pub fn leaves_pieces(self) -> bool {
        matches!(self, How::Disintegrated | How::Shredded | How::Pulverized)
    }

    /// What protects the person, in one line.
    pub fn protects(self) -> &'static str {
        match self {
            How::Disintegrated | How::Shredded | How::Pulverized => {
                "Goggles, gloves, ear protection, and extraction or a mask against dust; take batteries out first: they catch fire."
            }
            How::Incinerated | How::Melted => {
                "Only in a licensed furnace: fumes of boards and plastics are poisonous; take batteries out first: they burst."
            }
            How::Crushed | How::Drilled | How::Cut | How::Bent => {
                "Goggles and gloves, the drive in a clamp: platters of glass burst; keep out of batteries, and do not breathe the dust."
            }
            How::Degaussed => {
                "Keep people with pacemakers or implants well away, and watches, cards and tools of steel off the degausser."
            }
        }
    }
}

/// A service outside that did it, with the certificate that came back.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Outside {
    /// Who.
    pub service: String,
    /// The batch that the drive went with.
    pub batch: String,
    /// Number of their certificate.
    pub certificate: String,
}

/// How it was made sure that the statement is of this drive.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Named {
    /// Its serial was typed or scanned from its label.
    Label,
    /// It went away with a batch, and the batch was named.
    Batch,
}

/// A destruction, as it is stated.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Destruction {
    /// What was done.
    pub how: How,
    /// Largest piece that is left, in millimetres.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub particle_mm: Option<f64>,
    /// Field of the degausser in oersted.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub field_oersted: Option<u32>,
    /// Coercivity of the drive in oersted.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub coercivity_oersted: Option<u32>,
    /// Whether it is stated that the degausser is rated for this drive, which is neither hybrid nor heat-assisted.
    #[serde(skip_serializing_if = "std::ops::Not::not", default)]
    pub rated: bool,
    /// The machine, by its maker's and model's name.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub machine: String,
    /// Where.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub place: String,
    /// Who did it.
    pub by: String,
    /// Who saw it.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub witness: String,
    /// The batch of drives that were destroyed together, at the place itself.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub batch: String,
    /// How it was made sure that it is this drive; `None`: an earlier version did not ask.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub named: Option<Named>,
    /// SHA-256 of a photograph, in hexadecimal digits.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub photo: String,
    /// The service that did it, if it was done outside.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub outside: Option<Outside>,
}

impl Destruction {
    /// One of which nothing else is said but by whom.
    #[cfg(test)]
    pub(crate) fn by(how: How) -> Self {
        let said = |text: &str| text.to_string();
        Self { by: said("Ines"), place: said("the yard"), witness: said("Odile"), named: Some(Named::Label), ..Self::of(how) }
    }

    /// One of which nothing else is said.
    pub fn of(how: How) -> Self {
        Self {
            how,
            particle_mm: None,
            field_oersted: None,
            coercivity_oersted: None,
            rated: false,
            machine: String::new(),
            place: String::new(),
            by: String::new(),
            witness: String::new(),
            batch: String::new(),
            named: None,
            photo: String::new(),
            outside: None,
        }
    }

    pub(super) fn texts(&self) -> Vec<&str> {
        let outside = self.outside.iter().flat_map(|o| [&o.service, &o.batch, &o.certificate]);
        let own = [&self.machine, &self.place, &self.by, &self.witness, &self.batch, &self.photo];
        own.into_iter().chain(outside).map(String::as_str).collect()
    }

    pub(super) fn lacks(&self) -> Option<&'static str> {
        let size = self.particle_mm.is_some_and(|mm| !mm.is_finite() || mm <= 0.0);
        let of_degausser = self.field_oersted.is_some() || self.coercivity_oersted.is_some() || self.rated;
        match &self.outside {
            _ if self.by.trim().is_empty() => Some("who did it"),
            _ if size => Some("a size of pieces above zero, in millimetres"),
            _ if self.particle_mm.is_some() && !self.how.leaves_pieces() => Some("of what there would be pieces of a size"),
            _ if of_degausser && self.how != How::Degaussed => Some("which degausser that field would be of"),
            _ if !self.photo.is_empty() && !super::is_digest(&self.photo) => {
                Some("a digest of the photograph in 64 hexadecimal digits")
            }
            Some(outside) if outside.service.trim().is_empty() => Some("which service did it"),
            Some(outside) if outside.certificate.trim().is_empty() => Some("the number of the service's certificate"),
            _ => None,
        }
    }

    /// What is asked for since statements are taken only of a drive that was named, with somebody or something beside the word of one
    /// person.
    pub(super) fn lacks_today(&self) -> Option<&'static str> {
        let empty = |text: &str| text.trim().is_empty();
        let batch = self.outside.as_ref().map_or("", |o| &o.batch);
        match self {
            _ if self.named.is_none() => Some("which drive it is: type or scan the serial on its label (--label-check)"),
            _ if self.outside.is_none() && empty(&self.place) => Some("where it was done (--place)"),
            _ if empty(&self.witness) && empty(&self.batch) && empty(batch) => {
                Some("who saw it (--witness), or the batch of drives that it was destroyed with (--batch)")
            }
            _ => None,
        }
    }

    /// What was done, in a sentence.
    pub fn sentence(&self) -> String {
        let mut said = format!("It was {}", self.how.word());
        if let Some(mm) = self.particle_mm {
            said += &format!(" to pieces of at most {mm} mm");
        }
        match (self.field_oersted, self.coercivity_oersted) {
            (Some(field), Some(coercivity)) => said += &format!(" with {field} Oe, its coercivity being {coercivity} Oe"),
            (Some(field), None) => said += &format!(" with {field} Oe"),
            (None, _) => {}
        }
        for (word, text) in [("by", &self.by), ("with", &self.machine), ("at", &self.place)] {
            if !text.is_empty() {
                said += &format!(" {word} {text}");
            }
        }
        if let Some(outside) = &self.outside {
            said += &format!(" (service {}, batch {}, certificate {})", outside.service, outside.batch, outside.certificate);
        }
        if !self.batch.is_empty() {
            said += &format!(" with batch {}", self.batch);
        }
        if !self.witness.is_empty() {
            said += &format!("; {} saw it", self.witness);
        }
        said + "."
    }

    /// Whether the degausser is known to be strong enough for the drive, by rules of that reading. A field like the coercivity demagnetises
    /// and does not saturate: it must be well above, and both numbers must be known.
    fn is_rated(&self, reading: u32) -> bool {
        let strong_enough = match (self.field_oersted, self.coercivity_oersted) {
            (Some(field), Some(coercivity)) if reading >= 2 => field.saturating_mul(2) >= coercivity.saturating_mul(3),
            (Some(field), Some(coercivity)) => field >= coercivity,
            (Some(_), None) => reading < 2,
            (None, _) => false,
        };
        self.rated && strong_enough
    }
}

/// What an edition says of a way.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct EditionVerdict {
    edition: Edition,
    how: Vec<How>,
    destroys: bool,
    sentence: String,
    citation: String,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Verdicts {
    #[serde(default)]
    reading: u32,
    /// Of the first reading: pieces of media that are not magnetic larger than this may hold a whole chip.
    #[serde(default)]
    flash_mm: f64,
    #[serde(default)]
    flash_sentence: String,
    #[serde(default)]
    flash_citation: String,
    no_size_sentence: String,
    no_size_citation: String,
    #[serde(default)]
    virtual_sentence: String,
    #[serde(default)]
    virtual_citation: String,
    #[serde(default)]
    size: Vec<PieceSize>,
    verdict: Vec<EditionVerdict>,
}

/// How large pieces of some media may be.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct PieceSize {
    media: Vec<Media>,
    /// Edge length in millimetres.
    mm: f64,
    sentence: String,
    citation: String,
}

impl Verdicts {
    /// Why pieces of that media are too large; `None`: they are not.
    fn too_large(&self, media: Media, mm: f64) -> Option<(&str, &str)> {
        if self.reading < 2 {
            return (!media.is_magnetic() && mm > self.flash_mm).then_some((&self.flash_sentence, &self.flash_citation));
        }
        let size = self.size.iter().find(|s| s.media.contains(&media))?;
        (mm > size.mm).then_some((&size.sentence, &size.citation))
    }
}

const TEXT: &str = include_str!("destruction.toml");

fn read(text: &str) -> Verdicts {
    toml::from_str(text).expect("the rules of destruction that are built in can be read")
}

/// The digest of these rules of destruction, with the edition's rules of that digest.
fn named(rules: &str) -> String {
    jurex_pattern::text::hex::encode(&Sha256::digest(format!("{TEXT}{rules}").as_bytes()))
}

/// Rules of destruction: those of one version, with the edition's rules of that version.
pub(super) struct DestructionRules {
    rules: &'static RuleSet,
    verdicts: &'static Verdicts,
}

impl DestructionRules {
    /// Those of this version.
    pub(super) fn now(edition: Edition) -> Self {
        static NOW: LazyLock<Verdicts> = LazyLock::new(|| read(TEXT));
        Self { rules: edition.rules(), verdicts: &NOW }
    }

    /// Those by which statements were judged that name none.
    fn first(edition: Edition) -> Option<Self> {
        static FIRST: LazyLock<Verdicts> = LazyLock::new(|| read(include_str!("released/destruction-1.toml")));
        let digest = edition.released_digests().into_iter().next()?;
        Some(Self { rules: edition.rules_of(&digest)?, verdicts: &FIRST })
    }

    /// What names the rules of this version, in hexadecimal digits.
    pub(super) fn digest(edition: Edition) -> String {
        named(&edition.digest())
    }

    /// Those that a statement names; `None`: this program does not know them.
    pub(super) fn of(edition: Edition, digest: Option<&str>) -> Option<Self> {
        match digest {
            None => Self::first(edition),
            Some(digest) => {
                let all = edition.released_digests().into_iter().chain([edition.digest()]);
                let of = all.into_iter().find(|rules| named(rules) == digest)?;
                Some(Self { rules: edition.rules_of(&of)?, ..Self::now(edition) })
            }
        }
    }
}

/// What a stated destruction earns on that media. Of what is not stated the worse is taken.
pub fn judge_destruction(edition: Edition, media: Media, stated: &Destruction) -> Claim {
    judge_by(&DestructionRules::now(edition), edition, media, stated)
}

/// The same by rules of whichever version.
pub(super) fn judge_by(by: &DestructionRules, edition: Edition, media: Media, stated: &Destruction) -> Claim {
    // Statements keep their sentences, which must follow from what is stated word for word.
    judge_as_data(by, edition, media, stated).in_words(&ENGLISH_OF_VERSION_2)
}

/// The same as data, as far as it is kept so: for papers in other languages.
pub(super) fn judge_as_data(by: &DestructionRules, edition: Edition, media: Media, stated: &Destruction) -> Claim {
    let reason = |sentence: &str, citation: &str| Reason::worded(sentence, citation);
    let all = by.verdicts;
    let (technique, met, lowering) = if stated.how == How::Degaussed {
        (Technique::Degauss, stated.is_rated(all.reading).then_some(Condition::RatedDegausser), vec![])
    } else {
        let verdict = all.verdict.iter().find(|v| v.edition == edition && v.how.contains(&stated.how));
        let mut lowering: Vec<Reason> = match verdict {
            Some(v) if v.destroys => vec![],
            Some(v) => vec![reason(&v.sentence, &v.citation)],
            None => vec![reason("These rules do not know that way.", edition.title())],
        };
        if lowering.is_empty() && stated.how.leaves_pieces() {
            match stated.particle_mm {
                None => lowering.push(reason(&all.no_size_sentence, &all.no_size_citation)),
                Some(mm) => lowering.extend(all.too_large(media, mm).map(|(sentence, citation)| reason(sentence, citation))),
            }
        }
        if media == Media::Virtual && all.reading >= 2 {
            lowering.push(reason(&all.virtual_sentence, &all.virtual_citation));
        }
        (Technique::Destruction, None, lowering)
    };
    let case = Case::stated(media, technique, met.into_iter().collect());
    evaluate_stated(by.rules, &case, lowering, vec![Reason::said(rests_on(stated), STATED)])
}

/// No program has seen it.
fn rests_on(stated: &Destruction) -> Said {
    let said = |code: &str| Said::new(format!("destruction.rests-on-{code}"));
    match (&stated.outside, stated.witness.trim()) {
        (Some(outside), _) => said("certificate").text("certificate", &outside.certificate).text("service", &outside.service),
        (None, "") => said("one").text("by", &stated.by),
        (None, witness) => said("two").text("by", &stated.by).text("witness", witness),
    }
}

/// What people's statements are cited as.
const STATED: &str = "Statement, not a reading";

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_sanitize::rules::Outcome;

    /// The edition's rules go on; what was stated under those before is read by them.
    #[test]
    fn statements_by_earlier_rules_of_the_edition_are_judged_by_those_and_by_unknown_ones_by_none() {
        for edition in Edition::ALL {
            let released = edition.released_digests();
            assert!(released.len() > 3);
            for rules in released {
                let by = DestructionRules::of(edition, Some(&named(&rules))).expect("they are known");
                assert_eq!(by.rules.reading, edition.rules_of(&rules).unwrap().reading);
            }
            assert!(DestructionRules::of(edition, Some(&DestructionRules::digest(edition))).is_some());
            assert!(DestructionRules::of(edition, Some(&named("00"))).is_none());
        }
    }

    #[test]
    fn every_way_reaches_what_the_editions_say_and_no_more() {
        use How::*;
        use Outcome::{Destroy, NotSanitized, Purge};
        let sized = |how: How, mm: f64| Destruction { particle_mm: how.leaves_pieces().then_some(mm), ..Destruction::by(how) };
        for how in How::ALL {
            let (rev1, rev2) = match how {
                Disintegrated | Incinerated | Melted => (Destroy, Destroy),
                Shredded | Pulverized => (Destroy, NotSanitized),
                Crushed | Drilled | Cut | Bent | Degaussed => (NotSanitized, NotSanitized),
            };
            for (edition, earns) in [(Edition::Rev1, rev1), (Edition::Rev2, rev2)] {
                for media in Media::ALL.into_iter().filter(|m| *m != Media::Virtual) {
                    let claim = judge_destruction(edition, media, &sized(how, 0.5));
                    assert_eq!(claim.outcome(), earns, "{edition:?} {media:?} {how:?}: {claim:?}");
                    assert!(claim.limits().iter().any(|l| l.sentence().contains("statement of Ines")), "{claim:?}");
                    let unsized_ = judge_destruction(edition, media, &Destruction::by(how));
                    assert!(unsized_.outcome() == NotSanitized || !how.leaves_pieces(), "no size was stated");
                    for mm in [
                        if media == Media::Optical {
                            0.6
                        } else if media.is_magnetic() {
                            19.0
                        } else {
                            2.1
                        },
                        400.0,
                    ] {
                        let large = judge_destruction(edition, media, &sized(how, mm)).outcome();
                        assert!(large <= earns && (!how.leaves_pieces() || large == NotSanitized), "{media:?} {how:?} {mm}");
                    }
                }
                let nothing = judge_destruction(edition, Media::Virtual, &sized(how, 0.1));
                assert_eq!(nothing.outcome(), NotSanitized, "what is virtual can't be destroyed: {nothing:?}");
            }
        }
        let drilled = judge_destruction(Edition::Rev2, Media::MagneticAta, &Destruction::by(Drilled));
        assert!(drilled.reasons()[0].sentence().contains("only damage") && !drilled.reasons()[0].citation().is_empty());
        let field = |field, coercivity, rated| {
            let stated =
                Destruction { field_oersted: field, coercivity_oersted: coercivity, rated, ..Destruction::by(Degaussed) };
            [Media::MagneticAta, Media::SolidStateAta, Media::Unknown]
                .map(|m| judge_destruction(Edition::Rev2, m, &stated).outcome())
        };
        assert_eq!(field(Some(9000), Some(5000), true), [Purge, NotSanitized, NotSanitized], "never of flash, never of unknown");
        for weak in [
            field(Some(4000), Some(5000), true),
            field(Some(5000), Some(5000), true),
            field(Some(7400), Some(5000), true),
            field(Some(9000), None, true),
            field(Some(9000), Some(5000), false),
            field(None, None, true),
        ] {
            assert_eq!(weak, [NotSanitized; 3]);
        }
    }
}
