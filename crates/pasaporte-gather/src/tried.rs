//! What asks of an adapter gave, and what they left out.

use std::collections::{BTreeMap, BTreeSet};

use jaq_json::Val;
use pasaporte_read::estate::KINDS;
use pasaporte_read::shown_name;
use serde_json::value::RawValue;

use crate::entity::kind_and_id;

/// What one ask of an adapter made of saved answers.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Tried {
    /// Items that came in.
    pub items: usize,
    /// Of those, how many became no entity.
    pub idle: usize,
    /// How many entities of each kind came out.
    pub made: BTreeMap<&'static str, usize>,
    /// Fields of items that no expression of the adapter names.
    pub left_out: BTreeSet<String>,
    /// Fields of answers beside their items that nothing reads.
    pub unread: BTreeSet<String>,
}

impl Tried {
    /// Counts an item, and the fields of it that expressions do not name.
    pub(crate) fn item(&mut self, item: &Val, named: &str) {
        self.items += 1;
        let mut fields = BTreeSet::new();
        walk(item, &mut String::new(), &mut fields);
        self.left_out.extend(fields.into_iter().filter(|field| !is_named(field, named)));
    }

    /// Counts what an item became.
    pub(crate) fn made(&mut self, entities: &[Box<RawValue>]) {
        if entities.is_empty() {
            self.idle += 1;
        }
        for entity in entities {
            let (kind, _) = kind_and_id(entity.get());
            if let Some(kind) = KINDS.get(kind as usize) {
                *self.made.entry(kind).or_default() += 1;
            }
        }
    }

    /// Counts what an item of a log became.
    pub(crate) fn events(&mut self, lines: &[String]) {
        if lines.is_empty() {
            self.idle += 1;
        }
        for line in lines {
            let says = |field: &str| line.contains(&format!("\"{field}\":"));
            let kind = match () {
                () if !line.starts_with('{') => "line",
                () if says("did") => "use",
                () if says("host") || says("path") || says("endpoint") => "call",
                () => "event",
            };
            *self.made.entry(kind).or_default() += 1;
        }
    }
}

/// Whether a text of expressions names a field.
fn is_named(field: &str, text: &str) -> bool {
    let last = field.rsplit('.').next().unwrap_or(field);
    let mut words = text.split(|each: char| !(each.is_alphanumeric() || each == '_' || each == '-'));
    words.any(|word| word == last)
}

/// The fields of an answer beside its items that no expression names: one of them may say how it goes on.
pub(crate) fn unread(body: &Val, named: &str) -> BTreeSet<String> {
    fn beside(value: &Val, at: &str, fields: &mut BTreeSet<String>) {
        let Val::Obj(map) = value else { return };
        for (key, inner) in map.iter() {
            let Val::TStr(key) = key else { continue };
            let key = String::from_utf8_lossy(key);
            let key = shown_name(&key);
            let at = if at.is_empty() { key.to_owned() } else { format!("{at}.{key}") };
            match inner {
                Val::Obj(_) => beside(inner, &at, fields),
                // Nothing goes on there.
                Val::Null => {}
                _ => drop(fields.insert(at)),
            }
        }
    }
    let mut fields = BTreeSet::new();
    beside(body, "", &mut fields);
    fields.retain(|field| !is_named(field, named));
    fields
}

/// The fields of a value, each with those it lies in.
fn walk(value: &Val, at: &mut String, fields: &mut BTreeSet<String>) {
    match value {
        Val::Arr(items) => {
            for item in items.iter() {
                walk(item, at, fields);
            }
        }
        Val::Obj(map) => {
            for (key, inner) in map.iter() {
                let Val::TStr(key) = key else { continue };
                let length = at.len();
                if length > 0 {
                    at.push('.');
                }
                // A map may be by anything.
                at.push_str(shown_name(&String::from_utf8_lossy(key)));
                fields.insert(at.clone());
                walk(inner, at, fields);
                at.truncate(length);
            }
        }
        _ => {}
    }
}
