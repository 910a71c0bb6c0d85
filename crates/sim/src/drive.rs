//! A simulated drive and the medium through which the engine works on it.

use crate::counterfeit::{Counterfeit, False};
use crate::own::{Nature, Own};
use crate::speed::{Pacer, Pacing, SpeedShape, sleep_until};
use crate::store::Store;
use jurex_device::media::{Drive, Elsewhere, Geometry};
use jurex_device::medium::Port;
use jurex_device::medium::{Access, Cause, Medium, MediumError, Op};
use jurex_device::native::Capabilities;
use jurex_device::native::command::{Answer, Command};
use jurex_pattern::units::{Lba, Sectors, si_size};
use std::io;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

/// How the cells of a drive behave.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum CellKind {
    /// Platters: written in place.
    Magnetic,
    /// Flash: written to fresh cells, the old ones kept among this many spare ones per hundred addressable.
    Flash {
        /// Spare cells per hundred addressable ones.
        spare_percent: u32,
    },
}

/// Something that goes wrong on a simulated drive.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fault {
    /// These sectors can't be read.
    Unreadable(Sectors),
    /// These sectors can't be written.
    Unwritable(Sectors),
    /// Writes to these sectors are acknowledged and dropped.
    DropsWrites(Sectors),
    /// The drive goes away after so many more reads and writes.
    VanishesAfter(u64),
}

struct SimState {
    store: Store,
    own: Own,
    /// How often its power was taken away: each time it comes back it is attached anew.
    power_cycles: u32,
    powered: bool,
    faults: Vec<Fault>,
    /// What makes it hold less than it says.
    false_size: Option<False>,
    pacer: Pacer,
    in_use: bool,
}

/// What a laboratory would still read, in bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Laboratory {
    /// In cells that some address reaches, hidden or not.
    pub at_addresses: u64,
    /// In cells that no address reaches: spare ones, and those that went out of use.
    pub beyond: u64,
}

/// A simulated drive. Clones are handles on the same drive.
#[derive(Clone)]
pub struct SimDrive {
    drive: Drive,
    shape: SpeedShape,
    pacing: Pacing,
    state: Arc<Mutex<SimState>>,
}

impl SimDrive {
    /// A drive of zeros.
    pub fn new(drive: Drive, kind: CellKind, shape: SpeedShape, pacing: Pacing) -> Self {
        Self::with_nature(drive, kind, shape, pacing, Nature::default())
    }

    /// A drive of zeros that answers commands of its own. The geometry of `drive` is that of all its sectors, hidden ones and
    /// those of a second namespace included.
    pub fn with_nature(drive: Drive, kind: CellKind, shape: SpeedShape, pacing: Pacing, nature: Nature) -> Self {
        let bytes = drive.geometry.bytes();
        let spare = match kind {
            CellKind::Magnetic => 0,
            CellKind::Flash { spare_percent } => {
                (bytes / crate::store::PAGE as u64 * u64::from(spare_percent) / 100).max(4) as u32
            }
        };
        let state = SimState {
            store: Store::new(bytes, spare),
            own: Own::new(nature, drive.geometry.sectors, pacing),
            power_cycles: 0,
            powered: true,
            faults: vec![],
            false_size: None,
            pacer: Pacer::default(),
            in_use: false,
        };
        Self { drive, shape, pacing, state: Arc::new(Mutex::new(state)) }
    }

    fn state(&self) -> MutexGuard<'_, SimState> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// What the drive says of itself now.
    pub fn drive(&self) -> Drive {
        let state = self.state();
        self.drive_in(&state)
    }

    fn second_namespace_in(&self, state: &SimState) -> Option<String> {
        let sectors = state.own.nature.second_namespace;
        (sectors > 0).then(|| format!("Namespace 2 ({})", si_size(self.drive.geometry.bytes_of(sectors))))
    }

    /// Its second namespace, with its name in the drive's list of other storage; `None`: it has one alone.
    pub fn second_namespace(&self) -> Option<(String, SimNamespace)> {
        let what = self.second_namespace_in(&self.state())?;
        Some((what, SimNamespace { drive: self.clone() }))
    }

