//! Asks a drive itself who it is and how it is: ATA through SG_IO, SCSI, NVMe. Reading commands only.

use crate::ioctl::{NvmeRead, mmc_send, nvme_read, opal_status, scsi_read};
use crate::port::open_commands;
use crate::sysfs::text;
use jurex_device::media::{Bus, Drive, Elsewhere, Geometry, HiddenAreas, MediaClass, Protocol, Unit, UnitId};
use jurex_device::native::ata::{self, AtaCommand, Identify, Registers, SanitizeStatus, Transfer};
use jurex_device::native::command::{Command as AskCommand, Data, Image};
use jurex_device::native::mmc::{EXT_CSD, ExtCsd, has_erase_commands};
use jurex_device::native::tcg::{self, Discovery};
use jurex_device::native::{Capabilities, Health, NativeErase, OwnState, PageError, nvme, scsi};
use jurex_pattern::units::si_size;
use jurex_sanitize::rules::Technique;
use rustix::fs::{Mode, OFlags, open};
use rustix::io::Errno;
use std::os::fd::OwnedFd;
use std::path::Path;
use std::time::Duration;

/// The kernel ends a command that takes longer.
const COMMAND_PATIENCE: Duration = Duration::from_secs(3);

/// What sysfs said of `drive`, corrected and completed by what the drive itself answers.
pub(crate) fn ask(drive: Drive, dir: &Path) -> (Drive, Capabilities) {
    let asked_by_command = matches!(drive.bus, Bus::Sata | Bus::Sas | Bus::Usb | Bus::Nvme);
    if !asked_by_command || drive.class == MediaClass::Optical {
        let answers = if drive.bus == Bus::Mmc { mmc(&drive, dir) } else { Capabilities::default() };
        return (drive, answers);
    }
    match open_commands(&drive.path, dir, OFlags::RDONLY) {
        Ok(fd) if drive.bus == Bus::Nvme => ask_nvme(drive, &fd),
        Ok(fd) => ask_scsi(drive, &fd),
        Err(e) => {
            let why = match e {
                Errno::ACCESS | Errno::PERM => {
                    "no permission: run Jurex as root to read age, health and hidden areas".to_string()
                }
                e => std::io::Error::from(e).to_string(),
            };
            let notes = vec![format!("The drive itself was not asked ({why}).")];
            (drive, Capabilities { notes, ..Capabilities::default() })
        }
    }
}

/// Embedded flash tells its wear in steps of a tenth (EXT_CSD 268 and 269, by sysfs), a card what it can in its card specific
/// data.
fn mmc(drive: &Drive, dir: &Path) -> Capabilities {
    let steps = text(&dir.join("device"), "life_time").unwrap_or_default();
    let tenths = steps.split_whitespace().filter_map(|s| u8::from_str_radix(s.trim_start_matches("0x"), 16).ok());
    let wear = tenths.filter(|t| (1..=11).contains(t)).max().map(|t| t * 10);
    let mut answers = Capabilities { health: Health { wear_percent: wear, ..Health::default() }, ..Capabilities::default() };
    if drive.class == MediaClass::EmbeddedFlash
        && let Some(told) = ext_csd(drive)
    {
        answers.asked = vec![Technique::MmcSanitize, Technique::MmcSecureErase];
        answers.removal = told.removal;
        answers.own_erases.extend(told.sanitize.then_some(NativeErase::MmcSanitize));
        answers.own_erases.extend(told.secure_erase.then_some(NativeErase::MmcSecureErase));
    }
    let is_card = drive.class == MediaClass::RemovableFlash;
    if is_card && let Some(has) = text(&dir.join("device"), "csd").and_then(|csd| has_erase_commands(&csd)) {
        answers.asked = vec![Technique::SdErase];
        answers.own_erases.extend(has.then_some(NativeErase::SdErase));
    }
    answers
}

/// What the extended card specific data tells (CMD8).
fn ext_csd(drive: &Drive) -> Option<ExtCsd> {
    let fd = open(drive.path.as_str(), OFlags::RDONLY | OFlags::CLOEXEC, Mode::empty()).ok()?;
    let mut page = vec![0; EXT_CSD];
    mmc_send(&fd, 8, 0, &mut page, COMMAND_PATIENCE).ok()?;
    ExtCsd::parse(&page).ok()
}

