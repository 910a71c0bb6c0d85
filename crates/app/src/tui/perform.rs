//! What keys and actions do to the state of the bench.

use super::action::{self, Action, Meaning, Place};
use super::screen::frame;
use super::state::{App, ArmStage, Command, Dialog, Field as Asked, Lane, Page, Presence, Prompt, Start, Step, next_backup};
use crate::tui::screen::lot::Naming;
use crate::tui::screen::methods::{Target, Typing};
use crate::tui::screen::palette::Palette;
use crate::tui::widget::field::{Field, Typed};
use jurex_core::erase::Wish;
use jurex_core::need::Sensitivity;
use jurex_core::plan::{ArmError, Order};
use jurex_core::rules::Technique;
use jurex_core::text::capital;
use jurex_core::units::Sectors;
use ratatui::crossterm::event::{KeyCode, KeyEvent};
use std::time::Duration;

/// A question is deaf for so long after it is asked: a scanner's burst of letters must not answer it.
const DEAF: Duration = Duration::from_millis(500);
/// Keys that follow one another faster come from no hand.
const BURST: Duration = Duration::from_millis(60);
/// Most rounds that the keys offer; the command line takes more.
const MOST_ROUNDS: u32 = 99;

impl App {
    pub(super) fn key(&mut self, key: KeyEvent) -> Vec<Command> {
        let commands = self.take_key(key);
        if matches!(key.code, KeyCode::Char(_)) {
            self.last_letter = Some(self.now);
        }
        commands
    }

    fn take_key(&mut self, key: KeyEvent) -> Vec<Command> {
        (self.notice, self.touched) = (None, true);
        if self.is_counting() {
            return self.perform(Action::StopCountdown);
        }
        match action::meaning(self, key) {
            Meaning::Does(action) => return self.perform(action),
            Meaning::Refused(why) => self.notice = Some(why),
            Meaning::Typed => self.type_in(&Typed::Key(key)),
            Meaning::Nothing => {}
        }
        vec![]
    }

    /// Whether a letter came just now: no hand is that fast, but a scanner or a paste is.
    fn in_burst(&self) -> bool {
        self.last_letter.is_some_and(|at| self.now.saturating_sub(at) < BURST)
    }

    /// Whether the chosen lane is between the right label and the first write.
    pub(super) fn is_counting(&self) -> bool {
        self.lane().is_some_and(|l| l.arming.stage != ArmStage::Asking)
    }

    fn stop_countdown(&mut self) -> Vec<Command> {
        let index = self.selected;
        if let Some(lane) = self.lane_mut() {
            lane.arming = Default::default();
            lane.arming.problem = Some("The countdown was stopped. Nothing was written.".into());
        }
        vec![Command::Abandon(index)]
    }

    /// The field that takes letters now.
    fn field(&mut self) -> Option<&mut Field> {
        match action::places(self).first()? {
            Place::Line => match self.dialog.as_mut()? {
                Dialog::Find(field) | Dialog::Range(field) => Some(field),
                Dialog::Help | Dialog::Stop(_) | Dialog::Quit(_) | Dialog::Palette(_) => None,
            },
            Place::Palette => {
                let Some(Dialog::Palette(palette)) = &mut self.dialog else { return None };
                palette.cursor = 0;
                Some(&mut palette.field)
            }
            Place::MethodsSearch | Place::MethodsFile => {
                let Page::Methods(page) = &mut self.page else { return None };
                match &mut page.typing {
                    Typing::Search => Some(&mut page.search),
                    Typing::Export(field) | Typing::Import(field) => Some(field),
                    Typing::Nothing | Typing::Delete => None,
                }
            }
            Place::LotNaming => {
                let Page::Lot(page) = &mut self.page else { return None };
                match page.typing.as_mut()? {
                    Naming::Save(field) | Naming::Take(field) => Some(field),
                }
            }
            Place::SettingsField => {
                let Page::Settings(page) = &mut self.page else { return None };
                page.input.as_mut()
            }
            Place::BytesPrompt => self.lane_mut()?.bytes.as_mut()?.prompt.as_mut().map(Prompt::field),
            Place::Step(Step::Arm) => {
                let arming = &mut self.lane_mut()?.arming;
                arming.problem = None;
                Some(&mut arming.typed)
            }
            _ => None,
        }
    }

