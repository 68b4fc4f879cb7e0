//! Trying an adapter on saved answers: what it makes of them, and what it leaves out.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Mutex;

use jaq_json::Val;
use pasaporte_read::diagnostic::{Diagnostic, Diagnostics};

use crate::adapter::{Adapter, Ask, At, Piece, one};
use crate::entity::checked;
use crate::http::{LARGEST, Reaching, parsed};
use crate::log::Range;
use crate::run::{Answers, Run};
use crate::source::Source;
use crate::stack;
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
/// With a range its logs are tried too.
pub fn check(adapter: &str, samples: &[PathBuf], range: Option<Range>) -> Result<Check, Diagnostics> {
    let adapter = Adapter::find(adapter)?;
    let source = crate::Source::saved("sample", &adapter.name, Path::new("."));
    let mut tried = BTreeMap::new();
    let mut missed = Vec::new();
    for sample in samples {
        let mut run = Run::new("sample", &adapter, &source.known, Answers::Saved(sample), None);
        run.range = range.map(|range| (range, range.known()));
        run.tried = Some(Mutex::new(std::mem::take(&mut tried)));
        if sample.is_dir() {
            let all = run.all(1, &|_, _, _| {})?;
            missed.extend(all.places.into_iter().flat_map(|place| place.missed));
        } else {
            stack::alone(|| file(&run, &adapter, sample))?;
        }
        let now = run.tried.take().map(|tried| tried.into_inner().expect("nobody panics while holding it"));
        tried = now.unwrap_or_default();
    }
    let asks =
        adapter.asks.iter().filter_map(|ask| Some((ask.name.clone(), tried.remove(&ask.name)?))).collect();
    Ok(Check { asks, missed })
}

/// Tries an adapter on what platforms answer now: the sources that use it. Nothing is written.
/// With a range its logs are tried too.
pub fn check_live(
    adapter: &str,
    sources: &[Source],
    reaching: &Reaching,
    range: Option<Range>,
) -> Result<Check, Diagnostics> {
    let found = Adapter::find(adapter)?;
    let (mut tried, mut missed) = (BTreeMap::new(), Vec::new());
    for source in sources {
        let mut pace = found.pace;
        pace.at_once = source.at_once.unwrap_or(pace.at_once).max(1);
        let from = Answers::of(source, &found, pace, reaching)?;
        let mut run = Run::new(&source.name, &found, &source.known, from, None);
        run.range = range.map(|range| (range, range.known()));
        run.tried = Some(Mutex::new(std::mem::take(&mut tried)));
        let all = run.all(pace.at_once, &|_, _, _| {})?;
        missed.extend(all.places.into_iter().flat_map(|place| place.missed));
        let now = run.tried.take().map(|tried| tried.into_inner().expect("nobody panics while holding it"));
        tried = now.unwrap_or_default();
    }
    let asks =
        found.asks.iter().filter_map(|ask| Some((ask.name.clone(), tried.remove(&ask.name)?))).collect();
    Ok(Check { asks, missed })
}

/// Tries the asks that a file is named like.
fn file(run: &Run<'_>, adapter: &Adapter, path: &Path) -> Result<(), Diagnostics> {
    let name = path.to_string_lossy();
    let stem = path.file_stem().and_then(|stem| stem.to_str()).unwrap_or_default();
    let body = pasaporte_read::files::read_up_to(path, LARGEST).map_err(|error| {
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
    let last = match &ask.at {
        At::Path(path) => match path.0.last() {
            Some(Piece::Text(text)) => text.rsplit('/').next().unwrap_or_default(),
            _ => "",
        },
        At::Link(_) => "",
    };
    ask.name == stem || last == stem
}
