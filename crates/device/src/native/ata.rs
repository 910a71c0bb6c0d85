//! ATA: IDENTIFY DEVICE (ACS, 7.13), SMART READ DATA, native maximum address, and the SCSI command that carries them.

pub mod erase;

use super::{Health, NativeErase, OwnState, OwnTime, PageError, need, sense_descriptors, text_field};
use crate::media::MediaClass;

/// What IDENTIFY DEVICE says. Words count from 0, each of two bytes, little-endian.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Identify {
    /// Words 10 to 19.
    pub serial: Option<String>,
    /// Words 23 to 26.
    pub firmware: Option<String>,
    /// Words 27 to 46.
    pub model: Option<String>,
    /// Words 100 to 103, else 60 and 61.
    pub sectors: u64,
    /// Words 117 and 118, else 512.
    pub logical: u32,
    /// Word 106.
    pub physical: u32,
    /// Word 217.
    pub rotation: Rotation,
    /// Word 82 bit 10: host protected area.
    pub can_hide_by_hpa: bool,
    /// Word 83 bit 11: device configuration overlay.
    pub can_hide_by_dco: bool,
    /// Word 119 bit 8: accessible max address.
    pub can_hide_by_amax: bool,
    /// Word 128.
    pub security: SecurityFeatures,
    /// Word 59.
    pub sanitize: SanitizeFeatures,
    /// Word 89: minutes of SECURITY ERASE UNIT, where told, and whether it takes longer than that.
    pub erase_minutes: Option<(u64, bool)>,
    /// Word 90: minutes of the enhanced one.
    pub enhanced_erase_minutes: Option<(u64, bool)>,
    /// Words 108 to 111, as hexadecimal digits, where word 87 bit 8 says that they are a world wide name.
    pub wwn: Option<String>,
    /// Word 83 bit 10: 48-bit addresses.
    pub long_addresses: bool,
    /// Word 87 bit 5: logs can be read, among them the device statistics.
    pub has_logs: bool,
}

/// Nominal media rotation rate (word 217, and SCSI VPD page B1h).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Rotation {
    /// Not told, or a reserved value.
    Unknown,
    /// 0001h: nothing turns.
    SolidState,
    /// Turns a minute, 0401h to FFFEh.
    PerMinute(u16),
}

impl Rotation {
    /// Reads the word.
    pub fn of_word(word: u16) -> Self {
        match word {
            1 => Rotation::SolidState,
            0x0401..=0xfffe => Rotation::PerMinute(word),
            _ => Rotation::Unknown,
        }
    }

    /// Class of media with the reason, where the word tells one.
    pub fn class(self) -> Option<(MediaClass, String)> {
        match self {
            Rotation::Unknown => None,
            Rotation::SolidState => Some((MediaClass::SolidState, "its rotation word is 1".into())),
            Rotation::PerMinute(n) => Some((MediaClass::Magnetic, format!("it turns {n} times a minute"))),
        }
    }
}

/// Security feature set (word 128).
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct SecurityFeatures {
    /// Bit 0.
    pub supported: bool,
    /// Bit 1.
    pub enabled: bool,
    /// Bit 2.
    pub locked: bool,
    /// Bit 3: no security command is taken until the power is cycled.
    pub frozen: bool,
    /// Bit 4: too many wrong passwords; none is taken until the power is cycled.
    pub expired: bool,
    /// Bit 5.
    pub enhanced_erase: bool,
}

/// Sanitize feature set (word 59).
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct SanitizeFeatures {
    /// Bit 12.
    pub supported: bool,
    /// Bit 13.
    pub crypto: bool,
    /// Bit 14.
    pub overwrite: bool,
    /// Bit 15.
    pub block: bool,
}

/// Bytes of an IDENTIFY DEVICE or SMART READ DATA answer.
pub const PAGE: usize = 512;

