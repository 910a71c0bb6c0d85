//! The real program in a real terminal: tmux types the keys and reads the screen.

mod common;

use common::{Loop, PROGRAM, Place, shown};
use std::fs;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

/// A tmux server of its own with the program in it.
struct Terminal {
    socket: String,
}

impl Terminal {
    /// Starts the program in a shell, so that what it says after the screen is put back can be read too. `None`, with a
    /// word on it, where there is no tmux.
    fn start(place: &Place, arguments: &str) -> Option<Self> {
        place.greeted();
        Self::start_first(place, arguments)
    }

    /// The same where nobody was greeted yet.
    fn start_first(place: &Place, arguments: &str) -> Option<Self> {
        let socket = format!("jurex-{}-{:?}", std::process::id(), std::thread::current().id()).replace(['(', ')'], "");
        let terminal = Self { socket };
        let line = format!("JUREX_HOME={} {PROGRAM} {arguments}; echo \"exit code $?\"; exec sh", shown(&place.path("home")));
        let started = terminal.tmux(&["-f", "/dev/null", "new-session", "-d", "-x", "160", "-y", "47", "sh", "-c", &line]);
        match started {
            Some(_) => Some(terminal),
            None => {
                common::not_run("no tmux here");
                None
            }
        }
    }

    fn demo(place: &Place) -> Option<Self> {
        let terminal = Self::start(place, &format!("demo --out {}", shown(&place.path("out"))))?;
        terminal.wait_for("May it be erased?");
        Some(terminal)
    }

    fn tmux(&self, arguments: &[&str]) -> Option<String> {
        let output = Command::new("tmux").args(["-L", &self.socket]).args(arguments).output().ok()?;
        output.status.success().then(|| String::from_utf8_lossy(&output.stdout).into_owned())
    }

    fn keys(&self, keys: &[&str]) {
        for key in keys {
            self.tmux(&["send-keys", key]).expect("tmux takes the key");
            std::thread::sleep(Duration::from_millis(60));
        }
    }

    /// The process that the shell of this terminal runs.
    fn program(&self) -> u32 {
        let shell = self.tmux(&["list-panes", "-F", "#{pane_pid}"]).expect("tmux tells its shell");
        let shell = shell.trim();
        let children = fs::read_to_string(format!("/proc/{shell}/task/{shell}/children")).unwrap();
        children.split_whitespace().next().expect("the shell runs the program").parse().unwrap()
    }

    fn text(&self, text: &str) {
        self.tmux(&["send-keys", "-l", text]).expect("tmux takes the text");
    }

    fn screen(&self) -> String {
        self.tmux(&["capture-pane", "-p"]).expect("tmux shows the screen")
    }

    #[track_caller]
    fn wait_for(&self, words: &str) -> String {
        self.wait_until(words, |screen| screen.contains(words))
    }

    /// Waits until the screen is as `seen` wants it; `what` is that in words.
    #[track_caller]
    fn wait_until(&self, what: &str, seen: impl Fn(&str) -> bool) -> String {
        let begun = Instant::now();
        loop {
            let screen = self.screen();
            if seen(&screen) {
                return screen;
            }
            assert!(begun.elapsed() < Duration::from_secs(120), "never saw `{what}`:\n{screen}");
            std::thread::sleep(Duration::from_millis(50));
        }
    }

    /// Down through the rows to that one.
    #[track_caller]
    fn down_to(&self, row: &str) {
        let there = |screen: &str| screen.lines().any(|l| l.split_once('▸').is_some_and(|(_, l)| l.contains(row)));
        for _ in 0..60 {
            if there(&self.screen()) {
                return;
            }
            self.keys(&["Down"]);
            std::thread::sleep(Duration::from_millis(80));
        }
        panic!("no row `{row}`:\n{}", self.screen());
    }

    fn find(&self, serial: &str) {
        self.keys(&["/"]);
        self.text(serial);
        self.keys(&["Enter"]);
    }

    /// From Look to the label check of the drive whose serial ends so.
    fn to_arm(&self, serial: &str) {
        self.find(serial);
        self.wait_for("Is that the right drive?");
        self.keys(&["Enter"]);
        self.wait_for("What level is needed");
        self.keys(&["Enter"]);
        self.wait_for("Last look.");
    }

    fn scan(&self, label: &str) {
        self.text(label);
        self.keys(&["Enter"]);
    }
}

impl Drop for Terminal {
    fn drop(&mut self) {
        self.tmux(&["kill-server"]);
    }
}

