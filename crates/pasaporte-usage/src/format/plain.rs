//! Our own lines, the easiest to export to: one flat JSON object a line (docs/logs.md).
//!
//! Nearly all lines are flat and have no escapes; those are gone through once, by hand. Any other is left to a real parser.

use std::borrow::Cow;
use std::collections::BTreeMap;

use serde::Deserialize;

use super::json::Scalar;
use super::{Bad, CoversSaid, Take};
use crate::event::{Credential, Event, In};
use crate::time::rfc3339;

macro_rules! fields {
    ($($field:ident = $name:literal,)*) => {
        /// A field of a line.
        #[derive(Debug, Clone, Copy, PartialEq, Eq)]
        #[repr(u8)]
        pub(crate) enum Field { $($field,)* }
        /// How many fields there are.
        pub(crate) const FIELDS: usize = [$($name),*].len();

        /// The field of a name.
        pub(crate) fn field(name: &str) -> Option<Field> {
            match name {
                $($name => Some(Field::$field),)*
                _ => None,
            }
        }
    };
}

fields! {
    Time = "time",
    First = "first",
    Last = "last",
    Count = "count",
    Client = "client",
    Id = "id",
    Who = "who",
    Did = "did",
    To = "to",
    Outcome = "outcome",
    Through = "through",
    Endpoint = "endpoint",
    Host = "host",
    Path = "path",
    Method = "method",
    Status = "status",
    Function = "function",
    Showed = "showed",
    Issuer = "issuer",
    User = "user",
    Key = "key",
    Text = "text",
}

/// The values of a line by their fields.
pub(crate) type Values<'a> = [Option<&'a str>; FIELDS];

/// Reads a line.
pub(super) fn read(line: &str, take: &mut dyn Take) -> Result<(), Bad> {
    let line = line.trim_ascii();
    if let Some(values) = flat(line) {
        return event(&values, take);
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

/// What the values of a line say.
pub(crate) fn event(values: &Values<'_>, take: &mut dyn Take) -> Result<(), Bad> {
    let get = |field: Field| values[field as usize].filter(|text| !text.is_empty());
    let time = |field: Field| get(field).map(|text| rfc3339(text).ok_or(Bad::NoTime)).transpose();
    let at = time(Field::Time)?;
    let (first, last) = (time(Field::First)?.or(at), time(Field::Last)?.or(at));
    if first.is_none() || last.is_none() || first > last {
        return Err(Bad::NoTime);
    }
    let number = |field: Field| {
        get(field).map(|text| text.parse::<u64>().map_err(|_| Bad::NotOfTheFormat)).transpose()
    };
    let status = number(Field::Status)?.map(|status| u16::try_from(status).unwrap_or_default());
    let mut event = Event {
        first,
        last,
        count: number(Field::Count)?,
        id: get(Field::Id).map(|id| ("", id)),
        client: get(Field::Client),
        who: get(Field::Who),
        did: get(Field::Did),
        to: get(Field::To),
        outcome: get(Field::Outcome),
        through: get(Field::Through),
        endpoint: get(Field::Endpoint),
        host: get(Field::Host),
        path: get(Field::Path),
        method: get(Field::Method),
        status,
        function: get(Field::Function),
        showed: get(Field::Showed),
        issuer: get(Field::Issuer),
        user: get(Field::User),
        text: get(Field::Text),
        ..Event::default()
    };
    if let Some(value) = get(Field::Key) {
        event.credentials.push(Credential { place: In::Field, name: "key", value });
    }
    take.event(&event)
}

/// The values of a flat object without escapes; none for anything else.
fn flat(line: &str) -> Option<Values<'_>> {
    let bytes = line.as_bytes();
    let mut values: Values<'_> = [None; FIELDS];
    let mut at = 1;
    let blank = |at: &mut usize| {
        while matches!(bytes.get(*at), Some(b' ' | b'\t' | b'\r')) {
            *at += 1;
        }
    };
    if *bytes.first()? != b'{' {
        return None;
    }
    loop {
        blank(&mut at);
        if *bytes.get(at)? != b'"' {
            return None;
        }
        let name = quoted(line, &mut at)?;
        blank(&mut at);
        if *bytes.get(at)? != b':' {
            return None;
        }
        at += 1;
        blank(&mut at);
        let value = match *bytes.get(at)? {
            b'"' => Some(quoted(line, &mut at)?),
            b'-' | b'0'..=b'9' => {
                let start = at;
                while matches!(bytes.get(at), Some(b'-' | b'+' | b'.' | b'e' | b'E' | b'0'..=b'9')) {
                    at += 1;
                }
                Some(&line[start..at])
            }
            _ => return None,
        };
        if let Some(field) = field(name) {
            let slot = &mut values[field as usize];
            if slot.is_some() {
                return None;
            }
            *slot = value;
        } else if name == "covers" {
            return None;
        }
        blank(&mut at);
        match *bytes.get(at)? {
            b',' => at += 1,
            b'}' => break,
            _ => return None,
        }
    }
    (at + 1 == bytes.len()).then_some(values)
}

/// A text in quotes that has no escape and no control character, and the place after it.
fn quoted<'l>(line: &'l str, at: &mut usize) -> Option<&'l str> {
    let start = *at + 1;
    let bytes = line.as_bytes();
    let mut end = start;
    loop {
        match *bytes.get(end)? {
            b'"' => break,
            b'\\' | 0..=0x1f => return None,
            _ => end += 1,
        }
    }
    *at = end + 1;
    Some(&line[start..end])
}
