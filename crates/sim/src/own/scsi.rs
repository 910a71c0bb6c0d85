//! SCSI: TEST UNIT READY and SANITIZE (SPC-5, SBC-4).

use super::{Lie, Own, SimErasure, SimSanitize};
use crate::store::Store;
use jurex_device::native::NativeErase;
use jurex_device::native::command::{Answer, Command, Data};
use std::time::Duration;

fn sense(key: u8, code: u8, qualifier: u8, progress: Option<u16>) -> Answer {
    let mut sense = vec![0x72, key, code, qualifier, 0, 0, 0, 0];
    if let Some(progress) = progress {
        let [high, low] = progress.to_be_bytes();
        sense.extend([2, 6, 0, 0, 0x80, high, low, 0]);
        sense[7] = 8;
    }
    Answer::Scsi { status: 2, sense, data: vec![] }
}

impl Own {
    pub(super) fn scsi(&mut self, store: &mut Store, cdb: &[u8], command: &Command) -> (Answer, Duration) {
        let sent = command.data_sent();
        let running = self.progress(store);
        let good = Answer::Scsi { status: 0, sense: vec![], data: vec![] };
        let answer = match (cdb[0], running) {
            (_, Some(progress)) => sense(2, 0x04, 0x1b, Some(progress)),
            (0x48, None) => self.sanitize_unit(cdb, sent),
            (0x00, None) if self.sanitize == SimSanitize::Failed => sense(3, 0x31, 0x03, None),
            (0x00, None) => good,
            (0xb5, None) if self.security_out(cdb[1], u16::from_be_bytes([cdb[2], cdb[3]]), sent) => good,
            (0xa2, None) => match &command.data {
                Data::In(len) => match self.security_in(cdb[1], u16::from_be_bytes([cdb[2], cdb[3]]), *len) {
                    Some(data) => Answer::Scsi { status: 0, sense: vec![], data },
                    None => sense(5, 0x24, 0, None),
                },
                _ => sense(5, 0x24, 0, None),
            },
            _ => sense(5, 0x20, 0, None),
        };
        (answer, Duration::ZERO)
    }

    fn sanitize_unit(&mut self, cdb: &[u8], sent: &[u8]) -> Answer {
        let kind = match cdb[1] & 0x1f {
            1 if self.has(NativeErase::SanitizeOverwrite) => SimErasure::Overwrite,
            2 if self.has(NativeErase::SanitizeBlock) => SimErasure::Block,
            3 if self.has(NativeErase::SanitizeCrypto) => SimErasure::Crypto,
            0x1f if self.leave_failure() => return Answer::Scsi { status: 0, sense: vec![], data: vec![] },
            _ => return sense(5, 0x24, 0, None),
        };
        let list_length = usize::from(u16::from_be_bytes([cdb[7], cdb[8]]));
        let list_is_right = kind != SimErasure::Overwrite || (sent.len() >= 5 && sent[0] & 0x1f > 0);
        let immediately = cdb[1] & 0x80 != 0;
        if list_length != sent.len() || !list_is_right || !immediately {
            return sense(5, 0x24, 0, None);
        }
        if self.lies(Lie::Hangs) {
            return Answer::Lost { why: "it does not answer".into() };
        }
        self.start(kind, cdb[1] & 0x20 != 0);
        Answer::Scsi { status: 0, sense: vec![], data: vec![] }
    }
}
