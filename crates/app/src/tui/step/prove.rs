//! Prove: is it really gone?

use crate::bench::Sample;
use crate::tui::lane::Lane;
use crate::tui::state::State;
use crate::tui::theme::Role;
use crate::tui::widget::column::Column;
use crate::tui::widget::strata;
use jurex_core::evidence::Evidence;
use jurex_core::strata::Strata;
use jurex_core::units::{counted, grouped};
use ratatui::text::{Line, Span};

/// Draws the step into a column that is as long as it needs.
pub(crate) fn draw(state: &State, lane: &Lane, column: &mut Column<'_>) {
    let Some(log) = lane.log() else { return column.sentence("Nothing has been read back.", Role::Faint) };
    column.question("Is it really gone?");
    let evidence = log.progress.evidence();
    let end = lane.over().map(|over| &over.end);
    match end {
        Some(end) => {
            let outcome = end.record.claim().outcome();
            column.sentence(&format!("{outcome}. {}", end.record.confidence()), Role::Strong);
        }
        None => column.sentence("The reading back is going on; nothing is claimed before its end.", Role::Strong),
    }
    column.gap();
    let drawing = Strata::of(evidence, &lane.look.known_contents());
    let place = column.take(strata::rows(&drawing));
    strata::draw(&drawing, state.theme, place, column.buffer());
    column.gap();
    read_facts(evidence, column);
    column.gap();
    if let Some(end) = end {
        for reason in end.record.claim().reasons() {
            column.fact("because", &format!("{} [{}]", reason.sentence, reason.citation));
        }
        for limit in end.record.claim().limits() {
            column.fact("not covered", &format!("{} [{}]", limit.sentence, limit.citation));
        }
        column.gap();
        before_and_after(state, lane.look.sample.as_ref(), end.after.as_ref(), column);
    }
}

fn read_facts(evidence: &Evidence, column: &mut Column<'_>) {
    column.heading("What was read back");
    for (i, pass) in evidence.passes().iter().enumerate() {
        let Some(read) = evidence.reading_of(i) else { continue };
        let n = counted(read.read.count(), "sector");
        let all = grouped(evidence.range().count);
        column.fact(&format!("pass {} ({})", i + 1, pass.pattern), &format!("{n} of {all}, past every cache of this computer"));
        let faults = |set: &jurex_core::ranges::RangeSet| {
            if set.is_empty() { "none".to_string() } else { format!("{}: {}", counted(set.count(), "sector"), set.sentence(3)) }
        };
        column.fact("  wrong", &faults(&read.wrong));
        column.fact("  unreadable", &faults(&read.unreadable));
    }
    if evidence.read_backs().next().is_none() {
        column.sentence("Nothing was read back.", Role::Strong);
    }
}

/// The same sector before the job and after it, side by side.
fn before_and_after(state: &State, before: Option<&Sample>, after: Option<&Sample>, column: &mut Column<'_>) {
    let (Some(before), Some(after)) = (before, after) else { return };
    column.heading(&format!("Sector {} before and after", before.at));
    let per_row = if column.width() >= 96 { 8 } else { 6 };
    let rows = 8;
    let chunks = before.bytes.chunks(per_row).zip(after.bytes.chunks(per_row));
    for (i, (old, new)) in chunks.take(rows).enumerate() {
        let offset = Span::styled(format!("{:04x}  ", i * per_row), state.theme.style(Role::Faint));
        let gap = Span::raw("    ");
        let old = Span::styled(hex_row(old), state.theme.style(Role::Former));
        let new = Span::styled(hex_row(new), state.theme.style(Role::Proved));
        column.line(Line::from(vec![offset, old, gap, new]));
    }
}

fn hex_row(bytes: &[u8]) -> String {
    let hex: Vec<String> = bytes.iter().map(|b| format!("{b:02x}")).collect();
    let text: String = bytes.iter().map(|b| if (0x20..0x7f).contains(b) { char::from(*b) } else { '·' }).collect();
    format!("{}  {text}", hex.join(" "))
}
