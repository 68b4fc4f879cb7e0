//! Trying endpoints over real sockets: those of the stand-ins, and servers that behave badly.

use std::io::{Read, Write};
use std::net::TcpListener;
use std::sync::mpsc::{Receiver, channel};
use std::time::Duration;

use crate::support::platforms::{Platforms, always, expired};
use crate::support::{Place, findings};
use rstest::rstest;
use serde_json::Value;

/// An estate with one function, `sail`, whose endpoint is at an address and asks for something.
fn place(url: &str, check: &str, more: &str) -> Place {
    let text = format!(
        "estate: 1
as_of: 2026-11-20
functions: [{{id: sail, runs_as: sailor, endpoints: [{{check: {check}, url: \"{url}\"{more}}}]}}]
identities: [{{id: sailor, kind: service-account}}]
"
    );
    Place::with("estate/ferry.yaml", text)
}

/// What came of the only try.
fn tried(place: &Place, more: &[&str]) -> Value {
    let call = ["knock", "--at", "*", "--yes", "--format", "json", "--out", "estate/knocks.ndjson", "estate"];
    let run = place.run(&[&call[..], more].concat());
    assert_eq!(run.code, 0, "{}", run.err);
    let told: Value = serde_json::from_str(&run.out).unwrap();
    assert_eq!(told["tries"].as_array().unwrap().len(), 1, "{told}");
    told["tries"][0].clone()
}

/// A server that answers as it is told and passes on what it was asked.
fn overheard(answer: &'static [u8]) -> (String, Receiver<String>) {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = listener.local_addr().unwrap();
    let (say, heard) = channel();
    std::thread::spawn(move || {
        for stream in listener.incoming() {
            let Ok(mut stream) = stream else { continue };
            let mut buffer = [0; 4096];
            let length = stream.read(&mut buffer).unwrap_or_default();
            let _ = stream.write_all(answer);
            let _ = say.send(String::from_utf8_lossy(&buffer[..length]).into_owned());
        }
    });
    (format!("http://{address}"), heard)
}

const FINE: &[u8] = b"HTTP/1.1 200 OK\r\ncontent-length: 0\r\nconnection: close\r\n\r\n";

#[test]
fn nothing_is_sent_unless_it_is_asked_for() {
    let (url, heard) = overheard(FINE);
    let place = place(&url, "none", "");
    let refused = place.run(&["knock", "estate"]);
    assert_eq!(refused.code, 2);
    assert!(refused.err.contains("nothing is tried unless it is named"), "{}", refused.err);
    let plan = place.run(&["knock", "--at", "sail*", "estate", "--out", "knocks.ndjson"]);
    assert_eq!(plan.code, 0, "{}", plan.err);
    assert!(plan.out.contains("sail/direct") && plan.out.contains("HEAD /"), "{}", plan.out);
    assert!(plan.out.contains("Nothing was sent."), "{}", plan.out);
    assert!(!place.path().join("knocks.ndjson").exists());
    assert!(heard.recv_timeout(Duration::from_millis(200)).is_err());
}

#[test]
fn a_try_shows_no_credential_and_says_what_it_is() {
    let (url, heard) = overheard(FINE);
    tried(&place(&format!("{url}/sail"), "none", ""), &[]);
    let asked = heard.recv_timeout(Duration::from_secs(5)).unwrap().to_lowercase();
    assert!(asked.starts_with("head /sail http/1.1\r\n"), "{asked}");
    assert!(asked.contains("user-agent: pasaporte-knock/"), "{asked}");
    for header in ["authorization", "cookie", "-key", "caller"] {
        assert!(!asked.contains(header), "{asked}");
    }
    // One try each.
    assert!(heard.recv_timeout(Duration::from_millis(200)).is_err());
}

/// Reading methods are tried with HEAD, others with OPTIONS; their own only when asked.
#[rstest]
#[case("", &[], "head")]
#[case(", methods: [GET, POST]", &[], "head")]
#[case(", methods: [POST]", &[], "options")]
#[case(", methods: [DELETE, GET]", &["--declared-method"], "delete")]
#[case("", &["--declared-method"], "get")]
fn the_method(#[case] methods: &str, #[case] more: &[&str], #[case] expected: &str) {
    let (url, heard) = overheard(FINE);
    let told = tried(&place(&url, "identity", methods), more);
    assert_eq!(told["method"], expected.to_uppercase());
    let asked = heard.recv_timeout(Duration::from_secs(5)).unwrap().to_lowercase();
    assert!(asked.starts_with(&format!("{expected} / ")), "{asked}");
}

/// What comes back, what that shows, and whether the estate says the same.
#[rstest]
#[case("identity", "200 OK", 200, "through", Some(false))]
#[case("none", "200 OK", 200, "through", Some(true))]
#[case("identity", "401 Unauthorized", 401, "turned-away", Some(true))]
#[case("none", "403 Forbidden", 403, "turned-away", Some(false))]
#[case("none, network: internal", "403 Forbidden", 403, "turned-away", None)]
#[case("identity", "422 Unprocessable Content", 422, "perhaps-through", Some(false))]
#[case("identity", "404 Not Found", 404, "unclear", None)]
#[case("identity", "503 Service Unavailable", 503, "unclear", None)]
fn what_an_answer_shows(
    #[case] check: &str,
    #[case] status: &str,
    #[case] code: u16,
    #[case] shows: &str,
    #[case] agrees: Option<bool>,
) {
    let answer = format!("HTTP/1.1 {status}\r\ncontent-length: 0\r\nconnection: close\r\n\r\n");
    let (url, _heard) = overheard(answer.leak().as_bytes());
    let place = place(&url, check, "");
    let told = tried(&place, &[]);
    assert_eq!((&told["status"], &told["shows"]), (&Value::from(code), &Value::from(shows)));
    assert_eq!(told["agrees"].as_bool(), agrees);
    // What got through although it should not have is a finding, once the audit reads what came back.
    let found = findings(&place.audit(&["estate", "--only", "entry/declared-otherwise"]));
    let expected = shows.ends_with("through") && agrees == Some(false);
    assert_eq!(!found.is_empty(), expected, "{found:?}");
}

/// What was mended since is no finding: the last try of a method counts.
#[rstest]
#[case("2026-11-18", 0)]
#[case("2026-11-20", 1)]
fn the_last_try_counts(#[case] open: &str, #[case] expected: usize) {
    let place = place("https://ferries.marivela.example", "identity", "");
    place.write(
        "estate/knocks.yaml",
        format!(
            "estate: 1
tries:
  - {{endpoint: sail/direct, method: HEAD, at: {open}, status: 200}}
  - {{endpoint: sail/direct, method: HEAD, at: 2026-11-19, status: 401}}
  - {{endpoint: sail/direct, method: OPTIONS, at: 2026-11-21, status: 401}}
"
        ),
    );
    assert_eq!(findings(&place.audit(&["estate", "--only", "entry/declared-otherwise"])).len(), expected);
}

/// Where no answer comes back it is said why, and nothing follows from it.
#[rstest]
#[case::cut_off(b"", "cut off")]
#[case::no_http(b"SSH-2.0-harbour\r\n", "")]
fn a_server_that_does_not_answer(#[case] answer: &'static [u8], #[case] why: &str) {
    let place = place(&always(answer), "none", "");
    let told = tried(&place, &[]);
    assert_eq!((&told["status"], &told["shows"]), (&Value::Null, &Value::from("unclear")));
    assert!(told["failed"].as_str().unwrap().contains(why), "{told}");
    assert!(place.audit(&["estate"])["findings"].is_array());
}

#[test]
fn a_refused_connection_is_told() {
    let free = TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap();
    let told = tried(&place(&format!("http://{free}"), "none", ""), &[]);
    assert_eq!(told["failed"], "connection refused");
}

#[test]
fn a_slow_answer_is_not_waited_for() {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let url = format!("http://{}", listener.local_addr().unwrap());
    let told = tried(&place(&url, "none", ""), &["--timeout", "1"]);
    assert_eq!(told["failed"], "no answer in time");
}

#[test]
fn a_certificate_that_proves_nothing_is_told() {
    let (url, pem) = expired();
    let place = place(&url, "none", "");
    place.write("authority.pem", pem);
    let told = tried(&place, &["--ca", "authority.pem"]);
    let why = told["failed"].as_str().unwrap();
    assert!(why.starts_with("its certificate proves nothing: "), "{why}");
    let told = tried(&place, &[]);
    assert!(told["failed"].as_str().unwrap().starts_with("its certificate proves nothing: "), "{told}");
}

#[test]
fn a_redirect_is_followed_on_its_own_host_only() {
    let (elsewhere, heard) = overheard(FINE);
    let leads = format!(
        "HTTP/1.1 302 Found\r\nlocation: {elsewhere}/\r\ncontent-length: 0\r\nconnection: close\r\n\r\n"
    );
    let told = tried(&place(&always(leads.leak().as_bytes()), "none", ""), &[]);
    assert_eq!((&told["status"], &told["shows"]), (&Value::from(302), &Value::from("unclear")));
    assert!(heard.recv_timeout(Duration::from_millis(200)).is_err(), "nothing went there");
    let round = b"HTTP/1.1 307 Temporary Redirect\r\nlocation: /again\r\ncontent-length: 0\r\nconnection: close\r\n\r\n";
    let (url, heard) = overheard(round);
    let told = tried(&place(&format!("{url}/first"), "none", ""), &[]);
    assert_eq!(told["failed"], "sent on in a circle");
    assert_eq!(heard.try_iter().filter(|asked| asked.starts_with("HEAD /again ")).count(), 3);
}

/// What may change something is sent once, and each step of the way keeps the pace.
#[test]
fn a_redirect_resends_nothing_that_may_change_something() {
    let round = b"HTTP/1.1 307 Temporary Redirect\r\nlocation: /again\r\ncontent-length: 0\r\nconnection: close\r\n\r\n";
    let (url, heard) = overheard(round);
    let told = tried(&place(&url, "none", ", methods: [DELETE]"), &["--declared-method"]);
    assert_eq!((&told["status"], &told["shows"]), (&Value::from(307), &Value::from("unclear")));
    assert_eq!(heard.try_iter().count(), 1);
    let (url, _heard) = overheard(round);
    let before = std::time::Instant::now();
    assert_eq!(tried(&place(&url, "none", ""), &["--pace", "10"])["failed"], "sent on in a circle");
    assert!(before.elapsed() >= Duration::from_millis(300), "four requests, a tenth of a second apart");
}

/// A list is consent where it names each and no try may change anything.
#[rstest]
#[case("sail/direct", &[], true)]
#[case("sail/*", &[], false)]
#[case("sail/direct", &["--declared-method"], false)]
#[case("sail/*", &["--declared-method", "--yes"], true)]
fn a_list_is_tried_where_that_is_harmless(#[case] list: &str, #[case] more: &[&str], #[case] is_sent: bool) {
    let (url, heard) = overheard(FINE);
    let place = place(&url, "none", ", methods: [POST]");
    place.write("list.txt", list);
    let run = place.run(&[&["knock", "--list", "list.txt", "estate"], more].concat());
    assert_eq!(run.code, 0, "{}", run.err);
    assert_eq!(run.out.contains("Nothing was sent."), !is_sent, "{}", run.out);
    assert_eq!(heard.recv_timeout(Duration::from_millis(300)).is_ok(), is_sent);
}

/// Whatever a server says, what is kept of it can be read.
#[rstest]
#[case("999 Tide")]
#[case("777 \u{202e}")]
fn evidence_can_be_read(#[case] status: &str) {
    let answer = format!("HTTP/1.1 {status}\r\ncontent-length: 0\r\nconnection: close\r\n\r\n");
    let place = place(&always(answer.leak().as_bytes()), "none", "");
    assert_eq!(tried(&place, &[])["shows"], "unclear");
    assert!(place.audit(&["estate"])["findings"].is_array());
}

#[test]
fn what_has_no_address_is_left_out() {
    let text = "estate: 1
functions:
  - {id: a, endpoints: [{check: none}]}
  - {id: b, endpoints: [{check: none, url: \"https://ferries.marivela.example/{day}\"}]}
";
    let place = Place::with("a.yaml", text);
    let run = place.run(&["knock", "--at", "*", "--yes", "a.yaml", "--format", "json"]);
    let told: Value = serde_json::from_str(&run.out).unwrap();
    assert_eq!(told["tries"], serde_json::json!([]));
    let why: Vec<&str> =
        told["left_out"].as_array().unwrap().iter().map(|it| it["why"].as_str().unwrap()).collect();
    assert_eq!(
        why,
        ["the estate does not say its address", "its address has a blank that somebody must fill"]
    );
}

#[rstest]
#[case(&["knock", "--at", "sial/direct", "estate"], "sail/direct")]
#[case(&["knock", "--at", "boat-*", "estate"], "no endpoint is like boat-*")]
#[case(&["knock", "--list", "gone.txt", "estate"], "gone.txt cannot be read")]
#[case(&["knock", "--list", "none.txt", "estate"], "none.txt names no endpoint")]
#[case(&["knock", "--at", "*", "--out", "knocks.txt", "estate"], "name a file that ends in .ndjson")]
#[case(&["knock", "--at", "*", "--yes", "--ca", "estate/ferry.yaml", "estate"], "there is no certificate in it")]
fn a_wrong_call_is_explained(#[case] args: &[&str], #[case] told: &str) {
    let place = place("http://127.0.0.1:9", "none", "");
    place.write("none.txt", "# nothing yet\n\n");
    let run = place.run(args);
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(run.err.contains(told), "{}", run.err);
}

#[test]
fn a_list_is_tried_at_once_and_its_evidence_read_by_the_audit() {
    let place = Place::new();
    let _platforms = Platforms::serve(&place.path().join("live"), &[]);
    place.write_what_is_not_gathered("estate");
    std::fs::remove_file(place.path().join("estate/knocks.ndjson")).unwrap();
    let run = place.run(&["gather", "--sources", "live/gather.toml", "--out", "estate", "--as-of", "none"]);
    assert_eq!(run.code, 0, "{}", run.err);
    place.write("list.txt", "manifest-export/direct\nendpoint:seat-map/direct\n# and\nsell-ticket/direct\n");
    let run = place.run(&[
        "knock",
        "--list",
        "list.txt",
        "--pace",
        "50",
        "--out",
        "estate/knocks.ndjson",
        "estate",
    ]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(run.out.contains("3 tried: 2 got through, 1 turned away, 0 show nothing."), "{}", run.out);
    let first = run.out.lines().nth(2).unwrap();
    assert!(
        first.starts_with("manifest-export/direct") && first.ends_with("OPEN, said to be closed"),
        "{first}"
    );
    let audit = place.audit(&["estate", "--only", "entry/declared-otherwise"]);
    let audit = audit["findings"].as_array().unwrap();
    let found = audit.iter().find(|it| it["thing"] == "endpoint:manifest-export/direct").unwrap();
    assert_eq!((&found["severity"], &found["sureness"]), (&"critical".into(), &"certain".into()));
    let told = found["situation"].as_str().unwrap();
    assert!(
        told.starts_with(
            "A try without a credential got through (HEAD, 200), although it is said to ask for a shared key."
        ),
        "{told}"
    );
}