    /// Pasted text goes into the field that takes letters, on one line, and does nothing else.
    pub(super) fn paste(&mut self, text: &str) {
        self.notice = None;
        if !self.is_counting() && action::takes_text(self) {
            self.type_in(&Typed::Pasted(text));
        }
    }

    /// Something is typed into the open field.
    fn type_in(&mut self, typed: &Typed<'_>) {
        match action::places(self).first() {
            Some(Place::Form) => self.edit_form(typed),
            Some(Place::Editor) => self.edit_method_field(typed),
            _ => {
                if let Some(field) = self.field() {
                    field.take(typed);
                }
                self.keep_cursor_in_list();
            }
        }
    }

    /// Does what is asked for, wherever it was asked: by a key, or from the palette.
    pub(super) fn perform(&mut self, action: Action) -> Vec<Command> {
        if self.dialog.is_some() {
            return self.perform_in_dialog(action);
        }
        match action {
            Action::Quit => self.ask_to_quit(),
            Action::Suspend => return vec![Command::Suspend],
            Action::Help => self.dialog = Some(Dialog::Help),
            Action::Palette => self.dialog = Some(Dialog::Palette(Palette::default())),
            Action::NextTheme => self.theme = self.theme.next(),
            Action::StopCountdown => return self.stop_countdown(),
            _ => {
                return match self.page {
                    Page::Bench => self.perform_on_bench(action),
                    Page::Methods(_) => self.perform_on_methods(action),
                    Page::Lot(_) => self.perform_on_lot(action),
                    Page::Settings(_) => self.perform_on_settings(action),
                };
            }
        }
        vec![]
    }

    fn perform_in_dialog(&mut self, action: Action) -> Vec<Command> {
        match action {
            Action::Suspend => return vec![Command::Suspend],
            // Asked again from within: the question is what answers.
            Action::Quit if !matches!(self.dialog, Some(Dialog::Quit(_))) => self.ask_to_quit(),
            Action::Back => self.dialog = None,
            Action::ConfirmStop | Action::ConfirmQuit => return self.answer(),
            Action::RowBefore | Action::RowAfter => self.move_in_palette(action == Action::RowAfter),
            Action::Take => return self.take_typed(),
            _ => {}
        }
        vec![]
    }

    /// A question is answered with yes; one that was asked just now is deaf.
    fn answer(&mut self) -> Vec<Command> {
        match self.dialog {
            Some(Dialog::Stop(since)) if self.now >= since + DEAF => {
                self.dialog = None;
                if let Some(lane) = self.lane_mut() {
                    lane.asked_for = Some(Wish::Stop);
                }
                vec![Command::Wish(self.selected, Wish::Stop)]
            }
            Some(Dialog::Quit(since)) if self.now >= since + DEAF => self.quit_now(),
            _ => vec![],
        }
    }

    fn take_typed(&mut self) -> Vec<Command> {
        // A scanner's line end is no answer of a person.
        if matches!(self.dialog, Some(Dialog::Palette(_))) && self.in_burst() {
            return vec![];
        }
        match self.dialog.take() {
            Some(Dialog::Find(field)) => self.find(field.value()),
            Some(Dialog::Range(field)) => self.take_range(field),
            Some(Dialog::Palette(palette)) => return self.take_offer(&palette),
            other => self.dialog = other,
        }
        vec![]
    }

    fn move_in_palette(&mut self, down: bool) {
        let Some(Dialog::Palette(palette)) = &self.dialog else { return };
        let last = palette.found(self).len().saturating_sub(1);
        if let Some(Dialog::Palette(palette)) = &mut self.dialog {
            palette.cursor = if down { (palette.cursor + 1).min(last) } else { palette.cursor.saturating_sub(1) };
        }
    }

