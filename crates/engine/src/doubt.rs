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
