//! Two side by side, as the program tells them: what is the same, what differs, and what was used.

use crate::support::Place;
use rstest::rstest;
use serde_json::Value;

fn compared(place: &Place, args: &[&str]) -> Value {
    place.json(&[&["compare"], args, &["--format", "json"]].concat())
}

/// The things on which only one side, or both, may actions of a service and class.
fn on(told: &Value, held: &str, service: &str, class: &str) -> Vec<String> {
    let rows = told["rights"].as_array().unwrap().iter();
    let rows = rows.filter(|it| it["held"] == held && it["service"] == service && it["class"] == class);
    let things = rows.flat_map(|it| it["on"].as_array().unwrap().clone());
    things.map(|it| it.as_str().unwrap().to_owned()).collect()
}

#[test]
fn roles_differ_in_what_they_may_and_in_what_was_used() {
    let place = Place::with_demo();
    let told = compared(&place, &["identity:sell-ticket-role", "identity:seat-map-role", "demo"]);
    assert_eq!(on(&told, "left", "table", "write"), ["table:bookings"]);
    assert!(on(&told, "right", "bucket", "delete").contains(&"bucket:passport-scans".to_owned()));
    assert!(on(&told, "both", "table", "write").is_empty());
    let rows = told["rights"].as_array().unwrap();
    let find = |service: &str, class: &str| {
        let is_it = |it: &&Value| it["service"] == service && it["class"] == class && it["on_new"] == false;
        rows.iter().find(is_it).unwrap()
    };
    assert_eq!(find("table", "write")["left"]["used"], 8787);
    assert_eq!(find("bucket", "delete")["right"]["used"], 0);
    assert_eq!(find("bucket", "delete")["left"], Value::Null);
    // What any signed-in caller may is nothing of theirs.
    let anybody: Vec<&Value> = rows.iter().filter(|it| it["as_anybody"] == true).collect();
    assert!(
        anybody
            .iter()
            .any(|it| it["on"].as_array().unwrap().contains(&"identity:deploy-tickets-role".into()))
    );
    assert_eq!(told["count"]["both"], 2);
}

#[rstest]
#[case::wide(120, &["sell-ticket-role            seat-map-role\n", "│ seat-map, thumbnail-seat-map"])]
#[case::narrow(80, &["Only sell-ticket-role may", "Both may, as any signed-in caller may", "≠ seat-map, thumbnail-seat-map"])]
fn it_fits_where_it_is_shown(#[case] width: usize, #[case] parts: &[&str]) {
    let place = Place::with_demo();
    let call = ["compare", "identity:sell-ticket-role", "identity:seat-map-role", "demo", "--width"];
    let run = place.run(&[&call[..], &[&width.to_string()]].concat());
    assert_eq!(run.code, 0, "{}", run.err);
    for part in parts {
        assert!(run.out.contains(part), "{part}:\n{}", run.out);
    }
    for line in run.out.lines() {
        assert!(line.chars().count() <= width && line.trim_end() == line, "{line:?}");
    }
}

#[test]
fn one_thing_in_two_estates() {
    let place = Place::with_demo();
    let levante = std::fs::read_to_string(place.path().join("demo/levante.yaml")).unwrap();
    let narrower = levante
        .replace("- allow table/read, table/write on table:bookings", "- allow table/read on table:bookings");
    assert_ne!(levante, narrower);
    for entry in std::fs::read_dir(place.path().join("demo")).unwrap().map(|it| it.unwrap().path()) {
        if entry.extension().is_some_and(|it| it == "yaml") {
            let name = entry.file_name().unwrap().to_str().unwrap().to_owned();
            let text = std::fs::read(&entry).unwrap();
            place.write(
                &format!("then/{name}"),
                if name == "levante.yaml" { narrower.clone().into_bytes() } else { text },
            );
        }
    }
    std::fs::create_dir_all(place.path().join("then/contracts")).unwrap();
    std::fs::copy(
        place.path().join("demo/contracts/front-door.yaml"),
        place.path().join("then/contracts/front-door.yaml"),
    )
    .unwrap();
    let told = compared(&place, &["sell-ticket-role", "--with", "then", "demo"]);
    assert_eq!(on(&told, "left", "table", "write"), ["table:bookings"]);
    assert_eq!((&told["left"]["estate"], &told["right"]["estate"]), (&"demo".into(), &"then".into()));
    let only = place.run(&["compare", "sell-ticket-role", "--with", "then", "demo", "--only", "right"]);
    assert!(only.out.contains("There is nothing of the sort."), "{}", only.out);
    // The same with itself is the same.
    let same = place.run(&["compare", "sell-ticket-role", "--with", "demo", "demo"]);
    assert!(same.out.contains("They may do the very same."), "{}", same.out);
}

