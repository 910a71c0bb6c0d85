//! The paper of a destruction: what is stated, what follows from it, and that it rests on a statement.

use crate::branding::House;
use crate::certificate::{
    CertificateError, band, class, closing, code, demonstration, fact, foot, head, letterhead, origin_facts, outcome_word,
    own_fields, person_facts, reason_fact, sentences, warning_border,
};
use crate::drawing::Ink;
use crate::fonts::Face;
use crate::page::{DocRole, Fact, PageLayout, Style};
use crate::pdf::{PdfInfo, ToAttach, write};
use crate::words::{PaperWords, put, words};
use jurex_disposition::release::{Act, Destruction, Named, Release};
use jurex_sanitize::record::{Papers, Person};
use jurex_sanitize::rules::{Claim, Outcome, Reason};

/// The paper of a destruction as PDF/A-3a and PDF/UA-1, with its statement attached; `Ok(None)`: something else became of the drive, which
/// has no paper of its own. The same statement printed the same way always gives the same bytes.
///
/// # Errors
/// Something that PDF/A forbids: a defect in Jurex.
pub fn destruction_paper(release: &Release, house: &House) -> Result<Option<Vec<u8>>, CertificateError> {
    let (Act::Destroyed(destruction), Some(claim)) = (&release.act, release.claim()) else { return Ok(None) };
    let w = &words(house);
    // As data, where it follows from what is stated as it stands: then every language has words for it.
    let in_codes = release.claim_as_data().filter(|data| data.outcome() == claim.outcome());
    let layout = lay_out(release, destruction, in_codes.as_ref().unwrap_or(claim), house, w);
    let name = name(release);
    let about = "The statement that this paper was made from";
    let source = ToAttach::json(format!("{name}.release.json"), about, true, release.to_json());
    let attached = std::iter::once(source).chain(ToAttach::house(house, &name)).collect();
    let about = PdfInfo {
        title: format!("{} {name}", title(claim, w)),
        id: format!("{name} {}", release.digest()),
        made: release.made,
        language: house.language.tag(),
        colour: house.colour,
        attached,
    };
    write(&layout, about).map(Some).map_err(|problem| CertificateError { job: format!("of the destruction of {name}"), problem })
}

/// Only what has earned something has a certificate.
fn title<'w>(claim: &Claim, w: &'w PaperWords) -> &'w str {
    match claim.outcome() {
        Outcome::NotSanitized => &w.damage_title,
        Outcome::Destroy => &w.destroy_title,
        Outcome::Clear | Outcome::Purge => &w.degauss_title,
    }
}

fn name(release: &Release) -> String {
    release.drive.unit.serial().map(str::to_string).or_else(|| release.job.as_ref().map(ToString::to_string)).unwrap_or_default()
}

fn lay_out(release: &Release, destruction: &Destruction, claim: &Claim, house: &House, w: &PaperWords) -> PageLayout {
    let mut page = PageLayout::with_air(house.page, 1.0);
    let outcome = claim.outcome();
    let earned = outcome != Outcome::NotSanitized;
    letterhead(&mut page, house, "", w);
    head(&mut page, title(claim, w), &name(release), if earned { Ink::Own } else { Ink::Text });
    let strong = |size, ink| Style::new(Face::Strong, size, ink);
    if release.drive.simulated {
        demonstration(&mut page, w);
    }
    if earned {
        page.rule(2.2, Ink::Proved);
        page.space(7.0);
        page.text(DocRole::Paragraph, strong(24.0, Ink::Proved), &outcome.to_string());
    } else {
        band(&mut page, &w.not_sanitized_loud);
    }
    let first = if earned { &w.destroy_reached } else { &w.is_not_sanitized };
    let values = [("drive", release.drive.called()), ("outcome", outcome_word(outcome, w))];
    let values: Vec<(&str, &str)> = values.iter().map(|(name, value)| (*name, value.as_str())).collect();
    let said = format!("{} {}", jurex_pattern::text::capital(&put(first, &values)), sentences(claim.reasons(), w));
    page.text(DocRole::Paragraph, Style::new(Face::Text, 9.6, Ink::Text), &said);
    page.space(3.0);
    page.text(DocRole::Paragraph, strong(9.6, Ink::Text), &w.rests_on_statement);
    page.space(5.0);
    page.rule(2.2, if earned { Ink::Proved } else { Ink::Text });
    page.heading(&w.the_drive, 60.0);
    page.facts(&drive_facts(release, w));
    page.heading(&w.from_and_to, 40.0);
    let papers = release.papers.as_deref().cloned().unwrap_or_else(|| Papers { lot: release.lot.clone(), ..Papers::default() });
    page.facts(&origin_facts(&papers, w));
    own_fields(&mut page, house, w);
    page.heading(&w.statement, 60.0);
    page.facts(&stated_facts(release, destruction, w));
    page.heading(&w.what_follows, 60.0);
    let mut follows = vec![fact(&w.rules, release.edition().map(|e| e.title().to_string()).unwrap_or_default())];
    let each = |label: &str, all: &[Reason]| -> Vec<Fact> { all.iter().map(|r| reason_fact(label, r, w)).collect() };
    follows.extend(each(&w.because, claim.reasons()));
    follows.extend(each(&w.not_covered, claim.limits()));
    page.wide_facts(&follows);
    page.heading(&w.signatures, 190.0);
    page.text(DocRole::Paragraph, Style::new(Face::Text, 9.0, Ink::Text), &w.attest_destruction);
    page.space(4.0);
    let named = |name: &str| Person { name: name.into(), ..Person::default() };
    let validator = (&w.validated_by, papers.validator.clone());
    let mut people = vec![(&w.done_by, named(&destruction.by))];
    people.extend((!destruction.witness.is_empty()).then(|| (&w.seen_by, named(&destruction.witness))));
    people.push(validator);
    for pair in people.chunks(2) {
        let fields = pair.iter().map(|(what, person)| ((*what).clone(), person_facts(person, &papers.organisation, w)));
        page.signatures(fields.collect(), [&w.signature, &w.date]);
    }
    closing(&mut page, house);
    let tool = put(&w.release_made_by, &[("tool", &format!("{} {}", release.tool.name, release.tool.version))]);
    foot(&mut page, [tool, put(&w.release_digest, &[("digest", &release.digest())])], w);
    if !earned {
        page.on_every_page(&warning_border(page.size));
    }
    page
}

