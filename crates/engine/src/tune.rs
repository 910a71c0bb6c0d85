//! Finds the size and number of requests with which a drive is fastest, by trying them on the work itself.

use super::backend::{RequestSetting, Trials};
use std::time::Duration;

/// Another setting must be faster by this factor to be chosen over a plainer one.
const BETTER: f64 = 1.03;

/// Tries settings one after the other and keeps the fastest.
#[derive(Debug)]
pub struct Tuner {
    settings: Vec<RequestSetting>,
    trials: Trials,
    speeds: Vec<f64>,
    /// When the present trial began, and what it has moved.
    trial: Option<(Duration, u64)>,
}

impl Tuner {
    /// Nothing to try if there is only one setting, or less work than is worth it.
    pub fn new(settings: &[RequestSetting], trials: Trials, work_bytes: u64) -> Self {
        let worth_it = settings.len() > 1 && work_bytes >= trials.enough * settings.len() as u64 * 4;
        let tried = if worth_it { settings.len() } else { 1 };
        Self { settings: settings[..tried].to_vec(), trials, speeds: vec![], trial: None }
    }

    /// Whether a choice is still to be made.
    pub fn is_trying(&self) -> bool {
        self.settings.len() > 1 && self.speeds.len() < self.settings.len()
    }

    /// The setting to work with now.
    pub fn setting(&self) -> RequestSetting {
        match self.settings.get(self.speeds.len()) {
            Some(trying) => *trying,
            None => self.best(),
        }
    }

    fn best(&self) -> RequestSetting {
        let mut best = 0;
        for (i, speed) in self.speeds.iter().enumerate() {
            if *speed > self.speeds[best] * BETTER {
                best = i;
            }
        }
        self.settings[best]
    }

    /// Notes that so many bytes were worked through by `now`. Gives the next setting when this trial is over.
    pub fn note(&mut self, bytes: u64, now: Duration) -> Option<RequestSetting> {
        if !self.is_trying() {
            return None;
        }
        // The first request of a trial only starts the clock.
        let Some((began, moved)) = self.trial else {
            self.trial = Some((now, 0));
            return None;
        };
        let (moved, took) = (moved + bytes, now.saturating_sub(began));
        self.trial = Some((began, moved));
        if took < self.trials.shortest || (moved < self.trials.enough && took < self.trials.longest) {
            return None;
        }
        self.speeds.push(moved as f64 / took.as_secs_f64());
        self.trial = None;
        Some(self.setting())
    }

    /// The present trial was disturbed (held, flushed, a fault): it begins anew.
    pub fn disturbed(&mut self) {
        self.trial = None;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const SETTINGS: [RequestSetting; 3] = [
        RequestSetting { chunk: 1 << 20, depth: 8 },
        RequestSetting { chunk: 4 << 20, depth: 4 },
        RequestSetting { chunk: 1 << 19, depth: 16 },
    ];

    /// The choice on a drive with these speeds in bytes per millisecond.
    fn choice(speeds: [u64; 3]) -> RequestSetting {
        let mut tuner = Tuner::new(&SETTINGS, Trials::USUAL, 1 << 40);
        let mut now = 0;
        while tuner.is_trying() {
            let setting = tuner.setting();
            let speed = speeds[SETTINGS.iter().position(|s| *s == setting).unwrap()];
            now += setting.chunk as u64 / speed;
            tuner.note(setting.chunk as u64, Duration::from_millis(now));
        }
        tuner.setting()
    }

    #[test]
    fn the_fastest_is_kept_and_the_plainest_where_they_are_alike() {
        assert_eq!(choice([100_000, 150_000, 120_000]), SETTINGS[1]);
        assert_eq!(choice([100_000, 101_000, 100_500]), SETTINGS[0]);
        assert_eq!(choice([9_000, 9_000, 12_000]), SETTINGS[2]);
    }

    #[test]
    fn little_work_is_not_spent_on_trials() {
        assert!(
            !Tuner::new(&SETTINGS, Trials::USUAL, 64 << 20).is_trying()
                && !Tuner::new(&SETTINGS[..1], Trials::USUAL, 1 << 40).is_trying()
        );
    }
}
