//! Drives that hide sectors.

use super::*;
use jurex_device::native::command::Data;

/// An ATA drive of `native` sectors, as far as lifting sees it: what it gives now, and by which features it can hide.
pub(crate) struct Hider {
    pub(crate) gives: u64,
    native: u64,
    /// What the overlay leaves of `whole`.
    whole: u64,
    hpa: bool,
    amax: bool,
    dco: bool,
    /// Each limit can be changed once in a power cycle.
    pub(crate) spent: bool,
    permanent: Option<bool>,
    rescans: u32,
}

impl Hider {
    pub(crate) fn of(gives: u64, native: u64) -> Self {
        Self { gives, native, whole: native, hpa: true, amax: false, dco: false, spent: false, permanent: None, rescans: 0 }
    }

    fn identify(&self) -> Vec<u8> {
        let mut page = sample_page(1);
        let mut put = |word: usize, value: u16| page[2 * word..2 * word + 2].copy_from_slice(&value.to_le_bytes());
        (0..4).for_each(|n| put(100 + n, (self.gives >> (16 * n)) as u16));
        put(82, u16::from(self.hpa) << 10);
        put(83, 0x4000 | 1 << 10 | u16::from(self.dco) << 11);
        put(119, 0x4000 | u16::from(self.amax) << 8);
        page
    }

    fn registers(error: bool, lba: u64) -> Answer {
        let at = |byte: u32| (lba >> (8 * byte)) as u8;
        let status = if error { 0x51 } else { 0x50 };
        let descriptor = [9, 12, 0, u8::from(error) << 2, 0, 0, at(3), at(0), at(4), at(1), at(5), at(2), 0x40, status];
        Answer::Scsi { status: 2, sense: [&[0x72, 1, 0, 0x1d, 0, 0, 0, 14][..], &descriptor].concat(), data: vec![] }
    }

    pub(crate) fn answer(&mut self, command: &Command) -> Answer {
        let Image::Scsi(cdb) = &command.image else { panic!("an ATA command") };
        let lba = [8, 10, 12, 7, 9, 11].iter().rev().fold(0u64, |v, at| v << 8 | u64::from(cdb[*at]));
        let page = |data| Answer::Scsi { status: 0, sense: vec![], data };
        match (cdb[14], cdb[4]) {
            (0xec, _) => page(self.identify()),
            (0x27, _) | (0x78, 0) => Self::registers(false, self.native - 1),
            (0x37, _) | (0x78, 1) if self.spent || lba >= self.native => Self::registers(true, 0),
            (0x37, _) | (0x78, 1) => {
                (self.gives, self.spent, self.permanent) = (lba + 1, true, Some(cdb[14] == 0x78 || cdb[6] & 1 == 1));
                good()
            }
            (0xb1, 0xc2) => {
                let mut data = vec![0; 512];
                data[6..14].copy_from_slice(&(self.whole - 1).to_le_bytes());
                page(data)
            }
            // The overlay is not taken away while a host protected area was set in this power cycle.
            (0xb1, 0xc0) if self.spent => Self::registers(true, 0),
            (0xb1, 0xc0) => {
                (self.native, self.gives) = (self.whole, self.whole);
                good()
            }
            other => panic!("{other:?} is no command of lifting"),
        }
    }
}

/// The commands that were sent, and how it ended.
fn lift(hider: &mut Hider, permanent: bool, configuration: bool) -> (Vec<String>, SequenceEnd) {
    let mut dialogue = Dialogue::lift(&UnhideOrder { permanent, configuration });
    let mut sent = vec![];
    for _ in 0..40 {
        match dialogue.turn() {
            SequenceTurn::Ask(command) => {
                assert!(matches!(command.data, Data::None | Data::In(_)), "a question sends nothing");
                sent.push(command.name.to_string());
                dialogue.heard(&hider.answer(&command));
            }
            SequenceTurn::Keep(_) => dialogue.kept(proof()),
            SequenceTurn::Change(change) => {
                let answers: Vec<Answer> = change.commands().iter().map(|c| hider.answer(c)).collect();
                sent.extend(change.commands().iter().map(|c| c.name.to_string()));
                dialogue.heard(answers.last().unwrap());
            }
            SequenceTurn::Rescan => hider.rescans += 1,
            SequenceTurn::Wait(_) | SequenceTurn::Read(_) | SequenceTurn::Tell(_) => {}
            SequenceTurn::Over(end) => return (sent, end),
        }
    }
    panic!("it never ends: {sent:?}")
}

