//! The real program: how far somebody gets, what cuts it, the smallest fix and its rehearsal.

use std::fs;
use std::path::Path;

use crate::support::demo;
use assert_cmd::Command;
use rstest::rstest;
use serde_json::Value;

fn pasaporte() -> Command {
    Command::cargo_bin("pasaporte").unwrap()
}

fn told(args: &[&str]) -> (i32, String) {
    let output = pasaporte().args(args).output().unwrap();
    (output.status.code().unwrap(), String::from_utf8(output.stdout).unwrap())
}

fn json(args: &[&str]) -> Value {
    let (_, text) = told(&[args, &["--format", "json"]].concat());
    serde_json::from_str(&text).unwrap_or_else(|error| panic!("{error}: {text}"))
}

fn demo_path() -> String {
    demo().to_str().unwrap().to_owned()
}

/// Two steps from a form that anyone may call to confidential bookings, with what was used of them.
const FERRIES: &str = r#"
estate: 1
as_of: 2026-11-20
scopes: [{id: tickets, kind: account, platform: levante, environment: production}]
resources:
  - {id: "queue:orders", in: tickets}
  - {id: "table:bookings", in: tickets, sensitivity: confidential}
  - {id: "table:seats", in: tickets}
identities:
  - {id: front, in: tickets, kind: execution-role, grants: [{id: g1, statements: ["allow queue/*"], at: "account:tickets"}]}
  - {id: back, in: tickets, kind: execution-role, grants: [{id: g2, statements: ["allow table/*"], at: "account:tickets"}]}
functions:
  - {id: order-form, in: tickets, runs_as: front, endpoints: [{id: form, check: none, url: "https://tickets.marivela.example/orders"}]}
  - {id: take-order, in: tickets, runs_as: back, triggers: [{source: "queue:orders"}]}
usage:
  - {who: identity:front, did: queue/send, to: "queue:orders", count: 900, first: 2026-08-02, last: 2026-11-19}
  - {who: identity:back, did: table/write, to: "table:bookings", count: 890, first: 2026-08-02, last: 2026-11-19}
logs: [{in: tickets, from: 2026-08-01, to: 2026-11-20}]
"#;

fn ferries(folder: &Path) -> String {
    let path = folder.join("ferries.yaml");
    fs::write(&path, FERRIES).unwrap();
    path.to_str().unwrap().to_owned()
}

