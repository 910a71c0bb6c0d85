//! What a drive is: identity, class of media, geometry, how it is attached, and what it may hide.

use jurex_pattern::text::printable;
use jurex_pattern::units::{Sectors, grouped, si_size, size};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt;

/// What the drive says it is. Every text has passed [`jurex_pattern::text::printable`].
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Unit {
    /// Maker, where it is told apart from the model.
    pub maker: Option<String>,
    /// Model name or number.
    pub model: Option<String>,
    /// Serial number, whole.
    pub serial: Option<String>,
    /// Firmware revision.
    pub firmware: Option<String>,
    /// Names that are unique in the world, as far as the unit tells any.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub ids: Vec<UnitId>,
}

/// A name that a maker gives to one unit only.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "kind", content = "value")]
pub enum UnitId {
    /// World wide name (ATA words 108-111, SCSI VPD page 83h).
    Wwn(String),
    /// NVMe namespace, 128 bits (NGUID).
    Nguid(String),
    /// NVMe namespace, 64 bits (EUI-64).
    Eui64(String),
    /// NVMe namespace, UUID.
    Uuid(String),
    /// Serial number of the USB device: the stick's, or that of the bridge before the drive.
    UsbSerial(String),
    /// Card identification register of an MMC or SD card.
    CardId(String),
}

impl UnitId {
    /// The name with its kind, in words.
    pub fn sentence(&self) -> String {
        match self {
            UnitId::Wwn(v) => format!("WWN {v}"),
            UnitId::Nguid(v) => format!("NGUID {v}"),
            UnitId::Eui64(v) => format!("EUI-64 {v}"),
            UnitId::Uuid(v) => format!("UUID {v}"),
            UnitId::UsbSerial(v) => format!("USB serial {v}"),
            UnitId::CardId(v) => format!("card id {v}"),
        }
    }

    /// Whether both are of one kind, so that a difference means another unit.
    fn is_same_kind(&self, other: &UnitId) -> bool {
        std::mem::discriminant(self) == std::mem::discriminant(other)
    }

    /// Whether it names the media and no bridge or reader before it.
    fn is_of_the_media(&self) -> bool {
        !matches!(self, UnitId::UsbSerial(_))
    }
}

impl Unit {
    /// The serial number, if the unit tells one.
    pub fn serial(&self) -> Option<&str> {
        self.serial.as_deref().map(str::trim).filter(|s| !s.is_empty())
    }

    /// Whether both may be the same unit: same serial and model, and no unique name of one kind differs.
    pub fn agrees_with(&self, other: &Unit) -> bool {
        let differs = |a: &UnitId| {
            let of_kind: Vec<&UnitId> = other.ids.iter().filter(|b| a.is_same_kind(b)).collect();
            !of_kind.is_empty() && !of_kind.contains(&a)
        };
        self.serial() == other.serial() && self.model == other.model && !self.ids.iter().any(differs)
    }

    /// Whether a name that is unique in the world is the same: one unit, by whatever ways it is reached.
    pub fn is_surely(&self, other: &Unit) -> bool {
        self.ids.iter().any(|id| id.is_of_the_media() && other.ids.contains(id))
    }

    /// Whether a name of the media itself tells this unit from others. The serial number of a USB device may be that of the
    /// dock or bridge, whatever disk stands in it.
    pub fn names_its_media(&self) -> bool {
        let is_usb_serial = |serial: &str| self.ids.contains(&UnitId::UsbSerial(serial.into()));
        self.ids.iter().any(UnitId::is_of_the_media) || self.serial().is_some_and(|s| !is_usb_serial(s))
    }

    /// Whether anything tells this unit from others of its model.
    pub fn is_named(&self) -> bool {
        self.serial().is_some() || !self.ids.is_empty()
    }

    /// Maker and model as one name; `None` where the drive says neither.
    pub fn name(&self) -> Option<String> {
        let parts: Vec<&str> = [&self.maker, &self.model].into_iter().flatten().map(String::as_str).collect();
        (!parts.is_empty()).then(|| parts.join(" "))
    }
}

/// How the bytes are kept, which decides what an overwrite can earn (SP 800-88 Rev. 1, Appendix A).
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema)]
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
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema)]
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

