//! Other namespaces of the unit that a drive's own erasure reaches: at places all over them what lies there is digested before
//! the erasure, and looked at again after it. A drive may say that it erased all of itself and have erased one of them.

use super::backend::{Backend, Buffers, Done, RequestSetting, Trials};
use super::baseline::{BaselineSample, KeptBaseline};
use super::job::Completed;
use super::job::Task;
use jurex_device::medium::Medium;
use jurex_pattern::pattern::Pattern;
use jurex_pattern::units::{Lba, Sectors};
use jurex_sanitize::digest::{Salt, SectorDigest};
use jurex_sanitize::evidence::SiblingRead;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use std::time::Duration;

/// Another namespace, held for as long as the job lasts.
pub struct Sibling<'m> {
    /// Its name, as the drive's list of other storage has it.
    pub what: String,
    /// Itself.
    pub medium: &'m mut dyn Medium,
}

/// What lay at the drawn places of another namespace.
#[derive(Clone, Debug)]
pub struct SiblingMet {
    what: String,
    whole: Sectors,
    /// `None`: it could not be read.
    met: Vec<(Lba, Option<SectorDigest>)>,
}

/// A backend that reaches other namespaces too.
pub struct WithSiblings<'b, 'm, B: ?Sized> {
    backend: &'b mut B,
    beside: Vec<Sibling<'m>>,
    buffers: Buffers,
    done: Option<Done>,
}

impl<'b, 'm, B: Backend + ?Sized> WithSiblings<'b, 'm, B> {
    /// `backend` for the drive itself, and these beside it.
    pub fn new(backend: &'b mut B, beside: Vec<Sibling<'m>>) -> Self {
        Self { backend, beside, buffers: Buffers::new(64 << 10), done: None }
    }

    /// Lays marks where it is told to, then reads the drawn places of each.
    fn look(&mut self, salt: Salt, marks: &[Vec<Sectors>]) -> Vec<SiblingMet> {
        let pattern = Arc::new(Pattern::address());
        let mut all = vec![];
        for (n, beside) in self.beside.iter_mut().enumerate() {
            let marks = marks.get(n).map(Vec::as_slice).unwrap_or_default();
            // What could not be laid is not there when it is read.
            for at in marks {
                let _ = self.buffers.carry_out(beside.medium, &Task::Write(*at, Arc::clone(&pattern)));
            }
            if !marks.is_empty() {
                let _ = beside.medium.flush();
            }
            let whole = beside.medium.geometry().whole();
            let mut read = |at: Sectors| match self.buffers.carry_out(beside.medium, &Task::Digest(at, salt)) {
                Completed::Digested(met) => (at.first, met.first().copied()),
                _ => (at.first, None),
            };
            let met = BaselineSample::thin(whole).places().map(&mut read).collect();
            all.push(SiblingMet { what: beside.what.clone(), whole, met });
        }
        all
    }
}

impl<B: Backend + ?Sized> Backend for WithSiblings<'_, '_, B> {
    fn settings(&self) -> Vec<RequestSetting> {
        self.backend.settings()
    }

    fn trials(&self) -> Trials {
        self.backend.trials()
    }

    fn set(&mut self, setting: RequestSetting) {
        self.backend.set(setting);
    }

    fn start(&mut self, tag: u64, task: Task) {
        match task {
            Task::Beside(salt, marks) => self.done = Some(Done { tag, how: Completed::Beside(self.look(salt, &marks)) }),
            other => self.backend.start(tag, other),
        }
    }

    fn wait(&mut self, patience: Duration) -> Option<Done> {
        self.done.take().or_else(|| self.backend.wait(patience))
    }
}

/// What is known of other namespaces before the erasure.
#[derive(Debug, Default)]
pub(super) struct SiblingBaselines {
    draws: Vec<(String, BaselineSample)>,
    /// What is to be laid on each where too little lies there that could be told apart.
    pub(super) marks: Vec<Vec<Sectors>>,
    marked: bool,
}

/// What lay on one of them, as it is kept.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub(super) struct KeptSibling {
    what: String,
    whole: Sectors,
    draw: KeptBaseline,
}

