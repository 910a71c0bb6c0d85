//! What is asked for, before it is fitted to a drive.

use super::stage::{Measure, PlannedPass, PlannedReading, SizeCheck, Stage, UnhideOrder, overwriting_of};
use super::verification::{HowMuch, Verification, WhichPasses};
use crate::rules::Edition;
use crate::sampling::Sampling;
use jurex_device::media::Drive;
use jurex_pattern::method::Method;
use jurex_pattern::notation::{Entropy, NoEntropy, PassPattern, Program};
use jurex_pattern::pattern::Pattern;
use jurex_pattern::units::Sectors;

/// What is asked for, before it is fitted to a drive.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Order {
    /// Title of the method, or what the passes are called.
    pub title: String,
    /// The passes.
    pub program: Program,
    /// How often the passes are run through, at least 1.
    pub rounds: u32,
    /// Whether one more pass of zeros follows at the end.
    pub blank: bool,
    /// What is read back.
    pub verification: Verification,
    /// The sectors to cover; `None`: all of them.
    pub range: Option<Sectors>,
    /// How often a failing sector is tried again.
    pub retries: u32,
    /// After more bad places than this the drive is given up.
    pub faults_allowed: u64,
    /// Whether hidden areas are lifted first, and how.
    pub lift: Option<UnhideOrder>,
    /// Whether it is found out first how large the drive truly is.
    pub size_check: SizeCheck,
    /// Whether a search for leftovers runs before and after.
    pub searches: bool,
    /// Whether a mark is left on the drive after the proof.
    pub marks: bool,
    /// The rules that it is judged by.
    pub edition: Edition,
}

/// How rounds, and the pass of zeros after them, are said behind the notation.
const ROUNDS: &str = " rounds";
const BLANK: &str = ", then a pass of zeros";

/// What [`Order::notation`] has said, read again.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NamedPasses {
    program: Program,
    rounds: usize,
    blank: bool,
}

impl NamedPasses {
    /// `None`: it is no such text.
    pub fn of(notation: &str) -> Option<Self> {
        let (rest, blank) = notation.strip_suffix(BLANK).map_or((notation, false), |rest| (rest, true));
        let rounds = rest.strip_suffix(ROUNDS).and_then(|r| r.rsplit_once(", ")).and_then(|(p, n)| Some((p, n.parse().ok()?)));
        let (program, rounds) = rounds.unwrap_or((rest, 1));
        Some(Self { program: program.parse().ok()?, rounds, blank })
    }

    fn in_rounds(&self) -> usize {
        self.program.passes().saturating_mul(self.rounds)
    }

    /// How many they are.
    pub fn count(&self) -> usize {
        self.in_rounds().saturating_add(self.blank.into())
    }

    /// Whether these patterns can be the first of them, whatever was drawn at random.
    pub fn can_have_laid(&self, patterns: &[&Pattern]) -> bool {
        let (laid, last) = patterns.split_at(self.in_rounds().min(patterns.len()));
        patterns.len() <= self.count()
            && laid.chunks(self.program.passes()).all(|round| self.program.can_have_laid(round))
            && last.iter().all(|pattern| **pattern == Pattern::zeros())
    }

    /// Whether each, in order, turns over every bit of the one before it by design. Told one by one: a text can name any number.
    pub fn meant_complements(&self) -> impl Iterator<Item = bool> {
        let once: Vec<bool> = self.program.resolve(&mut NoEntropy).iter().map(|pass| pass.complement_of_before).collect();
        std::iter::repeat_n(once, self.rounds).flatten().chain(self.blank.then_some(false))
    }
}

impl Order {
    /// Tries of a failing sector after the first, unless told otherwise.
    pub const RETRIES: u32 = 2;

    /// Bad places before a drive is given up, unless told otherwise.
    pub const FAULTS_ALLOWED: u64 = 10_000;

    /// A method of the library on the whole drive, fully verified.
    pub fn of_method(method: &Method) -> Self {
        Self::of_program(&method.title, method.program.clone())
    }

    /// Passes of one's own on the whole drive, fully verified.
    pub fn of_program(title: &str, program: Program) -> Self {
        Self {
            title: title.into(),
            program,
            rounds: 1,
            blank: false,
            verification: Verification::default(),
            range: None,
            retries: Self::RETRIES,
            faults_allowed: Self::FAULTS_ALLOWED,
            lift: None,
            size_check: SizeCheck::default(),
            searches: false,
            marks: false,
            edition: Edition::default(),
        }
    }

    /// Passes that will run.
    pub fn passes(&self) -> usize {
        self.program.passes().saturating_mul(self.rounds as usize).saturating_add(self.blank.into())
    }

    /// Times that a pass is read back.
    pub fn readings(&self) -> usize {
        match self.verification {
            Verification::None => 0,
            Verification::Read(_, WhichPasses::Every) => self.passes(),
            Verification::Read(_, WhichPasses::Last) => {
                let marked = self.program.marked() * self.rounds as usize;
                // The last pass is read back even if it is not marked.
                let last_is_marked = !self.blank && self.program.last_is_marked();
                marked + usize::from(!last_is_marked)
            }
        }
    }

    /// Whether only places of a pass are read back.
    pub fn is_sampled(&self) -> bool {
        matches!(self.verification, Verification::Read(HowMuch::Sampled, _))
    }

    /// The passes in the notation, with rounds and blank pass said in words.
    pub fn notation(&self) -> String {
        let rounds = if self.rounds > 1 { format!(", {}{ROUNDS}", self.rounds) } else { String::new() };
        let blank = if self.blank { BLANK } else { "" };
        format!("{}{rounds}{blank}", self.program)
    }

    /// The stages, with every random choice made.
    pub(super) fn stages(&self, drive: &Drive, entropy: &mut dyn Entropy) -> Vec<Stage> {
        let lift = self.lift.clone().map(Stage::Lift);
        let overwriting = overwriting_of(self, entropy);
        let measure = self.measures(drive).then(|| Measure::drawn(entropy));
        lift.into_iter().chain(measure).chain(overwriting).collect()
    }

    /// Whether the drive's size is found out first. A drive that is to be overwritten in part is not written to elsewhere.
    pub fn measures(&self, drive: &Drive) -> bool {
        let is_whole = self.range.is_none_or(|r| r == drive.geometry.whole());
        is_whole && self.size_check.is_due(drive)
    }

    /// The passes, each with what of it is read back.
    pub(super) fn resolve(&self, entropy: &mut dyn Entropy) -> Vec<PlannedPass> {
        let mut passes: Vec<PassPattern> = (0..self.rounds).flat_map(|_| self.program.resolve(entropy)).collect();
        if self.blank {
            passes.push(PassPattern { pattern: Pattern::zeros(), read_back: false, complement_of_before: false, is_fixed: true });
        }
        let last = passes.len().saturating_sub(1);
        let mut reading = |n: usize, marked: bool| match self.verification {
            Verification::Read(how_much, which) if marked || n == last || which == WhichPasses::Every => match how_much {
                HowMuch::Full => PlannedReading::Full,
                HowMuch::Sampled => {
                    let mut seed = [0; 16];
                    entropy.fill(&mut seed);
                    PlannedReading::Sampled(Sampling::new(seed))
                }
            },
            Verification::Read(..) | Verification::None => PlannedReading::None,
        };
        let planned = |(n, p): (usize, PassPattern)| PlannedPass {
            reading: reading(n, p.read_back),
            pattern: p.pattern,
            complement_of_before: p.complement_of_before,
        };
        passes.into_iter().enumerate().map(planned).collect()
    }
}
