//! Prove: is it really gone?

use crate::action::Action;
use crate::lane::Lane;
use crate::message::Effect;
use crate::screen::ScreenAnswer;
use crate::state::State;
use crate::step::unfinished::next_step;
use jurex_look::column::Column;
use jurex_look::strata;
use jurex_look::theme::StyleRole;
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::{counted, grouped, si_size};
use jurex_sanitize::evidence::{CheckEvidence, Drawn, Evidence, Expect, NativeEvidence, SizeFinding, StageKind};
use jurex_sanitize::record::Record;
use jurex_sanitize::residue::Leftovers;
use jurex_sanitize::rules::Outcome;
use jurex_sanitize::strata::Strata;
use jurex_station::bench::SampledSector;
use jurex_station::beside::{Again, LaneReading, WantedReading};
use ratatui::text::{Line, Span};

/// Does what was asked for in this step.
pub(crate) fn perform(state: &mut State, action: Action) -> ScreenAnswer {
    match action {
        Action::ReadSample => ScreenAnswer::to_do(read_again(state, false)),
        Action::ReadAll => ScreenAnswer::to_do(read_again(state, true)),
        Action::SeeFind => ScreenAnswer::to_do(state.see_find()),
        _ => ScreenAnswer::stay(),
    }
}

/// Reads what the job has left once more, or breaks a reading off.
fn read_again(state: &mut State, all: bool) -> Vec<Effect> {
    let (Some(id), Some(lane)) = (state.selected, state.lane_mut()) else { return vec![] };
    if lane.readings.is_going() {
        return vec![Effect::Read(id, WantedReading::End)];
    }
    let Some(record) = lane.written_record() else { return vec![] };
    lane.readings.again = LaneReading::Going(0.0);
    vec![Effect::Read(id, WantedReading::Again(Box::new(record), all))]
}

/// Searches for leftovers, or breaks a reading off.
pub(crate) fn search_left(state: &mut State) -> Vec<Effect> {
    let (Some(id), Some(lane)) = (state.selected, state.lane_mut()) else { return vec![] };
    if lane.readings.is_going() {
        return vec![Effect::Read(id, WantedReading::End)];
    }
    (lane.readings.left, lane.readings.finds_so_far) = (LaneReading::Going(0.0), 0);
    vec![Effect::Read(id, WantedReading::Left)]
}

/// Draws the step into a column that is as long as it needs.
pub(crate) fn draw(state: &State, lane: &Lane, column: &mut Column<'_>) {
    let Some(log) = lane.log() else { return column.sentence("Nothing has been read back.", StyleRole::Faint) };
    column.question("Is it really gone?");
    let evidence = log.progress.evidence();
    let over = lane.over();
    let end = over.map(|over| &over.end);
    match over {
        Some(over) => {
            let record = &over.end.record;
            let outcome = record.claim().outcome();
            if outcome == Outcome::NotSanitized {
                column.sentence(&format!("✕ FAILED: not sanitized. {}", why_failed(record)), StyleRole::Fault);
            } else {
                column.sentence(&format!("✓ {outcome}. {}", over.confidence), StyleRole::Strong);
            }
            next_step(lane, column);
        }
        None => column.sentence("The reading back is going on; nothing is claimed before its end.", StyleRole::Strong),
    }
    column.gap();
    let mut drawing = Strata::of(evidence, &lane.look.known_contents());
    if let LaneReading::Over(residue) = &lane.readings.left {
        drawing = drawing.with_left(&residue.usable);
    }
    let place = column.take(strata::rows(&drawing));
    strata::draw(&drawing, state.theme, place, column.buffer());
    column.gap();
    if end.is_some() {
        leftovers(lane, column);
    }
    read_facts(evidence, column);
    column.gap();
    if let Some(end) = end {
        for reason in end.record.claim().reasons() {
            column.fact("because", &format!("{} [{}]", reason.sentence(), reason.citation()));
        }
        for limit in end.record.claim().limits() {
            column.fact("not covered", &format!("{} [{}]", limit.sentence(), limit.citation()));
        }
        if let Some(look) = &end.record.second_look {
            let how = match (look.is_due(), lane.second_look_is_due()) {
                (true, true) => " Write the paper, then a reads it again; better by somebody else (jurex prove).",
                (true, false) => " It had it, and was confirmed: see below.",
                (false, _) => "",
            };
            column.fact("second check", &format!("{}{how}", look.sentence()));
        }
        column.gap();
        read_by_another(lane, column);
        all_leftovers(lane, column);
        laboratory(lane, column);
        before_and_after(state, lane.look.sample.as_ref(), end.after.as_ref(), column);
    }
}

