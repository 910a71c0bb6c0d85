//! The lot page: one need and one policy for the marked drives, with a proposal for each that can be changed.

pub(in crate::tui) mod view;

use crate::tui::action::Action;
use crate::tui::perform::next_sensitivity;
use crate::tui::screen::methods::Target;
use crate::tui::state::{App, Command, Draft, Page};
use crate::tui::widget::field::Field;
use jurex_core::media::MediaClass;
use jurex_core::method::Method;
use jurex_core::plan::Order;
use jurex_core::policy::{OfLot, Policy, Proposal, Treatment, propose, propose_one};
use jurex_core::rules::{Media, Technique};
use jurex_core::text::capital;

/// The page.
pub(crate) struct LotPage {
    pub(crate) policy: Policy,
    /// The lanes of the lot.
    pub(crate) lanes: Vec<usize>,
    /// Orders that were changed for single drives, by lane.
    pub(crate) changed: Vec<(usize, Order)>,
    /// Rows: first the classes of media, then the drives as they are listed.
    pub(crate) row: usize,
    pub(crate) typing: Option<Naming>,
}

/// A policy's name being typed.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Naming {
    Save(Field),
    Take(Field),
}

/// What a row is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Row {
    Class(MediaClass),
    /// Place in the list of proposals.
    Drive(usize),
}

impl App {
    /// The classes of media in the lot, in the order of its drives.
    pub(crate) fn lot_classes(&self, page: &LotPage) -> Vec<MediaClass> {
        let mut classes = vec![];
        for class in page.lanes.iter().filter_map(|l| self.lanes.get(*l)).map(|l| l.seen.drive.class) {
            if !classes.contains(&class) {
                classes.push(class);
            }
        }
        classes
    }

