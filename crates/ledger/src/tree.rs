//! The tree over everything that was written, in the order of writing (RFC 6962, 2.1): one hash that changes with every byte of it.

use sha2::{Digest, Sha256};

/// A hash of the tree.
pub type Hash = [u8; 32];

/// The hash of a leaf.
pub fn leaf(data: &[u8]) -> Hash {
    Sha256::new().chain_update([0]).chain_update(data).finalize().into()
}

fn node(left: &Hash, right: &Hash) -> Hash {
    Sha256::new().chain_update([1]).chain_update(left).chain_update(right).finalize().into()
}

/// What of a tree is needed to let it grow: the heads of its perfect parts, the largest first.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Frontier {
    size: u64,
    peaks: Vec<Hash>,
}

impl Frontier {
    /// Number of leaves.
    pub fn size(&self) -> u64 {
        self.size
    }

    /// Adds a leaf at the right.
    pub fn append(&mut self, leaf: Hash) {
        self.peaks.push(leaf);
        // As many pairs of equal parts have come about as the number had ones at its end.
        for _ in 0..self.size.trailing_ones() {
            if let (Some(right), Some(left)) = (self.peaks.pop(), self.peaks.pop()) {
                self.peaks.push(node(&left, &right));
            }
        }
        self.size += 1;
    }

    /// The tree's head.
    pub fn root(&self) -> Hash {
        let mut parts = self.peaks.iter().rev();
        match parts.next() {
            None => Sha256::digest([]).into(),
            Some(last) => parts.fold(*last, |right, left| node(left, &right)),
        }
    }

    /// As bytes, to be kept.
    pub(crate) fn to_bytes(&self) -> Vec<u8> {
        self.peaks.concat()
    }

    /// From those bytes; `None`: they are not of a tree of that size.
    pub(crate) fn from_bytes(size: u64, bytes: &[u8]) -> Option<Self> {
        let (peaks, rest) = bytes.as_chunks::<32>();
        let fits = rest.is_empty() && peaks.len() as u32 == size.count_ones();
        fits.then(|| Self { size, peaks: peaks.to_vec() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The definition of RFC 6962, 2.1, word for word.
    fn by_the_rfc(leaves: &[Vec<u8>]) -> Hash {
        match leaves {
            [] => Sha256::digest([]).into(),
            [one] => leaf(one),
            more => {
                let k = (more.len() as u64 - 1).checked_ilog2().map_or(1, |n| 1usize << n);
                node(&by_the_rfc(&more[..k]), &by_the_rfc(&more[k..]))
            }
        }
    }

    #[test]
    fn it_grows_as_the_rfc_says_and_goes_on_from_what_was_kept() {
        let leaves: Vec<Vec<u8>> = (0..70u8).map(|n| vec![n; usize::from(n)]).collect();
        let mut tree = Frontier::default();
        for n in 0..leaves.len() {
            assert_eq!((tree.size(), tree.root()), (n as u64, by_the_rfc(&leaves[..n])), "{n} leaves");
            tree = Frontier::from_bytes(tree.size(), &tree.to_bytes()).unwrap();
            tree.append(leaf(&leaves[n]));
        }
        assert!(Frontier::from_bytes(70, &tree.to_bytes()).is_some() && Frontier::from_bytes(71, &tree.to_bytes()).is_none());
        // The test tree of Certificate Transparency: one empty leaf, and the next.
        let hex = |hash: Hash| hash.iter().map(|b| format!("{b:02x}")).collect::<String>();
        assert_eq!(hex(leaf(b"")), "6e340b9cffb37a989ca544e6bb780a2c78901d3fb33738768511a30617afa01d");
        let mut two = Frontier::default();
        two.append(leaf(b""));
        two.append(leaf(&[0]));
        assert_eq!(hex(two.root()), "fac54203e7cc696cf0dfcb42c92a1d9dbaf70ad9e621f4bd8d98662f00e3c125");
    }
}
