//! Laying a mark and finding one.

use super::{ErasureTag, places};
use jurex_device::media::Geometry;
use jurex_device::medium::Medium;
use jurex_engine::{Backend, Completed, NoAnswer, Task};
use jurex_pattern::pattern::AlignedBuffer;
use jurex_pattern::units::Sectors;
use jurex_sanitize::evidence::{Unsound, fails};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// How the laying of one copy ended.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "end")]
pub enum CopyEnd {
    /// It was written, and read back as it was written.
    AsLaid,
    /// Something else was read back.
    ReadOtherwise,
    /// It could not be written.
    NotWritten {
        /// The operating system's words.
        error: String,
    },
    /// It could not be read back.
    NotRead {
        /// The operating system's words.
        error: String,
    },
}

/// One copy of a mark.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct CopyEvidence {
    /// Its sectors.
    pub at: Sectors,
    /// How it ended.
    #[serde(flatten)]
    pub end: CopyEnd,
}

/// A mark that was left on a drive, after the job and under the same hold.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct TagEvidence {
    /// SHA-256 of the page, in hexadecimal digits.
    pub page: String,
    /// Id of the key that signed it; `None`: none did.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub key_id: Option<String>,
    /// Its copies.
    pub copies: Vec<CopyEvidence>,
}

impl TagEvidence {
    /// Whether every copy was read back as it was laid.
    pub fn is_whole(&self) -> bool {
        self.copies.len() == 2 && self.copies.iter().all(|c| c.end == CopyEnd::AsLaid)
    }

    /// In a sentence.
    pub fn sentence(&self) -> String {
        let places: Vec<String> = self.copies.iter().map(|c| c.at.to_string()).collect();
        let places = places.join(" and ");
        if self.is_whole() {
            let signed = self.key_id.as_ref().map_or("not signed".into(), |id| format!("signed by key {id}"));
            return format!("An erasure tag was left on it, at {places}, and read back as it was written ({signed}).");
        }
        let mut wrong = self.copies.iter().filter_map(|c| match &c.end {
            CopyEnd::AsLaid => None,
            CopyEnd::ReadOtherwise => Some(format!("something else was read back at {}", c.at)),
            CopyEnd::NotWritten { error } => Some(format!("{} could not be written ({error})", c.at)),
            CopyEnd::NotRead { error } => Some(format!("{} could not be read back ({error})", c.at)),
        });
        let why = wrong.next().unwrap_or_else(|| "a copy is missing".into());
        format!(
            "An erasure tag was to be left on it and is not whole: {why}. Those sectors now hold the tag or what the erasure left."
        )
    }

    /// Whether its copies can be where a mark stands on a drive of that size.
    pub(crate) fn check(&self, geometry: Option<Geometry>) -> Result<(), Unsound> {
        let expected = geometry.and_then(places).map(Vec::from);
        let there: Vec<Sectors> = self.copies.iter().map(|c| c.at).collect();
        fails(expected.as_ref() != Some(&there), "its mark stands where none can stand")
    }
}

/// Lays `page` at both ends of a drive of that size and reads it back. Nothing else of the drive is written. `None`: it does not fit.
pub fn lay(backend: &mut dyn Backend, geometry: Geometry, page: &[u8]) -> Option<Vec<CopyEvidence>> {
    let copies = super::patterns(page, geometry);
    if copies.is_empty() {
        return None;
    }
    backend.set(*backend.settings().first()?);
    let mut ask = |task: Task| match jurex_engine::ask(backend, task) {
        Ok(Completed::Failed(e)) => Err(e.cause.os().to_string()),
        Ok(how) => Ok(how),
        Err(no_answer @ NoAnswer(_)) => Err(no_answer.to_string()),
    };
    let copies: Vec<(Sectors, Arc<_>)> = copies.into_iter().map(|(at, pattern)| (at, Arc::new(pattern))).collect();
    let mut written: Vec<Result<(), String>> =
        copies.iter().map(|(at, pattern)| ask(Task::Write(*at, Arc::clone(pattern))).map(drop)).collect();
    if let Err(error) = ask(Task::Flush) {
        // What was not flushed may be lost: it counts as not written.
        written.iter_mut().for_each(|w| *w = w.clone().and(Err(error.clone())));
    }
    let mut read_back = |(at, pattern): &(Sectors, Arc<_>), written: Result<(), String>| match written {
        Err(error) => CopyEnd::NotWritten { error },
        Ok(()) => match ask(Task::ReadBack(*at, Arc::clone(pattern))) {
            Ok(Completed::Read { wrong }) if wrong.is_empty() => CopyEnd::AsLaid,
            Ok(_) => CopyEnd::ReadOtherwise,
            Err(error) => CopyEnd::NotRead { error },
        },
    };
    Some(copies.iter().zip(written).map(|(copy, written)| CopyEvidence { at: copy.0, end: read_back(copy, written) }).collect())
}

