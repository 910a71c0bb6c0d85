//! What becomes of a drive: noted in the ledger, and done to it where something is to be written. The same for the command line and the
//! interface.

mod labels;

pub mod volumes;
mod wanted;
mod write;

pub use crate::erasure_tag::MarkHere;
pub use labels::Labels;
pub use volumes::{MakerOf, makers};
pub use wanted::{Becomes, WantedRelease};
pub use write::{hold, show_partitions};
use write::{permit, write};

use crate::bench::DriveSnapshot;
use crate::clock::wall;
use crate::exit::Failure;
use crate::signing::Signer;
use crate::this_tool;
use jurex_device::media::MediaClass;
use jurex_disposition::lot::{ExpectedDrive, Lot};
use jurex_disposition::release::{Act, BadRelease, Circumstances, OfDrive, Release, Whereabouts, in_force};
use jurex_ledger::Ledger;
use jurex_past::{JobStatus, KnownDrive, PastError, PastWork};
use jurex_sanitize::record::{JobId, Papers, Record};
use jurex_sanitize::rules::Edition;
use std::path::Path;

impl From<BadRelease> for Failure {
    fn from(e: BadRelease) -> Self {
        Failure::Use(format!("{e}. Nothing was noted"))
    }
}

/// The drive that something is noted of, with what the ledger knows of it.
#[derive(Clone, Debug)]
pub struct Subject {
    pub drive: OfDrive,
    /// Its newest job that has a record which holds.
    pub record: Option<Box<Record>>,
    /// Its newest job.
    pub job: Option<JobId>,
    /// The lot that it belongs to.
    pub lot: String,
    /// What people said of it: with its newest job, else in the list of its lot.
    pub papers: Option<Box<Papers>>,
    /// The service that has it now, with the batch that it went with.
    pub at_service: Option<(String, String)>,
    /// What was said of it and stands still, the oldest first.
    pub noted: Vec<Release>,
}

impl Subject {
    fn new(drive: OfDrive, known: Option<&KnownDrive>, ledger: &dyn PastWork) -> Result<Self, PastError> {
        let newest = known.and_then(|k| k.jobs.last());
        let record = newest.and_then(|line| if let JobStatus::Recorded(r) = &line.standing { Some(r.clone()) } else { None });
        let by_list = || -> Result<Option<Papers>, PastError> {
            let Some(serial) = drive.unit.serial() else { return Ok(None) };
            let lots = ledger.lots(true)?;
            Ok(jurex_disposition::lot::expected_in(&lots, serial).map(|(lot, expected)| said_of(lot, expected)))
        };
        let of_record = record.as_ref().map(|record| record.papers().clone());
        // Without a lot of its own it is that of the list that expects it.
        let papers = match of_record {
            Some(papers) if !papers.lot.is_empty() => Some(papers),
            Some(papers) => {
                let lot = by_list()?.map(|listed| listed.lot).unwrap_or_default();
                Some(Papers { lot, ..papers })
            }
            None => by_list()?,
        };
        let lot = papers.as_ref().map(|papers| papers.lot.clone()).unwrap_or_default();
        let noted = known.map(|k| in_force(&k.releases).into_iter().cloned().collect()).unwrap_or_default();
        let at_service = known.and_then(at_service);
        Ok(Self { record, job: newest.map(|line| line.job.clone()), lot, papers: papers.map(Box::new), at_service, noted, drive })
    }

    /// A drive that is there.
    pub fn of_seen(seen: &DriveSnapshot, ledger: &dyn PastWork) -> Result<Self, PastError> {
        let known = match seen.drive.unit.serial() {
            Some(serial) => ledger.known(serial)?,
            None => Self::known_by_attachment(seen, ledger)?,
        };
        let at_service = known.as_ref().and_then(at_service);
        // Another maker's drive may carry the same serial: its jobs say nothing of this one.
        let known = known.filter(|k| {
            k.jobs
                .iter()
                .rev()
                .find_map(|l| l.standing.record())
                .is_none_or(|r| r.evidence().drive().unit.model == seen.drive.unit.model)
        });
        Ok(Self { at_service, ..Self::new(OfDrive::of(&seen.drive), known.as_ref(), ledger)? })
    }

