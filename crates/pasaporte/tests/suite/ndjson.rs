//! NDJSON through the built program: batches of lines, read side by side, come to the same as one document, and
//! every mistake is told at its line.

use crate::support::{Place, findings};
use rstest::rstest;
use serde_json::{Value, json};

/// Lines of so many functions, each with an identity of its own and an endpoint that checks nothing.
fn lines(functions: usize) -> Vec<String> {
    let mut all = vec![json!({"estate": 1, "as_of": "2026-11-20"}).to_string()];
    for number in 0..functions {
        let identity = json!({"identity": {"id": format!("role-{number}"), "kind": "service-account",
            "grants": [{"statements": [{"allow": ["table/read"], "on": [format!("table:t-{number}")]}]}]}});
        let function = json!({"function": {"id": format!("f-{number}"), "runs_as": format!("role-{number}"),
            "settings": ["PIER", "TIDE_SOURCE"], "tags": {"team": "tides"}, "endpoints": [{"check": "none"}]}});
        all.push(identity.to_string());
        all.push(function.to_string());
    }
    all
}

/// The same as one JSON document.
fn document(lines: &[String]) -> String {
    let mut whole = json!({"estate": 1, "as_of": "2026-11-20", "identities": [], "functions": []});
    for line in &lines[1..] {
        let entity: Value = serde_json::from_str(line).unwrap();
        let (kind, value) = entity.as_object().unwrap().iter().next().unwrap();
        let section = if kind == "identity" { "identities" } else { "functions" };
        whole[section].as_array_mut().unwrap().push(value.clone());
    }
    whole.to_string()
}

/// Enough functions for many batches: about four megabytes.
const MANY: usize = 12_000;

#[test]
fn many_batches_come_to_the_same_as_one_document() {
    let all = lines(MANY);
    let place = Place::with("lines.ndjson", all.join("\n") + "\n");
    place.write("whole.json", document(&all));
    let only = ["--only", "entry/anonymous-endpoint"];
    let audits = ["lines.ndjson", "whole.json"].map(|file| place.audit(&[&[file], &only[..]].concat()));
    assert_eq!(findings(&audits[0]).len(), MANY);
    assert_eq!(findings(&audits[0]), findings(&audits[1]));
    assert_eq!(audits[0]["looked_at"]["things"], audits[1]["looked_at"]["things"]);
}

#[test]
fn each_thing_remembers_its_line_whatever_batch_it_was_in() {
    let place = Place::with("lines.ndjson", lines(MANY).join("\n"));
    let audit = place.audit(&["lines.ndjson", "--only", "entry/anonymous-endpoint"]);
    for finding in audit["findings"].as_array().unwrap().iter().step_by(997) {
        let number: u64 = finding["thing"].as_str().unwrap()["endpoint:f-".len()..]
            .trim_end_matches("/direct")
            .parse()
            .unwrap();
        // A header, then two lines a function, of which the function's is the second.
        assert_eq!(finding["evidence"][0]["line"], 3 + 2 * number, "{finding}");
    }
}

#[test]
fn ten_runs_give_the_same_bytes() {
    let place = Place::with("lines.ndjson", lines(3_000).join("\n"));
    let run = || place.run(&["audit", "lines.ndjson", "--all"]).out;
    let first = run();
    assert!((0..9).all(|_| run() == first));
}

#[rstest]
#[case::in_the_first_batch(7)]
#[case::in_a_later_one(9_001)]
#[case::in_the_last(2 * MANY)]
fn a_mistake_is_told_at_its_line(#[case] line: usize) {
    let mut all = lines(MANY);
    all[line - 1] = r#"{"function": {"id": "x", "runs-as": "role-1"}}"#.to_owned();
    let run = Place::with("lines.ndjson", all.join("\n")).run(&["audit", "lines.ndjson"]);
    assert_eq!(run.code, 2);
    assert!(run.err.contains(&format!("lines.ndjson:{line}:")), "{}", run.err);
    assert!(run.err.contains("did you mean `runs_as`?"), "{}", run.err);
    assert!(run.err.contains("1 mistake in the input"), "{}", run.err);
}

#[test]
fn mistakes_of_all_batches_are_told_in_order() {
    let mut all = lines(MANY);
    let wrong = [500, 4_000, 11_111, 23_000];
    for line in wrong {
        all[line - 1] = r#"{"function": {"id": 5}}"#.to_owned();
    }
    let run = Place::with("lines.ndjson", all.join("\n")).run(&["audit", "lines.ndjson"]);
    let places: Vec<usize> = wrong
        .iter()
        .map(|line| run.err.find(&format!("lines.ndjson:{line}:")).unwrap_or_else(|| panic!("{}", run.err)))
        .collect();
    assert!(places.is_sorted(), "{}", run.err);
    assert!(run.err.contains("4 mistakes in the input"), "{}", run.err);
}

