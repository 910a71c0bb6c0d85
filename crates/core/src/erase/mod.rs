//! The erase engine: a state machine ([`Job`]) that says what to do next and takes how it ended, and a loop
//! ([`run`]) that lets it work on a [`crate::medium::Medium`].

mod backend;
mod beside;
mod checkpoint;
mod draw;
mod event;
mod forecast;
mod job;
mod kept;
mod measure;
mod own;
mod run;
pub(crate) mod tune;

pub use backend::{Backend, Buffers, Done, Sequential, Setting, Trials};
pub use beside::{Beside, BesideMet, WithBeside};
pub use checkpoint::{BadCheckpoint, Checkpoint};
pub use event::{Activity, Event, FaultKind, Progress};
pub use job::{Completed, DriveChanged, Job, Now, Request, Step, Task, Wish};
pub use kept::{Change, Kept};
pub use own::{UnlockError, leave_failure, unlock};
pub use run::{CHUNK_BYTES, CheckpointStore, Clock, JobControl, KeepError, NotKept, Unattended, run};
