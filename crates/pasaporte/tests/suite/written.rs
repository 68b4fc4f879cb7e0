//! What the program writes, it reads: whatever platforms, endpoints and tokens say.

use crate::support::Place;
use crate::support::platforms::answering;
use base64::Engine;
use base64::prelude::BASE64_URL_SAFE_NO_PAD;
use proptest::prelude::*;
use serde_json::{Value, json};

/// Texts that are odd to read, show or keep.
fn odd() -> impl Strategy<Value = String> {
    let piece = prop_oneof![
        prop::sample::select(vec![
            "\n",
            "\r\n",
            "\t",
            "\0",
            "\u{1b}[2J",
            "\u{202e}",
            "\u{ad}",
            "\u{2028}",
            "\u{e0041}",
            "\u{feff}",
            "\u{fffd}",
            "\"",
            "\\",
            "{",
            "}",
            "[",
            "]",
            "#",
            ": ",
            "- ",
            "&a",
            "*a",
            "!!x",
            "'",
            "`",
            "| ",
            "?",
            "=",
            "@",
            "/..",
            "null",
            "9",
            "true",
            "eyJhbGciOiJub25lIn0.e30.",
            "north",
            "  ",
            "\u{1f6a2}",
            "é",
        ])
        .prop_map(str::to_owned),
        Just("long ".repeat(600)),
        any::<String>(),
    ];
    prop::collection::vec(piece, 1..6).prop_map(|pieces| pieces.concat())
}

fn value() -> impl Strategy<Value = Value> {
    prop_oneof![
        odd().prop_map(Value::from),
        any::<i64>().prop_map(Value::from),
        any::<bool>().prop_map(Value::from),
        Just(Value::Null),
        prop::collection::vec(odd(), 0..3).prop_map(Value::from),
    ]
}

const MANIFEST: &str = r#"
adapter = 1
name = "mine"
about = "piers"
program = "mine.jq"
[[ask]]
name = "piers"
path = "piers"
items = ".[]"
entities = "{scope: {id: .id, kind: \"account\", owner: .owner}}"
keep = "."
[[ask]]
name = "cranes"
of = "piers"
path = "piers/{.id}/{.step}"
items = ".[]"
entities = "{function: {id: \"f-\\(.)\", in: $parent.id}}"
account = "{.id}"
what = "cranes at {.words}"
hides = "what runs at {.words}"
"#;

/// Audits what was written.
fn is_read(place: &Place, folder: &str, of: &str) -> Result<(), TestCaseError> {
    let holds = std::fs::read_dir(place.path().join(folder)).into_iter().flatten().flatten();
    if !holds.into_iter().any(|entry| entry.path().is_file()) {
        return Ok(());
    }
    let run = place.run(&["audit", folder, "--as-of", "2026-11-20"]);
    let written: Vec<String> = std::fs::read_dir(place.path().join(folder))
        .unwrap()
        .flatten()
        .filter_map(|entry| std::fs::read_to_string(entry.path()).ok())
        .collect();
    prop_assert!(run.code == 0, "{of}\n{}\n{written:#?}", run.err);
    Ok(())
}

fn settings(cases: u32) -> ProptestConfig {
    ProptestConfig { cases, failure_persistence: None, ..ProptestConfig::default() }
}

proptest! {
    #![proptest_config(settings(64))]

    #[test]
    fn what_is_gathered_is_read(
        owner in value(), words in odd(), step in odd(), status in prop::sample::select(vec![200, 204, 301, 403, 404, 418, 429, 503, 599, 700, 999]), body in odd(), live in any::<bool>(),
    ) {
        let place = Place::new();
        place.write("mine/adapter.toml", MANIFEST);
        place.write("mine/mine.jq", "");
        let piers = json!([{"id": "north", "owner": owner, "words": words, "step": step}]);
        place.write("saved/piers.json", piers.to_string());
        let first = piers.to_string();
        let said = format!("{piers} {status} {body:?}");
        let from = if live {
            let url = answering(move |request| {
                let (status, body) = if request.contains("/piers/") { (status, &body) } else { (200, &first) };
                format!("HTTP/1.1 {status} Odd\r\nretry-after: 0\r\ncontent-length: {}\r\nconnection: close\r\n\r\n{body}", body.len())
                    .into_bytes()
            });
            format!("url = \"{url}\"")
        } else {
            "files = \"saved\"".to_owned()
        };
        place.write("gather.toml", format!("[[source]]\nname = \"here\"\nadapter = \"./mine\"\n{from}\n"));
        let run = place.run(&["gather", "--sources", "gather.toml", "--out", "out", "--save", "samples", "--timeout", "1"]);
        prop_assert!(run.code == 0 || run.code == 2, "{}", run.err);
        is_read(&place, "out", &format!("{said}\n{}{}", run.out, run.err))?;
    }

    #[test]
    fn what_came_back_from_a_try_is_read(
        status in 0_u16..1000, reason in odd(), location in odd(), whole in any::<bool>(), junk in odd(),
    ) {
        let plain = |text: &str| text.replace(['\r', '\n', '\0'], " ");
        let answer = if whole {
            format!("HTTP/1.1 {status} {}\r\nlocation: {}\r\nconnection: close\r\n\r\n", plain(&reason), plain(&location))
        } else {
            junk
        };
        let said = answer.clone();
        let url = answering(move |_| answer.clone().into_bytes());
        let place = Place::with(
            "estate/sail.yaml",
            format!("estate: 1\nas_of: 2026-11-20\nfunctions: [{{id: sail, endpoints: [{{check: none, url: \"{url}\"}}]}}]\n"),
        );
        let run = place.run(&[
            "knock", "--at", "*", "--yes", "--timeout", "1", "--out", "estate/knocks.ndjson", "estate",
        ]);
        prop_assert!(run.code == 0, "{said}\n{}", run.err);
        is_read(&place, "estate", &said)?;
    }

    #[test]
    fn a_token_that_was_registered_is_read(
        claims in prop::collection::btree_map(
            prop::sample::select(vec!["iss", "aud", "sub", "exp", "iat", "nbf", "jti", "scope"]), value(), 0..5),
        header in prop::collection::btree_map(prop::sample::select(vec!["alg", "kid", "typ", "crit"]), value(), 0..4),
    ) {
        let place = Place::new();
        let part = |value: &Value| BASE64_URL_SAFE_NO_PAD.encode(value.to_string());
        let mut all = json!({"alg": "ES256"});
        for (name, value) in header {
            all[name] = value;
        }
        let token = format!("{}.{}.c2ln", part(&all), part(&json!(claims)));
        let run = place.run_with(&["token", "--id", "web", "--seal", "seal"], token);
        prop_assert!(run.code == 0 || run.code == 2, "{}", run.err);
        if run.code == 0 {
            place.write("estate/token.ndjson", &run.out);
            is_read(&place, "estate", &run.out)?;
        }
    }
}
