//! The files of a job in the output folder. Nothing is overwritten, and a file is there whole or not at all.

use crate::disk::write_new;
use crate::signing::Signer;
use jurex_disposition::lot::Statement;
use jurex_disposition::release::Release;
use jurex_documents::Print;
use jurex_file_erase::FileEraseRecord;
use jurex_pattern::text::shown_path;
use jurex_sanitize::record::{JobId, Papers, Record};
use jurex_sanitize::rules::Outcome;
use jurex_sign::{PrivateKey, sign};
use std::io::Write;
use std::path::{Path, PathBuf};

/// Endings of the files that a job may leave.
const ENDINGS: [&str; 7] =
    ["record.json", "record.jws.json", "tlog-proof", "certificate.pdf", "report.pdf", "strata.svg", "pace.svg"];

/// The ending of the printed paper: nothing that is not sanitized has a certificate.
pub fn paper_ending(record: &Record) -> &'static str {
    if record.claim().outcome() == Outcome::NotSanitized { "report.pdf" } else { "certificate.pdf" }
}

/// Why files could not be written.
#[derive(Debug, thiserror::Error)]
pub enum FileError {
    /// The folder can't be used.
    #[error("cannot write into the folder {folder}: {cause}")]
    Folder { folder: String, cause: std::io::Error },
    /// The job's files are there already.
    #[error("the folder {folder} already holds {file}; nothing was overwritten. Name another folder")]
    Exists { folder: String, file: String },
    /// A file could not be written.
    #[error("cannot write {file}: {cause}{}", already(.written))]
    Write { file: String, cause: std::io::Error, written: Vec<PathBuf> },
    /// A certificate that PDF/A forbids.
    #[error(transparent)]
    Certificate(#[from] jurex_documents::CertificateError),
}

fn already(written: &[PathBuf]) -> String {
    let names: Vec<String> = written.iter().map(|p| shown_path(p)).collect();
    if names.is_empty() { String::new() } else { format!(" (written before that: {})", names.join(", ")) }
}

/// The bytes of a plain file of at most so many mebibytes: a pipe would never end, and a device is nothing to be read whole.
///
fn path(folder: &Path, name: &str, ending: &str) -> PathBuf {
    folder.join(format!("{name}.{ending}"))
}

/// The name of the files of a job that went on after it was cut short: those of its first end may be there already.
pub fn name_after_going_on(folder: &Path, job: &JobId) -> String {
    free_name(folder, job.as_str(), &ENDINGS)
}

/// The name, or else the first with a number after it, of which no file with one of these endings is there.
pub fn free_name(folder: &Path, name: &str, endings: &[&str]) -> String {
    let is_free = |name: &String| endings.iter().all(|e| !path(folder, name, e).exists());
    let numbered = (2..).map(|n| format!("{name}-{n}"));
    std::iter::once(name.to_string()).chain(numbered).find(is_free).unwrap_or_else(|| name.to_string())
}

/// Says which signs of what people have written no paper can print, if there are any.
pub fn lacking_signs(papers: &Papers) -> Option<String> {
    let lacking: String = jurex_documents::unprintable(papers).into_iter().collect();
    let shown = jurex_pattern::text::printable(lacking.as_bytes());
    (!lacking.is_empty()).then(|| {
        format!("the fonts of papers have no signs for {shown}: write these names and fields in Latin, Greek or Cyrillic letters")
    })
}

/// Makes the folder if need be, and tries whether a file can be written there.
pub fn check_folder(folder: &Path) -> Result<(), FileError> {
    let failed = |cause| FileError::Folder { folder: shown_path(folder), cause };
    std::fs::create_dir_all(folder).map_err(failed)?;
    let mut probe = tempfile::NamedTempFile::new_in(folder).map_err(failed)?;
    probe.write_all(b"probe").and_then(|()| probe.as_file().sync_all()).map_err(failed)
}

/// Whether the folder holds files of that name already.
pub fn check_free(folder: &Path, name: &str) -> Result<(), FileError> {
    match ENDINGS.iter().map(|e| path(folder, name, e)).find(|p| p.exists()) {
        None => Ok(()),
        Some(found) => Err(FileError::Exists {
            folder: shown_path(folder),
            file: found.file_name().unwrap_or_default().to_string_lossy().into_owned(),
        }),
    }
}

/// How papers are given out: under which key, and how they are printed.
pub struct Issue<'a> {
    pub seal: &'a Signer,
    pub print: Print,
}

