//! Conversations with drives whose answers are written down here.

mod keys;
pub(crate) mod lift;

use super::*;
use jurex_device::media::Scope;
use jurex_device::native::ata::sample_page;
use jurex_device::native::command::Image;

const OWN: fn(Technique) -> PlannedErase =
    |technique| PlannedErase { technique, scope: Scope::WholeUnit, namespace: None, removal: None };

/// What was sent, in order, until the conversation was over.
fn talk(mut dialogue: Dialogue, answer: &mut dyn FnMut(&Command, usize) -> Answer) -> (Vec<String>, SequenceEnd) {
    let (mut sent, mut kept) = (vec![], 0);
    for n in 0..200 {
        let mut hear = |commands: &[Command]| {
            for command in commands {
                sent.push(command.name.to_string());
                let said = answer(command, n);
                if !said.is_good() || command == commands.last().unwrap() {
                    return said;
                }
            }
            unreachable!("nothing is sent")
        };
        match dialogue.turn() {
            SequenceTurn::Ask(command) => {
                let said = hear(&[command]);
                dialogue.heard(&said);
            }
            SequenceTurn::Change(change) => {
                assert_eq!(std::mem::take(&mut kept), 1, "each change has its own place kept");
                let said = hear(change.commands());
                dialogue.heard(&said);
            }
            SequenceTurn::Keep(_) => {
                kept += 1;
                dialogue.kept(proof());
            }
            SequenceTurn::Read(_) => dialogue.read(true),
            SequenceTurn::Wait(_) | SequenceTurn::Tell(_) | SequenceTurn::Rescan => {}
            SequenceTurn::Over(end) => return (sent, end),
        }
    }
    panic!("it never ends: {sent:?}")
}

fn drive() -> Drive {
    jurex_device::testing::test_drive(jurex_device::media::MediaClass::Magnetic, 64)
}

fn proof() -> CheckpointSaved {
    let drive = drive();
    let order = jurex_sanitize::plan::Order::of_program("test", "00".parse().unwrap());
    let plan = jurex_sanitize::plan::Plan::new(&drive, &order, &mut jurex_device::testing::Fixed(0)).unwrap();
    let evidence = crate::Progress::of_plan(&plan).evidence().clone();
    let checkpoint = crate::Checkpoint::new(&plan, &evidence, Duration::ZERO);
    CheckpointSaved::of(&mut crate::NotKept, &checkpoint).unwrap()
}

fn scsi(sense: &[u8]) -> Answer {
    Answer::Scsi { status: if sense.is_empty() { 0 } else { 2 }, sense: sense.to_vec(), data: vec![] }
}

fn good() -> Answer {
    scsi(&[])
}

const RUNNING: [u8; 22] = [0x72, 2, 0x04, 0x1b, 0, 0, 0, 14, 2, 6, 0, 0, 0x80, 0x40, 0, 0, 0, 0, 0, 0, 0, 0];
const FAILED: [u8; 8] = [0x72, 3, 0x31, 0x03, 0, 0, 0, 0];
const ATTENTION: [u8; 8] = [0x72, 6, 0x29, 0x00, 0, 0, 0, 0];

fn sanitize(before: &NativeEvidence) -> Dialogue {
    let drive = Drive { protocol: Protocol::Scsi, ..drive() };
    Dialogue::erase(&OWN(Technique::SanitizeBlock), None, &drive, before, false)
}

fn begun() -> NativeEvidence {
    NativeEvidence::begun(Technique::SanitizeBlock)
}

#[test]
fn a_drive_is_asked_then_told_then_waited_for() {
    let mut polls = 0;
    let (sent, end) = talk(sanitize(&begun()), &mut |command, _| {
        polls += u32::from(command.name == "TEST UNIT READY");
        if (2..5).contains(&polls) && command.name == "TEST UNIT READY" { scsi(&RUNNING) } else { good() }
    });
    assert_eq!(sent.iter().filter(|n| n.starts_with("SANITIZE")).count(), 1, "{sent:?}");
    assert_eq!((sent[0].as_str(), end), ("TEST UNIT READY", SequenceEnd::Completed));
}

