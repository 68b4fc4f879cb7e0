//! What lines of each format come to.

use crate::support::{KIOSK, digest_of, entities, rows};
use pasaporte_usage::{Format, recognise};
use rstest::rstest;

const SELL: &str = r#"called {"answer":"2xx","came_from":"internet","endpoint":"sell/direct","method":"GET","showed":"unsaid"}"#;

#[rstest]
#[case::plain_call(
    r#"{"time":"2026-11-01T10:00:00Z","host":"tickets.marivela.example","path":"/sell/tern","method":"get","status":200,"client":"203.0.113.9"}"#,
    &[SELL]
)]
#[case::plain_with_escapes(
    r#"{"time":"2026-11-01T10:00:00Z","host":"tickets.marivela.example","path":"\/sell\/tern","method":"GET","status":"200","client":"203.0.113.9","more":{"x":1}}"#,
    &[SELL]
)]
#[case::common(
    r#"tickets.marivela.example 203.0.113.9 - - [01/Nov/2026:11:00:00 +0100] "GET /sell/tern HTTP/1.1" 200 512"#,
    &[SELL]
)]
#[case::combined_with_duration(
    r#"tickets.marivela.example:443 203.0.113.9 - - [01/Nov/2026:11:00:00 +0100] "GET /sell/tern HTTP/2" 204 0 "https://a.example/" "a \"quoted\" agent" 0.012"#,
    &[SELL]
)]
#[case::absolute_target(
    r#"203.0.113.9 - - [01/Nov/2026:11:00:00 +0100] "GET https://tickets.marivela.example/sell/tern HTTP/1.1" 200 512"#,
    &[SELL]
)]
#[case::span_with_new_names(
    r#"{"resourceSpans":[{"resource":{"attributes":[]},"scopeSpans":[{"spans":[{"traceId":"t","spanId":"s","kind":2,"startTimeUnixNano":"1793527200000000000","attributes":[{"key":"http.request.method","value":{"stringValue":"GET"}},{"key":"url.path","value":{"stringValue":"/sell/tern"}},{"key":"server.address","value":{"stringValue":"tickets.marivela.example"}},{"key":"http.response.status_code","value":{"intValue":"200"}},{"key":"client.address","value":{"stringValue":"203.0.113.9"}}]}]}]}]}"#,
    &[SELL]
)]
#[case::record_with_old_names(
    r#"{"resourceLogs":[{"scopeLogs":[{"logRecords":[{"timeUnixNano":"1793527200000000000","attributes":[{"key":"http.method","value":{"stringValue":"GET"}},{"key":"http.target","value":{"stringValue":"/sell/tern"}},{"key":"http.host","value":{"stringValue":"tickets.marivela.example"}},{"key":"http.status_code","value":{"intValue":200}},{"key":"net.peer.ip","value":{"stringValue":"203.0.113.9"}}]}]}]}]}"#,
    &[SELL]
)]
#[case::http_activity(
    r#"{"class_uid":4002,"time":1793527200000,"src_endpoint":{"ip":"203.0.113.9"},"http_request":{"http_method":"GET","url":{"hostname":"tickets.marivela.example","path":"/sell/tern"}},"http_response":{"code":200}}"#,
    &[SELL]
)]
#[case::http_activity_with_all_headers(
    r#"{"class_uid":4002,"time":1793527200000,"http_request":{"http_method":"GET","url":{"url_string":"https://tickets.marivela.example/sell/tern"},"http_headers":[{"name":"Accept","value":"*"}]},"http_response":{"code":401}}"#,
    &[r#"called {"answer":"turned-away","came_from":"unsaid","endpoint":"sell/direct","method":"GET","showed":"nothing"}"#]
)]
#[case::api_activity(
    r#"{"class_uid":6003,"time":1793527200000,"status_id":1,"actor":{"user":{"uid":"c-4711"}},"api":{"operation":"read","service":{"name":"table"}},"resources":[{"uid":"bookings","type":"table"}]}"#,
    &[r#"used {"did":"table/read","to":"table:bookings","who":"identity:sell-role"}"#]
)]
#[case::api_activity_refused(
    r#"{"class_uid":6003,"time":1793527200000,"status_id":2,"status_code":"403","actor":{"user":{"uid":"ines"}},"api":{"operation":"table/read"},"resources":[{"uid":"table:bookings"}]}"#,
    &[r#"used {"did":"table/read","outcome":"refused","to":"table:bookings","who":"user:ines"}"#]
)]
#[case::api_activity_that_failed_otherwise(
    r#"{"class_uid":6003,"time":1793527200000,"status_id":2,"status_code":"404","actor":{"user":{"uid":"ines"}},"api":{"operation":"table/read"},"resources":[{"uid":"table:bookings"}]}"#,
    &[r#"used {"did":"table/read","to":"table:bookings","who":"user:ines"}"#]
)]
#[case::another_class(r#"{"class_uid":1001,"time":1793527200000}"#, &[])]
#[case::event_with_our_fields(
    r#"{"specversion":"1.0","id":"1","source":"/audit","type":"used","time":"2026-11-01T10:00:00Z","data":{"who":"identity:sell-role","did":"queue/send","to":"queue:refunds","count":3}}"#,
    &[r#"used {"count":3,"did":"queue/send","to":"queue:refunds","who":"identity:sell-role"}"#]
)]
#[case::event_that_made_a_function_run(
    r#"{"specversion":"1.0","id":"1","source":"queue:refunds","type":"arrived","time":"2026-11-01T10:00:00Z","function":"sell","data":"…"}"#,
    &[r#"used {"did":"function/invoke","through":"sell/on/queue:refunds","to":"function:sell","who":"service:queue"}"#]
)]
#[case::batch(
    r#"[{"specversion":"1.0","id":"1","source":"a","time":"2026-11-01T10:00:00Z","data":{"who":"ines","did":"table/read"}},{"specversion":"1.0","id":"2","source":"a","time":"2026-11-01T10:00:00Z","data":{"who":"ines","did":"table/read"}}]"#,
    &[r#"used {"count":2,"did":"table/read","who":"user:ines"}"#]
)]
#[case::csv(
    "time,who,did,to,outcome\n2026-11-01T10:00:00Z,identity:sell-role,table/read,table:bookings,refused\n",
    &[r#"used {"did":"table/read","outcome":"refused","to":"table:bookings","who":"identity:sell-role"}"#]
)]
#[case::table_with_quotes(
    "time,host,path,method,status,client\n2026-11-01T10:00:00Z,\"tickets.marivela.example\",\"/sell/a,b\",GET,200,203.0.113.9\n",
    &[SELL]
)]
fn a_line_comes_to(#[case] log: &str, #[case] expected: &[&str]) {
    assert_eq!(rows(None, log), expected);
}

