//! An audit as SARIF 2.1.0 (OASIS): rules with help, results with places, what is new against a saved audit, what is accepted,
//! and fixes that can be pasted. Results are written as they are told.

use std::collections::HashMap;
use std::io::{self, Write};

use pasaporte_audit::{Impact, Severity, Sureness};
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::Environment;
use pasaporte_read::estate::Word;
use pasaporte_read::visible;
use serde::ser::{Error as _, SerializeSeq as _};
use serde::{Serialize, Serializer};
use serde_json::value::to_raw_value;
use serde_json::{Value, json};

use crate::audit::{InWords, Report};
use crate::finding::{EvidenceOut, FindingOut, PasteOut, Standing};
use crate::rules::RuleOut;

const SCHEMA: &str =
    "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json";

pub(super) fn write<F: InWords>(report: &Report<F>, out: &mut dyn Write) -> io::Result<()> {
    let places = report.rules.iter().enumerate().map(|(at, rule)| (rule.id.as_ref(), at)).collect();
    let log = Log {
        schema: SCHEMA,
        version: "2.1.0",
        runs: [Run {
            tool: json!({"driver": {
                "name": report.tool.name,
                "semanticVersion": report.tool.version,
                "rules": report.rules.iter().map(rule).collect::<Vec<Value>>(),
            }}),
            column_kind: "unicodeCodePoints",
            results: Results { findings: &report.findings, places },
            properties: json!({
                "asOf": report.looked_at.as_of,
                "blindSpots": report.looked_at.blind_spots,
                "things": report.looked_at.things,
            }),
        }],
    };
    serde_json::to_writer(&mut *out, &log)?;
    out.write_all(b"\n")
}

#[derive(Serialize)]
#[serde(bound = "")]
struct Log<'r, F: InWords> {
    #[serde(rename = "$schema")]
    schema: &'static str,
    version: &'static str,
    runs: [Run<'r, F>; 1],
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase", bound = "")]
struct Run<'r, F: InWords> {
    tool: Value,
    column_kind: &'static str,
    results: Results<'r, F>,
    properties: Value,
}

struct Results<'r, F> {
    findings: &'r F,
    /// The places of rules, by id.
    places: HashMap<&'r str, usize>,
}

impl<F: InWords> Serialize for Results<'_, F> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let places = &self.places;
        let make = |it: &FindingOut| to_raw_value(&outcome(it, places.get(it.rule.as_ref()).copied()));
        self.findings.made(make, |all| {
            let mut list = serializer.serialize_seq(Some(self.findings.number()))?;
            for result in all {
                list.serialize_element(&result.map_err(S::Error::custom)?)?;
            }
            list.end()
        })
    }
}

fn rule(rule: &RuleOut) -> Value {
    let help = format!("{} {}", rule.fix, rule.check);
    json!({
        "id": rule.id,
        "name": rule.id.split(['/', '-']).map(capital).collect::<String>(),
        "shortDescription": {"text": rule.title},
        "fullDescription": {"text": rule.why},
        "help": {"text": help},
        "properties": {"tags": rule.references},
    })
}

fn capital(word: &str) -> String {
    let mut letters = word.chars();
    letters.next().map_or_else(String::new, |first| first.to_uppercase().chain(letters).collect())
}

/// A result (§3.27).
#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Outcome<'f> {
    rule_id: &'f str,
    #[serde(skip_serializing_if = "Option::is_none")]
    rule_index: Option<usize>,
    level: &'static str,
    rank: u8,
    message: Message,
    locations: [Location; 1],
    #[serde(skip_serializing_if = "Vec::is_empty")]
    related_locations: Vec<Location>,
    partial_fingerprints: Fingerprints<'f>,
    #[serde(skip_serializing_if = "Option::is_none")]
    baseline_state: Option<&'static str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    suppressions: Option<Value>,
    #[serde(skip_serializing_if = "Option::is_none")]
    fixes: Option<Value>,
    properties: Properties<'f>,
}

#[derive(Serialize)]
struct Message {
    text: String,
}

#[derive(Serialize)]
struct Fingerprints<'f> {
    #[serde(rename = "pasaporte/v1")]
    first: &'f str,
}

/// What the standard has no place for.
#[derive(Serialize)]
struct Properties<'f> {
    severity: Word<Severity>,
    sureness: Word<Sureness>,
    impact: Option<Word<Impact>>,
    exposure: Option<Word<Exposure>>,
    environment: Option<Word<Environment>>,
    platform: Option<&'f str>,
    account: Option<&'f str>,
    owner: Option<&'f str>,
    functions: &'f [String],
    fix: &'f str,
    beneath: Vec<&'f str>,
}

