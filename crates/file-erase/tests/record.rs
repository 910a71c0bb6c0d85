//! Laws of what is said of files and free space, over random evidence.

use jurex_file_erase::{
    Because, Ending, FileBefore, FileEraseOrder, FileEraseRecord, FileEvidence, FileReadBack, FileSeen, FileWork, Name,
    NameRemoval, NodeKind, Noted, NotedProgress, NotedRoot, OldPlaces, StackLayer, StorageStack, Trace, WorkNote,
};
use jurex_sanitize::record::{Person, Tool};
use proptest::prelude::*;

fn any_ground() -> impl Strategy<Value = StorageStack> {
    let kind = prop::sample::select(vec![
        "ext2", "ext4", "xfs", "btrfs", "f2fs", "vfat", "exfat", "nfs4", "tmpfs", "overlay", "zfs", "odd",
    ]);
    let options = prop::sample::subsequence(vec!["data=journal", "nodatacow", "compress=zstd", "discard", "mode=lfs"], 0..3);
    let device = || "/dev/dm-1".to_string();
    let layers = prop::sample::subsequence(
        vec![
            StackLayer::Encrypted { device: device() },
            StackLayer::SnapshotOrigin { device: device() },
            StackLayer::Thin { device: device() },
            StackLayer::Drive { device: device(), turns: Some(false) },
            StackLayer::Other { device: device(), kind: "zoned".into() },
        ],
        0..2,
    );
    (kind, options, layers).prop_map(|(kind, options, layers)| StorageStack {
        source: "/dev/dm-1".into(),
        options: options.into_iter().map(String::from).collect(),
        layers,
        ..jurex_file_erase::testing::ground(kind, "/srv")
    })
}

prop_compose! {
    fn any_file()(
        mapped in prop::sample::select(vec![0u64, 4096, 8192]), lost in prop::sample::select(vec![0u64, 0, 0, 512, 4096]),
        shared in prop::sample::select(vec![0u64, 0, 0, 4096]), former in prop::sample::select(vec![0u64, 0, 512]),
        moved in prop::sample::select(vec![Some(false), Some(false), Some(true), None]), passes in 0u32..3, journaled in any::<bool>(),
    ) -> FileEvidence {
        let mut file = FileEvidence::new(Name::Path("tide.csv".into()), NodeKind::File, 0, mapped.saturating_sub(100));
        file.before = FileBefore { stretches: 1, mapped, shared: shared.min(mapped), ..FileBefore::default() };
        file.read_back = FileReadBack { right: mapped, ..FileReadBack::default() };
        file.look = OldPlaces::Read { of: mapped, pattern: mapped.saturating_sub(lost), former: former.min(lost), unreadable: 0 };
        (file.moved, file.passes, file.journaled, file.removal) = (moved, passes, journaled, NameRemoval::Removed);
        file
    }
}

