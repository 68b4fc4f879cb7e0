//! The audit as users and pipelines run it, on the sample estate and on small ones.

use std::collections::BTreeMap;

use crate::support::{Place, demo, findings, with_beneath};
use rstest::rstest;
use serde_json::Value;

fn demo_audit(args: &[&str]) -> Value {
    let folder = demo();
    let all: Vec<&str> = [folder.to_str().unwrap()].into_iter().chain(args.iter().copied()).collect();
    Place::new().audit(&all)
}

#[test]
fn the_sample_estate_is_as_large_as_it_should_be() {
    let audit = demo_audit(&[]);
    let things = &audit["looked_at"]["things"];
    assert!(things["functions"].as_u64().unwrap() >= 45, "{things}");
    assert!(things["identities"].as_u64().unwrap() >= 25, "{things}");
    assert!(things["keys"].as_u64().unwrap() >= 30, "{things}");
    let accounts = audit["looked_at"]["accounts"].as_array().unwrap();
    let mut platforms: Vec<&str> =
        accounts.iter().filter_map(|account| account["platform"].as_str()).collect();
    platforms.dedup();
    assert_eq!(platforms, ["gregal", "lebeche", "levante", "poniente", "siroco", "tramontana"]);
}

/// The truth of the sample world: every flaw and near miss that was planted, in `demo.truth.csv` beside it.
fn truth() -> Vec<[String; 4]> {
    let text = std::fs::read_to_string(crate::support::demo().join("../demo.truth.csv")).unwrap();
    let mut reader = csv::Reader::from_reader(text.as_bytes());
    assert_eq!(reader.headers().unwrap(), vec!["label", "rule", "thing", "severity"]);
    let of = |row: csv::StringRecord| [0, 1, 2, 3].map(|at| row[at].to_owned());
    reader.records().map(|row| of(row.unwrap())).collect()
}

#[test]
fn all_that_was_planted_is_found_and_nothing_else_that_matters() {
    let audit = demo_audit(&[]);
    let of = |it: &Value| ["rule", "thing", "severity"].map(|field| it[field].as_str().unwrap().to_owned());
    let found: Vec<[String; 3]> = with_beneath(&audit).into_iter().map(of).collect();
    let truth = truth();
    for [label, rule, thing, severity] in &truth {
        let here = found.iter().filter(|it| it[0] == *rule && it[1] == *thing);
        let levels: Vec<&String> = here.map(|it| &it[2]).collect();
        match label.as_str() {
            "flaw" => assert!(levels.contains(&severity), "{rule} on {thing}: {levels:?}, not {severity}"),
            "near miss" => assert!(levels.is_empty(), "{rule} on {thing}: {levels:?}"),
            other => panic!("{other} is no label"),
        }
    }
    for finding in audit["findings"].as_array().unwrap() {
        let [rule, thing, severity] = of(finding);
        let is_planted =
            truth.iter().any(|it| it[0] == "flaw" && it[1] == rule && it[2] == thing && it[3] == severity);
        assert!(is_planted || matches!(severity.as_str(), "low" | "info"), "{rule} on {thing}, {severity}");
    }
    // Every rule that a person's estate can break has a flaw.
    for rule in audit["rules"].as_array().unwrap() {
        let id = rule["id"].as_str().unwrap();
        let never = matches!(id, "blind/unbounded-question" | "blind/same-logs" | "blind/other-seal");
        assert!(never || truth.iter().any(|it| it[0] == "flaw" && it[1] == id), "{id} has no flaw");
    }
}

#[test]
fn json_is_valid_against_its_own_schema() {
    let schema = Place::new().run(&["schema", "audit"]);
    let schema: Value = serde_json::from_str(&schema.out).unwrap();
    let validator = jsonschema::validator_for(&schema).unwrap();
    let audit = demo_audit(&[]);
    let errors: Vec<String> = validator.iter_errors(&audit).map(|error| error.to_string()).collect();
    assert!(errors.is_empty(), "{errors:?}");
    // The schema can fail: a finding without a severity is none.
    let mut broken = audit;
    broken["findings"][0].as_object_mut().unwrap().remove("severity");
    assert!(!validator.is_valid(&broken));
}

