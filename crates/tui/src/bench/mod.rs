//! The bench: the lanes, and the desk with the steps of the chosen one. The lowest screen, which never goes.

mod about;
mod desk;
mod lanes;
mod view;

use crate::action::{Action, KeyPlace};
use crate::lane::stage::LaneStage;
use crate::lane::{Lane, Step};
use crate::message::Effect;
use crate::screen::afar::Afar;
use crate::screen::files::FilesPage;
use crate::screen::greeting::Greeting;
use crate::screen::ledger::LedgerPage;
use crate::screen::line::TypedLine;
use crate::screen::lot::LotPage;
use crate::screen::machine::MachinePage;
use crate::screen::methods::MethodsPage;
use crate::screen::question::Question;
use crate::screen::settings::SettingsPage;
use crate::screen::{PlaceHelp, Screen, ScreenAnswer, ScreenContext, WayTo};
use crate::state::State;
use crate::step::{arm, certify, erase, look, plan, prove, release};
use crate::tour;
use jurex_look::field::Typed;
pub(super) use lanes::tally;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The screen. What it shows is the shared state; it has none of its own.
pub(crate) struct BenchScreen;

impl Screen for BenchScreen {
    fn places(&self, state: &State) -> Vec<KeyPlace> {
        let Some(lane) = state.lane() else { return vec![KeyPlace::Bench, KeyPlace::Walking, KeyPlace::Anywhere] };
        if state.lanes_alone() {
            return vec![KeyPlace::Lanes, KeyPlace::Bench, KeyPlace::Walking, KeyPlace::Anywhere];
        }
        match (lane.step, lane.bytes_in_sight()) {
            (_, Some(view)) if view.prompt.is_some() => vec![KeyPlace::BytesPrompt, KeyPlace::Typing],
            (_, Some(_)) => vec![KeyPlace::Bytes, KeyPlace::Anywhere],
            (Step::Arm, _) if lane.is_asked_for_its_label() => {
                vec![KeyPlace::Step(Step::Arm), KeyPlace::Walking, KeyPlace::Typing]
            }
            (Step::Certify, _) if lane.asked().is_some() => vec![KeyPlace::Form, KeyPlace::Typing],
            (Step::Release, _) if lane.release.asked().is_some() => vec![KeyPlace::ReleaseForm, KeyPlace::Typing],
            (step, _) if state.tour && !(step == Step::Plan && lane.plan_row.is_some()) => {
                vec![KeyPlace::Touring, KeyPlace::Step(step), KeyPlace::Bench, KeyPlace::Walking, KeyPlace::Anywhere]
            }
            (Step::Plan, _) if lane.plan_row.is_some() && !lane.has_job() => vec![KeyPlace::PlanRows, KeyPlace::Anywhere],
            (step, _) => vec![KeyPlace::Step(step), KeyPlace::Bench, KeyPlace::Walking, KeyPlace::Anywhere],
        }
    }

    fn why_not(&self, state: &State, action: Action) -> Option<String> {
        if action == Action::Machine && state.machine.is_none() {
            return Some("Jurex was not started from a medium here: the system that runs it does these things.".into());
        }
        if action == Action::Tour {
            return tour::why_not(state);
        }
        let Some(lane) = state.lane() else {
            let needs_none = [
                Action::Where,
                Action::Quit,
                Action::Suspend,
                Action::Help,
                Action::Palette,
                Action::Settings,
                Action::Methods,
                Action::Ledger,
                Action::Machine,
                Action::Files,
                Action::Afar,
                Action::Greeting,
            ];
            return (!needs_none.contains(&action) && action != Action::NextTheme).then(|| "There is no drive.".into());
        };
        match action {
            Action::PlanSelected if !state.lanes.iter().any(|l| l.is_picked) => {
                Some("No drive is selected: s selects one.".into())
            }
            Action::WriteAll if state.unwritten() == 0 => Some("No paper waits to be written.".into()),
            Action::ShowLanes if state.lanes_alone() || !state.is_narrow() => Some("All drives are in sight.".into()),
            Action::ShowDesk if !state.lanes_alone() => Some("The drive is in sight.".into()),
            Action::WriteCertificate | Action::SeePaper => lane.missing(Step::Certify),
            _ => why_not_on(lane, action).or_else(|| erase::why_not(lane, action)).map(Into::into),
        }
    }

