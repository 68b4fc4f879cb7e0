//! Logs of platforms: asked for with the rest, or exported and read through an adapter; what they cover, and what of them
//! is kept.

use std::fs;

use crate::support::platforms::{Platforms, answering};
use crate::support::{Place, Run};
use rstest::rstest;
use serde_json::{Value, json};

/// An adapter of piers with workers, a log of what they did and one of who called them.
fn piers(place: &Place, more: &str) {
    let asks = r#"adapter = 1
name = "piers"
about = "piers"
program = "piers.jq"

[[ask]]
name = "piers"
path = "piers"
items = ".[]"
entities = "pier"
keep = "{pier}"

[[log]]
name = "diary"
of = "piers"
path = "piers/{.pier}/diary"
items = ".days[]"
events = "{time: .at, who: \"identity:\\(.lamp)\", did: .did, to}"
covers = "{in: $parent.pier, actions: [\"table/*\"], from: $range.from, to: $range.to}"
range = { from = "since", to = "until" }
paging = { by = "token", token = ".more", parameter = "page" }
account = "{.pier}"
what = "the diary of {.pier}"

[[log]]
name = "calls"
path = "calls"
items = ".lines[]"
read_as = "access"
what = "calls"
"#;
    place.write("piers/adapter.toml", format!("{asks}{more}"));
    let program = r#"def pier:
  {scope: {id: .pier, kind: "account"}}, {identity: {id: "lamp", in: .pier, kind: "managed-identity"}},
  {resource: {id: "table:tides", in: .pier}}, {key: {id: "lamp-key", opens: "function:horn", reach: "function", value: .spelled}},
  {function: {id: "horn", in: .pier, runs_as: "lamp",
    endpoints: [{check: {key: "function"}, path: "/horn", url: "https://horn.marivela.example/horn"}]}};
"#;
    place.write("piers/piers.jq", program);
}

const DIARY: &str = r#"{"days": [
    {"at": "2026-11-02T08:00:00Z", "lamp": "lamp", "did": "table/read", "to": "table:tides"},
    {"at": "2026-11-03T08:00:00Z", "lamp": "lamp", "did": "table/read", "to": "table:tides"}], "more": null}"#;
const CALLS: &str = r#"{"lines": ["horn.marivela.example 203.0.113.9 - - [02/Nov/2026:08:00:00 +0000] \"GET /horn?code=tide-9 HTTP/1.1\" 200 7"]}"#;

