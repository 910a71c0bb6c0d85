//! The erase engine: a state machine ([`Job`]) that says what to do next and takes how it ended, and a loop
//! ([`run`]) that lets it work on a [`crate::medium::Medium`].

mod checkpoint;
mod crew;
mod event;
mod forecast;
mod job;
mod run;
mod tune;

pub use checkpoint::{BadCheckpoint, Checkpoint};
pub use crew::{Alone, Buffers, Crew, Done, Setting, Task, Trials};
pub use event::{Activity, Event, FaultKind, Progress};
pub use job::{Completed, DriveChanged, Job, Now, Operation, Request, Step, Wish};
pub use run::{CHUNK_BYTES, Clock, Control, KeepError, Keeper, NotKept, Unattended, run};
