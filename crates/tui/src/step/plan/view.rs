//! Plan: what level is needed, and how is it reached?

use crate::lane::rows::{self, PlanRow};
use crate::lane::stage::Over;
use crate::lane::{Lane, Speed};
use crate::state::State;
use crate::step::unfinished::cut_short;
use jurex_look::column::{Column, shorten};
use jurex_look::rows::rows as list_rows;
use jurex_look::theme::StyleRole;
use jurex_look::{preview, strata};
use jurex_pattern::text::capital;
use jurex_pattern::units::{duration, rate, si_size};
use jurex_sanitize::draft::DraftForecast;
use jurex_sanitize::estimate::{Estimate, of_order};
use jurex_sanitize::evidence::Expect;
use jurex_sanitize::ladder::{Availability, Candidate, warnings, what_to_do};
use jurex_sanitize::plan::{Plan, PlannedReading};
use jurex_sanitize::rules::{Outcome, Technique};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};

/// The technique on that row of the screen.
pub(crate) fn way_at(state: &State, lane: &Lane, desk: Rect, y: u16) -> Option<Technique> {
    if lane.verdict.is_err() || lane.has_job() {
        return None;
    }
    // Drawn again, aside, to know where each stands.
    let aside = Rect::new(0, 0, desk.width, 400);
    let mut buffer = Buffer::empty(aside);
    let mut column = Column::new(aside, &mut buffer, state.theme).showing(desk.height);
    let mut places = vec![];
    all(state, lane, &mut column, &mut places);
    let row = (y + lane.scroll).checked_sub(desk.y)?;
    places.into_iter().find(|(at, _)| *at == row).map(|(_, way)| way)
}

/// Draws the step into a column that is as long as it needs.
pub(crate) fn draw(state: &State, lane: &Lane, column: &mut Column<'_>) {
    all(state, lane, column, &mut vec![]);
}

/// The same; `places` hears on which row each technique stands.
fn all(state: &State, lane: &Lane, column: &mut Column<'_>, places: &mut Vec<(u16, Technique)>) {
    column.question("What level is needed, and how do we reach it?");
    if let Some(warning) = lane.look.mark.as_ref().and_then(|mark| mark.warning()) {
        column.sentence(&warning, StyleRole::Strong);
        column.gap();
    }
    cut_short(lane, column);
    if lane.has_job() {
        return already(lane, column);
    }
    let foreseen = lane.foreseen();
    verdict(lane, &foreseen, column);
    column.gap();
    let list = rows::shown(lane);
    let here = lane.plan_row.and_then(|row| PlanRow::of(lane).iter().position(|r| *r == row));
    list_rows(&list, here, column);
    column.gap();
    ladder(state, lane, &foreseen.ways, column, places);
    column.gap();
    match foreseen.chosen() {
        Some(way) if way.technique != Technique::Overwrite => one_way(state, lane, way, &foreseen, column),
        _ => overwriting(state, lane, &foreseen, column),
    }
}

/// What is required, what the plan gives, and how long that takes: the one thing that matters most.
fn verdict(lane: &Lane, foreseen: &DraftForecast, column: &mut Column<'_>) {
    let required = lane.draft.need.outcome();
    let by = lane.required_by();
    let Some(way) = foreseen.chosen().filter(|w| w.is_ready()) else {
        let name = capital(lane.draft.way.name());
        return column.sentence(&format!("✕ Required{by}: {required}. {name} can't be done now."), StyleRole::Fault);
    };
    let plan = match &foreseen.plan {
        Ok(plan) => plan,
        Err(why) => return column.sentence(&format!("✕ This plan does not fit the drive: {why}."), StyleRole::Fault),
    };
    let about = |time: Estimate| format!("about {}", duration(time.likely));
    let time = way.time.map_or_else(|| "no estimate from the drive".into(), about);
    let (name, gives) = (way.technique.name(), plan.expected().outcome());
    if gives >= required {
        column.sentence(&format!("✓ Required{by}: {required} → {name} gives {gives}, {time}"), StyleRole::Strong);
    } else {
        column.sentence(&format!("✕ Required{by}: {required} → {name} gives only {gives}, {time}"), StyleRole::Fault);
    }
    if let Some(why) = lane.draft.need.contradiction() {
        column.sentence(why, StyleRole::Strong);
    }
}

