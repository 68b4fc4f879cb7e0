//! The other commands: demo, list, rules, schema; and calls that are wrong.

use crate::support::{Place, demo};
use rstest::rstest;
use serde_json::Value;

fn list(what: &str, estate: &str) -> Vec<Value> {
    let place = Place::with("a.yaml", format!("estate: 1\nas_of: 2026-11-20\n{estate}"));
    let run = place.run(&["list", what, "a.yaml", "--format", "json"]);
    assert_eq!(run.code, 0, "{}", run.err);
    let mut list: Value = serde_json::from_str(&run.out).unwrap();
    serde_json::from_value(list["rows"].take()).unwrap()
}

#[test]
fn demo_writes_nothing_unless_it_is_told_where() {
    let place = Place::new();
    let run = place.run(&["demo"]);
    assert_eq!(run.code, 0);
    assert!(run.out.contains("demo/levante.yaml:"), "evidence names the files");
    assert!(
        run.out.trim_end().ends_with("says why a rule matters, and how to mend it"),
        "says what to try next"
    );
    assert_eq!(std::fs::read_dir(place.path()).unwrap().count(), 0);
}

#[test]
fn demo_writes_the_estate_that_it_audits() {
    let place = Place::new();
    let told = place.run(&["demo", "ferries"]);
    assert_eq!(told.code, 0);
    assert!(told.out.contains("pasaporte entry scan-passport ferries"), "{}", told.out);
    let audit = place.run(&["audit", "ferries"]);
    assert!(told.out.starts_with(&audit.out), "the same audit");
    // Again over what it wrote itself is fine; over anything else it is not.
    assert_eq!(place.run(&["demo", "ferries"]).code, 0);
    place.write("ferries/levante.yaml", "mine");
    let refused = place.run(&["demo", "ferries"]);
    assert_eq!(refused.code, 2);
    assert!(refused.err.contains("ferries/levante.yaml is there already"), "{}", refused.err);
    assert_eq!(std::fs::read_to_string(place.path().join("ferries/levante.yaml")).unwrap(), "mine");
}

