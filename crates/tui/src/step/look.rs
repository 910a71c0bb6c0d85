//! Look: is that the right drive?

use crate::action::Action;
use crate::lane::bytes::BytesView;
use crate::lane::{Lane, Presence};
use crate::message::Effect;
use crate::screen::ScreenAnswer;
use crate::state::State;
use crate::step::prove::{all_leftovers, leftovers};
use crate::step::unfinished::{cut_short, next_step};
use jurex_device::media::HiddenAreas;
use jurex_disposition::proof::Finding;
use jurex_look::column::Column;
use jurex_look::strata;
use jurex_look::theme::StyleRole;
use jurex_pattern::units::{counted, duration, si_size};
use jurex_sanitize::strata::Strata;
use jurex_station::beside::{LaneReading, WantedReading};

/// Does what was asked for in this step.
pub(crate) fn perform(state: &mut State, action: Action) -> ScreenAnswer {
    match action {
        Action::OpenBytes => ScreenAnswer::to_do(open_bytes(state)),
        Action::SeeFind => ScreenAnswer::to_do(state.see_find()),
        Action::Beacon => ScreenAnswer::to_do(toggle_beacon(state)),
        Action::AsLeft => ScreenAnswer::to_do(ask_as_left(state)),
        _ => ScreenAnswer::stay(),
    }
}

/// Opens the byte viewer at the drive's first sector.
fn open_bytes(state: &mut State) -> Vec<Effect> {
    let (Some(id), Some(lane)) = (state.selected, state.lane_mut()) else { return vec![] };
    if lane.is_gone() {
        state.notice = Some("The drive is gone: there is nothing to read.".into());
        return vec![];
    }
    lane.look.bytes = Some(BytesView::default());
    vec![Effect::ReadPage(id, 0)]
}

/// Asks whether a marked drive is still as it was left, or breaks that off.
fn ask_as_left(state: &mut State) -> Vec<Effect> {
    let (Some(id), Some(lane)) = (state.selected, state.lane_mut()) else { return vec![] };
    if lane.readings.is_going() {
        return vec![Effect::Read(id, WantedReading::End)];
    }
    let job = lane.look.mark.as_ref().and_then(|m| m.mark()).map(|m| m.says.job.clone());
    lane.readings.as_left = LaneReading::Going(0.0);
    job.map(|job| Effect::Read(id, WantedReading::AsLeft(job))).into_iter().collect()
}

/// The mark of an earlier erasure, and whether the drive is still as it was left.
fn mark(lane: &Lane, column: &mut Column<'_>) {
    let Some(mark) = &lane.look.mark else { return };
    column.heading("Erasure tag");
    for said in mark.sentences(jurex_station::clock::wall()) {
        let role = if said.starts_with('✕') { StyleRole::Fault } else { StyleRole::Strong };
        column.sentence(&said, role);
    }
    match &lane.readings.as_left {
        LaneReading::NotAsked if mark.mark().is_some() => column.sentence(
            "Still as it was left? a reads a sample of it against the ledger's record: about a minute.",
            StyleRole::Text,
        ),
        LaneReading::NotAsked => {}
        LaneReading::Going(share) => {
            column.sentence(&format!("Reading a sample … {:.0} %. a ends it.", share * 100.0), StyleRole::Text);
        }
        LaneReading::Failed(why) => column.sentence(why, StyleRole::Strong),
        LaneReading::Over(read) => {
            let role = if read.finding() == Finding::Confirmed { StyleRole::Proved } else { StyleRole::Fault };
            let word = match read.finding() {
                Finding::Confirmed => "It is as it was left, as far as the sample tells.",
                Finding::Contradicted => "✕ It is not as it was left.",
                Finding::Incomplete => "The sample was not read to its end.",
            };
            column.sentence(word, role);
            read.sentences().iter().for_each(|said| column.sentence(said, StyleRole::Text));
        }
    }
    column.gap();
}

fn toggle_beacon(state: &mut State) -> Vec<Effect> {
    let (Some(id), Some(lane)) = (state.selected, state.lane_mut()) else { return vec![] };
    if lane.is_working() || lane.is_gone() {
        state.notice = Some("The beacon reads from a drive that is there and not being worked on.".into());
        return vec![];
    }
    lane.look.beacon = !lane.look.beacon;
    let on = lane.look.beacon;
    vec![Effect::Beacon(id, on)]
}

