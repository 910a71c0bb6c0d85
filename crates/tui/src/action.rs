//! Everything that a person can do, and the keys for it: one table, which the dispatch of keys, the bottom line, the help and
//! the palette all read, so that they can't say different things.

use super::desk::Step;
use super::lane::rows::PlanRow;
use jurex_look::need::NeedQuestion;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

/// Something that a person can do.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Quit,
    Suspend,
    Help,
    Palette,
    Settings,
    Methods,
    Ledger,
    /// The paper as it will print.
    SeePaper,
    /// The whole story of the chosen job.
    SeeStory,
    /// Writes the papers of a past job again.
    WriteAgain,
    /// Writes what was found to a table.
    ExportFound,
    FindDrive,
    /// Where a drive is, and what is still open.
    Where,
    NextTheme,
    /// The machine that a start medium has started.
    Machine,
    /// Files and free space.
    Files,
    /// Opens a folder in the tree, or shuts it.
    OpenFolder,
    ShutFolder,
    /// Looks at what is marked, and tells what would be lost.
    LookAtMarked,
    /// Tells what there is to fill on a file system.
    LookAtFree,
    /// Whether names stay.
    KeepNames,
    /// Whether names stand in the record.
    NamesInRecord,
    /// Begins what is planned.
    BeginLess,
    /// Goes on with everything of it that was cut short.
    GoOnLess,
    StopLess,
    /// How it goes, seen from across the room.
    Afar,
    /// The greeting of the first start, and the guided tour of the demonstration.
    Greeting,
    Tour,
    EndTour,
    /// Does what is asked of the machine.
    ConfirmMachine,
    DriveBefore,
    DriveAfter,
    StepBefore,
    StepAfter,
    ShowLanes,
    ShowDesk,
    ScrollUp,
    ScrollDown,
    /// One of several drives or files.
    Select,
    PlanSelected,
    GoOnWithJob,
    EnterPlan,
    /// The keys go to the rows of the plan, and leave them.
    ChangePlan,
    LeaveRows,
    /// To this row, or to where its value is chosen.
    ToPlanRow(PlanRow),
    ValueBefore,
    ValueAfter,
    TakeValue,
    OpenBytes,
    Beacon,
    SearchLeft,
    /// Goes to the bytes of a find, the next one each time.
    SeeFind,
    TakePlan,
    SeeWork,
    BeginAnew,
    EditPasses,
    /// Takes a simulated drive's power away, or gives it back.
    Power,
    /// Takes away the password that a broken-off SECURITY ERASE UNIT has left, or ends a failed sanitize's failure mode.
    Unlock,
    CheckLabel,
    BackedUp,
    LeaveArm,
    Hold,
    GoOn,
    StopJob,
    SeeProof,
    SeeCertificate,
    ReadSample,
    ReadAll,
    WriteCertificate,
    /// The papers and labels of all drives whose job is over and whose paper is not written.
    WriteAll,
    ConfirmWriteAll,
    /// Does and notes what is to become of the drive.
    ReleaseIt,
    PrintLabel,
    /// Whether a marked drive is still as it was left.
    AsLeft,
    SeeRelease,
    FieldAfter,
    FieldBefore,
    LeaveField,
    SectorBefore,
    SectorAfter,
    RowBefore,
    RowAfter,
    PageBefore,
    PageAfter,
    First,
    Last,
    NextPartition,
    GoToSector,
    Search,
    SearchOn,
    BytesUp,
    BytesDown,
    LeaveBytes,
    TakeMethod,
    SearchMethods,
    NewMethod,
    EditMethod,
    DeleteMethod,
    ConfirmDelete,
    ExportMethod,
    ImportMethods,
    TakeProposals,
    SavePolicy,
    TakePolicy,
    /// Takes what was typed or chosen.
    Take,
    /// Goes back to where one came from, or leaves something unsaid.
    Back,
    ConfirmStop,
    ConfirmQuit,
    StopCountdown,
    /// Takes a plan that gives less than is required.
    AcceptLess,
}

