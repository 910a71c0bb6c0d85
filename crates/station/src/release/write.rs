//! Writing to a drive before it goes: through the guard, with its label read or right after its erasure here, held for this process
//! alone. What was written is read back.

use super::volumes;
use crate::bench::{DriveSnapshot, OpenDrive};
use crate::clock::SystemEntropy;
use crate::exit::Failure;
use jurex_device::guard::Cleared;
use jurex_device::media::{Drive, DriveLabel, Scope};
use jurex_disposition::erasure_tag;
use jurex_disposition::proof::{ExpectedContents, Holds};
use jurex_disposition::release::{Act, Discarded, Leave, Permit, PreparedDrive, TablesCleared};
use jurex_pattern::notation::Entropy;
use jurex_pattern::pattern::AlignedBuffer;
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::units::Lba;
use jurex_sanitize::contents;
use jurex_sanitize::record::Record;

/// The word that this very drive is meant: its label as it was typed, or its erasure here a moment ago. `Ok(None)`: the label must be
/// read.
///
/// # Errors
/// The label is another.
pub(super) fn permit(
    seen: &DriveSnapshot,
    cleared: &Cleared,
    newest: Option<&Record>,
    typed: Option<&str>,
) -> Result<Option<Permit>, Failure> {
    match typed {
        Some(typed) => Ok(Some(Permit::by_label(cleared, typed)?)),
        None => {
            // Whoever has made something of it since may have put something there.
            let untouched = newest.filter(|record| seems_untouched(seen, record));
            Ok(untouched.and_then(|record| Permit::just_erased(cleared, record)))
        }
    }
}

/// Whether a few hundred places of the drive hold what its job has left. It is no proof: it only spares a person the label where all speaks
/// for it.
fn seems_untouched(seen: &DriveSnapshot, record: &Record) -> bool {
    const PLACES: usize = 256;
    let run = || -> Option<bool> {
        let mut medium = seen.peek().ok()?;
        let geometry = medium.geometry();
        let mark = erasure_tag::look(medium.as_mut(), &crate::erasure_tag::said_in);
        let expected = ExpectedContents::by_record(record).ok()?.with_mark(&mark, record, geometry);
        let Holds::Pattern { pattern } = &expected.holds else { return None };
        let marks: RangeSet = erasure_tag::places(geometry).into_iter().flatten().filter(|_| expected.mark.is_some()).collect();
        let mut drawn = [0; 8];
        let mut places: Vec<u64> = vec![0, 1, 2, geometry.sectors.checked_sub(1)?, geometry.sectors / 2];
        while places.len() < PLACES {
            SystemEntropy.fill(&mut drawn);
            places.push(u64::from_le_bytes(drawn) % geometry.sectors);
        }
        let (mut found, mut right) = (AlignedBuffer::new(geometry.logical as usize), vec![0; geometry.logical as usize]);
        for at in places.into_iter().map(Lba).filter(|at| !marks.contains(*at)) {
            medium.read(at, found.bytes()).ok()?;
            pattern.fill(geometry.bytes_of(at.0), geometry.logical, &mut right);
            if found.bytes() != right.as_slice() {
                return Some(false);
            }
        }
        Some(true)
    };
    run().unwrap_or(false)
}

/// Does what is to be done to the drive, and gives each act with what was read back.
///
/// # Errors
/// In use, no rights, gone, another drive, no program for a file system: what was and was not done.
pub(super) fn write(
    seen: &DriveSnapshot,
    label: &DriveLabel,
    permit: Permit,
    leave: &Leave,
    discard: bool,
) -> Result<Vec<Act>, Failure> {
    let called = seen.drive.called();
    let simulated = seen.drive.simulated;
    if let Leave::Prepared(layout) = leave {
        // Before anything is written.
        for (volume, _) in &layout.volumes {
            if let volumes::MakerOf::Missing(why) = volumes::MakerOf::of(volume.system, simulated) {
                return Err(Failure::Use(format!("{called} was not prepared: {why}. Nothing was written")));
            }
        }
    }
    let (mut drive, found) = hold(seen, label, &permit)?;
    let before = contents::look(drive.medium());
    let mut acts = vec![];
    if discard {
        let whole = found.geometry.whole();
        match drive.medium().discard(whole) {
            Ok(()) => acts.push(Act::Discarded(Discarded { sectors: whole.count })),
            Err(e) => return Err(Failure::Use(format!("{called} takes no discard ({}). Nothing was written", e.cause.os()))),
        }
    }
    let half = |why: String, acts: &[Act]| {
        let discarded = if acts.is_empty() { "" } else { "; its sectors were discarded before" };
        Failure::Less(format!("{called} was not made ready, and may be half written: {why}{discarded}"))
    };
    match leave {
        Leave::Blank => acts.push(Act::Blank),
        Leave::TablesCleared => {
            let cleared = TablesCleared::clear(drive.medium(), &before).map_err(|e| half(e.to_string(), &acts))?;
            let found = contents::look(drive.medium()).sentence();
            acts.push(Act::TablesCleared(TablesCleared { cleared, found }));
        }
        Leave::Prepared(layout) => {
            layout.write_table(drive.medium(), &mut SystemEntropy).map_err(|e| half(e.to_string(), &acts))?;
            let volumes = volumes::make(layout, &mut drive, simulated).map_err(|why| half(why, &acts))?;
            let found = contents::look(drive.medium());
            acts.push(Act::Prepared(PreparedDrive {
                table: layout.table,
                volumes,
                spare_bytes: drive.medium().geometry().bytes_of(layout.spare),
                as_wished: layout.is_found(&found),
                found: found.sentence(),
            }));
        }
    }
    show_partitions(&drive);
    Ok(acts)
}

/// Opens the drive for this process alone, once it is seen that nothing has begun to use it and that it is the one that is permitted; gives
/// it with who it is.
///
/// # Errors
/// In use, no rights, gone, another drive. Nothing was written.
pub fn hold(seen: &DriveSnapshot, label: &DriveLabel, permit: &Permit) -> Result<(OpenDrive, Drive), Failure> {
    let called = seen.drive.called();
    let now = seen.still_free(label, Scope::Sectors(seen.drive.geometry.whole()).into())?;
    let mut drive = now.open()?;
    let gone = |e: jurex_device::medium::MediumError| {
        Failure::Stopped(format!("{called} went away ({}). Nothing was written", e.cause.os()))
    };
    let found = drive.medium().identify().map_err(gone)?;
    if permit.is_of(&found) {
        return Ok((drive, found));
    }
    Err(Failure::Refused(format!("{called} is another drive now ({}). Nothing was written", found.called())))
}

/// Lets the system see the drive's partitions under their names. A file has none, and the system may be looking already.
pub fn show_partitions(drive: &OpenDrive) {
    if let OpenDrive::Machine(medium) = drive {
        let _ = medium.reread_table();
    }
}