fn ask_nvme(mut drive: Drive, fd: &OwnedFd) -> (Drive, Capabilities) {
    let mut answers = Capabilities::default();
    let mut page = vec![0; nvme::Controller::LENGTH];
    let said = nvme_read(fd, NvmeRead::IDENTIFY_CONTROLLER, &mut page, COMMAND_PATIENCE);
    match said.map_err(|e| NoController::Io(e.into())).and_then(|status| good(status, &page)) {
        Ok(controller) => {
            fill(&mut drive.unit, controller.model.clone(), controller.serial.clone(), controller.firmware.clone());
            answers.own_erases = controller.own_erases();
            answers.asked = Technique::told_by_identify(drive.protocol);
            answers.format_reaches_all = controller.format_erases_all;
            beside_this_namespace(&mut drive, &controller, fd);
        }
        Err(why) => answers.notes.push(format!("The drive did not tell who it is ({why}).")),
    }
    let mut discovery_page = vec![0; tcg::LENGTH];
    let mut log = vec![0; nvme::HEALTH_LENGTH];
    if nvme_read(fd, NvmeRead::HEALTH_LOG, &mut log, COMMAND_PATIENCE) == Ok(0) {
        answers.health = nvme::parse_health(&log).unwrap_or_default();
    }
    let discovery = nvme_read(fd, NvmeRead::TCG_DISCOVERY, &mut discovery_page, COMMAND_PATIENCE);
    if discovery == Ok(0) {
        tcg_answers(&mut answers, &discovery_page, fd);
    }
    let can_sanitize = answers.own_erases.iter().any(|e| e.technique().runs_by_itself());
    let mut log = vec![0; nvme::SANITIZE_STATUS_LENGTH];
    if can_sanitize && nvme_read(fd, NvmeRead::SANITIZE_STATUS, &mut log, COMMAND_PATIENCE) == Ok(0) {
        answers.own_times = nvme::parse_sanitize_times(&log).unwrap_or_default();
        answers.own_state = nvme::parse_sanitize_state(&log).ok();
    }
    (drive, answers)
}

/// What a drive's TCG discovery tells, and whether this kernel has a way to it.
fn tcg_answers(answers: &mut Capabilities, page: &[u8], fd: &OwnedFd) {
    let Ok(told) = Discovery::parse(page) else { return };
    if told.locked {
        answers.security_locked = true;
        answers
            .notes
            .push("Its TCG locking is in use, and something of it is locked: there it takes and gives no sector.".into());
    }
    if told.sid_blocked {
        answers.notes.push("The machine's firmware has blocked its SID authority until its next power-on (BLOCK SID).".into());
    }
    if told.pyrite {
        answers.notes.push("It locks by TCG Pyrite, without encryption: reverting it erases nothing for certain.".into());
    }
    if told.enterprise {
        answers.notes.push("It speaks TCG Enterprise: this kernel can't send what replaces the keys of such a drive.".into());
        return;
    }
    if !told.opal && !told.pyrite {
        answers.asked.extend([Technique::TcgRevert, Technique::TcgKeyChange]);
        return;
    }
    // The kernel's flag "supported".
    let by_the_kernel = opal_status(fd).is_ok_and(|flags| flags & 1 != 0);
    if !by_the_kernel {
        answers
            .notes
            .push("It speaks TCG Opal, but this kernel has no way to that here: attach it natively to revert it.".into());
        return;
    }
    answers.asked.extend([Technique::TcgRevert, Technique::TcgKeyChange]);
    if told.reverts_to_a_new_key() {
        answers.own_erases.push(NativeErase::TcgRevert);
        answers.own_erases.extend(told.locking_enabled.then_some(NativeErase::TcgKeyChange));
    }
}

