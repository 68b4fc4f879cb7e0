//! Gathering over real sockets: from the stand-ins, whole and failing, and from servers that behave badly.

use std::fs;
use std::net::TcpListener;
use std::process::{Command, Stdio};
use std::time::Duration;

use crate::support::platforms::{Platforms, always, expired};
use crate::support::{Place, Run};
use rstest::rstest;
use serde_json::Value;

/// The lines of a gathering, by file.
type Files = Vec<(String, String)>;

const GATHER: [&str; 7] = ["gather", "--sources", "live/gather.toml", "--out", "estate", "--as-of", "none"];

fn gather(place: &Place, more: &[&str]) -> Run {
    place.run(&[&GATHER[..], more].concat())
}

/// All files of the gathered estate.
fn files(place: &Place) -> Files {
    let mut all: Files = std::fs::read_dir(place.path().join("estate"))
        .unwrap()
        .map(|entry| entry.unwrap().path())
        .filter(|path| path.is_file())
        .map(|path| {
            (
                path.file_name().unwrap().to_string_lossy().into_owned(),
                placeless(&std::fs::read_to_string(&path).unwrap()),
            )
        })
        .collect();
    all.sort();
    all
}

/// A text without the port that the platforms happen to be served at, which the addresses of endpoints have.
fn placeless(text: &str) -> String {
    let mut parts = text.split("http://127.0.0.1:");
    let first = parts.next().unwrap_or_default().to_owned();
    parts.fold(first, |text, part| {
        text + "http://here" + part.trim_start_matches(|each: char| each.is_ascii_digit())
    })
}

/// What the platforms hold, gathered when all goes well.
fn undisturbed() -> Files {
    let place = Place::new();
    let _platforms = Platforms::serve(&place.path().join("live"), &[]);
    let run = gather(&place, &[]);
    assert_eq!(run.code, 0, "{}", run.err);
    files(&place)
}

/// Findings without the places that show them, which differ between files.
fn told(audit: &Value) -> Vec<Value> {
    let mut findings = audit["findings"].as_array().unwrap().clone();
    for finding in &mut findings {
        finding.as_object_mut().unwrap().remove("evidence");
        // Lines of other files.
        finding.as_object_mut().unwrap().remove("paste");
        for beneath in finding["beneath"].as_array_mut().unwrap() {
            beneath.as_object_mut().unwrap().remove("evidence");
        }
    }
    findings
}

#[test]
fn gathered_and_shipped_estates_have_the_same_findings() {
    let place = Place::with_demo();
    let _platforms = Platforms::serve(&place.path().join("live"), &[]);
    let run = gather(&place, &[]);
    assert_eq!(run.code, 0, "{}", run.err);
    let first = files(&place);
    // Of each source what was gathered, and the catalogue of its platform.
    assert_eq!(first.len(), 12);
    place.write_what_is_not_gathered("own");
    for seen in ["keys.ndjson", "usage.ndjson"] {
        fs::remove_file(place.path().join("demo").join(seen)).unwrap();
    }
    assert_eq!(told(&place.audit(&["estate", "own"])), told(&place.audit(&["demo"])));
    // Again: the same bytes.
    gather(&place, &[]);
    assert_eq!(files(&place), first);
    assert!(!place.path().join("estate/.gather").exists());
}

#[test]
fn demo_live_tells_what_demo_tells() {
    let place = Place::new();
    let live = place.run(&["demo", "--live", "here", "--all"]);
    assert_eq!(live.code, 0, "{}", live.err);
    assert!(live.out.contains("grants of account:notices (page 2: HTTP 503, asked 5 times)"), "{}", live.out);
    assert_eq!(
        told(&place.audit(&["here"])),
        told(&place.audit(&[crate::support::demo().to_str().unwrap()]))
    );
}

#[test]
fn a_page_that_fails_for_good_is_a_blind_spot() {
    let place = Place::new();
    let _platforms = Platforms::serve(&place.path().join("live"), &[]);
    let run = gather(&place, &["--only", "lebeche", "--strict", "--format", "json"]);
    assert_eq!(run.code, 3, "{}", run.err);
    let told: Value = serde_json::from_str(&run.out).unwrap();
    let places = told["gathered"][0]["places"].as_array().unwrap();
    let notices = places.iter().find(|place| place["account"] == "notices").unwrap();
    let (what, why) = ("grants of account:notices", "page 2: HTTP 503, asked 5 times");
    assert_eq!(notices["missed"], serde_json::json!([format!("{what} ({why})")]));
    let lines = files(&place).into_iter().find(|(name, _)| name.ends_with("lebeche.ndjson")).unwrap().1;
    assert!(
        lines.contains(&format!(
            "{{\"blind_spot\":{{\"hides\":\"grants held there\",\"in\":\"notices\",\"what\":\"{what}\",\"why\":\"{why}\"}}}}"
        )),
        "{lines}"
    );
    // What came back before it is there.
    assert!(lines.contains("\"to\":\"identity:notices-worker\""), "{lines}");
}

