//! The method notation: `00 | ~ | random?`.
//!
//! Passes run from left to right with `|` between them. A pass is hex bytes (`92 49 24`), `"text"`, `random`, `lba`
//! (every sector carries its own address), `~` (complement of the pass before) or `byte` (one random byte, repeated).
//! `?` after a pass: read it back and compare. `x4` after a pass: four times. `shuffle( a | b )`: in random order.

use crate::pattern::{Base, Pattern, spaced};
use std::fmt;

/// Most passes that one program may run.
pub const MAX_PASSES: usize = 500;
/// Most bytes in a pass of fixed bytes or text.
pub const MAX_BYTES: usize = 512;

/// What a pass lays down, before random choices are made.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum PassSpec {
    /// These bytes over and over.
    Bytes(Vec<u8>),
    /// This text over and over.
    Text(String),
    /// A new keystream.
    Random,
    /// Every sector carries its own address.
    Lba,
    /// The complement of the pass before.
    Complement,
    /// One random byte over and over.
    AnyByte,
}

/// One pass, perhaps several times.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pass {
    /// What it lays down.
    pub lay: PassSpec,
    /// Whether it is read back and compared.
    pub read_back: bool,
    /// How often it runs, at least 1.
    pub times: u32,
}

/// A pass, or passes in an order drawn for each job.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ProgramItem {
    /// One pass.
    Pass(Pass),
    /// Passes in random order.
    Shuffle(Vec<Pass>),
}

/// A whole method in the notation. Never empty; a `~` always has a known pass before it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Program {
    items: Vec<ProgramItem>,
}

/// A mistake in the notation.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("column {column}: found {found}, expected {expected}")]
pub struct NotationError {
    /// Column of the mistake in characters, counted from 1.
    pub column: usize,
    /// What stands there.
    pub found: String,
    /// What would be right there.
    pub expected: String,
}

/// A pass whose random choices are made: ready to be laid.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PassPattern {
    /// What it lays down.
    pub pattern: Pattern,
    /// Whether the method asks for it to be read back.
    pub read_back: bool,
    /// Whether it turns over every bit of the pass before it, by the method's design and not by luck.
    pub complement_of_before: bool,
    /// Whether the same bytes come at this place every time.
    pub is_fixed: bool,
}

/// Where random bytes come from.
pub trait Entropy {
    /// Fills `out` with unpredictable bytes.
    fn fill(&mut self, out: &mut [u8]);
}

/// Stands in for random bytes where only the outcome of a plan is asked for; nothing is ever laid with it.
#[derive(Clone, Copy, Debug)]
pub struct NoEntropy;

impl Entropy for NoEntropy {
    fn fill(&mut self, out: &mut [u8]) {
        out.fill(0);
    }
}

impl Program {
    /// The items in order.
    pub fn items(&self) -> &[ProgramItem] {
        &self.items
    }

    /// Number of passes that will run.
    pub fn passes(&self) -> usize {
        self.items
            .iter()
            .map(|item| match item {
                ProgramItem::Pass(pass) => pass.times as usize,
                ProgramItem::Shuffle(passes) => passes.iter().map(|p| p.times as usize).sum(),
            })
            .sum()
    }

    /// Whether any pass is marked to be read back.
    pub fn asks_read_back(&self) -> bool {
        self.items.iter().any(|item| match item {
            ProgramItem::Pass(pass) => pass.read_back,
            ProgramItem::Shuffle(passes) => passes.iter().any(|p| p.read_back),
        })
    }

    /// Number of passes that are marked to be read back.
    pub fn marked(&self) -> usize {
        let marked = |p: &Pass| if p.read_back { p.times as usize } else { 0 };
        self.items
            .iter()
            .map(|item| match item {
                ProgramItem::Pass(pass) => marked(pass),
                ProgramItem::Shuffle(passes) => passes.iter().map(marked).sum(),
            })
            .sum()
    }

    /// Whether the last pass is marked. Of shuffled passes any may be the last: they count as marked if all are.
    pub fn last_is_marked(&self) -> bool {
        match self.items.last() {
            Some(ProgramItem::Pass(pass)) => pass.read_back,
            Some(ProgramItem::Shuffle(passes)) => passes.iter().all(|p| p.read_back),
            None => false,
        }
    }

