//! Stand-ins for tests, here and in crates above.

use jurex_file_erase::testing::ground;
use jurex_file_erase::{
    FileEraseOrder, FileEraseRecord, FileEvidence, FileWork, Name, NameRemoval, NodeKind, OldPlaces, StorageStack, Strip,
};
use jurex_sanitize::record::Person;

/// A record of two files of which one is proved and one lay elsewhere.
pub fn less_record() -> FileEraseRecord {
    let asked = FileEraseOrder {
        job: "261126-4F7QZK".parse().unwrap(),
        tool: crate::this_tool(),
        by: Person::default(),
        started: jiff::Timestamp::UNIX_EPOCH,
        ended: jiff::Timestamp::UNIX_EPOCH,
        notation: "00".into(),
        passes: 1,
        went_on: 0,
        demonstration: false,
    };
    let ground = StorageStack { shares: Some(true), ..ground("xfs", "/srv/stations") };
    let mut file = FileEvidence::new(Name::Path("tide.csv".into()), NodeKind::File, 0, 4096);
    (file.before.mapped, file.read_back.right, file.passes, file.moved) = (4096, 4096, 1, Some(false));
    (file.look, file.removal) = (OldPlaces::Read { of: 4096, pattern: 4096, former: 0, unreadable: 0 }, NameRemoval::Removed);
    let mut shared = FileEvidence { name: Name::Path("wind.csv".into()), ..file.clone() };
    shared.before.shared = 4096;
    let mut strip = Strip::new(1 << 30);
    strip.show(1 << 20, 1 << 24, jurex_file_erase::ShownPart::Proved);
    let (roots, salt) = (vec![Name::Path("/srv/stations".into())], String::new());
    let work = FileWork::Files { roots, salt, keep_names: false, journals_emptied: vec![], files: vec![file, shared] };
    FileEraseRecord::new(asked, vec![ground], work, vec![strip.runs()]).unwrap()
}
