//! What papers say, in the languages that they can be printed in: headings and labels from the files here, sentences by their codes from
//! those of the claims.

use crate::branding::{House, Language};
use jiff::Timestamp;
use jiff::tz::{Offset, TimeZone};
use jurex_sanitize::rules::Reason;
use jurex_sanitize::words::{Said, Words as Sentences};
use serde::Deserialize;
use std::sync::OnceLock;

macro_rules! words {
    ($($name:ident)*) => {
        /// Every word and sentence of papers. A language that lacks one, or has one more, can't be read: a test keeps it so.
        #[derive(Debug, Deserialize)]
        #[serde(deny_unknown_fields)]
        pub(crate) struct Words {
            $(pub(crate) $name: String,)*
        }

        #[cfg(test)]
        impl Words {
            fn all(&self) -> Vec<(&'static str, &String)> {
                vec![$((stringify!($name), &self.$name)),*]
            }
        }
    };
}

words! {
    certificate_title
    report_title
    lot_title
    lot_report_title
    not_sanitized
    not_sanitized_loud
    has_reached
    is_not_sanitized
    demonstration
    demonstration_loud
    demonstration_files
    electronic_media
    english_note
    the_drive
    from_and_to
    what_was_done
    layers
    layers_caption
    pace
    pace_caption
    what_follows
    second_verification
    signatures
    our_fields
    the_ledger
    ledger_entry
    ledger_sentence
    ledger_head
    ledger_key
    ledger_doubt
    manufacturer
    media_type
    model
    capacity
    serial
    sectors
    property_number
    attached_by
    firmware
    hidden_areas
    unique_names
    beside_it
    source
    lot
    confidentiality_before
    confidentiality_after
    backed_up
    backup_place
    destination
    notes
    method
    method_none
    method_not_reached
    technique
    treatment
    passes
    verification
    sampling_seed
    not_sampled
    tool
    duration
    at_work
    began
    ended
    sectors_covered
    all_of
    written
    read_back
    unwritable
    unreadable
    wrong
    end_of_job
    read_beside
    drive_held
    interrupted
    cut_off
    clock
    clock_set_back
    pass_by_pass
    earlier_passes
    earlier_passes_told
    lifted
    own_erasure
    raw_answers
    read_after
    stated
    outcome
    judged_by
    because
    not_covered
    its_size
    confidence
    second_look
    leftovers
    rules
    verified_by
    date
    tool_and_version
    result
    found
    sanitized_by
    treated_by
    validated_by
    name
    position
    organisation
    place
    contact
    signature
    attest_done
    attest_not
    attest_lot
    same_person
    made_by
    digest
    page_of
    qr_says
    logo_of
    not_told
    from_the_label
    none
    none_told
    yes
    no
    not_needed
    unknown
    low
    moderate
    high
    summary
    the_drives
    expected
    done
    failed
    missing
    unexpected
    opened
    closed
    not_closed
    second_verifications
    second_contradicted
    second_without_standing
    second_of
    failed_list
    short_list
    required
    reached
    enough
    nobody_said
    missing_list
    unexpected_list
    serial_short
    property_short
    digest_short
    job
    no_job
    lot_made_by
    lot_digest
    destroy_title
    degauss_title
    damage_title
    destroy_reached
    statement
    rests_on_statement
    how
    pieces
    field_strength
    machine
    done_by
    seen_by
    nobody_named
    batch
    named_by
    named_by_label
    named_by_batch
    photograph
    service
    their_certificate
    stated_by
    earlier_job
    attest_destruction
    release_digest
    whereabouts
    release_made_by
    mark
    mark_told
    less_files_title
    less_free_title
    less_loud
    less_says
    less_asked
    less_came
    less_ground
    less_places
    less_caption
    less_what
    less_names
    less_names_plain
    less_names_digested
    less_by_name
    less_more
    less_went_on
    less_times
    less_made_by
    less_digest
    less_attest
    evidence_caption
    evidence
}

const FILES: [(Language, &str); 4] = [
    (Language::En, include_str!("../words/en.toml")),
    (Language::De, include_str!("../words/de.toml")),
    (Language::Fr, include_str!("../words/fr.toml")),
    (Language::Es, include_str!("../words/es.toml")),
];

/// What a paper is written with: its own words, the sentences of claims, and the offset of its times.
pub(crate) struct PaperWords {
    words: &'static Words,
    sentences: &'static Sentences,
    /// Local time less universal time, in minutes.
    offset: i16,
    language: Language,
}

impl std::ops::Deref for PaperWords {
    type Target = Words;

