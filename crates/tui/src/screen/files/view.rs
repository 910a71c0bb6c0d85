//! How the page of files and free space looks: the tree on the left, what is to be said of it on the right.

use crate::file_erase::{FilesStage, Less, TreeRow, WorkProgress};
use crate::state::State;
use jurex_file_erase::{BINS, Ending, FileEraseRecord, FileTally, NodeKind, ShownPart, StorageStack, StripRun, Weight};
use jurex_linux::files::FillPhase;
use jurex_look::column::{Column, bar, fit, shorten};
use jurex_look::theme::StyleRole;
use jurex_look::window::{self, Scroll};
use jurex_pattern::text::{printable, shown_path};
use jurex_pattern::units::{counted, duration, grouped, rate, si_size};
use jurex_station::file_erase::{NO_SANITIZATION, Surveyed, left};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use unicode_width::UnicodeWidthStr;

/// Of each matter so many are named.
const NAMED: usize = 5;
/// Narrower than this, one column at a time.
const NARROW: u16 = 100;

pub(super) fn draw(state: &State, area: Rect, buffer: &mut Buffer) {
    let area = Rect { x: area.x + 1, width: area.width.saturating_sub(2), ..area };
    let chooses = matches!(state.less.stage, FilesStage::Choosing | FilesStage::Looking);
    if area.width < NARROW {
        return window::draw(state.theme, area, Scroll::Follows, buffer, |column| {
            if chooses {
                tree(state, column);
                column.gap();
            }
            desk(state, column);
        });
    }
    if !chooses {
        return window::draw(state.theme, area, Scroll::Follows, buffer, |column| desk(state, column));
    }
    let half = area.width * 11 / 20;
    let left_area = Rect { width: half - 2, ..area };
    let right_area = Rect { x: area.x + half, width: area.width - half, ..area };
    window::draw(state.theme, left_area, Scroll::Follows, buffer, |column| tree(state, column));
    window::draw(state.theme, right_area, Scroll::From(0), buffer, |column| desk(state, column));
}

/// Rows above the first of the tree.
const ABOVE: u16 = 4;

/// The row of the tree at that place of the screen, where all of it is in sight.
pub(super) fn row_at(state: &State, (x, y): (u16, u16)) -> Option<usize> {
    let row = usize::from(y.checked_sub(ABOVE + 1)?);
    (x < state.size.0 * 11 / 20 && row < state.less.rows().len()).then_some(row)
}

fn tree(state: &State, column: &mut Column<'_>) {
    let style = |role| state.theme.style(role);
    column.question("Which files are to go, or whose free space is to be filled?");
    column.heading("File systems and folders");
    let less = &state.less;
    let rows = less.rows();
    if rows.is_empty() {
        column.sentence("Looking for file systems …", StyleRole::Faint);
    }
    let width = usize::from(column.width());
    for (at, row) in rows.iter().enumerate() {
        let here = at == less.cursor;
        if here {
            column.focus = Some(column.used());
        }
        let marked = less.is_marked(row.path());
        let (name, told) = words_of(less, row);
        let told = shorten(&told, width.saturating_sub(20));
        let room = width.saturating_sub(told.width() + 5);
        let role = match (here, marked, row) {
            (_, true, _) => StyleRole::Act,
            (true, ..) | (_, _, TreeRow::Volume(..)) => StyleRole::Strong,
            _ => StyleRole::Text,
        };
        column.line(Line::from_iter([
            Span::styled(if here { "▸" } else { " " }, style(StyleRole::Act)),
            Span::styled(if marked { "● " } else { "  " }, style(StyleRole::Act)),
            Span::styled(fit(&name, room), style(role)),
            Span::raw(" "),
            Span::styled(told, style(StyleRole::Faint)),
        ]));
    }
}

/// Name of a row, and what is told at its end.
fn words_of(less: &Less, row: &TreeRow<'_>) -> (String, String) {
    match row {
        TreeRow::Volume(volume, open) => {
            let ground = &volume.ground;
            let name = format!("{}{}", sign(*open), printable(ground.mount.as_bytes()));
            (name, format!("{}, {} of {} free", word_of(ground), si_size(volume.free), si_size(ground.bytes)))
        }
        TreeRow::Entry { listed, depth, open } => {
            let own = listed.path.file_name().map(|n| printable(n.as_encoded_bytes())).unwrap_or_default();
            let indent = "  ".repeat(*depth);
            match listed.kind {
                NodeKind::Folder => {
                    let told = less.sums.get(&listed.path).map(|sums| {
                        let more = if sums.whole { "" } else { "over " };
                        format!("{more}{}, {}", counted(sums.files, "file"), si_size(sums.bytes))
                    });
                    (format!("{indent}{}{own}/", sign(*open)), told.unwrap_or_else(|| "…".into()))
                }
                NodeKind::File => (format!("{indent}  {own}"), si_size(listed.bytes)),
                NodeKind::Link => (format!("{indent}  {own}"), "link".into()),
                NodeKind::Special => (format!("{indent}  {own}"), "special".into()),
            }
        }
    }
}

