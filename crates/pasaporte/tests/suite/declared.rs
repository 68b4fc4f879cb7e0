//! Contracts and definition files beside what is deployed, through the built program.

use crate::support::{Place, findings};
use rstest::rstest;
use serde_json::Value;

const CONTRACT: &str = "openapi: 3.1.0
info: {title: Ferries, version: '1'}
paths:
  /sail:
    get: {security: []}
    post: {security: [{crew: []}]}
components: {securitySchemes: {crew: {type: oauth2, flows: {}}}}
";

/// An estate with one route on `/sail`, which checks something, under a contract.
fn under_contract(check: &str, methods: &str) -> Place {
    let place = Place::with("estate/api/ferries.yaml", CONTRACT);
    let text = format!(
        "estate: 1
as_of: 2026-11-20
contracts: [{{id: ferries, gateway: front, document: api/ferries.yaml}}]
functions:
  - id: sail
    endpoints:
      - {{gateway: front, path: /sail, check: {check}, methods: [{methods}], presents: nothing}}
      - {{check: none, network: internal}}
"
    );
    place.write("estate/ferry.yaml", text);
    place
}

fn situations(audit: &Value) -> Vec<(&str, &str)> {
    let all = crate::support::with_beneath(audit).into_iter();
    all.map(|it| (it["rule"].as_str().unwrap(), it["situation"].as_str().unwrap())).collect()
}

#[test]
fn declared_open_closed_but_open_and_undeclared_are_told_apart() {
    let place = under_contract("none", "GET, POST, DELETE");
    let audit = place.audit(&["estate", "--only", "entry/*"]);
    // That no log was read is said of both; it is told elsewhere.
    let nobody_looked = " Nobody looked who calls it.";
    let told: Vec<(&str, String)> =
        situations(&audit).into_iter().map(|(rule, told)| (rule, told.replace(nobody_looked, ""))).collect();
    let told: Vec<(&str, &str)> = told.iter().map(|(rule, told)| (*rule, told.as_str())).collect();
    assert_eq!(
        told,
        [
            (
                "entry/anonymous-route",
                "Anyone can make function:sail run: the route at gateway front checks nothing, and the function itself \
                 checks nothing. Its contract declares it open."
            ),
            (
                "entry/declared-otherwise",
                "POST /sail of contract:ferries declares an OAuth 2.0 token; in effect, anyone gets through."
            ),
            ("entry/spare-methods", "It takes DELETE, and contract:ferries has GET and POST on its path."),
        ]
    );
    let evidence = &crate::support::with_beneath(&audit)[1]["evidence"];
    assert_eq!((&evidence[0]["file"], &evidence[0]["line"]), (&"estate/api/ferries.yaml".into(), &6.into()));
    assert_eq!((&evidence[1]["file"], &evidence[1]["line"]), (&"estate/ferry.yaml".into(), &7.into()));
}

#[test]
fn an_endpoint_that_asks_for_less_is_told() {
    let place = under_contract("{key: function}", "GET, POST");
    place.write("estate/keys.yaml", "estate: 1\nkeys: [{id: k, opens: function:sail, reach: function}]\n");
    let audit = place.audit(&["estate", "--only", "entry/declared-otherwise"]);
    let expected = "POST /sail of contract:ferries declares an OAuth 2.0 token; in effect, the endpoint asks only for a \
                    shared key. Nobody looked who calls it.";
    assert_eq!(situations(&audit), [("entry/declared-otherwise", expected)]);
    assert_eq!(audit["findings"][0]["exposure"], "key-holders");
}

/// Behind a gateway that passes on what it is shown, what the function asks is what is asked.
#[test]
fn what_is_asked_behind_a_gateway_is_told() {
    let place = under_contract("none", "GET, POST");
    let text = std::fs::read_to_string(place.path().join("estate/ferry.yaml")).unwrap();
    let text = text.replace("presents: nothing", "presents: caller");
    place.write(
        "estate/ferry.yaml",
        text.replace("{check: none, network", "{check: {key: function}, network"),
    );
    place.write("estate/keys.yaml", "estate: 1\nkeys: [{id: k, opens: function:sail, reach: function}]\n");
    let audit = place.audit(&["estate", "--only", "entry/declared-otherwise"]);
    let told = situations(&audit)[0].1;
    assert!(told.contains("in effect, the endpoint asks only for a shared key."), "{told}");
}

