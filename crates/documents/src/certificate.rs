//! The certificate of sanitization: the fields of SP 800-88 Rev. 1, 4.8, and what Jurex adds.

use crate::branding::{House, Language};
use crate::drawing::{Ink, pace, strata};
use crate::fonts::{Face, fonts};
use crate::page::{DocRole, Drawn, Fact, MARGIN, PageLayout, Style};
use crate::pdf::{PdfError, PdfInfo, ToAttach, write};
use crate::print::Print;
use crate::qr::Code;
use crate::words::{Words, put, words};
use jiff::Timestamp;
use jurex_device::media::{Drive, Protocol};
use jurex_disposition::proof::{SecondCheck, VerificationRecord};
use jurex_pattern::text::capital;
use jurex_pattern::units::{counted, duration, grouped, rate, size};
use jurex_sanitize::evidence::{Evidence, Expect, PassEvidence, Session};
use jurex_sanitize::need::Sensitivity;
use jurex_sanitize::record::{Backup, Papers, Person, Record};
use jurex_sanitize::rules::{Outcome, Reason};
use jurex_sanitize::sampling::Sampling;
use jurex_sanitize::strata::Strata;

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

/// The certificate of `record`, or the report where it is not sanitized, as PDF/A-3a and PDF/UA-1 with the record attached. The same
/// record printed the same way always gives the same bytes.
///
/// # Errors
/// Something that PDF/A forbids: a defect in Jurex.
pub fn certificate(record: &Record, print: &Print) -> Result<Vec<u8>, CertificateError> {
    let layout = best_fit(record, print);
    let about = PdfInfo {
        title: format!("{} {}", title(record, words(print.house.language)), record.job),
        id: record.job.to_string(),
        made: record.ended,
        language: print.house.language.tag(),
        colour: print.house.colour,
        attached: attachments(record, print),
    };
    write(&layout, about).map_err(|problem| CertificateError { job: record.job.to_string(), problem })
}

fn attachments(record: &Record, print: &Print) -> Vec<ToAttach> {
    let job = record.job.as_str();
    let json = |ending: &str, about, text| ToAttach::json(format!("{job}.{ending}.json"), about, true, text);
    let mut attached = vec![json("record", "The record that this paper was made from", record.to_json())];
    let about = "A second verification of what the job has left";
    attached.extend(print.verifications.iter().enumerate().map(|(n, v)| {
        let ending = if n == 0 { "verification".to_string() } else { format!("verification-{}", n + 1) };
        json(&ending, about, v.to_json())
    }));
    attached.extend(print.standing.iter().map(|s| ToAttach {
        name: format!("{job}.tlog-proof"),
        kind: "text/plain",
        about: "What proves that the record stands in a ledger",
        is_source: false,
        text: s.proof.clone(),
    }));
    attached.extend(ToAttach::house(&print.house, job));
    attached
}

/// What the paper is: of a drive that is not sanitized there is no certificate.
fn title<'w>(record: &Record, words: &'w Words) -> &'w str {
    match record.claim().outcome() {
        Outcome::NotSanitized => &words.report_title,
        _ => &words.certificate_title,
    }
}

/// In the standard's words, which no language has others for; only that nothing was earned is said in its own.
pub(crate) fn outcome_word(outcome: Outcome, words: &Words) -> String {
    if outcome == Outcome::NotSanitized { words.not_sanitized.clone() } else { outcome.to_string() }
}

/// One way to spread a paper over its pages.
#[derive(Clone, Copy)]
struct CertificateFit {
    /// Air between lines and parts.
    air: f32,
    /// The tallest that the chart may be, in points.
    chart: f32,
    /// Whether what follows begins on a page of its own.
    apart: bool,
}