impl Bus {
    /// Every bus.
    pub const ALL: [Bus; 9] =
        [Bus::Sata, Bus::Sas, Bus::Nvme, Bus::Usb, Bus::Mmc, Bus::Virtio, Bus::Loop, Bus::File, Bus::Unknown];

    /// Its name in the configuration.
    pub fn word(self) -> &'static str {
        match self {
            Bus::Sata => "sata",
            Bus::Sas => "scsi",
            Bus::Nvme => "nvme",
            Bus::Usb => "usb",
            Bus::Mmc => "mmc",
            Bus::Virtio => "virtio",
            Bus::Loop => "loop",
            Bus::File => "file",
            Bus::Unknown => "unknown",
        }
    }

    /// What a drive on this bus is spoken to in, before it was asked.
    pub fn protocol(self) -> Protocol {
        match self {
            Bus::Sata => Protocol::Ata,
            Bus::Sas | Bus::Usb => Protocol::Scsi,
            Bus::Nvme => Protocol::Nvme { namespace: 1 },
            Bus::Mmc => Protocol::Mmc,
            Bus::Virtio | Bus::Loop | Bus::File | Bus::Unknown => Protocol::Block,
        }
    }
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

/// The language that the drive itself is spoken to in, whatever lies between.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "speaks")]
pub enum Protocol {
    /// ATA commands: it has answered IDENTIFY DEVICE, or is attached by SATA.
    Ata,
    /// SCSI commands.
    Scsi,
    /// NVM Express; the drive is this namespace of its controller.
    Nvme {
        /// Number of the namespace.
        namespace: u32,
    },
    /// MMC or SD commands.
    Mmc,
    /// Reads and writes of blocks only.
    Block,
}

/// What a treatment reaches.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "scope")]
pub enum Scope {
    /// These sectors of the drive.
    Sectors(Sectors),
    /// One namespace of an NVMe controller.
    Namespace {
        /// Its number.
        namespace: u32,
    },
    /// The unit with everything on it: SANITIZE reaches every namespace of its controller.
    WholeUnit,
}

/// Which attachment of a drive this is: pulled and put back, or swapped for its twin, it is another.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Attachment {
    /// Names this very attachment (or this very file): the system gives each its own. `None` where it gives none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub instance: Option<String>,
    /// Where it is plugged in, as the system names the place.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub port: Option<String>,
}

/// Sizes that stay fixed while a medium is open.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Geometry {
    /// Bytes of one addressable sector: a power of two, at least 512.
    pub logical: u32,
    /// Bytes that the media writes at once: a multiple of `logical`.
    pub physical: u32,
    /// Number of addressable sectors.
    #[serde(with = "jurex_pattern::text::u64_string")]
    #[schemars(with = "jurex_pattern::text::Decimal")]
    pub sectors: u64,
}

impl Geometry {
    /// Whether it is the same number of sectors of the same size. The physical size is a hint, which a system may learn late.
    pub fn is_as_large_as(self, other: Self) -> bool {
        (self.sectors, self.logical) == (other.sectors, other.logical)
    }

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
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "state")]
pub enum HiddenAreas {
    /// The drive was asked and hides none, or has no command that could hide any.
    None,
    /// The drive was not or could not be asked.
    NotAsked,
    /// So many sectors were hidden and stayed so.
    Hidden {
        /// Number of hidden sectors.
        #[serde(with = "jurex_pattern::text::u64_string")]
        #[schemars(with = "jurex_pattern::text::Decimal")]
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

/// Storage of a unit beside the sectors of this drive.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Elsewhere {
    /// What it is, as the start of a sentence: `Namespace 2 (8.00 GB)`.
    pub what: String,
    /// Whether it holds what users wrote, or may: then the unit is not sanitized without it.
    pub user_data: bool,
    /// Whether no address reaches it, so that nobody can read it back: capacity of a namespace that was deleted.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub no_address: bool,
}

/// Everything about a drive that a plan and a record rest on.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Drive {
    /// How Jurex reaches it: device path, file path, or `sim:BAY`. Foreign text: [`Drive::shown_path`] is for people.
    pub path: String,
    /// The same for the system, where the path is not UTF-8.
    #[serde(skip)]
    pub odd_path: Option<std::path::PathBuf>,
    /// What it says it is.
    pub unit: Unit,
    /// Class of media.
    pub class: MediaClass,
    /// How Jurex knows the class, as the end of the sentence "… because".
    pub class_basis: String,
    /// How it is attached.
    pub bus: Bus,
    /// What it is spoken to in.
    pub protocol: Protocol,
    /// Which attachment this is.
    #[serde(default)]
    pub attachment: Attachment,
    /// Sector sizes and capacity.
    pub geometry: Geometry,
    /// Sectors outside the addressable range.
    pub hidden: HiddenAreas,
    /// What was asked to know that, as the standards name it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub hidden_asked: Vec<String>,
    /// Storage of the same unit that no sector address of this drive reaches, each in words: boot areas, other
    /// namespaces, capacity that belongs to none.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub elsewhere: Vec<Elsewhere>,
    /// Whether it is a zoned drive whose zones the host must write in order.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub zoned_by_host: bool,
    /// Whether a bridge stands between Jurex and the drive's own interface.
    pub bridged: bool,
    /// Whether the drive is simulated.
    pub simulated: bool,
}