/// Why a page is no mark that can be used.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NotWhole {
    /// It does not begin like one.
    #[error("no mark")]
    NoMark,
    /// It begins like one, and was changed or written over in part.
    #[error("it was changed, or written over in part")]
    Altered,
    /// It could not be read.
    #[error("it could not be read")]
    Unread,
}

/// How whole the mark on a drive is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TagState {
    /// Both copies stand there alike.
    Both,
    /// Only the first copy is right; what became of the last.
    FirstOnly(NotWhole),
    /// Only the last copy is right; what became of the first.
    LastOnly(NotWhole),
    /// Both are marks, each another.
    Differ,
}

impl TagState {
    /// What is to be said of it; `None`: nothing is wrong.
    pub fn trouble(self) -> Option<String> {
        match self {
            TagState::Both => None,
            TagState::FirstOnly(why) => Some(format!("of its copy in the last sectors: {why}")),
            TagState::LastOnly(why) => Some(format!("of its copy in the first sectors: {why}")),
            TagState::Differ => Some("its two copies say different things".into()),
        }
    }
}

/// What was found where marks stand.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum FoundTag {
    /// No mark.
    Nothing,
    /// The rest of one that says nothing any more.
    Rest,
    /// A mark.
    Mark(Box<ErasureTag>, TagState),
}