impl SiblingBaselines {
    pub(super) fn to_kept(&self) -> Vec<KeptSibling> {
        let kept = |(what, draw): &(String, BaselineSample)| KeptSibling {
            what: what.clone(),
            whole: draw.whole(),
            draw: draw.to_kept(),
        };
        self.draws.iter().map(kept).collect()
    }

    /// What an earlier session kept.
    pub(super) fn of_kept(kept: &[KeptSibling]) -> Self {
        let draw = |k: &KeptSibling| Some((k.what.clone(), BaselineSample::thin(k.whole).with_kept(&k.draw)?));
        Self { draws: kept.iter().filter_map(draw).collect(), ..Self::default() }
    }

    /// Takes what was met before the erasure. Gives whether marks are to be laid and all is to be read once more.
    pub(super) fn note(&mut self, met: &[SiblingMet]) -> bool {
        let draw = |b: &SiblingMet| {
            let mut draw = BaselineSample::thin(b.whole);
            b.met.iter().for_each(|(at, met)| draw.note(*at, met.as_slice()));
            (b.what.clone(), draw)
        };
        self.draws = met.iter().map(draw).collect();
        self.marks = self.draws.iter().map(|(_, d)| if d.is_enough() { vec![] } else { d.marks() }).collect();
        let again = !self.marked && self.marks.iter().any(|m| !m.is_empty());
        self.marked = true;
        if !again {
            self.marks.clear();
        }
        again
    }

