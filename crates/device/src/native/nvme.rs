//! NVM Express: Identify Controller (base specification, 5.17.2.1) and the SMART / Health log page (02h).

use super::command::{Command, Data};
use super::{Health, NativeErase, OwnState, OwnTime, PageError, need, text_field};
use crate::technique::SanitizeKind;

/// What Identify Controller says.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Controller {
    /// Bytes 4 to 23.
    pub serial: Option<String>,
    /// Bytes 24 to 63.
    pub model: Option<String>,
    /// Bytes 64 to 71.
    pub firmware: Option<String>,
    /// OACS (256) bit 1.
    pub format: bool,
    /// FNA (524) bit 2.
    pub format_crypto: bool,
    /// SANICAP (328) bit 0.
    pub sanitize_crypto: bool,
    /// SANICAP bit 1.
    pub sanitize_block: bool,
    /// SANICAP bit 2.
    pub sanitize_overwrite: bool,
    /// NN (516): number of namespaces that there may be.
    pub namespaces: u32,
    /// UNVMCAP (296): bytes that belong to no namespace; `None` where namespaces can't be managed, so that there are none.
    pub unallocated: Option<u128>,
    /// OACS (256) bit 3: namespaces can be made and deleted.
    pub manages_namespaces: bool,
    /// FNA (524) bit 1: an erasing format is of all namespaces.
    pub format_erases_all: bool,
    /// FNA bit 3 clear: a format may be asked for of all namespaces at once.
    pub format_broadcast: bool,
    /// SANICAP bit 29 clear: sanitize may be asked to leave its blocks allocated, so that reading shows the media.
    pub no_deallocate: bool,
}

/// Reads an Active Namespace ID list (Identify, CNS 02h) or an Allocated one (CNS 10h): numbers of four bytes, in order,
/// ended by zero.
pub fn parse_namespaces(page: &[u8]) -> Vec<u32> {
    page.chunks_exact(4).map(|n| u32::from_le_bytes([n[0], n[1], n[2], n[3]])).take_while(|n| *n != 0).collect()
}

/// Size in bytes of a namespace, of Identify Namespace data (NSZE, and the format in use).
pub fn parse_namespace_size(page: &[u8]) -> Option<u64> {
    let sectors = u64::from_le_bytes(page.get(..8)?.try_into().ok()?);
    let format = usize::from(page.get(26)? & 15);
    let shift = *page.get(128 + 4 * format + 2)?;
    sectors.checked_shl(shift.into()).filter(|_| (9..32).contains(&shift))
}

impl Controller {
    /// Bytes of the answer.
    pub const LENGTH: usize = 4096;

    /// Reads the answer.
    ///
    /// # Errors
    /// Fewer than 4096 bytes, or nothing but one byte.
    pub fn parse(page: &[u8]) -> Result<Self, PageError> {
        need(page, Self::LENGTH)?;
        let number = |at: usize| u32::from_le_bytes([page[at], page[at + 1], page[at + 2], page[at + 3]]);
        Ok(Self {
            serial: text_field(&page[4..24]),
            model: text_field(&page[24..64]),
            firmware: text_field(&page[64..72]),
            format: page[256] & 2 != 0,
            format_crypto: page[256] & 2 != 0 && page[524] & 4 != 0,
            sanitize_crypto: page[328] & 1 != 0,
            sanitize_block: page[328] & 2 != 0,
            sanitize_overwrite: page[328] & 4 != 0,
            namespaces: number(516),
            manages_namespaces: page[256] & 8 != 0,
            format_erases_all: page[524] & 2 != 0,
            format_broadcast: page[524] & 8 == 0,
            no_deallocate: number(328) & 1 << 29 == 0,
            unallocated: (page[256] & 8 != 0).then(|| page[296..312].iter().rev().fold(0u128, |v, b| v << 8 | u128::from(*b))),
        })
    }

