//! How fast logs are digested, beside the straightforward loop and bare parses, in one run.
//!
//! `cargo bench -p pasaporte-usage -- [LINES] [SEED] [ours]`; 5,000,000 lines if nothing is said, and nothing beside it with
//! `ours`, for a profiler.

use std::collections::{HashMap, HashSet};
use std::fmt::Write;
use std::path::Path;
use std::time::{Duration, Instant};

use pasaporte_core::estate::{Estate, MOST_CLIENTS};
use pasaporte_read::diagnostic::Diagnostics;
use pasaporte_read::estate::{Beside, load};
use pasaporte_read::seal::Seal;
use pasaporte_read::text::{Form, Source};
use pasaporte_usage::{Format, Input, Places, Secrets, Wanted, digest};
use serde::Deserialize;

const IDENTITIES: u64 = 20_000;
const TABLES: u64 = 50_000;
const ENDPOINTS: u64 = 5_000;

fn main() {
    let mut numbers = std::env::args().skip(1).filter_map(|it| it.parse::<u64>().ok());
    let (lines, seed) = (numbers.next().unwrap_or(5_000_000), numbers.next().unwrap_or(7));
    let estate = estate();
    if std::env::args().any(|it| it == "ours") {
        let plain = plain(lines, seed);
        let input = text(&plain);
        told("plain, digested", &plain, lines, || digested(&estate, &input, Format::Plain));
        return;
    }
    println!(
        "{lines} lines, {IDENTITIES} identities, {TABLES} tables, {ENDPOINTS} endpoints; medians of three"
    );
    let plain = plain(lines, seed);
    let naive = told("plain, the straightforward loop", &plain, lines, || {
        let mut rows: HashMap<(String, String, String), (u64, String, String)> = HashMap::new();
        for line in plain.lines() {
            let Ok(it) = serde_json::from_str::<Naive>(line) else { continue };
            let row =
                rows.entry((it.who, it.did, it.to)).or_insert_with(|| (0, it.time.clone(), it.time.clone()));
            row.0 += 1;
            if it.time < row.1 {
                row.1 = it.time;
            } else if it.time > row.2 {
                row.2 = it.time;
            }
        }
        rows.len()
    });
    let whole = told("plain, such a loop that tells the same", &plain, lines, || {
        let mut rows: HashMap<(String, String, String, String), Row> = HashMap::new();
        for line in plain.lines() {
            let Ok(it) = serde_json::from_str::<Whole>(line) else { continue };
            let row = rows.entry((it.who, it.did, it.to, it.outcome)).or_default();
            row.count += 1;
            if row.first.as_ref().is_none_or(|first| it.time < *first) {
                row.first = Some(it.time.clone());
            }
            if row.last.as_ref().is_none_or(|last| it.time > *last) {
                row.last = Some(it.time);
            }
            if row.clients.len() < MOST_CLIENTS {
                row.clients.insert(it.client);
            }
        }
        rows.len()
    });
    let input = text(&plain);
    let ours = told("plain, digested", &plain, lines, || digested(&estate, &input, Format::Plain));
    let times = |it: Duration| it.as_secs_f64() / ours.as_secs_f64();
    println!(
        "  {:.1} times as fast (mark: 5), {:.1} times the one that tells the same",
        times(naive),
        times(whole)
    );
    let access = access(lines / 4, seed);
    let split = told("access log, split at blanks and quotes", &access, lines / 4, || {
        access.lines().map(|line| line.split([' ', '"', '[', ']']).count()).sum()
    });
    let bare = told("access log, a bare typed parse", &access, lines / 4, || {
        access.lines().filter_map(Entry::parse).map(|it| usize::from(it.status)).sum()
    });
    let input = text(&access);
    let ours = told("access log, digested", &access, lines / 4, || digested(&estate, &input, Format::Access));
    let times = |it: Duration| it.as_secs_f64() / ours.as_secs_f64();
    println!("  {:.1} times as fast (mark: 1), {:.1} times the split", times(bare), times(split));
    let spans = spans(lines / 8, seed);
    let bare = told("OpenTelemetry, a bare typed parse", &spans, lines / 8, || {
        spans
            .lines()
            .filter_map(|line| serde_json::from_str::<Export<'_>>(line).ok())
            .map(|it| it.resource_spans.len())
            .sum()
    });
    let input = text(&spans);
    let ours = told("OpenTelemetry, digested", &spans, lines / 8, || {
        digested(&estate, &input, Format::OpenTelemetry)
    });
    println!("  {:.1} times as fast (mark: 1)", bare.as_secs_f64() / ours.as_secs_f64());
}

/// What somebody would write who has an hour.
#[derive(Deserialize)]
struct Naive {
    time: String,
    who: String,
    did: String,
    to: String,
}

/// What they would write who want to know what the digest tells.
#[derive(Deserialize)]
struct Whole {
    time: String,
    who: String,
    did: String,
    to: String,
    outcome: String,
    client: String,
}

/// What lines that are alike add up to.
#[derive(Default)]
struct Row {
    count: u64,
    first: Option<String>,
    last: Option<String>,
    clients: HashSet<String>,
}

/// A line of an access log, each field in a type of its own.
#[allow(dead_code, reason = "it is parsed, which is what is measured")]
struct Entry<'a> {
    host: &'a str,
    client: std::net::IpAddr,
    user: &'a str,
    time: jiff::Timestamp,
    method: &'a str,
    target: &'a str,
    status: u16,
    bytes: u64,
    agent: &'a str,
}