/// The paper so that no page is left all but empty: with the fewest pages, else with a last page that holds more than a rest.
pub(crate) fn best_fit(record: &Record, print: &Print) -> PageLayout {
    let usual = CertificateFit { air: 1.0, chart: 110.0, apart: false };
    let first = lay_out(record, print, usual);
    if !first.ends_in_a_rest() {
        return first;
    }
    let closer = [
        CertificateFit { chart: 84.0, ..usual },
        CertificateFit { air: 0.7, chart: 84.0, ..usual },
        CertificateFit { air: 0.4, chart: 64.0, ..usual },
    ];
    let fewer = closer.into_iter().map(|fit| lay_out(record, print, fit)).find(|l| l.pages < first.pages);
    let apart = || Some(lay_out(record, print, CertificateFit { apart: true, ..usual })).filter(|l| l.pages == first.pages);
    fewer.or_else(apart).unwrap_or(first)
}

fn lay_out(record: &Record, print: &Print, fit: CertificateFit) -> PageLayout {
    let w = words(print.house.language);
    let mut page = PageLayout::with_air(print.house.page, fit.air);
    letterhead(&mut page, &print.house, &record.papers().organisation, w);
    head(&mut page, title(record, w), record.job.as_str());
    outcome(&mut page, record, print, w);
    let evidence = record.evidence();
    page.heading(&w.the_drive, 60.0);
    let drive = Drive { geometry: evidence.geometry(), hidden: evidence.hidden().clone(), ..evidence.drive().clone() };
    page.facts(&drive_facts(&drive, record.papers(), w));
    page.heading(&w.from_and_to, 40.0);
    page.facts(&origin_facts(record.papers(), w));
    own_fields(&mut page, &print.house, w);
    page.heading(&w.what_was_done, 60.0);
    page.facts(&work_facts(record, w));
    page.wide_facts(&session_facts(evidence, w));
    page.wide_facts(&own_facts(evidence, w));
    page.wide_facts(&pass_facts(evidence, w));
    drawings(&mut page, record, fit.chart, w);
    if fit.apart {
        page.new_page();
    }
    page.heading(&w.what_follows, 60.0);
    follows(&mut page, record, w);
    standing(&mut page, record, print, w);
    page.heading(&w.second_verification, 40.0);
    second_verification(&mut page, record, print, w);
    page.heading(&w.signatures, 190.0);
    page.text(DocRole::Paragraph, Style::new(Face::Text, 9.0, Ink::Text), &attestation(record, w));
    page.space(4.0);
    let sanitized = record.claim().outcome() != Outcome::NotSanitized;
    let by = if sanitized { &w.sanitized_by } else { &w.treated_by };
    sign_here(&mut page, by, (&record.papers().technician, &record.papers().validator), &record.papers().organisation, w);
    closing(&mut page, &print.house, w);
    let tool = put(&w.made_by, &[("tool", &format!("{} {}", record.tool.name, record.tool.version))]);
    foot(&mut page, [tool, put(&w.digest, &[("digest", &record.digest())])], w);
    if !sanitized {
        page.on_every_page(&warning_border(page.size));
    }
    page
}

/// The foot of every page.
pub(crate) fn foot(page: &mut PageLayout, lines: [String; 2], w: &Words) {
    page.footers(&lines, |n, of| put(&w.page_of, &[("page", &n.to_string()), ("pages", &of.to_string())]));
}

/// Fields for the two who stand for it.
pub(crate) fn sign_here(
    page: &mut PageLayout,
    by: &str,
    (technician, validator): (&Person, &Person),
    organisation: &str,
    w: &Words,
) {
    page.signatures(
        [
            (by.to_string(), person_facts(technician, organisation, w)),
            (w.validated_by.clone(), person_facts(validator, organisation, w)),
        ],
        [&w.signature, &w.date],
    );
}

/// Slanted bars down the left edge, which no certificate has: seen at arm's length, and without colour.
pub(crate) fn warning_border(size: crate::branding::PageSize) -> Vec<Drawn> {
    let (_, height) = size.points();
    let bar = |n: u16| {
        let y = f32::from(n) * 22.0;
        Drawn::Rule { from: (8.0, y + 22.0), to: (30.0, y), width: 8.0, ink: Ink::Text }
    };
    (0..).map(bar).take_while(|bar| matches!(bar, Drawn::Rule { to: (_, y), .. } if *y < height)).collect()
}