impl Identify {
    /// Reads the answer.
    ///
    /// # Errors
    /// Fewer than 512 bytes, nothing but one byte, or (where word 255 says there is one) a wrong checksum.
    pub fn parse(page: &[u8]) -> Result<Self, PageError> {
        need(page, PAGE)?;
        let page = &page[..PAGE];
        if page[510] == 0xa5 && sum(page) != 0 {
            return Err(PageError::Checksum);
        }
        let word = |n: usize| u16::from_le_bytes([page[2 * n], page[2 * n + 1]]);
        let bit = |n: usize, bit: u16| word(n) >> bit & 1 == 1;
        let number = |n: usize, words: usize| (0..words).fold(0u64, |v, i| v | u64::from(word(n + i)) << (16 * i));
        // Words 83 and 106 are valid when bits 15:14 are 01b.
        let valid = |n: usize| word(n) >> 14 == 1;
        let long = valid(83) && bit(83, 10);
        let logical = if valid(106) && bit(106, 12) { (number(117, 2) as u32).saturating_mul(2) } else { 512 };
        let logical = if logical.is_power_of_two() && logical >= 512 { logical } else { 512 };
        let ratio = if valid(106) && bit(106, 13) { word(106) & 15 } else { 0 };
        Ok(Self {
            serial: swapped_text(&page[20..40]),
            firmware: swapped_text(&page[46..54]),
            model: swapped_text(&page[54..94]),
            sectors: if long { number(100, 4) } else { number(60, 2) },
            logical,
            physical: logical.saturating_mul(1 << ratio),
            rotation: Rotation::of_word(word(217)),
            can_hide_by_hpa: bit(82, 10),
            can_hide_by_dco: valid(83) && bit(83, 11),
            can_hide_by_amax: valid(119) && bit(119, 8),
            security: SecurityFeatures {
                supported: bit(128, 0),
                enabled: bit(128, 1),
                locked: bit(128, 2),
                frozen: bit(128, 3),
                expired: bit(128, 4),
                enhanced_erase: bit(128, 5),
            },
            erase_minutes: erase_minutes(word(89)),
            enhanced_erase_minutes: erase_minutes(word(90)),
            wwn: (valid(87) && bit(87, 8) && number(108, 4) != 0)
                .then(|| (108..112).map(|n| format!("{:04x}", word(n))).collect::<String>()),
            long_addresses: long,
            has_logs: valid(87) && bit(87, 5),
            sanitize: SanitizeFeatures {
                supported: bit(59, 12),
                crypto: bit(59, 13),
                overwrite: bit(59, 14),
                block: bit(59, 15),
            },
        })
    }

    /// Whether the drive has any command that can hide sectors.
    pub fn can_hide(&self) -> bool {
        self.can_hide_by_hpa || self.can_hide_by_dco || self.can_hide_by_amax
    }

    /// How long it says that its erase commands take.
    pub fn own_times(&self) -> Vec<OwnTime> {
        let told =
            [(self.erase_minutes, NativeErase::SecurityErase), (self.enhanced_erase_minutes, NativeErase::SecurityEraseEnhanced)];
        let time = |(told, erase): (Option<(u64, bool)>, NativeErase)| {
            told.map(|(minutes, at_least)| OwnTime { erase, seconds: 60 * minutes, at_least })
        };
        told.into_iter().filter_map(time).collect()
    }

    /// The erase commands that it says it has.
    pub fn own_erases(&self) -> Vec<NativeErase> {
        let sanitize = |has: bool| self.sanitize.supported && has;
        [
            (sanitize(self.sanitize.block), NativeErase::SanitizeBlock),
            (sanitize(self.sanitize.overwrite), NativeErase::SanitizeOverwrite),
            (sanitize(self.sanitize.crypto), NativeErase::SanitizeCrypto),
            (self.security.supported && self.security.enhanced_erase, NativeErase::SecurityEraseEnhanced),
            (self.security.supported, NativeErase::SecurityErase),
        ]
        .into_iter()
        .filter_map(|(has, erase)| has.then_some(erase))
        .collect()
    }
}

