//! Values of PDF as far as updates of a paper are compared by them (ISO 32000-1, 7.3): however they are written, equal values are equal.

use std::collections::BTreeMap;

/// A value.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Value {
    Name(String),
    /// Numbers, and words as `true`.
    Word(String),
    Text(Vec<u8>),
    Reference(u32),
    Array(Vec<Value>),
    Dict(BTreeMap<String, Value>),
}

/// Values within values at most.
const DEEPEST: usize = 40;

impl Value {
    pub(super) fn entry(&self, key: &str) -> Option<&Value> {
        if let Value::Dict(entries) = self { entries.get(key) } else { None }
    }

    pub(super) fn text(&self) -> Option<&[u8]> {
        if let Value::Text(text) = self { Some(text) } else { None }
    }

    pub(super) fn number(&self) -> Option<usize> {
        if let Value::Word(word) = self { word.parse().ok() } else { None }
    }

    /// Whether its rectangle has no room: nothing of it is seen.
    pub(super) fn is_empty_place(&self) -> bool {
        let side = |v: &Value| if let Value::Word(word) = v { word.parse::<f64>().ok() } else { None };
        match self.entry("Rect") {
            Some(Value::Array(rect)) => match rect.iter().map(side).collect::<Option<Vec<_>>>().as_deref() {
                Some([left, low, right, high]) => left == right || low == high,
                _ => false,
            },
            _ => false,
        }
    }
}

/// The value of object `number`, which begins here; of a stream its dictionary. `None`: another object, or none.
pub(super) fn object_at(bytes: &[u8], number: u32) -> Option<Value> {
    let mut reader = ValueReader { bytes, at: 0 };
    let (of, _, word) = (reader.word()?, reader.word()?, reader.word()?);
    (of == number.to_string() && word == "obj").then(|| reader.value(0)).flatten()
}

struct ValueReader<'b> {
    bytes: &'b [u8],
    at: usize,
}

fn ends_a_word(b: u8) -> bool {
    b.is_ascii_whitespace() || b == 0 || b"()<>[]{}/%".contains(&b)
}

