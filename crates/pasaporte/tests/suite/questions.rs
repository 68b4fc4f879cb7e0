//! `explain`, `entry` and `reach`, through the built program: what they say of the sample estate and of small
//! ones, in text and in JSON, and how they refuse what they cannot answer.

use crate::support::Place;
use rstest::rstest;
use serde_json::Value;

/// What a command says of the sample estate, as text of 80 columns.
fn says(args: &[&str]) -> String {
    let all: Vec<&str> = args.iter().copied().chain(["demo", "--width", "80"]).collect();
    let run = Place::with_demo().run(&all);
    assert_eq!(run.code, 0, "{}", run.err);
    run.out
}

/// The same as JSON.
fn answers(args: &[&str]) -> Value {
    let all: Vec<&str> = args.iter().copied().chain(["demo", "--format", "json"]).collect();
    let run = Place::with_demo().run(&all);
    assert_eq!(run.code, 0, "{}", run.err);
    serde_json::from_str(&run.out).unwrap()
}

/// An answer about a small estate.
fn of(estate: &str, args: &[&str]) -> Value {
    let place = place_of(estate);
    let all: Vec<&str> = args.iter().copied().chain(["estate.yaml", "--format", "json"]).collect();
    let run = place.run(&all);
    assert_eq!(run.code, 0, "{}", run.err);
    serde_json::from_str(&run.out).unwrap()
}

/// A folder with a small estate.
fn place_of(estate: &str) -> Place {
    Place::with("estate.yaml", format!("estate: 1\nas_of: 2026-11-20\n{estate}\n"))
}

fn texts(values: &Value, field: &str) -> Vec<String> {
    values.as_array().unwrap().iter().map(|value| value[field].as_str().unwrap().to_owned()).collect()
}

// explain

#[rstest]
#[case::by_a_set_of_its_own(&["sell-ticket-role", "table/read", "table:bookings"], "yes")]
#[case::a_function_stands_for_its_identity(&["function:sell-ticket", "table/read", "table:bookings"], "yes")]
#[case::an_action_it_has_not(&["sell-ticket-role", "table/delete", "table:bookings"], "no")]
#[case::a_deny_wins(&["fare-role", "table/write", "table:bookings"], "no")]
#[case::a_service_for_a_pinned_source(&["service:gateway", "function/invoke", "function:sell-ticket"], "depends")]
#[case::a_condition_nobody_understood(&["signed-in", "function/invoke", "function:berth-request"], "depends")]
#[case::anyone_may(&["anyone", "function/invoke", "function:storm-warning"], "yes")]
#[case::a_crowd_has_no_more_than_it_is_given(&["anyone", "table/read", "table:bookings"], "no")]
#[case::another_account_needs_both_sides(&["berth-notice", "function/invoke", "function:check-refund"], "no")]
fn explain_says(#[case] question: &[&str], #[case] expected: &str) {
    let args: Vec<&str> = ["explain"].iter().chain(question).copied().collect();
    assert_eq!(answers(&args)["verdict"], expected);
}

#[test]
fn a_refusal_reads_well() {
    insta::assert_snapshot!(says(&["explain", "fare-role", "table/write", "table:bookings"]));
}

#[test]
fn what_it_depends_on_is_part_of_the_sentence() {
    let said = says(&["explain", "service:gateway", "function/invoke", "sell-ticket"]);
    let first: String = said.lines().take_while(|line| !line.is_empty()).collect::<Vec<_>>().join(" ");
    assert_eq!(
        first,
        "It depends: service:gateway may do function/invoke on function:sell-ticket if account of source is tickets \
         and source resource is gateway:front-desk."
    );
}

#[rstest]
#[case::the_pinned_source(&["source_resource=gateway:front-desk", "account_of_source=tickets"], "yes")]
#[case::another_source(&["source_resource=gateway:back-door", "account_of_source=tickets"], "no")]
#[case::half_of_it(&["source_resource=gateway:front-desk"], "depends")]
#[case::a_strangers_source(&["source_resource=foreign", "account_of_source=foreign"], "no")]
#[case::none_at_all(&["source_resource=absent", "account_of_source=absent"], "no")]
#[case::something_else(&["second_factor=true"], "depends")]
#[case::a_tag_that_nothing_asks_for(&["caller_tag/nothing=x"], "depends")]
fn circumstances_can_be_fixed(#[case] given: &[&str], #[case] expected: &str) {
    let mut args = vec!["explain", "service:gateway", "function/invoke", "sell-ticket"];
    for each in given {
        args.extend(["--given", each]);
    }
    let answer = answers(&args);
    assert_eq!(answer["verdict"], expected);
    assert_eq!(answer["question"]["given"].as_object().unwrap().len(), given.len());
}

