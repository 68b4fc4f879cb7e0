//! Sources and adapters: where credentials come from, what asks lead to, and what an adapter cannot do.

use crate::support::platforms::{Platforms, always, answering};
use crate::support::{Place, Run};
use assert_cmd::Command;
use rstest::rstest;
use serde_json::Value;

const GATHER: [&str; 7] = ["gather", "--sources", "gather.toml", "--out", "estate", "--as-of", "none"];

/// The lines of a gathered file, without the first.
fn lines(place: &Place, source: &str) -> Vec<String> {
    let text = std::fs::read_to_string(place.path().join(format!("estate/{source}.ndjson"))).unwrap();
    text.lines().skip(1).map(str::to_owned).collect()
}

/// An adapter `mine`, in a folder of its own.
fn adapter(place: &Place, asks: &str, program: &str) {
    let head = "adapter = 1\nname = \"mine\"\nabout = \"piers\"\nprogram = \"mine.jq\"\n\n";
    place.write("mine/adapter.toml", format!("{head}{asks}"));
    place.write("mine/mine.jq", program);
}

/// A list of sources with one that reads saved answers.
fn saved(place: &Place, more: &str) {
    place.write(
        "gather.toml",
        format!("[[source]]\nname = \"here\"\nadapter = \"./mine\"\nfiles = \"saved\"\n{more}"),
    );
}

/// The served platforms' credential and the address of one.
fn served(place: &Place, platform: &str) -> (String, String) {
    let credential = std::fs::read_to_string(place.path().join("live/credential")).unwrap();
    let sources = std::fs::read_to_string(place.path().join("live/gather.toml")).unwrap();
    let url = sources.lines().find(|line| line.starts_with("url") && line.contains(platform)).unwrap();
    (credential.trim().to_owned(), url.split('"').nth(1).unwrap().to_owned())
}

#[rstest]
#[case::in_the_environment("{ env = \"SIROCO_CREDENTIAL\" }")]
#[case::on_standard_input("{ stdin = true }")]
#[case::in_a_file("{ file = \"live/credential\" }")]
fn a_credential_is_taken_from_where_it_is(#[case] credential: &str) {
    let place = Place::new();
    let _platforms = Platforms::serve(&place.path().join("live"), &[]);
    let (secret, url) = served(&place, "siroco");
    place.write(
        "gather.toml",
        format!(
            "[[source]]\nname = \"here\"\nadapter = \"siroco\"\nurl = \"{url}\"\ncredential = {credential}\n"
        ),
    );
    let mut command = Command::cargo_bin("pasaporte").unwrap();
    command.current_dir(place.path()).args(GATHER).env("SIROCO_CREDENTIAL", &secret);
    let output = command.write_stdin(format!("{secret}\n")).output().unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    assert!(lines(&place, "here").iter().any(|line| line.contains("\"id\":\"harbours\"")));
    // It is nowhere in what was written or said.
    let said = [output.stdout, output.stderr].concat();
    let written = std::fs::read(place.path().join("estate/here.ndjson")).unwrap();
    for bytes in [said, written] {
        assert!(!String::from_utf8_lossy(&bytes).contains(&secret));
    }
}

#[test]
fn credentials_on_standard_input_are_lines_in_the_order_of_sources() {
    let place = Place::new();
    let _platforms = Platforms::serve(&place.path().join("live"), &[]);
    let (secret, siroco) = served(&place, "siroco");
    let (_, tramontana) = served(&place, "tramontana");
    let source = |name: &str, url: &str| {
        format!(
            "[[source]]\nname = \"{name}\"\nadapter = \"{name}\"\nurl = \"{url}\"\ncredential = {{ stdin = true }}\n"
        )
    };
    place.write("gather.toml", source("siroco", &siroco) + &source("tramontana", &tramontana));
    let run = place.run_with(&GATHER, format!("{secret}\nwrong\n"));
    assert_eq!(run.code, 2);
    assert!(run.err.contains("tramontana"), "{}", run.err);
    // The other one is there: a source that fails does not take the others along.
    assert!(place.path().join("estate/siroco.ndjson").exists());
    assert!(!place.path().join("estate/tramontana.ndjson").exists());
}