fn sign(open: bool) -> &'static str {
    if open { "– " } else { "+ " }
}

fn word_of(ground: &StorageStack) -> String {
    if ground.holds.is_empty() { ground.kind.clone() } else { ground.holds.clone() }
}

fn desk(state: &State, column: &mut Column<'_>) {
    let asks_for_number = matches!(state.less.stage, FilesStage::Files { .. });
    // On top: at the end of a long page nobody sees it.
    if let Some(problem) = state.less.problem.as_ref().filter(|_| !asks_for_number) {
        column.sentence(&format!("✕ {problem}"), StyleRole::Fault);
        column.gap();
    }
    match &state.less.stage {
        FilesStage::Choosing | FilesStage::Looking => choosing(state, column),
        FilesStage::Files { surveyed, typed } => {
            column.question("What will be lost?");
            survey(surveyed, column);
            column.gap();
            orders(state, column, true);
            column.gap();
            if let Some(problem) = &state.less.problem {
                column.sentence(&format!("✕ {problem}"), StyleRole::Fault);
            }
            let mut line = vec![Span::styled("names that will be lost, typed: ", state.theme.style(StyleRole::Strong))];
            line.extend(typed.spans(state.theme, 14, true));
            column.focus = Some(column.used());
            column.line(Line::from(line));
        }
        FilesStage::Free { plan, .. } => {
            column.question("What will be filled?");
            column.fact("free space of", &printable(plan.ground.called().as_bytes()));
            column.fact("free now", &si_size(plan.free));
            column.fact("left to others", &si_size(plan.reserve));
            column.gap();
            hopes(std::slice::from_ref(&plan.ground), column);
            column.gap();
            orders(state, column, false);
        }
        FilesStage::Working { what, began, progress, stops } => {
            let took = state.now.saturating_sub(*began);
            working(column, (what, *stops), progress, took);
        }
        FilesStage::Over { record, results, written } => over((record, results), written, column),
    }
    if !matches!(state.less.stage, FilesStage::Over { .. }) {
        column.gap();
        column.sentence(NO_SANITIZATION, StyleRole::Faint);
    }
}

fn choosing(state: &State, column: &mut Column<'_>) {
    let less = &state.less;
    if state.is_demo {
        let says = "Demonstration: these files are made up, and come back. Free space and journal are this machine's own: they are left alone.";
        column.sentence(says, StyleRole::Text);
        column.gap();
    }
    column.heading("Selected");
    if less.picked.is_empty() {
        column.sentence(
            "Nothing yet. s selects a file or a folder with all that is in it; Tab is for free space.",
            StyleRole::Faint,
        );
    }
    less.picked.iter().take(12).for_each(|path| column.sentence(&format!("● {}", shown_path(path)), StyleRole::Text));
    if less.picked.len() > 12 {
        column.sentence(&format!("and {} more", less.picked.len() - 12), StyleRole::Faint);
    }
    column.gap();
    orders(state, column, true);
    column.gap();
    let ground = less.here().and_then(|here| {
        let of = less.volumes.iter().filter(|v| here.starts_with(&v.ground.mount));
        of.max_by_key(|v| v.ground.mount.len()).map(|v| v.ground.clone())
    });
    if let Some(ground) = ground {
        hopes(&[ground], column);
    }
    if less.cut_short > 0 {
        column.gap();
        let said = format!("{} of files cut short: c resumes it.", counted(less.cut_short as u64, "erasure"));
        column.sentence(&said, StyleRole::Fault);
    }
    if matches!(less.stage, FilesStage::Looking) {
        column.gap();
        column.sentence("Looking at it …", StyleRole::Strong);
    }
}