/// What is said of a drive whose plan is being carried out, or was.
fn already(lane: &Lane, column: &mut Column<'_>) {
    if let Some(plan) = lane.plan() {
        column.fact("method", &format!("{} ({})", plan.title(), plan.notation()));
        column.fact("planned", &plan.expected().outcome().to_string());
    }
    let Some(Over { end, .. }) = lane.over() else {
        return column.sentence("This plan is being carried out: see Erase.", StyleRole::Strong);
    };
    column.fact("outcome", &end.record.claim().outcome().to_string());
    column.gap();
    column.sentence(
        "This plan was carried out. Enter begins anew with this drive; the record of the job stays in the ledger.",
        StyleRole::Strong,
    );
    if lane.needs_person() {
        let (paper, job) = (lane.paper(), &end.record.job);
        let said = format!("Its {paper} is not written yet: see Certify, or later jurex certificate {job} --out DIR.");
        column.sentence(&said, StyleRole::Text);
    }
}

/// The techniques that can be used, best first; those that can't are one line, which unfolds while a technique is being chosen.
fn ladder(state: &State, lane: &Lane, ways: &[Candidate], column: &mut Column<'_>, places: &mut Vec<(u16, Technique)>) {
    column.heading("Techniques on this drive");
    let needed = lane.draft.need.outcome();
    let style = |role| state.theme.style(role);
    // Whether it can be taken matters more than what it wears.
    let (name_room, earns_room, time_room, wear_room) = match column.width() {
        96.. => (31, 26, 13, 9),
        76.. => (28, 16, 12, 0),
        _ => (26, 16, 0, 0),
    };
    let unfolded = lane.plan_row == Some(PlanRow::Technique);
    let shown = |way: &&Candidate| unfolded || way.is_ready() || way.technique == lane.draft.way;
    let folded: Vec<&Candidate> = ways.iter().filter(|way| !shown(way)).collect();
    let used = 4 + name_room + earns_room + time_room + wear_room;
    let room = usize::from(column.width()).saturating_sub(used).clamp(8, 26);
    let wear_head = if wear_room > 0 { "wear" } else { "" };
    let time_head = if time_room > 0 { "time" } else { "" };
    let heading = format!(
        "    {:<name_room$}{:<earns_room$}{time_head:<time_room$}{wear_head:<wear_room$}{}",
        "technique", "result", "available?"
    );
    column.line(Line::styled(heading, style(StyleRole::Faint)));
    for way in ways.iter().filter(shown) {
        places.push((column.used(), way.technique));
        let here = way.technique == lane.draft.way;
        let enough = if way.outcome() >= needed { "✓ " } else { "  " };
        let role = match (here, &way.availability) {
            (true, _) => StyleRole::Strong,
            (_, Availability::Ready) => StyleRole::Text,
            _ => StyleRole::Faint,
        };
        let time = way.time.map(|t| duration(t.likely)).unwrap_or_else(|| "no estimate".into());
        let time = if way.availability.word() == "by hand" || way.outcome() == Outcome::NotSanitized && way.perhaps.is_none() {
            "-".into()
        } else {
            time
        };
        column.line(Line::from(vec![
            Span::styled(if here { " ▸  " } else { "    " }, style(StyleRole::Act)),
            Span::styled(format!("{:<name_room$}", shorten(way.technique.name(), name_room - 1)), style(role)),
            Span::styled(enough, style(StyleRole::Proved)),
            Span::styled(format!("{:<w$}", shorten(&way.outcome_said(), earns_room - 3), w = earns_room - 2), style(role)),
            Span::styled(format!("{:<time_room$}", shorten(&time, time_room.saturating_sub(1))), style(role)),
            Span::styled(if wear_room > 0 { format!("{:<wear_room$}", wear_short(way)) } else { String::new() }, style(role)),
            Span::styled(shorten(short_availability(way), room), style(role)),
        ]));
    }
    if !folded.is_empty() {
        let names: Vec<String> =
            folded.iter().map(|way| format!("{} ({})", way.technique.name(), short_availability(way))).collect();
        let line = format!("    {} more not now: {}", folded.len(), names.join(", "));
        let line = shorten(&line, usize::from(column.width()));
        column.line(Line::styled(line, style(StyleRole::Faint)));
    }
}

