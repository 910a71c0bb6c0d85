//! Any text as a record: refused, or one whose claim follows from its evidence.
#![no_main]

use jurex_core::record::Record;
use jurex_core::rules::judge;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    if let Ok(record) = Record::from_json(text) {
        assert_eq!(record.claim(), &judge(record.evidence()));
        let _ = (record.confidence(), record.digest());
    }
});