#[test]
fn functions_are_listed_with_what_is_inherited() {
    let rows = list(
        "functions",
        "scopes:
  - {id: tides, kind: account, platform: tramontana, environment: test, runs_as: everybody, owner: tides-team}
  - {id: gauges, kind: app, in: tides}
functions:
  - {id: b, in: gauges, triggers: [{source: \"queue:q\"}], endpoints: [{check: none}]}
  - {id: a, in: tides, runs_as: own, state: disabled}
",
    );
    assert_eq!(rows[0]["function"], "a", "sorted");
    assert_eq!(
        (&rows[0]["exposed_to"], &rows[0]["state"]),
        (&Value::from("nobody"), &Value::from("disabled"))
    );
    assert_eq!(rows[0]["runs_as"], "own");
    let expected = serde_json::json!({
        "function": "b", "name": null, "app": "gauges", "platform": "tramontana", "account": "tides", "environment": "test",
        "owner": "tides-team", "state": "enabled", "runs_as": "everybody", "runs_on": ["http", "queue"],
        "ways_in": ["endpoint"], "exposed_to": "anyone", "impact": "runs-code", "worst": null,
    });
    assert_eq!(rows[1], expected);
}

#[test]
fn endpoints_are_listed_with_who_gets_through() {
    let rows = list(
        "endpoints",
        "functions:
  - id: f
    endpoints:
      - {id: keyed, check: {key: function}}
      - {id: named, check: identity, network: [10.0.0.0/8]}
      - {id: off, check: none, state: disabled}
      - {id: routed, check: none, gateway: front}
    invoke: [identity:i, {to: signed-in, when: {second_factor: true}}]
identities: [{id: i, kind: service-account}]
keys: [{id: k, opens: function:f, reach: function}]
",
    );
    let by = |id: &str| rows.iter().find(|row| row["endpoint"] == id).unwrap();
    assert_eq!(by("keyed")["lets_in"], serde_json::json!(["key:k"]));
    assert_eq!(by("keyed")["check"], "key: function");
    assert_eq!(by("named")["lets_in"], serde_json::json!(["identity:i", "signed-in (perhaps)"]));
    assert_eq!(by("named")["network"], serde_json::json!(["10.0.0.0/8"]));
    assert_eq!(by("off")["lets_in"], serde_json::json!(["nobody"]));
    assert_eq!(by("routed")["lets_in"], serde_json::json!(["nobody: dead route"]));
    assert_eq!(by("routed")["gateway"], "front");
}

#[test]
fn identities_are_listed_with_the_worst_they_may_do() {
    let rows = list(
        "identities",
        "identities:
  - {id: i, kind: managed-identity, default: true, grants: [{statements: [allow table/write on table:t]}]}
  - {id: idle, kind: service-account}
functions: [{id: f, runs_as: i}, {id: g, runs_as: i}]
resources: [{id: \"table:t\", sensitivity: confidential}]
",
    );
    assert_eq!(
        (&rows[0]["kind"], &rows[0]["default"]),
        (&Value::from("managed-identity"), &Value::from("yes"))
    );
    assert_eq!(rows[0]["impact"], "confidential-data");
    assert_eq!((&rows[0]["functions"], &rows[0]["grants"]), (&Value::from(2), &Value::from(1)));
    assert_eq!(rows[0]["worst"], "do table/write on confidential table:t");
    assert_eq!(rows[1]["worst"], Value::Null);
}

#[test]
fn keys_are_listed_with_age_and_use() {
    let rows = list(
        "keys",
        "functions: [{id: f}]
keys:
  - {id: a, opens: function:f, reach: function, created: 2026-11-01, rotated: 2026-11-10, last_used: 2026-11-12}
  - {id: b, opens: function:f, reach: function, last_used: never, expires: 2026-01-01}
  - {id: c, opens: app:x, reach: admin, state: disabled}
",
    );
    assert_eq!(rows[0]["age_days"], 10);
    assert_eq!(
        (&rows[0]["last_used"], &rows[0]["expires"]),
        (&Value::from("2026-11-12"), &Value::from("never"))
    );
    assert_eq!((&rows[1]["state"], &rows[1]["last_used"]), (&Value::from("expired"), &Value::from("never")));
    assert_eq!((&rows[2]["state"], &rows[2]["last_used"]), (&Value::from("disabled"), &Value::Null));
    assert_eq!((&rows[2]["opens"], &rows[2]["age_days"]), (&Value::from("app:x"), &Value::Null));
}

#[test]
fn grants_are_listed_with_place_and_end() {
    let rows = list(
        "grants",
        "grants:
  - {to: signed-in, set: s}
  - {to: \"outside:pay.example/till\", statements: [allow a/b, deny a/c], at: account:x, expires: 2026-01-01}
",
    );
    assert_eq!(rows[0]["holder"], "outside:pay.example/till");
    assert_eq!(
        (&rows[0]["holds"], &rows[0]["at"]),
        (&serde_json::json!(["2 statements"]), &Value::from("account:x"))
    );
    assert_eq!((&rows[0]["expires"], &rows[0]["ended"]), (&Value::from("2026-01-01"), &Value::from("yes")));
    assert_eq!((&rows[1]["holds"], &rows[1]["at"]), (&serde_json::json!(["s"]), &Value::from("everywhere")));
    assert_eq!(rows[1]["read_from"], "a.yaml:4");
}

#[rstest]
#[case("functions")]
#[case("endpoints")]
#[case("identities")]
#[case("keys")]
#[case("grants")]
fn every_list_of_the_sample_estate_fits_and_breaks_no_name(#[case] what: &str) {
    let folder = demo();
    let json = Place::new().run(&["list", what, folder.to_str().unwrap(), "--format", "json"]);
    let json: Value = serde_json::from_str(&json.out).unwrap();
    let rows = json["rows"].as_array().unwrap();
    assert!(rows.len() > 20);
    for width in ["80", "160"] {
        let text = Place::new().run(&["list", what, folder.to_str().unwrap(), "--width", width]).out;
        for row in rows {
            let first = ["function", "endpoint", "identity", "key", "holder"];
            let name = first.iter().find_map(|key| row.get(*key)).unwrap().as_str().unwrap();
            assert!(text.contains(name), "{name} is whole at {width}");
        }
    }
}

#[test]
fn an_empty_list_says_so() {
    let place = Place::with("a.yaml", "estate: 1\n");
    assert_eq!(place.run(&["list", "keys", "a.yaml"]).out, "no keys\n");
    let json: Value =
        serde_json::from_str(&place.run(&["list", "keys", "a.yaml", "--format", "json"]).out).unwrap();
    assert_eq!((&json["list"], &json["rows"]), (&Value::from(1), &serde_json::json!([])));
}

#[test]
fn a_rule_is_told_in_full() {
    insta::assert_snapshot!(Place::new().run(&["rules", "entry/unpinned-source", "--width", "80"]).out);
}

#[test]
fn the_catalogue_lists_every_rule_once() {
    let place = Place::new();
    let text = place.run(&["rules", "--width", "200"]).out;
    let rules: Value = serde_json::from_str(&place.run(&["rules", "--format", "json"]).out).unwrap();
    let rules = rules["rules"].as_array().unwrap();
    for rule in rules {
        let id = rule["id"].as_str().unwrap();
        assert_eq!(text.matches(id).count(), 1, "{id}");
    }
    assert!(text.contains(&format!("{} rules.", rules.len())));
    let keys: Value = serde_json::from_str(&place.run(&["rules", "key/*", "--format", "json"]).out).unwrap();
    assert_eq!(keys["rules"].as_array().unwrap().len(), 14);
}

#[test]
fn schemas_are_those_in_the_repository() {
    let names = Place::new().run(&["schema"]).out;
    let names: Vec<&str> = names.lines().map(|line| line.split_whitespace().next().unwrap()).collect();
    assert!(names.contains(&"estate") && names.contains(&"list") && names.len() > 10, "{names:?}");
    for name in &names {
        let printed = Place::new().run(&["schema", name]).out;
        let kept = demo().join(format!("../schemas/{name}.schema.json"));
        let kept = std::fs::read_to_string(kept).unwrap_or_default();
        assert!(printed == kept, "renew it: cargo run -- schema {name} > schemas/{name}.schema.json");
        let schema: Value = serde_json::from_str(&printed).unwrap();
        assert_eq!(schema["$schema"], "https://json-schema.org/draft/2020-12/schema");
        assert!(jsonschema::meta::is_valid(&schema), "{name}");
        assert!(!printed.contains("\\\\p{"), "{name}: classes of Unicode, which not every validator knows");
    }
    let kept = std::fs::read_dir(demo().join("../schemas")).unwrap().count();
    assert_eq!(kept, names.len(), "each schema of the repository is published");
}

/// The estate schema and the reader agree on what an estate is, as far as a schema can say it.
#[rstest]
#[case::empty(r#"{"estate": 1}"#, true)]
#[case::function(
    r#"{"estate": 1, "functions": [{"id": "f", "endpoints": [{"check": {"key": "app"}}]}]}"#,
    true
)]
#[case::line(r#"{"estate": 1, "permission_sets": [{"id": "s", "statements": ["allow a/b on c:d"]}]}"#, true)]
#[case::all_but(
    r#"{"estate": 1, "permission_sets": [{"id": "s", "statements": [{"allow": {"all_except": "a/b"}}]}]}"#,
    true
)]
#[case::condition(
    r#"{"estate": 1, "trust": [{"on": "identity:i", "to": "anyone", "when": {"caller_tag/team": "x"}}]}"#,
    true
)]
#[case::no_version(r#"{"functions": []}"#, false)]
#[case::version(r#"{"estate": 2}"#, false)]
#[case::section(r#"{"estate": 1, "funktions": []}"#, false)]
#[case::field(r#"{"estate": 1, "functions": [{"id": "f", "color": 1}]}"#, false)]
#[case::missing(r#"{"estate": 1, "functions": [{}]}"#, false)]
#[case::id(r#"{"estate": 1, "functions": [{"id": "a b"}]}"#, false)]
#[case::check(r#"{"estate": 1, "endpoints": [{"function": "f", "check": "nome"}]}"#, false)]
#[case::attribute(
    r#"{"estate": 1, "trust": [{"on": "identity:i", "to": "anyone", "when": {"colour": "x"}}]}"#,
    false
)]
#[case::principal(r#"{"estate": 1, "grants": [{"to": "nobody", "set": "s"}]}"#, false)]
fn schema_and_reader_agree(#[case] estate: &str, #[case] sound: bool) {
    let schema: Value = serde_json::from_str(&Place::new().run(&["schema", "estate"]).out).unwrap();
    let value: Value = serde_json::from_str(estate).unwrap();
    let validator = jsonschema::validator_for(&schema).unwrap();
    let errors: Vec<String> = validator.iter_errors(&value).map(|error| error.to_string()).collect();
    assert_eq!(errors.is_empty(), sound, "schema: {errors:?}");
    let run = Place::with("a.json", estate).run(&["audit", "a.json"]);
    assert_eq!(run.code == 0, sound, "reader: {}", run.err);
}

