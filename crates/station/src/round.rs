//! One round over a list: every listed drive that is there is erased at once, each on a thread of its own; drives that come later while
//! others are at work are taken too. What is not listed is never opened for writing.

use crate::app_paths::AppPaths;
use crate::bench::{self, Bench, DriveSnapshot};
use crate::config::Config;
use crate::exit::{self, Failure};
use crate::list::ListedJob;
use crate::order;
use crate::service::{JobService, LabelCheck, Requirement};
use crate::stop::StopOnSignal;
use crossbeam_channel::{Receiver, Sender, unbounded};
use jurex_engine::{Control, Event, JobControl, Progress};
use jurex_ledger::{Ledger, UnfinishedJob};
use jurex_pattern::text::printable;
use jurex_pattern::units::{counted, duration};
use jurex_sanitize::evidence::Evidence;
use jurex_sanitize::record::{JobId, Record};
use jurex_sanitize::rules::Outcome;
use std::ffi::OsStr;
use std::path::PathBuf;
use std::process::ExitCode;
use std::sync::Arc;
use std::time::{Duration, Instant};

/// How often new drives are looked for.
const LOOK_EVERY: Duration = Duration::from_secs(3);
/// So long at least is waited for drives that are slow to come, before listed ones count as not there.
const FIRST_PATIENCE: Duration = Duration::from_secs(12);

/// What all drives of the round share.
pub struct RoundWork {
    pub service: JobService,
    pub out: PathBuf,
    pub places: AppPaths,
    pub config: Config,
    pub stop: StopOnSignal,
}

/// How a line of the list stands.
#[derive(Debug)]
pub enum EntryStatus {
    /// No drive of that serial was seen yet.
    NotSeen,
    /// At work: what it does, how far, and how long it still takes.
    Working { doing: String, share: f64, left: Option<Duration> },
    /// Its job has ended.
    Ended { record: Box<Record>, trouble: Option<String> },
    /// It was erased by this very list before; whether that came to the end that was wanted.
    Before { job: JobId, outcome: Outcome, as_wanted: bool },
    /// Nothing was done, or the job could not be brought to its record: why.
    Refused(String),
}

/// A line of the list, and how it stands.
#[derive(Debug)]
pub struct ListEntry {
    pub listed: Arc<ListedJob>,
    /// What the drive is called, once it was seen.
    pub drive: Option<String>,
    pub stand: EntryStatus,
    /// Whether its stand was told already.
    told: bool,
}

impl ListEntry {
    /// Whether it has come to the end that was wanted.
    pub fn is_done(&self) -> bool {
        match &self.stand {
            EntryStatus::Ended { record, trouble } => exit::of_record(record) == ExitCode::SUCCESS && trouble.is_none(),
            EntryStatus::Before { as_wanted, .. } => *as_wanted,
            EntryStatus::NotSeen | EntryStatus::Working { .. } | EntryStatus::Refused(_) => false,
        }
    }

    /// How it stands, in a sentence.
    pub fn sentence(&self) -> String {
        match &self.stand {
            EntryStatus::NotSeen => "not here".into(),
            EntryStatus::Working { doing, share, left } => {
                let left = left.map(|left| format!(", {} left", duration(left))).unwrap_or_default();
                format!("{doing}, {:.0} %{left}", (share * 100.0).floor())
            }
            EntryStatus::Ended { record, trouble } => {
                let claim = record.claim();
                let less = exit::of_record(record) != ExitCode::SUCCESS;
                let why: Vec<String> = claim.reasons().iter().take(1).map(|r| r.sentence()).collect();
                let why =
                    if less { format!(": {} {}", record.evidence().ended.sentence(), why.join(" ")) } else { String::new() };
                let trouble = trouble.as_ref().map(|t| format!("; {t}")).unwrap_or_default();
                format!("{} ({}){why}{trouble}", claim.outcome(), record.job)
            }
            EntryStatus::Before { job, outcome, .. } => format!("{outcome} before, by this list ({job})"),
            EntryStatus::Refused(why) => format!("left alone: {why}"),
        }
    }

    fn line(&self) -> String {
        let drive = self.drive.as_deref().unwrap_or("");
        format!("{:<22}{drive:<26}{}", printable(self.listed.line.serial.as_bytes()), self.sentence())
    }
}

