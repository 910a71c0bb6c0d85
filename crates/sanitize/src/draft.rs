//! What is chosen for a drive before it is fixed as a plan, and what follows from it.

use crate::contents::{Contents, NoPartition};
use crate::estimate::SpeedSample;
use crate::evidence::Stated;
use crate::ladder::{Candidate, ladder};
use crate::need::Need;
use crate::plan::{Course, NativeOrder, Order, Plan, PlanError, Secret, UnhideOrder};
use crate::rules::{Condition, Media, Technique};
use jurex_device::media::Drive;
use jurex_device::native::Capabilities;
use jurex_device::native::mmc::Removal;
use jurex_pattern::choice::beside;
use jurex_pattern::method::Method;
use jurex_pattern::notation::{NoEntropy, Program};
use jurex_pattern::units::Sectors;

/// What is chosen for one drive, before it is fixed.
#[derive(Clone, Debug, PartialEq)]
pub struct Draft {
    /// What is required of the outcome, and why.
    pub need: Need,
    /// How the drive would be overwritten.
    pub order: Order,
    /// The method that the passes come from, if they come from one.
    pub method: Option<Method>,
    /// The rung of the ladder that is looked at.
    pub way: Technique,
    /// What becomes of hidden areas.
    pub hidden: HiddenWish,
    /// Whether the person states what the way needs and no drive can tell.
    pub stated: bool,
    /// The PSID that the way needs.
    pub secret: Option<Secret>,
    /// Whether a person chose the way: then it stays, whatever is found out of the drive, or required of it, afterwards.
    pub is_chosen: bool,
    /// Whether a person has accepted that it gives less than is required.
    pub less_is_accepted: bool,
}

/// What becomes of sectors that a drive hides.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum HiddenWish {
    /// They are given back until the drive's next power-on.
    #[default]
    ForNow,
    /// They are given back for good.
    ForGood,
    /// The same, and a configuration overlay is taken off, with every other setting that it has changed.
    WithConfiguration,
    /// They stay hidden.
    Leave,
}

impl HiddenWish {
    /// The next choice or the one before, round and round.
    pub fn beside(self, forwards: bool) -> Self {
        let all = [HiddenWish::ForNow, HiddenWish::ForGood, HiddenWish::WithConfiguration, HiddenWish::Leave];
        beside(&all, self, forwards)
    }

    /// In a sentence.
    pub fn sentence(self) -> &'static str {
        match self {
            HiddenWish::ForNow => "made accessible, erased, hidden again at power-off",
            HiddenWish::ForGood => "made accessible for good, and erased",
            HiddenWish::WithConfiguration => {
                "made accessible for good with the configuration overlay removed, which restores every setting of the maker"
            }
            HiddenWish::Leave => "left hidden: then this is never the whole drive",
        }
    }

    fn lift(self, drive: &Drive) -> Option<UnhideOrder> {
        UnhideOrder::of(drive).filter(|_| self != HiddenWish::Leave)?;
        let configuration = self == HiddenWish::WithConfiguration;
        Some(UnhideOrder { permanent: configuration || self == HiddenWish::ForGood, configuration })
    }
}

impl Draft {
    /// A draft of the way that suits the drive.
    pub fn new(need: Need, order: Order) -> Self {
        Self {
            need,
            order,
            method: None,
            way: Technique::Overwrite,
            hidden: HiddenWish::default(),
            stated: false,
            secret: None,
            is_chosen: false,
            less_is_accepted: false,
        }
    }

    /// The order with what becomes of hidden areas. A part of a drive is a part of it, whatever it hides.
    #[must_use]
    pub fn order_on(&self, drive: &Drive) -> Order {
        let lift = self.hidden.lift(drive).filter(|_| self.order.range.is_none());
        Order { lift, ..self.order.clone() }
    }

    /// What is to be done, if the way can be taken; `by` is who states what is stated.
    pub fn course(&self, drive: &Drive, answers: &Capabilities, by: &str) -> Course {
        match Course::of_way(self.way, drive, answers, &self.order_on(drive)) {
            Course::Own(own) if self.stated => {
                Course::Own(NativeOrder { stated: Stated { conditions: self.to_state(drive, answers), by: by.into() }, ..own })
            }
            course => course,
        }
    }

    /// What the way needs and only a person can state.
    pub fn to_state(&self, drive: &Drive, answers: &Capabilities) -> Vec<Condition> {
        let rule = self.order.edition.rules().rule(Media::of(drive), self.way);
        let mut needs = rule.map(|r| r.needs.clone()).unwrap_or_default();
        needs.retain(|c| Condition::STATED.contains(c));
        let by_its_makers_way = self.way.is_own() && answers.removal == Some(Removal::OfItsMaker);
        if by_its_makers_way && !needs.contains(&Condition::MakerConfirms) {
            needs.push(Condition::MakerConfirms);
        }
        needs
    }

    /// Takes the passes of `method`; rounds, verification and range stay.
    pub fn take_method(&mut self, method: &Method) {
        (self.order.title, self.order.program) = (method.title.clone(), method.program.clone());
        self.method = Some(method.clone());
    }