#[test]
fn the_whole_walk_ends_with_a_certificate() {
    let place = Place::new();
    let Some(terminal) = Terminal::demo(&place) else { return };
    terminal.to_arm("R90C2Y");
    terminal.scan("K7Q41M");
    let screen = terminal.wait_for("label check failed");
    assert!(screen.contains("Ferrant Meridian"), "a wrong label names its drive: {screen}");
    terminal.scan("TL32H6R90C2Y");
    terminal.wait_for("Writing begins in");
    terminal.wait_for("Writing pass 1 of 2");
    terminal.keys(&["Enter"]);
    terminal.wait_for("nothing is being written");
    terminal.keys(&["Enter"]);
    terminal.wait_for("Is it really gone?");
    terminal.keys(&["Enter"]);
    terminal.wait_for("Can I sign for it?");
    // The lot's list has filled in the number; what the person types goes on from there.
    terminal.wait_for("BWS 0046");
    terminal.keys(&["Tab"]);
    terminal.text("/B");
    terminal.wait_for("BWS 0046/B");
    // A hand takes its time: an Enter that comes with the letters is a scanner's, and writes nothing.
    std::thread::sleep(Duration::from_millis(300));
    terminal.keys(&["Enter"]);
    // Drawn for a second look or not: its files are told beside it.
    terminal.wait_for(".certificate.pdf");
    // The ledger has it, with the whole story.
    terminal.keys(&["Escape", "F2"]);
    terminal.wait_for("where is the proof");
    terminal.text("tl32h6 0046/b");
    terminal.wait_for("What happened");
    terminal.wait_for("1 of 10 done");
    terminal.keys(&["Escape", "Escape"]);
    terminal.wait_for("Can I sign for it?");
    // Where does it go? Its label, and the shelf.
    terminal.keys(&["Escape", "r"]);
    terminal.wait_for("Where does this drive go?");
    terminal.wait_for("erased; destination not recorded");
    terminal.keys(&["l"]);
    terminal.wait_for("The label is written to");
    terminal.keys(&["Tab", "Tab"]);
    terminal.text("shelf 3");
    std::thread::sleep(Duration::from_millis(300));
    terminal.keys(&["Enter"]);
    terminal.wait_for("It was put away: shelf 3.");
    terminal.wait_for("released");
    terminal.keys(&["C-w"]);
    terminal.wait_for("what is still open");
    terminal.text("90c2y");
    terminal.wait_for("stored: shelf 3");
    terminal.keys(&["Escape", "Escape"]);
    terminal.wait_for("Where does this drive go?");
    terminal.keys(&["q"]);
    let screen = terminal.wait_for("exit code 0");
    assert!(screen.contains("Tessel Logger 32 at sim:7 Clear. The job ran to its end."), "{screen}");
    let pdf = place.only("out", ".certificate.pdf");
    assert!(fs::read(&pdf).unwrap().starts_with(b"%PDF-1.7"));
    assert!(fs::read_to_string(place.only("out", ".label.svg")).unwrap().contains("CLEAR"));
    place.jurex(&["where", "R90C2Y", "--demo"]).expect(0, &["stored: shelf 3", "says Ines Okafor-Lindqvist"]);
    let record = common::json(&place.only("out", ".record.json"));
    assert_eq!((&record["claim"]["outcome"], &record["papers"]["property_number"]), (&"clear".into(), &"BWS 0046/B".into()));
    // The same record comes out of the ledger after the program has ended.
    let again = place.path("again");
    place.jurex(&["certificate", record["job"].as_str().unwrap(), "--out", shown(&again)]).expect(0, &[]);
    assert_eq!(fs::read(&pdf).unwrap(), fs::read(place.only("again", ".certificate.pdf")).unwrap());
}

#[test]
fn quitting_while_a_job_runs_asks_and_says_what_became_of_it() {
    let place = Place::new();
    let Some(terminal) = Terminal::demo(&place) else { return };
    terminal.to_arm("K7Q41M");
    terminal.scan("k7q41m");
    terminal.wait_for("Writing pass 1 of 1");
    terminal.keys(&["q"]);
    terminal.wait_for("Quitting stops the work");
    terminal.keys(&["Escape"]);
    terminal.wait_for("Enter pause   x stop");
    terminal.keys(&["q"]);
    terminal.wait_for("Quitting stops the work");
    std::thread::sleep(Duration::from_millis(700));
    terminal.keys(&["y"]);
    let screen = terminal.wait_for("exit code 4");
    let said = screen.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(said.contains("Ferrant Meridian 2000 at sim:2 Not sanitized. The job was stopped before its end."), "{screen}");
    assert!(said.contains("no report written yet: jurex certificate"));
}

