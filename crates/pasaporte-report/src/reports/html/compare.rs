//! Two side by side, as one self-contained HTML page in the style of the report.

use std::io::{self, Write};

use minijinja::context;
use pasaporte_audit::grouped;
use pasaporte_core::access::Verdict;
use serde::Serialize;

use super::{STYLE, hash, of, templates};
use crate::compare::{ComparedOut, Hold, MayOut, RightsOut};

/// Things and actions of a row that are named.
const MOST_NAMED: usize = 12;

/// Rows that belong together.
#[derive(Serialize)]
struct Part {
    title: String,
    rows: Vec<Row>,
}

/// A class of actions on things that are alike.
#[derive(Serialize)]
struct Row {
    service: String,
    class: String,
    actions: String,
    on: String,
    left: String,
    right: String,
}

/// Writes the page; `version` is that of the program.
pub fn write_compared(it: &ComparedOut, version: &str, out: &mut dyn Write) -> io::Result<()> {
    let (left, right) = (name(&it.left, &it.right), name(&it.right, &it.left));
    let only = |held: Hold, title: String| Part {
        title,
        rows: it.rights.iter().filter(|row| row.held.0 == held && !row.as_anybody).map(row).collect(),
    };
    let anybody = it.rights.iter().filter(|row| row.as_anybody).map(row);
    let parts = [
        only(Hold::Left, format!("Only {left} may")),
        only(Hold::Right, format!("Only {right} may")),
        only(Hold::Differently, "One surely, the other perhaps".to_owned()),
        only(Hold::Both, "Both may".to_owned()),
        Part { title: "What anybody signed in may, or anyone".to_owned(), rows: anybody.collect() },
    ];
    let sides = [&it.left, &it.right].map(|side| match (&side.runs_as, &side.estate) {
        (Some(identity), None) => format!("{} runs as {identity}", side.what),
        (_, Some(path)) => format!("{} in {path}", side.what),
        (None, None) => side.what.clone(),
    });
    let told = context! {
        it => of(it), parts => of(&parts), left, right,
        under => sides.join("; "),
        style => STYLE, style_hash => hash(STYLE),
        tool => format!("Pasaporte {version}"),
    };
    let templates = templates()?;
    let page = templates.get_template("compare.html").and_then(|page| page.render(told));
    out.write_all(page.map_err(io::Error::other)?.as_bytes())
}

/// What a side is called: its name; the path of its estate where both are the same.
fn name(side: &crate::compare::SideOut, other: &crate::compare::SideOut) -> String {
    match &side.estate {
        Some(path) if side.what == other.what => path.clone(),
        _ => side.what.clone(),
    }
}

fn row(it: &RightsOut) -> Row {
    let actions = if it.every { vec!["every action".to_owned()] } else { it.actions.clone() };
    let on = if it.on_new { it.on.iter().map(|on| format!("any new {on}")).collect() } else { it.on.clone() };
    Row {
        service: it.service.clone(),
        class: it.class.clone().unwrap_or_else(|| "not known".to_owned()),
        actions: some(&actions),
        on: some(&on),
        left: may(it.left.as_ref()),
        right: may(it.right.as_ref()),
    }
}

fn some(all: &[String]) -> String {
    let shown = all[..all.len().min(MOST_NAMED)].join(", ");
    if all.len() > MOST_NAMED { format!("{shown} and {} more", all.len() - MOST_NAMED) } else { shown }
}

fn may(it: Option<&MayOut>) -> String {
    let Some(it) = it else { return "–".to_owned() };
    let how = if it.verdict.0 == Verdict::Yes { "may" } else { "perhaps" };
    match it.used {
        None => how.to_owned(),
        Some(0) => format!("{how}, never seen"),
        Some(count) => format!("{how}, used {}", grouped(count)),
    }
}