/// Minutes that word 89 or 90 tells: units of two minutes, in eight bits, or in fifteen where bit 15 is set. 0: not told;
/// the largest value only says that it takes longer than the one before it.
fn erase_minutes(word: u16) -> Option<(u64, bool)> {
    let (units, most) = if word & 0x8000 != 0 { (word & 0x7fff, 0x7fff) } else { (word & 0xff, 0xff) };
    let at_least = units == most;
    (units > 0).then(|| (2 * u64::from(units - u16::from(at_least)), at_least))
}

/// Sum of all bytes: zero where the checksum in the last one is right.
fn sum(page: &[u8]) -> u8 {
    page.iter().fold(0, |sum, b| sum.wrapping_add(*b))
}

/// Text with its bytes swapped in each word.
fn swapped_text(raw: &[u8]) -> Option<String> {
    let straight: Vec<u8> = raw.chunks(2).flat_map(|pair| pair.iter().rev().copied()).collect();
    text_field(&straight)
}

/// Pages of the device statistics log that are read: general, rotating media, temperature, solid state.
pub const STATISTICS_PAGES: [u8; 4] = [1, 3, 5, 7];

/// Takes what a page of the device statistics log (log address 04h, ACS-4, 9.5) says into `health`. Its numbers mean the
/// same on every drive that keeps them.
///
/// # Errors
/// A short or empty page, or another one than that asked for.
pub fn parse_statistics(page: &[u8], number: u8, health: &mut Health) -> Result<(), PageError> {
    need(page, PAGE)?;
    if page[2] != number {
        return Err(PageError::OtherPage);
    }
    // Eight bytes each: the value, and in the last one bit 7 supported, bit 6 valid.
    let value = |at: usize, bytes: usize| {
        let told = page[at + 7] & 0xc0 == 0xc0;
        told.then(|| page[at..at + bytes].iter().rev().fold(0u64, |v, b| v << 8 | u64::from(*b)))
    };
    match number {
        1 => health.power_on_hours = value(16, 4).or(health.power_on_hours),
        3 => {
            health.reallocated = value(32, 4).or(health.reallocated);
            health.pending = value(56, 4).or(health.pending);
        }
        5 => health.celsius = value(8, 1).map(|c| i16::from(c as u8 as i8)).or(health.celsius),
        7 => health.wear_percent = value(8, 1).map(|p| p as u8).or(health.wear_percent),
        _ => {}
    }
    health.by_makers_count = false;
    Ok(())
}

/// Reads a SMART READ DATA answer (thirty attributes of twelve bytes from byte 2 on). The attribute numbers are no
/// standard: each maker counts in its own way, and that is said beside them.
///
/// # Errors
/// A short, empty or wrongly summed page.
pub fn parse_smart(page: &[u8]) -> Result<Health, PageError> {
    need(page, PAGE)?;
    if sum(&page[..PAGE]) != 0 {
        return Err(PageError::Checksum);
    }
    let mut health = Health { by_makers_count: true, ..Health::default() };
    for attribute in page[2..2 + 30 * 12].chunks_exact(12) {
        let raw = attribute[5..11].iter().rev().fold(0u64, |v, b| v << 8 | u64::from(*b));
        let normal = attribute[3];
        match attribute[0] {
            5 => health.reallocated = Some(raw & 0xffff_ffff),
            // Some makers count minutes or keep other numbers in the upper half.
            9 => health.power_on_hours = Some(raw & 0xffff_ffff),
            197 => health.pending = Some(raw & 0xffff_ffff),
            190 | 194 => health.celsius = Some((raw & 0xff) as i16).filter(|c| *c > 0 && *c < 125).or(health.celsius),
            // Wear of solid state drives: the normal value counts down from 100.
            177 | 202 | 231 | 233 if health.wear_percent.is_none() && (1..=100).contains(&normal) => {
                health.wear_percent = Some(100 - normal);
            }
            _ => {}
        }
    }
    Ok(health)
}

