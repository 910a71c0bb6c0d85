//! What is said to a drive that erases itself, or that gives its hidden sectors back: for each family of commands a small
//! machine that asks for support, then for the state, then acts, and believes nothing but the drive's own state after the
//! end. None of them sends a command anew before it has asked what became of the one before.

mod format;
mod lift;
mod mmc;
mod sanitize;
mod security;
mod tcg;

use super::saved::{Change, CheckpointSaved};
use jurex_device::media::{Drive, Protocol};
use jurex_device::medium::MediumError;
use jurex_device::medium::{Port, one_by_one};
use jurex_device::native::command::{Answer, Command};
use jurex_device::native::mmc::Removal;
use jurex_device::technique::{Family, Technique};
use jurex_pattern::units::Lba;
use jurex_sanitize::evidence::{Ended, NativeEvidence};
use jurex_sanitize::plan::{PlannedErase, Secret, UnhideOrder};
use std::time::Duration;

/// How a conversation ended.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum SequenceEnd {
    /// The drive itself says that it came to its end without error.
    Completed,
    /// It can't be begun as the drive is: nothing was erased by it.
    Refused(String),
    /// It was begun, and did not come to a good end.
    Failed(String),
    /// The drive says nothing any more: what became of it is not known.
    Silent(String),
}

impl SequenceEnd {
    /// How the job ends with it; `None`: it goes on.
    pub(super) fn ended(self) -> Option<Ended> {
        match self {
            Self::Completed => None,
            Self::Refused(error) => Some(Ended::Refused { error }),
            Self::Failed(said) => Some(Ended::CommandFailed { said }),
            Self::Silent(error) => Some(Ended::StoppedAnswering { error }),
        }
    }
}

/// What comes next in a conversation.
#[derive(Clone, Debug)]
enum NextCommand {
    /// A command that only asks.
    Ask(Command),
    /// Commands that change the drive, sent as one.
    Change(Vec<Command>),
    /// Nothing for so long.
    Wait(Duration),
    /// Whether this sector can be read.
    Read(Lba),
    /// Something that a person is to know.
    Tell(&'static str),
    /// The system is to see the drive's capacity anew.
    Rescan,
    Over(SequenceEnd),
}

/// The same, once it is settled that what changes the drive was kept first.
#[derive(Debug)]
pub(super) enum SequenceTurn {
    /// Send this; it changes nothing.
    Ask(Command),
    /// The job's place must be kept first: these commands follow.
    Keep(Vec<String>),
    /// Send this.
    Change(Change),
    /// Do nothing for so long.
    Wait(Duration),
    /// Find out whether this sector can be read.
    Read(Lba),
    /// Tell a person.
    Tell(&'static str),
    /// Let the system see the drive's capacity anew.
    Rescan,
    /// It is over.
    Over(SequenceEnd),
}

/// What the drive was last heard to do.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct DriveWork {
    /// Whether it is at work on the erasure.
    pub(super) at_work: bool,
    /// How far it is, in parts of 65536, if it tells.
    pub(super) progress: Option<u16>,
    /// Whether it has a password, if its last answer told.
    pub(super) password: Option<bool>,
    /// Whether it said that its sectors are deallocated.
    pub(super) deallocated: bool,
    /// How it is set to remove data, if it told.
    pub(super) removal: Option<Removal>,
}

/// One family's machine.
trait CommandSequence: std::fmt::Debug + Send {
    /// What comes next. Asked again only after what it asked for was answered.
    fn next(&mut self) -> NextCommand;
    /// The answer to what was sent last; of several commands, that of the last one sent.
    fn heard(&mut self, answer: &Answer);
    /// Whether the sector that it wanted to be read could be.
    fn read(&mut self, _could_be_read: bool) {}
    /// What the drive does, by its last answer.
    fn work(&self) -> DriveWork {
        DriveWork::default()
    }
}

/// What is no command of a drive's own: nothing is said.
#[derive(Debug)]
struct NoCommand(Technique);

impl CommandSequence for NoCommand {
    fn next(&mut self) -> NextCommand {
        NextCommand::Over(SequenceEnd::Refused(format!("{} is no command of the drive's own", self.0.name())))
    }

    fn heard(&mut self, _: &Answer) {}
}

/// A conversation under way.
#[derive(Debug)]
pub(super) struct Dialogue {
    talk: Box<dyn CommandSequence>,
    kept: Option<CheckpointSaved>,
    /// What was decided and waits for the job's place to be kept, or is to be sent again.
    pending: Option<NextCommand>,
    /// What was sent last, and how often the drive has only told of a change instead of answering.
    sent: Option<(NextCommand, u32)>,
    /// Whether the system is to see the drive anew at a good end: one that had failed before has no size for it.
    rescans_at_the_end: bool,
}

/// So often a command that met a UNIT ATTENTION is sent again.
const ATTENTIONS: u32 = 4;

impl Dialogue {
    fn new(talk: impl CommandSequence + 'static) -> Self {
        Self { talk: Box::new(talk), kept: None, pending: None, sent: None, rescans_at_the_end: false }
    }

