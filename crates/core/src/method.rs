//! The library of overwrite methods: facts about the documents they come from, and their passes.

use crate::notation::Program;
use serde::Serialize;

/// Whether a method's issuer still stands behind it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Status {
    /// The document is in force.
    Current,
    /// The issuer has withdrawn or replaced it.
    Historical,
}

impl Status {
    /// The status in words.
    pub fn sentence(self) -> &'static str {
        match self {
            Status::Current => "in force",
            Status::Historical => "historical: kept because contracts ask for it",
        }
    }
}

/// A method of the library.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Method {
    /// Short name for the command line.
    pub name: &'static str,
    /// What people read.
    pub title: &'static str,
    /// Who issued the document.
    pub issuer: &'static str,
    /// The document.
    pub document: &'static str,
    /// Year of the document.
    pub year: u16,
    /// Whether the document is in force.
    pub status: Status,
    /// The passes in the notation.
    pub notation: &'static str,
    /// What to know before choosing it.
    pub remark: &'static str,
}

/// Every method of the library; all of their notations parse.
pub const LIBRARY: [Method; 5] = [
    Method {
        name: "zeros",
        title: "One pass of zeros",
        issuer: "NIST",
        document: "SP 800-88 (Clear)",
        year: 2025,
        status: Status::Current,
        notation: "00?",
        remark: "Enough for Clear on a magnetic drive. One pass is not enough on USB sticks and memory cards.",
    },
    Method {
        name: "pattern-complement",
        title: "Pattern and complement",
        issuer: "NIST",
        document: "SP 800-88 (Clear, flash)",
        year: 2014,
        status: Status::Current,
        notation: "55 | ~?",
        remark: "What Clear asks of USB sticks and memory cards: a pattern, then its complement.",
    },
    Method {
        name: "random",
        title: "One random pass",
        issuer: "NIST",
        document: "SP 800-88 (Clear)",
        year: 2025,
        status: Status::Current,
        notation: "random?",
        remark: "As one pass of zeros, and it leaves no byte that a drive could compress away.",
    },
    Method {
        name: "dod-5220.22-m",
        title: "DoD 5220.22-M, three passes",
        issuer: "US Department of Defense",
        document: "5220.22-M",
        year: 1995,
        status: Status::Historical,
        notation: "00 | FF | random?",
        remark: "On a magnetic drive the second and third pass add hours and no outcome.",
    },
    Method {
        name: "csec-itsg-06",
        title: "CSEC ITSG-06",
        issuer: "Communications Security Establishment Canada",
        document: "ITSG-06",
        year: 2006,
        status: Status::Historical,
        notation: "00 | ~ | random?",
        remark: "On a magnetic drive the second and third pass add hours and no outcome.",
    },
];

/// The method of that name, letter case ignored.
pub fn find(name: &str) -> Option<&'static Method> {
    LIBRARY.iter().find(|m| m.name.eq_ignore_ascii_case(name.trim()))
}

/// The library's names, nearest to `name` first.
pub fn nearest(name: &str) -> Vec<&'static str> {
    let mut names: Vec<&str> = LIBRARY.iter().map(|m| m.name).collect();
    names.sort_by_key(|candidate| edit_distance(&name.to_lowercase(), candidate));
    names
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
    /// The passes.
    pub fn program(&self) -> Program {
        self.notation.parse().expect("the library's notations parse: a test keeps it so")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_notation_parses_to_the_passes_that_the_documents_name() {
        let said: Vec<String> =
            LIBRARY.iter().map(|m| format!("{}: {} ({})", m.name, m.program(), m.program().passes())).collect();
        insta::assert_snapshot!(said.join("\n"));
        assert!(LIBRARY.iter().all(|m| m.program().asks_read_back()));
    }

    #[test]
    fn a_slip_of_the_pen_finds_its_method() {
        assert_eq!(nearest("zero")[0], "zeros");
        assert_eq!(nearest("DoD-5220-22M")[0], "dod-5220.22-m");
        assert_eq!(find(" ZEROS ").map(|m| m.name), Some("zeros"));
    }
}