/// Where keys mean something.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum KeyPlace {
    /// Wherever nothing else takes the key.
    Anywhere,
    /// The bench, whatever the step.
    Bench,
    /// The lanes alone, on a screen that has no room for more.
    Lanes,
    /// Between the right label and the first write.
    Countdown,
    /// Lanes and steps can be walked: also while a label is asked for.
    Walking,
    Step(Step),
    /// The rows of the plan.
    PlanRows,
    /// A field of the certificate.
    Form,
    /// A field of what is to become of the drive.
    ReleaseForm,
    Bytes,
    BytesPrompt,
    Methods,
    MethodsSearch,
    MethodsFile,
    MethodsDelete,
    Editor,
    Lot,
    LotNaming,
    Help,
    StopQuestion,
    QuitQuestion,
    LessQuestion,
    PapersQuestion,
    Greeting,
    /// The bench while the tour is on.
    Touring,
    /// Wherever letters go into a field.
    Typing,
    /// A line that is typed at the bottom.
    Line,
    Palette,
    Settings,
    SettingsField,
    LedgerFind,
    LedgerStory,
    /// Where drives are.
    Drives,
    Preview,
    Machine,
    MachineQuestion,
    /// Files and free space: choosing, what is planned, at work, over.
    FilesTree,
    FilesPlan,
    FreePlan,
    FilesWork,
    FilesOver,
    Afar,
}

/// Keys that do something at a place.
#[derive(Debug)]
pub(crate) struct Binding {
    pub(crate) place: KeyPlace,
    pub(crate) keys: &'static [KeyCode],
    /// How the keys are shown.
    pub(crate) shown: &'static str,
    pub(crate) action: Action,
    /// What it does, in few words.
    pub(crate) label: &'static str,
    /// How early it leaves the bottom line where there is little room: the smallest stays longest.
    pub(crate) rank: u8,
}

const fn bind(
    place: KeyPlace,
    keys: &'static [KeyCode],
    shown: &'static str,
    action: Action,
    label: &'static str,
    rank: u8,
) -> Binding {
    Binding { place, keys, shown, action, label, rank }
}

/// A row of Plan by its name: the palette leads there.
const fn to_row(row: PlanRow) -> Binding {
    bind(P::Step(S::Plan), &[], "", A::ToPlanRow(row), row.label(), UNSHOWN)
}

use Action as A;
use KeyCode::{BackTab, Char, Down, End, Enter, Esc, F, Home, Left, PageDown, PageUp, Right, Tab, Up};
use KeyPlace as P;
use PlanRow as R;
use Step as S;

/// Not shown on the bottom line: a second key for the same, or one that explains itself.
const UNSHOWN: u8 = 9;