    /// The erase commands that it says it has.
    pub fn own_erases(&self) -> Vec<NativeErase> {
        [
            (self.sanitize_block, NativeErase::SanitizeBlock),
            (self.sanitize_crypto, NativeErase::SanitizeCrypto),
            (self.sanitize_overwrite, NativeErase::SanitizeOverwrite),
            (self.format_crypto, NativeErase::FormatCrypto),
            (self.format, NativeErase::Format),
        ]
        .into_iter()
        .filter_map(|(has, erase)| has.then_some(erase))
        .collect()
    }
}

/// Bytes of the sanitize status log page (81h) that are read.
pub const SANITIZE_STATUS_LENGTH: usize = 32;

/// Passes that the drive's estimate for overwriting is for.
const ESTIMATED_PASSES: u64 = 16;

/// Reads the estimated seconds of each sanitize action from the sanitize status log page. All ones: not told. That of
/// overwriting is for sixteen passes; what is given here is for one.
///
/// # Errors
/// Fewer than 32 bytes.
pub fn parse_sanitize_times(page: &[u8]) -> Result<Vec<OwnTime>, PageError> {
    if page.len() < SANITIZE_STATUS_LENGTH {
        return Err(PageError::Short { found: page.len(), needed: SANITIZE_STATUS_LENGTH });
    }
    let number = |at: usize| u32::from_le_bytes([page[at], page[at + 1], page[at + 2], page[at + 3]]);
    let told = [(8, NativeErase::SanitizeOverwrite), (12, NativeErase::SanitizeBlock), (16, NativeErase::SanitizeCrypto)];
    let times = told.into_iter().map(|(at, erase)| (erase, number(at)));
    let of_one_pass = |erase, t: u64| if erase == NativeErase::SanitizeOverwrite { t.div_ceil(ESTIMATED_PASSES) } else { t };
    let time = |(erase, t): (NativeErase, u32)| OwnTime { erase, seconds: of_one_pass(erase, t.into()), at_least: false };
    Ok(times.filter(|(_, t)| !matches!(*t, 0 | u32::MAX)).map(time).collect())
}

/// Whether the subsystem is being sanitized, or was without success, from the sanitize status log page (SSTAT bits 2:0, SPROG).
///
/// # Errors
/// Fewer than 32 bytes.
pub fn parse_sanitize_state(page: &[u8]) -> Result<OwnState, PageError> {
    if page.len() < SANITIZE_STATUS_LENGTH {
        return Err(PageError::Short { found: page.len(), needed: SANITIZE_STATUS_LENGTH });
    }
    let progress = Some(u16::from_le_bytes([page[0], page[1]])).filter(|p| *p != u16::MAX);
    Ok(match page[2] & 7 {
        2 => OwnState::Running { progress },
        3 => OwnState::Failed,
        _ => OwnState::Idle,
    })
}

/// Every namespace.
const ALL: u32 = u32::MAX;

/// Identify, controller structure.
pub fn identify_controller() -> Command {
    Command::nvme("Identify Controller", 0x06, 0, (1, 0), Data::In(Controller::LENGTH))
}

/// Identify, structure of one namespace.
pub fn identify_namespace(namespace: u32) -> Command {
    Command::nvme("Identify Namespace", 0x06, namespace, (0, 0), Data::In(Controller::LENGTH))
}

/// Get Log Page, sanitize status (81h).
pub fn sanitize_log() -> Command {
    let dwords = SANITIZE_STATUS_LENGTH as u32 / 4 - 1;
    Command::nvme("Get Log Page, sanitize status", 0x02, ALL, (0x81 | dwords << 16, 0), Data::In(SANITIZE_STATUS_LENGTH))
}

/// CDW10 of that sanitize operation (base specification, 5.24). Unrestricted completion (AUSE) is not
/// asked for: after a failure only a sanitize that succeeds gives the drive back. Overwriting is one pass of zeros.
pub fn sanitize_cdw10(kind: SanitizeKind, no_deallocate: bool) -> u32 {
    let action = match kind {
        SanitizeKind::Block => 2,
        SanitizeKind::Overwrite => 3 | 1 << 4,
        SanitizeKind::Crypto => 4,
    };
    action | if no_deallocate { NO_DEALLOCATE } else { 0 }
}

