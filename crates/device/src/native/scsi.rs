//! SCSI: INQUIRY and its vital product data pages (SPC, 6.6 and 7.7), READ CAPACITY(16) (SBC, 5.20), sense data.

use super::ata::Rotation;
use super::command::{Command, Data};
use super::{OwnState, PageError, need, sense_descriptors, text_field};
use crate::technique::SanitizeKind;

/// Standard INQUIRY data.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Inquiry {
    /// Byte 0 bits 4:0; 0 is a disk, 5 optical.
    pub device_type: u8,
    /// Byte 1 bit 7.
    pub removable: bool,
    /// Bytes 8 to 15.
    pub vendor: Option<String>,
    /// Bytes 16 to 31.
    pub product: Option<String>,
    /// Bytes 32 to 35.
    pub revision: Option<String>,
}

impl Inquiry {
    /// Bytes asked for.
    pub const LENGTH: usize = 36;

    /// Reads the answer.
    ///
    /// # Errors
    /// Fewer than 36 bytes, or nothing but one byte.
    pub fn parse(page: &[u8]) -> Result<Self, PageError> {
        need(page, Self::LENGTH)?;
        Ok(Self {
            device_type: page[0] & 0x1f,
            removable: page[1] & 0x80 != 0,
            vendor: text_field(&page[8..16]),
            product: text_field(&page[16..32]),
            revision: text_field(&page[32..36]),
        })
    }

    /// The name of the device: vendor and product.
    pub fn name(&self) -> Option<String> {
        let parts: Vec<&str> = [&self.vendor, &self.product].into_iter().flatten().map(String::as_str).collect();
        (!parts.is_empty()).then(|| parts.join(" "))
    }
}

/// INQUIRY for the standard data.
pub const INQUIRY: [u8; 6] = [0x12, 0, 0, 0, Inquiry::LENGTH as u8, 0];

/// INQUIRY for a vital product data page, with room for 255 bytes.
pub fn inquiry_page(page: u8) -> [u8; 6] {
    [0x12, 1, page, 0, 255, 0]
}

/// READ CAPACITY(16), with room for 32 bytes.
pub const READ_CAPACITY_16: [u8; 16] = [0x9e, 0x10, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 32, 0, 0];

/// The body of a page after its header of four bytes, no longer than the page says or than what came.
fn body(page: &[u8], number: u8) -> Result<&[u8], PageError> {
    if page.len() < 4 {
        return Err(PageError::Short { found: page.len(), needed: 4 });
    }
    if page[1] != number {
        return Err(PageError::OtherPage);
    }
    let length = usize::from(u16::from_be_bytes([page[2], page[3]]));
    Ok(&page[4..(4 + length).min(page.len())])
}

/// Page 80h: unit serial number.
///
/// # Errors
/// A short or other page.
pub fn parse_serial(page: &[u8]) -> Result<Option<String>, PageError> {
    Ok(text_field(body(page, 0x80)?))
}

/// Page 83h: the world-wide identifiers of the unit itself (association 0) as hexadecimal digits, NAA and EUI-64 only.
///
/// # Errors
/// A short or other page.
pub fn parse_identifiers(page: &[u8]) -> Result<Vec<String>, PageError> {
    let mut rest = body(page, 0x83)?;
    let mut found = vec![];
    while let [_, kind, _, length, ..] = *rest {
        let end = 4 + usize::from(length);
        let Some(value) = rest.get(4..end) else { break };
        if kind >> 4 & 3 == 0 && matches!(kind & 15, 2 | 3) {
            found.push(jurex_pattern::text::hex::encode(value));
        }
        rest = &rest[end..];
    }
    Ok(found)
}

/// Page B1h: rotation rate.
///
/// # Errors
/// A short or other page.
pub fn parse_rotation(page: &[u8]) -> Result<Rotation, PageError> {
    let body = body(page, 0xb1)?;
    match body {
        [high, low, ..] => Ok(Rotation::of_word(u16::from_be_bytes([*high, *low]))),
        _ => Err(PageError::Short { found: page.len(), needed: 6 }),
    }
}

