//! Input that is made to cost much, and input that says a thing twice: bounded, and told.

mod support;

use std::fmt::Write;

use support::{Place, findings};

#[test]
fn what_is_given_twice_is_counted_in_full_and_shown_in_part() {
    let mut estate = "{\"estate\": 1}\n".to_owned();
    for number in 0..3_000 {
        let _ = writeln!(estate, "{{\"scope\": {{\"id\": \"pier-{number}\", \"kind\": \"app\"}}}}");
    }
    let place = Place::with("a.ndjson", &estate);
    place.write("b.ndjson", &estate);
    let run = place.run(&["audit", "a.ndjson", "b.ndjson"]);
    assert_eq!(run.code, 2);
    assert!(run.err.contains("pier-0 is declared twice"), "{}", run.err);
    assert!(run.err.contains("3000 mistakes in the input"), "{}", run.err);
}

#[test]
fn a_document_that_lies_in_the_folder_is_one_file() {
    let place = Place::with(
        "estate/a.yaml",
        "estate: 1\nas_of: 2026-11-20\nverifiers: [{id: site, key_set: keys.json}]\n",
    );
    place.write("estate/keys.json", "{\"keys\": []}");
    let files = &place.audit(&["estate"])["looked_at"]["files"];
    assert_eq!(*files, serde_json::json!(["estate/a.yaml", "estate/keys.json"]));
}

/// Many references to one large map: the rest of the document is a blind spot, and what came before it counts.
#[test]
fn a_contract_has_its_share_of_looking() {
    let mut contract = "openapi: 3.1.0\nx-large: &large\n".to_owned();
    for number in 0..4_000 {
        let _ = writeln!(contract, "  x-{number}: 1");
    }
    contract.push_str("x-operation: {get: {<<: *large, security: []}}\npaths:\n");
    for number in 0..2_000 {
        let _ = writeln!(contract, "  /pier/{number}: {{$ref: '#/x-operation'}}");
    }
    let place = Place::with("estate/contracts/a.yaml", contract);
    place.write(
        "estate/a.yaml",
        "estate: 1\nas_of: 2026-11-20\nfunctions: [{id: sail, endpoints: [{check: none}]}]\n\
         contracts: [{id: sail, function: sail, document: contracts/a.yaml}]\n",
    );
    let audit = place.audit(&["estate", "--only", "blind/unread-document"]);
    assert!(!findings(&audit).is_empty());
    assert!(audit.to_string().contains("too many of its references lead to large maps"), "{audit}");
}
