//! A session with a drive's Locking SP that only asks how many locking ranges it has (TCG Storage Architecture Core
//! Specification, 3.2 and 5.3; Opal SSC, 4.3.5.3). The kernel's own interface has no call for it.

use super::{Command, Data, LENGTH, PROTOCOL};
use crate::media::Protocol;

/// Invoking and method UIDs.
const SESSION_MANAGER: [u8; 8] = [0, 0, 0, 0, 0, 0, 0, 0xff];
const START_SESSION: [u8; 8] = [0, 0, 0, 0, 0, 0, 0xff, 0x02];
const SYNC_SESSION: [u8; 8] = [0, 0, 0, 0, 0, 0, 0xff, 0x03];
const LOCKING_SP: [u8; 8] = [0, 0, 2, 5, 0, 0, 0, 2];
const LOCKING_INFO: [u8; 8] = [0, 0, 8, 1, 0, 0, 0, 1];
const GET: [u8; 8] = [0, 0, 0, 6, 0, 0, 0, 0x16];
/// Column MaxRanges of LockingInfo.
const MAX_RANGES: u8 = 4;

const START_LIST: u8 = 0xf0;
const END_LIST: u8 = 0xf1;
const START_NAME: u8 = 0xf2;
const END_NAME: u8 = 0xf3;
const CALL: u8 = 0xf8;
const END_OF_DATA: u8 = 0xf9;
const END_OF_SESSION: u8 = 0xfa;
/// No error is expected: the status list of a request.
const STATUS: [u8; 6] = [END_OF_DATA, START_LIST, 0, 0, 0, END_LIST];

/// Bytes of a ComPacket's, a packet's and a subpacket's heads.
const HEADS: usize = 20 + 24 + 12;
const BLOCK: usize = 512;

/// Who talks: the drive's number of the session, and the host's.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct TcgSession {
    tper: u32,
    host: u32,
}

/// The host's number: any will do.
const HOST: u32 = 1;

/// The way to a drive: which commands carry it, and under which ComID it listens.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct TcgLine {
    /// How the drive is attached.
    pub protocol: Protocol,
    /// Its base ComID, as the discovery tells it.
    pub com_id: u16,
}

impl TcgLine {
    /// Asks for a session with the Locking SP, as anybody.
    pub fn open(&self) -> Command {
        let head = [&[CALL][..], &uid(SESSION_MANAGER), &uid(START_SESSION), &[START_LIST, HOST as u8]].concat();
        // The last is "write": drives need not offer sessions that only read.
        self.send("TCG StartSession", TcgSession::default(), &[&head[..], &uid(LOCKING_SP), &[1, END_LIST], &STATUS].concat())
    }

    /// Asks for the number of ranges.
    pub fn ask_ranges(&self, session: TcgSession) -> Command {
        let head = [&[CALL][..], &uid(LOCKING_INFO), &uid(GET), &[START_LIST, START_LIST]].concat();
        let column = |name: u8| [START_NAME, name, MAX_RANGES, END_NAME];
        self.send("TCG Get MaxRanges", session, &[&head[..], &column(3), &column(4), &[END_LIST, END_LIST], &STATUS].concat())
    }

    /// Ends the session.
    pub fn close(&self, session: TcgSession) -> Command {
        self.send("TCG end of session", session, &[END_OF_SESSION])
    }

    /// Fetches the answer to what was sent last.
    pub fn receive(&self) -> Command {
        let [high, low] = self.com_id.to_be_bytes();
        match self.protocol {
            Protocol::Nvme { .. } => {
                let cdw10 = u32::from(PROTOCOL) << 24 | u32::from(self.com_id) << 8;
                Command::nvme("Security Receive", 0x82, 0, (cdw10, LENGTH as u32), Data::In(LENGTH))
            }
            _ => {
                let blocks = (LENGTH / BLOCK) as u8;
                let cdb = [0xa2, PROTOCOL, high, low, 0x80, 0, 0, 0, 0, blocks, 0, 0];
                Command::scsi("SECURITY PROTOCOL IN", cdb, Data::In(LENGTH))
            }
        }
    }

