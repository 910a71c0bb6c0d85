//! Fills stretches of bytes, and counts them. These few loops are what a fast drive waits for, so they are a crate of their own, which is built
//! for speed whatever the others are built for.
//!
//! What does not live here: what the bytes are for (jurex-pattern names patterns).
//!
//! ```
//! let (mut whole, mut part) = ([0; 64], [0; 16]);
//! jurex_keystream::keystream(&[7; 16], 0, &mut whole);
//! jurex_keystream::keystream(&[7; 16], 32, &mut part);
//! assert_eq!(part, whole[32..48], "what stands at an address follows from it alone");
//! ```

mod glance;

pub use glance::{LINE, Pairs, add_up, counts, may_hold_a_line};

use cipher::{BlockCipherDecrypt, KeyInit, KeyIvInit, StreamCipher, StreamCipherSeek};

type Keystream = ctr::Ctr128BE<aes::Aes128>;

/// The AES-128-CTR keystream under `key` from that byte address on; the block counter is the address divided by 16.
pub fn keystream(key: &[u8; 16], address: u64, out: &mut [u8]) {
    let mut keystream = Keystream::new(key.into(), &[0; 16].into());
    keystream.seek(address);
    keystream.write_keystream(out);
}

/// The byte address at which the keystream under `key` holds this block; `None`: no address has it.
pub fn address_of(key: &[u8; 16], block: [u8; 16]) -> Option<u64> {
    let mut block = block.into();
    aes::Aes128::new(key.into()).decrypt_block(&mut block);
    let counter = u128::from_be_bytes(block.into());
    u64::try_from(counter).ok()?.checked_mul(16)
}

/// `bytes` over and over: byte address `a` holds `bytes[a % bytes.len()]`.
///
/// # Panics
/// If there are no bytes.
pub fn repeat(bytes: &[u8], address: u64, out: &mut [u8]) {
    if let [byte] = bytes {
        return out.fill(*byte);
    }
    let phase = (address % bytes.len() as u64) as usize;
    let mut done = out.len().min(bytes.len());
    out.iter_mut().zip(bytes.iter().cycle().skip(phase)).take(done).for_each(|(to, from)| *to = *from);
    // What is laid so far is a whole number of periods: it is its own source for the rest.
    while done < out.len() {
        let n = done.min(out.len() - done);
        out.copy_within(..n, done);
        done += n;
    }
}

/// Turns every bit over.
pub fn complement(out: &mut [u8]) {
    out.iter_mut().for_each(|b| *b = !*b);
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_keystream_is_that_of_the_standard_and_any_part_of_it_can_be_computed_alone() {
        // AES-128 of the counter block 0 under the key 0 (FIPS 197).
        let mut out = [0; 48];
        keystream(&[0; 16], 0, &mut out);
        assert_eq!(out[..8], [0x66, 0xe9, 0x4b, 0xd4, 0xef, 0x8a, 0x2c, 0x3b]);
        let mut part = [0; 11];
        keystream(&[0; 16], 21, &mut part);
        assert_eq!(part, out[21..32]);
    }

    #[test]
    fn a_block_of_the_keystream_tells_its_address_and_other_bytes_tell_none() {
        for address in [0, 16, 512 * 77, u64::MAX / 16 * 16] {
            let mut block = [0; 16];
            keystream(&[7; 16], address, &mut block);
            assert_eq!((address_of(&[7; 16], block), address_of(&[8; 16], block)), (Some(address), None));
        }
        assert_eq!(address_of(&[7; 16], [0; 16]), None);
    }

    #[test]
    fn repeated_bytes_keep_their_phase() {
        let mut out = [0; 8];
        repeat(&[1, 2, 3], 4, &mut out);
        assert_eq!(out, [2, 3, 1, 2, 3, 1, 2, 3]);
        complement(&mut out);
        assert_eq!(out[..2], [0xfd, 0xfc]);
    }
}
