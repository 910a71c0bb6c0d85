//! What the keys do, here and now: one table for the bottom line and for the help.

use super::lot::{LotPage, Naming};
use super::methods::{MethodsPage, Target, Typing};
use super::state::{App, ArmStage, Dialog, Lane, LaneState, Page, Step};

/// A key with what it does.
pub(crate) type Hint = (&'static str, &'static str);

/// The keys that work in the present state, the step's main act first.
pub(crate) fn hints(app: &App) -> Vec<Hint> {
    match &app.dialog {
        Some(Dialog::Help) => return vec![("Esc", "back")],
        Some(Dialog::Stop(_)) => return vec![("s", "stop this job"), ("Esc", "let it go on")],
        Some(Dialog::Quit(_)) => return vec![("s", "stop the jobs and quit"), ("Esc", "stay")],
        Some(Dialog::Range(_)) => return vec![("Enter", "take this range"), ("Esc", "back")],
        Some(Dialog::Find(_)) => return vec![("Enter", "go to the drive"), ("Esc", "back")],
        None => {}
    }
    hints_without_dialog(app)
}

/// The keys of the step itself, whatever lies over the screen.
pub(crate) fn hints_without_dialog(app: &App) -> Vec<Hint> {
    match &app.page {
        Page::Bench => {}
        Page::Methods(page) => return methods_hints(page),
        Page::Lot(page) => return lot_hints(page),
    }
    if let Some(view) = app.lane().filter(|l| l.step == Step::Look).and_then(|l| l.bytes.as_ref()) {
        return match view.prompt {
            Some(_) => vec![("Enter", "go"), ("Esc", "back")],
            None => vec![
                ("←→", "sector"),
                ("↑↓", "row"),
                ("PgUp PgDn", "page"),
                ("Home End", "ends"),
                ("p", "next partition"),
                ("g", "go to sector"),
                ("/", "search"),
                ("n", "search on"),
                ("[ ]", "scroll"),
                ("Tab", "back"),
            ],
        };
    }
    let mut hints = app.lane().map(|lane| step_hints(app, lane.step)).unwrap_or_default();
    let goes_on = |l: &Lane| {
        l.unfinished.is_some() && !l.is_working() && matches!(l.step, Step::Look | Step::Plan | Step::Erase | Step::Prove)
    };
    if app.lane().is_some_and(goes_on) {
        hints.insert(0, ("c", "go on with the job that was cut short"));
    }
    let editing = app.lane().is_some_and(|l| l.step == Step::Certify && l.form.focus.is_some());
    if !editing {
        if app.lane().is_none_or(|l| l.step != Step::Arm) && app.lanes.iter().any(|l| l.marked) {
            hints.push(("p", "plan the marked"));
        }
        hints.extend([("←→", "step"), ("↑↓", "drive")]);
        if app.lane().is_none_or(|l| l.step != Step::Arm) {
            hints.extend([("Space", "mark"), ("F3", "methods"), ("/", "find"), ("t", "theme"), ("?", "help"), ("q", "quit")]);
        }
    }
    hints
}

fn step_hints(app: &App, step: Step) -> Vec<Hint> {
    let Some(lane) = app.lane() else { return vec![] };
    match step {
        Step::Look if lane.verdict.is_ok() => vec![("Enter", "plan its erasure"), ("Tab", "bytes"), ("b", "beacon")],
        Step::Look => vec![("Tab", "bytes"), ("b", "beacon")],
        Step::Plan if lane.is_working() => vec![("Enter", "see the work")],
        Step::Plan if lane.work.is_some() => vec![("Enter", "begin anew with this drive")],
        Step::Plan => vec![
            ("Enter", "take this plan"),
            ("s r l", "answers"),
            ("w", "way"),
            ("m", "method"),
            ("e", "passes"),
            ("v", "reading back"),
            ("+ -", "rounds"),
            ("z", "blank pass"),
            ("g", "range"),
        ],
        Step::Arm if lane.work.is_some() => vec![],
        Step::Arm if lane.arming.stage != ArmStage::Asking => vec![("any key", "stop the countdown")],
        Step::Arm => vec![("Enter", "check the label"), ("Tab", "backed up?"), ("Esc", "back")],
        Step::Erase => match lane.state() {
            LaneState::Held => vec![("Enter", "go on"), ("x", "stop")],
            LaneState::Erasing => vec![("Enter", "hold the writing"), ("x", "stop")],
            LaneState::Proving => vec![("Enter", "hold the reading"), ("x", "stop")],
            _ => vec![("Enter", "see the proof")],
        },
        Step::Prove if lane.record().is_some() => vec![("Enter", "go to the certificate")],
        Step::Prove => vec![],
        Step::Certify if lane.form.focus.is_some() => {
            vec![("Enter", "write the certificate"), ("Tab", "next field"), ("Space", "next answer"), ("Esc", "leave the field")]
        }
        Step::Certify => vec![("Enter", "write the certificate"), ("Tab", "fill in the fields")],
    }
}

