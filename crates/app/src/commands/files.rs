//! `jurex files PATH…`: erases files and folders, and tells what really became of them.

use super::bar::bar;
use super::{remark, say, say_json, seal};
use crate::cli::{FilesArgs, LessPapers};
use indicatif::ProgressBar;
use jurex_file_erase::{FileEraseRecord, NodeKind};
use jurex_linux::files::FilesProgress;
use jurex_pattern::notation::Program;
use jurex_pattern::text::{printable, shown_path};
use jurex_pattern::units::{counted, duration, grouped, rate, si_size};
use jurex_sanitize::record::Person;
use jurex_station::app_paths::AppPaths;
use jurex_station::config::Config;
use jurex_station::exit::Failure;
use jurex_station::file_erase::{self, FilesWish, NO_SANITIZATION, Surveyed};
use jurex_station::files::{check_folder, write_less};
use jurex_station::signing::Signer;
use jurex_station::stop::StopOnSignal;
use serde_json::json;
use std::io::{BufRead, IsTerminal, Write};
use std::path::PathBuf;
use std::process::ExitCode;
use std::time::Instant;

/// Of each matter so many are named.
const NAMED: usize = 8;

pub(crate) fn run(asked: &FilesArgs) -> Result<ExitCode, Failure> {
    let desk = Desk::set_up(&asked.papers)?;
    if asked.resume {
        return resume(asked, &desk);
    }
    let program = parse(&asked.passes)?;
    let surveyed = file_erase::survey(&asked.path, (&desk.places, &desk.out), &mut |_| true)?;
    if asked.plan {
        tell_plan(&surveyed, asked.papers.json);
        return Ok(ExitCode::SUCCESS);
    }
    if surveyed.count() == 0 {
        tell_plan(&surveyed, asked.papers.json);
        return Err(Failure::Refused("there is nothing here that can be erased. Nothing was written".into()));
    }
    let typed = match asked.yes_count {
        Some(count) => Some(count),
        None => {
            tell_plan(&surveyed, false);
            ask_count()?
        }
    };
    if typed != Some(surveyed.count()) {
        let said = typed.map_or("no number".into(), |n| format!("{n}"));
        return Err(Failure::Refused(format!(
            "{} will be lost, and {said} was given: look at the plan (jurex files --plan). Nothing was written",
            counted(surveyed.count(), "name")
        )));
    }
    let wish = FilesWish {
        program,
        notation: asked.passes.clone(),
        keep_names: asked.keep_names,
        with_names: asked.with_names,
        by: desk.by.clone(),
    };
    let mut shown = ShownProgress::new(&desk)?;
    let record = file_erase::erase(&surveyed.tree, &wish, &desk.places, &mut |p| shown.files(p))?;
    shown.bar.finish_and_clear();
    desk.close(&record)
}

/// Goes on with everything that was cut short.
fn resume(asked: &FilesArgs, desk: &Desk) -> Result<ExitCode, Failure> {
    let unfinished = file_erase::notes::unfinished(&desk.places.less());
    if unfinished.is_empty() {
        return Err(Failure::Use("no erasure of files was cut short, or it runs now. Nothing was written".into()));
    }
    let mut code = ExitCode::SUCCESS;
    for one in unfinished {
        if !asked.papers.json {
            let roots: Vec<String> = one.asked.roots.iter().map(|r| shown_path(&file_erase::notes::path_of(r))).collect();
            remark(&format!("jurex: going on with {}, begun {}: {}", one.asked.job, one.asked.started, roots.join(", ")));
        }
        let mut shown = ShownProgress::new(desk)?;
        let record = file_erase::go_on(one, &desk.by, &desk.places, &mut |p| shown.files(p))?;
        shown.bar.finish_and_clear();
        let ended = desk.close(&record)?;
        code = if code == ExitCode::SUCCESS { ended } else { code };
    }
    Ok(code)
}

pub(super) fn parse(notation: &str) -> Result<Program, Failure> {
    notation.parse().map_err(|e| Failure::Use(format!("--passes: {e}. Nothing was written")))
}