#[test]
fn a_smaller_terminal_keeps_working_and_a_tiny_one_says_so() {
    let place = Place::new();
    let Some(terminal) = Terminal::demo(&place) else { return };
    for (width, height) in [("100", "30"), ("80", "24")] {
        terminal.tmux(&["resize-window", "-x", width, "-y", height]);
        let screen = terminal.wait_for("Is that the right drive?");
        assert!(screen.lines().all(|l| l.chars().count() <= width.parse().unwrap()));
    }
    terminal.wait_for("maker");
    // The program itself has taken the new size, and not only the terminal has cut its picture.
    terminal.wait_for("K7Q41M · ready");
    terminal.keys(&["Escape"]);
    terminal.wait_for("Quillon Arc 512");
    terminal.tmux(&["resize-window", "-x", "60", "-y", "10"]);
    terminal.wait_for("Jurex needs 80 columns and 24 rows");
    terminal.tmux(&["resize-window", "-x", "160", "-y", "47"]);
    terminal.wait_for("Is that the right drive?");
    terminal.keys(&["q"]);
    terminal.wait_for("exit code 0");
}

#[test]
fn a_loop_device_comes_and_goes_before_ones_eyes() {
    let place = Place::new();
    let image = place.path("backing.img");
    fs::File::create(&image).unwrap().set_len(3 << 20).unwrap();
    let Some(terminal) = Terminal::start(&place, "") else { return };
    // What is attached before the first listing has not appeared, it was there.
    terminal.wait_until("the first listing", |screen| screen.contains("q quit") && !screen.contains("Looking for drives"));
    let Some(device) = Loop::attach(&image) else { return };
    let name = device.device.trim_start_matches("/dev/").to_string();
    terminal.wait_for(&format!("{name} loop device"));
    terminal.find(&device.device);
    terminal.wait_for("Appeared ");
    terminal.wait_for("Yes: nothing uses it.");
    drop(device);
    terminal.wait_for("Gone since ");
    terminal.wait_for("Attach it again, and Jurex looks anew.");
    let Some(again) = Loop::attach(&image) else { return };
    // Attached anew it is another object, with a lane of its own.
    terminal.wait_for("appeared ");
    terminal.find(&again.device);
    terminal.wait_for("Yes: nothing uses it.");
    // The list of drives that alone may be erased holds at once.
    for (typed, verdict) in [("bus:nvme", "⊘ No: "), ("", "Yes: nothing uses it.")] {
        terminal.keys(&["F4", "Home"]);
        terminal.down_to("only these drives");
        terminal.keys(&["Enter", "C-u"]);
        terminal.text(typed);
        terminal.keys(&["Enter", "Escape"]);
        terminal.wait_for(verdict);
    }
    terminal.keys(&["q"]);
    terminal.wait_for("exit code 0");
}

#[test]
fn a_real_loop_device_is_erased_from_the_interface() {
    let place = Place::new();
    let bytes = common::odd(8 << 20);
    let (image, label) = (place.image("backing.img", bytes), common::label(bytes));
    let Some(device) = Loop::attach(&image) else { return };
    let Some(terminal) = Terminal::start(&place, "") else { return };
    terminal.wait_for("loop device");
    terminal.find(&device.device);
    terminal.wait_for("Yes: nothing uses it.");
    terminal.keys(&["Tab"]);
    terminal.wait_for("tide log tide lo");
    terminal.keys(&["Tab"]);
    terminal.wait_for("Is that the right drive?");
    terminal.keys(&["Enter", "Enter"]);
    terminal.wait_for("Last look.");
    terminal.scan(&common::label(bytes - 512));
    terminal.wait_for("label check failed");
    terminal.scan(&label);
    terminal.wait_for("Writing begins in");
    // From the label check on nobody else may take the drive.
    let busy =
        place.jurex(&["erase", &device.device, "--method", "zeros", "--label-check", &label, "--out", shown(&place.path("x"))]);
    busy.expect(2, &["another Jurex is working on it"]);
    terminal.wait_for("Is it really gone?");
    assert!(fs::read(&image).unwrap().iter().all(|b| *b == 0));
    terminal.keys(&["q"]);
    terminal.wait_for("1 paper is not written yet");
    // A hand takes its time: what was typed before the question could be read answers nothing.
    std::thread::sleep(Duration::from_secs(1));
    terminal.keys(&["y"]);
    terminal.wait_for("exit code 0");
}

