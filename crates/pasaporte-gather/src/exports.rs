//! Exports of a platform's logs, read through the adapter that knows the platform: files of what it would have answered, or
//! of an item a line.

use std::io::{BufRead, Read};
use std::path::Path;

use jaq_json::Val;
use pasaporte_read::diagnostic::{Diagnostic, Diagnostics};

use crate::adapter::{Adapter, Ask, Gives, one};
use crate::log::{self, Lines, Log, LogAsk, NOT_UNDERSTOOD, Spool};
use crate::program::{self, Known};
use crate::run::{Answers, Run};
use crate::source::Source;
use crate::stack;

/// The longest line, and the longest document that is not lines.
const LONGEST: u64 = 64 << 20;

/// Reads exports of logs.
pub struct Exports {
    adapter: Adapter,
    source: Source,
    named: Option<String>,
}

impl Exports {
    /// Through an adapter, shipped or in a folder; and which of its logs the files are of, where that is known.
    pub fn find(adapter: &str, log: Option<&str>) -> Result<Self, Diagnostics> {
        let adapter = Adapter::find(adapter)?;
        let all: Vec<&str> = logs(&adapter).map(|(ask, _)| ask.name.as_str()).collect();
        let wrong =
            |message: String, help: String| Err(one(Diagnostic::of_file(&adapter.name, message, help)));
        if all.is_empty() {
            return wrong(
                "the adapter knows of no log".to_owned(),
                "add a [[log]] to its manifest; see docs/write-an-adapter.md".to_owned(),
            );
        }
        if let Some(log) = log
            && !all.contains(&log)
        {
            let message = format!("the adapter has no log `{}`", pasaporte_read::shown_name(log));
            return wrong(message, format!("its logs are {}", all.join(", ")));
        }
        let source = Source::saved(&adapter.name, &adapter.name, Path::new("."));
        Ok(Self { named: log.map(str::to_owned), source, adapter })
    }

    /// Reads an export.
    pub fn read(&self, name: &str, input: &mut (dyn BufRead + Send)) -> Result<Log, Diagnostics> {
        stack::alone(|| self.reading(name, input))
    }

    fn reading(&self, name: &str, input: &mut dyn BufRead) -> Result<Log, Diagnostics> {
        let wrong = |message: String, help: &str| one(Diagnostic::of_file(name, message, help));
        let failed = |error: std::io::Error| wrong(format!("cannot be read: {error}"), "check the file");
        let run = Run::new(name, &self.adapter, &self.source.known, Answers::Saved(Path::new(".")), None);
        let mut first = Vec::new();
        while first.trim_ascii().is_empty() {
            first.clear();
            if input.take(LONGEST).read_until(b'\n', &mut first).map_err(failed)? == 0 {
                return Err(wrong("it is empty".to_owned(), "name files with what the platform answered"));
            }
        }
        let mut spool = Spool::new().map_err(failed)?;
        let whole = program::parse(&first).is_err();
        if whole {
            input.take(LONGEST + 1 - first.len() as u64).read_to_end(&mut first).map_err(failed)?;
        }
        let value = program::parse(&first).map_err(|_| {
            let help = "an export is JSON: what the platform answered, or an item a line";
            wrong("it is neither a JSON document nor lines of JSON".to_owned(), help)
        })?;
        let (ask, log) = self.choose(&run, &value).map_err(|(message, help)| wrong(message, &help))?;
        spool.add(made(&run, ask, log, &value)).map_err(failed)?;
        if !whole {
            let mut line = Vec::new();
            while input.take(LONGEST).read_until(b'\n', &mut line).map_err(failed)? > 0 {
                if !line.trim_ascii().is_empty() {
                    let lines = match program::parse(&line) {
                        Ok(value) => made(&run, ask, log, &value),
                        Err(_) => Lines { events: vec![NOT_UNDERSTOOD.to_owned()], ..Lines::default() },
                    };
                    spool.add(lines).map_err(failed)?;
                }
                line.clear();
            }
        }
        spool.end(ask.name.clone(), name.to_owned(), log.read_as).map_err(failed)
    }