    fn take_offer(&mut self, palette: &Palette) -> Vec<Command> {
        let Some(offer) = palette.found(self).into_iter().nth(palette.cursor) else { return vec![] };
        if let Some(why) = offer.why_not {
            self.notice = Some(why);
            return vec![];
        }
        let mut commands = offer.from.map(|step| self.go_to(step)).unwrap_or_default();
        // After the walk it may stand otherwise.
        match action::why_not(self, offer.binding.action) {
            None => commands.extend(self.perform(offer.binding.action)),
            Some(why) => self.notice = Some(why),
        }
        commands
    }

    pub(super) fn ask_to_quit(&mut self) {
        match self.working() {
            0 => {
                self.quit_now();
            }
            _ => self.dialog = Some(Dialog::Quit(self.now)),
        }
    }

    fn perform_on_bench(&mut self, action: Action) -> Vec<Command> {
        let index = self.selected;
        match action {
            Action::Settings => self.open_settings(),
            Action::Methods => self.open_methods(Target::Nothing),
            Action::FindDrive => self.dialog = Some(Dialog::Find(Field::default())),
            Action::DriveBefore => self.select(self.selected.saturating_sub(1)),
            Action::DriveAfter => self.select(self.selected + 1),
            Action::StepBefore => return self.walk(-1),
            Action::StepAfter => return self.walk(1),
            Action::ShowLanes => self.lanes_in_front = true,
            Action::ShowDesk => self.lanes_in_front = false,
            Action::ScrollUp | Action::ScrollDown => self.scroll(action == Action::ScrollDown),
            Action::Mark => self.mark(),
            Action::PlanMarked => return self.open_lot(),
            Action::GoOnWithJob => self.go_on_with_unfinished(),
            Action::EnterPlan => return self.go_to(Step::Plan),
            Action::OpenBytes => return self.open_bytes(),
            Action::Beacon => return self.toggle_beacon(),
            Action::TakePlan => return self.take_plan(index),
            Action::SeeWork => return self.go_to(Step::Erase),
            Action::BeginAnew => {
                if let Some(lane) = self.lane_mut() {
                    lane.begin_anew();
                }
                return vec![Command::Look(index)];
            }
            Action::ChooseMethod => self.open_methods(Target::Lane(index)),
            Action::EditPasses => self.edit_passes(),
            Action::Range => self.dialog = Some(Dialog::Range(Field::default())),
            Action::CheckLabel => return self.check_label(),
            Action::BackedUp => {
                if let Some(lane) = self.lane_mut() {
                    lane.papers.backup = next_backup(lane.papers.backup);
                }
            }
            Action::LeaveArm => return self.go_to(Step::Plan),
            Action::Hold => return self.wish(Wish::Hold),
            Action::GoOn => return self.wish(Wish::GoOn),
            Action::StopJob => self.dialog = Some(Dialog::Stop(self.now)),
            Action::SeeProof => return self.go_to(Step::Prove),
            Action::SeeCertificate => return self.go_to(Step::Certify),
            Action::WriteCertificate => return self.write(),
            Action::FieldAfter | Action::FieldBefore => self.next_field(action == Action::FieldAfter),
            Action::LeaveField => self.leave_field(),
            _ if self.lane().is_some_and(|l| l.bytes_in_sight().is_some()) => return self.perform_on_bytes(action),
            _ => self.lane_mut().map(|lane| change_draft(lane, action)).unwrap_or_default(),
        }
        vec![]
    }

    fn wish(&mut self, wish: Wish) -> Vec<Command> {
        let index = self.selected;
        if let Some(lane) = self.lane_mut() {
            lane.asked_for = Some(wish);
        }
        vec![Command::Wish(index, wish)]
    }

    /// Half a screen up or down in what the step shows.
    fn scroll(&mut self, down: bool) {
        let (most, by) = (frame::most_scroll(self), (self.size.1 / 2).max(1));
        if let Some(lane) = self.lane_mut() {
            lane.scroll = if down { lane.scroll.saturating_add(by).min(most) } else { lane.scroll.min(most).saturating_sub(by) };
        }
    }

