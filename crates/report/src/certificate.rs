//! The certificate of sanitization: the fields of SP 800-88 Rev. 1, 4.8, and what Jurex adds.

use crate::drawing::{Ink, pace, strata};
use crate::fonts::{Face, fonts};
use crate::page::{Fact, Layout, MARGIN, Mark, Role, Style, WIDTH};
use crate::pdf::{About, write};
use jiff::Timestamp;
use jurex_core::evidence::{Evidence, PassEvidence};
use jurex_core::media::Drive;
use jurex_core::record::{Papers, Person, Record};
use jurex_core::rules::{Outcome, Reason};
use jurex_core::strata::Strata;
use jurex_core::units::{counted, duration, grouped, rate, size};

/// The certificate could not be written as PDF/A.
#[derive(Debug, thiserror::Error)]
#[error("the certificate of job {job} cannot be set as PDF/A-3a: {problem}")]
pub struct CertificateError {
    /// The job.
    pub job: String,
    /// What the rules of the format object to.
    pub problem: String,
}

/// The certificate of `record` as PDF/A-3a with the record attached. The same record always gives the same bytes.
///
/// # Errors
/// Something that PDF/A forbids: a defect in Jurex.
pub fn certificate(record: &Record) -> Result<Vec<u8>, CertificateError> {
    let layout = lay_out(record);
    let about = About {
        title: format!("Certificate of sanitization {}", record.job),
        id: record.job.to_string(),
        made: record.ended,
        attachment_name: format!("{}.record.json", record.job),
        attachment: record.to_json(),
    };
    write(&layout, about).map_err(|problem| CertificateError { job: record.job.to_string(), problem })
}

fn lay_out(record: &Record) -> Layout {
    let mut page = Layout::new();
    head(&mut page, record);
    outcome(&mut page, record);
    let evidence = record.evidence();
    page.heading("The drive", 60.0);
    page.facts(&drive_facts(&evidence.drive, &record.papers));
    page.heading("Where it comes from and where it goes", 40.0);
    page.facts(&origin_facts(&record.papers));
    page.heading("What was done", 60.0);
    page.facts(&work_facts(record));
    page.wide_facts(&pass_facts(evidence));
    let layers = strata::draw(&Strata::of(evidence, &record.before), WIDTH - 2.0 * MARGIN);
    page.heading("The drive in layers", layers.height + 16.0);
    page.drawing(layers);
    page.space(2.0);
    caption(
        &mut page,
        "First sector left, last sector right, to scale. Slanted lines: what was there before. Solid: laid by a pass. Bar: read back and right. Cross: faulty.",
    );
    if let Some(drawing) = pace::draw(evidence, WIDTH - 2.0 * MARGIN, 110.0) {
        page.heading("Speed over position", drawing.height + 16.0);
        page.drawing(drawing);
        caption(&mut page, "The last pass strong, earlier passes thin. A dip shows a slow place.");
    }
    page.heading("What follows", 60.0);
    follows(&mut page, record);
    page.heading("Signatures", 150.0);
    page.signatures([
        ("Sanitized by", person_facts(&record.papers.technician)),
        ("Validated by", person_facts(&record.papers.validator)),
    ]);
    let tool = format!(
        "Made by {} {}. The record of the job, with all its evidence, is attached to this file.",
        record.tool.name, record.tool.version
    );
    let digest = format!("SHA-256 of the record {}", record.digest());
    page.footers(|_, _| [tool.clone(), digest.clone()]);
    page
}

fn caption(page: &mut Layout, text: &str) {
    page.text(Role::Paragraph, Style::new(Face::Text, 7.2, Ink::Faint), text);
}