/// The heaviest reason, in a sentence: a drive that misstates its size before anything else that is wrong with it.
fn why_failed(record: &Record) -> String {
    let evidence = record.evidence();
    match evidence.size().filter(|size| size.is_false()) {
        Some(size) => size.sentence(),
        None => match record.claim().reasons().first() {
            Some(reason) => reason.sentence(),
            None => evidence.ended.sentence(),
        },
    }
}

/// The job's proof, read again.
fn read_by_another(lane: &Lane, column: &mut Column<'_>) {
    match &lane.readings.again {
        LaneReading::NotAsked => return,
        LaneReading::Going(share) => {
            column.heading("Read again");
            column.sentence(&format!("{:.0} % read. a breaks it off.", share * 100.0), StyleRole::Act);
        }
        LaneReading::Failed(why) => {
            column.heading("Read again");
            column.sentence(&format!("✕ {why}"), StyleRole::Strong);
        }
        LaneReading::Over(again) => {
            let Again { verification, said, written } = again.as_ref();
            column.heading("Read again");
            let by = &verification.look.by.name;
            let by = if by.is_empty() { String::new() } else { format!(", by {by}") };
            column.fact_in("it is", &format!("{}{by}", verification.finding().to_string().to_lowercase()), StyleRole::Strong);
            said.iter().for_each(|sentence| column.fact("", sentence));
            match written {
                Ok(path) => column.fact("written", &path.display().to_string()),
                Err(why) => column.fact_in("not written", why, StyleRole::Strong),
            }
        }
    }
    column.gap();
}

/// What a search for leftovers has found, before the job and now, in short: of the search beside the job, and of the one that
/// somebody asked for with f.
pub(crate) fn leftovers(lane: &Lane, column: &mut Column<'_>) {
    let readings = &lane.readings;
    let beside = lane.record().map(|r| (r.before.left.as_deref(), r.left.as_ref()));
    let (by_job, after) = beside.unwrap_or((None, None));
    let before = readings.left_before.clone().or_else(|| by_job.map(Leftovers::summary));
    if matches!(readings.left, LaneReading::NotAsked) && before.is_none() && after.is_none() {
        return;
    }
    column.heading("Residual data");
    if let Some(before) = &before {
        column.fact("before", before);
    }
    match &readings.left {
        LaneReading::NotAsked => match after {
            Some(after) => column.fact_in("after", &after.summary(), StyleRole::Strong),
            None => column.fact("after", "not searched yet: f does"),
        },
        LaneReading::Going(share) => {
            let finds = counted(readings.finds_so_far, "find");
            column.sentence(&format!("{:.0} % searched, {finds} so far. f breaks it off.", share * 100.0), StyleRole::Act);
        }
        LaneReading::Failed(why) => column.sentence(&format!("✕ {why}"), StyleRole::Strong),
        LaneReading::Over(residue) => {
            let when = if lane.has_job() { "after" } else { "now" };
            column.fact_in(when, &residue.summary(), StyleRole::Strong);
        }
    }
    column.gap();
}

/// All that the last search has found.
pub(crate) fn all_leftovers(lane: &Lane, column: &mut Column<'_>) {
    let LaneReading::Over(residue) = &lane.readings.left else { return };
    column.heading("What the search has found");
    residue.sentences().iter().for_each(|sentence| column.fact("", sentence));
    column.gap();
}

fn read_facts(evidence: &Evidence, column: &mut Column<'_>) {
    size_facts(evidence, column);
    column.heading("What was verified");
    if let (Some(own), Some(check)) = (evidence.own(), evidence.own_check()) {
        own_facts(own, check, column);
    }
    for (i, pass) in evidence.passes().iter().enumerate() {
        let Some(read) = evidence.reading_of(i) else { continue };
        let n = counted(read.read.count(), "sector");
        let all = grouped(evidence.range().count);
        column.fact(&format!("pass {} ({})", i + 1, pass.pattern), &format!("{n} of {all}, read directly from the drive"));
        column.fact("  wrong", &faults(&read.wrong));
        column.fact("  unreadable", &faults(&read.unreadable));
    }
    if evidence.read_backs().next().is_none() {
        column.sentence("Nothing was read back.", StyleRole::Strong);
    }
}

