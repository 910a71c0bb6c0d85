//! Any bytes as a drive's answer: parsing must end, and texts must be safe to show.
#![no_main]

use jurex_device::native::{ata, mmc, nvme, scsi, tcg};
use libfuzzer_sys::fuzz_target;

fn safe(texts: &[&Option<String>]) {
    assert!(texts.iter().copied().flatten().all(|t| t.chars().all(|c| !c.is_control())));
}

fuzz_target!(|bytes: &[u8]| {
    if let Ok(id) = ata::Identify::parse(bytes) {
        safe(&[&id.serial, &id.model, &id.firmware]);
        let _ = (id.own_erases(), id.rotation.class());
    }
    if let Ok(controller) = nvme::Controller::parse(bytes) {
        safe(&[&controller.serial, &controller.model, &controller.firmware]);
    }
    if let Ok(inquiry) = scsi::Inquiry::parse(bytes) {
        safe(&[&inquiry.name()]);
    }
    for health in [ata::parse_smart(bytes), nvme::parse_health(bytes)].into_iter().flatten() {
        let _ = health.sentences();
    }
    let mut tally = jurex_sanitize::residue::Tally::new(bytes.len() as u64);
    tally.look(jurex_pattern::units::Lba(0), 512, bytes);
    assert!(tally.finds().iter().map(|f| f.places.len()).sum::<usize>() as u64 <= tally.looked_through() * 8);
    let mut health = Default::default();
    for page in ata::STATISTICS_PAGES {
        let _ = ata::parse_statistics(bytes, page, &mut health);
    }
    let _ = (health.sentences(), scsi::parse_mode_capacity(bytes), scsi::parse_supported(bytes));
    let _ = (nvme::parse_namespaces(bytes), nvme::parse_namespace_size(bytes), nvme::parse_sanitize_times(bytes));
    let _ = (ata::Registers::of_sense(bytes), ata::parse_configuration_max(bytes), scsi::parse_sense(bytes));
    let _ = ata::Registers::of_sense(bytes).and_then(|r| ata::SanitizeStatus::of(&r));
    let _ = (nvme::SanitizeLog::parse(bytes), nvme::format(None, bytes, 2), scsi::parse_own_state(bytes));
    let _ = (mmc::ExtCsd::parse(bytes), tcg::Discovery::parse(bytes));
    let _ = (scsi::parse_serial(bytes), scsi::parse_identifiers(bytes), scsi::parse_rotation(bytes), scsi::parse_capacity(bytes));
});