    /// About `own`, on `drive`. `before` is what an earlier session has done of it, and `watched` whether the drive was seen at
    /// work on it ever since.
    pub(super) fn erase(
        own: &PlannedErase,
        secret: Option<&Secret>,
        drive: &Drive,
        before: &NativeEvidence,
        watched: bool,
    ) -> Self {
        let dialogue = match own.technique.descriptor().family {
            Family::Security { enhanced } => Self::new(security::SecuritySequence::erase(enhanced, before)),
            Family::Format { crypto } => Self::new(format::FormatSequence::new(own, crypto)),
            Family::Mmc(way) => Self::new(mmc::MmcSequence::new(way, drive.geometry.sectors)),
            Family::Card => Self::new(mmc::MmcSequence::card(drive.geometry.sectors)),
            Family::Tcg(way) => Self::new(tcg::TcgSequence::new(way, drive.protocol, secret)),
            Family::Sanitize(kind) => Self::new(sanitize::SanitizeSequence::new((own.technique, kind), drive, before, watched)),
            Family::Passes | Family::Host | Family::Hands => Self::new(NoCommand(own.technique)),
        };
        Self { rescans_at_the_end: true, ..dialogue }
    }

    /// About hidden sectors.
    pub(super) fn lift(lift: &UnhideOrder) -> Self {
        Self::new(lift::UnhideSequence::new(lift))
    }

    /// What comes next.
    pub(super) fn turn(&mut self) -> SequenceTurn {
        let next = self.pending.take().unwrap_or_else(|| self.talk.next());
        match &next {
            NextCommand::Change(commands) => match self.kept.take() {
                Some(kept) => {
                    let change = Change::new(kept, commands.clone());
                    self.note_sent(next);
                    SequenceTurn::Change(change)
                }
                None => {
                    let shown = commands.iter().map(Command::shown).collect();
                    self.pending = Some(next);
                    SequenceTurn::Keep(shown)
                }
            },
            NextCommand::Ask(command) => {
                let command = command.clone();
                self.note_sent(next);
                SequenceTurn::Ask(command)
            }
            NextCommand::Wait(so_long) => SequenceTurn::Wait(*so_long),
            NextCommand::Read(at) => SequenceTurn::Read(*at),
            NextCommand::Tell(what) => SequenceTurn::Tell(what),
            NextCommand::Rescan => {
                // Seen once, it needs no other look at the end.
                self.rescans_at_the_end = false;
                SequenceTurn::Rescan
            }
            NextCommand::Over(SequenceEnd::Completed) if std::mem::take(&mut self.rescans_at_the_end) => {
                self.pending = Some(next);
                SequenceTurn::Rescan
            }
            NextCommand::Over(end) => SequenceTurn::Over(end.clone()),
        }
    }

    fn note_sent(&mut self, next: NextCommand) {
        let again = matches!(self.sent, Some((_, n)) if n > 0);
        if !again {
            self.sent = Some((next, 0));
        }
    }

    /// The job's place was kept.
    pub(super) fn kept(&mut self, kept: CheckpointSaved) {
        self.kept = Some(kept);
    }

    /// The answer to what was sent. One that only tells of a change is no answer: the command was not carried out, and is
    /// sent again.
    pub(super) fn heard(&mut self, answer: &Answer) {
        if let Some((next, attentions)) = &mut self.sent
            && answer.wants_it_again()
            && *attentions < ATTENTIONS
        {
            *attentions += 1;
            self.pending = Some(next.clone());
            return;
        }
        self.sent = None;
        self.talk.heard(answer);
    }

    /// Whether the sector that was to be read could be.
    pub(super) fn read(&mut self, could_be_read: bool) {
        self.talk.read(could_be_read);
    }

    /// What the drive does, by its last answer.
    pub(super) fn work(&self) -> DriveWork {
        self.talk.work()
    }
}

/// Why a drive was not given back: its password not taken away, or its failure mode not left.
#[derive(Debug, thiserror::Error)]
pub enum UnlockError {
    /// The drive can't be asked.
    #[error("cannot ask the drive")]
    Medium(#[from] MediumError),
    /// The drive does not do it.
    #[error("{0}")]
    Drive(String),
}

/// Takes the password away that a broken-off SECURITY ERASE UNIT has left on an ATA drive, and erases nothing. A drive without
/// a password stays as it is. It needs no checkpoint: what it changes can only be changed back by setting a password.
///
/// # Errors
/// The drive has another password, is frozen, or does not answer.
pub fn unlock(port: &mut dyn Port) -> Result<(), UnlockError> {
    let mut talk = security::SecuritySequence::unlock();
    loop {
        match talk.next() {
            NextCommand::Ask(command) => talk.heard(&send_until_carried_out(port, &command)?),
            NextCommand::Change(commands) => {
                let answers = one_by_one(&commands, |command| send_until_carried_out(port, command))?;
                answers.last().into_iter().for_each(|answer| talk.heard(answer));
            }
            NextCommand::Over(SequenceEnd::Completed) => return Ok(()),
            NextCommand::Over(SequenceEnd::Refused(why) | SequenceEnd::Failed(why) | SequenceEnd::Silent(why)) => {
                return Err(UnlockError::Drive(why));
            }
            NextCommand::Wait(_) | NextCommand::Read(_) | NextCommand::Tell(_) | NextCommand::Rescan => {}
        }
    }
}

/// Takes a drive out of the failure mode that a failed sanitize operation has left it in, and erases nothing: what was on it
/// may be there still.
///
/// # Errors
/// It is in no failure mode, does not leave it, or does not answer.
pub fn leave_failure(port: &mut dyn Port, protocol: Protocol) -> Result<(), UnlockError> {
    sanitize::leave_failure(protocol, &mut |command| send_until_carried_out(port, command))
}

/// Sends `command`, and again where the drive has only told of a change: after a power cycle the first answer is that.
fn send_until_carried_out(port: &mut dyn Port, command: &Command) -> Result<Answer, MediumError> {
    let mut answer = port.send(command)?;
    for _ in 0..ATTENTIONS {
        if !answer.wants_it_again() {
            break;
        }
        answer = port.send(command)?;
    }
    Ok(answer)
}

#[cfg(test)]
pub(crate) mod tests;