#[test]
fn every_action_is_said_only_where_it_is_every_one() {
    let place = Place::new();
    let estate = |more: &str| {
        format!(
            "estate: 1\nscopes: [{{id: pier, kind: account}}]\nresources: [{{id: \"table:tides\", in: pier}}]\nidentities:\n  \
             - {{id: all, in: pier, kind: service-account, grants: [{{statements: [{more}], at: account:pier}}]}}\n  \
             - {{id: none, in: pier, kind: service-account}}\n"
        )
    };
    for (statements, is_every) in [
        ("\"allow table/*\"", true),
        ("\"allow table/*\", \"deny table/write\"", false),
        ("{allow: {all_except: table/purge}}", false),
        ("\"allow table/?*d\"", false),
    ] {
        place.write("estate.yaml", estate(statements));
        let run = place.run(&["compare", "identity:all", "identity:none", "estate.yaml"]);
        assert_eq!(run.out.contains("table     every     tides"), is_every, "{statements}:\n{}", run.out);
    }
}

#[test]
fn what_functions_that_share_need_is_told_apart() {
    let place = Place::new();
    let estate = "estate: 1\nas_of: 2026-11-20\nscopes: [{id: pier, kind: account}]\n\
        resources: [{id: \"table:tides\", in: pier}, {id: \"queue:moons\", in: pier}, {id: \"bucket:winds\", in: pier}]\n\
        identities: [{id: crew, in: pier, kind: service-account, grants: [{statements: [\"allow table/*, queue/*, bucket/*\"], at: account:pier}]}]\n\
        functions:\n  - {id: sail, in: pier, runs_as: crew, settings: [TIDES_TABLE, LOG_LEVEL]}\n  \
        - {id: row, in: pier, runs_as: crew, triggers: [{source: \"queue:moons\"}]}\n\
        usage:\n  - {who: identity:crew, did: table/read, to: \"table:tides\", count: 7, first: 2026-09-01, last: 2026-11-19}\n  \
        - {who: identity:crew, did: bucket/read, to: \"bucket:winds\", count: 3, first: 2026-09-01, last: 2026-11-19}\n";
    place.write("estate.yaml", estate);
    let told = compared(&place, &["--sharing", "identity:crew", "estate.yaml"]);
    let needs = |at: usize| told["functions"][at]["needs"].as_array().unwrap().clone();
    assert_eq!(told["functions"][0]["function"], "function:row");
    assert_eq!((&needs(0)[0]["on"], &needs(0)[0]["because"]), (&"queue:moons".into(), &"trigger".into()));
    assert!(!needs(0)[0]["actions"].as_array().unwrap().contains(&"queue/send".into()));
    assert_eq!(needs(1)[0]["on"], "table:tides");
    assert_eq!(
        (&needs(1)[0]["because"], &needs(1)[0]["actions"][0]),
        (&"setting TIDES_TABLE".into(), &"table/read".into())
    );
    assert_eq!(told["unaccounted"][0]["to"], "bucket:winds");
}

#[rstest]
#[case::one_alone(&["sell-ticket-role"], "two things are compared, and one was named")]
#[case::nobody(&["sell-ticket-rolf", "seat-map-role", "demo"], "did you mean identity:sell-ticket-role")]
#[case::no_set(&["permission-set:sel-ticket", "seat-map-role", "demo"], "did you mean permission-set:sell-ticket")]
#[case::no_identity(&["--sharing", "user:ibai.costa", "demo"], "is no identity")]
fn a_slip_is_told(#[case] args: &[&str], #[case] told: &str) {
    let run = Place::with_demo().run(&[&["compare"], args].concat());
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(run.err.contains(told), "{}", run.err);
}