    /// The log that an export is of: the one that is named, or the only one that makes something of how it begins.
    fn choose(&self, run: &Run<'_>, value: &Val) -> Result<(&Ask, &LogAsk), (String, String)> {
        let all: Vec<(&Ask, &LogAsk)> = logs(&self.adapter).collect();
        if let Some(named) = &self.named {
            let of = all.into_iter().find(|(ask, _)| ask.name == *named);
            return of.ok_or_else(|| (format!("there is no log `{named}`"), String::new()));
        }
        if let [one] = all[..] {
            return Ok(one);
        }
        let names = |all: &[(&Ask, &LogAsk)]| {
            all.iter().map(|(ask, _)| ask.name.as_str()).collect::<Vec<_>>().join(", ")
        };
        let help = format!("say which log it is with --log: {}", names(&all));
        let fits: Vec<(&Ask, &LogAsk)> =
            all.into_iter().filter(|(ask, log)| makes_sense(run, ask, log, value)).collect();
        match fits[..] {
            [one] => Ok(one),
            [] => Err(("no log of the adapter makes sense of it".to_owned(), help)),
            _ => Err((format!("it may be any of {}", names(&fits)), help)),
        }
    }
}

fn logs(adapter: &Adapter) -> impl Iterator<Item = (&Ask, &LogAsk)> {
    adapter.asks.iter().filter_map(|ask| Some((ask, ask.log.as_ref()?)))
}

/// The items of a value: what the log's answer has, or the value as one of them.
fn items(run: &Run<'_>, ask: &Ask, known: &Known, value: &Val) -> Vec<Val> {
    let Gives::Items(part) = ask.gives else { return Vec::new() };
    match run.adapter.program.run(part, known, value.clone()) {
        Ok(items) if !items.is_empty() => items,
        _ => vec![value.clone()],
    }
}

/// Whether a log makes lines of the first item of a value, which have what lines of such a log have.
fn makes_sense(run: &Run<'_>, ask: &Ask, log: &LogAsk, value: &Val) -> bool {
    let known = run.known(Val::Null);
    let Some(first) = items(run, ask, &known, value).into_iter().next() else { return false };
    let lines = match log.events {
        None => vec![first],
        Some(part) => run.adapter.program.run(part, &known, first).unwrap_or_default(),
    };
    let has = |line: &Val, field: &str| {
        let line = log::line(line);
        line.contains(&format!("\"{field}\":")) && !line.contains(&format!("\"{field}\":null"))
    };
    lines.first().is_some_and(|line| match log.read_as {
        log::ReadAs::Plain => {
            has(line, "did") || has(line, "host") || has(line, "endpoint") || has(line, "text")
        }
        log::ReadAs::Access => matches!(line, Val::TStr(_)),
        log::ReadAs::OpenTelemetry => has(line, "resourceSpans") || has(line, "resourceLogs"),
        log::ReadAs::Ocsf => has(line, "class_uid"),
        log::ReadAs::CloudEvents => has(line, "specversion"),
    })
}

/// What the adapter makes of a value of an export. What it holds all of is for those to say who exported it.
fn made(run: &Run<'_>, ask: &Ask, log: &LogAsk, value: &Val) -> Lines {
    let known = run.known(Val::Null);
    let mut lines = Lines::default();
    for item in items(run, ask, &known, value) {
        match log.events.map(|part| run.adapter.program.run(part, &known, item.clone())) {
            None => lines.events.push(log::line(&item)),
            Some(Ok(all)) => lines.events.extend(all.iter().map(log::line)),
            Some(Err(error)) => {
                lines.events.push(NOT_UNDERSTOOD.to_owned());
                lines.trouble.get_or_insert(error);
            }
        }
    }
    lines
}
