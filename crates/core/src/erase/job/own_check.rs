//! What is read before and after the drive's own erasure: places that must not be as they were, or sectors that must be blank.

use super::{Event, Job, Now, Phase};
use crate::digest::Salt;
use crate::erase::beside::{BesideDraws, BesideMet};
use crate::erase::draw::Draw;
use crate::evidence::{Drawn, Expect};
use crate::media::Scope;
use crate::pattern::Pattern;
use crate::plan::{Check, Reading};
use crate::units::Sectors;
use std::sync::Arc;

impl Job {
    /// What digests are made with.
    pub(super) fn salt(&self) -> Salt {
        self.plan.own_check().and_then(|c| c.salt).unwrap_or(Salt::new([0; 16]))
    }

    /// Whether the check compares places with what they held before.
    pub(super) fn compares_digests(&self) -> bool {
        self.plan.own_check().is_some_and(|c| c.expect == Expect::Changed) || self.blank_byte_is_asked()
    }

    /// Whether the first sector is being read to know which byte a blank drive holds.
    fn blank_byte_is_asked(&self) -> bool {
        matches!(self.phase, Phase::Checking) && self.asks_blank_byte
    }

    /// Nothing noted yet, of the places that stage `own` wants; `None`: nothing is read after it.
    pub(super) fn new_draw(&self, own: usize, whole: Sectors) -> Option<Draw> {
        let check = self.plan.check_after(own)?;
        Some(match check.expect {
            Expect::Changed => Draw::new(whole, &check.reading.places(whole)),
            // Whether it is blank afterwards is read in any case; here only whether it was not so before.
            _ => Draw::thin(whole),
        })
    }

    pub(super) fn begin_drawing(&mut self, now: Now) {
        let whole = self.geometry().whole();
        self.draw = self.new_draw(self.stage, whole);
        self.left = self.draw.iter().flat_map(Draw::places).collect();
        self.left.reverse();
        self.phase = Phase::Drawing { marked: false };
        self.mark = now.mono;
    }

    /// A drawn place could not be read. After so many in a row that a whole part of the drive is among them there will be no
    /// proof, whatever the others hold; a drive whose own erasure has failed gives no sector, and takes its time for each.
    pub(super) fn undrawn(&mut self, now: Now) {
        self.mark = now.mono;
        self.undrawn_in_a_row += 1;
        let places = self.draw.as_ref().map_or(0, |d| d.places().count() as u64);
        if self.undrawn_in_a_row > 2 * places.div_ceil(Drawn::PARTS) {
            self.left.clear();
        }
    }

    /// The drawn places were read. Where they hold too little that could be told apart later, something is laid there.
    pub(super) fn drawn(&mut self, marked: bool, now: Now) {
        self.mark = now.mono;
        let too_little = self.draw.as_ref().is_some_and(|d| !d.is_enough());
        if marked || !too_little {
            return self.begin_drawing_beside();
        }
        self.pattern = Arc::new(Pattern::address());
        self.left = self.marks();
        if self.left.is_empty() {
            // Nothing can be laid where nothing could be read.
            return self.begin_drawing_beside();
        }
        self.phase = Phase::Marking;
    }

    fn marks(&self) -> Vec<Sectors> {
        let mut marks = self.draw.as_ref().map(Draw::marks).unwrap_or_default();
        marks.reverse();
        marks
    }

    /// What was laid there is read.
    pub(super) fn marked(&mut self, now: Now) {
        self.mark = now.mono;
        self.left = self.marks();
        self.tell(Event::Marked { sectors: self.left.len() as u64 });
        self.phase = Phase::Drawing { marked: true };
    }

    /// Reads what the drive's own erasure has left.
    pub(super) fn begin_check(&mut self, now: Now) {
        let Some(check) = self.plan.own_check().cloned() else { return self.begin_stage(self.stage + 1, now) };
        self.phase = Phase::Checking;
        let whole = self.geometry().whole();
        let reading = self.own_reading_now(&check);
        let drawn = self.draw.as_ref().map(Draw::drawn).unwrap_or_default();
        let sampling = reading.sampling().cloned();
        self.tell(Event::CheckStarted { expect: check.expect.clone(), sampling, drawn, time: now.wall });
        let mut places = reading.places(whole);
        // What lay, or was laid, where it could be told apart is looked at in any case.
        self.draw.iter().flat_map(Draw::places).for_each(|at| places.insert(at));
        self.left = places.iter().rev().copied().collect();
        self.save(now);
        match check.expect {
            Expect::Bytes { pattern } => self.pattern = Arc::new(pattern),
            Expect::Blank => {
                self.asks_blank_byte = true;
                self.held_back = std::mem::take(&mut self.left);
                let first = self.held_back.last().map(|at| Sectors::new(at.first.0, 1));
                self.left = first.into_iter().collect();
            }
            Expect::Changed | Expect::LastPass => {}
        }
    }

    /// A sample proves only what was done in the hold in which it is read.
    fn own_reading_now(&self, check: &Check) -> Reading {
        // Between its end and the opening of a drive that was only watched somebody else may have come.
        let done_now = self.own_evidence().session == self.progress.evidence().last_session() && !self.watched;
        let sampled = matches!(check.reading, Reading::Sampled(_));
        if sampled && !done_now && check.expect != Expect::Changed { Reading::Full } else { check.reading.clone() }
    }

    /// The first sector was read: what it holds over and over all others must hold too. One that is not blank at all is found
    /// wrong when it is read again with the others.
    pub(super) fn blank_byte_told(&mut self, byte: Option<u8>) {
        self.pattern = Arc::new(byte.and_then(|b| Pattern::bytes([b])).unwrap_or_else(Pattern::zeros));
        self.asks_blank_byte = false;
        self.left = std::mem::take(&mut self.held_back);
    }

    /// Whether the drive's own erasure reaches other namespaces, which are looked at too.
    fn reaches_others(&self) -> bool {
        let of_unit = self.plan.own_erase().is_some_and(|own| own.scope == Scope::WholeUnit);
        of_unit && self.plan.drive().other_user_data().next().is_some()
    }

    fn begin_drawing_beside(&mut self) {
        if self.reaches_others() {
            self.beside = BesideDraws::default();
            self.phase = Phase::DrawingBeside;
        } else {
            self.begin_dialogue();
        }
    }

    /// What the drawn places of other namespaces hold.
    pub(super) fn beside_told(&mut self, met: &[BesideMet], now: Now) {
        self.mark = now.mono;
        if matches!(self.phase, Phase::CheckingBeside) {
            let beside = self.beside.compare(met);
            self.tell(Event::BesideRead { beside });
            self.end_check(now);
        } else if !self.beside.note(met) {
            self.begin_dialogue();
        }
    }

    /// What was to be read of this drive is read.
    pub(super) fn checked(&mut self, now: Now) {
        if self.asks_blank_byte {
            // The first sector could not be read.
            return self.blank_byte_told(None);
        }
        if self.reaches_others() {
            self.phase = Phase::CheckingBeside;
            return;
        }
        self.end_check(now);
    }

    fn end_check(&mut self, now: Now) {
        self.tell(Event::CheckEnded { time: now.wall });
        self.save(now);
        self.begin_stage(self.stage + 1, now);
    }
}
