//! The three questions of need with their answers, and the outcome that follows.

use crate::column::Column;
use crate::theme::StyleRole;
use jurex_sanitize::need::{Need, Sensitivity};
use jurex_sanitize::rules::Outcome;
use ratatui::text::{Line, Span};

/// The three questions with their answers, and the outcome that follows.
pub fn questions(need: Need, column: &mut Column<'_>) {
    let levels = [Sensitivity::Low, Sensitivity::Moderate, Sensitivity::High].map(|l| (l.to_string(), l == need.sensitivity));
    let yes_no = |yes: bool| [("yes".to_string(), yes), ("no".to_string(), !yes)];
    question_line(column, "s", "How sensitive is what it held?", &levels);
    question_line(column, "r", "Will it be used again?", &yes_no(need.reuse));
    question_line(column, "l", "Does it leave the organisation?", &yes_no(need.leaves));
    let outcome = need.outcome();
    let after = match (outcome, need.reuse) {
        (Outcome::Destroy, true) => " But a destroyed drive can't be used again: two answers contradict each other.",
        (Outcome::Destroy, false) => " No overwriting earns that: the drive must be destroyed.",
        _ => "",
    };
    let strong = column.theme.style(StyleRole::Strong);
    let text = column.theme.style(StyleRole::Text);
    column.line(Line::from(vec![
        Span::styled("    So it needs ", text),
        Span::styled(outcome.to_string(), strong),
        Span::styled(format!(".{after}"), text),
    ]));
}

fn question_line(column: &mut Column<'_>, key: &'static str, question: &str, answers: &[(String, bool)]) {
    let (room, gap) = if column.width() < 72 { (32, "  ") } else { (34, "   ") };
    let mut spans = vec![
        Span::styled(format!(" {key}  "), column.theme.style(StyleRole::Act)),
        Span::styled(format!("{question:<room$}"), column.theme.style(StyleRole::Text)),
    ];
    for (answer, given) in answers {
        let (sign, role) = if *given { ("●", StyleRole::Strong) } else { ("○", StyleRole::Faint) };
        let words = format!("{sign} {answer}{gap}");
        spans.push(Span::styled(words, column.theme.style(role)));
    }
    column.line(Line::from(spans));
}

/// The next level of sensitivity, around again at the end.
pub fn next_sensitivity(level: Sensitivity) -> Sensitivity {
    match level {
        Sensitivity::Low => Sensitivity::Moderate,
        Sensitivity::Moderate => Sensitivity::High,
        Sensitivity::High => Sensitivity::Low,
    }
}