/// READ CAPACITY(16): number of sectors, bytes of a logical and of a physical one.
///
/// # Errors
/// Fewer than 14 bytes.
pub fn parse_capacity(page: &[u8]) -> Result<(u64, u32, u32), PageError> {
    need(page, 14)?;
    let last = page[..8].iter().fold(0u64, |v, b| v << 8 | u64::from(*b));
    let logical = page[8..12].iter().fold(0u32, |v, b| v << 8 | u32::from(*b));
    Ok((last.saturating_add(1), logical, logical.saturating_mul(1 << (page[13] & 15))))
}

/// SANITIZE (SBC, 5.36).
const SANITIZE: u8 = 0x48;

/// REPORT SUPPORTED OPERATION CODES (SPC, 6.35) for one service action of SANITIZE.
pub fn report_supported_sanitize(service_action: u8) -> [u8; 12] {
    // Reporting options 010b: an operation code with a service action.
    [0xa3, 0x0c, 0x02, SANITIZE, 0, service_action, 0, 0, 0, 20, 0, 0]
}

/// Whether the answer says that the command is supported as the standard has it; `None`: it does not tell.
pub fn parse_supported(page: &[u8]) -> Option<bool> {
    match page.get(1)? & 7 {
        1 => Some(false),
        3 => Some(true),
        _ => None,
    }
}

/// Starts that sanitize operation (SBC-4, 5.36). It is answered at once (IMMED), and
/// after a failure only one that succeeds gives the drive back (AUSE is not set). Overwriting is one pass of zeros.
pub fn sanitize(kind: SanitizeKind) -> Command {
    const IMMEDIATELY: u8 = 0x80;
    let (name, action, list) = match kind {
        SanitizeKind::Overwrite => ("SANITIZE, overwrite", 1, Data::Out(vec![1, 0, 0, 4, 0, 0, 0, 0])),
        SanitizeKind::Block => ("SANITIZE, block erase", 2, Data::None),
        SanitizeKind::Crypto => ("SANITIZE, cryptographic erase", 3, Data::None),
    };
    let length = if let Data::Out(list) = &list { list.len() as u8 } else { 0 };
    Command::scsi(name, [SANITIZE, IMMEDIATELY | action, 0, 0, 0, 0, 0, 0, length, 0], list)
}

/// SANITIZE, EXIT FAILURE MODE: of a drive whose failed operation was begun with leave to do so (AUSE).
pub fn leave_failure() -> Command {
    Command::scsi("SANITIZE, exit failure mode", [SANITIZE, 0x1f, 0, 0, 0, 0, 0, 0, 0, 0], Data::None)
}

/// TEST UNIT READY, which a drive at work on itself answers with how far it is.
pub fn test_unit_ready() -> Command {
    Command::scsi("TEST UNIT READY", TEST_UNIT_READY, Data::None)
}

/// What sense data means that a person can do something about.
pub(crate) fn sense_words(key: u8, code: u8, qualifier: u8) -> Option<&'static str> {
    Some(match (key, code, qualifier) {
        (5, 0x20, _) => "the drive, or what stands before it, does not have this command",
        (5, 0x24 | 0x26, _) => "a field of the command is not one that the drive takes",
        (7, 0x27, _) => "the drive is write protected",
        (2, 0x04, 0x1b) => "the drive is at work on a sanitize operation",
        (2, 0x04, 0x04) => "the drive is being formatted",
        (2, 0x04, 0x09) => "the drive is testing itself",
        (3, 0x31, 0x03) => "an earlier sanitize operation has failed",
        (5 | 7, 0x74, _) => "the drive's security denies it",
        _ => return None,
    })
}

/// What a SCSI status without sense data means.
pub(crate) fn status_words(status: u8) -> Option<&'static str> {
    Some(match status {
        0x08 => "the drive is busy",
        0x18 => "another host holds a reservation on the drive: it must give it up first",
        _ => return None,
    })
}