fn short_availability(way: &Candidate) -> &'static str {
    match &way.availability {
        Availability::Blocked { reason, .. } if reason.starts_with("Frozen") => "frozen",
        Availability::Unavailable { reason, .. } if reason.starts_with("Alone") => "gives nothing",
        Availability::Unavailable { .. } => "not on this drive",
        Availability::Ready => "yes",
        other => other.word(),
    }
}

/// A rung other than overwriting: what it earns, what is done and read, or why it can't be taken and what to do about it.
fn one_way(state: &State, lane: &Lane, way: &Candidate, foreseen: &DraftForecast, column: &mut Column<'_>) {
    let ways = &foreseen.ways;
    let plan = foreseen.plan.as_ref().ok().filter(|p| p.own_erase().is_some());
    let ready = way.is_ready();
    column.heading(&capital(way.technique.name()));
    let claim = plan.map_or(&way.claim, |p| p.expected());
    let verb = if ready { "result" } else { "it would give" };
    column.fact_in(verb, &way.outcome_said(), StyleRole::Strong);
    for reason in claim.reasons() {
        column.fact("because", &format!("{} ({})", reason.sentence(), reason.citation()));
    }
    stated(lane, column);
    if let Some(plan) = plan.filter(|_| ready) {
        what_is_done(plan, column);
    }
    let time = way.time.map_or_else(|| "no estimate from the drive".into(), |t| t.to_string());
    column.fact("time", &time);
    column.fact("wear", &wear(way.drive_writes));
    let limits = claim.limits().iter().filter(|l| !(lane.seen.drive.simulated && l.citation() == DEMONSTRATION));
    for (i, limit) in limits.enumerate() {
        column.fact(if i == 0 { "not covered" } else { "" }, &limit.sentence());
    }
    column.gap();
    if let Availability::Blocked { reason, remedy } = &way.availability {
        blocked(state, lane, reason, remedy, column);
    } else {
        column.sentence(&way.availability.sentence(), StyleRole::Strong);
    }
    if let Some(what) = what_to_do(ways, lane.draft.need.outcome()).filter(|_| !ready) {
        column.gap();
        column.fact_in("what to do", &what, StyleRole::Strong);
    }
    if let Some(plan) = plan.filter(|_| ready) {
        let drawing = preview::of_plan(plan, &lane.look.known_contents());
        let place = column.take(strata::rows(&drawing));
        strata::draw(&drawing, state.theme, place, column.buffer());
    }
}

/// What the way needs and only a person can state, and whether they do.
fn stated(lane: &Lane, column: &mut Column<'_>) {
    let conditions = lane.draft.to_state(&lane.seen.drive, &lane.seen.answers);
    if conditions.is_empty() {
        return;
    }
    let name = &lane.papers.technician.name;
    let who = if name.is_empty() { "the technician".to_string() } else { name.clone() };
    let head = if lane.draft.stated {
        format!("✓ {who} attests, by name on the certificate:")
    } else {
        format!("not attested. {who} can attest, by name on the certificate (Tab):")
    };
    column.fact_in("attested", &head, StyleRole::Strong);
    for condition in conditions {
        column.fact("", condition.statement());
    }
}

/// What the plan does, step by step, and whether anything stops it.
fn what_is_done(plan: &Plan, column: &mut Column<'_>) {
    let reads = match plan.own_check().map(|c| (&c.expect, &c.reading)) {
        None => "nothing: then nothing can be claimed",
        Some((Expect::Changed, _)) => {
            "places drawn for this job, before and after: none may be as it was. No byte of them is kept, only salted digests"
        }
        Some((_, PlannedReading::Full)) => "every sector afterwards: nothing but one byte over and over may be left",
        Some(_) => "a tenth afterwards, at places drawn for this job: nothing but one byte over and over may be left",
    };
    column.fact("reads", reads);
    column.fact_in("mind", &plan.warning(), StyleRole::Text);
}

/// What stands in the way, and the steps to take it away.
fn blocked(state: &State, lane: &Lane, reason: &str, remedy: &str, column: &mut Column<'_>) {
    column.sentence(&format!("⊘ {reason}."), StyleRole::Strong);
    if !remedy.contains("ten seconds") {
        return column.sentence(&format!("{}.", capital(remedy)), StyleRole::Text);
    }
    let how = if lane.seen.drive.simulated { " (here: P pulls the power of a bay, and P gives it back)" } else { "" };
    column.gap();
    column.sentence(&format!("1  Take the drive's power away{how}. The machine stays on; Jurex waits."), StyleRole::Text);
    column.sentence("2  Wait ten seconds: its lane says that it is gone.", StyleRole::Text);
    column.sentence(
        "3  Give the power back. Jurex sees the same drive come, and asks it anew whether it is frozen.",
        StyleRole::Text,
    );
    if state.machine.is_some() && !lane.seen.drive.simulated {
        column.sentence("Or let the machine sleep and wake (F8): some firmware leaves drives alone after that.", StyleRole::Text);
    }
}

