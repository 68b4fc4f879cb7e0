//! Contracts: eleven documents of different shape, each with what it comes to, written by hand.

use std::fs;
use std::path::Path;
use std::sync::Arc;

use pasaporte_core::estate::{Contract, ContractId, Estate, Unread};
use pasaporte_read::diagnostic::{Diagnostic, Diagnostics};
use pasaporte_read::estate::{Beside, load};
use pasaporte_read::text::Source;
use rstest::rstest;

/// An estate whose only contract is a document of that name.
fn estate(name: &str, document: &str) -> Result<Estate, Vec<Diagnostic>> {
    let folder = tempfile::tempdir().unwrap();
    let text = format!("estate: 1\ncontracts:\n  - {{id: it, gateway: front, document: {name}}}\n");
    fs::write(folder.path().join("estate.yaml"), text).unwrap();
    fs::write(folder.path().join(name), document).unwrap();
    let mut diagnostics = Diagnostics::default();
    let sources = Source::find(&[folder.path().to_owned()], &mut diagnostics);
    load(&sources, &Beside::default(), diagnostics).map_err(Diagnostics::sorted)
}

fn contract(estate: &Estate) -> &Contract {
    estate.all::<ContractId>().next().unwrap().1
}

fn document(name: &str) -> String {
    fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/contracts").join(name)).unwrap()
}

#[rstest]
#[case("alternatives.yaml", &[
    "GET /boarding: a key in the header gate-key, or a bearer token",
    "PUT /boarding: a key in the header gate-key and a bearer token",
    "PATCH /boarding: nothing, or a bearer token (open)",
], &[])]
#[case("every-kind.json", &[
    "GET /query: a key in the URL (berth)",
    "GET /cookie: a key in the cookie crew",
    "GET /basic: HTTP basic",
    "GET /oauth: an OAuth 2.0 token with tides:read tides:write",
    "GET /oidc: an OpenID Connect token",
    "GET /mutual: a client certificate",
    "GET /through: an OpenID Connect token",
], &[])]
#[case("global.yaml", &[
    "GET /tides: nothing (open)",
    "POST /tides: a key in the header tide-key",
    "DELETE /tides: a bearer token",
], &[])]
#[case("references.yaml", &[
    "GET /berths: nothing (open)",
    "POST /berths: a key in the header key",
    "GET /berths/{berth}: nothing (open)",
    "GET /harbours/{berth}: nothing (open)",
    "DELETE /docks: nothing (open)",
    "GET /piers: a key in the header key",
    "POST /piers: a key in the header key",
], &[])]
#[case("broken.yaml", &[
    "GET /sound: nothing (open)",
    "GET /global: not understood",
    "GET /odd: not understood",
    "POST /odd: not understood",
], &[
    "4: the document: the security scheme `nobody` is not in `components.securitySchemes`",
    "8: /gone: its `$ref` #/components/pathItems/gone leads to nothing: there is no `gone`",
    "9: /elsewhere: its `$ref` ••• leads out of the document, which is not followed",
    "10: /round: its `$ref` leads round in a circle",
    "11: GET /scalar: not a map of fields",
    "12: `•••`: not a path",
    "13: GET /odd: `security` is not a list",
    "13: POST /odd: the security scheme `odd`: its `type` is not a type of security scheme",
])]
#[case("servers.yaml", &[
    "GET /crew: nothing (open) below /v2",
    "GET /rosters: nothing (open) below /rosters-v1",
    "POST /rosters: nothing (open) below /v9",
], &[])]
#[case("webhooks.json", &[], &[])]
#[case("odd-but-sound.yaml", &[
    "GET /all: nothing (open)",
    "PUT /all: nothing (open)",
    "POST /all: nothing (open)",
    "DELETE /all: nothing (open)",
    "OPTIONS /all: nothing (open)",
    "HEAD /all: nothing (open)",
    "PATCH /all: nothing (open)",
    "TRACE /all: nothing (open)",
], &[])]
#[case("anchors.yaml", &[
    "GET /one: a key in the header key",
    "POST /one: a key in the header key",
    "GET /two: a key in the header key",
], &[])]
#[case("merged.yaml", &[
    "POST /merged: nothing (open)",
    "GET /merged: a key in the header key",
    "PUT /merged: nothing (open)",
    "GET /own: nothing (open)",
    "PUT /own: nothing (open)",
], &[])]
#[case("doubled.yaml", &[
    "GET /bells: not understood",
    "POST /bells: a key in the header key",
    "PUT /bells: not understood",
    "GET /horns: a key in the header key",
], &[
    "4: the document: `security` is given twice",
    "10: /bells: `post` is given twice",
    "8: GET /bells: `security` is given twice",
    "14: `/horns`: given twice",
])]
#[case("empty.yaml", &[], &[])]
fn what_a_document_comes_to(#[case] name: &str, #[case] operations: &[&str], #[case] unread: &[&str]) {
    let estate = estate(name, &document(name)).unwrap();
    let contract = contract(&estate);
    let told: Vec<String> = contract
        .operations
        .iter()
        .map(|it| {
            let open = if it.asks.is_open() == Some(true) { " (open)" } else { "" };
            let prefixes: Vec<&str> = it.prefixes.iter().map(|name| estate.text(*name)).collect();
            let below =
                if prefixes.is_empty() { String::new() } else { format!(" below {}", prefixes.join(", ")) };
            let (method, path) = (estate.text(it.method), estate.text(it.path));
            format!("{method} {path}: {}{open}{below}", estate.asked(&it.asks))
        })
        .collect();
    assert_eq!(told, operations);
    let part = |it: &Unread| format!("{}: {}: {}", it.origin.line, estate.text(it.part), estate.text(it.why));
    let told: Vec<String> = contract.unread.iter().map(part).collect();
    assert_eq!(told, unread);
}