/// What a work on less than a drive is reported with.
pub(super) struct Desk {
    pub(super) places: AppPaths,
    pub(super) by: Person,
    out: PathBuf,
    seal: Signer,
    json: bool,
    quiet: bool,
}

impl Desk {
    /// What was left by a work that was cut short is cleaned first.
    pub(super) fn set_up(asked: &LessPapers) -> Result<Self, Failure> {
        let places = AppPaths::find()?;
        let config = Config::read(&places.config_file())?;
        file_erase::clean_up(&places).iter().for_each(|said| remark(&format!("jurex: {said}")));
        let out = asked.out.clone().unwrap_or_else(|| places.less());
        check_folder(&out).map_err(|e| Failure::Use(format!("{e}. Nothing was written")))?;
        let named = |name: &String| Person { name: name.clone(), ..Person::default() };
        let by = asked.by.as_ref().map_or_else(|| config.technician.clone(), named);
        let seal = seal(&places, &config, jurex_station::paper::house(&places)?, false);
        Ok(Self { places, by, out, seal, json: asked.json, quiet: asked.quiet })
    }

    /// Writes the papers and tells what came of it.
    pub(super) fn close(&self, record: &FileEraseRecord) -> Result<ExitCode, Failure> {
        let written = write_less(&self.out, record, &self.seal);
        if self.json {
            say(&jurex_pattern::text::safe_json(&record.to_json()));
        } else {
            say(&format!("{}: {}", record.asked.job, printable(record.what().as_bytes())));
            record.results().iter().for_each(|said| say(&format!("  {}", printable(said.as_bytes()))));
            for ground in record.grounds() {
                ground.doubts().iter().for_each(|d| say(&format!("  {}: {}", printable(ground.mount.as_bytes()), d.sentence())));
            }
            say(&format!("  {NO_SANITIZATION}"));
        }
        let paths = written.map_err(|e| Failure::Less(format!("{e}. The work itself is done as said above")))?;
        if !self.json {
            paths.iter().for_each(|p| say(&format!("  written  {}", p.display())));
        }
        if record.is_cut_short() {
            let how = match record.work() {
                jurex_file_erase::FileWork::Files { .. } => "resume with jurex files --resume",
                jurex_file_erase::FileWork::Free { .. } => "what was taken is given back; begin again",
            };
            return Err(Failure::Stopped(format!("it did not come to its end: {how}")));
        }
        Ok(if record.kept_its_plan() { ExitCode::SUCCESS } else { ExitCode::from(3) })
    }
}

/// The line of progress, and whether somebody wants to stop.
pub(super) struct ShownProgress {
    pub(super) bar: ProgressBar,
    stop: StopOnSignal,
    began: Instant,
}

impl ShownProgress {
    pub(super) fn new(desk: &Desk) -> Result<Self, Failure> {
        let bar = bar("{wide_bar} {msg}", !desk.quiet && !desk.json);
        bar.set_length(1000);
        Ok(Self { bar, stop: StopOnSignal::install()?, began: Instant::now() })
    }

    fn files(&mut self, progress: &FilesProgress) -> bool {
        let names = format!("{} of {}", grouped(progress.names), counted(progress.of_names, "name"));
        self.show(file_erase::share(progress), progress.bytes, &names)
    }

    /// Shows how far it has come as a part of the whole; whether to go on.
    pub(super) fn show(&mut self, share: f64, bytes: u64, what: &str) -> bool {
        let took = self.began.elapsed();
        let left = file_erase::left(share, took).map_or(String::new(), |left| format!("  {} left", duration(left)));
        let speed = rate(bytes as f64 / took.as_secs_f64().max(0.001));
        self.bar.set_position((share * 1000.0) as u64);
        self.bar.set_message(format!("{what}  {speed}{left}"));
        !self.stop.is_asked()
    }
}

