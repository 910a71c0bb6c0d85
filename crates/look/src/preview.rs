//! What a plan would leave on a drive, before anything is done.

use jurex_sanitize::contents::Contents;
use jurex_sanitize::plan::{Plan, PlannedReading};
use jurex_sanitize::strata::{Span, SpanKind, Strata, StrataLayer};

/// Layers that are drawn one by one; more are folded.
const MAX_LAYERS: usize = 6;

/// The strata as they would lie at the end of a plan.
pub fn of_plan(plan: &Plan, before: &Contents) -> Strata {
    let mut strata = Strata::of_drive(plan.drive(), before);
    strata.layers.extend(own_layers(plan));
    strata.layers.extend(layers(plan));
    strata
}

/// The drive's own erasure, and what is read after it.
fn own_layers(plan: &Plan) -> Vec<StrataLayer> {
    if plan.own_erase().is_none() {
        return vec![];
    }
    let whole = plan.lifted().whole();
    let mut layers =
        vec![StrataLayer { title: "itself".into(), spans: vec![Span { at: whole, kind: SpanKind::Own, text: None }] }];
    layers.extend(plan.own_check().map(|check| {
        let places = check.reading.places(whole);
        let spans = places.iter().map(|at| Span { at: *at, kind: SpanKind::Proved, text: None }).collect();
        StrataLayer { title: "proof".into(), spans }
    }));
    layers
}

/// A layer for each pass and each reading; all but the last few are folded into one.
fn layers(plan: &Plan) -> Vec<StrataLayer> {
    let range = plan.range_on(plan.lifted());
    let over = |kind| vec![Span { at: range, kind, text: None }];
    let folded = plan.passes().len().checked_sub(MAX_LAYERS).map_or(0, |n| if n > 0 { n + 1 } else { 0 });
    let mut layers = vec![];
    if folded > 0 {
        layers.push(StrataLayer { title: format!("passes 1-{folded}"), spans: over(SpanKind::Laid) });
    }
    for (i, pass) in plan.passes().iter().enumerate().skip(folded) {
        layers.push(StrataLayer { title: format!("{} {}", i + 1, pass.pattern), spans: over(SpanKind::Laid) });
        let reading = plan.reading_of(i);
        if *reading != PlannedReading::None {
            let places = reading.places(range);
            let spans = places.iter().map(|at| Span { at: *at, kind: SpanKind::Proved, text: None }).collect();
            layers.push(StrataLayer { title: "proof".into(), spans });
        }
    }
    layers
}