/// What the size check has found, once it is over.
fn size_facts(evidence: &Evidence, column: &mut Column<'_>) {
    let is_over = evidence.stages.iter().any(|s| s.kind() == StageKind::Measure && s.ended.is_some());
    let Some(size) = evidence.size().filter(|_| is_over) else { return };
    column.heading("Is it as large as it says?");
    let (answer, role) = match size.finding() {
        SizeFinding::AsTold => ("yes", StyleRole::Text),
        SizeFinding::NotProved => ("not verified", StyleRole::Strong),
        _ => ("no", StyleRole::Fault),
    };
    column.fact_in(answer, &size.sentence(), role);
    for same in &size.same {
        let (written, read) = (grouped(same.written.0), grouped(same.read.0));
        column.fact("", &format!("what was written to sector {written} was read at sector {read}"));
    }
    column.gap();
}

/// What was read after the drive's own erasure.
fn own_facts(own: &NativeEvidence, check: &CheckEvidence, column: &mut Column<'_>) {
    let (read, drawn) = (&check.read_back, check.drawn.unwrap_or_default());
    column.fact("after the", own.technique.name());
    column.fact("  read", &format!("{} of {}", counted(read.read.count(), "sector"), grouped(check.range.count)));
    match check.expect {
        Expect::Changed => {
            column.fact(
                "  compared",
                &format!("{} of which a salted digest was kept from before", counted(drawn.compared, "sector")),
            );
            column.fact("  as before", &faults(&read.wrong));
            let blank = format!(
                "{} were blank before (one byte over and over): they verify nothing",
                counted(drawn.blank_before, "sector")
            );
            column.fact("  blank before", &blank);
        }
        _ => column.fact("  not blank", &faults(&read.wrong)),
    }
    column.fact("  unreadable", &faults(&read.unreadable));
    let parts = format!(
        "{} of the drive's {} parts had contents before that are gone now",
        drawn.parts,
        Drawn::PARTS.min(check.range.count)
    );
    column.fact("  tells", &parts);
    check.beside.iter().for_each(|beside| column.fact("  beside", &beside.sentence()));
}

fn faults(set: &RangeSet) -> String {
    if set.is_empty() { "none".to_string() } else { format!("{}: {}", counted(set.count(), "sector"), set.sentence(3)) }
}

/// Of a simulated drive alone can be told what no host ever sees.
fn laboratory(lane: &Lane, column: &mut Column<'_>) {
    let Some(found) = lane.seen.laboratory() else { return };
    column.heading("What a laboratory would still find on this simulated drive");
    let amount = |bytes: u64| if bytes == 0 { "nothing".to_string() } else { format!("{} of what people wrote", si_size(bytes)) };
    column.fact_in("at addresses", &amount(found.at_addresses), StyleRole::Strong);
    column.fact_in("beyond them", &amount(found.beyond), StyleRole::Strong);
    let failed = lane.record().is_some_and(|r| r.claim().outcome() == Outcome::NotSanitized);
    let lesson = match (found.at_addresses, found.beyond) {
        // What is gone by chance is no comfort: nothing proved it.
        (0, _) if failed => "Whatever is gone: what was verified does not prove it.",
        (0, 0) => "No cell holds anything of it any more. Of a real drive only its own word, and its maker's, say so.",
        (0, _) => {
            "It lies in spare cells, which no address reaches: writing to the drive can't touch them. That is why such an outcome is Clear and not Purge."
        }
        _ => "It is still there for everyone to read.",
    };
    column.sentence(lesson, StyleRole::Text);
    column.gap();
}

/// The same sector before the job and after it, side by side.
fn before_and_after(state: &State, before: Option<&SampledSector>, after: Option<&SampledSector>, column: &mut Column<'_>) {
    let (Some(before), Some(after)) = (before, after) else { return };
    column.heading(&format!("Sector {} before and after", before.at));
    let per_row = if column.width() >= 96 { 8 } else { 6 };
    let rows = 8;
    let chunks = before.bytes.chunks(per_row).zip(after.bytes.chunks(per_row));
    for (i, (old, new)) in chunks.take(rows).enumerate() {
        let offset = Span::styled(format!("{:04x}  ", i * per_row), state.theme.style(StyleRole::Faint));
        let gap = Span::raw("    ");
        let old = Span::styled(hex_row(old), state.theme.style(StyleRole::Former));
        let new = Span::styled(hex_row(new), state.theme.style(StyleRole::Proved));
        column.line(Line::from(vec![offset, old, gap, new]));
    }
}

fn hex_row(bytes: &[u8]) -> String {
    let hex: Vec<String> = bytes.iter().map(|b| format!("{b:02x}")).collect();
    let text: String = bytes.iter().map(|b| if (0x20..0x7f).contains(b) { char::from(*b) } else { '·' }).collect();
    format!("{}  {text}", hex.join(" "))
}
