//! May this drive be erased at all? Facts in, a verdict out; a refusal names the thing that stands in the way.

use crate::media::{Drive, MediaClass};
use serde::Serialize;
use std::fmt;

/// Something that keeps a drive from being erased.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "hindrance")]
pub enum Hindrance {
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
    /// Another Jurex works on it.
    JobRunning,
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

impl fmt::Display for Hindrance {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Hindrance::System { mount } => write!(f, "the running system lives on it ({mount})"),
            Hindrance::Mounted { device, mount } => write!(f, "{device} is mounted at {mount}"),
            Hindrance::Swap { device } => write!(f, "{device} is in use as swap"),
            Hindrance::Holder { device, holder } => write!(f, "{holder} is built on {device}"),
            Hindrance::AttachedAs { device } => write!(f, "{device} is attached to this file"),
            Hindrance::HeldOpen => f.write_str("another program holds it open for itself"),
            Hindrance::JobRunning => f.write_str("another Jurex is working on it"),
            Hindrance::ReadOnly => f.write_str("it is read-only"),
            Hindrance::NoSectors => f.write_str("it has no sector"),
            Hindrance::Optical => f.write_str("it is an optical drive; destroy the disc instead"),
            Hindrance::NoAnswer => f.write_str("it has not answered yet"),
            Hindrance::NotListed => f.write_str("the configuration's `only` list does not name it"),
            Hindrance::NotADrive { what } => write!(f, "it is {what}, not a whole drive"),
        }
    }
}

/// A refusal: every hindrance found. There is no way around it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, thiserror::Error)]
#[error("{}", .hindrances.iter().map(Hindrance::to_string).collect::<Vec<_>>().join("; "))]
pub struct Refusal {
    /// At least one.
    pub hindrances: Vec<Hindrance>,
}

/// Proof that the guard lets this drive through. Only [`check`] makes one.
#[derive(Clone, Debug)]
pub struct Cleared {
    drive: Drive,
}

impl Cleared {
    /// The drive that may be erased.
    pub fn drive(&self) -> &Drive {
        &self.drive
    }
}

/// The guard's verdict on `drive`, of which `hindrances` were found by looking at the system.
///
/// # Errors
/// Every hindrance: those found, and those that follow from the drive itself.
pub fn check(drive: &Drive, hindrances: &[Hindrance]) -> Result<Cleared, Refusal> {
    let mut all = hindrances.to_vec();
    if drive.geometry.sectors == 0 && !all.contains(&Hindrance::NoSectors) {
        all.push(Hindrance::NoSectors);
    }
    if drive.class == MediaClass::Optical && !all.contains(&Hindrance::Optical) {
        all.push(Hindrance::Optical);
    }
    match all.is_empty() {
        true => Ok(Cleared { drive: drive.clone() }),
        false => Err(Refusal { hindrances: all }),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::media::test_drive;

    #[test]
    fn any_hindrance_refuses_and_is_named() {
        let drive = test_drive(MediaClass::Magnetic, 8);
        assert!(check(&drive, &[]).is_ok());
        let swap = Hindrance::Swap { device: "/dev/sdq2".into() };
        let refusal = check(&drive, &[swap, Hindrance::ReadOnly]).unwrap_err();
        assert_eq!(refusal.to_string(), "/dev/sdq2 is in use as swap; it is read-only");
    }

    #[test]
    fn what_the_drive_is_refuses_even_when_the_system_found_nothing() {
        assert!(check(&test_drive(MediaClass::Magnetic, 0), &[]).is_err());
        assert!(check(&test_drive(MediaClass::Optical, 8), &[]).is_err());
    }
}