#[rstest]
#[case::of_a_key_in_the_address("/sell/tern?boarding-code=North-Quay-77-hatch", r#""key:kiosk""#, true)]
#[case::packed_in_percent("/sell/tern?code=North%2DQuay%2D77%2Dhatch", r#""key:kiosk""#, true)]
#[case::of_another("/sell/tern?code=South-Quay-1234", r#""unknown-key:"#, true)]
#[case::of_no_key("/sell/tern?boat=North-Quay-77-hatch", r#""unsaid""#, false)]
#[case::empty("/sell/tern?code=", r#""unsaid""#, false)]
fn what_is_shown_in_an_address(#[case] path: &str, #[case] showed: &str, #[case] seen: bool) {
    let line = format!(
        r#"tickets.marivela.example 203.0.113.9 - - [01/Nov/2026:11:00:00 +0100] "GET {path} HTTP/1.1" 200 5"#
    );
    let rows = rows(None, &line);
    assert!(rows[0].contains(&format!("\"showed\":{showed}")), "{rows:?}");
    assert_eq!(rows.iter().any(|row| row.starts_with("seen") && row.contains("request-url")), seen);
    assert!(!rows.concat().contains("Quay"));
}

#[rstest]
#[case::key("x-api-key", KIOSK, r#""key:kiosk""#)]
#[case::bearer("authorization", &format!("Bearer {KIOSK}"), r#""key:kiosk""#)]
#[case::basic("authorization", "Basic aW5lczp0aWRl", r#""unsaid""#)]
#[case::token(
    "authorization",
    "Bearer eyJhbGciOiJIUzI1NiJ9.eyJpc3MiOiJodHRwczovL3Bhc3NlcyIsInN1YiI6ImtpbzEifQ.c2ln",
    r#"{"issuer":"https://passes","subject":"~"#
)]
#[case::another_header("accept", KIOSK, r#""unsaid""#)]
fn what_is_shown_in_a_header(#[case] name: &str, #[case] value: &str, #[case] showed: &str) {
    let line = format!(
        r#"{{"resourceSpans":[{{"scopeSpans":[{{"spans":[{{"kind":2,"startTimeUnixNano":"1793527200000000000","attributes":[{{"key":"url.path","value":{{"stringValue":"/sell/tern"}}}},{{"key":"server.address","value":{{"stringValue":"tickets.marivela.example"}}}},{{"key":"http.request.header.{name}","value":{{"arrayValue":{{"values":[{{"stringValue":"{value}"}}]}}}}}}]}}]}}]}}]}}"#
    );
    assert!(rows(None, &line)[0].contains(&format!("\"showed\":{showed}")), "{:?}", rows(None, &line));
}