#[test]
fn the_sample_estate_is_valid_against_the_schema_as_json() {
    // Every file of it is YAML; an audit that reads it is proof that the reader takes it, and the
    // schema is held to the reader above. Here: the names of all sections that it uses are known.
    let schema: Value = serde_json::from_str(&Place::new().run(&["schema", "estate"]).out).unwrap();
    let known = schema["properties"].as_object().unwrap();
    let estates = std::fs::read_dir(demo()).unwrap().map(|entry| entry.unwrap().path());
    for file in estates.filter(|path| path.extension().is_some_and(|ending| ending == "yaml")) {
        let text = std::fs::read_to_string(file).unwrap();
        for line in text.lines().filter(|line| line.starts_with(|first: char| first.is_ascii_lowercase())) {
            let section = line.split(':').next().unwrap();
            assert!(known.contains_key(section), "{section}");
        }
    }
}

#[rstest]
#[case(&["frobnicate"], "unrecognized subcommand")]
#[case(&["audit"], "no estate is named")]
#[case(&["card"], "required")]
#[case(&["list", "boats", "a.yaml"], "invalid value 'boats'")]
#[case(&["schema", "boats"], "there is no schema `boats`")]
#[case(&["rules", "key/nothing"], "no rule matches")]
#[case(&["audit", "a.yaml", "--fail-on", "severe"], "invalid value 'severe'")]
#[case(&["audit", "a.yaml", "--width", "3"], "invalid value '3'")]
fn a_wrong_call_is_explained(#[case] args: &[&str], #[case] what: &str) {
    let run = Place::new().run(args);
    assert_eq!(run.code, 2);
    assert!(run.err.contains(what), "{}", run.err);
    assert_eq!(run.out, "");
}

