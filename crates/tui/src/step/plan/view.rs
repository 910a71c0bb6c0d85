//! Plan: what must be done, and what does it earn?

use crate::lane::draft::{DraftForecast, HiddenWish};
use crate::lane::stage::Over;
use crate::lane::{Lane, Speed};
use crate::state::State;
use crate::step::unfinished::cut_short;
use jurex_device::media::MediaClass;
use jurex_look::column::{Column, shorten};
use jurex_look::need::questions;
use jurex_look::theme::StyleRole;
use jurex_look::{preview, strata};
use jurex_pattern::text::capital;
use jurex_pattern::units::{duration, rate, si_size};
use jurex_sanitize::estimate::of_order;
use jurex_sanitize::evidence::Expect;
use jurex_sanitize::ladder::{Availability, Candidate, warnings, what_to_do};
use jurex_sanitize::plan::{Plan, PlannedReading, UnhideOrder};
use jurex_sanitize::rules::{Outcome, Technique};
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};

/// Row of the first way, counted from the step's first line.
const FIRST_WAY: u16 = 9;

/// The way at that row of the screen.
pub(crate) fn way_at(lane: &Lane, desk: Rect, y: u16) -> Option<Technique> {
    let in_short = u16::from(desk.height < 24);
    let row = usize::from((y + lane.scroll).checked_sub(desk.y + FIRST_WAY + in_short)?);
    (lane.verdict.is_ok() && lane.unfinished.is_none()).then(|| lane.foreseen().ways.get(row).map(|w| w.technique))?
}

/// Draws the step into a column that is as long as it needs.
pub(crate) fn draw(state: &State, lane: &Lane, column: &mut Column<'_>) {
    column.question("What must be done, and what does it earn?");
    if let Some(warning) = lane.look.mark.as_ref().and_then(|mark| mark.warning()) {
        column.sentence(&warning, StyleRole::Strong);
        column.gap();
    }
    cut_short(lane, column);
    if lane.has_job() {
        return already(lane, column);
    }
    questions(lane.draft.need, column);
    let foreseen = lane.foreseen();
    let ways = &foreseen.ways;
    in_short(lane, &foreseen, column);
    column.gap();
    ladder(state, lane, ways, column);
    column.gap();
    match ways.iter().find(|w| w.technique == lane.draft.way) {
        Some(way) if way.technique != Technique::Overwrite => one_way(state, lane, way, &foreseen, column),
        _ => overwriting(state, lane, &foreseen, column),
    }
}