/// An ATA command to be carried by SCSI ATA PASS-THROUGH(16) (SAT, 12.2).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct AtaCommand {
    /// FEATURES.
    pub feature: u16,
    /// COUNT.
    pub count: u16,
    /// LBA, 48 bits.
    pub lba: u64,
    /// DEVICE.
    pub device: u8,
    /// COMMAND.
    pub command: u8,
    /// Whether the 48-bit form is used.
    pub extended: bool,
    /// What is transferred.
    pub transfer: Transfer,
}

/// What a command transfers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Transfer {
    /// One 512-byte block from the drive.
    In,
    /// One 512-byte block to the drive.
    Out,
    /// Nothing; the registers are asked back in the sense data.
    NoneWithRegisters,
}

impl AtaCommand {
    /// IDENTIFY DEVICE.
    pub const IDENTIFY: Self =
        Self { feature: 0, count: 1, lba: 0, device: 0, command: 0xec, extended: false, transfer: Transfer::In };
    /// SMART READ DATA.
    pub const SMART_READ_DATA: Self =
        Self { feature: 0xd0, count: 1, lba: 0xc2_4f00, device: 0, command: 0xb0, extended: false, transfer: Transfer::In };
    /// READ NATIVE MAX ADDRESS, for drives without 48-bit addresses.
    pub const READ_NATIVE_MAX: Self = Self {
        feature: 0,
        count: 0,
        lba: 0,
        device: 0x40,
        command: 0xf8,
        extended: false,
        transfer: Transfer::NoneWithRegisters,
    };
    /// READ NATIVE MAX ADDRESS EXT.
    pub const READ_NATIVE_MAX_EXT: Self =
        Self { feature: 0, count: 0, lba: 0, device: 0x40, command: 0x27, extended: true, transfer: Transfer::NoneWithRegisters };
    /// ACCESSIBLE MAX ADDRESS CONFIGURATION, GET NATIVE MAX ADDRESS EXT.
    pub const GET_NATIVE_MAX: Self = Self { command: 0x78, ..Self::READ_NATIVE_MAX_EXT };
    /// DEVICE CONFIGURATION IDENTIFY.
    pub const CONFIGURATION_IDENTIFY: Self =
        Self { feature: 0xc2, count: 1, lba: 0, device: 0, command: 0xb1, extended: false, transfer: Transfer::In };

    /// SANITIZE STATUS EXT (ACS-3, 7.36.6). It asks only.
    pub const SANITIZE_STATUS: Self = Self { command: 0xb4, ..Self::READ_NATIVE_MAX_EXT };

    /// READ LOG EXT of a page of the device statistics log.
    pub fn read_statistics(page: u8) -> Self {
        let lba = 0x04 | u64::from(page) << 8;
        Self { feature: 0, count: 1, lba, device: 0x40, command: 0x2f, extended: true, transfer: Transfer::In }
    }

    /// The shorter SCSI command block, ATA PASS-THROUGH(12), which some bridges take in place of the longer one. `None` for
    /// a command of the 48-bit form, for which it has no room.
    pub fn short_cdb(&self) -> Option<[u8; 12]> {
        if self.extended {
            return None;
        }
        let [_, protocol, flags, ..] = self.cdb();
        let [low, mid, high, ..] = self.lba.to_le_bytes();
        let [feature, count] = [self.feature, self.count].map(|v| v.to_le_bytes()[0]);
        Some([0xa1, protocol, flags, feature, count, low, mid, high, self.device, self.command, 0, 0])
    }

