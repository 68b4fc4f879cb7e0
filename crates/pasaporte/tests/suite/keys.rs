//! What is said of a key: its passport, its findings, lists, `explain`, `reach`, `paths` and `compare` tell one story.

use rstest::{fixture, rstest};
use serde_json::Value;

use crate::support::Place;

const PORT: &str = r#"
estate: 1
as_of: 2026-11-20
scopes:
  - {id: tickets, kind: account, environment: production}
  - {id: gate, kind: app, in: tickets}
resources: [{id: "table:fares", in: tickets, sensitivity: confidential}]
identities: [{id: reader, in: tickets, kind: execution-role}]
functions:
  - {id: scan, in: gate, runs_as: reader, endpoints: [{check: {key: function}, path: /scan}]}
  - {id: print, in: gate, runs_as: reader, endpoints: [{check: identity, path: /print}]}
  - {id: board, in: gate, endpoints: [{check: none, path: /board}]}
  - {id: refund, in: tickets, runs_as: reader, endpoints: [{check: identity, path: /refund}]}
keys:
  - {id: for-scan, opens: "function:scan", reach: function, created: 2025-01-01, expires: 2027-12-31}
  - {id: for-print, opens: "function:print", reach: function, created: 2025-01-01, expires: 2027-12-31}
  - {id: for-gate, opens: app:gate, reach: app, created: 2025-01-01, expires: 2027-12-31}
  - {id: of-old, opens: app:gate, reach: app, created: 2025-01-01, expires: 2026-01-01}
  - {id: master, opens: app:gate, reach: admin, created: 2025-01-01, expires: 2027-12-31}
  - {id: lent, opens: "function:print", reach: function, created: 2025-01-01, expires: 2027-12-31}
grants:
  - {to: identity:reader, at: account:tickets, statements: [{allow: table/read, on: "table:fares"}]}
  - {to: "key:lent", at: account:tickets, statements: [{allow: function/invoke, on: "function:refund"}]}
"#;

#[fixture]
fn port() -> Place {
    let place = Place::new();
    place.write("port.yaml", PORT);
    place
}

fn json(place: &Place, args: &[&str]) -> Value {
    let run = place.run(&[args, &["port.yaml", "--format", "json"]].concat());
    serde_json::from_str(&run.out).unwrap_or_else(|_| panic!("{args:?}: {}", run.err))
}

/// A key, which functions it lets its holder run (surely, perhaps, or not though it is made for them), and how bad being old is.
#[rstest]
#[case::of_a_function("for-scan", &[("scan", "yes")], "high", "It opens function:scan. Its holder may make code run as identity:reader,")]
#[case::that_nothing_takes("for-print", &[("print", "no")], "low", "It is for function:print, no endpoint of which takes it.")]
#[case::of_an_app("for-gate", &[("board", "no"), ("print", "no"), ("scan", "yes")], "high", "It opens 1 of 3 functions of app:gate.")]
#[case::of_one_who_manages("master", &[("board", "yes"), ("print", "yes"), ("scan", "yes")], "high", "It opens 3 functions of app:gate. Its holder may invoke and manage all of app:gate.")]
#[case::that_is_given_something("lent", &[("print", "no"), ("refund", "yes")], "low", "It is for function:print, no endpoint of which takes it.")]
fn a_key_is_told_by_what_it_opens(
    port: Place,
    #[case] key: &str,
    #[case] functions: &[(&str, &str)],
    #[case] severity: &str,
    #[case] told: &str,
) {
    let label = format!("key:{key}");
    let card = json(&port, &["card", &label]);
    let field = |it: &Value, name: &str| it[name].as_str().unwrap().to_owned();
    let mut opened: Vec<(String, String)> = card["functions"]
        .as_array()
        .unwrap()
        .iter()
        .map(|it| (field(it, "function"), field(it, "lets_in")))
        .collect();
    opened.sort();
    let expected: Vec<_> =
        functions.iter().map(|(id, how)| (format!("function:{id}"), (*how).to_owned())).collect();
    assert_eq!(opened, expected);
    for (function, how) in &opened {
        // Whoever knows no more than that a function is open to all says yes of every caller.
        let explained = json(&port, &["explain", &label, "function/invoke", function]);
        let open = card["functions"]
            .as_array()
            .unwrap()
            .iter()
            .any(|it| it["function"] == function.as_str() && it["open_without"] == true);
        let verdict = field(&explained, "verdict");
        assert!(verdict == *how || (open && verdict == "yes"), "{function}: {verdict}, {how}");
    }
    let finding = card["findings"].as_array().unwrap().iter().find(|it| it["rule"] == "key/stale").unwrap();
    assert_eq!(finding["severity"], severity);
    let situation = field(finding, "situation");
    assert!(situation.contains(told), "{situation}");
    let surely = opened.iter().filter(|(_, how)| how == "yes").count();
    let list = json(&port, &["list", "keys", "--columns", "key,functions"]);
    let row = list["rows"].as_array().unwrap().iter().find(|row| row["key"] == key).unwrap();
    // What a key is given besides is no key's matter in the list.
    let given = usize::from(key == "lent");
    assert_eq!(row["functions"], surely - given, "{row}");
    let compared = json(&port, &["compare", &label, "key:for-scan"]);
    let facts = compared["facts"].as_array().unwrap();
    let lets = facts.iter().find(|it| it["what"] == "lets into").unwrap();
    let names = lets["left"].as_str().unwrap().split(", ").filter(|name| *name != "none").count();
    assert_eq!(names, surely - given, "{lets}");
}

#[rstest]
fn past_its_end_it_opens_perhaps(port: Place) {
    let card = json(&port, &["card", "key:of-old"]);
    let scan =
        card["functions"].as_array().unwrap().iter().find(|it| it["function"] == "function:scan").unwrap();
    assert_eq!(scan["lets_in"], "depends");
    assert!(
        card["may"].as_str().unwrap().starts_with("perhaps make code run as identity:reader"),
        "{}",
        card["may"]
    );
    let text = port.run(&["card", "key:of-old", "port.yaml"]).out;
    assert!(
        text.contains("perhaps") && text.contains("does not take it") && text.contains("open without it"),
        "{text}"
    );
    assert_eq!(
        json(&port, &["explain", "key:of-old", "function/invoke", "function:scan"])["verdict"],
        "depends"
    );
}

#[rstest]
fn a_group_is_told_with_its_members(port: Place) {
    port.write(
        "more.yaml",
        "estate: 1\nusers: [{id: ana, in: tickets}]\n\
         groups: [{id: crew, members: [user:ana, identity:reader, \"outside:harbour.example/pilot\"]}]\n\
         grants: [{to: group:crew, statements: [{allow: function/invoke, on: \"function:print\"}]}]\n",
    );
    let args = ["explain", "group:crew", "function/invoke", "function:print", "port.yaml", "more.yaml"];
    let said = port.run(&args).out;
    let flat = said.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(flat.contains("Of its 3 members, 2 surely may."), "{said}");
    let member =
        port.run(&["explain", "user:ana", "function/invoke", "function:print", "port.yaml", "more.yaml"]);
    assert!(member.out.starts_with("Yes:") && !member.out.contains("members"), "{}", member.out);
}
