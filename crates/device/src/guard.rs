//! May this drive be erased at all? Facts in, a verdict out; a refusal names the thing that stands in the way.

use crate::media::{Drive, DriveLabel, MediaClass, Scope};
use crate::native::{Capabilities, OwnState, by_its_own_word};
use crate::technique::Technique;
use schemars::JsonSchema;
use serde::Serialize;
use std::fmt;

/// Something that keeps a drive from being erased.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "hindrance")]
pub enum Blocker {
    /// The running system lives on it.
    System {
        /// What of the system, such as `/` or `/boot`.
        mount: String,
    },
    /// A file system on it is mounted.
    Mounted {
        /// Which device.
        device: String,
        /// Where.
        mount: String,
    },
    /// It is used as swap.
    Swap {
        /// Which device or file.
        device: String,
    },
    /// Another block device is built on it (LVM, RAID, encryption).
    Holder {
        /// Which part of the drive.
        device: String,
        /// What is built on it.
        holder: String,
    },
    /// A loop device is attached to this file.
    AttachedAs {
        /// The loop device.
        device: String,
    },
    /// Another program holds it open for itself.
    HeldOpen,
    /// Programs have it open, though not for themselves alone: a virtual machine, a database, a copy under way.
    OpenBy {
        /// Which device or file.
        device: String,
        /// The programs by name and number.
        who: String,
    },
    /// Somebody has the file open whom nobody can see: a program of another container, a descriptor under way, a map without one.
    OpenUnseen,
    /// It is hosted by storage that is in use: the file or drive under a loop device.
    Beneath {
        /// What lies under it.
        device: String,
        /// What stands in the way there.
        because: Box<Blocker>,
    },
    /// What the system tells of uses can't be read or believed: what it is used for is not known.
    NotKnown {
        /// What can't be read, and why.
        why: String,
    },
    /// It is a medium that a computer is started into Jurex from, and this computer was.
    StartMedium,
    /// It holds Jurex's own files.
    OwnFile {
        /// Which.
        what: String,
    },
    /// Another path leads to the same drive, and something stands in the way there.
    OtherPath {
        /// The other path.
        path: String,
        /// What stands in the way there.
        because: Box<Blocker>,
    },
    /// Another namespace of the same controller is in the way of a treatment that reaches all of them.
    OtherNamespace {
        /// Its path.
        path: String,
        /// What stands in the way there.
        because: Box<Blocker>,
    },
    /// The host must write its zones in order, which Jurex does not.
    Zoned,
    /// Its security is locked: it refuses reads and writes until it is unlocked.
    Locked,
    /// It is at work on an erasure of its own.
    ErasesItself {
        /// How far it is, in parts of 65536, if it tells.
        progress: Option<u16>,
    },
    /// An erasure of its own has failed: it takes and gives no sector.
    OwnErasureFailed,
    /// Another Jurex works on it.
    JobRunning,
    /// This user may not write to it.
    NoRights,
    /// It can't be written.
    ReadOnly,
    /// It has no sector.
    NoSectors,
    /// Optical media.
    Optical,
    /// It has not answered who it is.
    NoAnswer,
    /// The configuration keeps Jurex to other drives.
    NotListed,
    /// It is not a drive but a part of one, or built on one.
    NotADrive {
        /// What it is.
        what: String,
    },
}

impl Blocker {
    /// Whether it also keeps a drive from being read and judged by what is read: something uses it, or it gives no sector.
    pub fn hinders_reading(&self) -> bool {
        !matches!(self, Blocker::Zoned | Blocker::NoRights | Blocker::ReadOnly | Blocker::Optical | Blocker::NotListed)
    }
}

