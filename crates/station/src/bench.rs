//! One view of drives, wherever they are: this machine's, images, and the simulated bench's.

use crate::app_paths::AppPaths;
use crate::clock::SystemEntropy;
use crate::exit::Failure;
use crate::machine::Machine;
use jurex_device::beacon;
use jurex_device::guard::{self, Blocker, Cleared, Intent, LookedAt, Refusal};
use jurex_device::media::{Bus, Drive, DriveLabel, Scope};
use jurex_device::medium::{Medium, MediumError};
use jurex_device::native::ata::erase::PASSWORD;
use jurex_device::native::{Capabilities, OwnState};
use jurex_engine::{Backend, Sequential, Sibling, UnlockError, WithSiblings, leave_failure, unlock};
use jurex_linux::{Carrying, LinuxMedium, OpenError, System};
use jurex_pattern::pattern::AlignedBuffer;
use jurex_pattern::units::Lba;
use jurex_sanitize::contents::{self, Contents};
use jurex_sanitize::estimate::SpeedSample;
use jurex_sim::{Laboratory, Pacing, SimDrive};
use std::ffi::OsStr;
use std::path::Path;
use std::time::{Duration, Instant};

/// A drive with what stands in the way of erasing it.
#[derive(Clone)]
pub struct DriveSnapshot {
    /// The drive.
    pub drive: Drive,
    /// What stands in the way.
    pub hindrances: Vec<Blocker>,
    /// What it answered when it was asked.
    pub answers: Capabilities,
    /// Every other drive that is there: none may carry the same label, or be the same drive and in use.
    pub beside: Vec<LookedAt>,
    /// Whether it was seen at work on its own erasure until a moment ago.
    pub was_watched: bool,
    place: DrivePlace,
}

/// Where a drive is.
#[derive(Clone)]
enum DrivePlace {
    Machine(System),
    Simulated(Box<SimDrive>),
}

/// Where drives are looked for.
pub enum Bench {
    /// This machine.
    Machine(System),
    /// The simulated bench.
    Simulated(Vec<jurex_sim::Bay>),
}

impl Bench {
    /// This machine, kept to the drives that the `only` list names, and off Jurex's own files.
    pub fn machine(only: &[String], places: &AppPaths) -> Self {
        Bench::Machine(system(only, places))
    }

    pub fn simulated(pacing: Pacing) -> Self {
        Self::of_bays(jurex_sim::SimBench::new(pacing).bays())
    }

    /// These bays; handles on the same simulated drives.
    pub fn of_bays(bays: &[jurex_sim::Bay]) -> Self {
        Bench::Simulated(bays.to_vec())
    }

    /// Every drive.
    pub fn drives(&self) -> Vec<DriveSnapshot> {
        let mut all: Vec<DriveSnapshot> = match self {
            Bench::Machine(system) => system.drives().into_iter().map(|f| DriveSnapshot::of_machine(system, f)).collect(),
            Bench::Simulated(bays) => bays.iter().filter(|b| b.drive.is_powered()).map(DriveSnapshot::of_bay).collect(),
        };
        let looked_at: Vec<LookedAt> = all.iter().map(DriveSnapshot::looked_at).collect();
        all.iter_mut().for_each(|seen| seen.stand_beside(&looked_at));
        all
    }
}

/// The drive that a command names: a path, or `sim:BAY`.
pub fn find(name: &OsStr, only: &[String], places: &AppPaths) -> Result<DriveSnapshot, Failure> {
    let Some(bay) = name.to_str().and_then(|n| n.strip_prefix("sim:")) else {
        return DriveSnapshot::on_machine(&system(only, places), Path::new(name));
    };
    let bench = jurex_sim::SimBench::new(Pacing::Real);
    match bay.parse().ok().and_then(|number| bench.bay(number)) {
        Some(bay) => {
            let mut seen = DriveSnapshot::of_bay(bay);
            let all: Vec<LookedAt> = bench.bays().iter().map(|b| DriveSnapshot::of_bay(b).looked_at()).collect();
            seen.stand_beside(&all);
            Ok(seen)
        }
        None => {
            let bays: Vec<String> = bench.bays().iter().map(|b| format!("sim:{}", b.number)).collect();
            let shown = jurex_pattern::text::printable(bay.as_bytes());
            Err(Failure::Use(format!("the simulated bench has no bay `{shown}`; it has {}", bays.join(", "))))
        }
    }
}

