//! Lots with all that is known of their drives.

use crate::drive::KnownDrive;
use jiff::Timestamp;
use jurex_disposition::lot::{Lot, LotItem, LotJob, serial_key};
use std::collections::HashMap;

/// A lot with its jobs as they are now.
#[derive(Clone, Debug, PartialEq)]
pub struct LotNow {
    /// The lot.
    pub lot: Lot,
    /// Its jobs, the oldest first.
    pub jobs: Vec<LotJob>,
    /// All that is known of its drives, jobs of other lots with it.
    pub known: Vec<KnownDrive>,
}

impl LotNow {
    /// How every drive stands, those that were destroyed by what is stated of that. `here` are the serials of drives that are attached.
    pub fn items(&self, here: &[&str]) -> Vec<LotItem> {
        let mut items = self.lot.items(&self.jobs, here);
        let all: HashMap<String, &KnownDrive> =
            self.known.iter().filter_map(|known| Some((serial_key(&known.name)?, known))).collect();
        for item in &mut items {
            let known = serial_key(&item.serial).and_then(|key| all.get(&key).copied());
            if let Some(release) = known.and_then(KnownDrive::destruction) {
                item.destroy(release.clone());
            }
            // What came in after the lot was closed is none of its business.
            let is_of_lot = |when: &Timestamp| self.lot.closed.is_none_or(|closed| *when <= closed);
            if item.job.is_some() && known.and_then(KnownDrive::came_back).is_some_and(|when| is_of_lot(&when)) {
                item.come_back();
            }
        }
        items
    }
}
