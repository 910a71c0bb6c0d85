//! Stand-ins for tests: evidence and records of jobs that went as they should.

use crate::contents::Contents;
use crate::evidence::{
    CheckEvidence, Ended, Evidence, Expect, OverwriteEvidence, PassEvidence, ReadBack, Session, StageEvidence, StageKind,
    StageResult, Stated,
};
use crate::plan::{Order, Plan};
use crate::record::{JobId, Papers, Record, Tool};
use jiff::Timestamp;
use jurex_device::media::MediaClass;
use jurex_device::medium::Access;
use jurex_device::testing::{Fixed, test_drive};
use jurex_pattern::method;
use jurex_pattern::pattern::Pattern;
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::Sectors;

/// Sectors of the drive that [`faultless`] tells of.
pub const SECTORS: u64 = 1000;
const NOW: Timestamp = Timestamp::UNIX_EPOCH;

/// A stage that took no time.
pub fn stage(what: StageResult) -> StageEvidence {
    StageEvidence { started: NOW, ended: Some(NOW), what }
}

/// A check of the whole drive after its last pass.
pub fn check(read_back: ReadBack) -> StageEvidence {
    let range = Sectors::new(0, SECTORS);
    stage(StageResult::Checked(CheckEvidence { range, expect: Expect::LastPass, read_back, drawn: None, beside: vec![] }))
}

/// Evidence of a job on which nothing went wrong, its last pass read back in full; pairs in it are meant.
pub fn faultless(class: MediaClass, patterns: &[Pattern]) -> Evidence {
    let range = Sectors::new(0, SECTORS);
    let all = || [range].into_iter().collect::<RangeSet>();
    let pass = |(n, p): (usize, &Pattern)| PassEvidence {
        laid: all(),
        flushed: true,
        complement_of_before: n > 0,
        ended: Some(NOW),
        ..PassEvidence::begun(p.clone(), 0, range, NOW)
    };
    let passes: Vec<PassEvidence> = patterns.iter().enumerate().map(pass).collect();
    let overwritten = StageResult::Overwritten(OverwriteEvidence { range, planned_passes: passes.len() as u32, passes });
    let read = ReadBack { read: all(), ..ReadBack::default() };
    Evidence {
        sessions: vec![Session::new(test_drive(class, SECTORS), Access::DIRECT, NOW)],
        planned: vec![StageKind::Overwrite, StageKind::Check],
        stages: vec![stage(overwritten), check(read)],
        ended: Ended::Finished,
        stated: Stated::default(),
    }
}

/// The record of one random pass that has earned Clear.
pub fn record() -> Record {
    record_of(faultless(MediaClass::Magnetic, &[Pattern::random([9; 16])]))
}

/// The record of such a job that was stopped: it has earned nothing.
pub fn stopped_record() -> Record {
    record_of(Evidence { ended: Ended::Stopped, ..faultless(MediaClass::Magnetic, &[Pattern::random([9; 16])]) })
}

fn record_of(evidence: Evidence) -> Record {
    let order = Order::of_method(method::find("random").expect("a method of the library"));
    let plan = Plan::new(&test_drive(MediaClass::Magnetic, SECTORS), &order, &mut Fixed(9)).expect("a plan for a healthy drive");
    let tool = Tool { name: "Jurex".into(), version: "0".into() };
    Record::new(JobId::new("261123", [1, 2, 3, 4]), tool, &plan, Contents::default(), evidence, (NOW, NOW), Papers::default())
}
