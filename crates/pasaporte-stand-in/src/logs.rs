//! Ninety days of logs of the sample world, some 200,000 lines in six formats; the same bytes every time.
//!
//! What they show was planted: a key in addresses, an admin key in ordinary use, an app's key used for one function, an
//! open endpoint that nobody calls without a key, one that the public calls, rights of which few are used, an identity that
//! never does anything, refused calls, logs of five days, and lines that nobody understands.

use std::fmt::Write;

use serde_json::json;

/// The last second of the logs: when the sample estate was true.
const END: i64 = 1_795_154_400;
/// How many days they cover.
const DAYS: i64 = 90;
const DAY: i64 = 86_400;

/// The seal of the sample world, which is no secret.
pub const SAMPLE_SEAL: &[u8; 32] = b"marivela ferries: sample, public";

/// The value of a key of the sample world, which is no secret either.
pub fn sample_value(key: &str) -> String {
    // Somebody tried the kiosks' key out where the tests run, and left it there.
    let key = if key == "gate-test-app" { "gate-app-default" } else { key };
    format!("marivela-sample-{key}-0001")
}

/// The keys of the sample world whose values its logs have.
pub const SEALED: [&str; 10] = [
    "gate-admin",
    "gate-app-default",
    "gate-test-app",
    "manifest-export-customs",
    "notices-reader",
    "open-gate-north",
    "refund-desk-app",
    "refund-pages-app",
    "scan-pass-north",
    "scan-pass-south",
];

/// The logs: names of files and what they hold.
pub fn sample_logs() -> Vec<(&'static str, String)> {
    let mut random = fastrand::Rng::with_seed(4711);
    vec![
        ("levante/traces.otlp.ndjson", levante_traces(&mut random)),
        ("levante/audit.ndjson", levante_audit(&mut random)),
        ("poniente/requests.ocsf.ndjson", poniente_requests(&mut random)),
        ("poniente/functions.otlp.ndjson", poniente_functions(&mut random)),
        ("poniente/kiosk-proxy.log", poniente_proxy(&mut random)),
        ("tramontana/calls.csv", tramontana(&mut random)),
        ("siroco/harbours.ndjson", siroco(&mut random)),
        ("gregal/api.ocsf.ndjson", gregal_api(&mut random)),
        ("gregal/front-door.log", gregal_front_door(&mut random)),
        ("lebeche/events.cloudevents.ndjson", lebeche(&mut random)),
    ]
}

/// Times of so many things a day over the last days, in order; more by day than by night.
fn times(random: &mut fastrand::Rng, days: i64, a_day: i64) -> Vec<i64> {
    let mut all: Vec<i64> = (0..days * a_day)
        .map(|number| {
            let noon = random.i64(0..DAY).midpoint(random.i64(0..DAY));
            END - (number / a_day + 1) * DAY + noon
        })
        .filter(|time| *time <= END)
        .collect();
    all.sort_unstable();
    all
}

/// A moment as RFC 3339 has it.
fn rfc3339(seconds: i64) -> String {
    let (year, month, day) = civil(seconds.div_euclid(DAY));
    let (hour, minute, second) = clock(seconds);
    format!("{year}-{month:02}-{day:02}T{hour:02}:{minute:02}:{second:02}Z")
}

/// A moment as access logs have it.
fn common(seconds: i64) -> String {
    const MONTHS: [&str; 12] =
        ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
    let (year, month, day) = civil(seconds.div_euclid(DAY));
    let (hour, minute, second) = clock(seconds);
    format!(
        "{day:02}/{}/{year}:{hour:02}:{minute:02}:{second:02} +0000",
        MONTHS[(month.unsigned_abs() as usize) - 1]
    )
}

fn clock(seconds: i64) -> (i64, i64, i64) {
    let of_day = seconds.rem_euclid(DAY);
    (of_day / 3600, of_day / 60 % 60, of_day % 60)
}

/// The date of a day since 1970: years counted from March.
fn civil(days: i64) -> (i64, i64, i64) {
    let shifted = days + 719_468;
    let era = shifted.div_euclid(146_097);
    let of_era = shifted.rem_euclid(146_097);
    let year_of_era = (of_era - of_era / 1460 + of_era / 36_524 - of_era / 146_096) / 365;
    let of_year = of_era - (365 * year_of_era + year_of_era / 4 - year_of_era / 100);
    let from_march = (5 * of_year + 2) / 153;
    let day = of_year - (153 * from_march + 2) / 5 + 1;
    let month = if from_march < 10 { from_march + 3 } else { from_march - 9 };
    (year_of_era + era * 400 + i64::from(month <= 2), month, day)
}

