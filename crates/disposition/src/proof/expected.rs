//! What should lie on a drive.

use crate::erasure_tag::FoundTag;
use jurex_device::media::{Drive, Geometry};
use jurex_pattern::notation::{NoEntropy, Program};
use jurex_pattern::pattern::Pattern;
use jurex_pattern::units::Sectors;
use jurex_sanitize::evidence::{Ended, Evidence, Expect};
use jurex_sanitize::record::Record;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What every sector should hold.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "holds")]
pub enum Holds {
    /// These bytes.
    Pattern {
        /// Which; a random one with its seed.
        pattern: Pattern,
    },
    /// One byte over and over, the same everywhere.
    Blank,
}

/// What should lie where.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ExpectedContents {
    /// What.
    #[serde(flatten)]
    pub holds: Holds,
    /// On these sectors.
    pub range: Sectors,
    /// The page of the mark that the job has left, in the first and the last sectors, where there is one: there it should lie instead.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub mark: Option<String>,
}

/// Why what lies on a drive can't be told from what should lie there.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Unprovable {
    /// The job did not come so far that anything lies there for sure.
    #[error("the job was cut short: what lies on the drive now is not known")]
    CutShort,
    /// A random pass whose seed is gone.
    #[error("the seed of the last pass is not in the record, so what should lie there can't be computed")]
    NoSeed,
    /// A replaced key: what lies there is noise, and what it is to be compared with was dropped with the job.
    #[error(
        "a key was replaced, or the drive left bytes of its own: only the job itself, which looked before it, could tell that nothing is as it was"
    )]
    KnownToTheJobAlone,
    /// Several passes, where one was expected.
    #[error("one pass says what lies there; `random` and `byte` are drawn anew each time and say nothing")]
    NotOnePass,
}

/// Another drive than the record's.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("the record is of {recorded}, and this is {found}")]
pub struct OtherDrive {
    recorded: String,
    found: String,
}

impl ExpectedContents {
    /// What the job of that record left on its drive.
    ///
    /// # Errors
    /// Nothing that somebody else could look for.
    pub fn by_record(record: &Record) -> Result<Self, Unprovable> {
        let evidence = record.evidence();
        if evidence.ended != Ended::Finished {
            return Err(Unprovable::CutShort);
        }
        let holds = if evidence.overwrite().is_some() { last_pass(evidence)? } else { after_its_own_erasure(evidence)? };
        Ok(Self { holds, range: evidence.range(), mark: None })
    }

    /// What a person expects on all of `drive`: `blank`, or one pass in the notation.
    ///
    /// # Errors
    /// Several passes, or one that is drawn anew each time.
    pub fn by_word(program: Option<&Program>, drive: &Drive) -> Result<Self, Unprovable> {
        let holds = match program {
            None => Holds::Blank,
            Some(program) => match program.resolve(&mut NoEntropy).as_slice() {
                [pass] if pass.is_fixed => Holds::Pattern { pattern: pass.pattern.clone() },
                _ => return Err(Unprovable::NotOnePass),
            },
        };
        Ok(Self { holds, range: drive.geometry.whole(), mark: None })
    }

    /// The same with the mark that was found on the drive, if it is the one that the job of `record` was to leave: whose it is follows from
    /// the record word for word, but for where to ask.
    #[must_use]
    pub fn with_mark(self, found: &FoundTag, record: &Record, geometry: Geometry) -> Self {
        let FoundTag::Mark(mark, _) = found else { return self };
        let is_its_own = record.method.mark && mark.says().is_of(record);
        let page = mark.page(geometry.logical).filter(|_| is_its_own).and_then(|page| String::from_utf8(page).ok());
        Self { mark: page, ..self }
    }

    /// In words.
    pub fn sentence(&self) -> String {
        match &self.holds {
            Holds::Pattern { pattern } => format!("the pattern {pattern}"),
            Holds::Blank => "one byte over and over".into(),
        }
    }

    /// Whether `found` is the drive of that record.
    ///
    /// # Errors
    /// It is another, or has another size.
    pub fn check_drive(record: &Record, found: &Drive) -> Result<(), OtherDrive> {
        let evidence = record.evidence();
        let recorded = Drive { geometry: evidence.geometry(), ..evidence.drive().clone() };
        let same = recorded.unit.agrees_with(&found.unit) && recorded.geometry.is_as_large_as(found.geometry);
        let said = |d: &Drive| {
            let serial = d.unit.serial().map_or_else(|| "without a serial number".into(), |s| format!("serial {s}"));
            format!("{} ({serial}, {} sectors of {} B)", d.name(), d.geometry.sectors, d.geometry.logical)
        };
        if same { Ok(()) } else { Err(OtherDrive { recorded: said(&recorded), found: said(found) }) }
    }
}

