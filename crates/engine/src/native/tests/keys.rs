//! Keys that are replaced, and formats.

use super::*;
use jurex_device::native::command::OpalCall;

/// Flags of the kernel's status call: supported, locking supported, locking enabled, locked.
const IN_USE: u32 = 1 | 2 | 4;
const AT_REST: u32 = 1 | 2;

/// What the drive was asked to do, in short, and how it ended.
fn tcg(
    technique: Technique,
    secret: Option<Secret>,
    answer: &mut dyn FnMut(&OpalCall) -> (u32, u32),
) -> (Vec<String>, SequenceEnd) {
    let dialogue = Dialogue::erase(&OWN(technique), secret.as_ref(), &drive(), &NativeEvidence::begun(technique), false);
    let mut calls = vec![];
    let (_, end) = talk(dialogue, &mut |command, _| {
        let Image::Opal(call) = &command.image else { panic!("{command:?}") };
        calls.push(match call {
            OpalCall::Status => "status".into(),
            OpalCall::RevertByPsid(psid) => format!("revert {psid}"),
            OpalCall::EraseRange { range, password } => format!("{range} {password}"),
        });
        let (status, flags) = answer(call);
        Answer::Opal { status, flags }
    });
    (calls, end)
}

#[test]
fn a_revert_counts_only_once_the_drive_says_that_its_locking_is_out_of_use() {
    let revert = |refuses: u32, after: u32| {
        let mut reverted = false;
        tcg(Technique::TcgRevert, Some(Secret::psid("psid-0123")), &mut |call| match call {
            OpalCall::Status => (0, if reverted { after } else { IN_USE }),
            _ => {
                reverted = refuses == 0;
                (refuses, 0)
            }
        })
    };
    assert_eq!(revert(0, AT_REST), (["status", "revert psid0123", "status"].map(String::from).to_vec(), SequenceEnd::Completed));
    assert!(matches!(revert(0, IN_USE).1, SequenceEnd::Failed(why) if why.contains("still in use")));
    let (calls, end) = revert(0x01, IN_USE);
    assert!(
        calls.len() == 2 && matches!(&end, SequenceEnd::Failed(why) if why.contains("not this drive's")),
        "{calls:?} {end:?}"
    );
    assert!(matches!(revert(0x12, IN_USE).1, SequenceEnd::Failed(why) if why.contains("power is cycled")));
}

#[test]
fn without_its_secret_or_where_it_speaks_no_opal_nothing_is_sent() {
    let none = tcg(Technique::TcgRevert, None, &mut |_| (0, IN_USE));
    assert!(none.0 == ["status"] && matches!(&none.1, SequenceEnd::Refused(why) if why.contains("never kept")), "{none:?}");
    let deaf = tcg(Technique::TcgRevert, Some(Secret::psid("x")), &mut |_| (0, 0));
    assert!(deaf.0 == ["status"] && matches!(&deaf.1, SequenceEnd::Refused(why) if why.contains("does not speak")), "{deaf:?}");
    let at_rest = tcg(Technique::TcgKeyChange, Some(Secret::password("x")), &mut |_| (0, AT_REST));
    assert!(at_rest.0 == ["status"] && matches!(&at_rest.1, SequenceEnd::Refused(why) if why.contains("PSID")), "{at_rest:?}");
}

/// A drive with so many ranges beside the global one, or that does not tell how many; `answers` gives the status for a range.
fn key_change(ranges: Option<u8>, answers: &mut dyn FnMut(u8) -> u32) -> (Vec<u8>, SequenceEnd) {
    let secret = Secret::password("admin1");
    let dialogue = Dialogue::erase(
        &OWN(Technique::TcgKeyChange),
        Some(&secret),
        &drive(),
        &NativeEvidence::begun(Technique::TcgKeyChange),
        false,
    );
    let (mut named, mut said, mut fetched) = (vec![], vec![], 0);
    let framed = |payload: &[u8]| {
        let mut page = vec![0; 2048];
        (page[19], page[55]) = (36 + payload.len() as u8, payload.len() as u8);
        page[56..56 + payload.len()].copy_from_slice(payload);
        page
    };
    let ended = [0xf9, 0xf0, 0, 0, 0, 0xf1];
    let (_, end) = talk(dialogue, &mut |command, _| match &command.image {
        Image::Opal(OpalCall::EraseRange { range, .. }) => {
            named.push(*range);
            Answer::Opal { status: answers(*range), flags: 0 }
        }
        Image::Opal(_) => Answer::Opal { status: 0, flags: IN_USE },
        Image::Scsi(cdb) if cdb[0] == 0xb5 => {
            said = command.data_sent()[56..].to_vec();
            fetched = 0;
            Answer::Scsi { status: 0, sense: vec![], data: vec![] }
        }
        Image::Scsi(cdb) if cdb[3] == 1 => {
            let mut page = vec![0; 2048];
            page[3] = 64;
            page[48..54].copy_from_slice(&[2, 3, 0x10, 16, 0x07, 0xfe]);
            Answer::Scsi { status: 0, sense: vec![], data: page }
        }
        _ => {
            fetched += 1;
            let opens = said.windows(3).any(|w| w == [0, 0xff, 2]);
            let data = match (fetched, ranges) {
                (1..3, _) => framed(&[]).iter().map(|_| 0).collect(),
                (_, None) => framed(&[&[0xf0, 0xf1][..], &[0xf9, 0xf0, 0x0c, 0, 0, 0xf1]].concat()),
                _ if opens => {
                    let uids = [&[0xf8, 0xa8][..], &[0, 0, 0, 0, 0, 0, 0, 0xff], &[0xa8], &[0, 0, 0, 0, 0, 0, 0xff, 3]].concat();
                    framed(&[&uids[..], &[0xf0, 1, 7, 0xf1], &ended].concat())
                }
                (_, Some(n)) => framed(&[&[0xf0, 0xf0, 0xf2, 4, 0x81, n, 0xf3, 0xf1, 0xf1][..], &ended].concat()),
            };
            Answer::Scsi { status: 0, sense: vec![], data }
        }
    });
    (named, end)
}

