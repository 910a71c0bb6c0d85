//! The simulated bench: Bench 2 of the Tern Quay workshop and the drives in its bays.
//!
//! They are scale models, a thousandth of the printed capacity: every sector is really there and really processed.

use crate::contents::{self, SimPartition, SimVolume};
use crate::counterfeit::{Beyond, Counterfeit};
use crate::drive::{CellKind, Fault, SimDrive};
use crate::own::Nature;
use crate::speed::{Pacing, SpeedShape};
use crate::store::Store;
use jurex_device::guard::Blocker;
use jurex_device::media::{Attachment, Bus, Drive, Geometry, MediaClass, Unit};
use jurex_device::native::{Capabilities, Health, NativeErase, OwnTime};
use jurex_disposition::erasure_tag::{ErasureTag, TagFacts, places};
use jurex_pattern::units::{Lba, Sectors};
use jurex_sanitize::record::Record;
use jurex_sanitize::rules::Technique;
use std::time::Duration;

/// A bay of the bench with its drive.
#[derive(Clone)]
pub struct Bay {
    /// Number of the bay.
    pub number: u32,
    /// The drive in it.
    pub drive: SimDrive,
    /// What stands in the way of erasing it.
    pub hindrances: Vec<Blocker>,
    /// What it always answers when it is asked.
    told: Capabilities,
}

impl Bay {
    /// What the drive answers now when it is asked.
    pub fn answers(&self) -> Capabilities {
        let own = self.drive.own_answers();
        Capabilities { health: self.told.health.clone(), asked: self.told.asked.clone(), ..own }
    }
}

/// The whole bench.
pub struct SimBench {
    bays: Vec<Bay>,
}

/// One line of the bench's inventory.
struct BenchEntry {
    bay: u32,
    maker: &'static str,
    model: &'static str,
    serial: &'static str,
    firmware: &'static str,
    class: MediaClass,
    basis: &'static str,
    bus: Bus,
    kind: CellKind,
    megabytes: u64,
    physical: u32,
    /// Megabytes per second, first and last sector.
    speed: (f64, f64),
    health: Health,
    own_erases: &'static [NativeErase],
    /// How long it says that its erases take, in seconds.
    own_times: &'static [(NativeErase, u64)],
    frozen: bool,
    /// Sectors that it hides from the host.
    hides: u64,
    /// Sectors of a second namespace.
    second_namespace: u64,
    /// Seconds that its own erasures take.
    takes: f64,
}

/// Hours, replaced and waiting sectors of a magnetic drive, and its temperature.
const fn worn(hours: u64, reallocated: u64, pending: u64, celsius: i16) -> Health {
    Health {
        power_on_hours: Some(hours),
        reallocated: Some(reallocated),
        pending: Some(pending),
        celsius: Some(celsius),
        ..SILENT
    }
}

/// Hours, used life and temperature of a solid state drive.
const fn used(hours: u64, percent: u8, celsius: i16) -> Health {
    Health { power_on_hours: Some(hours), wear_percent: Some(percent), celsius: Some(celsius), ..SILENT }
}

const SILENT: Health =
    Health { power_on_hours: None, reallocated: None, pending: None, wear_percent: None, celsius: None, by_makers_count: false };
const FLASH: CellKind = CellKind::Flash { spare_percent: 7 };
const SMALL_FLASH: CellKind = CellKind::Flash { spare_percent: 5 };

/// What the magnetic drives have in common.
const MAGNETIC: BenchEntry = BenchEntry {
    bay: 0,
    maker: "Ferrant",
    model: "",
    serial: "",
    firmware: "BR04",
    class: MediaClass::Magnetic,
    basis: "it turns 7200 times a minute",
    bus: Bus::Sata,
    kind: CellKind::Magnetic,
    megabytes: 0,
    physical: 4096,
    speed: (190.0, 92.0),
    health: SILENT,
    own_erases: &[NativeErase::SecurityErase],
    own_times: &[],
    frozen: false,
    hides: 0,
    second_namespace: 0,
    takes: 8.0,
};
/// What the solid state drives have in common.
const SOLID: BenchEntry = BenchEntry {
    maker: "Quillon",
    firmware: "2.11",
    class: MediaClass::SolidState,
    basis: "its rotation word is 1",
    kind: FLASH,
    speed: (60.0, 60.0),
    ..MAGNETIC
};
/// What sticks and cards have in common.
const SMALL: BenchEntry = BenchEntry {
    maker: "Tessel",
    firmware: "1.00",
    class: MediaClass::RemovableFlash,
    kind: SMALL_FLASH,
    physical: 512,
    own_erases: &[],
    ..MAGNETIC
};