/// Draws the step into a column that is as long as it needs.
pub(crate) fn draw(state: &State, lane: &Lane, column: &mut Column<'_>) {
    let drive = &lane.seen.drive;
    let said = |v: &Option<String>| v.clone().unwrap_or_else(|| "not reported".into());
    column.question("Is that the right drive?");
    presence(state, lane, column);
    verdict(lane, column);
    column.fact("on it now", &on_it(lane));
    column.fact("seen before", &seen_before(lane));
    next_step(lane, column);
    column.gap();
    mark(lane, column);
    cut_short(lane, column);
    column.heading("As its label should read");
    column.fact("maker", &said(&drive.unit.maker));
    column.fact_in("model", &said(&drive.unit.model), StyleRole::Strong);
    column.fact_in("serial", &said(&drive.unit.serial), StyleRole::Strong);
    column.fact("capacity", &format!("{}, {}", drive.label_size_said(), counted(drive.geometry.sectors, "sector")));
    column.fact("firmware", &said(&drive.unit.firmware));
    column.gap();
    column.heading("How it is attached");
    column.fact("path", &format!("{} ({})", drive.path, drive.bus));
    column.fact("sectors", &drive.geometry.sector_sizes());
    column.fact("class of media", &format!("{}, because {}", drive.class, drive.class_basis));
    if let Some(bridge) = &lane.seen.answers.bridge {
        column.fact("bridge", &format!("{bridge} stands before the drive"));
    }
    column.fact_in(
        "hidden areas",
        &drive.hidden.sentence(),
        if drive.hidden == HiddenAreas::None { StyleRole::Text } else { StyleRole::Strong },
    );
    for other in &drive.elsewhere {
        column.fact("of the same unit", &other.what);
    }
    let health = lane.seen.answers.health.sentences();
    column.fact("age and health", &if health.is_empty() { "not reported".into() } else { health.join(", ") });
    if !lane.seen.answers.own_erases.is_empty() {
        column.fact("erases itself", &lane.seen.answers.own_erases_said());
    }
    for note in &lane.seen.answers.notes {
        column.fact("note", note);
    }
    if drive.simulated {
        column.fact("simulated", "a scale model, a thousandth of the printed capacity");
    }
    column.gap();
    contents(state, lane, column);
    column.gap();
    leftovers(lane, column);
    all_leftovers(lane, column);
}

/// May it be erased? What matters most stands first.
fn verdict(lane: &Lane, column: &mut Column<'_>) {
    column.heading("May it be erased?");
    match &lane.verdict {
        _ if lane.is_gone() => column.sentence("It is gone. Attach it again, and Jurex looks anew.", StyleRole::Strong),
        Ok(_) => match lane.seen.verdict() {
            Ok(_) => {
                column.sentence("Yes: nothing uses it. Its label is checked again before anything is written.", StyleRole::Text);
            }
            Err(refusal) => {
                column.sentence(&format!("⊘ Not by writing to it: {refusal}."), StyleRole::Strong);
                column.sentence("An erasure of its own can take it out of this state: see Plan.", StyleRole::Text);
            }
        },
        Err(refusal) => column.sentence(&format!("⊘ No: {refusal}. There is no way around this."), StyleRole::Strong),
    }
}

/// What is on it, in a line; the strata are further down.
fn on_it(lane: &Lane) -> String {
    match &lane.look.contents {
        Some(contents) => contents.sentence(),
        None if lane.seen.has_answered() => "looking …".into(),
        None => "not read yet: the drive has not answered".into(),
    }
}

/// What the ledger knows of it.
fn seen_before(lane: &Lane) -> String {
    match lane.history() {
        Some(history) => history,
        None if !lane.seen.drive.unit.is_named() => "not known: it reports nothing that names it".into(),
        None if !lane.look.asked_ledger => "not looked up".into(),
        None => "no: the ledger of this bench does not know it".into(),
    }
}

/// When it came or went, and whether its light is being shown.
fn presence(state: &State, lane: &Lane, column: &mut Column<'_>) {
    let said = match &lane.presence {
        Presence::Here => None,
        Presence::Appeared(at) => Some(format!("Appeared {} ago.", duration(state.now.saturating_sub(*at)))),
        Presence::Gone(since) => Some(format!("✕ Gone since {since}.")),
    };
    let beacon =
        lane.look.beacon.then(|| "The beacon is on: its light goes long, short. Nothing is written; b ends it.".to_string());
    for words in said.into_iter().chain(beacon) {
        column.sentence(&words, StyleRole::Strong);
        column.gap();
    }
}

/// Regions that are told one by one.
const MAX_REGIONS: usize = 40;

/// The same with places; where there is nothing to draw, the line on top has said it.
fn contents(state: &State, lane: &Lane, column: &mut Column<'_>) {
    let Some(contents) = &lane.look.contents else { return };
    let geometry = lane.seen.drive.geometry;
    let left = matches!(lane.readings.left, LaneReading::Over(_));
    if contents.regions.is_empty() && contents.note.is_none() && lane.seen.drive.hidden == HiddenAreas::None && !left {
        return;
    }
    column.heading("What is on it");
    let mut drawing = Strata::of_drive(&lane.seen.drive, contents);
    if let LaneReading::Over(residue) = &lane.readings.left {
        drawing = drawing.with_left(&residue.usable);
    }
    if !drawing.layers[0].spans.is_empty() {
        let place = column.take(strata::rows(&drawing));
        strata::draw(&drawing, state.theme, place, column.buffer());
        if let HiddenAreas::Hidden { sectors } = lane.seen.drive.hidden {
            let words = format!(
                "hidden: the last {} ({}), which no program on this machine can see",
                counted(sectors, "sector"),
                si_size(geometry.bytes_of(sectors))
            );
            column.sentence(&words, StyleRole::Strong);
        }
        for region in contents.regions.iter().take(MAX_REGIONS) {
            column.sentence(&region.line(geometry), StyleRole::Faint);
        }
    }
    if let Some(note) = &contents.note {
        column.sentence(note, StyleRole::Strong);
    }
}
