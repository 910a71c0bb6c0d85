//! Everything is done. The claim is about the object of the beginning: the drive is asked once more who it is.

use super::{Issued, StageMachine, StageTurn, Taken, Then};
use crate::event::Activity;
use crate::job::context::Context;
use crate::job::{Completed, Now, Task};
use jurex_device::media::Drive;
use jurex_device::medium::MediumError;
use jurex_sanitize::evidence::Ended;

/// What comes after the last stage.
#[derive(Debug)]
pub(in crate::job) struct ClosingStage;

impl ClosingStage {
    pub(in crate::job) fn begin(job: &mut Context) -> Self {
        job.activity = Activity::Laying;
        Self
    }
}

impl StageMachine for ClosingStage {
    fn turn(&mut self, _: &mut Context, _: Now) -> StageTurn {
        StageTurn::Alone(Issued::Identify, Task::Identify)
    }

    fn done(&mut self, job: &mut Context, issued: Issued, how: Completed, _: Now) -> Taken {
        let (Issued::Identify, Completed::Identified(found)) = (issued, how) else { return Taken::NotTheAnswer };
        let evidence = job.evidence();
        let armed = &Drive { geometry: evidence.geometry(), ..evidence.drive().clone() };
        Then::End(if armed.same_as(&found) { Ended::Finished } else { Context::changed(armed, &found) }).into()
    }

    fn failed(&mut self, _: &mut Context, _: Issued, _: &MediumError, _: Now) -> Then {
        Then::Stay
    }
}