fn one<T: Copy>(random: &mut fastrand::Rng, of: &[T]) -> T {
    of[random.usize(..of.len())]
}

/// An address of somebody on the internet; the documentation has no other (RFC 5737).
fn stranger(random: &mut fastrand::Rng) -> String {
    let net = one(random, &["192.0.2", "198.51.100", "203.0.113"]);
    format!("{net}.{}", random.u8(1..255))
}

/// Calls of the ticket desk, as spans: those of passengers to the seat map, which asks for nothing; of people to selling.
fn levante_traces(random: &mut fastrand::Rng) -> String {
    let mut log = String::new();
    let mut spans = Vec::new();
    for at in times(random, DAYS, 400) {
        let (path, method, user, status) = match random.u8(..100) {
            0..62 => ("/seats", "GET", None, 200),
            62..92 => ("/sell", "POST", Some("refund-check-role"), 200),
            92..95 => ("/sell", "POST", None, 401),
            _ => ("/refunds/check", "POST", Some("refund-check-role"), 200),
        };
        let client = stranger(random);
        let mut attributes = vec![
            json!({"key": "http.request.method", "value": {"stringValue": method}}),
            json!({"key": "url.path", "value": {"stringValue": path}}),
            json!({"key": "server.address", "value": {"stringValue": "tickets.marivela.example"}}),
            json!({"key": "http.response.status_code", "value": {"intValue": status.to_string()}}),
            json!({"key": "client.address", "value": {"stringValue": client}}),
        ];
        attributes.extend(user.map(|user| json!({"key": "enduser.id", "value": {"stringValue": user}})));
        spans.push(json!({
            "traceId": format!("{:032x}", random.u128(..)), "spanId": format!("{:016x}", random.u64(..)),
            "kind": 2, "startTimeUnixNano": format!("{at}000000000"), "attributes": attributes,
        }));
        if spans.len() == 8 {
            let batch = std::mem::take(&mut spans);
            let _ = writeln!(
                log,
                "{}",
                json!({"resourceSpans": [{"resource": {"attributes": []}, "scopeSpans": [{"spans": batch}]}]})
            );
        }
    }
    log
}

/// What the ticket desk's roles did, in our own lines, which say what they cover.
fn levante_audit(random: &mut fastrand::Rng) -> String {
    let (from, to) = (rfc3339(END - DAYS * DAY), rfc3339(END));
    let mut log = String::new();
    let covered: [(&str, &[&str]); 4] = [
        ("tickets", &["table/*", "bucket/*", "queue/*", "topic/*", "function/*", "access/*"]),
        ("boarding", &["table/*", "queue/*"]),
        ("tides", &["bucket/*"]),
        ("lost-property", &["bucket/*"]),
    ];
    for (account, actions) in covered {
        let _ = writeln!(
            log,
            "{}",
            json!({"covers": {"in": account, "actions": actions, "from": from, "to": to}})
        );
    }
    for at in times(random, DAYS, 700) {
        let (who, did, to, outcome) = match random.u16(..1000) {
            0..420 => ("sell-ticket-role", "table/read", "table:bookings", "allowed"),
            420..560 => ("sell-ticket-role", "table/write", "table:bookings", "allowed"),
            560..700 => ("sell-ticket-role", "queue/send", "queue:paid-orders", "allowed"),
            700..860 => ("seat-map-role", "bucket/read", "bucket:seat-maps", "allowed"),
            860..900 => ("ticket-pdf-role", "bucket/write", "bucket:tickets-pdf", "allowed"),
            900..960 => ("gate-app-identity", "table/read", "table:boarding-passes", "allowed"),
            960..985 => ("gauge-reader", "bucket/read", "bucket:gauge-raw", "allowed"),
            985..995 => ("fare-role", "table/read", "table:fares", "refused"),
            _ => ("sell-ticket-role", "bucket/write", "bucket:seat-maps", "refused"),
        };
        let time = rfc3339(at);
        let _ = writeln!(
            log,
            "{{\"time\":\"{time}\",\"who\":\"identity:{who}\",\"did\":\"{did}\",\"to\":\"{to}\",\"outcome\":\"{outcome}\",\"client\":\"10.12.{}.7\"}}",
            random.u8(..4)
        );
    }
    for at in times(random, DAYS, 60) {
        let (function, through, service) = match random.u8(..12) {
            0..5 => ("ticket-pdf", "queue:paid-orders", "queue"),
            5..7 => ("scan-passport", "bucket:passport-scans", "object-store"),
            7..9 => ("count-scans", "bucket:passport-scans", "object-store"),
            9 => ("thumbnail-seat-map", "bucket:seat-maps", "object-store"),
            10 => ("fare-import", "trigger:fare-import/on/timer", "timer"),
            _ => ("voucher-mail", "trigger:voucher-mail/on/timer", "timer"),
        };
        let time = rfc3339(at);
        let _ = writeln!(
            log,
            "{{\"time\":\"{time}\",\"who\":\"service:{service}\",\"did\":\"function/invoke\",\"to\":\"function:{function}\",\"through\":\"{through}\"}}"
        );
    }
    log
}

