//! Users and groups as those whom somebody becomes: in findings, paths, comparisons, cards, and what is new.

use crate::support::Place;
use rstest::rstest;
use serde_json::Value;

/// Code of the test account; a user and a group of production, who hold what matters; what code holds is filled in.
const FERRY: &str = "
estate: 1
as_of: 2026-11-20
scopes:
  - {id: tides, kind: account, environment: test, cross_account: one-side}
  - {id: tickets, kind: account, environment: production, cross_account: one-side}
users: [{id: nerea.soler, in: tickets}]
groups: [{id: pursers, in: tickets, members: [user:nerea.soler]}]
resources: [{id: \"table:bookings\", in: tickets, sensitivity: confidential}]
functions: [{id: drill, in: tides, runs_as: drill-role, endpoints: [{check: none}]}]
identities:
  - {id: clerk, in: tickets, kind: service-account}
  - id: drill-role
    in: tides
    kind: service-account
    grants: [{statements: [HELD]}]
grants:
  - {to: user:nerea.soler, statements: [allow identity/assume on identity:clerk]}
  - {to: group:pursers, statements: [allow table/read, allow identity/assume on identity:clerk]}
  - {to: identity:clerk, statements: [allow access/write]}";

fn place(held: &str) -> Place {
    Place::with("ferry.yaml", FERRY.replace("HELD", held))
}

fn situations(place: &Place, rule: &str) -> Vec<(String, String, String)> {
    let audit = place.audit(&["ferry.yaml", "--only", rule]);
    let word = |it: &Value, field: &str| it[field].as_str().unwrap().to_owned();
    let all = audit["findings"].as_array().unwrap().iter();
    all.map(|it| (word(it, "thing"), word(it, "situation"), word(it, "fix"))).collect()
}

/// Acting as somebody of production out of a test is a crossing, whoever they are.
#[rstest]
#[case::a_user("user/assume on user:nerea.soler", "may act as user:nerea.soler, a user of production")]
#[case::a_group("group/assume on group:pursers", "may act as group:pursers, a group of production")]
#[case::an_identity(
    "identity/assume on identity:clerk",
    "may act as identity:clerk, an identity of production"
)]
fn who_crosses_is_told_by_what_they_are(#[case] held: &str, #[case] told: &str) {
    let place = place(&format!("allow {held}"));
    let found = situations(&place, "identity/crosses-environments");
    let of_it: Vec<&(String, String, String)> = found.iter().filter(|(_, it, _)| it.contains(told)).collect();
    assert_eq!(of_it.len(), 1, "{found:#?}");
    let (thing, situation, fix) = of_it[0];
    assert_eq!(thing, "identity:drill-role");
    assert!(situation.contains("environment"), "{situation}");
    let name = told.split_once("act as ").unwrap().1.split(',').next().unwrap();
    assert_eq!(*fix, format!("Take acting as {name} out of the grant to `identity:drill-role` everywhere."));
}

#[rstest]
#[case::to_read_of_them("allow user/read on user:nerea.soler")]
#[case::to_act_as_nobody_there("allow user/assume on user:nobody.known")]
#[case::what_a_deny_takes_away("allow user/assume, deny user/assume on user:nerea.soler")]
fn and_nothing_is_told_where_nobody_crosses(#[case] held: &str) {
    let statements: Vec<&str> = held.split(", ").collect();
    assert_eq!(situations(&place(&statements.join(", ")), "identity/crosses-environments"), []);
}

/// A chain goes through users as through identities, and ends where more can be done than before.
#[test]
fn a_chain_goes_through_a_user() {
    let found = situations(&place("allow user/assume on user:nerea.soler"), "trust/chain");
    assert_eq!(found.len(), 1, "{found:#?}");
    let (thing, situation, fix) = &found[0];
    assert_eq!(thing, "identity:drill-role");
    let told = "Whoever acts as it may act as user:nerea.soler, as that as identity:clerk, which may do access/write";
    assert!(situation.starts_with(told), "{situation}");
    let grants = "the grant to `group:pursers` everywhere and the grant to `user:nerea.soler` everywhere";
    assert_eq!(*fix, format!("Take acting as identity:clerk out of {grants}."));
}

