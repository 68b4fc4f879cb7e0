//! The catalogue of rules as text.

use std::fmt::Write;

use pasaporte_audit::Rule;

use pasaporte_report::SeverityOut;
use pasaporte_report::schema::Published;

use super::page::{BOLD, DIM, FIX, Page, paint, style_of};

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

/// How findings get their level, as a table.
pub(crate) fn severity_table(page: Page, it: &SeverityOut) -> String {
    const CELL: usize = 11;
    let heads = ["anyone", "signed-in", "outsider", "key holders", "insiders"];
    let first = page.text_width().saturating_sub(heads.len() * (CELL + 1)).clamp(12, 26);
    let mut out = format!("{}\n\n", paint(BOLD, "What can be done, by whom, in production"));
    let _ = write!(out, "{}", " ".repeat(first));
    for head in heads {
        let pad = if head == heads[heads.len() - 1] { 0 } else { CELL };
        let _ = write!(out, " {}", paint(DIM, &format!("{head:<pad$}")));
    }
    out.push('\n');
    for row in &it.rows {
        let mut about = super::page::wrap(row.about, first - 1).into_iter();
        let _ = write!(out, "{:<first$}", about.next().unwrap_or_default());
        for cell in &row.levels {
            let word = cell.severity.0.to_string();
            let pad = " ".repeat(CELL - word.len());
            let _ = write!(out, " {}{pad}", paint(style_of(cell.severity.0), &word));
        }
        out.truncate(out.trim_end().len());
        out.push('\n');
        for more in about {
            let _ = writeln!(out, "{more}");
        }
    }
    out.push('\n');
    let environments: Vec<String> = it.milder_in.iter().map(|it| it.0.to_string()).collect();
    let told = [
        format!(
            "One step milder in {}; where the environment is not said it counts as production.",
            environments.join(", ")
        ),
        "Who may only influence what code does (by what it reads, by a right that nobody used) is a step below who may do it."
            .to_owned(),
        "Impact is the worst that is left in effect, by any road, under denies and ceilings; exposure the widest circle that gets \
         in. Blind spots have a level of their own."
            .to_owned(),
        "`pasaporte audit --all` says of each finding why it has its level; `[rules]` in pasaporte.toml may tell a rule at another."
            .to_owned(),
    ];
    for text in told {
        out.push_str(&page.paragraph(&text, "", "", 0));
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