#[test]
fn a_terminal_that_tells_no_size_is_taken_for_eighty_by_twenty_four() {
    let place = Place::new();
    place.greeted();
    let home = place.path("home");
    // `script` gives the program a line whose size is that of its own input: a pipe has none.
    let line = format!("JUREX_HOME={} {PROGRAM} demo; echo exit code $?", shown(&home));
    let child = Command::new("script").args(["-qec", &line, "/dev/null"]).stdin(Stdio::piped()).stdout(Stdio::piped()).spawn();
    let Ok(mut child) = child else { return common::not_run("no script here") };
    let (mut input, mut output) = (child.stdin.take().unwrap(), child.stdout.take().unwrap());
    let mut said = String::new();
    // The input stays open, or `script` would end with it.
    for (awaited, answer) in [("Is that the right drive?", "q"), ("exit code 0", "")] {
        while !said.contains(awaited) {
            let mut part = [0; 4096];
            let n = std::io::Read::read(&mut output, &mut part).unwrap();
            assert!(n > 0, "never saw `{awaited}`: {said}");
            said += &String::from_utf8_lossy(&part[..n]);
        }
        std::io::Write::write_all(&mut input, answer.as_bytes()).unwrap();
    }
    drop(input);
    child.wait().unwrap();
}

#[test]
fn a_first_start_is_greeted_once_and_the_tour_ends_with_a_certificate() {
    let place = Place::new();
    let arguments = format!("demo --out {}", shown(&place.path("out")));
    let Some(terminal) = Terminal::start_first(&place, &arguments) else { return };
    terminal.wait_for("Welcome to Jurex.");
    terminal.wait_for("Enter begins the guided tour");
    // The drives are listed while the greeting is read.
    terminal.wait_for("Tessel Logger 32");
    std::thread::sleep(Duration::from_secs(1));
    terminal.keys(&["Enter"]);
    terminal.wait_for("Tour 1/7");
    terminal.keys(&["Enter"]);
    terminal.wait_for("Tour 2/7");
    terminal.keys(&["Enter"]);
    terminal.wait_for("Tour 3/7");
    terminal.scan("R90C2Y");
    terminal.wait_for("Tour 4/7");
    terminal.wait_for("Tour 5/7");
    terminal.keys(&["Enter"]);
    terminal.wait_for("Tour 6/7: on the right");
    terminal.keys(&["Enter"]);
    terminal.wait_for("the certificate is written");
    assert!(place.only("out", ".certificate.pdf").exists());
    terminal.keys(&["Enter"]);
    terminal.wait_for("Tour 7/7");
    terminal.keys(&["Escape"]);
    terminal.wait_until("the tour is over", |screen| !screen.contains("Tour 7/7"));
    terminal.keys(&["q"]);
    terminal.wait_for("exit code 0");
    // The second start greets nobody.
    terminal.text(&format!("JUREX_HOME={} {PROGRAM} {arguments}", shown(&place.path("home"))));
    terminal.keys(&["Enter"]);
    let screen = terminal.wait_for("May it be erased?");
    assert!(!screen.contains("Welcome to Jurex."), "{screen}");
}

#[test]
fn a_termination_signal_restores_the_terminal_and_records_the_job() {
    let place = Place::new();
    let Some(terminal) = Terminal::demo(&place) else { return };
    terminal.to_arm("K7Q41M");
    terminal.scan("K7Q41M");
    terminal.wait_for("Writing pass 1 of 1");
    assert!(Command::new("kill").args(["-TERM", &terminal.program().to_string()]).status().unwrap().success());
    let screen = terminal.wait_for("exit code 4");
    assert!(screen.contains("Not sanitized"), "{screen}");
    terminal.text("echo works");
    terminal.keys(&["Enter"]);
    terminal.wait_for("works");
}

#[test]
fn the_screen_is_left_and_taken_again_when_the_program_is_suspended() {
    let place = Place::new();
    // The shell that follows the first program has job control.
    let Some(terminal) = Terminal::start(&place, "--version") else { return };
    terminal.wait_for("exit code 0");
    terminal.text(&format!("JUREX_HOME={} {PROGRAM} demo", shown(&place.path("home"))));
    terminal.keys(&["Enter"]);
    terminal.wait_for("May it be erased?");
    for suspend in [true, false] {
        if suspend {
            terminal.keys(&["C-z"]);
        } else {
            assert!(Command::new("kill").args(["-TSTP", &terminal.program().to_string()]).status().unwrap().success());
        }
        let screen = terminal.wait_for("Stopped");
        assert!(!screen.contains("May it be erased?"), "{screen}");
        terminal.text("fg");
        terminal.keys(&["Enter"]);
        terminal.wait_for("May it be erased?");
    }
    terminal.keys(&["q"]);
    terminal.wait_until("the shell again", |screen| !screen.contains("May it be erased?"));
}

