//! The simulated bench: Bench 2 of the Tern Quay workshop and the drives in its bays.
//!
//! They are scale models, a thousandth of the printed capacity: every sector is really there and really processed.

use crate::contents::{self, Partition, Volume};
use crate::drive::{Kind, SimDrive};
use crate::speed::{Pacing, SpeedShape};
use jurex_core::guard::Hindrance;
use jurex_core::media::{Bus, Drive, Geometry, HiddenAreas, Identity, MediaClass};

/// A bay of the bench with its drive.
#[derive(Clone)]
pub struct Bay {
    /// Number of the bay.
    pub number: u32,
    /// The drive in it.
    pub drive: SimDrive,
    /// What stands in the way of erasing it.
    pub hindrances: Vec<Hindrance>,
}

/// The whole bench.
pub struct Bench {
    bays: Vec<Bay>,
}

/// One line of the bench's inventory.
struct Entry {
    bay: u32,
    maker: &'static str,
    model: &'static str,
    serial: &'static str,
    firmware: &'static str,
    class: MediaClass,
    basis: &'static str,
    bus: Bus,
    kind: Kind,
    megabytes: u64,
    physical: u32,
    /// Megabytes per second, first and last sector.
    speed: (f64, f64),
}

const SYSTEM: Entry = Entry {
    bay: 1,
    maker: "Quillon",
    model: "Arc 512",
    serial: "QA512W3H08TB",
    firmware: "2.11",
    class: MediaClass::SolidState,
    basis: "its rotation word is 1",
    bus: Bus::Sata,
    kind: Kind::Flash { spare_percent: 7 },
    megabytes: 512,
    physical: 4096,
    speed: (60.0, 60.0),
};
const FORECAST: Entry = Entry {
    bay: 2,
    maker: "Ferrant",
    model: "Meridian 2000",
    serial: "FM2000K7Q41M",
    firmware: "BR04",
    class: MediaClass::Magnetic,
    basis: "it turns 7200 times a minute",
    bus: Bus::Sata,
    kind: Kind::Magnetic,
    megabytes: 2000,
    physical: 4096,
    speed: (190.0, 92.0),
};
const STICK: Entry = Entry {
    bay: 6,
    maker: "Tessel",
    model: "Pebble 64",
    serial: "TP64-5D0N2XV8",
    firmware: "1.00",
    class: MediaClass::RemovableFlash,
    basis: "it is a removable USB stick",
    bus: Bus::Usb,
    kind: Kind::Flash { spare_percent: 5 },
    megabytes: 64,
    physical: 512,
    speed: (9.0, 9.0),
};
const CARD: Entry = Entry {
    bay: 7,
    maker: "Tessel",
    model: "Logger 32",
    serial: "TL32H6R90C2Y",
    firmware: "0.8",
    class: MediaClass::RemovableFlash,
    basis: "it is a memory card",
    bus: Bus::Mmc,
    kind: Kind::Flash { spare_percent: 5 },
    megabytes: 32,
    physical: 512,
    speed: (11.0, 11.0),
};

impl Entry {
    fn sectors(&self) -> u64 {
        self.megabytes * 1_000_000 / 512 / 8 * 8
    }

    fn drive(&self, pacing: Pacing) -> SimDrive {
        let drive = Drive {
            path: format!("sim:{}", self.bay),
            identity: Identity {
                maker: Some(self.maker.into()),
                model: Some(self.model.into()),
                serial: Some(self.serial.into()),
                firmware: Some(self.firmware.into()),
            },
            class: self.class,
            class_basis: self.basis.into(),
            bus: self.bus,
            geometry: Geometry { logical: 512, physical: self.physical, sectors: self.sectors() },
            hidden: HiddenAreas::None,
            bridged: false,
            simulated: true,
        };
        let shape = SpeedShape { outer: self.speed.0 * 1e6, inner: self.speed.1 * 1e6, read_factor: 1.15 };
        SimDrive::new(drive, self.kind, shape, pacing)
    }
}

