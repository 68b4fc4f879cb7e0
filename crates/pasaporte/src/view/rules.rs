//! The catalogue of rules as text.

use std::fmt::Write;

use pasaporte_audit::Rule;

use pasaporte_report::schema::Published;

use super::page::{BOLD, DIM, FIX, Page, paint};

/// All rules in short, by family.
pub(crate) fn rule_list(page: Page, rules: &[&Rule]) -> String {
    let widest = rules.iter().map(|rule| rule.id.len()).max().unwrap_or_default();
    let mut out = String::new();
    for family in rules.chunk_by(|one, other| one.family() == other.family()) {
        for rule in family {
            let first = format!("  {}{}  ", paint(BOLD, rule.id), " ".repeat(widest - rule.id.len()));
            out.push_str(&page.paragraph(rule.title, &first, &" ".repeat(widest + 4), widest + 4));
        }
        out.push('\n');
    }
    let _ = writeln!(out, "{} rules. `pasaporte rules ID` tells one in full.", rules.len());
    out
}

/// Rules in full.
pub(crate) fn rule_pages(page: Page, rules: &[&Rule]) -> String {
    let mut out = String::new();
    for (number, rule) in rules.iter().enumerate() {
        if number > 0 {
            out.push('\n');
        }
        let _ = writeln!(out, "{}", paint(BOLD, rule.id));
        out.push_str(&page.paragraph(rule.title, "", "", 0));
        let parts = [
            ("why", rule.why),
            ("fix", rule.fix),
            ("check", rule.check),
            ("same", &same(rule)),
            ("see", &rule.references.join(" · ")),
        ];
        for (label, text) in parts {
            let style = if label == "fix" { FIX } else { DIM };
            let first = format!("\n  {}{}  ", paint(style, label), " ".repeat(5 - label.len()));
            out.push_str(&page.paragraph(text, &first, "         ", 9));
        }
    }
    out
}

/// The schemas that can be asked for.
pub(crate) fn schema_list(page: Page, schemas: &[Published]) -> String {
    let widest = schemas.iter().map(|schema| schema.name.len()).max().unwrap_or_default();
    let mut out = String::new();
    for schema in schemas {
        let what = if schema.of.starts_with('`') {
            format!("what {} writes as JSON", schema.of)
        } else {
            schema.of.to_owned()
        };
        let first = format!("  {}{}  ", paint(BOLD, schema.name), " ".repeat(widest - schema.name.len()));
        out.push_str(&page.paragraph(&what, &first, &" ".repeat(widest + 4), widest + 4));
    }
    out
}

/// Which findings of a rule are one and the same.
fn same(rule: &Rule) -> String {
    let of = |what: &str| format!("Findings of one {what} have one fingerprint, whatever else changes.");
    match rule.apart {
        [] => of("thing"),
        [all @ .., last] => {
            let before: String = all.iter().map(|each| format!(", {each}")).collect();
            of(&format!("thing{before} and {last}"))
        }
    }
}
