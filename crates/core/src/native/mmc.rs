//! MMC: the extended card specific data (JESD84-B51, 7.4), erasing and SANITIZE_START.

use super::command::{Command, Data, Image};
use super::{PageError, need};

/// Bytes of the extended card specific data.
pub const EXT_CSD: usize = 512;

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

/// A way of erasing sectors (CMD38).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Erase {
    /// What is named is unmapped.
    Plain,
    /// Its cells are erased too, and copies of what they hold.
    Secure,
    /// As plain, of single sectors.
    Trim,
}

/// Erases every sector of the user area; the three commands must follow one another with nothing between.
pub fn erase_all(sectors: u32, erase: Erase) -> [Command; 3] {
    let (name, argument) = match erase {
        Erase::Plain => ("ERASE", 0),
        Erase::Secure => ("ERASE, secure erase", 0x8000_0000),
        Erase::Trim => ("ERASE, trim", 1),
    };
    [
        command("ERASE_GROUP_START", 35, 0, Data::None),
        command("ERASE_GROUP_END", 36, sectors.saturating_sub(1), Data::None),
        command(name, 38, argument, Data::None),
    ]
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
        assert_eq!(erase_all(64, Erase::Plain).map(|c| argument(&c)), [0, 63, 0]);
        assert_eq!([Erase::Secure, Erase::Trim].map(|e| argument(&erase_all(64, e)[2])), [0x8000_0000, 1]);
        let mut page = vec![0u8; EXT_CSD];
        (page[231], page[213], page[223], page[224]) = (0x55, 0x80, 2, 1);
        let told = ExtCsd::parse(&page).unwrap();
        let plain =
            ExtCsd { sanitize: true, secure_erase: true, trim: true, write_protected: false, sectors: 0x8000, erase_seconds: 19 };
        assert_eq!(told, plain);
        (page[230], page[231]) = (3, 0x41);
        assert_eq!(ExtCsd::parse(&page).unwrap(), ExtCsd { trim: false, erase_seconds: 57, ..plain });
    }

    proptest! {
        #[test]
        fn no_answer_is_too_strange(page in prop::collection::vec(any::<u8>(), 0..600)) {
            let _ = ExtCsd::parse(&page);
        }
    }
}
