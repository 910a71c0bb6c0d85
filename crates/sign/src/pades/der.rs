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

/// Reads values one after the other.
#[derive(Clone, Copy)]
pub(super) struct Reader<'d>(pub(super) &'d [u8]);

impl<'d> Reader<'d> {
    /// The next value, if it has this tag: its content, and the whole of it.
    pub(super) fn next(&mut self, tag: u8) -> Option<(Reader<'d>, &'d [u8])> {
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
        Some((Reader(content), whole))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_written_is_read_back_at_every_length() {
        for n in [0usize, 1, 127, 128, 255, 256, 70_000] {
            let written = tlv(4, &vec![7; n]);
            let mut reader = Reader(&written);
            let (content, whole) = reader.next(4).unwrap();
            assert_eq!((content.0.len(), whole.len(), reader.0.len()), (n, written.len(), 0));
            assert!(Reader(&written).next(5).is_none() && Reader(&written[..written.len() - 1]).next(4).is_none());
        }
        assert!(Reader(&[]).next(4).is_none() && Reader(&[4, 0x85, 1, 1, 1, 1, 1]).next(4).is_none());
    }
}
