//! The little of DER (X.690) that a signature of our own needs: written, and read back strictly.

/// A value with its tag and length.
pub(super) fn tlv(tag: u8, content: &[u8]) -> Vec<u8> {
    let mut out = vec![tag];
    match content.len() {
        short @ 0..=127 => out.push(short as u8),
        long => {
            let bytes = long.to_be_bytes();
            let from = bytes.iter().position(|b| *b != 0).unwrap_or(bytes.len() - 1);
            out.push(0x80 | (bytes.len() - from) as u8);
            out.extend(&bytes[from..]);
        }
    }
    out.extend(content);
    out
}

/// SEQUENCE of these.
pub(super) fn sequence(parts: &[&[u8]]) -> Vec<u8> {
    tlv(0x30, &parts.concat())
}

/// The first value of these bytes with every length written out, and what follows it: other programs write the outer parts of a signature
/// without lengths, ended by two zeros (X.690, 8.1.3.6). What has its length is taken as it is.
pub(super) fn with_lengths(bytes: &[u8]) -> Option<(Vec<u8>, &[u8])> {
    /// Parts within parts at most.
    const DEEPEST: usize = 16;
    fn one(bytes: &[u8], depth: usize) -> Option<(Vec<u8>, &[u8])> {
        let [tag, length, ..] = *bytes else { return None };
        if length != 0x80 {
            let mut reader = DerReader(bytes);
            let (_, whole) = reader.next(tag)?;
            return Some((whole.to_vec(), reader.0));
        }
        // Only what is made of parts can be without a length.
        if tag & 0x20 == 0 || depth == DEEPEST {
            return None;
        }
        let (mut content, mut rest) = (vec![], &bytes[2..]);
        while !rest.starts_with(&[0, 0]) {
            let (part, after) = one(rest, depth + 1)?;
            content.extend(part);
            rest = after;
        }
        Some((tlv(tag, &content), &rest[2..]))
    }
    one(bytes, 0)
}

/// Reads values one after the other.
#[derive(Clone, Copy)]
pub(super) struct DerReader<'d>(pub(super) &'d [u8]);

impl<'d> DerReader<'d> {
    /// The next value, if it has this tag: its content, and the whole of it.
    pub(super) fn next(&mut self, tag: u8) -> Option<(DerReader<'d>, &'d [u8])> {
        let (first, rest) = self.0.split_first()?;
        let (short, rest) = rest.split_first()?;
        let (length, rest) = match short {
            0..=127 => (usize::from(*short), rest),
            0x81..=0x84 => {
                let (bytes, rest) = rest.split_at_checked(usize::from(short & 0x7f))?;
                (bytes.iter().fold(0, |n, b| n << 8 | usize::from(*b)), rest)
            }
            _ => return None,
        };
        let content = rest.get(..length).filter(|_| *first == tag)?;
        let whole = &self.0[..self.0.len() - rest.len() + length];
        self.0 = &rest[length..];
        Some((DerReader(content), whole))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lengths_that_were_left_out_are_written_out() {
        let (whole, rest) = with_lengths(&[0x30, 0x80, 2, 1, 5, 0xa0, 0x80, 4, 1, 9, 0, 0, 0, 0, 7, 7]).unwrap();
        assert_eq!((whole.as_slice(), rest), (&[0x30, 8, 2, 1, 5, 0xa0, 3, 4, 1, 9][..], &[7, 7][..]));
        assert_eq!(with_lengths(&[0x30, 2, 5, 0]).unwrap().0, [0x30, 2, 5, 0]);
        assert!(with_lengths(&[0x30, 0x80, 2, 1, 5]).is_none() && with_lengths(&[4, 0x80, 0, 0]).is_none());
        assert!(with_lengths(&[0x30, 0x80].repeat(1000)).is_none());
    }

    #[test]
    fn what_is_written_is_read_back_at_every_length() {
        for n in [0usize, 1, 127, 128, 255, 256, 70_000] {
            let written = tlv(4, &vec![7; n]);
            let mut reader = DerReader(&written);
            let (content, whole) = reader.next(4).unwrap();
            assert_eq!((content.0.len(), whole.len(), reader.0.len()), (n, written.len(), 0));
            assert!(DerReader(&written).next(5).is_none() && DerReader(&written[..written.len() - 1]).next(4).is_none());
        }
        assert!(DerReader(&[]).next(4).is_none() && DerReader(&[4, 0x85, 1, 1, 1, 1, 1]).next(4).is_none());
    }
}
