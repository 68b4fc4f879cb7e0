//! Every rule has an estate that it fires on and one of near misses that it is quiet on, in `rules/`.

use std::fs;
use std::path::{Path, PathBuf};

use assert_cmd::Command;
use rstest::rstest;
use serde_json::Value;

fn pasaporte(args: &[&str]) -> Value {
    let output =
        Command::cargo_bin("pasaporte").unwrap().args(args).assert().success().get_output().stdout.clone();
    serde_json::from_slice(&output).unwrap()
}

/// The things that a rule fires on in an estate.
fn fires_on(rule: &str, estate: &Path) -> Vec<String> {
    let audit = pasaporte(&["audit", estate.to_str().unwrap(), "--only", rule, "--format", "json"]);
    let findings = audit["findings"].as_array().unwrap();
    findings.iter().map(|finding| finding["thing"].as_str().unwrap().to_owned()).collect()
}

fn example(rule: &str, which: &str) -> PathBuf {
    let name = format!("{}.{which}.yaml", rule.replace('/', "."));
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/rules").join(name)
}

#[test]
fn every_rule_fires_where_it_should_and_only_there() {
    let rules = pasaporte(&["rules", "--format", "json"]);
    for rule in rules["rules"].as_array().unwrap() {
        let id = rule["id"].as_str().unwrap();
        let fires = example(id, "fires");
        let first_line = fs::read_to_string(&fires).unwrap().lines().next().unwrap().to_owned();
        let expected = first_line.strip_prefix("# fires on ").unwrap();
        assert_eq!(fires_on(id, &fires), [expected], "{id} on {}", fires.display());
        let quiet = example(id, "quiet");
        assert_eq!(fires_on(id, &quiet), [""; 0], "{id} on {}", quiet.display());
    }
}

#[test]
fn every_rule_says_why_how_and_where_to_read_on() {
    let rules = pasaporte(&["rules", "--format", "json"]);
    let mut seen = Vec::new();
    for rule in rules["rules"].as_array().unwrap() {
        let id = rule["id"].as_str().unwrap();
        let (family, name) = id.split_once('/').unwrap();
        assert!(
            !family.is_empty() && name.chars().all(|each| each.is_ascii_lowercase() || each == '-'),
            "{id}"
        );
        assert!(!seen.contains(&id.to_owned()), "{id} twice");
        seen.push(id.to_owned());
        for field in ["title", "why", "fix", "check"] {
            assert!(rule[field].as_str().unwrap().len() > 10, "{id} has no {field}");
        }
        let references = rule["references"].as_array().unwrap();
        assert!(!references.is_empty(), "{id} has no references");
        for reference in references {
            let text = reference.as_str().unwrap();
            let known = ["CWE-", "NIST SP 800-53 ", "OWASP API", "RFC "];
            assert!(known.iter().any(|start| text.starts_with(start)), "{id}: {text}");
        }
    }
}

