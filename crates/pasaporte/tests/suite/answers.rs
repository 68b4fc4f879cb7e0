//! Every answer as JSON: valid against its published schema, versioned, in one vocabulary with text; and what is no
//! answer is told.

use crate::support::{LISTS, Place};
use rstest::rstest;
use serde_json::Value;

/// A place with the sample estate, and saved answers with an adapter for them.
fn place() -> Place {
    let place = Place::with_demo();
    place.write("mine/adapter.toml", "[adapter]\nformat = 1\n");
    place
}

fn schema(name: &str) -> Value {
    serde_json::from_str(&Place::new().run(&["schema", name]).out).unwrap()
}

#[rstest]
#[case::audit("audit", "audit", &["audit", "demo"])]
#[case::card("card", "card", &["card", "sell-ticket", "demo"])]
#[case::explain("explain", "explain", &["explain", "sell-ticket", "table/read", "table:bookings", "demo"])]
#[case::entry("entry", "entry", &["entry", "scan-passport", "demo"])]
#[case::reach("reach", "reach", &["reach", "sell-ticket", "demo"])]
#[case::rules("rules", "catalogue", &["rules"])]
#[case::one_rule("rules", "catalogue", &["rules", "key/*"])]
#[case::severity("severity", "severity", &["rules", "severity"])]
#[case::compare("compare", "compare", &["compare", "identity:sell-ticket-role", "seat-map", "demo"])]
#[case::compare_sets("compare", "compare", &["compare", "permission-set:sell-ticket", "permission-set:no-tables", "demo"])]
#[case::sharing("compare-sharing", "sharing", &["compare", "--sharing", "seat-map-role", "demo"])]
#[case::knock_plan("knock-plan", "knock_plan", &["knock", "--at", "*", "demo"])]
fn an_answer_is_as_its_schema_says(#[case] name: &str, #[case] version: &str, #[case] call: &[&str]) {
    let run = place().run(&[call, &["--format", "json"]].concat());
    assert_eq!(run.code, 0, "{}", run.err);
    let answer: Value = serde_json::from_str(&run.out).unwrap();
    is_valid(&schema(name), &answer);
    assert!(answer[version].is_u64(), "{name} has its version");
}

fn is_valid(schema: &Value, answer: &Value) {
    let validator = jsonschema::validator_for(schema).unwrap();
    let wrong: Vec<String> = validator.iter_errors(answer).map(|error| error.to_string()).collect();
    assert!(wrong.is_empty(), "{wrong:?}");
}

#[test]
fn every_list_is_as_its_schema_says_and_a_table_at_80_columns() {
    let (place, schema) = (place(), schema("list"));
    for what in LISTS {
        let run = place.run(&["list", what, "demo", "--format", "json"]);
        let list: Value = serde_json::from_str(&run.out).unwrap();
        is_valid(&schema, &list);
        let columns: Vec<&str> =
            list["columns"].as_array().unwrap().iter().map(|it| it.as_str().unwrap()).collect();
        // The schema can fail: a column that the list does not have.
        let mut broken = list.clone();
        broken["rows"][0]["colour"] = "red".into();
        assert!(!jsonschema::is_valid(&schema, &broken), "{what}");
        // Names of columns are the same everywhere.
        let csv = place.run(&["list", what, "demo", "--format", "csv"]).out;
        assert_eq!(csv.lines().next().unwrap(), columns.join(","), "{what}");
        let text = place.run(&["list", what, "demo", "--width", "80"]).out;
        let headings = text.lines().next().unwrap().split("  ").map(str::trim).filter(|it| !it.is_empty());
        for heading in headings {
            assert!(columns.contains(&heading.replace(' ', "_").as_str()), "{what}: {heading}");
        }
        assert!(text.lines().nth(1).unwrap().starts_with('─'), "{what} is a table: {text}");
        assert!(text.lines().all(|line| line.chars().count() <= 80), "{what}: {text}");
        for column in &columns {
            let sorted = place.run(&["list", what, "demo", "--sort", column, "--columns", column]);
            assert_eq!(sorted.code, 0, "{what} by {column}: {}", sorted.err);
            assert_eq!(sorted.out.lines().next().unwrap(), column.replace('_', " "), "{what}");
        }
    }
}

