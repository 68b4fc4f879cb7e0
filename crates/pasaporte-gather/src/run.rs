//! A source being collected: what is known of it, what is still to be asked, and what came so far.

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::path::Path;
use std::sync::{Condvar, Mutex};

use jaq_json::Val;
use pasaporte_read::diagnostic::{Diagnostic, Diagnostics};
use pasaporte_read::seal::Seal;
use serde_json::value::RawValue;

use crate::adapter::{Adapter, Ask, Piece, Template, one};
use crate::address::escape;
use crate::entity::Entities;
use crate::http::{Platform, Reaching};
use crate::journal::Journal;
use crate::log::{Log, Range, Spool};
use crate::manifest::Pace;
use crate::program::{self, Known};
use crate::source::{From, Source};
use crate::told::Place;
use crate::tried::Tried;

/// Where answers come from.
pub(crate) enum Answers<'s> {
    Platform(Platform<'s>),
    Saved(&'s Path),
}

impl<'s> Answers<'s> {
    /// The answers of a source.
    pub(crate) fn of(
        source: &'s Source,
        adapter: &'s Adapter,
        pace: Pace,
        reaching: &Reaching,
    ) -> Result<Self, Diagnostics> {
        match &source.from {
            From::Files(folder) => Ok(Self::Saved(folder)),
            From::Url { url, client, secret } => {
                let agent = reaching.agent(crate::http::COLLECTOR).map_err(one)?;
                let of = (url.as_str(), client.as_str(), secret.as_ref());
                let platform = Platform::new(&source.name, of, &adapter.sign_in, pace, agent);
                platform.map(Self::Platform).map_err(one)
            }
        }
    }
}

/// A source being collected.
pub(crate) struct Run<'r> {
    pub(crate) source: &'r str,
    pub(crate) adapter: &'r Adapter,
    pub(crate) known: &'r Val,
    pub(crate) from: Answers<'r>,
    pub(crate) journal: Option<&'r Journal>,
    /// Where answers are kept as samples.
    pub(crate) save: Option<&'r Path>,
    /// The key of fingerprints, where there is one.
    pub(crate) seal: Option<&'r Seal>,
    /// The time that logs are asked for, if they are.
    pub(crate) range: Option<(Range, Val)>,
    pub(crate) state: Mutex<State>,
    pub(crate) changed: Condvar,
    /// What each ask gave and left out, where that is wanted.
    pub(crate) tried: Option<Mutex<BTreeMap<String, Tried>>>,
}

impl<'r> Run<'r> {
    pub(crate) fn new(
        source: &'r str,
        adapter: &'r Adapter,
        known: &'r Val,
        from: Answers<'r>,
        journal: Option<&'r Journal>,
    ) -> Self {
        Self {
            source,
            adapter,
            known,
            from,
            journal,
            save: None,
            seal: None,
            range: None,
            state: Mutex::default(),
            changed: Condvar::new(),
            tried: None,
        }
    }
}

#[derive(Default)]
pub(crate) struct State {
    pub(crate) open: VecDeque<Task>,
    pub(crate) working: usize,
    pub(crate) done: usize,
    pub(crate) places: BTreeMap<(Option<String>, Option<String>), Place>,
    pub(crate) entities: Entities,
    pub(crate) documents: BTreeMap<String, String>,
    pub(crate) logs: BTreeMap<(usize, String), Log>,
    pub(crate) unread: BTreeMap<String, BTreeSet<String>>,
    pub(crate) wrong: Diagnostics,
}

/// What everything that was asked came to.
pub(crate) struct All {
    pub(crate) places: Vec<Place>,
    pub(crate) entities: Entities,
    /// Documents to stand beside the estate, by name.
    pub(crate) documents: BTreeMap<String, String>,
    /// Logs, in the order of the manifest, then of what they are about.
    pub(crate) logs: Vec<Log>,
    /// By ask the fields beside items that nothing reads.
    pub(crate) unread: BTreeMap<String, BTreeSet<String>>,
}

/// One collection to read: an ask, about something.
pub(crate) struct Task {
    pub(crate) ask: usize,
    pub(crate) parent: Val,
}

/// What a collection came to.
#[derive(Default)]
pub(crate) struct Collected {
    pub(crate) ask: String,
    pub(crate) place: Place,
    pub(crate) kept: Vec<Box<RawValue>>,
    pub(crate) entities: Vec<Box<RawValue>>,
    pub(crate) documents: Vec<(String, String)>,
    pub(crate) log: Option<Spool>,
    pub(crate) unread: BTreeSet<String>,
}

impl Run<'_> {
    pub(crate) fn known(&self, parent: Val) -> Known {
        Known {
            parent,
            source: self.known.clone(),
            range: self.range.as_ref().map(|(_, known)| known.clone()).unwrap_or_default(),
        }
    }

    /// A template with its expressions filled in; in a path, so that each stays within its segment.
    pub(crate) fn fill(
        &self,
        ask: &Ask,
        template: &Template,
        parent: &Val,
        in_path: bool,
    ) -> Result<String, Diagnostics> {
        let mut out = String::new();
        for piece in &template.0 {
            match piece {
                Piece::Text(text) => out.push_str(text),
                Piece::Value(part) => {
                    let known = self.known(parent.clone());
                    let text = self.adapter.program.text(*part, &known, parent.clone());
                    let text = text.map_err(|error| self.wrong(ask, &error))?;
                    if in_path { escape(&text, &mut out) } else { out.push_str(&text) }
                }
            }
        }
        Ok(out)
    }

    pub(crate) fn wrong(&self, ask: &Ask, message: &str) -> Diagnostics {
        let message = if message.starts_with("ask ") {
            message.to_owned()
        } else {
            format!("ask {}: {message}", ask.name)
        };
        let help =
            "see docs/write-an-adapter.md; `pasaporte gather --check` tries an adapter on saved answers";
        one(Diagnostic::of_file(&format!("{} (adapter {})", self.source, self.adapter.name), message, help))
    }
}

impl State {
    pub(crate) fn take(&mut self, task: &Task, log: Option<Log>, it: Collected) {
        if let Some(log) = log {
            self.logs.insert((task.ask, program::json(&task.parent)), log);
        }
        let of = (it.place.account.clone(), it.place.region.clone());
        let place = self.places.entry(of).or_insert_with(|| Place {
            account: it.place.account,
            region: it.place.region,
            ..Place::default()
        });
        place.requests += it.place.requests;
        place.items += it.place.items;
        place.missed.extend(it.place.missed);
        place.missed.sort();
        self.entities.add(it.entities);
        self.documents.extend(it.documents);
        if !it.unread.is_empty() {
            self.unread.entry(it.ask).or_default().extend(it.unread);
        }
    }
}
