//! How long a person waits: `jurex drives` with 32 loop devices, and the first picture of the interface. Prints medians;
//! asserts nothing, since machines are shared. The loop devices need root, the picture needs tmux.

use std::fs::File;
use std::process::Command;
use std::time::{Duration, Instant};

const PROGRAM: &str = env!("CARGO_BIN_EXE_jurex");
const ROUNDS: usize = 15;

fn median(mut times: Vec<Duration>) -> String {
    times.sort();
    format!("median {:?}, from {:?} to {:?}", times[times.len() / 2], times[0], times[times.len() - 1])
}

fn main() -> std::io::Result<()> {
    let dir = tempfile::tempdir()?;
    let home = dir.path().join("home");
    drives(dir.path(), &home)?;
    first_picture(&home);
    Ok(())
}

fn drives(dir: &std::path::Path, home: &std::path::Path) -> std::io::Result<()> {
    let mut devices = vec![];
    for i in 0..32 {
        let image = dir.join(format!("{i}.img"));
        File::create(&image)?.set_len(1 << 20)?;
        match Command::new("losetup").args(["--find", "--show"]).arg(&image).output() {
            Ok(o) if o.status.success() => devices.push(String::from_utf8_lossy(&o.stdout).trim().to_string()),
            _ => println!("no loop device could be attached (not root?)"),
        }
    }
    let times = (0..ROUNDS).map(|_| {
        let begun = Instant::now();
        let done = Command::new(PROGRAM).arg("drives").env("JUREX_HOME", home).output();
        assert!(done.is_ok_and(|o| o.status.success()));
        begun.elapsed()
    });
    println!("jurex drives with {} loop devices: {}", devices.len(), median(times.collect()));
    for device in devices {
        Command::new("losetup").args(["--detach", &device]).status()?;
    }
    Ok(())
}

fn first_picture(home: &std::path::Path) {
    let socket = format!("jurex-bench-{}", std::process::id());
    let tmux = |arguments: &[&str]| Command::new("tmux").args(["-L", &socket]).args(arguments).output();
    let run = |what: &str| {
        let line = format!("JUREX_HOME={} exec {PROGRAM} {what}", home.display());
        let begun = Instant::now();
        tmux(&["-f", "/dev/null", "new-session", "-d", "-x", "160", "-y", "47", "sh", "-c", &line]).ok()?;
        loop {
            let screen = String::from_utf8_lossy(&tmux(&["capture-pane", "-p"]).ok()?.stdout).into_owned();
            if screen.contains("jurex ") || begun.elapsed() > Duration::from_secs(10) {
                let took = begun.elapsed();
                tmux(&["kill-server"]).ok()?;
                std::thread::sleep(Duration::from_millis(100));
                return Some(took);
            }
        }
    };
    for what in ["", "demo"] {
        let times: Vec<Duration> = (0..ROUNDS).filter_map(|_| run(what)).collect();
        if times.is_empty() {
            println!("no tmux");
            return;
        }
        println!("first picture of `jurex {what}`, with the start of tmux and its polling: {}", median(times));
    }
}
