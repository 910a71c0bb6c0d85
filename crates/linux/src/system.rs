//! The system's views of its devices, and what is never to be erased of them.

use crate::ask::ask;
use jurex_device::media::Drive;
use jurex_device::native::Capabilities;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};

/// Asks the drive whose sysfs folder is given; gives the drive as it says it is, and its answers. May take long.
pub type Asker = Arc<dyn Fn(Drive, &Path) -> (Drive, Capabilities) + Send + Sync>;

/// The system's views of its devices, usually `/sys` and `/proc`; tests point them at trees of their own.
#[derive(Clone)]
pub struct System {
    pub(crate) sys: PathBuf,
    pub(crate) proc: PathBuf,
    /// If not empty, only drives that one of these names may be erased.
    pub(crate) only: Vec<String>,
    /// Files of Jurex itself.
    pub(crate) own_files: Vec<PathBuf>,
    /// Whether this computer was started from a medium of ours: then all such media are left alone. The device that it was started from,
    /// if that is known.
    pub(crate) start_medium: Option<Option<String>>,
    /// Whether these are the kernel's own views, and not trees that a test has made.
    pub(crate) is_kernels_own: bool,
    pub(crate) asker: Asker,
    /// Drives that are being asked now: one that hangs is not asked a second time meanwhile.
    pub(crate) asking: Arc<Mutex<BTreeSet<PathBuf>>>,
}

impl Default for System {
    fn default() -> Self {
        Self { is_kernels_own: true, ..Self::at("/sys".into(), "/proc".into()) }
    }
}

impl std::fmt::Debug for System {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("System").field("sys", &self.sys).field("proc", &self.proc).field("only", &self.only).finish()
    }
}

impl System {
    /// A system whose devices are described in these folders.
    pub fn at(sys: PathBuf, proc: PathBuf) -> Self {
        Self {
            sys,
            proc,
            only: vec![],
            own_files: vec![],
            start_medium: None,
            is_kernels_own: false,
            asker: Arc::new(ask),
            asking: Arc::default(),
        }
    }

    /// The same, but only drives that one of these names may be erased. A name is a pattern with `*` and `?` over the
    /// device's path (`/dev/sd?`), `bus:` and the word of a bus (`bus:usb`), or `port:` and a pattern over the device's
    /// place in sysfs (`port:*/usb1/1-2/*`). No names: all drives.
    pub fn only(mut self, names: &[String]) -> Self {
        self.only = names.to_vec();
        self
    }

    /// The same, but these files are never erased as images: they are Jurex's own.
    pub fn keeping(mut self, files: Vec<PathBuf>) -> Self {
        self.own_files = files;
        self
    }

    /// The same, of a computer that was started from a medium of ours, on that device if it is known: such media are never erased.
    pub fn started_from(mut self, device: Option<String>) -> Self {
        self.start_medium = Some(device);
        self
    }

    pub(crate) fn own_files(&self) -> &[PathBuf] {
        &self.own_files
    }

    /// The same with another way to ask drives.
    pub fn asking(mut self, asker: Asker) -> Self {
        self.asker = asker;
        self
    }
}
