//! The certificate of sanitization: the fields of SP 800-88 Rev. 1, 4.8, and what Jurex adds.

use crate::drawing::{Ink, pace, strata};
use crate::fonts::{Face, fonts};
use crate::page::{Fact, Layout, MARGIN, Mark, Role, Style, WIDTH};
use crate::pdf::{About, PdfError, write};
use jiff::Timestamp;
use jurex_core::evidence::{Evidence, Expect, PassEvidence, Session};
use jurex_core::media::{Drive, Protocol};
use jurex_core::record::{Papers, Person, Record};
use jurex_core::rules::{Outcome, Reason};
use jurex_core::sampling::Sampling;
use jurex_core::strata::Strata;
use jurex_core::text::capital;
use jurex_core::units::{counted, duration, grouped, rate, size};

/// The certificate could not be written as PDF/A.
#[derive(Debug, thiserror::Error)]
#[error("the certificate of job {job} cannot be set as PDF/A-3a: {problem}")]
pub struct CertificateError {
    /// The job.
    pub job: String,
    /// What the rules of the format object to.
    #[source]
    pub problem: PdfError,
}

/// The certificate of `record`, or the report where it is not sanitized, as PDF/A-3a with the record attached. The same
/// record always gives the same bytes.
///
/// # Errors
/// Something that PDF/A forbids: a defect in Jurex.
pub fn certificate(record: &Record) -> Result<Vec<u8>, CertificateError> {
    let layout = lay_out(record);
    let about = About {
        title: format!("{} {}", title(record), record.job),
        id: record.job.to_string(),
        made: record.ended,
        attachment_name: format!("{}.record.json", record.job),
        attachment: record.to_json(),
    };
    write(&layout, about).map_err(|problem| CertificateError { job: record.job.to_string(), problem })
}

/// What the paper is: of a drive that is not sanitized there is no certificate.
fn title(record: &Record) -> &'static str {
    match record.claim().outcome() {
        Outcome::NotSanitized => "Not sanitized: report of the treatment",
        _ => "Certificate of sanitization",
    }
}

fn lay_out(record: &Record) -> Layout {
    let mut page = Layout::new();
    head(&mut page, record);
    outcome(&mut page, record);
    let evidence = record.evidence();
    page.heading("The drive", 60.0);
    let drive = Drive { geometry: evidence.geometry(), hidden: evidence.hidden().clone(), ..evidence.drive().clone() };
    page.facts(&drive_facts(&drive, record.papers()));
    page.heading("Where it comes from and where it goes", 40.0);
    page.facts(&origin_facts(record.papers()));
    page.heading("What was done", 60.0);
    page.facts(&work_facts(record));
    page.wide_facts(&session_facts(evidence));
    page.wide_facts(&own_facts(evidence));
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
    page.heading("Second verification, by another person or tool, where one is asked for", 40.0);
    page.facts(&[fact("Verified by", ""), fact("Date", ""), fact("Tool and version", ""), fact("Result", "")]);
    page.heading("Signatures", 190.0);
    page.text(Role::Paragraph, Style::new(Face::Text, 9.0, Ink::Text), &attestation(record));
    page.space(4.0);
    page.signatures([
        ("Sanitized by", person_facts(&record.papers().technician, record.papers())),
        ("Validated by", person_facts(&record.papers().validator, record.papers())),
    ]);
    let tool = format!(
        "Made by {} {}. The record of the job, with all its evidence, is attached to this file.",
        record.tool.name, record.tool.version
    );
    let digest = format!("SHA-256 of the record {}", record.digest());
    page.footers(|_, _| [tool.clone(), digest.clone()]);
    page
}

/// What the signatures stand for.
fn attestation(record: &Record) -> String {
    let Papers { technician, validator, .. } = record.papers();
    let done = match record.claim().outcome() {
        Outcome::NotSanitized => "was treated as told above, and is not sanitized",
        _ => "was sanitized as told above",
    };
    let mut said =
        format!("I attest that the media named on this paper {done}, and that what stands here is true as far as I know.");
    let same = |a: &str, b: &str| a.trim().to_lowercase() == b.trim().to_lowercase();
    if !technician.name.trim().is_empty() && same(&technician.name, &validator.name) {
        said += " The work was done and validated by one and the same person.";
    }
    said
}