fn drive_facts(release: &Release, w: &PaperWords) -> Vec<Fact> {
    let unit = &release.drive.unit;
    let told = |text: &Option<String>| text.clone().unwrap_or_else(|| w.not_told.clone());
    let mut facts = vec![
        fact(&w.manufacturer, told(&unit.maker)),
        fact(&w.model, told(&unit.model)),
        code(&w.serial, told(&unit.serial)),
        fact(&w.media_type, class(release.drive.class, w)),
    ];
    facts.extend(release.drive.geometry.map(|g| fact(&w.capacity, jurex_pattern::units::size(g.bytes()))));
    let property_number = release.papers.as_ref().map(|papers| papers.property_number.clone());
    facts.push(fact(&w.property_number, property_number.unwrap_or_default()));
    facts.extend(release.job.as_ref().map(|job| code(&w.earlier_job, job.to_string())));
    facts
}

fn stated_facts(release: &Release, stated: &Destruction, w: &PaperWords) -> Vec<Fact> {
    let or_none = |text: &str| if text.is_empty() { w.none_told.clone() } else { text.to_string() };
    let mut facts = vec![fact(&w.how, w.word(&format!("paper.how.{}", stated.how.word())))];
    if stated.how.leaves_pieces() {
        facts.push(fact(&w.pieces, stated.particle_mm.map_or_else(|| w.none_told.clone(), |mm| format!("{mm} mm"))));
    }
    if let Some(field) = stated.field_oersted {
        let coercivity = stated.coercivity_oersted.map(|c| format!(", {c} Oe")).unwrap_or_default();
        facts.push(fact(&w.field_strength, format!("{field} Oe{coercivity}")));
    }
    facts.push(fact(&w.machine, or_none(&stated.machine)));
    facts.push(fact(&w.place, or_none(&stated.place)));
    facts.push(fact(&w.done_by, stated.by.clone()));
    facts.push(fact(&w.seen_by, if stated.witness.is_empty() { w.nobody_named.clone() } else { stated.witness.clone() }));
    if !stated.batch.is_empty() {
        facts.push(fact(&w.batch, stated.batch.clone()));
    }
    facts.extend(stated.named.map(|named| match named {
        Named::Label => fact(&w.named_by, w.named_by_label.clone()),
        Named::Batch => fact(&w.named_by, w.named_by_batch.clone()),
    }));
    if let Some(outside) = &stated.outside {
        facts.push(fact(&w.service, format!("{} ({})", outside.service, outside.batch)));
        facts.push(fact(&w.their_certificate, outside.certificate.clone()));
    }
    facts.push(fact(&w.stated_by, release.by.clone()));
    facts.push(fact(&w.date, w.time(release.made)));
    if !stated.photo.is_empty() {
        facts.push(code(&w.photograph, stated.photo.clone()));
    }
    facts
}