/// In effect, not on paper: variations of one estate, each with what it should come to.
#[rstest]
#[case::a_public_token_opens_a_token_check("entry/public-token", "
functions: [{id: f, endpoints: [{check: {token: v}}]}]
verifiers: [{id: v, issuers: [site.example]}]
tokens: [{id: t, issuer: site.example, public: true}]", &["endpoint:f/direct"])]
#[case::an_expired_public_token_does_not("entry/public-token", "
functions: [{id: f, endpoints: [{check: {token: v}}]}]
verifiers: [{id: v, issuers: [site.example]}]
tokens: [{id: t, issuer: site.example, public: true, expires: 2026-01-01}]", &[])]
#[case::an_unsigned_token_opens_it("entry/anonymous-endpoint", "
functions: [{id: f, endpoints: [{check: {token: v}}]}]
verifiers: [{id: v, algorithms: [ES256, none]}]", &["endpoint:f/direct"])]
#[case::a_check_of_identity_is_open_when_anyone_may_invoke("entry/anonymous-endpoint", "
functions: [{id: f, endpoints: [{check: identity}], invoke: [anyone]}]", &["endpoint:f/direct"])]
#[case::a_group_of_anyone_is_anyone("entry/anonymous-endpoint", "
functions: [{id: f, endpoints: [{check: identity}], invoke: [group:g]}]
groups: [{id: g, members: [group:h]}, {id: h, members: [anyone]}]", &["endpoint:f/direct"])]
#[case::all_addresses_are_the_internet("entry/anonymous-endpoint", "
functions: [{id: f, endpoints: [{check: none, network: [0.0.0.0/0]}]}]", &["endpoint:f/direct"])]
#[case::a_grant_from_above_opens_it("entry/anonymous-endpoint", "
scopes: [{id: o, kind: organization}, {id: a, kind: account, in: o}]
functions: [{id: f, in: a, endpoints: [{check: identity}]}]
grants: [{to: anyone, statements: [allow function/invoke], at: organization:o}]", &["endpoint:f/direct"])]
#[case::the_function_behind_it_need_not_be_there("entry/anonymous-endpoint", "
endpoints: [{function: ghost, check: none}]", &["endpoint:ghost/direct"])]
#[case::a_pattern_covers_every_action_without_saying_so("grant/any-action", "
identities: [{id: i, kind: service-account, grants: [{statements: [\"allow *\\\\/*\"]}]}]", &["identity:i"])]
#[case::patterns_cover_a_service_together("grant/whole-service", "
identities: [{id: i, kind: service-account, grants: [{statements: [\"allow table/?, table/??*\"]}]}]", &["identity:i"])]
#[case::an_included_set_counts("grant/any-action", "
identities: [{id: i, kind: service-account, grants: [{set: outer}]}]
permission_sets: [{id: outer, includes: middle}, {id: middle, includes: [inner]}, {id: inner, statements: [allow *]}]",
    &["identity:i"])]
#[case::a_ceiling_that_lists_everything_confines_nothing("grant/any-action", "
identities: [{id: i, kind: service-account, grants: [{statements: [allow *]}]}]
ceilings: [{over: identity:i, statements: [allow *, deny table/delete]}]", &["identity:i"])]
#[case::a_ceiling_on_the_account_confines("grant/any-action", "
scopes: [{id: a, kind: account}]
identities: [{id: i, in: a, kind: service-account, grants: [{statements: [allow *]}]}]
ceilings: [{over: account:a, statements: [\"allow table/*\"]}]", &[])]
#[case::case_is_ignored_where_the_account_says_so("grant/whole-service", "
scopes: [{id: a, kind: account, action_case: ignored}]
identities: [{id: i, in: a, kind: service-account, grants: [{statements: [\"allow Table/*\"], at: account:a}]}]
resources: [{id: \"table:t\", in: a}]", &["identity:i"])]
#[case::a_name_that_strangers_may_choose_is_no_pin("entry/unpinned-source", "
functions: [{id: f, invoke: [{to: service:s, when: {source_resource: {like: \"bucket:tide-*\"}}}]}]", &["function:f"])]
#[case::a_pin_on_any_source_is_none("entry/unpinned-source", "
functions: [{id: f, invoke: [{to: service:s, when: {source_resource: {like: \"*\"}}}]}]", &["function:f"])]
#[case::an_account_that_is_not_this_one_is_no_pin("entry/unpinned-source", "
functions: [{id: f, invoke: [{to: service:s, when: {account_of_source: {not_equals: other}}}]}]", &["function:f"])]
#[case::a_route_is_no_direct_endpoint("entry/anonymous-endpoint", "
functions: [{id: f, endpoints: [{gateway: g, path: /p, check: none, presents: caller}, {check: none, network: internal}]}]", &[])]
#[case::a_route_opens_what_checks_nothing_itself("entry/anonymous-route", "
functions: [{id: f, endpoints: [{gateway: g, path: /p, check: none, presents: nothing}, {check: none, network: internal}]}]",
    &["endpoint:f/g/p"])]
#[case::an_identity_that_may_invoke_opens_the_route("entry/anonymous-route", "
functions: [{id: f, endpoints: [{gateway: g, path: /p, check: none, presents: {identity: i}}], invoke: [identity:i]}]
identities: [{id: i, kind: service-account}]", &["endpoint:f/g/p"])]
#[case::one_that_is_denied_does_not("entry/anonymous-route", "
functions: [{id: f, endpoints: [{gateway: g, path: /p, check: none, presents: {identity: i}}], invoke: [identity:i]}]
identities: [{id: i, kind: service-account, grants: [{statements: [deny function/invoke]}]}]", &[])]
#[case::a_public_token_opens_a_route("entry/public-token", "
functions: [{id: f, endpoints: [{gateway: g, path: /p, check: {token: v}, presents: {key: k}}, {check: {key: function}}]}]
keys: [{id: k, opens: function:f, reach: function}]
verifiers: [{id: v, issuers: [site.example], audiences: [web]}]
tokens: [{id: t, issuer: site.example, audiences: [web], public: true}]", &["endpoint:f/g/p"])]
#[case::a_key_with_an_end_behind_us_is_perhaps_still_accepted("entry/anonymous-route", "
functions: [{id: f, endpoints: [{gateway: g, path: /p, check: none, presents: {key: k}}, {check: {key: function}}]}]
keys: [{id: k, opens: function:f, reach: function, expires: 2026-11-19}]", &["endpoint:f/g/p"])]
#[case::a_key_of_180_days_is_not_old_yet("key/stale", "
functions: [{id: f}]
keys: [{id: k, opens: function:f, reach: function, created: 2026-05-24}]", &[])]
#[case::a_key_of_181_days_is("key/stale", "
functions: [{id: f}]
keys: [{id: k, opens: function:f, reach: function, created: 2026-05-23}]", &["key:k"])]
#[case::one_that_was_rotated_since_is_not("key/stale", "
functions: [{id: f}]
keys: [{id: k, opens: function:f, reach: function, created: 2025-05-23, rotated: 2026-05-24}]", &[])]
#[case::an_identity_that_trusts_itself_is_still_orphaned("identity/orphaned", "
identities: [{id: i, kind: service-account, trust: [identity:i], grants: [{statements: [allow table/read]}]}]", &["identity:i"])]
#[case::taking_from_a_source_does_not_feed_it("entry/open-source", "
functions: [{id: f, triggers: [{source: \"queue:q\"}]}]
resources: [{id: \"queue:q\", access: [{to: anyone, allow: queue/take}]}]
actions: [{action: queue/take, class: delete}]", &[])]
#[case::sending_to_it_does("entry/open-source", "
functions: [{id: f, triggers: [{source: \"queue:q\"}]}]
resources: [{id: \"queue:q\", access: [{to: anyone, allow: queue/send}]}]", &["function:f"])]
#[case::a_token_made_for_another_verifier_that_this_one_takes("entry/public-token", "
functions: [{id: f, endpoints: [{check: {token: v}}]}]
verifiers: [{id: v, issuers: [site.example]}, {id: w, issuers: [site.example]}]
tokens: [{id: t, issuer: site.example, verifier: w, public: true}]", &["endpoint:f/direct"])]
#[case::a_key_of_the_app_opens_a_function_of_it("entry/anonymous-route", "
scopes: [{id: a, kind: app}]
functions: [{id: f, in: a, endpoints: [{gateway: g, path: /p, check: none, presents: {key: k}}, {check: {key: function}}]}]
keys: [{id: k, opens: app:a, reach: app}]", &["endpoint:f/g/p"])]
#[case::no_issuer("entry/weak-token-check", "
functions: [{id: f, endpoints: [{check: {token: v}}]}]
verifiers: [{id: v, audiences: [staff], algorithms: [ES256]}]", &["verifier:v"])]
#[case::no_audience("entry/weak-token-check", "
functions: [{id: f, endpoints: [{check: {token: v}}]}]
verifiers: [{id: v, issuers: [site.example], algorithms: [ES256]}]", &["verifier:v"])]
#[case::a_weak_check_at_a_gateway_counts("entry/weak-token-check", "
functions: [{id: f, endpoints: [{gateway: g, path: /p, check: {token: v}, presents: nothing}]}]
verifiers: [{id: v, issuers: [site.example], audiences: [staff], checks_signature: false}]", &["verifier:v"])]
#[case::any_origin_without_credentials("entry/any-origin", "
functions: [{id: f, endpoints: [{check: identity, allowed_origins: [\"https://a.example\", \"*\"]}]}]", &["endpoint:f/direct"])]
fn in_effect(#[case] rule: &str, #[case] estate: &str, #[case] expected: &[&str]) {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("estate.yaml");
    fs::write(&file, format!("estate: 1\nas_of: 2026-11-20\n{estate}\n")).unwrap();
    assert_eq!(fires_on(rule, &file), expected);
}

/// A severity grows with who gets in, and shrinks outside production.
#[rstest]
#[case("production", "entry/anonymous-endpoint", "none", "critical")]
#[case("production", "entry/open-invoke", "identity", "high")]
#[case("test", "entry/anonymous-endpoint", "none", "high")]
#[case("test", "entry/open-invoke", "identity", "medium")]
fn severity_follows_reach_and_environment(
    #[case] environment: &str,
    #[case] rule: &str,
    #[case] check: &str,
    #[case] expected: &str,
) {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("estate.yaml");
    let estate = format!(
        "estate: 1
scopes: [{{id: a, kind: account, environment: {environment}}}]
functions: [{{id: f, in: a, runs_as: i, endpoints: [{{check: {check}}}], invoke: [account:b]}}]
identities: [{{id: i, in: a, kind: service-account, grants: [{{statements: [allow table/write on table:t]}}]}}]
resources: [{{id: \"table:t\", in: a, sensitivity: confidential}}]
"
    );
    fs::write(&file, estate).unwrap();
    let audit = pasaporte(&["audit", file.to_str().unwrap(), "--only", rule, "--format", "json"]);
    assert_eq!(audit["findings"][0]["severity"], expected);
}

/// What any page may do is as bad as what it may do in the name of who looks at it.
#[rstest]
#[case(true, "high")]
#[case(false, "low")]
fn credentials_make_an_open_origin_worse(#[case] credentials: bool, #[case] expected: &str) {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("estate.yaml");
    let estate = format!(
        "estate: 1
functions:
  - id: f
    runs_as: i
    endpoints: [{{check: identity, allowed_origins: [\"*\"], allows_credentials: {credentials}}}]
identities: [{{id: i, kind: service-account, grants: [{{statements: [allow table/write on table:t]}}]}}]
resources: [{{id: \"table:t\", sensitivity: confidential}}]
"
    );
    fs::write(&file, estate).unwrap();
    let audit =
        pasaporte(&["audit", file.to_str().unwrap(), "--only", "entry/any-origin", "--format", "json"]);
    assert_eq!(audit["findings"][0]["severity"], expected);
}
