//! SANITIZE on ATA, SCSI and NVMe: it is accepted at once, runs by itself through resets and power cuts, and tells how far it
//! is. Nothing stops it.

use super::{CommandSequence, DriveWork, NextCommand, SequenceEnd, UnlockError};
use jurex_device::media::{Drive, Protocol};
use jurex_device::medium::MediumError;
use jurex_device::native::ata::{self, Identify, SanitizeStatus};
use jurex_device::native::command::{Answer, Command};
use jurex_device::native::{OwnState, nvme, scsi};
use jurex_device::technique::{SanitizeKind, Technique};
use jurex_pattern::units::Lba;
use jurex_sanitize::evidence::NativeEvidence;
use std::time::Duration;

/// Waits between two questions: short at first, since some erasures take no longer.
const PATIENCE: [Duration; 3] = [Duration::from_millis(200), Duration::from_secs(1), Duration::from_secs(5)];
/// So many questions are asked at each of these rhythms but the last.
const QUESTIONS: u32 = 10;
/// So many questions in a row that were not answered end the conversation.
const SILENCES: u32 = 20;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Speech {
    Ata,
    Scsi,
    Nvme,
}

impl Speech {
    fn of(protocol: Protocol) -> Self {
        match protocol {
            Protocol::Ata => Speech::Ata,
            Protocol::Nvme { .. } => Speech::Nvme,
            Protocol::Scsi | Protocol::Mmc | Protocol::Block => Speech::Scsi,
        }
    }

    /// What asks for the state of sanitize operations.
    fn question(self) -> Command {
        match self {
            Speech::Ata => ata::erase::sanitize_status(),
            Speech::Scsi => scsi::test_unit_ready(),
            Speech::Nvme => nvme::sanitize_log(),
        }
    }

    /// What the answer to the question tells; `cdw10` is that of the NVMe command that was sent.
    fn told(self, cdw10: u32, answer: &Answer) -> Option<SanitizeReport> {
        let plain = |state, completed| SanitizeReport {
            state,
            frozen: false,
            completed,
            half_is_lost: false,
            ours_and_untouched: false,
            deallocated: false,
        };
        match self {
            Speech::Ata => match (answer.registers(), answer.cut_registers()) {
                (Some(registers), _) => {
                    let told = SanitizeStatus::of(&registers)?;
                    Some(SanitizeReport { frozen: told.frozen, ..plain(told.state, told.completed) })
                }
                (None, Some(cut)) => {
                    Some(SanitizeReport { half_is_lost: cut.count_was_larger, ..plain(SanitizeStatus::of_cut(&cut)?, false) })
                }
                (None, None) => None,
            },
            Speech::Nvme => {
                let told = nvme::SanitizeLog::parse(answer.page()?).ok()?;
                // Both modes of one operation are ours: the second is begun where nothing can be read after the first.
                let ours = told.completed && (told.cdw10 ^ cdw10) & !nvme::NO_DEALLOCATE == 0;
                Some(SanitizeReport {
                    ours_and_untouched: ours && told.nothing_written_since,
                    deallocated: told.deallocated,
                    ..plain(told.state, ours)
                })
            }
            Speech::Scsi if answer.is_good() => Some(plain(OwnState::Idle, true)),
            // Any other sense data tells of something that is no state of this operation.
            Speech::Scsi => match answer {
                Answer::Scsi { sense, .. } => {
                    scsi::parse_own_state(sense).filter(|s| *s != OwnState::Idle).map(|state| plain(state, false))
                }
                _ => None,
            },
        }
    }
}

/// Asks a drive whose sanitize operation failed to leave the failure mode, and erases nothing. Only a drive of which the failed
/// operation was begun with leave to do so does it; Jurex's own are begun without, so that nobody takes a drive that failed
/// for one that was sanitized.
pub(super) fn leave_failure(
    protocol: Protocol,
    send: &mut dyn FnMut(&Command) -> Result<Answer, MediumError>,
) -> Result<(), UnlockError> {
    let speech = Speech::of(protocol);
    let state = |answer: &Answer| speech.told(0, answer).map(|told| told.state);
    let answer = send(&speech.question())?;
    if state(&answer) != Some(OwnState::Failed) {
        return Err(UnlockError::Drive("it does not say that a sanitize operation of it has failed".into()));
    }
    let leave = match speech {
        Speech::Ata => ata::erase::leave_failure(),
        Speech::Scsi => scsi::leave_failure(),
        Speech::Nvme => nvme::leave_failure(),
    };
    let answer = send(&leave)?;
    let now = send(&speech.question())?;
    if state(&now) == Some(OwnState::Idle) {
        return Ok(());
    }
    let said = if answer.is_good() { "it accepted the command, and is in failure mode still".into() } else { answer.sentence() };
    Err(UnlockError::Drive(format!(
        "it stays in failure mode ({said}): sanitize it again (`jurex erase` with a SANITIZE way, or Plan), or destroy it"
    )))
}