fn methods_hints(page: &MethodsPage) -> Vec<Hint> {
    if let Some(editor) = &page.editor {
        let act = if editor.saves.is_some() { "save" } else { "take these passes" };
        return vec![("Enter", act), ("Tab", "next field"), ("Esc", "back")];
    }
    match page.typing {
        Typing::Search => vec![("Enter", "keep this search"), ("Esc", "show all")],
        Typing::Export(_) => vec![("Enter", "write the file"), ("Esc", "back")],
        Typing::Import(_) => vec![("Enter", "take the file in"), ("Esc", "back")],
        Typing::Delete => vec![("d", "take it away"), ("Esc", "keep it")],
        Typing::Nothing => {
            let act = if page.target == Target::Nothing { vec![] } else { vec![("Enter", "take this method")] };
            let rest = [
                ("↑↓", "method"),
                ("/", "search"),
                ("n", "new"),
                ("e", "edit"),
                ("d", "take away"),
                ("x", "write to a file"),
                ("i", "take in a file"),
                ("Esc", "back"),
            ];
            [act, rest.to_vec()].concat()
        }
    }
}

fn lot_hints(page: &LotPage) -> Vec<Hint> {
    match page.typing {
        Some(Naming::Save(_)) => vec![("Enter", "save it"), ("Esc", "back")],
        Some(Naming::Take(_)) => vec![("Enter", "take it"), ("Esc", "back")],
        None => vec![
            ("Enter", "plan these drives"),
            ("s r l", "answers"),
            ("↑↓", "row"),
            ("m", "method"),
            ("v", "reading back"),
            ("+ -", "retries"),
            ("z", "blank pass"),
            ("S", "save policy"),
            ("P", "take a saved one"),
            ("Esc", "back"),
        ],
    }
}

/// Name and words of the place that help is asked for.
pub(crate) fn about_here(app: &App) -> (&'static str, [&'static str; 3]) {
    match &app.page {
        Page::Bench => app.lane().map_or(("Look", about(Step::Look)), |l| (l.step.name(), about(l.step))),
        Page::Methods(_) => (
            "Methods",
            [
                "Which passes, and who ordered them?",
                "The library keeps the facts of the documents: issuer, year, passes. Historical ones stay because contracts ask for them.",
                "Methods of your own are kept in config.toml; their names never hide the library's.",
            ],
        ),
        Page::Lot(_) => (
            "several drives",
            [
                "What must be done with this lot?",
                "Three answers and a treatment for each class of media propose a plan for each drive; each can be changed.",
                "Every drive is armed by its own label: no confirmation counts for two.",
            ],
        ),
    }
}

/// What a step is for, for its help page.
fn about(step: Step) -> [&'static str; 3] {
    match step {
        Step::Look => [
            "Is that the right drive?",
            "Compare the card with the paper label on the drive itself. Nothing is written in this step.",
            "A guarded drive can't be erased: the sentence names what uses it, and there is no way around it.",
        ],
        Step::Plan => [
            "What must be done, and what does it earn?",
            "Three answers give the needed outcome (SP 800-88). Each way says what it can earn on this very drive.",
            "Clear protects against simple recovery; Purge against a laboratory; Destroy ends the drive's use.",
        ],
        Step::Arm => [
            "Last look.",
            "Read the label on the drive itself, not this screen, and type or scan what is asked for.",
            "After a right answer five seconds pass before anything is written. Any key stops them.",
        ],
        Step::Erase => [
            "Is it going well?",
            "The drive lies flat, its first sector left. Each pass is laid over what was there; a cross marks a faulty place.",
            "Leaving this screen stops nothing. A stopped drive is Not sanitized.",
        ],
        Step::Prove => [
            "Is it really gone?",
            "Every sector is read past all caches and compared with what was laid (SP 800-88 Rev. 1, 4.7).",
            "What was not read back is not proved.",
        ],
        Step::Certify => [
            "Can I sign for it?",
            "The certificate's outcome follows from the evidence; no field can change it.",
            "Empty fields print as lines to fill in by hand.",
        ],
    }
}
