//! The certificate of sanitization: the fields of SP 800-88 Rev. 1, 4.8, and what Jurex adds.

use crate::branding::House;
use crate::drawing::{Ink, pace, strata};
use crate::fonts::{Face, fonts};
use crate::page::{DocRole, Drawn, Fact, MARGIN, PageLayout, Style};
use crate::pdf::{PdfError, PdfInfo, ToAttach, write};
use crate::print::Print;
use crate::qr::Code;
use crate::words::{PaperWords, put, words};
use jurex_device::media::{Drive, Geometry, HiddenAreas, MediaClass, Protocol, UnitId};
use jurex_device::medium::{Access, AccessWay};
use jurex_device::technique::Condition;
use jurex_disposition::proof::{Finding, NoStanding, SecondCheck, VerificationRecord};
use jurex_pattern::ranges::RangeSet;
use jurex_pattern::text::capital;
use jurex_pattern::units::{duration, grouped, rate, size};
use jurex_sanitize::evidence::{Evidence, Expect, PassEvidence, Session};
use jurex_sanitize::need::Sensitivity;
use jurex_sanitize::record::{Backup, Papers, Person, Record};
use jurex_sanitize::rules::{Outcome, Reason, technique};
use jurex_sanitize::sampling::Sampling;
use jurex_sanitize::strata::Strata;
use jurex_sanitize::words::Said;

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
        title: format!("{} {}", title(record, &words(&print.house)), record.job),
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
fn title<'w>(record: &Record, words: &'w PaperWords) -> &'w str {
    match record.claim().outcome() {
        Outcome::NotSanitized => &words.report_title,
        _ => &words.certificate_title,
    }
}

/// In the standard's words, which no language has others for; only that nothing was earned is said in its own.
pub(crate) fn outcome_word(outcome: Outcome, words: &PaperWords) -> String {
    if outcome == Outcome::NotSanitized { words.not_sanitized.clone() } else { outcome.to_string() }
}

/// One way to spread a paper over its pages.
#[derive(Clone, Copy)]
struct CertificateFit {
    /// Air between lines and parts of the page that is signed, and how large its facts are set.
    signed: (f32, f32),
    /// Air between those of the evidence.
    air: f32,
    /// The tallest that the chart may be, in points.
    chart: f32,
}

/// The paper so that what is signed is one page, and none of the evidence's is left all but empty.
pub(crate) fn best_fit(record: &Record, print: &Print) -> PageLayout {
    const DENSITIES: [(f32, f32); 7] = [(1.0, 1.0), (0.7, 1.0), (0.4, 1.0), (0.2, 0.95), (0.1, 0.9), (0.0, 0.86), (0.0, 0.8)];
    let w = &words(&print.house);
    let is_one_page = |(air, scale): &(f32, f32)| {
        let mut page = PageLayout::with_air(print.house.page, *air);
        page.set_density(*air, *scale);
        signed_page(&mut page, record, print, w);
        page.pages == 1
    };
    // Who writes a novel into the notes gets a second page to sign.
    let signed = DENSITIES.into_iter().find(is_one_page).unwrap_or((0.4, 1.0));
    let usual = CertificateFit { signed, air: 1.0, chart: 110.0 };
    let first = lay_out(record, print, usual);
    if !first.ends_in_a_rest() {
        return first;
    }
    let closer = [
        CertificateFit { chart: 84.0, ..usual },
        CertificateFit { air: 0.7, chart: 84.0, ..usual },
        CertificateFit { air: 0.4, chart: 64.0, ..usual },
    ];
    closer.into_iter().map(|fit| lay_out(record, print, fit)).find(|l| l.pages < first.pages).unwrap_or(first)
}

