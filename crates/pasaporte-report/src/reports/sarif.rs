//! An audit as SARIF 2.1.0 (OASIS): rules with help, results with places, what is new against a saved audit, what is accepted,
//! and fixes that can be pasted. Results are written as they are told.

use std::collections::HashMap;
use std::io::{self, Write};

use pasaporte_audit::Severity;
use pasaporte_read::visible;
use serde::{Serialize, Serializer};
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
        self.findings.in_words(|all| serializer.collect_seq(all.map(|it| self.result(&it))))
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

impl<F> Results<'_, F> {
    fn result(&self, it: &FindingOut) -> Value {
        let mut result = json!({
            "ruleId": it.rule,
            "level": level(it.severity.0),
            "rank": rank(it.severity.0),
            "message": {"text": message(&it.situation)},
            "locations": [location(it.evidence.first(), Some(it))],
            "partialFingerprints": {"pasaporte/v1": it.fingerprint},
            "properties": {
                "severity": it.severity,
                "sureness": it.sureness,
                "impact": it.impact,
                "exposure": it.exposure,
                "environment": it.environment,
                "platform": it.platform,
                "account": it.account,
                "owner": it.owner,
                "functions": it.functions,
                "fix": it.fix,
                "beneath": it.beneath.iter().map(|it| &it.fingerprint).collect::<Vec<_>>(),
            },
        });
        let mut put = |key: &str, value: Value| result[key] = value;
        if let Some(at) = self.places.get(it.rule.as_ref()) {
            put("ruleIndex", json!(at));
        }
        let related: Vec<Value> = it.evidence.iter().skip(1).map(|seen| location(Some(seen), None)).collect();
        if !related.is_empty() {
            put("relatedLocations", related.into());
        }
        if let Some(since) = it.since {
            let state = match since {
                Standing::New => "new",
                Standing::Worse => "updated",
                Standing::Same => "unchanged",
            };
            put("baselineState", state.into());
        }
        if let Some(accepted) = it.accepted.as_ref().filter(|it| it.in_force) {
            let why = format!("{}, until {}: {}", accepted.owner, accepted.until, accepted.reason);
            let suppression =
                json!({"kind": "external", "status": "accepted", "justification": visible(&why)});
            put("suppressions", json!([suppression]));
        }
        if let Some(paste) = &it.paste {
            put("fixes", json!([fix(it, paste)]));
        }
        result
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

/// A place, and of the first one the thing.
fn location(seen: Option<&EvidenceOut>, of: Option<&FindingOut>) -> Value {
    let mut place = json!({});
    if let Some(seen) = seen {
        let mut region = json!({"startLine": seen.line});
        // In JSON columns are bytes, which are no code points.
        if is_yaml(&seen.file) {
            region["startColumn"] = json!(seen.column);
        }
        place["physicalLocation"] = json!({"artifactLocation": {"uri": uri(&seen.file)}, "region": region});
        if of.is_none() {
            place["message"] = json!({"text": message(&seen.what)});
        }
    }
    if let Some(of) = of {
        let kind = of.thing.split_once(':').map_or("estate", |(kind, _)| kind);
        place["logicalLocations"] =
            json!([{"fullyQualifiedName": visible(&of.thing), "kind": visible(kind)}]);
    }
    place
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
        "description": {"text": message(&it.fix)},
        "artifactChanges": [{
            "artifactLocation": {"uri": uri(&paste.file)},
            "replacements": [{"deletedRegion": region, "insertedContent": {"text": text}}],
        }],
    })
}

/// A text as a message: braces are placeholders there, and brackets links, unless they are escaped (§3.11).
fn message(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for each in visible(text).chars() {
        match each {
            '{' => out.push_str("{{"),
            '}' => out.push_str("}}"),
            '[' | ']' | '\\' => out.extend(['\\', each]),
            each => out.push(each),
        }
    }
    out
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
        assert_eq!(message("{0} [here](https://x.example)"), "{{0}} \\[here\\](https://x.example)");
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
