//! TCG Opal by the kernel's interface: revert by PSID, and a new key for every locking range. Both are answered when they are
//! done. How many ranges there are the drive is asked in a session of its own: none of them may keep its key.

use super::{CommandSequence, NextCommand, SequenceEnd};
use jurex_device::media::Protocol;
use jurex_device::native::command::{Answer, Command, Data, Image, OpalCall};
use jurex_device::native::tcg::session::{Reply, TcgLine, TcgSession};
use jurex_device::native::tcg::{Discovery, discover_by_nvme, discover_by_scsi};
use jurex_device::technique::TcgWay;
use jurex_sanitize::plan::Secret;
use std::time::Duration;

/// Flags of the kernel's status call.
const SUPPORTED: u32 = 1;
const LOCKING_ENABLED: u32 = 4;
const LOCKED: u32 = 8;
/// So often an answer that has not come is fetched again, and so long is waited between.
const FETCHES: u32 = 200;
const BETWEEN_FETCHES: Duration = Duration::from_millis(25);
/// Where the removal mechanism is overwriting, it takes hours.
const PATIENCE: Duration = Duration::from_secs(48 * 3600);

#[derive(Clone, Debug, PartialEq, Eq)]
enum TcgStep {
    AskBefore,
    Revert,
    Discover,
    /// Something is said in the session, or its answer fetched.
    Count(TcgLine, Count),
    /// A new key for this range, of so many beside the global one.
    EraseRange(u8, u8),
    AskAfter,
    Over(SequenceEnd),
}

/// How the ranges are counted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Count {
    Open,
    /// So often fetched, and whether to wait first.
    Opening(u32, bool),
    Ask(TcgSession),
    Asking(TcgSession, u32, bool),
    Close(TcgSession, u32),
    Closing(u32),
}

#[derive(Debug)]
pub(super) struct TcgSequence {
    way: TcgWay,
    protocol: Protocol,
    secret: Option<Secret>,
    step: TcgStep,
    /// Ranges that did not take a new key, and what the drive said.
    refused: Vec<String>,
}

fn opal(name: &'static str, call: OpalCall, patience: Duration) -> Command {
    Command { name, image: Image::Opal(call), data: Data::None, patience }
}

impl TcgSequence {
    pub(super) fn new(way: TcgWay, protocol: Protocol, secret: Option<&Secret>) -> Self {
        Self { way, protocol, secret: secret.cloned(), step: TcgStep::AskBefore, refused: vec![] }
    }

    fn hear_before(&self, answer: &Answer) -> TcgStep {
        let refused = |why: &str| TcgStep::Over(SequenceEnd::Refused(why.into()));
        match answer {
            Answer::Opal { status: 0, flags } if flags & SUPPORTED == 0 => refused("it does not speak TCG Opal"),
            Answer::Opal { status: 0, flags } if self.way == TcgWay::KeyChange && flags & LOCKING_ENABLED == 0 => {
                refused("its locking is not in use, so that no password of Admin1 is set: revert it by its PSID instead")
            }
            Answer::Opal { status: 0, .. } if self.secret.is_none() => {
                refused("its PSID, or the password of Admin1, is needed again: it is never kept with a job")
            }
            Answer::Opal { status: 0, .. } if self.way == TcgWay::KeyChange => TcgStep::Discover,
            Answer::Opal { status: 0, .. } => TcgStep::Revert,
            other => {
                TcgStep::Over(SequenceEnd::Refused(format!("it did not tell whether it speaks TCG Opal: {}", other.sentence())))
            }
        }
    }

    fn hear_discovery(&self, answer: &Answer) -> TcgStep {
        match answer.page().and_then(|page| Discovery::parse(page).ok()).and_then(|told| told.com_id) {
            Some(com_id) => TcgStep::Count(TcgLine { protocol: self.protocol, com_id }, Count::Open),
            None => uncounted(&format!("its discovery names no ComID: {}", answer.sentence())),
        }
    }

    /// The next step of counting.
    fn hear_count(line: TcgLine, at: Count, answer: &Answer) -> TcgStep {
        let fetched = || answer.page().map_or(Reply::Other { status: None }, Reply::parse);
        let said = |reply: Reply| match reply {
            Reply::Other { status: Some(status) } => format!("method status {status:02x}h"),
            _ => answer.sentence(),
        };
        let next = match at {
            Count::Open if answer.is_good() => Count::Opening(0, false),
            Count::Ask(session) if answer.is_good() => Count::Asking(session, 0, false),
            Count::Open | Count::Ask(_) => return uncounted(&answer.sentence()),
            Count::Opening(n, _) => match fetched() {
                Reply::Opened(session) => Count::Ask(session),
                Reply::NotYet if n < FETCHES => Count::Opening(n + 1, true),
                other => return uncounted(&said(other)),
            },
            Count::Asking(session, n, _) => match fetched() {
                Reply::Ranges(ranges) => Count::Close(session, ranges),
                Reply::NotYet if n < FETCHES => Count::Asking(session, n + 1, true),
                other => return uncounted(&said(other)),
            },
            // A session that does not end is ended by the next one's beginning: nothing hangs on the answer.
            Count::Close(_, ranges) => Count::Closing(ranges),
            Count::Closing(ranges) => {
                return match u8::try_from(ranges) {
                    Ok(ranges) => TcgStep::EraseRange(0, ranges),
                    Err(_) => uncounted(&format!("it has {ranges}, and the kernel can name 255")),
                };
            }
        };
        TcgStep::Count(line, next)
    }