#[test]
fn a_try_that_showed_no_token_got_through_although_one_is_asked_for() {
    let text = "estate: 1
functions: [{id: sail, endpoints: [{check: {token: site}}]}]
verifiers: [{id: site, issuers: [site.example]}]
tokens: [{id: web, issuer: site.example, public: true}]
tries: [{endpoint: sail/direct, method: HEAD, at: 2026-11-20, status: 200}]
";
    let audit = Place::with("a.yaml", text).audit(&["a.yaml", "--only", "entry/declared-otherwise"]);
    let told = "A try without a credential got through (HEAD, 200), although it is said to ask for proof of who calls.";
    assert!(situations(&audit)[0].1.starts_with(told));
}

#[test]
fn operations_are_listed_with_what_they_come_to() {
    let place = under_contract("none", "GET, POST");
    let run = place.run(&["list", "operations", "estate", "--format", "json"]);
    let rows: Value = serde_json::from_str(&run.out).unwrap();
    let rows = rows["rows"].as_array().unwrap();
    let told: Vec<[&str; 4]> = rows
        .iter()
        .map(|row| ["operation", "asks", "declared", "standing"].map(|column| row[column].as_str().unwrap()))
        .collect();
    assert_eq!(
        told,
        [["GET /sail", "nothing", "open", "open"], ["POST /sail", "an OAuth 2.0 token", "closed", "OPEN"],]
    );
    assert_eq!(rows[1]["answered_by"], serde_json::json!(["sail/front/sail"]));
    assert_eq!(rows[1]["read_from"], "estate/api/ferries.yaml:6");
    let open = place.run(&["list", "operations", "estate", "--where", "standing=OPEN", "--format", "csv"]);
    assert_eq!(open.out.lines().count(), 2, "{}", open.out);
}

#[test]
fn a_part_that_is_not_understood_does_not_stop_the_rest() {
    let place = under_contract("none", "POST");
    let torn = CONTRACT.replace("get: {security: []}", "get: {security: [{nobody: []}]}");
    place.write("estate/api/ferries.yaml", torn);
    let audit = place.audit(&["estate"]);
    let found: Vec<(String, String)> = crate::support::with_beneath(&audit)
        .into_iter()
        .map(|it| (it["rule"].as_str().unwrap().to_owned(), it["thing"].as_str().unwrap().to_owned()))
        .collect();
    assert!(
        found.contains(&("entry/declared-otherwise".to_owned(), "endpoint:sail/front/sail".to_owned())),
        "{found:?}"
    );
    assert!(
        found.contains(&("blind/unread-document".to_owned(), "contract:ferries".to_owned())),
        "{found:?}"
    );
    assert_eq!(place.run(&["audit", "estate", "--strict"]).code, 3);
}

#[test]
fn what_names_nothing_that_is_there_is_a_blind_spot() {
    let place = under_contract("none", "GET");
    let text = "estate: 1
contracts: [{id: astray, gateway: frnt, document: api/ferries.yaml}]
tries: [{endpoint: sial/direct, method: HEAD, at: 2026-11-20, status: 200}]
";
    place.write("estate/more.yaml", text);
    let audit = place.audit(&["estate", "--only", "blind/unread-document,blind/missing-reference"]);
    let told: Vec<&str> = situations(&audit).into_iter().map(|(_, situation)| situation).collect();
    assert_eq!(
        told,
        [
            "It is not in the estate, but somebody tried it. What it is, is not known.",
            "No route of the estate is at gateway frnt, so nothing was held against this contract.",
        ]
    );
}

