//! Less than a drive: single files, trees of folders, and the free space of a file system in use.
//!
//! No standard calls this sanitization, and nothing here earns an outcome. What is said of a file follows from what the file system told
//! of it, from what was laid and read back through it, and from what then lay in its old places on the device ([`file::FileEvidence::ending`]).
//!
//! What does not live here: how files are found, opened and overwritten (jurex-linux does that by this crate's judgements).
//!
//! ```
//! use jurex_device::testing::Fixed;
//! use jurex_file_erase::{Names, lengths};
//!
//! // A name is written over by others of the same length, then by shorter and shorter ones.
//! let name = Names::new(&mut Fixed(1)).draw(lengths("accounts.ods".len())[0]);
//! assert_eq!(name.len(), 12);
//! ```
#![forbid(unsafe_code)]

mod fat;
mod file;
mod free;
mod ground;
mod names;
mod note;
mod record;
mod strip;
#[cfg(any(test, feature = "testing"))]
pub mod testing;
mod trace;

pub use fat::free_clusters;
pub use file::{
    Because, Ending, FileBefore, FileEvidence, FileReadBack, LeftAlone, Name, NameRemoval, NodeKind, OldPlaces, STOPPED,
    WhyNotRead,
};
pub use free::{Fill, FreeEvidence, FreeFinding, FreeProof};
pub use ground::{EXTERNAL_JOURNAL, FileSystemFamily, StackDoubt, StackLayer, StorageStack, Weight};
pub use names::{Names, lengths};
pub use note::{KnownBy, Noted, NotedProgress, NotedRoot, WorkNote};
pub use record::{BELIEVED, BadFileEraseRecord, Counted, EndedSo, FORMAT, FileEraseOrder, FileEraseRecord, FileTally, FileWork};
pub use strip::{BINS, ShownPart, Strip, StripRun};
pub use trace::{FileSeen, Lies, SectorSample, Stretch, Trace};
