//! The paper of files that were erased, or of free space that was filled: one page, and in large letters what it is not.

use crate::branding::House;
use crate::certificate::{
    CertificateError, band, caption, closing, code, fact, foot, head, letterhead, loud_demonstration, own_fields, person_facts,
    warning_border,
};
use crate::drawing::{Ink, strip};
use crate::fonts::Face;
use crate::page::{DocRole, Fact, PageLayout, Style};
use crate::pdf::{PdfInfo, ToAttach, write};
use crate::words::{PaperWords, put, words};
use jurex_file_erase::{Ending, FileEraseRecord, FileWork, Name, NodeKind};
use jurex_pattern::text::hex;
use jurex_pattern::units::duration;
use jurex_sanitize::record::Person;
use sha2::{Digest, Sha256};

/// Files that are named on the page at most.
const NAMED: usize = 6;

/// The paper as PDF/A-3a and PDF/UA-1, with its record attached. The same record printed the same way always gives the same bytes.
///
/// # Errors
/// Something that PDF/A forbids: a defect in Jurex.
pub fn less_paper(record: &FileEraseRecord, house: &House) -> Result<Vec<u8>, CertificateError> {
    less_paper_with(record, record.to_json(), house)
}

/// The same, with the record's canonical JSON: of many files it is long, and is written once.
///
/// # Errors
/// Something that PDF/A forbids: a defect in Jurex.
pub fn less_paper_with(record: &FileEraseRecord, json: String, house: &House) -> Result<Vec<u8>, CertificateError> {
    let w = &words(house);
    let job = record.asked.job.to_string();
    let digest = hex::encode(&Sha256::digest(&json));
    let source = ToAttach::json(format!("{job}.files.json"), "The record that this paper was made from", true, json);
    let attached = std::iter::once(source).chain(ToAttach::house(house, &job)).collect();
    let about = PdfInfo {
        title: format!("{} {job}", title(record, w)),
        id: format!("{job} {digest}"),
        made: record.asked.ended,
        language: house.language.tag(),
        colour: house.colour,
        attached,
    };
    write(&best_fit(record, &digest, house, w), about).map_err(|problem| CertificateError { job, problem })
}

/// Where it lay, as SVG; `None`: no places are told.
pub fn less_svg(record: &FileEraseRecord) -> Option<String> {
    strip::draw(record, 720.0).map(|drawing| drawing.to_svg())
}

fn title<'w>(record: &FileEraseRecord, w: &'w PaperWords) -> &'w str {
    match record.work() {
        FileWork::Files { .. } => &w.less_files_title,
        FileWork::Free { .. } => &w.less_free_title,
    }
}

/// One way to bring it onto the page.
#[derive(Clone, Copy)]
struct FilesFit {
    air: f32,
    /// Whether it is said in short: fewer files by name, and of what stands against it only what it is.
    brief: bool,
    /// Files that are named.
    named: usize,
}

/// With as much air and as many words as one page has room for.
fn best_fit(record: &FileEraseRecord, digest: &str, house: &House, w: &PaperWords) -> PageLayout {
    let fits = [
        (1.0, false, NAMED),
        (0.5, false, NAMED),
        (0.5, true, NAMED / 2),
        (0.15, true, NAMED / 2),
        (0.15, true, NAMED / 4),
        (0.15, true, 0),
    ];
    let fits = fits.map(|(air, brief, named)| FilesFit { air, brief, named });
    let mut laid_out = fits.into_iter().map(|fit| lay_out(record, digest, house, w, fit));
    laid_out.find(|l| l.pages == 1).unwrap_or_else(|| lay_out(record, digest, house, w, fits[5]))
}