    /// The next range; the first that the drive refuses does not end the list.
    fn hear_range(&mut self, range: u8, last: u8, answer: &Answer) -> TcgStep {
        if !answer.is_good() {
            self.refused.push(format!("{range} ({})", answer.sentence()));
        }
        match range {
            range if range < last => TcgStep::EraseRange(range + 1, last),
            _ if self.refused.is_empty() => TcgStep::AskAfter,
            _ => {
                let which = self.refused.join(", ");
                TcgStep::Over(SequenceEnd::Failed(format!(
                    "of its {} locking ranges these kept their key: {which}",
                    u32::from(last) + 1
                )))
            }
        }
    }

    fn hear_after(&self, answer: &Answer) -> TcgStep {
        let clean = |flags: u32| match self.way {
            TcgWay::KeyChange => true,
            TcgWay::Revert => flags & (LOCKING_ENABLED | LOCKED) == 0,
        };
        match answer {
            Answer::Opal { status: 0, flags } if clean(*flags) => TcgStep::Over(SequenceEnd::Completed),
            Answer::Opal { status: 0, .. } => {
                TcgStep::Over(SequenceEnd::Failed("after the revert its locking is still in use".into()))
            }
            other => TcgStep::Over(SequenceEnd::Silent(format!("it does not tell its state any more: {}", other.sentence()))),
        }
    }
}

/// Without their number nobody knows that every range has a new key.
fn uncounted(why: &str) -> TcgStep {
    let advice = "one of them could keep its key. Revert the drive by its PSID instead";
    TcgStep::Over(SequenceEnd::Refused(format!("it does not tell how many locking ranges it has ({why}): {advice}")))
}

impl CommandSequence for TcgSequence {
    fn next(&mut self) -> NextCommand {
        let secret = self.secret.as_ref().map(|s| s.text().to_string()).unwrap_or_default();
        match &self.step {
            TcgStep::AskBefore | TcgStep::AskAfter => NextCommand::Ask(opal("TCG Opal status", OpalCall::Status, Command::SHORT)),
            TcgStep::Revert => NextCommand::Change(vec![opal("TCG revert by PSID", OpalCall::RevertByPsid(secret), PATIENCE)]),
            TcgStep::Discover if matches!(self.protocol, Protocol::Nvme { .. }) => NextCommand::Ask(discover_by_nvme()),
            TcgStep::Discover => NextCommand::Ask(discover_by_scsi()),
            TcgStep::Count(line, at) => match *at {
                Count::Open => NextCommand::Ask(line.open()),
                Count::Opening(n, true) => {
                    self.step = TcgStep::Count(*line, Count::Opening(n, false));
                    NextCommand::Wait(BETWEEN_FETCHES)
                }
                Count::Asking(session, n, true) => {
                    self.step = TcgStep::Count(*line, Count::Asking(session, n, false));
                    NextCommand::Wait(BETWEEN_FETCHES)
                }
                Count::Opening(..) | Count::Asking(..) | Count::Closing(_) => NextCommand::Ask(line.receive()),
                Count::Ask(session) => NextCommand::Ask(line.ask_ranges(session)),
                Count::Close(session, _) => NextCommand::Ask(line.close(session)),
            },
            TcgStep::EraseRange(range, _) => {
                let call = OpalCall::EraseRange { range: *range, password: secret };
                NextCommand::Change(vec![opal("TCG key change", call, PATIENCE)])
            }
            TcgStep::Over(end) => NextCommand::Over(end.clone()),
        }
    }

    fn heard(&mut self, answer: &Answer) {
        self.step = match (self.step.clone(), answer) {
            (TcgStep::AskBefore, _) => self.hear_before(answer),
            (TcgStep::AskAfter, _) => self.hear_after(answer),
            (TcgStep::Discover, _) => self.hear_discovery(answer),
            (TcgStep::Count(line, at), _) => Self::hear_count(line, at, answer),
            (TcgStep::Over(end), _) => TcgStep::Over(end),
            (_, Answer::Lost { why }) => TcgStep::Over(SequenceEnd::Silent(format!("no answer came ({why})"))),
            (TcgStep::Revert, good) if good.is_good() => TcgStep::AskAfter,
            (TcgStep::EraseRange(range, last), answer) => self.hear_range(range, last, answer),
            (_, refused) => TcgStep::Over(SequenceEnd::Failed(format!("it did not replace its key: {}", refused.sentence()))),
        };
    }
}
