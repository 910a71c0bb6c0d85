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
}
