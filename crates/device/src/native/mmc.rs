//! MMC and SD: the extended card specific data (JESD84-B51, 7.4), erasing and SANITIZE_START.

use super::command::{Command, Data, Image};
use super::{PageError, need};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Bytes of the extended card specific data.
pub const EXT_CSD: usize = 512;

/// How a device is set to remove data for good: SECURE_REMOVAL_TYPE (16) bits 5 and 4, of the ways that bits 3 to 0 say it has
/// (JESD84-B51, 7.4).
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Removal {
    /// Its cells are erased.
    Erased,
    /// They are overwritten with one character, and erased.
    OverwrittenOnce,
    /// They are overwritten with a character, its complement, and a random one.
    OverwrittenThrice,
    /// A way of its maker's own.
    OfItsMaker,
}

impl Removal {
    /// By byte 16; `None`: the device does not name the way that it is set to among those that it has. One of its maker's own
    /// is taken for that in any case.
    pub fn of(byte: u8) -> Option<Self> {
        let set = byte >> 4 & 3;
        let has_it = byte & 1 << set != 0;
        match set {
            3 => Some(Removal::OfItsMaker),
            0 => has_it.then_some(Removal::Erased),
            1 => has_it.then_some(Removal::OverwrittenOnce),
            _ => has_it.then_some(Removal::OverwrittenThrice),
        }
    }
}

/// What of the extended card specific data matters to erasing.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ExtCsd {
    /// SEC_FEATURE_SUPPORT (231) bit 6: SANITIZE_START.
    pub sanitize: bool,
    /// Bit 0: secure erase, which erases the cells of what is named, and does not only unmap them.
    pub secure_erase: bool,
    /// Bit 4: trim, which reaches single sectors where an erasure reaches whole groups.
    pub trim: bool,
    /// USER_WP (171): the user area, or part of it, is write protected for good or until power-on.
    pub write_protected: bool,
    /// SECURE_REMOVAL_TYPE (16), where the device reports it.
    pub removal: Option<Removal>,
    /// SEC_COUNT (212 to 215): sectors of 512 bytes.
    pub sectors: u32,
    /// Seconds that erasing everything takes at most, by ERASE_TIMEOUT_MULT (223) and HC_ERASE_GRP_SIZE (224), and where it
    /// has secure erase by SEC_ERASE_MULT (230).
    pub erase_seconds: u64,
}

impl ExtCsd {
    /// Reads it.
    ///
    /// # Errors
    /// Fewer than 512 bytes, or nothing but one byte.
    pub fn parse(page: &[u8]) -> Result<Self, PageError> {
        need(page, EXT_CSD)?;
        let sectors = u32::from_le_bytes([page[212], page[213], page[214], page[215]]);
        // An erase group of high capacity is so many times 512 KiB, and takes so many times 300 ms.
        let groups = u64::from(sectors).div_ceil(1024 * u64::from(page[224].max(1)));
        let features = page[231];
        let secure_erase = features & 1 != 0;
        let secure = if secure_erase { u64::from(page[230].max(1)) } else { 1 };
        Ok(Self {
            sanitize: features & 1 << 6 != 0,
            secure_erase,
            trim: features & 1 << 4 != 0,
            write_protected: page[171] & 0b101 != 0,
            removal: Removal::of(page[16]),
            sectors,
            erase_seconds: groups * 300 * u64::from(page[223].max(1)) * secure / 1000,
        })
    }
}

fn command(name: &'static str, index: u32, argument: u32, data: Data) -> Command {
    Command { name, image: Image::Mmc { index, argument }, data, patience: Command::SHORT }
}

/// SEND_EXT_CSD (CMD8).
pub fn send_ext_csd() -> Command {
    command("SEND_EXT_CSD", 8, 0, Data::In(EXT_CSD))
}

/// SWITCH (CMD6) that writes one byte of the extended card specific data.
fn switch(name: &'static str, byte: u8, value: u8) -> Command {
    const WRITE_BYTE: u32 = 3 << 24;
    command(name, 6, WRITE_BYTE | u32::from(byte) << 16 | u32::from(value) << 8, Data::None)
}

/// ERASE_GROUP_DEF: erase groups are those of high capacity.
pub fn define_erase_groups() -> Command {
    switch("SWITCH, ERASE_GROUP_DEF", 175, 1)
}

/// Which of the two families of devices.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MmcFamily {
    /// eMMC.
    Embedded,
    /// SD cards.
    Sd,
}

/// A way of erasing sectors (CMD38).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum EraseKind {
    /// What is named is unmapped.
    Plain,
    /// Its cells are erased too, and copies of what they hold.
    Secure,
    /// As plain, of single sectors.
    Trim,
}

/// The largest device that is addressed in bytes; larger ones are addressed in sectors (JESD84-B51, 6.10; SD Physical Layer,
/// 4.7.4: standard capacity).
const ADDRESSED_IN_BYTES: u64 = 2 << 30;