#[test]
fn ten_runs_give_the_same_bytes() {
    let place = Place::with_demo();
    let first = place.run(&["audit", "demo", "--format", "json"]).out;
    assert!(first.len() > 10_000);
    for _ in 1..10 {
        assert_eq!(place.run(&["audit", "demo", "--format", "json"]).out, first);
    }
}

#[test]
fn the_order_of_files_does_not_matter() {
    let place = Place::with_demo();
    let mut files: Vec<String> = std::fs::read_dir(place.path().join("demo"))
        .unwrap()
        .map(|entry| format!("demo/{}", entry.unwrap().file_name().to_str().unwrap()))
        .collect();
    files.sort();
    let whole = place.run(&["audit", "demo", "--format", "json"]).out;
    for turn in 0..files.len() {
        files.rotate_left(1);
        if turn % 2 == 0 {
            files.reverse();
        }
        let args: Vec<&str> =
            ["audit", "--format", "json"].into_iter().chain(files.iter().map(String::as_str)).collect();
        assert_eq!(place.run(&args).out, whole, "{files:?}");
    }
    // A file that is named twice, by itself and by its folder, is read once.
    assert_eq!(place.run(&["audit", "demo", "demo/levante.yaml", "--format", "json"]).out, whole);
}

fn fingerprints(audit: &Value) -> BTreeMap<String, String> {
    let findings = audit["findings"].as_array().unwrap();
    let pair = |finding: &Value| {
        let text = |field: &str| finding[field].as_str().unwrap().to_owned();
        (text("fingerprint"), format!("{} {}", text("rule"), text("thing")))
    };
    findings.iter().map(pair).collect()
}

#[test]
fn fingerprints_survive_reordering_and_unrelated_edits() {
    let estate = |more: &str, first: bool| {
        let function = "  - {id: seat-map, endpoints: [{check: none}], runs_as: role}\n";
        let functions = if first { format!("{function}{more}") } else { format!("{more}{function}") };
        format!(
            "estate: 1\nas_of: 2026-11-20\nfunctions:\n{functions}identities:\n  - id: role\n    kind: execution-role\n    \
             grants: [{{statements: [\"allow table/*\"]}}]\n"
        )
    };
    let place = Place::with("a.yaml", estate("", true));
    let before = fingerprints(&place.audit(&["a.yaml"]));
    assert!(before.len() >= 2, "{before:?}");
    let more = "  # A comment, and another function.\n  - {id: other, owner: crew, runs_as: role, endpoints: [{check: identity}]}\n";
    for first in [true, false] {
        place.write("a.yaml", estate(more, first));
        let after = fingerprints(&place.audit(&["a.yaml"]));
        for (fingerprint, finding) in &before {
            assert_eq!(after.get(fingerprint), Some(finding));
        }
    }
}

#[test]
fn fingerprints_tell_findings_apart() {
    let audit = demo_audit(&[]);
    assert_eq!(fingerprints(&audit).len(), audit["findings"].as_array().unwrap().len());
}

#[test]
fn findings_come_worst_first_with_evidence_and_fix() {
    let audit = demo_audit(&[]);
    let rank = |finding: &Value| {
        let levels = ["critical", "high", "medium", "low", "info"];
        levels.iter().position(|level| *level == finding["severity"]).unwrap()
    };
    let all = audit["findings"].as_array().unwrap();
    assert!(all.windows(2).all(|pair| rank(&pair[0]) <= rank(&pair[1])));
    for finding in all {
        let evidence = finding["evidence"].as_array().unwrap();
        assert!(!evidence.is_empty(), "{finding}");
        assert!(evidence.iter().all(|each| each["line"].as_u64().unwrap() > 1), "{finding}");
        for field in ["situation", "fix"] {
            let text = finding[field].as_str().unwrap();
            assert!(text.ends_with('.') && text.len() > 15, "{field}: {text}");
        }
    }
    let counts = audit["counts"].as_object().unwrap();
    let sum: u64 = counts.values().map(|count| count.as_u64().unwrap()).sum();
    assert_eq!(sum as usize, all.len());
}