/// Where a contract is no OpenAPI 3, nothing is judged, and the line and the way out are told.
#[rstest]
#[case("swagger: '2.0'\n", "Swagger is not supported", "convert the document to OpenAPI 3.0 or 3.1")]
#[case("title: tides\n", "it has no field `openapi`", "name an OpenAPI 3.0 or 3.1 document")]
fn a_document_that_is_no_contract(#[case] text: &str, #[case] message: &str, #[case] help: &str) {
    let place = under_contract("none", "GET");
    place.write("estate/api/ferries.yaml", text);
    let run = place.run(&["audit", "estate"]);
    assert_eq!((run.code, run.out.as_str()), (2, ""));
    for part in [message, help, "estate/api/ferries.yaml:1"] {
        assert!(run.err.contains(part), "{}", run.err);
    }
}

const DEPLOYED: &str = "estate: 1
as_of: 2026-11-20
functions: [{id: sail, runs_as: sailor, endpoints: [{check: none}]}]
identities: [{id: sailor, kind: service-account}]
";

/// The declaration in each form of text.
#[rstest]
#[case(
    "declared.yaml",
    "estate: 1\ndeclared: true\nfunctions: [{id: sail, endpoints: [{check: identity}]}]\n"
)]
#[case(
    "declared.yaml",
    "functions: [{id: sail, endpoints: [{check: identity}]}]\nestate: 1\ndeclared: true\n"
)]
#[case(
    "declared.json",
    r#"{"estate": 1, "declared": true, "functions": [{"id": "sail", "endpoints": [{"check": "identity"}]}]}"#
)]
#[case(
    "declared.ndjson",
    "{\"estate\": 1, \"declared\": true}\n{\"function\": {\"id\": \"sail\", \"endpoints\": [{\"check\": \"identity\"}]}}\n"
)]
fn a_declaration_stands_beside_what_is_deployed(#[case] name: &str, #[case] text: &str) {
    let place = Place::with("estate/deployed.yaml", DEPLOYED);
    place.write(&format!("estate/{name}"), text);
    let audit = place.audit(&["estate", "--only", "entry/*"]);
    let expected = "Its check is an identity as declared, and nothing as deployed. It runs as identity:sailor. Nobody looked \
         who calls it.";
    assert_eq!(situations(&audit)[1], ("entry/declared-otherwise", expected));
    let evidence = crate::support::with_beneath(&audit)[1]["evidence"].as_array().unwrap();
    assert_eq!(evidence[0]["file"], format!("estate/{name}"));
    assert_eq!(evidence[1]["file"], "estate/deployed.yaml");
    // What is declared is not counted as there.
    assert_eq!(audit["looked_at"]["things"]["functions"], 1);
}

#[test]
fn a_line_that_says_declared_after_the_first_entities_is_a_mistake() {
    let text = "{\"estate\": 1}\n{\"function\": {\"id\": \"f\"}}\n{\"estate\": 1, \"declared\": true}\n";
    let run = Place::with("a.ndjson", text).run(&["audit", "a.ndjson"]);
    assert_eq!(run.code, 2);
    assert!(run.err.contains("`declared` comes after the first entities"), "{}", run.err);
}

#[test]
fn definitions_alone_are_judged_and_what_is_deployed_is_a_blind_spot() {
    let place = Place::with("a.yaml", DEPLOYED.replace("estate: 1", "estate: 1\ndeclared: true"));
    let audit = place.audit(&["a.yaml", "--only", "entry/*,blind/partial-collection"]);
    let found = findings(&audit);
    assert_eq!(found[0], ("entry/anonymous-endpoint".to_owned(), "endpoint:sail/direct".to_owned()));
    assert_eq!(
        situations(&audit)[1].1,
        "Not collected: what is deployed: only declared files were given. It hides how things really are."
    );
}

#[test]
fn mistakes_of_a_declaration_are_shown_too() {
    let place = Place::with("estate/deployed.yaml", DEPLOYED);
    let twice = "estate: 1\ndeclared: true\nfunctions:\n  - {id: sail}\n  - {id: sail}\n";
    place.write("estate/declared.yaml", twice);
    let run = place.run(&["audit", "estate"]);
    assert_eq!(run.code, 2);
    assert!(
        run.err.contains("function:sail is declared twice") && run.err.contains("declared.yaml:5"),
        "{}",
        run.err
    );
}