    fn drive_in(&self, state: &SimState) -> Drive {
        let mut drive = self.drive.clone();
        drive.geometry.sectors = state.own.sectors();
        drive.hidden = state.own.hidden();
        if let Some(what) = self.second_namespace_in(state) {
            drive.elsewhere = vec![Elsewhere { what, user_data: true, no_address: false }];
        }
        if state.power_cycles > 0 {
            drive.attachment.instance = Some(format!("power cycle {}", state.power_cycles));
        }
        drive
    }

    /// Sectors that its cells hold, reached by the host or not.
    pub fn native_sectors(&self) -> u64 {
        self.drive.geometry.sectors
    }

    /// Its spare cells are as they were when it came from its maker.
    pub(crate) fn forget_what_was_before(&self) {
        self.state().store.forget_spares();
    }

    /// What a laboratory would find in its cells that is neither blank nor noise: kilobytes at addresses, hidden ones and those
    /// of other namespaces among them, and kilobytes that no address reaches.
    pub fn laboratory(&self) -> Laboratory {
        let (at_addresses, beyond) = self.state().store.legible();
        Laboratory { at_addresses, beyond }
    }

    /// What it answers when it is asked what it can do to itself.
    pub fn own_answers(&self) -> Capabilities {
        let state = &mut *self.state();
        state.own.answers(&mut state.store)
    }

    /// Takes its power away and gives it back.
    pub fn power_cycle(&self) {
        let state = &mut *self.state();
        state.own.power_cycle(&mut state.store);
        state.power_cycles += 1;
    }

    /// Takes its power away, or gives it back. Without power it answers nothing.
    pub fn set_power(&self, on: bool) {
        if on && !self.is_powered() {
            self.power_cycle();
        }
        self.state().powered = on;
    }

    /// Whether it has power.
    pub fn is_powered(&self) -> bool {
        self.state().powered
    }

    /// Lets the drive replace the cell that holds this sector: the old one keeps its content, out of every reach.
    pub fn retire(&self, at: Lba) {
        let offset = self.drive.geometry.bytes_of(at.0);
        self.state().store.retire(offset);
    }

    /// Writes to cells that the host does not reach now: hidden ones, and those of a second namespace.
    pub fn write_beyond(&self, at: Lba, data: &[u8]) {
        let offset = self.drive.geometry.bytes_of(at.0);
        self.state().store.write(offset, data);
    }

    /// Lets a fault happen from now on.
    pub fn add_fault(&self, fault: Fault) {
        self.state().faults.push(fault);
    }

    /// It holds less than it says from now on: what lay beyond is gone, and was never there.
    pub fn make_counterfeit(&self, nature: Counterfeit) {
        let state = &mut *self.state();
        state.store.blank_from(self.drive.geometry.bytes_of(nature.holds));
        state.false_size = Some(False::new(nature));
    }

    /// Fills the drive before it is first looked at.
    pub(crate) fn prepare(&self, fill: impl FnOnce(&mut Store)) {
        let mut state = self.state();
        fill(&mut state.store);
        state.store.forget_spares();
    }

    /// Whether any cell, reachable by an address or not, holds `needle`: the physical truth that no host command tells.
    pub fn cells_hold(&self, needle: &[u8]) -> bool {
        self.state().store.holds_anywhere(needle)
    }

    /// Whether a cell that some address would reach, hidden or not, holds `needle`.
    pub fn addresses_hold(&self, needle: &[u8]) -> bool {
        self.state().store.holds_at_an_address(needle)
    }

    /// Opens the drive for reading only, at full speed, as a look does.
    pub fn peek(&self) -> SimMedium {
        SimMedium { drive: self.clone(), exclusive: false, pacing: Pacing::Unpaced }
    }

    /// Opens the drive for reading only, at its own speed, so that the speed can be sampled.
    pub fn peek_at_speed(&self) -> SimMedium {
        SimMedium { drive: self.clone(), exclusive: false, pacing: self.pacing }
    }

    /// How long the drive takes for these sectors when it takes its time.
    pub fn time_for(&self, at: Sectors, reading: bool) -> Duration {
        let geometry = self.drive.geometry;
        let position = at.first.0 as f64 / geometry.sectors.max(1) as f64;
        let factor = if reading { self.shape.read_factor } else { 1.0 };
        Duration::from_secs_f64(geometry.bytes_of(at.count) as f64 / (self.shape.at(position) * factor))
    }