fn lay_out(record: &Record, print: &Print, fit: CertificateFit) -> PageLayout {
    let w = &words(&print.house);
    let (air, scale) = fit.signed;
    let mut page = PageLayout::with_air(print.house.page, air);
    page.set_density(air, scale);
    signed_page(&mut page, record, print, w);
    page.new_page();
    page.set_density(fit.air, 1.0);
    evidence_pages(&mut page, record, print, fit.chart, w);
    let tool = put(&w.made_by, &[("tool", &format!("{} {}", record.tool.name, record.tool.version))]);
    foot(&mut page, [tool, put(&w.digest, &[("digest", &record.digest())])], w);
    if record.claim().outcome() == Outcome::NotSanitized {
        page.on_every_page(&warning_border(page.size));
    }
    page
}

/// For whom it is handed to: the drive, what was required and reached, how, by whom, and where they sign.
fn signed_page(page: &mut PageLayout, record: &Record, print: &Print, w: &PaperWords) {
    let papers = record.papers();
    letterhead(page, &print.house, &papers.organisation, w);
    let sanitized = record.claim().outcome() != Outcome::NotSanitized;
    head(page, title(record, w), record.job.as_str(), if sanitized { Ink::Own } else { Ink::Text });
    outcome(page, record, print, w);
    page.heading(&w.the_drive, 60.0);
    let drive = drive_as_treated(record);
    page.facts(&drive_facts(&drive, papers, w));
    page.heading(&w.from_and_to, 40.0);
    page.facts(&origin_facts(papers, w));
    own_fields(page, &print.house, w);
    page.heading(&w.what_was_done, 60.0);
    page.facts(&work_facts(record, w));
    // Of what is not sanitized nothing is limited: the reasons stand above.
    if sanitized {
        page.wide_facts(&in_short(record, w));
    }
    page.heading(&w.signatures, 120.0);
    page.text(DocRole::Paragraph, Style::new(Face::Text, 9.0, Ink::Text), &attestation(record, w));
    page.space(4.0);
    let by = if sanitized { &w.sanitized_by } else { &w.treated_by };
    sign_here(page, by, (&papers.technician, &papers.validator), &papers.organisation, w);
    if !print.house.closing.is_empty() {
        closing(page, &print.house);
    }
}

/// For those who check it: what was sent and answered, written and read, and what follows clause by clause.
fn evidence_pages(page: &mut PageLayout, record: &Record, print: &Print, chart: f32, w: &PaperWords) {
    let evidence = record.evidence();
    page.heading(&w.evidence, 60.0);
    caption(page, &w.evidence_caption);
    if !w.is_english() {
        caption(page, &w.english_note);
    }
    page.space(3.0);
    page.facts(&identity_facts(&drive_as_treated(record), w));
    page.facts(&coverage_facts(record, w));
    page.wide_facts(&session_facts(evidence, w));
    page.wide_facts(&own_facts(evidence, w));
    page.wide_facts(&pass_facts(evidence, w));
    drawings(page, record, chart, w);
    page.heading(&w.what_follows, 60.0);
    follows(page, record, w);
    standing(page, record, print, w);
    page.heading(&w.second_verification, 40.0);
    second_verification(page, record, print, w);
}

/// The drive with the size and the hidden areas that it had when it was treated.
fn drive_as_treated(record: &Record) -> Drive {
    let evidence = record.evidence();
    Drive { geometry: evidence.geometry(), hidden: evidence.hidden().clone(), ..evidence.drive().clone() }
}

/// The foot of every page.
pub(crate) fn foot(page: &mut PageLayout, lines: [String; 2], w: &PaperWords) {
    page.footers(&lines, |n, of| put(&w.page_of, &[("page", &n.to_string()), ("pages", &of.to_string())]));
}

