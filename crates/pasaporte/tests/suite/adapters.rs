//! What an adapter can ask for, and what is told of what it does not read.

use std::collections::HashMap;
use std::io::{BufRead, BufReader, Write};
use std::net::TcpListener;
use std::sync::{Arc, Mutex};

use crate::support::{Place, Run, demo};
use rstest::rstest;
use serde_json::Value;

/// A platform that answers each path with what it is told, one answer after the other, the last again and again.
struct Scripted {
    url: String,
    asked: Arc<Mutex<Vec<String>>>,
}

fn scripted(answers: &[(&str, &[(u16, &str)])]) -> Scripted {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let url = format!("http://{}", listener.local_addr().unwrap());
    let asked: Arc<Mutex<Vec<String>>> = Arc::default();
    let seen = Arc::clone(&asked);
    let mut left: HashMap<String, Vec<(u16, String)>> = HashMap::new();
    for (path, all) in answers {
        let all = all.iter().rev().map(|(status, body)| (*status, body.replace("URL", &url))).collect();
        left.insert((*path).to_owned(), all);
    }
    std::thread::spawn(move || {
        for stream in listener.incoming() {
            let Ok(mut stream) = stream else { return };
            let mut lines = BufReader::new(stream.try_clone().unwrap()).lines().map_while(Result::ok);
            let Some(first) = lines.next() else { continue };
            let path = first.split(' ').nth(1).unwrap_or_default().to_owned();
            let headers: Vec<String> = lines.take_while(|line| !line.is_empty()).collect();
            seen.lock().unwrap().push(format!("{path}\n{}", headers.join("\n")));
            let all = left.get_mut(&path);
            let (status, body) = match all {
                Some(all) if all.len() > 1 => all.pop().unwrap(),
                Some(all) => all[0].clone(),
                None => (404, "{}".to_owned()),
            };
            let answer = format!(
                "HTTP/1.1 {status} Told\r\ncontent-length: {}\r\nconnection: close\r\n\r\n{body}",
                body.len()
            );
            let _ = stream.write_all(answer.as_bytes());
        }
    });
    Scripted { url, asked }
}

/// An adapter `mine` with these asks, and a source of it.
fn source(place: &Place, asks: &str, program: &str, from: &str) {
    let head = "adapter = 1\nname = \"mine\"\nabout = \"piers\"\nprogram = \"mine.jq\"\n\n";
    place.write("mine/adapter.toml", format!("{head}{asks}"));
    place.write("mine/mine.jq", program);
    place.write("gather.toml", format!("[[source]]\nname = \"here\"\nadapter = \"./mine\"\n{from}\n"));
}

fn live(place: &Place, asks: &str, program: &str, platform: &Scripted) {
    source(place, asks, program, &format!("url = \"{}\"", platform.url));
}

fn gather(place: &Place, more: &[&str]) -> Run {
    place.run(&[&["gather", "--sources", "gather.toml", "--out", "estate", "--as-of", "none"], more].concat())
}

fn gathered(place: &Place) -> String {
    std::fs::read_to_string(place.path().join("estate/here.ndjson")).unwrap()
}

const PIERS: &str = "[[ask]]\nname = \"piers\"\npath = \"piers\"\nitems = \".piers[]\"\nentities = \"pier\"\n\
                     keep = \"{pier: .id}\"\nwhat = \"the piers\"\nhides = \"accounts\"\n";
const PIER: &str =
    "def pier: {scope: {id, kind: \"account\"}};\ndef crane: {function: {id, in: $parent.pier}};\n";
const CRANES: &str = "\n[[ask]]\nname = \"cranes\"\nof = \"piers\"\npath = \"piers/{.pier}/cranes\"\nitems = \".cranes[]\"\n\
                      entities = \"crane\"\naccount = \"{.pier}\"\nwhat = \"cranes of {.pier}\"\nhides = \"functions\"\n";