/// What the drive says of its sanitize operations.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct SanitizeReport {
    state: OwnState,
    frozen: bool,
    /// Whether the last one came to its end without error.
    completed: bool,
    /// Whether something of how it stands was said, and was lost on the way: that it has finished, or is frozen.
    half_is_lost: bool,
    /// Whether that was surely the one that was sent, and nothing was written since.
    ours_and_untouched: bool,
    /// Whether the drive says that its sectors are deallocated.
    deallocated: bool,
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum SanitizeStep {
    /// Whether the drive has the command.
    AskSupport,
    /// What state it is in before.
    AskBefore,
    Start,
    /// It waits before the next question.
    Wait,
    Poll,
    /// It has ended well: the system is to see it anew before anything of it is read.
    SeeAnew,
    /// It is tried whether what it left can be read: so many of the places were tried, and so many of
    /// these could not be.
    Try {
        tried: u64,
        unreadable: u64,
    },
    /// Hardly any could be: it is begun once more, in the mode in which the drive answers for its sectors.
    TellAgain,
    Over(SequenceEnd),
}

/// So many places all over the drive are tried.
const PLACES: u64 = 16;

#[derive(Debug)]
pub(super) struct SanitizeSequence {
    speech: Speech,
    technique: Technique,
    kind: SanitizeKind,
    step: SanitizeStep,
    /// Sectors of the drive.
    sectors: u64,
    /// CDW10 of the NVMe command.
    cdw10: u32,
    /// What an earlier session has done.
    was_sent: bool,
    was_at_work: bool,
    watched: bool,
    /// No answer came to the command that was to start it.
    unsure: bool,
    /// The drive has accepted the command in this conversation: its commands are not frozen, then.
    accepted: bool,
    work: DriveWork,
    questions: u32,
    silences: u32,
}

impl SanitizeSequence {
    pub(super) fn new(
        (technique, kind): (Technique, SanitizeKind),
        drive: &Drive,
        before: &NativeEvidence,
        watched: bool,
    ) -> Self {
        let speech = Speech::of(drive.protocol);
        // Plain SCSI says by REPORT SUPPORTED OPERATION CODES what it has, which was asked long ago; it refuses what it lacks.
        let step = if speech == Speech::Scsi { SanitizeStep::AskBefore } else { SanitizeStep::AskSupport };
        Self {
            speech,
            technique,
            kind,
            step,
            sectors: drive.geometry.sectors,
            cdw10: 0,
            was_sent: before.sent > 0,
            was_at_work: before.at_work,
            watched,
            unsure: false,
            accepted: false,
            work: DriveWork::default(),
            questions: 0,
            silences: 0,
        }
    }

    fn start(&self) -> Command {
        match self.speech {
            Speech::Ata => ata::erase::sanitize(self.kind),
            Speech::Scsi => scsi::sanitize(self.kind),
            Speech::Nvme => nvme::sanitize(self.cdw10),
        }
    }

    /// Whether the drive says that it has this operation; and how it is to be asked for.
    fn hear_support(&mut self, answer: &Answer) -> Result<(), String> {
        let unsaid = || Err(format!("it did not tell whether it has {}: {}", self.technique.name(), answer.sentence()));
        let Some(page) = answer.page() else { return unsaid() };
        let has = match self.speech {
            Speech::Ata => match Identify::parse(page) {
                Ok(told) if told.security.locked => return Err("its security is locked: unlock it first".into()),
                Ok(told) => told.own_erases().iter().any(|e| e.technique() == self.technique),
                Err(_) => return unsaid(),
            },
            Speech::Nvme => match nvme::Controller::parse(page) {
                Ok(told) => {
                    self.cdw10 = nvme::sanitize_cdw10(self.kind, told.no_deallocate);
                    told.own_erases().iter().any(|e| e.technique() == self.technique)
                }
                Err(_) => return unsaid(),
            },
            Speech::Scsi => true,
        };
        if has { Ok(()) } else { Err(format!("it does not have {}", self.technique.name())) }
    }