    /// Opens the drive exclusively.
    ///
    /// # Errors
    /// `ResourceBusy` if it is open exclusively already.
    pub fn open(&self) -> io::Result<SimMedium> {
        if std::mem::replace(&mut self.state().in_use, true) {
            return Err(io::ErrorKind::ResourceBusy.into());
        }
        Ok(SimMedium { drive: self.clone(), exclusive: true, pacing: self.pacing })
    }
}

/// An open simulated drive.
pub struct SimMedium {
    drive: SimDrive,
    exclusive: bool,
    pacing: Pacing,
}

impl Drop for SimMedium {
    fn drop(&mut self) {
        if self.exclusive {
            self.drive.state().in_use = false;
        }
    }
}

impl SimMedium {
    /// What the script says of an operation; counts it.
    fn check(state: &mut SimState, op: Op, at: Sectors) -> Result<(), MediumError> {
        let error = |cause| Err(MediumError { op, at: Some(at), cause });
        if !state.powered {
            return error(Cause::Gone(io::Error::other("no such device")));
        }
        if let (Some(why), Op::Read | Op::Write) = (state.own.gives_nothing(), op) {
            return error(Cause::BadSector(io::Error::other(why)));
        }
        if op == Op::Read && state.own.has_left_unreadable(at) {
            return error(Cause::BadSector(io::Error::other("unrecovered read error")));
        }
        for fault in &mut state.faults {
            let hit = |bad: &Sectors| bad.first.0 < at.end() && at.first.0 < bad.end();
            match (fault, op) {
                (Fault::VanishesAfter(0), _) => return error(Cause::Gone(io::Error::other("no such device"))),
                (Fault::VanishesAfter(left), Op::Read | Op::Write | Op::Command) => *left -= 1,
                (Fault::Unreadable(bad), Op::Read) if hit(bad) => {
                    return error(Cause::BadSector(io::Error::other("medium error")));
                }
                (Fault::Unwritable(bad), Op::Write) if hit(bad) => {
                    return error(Cause::BadSector(io::Error::other("medium error")));
                }
                _ => {}
            }
        }
        Ok(())
    }

    fn stretch(&self, at: Lba, len: usize) -> Sectors {
        Sectors::new(at.0, len as u64 / u64::from(self.geometry().logical))
    }

    fn work(&mut self, op: Op, at: Sectors, act: impl FnOnce(&mut SimState)) -> Result<(), MediumError> {
        if at.end() > self.geometry().sectors {
            let cause = Cause::Refused(io::Error::new(io::ErrorKind::InvalidInput, "past the end of the drive"));
            return Err(MediumError { op, at: Some(at), cause });
        }
        let cost = self.drive.time_for(at, op == Op::Read);
        let mut state = self.drive.state();
        let answer = Self::check(&mut state, op, at);
        if answer.is_ok() {
            act(&mut state);
        }
        let due = (self.pacing == Pacing::Real).then(|| state.pacer.owe(cost));
        drop(state);
        due.into_iter().for_each(sleep_until);
        answer
    }
}

impl Medium for SimMedium {
    fn geometry(&self) -> Geometry {
        self.drive.drive().geometry
    }

    fn access(&self) -> Access {
        Access { exclusive: self.exclusive, ..Access::DIRECT }
    }

    fn identify(&mut self) -> Result<Drive, MediumError> {
        let at = Sectors::new(0, 0);
        Self::check(&mut self.drive.state(), Op::Identify, at).map_err(|e| MediumError { at: None, ..e })?;
        Ok(self.drive.drive())
    }

    fn read(&mut self, at: Lba, out: &mut [u8]) -> Result<(), MediumError> {
        let stretch = self.stretch(at, out.len());
        let geometry = self.geometry();
        self.work(Op::Read, stretch, |state| match &mut state.false_size {
            Some(counterfeit) => counterfeit.read(&state.store, at, geometry.logical as usize, out),
            None => state.store.read(geometry.bytes_of(at.0), out),
        })
    }