/// Saved answers of the piers, with these pages of the diary.
fn saved(place: &Place, diary: &[&str]) {
    piers(place, "");
    let sources = "[[source]]\nname = \"here\"\nadapter = \"./piers\"\nfiles = \"saved\"\n";
    place.write("gather.toml", sources);
    place.write("saved/piers.json", r#"[{"pier": "la-vela", "spelled": "tide-9"}]"#);
    place.write("saved/calls.json", CALLS);
    for (number, page) in diary.iter().enumerate() {
        let ending = if number == 0 { String::new() } else { format!(".{}", number + 1) };
        place.write(&format!("saved/piers/la-vela/diary{ending}.json"), page);
    }
}

fn gather(place: &Place, more: &[&str]) -> Run {
    let all = ["gather", "--sources", "gather.toml", "--out", "estate", "--as-of", "2026-11-20"];
    place.run(&[&all[..], more].concat())
}

/// What a file of the estate says of one kind.
fn entries(place: &Place, file: &str, kind: &str) -> Vec<Value> {
    let text = fs::read_to_string(place.path().join(file)).unwrap();
    let lines = text.lines().map(|line| serde_json::from_str::<Value>(line).unwrap());
    lines.filter_map(|line| line.get(kind).cloned()).collect()
}

const USAGE: &str = "estate/here.usage.ndjson";

#[test]
fn logs_become_usage_and_what_they_cover_is_the_time_that_was_asked_for() {
    let place = Place::new();
    saved(&place, &[DIARY]);
    let run = gather(&place, &["--logs", "90d", "--seal", "seal"]);
    assert_eq!(run.code, 0, "{}", run.err);
    let used = entries(&place, USAGE, "used");
    assert_eq!((used.len(), &used[0]["count"], &used[0]["who"]), (1, &json!(2), &json!("identity:lamp")));
    let called = entries(&place, USAGE, "called");
    // The platform showed the key's value, and under the seal the log's is known as it.
    assert_eq!((called.len(), &called[0]["showed"]), (1, &json!("key:lamp-key")));
    let logs = entries(&place, USAGE, "log");
    let covered = logs.iter().find(|log| log["actions"] == json!(["table/*"])).unwrap();
    assert_eq!(covered["in"], "la-vela");
    assert_eq!(
        (&covered["from"], &covered["to"]),
        (&json!("2026-08-22T00:00:00Z"), &json!("2026-11-20T00:00:00Z"))
    );
    assert!(run.out.contains("3 of 3 events are about something in the estate"), "{}", run.out);
    // Without --logs none is asked for, and without a seal no value leaves anything behind.
    let place = Place::new();
    saved(&place, &[]);
    assert_eq!(gather(&place, &["--strict"]).code, 0);
    assert!(!place.path().join(USAGE).exists());
    assert!(entries(&place, "estate/here.ndjson", "fingerprint").is_empty());
}

#[rstest]
#[case::never_came(&[])]
#[case::the_rest_never_came(&[r#"{"days": [{"at": "2026-11-02T08:00:00Z", "lamp": "lamp", "did": "table/read"}], "more": "p2"}"#])]
fn a_log_that_may_lack_a_part_covers_nothing(#[case] diary: &[&str]) {
    let place = Place::new();
    saved(&place, diary);
    let run = gather(&place, &["--logs", "90d", "--strict"]);
    assert_eq!(run.code, 3, "{}", run.err);
    assert_eq!(entries(&place, USAGE, "used").len(), diary.len());
    assert!(entries(&place, USAGE, "log").iter().all(|log| log["actions"] != json!(["table/*"])));
    let spots = entries(&place, "estate/here.ndjson", "blind_spot");
    assert_eq!((spots.len(), &spots[0]["hides"]), (1, &json!("what was used there")));
}

#[test]
fn of_a_log_of_calls_that_breaks_off_no_host_is_covered() {
    let place = Place::new();
    saved(&place, &[DIARY]);
    // Its pages are numbered, and the second is not there.
    let manifest = fs::read_to_string(place.path().join("piers/adapter.toml")).unwrap();
    let paged =
        "read_as = \"access\"\npaging = { by = \"number\", pages = \".pages\", parameter = \"page\" }";
    place.write("piers/adapter.toml", manifest.replace("read_as = \"access\"", paged));
    for (pages, hosts) in [(1, 1), (2, 0)] {
        place.write("saved/calls.json", CALLS.replacen('{', &format!("{{\"pages\": {pages}, "), 1));
        assert_eq!(gather(&place, &["--logs", "90d"]).code, 0);
        let covered = entries(&place, USAGE, "log");
        assert_eq!(covered.iter().filter(|log| log["hosts"].is_array()).count(), hosts);
        assert_eq!(entries(&place, USAGE, "called").len(), 1);
    }
}

#[test]
fn an_item_that_is_not_understood_is_counted_and_told() {
    let place = Place::new();
    let odd =
        r#"{"days": [{"at": "2026-11-02T08:00:00Z", "lamp": "lamp", "did": "table/read"}, 7], "more": null}"#;
    saved(&place, &[odd]);
    let run = gather(&place, &["--logs", "90d"]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert_eq!(entries(&place, USAGE, "used").len(), 1);
    let told = run.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(told.contains("the diary of la-vela: the adapter made nothing of some items"), "{told}");
    assert!(
        entries(&place, USAGE, "blind_spot")
            .iter()
            .any(|spot| spot["what"].as_str().unwrap().starts_with("1 of "))
    );
}

#[test]
fn a_platform_is_asked_for_the_time_and_no_more_and_nothing_of_a_log_is_kept() {
    let place = Place::new();
    piers(&place, "");
    let (asked, seen) = std::sync::mpsc::channel();
    let url = answering(move |request| {
        let _ = asked.send(request.to_owned());
        let body = match request.split([' ', '?']).nth(1) {
            Some("/piers") => r#"[{"pier": "la-vela", "spelled": "tide-9"}]"#,
            Some("/calls") => CALLS,
            _ => DIARY,
        };
        format!("HTTP/1.1 200 OK\r\ncontent-length: {}\r\nconnection: close\r\n\r\n{body}", body.len())
            .into_bytes()
    });
    let sources = format!("[[source]]\nname = \"here\"\nadapter = \"./piers\"\nurl = \"{url}\"\n");
    place.write("gather.toml", sources);
    let run = gather(&place, &["--logs", "90d", "--save", "samples", "--seal", "seal"]);
    assert_eq!(run.code, 0, "{}", run.err);
    let requests: Vec<String> = seen.try_iter().collect();
    let range = "since=2026-08-22T00%3A00%3A00Z&until=2026-11-20T00%3A00%3A00Z";
    assert!(requests.iter().any(|it| it.contains(&format!("/piers/la-vela/diary?{range} "))), "{requests:?}");
    assert!(place.path().join("samples/here/piers.json").exists());
    assert!(!place.path().join("samples/here/calls.json").exists());
    let kept = walk(place.path());
    assert!(kept.iter().any(|(name, _)| name.ends_with("here.usage.ndjson")));
    for (name, text) in kept {
        assert!(!text.contains("203.0.113.9"), "{name}");
        // What the adapter did not name as a key's value is the business of who saves samples.
        assert!(!text.contains("tide-9") || name.ends_with("samples/here/piers.json"), "{name}");
    }
}

/// All files below a folder, and their texts.
fn walk(folder: &std::path::Path) -> Vec<(String, String)> {
    let mut all = Vec::new();
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            all.extend(walk(&path));
        } else {
            let text = String::from_utf8_lossy(&fs::read(&path).unwrap()).into_owned();
            all.push((path.to_string_lossy().into_owned(), text));
        }
    }
    all
}

