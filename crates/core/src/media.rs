//! What a drive is: identity, class of media, geometry, how it is attached, and what it may hide.

use crate::units::{Sectors, grouped, size};
use serde::{Deserialize, Serialize};
use std::fmt;

/// What the drive says it is. Every text has passed [`crate::text::printable`].
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Identity {
    /// Maker, where it is told apart from the model.
    pub maker: Option<String>,
    /// Model name or number.
    pub model: Option<String>,
    /// Serial number, whole.
    pub serial: Option<String>,
    /// Firmware revision.
    pub firmware: Option<String>,
}

impl Identity {
    /// Maker and model as one name; `None` where the drive says neither.
    pub fn name(&self) -> Option<String> {
        let parts: Vec<&str> = [&self.maker, &self.model].into_iter().flatten().map(String::as_str).collect();
        (!parts.is_empty()).then(|| parts.join(" "))
    }
}

/// How the bytes are kept, which decides what an overwrite can earn (SP 800-88 Rev. 1, Appendix A).
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum MediaClass {
    /// Spinning platters.
    Magnetic,
    /// Solid state drive.
    SolidState,
    /// USB stick or memory card.
    RemovableFlash,
    /// Flash soldered in, MMC interface.
    EmbeddedFlash,
    /// Image file, loop device or a virtual machine's drive.
    Virtual,
    /// Optical media: never overwritten by Jurex.
    Optical,
    /// Not known: judged by the strictest row.
    Unknown,
}

impl fmt::Display for MediaClass {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            MediaClass::Magnetic => "magnetic",
            MediaClass::SolidState => "solid state",
            MediaClass::RemovableFlash => "removable flash",
            MediaClass::EmbeddedFlash => "embedded flash",
            MediaClass::Virtual => "virtual",
            MediaClass::Optical => "optical",
            MediaClass::Unknown => "unknown",
        })
    }
}

/// The way to the drive.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Bus {
    /// Serial or parallel ATA.
    Sata,
    /// SCSI or SAS.
    Sas,
    /// NVM Express.
    Nvme,
    /// USB: a stick, a reader, or a bridge with a drive behind it.
    Usb,
    /// MMC or SD.
    Mmc,
    /// A virtual machine's own bus.
    Virtio,
    /// A loop device over a file.
    Loop,
    /// A regular file.
    File,
    /// Not known.
    Unknown,
}

impl fmt::Display for Bus {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Bus::Sata => "SATA",
            Bus::Sas => "SCSI",
            Bus::Nvme => "NVMe",
            Bus::Usb => "USB",
            Bus::Mmc => "SD/MMC",
            Bus::Virtio => "virtio",
            Bus::Loop => "loop device",
            Bus::File => "image file",
            Bus::Unknown => "unknown bus",
        })
    }
}

/// Sizes that stay fixed while a medium is open.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Geometry {
    /// Bytes of one addressable sector: a power of two, at least 512.
    pub logical: u32,
    /// Bytes that the media writes at once: a multiple of `logical`.
    pub physical: u32,
    /// Number of addressable sectors.
    #[serde(with = "crate::text::u64_string")]
    pub sectors: u64,
}

impl Geometry {
    /// Capacity in bytes.
    pub fn bytes(&self) -> u64 {
        self.sectors.saturating_mul(self.logical.into())
    }

    /// Every addressable sector.
    pub fn whole(&self) -> Sectors {
        Sectors::new(0, self.sectors)
    }

    /// Bytes in `count` sectors.
    pub fn bytes_of(&self, count: u64) -> u64 {
        count.saturating_mul(self.logical.into())
    }

    /// Logical sectors in one physical sector, at least 1.
    pub fn unit(&self) -> u64 {
        u64::from((self.physical / self.logical.max(1)).max(1))
    }

    /// How the trade names this pair of sizes, with the bytes: `512 B sectors on 4096 B (512e)`.
    pub fn sector_sizes(&self) -> String {
        match (self.logical, self.physical) {
            (512, 512) => "512 B sectors (512n)".into(),
            (512, 4096) => "512 B sectors on 4096 B (512e)".into(),
            (4096, 4096) => "4096 B sectors (4Kn)".into(),
            (l, p) if l == p => format!("{l} B sectors"),
            (l, p) => format!("{l} B sectors on {p} B"),
        }
    }
}

/// Sectors that a drive may keep outside its addressable range (host protected area, configuration overlay).
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "state")]
pub enum HiddenAreas {
    /// The drive was asked and hides none, or has no command that could hide any.
    None,
    /// The drive was not or could not be asked.
    NotAsked,
    /// So many sectors were hidden and stayed so.
    Hidden {
        /// Number of hidden sectors.
        #[serde(with = "crate::text::u64_string")]
        sectors: u64,
    },
}

impl HiddenAreas {
    /// What is known, in one sentence.
    pub fn sentence(&self) -> String {
        match self {
            HiddenAreas::None => "No sector is hidden from the host.".into(),
            HiddenAreas::NotAsked => "The drive was not asked whether it hides sectors.".into(),
            HiddenAreas::Hidden { sectors } => format!("The drive hides {} sectors from the host.", grouped(*sectors)),
        }
    }
}

