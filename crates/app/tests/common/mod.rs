//! What the tests of the real program share: a home of its own, images, loop devices, plain byte checks.
#![allow(dead_code, reason = "each test file uses its part")]

use std::fs;
use std::io::{BufRead, BufReader, Lines};
use std::path::{Path, PathBuf};
use std::process::{Child, ChildStdout, Command, Output, Stdio};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Mutex, Once, PoisonError};
use std::time::Duration;

/// The program under test.
pub const PROGRAM: &str = env!("CARGO_BIN_EXE_jurex");

/// A folder with a home for Jurex, gone at the end.
pub struct Place {
    dir: tempfile::TempDir,
}

/// How long all tests of one file may take: far more than they do on a busy machine.
const DEADLINE: Duration = Duration::from_secs(20 * 60);
static WATCH: Once = Once::new();

/// Whatever a test waits for (a program's end, a line of its output, a lock) has this deadline: then what was begun is ended, and the
/// tests with it.
fn end_what_does_not_end() {
    std::thread::sleep(DEADLINE);
    let own = std::process::id().to_string();
    let left = Command::new("pgrep").args(["-a", "-P", &own]).output().map(|o| String::from_utf8_lossy(&o.stdout).into_owned());
    eprintln!("NO END after {DEADLINE:?}; still running: {}", left.unwrap_or_default());
    let _ = Command::new("pkill").args(["-KILL", "-P", &own]).status();
    std::process::abort();
}

impl Place {
    pub fn new() -> Self {
        WATCH.call_once(|| drop(std::thread::spawn(end_what_does_not_end)));
        // Beside the build, not in /tmp: that may be memory, where direct I/O is not allowed.
        Self { dir: tempfile::tempdir_in(env!("CARGO_TARGET_TMPDIR")).unwrap() }
    }

    /// A home where somebody has been before: the interface opens at the bench, without the greeting of a first start.
    pub fn greeted(&self) {
        for file in ["home/greeted", "home/demo/greeted"] {
            let file = self.path(file);
            fs::create_dir_all(file.parent().unwrap()).unwrap();
            fs::write(file, "").unwrap();
        }
    }

    pub fn path(&self, name: &str) -> PathBuf {
        self.dir.path().join(name)
    }

    pub fn command(&self) -> Command {
        let mut command = Command::new(PROGRAM);
        command.env("JUREX_HOME", self.path("home")).env_remove("NO_COLOR");
        command
    }

    /// Runs the program to its end.
    pub fn jurex(&self, arguments: &[&str]) -> Answer {
        Answer::of(self.command().args(arguments).output().unwrap())
    }

    /// Begins to erase `drive` by these passes, and gives the program with the events that it tells, each a line.
    pub fn erasing(&self, drive: &Path, sectors: u64, passes: &str) -> (Child, Lines<BufReader<ChildStdout>>) {
        let (label, out) = (sectors.to_string(), self.path("out"));
        let arguments = ["erase", shown(drive), "--passes", passes, "--label-check", &label, "--out", shown(&out), "--json"];
        let mut child = self.command().args(arguments).stdout(Stdio::piped()).stderr(Stdio::null()).spawn().unwrap();
        let lines = BufReader::new(child.stdout.take().unwrap()).lines();
        (child, lines)
    }

    /// An image of `bytes` bytes, filled with something that no pass lays.
    pub fn image(&self, name: &str, bytes: usize) -> PathBuf {
        let path = self.path(name);
        fs::write(&path, b"tide log ".iter().copied().cycle().take(bytes).collect::<Vec<u8>>()).unwrap();
        path
    }

    /// The only file in `folder` with that ending.
    pub fn only(&self, folder: &str, ending: &str) -> PathBuf {
        let all = fs::read_dir(self.path(folder)).unwrap().map(|e| e.unwrap().path());
        let mut found: Vec<PathBuf> = all.filter(|p| p.to_string_lossy().ends_with(ending)).collect();
        assert_eq!(found.len(), 1, "one {ending} in {folder}: {found:?}");
        found.remove(0)
    }
}

impl Drop for Place {
    /// Whatever a test has left written must be what its schema says.
    fn drop(&mut self) {
        if std::thread::panicking() {
            return;
        }
        let mut files = vec![];
        find_files(self.dir.path(), &mut files);
        for kind in ["record", "verification", "lot", "release", "files"] {
            let of_kind = files.iter().filter(|f| f.to_string_lossy().ends_with(&format!(".{kind}.json")));
            let documents: Vec<serde_json::Value> = of_kind.map(|f| json(f)).collect();
            if let (false, Some(found)) = (documents.is_empty(), faults(kind, &documents)) {
                assert!(found.iter().all(Vec::is_empty), "{kind}: {found:?}");
            }
        }
    }
}

fn find_files(folder: &Path, files: &mut Vec<PathBuf>) {
    for path in fs::read_dir(folder).into_iter().flatten().flatten().map(|f| f.path()) {
        if path.is_dir() && !path.is_symlink() { find_files(&path, files) } else { files.push(path) }
    }
}

/// Every Rust file below a folder, in order.
pub fn rust_files(folder: &Path) -> Vec<PathBuf> {
    let mut files = vec![];
    find_files(folder, &mut files);
    files.retain(|f| f.extension().is_some_and(|e| e == "rs"));
    files.sort();
    files
}

