//! Commands as they go to a drive, byte by byte, what it answers, and the port through which both travel.

use super::ata::{CutRegisters, Registers};
use super::scsi;
use std::fmt;
use std::time::Duration;

/// The bytes of a command.
#[derive(Clone, PartialEq, Eq)]
pub enum Image {
    /// A SCSI command descriptor block; ATA commands travel in one.
    Scsi(Vec<u8>),
    /// An NVMe admin command.
    Nvme {
        /// Opcode.
        opcode: u8,
        /// NSID.
        namespace: u32,
        /// CDW10.
        cdw10: u32,
        /// CDW11.
        cdw11: u32,
    },
    /// An MMC command (JESD84-B51, 6.10).
    Mmc {
        /// Its number.
        index: u32,
        /// Its argument.
        argument: u32,
    },
    /// A call of the kernel's self-encrypting drive interface, which speaks TCG to the drive.
    Opal(OpalCall),
}

/// What the kernel is asked to do by TCG Opal.
#[derive(Clone, PartialEq, Eq)]
pub enum OpalCall {
    /// Whether the drive speaks it, and its states.
    Status,
    /// Revert to the state of the factory, by the PSID printed on the label.
    RevertByPsid(String),
    /// A new key for one locking range, by the password of Admin1.
    EraseRange {
        /// Number of the range; 0 is the global one.
        range: u8,
        /// The password.
        password: String,
    },
}

/// What travels with a command.
#[derive(Clone, PartialEq, Eq)]
pub enum Data {
    /// Nothing.
    None,
    /// So many bytes from the drive.
    In(usize),
    /// These bytes to the drive.
    Out(Vec<u8>),
    /// Bytes to the drive that no record shows.
    Secret(Vec<u8>),
}

/// One command.
#[derive(Clone, PartialEq, Eq)]
pub struct Command {
    /// What the standard calls it.
    pub name: &'static str,
    /// Its bytes.
    pub image: Image,
    /// What travels with it.
    pub data: Data,
    /// How long its end is waited for.
    pub patience: Duration,
}

impl Command {
    /// Patience with a command that only asks, or that is accepted at once.
    pub const SHORT: Duration = Duration::from_secs(15);

    /// A SCSI command without data.
    pub(crate) fn scsi(name: &'static str, cdb: impl Into<Vec<u8>>, data: Data) -> Self {
        Self { name, image: Image::Scsi(cdb.into()), data, patience: Self::SHORT }
    }

    /// An NVMe admin command.
    pub(crate) fn nvme(name: &'static str, opcode: u8, namespace: u32, (cdw10, cdw11): (u32, u32), data: Data) -> Self {
        Self { name, image: Image::Nvme { opcode, namespace, cdw10, cdw11 }, data, patience: Self::SHORT }
    }

    /// The bytes that travel to the drive.
    pub fn data_sent(&self) -> &[u8] {
        match &self.data {
            Data::None | Data::In(_) => &[],
            Data::Out(sent) | Data::Secret(sent) => sent,
        }
    }

    /// The same with another patience.
    #[must_use]
    pub fn patient(self, patience: Duration) -> Self {
        Self { patience, ..self }
    }

    /// Its name and its bytes in hexadecimal digits, for records. Secrets stand as `..`.
    pub fn shown(&self) -> String {
        let bytes = |b: &[u8]| b.iter().map(|b| format!("{b:02x}")).collect::<Vec<_>>().join(" ");
        let image = match &self.image {
            Image::Scsi(cdb) => bytes(cdb),
            Image::Nvme { opcode, namespace, cdw10, cdw11 } => {
                format!("{opcode:02x} NSID {namespace:08x} CDW10 {cdw10:08x} CDW11 {cdw11:08x}")
            }
            Image::Mmc { index, argument } => format!("CMD{index} {argument:08x}"),
            Image::Opal(OpalCall::Status) => "status".into(),
            Image::Opal(OpalCall::RevertByPsid(_)) => "PSID ..".into(),
            Image::Opal(OpalCall::EraseRange { range, .. }) => format!("range {range}, password .."),
        };
        let data = match &self.data {
            Data::None | Data::In(_) => String::new(),
            Data::Out(sent) => format!(" + {}", bytes(&sent[..sent.len().min(16)])),
            Data::Secret(_) => " + ..".into(),
        };
        format!("{}: {image}{data}", self.name)
    }
}

/// Secrets never come out, whoever prints it.
impl fmt::Debug for Command {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.shown())
    }
}

/// What a drive answered.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Answer {
    /// To a SCSI command, or an ATA command in one.
    Scsi {
        /// SCSI status; 0 is good.
        status: u8,
        /// Sense data.
        sense: Vec<u8>,
        /// Bytes that came.
        data: Vec<u8>,
    },
    /// To an NVMe command.
    Nvme {
        /// Status: code 7:0, code type 10:8.
        status: u16,
        /// Bytes that came.
        data: Vec<u8>,
    },
    /// To an MMC command: the card status (JESD84-B51, 6.13).
    Mmc {
        /// R1.
        response: u32,
        /// Bytes that came.
        data: Vec<u8>,
    },
    /// Of the kernel's self-encrypting drive interface: 0, or the TCG status; the flags where the status was asked for.
    Opal {
        /// TCG status.
        status: u32,
        /// Flags of the status call.
        flags: u32,
    },
    /// It was sent, and no answer came in time, or the link was reset: what became of it is not known.
    Lost {
        /// The system's words.
        why: String,
    },
}