#[test]
fn an_item_leads_to_as_many_asks_as_it_says() {
    let place = Place::new();
    let asks = "[[ask]]\nname = \"piers\"\npath = \"piers\"\nitems = \".[]\"\nentities = \"pier\"\nkeep = \"{pier, sides}\"\n\n\
                [[ask]]\nname = \"cranes\"\nof = \"piers\"\neach = \".sides[] as $side | {pier, side: $side}\"\n\
                path = \"piers/{.pier}/{.side}\"\nitems = \".[]\"\nentities = \"crane\"\naccount = \"{.pier}\"\n\
                region = \"{.side}\"\n";
    let program = "def pier: {scope: {id: .pier, kind: \"account\", in: $source.with.folder}};\n\
                   def crane: {function: {id: \"\\(.)-\\($parent.side)\", in: $parent.pier}};\n";
    adapter(&place, asks, program);
    saved(&place, "[source.with]\nfolder = \"production\"\n");
    place.write("saved/piers.json", r#"[{"pier": "north", "sides": ["lee", "wind"]}]"#);
    place.write("saved/piers/north/lee.json", r#"["lift"]"#);
    place.write("saved/piers/north/wind.json", "[]");
    let run = place.run(&[&GATHER[..], &["--format", "json"]].concat());
    assert_eq!(run.code, 0, "{}", run.err);
    let expected = [
        r#"{"scope":{"id":"north","kind":"account","in":"production"}}"#,
        r#"{"function":{"id":"lift-lee","in":"north"}}"#,
    ];
    assert_eq!(lines(&place, "here"), expected);
    let told: Value = serde_json::from_str(&run.out).unwrap();
    let places = told["gathered"][0]["places"].as_array().unwrap();
    let items = |region: &str| {
        places.iter().find(|place| place["region"] == region).map(|place| place["items"].clone()).unwrap()
    };
    assert_eq!([items("lee"), items("wind")], [1, 0]);
    // A region in which nothing is there is named.
    let shown = place.run(&GATHER).out;
    assert!(shown.contains("Nothing is there: here north wind."), "{shown}");
}

#[test]
fn a_name_from_an_answer_stays_within_its_step_of_a_path() {
    let place = Place::new();
    let asks = "[[ask]]\nname = \"piers\"\npath = \"piers\"\nitems = \".[]\"\nkeep = \"{pier}\"\n\n\
                [[ask]]\nname = \"cranes\"\nof = \"piers\"\npath = \"piers/{.pier}\"\nitems = \".[]\"\nentities = \".\"\n";
    adapter(&place, asks, "def nothing: empty;\n");
    saved(&place, "");
    place.write("saved/piers.json", r#"[{"pier": "../../secret"}]"#);
    place.write("secret.json", r#"[{"function": {"id": "stolen"}}]"#);
    let run = place.run(&GATHER);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(lines(&place, "here").iter().all(|line| !line.contains("stolen")));
}

/// An ask for a list of piers, with paging by links, of somebody who asks for no credential.
fn open(place: &Place, url: &str) -> Run {
    let asks = "[[ask]]\nname = \"piers\"\npath = \"piers\"\nitems = \".[]\"\nentities = \".\"\npaging = { by = \"link\" }\n";
    adapter(place, asks, "def nothing: empty;\n");
    place.write(
        "gather.toml",
        format!("[[source]]\nname = \"here\"\nadapter = \"./mine\"\nurl = \"{url}\"\n"),
    );
    place.run(&GATHER)
}

#[test]
fn a_next_page_at_another_host_is_not_asked_for() {
    let place = Place::new();
    let answer = b"HTTP/1.1 200 OK\r\ncontent-length: 2\r\nconnection: close\r\n\
                   link: <http://elsewhere.example/piers?after=1>; rel=\"next\"\r\n\r\n[]";
    let run = open(&place, &always(answer));
    assert_eq!(run.code, 2);
    assert!(run.err.contains("its next page is at another host: elsewhere.example"), "{}", run.err);
}

#[test]
fn an_answer_too_large_to_be_read_is_told_with_the_limit() {
    let place = Place::new();
    let body = format!("[{}1]", "1,".repeat(17 << 20));
    let answer =
        format!("HTTP/1.1 200 OK\r\ncontent-length: {}\r\nconnection: close\r\n\r\n{body}", body.len());
    let run = open(&place, &answering(move |_| answer.clone().into_bytes()));
    assert!(
        format!("{}{}", run.out, run.err).contains("an answer of more than 32 MiB"),
        "{}{}",
        run.out,
        run.err
    );
    // Saved likewise.
    saved(&place, "");
    place.write("saved/piers.json", body);
    let run = place.run(&GATHER);
    assert!(run.out.contains("a file of more than 32 MiB"), "{}{}", run.out, run.err);
}

#[test]
fn pages_without_items_come_to_an_end() {
    let place = Place::new();
    let url = answering(|request| {
        let page: u32 = request
            .split_once("after=")
            .and_then(|(_, rest)| rest.split(' ').next()?.parse().ok())
            .unwrap_or_default();
        let link = format!("link: <?after={}>; rel=\"next\"", page + 1);
        format!("HTTP/1.1 200 OK\r\ncontent-length: 2\r\nconnection: close\r\n{link}\r\n\r\n[]").into_bytes()
    });
    let run = open(&place, &url);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(run.out.contains("the rest of piers (its pages do not end)"), "{}", run.out);
}

#[rstest]
#[case::code("400 Bad Request", r#"{"error": "invalid_request", "error_description": "tide-9"}"#,
    &["answers 400 invalid_request", "`path` in the adapter's `sign_in`"])]
#[case::client("400 Bad Request", r#"{"error": "invalid_client"}"#,
    &["answers 400 invalid_client", "check `client` and `credential`"])]
