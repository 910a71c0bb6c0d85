//! Any bytes as a drive: looking at it must end, stay inside, and give nothing that a terminal could take for a command.
#![no_main]

use jurex_device::media::{Bus, Drive, Geometry, MediaClass};
use jurex_device::medium::{Access, Cause, Medium, MediumError, Op};
use jurex_pattern::units::{Lba, Sectors};
use jurex_sanitize::contents::look;
use libfuzzer_sys::fuzz_target;

/// A drive whose first bytes, and last ones, are the fuzzer's.
struct Fuzzed<'b> {
    bytes: &'b [u8],
    geometry: Geometry,
}

impl Medium for Fuzzed<'_> {
    fn geometry(&self) -> Geometry {
        self.geometry
    }
    fn access(&self) -> Access {
        Access::DIRECT
    }
    fn identify(&mut self) -> Result<Drive, MediumError> {
        Ok(Drive::bare("fuzz", Bus::Unknown, MediaClass::Unknown, "", self.geometry))
    }
    fn read(&mut self, at: Lba, out: &mut [u8]) -> Result<(), MediumError> {
        let sector = u64::from(self.geometry.logical);
        let stretch = Sectors::new(at.0, out.len() as u64 / sector);
        if stretch.end() > self.geometry.sectors {
            let cause = Cause::Refused(std::io::ErrorKind::InvalidInput.into());
            return Err(MediumError { op: Op::Read, at: Some(stretch), cause });
        }
        // What the fuzzer gave lies at the drive's start, and mirrored from its end.
        let total = self.geometry.bytes();
        for (i, byte) in out.iter_mut().enumerate() {
            let here = at.0 * sector + i as u64;
            let place = here.min(total - 1 - here) as usize;
            *byte = self.bytes.get(place).copied().unwrap_or(0);
        }
        Ok(())
    }
    fn write(&mut self, _: Lba, _: &[u8]) -> Result<(), MediumError> {
        panic!("a look writes nothing");
    }
    fn flush(&mut self) -> Result<(), MediumError> {
        Ok(())
    }
}

fuzz_target!(|bytes: &[u8]| {
    let [shape, rest @ ..] = bytes else { return };
    let logical = if shape & 1 == 0 { 512 } else { 4096 };
    let sectors = [1, 7, 40, 700, 70_000, 1 << 33, u64::MAX / 4096][usize::from(shape >> 1) % 7];
    let geometry = Geometry { logical, physical: logical, sectors };
    let contents = look(&mut Fuzzed { bytes: rest, geometry });
    for region in &contents.regions {
        assert!(region.at.end() <= sectors && region.at.count > 0);
        assert!(region.called().chars().all(|c| !c.is_control()));
    }
    let mut read = |at: u64, out: &mut [u8]| {
        for (i, byte) in out.iter_mut().enumerate() {
            *byte = rest.get((at as usize).saturating_add(i)).copied().unwrap_or(0);
        }
        Ok(())
    };
    if let Ok(free) = jurex_file_erase::free_clusters(&mut read) {
        assert!(free.windows(2).all(|w| w[0].0 + w[0].1 < w[1].0), "stretches stand apart, in order");
    }
    let texts = [contents.sentence(), contents.note.unwrap_or_default()];
    assert!(texts.iter().all(|t| t.chars().all(|c| !c.is_control())));
});