#[rstest]
#[case::what_the_platform_answered(DIARY)]
#[case::an_item_a_line(
    "{\"at\": \"2026-11-02T08:00:00Z\", \"lamp\": \"lamp\", \"did\": \"table/read\", \"to\": \"table:tides\"}\n\n{\"at\": \"2026-11-03T08:00:00Z\", \"lamp\": \"lamp\", \"did\": \"table/read\", \"to\": \"table:tides\"}\n"
)]
fn exports_are_read_through_the_adapter(#[case] export: &str) {
    let place = Place::new();
    saved(&place, &[DIARY]);
    assert_eq!(gather(&place, &["--logs", "90d"]).code, 0);
    let gathered = entries(&place, USAGE, "used");
    place.write("export.json", export);
    let usage =
        ["usage", "export.json", "--adapter", "piers", "--estate", "estate/here.ndjson", "--out", "u.ndjson"];
    let run = place.run(&usage);
    assert_eq!(run.code, 0, "{}", run.err);
    // The clients are hashed under the seal of the moment; there are none here.
    assert_eq!(entries(&place, "u.ndjson", "used"), gathered);
}

#[rstest]
#[case::no_such_log(&["--log", "dairy"], "the adapter has no log `dairy`", "its logs are diary, calls")]
#[case::no_sense(&[], "no log of the adapter makes sense of it", "say which log it is with --log: diary, calls")]
fn an_export_of_nothing_is_told(#[case] more: &[&str], #[case] message: &str, #[case] help: &str) {
    let place = Place::new();
    saved(&place, &[DIARY]);
    assert_eq!(gather(&place, &[]).code, 0);
    place.write("export.json", "{\"ferries\": 4}");
    let usage = ["usage", "export.json", "--adapter", "piers", "--estate", "estate", "--out", "u.ndjson"];
    let run = place.run(&[&usage[..], more].concat());
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(run.err.contains(message) && run.err.contains(help), "{}", run.err);
    assert!(!place.path().join("u.ndjson").exists());
}

#[test]
fn a_wrong_span_and_an_unknown_field_of_a_log_are_told() {
    let place = Place::new();
    saved(&place, &[DIARY]);
    for span in ["90", "-3d", "0d", "1000y", "soon"] {
        let run = gather(&place, &["--logs", span]);
        assert_eq!(run.code, 2, "{span}: {}", run.out);
    }
    piers(&place, "entities = \"pier\"\n");
    let run = gather(&place, &["--logs", "90d"]);
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(run.err.contains("entities"), "{}", run.err);
}

#[test]
fn a_check_tells_what_becomes_of_items_of_logs() {
    let place = Place::new();
    saved(&place, &[DIARY]);
    let run = place.run(&["gather", "--check", "piers", "saved", "--logs", "90d"]);
    assert_eq!(run.code, 0, "{}", run.err);
    let told = run.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(told.contains("diary 2 2 use") && told.contains("calls 1 1 line"), "{}", run.out);
}

#[test]
fn a_gathered_log_is_the_same_whatever_goes_wrong_under_way() {
    let rows = |plan: &[&str]| {
        let place = Place::new();
        let _platforms = Platforms::serve(&place.path().join("live"), plan);
        let more = ["--only", "siroco", "--logs", "120d"];
        let all = ["gather", "--sources", "live/gather.toml", "--out", "estate"];
        let run = place.run(&[&all[..], &more].concat());
        assert_eq!(run.code, 0, "{}", run.err);
        let file = "estate/siroco.usage.ndjson";
        let counted =
            |kind| entries(&place, file, kind).iter().map(|it| it["count"].as_u64().unwrap()).sum::<u64>();
        let covered = entries(&place, file, "log");
        (counted("used"), counted("called"), covered.len())
    };
    let whole = rows(&[]);
    assert_eq!(whole, (451, 1049, 2));
    assert_eq!(rows(&["--errors", "10", "--cut", "5", "--throttled", "10"]), whole);
}
