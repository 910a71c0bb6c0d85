//! TCG Opal: Level 0 discovery, a session that tells the number of locking ranges, and what the kernel's interface does with a
//! drive (TCG Storage Architecture Core Specification 2.01, Opal SSC 2.01).

use super::Own;
use crate::store::Store;
use jurex_device::native::command::{Answer, OpalCall};
use std::time::Duration;

const COM_ID: u16 = 0x0a01;
const NOT_AUTHORIZED: u32 = 0x01;
const INVALID_PARAMETER: u32 = 0x0c;
const FAIL: u32 = 0x3f;

/// What is under way on its ComID.
#[derive(Debug, Default)]
pub(super) struct ComIdState {
    answer: Option<Vec<u8>>,
    open: bool,
}

fn framed(tper: u32, payload: &[u8]) -> Vec<u8> {
    let padded = payload.len().next_multiple_of(4) as u32;
    let mut page = vec![0; 4];
    page.extend(COM_ID.to_be_bytes());
    page.extend([0; 10]);
    page.extend((36 + padded).to_be_bytes());
    page.extend(tper.to_be_bytes());
    page.extend(1u32.to_be_bytes());
    page.extend([0; 12]);
    page.extend((12 + padded).to_be_bytes());
    page.extend([0; 8]);
    page.extend((payload.len() as u32).to_be_bytes());
    page.extend(payload);
    page
}

impl Own {
    /// SECURITY PROTOCOL IN or Security Receive; `None`: an invalid field.
    pub(super) fn security_in(&mut self, protocol: u8, com_id: u16, len: usize) -> Option<Vec<u8>> {
        self.nature.psid.as_ref()?;
        let mut page = match (protocol, com_id) {
            (1, 1) => {
                let locking = [0, 2, 0x10, 12, if self.opal_in_use { 0x0b } else { 0x09 }, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0];
                let mut opal = [0; 20];
                opal[..6].copy_from_slice(&[2, 3, 0x10, 16, 0x0a, 0x01]);
                let length = (44 + locking.len() + opal.len()) as u32;
                [&length.to_be_bytes()[..], &[0; 44], &locking, &opal].concat()
            }
            // The first time that it is asked, the answer has not come yet.
            (1, COM_ID) => match self.tcg.answer.take() {
                Some(answer) if answer[0] == 0xff => {
                    self.tcg.answer = Some([&[0], &answer[1..]].concat());
                    vec![0; 20]
                }
                answer => answer.unwrap_or_else(|| vec![0; 20]),
            },
            _ => return None,
        };
        page.resize(len, 0);
        Some(page)
    }

    /// SECURITY PROTOCOL OUT or Security Send; whether the field was valid.
    pub(super) fn security_out(&mut self, protocol: u8, com_id: u16, sent: &[u8]) -> bool {
        if self.nature.psid.is_none() || protocol != 1 || com_id != COM_ID || sent.len() < 56 {
            return false;
        }
        let has = |what: &[u8]| sent.windows(what.len()).any(|w| w == what);
        let ended = |status: u8| [0xf9, 0xf0, status, 0, 0, 0xf1];
        let (tper, payload) = if sent[56] == 0xfa {
            self.tcg.open = false;
            (0x55, vec![0xfa])
        } else if has(&[0, 0, 0, 0, 0, 0, 0xff, 2]) && has(&[0, 0, 2, 5, 0, 0, 0, 2]) && self.opal_in_use {
            self.tcg.open = true;
            let synced = [0xf8, 0xa8, 0, 0, 0, 0, 0, 0, 0, 0xff, 0xa8, 0, 0, 0, 0, 0, 0, 0xff, 3, 0xf0, 1, 0x81, 0x55, 0xf1];
            (0, [&synced[..], &ended(0)].concat())
        } else if self.tcg.open && sent[20..24] == 0x55u32.to_be_bytes() && has(&[0, 0, 8, 1, 0, 0, 0, 1]) {
            let ranges = self.nature.locking_ranges;
            let told = [0xf0, 0xf0, 0xf2, 4, 0x81, ranges, 0xf3, 0xf1, 0xf1];
            (0x55, [&told[..], &ended(0)].concat())
        } else {
            (0, [&[0xf0, 0xf1][..], &ended(NOT_AUTHORIZED as u8)].concat())
        };
        let mut answer = framed(tper, &payload);
        answer[0] = 0xff;
        self.tcg.answer = Some(answer);
        true
    }

    /// What the kernel does by its own interface.
    pub(super) fn opal(&mut self, store: &mut Store, call: &OpalCall) -> (Answer, Duration) {
        let answer = |status, flags| (Answer::Opal { status, flags }, Duration::ZERO);
        let Some(psid) = self.nature.psid.clone() else { return answer(0, 0) };
        // A page each, from the first on, belongs to the ranges beside the global one.
        let last = self.nature.locking_ranges;
        match call {
            OpalCall::Status => answer(0, 1 | 2 | if self.opal_in_use { 4 } else { 0 }),
            OpalCall::RevertByPsid(typed) if *typed != psid => answer(NOT_AUTHORIZED, 0),
            OpalCall::RevertByPsid(_) => {
                self.carry_out(store, super::SimErasure::Crypto);
                self.opal_in_use = false;
                (Answer::Opal { status: 0, flags: 0 }, self.while_busy())
            }
            OpalCall::EraseRange { password, .. } if password != "admin1" => answer(NOT_AUTHORIZED, 0),
            OpalCall::EraseRange { range, .. } if self.lies(super::Lie::RangeFails) && *range == last => answer(FAIL, 0),
            OpalCall::EraseRange { range, .. } if *range > last => answer(INVALID_PARAMETER, 0),
            OpalCall::EraseRange { .. } if self.lies(super::Lie::Nothing) || self.lies(super::Lie::KeepsKey) => answer(0, 0),
            OpalCall::EraseRange { range: 0, .. } => {
                store.new_key_but(usize::from(last));
                (Answer::Opal { status: 0, flags: 0 }, self.while_busy())
            }
            OpalCall::EraseRange { range, .. } => {
                store.new_key_of(usize::from(*range) - 1);
                answer(0, 0)
            }
        }
    }
}
