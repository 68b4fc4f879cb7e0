//! Collecting: asks become tasks, several at a time; pages become entities; entities become a file.

use std::path::Path;

use jaq_json::Val;
use jiff::Timestamp;
use pasaporte_read::diagnostic::{Diagnostic, Diagnostics};
use pasaporte_read::seal::Seal;
use pasaporte_read::{files, shown_name};
use rustc_hash::FxHashSet;
use serde_json::value::RawValue;

use crate::adapter::{Adapter, Ask, Template, one};
use crate::entity::blind_spot_of;
use crate::http::Reaching;
use crate::journal::{Journal, Of};
use crate::lock::Lock;
use crate::log::{Log, Range, Spool};
use crate::page::Had;
use crate::program::{self};
use crate::run::{All, Answers, Collected, Run, State, Task};
use crate::source::{From, Source};
use crate::stack;
use crate::told::{Place, Progress, Told};

/// How often a collection that changes while it is read is begun again.
const BEGINNINGS: u32 = 3;
/// Most items of one collection: what gives more has no end.
const MOST_ITEMS: usize = 10_000_000;
/// Most pages in a row without an item.
const MOST_EMPTY: usize = 1000;

/// How to collect.
pub struct Collecting<'c> {
    /// The folder that files are written to.
    pub out: &'c Path,
    /// Whether to begin anew where a collection was cut off.
    pub fresh: bool,
    /// When what is collected now is true.
    pub as_of: Timestamp,
    /// How to reach platforms.
    pub reaching: Reaching,
    /// Where answers are kept too, as samples; logs are not.
    pub save: Option<&'c Path>,
    /// The key of fingerprints of what a platform shows of keys; without it such values are passed over.
    pub seal: Option<Seal>,
    /// The time that logs are asked for; none are where it is left out.
    pub range: Option<Range>,
    /// Is told how things stand, again and again.
    pub watch: &'c (dyn Fn(&Progress) + Sync),
}

impl Collecting<'_> {
    /// Collects from all sources at once; each becomes a file of its name. A source that fails as a whole leaves
    /// the file that was there before.
    pub fn run(&self, sources: &[Source]) -> Result<Vec<Told>, Diagnostics> {
        let _lock = Lock::take(self.out).map_err(|error| self.failed(&error))?;
        files::clear_unfinished(self.out).map_err(|error| self.failed(&error))?;
        let collected: Vec<Result<Told, Diagnostics>> = std::thread::scope(|scope| {
            let of = |(index, source)| scope.spawn(move || self.source(index, source));
            let all: Vec<_> = sources.iter().enumerate().map(of).collect();
            all.into_iter().map(|thread| thread.join().expect("a source does not panic")).collect()
        });
        let mut told = Vec::new();
        let mut diagnostics = Diagnostics::default();
        for each in collected {
            match each {
                Ok(it) => told.push(it),
                Err(wrong) => diagnostics.absorb(wrong),
            }
        }
        if diagnostics.is_empty() { Ok(told) } else { Err(diagnostics) }
    }

    fn failed(&self, error: &std::io::Error) -> Diagnostics {
        let message = format!("cannot be written: {error}");
        one(Diagnostic::of_file(&self.out.to_string_lossy(), message, "name a folder that you may write to"))
    }

    fn source(&self, index: usize, source: &Source) -> Result<Told, Diagnostics> {
        let adapter = Adapter::find(&source.adapter)?;
        let failed = |error: std::io::Error| self.failed(&error);
        let seal = self.seal.as_ref().map(Seal::id).unwrap_or_default();
        let known = program::json(&source.known);
        let of = format!("{}\n{:?}\n{known}\n{seal}", adapter.text, source.from);
        // What was saved is read again: it may have been corrected.
        let journal = match &source.from {
            From::Files(_) => None,
            From::Url { .. } => {
                let what = Of { digest: digest(&of), as_of: self.as_of };
                Some(Journal::open(self.out, &source.name, what, self.fresh).map_err(failed)?)
            }
        };
        let mut pace = adapter.pace;
        pace.at_once = source.at_once.unwrap_or(pace.at_once).max(1);
        let from = Answers::of(source, &adapter, pace, &self.reaching)?;
        let mut run = Run::new(&source.name, &adapter, &source.known, from, journal.as_ref());
        let save = self.save.map(|folder| folder.join(&source.name));
        run.save = save.as_deref();
        run.seal = self.seal.as_ref();
        run.range = self.range.map(|range| (range, range.known()));
        let watch = |done, waiting, entities| {
            (self.watch)(&Progress { source: index, done, waiting, entities });
        };
        let all = run.all(pace.at_once, &watch)?;
        for (name, text) in &all.documents {
            write_document(self.out, name, text).map_err(failed)?;
        }
        if let Some(text) = &adapter.catalogue {
            write_document(self.out, &format!("{}.catalogue.yaml", adapter.name), text).map_err(failed)?;
        }
        let path = self.out.join(format!("{}.ndjson", source.name));
        all.entities.write(&path, source.declared, self.seal.as_ref()).map_err(failed)?;
        let mut told = Told {
            source: source.name.clone(),
            places: all.places,
            resumed: 0,
            begun: self.as_of,
            too_old: None,
            unread: all.unread,
            logs: all.logs,
            has_logs: adapter.asks.iter().any(|ask| ask.log.is_some()),
        };
        if let Some(journal) = journal {
            (told.resumed, told.begun, told.too_old) = (journal.len(), journal.begun(), journal.too_old());
            journal.end().map_err(failed)?;
        }
        Ok(told)
    }
}