/// The number that a person types at the terminal; `None`: nobody is there, or it is none.
fn ask_count() -> Result<Option<u64>, Failure> {
    if !std::io::stdin().is_terminal() {
        return Err(Failure::Refused(
            "nobody is at the terminal: give the number of names that will be lost with --yes-count. Nothing was written".into(),
        ));
    }
    let _ = write!(std::io::stderr(), "Type the number of names that will be lost: ");
    let mut line = String::new();
    std::io::stdin().lock().read_line(&mut line).map_err(|e| Failure::Use(format!("{e}. Nothing was written")))?;
    Ok(line.trim().parse().ok())
}

/// What will be lost, what is left alone, and what may be hoped for.
fn tell_plan(surveyed: &Surveyed, as_json: bool) {
    let tree = &surveyed.tree;
    let (files, bytes) = tree.to_erase();
    let path = |node: usize| shown_path(&tree.path(node));
    let left: Vec<(usize, &'static str)> =
        tree.nodes.iter().enumerate().filter_map(|(at, n)| Some((at, n.left_alone?.sentence()))).collect();
    if as_json {
        return say_json(&json!({
            "count": surveyed.count(),
            "files": files,
            "bytes": bytes.to_string(),
            "list": surveyed.files.iter().map(|at| json!({ "file": path(*at), "bytes": tree.nodes[*at].bytes.to_string() })).collect::<Vec<_>>(),
            "folders": surveyed.of_kind(NodeKind::Folder),
            "links": surveyed.of_kind(NodeKind::Link),
            "special": surveyed.of_kind(NodeKind::Special),
            "grounds": tree.grounds().iter().map(|g| json!({
                "ground": g,
                "hope": g.hope(),
                "doubts": g.doubts().iter().map(|d| d.sentence()).collect::<Vec<_>>(),
            })).collect::<Vec<_>>(),
            "other_names": surveyed.linked.iter().map(|(at, n, found)| json!({
                "file": path(*at),
                "inode": tree.nodes[*at].id.inode.to_string(),
                "names": n,
                "found": found.iter().map(|p| shown_path(p)).collect::<Vec<_>>(),
            })).collect::<Vec<_>>(),
            "open": surveyed.open.iter().map(|(at, who)| json!({ "file": path(*at), "by": who })).collect::<Vec<_>>(),
            "left_alone": left.iter().map(|(at, why)| json!({ "path": path(*at), "because": why })).collect::<Vec<_>>(),
            "unread": tree.unread.iter().map(|(p, why)| json!({ "folder": shown_path(p), "because": why })).collect::<Vec<_>>(),
        }));
    }
    say(&format!(
        "To be lost: {} of {}, {}, {}, {}",
        counted(files, "file"),
        si_size(bytes),
        counted(surveyed.of_kind(NodeKind::Folder), "folder"),
        counted(surveyed.of_kind(NodeKind::Link), "link"),
        counted(surveyed.of_kind(NodeKind::Special), "other"),
    ));
    tree.roots.iter().for_each(|r| say(&format!("  path     {}", path(r.node))));
    for ground in tree.grounds() {
        say(&format!("  lies on  {} ({})", printable(ground.called().as_bytes()), printable(ground.source.as_bytes())));
        say(&format!("           {}", ground.hope()));
        ground.doubts().iter().for_each(|d| say(&format!("           {}", d.sentence())));
    }
    named("file", surveyed.files.iter().map(|at| format!("{}, {}", path(*at), si_size(tree.nodes[*at].bytes))).collect());
    for kind in ["linked", "open", "left", "unread"] {
        named(kind, surveyed.to_know.iter().filter(|(of, _)| *of == kind).map(|(_, said)| said.clone()).collect());
    }
    say(&format!("  count    {} will be lost (--yes-count {})", counted(surveyed.count(), "name"), surveyed.count()));
    say(&format!("  {NO_SANITIZATION}"));
}

fn named(what: &str, lines: Vec<String>) {
    lines.iter().take(NAMED).for_each(|line| say(&format!("  {what:<8} {line}")));
    if lines.len() > NAMED {
        say(&format!("  {what:<8} and {} more (--json tells all)", grouped((lines.len() - NAMED) as u64)));
    }
}