    /// A drive without a serial is known by its jobs for as long as it stays attached.
    fn known_by_attachment(seen: &DriveSnapshot, ledger: &dyn PastWork) -> Result<Option<KnownDrive>, PastError> {
        /// Jobs that are looked through for it, the newest first.
        const LOOKED_THROUGH: u32 = 200;
        let is_same = |record: &Record| {
            let (then, now) = (record.evidence().drive(), &seen.drive);
            let attached = now.attachment.instance.is_some() && now.attachment.instance == then.attachment.instance;
            attached && now.unit == then.unit && now.geometry.is_as_large_as(record.evidence().geometry())
        };
        let found = ledger.find("", None, LOOKED_THROUGH)?;
        let job = found.iter().find(|line| line.standing.record().is_some_and(is_same)).map(|line| line.job.clone());
        job.map_or(Ok(None), |job| ledger.known_by_job(&job))
    }

    /// The drive that a job was on.
    pub fn of_job(job: &JobId, ledger: &dyn PastWork) -> Result<Self, Failure> {
        let none = || Failure::Use(format!("there is no job {job} in the ledger"));
        let known = ledger.known_by_job(job)?.ok_or_else(none)?;
        let drive = known.jobs.iter().rev().find_map(|l| l.standing.record()).map(|r| {
            let evidence = r.evidence();
            OfDrive { geometry: Some(evidence.geometry()), ..OfDrive::of(evidence.drive()) }
        });
        let drive = drive.unwrap_or_else(|| {
            let serial = known.jobs.last().and_then(|l| l.serial.clone()).unwrap_or_default();
            OfDrive::by_label(&serial, MediaClass::Unknown)
        });
        Ok(Self::new(drive, Some(&known), ledger)?)
    }

    /// A drive that is known by its label alone.
    pub fn of_label(serial: &str, class: Option<MediaClass>, ledger: &dyn PastWork) -> Result<Self, Failure> {
        let known = ledger.known(serial)?;
        let by_job = known.as_ref().and_then(|k| k.jobs.iter().rev().find_map(|l| l.standing.record()));
        let drive = match (by_job, known.as_ref().and_then(|k| k.releases.last())) {
            (Some(record), _) => OfDrive::of(record.evidence().drive()),
            (None, Some(release)) => release.drive.clone(),
            (None, None) => OfDrive::by_label(serial, class.unwrap_or(MediaClass::Unknown)),
        };
        // What a person says of the media counts only where no drive has told.
        let class = if drive.class == MediaClass::Unknown { class.unwrap_or(MediaClass::Unknown) } else { drive.class };
        Ok(Self::new(OfDrive { class, ..drive }, known.as_ref(), ledger)?)
    }

    /// What a file of it is called.
    pub fn file_name(&self) -> String {
        let serial = self.drive.unit.serial().unwrap_or_default();
        let safe = |c: char| if c.is_ascii_alphanumeric() || matches!(c, '-' | '_') { c } else { '_' };
        let serial: String = serial.chars().take(60).map(safe).collect();
        match (&self.job, serial.is_empty()) {
            (Some(job), _) => job.to_string(),
            (None, false) => serial,
            (None, true) => "drive".into(),
        }
    }

    /// Notes an act in the ledger, and signs its head.
    ///
    /// # Errors
    /// Something that must be said is not, or the ledger can't be written.
    pub fn note(&self, act: Act, who: &ReleaseAuthor<'_>, ledger: &Path) -> Result<Release, Failure> {
        let job = self.job.clone().map(|job| {
            let digest = self.record.as_ref().filter(|r| r.job == job).map(|r| r.digest()).unwrap_or_default();
            (job, digest)
        });
        let about = Circumstances {
            tool: this_tool(),
            made: wall(),
            by: who.by.trim().into(),
            drive: self.drive.clone(),
            job,
            lot: self.lot.clone(),
            papers: self.papers.clone(),
        };
        let release = Release::new(about, act, who.edition)?;
        Ledger::open(ledger)?.keep_release(&release)?;
        who.seal.close(ledger);
        Ok(release)
    }
}

/// What the list of a lot says of one of its drives.
fn said_of(lot: &Lot, expected: &ExpectedDrive) -> Papers {
    Papers {
        lot: lot.name.clone(),
        property_number: expected.property_number.clone(),
        source: expected.source.clone(),
        destination: expected.destination.clone(),
        need: expected.need(),
        ..Papers::default()
    }
}

fn at_service(known: &KnownDrive) -> Option<(String, String)> {
    match &known.standing.as_ref()?.place {
        Whereabouts::AtService { service, batch } => Some((service.clone(), batch.clone())),
        _ => None,
    }
}

/// Who notes something, by which rules it is judged, and what vouches for it.
pub struct ReleaseAuthor<'a> {
    pub by: &'a str,
    pub edition: Edition,
    pub seal: &'a Signer,
}