/// Everything about a drive that a plan and a record rest on.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Drive {
    /// How Jurex reaches it: device path, file path, or `sim:BAY`.
    pub path: String,
    /// What it says it is.
    pub identity: Identity,
    /// Class of media.
    pub class: MediaClass,
    /// How Jurex knows the class, as the end of the sentence "… because".
    pub class_basis: String,
    /// How it is attached.
    pub bus: Bus,
    /// Sector sizes and capacity.
    pub geometry: Geometry,
    /// Sectors outside the addressable range.
    pub hidden: HiddenAreas,
    /// Whether a bridge stands between Jurex and the drive's own interface.
    pub bridged: bool,
    /// Whether the drive is simulated.
    pub simulated: bool,
}

impl Drive {
    /// Maker and model, else the bus and path.
    pub fn name(&self) -> String {
        self.identity.name().unwrap_or_else(|| match self.bus {
            Bus::File | Bus::Loop => format!("{} {}", self.bus, self.path),
            _ => format!("drive at {}", self.path),
        })
    }

    /// Name and path: what an error sentence calls the drive.
    pub fn called(&self) -> String {
        match self.identity.name() {
            Some(name) => format!("{name} at {}", self.path),
            None => self.name(),
        }
    }

    /// Capacity in SI units with the binary size in brackets.
    pub fn size(&self) -> String {
        size(self.geometry.bytes())
    }

    /// What the person must read from the drive and type.
    pub fn label(&self) -> Label {
        match self.identity.serial.as_deref().map(str::trim).filter(|s| !s.is_empty()) {
            Some(serial) => {
                let chars: Vec<char> = serial.chars().collect();
                let cut = chars.len().saturating_sub(6);
                Label::SerialEnding { start: chars[..cut].iter().collect(), ending: chars[cut..].iter().collect() }
            }
            None => Label::SectorCount(self.geometry.sectors),
        }
    }

    /// Whether `other` is the same drive: same serial (where there is one), model, capacity and path.
    pub fn same_as(&self, other: &Drive) -> bool {
        self.is_same_unit(other) && self.path == other.path
    }

    /// Whether `other` has the same serial (where there is one), model and capacity, wherever it is attached.
    pub fn is_same_unit(&self, other: &Drive) -> bool {
        self.identity.serial == other.identity.serial
            && self.identity.model == other.identity.model
            && self.geometry == other.geometry
    }
}

/// What tells this drive from every other on the bench.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Label {
    /// The serial number, cut before its last six characters (all of it, if it has no more).
    SerialEnding {
        /// What may be shown.
        start: String,
        /// What the person must supply.
        ending: String,
    },
    /// The drive tells no serial: its exact number of sectors.
    SectorCount(u64),
}

impl Label {
    /// What to type, in words.
    pub fn asks_for(&self) -> String {
        match self {
            Label::SerialEnding { ending, .. } => {
                format!("the last {} characters of the serial number", ending.chars().count())
            }
            Label::SectorCount(_) => "the exact number of sectors (the drive tells no serial number)".into(),
        }
    }

    /// Whether `typed` is the asked-for text, or the whole serial as a scanner reads it. Letter case is ignored.
    pub fn matches(&self, typed: &str) -> bool {
        let typed = typed.trim();
        match self {
            Label::SerialEnding { start, ending } => {
                !typed.is_empty()
                    && (typed.eq_ignore_ascii_case(ending) || typed.eq_ignore_ascii_case(&format!("{start}{ending}")))
            }
            Label::SectorCount(sectors) => typed == sectors.to_string(),
        }
    }
}

#[cfg(test)]
pub(crate) fn test_drive(class: MediaClass, sectors: u64) -> Drive {
    Drive {
        path: "test".into(),
        identity: Identity { serial: Some("FM20K7Q41M".into()), model: Some("Meridian".into()), ..Identity::default() },
        class,
        class_basis: "the test says so".into(),
        bus: Bus::Sata,
        geometry: Geometry { logical: 512, physical: 512, sectors },
        hidden: HiddenAreas::None,
        bridged: false,
        simulated: true,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_label_takes_the_ending_or_the_whole_serial_and_nothing_else() {
        let label = test_drive(MediaClass::Magnetic, 8).label();
        assert_eq!(label, Label::SerialEnding { start: "FM20".into(), ending: "K7Q41M".into() });
        assert!([" k7q41m ", "K7Q41M", "FM20K7Q41M"].iter().all(|t| label.matches(t)));
        assert!(["", " ", "7Q41M", "20K7Q41M", "K7Q41N"].iter().all(|t| !label.matches(t)));
    }

    #[test]
    fn without_a_serial_the_sector_count_is_asked_exactly() {
        let mut drive = test_drive(MediaClass::Virtual, 2048);
        drive.identity.serial = Some("  ".into());
        assert_eq!(drive.label(), Label::SectorCount(2048));
        assert!(drive.label().matches("2048") && !drive.label().matches("02048") && !drive.label().matches("1"));
    }
}
