//! Overwrite methods: the library with the documents that its methods come from, and methods of one's own.

use crate::notation::{NotationError, Program};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::LazyLock;

/// Whether a method's issuer still stands behind it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Status {
    /// The document is in force.
    Current,
    /// The issuer has replaced it by one that names no passes any more; the technique itself stays what it was.
    Replaced,
    /// The issuer has withdrawn it.
    Historical,
    /// A proposal in a book or paper; no authority ever ordered it.
    Proposal,
    /// Made here.
    Own,
}

impl Status {
    /// The status in words.
    pub fn sentence(self) -> &'static str {
        match self {
            Status::Current => "in force",
            Status::Replaced => "replaced: the newer edition names no passes",
            Status::Historical => "historical: its issuer withdrew it; kept because contracts ask for it",
            Status::Proposal => "a proposal in print: no authority ever ordered it",
            Status::Own => "a method of your own",
        }
    }

    /// The status in one word.
    pub fn word(self) -> &'static str {
        match self {
            Status::Current => "in force",
            Status::Replaced => "replaced",
            Status::Historical => "historical",
            Status::Proposal => "proposal",
            Status::Own => "your own",
        }
    }
}

/// A method: its passes and where they come from.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Method {
    /// Short name for the command line: small letters, digits, `.` and `-`.
    pub name: String,
    /// What people read.
    pub title: String,
    /// Who issued the document; empty for a method of one's own.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub issuer: String,
    /// The document; empty for a method of one's own.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub document: String,
    /// Year of the document.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub year: Option<u16>,
    /// Whether the document is in force.
    #[serde(default = "own")]
    pub status: Status,
    /// The passes, in the notation.
    #[serde(rename = "passes")]
    #[schemars(with = "String")]
    pub program: Program,
    /// What to know before choosing it.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub remark: String,
}

fn own() -> Status {
    Status::Own
}

#[derive(Deserialize, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct LibraryFile {
    #[serde(rename = "method", default)]
    methods: Vec<Method>,
}

static LIBRARY: LazyLock<Vec<Method>> = LazyLock::new(|| {
    let file: LibraryFile =
        toml::from_str(include_str!("method/library.toml")).expect("the library is part of the program: a test reads it");
    file.methods
});

/// Every method of the library.
pub fn library() -> &'static [Method] {
    &LIBRARY
}

/// The method of the library of that name, letter case ignored.
pub fn find(name: &str) -> Option<&'static Method> {
    library().iter().find(|m| m.is_called(name))
}

/// What is wrong with methods of one's own.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum MethodError {
    /// The name is taken by the library.
    #[error("`{0}` is a method of the library: give yours another name")]
    ShadowsLibrary(String),
    /// The name is taken by another method of one's own.
    #[error("there is already a method called `{0}`")]
    Twice(String),
    /// The name can't be typed on a command line.
    #[error("`{0}` is no name for a method: use 1 to 40 small letters, digits, `.` and `-`, a letter or digit first")]
    BadName(String),
    /// The passes are wrong.
    #[error("the passes are wrong, {0}")]
    Passes(#[from] NotationError),
    /// The text is not TOML, or has a key that is not known.
    #[error("{0}")]
    File(String),
}

/// The library and the methods of one's own, in this order.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Catalogue {
    methods: Vec<Method>,
}

impl Default for Catalogue {
    fn default() -> Self {
        Self { methods: library().to_vec() }
    }
}

impl Catalogue {
    /// The library with `own` methods after it.
    ///
    /// # Errors
    /// A name that is not one, or is taken.
    pub fn with(own: &[Method]) -> Result<Self, MethodError> {
        let mut catalogue = Self::default();
        own.iter().try_for_each(|m| catalogue.add(m.clone()))?;
        Ok(catalogue)
    }