#[rstest]
#[case("nothing", "fixes nothing", "ATTRIBUTE=VALUE")]
#[case("source_resorce=x", "is not an attribute", "did you mean source_resource?")]
#[case("colour=blue", "is not an attribute", "the attributes are caller_account")]
#[case("time=yesterday", "is no value of time", "write a time")]
#[case("caller_network=here", "is no value of caller_network", "10.40.0.0/16")]
#[case("second_factor=perhaps", "is no value of second_factor", "true or false")]
fn a_circumstance_that_is_none_is_refused(#[case] given: &str, #[case] what: &str, #[case] help: &str) {
    let run = Place::with_demo().run(&[
        "explain",
        "anyone",
        "function/invoke",
        "sell-ticket",
        "demo",
        "--given",
        given,
    ]);
    assert_eq!(run.code, 2);
    assert!(run.err.contains(what) && run.err.contains(help), "{}", run.err);
}

#[test]
fn a_circumstance_is_fixed_once() {
    let given = ["--given", "second_factor=true", "--given", "second_factor=false"];
    let args: Vec<&str> =
        ["explain", "anyone", "function/invoke", "sell-ticket", "demo"].into_iter().chain(given).collect();
    let run = Place::with_demo().run(&args);
    assert_eq!(run.code, 2);
    assert!(run.err.contains("second_factor is given twice"), "{}", run.err);
}

#[rstest]
#[case::one_wrong_letter(&["sell-tiket", "table/read", "bookings"], "there is no principal", "did you mean function:sell-ticket?")]
#[case::several(&["sell", "table/read", "bookings"], "may be 3 principals", "function:sell-ticket, function:sell-ticket-test")]
#[case::no_such_service(&["service:gatewy", "function/invoke", "sell-ticket"], "there is no service", "service:gateway")]
#[case::an_outsider_nobody_names(&["outside:x.example/y", "function/invoke", "sell-ticket"], "nothing in the estate names", "ask about signed-in")]
#[case::no_such_resource(&["fare-role", "table/read", "table:bokings"], "there is no thing", "table:bookings")]
#[case::a_pattern(&["fare-role", "table/*", "table:bookings"], "is not one action", "pasaporte reach")]
#[case::no_action(&["fare-role", "read", "table:bookings"], "is not one action", "SERVICE/OPERATION")]
#[case::no_service_like_it(&["service:zzzzzzzz", "function/invoke", "sell-ticket"], "there is no service", "write it like service:")]
#[case::no_verifier_like_it(&["token:zzzzzzzz", "function/invoke", "sell-ticket"], "there is no verifier", "write it like token:")]
#[case::nothing_like_it(&["zzzzzzzz", "table/read", "bookings"], "there is no principal", "write it like identity:")]
fn what_is_not_there_is_refused_with_the_nearest(
    #[case] question: &[&str],
    #[case] what: &str,
    #[case] help: &str,
) {
    let args: Vec<&str> = ["explain"].iter().chain(question).copied().chain(["demo"]).collect();
    let run = Place::with_demo().run(&args);
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(run.err.contains(what) && run.err.contains(help), "{}", run.err);
}

#[rstest]
#[case::whole("function:sell-ticket", "function:sell-ticket")]
#[case::without_its_kind("storm-warning", "function:storm-warning")]
#[case::the_beginning("storm-w", "function:storm-warning")]
#[case::a_part("orm-warn", "function:storm-warning")]
fn names_may_be_shortened_where_nothing_else_is_meant(#[case] written: &str, #[case] meant: &str) {
    assert_eq!(answers(&["entry", written])["function"], meant);
}

/// Near misses, each on an estate of one role and one table.
#[rstest]
#[case::nothing("", "no statement allows it")]
#[case::ended(
    "grants: [{to: identity:i, statements: [allow table/read], expires: 2026-01-01}]",
    "ended on 2026-01-01T00:00:00Z"
)]
#[case::elsewhere(
    "grants: [{to: identity:i, statements: [allow table/read], at: app:other}]",
    "but at app:other"
)]
#[case::other_resources(
    "grants: [{to: identity:i, statements: [allow table/read on table:fares]}]",
    "but on other resources"
)]
#[case::other_actions(
    "grants: [{to: identity:i, statements: [allow table/write on table:t]}]",
    "other actions on this very resource"
)]
#[case::a_ceiling(
    "grants: [{to: identity:i, statements: [allow table/read]}]
