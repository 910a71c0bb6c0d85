//! What is chosen in Plan, and what follows from it.

use super::Lane;
use super::stage::LaneStage;
use jurex_device::media::Drive;
use jurex_device::native::Capabilities;
use jurex_device::native::mmc::Removal;
use jurex_pattern::method::Method;
use jurex_pattern::notation::{NoEntropy, Program};
use jurex_pattern::units::Sectors;
use jurex_sanitize::contents::NoPartition;
use jurex_sanitize::estimate::SpeedSample;
use jurex_sanitize::evidence::Stated;
use jurex_sanitize::ladder::{Candidate, ladder};
use jurex_sanitize::need::{Need, Shortfall};
use jurex_sanitize::plan::{Course, NativeOrder, Order, Plan, PlanError, Secret, UnhideOrder};
use jurex_sanitize::policy::way_that_earns;
use jurex_sanitize::rules::{Condition, Media, Technique};
use std::borrow::Cow;

/// What is chosen in Plan, before it is fixed.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Draft {
    pub(crate) need: Need,
    /// How the drive would be overwritten.
    pub(crate) order: Order,
    /// The method that the passes come from, if they come from one.
    pub(crate) method: Option<Method>,
    /// The rung of the ladder that is looked at.
    pub(crate) way: Technique,
    /// What becomes of hidden areas.
    pub(crate) hidden: HiddenWish,
    /// Whether the person states what the way needs and no drive can tell.
    pub(crate) stated: bool,
    /// The PSID that the way needs.
    pub(crate) secret: Option<Secret>,
    /// Whether a person chose the way: then it stays, whatever is found out of the drive, or required of it, afterwards.
    pub(crate) is_chosen: bool,
    /// Whether a person has accepted that it gives less than is required.
    pub(crate) less_is_accepted: bool,
}

