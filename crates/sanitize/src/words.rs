//! What a claim says, as data: a code with parameters. Its sentence comes from a file of words, one for each language.

use jurex_pattern::ranges::RangeSet;
use jurex_pattern::text::{capital, u64_string};
use jurex_pattern::units::{Sectors, grouped, si_size};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::LazyLock;

/// Something that is said: which sentence, and what stands in it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Said {
    /// Which sentence, as the files of words name it.
    pub code: String,
    /// What stands in it, by name.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub params: BTreeMap<String, Param>,
}

/// Something that stands in a sentence.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Param {
    /// How many.
    Number(
        #[serde(with = "u64_string")]
        #[schemars(with = "jurex_pattern::text::Decimal")]
        u64,
    ),
    /// A size in bytes.
    Bytes(
        #[serde(with = "u64_string")]
        #[schemars(with = "jurex_pattern::text::Decimal")]
        u64,
    ),
    /// A name, or somebody else's words: the same in every language.
    Text(String),
    /// Sectors.
    Places(Places),
    /// A sentence, or a part of one.
    Said(Said),
}

/// Stretches of sectors: the first few, and how many more there are.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Places {
    /// Those that are named.
    pub named: Vec<Sectors>,
    /// Further stretches.
    #[serde(with = "u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub more: u64,
}

impl From<&RangeSet> for Places {
    fn from(all: &RangeSet) -> Self {
        const NAMED: usize = 3;
        let named: Vec<Sectors> = all.iter().take(NAMED).copied().collect();
        Self { more: (all.iter().len() - named.len()) as u64, named }
    }
}

impl Said {
    /// A sentence in which nothing stands.
    pub fn new(code: impl Into<String>) -> Self {
        Self { code: code.into(), params: BTreeMap::new() }
    }

    /// With this standing in it.
    #[must_use]
    pub fn with(mut self, name: &str, param: Param) -> Self {
        self.params.insert(name.into(), param);
        self
    }

    /// With a number.
    #[must_use]
    pub fn number(self, name: &str, n: u64) -> Self {
        self.with(name, Param::Number(n))
    }

    /// With a size.
    #[must_use]
    pub fn bytes(self, name: &str, n: u64) -> Self {
        self.with(name, Param::Bytes(n))
    }

    /// With a name, or somebody else's words.
    #[must_use]
    pub fn text(self, name: &str, text: impl Into<String>) -> Self {
        self.with(name, Param::Text(text.into()))
    }

    /// With stretches of sectors.
    #[must_use]
    pub fn places(self, name: &str, at: &RangeSet) -> Self {
        self.with(name, Param::Places(at.into()))
    }

    /// With another one.
    #[must_use]
    pub fn said(self, name: &str, other: Said) -> Self {
        self.with(name, Param::Said(other))
    }

    /// In English, as this version says it.
    pub fn english(&self) -> String {
        ENGLISH.say(self)
    }
}

/// The words of one language.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Words {
    /// Sentences by their codes. `{name}` is what stands there, `{name^}` with a capital, `{name#}` a number without groups,
    /// `{name|noun}` counted.
    say: BTreeMap<String, String>,
    /// Nouns that are counted: one of them, and several.
    nouns: BTreeMap<String, [String; 2]>,
    /// How stretches of sectors are said: none, one sector, several, and that there are more.
    places: PlaceWords,
    /// Sentences that are kept in English, word for word, and what they are in this language.
    #[serde(default)]
    fixed: BTreeMap<String, String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct PlaceWords {
    none: String,
    one: String,
    several: String,
    more: String,
}

/// English as this version says it.
pub static ENGLISH: LazyLock<Words> = LazyLock::new(|| Words::read(include_str!("words/en.toml")));

static GERMAN: LazyLock<Words> = LazyLock::new(|| Words::read(include_str!("words/de.toml")));
static FRENCH: LazyLock<Words> = LazyLock::new(|| Words::read(include_str!("words/fr.toml")));
static SPANISH: LazyLock<Words> = LazyLock::new(|| Words::read(include_str!("words/es.toml")));

/// English as records of version 2 say it. They keep their sentences, and these must follow from their evidence word for word:
/// nothing in this file ever changes.
pub static ENGLISH_OF_VERSION_2: LazyLock<Words> = LazyLock::new(|| Words::read(include_str!("words/en-version-2.toml")));