impl Drive {
    /// The path as the system takes it.
    pub fn file_path(&self) -> &std::path::Path {
        self.odd_path.as_deref().unwrap_or(std::path::Path::new(&self.path))
    }

    /// The path as people may see it: nothing in it can move a cursor or reorder text.
    pub fn shown_path(&self) -> String {
        printable(self.path.as_bytes())
    }

    /// Maker and model, else the bus and path.
    pub fn name(&self) -> String {
        self.unit.name().unwrap_or_else(|| match self.bus {
            Bus::File | Bus::Loop => format!("{} {}", self.bus, self.shown_path()),
            _ => format!("drive at {}", self.shown_path()),
        })
    }

    /// Name and path: what an error sentence calls the drive.
    pub fn called(&self) -> String {
        match self.unit.name() {
            Some(name) => format!("{name} at {}", self.shown_path()),
            None => self.name(),
        }
    }

    /// Capacity in SI units with the binary size in brackets.
    pub fn size(&self) -> String {
        size(self.geometry.bytes())
    }

    /// The size as it is printed on the drive: what it hides is part of it.
    pub fn label_size(&self) -> String {
        let hidden = if let HiddenAreas::Hidden { sectors } = self.hidden { sectors } else { 0 };
        size(self.geometry.bytes_of(self.geometry.sectors.saturating_add(hidden)))
    }

    /// The same, with what is visible now beside it where that is less.
    pub fn label_size_said(&self) -> String {
        match self.hidden {
            HiddenAreas::Hidden { .. } => format!("{}; visible now {}", self.label_size(), si_size(self.geometry.bytes())),
            HiddenAreas::None | HiddenAreas::NotAsked => self.label_size(),
        }
    }

    /// What the person must read from the drive and type, if nothing else on the bench carries the same.
    pub fn label(&self) -> DriveLabel {
        match self.unit.serial() {
            Some(serial) => DriveLabel::of_serial(serial),
            None => DriveLabel::SectorCount(self.geometry.sectors),
        }
    }