fn caption(page: &mut Layout, text: &str) {
    page.text(Role::Paragraph, Style::new(Face::Text, 7.2, Ink::Faint), text);
}

fn head(page: &mut Layout, record: &Record) {
    let size = 9.5;
    let job = record.job.to_string();
    let x = WIDTH - MARGIN - fonts().width(Face::Mono, size, &job);
    let y = page.y() + 17.0;
    let title = title(record);
    page.text(Role::Heading(1, title.into()), Style::new(Face::Strong, 19.0, Ink::Text), title);
    page.place(Role::Paragraph, Mark::Text { x, y, face: Face::Mono, size, ink: Ink::Text, text: job });
    let organisation = if record.papers().organisation.is_empty() { "Electronic media" } else { &record.papers().organisation };
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
    let subject = record.evidence().drive().called();
    let sentence = match outcome {
        Outcome::NotSanitized => format!("{subject} is not sanitized. {}", sentences(record.claim().reasons())),
        earned => format!("{subject} has reached {earned}. {}", sentences(record.claim().reasons())),
    };
    page.text(Role::Paragraph, Style::new(Face::Text, 9.6, Ink::Text), &sentence);
    if record.evidence().drive().simulated {
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
        fact(
            "Manufacturer",
            match (&drive.unit.maker, papers.maker.trim()) {
                (Some(maker), _) => maker.clone(),
                (None, "") => "not told by the drive".into(),
                (None, typed) => format!("{typed} (read from the label)"),
            },
        ),
        fact("Media type", format!("{}, because {}", drive.class, drive.class_basis)),
        fact("Model", said(&drive.unit.model)),
        fact("Capacity", drive.size()),
        code("Serial number", said(&drive.unit.serial)),
        fact("Sectors", format!("{}, {}", grouped(drive.geometry.sectors), drive.geometry.sector_sizes())),
        fact("Property number", papers.property_number.clone()),
        fact("Attached by", format!("{} ({})", drive.bus, drive.shown_path())),
        fact("Firmware", said(&drive.unit.firmware)),
        fact("Hidden areas", drive.hidden_sentence()),
        fact("Unique names", or_none(drive.unit.ids.iter().map(|id| id.sentence()).collect())),
        fact("Beside it", elsewhere(drive)),
    ]
}

/// Namespace and other storage of the unit.
fn elsewhere(drive: &Drive) -> String {
    let own = match drive.protocol {
        Protocol::Nvme { namespace } => vec![format!("this is namespace {namespace}")],
        _ => vec![],
    };
    let others = drive.elsewhere.iter().map(|e| e.what.clone());
    or_none(own.into_iter().chain(others).collect())
}

/// What no machine told is no line to fill in by hand.
fn or_none(told: Vec<String>) -> String {
    if told.is_empty() { "none told".into() } else { told.join("; ") }
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
        fact("Where to", papers.backup_place.clone()),
        fact("Destination", papers.destination.clone()),
        fact("Notes", papers.notes.clone()),
    ]
}

fn work_facts(record: &Record) -> Vec<Fact> {
    let evidence = record.evidence();
    let faults = |set: jurex_core::ranges::RangeSet| {
        if set.is_empty() { "none".to_string() } else { format!("{} ({})", counted(set.count(), "sector"), set.sentence(4)) }
    };
    // By the clock that nobody can set; records of version 1 have only that of the day.
    let by_the_wall = std::time::Duration::try_from(record.ended.duration_since(record.started)).unwrap_or_default();
    let lasted = if evidence.lasted().is_zero() { by_the_wall } else { evidence.lasted() };
    let interrupted = if evidence.sessions.len() > 1 { " at work" } else { "" };
    vec![
        fact("Method", method(record)),
        fact("Technique", techniques(evidence)),
        fact("Treatment", record.method.title.clone()),
        code("Passes", if record.method.notation.is_empty() { "none".into() } else { record.method.notation.clone() }),
        fact("Verification", verification(record)),
        code("Sampling seed", sampling_seed(evidence)),
        fact("Tool", format!("{} {}", record.tool.name, record.tool.version)),
        fact("Duration", format!("{}{interrupted}", duration(lasted))),
        fact("Began", said_time(record.started)),
        fact("Ended", said_time(record.ended)),
        fact("Sectors covered", covered(evidence)),
        fact("Written", size(evidence.bytes_laid())),
        fact("Read back", size(evidence.bytes_read())),
        fact("Unwritable", faults(evidence.unwritable())),
        fact("Unreadable", faults(evidence.unreadable())),
        fact("Read back wrong", faults(evidence.wrong())),
        fact("End of the job", evidence.ended.sentence()),
    ]
    .into_iter()
    .chain(evidence.own_check().into_iter().flat_map(|c| &c.beside).map(|b| fact("Read beside it", b.sentence())))
    .collect()
}

