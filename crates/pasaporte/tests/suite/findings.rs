//! What findings say: for each rule the thing, the severity, how sure it is, the words of situation and fix, and
//! the lines that show it.

use crate::support::Place;
use rstest::rstest;
use serde_json::Value;

/// The only finding of a rule on a small estate of one production account; its first line is line 4.
fn finding(rule: &str, estate: &str) -> Value {
    let text = format!(
        "estate: 1
as_of: 2026-11-20
scopes: [{{id: tickets, kind: account, environment: production, platform: levante}}, {{id: gate, kind: app, in: tickets}}]
{estate}
"
    );
    let audit = Place::with("ferry.yaml", text).audit(&["ferry.yaml", "--only", rule]);
    let findings = audit["findings"].as_array().unwrap();
    assert_eq!(findings.len(), 1, "{findings:#?}");
    let finding = findings[0].clone();
    assert_eq!(finding["rule"], rule);
    assert_eq!(
        (&finding["account"], &finding["platform"]),
        (&Value::from("tickets"), &Value::from("levante"))
    );
    finding
}

fn lines(finding: &Value) -> Vec<(String, u64)> {
    let evidence = finding["evidence"].as_array().unwrap();
    evidence
        .iter()
        .map(|each| (each["what"].as_str().unwrap().to_owned(), each["line"].as_u64().unwrap()))
        .collect()
}

#[rstest]
#[case::a_checkless_endpoint(
    "entry/anonymous-endpoint",
    "functions:
  - id: sell
    in: gate
    endpoints: [{check: none}]",
    ("endpoint:sell/direct", "medium", "certain"),
    "Anyone can make function:sell run: its endpoint checks nothing.",
    "Set the check of function:sell's endpoint to an identity, or to a key of its own.",
    &[("the endpoint", 7)]
)]
#[case::a_checkless_endpoint_before_data(
    "entry/anonymous-endpoint",
    "functions:
  - {id: sell, in: gate, runs_as: sell-role, endpoints: [{check: none}]}
identities:
  - {id: sell-role, in: gate, kind: execution-role, grants: [{statements: [allow table/read on table:bookings]}]}
resources: [{id: \"table:bookings\", in: gate, sensitivity: confidential}]",
    ("endpoint:sell/direct", "critical", "certain"),
    "It runs as identity:sell-role, which may do table/read on confidential table:bookings.",
    "Set the check",
    &[("the endpoint", 5), ("what it runs as", 7)]
)]
#[case::a_foreign_account(
    "entry/open-invoke",
    "functions:
  - id: sell
    in: gate
    invoke: [{to: account:harbour-pay}]",
    ("function:sell", "medium", "certain"),
    "Every principal of the foreign account:harbour-pay may invoke it.",
    "Replace `account:harbour-pay` in its invoke permission by the callers that you can name.",
    &[("the permission", 7)]
)]
#[case::a_foreign_account_with_an_open_condition(
    "entry/open-invoke",
    "functions:
  - id: sell
    in: gate
    invoke: [{to: signed-in, when: {second_factor: \"true\"}}]",
    ("function:sell", "medium", "conditional"),
    "Any signed-in caller of the platform, of whichever customer, may invoke it, if second factor is true.",
    "Replace `signed-in`",
    &[("the permission", 7)]
)]
#[case::an_unpinned_source(
    "entry/unpinned-source",
    "functions:
  - {id: scan, in: gate, triggers: [{source: \"bucket:scans\"}], invoke: [service:object-store]}
resources: [{id: \"bucket:scans\", in: gate}]",
    ("function:scan", "medium", "certain"),
    "service:object-store may invoke it for anybody's source",
    "Add `when: {source_resource: bucket:scans, account_of_source: tickets}` to the permission.",
    &[("the permission", 5)]
)]
#[case::a_public_token(
    "entry/public-token",
    "functions:
  - {id: sell, in: gate, endpoints: [{check: {token: site}}]}
verifiers: [{id: site, in: gate, issuers: [site.example]}]
tokens: [{id: web, issuer: site.example, public: true}]",
    ("endpoint:sell/direct", "medium", "certain"),
    "Anyone can make function:sell run: its endpoint accepts token:web, which was handed to public clients.",
    "Then the public token must be refused here.",
    &[("the endpoint", 5), ("the public token", 7)]
)]
#[case::an_anonymous_endpoint_that_turned_somebody_away(
    "entry/anonymous-endpoint",
    "functions:
  - {id: sell, in: gate, endpoints: [{check: none}]}
tries:
  - {endpoint: sell/direct, method: HEAD, at: 2026-11-18, status: 200}
  - {endpoint: sell/direct, method: HEAD, at: 2026-11-19, status: 401}",
    ("endpoint:sell/direct", "medium", "inferred"),
    "A try without a credential was turned away, though: something that the estate does not show may check.",
    "Set the check",
    &[("the endpoint", 5), ("a try: HEAD, 200", 7), ("a try: HEAD, 401", 8)]
)]
#[case::an_address_around_the_gateway(
    "entry/open-network",
    "functions:
  - id: sell
    in: gate
    endpoints:
      - {check: identity}
      - {gateway: front, path: /sell, check: {key: app}, presents: {identity: door}}
    invoke: [identity:door]
