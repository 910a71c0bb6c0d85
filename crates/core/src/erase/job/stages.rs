//! The stages of a treatment, one after another: hidden sectors lifted, the drive's own erasure with what is read before and
//! after it, the overwriting.

use super::{Ended, Event, Job, Now, Phase, describe};
use crate::erase::beside::BesideDraws;
use crate::erase::checkpoint::Checkpoint;
use crate::erase::own::Dialogue;
use crate::evidence::{OwnEvidence, What};
use crate::media::{Drive, HiddenAreas, Scope};
use crate::plan::Stage;

impl Job {
    /// Begins stage `n`; after the last one the drive is asked once more who it is.
    pub(super) fn begin_stage(&mut self, n: usize, now: Now) {
        self.stage = n;
        self.mark = now.mono;
        match self.plan.stages().get(n) {
            Some(Stage::Lift(_)) => self.begin_lifting(now),
            Some(Stage::Measure(_)) => self.begin_measuring(now),
            Some(Stage::Own(_)) => self.begin_own(now),
            Some(Stage::Check(_)) => self.begin_check(now),
            Some(Stage::Overwrite(_)) => {
                self.pass = 0;
                self.begin_pass(now);
            }
            None => self.phase = Phase::AskingAgain,
        }
    }

    fn begin_lifting(&mut self, now: Now) {
        let Some(lift) = self.plan.lift() else { return };
        self.conversation.begin(Dialogue::lift(lift));
        let before = self.progress.evidence().drive().geometry;
        self.tell(Event::LiftStarted { before, time: now.wall });
        self.phase = Phase::Talking;
    }

    /// The drive was asked who it is after its capacity was changed.
    pub(super) fn size_told(&mut self, found: &Drive, now: Now) {
        let before = self.progress.evidence().drive().clone();
        let same_size = Drive { geometry: before.geometry, ..found.clone() };
        if !before.same_as(&same_size) {
            let what = format!("it was {}, and {} answers now", describe(&before), describe(found));
            return self.end(Ended::Changed { what }, now);
        }
        self.tell(Event::Lifted { after: found.geometry, hidden: found.hidden.clone(), time: now.wall });
        self.save(now);
        if let HiddenAreas::Hidden { sectors } = found.hidden {
            let left = crate::units::counted(sectors, "sector");
            let said = format!(
                "{left} are still hidden: take its power away for ten seconds and go on with the job; if they stay hidden, a configuration overlay keeps them, which is lifted only where the plan says so"
            );
            return self.end(Ended::CommandFailed { said }, now);
        }
        match self.then_after_lifting.take() {
            Some(stage) => self.go_on_with_stage(stage, now),
            None => self.begin_stage(self.stage + 1, now),
        }
    }

    fn begin_own(&mut self, now: Now) {
        let Some(own) = self.plan.own_erase() else { return };
        let (technique, of_whole_unit) = (own.technique, own.scope == Scope::WholeUnit);
        self.tell(Event::OwnStarted { technique, of_whole_unit, time: now.wall });
        let was_sent = self.own_evidence().sent > 0;
        let checks = self.plan.check_after(self.stage).is_some();
        match &self.draw {
            // What was drawn before the first try is what must be gone, also after the second.
            Some(_) if was_sent => self.begin_dialogue(),
            _ if checks => self.begin_drawing(now),
            _ => self.begin_dialogue(),
        }
    }

    pub(super) fn own_evidence(&self) -> OwnEvidence {
        let evidence = self.progress.evidence().own().cloned();
        evidence.unwrap_or_else(|| OwnEvidence::begun(crate::technique::Technique::Discard))
    }

    /// The conversation about the drive's own erasure.
    pub(super) fn begin_dialogue(&mut self) {
        let Some(own) = self.plan.own_erase() else { return };
        let drive = self.plan.drive();
        let dialogue = Dialogue::erase(own, self.secret.as_ref(), drive, &self.own_evidence(), self.watched);
        self.conversation.begin(dialogue);
        self.phase = Phase::Talking;
    }

    /// Takes what a checkpoint keeps beside its evidence.
    pub(super) fn recall(&mut self, checkpoint: &Checkpoint) {
        if let (Some(kept), Some(own)) = (checkpoint.draw(), self.plan.own_at()) {
            let whole = checkpoint.evidence().geometry().whole();
            self.draw = self.new_draw(own, whole).and_then(|draw| draw.with_kept(kept));
        }
        // Of a drive that was only watched nobody knows what others wrote to them between its end and their opening; places
        // would not show it.
        if !self.watched {
            self.beside = BesideDraws::of_kept(checkpoint.beside());
        }
    }

    /// Whether what is to go on is no overwriting.
    pub(super) fn is_in_a_stage_of_the_drives_own(&self) -> bool {
        let own = match self.progress.evidence().stages.last().map(|s| &s.what) {
            None => self.plan.overwriting_at() != Some(0),
            Some(What::Lifted(_) | What::Measured(_) | What::Own(_)) => true,
            Some(What::Checked(_)) => self.progress.evidence().overwrite().is_none(),
            Some(What::Overwritten(_)) => false,
        };
        // What was lifted until the next power-on has to be lifted anew.
        own || self.is_hidden_again()
    }

    /// Whether what was lifted is hidden again: the drive is as small as it was.
    fn is_hidden_again(&self) -> bool {
        let evidence = self.progress.evidence();
        evidence.lift().is_some_and(|l| l.after != l.before && evidence.drive().geometry == l.before)
    }

    /// Goes on with hidden areas or the drive's own erasure. Nothing is sent before the drive was asked.
    pub(super) fn go_on_with_own(&mut self, found: &Drive, now: Now) {
        let evidence = self.progress.evidence();
        let last = evidence.stages.last().map(|s| (s.what.clone(), s.ended.is_some()));
        let own_at = self.plan.own_at();
        let stage = match last {
            None => 0,
            Some((What::Lifted(_), false)) => 0,
            Some((What::Lifted(_), true)) => 1,
            // Nothing was erased since: it is found out anew, since this may be another drive of that name.
            Some((What::Measured(_), _)) => self.plan.measure_at().unwrap_or(0),
            Some((What::Own(_), false)) => own_at.unwrap_or(0),
            // What was read under an earlier hold proves nothing. A key is replaced again; what is blank is read in full.
            Some((What::Own(own), true)) if own.technique.leaves_unknown_bytes() => own_at.unwrap_or(0),
            Some((What::Own(_), true)) => own_at.map_or(0, |n| n + 1),
            Some((What::Checked(_), _)) if evidence.overwrite().is_none() => {
                let again = evidence.own().is_some_and(|o| o.technique.leaves_unknown_bytes());
                own_at.map_or(0, |n| n + usize::from(!again))
            }
            Some((What::Checked(_) | What::Overwritten(_), _)) => self.plan.overwriting_at().unwrap_or(0),
        };
        let hides_again = stage > 0 && self.plan.lift().is_some() && found.geometry != evidence.geometry();
        if hides_again {
            self.then_after_lifting = Some(stage);
            return self.begin_stage(0, now);
        }
        self.go_on_with_stage(stage, now);
    }

    fn go_on_with_stage(&mut self, stage: usize, now: Now) {
        if Some(stage) == self.plan.overwriting_at() && !self.progress.evidence().passes().is_empty() {
            return self.go_on_from_evidence(now);
        }
        self.begin_stage(stage, now);
    }
}