/// Calls at the gates, with all headers: with keys of their own, and with the one that manages the app.
fn poniente_requests(random: &mut fastrand::Rng) -> String {
    let mut log = String::new();
    for at in times(random, DAYS, 450) {
        let (path, key, method, status) = match random.u8(..100) {
            0..50 => ("/scan", Some("scan-pass-north"), "POST", 200),
            50..62 => ("/scan", Some("gate-admin"), "POST", 200),
            62..82 => ("/open", Some("open-gate-north"), "POST", 200),
            82..94 => ("/preview", Some("manifest-export-customs"), "GET", 200),
            94..97 => ("/manifest", Some("manifest-export-customs"), "GET", 200),
            _ => ("/open", None, "POST", 401),
        };
        let mut headers = vec![json!({"name": "accept", "value": "application/json"})];
        headers.extend(key.map(|key| json!({"name": "x-function-key", "value": sample_value(key)})));
        let _ = writeln!(
            log,
            "{}",
            json!({
                "class_uid": 4002, "activity_id": 1, "time": at * 1000, "metadata": {"version": "1.3.0", "uid": format!("{:016x}", random.u64(..))},
                "src_endpoint": {"ip": format!("198.51.100.{}", random.u8(10..14))},
                "http_request": {"http_method": method, "url": {"hostname": "boarding.marivela.example", "path": path}, "http_headers": headers},
                "http_response": {"code": status},
            })
        );
    }
    log
}

/// What a function at the gates wrote: when it tries again, it writes down with what.
fn poniente_functions(random: &mut fastrand::Rng) -> String {
    let mut log = String::new();
    for at in times(random, DAYS, 10) {
        let said = match random.u8(..100) {
            0..98 => "gate opened".to_owned(),
            _ => format!("gate did not answer, trying again with key={}", sample_value("open-gate-north")),
        };
        let record = json!({"timeUnixNano": format!("{at}000000000"), "body": {"stringValue": said}});
        let function = json!({"key": "faas.name", "value": {"stringValue": "open-gate"}});
        let _ = writeln!(
            log,
            "{}",
            json!({"resourceLogs": [{"resource": {"attributes": [function]}, "scopeLogs": [{"logRecords": [record]}]}]})
        );
    }
    log
}

/// What the proxy in front of two old kiosks wrote: their key stands in the address.
fn poniente_proxy(random: &mut fastrand::Rng) -> String {
    let mut log = String::new();
    for at in times(random, DAYS, 150) {
        let _ = writeln!(
            log,
            "boarding.marivela.example 203.0.113.{} - - [{}] \"POST /scan?code={} HTTP/1.1\" 200 {} \"-\" \"kiosk/2\"",
            one(random, &[21, 22]),
            common(at),
            sample_value("scan-pass-south"),
            random.u16(40..90),
        );
        // The proxy writes its own troubles among them now and then.
        if random.u16(..400) == 0 {
            log.push_str("proxy: upstream timed out, trying again\n");
        }
    }
    log
}

/// Calls of the tide table, which is for everybody.
fn tramontana(random: &mut fastrand::Rng) -> String {
    let mut log = "time,host,path,method,status,showed,client\n".to_owned();
    for at in times(random, DAYS, 250) {
        let client = stranger(random);
        let _ = writeln!(log, "{},tides.marivela.example,/board,GET,200,nothing,{client}", rfc3339(at));
    }
    log
}

/// What the harbours' functions did in the last five days; older logs were not kept.
fn siroco(random: &mut fastrand::Rng) -> String {
    let (from, to) = (rfc3339(END - 5 * DAY), rfc3339(END));
    let mut log = format!("{}\n", json!({"covers": {"in": "harbours", "from": from, "to": to}}));
    for at in times(random, 5, 300) {
        let time = rfc3339(at);
        let line = match random.u8(..10) {
            0..7 => format!(
                "\"host\":\"harbours.marivela.example\",\"path\":\"/notices\",\"method\":\"GET\",\"status\":200,\"showed\":\"nothing\",\"client\":\"{}\"",
                stranger(random)
            ),
            _ => "\"who\":\"identity:berth-notice\",\"did\":\"berth/look\"".to_owned(),
        };
        let _ = writeln!(log, "{{\"time\":\"{time}\",{line}}}");
    }
    log
}