identities: [{id: door, in: gate, kind: service-account}]",
    ("endpoint:sell/direct", "low", "inferred"),
    "The whole internet can reach the address of function:sell although only gateway front may call it.",
    "Set its network to `internal`, or to the networks of the gateway.",
    &[("the endpoint", 8), ("the route in front of it", 9)]
)]
#[case::a_source_that_is_gone(
    "entry/dangling-source",
    "functions:
  - id: sell
    in: gate
    triggers: [{source: \"queue:old-orders\"}]
    invoke: [{to: service:queue-poller, when: {source_resource: \"queue:old-orders\"}}]
resources: [{id: \"queue:orders\", in: gate}]",
    ("function:sell", "medium", "inferred"),
    "queue:old-orders is not in the estate, which has others of its kind, so it seems to be gone; a permission of the \
     function and a trigger of the function still name it. Whoever makes one of that name, in any account, feeds it.",
    "Take out what names queue:old-orders, or make it again in your own account.",
    &[("a permission", 8), ("a trigger", 7)]
)]
#[case::a_source_that_is_gone_but_pinned(
    "entry/dangling-source",
    "functions:
  - id: sell
    in: gate
    invoke: [{to: service:queue-poller, when: {source_resource: \"queue:old-orders\", account_of_source: tickets}}]
resources: [{id: \"queue:orders\", in: gate}]",
    ("function:sell", "low", "inferred"),
    "so it seems to be gone; a permission of the function still names it. Whoever in the account makes one of that name feeds it.",
    "Take out what names queue:old-orders",
    &[("a permission", 7)]
)]
#[case::a_trigger_that_is_off(
    "entry/idle-trigger",
    "functions:
  - id: sell
    in: gate
    triggers: [{source: \"queue:orders\", state: disabled}]
    invoke: [service:queue-poller]
resources: [{id: \"queue:orders\", in: gate}]",
    ("trigger:sell/on/queue:orders", "low", "certain"),
    "It is switched off, and service:queue-poller may still invoke function:sell.",
    "Take the permission away; the trigger too, if nobody will switch it on again.",
    &[("the trigger", 7), ("the permission", 8)]
)]
#[case::a_trigger_on_everything(
    "entry/unfiltered-source",
    "functions:
  - {id: sell, in: gate, triggers: [{source: \"bucket:scans\"}]}
  - {id: scan, in: gate, triggers: [{source: \"bucket:scans\", filter: \"*.jpg\"}]}
resources: [{id: \"bucket:scans\", in: gate}]",
    ("trigger:sell/on/bucket:scans", "low", "inferred"),
    "function:sell runs on everything in bucket:scans, from which function:scan picks `*.jpg`: it holds several kinds \
     of things.",
    "Give this trigger a filter too.",
    &[("the trigger", 5), ("the trigger with a filter", 6)]
)]
#[case::a_caller_of_everything(
    "entry/wide-invoke-grant",
    "functions: [{id: a, in: gate}, {id: b, in: gate}, {id: c, in: gate, runs_as: mighty}]
identities:
  - {id: caller, in: gate, kind: service-account, grants: [{statements: [allow function/invoke], at: account:tickets}]}
  - {id: mighty, in: gate, kind: service-account, grants: [{statements: [allow *], at: account:tickets}]}",
    ("identity:caller", "low", "certain"),
    "It may invoke every function of account:tickets, 3 today, among them function:c and function:a. That comes by \
     a statement of its own.",
    "Narrow the statement of this grant to the functions that it calls.",
    &[("the statement", 6), ("the grant", 6)]
)]
#[case::a_caller_of_everything_but_what_turns_it_away(
    "entry/wide-invoke-grant",
    "functions: [{id: a, in: gate}, {id: b, in: gate}, {id: d, in: gate}, {id: c, in: gate, invoke: [{to: \"identity:caller\", deny: function/invoke}]}]
identities:
  - {id: caller, in: gate, kind: service-account, grants: [{statements: [allow function/invoke], at: account:tickets}]}",
    ("identity:caller", "low", "certain"),
    "It may invoke every function of account:tickets but function:c, 3 today",
    "Narrow the statement of this grant to the functions that it calls.",
    &[("the statement", 6), ("the grant", 6)]
)]
#[case::a_verifier_of_tokens_without_end(
    "entry/weak-token-check",
    "functions: [{id: sell, in: gate, endpoints: [{check: {token: site}}]}]
verifiers: [{id: site, in: gate, issuers: [a.example], audiences: [web], checks_expiry: false}]",
    ("verifier:site", "low", "certain"),
    "It accepts tokens that have ended or never end. It guards function:sell.",
    "In verifier:site, refuse tokens without an end or past it.",
    &[("the verifier", 5)]
)]
#[case::every_action(
    "grant/any-action",
    "identities:
  - id: role
    in: gate
    kind: execution-role
    grants:
      - statements: [allow *]
        at: account:tickets",
    ("identity:role", "high", "certain"),
    "It may do every action on everything at account:tickets by a statement of its own. At worst: change who may do \
     what at account:tickets.",
    "Narrow the statement of this grant to the actions that the code uses.",
    &[("the statement", 9), ("the grant", 9)]
)]
#[case::every_action_by_a_template_within_a_ceiling_that_depends(
    "grant/any-action",
    "identities:
  - {id: role, in: gate, kind: execution-role, grants: [{set: all, at: account:tickets}]}
permission_sets: [{id: all, origin: platform, statements: [allow *]}]
ceilings: [{over: identity:role, statements: [{allow: \"*\", when: {second_factor: \"true\"}}]}]",
    ("identity:role", "high", "conditional"),
    "by the ready-made permission-set:all",
    "Replace permission-set:all in this grant by a set of your own that lists the actions that the code uses.",
    &[("the statement", 6), ("the grant", 5)]
)]
#[case::every_bucket(
    "grant/any-resource",
    "identities:
  - {id: role, in: gate, kind: execution-role, grants: [{statements: [\"allow bucket/write on bucket:*\"], at: account:tickets}]}
resources: [{id: \"bucket:scans\", in: gate, sensitivity: confidential}, {id: \"bucket:maps\", in: gate}]",
    ("identity:role", "medium", "certain"),
    "It may do bucket/write on every bucket at account:tickets: 2 in the estate today (1 confidential).",
    "Narrow the statement of this grant to the resources that the code uses.",
    &[("the statement", 5), ("the grant", 5)]
)]
#[case::every_bucket_but_what_a_deny_takes(
    "grant/any-resource",
    "identities:
  - id: role
    in: gate
    kind: execution-role
    grants: [{statements: [\"allow bucket/write on bucket:*\", {deny: \"bucket/*\", on: [\"bucket:old-*\", \"table:t\"]}], at: account:tickets}]
resources:
  - {id: \"bucket:scans\", in: gate, sensitivity: confidential}
  - {id: \"bucket:old-scans\", in: gate, sensitivity: confidential}
  - {id: \"bucket:old-maps\", in: gate}",
    ("identity:role", "medium", "certain"),
    "It may do bucket/write on every bucket at account:tickets but bucket:old-maps and bucket:old-scans: 1 in the \
     estate today (1 confidential).",
    "Narrow the statement of this grant to the resources that the code uses.",
    &[("the statement", 8), ("the grant", 8)]
)]
#[case::every_bucket_of_a_team(
    "grant/any-resource",
    "identities:
  - id: role
    in: gate
    kind: execution-role
    grants: [{statements: [{allow: bucket/write, on: \"bucket:*\", when: {resource_tag/team: berths}}], at: account:tickets}]
resources:
  - {id: \"bucket:scans\", in: gate, sensitivity: confidential, tags: {team: berths}}
  - {id: \"bucket:maps\", in: gate, sensitivity: confidential, tags: {team: tides}}",
    ("identity:role", "medium", "conditional"),
    "It may do bucket/write on every bucket at account:tickets but bucket:maps: 1 in the estate today (1 confidential).",
    "Narrow the statement of this grant to the resources that the code uses.",
    &[("the statement", 8), ("the grant", 8)]
)]
#[case::an_action_that_nobody_classified(
    "grant/any-resource",
    "identities:
  - {id: role, in: gate, kind: execution-role, grants: [{statements: [\"allow berth/assign on berth:*\"], at: account:tickets}]}
resources: [{id: \"berth:la-vela\", in: gate}]",
    ("identity:role", "low", "inferred"),
    "It may do berth/assign on every berth at account:tickets: 1 in the estate today.",
    "Narrow the statement",
    &[("the statement", 5), ("the grant", 5)]
)]
#[case::what_anyone_holds(
    "grant/to-everybody",
    "grants: [{to: anyone, statements: [allow table/write], at: account:tickets}]
resources: [{id: \"table:t\", in: gate}]",
    ("grant:anyone/statements@account:tickets", "high", "certain"),
    "Anyone, without signing in, may do table/write on table:t.",
    "Give it to those who need it instead of anyone.",
    &[("the statement", 4), ("the grant", 4)]
)]
#[case::a_whole_service(
    "grant/whole-service",
    "groups: [{id: crew, in: tickets, members: [user:mara], grants: [{statements: [\"allow queue/*\"], at: app:gate}]}]
users: [{id: mara, in: tickets}]
resources: [{id: \"queue:orders\", in: gate}]",
    ("group:crew", "low", "certain"),
    "Its 1 member may do every action of queue on everything at app:gate by a statement of its own.",
    "Narrow the statement of this grant to the actions that the code uses.",
    &[("the statement", 4), ("the grant", 4)]
)]
#[case::a_whole_service_but_on_one_thing(
    "grant/whole-service",
    "users: [{id: mara, in: tickets, grants: [{statements: [{allow: \"queue/*\"}, {deny: \"queue/send\", on: \"queue:orders\"}]}]}]
resources: [{id: \"queue:orders\", in: tickets}]",
    ("user:mara", "low", "certain"),
    "It may do every action of queue on everything everywhere by a statement of its own. Not all of it on queue:orders.",
    "Narrow the statement of this grant to the actions that the code uses.",
    &[("the statement", 4), ("the grant", 4)]
)]
#[case::a_whole_service_but_what_is_short(
    "grant/whole-service",
    "users: [{id: mara, in: tickets, grants: [{statements: [{allow: \"queue/???*\"}]}]}]
resources: [{id: \"queue:orders\", in: tickets}]",
    ("user:mara", "low", "certain"),
    "It may do every action of queue but what its patterns leave out on everything everywhere by a statement of its own.",
    "Narrow the statement of this grant to the actions that the code uses.",
    &[("the statement", 4), ("the grant", 4)]
)]
#[case::a_whole_service_within_a_ceiling(
    "grant/whole-service",
    "users: [{id: mara, in: tickets, grants: [{statements: [{allow: \"queue/*\"}]}]}]
resources: [{id: \"queue:orders\", in: tickets}]
ceilings: [{over: [\"user:mara\"], statements: [{allow: \"*/???*\"}]}]",
    ("user:mara", "low", "certain"),
    "It may do every action of queue but what ceilings leave out on everything everywhere by a statement of its own.",
    "Narrow the statement of this grant to the actions that the code uses.",
    &[("the statement", 4), ("the grant", 4)]
)]
#[case::a_default_identity(
    "identity/default-in-use",
    "functions: [{id: plot, in: gate}]
identities: [{id: usual, in: tickets, kind: service-account, default: true}]
scopes: [{id: gate, kind: app, in: tickets, runs_as: usual}]",
    ("function:plot", "low", "certain"),
    "It runs as the default identity:usual because nothing else was said.",
    "Make an identity for function:plot and set its `runs_as`; grant it what it uses.",
    &[("the function", 4), ("the default identity", 5)]
)]
#[case::one_identity_for_two_purposes(
    "identity/shared",
    "functions: [{id: a, in: gate, runs_as: role, owner: berths}, {id: b, in: gate, runs_as: role, owner: tides}]
identities: [{id: role, in: gate, kind: execution-role}]",
    ("identity:role", "low", "certain"),
    "2 functions run as it (a and b), and they differ in owner (berths and tides).",
    "Make an identity for each purpose",
    &[("the identity", 5), ("function:a", 4), ("function:b", 4)]
)]
#[case::an_orphan(
    "identity/orphaned",
    "identities: [{id: old, in: gate, kind: managed-identity, grants: [{statements: [allow queue/send]}]}]",
    ("identity:old", "low", "certain"),
    "No function, app or gateway uses it and nobody is named who may act as it, yet it holds 1 grant.",
    "Remove its grants",
    &[("the identity", 4), ("a grant that stands", 4)]
)]
#[case::anyone_acts_as_it(
    "trust/anyone",
    "identities: [{id: link, in: gate, kind: service-account, trust: [anyone]}]",
    ("identity:link", "medium", "certain"),
    "Anyone, without signing in, may act as it.",
    "Replace `anyone` in its trust by whoever needs to act as it.",
    &[("the permission", 4)]
)]
#[case::a_foreign_account_acts_as_it(
    "trust/whole-account",
    "identities: [{id: link, in: gate, kind: execution-role, trust: [{to: account:harbour-pay}]}]",
    ("identity:link", "medium", "certain"),
    "Every principal of the foreign account:harbour-pay may act as it.",
    "Replace `account:harbour-pay`",
    &[("the permission", 4)]
)]
#[case::another_service(
    "trust/other-service",
    "identities: [{id: pdf, in: gate, kind: execution-role, trust: [service:functions, service:batch-runner]}]",
    ("identity:pdf", "low", "certain"),
    "Service:batch-runner may act as this execution role too.",
    "Take service:batch-runner out of its trust.",
    &[("the execution role", 4), ("the permission", 4)]
)]
#[case::an_old_key(
    "key/stale",
    "keys: [{id: gate-app, opens: app:gate, reach: app, created: 2026-01-01, rotated: 2026-02-01}]",
    ("key:gate-app", "low", "certain"),
    "This app-reach key was last rotated 292 days ago; 180 are allowed. It is for app:gate, where no function was seen.",
    "Rotate key:gate-app: make its successor",
    &[("the key", 4)]
)]
#[case::an_old_admin_key(
    "key/stale",
    "keys: [{id: gate-admin, opens: app:gate, reach: admin, created: 2026-01-01}]",
    ("key:gate-admin", "high", "certain"),
    "made and never rotated 323 days ago; 180 are allowed. It is for app:gate, where no function was seen. Its holder may invoke and \
     manage all of app:gate.",
    "Rotate key:gate-admin",
    &[("the key", 4)]
)]
#[case::an_unused_key(
    "key/never-used",
    "keys: [{id: spare, opens: app:gate, reach: app, created: 2026-01-01, last_used: never, observed_since: 2026-10-01}]",
    ("key:spare", "low", "certain"),
    "nobody used it in the 50 days it was watched",
    "Switch key:spare off.",
    &[("the key", 4)]
)]
#[case::an_endless_key(
    "key/no-expiry",
    "keys: [{id: gate-admin, opens: app:gate, reach: admin, created: 2026-11-01}]",
    ("key:gate-admin", "medium", "certain"),
    "This admin-reach key has no expiry.",
    "Set an expiry within 180 days.",
    &[("the key", 4)]
)]
#[case::a_condition_nobody_understood(
    "blind/opaque-condition",
    "functions: [{id: f, in: gate, invoke: [{to: signed-in, when: {opaque: segment is gold}}]}]",
    ("function:f", "low", "certain"),
    "The condition “segment is gold” was not understood, so what it guards is not known.",
    "Write it with the attributes of the estate format.",
    &[("the condition", 4)]
)]
#[case::a_page_not_collected(
    "blind/partial-collection",
    "blind_spots: [{what: page 7 of the keys, hides: 40 keys, in: tickets}]",
    ("account:tickets", "low", "certain"),
    "Not collected: page 7 of the keys. It hides 40 keys.",
    "Give the collector the access it lacked, and gather again.",
    &[("the collector's note", 4)]
)]
#[case::a_key_of_no_age(
    "blind/unknown-age",
    "keys: [{id: spare, opens: app:gate, reach: app}]",
    ("key:spare", "low", "certain"),
    "Nobody said when this enabled key was made, so its age is not known.",
    "add `created`",
    &[("the key", 4)]
)]
fn a_finding_says(
    #[case] rule: &str,
    #[case] estate: &str,
    #[case] (thing, severity, sureness): (&str, &str, &str),
    #[case] situation: &str,
    #[case] fix: &str,
    #[case] evidence: &[(&str, u64)],
) {
    // An app is declared once: where an estate says more of it, that stands instead.
    let says_more = estate.contains("scopes: [{id: gate");
    let finding = if says_more {
        let estate = estate.replace("scopes: [{id: gate, kind: app, in: tickets, runs_as: usual}]", "");
        finding_of_default(rule, &estate)
    } else {
        finding(rule, estate)
    };
    assert_eq!(finding["thing"], thing);
    assert_eq!(finding["severity"], severity, "{finding:#}");
    assert_eq!(finding["sureness"], sureness);
    assert!(finding["situation"].as_str().unwrap().contains(situation), "{finding:#}");
    assert!(finding["fix"].as_str().unwrap().contains(fix), "{finding:#}");
    let expected: Vec<(String, u64)> =
        evidence.iter().map(|(what, line)| ((*what).to_owned(), *line)).collect();
    assert_eq!(lines(&finding), expected);
}

/// The same where functions of the app run as the default identity.
fn finding_of_default(rule: &str, estate: &str) -> Value {
    let text = format!(
        "estate: 1
as_of: 2026-11-20
scopes: [{{id: tickets, kind: account, environment: production}}, {{id: gate, kind: app, in: tickets, runs_as: usual}}]
{estate}
"
    );
    let audit = Place::with("ferry.yaml", text).audit(&["ferry.yaml", "--only", rule]);
    audit["findings"][0].clone()
}

/// Outside production each severity is one lower; where nobody says, it is judged as production.
#[rstest]
#[case("environment: production", "critical")]
#[case("environment: staging", "high")]
#[case("environment: test", "high")]
#[case("environment: development", "high")]
#[case("owner: tickets", "critical")]
fn environments_shift_severities(#[case] of_account: &str, #[case] expected: &str) {
    let estate = format!(
        "estate: 1
scopes: [{{id: a, kind: account, {of_account}}}]
functions: [{{id: f, in: a, runs_as: i, endpoints: [{{check: none}}]}}]
identities: [{{id: i, in: a, kind: service-account, grants: [{{statements: [allow table/write on table:t]}}]}}]
resources: [{{id: \"table:t\", in: a, sensitivity: confidential}}]
"
    );
    let audit =
        Place::with("ferry.yaml", estate).audit(&["ferry.yaml", "--only", "entry/anonymous-endpoint"]);
    assert_eq!(audit["findings"][0]["severity"], expected);
}

/// Impact follows what is reached in effect, and exposure who reaches it.
#[rstest]
#[case::confidential("allow table/read on table:secret-list", "confidential-data")]
#[case::internal("allow table/read on table:plain", "data-or-secrets")]
#[case::public_reading_is_nothing("allow table/read on table:fares", "runs-code")]
#[case::public_writing_is_something("allow table/write on table:fares", "data-or-secrets")]
#[case::listing_is_nothing("allow table/list on table:secret-list", "runs-code")]
#[case::access("allow access/grant", "controls-access")]
#[case::all_code("allow function/update on function:*", "controls-access")]
#[case::some_code("allow function/update on function:f", "runs-code")]
#[case::elsewhere("allow table/read on table:of-another", "runs-code")]
fn impact_follows_what_is_reached(#[case] statement: &str, #[case] expected: &str) {
    let estate = format!(
        "estate: 1
scopes: [{{id: a, kind: account}}, {{id: b, kind: account}}]
functions: [{{id: f, in: a, runs_as: i, endpoints: [{{check: none}}]}}]
identities: [{{id: i, in: a, kind: service-account, grants: [{{statements: [\"{statement}\"]}}]}}]
resources:
  - {{id: \"table:secret-list\", in: a, sensitivity: confidential}}
  - {{id: \"table:plain\", in: a, sensitivity: internal}}
  - {{id: \"table:fares\", in: a, sensitivity: public}}
  - {{id: \"table:of-another\", in: b, sensitivity: confidential}}
"
    );
    let audit =
        Place::with("ferry.yaml", estate).audit(&["ferry.yaml", "--only", "entry/anonymous-endpoint"]);
    let finding = &audit["findings"][0];
    assert_eq!(finding["impact"], expected, "{finding:#}");
    assert_eq!(finding["exposure"], "anyone");
}

/// Who crosses is whoever takes the step; what production may become besides is not told of them.
#[rstest]
#[case::itself("", "may act as identity:ledger, an identity of production.")]
#[case::by_one_of_no_environment(
    "{id: desk, in: shared, kind: service-account, trust: [identity:drill]}",
    "comes to act as identity:ledger, an identity of production by way of identity:desk."
)]
fn a_crossing_is_told_of_the_step_that_crosses(#[case] desk: &str, #[case] told: &str) {
    let trusts = if desk.is_empty() { "drill" } else { "desk" };
    let desk = if desk.is_empty() { String::new() } else { format!("\n  - {desk}") };
    let estate = format!(
        r"
estate: 1
as_of: 2026-11-20
scopes:
  - {{id: tides, kind: account, environment: test, cross_account: one-side}}
  - {{id: shared, kind: account, cross_account: one-side}}
  - {{id: tickets, kind: account, environment: production, cross_account: one-side}}
identities:{desk}
  - {{id: drill, in: tides, kind: service-account}}
  - {{id: ledger, in: tickets, kind: service-account, trust: [identity:{trusts}]}}
  - {{id: bank, in: tickets, kind: service-account, trust: [identity:ledger]}}
"
    );
    let place = Place::with("estate.yaml", estate);
    let audit = place.audit(&["estate.yaml", "--only", "identity/crosses-environments"]);
    let findings = audit["findings"].as_array().unwrap();
    let found: Vec<&str> = findings.iter().map(|it| it["situation"].as_str().unwrap()).collect();
    assert_eq!(found.len(), 1, "{found:?}");
    assert!(found[0].contains(told), "{found:?}");
}

/// Control of what is there counts where what may yet be made is out of reach, whoever holds it for code.
#[rstest]
#[case::but_for_what_exists(
    "resources: []
functions: [{id: sell, in: gate, runs_as: sell-role}, {id: dock, in: gate}]
identities:
  - {id: sell-role, in: gate, kind: execution-role, grants: [{statements: [allow function/update on function:*, {deny: function/update, on: {all_except: function:dock}}], at: account:tickets}]}",
    "identity:sell-role"
)]
#[case::as_any_of_the_account(
    "functions: [{id: sell, in: gate, runs_as: sell-role}, {id: dock, in: gate}]
identities: [{id: sell-role, in: gate, kind: execution-role}]
grants: [{to: account:tickets, statements: [allow function/update on function:dock], at: account:tickets}]",
    "account:tickets"
)]
#[case::as_a_member_with_the_account(
    "functions: [{id: sell, in: gate, runs_as: sell-role}, {id: dock, in: gate}]
identities: [{id: sell-role, in: gate, kind: execution-role}]
groups: [{id: all-hands, members: [account:tickets]}]
grants: [{to: group:all-hands, statements: [allow function/update on function:dock], at: account:tickets}]",
    "group:all-hands"
)]
fn control_of_code_is_told_by_whichever_name_code_holds_it(#[case] estate: &str, #[case] thing: &str) {
    let estate = format!(
        "estate: 1
as_of: 2026-11-20
scopes: [{{id: tickets, kind: account, environment: production, platform: levante}}, {{id: gate, kind: app, in: tickets}}]
{estate}
"
    );
    let audit = Place::with("ferry.yaml", estate).audit(&["ferry.yaml", "--only", "grant/changes-code"]);
    let things: Vec<&str> =
        audit["findings"].as_array().unwrap().iter().map(|it| it["thing"].as_str().unwrap()).collect();
    assert_eq!(things, [thing]);
}

/// And where no code runs in the account, the rule has nothing to say of it.
#[test]
fn an_account_in_which_no_code_runs_holds_nothing_for_code() {
    let estate = "estate: 1
as_of: 2026-11-20
scopes: [{id: tickets, kind: account}, {id: port, kind: account}]
functions: [{id: dock, in: port}]
identities: [{id: sell-role, in: tickets, kind: execution-role}]
grants: [{to: account:tickets, statements: [allow function/update on function:dock], at: account:port}]
";
    let audit = Place::with("ferry.yaml", estate).audit(&["ferry.yaml", "--only", "grant/changes-code"]);
    assert_eq!(audit["findings"].as_array().unwrap().len(), 0, "{:#?}", audit["findings"]);
}
