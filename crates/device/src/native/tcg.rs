//! TCG storage: Level 0 discovery (TCG Storage Architecture Core Specification, 3.3.6), which tells whether a drive encrypts
//! itself, and whether it is locked. It asks only.

use super::PageError;
use super::command::{Command, Data};

pub mod session;

/// Bytes of the answer that are asked for.
pub const LENGTH: usize = 2048;

/// Security protocol 01h, ComID 0001h.
const PROTOCOL: u8 = 1;

/// SECURITY PROTOCOL IN that asks for the discovery, in four blocks of 512 bytes.
pub fn discover_by_scsi() -> Command {
    let blocks = (LENGTH / 512) as u8;
    Command::scsi("SECURITY PROTOCOL IN", [0xa2, PROTOCOL, 0, 1, 0x80, 0, 0, 0, 0, blocks, 0, 0], Data::In(LENGTH))
}

/// Security Receive that asks for the discovery.
pub fn discover_by_nvme() -> Command {
    let cdw10 = u32::from(PROTOCOL) << 24 | 1 << 8;
    Command::nvme("Security Receive", 0x82, 0, (cdw10, LENGTH as u32), Data::In(LENGTH))
}

/// What the discovery tells.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Discovery {
    /// One of the Opal family, whose revert replaces the key: Opal 1 and 2, Opalite, Ruby.
    pub opal: bool,
    /// Pyrite: the same commands, and no encryption; a revert of its first version erases nothing.
    pub pyrite: bool,
    /// Enterprise: ranges with keys of their own, by other commands, which the kernel does not send.
    pub enterprise: bool,
    /// Locking is in use.
    pub locking_enabled: bool,
    /// Something is locked: it takes and gives no sector there.
    pub locked: bool,
    /// What it keeps is encrypted.
    pub encrypts: bool,
    /// The machine's firmware has blocked its SID authority until the next power-on.
    pub sid_blocked: bool,
    /// The ComID under which one of the Opal family listens.
    pub com_id: Option<u16>,
}

impl Discovery {
    /// Reads the answer: a header of 48 bytes, and descriptors no longer than it says, nor than what came.
    ///
    /// # Errors
    /// Fewer than 48 bytes.
    pub fn parse(page: &[u8]) -> Result<Self, PageError> {
        const HEADER: usize = 48;
        let Some(head) = page.get(..HEADER) else { return Err(PageError::Short { found: page.len(), needed: HEADER }) };
        let said = u32::from_be_bytes([head[0], head[1], head[2], head[3]]) as usize;
        let end = said.saturating_add(4).clamp(HEADER, page.len());
        let mut told = Self::default();
        let mut rest = &page[HEADER..end];
        while let [high, low, _, length, ..] = *rest {
            let whole = 4 + usize::from(length);
            let Some(data) = rest.get(4..whole) else { break };
            told.take(u16::from_be_bytes([high, low]), data);
            rest = &rest[whole..];
        }
        Ok(told)
    }

    fn take(&mut self, code: u16, data: &[u8]) {
        let first = data.first().copied().unwrap_or(0);
        match code {
            0x0002 => {
                self.locking_enabled = first & 2 != 0;
                self.locked = first & 4 != 0;
                self.encrypts = first & 8 != 0;
            }
            0x0200 | 0x0203 | 0x0301 | 0x0304 => {
                self.opal = true;
                self.com_id = data.get(..2).map(|id| u16::from_be_bytes([id[0], id[1]])).or(self.com_id);
            }
            0x0100 => self.enterprise = true,
            0x0302 | 0x0303 => self.pyrite = true,
            0x0402 => self.sid_blocked = first & 2 != 0,
            _ => {}
        }
    }

    /// Whether a revert by PSID replaces the key of everything that it keeps.
    pub fn reverts_to_a_new_key(&self) -> bool {
        self.opal && self.encrypts && !self.pyrite
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn the_features_are_told_by_their_descriptors() {
        let mut page = vec![0u8; LENGTH];
        let locking = [0, 2, 0x10, 12, 0x0f, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0];
        let opal = [2, 3, 0x10, 16, 7, 0xfe, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0];
        let sid = [4, 2, 0x10, 12, 2, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0];
        let all = [&locking[..], &opal, &sid].concat();
        page[48..48 + all.len()].copy_from_slice(&all);
        page[..4].copy_from_slice(&(44 + all.len() as u32).to_be_bytes());
        let told = Discovery::parse(&page).unwrap();
        assert!(told.reverts_to_a_new_key() && told.locking_enabled && told.locked && told.sid_blocked);
        assert_eq!(told.com_id, Some(0x07fe));
        page[48 + locking.len() + 1] = 2;
        page[48 + locking.len()] = 3;
        let pyrite = Discovery::parse(&page).unwrap();
        assert!(!pyrite.reverts_to_a_new_key(), "a revert of Pyrite erases nothing");
        assert_eq!(Discovery::parse(&[0; 48]), Ok(Discovery::default()));
        assert!(Discovery::parse(&[0; 47]).is_err());
    }

    proptest! {
        #[test]
        fn no_answer_is_too_strange(page in prop::collection::vec(any::<u8>(), 0..300)) {
            let _ = Discovery::parse(&page);
        }
    }
}
