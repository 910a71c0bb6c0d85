//! The lot page: one need and one policy for the marked drives, with a proposal for each that can be changed.

mod view;

use super::methods::MethodsPage;
use super::{PlaceHelp, Screen, ScreenAnswer, ScreenContext, ScreenEvent};
use crate::action::{Action, KeyPlace};
use crate::lane::{Lane, LaneId};
use crate::message::Effect;
use crate::state::State;
use jurex_device::media::{Drive, MediaClass};
use jurex_device::native::Capabilities;
use jurex_disposition::erasure_tag::places;
use jurex_look::field::{Field, Typed};
use jurex_look::need::NeedQuestion;
use jurex_pattern::choice::beside;
use jurex_pattern::method::{Catalogue, Method};
use jurex_sanitize::draft::Draft;
use jurex_sanitize::estimate::SpeedSample;
use jurex_sanitize::need::Need;
use jurex_sanitize::plan::Order;
use jurex_sanitize::policy::{LotDrive, Policy, PolicyError, Proposal, Treatment, propose, propose_one};
use jurex_sanitize::rules::Edition;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The page.
pub(crate) struct LotPage {
    policy: Policy,
    /// The lanes of the lot.
    lanes: Vec<LaneId>,
    /// Orders that were changed for single drives.
    changed: Vec<(LaneId, Order)>,
    /// Rows: first the three questions, then the classes of media, then the drives as they are listed.
    row: usize,
    /// Which column of a class or a drive the keys change.
    cell: LotCell,
    typing: Option<Naming>,
    /// What follows; computed when what it rests on has changed, and not at every picture.
    foreseen: Option<LotForecast>,
}

/// A policy's name being typed.
#[derive(Clone, Debug, PartialEq)]
enum Naming {
    Save(Field),
    Take(Field),
}

impl Naming {
    fn field(&mut self) -> &mut Field {
        match self {
            Naming::Save(field) | Naming::Take(field) => field,
        }
    }
}

/// What a row is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum LotRow {
    Question(NeedQuestion),
    Class(MediaClass),
    Drive(LaneId),
}

/// What can be changed of a class or a drive.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
enum LotCell {
    #[default]
    Method,
    Verification,
    Retries,
    FinalZeros,
}

impl LotCell {
    fn beside(self, forwards: bool) -> Self {
        beside(&[Self::Method, Self::Verification, Self::Retries, Self::FinalZeros], self, forwards)
    }
}

/// What is proposed for a drive.
struct Proposed {
    lane: LaneId,
    proposal: Proposal,
}

/// What is proposed for each drive, those first that can't reach what is needed; or why nothing is.
type Proposals = Result<Vec<Proposed>, PolicyError>;

/// The proposals, and what they were computed from.
struct LotForecast {
    of: LotBasis,
    proposals: Proposals,
}

/// What proposals rest on.
#[derive(PartialEq)]
struct LotBasis {
    policy: Policy,
    changed: Vec<(LaneId, Order)>,
    drives: Vec<(Drive, Capabilities, Option<SpeedSample>, Option<Need>)>,
    catalogue: Catalogue,
    edition: Edition,
}

fn of_lot(lane: &Lane) -> LotDrive<'_> {
    let (drive, answers) = (&lane.seen.drive, &lane.seen.answers);
    LotDrive { drive, answers, speed: lane.look.speed.sample(), need: lane.listed_need }
}

impl LotPage {
    /// For the marked lanes, with the need of the first of which no list requires anything.
    pub(crate) fn of_selected(state: &State) -> Option<Self> {
        let lanes: Vec<LaneId> = state.lanes.named().filter(|(_, l)| l.is_picked).map(|(id, _)| id).collect();
        let unlisted = lanes.iter().find(|l| state.lanes[**l].listed_need.is_none()).or(lanes.first())?;
        let policy = Policy::of_need(state.lanes[*unlisted].draft.need);
        Some(Self { policy, lanes, changed: vec![], row: 0, cell: LotCell::default(), typing: None, foreseen: None })
    }