const INVENTORY: [BenchEntry; 10] = [
    BenchEntry { bay: 1, model: "Arc 512", serial: "QA512W3H08TB", megabytes: 512, health: used(8_211, 9, 36), ..SOLID },
    BenchEntry {
        bay: 2,
        model: "Meridian 2000",
        serial: "FM2000K7Q41M",
        megabytes: 2000,
        hides: 131_072,
        health: worn(31_408, 0, 0, 34),
        ..MAGNETIC
    },
    BenchEntry {
        bay: 3,
        model: "Meridian 500",
        serial: "FM0500T3XW8D",
        basis: "it turns 5400 times a minute",
        megabytes: 500,
        physical: 512,
        speed: (120.0, 61.0),
        health: worn(52_977, 184, 23, 41),
        ..MAGNETIC
    },
    BenchEntry {
        bay: 4,
        model: "Arc 480",
        serial: "QA480R61YV5C",
        megabytes: 480,
        health: used(19_650, 31, 38),
        own_erases: &[NativeErase::SanitizeBlock, NativeErase::SecurityEraseEnhanced, NativeErase::SecurityErase],
        own_times: &[(NativeErase::SecurityEraseEnhanced, 120), (NativeErase::SecurityErase, 120)],
        frozen: true,
        takes: 6.0,
        ..SOLID
    },
    BenchEntry {
        bay: 5,
        model: "Swift 1000",
        serial: "QS1000E47J9P",
        firmware: "7.02",
        basis: "it speaks NVMe",
        bus: Bus::Nvme,
        megabytes: 1000,
        speed: (150.0, 150.0),
        health: used(4_102, 12, 44),
        own_erases: &[NativeErase::SanitizeBlock, NativeErase::SanitizeCrypto, NativeErase::FormatCrypto, NativeErase::Format],
        own_times: &[(NativeErase::SanitizeBlock, 12), (NativeErase::SanitizeCrypto, 2)],
        second_namespace: 390_624,
        takes: 5.0,
        ..SOLID
    },
    BenchEntry {
        bay: 6,
        model: "Pebble 64",
        serial: "TP64-5D0N2XV8",
        basis: "it is removable and on USB",
        bus: Bus::Usb,
        megabytes: 64,
        speed: (9.0, 9.0),
        ..SMALL
    },
    BenchEntry {
        bay: 7,
        model: "Logger 32",
        serial: "TL32H6R90C2Y",
        firmware: "0.8",
        basis: "it is an SD card",
        bus: Bus::Mmc,
        megabytes: 32,
        speed: (11.0, 11.0),
        own_erases: &[NativeErase::SdErase],
        takes: 1.0,
        ..SMALL
    },
    BenchEntry {
        bay: 8,
        model: "Anvil 900",
        serial: "FA0900M2G7KE",
        firmware: "0C2",
        basis: "it turns 10000 times a minute",
        bus: Bus::Sas,
        megabytes: 900,
        physical: 512,
        speed: (140.0, 84.0),
        health: worn(40_233, 2, 0, 39),
        own_erases: &[NativeErase::SanitizeOverwrite],
        takes: 20.0,
        ..MAGNETIC
    },
    BenchEntry {
        bay: 9,
        model: "Inlay 16",
        serial: "TI16B9S3ZQ0F",
        class: MediaClass::EmbeddedFlash,
        basis: "it is an MMC device",
        bus: Bus::Mmc,
        megabytes: 16,
        speed: (14.0, 14.0),
        health: Health { wear_percent: Some(20), ..SILENT },
        own_erases: &[NativeErase::MmcSanitize, NativeErase::MmcSecureErase],
        takes: 3.0,
        ..SMALL
    },
    BenchEntry {
        bay: 10,
        model: "Meridian 500",
        serial: "FM0500D8JN6W",
        basis: "it turns 5400 times a minute",
        megabytes: 500,
        physical: 512,
        speed: (120.0, 61.0),
        health: worn(29_815, 0, 0, 33),
        ..MAGNETIC
    },
];

