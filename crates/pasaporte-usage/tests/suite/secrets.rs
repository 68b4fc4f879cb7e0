//! No secret of a log is written, told, or kept, whichever field it stands in.

use crate::support::{digested, estate, wanted, written};
use pasaporte_usage::Format;
use rstest::rstest;

/// A secret that no check of ids would take for one, and one of another look.
const SECRETS: [&str; 3] = [
    "Zq7-hidden-5Xw2Lk9Pd4Rt",
    "Zq7hiddenZq7hiddenZq7hidden12",
    "eyJhbGciOiJIUzI1NiJ9.eyJ4IjoxfQ.Zq7hiddenhiddenhidden",
];

/// A log in which `SECRET` stands in every field where somebody could put one.
#[rstest]
#[case::plain(Format::Plain, r#"{"time":"2026-11-01T00:00:00Z","endpoint":"sell/direct","method":"SECRET","path":"/SECRET/SECRET?code=SECRET&SECRET=1#SECRET","status":200,"key":"SECRET","user":"SECRET","issuer":"SECRET","client":"SECRET","host":"SECRET","text":"code=SECRET","id":"SECRET","SECRET":"SECRET"}
{"time":"2026-11-01T00:00:00Z","host":"tickets.marivela.example","path":"/nowhere/SECRET?code=SECRET","method":"GET"}
{"time":"2026-11-01T00:00:00Z","who":"identity:sell-role","did":"table/read","to":"SECRET","through":"SECRET","outcome":"SECRET"}
{"time":"SECRET","who":"SECRET"}
{"time":"2026-11-01T00:00:00Z","who":"user:SECRET SECRET","did":"table/read"}
{"covers":{"in":"SECRET","actions":["SECRET"]}}
SECRET
"#)]
#[case::csv(
    Format::Table,
    "time,endpoint,path,method,key,user,SECRET\n2026-11-01,sell/direct,/sell?code=SECRET,SECRET,SECRET,SECRET,SECRET\nSECRET,SECRET\n"
)]
#[case::access(
    Format::Access,
    "tickets.marivela.example SECRET SECRET SECRET [01/Nov/2026:11:00:00 +0100] \"SECRET /sell/SECRET?code=SECRET SECRET\" 200 SECRET \"https://a.example/?code=SECRET\" \"SECRET\" SECRET\nSECRET SECRET - - [SECRET] \"SECRET\" SECRET SECRET\n"
)]
#[case::opentelemetry(Format::OpenTelemetry, r#"{"resourceLogs":[{"resource":{"attributes":[{"key":"faas.name","value":{"stringValue":"sell"}},{"key":"SECRET","value":{"stringValue":"SECRET"}}]},"scopeLogs":[{"logRecords":[{"timeUnixNano":"1793527200000000000","traceId":"SECRET","spanId":"SECRET","body":{"stringValue":"token=SECRET SECRET"},"attributes":[{"key":"url.path","value":{"stringValue":"/sell/SECRET"}},{"key":"url.query","value":{"stringValue":"code=SECRET"}},{"key":"server.address","value":{"stringValue":"tickets.marivela.example"}},{"key":"http.request.header.authorization","value":{"stringValue":"Bearer SECRET"}},{"key":"http.request.header.SECRET","value":{"stringValue":"SECRET"}},{"key":"enduser.id","value":{"stringValue":"SECRET"}},{"key":"client.address","value":{"stringValue":"SECRET"}},{"key":"http.request.method","value":{"stringValue":"SECRET"}}]}]}]}]}
{"resourceLogs":"SECRET"}
"#)]
#[case::ocsf(Format::Ocsf, r#"{"class_uid":4002,"time":1793527200000,"metadata":{"uid":"SECRET"},"actor":{"user":{"uid":"SECRET","name":"SECRET"}},"src_endpoint":{"ip":"SECRET"},"http_request":{"http_method":"SECRET","url":{"hostname":"tickets.marivela.example","path":"/sell/SECRET","query_string":"code=SECRET"},"http_headers":[{"name":"authorization","value":"SECRET"},{"name":"SECRET","value":"SECRET"}]},"http_response":{"code":200}}
{"class_uid":6003,"time":1793527200000,"actor":{"user":{"uid":"SECRET SECRET"}},"api":{"operation":"SECRET"},"resources":[{"uid":"SECRET","type":"SECRET"}]}
"#)]
#[case::cloudevents(Format::CloudEvents, r#"{"specversion":"1.0","id":"SECRET","source":"SECRET","subject":"SECRET","time":"2026-11-01T00:00:00Z","function":"sell","data":{"SECRET":"SECRET","user":"SECRET"}}
{"specversion":"1.0","id":"1","source":"SECRET","time":"2026-11-01T00:00:00Z","data":{"endpoint":"sell/direct","method":"GET","key":"SECRET","path":"/x?code=SECRET"}}
{"specversion":"SECRET"}
"#)]
fn no_secret_of_a_log_is_written_or_told(#[case] format: Format, #[case] log: &str) {
    for secret in SECRETS {
        // In a user, who may be anybody, only what is like a secret is covered.
        let log = log.replace("SECRET", secret);
        let wanted = pasaporte_usage::Wanted { read_as: Some(format), ..wanted() };
        let it = digested(&estate(&[]), &[log.as_bytes()], &wanted);
        assert!(it.told.events > 0, "{format}");
        let out = format!("{}{:?}", written(&it), it.told);
        assert!(!out.contains(secret), "{format}: {out}");
        let middle = &secret[4..16];
        assert!(!out.contains(middle), "{format}: {out}");
        // What is written for unknown keys is no more than a keyed hash.
        assert!(!format!("{:?}", it.ledger).contains(middle), "{format}: {:?}", it.ledger);
    }
}