/// Writes record, paper and drawings of `record`, and the record signed if there is a key; gives their paths.
pub fn write_all(folder: &Path, record: &Record, issue: &Issue<'_>) -> Result<Vec<PathBuf>, FileError> {
    write_as(folder, record.job.as_str(), record, issue)
}

/// The same under another name than the job's.
pub fn write_as(folder: &Path, name: &str, record: &Record, issue: &Issue<'_>) -> Result<Vec<PathBuf>, FileError> {
    check_folder(folder)?;
    check_free(folder, name)?;
    let mut contents: Vec<(&str, Vec<u8>)> = vec![
        ("record.json", record.to_json().into_bytes()),
        (paper_ending(record), sealed(jurex_documents::certificate(record, &issue.print)?, issue.seal)),
        ("strata.svg", jurex_documents::strata_svg(record).into_bytes()),
    ];
    contents.extend(issue.seal.key().map(|key| ("record.jws.json", sign(&record.to_json(), key).into_bytes())));
    contents.extend(issue.print.standing.as_ref().map(|s| ("tlog-proof", s.proof.clone().into_bytes())));
    contents.extend(jurex_documents::pace_svg(record).map(|svg| ("pace.svg", svg.into_bytes())));
    write_each(folder, name, contents)
}

/// A paper with its signature; one that could not be signed stays without, and that is told.
fn sealed(pdf: Vec<u8>, seal: &Signer) -> Vec<u8> {
    seal.sign_paper(pdf.clone()).unwrap_or_else(|why| {
        tracing::warn!("a paper is not signed for PDF readers: {why}");
        pdf
    })
}

fn write_each(folder: &Path, name: &str, contents: Vec<(&str, Vec<u8>)>) -> Result<Vec<PathBuf>, FileError> {
    let mut written = vec![];
    for (ending, bytes) in contents {
        let target = path(folder, name, ending);
        if let Err(cause) = write_new(folder, &target, &bytes) {
            return Err(FileError::Write { file: shown_path(&target), cause, written });
        }
        written.push(target);
    }
    Ok(written)
}

/// Writes the papers of a lot: PDF, CSV, and JSON, signed where there is a key; gives their paths.
pub fn write_lot(folder: &Path, statement: &Statement, seal: &Signer) -> Result<Vec<PathBuf>, FileError> {
    check_folder(folder)?;
    // A name that a path could mean something by is written otherwise.
    let safe = |c: char| if c.is_alphanumeric() || matches!(c, '-' | '_' | '.') { c } else { '_' };
    let name: String = statement.lot.chars().map(safe).collect::<String>().trim_start_matches('.').to_string();
    let paper = if statement.tally().is_complete() { "lot.certificate.pdf" } else { "lot.report.pdf" };
    let json = statement.to_json();
    let mut contents = vec![
        (paper, sealed(jurex_documents::lot_certificate(statement, &seal.house_at(statement.made))?, seal)),
        ("lot.csv", statement.to_csv().into_bytes()),
        ("lot.json", json.clone().into_bytes()),
    ];
    contents.extend(seal.key().map(|key| ("lot.jws.json", sign(&json, key).into_bytes())));
    let endings = ["lot.certificate.pdf", "lot.report.pdf", "lot.csv", "lot.json", "lot.jws.json"];
    // A lot is stated again and again while it is at work: each statement keeps its files.
    write_each(folder, &free_name(folder, &name, &endings), contents)
}

/// Writes a verification record beside the files of its job, under a number if there are others, and signed too if there is a key;
/// gives the paths.
pub fn write_verification(folder: &Path, name: &str, json: &str, key: Option<&PrivateKey>) -> Result<Vec<PathBuf>, FileError> {
    check_folder(folder)?;
    for n in 1u32.. {
        let number = if n == 1 { String::new() } else { format!("-{n}") };
        let target = path(folder, name, &format!("verification{number}.json"));
        match write_new(folder, &target, json.as_bytes()) {
            Ok(()) => {}
            Err(e) if e.kind() == std::io::ErrorKind::AlreadyExists => continue,
            Err(cause) => return Err(FileError::Write { file: shown_path(&target), cause, written: vec![] }),
        }
        let Some(key) = key else { return Ok(vec![target]) };
        let signed = path(folder, name, &format!("verification{number}.jws.json"));
        return match write_new(folder, &signed, sign(json, key).as_bytes()) {
            Ok(()) => Ok(vec![target, signed]),
            Err(cause) => Err(FileError::Write { file: shown_path(&signed), cause, written: vec![target] }),
        };
    }
    unreachable!("a number is free")
}