    /// What the person must type to mean `scope` of it, with these other drives on the bench: the label, unless another drive would take
    /// the same text; then the place where it is attached, which no other has. Of several namespaces of one controller, which carry one
    /// label, the namespace too, unless all of them are meant.
    pub fn label_among<'d>(&self, scope: Scope, others: impl IntoIterator<Item = &'d Drive>) -> DriveLabel {
        let label = self.label();
        let shares = |other: &&Drive| {
            let is_another = other.path != self.path && !self.is_other_path_of(other) && !self.lies_over(other);
            is_another && label.accepted().iter().any(|text| other.label().matches(text))
        };
        let alike: Vec<&Drive> = others.into_iter().filter(shares).collect();
        match (label, self.protocol) {
            (label, _) if alike.is_empty() => label,
            (DriveLabel::SerialEnding { start, ending }, Protocol::Nvme { namespace })
                if alike.iter().all(|o| self.is_beside(o)) =>
            {
                if scope == Scope::WholeUnit {
                    DriveLabel::SerialEnding { start, ending }
                } else {
                    DriveLabel::Namespace { start, ending, namespace }
                }
            }
            _ => DriveLabel::Place(self.place()),
        }
    }

    /// Whether one of both is a loop device over the other: it has no serial but that of the drive that it lies on.
    fn lies_over(&self, other: &Drive) -> bool {
        let is_loop = self.bus == Bus::Loop || other.bus == Bus::Loop;
        is_loop && self.unit.serial().is_some() && self.unit.serial() == other.unit.serial()
    }

    /// Whether both are namespaces of one controller.
    pub fn is_beside(&self, other: &Drive) -> bool {
        let same_controller =
            self.unit.serial().is_some() && self.unit.serial() == other.unit.serial() && self.unit.model == other.unit.model;
        let (Protocol::Nvme { namespace: own }, Protocol::Nvme { namespace }) = (self.protocol, other.protocol) else {
            return false;
        };
        own != namespace && same_controller
    }

    /// Where it is attached: the port, else the path.
    fn place(&self) -> String {
        self.attachment.port.clone().unwrap_or_else(|| self.shown_path())
    }

    /// Whether `other` is the same drive, reached by another path.
    pub fn is_other_path_of(&self, other: &Drive) -> bool {
        self.path != other.path
            && self.geometry == other.geometry
            && self.protocol == other.protocol
            && self.unit.is_surely(&other.unit)
    }

    /// Whether `other` is the same drive in the same attachment: same unit and capacity, at the same path, not pulled and
    /// put back meanwhile.
    pub fn same_as(&self, other: &Drive) -> bool {
        let swapped = matches!((&self.attachment.instance, &other.attachment.instance), (Some(a), Some(b)) if a != b);
        self.is_same_unit(other) && self.path == other.path && !swapped
    }

    /// Whether `other` has the same serial (where there is one), model and capacity, and no other unique name, wherever
    /// it is attached.
    pub fn is_same_unit(&self, other: &Drive) -> bool {
        self.unit.agrees_with(&other.unit) && self.geometry.is_as_large_as(other.geometry) && self.protocol == other.protocol
    }

    /// Other storage of the unit that holds user data.
    pub fn other_user_data(&self) -> impl Iterator<Item = &Elsewhere> {
        self.elsewhere.iter().filter(|e| e.user_data)
    }

    /// What `other`, another namespace of the same unit, is called in the list of storage [`Drive::elsewhere`].
    pub fn namespace_called(&self, other: &Drive) -> Option<String> {
        let Protocol::Nvme { namespace } = other.protocol else { return None };
        let name = format!("Namespace {namespace}");
        let is_it = |what: &str| what.strip_prefix(&name).is_some_and(|rest| rest.is_empty() || rest.starts_with(' '));
        self.elsewhere.iter().find(|e| is_it(&e.what)).map(|e| e.what.clone())
    }

    /// Whether this is for certain the same object in the same attachment as `other`.
    pub fn is_same_attachment(&self, other: &Drive) -> bool {
        self.attachment.instance.is_some()
            && self.attachment.instance == other.attachment.instance
            && self.geometry.is_as_large_as(other.geometry)
    }

    /// What is known of hidden sectors, in one sentence: only what was asked is said not to be.
    pub fn hidden_sentence(&self) -> String {
        match (&self.hidden, self.hidden_asked.as_slice()) {
            (HiddenAreas::None, []) => "It has no command that could hide sectors from the host.".into(),
            (HiddenAreas::None, asked) => format!("No sector is hidden from the host (asked: {}).", asked.join(", ")),
            (hidden, _) => hidden.sentence(),
        }
    }
}

/// What tells this drive from every other on the bench.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum DriveLabel {
    /// The serial number, cut before its last six characters (all of it, if it has no more).
    SerialEnding {
        /// What may be shown.
        start: String,
        /// What the person must supply.
        ending: String,
    },
    /// The same of one of several namespaces that the controller has: its number as well.
    Namespace {
        /// What may be shown.
        start: String,
        /// What the person must supply, before a slash and the namespace's number.
        ending: String,
        /// The namespace.
        namespace: u32,
    },
    /// The drive tells no serial: its exact number of sectors.
    SectorCount(u64),
    /// Another drive on the bench carries the same label: the place where this one is attached.
    Place(String),
}

impl DriveLabel {
    /// Of a drive that is known by its serial.
    pub fn of_serial(serial: &str) -> Self {
        let chars: Vec<char> = serial.chars().collect();
        let cut = chars.len().saturating_sub(6);
        DriveLabel::SerialEnding { start: chars[..cut].iter().collect(), ending: chars[cut..].iter().collect() }
    }