/// What a worker tells of its line.
enum WorkerMessage {
    At { doing: String, share: f64, left: Option<Duration> },
    End(Box<Result<(Record, Option<String>), Failure>>),
}

/// The round.
pub struct Round {
    work: Arc<RoundWork>,
    bench: Bench,
    entries: Vec<ListEntry>,
    sender: Sender<(usize, WorkerMessage)>,
    receiver: Receiver<(usize, WorkerMessage)>,
    began: Instant,
    /// How long drives are waited for that are slow to come.
    patience: Duration,
    looked: Option<Instant>,
    /// Drives that are attached and stand on no line.
    unlisted: Vec<String>,
    worst: ExitCode,
}

impl Round {
    /// # Errors
    /// A damaged ledger: nobody knows then what was done before.
    pub fn new(work: RoundWork, bench: Bench, listed: Vec<ListedJob>) -> Result<Self, Failure> {
        let ledger = Ledger::open(&work.service.ledger)?;
        let mut entries = vec![];
        for one in listed {
            let stand = before(&ledger, &one)?.unwrap_or(EntryStatus::NotSeen);
            entries.push(ListEntry { listed: Arc::new(one), drive: None, stand, told: false });
        }
        let (sender, receiver) = unbounded();
        Ok(Self {
            work: Arc::new(work),
            bench,
            entries,
            sender,
            receiver,
            began: Instant::now(),
            patience: FIRST_PATIENCE,
            looked: None,
            unlisted: vec![],
            worst: ExitCode::SUCCESS,
        })
    }

    /// Every line.
    pub fn entries(&self) -> &[ListEntry] {
        &self.entries
    }

    /// Drives that are attached and that the list does not name.
    pub fn unlisted(&self) -> &[String] {
        &self.unlisted
    }

    /// Number of drives at work.
    pub fn working(&self) -> usize {
        self.entries.iter().filter(|e| matches!(e.stand, EntryStatus::Working { .. })).count()
    }

    /// Whether nothing is at work, and nothing more is waited for.
    pub fn is_over(&self) -> bool {
        let patient = self.began.elapsed() < self.patience && !self.work.stop.is_asked();
        let missing = self.entries.iter().any(|e| matches!(e.stand, EntryStatus::NotSeen));
        self.working() == 0 && !(missing && patient) && self.looked.is_some()
    }

    /// Whether every line has come to the end that was wanted.
    pub fn is_done(&self) -> bool {
        self.entries.iter().all(ListEntry::is_done)
    }

    /// How it stands, in a sentence.
    pub fn sentence(&self) -> String {
        let total = self.entries.len() as u64;
        let done = self.entries.iter().filter(|e| e.is_done()).count();
        let missing = self.entries.iter().filter(|e| matches!(e.stand, EntryStatus::NotSeen)).count();
        let other = self.entries.len() - done - missing - self.working();
        let rest = [(self.working(), "at work"), (missing, "not here"), (other, "did not come to the end that was wanted")];
        let rest: Vec<String> = rest.iter().filter(|(n, _)| *n > 0).map(|(n, what)| format!("{n} {what}")).collect();
        let rest = if rest.is_empty() { String::new() } else { format!(", {}", rest.join(", ")) };
        let alone = match self.unlisted.len() as u64 {
            0 => String::new(),
            n => format!(" {} not on the list: left alone.", counted(n, "drive")),
        };
        format!("{done} of {} of the list done{rest}.{alone}", counted(total, "drive"))
    }

    /// Lines whose stand has ended since they were told last.
    pub fn news(&mut self) -> Vec<String> {
        let over = self.is_over();
        let mut news = vec![];
        for entry in &mut self.entries {
            let ended = match entry.stand {
                EntryStatus::Working { .. } => false,
                EntryStatus::NotSeen => over,
                EntryStatus::Ended { .. } | EntryStatus::Before { .. } | EntryStatus::Refused(_) => true,
            };
            if ended && !entry.told {
                entry.told = true;
                news.push(entry.line());
            }
        }
        news
    }

    /// The exit code: the worst of all lines.
    pub fn code(&self) -> ExitCode {
        if self.worst == ExitCode::SUCCESS && !self.is_done() { ExitCode::from(3) } else { self.worst }
    }

