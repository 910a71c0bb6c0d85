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

#[cfg(test)]
mod tests {
    use super::*;

    fn given(list: &mut WorkList) -> Attempt {
        match list.next(true) {
            NextAttempt::Attempt(attempt) => attempt,
            other => panic!("{other:?}"),
        }
    }

    #[test]
    fn what_is_left_is_given_in_its_order_or_dropped() {
        let two = [Sectors::new(16, 16), Sectors::new(0, 16)];
        let mut list = WorkList::default();
        assert_eq!((list.is_empty(), list.len()), (true, 0));
        list.set(two);
        assert_eq!((list.is_empty(), list.len(), list.take()), (false, 2, two.to_vec()));
        assert!(list.is_empty() && list.take().is_empty(), "taken out");
        list.set_chunk(16);
        list.set(two);
        assert_eq!(given(&mut list).at, two[0]);
        list.clear();
        list.came_back();
        assert_eq!((list.next(true), list.len()), (NextAttempt::Nothing, 0));
    }

    #[test]
    fn what_fails_is_halved_tried_by_itself_and_tried_again_as_often_as_is_planned() {
        let mut list = WorkList::default();
        list.set_chunk(16);
        list.set([Sectors::new(0, 16), Sectors::new(16, 16)]);
        let whole = given(&mut list);
        assert_eq!(whole.at, Sectors::new(0, 16));
        list.came_back();
        assert!(!list.narrow(whole, 8, 2));
        assert_eq!(list.next(false), NextAttempt::AfterThose, "what failed goes alone: nothing else is in flight");
        let left = given(&mut list);
        assert_eq!((left.at, list.next(false)), (Sectors::new(0, 8), NextAttempt::AfterThose), "and nothing beside it");
        let mut tries = 0;
        let mut at = left;
        loop {
            tries += 1;
            list.came_back();
            if list.narrow(at, 8, 2) {
                break;
            }
            at = given(&mut list);
            assert_eq!(at.at, left.at);
        }
        assert_eq!(tries, 3, "once, and twice again");
        // One that was a single physical sector from the start is tried by itself before it is tried again.
        let mut list = WorkList::default();
        list.set_chunk(8);
        list.set([Sectors::new(40, 8)]);
        let first = given(&mut list);
        list.came_back();
        assert!(!list.narrow(first, 8, 0), "it may have failed with its neighbour");
        let alone = given(&mut list);
        list.came_back();
        assert!(list.narrow(alone, 8, 0));
    }

    #[test]
    fn requests_end_where_chunks_end() {
        let mut list = WorkList::aligned();
        list.set_chunk(8);
        list.set([Sectors::new(5, 14)]);
        let all: Vec<Sectors> = (0..3).map(|_| given(&mut list).at).collect();
        assert_eq!(all, [Sectors::new(5, 3), Sectors::new(8, 8), Sectors::new(16, 3)]);
        assert_eq!(list.next(true), NextAttempt::Nothing);
    }
}