impl<'a> Entry<'a> {
    fn parse(line: &'a str) -> Option<Self> {
        let (before, rest) = line.split_once(" [")?;
        let (time, rest) = rest.split_once("] \"")?;
        let mut before = before.split(' ');
        let (host, client, _, user) = (before.next()?, before.next()?, before.next()?, before.next()?);
        let mut quoted = rest.split('"');
        let (request, numbers, _, _, agent) =
            (quoted.next()?, quoted.next()?, quoted.next()?, quoted.next()?, quoted.next()?);
        let mut request = request.split(' ');
        let mut numbers = numbers.trim().split(' ');
        Some(Self {
            host,
            client: client.parse().ok()?,
            user,
            time: jiff::fmt::strtime::parse("%d/%b/%Y:%H:%M:%S %z", time).ok()?.to_timestamp().ok()?,
            method: request.next()?,
            target: request.next()?,
            status: numbers.next()?.parse().ok()?,
            bytes: numbers.next()?.parse().ok()?,
            agent,
        })
    }
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Export<'a> {
    #[serde(borrow)]
    resource_spans: Vec<Resource<'a>>,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Resource<'a> {
    #[serde(borrow)]
    #[allow(dead_code, reason = "it is parsed, which is what is measured")]
    scope_spans: Vec<Scope<'a>>,
}

#[derive(Deserialize)]
struct Scope<'a> {
    #[serde(borrow)]
    #[allow(dead_code, reason = "it is parsed, which is what is measured")]
    spans: Vec<Span<'a>>,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
#[allow(dead_code, reason = "it is parsed, which is what is measured")]
struct Span<'a> {
    trace_id: &'a str,
    span_id: &'a str,
    kind: u8,
    start_time_unix_nano: &'a str,
    #[serde(borrow)]
    attributes: Vec<Attribute<'a>>,
}

#[derive(Deserialize)]
#[allow(dead_code, reason = "it is parsed, which is what is measured")]
struct Attribute<'a> {
    key: &'a str,
    #[serde(borrow)]
    value: Value<'a>,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
#[allow(dead_code, reason = "it is parsed, which is what is measured")]
struct Value<'a> {
    string_value: Option<&'a str>,
    int_value: Option<&'a str>,
}

/// The median time of three runs, told with what it means.
#[expect(clippy::cast_precision_loss, reason = "what is shown has three digits")]
fn told(what: &str, text: &str, lines: u64, run: impl Fn() -> usize) -> Duration {
    let mut times = Vec::new();
    let mut result = 0;
    for _ in 0..3 {
        let start = Instant::now();
        result = std::hint::black_box(run());
        times.push(start.elapsed());
    }
    times.sort_unstable();
    let seconds = times[1].as_secs_f64();
    let (millions, megabytes) = (lines as f64 / seconds / 1e6, text.len() as f64 / seconds / 1e6);
    println!("{what}: {seconds:.2} s, {millions:.2} M lines/s, {megabytes:.0} MB/s, {result}");
    times[1]
}

fn text(log: &str) -> Input {
    Input::Text(log.as_bytes().to_vec(), "log".to_owned())
}

fn digested(estate: &Estate, input: &Input, format: Format) -> usize {
    let seal = Seal::new(vec![7; 32]).expect("long enough");
    let wanted = Wanted { read_as: Some(format), covers: Vec::new(), host: None, until: i64::MAX };
    let made =
        digest(std::slice::from_ref(input), &Places::new(estate), &Secrets::new(estate, seal, &[]), &wanted);
    assert_eq!((made.told.unplaced, made.told.files[0].bad), (0, 0));
    made.told.rows
}