#[test]
fn faults_change_nothing_but_the_time_it_takes() {
    let place = Place::new();
    let plan = ["--errors", "5", "--throttled", "5", "--cut", "3", "--late", "5", "--late-by", "20"];
    let more = ["--shifting", "--lease", "25"];
    let _platforms = Platforms::serve(&place.path().join("live"), &[&plan[..], &more].concat());
    let run = gather(&place, &[]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert_eq!(files(&place), undisturbed());
}

#[test]
fn killed_again_and_again_it_goes_on_to_the_same_bytes() {
    let place = Place::new();
    let _platforms = Platforms::serve(&place.path().join("live"), &["--late", "100", "--late-by", "4"]);
    let mut kills = 0;
    // Each goes a little further; a killed one leaves whole files or none.
    for number in 0..20 {
        let moment = 15 + (number * 37) % 90;
        let mut child = Command::new(env!("CARGO_BIN_EXE_pasaporte"))
            .current_dir(place.path())
            .args(GATHER)
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        std::thread::sleep(Duration::from_millis(moment));
        // However busy the machine is, the last one is killed after it has read something.
        while number == 19 && !has_begun(&place) && child.try_wait().unwrap().is_none() {
            std::thread::sleep(Duration::from_millis(1));
        }
        if child.try_wait().unwrap().is_none() {
            child.kill().unwrap();
            kills += 1;
        }
        child.wait().unwrap();
        for (name, bytes) in files_so_far(&place) {
            assert!(bytes.starts_with("{\"estate\":1}\n") && bytes.ends_with('\n'), "{name}");
        }
    }
    assert_eq!(kills, 20);
    let run = gather(&place, &[]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(run.out.contains("known from a collection of 20"), "{}", run.out);
    assert_eq!(files(&place), undisturbed());
}

/// Whether a page was read and kept for the next run.
fn has_begun(place: &Place) -> bool {
    let journals = std::fs::read_dir(place.path().join("estate/.gather")).into_iter().flatten();
    // The first line only says what is collected, and one that was torn is no page.
    let is_page =
        |line: &str| serde_json::from_str(line).is_ok_and(|it: serde_json::Value| it["page"].is_object());
    journals
        .flatten()
        .any(|entry| std::fs::read_to_string(entry.path()).is_ok_and(|it| it.lines().any(is_page)))
}

/// The files that are whole by their names.
fn files_so_far(place: &Place) -> Files {
    if !place.path().join("estate").exists() {
        return Files::new();
    }
    files(place).into_iter().filter(|(name, _)| name.ends_with(".ndjson")).collect()
}

/// A list of sources with one source, at some address.
fn one_source(place: &Place, adapter: &str, url: &str) {
    place.write("secret", "the wrong one\n");
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        let only_owner = std::fs::Permissions::from_mode(0o600);
        std::fs::set_permissions(place.path().join("secret"), only_owner).unwrap();
    }
    place.write(
        "live/gather.toml",
        format!(
            "[[source]]\nname = \"here\"\nadapter = \"{adapter}\"\nurl = \"{url}\"\nclient = \"auditor\"\n\
             credential = {{ file = \"../secret\" }}\n"
        ),
    );
}

#[rstest]
#[case::levante("levante", "cannot sign in")]
#[case::poniente("poniente", "its credential is not accepted")]
#[case::tramontana("tramontana", "its credential is not accepted")]
fn a_wrong_credential_is_told_once_and_nothing_written(#[case] platform: &str, #[case] told: &str) {
    let place = Place::new();
    let _platforms = Platforms::serve(&place.path().join("served"), &[]);
    let sources = std::fs::read_to_string(place.path().join("served/gather.toml")).unwrap();
    let url = sources.lines().find(|line| line.starts_with("url") && line.contains(platform)).unwrap();
    one_source(&place, platform, url.split('"').nth(1).unwrap());
    place.write("estate/here.ndjson", "{\"estate\":1}\n");
    let run = gather(&place, &[]);
    assert_eq!(run.code, 2);
    assert_eq!(run.err.matches(told).count(), 1, "{}", run.err);
    assert!(run.err.contains("check `client` and `credential`"), "{}", run.err);
    assert!(!run.err.contains("the wrong one"), "{}", run.err);
    assert_eq!(files(&place), [("here.ndjson".to_owned(), "{\"estate\":1}\n".to_owned())]);
}

#[rstest]
#[case::not_json(
    b"HTTP/1.1 200 OK\r\ncontent-length: 14\r\nconnection: close\r\n\r\n<html>Hi</html",
    "answers with something that is not JSON"
)]
#[case::torn(
    b"HTTP/1.1 200 OK\r\ncontent-length: 12\r\nconnection: close\r\n\r\n{\"nodes\": [1",
    "answers with something that is not JSON"
)]
#[case::no_http(b"SSH-2.0-harbour\r\n", "does not answer: ")]
#[case::no_end(
    b"HTTP/1.1 200 OK\r\ncontent-length: 29\r\nconnection: close\r\n\r\n{\"nodes\": [], \"more\": \"next\"}",
    "its pages do not end"
)]
#[case::another_host(
    b"HTTP/1.1 302 Found\r\nlocation: http://elsewhere.example/\r\ncontent-length: 0\r\nconnection: close\r\n\r\n",
    "the reaches (HTTP 302, asked once)"
)]
fn a_server_that_behaves_badly_is_told(#[case] answer: &'static [u8], #[case] told: &str) {
    let place = Place::new();
    one_source(&place, "tramontana", &always(answer));
    let run = gather(&place, &["--strict"]);
    if matches!(told, "the reaches (HTTP 302, asked once)" | "its pages do not end") {
        assert_eq!(run.code, 3, "{}", run.err);
        assert!(run.out.contains(told), "{}", run.out);
    } else {
        assert_eq!(run.code, 2, "{}", run.out);
        assert!(run.err.contains(told), "{}", run.err);
        assert!(!place.path().join("estate/here.ndjson").exists());
    }
}

