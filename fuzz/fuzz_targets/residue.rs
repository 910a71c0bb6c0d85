//! Any bytes of a drive under a search for leftovers, and as a mark of the size check: counted, told in few words, and never a crash
//! or a flood.
#![no_main]

use jurex_device::media::Geometry;
use jurex_pattern::pattern::Pattern;
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::Lba;
use jurex_sanitize::evidence::Ended;
use jurex_sanitize::pace::Pace;
use jurex_sanitize::probe_tag::ProbeTag;
use jurex_sanitize::residue::{Leftovers, Residue, Searched, Tally};
use libfuzzer_sys::fuzz_target;
use std::time::Duration;

fuzz_target!(|bytes: &[u8]| {
    let Some((first, bytes)) = bytes.split_first() else { return };
    let logical = if first & 1 == 0 { 512 } else { 4096 };
    let sectors = bytes.len() as u64 / u64::from(logical);
    let geometry = Geometry { logical, physical: 4096, sectors };
    let mut tally = Tally::new(geometry.bytes());
    tally.look(Lba(0), logical, &bytes[..(sectors * u64::from(logical)) as usize]);
    assert_eq!(tally.looked_through(), geometry.bytes() / 512, "each block is of one kind");
    let finds = tally.finds();
    assert!(finds.iter().all(|f| f.places.len() <= 32 && f.places.iter().all(|at| at.0 < sectors)));
    let searched = Searched {
        tally,
        read: sectors,
        unreadable: RangeSet::new(),
        ended: Ended::Finished,
        pace: Pace::new(geometry.whole()),
        took: Duration::from_millis(3),
    };
    let residue = Residue::of(&searched, geometry, true);
    assert!(residue.sentences().iter().map(String::len).sum::<usize>() < 40_000 && residue.summary().len() < 4000);
    let left = Leftovers::of(&residue);
    assert_eq!(left.is_something(), residue.finds.iter().any(|f| f.beyond_chance) || residue.shares.text > 0);
    assert!(!left.summary().is_empty());
    for sector in bytes.chunks(logical as usize) {
        let tag = ProbeTag::of(&Pattern::random([*first; 16]), sector);
        assert!(matches!(tag, ProbeTag::Blank | ProbeTag::None), "no bytes from outside are a mark");
    }
});