/// What is set.
fn orders(state: &State, column: &mut Column<'_>, of_files: bool) {
    let less = &state.less;
    column.heading("How");
    column.fact("passes", &less.passes.0);
    if of_files {
        let names = if less.keep_names { "stay, each over an empty file" } else { "are written over and removed" };
        column.fact("names", names);
        let record = if less.with_names { "holds the names" } else { "holds digests of the names" };
        column.fact("the record", record);
    }
}

/// What may be hoped for.
fn hopes(grounds: &[StorageStack], column: &mut Column<'_>) {
    column.heading("What may be hoped for");
    of_grounds(grounds, column);
}

fn of_grounds(grounds: &[StorageStack], column: &mut Column<'_>) {
    for ground in grounds {
        column.sentence(&format!("{}:", printable(ground.called().as_bytes())), StyleRole::Strong);
        let role = if ground.weight() >= Weight::Unprovable { StyleRole::Fault } else { StyleRole::Text };
        column.sentence(ground.hope(), role);
        for doubt in ground.doubts() {
            let role = if doubt.weight >= Weight::Unprovable { StyleRole::Fault } else { StyleRole::Text };
            column.sentence(&format!("▸ {}", doubt.sentence()), role);
        }
    }
}

fn survey(surveyed: &Surveyed, column: &mut Column<'_>) {
    let tree = &surveyed.tree;
    let (files, bytes) = tree.to_erase();
    let path = |node: usize| shown_path(&tree.path(node));
    let rest = [(NodeKind::Folder, "folder"), (NodeKind::Link, "link"), (NodeKind::Special, "other")];
    let rest = rest.map(|(kind, word)| counted(surveyed.of_kind(kind), word));
    column.fact("files", &format!("{}, {}", counted(files, "file"), si_size(bytes)));
    column.fact("beside them", &rest.join(", "));
    for root in tree.roots.iter().take(NAMED) {
        column.fact("path", &path(root.node));
    }
    column.gap();
    column.heading("Files, the largest first");
    let files = &surveyed.files;
    let shown = if column.is_short() { NAMED } else { 2 * NAMED };
    for node in files.iter().take(shown) {
        let bytes = si_size(tree.nodes[*node].bytes);
        let room = usize::from(column.width()).saturating_sub(bytes.width() + 2);
        column.sentence(&format!("{}  {bytes}", fit(&path(*node), room.min(110))), StyleRole::Text);
    }
    if files.len() > shown {
        column.sentence(&format!("and {} more", grouped((files.len() - shown) as u64)), StyleRole::Faint);
    }
    column.gap();
    let matters = &surveyed.to_know;
    if !matters.is_empty() {
        column.heading("To know");
        matters.iter().take(NAMED * 2).for_each(|(_, said)| column.sentence(&format!("▸ {said}"), StyleRole::Text));
        if matters.len() > NAMED * 2 {
            let more = format!("and {} more: jurex files --plan tells all", grouped((matters.len() - NAMED * 2) as u64));
            column.sentence(&more, StyleRole::Faint);
        }
        column.gap();
    }
    hopes(&tree.grounds(), column);
    column.gap();
    column.sentence(&format!("{} will be lost.", counted(surveyed.count(), "name")), StyleRole::Strong);
}

fn working(column: &mut Column<'_>, (what, stops): (&str, bool), progress: &WorkProgress, took: std::time::Duration) {
    column.question("Is it going well?");
    column.fact("at work on", &printable(what.as_bytes()));
    let share = progress.share();
    let (full, rest) = bar(share, usize::from(column.width()).saturating_sub(22).min(90));
    let (laid, line) = (column.theme.style(StyleRole::Laid), column.theme.style(StyleRole::Line));
    let percent = format!("  {:>3} %", (share * 100.0).floor().min(99.0));
    column.line(Line::from_iter([Span::styled(full, laid), Span::styled(rest, line), Span::raw(percent)]));
    column.gap();
    let bytes = match progress {
        WorkProgress::None => 0,
        WorkProgress::Files(p) => {
            column.fact("names", &format!("{} of {}", grouped(p.names), grouped(p.of_names)));
            column.fact("folder", &shown_path(&p.folder));
            p.bytes
        }
        WorkProgress::Free(p) => {
            column.fact("is", phase_words(p.phase));
            column.fact("free for others", &si_size(p.free_now));
            if p.gave_way > 0 {
                column.fact_in("given back", &format!("{}: others needed room", si_size(p.gave_way)), StyleRole::Fault);
            }
            if p.entries > 0 {
                column.fact("small files", &grouped(p.entries));
            }
            p.bytes
        }
    };
    let speed = rate(bytes as f64 / took.as_secs_f64().max(0.001));
    column.fact("written and read", &format!("{}, {speed}", si_size(bytes)));
    column.fact("at it for", &duration(took));
    column.fact("left", &left(share, took).map_or("not known yet".into(), duration));
    column.gap();
    let said = if stops { "Stopping: what is in hand is brought to a safe end." } else { "Leaving this page does not stop it." };
    column.sentence(said, StyleRole::Strong);
}