/// MODE SENSE(10) for the block descriptor alone (SPC, 6.15), in its long form: the capacity that is set now, or the one
/// that the drive had from its maker.
pub fn mode_sense_capacity(from_the_maker: bool) -> [u8; 10] {
    // LLBAA asks for the long block descriptor; page control 10b for default values; page 3Fh gives all pages, of which
    // only the descriptor before them is read.
    let control = if from_the_maker { 0x80 } else { 0 };
    [0x5a, 0x10, control | 0x3f, 0, 0, 0, 0, 0, 255, 0]
}

/// The block descriptors of a MODE SENSE(10) answer, and whether they are long ones.
fn block_descriptor(page: &[u8]) -> Option<(bool, &[u8])> {
    let length = u16::from_be_bytes([*page.get(6)?, *page.get(7)?]);
    Some((page[4] & 1 == 1, page.get(8..8 + usize::from(length))?))
}

/// Number of sectors in the block descriptor of a MODE SENSE(10) answer; `None`: it does not tell.
pub fn parse_mode_capacity(page: &[u8]) -> Option<u64> {
    let (long, descriptor) = block_descriptor(page)?;
    let number = |bytes: &[u8]| bytes.iter().fold(0u64, |v, b| v << 8 | u64::from(*b));
    let (sectors, too_many) = match (long, descriptor.len()) {
        (true, 16..) => (number(&descriptor[..8]), u64::MAX),
        // Byte 0 is a density code, or the highest byte of the number on disks.
        (false, 8..) => (number(&descriptor[1..4]) | u64::from(descriptor[0]) << 24, u64::from(u32::MAX)),
        _ => return None,
    };
    (sectors != 0 && sectors != too_many && sectors != 0xff_ffff).then_some(sectors)
}

/// Bytes of a sector in the block descriptor of a MODE SENSE(10) answer; `None`: it does not tell, or nonsense.
pub fn parse_mode_sector(page: &[u8]) -> Option<u32> {
    let (long, descriptor) = block_descriptor(page)?;
    let bytes = match (long, descriptor.len()) {
        (true, 16..) => &descriptor[12..16],
        (false, 8..) => &descriptor[5..8],
        _ => return None,
    };
    let bytes = bytes.iter().fold(0u32, |v, b| v << 8 | u32::from(*b));
    (bytes >= 512 && bytes.is_power_of_two()).then_some(bytes)
}

/// Sense key, additional sense code and qualifier, of fixed or descriptor sense data.
pub fn parse_sense(sense: &[u8]) -> Option<(u8, u8, u8)> {
    match sense.first()? & 0x7f {
        0x70 | 0x71 => Some((sense.get(2)? & 15, *sense.get(12)?, *sense.get(13)?)),
        0x72 | 0x73 => Some((sense.get(1)? & 15, *sense.get(2)?, *sense.get(3)?)),
        _ => None,
    }
}

/// TEST UNIT READY (SPC-5, 6.47).
pub const TEST_UNIT_READY: [u8; 6] = [0; 6];

/// REQUEST SENSE (SPC-5, 6.40): asks for the state of the drive; it is answered also by one that is at work on itself.
pub const REQUEST_SENSE: [u8; 6] = [0x03, 0, 0, 0, 252, 0];

/// Whether the drive is at work on an erasure or format of its own, from sense data: of REQUEST SENSE, or of a command that it
/// refused. `None`: that is no sense data.
pub fn parse_own_state(sense: &[u8]) -> Option<OwnState> {
    Some(match parse_sense(sense)? {
        // Sanitize, or format, in progress.
        (2, 0x04, 0x1b | 0x04) => OwnState::Running { progress: progress(sense) },
        // Sanitize command failed; medium format corrupted.
        (3, 0x31, 0x03 | 0x00) => OwnState::Failed,
        _ => OwnState::Idle,
    })
}