    /// Makes every random choice: seeds, random bytes, shuffled orders.
    pub fn resolve(&self, entropy: &mut dyn Entropy) -> Vec<PassPattern> {
        let mut out: Vec<PassPattern> = Vec::with_capacity(self.passes());
        for item in &self.items {
            match item {
                ProgramItem::Pass(pass) => (0..pass.times).for_each(|_| lay_one(pass, true, &mut out, entropy)),
                ProgramItem::Shuffle(passes) => {
                    let mut order: Vec<&Pass> = passes.iter().flat_map(|p| (0..p.times).map(move |_| p)).collect();
                    shuffle(&mut order, entropy);
                    order.into_iter().for_each(|pass| lay_one(pass, false, &mut out, entropy));
                }
            }
        }
        out
    }

    /// Whether these patterns can be the first so many passes of one run of it, whatever was drawn at random. Of a finished job's
    /// random passes the seeds may be forgotten.
    pub fn can_have_laid(&self, patterns: &[&Pattern]) -> bool {
        let (mut rest, mut before) = (patterns, None);
        for item in &self.items {
            let (one, shuffled) = match item {
                ProgramItem::Pass(pass) => (std::slice::from_ref(pass), false),
                ProgramItem::Shuffle(passes) => (passes.as_slice(), true),
            };
            let specs: Vec<&PassSpec> = one.iter().flat_map(|p| (0..p.times).map(|_| &p.lay)).collect();
            let (here, after) = rest.split_at(specs.len().min(rest.len()));
            let fit = if shuffled { fit_in_any_order(specs, here) } else { fit_in_order(&specs, here, before) };
            if !fit {
                return false;
            }
            (rest, before) = (after, here.last().copied().or(before));
        }
        rest.is_empty()
    }
}

fn fit_in_order<'p>(specs: &[&PassSpec], patterns: &[&'p Pattern], mut before: Option<&'p Pattern>) -> bool {
    specs.iter().zip(patterns).all(|(spec, pattern)| spec.fits(pattern, before.replace(pattern)))
}

fn fit_in_any_order(mut specs: Vec<&PassSpec>, patterns: &[&Pattern]) -> bool {
    // What names its bytes is met by these alone: it is served before what takes any.
    specs.sort_by_key(|spec| matches!(spec, PassSpec::AnyByte | PassSpec::Random));
    let mut left = patterns.to_vec();
    for spec in specs {
        if let Some(at) = left.iter().position(|pattern| spec.fits(pattern, None)) {
            left.remove(at);
        }
    }
    left.is_empty()
}

impl PassSpec {
    /// Whether a pattern can be what it lays after that one.
    fn fits(&self, pattern: &Pattern, before: Option<&Pattern>) -> bool {
        match self {
            Self::Bytes(bytes) => Pattern::bytes(bytes.as_slice()).as_ref() == Some(pattern),
            Self::Text(text) => Pattern::bytes(text.as_bytes()).as_ref() == Some(pattern),
            Self::Lba => *pattern == Pattern::address(),
            Self::Random => matches!(pattern.base, Base::Random { .. }) && !pattern.complemented,
            Self::AnyByte => matches!(&pattern.base, Base::Bytes { bytes } if bytes.len() == 1),
            Self::Complement => before.is_some_and(|before| pattern.may_complement(before)),
        }
    }
}

fn lay_one(pass: &Pass, in_order: bool, out: &mut Vec<PassPattern>, entropy: &mut dyn Entropy) {
    let fixed = |bytes: &[u8]| Pattern::bytes(bytes).expect("the parser takes no empty pass");
    let pattern = match &pass.lay {
        PassSpec::Bytes(bytes) => fixed(bytes),
        PassSpec::Text(text) => fixed(text.as_bytes()),
        PassSpec::Lba => Pattern::address(),
        PassSpec::Random => {
            let mut seed = [0; 16];
            entropy.fill(&mut seed);
            Pattern::random(seed)
        }
        PassSpec::AnyByte => {
            let mut byte = [0];
            entropy.fill(&mut byte);
            fixed(&byte)
        }
        PassSpec::Complement => out.last().expect("the parser takes no complement without a pass before it").pattern.complement(),
    };
    let is_fixed = in_order && matches!(pass.lay, PassSpec::Bytes(_) | PassSpec::Text(_));
    let meant = match out.last() {
        _ if matches!(pass.lay, PassSpec::Complement) => true,
        Some(before) => is_fixed && before.is_fixed && pattern.is_complement_of(&before.pattern),
        None => false,
    };
    out.push(PassPattern { pattern, read_back: pass.read_back, complement_of_before: meant, is_fixed });
}