/// What the refund desk's role did: it reads cases, and nothing else that it may.
fn gregal_api(random: &mut fastrand::Rng) -> String {
    let mut log = String::new();
    for at in times(random, DAYS, 200) {
        let (operation, resource, status, code) = match random.u8(..100) {
            0..97 => ("read", "refund-cases", 1, "200"),
            _ => ("write", "bookings", 2, "403"),
        };
        let _ = writeln!(
            log,
            "{}",
            json!({
                "class_uid": 6003, "activity_id": 2, "time": at * 1000, "status_id": status, "status_code": code,
                "metadata": {"version": "1.3.0", "uid": format!("{:016x}", random.u64(..))},
                "actor": {"user": {"uid": "refund-desk-role"}}, "api": {"operation": operation, "service": {"name": "table"}},
                "resources": [{"uid": resource, "type": "table"}], "src_endpoint": {"ip": "10.30.0.4"},
            })
        );
    }
    log
}

/// Calls at the gateway of the refund desk, and of two pages.
fn gregal_front_door(random: &mut fastrand::Rng) -> String {
    let mut log = String::new();
    for at in times(random, DAYS, 200) {
        let (host, target, status) = match random.u8(..100) {
            0..55 => ("front-door.marivela.example", "/refund".to_owned(), 200),
            55..60 => ("front-door.marivela.example", "/refund/status".to_owned(), 401),
            60..80 => (
                "front-door.marivela.example",
                format!("/refund/status?key={}", sample_value("refund-desk-app")),
                200,
            ),
            _ => ("refunds.marivela.example", format!("/faq?key={}", sample_value("refund-pages-app")), 200),
        };
        let user = if target == "/refund" { "-" } else { "desk" };
        let _ = writeln!(
            log,
            "{host} {} - {user} [{}] \"GET {target} HTTP/2\" {status} {} \"https://www.marivela.example/\" \"browser\" 0.0{}",
            stranger(random),
            common(at),
            random.u16(200..900),
            random.u8(10..99),
        );
    }
    log
}

/// What happened at the lost-property desk and the notice board, as events.
fn lebeche(random: &mut fastrand::Rng) -> String {
    let mut log = String::new();
    for at in times(random, DAYS, 120) {
        let id = format!("{:016x}", random.u64(..));
        let time = rfc3339(at);
        let event = match random.u8(..10) {
            0..5 => json!({
                "specversion": "1.0", "id": id, "source": "/sites/notices", "type": "request.answered", "time": time,
                "data": {"host": "finds.marivela.example", "path": "/read", "method": "GET", "status": 200, "key": sample_value("notices-reader"), "client": format!("192.0.2.{}", random.u8(1..5))},
            }),
            5..8 => json!({
                "specversion": "1.0", "id": id, "source": "bucket:found-photos", "type": "object.made", "time": time,
                "function": "resize-photo", "who": "service:object-store",
            }),
            _ => json!({
                "specversion": "1.0", "id": id, "source": "/sites/lost-property", "type": "action.done", "time": time,
                "data": {"who": "identity:photo-worker", "did": "bucket/write", "to": "bucket:found-photos"},
            }),
        };
        let _ = writeln!(log, "{event}");
        // A few were delivered twice.
        if random.u16(..500) == 0 {
            let _ = writeln!(log, "{event}");
        }
    }
    log
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_same_lines_come_every_time_and_they_are_many() {
        let (one, other) = (sample_logs(), sample_logs());
        assert_eq!(one, other);
        let lines: usize = one.iter().map(|(_, log)| log.lines().count()).sum();
        let spans: usize = one.iter().map(|(_, log)| log.matches("\"traceId\"").count()).sum();
        assert!((190_000..260_000).contains(&(lines + spans)), "{}", lines + spans);
    }

    #[test]
    fn dates_are_those_of_the_calendar() {
        assert_eq!(rfc3339(END), "2026-11-20T06:00:00Z");
        assert_eq!(rfc3339(951_782_400), "2000-02-29T00:00:00Z");
        assert_eq!(common(0), "01/Jan/1970:00:00:00 +0000");
    }
}