    /// Chooses the first drive after the present one whose path, name or serial holds the text.
    fn find(&mut self, text: &str) {
        let wanted = text.trim().to_lowercase();
        let holds = |l: &Lane| {
            let drive = &l.seen.drive;
            let serial = drive.unit.serial.as_deref().unwrap_or_default();
            [&drive.path, &drive.name(), serial].iter().any(|t| t.to_lowercase().contains(&wanted))
        };
        let order = (1..=self.lanes.len()).map(|by| (self.selected + by) % self.lanes.len().max(1));
        match order.into_iter().find(|i| holds(&self.lanes[*i])) {
            Some(found) if !wanted.is_empty() => self.select(found),
            _ => self.notice = Some(format!("No drive here says \"{}\".", text.trim())),
        }
    }

    pub(super) fn select(&mut self, lane: usize) {
        if lane < self.lanes.len() {
            self.leave_field();
            self.selected = lane;
        }
    }

    /// Marks a drive for the lot, or takes it out.
    fn mark(&mut self) {
        let Some(lane) = self.lane_mut() else { return };
        match lane.missing(Step::Plan) {
            Some(why) if !lane.marked => self.notice = Some(why),
            None if lane.work.is_some() && !lane.marked => {
                self.notice = Some("This drive has a job already: it can't be planned with others.".into());
            }
            _ => lane.marked = !lane.marked,
        }
    }

    fn walk(&mut self, by: isize) -> Vec<Command> {
        match self.lane().and_then(|l| l.step.beside(by)) {
            Some(step) => self.go_to(step),
            None => vec![],
        }
    }

    pub(super) fn go_to(&mut self, step: Step) -> Vec<Command> {
        self.leave_field();
        let index = self.selected;
        self.lanes_in_front = false;
        let Some(lane) = self.lane_mut() else { return vec![] };
        match lane.missing(step) {
            Some(why) => self.notice = Some(why),
            None => {
                lane.enter(step);
                if step == Step::Plan {
                    return self.sample_speed(index);
                }
            }
        }
        vec![]
    }

    /// Takes the plan of the job that was cut short; the drive's own label arms it anew.
    fn go_on_with_unfinished(&mut self) {
        let Some(lane) = self.lane_mut().filter(|l| !l.is_working()) else { return };
        if let Presence::Gone(_) = lane.presence {
            self.notice = Some("The drive is gone: attach it again to go on with its job.".into());
            return;
        }
        if let Err(refusal) = &lane.verdict {
            self.notice = Some(format!("This drive is guarded: {refusal}."));
            return;
        }
        let Some(unfinished) = &lane.unfinished else { return };
        let plan = unfinished.checkpoint.plan_on(&lane.seen.drive);
        if !plan.drive().same_as(&lane.seen.drive) {
            self.notice = Some("This is not the drive that the job was cut short on.".into());
            return;
        }
        (lane.work, lane.written, lane.not_started) = (None, None, None);
        (lane.plan, lane.going_on, lane.marked) = (Some(plan), true, false);
        lane.arming = Default::default();
        lane.enter(Step::Arm);
    }

    /// Fixes the draft as the plan, if its way can be taken.
    fn take_plan(&mut self, index: usize) -> Vec<Command> {
        let Some(lane) = self.lanes.get(index) else { return vec![] };
        match lane.foreseen().ways.iter().find(|w| w.technique == lane.draft.way) {
            Some(way) if !way.is_ready() => {
                let name = capital(way.technique.name());
                self.notice = Some(format!("{name} can't be planned. {}", way.availability.sentence()));
                vec![]
            }
            _ => vec![Command::Plan(index, lane.draft.order.clone())],
        }
    }

    fn take_range(&mut self, field: Field) {
        let Some(lane) = self.lane_mut() else { return };
        match range_of(lane, field.value()) {
            Ok(range) => {
                lane.draft.order.range = range;
                lane.plan = None;
            }
            Err(why) => {
                self.notice = Some(format!("{}.", capital(&why)));
                self.dialog = Some(Dialog::Range(field));
            }
        }
    }

    fn toggle_beacon(&mut self) -> Vec<Command> {
        let index = self.selected;
        let Some(lane) = self.lane_mut() else { return vec![] };
        if lane.is_working() || matches!(lane.presence, Presence::Gone(_)) {
            self.notice = Some("The beacon reads from a drive that is there and not being worked on.".into());
            return vec![];
        }
        lane.beacon = !lane.beacon;
        vec![Command::Beacon(index, lane.beacon)]
    }

