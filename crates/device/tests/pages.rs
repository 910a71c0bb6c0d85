//! Pages as drives of an emulated machine sent them, recorded with `record_pages` of jurex-linux, and what is read in them.

use jurex_device::native::{ata, nvme, scsi};
use std::fs;
use std::path::{Path, PathBuf};

fn folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/pages")
}

/// The page of that name from that drive.
fn page(drive: &str, name: &str) -> Vec<u8> {
    let text = fs::read_to_string(folder().join(drive).join(format!("{name}.hex"))).unwrap();
    let (length, digits) = text.split_once(" bytes\n").unwrap();
    let mut page = jurex_pattern::text::hex::decode(&digits.split_whitespace().collect::<String>()).unwrap();
    page.resize(length.parse().unwrap(), 0);
    page
}

#[test]
fn a_sata_drive_is_read_from_its_own_pages() {
    let identify = ata::Identify::parse(&page("sata", "ata-identify")).unwrap();
    insta::assert_debug_snapshot!("sata-identify", identify);
    insta::assert_debug_snapshot!("sata-health", ata::parse_smart(&page("sata", "ata-smart")).unwrap());
    // The kernel's translation of the same drive must say the same.
    let (sectors, logical, physical) = scsi::parse_capacity(&page("sata", "scsi-read-capacity-16")).unwrap();
    assert_eq!((sectors, logical, physical), (identify.sectors, identify.logical, identify.physical));
    assert_eq!(scsi::parse_serial(&page("sata", "scsi-vpd-80")).unwrap(), identify.serial);
}

#[test]
fn an_nvme_drive_is_read_from_its_own_pages() {
    insta::assert_debug_snapshot!("nvme-controller", nvme::Controller::parse(&page("nvme", "nvme-identify-controller")).unwrap());
    insta::assert_debug_snapshot!("nvme-health", nvme::parse_health(&page("nvme", "nvme-health")).unwrap());
}

#[test]
fn scsi_drives_and_bridges_are_read_from_their_own_pages() {
    for drive in ["scsi-4kn", "usb-bridge"] {
        let said = (
            scsi::Inquiry::parse(&page(drive, "scsi-inquiry")).unwrap(),
            scsi::parse_serial(&page(drive, "scsi-vpd-80")).unwrap(),
            scsi::parse_identifiers(&page(drive, "scsi-vpd-83")).unwrap(),
            scsi::parse_rotation(&page(drive, "scsi-vpd-b1")).unwrap(),
            scsi::parse_capacity(&page(drive, "scsi-read-capacity-16")).unwrap(),
        );
        insta::assert_debug_snapshot!(drive, said);
    }
}

#[test]
fn every_recorded_page_survives_being_cut_anywhere() {
    for drive in fs::read_dir(folder()).unwrap().map(|e| e.unwrap().path()) {
        for file in fs::read_dir(&drive).unwrap().map(|e| e.unwrap().path()) {
            let whole = page(drive.file_name().unwrap().to_str().unwrap(), file.file_stem().unwrap().to_str().unwrap());
            for cut in 0..whole.len() {
                let part = &whole[..cut];
                assert!(ata::Identify::parse(part).is_err() || cut >= ata::PAGE);
                assert!(nvme::Controller::parse(part).is_err() || cut >= nvme::Controller::LENGTH);
                let _ = (
                    scsi::Inquiry::parse(part),
                    scsi::parse_serial(part),
                    scsi::parse_identifiers(part),
                    scsi::parse_sense(part),
                );
            }
        }
    }
}
