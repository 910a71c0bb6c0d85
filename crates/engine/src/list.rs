//! What is left to be worked through: whole stretches first, then those that failed, by themselves, narrowed down to the
//! physical sectors that are bad.

use jurex_pattern::units::Sectors;

/// A stretch that is given out, or is to be given out again.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Attempt {
    /// Its sectors.
    pub at: Sectors,
    tries: u32,
    /// Nothing else is in flight beside it.
    alone: bool,
}

/// What to work on next.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NextAttempt {
    /// This.
    Attempt(Attempt),
    /// Something in flight must be reported first.
    AfterThose,
    /// Nothing is left to do.
    Nothing,
}

/// A work list.
#[derive(Debug, Default)]
pub struct WorkList {
    /// Stretches that are still to be worked through, the next one last.
    left: Vec<Sectors>,
    /// Stretches that failed and are narrowed down, the next one last.
    again: Vec<Attempt>,
    /// Sectors of a request at most.
    chunk: u64,
    /// Requests end where chunks end, so that a device's stripes are met whole.
    aligned: bool,
    /// An attempt that goes alone is in flight.
    one_is_alone: bool,
}

impl WorkList {
    /// One whose requests end where chunks end.
    pub fn aligned() -> Self {
        Self { aligned: true, ..Self::default() }
    }

    /// Works in requests of so many sectors from now on.
    pub fn set_chunk(&mut self, sectors: u64) {
        self.chunk = sectors.max(1);
    }

    /// Sectors of a request at most.
    pub fn chunk(&self) -> u64 {
        self.chunk
    }

    /// These, in their order, and nothing else.
    pub fn set<I: IntoIterator<Item = Sectors>>(&mut self, stretches: I) {
        self.left = stretches.into_iter().collect();
        self.left.reverse();
    }

    /// Nothing more is given out but what failed.
    pub fn clear(&mut self) {
        self.left.clear();
    }

    /// Everything that is left is taken out, in its order.
    pub fn take(&mut self) -> Vec<Sectors> {
        let mut taken = std::mem::take(&mut self.left);
        taken.reverse();
        taken
    }

    /// Whether nothing but what failed is left.
    pub fn is_empty(&self) -> bool {
        self.left.is_empty()
    }

    /// Stretches that are left.
    pub fn len(&self) -> usize {
        self.left.len()
    }

    /// What failed before comes first, and by itself. Nothing is ever larger than the chunk, though it may have failed
    /// when chunks were larger. `idle`: nothing at all is in flight.
    pub fn next(&mut self, idle: bool) -> NextAttempt {
        if self.one_is_alone || (!self.again.is_empty() && !idle) {
            return NextAttempt::AfterThose;
        }
        if let Some(attempt) = self.again.pop() {
            let (at, rest) = self.split(attempt.at);
            self.again.extend(rest.map(|at| Attempt { at, ..attempt }));
            return self.give_out(Attempt { at, ..attempt });
        }
        let Some(next) = self.left.pop() else {
            return if idle { NextAttempt::Nothing } else { NextAttempt::AfterThose };
        };
        let (at, rest) = self.split(next);
        self.left.extend(rest);
        self.give_out(Attempt { at, tries: 0, alone: false })
    }

    fn give_out(&mut self, attempt: Attempt) -> NextAttempt {
        self.one_is_alone = attempt.alone;
        NextAttempt::Attempt(attempt)
    }

    /// An attempt came back, however it ended.
    pub fn came_back(&mut self) {
        self.one_is_alone = false;
    }

    /// It proved nothing: it is given out once more.
    pub fn again(&mut self, attempt: Attempt) {
        self.again.push(attempt);
    }

    /// A stretch failed: it is halved, down to one physical sector of `unit`; that goes out by itself, and `retries` times
    /// more. Gives whether it has failed for good.
    ///
    /// What failed goes out alone from then on: the kernel merges requests that touch, and a merged request fails as a
    /// whole, so that good sectors beside a bad one would stay unwritten.
    #[must_use]
    pub fn narrow(&mut self, attempt: Attempt, unit: u64, retries: u32) -> bool {
        if attempt.at.count > unit {
            let (left, right) = attempt.at.halves(unit);
            self.again.extend([right, left].map(|at| Attempt { at, tries: 0, alone: true }));
        } else if !attempt.alone {
            self.again.push(Attempt { alone: true, ..attempt });
        } else if attempt.tries < retries {
            self.again.push(Attempt { tries: attempt.tries + 1, ..attempt });
        } else {
            return true;
        }
        false
    }

    /// A stretch cut after a chunk, with the rest, if there is any.
    fn split(&self, at: Sectors) -> (Sectors, Option<Sectors>) {
        let most = if self.aligned { self.chunk - at.first.0 % self.chunk } else { self.chunk };
        let first = Sectors::new(at.first.0, at.count.min(most));
        let rest = Sectors::new(first.end(), at.count - first.count);
        (first, (rest.count > 0).then_some(rest))
    }
}
