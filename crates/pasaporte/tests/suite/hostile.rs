//! Input that is made to cost much, and input that says a thing twice: bounded, and told.

use std::fmt::Write;

use crate::support::{Place, findings};
use rstest::rstest;

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

/// Things of a kind in each other to any depth would take the square of their number: refused, with the limit.
#[rstest]
#[case::groups("group", r#""members": ["group:g-NEXT"]"#, &["list", "groups"])]
#[case::scopes("scope", r#""kind": "folder", "in": "g-NEXT""#, &["list", "scopes"])]
#[case::sets("permission_set", r#""includes": "g-NEXT""#, &["audit"])]
fn what_is_nested_without_end_is_refused(#[case] entry: &str, #[case] nests: &str, #[case] args: &[&str]) {
    let of = |depth: usize| {
        let mut estate = "{\"estate\": 1, \"as_of\": \"2026-11-20\"}\n".to_owned();
        for number in 0..depth {
            let nests = nests.replace("NEXT", &(number + 1).to_string());
            let _ = writeln!(estate, "{{\"{entry}\": {{\"id\": \"g-{number}\", {nests}}}}}");
        }
        Place::with("a.ndjson", estate).run(&[args, &["a.ndjson"]].concat())
    };
    let run = of(12_000);
    assert_eq!(run.code, 2);
    assert!(run.err.contains("lie in each other so often"), "{}", run.err);
    assert_eq!(of(500).code, 0);
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

/// A file of so many MiB, of nothing.
fn large(place: &Place, name: &str, mib: u64) {
    place.write(name, "");
    let file = std::fs::OpenOptions::new().write(true).open(place.path().join(name)).unwrap();
    file.set_len(mib << 20).unwrap();
}

#[rstest]
#[case::contract("contracts: [{id: sail, function: sail, document: sail.yaml}]", "sail.yaml")]
#[case::key_set("verifiers: [{id: site, key_set: keys.json}]", "keys.json")]
fn a_document_too_large_to_be_read_is_told_with_the_limit(#[case] names: &str, #[case] document: &str) {
    let place = Place::with(
        "estate/a.yaml",
        format!("estate: 1\nas_of: 2026-11-20\nfunctions: [{{id: sail}}]\n{names}\n"),
    );
    large(&place, &format!("estate/{document}"), 65);
    for path in ["estate", "estate/a.yaml"] {
        let run = place.run(&["audit", path]);
        assert_eq!(run.code, 2, "{}", run.out);
        assert!(run.err.contains(document) && run.err.contains("64 MiB"), "{}", run.err);
    }
}

const NAMING: &str = "estate: 1\nas_of: 2026-11-20\nverifiers: [{id: site, key_set: keys.json}]\n";

/// What an estate's folder holds stays in it, whatever leads out, and nothing waits for a pipe.
#[cfg(unix)]
#[rstest]
#[case::a_document("keys.json", "../outside.json", "lies behind a link that leads out of its folder")]
#[case::a_file("more.yaml", "../outside.json", "a link that leads out of this folder, or to nothing")]
#[case::a_folder("more", "..", "a link that leads out of this folder, or to nothing")]
#[case::nothing("more.yaml", "nowhere", "a link that leads out of this folder, or to nothing")]
fn links_do_not_lead_out_of_a_folder(#[case] link: &str, #[case] to: &str, #[case] told: &str) {
    let place = Place::with("estate/a.yaml", NAMING);
    place.write("outside.json", "{\"keys\": []}");
    place.write("estate/keys.json", "{\"keys\": []}");
    let link = place.path().join("estate").join(link);
    let _ = std::fs::remove_file(&link);
    std::os::unix::fs::symlink(to, link).unwrap();
    for path in ["estate", "estate/a.yaml"] {
        let run = place.run(&["audit", path]);
        if path == "estate" || told.contains("its folder") {
            assert_eq!(run.code, 2, "{}", run.out);
            assert!(run.err.contains(told), "{}", run.err);
        }
    }
}

/// A link within the folder is as good as the file, and that is read once.
#[cfg(unix)]
#[test]
fn links_within_a_folder_are_followed() {
    let place = Place::with("estate/a.yaml", NAMING);
    place.write("estate/keys/one.json", "{\"keys\": []}");
    std::os::unix::fs::symlink("keys/one.json", place.path().join("estate/keys.json")).unwrap();
    std::os::unix::fs::symlink("a.yaml", place.path().join("estate/b.yaml")).unwrap();
    assert_eq!(place.run(&["audit", "estate"]).code, 0);
}

#[cfg(unix)]
#[rstest]
#[case(&["audit", "estate"], "estate/pipe.yaml")]
#[case(&["audit", "estate/pipe.yaml"], "estate/pipe.yaml")]
#[case(&["gather", "--sources", "estate/pipe.yaml", "--out", "out"], "estate/pipe.yaml")]
#[case(&["knock", "estate/a.yaml", "--list", "estate/pipe.yaml"], "estate/pipe.yaml")]
fn nothing_waits_for_a_pipe(#[case] args: &[&str], #[case] told: &str) {
    let place =
        Place::with("estate/a.yaml", "estate: 1\nas_of: 2026-11-20\nscopes: [{id: pier, kind: app}]\n");
    let pipe = place.path().join("estate/pipe.yaml");
    assert!(std::process::Command::new("mkfifo").arg(pipe).status().unwrap().success());
    let run = place.run(args);
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(run.err.contains(told), "{}", run.err);
}