    /// Looks for drives if it is time, and takes what workers tell, for so long.
    pub fn step(&mut self, longest: Duration) {
        let is_time = self.looked.is_none_or(|at| at.elapsed() > LOOK_EVERY);
        if is_time && !self.work.stop.is_asked() && self.waits_for_drives() {
            self.look();
        }
        let until = Instant::now() + longest;
        while let Ok((at, told)) = self.receiver.recv_deadline(until) {
            self.take(at, told);
        }
    }

    fn waits_for_drives(&self) -> bool {
        self.looked.is_none() || self.entries.iter().any(|e| matches!(e.stand, EntryStatus::NotSeen))
    }

    fn look(&mut self) {
        let drives = self.bench.drives();
        self.looked = Some(Instant::now());
        let listed = |seen: &DriveSnapshot| self.entries.iter().position(|e| e.listed.line.names(&seen.drive));
        let places: Vec<(DriveSnapshot, Option<usize>)> =
            drives.into_iter().map(|seen| (listed(&seen), seen)).map(|(at, s)| (s, at)).collect();
        self.unlisted = places.iter().filter(|(_, at)| at.is_none()).map(|(seen, _)| seen.drive.called()).collect();
        for (seen, at) in places {
            let Some(at) = at else { continue };
            self.entries[at].drive = Some(seen.drive.name());
            if matches!(self.entries[at].stand, EntryStatus::NotSeen) && seen.has_answered() {
                self.begin(at, seen);
            }
        }
    }

    fn begin(&mut self, at: usize, seen: DriveSnapshot) {
        self.entries[at].stand = EntryStatus::Working { doing: "begins".into(), share: 0.0, left: None };
        let (work, listed, sender) = (self.work.clone(), self.entries[at].listed.clone(), self.sender.clone());
        std::thread::spawn(move || {
            let tell = |doing: String, share, left| drop(sender.send((at, WorkerMessage::At { doing, share, left })));
            let run = std::panic::AssertUnwindSafe(|| one(&work, &listed, seen, &tell));
            let end = std::panic::catch_unwind(run)
                .unwrap_or_else(|_| Err(Failure::Defect("the job ended in the middle; the ledger has its events".into())));
            let _ = sender.send((at, WorkerMessage::End(Box::new(end))));
        });
    }

    fn take(&mut self, at: usize, told: WorkerMessage) {
        let entry = &mut self.entries[at];
        match told {
            WorkerMessage::At { doing, share, left } => entry.stand = EntryStatus::Working { doing, share, left },
            WorkerMessage::End(end) => {
                let (stand, code) = match *end {
                    Ok((record, trouble)) => {
                        let code = exit::of_record(&record);
                        let code = if trouble.is_some() && code == ExitCode::SUCCESS { ExitCode::from(3) } else { code };
                        (EntryStatus::Ended { record: Box::new(record), trouble }, code)
                    }
                    Err(failure) => (EntryStatus::Refused(failure.to_string()), failure.code()),
                };
                entry.stand = stand;
                if code != ExitCode::SUCCESS {
                    self.worst = code;
                }
            }
        }
    }
}

/// The job that this very list had done on the drive of a line already. It is not done again: a list that stays where it is must not
/// erase what was put on the drive since.
fn before(ledger: &Ledger, listed: &ListedJob) -> Result<Option<EntryStatus>, Failure> {
    let known = ledger.known(&listed.line.serial)?;
    let cut_short: Vec<JobId> = ledger.unfinished()?.into_iter().map(|u| u.job).collect();
    let jobs = known.iter().flat_map(|k| &k.jobs).rev();
    let mut records = jobs
        .filter_map(|line| line.standing.record())
        .filter(|r| is_by_list(r.evidence(), listed) && !cut_short.contains(&r.job));
    let stand = |r: &Record| {
        let as_wanted = exit::of_record(r) == ExitCode::SUCCESS;
        EntryStatus::Before { job: r.job.clone(), outcome: r.claim().outcome(), as_wanted }
    };
    Ok(records.next().map(stand))
}

type RoundTell<'t> = dyn Fn(String, f64, Option<Duration>) + 't;

