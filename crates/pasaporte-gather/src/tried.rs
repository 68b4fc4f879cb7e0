//! What asks of an adapter gave, and what they left out.

use std::collections::{BTreeMap, BTreeSet};

use jaq_json::Val;
use pasaporte_read::estate::KINDS;
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
}

impl Tried {
    /// Counts an item, and the fields of it that expressions do not name.
    pub(crate) fn item(&mut self, item: &Val, named: &str) {
        self.items += 1;
        let mut fields = BTreeSet::new();
        walk(item, &mut String::new(), &mut fields);
        let is_read = |field: &str| {
            let last = field.rsplit('.').next().unwrap_or(field);
            named
                .split(|each: char| !(each.is_alphanumeric() || each == '_' || each == '-'))
                .any(|word| word == last)
        };
        self.left_out.extend(fields.into_iter().filter(|field| !is_read(field)));
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
                at.push_str(&String::from_utf8_lossy(key));
                fields.insert(at.clone());
                walk(inner, at, fields);
                at.truncate(length);
            }
        }
        _ => {}
    }
}
