//! Any text as a record, of a drive or of less: refused, or one whose claim follows from its evidence. Any text as notes of unfinished work.
#![no_main]

use jurex_file_erase::{FileEraseRecord, NotedProgress};
use jurex_sanitize::record::Record;
use jurex_sanitize::rules::{Edition, judge};
use jurex_sanitize::strata::Strata;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    if let Ok(record) = Record::from_json(text) {
        let edition = Edition::of_title(record.rule_set()).expect("a record is judged by rules that are known");
        // By its own rules, of whichever version; by today's it may have another outcome, and is judged without harm.
        let again = Record::from_json(&record.to_json()).expect("what is read can be read again");
        assert_eq!(record.claim(), again.claim());
        let _ = judge(edition, record.evidence());
        let _ = (record.confidence(), record.digest(), record.kept_its_plan(), record.evidence().lasted());
        let said = (record.leftovers(), record.second_look.as_ref().map(|look| (look.is_due(), look.sentence())));
        let _ = (said, record.evidence().size().map(|size| (size.finding(), size.sentence())));
        let _ = Strata::of(record.evidence(), &record.before);
    }
    if let Ok(record) = FileEraseRecord::from_json(text) {
        let again = FileEraseRecord::from_json(&record.to_json()).expect("what is read can be read again");
        assert_eq!((again.tally(), again.results()), (record.tally(), record.results()));
        let _ = (record.what(), record.kept_its_plan(), record.is_cut_short());
    }
    let mut so_far = NotedProgress::default();
    text.lines().for_each(|line| so_far.take(line));
});
