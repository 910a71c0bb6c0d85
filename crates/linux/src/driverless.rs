//! Storage controllers that no driver has taken: their drives can't be seen, and nobody would miss them.

use crate::sysfs::{entries, name, text};
use crate::system::System;
use std::path::Path;

/// A storage controller without a driver.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Undriven {
    /// Where it is on its bus, as `0000:03:00.0`.
    pub address: String,
    /// Maker and model in the numbers of PCI, as `1000:0097`.
    pub id: String,
    /// What kind of controller it is.
    pub kind: &'static str,
}

impl Undriven {
    /// What it means for a person, in a sentence.
    pub fn sentence(&self) -> String {
        format!(
            "The {} at {} (PCI {}) has no driver here: drives behind it can't be seen, and are not erased. Attach them elsewhere, or start a system \
             that has one.",
            self.kind, self.address, self.id
        )
    }
}

/// What a PCI class code (class, subclass; PCI Code and ID Assignment, 1.2) is, if it is storage.
fn kind(class: u32) -> Option<&'static str> {
    Some(match (class >> 16, class >> 8 & 0xff) {
        (0x01, 0x00) => "SCSI controller",
        (0x01, 0x01) => "IDE controller",
        (0x01, 0x04) => "RAID controller",
        (0x01, 0x05) => "ATA controller",
        (0x01, 0x06) => "SATA controller",
        (0x01, 0x07) => "SAS controller",
        (0x01, 0x08) => "NVMe controller",
        (0x01, _) => "storage controller",
        (0x08, 0x05) => "SD controller",
        (0x0c, 0x03) => "USB controller",
        _ => return None,
    })
}

fn undriven(dir: &Path) -> Option<Undriven> {
    let number = |attribute: &str| u32::from_str_radix(text(dir, attribute)?.trim_start_matches("0x"), 16).ok();
    let kind = kind(number("class")?)?;
    if dir.join("driver").exists() {
        return None;
    }
    let id = format!("{:04x}:{:04x}", number("vendor")?, number("device")?);
    Some(Undriven { address: name(dir), id, kind })
}

impl System {
    /// Every storage controller on PCI that no driver has taken.
    pub fn undriven(&self) -> Vec<Undriven> {
        entries(&self.sys.join("bus/pci/devices")).iter().filter_map(|dir| undriven(dir)).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_storage_controller_without_a_driver_is_named_and_nothing_else() {
        let sys = tempfile::tempdir().unwrap();
        let device = |address: &str, class: &str, driver: bool| {
            let dir = sys.path().join("bus/pci/devices").join(address);
            std::fs::create_dir_all(&dir).unwrap();
            for (name, text) in [("class", class), ("vendor", "0x1000"), ("device", "0x0097")] {
                std::fs::write(dir.join(name), format!("{text}\n")).unwrap();
            }
            if driver {
                std::fs::create_dir(dir.join("driver")).unwrap();
            }
        };
        device("0000:00:02.0", "0x030000", false);
        device("0000:00:1f.2", "0x010601", true);
        device("0000:03:00.0", "0x010700", false);
        let system = System::at(sys.path().into(), "/proc".into());
        let found = system.undriven();
        assert_eq!(found, [Undriven { address: "0000:03:00.0".into(), id: "1000:0097".into(), kind: "SAS controller" }]);
        assert!(found[0].sentence().contains("SAS controller at 0000:03:00.0 (PCI 1000:0097)"));
    }
}
