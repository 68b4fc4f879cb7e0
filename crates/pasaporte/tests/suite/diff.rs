//! What opened and closed between two estates, or two audits that were saved.

use crate::support::{Place, markdown};
use rstest::rstest;
use serde_json::{Value, json};

const OLD: &str = "estate: 1
as_of: 2026-11-20
scopes: [{id: pier, kind: account}]
functions:
  - {id: sail, in: pier, runs_as: sailor, endpoints: [{check: {key: function}, path: /sail}]}
  - {id: dock, in: pier, owner: crew, runs_as: sailor}
identities:
  - {id: sailor, in: pier, kind: execution-role, grants: [{set: tables}]}
  - {id: porter, in: pier, kind: execution-role}
permission_sets: [{id: tables, in: pier, statements: [\"allow table/* on table:*\"]}]
keys:
  - {id: north, opens: function:sail, reach: function, created: 2026-10-01, last_used: 2026-11-19, expires: 2026-12-31}
  - {id: south, opens: function:sail, reach: function, created: 2026-10-01, last_used: 2026-11-19, expires: 2026-12-31}
resources: [{id: \"table:bookings\", in: pier, sensitivity: confidential}, {id: \"table:fares\", in: pier}]
";

/// A place with the old estate, and one with changes.
fn place(changes: &[(&str, &str)]) -> Place {
    let place = Place::with("old.yaml", OLD);
    let new = changes.iter().fold(OLD.to_owned(), |estate, (was, now)| {
        assert!(estate.contains(was), "{was}");
        estate.replacen(was, now, 1)
    });
    place.write("new.yaml", new);
    place
}

fn diff(changes: &[(&str, &str)]) -> Value {
    place(changes).json(&["diff", "old.yaml", "new.yaml", "--format", "json"])
}

/// Some members of values.
fn each(all: &Value, members: &[&str]) -> Vec<Vec<Value>> {
    let all = all.as_array().unwrap().iter();
    all.map(|it| members.iter().map(|member| it[*member].clone()).collect()).collect()
}

#[test]
fn nothing_differs_of_an_estate_and_itself() {
    let told = diff(&[]);
    let estates = &told["estates"];
    for part in ["ways", "rights"] {
        assert_eq!(estates[part], json!([]), "{part}");
    }
    assert_eq!(estates["settings"], json!({"made": [], "gone": [], "changed": []}));
    assert_eq!(told["findings"]["new"], json!([]));
    let place = place(&[]);
    let run = place.run(&["diff", "old.yaml", "new.yaml", "--fail-on", "info"]);
    assert_eq!(run.code, 0);
    assert!(run.out.contains("Nothing opened, nothing closed"), "{}", run.out);
}

#[test]
fn a_door_that_was_opened_is_told_with_its_place_on_both_sides() {
    let told = diff(&[("check: {key: function}", "check: none")]);
    let ways = told["estates"]["ways"].as_array().unwrap();
    let anyone = ways.iter().find(|way| way["who"] == "anyone").unwrap();
    assert_eq!(anyone["opened"], true);
    assert_eq!((&anyone["was"], &anyone["now"]["circle"]), (&Value::Null, &json!("anyone")));
    assert_eq!((&anyone["was_at"]["line"], &anyone["now_at"]["file"]), (&json!(5), &json!("new.yaml")));
    let changed = each(&told["estates"]["settings"]["changed"], &["thing", "field", "was", "now"]);
    assert_eq!(changed, [[json!("sail/direct"), json!("check"), json!("key: function"), json!("none")]]);
    let place = place(&[("check: {key: function}", "check: none")]);
    let text = place.run(&["diff", "old.yaml", "new.yaml"]).out;
    assert!(text.contains("endpoint:sail/direct lets in anyone · new.yaml:5"), "{text}");
    assert!(!text.contains("Closed"), "nobody was shut out:\n{text}");
}

#[test]
fn a_narrower_wildcard_loses_what_it_no_longer_takes() {
    let told = diff(&[("allow table/* on table:*", "allow table/read on table:*")]);
    let rights = told["estates"]["rights"].as_array().unwrap();
    let sailors = |on: &str| -> Vec<&Value> {
        rights.iter().filter(|it| it["principal"] == "identity:sailor" && it["on"] == on).collect()
    };
    let of = |on: &str, action: &str| sailors(on).into_iter().find(|it| it["action"] == action).cloned();
    let lost = of("table:bookings", "table/write").unwrap();
    assert_eq!((&lost["was"], &lost["now"]), (&json!("yes"), &json!("no")));
    assert_eq!((&lost["was_by"]["line"], &lost["was_by"]["file"]), (&json!(10), &json!("old.yaml")));
    assert_eq!(of("table:bookings", "table/read"), None, "it still may");
    assert!(of("table at account:pier", "table/write").is_some(), "{rights:?}");
    assert!(rights.iter().all(|it| it["now"] == "no"), "nothing is gained");
    assert!(rights.iter().all(|it| it["principal"] == "identity:sailor"), "{rights:?}");
}

#[test]
fn a_thing_that_is_made_gives_nobody_a_right_that_they_had_on_all() {
    let more = "{id: \"table:fares\", in: pier}, {id: \"table:night\", in: pier}";
    let told = diff(&[("{id: \"table:fares\", in: pier}", more)]);
    assert_eq!(told["estates"]["rights"], json!([]));
    assert_eq!(each(&told["estates"]["settings"]["made"], &["thing"]), [[json!("table:night")]]);
}

#[test]
fn what_is_given_to_everybody_is_told_of_everybody() {
    let list = "sensitivity: confidential, access: [{to: anyone, allow: table/read}]";
    let place = place(&[("sensitivity: confidential", list)]);
    let told = place.json(&["diff", "old.yaml", "new.yaml", "--format", "json"]);
    let gained = each(&told["estates"]["rights"], &["principal", "as_everybody"]);
    assert!(gained.contains(&vec![json!("anyone"), json!(false)]), "{gained:?}");
    assert!(gained.contains(&vec![json!("identity:porter"), json!(true)]), "{gained:?}");
    let text = place.run(&["diff", "old.yaml", "new.yaml"]).out;
    assert!(text.contains("+ anyone") && !text.contains("+ identity:porter"), "{text}");
}

#[test]
fn keys_are_made_rotated_switched_and_gone() {
    let told = diff(&[
        (
            "{id: north, opens: function:sail, reach: function, created: 2026-10-01",
            "{id: north, opens: function:sail, reach: function, state: disabled, created: 2026-10-01, rotated: 2026-11-18",
        ),
        ("{id: south,", "{id: east,"),
    ]);
    let settings = &told["estates"]["settings"];
    assert_eq!(each(&settings["made"], &["thing"]), [[json!("east")]]);
    assert_eq!(each(&settings["gone"], &["thing"]), [[json!("south")]]);
    let changed = each(&settings["changed"], &["thing", "field", "now"]);
    assert_eq!(
        changed,
        [
            [json!("north"), json!("rotated"), json!("2026-11-18")],
            [json!("north"), json!("state"), json!("disabled")]
        ]
    );
    let lost = each(&told["estates"]["ways"], &["opened", "who"]);
    assert!(lost.contains(&vec![json!(false), json!("key:north")]), "{lost:?}");
}

#[test]
fn what_is_new_makes_it_fail_and_what_was_there_does_not() {
    let open = [("check: {key: function}", "check: none")];
    let fails = |place: &Place, old: &str, level: &str| {
        place.run(&["diff", old, "new.yaml", "--fail-on", level]).code
    };
    let place = place(&open);
    assert_eq!(fails(&place, "old.yaml", "critical"), 1);
    assert_eq!(fails(&place, "old.yaml", "new:critical"), 1);
    assert_eq!(fails(&place, "new.yaml", "info"), 0, "the same findings are not new");
    assert_eq!(place.run(&["audit", "old.yaml", "--save", "old.json"]).code, 0);
    assert_eq!(fails(&place, "old.json", "critical"), 1);
    let how =
        ["--owner", "crew", "--reason", "moved", "--until", "2100-01-31", "--yes", "--estate", "new.yaml"];
    assert_eq!(place.run(&[&["waive", "*@*"], &how[..]].concat()).code, 0);
    assert_eq!(fails(&place, "old.yaml", "info"), 0, "somebody answers for it");
}

#[test]
fn of_a_saved_audit_only_findings_are_compared() {
    let place = place(&[("check: {key: function}", "check: none")]);
    for (estate, file) in [("old.yaml", "old.json"), ("new.yaml", "new.json")] {
        assert_eq!(place.run(&["audit", estate, "--save", file]).code, 0);
    }
    let estates = place.json(&["diff", "old.yaml", "new.yaml", "--format", "json"]);
    for sides in [["old.json", "new.json"], ["old.json", "new.yaml"], ["old.yaml", "new.json"]] {
        let told = place.json(&["diff", sides[0], sides[1], "--format", "json"]);
        assert_eq!(told["estates"], Value::Null, "{sides:?}");
        assert_eq!(told["findings"], estates["findings"], "{sides:?}");
    }
    assert!(place.run(&["diff", "old.json", "new.json"]).out.contains("only findings are compared"));
}

#[test]
fn a_pull_request_reads_what_the_terminal_reads_and_nothing_in_it_is_mark_up() {
    let planted = "owner: \"<b>[x](y) | `c`\"";
    let place = place(&[("check: {key: function}", "check: none"), ("owner: crew", planted)]);
    let text = place.run(&["diff", "old.yaml", "new.yaml", "--format", "markdown"]).out;
    assert_eq!(markdown::beside_text(&text), Vec::<String>::new(), "{text}");
    for part in
        ["### Opened (1)", "**function:sail** endpoint:sail/direct lets in anyone", "### Set otherwise (2)"]
    {
        assert!(text.contains(part), "no `{part}` in:\n{text}");
    }
}

#[rstest]
#[case::missing(&["diff", "old.yaml", "nowhere.yaml"], "nowhere.yaml")]
#[case::wrong(&["diff", "old.yaml", "wrong.yaml"], "wrong.yaml:2")]
#[case::newer(&["diff", "newer.json", "old.yaml"], "saved by a newer version")]
#[case::no_rule(&["diff", "old.yaml", "old.yaml", "--skip", "key/stael"], "did you mean key/stale?")]
fn what_cannot_be_compared_is_told(#[case] args: &[&str], #[case] told: &str) {
    let place = place(&[]);
    place.write("wrong.yaml", "estate: 1\nfunctions: [{idd: x}]\n");
    place.write("newer.json", "{\"audit\": 99}");
    let run = place.run(args);
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(run.err.contains(told), "{}", run.err);
}