/// What a drive on that bus was asked to know whether it hides sectors.
fn asked(bus: Bus) -> Vec<String> {
    let names: &[&str] = match bus {
        Bus::Sata => &["IDENTIFY DEVICE", "READ NATIVE MAX ADDRESS EXT"],
        Bus::Sas => &["MODE SENSE, block descriptor"],
        Bus::Nvme => &["Active Namespace ID list"],
        _ => &[],
    };
    names.iter().map(|n| (*n).to_string()).collect()
}

/// Techniques of which a drive on that bus tells whether it offers them.
fn told(bus: Bus, class: MediaClass) -> Vec<Technique> {
    use Technique::{
        Format, FormatCrypto, MmcSanitize, MmcSecureErase, SanitizeBlock, SanitizeCrypto, SanitizeOverwrite, SdErase,
        SecurityErase, SecurityEraseEnhanced,
    };
    let sanitize = [SanitizeOverwrite, SanitizeBlock, SanitizeCrypto];
    match bus {
        Bus::Sata => [&sanitize[..], &[SecurityErase, SecurityEraseEnhanced]].concat(),
        Bus::Sas => sanitize.to_vec(),
        Bus::Nvme => [&sanitize[..], &[Format, FormatCrypto]].concat(),
        Bus::Mmc if class == MediaClass::RemovableFlash => vec![SdErase],
        Bus::Mmc => vec![MmcSanitize, MmcSecureErase],
        _ => vec![],
    }
}

impl BenchEntry {
    fn sectors(&self) -> u64 {
        self.megabytes * 1_000_000 / 512 / 8 * 8
    }

    fn drive(&self, pacing: Pacing) -> SimDrive {
        let geometry = Geometry { logical: 512, physical: self.physical, sectors: self.sectors() };
        let drive = Drive {
            unit: Unit {
                maker: Some(self.maker.into()),
                model: Some(self.model.into()),
                serial: Some(self.serial.into()),
                firmware: Some(self.firmware.into()),
                ids: vec![],
            },
            attachment: Attachment { instance: None, port: Some(format!("bay {}", self.bay)) },
            hidden_asked: asked(self.bus),
            simulated: true,
            ..Drive::bare(format!("sim:{}", self.bay), self.bus, self.class, self.basis, geometry)
        };
        let slow_zone = (self.bay == 3).then_some((0.44, 0.52, 0.25));
        let shape = SpeedShape { outer: self.speed.0 * 1e6, inner: self.speed.1 * 1e6, read_factor: 1.15, slow_zone };
        let times = self.own_times.iter().map(|(erase, seconds)| OwnTime { erase: *erase, seconds: *seconds, at_least: false });
        let nature = Nature {
            own: self.own_erases.to_vec(),
            times: times.collect(),
            encrypts: self.own_erases.iter().any(|e| e.technique().replaces_a_key()),
            frozen_at_start: self.frozen,
            takes: Duration::from_secs_f64(self.takes),
            gives: (self.hides > 0).then(|| self.sectors() - self.hides),
            second_namespace: self.second_namespace,
            // It erases its cells, and has no other way.
            removal: 1,
            ..Nature::default()
        };
        SimDrive::with_nature(drive, self.kind, shape, pacing, nature)
    }

    fn bay(&self, pacing: Pacing) -> Bay {
        let told = Capabilities { health: self.health.clone(), asked: told(self.bus, self.class), ..Capabilities::default() };
        // The bench runs from the drive in its first bay.
        let hindrances = if self.bay == 1 { vec![Blocker::System { mount: "/".into() }] } else { vec![] };
        Bay { number: self.bay, drive: self.drive(pacing), hindrances, told }
    }
}

