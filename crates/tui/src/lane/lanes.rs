//! All lanes, in the order in which their drives came. A lane stays, also when its drive is gone.

use super::Lane;
use std::ops::{Index, IndexMut};

/// Names a lane for as long as the program runs.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(crate) struct LaneId(usize);

impl LaneId {
    /// The lane that came with so many before it.
    #[cfg(test)]
    pub(crate) const fn nth(before: usize) -> Self {
        Self(before)
    }
}

/// The lanes.
#[derive(Default)]
pub(crate) struct Lanes(Vec<Lane>);

impl Lanes {
    /// Adds a lane for a drive that has come.
    pub(crate) fn add(&mut self, lane: Lane) -> LaneId {
        self.0.push(lane);
        LaneId(self.0.len() - 1)
    }

    pub(crate) fn len(&self) -> usize {
        self.0.len()
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    pub(crate) fn get(&self, id: LaneId) -> Option<&Lane> {
        self.0.get(id.0)
    }

    pub(crate) fn get_mut(&mut self, id: LaneId) -> Option<&mut Lane> {
        self.0.get_mut(id.0)
    }

    pub(crate) fn iter(&self) -> impl DoubleEndedIterator<Item = &Lane> {
        self.0.iter()
    }

    pub(crate) fn iter_mut(&mut self) -> impl Iterator<Item = &mut Lane> {
        self.0.iter_mut()
    }

    pub(crate) fn ids(&self) -> impl DoubleEndedIterator<Item = LaneId> + use<> {
        (0..self.0.len()).map(LaneId)
    }

    /// The lanes with their names.
    pub(crate) fn named(&self) -> impl Iterator<Item = (LaneId, &Lane)> {
        self.0.iter().enumerate().map(|(at, lane)| (LaneId(at), lane))
    }

    /// Place from the top.
    pub(crate) fn place(&self, id: LaneId) -> usize {
        id.0
    }

    /// The lane at that place from the top.
    pub(crate) fn at(&self, place: usize) -> Option<LaneId> {
        (place < self.0.len()).then_some(LaneId(place))
    }

    /// The first lane for which it holds.
    pub(crate) fn find(&self, holds: impl Fn(&Lane) -> bool) -> Option<LaneId> {
        self.0.iter().position(holds).map(LaneId)
    }
}

impl Index<LaneId> for Lanes {
    type Output = Lane;

    fn index(&self, id: LaneId) -> &Lane {
        &self.0[id.0]
    }
}

impl IndexMut<LaneId> for Lanes {
    fn index_mut(&mut self, id: LaneId) -> &mut Lane {
        &mut self.0[id.0]
    }
}