    fn deref(&self) -> &Words {
        self.words
    }
}

/// What the papers of that house are written with.
pub(crate) fn words(house: &House) -> PaperWords {
    let language = house.language;
    PaperWords { words: of(language), sentences: Sentences::of(language.tag()), offset: house.offset, language }
}

impl PaperWords {
    /// A sentence, or a part of one, by its code.
    pub(crate) fn say(&self, said: &Said) -> String {
        self.sentences.say(said)
    }

    /// The sentence of a code in which nothing stands.
    pub(crate) fn word(&self, code: &str) -> String {
        self.say(&Said::new(code))
    }

    /// A reason or a limit of a claim.
    pub(crate) fn reason(&self, reason: &Reason) -> String {
        reason.sentence_in(self.sentences)
    }

    pub(crate) fn sentences(&self) -> &'static Sentences {
        self.sentences
    }

    /// A time as the clock on the wall showed it, with its offset, and universal time beside it.
    pub(crate) fn time(&self, time: Timestamp) -> String {
        let Some(offset) = Some(self.offset).filter(|o| *o != 0).and_then(|o| Offset::from_seconds(i32::from(o) * 60).ok())
        else {
            return time.strftime("%Y-%m-%d %H:%M:%S UTC").to_string();
        };
        let local = time.to_zoned(TimeZone::fixed(offset));
        format!("{} ({})", local.strftime("%Y-%m-%d %H:%M:%S %:z"), time.strftime("%H:%M:%S UTC"))
    }

    pub(crate) fn is_english(&self) -> bool {
        self.language == Language::En
    }
}

fn of(language: Language) -> &'static Words {
    static ALL: OnceLock<Vec<Words>> = OnceLock::new();
    let read = |text: &str| toml::from_str(text).expect("the words of every language can be read: a test keeps it so");
    let all = ALL.get_or_init(|| FILES.iter().map(|(_, text)| read(text)).collect());
    &all[FILES.iter().position(|(l, _)| *l == language).unwrap_or(0)]
}

/// A sentence with what stands in braces put in. What is put in is not looked at again.
pub(crate) fn put(sentence: &str, values: &[(&str, &str)]) -> String {
    let mut said = String::new();
    let mut rest = sentence;
    while let Some((before, after)) = rest.split_once('{') {
        said += before;
        let (name, behind) = after.split_once('}').unwrap_or((after, ""));
        said += values.iter().find(|(n, _)| *n == name).map_or("", |(_, value)| value);
        rest = behind;
    }
    said + rest
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fonts::{Face, fonts};

    fn braces(text: &str) -> Vec<&str> {
        let mut found: Vec<&str> = text.split('{').skip(1).filter_map(|t| t.split_once('}')).map(|(name, _)| name).collect();
        found.sort_unstable();
        found
    }

    #[test]
    fn every_language_has_every_word_and_the_fonts_have_every_sign_of_it() {
        let english = of(Language::En).all();
        for language in Language::ALL {
            for ((name, text), (_, original)) in of(language).all().into_iter().zip(&english) {
                assert!(!text.trim().is_empty(), "{language:?}: {name}");
                assert_eq!(braces(text), braces(original), "{language:?}: {name}: {text}");
                let lacking: String = text.chars().filter(|c| !fonts().can_show(*c)).collect();
                assert_eq!(lacking, "", "{language:?}: {name}");
            }
            // What is claimed is told apart in every language.
            let words = of(language);
            assert_ne!(words.certificate_title, words.report_title);
            assert_ne!(words.attest_done, words.attest_not);
        }
    }

    /// A label of one long word may be broken in two, but not into pieces that nobody reads.
    #[test]
    fn long_words_fit() {
        for language in Language::ALL {
            for (name, text) in of(language).all() {
                let longest = text.split_whitespace().map(|w| fonts().width(Face::Text, 7.6, w)).fold(0.0, f32::max);
                assert!(longest < 120.0, "{language:?}: {name}: {text}");
            }
            let width = |text: &str, size: f32| fonts().width(Face::Strong, size, text);
            let words = of(language);
            [&words.certificate_title, &words.lot_title].iter().for_each(|t| assert!(width(t, 19.0) < 380.0, "{t}"));
            assert!(width(&words.not_sanitized_loud, 30.0) < 480.0);
        }
    }

    #[test]
    fn what_is_put_in_is_not_looked_at_again() {
        assert_eq!(put("{a} and {b}.", &[("a", "{b}"), ("b", "x")]), "{b} and x.");
        assert_eq!(put("{gone", &[]), "");
    }
}