/// No-Deallocate After Sanitize, in CDW10 of Sanitize.
pub const NO_DEALLOCATE: u32 = 1 << 9;

/// Sanitize, with that CDW10; the pattern of an overwriting is zeros.
pub fn sanitize(cdw10: u32) -> Command {
    Command::nvme("Sanitize", 0x84, 0, (cdw10, 0), Data::None)
}

/// Sanitize, exit failure mode: of a drive whose failed operation was begun with leave to do so (AUSE).
pub fn leave_failure() -> Command {
    Command::nvme("Sanitize, exit failure mode", 0x84, 0, (1, 0), Data::None)
}

/// What the sanitize status log page says of the last operation.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct SanitizeLog {
    /// Whether one is at work, or has failed.
    pub state: OwnState,
    /// Whether the last one came to its end (SSTAT 1, or 4: its blocks were deallocated all the same).
    pub completed: bool,
    /// Nothing was written since (bit 8).
    pub nothing_written_since: bool,
    /// CDW10 of the command that began it.
    pub cdw10: u32,
    /// It was begun without No-Deallocate, or its blocks were deallocated all the same (SSTAT 4): what reads back is how the
    /// controller answers for them.
    pub deallocated: bool,
}

impl SanitizeLog {
    /// Reads the page.
    ///
    /// # Errors
    /// Fewer than 32 bytes.
    pub fn parse(page: &[u8]) -> Result<Self, PageError> {
        let state = parse_sanitize_state(page)?;
        let cdw10 = u32::from_le_bytes([page[4], page[5], page[6], page[7]]);
        let status = page[2] & 7;
        Ok(Self {
            state,
            completed: matches!(status, 1 | 4),
            nothing_written_since: page[3] & 1 != 0,
            cdw10,
            deallocated: status == 4 || cdw10 & NO_DEALLOCATE == 0,
        })
    }
}

/// Format NVM with the format that the namespace has (its Identify data is `page`), and that secure erase setting: 1 user
/// data, 2 the key. `None`: the page is too short.
pub fn format(namespace: Option<u32>, page: &[u8], secure_erase: u8) -> Option<Command> {
    let (format, protection) = (*page.get(26)?, *page.get(29)?);
    let low = u32::from(format & 15);
    // Whether metadata follows its block (bit 4), and the upper bits of the format's number (6:5).
    let (metadata, high) = (u32::from(format >> 4 & 1), u32::from(format >> 5 & 3));
    let (kind, first) = (u32::from(protection & 7), u32::from(protection >> 3 & 1));
    let cdw10 = low | metadata << 4 | kind << 5 | first << 8 | u32::from(secure_erase) << 9 | high << 12;
    Some(Command::nvme("Format NVM", 0x80, namespace.unwrap_or(ALL), (cdw10, 0), Data::None))
}

/// What a status means that a person can do something about (base specification, 4.6.1).
pub(crate) fn status_words(status: u16) -> Option<&'static str> {
    Some(match status & 0x7ff {
        0x01 => "the drive does not have this command",
        0x02 => "a field of the command is not one that the drive takes",
        0x15 => "the drive denies the operation, as a locked self-encrypting drive does",
        0x1c => "an earlier sanitize operation has failed",
        0x1d => "a sanitize operation is at work",
        0x20 => "a namespace is write protected",
        0x23 => "the command is locked down",
        0x83 => "another host holds a reservation",
        0x84 => "a format is at work",
        0x10a => "the drive does not take this format",
        0x10b | 0x110 | 0x111 => "new firmware waits for a reset of the drive",
        0x123 => "the persistent memory region is enabled",
        0x370 | 0x371 => "the system has no path to the drive now",
        _ => return None,
    })
}

/// Bytes of the SMART / Health log page.
pub const HEALTH_LENGTH: usize = 512;