    /// The lanes of the lot.
    pub(crate) fn lanes(&self) -> &[LaneId] {
        &self.lanes
    }

    /// The classes of media in the lot, in the order of its drives.
    fn classes(&self, state: &State) -> Vec<MediaClass> {
        let mut classes = vec![];
        for class in self.lanes.iter().map(|l| state.lanes[*l].seen.drive.class) {
            if !classes.contains(&class) {
                classes.push(class);
            }
        }
        classes
    }

    fn stands_on(&self, state: &State, of: &LotBasis) -> bool {
        let drives = self.lanes.iter().map(|l| of_lot(&state.lanes[*l]));
        (&of.policy, &of.changed, &of.catalogue, of.edition)
            == (&self.policy, &self.changed, &state.catalogue, state.config.rules)
            && drives
                .map(|d| (d.drive, d.answers, d.speed, d.need))
                .eq(of.drives.iter().map(|(drive, answers, speed, need)| (drive, answers, speed.as_ref(), *need)))
    }

    fn propose(&self, state: &State) -> Proposals {
        let lot: Vec<LotDrive<'_>> = self.lanes.iter().map(|l| of_lot(&state.lanes[*l])).collect();
        let proposals = propose(&self.policy, &lot, &state.catalogue, state.config.rules)?;
        let mut proposed: Vec<Proposed> = proposals
            .into_iter()
            .map(|proposal| {
                let (at, lane) = (proposal.drive, self.lanes[proposal.drive]);
                let own = self.changed.iter().find(|(l, _)| *l == lane);
                let proposal = own.map_or(proposal, |(_, order)| {
                    propose_one(at, None, order.clone(), self.policy.need(), &state.catalogue, of_lot(&state.lanes[lane]))
                });
                Proposed { lane, proposal }
            })
            .collect();
        proposed.sort_by_key(|p| (p.proposal.what_to_do.is_none(), p.lane));
        Ok(proposed)
    }

    /// What is proposed, as it was computed last.
    fn proposed(&self) -> &[Proposed] {
        match &self.foreseen {
            Some(LotForecast { proposals: Ok(proposed), .. }) => proposed,
            _ => &[],
        }
    }

    /// What the chosen row is about.
    fn chosen(&self, state: &State) -> Option<LotRow> {
        if let Some(question) = NeedQuestion::ALL.get(self.row) {
            return Some(LotRow::Question(*question));
        }
        let (classes, row) = (self.classes(state), self.row - NeedQuestion::ALL.len());
        match classes.get(row) {
            Some(class) => Some(LotRow::Class(*class)),
            None => self.proposed().get(row - classes.len()).map(|p| LotRow::Drive(p.lane)),
        }
    }

    /// Changes the treatment of the chosen class, or the order of the chosen drive alone.
    fn change(&mut self, state: &State, change: &dyn Fn(&mut Order)) {
        let Some(row) = self.chosen(state) else { return };
        let of_class = |p: &&Proposed, class| state.lanes[p.lane].seen.drive.class == class;
        let is_changed = |p: &&Proposed| self.changed.iter().any(|(l, _)| *l == p.lane);
        let mut proposed = self.proposed().iter();
        let chosen = match row {
            // A drive that was changed by itself does not speak for its class.
            LotRow::Class(class) => {
                let of_it: Vec<&Proposed> = proposed.filter(|p| of_class(p, class)).collect();
                of_it.iter().find(|p| !is_changed(p)).or(of_it.first()).copied()
            }
            LotRow::Drive(lane) => proposed.find(|p| p.lane == lane),
            LotRow::Question(_) => None,
        };
        let Some(Proposed { lane, proposal }) = chosen else { return };
        let (lane, mut order) = (*lane, proposal.order.clone());
        change(&mut order);
        let name = state.catalogue.titled(&order.title).map(|m| m.name.clone());
        match (row, name) {
            (LotRow::Class(class), Some(method)) => {
                *self.policy.treatment_mut(class) = Some(Treatment {
                    way: None,
                    method,
                    rounds: order.rounds,
                    blank: order.blank,
                    verify: order.verification,
                    retries: order.retries,
                });
            }
            (LotRow::Class(_), None) | (LotRow::Question(_), _) => {}
            (LotRow::Drive(_), _) => {
                self.changed.retain(|(l, _)| *l != lane);
                self.changed.push((lane, order));
            }
        }
        self.foresee(state);
        // The list is sorted by what can be reached: the row goes with its drive.
        let at = self.proposed().iter().position(|p| p.lane == lane);
        if let (LotRow::Drive(_), Some(at)) = (row, at) {
            self.row = NeedQuestion::ALL.len() + self.classes(state).len() + at;
        }
    }

