//! A job of a drive's own erasure, whose drive answers anything at all: it never panics, sends nothing that changes the drive
//! before its place is kept, and claims nothing that was not read.
#![no_main]

use jurex_device::media::{Bus, MediaClass};
use jurex_device::medium::Access;
use jurex_device::native::Capabilities;
use jurex_device::native::command::{Answer, Command, Image};
use jurex_device::testing::{Fixed, cleared_for, test_drive};
use jurex_engine::{Checkpoint, CheckpointSaved, CheckpointStore, Completed, Job, JobStep, KeepError, NotKept, Now, Task};
use jurex_pattern::ranges::RangeSet;
use jurex_sanitize::digest::SectorDigest;
use jurex_sanitize::plan::{NativeOrder, Plan, Secret};
use jurex_sanitize::probe_tag::ProbeTag;
use jurex_sanitize::rules::{Edition, Outcome, Technique, judge};
use libfuzzer_sys::fuzz_target;
use std::time::Duration;

const WAYS: [(Bus, Technique); 14] = [
    (Bus::Sata, Technique::SanitizeBlock),
    (Bus::Sata, Technique::SanitizeCrypto),
    (Bus::Sata, Technique::SecurityErase),
    (Bus::Sata, Technique::SecurityEraseEnhanced),
    (Bus::Sas, Technique::SanitizeOverwrite),
    (Bus::Sas, Technique::SanitizeBlock),
    (Bus::Nvme, Technique::SanitizeBlock),
    (Bus::Nvme, Technique::SanitizeCrypto),
    (Bus::Nvme, Technique::Format),
    (Bus::Nvme, Technique::FormatCrypto),
    (Bus::Mmc, Technique::MmcSanitize),
    (Bus::Mmc, Technique::MmcSecureErase),
    (Bus::Mmc, Technique::SdErase),
    (Bus::Nvme, Technique::TcgRevert),
];

struct Remembers(u32);

impl CheckpointStore for Remembers {
    fn keep(&mut self, checkpoint: &Checkpoint) -> Result<(), KeepError> {
        self.0 += 1;
        let _ = Checkpoint::from_json(&checkpoint.to_json()).expect("what a job makes can be gone on from");
        NotKept.keep(checkpoint)
    }
}

/// The next answer: its length, and bytes.
fn answer(command: &Command, rest: &mut &[u8]) -> Answer {
    let Some((first, after)) = rest.split_first() else { return Answer::Lost { why: "the end".into() } };
    let len = usize::from(*first & 0x3f).min(after.len());
    let (said, left) = after.split_at(len);
    *rest = left;
    let wide = |n: usize| said.iter().copied().cycle().take(if said.is_empty() { 0 } else { n }).collect::<Vec<u8>>();
    match (&command.image, first >> 6) {
        (_, 3) => Answer::Lost { why: "lost".into() },
        (Image::Scsi(_), 0) => Answer::Scsi { status: 0, sense: vec![], data: wide(512) },
        (Image::Scsi(_), _) => Answer::Scsi { status: 2, sense: said.to_vec(), data: vec![] },
        (Image::Nvme { .. }, kind) => Answer::Nvme { status: if kind == 0 { 0 } else { u16::from(*first) }, data: wide(4096) },
        (Image::Mmc { .. }, kind) => {
            Answer::Mmc { response: if kind == 0 { 0x900 } else { u32::from(*first) << 24 }, data: wide(512) }
        }
        (Image::Opal(_), kind) => Answer::Opal { status: u32::from(kind), flags: said.first().copied().unwrap_or(0).into() },
    }
}

fuzz_target!(|bytes: &[u8]| {
    let Some((first, mut rest)) = bytes.split_first() else { return };
    let (bus, technique) = WAYS[usize::from(*first) % WAYS.len()];
    let mut drive = test_drive(MediaClass::SolidState, 64);
    (drive.bus, drive.protocol) = (bus, bus.protocol());
    let order = NativeOrder::new(technique, &drive, &Capabilities::default());
    let Ok(plan) = Plan::own(&drive, &order, &mut Fixed(3)) else { return };
    let armed = plan.arm(&cleared_for(&drive, plan.intent()), "K7Q41M").expect("the label is right");
    let armed = armed.with_secret(Some(Secret::psid("PSID")));
    let mut now = Now { wall: Default::default(), mono: Duration::from_secs(1) };
    let mut job = Job::start(armed, &drive, Access::DIRECT, 1 << 20, now).expect("it is the drive");
    let (mut store, mut spent, mut changes) = (Remembers(0), 0, 0);
    for _ in 0..400 {
        let (tag, how) = match job.request(now) {
            JobStep::Do(request) => {
                let how = match request.task {
                    Task::ReadBack(..) => Completed::Read { wrong: RangeSet::new() },
                    Task::Digest(at, _) => Completed::Digested(vec![SectorDigest::Digest(7); at.count as usize]),
                    Task::Tags(at, _) => Completed::Tags(vec![ProbeTag::None; at.count as usize]),
                    Task::Identify => Completed::Identified(Box::new(drive.clone())),
                    Task::Ask(command) => Completed::Answered(vec![answer(&command, &mut rest)]),
                    Task::Change(change) => {
                        changes += 1;
                        assert!(store.0 > spent, "nothing changes the drive before the place is kept");
                        spent = store.0;
                        let mut said = vec![];
                        for command in change.commands() {
                            said.push(answer(command, &mut rest));
                            if !said.last().is_some_and(Answer::is_good) {
                                break;
                            }
                        }
                        Completed::Answered(said)
                    }
                    Task::Beside(..) => Completed::Beside(vec![]),
                    Task::Search(_) => unreachable!("no job searches: a search is a reading beside it"),
                    Task::Write(..) | Task::Probe(_) | Task::Flush | Task::Rescan => Completed::Done,
                };
                (request.tag, how)
            }
            JobStep::Keep => {
                let checkpoint = job.take_checkpoint().expect("there is something to keep");
                job.kept(CheckpointSaved::of(&mut store, &checkpoint), now);
                continue;
            }
            JobStep::Until(so_long) => {
                now.mono += so_long;
                continue;
            }
            JobStep::Wait | JobStep::Held | JobStep::Ended => break,
        };
        job.complete(tag, how, now);
        if let Some(checkpoint) = job.take_checkpoint() {
            job.kept(CheckpointSaved::of(&mut store, &checkpoint), now);
        }
    }
    let evidence = job.into_evidence();
    evidence.check_soundness().expect("what a job leaves is sound");
    let claim = judge(Edition::default(), &evidence);
    assert!(changes > 0 || claim.outcome() == Outcome::NotSanitized, "nothing was sent, and nothing is claimed");
    if technique.leaves_unknown_bytes() {
        assert_eq!(claim.outcome(), Outcome::NotSanitized, "everything is as it was");
    }
});
