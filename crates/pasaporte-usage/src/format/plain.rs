//! Our own lines, the easiest to export to: one flat JSON object a line (docs/logs.md).
//!
//! Nearly all lines are flat and have no escapes; those are scanned by the layout of those before them. Any other is left
//! to a real parser.

use std::borrow::Cow;
use std::collections::BTreeMap;

use serde::Deserialize;

use super::flat::Layouts;
use super::json::Scalar;
use super::said::{FIELDS, Values, event, field};
use super::{Bad, CoversSaid, Take};
use crate::time::rfc3339;

/// Reads a line.
pub(super) fn read(layouts: &mut Layouts, line: &str, take: &mut dyn Take) -> Result<(), Bad> {
    let line = line.trim_ascii();
    if let Some(said) = layouts.said(line) {
        return take.event(&said.event()?);
    }
    // Nested, escaped or damaged.
    let parsed: Line<'_> = serde_json::from_str(line).map_err(|_| Bad::NotOfTheFormat)?;
    if let Some(said) = parsed.covers {
        let time = |text: Option<&str>| text.map(|text| rfc3339(text).ok_or(Bad::NoTime)).transpose();
        let actions = match said.actions {
            None => Vec::new(),
            Some(Actions::One(one)) => vec![one],
            Some(Actions::Several(all)) => all,
        };
        let (from, to) = (time(said.from.as_deref())?, time(said.to.as_deref())?);
        return take.covers(CoversSaid { scope: said.scope, actions, from, to });
    }
    let mut values: Values<'_> = [None; FIELDS];
    for (name, value) in &parsed.fields {
        if let Some(field) = field(name) {
            values[field as usize] = value.text();
        }
    }
    event(&values, take)
}

#[derive(Deserialize)]
struct Line<'a> {
    covers: Option<CoversLine>,
    #[serde(flatten, borrow)]
    fields: BTreeMap<Cow<'a, str>, Scalar<'a>>,
}

#[derive(Deserialize)]
struct CoversLine {
    #[serde(rename = "in")]
    scope: String,
    actions: Option<Actions>,
    from: Option<String>,
    to: Option<String>,
}

#[derive(Deserialize)]
#[serde(untagged)]
enum Actions {
    One(String),
    Several(Vec<String>),
}