/// The same without folders and files called `tests`.
pub fn sources(folder: &Path) -> Vec<PathBuf> {
    let is_test = |file: &PathBuf| {
        let below = file.strip_prefix(folder).unwrap().with_extension("");
        below.components().any(|part| part.as_os_str() == "tests")
    };
    rust_files(folder).into_iter().filter(|file| !is_test(file)).collect()
}

/// What the program's schema of that name finds wrong with each document; `None`, with a word on it, where there is no program to ask.
pub fn faults(schema: &str, documents: &[serde_json::Value]) -> Option<Vec<Vec<String>>> {
    const ASK: &str = "import sys, json, jsonschema\n\
        schema = json.loads(sys.argv[1])\n\
        check = jsonschema.validators.validator_for(schema)(schema)\n\
        print(json.dumps([[e.json_path + ': ' + e.message[:200] for e in check.iter_errors(d)] for d in json.load(sys.stdin)]))";
    let text = Answer::of(Command::new(PROGRAM).args(["schema", schema]).output().unwrap()).expect(0, &["$schema"]).out;
    let ask = |python: &str| {
        let mut asked = Command::new(python);
        asked.args(["-c", ASK, &text]).stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::null());
        let mut child = asked.spawn().ok()?;
        serde_json::to_writer(child.stdin.take()?, documents).ok()?;
        let output = child.wait_with_output().ok()?;
        serde_json::from_slice(&output.stdout).ok()
    };
    let found = ["/usr/bin/python3", "python3"].into_iter().find_map(ask);
    if found.is_none() {
        not_run("no Python with jsonschema here");
    }
    found
}

/// What the program answered.
#[derive(Debug)]
pub struct Answer {
    pub code: i32,
    pub out: String,
    pub err: String,
}

impl Answer {
    pub fn of(output: Output) -> Self {
        let text = |bytes: Vec<u8>| String::from_utf8(bytes).unwrap();
        Self { code: output.status.code().unwrap_or(-1), out: text(output.stdout), err: text(output.stderr) }
    }

    /// Asserts the exit code and words of the message.
    #[track_caller]
    pub fn expect(self, code: i32, words: &[&str]) -> Self {
        let said = format!("{}{}", self.out, self.err);
        assert_eq!(self.code, code, "{said}");
        words.iter().for_each(|w| assert!(said.contains(w), "`{w}` is not in: {said}"));
        self
    }
}

pub fn shown(path: &Path) -> &str {
    path.to_str().unwrap()
}

/// A JSON document from a file.
pub fn json(path: &Path) -> serde_json::Value {
    serde_json::from_str(&fs::read_to_string(path).unwrap()).unwrap()
}

/// Whether what a test needs may be missing. With `JUREX_REQUIRE_ALL=1`, as in CI, it may not.
#[track_caller]
pub fn not_run(why: &str) {
    assert!(std::env::var_os("JUREX_REQUIRE_ALL").is_none(), "NOT RUN, and everything is to be run: {why}");
    eprintln!("NOT RUN, {why}");
}

/// At least so many bytes, in steps of 4096, and as many as no block device of this machine has: where nothing names a drive its label
/// is its number of sectors, and of two with one label neither is armed.
pub fn odd(bytes: usize) -> usize {
    static STEP: AtomicUsize = AtomicUsize::new(1);
    let of = |device: fs::DirEntry| fs::read_to_string(device.path().join("size")).ok()?.trim().parse::<usize>().ok();
    let taken: Vec<usize> = fs::read_dir("/sys/class/block").into_iter().flatten().flatten().filter_map(of).collect();
    let sizes = std::iter::repeat_with(|| bytes + STEP.fetch_add(1, Ordering::Relaxed) * 4096);
    sizes.into_iter().find(|size| !taken.contains(&(size / 512))).unwrap()
}

/// The label of what nothing names: its sectors of 512 bytes.
pub fn label(bytes: usize) -> String {
    (bytes / 512).to_string()
}

/// A loop device over an image, detached at the end. `None`, with a word on it, where it can't be had.
pub struct Loop {
    pub device: String,
}

impl Loop {
    pub fn attach(image: &Path) -> Option<Self> {
        Self::attach_with(image, &[])
    }

    /// The same with more options of losetup.
    pub fn attach_with(image: &Path, more: &[&str]) -> Option<Self> {
        let _turn = TURN.lock().unwrap_or_else(PoisonError::into_inner);
        let output = Command::new("losetup").args(["--find", "--show", "--direct-io=on"]).args(more).arg(image).output();
        match output {
            Ok(o) if o.status.success() => Some(Self { device: String::from_utf8(o.stdout).unwrap().trim().to_string() }),
            Ok(o) => {
                not_run(&format!("no loop device (this test needs root): {}", String::from_utf8_lossy(&o.stderr).trim()));
                None
            }
            Err(e) => {
                not_run(&format!("no losetup: {e}"));
                None
            }
        }
    }

    /// Another image comes to the very same device.
    pub fn exchange(&self, image: &Path) {
        let _turn = TURN.lock().unwrap_or_else(PoisonError::into_inner);
        for arguments in [vec!["--detach", &self.device], vec!["--direct-io=on", &self.device, shown(image)]] {
            assert!(Command::new("losetup").args(&arguments).status().unwrap().success(), "{arguments:?}");
        }
    }
}

/// A device that is let go of for a moment is nobody else's.
static TURN: Mutex<()> = Mutex::new(());

impl Drop for Loop {
    fn drop(&mut self) {
        let _ = Command::new("losetup").args(["--detach", &self.device]).status();
    }
}
