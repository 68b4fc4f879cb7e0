//! Trying an adapter on saved answers: what it makes of them, and what it leaves out.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::Mutex;

use jaq_json::Val;
use pasaporte_formats::diagnostic::{Diagnostic, Diagnostics};
use pasaporte_formats::estate::kinds;
use serde_json::value::RawValue;

use crate::adapter::{Adapter, Ask, Piece, one};
use crate::collect::{Answers, Run};
use crate::entity::{checked, kind_and_id};
use crate::http::parsed;

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

/// An adapter that was tried.
#[derive(Debug, Clone)]
pub struct Check {
    /// By ask, in the order of the manifest.
    pub asks: Vec<(String, Tried)>,
    /// What was asked for and is not among the saved answers.
    pub missed: Vec<String>,
}

/// Tries an adapter on saved answers: a folder of them, or files named like what was asked (`crafts.json`).
pub fn check(adapter: &str, samples: &[PathBuf]) -> Result<Check, Diagnostics> {
    let adapter = Adapter::find(adapter)?;
    let source = crate::Source::saved("sample", &adapter.name, Path::new("."));
    let mut tried = BTreeMap::new();
    let mut missed = Vec::new();
    for sample in samples {
        let mut run = Run::new("sample", &adapter, &source.known, Answers::Saved(sample), None);
        run.tried = Some(Mutex::new(std::mem::take(&mut tried)));
        if sample.is_dir() {
            let (places, _) = run.all(1, &|_, _, _| {})?;
            missed.extend(places.into_iter().flat_map(|place| place.missed));
        } else {
            file(&run, &adapter, sample)?;
        }
        let now = run.tried.take().map(|tried| tried.into_inner().expect("nobody panics while holding it"));
        tried = now.unwrap_or_default();
    }
    let asks =
        adapter.asks.iter().filter_map(|ask| Some((ask.name.clone(), tried.remove(&ask.name)?))).collect();
    Ok(Check { asks, missed })
}

/// Tries the asks that a file is named like.
fn file(run: &Run<'_>, adapter: &Adapter, path: &Path) -> Result<(), Diagnostics> {
    let name = path.to_string_lossy();
    let stem = path.file_stem().and_then(|stem| stem.to_str()).unwrap_or_default();
    let body = std::fs::read(path).map_err(|error| {
        one(Diagnostic::of_file(&name, format!("cannot be read: {error}"), "check the path"))
    })?;
    let asks: Vec<&Ask> = adapter.asks.iter().filter(|ask| is_named(ask, stem)).collect();
    if asks.is_empty() {
        let all: Vec<&str> = adapter.asks.iter().map(|ask| ask.name.as_str()).collect();
        let help = format!("name the file like an ask, with .json after it: {}", all.join(", "));
        return Err(one(Diagnostic::of_file(
            &name,
            format!("adapter {} asks for no `{stem}`", adapter.name),
            help,
        )));
    }
    for ask in asks {
        let body = parsed("sample", &name, &body).map_err(one)?;
        let page = run.made(ask, &Val::Null, body)?;
        checked(&format!("{}: {} of {name}", adapter.name, ask.name), &page.entities)?;
    }
    Ok(())
}

/// Whether a file of that name holds what an ask asks for: by its name, or by the last step of its path.
fn is_named(ask: &Ask, stem: &str) -> bool {
    let last = match ask.path.0.last() {
        Some(Piece::Text(text)) => text.rsplit('/').next().unwrap_or_default(),
        _ => "",
    };
    ask.name == stem || last == stem
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
            if let Some(kind) = kinds().get(kind as usize) {
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