    /// Checks the label. If it is right, the drive is opened for this process alone, and the countdown begins once it is.
    fn check_label(&mut self) -> Vec<Command> {
        let index = self.selected;
        let Some(lane) = self.lanes.get(index) else { return vec![] };
        let typed = lane.arming.typed.value().to_string();
        let (Some(plan), Ok(cleared)) = (&lane.plan, &lane.verdict) else { return vec![] };
        let checked = plan.arm(cleared, &typed);
        let problem = match &checked {
            Ok(_) => None,
            Err(e @ ArmError::WrongLabel { .. }) => {
                Some(format!("{}. Nothing was written.{}", capital(&e.to_string()), self.whose(&typed)))
            }
            Err(e) => Some(format!("{}. Nothing was written.", capital(&e.to_string()))),
        };
        let Some(lane) = self.lane_mut() else { return vec![] };
        lane.arming.typed.clear();
        lane.arming.problem = problem;
        (lane.not_started, lane.scroll) = (None, 0);
        let Ok(armed) = checked else { return vec![] };
        lane.arming.stage = ArmStage::Opening;
        lane.papers.need = Some(lane.draft.need);
        vec![Command::Open(Box::new(Start {
            lane: index,
            armed,
            before: lane.contents.clone().unwrap_or_default(),
            papers: lane.papers.clone(),
            from: lane.unfinished.clone().filter(|_| lane.going_on),
            sample_at: lane.sample.as_ref().map(|s| s.at),
        }))]
    }

    /// Which other drive a wrong answer would have named.
    fn whose(&self, typed: &str) -> String {
        let other = self.lanes.iter().enumerate().find(|(i, l)| *i != self.selected && l.label().matches(typed));
        match other {
            Some((_, lane)) => format!(" That is the label of {}.", lane.seen.drive.called()),
            None => " It is the label of no drive on this bench.".into(),
        }
    }

    fn next_field(&mut self, forwards: bool) {
        let Some(lane) = self.lane_mut().filter(|l| l.step == Step::Certify) else { return };
        store_field(lane);
        let all = Asked::ALL.len();
        let next = match lane.form.focus {
            None if forwards => 0,
            None => all - 1,
            Some(at) => (at + if forwards { 1 } else { all - 1 }) % all,
        };
        focus_field(lane, next);
    }

    pub(super) fn leave_field(&mut self) {
        if let Some(lane) = self.lane_mut() {
            store_field(lane);
            lane.form.focus = None;
        }
    }

    /// Changes the field of the form that is open. A choice is turned by the space bar.
    fn edit_form(&mut self, typed: &Typed<'_>) {
        let Some(lane) = self.lane_mut() else { return };
        let Some(field) = lane.form.focus.map(|at| Asked::ALL[at]) else { return };
        let turns = matches!(typed, Typed::Key(KeyEvent { code: KeyCode::Char(' '), .. }));
        match field {
            Asked::Backup if turns => lane.papers.backup = next_backup(lane.papers.backup),
            Asked::CategoryAfter if turns => lane.papers.category_after = next_category(lane.papers.category_after),
            field if field.is_choice() => {}
            _ => {
                lane.form.input.take(typed);
                store_field(lane);
            }
        }
    }

    /// Writes the certificate with the fields as they stand.
    fn write(&mut self) -> Vec<Command> {
        let index = self.selected;
        if self.in_burst() {
            // The line end of a scanner or a paste: it goes on to the next field, and writes nothing.
            self.next_field(true);
            self.notice = Some("Press Enter by itself to write the paper: this one came with what was typed.".into());
            return vec![];
        }
        self.leave_field();
        if let Some(Ok(paths)) =
            self.lane().filter(|l| l.papers_written.as_ref() == Some(&l.papers)).and_then(|l| l.written.as_ref())
        {
            let folder = paths.first().and_then(|p| p.parent()).map(jurex_core::text::shown_path).unwrap_or_default();
            self.notice = Some(format!("This paper is written already, in {folder}. Change a field to write another beside it."));
            return vec![];
        }
        let Some(lane) = self.lane_mut() else { return vec![] };
        let papers = lane.papers.clone();
        let Some(record) = lane.record().map(|r| r.clone().with_papers(papers.clone())) else { return vec![] };
        lane.papers_written = Some(papers);
        vec![Command::Write(index, Box::new(record))]
    }
}

