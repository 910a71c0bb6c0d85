//! What tells one drive from another: unique names, the attachment, and the place where it is plugged in.

use crate::sysfs::text;
use jurex_device::media::UnitId;
use std::path::Path;

/// The unique names that the system knows of a block device. `real` is its folder with every link followed.
pub(crate) fn ids(dir: &Path, real: &Path) -> Vec<UnitId> {
    let device = dir.join("device");
    let not_zero = |id: &String| id.chars().any(|c| c.is_ascii_hexdigit() && c != '0');
    // Names of the form "t10." are only vendor, model and serial once more.
    let wwid = text(&device, "wwid").or_else(|| text(dir, "wwid"));
    let wwn = wwid.and_then(|w| w.strip_prefix("naa.").map(str::to_lowercase)).filter(not_zero);
    let hex = |name: &str| text(dir, name).map(|t| t.replace([' ', '-'], "").to_lowercase()).filter(not_zero);
    [
        wwn.map(UnitId::Wwn),
        hex("nguid").map(UnitId::Nguid),
        hex("eui").map(UnitId::Eui64),
        hex("uuid").map(UnitId::Uuid),
        text(&device, "cid").map(UnitId::CardId),
        usb_serial(real).map(UnitId::UsbSerial),
    ]
    .into_iter()
    .flatten()
    .collect()
}

/// The USB device's own serial number (its iSerial string), where it has one that means something.
pub(crate) fn usb_serial(real: &Path) -> Option<String> {
    let usb = real.ancestors().find(|a| a.join("idVendor").exists())?;
    let serial = text(usb, "serial")?;
    let first = serial.chars().next()?;
    let means_something = serial.chars().count() >= 4 && serial.chars().any(|c| c != first);
    means_something.then_some(serial)
}

/// Names this very attachment: the system's boot and the number that the kernel gave the disk when it came.
pub(crate) fn attachment(dir: &Path, proc: &Path) -> Option<String> {
    let boot = text(&proc.join("sys/kernel/random"), "boot_id")?;
    Some(format!("boot {boot} disk {}", text(dir, "diskseq")?))
}

/// The place where a drive is plugged in, as people may find it: `usb 1-2.4`, `ata3`, `scsi 0:0:1:0`, `pci 0000:01:00.0`.
pub(crate) fn port(real: &Path) -> Option<String> {
    let parts: Vec<&str> = real.iter().filter_map(|p| p.to_str()).collect();
    let digits = |text: &str| !text.is_empty() && text.chars().all(|c| c.is_ascii_digit());
    let is_usb =
        |p: &&&str| p.split_once('-').is_some_and(|(bus, way)| digits(bus) && !way.is_empty() && way.split('.').all(digits));
    if let Some(usb) = parts.iter().rev().find(is_usb) {
        return Some(format!("usb {usb}"));
    }
    if let Some(ata) = parts.iter().find(|p| p.strip_prefix("ata").is_some_and(digits)) {
        return Some((*ata).into());
    }
    if let Some(scsi) = parts.iter().rev().find(|p| p.split(':').count() == 4 && p.split(':').all(digits)) {
        return Some(format!("scsi {scsi}"));
    }
    let is_pci = |p: &&&str| p.len() == 12 && p.as_bytes().get(4) == Some(&b':') && p.as_bytes().get(10) == Some(&b'.');
    parts.iter().rev().find(is_pci).map(|pci| format!("pci {pci}"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fs;

    #[test]
    fn places_are_named_as_people_may_find_them() {
        let named = |path: &str| port(Path::new(path));
        assert_eq!(
            named("/sys/devices/pci0000:00/0000:00:14.0/usb1/1-2/1-2.4/1-2.4:1.0/host6/target6:0:0/6:0:0:0/block/sdb").as_deref(),
            Some("usb 1-2.4")
        );
        assert_eq!(
            named("/sys/devices/pci0000:00/0000:00:17.0/ata3/host2/target2:0:0/2:0:0:0/block/sda").as_deref(),
            Some("ata3")
        );
        assert_eq!(
            named("/sys/devices/pci0000:00/0000:01:00.0/host0/target0:0:1/0:0:1:0/block/sdc").as_deref(),
            Some("scsi 0:0:1:0")
        );
        assert_eq!(named("/sys/devices/pci0000:00/0000:02:00.0/nvme/nvme0/nvme0n1").as_deref(), Some("pci 0000:02:00.0"));
        assert_eq!(named("/sys/devices/virtual/block/loop0"), None);
    }

    #[test]
    fn a_sticks_own_serial_names_it_and_a_row_of_zeros_does_not() {
        let root = tempfile::tempdir().unwrap();
        let stick = root.path().join("usb1/1-2");
        let block = stick.join("1-2:1.0/host0/block/sdb");
        fs::create_dir_all(&block).unwrap();
        fs::write(stick.join("idVendor"), "1d6b").unwrap();
        fs::write(stick.join("serial"), "0N2XV8-77\n").unwrap();
        assert_eq!(usb_serial(&block).as_deref(), Some("0N2XV8-77"));
        assert_eq!(ids(&block, &block), [UnitId::UsbSerial("0N2XV8-77".into())]);
        fs::write(stick.join("serial"), "000000000000\n").unwrap();
        assert_eq!(usb_serial(&block), None);
        fs::write(block.join("diskseq"), "12\n").unwrap();
        let proc = root.path().join("proc/sys/kernel/random");
        fs::create_dir_all(&proc).unwrap();
        fs::write(proc.join("boot_id"), "8f3c\n").unwrap();
        assert_eq!(attachment(&block, &root.path().join("proc")).as_deref(), Some("boot 8f3c disk 12"));
    }
}
