//! OpenTelemetry, OTLP/JSON: log records and spans. Names of attributes are those of the semantic conventions, as they are
//! and as they were before (`http.method`, `http.target` …). Only what comes in is counted: spans of servers and consumers,
//! not those of calls that code makes.

use std::borrow::Cow;

use serde::Deserialize;

use super::json::Scalar;
use super::{Bad, Take};
use crate::event::{Credential, Event, In};
use crate::time::{nanoseconds, rfc3339};

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Export<'a> {
    #[serde(borrow, default, alias = "resource_logs")]
    resource_logs: Vec<ResourceLogs<'a>>,
    #[serde(borrow, default, alias = "resource_spans")]
    resource_spans: Vec<ResourceSpans<'a>>,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct ResourceLogs<'a> {
    #[serde(borrow, default)]
    resource: Resource<'a>,
    #[serde(borrow, default, alias = "scope_logs")]
    scope_logs: Vec<ScopeLogs<'a>>,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct ScopeLogs<'a> {
    #[serde(borrow, default, alias = "log_records")]
    log_records: Vec<Record<'a>>,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct ResourceSpans<'a> {
    #[serde(borrow, default)]
    resource: Resource<'a>,
    #[serde(borrow, default, alias = "scope_spans")]
    scope_spans: Vec<ScopeSpans<'a>>,
}

#[derive(Deserialize)]
struct ScopeSpans<'a> {
    #[serde(borrow, default)]
    spans: Vec<Span<'a>>,
}

#[derive(Deserialize, Default)]
struct Resource<'a> {
    #[serde(borrow, default)]
    attributes: Vec<Attribute<'a>>,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Record<'a> {
    #[serde(borrow, default, alias = "time_unix_nano")]
    time_unix_nano: Scalar<'a>,
    #[serde(borrow, default, alias = "observed_time_unix_nano")]
    observed_time_unix_nano: Scalar<'a>,
    #[serde(borrow, default)]
    attributes: Vec<Attribute<'a>>,
    #[serde(borrow, default)]
    body: Value<'a>,
    #[serde(borrow, default, alias = "trace_id")]
    trace_id: Scalar<'a>,
    #[serde(borrow, default, alias = "span_id")]
    span_id: Scalar<'a>,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Span<'a> {
    #[serde(borrow, default)]
    kind: Scalar<'a>,
    #[serde(borrow, default, alias = "start_time_unix_nano")]
    start_time_unix_nano: Scalar<'a>,
    #[serde(borrow, default)]
    attributes: Vec<Attribute<'a>>,
    #[serde(borrow, default, alias = "trace_id")]
    trace_id: Scalar<'a>,
    #[serde(borrow, default, alias = "span_id")]
    span_id: Scalar<'a>,
}

#[derive(Deserialize)]
struct Attribute<'a> {
    #[serde(borrow)]
    key: Cow<'a, str>,
    #[serde(borrow, default)]
    value: Value<'a>,
}

/// A value, of which only texts, numbers and the first of several are of use.
#[derive(Deserialize, Default)]
#[serde(rename_all = "camelCase")]
struct Value<'a> {
    #[serde(
        borrow,
        default,
        alias = "string_value",
        alias = "intValue",
        alias = "int_value",
        alias = "boolValue"
    )]
    string_value: Scalar<'a>,
    #[serde(borrow, default, alias = "array_value")]
    array_value: Option<Values<'a>>,
}

#[derive(Deserialize, Default)]
struct Values<'a> {
    #[serde(borrow, default)]
    values: Vec<Scalars<'a>>,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Scalars<'a> {
    #[serde(borrow, default, alias = "string_value")]
    string_value: Scalar<'a>,
}

impl Value<'_> {
    fn text(&self) -> Option<&str> {
        let first = || self.array_value.as_ref()?.values.first()?.string_value.text();
        self.string_value.text().or_else(first)
    }
}

/// Reads an export: one line, or one document.
pub(super) fn read(text: &str, take: &mut dyn Take) -> Result<(), Bad> {
    let export: Export<'_> = serde_json::from_str(text).map_err(|_| Bad::NotOfTheFormat)?;
    if export.resource_logs.is_empty() && export.resource_spans.is_empty() {
        return Err(Bad::NotOfTheFormat);
    }
    let mut wrong = Ok(());
    for logs in &export.resource_logs {
        for record in logs.scope_logs.iter().flat_map(|scope| &scope.log_records) {
            wrong = wrong.and(log_record(&logs.resource, record, take));
        }
    }
    for spans in &export.resource_spans {
        for span in spans.scope_spans.iter().flat_map(|scope| &scope.spans) {
            wrong = wrong.and(of_span(&spans.resource, span, take));
        }
    }
    wrong
}

