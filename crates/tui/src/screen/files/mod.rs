//! Files and free space: a tree to choose from, what would be lost, the work, and what came of it.

mod view;

use super::line::TypedLine;
use super::{PlaceHelp, Screen, ScreenAnswer, ScreenContext};
use crate::action::{Action, KeyPlace};
use crate::file_erase::{FilesStage, Less, TreeRow, WorkProgress};
use crate::message::{AskLess, Effect};
use crate::state::State;
use jurex_look::field::Typed;
use jurex_pattern::text::shown_path;
use jurex_pattern::units::counted;
use jurex_station::file_erase::{FilesWish, FreeWish};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The page.
pub(crate) struct FilesPage;

/// Rows that a page of the tree has, where keys go by pages.
const PAGE: usize = 20;

impl FilesPage {
    /// With the file systems as they are now; asks for them.
    pub(crate) fn open(state: &mut State) -> Self {
        state.to_do.push(Effect::Less(AskLess::Volumes));
        Self
    }

    fn move_to(less: &mut Less, at: usize) -> ScreenAnswer {
        less.cursor = at.min(less.rows().len().saturating_sub(1));
        less.problem = None;
        ScreenAnswer::stay()
    }
}

impl Screen for FilesPage {
    fn places(&self, state: &State) -> Vec<KeyPlace> {
        match &state.less.stage {
            FilesStage::Choosing | FilesStage::Looking => vec![KeyPlace::FilesTree, KeyPlace::Anywhere],
            FilesStage::Files { .. } => vec![KeyPlace::FilesPlan, KeyPlace::Typing],
            FilesStage::Free { .. } => vec![KeyPlace::FreePlan, KeyPlace::Anywhere],
            FilesStage::Working { .. } => vec![KeyPlace::FilesWork, KeyPlace::Anywhere],
            FilesStage::Over { .. } => vec![KeyPlace::FilesOver, KeyPlace::Anywhere],
        }
    }

    fn why_not(&self, state: &State, action: Action) -> Option<String> {
        let less = &state.less;
        let why = match action {
            Action::LookAtMarked if less.picked.is_empty() => "Nothing is selected: s selects a file or folder.",
            Action::Select if less.is_volume_here() => {
                "A whole file system is not selected: erase the drive, or fill its free space (Tab)."
            }
            Action::LookAtMarked | Action::LookAtFree if matches!(less.stage, FilesStage::Looking) => "It is being looked at.",
            Action::GoOnLess if less.cut_short == 0 => "Nothing was cut short.",
            Action::StopLess if matches!(less.stage, FilesStage::Working { stops: true, .. }) => "It is stopping.",
            _ => return None,
        };
        Some(why.into())
    }

    fn perform(&mut self, state: &mut State, action: Action) -> ScreenAnswer {
        let (now, is_scanner) = (state.now, state.in_burst());
        let by = state.config.technician.clone();
        let less = &mut state.less;
        match action {
            Action::Back => match less.stage {
                FilesStage::Files { .. } | FilesStage::Free { .. } | FilesStage::Looking => less.stage = FilesStage::Choosing,
                _ => return ScreenAnswer::back(),
            },
            Action::RowBefore => return Self::move_to(less, less.cursor.saturating_sub(1)),
            Action::RowAfter => return Self::move_to(less, less.cursor + 1),
            Action::PageBefore => return Self::move_to(less, less.cursor.saturating_sub(PAGE)),
            Action::PageAfter => return Self::move_to(less, less.cursor + PAGE),
            Action::First => return Self::move_to(less, 0),
            Action::Last => return Self::move_to(less, usize::MAX),
            Action::OpenFolder => {
                let here = less.here().filter(|p| less.is_folder_here() && !less.open.contains_key(p));
                return ScreenAnswer::to_do(here.map(|p| Effect::Less(AskLess::List(p))).into_iter().collect());
            }
            Action::ShutFolder => shut(less),
            Action::Select => {
                less.problem = None;
                less.mark();
                less.cursor = (less.cursor + 1).min(less.rows().len().saturating_sub(1));
            }
            Action::KeepNames => less.keep_names = !less.keep_names,
            Action::NamesInRecord => less.with_names = !less.with_names,
            Action::EditPasses => return ScreenAnswer::push(TypedLine::of_passes(&less.passes.0)),
            Action::LookAtMarked => {
                (less.stage, less.problem) = (FilesStage::Looking, None);
                return ScreenAnswer::to_do(vec![Effect::Less(AskLess::Survey(less.picked.clone()))]);
            }
            Action::LookAtFree => {
                let Some(path) = less.here() else { return ScreenAnswer::stay() };
                (less.stage, less.problem) = (FilesStage::Looking, None);
                let folder = if less.is_folder_here() { Some(path) } else { path.parent().map(Into::into) };
                return ScreenAnswer::to_do(folder.map(|f| Effect::Less(AskLess::PlanFree(f))).into_iter().collect());
            }
            Action::GoOnLess => {
                let what = "what was cut short".to_string();
                less.stage = FilesStage::Working { what, began: now, progress: WorkProgress::None, stops: false };
                return ScreenAnswer::to_do(vec![Effect::Less(AskLess::GoOn)]);
            }
            // A scanner's line end is no answer of a person.
            Action::BeginLess if !is_scanner => return begin(&mut state.less, now, by),
            Action::StopLess => {
                if let FilesStage::Working { stops, .. } = &mut less.stage {
                    *stops = true;
                }
                return ScreenAnswer::to_do(vec![Effect::Less(AskLess::Stop)]);
            }
            Action::Take => less.stage = FilesStage::Choosing,
            _ => {}
        }
        ScreenAnswer::stay()
    }

