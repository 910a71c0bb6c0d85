//! The ATA commands that change a drive for good: SANITIZE DEVICE, the security feature set, and the limits of what can be
//! addressed. Each travels in SCSI ATA PASS-THROUGH(16).

use super::{AtaCommand as Ata, Transfer};
use crate::native::command::{Command, Data};
use crate::technique::SanitizeKind;

/// The password that Jurex sets for as long as SECURITY ERASE UNIT takes: the word `jurex`, filled with zero bytes. It is no
/// secret: whoever meets a drive that was left locked must be able to open it.
pub const PASSWORD: &str = "jurex";

fn carried(name: &'static str, ata: Ata, data: Data) -> Command {
    Command::scsi(name, ata.cdb(), data)
}

/// IDENTIFY DEVICE.
pub fn identify() -> Command {
    carried("IDENTIFY DEVICE", Ata::IDENTIFY, Data::In(super::PAGE))
}

/// SANITIZE STATUS EXT. It asks only.
pub fn sanitize_status() -> Command {
    carried("SANITIZE STATUS EXT", Ata::SANITIZE_STATUS, Data::None)
}

/// SANITIZE STATUS EXT that also ends the failure mode, of a drive whose failed operation was begun with leave to do so.
pub fn leave_failure() -> Command {
    const CLEAR_FAILED: u16 = 1;
    carried("SANITIZE STATUS EXT, clear failed", Ata { count: CLEAR_FAILED, ..Ata::SANITIZE_STATUS }, Data::None)
}

/// Starts that sanitize operation (ACS-3, 7.36). Overwriting is one pass of zeros. The
/// failure mode is the strict one: after a failure only another one that succeeds gives the drive back.
pub fn sanitize(kind: SanitizeKind) -> Command {
    let (name, feature, count, lba) = match kind {
        SanitizeKind::Crypto => ("CRYPTO SCRAMBLE EXT", 0x11, 0, u64::from(u32::from_be_bytes(*b"Cryp"))),
        SanitizeKind::Block => ("BLOCK ERASE EXT", 0x12, 0, u64::from(u32::from_be_bytes(*b"BkEr"))),
        SanitizeKind::Overwrite => ("OVERWRITE EXT", 0x14, 1, u64::from(u16::from_be_bytes(*b"OW")) << 32),
    };
    carried(name, Ata { feature, count, lba, ..Ata::SANITIZE_STATUS }, Data::None)
}

/// A command of the security feature set, 28-bit.
const SECURITY: Ata =
    Ata { feature: 0, count: 0, lba: 0, device: 0, command: 0, extended: false, transfer: Transfer::NoneWithRegisters };

/// A block of 512 bytes with the user password, and `word0` before it (ACS-3, 7.40).
fn with_password(name: &'static str, command: u8, word0: u16) -> Command {
    let mut block = vec![0; super::PAGE];
    block[..2].copy_from_slice(&word0.to_le_bytes());
    block[2..2 + PASSWORD.len()].copy_from_slice(PASSWORD.as_bytes());
    carried(name, Ata { count: 1, command, transfer: Transfer::Out, ..SECURITY }, Data::Secret(block))
}

/// SECURITY SET PASSWORD: the user's, level high. From then on the drive locks itself at its next power-on.
pub fn set_password() -> Command {
    with_password("SECURITY SET PASSWORD", 0xf1, 0)
}

/// SECURITY UNLOCK with Jurex's password.
pub fn unlock() -> Command {
    with_password("SECURITY UNLOCK", 0xf2, 0)
}

/// SECURITY DISABLE PASSWORD with Jurex's password.
pub fn disable_password() -> Command {
    with_password("SECURITY DISABLE PASSWORD", 0xf6, 0)
}

/// SECURITY ERASE PREPARE: SECURITY ERASE UNIT must follow it with nothing between.
pub fn erase_prepare() -> Command {
    carried("SECURITY ERASE PREPARE", Ata { command: 0xf3, ..SECURITY }, Data::None)
}

