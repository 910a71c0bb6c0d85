//! One job from its armed plan to its record: the same for the command line, the demonstration and the interface.

use crate::bench::{DriveSnapshot, HeldBeside, OpenDrive};
use crate::clock::Surroundings;
use crate::config::JobDefaults;
use crate::exit::Failure;
use crate::readings;
use crate::signing::Signer;
use crate::thermal::ThermalControl;
use jiff::Timestamp;
use jurex_device::media::Drive;
use jurex_device::medium::MediumError;
use jurex_disposition::erasure_tag::{self, ErasureTag, TagEvidence, TagFacts};
use jurex_disposition::release::{Act, Circumstances, OfDrive, Release};
use jurex_engine::{
    Backend, CHUNK_BYTES, Checkpoint, CheckpointStore, Clock, Control, DriveChanged, Event, Job, JobControl, KeepError,
};
use jurex_ledger::{Ledger, UnfinishedJob};
use jurex_past::{PastError, PastWork};
use jurex_sanitize::contents::Contents;
use jurex_sanitize::evidence::Ended;
use jurex_sanitize::plan::{ArmedPlan, Plan};
use jurex_sanitize::record::{JobId, Papers, Record, SecondLook};
use jurex_sanitize::residue::Leftovers;
use jurex_sanitize::rules::{Edition, Outcome};
use std::path::Path;
use std::sync::Arc;

/// A job whose drive is open and checked, and whose ledger entry is made; nothing is written yet.
pub struct PreparedJob {
    job: Job,
    seen: DriveSnapshot,
    drive: OpenDrive,
    beside: Vec<HeldBeside>,
    id: JobId,
    plan: Plan,
    before: Contents,
    papers: Papers,
    ledger: Ledger,
    clock: Box<dyn Clock>,
    around: Arc<dyn Surroundings>,
    started: Timestamp,
    habits: JobDefaults,
    /// Whether it begins now, and does not go on.
    is_new: bool,
}

/// A job that is over.
pub struct Finished {
    /// Its record.
    pub record: Record,
    /// Whether the ledger holds the record.
    pub is_stored: bool,
    /// Why the ledger does not hold all of it, if it does not.
    pub ledger_trouble: Option<PastError>,
    /// What it needs to go on, if it was cut short.
    pub unfinished: Option<Box<UnfinishedJob>>,
    /// The mark that was to be left on the drive, or why none was; `None`: none was wanted.
    pub mark: Option<Result<TagEvidence, String>>,
}

impl Finished {
    /// Whether a mark was wanted and does not stand on the drive.
    pub fn lacks_its_mark(&self) -> bool {
        self.mark.as_ref().is_some_and(|mark| !mark.as_ref().is_ok_and(TagEvidence::is_whole))
    }

    /// What came of the mark, in a sentence.
    pub fn mark_said(&self) -> Option<String> {
        self.mark.as_ref().map(|mark| match mark {
            Ok(marked) => marked.sentence(),
            Err(why) => format!("No erasure tag was left on the drive: {why}."),
        })
    }
}

/// A drive that is open for this process alone, from the label check to the end of the proof. Nothing is written yet.
pub struct Opened {
    seen: DriveSnapshot,
    drive: OpenDrive,
    /// Other namespaces of the unit that the plan reaches, and other paths to it: held, so that nobody takes them into use.
    beside: Vec<HeldBeside>,
    /// Whether the drive was at work on its own erasure until it could be opened.
    watched: bool,
}

/// Looks at the drive's use once more and opens it for this process alone, and with it all else that the plan reaches.
///
/// # Errors
/// In use, no rights, gone, or no longer told from others by that label. Nothing has been written then.
pub fn open(seen: &DriveSnapshot, armed: &ArmedPlan) -> Result<Opened, Failure> {
    let now = seen.still_free(armed.label(), armed.intent())?;
    let watched = seen.was_watched || now.erases_itself();
    let (drive, beside) = now.open_for(armed.intent().scope)?;
    Ok(Opened { drive, beside, watched, seen: now })
}

