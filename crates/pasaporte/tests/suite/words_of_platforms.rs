//! One word of two platforms: what an action does is what the platform says on which it is done.

use crate::support::{Place, with_beneath};
use rstest::rstest;
use serde_json::Value;

/// Two accounts of two platforms that class one word differently, and one of neither.
const ESTATE: &str = "estate: 1
as_of: 2026-11-20
actions:
  - {action: table/vista, class: read, platform: siroco}
  - {action: table/vista, class: delete, platform: levante}
  - {action: table/tally, class: list}
scopes:
  - {id: line, kind: organization}
  - {id: tickets, kind: account, in: line, platform: siroco}
  - {id: port, kind: account, in: line, platform: levante}
  - {id: crew, kind: account, in: line}
resources:
  - {id: \"table:bookings\", in: tickets}
  - {id: \"table:berths\", in: port}
  - {id: \"table:rosters\", in: crew}
identities:
  - {id: sell-role, in: tickets, kind: execution-role, grants: [{statements: [allow table/vista], at: account:tickets}]}
  - {id: berth-role, in: port, kind: execution-role, grants: [{statements: [allow table/vista], at: account:port}]}
  - {id: roster-role, in: crew, kind: execution-role, grants: [{statements: [allow table/vista], at: account:crew}]}
functions:
  - {id: sell-ticket, in: tickets, runs_as: sell-role}
  - {id: assign-berth, in: port, runs_as: berth-role}
  - {id: post-roster, in: crew, runs_as: roster-role}
";

fn class_of(place: &Place, who: &str, action: &str, on: &str) -> Value {
    place.json(&["explain", who, action, on, "e.yaml", "--format", "json"])["question"]["class"].clone()
}

#[rstest]
#[case::as_one_platform_has_it("sell-role", "table/vista", "table:bookings", Value::from("read"))]
#[case::as_the_other_has_it("berth-role", "table/vista", "table:berths", Value::from("delete"))]
#[case::as_neither_has_it("roster-role", "table/vista", "table:rosters", Value::Null)]
#[case::by_where_it_is_done_and_not_by_who_asks(
    "roster-role",
    "table/vista",
    "table:berths",
    Value::from("delete")
)]
#[case::a_line_of_no_platform_counts_everywhere(
    "berth-role",
    "table/tally",
    "table:rosters",
    Value::from("list")
)]
#[case::and_so_does_what_every_estate_shares(
    "sell-role",
    "table/write",
    "table:berths",
    Value::from("write")
)]
fn an_action_is_of_the_class_that_its_platform_says(
    #[case] who: &str,
    #[case] action: &str,
    #[case] on: &str,
    #[case] class: Value,
) {
    assert_eq!(class_of(&Place::with("e.yaml", ESTATE), who, action, on), class);
}

#[test]
fn the_order_of_lines_means_nothing() {
    let mut lines: Vec<&str> = ESTATE.lines().collect();
    lines[3..6].reverse();
    let place = Place::with("e.yaml", lines.join("\n"));
    assert_eq!(class_of(&place, "sell-role", "table/vista", "table:bookings"), "read");
    assert_eq!(class_of(&place, "berth-role", "table/vista", "table:berths"), "delete");
}

#[test]
fn a_word_is_unknown_where_no_line_of_its_platform_knows_it() {
    let place = Place::with("e.yaml", ESTATE);
    let audit = place.audit(&["e.yaml", "--only", "blind/unknown-action"]);
    let found = audit["findings"].as_array().unwrap();
    assert_eq!(found.len(), 1, "{found:#?}");
    assert_eq!(
        found[0]["situation"],
        "No line of the catalogue that counts there says what table/vista does, so it counts as changing something, \
         and no more."
    );
    // Where it is given in the account of neither platform, and nowhere else.
    let places: Vec<u64> =
        found[0]["evidence"].as_array().unwrap().iter().map(|it| it["line"].as_u64().unwrap()).collect();
    assert_eq!(places, [19]);
}

#[test]
fn reach_counts_a_word_by_what_it_does_in_each_account() {
    let wide = ESTATE.replace("allow table/vista], at: account:tickets", "allow table/vista], at: organization:line")
        .replace("platform: siroco}\n  - {id: port, kind: account, in: line", "platform: siroco, cross_account: one-side}\n  - {id: port, kind: account, in: line, cross_account: one-side");
    let place = Place::with("e.yaml", wide);
    let reach = place.json(&["reach", "sell-role", "e.yaml", "--format", "json"]);
    let tables = reach["rights"].as_array().unwrap().iter().find(|it| it["service"] == "table").unwrap();
    let acts = tables["acts"].as_array().unwrap();
    let mut told: Vec<(&Value, &Value, &Value)> =
        acts.iter().map(|act| (&act["action"], &act["class"], &act["surely"])).collect();
    told.sort_by_key(|(_, class, _)| class.to_string());
    let (word, one) = (Value::from("table/vista"), Value::from(1));
    assert_eq!(told, [(&word, &Value::from("delete"), &one), (&word, &Value::from("read"), &one)]);
}

/// What is of no account is read as the only platform reads it.
#[rstest]
#[case::one_platform("siroco", "siroco", Value::from("access"))]
#[case::two("siroco", "levante", Value::Null)]
fn what_is_of_no_account_is_of_the_only_platform(
    #[case] one: &str,
    #[case] other: &str,
    #[case] class: Value,
) {
    let estate = format!(
        "estate: 1
actions:
  - {{action: berth/rule, class: access, platform: {one}}}
  - {{action: berth/rule, class: read, platform: {other}2}}
  - {{action: berth/see, class: read, platform: {other}}}
scopes: [{{id: tickets, kind: account, platform: {one}}}, {{id: port, kind: account, platform: {other}}}]
resources: [{{id: \"berth:one\"}}]
identities: [{{id: crew-role, kind: execution-role, grants: [{{statements: [allow berth/rule]}}]}}]
functions: [{{id: dock, runs_as: crew-role}}]
"
    );
    assert_eq!(class_of(&Place::with("e.yaml", estate), "crew-role", "berth/rule", "berth:one"), class);
}

/// A word that hands over power on one platform makes what holds it there powerful, and what holds it elsewhere not.
#[test]
fn harm_goes_by_the_platform() {
    let estate = "estate: 1
actions:
  - {action: function/cast, class: code, platform: siroco}
  - {action: function/cast, class: read, platform: levante}
scopes: [{id: tickets, kind: account, platform: siroco}, {id: port, kind: account, platform: levante}]
identities:
  - {id: sell-role, in: tickets, kind: execution-role, grants: [{statements: [allow function/cast], at: account:tickets}]}
  - {id: berth-role, in: port, kind: execution-role, grants: [{statements: [allow function/cast], at: account:port}]}
functions:
  - {id: sell-ticket, in: tickets, runs_as: sell-role}
  - {id: assign-berth, in: port, runs_as: berth-role}
";
    let audit = Place::with("e.yaml", estate).audit(&["e.yaml"]);
    let told = with_beneath(&audit).into_iter().filter(|it| it["rule"] == "grant/changes-code");
    let things: Vec<&str> = told.map(|it| it["thing"].as_str().unwrap()).collect();
    assert_eq!(things, ["identity:sell-role"]);
}