fn system(only: &[String], places: &AppPaths) -> System {
    let system = System::default().only(only).keeping(places.own_files());
    match Machine::find() {
        Ok(None) => system,
        Ok(Some(machine)) => system.started_from(machine.medium()),
        // What the medium has found can't be read: all media of ours are left alone then too.
        Err(_) => system.started_from(None),
    }
}

/// The drive, found again under its name once it is not at work on its own erasure any more: opening it before would only wait, and tell
/// nobody. `None`: nobody wanted to wait any longer. Nothing is sent to it.
///
/// # Errors
/// It is not there any more.
pub fn once_idle(
    seen: &DriveSnapshot,
    (name, only, places): (&OsStr, &[String], &AppPaths),
    tell: &mut dyn FnMut(Option<u16>),
    is_wanted: &mut dyn FnMut() -> bool,
) -> Result<Option<DriveSnapshot>, Failure> {
    let watched = seen.watch_its_own_erasure(tell, is_wanted);
    if watched == WatchedErase::LeftAtWork {
        return Ok(None);
    }
    seen.rescan();
    let now = find(name, only, places)?;
    Ok(Some(DriveSnapshot { was_watched: watched == WatchedErase::ToItsEnd, ..now }))
}

/// What came of watching a drive at work on an erasure of its own.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WatchedErase {
    /// It was not at work.
    WasNotAtWork,
    /// It is not at work any more.
    ToItsEnd,
    /// Nobody wanted to wait any longer.
    LeftAtWork,
}

/// About how long the sampling of a drive's speed takes.
const SAMPLE_TIME: Duration = Duration::from_millis(1200);

/// A sector's bytes before the job, kept in memory only, to be shown beside what is there afterwards.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SampledSector {
    /// Which sector.
    pub at: Lba,
    /// Its bytes.
    pub bytes: Vec<u8>,
}

