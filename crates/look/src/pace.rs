//! Speed over position: the pass in work strong, earlier passes thin behind it.

use crate::column::words;
use crate::theme::{StyleRole, Theme};
use jurex_pattern::units::{rate, si_size};
use jurex_sanitize::evidence::Evidence;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::symbols::Marker;
use ratatui::widgets::{Axis, Chart, Dataset, GraphType, Widget};

/// Draws the chart; before anything was measured, a sentence.
pub fn draw(evidence: &Evidence, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let geometry = evidence.drive().geometry;
    let passes: Vec<Vec<(f64, f64)>> = evidence
        .passes()
        .iter()
        .map(|p| {
            let speeds = p.pace.speeds(geometry.logical);
            let bins = speeds.len() as f64;
            speeds.into_iter().enumerate().filter_map(|(i, s)| Some(((i as f64 + 0.5) / bins, s?))).collect()
        })
        .collect();
    let fastest = passes.iter().flatten().map(|(_, s)| *s).fold(0.0, f64::max);
    if fastest <= 0.0 || area.height < 4 {
        words("Nothing has been measured yet.", theme.style(StyleRole::Faint)).render(area, buffer);
        return;
    }
    let last = passes.len() - 1;
    let datasets = passes.iter().enumerate().map(|(i, points)| {
        let role = if i == last { StyleRole::Laid } else { StyleRole::Faint };
        Dataset::default().marker(Marker::Braille).graph_type(GraphType::Line).style(theme.style(role)).data(points)
    });
    let top = fastest * 1.15;
    let faint = theme.style(StyleRole::Faint);
    let (from, to) = (geometry.bytes_of(evidence.range().first.0), geometry.bytes_of(evidence.range().end()));
    let start = if from == 0 { "0".to_string() } else { si_size(from) };
    let x = Axis::default().bounds([0.0, 1.0]).labels([start, si_size(to)]).style(faint);
    let y = Axis::default().bounds([0.0, top]).labels(["0".to_string(), rate(top)]).style(faint);
    Chart::new(datasets.collect()).style(theme.ground()).x_axis(x).y_axis(y).legend_position(None).render(area, buffer);
}