#[test]
fn what_is_at_work_is_never_sent_again_and_what_is_not_ours_is_left_alone() {
    let run = |sent: u32| {
        let before = NativeEvidence { sent, at_work: sent > 0, ..begun() };
        let mut polls = 0;
        talk(sanitize(&before), &mut |_, _| {
            polls += 1;
            if polls < 4 { scsi(&RUNNING) } else { good() }
        })
    };
    let (sent, end) = run(1);
    assert!(sent.iter().all(|n| n == "TEST UNIT READY") && end == SequenceEnd::Completed, "{sent:?}");
    let (sent, end) = run(0);
    assert!(sent.len() == 1 && matches!(end, SequenceEnd::Refused(_)), "{sent:?} {end:?}");
}

/// Between two sessions somebody may have written; a drive that was seen at work until it was opened took nothing.
#[test]
fn an_erasure_that_ended_meanwhile_counts_only_where_it_was_watched() {
    let before = NativeEvidence { sent: 1, at_work: true, ..begun() };
    let drive = Drive { protocol: Protocol::Scsi, ..drive() };
    let run = |technique, watched| {
        let dialogue = Dialogue::erase(&OWN(technique), None, &drive, &before, watched);
        let (sent, end) = talk(dialogue, &mut |_, _| good());
        (sent.iter().filter(|n| n.starts_with("SANITIZE")).count(), end)
    };
    assert_eq!(run(Technique::SanitizeBlock, true), (0, SequenceEnd::Completed));
    assert_eq!(run(Technique::SanitizeBlock, false), (1, SequenceEnd::Completed), "what it did is not known: it does it again");
    assert_eq!(run(Technique::SanitizeCrypto, true), (1, SequenceEnd::Completed), "a key is replaced again in a moment");
}

#[test]
fn a_failure_a_refusal_and_silence_are_told_apart() {
    let answering = |to_start: Answer, after: Answer| {
        let mut started = false;
        talk(sanitize(&begun()), &mut |command, _| match (command.name, started) {
            ("TEST UNIT READY", false) => good(),
            ("TEST UNIT READY", true) => after.clone(),
            _ => {
                started = true;
                to_start.clone()
            }
        })
        .1
    };
    let lost = || Answer::Lost { why: "time is over".into() };
    assert!(matches!(answering(good(), scsi(&FAILED)), SequenceEnd::Failed(why) if why.contains("failed, as it reports")));
    assert!(matches!(answering(scsi(&[0x72, 5, 0x20, 0, 0, 0, 0, 0]), good()), SequenceEnd::Refused(_)));
    assert!(matches!(answering(good(), lost()), SequenceEnd::Silent(_)));
    assert!(
        matches!(answering(lost(), good()), SequenceEnd::Failed(why) if why.contains("not known")),
        "ready is no proof that it ran"
    );
}

