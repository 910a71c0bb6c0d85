//! Names that lead elsewhere while a job starts, and uses that no table of open files shows: what is open is what is judged.

use jurex_device::guard::Blocker;
use jurex_device::medium::Medium;
use jurex_linux::{OpenError, System, open};
use jurex_pattern::pattern::AlignedBuffer;
use jurex_pattern::units::Lba;
use rustix::fs::{CWD, RenameFlags, renameat_with};
use std::fs::{self, File};
use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicBool, Ordering};

/// A program that is ended with the test.
struct Program(Child);

impl Drop for Program {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// Runs these lines of Python until the test is over, once they have said that they are ready.
fn python(lines: &str, path: &Path) -> Program {
    let all =
        format!("import mmap, os, socket, sys, time\npath = sys.argv[1]\n{lines}\nprint('ready', flush=True)\ntime.sleep(600)\n");
    let mut child =
        Command::new("python3").arg("-c").arg(all).arg(path).stdout(Stdio::piped()).spawn().expect("python3 is on every machine");
    let mut said = String::new();
    BufReader::new(child.stdout.take().unwrap()).read_line(&mut said).unwrap();
    assert_eq!(said, "ready\n");
    Program(child)
}

fn image(dir: &Path, name: &str, byte: u8) -> PathBuf {
    let path = dir.join(name);
    fs::write(&path, vec![byte; 64 * 512]).unwrap();
    path
}

/// In a folder on the disk: memory file systems have other rules.
fn folder() -> tempfile::TempDir {
    tempfile::tempdir_in(".").unwrap()
}

#[test]
fn files_whose_names_are_exchanged_while_a_job_starts_are_never_taken_for_one_another() {
    let dir = folder();
    let (free, used) = (image(dir.path(), "free.img", 0xaa), image(dir.path(), "used.img", 0xbb));
    let _user = python("held = open(path, 'r+b')", &used);
    let over = AtomicBool::new(false);
    let (mut opened, mut refused) = (0, 0);
    std::thread::scope(|scope| {
        scope.spawn(|| {
            while !over.load(Ordering::Relaxed) {
                renameat_with(CWD, &free, CWD, &used, RenameFlags::EXCHANGE).unwrap();
            }
        });
        let system = System::default();
        for _ in 0..80 {
            let Ok(found) = system.find(&free) else { continue };
            if !found.hindrances.is_empty() {
                refused += 1;
                continue;
            }
            match open(&system, &found.drive) {
                Ok(mut medium) => {
                    opened += 1;
                    let mut first = AlignedBuffer::new(512);
                    medium.read(Lba(0), first.bytes()).unwrap();
                    assert_eq!(first.bytes()[0], 0xaa, "the file that somebody uses was opened for erasing");
                }
                Err(OpenError::Another(_) | OpenError::Hindered { .. }) => refused += 1,
                Err(other) => panic!("{other}"),
            }
        }
        over.store(true, Ordering::Relaxed);
    });
    assert!(opened > 0 && refused > 0, "both were met: opened {opened}, refused {refused}");
}

#[test]
fn a_file_that_lies_in_a_map_is_in_use_though_its_descriptor_is_closed() {
    let dir = folder();
    let path = image(dir.path(), "mapped.img", 1);
    let system = System::default();
    {
        let _user = python("f = open(path, 'r+b')\nm = mmap.mmap(f.fileno(), 0)\nf.close()", &path);
        let found = system.find(&path).unwrap();
        assert!(
            matches!(&found.hindrances[..], [Blocker::OpenBy { who, .. }] if who.starts_with("python")),
            "{:?}",
            found.hindrances
        );
    }
    assert_eq!(system.find(&path).unwrap().hindrances, [], "and it is free again");
}

#[test]
fn a_descriptor_that_is_under_way_in_a_socket_is_told_by_the_kernel() {
    let dir = folder();
    let path = image(dir.path(), "sent.img", 1);
    let send = "a, b = socket.socketpair()\nfd = os.open(path, os.O_RDWR)\nsocket.send_fds(a, [b'x'], [fd])\nos.close(fd)";
    let _user = python(send, &path);
    let system = System::default();
    let found = system.find(&path).unwrap();
    assert_eq!(found.hindrances, [], "no table shows it");
    let Err(OpenError::Hindered { refusal, .. }) = open(&system, &found.drive) else { panic!("it was opened") };
    assert_eq!(refusal.hindrances, [Blocker::OpenUnseen]);
    assert_eq!(fs::read(&path).unwrap(), vec![1; 64 * 512]);
}

#[test]
fn what_was_put_in_a_files_place_is_not_opened() {
    let dir = folder();
    let path = image(dir.path(), "drive.img", 1);
    let system = System::default();
    let found = system.find(&path).unwrap();
    let other = image(dir.path(), "other.img", 2);
    let replaced = |with: &str| {
        fs::remove_file(&path).unwrap();
        match with {
            "file" => fs::rename(&other, &path).unwrap(),
            "link" => std::os::unix::fs::symlink("/dev/null", &path).unwrap(),
            _ => rustix::fs::mknodat(CWD, &path, rustix::fs::FileType::Fifo, rustix::fs::Mode::from(0o600), 0).unwrap(),
        }
        open(&system, &found.drive).map(|_| ())
    };
    assert!(matches!(replaced("file"), Err(OpenError::Another(_))));
    assert!(replaced("link").is_err());
    assert!(matches!(replaced("queue"), Err(OpenError::Another(_))), "and nobody waits for a writer of it");
}

#[test]
fn a_program_that_reads_it_only_is_seen_by_its_map_too() {
    let dir = folder();
    let path = image(dir.path(), "library.img", 1);
    let _user = python(
        "f = open(path, 'rb')\nm = mmap.mmap(f.fileno(), 0, prot=mmap.PROT_READ, flags=mmap.MAP_PRIVATE)\nf.close()",
        &path,
    );
    let found = System::default().find(&path).unwrap();
    assert!(matches!(&found.hindrances[..], [Blocker::OpenBy { .. }]), "{:?}", found.hindrances);
    assert!(File::open(&path).is_ok());
}