#[test]
fn a_document_of_two_thousand_operations_is_read_whole() {
    let mut text =
        String::from("openapi: 3.1.0\ninfo: {title: Large, version: '1'}\nsecurity: [{key: []}]\npaths:\n");
    for path in 0..500 {
        text.push_str(&format!("  /sail/{path}/{{day}}:\n"));
        for method in ["get", "put", "post", "delete"] {
            text.push_str(&format!(
                "    {method}:\n      summary: sails\n      responses: {{'200': {{description: ok}}}}\n"
            ));
        }
    }
    text.push_str("components: {securitySchemes: {key: {type: apiKey, in: header, name: key}}}\n");
    let estate = estate("large.yaml", &text).unwrap();
    assert_eq!(contract(&estate).operations.len(), 2000);
    assert!(contract(&estate).operations.iter().all(|it| it.asks.is_open() == Some(false)));
}

#[test]
fn a_document_whose_parts_are_referred_to_again_and_again_stays_small() {
    let alternatives = vec!["{key: [a, b, c]}"; 60].join(", ");
    let servers: Vec<String> =
        (0..60).map(|number| format!("{{url: /{}{number}}}", "v".repeat(900))).collect();
    let mut text = format!(
        "openapi: 3.1.0
info: {{title: Again, version: '1'}}
components:
  securitySchemes: {{key: {{type: http, scheme: bearer}}}}
  pathItems:
    big: {{servers: [{}], get: {{security: [{alternatives}]}}}}
paths:
",
        servers.join(", ")
    );
    for path in 0..5000 {
        text.push_str(&format!("  /sail/{path}: {{$ref: '#/components/pathItems/big'}}\n"));
    }
    let estate = estate("again.yaml", &text).unwrap();
    let operations = &contract(&estate).operations;
    assert_eq!(operations.len(), 5000);
    // What all of them say is kept once: else this alone were gigabytes.
    assert!(operations.iter().all(|it| Arc::ptr_eq(&it.asks, &operations[0].asks)));
    assert!(operations.iter().all(|it| Arc::ptr_eq(&it.prefixes, &operations[0].prefixes)));
    assert_eq!(operations[0].prefixes.len(), 60);
}