/// Every binding. The first that fits a key, in the places from the innermost outwards, is taken.
pub(crate) static BINDINGS: &[Binding] = &[
    bind(P::Countdown, &[], "any key", A::StopCountdown, "stop the countdown", 0),
    bind(P::Step(S::Look), &[Enter], "Enter", A::EnterPlan, "plan its erasure", 0),
    bind(P::Step(S::Look), &[Char('a')], "a", A::AsLeft, "still as it was left?", 1),
    bind(P::Step(S::Look), &[Tab], "Tab", A::OpenBytes, "bytes", 3),
    bind(P::Step(S::Look), &[Char('b')], "b", A::Beacon, "beacon", 3),
    bind(P::Step(S::Look), &[Char('f')], "f", A::SearchLeft, "search residual data", 3),
    bind(P::Step(S::Look), &[Char('o')], "o", A::SeeFind, "bytes of a find", 3),
    bind(P::Step(S::Plan), &[Enter], "Enter", A::SeeWork, "see the work", 0),
    bind(P::Step(S::Plan), &[Enter], "Enter", A::BeginAnew, "begin anew with this drive", 0),
    bind(P::Step(S::Plan), &[Enter], "Enter", A::TakePlan, "take this plan", 0),
    bind(P::Step(S::Plan), &[Tab], "Tab", A::ChangePlan, "change the plan", 1),
    to_row(R::Need(NeedQuestion::Sensitivity)),
    to_row(R::Need(NeedQuestion::Reuse)),
    to_row(R::Need(NeedQuestion::Leaves)),
    to_row(R::Technique),
    to_row(R::Attested),
    to_row(R::Method),
    to_row(R::Passes),
    to_row(R::Rounds),
    to_row(R::FinalZeros),
    to_row(R::Verification),
    to_row(R::Range),
    to_row(R::HiddenAreas),
    to_row(R::SizeCheck),
    to_row(R::ResidualData),
    to_row(R::ErasureTag),
    bind(P::PlanRows, &[Up], "↑", A::RowBefore, "row before", UNSHOWN),
    bind(P::PlanRows, &[Down], "↑↓", A::RowAfter, "row", 1),
    bind(P::PlanRows, &[Left], "←", A::ValueBefore, "value before", UNSHOWN),
    bind(P::PlanRows, &[Right], "←→", A::ValueAfter, "value", 1),
    bind(P::PlanRows, &[Enter], "Enter", A::TakeValue, "next value, or open", 2),
    bind(P::PlanRows, &[Tab, Esc], "Tab", A::LeaveRows, "done: back to the plan", 0),
    bind(P::PlanRows, &[PageUp], "PgUp", A::ScrollUp, "lines above", UNSHOWN),
    bind(P::PlanRows, &[PageDown], "PgDn", A::ScrollDown, "more lines", UNSHOWN),
    bind(P::Step(S::Arm), &[Enter], "Enter", A::CheckLabel, "check the label", 0),
    bind(P::Step(S::Arm), &[Enter], "Enter", A::SeeWork, "see the work", 0),
    bind(P::Step(S::Arm), &[Tab], "Tab", A::BackedUp, "backed up?", 2),
    bind(P::Step(S::Arm), &[Esc], "Esc", A::LeaveArm, "back", 1),
    bind(P::Step(S::Erase), &[Enter], "Enter", A::GoOn, "resume", 0),
    bind(P::Step(S::Erase), &[Enter], "Enter", A::Hold, "pause", 0),
    bind(P::Step(S::Erase), &[Enter], "Enter", A::SeeProof, "see the result", 0),
    bind(P::Step(S::Erase), &[Char('x')], "x", A::StopJob, "stop", 1),
    bind(P::Step(S::Prove), &[Enter], "Enter", A::SeeCertificate, "go to the certificate", 0),
    bind(P::Step(S::Prove), &[Char('a')], "a", A::ReadSample, "read a sample again", 2),
    bind(P::Step(S::Prove), &[Char('A')], "A", A::ReadAll, "read all again", 3),
    bind(P::Step(S::Prove), &[Char('f')], "f", A::SearchLeft, "search residual data", 2),
    bind(P::Step(S::Prove), &[Char('o')], "o", A::SeeFind, "bytes of a find", 3),
    bind(P::Step(S::Release), &[Enter], "Enter", A::ReleaseIt, "record this", 0),
    bind(P::Step(S::Release), &[Tab], "Tab", A::FieldAfter, "choose another, fill in", 1),
    bind(P::Step(S::Release), &[BackTab], "Shift-Tab", A::FieldBefore, "last field", UNSHOWN),
    bind(P::Step(S::Release), &[Char('l')], "l", A::PrintLabel, "make its label", 2),
    bind(P::ReleaseForm, &[Enter], "Enter", A::ReleaseIt, "record this", 0),
    bind(P::ReleaseForm, &[Left], "←", A::ValueBefore, "value before", UNSHOWN),
    bind(P::ReleaseForm, &[Right], "←→", A::ValueAfter, "value", 1),
    bind(P::ReleaseForm, &[Tab, Down], "Tab", A::FieldAfter, "next field", 1),
    bind(P::ReleaseForm, &[BackTab, Up], "Shift-Tab", A::FieldBefore, "field before", UNSHOWN),
    bind(P::ReleaseForm, &[PageUp], "PgUp", A::ScrollUp, "lines above", UNSHOWN),
    bind(P::ReleaseForm, &[PageDown], "PgDn", A::ScrollDown, "more lines", UNSHOWN),
    bind(P::ReleaseForm, &[Esc], "Esc", A::LeaveField, "leave the field", 1),
    bind(P::Drives, &[Up], "↑", A::RowBefore, "drive before", UNSHOWN),
    bind(P::Drives, &[Down], "↑↓", A::RowAfter, "drive", 1),
    bind(P::Drives, &[PageUp], "PgUp", A::ScrollUp, "lines above", UNSHOWN),
    bind(P::Drives, &[PageDown], "PgUp PgDn", A::ScrollDown, "scroll", 3),
    bind(P::Drives, &[Esc], "Esc", A::Back, "back", 0),
    bind(P::Form, &[Enter], "Enter", A::WriteCertificate, "write the paper", 0),
    bind(P::Form, &[Tab, Down], "Tab", A::FieldAfter, "next field", 1),
    bind(P::Form, &[BackTab, Up], "Shift-Tab", A::FieldBefore, "field before", UNSHOWN),
    bind(P::Form, &[PageUp], "PgUp", A::ScrollUp, "lines above", UNSHOWN),
    bind(P::Form, &[PageDown], "PgDn", A::ScrollDown, "more lines", UNSHOWN),
    bind(P::Form, &[Esc], "Esc", A::LeaveField, "leave the field", 1),
    bind(P::Step(S::Certify), &[Enter], "Enter", A::WriteCertificate, "write the paper", 0),
    bind(P::Step(S::Certify), &[Tab], "Tab", A::FieldAfter, "fill in the fields", 1),
    bind(P::Step(S::Certify), &[BackTab], "Shift-Tab", A::FieldBefore, "last field", UNSHOWN),
    bind(P::Step(S::Certify), &[Char('v')], "v", A::SeePaper, "see the paper", 3),
    bind(P::Preview, &[PageUp, Up], "PgUp", A::ScrollUp, "lines above", UNSHOWN),
    bind(P::Preview, &[PageDown, Down], "PgUp PgDn", A::ScrollDown, "scroll", 1),
    bind(P::Preview, &[Esc, Char('v')], "Esc", A::Back, "back", 0),
    bind(P::BytesPrompt, &[Enter], "Enter", A::Take, "go", 0),
    bind(P::BytesPrompt, &[Esc], "Esc", A::Back, "back", 1),
    bind(P::Bytes, &[Left], "←", A::SectorBefore, "sector before", UNSHOWN),
    bind(P::Bytes, &[Right], "←→", A::SectorAfter, "sector", 1),
    bind(P::Bytes, &[Up], "↑", A::RowBefore, "row before", UNSHOWN),
    bind(P::Bytes, &[Down], "↑↓", A::RowAfter, "row", 1),
    bind(P::Bytes, &[PageUp], "PgUp", A::PageBefore, "page before", UNSHOWN),
    bind(P::Bytes, &[PageDown], "PgUp PgDn", A::PageAfter, "page", 3),
    bind(P::Bytes, &[Home], "Home", A::First, "first sector", UNSHOWN),
    bind(P::Bytes, &[End], "Home End", A::Last, "ends", 3),
    bind(P::Bytes, &[Char('j')], "j", A::NextPartition, "next partition", 2),
    bind(P::Bytes, &[Char('o')], "o", A::SeeFind, "next find", 2),
    bind(P::Bytes, &[Char('g')], "g", A::GoToSector, "go to sector", 2),
    bind(P::Bytes, &[Char('/')], "/", A::Search, "search", 2),
    bind(P::Bytes, &[Char('n')], "n", A::SearchOn, "search on", 3),
    bind(P::Bytes, &[Char('[')], "[", A::BytesUp, "bytes up", UNSHOWN),
    bind(P::Bytes, &[Char(']')], "[ ]", A::BytesDown, "scroll", 4),
    bind(P::Bytes, &[Tab, Esc], "Tab", A::LeaveBytes, "back", 1),
    bind(P::MethodsSearch, &[Enter], "Enter", A::Take, "keep this search", 0),
    bind(P::MethodsSearch, &[Esc], "Esc", A::Back, "show all", 1),
    bind(P::MethodsFile, &[Enter], "Enter", A::Take, "take this file name", 0),
    bind(P::MethodsFile, &[Esc], "Esc", A::Back, "back", 1),
    bind(P::MethodsDelete, &[Char('y')], "y", A::ConfirmDelete, "take it away", 0),
    bind(P::MethodsDelete, &[Esc], "Esc", A::Back, "keep it", 1),
    bind(P::Editor, &[Enter], "Enter", A::Take, "save", 0),
    bind(P::Editor, &[Tab, Down], "Tab", A::FieldAfter, "next field", 1),
    bind(P::Editor, &[BackTab, Up], "Shift-Tab", A::FieldBefore, "field before", UNSHOWN),
    bind(P::Editor, &[Esc], "Esc", A::Back, "back", 1),
    bind(P::Methods, &[Enter], "Enter", A::TakeMethod, "take this method", 0),
    bind(P::Methods, &[Up], "↑", A::RowBefore, "method before", UNSHOWN),
    bind(P::Methods, &[Down], "↑↓", A::RowAfter, "method", 1),
    bind(P::Methods, &[Home], "Home", A::First, "first method", UNSHOWN),
    bind(P::Methods, &[End], "End", A::Last, "last method", UNSHOWN),
    bind(P::Methods, &[PageUp], "PgUp", A::ScrollUp, "lines above", UNSHOWN),
    bind(P::Methods, &[PageDown], "PgDn", A::ScrollDown, "more lines", UNSHOWN),
    bind(P::Methods, &[Char('/')], "/", A::SearchMethods, "search", 2),
    bind(P::Methods, &[Char('+')], "+", A::NewMethod, "new", 3),
    bind(P::Methods, &[Char('e')], "e", A::EditMethod, "edit", 3),
    bind(P::Methods, &[Char('d')], "d", A::DeleteMethod, "take away", 3),
    bind(P::Methods, &[Char('w')], "w", A::ExportMethod, "write to a file", 4),
    bind(P::Methods, &[Char('i')], "i", A::ImportMethods, "take in a file", 4),
    bind(P::Methods, &[Esc, F(3)], "Esc", A::Back, "back", 1),
    bind(P::LotNaming, &[Enter], "Enter", A::Take, "take this name", 0),
    bind(P::LotNaming, &[Esc], "Esc", A::Back, "back", 1),
    bind(P::Lot, &[Enter], "Enter", A::TakeProposals, "plan these drives", 0),
    bind(P::Lot, &[Up], "↑", A::RowBefore, "row before", UNSHOWN),
    bind(P::Lot, &[Down], "↑↓", A::RowAfter, "row", 1),
    bind(P::Lot, &[Left], "←", A::ValueBefore, "value before", UNSHOWN),
    bind(P::Lot, &[Right], "←→", A::ValueAfter, "value", 1),
    bind(P::Lot, &[Tab], "Tab", A::FieldAfter, "next column", 2),
    bind(P::Lot, &[BackTab], "Shift-Tab", A::FieldBefore, "column before", UNSHOWN),
    bind(P::Lot, &[Char('w')], "w", A::SavePolicy, "save this policy", 3),
    bind(P::Lot, &[Char('i')], "i", A::TakePolicy, "take a saved one", 3),
    bind(P::Lot, &[Esc], "Esc", A::Back, "back", 1),
    bind(P::Help, &[Esc, Enter, Char('?'), Char('q')], "Esc", A::Back, "back", 0),
    bind(P::StopQuestion, &[Char('y')], "y", A::ConfirmStop, "stop this job", 0),
    bind(P::StopQuestion, &[Esc], "Esc", A::Back, "let it work", 0),
    bind(P::QuitQuestion, &[Char('y')], "y", A::ConfirmQuit, "quit", 0),
    bind(P::QuitQuestion, &[Esc], "Esc", A::Back, "stay", 0),
    bind(P::LessQuestion, &[Char('y')], "y", A::AcceptLess, "take less than is required", 0),
    bind(P::LessQuestion, &[Esc], "Esc", A::Back, "choose another", 0),
    bind(P::Greeting, &[Enter], "Enter", A::Tour, "begin the guided tour", 0),
    bind(P::Greeting, &[Esc, Enter], "Esc", A::Back, "look around", 0),
    bind(P::Touring, &[Esc], "Esc", A::EndTour, "end the tour", 0),
    bind(P::PapersQuestion, &[Char('y')], "y", A::ConfirmWriteAll, "write them", 0),
    bind(P::PapersQuestion, &[Esc], "Esc", A::Back, "not now", 0),
    bind(P::MachineQuestion, &[Char('y')], "y", A::ConfirmMachine, "do it", 0),
    bind(P::MachineQuestion, &[Esc], "Esc", A::Back, "leave it", 0),
    bind(P::Machine, &[Enter], "Enter", A::Take, "do it", 0),
    bind(P::Machine, &[Up], "↑", A::RowBefore, "line before", UNSHOWN),
    bind(P::Machine, &[Down], "↑↓", A::RowAfter, "line", 1),
    bind(P::Machine, &[Esc, F(8)], "Esc", A::Back, "back", 0),
    bind(P::FilesTree, &[Char('s')], "s", A::Select, "select", 1),
    bind(P::FilesTree, &[Enter], "Enter", A::LookAtMarked, "what would be lost?", 0),
    bind(P::FilesTree, &[Right], "→", A::OpenFolder, "open", 2),
    bind(P::FilesTree, &[Left], "←", A::ShutFolder, "shut", 2),
    bind(P::FilesTree, &[Up], "↑", A::RowBefore, "row before", UNSHOWN),
    bind(P::FilesTree, &[Down], "↑↓", A::RowAfter, "row", 2),
    bind(P::FilesTree, &[PageUp], "PgUp", A::PageBefore, "rows before", UNSHOWN),
    bind(P::FilesTree, &[PageDown], "PgDn", A::PageAfter, "more rows", UNSHOWN),
    bind(P::FilesTree, &[Home], "Home", A::First, "first row", UNSHOWN),
    bind(P::FilesTree, &[End], "End", A::Last, "last row", UNSHOWN),
    bind(P::FilesTree, &[Tab], "Tab", A::LookAtFree, "its free space", 1),
    bind(P::FilesTree, &[Char('e')], "e", A::EditPasses, "passes", 3),
    bind(P::FilesTree, &[Char('k')], "k", A::KeepNames, "keep names", 3),
    bind(P::FilesTree, &[Char('h')], "h", A::NamesInRecord, "names in the record", 3),
    bind(P::FilesTree, &[Char('c')], "c", A::GoOnLess, "resume what was cut short", 1),
    bind(P::FilesTree, &[Esc, F(9)], "Esc", A::Back, "back", 0),
    bind(P::FilesPlan, &[Enter], "Enter", A::BeginLess, "erase them", 0),
    bind(P::FilesPlan, &[Esc, F(9)], "Esc", A::Back, "choose others", 0),
    bind(P::FreePlan, &[Enter], "Enter", A::BeginLess, "fill it", 0),
    bind(P::FreePlan, &[Char('e')], "e", A::EditPasses, "passes", 2),
    bind(P::FreePlan, &[Esc, F(9)], "Esc", A::Back, "choose another", 0),
    bind(P::FilesWork, &[Char('x')], "x", A::StopLess, "stop", 1),
    bind(P::FilesWork, &[Esc, F(9)], "Esc", A::Back, "back: work continues", 0),
    bind(P::FilesOver, &[Enter], "Enter", A::Take, "choose again", 0),
    bind(P::FilesOver, &[Esc, F(9)], "Esc", A::Back, "back", 0),
    bind(P::Afar, &[Esc, Enter, F(7)], "Esc", A::Back, "back", 0),
    bind(P::Line, &[Enter], "Enter", A::Take, "take what is typed", 0),
    bind(P::Line, &[Esc], "Esc", A::Back, "back", 0),
    bind(P::Palette, &[Enter], "Enter", A::Take, "do it", 0),
    bind(P::Palette, &[Up], "↑", A::RowBefore, "line before", UNSHOWN),
    bind(P::Palette, &[Down], "↑↓", A::RowAfter, "choose", 1),
    bind(P::Palette, &[Esc], "Esc", A::Back, "back", 0),
    bind(P::SettingsField, &[Enter], "Enter", A::Take, "save this field", 0),
    bind(P::SettingsField, &[Esc], "Esc", A::Back, "leave it as it was", 0),
    bind(P::Settings, &[Enter], "Enter", A::Take, "change it", 0),
    bind(P::Settings, &[Up], "↑", A::RowBefore, "setting before", UNSHOWN),
    bind(P::Settings, &[Down], "↑↓", A::RowAfter, "setting", 1),
    bind(P::Settings, &[Left], "←", A::ValueBefore, "value before", UNSHOWN),
    bind(P::Settings, &[Right], "←→", A::ValueAfter, "value", 1),
    bind(P::Settings, &[PageUp], "PgUp", A::ScrollUp, "settings above", UNSHOWN),
    bind(P::Settings, &[PageDown], "PgDn", A::ScrollDown, "more settings", UNSHOWN),
    bind(P::Settings, &[Home], "Home", A::First, "first setting", UNSHOWN),
    bind(P::Settings, &[End], "End", A::Last, "last setting", UNSHOWN),
    bind(P::Settings, &[Esc, F(4)], "Esc", A::Back, "back", 0),
    bind(P::LedgerFind, &[Enter], "Enter", A::SeeStory, "its story", 0),
    bind(P::LedgerFind, &[Up], "↑", A::RowBefore, "job before", UNSHOWN),
    bind(P::LedgerFind, &[Down], "↑↓", A::RowAfter, "job", 1),
    bind(P::LedgerFind, &[PageUp], "PgUp", A::PageBefore, "jobs before", UNSHOWN),
    bind(P::LedgerFind, &[PageDown], "PgUp PgDn", A::PageAfter, "page", 3),
    bind(P::LedgerFind, &[Tab], "Tab", A::Where, "drives, and what is open", 2),
    bind(P::LedgerFind, &[Esc, F(2)], "Esc", A::Back, "back", 1),
    bind(P::LedgerStory, &[Char('a')], "a", A::WriteAgain, "write its papers again", 0),
    bind(P::LedgerStory, &[Char('w')], "w", A::ExportFound, "write what was found to a table", 2),
    bind(P::LedgerStory, &[Up], "↑", A::RowBefore, "job before", UNSHOWN),
    bind(P::LedgerStory, &[Down], "↑↓", A::RowAfter, "job", 1),
    bind(P::LedgerStory, &[PageUp], "PgUp", A::ScrollUp, "lines above", UNSHOWN),
    bind(P::LedgerStory, &[PageDown], "PgUp PgDn", A::ScrollDown, "scroll", 3),
    bind(P::LedgerStory, &[Esc, F(2)], "Esc", A::Back, "find others", 1),
    bind(P::Lanes, &[Enter, Right], "Enter", A::ShowDesk, "see this drive", 0),
    bind(P::Bench, &[Char('c')], "c", A::GoOnWithJob, "resume the job that was cut short", 1),
    bind(P::Bench, &[Char('p')], "p", A::PlanSelected, "plan the selected", 2),
    bind(P::Bench, &[Char('w')], "w", A::WriteAll, "all papers and labels", 4),
    bind(P::Bench, &[Char('s')], "s", A::Select, "select", 5),
    bind(P::Bench, &[Char('r')], "r", A::SeeRelease, "release", 5),
    bind(P::Bench, &[Char('u')], "u", A::Unlock, "unlock it", 1),
    bind(P::Bench, &[Char('P')], "P", A::Power, "its power", 7),
    bind(P::Bench, &[Char('/')], "/", A::FindDrive, "find", 5),
    bind(P::Bench, &[Esc], "Esc", A::ShowLanes, "all drives", 5),
    bind(P::Bench, &[F(2)], "F2", A::Ledger, "ledger", 5),
    bind(P::Anywhere, &[], "Ctrl-W", A::Where, "where is a drive?", 6),
    bind(P::Bench, &[F(3)], "F3", A::Methods, "methods", 5),
    bind(P::Bench, &[F(4)], "F4", A::Settings, "settings", 5),
    bind(P::Bench, &[], "", A::Tour, "guided tour", UNSHOWN),
    bind(P::Bench, &[], "", A::Greeting, "greeting", UNSHOWN),
    bind(P::Bench, &[F(7)], "F7", A::Afar, "wall view", 7),
    bind(P::Bench, &[F(8)], "F8", A::Machine, "machine", 7),
    bind(P::Bench, &[F(9)], "F9", A::Files, "files and free space", 7),
    bind(P::Walking, &[Left], "←", A::StepBefore, "step before", UNSHOWN),
    bind(P::Walking, &[Right], "←→", A::StepAfter, "step", 3),
    bind(P::Walking, &[Up], "↑", A::DriveBefore, "drive before", UNSHOWN),
    bind(P::Walking, &[Down], "↑↓", A::DriveAfter, "drive", 3),
    bind(P::Walking, &[PageUp], "PgUp", A::ScrollUp, "lines above", UNSHOWN),
    bind(P::Walking, &[PageDown], "PgDn", A::ScrollDown, "more lines", UNSHOWN),
    bind(P::Typing, &[], "Ctrl-P", A::Palette, "everything", 6),
    bind(P::Typing, &[F(1)], "F1", A::Help, "help", 1),
    bind(P::Typing, &[], "Ctrl-Q", A::Quit, "quit", 1),
    bind(P::Anywhere, &[Char('t')], "t", A::NextTheme, "theme", 6),
    bind(P::Anywhere, &[], "Ctrl-P", A::Palette, "everything", 4),
    bind(P::Anywhere, &[Char('?'), F(1)], "?", A::Help, "help", 1),
    bind(P::Anywhere, &[Char('q')], "q", A::Quit, "quit", 1),
];