#[test]
fn the_same_estate_in_every_form_comes_to_the_same() {
    let yaml = "estate: 1
as_of: 2026-11-20
scopes: [{id: tickets, kind: account, platform: levante}]
functions:
  - id: sell-ticket
    in: tickets
    runs_as: role
    endpoints: [{check: none, network: internet}]
    invoke: [{to: service:object-store}]
identities:
  - {id: role, in: tickets, kind: execution-role, grants: [{statements: [\"allow table/*\"], at: account:tickets}]}
keys:
  - {id: k, opens: account:tickets, reach: app, created: 2024-01-01}
";
    let json = r#"{"estate": 1, "as_of": "2026-11-20T00:00:00Z",
"scopes": [{"id": "tickets", "kind": "account", "platform": "levante"}],
"functions": [{"id": "sell-ticket", "in": "tickets", "runs_as": "role"}],
"endpoints": [{"function": "sell-ticket", "check": "none"}],
"invoke_permissions": [{"on": "function:sell-ticket", "to": ["service:object-store"], "allow": "function/invoke"}],
"identities": [{"id": "role", "in": "tickets", "kind": "execution-role"}],
"grants": [{"to": "identity:role", "statements": [{"allow": ["table/*"], "on": ["*"]}], "at": "account:tickets"}],
"keys": [{"id": "k", "opens": "account:tickets", "reach": "app", "created": "2024-01-01T00:00:00Z"}]}"#;
    let lines = r#"{"estate": 1, "as_of": "2026-11-20"}
{"key": {"id": "k", "opens": "account:tickets", "reach": "app", "created": "2024-01-01"}}
{"grant": {"to": "identity:role", "set": "tables", "at": "account:tickets"}}
{"function": {"id": "sell-ticket", "in": "tickets", "runs_as": "role", "endpoints": [{"check": "none"}], "invoke": ["service:object-store"]}}
{"permission_set": {"id": "tables", "statements": ["allow table/*"]}}
{"identity": {"id": "role", "in": "tickets", "kind": "execution-role"}}
{"scope": {"id": "tickets", "kind": "account", "platform": "levante"}}
"#;
    let place = Place::new();
    place.write("a.yaml", yaml);
    place.write("a.json", json);
    place.write("a.ndjson", lines);
    let sorted = |file: &str| {
        let mut all = findings(&place.audit(&[file]));
        all.sort();
        all
    };
    let expected = sorted("a.yaml");
    assert_eq!(expected.len(), 5, "{expected:?}");
    assert_eq!(sorted("a.json"), expected);
    assert_eq!(sorted("a.ndjson"), expected);
    for (form, text) in [("yaml", yaml), ("json", json), ("ndjson", lines)] {
        let run = place.run_with(&["audit", "-", "--format", "json"], text);
        let mut all = findings(&serde_json::from_str(&run.out).unwrap());
        all.sort();
        assert_eq!(all, expected, "{form} from standard input");
    }
}

#[rstest]
#[case(&["--fail-on", "critical"], 1)]
#[case(&["--fail-on", "info"], 1)]
#[case(&["--fail-on", "critical", "--only", "key/no-expiry"], 0)]
#[case(&["--strict"], 3)]
#[case(&["--strict", "--fail-on", "high"], 1)]
#[case(&["--strict", "--only", "key/stale"], 3)]
#[case(&[], 0)]
fn exit_codes_are_as_documented(#[case] args: &[&str], #[case] expected: i32) {
    let folder = demo();
    let all: Vec<&str> =
        ["audit", folder.to_str().unwrap()].into_iter().chain(args.iter().copied()).collect();
    assert_eq!(Place::new().run(&all).code, expected);
}

#[rstest]
#[case(&["--only", "key/*"], &["key"])]
#[case(&["--only", "key/stale,trust/anyone"], &["trust", "key"])]
#[case(&["--only", "key/*", "--only", "trust/*", "--skip", "key/*"], &["trust"])]
#[case(&["--skip", "[egikt]*", "--skip", "*/[a-z]*"], &[])]
fn rules_are_chosen_by_pattern(#[case] args: &[&str], #[case] families: &[&str]) {
    let folder = demo();
    let mut all = vec!["audit", folder.to_str().unwrap(), "--format", "json"];
    all.extend(args);
    let run = Place::new().run(&all);
    if families.is_empty() {
        // Brackets are no wildcards here, so these match no rule, and that is said.
        assert_eq!(run.code, 2);
        assert!(run.err.contains("no rule matches"));
        return;
    }
    let mut found: Vec<String> = findings(&serde_json::from_str(&run.out).unwrap())
        .into_iter()
        .map(|(rule, _)| rule.split('/').next().unwrap().to_owned())
        .collect();
    found.sort();
    found.dedup();
    let mut expected: Vec<&str> = families.to_vec();
    expected.sort_unstable();
    assert_eq!(found, expected);
}

#[test]
fn a_rule_with_a_slip_in_it_is_not_silently_left_out() {
    let run = Place::with("a.yaml", "estate: 1\n").run(&["audit", "a.yaml", "--only", "key/stal"]);
    assert_eq!(run.code, 2);
    assert!(run.err.contains("no rule matches `key/stal`"), "{}", run.err);
    assert!(run.err.contains("did you mean key/stale?"), "{}", run.err);
}

#[test]
fn ages_are_judged_by_the_estate_or_by_the_time_asked_for() {
    let text = "estate: 1\nas_of: 2026-01-10\nfunctions: [{id: f}]\nkeys:\n  \
                - {id: k, opens: function:f, reach: function, created: 2026-01-01}\n";
    let place = Place::with("a.yaml", text);
    assert_eq!(findings(&place.audit(&["a.yaml"])), []);
    let later = findings(&place.audit(&["a.yaml", "--as-of", "2026-12-31"]));
    assert_eq!(later, [("key/stale".to_owned(), "key:k".to_owned())]);
    place.write("a.yaml", text.replace("as_of: 2026-01-10\n", ""));
    let unknown = findings(&place.audit(&["a.yaml"]));
    assert_eq!(unknown, [("blind/unknown-age".to_owned(), "estate".to_owned())]);
    assert_eq!(place.run(&["audit", "a.yaml", "--as-of", "someday"]).code, 2);
}

#[test]
fn text_fits_the_page_and_carries_no_colour_into_a_pipe() {
    let folder = demo();
    for width in [80, 100, 140] {
        let run =
            Place::new().run(&["audit", folder.to_str().unwrap(), "--all", "--width", &width.to_string()]);
        assert!(!run.out.contains('\u{1b}'));
        for line in run.out.lines() {
            // A path may be longer than the page; nothing else is.
            let fits = line.chars().count() <= width || line.contains(folder.to_str().unwrap());
            assert!(fits, "{width}: {line}");
        }
    }
}

#[test]
fn colour_is_there_when_asked_for() {
    let place = Place::with("a.yaml", "estate: 1\nfunctions: [{id: f, endpoints: [{check: none}]}]\n");
    assert!(place.run(&["audit", "a.yaml", "--color", "always"]).out.contains("\u{1b}["));
    assert!(!place.run(&["audit", "a.yaml", "--color", "never"]).out.contains('\u{1b}'));
}

/// Many functions with the same two weaknesses.
fn many(count: usize) -> Place {
    let functions: String = (0..count)
        .map(|number| {
            format!("  - {{id: f{number:04}, endpoints: [{{check: none}}], invoke: [signed-in]}}\n")
        })
        .collect();
    let text = format!("estate: 1\nas_of: 2026-11-20\nfunctions:\n{functions}");
    Place::with("a.yaml", text)
}

/// A try that got through shows an open way in, until a later one by the same method is turned away; of one moment
/// neither is later.
#[rstest]
#[case::alone("", "anyone")]
#[case::at_the_same_moment("  - {endpoint: f/direct, method: GET, at: 2026-11-18, status: 401}", "anyone")]
#[case::later("  - {endpoint: f/direct, method: GET, at: 2026-11-19, status: 401}", "insiders")]
#[case::by_another_method("  - {endpoint: f/direct, method: PUT, at: 2026-11-19, status: 401}", "anyone")]
fn a_try_shows_what_is_open_until_a_later_one_does_not(#[case] other: &str, #[case] expected: &str) {
    let text = format!(
        "estate: 1\nas_of: 2026-11-20\nfunctions: [{{id: f, endpoints: [{{check: identity}}]}}]\ntries:\n  \
         - {{endpoint: f/direct, method: GET, at: 2026-11-18, status: 200}}\n{other}\n"
    );
    let run = Place::with("a.yaml", text).run(&["list", "functions", "a.yaml", "--format", "json"]);
    let rows: Value = serde_json::from_str(&run.out).unwrap();
    assert_eq!(rows["rows"][0]["exposed_to"], expected, "{}", run.out);
}

/// What an account has that asks for no side of its own is open to its own and to others, and counts once.
#[test]
fn what_is_open_to_all_accounts_counts_once() {
    let place = Place::with(
        "estate.yaml",
        "estate: 1
as_of: 2026-11-20
scopes: [{id: tickets, kind: account, cross_account: one-side}, {id: tides, kind: account, cross_account: one-side}]
identities: [{id: role, in: tickets, kind: execution-role, grants: [{statements: [\"allow table/write on table:*\"]}]}]
resources: [{id: \"table:a\", in: tickets}, {id: \"table:b\", in: tides, sensitivity: confidential}]
",
    );
    let audit = place.audit(&["estate.yaml", "--only", "grant/any-resource"]);
    let situation = audit["findings"][0]["situation"].as_str().unwrap();
    assert!(situation.contains("2 in the estate today (1 confidential)"), "{situation}");
}

#[test]
fn hundreds_of_findings_stay_short() {
    let place = many(400);
    let short = place.run(&["audit", "a.yaml"]).out;
    assert!(short.lines().count() < 100, "{short}");
    assert!(short.contains("and 397 more: endpoint:f0003/direct"), "{short}");
    assert!(short.contains("801 findings by"), "{short}");
    let all = place.run(&["audit", "a.yaml", "--all"]).out;
    assert!(all.contains("endpoint:f0399/direct") && all.lines().count() > 3000);
    let none = place.run(&["audit", "a.yaml", "--limit", "0"]).out;
    assert!(none.contains("400 ×") && none.lines().count() < 30, "{none}");
}

#[test]
fn nothing_found_is_said_with_what_was_looked_at() {
    let place = Place::with("a.yaml", "estate: 1\nas_of: 2026-11-20\nfunctions: [{id: f}]\n");
    let out = place.run(&["audit", "a.yaml"]).out;
    assert!(out.contains("No findings in what was looked at"), "{out}");
    assert!(out.contains("as of 2026-11-20 00:00:00 UTC"), "{out}");
    assert!(out.contains("Nothing in it was out of sight"), "{out}");
}

#[test]
fn a_small_audit_reads_well() {
    let text = "estate: 1
as_of: 2026-11-20
scopes: [{id: tickets, kind: account, platform: levante, environment: production}]
resources: [{id: \"bucket:passport-scans\", in: tickets, sensitivity: confidential}]
identities:
  - id: seat-map-role
    in: tickets
    kind: execution-role
    grants: [{statements: [allow bucket/write], at: account:tickets}]
functions:
  - {id: seat-map, in: tickets, runs_as: seat-map-role, endpoints: [{check: none}]}
";
    let place = Place::with("ferry.yaml", text);
    insta::assert_snapshot!(place.run(&["audit", "ferry.yaml", "--width", "80"]).out);
}