/// Wear in few columns, in writes of the whole drive.
fn wear_short(way: &Candidate) -> String {
    match way.drive_writes {
        0.0 => "none".into(),
        _ if way.outcome() == Outcome::NotSanitized && way.perhaps.is_none() && !way.is_ready() => "-".into(),
        n if n.fract() == 0.0 => format!("{n:.0}x"),
        n => format!("{n:.2}x"),
    }
}

fn wear(drive_writes: f64) -> String {
    match drive_writes {
        0.0 => "none".into(),
        1.0 => "as writing the whole drive once".into(),
        n if n.fract() == 0.0 => format!("as writing the whole drive {n:.0} times"),
        n => format!("as writing {:.1} % of the drive", n * 100.0),
    }
}

/// The rung that can be taken: method, passes, time, and what to mind.
fn overwriting(state: &State, lane: &Lane, foreseen: &DraftForecast, column: &mut Column<'_>) {
    let draft = &lane.draft;
    let order = &draft.order;
    let plan = match &foreseen.plan {
        Ok(plan) => plan,
        Err(why) => return column.sentence(&format!("This plan does not fit the drive: {why}."), StyleRole::Strong),
    };
    column.heading("Overwriting");
    let (outcome, needed) = (plan.expected().outcome(), draft.need.outcome());
    column.fact_in("result", &format!("{outcome} if all goes well"), StyleRole::Strong);
    for reason in plan.expected().reasons() {
        column.fact("because", &format!("{} ({})", reason.sentence(), reason.citation()));
    }
    let source = draft.method.as_ref().map(|m| format!(": {}; {}", m.source(), m.status.sentence())).unwrap_or_default();
    column.fact_in("method", &format!("{}{source}", order.title), StyleRole::Strong);
    let passes = if plan.passes().len() == 1 { "1 pass".to_string() } else { format!("{} passes", plan.passes().len()) };
    let (write, read) = plan.work();
    let bytes = |sectors| si_size(plan.drive().geometry.bytes_of(sectors));
    let work = format!("{} to write, {} to read back", bytes(write), bytes(read));
    column.fact("passes", &format!("{}  ({passes}; {work})", shorten(plan.notation(), 150)));
    let speed = match &lane.look.speed {
        Speed::Sampled(s) => {
            format!("; it reads {}, {} and {} at start, middle and end", rate(s.start), rate(s.middle), rate(s.end))
        }
        Speed::Sampling => "; its speed is being sampled".into(),
        Speed::NotSampled => String::new(),
    };
    column.fact_in("time", &format!("{}{speed}", of_order(&lane.seen.drive, order, lane.look.speed.sample())), StyleRole::Strong);
    let said = warnings(&lane.seen.drive, order, draft.method.as_ref(), draft.need, lane.look.speed.sample());
    // What it gives stands above already, and contradictory answers beside what is required.
    let told = |w: &&String| !w.starts_with("This plan gives") && !w.starts_with("These answers contradict");
    for (i, warning) in said.iter().filter(told).enumerate() {
        column.fact(if i == 0 { "mind" } else { "" }, warning);
    }
    if let Some(what) = what_to_do(&foreseen.ways, needed) {
        column.fact_in("what to do", &what, StyleRole::Strong);
    }
    // That a drive is simulated stands in Look and on its certificate.
    let limits = plan.expected().limits().iter().filter(|l| !(lane.seen.drive.simulated && l.citation() == DEMONSTRATION));
    for (i, limit) in limits.enumerate() {
        column.fact(if i == 0 { "not covered" } else { "" }, &limit.sentence());
    }
    column.gap();
    let drawing = preview::of_plan(plan, &lane.look.known_contents());
    let place = column.take(strata::rows(&drawing));
    strata::draw(&drawing, state.theme, place, column.buffer());
}

/// What the rules cite for what is only simulated.
const DEMONSTRATION: &str = "Jurex: demonstration";