/// The organisation's name, address and logo, where it has any of its own.
pub(crate) fn letterhead(page: &mut PageLayout, house: &House, organisation: &str, w: &Words) {
    const LOGO: (f32, f32) = (120.0, 46.0);
    let top = page.y();
    let mut room = page.inner();
    if let Some(picture) = &house.logo {
        let (across, down) = picture.size();
        let width = LOGO.0.min(LOGO.1 * across as f32 / down as f32);
        let name = if house.name.is_empty() { organisation } else { &house.name };
        let x = page.width() - MARGIN - width;
        let mark = Drawn::Picture { x, y: top, w: width, picture: picture.clone() };
        page.figure(&put(&w.logo_of, &[("name", name)]), mark);
        room -= width + 14.0;
    }
    if !house.name.is_empty() {
        page.text_in(DocRole::Paragraph, Style::new(Face::Strong, 10.0, Ink::Own), &house.name, room);
    }
    for line in &house.address {
        page.text_in(DocRole::Paragraph, Style::new(Face::Text, 8.0, Ink::Faint), line, room);
    }
    if house.logo.is_some() {
        page.down_to(top + LOGO.1);
    }
    if house.logo.is_some() || !house.name.is_empty() || !house.address.is_empty() {
        page.space(14.0);
    } else {
        let organisation = if organisation.is_empty() { &w.electronic_media } else { organisation };
        page.text(DocRole::Paragraph, Style::new(Face::Text, 9.0, Ink::Faint), organisation);
        page.space(2.0);
    }
}

/// Fields of the organisation's own.
pub(crate) fn own_fields(page: &mut PageLayout, house: &House, w: &Words) {
    if !house.fields.is_empty() {
        page.heading(&w.our_fields, 30.0);
        let facts: Vec<Fact> = house.fields.iter().map(|f| fact(&f.label, f.value.clone())).collect();
        page.facts(&facts);
    }
}

/// Closing words, and in which language the record's own sentences are.
pub(crate) fn closing(page: &mut PageLayout, house: &House, w: &Words) {
    page.space(8.0);
    if !house.closing.is_empty() {
        page.text(DocRole::Paragraph, Style::new(Face::Text, 9.0, Ink::Text), &house.closing);
        page.space(4.0);
    }
    if house.language != Language::En {
        caption(page, &w.english_note);
    }
}

/// The layers, and speed over position where there is room for it without tearing a hole into the pages.
fn drawings(page: &mut PageLayout, record: &Record, chart: f32, w: &Words) {
    /// What a chart needs at least.
    const LEAST: f32 = 60.0;
    /// Of a heading with its caption.
    const AROUND: f32 = 60.0;
    let evidence = record.evidence();
    let layers = strata::draw(&Strata::of(evidence, &record.before), page.inner());
    page.heading(&w.layers, layers.height + 16.0);
    page.drawing(layers);
    page.space(2.0);
    caption(page, &w.layers_caption);
    let rest = page.left() - AROUND;
    let height = if rest >= LEAST { rest.min(chart) } else { chart };
    if let Some(drawing) = pace::draw(evidence, page.inner(), height) {
        page.heading(&w.pace, drawing.height + 16.0);
        page.drawing(drawing);
        caption(page, &w.pace_caption);
    }
}

/// That the record stands in a ledger.
fn standing(page: &mut PageLayout, record: &Record, print: &Print, w: &Words) {
    let doubts: Vec<Fact> = record.ledger_doubts.iter().map(|said| fact(&w.ledger_doubt, capital(said))).collect();
    if !doubts.is_empty() {
        page.heading(&w.the_ledger, 50.0);
        page.wide_facts(&doubts);
    }
    let Some(standing) = &print.standing else { return };
    if doubts.is_empty() {
        page.heading(&w.the_ledger, 50.0);
    }
    let (entry, entries) = (grouped(standing.entry), grouped(standing.entries));
    page.wide_facts(&[
        fact(&w.ledger_entry, put(&w.ledger_sentence, &[("entry", &entry), ("entries", &entries)])),
        code(&w.ledger_head, standing.head.clone()),
        code(&w.ledger_key, standing.key_id.clone()),
    ]);
}