impl Words {
    fn read(text: &str) -> Self {
        toml::from_str(text).expect("the words are part of the program: a test reads them")
    }

    /// The words of a language by its tag (`de`, or `de-CH`); English for one that has none.
    pub fn of(language: &str) -> &'static Words {
        match language.get(..2) {
            Some("de") => &GERMAN,
            Some("fr") => &FRENCH,
            Some("es") => &SPANISH,
            _ => &ENGLISH,
        }
    }

    /// A sentence that is kept in English: in this language, where it has words for it.
    pub fn fixed<'s>(&'s self, english: &'s str) -> &'s str {
        self.fixed.get(english).map_or(english, String::as_str)
    }

    /// Whether there are words for that code.
    pub fn knows(&self, code: &str) -> bool {
        self.say.contains_key(code)
    }

    /// A number with its noun, as `3 sectors`.
    pub fn counted(&self, number: u64, noun: &str) -> String {
        self.slot(&[("n".to_string(), Param::Number(number))].into(), &format!("n|{noun}"))
    }

    /// The sentence of a code, with names for what stands in it.
    pub fn template(&self, code: &str) -> Option<&str> {
        self.say.get(code).map(String::as_str)
    }

    /// The sentence. A code that nobody knows, as a record of a later version may have it, is said as it is.
    pub fn say(&self, said: &Said) -> String {
        self.sentence(&said.code, &said.params)
    }

    /// The same of its parts.
    pub(crate) fn sentence(&self, code: &str, params: &BTreeMap<String, Param>) -> String {
        let Some(template) = self.say.get(code) else { return format!("({code})") };
        let mut text = String::with_capacity(template.len());
        let mut rest = template.as_str();
        while let Some((before, after)) = rest.split_once('{') {
            let (slot, behind) = after.split_once('}').unwrap_or((after, ""));
            text += before;
            text += &self.slot(params, slot);
            rest = behind;
        }
        text + rest
    }

    /// What stands in one slot; nothing where nothing was given for it.
    fn slot(&self, params: &BTreeMap<String, Param>, slot: &str) -> String {
        let (name, noun) = slot.split_once('|').map_or((slot, None), |(name, noun)| (name, Some(noun)));
        let (name, big) = name.strip_suffix('^').map_or((name, false), |name| (name, true));
        let (name, in_groups) = name.strip_suffix('#').map_or((name, true), |name| (name, false));
        let plain = match params.get(name) {
            None => return String::new(),
            Some(Param::Number(n)) => {
                let counted = noun.and_then(|noun| self.nouns.get(noun)).map(|[one, many]| if *n == 1 { one } else { many });
                let plain = || if in_groups { grouped(*n) } else { n.to_string() };
                counted.map_or_else(plain, |noun| format!("{} {noun}", grouped(*n)))
            }
            Some(Param::Bytes(n)) => si_size(*n),
            Some(Param::Text(text)) => self.fixed(text).to_string(),
            Some(Param::Places(at)) => self.places(at),
            Some(Param::Said(said)) => self.say(said),
        };
        if big { capital(&plain) } else { plain }
    }

    fn places(&self, at: &Places) -> String {
        let words = &self.places;
        let number = |template: &str, name: &str, n: u64| template.replace(&format!("{{{name}}}"), &n.to_string());
        let stretch = |s: &Sectors| match s.count {
            1 => number(&words.one, "first", s.first.0),
            _ => number(&number(&words.several, "first", s.first.0), "last", s.end().saturating_sub(1)),
        };
        let named: Vec<String> = at.named.iter().map(stretch).collect();
        match (named.is_empty(), at.more) {
            (true, _) => words.none.clone(),
            (false, 0) => named.join(", "),
            (false, more) => words.more.replace("{named}", &named.join(", ")).replace("{more}", &more.to_string()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_stands_in_a_sentence_is_counted_named_and_nested() {
        let at: RangeSet =
            [Sectors::new(3, 1), Sectors::new(40, 2), Sectors::new(1000, 7), Sectors::new(5000, 1)].into_iter().collect();
        let said = Said::new("lack.unwritable").number("sectors", 11).places("at", &at);
        let text = said.english().replace('\u{202f}', " ");
        assert_eq!(
            text,
            "11 sectors could not be written (sector 3, sectors 40 to 41, sectors 1000 to 1006 and 1 more stretches)."
        );
        let nested = Said::new("outer").said("inner", said.clone());
        assert_eq!(serde_json::from_str::<Said>(&serde_json::to_string(&nested).unwrap()).unwrap(), nested);
        assert_eq!(nested.english(), "(outer)", "a code of a later version is said as it is");
        assert!(Said::new("lack.unwritable").english().starts_with(" could not"), "what is not given is left out");
    }

    /// Sentences as version 2 wrote them, by hand, with all that stands in them.
    #[test]
    fn the_words_of_version_2_are_those_that_it_wrote() {
        let said = |said: Said| ENGLISH_OF_VERSION_2.say(&said).replace('\u{202f}', " ");
        let number = |code: &str, all: &[(&str, u64)]| all.iter().fold(Said::new(code), |said, (name, n)| said.number(name, *n));
        assert_eq!(
            said(
                number("lack.too-little-before", &[("parts", 0), ("all", 1000)])
                    .said("again", Said::new("too-little-before.again"))
            ),
            "Before it something that could be told apart afterwards lay in only 0 of 1000 parts of the drive: what the others hold \
             now proves nothing. The same way once more, on a drive that gives its sectors, can be proved."
        );
        assert_eq!(
            said(number("elsewhere.too-little-before", &[("parts", 12), ("all", 1000)])),
            "something that could be told apart lay before in only 12 of 1000 parts of it"
        );
        assert_eq!(
            said(number("lack.part", &[("covered", 1000), ("all", 1562496)])),
            "Only 1 000 of 1 562 496 sectors were covered: a part never sanitizes a drive."
        );
        assert_eq!(
            said(number("lack.many-unread", &[("unreadable", 1200), ("all", 4800)])),
            "1 200 of 4 800 sectors that were to be read gave an error."
        );
        assert_eq!(
            said(number("ended.given-up", &[("faults", 1024)])),
            "The drive is failing: after 1 024 bad places it was given up before the end."
        );
        assert_eq!(
            said(number("lack.hidden", &[("sectors", 2048)])),
            "The drive hides 2 048 sectors from the host. They were not reached."
        );
        let size = number("size.repeats", &[("from", 15625)]).bytes("told", 64_000_000).bytes("holds", 8_000_000);
        assert_eq!(
            said(size),
            "It says that it holds 64.0 MB, and holds 8.00 MB: from sector 15 625 on it gives what was written to other addresses."
        );
        assert_eq!(said(number("elsewhere.as-before", &[("n", 1), ("read", 1000)])), "1 sector of 1 000 sectors as before");
    }

    /// Whoever changes a sentence changes it for the records to come, and not for those that exist.
    #[test]
    fn both_files_have_words_for_every_code_and_places_are_said_as_ranges_say_them() {
        let codes = |words: &Words| words.say.keys().cloned().collect::<Vec<_>>();
        assert_eq!(
            codes(&ENGLISH).iter().filter(|c| !c.starts_with("paper.") && !ENGLISH_OF_VERSION_2.knows(c)).collect::<Vec<_>>(),
            Vec::<&String>::new()
        );
        for all in [vec![], vec![(7, 1)], vec![(7, 2)], vec![(1, 1), (4, 1), (9, 3), (20, 1), (40, 2)]] {
            let all: RangeSet = all.into_iter().map(|(first, count)| Sectors::new(first, count)).collect();
            assert_eq!(ENGLISH_OF_VERSION_2.places(&Places::from(&all)), all.sentence(3));
        }
    }

    /// What stands in a sentence, without how it is written there.
    fn slots(template: &str) -> Vec<&str> {
        let inside = template.split('{').skip(1).filter_map(|rest| rest.split_once('}')).map(|(slot, _)| slot);
        let mut slots: Vec<&str> = inside.map(|slot| slot.split(['|', '#', '^']).next().unwrap_or(slot)).collect();
        slots.sort_unstable();
        slots
    }

    /// Words of English that no other of the languages has: the ear of one who does not read it.
    fn sounds_english(text: &str) -> Option<&str> {
        const ENGLISH: [&str; 25] = [
            "the",
            "were",
            "is",
            "are",
            "of",
            "and",
            "not",
            "it",
            "its",
            "that",
            "which",
            "by",
            "with",
            "what",
            "for",
            "from",
            "be",
            "been",
            "could",
            "each",
            "every",
            "drive",
            "erased",
            "written",
            "afterwards",
        ];
        let outside = text.split('{').flat_map(|part| part.rsplit('}').next());
        outside.flat_map(|part| part.split(|c: char| !c.is_alphabetic())).find(|word| ENGLISH.contains(word))
    }

    #[test]
    fn every_language_says_every_sentence_with_all_that_stands_in_it_and_in_its_own_words() {
        for tag in ["de", "fr", "es"] {
            let words = Words::of(tag);
            let own: Vec<&String> = words.say.keys().collect();
            assert_eq!(own, ENGLISH.say.keys().collect::<Vec<_>>(), "{tag}");
            for (code, english) in &ENGLISH.say {
                let said = &words.say[code];
                assert_eq!(slots(said), slots(english), "{tag} {code}");
                assert!(!said.trim().is_empty() && sounds_english(said).is_none(), "{tag} {code}: {said}");
            }
            assert_eq!(words.nouns.keys().collect::<Vec<_>>(), ENGLISH.nouns.keys().collect::<Vec<_>>(), "{tag}");
            words.fixed.iter().for_each(|(english, said)| assert!(sounds_english(said).is_none(), "{tag} {english}"));
            assert_ne!(words.places.several, ENGLISH.places.several, "{tag}");
        }
        assert_eq!(sounds_english("ist nicht bereinigt. 25 sectors could not be written."), Some("could"), "the ear hears");
        let at: RangeSet = [Sectors::new(40, 25)].into_iter().collect();
        let said = Said::new("lack.unwritable").number("sectors", 25).places("at", &at);
        assert_eq!(Words::of("de-CH").say(&said), "Nicht beschreibbar: 25 Sektoren (Sektoren 40 bis 64).");
        assert_eq!(Words::of("fr").say(&said), "Non inscriptible : 25 secteurs (secteurs 40 à 64).");
        assert_eq!(Words::of("es").say(&said), "No se pudo escribir: 25 sectores (sectores 40 a 64).");
    }

    /// A code without words would be printed as a code.
    #[test]
    fn there_are_words_for_every_code_that_the_program_and_its_rules_use() {
        use crate::rules::{Edition, Media};
        use jurex_device::technique::{Condition, Technique};
        let mut codes: Vec<String> = vec![];
        for rules in Edition::ALL.map(Edition::rules) {
            let before = codes.len();
            codes.extend(rules.rules.iter().filter_map(|r| r.code.clone()));
            codes.extend(rules.lacks.iter().filter_map(|l| l.code.clone()));
            codes.extend(rules.limits.iter().filter_map(|l| l.code.clone()));
            let all = rules.rules.len() + rules.lacks.len() + rules.limits.len();
            assert_eq!(codes.len() - before, all, "every rule of today has a code");
        }
        codes.extend(Technique::ALL.map(|t| format!("technique.{}", t.slug())));
        codes.extend(Media::ALL.map(|m| format!("media.{}", m.slug())));
        codes.extend(Condition::ALL.map(|c| format!("unmet.{}", c.slug())));
        let read = ["last-pass", "bytes", "blank", "changed"];
        codes.extend(read.iter().flat_map(|what| [format!("read.all.{what}"), format!("read.sample.{what}")]));
        let parts =
            ["elsewhere.as-before", "elsewhere.not-blank", "elsewhere.error", "size.begins-again", "size.repeats", "size.drops"];
        codes.extend(parts.map(str::to_string));
        codes.extend(["compared", "sample", "faults"].map(|c| format!("confidence.{c}")));
        // Those that stand in the code by themselves.
        let mut written = 0;
        let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
        for file in
            ["evidence/mod.rs", "evidence/size.rs", "record/mod.rs", "rules/case.rs", "rules/mod.rs", "sampling/chance.rs"]
        {
            let text = std::fs::read_to_string(folder.join(file)).unwrap();
            let literal =
                text.split("Said::new(\"").skip(1).filter_map(|rest| rest.split_once('"')).map(|(code, _)| code.to_string());
            let literal: Vec<String> = literal.collect();
            written += literal.len();
            codes.extend(literal);
        }
        assert!(written > 40, "{written} codes were found: the test does not see them");
        let without: Vec<&String> = codes.iter().filter(|c| !ENGLISH.knows(c)).collect();
        assert!(without.is_empty(), "no words for {without:?}");
        assert!(Technique::ALL.iter().all(|t| ENGLISH.say(&crate::rules::technique(*t)) == t.name()), "a technique has one name");
        assert!(Media::ALL.iter().all(|m| ENGLISH.template(&format!("media.{}", m.slug())) == Some(m.name())));
    }
}