fn time(scalar: &Scalar<'_>) -> Option<i64> {
    let text = scalar.text()?;
    text.parse().ok().and_then(nanoseconds).or_else(|| rfc3339(text))
}

fn log_record(resource: &Resource<'_>, record: &Record<'_>, take: &mut dyn Take) -> Result<(), Bad> {
    let at =
        time(&record.time_unix_nano).or_else(|| time(&record.observed_time_unix_nano)).ok_or(Bad::NoTime)?;
    let mut path = None;
    let mut event = event(resource, &record.attributes, at, &mut path);
    event.id = ids(&record.trace_id, &record.span_id).filter(|_| event.path.is_some() || path.is_some());
    event.text = record.body.text();
    event.path = event.path.or(path.as_deref());
    if event.is_empty() { Err(Bad::SaysNothing) } else { take.event(&event) }
}

fn of_span(resource: &Resource<'_>, span: &Span<'_>, take: &mut dyn Take) -> Result<(), Bad> {
    // 2 and 5 are what comes in (opentelemetry.proto.trace.v1.Span.SpanKind); an inner one is no call.
    if !matches!(span.kind.text(), Some("2" | "5" | "SPAN_KIND_SERVER" | "SPAN_KIND_CONSUMER")) {
        return Ok(());
    }
    let at = time(&span.start_time_unix_nano).ok_or(Bad::NoTime)?;
    let mut path = None;
    let mut event = event(resource, &span.attributes, at, &mut path);
    event.id = ids(&span.trace_id, &span.span_id);
    event.path = event.path.or(path.as_deref());
    if event.is_empty() { Err(Bad::SaysNothing) } else { take.event(&event) }
}

fn ids<'a>(trace: &'a Scalar<'_>, span: &'a Scalar<'_>) -> Option<(&'a str, &'a str)> {
    Some((trace.text()?, span.text()?))
}

/// What attributes say; a path and a query that stand apart are put together in `path`.
fn event<'a>(
    resource: &'a Resource<'_>,
    attributes: &'a [Attribute<'_>],
    at: i64,
    path: &mut Option<String>,
) -> Event<'a> {
    let mut event = Event { first: Some(at), last: Some(at), ..Event::default() };
    let (mut bare, mut query, mut trigger, mut user) = (None, None, None, None);
    let mut peer = None;
    for attribute in resource.attributes.iter().chain(attributes) {
        let Some(value) = attribute.value.text() else { continue };
        match &*attribute.key {
            "http.request.method" | "http.method" => event.method = Some(value),
            "http.response.status_code" | "http.status_code" => event.status = value.parse().ok(),
            "url.path" => bare = Some(value),
            "url.query" => query = Some(value),
            "http.target" => event.path = Some(value),
            "url.full" | "http.url" => {
                let rest = value.split_once("://").map_or(value, |(_, rest)| rest);
                let slash = rest.find('/').unwrap_or(rest.len());
                event.host = event.host.or(Some(&rest[..slash]));
                event.path = event.path.or(Some(if slash == rest.len() { "/" } else { &rest[slash..] }));
            }
            "server.address" | "http.host" | "net.host.name" => event.host = Some(value),
            "client.address" | "http.client_ip" => event.client = Some(value),
            "network.peer.address" | "net.peer.ip" | "net.sock.peer.addr" => peer = Some(value),
            "enduser.id" | "user.id" => user = Some(value),
            "faas.name" => event.function = Some(value),
            "faas.trigger" => trigger = Some(value),
            "faas.document.name" | "messaging.destination.name" => event.through = Some(value),
            key => {
                if let Some(name) = key.strip_prefix("http.request.header.") {
                    event.credentials.push(Credential { place: In::Header, name, value });
                }
            }
        }
    }
    event.user = user;
    event.client = event.client.or(peer);
    if let Some(bare) = bare {
        match query {
            Some(query) => *path = Some(format!("{bare}?{}", query.trim_start_matches('?'))),
            None => event.path = Some(bare),
        }
        if path.is_some() {
            event.path = None;
        }
    }
    // What runs on something else than a call, in the words of the OpenTelemetry conventions for `faas.trigger`.
    if matches!(trigger, Some("pubsub" | "timer" | "datasource")) {
        event.did = Some(pasaporte_core::access::INVOKE);
        event.to = event.function;
        if let (Some("timer"), None) = (trigger, event.through) {
            event.through = Some("timer");
        }
    }
    event
}
