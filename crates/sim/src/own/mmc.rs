//! eMMC and SD: the extended card specific data, erasing and SANITIZE_START (JESD84-B51; SD Physical Layer).

use super::{Lie, Own};
use crate::store::Store;
use jurex_device::native::NativeErase;
use jurex_device::native::command::Answer;
use std::time::Duration;

const READY: u32 = 0x900;
const SWITCH_ERROR: u32 = 1 << 7;
const ERASE_SEQUENCE_ERROR: u32 = 1 << 28;

impl Own {
    /// Devices of an even number of groups have trim, so that both kinds are met.
    fn has_trim(&self) -> bool {
        self.native.is_multiple_of(256)
    }

    /// The argument that names the last sector: small devices count in bytes.
    fn last(&self) -> u32 {
        if self.gives <= 4_194_304 { (self.gives - 1) as u32 * 512 } else { (self.gives - 1) as u32 }
    }

    pub(super) fn mmc(&mut self, store: &mut Store, index: u32, argument: u32) -> (Answer, Duration) {
        let good = |data| (Answer::Mmc { response: READY, data }, Duration::ZERO);
        let bad = |error| (Answer::Mmc { response: READY | error, data: vec![] }, Duration::ZERO);
        match (index, argument) {
            (8, _) if !self.has(NativeErase::SdErase) => {
                let mut data = vec![0u8; 512];
                (data[16], data[192]) = (self.nature.removal, 8);
                data[212..216].copy_from_slice(&(self.gives as u32).to_le_bytes());
                (data[223], data[224]) = (1, 1);
                data[231] = u8::from(self.has(NativeErase::MmcSanitize)) << 6
                    | u8::from(self.has_trim()) << 4
                    | u8::from(self.has(NativeErase::MmcSecureErase));
                good(data)
            }
            (6, 0x03af_0100) => good(vec![]),
            (6, 0x03a5_0100) if self.has(NativeErase::MmcSanitize) => {
                if self.lies(Lie::Fails) {
                    return bad(SWITCH_ERROR);
                }
                if !self.lies(Lie::Nothing) {
                    store.erase_unmapped(0);
                }
                (Answer::Mmc { response: READY, data: vec![] }, self.while_busy())
            }
            (6, _) => bad(SWITCH_ERROR),
            (35, 0) if !self.has(NativeErase::SdErase) => {
                self.grouped = Some(0);
                good(vec![])
            }
            (32, 0) if self.has(NativeErase::SdErase) => {
                self.grouped = Some(0);
                good(vec![])
            }
            (33 | 36, last) if self.grouped == Some(0) && last == self.last() => good(vec![]),
            // Cells and copies of what they hold, wherever they are (JESD84-B51, 6.6.11).
            (38, 0x8000_0000) if self.has(NativeErase::MmcSecureErase) && self.grouped.take() == Some(0) => {
                match () {
                    () if self.lies(Lie::Nothing) => {}
                    () if self.lies(Lie::Half) => store.erase_half(0),
                    () if self.lies(Lie::SkipsSpare) => store.erase_mapped(0),
                    () => store.erase_all(0),
                }
                (Answer::Mmc { response: READY, data: vec![] }, self.while_busy())
            }
            // What is erased or trimmed is unmapped: its cells keep what they hold until SANITIZE_START. A card reads as it likes
            // after that.
            (38, 0 | 1) if self.grouped.take() == Some(0) => {
                let reads_as = if self.has(NativeErase::SdErase) { 0xff } else { 0 };
                match () {
                    () if self.lies(Lie::Nothing) => {}
                    () if self.lies(Lie::Half) => store.unmap_half(reads_as),
                    () => store.unmap_all(reads_as),
                }
                good(vec![])
            }
            _ => bad(ERASE_SEQUENCE_ERROR),
        }
    }
}