#[case::own_code("404 Not Found", r#"{"error": "tide-9"}"#, &["answers 404\n", "`path` in the adapter's `sign_in`"])]
#[case::no_json("401 Unauthorized", "tide-9", &["answers 401\n", "check `client` and `credential`"])]
fn a_refused_sign_in_is_told_as_what_it_is(#[case] status: &str, #[case] body: &str, #[case] told: &[&str]) {
    let place = Place::new();
    let answer =
        format!("HTTP/1.1 {status}\r\ncontent-length: {}\r\nconnection: close\r\n\r\n{body}", body.len());
    let url = answering(move |_| answer.clone().into_bytes());
    let sign_in = "[sign_in]\nby = \"client-credentials\"\npath = \"token\"\n\n";
    adapter(&place, &format!("{sign_in}[[ask]]\nname = \"piers\"\npath = \"piers\"\nitems = \".[]\"\n"), "");
    place.write(
        "gather.toml",
        format!(
            "[[source]]\nname = \"here\"\nadapter = \"./mine\"\nurl = \"{url}\"\nclient = \"auditor\"\n\
             credential = {{ stdin = true }}\n"
        ),
    );
    let run = place.run_with(&GATHER, "tide-9\n");
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(run.err.contains(&format!("cannot sign in: {url}/token")), "{}", run.err);
    for part in told {
        assert!(run.err.contains(part), "no `{part}` in:\n{}", run.err);
    }
    assert!(!run.err.contains("tide-9"), "{}", run.err);
}

#[test]
fn what_a_program_makes_may_be_deep() {
    let place = Place::new();
    let asks = "[[ask]]\nname = \"piers\"\npath = \"piers\"\nitems = \".[]\"\nentities = \"reduce range(100000) as $i (0; [.])\"\n";
    adapter(&place, asks, "");
    saved(&place, "");
    place.write("saved/piers.json", "[1]");
    let run = place.run(&GATHER);
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(run.err.contains("ask piers, entities: gives a value of more than 127 levels"), "{}", run.err);
    // Tried alone it is told as well.
    for samples in ["saved", "saved/piers.json"] {
        let run = place.run(&["gather", "--check", "./mine", samples]);
        assert!(run.code == 2 && run.err.contains("more than 127 levels"), "{}{}", run.out, run.err);
    }
}

#[rstest]
#[case::unknown_field("[[ask]]\nname = \"a\"\npath = \"a\"\nitem = \".[]\"\n", "unknown field `item`")]
#[case::an_ask_of_nothing(
    "[[ask]]\nname = \"a\"\nof = \"b\"\npath = \"a\"\nitems = \".[]\"\n",
    "there is no ask `b` before it"
)]
#[case::two_of_a_name(
    "[[ask]]\nname = \"a\"\npath = \"a\"\nitems = \".[]\"\n[[ask]]\nname = \"a\"\npath = \"b\"\nitems = \".[]\"\n",
    "two asks are named `a`"
)]
#[case::open_brace(
    "[[ask]]\nname = \"a\"\npath = \"a/{.x\"\nitems = \".[]\"\n",
    "a brace that nothing closes"
)]
#[case::expression(
    "[[ask]]\nname = \"a\"\npath = \"a\"\nitems = \"nowhere\"\n",
    "ask a, items: not a jq program: there is no filter `nowhere`"
)]
fn a_wrong_manifest_is_told(#[case] asks: &str, #[case] told: &str) {
    let place = Place::new();
    adapter(&place, asks, "def nothing: empty;\n");
    saved(&place, "");
    let run = place.run(&GATHER);
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(run.err.contains(told), "{}", run.err);
}

#[test]
fn what_a_killed_run_was_writing_does_not_stay() {
    let place = Place::new();
    adapter(&place, "", "def nothing: empty;\n");
    saved(&place, "");
    place.write("estate/.new-a1B2c3", "{\"estate\":");
    place.write("estate/.newest.yaml", "kept");
    assert_eq!(place.run(&GATHER).code, 0);
    let stays = |name: &str| place.path().join("estate").join(name).exists();
    assert_eq!([stays(".new-a1B2c3"), stays(".newest.yaml"), stays("here.ndjson")], [false, true, true]);
}

#[test]
fn the_time_is_a_file_of_its_own() {
    let place = Place::new();
    adapter(&place, "", "def nothing: empty;\n");
    saved(&place, "");
    let run = place.run(&["gather", "--sources", "gather.toml", "--out", "estate", "--as-of", "2026-11-20"]);
    assert_eq!(run.code, 0, "{}", run.err);
    let time = std::fs::read_to_string(place.path().join("estate/as-of.yaml")).unwrap();
    assert_eq!(time, "estate: 1\nas_of: 2026-11-20T00:00:00Z\n");
    assert_eq!(place.audit(&["estate"])["looked_at"]["as_of"], "2026-11-20T00:00:00Z");
}
