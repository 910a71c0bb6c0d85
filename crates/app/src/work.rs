//! One job from its armed plan to its record: the same for the command line, the demonstration and the interface.

use crate::bench::Seen;
use crate::clock::{SystemClock, new_job_id, wall};
use crate::exit::Failure;
use jiff::Timestamp;
use jurex_core::contents::Contents;
use jurex_core::erase::{self, CHUNK_BYTES, Clock, Control, Event, Job};
use jurex_core::medium::{Medium, MediumError};
use jurex_core::plan::{ArmedPlan, Plan};
use jurex_core::record::{JobId, Papers, Record, Tool};
use jurex_ledger::{Ledger, LedgerError};
use std::path::Path;

/// A job whose drive is open and checked, and whose ledger entry is made; nothing is written yet.
pub(crate) struct Prepared {
    job: Job,
    medium: Box<dyn Medium + Send>,
    id: JobId,
    plan: Plan,
    before: Contents,
    papers: Papers,
    ledger: Ledger,
    clock: SystemClock,
    started: Timestamp,
}

/// A job that is over.
pub(crate) struct Finished {
    /// Its record.
    pub(crate) record: Record,
    /// Why the ledger does not hold all of it, if it does not.
    pub(crate) ledger_trouble: Option<LedgerError>,
}

/// A drive that is open for this process alone, from the label check to the end of the proof. Nothing is written yet.
pub(crate) struct Opened {
    seen: Seen,
    medium: Box<dyn Medium + Send>,
}

/// Looks at the drive's use once more and opens it for this process alone.
///
/// # Errors
/// In use, no rights, or gone. Nothing has been written then.
pub(crate) fn open(seen: &Seen) -> Result<Opened, Failure> {
    seen.still_free()?;
    Ok(Opened { seen: seen.clone(), medium: seen.open()? })
}

impl Opened {
    /// Asks the drive once more who it is, and makes the ledger's entry: the last things before the first write.
    ///
    /// # Errors
    /// Gone, another drive than the armed one, or a ledger that can't be written. Nothing has been written to the drive.
    pub(crate) fn begin(
        mut self,
        armed: ArmedPlan,
        before: Contents,
        papers: Papers,
        ledger: &Path,
    ) -> Result<Prepared, Failure> {
        let plan = armed.plan().clone();
        let gone = |e: MediumError| {
            Failure::Stopped(format!("{} went away ({}). Nothing was written", self.seen.drive.called(), e.cause.os()))
        };
        let found = self.medium.identify().map_err(gone)?;
        let clock = SystemClock::new();
        let job = Job::start(armed, &found, CHUNK_BYTES, clock.now()).map_err(|e| Failure::Refused(e.to_string()))?;
        let unwritten = |e: LedgerError| Failure::Use(format!("{e}. Nothing was written to the drive"));
        let ledger = Ledger::open(ledger).map_err(unwritten)?;
        let started = wall();
        let id = begin(&ledger, &self.seen, started).map_err(unwritten)?;
        Ok(Prepared { job, medium: self.medium, id, plan, before, papers, ledger, clock, started })
    }
}

/// Makes an entry under a new name; a name that is taken is drawn again.
fn begin(ledger: &Ledger, seen: &Seen, started: Timestamp) -> Result<JobId, LedgerError> {
    loop {
        let id = new_job_id();
        match ledger.begin(&id, &seen.drive, started) {
            Err(LedgerError::Exists(_)) => {}
            done => return done.map(|()| id),
        }
    }
}

impl Prepared {
    /// The job's name.
    pub(crate) fn id(&self) -> &JobId {
        &self.id
    }

    /// Runs the job to its end. Every event goes to the ledger first and then to `tell`. A ledger that fails in the
    /// middle does not stop the job: the drive is better erased than half erased, and the trouble is reported.
    pub(crate) fn run(mut self, control: &mut dyn Control, tell: &mut dyn FnMut(&Event)) -> Finished {
        let mut ledger_trouble = None;
        let (ledger, id) = (&self.ledger, &self.id);
        let mut both = |event: &Event| {
            if ledger_trouble.is_none() {
                ledger_trouble = ledger.tell(id, event, wall()).err();
                if let Some(e) = &ledger_trouble {
                    tracing::error!("job {id}: {e}");
                }
            }
            tell(event);
        };
        let evidence = erase::run(self.job, self.medium.as_mut(), &self.clock, control, &mut both);
        let tool = Tool { name: "Jurex".into(), version: env!("CARGO_PKG_VERSION").into() };
        let times = (self.started, wall());
        let record = Record::new(self.id, tool, &self.plan, self.before, evidence, times, self.papers);
        let stored = self.ledger.add_record(&record, wall());
        if let Err(e) = &stored {
            tracing::error!("job {}: the record is not in the ledger: {e}", record.job);
        }
        Finished { record, ledger_trouble: stored.err().or(ledger_trouble) }
    }
}
