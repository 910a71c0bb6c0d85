//! One way for every job, whoever asks for it: the guard, the plan, the label check, the opening, the work, the record, the signed
//! head of the ledger, the papers, and who is told. Commands, unattended rounds and the demonstration take all of it; the interface
//! plans and arms under a person's hands, key by key, by the same types, and takes the rest: from the opening on there is one way.

use crate::bench::DriveSnapshot;
use crate::clock::Surroundings;
use crate::config::JobDefaults;
use crate::exit::Failure;
use crate::files::{self, FileError, Issue, lacking_signs};
use crate::notices;
use crate::signing::Signer;
use crate::work::{self, Finished, InLedger, Opened, PreparedJob};
use jurex_device::media::Drive;
use jurex_disposition::lot::expected_in;
use jurex_engine::{Event, JobControl};
use jurex_ledger::{Ledger, UnfinishedJob};
use jurex_notice::Outbox;
use jurex_past::PastError;
use jurex_sanitize::contents::Contents;
use jurex_sanitize::ladder::{Availability, ladder};
use jurex_sanitize::plan::{ArmedPlan, Course, Order, Plan, Secret};
use jurex_sanitize::record::{Papers, Record};
use jurex_sanitize::rules::Outcome;
use jurex_sanitize::work_order::OrderLine;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

/// The longest that a notice is waited for at the end.
const NOTICE_PATIENCE: Duration = Duration::from_secs(10);

/// Who is told when a job has ended.
#[derive(Clone, Debug)]
pub struct People {
    /// The queue of notices.
    pub outbox: Outbox,
    /// What this bench is called.
    pub bench: String,
}

/// Who stands for it that this is the drive that was meant.
#[derive(Clone, Copy, Debug)]
pub enum LabelCheck<'a> {
    /// A person typed what is printed on it.
    Typed(&'a str),
    /// A list that a person has approved names its serial.
    Listed(&'a OrderLine),
}

/// What holds where a plan gives less than is required of its drive.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Requirement {
    /// The job is refused.
    MustBeReached,
    /// A person has accepted it for this job.
    LessIsAccepted,
}

impl Requirement {
    /// As a person has said.
    pub fn of(less_is_accepted: bool) -> Self {
        if less_is_accepted { Self::LessIsAccepted } else { Self::MustBeReached }
    }

    fn check(self, plan: &Plan, papers: &Papers) -> Result<(), Failure> {
        let short = papers.need.and_then(|need| need.shortfall(plan.expected().outcome()));
        match short.filter(|_| self == Self::MustBeReached) {
            None => Ok(()),
            Some(short) => {
                let lot = if papers.lot.is_empty() { String::new() } else { format!(" (lot {})", papers.lot) };
                let drive = plan.drive().called();
                Err(Failure::Refused(format!(
                    "{drive}{lot}: {short}. See `jurex plan` for what gives more, or accept it with --accept-less. Nothing was written"
                )))
            }
        }
    }
}

/// What the jobs of a bench have in common.
#[derive(Clone, Debug)]
pub struct JobService {
    /// The ledger's file.
    pub ledger: PathBuf,
    /// How jobs are worked.
    pub habits: JobDefaults,
    /// What vouches for what is written.
    pub seal: Arc<Signer>,
    /// Who elsewhere is told; `None`: nobody, or somebody else sees to it.
    pub people: Option<People>,
    /// Time and chance.
    pub around: Arc<dyn Surroundings>,
}

/// A job that is over, with its record, and what is wrong beside it.
pub struct FinishedJob {
    /// What the job left.
    pub finished: Finished,
    /// What could not be done for the ledger's head, and what speaks against the ledger, each in a sentence.
    pub doubts: Vec<String>,
    /// Whether it went on from an earlier session.
    pub went_on: bool,
    /// Why it could not be told to people elsewhere.
    pub untold: Option<String>,
}