#[test]
fn who_does_not_answer_is_told() {
    let place = Place::new();
    let free = TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap();
    one_source(&place, "tramontana", &format!("http://{free}"));
    let run = gather(&place, &[]);
    assert_eq!(run.code, 2);
    assert!(run.err.contains("does not answer: "), "{}", run.err);
    assert!(run.err.contains("asked 5 times"), "{}", run.err);
}

#[test]
fn a_certificate_that_ran_out_is_told() {
    let place = Place::new();
    let (url, pem) = expired();
    place.write("authority.pem", pem);
    one_source(&place, "tramontana", &url);
    let run = gather(&place, &["--ca", "authority.pem"]);
    assert_eq!(run.code, 2);
    assert!(run.err.contains("does not prove who it is"), "{}", run.err);
    assert!(run.err.to_lowercase().contains("expired"), "{}", run.err);
}

/// An adapter of one's own, and answers that it reads.
fn own(place: &Place, program: &str) {
    place.write(
        "mine/adapter.toml",
        "adapter = 1\nname = \"mine\"\nabout = \"piers\"\nprogram = \"mine.jq\"\n\n\
         [[ask]]\nname = \"piers\"\npath = \"piers\"\nitems = \".[]\"\nentities = \"pier\"\nkeep = \"{pier}\"\n\n\
         [[ask]]\nname = \"cranes\"\nof = \"piers\"\npath = \"piers/{.pier}/cranes\"\nitems = \".cranes[]\"\n\
         entities = \"crane\"\naccount = \"{.pier}\"\nwhat = \"cranes of {.pier}\"\nhides = \"functions\"\n",
    );
    place.write("mine/mine.jq", program);
    place.write("saved/piers.json", r#"[{"pier": "north", "built": 1931}, {"pier": "south"}]"#);
    place.write("saved/piers/north/cranes.json", r#"{"cranes": [{"name": "lift"}]}"#);
    place.write("saved/piers/north/cranes.2.json", r#"{"cranes": [{"name": "drop"}, {"nobody": 1}]}"#);
    place.write(
        "live/gather.toml",
        "[[source]]\nname = \"here\"\nadapter = \"../mine\"\nfiles = \"../saved\"\n",
    );
}

const PROGRAM: &str = "def pier: {scope: {id: .pier, kind: \"account\"}};\n\
                       def crane: select(.name) | {function: {id: .name, in: $parent.pier}};\n";

#[test]
fn saved_answers_are_gathered_without_a_network() {
    let place = Place::new();
    own(&place, PROGRAM);
    let run = gather(&place, &[]);
    assert_eq!(run.code, 0, "{}", run.err);
    let all = files(&place).remove(0).1;
    let expected = "{\"estate\":1}\n{\"scope\":{\"id\":\"north\",\"kind\":\"account\"}}\n\
                    {\"scope\":{\"id\":\"south\",\"kind\":\"account\"}}\n\
                    {\"function\":{\"id\":\"drop\",\"in\":\"north\"}}\n\
                    {\"function\":{\"id\":\"lift\",\"in\":\"north\"}}\n\
                    {\"blind_spot\":{\"hides\":\"functions\",\"in\":\"south\",\"what\":\"cranes of south\",\"why\":\"not among the saved answers\"}}\n";
    assert_eq!(all, expected);
}

#[test]
fn a_check_says_what_an_adapter_makes_and_what_it_leaves_out() {
    let place = Place::new();
    own(&place, PROGRAM);
    let run = place.run(&["gather", "--check", "./mine", "saved", "--format", "json"]);
    assert_eq!(run.code, 0, "{}", run.err);
    let told: Value = serde_json::from_str(&run.out).unwrap();
    let expected = serde_json::json!({
        "check": 1,
        "asks": [
            {"ask": "piers", "items": 2, "without_entity": 0, "entities": {"scope": 2}, "left_out": ["built"], "unread": []},
            {"ask": "cranes", "items": 3, "without_entity": 1, "entities": {"function": 2}, "left_out": ["nobody"], "unread": []},
        ],
        "missed": ["cranes of south (not among the saved answers)"],
    });
    assert_eq!(told, expected);
}

#[rstest]
#[case::not_a_filter("def pier: {scope: {id: .pier, kind: \"account\"}};\ndef crane: crate(.name);\n",
    &["mine.jq:2", "there is no filter `crate`"])]
#[case::not_jq("def pier: {scope: {id: .pier, kind: \"account\"};\ndef crane: .;\n", &["mine.jq:1", "not a jq program"])]
#[case::fails("def pier: {scope: {id: (.pier + 1), kind: \"account\"}};\ndef crane: .;\n",
    &["ask piers, entities", "adapter mine"])]