#[rstest]
#[case::named("level=info token=North-Quay-77-hatch ok", true)]
#[case::quoted(r#"{\"api_key\": \"North-Quay-77-hatch\"}"#, true)]
#[case::bare("got North-Quay-77-hatch from the desk", false)]
#[case::another("token=South-Quay-99-hatch", false)]
fn a_key_in_what_code_writes_is_seen(#[case] body: &str, #[case] is_seen: bool) {
    let line = format!(
        r#"{{"resourceLogs":[{{"resource":{{"attributes":[{{"key":"faas.name","value":{{"stringValue":"sell"}}}}]}},"scopeLogs":[{{"logRecords":[{{"timeUnixNano":"1793527200000000000","body":{{"stringValue":"{body}"}}}}]}}]}}]}}"#
    );
    let expected = r#"seen {"on":"function:sell","place":"log-text","showed":"key:kiosk"}"#;
    assert_eq!(rows(None, &line), if is_seen { vec![expected] } else { vec![] });
}

#[test]
fn a_gateway_is_a_host_too_and_a_function_with_one_way_in_is_found_by_name() {
    let line = |fields: &str| format!("{{\"time\":\"2026-11-01T10:00:00Z\",\"method\":\"GET\",{fields}}}");
    let route = rows(None, &line(r#""host":"front","path":"/sell""#));
    assert!(route[0].contains("sell/front/sell"), "{route:?}");
    let tide = rows(None, &line(r#""function":"tide","path":"/anything""#));
    assert!(tide[0].contains("tide/direct"), "{tide:?}");
    // Of two ways in, which it was is not known.
    assert_eq!(rows(None, &line(r#""function":"sell","path":"/anything""#)), Vec::<String>::new());
}

#[test]
fn spans_of_calls_that_code_makes_are_no_calls_of_it() {
    let span = r#"{"resourceSpans":[{"scopeSpans":[{"spans":[{"kind":3,"startTimeUnixNano":"1793527200000000000","attributes":[{"key":"url.full","value":{"stringValue":"https://tickets.marivela.example/sell/tern"}}]}]}]}]}"#;
    assert_eq!(rows(None, span), Vec::<String>::new());
}

#[test]
fn a_document_of_many_lines_is_read_as_one() {
    let pretty = "[\n  {\n    \"specversion\": \"1.0\", \"id\": \"1\", \"source\": \"a\",\n    \"time\": \"2026-11-01T10:00:00Z\",\n    \"data\": {\"who\": \"ines\", \"did\": \"table/read\"}\n  }\n]\n";
    assert_eq!(rows(None, pretty), [r#"used {"did":"table/read","who":"user:ines"}"#]);
}

#[test]
fn times_and_clients_are_kept_as_first_last_and_how_many() {
    let log = ["2026-11-03T00:00:00Z", "2026-11-01T00:00:00+02:00", "2026-11-02T00:00:00Z"]
        .map(|time| {
            format!("{{\"time\":\"{time}\",\"who\":\"ines\",\"did\":\"table/read\",\"client\":\"{time}\"}}\n")
        })
        .concat();
    let used = entities(&digest_of(&[log.as_bytes()]), "used");
    assert_eq!(
        (&used[0]["first"], &used[0]["last"]),
        (&"2026-10-31T22:00:00Z".into(), &"2026-11-03T00:00:00Z".into())
    );
    assert_eq!(used[0]["clients"].as_array().unwrap().len(), 3);
}

#[rstest]
#[case(r#"{"time":"x"}"#, Some(Format::Plain))]
#[case("time,who,did", Some(Format::Table))]
#[case("a - - [01/Nov/2026:11:00:00 +0100] \"GET / HTTP/1.1\" 200 5", Some(Format::Access))]
#[case("::1 - - [01/Nov/2026:11:00:00 +0100] \"GET / HTTP/1.1\" 200 5", Some(Format::Access))]
#[case("{\"resourceLogs\":[]}", Some(Format::OpenTelemetry))]
#[case("{\n \"resourceSpans\": []}", Some(Format::OpenTelemetry))]
#[case("{\"class_uid\":4002}", Some(Format::Ocsf))]
#[case("[{\"specversion\":\"1.0\"}]", Some(Format::CloudEvents))]
#[case("damaged\n{\"class_uid\":4002}", Some(Format::Ocsf))]
#[case("a letter to the harbour master", None)]
#[case("", None)]
fn formats_are_recognised(#[case] log: &str, #[case] format: Option<Format>) {
    assert_eq!(recognise(log.as_bytes()), format);
}