/// Anyone who makes the code run comes as far as those as whom it may act, by a path that names each of them.
#[rstest]
#[case::as_one_of_a_group("allow group/assume on group:pursers", "may act as group:pursers")]
#[case::by_putting_oneself_in("allow access/write on group:pursers", "may change who gets at group:pursers")]
fn a_path_goes_through_a_group(#[case] held: &str, #[case] step: &str) {
    let place = place(held);
    let found = situations(&place, "path/anyone-to-data");
    assert_eq!(found.len(), 1, "{found:#?}");
    assert!(found[0].1.contains(step) && found[0].1.contains("gets at table:bookings"), "{}", found[0].1);
    let paths =
        place.run(&["paths", "--from", "anyone", "--to", "table:bookings", "ferry.yaml", "--format", "json"]);
    let paths: Value = serde_json::from_str(&paths.out).unwrap();
    assert!(!paths["routes"][0]["paths"].as_array().unwrap().is_empty(), "{paths}");
}

/// Rights on users and groups are compared as those on anything else are.
#[test]
fn a_right_to_act_as_a_user_is_news() {
    let place = place("allow user/read");
    place
        .write("after.yaml", FERRY.replace("HELD", "allow user/read, allow user/assume on user:nerea.soler"));
    let told = place.run(&["diff", "ferry.yaml", "after.yaml", "--format", "json"]);
    let told: Value = serde_json::from_str(&told.out).unwrap();
    let all = told["estates"]["rights"].to_string();
    assert!(all.contains("user/assume") && all.contains("user:nerea.soler"), "{all}");
}

/// So are rights on whatever else has an entry and is named.
#[test]
fn a_right_on_an_endpoint_is_news() {
    let place = place("allow table/list");
    place.write(
        "after.yaml",
        FERRY.replace("HELD", "allow table/list, allow endpoint/update on endpoint:drill/direct"),
    );
    let told = place.run(&["diff", "ferry.yaml", "after.yaml", "--format", "json"]);
    let told: Value = serde_json::from_str(&told.out).unwrap();
    let rights = told["estates"]["rights"].as_array().unwrap();
    let found = rights.iter().find(|it| it["on"] == "endpoint:drill/direct" && it["on_new"] == false);
    let found = found.unwrap_or_else(|| panic!("{rights:#?}"));
    assert_eq!(
        (&found["action"], &found["was"], &found["now"]),
        (&"endpoint/update".into(), &"no".into(), &"yes".into())
    );
}

/// A card says what its code may do to users and groups, in words, and whom it becomes.
#[test]
fn a_card_says_as_whom_code_acts() {
    let place = place("{allow: [user/assume, group/assume], on: [\"user:nerea.soler\", \"group:pursers\"]}");
    let card = place.run(&["card", "drill", "ferry.yaml"]);
    assert_eq!(card.code, 0, "{}", card.err);
    for part in ["act as them", "user:nerea.soler", "can become"] {
        assert!(card.out.contains(part), "no {part} in\n{}", card.out);
    }
    assert!(!card.out.contains("new ones"), "{}", card.out);
}

/// Members count wherever their group lies: who may invoke is told of a group of another account.
#[rstest]
#[case::of_the_account_of_its_members("tides", "yes")]
#[case::of_another_account("tickets", "yes")]
fn a_group_of_another_account_gets_in_by_its_members(#[case] home: &str, #[case] expected: &str) {
    let estate = format!(
        "
estate: 1
as_of: 2026-11-20
scopes: [{{id: tides, kind: account}}, {{id: tickets, kind: account}}]
users: [{{id: lua.ferrer, in: tides}}]
groups: [{{id: watch, in: {home}, members: [user:lua.ferrer]}}]
functions: [{{id: tide-board, in: tides}}]
grants: [{{to: group:watch, at: account:tides, statements: [allow function/invoke on function:*]}}]
"
    );
    let place = Place::with("ferry.yaml", estate);
    let told = place.run(&["entry", "tide-board", "ferry.yaml", "--format", "json"]);
    let told: Value = serde_json::from_str(&told.out).unwrap();
    let invokers = told["invokers"].as_array().unwrap();
    let watch = invokers.iter().find(|it| it["who"] == "group:watch");
    assert_eq!(watch.map(|it| it["verdict"].as_str().unwrap()), Some(expected), "{told}");
}