/// Fisher-Yates with indices drawn without bias.
fn shuffle<T>(items: &mut [T], entropy: &mut dyn Entropy) {
    for last in (1..items.len()).rev() {
        items.swap(last, below(last as u32 + 1, entropy) as usize);
    }
}

fn below(limit: u32, entropy: &mut dyn Entropy) -> u32 {
    let fair = u32::MAX - u32::MAX % limit;
    loop {
        let mut bytes = [0; 4];
        entropy.fill(&mut bytes);
        let drawn = u32::from_le_bytes(bytes);
        if drawn < fair {
            return drawn % limit;
        }
    }
}

impl fmt::Display for Program {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (i, item) in self.items.iter().enumerate() {
            if i > 0 {
                f.write_str(" | ")?;
            }
            match item {
                ProgramItem::Pass(pass) => pass.fmt(f)?,
                ProgramItem::Shuffle(passes) => {
                    let inner: Vec<String> = passes.iter().map(Pass::to_string).collect();
                    write!(f, "shuffle( {} )", inner.join(" | "))?;
                }
            }
        }
        Ok(())
    }
}

impl fmt::Display for Pass {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.lay {
            PassSpec::Bytes(bytes) => f.write_str(&spaced(bytes))?,
            PassSpec::Text(text) => write!(f, "\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""))?,
            PassSpec::Random => f.write_str("random")?,
            PassSpec::Lba => f.write_str("lba")?,
            PassSpec::Complement => f.write_str("~")?,
            PassSpec::AnyByte => f.write_str("byte")?,
        }
        if self.read_back {
            f.write_str("?")?;
        }
        if self.times > 1 {
            write!(f, " x{}", self.times)?;
        }
        Ok(())
    }
}

impl serde::Serialize for Program {
    fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_str(self)
    }
}

impl<'de> serde::Deserialize<'de> for Program {
    fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let text = String::deserialize(from)?;
        text.parse().map_err(|e: NotationError| serde::de::Error::custom(format!("the passes are wrong, {e}")))
    }
}

impl std::str::FromStr for Program {
    type Err = NotationError;

    fn from_str(text: &str) -> Result<Self, NotationError> {
        Parser { chars: text.chars().collect(), at: 0 }.program()
    }
}

const A_PASS: &str = "a pass: hex bytes, \"text\", random, lba, ~, byte or shuffle( … )";

struct Parser {
    chars: Vec<char>,
    at: usize,
}

impl Parser {
    fn program(mut self) -> Result<Program, NotationError> {
        let mut program = Program { items: vec![] };
        loop {
            self.skip_blanks();
            let start = self.at;
            program.items.push(self.item(!program.items.is_empty())?);
            if program.passes() > MAX_PASSES {
                return Err(self.error_at(start, &format!("no more than {MAX_PASSES} passes in all")));
            }
            match self.peek() {
                None => return Ok(program),
                Some('|') => self.at += 1,
                // `?` and `x` belong to passes; after a shuffle neither means anything.
                Some(_) if matches!(program.items.last(), Some(ProgramItem::Shuffle(_))) => {
                    return Err(self.error("`|` and the next pass, or the end; mark passes inside shuffle( … ) with `?` or `x`"));
                }
                Some(_) => return Err(self.error("`|` and the next pass, `?`, `x` and a number, or the end")),
            }
        }
    }