impl ValueReader<'_> {
    fn peek(&mut self) -> Option<u8> {
        loop {
            match self.bytes.get(self.at)? {
                b'%' => {
                    while !matches!(self.bytes.get(self.at)?, b'\r' | b'\n') {
                        self.at += 1;
                    }
                }
                b if b.is_ascii_whitespace() || *b == 0 => self.at += 1,
                b => return Some(*b),
            }
        }
    }

    fn word(&mut self) -> Option<String> {
        self.peek()?;
        let from = self.at;
        while self.bytes.get(self.at).is_some_and(|b| !ends_a_word(*b)) {
            self.at += 1;
        }
        (self.at > from).then(|| String::from_utf8_lossy(&self.bytes[from..self.at]).into_owned())
    }

    fn value(&mut self, depth: usize) -> Option<Value> {
        if depth > DEEPEST {
            return None;
        }
        match self.peek()? {
            b'/' => {
                self.at += 1;
                self.name().map(Value::Name)
            }
            b'[' => {
                self.at += 1;
                let mut all = vec![];
                while self.peek()? != b']' {
                    all.push(self.value(depth + 1)?);
                }
                self.at += 1;
                Some(Value::Array(all))
            }
            b'<' if self.bytes.get(self.at + 1) == Some(&b'<') => {
                self.at += 2;
                let mut entries = BTreeMap::new();
                while self.peek()? == b'/' {
                    self.at += 1;
                    let key = self.name()?;
                    let value = self.value(depth + 1)?;
                    // Of two the readers of PDF take one or the other: that is no dictionary to be believed.
                    if entries.insert(key, value).is_some() {
                        return None;
                    }
                }
                let closed = self.bytes.get(self.at..self.at + 2)? == b">>";
                self.at += 2;
                closed.then_some(Value::Dict(entries))
            }
            b'<' => self.hexadecimal(),
            b'(' => self.literal(),
            _ => self.word_or_reference(),
        }
    }

    /// What stands after its slash; may be empty.
    fn name(&mut self) -> Option<String> {
        let from = self.at;
        while self.bytes.get(self.at).is_some_and(|b| !ends_a_word(*b)) {
            self.at += 1;
        }
        let raw = &self.bytes[from..self.at];
        let mut out = vec![];
        let mut i = 0;
        while i < raw.len() {
            let escaped = (raw[i] == b'#').then(|| std::str::from_utf8(raw.get(i + 1..i + 3)?).ok()).flatten();
            match escaped.and_then(|digits| u8::from_str_radix(digits, 16).ok()) {
                Some(byte) => {
                    out.push(byte);
                    i += 3;
                }
                None => {
                    out.push(raw[i]);
                    i += 1;
                }
            }
        }
        Some(String::from_utf8_lossy(&out).into_owned())
    }

    fn hexadecimal(&mut self) -> Option<Value> {
        let end = self.at + self.bytes[self.at..].iter().position(|b| *b == b'>')?;
        let digits: Vec<u8> = self.bytes[self.at + 1..end].iter().copied().filter(|b| !b.is_ascii_whitespace()).collect();
        self.at = end + 1;
        let pair = |p: &[u8]| u8::from_str_radix(&format!("{:0<2}", std::str::from_utf8(p).ok()?), 16).ok();
        digits.chunks(2).map(pair).collect::<Option<Vec<u8>>>().map(Value::Text)
    }

    fn literal(&mut self) -> Option<Value> {
        self.at += 1;
        let (mut out, mut open) = (vec![], 1);
        loop {
            let byte = *self.bytes.get(self.at)?;
            self.at += 1;
            match byte {
                b'(' => open += 1,
                b')' if open == 1 => return Some(Value::Text(out)),
                b')' => open -= 1,
                b'\\' => {
                    if let Some(byte) = self.escaped()? {
                        out.push(byte);
                    }
                    continue;
                }
                _ => {}
            }
            out.push(byte);
        }
    }

    /// What stands after a backslash; `Some(None)`: a line that goes on.
    fn escaped(&mut self) -> Option<Option<u8>> {
        let byte = *self.bytes.get(self.at)?;
        self.at += 1;
        Some(match byte {
            b'n' => Some(b'\n'),
            b'r' => Some(b'\r'),
            b't' => Some(b'\t'),
            b'b' => Some(8),
            b'f' => Some(12),
            b'\n' => None,
            b'\r' => {
                self.at += usize::from(self.bytes.get(self.at) == Some(&b'\n'));
                None
            }
            b'0'..=b'7' => {
                let mut code = u32::from(byte - b'0');
                for _ in 0..2 {
                    let Some(digit @ b'0'..=b'7') = self.bytes.get(self.at).copied() else { break };
                    code = code * 8 + u32::from(digit - b'0');
                    self.at += 1;
                }
                Some(code as u8)
            }
            other => Some(other),
        })
    }

    fn word_or_reference(&mut self) -> Option<Value> {
        let word = self.word()?;
        let number = word.parse::<u32>().ok();
        let after = self.at;
        if let Some(number) = number
            && let (Some(generation), Some(r)) = (self.word(), self.word())
            && generation.parse::<u32>().is_ok()
            && r == "R"
        {
            return Some(Value::Reference(number));
        }
        self.at = after;
        // 1.50 and 1.5 are one number.
        let plain = word.parse::<f64>().ok().filter(|_| word.contains('.')).map(|n| n.to_string());
        Some(Value::Word(plain.unwrap_or(word)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn equal_values_are_equal_however_they_are_written() {
        let one = object_at(b"7 0 obj\n<</A[1 0 R (a\\(b\\)\\101)]/B 595.280/C/N#20x>>\nendobj", 7).unwrap();
        let other = object_at(b"7 0 obj % a remark\r<< /C /N#20x /B 595.28 /A [ 1 0 R <612862294 1>] >> \rendobj", 7).unwrap();
        assert_eq!(one, other);
        assert_eq!(object_at(b"8 0 obj [1 2]", 7), None);
        assert_eq!(object_at(b"7 0 obj <</A 1/A 2>>", 7), None, "one key twice");
        assert!(object_at(b"7 0 obj <</Rect[5 5 5 9]>>", 7).unwrap().is_empty_place());
    }

    proptest! {
        #[test]
        fn no_object_is_too_strange(rest in prop::collection::vec(any::<u8>(), 0..200), nested in 0usize..100) {
            let _ = object_at(&[b"7 0 obj ".to_vec(), b"[<</A".repeat(nested), rest].concat(), 7);
        }
    }
}
