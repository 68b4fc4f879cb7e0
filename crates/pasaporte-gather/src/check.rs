//! Trying an adapter on saved answers: what it makes of them, and what it leaves out.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Mutex;

use jaq_json::Val;
use pasaporte_read::diagnostic::{Diagnostic, Diagnostics};

use crate::adapter::{Adapter, Ask, Piece, one};
use crate::collect::{Answers, Run};
use crate::entity::checked;
use crate::http::parsed;
use crate::tried::Tried;

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