fn estate() -> Estate {
    let mut text = "{\"estate\":1}\n{\"scope\":{\"id\":\"pier\",\"kind\":\"account\"}}\n".to_owned();
    for number in 0..IDENTITIES {
        let _ = writeln!(
            text,
            "{{\"identity\":{{\"id\":\"role-{number}\",\"in\":\"pier\",\"kind\":\"execution-role\"}}}}"
        );
    }
    for number in 0..TABLES {
        let _ = writeln!(text, "{{\"resource\":{{\"id\":\"table:seats-{number}\",\"in\":\"pier\"}}}}");
    }
    for number in 0..ENDPOINTS {
        let _ = writeln!(
            text,
            "{{\"function\":{{\"id\":\"sail-{number}\",\"in\":\"pier\",\"endpoints\":[{{\"check\":\"none\",\"url\":\"https://h{}.marivela.example/sail/{number}\"}}]}}}}",
            number % 50
        );
    }
    let source = Source::Text {
        name: "a.ndjson".to_owned(),
        text,
        form: Form::of(Path::new("a.ndjson")).expect("a form"),
    };
    load(&[source], &Beside::default(), Diagnostics::default()).unwrap_or_else(|_| panic!("an estate"))
}

/// Numbers that look random, the same ones every time.
struct Numbers(u64);

impl Numbers {
    fn next(&mut self, below: u64) -> u64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % below
    }

    fn time(&mut self) -> (u64, u64, u64, u64, u64) {
        (self.next(3) + 9, self.next(28) + 1, self.next(24), self.next(60), self.next(60))
    }
}

fn plain(lines: u64, seed: u64) -> String {
    const ACTIONS: [&str; 6] =
        ["table/read", "table/write", "table/scan", "table/delete", "table/list", "table/put"];
    let mut numbers = Numbers(seed);
    let mut text = String::new();
    for _ in 0..lines {
        let (month, day, hour, minute, second) = numbers.time();
        let who = numbers.next(IDENTITIES);
        // Each role works with a few tables, so that lines are alike.
        let (did, to) = (ACTIONS[numbers.next(3) as usize * 2], (who * 7 + numbers.next(7)) % TABLES);
        let _ = writeln!(
            text,
            "{{\"time\":\"2026-{month:02}-{day:02}T{hour:02}:{minute:02}:{second:02}Z\",\"who\":\"identity:role-{who}\",\"did\":\"{did}\",\"to\":\"table:seats-{to}\",\"outcome\":\"allowed\",\"client\":\"10.12.{}.{}\"}}",
            numbers.next(40),
            numbers.next(250)
        );
    }
    text
}

fn access(lines: u64, seed: u64) -> String {
    let mut numbers = Numbers(seed);
    let mut text = String::new();
    for _ in 0..lines {
        let (_, day, hour, minute, second) = numbers.time();
        let endpoint = numbers.next(ENDPOINTS);
        let _ = writeln!(
            text,
            "h{}.marivela.example 203.0.113.{} - - [{day:02}/Nov/2026:{hour:02}:{minute:02}:{second:02} +0000] \"GET /sail/{endpoint} HTTP/1.1\" 200 {} \"-\" \"a browser of some sort (of a version)\"",
            endpoint % 50,
            numbers.next(250),
            numbers.next(9000)
        );
    }
    text
}

fn spans(spans: u64, seed: u64) -> String {
    let mut numbers = Numbers(seed);
    let mut text = String::new();
    let mut left = spans;
    while left > 0 {
        let some = left.min(10);
        left -= some;
        text.push_str("{\"resourceSpans\":[{\"resource\":{\"attributes\":[]},\"scopeSpans\":[{\"spans\":[");
        for place in 0..some {
            let endpoint = numbers.next(ENDPOINTS);
            let comma = if place > 0 { "," } else { "" };
            let _ = write!(
                text,
                "{comma}{{\"traceId\":\"{:016x}{:016x}\",\"spanId\":\"{:08x}{:08x}\",\"kind\":2,\"startTimeUnixNano\":\"1793{:06}000000000\",\"attributes\":[{{\"key\":\"http.request.method\",\"value\":{{\"stringValue\":\"GET\"}}}},{{\"key\":\"url.path\",\"value\":{{\"stringValue\":\"/sail/{endpoint}\"}}}},{{\"key\":\"server.address\",\"value\":{{\"stringValue\":\"h{}.marivela.example\"}}}},{{\"key\":\"http.response.status_code\",\"value\":{{\"intValue\":\"200\"}}}},{{\"key\":\"client.address\",\"value\":{{\"stringValue\":\"203.0.113.{}\"}}}}]}}",
                numbers.next(u64::MAX),
                numbers.next(u64::MAX),
                numbers.next(u64::MAX),
                left * 16 + place,
                numbers.next(999_999),
                endpoint % 50,
                numbers.next(250)
            );
        }
        text.push_str("]}]}]}\n");
    }
    text
}