/// What was to be read back; where nothing was laid, after the drive's own erasure.
fn verification(record: &Record) -> String {
    let read = record.evidence().own_check().filter(|_| record.evidence().passes().is_empty());
    match read.map(|check| &check.read_back.sampling) {
        None => record.method.verification.to_string(),
        Some(None) => "full: every sector is read after the drive's own erasure".into(),
        Some(Some(_)) => "sampled: places drawn for this job are read before and after the drive's own erasure".into(),
    }
}

fn sampling_seed(evidence: &Evidence) -> String {
    let of_own = evidence.own_check().and_then(|c| c.read_back.sampling.as_ref());
    let sampling = evidence.last_reading().and_then(|r| r.sampling.as_ref()).or(of_own);
    sampling.map_or_else(|| "not sampled".into(), Sampling::seed)
}

/// What was done, as the evidence has it.
fn techniques(evidence: &Evidence) -> String {
    let own = evidence.own().map(|own| format!("{}, a command of the drive's own", own.technique.name()));
    let laid = !evidence.passes().is_empty();
    let overwriting = laid.then(|| "overwriting, with the drive's own read and write commands".to_string());
    let done: Vec<String> = own.into_iter().chain(overwriting).collect();
    if done.is_empty() { "nothing was begun".into() } else { done.join("; then ") }
}

/// Hidden areas, the drive's own erasure with what was read before and after it, and what people state.
fn own_facts(evidence: &Evidence) -> Vec<Fact> {
    let mut facts = vec![];
    if let Some(lift) = evidence.lift() {
        let lifted = lift.after.sectors.saturating_sub(lift.before.sectors);
        let said = format!(
            "{} were hidden and were given back before the treatment. {}",
            counted(lifted, "sector"),
            lift.hidden.sentence()
        );
        facts.push(fact("Lifted", said));
    }
    if let Some(own) = evidence.own() {
        let end = match (own.completed, &own.failure) {
            (true, _) => "the drive itself says that it ended without error".to_string(),
            (false, Some(why)) => why.clone(),
            (false, None) if own.sent == 0 => "it was not sent".into(),
            (false, None) => "no end of it was told".into(),
        };
        let sent = own.commands.len();
        facts.push(fact(
            "Own erasure",
            format!(
                "{}: {end}. {} with their raw answers are in the attached record.",
                own.technique.name(),
                counted(sent as u64, "command")
            ),
        ));
        facts.extend(own.commands.iter().rev().take(1).map(|c| fact("Last answer", format!("{} → {}", c.command, c.status))));
    }
    if let Some(check) = evidence.own_check() {
        let drawn = check.drawn.unwrap_or_default();
        let compared = match check.expect {
            Expect::Changed => format!(
                "; {} compared with a salted digest from before, {} as before, {} blank before",
                counted(drawn.compared, "sector"),
                grouped(check.read_back.wrong.count()),
                grouped(drawn.blank_before)
            ),
            _ => format!("; {} not blank", grouped(check.read_back.wrong.count())),
        };
        facts.push(fact("Read after it", format!("{}{compared}.", counted(check.read_back.read.count(), "sector"))));
    }
    if !evidence.stated.conditions.is_empty() {
        let by = if evidence.stated.by.is_empty() { "the technician" } else { &evidence.stated.by };
        let said: Vec<&str> = evidence.stated.conditions.iter().map(|c| c.statement()).collect();
        facts.push(fact("Stated", format!("{by} states: {}", said.join(" "))));
    }
    facts
}