#[test]
fn help_names_every_command_and_the_exit_codes() {
    let help = Place::new().run(&["--help"]).out;
    for word in ["audit", "list", "rules", "schema", "demo", "Exit codes: 0", "3 (with --strict)"] {
        assert!(help.contains(word), "{word}: {help}");
    }
}

#[rstest]
#[case::in_effect(&["endpoints", "--where", "lets_in=anyone", "--where", "network=internet"], 11)]
#[case::or_perhaps(&["endpoints", "--where", "lets_in=signed-in"], 4)]
#[case::not_so(&["endpoints", "--where", "lets_in=anyone", "--where", "check!=none"], 4)]
#[case::by_pattern(&["keys", "--where", "opens=function:scan-*"], 4)]
#[case::over(&["keys", "--where", "age_days>1000"], 7)]
#[case::under(&["keys", "--where", "age_days<20"], 1)]
fn a_list_shows_the_rows_that_are_asked_for(#[case] args: &[&str], #[case] count: usize) {
    let place = Place::with_demo();
    let run = place.run(&[&["list", args[0], "demo", "--format", "json"], &args[1..]].concat());
    let rows: Value = serde_json::from_str(&run.out).unwrap();
    assert_eq!(rows["rows"].as_array().unwrap().len(), count, "{}", run.out);
}

#[test]
fn a_list_is_ordered_as_it_is_asked_for_and_written_for_spreadsheets() {
    let place = Place::with_demo();
    let run = place.run(&[
        "list",
        "keys",
        "demo",
        "--sort",
        "-age_days",
        "--where",
        "age_days>900",
        "--format",
        "csv",
    ]);
    assert_eq!(run.code, 0, "{}", run.err);
    let lines: Vec<&str> = run.out.lines().collect();
    assert_eq!(
        lines[0],
        "key,opens,verdict,reach,functions,state,age_days,last_used,expires,clients,held_by,seen_in"
    );
    let ages: Vec<i64> =
        lines[1..].iter().map(|line| line.split(',').nth(6).unwrap().parse().unwrap()).collect();
    assert!(ages.len() > 3 && ages.is_sorted_by(|one, other| one >= other), "{ages:?}");
}

#[rstest]
#[case("let_in=anyone", "did you mean lets_in?")]
#[case("lets_in", "says nothing of a column")]
#[case("lets_in>many", "is not a whole number")]
fn a_wrong_condition_on_rows_is_told(#[case] condition: &str, #[case] told: &str) {
    let run = Place::with_demo().run(&["list", "endpoints", "demo", "--where", condition]);
    assert_eq!(run.code, 2);
    assert!(run.err.contains(told), "{}", run.err);
}
