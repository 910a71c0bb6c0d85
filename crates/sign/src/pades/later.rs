//! What others have added to a paper after it was printed and signed: further signatures, as PDF readers make them, each an incremental
//! update of the file (ISO 32000-1, 7.5.6). What an update may change is what PAdES permits (ETSI EN 319 142-1, 5.4): fields of forms and
//! signatures; any other change of what was there is none of a signature.

use super::value::{Value, object_at};
use super::{bytes_of, cms, find, rfind};
use jiff::Timestamp;
use std::collections::BTreeMap;

/// A signature by another program.
#[derive(Debug)]
pub struct LaterSignature {
    /// The signer's certificate, and those that it brought along, in DER. Nobody has vouched for them yet.
    pub certificates: Vec<Vec<u8>>,
    /// When, by the signer's clock; `None`: it is not told.
    pub when: Option<Timestamp>,
    /// Whether it adds something that is seen on a page.
    pub shows: bool,
}

/// Why what was added is no signature that can be followed.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum BadLater {
    /// It is no update of the file.
    #[error("what was added behind the paper is no update of it that can be followed")]
    NoUpdate,
    /// It changes what was there.
    #[error("what was added behind the paper changes it: {0}")]
    Changes(String),
    /// Nobody has signed it.
    #[error("something was added behind the paper that nobody has signed")]
    Unsigned,
    /// The signature does not cover all that is before it.
    #[error("a signature that was added does not cover everything before it")]
    CoversLess,
    /// It does not hold.
    #[error("a signature that was added is not that of these bytes, or is of a kind that can't be checked here")]
    Wrong,
}

/// Entries of a page or of the catalog that may change.
const MAY_CHANGE: [&str; 5] = ["Annots", "AcroForm", "DSS", "Extensions", "Perms"];

/// Updates that are followed at most.
const MOST: usize = 64;

/// Every update behind `from`, in order.
pub(super) fn follow(pdf: &[u8], from: usize) -> Vec<Result<LaterSignature, BadLater>> {
    let (mut all, mut at) = (vec![], from);
    while pdf[at..].iter().any(|b| !b.is_ascii_whitespace()) {
        let Some(end) = find(&pdf[at..], b"%%EOF").map(|n| at + n + 5).filter(|_| all.len() < MOST) else {
            all.push(Err(BadLater::NoUpdate));
            break;
        };
        let update = Update::of(pdf, at, end);
        let read = update.and_then(|update| update.check());
        let is_over = read.is_err();
        all.push(read);
        if is_over {
            break;
        }
        at = end;
    }
    all
}

/// One update: the objects that it holds, by their numbers.
struct Update<'p> {
    pdf: &'p [u8],
    from: usize,
    end: usize,
    objects: BTreeMap<u32, Value>,
    /// Where each object stands that was there before, the newest of each.
    before: BTreeMap<u32, usize>,
}

/// Where objects begin, the last of each number: the text is gone through once, however many there are.
fn places(pdf: &[u8]) -> BTreeMap<u32, usize> {
    const WORD: &[u8] = b" 0 obj";
    let mut places = BTreeMap::new();
    let mut at = 0;
    while let Some(found) = find(&pdf[at..], WORD).map(|n| at + n) {
        at = found + WORD.len();
        let digits = pdf[..found].iter().rev().take_while(|b| b.is_ascii_digit()).take(10).count();
        let from = found - digits;
        let begins = from == 0 || matches!(pdf[from - 1], b'\r' | b'\n');
        let number = std::str::from_utf8(&pdf[from..found]).ok().and_then(|n| n.parse().ok());
        if let Some(number) = number.filter(|_| begins) {
            places.insert(number, from);
        }
    }
    places
}

impl<'p> Update<'p> {
    fn of(pdf: &'p [u8], from: usize, end: usize) -> Result<Self, BadLater> {
        let read = || -> Option<BTreeMap<u32, Value>> {
            let start = rfind(&pdf[from..end], b"startxref")? + from + 9;
            let at: usize = word(&pdf[start..end])?.parse().ok()?;
            let table = pdf.get(at..end).filter(|t| at >= from && t.starts_with(b"xref"))?;
            let mut words = std::str::from_utf8(&table[4..find(table, b"trailer")?]).ok()?.split_whitespace();
            let mut objects = BTreeMap::new();
            while let Some(first) = words.next() {
                let (first, count): (u32, u32) = (first.parse().ok()?, words.next()?.parse().ok()?);
                for number in first..first.checked_add(count.min(100_000))? {
                    let (place, _, kind) = (words.next()?.parse::<usize>().ok()?, words.next()?, words.next()?);
                    if kind == "n" {
                        let value = (place >= from && place < end).then(|| object_at(&pdf[place..end], number)).flatten()?;
                        objects.insert(number, value);
                    }
                }
            }
            Some(objects)
        };
        let objects = read().ok_or(BadLater::NoUpdate)?;
        Ok(Self { pdf, from, end, objects, before: places(&pdf[..from]) })
    }

    /// An object as it was before.
    fn before(&self, number: u32) -> Option<Value> {
        object_at(&self.pdf[*self.before.get(&number)?..self.from], number)
    }