/// Who has looked a second time, or lines to fill in.
fn second_verification(page: &mut PageLayout, record: &Record, print: &Print, w: &Words) {
    let of_it: Vec<&VerificationRecord> = print.verifications.iter().filter(|v| v.is_of(record)).collect();
    if of_it.is_empty() {
        let blank = |label: &String| fact(label, "");
        page.facts(&[blank(&w.verified_by), blank(&w.date), blank(&w.tool_and_version), blank(&w.result)]);
        return;
    }
    // One that contradicts the record stands until the drive is erased again: no later one takes it away, nor leaves it out.
    if matches!(SecondCheck::of(record, of_it.iter().copied()), SecondCheck::Contradicted { .. }) {
        page.wide_facts(&[fact(&w.result, w.second_contradicted.clone())]);
    }
    for v in of_it {
        let result = match v.has_standing(record) {
            Ok(()) => v.finding().to_string(),
            Err(why) => format!("{}: {why}", w.second_without_standing),
        };
        page.facts(&[
            fact(&w.verified_by, v.look.by.name.clone()),
            fact(&w.date, said_time(v.look.ended)),
            fact(&w.tool_and_version, format!("{} {}", v.look.tool.name, v.look.tool.version)),
            fact(&w.result, result),
        ]);
        let found: Vec<Fact> = v.sentences().iter().map(|s| fact(&w.found, s.clone())).collect();
        page.wide_facts(&found);
    }
}

/// What the signatures stand for.
fn attestation(record: &Record, w: &Words) -> String {
    let Papers { technician, validator, .. } = record.papers();
    let mut said = match record.claim().outcome() {
        Outcome::NotSanitized => w.attest_not.clone(),
        _ => w.attest_done.clone(),
    };
    let same = |a: &str, b: &str| a.trim().to_lowercase() == b.trim().to_lowercase();
    if !technician.name.trim().is_empty() && same(&technician.name, &validator.name) {
        said = format!("{said} {}", w.same_person);
    }
    said
}

pub(crate) fn caption(page: &mut PageLayout, text: &str) {
    page.text(DocRole::Paragraph, Style::new(Face::Text, 7.2, Ink::Faint), text);
}

/// The title, and beside it what it is of.
pub(crate) fn head(page: &mut PageLayout, title: &str, name: &str) {
    let size = 9.5;
    let width = fonts().width(Face::Mono, size, name);
    let (x, y) = (page.width() - MARGIN - width, page.y() + 17.0);
    let room = page.inner() - width - 10.0;
    page.text_in(DocRole::Heading(1, title.into()), Style::new(Face::Strong, 19.0, Ink::Own), title, room);
    page.place(DocRole::Paragraph, Drawn::Text { x, y, face: Face::Mono, size, ink: Ink::Text, text: name.into() });
    page.space(6.0);
}

