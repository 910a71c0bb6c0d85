//! What the erasure of small files costs: files a second by the clock, and a second of processor. On an ext4 of its own on a loop device, so
//! by root only; the record and its paper are not in it.

#[path = "../tests/mounted/mod.rs"]
mod mounted;

use jurex_device::testing::Dice;
use jurex_file_erase::{FileEvidence, Trace};
use jurex_linux::files::{FilesOrder, FilesProgress, Id, Tree, Watcher, erase};
use jurex_pattern::notation::Program;
use mounted::{Mounted, write_marked};
use rustix::time::{ClockId, clock_gettime};
use std::collections::HashMap;

/// Writes notes as lines, as the program does, to nowhere.
#[derive(Default)]
struct Notes(Vec<u8>);

impl Notes {
    fn take(&mut self, trace: &Trace) -> std::io::Result<()> {
        self.0.clear();
        jurex_file_erase::WorkNote::write_trace(trace, &mut self.0)
    }
}

impl Watcher for Notes {
    fn begins(&mut self, traces: &[&Trace]) -> std::io::Result<()> {
        traces.iter().try_for_each(|t| self.take(t))
    }

    fn overwritten(&mut self, traces: &[Trace]) -> std::io::Result<()> {
        traces.iter().try_for_each(|t| self.take(t))
    }

    fn ended(&mut self, _: Id, _: &FileEvidence) {}

    fn lot_ended(&mut self) {}

    fn progress(&mut self, _: &FilesProgress) -> bool {
        true
    }
}

fn seconds(clock: ClockId) -> f64 {
    let now = clock_gettime(clock);
    now.tv_sec as f64 + now.tv_nsec as f64 / 1e9
}

fn main() {
    const FOLDERS: u64 = 20;
    const EACH: u64 = 1000;
    let Some(ext4) = Mounted::make("ext4", 1000, "mkfs.ext4", &["-F", "-q", "-b", "4096", "-N", "60000"], "") else { return };
    for round in 1..=3 {
        let root = ext4.path().join("stations");
        for folder in 0..FOLDERS {
            let folder = root.join(folder.to_string());
            std::fs::create_dir_all(&folder).expect("there is room");
            (0..EACH).for_each(|n| write_marked(&folder.join(format!("station-{n:05}.csv")), n, 3840, false));
        }
        ext4.sync();
        let tree = Tree::look(&[root], vec![], &mut |_| true).expect("it was made a moment ago");
        let passes = "00".parse::<Program>().expect("a pass").resolve(&mut Dice(1));
        let (grounds, numbers) = (tree.grounds(), vec![0]);
        let order = FilesOrder {
            passes,
            keep_names: false,
            name_salt: Some(vec![1; 16]),
            sample_salt: [1; 16],
            traces: HashMap::new(),
            grounds,
            numbers,
            empties_journals: true,
        };
        let (clock, processor) = (seconds(ClockId::Monotonic), seconds(ClockId::ProcessCPUTime));
        let done = erase(&tree, order, &mut Dice(2), &mut Notes::default());
        let (clock, processor) = (seconds(ClockId::Monotonic) - clock, seconds(ClockId::ProcessCPUTime) - processor);
        let files = (FOLDERS * EACH) as f64;
        assert!(done.files.iter().all(|f| f.not_removed.is_none() && f.fault.is_none()));
        println!("round {round}: {:.0} files/s by the clock, {:.0} a second of processor", files / clock, files / processor);
    }
}