#[test]
fn a_key_change_is_of_every_range_that_the_drive_says_it_has() {
    assert_eq!(key_change(Some(15), &mut |_| 0), ((0..=15).collect(), SequenceEnd::Completed), "more than the kernel's own nine");
    assert_eq!(key_change(Some(0), &mut |_| 0), (vec![0], SequenceEnd::Completed));
    let (named, end) = key_change(Some(12), &mut |range| if range == 3 { 0x0c } else { 0 });
    assert_eq!(named, (0..=12).collect::<Vec<_>>(), "one that is refused does not end the list");
    assert!(
        matches!(&end, SequenceEnd::Failed(why) if why.contains("13 locking ranges these kept their key: 3 (TCG status 0ch)")),
        "{end:?}"
    );
    let (named, end) = key_change(None, &mut |_| 0);
    assert!(
        named.is_empty() && matches!(&end, SequenceEnd::Refused(why) if why.contains("how many") && why.contains("PSID")),
        "{end:?}"
    );
}

/// A drive that formats: its controller's page, and what it answers to Format NVM.
fn format(technique: Technique, scope: Scope, fna: u8, status: u16) -> (Vec<String>, SequenceEnd) {
    let own = PlannedErase { technique, scope, namespace: Some(2), removal: None };
    let dialogue = Dialogue::erase(&own, None, &drive(), &NativeEvidence::begun(technique), false);
    let mut shown = vec![];
    let (_, end) = talk(dialogue, &mut |command, _| {
        let mut data = vec![0; 4096];
        (data[4], data[256], data[524], data[26], data[516]) = (b'S', 2, fna, 0x21, 2);
        let formats = command.name == "Format NVM";
        if formats {
            shown.push(command.shown());
        }
        Answer::Nvme { status: if formats { status } else { 0 }, data: if formats { vec![] } else { data } }
    });
    (shown, end)
}

#[test]
fn a_format_keeps_the_namespaces_format_and_reaches_what_was_planned() {
    let one = Scope::Namespace { namespace: 2 };
    let (sent, end) = format(Technique::Format, one, 0, 0);
    assert_eq!(
        (sent.as_slice(), end),
        (&["Format NVM: 80 NSID 00000002 CDW10 00001201 CDW11 00000000".to_string()][..], SequenceEnd::Completed)
    );
    let (sent, _) = format(Technique::FormatCrypto, Scope::WholeUnit, 0b110, 0);
    assert!(sent[0].contains("NSID ffffffff CDW10 00001401"), "{sent:?}");
    let (sent, end) = format(Technique::Format, Scope::WholeUnit, 0b1010, 0);
    assert!(sent[0].contains("NSID 00000002") && end == SequenceEnd::Completed, "it takes no number that means all: {sent:?}");
    // What it has changed to since it was planned, or does not have.
    for (technique, scope, fna, why) in [
        (Technique::Format, one, 0b10, "plan it anew"),
        (Technique::Format, Scope::WholeUnit, 0b1000, "one namespace at a time"),
        (Technique::FormatCrypto, Scope::WholeUnit, 0b10, "does not have"),
    ] {
        let (sent, end) = format(technique, scope, fna, 0);
        assert!(sent.is_empty() && matches!(&end, SequenceEnd::Refused(said) if said.contains(why)), "{fna:b}: {sent:?} {end:?}");
    }
    let (_, end) = format(Technique::Format, one, 0, 0x20);
    assert!(matches!(end, SequenceEnd::Failed(why) if why.contains("write protected")));
}
