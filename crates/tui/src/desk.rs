//! The steps of the work on a drive.

/// The steps, in their order.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Step {
    Look,
    Plan,
    Arm,
    Erase,
    Prove,
    Certify,
    Release,
}

impl Step {
    pub(crate) const ALL: [Step; 7] = [Step::Look, Step::Plan, Step::Arm, Step::Erase, Step::Prove, Step::Certify, Step::Release];

    pub(crate) fn name(self) -> &'static str {
        match self {
            Step::Look => "Look",
            Step::Plan => "Plan",
            Step::Arm => "Arm",
            Step::Erase => "Erase",
            Step::Prove => "Prove",
            Step::Certify => "Certify",
            Step::Release => "Release",
        }
    }

    /// The step `by` places further, if there is one.
    pub(crate) fn beside(self, by: isize) -> Option<Step> {
        Self::ALL.get((self as usize).checked_add_signed(by)?).copied()
    }
}