impl JobService {
    /// The job that was cut short on this drive, if there is one. A ledger that is not there yet is not made for a question.
    ///
    /// # Errors
    /// A damaged ledger.
    pub fn unfinished_on(&self, drive: &Drive) -> Result<Option<UnfinishedJob>, PastError> {
        if !self.ledger.exists() {
            return Ok(None);
        }
        Ledger::open(&self.ledger)?.unfinished_on(drive)
    }

    /// Papers with what an open lot knows of this drive.
    ///
    /// # Errors
    /// A damaged ledger.
    pub fn papers(&self, mut papers: Papers, drive: &Drive) -> Result<Papers, PastError> {
        if let (true, Some(serial)) = (self.ledger.exists(), drive.unit.serial.as_deref()) {
            let lots = Ledger::open(&self.ledger)?.lots(true)?;
            if let Some((lot, expected)) = expected_in(&lots, serial) {
                expected.fill(&lot.name, &mut papers);
            }
        }
        Ok(papers)
    }

    /// Every job that was cut short.
    pub fn unfinished(&self) -> Vec<UnfinishedJob> {
        let all = self.ledger.exists().then(|| Ledger::open(&self.ledger).ok()?.unfinished().ok()).flatten();
        all.unwrap_or_default()
    }

    /// What keeps any of its sectors from being overwritten.
    ///
    /// # Errors
    /// The guard's refusal.
    pub fn guard(&self, seen: &DriveSnapshot) -> Result<(), Failure> {
        seen.verdict().map(drop).map_err(|e| refused(seen, &e))
    }

    /// The plan of this course, which can be carried out on the drive as it stands.
    ///
    /// # Errors
    /// The guard, a course that does not fit, or a way that the drive does not have now.
    pub fn plan(&self, seen: &DriveSnapshot, course: &Course) -> Result<Plan, Failure> {
        let plan = Plan::of(&seen.drive, course, self.around.entropy().as_mut())?;
        seen.verdict_on(plan.intent()).map_err(|e| refused(seen, &e))?;
        check_way(seen, &plan)?;
        Ok(plan)
    }

    /// The label check of a new job.
    ///
    /// # Errors
    /// The guard, or another label.
    pub fn arm(&self, seen: &DriveSnapshot, plan: &Plan, label: LabelCheck<'_>) -> Result<ArmedPlan, Failure> {
        let cleared = seen.verdict_on(plan.intent()).map_err(|e| refused(seen, &e))?;
        match label {
            LabelCheck::Typed(text) => Ok(plan.arm(&cleared, text)?),
            LabelCheck::Listed(line) => line.arm(plan, &cleared).map_err(|e| nothing_written(&e)),
        }
    }

    /// The label check of a job that was cut short: it is done anew.
    ///
    /// # Errors
    /// The guard, or another label.
    pub fn arm_again(
        &self,
        seen: &DriveSnapshot,
        unfinished: &UnfinishedJob,
        label: LabelCheck<'_>,
    ) -> Result<ArmedPlan, Failure> {
        let checkpoint = &unfinished.checkpoint;
        let cleared = seen.verdict_on(checkpoint.intent()).map_err(|e| refused(seen, &e))?;
        match label {
            LabelCheck::Typed(text) => Ok(checkpoint.arm(&cleared, text)?),
            LabelCheck::Listed(line) => line.arm(&checkpoint.plan_on(&seen.drive), &cleared).map_err(|e| nothing_written(&e)),
        }
    }

    /// From the label check of a new job to its entry in the ledger. `secret` gives what its way wants beside the label: nobody is
    /// asked for it before the label is right.
    ///
    /// # Errors
    /// As [`JobService::arm`], [`JobService::open`] and [`JobService::begin`]; and those of `secret`.
    pub fn start(
        &self,
        seen: &DriveSnapshot,
        plan: &Plan,
        label: LabelCheck<'_>,
        secret: impl FnOnce(&Plan) -> Result<Option<Secret>, Failure>,
        (papers, requirement): (Papers, Requirement),
    ) -> Result<PreparedJob, Failure> {
        requirement.check(plan, &papers)?;
        let armed = self.arm(seen, plan, label)?.with_secret(secret(plan)?);
        let (before, _) = seen.look();
        let opened = self.open(seen, &armed)?;
        self.begin(opened, armed, before, (papers, requirement))
    }