    /// The SCSI command block.
    pub fn cdb(&self) -> [u8; 16] {
        let [feature, count] = [self.feature, self.count].map(u16::to_be_bytes);
        let lba = self.lba.to_be_bytes();
        // Protocol 4 is PIO data-in, 3 non-data. The length is in COUNT, in blocks; CK_COND only where registers are
        // wanted, since some controllers fail commands that worked when it is set.
        let (protocol, flags) = match self.transfer {
            Transfer::In => (4, 0x0e),
            Transfer::Out => (5, 0x06),
            Transfer::NoneWithRegisters => (3, 0x20),
        };
        let [_, _, lba5, lba4, lba3, lba2, lba1, lba0] = lba;
        [
            0x85,
            protocol << 1 | u8::from(self.extended),
            flags,
            feature[0],
            feature[1],
            count[0],
            count[1],
            lba3,
            lba0,
            lba4,
            lba1,
            lba5,
            lba2,
            self.device,
            self.command,
            0,
        ]
    }
}

/// The registers of a finished command, from the ATA Status Return descriptor (SAT, 12.2.7) in descriptor sense data, or
/// from fixed sense data, as adapters before SATA drives send it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Registers {
    /// STATUS.
    pub status: u8,
    /// ERROR.
    pub error: u8,
    /// LBA, 48 bits.
    pub lba: u64,
    /// COUNT.
    pub count: u16,
    /// DEVICE; its bits 3:0 are bits 27:24 of a 28-bit address.
    pub device: u8,
}

impl Registers {
    /// Finds them in sense data; `None` if they are not there, or not whole.
    pub fn of_sense(sense: &[u8]) -> Option<Self> {
        match sense.first()? & 0x7f {
            0x70 | 0x71 => Self::of_fixed(sense),
            0x72 | 0x73 => Self::of_descriptors(sense),
            _ => None,
        }
    }

    /// Fixed sense data holds the lower halves only, and says in byte 8 whether the upper ones are not zero: then the
    /// answer is not whole.
    fn of_fixed(sense: &[u8]) -> Option<Self> {
        let s = sense.get(..14)?;
        let ata_information = s[2] & 15 == 1 && (s[12], s[13]) == (0, 0x1d);
        let upper_is_lost = s[8] & 0x60 != 0;
        if !ata_information || upper_is_lost {
            return None;
        }
        let byte = |n: usize| u64::from(s[n]);
        let lba = byte(9) | byte(10) << 8 | byte(11) << 16;
        Some(Self { status: s[4], error: s[3], lba, count: s[6].into(), device: s[5] })
    }

    fn of_descriptors(sense: &[u8]) -> Option<Self> {
        let d = sense_descriptors(sense).find(|d| d[0] == 9 && d[1] >= 12)?.get(..14)?;
        let byte = |n: usize| u64::from(d[n]);
        let lba = byte(7) | byte(9) << 8 | byte(11) << 16 | byte(6) << 24 | byte(8) << 32 | byte(10) << 40;
        Some(Self { status: d[13], error: d[3], lba, count: u16::from_be_bytes([d[4], d[5]]), device: d[12] })
    }

    /// The address in a 28-bit answer, whose highest bits are in DEVICE.
    pub fn short_lba(&self) -> u64 {
        self.lba & 0xff_ffff | u64::from(self.device & 15) << 24
    }

    /// Whether the command succeeded: neither ERR nor DF is set.
    pub fn is_good(&self) -> bool {
        self.status & 0x21 == 0
    }
}

/// What SANITIZE STATUS EXT answers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct SanitizeStatus {
    /// Whether one is at work, or has failed.
    pub state: OwnState,
    /// Whether the last one came to its end without error.
    pub completed: bool,
    /// Whether its SANITIZE commands are frozen until its power is cycled.
    pub frozen: bool,
}

/// An answer in fixed sense data whose upper halves were not zero, and are lost on the way (SAT-4, 12.2.2.7).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct CutRegisters {
    /// STATUS.
    pub status: u8,
    /// The lower half of LBA.
    pub lba: u32,
    /// Whether the upper half of COUNT was not zero.
    pub count_was_larger: bool,
}