#[test]
fn columns_are_those_asked_for() {
    let place = place();
    let keys = |columns: &str, format: &str| {
        place.run(&["list", "keys", "demo", "--columns", columns, "--format", format, "--width", "60"])
    };
    assert_eq!(keys("age_days,key", "csv").out.lines().next(), Some("age_days,key"));
    let all = keys("all", "text").out;
    assert!(all.contains("opens function:buoy-poll") && all.contains("functions 1"), "{all}");
    assert!(!all.contains("not shown"), "{all}");
    let wrong = keys("age", "text");
    assert_eq!(wrong.code, 2);
    assert!(wrong.err.contains("there is no column `age` in this list"), "{}", wrong.err);
}

/// A slip is no answer: neither "none", nor "no".
#[rstest]
#[case::circle(&["list", "functions", "demo", "--where", "exposed_to=anybody"], "its words are anyone, signed-in, outsider")]
#[case::not_a_circle(&["list", "functions", "demo", "--where", "exposed_to!=anybody"], "can be `anybody`")]
#[case::platform(&["list", "functions", "demo", "--where", "platform=levant"], "did you mean platform=levante?")]
#[case::environment(&["list", "functions", "demo", "--where", "environment=prod"], "its words are production, staging, test")]
#[case::date(&["list", "keys", "demo", "--where", "expires=nevver"], "did you mean expires=never?")]
#[case::column(&["list", "keys", "demo", "--sort", "-age"], "there is no column `age`")]
#[case::action(&["explain", "sell-ticket", "table/raed", "table:bookings", "demo"], "did you mean table/read?")]
#[case::service(&["explain", "sell-ticket", "tabel/read", "table:bookings", "demo"], "did you mean table/read?")]
#[case::resource(&["explain", "sell-ticket", "table/read", "table:bokings", "demo"], "did you mean table:bookings?")]
#[case::schema(&["schema", "lists"], "did you mean list?")]
fn a_slip_is_no_answer(#[case] call: &[&str], #[case] told: &str) {
    let run = place().run(call);
    assert_eq!(run.code, 2, "{}", run.out);
    let flat = run.err.split_whitespace().filter(|word| *word != "|").collect::<Vec<_>>().join(" ");
    assert!(flat.contains(told), "{}", run.err);
    assert_eq!(run.out, "");
}

/// What is rare is an answer all the same.
#[rstest]
#[case::no_row(&["list", "functions", "demo", "--where", "exposed_to=key-holders", "--where", "environment=test"])]
#[case::a_name_of_the_estate(&["list", "functions", "demo", "--where", "runs_as=nerea.soler"])]
#[case::a_pattern(&["list", "functions", "demo", "--where", "platform=nowhere*"])]
#[case::a_date(&["list", "keys", "demo", "--where", "expires=2031-01-01"])]
#[case::an_action_of_a_pattern(&["explain", "fare-import-role", "bucket/put-lifecycle-rule", "bucket:tide-tables", "demo"])]
fn what_is_rare_is_answered(#[case] call: &[&str]) {
    let run = place().run(call);
    assert_eq!(run.code, 0, "{}", run.err);
}

/// What is written of an audit can be kept and read back, and nothing of it is lost.
#[test]
fn an_audit_is_read_back_as_it_was_written() {
    let written = place().run(&["audit", "demo", "--format", "json"]).out;
    let read: pasaporte_report::audit::Report = serde_json::from_str(&written).unwrap();
    assert!(read.findings.iter().any(|finding| !finding.beneath.is_empty()));
    let mut again = Vec::new();
    pasaporte_report::audit::write_json(&read, &mut again).unwrap();
    assert!(String::from_utf8(again).unwrap() == written);
}

#[test]
fn a_finding_says_whose_it_is_which_functions_it_touches_and_what_leads_it() {
    let written = place().run(&["audit", "demo", "--format", "json"]).out;
    let audit: Value = serde_json::from_str(&written).unwrap();
    let findings = audit["findings"].as_array().unwrap();
    let of = |rule: &str, thing: &str| {
        findings
            .iter()
            .find(|it| it["rule"] == rule && it["thing"] == thing)
            .unwrap_or_else(|| panic!("{rule} on {thing}"))
    };
    let stale = of("key/admin-in-use", "key:gate-admin");
    assert_eq!((stale["owner"].as_str(), stale["function_count"].as_u64()), (Some("boarding"), Some(5)));
    assert_eq!(stale["functions"][0], "function:gate-status");
    for leading in findings {
        assert_eq!(leading["led_by"], Value::Null);
        for beneath in leading["beneath"].as_array().unwrap() {
            assert_eq!(beneath["led_by"], leading["fingerprint"]);
        }
    }
}