    /// The next value of what the keys are on, or the one before.
    fn turn(&mut self, state: &State, forwards: bool) -> ScreenAnswer {
        if let Some(LotRow::Question(question)) = self.chosen(state) {
            let mut need = self.policy.need();
            question.turn(&mut need, forwards);
            self.policy.set_need(need);
            return ScreenAnswer::stay();
        }
        match self.cell {
            LotCell::Method => return ScreenAnswer::push(MethodsPage::for_lot()),
            LotCell::Verification => self.change(state, &|o| o.verification = o.verification.beside(forwards)),
            LotCell::Retries if forwards => self.change(state, &|o| o.retries = (o.retries + 1).min(100)),
            LotCell::Retries => self.change(state, &|o| o.retries = o.retries.saturating_sub(1)),
            LotCell::FinalZeros => self.change(state, &|o| o.blank = !o.blank),
        }
        ScreenAnswer::stay()
    }

    /// Computes the proposals anew, if what they rest on has changed.
    fn foresee(&mut self, state: &State) {
        if self.foreseen.as_ref().is_some_and(|known| self.stands_on(state, &known.of)) {
            return;
        }
        let drives = self.lanes.iter().map(|l| of_lot(&state.lanes[*l]));
        let of = LotBasis {
            policy: self.policy.clone(),
            changed: self.changed.clone(),
            drives: drives.map(|d| (d.drive.clone(), d.answers.clone(), d.speed.copied(), d.need)).collect(),
            catalogue: state.catalogue.clone(),
            edition: state.config.rules,
        };
        self.foreseen = Some(LotForecast { of, proposals: self.propose(state) });
    }

    /// Plans every drive that reaches the need; the others stay as they are, with what to do on the page.
    fn take_proposals(&mut self, state: &mut State) -> ScreenAnswer {
        let proposals = match &self.foreseen {
            Some(LotForecast { proposals: Ok(proposed), .. }) => proposed,
            Some(LotForecast { proposals: Err(why), .. }) => {
                state.refuse(why);
                return ScreenAnswer::stay();
            }
            None => return ScreenAnswer::stay(),
        };
        let (able, unable): (Vec<&Proposed>, Vec<&Proposed>) = proposals.iter().partition(|p| p.proposal.what_to_do.is_none());
        for Proposed { lane, proposal } in &unable {
            state.lanes[*lane].draft.need = proposal.need;
        }
        let Some(first) = able.iter().map(|p| p.lane).min() else {
            state.notice = Some("No drive of this lot reaches what is needed: see beside each what to do with it.".into());
            return ScreenAnswer::stay();
        };
        let mut commands = vec![];
        for Proposed { lane, proposal } in &able {
            let method = state.catalogue.titled(&proposal.order.title).cloned();
            let marks = state.config.mark && places(state.lanes[*lane].seen.drive.geometry).is_some();
            let lane_of = &mut state.lanes[*lane];
            let order = Order { marks, ..proposal.order.clone() };
            lane_of.draft = Draft { method, way: proposal.way, ..Draft::new(proposal.need, order) };
            let by = lane_of.papers.technician.name.clone();
            let course = lane_of.draft.course(&lane_of.seen.drive, &lane_of.seen.answers, &by);
            commands.push(Effect::Plan(*lane, Box::new(course)));
        }
        unable.iter().for_each(|p| state.lanes[p.lane].is_picked = false);
        state.selected = Some(first);
        state.notice = (!unable.is_empty()).then(|| {
            let drives = if unable.len() == 1 { "drive is" } else { "drives are" };
            format!("{} {drives} not planned: what is needed can't be reached there. See Plan of each.", unable.len())
        });
        ScreenAnswer::back().and(commands)
    }

