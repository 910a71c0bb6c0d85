//! How a lane's draft follows what is found out of its drive and what is required of it.

use super::Lane;
use super::stage::LaneStage;
use jurex_pattern::notation::NoEntropy;
use jurex_pattern::units::Sectors;
use jurex_sanitize::draft::{DraftForecast, RangeError, range_of};
use jurex_sanitize::need::Shortfall;
use jurex_sanitize::plan::{Order, Plan, PlanError};
use jurex_sanitize::policy::way_that_earns;
use jurex_sanitize::rules::Technique;
use std::borrow::Cow;

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

    /// Who requires it, as it is said behind that word.
    pub(crate) fn required_by(&self) -> &'static str {
        if self.listed_need.is_some() { " by its list" } else { "" }
    }

    /// What is missing where the draft gives less than is required.
    pub(crate) fn shortfall(&self) -> Option<Shortfall> {
        self.draft.need.shortfall(self.foreseen().plan.as_ref().ok()?.expected().outcome())
    }

    /// What follows from the draft as it stands: what was computed, if it is still of that, else anew.
    pub(crate) fn foreseen(&self) -> Cow<'_, DraftForecast> {
        match &self.foreseen {
            Some(known) if self.stands_on(known) => Cow::Borrowed(known),
            _ => Cow::Owned(self.foresee()),
        }
    }

    /// Computes what follows from the draft, if it is not known yet.
    pub(crate) fn look_ahead(&mut self) {
        if !self.foreseen.as_ref().is_some_and(|known| self.stands_on(known)) {
            self.foreseen = Some(Box::new(self.foresee()));
        }
    }

    fn stands_on(&self, known: &DraftForecast) -> bool {
        known.is_of(&self.seen.drive, &self.seen.answers, &self.draft, self.look.speed.sample())
    }

    fn foresee(&self) -> DraftForecast {
        DraftForecast::of(&self.seen.drive, &self.seen.answers, &self.draft, self.look.speed.sample())
    }

    /// The plan that `order` would make, without its random choices.
    pub(crate) fn preview(&self, order: &Order) -> Result<Plan, PlanError> {
        Plan::new(&self.seen.drive, order, &mut NoEntropy)
    }

    /// The range that a text means.
    ///
    /// # Errors
    /// It means none, or one that does not fit the drive.
    pub(crate) fn range_of(&self, text: &str) -> Result<Option<Sectors>, RangeError> {
        range_of(text, &self.seen.drive, &self.look.known_contents(), &self.draft.order)
    }
}