    /// The same of a job that was cut short: what its way wants beside the label is never kept.
    ///
    /// # Errors
    /// As [`JobService::arm_again`], [`JobService::open`] and [`JobService::go_on`]; and those of `secret`.
    pub fn resume(
        &self,
        seen: &DriveSnapshot,
        unfinished: UnfinishedJob,
        label: LabelCheck<'_>,
        secret: impl FnOnce(&Plan) -> Result<Option<Secret>, Failure>,
    ) -> Result<PreparedJob, Failure> {
        let armed = self.arm_again(seen, &unfinished, label)?;
        let secret = secret(armed.plan())?;
        let armed = armed.with_secret(secret);
        let opened = self.open(seen, &armed)?;
        self.go_on(opened, armed, unfinished)
    }

    /// Looks at the drive's use once more and opens it for this process alone, and with it all else that the plan reaches.
    ///
    /// # Errors
    /// In use, no rights, gone, or no longer told from others by that label. Nothing has been written then.
    pub fn open(&self, seen: &DriveSnapshot, armed: &ArmedPlan) -> Result<Opened, Failure> {
        work::open(seen, armed)
    }

    /// Asks the drive once more who it is, and makes the ledger's entry: the last things before the first write.
    ///
    /// # Errors
    /// Gone, another drive than the armed one, a ledger that can't be written, or a plan that gives less than is required of the drive,
    /// where nobody has accepted that. Nothing has been written to the drive.
    pub fn begin(
        &self,
        opened: Opened,
        armed: ArmedPlan,
        before: Contents,
        (papers, requirement): (Papers, Requirement),
    ) -> Result<PreparedJob, Failure> {
        requirement.check(armed.plan(), &papers)?;
        if let Some(said) = lacking_signs(&papers) {
            return Err(Failure::Use(format!("{said}. Nothing was written to the drive")));
        }
        opened.begin(armed, before, papers, &self.in_ledger())
    }

    /// The same for a job that was cut short and goes on, under its own name.
    ///
    /// # Errors
    /// As [`JobService::begin`]; and a job that has ended meanwhile.
    pub fn go_on(&self, opened: Opened, armed: ArmedPlan, unfinished: UnfinishedJob) -> Result<PreparedJob, Failure> {
        opened.go_on(armed, unfinished.job, &self.in_ledger())
    }

    fn in_ledger(&self) -> InLedger<'_> {
        InLedger { ledger: &self.ledger, habits: self.habits, around: &self.around }
    }

    /// Runs the job to its end and closes it: its record in the ledger, the ledger's head signed and kept, people elsewhere told.
    /// `tell` hears every event, after the ledger.
    pub fn run(&self, job: PreparedJob, control: &mut dyn JobControl, tell: &mut dyn FnMut(&Event)) -> FinishedJob {
        let (went_on, simulated) = (job.went_on(), job.plan().drive().simulated);
        let finished = job.run(control, &self.seal, tell);
        // Of what is simulated nothing is vouched for, and nobody is told.
        let doubts = if finished.is_stored && !simulated { self.seal.close(&self.ledger) } else { vec![] };
        let untold = self.people.as_ref().filter(|_| !simulated).and_then(|people| {
            let notice = notices::of_job(&finished.record, &people.bench);
            people.outbox.put(&notice).err().map(|e| format!("the notice could not be kept, and nobody is told: {e}"))
        });
        FinishedJob { finished, doubts, went_on, untold }
    }

    /// Writes the papers of a job that is over, and gives their paths.
    ///
    /// # Errors
    /// What could not be written.
    pub fn write_papers(&self, ended: &FinishedJob, out: &Path) -> Result<Vec<PathBuf>, FileError> {
        let record = &ended.finished.record;
        let name = if ended.went_on { files::name_after_going_on(out, &record.job) } else { record.job.to_string() };
        files::write_as(out, &name, record, &Issue { seal: &self.seal, print: self.seal.print(&self.ledger, record) })
    }

    /// Sends what waits to be told, for as long as a person would wait for it; what could not be sent, in a sentence.
    pub fn send_notices(&self) -> Option<String> {
        let people = self.people.as_ref()?;
        notices::send_within(&people.outbox, NOTICE_PATIENCE)
    }
}