/// Why something could not be read from a drive.
#[derive(Debug, thiserror::Error)]
pub enum ReadError {
    #[error(transparent)]
    Open(#[from] OpenError),
    #[error("{0}: {why}", why = .0.cause.os())]
    Read(#[from] MediumError),
}

impl DriveSnapshot {
    pub fn of_machine(system: &System, found: jurex_linux::DiscoveredDrive) -> Self {
        let place = DrivePlace::Machine(system.clone());
        Self {
            drive: found.drive,
            hindrances: found.hindrances,
            answers: found.answers,
            beside: vec![],
            was_watched: false,
            place,
        }
    }

    /// The drive at that path, with every other one beside it. An image stands beside nothing.
    fn on_machine(system: &System, path: &Path) -> Result<Self, Failure> {
        let mut seen = Self::of_machine(system, system.find(path)?);
        if seen.drive.bus != Bus::File {
            let others: Vec<LookedAt> = system.drives().into_iter().map(|f| (f.drive, f.hindrances)).collect();
            seen.stand_beside(&others);
        }
        Ok(seen)
    }

    /// What the guard is told of it.
    pub fn looked_at(&self) -> LookedAt {
        (self.drive.clone(), self.hindrances.clone())
    }

    /// Notes which other drives are there.
    pub fn stand_beside(&mut self, all: &[LookedAt]) {
        self.beside = all.iter().filter(|(other, _)| other.path != self.drive.path).cloned().collect();
    }

    fn of_bay(bay: &jurex_sim::Bay) -> Self {
        Self {
            drive: bay.drive.drive(),
            hindrances: bay.hindrances.iter().cloned().chain(guard::of_answers(&bay.answers())).collect(),
            answers: bay.answers(),
            beside: vec![],
            was_watched: false,
            place: DrivePlace::Simulated(Box::new(bay.drive.clone())),
        }
    }

    /// The guard's verdict on writing to it.
    pub fn verdict(&self) -> Result<Cleared, Refusal> {
        self.verdict_on(Scope::Sectors(self.drive.geometry.whole()).into())
    }

    /// The guard's verdict on what is intended.
    pub fn verdict_on(&self, intent: Intent) -> Result<Cleared, Refusal> {
        let all: Vec<LookedAt> = std::iter::once(self.looked_at()).chain(self.beside.iter().cloned()).collect();
        guard::check(intent, &all)
    }

    /// Looks at the system again, right before a job: the drive may have been taken into use since it was listed, and
    /// another one may have come that carries the same label. Gives the drive as it stands there now.
    pub fn still_free(&self, label: &DriveLabel, intent: Intent) -> Result<DriveSnapshot, Failure> {
        let DrivePlace::Machine(system) = &self.place else { return Ok(self.clone()) };
        let now = DriveSnapshot::on_machine(system, self.drive.file_path())?;
        let called = self.drive.called();
        let refused = |e| Failure::Refused(format!("{called} may not be erased any more: {e}. Nothing was written"));
        let cleared = now.verdict_on(intent).map_err(refused)?;
        if cleared.label() == label {
            return Ok(now);
        }
        Err(Failure::Refused(format!(
            "{called} was checked by its label, but the drives on this bench have changed since: now {} is asked for. Nothing was written",
            cleared.label().asks_for()
        )))
    }

    /// Reads at three places for about a second to learn how fast it is. Nothing is written.
    pub fn sample_speed(&self) -> Result<SpeedSample, ReadError> {
        let mut medium: Box<dyn Medium> = match &self.place {
            DrivePlace::Simulated(sim) => Box::new(sim.peek_at_speed()),
            DrivePlace::Machine(_) => self.peek()?,
        };
        let begun = Instant::now();
        Ok(SpeedSample::take(medium.as_mut(), SAMPLE_TIME, &|| begun.elapsed())?)
    }

    /// Opens it for reading, beside whoever uses it.
    pub fn peek(&self) -> Result<Box<dyn Medium + Send>, OpenError> {
        match &self.place {
            DrivePlace::Simulated(sim) => Ok(Box::new(sim.peek())),
            DrivePlace::Machine(system) => Ok(Box::new(self.peek_at(system)?)),
        }
    }

    /// Lets `work` read it by a backend with threads, beside whoever uses it: what comes is looked through beside the next request.
    ///
    /// # Errors
    /// As of [`Self::peek`].
    pub fn read_beside<R>(&self, work: impl FnOnce(&mut dyn Backend) -> R) -> Result<R, OpenError> {
        Ok(match &self.place {
            DrivePlace::Simulated(sim) => work(&mut Sequential::new(&mut sim.peek())),
            DrivePlace::Machine(system) => work(jurex_linux::backend(self.peek_at(system)?, Carrying::Threads).as_mut()),
        })
    }

    fn peek_at(&self, system: &System) -> Result<LinuxMedium, OpenError> {
        match self.gives_nothing() {
            Some(why) => Err(OpenError::Other { path: self.drive.path.clone(), cause: std::io::Error::other(why) }),
            None => jurex_linux::peek(system, &self.drive),
        }
    }

    /// Why the drive gives no sector now, if it has said so: the kernel would try each read again and again, some without end.
    pub fn gives_nothing(&self) -> Option<&'static str> {
        match self.answers.own_state {
            Some(OwnState::Running { .. }) => Some("it is at work on an erasure of its own"),
            Some(OwnState::Failed) => Some("an erasure of its own has failed"),
            Some(OwnState::Idle) | None => self.answers.security_locked.then_some("its security is locked"),
        }
    }

    /// Whether it was asked who it is and what it does, and has answered.
    pub fn has_answered(&self) -> bool {
        !self.hindrances.contains(&Blocker::NoAnswer)
    }

    /// Whether it is at work on an erasure of its own, by its own word.
    pub fn erases_itself(&self) -> bool {
        matches!(self.answers.own_state, Some(OwnState::Running { .. }))
    }

    /// Whether opening it waits for as long as it is at work on itself: the kernel wants to know its size first. A simulated drive
    /// opens at once.
    pub fn opening_waits(&self) -> bool {
        matches!(self.place, DrivePlace::Machine(_))
    }

    /// Takes its power away, or gives it back: of a simulated drive only.
    pub fn switch_power(&self) {
        if let DrivePlace::Simulated(sim) = &self.place {
            sim.set_power(!sim.is_powered());
        }
    }

    /// What of `needles` a laboratory would still find in any cell of a simulated drive; `None`: it is a real one, of which no
    /// program can know that.
    pub fn laboratory(&self) -> Option<Laboratory> {
        let DrivePlace::Simulated(sim) = &self.place else { return None };
        Some(sim.laboratory())
    }

    /// Whether something shuts the drive that can be taken away without erasing anything: a password, a failure mode.
    pub fn can_be_unlocked(&self) -> bool {
        self.answers.security_enabled || self.answers.own_state == Some(OwnState::Failed)
    }

    /// Takes Jurex's own password away, or ends the failure mode of a sanitize operation that failed. Says what came of it.
    ///
    /// # Errors
    /// It is in use, has another password, is frozen, does not leave its failure mode, or does not answer.
    pub fn unlock(&self) -> Result<String, Failure> {
        let called = self.drive.called();
        // It erases nothing; but a drive that somebody works on is not touched.
        let in_use = |h: &Blocker| matches!(h, Blocker::JobRunning | Blocker::ErasesItself { .. } | Blocker::NotListed);
        let hindrances: Vec<Blocker> = self.hindrances.iter().filter(|h| in_use(h)).cloned().collect();
        if !hindrances.is_empty() {
            return Err(Failure::Refused(format!("{called} is left as it is: {}", Refusal { hindrances })));
        }
        let mut drive = self.open()?;
        let Some(port) = drive.medium().port() else {
            return Err(Failure::Refused(format!("{called} has no password: there is no way to a drive's own commands here")));
        };
        let failed = self.answers.own_state == Some(OwnState::Failed);
        let done = if failed { leave_failure(port, self.drive.protocol) } else { unlock(port) };
        match done {
            Ok(()) if failed => {
                Ok(format!("{called} has left its failure mode. Nothing was erased by that: what was on it may be there still"))
            }
            Ok(()) if self.answers.security_enabled => {
                Ok(format!("{called}: the password `{PASSWORD}` is taken away. Nothing was erased."))
            }
            Ok(()) => Ok(format!("{called} has no password.")),
            Err(UnlockError::Drive(why)) => Err(Failure::Refused(format!("{called}: {why}"))),
            Err(UnlockError::Medium(e)) => {
                Err(Failure::Stopped(format!("{called} does not answer ({}). Nothing was erased", e.cause.os())))
            }
        }
    }

    /// What it answers when it is asked now.
    pub fn answers_now(&self) -> Option<Capabilities> {
        match &self.place {
            DrivePlace::Simulated(sim) => {
                let own = sim.own_answers();
                Some(Capabilities { health: self.answers.health.clone(), asked: self.answers.asked.clone(), ..own })
            }
            DrivePlace::Machine(system) => Some(system.find(self.drive.file_path()).ok()?.answers),
        }
    }

    /// Takes new answers, and what stands in the way by them.
    pub fn take_answers(&mut self, answers: Capabilities) {
        let by_answers = guard::of_answers(&self.answers);
        self.hindrances.retain(|h| !by_answers.contains(h));
        self.hindrances.extend(guard::of_answers(&answers));
        self.answers = answers;
    }

    /// How far it is with an erasure of its own, asked now; `None`: it is not at work on one.
    pub fn own_progress(&self) -> Option<Option<u16>> {
        match self.answers_now()?.own_state {
            Some(OwnState::Running { progress }) => Some(progress),
            Some(OwnState::Idle | OwnState::Failed) | None => None,
        }
    }

    /// Asks it again and again for as long as it is at work on an erasure of its own, and tells each time how far it is. Opening
    /// it would only wait, and tell nobody. Nothing is sent to it but questions.
    pub fn watch_its_own_erasure(&self, tell: &mut dyn FnMut(Option<u16>), is_wanted: &mut dyn FnMut() -> bool) -> WatchedErase {
        let mut watched = WatchedErase::WasNotAtWork;
        while let Some(progress) = self.own_progress() {
            tell(progress);
            watched = WatchedErase::ToItsEnd;
            if !is_wanted() {
                return WatchedErase::LeftAtWork;
            }
            std::thread::sleep(Duration::from_secs(2));
        }
        watched
    }

    /// Lets the system see its capacity anew.
    pub fn rescan(&self) {
        if let DrivePlace::Machine(system) = &self.place {
            // A drive that is not looked at anew keeps the size that it had, and is refused by that.
            let _ = system.rescan(self.drive.file_path());
        }
    }

    /// What is on it, and one sector of it. Where the drive can't be opened, the note says why.
    pub fn look(&self) -> (Contents, Option<SampledSector>) {
        match self.peek() {
            Ok(mut medium) => {
                let contents = contents::look(medium.as_mut());
                let sample = sample(medium.as_mut(), &contents);
                (contents, sample)
            }
            Err(e) => (Contents { note: Some(format!("The contents could not be read: {e}.")), ..Contents::default() }, None),
        }
    }

    /// Reads in the beacon's rhythm until told to end; gives the error that ended it, if one did.
    pub fn beacon(&self, go_on: &dyn Fn() -> bool) -> Result<(), ReadError> {
        let mut medium = self.peek()?;
        let mut buffer = AlignedBuffer::new(beacon::READ_BYTES.max(self.drive.geometry.logical as usize));
        let begun = Instant::now();
        while go_on() {
            if beacon::is_reading(begun.elapsed()) {
                beacon::flash(medium.as_mut(), &mut buffer, &mut SystemEntropy)?;
            } else {
                std::thread::sleep(Duration::from_millis(20));
            }
        }
        Ok(())
    }

    /// One sector as it is now.
    pub fn sector(&self, at: Lba) -> Option<SampledSector> {
        read_sector(self.peek().ok()?.as_mut(), at)
    }

    /// Opens it for erasing, for this process alone.
    pub fn open(&self) -> Result<OpenDrive, OpenError> {
        match &self.place {
            DrivePlace::Simulated(sim) => match sim.open() {
                Ok(medium) => Ok(OpenDrive::Simulated(medium)),
                Err(_) => Err(OpenError::JobRunning(self.drive.shown_path())),
            },
            DrivePlace::Machine(system) => Ok(OpenDrive::Machine(jurex_linux::open(system, &self.drive)?)),
        }
    }

    /// Opens it for proving, for this process alone; nothing can be written.
    pub fn open_to_read(&self) -> Result<OpenDrive, OpenError> {
        match &self.place {
            DrivePlace::Simulated(_) => self.open(),
            DrivePlace::Machine(system) => Ok(OpenDrive::Machine(jurex_linux::open_to_read(system, &self.drive)?)),
        }
    }

    /// What keeps it from being read and judged by that: something uses it, or it gives no sector.
    pub fn may_be_proved(&self) -> Result<(), Refusal> {
        let Err(Refusal { mut hindrances }) = self.verdict() else { return Ok(()) };
        hindrances.retain(Blocker::hinders_reading);
        if hindrances.is_empty() { Ok(()) } else { Err(Refusal { hindrances }) }
    }

    /// Opens it for erasing, and with it everything else that `scope` reaches: other namespaces of the unit, other paths to it.
    pub fn open_for(&self, scope: Scope) -> Result<(OpenDrive, Vec<HeldBeside>), OpenError> {
        let system = match &self.place {
            DrivePlace::Simulated(sim) => {
                let second = sim.second_namespace().filter(|_| scope == Scope::WholeUnit);
                let held = second.map(|(what, medium)| HeldBeside { what: Some(what), medium: Box::new(medium) });
                return Ok((self.open()?, held.into_iter().collect()));
            }
            DrivePlace::Machine(system) => system,
        };
        let reached = self.beside.iter().map(|(other, _)| other).filter(|other| match scope {
            Scope::WholeUnit => guard::is_of_the_same_unit(&self.drive, other),
            Scope::Namespace { .. } | Scope::Sectors(_) => false,
        });
        let held = |other| {
            let medium = Box::new(jurex_linux::open(system, other)?);
            Ok(HeldBeside { what: self.drive.namespace_called(other), medium })
        };
        let beside = reached.map(held).collect::<Result<_, OpenError>>()?;
        Ok((self.open()?, beside))
    }

    /// Its temperature now in degrees Celsius, if it tells.
    pub fn celsius(&self) -> Option<i16> {
        match &self.place {
            DrivePlace::Simulated(_) => self.answers.health.celsius,
            DrivePlace::Machine(system) => system.find(self.drive.file_path()).ok()?.answers.health.celsius,
        }
    }
}

/// Something else of the unit that is held as long as a job of the whole unit lasts.
pub struct HeldBeside {
    /// Its name in the drive's list of other storage, if it is another namespace and not another path to the same one.
    pub what: Option<String>,
    pub medium: Box<dyn Medium + Send>,
}

/// A drive that is open for this process alone.
pub enum OpenDrive {
    Machine(jurex_linux::LinuxMedium),
    Simulated(jurex_sim::SimMedium),
}

impl OpenDrive {
    pub fn medium(&mut self) -> &mut dyn Medium {
        match self {
            OpenDrive::Machine(medium) => medium,
            OpenDrive::Simulated(medium) => medium,
        }
    }

