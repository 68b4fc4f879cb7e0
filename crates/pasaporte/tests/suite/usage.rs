//! Logs, digested by the built program and heeded by the others.

use std::io::Write;
use std::process::{Command, Stdio};

use crate::support::{Place, demo, with_beneath};
use rstest::rstest;
use serde_json::Value;

const ESTATE: &str = "estate: 1
as_of: 2026-11-20
scopes: [{id: marivela, kind: organization}, {id: pier, kind: account, in: marivela, environment: production}]
identities: [{id: sailor, in: pier, kind: execution-role, grants: [{statements: [\"allow table/read, table/write on table:seats\"], at: \"account:pier\"}]}]
resources: [{id: \"table:seats\", in: pier, sensitivity: confidential}]
functions: [{id: sail, in: pier, runs_as: sailor, endpoints: [{check: none, path: /sail, url: \"https://pier.marivela.example/sail\"}]}]
keys: [{id: desk, opens: \"function:sail\", reach: function, created: 2026-09-01, expires: 2027-01-01}]
";

/// A line of an access log of each of the days before the estate was true.
fn log(days: u32, target: &str, host: &str) -> String {
    let line = |day: u32| {
        let (day, month) = if day < 20 { (20 - day, "Nov") } else { (51 - day, "Oct") };
        format!(
            "{host} 203.0.113.9 - - [{day:02}/{month}/2026:12:00:00 +0000] \"GET {target} HTTP/1.1\" 200 5\n"
        )
    };
    (1..=days).map(line).collect()
}

fn digested(log: &str, more: &[&str]) -> Place {
    let place = Place::with("estate/a.yaml", ESTATE);
    place.write("log", log);
    let run =
        place.run(&[&["usage", "log", "--estate", "estate", "--out", "estate/usage.ndjson"], more].concat());
    assert_eq!(run.code, 0, "{}", run.err);
    place
}

fn situation(place: &Place, rule: &str) -> String {
    let audit = place.audit(&["estate", "--only", rule]);
    audit["findings"][0]["situation"].as_str().unwrap_or_default().to_owned()
}

#[rstest]
#[case::nobody_for_long("/else", 45, "no call got through: closing it turns away nobody seen")]
#[case::not_said(
    "/sail",
    45,
    "45 calls came, the last on 2026-11-19, from 1 client, of which the log does not say"
)]
#[case::a_key("/sail?code=Tide-99-hatch", 45, "all 45 calls showed a key that the estate does not know")]
#[case::too_short("/sail?code=Tide-99-hatch", 7, "but that is too short to tell")]
fn an_open_door_says_who_uses_it(#[case] target: &str, #[case] days: u32, #[case] told: &str) {
    // Another endpoint of the host, so that the log is one of it.
    let estate = ESTATE.replace("functions: [", "functions: [{id: dock, in: pier, endpoints: [{check: identity, path: /else, url: \"https://pier.marivela.example/else\"}]}, ");
    let place = Place::with("estate/a.yaml", &estate);
    place.write("log", log(days, target, "pier.marivela.example"));
    let run = place.run(&["usage", "log", "--estate", "estate", "--out", "estate/usage.ndjson"]);
    assert_eq!(run.code, 0, "{}", run.err);
    let situation = situation(&place, "entry/anonymous-endpoint");
    assert!(situation.contains(told), "{situation}");
}

#[test]
fn a_value_in_a_log_finds_its_key_and_is_nowhere_else() {
    let place = Place::with("estate/a.yaml", ESTATE);
    let value = "Tide-99-hatch";
    let mut key = Command::new(env!("CARGO_BIN_EXE_pasaporte"))
        .args(["key", "desk", "--seal", "seal"])
        .current_dir(place.path())
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    key.stdin.take().unwrap().write_all(format!("{value}\n").as_bytes()).unwrap();
    let printed = String::from_utf8(key.wait_with_output().unwrap().stdout).unwrap();
    assert!(!printed.contains(value));
    place.write("estate/desk.ndjson", printed);
    place.write("log", log(40, &format!("/sail?code={value}"), "pier.marivela.example"));
    let run =
        place.run(&["usage", "log", "--estate", "estate", "--seal", "seal", "--out", "estate/usage.ndjson"]);
    assert_eq!(run.code, 0, "{}", run.err);
    let told = situation(&place, "key/in-url");
    assert!(told.contains("40 calls to endpoint:sail/direct"), "{told}");
    let digest = std::fs::read_to_string(place.path().join("estate/usage.ndjson")).unwrap();
    for out in [
        digest,
        run.out,
        place.run(&["audit", "estate", "--all"]).out,
        place.run(&["list", "sightings", "estate"]).out,
    ] {
        assert!(!out.contains(value) && !out.contains("Tide"), "{out}");
    }
    // Under another seal it is a key that nobody knows, and that is said.
    place.run(&["usage", "log", "--estate", "estate", "--seal", "other", "--out", "estate/usage.ndjson"]);
    assert_eq!(situation(&place, "key/in-url"), "");
    assert!(situation(&place, "blind/other-seal").contains("2 seals"));
}

#[test]
fn nothing_is_called_unused_by_a_log_that_does_not_say_what_it_covers() {
    let used = "{\"time\":\"2026-11-10\",\"who\":\"identity:sailor\",\"did\":\"table/read\",\"to\":\"table:seats\"}\n\
                {\"time\":\"2026-09-10\",\"who\":\"identity:sailor\",\"did\":\"table/read\",\"to\":\"table:seats\"}\n";
    assert_eq!(situation(&digested(used, &[]), "grant/unused"), "");
    assert_eq!(situation(&digested(used, &["--covers", "pier=table/read"]), "grant/unused"), "");
    let told = situation(&digested(used, &["--covers", "account:pier=table/*"]), "grant/unused");
    assert!(
        told.contains("it used table/read (2 times)") && told.contains("did not use table/write"),
        "{told}"
    );
    let short = used.replace("2026-09-10", "2026-11-01");
    assert_eq!(situation(&digested(&short, &["--covers", "pier"]), "grant/unused"), "");
}

#[test]
fn a_log_of_another_estate_is_refused_loudly() {
    let place = Place::with("estate/a.yaml", ESTATE);
    place.write("log", log(40, "/sail", "elsewhere.example"));
    let run = place.run(&[
        "usage",
        "log",
        "--estate",
        "estate",
        "--covers",
        "pier",
        "--out",
        "estate/usage.ndjson",
    ]);
    assert_eq!(run.code, 2);
    assert!(
        run.err
            .contains("none of 40 events is about anything in the estate; most often host elsewhere.example"),
        "{}",
        run.err
    );
    assert!(!place.path().join("estate/usage.ndjson").exists());
}

#[rstest]
#[case::no_scope(&["log", "--covers", "atlantis"], "no scope of the estate")]
#[case::no_pattern(&["log", "--covers", "pier=table"], "actions are wanted")]
#[case::no_log(&["gone"], "cannot be read")]
#[case::no_format(&["letter"], "its format was not recognised")]
#[case::another_format(&["log", "--read-as", "letters"], "one of plain, csv, access")]
#[case::as_another(&["log", "--read-as", "ocsf"], "none of 3 lines could be read")]
fn a_wrong_call_says_what_is_wrong(#[case] arguments: &[&str], #[case] told: &str) {
    let place = Place::with("estate/a.yaml", ESTATE);
    place.write("log", log(3, "/sail", "pier.marivela.example"));
    place.write("letter", "to the harbour master\n");
    let run = place.run(&[&["usage"], arguments, &["--estate", "estate", "--out", "u.ndjson"]].concat());
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(run.err.contains(told), "{}", run.err);
}

#[test]
fn a_digest_that_is_given_twice_counts_once_and_that_is_said() {
    let place = digested(&log(40, "/sail", "pier.marivela.example"), &[]);
    let calls = |place: &Place| {
        let list: Value =
            serde_json::from_str(&place.run(&["list", "calls", "estate", "--format", "json"]).out).unwrap();
        list["rows"][0]["count"].clone()
    };
    assert_eq!(calls(&place), 40);
    let digest = std::fs::read_to_string(place.path().join("estate/usage.ndjson")).unwrap();
    place.write("estate/again.ndjson", &digest);
    assert_eq!(calls(&place), 40);
    let told = situation(&place, "blind/same-logs");
    assert!(told.contains("it was left out, and counts once"), "{told}");
    // Two digests one after the other in one file are two.
    place.write("estate/again.ndjson", "{\"estate\":1}\n");
    place.write("estate/usage.ndjson", digest.repeat(2));
    assert_eq!(calls(&place), 40);
}

#[rstest]
#[case::deny("identity:fare-role", "a deny")]
#[case::nothing("identity:refund-desk-role", "nothing allows it")]
fn why_something_was_refused_is_told(#[case] who: &str, #[case] why: &str) {
    let place = Place::new();
    let demo = demo();
    let arguments =
        ["list", "usage", demo.to_str().unwrap(), "--where", "outcome=refused", "--format", "json"];
    let list: Value = serde_json::from_str(&place.run(&arguments).out).unwrap();
    let row = list["rows"].as_array().unwrap().iter().find(|row| row["who"] == who).unwrap();
    assert_eq!(row["why"], why);
}

/// The digest that the sample estate has is that of the logs that the program writes.
#[cfg(feature = "stand-ins")]
#[test]
fn the_sample_digest_is_that_of_the_sample_logs() {
    let place = Place::new();
    assert_eq!(place.run(&["demo", "here", "--logs", "logs"]).code, 0);
    let usage = [
        "usage",
        "logs",
        "--estate",
        "here",
        "--seal",
        "logs/.seal",
        "--out",
        "again.ndjson",
        "--format",
        "json",
    ];
    let run = place.run(&usage);
    assert_eq!(run.code, 0, "{}", run.err);
    let told: Value = serde_json::from_str(&run.out).unwrap();
    let lines: u64 = told["logs"].as_array().unwrap().iter().map(|log| log["lines"].as_u64().unwrap()).sum();
    assert!(lines > 190_000, "{lines}");
    assert_eq!(told["unattributed"], 0);
    let read = |name: &str| std::fs::read_to_string(place.path().join(name)).unwrap();
    assert_eq!(read("again.ndjson"), read("here/usage.ndjson"), "renew it: scripts/sample-usage");
}

/// What was planted in the logs of the sample world, and what the audit says of it.
#[rstest]
#[case("key/in-url", "key:scan-pass-south", "13,500 calls to endpoint:scan-pass/direct")]
#[case("key/idle", "key:scan-pass-first", "143 days ago")]
#[case("key/admin-in-use", "key:gate-admin", "function:scan-pass (4,841 calls)")]
#[case("key/wider-than-use", "key:notices-reader", "used for one of them: function:read-notices")]
#[case("key/in-settings", "key:open-gate-north", "wrote its value into its log 27 times")]
#[case("key/same-twice", "key:gate-app-default", "key:gate-test-app")]
#[case(
    "entry/anonymous-endpoint",
    "endpoint:manifest-preview/direct",
    "all 4,942 calls showed key:manifest-export-customs: closing it turns away nobody seen"
)]
#[case("entry/anonymous-endpoint", "endpoint:tide-board/direct", "22,500 calls showed nothing")]
#[case(
    "entry/idle-trigger",
    "trigger:voucher-mail/on/queue:voucher-orders",
    "never made function:voucher-mail run"
)]
#[case("grant/unused", "identity:seat-map-role", "did not use bucket/delete and bucket/write")]
#[case("identity/never-used", "identity:voucher-role", "was not seen to do anything")]
#[case("blind/short-window", "account:harbours", "cover 5 days")]
#[case("blind/no-usage", "account:tides-lab", "No log of this account was read")]
fn what_was_planted_is_found(#[case] rule: &str, #[case] thing: &str, #[case] told: &str) {
    let place = Place::new();
    let audit = place.audit(&[demo().to_str().unwrap(), "--only", rule]);
    let all = with_beneath(&audit);
    let finding = all.iter().find(|it| it["rule"] == rule && it["thing"] == thing);
    let situation = finding.map(|it| it["situation"].as_str().unwrap()).unwrap_or_default();
    assert!(
        situation.contains(told),
        "{situation:?} of {:?}",
        all.iter().map(|it| &it["thing"]).collect::<Vec<_>>()
    );
}

/// What is in use in the sample world is not called otherwise.
#[rstest]
#[case("grant/unused", "identity:seat-map-role", "bucket/read")]
#[case("entry/idle-trigger", "trigger:ticket-pdf/on/queue:paid-orders", "")]
#[case("key/never-used", "key:scan-pass-north", "")]
#[case("grant/unused", "identity:berth-notice", "")]
fn what_is_used_is_not_called_unused(#[case] rule: &str, #[case] thing: &str, #[case] used: &str) {
    let audit = Place::new().audit(&[demo().to_str().unwrap(), "--only", rule]);
    let found = with_beneath(&audit).into_iter().find(|it| it["thing"] == thing);
    let told = found.map(|it| it["situation"].as_str().unwrap().to_owned()).unwrap_or_default();
    assert!(told.is_empty() || (!used.is_empty() && told.contains(&format!("it used {used}"))), "{told}");
}

#[rstest]
#[case("key:gate-admin", &["verdict rotate", "function:scan-pass", "4,841"])]
#[case("identity:refund-desk-role", &["service:functions", "table/read", "refused", "grant/whole-service"])]
#[case("endpoint:manifest-preview/direct", &["function:manifest-preview", "ANYONE", "closing it turns away nobody seen"])]
fn keys_identities_and_endpoints_have_passports(#[case] thing: &str, #[case] parts: &[&str]) {
    let (place, demo) = (Place::new(), demo());
    let card = place.run(&["card", thing, demo.to_str().unwrap()]);
    assert_eq!(card.code, 0, "{}", card.err);
    for part in parts {
        assert!(card.out.contains(part), "no {part} in\n{}", card.out);
    }
    let json: Value =
        serde_json::from_str(&place.run(&["card", thing, demo.to_str().unwrap(), "--format", "json"]).out)
            .unwrap();
    let kind = thing.split(':').next().unwrap();
    let version = if kind == "identity" { 2 } else { 1 };
    assert_eq!(json[format!("card_of_{kind}")], version);
    let schema = place.run(&["schema", &format!("card-{kind}")]).out;
    let schema: Value = serde_json::from_str(&schema).unwrap();
    assert!(jsonschema::is_valid(&schema, &json), "{json}");
}

/// What a team says once of where keys stand in its logs, and of the seal.
#[rstest]
#[case::said("seal = \"seal\"\n[usage]\nkeys_in = [\"hatch\"]\n", "key:desk")]
#[case::not_said("seal = \"seal\"\n", "unsaid")]
fn where_keys_stand_is_said_once(#[case] config: &str, #[case] showed: &str) {
    let place = Place::with("estate/a.yaml", ESTATE);
    place.write("pasaporte.toml", config);
    let made = place.run_with(&["key", "desk"], "Tide-99-hatch");
    assert_eq!(made.code, 0, "{}", made.err);
    place.write("estate/desk.ndjson", made.out);
    place.write("log", log(45, "/sail?hatch=Tide-99-hatch", "pier.marivela.example"));
    let run = place.run(&["usage", "log", "--estate", "estate", "--out", "estate/usage.ndjson"]);
    assert_eq!(run.code, 0, "{}", run.err);
    let calls = place.json(&["list", "calls", "estate", "--format", "json"]);
    assert_eq!(calls["rows"][0]["showed"], showed, "{calls}");
}

#[test]
fn a_seal_has_to_be_named() {
    let place = Place::with("estate/a.yaml", ESTATE);
    let run = place.run_with(&["key", "desk"], "Tide-99-hatch");
    assert_eq!(run.code, 2);
    assert!(run.err.contains("no file with the key of fingerprints is named"), "{}", run.err);
    assert!(!run.err.contains("hatch") && run.out.is_empty());
    // What is wrong with the configuration is told before that.
    place.write("pasaporte.toml", "seel = \"seal\"\n");
    let run = place.run_with(&["key", "desk"], "Tide-99-hatch");
    assert!(run.err.contains("seel"), "{}", run.err);
}
