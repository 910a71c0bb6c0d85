//! A stand-in for tests: what lies beneath a file.

use crate::StorageStack;

/// The file system `kind` at `mount`, on a partition and on nothing else that is known.
pub fn ground(kind: &str, mount: &str) -> StorageStack {
    StorageStack {
        kind: kind.into(),
        holds: String::new(),
        mount: mount.into(),
        source: "/dev/sdb1".into(),
        options: vec![],
        block: 4096,
        bytes: 1 << 30,
        shares: None,
        layers: vec![],
    }
}