/// The outcome, large, with the paper's code beside it. Where nothing was earned it stands white in a black band.
fn outcome(page: &mut PageLayout, record: &Record, print: &Print, w: &Words) {
    const CODE: f32 = 84.0;
    let outcome = record.claim().outcome();
    let sanitized = outcome != Outcome::NotSanitized;
    if record.evidence().drive().simulated {
        demonstration(page, w);
    }
    let top = page.y();
    if sanitized {
        page.rule(2.2, Ink::Proved);
        page.space(7.0);
        page.text_in(DocRole::Paragraph, Style::new(Face::Strong, 24.0, Ink::Proved), &outcome.to_string(), page.inner() - CODE);
    } else {
        band(page, &w.not_sanitized_loud);
    }
    let below = page.y();
    let drive = record.evidence().drive().called();
    let word = outcome_word(outcome, w);
    let first = if sanitized { &w.has_reached } else { &w.is_not_sanitized };
    let sentence = format!("{} {}", put(first, &[("drive", &drive), ("outcome", &word)]), sentences(record.claim().reasons()));
    let room = page.inner() - CODE - 8.0;
    page.text_in(DocRole::Paragraph, Style::new(Face::Text, 9.6, Ink::Text), &sentence, room);
    let code = Code::of(record, print.standing.as_ref().map(|s| s.key_id.as_str()));
    if let Some(drawing) = code.drawing(CODE, &w.qr_says) {
        let y = if sanitized { top + 3.0 } else { below };
        page.figure(&w.qr_says, Drawn::Drawing { x: page.width() - MARGIN - CODE, y, drawing });
        page.down_to(y + CODE);
    }
    page.space(5.0);
    page.rule(2.2, if sanitized { Ink::Proved } else { Ink::Text });
}

/// White letters in a black band over the width of the page: the opposite of what a certificate looks like.
pub(crate) fn band(page: &mut PageLayout, words: &str) {
    const HEIGHT: f32 = 46.0;
    let (y, width) = (page.y(), page.width());
    page.on_this_page(Drawn::Block { x: 0.0, y, w: width, h: HEIGHT, ink: Ink::Text });
    // As large as it can be on one line.
    let fits = |size: &f32| fonts().width(Face::Strong, *size, words) <= page.inner();
    let size = [30.0, 25.0, 21.0, 18.0, 15.5, 13.5].into_iter().find(fits).unwrap_or(11.0);
    page.space((HEIGHT - size * 1.38) / 2.0 + 1.0);
    page.text(DocRole::Paragraph, Style::new(Face::Strong, size, Ink::White), words);
    page.down_to(y + HEIGHT + 8.0);
}

/// In letters that nobody overlooks, before anything that could be taken for a claim: this is of a drive that is none.
pub(crate) fn demonstration(page: &mut PageLayout, w: &Words) {
    page.text(DocRole::Paragraph, Style::new(Face::Strong, 28.0, Ink::Text), &w.demonstration_loud);
    page.text(DocRole::Paragraph, Style::new(Face::Strong, 9.6, Ink::Text), &w.demonstration);
    page.space(5.0);
}

pub(crate) fn sentences(reasons: &[Reason]) -> String {
    reasons.iter().map(|r| r.sentence()).collect::<Vec<_>>().join(" ")
}

pub(crate) fn fact(label: &str, value: impl Into<String>) -> Fact {
    Fact { label: label.into(), value: value.into(), face: Face::Text }
}

pub(crate) fn code(label: &str, value: impl Into<String>) -> Fact {
    Fact { label: label.into(), value: value.into(), face: Face::Mono }
}

fn drive_facts(drive: &Drive, papers: &Papers, w: &Words) -> Vec<Fact> {
    let said = |v: &Option<String>| v.clone().unwrap_or_else(|| w.not_told.clone());
    vec![
        fact(
            &w.manufacturer,
            match (&drive.unit.maker, papers.maker.trim()) {
                (Some(maker), _) => maker.clone(),
                (None, "") => w.not_told.clone(),
                (None, typed) => put(&w.from_the_label, &[("maker", typed)]),
            },
        ),
        fact(&w.media_type, format!("{}, because {}", drive.class, drive.class_basis)),
        fact(&w.model, said(&drive.unit.model)),
        fact(&w.capacity, drive.size()),
        code(&w.serial, said(&drive.unit.serial)),
        fact(&w.sectors, format!("{}, {}", grouped(drive.geometry.sectors), drive.geometry.sector_sizes())),
        fact(&w.property_number, papers.property_number.clone()),
        fact(&w.attached_by, format!("{} ({})", drive.bus, drive.shown_path())),
        fact(&w.firmware, said(&drive.unit.firmware)),
        fact(&w.hidden_areas, drive.hidden_sentence()),
        fact(&w.unique_names, or_none(drive.unit.ids.iter().map(|id| id.sentence()).collect(), w)),
        fact(&w.beside_it, elsewhere(drive, w)),
    ]
}

