//! How long a list of 24 drives takes when each takes half a second to answer, and when one of them never does.

use jurex_device::media::Drive;
use jurex_linux::System;
use std::fs;
use std::os::unix::fs::symlink;
use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, Instant};

const DRIVES: usize = 24;
const ANSWER: Duration = Duration::from_millis(500);

fn main() -> std::io::Result<()> {
    let root = tempfile::tempdir()?;
    let sys = root.path().join("sys");
    fs::create_dir_all(sys.join("block"))?;
    for i in 0..DRIVES {
        let dir = sys.join(format!("devices/ata{i}/sd{i}"));
        fs::create_dir_all(dir.join("queue"))?;
        for (name, value) in [("size", "2048"), ("dev", "8:0"), ("ro", "0"), ("queue/rotational", "1")] {
            fs::write(dir.join(name), value)?;
        }
        symlink(&dir, sys.join(format!("block/sd{i}")))?;
    }
    for hanging in [0, 1] {
        let system = System::at(sys.clone(), root.path().join("proc")).asking(Arc::new(move |drive: Drive, _: &Path| {
            let hangs = hanging > 0 && drive.path.ends_with("sd7");
            std::thread::sleep(if hangs { Duration::from_secs(60) } else { ANSWER });
            (drive, Default::default())
        }));
        let begun = Instant::now();
        let found = system.drives();
        println!("{} drives that answer after {ANSWER:?}, {hanging} of them hanging: {:?}", found.len(), begun.elapsed());
    }
    Ok(())
}
