//! The rows of Plan: what can be chosen for this drive, one below the other.

use super::Lane;
use jurex_look::need::NeedQuestion;
use jurex_look::rows::ValueRow;
use jurex_pattern::choice::beside;
use jurex_sanitize::plan::{SizeCheck, UnhideOrder};
use jurex_sanitize::rules::Technique;

/// Most rounds that the keys offer; the command line takes more.
const MAX_ROUNDS: u32 = 99;

/// A row.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum PlanRow {
    Need(NeedQuestion),
    Technique,
    Attested,
    Method,
    Passes,
    Rounds,
    FinalZeros,
    Verification,
    Range,
    HiddenAreas,
    SizeCheck,
    ResidualData,
    ErasureTag,
}

impl PlanRow {
    const ALL: [Self; 15] = [
        Self::Need(NeedQuestion::Sensitivity),
        Self::Need(NeedQuestion::Reuse),
        Self::Need(NeedQuestion::Leaves),
        Self::Technique,
        Self::Attested,
        Self::Method,
        Self::Passes,
        Self::Rounds,
        Self::FinalZeros,
        Self::Verification,
        Self::Range,
        Self::HiddenAreas,
        Self::SizeCheck,
        Self::ResidualData,
        Self::ErasureTag,
    ];

    /// Those that mean something for what is chosen on this drive.
    pub(crate) fn of(lane: &Lane) -> Vec<Self> {
        Self::ALL.into_iter().filter(|row| row.why_not(lane).is_none()).collect()
    }

    /// Why it means nothing now.
    pub(crate) fn why_not(self, lane: &Lane) -> Option<&'static str> {
        let overwrites = lane.draft.way == Technique::Overwrite;
        let whole = lane.draft.order.range.is_none();
        let (can, why) = match self {
            Self::Need(_) | Self::Technique | Self::Verification | Self::ResidualData => (true, ""),
            Self::Attested => (
                lane.draft.way.is_own() && !lane.draft.to_state(&lane.seen.drive, &lane.seen.answers).is_empty(),
                "This technique needs nothing that only a person can attest.",
            ),
            Self::Method | Self::Passes | Self::Rounds | Self::FinalZeros | Self::Range => {
                (overwrites, "That belongs to overwriting: choose it as the technique first.")
            }
            Self::HiddenAreas => (
                UnhideOrder::of(&lane.seen.drive).is_some(),
                "This drive hides no sectors that its commands could make accessible.",
            ),
            Self::SizeCheck => (whole, "Its size is checked by tags all over it, and not where a part alone is overwritten."),
            Self::ErasureTag => {
                (whole, "An erasure tag says that the whole drive was erased: none is left where a part alone is overwritten.")
            }
        };
        (!can).then_some(why)
    }

    /// What it is called.
    pub(crate) const fn label(self) -> &'static str {
        match self {
            Self::Need(question) => question.label(),
            Self::Technique => "technique",
            Self::Attested => "attested",
            Self::Method => "method",
            Self::Passes => "passes",
            Self::Rounds => "rounds",
            Self::FinalZeros => "final pass of zeros",
            Self::Verification => "verification",
            Self::Range => "covers",
            Self::HiddenAreas => "hidden areas",
            Self::SizeCheck => "size check",
            Self::ResidualData => "residual data search",
            Self::ErasureTag => "erasure tag",
        }
    }

    /// Whether Enter opens a page or a line for it.
    pub(crate) fn opens(self) -> bool {
        matches!(self, Self::Method | Self::Passes | Self::Range)
    }

    fn value(self, lane: &Lane) -> String {
        let (draft, order) = (&lane.draft, &lane.draft.order);
        let yes_no = |is: bool| if is { "yes" } else { "no" }.to_string();
        match self {
            Self::Need(question) => question.answer(draft.need),
            Self::Technique => draft.way.name().into(),
            Self::Attested => attested(lane),
            Self::Method => order.title.clone(),
            Self::Passes => order.program.to_string(),
            Self::Rounds => order.rounds.to_string(),
            Self::FinalZeros => yes_no(order.blank),
            Self::Verification => order.verification.to_string(),
            Self::Range => order.range.map_or_else(|| "the whole drive".into(), |range| format!("{range} only")),
            Self::HiddenAreas => draft.hidden.sentence().into(),
            Self::SizeCheck => {
                let due = order.size_check.is_due(&lane.seen.drive);
                if due { "yes: tags all over it are written and read first, in seconds" } else { "no" }.into()
            }
            Self::ResidualData => if order.searches { "a sample before and after, a minute at most each" } else { "no" }.into(),
            Self::ErasureTag => {
                if order.marks { "a page in the first and last sectors says what was done" } else { "none" }.into()
            }
        }
    }

    /// The next value, or the one before.
    pub(crate) fn turn(self, lane: &mut Lane, forwards: bool) {
        let draft = &mut lane.draft;
        match self {
            Self::Need(question) => question.turn(&mut draft.need, forwards),
            Self::Technique => {
                let ways: Vec<Technique> = lane.foreseen().ways.iter().map(|way| way.technique).collect();
                lane.draft.choose_way(beside(&ways, lane.draft.way, forwards));
            }
            Self::Attested => draft.stated = !draft.stated,
            Self::Rounds if forwards => draft.order.rounds = (draft.order.rounds + 1).min(MAX_ROUNDS),
            Self::Rounds => draft.order.rounds = draft.order.rounds.saturating_sub(1).max(1),
            Self::FinalZeros => draft.order.blank = !draft.order.blank,
            Self::Verification => draft.order.verification = draft.order.verification.beside(forwards),
            Self::HiddenAreas => draft.hidden = draft.hidden.beside(forwards),
            Self::SizeCheck => {
                let drive = &lane.seen.drive;
                draft.order.size_check = if draft.order.size_check.is_due(drive) {
                    SizeCheck::No
                } else if SizeCheck::default().is_due(drive) {
                    SizeCheck::default()
                } else {
                    SizeCheck::Yes
                };
            }
            Self::ResidualData => draft.order.searches = !draft.order.searches,
            Self::ErasureTag => draft.order.marks = !draft.order.marks,
            Self::Method | Self::Passes | Self::Range => return,
        }
        lane.plan_changed();
    }
}

/// The rows as they are shown.
pub(crate) fn shown(lane: &Lane) -> Vec<ValueRow> {
    let row = |row: PlanRow| ValueRow { label: row.label(), value: row.value(lane), opens: row.opens() };
    PlanRow::of(lane).into_iter().map(row).collect()
}

/// Who attests what no drive can tell, and whether they do.
fn attested(lane: &Lane) -> String {
    let name = &lane.papers.technician.name;
    let who = if name.is_empty() { "the technician" } else { name };
    if lane.draft.stated {
        format!("✓ by {who}, by name on the certificate")
    } else {
        format!("no: what stands below is not attested by {who}")
    }
}