#[test]
fn a_duplicate_across_batches_names_both_lines() {
    let mut all = lines(MANY);
    all.push(all[2].clone());
    let run = Place::with("lines.ndjson", all.join("\n")).run(&["audit", "lines.ndjson"]);
    assert_eq!(run.code, 2);
    assert!(run.err.contains("function:f-0 is declared twice"), "{}", run.err);
    assert!(run.err.contains("lines.ndjson:3:") && run.err.contains(&format!("lines.ndjson:{}:", all.len())));
}

#[rstest]
#[case::an_array(r#"["function"]"#, "expected an entity", 2)]
#[case::an_unknown_kind(r#"{"funktion": {}}"#, "did you mean `function`?", 2)]
#[case::two_entities(r#"{"function": {"id": "f"}, "key": {}}"#, "a line holds one entity", 2)]
#[case::an_empty_map("{}", "expected an entity", 2)]
#[case::half_a_line(r#"{"function": {"id": "#, "not JSON that is accepted", 2)]
#[case::more_behind_it(r#"{"function": {"id": "f"}} x"#, "not JSON that is accepted", 2)]
#[case::a_field_of_the_header_that_is_none(
    r#"{"estate": 1, "when": "now"}"#,
    "is not a field of the first line",
    2
)]
#[case::another_version(r#"{"estate": 2}"#, "version 2 of the format is not known", 2)]
#[case::another_time(r#"{"as_of": "2026-11-21"}"#, "another file says", 2)]
fn a_line_that_is_no_entity_is_refused(#[case] line: &str, #[case] said: &str, #[case] at: u32) {
    let text = format!("{{\"estate\": 1, \"as_of\": \"2026-11-20\"}}\n{line}\n");
    let run = Place::with("lines.ndjson", text).run(&["audit", "lines.ndjson"]);
    assert_eq!(run.code, 2);
    assert!(run.err.contains(said), "{}", run.err);
    assert!(run.err.contains(&format!("lines.ndjson:{at}:")), "{}", run.err);
}

#[test]
fn the_version_is_asked_for_once_on_the_first_line() {
    let body = lines(4)[1..].join("\n");
    let run = Place::with("lines.ndjson", &body).run(&["audit", "lines.ndjson"]);
    assert_eq!(run.code, 2);
    assert!(run.err.contains("the first line does not say the version"), "{}", run.err);
    assert!(run.err.contains("1 mistake in the input"), "{}", run.err);
}

#[rstest]
#[case::blank_lines("\n\n{\"estate\": 1}\n\n\n{\"function\": {\"id\": \"f\"}}\n\n")]
#[case::windows_line_ends("{\"estate\": 1}\r\n{\"function\": {\"id\": \"f\"}}\r\n")]
#[case::no_newline_at_the_end("{\"estate\": 1}\n{\"function\": {\"id\": \"f\"}}")]
#[case::escapes("{\"estate\": 1}\n{\"functi\\u006fn\": {\"id\": \"\\u0066\"}}\n")]
fn lines_may_be_written_in_several_ways(#[case] text: &str) {
    let place = Place::with("lines.ndjson", text);
    let listed = place.run(&["list", "functions", "lines.ndjson", "--format", "json"]);
    assert_eq!(listed.code, 0, "{}", listed.err);
    let listed: Value = serde_json::from_str(&listed.out).unwrap();
    assert_eq!(listed["rows"][0]["function"], "f");
}

#[rstest]
#[case::not_utf_8(b"{\"function\": {\"id\": \"\xff\"}}", "not UTF-8")]
#[case::a_nul(b"{\"function\": {\"id\": \"a\0\"}}", "a NUL byte")]
fn a_line_that_is_no_text_does_not_hide_the_others(#[case] line: &[u8], #[case] said: &str) {
    let mut bytes = b"{\"estate\": 1}\n".to_vec();
    bytes.extend(line);
    bytes.extend(b"\n{\"function\": {\"id\": 7}}\n");
    let run = Place::with("lines.ndjson", bytes).run(&["audit", "lines.ndjson"]);
    assert_eq!(run.code, 2);
    assert!(run.err.contains(said) && run.err.contains("lines.ndjson:2"), "{}", run.err);
    assert!(run.err.contains("lines.ndjson:3:"), "{}", run.err);
    assert!(run.err.contains("2 mistakes in the input"), "{}", run.err);
}

#[test]
fn a_line_longer_than_any_entity_ends_the_reading() {
    let mut text = lines(2_000).join("\n") + "\n";
    text += &format!("{{\"function\": {{\"id\": \"{}\"}}}}\n", "a".repeat(17 << 20));
    let run = Place::with("lines.ndjson", text).run(&["audit", "lines.ndjson"]);
    assert_eq!(run.code, 2);
    assert!(run.err.contains("a line of more than 16 MiB"), "{}", run.err);
    assert!(run.err.contains("lines.ndjson:4002"), "{}", run.err);
}

#[test]
fn standard_input_is_read_in_batches_too() {
    let text = lines(MANY).join("\n");
    let run = Place::new().run_with(&["list", "functions", "-", "--format", "json"], text);
    assert_eq!(run.code, 0, "{}", run.err);
    let listed: Value = serde_json::from_str(&run.out).unwrap();
    assert_eq!(listed["rows"].as_array().unwrap().len(), MANY);
}