const STATIONS: &[&str] = &["Skerry Point", "Gull Ness", "Holm Sound", "Anvil Rock"];

impl SimBench {
    /// The bench of the demonstration, with contents made from a fixed seed.
    pub fn new(pacing: Pacing) -> Self {
        let bays: Vec<Bay> = INVENTORY.iter().map(|entry| entry.bay(pacing)).collect();
        bays.iter().for_each(fill);
        Self { bays }
    }

    /// Handles on the same drives.
    pub fn of(other: &SimBench) -> Self {
        Self { bays: other.bays.clone() }
    }

    /// The bays in order.
    pub fn bays(&self) -> &[Bay] {
        &self.bays
    }

    /// The bay of that number.
    pub fn bay(&self, number: u32) -> Option<&Bay> {
        self.bays.iter().find(|b| b.number == number)
    }
}

fn fill(bay: &Bay) {
    let geometry = bay.drive.drive().geometry;
    let sectors = geometry.sectors;
    let seed = 0x5EED_0417 + u64::from(bay.number);
    let rest = |used: u64| (sectors - used) / 2048 * 2048 - 2 * 2048;
    let volume = |label, stations, days| SimVolume::Station { label, stations, days };
    bay.drive.prepare(|store| {
        let made = match bay.number {
            1 => {
                let boot = SimPartition { sectors: 65_536, volume: SimVolume::Boot };
                let system = SimPartition { sectors: rest(65_536), volume: volume("TERN SYSTEM", &STATIONS[..1], 2) };
                contents::gpt(store, sectors, &[boot, system], seed)
            }
            2 => {
                let boot = SimPartition { sectors: 131_072, volume: SimVolume::Boot };
                let data = SimPartition { sectors: 1_638_400, volume: volume("STATIONS", STATIONS, 40) };
                let swap = SimPartition { sectors: 262_144, volume: SimVolume::Swap };
                let used = boot.sectors + data.sectors + swap.sectors;
                let archive = SimPartition { sectors: rest(used), volume: volume("ARCHIVE", STATIONS, 20) };
                contents::gpt(store, sectors, &[boot, data, swap, archive], seed)
            }
            3 => {
                let data = SimPartition { sectors: rest(0), volume: volume("HOLM SOUND", &STATIONS[2..3], 30) };
                contents::mbr(store, &[data], seed)
            }
            4 | 5 => {
                let boot = SimPartition { sectors: 65_536, volume: SimVolume::Boot };
                let data = SimPartition { sectors: rest(65_536), volume: volume("FORECAST", STATIONS, 12) };
                contents::gpt(store, sectors, &[boot, data], seed)
            }
            8 => {
                let boot = SimPartition { sectors: 65_536, volume: SimVolume::Boot };
                let sealed = SimPartition { sectors: rest(65_536), volume: SimVolume::Encrypted { label: "tern-vault" } };
                contents::gpt(store, sectors, &[boot, sealed], seed)
            }
            9 => contents::mbr(store, &[SimPartition { sectors: rest(0), volume: volume("BUOY", &STATIONS[3..], 2) }], seed),
            // Erased a while ago: every sector holds zeros, but for the mark at both ends.
            10 => {
                lay_mark(store, geometry);
                Ok(())
            }
            6 => contents::mbr(store, &[SimPartition { sectors: rest(0), volume: volume("PEBBLE", &STATIONS[1..2], 10) }], seed),
            _ => contents::mbr(store, &[SimPartition { sectors: rest(0), volume: volume("LOGGER", &STATIONS[..1], 30) }], seed),
        };
        made.expect("the contents of a simulated drive fit on it: a test keeps it so");
    });
    fill_beyond(bay, sectors);
    if bay.number == 6 {
        // Sold as eight times what it is.
        let nature = Counterfeit { holds: sectors / 8, beyond: Beyond::BeginsAgain, remembers: 0 };
        bay.drive.make_counterfeit(nature);
        bay.drive.forget_what_was_before();
    }
    if bay.number == 3 {
        // Worn out: a patch that can be neither written nor read, and single sectors of either kind.
        let faults = [Fault::Unwritable(Sectors::new(431_208, 24)), Fault::Unreadable(Sectors::new(431_208, 24))];
        let single = [Fault::Unwritable(Sectors::new(437_990, 1)), Fault::Unreadable(Sectors::new(702_517, 2))];
        faults.into_iter().chain(single).for_each(|f| bay.drive.add_fault(f));
    }
}