/// Writes a statement of what became of a drive, signed where there is a key, and the paper of a destruction; gives their paths. Of one
/// drive there may be several: each keeps its files.
pub fn write_release(folder: &Path, name: &str, release: &Release, seal: &Signer) -> Result<Vec<PathBuf>, FileError> {
    check_folder(folder)?;
    let json = release.to_json();
    let mut contents = vec![("release.json", json.clone().into_bytes())];
    contents.extend(seal.key().map(|key| ("release.jws.json", sign(&json, key).into_bytes())));
    if let Some(paper) = jurex_documents::destruction_paper(release, &seal.house_at(release.made))? {
        let earned = release.outcome().is_some_and(|o| o != Outcome::NotSanitized);
        let ending = if earned { "destruction.certificate.pdf" } else { "destruction.report.pdf" };
        contents.push((ending, sealed(paper, seal)));
    }
    let endings = ["release.json", "release.jws.json", "destruction.certificate.pdf", "destruction.report.pdf"];
    write_each(folder, &free_name(folder, name, &endings), contents)
}

/// Writes the record of less than a drive, signed too where there is a key, its paper, and where it lay; gives their paths.
pub fn write_less(folder: &Path, record: &FileEraseRecord, seal: &Signer) -> Result<Vec<PathBuf>, FileError> {
    check_folder(folder)?;
    let json = record.to_json();
    let mut contents = vec![("files.json", json.clone().into_bytes())];
    contents.extend(seal.key().map(|key| ("files.jws.json", sign(&json, key).into_bytes())));
    contents.push((
        "files.report.pdf",
        sealed(jurex_documents::less_paper_with(record, json, &seal.house_at(record.asked.ended))?, seal),
    ));
    contents.extend(jurex_documents::less_svg(record).map(|svg| ("files.places.svg", svg.into_bytes())));
    let endings = ["files.json", "files.jws.json", "files.report.pdf", "files.places.svg"];
    // What was stopped and gone on with has a record each time.
    write_each(folder, &free_name(folder, record.asked.job.as_str(), &endings), contents)
}

/// Writes labels: a PDF of all, and an SVG of each; gives their paths.
pub fn write_labels(folder: &Path, pdf: &[u8], drawings: &[(String, String)]) -> Result<Vec<PathBuf>, FileError> {
    check_folder(folder)?;
    let mut written = vec![];
    for (job, svg) in drawings {
        let name = free_name(folder, job, &["label.svg"]);
        written.extend(write_each(folder, &name, vec![("label.svg", svg.clone().into_bytes())])?);
    }
    let name = match drawings {
        [(job, _)] => free_name(folder, job, &["label.pdf"]),
        _ => free_name(folder, "labels", &["label.pdf"]),
    };
    written.extend(write_each(folder, &name, vec![("label.pdf", pdf.to_vec())])?);
    Ok(written)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_is_tried_before_the_job_and_keeps_nothing_of_the_trial() {
        let dir = tempfile::tempdir().unwrap();
        let deep = dir.path().join("a/b/c");
        check_folder(&deep).unwrap();
        assert_eq!(std::fs::read_dir(&deep).unwrap().count(), 0);
        let file = dir.path().join("file");
        std::fs::write(&file, "x").unwrap();
        assert!(matches!(check_folder(&file.join("sub")), Err(FileError::Folder { .. })));
    }

    #[test]
    fn any_file_of_the_job_keeps_its_folder_from_being_used_again() {
        let dir = tempfile::tempdir().unwrap();
        let job: JobId = "261123-4F7QZK".parse().unwrap();
        check_free(dir.path(), job.as_str()).unwrap();
        for ending in ENDINGS {
            let path = path(dir.path(), job.as_str(), ending);
            std::fs::write(&path, "mine").unwrap();
            let said = check_free(dir.path(), job.as_str()).unwrap_err().to_string();
            assert_eq!(name_after_going_on(dir.path(), &job), "261123-4F7QZK-2");
            assert!(said.contains(ending) && said.contains("nothing was overwritten"), "{said}");
            std::fs::remove_file(path).unwrap();
        }
        let target = dir.path().join("there");
        std::fs::write(&target, "mine").unwrap();
        assert!(write_new(dir.path(), &target, b"other").is_err());
        assert_eq!(std::fs::read(&target).unwrap(), b"mine");
    }
}