/// Fields for the two who stand for it.
pub(crate) fn sign_here(
    page: &mut PageLayout,
    by: &str,
    (technician, validator): (&Person, &Person),
    organisation: &str,
    w: &PaperWords,
) {
    page.signatures(
        vec![
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
pub(crate) fn letterhead(page: &mut PageLayout, house: &House, organisation: &str, w: &PaperWords) {
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
pub(crate) fn own_fields(page: &mut PageLayout, house: &House, w: &PaperWords) {
    if !house.fields.is_empty() {
        page.heading(&w.our_fields, 30.0);
        let facts: Vec<Fact> = house.fields.iter().map(|f| fact(&f.label, f.value.clone())).collect();
        page.facts(&facts);
    }
}

/// Closing words.
pub(crate) fn closing(page: &mut PageLayout, house: &House) {
    page.space(8.0);
    if !house.closing.is_empty() {
        page.text(DocRole::Paragraph, Style::new(Face::Text, 9.0, Ink::Text), &house.closing);
        page.space(4.0);
    }
}

/// The layers, and speed over position where there is room for it without tearing a hole into the pages.
fn drawings(page: &mut PageLayout, record: &Record, chart: f32, w: &PaperWords) {
    /// What a chart needs at least.
    const LEAST: f32 = 60.0;
    /// Of a heading with its caption.
    const AROUND: f32 = 60.0;
    let evidence = record.evidence();
    let layers = strata::draw(&in_words(Strata::of(evidence, &record.before), w), page.inner());
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

/// The layers with titles in the paper's language; a pass keeps its number and pattern.
fn in_words(mut strata: Strata, w: &PaperWords) -> Strata {
    for layer in &mut strata.layers {
        let said = match layer.title.as_str() {
            "before" => Said::new("paper.layer.before"),
            "left" => Said::new("paper.layer.left"),
            "itself" => Said::new("paper.layer.itself"),
            "proof" => Said::new("paper.layer.proof"),
            passes => match passes.strip_prefix("passes 1-") {
                Some(last) => Said::new("paper.layer.passes").text("last", last),
                None => continue,
            },
        };
        layer.title = w.say(&said);
    }
    strata
}

/// That the record stands in a ledger.
fn standing(page: &mut PageLayout, record: &Record, print: &Print, w: &PaperWords) {
    let doubts: Vec<Fact> = record.ledger_doubts.iter().map(|said| fact(&w.ledger_doubt, capital(said)).english()).collect();
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
fn second_verification(page: &mut PageLayout, record: &Record, print: &Print, w: &PaperWords) {
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
            Ok(()) => finding(v.finding(), w),
            Err(why) => format!("{}: {}", w.second_without_standing, no_standing(&why, w)),
        };
        page.facts(&[
            fact(&w.verified_by, v.look.by.name.clone()),
            fact(&w.date, w.time(v.look.ended)),
            fact(&w.tool_and_version, format!("{} {}", v.look.tool.name, v.look.tool.version)),
            fact(&w.result, result),
        ]);
        let found: Vec<Fact> = v.said().iter().map(|said| fact(&w.found, w.say(said))).collect();
        page.wide_facts(&found);
    }
}

fn finding(finding: Finding, w: &PaperWords) -> String {
    w.word(match finding {
        Finding::Confirmed => "paper.finding.confirmed",
        Finding::Contradicted => "paper.finding.contradicted",
        Finding::Incomplete => "paper.finding.incomplete",
    })
}

fn no_standing(why: &NoStanding, w: &PaperWords) -> String {
    w.word(match why {
        NoStanding::OtherJob => "paper.no-standing.other-job",
        NoStanding::OtherDrive => "paper.no-standing.other-drive",
        NoStanding::OtherExpectation => "paper.no-standing.other-expectation",
        NoStanding::TooEarly => "paper.no-standing.too-early",
    })
}

/// What the signatures stand for.
fn attestation(record: &Record, w: &PaperWords) -> String {
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

/// The title, and beside it what it is of. An organisation's own colour is for certificates alone.
pub(crate) fn head(page: &mut PageLayout, title: &str, name: &str, ink: Ink) {
    let size = 9.5;
    let width = fonts().width(Face::Mono, size, name);
    let (x, y) = (page.width() - MARGIN - width, page.y() + 17.0);
    let room = page.inner() - width - 10.0;
    page.text_in(DocRole::Heading(1, title.into()), Style::new(Face::Strong, 19.0, ink), title, room);
    page.place(DocRole::Paragraph, Drawn::Text { x, y, face: Face::Mono, size, ink: Ink::Text, text: name.into() });
    page.space(6.0);
}

/// The outcome, large, with the paper's code beside it. Where nothing was earned it stands white in a black band.
fn outcome(page: &mut PageLayout, record: &Record, print: &Print, w: &PaperWords) {
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
    let drive = record.evidence().drive().name();
    let word = outcome_word(outcome, w);
    let first = if sanitized { &w.has_reached } else { &w.is_not_sanitized };
    let sentence = format!("{} {}", put(first, &[("drive", &drive), ("outcome", &word)]), sentences(record.claim().reasons(), w));
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
pub(crate) fn demonstration(page: &mut PageLayout, w: &PaperWords) {
    loud_demonstration(page, w, &w.demonstration);
}

/// The same of what this says.
pub(crate) fn loud_demonstration(page: &mut PageLayout, w: &PaperWords, says: &str) {
    page.text(DocRole::Paragraph, Style::new(Face::Strong, 28.0, Ink::Text), &w.demonstration_loud);
    page.text(DocRole::Paragraph, Style::new(Face::Strong, 9.6, Ink::Text), says);
    page.space(5.0);
}

pub(crate) fn sentences(reasons: &[Reason], w: &PaperWords) -> String {
    reasons.iter().map(|r| w.reason(r)).collect::<Vec<_>>().join(" ")
}

pub(crate) fn fact(label: &str, value: impl Into<String>) -> Fact {
    Fact { label: label.into(), value: value.into(), face: Face::Text, english: false }
}

pub(crate) fn code(label: &str, value: impl Into<String>) -> Fact {
    Fact { face: Face::Mono, ..fact(label, value) }
}

/// By what it is known.
fn drive_facts(drive: &Drive, papers: &Papers, w: &PaperWords) -> Vec<Fact> {
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
        fact(&w.model, said(&drive.unit.model)),
        code(&w.serial, said(&drive.unit.serial)),
        fact(&w.capacity, drive.size()),
        fact(&w.media_type, class(drive.class, w)),
        fact(&w.property_number, papers.property_number.clone()),
    ]
}

/// The class of media, in a word or two.
pub(crate) fn class(class: MediaClass, w: &PaperWords) -> String {
    w.word(match class {
        MediaClass::Magnetic => "paper.class.magnetic",
        MediaClass::SolidState => "paper.class.solid-state",
        MediaClass::RemovableFlash => "paper.class.removable-flash",
        MediaClass::EmbeddedFlash => "paper.class.embedded-flash",
        MediaClass::Virtual => "paper.class.virtual",
        MediaClass::Optical => "paper.class.optical",
        MediaClass::Unknown => "paper.class.unknown",
    })
}

/// All else that it reports of itself.
fn identity_facts(drive: &Drive, w: &PaperWords) -> Vec<Fact> {
    vec![
        fact(&w.attached_by, format!("{} ({})", drive.bus, drive.shown_path())),
        fact(&w.firmware, drive.unit.firmware.clone().unwrap_or_else(|| w.not_told.clone())),
        fact(&w.sectors, format!("{}, {}", grouped(drive.geometry.sectors), sector_sizes(drive.geometry))),
        fact(&w.hidden_areas, w.say(&hidden(&drive.hidden, &drive.hidden_asked))),
        fact(&w.unique_names, or_none(drive.unit.ids.iter().map(UnitId::sentence).collect(), w)),
        fact(&w.beside_it, elsewhere(drive, w)),
    ]
}

/// As the trade writes it in any language: `512 B / 4096 B (512e)`.
fn sector_sizes(geometry: Geometry) -> String {
    match (geometry.logical, geometry.physical) {
        (512, 512) => "512 B (512n)".into(),
        (512, 4096) => "512 B / 4096 B (512e)".into(),
        (4096, 4096) => "4096 B (4Kn)".into(),
        (logical, physical) if logical == physical => format!("{logical} B"),
        (logical, physical) => format!("{logical} B / {physical} B"),
    }
}

fn hidden(areas: &HiddenAreas, asked: &[String]) -> Said {
    match (areas, asked) {
        (HiddenAreas::None, []) => Said::new("paper.hidden.no-command"),
        (HiddenAreas::None, asked) => Said::new("paper.hidden.none").text("asked", asked.join(", ")),
        (HiddenAreas::NotAsked, _) => Said::new("paper.hidden.not-asked"),
        (HiddenAreas::Hidden { sectors }, _) => Said::new("paper.hidden.some").number("sectors", *sectors),
    }
}

/// Namespace and other storage of the unit.
fn elsewhere(drive: &Drive, w: &PaperWords) -> String {
    let own = match drive.protocol {
        Protocol::Nvme { namespace } => vec![w.say(&Said::new("paper.namespace").number("n", u64::from(namespace)))],
        _ => vec![],
    };
    let others = drive.elsewhere.iter().map(|e| e.what.clone());
    or_none(own.into_iter().chain(others).collect(), w)
}

/// What no machine told is no line to fill in by hand.
fn or_none(told: Vec<String>, w: &PaperWords) -> String {
    if told.is_empty() { w.none_told.clone() } else { told.join("; ") }
}

pub(crate) fn origin_facts(papers: &Papers, w: &PaperWords) -> Vec<Fact> {
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

/// What was done, as one who is handed the drive asks it.
fn work_facts(record: &Record, w: &PaperWords) -> Vec<Fact> {
    let evidence = record.evidence();
    // By the clock that nobody can set; records of version 1 have only that of the day.
    let by_the_wall = std::time::Duration::try_from(record.ended.duration_since(record.started)).unwrap_or_default();
    let lasted = duration(if evidence.lasted().is_zero() { by_the_wall } else { evidence.lasted() });
    let lasted = if evidence.sessions.len() > 1 { put(&w.at_work, &[("duration", &lasted)]) } else { lasted };
    let mark = record.method.mark.then(|| fact(&w.mark, w.mark_told.clone()));
    let required = record.papers().need.map(|need| fact(&w.required, outcome_word(need.outcome(), w)));
    let facts = [
        fact(&w.method, method(record, w)),
        fact(&w.technique, w.say(&techniques(evidence))),
        fact(&w.treatment, record.method.title.clone()).english(),
        fact(&w.verification, w.say(&verification(record))),
        fact(&w.sectors_covered, covered(evidence, w)),
        fact(&w.began, w.time(record.started)),
        fact(&w.ended, w.time(record.ended)),
        fact(&w.duration, lasted),
        fact(&w.tool, format!("{} {}", record.tool.name, record.tool.version)),
    ];
    required.into_iter().chain(facts).chain(mark).collect()
}

/// What was read back, with what confidence, and what the outcome does not cover.
fn in_short(record: &Record, w: &PaperWords) -> Vec<Fact> {
    let labels = std::iter::once(w.not_covered.as_str()).chain(std::iter::repeat(""));
    let limits = labels.zip(record.claim().limits()).map(|(label, limit)| fact(label, w.reason(limit)));
    std::iter::once(fact(&w.confidence, record.confidence_in(w.sentences()))).chain(limits).collect()
}

/// How much of it, sector by sector.
fn coverage_facts(record: &Record, w: &PaperWords) -> Vec<Fact> {
    let evidence = record.evidence();
    let faults = |set: &RangeSet| {
        let named = || Said::new("paper.faults").number("n", set.count()).places("at", set);
        if set.is_empty() { w.none.clone() } else { w.say(&named()) }
    };
    let facts = vec![
        code(&w.passes, if record.method.notation.is_empty() { w.none.clone() } else { record.method.notation.clone() }),
        code(&w.sampling_seed, sampling_seed(evidence).unwrap_or_else(|| w.not_sampled.clone())),
        fact(&w.written, size(evidence.bytes_laid())),
        fact(&w.read_back, size(evidence.bytes_read())),
        fact(&w.unwritable, faults(&evidence.unwritable())),
        fact(&w.unreadable, faults(&evidence.unreadable())),
        fact(&w.wrong, faults(&evidence.wrong())),
        fact(&w.end_of_job, w.say(&evidence.ended.said())),
    ];
    let beside = evidence.own_check().into_iter().flat_map(|c| &c.beside);
    facts.into_iter().chain(beside.map(|b| fact(&w.read_beside, w.say(&b.said())))).collect()
}

/// What was to be read back; where nothing was written, after the drive's own erasure.
fn verification(record: &Record) -> Said {
    let read = record.evidence().own_check().filter(|_| record.evidence().passes().is_empty());
    let code = match (read.map(|check| &check.read_back.sampling), record.method.verification) {
        (Some(None), _) => "own-full",
        (Some(Some(_)), _) => "own-sampled",
        (None, verification) => verification.name(),
    };
    Said::new(format!("paper.verify.{code}"))
}

fn sampling_seed(evidence: &Evidence) -> Option<String> {
    let of_own = evidence.own_check().and_then(|c| c.read_back.sampling.as_ref());
    let sampling = evidence.last_reading().and_then(|r| r.sampling.as_ref()).or(of_own);
    sampling.map(Sampling::seed)
}

/// What was done, as the evidence has it.
fn techniques(evidence: &Evidence) -> Said {
    let own = evidence.own().map(|own| Said::new("paper.done.own").said("technique", technique(own.technique)));
    let written = (!evidence.passes().is_empty()).then(|| Said::new("paper.done.overwriting"));
    match (own, written) {
        (Some(own), Some(written)) => Said::new("paper.done.then").said("first", own).said("second", written),
        (own, written) => own.or(written).unwrap_or_else(|| Said::new("paper.done.nothing")),
    }
}

/// Hidden areas, the drive's own erasure with every answer of it, what was read before and after it, and what people state.
fn own_facts(evidence: &Evidence, w: &PaperWords) -> Vec<Fact> {
    let mut facts = vec![];
    if let Some(lift) = evidence.lift() {
        let lifted = lift.after.sectors.saturating_sub(lift.before.sectors);
        let now = hidden(&lift.hidden, &evidence.drive().hidden_asked);
        facts.push(fact(&w.lifted, w.say(&Said::new("paper.unhidden").number("sectors", lifted).said("now", now))));
    }
    if let Some(own) = evidence.own() {
        let sent = own.commands.len();
        let said = Said::new("paper.own").said("technique", technique(own.technique)).number("commands", sent as u64);
        let said = match (own.completed, &own.failure) {
            (true, _) => said.said("end", Said::new("paper.own.ended")),
            (false, Some(why)) => said.text("end", why),
            (false, None) if own.sent == 0 => said.said("end", Said::new("paper.own.not-sent")),
            (false, None) => said.said("end", Said::new("paper.own.no-end")),
        };
        facts.push(fact(&w.own_erasure, w.say(&said)));
        // The first and the last: between them the drive is asked the same over and over.
        let told = own.commands.iter().enumerate().filter(|(i, _)| *i < TOLD_COMMANDS || i + TOLD_COMMANDS >= sent);
        let mut last = 0;
        for (n, (i, c)) in told.enumerate() {
            let left_out = (i > last + 1).then(|| w.say(&Said::new("paper.left-out").number("n", (i - last - 1) as u64)));
            last = i;
            let said = format!("{}{} → {}", left_out.unwrap_or_default(), c.command, c.status);
            facts.push(code(if n == 0 { &w.raw_answers } else { "" }, said).english());
        }
    }
    if let Some(check) = evidence.own_check() {
        let (drawn, wrong) = (check.drawn.unwrap_or_default(), check.read_back.wrong.count());
        let said = match check.expect {
            Expect::Changed => Said::new("paper.read-after.changed")
                .number("compared", drawn.compared)
                .number("same", wrong)
                .number("blank", drawn.blank_before),
            _ => Said::new("paper.read-after.other").number("other", wrong),
        };
        facts.push(fact(&w.read_after, w.say(&said.number("read", check.read_back.read.count()))));
    }
    if !evidence.stated.conditions.is_empty() {
        let by = if evidence.stated.by.is_empty() { w.word("paper.technician") } else { evidence.stated.by.clone() };
        let attested = |c: &Condition| w.word(&format!("paper.condition.{}", c.slug()));
        let what: Vec<String> = evidence.stated.conditions.iter().map(attested).collect();
        facts.push(fact(&w.stated, w.say(&Said::new("paper.attests").text("by", by).text("what", what.join(" ")))));
    }
    facts
}

/// So many commands of an own erasure are told from its beginning, and as many from its end.
const TOLD_COMMANDS: usize = 4;

/// In the standard's words the method is what was carried out (Clear, Purge, Destroy), the technique how.
fn method(record: &Record, w: &PaperWords) -> String {
    match (record.claim().outcome(), record.method.expected) {
        (Outcome::NotSanitized, Outcome::NotSanitized) => w.method_none.clone(),
        (Outcome::NotSanitized, planned) => put(&w.method_not_reached, &[("planned", &planned.to_string())]),
        (earned, _) => earned.to_string(),
    }
}

/// Every hold on the drive: when, by which path, and how its sectors were reached.
fn session_facts(evidence: &Evidence, w: &PaperWords) -> Vec<Fact> {
    let said = |session: &Session| {
        let drive = &session.drive;
        let list = session.by_list.as_ref().map(|list| {
            Said::new("paper.session.list")
                .number("line", list.line)
                .text("digest", list.sha256.get(..16).unwrap_or(&list.sha256))
                .text("by", &list.approved_by)
        });
        let said = Said::new("paper.session")
            .text("from", w.time(session.opened))
            .text("to", session.closed.map_or_else(|| w.cut_off.clone(), |t| w.time(t)))
            .text("path", drive.shown_path())
            .text("bus", drive.bus.to_string())
            .said("access", Said::new(access(session.access)));
        let said = if drive.bridged { said.said("bridge", Said::new("paper.session.bridge")) } else { said };
        w.say(&list.into_iter().fold(said, |said, list| said.said("list", list)))
    };
    let label = if evidence.sessions.len() > 1 { &w.interrupted } else { &w.drive_held };
    let labels = std::iter::once(label.as_str()).chain(std::iter::repeat(""));
    let mut facts: Vec<Fact> = labels.zip(&evidence.sessions).map(|(label, s)| fact(label, said(s))).collect();
    if evidence.clock_was_set_back() {
        facts.push(fact(&w.clock, w.clock_set_back.clone()));
    }
    facts
}

fn access(access: Access) -> &'static str {
    match (access.way, access.exclusive) {
        (AccessWay::Direct, true) => "paper.access.direct-exclusive",
        (AccessWay::Direct, false) => "paper.access.direct-shared",
        (AccessWay::Buffered, true) => "paper.access.buffered-exclusive",
        (AccessWay::Buffered, false) => "paper.access.buffered-shared",
        (AccessWay::Unknown, _) => "paper.access.unknown",
    }
}

fn covered(evidence: &Evidence, w: &PaperWords) -> String {
    let range = evidence.range();
    if evidence.is_whole() {
        return put(&w.all_of, &[("n", &grouped(range.count))]);
    }
    let at: RangeSet = [range].into_iter().collect();
    let said = Said::new("paper.covered.part").number("n", range.count).number("all", evidence.geometry().sectors);
    w.say(&said.places("at", &at))
}

/// Passes that are told one by one; of more, only the last ones.
const TOLD_PASSES: usize = 8;

fn pass_facts(evidence: &Evidence, w: &PaperWords) -> Vec<Fact> {
    let skipped = evidence.passes().len().saturating_sub(TOLD_PASSES);
    let mut facts = vec![];
    if skipped > 0 {
        facts.push(fact(&w.earlier_passes, put(&w.earlier_passes_told, &[("n", &skipped.to_string())])));
    }
    for (i, pass) in evidence.passes().iter().enumerate().skip(skipped) {
        let label = if i == skipped { w.pass_by_pass.as_str() } else { "" };
        facts.push(fact(label, pass_sentence(i + 1, pass, evidence, w)));
    }
    facts
}

fn pass_sentence(number: usize, pass: &PassEvidence, evidence: &Evidence, w: &PaperWords) -> String {
    let (sectors, took) = pass.pace.total();
    let speed = evidence.drive().geometry.bytes_of(sectors) as f64 / took.as_secs_f64().max(1e-9);
    let mut said = Said::new("paper.pass")
        .number("n", number as u64)
        .text("pattern", pass.pattern.to_string())
        .number("written", pass.laid.count());
    if !took.is_zero() {
        said = said.said("speed", Said::new("paper.pass.speed").text("rate", rate(speed)));
    }
    if pass.flushed {
        said = said.said("flushed", Said::new("paper.pass.flushed"));
    }
    if let Some(read) = evidence.reading_of(number - 1) {
        let back = Said::new("paper.pass.read").number("read", read.read.count()).number("wrong", read.wrong.count());
        said = said.said("read", back);
    }
    w.say(&said)
}

fn follows(page: &mut PageLayout, record: &Record, w: &PaperWords) {
    let claim = record.claim();
    let listed = |label: &str, reasons: &[Reason]| -> Vec<Fact> {
        let labels = std::iter::once(label).chain(std::iter::repeat(""));
        labels.zip(reasons).map(|(label, r)| reason_fact(label, r, w)).collect()
    };
    let mut facts = vec![fact(
        &w.outcome,
        put(&w.judged_by, &[("outcome", &outcome_word(claim.outcome(), w)), ("rules", record.rule_set())]),
    )];
    facts.extend(listed(&w.because, claim.reasons()));
    facts.extend(listed(&w.not_covered, claim.limits()));
    facts.extend(record.evidence().size().map(|size| fact(&w.its_size, w.say(&size.said()))));
    facts.push(fact(&w.confidence, record.confidence_in(w.sentences())));
    facts.extend(record.second_look.as_ref().map(|look| fact(&w.second_look, w.say(&look.said()))));
    facts.extend(record.leftovers_said().map(|both| fact(&w.leftovers, w.say(&both))));
    facts.extend(record.outcome_by_other_rules().map(|today| {
        let [then, today] = [claim.outcome(), today].map(|outcome| outcome_word(outcome, w));
        fact(&w.rules, w.say(&Said::new("paper.other-rules").text("then", then).text("today", today)))
    }));
    page.wide_facts(&facts);
}

/// A reason or a limit with its clause.
pub(crate) fn reason_fact(label: &str, reason: &Reason, w: &PaperWords) -> Fact {
    let said = w.reason(reason);
    // What is kept in English words, and has none in this language, stays what it is.
    let english = !w.is_english() && reason.code().is_none() && said == reason.sentence();
    Fact { english, ..fact(label, format!("{said} [{}]", reason.citation())) }
}

pub(crate) fn person_facts(person: &Person, organisation: &str, w: &PaperWords) -> Vec<Fact> {
    let organisation = if person.organisation.trim().is_empty() { organisation } else { person.organisation.as_str() };
    vec![
        fact(&w.name, person.name.clone()),
        fact(&w.position, person.title.clone()),
        fact(&w.organisation, organisation),
        fact(&w.place, person.place.clone()),
        fact(&w.contact, person.contact.clone()),
    ]
}