/// Where a job stands in the ledger, and what it takes from around it.
pub struct InLedger<'l> {
    pub ledger: &'l Path,
    pub habits: JobDefaults,
    pub around: &'l Arc<dyn Surroundings>,
}

impl Opened {
    /// Asks the drive once more who it is, and makes the ledger's entry: the last things before the first write.
    ///
    /// # Errors
    /// Gone, another drive than the armed one, or a ledger that can't be written. Nothing has been written to the drive.
    pub fn begin(
        mut self,
        armed: ArmedPlan,
        before: Contents,
        papers: Papers,
        to: &InLedger<'_>,
    ) -> Result<PreparedJob, Failure> {
        let (plan, found) = (armed.plan().clone(), self.identify()?);
        let (clock, access) = (to.around.clock(), self.drive.medium().access());
        let now = clock.now();
        // The job begins before its first pass does.
        let started = now.wall;
        let job = Job::start(armed, &found, access, CHUNK_BYTES, now).map_err(changed)?;
        let ledger = Ledger::open(to.ledger).map_err(unwritten)?;
        ledger.note_settings(&to.habits.sentence(), started).map_err(unwritten)?;
        let id = begin(&ledger, &self.seen, started, to.around.as_ref()).map_err(unwritten)?;
        ledger.can_go_on(&id, &found, &before, &papers).map_err(unwritten)?;
        let Opened { seen, drive, beside, .. } = self;
        let (habits, around) = (to.habits, to.around.clone());
        Ok(PreparedJob {
            job,
            seen,
            drive,
            beside,
            id,
            plan,
            before,
            papers,
            ledger,
            clock,
            around,
            started,
            habits,
            is_new: true,
        })
    }

    /// The same for a job that was cut short and goes on, under its own name.
    ///
    /// # Errors
    /// As [`Opened::begin`].
    pub fn go_on(mut self, armed: ArmedPlan, id: JobId, to: &InLedger<'_>) -> Result<PreparedJob, Failure> {
        let (plan, found) = (armed.plan().clone(), self.identify()?);
        let (clock, access) = (to.around.clock(), self.drive.medium().access());
        let ledger = Ledger::open(to.ledger).map_err(unwritten)?;
        // As the ledger has it now: it may have gone on, or ended, since it was looked at.
        let from = ledger.unfinished_job(&id).map_err(unwritten)?.ok_or_else(|| {
            Failure::Refused(format!("job {id} can't be resumed any more: it has ended meanwhile. Nothing was written"))
        })?;
        if let Some(twin) = self.twin(&from.checkpoint) {
            let called = self.seen.drive.called();
            return Err(Failure::Refused(format!(
                "{called} and {twin} can't be told apart, so nobody knows which of them the job was cut short on: take the \
                 other one away and try again. Nothing was written"
            )));
        }
        let how = (CHUNK_BYTES, self.watched);
        let job = Job::resume_watched(&from.checkpoint, armed, &found, access, how, clock.now()).map_err(changed)?;
        let UnfinishedJob { job: id, started, before, papers, .. } = from;
        let Opened { seen, drive, beside, .. } = self;
        let (habits, around) = (to.habits, to.around.clone());
        Ok(PreparedJob {
            job,
            seen,
            drive,
            beside,
            id,
            plan,
            before,
            papers,
            ledger,
            clock,
            around,
            started,
            habits,
            is_new: false,
        })
    }

    /// Another drive that is there and might be the one that the job was cut short on.
    fn twin(&self, checkpoint: &Checkpoint) -> Option<String> {
        let this = &self.seen.drive;
        let others = self.seen.beside.iter().map(|(drive, _)| drive);
        let mut twins = others.filter(|d| !this.is_other_path_of(d) && checkpoint.may_be_of(d));
        twins.next().map(Drive::called)
    }

    fn identify(&mut self) -> Result<Drive, Failure> {
        let gone = |e: MediumError| {
            Failure::Stopped(format!("{} went away ({}). Nothing was written", self.seen.drive.called(), e.cause.os()))
        };
        self.drive.medium().identify().map_err(gone)
    }
}