    fn write(&mut self, at: Lba, data: &[u8]) -> Result<(), MediumError> {
        let stretch = self.stretch(at, data.len());
        let sector = u64::from(self.geometry().logical);
        self.work(Op::Write, stretch, |state| {
            state.own.note_write(stretch);
            if let Some(counterfeit) = &mut state.false_size {
                return counterfeit.write(&mut state.store, at, sector as usize, data);
            }
            let dropped = |lba: u64| state.faults.iter().any(|f| matches!(f, Fault::DropsWrites(bad) if bad.contains(Lba(lba))));
            if !state.faults.iter().any(|f| matches!(f, Fault::DropsWrites(_))) {
                return state.store.write(at.0 * sector, data);
            }
            let kept: Vec<u64> = (stretch.first.0..stretch.end()).filter(|lba| !dropped(*lba)).collect();
            for lba in kept {
                let from = ((lba - at.0) * sector) as usize;
                state.store.write(lba * sector, &data[from..from + sector as usize]);
            }
        })
    }

    fn flush(&mut self) -> Result<(), MediumError> {
        Self::check(&mut self.drive.state(), Op::Flush, Sectors::new(0, 0)).map_err(|e| MediumError { at: None, ..e })
    }

    fn port(&mut self) -> Option<&mut dyn Port> {
        Some(self)
    }
}

/// The second namespace of a simulated drive.
pub struct SimNamespace {
    drive: SimDrive,
}

impl SimNamespace {
    /// The sectors of the unit that these of the namespace are.
    fn of_unit(&self, at: Lba, len: usize) -> Result<Sectors, MediumError> {
        let geometry = self.geometry();
        let stretch = Sectors::new(at.0, len as u64 / u64::from(geometry.logical));
        if stretch.end() > geometry.sectors {
            let cause = Cause::Refused(io::Error::new(io::ErrorKind::InvalidInput, "past the end of the namespace"));
            return Err(MediumError { op: Op::Read, at: Some(stretch), cause });
        }
        let first = self.drive.state().own.first_of_second_namespace();
        Ok(Sectors::new(first + at.0, stretch.count))
    }
}

impl Medium for SimNamespace {
    fn geometry(&self) -> Geometry {
        let sectors = self.drive.state().own.nature.second_namespace;
        Geometry { sectors, ..self.drive.drive.geometry }
    }

    fn access(&self) -> Access {
        Access::DIRECT
    }

    fn identify(&mut self) -> Result<Drive, MediumError> {
        Ok(Drive { geometry: self.geometry(), ..self.drive.drive() })
    }

    fn read(&mut self, at: Lba, out: &mut [u8]) -> Result<(), MediumError> {
        let (of_unit, geometry) = (self.of_unit(at, out.len())?, self.geometry());
        let state = &mut *self.drive.state();
        SimMedium::check(state, Op::Read, of_unit)?;
        state.store.read(geometry.bytes_of(of_unit.first.0), out);
        Ok(())
    }

    fn write(&mut self, at: Lba, data: &[u8]) -> Result<(), MediumError> {
        let (of_unit, geometry) = (self.of_unit(at, data.len())?, self.geometry());
        let state = &mut *self.drive.state();
        SimMedium::check(state, Op::Write, of_unit)?;
        state.own.note_write(of_unit);
        state.store.write(geometry.bytes_of(of_unit.first.0), data);
        Ok(())
    }

    fn flush(&mut self) -> Result<(), MediumError> {
        SimMedium::check(&mut self.drive.state(), Op::Flush, Sectors::new(0, 0)).map_err(|e| MediumError { at: None, ..e })
    }
}

impl Port for SimMedium {
    fn send(&mut self, command: &Command) -> Result<Answer, MediumError> {
        let (answer, takes) = {
            let state = &mut *self.drive.state();
            Self::check(state, Op::Command, Sectors::new(0, 0)).map_err(|e| MediumError { at: None, ..e })?;
            let drive = self.drive.drive_in(state);
            state.own.answer(&drive, &mut state.store, command)
        };
        std::thread::sleep(takes);
        Ok(answer)
    }

    fn rescan(&mut self) -> Result<(), MediumError> {
        Ok(())
    }
}
