//! What a sector held, remembered without a byte of it.

use jurex_pattern::text::hex;
use jurex_pattern::units::Lba;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

/// What digests are made with. Drawn for one job, kept in its checkpoint only.
#[derive(Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Salt(
    #[serde(with = "hex")]
    #[schemars(with = "jurex_pattern::text::HexDigits")]
    [u8; 16],
);

impl Salt {
    /// Of these random bytes.
    pub fn new(bytes: [u8; 16]) -> Self {
        Self(bytes)
    }
}

impl std::fmt::Debug for Salt {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Salt")
    }
}

/// What one sector held.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SectorDigest {
    /// This byte over and over.
    Blank(u8),
    /// Anything else, of this digest; never 0 or 1.
    Digest(u64),
}

impl SectorDigest {
    /// Numbers below it stand for something else wherever digests are kept.
    pub const FIRST_DIGEST: u64 = 2;

    /// What the sector at `lba` with these bytes is.
    pub fn of(salt: Salt, lba: Lba, bytes: &[u8]) -> Self {
        match jurex_device::bytes::repeated_byte(bytes) {
            Some(byte) => SectorDigest::Blank(byte),
            None => {
                let mut digest = Sha256::new();
                digest.update(salt.0);
                digest.update(lba.0.to_le_bytes());
                digest.update(bytes);
                let digest = digest.finalize();
                let number = u64::from_le_bytes(std::array::from_fn(|i| digest[i]));
                SectorDigest::Digest(number.max(Self::FIRST_DIGEST))
            }
        }
    }
}
