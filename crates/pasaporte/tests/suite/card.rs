//! A function's passport, as text and as JSON.

use crate::support::{Place, demo};
use rstest::rstest;
use serde_json::{Value, json};

fn card(function: &str) -> Value {
    let place = Place::new();
    let run = place.run(&["card", function, demo().to_str().unwrap(), "--format", "json"]);
    assert_eq!(run.code, 0, "{}", run.err);
    serde_json::from_str(&run.out).unwrap()
}

fn shown(function: &str, width: &str) -> String {
    let place = Place::with_demo();
    let run = place.run(&["card", function, "demo", "--width", width]);
    assert_eq!(run.code, 0, "{}", run.err);
    run.out
}

fn way<'c>(card: &'c Value, kind: &str) -> &'c Value {
    card["entries"].as_array().unwrap().iter().find(|way| way["kind"] == kind).unwrap()
}

fn who(way: &Value) -> Vec<&str> {
    way["lets_in"].as_array().unwrap().iter().map(|it| it["who"].as_str().unwrap()).collect()
}

#[test]
fn it_says_who_the_function_is() {
    let card = card("manifest-preview");
    assert_eq!(card["function"], "function:manifest-preview");
    assert_eq!(card["platform"], "poniente");
    assert_eq!(card["account"], "account:boarding");
    assert_eq!(card["environment"], "production");
    // Said by its account.
    assert_eq!(card["owner"], "boarding");
    assert_eq!(card["runs_as"]["identity"], "identity:manifest-identity");
    assert_eq!(card["runs_as"]["shared_with"], json!(["function:manifest-export"]));
}

#[rstest]
#[case::open_endpoint("manifest-preview", "endpoint", &["anyone"])]
#[case::open_route("refund-form", "route", &["anyone"])]
#[case::writers_of_a_source("scan-passport", "event", &["identity:refund-check-role", "identity:seat-map-role"])]
#[case::permission("partner-sync", "invoke", &["account:harbour-pay", "identity:refund-check-role"])]
fn it_says_who_gets_in_by_each_way(#[case] function: &str, #[case] kind: &str, #[case] expected: &[&str]) {
    assert_eq!(who(way(&card(function), kind)), expected);
}

#[test]
fn a_way_says_what_it_asks_for_and_what_else_matters() {
    let card = card("refund-form");
    let route = way(&card, "route");
    assert_eq!(route["way"], "any method /refund");
    assert_eq!(route["asks"], "nothing");
    assert_eq!(route["network"], json!(["internet"]));
    let notes: Vec<(&str, bool)> = route["notes"]
        .as_array()
        .unwrap()
        .iter()
        .map(|note| (note["text"].as_str().unwrap(), note["alarming"].as_bool().unwrap()))
        .collect();
    assert_eq!(
        notes,
        [
            ("gateway front-door presents identity:refund-gateway", false),
            ("POST /refund declares a bearer token", true),
            ("a try without a credential got through (HEAD 200, 2026-11-19)", false),
        ]
    );
    assert_eq!(card["exposed_to"], "anyone");
}

#[test]
fn a_try_that_got_through_although_a_key_is_asked_for_cannot_be_overlooked() {
    let card = card("manifest-export");
    let endpoint = way(&card, "endpoint");
    assert_eq!(endpoint["asks"], "function key");
    let note = &endpoint["notes"][0];
    assert_eq!(note["text"], "a try without a credential got through (HEAD 200, 2026-11-19)");
    assert_eq!(note["alarming"], true);
}

#[test]
fn an_unpinned_service_lets_outsiders_in() {
    let card = card("scan-passport");
    assert_eq!(card["exposed_to"], "outsider");
    assert_eq!(card["exposed_surely"], true);
}

#[test]
fn exits_are_by_service_with_the_most_sensitive_first() {
    let card = card("report-find");
    let exits = card["exits"].as_array().unwrap();
    let services: Vec<&str> = exits.iter().map(|exit| exit["service"].as_str().unwrap()).collect();
    assert_eq!(services, ["database", "bucket"]);
    assert_eq!(exits[0]["confidential"], 1);
    assert_eq!(exits[0]["things"], 2);
    assert_eq!(exits[0]["example"], "database:claims");
    assert_eq!(exits[0]["wild"], true);
    // What anybody may is told apart.
    let common = card["exits_as_anyone"].as_array().unwrap();
    assert!(common.iter().all(|exit| exit["service"] != "database"), "{common:?}");
    assert!(common.iter().any(|exit| exit["service"] == "function"), "{common:?}");
}

#[test]
fn keys_and_findings_are_those_about_the_function() {
    let card = card("open-gate");
    let keys: Vec<&str> =
        card["keys"].as_array().unwrap().iter().map(|key| key["key"].as_str().unwrap()).collect();
    let expected = [
        "key:gate-admin",
        "key:gate-app-default",
        "key:gate-app-kiosks",
        "key:open-gate-contractor",
        "key:open-gate-new",
        "key:open-gate-north",
    ];
    assert_eq!(keys, expected);
    let findings = card["findings"].as_array().unwrap();
    let about = |thing: &str| findings.iter().any(|finding| finding["thing"] == thing);
    assert!(about("key:open-gate-contractor") && about("key:gate-admin"));
    assert!(!about("key:scan-pass-first"));
}

#[test]
fn a_switched_off_function_lets_nobody_in() {
    let card = card("old-kiosk");
    assert_eq!(card["state"], "disabled");
    assert!(who(way(&card, "endpoint")).is_empty());
    assert!(shown("old-kiosk", "100").contains("switched off: nobody gets in"));
}

#[rstest]
fn every_card_of_the_sample_estate_fits(#[values("60", "100")] width: &str) {
    let place = Place::with_demo();
    let list = place.run(&["list", "functions", "demo", "--format", "json"]);
    let functions: Value = serde_json::from_str(&list.out).unwrap();
    let names = functions["rows"].as_array().unwrap();
    for name in names.iter().step_by(7).map(|row| row["function"].as_str().unwrap()) {
        let run = place.run(&["card", &format!("function:{name}"), "demo", "--width", width]);
        assert_eq!(run.code, 0, "{}", run.err);
        let most: usize = width.parse().unwrap();
        for line in run.out.lines() {
            // A name that is longer than a column is not broken.
            let fits = line.chars().count() <= most || line.trim().split(' ').count() <= 4;
            assert!(fits, "{name} at {width}: {line}");
        }
    }
}

#[test]
fn an_open_door_cannot_be_overlooked() {
    let text = shown("manifest-preview", "100");
    assert!(text.contains("at the widest anyone"), "{text}");
    let squeezed = text.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(squeezed.contains("any method /preview internet nothing ANYONE"), "{text}");
    let place = Place::with_demo();
    let coloured = place.run(&["card", "manifest-preview", "demo", "--color", "always"]).out;
    // Reversed: also on a terminal of two colours.
    assert!(coloured.lines().any(|line| line.contains("ANYONE") && line.contains("\u{1b}[7m")), "{coloured}");
}