fn changed(e: DriveChanged) -> Failure {
    Failure::Refused(e.to_string())
}

fn unwritten(e: PastError) -> Failure {
    Failure::Use(format!("{e}. Nothing was written to the drive"))
}

/// Makes an entry under a new name; a name that is taken is drawn again.
fn begin(ledger: &dyn PastWork, seen: &DriveSnapshot, started: Timestamp, around: &dyn Surroundings) -> Result<JobId, PastError> {
    loop {
        let id = around.job_id();
        match ledger.begin(&id, &seen.drive, started) {
            Err(PastError::Exists(_)) => {}
            done => return done.map(|()| id),
        }
    }
}

/// The draw for a drive that earned something; where the ledger can't say how it stands with the lot, as for the first of one.
fn second_look(ledger: &dyn PastWork, record: &Record, percent: u8, around: &dyn Surroundings) -> Option<SecondLook> {
    if record.claim().outcome() == Outcome::NotSanitized {
        return None;
    }
    let (before, drawn) = ledger.drawn_of_lot(&record.papers().lot).unwrap_or_else(|e| {
        tracing::error!("job {}: {e}", record.job);
        (0, 0)
    });
    let mut seed = [0; 16];
    around.entropy().fill(&mut seed);
    Some(SecondLook::draw(seed, percent, before, drawn))
}

/// Searches the drive of a job for leftovers, before it or after it, and tells of that as the job would.
fn search_beside(
    seen: &DriveSnapshot,
    before: bool,
    control: &mut dyn JobControl,
    tell: &mut dyn FnMut(&Event),
) -> (Option<Leftovers>, Option<Control>) {
    let (searched, wish) = readings::search_for_a_minute(seen, control, &mut |share| tell(&Event::Searching { share }));
    match searched {
        Ok(residue) => {
            let found = Leftovers::of(&residue);
            tell(&Event::Searched { before, found: Box::new(found.clone()) });
            (Some(found), wish)
        }
        Err(why) => {
            tell(&Event::NotSearched { why: why.to_string() });
            (None, wish)
        }
    }
}

/// Lays the mark of a record on its drive, reads it back, and notes that in the ledger. The record is there already, whatever comes of it.
fn leave_mark(
    record: &Record,
    seal: &Signer,
    backend: &mut dyn Backend,
    ledger: &dyn PastWork,
    made: Timestamp,
) -> Result<TagEvidence, String> {
    let says = TagFacts::of(record, &seal.where_to_ask(record.papers()));
    let says = says.ok_or("an erasure tag is left only on a drive that is sanitized")?;
    let evidence = record.evidence();
    let geometry = evidence.geometry();
    let mark = ErasureTag::new(says, |text| seal.key().map(|key| jurex_sign::sign(text, key)));
    let page = mark.page(geometry.logical).ok_or("what it is to say does not fit")?;
    let copies = erasure_tag::lay(backend, geometry, &page).ok_or("the drive is too small for one")?;
    let marked = TagEvidence { page: ErasureTag::digest(&page), key_id: seal.key().map(|key| key.public().id()), copies };
    let by = &record.papers().technician.name;
    let about = Circumstances {
        tool: crate::this_tool(),
        made,
        by: if by.trim().is_empty() { "Jurex".into() } else { by.clone() },
        drive: OfDrive { geometry: Some(geometry), ..OfDrive::of(evidence.drive()) },
        job: Some((record.job.clone(), record.digest())),
        lot: record.papers().lot.clone(),
        papers: None,
    };
    let noted = Release::new(about, Act::Marked(marked.clone()), Edition::default()).map_err(|e| e.to_string());
    if let Err(e) = noted.and_then(|release| ledger.keep_release(&release).map_err(|e| e.to_string())) {
        tracing::error!("job {}: its erasure tag is not in the ledger: {e}", record.job);
    }
    Ok(marked)
}

/// Checkpoints go to the ledger.
struct InTheLedger<'l>(&'l Ledger, &'l JobId, &'l dyn Surroundings);

