//! Digesting: each log is gone through by all processors, and what it adds up to is merged, once, into the whole.

use std::collections::BTreeSet;
use std::io;
use std::sync::Mutex;

use crate::adding::Digester;
use crate::coverage::{Coverage, Of};
use crate::format::{Bad, Columns, Format, Reader, recognise};
use crate::input::{Batch, Cutter, Input};
use crate::ledger::{Ledger, Span};
use crate::part::{Part, Reading, Wanted};
use crate::places::Places;
use crate::recent::Recent;
use crate::secrets::Secrets;
use crate::told::{FileTold, Told, Unplacing};

/// What logs add up to.
#[derive(Debug)]
pub struct Digest {
    /// Rows that add up.
    pub ledger: Ledger,
    /// What was read, by what it held.
    pub logs: BTreeSet<String>,
    pub(crate) coverage: Vec<(Of, Span)>,
    /// What came of it.
    pub told: Told,
}

/// Things that the estate does not know that are told.
const COMMONEST: usize = 5;

/// Digests some logs.
pub fn digest(inputs: &[Input], places: &Places<'_>, secrets: &Secrets, wanted: &Wanted) -> Digest {
    let mut all = Digest {
        ledger: Ledger::default(),
        logs: BTreeSet::new(),
        coverage: Vec::new(),
        told: Told::default(),
    };
    let mut coverage = Coverage::default();
    let mut unplaced = Unplacing::default();
    let recent = Recent::default();
    for input in inputs {
        let reading = Reading { places, secrets, wanted, recent: &recent };
        let (part, mut told, id) = match log(reading, input) {
            Ok(read) => read,
            Err(error) => {
                let broke_off = Some(error.to_string());
                (Part::default(), FileTold { broke_off, ..FileTold::of(input.name()) }, None)
            }
        };
        told.repeated = id.as_ref().is_some_and(|id| told.lines > 0 && !all.logs.insert(id.clone()));
        if !told.repeated {
            all.told.events += part.events;
            unplaced.merge(&part.unplaced);
            // What may lack a part covers no time: that something is not in it means nothing.
            let hosts = part.ledger.hosts.iter().filter(|_| input.is_whole());
            for ((account, host), span) in hosts {
                coverage.add(Of::Host(account.clone(), host.clone()), *span);
            }
            for (covers, from, to) in part.said.iter().filter(|_| input.is_whole()) {
                let whole = part.span.unwrap_or_default();
                let span =
                    Span { first: from.unwrap_or(whole.first), last: to.unwrap_or(whole.last), ..whole };
                coverage.add(Of::Said(covers.clone()), span);
            }
            for covers in wanted.covers.iter().filter(|_| part.placed > 0 && input.is_whole()) {
                if let Some(span) = part.span {
                    coverage.add(Of::Said(covers.clone()), span);
                }
            }
            all.ledger.merge(part.ledger);
        }
        all.told.files.push(told);
    }
    all.told.unplaced = unplaced.count;
    all.told.commonest = unplaced.commonest(COMMONEST);
    all.told.rows = all.ledger.len();
    all.coverage = coverage.all();
    all
}

impl FileTold {
    fn of(name: &str) -> Self {
        Self {
            name: name.to_owned(),
            format: None,
            lines: 0,
            bad: 0,
            bad_lines: Vec::new(),
            twice: 0,
            repeated: false,
            broke_off: None,
        }
    }
}

/// One log: what it adds up to, what is to be told of it, and what tells it from others.
fn log(reading: Reading<'_, '_>, input: &Input) -> io::Result<(Part, FileTold, Option<String>)> {
    let mut told = FileTold { format: input.read_as(), ..FileTold::of(input.name()) };
    let mut cutter = Cutter::new(input.open()?);
    let beside = |mut part: Part| {
        let columns = Columns::default();
        let (mut reader, mut digester) = (Reader::new(Format::Plain, &columns), Digester::new(reading));
        for line in input.covers() {
            digester.line(&mut reader, line.as_bytes(), 0);
        }
        part.merge(digester.part);
        part
    };
    let Some(first) = cutter.cut(Batch::default())? else {
        return Ok((beside(Part::default()), told, None));
    };
    let format = reading
        .wanted
        .read_as
        .or_else(|| input.read_as())
        .or_else(|| recognise(&first.bytes[..first.bytes.len().min(START)]));
    told.format = format;
    let Some(format) = format else { return Ok((Part::default(), told, None)) };
    let columns = match format {
        Format::Table => Columns::of(&first_line(&first.bytes)),
        _ => Columns::default(),
    };
    let mut part = Part::default();
    if format.may_be_whole() && is_part_of_a_document(&first.bytes) {
        let mut digester = Digester::new(reading);
        match cutter.whole(first.bytes)? {
            Some(bytes) => digester.line(&mut Reader::new(format, &columns), &bytes, 1),
            None => digester.part.bad.add(1, Bad::TooLong),
        }
        part = digester.part;
    } else {
        let shared = Mutex::new((cutter, Some(first), None::<io::Error>));
        let workers = std::thread::available_parallelism().map_or(1, usize::from);
        let parts: Vec<Part> = std::thread::scope(|scope| {
            let run = || {
                let (mut reader, mut digester) = (Reader::new(format, &columns), Digester::new(reading));
                let mut spare = Batch::default();
                loop {
                    let next = {
                        let mut shared = shared.lock().expect("nobody panics while holding it");
                        let (cutter, first, wrong) = &mut *shared;
                        match first.take() {
                            Some(first) => Some(first),
                            None if wrong.is_some() => None,
                            None => cutter.cut(std::mem::take(&mut spare)).unwrap_or_else(|error| {
                                *wrong = Some(error);
                                None
                            }),
                        }
                    };
                    let Some(batch) = next else { break digester.part };
                    digester.batch(&mut reader, &batch);
                    spare = batch;
                }
            };
            let others: Vec<_> = (1..workers).map(|_| scope.spawn(run)).collect();
            let own = run();
            let joined = others.into_iter().map(|it| it.join().expect("a reader of lines does not panic"));
            std::iter::once(own).chain(joined).collect()
        });
        for it in parts {
            part.merge(it);
        }
        let (read, _, wrong) = shared.into_inner().expect("nobody panicked while holding it");
        told.broke_off = wrong.map(|error| error.to_string());
        cutter = read;
    }
    part = beside(part);
    told.lines = part.lines;
    told.bad = part.bad.count;
    told.bad_lines = part.bad.told();
    told.twice = part.twice;
    Ok((part, told, Some(cutter.id())))
}

/// How much of a log is looked at to see its format.
const START: usize = 64 << 10;

fn first_line(bytes: &[u8]) -> String {
    let line = bytes.split(|byte| *byte == b'\n').map(<[u8]>::trim_ascii).find(|line| !line.is_empty());
    String::from_utf8_lossy(line.unwrap_or_default()).into_owned()
}

/// Whether the first line of a JSON text is no value by itself.
fn is_part_of_a_document(bytes: &[u8]) -> bool {
    let line = first_line(bytes);
    line.starts_with(['{', '[']) && serde_json::from_str::<serde::de::IgnoredAny>(&line).is_err()
}
