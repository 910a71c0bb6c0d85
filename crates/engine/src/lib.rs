//! The erase engine: a state machine ([`Job`]) that says what to do next and takes how it ended, and a loop
//! ([`run`]) that lets it work on a [`jurex_device::medium::Medium`].
//!
//! What does not live here: what a result is worth (jurex-sanitize), system calls and threads (jurex-linux), clocks and where
//! checkpoints are kept (whoever runs a job brings them).
//!
//! ```
//! use jurex_device::media::MediaClass;
//! use jurex_device::medium::Access;
//! use jurex_device::testing::{Fixed, Memory, cleared};
//! use jurex_engine::testing::Steady;
//! use jurex_engine::{Clock, Job, NotKept, Sequential, Unattended, run};
//! use jurex_sanitize::plan::{Order, Plan};
//! use jurex_sanitize::rules::{Edition, Outcome, judge};
//!
//! let (mut medium, clock) = (Memory::new(MediaClass::Magnetic, 64), Steady::default());
//! let order = Order::of_program("zeros", "00".parse().unwrap());
//! let armed = Plan::new(&medium.drive, &order, &mut Fixed(0)).unwrap().arm(&cleared(&medium.drive), "K7Q41M").unwrap();
//! let job = Job::start(armed, &medium.drive, Access::DIRECT, 8 * 512, clock.now()).unwrap();
//! let evidence = run(job, &mut Sequential::new(&mut medium), &clock, &mut Unattended, &mut NotKept, &mut |_| {});
//! assert_eq!(judge(Edition::default(), &evidence).outcome(), Outcome::Clear);
//! assert!(medium.bytes.iter().all(|byte| *byte == 0));
//! ```
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
mod reading;
mod requests;
mod run;
mod saved;
mod search;
mod siblings;
#[cfg(any(test, feature = "testing"))]
pub mod testing;
mod tune;

pub use backend::{Backend, Buffers, Done, RequestSetting, Sequential, Trials};
pub use checkpoint::{BadCheckpoint, Checkpoint};
pub use event::{Activity, Event, FaultKind, Progress};
pub use job::{Completed, Control, DriveChanged, Job, JobStep, Now, Request, Task};
pub use list::WorkList;
pub use native::{UnlockError, leave_failure, unlock};
pub use reading::{DriveReader, ReadingPurpose};
pub use requests::{GIVEN_UP_AFTER, LEFT_AFTER, NoAnswer, Requests, ask};
pub use run::{CHUNK_BYTES, CheckpointStore, Clock, JobControl, KeepError, NotKept, Unattended, run};
pub use saved::{Change, CheckpointSaved};
pub use search::search;
pub use siblings::{Sibling, SiblingMet, WithSiblings};