    /// Adds a method of one's own. Whatever it says of its status, it counts as one's own.
    ///
    /// # Errors
    /// A name that is not one, or is taken.
    pub fn add(&mut self, method: Method) -> Result<(), MethodError> {
        check_name(&method.name)?;
        match self.find(&method.name) {
            Some(taken) if taken.status != Status::Own => Err(MethodError::ShadowsLibrary(method.name)),
            Some(_) => Err(MethodError::Twice(method.name)),
            None => {
                self.methods.push(Method { status: Status::Own, ..method });
                Ok(())
            }
        }
    }

    /// Takes away a method of one's own; the library's stay. Gives whether there was one.
    pub fn remove(&mut self, name: &str) -> bool {
        let before = self.methods.len();
        self.methods.retain(|m| m.status != Status::Own || !m.is_called(name));
        self.methods.len() < before
    }

    /// Every method, the library's first.
    pub fn methods(&self) -> &[Method] {
        &self.methods
    }

    /// The methods of one's own.
    pub fn own(&self) -> impl Iterator<Item = &Method> {
        self.methods.iter().filter(|m| m.status == Status::Own)
    }

    /// The method of that name, letter case ignored.
    pub fn find(&self, name: &str) -> Option<&Method> {
        self.methods.iter().find(|m| m.is_called(name))
    }

    /// The method of that title.
    pub fn titled(&self, title: &str) -> Option<&Method> {
        self.methods.iter().find(|m| m.title == title)
    }

    /// Names, nearest to `name` first.
    pub fn nearest(&self, name: &str) -> Vec<&str> {
        let mut names: Vec<&str> = self.methods.iter().map(|m| m.name.as_str()).collect();
        names.sort_by_key(|candidate| edit_distance(&name.to_lowercase(), candidate));
        names
    }

    /// The methods in whose name, title, issuer, document or passes every word of `text` appears.
    pub fn search(&self, text: &str) -> Vec<&Method> {
        let words: Vec<String> = text.split_whitespace().map(str::to_lowercase).collect();
        let fits = |m: &&Method| {
            let said =
                [&m.name, &m.title, &m.issuer, &m.document, &m.program.to_string(), m.status.word()].join(" ").to_lowercase();
            words.iter().all(|w| said.contains(w.as_str()))
        };
        self.methods.iter().filter(fits).collect()
    }
}

/// Whether `name` can be a method's.
///
/// # Errors
/// It can't.
pub fn check_name(name: &str) -> Result<(), MethodError> {
    let allowed = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || matches!(c, '.' | '-');
    let right =
        (1..=40).contains(&name.len()) && name.chars().all(allowed) && name.starts_with(|c: char| c.is_ascii_alphanumeric());
    right.then_some(()).ok_or_else(|| MethodError::BadName(crate::text::printable(name.as_bytes())))
}

/// Methods as TOML, to be taken elsewhere.
pub fn to_toml(methods: &[&Method]) -> String {
    let file = LibraryFile { methods: methods.iter().map(|m| (*m).clone()).collect() };
    toml::to_string(&file).expect("methods hold only texts and numbers")
}

/// Methods from TOML.
///
/// # Errors
/// Not TOML, an unknown key, or passes that are wrong; the text names the line.
pub fn from_toml(text: &str) -> Result<Vec<Method>, MethodError> {
    let file: LibraryFile = toml::from_str(text).map_err(|e| MethodError::File(e.to_string()))?;
    file.methods.iter().try_for_each(|m| check_name(&m.name))?;
    Ok(file.methods)
}

fn edit_distance(a: &str, b: &str) -> usize {
    let b: Vec<char> = b.chars().collect();
    let mut row: Vec<usize> = (0..=b.len()).collect();
    for (i, ca) in a.chars().enumerate() {
        let mut diagonal = row[0];
        row[0] = i + 1;
        for (j, cb) in b.iter().enumerate() {
            let replaced = diagonal + usize::from(ca != *cb);
            diagonal = row[j + 1];
            row[j + 1] = replaced.min(diagonal + 1).min(row[j] + 1);
        }
    }
    row[b.len()]
}