fn head(page: &mut Layout, record: &Record) {
    let size = 9.5;
    let job = record.job.to_string();
    let x = WIDTH - MARGIN - fonts().width(Face::Mono, size, &job);
    let y = page.y() + 17.0;
    page.text(
        Role::Heading(1, "Certificate of sanitization".into()),
        Style::new(Face::Strong, 19.0, Ink::Text),
        "Certificate of sanitization",
    );
    page.place(Role::Paragraph, Mark::Text { x, y, face: Face::Mono, size, ink: Ink::Text, text: job });
    let organisation = if record.papers.organisation.is_empty() { "Electronic media" } else { &record.papers.organisation };
    page.text(Role::Paragraph, Style::new(Face::Text, 9.0, Ink::Faint), organisation);
    page.space(8.0);
}

/// The outcome, large, between two rules; heavy ones where nothing was earned.
fn outcome(page: &mut Layout, record: &Record) {
    let outcome = record.claim().outcome();
    let (weight, ink) = if outcome == Outcome::NotSanitized { (2.2, Ink::Fault) } else { (2.2, Ink::Proved) };
    page.rule(weight, ink);
    page.space(7.0);
    page.text(Role::Paragraph, Style::new(Face::Strong, 24.0, ink), &outcome.to_string());
    let subject = record.evidence().drive.called();
    let sentence = match outcome {
        Outcome::NotSanitized => format!("{subject} is not sanitized. {}", sentences(record.claim().reasons())),
        earned => format!("{subject} has reached {earned}. {}", sentences(record.claim().reasons())),
    };
    page.text(Role::Paragraph, Style::new(Face::Text, 9.6, Ink::Text), &sentence);
    if record.evidence().drive.simulated {
        let words = "Demonstration: the drive is simulated. This paper says nothing about any real media.";
        page.space(3.0);
        page.text(Role::Paragraph, Style::new(Face::Strong, 9.0, Ink::Text), words);
    }
    page.space(7.0);
    page.rule(weight, ink);
}

fn sentences(reasons: &[Reason]) -> String {
    reasons.iter().map(|r| r.sentence.as_str()).collect::<Vec<_>>().join(" ")
}

fn fact(label: &'static str, value: impl Into<String>) -> Fact {
    Fact { label, value: value.into(), face: Face::Text }
}

fn code(label: &'static str, value: impl Into<String>) -> Fact {
    Fact { label, value: value.into(), face: Face::Mono }
}

fn drive_facts(drive: &Drive, papers: &Papers) -> Vec<Fact> {
    let said = |v: &Option<String>| v.clone().unwrap_or_else(|| "not told by the drive".into());
    vec![
        fact("Manufacturer", said(&drive.unit.maker)),
        fact("Media type", format!("{}, because {}", drive.class, drive.class_basis)),
        fact("Model", said(&drive.unit.model)),
        fact("Capacity", drive.size()),
        code("Serial number", said(&drive.unit.serial)),
        fact("Sectors", format!("{}, {}", grouped(drive.geometry.sectors), drive.geometry.sector_sizes())),
        fact("Property number", papers.property_number.clone()),
        fact("Attached by", format!("{} ({})", drive.bus, drive.path)),
        fact("Firmware", said(&drive.unit.firmware)),
        fact("Hidden areas", drive.hidden.sentence()),
    ]
}

fn origin_facts(papers: &Papers) -> Vec<Fact> {
    let before = papers.need.map(|n| n.sensitivity.to_string()).unwrap_or_default();
    let after = papers.category_after.map(|c| c.to_string()).unwrap_or_default();
    vec![
        fact("Source", papers.source.clone()),
        fact("Lot", papers.lot.clone()),
        fact("Confidentiality", if before.is_empty() { before } else { format!("{before} before") }),
        fact("afterwards", after),
        fact("Backed up", papers.backup.to_string()),
        fact("Destination", papers.destination.clone()),
    ]
}