ceilings: [{id: low, over: identity:i, statements: [\"allow queue/*\"]}]",
    "ceiling:low does not let it through"
)]
fn a_no_says_what_came_near(#[case] more: &str, #[case] expected: &str) {
    let estate = format!(
        "scopes: [{{id: a, kind: account}}, {{id: here, kind: app, in: a}}, {{id: other, kind: app, in: a}}]
identities: [{{id: i, in: here, kind: service-account}}]
resources: [{{id: \"table:t\", in: here}}]
{more}"
    );
    let answer = of(&estate, &["explain", "identity:i", "table/read", "table:t"]);
    assert_eq!(answer["verdict"], "no");
    let told = texts(&answer["near_misses"], "what");
    assert!(told.iter().any(|what| what.contains(expected)), "{told:?}");
}

const TWO_ACCOUNTS: &str = "
scopes: [{id: a, kind: account}, {id: b, kind: account}]
identities: [{id: i, in: a, kind: service-account}]
resources: [{id: \"table:t\", in: b, access: [ACCESS]}]
";

#[rstest]
#[case::the_callers_side_alone(
    "",
    "grants: [{to: identity:i, statements: [allow table/read]}]",
    "no",
    "nothing on the resource does"
)]
#[case::the_resources_side_alone(
    "{to: identity:i, allow: table/read}",
    "",
    "no",
    "nothing on the caller's side does"
)]
#[case::both(
    "{to: identity:i, allow: table/read}",
    "grants: [{to: identity:i, statements: [allow table/read]}]",
    "yes",
    ""
)]
fn across_accounts_both_sides_must_allow(
    #[case] access: &str,
    #[case] grants: &str,
    #[case] verdict: &str,
    #[case] missing: &str,
) {
    let estate = TWO_ACCOUNTS.replace("ACCESS", access) + grants;
    let answer = of(&estate, &["explain", "identity:i", "table/read", "table:t"]);
    assert_eq!(answer["verdict"], verdict);
    assert_eq!(answer["needs"], "both-sides");
    assert_eq!(answer["question"]["principal_account"], "account:a");
    assert_eq!(answer["question"]["resource_account"], "account:b");
    let told = texts(&answer["near_misses"], "what");
    assert!(
        missing.is_empty() == told.is_empty()
            && told.iter().any(|what| what.contains(missing)) != told.is_empty()
    );
}