impl Method {
    /// Whether that is its name, letter case and blanks around it ignored.
    pub fn is_called(&self, name: &str) -> bool {
        self.name.eq_ignore_ascii_case(name.trim())
    }

    /// Where it comes from: issuer, document and year.
    pub fn source(&self) -> String {
        let year = self.year.map(|y| y.to_string()).unwrap_or_default();
        let known: Vec<&str> = [self.issuer.as_str(), &self.document, &year].into_iter().filter(|t| !t.is_empty()).collect();
        if known.is_empty() { "your own".into() } else { known.join(", ") }
    }

    /// What it asks to be read back.
    pub fn asks_verified(&self) -> &'static str {
        if self.program.asks_read_back() { "the pass marked `?`" } else { "nothing; Jurex reads the last pass back all the same" }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_library_holds_the_passes_that_the_documents_name() {
        let said: Vec<String> = library()
            .iter()
            .map(|m| format!("{} | {} | {} | {} | {} passes", m.name, m.source(), m.status.word(), m.program, m.program.passes()))
            .collect();
        insta::assert_snapshot!(said.join("\n"));
        assert!(library().iter().all(|m| check_name(&m.name).is_ok() && m.status != Status::Own && m.year.is_some()));
    }

    #[test]
    fn a_slip_of_the_pen_finds_its_method() {
        let catalogue = Catalogue::default();
        assert_eq!(catalogue.nearest("zero")[0], "zeros");
        assert_eq!(catalogue.nearest("DoD-5220-22M")[0], "dod-5220.22-m");
        assert_eq!(catalogue.find(" ZEROS ").map(|m| m.name.as_str()), Some("zeros"));
        let found: Vec<&str> = catalogue.search("historical canada").iter().map(|m| m.name.as_str()).collect();
        assert_eq!(found, ["rcmp-tssit-ops-ii", "csec-itsg-06"]);
    }

    #[test]
    fn own_methods_survive_their_file_and_never_shadow_the_library() {
        let text = "[[method]]\nname = \"quay-two\"\ntitle = \"Quay\"\npasses = \"00 | random?\"\n";
        let own = from_toml(text).unwrap();
        let mut catalogue = Catalogue::with(&own).unwrap();
        assert_eq!(from_toml(&to_toml(&catalogue.own().collect::<Vec<_>>())).unwrap(), own);
        let named = |name: &str| Method { name: name.into(), ..own[0].clone() };
        assert_eq!(catalogue.add(named("zeros")), Err(MethodError::ShadowsLibrary("zeros".into())));
        assert_eq!(catalogue.add(named("quay-two")), Err(MethodError::Twice("quay-two".into())));
        assert!(
            ["", "Quay", "-x", "a b", "\u{1b}"].iter().all(|n| matches!(catalogue.add(named(n)), Err(MethodError::BadName(_))))
        );
        assert!(!catalogue.remove("zeros") && catalogue.remove("quay-two"));
        let disguised = Method { status: Status::Current, ..named("quay-three") };
        catalogue.add(disguised).unwrap();
        assert_eq!(catalogue.own().count(), 1, "what is added counts as one's own");
    }

    #[test]
    fn a_mistake_in_a_methods_file_names_its_line() {
        let said = |text: &str| from_toml(text).unwrap_err().to_string();
        let unknown = said("[[method]]\nname = \"a\"\ntitle = \"A\"\npasses = \"00\"\nspeed = 3\n");
        assert!(unknown.contains("line 5") && unknown.contains("speed"), "{unknown}");
        let wrong = said("[[method]]\nname = \"a\"\ntitle = \"A\"\npasses = \"00 | zz\"\n");
        assert!(wrong.contains("line 4") && wrong.contains("column 6"), "{wrong}");
    }
}