/// What Ctrl and a letter do, wherever one is.
fn with_control(key: KeyEvent) -> Option<Action> {
    match key.code {
        Char('c' | 'q') => Some(Action::Quit),
        Char('z') => Some(Action::Suspend),
        Char('p') => Some(Action::Palette),
        Char('w') => Some(Action::Where),
        _ => None,
    }
}

/// What a key means here.
pub(crate) enum Meaning {
    /// It does this.
    Does(Action),
    /// It would do something, but not now: why.
    Refused(String),
    /// It goes into the field that is being typed in.
    Typed,
    /// It means nothing.
    Nothing,
}

/// What the key means at these places: the first binding that can be used counts, from the innermost place outwards.
pub(crate) fn meaning(places: &[KeyPlace], why_not: &dyn Fn(Action) -> Option<String>, key: KeyEvent) -> Meaning {
    let typing = is_text(places);
    if key.modifiers.contains(KeyModifiers::CONTROL) {
        return match (with_control(key), typing) {
            (Some(action), _) => Meaning::Does(action),
            (None, true) => Meaning::Typed,
            (None, false) => Meaning::Nothing,
        };
    }
    if typing && matches!(key.code, Char(_)) {
        return Meaning::Typed;
    }
    let bound = places.iter().flat_map(|p| BINDINGS.iter().filter(|b| b.place == *p && b.keys.contains(&key.code)));
    let mut refused = None;
    for binding in bound {
        match why_not(binding.action) {
            None => return Meaning::Does(binding.action),
            Some(why) => refused = refused.or(Some(why)),
        }
    }
    match refused {
        _ if typing => Meaning::Typed,
        Some(why) => Meaning::Refused(why),
        None => Meaning::Nothing,
    }
}

/// The bindings that can be used at these places, the innermost place first.
pub(crate) fn usable(places: &[KeyPlace], why_not: &dyn Fn(Action) -> Option<String>) -> Vec<&'static Binding> {
    let typing = is_text(places);
    let fits = |b: &&Binding| {
        let only_letters = !b.keys.is_empty() && b.keys.iter().all(|k| matches!(k, Char(_)));
        !(typing && only_letters) && why_not(b.action).is_none()
    };
    places.iter().flat_map(|place| BINDINGS.iter().filter(|b| b.place == *place)).filter(fits).collect()
}

/// Whether letters go into a field.
pub(crate) fn is_text(places: &[KeyPlace]) -> bool {
    places.iter().any(|p| matches!(p, KeyPlace::Typing | KeyPlace::Line | KeyPlace::Palette))
}

/// Whether something stands on the bottom line.
pub(crate) fn is_shown(binding: &Binding) -> bool {
    binding.rank < UNSHOWN
}