/// What is wrong with a document as a whole, at its line, with what to do.
#[rstest]
#[case::swagger(
    "a.yaml",
    "swagger: \"2.0\"\ninfo: {}\n",
    1,
    "Swagger is not supported",
    "convert the document to OpenAPI 3.0 or 3.1"
)]
#[case::swagger_as_a_number(
    "a.yaml",
    "info: {}\nswagger: 2.0\n",
    2,
    "Swagger is not supported",
    "convert the document"
)]
#[case::another(
    "a.yaml",
    "title: a shopping list\n",
    1,
    "not an OpenAPI document: it has no field `openapi`",
    "name an OpenAPI 3.0 or 3.1 document"
)]
#[case::too_new(
    "a.json",
    "{\"openapi\": \"4.0.0\"}",
    1,
    "this version of OpenAPI is not supported",
    "this program reads OpenAPI 3.0 and 3.1"
)]
#[case::nearly(
    "a.json",
    "{\"openapi\": \"3.10.0\"}",
    1,
    "this version of OpenAPI is not supported",
    "this program reads"
)]
#[case::a_list("a.json", "[]", 1, "expected an OpenAPI document", "")]
#[case::not_json("a.json", "{\"openapi\": ", 1, "not JSON that is accepted", "")]
#[case::not_yaml("a.yaml", "openapi: [", 2, "not YAML that is accepted", "")]
#[case::two_documents(
    "a.yaml",
    "openapi: 3.1.0\n---\nopenapi: 3.1.0\n",
    3,
    "a second document in one file",
    "give each contract a file of its own"
)]
#[case::empty("a.yaml", " ", 0, "an empty file", "")]
#[case::too_deep("a.json", &format!("{{\"openapi\": \"3.1.0\", \"x\": {}1{}}}", "[".repeat(90), "]".repeat(90)), 1, "nested deeper than 64 levels", "")]
fn a_document_that_is_no_contract(
    #[case] name: &str,
    #[case] text: &str,
    #[case] line: u32,
    #[case] message: &str,
    #[case] help: &str,
) {
    let wrong = estate(name, text).unwrap_err();
    assert_eq!(wrong.len(), 1, "{wrong:#?}");
    let first = &wrong[0];
    assert!(first.message.contains(message), "{wrong:#?}");
    assert!(first.mark.file.ends_with(name), "{first:?}");
    assert_eq!(first.mark.line.unwrap_or(0), line, "{first:?}");
    assert!(first.help.clone().unwrap_or_default().contains(help), "{first:?}");
}

/// A document is in the folder of the file that names it, or below.
#[rstest]
#[case("../outside.yaml", "not in the folder of this file")]
#[case("/etc/hostname.yaml", "not in the folder of this file")]
#[case("gone.yaml", "gone.yaml cannot be read")]
#[case("notes.txt", "of no kind that is read")]
#[case("all.ndjson", "of no kind that is read")]
#[case("folder.yaml", "folder.yaml cannot be read")]
fn a_document_that_is_not_there(#[case] named: &str, #[case] message: &str) {
    let folder = tempfile::tempdir().unwrap();
    let inside = folder.path().join("inside");
    fs::create_dir_all(inside.join("folder.yaml")).unwrap();
    fs::write(folder.path().join("outside.yaml"), "openapi: 3.1.0\n").unwrap();
    let text = format!("estate: 1\ncontracts:\n  - {{id: it, gateway: front, document: {named}}}\n");
    fs::write(inside.join("estate.yaml"), text).unwrap();
    let mut diagnostics = Diagnostics::default();
    let sources = Source::find(&[inside.join("estate.yaml")], &mut diagnostics);
    let wrong = load(&sources, &Beside::default(), diagnostics).unwrap_err().sorted();
    assert_eq!(wrong.len(), 1, "{wrong:#?}");
    assert!(wrong[0].message.contains(message), "{wrong:#?}");
    assert_eq!((wrong[0].mark.line, wrong[0].help.is_some()), (Some(3), true), "{wrong:#?}");
}

#[test]
fn one_document_may_be_of_several_and_is_read_once() {
    let folder = tempfile::tempdir().unwrap();
    let text = "estate: 1
contracts:
  - {id: a, gateway: front, document: api/it.yaml}
  - {id: b, function: sail, document: ./api/it.yaml}
functions: [{id: sail}]
";
    fs::create_dir(folder.path().join("api")).unwrap();
    fs::write(folder.path().join("estate.yaml"), text).unwrap();
    fs::write(folder.path().join("api/it.yaml"), document("global.yaml")).unwrap();
    let mut diagnostics = Diagnostics::default();
    let sources = Source::find(&[folder.path().to_owned()], &mut diagnostics);
    let estate = load(&sources, &Beside::default(), diagnostics).unwrap();
    let all: Vec<usize> = estate.all::<ContractId>().map(|(_, it)| it.operations.len()).collect();
    assert_eq!(all, [3, 3]);
}

#[test]
fn a_contract_that_nothing_attaches_is_said_to_be_one() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("estate.yaml"), "estate: 1\n").unwrap();
    fs::write(folder.path().join("loose.yaml"), document("global.yaml")).unwrap();
    fs::write(folder.path().join("loose.json"), document("every-kind.json")).unwrap();
    let mut diagnostics = Diagnostics::default();
    let sources = Source::find(&[folder.path().to_owned()], &mut diagnostics);
    let wrong = load(&sources, &Beside::default(), diagnostics).unwrap_err().sorted();
    assert_eq!(wrong.len(), 2, "{wrong:#?}");
    for it in wrong {
        assert_eq!(it.message, "an API contract that no estate attaches");
        assert!(it.help.unwrap().contains("document: loose."));
    }
}
