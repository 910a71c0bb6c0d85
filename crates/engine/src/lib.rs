//! The erase engine: a state machine ([`Job`]) that says what to do next and takes how it ended, and a loop
//! ([`run`]) that lets it work on a [`jurex_device::medium::Medium`].
//!
//! What does not live here: what a result is worth (jurex-sanitize), system calls and threads (jurex-linux), clocks and where
//! checkpoints are kept (whoever runs a job brings them).
#![forbid(unsafe_code)]

mod backend;
mod baseline;
mod checkpoint;
mod doubt;
mod event;
mod forecast;
mod job;
mod list;
mod measure;
mod native;
mod requests;
mod run;
mod saved;
mod siblings;
#[cfg(any(test, feature = "testing"))]
pub mod testing;
mod tune;

pub use backend::{Backend, Buffers, Done, RequestSetting, Sequential, Trials};
pub use checkpoint::{BadCheckpoint, Checkpoint};
pub use doubt::{Doubt, Probed};
pub use event::{Activity, Event, FaultKind, Progress};
pub use job::{Completed, Control, DriveChanged, Job, JobStep, Now, Request, Task};
pub use list::{Attempt, NextAttempt, WorkList};
pub use native::{UnlockError, leave_failure, unlock};
pub use requests::{GIVEN_UP_AFTER, LEFT_AFTER, NoAnswer, Requests, Waited, ask};
pub use run::{CHUNK_BYTES, CheckpointStore, Clock, JobControl, KeepError, NotKept, Unattended, run};
pub use saved::{Change, CheckpointSaved};
pub use siblings::{Sibling, SiblingMet, WithSiblings};
