//! NVM Express: Identify, the sanitize status log page, Sanitize and Format NVM (base specification 1.4).

use super::{BlockEraseLeaves, Lie, Own, SimErasure, SimSanitize};
use crate::store::Store;
use jurex_device::media::Drive;
use jurex_device::native::NativeErase;
use jurex_device::native::command::{Answer, Command, Data};
use std::time::Duration;

const INVALID_OPCODE: u16 = 0x01;
const INVALID_FIELD: u16 = 0x02;
const SANITIZE_FAILED: u16 = 0x1c;
const SANITIZING: u16 = 0x1d;

fn status(status: u16) -> (Answer, Duration) {
    (Answer::Nvme { status, data: vec![] }, Duration::ZERO)
}

fn page(data: Vec<u8>) -> (Answer, Duration) {
    (Answer::Nvme { status: 0, data }, Duration::ZERO)
}

impl Own {
    pub(super) fn nvme(
        &mut self,
        drive: &Drive,
        store: &mut Store,
        (opcode, namespace, cdw10): (u8, u32, u32),
        command: &Command,
    ) -> (Answer, Duration) {
        let running = self.progress(store);
        match opcode {
            0x06 => self.identify_nvme(drive, cdw10 & 0xff),
            0x02 if cdw10 & 0xff == 0x81 => page(self.sanitize_status(running)),
            0x84 if running.is_some() => status(SANITIZING),
            0x84 => self.sanitize_subsystem(cdw10),
            _ if running.is_some() => status(SANITIZING),
            _ if self.sanitize == SimSanitize::Failed => status(SANITIZE_FAILED),
            0x80 => self.format(store, namespace, cdw10),
            0x81 if self.security_out((cdw10 >> 24) as u8, (cdw10 >> 8) as u16, command.data_sent()) => status(0),
            0x82 => match &command.data {
                Data::In(len) => {
                    self.security_in((cdw10 >> 24) as u8, (cdw10 >> 8) as u16, *len).map_or(status(INVALID_FIELD), page)
                }
                _ => status(INVALID_FIELD),
            },
            _ => status(INVALID_OPCODE),
        }
    }

    fn identify_nvme(&self, drive: &Drive, structure: u32) -> (Answer, Duration) {
        let mut data = vec![0u8; 4096];
        match structure {
            0 => {
                data[..8].copy_from_slice(&self.gives.to_le_bytes());
                data[128 + 2] = drive.geometry.logical.trailing_zeros() as u8;
            }
            1 => {
                let serial = drive.unit.serial().unwrap_or_default().as_bytes();
                data[4..24].fill(b' ');
                data[4..4 + serial.len().min(20)].copy_from_slice(&serial[..serial.len().min(20)]);
                data[256] = if self.has(NativeErase::Format) { 2 } else { 0 };
                let bit = |erase, n: u32| u8::from(self.has(erase)) << n;
                data[328] = bit(NativeErase::SanitizeCrypto, 0)
                    | bit(NativeErase::SanitizeBlock, 1)
                    | bit(NativeErase::SanitizeOverwrite, 2);
                data[516] = if self.nature.second_namespace > 0 { 2 } else { 1 };
                // An erasing format is of every namespace.
                data[524] = bit(NativeErase::FormatCrypto, 2) | 2;
            }
            _ => return status(INVALID_FIELD),
        }
        page(data)
    }

    fn sanitize_status(&self, running: Option<u16>) -> Vec<u8> {
        let mut log = vec![0u8; 32];
        let state = match (running, self.sanitize) {
            (Some(_), _) => 2,
            (None, SimSanitize::Done) if self.cdw10 & 1 << 9 != 0 && self.nature.leaves == BlockEraseLeaves::Deallocated => 4,
            (None, SimSanitize::Done) => 1,
            (None, SimSanitize::Failed) => 3,
            (None, _) => 0,
        };
        log[..2].copy_from_slice(&running.unwrap_or(u16::MAX).to_le_bytes());
        log[2] = state;
        log[3] = u8::from(matches!(state, 1 | 4) && !self.written_since);
        log[4..8].copy_from_slice(&self.cdw10.to_le_bytes());
        log[8..32].fill(0xff);
        log
    }

    fn sanitize_subsystem(&mut self, cdw10: u32) -> (Answer, Duration) {
        let kind = match cdw10 & 7 {
            2 if self.has(NativeErase::SanitizeBlock) => SimErasure::Block,
            3 if self.has(NativeErase::SanitizeOverwrite) => SimErasure::Overwrite,
            4 if self.has(NativeErase::SanitizeCrypto) => SimErasure::Crypto,
            1 if self.leave_failure() => return status(0),
            _ => return status(INVALID_FIELD),
        };
        if self.lies(Lie::Hangs) {
            return (Answer::Lost { why: "it does not answer".into() }, Duration::ZERO);
        }
        self.cdw10 = cdw10;
        self.start(kind, cdw10 & 8 != 0);
        status(0)
    }

    fn format(&mut self, store: &mut Store, namespace: u32, cdw10: u32) -> (Answer, Duration) {
        let kind = match cdw10 >> 9 & 7 {
            1 if self.has(NativeErase::Format) => SimErasure::Block,
            2 if self.has(NativeErase::FormatCrypto) => SimErasure::Crypto,
            _ => return status(INVALID_FIELD),
        };
        if namespace == 0 || cdw10 & 15 != 0 {
            return status(INVALID_FIELD);
        }
        let ended_well = self.carry_out(store, kind);
        (Answer::Nvme { status: if ended_well { 0 } else { 0x06 }, data: vec![] }, self.while_busy())
    }
}
