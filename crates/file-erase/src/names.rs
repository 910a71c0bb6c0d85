//! Names that take the place of a file's own before it is removed.

use jurex_pattern::notation::Entropy;

/// Signs of these names: they mean the same on file systems that tell capitals apart and on those that don't.
const SIGNS: &[u8; 32] = b"abcdefghijkmnpqrstuvwxyz23456789";
/// Shorter than this, names would meet those of other files too often.
const SHORTEST: usize = 4;

/// The lengths that a name of so many bytes goes through: its own first, so that it is written over, then a quarter of it, and so on.
pub fn lengths(own: usize) -> Vec<usize> {
    let mut lengths = vec![own.max(1)];
    let mut length = own / 4;
    while length >= SHORTEST {
        lengths.push(length);
        length /= 4;
    }
    lengths
}

/// Gives one random name after another; random bytes are drawn many at a time.
pub struct Names<'e> {
    entropy: &'e mut dyn Entropy,
    pool: [u8; 4096],
    used: usize,
}

impl<'e> Names<'e> {
    /// From that source.
    pub fn new(entropy: &'e mut dyn Entropy) -> Self {
        Self { entropy, pool: [0; 4096], used: 4096 }
    }

    /// A name of so many bytes.
    pub fn draw(&mut self, length: usize) -> String {
        (0..length).map(|_| char::from(SIGNS[usize::from(self.byte()) % SIGNS.len()])).collect()
    }

    fn byte(&mut self) -> u8 {
        if self.used == self.pool.len() {
            self.entropy.fill(&mut self.pool);
            self.used = 0;
        }
        self.used += 1;
        self.pool[self.used - 1]
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_device::testing::Dice;

    #[test]
    fn a_name_is_first_written_over_in_its_own_length_and_then_made_shorter() {
        assert_eq!(lengths(20), [20, 5]);
        assert_eq!(lengths(1), [1]);
        assert_eq!((lengths(255), lengths(16), lengths(15)), (vec![255, 63, 15], vec![16, 4], vec![15]));
        let mut entropy = Dice(7);
        let mut names = Names::new(&mut entropy);
        assert_eq!(names.draw(17).len(), 17);
        let used: std::collections::BTreeSet<u8> = names.draw(5000).bytes().collect();
        assert_eq!(used, SIGNS.iter().copied().collect(), "all signs, and no others");
    }
}
