//! Labels of jobs: made from the newest records of drives, written to a folder, printed by the system's `lp`.

use crate::clock::wall;
use crate::exit::Failure;
use crate::files;
use crate::signing::Signer;
use jurex_disposition::release::Treated;
use jurex_documents::{LabelSize, LabelsError, PrintedLabel, labels_pdf};
use jurex_past::PastWork;
use jurex_sanitize::record::{JobId, Record};
use jurex_sanitize::rules::Outcome;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// How labels are wanted.
pub struct Labels {
    pub size: LabelSize,
    /// On sheets the first free place, counted from 1.
    pub first: usize,
    /// The printer, as `lp` names it; empty or `default`: the usual one; `None`: they are not printed.
    pub printer: Option<String>,
}

/// Labels that were made.
pub struct LabelsMade {
    pdf: Vec<u8>,
    drawings: Vec<(String, String)>,
    printer: Option<String>,
}

/// What became of them.
pub struct LabelsGiven {
    pub written: Vec<PathBuf>,
    /// What lp said.
    pub printed: Option<String>,
}

impl LabelsGiven {
    pub fn sentence(&self) -> String {
        let folder = self.written.first().and_then(|p| p.parent()).map(|p| p.display().to_string());
        let printed = self.printed.as_ref().map(|said| format!("Sent to the printer: {said}."));
        let written = folder.map(|folder| format!("The label is written to {folder}."));
        [written, printed].into_iter().flatten().collect::<Vec<_>>().join(" ")
    }
}

impl Labels {
    /// Of these jobs, each of which must be the newest on its drive: an older one says nothing of what the drive holds now.
    ///
    /// # Errors
    /// No such job, no record, an older job, or no room on the label.
    pub fn of_jobs(&self, jobs: &[JobId], ledger: &dyn PastWork, seal: &Signer) -> Result<LabelsMade, Failure> {
        self.of(&jobs.iter().map(|job| newest(job, ledger)).collect::<Result<Vec<_>, _>>()?, seal)
    }

    /// Of these records.
    pub fn of(&self, records: &[Record], seal: &Signer) -> Result<LabelsMade, Failure> {
        let key_id = seal.key().map(|key| key.public().id());
        let labels: Vec<PrintedLabel> = records.iter().map(|r| PrintedLabel::of(r, key_id.as_deref())).collect();
        let wrong = |e: LabelsError| match e {
            LabelsError::Label(e) => Failure::Use(format!("{e}. Nothing was written")),
            LabelsError::Pdf(e) => Failure::Defect(e.to_string()),
        };
        let pdf = labels_pdf(&labels, self.size, self.first, wall()).map_err(wrong)?;
        let drawn = |(label, record): (&PrintedLabel, &Record)| {
            let svg = label.to_svg(self.size).map_err(|e| wrong(LabelsError::Label(e)))?;
            Ok((record.job.to_string(), svg))
        };
        let drawings = labels.iter().zip(records).map(drawn).collect::<Result<Vec<_>, Failure>>()?;
        Ok(LabelsMade { pdf, drawings, printer: self.printer.clone() })
    }
}

impl LabelsMade {
    /// Writes them to the folder, if there is one, and prints them, if that is wanted.
    ///
    /// # Errors
    /// They can't be written, or not printed.
    pub fn give_out(&self, out: Option<&Path>) -> Result<LabelsGiven, Failure> {
        let written = out.map(|out| files::write_labels(out, &self.pdf, &self.drawings)).transpose();
        let written = written.map_err(|e| Failure::Use(e.to_string()))?.unwrap_or_default();
        let printed = self.printer.as_deref().map(|printer| print(&self.pdf, printer)).transpose();
        let printed = printed.map_err(|why| Failure::Less(format!("the labels were not printed: {why}")))?;
        Ok(LabelsGiven { written, printed })
    }
}

fn newest(job: &JobId, ledger: &dyn PastWork) -> Result<Record, Failure> {
    let record = ledger.record(job)?;
    let known = ledger.known_by_job(job)?;
    let newest = known.as_ref().and_then(|known| known.jobs.last().map(|line| line.job.clone()));
    if let Some(newest) = newest.filter(|newest| newest != job) {
        return Err(Failure::Less(format!(
            "job {job} is not the newest on its drive: {newest} is, and the label must be of that one. Nothing was written"
        )));
    }
    // What has become of the drive since may have made the job's word untrue.
    match known.and_then(|known| known.standing).map(|standing| standing.treated) {
        Some(Treated::Never) => Err(Failure::Less(format!(
            "the drive of job {job} has come in again since: what it holds now is not known, and no label is made. Nothing was written"
        ))),
        Some(Treated::Destroyed(outcome)) if outcome != Outcome::NotSanitized => {
            Err(Failure::Less(format!("the drive of job {job} was destroyed since: no label is made. Nothing was written")))
        }
        _ => Ok(record),
    }
}

/// Prints a PDF by the system's `lp`; gives what lp said.
fn print(pdf: &[u8], printer: &str) -> Result<String, String> {
    let mut command = Command::new("lp");
    if !matches!(printer, "" | "default") {
        command.args(["-d", printer]);
    }
    // In its true size: a label that is fitted to the page is none.
    command.args(["-o", "print-scaling=none", "-t", "Jurex labels"]);
    let spawned = command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn();
    let mut child = match spawned {
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Err("there is no lp here (package cups-client)".into()),
        spawned => spawned.map_err(|e| format!("lp can't be run: {e}"))?,
    };
    // A printer that takes nothing closes its end early: what it said of that is told below.
    let _ = child.stdin.take().map(|mut to| to.write_all(pdf));
    let done = child.wait_with_output().map_err(|e| format!("lp can't be run: {e}"))?;
    let said = |bytes: &[u8]| jurex_pattern::text::printable(bytes);
    if done.status.success() { Ok(said(&done.stdout)) } else { Err(format!("lp said: {}", said(&done.stderr))) }
}
