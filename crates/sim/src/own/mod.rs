//! What a simulated drive does to itself when it is told to by its own commands: the same bytes that go to a real drive are
//! taken apart here, acted on, and answered. Written from the standards, apart from the code that makes the bytes.

mod ata;
mod mmc;
mod nvme;
mod scsi;
mod tcg;

use crate::speed::Pacing;
use crate::store::Store;
use jurex_device::media::{Drive, HiddenAreas, Protocol};
use jurex_device::native::command::{Answer, Command, Image};
use jurex_device::native::mmc::Removal;
use jurex_device::native::{Capabilities, NativeErase, OwnState, OwnTime};
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::Sectors;
use std::time::{Duration, Instant};

/// What a drive can do to itself.
#[derive(Clone, Debug, Default)]
pub struct Nature {
    /// The erasures that it offers.
    pub own: Vec<NativeErase>,
    /// How long it says that they take, in seconds.
    pub times: Vec<OwnTime>,
    /// Whether everything that it keeps is encrypted under a key of its own.
    pub encrypts: bool,
    /// Whether the machine's firmware freezes its security commands when the machine starts.
    pub frozen_at_start: bool,
    /// How long each erasure takes where drives take their time.
    pub takes: Duration,
    /// Sectors that it gives to the host, where it hides the rest.
    pub gives: Option<u64>,
    /// By which feature it hides them.
    pub hides_by: Hiding,
    /// Sectors of a second namespace, at the end of its cells.
    pub second_namespace: u64,
    /// What is printed on its label to revert it by; it then speaks TCG Opal.
    pub psid: Option<String>,
    /// Locking ranges beside the global one, each of one page.
    pub locking_ranges: u8,
    /// What a block erasure leaves that was asked to deallocate nothing (NVM Express).
    pub leaves: BlockEraseLeaves,
    /// SECURE_REMOVAL_TYPE, of an embedded device.
    pub removal: u8,
    /// How it lies and breaks.
    pub lies: Vec<Lie>,
}

/// What a block erasure leaves that was asked to deallocate nothing.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum BlockEraseLeaves {
    /// Sectors that are read as they are.
    #[default]
    Readable,
    /// Sectors that give an error until something is written to them.
    Unreadable,
    /// Deallocated sectors all the same, and it says so.
    Deallocated,
}

/// How sectors are hidden.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Hiding {
    /// Host protected area.
    #[default]
    ProtectedArea,
    /// Accessible maximum.
    AccessibleMax,
    /// Device configuration overlay.
    Configuration,
}

/// Something that a drive does otherwise than it should.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Lie {
    /// It says that it has erased itself, and has not.
    Nothing,
    /// It says that it has a new key, and keeps the old one.
    KeepsKey,
    /// It erases what is addressable, and not its spare and replaced cells.
    SkipsSpare,
    /// It erases half of its cells and says that it has erased all.
    Half,
    /// It erases half and then fails, and says so.
    Fails,
    /// Its progress goes backwards.
    Backwards,
    /// It never answers the command that starts an erasure.
    Hangs,
    /// It forgets an erasure when its power is cut in the middle.
    ForgetsByCut,
    /// It fails an erasure when its power is cut in the middle.
    FailsByCut,
    /// It aborts SECURITY ERASE UNIT and keeps the password.
    Aborts,
    /// Its last locking range takes no new key.
    RangeFails,
}

/// An erasure.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum SimErasure {
    Overwrite,
    Block,
    Crypto,
    /// What is addressable up to the native end, and nothing else.
    Mapped,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum SimSanitize {
    Never,
    Running { kind: SimErasure, began: Instant, asked: u32 },
    Done,
    Failed,
}

/// What a drive remembers.
#[derive(Debug)]
pub(crate) struct Own {
    pub(crate) nature: Nature,
    pacing: Pacing,
    native: u64,
    /// Kept over a power cycle.
    password: Option<Vec<u8>>,
    sanitize: SimSanitize,
    /// Whether the last operation was begun with leave to end its failure mode (AUSE, FAILURE MODE).
    may_leave_failure: bool,
    cdw10: u32,
    written_since: bool,
    /// After an erasure that leaves its sectors unreadable: those that were written since.
    readable: Option<RangeSet>,
    gives: u64,
    gives_for_good: u64,
    opal_in_use: bool,
    tcg: tcg::ComIdState,
    /// Until the next power cycle.
    locked: bool,
    frozen: bool,
    prepared: bool,
    asked_native_end: bool,
    set_for_good: bool,
    attention: bool,
    grouped: Option<u32>,
}