#[case::not_an_entity("def pier: {scope: {id: .pier, kind: \"harbour\"}};\ndef crane: .;\n",
    &["piers of", "not a scope's kind"])]
fn a_wrong_program_is_told_with_its_place(#[case] program: &str, #[case] told: &[&str]) {
    let place = Place::new();
    own(&place, program);
    let run = gather(&place, &[]);
    assert_eq!(run.code, 2, "{}", run.out);
    for part in told {
        assert!(run.err.contains(part), "no `{part}` in:\n{}", run.err);
    }
    assert!(!place.path().join("estate/here.ndjson").exists());
}

#[rstest]
#[case::unknown_adapter("name = \"a\"\nadapter = \"levant\"\nfiles = \"x\"", "there is no adapter `levant`")]
#[case::no_address("name = \"a\"\nadapter = \"levante\"", "it has no address")]
#[case::in_the_clear(
    "name = \"a\"\nadapter = \"levante\"\nurl = \"http://levante.example\"\ncredential = {stdin = true}",
    "would travel in the clear"
)]
#[case::open_file(
    "name = \"a\"\nadapter = \"levante\"\nurl = \"https://levante.example\"\ncredential = {file = \"open\"}",
    "can be read by others"
)]
#[case::no_variable(
    "name = \"a\"\nadapter = \"levante\"\nurl = \"https://levante.example\"\ncredential = {env = \"NOT_SET_HERE\"}",
    "the environment variable that `credential` names is not set"
)]
#[case::no_credential(
    "name = \"a\"\nadapter = \"levante\"\nurl = \"https://levante.example\"",
    "has no credential"
)]
#[case::a_path_for_a_name("name = \"../a\"\nadapter = \"levante\"\nfiles = \"x\"", "a `name` that is none")]
#[case::a_secret_in_it(
    "name = \"a\"\nadapter = \"levante\"\nfiles = \"x\"\ncredential = \"tide-9\"",
    "not a configuration"
)]
fn a_wrong_source_is_told(#[case] source: &str, #[case] told: &str) {
    let place = Place::new();
    place.write("live/open", "tide-9\n");
    place.write("live/gather.toml", format!("[[source]]\n{source}\n"));
    let run = place.run_with(&GATHER, "tide-9\n");
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(run.err.contains(told), "{}", run.err);
    assert!(!run.err.contains("tide-9"), "{}", run.err);
}
