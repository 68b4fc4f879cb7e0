//! `pasaporte.toml`: what a team says once of its estate and of how it wants it judged.

use crate::support::Place;
use rstest::rstest;
use serde_json::{Value, json};

const ESTATE: &str = "estate: 1
as_of: 2026-11-20
scopes: [{id: pier, kind: account}]
functions:
  - {id: sail, in: pier, environment: production, runs_as: sailor, endpoints: [{check: none, network: [203.0.113.0/24]}]}
  - {id: dock, in: pier, environment: test, endpoints: [{check: {key: function}}], invoke: [account:partner]}
identities:
  - id: sailor
    in: pier
    kind: execution-role
    grants: [{statements: [{allow: table/read, on: \"table:*\"}]}]
resources: [{id: \"table:bookings\", in: pier}]
keys:
  - {id: old, opens: function:sail, reach: function, created: 2026-07-01, last_used: 2026-11-19}
  - {id: older, opens: function:dock, reach: function, created: 2026-01-01, last_used: 2026-11-19}
";

fn place(config: &str) -> Place {
    let place = Place::with("estate.yaml", ESTATE);
    place.write("pasaporte.toml", config);
    place
}

/// The things of a rule's findings, with their severities.
fn found(audit: &Value, rule: &str) -> Vec<(String, String)> {
    let all = audit["findings"].as_array().unwrap().iter().filter(|it| it["rule"] == rule);
    let text = |it: &Value| it.as_str().unwrap().to_owned();
    all.map(|it| (text(&it["thing"]), text(&it["severity"]))).collect()
}

fn in_force(place: &Place, args: &[&str]) -> Value {
    place.json(&[&["config", "--format", "json"], args].concat())
}

fn value<'v>(in_force: &'v Value, key: &str) -> &'v Value {
    in_force["values"].as_array().unwrap().iter().find(|it| it["key"] == key).unwrap_or(&Value::Null)
}

#[test]
fn what_is_in_force_says_where_it_comes_from() {
    let place = place("# ours\n[audit]\nfail_on = \"new:high\"\n\n[thresholds.test]\nkey_max_age = 1\n");
    let told = in_force(&place, &[]);
    assert_eq!(told["file"], "pasaporte.toml");
    let of = |key: &str, value_of: &str, from: &str, line: Value| {
        assert_eq!(*value(&told, key), json!({"key": key, "value": value_of, "from": from, "line": line}));
    };
    of("audit.fail_on", "new:high", "file", json!(3));
    of("thresholds.test.key_max_age", "1 day", "file", json!(6));
    of("thresholds.key_max_age", "180 days", "default", Value::Null);
    let text = place.run(&["config"]);
    assert!(text.out.contains("In force by pasaporte.toml") && text.out.contains("line 3"), "{}", text.out);
    assert_eq!(in_force(&place, &["--no-config"])["file"], Value::Null);
}

#[test]
fn thresholds_hold_in_their_environment() {
    let stale = |config: &str| {
        let mut all = found(&place(config).audit(&["estate.yaml"]), "key/stale");
        all.sort();
        all.into_iter().map(|it| it.0).collect::<Vec<_>>()
    };
    assert_eq!(stale(""), ["key:older"]);
    assert_eq!(stale("[thresholds]\nkey_max_age = 100\n"), ["key:old", "key:older"]);
    assert_eq!(stale("[thresholds]\nkey_max_age = 100\n[thresholds.test]\nkey_max_age = 400\n"), ["key:old"]);
    assert_eq!(stale("[thresholds.production]\nkey_max_age = 141\n"), ["key:old", "key:older"]);
    assert_eq!(stale("[thresholds.production]\nkey_max_age = 142\n"), ["key:older"]);
}

#[test]
fn what_is_told_of_a_threshold_is_the_one_of_its_environment() {
    let audit = place("[thresholds.test]\nkey_max_age = 200\n").audit(&["estate.yaml"]);
    let all = audit["findings"].as_array().unwrap();
    let it = all.iter().find(|it| it["rule"] == "key/stale").unwrap();
    assert!(it["situation"].as_str().unwrap().contains("200 are allowed"), "{it}");
}

#[test]
fn rules_are_off_or_told_at_another_severity() {
    let place = place("[rules]\n\"key/stale\" = \"medium\"\n\"key/*\" = \"off\"\n\"entry/*\" = \"low\"\n");
    let audit = place.audit(&["estate.yaml"]);
    assert_eq!(
        found(&audit, "key/stale"),
        [("key:older".to_owned(), "medium".to_owned())],
        "an id comes first"
    );
    assert_eq!(found(&audit, "key/no-expiry"), []);
    assert!(found(&audit, "entry/anonymous-endpoint").iter().all(|it| it.1 == "low"));
    let configured = &audit["configured"];
    assert_eq!(configured["file"], "pasaporte.toml");
    assert_eq!(configured["told_as"]["key/stale"], "medium");
    assert!(configured["off"].as_array().unwrap().contains(&json!("key/never-used")));
    let text = place.run(&["audit", "estate.yaml"]).out.replace('\n', " ");
    assert!(
        text.contains("Judged by pasaporte.toml:") && text.contains("key/stale told as medium"),
        "{text}"
    );
    assert_eq!(place.run(&["audit", "estate.yaml", "--only", "key/no-expiry"]).code, 2);
    let without = place.audit(&["estate.yaml", "--no-config"]);
    assert_eq!((&without["configured"], found(&without, "key/stale")[0].1.as_str()), (&Value::Null, "info"));
}

#[test]
fn networks_and_accounts_count_as_inside() {
    let exposures = |config: &str| {
        let list = place(config).json(&["list", "functions", "estate.yaml", "--format", "json"]);
        let rows = list["rows"].as_array().unwrap();
        let of = |id: &str| {
            let row = rows.iter().find(|row| row["function"] == *id).unwrap();
            row["exposed_to"].as_str().unwrap().to_owned()
        };
        [of("sail"), of("dock")]
    };
    assert_eq!(exposures(""), ["outsider", "outsider"]);
    assert_eq!(exposures("[inside]\nnetworks = [\"203.0.0.0/16\"]\n"), ["insiders", "outsider"]);
    assert_eq!(exposures("[inside]\nnetworks = [\"203.0.113.0/25\"]\n"), ["outsider", "outsider"]);
    assert_eq!(exposures("[inside]\naccounts = [\"partner\"]\n"), ["outsider", "key-holders"]);
}

#[test]
fn an_account_that_only_the_configuration_names_is_no_missing_reference() {
    let blind = |config: &str| place(config).audit(&["estate.yaml"])["looked_at"]["blind_spots"].clone();
    assert_eq!(blind("[inside]\naccounts = [\"elsewhere\"]\n"), blind(""));
}

#[test]
fn what_is_said_of_things_comes_before_what_the_estate_says() {
    let config = "
[[things]]
match = \"function:*\"
owner = \"crew\"
environment = \"staging\"
[[things]]
match = \"function:s*\"
owner = \"sailors\"
[[things]]
match = \"table:*\"
sensitivity = \"confidential\"
";
    let place = place(config);
    let list = place.json(&["list", "functions", "estate.yaml", "--format", "json"]);
    let told: Vec<(&Value, &Value)> =
        list["rows"].as_array().unwrap().iter().map(|row| (&row["owner"], &row["environment"])).collect();
    let staging = json!("staging");
    let mut told: Vec<String> =
        told.iter().map(|(owner, at)| format!("{owner} {}", **at == staging)).collect();
    told.sort();
    assert_eq!(told, ["\"crew\" true", "\"sailors\" true"]);
    let impact = |more: &[&str]| {
        let list = place.json(&[&["list", "functions", "estate.yaml", "--format", "json"], more].concat());
        let rows = list["rows"].as_array().unwrap();
        rows.iter().find(|row| row["function"] == "sail").unwrap()["impact"].clone()
    };
    assert_eq!(impact(&[]), "confidential-data");
    assert_ne!(impact(&["--no-config"]), "confidential-data");
}

#[test]
fn paths_are_from_where_the_file_is_and_arguments_come_first() {
    let place = place(
        "estate = [\"estate.yaml\"]\naccepted = \"ours.toml\"\n[audit]\nfail_on = \"low\"\nreport = [\"out.md\"]\n",
    );
    place.write("below/readme.md", "x");
    let from_below = |args: &[&str]| place.run_in("below", args, "");
    let run = from_below(&["audit"]);
    assert_eq!(run.code, 1, "{}", run.err);
    assert!(place.path().join("out.md").is_file());
    assert_eq!(from_below(&["audit", "--fail-on", "critical", "--report", "other.csv"]).code, 0);
    assert!(place.path().join("below/other.csv").is_file());
    let waived = from_below(&[
        "waive",
        "key/*@key:*",
        "--yes",
        "--owner",
        "crew",
        "--reason",
        "moved",
        "--until",
        "2100-01-01",
    ]);
    assert_eq!(waived.code, 0, "{}", waived.err);
    assert!(place.path().join("ours.toml").is_file());
}

#[rstest]
#[case::slip("acepted = \"a.toml\"", ":1:1", "did you mean `accepted`?")]
#[case::key("[thresholds]\nkey_max_ages = 3", ":2:1", "did you mean `key_max_age`?")]
#[case::below_zero("[thresholds]\nkey_max_age = -1", ":2:15", "a number of days from 0 to 36500")]
#[case::word("[thresholds]\nkey_expiry_from = \"ap\"", ":2:19", "did you mean app?")]
#[case::naming("[tighten]\nnaming = \"comon\"", ":2:10", "did you mean common?")]
#[case::threshold("[audit]\nfail_on = \"new\"", ":2:11", "a severity, or `new:` and one")]
#[case::rule("[rules]\n\"key/stael\" = \"off\"", ":2:1", "did you mean key/stale?")]
#[case::level("[rules]\n\"key/stale\" = \"hgih\"", ":2:15", "did you mean high?")]
#[case::network("[inside]\nnetworks = [\"10.0.0.0/8\", \"pier\"]", ":2:27", "a network is wanted here")]
#[case::of_others(
    "[[things]]\nmatch = \"key:*\"\nowner = \"crew\"",
    ":2:9",
    "a key has these from where it lives"
)]
#[case::nothing("[[things]]\nmatch = \"table:*\"", ":2:9", "nothing is said of these things")]
#[case::ending("[audit]\nreport = [\"a.txt\"]", ":2:11", "no ending of a report")]
#[case::lines("accepted = \"a\\nb\"", ":1:12", "a text of one line")]
fn a_mistake_is_told_with_its_line(#[case] config: &str, #[case] at: &str, #[case] told: &str) {
    let place = place(config);
    for args in [&["config"][..], &["audit", "estate.yaml"]] {
        let run = place.run(args);
        assert_eq!(run.code, 2, "{}", run.out);
        assert!(run.err.contains(&format!("pasaporte.toml{at}")), "{}", run.err);
        assert!(run.err.contains(told), "{}", run.err);
    }
    assert_eq!(place.run(&["audit", "estate.yaml", "--no-config"]).code, 0);
}

#[test]
fn all_that_is_wrong_is_told_at_once() {
    let run = place("[audit]\nfail_on = \"x\"\n[thresholds]\nkey_watch = -2\n[rules]\n\"x\" = \"off\"\n")
        .run(&["config"]);
    assert_eq!(run.err.matches("error: ").count(), 3, "{}", run.err);
}
