//! ATA in SCSI ATA PASS-THROUGH(16): IDENTIFY DEVICE, SANITIZE DEVICE, the security feature set, the limits of what can be
//! addressed (ACS-3, SAT-3).

use super::{Hiding, Lie, Own, SimErasure, SimSanitize};
use crate::store::Store;
use jurex_device::media::{Drive, MediaClass};
use jurex_device::native::NativeErase;
use jurex_device::native::command::Answer;
use std::time::Duration;

/// The registers of a command.
struct CommandRegisters {
    command: u8,
    feature: u16,
    count: u16,
    lba: u64,
    asks_back: bool,
}

impl CommandRegisters {
    fn of(cdb: &[u8]) -> Self {
        let byte = |n: usize| u64::from(cdb[n]);
        Self {
            command: cdb[14],
            feature: u16::from_be_bytes([cdb[3], cdb[4]]),
            count: u16::from_be_bytes([cdb[5], cdb[6]]),
            lba: byte(8) | byte(10) << 8 | byte(12) << 16 | byte(7) << 24 | byte(9) << 32 | byte(11) << 40,
            asks_back: cdb[2] & 0x20 != 0,
        }
    }
}

/// Sense data with the registers of a finished command.
fn with_registers(key: u8, (status, error): (u8, u8), count: u16, lba: u64) -> Answer {
    let [l0, l1, l2, l3, l4, l5, ..] = lba.to_le_bytes();
    let [count_high, count_low] = count.to_be_bytes();
    let code = if key == 1 { 0x1d } else { 0 };
    let sense =
        vec![0x72, key, 0, code, 0, 0, 0, 14, 9, 12, 1, error, count_high, count_low, l3, l0, l4, l1, l5, l2, 0x40, status];
    Answer::Scsi { status: 2, sense, data: vec![] }
}

fn aborted(lba: u64) -> Answer {
    with_registers(0x0b, (0x51, 0x04), 0, lba)
}

fn done(registers: &CommandRegisters, count: u16, lba: u64) -> Answer {
    if registers.asks_back {
        with_registers(1, (0x50, 0), count, lba)
    } else {
        Answer::Scsi { status: 0, sense: vec![], data: vec![] }
    }
}

fn page(data: Vec<u8>) -> Answer {
    Answer::Scsi { status: 0, sense: vec![], data }
}

impl Own {
    pub(super) fn ata(&mut self, drive: &Drive, store: &mut Store, cdb: &[u8], sent: &[u8]) -> (Answer, Duration) {
        let registers = CommandRegisters::of(cdb);
        let prepared = std::mem::take(&mut self.prepared);
        let asked_native_end = std::mem::take(&mut self.asked_native_end);
        self.progress(store);
        let busy = matches!(self.sanitize, SimSanitize::Running { .. } | SimSanitize::Failed);
        let at_once = |answer| (answer, Duration::ZERO);
        match registers.command {
            0xec => at_once(page(self.identify_device(drive))),
            0xb4 => at_once(self.sanitize_device(&registers)),
            _ if busy => at_once(aborted(0)),
            0xf1..=0xf6 if self.has(NativeErase::SecurityErase) => self.security(store, &registers, sent, prepared),
            0x27 | 0xf8 if self.nature.hides_by == Hiding::ProtectedArea => {
                self.asked_native_end = true;
                at_once(done(&registers, 0, self.native - 1))
            }
            0x37 | 0xf9 if self.nature.hides_by == Hiding::ProtectedArea => {
                let allowed = asked_native_end && !self.locked && registers.lba < self.native;
                at_once(self.set_end(&registers, allowed, registers.count & 1 == 1))
            }
            0x78 if self.nature.hides_by == Hiding::AccessibleMax && registers.feature == 0 => {
                at_once(done(&registers, 0, self.native - 1))
            }
            0x78 if self.nature.hides_by == Hiding::AccessibleMax => {
                let allowed = !self.set_for_good && registers.lba < self.native;
                at_once(self.set_end(&registers, allowed, true))
            }
            0xb1 if self.nature.hides_by == Hiding::Configuration => at_once(self.configuration(&registers)),
            _ => at_once(aborted(0)),
        }
    }

    fn set_end(&mut self, registers: &CommandRegisters, allowed: bool, for_good: bool) -> Answer {
        if !allowed || (for_good && self.set_for_good) {
            return aborted(0);
        }
        self.gives = registers.lba + 1;
        if for_good {
            (self.gives_for_good, self.set_for_good) = (self.gives, true);
        }
        // The capacity has changed: the next command is told so.
        self.attention = true;
        done(registers, 0, registers.lba)
    }

    fn configuration(&mut self, registers: &CommandRegisters) -> Answer {
        match registers.feature & 0xff {
            0xc2 => {
                let mut data = vec![0u8; 512];
                data[0] = 2;
                data[6..14].copy_from_slice(&(self.native - 1).to_le_bytes());
                data[510] = 0xa5;
                data[511] = data.iter().fold(0u8, |s, b| s.wrapping_add(*b)).wrapping_neg();
                page(data)
            }
            0xc0 => {
                (self.gives, self.gives_for_good, self.attention) = (self.native, self.native, true);
                done(registers, 0, 0)
            }
            _ => aborted(0),
        }
    }

