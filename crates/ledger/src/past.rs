//! The ledger as the past that others ask, through nothing but [`PastWork`].

use crate::Ledger;
use jiff::Timestamp;
use jurex_device::media::Drive;
use jurex_disposition::lot::Lot;
use jurex_disposition::proof::{SecondCheck, VerificationRecord};
use jurex_disposition::release::{OpenItem, Release};
use jurex_engine::Event;
use jurex_past::tree::Hash;
use jurex_past::{Due, Inclusion, JobLine, KnownDrive, Leaf, LotNow, NotedSubject, PastError, PastWork, StoredHead, TreeHead};
use jurex_sanitize::record::{JobId, Record};

impl PastWork for Ledger {
    fn find(&self, typed: &str, before: Option<i64>, most: u32) -> Result<Vec<JobLine>, PastError> {
        Ledger::find(self, typed, before, most)
    }

    fn of_lot(&self, lot: &str) -> Result<Vec<JobLine>, PastError> {
        Ledger::of_lot(self, lot)
    }

    fn of_serial(&self, serial: &str) -> Result<Vec<JobLine>, PastError> {
        Ledger::of_serial(self, serial)
    }

    fn record(&self, job: &JobId) -> Result<Record, PastError> {
        Ledger::record(self, job)
    }

    fn events(&self, job: &JobId) -> Result<Vec<(String, String)>, PastError> {
        Ledger::events(self, job)
    }

    fn known(&self, name: &str) -> Result<Option<KnownDrive>, PastError> {
        Ledger::known(self, name)
    }

    fn known_by_job(&self, job: &JobId) -> Result<Option<KnownDrive>, PastError> {
        Ledger::known_by_job(self, job)
    }

    fn known_of(&self, serial: Option<&str>, job: Option<&JobId>) -> Result<Option<KnownDrive>, PastError> {
        Ledger::known_of(self, serial, job)
    }

    fn serials_like(&self, typed: &str, most: u32) -> Result<Vec<String>, PastError> {
        Ledger::serials_like(self, typed, most)
    }

    fn releases_of(&self, name: &str) -> Result<Vec<Release>, PastError> {
        Ledger::releases_of(self, name)
    }

    fn open_matters(&self, most: u32) -> Result<Vec<(OpenItem, u64, Vec<KnownDrive>)>, PastError> {
        Ledger::open_matters(self, most)
    }

    fn open_of(&self, matter: OpenItem, most: u32) -> Result<(u64, Vec<KnownDrive>), PastError> {
        Ledger::open_of(self, matter, most)
    }

    fn lots(&self, only_open: bool) -> Result<Vec<Lot>, PastError> {
        Ledger::lots(self, only_open)
    }

    fn lot(&self, name: &str) -> Result<Option<Lot>, PastError> {
        Ledger::lot(self, name)
    }

    fn lot_now(&self, lot: Lot) -> Result<LotNow, PastError> {
        Ledger::lot_now(self, lot)
    }

    fn drawn(&self, lot: Option<&str>) -> Result<Vec<Due>, PastError> {
        Ledger::drawn(self, lot)
    }

    fn drawn_of_lot(&self, lot: &str) -> Result<(u64, u64), PastError> {
        Ledger::drawn_of_lot(self, lot)
    }

    fn verifications(&self, job: &JobId) -> Result<Vec<VerificationRecord>, PastError> {
        Ledger::verifications(self, job)
    }

    fn second_checks(&self, jobs: &[JobId]) -> Result<Vec<(JobId, SecondCheck)>, PastError> {
        Ledger::second_checks(self, jobs)
    }

    fn begin(&self, job: &JobId, drive: &Drive, started: Timestamp) -> Result<(), PastError> {
        Ledger::begin(self, job, drive, started)
    }

    fn tell(&self, job: &JobId, event: &Event, time: Timestamp) -> Result<(), PastError> {
        Ledger::tell(self, job, event, time)
    }

    fn finish(&self, record: &Record, made: Timestamp) -> Result<(), PastError> {
        Ledger::finish(self, record, made)
    }

    fn add_record(&self, record: &Record, made: Timestamp) -> Result<(), PastError> {
        Ledger::add_record(self, record, made)
    }

    fn add_verification(&self, job: &JobId, verification: &VerificationRecord, made: Timestamp) -> Result<(), PastError> {
        Ledger::add_verification(self, job, verification, made)
    }

    fn keep_lot(&self, lot: &Lot, said: &str, when: Timestamp) -> Result<(), PastError> {
        Ledger::keep_lot(self, lot, said, when)
    }

    fn keep_release(&self, release: &Release) -> Result<(), PastError> {
        Ledger::keep_release(self, release)
    }

    fn note(&self, about: NotedSubject, said: &str, of: Option<&str>, when: Timestamp) -> Result<(), PastError> {
        Ledger::note(self, about, said, of, when)
    }

    fn note_settings(&self, text: &str, when: Timestamp) -> Result<(), PastError> {
        Ledger::note_settings(self, text, when)
    }

    fn head(&self) -> Result<TreeHead, PastError> {
        Ledger::head(self)
    }

    fn root_at(&self, size: u64) -> Result<Option<Hash>, PastError> {
        Ledger::root_at(self, size)
    }

    fn follows_from(&self, head: &TreeHead) -> Result<bool, PastError> {
        Ledger::follows_from(self, head)
    }

    fn has_records_since_a_key(&self) -> Result<bool, PastError> {
        Ledger::has_records_since_a_key(self)
    }

    fn cover_events(&self, when: Timestamp) -> Result<(), PastError> {
        Ledger::cover_events(self, when)
    }

    fn note_taken(&self, instead_of: &TreeHead, when: Timestamp) -> Result<(), PastError> {
        Ledger::note_taken(self, instead_of, when)
    }

    fn noted(&self) -> Result<Vec<Leaf>, PastError> {
        Ledger::noted(self)
    }

    fn keep_head(&self, head: &TreeHead, note: &str) -> Result<(), PastError> {
        Ledger::keep_head(self, head, note)
    }

    fn heads(&self) -> Result<Vec<StoredHead>, PastError> {
        Ledger::heads(self)
    }

    fn newest_head(&self) -> Result<Option<StoredHead>, PastError> {
        Ledger::newest_head(self)
    }

    fn inclusion(&self, job: &JobId) -> Result<Option<Inclusion>, PastError> {
        Ledger::inclusion(self, job)
    }
}