/// A way to an ATA drive that carries only the lower halves of its registers, in fixed sense data: what it says is information, no refusal.
#[test]
fn an_answer_that_lost_its_upper_half_is_no_refusal_and_what_can_be_told_from_the_rest_is_told() {
    let drive = Drive { protocol: Protocol::Ata, ..drive() };
    let fixed = |status: u8, flags: u8, lba: u16| {
        let [high, low] = lba.to_be_bytes();
        Answer::Scsi {
            status: 2,
            sense: vec![0x70, 0, 1, 0, status, 0x40, 0, 10, flags, low, high, 0, 0, 0x1d, 0, 0, 0, 0],
            data: vec![],
        }
    };
    let run = |before: &NativeEvidence, states: &[Answer]| {
        let dialogue = Dialogue::erase(&OWN(Technique::SanitizeBlock), None, &drive, before, false);
        let mut states = states.iter().cloned();
        talk(dialogue, &mut |command, _| match command.name {
            "IDENTIFY DEVICE" => {
                let mut page = sample_page(1);
                page[2 * 59 + 1] = 0x90;
                Answer::Scsi { status: 0, sense: vec![], data: page }
            }
            name if name.contains("STATUS") => states.next().unwrap_or_else(|| fixed(0x50, 0x40, 0xffff)),
            _ => fixed(0x50, 0x40, 0xffff),
        })
    };
    let idle = || fixed(0x50, 0, 0xffff);
    let (sent, end) = run(&begun(), &[idle(), fixed(0x50, 0x40, 0x1000), fixed(0x50, 0x40, 0xf000), fixed(0x50, 0x40, 0xffff)]);
    assert_eq!(end, SequenceEnd::Completed, "{sent:?}");
    assert_eq!(sent.iter().filter(|n| n.contains("STATUS")).count(), 4, "it was waited for while it was at work: {sent:?}");
    // Nothing more is said than that it is at rest: then nothing was finished.
    let (_, end) = run(&begun(), &[idle(), idle()]);
    assert!(matches!(&end, SequenceEnd::Failed(why) if why.contains("does not say")), "{end:?}");
    // Begun in an earlier session: whether it has finished, or is frozen, nobody can tell.
    let earlier = NativeEvidence { sent: 1, at_work: true, ..begun() };
    let (sent, end) = run(&earlier, &[fixed(0x50, 0x40, 0x1000), fixed(0x50, 0x40, 0xffff)]);
    assert!(
        matches!(&end, SequenceEnd::Silent(why) if why.contains("natively")) && sent.iter().all(|n| !n.contains("BLOCK")),
        "{sent:?} {end:?}"
    );
}

#[test]
fn a_command_that_met_unit_attention_is_sent_once_more() {
    let mut met = 0;
    let (sent, end) = talk(sanitize(&begun()), &mut |command, _| {
        met += u32::from(command.name != "TEST UNIT READY");
        if command.name != "TEST UNIT READY" && met == 1 { scsi(&ATTENTION) } else { good() }
    });
    assert_eq!((sent.iter().filter(|n| n.starts_with("SANITIZE")).count(), end), (2, SequenceEnd::Completed));
}

/// A drive of the security feature set, as far as the conversation sees it.
#[derive(Default)]
pub(crate) struct Locker {
    password: bool,
    locked: bool,
    frozen: bool,
    aborts: bool,
    keeps_password: bool,
}

impl Locker {
    pub(crate) fn answer(&mut self, command: &Command) -> Answer {
        let Image::Scsi(cdb) = &command.image else { panic!("an ATA command") };
        let bad = || {
            let sense = [0x72, 0x0b, 0, 0, 0, 0, 0, 14, 9, 12, 0, 4, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0x51];
            Answer::Scsi { status: 2, sense: sense.to_vec(), data: vec![] }
        };
        match cdb[14] {
            0xec => {
                let mut page = sample_page(1);
                let word = 1 | u16::from(self.password) << 1 | u16::from(self.locked) << 2 | u16::from(self.frozen) << 3 | 1 << 5;
                page[256..258].copy_from_slice(&word.to_le_bytes());
                return Answer::Scsi { status: 0, sense: vec![], data: page };
            }
            0xf1 => self.password = true,
            0xf2 => self.locked = false,
            0xf4 if self.aborts => return bad(),
            0xf4 => (self.password, self.locked) = (self.keeps_password, false),
            0xf6 if self.locked => return bad(),
            0xf6 => self.password = false,
            _ => {}
        }
        good()
    }
}

fn security(mut locker: Locker, sent_before: u32) -> (Vec<String>, SequenceEnd, Locker) {
    let before = NativeEvidence { sent: sent_before, ..NativeEvidence::begun(Technique::SecurityEraseEnhanced) };
    let dialogue = Dialogue::erase(&OWN(Technique::SecurityEraseEnhanced), None, &drive(), &before, false);
    let (sent, end) = talk(dialogue, &mut |command, _| locker.answer(command));
    (sent, end, locker)
}