fn last_pass(evidence: &Evidence) -> Result<Holds, Unprovable> {
    let pass = evidence.passes().last().ok_or(Unprovable::CutShort)?;
    if !pass.pattern.is_computable() {
        return Err(Unprovable::NoSeed);
    }
    Ok(Holds::Pattern { pattern: pass.pattern.clone() })
}

fn after_its_own_erasure(evidence: &Evidence) -> Result<Holds, Unprovable> {
    match evidence.own_check().map(|check| &check.expect) {
        Some(Expect::Blank) => Ok(Holds::Blank),
        Some(Expect::Bytes { pattern }) => Ok(Holds::Pattern { pattern: pattern.clone() }),
        Some(Expect::Changed | Expect::LastPass) | None => Err(Unprovable::KnownToTheJobAlone),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::erasure_tag::{ErasureTag, TagFacts, TagState};
    use jurex_device::media::MediaClass;
    use jurex_device::testing::test_drive;
    use jurex_pattern::pattern::Pattern;
    use jurex_sanitize::testing::{SECTORS, faultless, record, stopped_record};

    #[test]
    fn what_a_job_left_is_its_last_pass_and_of_one_that_was_cut_short_nothing_is_expected() {
        let expected = ExpectedContents::by_record(&record()).unwrap();
        assert!(matches!(&expected.holds, Holds::Pattern { pattern } if pattern.is_computable()));
        assert!(expected.sentence().starts_with("the pattern random"), "{}", expected.sentence());
        assert_eq!((expected.range.count, &expected.mark), (SECTORS, &None));
        assert!(matches!(ExpectedContents::by_record(&stopped_record()), Err(Unprovable::CutShort)));
        let evidence = faultless(MediaClass::Magnetic, &[Pattern::zeros(), Pattern::bytes([0xa5]).unwrap()]);
        assert!(matches!(last_pass(&evidence), Ok(Holds::Pattern { pattern }) if pattern == Pattern::bytes([0xa5]).unwrap()));
        let drawn_and_forgotten = faultless(MediaClass::Magnetic, &[Pattern::random([9; 16]).without_seed()]);
        assert!(matches!(last_pass(&drawn_and_forgotten), Err(Unprovable::NoSeed)));
    }

    #[test]
    fn a_person_may_expect_one_pass_that_is_always_the_same_or_a_blank_drive() {
        let drive = test_drive(MediaClass::Magnetic, SECTORS);
        let of = |notation: &str| ExpectedContents::by_word(Some(&notation.parse().unwrap()), &drive).map(|e| e.sentence());
        assert_eq!(ExpectedContents::by_word(None, &drive).unwrap().sentence(), "one byte over and over");
        assert_eq!(of("a5").unwrap(), "the pattern A5");
        for several_or_drawn in ["00 | ff", "random"] {
            assert!(matches!(of(several_or_drawn), Err(Unprovable::NotOnePass)), "{several_or_drawn}");
        }
    }

    #[test]
    fn the_drive_of_a_record_is_told_from_every_other() {
        let check = |change: &dyn Fn(&mut Drive)| {
            let mut found = test_drive(MediaClass::Magnetic, SECTORS);
            change(&mut found);
            ExpectedContents::check_drive(&record(), &found).map_err(|e| e.to_string())
        };
        assert_eq!(check(&|d| d.path = "/dev/sdq".into()), Ok(()), "wherever it is attached");
        let smaller = check(&|d| d.geometry.sectors = 7).unwrap_err();
        assert!(smaller.contains("1000 sectors of 512 B") && smaller.contains("7 sectors of 512 B"), "{smaller}");
        assert!(check(&|d| d.unit.serial = Some("QA480R61YV5C".into())).unwrap_err().contains("serial QA480R61YV5C"));
    }

    #[test]
    fn a_mark_is_expected_only_where_the_job_was_to_leave_it_and_it_is_that_jobs() {
        let (plain, drive) = (record(), test_drive(MediaClass::Magnetic, SECTORS));
        let marked = {
            let mut json: serde_json::Value = serde_json::from_str(&plain.to_json()).unwrap();
            json["method"]["mark"] = true.into();
            Record::from_json(&json.to_string()).unwrap()
        };
        let says = TagFacts::of(&marked, "Tern Quay").unwrap();
        let found = FoundTag::Mark(Box::new(ErasureTag::new(says, |_| None)), TagState::Both);
        let expected = |found: &FoundTag, record: &Record| {
            ExpectedContents::by_record(record).unwrap().with_mark(found, record, drive.geometry).mark.is_some()
        };
        assert!(expected(&found, &marked) && !expected(&found, &plain), "this job was to leave none");
        let of_another = Record::from_json(&marked.to_json().replace(marked.job.as_str(), "261123-ZZZZZZ")).unwrap();
        assert!(!expected(&found, &of_another));
    }
}
