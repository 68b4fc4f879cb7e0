//! The order of entries within a file, of keys within an entry and of files never shows in an answer: only the places
//! that it names move with what was moved.

use crate::support::Place;
use fastrand::Rng;
use pasaporte_bench::generate;
use rstest::rstest;
use serde_json::Value;

/// An estate of many kinds of entries, as lines.
fn lines() -> Vec<String> {
    let mut text = Vec::new();
    generate(150, 7, &mut text).unwrap();
    let mut lines: Vec<String> = String::from_utf8(text).unwrap().lines().map(str::to_owned).collect();
    // Who is let in is told in the order of names, whichever was given first.
    for line in [
        r#"{"resource":{"id":"queue:open-jobs","in":"tickets-0","access":[{"to":["signed-in","anyone"],"allow":["queue/send"]}]}}"#,
        r#"{"function":{"id":"drain","in":"tickets-0","triggers":[{"source":"queue:open-jobs"}],"invoke":["account:elsewhere","anyone"]}}"#,
        r#"{"group":{"id":"guests","in":"tickets-0","members":["outside:auditor.example/desk","anyone"],"grants":[{"statements":["allow secret/* on secret:*"]}]}}"#,
    ] {
        lines.push(line.to_owned());
    }
    lines
}

/// The same value with the keys of every map in another order.
fn with_other_order(value: &Value, rng: &mut Rng) -> String {
    match value {
        Value::Object(map) => {
            let mut fields: Vec<String> = map
                .iter()
                .map(|(key, value)| format!("{}:{}", Value::from(key.as_str()), with_other_order(value, rng)))
                .collect();
            rng.shuffle(&mut fields);
            format!("{{{}}}", fields.join(","))
        }
        Value::Array(all) => {
            let all: Vec<String> = all.iter().map(|value| with_other_order(value, rng)).collect();
            format!("[{}]", all.join(","))
        }
        other => other.to_string(),
    }
}

/// Takes out of an answer where things stand in files, and puts what is listed by place in an order of its own.
fn without_places(value: &mut Value) {
    match value {
        Value::Object(map) => {
            for key in ["file", "line", "column", "was", "reads"] {
                map.remove(key);
            }
            // A place in one text, or several.
            if matches!(map.get("read_from"), Some(Value::String(_) | Value::Array(_))) {
                map.remove("read_from");
            }
            map.values_mut().for_each(without_places);
            if let Some(Value::Array(evidence)) = map.get_mut("evidence") {
                evidence.sort_by_key(ToString::to_string);
            }
        }
        Value::Array(all) => all.iter_mut().for_each(without_places),
        _ => {}
    }
}

fn answer(place: &Place, args: &[&str]) -> String {
    let run = place.run(args);
    assert_eq!(run.code, 0, "{}", run.err);
    let mut value: Value = serde_json::from_str(&run.out).unwrap();
    without_places(&mut value);
    serde_json::to_string_pretty(&value).unwrap()
}

#[rstest]
#[case::audit(&["audit"])]
#[case::reach(&["reach", "group:guests"])]
#[case::reach_of_a_role(&["reach", "identity:tickets-0/sell-ticket-role-0"])]
#[case::entry(&["entry", "drain"])]
#[case::paths(&["paths"])]
#[case::card(&["card", "drain"])]
#[case::list(&["list", "functions"])]
#[case::explain(&["explain", "anyone", "queue/send", "queue:open-jobs"])]
fn order_never_shows(#[case] command: &[&str]) {
    let original = lines();
    let in_two_files = |entries: &[String], cut: usize| {
        let place = Place::new();
        place.write("estate/b.ndjson", format!("{}\n{}", original[0], entries[..cut].join("\n")));
        place.write("estate/a.ndjson", format!("{}\n{}", original[0], entries[cut..].join("\n")));
        place
    };
    let first = in_two_files(&original[1..], 40);
    let args = [command, &["estate", "--format", "json"]].concat();
    let expected = answer(&first, &args);
    for seed in 0..8 {
        let mut rng = Rng::with_seed(seed);
        let mut entries: Vec<String> = original[1..]
            .iter()
            .map(|line| with_other_order(&serde_json::from_str(line).unwrap(), &mut rng))
            .collect();
        rng.shuffle(&mut entries);
        let place = in_two_files(&entries, rng.usize(1..original.len() - 1));
        let found = answer(&place, &args);
        let differing = found.lines().zip(expected.lines()).find(|(one, other)| one != other);
        assert!(differing.is_none(), "seed {seed}: {differing:#?}");
        assert_eq!(found.len(), expected.len(), "seed {seed}");
    }
}

/// The lines as one JSON document, its members in some order, each of them too.
fn as_document(lines: &[String], declared: bool, rng: &mut Rng) -> String {
    let mut sections: std::collections::BTreeMap<String, Vec<String>> = std::collections::BTreeMap::new();
    let mut members = vec!["\"estate\": 1".to_owned(), format!("\"declared\": {declared}")];
    for line in lines {
        let line: Value = serde_json::from_str(line).unwrap();
        for (name, value) in line.as_object().unwrap() {
            match name.as_str() {
                "estate" => {}
                "as_of" => members.push(format!("\"as_of\": {value}")),
                "identity" => {
                    sections.entry("identities".to_owned()).or_default().push(with_other_order(value, rng));
                }
                name => sections.entry(format!("{name}s")).or_default().push(with_other_order(value, rng)),
            }
        }
    }
    members.extend(sections.iter().map(|(name, items)| format!("\"{name}\": [{}]", items.join(", "))));
    rng.shuffle(&mut members);
    format!("{{{}}}", members.join(", "))
}

#[rstest]
#[case::deployed(false)]
#[case::declared(true)]
fn members_of_a_document_are_in_any_order(#[case] declared: bool) {
    let lines: Vec<String> = [
        r#"{"estate": 1, "as_of": "2026-11-20"}"#,
        r#"{"scope": {"id": "tides", "kind": "account"}}"#,
        r#"{"identity": {"id": "bell", "in": "tides", "kind": "execution-role"}}"#,
        r#"{"function": {"id": "horn", "in": "tides", "runs_as": "bell", "endpoints": [{"check": "none", "url": "https://tides.example/"}]}}"#,
        r#"{"key": {"id": "k", "opens": "function:horn", "reach": "function", "created": "2020-01-01"}}"#,
    ]
    .map(str::to_owned)
    .to_vec();
    let mut answers = std::collections::BTreeSet::new();
    for seed in 0..12 {
        let text = as_document(&lines, declared, &mut Rng::with_seed(seed));
        answers.insert(answer(&Place::with("a.json", text), &["audit", "a.json", "--format", "json"]));
    }
    assert_eq!(answers.len(), 1);
    let blind = answers.first().unwrap().contains("only declared files were given");
    assert_eq!(blind, declared, "what is declared is known to be");
}
