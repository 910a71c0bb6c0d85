//! A drive in memory whose own commands are answered by a script, and a job on it that is led request by request.

use crate::backend::{Backend, Buffers, Sequential};
use crate::checkpoint::Checkpoint;
use crate::event::Event;
use crate::job::{Completed, Job, JobStep, Now, Request, Task};
use crate::run::KeepError;
use crate::saved::CheckpointSaved;
use crate::{NotKept, Sibling, WithSiblings};
use jurex_device::media::{Bus, MediaClass};
use jurex_device::medium::{Access, Cause, MediumError, Op};
use jurex_device::native::command::{Answer, Command};
use jurex_device::testing::{Memory, cleared_for};
use jurex_sanitize::evidence::Evidence;
use jurex_sanitize::plan::Plan;
use std::time::Duration;

pub(in crate::job) const CHUNK: usize = 8 * 512;

type Script<'s> = dyn FnMut(&Command, &mut Memory) -> Answer + 's;

pub(in crate::job) struct Bench<'s> {
    pub(in crate::job) medium: Memory,
    /// Another namespace of it, with its name; what can't be reached fails.
    pub(in crate::job) beside: Option<(String, Memory)>,
    pub(in crate::job) now: Duration,
    pub(in crate::job) kept: Option<Checkpoint>,
    /// Whether checkpoints are kept.
    pub(in crate::job) keeps: bool,
    pub(in crate::job) events: Vec<Event>,
    /// Commands by their names.
    pub(in crate::job) sent: Vec<String>,
    pub(in crate::job) script: Box<Script<'s>>,
}

pub(in crate::job) fn good() -> Answer {
    Answer::Scsi { status: 0, sense: vec![], data: vec![] }
}

impl<'s> Bench<'s> {
    /// A solid-state drive at a serial SCSI port that answers everything well.
    pub(in crate::job) fn new(sectors: u64) -> Self {
        let mut medium = Memory::new(MediaClass::SolidState, sectors);
        (medium.drive.bus, medium.drive.protocol) = (Bus::Sas, Bus::Sas.protocol());
        Self {
            medium,
            beside: None,
            now: Duration::from_secs(1),
            kept: None,
            keeps: true,
            events: vec![],
            sent: vec![],
            script: Box::new(|_, _| good()),
        }
    }

    pub(in crate::job) fn answering(self, script: impl FnMut(&Command, &mut Memory) -> Answer + 's) -> Self {
        Self { script: Box::new(script), ..self }
    }

    /// A millisecond later.
    pub(in crate::job) fn tick(&mut self) -> Now {
        self.now += Duration::from_millis(1);
        Now { wall: jiff::Timestamp::UNIX_EPOCH, mono: self.now }
    }

    /// What a person reads from it: its serial number, or how many sectors it has.
    fn label(&self) -> String {
        let drive = &self.medium.drive;
        drive.unit.serial().map_or_else(|| drive.geometry.sectors.to_string(), |serial| serial[serial.len() - 6..].into())
    }

    pub(in crate::job) fn start(&mut self, plan: &Plan) -> Job {
        let armed = plan.arm(&cleared_for(&self.medium.drive, plan.intent()), &self.label()).unwrap();
        let now = self.tick();
        Job::start(armed, &self.medium.drive, Access::DIRECT, CHUNK, now).unwrap()
    }

    pub(in crate::job) fn resume(&mut self, watched: bool) -> Job {
        let kept = Checkpoint::from_json(&self.kept.as_ref().unwrap().to_json()).unwrap();
        let armed = kept.arm(&cleared_for(&self.medium.drive, kept.intent()), &self.label()).unwrap();
        let now = self.tick();
        Job::resume_watched(&kept, armed, &self.medium.drive, Access::DIRECT, (CHUNK, watched), now).unwrap()
    }

    /// What the job wants now, after what it wants kept and told was.
    pub(in crate::job) fn step(&mut self, job: &mut Job) -> JobStep {
        let now = self.tick();
        let step = job.request(now);
        if let Some(checkpoint) = job.take_checkpoint() {
            let kept = if self.keeps {
                CheckpointSaved::of(&mut NotKept, &checkpoint)
            } else {
                Err(KeepError("the disk is full".into()))
            };
            let now = self.tick();
            job.kept(kept, now);
            self.kept = Some(*checkpoint);
        }
        self.events.extend(job.take_events());
        step
    }

    /// What the drive does about it.
    pub(in crate::job) fn carry_out(&mut self, task: &Task) -> Completed {
        let mut said = |command: &Command| {
            self.sent.push(command.name.to_string());
            (self.script)(command, &mut self.medium)
        };
        match task {
            Task::Ask(command) => Completed::Answered(vec![said(command)]),
            Task::Change(change) => Completed::Answered(change.commands().iter().map(&mut said).collect()),
            Task::Rescan => Completed::Done,
            Task::Beside(..) => match &mut self.beside {
                Some((what, medium)) => {
                    let mut own = Sequential::in_chunks(&mut self.medium, CHUNK);
                    let mut backend = WithSiblings::new(&mut own, vec![Sibling { what: what.clone(), medium }]);
                    backend.start(0, task.clone());
                    backend.wait(Duration::ZERO).unwrap().how
                }
                None => failed(),
            },
            task => Buffers::new(CHUNK).carry_out(&mut self.medium, task),
        }
    }

    /// Carries a request out, and reports it.
    pub(in crate::job) fn answer(&mut self, job: &mut Job, request: &Request) {
        let how = self.carry_out(&request.task);
        let now = self.tick();
        job.complete(request.tag, how, now);
    }

    /// Lets it do so many requests, one after another; gives its evidence if it came to its end.
    pub(in crate::job) fn run(&mut self, job: &mut Job, requests: usize) -> Option<Evidence> {
        let mut done = 0;
        while done < requests {
            match self.step(job) {
                JobStep::Do(request) => {
                    self.answer(job, &request);
                    done += 1;
                }
                JobStep::Ended => return Some(job.progress().evidence().clone()),
                JobStep::Until(so_long) => self.now += so_long,
                JobStep::Keep => {}
                other => panic!("{other:?}"),
            }
        }
        None
    }

    /// To its end.
    pub(in crate::job) fn finish(&mut self, job: &mut Job) -> Evidence {
        self.run(job, usize::MAX).expect("it came to its end")
    }

    /// Lets it work until it wants something of that kind, and gives that request; it is not carried out.
    pub(in crate::job) fn until(&mut self, job: &mut Job, is: impl Fn(&Task) -> bool) -> Request {
        for _ in 0..1_000_000 {
            match self.step(job) {
                JobStep::Do(request) if is(&request.task) => return request,
                JobStep::Do(request) => self.answer(job, &request),
                JobStep::Until(so_long) => self.now += so_long,
                JobStep::Keep => {}
                other => panic!("{other:?}: {:?}", job.progress().evidence().ended),
            }
        }
        panic!("it never wants that: {:?}", self.sent)
    }

    /// How many of the events so far are such.
    pub(in crate::job) fn told(&self, is: impl Fn(&Event) -> bool) -> usize {
        self.events.iter().filter(|e| is(e)).count()
    }
}

/// A request that failed as one at a bad sector does.
pub(in crate::job) fn failed() -> Completed {
    let cause = Cause::BadSector(std::io::Error::other("scripted"));
    Completed::Failed(MediumError { op: Op::Read, at: None, cause })
}