    fn item(&mut self, has_pass_before: bool) -> Result<ProgramItem, NotationError> {
        let start = self.at;
        if self.word_ahead() != "shuffle" {
            return self.pass(has_pass_before, A_PASS).map(ProgramItem::Pass);
        }
        self.at += "shuffle".len();
        self.skip_blanks();
        self.expect('(', "`(` and the passes to shuffle")?;
        let mut passes = vec![];
        loop {
            self.skip_blanks();
            if self.peek() == Some('~') {
                return Err(self.error("a pass other than ~, since the pass before is not known in a shuffle"));
            }
            passes.push(self.pass(false, "a pass: hex bytes, \"text\", random, lba or byte")?);
            match self.peek() {
                Some('|') => self.at += 1,
                Some(')') => break,
                _ => return Err(self.error("`|` and the next pass, or `)`")),
            }
        }
        self.at += 1;
        self.skip_blanks();
        if passes.len() < 2 && passes[0].times < 2 {
            return Err(self.error_at(start, "two passes or more to shuffle"));
        }
        Ok(ProgramItem::Shuffle(passes))
    }

    fn pass(&mut self, has_pass_before: bool, expected: &str) -> Result<Pass, NotationError> {
        let start = self.at;
        let lay = match self.peek() {
            Some('~') if !has_pass_before => return Err(self.error("a pass that ~ can be the complement of, before it")),
            Some('~') => {
                self.at += 1;
                PassSpec::Complement
            }
            Some('"') => self.text()?,
            _ => match self.word_ahead().as_str() {
                "random" => self.keyword("random", PassSpec::Random),
                "lba" => self.keyword("lba", PassSpec::Lba),
                "byte" => self.keyword("byte", PassSpec::AnyByte),
                _ => self.bytes(expected)?,
            },
        };
        debug_assert!(self.at > start);
        let mut pass = Pass { lay, read_back: false, times: 1 };
        self.suffixes(&mut pass)?;
        Ok(pass)
    }

    fn keyword(&mut self, word: &str, lay: PassSpec) -> PassSpec {
        self.at += word.len();
        lay
    }

    /// Hex bytes with blanks between them; `0049` is two bytes as `00 49` is.
    fn bytes(&mut self, expected: &str) -> Result<PassSpec, NotationError> {
        let mut bytes = vec![];
        let start = self.at;
        loop {
            let word = self.word_ahead();
            if word.is_empty() || (!bytes.is_empty() && !word.starts_with(|c: char| c.is_ascii_hexdigit())) {
                break;
            }
            let digits: Option<Vec<u32>> = word.chars().map(|c| c.to_digit(16)).collect();
            let Some(digits) = digits else { return Err(self.error(expected)) };
            if !digits.len().is_multiple_of(2) {
                return Err(self.error("two hex digits for each byte"));
            }
            bytes.extend(digits.chunks(2).map(|d| (d[0] << 4 | d[1]) as u8));
            self.at += word.chars().count();
            self.skip_blanks();
        }
        match bytes.len() {
            0 => Err(self.error(expected)),
            1..=MAX_BYTES => Ok(PassSpec::Bytes(bytes)),
            _ => Err(self.error_at(start, &format!("no more than {MAX_BYTES} bytes in a pass"))),
        }
    }

    fn text(&mut self) -> Result<PassSpec, NotationError> {
        let start = self.at;
        let mut text = String::new();
        self.at += 1;
        loop {
            match self.peek() {
                None => return Err(self.error("`\"` at the end of the text")),
                Some('"') => break,
                Some('\\') => {
                    self.at += 1;
                    match self.peek() {
                        Some(c @ ('"' | '\\')) => text.push(c),
                        _ => return Err(self.error("`\"` or `\\` after `\\`")),
                    }
                }
                Some(c) => text.push(c),
            }
            self.at += 1;
        }
        self.at += 1;
        match text.len() {
            0 => Err(self.error_at(start, "a text of at least one character")),
            1..=MAX_BYTES => Ok(PassSpec::Text(text)),
            _ => Err(self.error_at(start, &format!("a text of no more than {MAX_BYTES} bytes"))),
        }
    }

    /// `?` and `xN` after a pass, each at most once, in either order.
    fn suffixes(&mut self, pass: &mut Pass) -> Result<(), NotationError> {
        let mut repeated = false;
        loop {
            self.skip_blanks();
            match self.peek() {
                Some('?') if !pass.read_back => {
                    self.at += 1;
                    pass.read_back = true;
                }
                Some('x') if !repeated => {
                    pass.times = self.times()?;
                    repeated = true;
                }
                _ => return Ok(()),
            }
        }
    }