    /// What to type, in words.
    pub fn asks_for(&self) -> String {
        match self {
            DriveLabel::SerialEnding { ending, .. } => {
                format!("the last {} characters of the serial number", ending.chars().count())
            }
            DriveLabel::Namespace { ending, .. } => format!(
                "the last {} characters of the serial number, a slash and the number of the namespace",
                ending.chars().count()
            ),
            DriveLabel::SectorCount(_) => "the exact number of sectors (the drive tells no serial number)".into(),
            DriveLabel::Place(place) => format!(
                "the place where it is attached ({place}), since another drive here carries the same label: find it by its light"
            ),
        }
    }

    /// Every text that is right.
    fn accepted(&self) -> Vec<String> {
        match self {
            DriveLabel::SerialEnding { start, ending } => vec![ending.clone(), format!("{start}{ending}")],
            DriveLabel::Namespace { start, ending, namespace } => {
                vec![format!("{ending}/{namespace}"), format!("{start}{ending}/{namespace}")]
            }
            DriveLabel::SectorCount(sectors) => vec![sectors.to_string()],
            DriveLabel::Place(place) => vec![place.clone()],
        }
    }

    /// The least that has to be typed.
    pub fn text(&self) -> String {
        self.accepted().swap_remove(0)
    }

    /// Whether `typed` is the asked-for text, or the whole serial as a scanner reads it. Letter case is ignored.
    pub fn matches(&self, typed: &str) -> bool {
        let typed = typed.trim();
        !typed.is_empty() && self.accepted().iter().any(|right| typed.eq_ignore_ascii_case(right))
    }
}

impl Drive {
    /// A drive of which nothing is known but these; whoever finds out more fills it in.
    pub fn bare(
        path: impl Into<String>,
        bus: Bus,
        class: MediaClass,
        class_basis: impl Into<String>,
        geometry: Geometry,
    ) -> Self {
        Self {
            path: path.into(),
            odd_path: None,
            unit: Unit::default(),
            class,
            class_basis: class_basis.into(),
            bus,
            protocol: bus.protocol(),
            attachment: Attachment::default(),
            geometry,
            hidden: HiddenAreas::None,
            hidden_asked: vec![],
            elsewhere: vec![],
            zoned_by_host: false,
            bridged: false,
            simulated: false,
        }
    }
}

/// Whether two serials are of one drive: blanks around them and the size of letters tell nothing.
pub fn same_serial(a: &str, b: &str) -> bool {
    let a = a.trim();
    !a.is_empty() && a.eq_ignore_ascii_case(b.trim())
}

/// By what a serial is found among many: alike of two exactly where [`same_serial`] says that they are of one drive; `None`: it is none.
pub fn serial_key(serial: &str) -> Option<String> {
    Some(serial.trim().to_ascii_uppercase()).filter(|key| !key.is_empty())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::test_drive;

    #[test]
    fn the_label_takes_the_ending_or_the_whole_serial_and_nothing_else() {
        let label = test_drive(MediaClass::Magnetic, 8).label();
        assert_eq!(label, DriveLabel::SerialEnding { start: "FM20".into(), ending: "K7Q41M".into() });
        assert!([" k7q41m ", "K7Q41M", "FM20K7Q41M"].iter().all(|t| label.matches(t)));
        assert!(["", " ", "7Q41M", "20K7Q41M", "K7Q41N"].iter().all(|t| !label.matches(t)));
    }

    #[test]
    fn a_docks_serial_does_not_name_the_disk_that_stands_in_it() {
        let mut unit = test_drive(MediaClass::Magnetic, 8).unit;
        assert!(unit.names_its_media());
        (unit.serial, unit.ids) = (Some("DOCK0417".into()), vec![UnitId::UsbSerial("DOCK0417".into())]);
        assert!(unit.is_named() && !unit.names_its_media());
        unit.ids.push(UnitId::Wwn("5000c500a1b2c3d4".into()));
        assert!(unit.names_its_media());
    }

    #[test]
    fn without_a_serial_the_sector_count_is_asked_exactly() {
        let mut drive = test_drive(MediaClass::Virtual, 2048);
        drive.unit.serial = Some("  ".into());
        assert_eq!(drive.label(), DriveLabel::SectorCount(2048));
        assert!(drive.label().matches("2048") && !drive.label().matches("02048") && !drive.label().matches("1"));
    }
}
