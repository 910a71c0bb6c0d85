//! Any text as passes: an error inside the text, or a program that prints and parses back the same.
#![no_main]

use jurex_pattern::notation::Program;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    match text.parse::<Program>() {
        Ok(program) => assert_eq!(program.to_string().parse::<Program>(), Ok(program)),
        Err(e) => assert!((1..=text.chars().count() + 1).contains(&e.column)),
    }
});