/// Reads the SMART / Health log page.
///
/// # Errors
/// Fewer than 512 bytes, or nothing but one byte.
pub fn parse_health(page: &[u8]) -> Result<Health, PageError> {
    need(page, HEALTH_LENGTH)?;
    let wide = |at: usize| page[at..at + 8].iter().rev().fold(0u64, |v, b| v << 8 | u64::from(*b));
    let kelvin = i16::try_from(u16::from_le_bytes([page[1], page[2]])).unwrap_or(0);
    Ok(Health {
        power_on_hours: Some(wide(128)),
        reallocated: None,
        pending: None,
        wear_percent: Some(page[5]),
        celsius: (kelvin > 0).then(|| kelvin.saturating_sub(273)),
        by_makers_count: false,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn the_sanitize_log_tells_what_the_drive_is_doing_to_itself() {
        let page = |status: u8| {
            let mut page = [0u8; SANITIZE_STATUS_LENGTH];
            page[..3].copy_from_slice(&[0x34, 0x12, status]);
            parse_sanitize_state(&page).unwrap()
        };
        assert_eq!(page(2), OwnState::Running { progress: Some(0x1234) });
        assert_eq!([0, 1, 3, 4].map(page), [OwnState::Idle, OwnState::Idle, OwnState::Failed, OwnState::Idle]);
        assert!(parse_sanitize_state(&[0; 31]).is_err());
    }

    #[test]
    fn the_controller_tells_who_it_is_and_what_it_can() {
        let mut page = vec![0u8; 4096];
        page[4..24].copy_from_slice(b"QS1000E47J9P        ");
        page[24..44].copy_from_slice(b"Quillon Swift 1000\0\0");
        page[256] = 2;
        page[328] = 3;
        page[516] = 1;
        let controller = Controller::parse(&page).unwrap();
        assert_eq!(
            (controller.serial.as_deref(), controller.model.as_deref()),
            (Some("QS1000E47J9P"), Some("Quillon Swift 1000"))
        );
        assert_eq!(controller.own_erases(), [NativeErase::SanitizeBlock, NativeErase::SanitizeCrypto, NativeErase::Format]);
        assert_eq!(controller.namespaces, 1);
    }

    #[test]
    fn namespaces_are_listed_and_sized() {
        let mut list = vec![0u8; 4096];
        list[..4].copy_from_slice(&1u32.to_le_bytes());
        list[4..8].copy_from_slice(&7u32.to_le_bytes());
        assert_eq!(parse_namespaces(&list), [1, 7]);
        let mut namespace = vec![0u8; 4096];
        namespace[..8].copy_from_slice(&1000u64.to_le_bytes());
        (namespace[26], namespace[128 + 4 + 2]) = (1, 12);
        assert_eq!(parse_namespace_size(&namespace), Some(4_096_000));
        assert_eq!(parse_namespace_size(&[0; 10]), None);
    }

    #[test]
    fn the_health_page_counts_kelvin() {
        let mut page = vec![0u8; 512];
        page[1..3].copy_from_slice(&314u16.to_le_bytes());
        page[5] = 12;
        page[128] = 100;
        let health = parse_health(&page).unwrap();
        assert_eq!((health.celsius, health.wear_percent, health.power_on_hours), (Some(41), Some(12), Some(100)));
    }

    #[test]
    fn the_sanitize_log_tells_times_and_all_ones_mean_none() {
        let mut page = [0u8; 32];
        page[16..20].fill(0xff);
        page[12..16].copy_from_slice(&120u32.to_le_bytes());
        page[8..12].copy_from_slice(&1600u32.to_le_bytes());
        let time = |erase, seconds| OwnTime { erase, seconds, at_least: false };
        let told = vec![time(NativeErase::SanitizeOverwrite, 100), time(NativeErase::SanitizeBlock, 120)];
        assert_eq!(parse_sanitize_times(&page), Ok(told), "overwriting is told for sixteen passes");
        assert!(parse_sanitize_times(&page[..31]).is_err());
    }

    proptest! {
        #[test]
        fn no_answer_is_too_strange(mut page in prop::collection::vec(any::<u8>(), 0..600), long: bool) {
            if long {
                page.resize(4096, 0xee);
            }
            let _ = (Controller::parse(&page), parse_health(&page));
        }
    }
}
