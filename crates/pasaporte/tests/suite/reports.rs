//! Reports: one audit in several files, each by its ending.

use crate::support::{Place, markdown};
use serde_json::Value;

fn read(place: &Place, name: &str) -> String {
    std::fs::read_to_string(place.path().join(name)).unwrap()
}

#[test]
fn one_audit_is_written_in_several_ways() {
    let place = Place::with_demo();
    let all = ["--report", "a.md", "--report", "a.CSV", "--report", "a.json", "--format", "json"];
    let run = place.run(&[&["audit", "demo"], &all[..]].concat());
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(read(&place, "a.json") == run.out);
    let audit: Value = serde_json::from_str(&run.out).unwrap();
    let findings = audit["findings"].as_array().unwrap();
    // RFC 4180, by those who read it.
    let table = read(&place, "a.CSV");
    let mut rows = csv::Reader::from_reader(table.as_bytes());
    let headings = rows.headers().unwrap().clone();
    let rows: Vec<csv::StringRecord> = rows.records().map(Result::unwrap).collect();
    assert_eq!(rows.len(), findings.len());
    for (row, finding) in rows.iter().zip(findings) {
        for (heading, cell) in headings.iter().zip(row) {
            match &finding[heading] {
                Value::String(text) => assert_eq!(cell, text, "{heading}"),
                Value::Number(number) => assert_eq!(cell, number.to_string(), "{heading}"),
                _ => {}
            }
        }
    }
    let text = read(&place, "a.md");
    assert_eq!(markdown::beside_text(&text), Vec::<String>::new());
    assert_eq!(markdown::rows(&text), 20);
    assert!(text.contains(&format!("… and {} more.", findings.len() - 20)), "{text}");
    assert!(text.len() < 60_000, "short enough for a pull request");
}

#[test]
fn a_pull_request_is_told_what_is_new_gone_and_accepted() {
    let place = Place::with_demo();
    place.run(&["audit", "demo", "--save", "then.json"]);
    let estate = read(&place, "demo/poniente.yaml").replacen("check: {key: function}", "check: none", 1);
    place.write("demo/poniente.yaml", estate);
    let accept = ["--owner", "cr|ew", "--reason", "so", "--until", "2100-01-31", "--yes", "--estate", "demo"];
    assert_eq!(place.run(&[&["waive", "key/*@*"], &accept[..]].concat()).code, 0);
    place.run(&["audit", "demo", "--since", "then.json", "--report", "r.md"]);
    let text = read(&place, "r.md");
    // The door that opened; and that what is behind it used little of its rights is worse with that.
    assert_eq!(markdown::rows(&text), 2, "{text}");
    for part in ["**1 new**", "**critical** · new", "would read", "Accepted by pasaporte-accepted.toml"] {
        let wanted = if part == "would read" { "      endpoints: [{check: identity" } else { part };
        assert!(text.contains(wanted), "no `{wanted}` in:\n{text}");
    }
    place.run(&["audit", "demo", "--report", "all.csv"]);
    assert!(read(&place, "all.csv").contains(",cr|ew,2100-01-31,"));
}

#[test]
fn an_unknown_ending_is_told_before_anything_is_read() {
    let run = Place::new().run(&["audit", "nowhere", "--report", "r.md", "--report", "r.txt"]);
    assert_eq!(run.code, 2);
    assert!(
        run.err.contains("r.txt has no ending of a report") && run.err.contains(".md, .csv, .json"),
        "{}",
        run.err
    );
}
