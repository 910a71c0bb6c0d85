//! Any text as a checkpoint: refused, or one that a job can go on from without a panic, whatever the drive answers.
#![no_main]

use jurex_device::medium::Access;
use jurex_device::testing::cleared_for;
use jurex_engine::{Checkpoint, CheckpointSaved, Completed, Job, JobStep, NotKept, Now, Task};
use jurex_pattern::ranges::RangeSet;
use libfuzzer_sys::fuzz_target;
use std::time::Duration;

fuzz_target!(|text: &str| {
    let Ok(checkpoint) = Checkpoint::from_json(text) else { return };
    let drive = checkpoint.drive().clone();
    let _ = (checkpoint.place(), checkpoint.to_json());
    if drive.geometry.sectors == 0 || drive.zoned_by_host || drive.class == jurex_device::media::MediaClass::Optical {
        return;
    }
    let word = cleared_for(&drive, checkpoint.intent());
    let typed = drive.unit.serial().map_or(drive.geometry.sectors.to_string(), str::to_string);
    let Ok(armed) = checkpoint.arm(&word, &typed) else { return };
    let now = Now { wall: Default::default(), mono: Duration::from_secs(1) };
    let Ok(mut job) = Job::resume(&checkpoint, armed, &drive, Access::DIRECT, 1 << 20, now) else { return };
    for _ in 0..200 {
        let (tag, how) = match job.request(now) {
            JobStep::Do(request) => {
                let how = match request.task {
                    Task::ReadBack(..) => Completed::Read { wrong: RangeSet::new() },
                    Task::Identify => Completed::Identified(Box::new(drive.clone())),
                    _ => Completed::Done,
                };
                (request.tag, how)
            }
            JobStep::Keep => {
                let Some(kept) = job.take_checkpoint() else { break };
                job.kept(CheckpointSaved::of(&mut NotKept, &kept), now);
                continue;
            }
            _ => break,
        };
        job.complete(tag, how, now);
    }
    let _ = job.into_evidence();
});