/// A place (§3.28).
#[derive(Serialize, Default)]
#[serde(rename_all = "camelCase")]
struct Location {
    #[serde(skip_serializing_if = "Option::is_none")]
    physical_location: Option<Physical>,
    #[serde(skip_serializing_if = "Option::is_none")]
    logical_locations: Option<[Logical; 1]>,
    #[serde(skip_serializing_if = "Option::is_none")]
    message: Option<Message>,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Physical {
    artifact_location: Artifact,
    region: Region,
}

#[derive(Serialize)]
struct Artifact {
    uri: String,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Region {
    start_line: u32,
    #[serde(skip_serializing_if = "Option::is_none")]
    start_column: Option<u32>,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Logical {
    fully_qualified_name: String,
    kind: String,
}

fn outcome(it: &FindingOut, rule_index: Option<usize>) -> Outcome<'_> {
    let accepted = it.accepted.as_ref().filter(|it| it.in_force);
    Outcome {
        rule_id: &it.rule,
        rule_index,
        level: level(it.severity.0),
        rank: rank(it.severity.0),
        message: message(&it.situation),
        locations: [Location {
            logical_locations: Some([logical(&it.thing)]),
            ..it.evidence.first().map(place).unwrap_or_default()
        }],
        related_locations: it
            .evidence
            .iter()
            .skip(1)
            .map(|seen| Location { message: Some(message(&seen.what)), ..place(seen) })
            .collect(),
        partial_fingerprints: Fingerprints { first: &it.fingerprint },
        baseline_state: it.since.map(|since| match since {
            Standing::New => "new",
            Standing::Worse => "updated",
            Standing::Same => "unchanged",
        }),
        suppressions: accepted.map(|it| {
            let why = format!("{}, until {}: {}", it.owner, it.until, it.reason);
            json!([{"kind": "external", "status": "accepted", "justification": visible(&why)}])
        }),
        fixes: it.paste.as_ref().map(|paste| json!([fix(it, paste)])),
        properties: Properties {
            severity: it.severity,
            sureness: it.sureness,
            impact: it.impact,
            exposure: it.exposure,
            environment: it.environment,
            platform: it.platform.as_deref(),
            account: it.account.as_deref(),
            owner: it.owner.as_deref(),
            functions: &it.functions,
            fix: &it.fix,
            beneath: it.beneath.iter().map(|it| it.fingerprint.as_str()).collect(),
        },
    }
}

/// How severe, in the words of the standard.
fn level(severity: Severity) -> &'static str {
    match severity {
        Severity::Critical | Severity::High => "error",
        Severity::Medium => "warning",
        Severity::Low | Severity::Info => "note",
    }
}

/// What to look at first, of a hundred.
fn rank(severity: Severity) -> u8 {
    match severity {
        Severity::Critical => 95,
        Severity::High => 75,
        Severity::Medium => 50,
        Severity::Low => 25,
        Severity::Info => 5,
    }
}

fn place(seen: &EvidenceOut) -> Location {
    // In JSON columns are bytes, which are no code points.
    let start_column = is_yaml(&seen.file).then_some(seen.column);
    let region = Region { start_line: seen.line, start_column };
    let artifact_location = Artifact { uri: uri(&seen.file) };
    Location { physical_location: Some(Physical { artifact_location, region }), ..Location::default() }
}

fn logical(thing: &str) -> Logical {
    let kind = thing.split_once(':').map_or("estate", |(kind, _)| kind);
    Logical { fully_qualified_name: visible(thing), kind: visible(kind) }
}

fn is_yaml(file: &str) -> bool {
    let ending = file.rsplit('.').next().unwrap_or_default().to_lowercase();
    ending == "yaml" || ending == "yml"
}

fn fix(it: &FindingOut, paste: &PasteOut) -> Value {
    let (end, text) = if let Some(was) = &paste.was {
        (was.chars().count() + 1, paste.reads.clone())
    } else {
        // A new line before this one.
        (1, format!("{}\n", paste.reads))
    };
    let region = json!({"startLine": paste.line, "startColumn": 1, "endColumn": end});
    json!({
        "description": message(&it.fix),
        "artifactChanges": [{
            "artifactLocation": {"uri": uri(&paste.file)},
            "replacements": [{"deletedRegion": region, "insertedContent": {"text": text}}],
        }],
    })
}

/// A text as a message: braces are placeholders there, and brackets links, unless they are escaped (§3.11).
fn message(text: &str) -> Message {
    let text = visible(text);
    if !text.contains(['{', '}', '[', ']', '\\']) {
        return Message { text };
    }
    let mut out = String::with_capacity(text.len());
    for each in text.chars() {
        match each {
            '{' => out.push_str("{{"),
            '}' => out.push_str("}}"),
            '[' | ']' | '\\' => out.extend(['\\', each]),
            each => out.push(each),
        }
    }
    Message { text: out }
}

/// The path of a file as a URI reference (RFC 3986).
fn uri(file: &str) -> String {
    use std::fmt::Write as _;
    let file = file.replace('\\', "/");
    let mut out = String::new();
    if file.starts_with('/') {
        out.push_str("file://");
    }
    for byte in file.bytes() {
        if byte.is_ascii_alphanumeric() || b"-._~/".contains(&byte) {
            out.push(char::from(byte));
        } else {
            let _ = write!(out, "%{byte:02X}");
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_in_a_text_is_a_link_or_a_placeholder() {
        assert_eq!(message("{0} [here](https://x.example)").text, "{{0}} \\[here\\](https://x.example)");
    }

    #[test]
    fn a_path_is_a_uri_whatever_stands_in_it() {
        for (file, told) in [
            ("estate/a.yaml", "estate/a.yaml"),
            ("a b#c?.yaml", "a%20b%23c%3F.yaml"),
            ("/estate/ñ.yaml", "file:///estate/%C3%B1.yaml"),
            ("c:x.yaml", "c%3Ax.yaml"),
        ] {
            assert_eq!(uri(file), told);
        }
    }
}