    fn perform(&mut self, state: &mut State, action: Action) -> ScreenAnswer {
        let commands = match action {
            Action::Ledger => return ScreenAnswer::push(LedgerPage::open(state)),
            Action::Settings => return ScreenAnswer::push(SettingsPage::default()),
            Action::Machine => return ScreenAnswer::push(MachinePage::open(state)),
            Action::Afar => return ScreenAnswer::push(Afar),
            Action::Greeting => return ScreenAnswer::push(Greeting),
            Action::Tour => tour::begin(state),
            Action::EndTour => {
                state.tour = false;
                vec![]
            }
            Action::Files => return ScreenAnswer::push(FilesPage::open(state)),
            Action::Methods => return ScreenAnswer::push(MethodsPage::to_read()),
            Action::FindDrive => return ScreenAnswer::push(TypedLine::to_find()),
            Action::PlanSelected => return plan_selected(state),
            Action::WriteAll => {
                let wait = state.lanes.ids().filter(|id| state.lanes[*id].needs_person()).collect();
                return ScreenAnswer::push(Question::papers(wait, state.now));
            }
            Action::EnterPlan => state.go_to(Step::Plan),
            Action::SeeWork => state.go_to(Step::Erase),
            Action::SeeProof => state.go_to(Step::Prove),
            Action::SeeCertificate => state.go_to(Step::Certify),
            Action::SeeRelease => state.go_to(Step::Release),
            Action::StepBefore => walk(state, -1),
            Action::StepAfter => walk(state, 1),
            Action::Power => state.selected.map(Effect::Power).into_iter().collect(),
            Action::Unlock => state.selected.map(Effect::Unlock).into_iter().collect(),
            _ if go_about(state, action) => vec![],
            _ => return perform_in_step(state, action),
        };
        ScreenAnswer::to_do(commands)
    }

    fn type_in(&mut self, state: &mut State, typed: &Typed<'_>) {
        let Some(lane) = state.lane_mut() else { return };
        match (lane.step, &mut lane.stage) {
            (Step::Certify, _) => lane.type_in_form(typed),
            (Step::Release, _) => lane.release.type_in(typed),
            (Step::Arm, LaneStage::Planned(planned)) => {
                planned.problem = None;
                planned.typed.take(typed);
            }
            _ => {
                if let Some(prompt) = lane.look.bytes.as_mut().and_then(|view| view.prompt.as_mut()) {
                    prompt.field().take(typed);
                }
            }
        }
    }

    fn click(&mut self, state: &mut State, place: (u16, u16)) -> ScreenAnswer {
        match view::hit(state, place) {
            Some(view::Hit::Lane(lane)) => state.select(lane),
            Some(view::Hit::Step(step)) => return ScreenAnswer::to_do(state.go_to(step)),
            Some(view::Hit::Way(way)) => {
                if let Some(lane) = state.lane_mut().filter(|l| !l.has_job()) {
                    lane.draft.choose_way(way);
                    lane.plan_changed();
                }
            }
            None => {}
        }
        ScreenAnswer::stay()
    }

    /// A method or passes were chosen for the plan of a lane.
    fn take(&mut self, state: &mut State, given: ScreenContext) -> ScreenAnswer {
        match given {
            ScreenContext::Method(Some(id), method) => {
                if let Some(lane) = state.lanes.get_mut(id) {
                    lane.draft.choose_method(&method);
                    lane.plan_changed();
                }
            }
            ScreenContext::Passes(id, program) => {
                if let Some(lane) = state.lanes.get_mut(id) {
                    lane.draft.choose_passes(program);
                    lane.plan_changed();
                }
            }
            ScreenContext::Method(None, _) | ScreenContext::Notation(_) | ScreenContext::Offer(..) => {}
        }
        ScreenAnswer::stay()
    }

    fn refresh(&mut self, state: &mut State) {
        if let Some(lane) = state.lane_mut().filter(|l| l.step == Step::Plan && !l.has_job()) {
            lane.look_ahead();
        }
    }

    fn way_to(&self, state: &State, place: KeyPlace) -> WayTo {
        let KeyPlace::Step(step) = place else { return WayTo::None };
        state.lane().and_then(|l| l.missing(step)).map_or(WayTo::Step(step), WayTo::Closed)
    }

    fn about(&self, state: &State) -> Option<PlaceHelp> {
        let step = state.lane().map_or(Step::Look, |l| l.step);
        Some((step.name(), about::step(step)))
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        view::draw(state, area, buffer);
    }
}