    fn send(&self, name: &'static str, session: TcgSession, payload: &[u8]) -> Command {
        let block = packet(self.com_id, session, payload);
        let [high, low] = self.com_id.to_be_bytes();
        match self.protocol {
            Protocol::Nvme { .. } => {
                let cdw10 = u32::from(PROTOCOL) << 24 | u32::from(self.com_id) << 8;
                Command::nvme(name, 0x81, 0, (cdw10, BLOCK as u32), Data::Out(block))
            }
            _ => Command::scsi(name, [0xb5, PROTOCOL, high, low, 0x80, 0, 0, 0, 0, 1, 0, 0], Data::Out(block)),
        }
    }
}

fn uid(uid: [u8; 8]) -> [u8; 9] {
    let mut atom = [0xa8; 9];
    atom[1..].copy_from_slice(&uid);
    atom
}

/// One block: the three heads, the payload, and zeros.
fn packet(com_id: u16, session: TcgSession, payload: &[u8]) -> Vec<u8> {
    let padded = payload.len().next_multiple_of(4);
    let mut block = vec![0; BLOCK];
    let mut put = |at: usize, bytes: &[u8]| block[at..at + bytes.len()].copy_from_slice(bytes);
    put(4, &com_id.to_be_bytes());
    put(16, &((24 + 12 + padded) as u32).to_be_bytes());
    put(20, &session.tper.to_be_bytes());
    put(24, &session.host.to_be_bytes());
    put(40, &((12 + padded) as u32).to_be_bytes());
    put(52, &(payload.len() as u32).to_be_bytes());
    put(HEADS, payload);
    block
}

/// What a drive answered.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Reply {
    /// Nothing yet: it is to be fetched again.
    NotYet,
    /// The session is open.
    Opened(TcgSession),
    /// How many ranges it has beside the global one.
    Ranges(u32),
    /// Something else, or a method status that is not good.
    Other {
        /// The status; `None`: it had none.
        status: Option<u8>,
    },
}

/// One token of a payload.
#[derive(Clone, Debug, PartialEq, Eq)]
enum Token {
    Number(u64),
    Bytes(Vec<u8>),
    Control(u8),
}

/// The next token and what follows it; `None`: it is cut short.
fn token(payload: &[u8]) -> Option<(Token, &[u8])> {
    let (first, rest) = payload.split_first()?;
    let (is_bytes, len, rest) = match first {
        0x00..=0x3f => return Some((Token::Number(u64::from(*first)), rest)),
        0x80..=0xbf => (first & 0x20 != 0, usize::from(first & 15), rest),
        0xc0..=0xdf => {
            let (low, rest) = rest.split_first()?;
            (first & 0x10 != 0, usize::from(first & 7) << 8 | usize::from(*low), rest)
        }
        _ => return Some((Token::Control(*first), rest)),
    };
    let (value, rest) = rest.split_at_checked(len)?;
    if is_bytes {
        return Some((Token::Bytes(value.into()), rest));
    }
    // A longer number than fits is none that is asked for.
    let number = value.iter().try_fold(0u64, |n, b| n.checked_mul(256)?.checked_add(u64::from(*b)))?;
    Some((Token::Number(number), rest))
}

impl Reply {
    /// Takes apart what was fetched.
    pub fn parse(page: &[u8]) -> Self {
        let number = |at: usize| page.get(at..at + 4).map(|b| u32::from_be_bytes([b[0], b[1], b[2], b[3]]) as usize);
        let other = Self::Other { status: None };
        match number(16) {
            None => return other,
            Some(0) => return Self::NotYet,
            Some(_) => {}
        }
        let Some(payload) = number(52).and_then(|len| page.get(HEADS..)?.get(..len)) else { return other };
        let mut tokens = vec![];
        let mut rest = payload;
        while !rest.is_empty() {
            let Some((token, after)) = token(rest) else { return other };
            tokens.push(token);
            rest = after;
        }
        Self::of(&tokens)
    }

