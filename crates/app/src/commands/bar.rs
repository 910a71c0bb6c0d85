//! The progress bar on a terminal.

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use std::io::IsTerminal;

/// A bar of that template, of a length that may be told later. It is hidden where `wanted` is not, and where no terminal is.
pub(super) fn bar(template: &str, wanted: bool) -> ProgressBar {
    let bar = ProgressBar::new(1);
    let shown = wanted && std::io::stderr().is_terminal();
    bar.set_draw_target(if shown { ProgressDrawTarget::stderr() } else { ProgressDrawTarget::hidden() });
    if let Ok(style) = ProgressStyle::with_template(template) {
        bar.set_style(style.progress_chars("█▉▊▋▌▍▎▏ "));
    }
    bar
}