/// Why something can't be done with this lane now.
fn why_not_on(lane: &Lane, action: Action) -> Option<&'static str> {
    let over = lane.over().is_some();
    let (can, why) = match action {
        Action::GoOnWithJob => (
            lane.unfinished.is_some() && !lane.is_working() && lane.step != Step::Certify && lane.step != Step::Arm,
            "No job on this drive was cut short.",
        ),
        Action::SeeWork => (lane.has_job() && lane.step == Step::Arm || lane.is_working(), "No job is running on this drive."),
        Action::BeginAnew => (over, "There is no job that is over."),
        Action::TakePlan | Action::ChangePlan => (!lane.has_job(), "This drive has a job already."),
        Action::ToPlanRow(_) if lane.has_job() => (false, "This drive has a job already."),
        Action::ToPlanRow(row) => return row.why_not(lane),
        Action::Unlock => (
            lane.seen.can_be_unlocked() && !lane.is_working() && !lane.is_armed(),
            "Neither a password nor a failure mode shuts this drive.",
        ),
        Action::Power => (lane.seen.drive.simulated, "The power of a real drive is in your hands."),
        Action::CheckLabel | Action::BackedUp => (lane.is_asked_for_its_label(), "No label is asked for."),
        Action::LeaveArm => (lane.step == Step::Arm, "No drive is being armed."),
        Action::SearchLeft if lane.readings.is_going() => (true, ""),
        Action::SearchLeft => (
            !lane.is_working() && !lane.is_armed() && !lane.is_gone() && lane.seen.has_answered(),
            "A drive is searched while it is there and nothing is done to it.",
        ),
        Action::SeeFind => (
            !lane.is_working() && !lane.is_gone() && lane.readings.finds().next().is_some(),
            "Nothing was found that could be looked at: f searches.",
        ),
        Action::ReadSample | Action::ReadAll if lane.readings.is_going() => (true, ""),
        Action::ReadSample | Action::ReadAll => (
            lane.written_record().is_some() && !lane.is_gone(),
            "Write the paper first (Certify): a second proof names the record by its digest.",
        ),
        Action::SeeCertificate => (over, "There is no record yet."),
        Action::AsLeft if lane.readings.is_going() => (true, ""),
        Action::AsLeft => (
            lane.look.mark.as_ref().is_some_and(|m| m.mark().is_some()) && !lane.is_gone() && !lane.is_working(),
            "This drive carries no erasure tag that could be followed.",
        ),
        Action::PrintLabel => (lane.job_for_label().is_some(), "A label is made of a record, and there is none of this drive."),
        Action::ReleaseIt => {
            (!lane.is_working() && !lane.is_armed() && !lane.release.is_busy, "Something is done to this drive now.")
        }
        Action::ValueBefore | Action::ValueAfter if lane.step == Step::Release => (
            lane.release.asked().is_some_and(|field| field.is_choice()) && !lane.release.is_busy,
            "This is typed, and not chosen.",
        ),
        _ => (true, ""),
    };
    if can { None } else { Some(why) }
}

/// Does what belongs to the step that is in sight.
fn perform_in_step(state: &mut State, action: Action) -> ScreenAnswer {
    let Some(lane) = state.lane() else { return ScreenAnswer::stay() };
    match lane.step {
        Step::Look if lane.bytes_in_sight().is_some() => ScreenAnswer::to_do(state.perform_on_bytes(action)),
        Step::Look | Step::Prove if action == Action::SearchLeft => ScreenAnswer::to_do(prove::search_left(state)),
        Step::Look => look::perform(state, action),
        Step::Plan => plan::perform(state, action),
        Step::Arm => arm::perform(state, action),
        Step::Erase => erase::perform(state, action),
        Step::Prove => prove::perform(state, action),
        Step::Certify => certify::perform(state, action),
        Step::Release => release::perform(state, action),
    }
}

/// Does what needs nothing done in the world. Gives whether the action is of that kind.
fn go_about(state: &mut State, action: Action) -> bool {
    match action {
        Action::DriveBefore => state.walk_lanes(-1),
        Action::DriveAfter => state.walk_lanes(1),
        Action::ShowLanes => state.lanes_in_front = true,
        Action::ShowDesk => state.lanes_in_front = false,
        Action::ScrollUp | Action::ScrollDown => view::scroll(state, action == Action::ScrollDown),
        Action::Select => mark(state),
        Action::GoOnWithJob => go_on_with_unfinished(state),
        _ => return false,
    }
    true
}

fn walk(state: &mut State, by: isize) -> Vec<Effect> {
    match state.lane().and_then(|l| l.step.beside(by)) {
        Some(step) => state.go_to(step),
        None => vec![],
    }
}

/// Marks a drive for the lot, or takes it out.
fn mark(state: &mut State) {
    let Some(lane) = state.lane_mut() else { return };
    match lane.missing(Step::Plan) {
        Some(why) if !lane.is_picked => state.notice = Some(why),
        None if lane.has_job() && !lane.is_picked => {
            state.notice = Some("This drive has a job already: it can't be planned with others.".into());
        }
        _ => lane.is_picked = !lane.is_picked,
    }
}

/// Opens the page for the marked drives; the speed of each is sampled for it.
fn plan_selected(state: &mut State) -> ScreenAnswer {
    let Some(page) = LotPage::of_selected(state) else { return ScreenAnswer::stay() };
    let commands = page.lanes().iter().flat_map(|lane| state.sample_speed(*lane)).collect();
    ScreenAnswer::push(page).and(commands)
}

/// Takes the plan of the job that was cut short; the drive's own label arms it anew.
fn go_on_with_unfinished(state: &mut State) {
    let Some(lane) = state.lane_mut().filter(|l| !l.is_armed() && !l.is_working()) else { return };
    if lane.is_gone() {
        state.notice = Some("The drive is gone: attach it again to resume its job.".into());
        return;
    }
    if let Err(refusal) = &lane.verdict {
        state.notice = Some(format!("This drive is guarded: {refusal}."));
        return;
    }
    let Some(unfinished) = &lane.unfinished else { return };
    let plan = unfinished.checkpoint.plan_on(&lane.seen.drive);
    if !plan.drive().same_as(&lane.seen.drive) {
        state.notice = Some("This is not the drive that the job was cut short on.".into());
        return;
    }
    lane.stage.plan(plan, Some(unfinished.clone()));
    lane.is_picked = false;
    lane.enter(Step::Arm);
}
