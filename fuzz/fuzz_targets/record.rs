//! Any text as a record: refused, or one whose claim follows from its evidence.
#![no_main]

use jurex_core::record::Record;
use jurex_core::rules::{Edition, judge};
use jurex_core::strata::Strata;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    if let Ok(record) = Record::from_json(text) {
        let edition = Edition::of_title(record.rule_set()).expect("a record is judged by rules that are known");
        assert_eq!(record.claim().outcome(), judge(edition, record.evidence()).outcome());
        let _ = (record.confidence(), record.digest(), record.kept_its_plan(), record.evidence().lasted());
        let said = (record.leftovers(), record.second_look.as_ref().map(|look| (look.is_due(), look.sentence())));
        let _ = (said, record.evidence().size().map(|size| (size.finding(), size.sentence())));
        let _ = Strata::of(record.evidence(), &record.before);
    }
});
