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
