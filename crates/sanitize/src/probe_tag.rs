//! Tagged sectors: each holds what a keystream under a key of its own job has at its address, and so tells that address to
//! whoever has the key. A drive that gives one sector at two addresses is found out by it.

use jurex_device::bytes::repeated_byte;
use jurex_pattern::pattern::{Base, Pattern};
use jurex_pattern::units::Lba;

/// What a sector tells that was, or should have been, tagged.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ProbeTag {
    /// It is the sector that was tagged at this address.
    Of {
        /// The address.
        lba: Lba,
        /// Whether by the second round of tags, which is the complement of the first.
        second: bool,
    },
    /// No tag of this job is on it, but one byte over and over.
    Blank,
    /// Something else is on it.
    None,
}

impl ProbeTag {
    /// What a sector of these `bytes` tells, where tags are laid as `pattern`: a keystream, and its complement in a second round.
    pub fn of(pattern: &Pattern, bytes: &[u8]) -> Self {
        let Base::Random { seed: Some(seed) } = &pattern.base else { return ProbeTag::None };
        let Some(first) = bytes.first_chunk::<16>() else { return ProbeTag::None };
        let sector = bytes.len() as u64;
        let lba_of = |block| jurex_keystream::address_of(&seed.0, block).filter(|a| a.is_multiple_of(sector)).map(|a| a / sector);
        let plain = lba_of(*first).map(|lba| (lba, false));
        let Some((lba, second)) = plain.or_else(|| lba_of(first.map(|b| !b)).map(|lba| (lba, true))) else {
            return if repeated_byte(bytes).is_some() { ProbeTag::Blank } else { ProbeTag::None };
        };
        let mut laid = vec![0; bytes.len()];
        let round = Pattern { complemented: second, ..pattern.clone() };
        round.fill(lba * sector, bytes.len() as u32, &mut laid);
        // One that came only in part, or was written over in part, is no tag.
        if laid == bytes { ProbeTag::Of { lba: Lba(lba), second } } else { ProbeTag::None }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_tag_tells_its_own_address_wherever_it_is_read_and_a_torn_one_tells_nothing() {
        let tags = Pattern::random([5; 16]);
        let sector = |pattern: &Pattern, lba: u64| {
            let mut bytes = vec![0; 512];
            pattern.fill(lba * 512, 512, &mut bytes);
            bytes
        };
        for lba in [0, 1, 12_345_678_901] {
            assert_eq!(ProbeTag::of(&tags, &sector(&tags, lba)), ProbeTag::Of { lba: Lba(lba), second: false });
            assert_eq!(ProbeTag::of(&tags, &sector(&tags.complement(), lba)), ProbeTag::Of { lba: Lba(lba), second: true });
        }
        let mut torn = sector(&tags, 9);
        torn[511] ^= 1;
        assert_eq!(ProbeTag::of(&tags, &torn), ProbeTag::None);
        assert_eq!(ProbeTag::of(&tags, &sector(&Pattern::random([6; 16]), 9)), ProbeTag::None, "those of another job are none");
        assert_eq!((ProbeTag::of(&tags, &[0xff; 512]), ProbeTag::of(&tags, &[])), (ProbeTag::Blank, ProbeTag::None));
    }
}
