//! The three questions of need with their answers.

use jurex_pattern::choice::beside;
use jurex_sanitize::need::{Need, Sensitivity};

/// A question.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NeedQuestion {
    /// How sensitive is what it held?
    Sensitivity,
    /// Will it be used again?
    Reuse,
    /// Does it leave the organisation?
    Leaves,
}

impl NeedQuestion {
    /// In their order.
    pub const ALL: [Self; 3] = [Self::Sensitivity, Self::Reuse, Self::Leaves];

    /// What it is called in a list of rows.
    pub const fn label(self) -> &'static str {
        match self {
            Self::Sensitivity => "how sensitive",
            Self::Reuse => "used again",
            Self::Leaves => "leaves the organisation",
        }
    }

    /// The answer.
    pub fn answer(self, need: Need) -> String {
        let yes_no = |is: bool| if is { "yes" } else { "no" }.to_string();
        match self {
            Self::Sensitivity => need.sensitivity.to_string(),
            Self::Reuse => yes_no(need.reuse),
            Self::Leaves => yes_no(need.leaves),
        }
    }

    /// The next answer or the one before, round and round.
    pub fn turn(self, need: &mut Need, forwards: bool) {
        use Sensitivity::{High, Low, Moderate};
        match self {
            Self::Sensitivity => {
                need.sensitivity = beside(&[Low, Moderate, High], need.sensitivity, forwards);
            }
            Self::Reuse => need.reuse = !need.reuse,
            Self::Leaves => need.leaves = !need.leaves,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_answer_is_turned_round_and_back() {
        let mut need = Need { sensitivity: Sensitivity::Low, reuse: true, leaves: false };
        let turned = |question: NeedQuestion, forwards, need: &mut Need| {
            question.turn(need, forwards);
            question.answer(*need)
        };
        let ahead: Vec<String> = (0..3).map(|_| turned(NeedQuestion::Sensitivity, true, &mut need)).collect();
        let back: Vec<String> = (0..3).map(|_| turned(NeedQuestion::Sensitivity, false, &mut need)).collect();
        assert_eq!(
            (ahead, back),
            (vec!["moderate".into(), "high".into(), "low".into()], vec!["high".into(), "moderate".into(), "low".into()])
        );
        assert_eq!(
            (turned(NeedQuestion::Reuse, true, &mut need), turned(NeedQuestion::Leaves, false, &mut need)),
            ("no".into(), "yes".into())
        );
    }
}