impl CutRegisters {
    /// Finds them in sense data that brings information and no refusal; `None`: there are none, or nothing of them was lost.
    pub fn of_sense(sense: &[u8]) -> Option<Self> {
        let s = sense.get(..14).filter(|s| matches!(s[0] & 0x7f, 0x70 | 0x71))?;
        let ata_information = s[2] & 15 == 1 && (s[12], s[13]) == (0, 0x1d);
        let lba = u32::from(s[9]) | u32::from(s[10]) << 8 | u32::from(s[11]) << 16;
        (ata_information && s[8] & 0x60 != 0).then_some(Self { status: s[4], lba, count_was_larger: s[8] & 0x40 != 0 })
    }

    /// Whether the command succeeded: neither ERR nor DF is set.
    pub fn is_good(&self) -> bool {
        self.status & 0x21 == 0
    }
}

impl SanitizeStatus {
    /// What is left of an answer whose COUNT lost its upper half, and with that the bits that say how things stand. The progress is
    /// carried whole, and is all ones where nothing is at work. `None`: nothing can be told.
    pub fn of_cut(cut: &CutRegisters) -> Option<OwnState> {
        let progress = (cut.lba & 0xffff) as u16;
        let running = OwnState::Running { progress: Some(progress) };
        cut.is_good().then_some(if progress == u16::MAX { OwnState::Idle } else { running })
    }

    /// Reads the registers that came back (ACS-3, 7.36.6): COUNT bit 15 done without error, 14 at work, 13 frozen; LBA 15:0
    /// the progress. An aborted command tells its reason in LBA 7:0: 1 unsuccessful, 3 frozen. `None`: it does not tell.
    pub fn of(registers: &Registers) -> Option<Self> {
        let reason = (registers.lba & 0xff) as u8;
        match (registers.is_good(), reason) {
            (true, _) => {
                let running = registers.count & 1 << 14 != 0;
                let progress = Some((registers.lba & 0xffff) as u16).filter(|p| *p != u16::MAX);
                let state = if running { OwnState::Running { progress } } else { OwnState::Idle };
                let completed = !running && registers.count & 1 << 15 != 0;
                Some(Self { state, completed, frozen: registers.count & 1 << 13 != 0 })
            }
            (false, 1) => Some(Self { state: OwnState::Failed, completed: false, frozen: false }),
            (false, 3) => Some(Self { state: OwnState::Idle, completed: false, frozen: true }),
            (false, _) => None,
        }
    }
}

/// Largest sector address that DEVICE CONFIGURATION IDENTIFY names (words 3 to 6); the sector after it is the count.
///
/// # Errors
/// A short or empty page, or (where word 255 says there is one) a wrong checksum.
pub fn parse_configuration_max(page: &[u8]) -> Result<u64, PageError> {
    need(page, PAGE)?;
    if page[510] == 0xa5 && sum(&page[..PAGE]) != 0 {
        return Err(PageError::Checksum);
    }
    Ok((6..14).rev().fold(0u64, |v, i| v << 8 | u64::from(page[i])))
}