const STATIONS: &[&str] = &["Skerry Point", "Gull Ness", "Holm Sound", "Anvil Rock"];

impl Bench {
    /// The bench of the demonstration, with contents made from a fixed seed.
    pub fn new(pacing: Pacing) -> Self {
        let free = |entry: &Entry| Bay { number: entry.bay, drive: entry.drive(pacing), hindrances: vec![] };
        let mut system = free(&SYSTEM);
        system.hindrances = vec![Hindrance::System { mount: "/".into() }];
        let bays = vec![system, free(&FORECAST), free(&STICK), free(&CARD)];
        bays.iter().for_each(fill);
        Self { bays }
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
    let sectors = bay.drive.drive().geometry.sectors;
    let seed = 0x5EED_0417 + u64::from(bay.number);
    let rest = |used: u64| (sectors - used) / 2048 * 2048 - 2 * 2048;
    let volume = |label, stations, days| Volume::Station { label, stations, days };
    bay.drive.prepare(|store| {
        let made = match bay.number {
            1 => {
                let boot = Partition { sectors: 65_536, volume: Volume::Boot };
                let system = Partition { sectors: rest(65_536), volume: volume("TERN SYSTEM", &STATIONS[..1], 2) };
                contents::gpt(store, sectors, &[boot, system], seed)
            }
            2 => {
                let boot = Partition { sectors: 131_072, volume: Volume::Boot };
                let data = Partition { sectors: 1_638_400, volume: volume("STATIONS", STATIONS, 40) };
                let swap = Partition { sectors: 262_144, volume: Volume::Swap };
                let used = boot.sectors + data.sectors + swap.sectors;
                let archive = Partition { sectors: rest(used), volume: volume("ARCHIVE", STATIONS, 20) };
                contents::gpt(store, sectors, &[boot, data, swap, archive], seed)
            }
            6 => contents::mbr(store, &[Partition { sectors: rest(0), volume: volume("PEBBLE", &STATIONS[1..2], 10) }], seed),
            _ => contents::mbr(store, &[Partition { sectors: rest(0), volume: volume("LOGGER", &STATIONS[..1], 30) }], seed),
        };
        made.expect("the contents of a simulated drive fit on it: a test keeps it so");
    });
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurex_core::contents::look;
    use jurex_core::medium::Medium;
    use jurex_core::units::Lba;

    #[test]
    fn the_bench_holds_what_a_look_then_finds() {
        let bench = Bench::new(Pacing::Unpaced);
        let seen: Vec<String> = bench
            .bays()
            .iter()
            .map(|bay| format!("{} {}: {}", bay.number, bay.drive.drive().size(), look(&mut bay.drive.peek()).sentence()))
            .collect();
        assert_eq!(
            seen,
            [
                "1 512 MB (488 MiB): GPT partition table: FAT16 \"TERN BOOT\", FAT16 \"TERN SYSTEM\".",
                "2 2.00 GB (1.86 GiB): GPT partition table: FAT16 \"TERN BOOT\", FAT32 \"STATIONS\", swap \"tern\", FAT32 \"ARCHIVE\".",
                "6 64.0 MB (61.0 MiB): MBR partition table: FAT16 \"PEBBLE\".",
                "7 32.0 MB (30.5 MiB): MBR partition table: FAT16 \"LOGGER\".",
            ]
        );
    }

    #[test]
    fn the_files_are_really_there_and_one_pass_on_flash_leaves_some_in_spare_cells() {
        let bench = Bench::new(Pacing::Unpaced);
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
        let bench = Bench::new(Pacing::Unpaced);
        let drive = &bench.bay(6).unwrap().drive;
        let open = drive.open().unwrap();
        assert!(drive.open().is_err());
        drop(open);
        assert!(drive.open().is_ok());
    }
}