fn work_facts(record: &Record) -> Vec<Fact> {
    let evidence = record.evidence();
    let faults = |set: jurex_core::ranges::RangeSet| match set.is_empty() {
        true => "none".to_string(),
        false => format!("{} ({})", counted(set.count(), "sector"), set.sentence(4)),
    };
    let elapsed = record.ended.duration_since(record.started);
    let elapsed = std::time::Duration::try_from(elapsed).unwrap_or_default();
    vec![
        fact("Technique", "overwriting, with the drive's own read and write commands"),
        fact("Verification", record.method.verification.to_string()),
        fact("Method", record.method.title.clone()),
        code("Passes", record.method.notation.clone()),
        fact("Began", said_time(record.started)),
        fact("Ended", said_time(record.ended)),
        fact("Duration", duration(elapsed)),
        fact("Sectors covered", covered(evidence)),
        fact("Written", size(evidence.bytes_laid())),
        fact("Read back", size(evidence.bytes_read())),
        fact("Unwritable", faults(evidence.unwritable())),
        fact("Unreadable", faults(evidence.unreadable())),
        fact("Read back wrong", faults(evidence.wrong())),
        fact("End of the job", evidence.ended.sentence()),
    ]
}

fn covered(evidence: &Evidence) -> String {
    match evidence.is_whole() {
        true => format!("all {}", grouped(evidence.range.count)),
        false => {
            format!("{} of {} ({})", grouped(evidence.range.count), grouped(evidence.drive.geometry.sectors), evidence.range)
        }
    }
}

fn said_time(time: Timestamp) -> String {
    time.strftime("%Y-%m-%d %H:%M:%S UTC").to_string()
}

/// Passes that are told one by one; of more, only the last ones.
const TOLD_PASSES: usize = 8;

fn pass_facts(evidence: &Evidence) -> Vec<Fact> {
    let skipped = evidence.passes.len().saturating_sub(TOLD_PASSES);
    let mut facts = vec![];
    if skipped > 0 {
        facts.push(fact("Earlier passes", format!("passes 1 to {skipped} are told in the attached record")));
    }
    for (i, pass) in evidence.passes.iter().enumerate().skip(skipped) {
        facts.push(fact(PASS_LABELS[(i - skipped).min(TOLD_PASSES - 1)], pass_sentence(i + 1, pass, evidence)));
    }
    facts
}

const PASS_LABELS: [&str; TOLD_PASSES] = ["Pass by pass", "", "", "", "", "", "", ""];

fn pass_sentence(number: usize, pass: &PassEvidence, evidence: &Evidence) -> String {
    let (sectors, took) = pass.pace.total();
    let speed = evidence.drive.geometry.bytes_of(sectors) as f64 / took.as_secs_f64().max(1e-9);
    let mut said = format!("{number}. {}: {} laid", pass.pattern, counted(pass.laid.count(), "sector"));
    if !took.is_zero() {
        said += &format!(" at {} on average", rate(speed));
    }
    if pass.flushed {
        said += ", flushed";
    }
    if let Some(read) = &pass.read_back {
        said += &format!("; {} read back, {} wrong", counted(read.read.count(), "sector"), grouped(read.wrong.count()));
    }
    said + "."
}

fn follows(page: &mut Layout, record: &Record) {
    let claim = record.claim();
    let cited = |r: &Reason| format!("{} [{}]", r.sentence, r.citation);
    let listed = |label: &'static str, reasons: &[Reason]| -> Vec<Fact> {
        let labels = std::iter::once(label).chain(std::iter::repeat(""));
        labels.zip(reasons).map(|(label, r)| fact(label, cited(r))).collect()
    };
    let mut facts = vec![fact("Outcome", format!("{}, judged by {}", claim.outcome(), record.rule_set()))];
    facts.extend(listed("Because", claim.reasons()));
    facts.extend(listed("Not covered", claim.limits()));
    facts.push(fact("Confidence", record.confidence()));
    page.wide_facts(&facts);
}

fn person_facts(person: &Person) -> Vec<Fact> {
    vec![
        fact("Name", person.name.clone()),
        fact("Title", person.title.clone()),
        fact("Place", person.place.clone()),
        fact("Contact", person.contact.clone()),
    ]
}
