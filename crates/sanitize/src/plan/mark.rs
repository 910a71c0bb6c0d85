//! Where a mark stands that says what was done.

use jurex_device::media::Geometry;
use jurex_pattern::units::Sectors;

/// Bytes of a mark; on larger sectors it takes one of them.
pub const MARK_BYTES: usize = 4096;

/// Where the two copies stand: in the first and in the last sectors; `None`: the drive is too small for a mark.
pub fn mark_places(geometry: Geometry) -> Option<[Sectors; 2]> {
    let count = (MARK_BYTES as u64).div_ceil(u64::from(geometry.logical.max(1)));
    let last = geometry.sectors.checked_sub(count)?;
    (last >= 2 * count).then(|| [Sectors::new(0, count), Sectors::new(last, count)])
}