    fn sanitize_device(&mut self, registers: &CommandRegisters) -> Answer {
        let status = |own: &Self| {
            let (bits, progress) = match own.sanitize {
                SimSanitize::Running { asked, .. } => (1 << 14, u64::from(asked) * 20_000 % 65_000),
                SimSanitize::Done => (1 << 15, 0xffff),
                SimSanitize::Never | SimSanitize::Failed => (0, 0xffff),
            };
            done(registers, bits, progress)
        };
        let wanted = match (registers.feature, registers.lba & 0xffff_ffff, registers.lba >> 32) {
            (0x00, ..) if registers.count & 1 != 0 && self.leave_failure() => return status(self),
            (0x00, ..) if self.sanitize == SimSanitize::Failed => return aborted(1),
            (0x00, ..) => return status(self),
            (0x11, 0x4372_7970, _) if self.has(NativeErase::SanitizeCrypto) => SimErasure::Crypto,
            (0x12, 0x426b_4572, _) if self.has(NativeErase::SanitizeBlock) => SimErasure::Block,
            (0x14, _, 0x4f57) if self.has(NativeErase::SanitizeOverwrite) => SimErasure::Overwrite,
            _ => return aborted(2),
        };
        if self.locked || matches!(self.sanitize, SimSanitize::Running { .. }) {
            return aborted(0);
        }
        if self.lies(Lie::Hangs) {
            return Answer::Lost { why: "it does not answer".into() };
        }
        self.start(wanted, registers.count & 0x10 != 0);
        status(self)
    }

    fn security(&mut self, store: &mut Store, registers: &CommandRegisters, sent: &[u8], prepared: bool) -> (Answer, Duration) {
        let at_once = |answer| (answer, Duration::ZERO);
        if self.frozen {
            return at_once(aborted(0));
        }
        let given = sent.get(2..34).map(<[u8]>::to_vec);
        let right = given.is_some() && self.password == given;
        match registers.command {
            0xf1 if !self.locked && given.is_some() => self.password = given,
            0xf2 if right => self.locked = false,
            0xf3 => self.prepared = true,
            0xf4 if prepared && right && !self.lies(Lie::Aborts) => {
                let enhanced = sent[0] & 2 != 0;
                if enhanced && !self.has(NativeErase::SecurityEraseEnhanced) {
                    return at_once(aborted(0));
                }
                let kind = match (enhanced, self.nature.encrypts) {
                    (true, true) => SimErasure::Crypto,
                    (true, false) => SimErasure::Block,
                    (false, _) => SimErasure::Mapped,
                };
                if !self.carry_out(store, kind) {
                    return (aborted(0), self.while_busy());
                }
                (self.password, self.locked) = (None, false);
                return (done(registers, 0, 0), self.while_busy());
            }
            0xf5 => self.frozen = true,
            0xf6 if right && !self.locked => self.password = None,
            _ => return at_once(aborted(0)),
        }
        at_once(done(registers, 0, 0))
    }

    fn identify_device(&self, drive: &Drive) -> Vec<u8> {
        let mut data = vec![0u8; 512];
        let mut put = |word: usize, value: u16| data[2 * word..2 * word + 2].copy_from_slice(&value.to_le_bytes());
        let bit = |set: bool, n: u32| u16::from(set) << n;
        let sanitizes =
            [NativeErase::SanitizeCrypto, NativeErase::SanitizeOverwrite, NativeErase::SanitizeBlock].map(|e| self.has(e));
        let [crypto, overwrite, block] = sanitizes;
        put(59, bit(sanitizes.contains(&true), 12) | bit(crypto, 13) | bit(overwrite, 14) | bit(block, 15));
        let (hpa, dco) = (self.nature.hides_by == Hiding::ProtectedArea, self.nature.hides_by == Hiding::Configuration);
        let amax = self.nature.hides_by == Hiding::AccessibleMax;
        let security = self.has(NativeErase::SecurityErase);
        put(82, bit(security, 1) | bit(hpa, 10));
        put(83, 0x4000 | 1 << 10 | bit(dco, 11));
        for (i, word) in (100..104).enumerate() {
            put(word, (self.gives >> (16 * i)) as u16);
        }
        put(106, 0x4000);
        put(119, 0x4000 | bit(amax, 8));
        let minutes = |erase| self.nature.times.iter().find(|t| t.erase == erase).map_or(0, |t| t.seconds.div_ceil(120) as u16);
        put(89, minutes(NativeErase::SecurityErase));
        put(90, minutes(NativeErase::SecurityEraseEnhanced));
        let enhanced = self.has(NativeErase::SecurityEraseEnhanced);
        let states = bit(self.password.is_some(), 1) | bit(self.locked, 2) | bit(self.frozen, 3) | bit(enhanced, 5);
        put(128, bit(security, 0) | states);
        put(217, if drive.class == MediaClass::SolidState { 1 } else { 7200 });
        data[510] = 0xa5;
        data[511] = data.iter().fold(0u8, |s, b| s.wrapping_add(*b)).wrapping_neg();
        data
    }
}