    /// The state before anything is sent in this session.
    fn hear_before(&mut self, told: SanitizeReport) {
        self.step = match told.state {
            OwnState::Running { progress } if self.was_sent => {
                self.work = DriveWork { at_work: true, progress, ..DriveWork::default() };
                SanitizeStep::Wait
            }
            OwnState::Running { .. } => {
                SanitizeStep::Over(SequenceEnd::Refused("it is at work on an erasure that this job did not begin: wait until it is over".into()))
            }
            // It was at work on this one when the session before was cut off, and says that it has finished. A key can be
            // replaced again in a moment, and its proof wants what was drawn in the same hold.
            OwnState::Idle if self.was_at_work && told.ours_and_untouched && !self.technique.replaces_a_key() => self.ended_well(told),
            // It was seen at work until it was opened, and took and gave no sector meanwhile.
            OwnState::Idle if self.watched && self.was_sent && told.completed && !self.technique.replaces_a_key() => {
                self.ended_well(told)
            }
            OwnState::Idle if told.frozen => SanitizeStep::Over(SequenceEnd::Refused(
                "its SANITIZE commands are frozen until its power is taken away: take the power away for ten seconds and try again"
                    .into(),
            )),
            // After a failure only one that succeeds gives the drive back.
            OwnState::Idle | OwnState::Failed => SanitizeStep::Start,
        };
    }

    fn hear_start(&mut self, answer: &Answer) {
        self.step = match answer {
            Answer::Lost { .. } => {
                self.unsure = true;
                SanitizeStep::Wait
            }
            good if good.is_good() => {
                self.accepted = true;
                SanitizeStep::Wait
            }
            refused => SanitizeStep::Over(SequenceEnd::Refused(format!(
                "it did not begin {}: {}",
                self.technique.name(),
                self.why(refused)
            ))),
        };
    }

    /// Why a command was refused; an ATA drive tells the reason in a register.
    fn why(&self, refused: &Answer) -> String {
        let reason = refused.registers().filter(|_| self.speech == Speech::Ata).and_then(|r| match r.lba & 0xff {
            1 => Some("an earlier one has failed"),
            2 => Some("it does not have this one"),
            3 => Some("its SANITIZE commands are frozen until its power is taken away"),
            _ => None,
        });
        reason.map_or_else(|| refused.sentence(), str::to_string)
    }

    /// The drive says that it came to its end. A block erasure, or a new key, that leaves the sectors as they are may leave them
    /// unreadable: that is tried.
    fn ended_well(&mut self, told: SanitizeReport) -> SanitizeStep {
        self.work.at_work = false;
        self.work.deallocated = told.deallocated;
        let may_be_unreadable = match self.kind {
            SanitizeKind::Block | SanitizeKind::Crypto => true,
            SanitizeKind::Overwrite => false,
        };
        if self.speech == Speech::Nvme && !told.deallocated && may_be_unreadable {
            SanitizeStep::SeeAnew
        } else {
            SanitizeStep::Over(SequenceEnd::Completed)
        }
    }