impl CheckpointStore for InTheLedger<'_> {
    fn keep(&mut self, checkpoint: &Checkpoint) -> Result<(), KeepError> {
        self.0.keep(self.1, checkpoint, self.2.wall()).map_err(|e| KeepError(Box::new(e)))
    }
}

impl PreparedJob {
    /// The job's name.
    pub fn id(&self) -> &JobId {
        &self.id
    }

    /// Whether it goes on from an earlier session.
    pub fn went_on(&self) -> bool {
        !self.is_new
    }

    /// What it carries out.
    pub fn plan(&self) -> &Plan {
        &self.plan
    }

    /// Runs the job to its end. Every event goes to the ledger first and then to `tell`. A ledger that fails in the
    /// middle does not stop the job: the drive is better erased than half erased, and the trouble is reported.
    /// `seal` signs the mark that is left on the drive, if one is.
    pub fn run(self, control: &mut dyn JobControl, seal: &Signer, tell: &mut dyn FnMut(&Event)) -> Finished {
        let mut ledger_trouble = None;
        let PreparedJob {
            mut job, seen, drive, mut beside, id, plan, mut before, papers, ledger, clock, around, started, ..
        } = self;
        let mut both = |event: &Event| {
            // After a failure the next event is tried all the same; the first trouble is what is told at the end.
            if let Err(e) = ledger.tell(&id, event, around.wall()) {
                tracing::error!("job {id}: {e}");
                ledger_trouble.get_or_insert(e);
            }
            tell(event);
        };
        // Before anything is added to it: from then on nobody could tell.
        let doubts = if seen.drive.simulated { vec![] } else { seal.doubts(&ledger) };
        doubts.iter().for_each(|said| tracing::error!("job {id}: {said}"));
        let mut store = InTheLedger(&ledger, &id, around.as_ref());
        if plan.searches() && self.is_new {
            let (left, wish) = search_beside(&seen, true, control, &mut both);
            before.left = left.map(Box::new);
            if let Err(e) = ledger.keep_contents(&id, &before) {
                tracing::error!("job {id}: {e}");
            }
            wish.into_iter().for_each(|w| job.wish(w));
            job.begins_now(clock.now());
        }
        // A drive that is to erase itself is asked nothing beside its job: a question in the middle could end the erasure.
        let hold_above = self.habits.hold_above.filter(|_| plan.own_erase().is_none());
        let mut control = ThermalControl::new(control, &seen, hold_above);
        let work = |backend: &mut dyn Backend| {
            let evidence = jurex_engine::run(job, backend, clock.as_ref(), &mut control, &mut store, &mut both);
            // Under the same hold. The job is over, whatever is wished of it meanwhile.
            let searches = plan.searches() && evidence.ended == Ended::Finished;
            let left = if searches { search_beside(&seen, false, control.person(), &mut both).0 } else { None };
            let mut record =
                Record::new(id.clone(), crate::this_tool(), &plan, before, evidence, (started, around.wall()), papers);
            record.left = left;
            record.ledger_doubts = doubts;
            record.second_look = second_look(&ledger, &record, self.habits.second_percent, around.as_ref());
            let stored = ledger.finish(&record, around.wall());
            if let Err(e) = &stored {
                tracing::error!("job {}: the record is not in the ledger: {e}", record.job);
            }
            // Still under the same hold, and only once the record stands: a mark never says what no ledger knows.
            let mark = plan.leaves_mark().then(|| {
                if stored.is_err() {
                    Err("its record is not in the ledger".into())
                } else {
                    leave_mark(&record, seal, backend, &ledger, around.wall())
                }
            });
            (record, stored, mark)
        };
        let (record, stored, mark) = drive.with_backend_beside(&mut beside, work);
        let goes_on = record.evidence().ended.can_go_on();
        drop(beside);
        let is_stored = stored.is_ok();
        // A record that is not stored leaves the job able to go on, and so to make it again.
        let unfinished = if goes_on || !is_stored { ledger.unfinished_job(&id).ok().flatten().map(Box::new) } else { None };
        Finished { record, is_stored, ledger_trouble: stored.err().or(ledger_trouble), unfinished, mark }
    }
}