/// Namespace and other storage of the unit.
fn elsewhere(drive: &Drive, w: &Words) -> String {
    let own = match drive.protocol {
        Protocol::Nvme { namespace } => vec![format!("this is namespace {namespace}")],
        _ => vec![],
    };
    let others = drive.elsewhere.iter().map(|e| e.what.clone());
    or_none(own.into_iter().chain(others).collect(), w)
}

/// What no machine told is no line to fill in by hand.
fn or_none(told: Vec<String>, w: &Words) -> String {
    if told.is_empty() { w.none_told.clone() } else { told.join("; ") }
}

fn origin_facts(papers: &Papers, w: &Words) -> Vec<Fact> {
    let level = |s: Sensitivity| match s {
        Sensitivity::Low => w.low.clone(),
        Sensitivity::Moderate => w.moderate.clone(),
        Sensitivity::High => w.high.clone(),
    };
    let backed_up = match papers.backup {
        Backup::Yes => &w.yes,
        Backup::No => &w.no,
        Backup::NotNeeded => &w.not_needed,
        Backup::Unknown => &w.unknown,
    };
    vec![
        fact(&w.source, papers.source.clone()),
        fact(&w.lot, papers.lot.clone()),
        fact(&w.confidentiality_before, papers.need.map(|n| level(n.sensitivity)).unwrap_or_default()),
        fact(&w.confidentiality_after, papers.category_after.map(level).unwrap_or_default()),
        fact(&w.backed_up, backed_up.clone()),
        fact(&w.backup_place, papers.backup_place.clone()),
        fact(&w.destination, papers.destination.clone()),
        fact(&w.notes, papers.notes.clone()),
    ]
}

