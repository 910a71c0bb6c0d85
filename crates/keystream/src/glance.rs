//! What can be told of a block of bytes at a glance.

/// How often each byte value stands in `block`, which has fewer than 65536 bytes.
pub fn counts(block: &[u8]) -> [u16; 256] {
    let mut counts = [0; 256];
    for byte in block {
        counts[usize::from(*byte)] += 1;
    }
    counts
}

/// Adds `counts` to `all`, and gives the sum of what `worth` says of each count.
///
/// # Panics
/// If `worth` says nothing of a count that is met.
pub fn add_up(counts: &[u16; 256], all: &mut [u64; 256], worth: &[f64]) -> f64 {
    let mut sum = 0.0;
    for (count, all) in counts.iter().zip(all) {
        *all += u64::from(*count);
        sum += worth[usize::from(*count)];
    }
    sum
}

/// Pairs of bytes that are looked for, each at a place of its own in a block.
#[derive(Clone, Debug, Default)]
pub struct Pairs {
    places: Vec<(usize, Box<[u64; 1024]>)>,
}

impl Pairs {
    /// Adds a place, with the pairs that may stand there. Places are numbered in the order in which they come.
    pub fn add(&mut self, at: usize, pairs: impl IntoIterator<Item = [u8; 2]>) {
        let mut bits = Box::new([0; 1024]);
        for pair in pairs {
            let pair = usize::from(u16::from_le_bytes(pair));
            bits[pair / 64] |= 1u64 << (pair % 64);
        }
        self.places.push((at, bits));
    }

    /// The first place, of number `from` or a later one, at which one of its pairs stands in `block`.
    pub fn met(&self, block: &[u8], from: usize) -> Option<usize> {
        let stands = |(at, bits): &(usize, Box<[u64; 1024]>)| {
            let Some([first, second]) = block.get(*at..*at + 2) else { return false };
            let pair = usize::from(u16::from_le_bytes([*first, *second]));
            bits[pair / 64] & 1 << (pair % 64) != 0
        };
        self.places.get(from..)?.iter().position(stands).map(|n| from + n)
    }
}

/// Bytes of a line, as [`may_hold_a_line`] looks at it.
pub const LINE: usize = 64;

/// Whether a line of text may lie over the start, the middle or the end of `block`: nothing there is a control sign but tabs and line
/// ends, or every other byte is zero. Of random blocks one in a thousand passes.
///
/// # Panics
/// If the block is shorter than a line.
pub fn may_hold_a_line(block: &[u8]) -> bool {
    let line = |at: usize| {
        let bytes: &[u8; LINE] = block[at..at + LINE].try_into().expect("it is as long as a line");
        let wide = (bytes[1] == 0 && bytes[3] == 0) || (bytes[2] == 0 && bytes[4] == 0);
        wide || !has_control(bytes)
    };
    line(0) || line(block.len() / 2 - LINE / 2) || line(block.len() - LINE)
}

/// Without a branch, so that many bytes are looked at at once.
fn has_control(bytes: &[u8; LINE]) -> bool {
    let control = |b: u8| u8::from(b < 0x20) & u8::from(b.wrapping_sub(9) > 1) & u8::from(b != 13);
    bytes.iter().fold(0, |any, b| any | control(*b)) != 0
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pairs_are_met_where_they_are_looked_for_and_nowhere_else() {
        let mut pairs = Pairs::default();
        pairs.add(0, [*b"PK", *b"MZ"]);
        pairs.add(3, [*b"NT"]);
        let met = |block: &[u8]| {
            let mut all = vec![];
            let mut from = 0;
            while let Some(n) = pairs.met(block, from) {
                all.push(n);
                from = n + 1;
            }
            all
        };
        assert_eq!(met(b"PKxNT"), [0, 1]);
        assert_eq!((met(b"xPKNT"), met(b"KP"), met(b"MZ"), met(b"")), (vec![1], vec![], vec![0], vec![]));
    }

    #[test]
    fn counts_add_up() {
        let counts = counts(b"abca");
        let mut all = [1; 256];
        let worth = [0.0, 1.0, 10.0];
        assert_eq!(add_up(&counts, &mut all, &worth), 12.0);
        assert_eq!((all[usize::from(b'a')], all[usize::from(b'b')], all[0]), (3, 2, 1));
    }

    #[test]
    fn a_line_may_lie_where_no_control_sign_does_or_every_other_byte_is_zero() {
        let without: Vec<u8> = (0..=255).filter(|b| !has_control(&[*b; LINE])).collect();
        let expected: Vec<u8> = (0..=255).filter(|b| matches!(b, 9 | 10 | 13 | 0x20..)).collect();
        assert_eq!(without, expected);
        let mut block = [1; 512];
        assert!(!may_hold_a_line(&block));
        for at in [0, 224, 448] {
            let mut with = block;
            with[at..at + LINE].fill(b'w');
            assert!(may_hold_a_line(&with));
            with[at + 63] = 7;
            assert!(!may_hold_a_line(&with));
        }
        block[448..].chunks_exact_mut(2).for_each(|c| c[1] = 0);
        assert!(may_hold_a_line(&block));
    }
}
