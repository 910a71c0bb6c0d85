//! The page `docs/rules.md`, written from the rules themselves.

use super::{Edition, LimitWhen, Media, Outcome, Rule, RuleSet, Technique};
use crate::words::ENGLISH;
use std::fmt::Write;

/// The page in Markdown.
pub fn markdown() -> String {
    let mut page = String::from(
        "# The rules that outcomes follow from\n\n\
         Written from `crates/sanitize/src/rules/*.toml` by the program; a test keeps this page and those files the same.\n\
         An outcome is computed from the media, the technique, how far it reached and what was read back. What no rule\n\
         names gives nothing; where a standard leaves doubt, the lower outcome is taken.\n\n\
         The edition is chosen by `rules = \"rev1\"` or `rules = \"rev2\"` in `config.toml` (rev2, if nothing is said), and\n\
         printed on every certificate.\n",
    );
    Edition::ALL.into_iter().for_each(|edition| one(edition.rules(), &mut page));
    page
}

fn one(rules: &RuleSet, page: &mut String) {
    // Writing to a string cannot fail.
    let _ = write!(page, "\n## {} ({})\n\n", rules.title, rules.issued);
    table(rules, page);
    let _ = writeln!(page, "\n### Reasons\n");
    let _ = writeln!(page, "| technique | media | outcome | because | citation |\n|---|---|---|---|---|");
    for rule in &rules.rules {
        let media: Vec<&str> = rule.media.iter().map(|m| m.name()).collect();
        let _ = writeln!(
            page,
            "| {} | {} | {} | {} | {} |",
            rule.technique.name(),
            media.join("; "),
            cell(Some(rule)),
            said(rule.code.as_deref()),
            rule.citation
        );
    }
    let _ = writeln!(page, "\n### What takes an outcome away\n");
    let _ = writeln!(page, "| rule | matters to | citation |\n|---|---|---|");
    for lack in &rules.lacks {
        let _ = writeln!(page, "| {} | {} | {} |", said(lack.code.as_deref()), names(&lack.techniques), lack.citation);
    }
    let _ = writeln!(page, "\n### What an outcome does not cover\n");
    let _ = writeln!(page, "| limit | when | citation |\n|---|---|---|");
    for limit in &rules.limits {
        let media: Vec<&str> = limit.media.iter().map(|m| m.name()).collect();
        let when = match limit.when {
            LimitWhen::Always if media.is_empty() => "any media".into(),
            LimitWhen::Always => media.join("; "),
            LimitWhen::Bridged => "a bridge stands before the drive".into(),
            LimitWhen::Simulated => "the drive is simulated".into(),
            LimitWhen::Buffered => "the system's cache stood between".into(),
            LimitWhen::Elsewhere => "the unit has such areas".into(),
            LimitWhen::CapacityNotAsked => "a drive on SCSI does not tell whether its capacity was cut".into(),
            LimitWhen::SizeUnproved => "the last pass is the same in every sector, and its size was not checked".into(),
            LimitWhen::Deallocated => "the drive says that it deallocated its sectors".into(),
            LimitWhen::RemovalNotTold => "the device does not tell it".into(),
            LimitWhen::RemovalOfItsMaker => "the device tells so".into(),
            LimitWhen::ErasedUnread => "the unit has other namespaces".into(),
        };
        let _ =
            writeln!(page, "| {} | {}: {} | {} |", said(limit.code.as_deref()), when, names(&limit.techniques), limit.citation);
    }
}

fn names(techniques: &[Technique]) -> String {
    match techniques {
        [] => "every technique".into(),
        some => some.iter().map(|t| t.name()).collect::<Vec<_>>().join(", "),
    }
}

/// Technique by media. `-`: gives nothing.
fn table(rules: &RuleSet, page: &mut String) {
    let heads: Vec<&str> = Media::ALL.iter().map(|m| m.name()).collect();
    let _ = writeln!(page, "| technique | {} |", heads.join(" | "));
    let _ = writeln!(page, "|---|{}", "---|".repeat(heads.len()));
    for technique in Technique::ALL {
        let cells: Vec<String> = Media::ALL.iter().map(|m| cell(rules.rule(*m, technique))).collect();
        let _ = writeln!(page, "| {} | {} |", technique.name(), cells.join(" | "));
    }
    let _ = writeln!(
        page,
        "\nOnly if: `¹` a pattern and its complement were written; `²` all was encrypted from the start; `³` the key is strong \
         enough; `⁴` no copy of the key is anywhere; `⁵` the encrypting module is trusted; `⁶` the maker confirms what the \
         command does; `⁷` the degausser is rated for this drive. What the drive can't tell (`²` to `⁷`), a person states by \
         name. `-` gives nothing."
    );
}

fn cell(rule: Option<&Rule>) -> String {
    let Some(rule) = rule.filter(|r| r.outcome > Outcome::NotSanitized) else { return "-".into() };
    let marks: String = rule
        .needs
        .iter()
        .map(|n| match n {
            super::Condition::ComplementPair => '¹',
            super::Condition::EncryptedFromStart => '²',
            super::Condition::KeyStrength => '³',
            super::Condition::KeysNotEscrowed => '⁴',
            super::Condition::ModuleTrusted => '⁵',
            super::Condition::MakerConfirms => '⁶',
            super::Condition::RatedDegausser => '⁷',
        })
        .collect();
    format!("{}{marks}", rule.outcome)
}

/// The sentence of a rule, with names for what will stand in it.
fn said(code: Option<&str>) -> &'static str {
    code.and_then(|code| ENGLISH.template(code)).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use std::path::PathBuf;

    /// With `JUREX_WRITE_DOCS=1` the page is written anew instead.
    #[test]
    fn the_page_in_docs_is_the_one_that_the_rules_write() {
        let path = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../../docs/rules.md");
        let page = super::markdown();
        if std::env::var_os("JUREX_WRITE_DOCS").is_some() {
            std::fs::write(&path, &page).unwrap();
        }
        assert!(std::fs::read_to_string(&path).unwrap_or_default() == page, "write docs/rules.md anew with JUREX_WRITE_DOCS=1");
    }
}