#[test]
fn a_terminal_that_is_closed_ends_no_job_and_its_record_is_kept() {
    let place = Place::new();
    let Some(terminal) = Terminal::demo(&place) else { return };
    terminal.to_arm("R90C2Y");
    terminal.scan("R90C2Y");
    terminal.wait_for("Writing pass 1 of 2");
    let program = terminal.program();
    drop(terminal);
    let begun = Instant::now();
    while fs::read_to_string(format!("/proc/{program}/stat")).is_ok_and(|s| !s.contains(") Z ")) {
        assert!(begun.elapsed() < Duration::from_secs(120), "it ends when its job has ended");
        std::thread::sleep(Duration::from_millis(100));
    }
    let ledger = ledger_text(&place);
    assert!(ledger.contains("\"outcome\":\"clear\""), "the job came to its end and its record is in the ledger");
}

/// The bytes of the demonstration's ledger with its log, as text.
fn ledger_text(place: &Place) -> String {
    let read = |end: &str| fs::read(place.path(&format!("home/demo/ledger.sqlite3{end}"))).unwrap_or_default();
    String::from_utf8_lossy(&[read(""), read("-wal")].concat()).into_owned()
}

#[test]
fn this_machines_drives_are_shown_and_the_one_under_it_is_guarded() {
    let place = Place::new();
    let Some(terminal) = Terminal::start(&place, "") else { return };
    terminal.wait_for("q quit");
    let begun = Instant::now();
    while !["guarded", "ready", "No drive was found"].iter().any(|w| terminal.screen().contains(w)) {
        assert!(begun.elapsed() < Duration::from_secs(60), "{}", terminal.screen());
        std::thread::sleep(Duration::from_millis(100));
    }
    terminal.keys(&["q"]);
    terminal.wait_for("exit code 0");
}

#[test]
fn a_method_is_written_in_the_editor_kept_in_the_configuration_and_planned() {
    let place = Place::new();
    let Some(terminal) = Terminal::demo(&place) else { return };
    terminal.find("K7Q41M");
    terminal.keys(&["Right"]);
    terminal.wait_for("Techniques on this drive");
    terminal.keys(&["F3"]);
    terminal.wait_for("on sim:2");
    terminal.keys(&["+"]);
    terminal.text("quay-two");
    terminal.keys(&["Tab"]);
    terminal.text("Quay, two passes");
    terminal.keys(&["Tab", "BSpace", "BSpace", "BSpace"]);
    terminal.text("00 | rando?");
    let screen = terminal.wait_for("column 6: found `rando`");
    let (passes, mark) = (screen.lines().position(|l| l.contains("rando?")), screen.lines().position(|l| l.contains('▲')));
    assert_eq!(mark, passes.map(|row| row + 1));
    let line = |row: Option<usize>| screen.lines().nth(row.unwrap()).unwrap();
    let column = |row, words: &str| line(row).split(words).next().unwrap().chars().count();
    assert_eq!(column(mark, "▲"), column(passes, "rando?"), "the mark stands under the mistake");
    terminal.keys(&["BSpace"]);
    terminal.text("m?");
    terminal.wait_for("it gives");
    terminal.keys(&["Enter"]);
    terminal.wait_for("is saved in config.toml");
    assert!(fs::read_to_string(place.path("home/config.toml")).unwrap().contains("00 | random?"));
    terminal.keys(&["Enter"]);
    terminal.wait_for("Quay, two passes");
}

#[test]
fn a_counterfeit_is_told_before_the_first_pass_and_what_lay_on_it_before_and_after() {
    let place = Place::new();
    let Some(terminal) = Terminal::demo(&place) else { return };
    terminal.find("0N2XV8");
    terminal.keys(&["Right"]);
    terminal.wait_for("yes: tags all over it");
    terminal.keys(&["C-p"]);
    terminal.text("plan residual");
    terminal.wait_for("▸ Plan: residual data search");
    terminal.keys(&["Enter", "Right"]);
    terminal.wait_for("a sample before and after");
    terminal.keys(&["Tab", "Enter"]);
    terminal.wait_for("Last look");
    terminal.scan("0N2XV8");
    terminal.wait_for("begin again at the first one");
    terminal.wait_for("Is it really gone?");
    let screen = terminal.wait_for("after             none found");
    assert!(screen.contains("Claims 64.0 MB but holds only 8.00 MB") && screen.contains("8 file systems"), "{screen}");
    assert!(screen.contains("Not sanitized") && !screen.contains("second check"), "{screen}");
}