impl fmt::Display for Blocker {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Blocker::System { mount } => write!(f, "the running system lives on it ({mount})"),
            Blocker::Mounted { device, mount } => write!(f, "{device} is mounted at {mount}"),
            Blocker::Swap { device } => write!(f, "{device} is in use as swap"),
            Blocker::Holder { device, holder } => write!(f, "{holder} is built on {device}"),
            Blocker::AttachedAs { device } => write!(f, "{device} is attached to this file"),
            Blocker::HeldOpen => f.write_str("another program holds it open for itself"),
            Blocker::OpenBy { device, who } => write!(f, "{device} is open in {who}"),
            Blocker::OpenUnseen => f.write_str(
                "the system says that it is open, and by whom can't be seen: a program outside this container, a map of it, or a descriptor that is being handed over",
            ),
            Blocker::Beneath { device, because } => write!(f, "it lies on {device}: {because}"),
            Blocker::NotKnown { why } => write!(f, "what it is used for can't be told ({why})"),
            Blocker::StartMedium => {
                f.write_str("it is a Jurex start medium: only a Jurex that was not started from one may erase it")
            }
            Blocker::OwnFile { what } => write!(f, "it holds {what} of Jurex itself"),
            Blocker::OtherPath { path, because } => write!(f, "{path} is the same drive: {because}"),
            Blocker::OtherNamespace { path, because } => write!(f, "{path} is a namespace of the same controller: {because}"),
            Blocker::Zoned => f.write_str(
                "its zones must be written in order by the host, which Jurex does not do: use the drive's own erase command or destroy it",
            ),
            Blocker::Locked => f.write_str("its security is locked, so that it takes and gives no sector: unlock it first"),
            Blocker::ErasesItself { progress } => {
                f.write_str("it is at work on an erasure of its own, which nothing stops")?;
                match progress {
                    Some(done) => write!(f, " ({})", by_its_own_word(*done)),
                    None => Ok(()),
                }
            }
            Blocker::OwnErasureFailed => f.write_str(
                "an erasure of its own has failed, and until one succeeds it takes and gives no sector: sanitize it again by its own command, have it leave its failure mode where it may (`jurex unlock`), or destroy it",
            ),
            Blocker::JobRunning => f.write_str("another Jurex is working on it"),
            Blocker::NoRights => f.write_str("this user has no right to write to it: run Jurex as root"),
            Blocker::ReadOnly => f.write_str("it is read-only"),
            Blocker::NoSectors => f.write_str("it has no sector"),
            Blocker::Optical => f.write_str("it is an optical drive; destroy the disc instead"),
            Blocker::NoAnswer => f.write_str("it has not answered yet"),
            Blocker::NotListed => f.write_str("the configuration's `only` list does not name it"),
            Blocker::NotADrive { what } => write!(f, "it is {what}, not a whole drive"),
        }
    }
}

/// What is going to be done: some hindrances stand in the way of one treatment and not of another.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Intent {
    /// What is reached.
    pub scope: Scope,
    /// The drive's own erasure, if it is to carry one out.
    pub own: Option<Technique>,
    /// Whether a job goes on that has sent the drive such a command already.
    pub goes_on: bool,
}

impl Intent {
    /// Whether what stands in the way of writing to the drive is what this treatment is the remedy for.
    fn removes(&self, hindrance: &Blocker) -> bool {
        let security = self.own.is_some_and(Technique::is_security);
        let sanitizes = self.own.is_some_and(Technique::runs_by_itself);
        match hindrance {
            // After a failure only an erasure that succeeds gives the drive back.
            Blocker::OwnErasureFailed => sanitizes,
            Blocker::ErasesItself { .. } => sanitizes && self.goes_on,
            // The job's own password, or the owner's of the label.
            Blocker::Locked => self.own.is_some_and(|own| own.descriptor().through_a_lock) || (security && self.goes_on),
            Blocker::Zoned => self.own.is_some(),
            _ => false,
        }
    }
}

impl From<Scope> for Intent {
    fn from(scope: Scope) -> Self {
        Self { scope, own: None, goes_on: false }
    }
}

/// A refusal: every hindrance found. There is no way around it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, thiserror::Error, JsonSchema)]
#[error("{}", .hindrances.iter().map(Blocker::to_string).collect::<Vec<_>>().join("; "))]
pub struct Refusal {
    /// At least one.
    pub hindrances: Vec<Blocker>,
}