    fn times(&mut self) -> Result<u32, NotationError> {
        let start = self.at;
        self.at += 1;
        let digits: String = self.chars[self.at..].iter().take_while(|c| c.is_ascii_digit()).collect();
        self.at += digits.len();
        match digits.parse::<u32>() {
            Ok(times) if (1..=MAX_PASSES as u32).contains(&times) => Ok(times),
            _ => Err(self.error_at(start, &format!("`x` and a number from 1 to {MAX_PASSES}"))),
        }
    }

    fn peek(&self) -> Option<char> {
        self.chars.get(self.at).copied()
    }

    fn skip_blanks(&mut self) {
        while self.peek().is_some_and(char::is_whitespace) {
            self.at += 1;
        }
    }

    fn expect(&mut self, c: char, expected: &str) -> Result<(), NotationError> {
        if self.peek() != Some(c) {
            return Err(self.error(expected));
        }
        self.at += 1;
        Ok(())
    }

    fn word_ahead(&self) -> String {
        self.chars[self.at..].iter().take_while(|c| c.is_alphanumeric()).collect()
    }

    fn error(&self, expected: &str) -> NotationError {
        self.error_at(self.at, expected)
    }

    fn error_at(&self, at: usize, expected: &str) -> NotationError {
        let rest = &self.chars[at.min(self.chars.len())..];
        let word: String = rest.iter().take_while(|c| c.is_alphanumeric()).take(20).collect();
        let found = match rest.first() {
            None => "the end".into(),
            Some(c) if word.is_empty() => format!("`{}`", c.escape_default()),
            Some(_) => format!("`{word}`"),
        };
        NotationError { column: at + 1, found, expected: expected.into() }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pattern::Base;
    use proptest::prelude::*;

    /// Random bytes that count upwards: enough to tell one draw from the next.
    pub(crate) struct Counting(pub u8);
    impl Entropy for Counting {
        fn fill(&mut self, out: &mut [u8]) {
            out.iter_mut().for_each(|b| {
                self.0 = self.0.wrapping_add(1);
                *b = self.0;
            });
        }
    }

    fn any_program() -> impl Strategy<Value = Program> {
        let lay = prop_oneof![
            prop::collection::vec(any::<u8>(), 1..5).prop_map(PassSpec::Bytes),
            "[ -~é]{1,9}".prop_map(PassSpec::Text),
            Just(PassSpec::Random),
            Just(PassSpec::Lba),
            Just(PassSpec::AnyByte),
        ];
        let pass = (lay, any::<bool>(), 1u32..4).prop_map(|(lay, read_back, times)| Pass { lay, read_back, times });
        let complement =
            (any::<bool>(), 1u32..4).prop_map(|(read_back, times)| Pass { lay: PassSpec::Complement, read_back, times });
        let item = prop_oneof![
            3 => pass.clone().prop_map(ProgramItem::Pass),
            1 => prop::collection::vec(pass.clone(), 2..4).prop_map(ProgramItem::Shuffle),
            1 => complement.prop_map(ProgramItem::Pass),
        ];
        (pass, prop::collection::vec(item, 0..5))
            .prop_map(|(first, rest)| Program { items: std::iter::once(ProgramItem::Pass(first)).chain(rest).collect() })
    }

    #[test]
    fn what_was_laid_is_told_from_what_was_not_whatever_was_drawn() {
        for notation in [
            "00",
            "00 ff? | ~",
            "random x3 | ~ | lba",
            "byte | ~ | random",
            "shuffle( 00 x2 | byte | random | \"tide\" )",
            "55 | ~ | 00",
        ] {
            let program: Program = notation.parse().unwrap_or_else(|e| panic!("{notation}: {e}"));
            let laid: Vec<Pattern> = program.resolve(&mut Counting(7)).into_iter().map(|p| p.pattern).collect();
            let forgotten: Vec<Pattern> = laid.iter().map(Pattern::without_seed).collect();
            for n in 0..=laid.len() {
                for some in [&laid[..n], &forgotten[..n]] {
                    assert!(program.can_have_laid(&some.iter().collect::<Vec<_>>()), "{notation}, {n} passes");
                }
                for other in [
                    Pattern::bytes([0x3c, 0x3d]).unwrap(),
                    Pattern::random([3; 16]).complement(),
                    Pattern::address().complement(),
                ] {
                    let mut others: Vec<&Pattern> = laid.iter().collect();
                    others.insert(n, &other);
                    assert!(!program.can_have_laid(&others), "{notation} with {other} as pass {n}");
                }
            }
        }
        let can = |notation: &str, laid: &[&Pattern]| notation.parse::<Program>().unwrap().can_have_laid(laid);
        let (zeros, a5, one, other) =
            (Pattern::zeros(), Pattern::bytes([0xa5]).unwrap(), Pattern::random([1; 16]), Pattern::random([2; 16]));
        assert!(!can("a5", &[&zeros]) && !can("lba", &[&zeros]) && !can("random", &[&a5]) && !can("\"tide\"", &[&a5]));
        assert!(!can("random | ~", &[&one, &other.complement()]) && can("random | ~", &[&one, &one.complement()]));
        assert!(can("random | ~", &[&one.without_seed(), &one.complement()]) && !can("random | ~", &[&one.without_seed(), &one]));
        assert!(
            can("shuffle( byte | 00 )", &[&zeros, &a5]) && !can("shuffle( byte | 00 )", &[&a5, &a5]) && !can("byte", &[&one])
        );
    }

    proptest! {
        #[test]
        fn what_a_program_lays_is_what_it_can_have_laid(program in any_program(), seed: u8) {
            let laid: Vec<Pattern> = program.resolve(&mut Counting(seed)).into_iter().map(|p| p.pattern).collect();
            prop_assert!(program.can_have_laid(&laid.iter().collect::<Vec<_>>()));
        }

        #[test]
        fn what_is_printed_is_read_back_the_same(program in any_program()) {
            prop_assert_eq!(program.to_string().parse::<Program>(), Ok(program));
        }

        #[test]
        fn any_text_is_a_program_or_an_error_inside_it(text in "[0-9a-fx?|~() \"\\\\shufleradombyt]{0,40}|\\PC{0,20}") {
            match text.parse::<Program>() {
                Ok(program) => prop_assert_eq!(program.resolve(&mut Counting(0)).len(), program.passes()),
                Err(e) => prop_assert!((1..=text.chars().count() + 1).contains(&e.column), "{}", e),
            }
        }
    }

    #[test]
    fn mistakes_name_their_column_and_what_was_expected() {
        let said: Vec<String> = [
            "",
            "00 | zz",
            "00 |",
            "~",
            "00 ? ?",
            "0",
            "00 FFF",
            "\"open",
            "\"\"",
            "random x0",
            "random x",
            "00 x501",
            "shuffle(00)",
            "shuffle(00 | ~)",
            "shuffle 00",
            "00 random",
            "FF x400 | FF x200",
            "00 \u{1b}[2J",
        ]
        .iter()
        .map(|text| format!("{text:?}: {}", text.parse::<Program>().unwrap_err()))
        .collect();
        insta::assert_snapshot!(said.join("\n"));
    }

    #[test]
    fn resolving_draws_afresh_for_each_round() {
        let program: Program = "random? x2 | ~ | byte | 92 49 24 | ~".parse().unwrap();
        let passes = program.resolve(&mut Counting(0));
        assert_eq!(passes.len(), 6);
        assert_ne!(passes[0].pattern, passes[1].pattern, "two random passes have two seeds");
        assert!(passes[2].pattern.is_complement_of(&passes[1].pattern));
        assert_eq!(passes[5].pattern.base, Base::Bytes { bytes: vec![0x6d, 0xb6, 0xdb] });
        assert_eq!(passes.iter().filter(|p| p.read_back).count(), 2);
    }

    #[test]
    fn a_shuffle_keeps_every_pass_and_changes_the_order() {
        let program: Program = "shuffle( 00 | 11 | 22 | 33 | 44 x2 )".parse().unwrap();
        let orders: Vec<Vec<String>> =
            (0..9).map(|s| program.resolve(&mut Counting(s * 29)).iter().map(|p| p.pattern.to_string()).collect()).collect();
        for order in &orders {
            let mut sorted = order.clone();
            sorted.sort();
            assert_eq!(sorted, ["00", "11", "22", "33", "44", "44"]);
        }
        assert!(orders.iter().any(|o| o != &orders[0]));
    }
}