/// In the standard's words the method is what was carried out (Clear, Purge, Destroy), the technique how.
fn method(record: &Record) -> String {
    match (record.claim().outcome(), record.method.expected) {
        (Outcome::NotSanitized, Outcome::NotSanitized) => "none: the plan could earn nothing".into(),
        (Outcome::NotSanitized, planned) => format!("{planned}, not reached"),
        (earned, _) => earned.to_string(),
    }
}

/// Every hold on the drive: when, by which path, and how its sectors were reached.
fn session_facts(evidence: &Evidence) -> Vec<Fact> {
    let said = |session: &Session| {
        let closed = session.closed.map_or_else(|| "cut off".into(), said_time);
        let drive = &session.drive;
        let bridge = if drive.bridged { ", through a bridge" } else { "" };
        format!(
            "{} to {closed}: {}, {}{bridge}, {}.",
            said_time(session.opened),
            drive.shown_path(),
            drive.bus,
            session.access.sentence()
        )
    };
    let label = if evidence.sessions.len() > 1 { "Interrupted" } else { "Drive held" };
    let labels = std::iter::once(label).chain(std::iter::repeat(""));
    let mut facts: Vec<Fact> = labels.zip(&evidence.sessions).map(|(label, s)| fact(label, said(s))).collect();
    if evidence.clock_was_set_back() {
        let said = "The clock of the day was set back during the work: times of day are not to be relied on, durations are.";
        facts.push(fact("Clock", said));
    }
    facts
}

fn covered(evidence: &Evidence) -> String {
    if evidence.is_whole() {
        format!("all {}", grouped(evidence.range().count))
    } else {
        format!("{} of {} ({})", grouped(evidence.range().count), grouped(evidence.geometry().sectors), evidence.range())
    }
}

fn said_time(time: Timestamp) -> String {
    time.strftime("%Y-%m-%d %H:%M:%S UTC").to_string()
}

/// Passes that are told one by one; of more, only the last ones.
const TOLD_PASSES: usize = 8;

fn pass_facts(evidence: &Evidence) -> Vec<Fact> {
    let skipped = evidence.passes().len().saturating_sub(TOLD_PASSES);
    let mut facts = vec![];
    if skipped > 0 {
        facts.push(fact("Earlier passes", format!("passes 1 to {skipped} are told in the attached record")));
    }
    for (i, pass) in evidence.passes().iter().enumerate().skip(skipped) {
        facts.push(fact(PASS_LABELS[(i - skipped).min(TOLD_PASSES - 1)], pass_sentence(i + 1, pass, evidence)));
    }
    facts
}

const PASS_LABELS: [&str; TOLD_PASSES] = ["Pass by pass", "", "", "", "", "", "", ""];

fn pass_sentence(number: usize, pass: &PassEvidence, evidence: &Evidence) -> String {
    let (sectors, took) = pass.pace.total();
    let speed = evidence.drive().geometry.bytes_of(sectors) as f64 / took.as_secs_f64().max(1e-9);
    let mut said = format!("{number}. {}: {} laid", pass.pattern, counted(pass.laid.count(), "sector"));
    if !took.is_zero() {
        said += &format!(" at {} on average", rate(speed));
    }
    if pass.flushed {
        said += ", flushed";
    }
    if let Some(read) = evidence.reading_of(number - 1) {
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
    facts.extend(record.evidence().size().map(|size| fact("Its size", size.sentence())));
    facts.push(fact("Confidence", record.confidence()));
    facts.extend(record.second_look.as_ref().map(|look| fact("Second look", look.sentence())));
    facts.extend(record.leftovers().map(|both| fact("Leftovers", format!("{}.", capital(&both)))));
    facts.extend(record.other_rules().map(|said| fact("Rules", said)));
    page.wide_facts(&facts);
}

fn person_facts(person: &Person, papers: &Papers) -> Vec<Fact> {
    let organisation = if person.organisation.trim().is_empty() { &papers.organisation } else { &person.organisation };
    vec![
        fact("Name", person.name.clone()),
        fact("Title", person.title.clone()),
        fact("Organisation", organisation.clone()),
        fact("Place", person.place.clone()),
        fact("Contact", person.contact.clone()),
    ]
}