proptest! {
    /// Only where all of it was laid, read back, and seen in its old places is a file called proved.
    #[test]
    fn proved_means_that_every_byte_was_seen(file in any_file(), on in any_ground()) {
        let (ending, because) = file.ending(&on, 2);
        if ending == Ending::Proved {
            let seen = matches!(file.look, OldPlaces::Read { of, pattern, former: 0, unreadable: 0 } if of == pattern && of >= file.before.mapped);
            prop_assert!(seen);
            prop_assert!(file.passes == 2 && file.moved == Some(false) && file.before.shared == 0 && !file.journaled);
            prop_assert!(!on.journals_data() && on.doubts().iter().all(|d| d.weight < jurex_file_erase::Weight::KeepsCopies));
        }
        prop_assert_eq!(because.is_empty(), !matches!(ending, Ending::NotProvable | Ending::NotOverwritten));
    }

    /// Nothing that is seen to be worse makes what is said better.
    #[test]
    fn harm_never_makes_it_better(file in any_file(), on in any_ground(), harm in 0usize..8) {
        prop_assume!(file.before.mapped > 0);
        let mut worse = file.clone();
        match (harm, &mut worse.look) {
            (0, _) => worse.before.shared += 512,
            (1, OldPlaces::Read { pattern, .. }) => *pattern = pattern.saturating_sub(512),
            (2, OldPlaces::Read { former, pattern, .. }) => (*former, *pattern) = (512, pattern.saturating_sub(512)),
            (3, _) => worse.moved = Some(true),
            (4, _) => worse.read_back.wrong += 512,
            (5, _) => worse.journaled = true,
            (6, _) => worse.before.encoded += 512,
            _ => worse.fault = Some("no space".into()),
        }
        prop_assert!(worse.ending(&on, 2).0 >= file.ending(&on, 2).0);
        // Nor does a layer beneath that keeps copies.
        let mut beneath = on.clone();
        beneath.layers.push(StackLayer::SnapshotOrigin { device: "/dev/dm-9".into() });
        prop_assert!(file.ending(&beneath, 2).0 >= file.ending(&on, 2).0);
    }

    /// A record says what follows from its files, whatever they are, and is read again as it was written.
    #[test]
    fn a_record_is_read_again_and_an_altered_one_is_not_believed(files in prop::collection::vec(any_file(), 1..6), on in any_ground()) {
        let asked = FileEraseOrder {
            job: "261126-4F7QZK".parse().unwrap(), tool: Tool { name: "jurex".into(), version: "0".into() }, by: Person::default(),
            started: jiff::Timestamp::UNIX_EPOCH, ended: jiff::Timestamp::UNIX_EPOCH, notation: "00 | ~".into(), passes: 2, went_on: 0, demonstration: false,
        };
        let work = FileWork::Files { roots: vec![], salt: String::new(), keep_names: false, journals_emptied: vec![], files: files.clone() };
        let record = FileEraseRecord::new(asked, vec![on.clone()], work, vec![]).unwrap();
        let text = record.to_json();
        prop_assert_eq!(&FileEraseRecord::from_json(&text).unwrap(), &record);
        let all_good = files.iter().all(|f| f.ending(&on, 2).0 <= Ending::Proved);
        prop_assert_eq!(record.kept_its_plan(), all_good);
        // Who says that files are on another ground says nothing that follows.
        let bad = text.replace("\"ground\":0", "\"ground\":7");
        prop_assert!(FileEraseRecord::from_json(&bad).is_err());
    }
}

#[test]
fn notes_tell_how_a_file_lay_at_first_whatever_came_later() {
    let trace = Trace { device: 1, inode: 2, length: 9, ..Trace::default() };
    let mut first = trace.clone();
    first.lies.stretches.push(jurex_file_erase::Stretch { at: 0, bytes: 4096, place: Some(1 << 20), encoded: false });
    let evidence = FileEvidence { passes: 3, ..FileEvidence::new(Name::Digest("ab".into()), NodeKind::File, 0, 9) };
    let seen = Trace { seen: Some(FileSeen { evidence: evidence.clone(), changed: (5, 6) }), ..trace };
    let noted = Noted {
        job: "261126-4F7QZK".parse().unwrap(),
        started: jiff::Timestamp::UNIX_EPOCH,
        notation: "00".into(),
        keep_names: true,
        with_names: false,
        name_salt: vec![1],
        sample_salt: vec![2],
        roots: vec![NotedRoot { path: b"/srv/\xff".to_vec(), device: 1, inode: 2, known_by: Default::default() }],
        grounds: vec![],
    };
    let gone = FileEvidence { removal: NameRemoval::Removed, attributes: 1, ..evidence.clone() };
    let link = FileEvidence::new(Name::Digest("cd".into()), NodeKind::Link, 0, 0);
    let mut text = vec![];
    for note in [
        WorkNote::Asked(noted.clone()),
        WorkNote::Traced(first.clone()),
        WorkNote::Traced(seen),
        WorkNote::WentOn(vec![]),
        WorkNote::ended(1, 2, &gone),
        WorkNote::ended(1, 3, &link),
        WorkNote::ended(9, 9, &gone),
    ] {
        note.write(&mut text).unwrap();
    }
    let mut so_far = NotedProgress::default();
    String::from_utf8(text).unwrap().lines().for_each(|line| so_far.take(line));
    so_far.take("{\"traced\":{\"dev");
    assert_eq!((so_far.noted, so_far.went_on), (Some(noted), 1));
    let kept = &so_far.traces[&(1, 2)];
    assert!(kept.lies == first.lies && kept.seen.as_ref().unwrap().evidence == evidence, "{kept:?}");
    assert_eq!(so_far.ended, [gone, link], "what no trace tells of is not made up");
    assert_eq!(Because::Shared.sentence(), "its blocks are shared with another file or a snapshot");
}