/// SECURITY ERASE UNIT, by Jurex's password. It ends when the drive is erased.
pub fn erase_unit(enhanced: bool) -> Command {
    let name = if enhanced { "SECURITY ERASE UNIT, enhanced" } else { "SECURITY ERASE UNIT" };
    with_password(name, 0xf4, u16::from(enhanced) << 1)
}

/// READ NATIVE MAX ADDRESS, in the form that the drive's addresses need.
pub fn read_native_max(extended: bool) -> Command {
    let ata = if extended { Ata::READ_NATIVE_MAX_EXT } else { Ata::READ_NATIVE_MAX };
    carried("READ NATIVE MAX ADDRESS", ata, Data::None)
}

/// SET MAX ADDRESS: `last` becomes the last addressable sector, until the next power-on or for good. READ NATIVE MAX ADDRESS
/// must come right before it.
pub fn set_max(last: u64, extended: bool, permanent: bool) -> Command {
    let count = u16::from(permanent);
    let ata = if extended {
        Ata { command: 0x37, count, lba: last, ..Ata::READ_NATIVE_MAX_EXT }
    } else {
        // Bits 27:24 of a 28-bit address are in DEVICE.
        let device = 0x40 | ((last >> 24) & 15) as u8;
        Ata { command: 0xf9, count, lba: last & 0xff_ffff, device, ..Ata::READ_NATIVE_MAX }
    };
    carried("SET MAX ADDRESS", ata, Data::None)
}

/// GET NATIVE MAX ADDRESS EXT.
pub fn get_native_max() -> Command {
    carried("GET NATIVE MAX ADDRESS EXT", Ata::GET_NATIVE_MAX, Data::None)
}

/// SET ACCESSIBLE MAX ADDRESS EXT: for good, and once in a power cycle.
pub fn set_accessible_max(last: u64) -> Command {
    carried("SET ACCESSIBLE MAX ADDRESS EXT", Ata { feature: 1, lba: last, ..Ata::GET_NATIVE_MAX }, Data::None)
}

/// DEVICE CONFIGURATION IDENTIFY.
pub fn configuration_identify() -> Command {
    carried("DEVICE CONFIGURATION IDENTIFY", Ata::CONFIGURATION_IDENTIFY, Data::In(super::PAGE))
}

/// DEVICE CONFIGURATION RESTORE: the capacity, and every setting, that the drive had from its maker.
pub fn configuration_restore() -> Command {
    carried("DEVICE CONFIGURATION RESTORE", Ata { feature: 0xc0, command: 0xb1, device: 0, ..SECURITY }, Data::None)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::native::command::Image;

    fn cdb(command: &Command) -> Vec<u8> {
        let Image::Scsi(cdb) = &command.image else { panic!("an ATA command travels in a SCSI one") };
        cdb.clone()
    }

    #[test]
    fn the_bytes_are_those_of_the_standards() {
        let block = sanitize(SanitizeKind::Block);
        assert_eq!(cdb(&block), [0x85, 7, 0x20, 0, 0x12, 0, 0, 0x42, 0x72, 0, 0x45, 0, 0x6b, 0x40, 0xb4, 0]);
        let overwrite = sanitize(SanitizeKind::Overwrite);
        assert_eq!(cdb(&overwrite), [0x85, 7, 0x20, 0, 0x14, 0, 1, 0, 0, 0x57, 0, 0x4f, 0, 0x40, 0xb4, 0]);
        assert_eq!(cdb(&erase_unit(true)), [0x85, 0x0a, 6, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 0xf4, 0]);
        assert_eq!(cdb(&erase_prepare()), [0x85, 6, 0x20, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0xf3, 0]);
        let Data::Secret(data) = erase_unit(true).data else { panic!() };
        assert_eq!((&data[..8], data.len()), (&[2, 0, b'j', b'u', b'r', b'e', b'x', 0][..], 512));
        assert_eq!(cdb(&set_max(0x1234_5678, true, true))[6..13], [1, 0x12, 0x78, 0, 0x56, 0, 0x34]);
        assert_eq!((cdb(&set_max(0x0a00_0001, false, false))[13], cdb(&set_max(1, false, false))[14]), (0x4a, 0xf9));
        assert_eq!(cdb(&configuration_restore())[4..15], [0xc0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0xb1]);
    }
}