#[test]
fn a_protected_area_is_lifted_for_as_long_as_the_person_chose_and_the_system_looks_again() {
    for permanent in [false, true] {
        let mut hider = Hider::of(800, 1000);
        let (sent, end) = lift(&mut hider, permanent, false);
        let names =
            ["IDENTIFY DEVICE", "READ NATIVE MAX ADDRESS", "READ NATIVE MAX ADDRESS", "SET MAX ADDRESS"].map(String::from);
        assert_eq!((sent, end), (names.to_vec(), SequenceEnd::Completed), "the native end is asked right before it is set");
        assert_eq!((hider.gives, hider.permanent, hider.rescans), (1000, Some(permanent), 1));
    }
    let mut open = Hider::of(1000, 1000);
    let (sent, end) = lift(&mut open, false, false);
    assert!(!sent.iter().any(|n| n.starts_with("SET")) && end == SequenceEnd::Completed && open.permanent.is_none(), "{sent:?}");
}

#[test]
fn an_accessible_maximum_is_lifted_for_good_since_it_knows_nothing_else() {
    let mut hider = Hider { hpa: false, amax: true, ..Hider::of(0x1_0000_0800, 0x1_0000_1000) };
    let (_, end) = lift(&mut hider, false, false);
    assert_eq!(
        (hider.gives, hider.permanent, end),
        (0x1_0000_1000, Some(true), SequenceEnd::Completed),
        "all six bytes of the address"
    );
}

#[test]
fn the_makers_configuration_comes_back_only_where_a_person_said_so() {
    let overlay = || Hider { dco: true, whole: 1200, ..Hider::of(1000, 1000) };
    let mut kept = overlay();
    let (sent, end) = lift(&mut kept, false, false);
    assert!(!sent.iter().any(|n| n.contains("CONFIGURATION")) && end == SequenceEnd::Completed && kept.gives == 1000, "{sent:?}");
    let mut restored = overlay();
    assert_eq!((lift(&mut restored, false, true).1, restored.gives), (SequenceEnd::Completed, 1200));
}

#[test]
fn what_takes_another_power_cycle_says_so_and_goes_on_after_it() {
    // The area above is lifted, and with that the overlay is shut until the power was away.
    let mut both = Hider { dco: true, whole: 1200, ..Hider::of(800, 1000) };
    let (_, end) = lift(&mut both, true, true);
    let SequenceEnd::Refused(why) = end else { panic!("{end:?}") };
    assert!(why.contains("configuration overlay") && why.contains("ten seconds"), "{why}");
    let volatile = lift(&mut Hider { dco: true, whole: 1200, ..Hider::of(800, 1000) }, false, true).1;
    assert!(
        matches!(volatile, SequenceEnd::Refused(why) if why.contains("--keep-accessible")),
        "a power cycle alone would bring the area back"
    );
    both.spent = false;
    assert_eq!((lift(&mut both, true, true).1, both.gives), (SequenceEnd::Completed, 1200));
    // A limit that was changed once in this power cycle.
    let mut spent = Hider { spent: true, ..Hider::of(800, 1000) };
    let (_, end) = lift(&mut spent, false, false);
    assert!(matches!(end, SequenceEnd::Refused(why) if why.contains("host protected area") && why.contains("ten seconds")));
    assert_eq!(spent.gives, 800);
}

#[test]
fn a_drive_that_tells_an_impossible_end_is_not_believed() {
    let mut dialogue = Dialogue::lift(&UnhideOrder { permanent: false, configuration: true });
    let hider = Hider { hpa: false, dco: true, ..Hider::of(1000, 1000) };
    let (sent, end) = talk_once(&mut dialogue, &mut |command| match command.name {
        "IDENTIFY DEVICE" => Answer::Scsi { status: 0, sense: vec![], data: hider.identify() },
        // The last sector of 2^64.
        _ => Answer::Scsi { status: 0, sense: vec![], data: [vec![0; 6], vec![0xff; 8], vec![0; 498]].concat() },
    });
    assert!(!sent.iter().any(|n| n.contains("RESTORE")) && end == SequenceEnd::Completed, "{sent:?} {end:?}");
}

/// A conversation in which nothing is changed.
fn talk_once(dialogue: &mut Dialogue, answer: &mut dyn FnMut(&Command) -> Answer) -> (Vec<String>, SequenceEnd) {
    let mut sent = vec![];
    loop {
        match dialogue.turn() {
            SequenceTurn::Ask(command) => {
                sent.push(command.name.to_string());
                dialogue.heard(&answer(&command));
            }
            SequenceTurn::Keep(commands) => panic!("{commands:?} is about to be sent"),
            SequenceTurn::Change(_) => unreachable!("nothing was kept"),
            SequenceTurn::Rescan | SequenceTurn::Wait(_) | SequenceTurn::Read(_) | SequenceTurn::Tell(_) => {}
            SequenceTurn::Over(end) => return (sent, end),
        }
    }
}