/// A page as a drive would send it, for tests and simulated drives.
#[cfg(any(test, feature = "testing"))]
pub fn sample_page(rotation: u16) -> Vec<u8> {
    let mut page = vec![0u8; PAGE];
    let mut put = |word: usize, value: u16| page[2 * word..2 * word + 2].copy_from_slice(&value.to_le_bytes());
    put(83, 0x4000 | 1 << 10);
    put(100, 0x0010);
    put(101, 0x0001);
    put(106, 0x4000 | 1 << 13 | 3);
    put(217, rotation);
    let mut text = |at: usize, text: &str| {
        for (i, b) in text.bytes().enumerate() {
            page[at + (i ^ 1)] = b;
        }
    };
    text(20, "      FM2000K7Q41M  ");
    text(46, "BR04    ");
    text(54, "Ferrant Meridian 2000                   ");
    page
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn with_sum(mut page: Vec<u8>) -> Vec<u8> {
        page[510] = 0xa5;
        page[511] = 0;
        page[511] = page.iter().fold(0u8, |s, b| s.wrapping_add(*b)).wrapping_neg();
        page
    }

    #[test]
    fn sanitize_status_tells_what_the_drive_is_doing_to_itself() {
        let registers = |status, count, lba| Registers { status, error: 0, lba, count, device: 0x40 };
        let told = |r: Registers| SanitizeStatus::of(&r).map(|s| (s.state, s.frozen));
        assert_eq!(told(registers(0x50, 0x8000, 0xffff)), Some((OwnState::Idle, false)));
        assert_eq!(told(registers(0x50, 0x4000, 0x2_8000)), Some((OwnState::Running { progress: Some(0x8000) }, false)));
        assert_eq!(told(registers(0x50, 0x2000, 0xffff)), Some((OwnState::Idle, true)));
        assert_eq!(told(registers(0x51, 0, 1)), Some((OwnState::Failed, false)));
        assert_eq!(told(registers(0x51, 0, 0)), None);
        let status = [0x85, 0x07, 0x20, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0x40, 0xb4, 0];
        assert_eq!(AtaCommand::SANITIZE_STATUS.cdb(), status);
        assert_eq!(AtaCommand::IDENTIFY.short_cdb(), Some([0xa1, 0x08, 0x0e, 0, 1, 0, 0, 0, 0, 0xec, 0, 0]));
        assert_eq!(AtaCommand::SANITIZE_STATUS.short_cdb(), None, "it needs the 48-bit form");
    }

    #[test]
    fn a_page_tells_who_the_drive_is() {
        let id = Identify::parse(&with_sum(sample_page(7200))).unwrap();
        assert_eq!((id.serial.as_deref(), id.firmware.as_deref()), (Some("FM2000K7Q41M"), Some("BR04")));
        assert_eq!(id.model.as_deref(), Some("Ferrant Meridian 2000"));
        assert_eq!((id.sectors, id.logical, id.physical), (0x1_0010, 512, 4096));
        assert_eq!(id.rotation.class().unwrap().0, MediaClass::Magnetic);
        assert!(!id.can_hide() && id.own_erases().is_empty());
    }

    #[test]
    fn a_wrong_checksum_a_short_page_and_an_empty_one_are_refused() {
        let mut page = with_sum(sample_page(1));
        page[100] ^= 1;
        assert_eq!(Identify::parse(&page), Err(PageError::Checksum));
        assert_eq!(Identify::parse(&page[..511]), Err(PageError::Short { found: 511, needed: 512 }));
        assert_eq!(Identify::parse(&[0; 512]), Err(PageError::Empty));
        assert_eq!(Identify::parse(&[0xff; 512]), Err(PageError::Empty));
    }

    #[test]
    fn features_are_read_from_their_bits() {
        let mut page = sample_page(1);
        let mut put = |word: usize, value: u16| page[2 * word..2 * word + 2].copy_from_slice(&value.to_le_bytes());
        put(59, 1 << 12 | 1 << 15);
        put(82, 1 << 10);
        put(128, 0b10_1001);
        let id = Identify::parse(&page).unwrap();
        assert!(id.can_hide_by_hpa && id.security.frozen && !id.security.enabled);
        assert_eq!(id.own_erases(), [NativeErase::SanitizeBlock, NativeErase::SecurityEraseEnhanced, NativeErase::SecurityErase]);
        assert_eq!(id.rotation, Rotation::SolidState);
    }

    #[test]
    fn command_blocks_are_as_the_standard_draws_them() {
        assert_eq!(AtaCommand::IDENTIFY.cdb(), [0x85, 0x08, 0x0e, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 0xec, 0]);
        assert_eq!(AtaCommand::SMART_READ_DATA.cdb(), [0x85, 0x08, 0x0e, 0, 0xd0, 0, 1, 0, 0, 0, 0x4f, 0, 0xc2, 0, 0xb0, 0]);
        assert_eq!(AtaCommand::READ_NATIVE_MAX_EXT.cdb(), [0x85, 0x07, 0x20, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0x40, 0x27, 0]);
    }

    #[test]
    fn registers_come_back_in_their_descriptor() {
        let mut sense = vec![0x72, 1, 0, 0x1d, 0, 0, 0, 14, 9, 12, 1, 0, 0, 0, 0x04, 0x01, 0x05, 0x02, 0x06, 0x03, 0x40, 0x50];
        let registers = Registers::of_sense(&sense).unwrap();
        assert_eq!((registers.lba, registers.is_good()), (0x0605_0403_0201, true));
        sense[21] = 0x51;
        assert!(!Registers::of_sense(&sense).unwrap().is_good());
        assert_eq!(Registers::of_sense(&[0x70; 18]), None);
        // Fixed sense data: whole where nothing is larger than fits, else cut, and that is information too.
        let mut fixed = vec![0x70, 0, 1, 0, 0x50, 0x40, 0x07, 10, 0, 0x34, 0x12, 0, 0, 0x1d, 0, 0, 0, 0];
        assert_eq!(Registers::of_sense(&fixed).map(|r| (r.lba, r.count, r.is_good())), Some((0x1234, 7, true)));
        assert_eq!(CutRegisters::of_sense(&fixed), None);
        fixed[8] = 0x40;
        let cut = CutRegisters::of_sense(&fixed).unwrap();
        assert!(Registers::of_sense(&fixed).is_none() && cut.is_good() && cut.count_was_larger);
        assert_eq!(SanitizeStatus::of_cut(&cut), Some(OwnState::Running { progress: Some(0x1234) }));
        (fixed[9], fixed[10]) = (0xff, 0xff);
        assert_eq!(SanitizeStatus::of_cut(&CutRegisters::of_sense(&fixed).unwrap()), Some(OwnState::Idle));
        fixed[4] = 0x51;
        assert_eq!(SanitizeStatus::of_cut(&CutRegisters::of_sense(&fixed).unwrap()), None);
    }

    #[test]
    fn smart_attributes_tell_age_and_health() {
        let mut page = vec![0u8; 512];
        let mut attribute = |slot: usize, id: u8, normal: u8, raw: u64| {
            let at = 2 + slot * 12;
            page[at] = id;
            page[at + 3] = normal;
            page[at + 5..at + 11].copy_from_slice(&raw.to_le_bytes()[..6]);
        };
        attribute(0, 9, 90, 10_032);
        attribute(1, 5, 100, 16);
        attribute(2, 197, 100, 3);
        attribute(3, 194, 60, 0x0000_0014_0029_0025);
        page[511] = page.iter().fold(0u8, |s, b| s.wrapping_add(*b)).wrapping_neg();
        let health = parse_smart(&page).unwrap();
        let said = health.sentences().join("; ").replace('\u{202f}', " ");
        assert_eq!(
            said,
            "1 year 53 days (10 032 h) under power; 16 sectors replaced; 3 sectors waiting for replacement; 37 °C; by the maker's own count"
        );
    }

    proptest! {
        #[test]
        fn no_answer_is_too_strange(page in prop::collection::vec(any::<u8>(), 0..600)) {
            if let Ok(id) = Identify::parse(&page) {
                prop_assert!(id.logical.is_power_of_two() && id.physical >= id.logical);
                let texts = [&id.serial, &id.model, &id.firmware];
                prop_assert!(texts.into_iter().flatten().all(|t| t.chars().all(|c| !c.is_control())));
            }
            let _ = (parse_smart(&page), Registers::of_sense(&page), parse_configuration_max(&page));
        }
    }
}