fn work_facts(record: &Record, w: &Words) -> Vec<Fact> {
    let evidence = record.evidence();
    let faults = |set: jurex_pattern::ranges::RangeSet| {
        if set.is_empty() { w.none.clone() } else { format!("{} ({})", counted(set.count(), "sector"), set.sentence(4)) }
    };
    // By the clock that nobody can set; records of version 1 have only that of the day.
    let by_the_wall = std::time::Duration::try_from(record.ended.duration_since(record.started)).unwrap_or_default();
    let lasted = duration(if evidence.lasted().is_zero() { by_the_wall } else { evidence.lasted() });
    let lasted = if evidence.sessions.len() > 1 { put(&w.at_work, &[("duration", &lasted)]) } else { lasted };
    let mark = record.method.mark.then(|| fact(&w.mark, w.mark_told.clone()));
    let facts = vec![
        fact(&w.method, method(record, w)),
        fact(&w.technique, techniques(evidence)),
        fact(&w.treatment, record.method.title.clone()),
        code(&w.passes, if record.method.notation.is_empty() { w.none.clone() } else { record.method.notation.clone() }),
        fact(&w.verification, verification(record)),
        code(&w.sampling_seed, sampling_seed(evidence).unwrap_or_else(|| w.not_sampled.clone())),
        fact(&w.tool, format!("{} {}", record.tool.name, record.tool.version)),
        fact(&w.duration, lasted),
        fact(&w.began, said_time(record.started)),
        fact(&w.ended, said_time(record.ended)),
        fact(&w.sectors_covered, covered(evidence, w)),
        fact(&w.written, size(evidence.bytes_laid())),
        fact(&w.read_back, size(evidence.bytes_read())),
        fact(&w.unwritable, faults(evidence.unwritable())),
        fact(&w.unreadable, faults(evidence.unreadable())),
        fact(&w.wrong, faults(evidence.wrong())),
        fact(&w.end_of_job, evidence.ended.sentence()),
    ];
    let beside = evidence.own_check().into_iter().flat_map(|c| &c.beside);
    let required = record.papers().need.map(|need| fact(&w.required, outcome_word(need.outcome(), w)));
    required.into_iter().chain(facts).chain(mark).chain(beside.map(|b| fact(&w.read_beside, b.sentence()))).collect()
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

fn sampling_seed(evidence: &Evidence) -> Option<String> {
    let of_own = evidence.own_check().and_then(|c| c.read_back.sampling.as_ref());
    let sampling = evidence.last_reading().and_then(|r| r.sampling.as_ref()).or(of_own);
    sampling.map(Sampling::seed)
}

/// What was done, as the evidence has it.
fn techniques(evidence: &Evidence) -> String {
    let own = evidence.own().map(|own| format!("{}, a command of the drive's own", own.technique.name()));
    let laid = !evidence.passes().is_empty();
    let overwriting = laid.then(|| "overwriting, with the drive's own read and write commands".to_string());
    let done: Vec<String> = own.into_iter().chain(overwriting).collect();
    if done.is_empty() { "nothing was begun".into() } else { done.join("; then ") }
}

/// Hidden areas, the drive's own erasure with every answer of it, what was read before and after it, and what people state.
fn own_facts(evidence: &Evidence, w: &Words) -> Vec<Fact> {
    let mut facts = vec![];
    if let Some(lift) = evidence.lift() {
        let lifted = lift.after.sectors.saturating_sub(lift.before.sectors);
        let said = format!(
            "{} were hidden and were given back before the treatment. {}",
            counted(lifted, "sector"),
            lift.hidden.sentence()
        );
        facts.push(fact(&w.lifted, said));
    }
    if let Some(own) = evidence.own() {
        let end = match (own.completed, &own.failure) {
            (true, _) => "the drive itself says that it ended without error".to_string(),
            (false, Some(why)) => why.clone(),
            (false, None) if own.sent == 0 => "it was not sent".into(),
            (false, None) => "no end of it was told".into(),
        };
        let sent = own.commands.len();
        facts.push(fact(&w.own_erasure, format!("{}: {end}. {}.", own.technique.name(), counted(sent as u64, "command"))));
        // The first and the last: between them the drive is asked the same over and over.
        let told = own.commands.iter().enumerate().filter(|(i, _)| *i < TOLD_COMMANDS || i + TOLD_COMMANDS >= sent);
        let mut last = 0;
        for (n, (i, c)) in told.enumerate() {
            let left_out = if i > last + 1 { format!("({} more in the record) ", i - last - 1) } else { String::new() };
            last = i;
            facts.push(code(if n == 0 { &w.raw_answers } else { "" }, format!("{left_out}{} → {}", c.command, c.status)));
        }
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
        facts.push(fact(&w.read_after, format!("{}{compared}.", counted(check.read_back.read.count(), "sector"))));
    }
    if !evidence.stated.conditions.is_empty() {
        let by = if evidence.stated.by.is_empty() { "the technician" } else { &evidence.stated.by };
        let said: Vec<&str> = evidence.stated.conditions.iter().map(|c| c.statement()).collect();
        facts.push(fact(&w.stated, format!("{by} states: {}", said.join(" "))));
    }
    facts
}

/// So many commands of an own erasure are told from its beginning, and as many from its end.
const TOLD_COMMANDS: usize = 4;

/// In the standard's words the method is what was carried out (Clear, Purge, Destroy), the technique how.
fn method(record: &Record, w: &Words) -> String {
    match (record.claim().outcome(), record.method.expected) {
        (Outcome::NotSanitized, Outcome::NotSanitized) => w.method_none.clone(),
        (Outcome::NotSanitized, planned) => put(&w.method_not_reached, &[("planned", &planned.to_string())]),
        (earned, _) => earned.to_string(),
    }
}

/// Every hold on the drive: when, by which path, and how its sectors were reached.
fn session_facts(evidence: &Evidence, w: &Words) -> Vec<Fact> {
    let said = |session: &Session| {
        let closed = session.closed.map_or_else(|| w.cut_off.clone(), said_time);
        let drive = &session.drive;
        let bridge = if drive.bridged { ", through a bridge" } else { "" };
        let list = session.by_list.as_ref().map(|list| format!(" {}", list.sentence())).unwrap_or_default();
        format!(
            "{} to {closed}: {}, {}{bridge}, {}.{list}",
            said_time(session.opened),
            drive.shown_path(),
            drive.bus,
            session.access.sentence()
        )
    };
    let label = if evidence.sessions.len() > 1 { &w.interrupted } else { &w.drive_held };
    let labels = std::iter::once(label.as_str()).chain(std::iter::repeat(""));
    let mut facts: Vec<Fact> = labels.zip(&evidence.sessions).map(|(label, s)| fact(label, said(s))).collect();
    if evidence.clock_was_set_back() {
        facts.push(fact(&w.clock, w.clock_set_back.clone()));
    }
    facts
}

fn covered(evidence: &Evidence, w: &Words) -> String {
    if evidence.is_whole() {
        put(&w.all_of, &[("n", &grouped(evidence.range().count))])
    } else {
        format!("{} of {} ({})", grouped(evidence.range().count), grouped(evidence.geometry().sectors), evidence.range())
    }
}

pub(crate) fn said_time(time: Timestamp) -> String {
    time.strftime("%Y-%m-%d %H:%M:%S UTC").to_string()
}

/// Passes that are told one by one; of more, only the last ones.
const TOLD_PASSES: usize = 8;

fn pass_facts(evidence: &Evidence, w: &Words) -> Vec<Fact> {
    let skipped = evidence.passes().len().saturating_sub(TOLD_PASSES);
    let mut facts = vec![];
    if skipped > 0 {
        facts.push(fact(&w.earlier_passes, put(&w.earlier_passes_told, &[("n", &skipped.to_string())])));
    }
    for (i, pass) in evidence.passes().iter().enumerate().skip(skipped) {
        let label = if i == skipped { w.pass_by_pass.as_str() } else { "" };
        facts.push(fact(label, pass_sentence(i + 1, pass, evidence)));
    }
    facts
}

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

fn follows(page: &mut PageLayout, record: &Record, w: &Words) {
    let claim = record.claim();
    let cited = |r: &Reason| format!("{} [{}]", r.sentence(), r.citation());
    let listed = |label: &str, reasons: &[Reason]| -> Vec<Fact> {
        let labels = std::iter::once(label).chain(std::iter::repeat(""));
        labels.zip(reasons).map(|(label, r)| fact(label, cited(r))).collect()
    };
    let mut facts = vec![fact(
        &w.outcome,
        put(&w.judged_by, &[("outcome", &outcome_word(claim.outcome(), w)), ("rules", record.rule_set())]),
    )];
    facts.extend(listed(&w.because, claim.reasons()));
    facts.extend(listed(&w.not_covered, claim.limits()));
    facts.extend(record.evidence().size().map(|size| fact(&w.its_size, size.sentence())));
    facts.push(fact(&w.confidence, record.confidence()));
    facts.extend(record.second_look.as_ref().map(|look| fact(&w.second_look, look.sentence())));
    facts.extend(record.leftovers().map(|both| fact(&w.leftovers, format!("{}.", capital(&both)))));
    facts.extend(record.other_rules().map(|said| fact(&w.rules, said)));
    page.wide_facts(&facts);
}

pub(crate) fn person_facts(person: &Person, organisation: &str, w: &Words) -> Vec<Fact> {
    let organisation = if person.organisation.trim().is_empty() { organisation } else { person.organisation.as_str() };
    vec![
        fact(&w.name, person.name.clone()),
        fact(&w.position, person.title.clone()),
        fact(&w.organisation, organisation),
        fact(&w.place, person.place.clone()),
        fact(&w.contact, person.contact.clone()),
    ]
}