/// Changes what is chosen in Plan.
fn change_draft(lane: &mut Lane, action: Action) {
    let need = &mut lane.draft.need;
    match action {
        Action::Sensitivity => need.sensitivity = next_sensitivity(need.sensitivity),
        Action::Reuse => need.reuse = !need.reuse,
        Action::Leaves => need.leaves = !need.leaves,
        Action::WayAfter => lane.draft.way = way_beside(lane, 1),
        Action::WayBefore => lane.draft.way = way_beside(lane, -1),
        Action::ReadingBack => lane.draft.order.verification = lane.draft.order.verification.next(),
        Action::MoreRounds => lane.draft.order.rounds = (lane.draft.order.rounds + 1).min(MOST_ROUNDS),
        Action::FewerRounds => lane.draft.order.rounds = lane.draft.order.rounds.saturating_sub(1).max(1),
        Action::BlankPass => lane.draft.order.blank = !lane.draft.order.blank,
        _ => return,
    }
    // What was planned before is not what stands here now.
    lane.plan = None;
}

fn way_beside(lane: &Lane, by: isize) -> Technique {
    let ways = &lane.foreseen().ways;
    let here = ways.iter().position(|w| w.technique == lane.draft.way).unwrap_or(0) as isize;
    ways.get((here + by).rem_euclid(ways.len().max(1) as isize) as usize).map_or(Technique::Overwrite, |w| w.technique)
}

/// The range that a text means: nothing (the whole drive), `2048 4095` (first and last sector), or `p2` (a partition).
fn range_of(lane: &Lane, text: &str) -> Result<Option<Sectors>, String> {
    let words: Vec<&str> = text.split(|c: char| c.is_whitespace() || c == '-').filter(|w| !w.is_empty()).collect();
    let number = |word: &str| word.parse::<u64>().map_err(|_| format!("`{word}` is no sector number"));
    let range = match words.as_slice() {
        [] => return Ok(None),
        [p] if p.starts_with(['p', 'P']) => {
            let which = p[1..].parse().map_err(|_| format!("`{p}` names no partition: type p1, p2 …"))?;
            lane.contents.clone().unwrap_or_default().partition(which).map_err(|e| e.to_string())?.at
        }
        [first, last] => {
            let (first, last) = (number(first)?, number(last)?);
            Sectors::from_to(first, last).ok_or_else(|| format!("from {first} to {last} there is no sector"))?
        }
        _ => return Err("type the first and the last sector, or p1 for the first partition".into()),
    };
    let order = Order { range: Some(range), ..lane.draft.order.clone() };
    lane.preview(&order).map_err(|e| e.to_string())?;
    Ok((range != lane.seen.drive.geometry.whole()).then_some(range))
}

pub(super) fn next_sensitivity(level: Sensitivity) -> Sensitivity {
    match level {
        Sensitivity::Low => Sensitivity::Moderate,
        Sensitivity::Moderate => Sensitivity::High,
        Sensitivity::High => Sensitivity::Low,
    }
}

fn next_category(category: Option<Sensitivity>) -> Option<Sensitivity> {
    match category {
        None => Some(Sensitivity::Low),
        Some(Sensitivity::Low) => Some(Sensitivity::Moderate),
        Some(Sensitivity::Moderate) => Some(Sensitivity::High),
        Some(Sensitivity::High) => None,
    }
}

fn store_field(lane: &mut Lane) {
    let Some(at) = lane.form.focus else { return };
    let value = lane.form.input.value().to_string();
    if let Some(text) = Asked::ALL[at].text(&mut lane.papers) {
        *text = value;
    }
}

fn focus_field(lane: &mut Lane, at: usize) {
    lane.form.focus = Some(at);
    lane.form.input = Field::of(&Asked::ALL[at].shown(&lane.papers));
}