fn lay_out(record: &FileEraseRecord, digest: &str, house: &House, w: &PaperWords, fit: FilesFit) -> PageLayout {
    let mut page = PageLayout::with_air(house.page, fit.air);
    let size = if fit.brief { 8.2 } else { 9.2 };
    let text =
        |page: &mut PageLayout, size, said: &str| page.text(DocRole::Paragraph, Style::new(Face::Text, size, Ink::Text), said);
    // What came of it is kept in English words.
    let english = |page: &mut PageLayout, size, said: &str| {
        page.text(DocRole::EnglishParagraph, Style::new(Face::Text, size, Ink::Text), said);
    };
    letterhead(&mut page, house, "", w);
    if record.asked.demonstration {
        loud_demonstration(&mut page, w, &w.demonstration_files);
    }
    head(&mut page, title(record, w), record.asked.job.as_str(), Ink::Text);
    band(&mut page, &w.less_loud);
    text(&mut page, size, &w.less_says);
    page.heading(&w.less_asked, 40.0);
    page.facts(&asked_facts(record, w));
    page.wide_facts(&[fact(&w.less_what, record.what()).english()]);
    own_fields(&mut page, house, w);
    page.heading(&w.less_came, 40.0);
    record.results().iter().for_each(|said| english(&mut page, size, &format!("\u{2013} {said}")));
    by_name(&mut page, record, fit.named, w);
    if let Some(drawing) = strip::draw(record, page.inner()) {
        page.heading(&w.less_places, drawing.height + 12.0);
        page.drawing(drawing);
        caption(&mut page, &w.less_caption);
    }
    page.heading(&w.less_ground, 40.0);
    for ground in record.grounds() {
        let doubts = ground.doubts().into_iter().map(|d| if fit.brief { d.what } else { d.sentence() });
        let doubts: Vec<String> = doubts.collect();
        let said = if doubts.is_empty() { "\u{2013}".into() } else { doubts.join(" ") };
        page.text(
            DocRole::Paragraph,
            Style::new(Face::Strong, 8.4, Ink::Text),
            &format!("{} ({})", ground.called(), ground.source),
        );
        english(&mut page, size - 0.8, &said);
    }
    page.heading(&w.signatures, if fit.brief { 80.0 } else { 120.0 });
    text(&mut page, 9.0, &w.less_attest);
    page.space(3.0);
    let facts = |person: &Person| {
        let mut facts = person_facts(person, "", w);
        facts.truncate(if fit.brief { 1 } else { facts.len() });
        facts
    };
    let by = |what: &str, person: &Person| (what.to_string(), facts(person));
    page.signatures(vec![by(&w.done_by, &record.asked.by), by(&w.seen_by, &Person::default())], [&w.signature, &w.date]);
    closing(&mut page, house);
    if !w.is_english() {
        caption(&mut page, &w.english_note);
    }
    let tool = put(&w.less_made_by, &[("tool", &format!("{} {}", record.asked.tool.name, record.asked.tool.version))]);
    foot(&mut page, [tool, put(&w.less_digest, &[("digest", digest)])], w);
    page.on_every_page(&warning_border(page.size));
    page
}

fn asked_facts(record: &FileEraseRecord, w: &PaperWords) -> Vec<Fact> {
    let asked = &record.asked;
    let took = (asked.ended - asked.started).try_into().unwrap_or_default();
    let mut facts = vec![
        code(&w.passes, asked.notation.clone()),
        fact(&w.duration, duration(took)),
        fact(&w.began, w.time(asked.started)),
        fact(&w.ended, w.time(asked.ended)),
    ];
    if asked.went_on > 0 {
        facts.push(fact(&w.less_went_on, put(&w.less_times, &[("n", &asked.went_on.to_string())])));
    }
    if let FileWork::Files { salt, .. } = record.work() {
        let names = if salt.is_empty() { w.less_names_plain.clone() } else { put(&w.less_names_digested, &[("salt", salt)]) };
        facts.push(fact(&w.less_names, names));
    }
    facts
}

/// What could not be proved, by name, where names are kept.
fn by_name(page: &mut PageLayout, record: &FileEraseRecord, most: usize, w: &PaperWords) {
    let FileWork::Files { files, .. } = record.work() else { return };
    let unproved = files.iter().filter(|f| f.kind == NodeKind::File).filter_map(|f| {
        let Name::Path(path) = &f.name else { return None };
        let (ending, because) = f.ending(record.grounds().get(f.ground as usize)?, record.asked.passes);
        let why = f.left_alone.map(|l| l.sentence().to_string()).or_else(|| f.fault.clone());
        let why = why.or_else(|| because.first().map(|b| b.sentence().to_string())).unwrap_or_default();
        (ending > Ending::Proved).then(|| (path.clone(), format!("{}: {why}", ending.sentence())))
    });
    let unproved: Vec<(String, String)> = unproved.collect();
    if unproved.is_empty() {
        return;
    }
    page.space(3.0);
    page.text(DocRole::Paragraph, Style::new(Face::Strong, 8.4, Ink::Text), &w.less_by_name);
    for (path, why) in unproved.iter().take(most) {
        let shown = crate::fonts::fonts().shorten(Face::Mono, 7.4, path, page.inner() * 0.55);
        page.text(DocRole::EnglishParagraph, Style::new(Face::Text, 7.8, Ink::Text), &format!("{shown}  \u{2013}  {why}"));
    }
    if unproved.len() > most {
        caption(page, &put(&w.less_more, &[("n", &(unproved.len() - most).to_string())]));
    }
}
