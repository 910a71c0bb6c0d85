//! The paper of a whole lot: sums, every drive in a table, those that failed, are missing or came unexpected, and two signatures.

use crate::branding::House;
use crate::certificate::{
    CertificateError, band, closing, code, demonstration, fact, foot, head, letterhead, outcome_word, own_fields, sign_here,
    warning_border,
};
use crate::drawing::Ink;
use crate::fonts::Face;
use crate::page::{DocRole, Fact, PageLayout, Style};
use crate::pdf::{PdfInfo, ToAttach, write};
use crate::words::{PaperWords, put, words};
use jurex_disposition::lot::{StandWord, Statement, StatementLine};
use jurex_pattern::text::capital;
use jurex_sanitize::rules::Outcome;
use jurex_sanitize::words::Said;

/// The paper of a lot as PDF/A-3a and PDF/UA-1, with its statement attached. The same statement printed the same way always gives the
/// same bytes.
///
/// # Errors
/// Something that PDF/A forbids: a defect in Jurex.
pub fn lot_certificate(statement: &Statement, house: &House) -> Result<Vec<u8>, CertificateError> {
    let w = &words(house);
    let layout = best_fit(statement, house, w);
    let about = "The statement that this paper was made from";
    let source = ToAttach::json(format!("{}.lot.json", statement.lot), about, true, statement.to_json());
    let attached = std::iter::once(source).chain(ToAttach::house(house, &statement.lot)).collect();
    let about = PdfInfo {
        title: format!("{} {}", title(statement, w), statement.lot),
        id: format!("{} {}", statement.lot, statement.digest()),
        made: statement.made,
        language: house.language.tag(),
        colour: house.colour,
        attached,
    };
    write(&layout, about).map_err(|problem| CertificateError { job: format!("of lot {}", statement.lot), problem })
}

/// Only of a lot that is sanitized as a whole there is a certificate.
fn title<'w>(statement: &Statement, w: &'w PaperWords) -> &'w str {
    if statement.tally().is_complete() { &w.lot_title } else { &w.lot_report_title }
}

/// With less air where that spares a last page that would hold little more than the signatures.
fn best_fit(statement: &Statement, house: &House, w: &PaperWords) -> PageLayout {
    let first = lay_out(statement, house, 1.0, w);
    if !first.ends_in_a_rest() {
        return first;
    }
    let closer = [0.7, 0.45].into_iter().map(|air| lay_out(statement, house, air, w));
    closer.into_iter().find(|l| l.pages < first.pages).unwrap_or(first)
}

fn lay_out(statement: &Statement, house: &House, air: f32, w: &PaperWords) -> PageLayout {
    let mut page = PageLayout::with_air(house.page, air);
    letterhead(&mut page, house, &statement.organisation, w);
    let tally = statement.tally();
    head(&mut page, title(statement, w), &statement.lot, if tally.is_complete() { Ink::Own } else { Ink::Text });
    if statement.is_demonstration() {
        demonstration(&mut page, w);
    }
    if tally.is_complete() {
        page.rule(2.2, Ink::Proved);
        page.space(7.0);
    } else {
        band(&mut page, &capital(&w.say(&tally.said())));
    }
    page.heading(&w.summary, 60.0);
    page.facts(&sums(statement, w));
    own_fields(&mut page, house, w);
    page.heading(&w.the_drives, 60.0);
    page.table(
        &[&w.serial_short, &w.property_short, &w.required, &w.reached, &w.enough, &w.method, &w.ended, &w.job].map(Clone::clone),
        &[1.45, 1.05, 1.2, 1.1, 0.8, 1.5, 1.05, 1.25],
        &statement.lines().iter().map(|l| row(l, w)).collect::<Vec<_>>(),
    );
    let of = |stand: &[StandWord], expected: Option<bool>| -> Vec<&StatementLine> {
        let lines = statement.lines().iter();
        lines.filter(|l| stand.contains(&l.stand) && expected.is_none_or(|e| e == l.expected)).collect()
    };
    use StandWord::{Done, Failed, Here, NotSeen};
    let (short, not_sanitized): (Vec<_>, Vec<_>) =
        of(&[Failed, Here], None).into_iter().partition(|l| l.outcome.is_some_and(|o| o != Outcome::NotSanitized));
    named(&mut page, &w.failed_list, &not_sanitized, w);
    named(&mut page, &w.short_list, &short, w);
    named(&mut page, &w.missing_list, &of(&[NotSeen], None), w);
    named(&mut page, &w.unexpected_list, &of(&[Done, Failed, Here], Some(false)), w);
    whereabouts(&mut page, statement, w);
    digests(&mut page, statement, w);
    if let Some(note) = &statement.head {
        page.heading(&w.the_ledger, 60.0);
        let facts: Vec<Fact> = note
            .lines()
            .filter(|l| !l.is_empty())
            .enumerate()
            .map(|(i, l)| code(if i == 0 { &w.ledger_head } else { "" }, l))
            .collect();
        page.wide_facts(&facts);
    }
    // Nobody signs for what was only shown.
    if !statement.is_demonstration() {
        page.heading(&w.signatures, 190.0);
        page.text(DocRole::Paragraph, Style::new(Face::Text, 9.0, Ink::Text), &w.attest_lot);
        page.space(4.0);
        let by = if tally.is_complete() { &w.sanitized_by } else { &w.treated_by };
        sign_here(&mut page, by, (&statement.technician, &statement.validator), &statement.organisation, w);
    }
    closing(&mut page, house);
    let tool = format!("{} {}", statement.tool.name, statement.tool.version);
    let made = put(&w.lot_made_by, &[("tool", &tool), ("date", &w.time(statement.made))]);
    foot(&mut page, [made, put(&w.lot_digest, &[("digest", &statement.digest())])], w);
    if !tally.is_complete() {
        page.on_every_page(&warning_border(page.size));
    }
    page
}