/// Where there is little room, what is chosen and what it earns stands above the ladder.
fn in_short(lane: &Lane, foreseen: &DraftForecast, column: &mut Column<'_>) {
    if !column.is_short() {
        return;
    }
    let way = foreseen.ways.iter().find(|w| w.technique == lane.draft.way);
    let chosen = match (way, &foreseen.plan) {
        (Some(way), _) if way.technique != Technique::Overwrite => format!("{}: {}", way.technique.name(), way.outcome_said()),
        (_, Ok(plan)) => format!("{}: {}", lane.draft.order.title, plan.expected().outcome()),
        (_, Err(why)) => format!("this does not fit the drive: {why}"),
    };
    column.fact_in("    as chosen", &chosen, StyleRole::Strong);
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

/// The ladder: a rung a way, best first.
fn ladder(state: &State, lane: &Lane, ways: &[Candidate], column: &mut Column<'_>) {
    column.heading("Ways on this drive, best first");
    let needed = lane.draft.need.outcome();
    let style = |role| state.theme.style(role);
    // Whether it can be taken matters more than what it wears.
    let (name_room, earns_room, time_room, wear_room) = match column.width() {
        96.. => (31, 26, 13, 9),
        76.. => (28, 16, 12, 0),
        _ => (26, 16, 0, 0),
    };
    let used = 4 + name_room + earns_room + time_room + wear_room;
    let room = usize::from(column.width()).saturating_sub(used).clamp(8, 26);
    let wear_head = if wear_room > 0 { "wear" } else { "" };
    let time_head = if time_room > 0 { "time" } else { "" };
    let heading = format!(
        "    {:<name_room$}{:<earns_room$}{time_head:<time_room$}{wear_head:<wear_room$}{}",
        "way", "can earn", "can it be taken?"
    );
    column.line(Line::styled(heading, style(StyleRole::Faint)));
    for way in ways {
        let here = way.technique == lane.draft.way;
        let enough = if way.outcome() >= needed { "✓ " } else { "  " };
        let role = match (here, &way.availability) {
            (true, _) => StyleRole::Strong,
            (_, Availability::Ready) => StyleRole::Text,
            _ => StyleRole::Faint,
        };
        let time = way.time.map(|t| duration(t.likely)).unwrap_or_else(|| "not told".into());
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
}

fn short_availability(way: &Candidate) -> &'static str {
    match &way.availability {
        Availability::Blocked { reason, .. } if reason.starts_with("Frozen") => "frozen: see below",
        Availability::Unavailable { reason, .. } if reason.starts_with("Alone") => "earns nothing",
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
    let title = capital(way.technique.name());
    column.heading(&if ready { format!("The plan: {title}") } else { title });
    let claim = plan.map_or(&way.claim, |p| p.expected());
    let verb = if ready { "it earns" } else { "it would earn" };
    column.fact_in(verb, &way.outcome_said(), StyleRole::Strong);
    for reason in claim.reasons() {
        column.fact("because", &format!("{} ({})", reason.sentence(), reason.citation()));
    }
    stated(lane, column);
    if let Some(plan) = plan.filter(|_| ready) {
        what_is_done(lane, plan, column);
    }
    let time = way.time.map_or_else(|| "not told by the drive".into(), |t| t.to_string());
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
        format!("✓ {who} states (y takes it back):")
    } else {
        format!("not stated. With y {who} states, by name on the certificate:")
    };
    column.fact_in("stated", &head, StyleRole::Strong);
    for condition in conditions {
        column.fact("", condition.statement());
    }
}

/// What the plan does, step by step, and whether anything stops it.
fn what_is_done(lane: &Lane, plan: &Plan, column: &mut Column<'_>) {
    if plan.lift().is_some() || lane.draft.hidden == HiddenWish::Leave {
        column.fact_in("hidden areas", lane.draft.hidden.sentence(), StyleRole::Strong);
    }
    first_of_all(plan, column);
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

/// What is asked of the drive before anything else, and searched for around it.
fn first_of_all(plan: &Plan, column: &mut Column<'_>) {
    let size = if plan.measure().is_some() {
        "checked first: marks all over it are written and read again, in seconds; they take the place of what lies there"
    } else if plan.drive().class == MediaClass::RemovableFlash {
        "not checked (k does): sticks and cards are sold that say more than they hold"
    } else {
        ""
    };
    if !size.is_empty() {
        column.fact("its size", size);
    }
    let mark = if plan.leaves_mark() {
        "a page that says what was done is left in the first and last sectors, once all is proved (n: none)"
    } else {
        "none is left (n leaves one: a page that says what was done, for whoever finds the drive)"
    };
    column.fact("mark", mark);
    if plan.searches() {
        column.fact(
            "leftovers",
            "a sample is searched before and after, for a minute at most each; only counts and places are kept",
        );
    }
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
    column.heading("The plan: overwrite");
    let (outcome, needed) = (plan.expected().outcome(), draft.need.outcome());
    let verdict = if outcome >= needed {
        format!("{outcome}, if nothing goes wrong.")
    } else {
        format!("{outcome}, which is less than the {needed} that is needed.")
    };
    column.fact_in("it earns", &verdict, StyleRole::Strong);
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
    first_of_all(plan, column);
    column.fact("reads back", &plan.verification().to_string());
    if plan.lift().is_some() || (lane.draft.hidden == HiddenWish::Leave && UnhideOrder::of(plan.drive()).is_some()) {
        column.fact_in("hidden areas", lane.draft.hidden.sentence(), StyleRole::Strong);
    }
    if order.range.is_some() {
        column.fact_in("covers", &format!("{} only", plan.range()), StyleRole::Strong);
    }
    let speed = match &lane.look.speed {
        Speed::Sampled(s) => {
            format!("; it reads {}, {} and {} at start, middle and end", rate(s.start), rate(s.middle), rate(s.end))
        }
        Speed::Sampling => "; its speed is being sampled".into(),
        Speed::NotSampled => String::new(),
    };
    column.fact_in("time", &format!("{}{speed}", of_order(&lane.seen.drive, order, lane.look.speed.sample())), StyleRole::Strong);
    let said = warnings(&lane.seen.drive, order, draft.method.as_ref(), draft.need, lane.look.speed.sample());
    // What it earns stands above already, and contradictory answers beside the questions.
    let told = |w: &&String| !w.starts_with("This plan earns") && !w.starts_with("These answers contradict");
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
