//! What a document says of itself: its version, its time, and whether it is declared or deployed.

use jiff::Timestamp;

use super::VERSION;
use super::document::SECTIONS;
use super::values::{Many, Moment, Name, Text};
use crate::nearest::nearest;
use crate::read::{Read, Report};
use crate::shown;
use crate::text::{Position, Value, View};

/// The fields of a document that are not sections.
pub(super) const FIELDS: [&str; 7] = ["estate", "as_of", "declared", "digest", "seal", "overlay", "removed"];

/// What was seen of a document's own fields.
#[derive(Default)]
pub(super) struct Seen {
    pub(super) version: bool,
    pub(super) fields: Vec<&'static str>,
}

/// What a field of a document says.
pub(super) enum Said<'a> {
    /// When the estate was true.
    AsOf(Timestamp),
    /// Whether it is declared rather than deployed.
    Declared(bool),
    /// What was seen is a digest of these logs.
    Digest(Many<'a, Name<'a>>),
    /// Under which seal its fingerprints were made.
    Seal(Name<'a>),
    /// Whether it is laid over other files.
    Overlay(bool),
    /// What is gone, by labels, each with its place.
    Removed(Vec<(&'a str, Position)>),
}

pub(super) const HOW_WRITTEN: &str = "see docs/estate-format.md for how an estate is written";
pub(super) const NO_VERSION: (&str, &str) =
    ("the file does not say which version of the format it is", "add `estate: 1` at the top");

/// The field of a document that a key names, if it is one and not there already.
pub(super) fn top_field(
    name: &str,
    key: View<'_, '_>,
    seen: &mut Seen,
    report: &mut Report<'_>,
) -> Option<&'static str> {
    let fields = || FIELDS.into_iter().chain(SECTIONS.iter().copied());
    let Some(field) = fields().find(|field| *field == name) else {
        let help = match nearest(name, fields()) {
            Some(near) => format!("did you mean `{near}`?"),
            None => format!("the sections are {}", SECTIONS.join(", ")),
        };
        report.wrong(key, format!("{} is not a section of an estate", shown::name(name)), help);
        return None;
    };
    if seen.fields.contains(&field) {
        report.wrong(key, format!("`{field}` is given twice"), "make them one list");
        return None;
    }
    seen.fields.push(field);
    Some(field)
}

/// Reads a field of the document itself.
pub(super) fn header<'a>(
    field: &str,
    value: View<'_, 'a>,
    seen: &mut Seen,
    report: &mut Report<'_>,
) -> Option<Said<'a>> {
    match field {
        "as_of" => return Moment::read(value, report).map(|moment| Said::AsOf(moment.0)),
        "declared" => return bool::read(value, report).map(Said::Declared),
        "digest" => return Many::read(value, report).map(Said::Digest),
        "seal" => return Name::read(value, report).map(Said::Seal),
        "overlay" => return bool::read(value, report).map(Said::Overlay),
        "removed" => return removed(value, report).map(Said::Removed),
        _ => seen.version = true,
    }
    match u64::read(value, report) {
        Some(VERSION) | None => {}
        Some(other) => {
            let message = format!("version {other} of the format is not known");
            report.wrong(value, message, format!("this program reads version {VERSION}; get a newer one"));
        }
    }
    None
}

/// The labels of what is gone: one, or a list.
fn removed<'a>(value: View<'_, 'a>, report: &mut Report<'_>) -> Option<Vec<(&'a str, Position)>> {
    let one = |item: View<'_, 'a>, report: &mut Report<'_>| {
        Text::read(item, report).map(|text| (text.0, item.at()))
    };
    match value.value() {
        Value::List => value.inside().map(|item| one(item, report)).collect(),
        _ => one(value, report).map(|only| vec![only]),
    }
}