/// Questions after which an erasure is over where drives take no time.
const QUESTIONS: u32 = 3;

impl Own {
    pub(crate) fn new(nature: Nature, native: u64, pacing: Pacing) -> Self {
        let gives = nature.gives.unwrap_or(native) - if nature.gives.is_none() { nature.second_namespace } else { 0 };
        Self {
            pacing,
            native: native - nature.second_namespace,
            password: None,
            sanitize: SimSanitize::Never,
            may_leave_failure: false,
            cdw10: 0,
            written_since: true,
            readable: None,
            gives,
            gives_for_good: gives,
            opal_in_use: nature.psid.is_some(),
            tcg: tcg::ComIdState::default(),
            locked: false,
            frozen: nature.frozen_at_start,
            prepared: false,
            asked_native_end: false,
            set_for_good: false,
            attention: false,
            grouped: None,
            nature,
        }
    }

    /// Sectors that the host can address now.
    pub(crate) fn sectors(&self) -> u64 {
        self.gives
    }

    /// The first cell of the second namespace, which lies behind the first one.
    pub(crate) fn first_of_second_namespace(&self) -> u64 {
        self.native
    }

    pub(crate) fn hidden(&self) -> HiddenAreas {
        match self.native - self.gives {
            0 => HiddenAreas::None,
            sectors => HiddenAreas::Hidden { sectors },
        }
    }

