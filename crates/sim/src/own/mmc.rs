//! eMMC: the extended card specific data, erasing and SANITIZE_START (JESD84-B51).

use super::{Lie, Own};
use crate::store::Store;
use jurex_core::native::OwnErase;
use jurex_core::native::command::Answer;
use std::time::Duration;

const READY: u32 = 0x900;
const SWITCH_ERROR: u32 = 1 << 7;
const ERASE_SEQUENCE_ERROR: u32 = 1 << 28;

impl Own {
    /// Devices of an even size have secure erase and trim, so that both kinds are met.
    fn has_secure_erase(&self) -> bool {
        self.native.is_multiple_of(256)
    }

    pub(super) fn mmc(&mut self, store: &mut Store, index: u32, argument: u32) -> (Answer, Duration) {
        let good = |data| (Answer::Mmc { response: READY, data }, Duration::ZERO);
        let bad = |error| (Answer::Mmc { response: READY | error, data: vec![] }, Duration::ZERO);
        match (index, argument) {
            (8, _) => {
                let mut data = vec![0u8; 512];
                data[192] = 8;
                data[212..216].copy_from_slice(&(self.gives as u32).to_le_bytes());
                (data[223], data[224]) = (1, 1);
                data[231] = if self.has_secure_erase() { 0b1_0001 } else { 0 } | u8::from(self.has(OwnErase::MmcSanitize)) << 6;
                good(data)
            }
            (6, 0x03af_0100) => good(vec![]),
            (6, 0x03a5_0100) if self.has(OwnErase::MmcSanitize) => {
                if self.lies(Lie::Fails) {
                    return bad(SWITCH_ERROR);
                }
                if !self.lies(Lie::Nothing) {
                    store.erase_unmapped(0);
                }
                (Answer::Mmc { response: READY, data: vec![] }, self.while_busy())
            }
            (6, _) => bad(SWITCH_ERROR),
            (35, first) => {
                self.grouped = Some(first);
                good(vec![])
            }
            (36, _) if self.grouped == Some(0) => good(vec![]),
            (38, 0x8000_0000) if self.grouped.take() == Some(0) => {
                match () {
                    () if self.lies(Lie::Nothing) => {}
                    () if self.lies(Lie::Half) => store.erase_half(0),
                    () => store.erase_mapped(0),
                }
                good(vec![])
            }
            // What is erased or trimmed is unmapped: its cells keep what they hold until SANITIZE_START.
            (38, 0 | 1) if self.grouped.take() == Some(0) => {
                match () {
                    () if self.lies(Lie::Nothing) => {}
                    () if self.lies(Lie::Half) => store.unmap_half(0),
                    () => store.unmap_all(0),
                }
                good(vec![])
            }
            _ => bad(ERASE_SEQUENCE_ERROR),
        }
    }
}