fn sums(statement: &Statement, w: &PaperWords) -> Vec<Fact> {
    let tally = statement.tally();
    let looks = statement.second_looks;
    let mut facts = vec![
        fact(&w.expected, tally.expected.to_string()),
        fact(&w.done, tally.done.to_string()),
        fact(&w.failed, (tally.failed + tally.here).to_string()),
        fact(&w.missing, tally.not_seen.to_string()),
        fact(&w.unexpected, tally.unexpected.to_string()),
        fact(
            &w.second_verifications,
            put(&w.second_of, &[("done", &looks.confirmed.to_string()), ("due", &looks.due.to_string())]),
        ),
    ];
    for outcome in [Outcome::Destroy, Outcome::Purge, Outcome::Clear, Outcome::NotSanitized] {
        let n = statement.lines().iter().filter(|l| l.outcome == Some(outcome)).count();
        if n > 0 {
            facts.push(fact(&outcome_word(outcome, w), n.to_string()));
        }
    }
    facts.push(fact(&w.opened, w.time(statement.opened)));
    facts.push(fact(&w.closed, statement.closed.map_or_else(|| w.not_closed.clone(), |t| w.time(t))));
    facts
}

fn row(line: &StatementLine, w: &PaperWords) -> Vec<(String, Face)> {
    let reached = match (line.outcome, line.stand) {
        (Some(outcome), _) => outcome_word(outcome, w),
        (None, StandWord::NotSeen) => w.missing.clone(),
        (None, _) => w.no_job.clone(),
    };
    let enough = line.is_enough();
    let face = if enough == Some(true) { Face::Text } else { Face::Strong };
    let said = enough.map(|enough| if enough { &w.yes } else { &w.no }.clone());
    let verification = match line.verification.as_str() {
        "" => String::new(),
        // Only the word before the colon: the rest is on each drive's own paper.
        name => w.word(&format!("paper.verify.{name}")).split([':', '\u{a0}']).next().unwrap_or_default().trim().to_string(),
    };
    let stated = line.method.strip_suffix(", as it is stated").filter(|_| line.stated);
    let method = stated.map_or_else(
        || line.method.clone(),
        |how| w.say(&Said::new("paper.how.stated").said("how", Said::new(format!("paper.how.{how}")))),
    );
    let words = [method, verification].into_iter().filter(|t| !t.is_empty()).collect::<Vec<_>>();
    vec![
        (line.serial.clone(), Face::Mono),
        (line.property_number.clone(), Face::Text),
        (line.required.map_or_else(|| w.nobody_said.clone(), |o| outcome_word(o, w)), Face::Text),
        (reached, face),
        (said.unwrap_or_default(), face),
        (words.join(", "), Face::Text),
        (line.ended.map(|t| t.strftime("%Y-%m-%d %H:%M").to_string()).unwrap_or_default(), Face::Text),
        (line.job.as_ref().map(ToString::to_string).unwrap_or_default(), Face::Mono),
    ]
}

/// Drives that need a word, each with the reason.
fn named(page: &mut PageLayout, heading: &str, lines: &[&StatementLine], w: &PaperWords) {
    if lines.is_empty() {
        return;
    }
    page.heading(heading, 30.0);
    let said = |l: &StatementLine| {
        let about = [&l.drive, &l.property_number, &l.source].into_iter().filter(|t| !t.is_empty()).cloned().collect::<Vec<_>>();
        let about = if about.is_empty() { String::new() } else { format!("{}: ", about.join(", ")) };
        // Statements of earlier versions say it in English alone.
        let in_english = l.said.is_empty();
        let why = if in_english { l.because.clone() } else { l.said.iter().map(|s| w.say(s)).collect::<Vec<_>>().join(" ") };
        Fact { english: in_english && !w.is_english(), ..code_label(&l.serial, format!("{about}{why}")) }
    };
    page.wide_facts(&lines.iter().map(|l| said(l)).collect::<Vec<_>>());
}

/// Where each drive is now, as far as that was noted.
fn whereabouts(page: &mut PageLayout, statement: &Statement, w: &PaperWords) {
    let known = statement.lines().iter().filter(|l| !l.whereabouts.is_empty());
    let facts: Vec<Fact> = known.map(|l| code_label(&l.serial, l.whereabouts.clone()).english()).collect();
    if !facts.is_empty() {
        page.heading(&w.whereabouts, 30.0);
        page.wide_facts(&facts);
    }
}

fn code_label(serial: &str, said: String) -> Fact {
    fact(if serial.is_empty() { "?" } else { serial }, said)
}

/// The digest of every record, so that each can be told from any other.
fn digests(page: &mut PageLayout, statement: &Statement, w: &PaperWords) {
    let rows: Vec<Vec<(String, Face)>> = statement
        .lines()
        .iter()
        .filter_map(|l| {
            Some(vec![
                (l.job.as_ref()?.to_string(), Face::Mono),
                (Some(&l.digest).filter(|d| !d.is_empty())?.clone(), Face::Mono),
            ])
        })
        .collect();
    if !rows.is_empty() {
        page.heading(&w.digest_short, 40.0);
        page.table(&[w.job.clone(), w.digest_short.clone()], &[1.0, 4.0], &rows);
    }
}