    /// Saves or reads the policy of the name that was typed.
    fn take_name(&mut self) -> Vec<Effect> {
        let name = |field: &Field| field.value().trim().to_string();
        match self.typing.take() {
            Some(Naming::Save(field)) => vec![Effect::SavePolicy(name(&field), Box::new(self.policy.clone()))],
            Some(Naming::Take(field)) => vec![Effect::ReadPolicy(name(&field))],
            None => vec![],
        }
    }
}

impl Screen for LotPage {
    fn places(&self, _: &State) -> Vec<KeyPlace> {
        match self.typing {
            Some(_) => vec![KeyPlace::LotNaming, KeyPlace::Typing],
            None => vec![KeyPlace::Lot, KeyPlace::Anywhere],
        }
    }

    fn perform(&mut self, state: &mut State, action: Action) -> ScreenAnswer {
        let rows = NeedQuestion::ALL.len() + self.classes(state).len() + self.lanes.len();
        match action {
            Action::Take => return ScreenAnswer::to_do(self.take_name()),
            Action::Back if self.typing.is_some() => self.typing = None,
            Action::Back => return ScreenAnswer::back(),
            Action::RowBefore => self.row = self.row.saturating_sub(1),
            Action::RowAfter => self.row = (self.row + 1).min(rows.saturating_sub(1)),
            Action::FieldAfter | Action::FieldBefore => self.cell = self.cell.beside(action == Action::FieldAfter),
            Action::ValueBefore | Action::ValueAfter => return self.turn(state, action == Action::ValueAfter),
            Action::SavePolicy => self.typing = Some(Naming::Save(Field::default())),
            Action::TakePolicy => self.typing = Some(Naming::Take(Field::default())),
            Action::TakeProposals => return self.take_proposals(state),
            _ => {}
        }
        ScreenAnswer::stay()
    }

    fn type_in(&mut self, _: &mut State, typed: &Typed<'_>) {
        if let Some(naming) = &mut self.typing {
            naming.field().take(typed);
        }
    }

    /// A method was chosen for the row.
    fn take(&mut self, state: &mut State, given: ScreenContext) -> ScreenAnswer {
        if let ScreenContext::Method(_, method) = given {
            let Method { title, program, .. } = *method;
            self.change(state, &|o| (o.title, o.program) = (title.clone(), program.clone()));
        }
        ScreenAnswer::stay()
    }

    /// A saved policy was read: it takes the place of the one on the page, and of what was changed there.
    fn hear(&mut self, state: &mut State, heard: &ScreenEvent) -> bool {
        let ScreenEvent::Policy(policy) = heard else { return false };
        (self.policy, self.changed) = ((**policy).clone(), vec![]);
        state.notice = Some("The policy is taken: look at what it proposes.".into());
        true
    }

    fn refresh(&mut self, state: &mut State) {
        self.foresee(state);
    }

    fn about(&self, _: &State) -> Option<PlaceHelp> {
        Some((
            "several drives",
            [
                "What level is needed, and how does each drive reach it?",
                "Three answers and a treatment for each class of media propose a plan for each drive; each can be changed.",
                "Every drive is armed by its own label: no confirmation counts for two.",
            ],
        ))
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        view::draw(state, self, area, buffer);
    }
}