/// What becomes of sectors that a drive hides.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum HiddenWish {
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
    pub(crate) fn beside(self, forwards: bool) -> Self {
        let all = [HiddenWish::ForNow, HiddenWish::ForGood, HiddenWish::WithConfiguration, HiddenWish::Leave];
        let here = all.iter().position(|wish| *wish == self).unwrap_or(0);
        all[(here + if forwards { 1 } else { all.len() - 1 }) % all.len()]
    }

    /// In a sentence.
    pub(crate) fn sentence(self) -> &'static str {
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
    pub(crate) fn new(need: Need, order: Order) -> Self {
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
    fn order_on(&self, drive: &Drive) -> Order {
        let lift = self.hidden.lift(drive).filter(|_| self.order.range.is_none());
        Order { lift, ..self.order.clone() }
    }

    /// What is to be done, if the way can be taken; `by` is who states what is stated.
    pub(crate) fn course(&self, drive: &Drive, answers: &Capabilities, by: &str) -> Course {
        match Course::of_way(self.way, drive, answers, &self.order_on(drive)) {
            Course::Own(own) if self.stated => {
                Course::Own(NativeOrder { stated: Stated { conditions: self.to_state(drive, answers), by: by.into() }, ..own })
            }
            course => course,
        }
    }

    /// What the way needs and only a person can state.
    pub(crate) fn to_state(&self, drive: &Drive, answers: &Capabilities) -> Vec<Condition> {
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
    pub(crate) fn take_method(&mut self, method: &Method) {
        (self.order.title, self.order.program) = (method.title.clone(), method.program.clone());
        self.method = Some(method.clone());
    }

    /// A person chose the passes of `method`, and with them overwriting.
    pub(crate) fn choose_method(&mut self, method: &Method) {
        self.take_method(method);
        self.choose_way(Technique::Overwrite);
    }

    /// A person typed passes that come from no method.
    pub(crate) fn choose_passes(&mut self, program: Program) {
        (self.order.title, self.order.program) = ("Passes of your own".into(), program);
        self.method = None;
        self.choose_way(Technique::Overwrite);
    }

    /// A person chose the way.
    pub(crate) fn choose_way(&mut self, way: Technique) {
        self.take_way(way);
        self.is_chosen = true;
    }

    /// What was stated, typed and accepted was so of another way.
    fn take_way(&mut self, way: Technique) {
        if self.way != way {
            (self.way, self.stated, self.secret, self.less_is_accepted) = (way, false, None, false);
        }
    }
}

/// Why a text means no range of a drive.
#[derive(Debug, thiserror::Error)]
pub(crate) enum RangeError {
    #[error("`{0}` is no sector number")]
    NoNumber(String),
    #[error("`{0}` names no partition: type p1, p2 …")]
    NoPartition(String),
    #[error("from {first} to {last} there is no sector")]
    NoSector { first: u64, last: u64 },
    #[error("type the first and the last sector, or p1 for the first partition")]
    NoRange,
    #[error(transparent)]
    Contents(#[from] NoPartition),
    #[error(transparent)]
    Plan(#[from] PlanError),
}

/// What follows from a draft: computed when the draft, or what it rests on, has changed, and not at every picture.
#[derive(Clone, Debug)]
pub(crate) struct DraftForecast {
    /// What it was computed from.
    of: DraftBasis,
    /// Every way of sanitizing the drive, best first.
    pub(crate) ways: Vec<Candidate>,
    /// The plan that the draft would make, without its random choices.
    pub(crate) plan: Result<Plan, PlanError>,
}

/// What a draft's consequences rest on.
#[derive(Clone, Debug, PartialEq)]
struct DraftBasis {
    drive: Drive,
    answers: Capabilities,
    draft: Draft,
    speed: Option<SpeedSample>,
}

impl Lane {
    /// Chooses the way anew, unless a person chose it: of those that give what is required, overwriting or the quickest. Writing is no way
    /// out of a state in which the drive takes nothing.
    pub(crate) fn settle_way(&mut self) {
        if self.draft.is_chosen || !matches!(self.stage, LaneStage::Idle) {
            return;
        }
        let way = way_that_earns(&self.foreseen().ways, self.draft.need.outcome());
        let takes_nothing = self.verdict.is_ok() && self.seen.verdict().is_err();
        let out = (takes_nothing && way == Technique::Overwrite).then(|| self.own_way_out()).flatten();
        self.draft.take_way(out.unwrap_or(way));
    }

    /// The draft was changed: what was planned and accepted before is not what stands there now.
    pub(crate) fn plan_changed(&mut self) {
        self.stage.drop_plan();
        self.draft.less_is_accepted = false;
        self.settle_way();
    }

    /// What is missing where the draft gives less than is required.
    pub(crate) fn shortfall(&self) -> Option<Shortfall> {
        self.draft.need.shortfall(self.foreseen().plan.as_ref().ok()?.expected().outcome())
    }

    /// What follows from the draft as it stands: what was computed, if it is still of that, else anew.
    pub(crate) fn foreseen(&self) -> Cow<'_, DraftForecast> {
        match &self.foreseen {
            Some(known) if self.stands_on(&known.of) => Cow::Borrowed(known),
            _ => Cow::Owned(self.foresee()),
        }
    }

    /// Computes what follows from the draft, if it is not known yet.
    pub(crate) fn look_ahead(&mut self) {
        if !self.foreseen.as_ref().is_some_and(|known| self.stands_on(&known.of)) {
            self.foreseen = Some(Box::new(self.foresee()));
        }
    }

    fn stands_on(&self, of: &DraftBasis) -> bool {
        let DraftBasis { drive, answers, draft, speed } = of;
        (drive, answers, draft, speed.as_ref()) == (&self.seen.drive, &self.seen.answers, &self.draft, self.look.speed.sample())
    }

    fn foresee(&self) -> DraftForecast {
        let (drive, answers, order) = (&self.seen.drive, &self.seen.answers, self.draft.order_on(&self.seen.drive));
        let speed = self.look.speed.sample().copied();
        let course = self.draft.course(drive, answers, "");
        let mut ways = ladder(drive, answers, &order, speed.as_ref());
        let plan = Plan::of(drive, &course, &mut NoEntropy);
        // What a person states is of the chosen way alone.
        let chosen = ways.iter_mut().find(|w| w.technique == self.draft.way).filter(|_| self.draft.stated);
        if let (Some(way), Ok(plan)) = (chosen, &plan) {
            (way.claim, way.perhaps) = (plan.expected().clone(), None);
        }
        DraftForecast {
            ways,
            plan,
            of: DraftBasis { drive: drive.clone(), answers: answers.clone(), draft: self.draft.clone(), speed },
        }
    }

    /// The plan that `order` would make, without its random choices.
    pub(crate) fn preview(&self, order: &Order) -> Result<Plan, PlanError> {
        Plan::new(&self.seen.drive, order, &mut NoEntropy)
    }

    /// The range that a text means: nothing (the whole drive), `2048 4095` (first and last sector), or `p2` (a partition).
    ///
    /// # Errors
    /// It means none, or one that does not fit the drive.
    pub(crate) fn range_of(&self, text: &str) -> Result<Option<Sectors>, RangeError> {
        let words: Vec<&str> = text.split(|c: char| c.is_whitespace() || c == '-').filter(|w| !w.is_empty()).collect();
        let number = |word: &str| word.parse::<u64>().map_err(|_| RangeError::NoNumber(word.into()));
        let range = match words.as_slice() {
            [] => return Ok(None),
            [p] if p.starts_with(['p', 'P']) => {
                let which = p[1..].parse().map_err(|_| RangeError::NoPartition((*p).into()))?;
                self.look.known_contents().partition(which)?.at
            }
            [first, last] => {
                let (first, last) = (number(first)?, number(last)?);
                Sectors::from_to(first, last).ok_or(RangeError::NoSector { first, last })?
            }
            _ => return Err(RangeError::NoRange),
        };
        let order = Order { range: Some(range), ..self.draft.order.clone() };
        self.preview(&order)?;
        Ok((range != self.seen.drive.geometry.whole()).then_some(range))
    }
}
