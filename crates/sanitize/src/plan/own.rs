//! Erasures by the drive's own commands, as people order them, and the stages that they become.

use super::order::Order;
use super::stage::{Check, Measure, PlannedErase, PlannedReading, SizeCheck, Stage, UnhideOrder, overwriting_of};
use super::verification::{HowMuch, Verification};
use crate::digest::Salt;
use crate::evidence::{Expect, Stated};
use crate::rules::Edition;
use crate::sampling::Sampling;
use jurex_device::media::{Drive, HiddenAreas, Protocol, Scope};
use jurex_device::native::Capabilities;
use jurex_device::native::mmc::Removal;
use jurex_device::technique::{Leaves, Reach, Technique};
use jurex_pattern::notation::Entropy;
use jurex_pattern::pattern::Pattern;

/// What is to be done to a drive, before it is fitted to it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Course {
    /// Passes are laid over it.
    Overwrite(Order),
    /// It erases itself, and perhaps passes are laid after that.
    Own(NativeOrder),
}

impl Course {
    /// The way `technique` on `drive`, with what `order` says of rules, reading and hidden areas.
    pub fn of_way(technique: Technique, drive: &Drive, answers: &Capabilities, order: &Order) -> Self {
        if technique.is_own() {
            let own = NativeOrder::of_way(technique, drive, answers, order);
            Course::Own(NativeOrder { lift: order.lift.clone(), ..own })
        } else {
            Course::Overwrite(order.clone())
        }
    }
}

/// What is asked for, before it is fitted to a drive.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NativeOrder {
    /// The drive's own erasure.
    pub technique: Technique,
    /// What it reaches.
    pub scope: Scope,
    /// How an embedded device is set to remove data, if it told.
    pub removal: Option<Removal>,
    /// Whether hidden areas are lifted first, and how.
    pub lift: Option<UnhideOrder>,
    /// Whether it is found out first how large the drive truly is.
    pub size_check: SizeCheck,
    /// Whether a search for leftovers runs before and after.
    pub searches: bool,
    /// Whether a mark is left on the drive after the proof.
    pub marks: bool,
    /// How much is read afterwards; `None`: nothing, and nothing is earned.
    pub how_much: Option<HowMuch>,
    /// An overwriting that follows.
    pub then: Option<Order>,
    /// What a person states.
    pub stated: Stated,
    /// The rules that it is judged by.
    pub edition: Edition,
}

impl NativeOrder {
    /// The technique on all of `drive`, read back in full, its hidden areas lifted until the next power-on.
    pub fn new(technique: Technique, drive: &Drive, answers: &Capabilities) -> Self {
        Self {
            technique,
            scope: Self::scope(technique, drive, answers),
            removal: answers.removal,
            lift: UnhideOrder::of(drive),
            size_check: SizeCheck::default(),
            searches: false,
            marks: false,
            how_much: Some(HowMuch::Full),
            then: None,
            stated: Stated::default(),
            edition: Edition::default(),
        }
    }

    /// The technique on all of `drive`, with the rules and the amount of reading that `order` has.
    pub fn of_way(technique: Technique, drive: &Drive, answers: &Capabilities, order: &Order) -> Self {
        let how_much = if let Verification::Read(how_much, _) = order.verification { Some(how_much) } else { None };
        let (size_check, searches, marks) = (order.size_check, order.searches, order.marks);
        Self { how_much, edition: order.edition, size_check, searches, marks, ..Self::new(technique, drive, answers) }
    }

    /// What the technique reaches on that drive: a format may be of one namespace only.
    fn scope(technique: Technique, drive: &Drive, answers: &Capabilities) -> Scope {
        match (technique.descriptor().reach, drive.protocol) {
            (Reach::Namespaces, Protocol::Nvme { namespace }) if !answers.format_reaches_all => Scope::Namespace { namespace },
            (Reach::UserArea, _) => Scope::Sectors(drive.geometry.whole()),
            (Reach::Namespaces | Reach::Unit | Reach::Addressed | Reach::Media, _) => Scope::WholeUnit,
        }
    }

    /// What lies on the media afterwards.
    fn leaves(&self) -> Expect {
        match self.technique.descriptor().leaves {
            Leaves::NewKey | Leaves::MakersPattern => Expect::Changed,
            Leaves::Zeros => Expect::Bytes { pattern: Pattern::zeros() },
            Leaves::WhatWasLaid => Expect::LastPass,
            Leaves::Blank | Leaves::Unsaid => Expect::Blank,
        }
    }

    /// What is read afterwards. What can only be compared with itself is always a sample: it is read twice.
    fn reading(&self, entropy: &mut dyn Entropy) -> PlannedReading {
        let sampled = |entropy: &mut dyn Entropy| {
            let mut seed = [0; 16];
            entropy.fill(&mut seed);
            PlannedReading::Sampled(Sampling::new(seed))
        };
        match self.how_much {
            None => PlannedReading::None,
            Some(_) if self.leaves() == Expect::Changed => sampled(entropy),
            Some(HowMuch::Sampled) => sampled(entropy),
            Some(HowMuch::Full) => PlannedReading::Full,
        }
    }

    /// What it is called: `SANITIZE block erase, then …`.
    pub fn title(&self) -> String {
        let then = self.then.as_ref().map(|o| format!(", then {}", o.title)).unwrap_or_default();
        format!("{}{then}", jurex_pattern::text::capital(self.technique.name()))
    }

    pub(super) fn stages(&self, drive: &Drive, entropy: &mut dyn Entropy) -> Vec<Stage> {
        let namespace = if let Protocol::Nvme { namespace } = drive.protocol { Some(namespace) } else { None };
        let mut stages: Vec<Stage> = self.lift.clone().map(Stage::Lift).into_iter().collect();
        stages.extend(self.size_check.is_due(drive).then(|| Measure::drawn(entropy)));
        stages.push(Stage::Own(PlannedErase { technique: self.technique, scope: self.scope, namespace, removal: self.removal }));
        let reading = self.reading(entropy);
        if reading != PlannedReading::None {
            let mut salt = [0; 16];
            entropy.fill(&mut salt);
            stages.push(Stage::Check(Check { reading, expect: self.leaves(), salt: Some(Salt::new(salt)) }));
        }
        stages.extend(self.then.iter().flat_map(|order| overwriting_of(order, entropy)));
        stages
    }
}

impl UnhideOrder {
    /// How the hidden sectors of `drive` can be lifted until its next power-on; `None`: it hides none, or none that its
    /// commands give back.
    pub fn of(drive: &Drive) -> Option<Self> {
        let hides = matches!(drive.hidden, HiddenAreas::Hidden { .. });
        (hides && drive.protocol == Protocol::Ata && !drive.bridged).then_some(Self { permanent: false, configuration: false })
    }
}
