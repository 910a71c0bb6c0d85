//! The byte viewer's state: where it is in the drive's raw sectors, and what is searched for.

use jurex_device::bytes::Needle;
use jurex_look::field::Field;
use jurex_station::bench::ReadError;

/// Sectors that the byte viewer reads and draws at once.
pub(crate) const PAGE_SECTORS: u64 = 256;

/// Sectors in one row of the map.
pub(crate) const MAP_ROW: u64 = 16;
/// Bytes in one row of the dump.
pub(crate) const DUMP_ROW: usize = 16;

/// Raw sectors of the drive.
#[derive(Default)]
pub(crate) struct BytesView {
    /// The chosen sector.
    pub(crate) cursor: u64,
    /// First byte of it that is shown.
    pub(crate) scroll: usize,
    /// First sector of the page, and its bytes once they are read.
    pub(crate) first: u64,
    pub(crate) page: Option<Result<Vec<u8>, ReadError>>,
    pub(crate) prompt: Option<Prompt>,
    pub(crate) needle: Option<Needle>,
    /// Where a search is, while it goes on.
    pub(crate) searching: Option<u64>,
    pub(crate) said: Option<String>,
}

/// Something that is being typed in the byte viewer.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Prompt {
    /// A sector to go to.
    Sector(Field),
    /// Bytes or text to search for.
    Search(Field),
}

impl Prompt {
    pub(crate) fn field(&mut self) -> &mut Field {
        match self {
            Prompt::Sector(field) | Prompt::Search(field) => field,
        }
    }
}

impl BytesView {
    /// Goes to a sector; gives the page to read, if another one is needed.
    pub(crate) fn go_to(&mut self, sector: u64) -> Option<u64> {
        self.cursor = sector;
        let first = sector / PAGE_SECTORS * PAGE_SECTORS;
        if first == self.first && self.page.is_some() {
            return None;
        }
        (self.first, self.page) = (first, None);
        Some(first)
    }
}