/// The progress in sense-key specific bytes, in parts of 65536 (SPC-5, 4.4.2.4.4 and 4.4.3).
fn progress(sense: &[u8]) -> Option<u16> {
    let told = |s: &[u8]| (s[0] & 0x80 != 0).then(|| u16::from_be_bytes([s[1], s[2]]));
    match sense.first()? & 0x7f {
        0x70 | 0x71 => told(sense.get(15..18)?),
        _ => {
            // Sense-key specific; or, of a progress in another thing than the command, its own descriptor.
            let descriptor = sense_descriptors(sense).find(|d| matches!(d[0], 0x02 | 0x0a))?;
            match descriptor[0] {
                0x02 => told(descriptor.get(4..7)?),
                _ => descriptor.get(6..8).map(|p| u16::from_be_bytes([p[0], p[1]])),
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn inquiry_tells_the_name() {
        let mut page = vec![0u8; 36];
        page[1] = 0x80;
        page[8..16].copy_from_slice(b"Ferrant ");
        page[16..32].copy_from_slice(b"Anvil 900       ");
        page[32..36].copy_from_slice(b"0C2\0");
        let inquiry = Inquiry::parse(&page).unwrap();
        assert_eq!(
            (inquiry.name().as_deref(), inquiry.revision.as_deref(), inquiry.removable),
            (Some("Ferrant Anvil 900"), Some("0C2"), true)
        );
        assert!(Inquiry::parse(&page[..35]).is_err());
    }

    #[test]
    fn pages_are_no_longer_than_they_say_and_no_longer_than_what_came() {
        assert_eq!(parse_serial(b"\0\x80\0\x04 S12345").unwrap().as_deref(), Some("S12"));
        assert_eq!(parse_serial(b"\0\x80\xff\xffS12").unwrap().as_deref(), Some("S12"));
        assert_eq!(parse_serial(b"\0\x83\0\x04S123"), Err(PageError::OtherPage));
        assert_eq!(parse_rotation(&[0, 0xb1, 0, 0x3c, 0x1c, 0x20]), Ok(Rotation::PerMinute(7200)));
        let ids = [0, 0x83, 0, 20, 1, 3, 0, 8, 0x50, 0, 0xc5, 0, 1, 2, 3, 4, 1, 3, 0, 200, 9, 9, 9, 9];
        assert_eq!(parse_identifiers(&ids).unwrap(), ["5000c50001020304"]);
    }

    #[test]
    fn capacity_counts_the_last_sector() {
        let mut page = [0u8; 32];
        page[6..8].copy_from_slice(&[1, 0xff]);
        page[10] = 2;
        page[13] = 3;
        assert_eq!(parse_capacity(&page), Ok((512, 512, 4096)));
    }

    #[test]
    fn a_drive_at_work_on_itself_tells_how_far_it_is_in_both_kinds_of_sense_data() {
        let mut fixed = [0u8; 18];
        (fixed[0], fixed[2], fixed[12], fixed[13]) = (0x70, 2, 0x04, 0x1b);
        assert_eq!(parse_own_state(&fixed), Some(OwnState::Running { progress: None }));
        fixed[15..18].copy_from_slice(&[0x80, 0x40, 0x00]);
        assert_eq!(parse_own_state(&fixed), Some(OwnState::Running { progress: Some(0x4000) }));
        let descriptor = [0x72, 2, 0x04, 0x1b, 0, 0, 0, 14, 3, 4, 0, 0, 0, 0, 2, 6, 0, 0, 0x80, 0xc0, 0x01, 0];
        assert_eq!(parse_own_state(&descriptor), Some(OwnState::Running { progress: Some(0xc001) }));
        assert_eq!(parse_own_state(&[0x72, 3, 0x31, 0x03, 0, 0, 0, 0]), Some(OwnState::Failed));
        assert_eq!(parse_own_state(&[0x70, 0, 0, 0, 0, 0, 0, 10, 0, 0, 0, 0, 0, 0]), Some(OwnState::Idle));
        assert_eq!(parse_own_state(&[0; 18]), None);
    }

    proptest! {
        #[test]
        fn no_answer_is_too_strange(page in prop::collection::vec(any::<u8>(), 0..300)) {
            let _ = (Inquiry::parse(&page), parse_serial(&page), parse_identifiers(&page), parse_rotation(&page), parse_capacity(&page), parse_sense(&page), parse_own_state(&page));
        }
    }
}
