//! Less than a drive: files, folders and free space, through the file system and past it.

mod contents;
mod fill;
mod freemap;
mod ground;
mod places;
mod pool;
mod removal;
mod tree;
mod work;

pub use fill::{
    FillError, FillOrder, FillPhase, FillProgress, FillWatcher, Filled, clean, fill, ground_at, space, usual_reserve,
};
pub use ground::mounted;
pub use tree::{Id, NamedRoot, Tree, TreeError, TreeNode, found_again};
pub use work::{FilesDone, FilesOrder, FilesProgress, Watcher, erase};