impl FinishedJob {
    /// What is wrong beside the outcome, in one line; `None`: nothing. `written` is what became of the papers.
    pub fn trouble(&self, written: &Result<Vec<PathBuf>, FileError>) -> Option<String> {
        let finished = &self.finished;
        let unstored = (!finished.is_stored).then(|| {
            let why = finished.ledger_trouble.as_ref().map(ToString::to_string).unwrap_or_default();
            format!("its record is not in the ledger ({why})")
        });
        let unwritten = written.as_ref().err().map(|e| not_certified(&finished.record, e, finished.is_stored).to_string());
        let unmarked = finished.lacks_its_mark().then(|| finished.mark_said()).flatten();
        let all: Vec<String> = [unstored, unwritten, unmarked].into_iter().flatten().collect();
        (!all.is_empty()).then(|| all.join("; "))
    }
}

fn refused(seen: &DriveSnapshot, why: &dyn std::fmt::Display) -> Failure {
    Failure::Refused(format!("{} may not be erased: {why}. Nothing was written", seen.drive.called()))
}

fn nothing_written(why: &dyn std::fmt::Display) -> Failure {
    Failure::Refused(format!("{why}. Nothing was written"))
}

/// Refuses a way that the ladder of this drive calls blocked or not to be had, with the ladder's own words.
fn check_way(seen: &DriveSnapshot, plan: &Plan) -> Result<(), Failure> {
    let Some(own) = plan.own_erase() else { return Ok(()) };
    let order = Order::of_program("", "00".parse().map_err(|_| Failure::Defect("one pass does not parse".into()))?);
    let ways = ladder(&seen.drive, &seen.answers, &Order { edition: plan.edition(), ..order }, None);
    match ways.iter().find(|w| w.technique == own.technique).map(|w| &w.availability) {
        Some(Availability::Ready) => Ok(()),
        Some(other) => Err(Failure::Refused(format!(
            "{} can't be carried out on {}. {} Nothing was written",
            own.technique.name(),
            seen.drive.called(),
            other.sentence()
        ))),
        None => Err(Failure::Refused(format!(
            "{} does not sanitize this media, and the drive does not offer it. Nothing was written",
            own.technique.name()
        ))),
    }
}

