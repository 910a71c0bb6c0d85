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

    /// Adds a leaf at the right. Gives the heads of the perfect parts that have come about by it, the leaf first: the n-th is of
    /// 2 to the n leaves.
    pub fn append(&mut self, leaf: Hash) -> Vec<Hash> {
        let mut made = vec![leaf];
        self.peaks.push(leaf);
        // As many pairs of equal parts have come about as the number had ones at its end.
        for _ in 0..self.size.trailing_ones() {
            if let (Some(right), Some(left)) = (self.peaks.pop(), self.peaks.pop()) {
                self.peaks.push(node(&left, &right));
                made.extend(self.peaks.last());
            }
        }
        self.size += 1;
        made
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
    pub fn to_bytes(&self) -> Vec<u8> {
        self.peaks.concat()
    }

    /// From those bytes; `None`: they are not of a tree of that size.
    pub fn from_bytes(size: u64, bytes: &[u8]) -> Option<Self> {
        let (peaks, rest) = bytes.as_chunks::<32>();
        let fits = rest.is_empty() && peaks.len() as u32 == size.count_ones();
        fits.then(|| Self { size, peaks: peaks.to_vec() })
    }
}

/// The heads of perfect parts: that of the leaves from `place << level` on, 2 to the `level` of them.
pub type Nodes<'n, E> = &'n dyn Fn(u32, u64) -> Result<Hash, E>;

/// Largest power of two that is smaller than `n`, which is at least 2 (RFC 6962, 2.1).
fn split(n: u64) -> u64 {
    1 << (n - 1).ilog2()
}

/// The head over the leaves from `from` to before `to`.
pub fn head_of<E>(nodes: Nodes<'_, E>, from: u64, to: u64) -> Result<Hash, E> {
    let n = to - from;
    if n.is_power_of_two() {
        return nodes(n.ilog2(), from >> n.ilog2());
    }
    let middle = from + split(n);
    Ok(node(&head_of(nodes, from, middle)?, &head_of(nodes, middle, to)?))
}

/// What proves that a leaf is in a tree of so many (RFC 6962, 2.1.1): the heads beside its way up, the lowest first.
pub fn path<E>(nodes: Nodes<'_, E>, leaf: u64, size: u64) -> Result<Vec<Hash>, E> {
    let (mut from, mut to, mut beside) = (0, size, vec![]);
    while to - from > 1 {
        let middle = from + split(to - from);
        if leaf < middle {
            beside.push(head_of(nodes, middle, to)?);
            to = middle;
        } else {
            beside.push(head_of(nodes, from, middle)?);
            from = middle;
        }
    }
    beside.reverse();
    Ok(beside)
}

/// The head that a leaf has in a tree of so many by its path (RFC 9162, 2.1.3.2); `None`: that is no path of it.
pub fn climb(leaf: Hash, place: u64, size: u64, path: &[Hash]) -> Option<Hash> {
    let (mut at, mut last) = (place, size.checked_sub(1).filter(|last| place <= *last)?);
    let mut head = leaf;
    for beside in path {
        if last == 0 {
            return None;
        }
        if at & 1 == 1 || at == last {
            head = node(beside, &head);
            while at & 1 == 0 && at != 0 {
                (at, last) = (at >> 1, last >> 1);
            }
        } else {
            head = node(&head, beside);
        }
        (at, last) = (at >> 1, last >> 1);
    }
    (last == 0).then_some(head)
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
            let made = tree.append(leaf(&leaves[n]));
            let of = |hash: &Hash, level: usize| *hash == by_the_rfc(&leaves[n + 1 - (1 << level)..=n]);
            assert!(made.iter().enumerate().all(|(level, hash)| of(hash, level)), "perfect parts of {n}");
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
    #[test]
    fn a_path_leads_from_every_leaf_to_the_head_and_from_no_other() {
        let leaves: Vec<Vec<u8>> = (0..40u8).map(|n| vec![n]).collect();
        let nodes = |level: u32, place: u64| -> Result<Hash, ()> {
            let from = (place << level) as usize;
            Ok(by_the_rfc(&leaves[from..from + (1 << level)]))
        };
        for size in 1..=40u64 {
            let head = by_the_rfc(&leaves[..size as usize]);
            for at in 0..size {
                let path = path(&nodes, at, size).unwrap();
                let climbed = |place, of: &[Hash]| climb(leaf(&[at as u8]), place, size, of);
                assert_eq!(climbed(at, &path), Some(head), "leaf {at} of {size}");
                assert!(
                    (0..=size).filter(|p| *p != at).all(|p| climbed(p, &path) != Some(head)),
                    "another place, {at} of {size}"
                );
                let mut longer = path.clone();
                longer.push([0; 32]);
                assert_eq!(climbed(at, &longer), None);
                if let Some((_, shorter)) = path.split_last() {
                    assert_ne!(climbed(at, shorter), Some(head));
                }
            }
        }
    }
}