fn phase_words(phase: FillPhase) -> &'static str {
    match phase {
        FillPhase::Taking => "taking free space",
        FillPhase::Laying => "writing and reading back",
        FillPhase::Entries => "filling the table of files",
        FillPhase::Looking => "reading on the device",
    }
}

fn over(
    (record, results): (&FileEraseRecord, &[String]),
    written: &Result<Vec<std::path::PathBuf>, String>,
    column: &mut Column<'_>,
) {
    column.question("What really became of it?");
    column.sentence(NO_SANITIZATION, StyleRole::Fault);
    column.gap();
    column.fact("work", record.asked.job.as_str());
    column.fact("of", &printable(record.what().as_bytes()));
    column.fact("passes", &record.asked.notation);
    column.gap();
    column.heading("What came of it");
    let roles: Vec<StyleRole> = match record.tally() {
        FileTally::Files { endings, .. } => endings.iter().map(|e| role_of(e.ending)).collect(),
        FileTally::Free { finding } => {
            vec![if *finding == jurex_file_erase::FreeFinding::Proved { StyleRole::Proved } else { StyleRole::Fault }]
        }
    };
    for (at, said) in results.iter().enumerate() {
        let role = roles.get(at).copied().unwrap_or(StyleRole::Text);
        let mark = match role {
            StyleRole::Proved => "✓",
            StyleRole::Fault => "✕",
            _ => "▸",
        };
        column.sentence(&format!("{mark} {}", printable(said.as_bytes())), role);
    }
    column.gap();
    for (ground, runs) in record.grounds().iter().zip(record.strips()).filter(|(_, runs)| !runs.is_empty()) {
        column.heading(&format!("Where it was on {}", printable(ground.mount.as_bytes())));
        strip(runs, ground, column);
        column.gap();
    }
    column.heading("What stands against it");
    of_grounds(record.grounds(), column);
    column.gap();
    match written {
        Ok(paths) => paths.iter().for_each(|p| column.fact("written", &p.display().to_string())),
        Err(why) => column.sentence(&format!("✕ {why}"), StyleRole::Fault),
    }
}

fn role_of(ending: Ending) -> StyleRole {
    match ending {
        Ending::Nothing => StyleRole::Text,
        Ending::Proved => StyleRole::Proved,
        Ending::NotProvable => StyleRole::Laid,
        Ending::NotOverwritten | Ending::NotFinished | Ending::LeftAlone => StyleRole::Fault,
    }
}

/// The file system from its first block to its last; shapes differ as colours do.
fn strip(runs: &[StripRun], ground: &StorageStack, column: &mut Column<'_>) {
    let width = usize::from(column.width()).min(120);
    let mut cells: Vec<Option<ShownPart>> = vec![None; width];
    for run in runs {
        let at = |bin: u32| (bin as usize * width) / BINS as usize;
        let (first, last) = (at(run.first), at((run.first + run.count).saturating_sub(1)));
        cells[first..=last.min(width - 1)].iter_mut().for_each(|cell| *cell = (*cell).max(Some(run.shown)));
    }
    let spans = cells.iter().map(|cell| {
        let (sign, role) = match cell {
            None => ("·", StyleRole::Line),
            Some(ShownPart::Proved) => ("━", StyleRole::Proved),
            Some(ShownPart::Laid) => ("█", StyleRole::Laid),
            Some(ShownPart::NotReached) => ("✕", StyleRole::Fault),
        };
        Span::styled(sign, column.theme.style(role))
    });
    let line = Line::from_iter(spans.collect::<Vec<_>>());
    column.line(line);
    let end = si_size(ground.bytes);
    let scale = format!("0{}{end}", " ".repeat(width.saturating_sub(1 + end.width())));
    column.line(Line::styled(scale, column.theme.style(StyleRole::Faint)));
    column.sentence(
        "━ read on the device, right   █ written, not verified   ✕ not reached, or the old bytes are there",
        StyleRole::Faint,
    );
}
