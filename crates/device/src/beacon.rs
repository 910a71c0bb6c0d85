//! The beacon: reads in a long-short rhythm, so that a drive's light can be told from its neighbours'. Never a write.

use crate::medium::{Medium, MediumError};
use jurex_pattern::notation::Entropy;
use jurex_pattern::pattern::AlignedBuffer;
use jurex_pattern::units::Lba;
use std::time::Duration;

/// Long, pause, short, long pause: milliseconds of reading and of rest in turn.
const RHYTHM: [u64; 4] = [900, 250, 250, 600];

/// Whether the drive is read at this time since the beacon began.
pub fn is_reading(since: Duration) -> bool {
    let mut at = since.as_millis() as u64 % RHYTHM.iter().sum::<u64>();
    for (i, part) in RHYTHM.iter().enumerate() {
        match at.checked_sub(*part) {
            None => return i % 2 == 0,
            Some(rest) => at = rest,
        }
    }
    false
}

/// Bytes of one read.
pub const READ_BYTES: usize = 64 * 1024;

/// Reads once from a random place. Bad sectors make no light but are no error here.
///
/// # Errors
/// The drive went away.
pub fn flash(medium: &mut dyn Medium, buffer: &mut AlignedBuffer, entropy: &mut dyn Entropy) -> Result<(), MediumError> {
    let geometry = medium.geometry();
    let sectors = (READ_BYTES as u64 / u64::from(geometry.logical)).clamp(1, geometry.sectors.max(1));
    let mut random = [0; 8];
    entropy.fill(&mut random);
    let at = u64::from_le_bytes(random) % (geometry.sectors - sectors + 1);
    let part = &mut buffer.bytes()[..geometry.bytes_of(sectors) as usize];
    match medium.read(Lba(at), part) {
        Err(e) if matches!(e.cause, crate::medium::Cause::Gone(_) | crate::medium::Cause::Refused(_)) => Err(e),
        _ => Ok(()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::media::MediaClass;
    use crate::testing::Memory;

    struct Walk(u8);
    impl Entropy for Walk {
        fn fill(&mut self, out: &mut [u8]) {
            self.0 = self.0.wrapping_add(37);
            out.fill(self.0);
        }
    }

    #[test]
    fn the_rhythm_is_long_short() {
        let reading: Vec<bool> = (0..20).map(|t| is_reading(Duration::from_millis(t * 100))).collect();
        let runs: Vec<(bool, usize)> = reading.chunk_by(|a, b| a == b).map(|r| (r[0], r.len())).collect();
        assert_eq!(runs, [(true, 9), (false, 3), (true, 2), (false, 6)]);
    }

    #[test]
    fn it_reads_inside_the_drive_and_writes_nothing() {
        for sectors in [1, 127, 128, 129, 1000] {
            let mut medium = Memory::new(MediaClass::Magnetic, sectors);
            let before = medium.bytes.clone();
            let mut buffer = AlignedBuffer::new(READ_BYTES);
            (0..50).for_each(|i| flash(&mut medium, &mut buffer, &mut Walk(i)).unwrap());
            assert_eq!((medium.bytes, medium.flushes), (before, 0));
        }
    }
}