    fn of(tokens: &[Token]) -> Self {
        use Token::{Bytes, Control, Number};
        let status = tokens.windows(3).find_map(|w| match w {
            [Control(END_OF_DATA), Control(START_LIST), Number(status)] => u8::try_from(*status).ok(),
            _ => None,
        });
        let other = Self::Other { status };
        if status != Some(0) {
            return other;
        }
        let number = |n: u64| u32::try_from(n).ok();
        match tokens {
            [Control(CALL), Bytes(manager), Bytes(method), Control(START_LIST), Number(host), Number(tper), ..]
                if *manager == SESSION_MANAGER && *method == SYNC_SESSION && *host == u64::from(HOST) =>
            {
                number(*tper).map_or(other, |tper| Self::Opened(TcgSession { tper, host: HOST }))
            }
            _ => {
                let told = tokens.windows(4).find_map(|w| match w {
                    [Control(START_NAME), Number(column), Number(n), Control(END_NAME)] if *column == u64::from(MAX_RANGES) => {
                        number(*n)
                    }
                    _ => None,
                });
                told.map_or(other, Self::Ranges)
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const LINE: TcgLine = TcgLine { protocol: Protocol::Scsi, com_id: 0x07fe };

    fn answer(payload: &[u8]) -> Vec<u8> {
        packet(0x07fe, TcgSession { tper: 0x1001, host: HOST }, payload)
    }

    /// Bytes written out by hand from the specification, so that writer and reader can't be wrong together.
    #[test]
    fn what_is_said_and_what_is_understood_are_the_specifications_bytes() {
        let open = LINE.open();
        assert_eq!(
            open.shown(),
            "TCG StartSession: b5 01 07 fe 80 00 00 00 00 01 00 00 + 00 00 00 00 07 fe 00 00 00 00 00 00 00 00 00 00"
        );
        let sent = open.data_sent();
        assert_eq!(sent.len(), 512);
        assert_eq!(sent[16..20], [0, 0, 0, 76], "two heads and forty bytes");
        assert_eq!(sent[52..56], [0, 0, 0, 38]);
        let hex: String = sent[56..94].iter().map(|b| format!("{b:02x}")).collect();
        assert_eq!(hex, "f8a800000000000000ffa8000000000000ff02f001a8000002050000000201f1f9f0000000f1");
        let nvme = TcgLine { protocol: Protocol::Nvme { namespace: 1 }, ..LINE };
        let asked = nvme.ask_ranges(TcgSession { tper: 0x1001, host: 1 });
        assert!(asked.shown().starts_with("TCG Get MaxRanges: 81 NSID 00000000 CDW10 0107fe00 CDW11 00000200"), "{asked:?}");
        let hex: String =
            asked.data_sent()[20..28].iter().chain(&asked.data_sent()[56..93]).map(|b| format!("{b:02x}")).collect();
        assert_eq!(hex, "0000100100000001f8a80000080100000001a80000000600000016f0f0f20304f3f20404f3f1f1f9f0000000f1");
        let synced = [&[0xf8, 0xa8][..], &SESSION_MANAGER, &[0xa8], &SYNC_SESSION, &[0xf0, 1, 0x82, 0x10, 0x01, 0xf1]].concat();
        assert_eq!(Reply::parse(&answer(&[&synced[..], &STATUS].concat())), Reply::Opened(TcgSession { tper: 0x1001, host: 1 }));
        let told = [0xf0, 0xf0, 0xf2, 4, 0x0f, 0xf3, 0xf1, 0xf1];
        assert_eq!(Reply::parse(&answer(&[&told[..], &STATUS].concat())), Reply::Ranges(15));
        let refused = [0xf0, 0xf1, 0xf9, 0xf0, 0x01, 0, 0, 0xf1];
        assert_eq!(Reply::parse(&answer(&refused)), Reply::Other { status: Some(1) });
        assert_eq!(Reply::parse(&[0; 2048]), Reply::NotYet);
        assert_eq!(Reply::parse(&[0; 10]), Reply::Other { status: None });
    }

    proptest! {
        #[test]
        fn no_answer_is_too_strange(mut page in prop::collection::vec(any::<u8>(), 0..300), len in 0u8..80) {
            if let Some(length) = page.get_mut(52..56) {
                length.copy_from_slice(&[0, 0, 0, len]);
            }
            let _ = Reply::parse(&page);
        }
    }
}