/// Other namespaces of the controller, and capacity that belongs to none. A drive here is one namespace: only if its
/// controller says that there is nothing else is the unit what can be addressed.
fn beside_this_namespace(drive: &mut Drive, controller: &nvme::Controller, fd: &OwnedFd) {
    let Protocol::Nvme { namespace: own } = drive.protocol else { return };
    let ask = |command: NvmeRead| {
        let mut page = vec![0; nvme::Controller::LENGTH];
        (nvme_read(fd, command, &mut page, COMMAND_PATIENCE) == Ok(0)).then_some(page)
    };
    let Some(active) = ask(NvmeRead::ACTIVE_NAMESPACES) else { return };
    drive.hidden = HiddenAreas::None;
    drive.hidden_asked = vec!["Active Namespace ID list".into()];
    let mut all = nvme::parse_namespaces(&active);
    if controller.manages_namespaces {
        match ask(NvmeRead::ALLOCATED_NAMESPACES) {
            Some(allocated) => {
                all.extend(nvme::parse_namespaces(&allocated));
                drive.hidden_asked.push("Allocated Namespace ID list".into());
            }
            // It can keep namespaces from this controller, and does not say whether it does.
            None => drive.hidden = HiddenAreas::NotAsked,
        }
        drive.hidden_asked.push("unallocated capacity".into());
    }
    all.sort_unstable();
    all.dedup();
    for other in all.into_iter().filter(|n| *n != own) {
        let size = ask(NvmeRead::namespace(other, false)).or_else(|| ask(NvmeRead::namespace(other, true)));
        let size = size.and_then(|page| nvme::parse_namespace_size(&page)).filter(|bytes| *bytes > 0);
        let size = size.map(|bytes| format!(" ({})", si_size(bytes))).unwrap_or_default();
        drive.elsewhere.push(Elsewhere { what: format!("Namespace {other}{size}"), user_data: true, no_address: false });
    }
    if let Some(bytes) = controller.unallocated.filter(|b| *b > 0) {
        // A namespace that was deleted may lie there.
        let what = format!("{} that belong to no namespace", si_size(u64::try_from(bytes).unwrap_or(u64::MAX)));
        drive.elsewhere.push(Elsewhere { what, user_data: true, no_address: true });
    }
}