    /// What is proposed for each drive of the lot; `drive` of each is its lane.
    pub(crate) fn proposals(&self, page: &LotPage) -> Result<Vec<Proposal>, String> {
        let of_lot = |lane: usize| -> OfLot<'_> {
            let lane = &self.lanes[lane];
            (&lane.seen.drive, &lane.seen.answers, lane.speed.as_ref())
        };
        let lot: Vec<OfLot<'_>> = page.lanes.iter().map(|l| of_lot(*l)).collect();
        let mut proposals = propose(&page.policy, &lot, &self.catalogue, self.config.rules).map_err(|e| e.to_string())?;
        for proposal in &mut proposals {
            let lane = page.lanes[proposal.drive];
            proposal.drive = lane;
            if let Some((_, order)) = page.changed.iter().find(|(l, _)| *l == lane) {
                *proposal = propose_one(lane, order.clone(), page.policy.need(), &self.catalogue, of_lot(lane));
            }
        }
        proposals.sort_by_key(|p| (p.what_to_do.is_none(), p.drive));
        Ok(proposals)
    }

    /// Opens the page for the marked lanes.
    pub(in crate::tui) fn open_lot(&mut self) -> Vec<Command> {
        let lanes: Vec<usize> = (0..self.lanes.len()).filter(|l| self.lanes[*l].marked).collect();
        let Some(need) = lanes.first().map(|l| self.lanes[*l].draft.need) else { return vec![] };
        let page = LotPage { policy: Policy::of_need(need), lanes: lanes.clone(), changed: vec![], row: 0, typing: None };
        self.page = Page::Lot(Box::new(page));
        lanes.into_iter().flat_map(|lane| self.sample_speed(lane)).collect()
    }

    /// What the chosen row is about.
    pub(crate) fn lot_row(&self, page: &LotPage) -> Row {
        let classes = self.lot_classes(page);
        match classes.get(page.row) {
            Some(class) => Row::Class(*class),
            None => Row::Drive(page.row - classes.len()),
        }
    }

    pub(in crate::tui) fn perform_on_lot(&mut self, action: Action) -> Vec<Command> {
        let Page::Lot(page) = &self.page else { return vec![] };
        let rows = self.lot_classes(page).len() + page.lanes.len();
        let Page::Lot(page) = &mut self.page else { return vec![] };
        let mut need = page.policy.need();
        match action {
            Action::Take => return take_name(page),
            Action::Back if page.typing.is_some() => page.typing = None,
            Action::Back => self.page = Page::Bench,
            Action::RowBefore => page.row = page.row.saturating_sub(1),
            Action::RowAfter => page.row = (page.row + 1).min(rows.saturating_sub(1)),
            Action::Sensitivity => need.sensitivity = next_sensitivity(need.sensitivity),
            Action::Reuse => need.reuse = !need.reuse,
            Action::Leaves => need.leaves = !need.leaves,
            Action::ChooseMethod => self.open_methods(Target::Lot),
            Action::ReadingBack => self.change_lot(&|o| o.verification = o.verification.next()),
            Action::BlankPass => self.change_lot(&|o| o.blank = !o.blank),
            Action::MoreRetries => self.change_lot(&|o| o.retries = (o.retries + 1).min(100)),
            Action::FewerRetries => self.change_lot(&|o| o.retries = o.retries.saturating_sub(1)),
            Action::SavePolicy => page.typing = Some(Naming::Save(Field::default())),
            Action::TakePolicy => page.typing = Some(Naming::Take(Field::default())),
            Action::TakeProposals => return self.take_proposals(),
            _ => {}
        }
        if let Page::Lot(page) = &mut self.page {
            page.policy.set_need(need);
        }
        vec![]
    }

    /// Takes a method for the chosen row.
    pub(in crate::tui) fn lot_method(&mut self, method: &Method) {
        self.change_lot(&|o| (o.title, o.program) = (method.title.clone(), method.program.clone()));
    }

    /// Changes the treatment of the chosen class, or the order of the chosen drive alone.
    fn change_lot(&mut self, change: &dyn Fn(&mut Order)) {
        let Page::Lot(page) = &self.page else { return };
        let row = self.lot_row(page);
        let Ok(proposals) = self.proposals(page) else { return };
        let of_class = |class| proposals.iter().find(|p| self.lanes[p.drive].seen.drive.class == class);
        let chosen = match row {
            // A drive that was changed by itself does not speak for its class.
            Row::Class(class) => proposals
                .iter()
                .find(|p| self.lanes[p.drive].seen.drive.class == class && !page.changed.iter().any(|(l, _)| *l == p.drive))
                .or(of_class(class)),
            Row::Drive(at) => proposals.get(at),
        };
        let Some(chosen) = chosen else { return };
        let (lane, mut order) = (chosen.drive, chosen.order.clone());
        change(&mut order);
        let name = self.catalogue.titled(&order.title).map(|m| m.name.clone());
        let Page::Lot(page) = &mut self.page else { return };
        match (row, name) {
            (Row::Class(class), Some(method)) => {
                *page.policy.treatment_mut(class) = Some(Treatment {
                    way: Technique::Overwrite,
                    method,
                    rounds: order.rounds,
                    blank: order.blank,
                    verify: order.verification,
                    retries: order.retries,
                });
            }
            (Row::Class(_), None) => {}
            (Row::Drive(_), _) => {
                page.changed.retain(|(l, _)| *l != lane);
                page.changed.push((lane, order));
            }
        }
        // The list is sorted by what can be reached: the row goes with its drive.
        if let (Row::Drive(_), Page::Lot(page)) = (row, &self.page) {
            let at = self.proposals(page).ok().and_then(|p| p.iter().position(|p| p.drive == lane));
            let classes = self.lot_classes(page).len();
            if let (Some(at), Page::Lot(page)) = (at, &mut self.page) {
                page.row = classes + at;
            }
        }
    }

    /// Plans every drive that reaches the need; the others stay as they are, with what to do on the page.
    fn take_proposals(&mut self) -> Vec<Command> {
        let Page::Lot(page) = &self.page else { return vec![] };
        let need = page.policy.need();
        let proposals = match self.proposals(page) {
            Ok(proposals) => proposals,
            Err(why) => {
                self.notice = Some(format!("{}.", capital(&why)));
                return vec![];
            }
        };
        let (able, unable): (Vec<Proposal>, Vec<Proposal>) = proposals.into_iter().partition(|p| p.what_to_do.is_none());
        let mut commands = vec![];
        for proposal in &able {
            let method = self.catalogue.titled(&proposal.order.title).cloned();
            let lane = &mut self.lanes[proposal.drive];
            lane.draft = Draft { need, order: proposal.order.clone(), method, way: Technique::Overwrite };
            commands.push(Command::Plan(proposal.drive, proposal.order.clone()));
        }
        for proposal in &unable {
            let lane = &mut self.lanes[proposal.drive];
            (lane.marked, lane.draft.need) = (false, need);
        }
        let Some(first) = able.iter().map(|p| p.drive).min() else {
            self.notice = Some("No drive of this lot reaches what is needed: see beside each what to do with it.".into());
            unable.iter().for_each(|p| self.lanes[p.drive].marked = true);
            return vec![];
        };
        self.page = Page::Bench;
        self.selected = first;
        self.notice = (!unable.is_empty()).then(|| {
            let drives = if unable.len() == 1 { "drive is" } else { "drives are" };
            format!("{} {drives} not planned: what is needed can't be reached there. See Plan of each.", unable.len())
        });
        commands
    }

    /// A saved policy was read: it takes the place of the one on the page, and of what was changed there.
    pub(in crate::tui) fn policy_read(&mut self, read: Result<Box<Policy>, String>) {
        match (read, &mut self.page) {
            (Ok(policy), Page::Lot(page)) => {
                (page.policy, page.changed) = (*policy, vec![]);
                self.notice = Some("The policy is taken: look at what it proposes.".into());
            }
            (Ok(_), _) => {}
            (Err(why), _) => self.notice = Some(format!("{}.", capital(&why))),
        }
    }
}

/// Saves or reads the policy of the name that was typed.
fn take_name(page: &mut LotPage) -> Vec<Command> {
    let name = |field: &Field| field.value().trim().to_string();
    match page.typing.take() {
        Some(Naming::Save(field)) => vec![Command::SavePolicy(name(&field), Box::new(page.policy.clone()))],
        Some(Naming::Take(field)) => vec![Command::ReadPolicy(name(&field))],
        None => vec![],
    }
}

/// Whether drives of this kind need to be told apart in words on the page.
pub(crate) fn kind(lane: &crate::tui::state::Lane) -> &'static str {
    Media::of(&lane.seen.drive).name()
}
