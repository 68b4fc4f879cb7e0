//! An audit held against one that was saved.

use crate::support::Place;
use rstest::rstest;
use serde_json::Value;

const ESTATE: &str = "estate: 1
as_of: 2026-11-20
scopes: [{id: pier, kind: account}, {id: quay, kind: account}]
functions:
  - {id: sail, in: pier, environment: test, runs_as: sailor, endpoints: [{check: none}]}
  - {id: dock, in: quay, endpoints: [{check: identity}]}
identities: [{id: sailor, in: pier, kind: execution-role, grants: [{set: all}]}]
permission_sets: [{id: all, in: pier, statements: [allow table/* on *]}]
keys: [{id: old, opens: function:dock, reach: function, created: 2024-01-01, last_used: never}]
";

/// A place with that estate, audited and saved.
fn saved(more: &[&str]) -> Place {
    let place = Place::with("estate.yaml", ESTATE);
    let run = place.run(&[&["audit", "estate.yaml", "--save", "then.json"], more].concat());
    assert_eq!(run.code, 0, "{}", run.err);
    place
}

/// The audit of what the estate has become, held against the one that was saved.
fn since(place: &Place, from: &str, to: &str, more: &[&str]) -> Value {
    assert!(ESTATE.contains(from), "{from}");
    place.write("estate.yaml", ESTATE.replace(from, to));
    place.audit(&[&["estate.yaml", "--since", "then.json"], more].concat())
}

fn counts(audit: &Value) -> [u64; 4] {
    let since = &audit["since"];
    let count = |name: &str| since[name].as_u64().unwrap();
    [count("new"), count("worse"), count("same"), since["gone"].as_array().unwrap().len() as u64]
}

fn standing(audit: &Value, rule: &str) -> Vec<(String, Value)> {
    let of_rule = audit["findings"].as_array().unwrap().iter().filter(|it| it["rule"] == rule);
    of_rule.map(|it| (it["since"].as_str().unwrap().to_owned(), it["was"].clone())).collect()
}

#[test]
fn what_is_saved_is_the_audit() {
    let place = saved(&[]);
    let written = std::fs::read_to_string(place.path().join("then.json")).unwrap();
    let mut saved: Value = serde_json::from_str(&written).unwrap();
    // With what reports show beside it.
    let exhibits = saved.as_object_mut().unwrap().remove("exhibits").unwrap();
    assert!(exhibits["passports"].as_array().is_some_and(|all| !all.is_empty()), "{exhibits}");
    assert_eq!(saved, place.audit(&["estate.yaml"]));
}

#[test]
fn held_against_itself_everything_is_the_same() {
    let audit = since(&saved(&[]), "estate: 1", "# a comment, and so other lines\nestate: 1", &[]);
    let all = audit["findings"].as_array().unwrap().len() as u64;
    assert_eq!((counts(&audit), all > 3), ([0, 0, all, 0], true));
}

#[test]
fn what_opens_is_new_what_closes_is_gone_and_what_gets_worse_says_what_it_was() {
    let place = saved(&[]);
    let audit = since(&place, "check: identity", "check: none", &[]);
    assert_eq!(counts(&audit)[0], 1, "{audit}");
    assert_eq!(standing(&audit, "entry/anonymous-endpoint").len(), 2);
    let audit = since(&place, "{check: none}", "{check: identity}", &[]);
    let gone = audit["since"]["gone"].as_array().unwrap();
    assert!(gone.iter().any(|it| it["thing"] == "endpoint:sail/direct"), "{gone:?}");
    let audit = since(&place, "environment: test", "environment: production", &[]);
    let [(how, was)] = &standing(&audit, "entry/anonymous-endpoint")[..] else { panic!("{audit}") };
    assert!(how == "worse" && was.is_string(), "{audit}");
}

/// The leader goes, and what lay beneath it leads: that was known.
#[test]
fn what_lay_beneath_is_no_news_when_it_leads() {
    let place = Place::with_demo();
    assert_eq!(place.run(&["audit", "demo", "--save", "then.json"]).code, 0);
    let then: Value =
        serde_json::from_str(&std::fs::read_to_string(place.path().join("then.json")).unwrap()).unwrap();
    let leads =
        then["findings"].as_array().unwrap().iter().filter(|it| it["beneath"] != Value::Array(vec![]));
    for rule in leads.map(|it| it["rule"].as_str().unwrap()).collect::<std::collections::BTreeSet<_>>() {
        let audit = place.audit(&["demo", "--since", "then.json", "--skip", rule]);
        assert_eq!(counts(&audit)[0], 0, "without {rule}: {}", audit["since"]);
        // What was not looked for is not gone.
        assert_eq!(counts(&audit)[3], 0, "without {rule}: {}", audit["since"]);
        assert!(audit["since"]["not_looked_for"].as_u64() > Some(0));
        // The other way round it led, and now lies beneath: that is not gone.
        assert_eq!(place.run(&["audit", "demo", "--skip", rule, "--save", "without.json"]).code, 0);
        let audit = place.audit(&["demo", "--since", "without.json"]);
        assert_eq!(counts(&audit)[3], 0, "with {rule}: {}", audit["since"]);
    }
}

#[test]
fn what_was_not_looked_for_then_counts_as_new_and_is_told() {
    let place = saved(&["--only", "key/*"]);
    let audit = since(&place, "estate: 1", "estate: 1", &[]);
    let since = &audit["since"];
    assert!(since["new"].as_u64() > Some(0), "{since}");
    assert_eq!(since["new"], since["by_other_rules"]);
    let told = place.run(&["audit", "estate.yaml", "--since", "then.json"]).out;
    assert!(told.contains("are by rules that were not run then"), "{told}");
}

#[rstest]
#[case::nothing_new("estate: 1", "new:info", 0)]
#[case::known("estate: 1", "info", 1)]
#[case::opened("check: identity", "new:low", 1)]
#[case::worse("environment: test", "new:medium", 1)]
#[case::not_so_bad("check: identity", "new:critical", 0)]
fn a_pipeline_fails_on_what_is_new_or_worse(#[case] from: &str, #[case] level: &str, #[case] code: i32) {
    let to = match from {
        "check: identity" => "check: none",
        "environment: test" => "environment: production",
        other => other,
    };
    let place = saved(&[]);
    place.write("estate.yaml", ESTATE.replace(from, to));
    let run = place.run(&["audit", "estate.yaml", "--since", "then.json", "--fail-on", level]);
    assert_eq!(run.code, code, "{}", run.out);
}

#[test]
fn text_tells_what_is_new_and_names_what_is_gone() {
    let place = saved(&[]);
    place.write(
        "estate.yaml",
        ESTATE
            .replace("{check: identity}", "{check: none, path: /open}")
            .replace("{check: none}", "{check: identity}"),
    );
    let run = place.run(&["audit", "estate.yaml", "--since", "then.json"]);
    for part in [
        "Since then.json (as of 2026-11-20",
        "endpoint:dock/direct",
        "new",
        "GONE",
        "endpoint:sail/direct  was",
    ] {
        assert!(run.out.contains(part), "no `{part}` in:\n{}", run.out);
    }
    assert!(!run.out.contains("▌ key:old"), "what is the same is not told:\n{}", run.out);
    assert!(run.out.contains("told with --all only"), "{}", run.out);
    let all = place.run(&["audit", "estate.yaml", "--since", "then.json", "--all"]).out;
    assert!(all.contains("▌ key:old") && !all.contains("told with --all only"), "{all}");
}

#[test]
fn what_may_be_out_of_sight_or_of_another_estate_is_said() {
    let place = saved(&[]);
    let blind = "blind_spots: [{what: the endpoints, hides: who gets in}]\n";
    place.write("estate.yaml", ESTATE.replace("{check: none}", "{check: identity}") + blind);
    let told = place.run(&["audit", "estate.yaml", "--since", "then.json"]).out;
    assert!(told.replace('\n', " ").contains("what is gone may only be out of sight"), "{told}");
    place.write("estate.yaml", ESTATE.replace("pier", "bay").replace("quay", "cove"));
    let told = place.run(&["audit", "estate.yaml", "--since", "then.json"]).out;
    assert!(told.replace('\n', " ").contains("it may be of another estate"), "{told}");
}

#[rstest]
#[case::nothing("--fail-on", "new:high", "", "name an audit that was saved")]
#[case::not_there("--since", "nowhere.json", "", "nowhere.json cannot be read")]
#[case::an_estate("--since", "it", "{\n \"estate\": 1}", "it:2:13 is not what an audit is saved as")]
#[case::cut("--since", "it", "{\"audit\": 1, \"findings\": [", "is not what an audit is saved as")]
#[case::newer(
    "--since",
    "it",
    "{\"audit\": 7, \"rest\": \"of another kind\"}",
    "audits of version 7, and this reads 1"
)]
fn a_wrong_call_or_file_is_told(
    #[case] option: &str,
    #[case] value: &str,
    #[case] file: &str,
    #[case] told: &str,
) {
    let place = Place::with("estate.yaml", ESTATE);
    place.write("it", file);
    let run = place.run(&["audit", "estate.yaml", option, value]);
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(run.err.contains(told), "{}", run.err);
    assert_eq!(run.out, "");
}