    fn hear_poll(&mut self, answer: &Answer) {
        let Some(told) = self.speech.told(self.cdw10, answer) else {
            self.silences += 1;
            self.step = if self.silences < SILENCES {
                SanitizeStep::Wait
            } else {
                SanitizeStep::Over(SequenceEnd::Silent(format!("it does not tell any more how far it is: {}", answer.sentence())))
            };
            return;
        };
        self.silences = 0;
        self.step = match told.state {
            OwnState::Running { progress } => {
                (self.work, self.unsure) = (DriveWork { at_work: true, progress, ..DriveWork::default() }, false);
                SanitizeStep::Wait
            }
            OwnState::Failed => SanitizeStep::Over(SequenceEnd::Failed(format!(
                "its {} failed, as it reports; it takes and gives no sector until one succeeds: resume the job, which tries again, or destroy the drive",
                self.technique.name()
            ))),
            OwnState::Idle if self.unsure => SanitizeStep::Over(SequenceEnd::Failed(
                "no answer came to the command, and it is not at work: it is not known whether it erased anything".into(),
            )),
            OwnState::Idle if told.completed => self.ended_well(told),
            // Nothing is at work, nothing has failed, and what was lost on the way is one of three bits: at work, frozen, or done. The
            // first is not so, and of a frozen drive the command would not have been accepted.
            OwnState::Idle if told.half_is_lost && self.accepted => SanitizeStep::Over(SequenceEnd::Completed),
            OwnState::Idle if told.half_is_lost => SanitizeStep::Over(SequenceEnd::Silent(
                "it is not at work, and whether it has finished is said in a part of its answer that gets lost on the way: attach the drive natively, and resume the job"
                    .into(),
            )),
            OwnState::Idle => SanitizeStep::Over(SequenceEnd::Failed(
                "it is not at work any more, and does not say that it came to its end without error".into(),
            )),
        };
    }
}

impl CommandSequence for SanitizeSequence {
    fn next(&mut self) -> NextCommand {
        match &self.step {
            SanitizeStep::AskSupport if self.speech == Speech::Ata => NextCommand::Ask(ata::erase::identify()),
            SanitizeStep::AskSupport => NextCommand::Ask(nvme::identify_controller()),
            SanitizeStep::AskBefore | SanitizeStep::Poll => NextCommand::Ask(self.speech.question()),
            SanitizeStep::Start => NextCommand::Change(vec![self.start()]),
            SanitizeStep::Wait => {
                let rhythm = (self.questions / QUESTIONS) as usize;
                self.questions += 1;
                self.step = SanitizeStep::Poll;
                NextCommand::Wait(PATIENCE[rhythm.min(PATIENCE.len() - 1)])
            }
            SanitizeStep::SeeAnew => {
                self.step = SanitizeStep::Try { tried: 0, unreadable: 0 };
                NextCommand::Rescan
            }
            SanitizeStep::Try { tried, .. } => NextCommand::Read(Lba(self.sectors.saturating_sub(1) * tried / (PLACES - 1))),
            SanitizeStep::TellAgain => {
                self.step = SanitizeStep::Start;
                NextCommand::Tell(
                    "Its sectors can't be read as this erasure leaves them: it erases itself once more, in the mode in which it answers for them.",
                )
            }
            SanitizeStep::Over(end) => NextCommand::Over(end.clone()),
        }
    }

    fn read(&mut self, could_be_read: bool) {
        let SanitizeStep::Try { tried, unreadable } = self.step else { return };
        let (tried, unreadable) = (tried + 1, unreadable + u64::from(!could_be_read));
        self.step = match () {
            () if tried < PLACES => SanitizeStep::Try { tried, unreadable },
            // A bad sector here and there is no matter of the mode.
            () if unreadable * 2 > PLACES => {
                self.cdw10 &= !nvme::NO_DEALLOCATE;
                SanitizeStep::TellAgain
            }
            () => SanitizeStep::Over(SequenceEnd::Completed),
        };
    }

    fn heard(&mut self, answer: &Answer) {
        match self.step {
            SanitizeStep::AskSupport => {
                self.step = match self.hear_support(answer) {
                    Ok(()) => SanitizeStep::AskBefore,
                    Err(why) => SanitizeStep::Over(SequenceEnd::Refused(why)),
                };
            }
            SanitizeStep::AskBefore => match self.speech.told(self.cdw10, answer) {
                Some(told) => self.hear_before(told),
                None => {
                    let said = format!("it did not tell what state it is in: {}", answer.sentence());
                    let end = if matches!(answer, Answer::Lost { .. }) {
                        SequenceEnd::Silent(said)
                    } else {
                        SequenceEnd::Refused(said)
                    };
                    self.step = SanitizeStep::Over(end);
                }
            },
            SanitizeStep::Start => self.hear_start(answer),
            SanitizeStep::Poll => self.hear_poll(answer),
            SanitizeStep::Wait
            | SanitizeStep::SeeAnew
            | SanitizeStep::Try { .. }
            | SanitizeStep::TellAgain
            | SanitizeStep::Over(_) => {}
        }
    }

    fn work(&self) -> DriveWork {
        self.work
    }
}