/// Erases one drive by its line, from the guard to its papers. Gives its record, and what is wrong beside it.
fn one(
    work: &RoundWork,
    listed: &ListedJob,
    seen: DriveSnapshot,
    tell: &RoundTell<'_>,
) -> Result<(Record, Option<String>), Failure> {
    let (service, label) = (&work.service, LabelCheck::Listed(&listed.line));
    let cut_short = service.unfinished_on(&seen.drive)?.filter(|u| is_by_list(u.checkpoint.evidence(), listed));
    let seen = after_its_own_erasure(work, seen, cut_short.as_ref(), tell)?;
    listed.line.is_of(&seen.drive).map_err(|e| Failure::Refused(format!("{e}. Nothing was written")))?;
    let job = if let Some(unfinished) = cut_short {
        service.resume(&seen, unfinished, label, |_| Ok(None))?
    } else {
        if listed.order.way.is_none() {
            service.guard(&seen)?;
        }
        let papers = service.papers(work.config.papers(), &seen.drive)?;
        let usual = (work.config.rules, work.config.mark);
        let course = order::course(&listed.order, &seen, &work.config.catalogue()?, usual, None, &listed.line.by.approved_by)?;
        let plan = service.plan(&seen, &course)?;
        let requirement = Requirement::of(listed.order.accept_less);
        service.start(&seen, &plan, label, |_| Ok(None), (papers, requirement))?
    };
    let mut progress = Progress::of_plan(job.plan());
    let mut told = Instant::now();
    let ended = service.run(job, &mut work.stop.clone(), &mut |event: &Event| {
        progress.apply(event);
        if told.elapsed() > Duration::from_millis(300) {
            told = Instant::now();
            tell(progress.activity().word().to_string(), progress.share(), progress.time_left());
        }
    });
    let written = service.write_papers(&ended, &work.out);
    let trouble = ended.trouble(&written);
    service.send_notices();
    Ok((ended.finished.record, trouble))
}

/// Whether a job was armed by the list of that line.
fn is_by_list(evidence: &Evidence, listed: &ListedJob) -> bool {
    evidence.sessions.iter().any(|s| s.by_list.as_ref().is_some_and(|by| by.sha256 == listed.line.by.sha256))
}

