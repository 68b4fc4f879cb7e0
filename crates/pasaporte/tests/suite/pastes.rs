//! A fix that is shown as a line to paste ends its finding once it is pasted.

use std::fs;

use crate::support::Place;
use rstest::rstest;
use serde_json::Value;

/// Every finding of an audit, those beneath others in the place of those that lead them.
fn all(place: &Place, estate: &str) -> Vec<Value> {
    let audit = place.audit(&[estate]);
    let findings = audit["findings"].as_array().unwrap().clone();
    findings.iter().flat_map(|it| it["beneath"].as_array().unwrap().clone()).chain(findings.clone()).collect()
}

fn paste(place: &Place, paste: &Value) {
    let path = place.path().join(paste["file"].as_str().unwrap());
    let text = fs::read_to_string(&path).unwrap();
    let mut lines: Vec<&str> = text.split('\n').collect();
    let (at, reads) = (paste["line"].as_u64().unwrap() as usize - 1, paste["reads"].as_str().unwrap());
    match paste["was"].as_str() {
        Some(was) => {
            assert_eq!(lines[at], was, "it is the line that is there");
            lines[at] = reads;
        }
        None => lines.insert(at, reads),
    }
    fs::write(&path, lines.join("\n")).unwrap();
}

#[test]
fn every_paste_of_the_sample_estate_ends_its_finding() {
    let findings = all(&Place::with_demo(), "demo");
    let pasted: Vec<&Value> = findings.iter().filter(|it| it["paste"].is_object()).collect();
    assert!(pasted.len() > 15, "{}", pasted.len());
    let rules: std::collections::BTreeSet<&str> =
        pasted.iter().map(|it| it["rule"].as_str().unwrap()).collect();
    for rule in
        ["entry/anonymous-endpoint", "entry/anonymous-route", "entry/unpinned-source", "key/no-expiry"]
    {
        assert!(rules.contains(rule), "{rule}: {rules:?}");
    }
    for finding in pasted {
        let place = Place::with_demo();
        paste(&place, &finding["paste"]);
        let left = all(&place, "demo");
        assert!(
            left.iter().all(|it| it["fingerprint"] != finding["fingerprint"]),
            "{} on {} is still there after {}",
            finding["rule"],
            finding["thing"],
            finding["paste"]["reads"]
        );
    }
}

const AS_YAML: &str = "estate: 1
as_of: 2026-11-20
scopes: [{id: tides, kind: account}]
functions:
  - id: horn
    in: tides
    endpoints:
      - check: none
        url: https://tides.example/horn
    triggers: [{source: 'bucket:logs'}]
    invoke:
      - service:store
resources: [{id: 'bucket:logs', in: tides}]
";
const AS_JSON: &str = r#"{"estate": 1, "as_of": "2026-11-20", "scopes": [{"id": "tides", "kind": "account"}],
 "functions": [{"id": "horn", "in": "tides", "endpoints": [{"url": "https://tides.example/horn", "check": "none"}],
  "triggers": [{"source": "bucket:logs"}],
  "invoke": ["service:store"]}], "resources": [{"id": "bucket:logs", "in": "tides"}]}
"#;
const AS_LINES: &str = r#"{"estate": 1, "as_of": "2026-11-20"}
{"scope": {"id": "tides", "kind": "account"}}
{"function": {"id": "horn", "in": "tides", "triggers": [{"source": "bucket:logs"}]}}
{"endpoint": {"id": "horn/direct", "function": "horn", "check": "none"}}
{"invoke_permission": {"on": "function:horn", "to": "service:store"}}
{"resource": {"id": "bucket:logs", "in": "tides"}}
"#;

#[rstest]
#[case::yaml("a.yaml", AS_YAML)]
#[case::json("a.json", AS_JSON)]
#[case::lines("a.ndjson", AS_LINES)]
fn a_paste_is_in_the_form_of_its_file(#[case] file: &str, #[case] text: &str) {
    for rule in ["entry/anonymous-endpoint", "entry/unpinned-source"] {
        let place = Place::with(file, text);
        let before = all(&place, file);
        let finding =
            before.iter().find(|it| it["rule"] == rule).unwrap_or_else(|| panic!("{rule} in {before:?}"));
        paste(&place, &finding["paste"]);
        assert!(all(&place, file).iter().all(|it| it["rule"] != rule), "{}", finding["paste"]["reads"]);
    }
}

/// Where a check of identities would let the same in, it is no fix.
#[test]
fn what_would_not_end_it_is_not_offered() {
    let text = "estate: 1\nas_of: 2026-11-20\nfunctions: [{id: horn, endpoints: [{check: none}], invoke: [anyone]}]\n";
    let findings = all(&Place::with("a.yaml", text), "a.yaml");
    let open = findings.iter().find(|it| it["rule"] == "entry/anonymous-endpoint").unwrap();
    assert_eq!(open["paste"], Value::Null);
}