impl Answer {
    /// Whether the drive carried the command out, or accepted it.
    pub fn is_good(&self) -> bool {
        match self {
            Answer::Scsi { status: 0, .. } => true,
            // Where registers are asked for, they come by CHECK CONDITION also after a success.
            Answer::Scsi { .. } => {
                self.registers().map_or_else(|| self.cut_registers().is_some_and(|cut| cut.is_good()), |r| r.is_good())
            }
            Answer::Nvme { status, .. } => *status == 0,
            // ADDRESS_OUT_OF_RANGE to SWITCH_ERROR: bits that say that something was not done.
            Answer::Mmc { response, .. } => response & MMC_ERRORS == 0,
            Answer::Opal { status, .. } => *status == 0,
            Answer::Lost { .. } => false,
        }
    }

    /// Whether the drive only tells that something has changed, and wants the command once more: it has not done it (SPC-5,
    /// UNIT ATTENTION).
    pub fn wants_it_again(&self) -> bool {
        matches!(self.sense(), Some((6, ..)))
    }

    /// Sense key, code and qualifier.
    pub fn sense(&self) -> Option<(u8, u8, u8)> {
        match self {
            Answer::Scsi { sense, .. } => scsi::parse_sense(sense),
            _ => None,
        }
    }

    /// The registers of an ATA command.
    pub fn registers(&self) -> Option<Registers> {
        match self {
            Answer::Scsi { sense, .. } => Registers::of_sense(sense),
            _ => None,
        }
    }

    /// What is left of the registers of an ATA command where the way to the drive carries only half of them.
    pub fn cut_registers(&self) -> Option<CutRegisters> {
        match self {
            Answer::Scsi { sense, .. } => CutRegisters::of_sense(sense),
            _ => None,
        }
    }

    /// The bytes that came with a good end; `None`: it did not end well.
    pub fn page(&self) -> Option<&[u8]> {
        match self {
            Answer::Scsi { data, .. } | Answer::Nvme { data, .. } | Answer::Mmc { data, .. } if self.is_good() => Some(data),
            _ => None,
        }
    }

    /// The raw status in hexadecimal digits, for records.
    pub fn raw(&self) -> String {
        match self {
            Answer::Scsi { status, sense, .. } if sense.is_empty() => format!("{status:02x}"),
            Answer::Scsi { status, sense, .. } => format!("{status:02x} {}", jurex_pattern::text::hex::encode(sense)),
            Answer::Nvme { status, .. } => format!("{status:04x}"),
            Answer::Mmc { response, .. } => format!("{response:08x}"),
            Answer::Opal { status, flags } => format!("{status:02x} {flags:02x}"),
            Answer::Lost { .. } => String::new(),
        }
    }

    /// Why it did not end well, in words.
    pub fn sentence(&self) -> String {
        match self {
            Answer::Scsi { .. } if self.registers().is_some_and(|r| !r.is_good()) => {
                let said = self.registers().map(|r| format!("status {:02x}h, error {:02x}h", r.status, r.error));
                format!("the drive aborted it ({})", said.unwrap_or_default())
            }
            Answer::Scsi { status, .. } => match self.sense() {
                Some((key, code, qualifier)) => {
                    let known = scsi::sense_words(key, code, qualifier);
                    let known = known.map(|k| format!("{k}; ")).unwrap_or_default();
                    format!("{known}sense {key:x}h {code:02x}h/{qualifier:02x}h")
                }
                None => scsi::status_words(*status).map_or_else(|| format!("SCSI status {status:02x}h"), str::to_string),
            },
            Answer::Nvme { status, .. } => {
                let known = super::nvme::status_words(*status).map(|k| format!("{k}; ")).unwrap_or_default();
                format!("{known}NVMe status {status:04x}h")
            }
            Answer::Mmc { response, .. } => format!("card status {response:08x}h"),
            Answer::Opal { status, .. } => {
                let known = match status {
                    0x01 => "not authorised: the PSID or password is not this drive's; ",
                    0x12 => "locked out after too many wrong tries, until its power is cycled; ",
                    _ => "",
                };
                format!("{known}TCG status {status:02x}h")
            }
            Answer::Lost { why } => format!("no answer came ({why})"),
        }
    }
}

/// Error bits of R1: address out of range, misaligned, block length, erase sequence, erase parameter, write protection,
/// CRC, illegal command, ECC, controller, general, CSD, erase skipped for write protection, erase reset, switch.
const MMC_ERRORS: u32 = 0xfff9_a080;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_secret_is_ever_printed() {
        let psid = Command {
            name: "TCG revert",
            image: Image::Opal(OpalCall::RevertByPsid("SECRETSECRET".into())),
            data: Data::None,
            patience: Command::SHORT,
        };
        let block = Command::scsi("SECURITY UNLOCK", [0x85, 0], Data::Secret(vec![0x41; 512]));
        for command in [psid, block] {
            let said = format!("{command:?} {}", command.shown());
            assert!(said.contains("..") && !said.contains("SECRET") && !said.contains("41 41"), "{said}");
        }
    }

    #[test]
    fn an_abort_is_told_apart_from_registers_that_come_after_a_success() {
        let ata = |status: u8, error: u8| {
            let mut sense = vec![0x72, 1, 0, 0x1d, 0, 0, 0, 14, 9, 12, 0, error, 0, 0, 0, 0, 0, 0, 0, 0, 0x40, status];
            sense[0] = 0x72;
            Answer::Scsi { status: 2, sense, data: vec![] }
        };
        assert!(ata(0x50, 0).is_good() && !ata(0x51, 4).is_good());
        assert_eq!(ata(0x51, 4).sentence(), "the drive aborted it (status 51h, error 04h)");
        let attention = Answer::Scsi { status: 2, sense: vec![0x72, 6, 0x2a, 9, 0, 0, 0, 0], data: vec![] };
        assert!(attention.wants_it_again() && !attention.is_good());
        assert!(!Answer::Nvme { status: 0x1d, data: vec![] }.is_good());
    }
}