#[test]
fn a_path_reads_aloud_with_its_weakest_step_and_what_cuts_it() {
    let folder = tempfile::tempdir().unwrap();
    let estate = ferries(folder.path());
    let (code, text) = told(&["paths", "--from", "anyone", "--to", "table:bookings", &estate]);
    let text = text.replace(folder.path().to_str().unwrap(), "");
    assert_eq!(code, 0);
    insta::assert_snapshot!(text, @r"
    ── anyone → table:bookings ───────────────────────────────────────────────────

      anyone → table:bookings  influence, certain
       1 anyone calls endpoint:form of function:order-form  ← weakest: what follows
         is up to the code
           the endpoint checks nothing · /ferries.yaml:13
       2 function:order-form runs as identity:front
           /ferries.yaml:13
       3 identity:front writes to queue:orders, which makes function:take-order run
           may do queue/write on the source · /ferries.yaml:10
       4 function:take-order runs as identity:back
           /ferries.yaml:14
       5 identity:back may do table/write on table:bookings
           allow table/*, held by identity:back at account:tickets ·
           /ferries.yaml:11

    One change cuts all of these paths:
      cut check callers at endpoint:form · /ferries.yaml:13
    ");
}

#[test]
fn paths_as_json_tell_each_step_and_where_it_was_read() {
    let it = json(&["paths", "--from", "anyone", "--to", "confidential", &demo_path()]);
    let routes = it["routes"].as_array().unwrap();
    assert!(!routes.is_empty());
    for path in routes.iter().flat_map(|route| route["paths"].as_array().unwrap()) {
        let steps = path["steps"].as_array().unwrap();
        assert_eq!(steps.first().unwrap()["from"], path["start"]);
        assert_eq!(steps.last().unwrap()["to"], path["end"]);
        let influence = steps.iter().any(|step| step["strength"] == "influence");
        assert_eq!(path["strength"] == "influence", influence);
        let conditional = steps.iter().any(|step| step["verdict"] != "yes");
        assert_eq!(path["sureness"] == "conditional", conditional);
        for step in steps.iter().filter(|step| step["by"] != "below") {
            assert!(!step["read_from"].as_array().unwrap().is_empty(), "{step}");
        }
    }
}

#[rstest]
#[case::dot("dot", "digraph")]
#[case::mermaid("mermaid", "flowchart LR")]
fn paths_are_drawn(#[case] format: &str, #[case] begins: &str) {
    let (code, text) = told(&["paths", "--format", format, &demo_path()]);
    assert_eq!(code, 0);
    assert!(text.starts_with(begins) && text.contains("identity:"), "{text}");
}

#[test]
fn what_cuts_a_path_cuts_it() {
    let folder = tempfile::tempdir().unwrap();
    let estate = ferries(folder.path());
    let asked = ["paths", "--from", "anyone", "--to", "table:bookings", &estate];
    let before = json(&asked);
    let changes = before["cut"]["changes"].as_array().unwrap();
    assert_eq!((changes.len(), &before["cut"]["is_least"]), (1, &Value::Bool(true)));
    let overlay = folder.path().join("cut.yaml");
    fs::write(&overlay, format!("estate: 1\noverlay: true\nremoved: {}\n", changes[0]["what"])).unwrap();
    let after = json(&[&asked[..], &["--with", overlay.to_str().unwrap()]].concat());
    assert_eq!(after["routes"].as_array().unwrap().len(), 0);
}

#[test]
fn the_smallest_fix_is_proved_rehearses_clean_and_closes_what_it_should() {
    let folder = tempfile::tempdir().unwrap();
    let estate = ferries(folder.path());
    let fix = folder.path().join("fix.yaml");
    let fix = fix.to_str().unwrap();
    let it = json(&["tighten", "account:tickets", &estate, "--out", fix]);
    let proof = &it["proof"];
    assert_eq!(
        (&proof["keeps_what_is_needed"], &proof["adds_nothing"], &proof["complete"]),
        (&Value::Bool(true), &Value::Bool(true), &Value::Bool(true)),
        "{proof}"
    );
    let kept: Vec<&str> = it["changes"]
        .as_array()
        .unwrap()
        .iter()
        .flat_map(|it| it["keeps"].as_array().unwrap())
        .map(|it| it.as_str().unwrap())
        .collect();
    assert_eq!(kept, ["table/write on table:bookings", "queue/send on queue:orders"]);
    let (code, text) = told(&["rehearse", fix, &estate]);
    assert_eq!(code, 0, "{text}");
    let explained = |action: &str, on: &str| {
        json(&["explain", "identity:back", action, on, &estate, "--with", fix])["verdict"].clone()
    };
    assert_eq!(explained("table/write", "table:bookings"), "yes");
    assert_eq!(explained("table/write", "table:seats"), "no");
    assert_eq!(explained("table/read", "table:bookings"), "no");
}

#[test]
fn a_rehearsal_names_who_would_be_refused() {
    let folder = tempfile::tempdir().unwrap();
    let estate = ferries(folder.path());
    let overlay = folder.path().join("without.yaml");
    fs::write(&overlay, "estate: 1\noverlay: true\nremoved: \"grant:g2\"\n").unwrap();
    let (code, text) = told(&["rehearse", overlay.to_str().unwrap(), &estate]);
    assert_eq!(code, 1);
    assert!(text.contains("identity:back did table/write on table:bookings, 890 times"), "{text}");
}

#[test]
fn what_logs_do_not_cover_is_left_as_it_is() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("ferries.yaml");
    fs::write(&path, FERRIES.replace("from: 2026-08-01", "from: 2026-11-10")).unwrap();
    let it = json(&["tighten", "account:tickets", path.to_str().unwrap()]);
    assert_eq!(it["changes"].as_array().unwrap().len(), 0);
    assert!(it["left"].as_array().unwrap().iter().any(|it| it["what"] == "grant:g2"));
}

#[test]
fn what_is_to_be_kept_is_kept() {
    let folder = tempfile::tempdir().unwrap();
    let estate = ferries(folder.path());
    let config = folder.path().join("pasaporte.toml");
    fs::write(
        &config,
        "[[keep]]\nwho = \"identity:back\"\ndoes = [\"table/read\"]\non = [\"table:seats\"]\n",
    )
    .unwrap();
    let it = json(&["tighten", "identity:back", &estate, "--config", config.to_str().unwrap()]);
    let kept = it["changes"][0]["keeps"].as_array().unwrap();
    assert!(kept.contains(&Value::from("table/read on table:seats")), "{kept:?}");
}

/// Two tables that one function reads, named alike; what else is there, and what the grant says, decide how they are named.
#[rstest]
#[case::alike(
    "table:*",
    "table:fares",
    "table/read on table:seats-*, which is table:seats-aft, table:seats-bow"
)]
#[case::of_that_beginning(
    "table:seats-*",
    "table:fares",
    "table/read on table:seats-*, which is table:seats-aft, table:seats-bow"
)]
#[case::another_begins_so("table:*", "table:seats-old", "table/read on table:seats-aft, table:seats-bow")]
#[case::the_grant_names_them(
    "table:seats-aft, table:seats-bow, table:fares",
    "table:fares",
    "table/read on table:seats-aft, table:seats-bow"
)]
fn things_that_are_named_alike_may_be_named_together(
    #[case] given: &str,
    #[case] other: &str,
    #[case] kept: &str,
) {
    let folder = tempfile::tempdir().unwrap();
    let (estate, config) = (folder.path().join("seats.yaml"), folder.path().join("pasaporte.toml"));
    let given = given.replace(", ", "\", \"");
    let text = format!(
        r#"
estate: 1
as_of: 2026-11-20
scopes: [{{id: tickets, kind: account, platform: levante}}]
resources:
  - {{id: "table:seats-aft", in: tickets}}
  - {{id: "table:seats-bow", in: tickets}}
  - {{id: "{other}", in: tickets}}
identities:
  - id: seats
    in: tickets
    kind: execution-role
    grants: [{{id: g1, statements: [{{allow: ["table/*"], on: ["{given}"]}}], at: "account:tickets"}}]
functions: [{{id: seat-map, in: tickets, runs_as: seats}}]
usage:
  - {{who: identity:seats, did: table/read, to: "table:seats-aft", count: 9, first: 2026-08-02, last: 2026-11-19}}
  - {{who: identity:seats, did: table/read, to: "table:seats-bow", count: 8, first: 2026-08-02, last: 2026-11-19}}
logs: [{{in: tickets, from: 2026-08-01, to: 2026-11-20}}]
"#
    );
    fs::write(&estate, text).unwrap();
    fs::write(&config, "[tighten]\nnaming = \"common\"\n").unwrap();
    let (estate, config) = (estate.to_str().unwrap(), config.to_str().unwrap());
    let it = json(&["tighten", "identity:seats", estate, "--config", config]);
    assert_eq!(it["changes"][0]["keeps"], serde_json::json!([kept]), "{it}");
    assert_eq!(it["proof"]["keeps_what_is_needed"], true, "{it}");
    assert_eq!(it["proof"]["adds_nothing"], true, "{it}");
    // One by one where nobody says otherwise.
    let it = json(&["tighten", "identity:seats", estate]);
    assert_eq!(it["changes"][0]["keeps"][0], "table/read on table:seats-aft, table:seats-bow");
}

#[rstest]
#[case::unknown("estate: 1\noverlay: true\nremoved: \"key:none\"\n", "nothing of the estate is called so")]
#[case::no_overlay("estate: 1\ngrants: []\n", "does not say that it is laid over")]
#[case::twice(
    "estate: 1\noverlay: true\nidentities: [{id: x, kind: service-account}, {id: x, kind: service-account}]\n",
    "declared twice"
)]
fn a_wrong_overlay_is_told(#[case] text: &str, #[case] told: &str) {
    let folder = tempfile::tempdir().unwrap();
    let estate = ferries(folder.path());
    let overlay = folder.path().join("over.yaml");
    fs::write(&overlay, text).unwrap();
    let output = pasaporte().args(["audit", &estate, "--with", overlay.to_str().unwrap()]).output().unwrap();
    assert_eq!(output.status.code(), Some(2));
    let error = String::from_utf8(output.stderr).unwrap();
    assert!(error.contains(told), "{error}");
}

#[test]
fn an_overlay_is_no_part_of_an_estate() {
    let folder = tempfile::tempdir().unwrap();
    ferries(folder.path());
    fs::write(folder.path().join("over.yaml"), "estate: 1\noverlay: true\nremoved: \"grant:g1\"\n").unwrap();
    pasaporte().args(["audit", folder.path().to_str().unwrap()]).assert().code(2);
}

#[test]
fn the_changes_that_the_audit_starts_with_close_what_it_says() {
    let it = json(&["audit", &demo_path()]);
    let start = &it["start_here"];
    let number = |it: &Value| it["counts"]["critical"].as_u64().unwrap();
    assert_eq!(start["of"].as_u64().unwrap(), number(&it));
    let folder = tempfile::tempdir().unwrap();
    let overlay = folder.path().join("start.yaml");
    let removed: Vec<&Value> = start["changes"].as_array().unwrap().iter().map(|it| &it["what"]).collect();
    fs::write(
        &overlay,
        format!("estate: 1\noverlay: true\nremoved: {}\n", serde_json::to_string(&removed).unwrap()),
    )
    .unwrap();
    let then = json(&["audit", &demo_path(), "--with", overlay.to_str().unwrap()]);
    assert_eq!(start["closed"].as_u64().unwrap(), number(&it) - number(&then));
    assert!(start["closed"].as_u64().unwrap() > 0);
}
