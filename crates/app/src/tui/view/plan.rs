//! Plan: what must be done, and what does it earn?

use super::parts::{Column, shorten};
use super::strata;
use crate::tui::state::{App, Lane, Work};
use crate::tui::theme::Role;
use jurex_core::method::LIBRARY;
use jurex_core::need::Sensitivity;
use jurex_core::plan::Verification;
use jurex_core::rules::Outcome;
use jurex_core::strata::{Kind, Layer, Span as StrataSpan, Strata};
use jurex_core::units::size;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};

/// Row of the first method, counted from the top of the desk.
const FIRST_METHOD: u16 = 9;

/// The method at that row of the screen.
pub(crate) fn method_at(lane: &Lane, desk: Rect, y: u16) -> Option<usize> {
    let method = usize::from(y.checked_sub(desk.y + FIRST_METHOD)?);
    (method < LIBRARY.len() && lane.verdict.is_ok()).then_some(method)
}

pub(crate) fn draw(app: &App, lane: &Lane, area: Rect, buffer: &mut Buffer) {
    let mut column = Column::new(area, buffer, app.theme);
    column.question("What must be done, and what does it earn?");
    if let Some(work) = &lane.work {
        return already(lane, work, &mut column);
    }
    questions(app, lane, &mut column);
    column.gap();
    methods(app, lane, &mut column);
    column.gap();
    chosen(app, lane, &mut column);
}

/// What is said of a drive whose plan is being carried out, or was.
fn already(lane: &Lane, work: &Work, column: &mut Column<'_>) {
    if let Some(plan) = &lane.plan {
        column.fact("method", &format!("{} ({})", plan.title(), plan.notation()));
        column.fact("planned", &plan.expected().outcome().to_string());
    }
    let Some(end) = &work.end else { return column.sentence("This plan is being carried out: see Erase.", Role::Strong) };
    column.fact("outcome", &end.record.claim().outcome().to_string());
    column.gap();
    column.sentence(
        "This plan was carried out. Enter begins anew with this drive; the record of the job stays in the ledger.",
        Role::Strong,
    );
    if lane.needs_person() {
        column.sentence(
            &format!("Its certificate is not written yet: see Certify, or later jurex certificate {} --out DIR.", end.record.job),
            Role::Text,
        );
    }
}

fn questions(app: &App, lane: &Lane, column: &mut Column<'_>) {
    let need = lane.draft.need;
    let levels = [Sensitivity::Low, Sensitivity::Moderate, Sensitivity::High].map(|l| (l.to_string(), l == need.sensitivity));
    let yes_no = |yes: bool| [("yes".to_string(), yes), ("no".to_string(), !yes)];
    question_line(app, column, "s", "How sensitive is what it held?", &levels);
    question_line(app, column, "r", "Will it be used again?", &yes_no(need.reuse));
    question_line(app, column, "l", "Does it leave the organisation?", &yes_no(need.leaves));
    let outcome = need.outcome();
    let after = if outcome == Outcome::Destroy { " No overwriting earns that: the drive must be destroyed." } else { "" };
    let strong = app.theme.style(Role::Strong);
    let text = app.theme.style(Role::Text);
    column.line(Line::from(vec![
        Span::styled("    So it needs ", text),
        Span::styled(outcome.to_string(), strong),
        Span::styled(format!(".{after}"), text),
    ]));
}

fn question_line(app: &App, column: &mut Column<'_>, key: &'static str, question: &str, answers: &[(String, bool)]) {
    let mut spans = vec![
        Span::styled(format!(" {key}  "), app.theme.style(Role::Act)),
        Span::styled(format!("{question:<34}"), app.theme.style(Role::Text)),
    ];
    for (answer, given) in answers {
        let (words, role) =
            if *given { (format!("● {answer}   "), Role::Strong) } else { (format!("○ {answer}   "), Role::Faint) };
        spans.push(Span::styled(words, app.theme.style(role)));
    }
    column.line(Line::from(spans));
}

fn methods(app: &App, lane: &Lane, column: &mut Column<'_>) {
    column.heading("Ways by overwriting (erasing by the drive's own commands is not built yet)");
    let needed = lane.draft.need.outcome();
    let style = |role| app.theme.style(role);
    let heading = format!("    {:<30}{:<15}{:<18}{}", "method", "can earn", "is that enough?", "passes");
    column.line(Line::styled(heading, style(Role::Faint)));
    for (i, method) in LIBRARY.iter().enumerate() {
        let here = i == lane.draft.method;
        let earned = lane.earns(i);
        let enough = match earned >= needed {
            true => "yes",
            false if earned == Outcome::NotSanitized => "no",
            false => "less than needed",
        };
        let mark = if here { " ▸  " } else { "    " };
        let role = if here { Role::Strong } else { Role::Text };
        column.line(Line::from(vec![
            Span::styled(mark, style(Role::Act)),
            Span::styled(format!("{:<30}", shorten(method.title, 29)), style(role)),
            Span::styled(format!("{:<15}{enough:<18}", earned.to_string()), style(role)),
            Span::styled(method.notation, style(Role::Faint)),
        ]));
    }
}

fn chosen(app: &App, lane: &Lane, column: &mut Column<'_>) {
    let Some(plan) = lane.preview(lane.draft.method) else { return };
    let method = &LIBRARY[lane.draft.method];
    column.heading("The plan");
    let outcome = plan.expected().outcome();
    let needed = lane.draft.need.outcome();
    let verdict = match outcome >= needed {
        true => format!("{outcome}, if nothing goes wrong."),
        false => format!("{outcome}, which is less than the {needed} that is needed."),
    };
    column.fact_in("it earns", &verdict, Role::Strong);
    for reason in plan.expected().reasons() {
        column.fact("because", &reason.sentence);
    }
    column.fact_in("method", &format!("{}: {}, {}, {}", method.title, method.issuer, method.document, method.year), Role::Strong);
    column.fact("status", method.status.sentence());
    column.fact("verification", &format!("{}   (v changes it)", plan.verification()));
    let (write, read) = plan.work();
    let geometry = plan.drive().geometry;
    column.fact("work", &format!("{} to write, {} to read back", size(geometry.bytes_of(write)), size(geometry.bytes_of(read))));
    column.fact("remark", method.remark);
    for limit in plan.expected().limits() {
        column.fact("not covered", &limit.sentence);
    }
    if plan.verification() == Verification::None {
        column.fact_in("warning", "Without reading back nothing can be claimed.", Role::Strong);
    }
    column.gap();
    let drawing = preview(lane, &plan);
    if column.left() >= strata::rows(&drawing) {
        let place = column.take(strata::rows(&drawing));
        strata::draw(&drawing, app.theme, place, column.buffer());
    }
}

/// The strata as they would lie at the end.
fn preview(lane: &Lane, plan: &jurex_core::plan::Plan) -> Strata {
    let geometry = plan.drive().geometry;
    let mut strata = Strata::before(geometry.whole(), geometry.bytes(), &lane.contents.clone().unwrap_or_default());
    let over = |kind| vec![StrataSpan { at: plan.range(), kind, text: None }];
    for (i, pass) in plan.passes().iter().enumerate() {
        strata.layers.push(Layer { title: format!("{} {}", i + 1, pass.pattern), spans: over(Kind::Laid) });
        if pass.read_back {
            strata.layers.push(Layer { title: "proof".into(), spans: over(Kind::Proved) });
        }
    }
    strata
}