#[test]
fn security_erase_sets_its_password_erases_and_leaves_none() {
    let (sent, end, locker) = security(Locker::default(), 0);
    let names = [
        "IDENTIFY DEVICE",
        "SECURITY SET PASSWORD",
        "IDENTIFY DEVICE",
        "SECURITY ERASE PREPARE",
        "SECURITY ERASE UNIT, enhanced",
        "IDENTIFY DEVICE",
    ];
    assert_eq!((sent.iter().map(String::as_str).collect::<Vec<_>>(), end), (names.to_vec(), SequenceEnd::Completed));
    assert!(!locker.password);
}

#[test]
fn a_security_erase_that_fails_takes_its_password_away_and_says_what_it_left_if_it_cannot() {
    let (_, end, locker) = security(Locker { aborts: true, ..Locker::default() }, 0);
    assert!(matches!(end, SequenceEnd::Failed(why) if why.contains("taken away again")) && !locker.password);
    let (_, end, locker) = security(Locker { keeps_password: true, ..Locker::default() }, 0);
    assert!(matches!(end, SequenceEnd::Failed(why) if why.contains("still set")) && !locker.password);
    let (sent, end, _) = security(Locker { frozen: true, ..Locker::default() }, 0);
    assert!(sent.len() == 1 && matches!(end, SequenceEnd::Refused(why) if why.contains("ten seconds")));
    let (sent, end, _) = security(Locker { password: true, locked: true, ..Locker::default() }, 0);
    assert!(sent.len() == 1 && matches!(end, SequenceEnd::Refused(why) if why.contains("did not set")), "another's password");
    let (sent, end, locker) = security(Locker { password: true, locked: true, ..Locker::default() }, 3);
    assert!(!sent.iter().any(|n| n == "SECURITY SET PASSWORD") && end == SequenceEnd::Completed && !locker.password, "{sent:?}");
}

/// An eMMC device of 64 sectors with these features (EXT_CSD 231), or a card that is asked nothing.
fn of_mmc(technique: Technique, features: u8, protected: bool) -> (Vec<String>, SequenceEnd) {
    let dialogue = Dialogue::erase(&OWN(technique), None, &drive(), &NativeEvidence::begun(technique), false);
    talk(dialogue, &mut |command, _| {
        let mut data = vec![];
        if command.name == "SEND_EXT_CSD" {
            data = vec![0; jurex_device::native::mmc::EXT_CSD];
            (data[231], data[171], data[192]) = (features, u8::from(protected), 8);
        }
        Answer::Mmc { response: 0x900, data }
    })
}

#[test]
fn embedded_flash_is_erased_by_what_it_has_and_by_nothing_that_would_only_look_erased() {
    let run = |technique, features| {
        let (sent, end) = of_mmc(technique, features, false);
        assert_eq!(end, SequenceEnd::Completed, "{sent:?}");
        sent.into_iter()
            .filter(|n| !n.starts_with("SWITCH, ERASE") && !n.contains("_G") && !n.contains("CSD"))
            .collect::<Vec<_>>()
    };
    const ALL: u8 = 0b101_0001;
    assert_eq!(run(Technique::MmcSanitize, ALL), ["ERASE, secure erase", "ERASE, trim", "SWITCH, SANITIZE_START"]);
    assert_eq!(run(Technique::MmcSanitize, 0b100_0000), ["ERASE", "SWITCH, SANITIZE_START"]);
    // A trim would make blank what the erasure has left, and keep its cells.
    assert_eq!(run(Technique::MmcSecureErase, ALL), ["ERASE, secure erase"]);
    assert_eq!(run(Technique::SdErase, 0), ["ERASE_WR_BLK_START", "ERASE_WR_BLK_END", "ERASE"]);
    for (technique, features, protected, why) in [
        (Technique::MmcSecureErase, 0b100_0000, false, "does not have secure erase"),
        (Technique::MmcSanitize, 1, false, "does not have SANITIZE_START"),
        (Technique::MmcSecureErase, ALL, true, "write protected"),
    ] {
        let (sent, end) = of_mmc(technique, features, protected);
        assert!(sent == ["SEND_EXT_CSD"] && matches!(&end, SequenceEnd::Refused(said) if said.contains(why)), "{sent:?} {end:?}");
    }
}