#[rstest]
#[case::of_no_meaning("", true)]
#[case::nothing_here("nothing_here = [404]\n", false)]
fn a_status_may_say_that_there_is_nothing(#[case] field: &str, #[case] blind: bool) {
    let platform = scripted(&[("/piers", &[(200, r#"{"piers": [{"id": "north"}]}"#)])]);
    let place = Place::new();
    live(&place, &format!("{PIERS}{CRANES}{field}"), PIER, &platform);
    let run = gather(&place, &[]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert_eq!(gathered(&place).contains("cranes of north"), blind, "{}", gathered(&place));
}

#[test]
fn a_status_may_say_that_a_list_must_be_begun_anew() {
    let paging = "paging = { by = \"token\", token = \".more\", parameter = \"from\" }\n";
    let platform = scripted(&[
        (
            "/piers",
            &[(200, r#"{"piers": [{"id": "old"}], "more": "a"}"#), (200, r#"{"piers": [{"id": "north"}]}"#)],
        ),
        ("/piers?from=a", &[(410, "{}")]),
    ]);
    let place = Place::new();
    live(&place, &format!("{PIERS}{paging}begin_again = [410]\n"), PIER, &platform);
    let run = gather(&place, &[]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert_eq!(gathered(&place), "{\"estate\":1}\n{\"scope\":{\"id\":\"north\",\"kind\":\"account\"}}\n");
}

#[test]
fn an_ask_sends_headers_of_its_own() {
    let platform = scripted(&[
        ("/piers", &[(200, r#"{"piers": [{"id": "north"}]}"#)]),
        ("/piers/north/cranes", &[(200, r#"{"cranes": []}"#)]),
    ]);
    let place = Place::new();
    let headers = "headers = { \"harbour-of\" = \"{.pier}\", accept = \"application/harbour+json\" }\n";
    live(&place, &format!("{PIERS}{CRANES}{headers}"), PIER, &platform);
    assert_eq!(gather(&place, &[]).code, 0);
    let asked = platform.asked.lock().unwrap().clone();
    let of = |path: &str| asked.iter().find(|it| it.starts_with(path)).unwrap().to_lowercase();
    assert!(of("/piers/north").contains("harbour-of: north"), "{asked:?}");
    assert!(of("/piers/north").contains("accept: application/harbour+json"), "{asked:?}");
    assert!(of("/piers\n").contains("accept: application/json"), "{asked:?}");
}

/// A paging field that is spelt wrong reads the first page alone, and looks complete: it is told.
#[test]
fn what_nothing_reads_beside_the_items_is_told() {
    let platform =
        scripted(&[("/piers", &[(200, r#"{"piers": [{"id": "north"}], "went_on_at": "a", "took": null}"#)])]);
    let place = Place::new();
    let paging = "paging = { by = \"token\", token = \".goes_on_at\", parameter = \"from\" }\n";
    live(&place, &format!("{PIERS}{paging}"), PIER, &platform);
    let run = gather(&place, &[]);
    let told = "here: answers of piers have went_on_at beside their items, which nothing reads.";
    assert!(run.out.split_whitespace().collect::<Vec<_>>().join(" ").contains(told), "{}", run.out);
    let json: Value = serde_json::from_str(&gather(&place, &["--format", "json"]).out).unwrap();
    assert_eq!(json["gathered"][0]["unread"], serde_json::json!({"piers": ["went_on_at"]}));
    let check = place.run(&["gather", "--check", "./mine", "--sources", "gather.toml", "--format", "json"]);
    let check: Value = serde_json::from_str(&check.out).unwrap();
    assert_eq!(check["asks"][0]["unread"], serde_json::json!(["went_on_at"]));
    // A manifest may say that it means nothing.
    let manifest = std::fs::read_to_string(place.path().join("mine/adapter.toml")).unwrap();
    place.write("mine/adapter.toml", manifest.replace("\n\n", "\nbeside = [\"went_on_at\"]\n\n"));
    assert!(!gather(&place, &[]).out.contains("nothing reads"));
}

#[test]
fn answers_are_kept_as_samples_without_secrets_and_read_again() {
    let platform = scripted(&[
        ("/piers", &[(200, r#"{"piers": [{"id": "north", "password": "tide-42"}]}"#)]),
        ("/piers/north/cranes", &[(200, r#"{"cranes": [{"id": "lift"}]}"#)]),
    ]);
    let place = Place::new();
    live(&place, &format!("{PIERS}{CRANES}"), PIER, &platform);
    assert_eq!(gather(&place, &["--save", "samples"]).code, 0);
    let kept = std::fs::read_to_string(place.path().join("samples/here/piers.json")).unwrap();
    assert!(!kept.contains("tide-42") && kept.contains("north"), "{kept}");
    let first = gathered(&place);
    source(&place, &format!("{PIERS}{CRANES}"), PIER, "files = \"samples/here\"");
    assert_eq!(gather(&place, &[]).code, 0);
    assert_eq!(gathered(&place), first);
}

#[test]
fn a_saved_page_that_is_not_there_is_a_blind_spot() {
    let place = Place::new();
    let paging = "paging = { by = \"number\", pages = \".pages\", parameter = \"page\" }\n";
    source(&place, &format!("{PIERS}{paging}"), PIER, "files = \"saved\"");
    place.write("saved/piers.json", r#"{"piers": [{"id": "north"}], "pages": 2}"#);
    let run = gather(&place, &["--strict"]);
    assert_eq!(run.code, 3, "{}", run.err);
    assert!(gathered(&place).contains("page 2: not among the saved answers"), "{}", gathered(&place));
    // Once it is there it is read, whatever an earlier run had seen.
    place.write("saved/piers.2.json", r#"{"piers": [{"id": "south"}], "pages": 2}"#);
    place.write("saved/piers.json", r#"{"piers": [{"id": "east"}], "pages": 2}"#);
    assert_eq!(gather(&place, &["--strict"]).code, 0);
    assert!(gathered(&place).contains("south") && gathered(&place).contains("east"), "{}", gathered(&place));
}

#[rstest]
#[case::alike(r#"{"id": "north"}, {"id": "north"}"#, false)]
#[case::otherwise(r#"{"id": "north"}, {"id": "north", "of": "east"}"#, true)]
fn one_thing_twice_on_a_page_is_as_on_two(#[case] items: &str, #[case] torn: bool) {
    let place = Place::new();
    let program = "def pier: {scope: ({id, kind: \"account\"} + (if .of then {owner: .of} else {} end))};\n";
    source(&place, PIERS, program, "files = \"saved\"");
    place.write("saved/piers.json", format!("{{\"piers\": [{items}]}}"));
    let run = gather(&place, &[]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert_eq!(gathered(&place).matches("\"scope\"").count(), 1);
    assert_eq!(gathered(&place).contains("was read twice, and differently"), torn, "{}", gathered(&place));
}

#[test]
fn a_source_may_be_what_is_declared() {
    let place = Place::new();
    source(&place, PIERS, PIER, "files = \"saved\"\ndeclared = true");
    place.write("saved/piers.json", r#"{"piers": [{"id": "north"}]}"#);
    assert_eq!(gather(&place, &[]).code, 0);
    assert!(gathered(&place).starts_with("{\"estate\":1,\"declared\":true}\n"), "{}", gathered(&place));
    assert!(place.run(&["audit", "estate", "--all"]).out.contains("only declared files were given"));
}

const VERIFIERS: &str = "[[ask]]\nname = \"gates\"\npath = \"gates\"\nitems = \".gates[]\"\nentities = \"gate\"\nkeep = \"{id, keys}\"\n\
                         what = \"the gates\"\nhides = \"how tokens are checked\"\n\n\
                         [[ask]]\nname = \"key-sets\"\nof = \"gates\"\nlink = \".keys\"\ndocument = \"keys/{.id}.json\"\n\
                         what = \"keys of {.id}\"\nhides = \"which keys are trusted\"\n";
const GATE: &str = "def gate: {verifier: {id, issuers: [\"site\"], key_set: \"keys/\\(.id).json\"}};\n";

#[rstest]
#[case::of_the_same_host("URL/keys/one", true)]
#[case::of_another_host("https://elsewhere.example/keys", false)]
fn a_document_that_a_platform_names_stands_beside_the_estate(#[case] link: &str, #[case] fetched: bool) {
    let set = r#"{"keys": [{"kty": "EC", "crv": "P-256", "x": "f83", "y": "x_F", "kid": "one", "d": "jpsQnnGQmL"}]}"#;
    let gates = format!(r#"{{"gates": [{{"id": "east", "keys": "{link}"}}]}}"#);
    let platform = scripted(&[("/gates", &[(200, &gates)]), ("/keys/one", &[(200, set)])]);
    let place = Place::new();
    live(&place, VERIFIERS, GATE, &platform);
    let run = gather(&place, &[]);
    assert_eq!(run.code, 0, "{}", run.err);
    let path = place.path().join("estate/keys/east.json");
    assert_eq!(path.is_file(), fetched);
    if fetched {
        let kept = std::fs::read_to_string(path).unwrap();
        assert!(kept.contains("\"one\"") && !kept.contains("jpsQnnGQmL"), "{kept}");
        let list =
            place.run(&["list", "verifiers", "estate", "--columns", "verifier,keys", "--format", "csv"]);
        assert_eq!(list.out, "verifier,keys\neast,1\n", "{}", list.err);
    } else {
        assert!(gathered(&place).contains("at another address than the source"), "{}", gathered(&place));
    }
}

#[rstest]
#[case::outside("../east.json")]
#[case::hidden(".gather/east.json")]
#[case::not_a_document("keys/east.sh")]
#[case::from_the_root("/etc/east.json")]
fn a_document_stays_in_the_folder_of_the_estate(#[case] name: &str) {
    let platform = scripted(&[
        ("/gates", &[(200, r#"{"gates": [{"id": "east", "keys": "/keys/one"}]}"#)]),
        ("/keys/one", &[(200, "{}")]),
    ]);
    let place = Place::new();
    live(&place, &VERIFIERS.replace("keys/{.id}.json", name), GATE, &platform);
    let run = gather(&place, &[]);
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(run.err.contains("is no name of a .json or .yaml file in the estate's folder"), "{}", run.err);
    assert!(!place.path().join("east.json").exists());
}

/// The keys of accounts and of functions without an app are asked for, on the platform that has them.
#[test]
fn the_shipped_adapter_asks_for_keys_of_accounts_and_of_loose_functions() {
    let place = Place::new();
    place.write("gather.toml", "[[source]]\nname = \"here\"\nadapter = \"poniente\"\nfiles = \"saved\"\n");
    let rows = |path: &str, rows: &str| {
        place.write(
            &format!("saved/tenancies{path}.json"),
            format!("{{\"rows\": [{rows}], \"page\": 1, \"pages\": 1}}"),
        );
    };
    rows("", r#"{"path": "/tenancy/piers"}"#);
    rows("/piers/workers", r#"{"worker": "bell", "persona": "ringer", "running": true}"#);
    rows("/piers/keys", r#"{"label": "of-the-account", "made": "2026-01-01"}"#);
    rows("/piers/workers/bell/keys", r#"{"label": "of-the-bell", "made": "2026-01-01"}"#);
    let run = gather(&place, &[]);
    assert_eq!(run.code, 0, "{}", run.err);
    let told = gathered(&place);
    assert!(told.contains(r#""id":"of-the-account","opens":"account:piers","reach":"app""#), "{told}");
    assert!(told.contains(r#""id":"of-the-bell","opens":"function:bell","reach":"function""#), "{told}");
}

/// What `gather` writes of a platform's words stands beside the sample world as the adapter has it.
#[rstest]
fn the_sample_world_has_the_catalogues_of_the_adapters(
    #[values("gregal", "lebeche", "levante", "poniente", "siroco", "tramontana")] name: &str,
) {
    let read = |path: std::path::PathBuf| std::fs::read_to_string(path).unwrap();
    let of_adapter = read(demo().join("../adapters").join(name).join("catalogue.yaml"));
    assert_eq!(read(demo().join(format!("{name}.catalogue.yaml"))), of_adapter);
}