/// Why a controller is not known.
#[derive(Debug, thiserror::Error)]
enum NoController {
    #[error(transparent)]
    Io(#[from] std::io::Error),
    #[error(transparent)]
    Page(#[from] PageError),
    #[error("NVMe status {0:04x}h")]
    Status(i32),
}

fn good(status: i32, page: &[u8]) -> Result<nvme::Controller, NoController> {
    if status == 0 { Ok(nvme::Controller::parse(page)?) } else { Err(NoController::Status(status)) }
}

/// Texts of the drive itself replace those that the system had.
fn fill(unit: &mut Unit, model: Option<String>, serial: Option<String>, firmware: Option<String>) {
    unit.model = model.or(unit.model.take());
    unit.serial = serial.or(unit.serial.take());
    unit.firmware = firmware.or(unit.firmware.take());
}

fn ask_scsi(mut drive: Drive, fd: &OwnedFd) -> (Drive, Capabilities) {
    let mut answers = Capabilities { own_state: scsi_own_state(fd), ..Capabilities::default() };
    let inquiry = scsi_page(fd, &scsi::INQUIRY, scsi::Inquiry::LENGTH).and_then(|p| scsi::Inquiry::parse(&p).ok());
    let identify = ata_page(fd, &AtaCommand::IDENTIFY).and_then(|p| Identify::parse(&p).ok());
    match identify {
        Some(identify) => ata_answers(&mut drive, &mut answers, &identify, inquiry.and_then(|i| i.name()), fd),
        None if drive.bus == Bus::Sata => {
            answers.notes.push("The drive did not answer IDENTIFY DEVICE; health and hidden areas are not known.".into());
        }
        None => scsi_answers(&mut drive, &mut answers, fd),
    }
    (drive, answers)
}

/// Whether the drive is at work on itself, or has failed at it: by REQUEST SENSE, and where that tells of nothing, by what it
/// says to the question whether it is ready.
fn scsi_own_state(fd: &OwnedFd) -> Option<OwnState> {
    let told = scsi_page(fd, &scsi::REQUEST_SENSE, 252).and_then(|sense| scsi::parse_own_state(&sense));
    if let Some(OwnState::Running { .. } | OwnState::Failed) = told {
        return told;
    }
    let end = scsi_read(fd, &scsi::TEST_UNIT_READY, &mut [], COMMAND_PATIENCE).ok()?;
    if end.status == 0 { Some(OwnState::Idle) } else { scsi::parse_own_state(&end.sense).or(told) }
}

/// What SANITIZE STATUS EXT tells; `None`: the drive does not have it, or does not answer.
fn ata_own_state(identify: &Identify, fd: &OwnedFd) -> Option<SanitizeStatus> {
    if !identify.sanitize.supported {
        return None;
    }
    let end = scsi_read(fd, &AtaCommand::SANITIZE_STATUS.cdb(), &mut [], COMMAND_PATIENCE).ok()?;
    SanitizeStatus::of(&Registers::of_sense(&end.sense)?)
}

fn ata_answers(drive: &mut Drive, answers: &mut Capabilities, identify: &Identify, bridge: Option<String>, fd: &OwnedFd) {
    // What stood there before was the bridge's, not the drive's.
    if drive.bus == Bus::Usb {
        drive.bridged = true;
        drive.unit = Unit::default();
        answers.bridge = bridge;
    } else {
        drive.unit.maker = None;
    }
    fill(&mut drive.unit, identify.model.clone(), identify.serial.clone(), identify.firmware.clone());
    if let Some(wwn) = &identify.wwn {
        drive.unit.ids.retain(|id| !matches!(id, UnitId::Wwn(_)));
        drive.unit.ids.push(UnitId::Wwn(wwn.clone()));
    }
    drive.protocol = Protocol::Ata;
    if drive.class != MediaClass::Virtual {
        let unknown = || (MediaClass::Unknown, "it does not tell whether it turns (rotation word)".to_string());
        (drive.class, drive.class_basis) = identify.rotation.class().unwrap_or_else(unknown);
    }
    if let Some(told) = ata_own_state(identify, fd) {
        (answers.own_state, answers.sanitize_frozen) = (Some(told.state), told.frozen);
    }
    size_by_its_own_word(drive, answers, identify.sectors, identify.logical);
    answers.own_erases = identify.own_erases();
    answers.asked = Technique::told_by_identify(Protocol::Ata);
    if matches!(answers.own_state, Some(OwnState::Running { .. })) {
        // While it is at work on itself it aborts most questions, and none of them may disturb it.
        return;
    }
    if let Some(page) = scsi_command(fd, &tcg::discover_by_scsi()) {
        tcg_answers(answers, &page, fd);
    }
    (drive.hidden, drive.hidden_asked) = hidden(drive, identify, fd);
    answers.own_times = identify.own_times();
    answers.security_frozen = identify.security.frozen;
    answers.security_locked |= identify.security.locked;
    answers.security_enabled = identify.security.enabled;
    answers.security_expired = identify.security.expired;
    if identify.security.locked {
        answers.notes.push("Its security is locked by a password: it takes and gives no sector until it is unlocked.".into());
    }
    if identify.security.expired {
        answers.notes.push("Too many wrong passwords were tried: it takes none before its power is taken away.".into());
    }
    if let Some(page) = ata_page(fd, &AtaCommand::SMART_READ_DATA) {
        answers.health = ata::parse_smart(&page).unwrap_or_default();
    }
    if identify.has_logs {
        for number in ata::STATISTICS_PAGES {
            if let Some(page) = ata_page(fd, &AtaCommand::read_statistics(number)) {
                // A page that the drive does not keep changes nothing.
                let _ = ata::parse_statistics(&page, number, &mut answers.health);
            }
        }
    }
}

/// A drive of which an erasure of its own has failed gives no sector, and may have no size for the system that met it so. To
/// be sanitized again it needs one: its own word is taken.
fn size_by_its_own_word(drive: &mut Drive, answers: &mut Capabilities, sectors: u64, logical: u32) {
    if drive.geometry.sectors == 0 && sectors > 0 && answers.own_state == Some(OwnState::Failed) {
        drive.geometry = Geometry { logical, physical: drive.geometry.physical.max(logical), sectors };
        answers.notes.push("The system sees no sector of it: its size is as the drive reports.".into());
    }
}

/// Sectors between the last addressable one and the drive's native end, by every command that it has for that, and what
/// was asked.
fn hidden(drive: &Drive, identify: &Identify, fd: &OwnedFd) -> (HiddenAreas, Vec<String>) {
    let mut asked = vec!["IDENTIFY DEVICE".to_string()];
    // A bridge may cut a drive without any command of the drive's own.
    let addressable = drive.geometry.bytes() / u64::from(identify.logical.max(1));
    let mut ends = vec![Some(identify.sectors)];
    if identify.can_hide_by_hpa {
        let (command, name) = if identify.long_addresses {
            (&AtaCommand::READ_NATIVE_MAX_EXT, "READ NATIVE MAX ADDRESS EXT")
        } else {
            (&AtaCommand::READ_NATIVE_MAX, "READ NATIVE MAX ADDRESS")
        };
        ends.push(native_end(fd, command));
        asked.push(name.into());
    }
    if identify.can_hide_by_amax {
        ends.push(native_end(fd, &AtaCommand::GET_NATIVE_MAX));
        asked.push("GET NATIVE MAX ADDRESS EXT".into());
    }
    if identify.can_hide_by_dco {
        let page = ata_page(fd, &AtaCommand::CONFIGURATION_IDENTIFY);
        ends.push(page.and_then(|p| ata::parse_configuration_max(&p).ok()).and_then(|max| max.checked_add(1)));
        asked.push("DEVICE CONFIGURATION IDENTIFY".into());
    }
    // A command that the drive has and does not answer leaves the question open.
    let Some(ends) = ends.into_iter().collect::<Option<Vec<u64>>>() else { return (HiddenAreas::NotAsked, asked) };
    let end = ends.into_iter().max().unwrap_or(0);
    let state = match end.checked_sub(addressable) {
        Some(0) => HiddenAreas::None,
        Some(sectors) => HiddenAreas::Hidden { sectors },
        // An end before the last addressable sector makes no sense.
        None => HiddenAreas::NotAsked,
    };
    (state, asked)
}

/// Number of sectors up to the native end.
fn native_end(fd: &OwnedFd, command: &AtaCommand) -> Option<u64> {
    let end = scsi_read(fd, &command.cdb(), &mut [], COMMAND_PATIENCE).ok()?;
    let registers = Registers::of_sense(&end.sense)?;
    let last = if command.extended { registers.lba } else { registers.short_lba() };
    (registers.is_good() && last > 0).then(|| last + 1)
}

/// A plain SCSI drive, or a stick: serial, unique names, rotation, capacity and SANITIZE from its own answers.
fn scsi_answers(drive: &mut Drive, answers: &mut Capabilities, fd: &OwnedFd) {
    let page = |number: u8| scsi_page(fd, &scsi::inquiry_page(number), 255);
    if let Some(serial) = page(0x80).and_then(|p| scsi::parse_serial(&p).ok().flatten()) {
        drive.unit.serial = Some(serial);
    }
    // Sticks answer nonsense here; only drives on SCSI are believed.
    if drive.bus != Bus::Sas || matches!(answers.own_state, Some(OwnState::Running { .. })) {
        return;
    }
    let names = page(0x83).and_then(|p| scsi::parse_identifiers(&p).ok()).unwrap_or_default();
    if !names.is_empty() {
        drive.unit.ids.retain(|id| !matches!(id, UnitId::Wwn(_)));
        drive.unit.ids.extend(names.into_iter().map(UnitId::Wwn));
    }
    let rotation = page(0xb1).and_then(|p| scsi::parse_rotation(&p).ok()).and_then(|r| r.class());
    if let Some((class, basis)) = rotation.filter(|_| drive.class != MediaClass::Virtual) {
        (drive.class, drive.class_basis) = (class, basis);
    }
    if let Some(page) = scsi_command(fd, &tcg::discover_by_scsi()) {
        tcg_answers(answers, &page, fd);
    }
    let capacity_now = scsi_page(fd, &scsi::mode_sense_capacity(false), 255);
    if let Some(page) = &capacity_now
        && let (Some(sectors), Some(logical)) = (scsi::parse_mode_capacity(page), scsi::parse_mode_sector(page))
    {
        size_by_its_own_word(drive, answers, sectors, logical);
    }
    (drive.hidden, drive.hidden_asked) = cut_capacity(drive, capacity_now.as_deref(), fd);
    for (action, erase) in
        [(1, NativeErase::SanitizeOverwrite), (2, NativeErase::SanitizeBlock), (3, NativeErase::SanitizeCrypto)]
    {
        let told = scsi_page(fd, &scsi::report_supported_sanitize(action), 20).and_then(|p| scsi::parse_supported(&p));
        answers.asked.extend(told.map(|_| erase.technique()));
        answers.own_erases.extend((told == Some(true)).then_some(erase));
    }
}

/// Whether MODE SELECT has cut the capacity: what is set against what the drive had from its maker.
fn cut_capacity(drive: &Drive, now: Option<&[u8]>, fd: &OwnedFd) -> (HiddenAreas, Vec<String>) {
    let asked = vec!["MODE SENSE, block descriptor".to_string()];
    let from_the_maker = scsi_page(fd, &scsi::mode_sense_capacity(true), 255);
    let state = match (now.and_then(scsi::parse_mode_capacity), from_the_maker.as_deref().and_then(scsi::parse_mode_capacity)) {
        // A drive that tells two numbers hides the difference. Two equal ones say nothing: header and block descriptor give the present
        // capacity, whichever page is asked for.
        (Some(now), Some(whole)) if now == drive.geometry.sectors && whole > now => HiddenAreas::Hidden { sectors: whole - now },
        _ => HiddenAreas::NotAsked,
    };
    (state, asked)
}

/// What a SCSI command that asks is answered with.
fn scsi_command(fd: &OwnedFd, command: &AskCommand) -> Option<Vec<u8>> {
    let (Image::Scsi(cdb), Data::In(room)) = (&command.image, &command.data) else { return None };
    scsi_page(fd, cdb, *room)
}

fn scsi_page(fd: &OwnedFd, command: &[u8], room: usize) -> Option<Vec<u8>> {
    scsi_page_or_sense(fd, command, room).ok()
}

/// The page, or the sense data with which it was refused. After a change the drive refuses one command to tell of it (UNIT
/// ATTENTION): that one is sent again.
fn scsi_page_or_sense(fd: &OwnedFd, command: &[u8], room: usize) -> Result<Vec<u8>, Vec<u8>> {
    const UNIT_ATTENTION: u8 = 6;
    let ask = || {
        let mut page = vec![0; room];
        let end = scsi_read(fd, command, &mut page, COMMAND_PATIENCE).map_err(|_| vec![])?;
        page.truncate(end.received);
        if end.status == 0 && !end.host_failed { Ok(page) } else { Err(end.sense) }
    };
    ask().or_else(|sense| match scsi::parse_sense(&sense) {
        Some((UNIT_ATTENTION, ..)) => ask(),
        _ => Err(sense),
    })
}

fn ata_page(fd: &OwnedFd, command: &AtaCommand) -> Option<Vec<u8>> {
    const NO_SUCH_COMMAND: (u8, u8, u8) = (5, 0x20, 0);
    debug_assert_eq!(command.transfer, Transfer::In);
    match scsi_page_or_sense(fd, &command.cdb(), ata::PAGE) {
        Ok(page) => Some(page),
        // Some bridges know the shorter form only.
        Err(sense) if scsi::parse_sense(&sense) == Some(NO_SUCH_COMMAND) => scsi_page(fd, &command.short_cdb()?, ata::PAGE),
        Err(_) => None,
    }
}

/// The pages that the drive at `path` sends, each with its name, as they come: what to keep when a drive is decoded
/// wrongly. Reading commands only.
///
/// # Errors
/// The device can't be opened.
pub fn raw_pages(path: &str) -> std::io::Result<Vec<(&'static str, Vec<u8>)>> {
    let fd = open(path, OFlags::RDONLY | OFlags::NONBLOCK | OFlags::CLOEXEC, Mode::empty())?;
    let mut pages = vec![];
    let scsi = [
        ("scsi-inquiry", scsi_page(&fd, &scsi::INQUIRY, 96)),
        ("scsi-vpd-80", scsi_page(&fd, &scsi::inquiry_page(0x80), 255)),
        ("scsi-vpd-83", scsi_page(&fd, &scsi::inquiry_page(0x83), 255)),
        ("scsi-vpd-b1", scsi_page(&fd, &scsi::inquiry_page(0xb1), 255)),
        ("scsi-read-capacity-16", scsi_page(&fd, &scsi::READ_CAPACITY_16, 32)),
        ("ata-identify", ata_page(&fd, &AtaCommand::IDENTIFY)),
        ("ata-smart", ata_page(&fd, &AtaCommand::SMART_READ_DATA)),
    ];
    pages.extend(scsi.into_iter().filter_map(|(name, page)| Some((name, page?))));
    for (name, command, length) in [
        ("nvme-identify-controller", NvmeRead::IDENTIFY_CONTROLLER, nvme::Controller::LENGTH),
        ("nvme-health", NvmeRead::HEALTH_LOG, nvme::HEALTH_LENGTH),
    ] {
        let mut page = vec![0; length];
        if nvme_read(&fd, command, &mut page, COMMAND_PATIENCE) == Ok(0) {
            pages.push((name, page));
        }
    }
    Ok(pages)
}
