//! One thing has one word (docs/glossary.md): no text that people see says it by a word that was given up.

mod common;

use common::sources;
use std::fs;
use std::path::{Path, PathBuf};

/// Words that stand for something that has another word now.
const RETIRED: [&str; 24] = [
    "laid",
    "earns",
    "earned",
    "earn",
    "unproved",
    "lifted",
    "leftover",
    "leftovers",
    "second look",
    "second looks",
    "not told",
    "by its own word",
    "goes on",
    "go on",
    "went on",
    "leaves the house",
    "ladder of ways",
    "not proved",
    "what must be done",
    "read back right",
    "unique names",
    "ways of this drive",
    "seen to",
    "from afar",
];

/// Texts in which such a word means something else, or that can never change: what is on drives is what it is.
const MEANT: [&str; 8] = [
    // The page of an erasure tag follows from its data word for word.
    "not told",
    // Names of members in formats that exist.
    "laid, seed, unwritable",
    "does not say how it is laid out",
    "its model goes on the certificate",
    "who saw it goes on its paper",
    "this version goes on from {FORMAT}",
    "it goes on by itself",
    "nobody is told",
];

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// The retired word that a text says, if it says one: whole words, whatever their letters' case.
fn retired(text: &str) -> Option<&'static str> {
    // What is put in is said elsewhere, and a key is a name.
    let outside: String = text.split('{').flat_map(|part| part.rsplit('}').next()).collect::<Vec<_>>().join(" ");
    let letter = |c: char| if c.is_alphanumeric() || c == '_' { c.to_ascii_lowercase() } else { ' ' };
    let plain: String = outside.chars().map(letter).collect();
    let plain = format!(" {} ", plain.split_whitespace().collect::<Vec<_>>().join(" "));
    RETIRED.into_iter().find(|word| plain.contains(&format!(" {word} ")))
}

/// The texts between quotation marks of a source, without comments and what is compiled for tests alone.
fn texts(source: &str) -> Vec<String> {
    let source = source.split("#[cfg(test)]").next().unwrap_or_default();
    let (mut texts, mut letters) = (vec![], source.chars().peekable());
    while let Some(c) = letters.next() {
        match c {
            '/' if letters.peek() == Some(&'/') => while letters.next().is_some_and(|c| c != '\n') {},
            // A quotation mark as a letter.
            '\'' if letters.clone().take(2).eq(['"', '\'']) => drop((letters.next(), letters.next())),
            '"' => {
                let mut text = String::new();
                while let Some(c) = letters.next() {
                    match c {
                        '"' => break,
                        '\\' => match letters.next() {
                            // A line that is gone on with: its indentation is none of the text.
                            Some('\n') => while letters.next_if(|c| c.is_whitespace()).is_some() {},
                            Some(escaped) => text.extend([' ', escaped].into_iter().filter(|c| *c != 'n')),
                            None => {}
                        },
                        c => text.push(c),
                    }
                }
                texts.push(text);
            }
            _ => {}
        }
    }
    texts
}

/// What a page says outside of code.
fn prose(page: &str) -> String {
    let outside: Vec<&str> = page.split("```").step_by(2).collect();
    outside.join(" ").split('`').step_by(2).collect::<Vec<_>>().join(" ")
}

#[test]
fn the_test_hears_what_it_listens_for() {
    assert_eq!(retired("Every planned pass must be laid on it."), Some("laid"));
    assert_eq!(retired("It goes\n on"), Some("goes on"));
    assert_eq!((retired("a learned mislaid earner"), retired("plainly written, {laid} second_look")), (None, None));
    let source = "// \"laid\"\nlet c = '\"'; f(\"it \\\n      earns\"); #[cfg(test)] g(\"laid\")";
    assert_eq!(texts(source), ["it earns"]);
    assert_eq!(prose("a `laid` b ```\nlaid\n``` c").split_whitespace().collect::<Vec<_>>(), ["a", "b", "c"]);
}

#[test]
fn no_text_that_people_see_says_a_thing_by_a_word_that_was_given_up() {
    let (mut found, mut read) = (vec![], 0);
    let mut hear = |place: String, text: &str| {
        read += 1;
        if let Some(word) = retired(text).filter(|_| !MEANT.iter().any(|meant| text.contains(meant))) {
            found.push(format!("{place}: `{word}` in: {text}"));
        }
    };
    for krate in fs::read_dir(root().join("crates")).unwrap().flatten() {
        for file in sources(&krate.path().join("src")) {
            let source = fs::read_to_string(&file).unwrap();
            // A name, a path, a key is no text: people see sentences, or at least two words.
            texts(&source).iter().filter(|t| t.contains(' ')).for_each(|text| hear(file.display().to_string(), text));
        }
    }
    for words in ["crates/sanitize/src/words/en.toml", "crates/documents/words/en.toml"] {
        let text = fs::read_to_string(root().join(words)).unwrap();
        text.lines().filter_map(|line| line.split_once(" = ")).for_each(|(_, said)| hear(words.into(), said));
    }
    fn help(command: &mut clap::Command, hear: &mut impl FnMut(String, &str)) {
        let text = command.render_long_help().to_string();
        text.split("\n\n").for_each(|part| hear(format!("jurex {} --help", command.get_name()), part));
        let mut inner: Vec<clap::Command> = command.get_subcommands().cloned().collect();
        inner.iter_mut().for_each(|one| help(one, hear));
    }
    help(&mut jurex::arguments(), &mut hear);
    let mut folders = vec![root().join("docs")];
    let mut pages = vec![root().join("README.md"), root().join("SECURITY.md")];
    while let Some(folder) = folders.pop() {
        for path in fs::read_dir(folder).unwrap().flatten().map(|e| e.path()) {
            match path {
                path if path.is_dir() => folders.push(path),
                path if path.extension().is_some_and(|e| e == "md") => pages.push(path),
                _ => {}
            }
        }
    }
    // The glossary names them.
    for page in pages.iter().filter(|p| !p.ends_with("glossary.md")) {
        prose(&fs::read_to_string(page).unwrap()).split("\n\n").for_each(|part| hear(page.display().to_string(), part));
    }
    assert!(read > 3000, "{read} texts were read: the test does not see them");
    assert!(found.is_empty(), "{} texts:\n{}", found.len(), found.join("\n"));
}