/// The job is over, but its files are not written.
pub fn not_certified(record: &Record, e: &FileError, in_ledger: bool) -> Failure {
    let job = &record.job;
    let outcome: Outcome = record.claim().outcome();
    let rest = if in_ledger {
        format!("the record is in the ledger: make room and run `jurex certificate {job} --out DIR`")
    } else {
        "the ledger does not hold the record either; its place is kept: make room and resume with --resume, which reads \
                  the drive again and makes the record anew"
            .into()
    };
    Failure::Less(format!("{e}. The job itself is over (outcome: {outcome}), and {rest}"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::app_paths::AppPaths;
    use crate::bench::{self, Bench};
    use crate::clock::{ThisMachine, wall};
    use crate::config::Config;
    use jurex_documents::House;
    use jurex_engine::Unattended;
    use jurex_engine::testing::StopsAfter;
    use jurex_pattern::method;
    use jurex_sanitize::evidence;
    use jurex_sanitize::need::{Need, Sensitivity};
    use jurex_sanitize::rules::Technique;
    use jurex_sign::KeyStore;
    use jurex_sim::Pacing;

    fn service(home: &Path, seal: Signer) -> JobService {
        JobService {
            ledger: home.join("ledger.sqlite3"),
            habits: Config::default().habits(),
            seal: seal.into(),
            people: None,
            around: Arc::new(ThisMachine),
        }
    }

    fn simulated(bay: usize) -> DriveSnapshot {
        Bench::simulated(Pacing::Unpaced).drives().swap_remove(bay - 1)
    }

    fn zeros() -> Course {
        Course::Overwrite(Order::of_method(method::find("zeros").unwrap()))
    }

    fn prepared(service: &JobService, seen: &DriveSnapshot, course: &Course) -> Result<PreparedJob, Failure> {
        let plan = service.plan(seen, course)?;
        service.start(
            seen,
            &plan,
            LabelCheck::Typed(&seen.drive.label().text()),
            |_| Ok(None),
            (Papers::default(), Requirement::MustBeReached),
        )
    }

    /// Whoever asks for a job, its ledger has a signed head when it is over, before any paper is written.
    #[test]
    fn a_job_ends_with_a_signed_head_and_a_notice_that_waits() {
        let home = tempfile::tempdir().unwrap();
        let places = AppPaths::all_in(home.path());
        KeyStore::new(&places.keys()).make("bench", None, wall()).unwrap();
        let image = home.path().join("drive.img");
        std::fs::write(&image, vec![0x41; 1 << 20]).unwrap();
        let seen = bench::find(image.as_os_str(), &[], &places).unwrap();
        let outbox = Outbox::new(&places.notices(), jurex_notice::Ways::default());
        let people = Some(People { outbox, bench: "bench 2".into() });
        let seal = Signer::of(&places, &Config::default(), House::default(), false);
        let service = JobService { people, ..service(home.path(), seal) };
        let job = prepared(&service, &seen, &zeros()).unwrap();
        let ended = service.run(job, &mut Unattended, &mut |_| {});
        assert_eq!((ended.doubts.as_slice(), ended.untold.as_deref(), ended.went_on), (&[][..], None, false));
        assert_eq!(ended.finished.record.claim().outcome(), Outcome::Clear);
        let head = Ledger::open(&service.ledger).unwrap().newest_head().unwrap().unwrap();
        assert!(head.note.is_some_and(|note| note.contains('\u{2014}')), "the newest head is signed");
        assert!(places.newest_head().exists(), "and is kept beside the ledger");
        let out = home.path().join("papers");
        let written = service.write_papers(&ended, &out);
        assert!(ended.trouble(&written).is_none());
        let names: Vec<String> = written.unwrap().iter().map(|p| p.extension().unwrap().to_string_lossy().into_owned()).collect();
        assert!(names.iter().filter(|n| *n == "json").count() == 2 && names.contains(&"tlog-proof".to_string()), "{names:?}");
    }

    #[test]
    fn less_than_is_required_begins_nothing_unless_a_person_has_accepted_it() {
        let home = tempfile::tempdir().unwrap();
        let service = service(home.path(), Signer::none(House::default()));
        let image = home.path().join("drive.img");
        std::fs::write(&image, vec![0x41; 1 << 20]).unwrap();
        let seen = bench::find(image.as_os_str(), &[], &AppPaths::all_in(home.path())).unwrap();
        let plan = service.plan(&seen, &zeros()).unwrap();
        let start = |leaves, requirement| {
            let need = Need { sensitivity: Sensitivity::Moderate, reuse: true, leaves };
            let papers = Papers { need: Some(need), lot: "BW-0417".into(), ..Papers::default() };
            let label = seen.drive.label().text();
            service.start(&seen, &plan, LabelCheck::Typed(&label), |_| Ok(None), (papers, requirement)).map(drop)
        };
        let refused = start(true, Requirement::MustBeReached).unwrap_err();
        let said = refused.to_string();
        assert!(matches!(refused, Failure::Refused(_)) && said.contains("(lot BW-0417)"), "{said}");
        assert!(said.contains("the plan gives Clear, less than the Purge that is required"), "{said}");
        assert!(!service.ledger.exists(), "nothing was begun");
        assert!(start(true, Requirement::LessIsAccepted).is_ok() && start(false, Requirement::MustBeReached).is_ok());
    }

    #[test]
    fn another_label_a_guarded_drive_and_a_way_that_it_does_not_have_begin_nothing() {
        let home = tempfile::tempdir().unwrap();
        let service = service(home.path(), Signer::none(House::default()));
        let seen = simulated(10);
        let plan = service.plan(&seen, &zeros()).unwrap();
        let wrong = service.arm(&seen, &plan, LabelCheck::Typed("ZZZZZZ")).unwrap_err().to_string();
        assert!(wrong.contains("label check failed") && wrong.contains("Nothing was written"), "{wrong}");
        let guarded = service.plan(&simulated(1), &zeros()).unwrap_err().to_string();
        assert!(guarded.contains("may not be erased") && guarded.contains("Nothing was written"), "{guarded}");
        let order = Order::of_method(method::find("zeros").unwrap());
        let way = Course::of_way(Technique::SanitizeCrypto, &seen.drive, &seen.answers, &order);
        let absent = service.plan(&seen, &way).unwrap_err().to_string();
        assert!(absent.contains("Nothing was written"), "{absent}");
        assert!(!service.ledger.exists(), "no ledger is made for what was not begun");
    }

    #[test]
    fn a_job_that_was_stopped_goes_on_under_its_name_by_its_label_alone() {
        let home = tempfile::tempdir().unwrap();
        let service = service(home.path(), Signer::none(House::default()));
        let seen = simulated(10);
        assert!(service.unfinished_on(&seen.drive).unwrap().is_none());
        let job = prepared(&service, &seen, &zeros()).unwrap();
        let id = job.id().clone();
        let stopped = service.run(job, &mut StopsAfter(19), &mut |_| {});
        assert_eq!(stopped.finished.record.evidence().ended, evidence::Ended::Stopped);
        let out = home.path().join("papers");
        service.write_papers(&stopped, &out).unwrap();
        let unfinished = service.unfinished_on(&seen.drive).unwrap().unwrap();
        assert!(service.arm_again(&seen, &unfinished, LabelCheck::Typed("ZZZZZZ")).is_err());
        let label = seen.drive.label().text();
        let job = service.resume(&seen, unfinished, LabelCheck::Typed(&label), |_| Ok(None)).unwrap();
        let ended = service.run(job, &mut Unattended, &mut |_| {});
        let record = &ended.finished.record;
        assert!(ended.went_on && record.job == id && record.evidence().sessions.len() == 2);
        assert_eq!(record.claim().outcome(), Outcome::Clear, "{:?}", record.claim().reasons());
        // Its papers stand beside those of the session before, and replace none of them.
        let written = service.write_papers(&ended, &out).unwrap();
        assert!(written[0].file_name().unwrap().to_string_lossy().starts_with(&format!("{id}-2.")), "{written:?}");
        assert!(service.unfinished_on(&seen.drive).unwrap().is_none());
    }

    #[test]
    fn a_ledger_that_can_not_be_written_is_told_before_anything_is_written() {
        let home = tempfile::tempdir().unwrap();
        let service = service(&home.path().join("a file"), Signer::none(House::default()));
        std::fs::write(home.path().join("a file"), "no folder").unwrap();
        let said = prepared(&service, &simulated(2), &zeros()).err().unwrap().to_string();
        assert!(said.contains("Nothing was written to the drive"), "{said}");
    }
}