/// The argument that names the last of so many sectors of 512 bytes.
fn last_address(sectors: u64) -> u32 {
    let last = sectors.saturating_sub(1);
    let address = if sectors.saturating_mul(512) <= ADDRESSED_IN_BYTES { last * 512 } else { last };
    u32::try_from(address).unwrap_or(u32::MAX)
}

/// Erases every sector of the user area; the three commands must follow one another with nothing between.
pub fn erase_all(family: MmcFamily, sectors: u64, erase: EraseKind) -> [Command; 3] {
    let (first, last) = match family {
        MmcFamily::Embedded => (("ERASE_GROUP_START", 35), ("ERASE_GROUP_END", 36)),
        MmcFamily::Sd => (("ERASE_WR_BLK_START", 32), ("ERASE_WR_BLK_END", 33)),
    };
    let (name, argument) = match erase {
        EraseKind::Plain => ("ERASE", 0),
        EraseKind::Secure => ("ERASE, secure erase", 0x8000_0000),
        EraseKind::Trim => ("ERASE, trim", 1),
    };
    [
        command(first.0, first.1, 0, Data::None),
        command(last.0, last.1, last_address(sectors), Data::None),
        command(name, 38, argument, Data::None),
    ]
}

/// Seconds that erasing an SD card of so many sectors takes at most, where it tells nothing: 250 ms for each stretch of 4 MiB, as
/// the SD Physical Layer (4.14) allows for what an erasure reaches.
pub fn card_erase_seconds(sectors: u64) -> u64 {
    sectors.div_ceil(8192) / 4
}

/// Whether an SD card has the erase commands, by its card specific data in hexadecimal digits: class 5 of CCC (bits 95 to 84, SD
/// Physical Layer, 5.3). `None`: these are no such data.
pub fn has_erase_commands(csd: &str) -> Option<bool> {
    let classes = u16::from_str_radix(csd.trim().get(8..11)?, 16).ok()?;
    Some(classes & 1 << 5 != 0)
}

/// SANITIZE_START: everything that no address reaches any more is erased physically. It ends when that is done.
pub fn sanitize_start() -> Command {
    switch("SWITCH, SANITIZE_START", 165, 1)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn the_bytes_are_those_of_the_standard() {
        let argument = |c: &Command| if let Image::Mmc { argument, .. } = c.image { argument } else { 0 };
        assert_eq!((argument(&sanitize_start()), argument(&define_erase_groups())), (0x03a5_0100, 0x03af_0100));
        let all = |sectors, erase| erase_all(MmcFamily::Embedded, sectors, erase).map(|c| argument(&c));
        assert_eq!(all(64, EraseKind::Plain), [0, 63 * 512, 0], "a small device is addressed in bytes");
        assert_eq!(all(2 << 21, EraseKind::Plain), [0, 0x7fff_fe00, 0], "2 GiB is the last of them");
        assert_eq!(all((2 << 21) + 1, EraseKind::Plain), [0, 2 << 21, 0]);
        assert_eq!([EraseKind::Secure, EraseKind::Trim].map(|e| all(64, e)[2]), [0x8000_0000, 1]);
        let card = erase_all(MmcFamily::Sd, 64, EraseKind::Plain).map(|c| c.shown().split_once(": ").unwrap().1.to_string());
        assert_eq!(card, ["CMD32 00000000", "CMD33 00007e00", "CMD38 00000000"]);
        let csd = |classes: &str| has_erase_commands(&format!("400e0032{classes}90000f0f7f800a400001"));
        assert_eq!([csd("5b5"), csd("595"), csd("xyz"), has_erase_commands("40")], [Some(true), Some(false), None, None]);
        let mut page = vec![0u8; EXT_CSD];
        (page[231], page[213], page[223], page[224]) = (0x55, 0x80, 2, 1);
        let told = ExtCsd::parse(&page).unwrap();
        let plain = ExtCsd {
            sanitize: true,
            secure_erase: true,
            trim: true,
            write_protected: false,
            removal: None,
            sectors: 0x8000,
            erase_seconds: 19,
        };
        assert_eq!(told, plain);
        (page[230], page[231]) = (3, 0x41);
        assert_eq!(ExtCsd::parse(&page).unwrap(), ExtCsd { trim: false, erase_seconds: 57, ..plain });
    }

    #[test]
    fn how_a_device_removes_data_is_believed_only_where_it_names_that_way_among_those_that_it_has() {
        let told = [0x00, 0x01, 0x0f, 0x11, 0x13, 0x2f, 0x39, 0x31].map(Removal::of);
        let (erased, once, thrice) = (Some(Removal::Erased), Some(Removal::OverwrittenOnce), Some(Removal::OverwrittenThrice));
        assert_eq!(told, [None, erased, erased, None, once, thrice, Some(Removal::OfItsMaker), Some(Removal::OfItsMaker)]);
    }

    proptest! {
        #[test]
        fn no_answer_is_too_strange(page in prop::collection::vec(any::<u8>(), 0..600)) {
            let _ = ExtCsd::parse(&page);
        }
    }
}