/// A drive with what was found to stand in the way of erasing it.
pub type LookedAt = (Drive, Vec<Blocker>);

/// Proof that the guard lets this drive through. Only [`check`] makes one.
#[derive(Clone, Debug)]
pub struct Cleared {
    drive: Drive,
    intent: Intent,
    label: DriveLabel,
}

impl Cleared {
    /// The drive that may be erased.
    pub fn drive(&self) -> &Drive {
        &self.drive
    }

    /// For what it was cleared.
    pub fn intent(&self) -> Intent {
        self.intent
    }

    /// Whether it was cleared for all that `wanted` reaches and does: what was free for an overwriting is not yet free for a
    /// command that reaches other namespaces.
    pub fn is_for(&self, wanted: Intent) -> bool {
        let reaches = self.intent.scope == Scope::WholeUnit || self.intent.scope == wanted.scope;
        // Of a drive that is larger once its hidden sectors are lifted, and of a part of it, the guard's word is the same.
        let sectors = matches!((self.intent.scope, wanted.scope), (Scope::Sectors(_), Scope::Sectors(_)));
        (reaches || sectors) && self.intent.own == wanted.own
    }

    /// What the person must type: something that no other drive on the bench would take.
    pub fn label(&self) -> &DriveLabel {
        &self.label
    }
}

/// The guard's verdict on a treatment of the first drive of `looked_at` that reaches `scope`. The others are every other
/// drive that is there: other paths to the same drive must be free too, and where the scope is the whole unit, its other
/// namespaces; and no other may carry the label that is asked for.
///
/// # Errors
/// Every hindrance: those found, and those that follow from the drive itself.
pub fn check(intent: impl Into<Intent>, looked_at: &[LookedAt]) -> Result<Cleared, Refusal> {
    let intent = intent.into();
    let scope = intent.scope;
    let Some(((drive, hindrances), others)) = looked_at.split_first() else {
        return Err(Refusal { hindrances: vec![Blocker::NotKnown { why: "no drive was looked at".into() }] });
    };
    let mut all = hindrances.clone();
    all.extend(of_the_drive_itself(drive).into_iter().filter(|h| !hindrances.contains(h)));
    for (other, in_the_way) in others {
        let because = |h: &Blocker| Box::new(h.clone());
        if drive.is_other_path_of(other) {
            all.extend(in_the_way.iter().map(|h| Blocker::OtherPath { path: other.path.clone(), because: because(h) }));
        } else if scope == Scope::WholeUnit && drive.is_beside(other) {
            all.extend(in_the_way.iter().map(|h| Blocker::OtherNamespace { path: other.path.clone(), because: because(h) }));
        }
    }
    let removed = |h: &Blocker| match h {
        Blocker::OtherPath { because, .. } | Blocker::OtherNamespace { because, .. } => intent.removes(because),
        other => intent.removes(other),
    };
    all.retain(|h| !removed(h));
    if all.is_empty() {
        let label = drive.label_among(scope, others.iter().map(|(other, _)| other));
        Ok(Cleared { drive: drive.clone(), intent, label })
    } else {
        Err(Refusal { hindrances: all })
    }
}

/// What stands in the way by the drive's own answers.
pub fn of_answers(answers: &Capabilities) -> Vec<Blocker> {
    let locked = answers.security_locked.then_some(Blocker::Locked);
    let own = match answers.own_state {
        Some(OwnState::Running { progress }) => Some(Blocker::ErasesItself { progress }),
        Some(OwnState::Failed) => Some(Blocker::OwnErasureFailed),
        Some(OwnState::Idle) | None => None,
    };
    locked.into_iter().chain(own).collect()
}

fn of_the_drive_itself(drive: &Drive) -> Vec<Blocker> {
    let found = [
        (drive.geometry.sectors == 0, Blocker::NoSectors),
        (drive.class == MediaClass::Optical, Blocker::Optical),
        (drive.zoned_by_host, Blocker::Zoned),
    ];
    found.into_iter().filter(|(is, _)| *is).map(|(_, h)| h).collect()
}