#[test]
fn grounds_say_how_they_are_held_and_where_they_stand() {
    let estate = "
identities: [{id: i, kind: service-account}]
groups: [{id: g, members: [identity:i], grants: [{set: outer}]}]
permission_sets:
  - {id: outer, includes: inner}
  - id: inner
    statements: [allow table/read on table:t]
resources: [{id: \"table:t\"}]";
    let answer = of(estate, &["explain", "identity:i", "table/read", "table:t"]);
    let ground = &answer["grounds"][0];
    assert_eq!(ground["statement"], "allow table/read on table:t");
    assert_eq!(ground["held"]["by"], "group:g");
    assert_eq!(ground["held"]["set"], "permission-set:outer");
    assert_eq!(ground["held"]["included_set"], "permission-set:inner");
    assert_eq!(ground["held"]["at"], "everywhere");
    assert_eq!(ground["read_from"]["line"], 9);
    assert_eq!(ground["held"]["read_from"]["line"], 5);
}

#[test]
fn a_thing_that_is_only_mentioned_is_said_to_be() {
    let estate = "identities: [{id: i, kind: service-account, grants: [{statements: [allow table/read], at: \"table:gone\"}]}]";
    let answer = of(estate, &["explain", "identity:i", "table/read", "table:gone"]);
    assert_eq!(answer["verdict"], "depends");
    assert_eq!(answer["needs"], "unknown");
    assert_eq!(answer["question"]["resource_is_declared"], false);
}

// entry

#[test]
fn an_entry_reads_well() {
    insta::assert_snapshot!(says(&["entry", "berth-request"]));
}

#[test]
fn whoever_may_invoke_gets_in_by_a_check_of_identity() {
    let answer = answers(&["entry", "refund-form"]);
    let door = answer["doors"].as_array().unwrap().iter().find(|door| door["gateway"].is_null()).unwrap();
    assert_eq!(door["check"], "identity");
    // An admin key invokes by the platform, not by an endpoint that asks who calls.
    let mut by_name = texts(&answer["invokers"], "who");
    assert!(by_name.iter().any(|who| who == "key:refund-desk-admin"), "{by_name:?}");
    by_name.retain(|who| !who.starts_with("key:"));
    assert_eq!(texts(&door["lets_in"], "who"), by_name);
}

#[test]
fn crowds_come_first_and_groups_say_who_of_them_may() {
    let estate = "
identities:
  - {id: i, kind: service-account}
  - {id: j, kind: service-account, grants: [{statements: [deny function/invoke]}]}
groups: [{id: g, members: [identity:i, identity:j], grants: [{statements: [allow function/invoke]}]}]
functions: [{id: f, invoke: [signed-in, {to: service:queue-poller, when: {source_resource: \"queue:q\"}}]}]";
    let answer = of(estate, &["entry", "f"]);
    assert_eq!(texts(&answer["invokers"], "who"), ["signed-in", "group:g", "service:queue-poller"]);
    let group = &answer["invokers"][1]["members"];
    assert_eq!((group["all"].as_u64(), group["surely"].as_u64()), (Some(2), Some(1)));
    assert_eq!(group["not"], serde_json::json!(["identity:j"]));
    assert_eq!(answer["invokers"][2]["verdict"], "depends");
    assert_eq!(answer["invokers"][2]["depends_on"], "if source resource is queue:q");
}

#[rstest]
#[case::keys_of_sufficient_reach("check: {key: app}", &["key:app-key"])]
#[case::any_key("check: {key: function}", &["key:app-key", "key:own-key"])]
#[case::nothing_asked("check: none", &["anyone"])]
#[case::tokens("check: {token: v}", &["token:v"])]
#[case::switched_off("check: none, state: disabled", &[])]
fn a_door_lets_in(#[case] endpoint: &str, #[case] expected: &[&str]) {
    let estate = format!(
        "scopes: [{{id: app, kind: app}}]
functions: [{{id: f, in: app, endpoints: [{{{endpoint}}}]}}]
verifiers: [{{id: v, issuers: [site.example]}}]
keys: [{{id: app-key, opens: app:app, reach: app}}, {{id: own-key, opens: function:f, reach: function}}]"
    );
    let answer = of(&estate, &["entry", "f"]);
    let mut who = texts(&answer["doors"][0]["lets_in"], "who");
    who.sort();
    assert_eq!(who, expected);
}

#[test]
fn routes_and_writers_of_sources_are_judged() {
    let estate = "
resources: [{id: \"queue:orders\"}]
identities: [{id: till, kind: service-account, grants: [{statements: [allow queue/send on queue:orders]}]}]
functions:
  - id: f
    endpoints:
      - {check: {key: function}, network: internal}
      - {gateway: door, path: /f, check: none, presents: {key: door-key}}
      - {gateway: door, path: /dead, check: none, presents: nothing}
    triggers: [{source: \"queue:orders\"}, {source: \"queue:gone\", state: disabled}]
keys: [{id: door-key, opens: function:f, reach: function}]";
    let answer = of(estate, &["entry", "f"]);
    let door = |path: &str| {
        let doors = answer["doors"].as_array().unwrap();
        doors.iter().find(|door| door["endpoint"].as_str().unwrap().ends_with(path)).unwrap()
    };
    assert_eq!(texts(&door("/f")["lets_in"], "who"), ["anyone"]);
    assert_eq!(door("/f")["behind"]["verdict"], "yes");
    assert!(texts(&door("/dead")["lets_in"], "who").is_empty());
    assert_eq!(door("/dead")["behind"]["verdict"], "no");
    assert!(door("/direct")["behind"].is_null());
    assert_eq!(answer["exposed_to"], "anyone");
    let triggers = answer["triggers"].as_array().unwrap();
    let declared: Vec<bool> =
        triggers.iter().map(|trigger| trigger["source_is_declared"].as_bool().unwrap()).collect();
    assert_eq!(declared, [false, true]);
    assert_eq!(texts(&triggers[1]["fed_by"], "who"), ["identity:till"]);
    assert_eq!(texts(&triggers[1]["fed_by"], "verdict"), ["yes"]);
    let place = Place::with("estate.yaml", format!("estate: 1\n{estate}\n"));
    let said = place.run(&["entry", "f", "estate.yaml"]).out;
    for part in [
        "the gateway presents key:door-key, which the function accepts",
        "a dead route: the gateway presents nothing that the function accepts",
        "who may write to it makes it run:",
        "runs on queue:gone, which is not in the estate, switched off",
    ] {
        assert!(said.contains(part), "no `{part}` in:\n{said}");
    }
}

// reach

#[test]
fn a_reach_reads_well() {
    insta::assert_snapshot!(says(&["reach", "seat-map-role"]));
}

const STORE: &str = "
scopes: [{id: a, kind: account}]
resources:
  - {id: \"bucket:scans\", in: a, sensitivity: confidential}
  - {id: \"bucket:maps\", in: a, sensitivity: public}
  - {id: \"table:t\", in: a}
";

#[test]
fn a_wildcard_is_shown_as_such_and_as_how_much_it_takes_in() {
    let estate = format!(
        "{STORE}identities: [{{id: i, in: a, kind: service-account, grants: [{{statements: [\"allow bucket/* on bucket:*\"]}}]}}]"
    );
    let answer = of(&estate, &["reach", "i"]);
    let right = &answer["rights"][0];
    assert_eq!(right["service"], "bucket");
    assert_eq!(right["by"].as_array().unwrap().len(), 1);
    for act in right["acts"].as_array().unwrap() {
        assert_eq!((&act["action"], act["on_new"].as_str()), (&Value::Null, Some("yes")), "nobody named it");
        assert_eq!((act["surely"].as_u64(), act["confidential"].as_u64()), (Some(2), Some(1)));
        assert_eq!(act["example"], "bucket:scans");
    }
    let classes: Vec<&Value> = right["acts"].as_array().unwrap().iter().map(|act| &act["class"]).collect();
    for class in ["read", "write", "delete", "list", "manage"] {
        assert!(classes.contains(&&Value::from(class)), "{class} of {classes:?}");
    }
}

/// How many of a class a wildcard takes is not said, only that there is one, which `explain` allows.
#[rstest]
#[case::few_of_a_class("table/s*", &["by wildcard write, other actions such as send"])]
#[case::beside_one_that_is_named("table/read, table/s*", &["read, and by wildcard write, other actions such as send"])]
#[case::with_a_deny("table/*, deny table/send", &["by wildcard write,"])]
fn a_wildcard_is_told_by_one_that_it_takes(#[case] actions: &str, #[case] told: &[&str]) {
    let (allowed, denied) = actions.split_once(", deny ").unwrap_or((actions, ""));
    let deny = if denied.is_empty() { String::new() } else { format!(", \"deny {denied}\"") };
    let estate = format!(
        "{STORE}identities: [{{id: i, in: a, kind: service-account, grants: [{{statements: [\"allow {allowed} on table:t\"{deny}]}}]}}]"
    );
    let answer = of(&estate, &["reach", "i"]);
    let acts = answer["rights"][0]["acts"].as_array().unwrap();
    let wild: Vec<&str> = acts.iter().filter_map(|act| act["such_as"].as_str()).collect();
    assert!(!wild.is_empty() && wild.len() == acts.iter().filter(|act| act["action"].is_null()).count());
    for action in wild {
        let asked = of(&estate, &["explain", "identity:i", action, "table:t"]);
        assert_eq!(asked["verdict"], "yes", "{action}");
    }
    let text = place_of(&estate).run(&["reach", "i", "estate.yaml"]).out;
    for told in told {
        assert!(text.contains(told), "{text}");
    }
}

/// What a thing gives to whoever is signed in is its own account's, and of whoever is of none, anyone's is told.
#[rstest]
#[case("i", "And by what anybody signed in at account:a is given")]
#[case("service:notifier", "And by what anyone is given")]
#[case("anyone", "It may, in effect")]
fn what_everybody_is_given_is_told_of_whom(#[case] who: &str, #[case] heading: &str) {
    let estate = format!(
        "{STORE}identities: [{{id: i, in: a, kind: service-account}}]\naccess: [{{on: \"table:t\", to: [anyone, signed-in], allow: [table/read]}}, {{on: \"bucket:maps\", to: [\"service:notifier\"], allow: [bucket/read]}}]"
    );
    let text = place_of(&estate).run(&["reach", who, "estate.yaml"]).out;
    assert!(text.lines().any(|line| line == heading), "{text}");
}

#[test]
fn what_is_denied_everywhere_is_told_apart() {
    let estate = format!(
        "{STORE}identities: [{{id: i, in: a, kind: service-account, grants: [{{statements: [allow bucket/read on bucket:scans, allow table/read on table:t, deny table/read]}}]}}]"
    );
    let answer = of(&estate, &["reach", "i"]);
    assert_eq!(texts(&answer["rights"], "service"), ["bucket"]);
    assert_eq!(texts(&answer["without_effect"], "statement"), ["allow table/read on table:t"]);
}

#[test]
fn a_deny_of_one_thing_leaves_the_others() {
    let estate = format!(
        "{STORE}identities: [{{id: i, in: a, kind: service-account, grants: [{{statements: [allow bucket/read on bucket:*, deny bucket/read on bucket:scans]}}]}}]"
    );
    let act = &of(&estate, &["reach", "i"])["rights"][0]["acts"][0];
    assert_eq!((act["surely"].as_u64(), act["confidential"].as_u64()), (Some(1), Some(0)));
    assert_eq!(act["example"], "bucket:maps");
}

#[test]
fn what_stands_on_the_thing_itself_counts() {
    let estate = "
scopes: [{id: a, kind: account}]
identities: [{id: i, in: a, kind: service-account}]
functions: [{id: f, in: a, invoke: [identity:i]}]";
    let right = &of(estate, &["reach", "i"])["rights"][0];
    assert_eq!(right["service"], "function");
    assert_eq!(right["acts"][0]["action"], "function/invoke");
    assert_eq!(right["by"][0]["names"], "identity:i");
}

#[test]
fn chains_of_acting_as_others_are_followed_without_looping() {
    let mut estate = "identities:\n".to_owned();
    for number in 0..300 {
        let next = (number + 1) % 300;
        estate += &format!("  - {{id: i{number}, kind: service-account, trust: [identity:i{next}]}}\n");
    }
    // Each trusts the next, so the first is reached by all, the last by the first in one step.
    let answer = of(&estate, &["reach", "identity:i1"]);
    let all = answer["can_become"].as_array().unwrap();
    assert_eq!(all.len(), 299);
    assert_eq!((&all[0]["who"], &all[0]["steps"]), (&Value::from("identity:i0"), &Value::from(1)));
    assert_eq!((&all[298]["who"], &all[298]["steps"]), (&Value::from("identity:i2"), &Value::from(299)));
    assert_eq!(all[298]["from"], "identity:i3");
}

#[test]
fn a_sure_way_is_preferred_to_a_shorter_one_that_depends() {
    let estate = "
identities:
  - {id: start, kind: service-account}
  - {id: middle, kind: service-account, trust: [identity:start]}
  - {id: end, kind: service-account, trust: [identity:middle, {to: identity:start, when: {second_factor: \"true\"}}]}
  - {id: far, kind: service-account, trust: [{to: identity:end, when: {second_factor: \"true\"}}]}";
    let answer = of(estate, &["reach", "start"]);
    let told: Vec<(&str, &str, u64)> = answer["can_become"]
        .as_array()
        .unwrap()
        .iter()
        .map(|it| {
            (it["who"].as_str().unwrap(), it["verdict"].as_str().unwrap(), it["steps"].as_u64().unwrap())
        })
        .collect();
    assert_eq!(
        told,
        [("identity:middle", "yes", 1), ("identity:end", "yes", 2), ("identity:far", "depends", 3)]
    );
}

const PEOPLE: &str = "
scopes: [{id: a, kind: account}]
users: [{id: nerea.soler, in: a}]
groups: [{id: crew, in: a, members: [user:nerea.soler]}]
grants: [{to: group:crew, statements: [allow table/read]}]
resources: [{id: \"table:berths\", in: a, sensitivity: confidential}]
functions: [{id: f, in: a, runs_as: front, endpoints: [{check: none}]}]
identities:
  - {id: other, in: a, kind: service-account}
  - id: front
    in: a
    kind: service-account
    grants: [{statements: [GRANTED]}]";

/// Whom one becomes is told by whichever road: acting as a user or as one of a group, changing who is in a group or who may
/// act as somebody, changing code.
#[rstest]
#[case::as_a_user("allow user/assume", &[("user:nerea.soler", "null", true)])]
#[case::as_one_of_a_group("allow group/assume on group:crew", &[("group:crew", "null", true)])]
#[case::by_who_is_in_a_group("allow access/write on group:crew", &[("group:crew", "\"group:crew\"", true)])]
#[case::by_who_may_act_as_another("allow access/write on identity:other", &[("identity:other", "\"identity:other\"", false)])]
#[case::nobody_where_a_right_only_looks("allow user/read", &[])]
#[case::nobody_where_it_is_another_kind("allow user/assume on group:crew", &[])]
fn whom_one_becomes(#[case] granted: &str, #[case] expected: &[(&str, &str, bool)]) {
    let estate = PEOPLE.replace("GRANTED", granted);
    let answer = of(&estate, &["reach", "front"]);
    let all = answer["can_become"].as_array().unwrap();
    let told: Vec<(&str, String, bool)> = all
        .iter()
        .map(|it| (it["who"].as_str().unwrap(), it["by_changing"].to_string(), it["may"].is_string()))
        .collect();
    let expected: Vec<(&str, String, bool)> =
        expected.iter().map(|(who, by, may)| (*who, (*by).to_owned(), *may)).collect();
    assert_eq!(told, expected);
    // What is at stake is told of the way there, and followed as a path.
    let at_stake = expected.iter().any(|(.., may)| *may);
    let worst = answer["may"].as_str().unwrap_or_default();
    assert_eq!(worst.contains("table/read on confidential table:berths"), at_stake, "{worst}");
    let paths = of(&estate, &["paths", "--from", "anyone", "--to", "table:berths"]);
    assert_eq!(!paths["routes"].as_array().unwrap().is_empty(), at_stake, "{paths}");
}

/// A group is asked about by its name; whoever is in it is bound by more and holds more.
#[test]
fn what_is_told_of_a_group_is_told_of_its_name() {
    let estate = PEOPLE.replace("GRANTED", "allow user/list");
    let note = |answer: &Value| answer["note"].as_str().map(str::to_owned).unwrap_or_default();
    let reached = note(&of(&estate, &["reach", "group:crew"]));
    assert!(reached.contains("group:crew") && reached.ends_with("or less: user:nerea.soler."), "{reached}");
    let empty = note(&of(&estate.replace("[user:nerea.soler]", "[]"), &["reach", "group:crew"]));
    assert!(empty.ends_with("Nobody is known to be."), "{empty}");
    assert_eq!(note(&of(&estate, &["reach", "user:nerea.soler"])), "");
    let compared = of(&estate, &["compare", "group:crew", "user:nerea.soler"]);
    assert_eq!((note(&compared["left"]), note(&compared["right"])), (reached, String::new()));
}

#[test]
fn changing_code_is_becoming_what_it_runs_as() {
    let estate = PEOPLE.replace("GRANTED", "allow user/list").replace(
        "identities:",
        "identities:\n  - {id: coder, in: a, kind: service-account, grants: [{statements: [allow function/update on function:f]}]}",
    );
    let answer = of(&estate, &["reach", "coder"]);
    let told = &answer["can_become"][0];
    assert_eq!((&told["who"], &told["by_changing"]), (&"identity:front".into(), &"function:f".into()));
}

/// What is there is not made any more, however many are named.
#[test]
fn things_named_one_by_one_are_no_new_ones() {
    let estate = "
scopes: [{id: a, kind: account}]
resources: [{id: \"table:x\", in: a}, {id: \"table:y\", in: a}]
identities:
  - {id: i, in: a, kind: service-account, grants: [{statements: [{allow: [table/read], on: [\"table:x\", \"table:y\"]}]}]}
  - {id: j, in: a, kind: service-account, grants: [{statements: [{allow: [table/read], on: [\"table:x\", \"table:z\"]}]}]}";
    for (who, things, on_new) in [("i", 2, "no"), ("j", 1, "yes")] {
        let act = &of(estate, &["reach", who])["rights"][0]["acts"][0];
        assert_eq!((&act["surely"], &act["on_new"]), (&things.into(), &on_new.into()), "{who}");
    }
}

/// Kinds that only a statement names are counted too.
#[rstest]
#[case("allow endpoint/update on endpoint:f/direct", "endpoint", "endpoint:f/direct")]
#[case("allow account/close", "account", "account:a")]
#[case("allow user/list", "user", "user:nerea.soler")]
fn whatever_has_an_entry_is_counted(#[case] granted: &str, #[case] service: &str, #[case] example: &str) {
    let answer = of(&PEOPLE.replace("GRANTED", granted), &["reach", "front"]);
    let rights = answer["rights"].as_array().unwrap();
    let told = rights.iter().find(|it| it["service"] == service).unwrap();
    assert_eq!((&told["acts"][0]["surely"], &told["acts"][0]["example"]), (&1.into(), &example.into()));
}

#[test]
fn case_of_actions_is_that_of_each_things_account() {
    let estate = "
scopes: [{id: a, kind: account, action_case: ignored}]
identities: [{id: i, in: a, kind: service-account, grants: [{statements: [\"allow Table/Read\"]}]}]
resources: [{id: \"table:t\", in: a}]";
    assert_eq!(of(estate, &["reach", "i"])["rights"][0]["acts"][0]["surely"], 1);
    assert_eq!(
        of(&estate.replace("ignored", "counts"), &["reach", "i"])["rights"][0]["acts"][0]["surely"],
        0
    );
}

// all three

const QUESTIONS: [&[&str]; 4] = [
    &["explain", "service:gateway", "function/invoke", "sell-ticket"],
    &["entry", "berth-request"],
    &["reach", "refund-check-role"],
    &["reach", "signed-in"],
];

#[test]
fn json_is_valid_against_its_own_schema() {
    for question in QUESTIONS {
        let schema = Place::new().run(&["schema", question[0]]).out;
        let schema: Value = serde_json::from_str(&schema).unwrap();
        let validator = jsonschema::validator_for(&schema).unwrap();
        let answer = answers(question);
        let wrong: Vec<String> = validator.iter_errors(&answer).map(|error| error.to_string()).collect();
        assert!(wrong.is_empty(), "{question:?}: {wrong:?}");
        let version = if question[0] == "reach" { 3 } else { 1 };
        assert_eq!(answer[question[0]], version, "the version stands under the command's name");
    }
}

#[test]
fn the_same_question_gives_the_same_bytes() {
    for question in QUESTIONS {
        let first = answers(question).to_string();
        for _ in 0..3 {
            assert_eq!(answers(question).to_string(), first);
        }
    }
}

/// Entries in another order within their files.
#[test]
fn the_order_of_entries_does_not_matter() {
    let lines = "{\"function\": {\"id\": \"f\", \"runs_as\": \"i\", \"invoke\": [{\"to\": [\"group:g\"]}, {\"to\": [\"anyone\"]}]}}
{\"identity\": {\"id\": \"i\", \"kind\": \"service-account\", \"grants\": [{\"statements\": [{\"allow\": [\"bucket/*\"]}]}]}}
{\"identity\": {\"id\": \"j\", \"kind\": \"service-account\", \"trust\": [{\"to\": [\"identity:i\"]}]}}
{\"group\": {\"id\": \"g\", \"members\": [\"identity:j\", \"identity:i\"]}}
{\"resource\": {\"id\": \"bucket:a\"}}
{\"resource\": {\"id\": \"bucket:b\"}}";
    let ask = |lines: &[&str]| {
        let place = Place::with("estate.ndjson", format!("{{\"estate\": 1}}\n{}\n", lines.join("\n")));
        let told: Vec<String> = [vec!["entry", "f"], vec!["reach", "i"]]
            .into_iter()
            .map(|question| {
                let mut args = question;
                args.extend(["estate.ndjson", "--width", "80"]);
                // Places differ, and nothing else.
                let said = place.run(&args).out;
                said.split("estate.ndjson:").map(|part| part.trim_start_matches(char::is_numeric)).collect()
            })
            .collect();
        told
    };
    let lines: Vec<&str> = lines.lines().collect();
    let turned: Vec<&str> = lines.iter().rev().copied().collect();
    assert_eq!(ask(&lines), ask(&turned));
}

#[rstest]
#[case(40)]
#[case(80)]
#[case(140)]
fn text_fits_the_page_and_carries_no_colour_into_a_pipe(#[case] width: usize) {
    for question in QUESTIONS {
        let wide = width.to_string();
        let args: Vec<&str> = question.iter().copied().chain(["demo", "--width", &wide]).collect();
        let said = Place::with_demo().run(&args).out;
        assert!(!said.contains('\u{1b}'));
        for line in said.lines() {
            // A name or a place that is longer than the line stands alone on it.
            let words = line.split_whitespace().count();
            assert!(line.chars().count() <= width || words <= 2, "{question:?} at {width}: {line}");
        }
    }
}

#[test]
fn colour_is_there_when_asked_for() {
    for question in QUESTIONS {
        let args: Vec<&str> = question.iter().copied().chain(["demo", "--color", "always"]).collect();
        assert!(Place::with_demo().run(&args).out.contains("\u{1b}["), "{question:?}");
    }
}

// Input that is hard to answer for

#[test]
fn ten_thousand_nested_groups_are_walked() {
    let mut estate = "groups:\n".to_owned();
    for number in 0..10_000 {
        let next = number + 1;
        estate += &format!("  - {{id: g{number}, members: [group:g{next}]}}\n");
    }
    estate += "  - {id: g10000, members: [identity:i]}
identities: [{id: i, kind: service-account}]
functions: [{id: f, invoke: [group:g0]}]";
    assert_eq!(of(&estate, &["explain", "identity:i", "function/invoke", "function:f"])["verdict"], "yes");
    assert_eq!(of(&estate, &["entry", "f"])["invokers"][0]["members"]["surely"], 1);
}

#[test]
fn includes_of_ten_thousand_sets_are_walked() {
    let mut estate = "permission_sets:\n".to_owned();
    for number in 0..10_000 {
        let next = number + 1;
        estate += &format!("  - {{id: s{number}, includes: s{next}}}\n");
    }
    estate += "  - {id: s10000, statements: [allow table/read]}
identities: [{id: i, kind: service-account, grants: [{set: s0}]}]
resources: [{id: \"table:t\"}]";
    let answer = of(&estate, &["explain", "identity:i", "table/read", "table:t"]);
    assert_eq!(answer["verdict"], "yes");
    assert_eq!(answer["grounds"][0]["held"]["included_set"], "permission-set:s10000");
}

#[test]
fn statements_that_contradict_each_other_are_settled_by_the_deny() {
    let estate = "
identities: [{id: i, kind: service-account, grants: [{statements: [allow *, deny *]}]}]
resources: [{id: \"table:t\"}]";
    let answer = of(estate, &["explain", "identity:i", "table/read", "table:t"]);
    assert_eq!(answer["verdict"], "no");
    assert_eq!(texts(&answer["grounds"], "effect"), ["deny", "allow"]);
}

#[test]
fn patterns_of_ten_thousand_characters_are_matched() {
    let long = "a".repeat(9_980);
    let estate = format!(
        "identities: [{{id: i, kind: service-account, grants: [{{statements: [{{allow: \"*/*{long}*\"}}, allow table/read]}}]}}]
resources: [{{id: \"table:t\"}}]"
    );
    assert_eq!(of(&estate, &["explain", "identity:i", "table/read", "table:t"])["verdict"], "yes");
    assert_eq!(of(&estate, &["explain", "identity:i", "table/write", "table:t"])["verdict"], "no");
    assert!(!of(&estate, &["reach", "i"])["rights"].as_array().unwrap().is_empty());
}

#[rstest]
#[case::an_unknown_operator("{resembles: [x]}", "`resembles` is not a field of a condition")]
#[case::no_operator("{equals: }", "")]
fn a_condition_with_a_mistake_is_no_silent_no(#[case] condition: &str, #[case] said: &str) {
    let place = Place::with(
        "estate.yaml",
        format!(
            "estate: 1\nfunctions: [{{id: f, invoke: [{{to: anyone, when: {{second_factor: {condition}}}}}]}}]\n"
        ),
    );
    let run = place.run(&["explain", "anyone", "function/invoke", "f", "estate.yaml", "--format", "json"]);
    if said.is_empty() {
        assert!(run.code == 2 || !run.out.contains("\"verdict\": \"no\""), "{}", run.out);
    } else {
        assert_eq!(run.code, 2);
        assert!(run.err.contains(said), "{}", run.err);
    }
}
