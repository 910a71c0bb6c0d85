//! Places that fail: has the drive bad sectors, or does it answer nothing any more? It is asked at other places before so many
//! failures are called bad sectors.

use jurex_device::media::Geometry;
use jurex_device::medium::MediumError;
use jurex_pattern::units::{Lba, Sectors, counted};
use jurex_sanitize::evidence::Ended;

/// So many bad places in a row, with nothing that went well between them, make one doubt that the drive answers at all.
const DOUBTED_AFTER: usize = 16;
/// Places that are then tried.
const PROBES: u64 = 5;

/// Places that failed and are not yet called faults, each with what is known of it: only a drive that answers otherwise has
/// bad sectors.
#[derive(Debug)]
pub struct Doubt<S> {
    suspects: Vec<(Sectors, S)>,
    /// Bad places in a row after which it is doubted next.
    limit: usize,
    /// Places still to be tried, while it is doubted.
    probes: Vec<Sectors>,
    probing: bool,
}

/// What a probe showed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Probed {
    /// The drive answers: what failed is truly bad.
    Answers,
    /// Other places are still to be tried.
    NotYet,
    /// So many places failed in a row, and so did all others that were tried.
    Dead(usize),
}

/// How work ends on a drive on which `places` failed in a row and so did all others that were tried, the last with `error`.
pub fn answers_nowhere(places: usize, error: &MediumError) -> Ended {
    let places = counted(places as u64, "place");
    Ended::StoppedAnswering {
        error: format!("{places} in a row failed, and so did reading at other places: {}", error.cause.os()),
    }
}

impl<S> Default for Doubt<S> {
    fn default() -> Self {
        Self { suspects: vec![], limit: DOUBTED_AFTER, probes: vec![], probing: false }
    }
}

impl<S> Doubt<S> {
    /// One more place failed, with nothing that went well since the one before. Gives whether the drive itself is in doubt now.
    #[must_use]
    pub fn suspect(&mut self, at: Sectors, what: S) -> bool {
        self.suspects.push((at, what));
        self.suspects.len() >= self.limit
    }

    /// Whether any place is suspected.
    pub fn has_suspects(&self) -> bool {
        !self.suspects.is_empty()
    }

    /// Whether it is being found out whether the drive answers.
    pub fn is_probing(&self) -> bool {
        self.probing
    }

    /// The next place to try.
    pub fn next_probe(&mut self) -> Option<Sectors> {
        self.probes.pop()
    }

    /// From now on other places are tried. Gives whether there are any: on a drive that has failed everywhere there is none.
    #[must_use]
    pub fn begin_probing(&mut self, geometry: Geometry) -> bool {
        let whole = geometry.whole();
        let place = |n: u64| (u128::from(whole.count - 1) * u128::from(n) / u128::from(PROBES - 1)) as u64;
        let suspected = |lba: u64| self.suspects.iter().any(|(at, _)| at.contains(Lba(lba)));
        let unit = geometry.unit();
        // A place that failed itself says nothing: its neighbour is asked instead.
        let beside =
            |lba: u64| (0..whole.count.div_ceil(unit)).map(|n| (lba / unit + n) * unit % whole.count).find(|l| !suspected(*l));
        self.probes = (0..PROBES)
            .filter_map(|n| beside(place(n)))
            .map(|first| Sectors::new(first, unit.min(whole.count - first)))
            .collect();
        self.probes.dedup();
        self.probing = !self.probes.is_empty();
        self.probing
    }

    /// A probe was answered, or failed.
    pub fn probed(&mut self, answered: bool) -> Probed {
        if answered {
            self.limit = self.limit.saturating_mul(2);
            Probed::Answers
        } else if self.probes.is_empty() {
            Probed::Dead(self.suspects.len())
        } else {
            Probed::NotYet
        }
    }

    /// Something went well: what failed before it is truly bad, and is given.
    pub fn confirm(&mut self) -> Vec<(Sectors, S)> {
        (self.probing, self.probes) = (false, vec![]);
        std::mem::take(&mut self.suspects)
    }

    /// What was suspected is neither done nor faulty: it is tried again when the work goes on.
    pub fn drop_suspects(&mut self) {
        *self = Self { limit: self.limit, ..Self::default() };
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_device::media::MediaClass;
    use jurex_device::testing::test_drive;

    /// Of a drive whose physical sectors hold eight.
    fn geometry(sectors: u64) -> Geometry {
        Geometry { physical: 4096, ..test_drive(MediaClass::Magnetic, sectors).geometry }
    }

    fn at(first: u64) -> Sectors {
        Sectors::new(first, 8)
    }

    /// In doubt after `places` places from the first sector on, in steps of `step`.
    fn doubted(places: usize, step: u64) -> Doubt<u8> {
        let mut doubt = Doubt::default();
        for n in 0..places {
            assert_eq!(doubt.suspect(at(n as u64 * step), n as u8), n + 1 >= DOUBTED_AFTER, "after {} places", n + 1);
        }
        doubt
    }

    fn probes(doubt: &mut Doubt<u8>) -> Vec<u64> {
        let mut probes: Vec<u64> = std::iter::from_fn(|| doubt.next_probe()).map(|p| p.first.0).collect();
        probes.reverse();
        probes
    }

    #[test]
    fn a_drive_is_doubted_after_sixteen_places_and_tried_at_five_from_end_to_end() {
        let mut doubt = doubted(16, 16);
        assert!(doubt.has_suspects() && !doubt.is_probing());
        assert!(doubt.begin_probing(geometry(8000)) && doubt.is_probing());
        // The first sector has failed itself: the next unit is asked. The others are quarters of the drive, on whole units.
        assert_eq!(probes(&mut doubt), [8, 1992, 3992, 5992, 7992]);
        assert_eq!((doubt.probed(false), doubt.has_suspects()), (Probed::Dead(16), true), "none is left to be tried");
    }

    #[test]
    fn what_answers_is_believed_and_doubted_twice_as_late_afterwards() {
        let mut doubt = doubted(16, 8);
        assert!(doubt.begin_probing(geometry(8000)));
        assert!(doubt.next_probe().is_some());
        assert_eq!(doubt.probed(false), Probed::NotYet, "others are still to be tried");
        assert_eq!(doubt.probed(true), Probed::Answers);
        let bad = doubt.confirm();
        assert_eq!((bad.len(), bad[15]), (16, (at(120), 15)));
        assert!(!doubt.has_suspects() && !doubt.is_probing() && doubt.next_probe().is_none());
        let again: Vec<bool> = (0..32).map(|n| doubt.suspect(at(n * 8), 0)).collect();
        assert_eq!(again.iter().position(|d| *d), Some(31));
        doubt.drop_suspects();
        assert!(!doubt.has_suspects(), "they are tried again when the work goes on");
        assert!(!doubt.suspect(at(0), 0), "and the limit stays as it is");
    }

    #[test]
    fn a_drive_that_has_failed_everywhere_has_no_other_place() {
        let mut doubt = doubted(16, 8);
        assert!(!doubt.begin_probing(geometry(128)) && !doubt.is_probing(), "all of its 16 units have failed");
        let mut doubt = doubted(16, 8);
        assert!(doubt.begin_probing(geometry(131)));
        let mut last = std::iter::from_fn(|| doubt.next_probe());
        assert_eq!(last.next(), Some(Sectors::new(128, 3)), "a part of a unit at the end");
        assert_eq!(last.next(), None, "the same place is tried once");
    }
}