/// Whether `other` is another namespace of the unit of `drive`, or another path to the same drive.
pub fn is_of_the_same_unit(drive: &Drive, other: &Drive) -> bool {
    drive.is_other_path_of(other) || drive.is_beside(other)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::media::{Attachment, Protocol, UnitId};
    use crate::testing::test_drive;

    const SECTORS: Scope = Scope::WholeUnit;

    fn one(drive: &Drive, hindrances: &[Blocker]) -> Result<Cleared, Refusal> {
        check(SECTORS, &[(drive.clone(), hindrances.to_vec())])
    }

    #[test]
    fn the_guards_word_counts_for_what_it_was_asked_about_and_for_nothing_that_reaches_further() {
        use crate::technique::Technique;
        use jurex_pattern::units::Sectors;
        let drive = crate::testing::test_drive(crate::media::MediaClass::SolidState, 64);
        let of = |scope, own| Intent { scope, own, goes_on: false };
        let namespace = |namespace| of(Scope::Namespace { namespace }, None);
        let cleared = |intent| crate::testing::cleared_for(&drive, intent);
        assert!(cleared(of(Scope::WholeUnit, None)).is_for(namespace(1)), "who cleared all has cleared a part");
        assert!(!cleared(namespace(1)).is_for(namespace(2)) && !cleared(namespace(1)).is_for(of(Scope::WholeUnit, None)));
        let sectors = |first| of(Scope::Sectors(Sectors::new(first, 8)), None);
        assert!(cleared(sectors(0)).is_for(sectors(8)), "of any part of one drive its word is the same");
        let sanitize = of(Scope::WholeUnit, Some(Technique::SanitizeBlock));
        assert!(!cleared(of(Scope::WholeUnit, None)).is_for(sanitize) && !cleared(sanitize).is_for(of(Scope::WholeUnit, None)));
    }

    #[test]
    fn a_hindrance_gives_way_to_that_treatment_alone_which_is_its_remedy() {
        use Technique::{Overwrite, SanitizeBlock, SecurityErase, TcgRevert};
        let working = || Blocker::ErasesItself { progress: None };
        let lets = |own, goes_on, hindrance: Blocker| {
            let drive = test_drive(MediaClass::SolidState, 8);
            check(Intent { scope: SECTORS, own, goes_on }, &[(drive, vec![hindrance])]).is_ok()
        };
        let cases = [
            // A failed erasure: one that succeeds.
            (Some(SanitizeBlock), false, Blocker::OwnErasureFailed, true),
            (Some(SecurityErase), true, Blocker::OwnErasureFailed, false),
            (Some(TcgRevert), true, Blocker::OwnErasureFailed, false),
            (None, true, Blocker::OwnErasureFailed, false),
            // One at work: the job that began it.
            (Some(SanitizeBlock), true, working(), true),
            (Some(SanitizeBlock), false, working(), false),
            (Some(SecurityErase), true, working(), false),
            // A lock: the password that a job of its own has set, or the owner's of the label.
            (Some(SecurityErase), true, Blocker::Locked, true),
            (Some(SecurityErase), false, Blocker::Locked, false),
            (Some(SanitizeBlock), true, Blocker::Locked, false),
            (Some(TcgRevert), false, Blocker::Locked, true),
            (None, true, Blocker::Locked, false),
            // Zones: whatever the drive does by itself.
            (Some(SanitizeBlock), false, Blocker::Zoned, true),
            (None, true, Blocker::Zoned, false),
            // What uses a drive has no remedy.
            (Some(SanitizeBlock), true, Blocker::HeldOpen, false),
            (Some(TcgRevert), true, Blocker::ReadOnly, false),
        ];
        for (own, goes_on, hindrance, expected) in cases {
            assert_eq!(lets(own, goes_on, hindrance.clone()), expected, "{own:?}, goes on: {goes_on}: {hindrance}");
        }
        assert!(!lets(Some(Overwrite), false, Blocker::Mounted { device: "/dev/sdq1".into(), mount: "/srv".into() }));
    }

    #[test]
    fn what_keeps_a_drive_from_being_read_is_what_uses_it_or_what_gives_no_sector() {
        for only_writing in [Blocker::Zoned, Blocker::NoRights, Blocker::ReadOnly, Blocker::Optical, Blocker::NotListed] {
            assert!(!only_writing.hinders_reading(), "{only_writing}");
        }
        for reading_too in [Blocker::Locked, Blocker::OwnErasureFailed, Blocker::JobRunning, Blocker::NoAnswer, Blocker::HeldOpen]
        {
            assert!(reading_too.hinders_reading(), "{reading_too}");
        }
    }

    #[test]
    fn a_drives_own_answers_stand_in_the_way_each_for_itself() {
        let of = |security_locked, own_state| of_answers(&Capabilities { security_locked, own_state, ..Capabilities::default() });
        let running = OwnState::Running { progress: Some(16_384) };
        assert_eq!(of(false, Some(running)), [Blocker::ErasesItself { progress: Some(16_384) }]);
        assert_eq!(of(true, Some(OwnState::Failed)), [Blocker::Locked, Blocker::OwnErasureFailed]);
        assert_eq!((of(false, Some(OwnState::Idle)), of(false, None)), (vec![], vec![]));
    }

    #[test]
    fn one_unit_is_what_another_path_or_another_namespace_leads_to() {
        let namespace = |controller: &str, n: u32| Drive {
            path: format!("/dev/{controller}n{n}"),
            unit: crate::media::Unit { serial: Some(controller.to_uppercase()), ..test_drive(MediaClass::SolidState, 8).unit },
            protocol: Protocol::Nvme { namespace: n },
            ..test_drive(MediaClass::SolidState, 8)
        };
        let one = namespace("nvme0", 1);
        assert!(is_of_the_same_unit(&one, &namespace("nvme0", 2)), "another namespace");
        assert!(!is_of_the_same_unit(&one, &namespace("nvme1", 1)) && !is_of_the_same_unit(&one, &namespace("nvme1", 2)));
        let by_another_path = Drive { path: "/dev/nvme2n1".into(), ..one.clone() };
        assert!(is_of_the_same_unit(&one, &by_another_path) == one.is_other_path_of(&by_another_path));
    }

    #[test]
    fn any_hindrance_refuses_and_is_named() {
        let drive = test_drive(MediaClass::Magnetic, 8);
        assert!(one(&drive, &[]).is_ok());
        let swap = Blocker::Swap { device: "/dev/sdq2".into() };
        let refusal = one(&drive, &[swap, Blocker::ReadOnly]).unwrap_err();
        assert_eq!(refusal.to_string(), "/dev/sdq2 is in use as swap; it is read-only");
        assert!(check(SECTORS, &[]).is_err());
    }

    #[test]
    fn what_the_drive_is_refuses_even_when_the_system_found_nothing() {
        assert!(one(&test_drive(MediaClass::Magnetic, 0), &[]).is_err());
        assert!(one(&test_drive(MediaClass::Optical, 8), &[]).is_err());
        let zoned = Drive { zoned_by_host: true, ..test_drive(MediaClass::Magnetic, 8) };
        assert!(one(&zoned, &[]).unwrap_err().to_string().contains("zones"));
    }

    #[test]
    fn another_path_to_the_same_drive_and_other_namespaces_must_be_free_too() {
        let named = |path: &str, wwn: &str| {
            let mut drive = Drive { path: path.into(), ..test_drive(MediaClass::Magnetic, 8) };
            drive.unit.ids = vec![UnitId::Wwn(wwn.into())];
            drive
        };
        let verdict = |scope, drive: &Drive, other: &Drive| {
            check(scope, &[(drive.clone(), vec![]), (other.clone(), vec![Blocker::ReadOnly])])
        };
        let (here, there) = (named("a", "5000c500"), named("b", "5000c500"));
        let said = verdict(Scope::Sectors(here.geometry.whole()), &here, &there).unwrap_err().to_string();
        assert_eq!(said, "b is the same drive: it is read-only");
        assert!(verdict(SECTORS, &here, &named("b", "5000c501")).is_ok());
        let namespace = |n: u32| Drive {
            path: format!("n{n}"),
            protocol: Protocol::Nvme { namespace: n },
            ..test_drive(MediaClass::SolidState, 8)
        };
        let (first, second) = (namespace(1), namespace(2));
        assert!(verdict(Scope::Namespace { namespace: 1 }, &first, &second).is_ok());
        assert!(verdict(Scope::WholeUnit, &first, &second).unwrap_err().to_string().contains("same controller"));
    }

    #[test]
    fn of_two_namespaces_the_namespace_is_asked_for_and_of_a_loop_over_a_drive_that_drives_serial() {
        let namespace = |n: u32| Drive {
            path: format!("/dev/nvme0n{n}"),
            protocol: Protocol::Nvme { namespace: n },
            ..test_drive(MediaClass::SolidState, 8)
        };
        let (first, second) = (namespace(1), namespace(2));
        let asked = |scope: Scope, drive: &Drive, other: &Drive| {
            check(scope, &[(drive.clone(), vec![]), (other.clone(), vec![])]).unwrap().label().clone()
        };
        let of_second = asked(Scope::Namespace { namespace: 2 }, &second, &first);
        assert!(of_second.matches("k7q41m/2") && of_second.matches("FM20K7Q41M/2"));
        assert!(!of_second.matches("K7Q41M") && !of_second.matches("K7Q41M/1"), "what fits both names neither");
        assert!(asked(SECTORS, &second, &first).matches("K7Q41M"), "all of them are meant: the controller's serial says so");
        // A loop device has the serial of the drive beneath it, which is not another drive with the same label.
        let over = Drive { path: "/dev/loop0".into(), bus: crate::media::Bus::Loop, ..test_drive(MediaClass::Virtual, 8) };
        let beneath = test_drive(MediaClass::Magnetic, 8);
        for (drive, other) in [(&over, &beneath), (&beneath, &over)] {
            let label = asked(Scope::Sectors(drive.geometry.whole()), drive, other);
            assert!(label.matches("K7Q41M") && !label.matches("8"), "{label:?}");
        }
    }

    #[test]
    fn a_label_that_another_drive_carries_is_not_asked_for() {
        let at = |path: &str, port: &str| Drive {
            path: path.into(),
            attachment: Attachment { port: Some(port.into()), instance: None },
            ..test_drive(MediaClass::RemovableFlash, 8)
        };
        let label = |drive: &Drive, others: &[Drive]| {
            let all: Vec<LookedAt> = [drive.clone()].iter().chain(others).map(|d| (d.clone(), vec![])).collect();
            check(SECTORS, &all).unwrap().label().clone()
        };
        let (a, b) = (at("/dev/sda", "usb 1-1"), at("/dev/sdb", "usb 1-2"));
        assert!(matches!(label(&a, &[]), DriveLabel::SerialEnding { .. }));
        assert_eq!(label(&a, std::slice::from_ref(&b)), DriveLabel::Place("usb 1-1".into()));
        assert!(label(&a, std::slice::from_ref(&b)).matches("usb 1-1") && !label(&a, &[b]).matches("K7Q41M"));
        let nameless = |mut d: Drive, sectors| {
            (d.unit.serial, d.geometry.sectors) = (None, sectors);
            d
        };
        let (c, d, e) = (
            nameless(at("/dev/sdc", "usb 1-3"), 9),
            nameless(at("/dev/sdd", "usb 1-4"), 9),
            nameless(at("/dev/sde", "usb 1-5"), 10),
        );
        assert_eq!(label(&c, &[d, a.clone()]), DriveLabel::Place("usb 1-3".into()));
        assert_eq!(label(&c, &[e, a]), DriveLabel::SectorCount(9));
    }
}