    fn check(&self) -> Result<LaterSignature, BadLater> {
        self.objects.iter().try_for_each(|(number, now)| self.check_change(*number, now))?;
        // The field that has a new signature for its value.
        let is_signature = |value: &Value| value.entry("ByteRange").is_some();
        let signatures: Vec<&Value> = self.objects.values().filter(|v| is_signature(v)).collect();
        let [signature] = signatures[..] else { return Err(BadLater::Unsigned) };
        let certificates = self.check_signature(signature)?;
        let widget = |v: &&Value| v.entry("Subtype") == Some(&Value::Name("Widget".into()));
        let shows = self.objects.values().filter(widget).any(|w| !w.is_empty_place());
        let when = signature.entry("M").and_then(Value::text).and_then(|m| time(&String::from_utf8_lossy(m)));
        Ok(LaterSignature { certificates, when, shows })
    }

    /// Whether an object that was there is what it was, but for what a signature may add.
    fn check_change(&self, number: u32, now: &Value) -> Result<(), BadLater> {
        let Some(before) = self.before(number) else { return Ok(()) };
        let changes = |what: &str| Err(BadLater::Changes(format!("{what} of object {number}")));
        let (Value::Dict(old), Value::Dict(new)) = (&before, now) else {
            return if before == *now { Ok(()) } else { changes("the content") };
        };
        let is_place = matches!(before.entry("Type"), Some(Value::Name(kind)) if kind == "Page" || kind == "Catalog");
        for key in old.keys().chain(new.keys()) {
            let same = old.get(key) == new.get(key);
            let may = is_place && MAY_CHANGE.contains(&key.as_str());
            if !same && !may {
                return changes(&format!("`{key}`"));
            }
        }
        // What may grow may not shrink.
        let kept = |old: Option<&Value>, new: Option<&Value>| match (old, new) {
            (Some(Value::Array(old)), Some(Value::Array(new))) => old.iter().all(|v| new.contains(v)),
            (Some(Value::Array(old)), _) => old.is_empty(),
            _ => true,
        };
        let fields =
            |of: &BTreeMap<String, Value>| self.resolved(of.get("AcroForm")).and_then(|form| form.entry("Fields").cloned());
        if !kept(old.get("Annots"), new.get("Annots")) || !kept(fields(old).as_ref(), fields(new).as_ref()) {
            return changes("a field that was there, which is gone,");
        }
        Ok(())
    }

    fn resolved(&self, value: Option<&Value>) -> Option<Value> {
        match value? {
            Value::Reference(number) => self.objects.get(number).cloned().or_else(|| self.before(*number)),
            other => Some(other.clone()),
        }
    }

    /// The certificates of a signature that is right and covers all but itself.
    fn check_signature(&self, signature: &Value) -> Result<Vec<Vec<u8>>, BadLater> {
        let Some(Value::Array(range)) = signature.entry("ByteRange") else { return Err(BadLater::CoversLess) };
        let numbers: Option<Vec<usize>> = range.iter().map(Value::number).collect();
        let Some([0, to, from, len]) = numbers.as_deref() else { return Err(BadLater::CoversLess) };
        let all = from.checked_add(*len).ok_or(BadLater::CoversLess)?;
        // A line end behind the last mark is nobody's.
        let reaches = (self.end..=self.end + 2).contains(&all) && self.pdf.len() >= all;
        let gap = self.pdf.get(*to..*from).filter(|_| reaches && *to >= self.from).ok_or(BadLater::CoversLess)?;
        let digits = gap.strip_prefix(b"<").and_then(|g| g.strip_suffix(b">")).ok_or(BadLater::CoversLess)?;
        let bytes = bytes_of(digits).ok_or(BadLater::Wrong)?;
        cms::verified(&bytes, &[&self.pdf[..*to], &self.pdf[*from..all]]).ok_or(BadLater::Wrong)
    }
}

fn word(bytes: &[u8]) -> Option<&str> {
    std::str::from_utf8(bytes).ok()?.split_whitespace().next()
}

/// `D:20261130150327Z`, or with an offset as `+01'00'`.
fn time(text: &str) -> Option<Timestamp> {
    let digits = text.strip_prefix("D:")?;
    let when = jiff::civil::DateTime::strptime("%Y%m%d%H%M%S", digits.get(..14)?).ok()?;
    let offset: String = digits[14..].chars().filter(|c| *c != '\'').collect();
    let seconds = match offset.as_bytes() {
        [] | [b'Z', ..] => 0,
        [sign @ (b'+' | b'-'), rest @ ..] => {
            let number = |at: std::ops::Range<usize>| std::str::from_utf8(rest.get(at)?).ok()?.parse::<i32>().ok();
            let seconds = number(0..2)? * 3600 + number(2..4).unwrap_or(0) * 60;
            if *sign == b'-' { -seconds } else { seconds }
        }
        _ => return None,
    };
    let offset = jiff::tz::Offset::from_seconds(seconds).ok()?;
    when.to_zoned(offset.to_time_zone()).ok().map(|z| z.timestamp())
}
