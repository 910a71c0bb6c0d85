//! How long a picture takes with 24 lanes all at work, at several sizes. Prints medians; asserts nothing, since machines are
//! shared.

fn main() {
    for size in [(80, 24), (100, 30), (160, 47), (200, 60)] {
        let mut times = jurex_tui::measure::frames(24, size, 300);
        times.sort();
        let (median, worst) = (times[times.len() / 2], times[times.len() - 1]);
        println!("24 lanes at work, {}x{}: median {median:?}, longest {worst:?}", size.0, size.1);
    }
}