/// The drive once it is not at work any more on the erasure that a job of this list began: opening it would only wait.
fn after_its_own_erasure(
    work: &RoundWork,
    seen: DriveSnapshot,
    cut_short: Option<&UnfinishedJob>,
    tell: &RoundTell<'_>,
) -> Result<DriveSnapshot, Failure> {
    let waits = cut_short.is_some_and(|u| u.checkpoint.intent().goes_on) && seen.erases_itself();
    if !waits {
        return Ok(seen);
    }
    let mut control = work.stop.clone();
    let mut tell = |progress: Option<u16>| tell("its own erasure".into(), progress.map_or(0.0, |p| f64::from(p) / 65536.0), None);
    let of = (OsStr::new(&seen.drive.path), work.config.only.as_slice(), &work.places);
    bench::once_idle(&seen, of, &mut tell, &mut || control.poll() != Some(Control::Stop))?
        .ok_or_else(|| Failure::Stopped("its own erasure is still at work; nothing was sent to it".into()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::list::read;
    use crate::signing::Signer;
    use jurex_documents::House;
    use jurex_pattern::units::Lba;
    use jurex_sim::Pacing;
    use std::path::Path;

    const CARD: &str = "TL32H6R90C2Y";
    const STICK: &str = "TP64-5D0N2XV8";

    fn round(home: &Path, bench: &jurex_sim::SimBench, list: &str) -> Result<Round, Failure> {
        let file = home.join("list.csv");
        std::fs::write(&file, list).unwrap();
        let (listed, _) = read(&file, &jurex_pattern::method::Catalogue::default())?;
        let work = RoundWork {
            service: JobService {
                ledger: home.join("ledger.sqlite3"),
                habits: Config::default().habits(),
                seal: Signer::none(House::default()).into(),
                people: None,
                around: Arc::new(crate::clock::ThisMachine),
            },
            out: home.join("certificates"),
            places: AppPaths::find().unwrap(),
            config: Config::default(),
            stop: StopOnSignal::install().unwrap(),
        };
        let mut round = Round::new(work, Bench::of_bays(bench.bays()), listed)?;
        round.patience = Duration::ZERO;
        while !round.is_over() {
            round.step(Duration::from_millis(20));
        }
        Ok(round)
    }

    /// A few sectors of the drive of that serial.
    fn bytes(bench: &jurex_sim::SimBench, serial: &str) -> Vec<u8> {
        let drives = Bench::of_bays(bench.bays()).drives();
        let seen = drives.iter().find(|s| s.drive.unit.serial.as_deref() == Some(serial)).unwrap();
        let mut medium = seen.peek().unwrap();
        let sector = seen.drive.geometry.logical as usize;
        let places = [0, 1, 4096, seen.drive.geometry.sectors / 2, seen.drive.geometry.sectors - 1];
        let mut all = vec![];
        for at in places {
            let mut one = vec![0; sector];
            medium.read(Lba(at), &mut one).unwrap();
            all.extend(one);
        }
        all
    }

    #[test]
    fn only_the_listed_drives_are_erased_and_by_one_list_only_once() {
        let home = tempfile::tempdir().unwrap();
        let bench = jurex_sim::SimBench::new(Pacing::Unpaced);
        let before = bytes(&bench, STICK);
        let list = format!(
            "serial,plan,approved by\n{CARD},--passes '5a | ~' --verify full --size-check no,Tomasz Averill\nNOT-HERE-01,--method zeros,Tomasz Averill\n"
        );
        let mut first = round(home.path(), &bench, &list).unwrap();
        assert!(bytes(&bench, CARD).iter().all(|b| *b == 0xa5), "the listed drive is erased by its plan");
        assert_eq!(bytes(&bench, STICK), before, "the other is not touched");
        assert!(!first.is_done() && first.code() == ExitCode::from(3), "a drive that is missing leaves the list undone");
        assert!(first.sentence().starts_with("1 of 2 drives of the list done, 1 not here."), "{}", first.sentence());
        assert_eq!(first.news().len(), 2);
        let EntryStatus::Ended { record, trouble: None } = &first.entries()[0].stand else { panic!("{:?}", first.entries()[0]) };
        let by = record.evidence().sessions[0].by_list.clone().unwrap();
        assert_eq!((by.line, by.approved_by.as_str()), (2, "Tomasz Averill"));
        let paper = std::fs::read_dir(home.path().join("certificates")).unwrap().count();
        assert!(paper >= 3, "record, paper and drawing are written");
        // What somebody has put on the drive since is left alone by a list that still lies there.
        let drive = bench.bays().iter().find(|b| b.drive.drive().unit.serial.as_deref() == Some(CARD)).unwrap();
        jurex_device::medium::Medium::write(&mut drive.drive.open().unwrap(), Lba(0), &[0x17; 512]).unwrap();
        let second = round(home.path(), &bench, &list).unwrap();
        assert!(matches!(second.entries()[0].stand, EntryStatus::Before { as_wanted: true, .. }), "{:?}", second.entries()[0]);
        assert_eq!(bytes(&bench, CARD)[0], 0x17);
    }

    #[test]
    fn a_line_that_does_not_fit_its_drive_and_a_list_with_a_mistake_write_nothing() {
        let home = tempfile::tempdir().unwrap();
        let bench = jurex_sim::SimBench::new(Pacing::Unpaced);
        let before = bytes(&bench, CARD);
        let wrong_size = format!("serial,plan,approved by,sectors\n{CARD},--method zeros,Tomasz Averill,4096\n");
        let refused = round(home.path(), &bench, &wrong_size).unwrap();
        let EntryStatus::Refused(why) = &refused.entries()[0].stand else { panic!("{:?}", refused.entries()[0]) };
        assert!(why.contains("says 4096 sectors") && why.contains("Nothing was written"), "{why}");
        let mistake =
            format!("serial,plan,approved by\n{CARD},--method zeros,Tomasz Averill\n{STICK},--method nothing-like-it --x,\n");
        let Err(said) = round(home.path(), &bench, &mistake) else { panic!("a list with a mistake is carried out") };
        assert!(said.to_string().contains("line 3"), "{said}");
        let unknown = format!("serial,plan,approved by\n{CARD},--method nothing-like-it,Tomasz Averill\n");
        let Err(said) = round(home.path(), &bench, &unknown) else { panic!("an unknown method is carried out") };
        assert!(said.to_string().contains("there is no method"), "{said}");
        assert_eq!(bytes(&bench, CARD), before);
    }
}
