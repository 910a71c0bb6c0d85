//! Noticing changes in a described system, without any real device.

use jurex_linux::{DriveWatch, System};
use std::fs;
use std::time::Duration;

#[test]
fn drives_mounts_and_other_disks_under_the_same_name_are_noticed() {
    let root = tempfile::tempdir().unwrap();
    let (sys, proc) = (root.path().join("sys"), root.path().join("proc"));
    let put = |path: &str, text: &str| {
        let file = sys.join("block").join(path);
        fs::create_dir_all(file.parent().unwrap()).unwrap();
        fs::write(file, text).unwrap();
    };
    put("sda/size", "2048");
    fs::create_dir_all(proc.join("self")).unwrap();
    fs::write(proc.join("self/mountinfo"), "").unwrap();
    let mut watch = DriveWatch::new(&System::at(sys.clone(), proc.clone()));
    let mut changed = || watch.wait(Duration::from_millis(10));
    assert!(!changed(), "nothing has happened");
    put("sdb/size", "4096");
    assert!(changed());
    assert!(!changed());
    put("sdb/diskseq", "7");
    assert!(changed(), "another disk of the same size under the same name");
    fs::write(proc.join("self/mountinfo"), "36 1 8:16 / /mnt rw - ext4 /dev/sdb rw\n").unwrap();
    assert!(changed());
    put("sdb/holders/dm-0/x", "");
    assert!(changed());
    fs::remove_dir_all(sys.join("block/sdb")).unwrap();
    assert!(changed());
    assert!(!changed());
}