/// The record of the job that erased the drive in bay 10 a while ago; `examples/record_of_bay_10` has made it.
///
/// # Panics
/// Never: a test reads it.
pub fn record_of_bay_10() -> Record {
    Record::from_json(include_str!("../assets/bay-10.record.json")).expect("it is a record: a test keeps it so")
}

/// Lays the mark of that job, which nobody has signed: nothing vouches for what is simulated.
fn lay_mark(store: &mut Store, geometry: Geometry) {
    let says = TagFacts::of(&record_of_bay_10(), "Brackwater Weather Service, Tern Quay workshop, extension 214");
    let page = says.and_then(|says| ErasureTag::new(says, |_| None).page(geometry.logical));
    if let (Some(page), Some(places)) = (page, places(geometry)) {
        places.iter().for_each(|at| store.write(geometry.bytes_of(at.first.0), &page));
    }
}

/// Old files where the host does not reach: in a hidden area, and in a second namespace.
fn fill_beyond(bay: &Bay, sectors: u64) {
    let native = bay.drive.native_sectors();
    for lba in (sectors..native).step_by(64) {
        let line = format!(
            "{} tide log, archive sheet {lba}: Tide gauge cleaned of weed; 1.92 m at 04:10\n",
            STATIONS[lba as usize % 4]
        );
        let length = 512 * (native - lba).min(16) as usize;
        let sheet = line.repeat(length.div_ceil(line.len()));
        bay.drive.write_beyond(Lba(lba), &sheet.as_bytes()[..length]);
    }
    bay.drive.forget_what_was_before();
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_device::medium::Medium;
    use jurex_disposition::erasure_tag::{self, FoundTag, TagState};
    use jurex_sanitize::contents::look;

    #[test]
    fn the_drive_in_bay_10_carries_the_mark_of_the_job_that_has_erased_it() {
        let (bench, record) = (SimBench::new(Pacing::Unpaced), record_of_bay_10());
        let drive = &bench.bay(10).unwrap().drive;
        jurex_disposition::proof::ExpectedContents::check_drive(&record, &drive.drive()).unwrap();
        let FoundTag::Mark(found, TagState::Both) = erasure_tag::look(&mut drive.peek(), &|_| None) else { panic!() };
        assert!(found.says().is_of(&record) && found.says().fits(&drive.drive()) && found.signed().is_none());
    }

    #[test]
    fn the_bench_holds_what_a_look_then_finds() {
        let bench = SimBench::new(Pacing::Unpaced);
        let seen: Vec<String> = bench
            .bays()
            .iter()
            .map(|bay| format!("{} {}: {}", bay.number, bay.drive.drive().size(), look(&mut bay.drive.peek()).sentence()))
            .collect();
        insta::assert_snapshot!(seen.join("\n"));
    }

    #[test]
    fn the_files_are_really_there_and_one_pass_on_flash_leaves_some_in_spare_cells() {
        let bench = SimBench::new(Pacing::Unpaced);
        let card = &bench.bay(7).unwrap().drive;
        let secret = b"Tide gauge cleaned of weed";
        assert!(card.cells_hold(secret));
        let mut medium = card.open().unwrap();
        let sectors = medium.geometry().sectors;
        let mut lay = |byte: u8| (0..sectors).for_each(|lba| medium.write(Lba(lba), &[byte; 512]).unwrap());
        lay(0x55);
        lay(0xaa);
        assert!(!card.cells_hold(secret), "two passes have been round every cell of this card");
    }

    #[test]
    fn a_drive_opens_for_one_user_at_a_time() {
        let bench = SimBench::new(Pacing::Unpaced);
        let drive = &bench.bay(6).unwrap().drive;
        let open = drive.open().unwrap();
        assert!(drive.open().is_err());
        drop(open);
        assert!(drive.open().is_ok());
    }
}
