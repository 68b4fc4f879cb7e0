//! Patterns, as entries write them.

use std::borrow::Cow;

use pasaporte_core::pattern::Pattern;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::{Serialize, Serializer};

use super::texts::{is_plain, text, written_as_text};
use crate::read::{Read, Report};
use crate::redact::is_unprintable;
use crate::text::{Value, View};

/// A pattern over actions.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct ActionPattern<'a>(pub(crate) &'a str);

/// A pattern over resources, as `kind:id`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct ResourcePattern<'a>(pub(crate) &'a str);

/// A pattern over anything else: ids of members, values of attributes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct AnyPattern<'a>(pub(crate) &'a str);

/// Reads a pattern; `problem` says what is wrong with its text, if anything.
fn pattern<'a>(
    view: View<'_, 'a>,
    report: &mut Report<'_>,
    what: &str,
    problem: impl Fn(&str) -> Option<Problem>,
) -> Option<&'a str> {
    let text = match view.value() {
        // The length of a pattern is bounded by what the pattern engine accepts.
        Value::Text(text) | Value::Plain(text) if is_plain(text) || !text.chars().any(is_unprintable) => text,
        _ => text(view, report, what, false)?,
    };
    if let Some(problem) = problem(text) {
        report.wrong(view, problem.0, problem.1);
        return None;
    }
    Some(text)
}

/// What is wrong with a text: the message and the help.
type Problem = (String, String);

/// What is wrong with the text of a pattern over names; `literal` says it of one that has no wildcard.
fn name_problem(text: &str, literal: impl Fn(&str) -> Option<String>) -> Option<Problem> {
    if text.contains('"') {
        let help = "no name has quotes in it; write it without, also in one text with other words";
        return Some(("a pattern that matches nothing".to_owned(), help.to_owned()));
    }
    pattern_problem(text, literal)
}

fn action_problem(text: &str) -> Option<Problem> {
    name_problem(text, wrong_action)
}

fn resource_problem(text: &str) -> Option<Problem> {
    name_problem(text, wrong_resource)
}

fn pattern_problem(text: &str, literal: impl Fn(&str) -> Option<String>) -> Option<Problem> {
    // Most patterns of an estate are plain names.
    if Pattern::is_plain(text) {
        return literal(text).map(|help| ("a pattern that matches nothing".to_owned(), help));
    }
    match Pattern::parse(text) {
        Err(error) => Some((format!("not a pattern: {error}"), "`\\\\` is a backslash".to_owned())),
        Ok(pattern) => {
            let help = literal(pattern.as_literal()?)?;
            Some(("a pattern that matches nothing".to_owned(), help))
        }
    }
}

/// Whether a text has something before the first such byte, and something after it.
fn has_both_sides(text: &str, byte: u8) -> bool {
    memchr::memchr(byte, text.as_bytes()).is_some_and(|at| at > 0 && at + 1 < text.len())
}

fn wrong_action(action: &str) -> Option<String> {
    let sound = has_both_sides(action, b'/');
    (!sound).then(|| "an action is SERVICE/OPERATION, all of a service SERVICE/*".to_owned())
}

fn wrong_resource(resource: &str) -> Option<String> {
    let sound = has_both_sides(resource, b':');
    (!sound).then(|| "a resource is KIND:ID, as in bucket:tide-tables".to_owned())
}

impl<'a> Read<'a> for ActionPattern<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        pattern(view, report, "a pattern of actions", action_problem).map(Self)
    }
}

impl<'a> Read<'a> for ResourcePattern<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        pattern(view, report, "a pattern of resources", resource_problem).map(Self)
    }
}

impl<'a> Read<'a> for AnyPattern<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        pattern(view, report, "a pattern", |text| pattern_problem(text, |_| None)).map(Self)
    }
}

impl<'a> ActionPattern<'a> {
    /// A pattern that is part of a longer text; the message and help where it is none.
    pub(crate) fn part(text: &'a str) -> Result<Self, Problem> {
        action_problem(text).map_or_else(|| Ok(Self(text)), Err)
    }
}

impl<'a> ResourcePattern<'a> {
    /// A pattern that is part of a longer text; the message and help where it is none.
    pub(crate) fn part(text: &'a str) -> Result<Self, Problem> {
        resource_problem(text).map_or_else(|| Ok(Self(text)), Err)
    }
}

written_as_text! {
    ActionPattern {{"type": "string", "pattern": "^[^\"]+$"}} = it => &it.0;
    ResourcePattern {{"type": "string", "pattern": "^[^\"]+$"}} = it => &it.0;
    AnyPattern {{"type": "string", "minLength": 1}} = it => &it.0;
}