    /// Why no sector can be read or written now.
    pub(crate) fn gives_nothing(&self) -> Option<&'static str> {
        match self.sanitize {
            SimSanitize::Running { .. } => Some("it erases itself"),
            SimSanitize::Failed => Some("its own erasure has failed"),
            SimSanitize::Never | SimSanitize::Done => self.locked.then_some("it is locked"),
        }
    }

    pub(crate) fn note_write(&mut self, at: Sectors) {
        self.written_since = true;
        self.readable.iter_mut().for_each(|readable| readable.insert(at));
    }

    /// Whether its erasure has left any of these sectors so that it can't be read.
    pub(crate) fn has_left_unreadable(&self, at: Sectors) -> bool {
        self.readable.as_ref().is_some_and(|readable| !readable.covers_all(at))
    }

    fn has(&self, erase: NativeErase) -> bool {
        self.nature.own.contains(&erase)
    }

    fn lies(&self, lie: Lie) -> bool {
        self.nature.lies.contains(&lie)
    }

    /// What the drive tells of itself beyond its sectors.
    pub(crate) fn answers(&mut self, store: &mut Store) -> Capabilities {
        let own_state = match self.progress(store) {
            Some(progress) => OwnState::Running { progress: Some(progress) },
            None if self.sanitize == SimSanitize::Failed => OwnState::Failed,
            None => OwnState::Idle,
        };
        Capabilities {
            own_erases: self.nature.own.clone(),
            own_times: self.nature.times.clone(),
            security_frozen: self.frozen,
            security_locked: self.locked,
            security_enabled: self.password.is_some(),
            own_state: Some(own_state),
            // What its Identify Controller tells (FNA bit 1).
            removal: Removal::of(self.nature.removal),
            format_reaches_all: self.has(NativeErase::Format),
            ..Capabilities::default()
        }
    }

    /// How far an erasure that runs by itself is, in parts of 65536; `None`: none runs. It ends when its time is over.
    fn progress(&mut self, store: &mut Store) -> Option<u16> {
        let SimSanitize::Running { kind, began, asked } = &mut self.sanitize else { return None };
        *asked += 1;
        let share = match self.pacing {
            Pacing::Real => began.elapsed().as_secs_f64() / self.nature.takes.as_secs_f64().max(0.001),
            Pacing::Unpaced => f64::from(*asked) / f64::from(QUESTIONS),
        };
        let (kind, asked) = (*kind, *asked);
        if share >= 1.0 {
            let ends_well = self.carry_out(store, kind);
            self.sanitize = if ends_well { SimSanitize::Done } else { SimSanitize::Failed };
            return None;
        }
        let told = if self.lies(Lie::Backwards) && asked.is_multiple_of(2) { share / 3.0 } else { share };
        Some((told * 65536.0) as u16)
    }

    /// Does to the cells what that erasure does, or what this drive does in its place. Gives whether it says that it ended well.
    fn carry_out(&mut self, store: &mut Store, kind: SimErasure) -> bool {
        self.written_since = false;
        let keeps_its_map = self.cdw10 & 1 << 9 != 0;
        let unreadable = kind == SimErasure::Block && keeps_its_map && self.nature.leaves == BlockEraseLeaves::Unreadable;
        self.readable = unreadable.then(RangeSet::new);
        let half = self.lies(Lie::Half) || self.lies(Lie::Fails);
        match kind {
            _ if self.lies(Lie::Nothing) => {}
            SimErasure::Crypto if self.lies(Lie::KeepsKey) => {}
            _ if half => store.erase_half(0),
            SimErasure::Crypto => store.new_key(),
            SimErasure::Mapped => store.erase_mapped(0),
            SimErasure::Overwrite | SimErasure::Block if self.lies(Lie::SkipsSpare) => store.erase_mapped(0),
            SimErasure::Overwrite | SimErasure::Block => store.erase_all(0),
        }
        !self.lies(Lie::Fails)
    }

    /// The failure mode ends, if the operation was begun with leave for it.
    fn leave_failure(&mut self) -> bool {
        let leaves = self.sanitize == SimSanitize::Failed && self.may_leave_failure;
        if leaves {
            self.sanitize = SimSanitize::Never;
        }
        leaves
    }

    fn start(&mut self, kind: SimErasure, may_leave_failure: bool) {
        self.may_leave_failure = may_leave_failure;
        self.sanitize = SimSanitize::Running { kind, began: Instant::now(), asked: 0 };
    }

    /// Waits as long as an erasure takes that is answered at its end.
    fn while_busy(&self) -> Duration {
        if self.pacing == Pacing::Real { self.nature.takes } else { Duration::ZERO }
    }

    /// The power goes and comes back.
    pub(crate) fn power_cycle(&mut self, store: &mut Store) {
        if let SimSanitize::Running { .. } = self.sanitize {
            if self.lies(Lie::ForgetsByCut) || self.lies(Lie::FailsByCut) {
                store.erase_half(0);
            }
            if self.lies(Lie::ForgetsByCut) {
                self.sanitize = SimSanitize::Never;
            } else if self.lies(Lie::FailsByCut) {
                self.sanitize = SimSanitize::Failed;
            }
        }
        self.locked = self.password.is_some();
        // The machine's firmware is not there to freeze it again: the machine stays on.
        (self.frozen, self.prepared, self.asked_native_end, self.set_for_good) = (false, false, false, false);
        self.gives = self.gives_for_good;
        self.attention = true;
    }

    /// Answers one command. What takes time is told beside the answer.
    pub(crate) fn answer(&mut self, drive: &Drive, store: &mut Store, command: &Command) -> (Answer, Duration) {
        let sent = command.data_sent();
        match &command.image {
            Image::Scsi(_) if std::mem::take(&mut self.attention) => {
                (Answer::Scsi { status: 2, sense: vec![0x72, 6, 0x29, 0, 0, 0, 0, 0], data: vec![] }, Duration::ZERO)
            }
            Image::Scsi(cdb) if cdb[0] == 0x85 && drive.protocol == Protocol::Ata => self.ata(drive, store, cdb, sent),
            Image::Scsi(cdb) => self.scsi(store, cdb, command),
            Image::Nvme { opcode, namespace, cdw10, .. } => self.nvme(drive, store, (*opcode, *namespace, *cdw10), command),
            Image::Mmc { index, argument } => self.mmc(store, *index, *argument),
            Image::Opal(call) => self.opal(store, call),
        }
    }
}