    /// A person chose the passes of `method`, and with them overwriting.
    pub fn choose_method(&mut self, method: &Method) {
        self.take_method(method);
        self.choose_way(Technique::Overwrite);
    }

    /// A person typed passes that come from no method.
    pub fn choose_passes(&mut self, program: Program) {
        (self.order.title, self.order.program) = ("Passes of your own".into(), program);
        self.method = None;
        self.choose_way(Technique::Overwrite);
    }

    /// A person chose the way.
    pub fn choose_way(&mut self, way: Technique) {
        self.take_way(way);
        self.is_chosen = true;
    }

    /// What was stated, typed and accepted was so of another way.
    pub fn take_way(&mut self, way: Technique) {
        if self.way != way {
            (self.way, self.stated, self.secret, self.less_is_accepted) = (way, false, None, false);
        }
    }
}

/// Why a text means no range of a drive.
#[derive(Debug, thiserror::Error)]
pub enum RangeError {
    /// A word where a sector number was expected.
    #[error("`{0}` is no sector number")]
    NoNumber(String),
    /// A word that begins as a partition's and goes on otherwise.
    #[error("`{0}` names no partition: type p1, p2 …")]
    NoPartition(String),
    /// The last sector lies before the first.
    #[error("from {first} to {last} there is no sector")]
    NoSector {
        /// The first sector.
        first: u64,
        /// The last sector.
        last: u64,
    },
    /// Too many words, or too few.
    #[error("type the first and the last sector, or p1 for the first partition")]
    NoRange,
    /// The drive has no such partition.
    #[error(transparent)]
    Contents(#[from] NoPartition),
    /// The drive has no such sectors.
    #[error(transparent)]
    Plan(#[from] PlanError),
}

/// The range that a text means: nothing (the whole drive), `2048 4095` (first and last sector), or `p2` (a partition).
///
/// # Errors
/// It means none, or the drive has no such sectors or partition.
pub fn range_of(text: &str, drive: &Drive, contents: &Contents, order: &Order) -> Result<Option<Sectors>, RangeError> {
    let words: Vec<&str> = text.split(|c: char| c.is_whitespace() || c == '-').filter(|w| !w.is_empty()).collect();
    let number = |word: &str| word.parse::<u64>().map_err(|_| RangeError::NoNumber(word.into()));
    let range = match words.as_slice() {
        [] => return Ok(None),
        [p] if p.starts_with(['p', 'P']) => {
            let which = p[1..].parse().map_err(|_| RangeError::NoPartition((*p).into()))?;
            contents.partition(which)?.at
        }
        [first, last] => {
            let (first, last) = (number(first)?, number(last)?);
            Sectors::from_to(first, last).ok_or(RangeError::NoSector { first, last })?
        }
        _ => return Err(RangeError::NoRange),
    };
    Plan::new(drive, &Order { range: Some(range), ..order.clone() }, &mut NoEntropy)?;
    Ok((range != drive.geometry.whole()).then_some(range))
}

/// What follows from a draft: computed when the draft, or what it rests on, has changed, and not at every picture.
#[derive(Clone, Debug)]
pub struct DraftForecast {
    /// What it was computed from.
    of: DraftBasis,
    /// Every way of sanitizing the drive, best first.
    pub ways: Vec<Candidate>,
    /// The plan that the draft would make, without its random choices.
    pub plan: Result<Plan, PlanError>,
}

/// What a draft's consequences rest on.
#[derive(Clone, Debug, PartialEq)]
struct DraftBasis {
    drive: Drive,
    answers: Capabilities,
    draft: Draft,
    speed: Option<SpeedSample>,
}

impl DraftForecast {
    /// Computes it. A drive's speed gives how long each way takes.
    #[must_use]
    pub fn of(drive: &Drive, answers: &Capabilities, draft: &Draft, speed: Option<&SpeedSample>) -> Self {
        let course = draft.course(drive, answers, "");
        let mut ways = ladder(drive, answers, &draft.order_on(drive), speed);
        let plan = Plan::of(drive, &course, &mut NoEntropy);
        // What a person states is of the chosen way alone.
        let chosen = ways.iter_mut().find(|w| w.technique == draft.way).filter(|_| draft.stated);
        if let (Some(way), Ok(plan)) = (chosen, &plan) {
            (way.claim, way.perhaps) = (plan.expected().clone(), None);
        }
        let of = DraftBasis { drive: drive.clone(), answers: answers.clone(), draft: draft.clone(), speed: speed.copied() };
        Self { of, ways, plan }
    }

    /// The chosen way among all.
    #[must_use]
    pub fn chosen(&self) -> Option<&Candidate> {
        self.ways.iter().find(|way| way.technique == self.of.draft.way)
    }

    /// Whether it was computed from just these.
    #[must_use]
    pub fn is_of(&self, drive: &Drive, answers: &Capabilities, draft: &Draft, speed: Option<&SpeedSample>) -> bool {
        let of = &self.of;
        (&of.drive, &of.answers, &of.draft, of.speed.as_ref()) == (drive, answers, draft, speed)
    }
}