    /// What is read of each after the erasure, against what lay there before.
    pub(super) fn compare(&self, met: &[SiblingMet]) -> Vec<SiblingRead> {
        let of = |b: &SiblingMet| {
            // One that has another size now has its places elsewhere.
            let draw = self.draws.iter().find(|(what, draw)| *what == b.what && draw.whole() == b.whole).map(|(_, draw)| draw);
            let drawn = draw.map(BaselineSample::drawn).unwrap_or_default();
            let as_before = |at: Lba, met: SectorDigest| draw.is_some_and(|d| !d.as_before(at, &[met]).is_empty());
            let read = || b.met.iter().filter_map(|(at, met)| Some((*at, (*met)?)));
            SiblingRead {
                what: b.what.clone(),
                sectors: b.whole.count,
                read: read().count() as u64,
                unreadable: b.met.iter().filter(|(_, met)| met.is_none()).count() as u64,
                as_before: read().filter(|(at, met)| as_before(*at, *met)).count() as u64,
                not_blank: read().filter(|(_, met)| matches!(met, SectorDigest::Digest(_))).count() as u64,
                compared: drawn.compared,
                parts: drawn.parts,
            }
        };
        met.iter().map(of).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Sequential;
    use jurex_device::media::MediaClass;
    use jurex_device::testing::Memory;

    /// A namespace of 2,000 sectors; one in each pair of them holds something, or all are blank.
    fn namespace(used: bool) -> Memory {
        let mut medium = Memory::new(MediaClass::SolidState, 2000);
        medium.bytes.fill(0);
        if used {
            medium
                .bytes
                .chunks_mut(512)
                .enumerate()
                .for_each(|(n, sector)| sector[..8].copy_from_slice(&(n as u64 + 1).to_le_bytes()));
        }
        medium
    }

    /// Reads namespace 2, after writing these marks.
    fn met(medium: &mut Memory, marks: Vec<Vec<Sectors>>) -> Vec<SiblingMet> {
        let mut own = Memory::new(MediaClass::SolidState, 64);
        let mut backend = Sequential::in_chunks(&mut own, 4096);
        let mut both = WithSiblings::new(&mut backend, vec![Sibling { what: "Namespace 2".into(), medium }]);
        assert_eq!((both.settings().len(), both.wait(Duration::ZERO).is_some()), (1, false));
        both.start(7, Task::Beside(Salt::new([1; 16]), marks));
        let Some(Done { tag: 7, how: Completed::Beside(met) }) = both.wait(Duration::ZERO) else {
            panic!("it was not looked at")
        };
        both.start(8, Task::Digest(Sectors::new(0, 1), Salt::new([1; 16])));
        assert!(
            matches!(both.wait(Duration::ZERO), Some(Done { tag: 8, how: Completed::Digested(_) })),
            "the drive's own goes on"
        );
        met
    }

    #[test]
    fn what_lay_in_a_used_namespace_is_known_again_and_kept_for_later() {
        let mut medium = namespace(true);
        let mut before = SiblingBaselines::default();
        assert!(!before.note(&met(&mut medium, vec![])) && before.marks.is_empty(), "enough lies there");
        let kept = SiblingBaselines::of_kept(&before.to_kept());
        for known in [&before, &kept] {
            let again = &known.compare(&met(&mut medium, vec![]))[0];
            let told = (again.what.as_str(), again.sectors, again.read, again.compared, again.parts);
            assert_eq!(told, ("Namespace 2", 2000, 1000, 1000, 1000));
            assert_eq!((again.as_before, again.not_blank, again.unreadable), (1000, 1000, 0));
        }
        medium.bytes.fill(0xff);
        medium.unreadable = vec![0];
        let erased = &kept.compare(&met(&mut medium, vec![]))[0];
        assert_eq!((erased.as_before, erased.not_blank, erased.read, erased.unreadable), (0, 0, 999, 1));
        medium.bytes[..].chunks_mut(512).for_each(|sector| sector[3] = 7);
        let noise = &kept.compare(&met(&mut medium, vec![]))[0];
        assert_eq!((noise.as_before, noise.not_blank), (0, 999), "something lies there, and not what lay there");
    }

    #[test]
    fn a_blank_namespace_gets_marks_once_and_these_are_compared() {
        let mut medium = namespace(false);
        let mut before = SiblingBaselines::default();
        assert!(before.note(&met(&mut medium, vec![])), "nothing lies there that could be told apart");
        let marks = before.marks.clone();
        assert_eq!((marks[0].len(), medium.flushes), (1000, 0), "nothing was written");
        assert!(!before.note(&met(&mut medium, marks)) && before.marks.is_empty(), "now there is enough");
        assert_eq!((medium.bytes.chunks(512).filter(|s| s.iter().any(|b| *b != 0)).count(), medium.flushes), (1000, 1));
        let again = &before.compare(&met(&mut medium, vec![]))[0];
        assert_eq!((again.as_before, again.compared, again.parts), (1000, 1000, 1000));
        // One that takes no mark is not marked again and again.
        let mut stays_blank = SiblingBaselines::default();
        assert!(stays_blank.note(&met(&mut namespace(false), vec![])) && !stays_blank.note(&met(&mut namespace(false), vec![])));
        assert_eq!(stays_blank.compare(&met(&mut namespace(false), vec![]))[0].parts, 0);
    }

    /// Takes the setting that it is given.
    struct Settable(Option<RequestSetting>);

    impl Backend for Settable {
        fn settings(&self) -> Vec<RequestSetting> {
            vec![]
        }
        fn set(&mut self, setting: RequestSetting) {
            self.0 = Some(setting);
        }
        fn start(&mut self, _: u64, _: Task) {}
        fn wait(&mut self, _: Duration) -> Option<Done> {
            None
        }
    }

    #[test]
    fn the_drives_own_requests_are_set_as_they_are_without_it() {
        let (mut backend, setting) = (Settable(None), RequestSetting { chunk: 4096, depth: 3 });
        WithSiblings::new(&mut backend, vec![]).set(setting);
        assert_eq!(backend.0, Some(setting));
    }

    #[test]
    fn another_namespace_or_one_of_another_size_has_nothing_to_be_compared_with() {
        let mut before = SiblingBaselines::default();
        before.note(&met(&mut namespace(true), vec![]));
        let mut other = met(&mut namespace(true), vec![]);
        other[0].what = "Namespace 3".into();
        let mut larger = met(&mut namespace(true), vec![]);
        larger[0].whole = Sectors::new(0, 2001);
        for (what, met) in [("another", other), ("larger", larger)] {
            let read = &before.compare(&met)[0];
            assert_eq!((read.compared, read.parts, read.as_before), (0, 0, 0), "{what}");
        }
    }
}