/// Writes a document beside the estate: the old one or the new one is there, at any moment.
fn write_document(folder: &Path, name: &str, text: &str) -> std::io::Result<()> {
    files::replace_text(&files::place(folder, Path::new(name))?, text)
}

/// A digest of what is being collected, to know it again. Not a secret's guard: secrets are not in it.
fn digest(text: &str) -> String {
    use std::hash::{DefaultHasher, Hash, Hasher};
    let mut hasher = DefaultHasher::new();
    text.hash(&mut hasher);
    format!("{:016x}", hasher.finish())
}

/// How the pages of a collection ended.
enum Ended {
    /// All were read, or what was not is noted.
    Done,
    /// It changed under way, or the platform says that it must be begun again.
    Changed,
}

impl Run<'_> {
    /// Asks everything, so many at a time.
    pub(crate) fn all(
        &self,
        at_once: usize,
        watch: &(dyn Fn(usize, usize, usize) + Sync),
    ) -> Result<All, Diagnostics> {
        let roots = self.asked_for().filter(|(_, ask)| ask.of.is_none());
        self.lock().open.extend(roots.map(|(ask, _)| Task { ask, parent: Val::Null }));
        std::thread::scope(|scope| {
            for _ in 0..at_once {
                stack::spawn(scope, || self.work(watch));
            }
        });
        let state = std::mem::take(&mut *self.lock());
        if state.wrong.is_empty() {
            let State { places, entities, documents, logs, unread, .. } = state;
            let (places, logs) = (places.into_values().collect(), logs.into_values().collect());
            Ok(All { places, entities, documents, logs, unread })
        } else {
            Err(state.wrong)
        }
    }

    fn lock(&self) -> std::sync::MutexGuard<'_, State> {
        self.state.lock().expect("nobody panics while holding it")
    }

    /// What is asked for: logs only where a time is named.
    fn asked_for(&self) -> impl Iterator<Item = (usize, &Ask)> {
        let logs = self.range.is_some();
        self.adapter.asks.iter().enumerate().filter(move |(_, ask)| logs || ask.log.is_none())
    }

    /// The log that came of a task.
    fn log_of(&self, task: &Task, spool: Spool) -> Result<Log, Diagnostics> {
        let ask = &self.adapter.asks[task.ask];
        let what = self.fill(ask, &ask.what, &task.parent, false)?;
        let read_as = ask.log.as_ref().map(|log| log.read_as).unwrap_or_default();
        spool.end(ask.name.clone(), what, read_as).map_err(|error| self.wrong(ask, &error.to_string()))
    }

    /// Takes tasks until none are left, or something is wrong with all.
    fn work(&self, watch: &(dyn Fn(usize, usize, usize) + Sync)) {
        loop {
            let task = {
                let mut state = self.lock();
                loop {
                    if !state.wrong.is_empty() {
                        return;
                    }
                    if let Some(task) = state.open.pop_front() {
                        state.working += 1;
                        break task;
                    }
                    if state.working == 0 {
                        self.changed.notify_all();
                        return;
                    }
                    state = self.changed.wait(state).expect("nobody panics while holding it");
                }
            };
            let collected = self.collection(&task).and_then(|mut it| {
                let following = self.following(&task, &it)?;
                let log = it.log.take().map(|spool| self.log_of(&task, spool)).transpose()?;
                Ok((it, log, following))
            });
            let mut state = self.lock();
            state.working -= 1;
            state.done += 1;
            match collected {
                Ok((it, log, following)) => {
                    state.open.extend(following);
                    state.take(&task, log, it);
                }
                // Others that were under way when the first went wrong mostly say the same.
                Err(wrong) if state.wrong.is_empty() => state.wrong = wrong,
                Err(_) => {}
            }
            let (done, waiting) = (state.done, state.open.len() + state.working);
            let entities = state.entities.len();
            drop(state);
            self.changed.notify_all();
            watch(done, waiting, entities);
        }
    }

    /// The tasks that the items of a collection lead to.
    fn following(&self, task: &Task, it: &Collected) -> Result<Vec<Task>, Diagnostics> {
        let mut all = Vec::new();
        for (index, ask) in self.asked_for().filter(|(_, ask)| ask.of == Some(task.ask)) {
            for kept in &it.kept {
                let kept = program::parse(kept.get().as_bytes()).map_err(|error| self.wrong(ask, &error))?;
                match ask.each {
                    None => all.push(Task { ask: index, parent: kept }),
                    Some(each) => {
                        let known = self.known(Val::Null);
                        let parents = self.adapter.program.run(each, &known, kept);
                        let parents = parents.map_err(|error| self.wrong(ask, &error))?;
                        all.extend(parents.into_iter().map(|parent| Task { ask: index, parent }));
                    }
                }
            }
        }
        Ok(all)
    }

    /// Reads a collection, page by page; begins again where it changed under way.
    fn collection(&self, task: &Task) -> Result<Collected, Diagnostics> {
        let ask = &self.adapter.asks[task.ask];
        let mut requests = 0;
        let mut beginning = 0;
        loop {
            beginning += 1;
            let place = self.place(ask, &task.parent)?;
            let mut it = Collected { ask: ask.name.clone(), place, ..Collected::default() };
            it.place.requests = requests;
            if ask.log.is_some() {
                it.log = Some(Spool::new().map_err(|error| self.wrong(ask, &error.to_string()))?);
            }
            let path = match self.path(ask, &task.parent)? {
                Ok(path) => path,
                Err(why) => {
                    let what = self.fill(ask, &ask.what, &task.parent, false)?;
                    self.missed(ask, &mut it, &what, &why)?;
                    return Ok(it);
                }
            };
            let ended = self.pages(ask, task, &path, beginning, &mut it)?;
            requests = it.place.requests;
            if matches!(ended, Ended::Done) {
                return Ok(it);
            }
            if beginning == BEGINNINGS {
                let what = self.fill(ask, &ask.what, &task.parent, false)?;
                let why = format!("it changed each of {BEGINNINGS} times that it was read");
                self.missed(ask, &mut it, &what, &format!("perhaps a part: {why}"))?;
                return Ok(it);
            }
        }
    }

    /// Reads the pages of a collection.
    fn pages(
        &self,
        ask: &Ask,
        task: &Task,
        path: &str,
        beginning: u32,
        it: &mut Collected,
    ) -> Result<Ended, Diagnostics> {
        let mut at = path.to_owned();
        let mut state: Option<String> = None;
        let mut read = FxHashSet::default();
        let mut number = 0;
        // Pages without an item, one after the other.
        let mut empty = 0;
        loop {
            number += 1;
            let again = !matches!(self.from, Answers::Saved(_)) && !read.insert(at.clone());
            if again || it.place.items > MOST_ITEMS || empty > MOST_EMPTY {
                let what = self.fill(ask, &ask.what, &task.parent, false)?;
                self.missed(ask, it, &format!("the rest of {what}"), "its pages do not end")?;
                return Ok(Ended::Done);
            }
            let of = format!("{} {path} {beginning}.{number}", ask.name);
            let journal = self.journal.filter(|_| ask.log.is_none());
            let known = journal.and_then(|journal| journal.get(&of)).cloned();
            let page = match known {
                Some(page) => page,
                None => match self.page(ask, task, path, &at, number)? {
                    Had::Nothing(tries) => {
                        it.place.requests += tries as usize;
                        return Ok(Ended::Done);
                    }
                    Had::Again(tries) => {
                        it.place.requests += tries as usize;
                        return Ok(Ended::Changed);
                    }
                    Had::Page(page) => {
                        if let Some(journal) = journal {
                            let kept = journal.keep(&of, &page);
                            kept.map_err(|error| self.wrong(ask, &format!("the journal: {error}")))?;
                        }
                        page
                    }
                    Had::Missed(why, tries) => {
                        it.place.requests += tries as usize;
                        let what = self.fill(ask, &ask.what, &task.parent, false)?;
                        let asked = match tries {
                            0 => String::new(),
                            1 => ", asked once".to_owned(),
                            some => format!(", asked {some} times"),
                        };
                        let page = if number == 1 { String::new() } else { format!("page {number}: ") };
                        self.missed(ask, it, &what, &format!("{page}{why}{asked}"))?;
                        return Ok(Ended::Done);
                    }
                },
            };
            it.place.requests += page.tries as usize;
            if number > 1 && page.etag != state {
                return Ok(Ended::Changed);
            }
            state = page.etag;
            it.place.items += page.items;
            empty = if page.items == 0 { empty + 1 } else { 0 };
            it.kept.extend(page.kept);
            it.entities.extend(page.entities);
            it.documents.extend(page.document);
            it.unread.extend(page.unread);
            if let Some(log) = &mut it.log {
                log.add(*page.lines).map_err(|error| self.wrong(ask, &error.to_string()))?;
            }
            match page.next {
                Some(next) => at = next,
                None => return Ok(Ended::Done),
            }
        }
    }

    /// Notes something that did not come back, also for those who read the estate.
    fn missed(&self, ask: &Ask, it: &mut Collected, what: &str, why: &str) -> Result<(), Diagnostics> {
        let spot = blind_spot_of(what, Some(why), &ask.hides, it.place.account.as_deref());
        it.entities.push(RawValue::from_string(spot).map_err(|error| self.wrong(ask, &error.to_string()))?);
        it.place.missed.push(format!("{what} ({why})"));
        if let Some(log) = &mut it.log {
            log.breaks_off();
        }
        Ok(())
    }

    fn place(&self, ask: &Ask, parent: &Val) -> Result<Place, Diagnostics> {
        let fill = |template: &Option<Template>| {
            template.as_ref().map(|template| self.fill(ask, template, parent, false)).transpose()
        };
        let place = Place { account: fill(&ask.account)?, region: fill(&ask.region)?, ..Place::default() };
        for (what, name) in [("account", &place.account), ("region", &place.region)] {
            if name.as_ref().is_some_and(|name| shown_name(name) != name) {
                return Err(self.wrong(ask, &format!("{what}: what it gives is not a name")));
            }
        }
        Ok(place)
    }
}