    /// Lets `work` be done by the backend that suits the drive, which reaches the namespaces held beside it too.
    pub fn with_backend_beside<'h, R>(self, beside: &'h mut [HeldBeside], work: impl FnOnce(&mut dyn Backend) -> R) -> R {
        let other = |held: &'h mut HeldBeside| Some(Sibling { what: held.what.clone()?, medium: held.medium.as_mut() });
        let others = beside.iter_mut().filter_map(other).collect();
        self.with_backend(|backend| work(&mut WithSiblings::new(backend, others)))
    }

    /// Lets `work` be done by the backend that suits the drive.
    pub fn with_backend<R>(self, work: impl FnOnce(&mut dyn Backend) -> R) -> R {
        match self {
            OpenDrive::Machine(medium) => work(jurex_linux::backend(medium, carrying()).as_mut()),
            OpenDrive::Simulated(mut medium) => work(&mut Sequential::new(&mut medium)),
        }
    }
}

/// `JUREX_IO=threads` leaves the kernel's queue unused, where it gives trouble.
fn carrying() -> Carrying {
    if std::env::var_os("JUREX_IO").is_some_and(|v| v == "threads") { Carrying::Threads } else { Carrying::AsCan }
}

/// A sector worth showing: the first one of a volume that holds more than one repeated byte, else the drive's first.
fn sample(medium: &mut dyn Medium, contents: &Contents) -> Option<SampledSector> {
    let starts = contents.regions.iter().rev().map(|r| r.at.first);
    let told = starts.filter_map(|at| read_sector(&mut *medium, at)).find(|s| s.bytes.iter().any(|b| *b != s.bytes[0]));
    told.or_else(|| read_sector(medium, Lba(0)))
}

fn read_sector(medium: &mut dyn Medium, at: Lba) -> Option<SampledSector> {
    let len = medium.geometry().logical as usize;
    let mut buffer = AlignedBuffer::new(len);
    medium.read(at, buffer.bytes()).ok()?;
    Some(SampledSector { at, bytes: buffer.bytes().to_vec() })
}