    fn type_in(&mut self, state: &mut State, typed: &Typed<'_>) {
        if let FilesStage::Files { typed: field, .. } = &mut state.less.stage {
            state.less.problem = None;
            field.take(typed);
        }
    }

    fn take(&mut self, state: &mut State, given: ScreenContext) -> ScreenAnswer {
        if let ScreenContext::Notation(text) = given {
            state.less.passes.0 = text;
        }
        ScreenAnswer::stay()
    }

    fn click(&mut self, state: &mut State, (x, y): (u16, u16)) -> ScreenAnswer {
        if matches!(state.less.stage, FilesStage::Choosing)
            && let Some(row) = view::row_at(state, (x, y))
        {
            state.less.cursor = row;
        }
        ScreenAnswer::stay()
    }

    fn refresh(&mut self, state: &mut State) {
        state.less.cursor = state.less.cursor.min(state.less.rows().len().saturating_sub(1));
    }

    fn about(&self, _: &State) -> Option<PlaceHelp> {
        Some((
            "Files and free space",
            [
                "Which files are to go, or whose free space is to be filled?",
                "No standard calls this sanitization: an overwrite through a file system may go elsewhere. As root it is read on the device itself what became of each file.",
                "Links are never followed, mounts never crossed. What must not be changed, is swapped to, or is attached as a drive stays.",
            ],
        ))
    }

    fn draw(&self, state: &State, area: Rect, buffer: &mut Buffer) {
        view::draw(state, area, buffer);
    }
}

/// Shuts the folder that the cursor is on, or goes to the one that holds it.
fn shut(less: &mut Less) {
    let Some(here) = less.here() else { return };
    if less.open.remove(&here).is_some() {
        return;
    }
    let Some(parent) = here.parent() else { return };
    if let Some(at) = less.rows().iter().position(|r: &TreeRow<'_>| r.path() == parent) {
        less.cursor = at;
    }
}

/// Begins what is planned, if the number of names that a person has typed is the one that will be lost.
fn begin(less: &mut Less, now: std::time::Duration, by: jurex_sanitize::record::Person) -> ScreenAnswer {
    let notation = less.passes.0.clone();
    let Ok(program) = notation.parse() else { return ScreenAnswer::stay() };
    let (asked, what) = match &less.stage {
        FilesStage::Files { surveyed, typed } => {
            let count = surveyed.count();
            if count == 0 {
                less.problem = Some("There is nothing here that can be erased.".into());
                return ScreenAnswer::stay();
            }
            if typed.value().trim().parse() != Ok(count) {
                less.problem = Some(format!("{} will be lost: type that number.", counted(count, "name")));
                return ScreenAnswer::stay();
            }
            let (keep_names, with_names) = (less.keep_names, less.with_names);
            let wish = FilesWish { program, notation, keep_names, with_names, by };
            (AskLess::Erase(surveyed.clone(), wish), counted(surveyed.tree.to_erase().0, "file"))
        }
        FilesStage::Free { path, plan } => {
            let wish = FreeWish { path: path.clone(), program, notation, reserve: plan.reserve, by };
            (AskLess::Fill(wish), format!("free space at {}", shown_path(path)))
        }
        _ => return ScreenAnswer::stay(),
    };
    (less.stage, less.problem) = (FilesStage::Working { what, began: now, progress: WorkProgress::None, stops: false }, None);
    ScreenAnswer::to_do(vec![Effect::Less(asked)])
}