/// Looks for a mark at both ends. Reads only. `payload` gives what a signed text says, whoever says it.
pub fn look(medium: &mut dyn Medium, payload: &dyn Fn(&str) -> Option<String>) -> FoundTag {
    let geometry = medium.geometry();
    let Some(places) = places(geometry) else { return FoundTag::Nothing };
    let mut copy = |at: Sectors| {
        let mut buffer = AlignedBuffer::new(geometry.bytes_of(at.count) as usize);
        medium.read(at.first, buffer.bytes()).map_err(|_| NotWhole::Unread)?;
        ErasureTag::parse(buffer.bytes(), geometry.logical, payload)
    };
    match places.map(&mut copy) {
        [Ok(a), Ok(b)] if a == b => FoundTag::Mark(Box::new(a), TagState::Both),
        [Ok(a), Ok(_)] => FoundTag::Mark(Box::new(a), TagState::Differ),
        [Ok(mark), Err(why)] => FoundTag::Mark(Box::new(mark), TagState::FirstOnly(why)),
        [Err(why), Ok(mark)] => FoundTag::Mark(Box::new(mark), TagState::LastOnly(why)),
        [Err(NotWhole::Altered), Err(_)] | [Err(_), Err(NotWhole::Altered)] => FoundTag::Rest,
        [Err(_), Err(_)] => FoundTag::Nothing,
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::{says, stamped, unstamp};
    use super::*;
    use jurex_device::media::{Drive, MediaClass};
    use jurex_device::testing::Memory;
    use jurex_engine::Sequential;

    fn page(sectors: u64) -> Vec<u8> {
        let mut says = says();
        says.sectors = sectors;
        ErasureTag::new(says, stamped).page(512).unwrap()
    }

    fn laid(medium: &mut Memory) -> TagEvidence {
        let page = page(medium.drive.geometry.sectors);
        let geometry = medium.drive.geometry;
        let copies = lay(&mut Sequential::new(medium), geometry, &page).unwrap();
        TagEvidence { page: ErasureTag::digest(&page), key_id: None, copies }
    }

    #[test]
    fn a_mark_is_laid_at_both_ends_and_nothing_else_is_written() {
        for sectors in [1000, 1001, 1007] {
            let mut medium = Memory::new(MediaClass::Magnetic, sectors);
            let marked = laid(&mut medium);
            assert!(marked.is_whole() && marked.check(Some(medium.drive.geometry)).is_ok(), "{marked:?}");
            let written: Vec<usize> = (0..sectors as usize).filter(|n| medium.writes[*n] > 0).collect();
            assert_eq!(written, (0..8).chain(sectors as usize - 8..sectors as usize).collect::<Vec<_>>());
            let FoundTag::Mark(mark, TagState::Both) = look(&mut medium, &unstamp) else { panic!("{sectors}") };
            assert!(mark.says().fits(&medium.drive));
            let twin = Drive {
                unit: jurex_device::media::Unit { serial: Some("OTHER".into()), ..medium.drive.unit.clone() },
                ..medium.drive.clone()
            };
            assert!(!mark.says().fits(&twin), "it was copied to another drive");
        }
        let small = &mut Memory::new(MediaClass::Magnetic, 20);
        let geometry = small.drive.geometry;
        assert_eq!(lay(&mut Sequential::new(small), geometry, &page(20)), None);
    }

    #[test]
    fn a_copy_that_does_not_stand_is_told_and_never_taken_for_whole() {
        let end = |change: fn(&mut Memory)| {
            let mut medium = Memory::new(MediaClass::Magnetic, 1000);
            change(&mut medium);
            let marked = laid(&mut medium);
            assert!(!marked.is_whole() && marked.sentence().contains("not whole"), "{marked:?}");
            marked.copies.into_iter().map(|c| c.end).collect::<Vec<_>>()
        };
        assert_eq!(end(|m| m.drops_writes_to = vec![995]), [CopyEnd::AsLaid, CopyEnd::ReadOtherwise]);
        assert!(matches!(end(|m| m.unwritable = vec![2]).as_slice(), [CopyEnd::NotWritten { .. }, CopyEnd::AsLaid]));
        assert!(matches!(end(|m| m.unreadable = vec![999]).as_slice(), [CopyEnd::AsLaid, CopyEnd::NotRead { .. }]));
        assert!(matches!(
            end(|m| m.failing_flushes = vec![1]).as_slice(),
            [CopyEnd::NotWritten { .. }, CopyEnd::NotWritten { .. }]
        ));
    }

    #[test]
    fn what_was_written_over_since_is_told() {
        let found = |change: fn(&mut Memory)| {
            let mut medium = Memory::new(MediaClass::Magnetic, 1000);
            laid(&mut medium);
            change(&mut medium);
            match look(&mut medium, &unstamp) {
                FoundTag::Mark(_, whole) => Ok(whole),
                other => Err(other),
            }
        };
        assert_eq!(found(|m| m.bytes[..4096].fill(0)), Ok(TagState::LastOnly(NotWhole::NoMark)));
        assert_eq!(found(|m| m.bytes[2048..4096].fill(0)), Ok(TagState::LastOnly(NotWhole::Altered)));
        assert_eq!(found(|m| m.bytes[999 * 512..].fill(0)), Ok(TagState::FirstOnly(NotWhole::Altered)));
        assert_eq!(found(|m| m.unreadable = vec![3]), Ok(TagState::LastOnly(NotWhole::Unread)));
        assert_eq!(found(|m| m.bytes[700..].fill(0)), Err(FoundTag::Rest));
        assert_eq!(found(|m| m.bytes.fill(0)), Err(FoundTag::Nothing));
    }
}
