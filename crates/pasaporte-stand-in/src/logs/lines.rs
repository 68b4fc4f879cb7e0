//! What each log of the sample world says. What it shows was planted (`logs/mod.rs`).

use serde_json::json;

use super::{Covered, DAYS, KEPT, Log, Writing, common, one, rfc3339, sample_value, stranger};

impl Writing {
    /// Calls of the ticket desk, as spans: those of passengers to the seat map, which asks for nothing; of people to selling.
    pub(super) fn levante_traces(&mut self) -> Log {
        let mut log = Log::default();
        let mut spans = Vec::new();
        for at in self.times(DAYS, 400) {
            let (random, moved) = (&mut self.random, &self.moved);
            let (path, method, user, status) = match random.u8(..100) {
                0..62 => ("/seats", "GET", None, 200),
                62..92 => ("/sell", "POST", Some("refund-check-role"), 200),
                92..95 => ("/sell", "POST", None, 401),
                _ => ("/refunds/check", "POST", Some("refund-check-role"), 200),
            };
            let client = stranger(random);
            let (host, path) = Self::at(moved, "tickets.marivela.example", path);
            let mut attributes = vec![
                json!({"key": "http.request.method", "value": {"stringValue": method}}),
                json!({"key": "url.path", "value": {"stringValue": path}}),
                json!({"key": "server.address", "value": {"stringValue": host}}),
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
                log.lines.push((at, format!("{}",
                json!({"resourceSpans": [{"resource": {"attributes": []}, "scopeSpans": [{"spans": batch}]}]})
            )));
            }
        }
        log
    }

    /// What the ticket desk's roles did, in our own lines, which say what they cover.
    pub(super) fn levante_audit(&mut self) -> Log {
        let covers: Vec<Covered> = vec![
            ("tickets", &["table/*", "bucket/*", "queue/*", "topic/*", "function/*", "access/*"], DAYS),
            ("boarding", &["table/*", "queue/*"], DAYS),
            ("tides", &["bucket/*"], DAYS),
            ("lost-property", &["bucket/*"], DAYS),
        ];
        let mut log = Log { covers, ..Log::default() };
        for at in self.times(DAYS, 700) {
            let random = &mut self.random;
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
            log.lines.push((at, format!("{{\"time\":\"{time}\",\"who\":\"identity:{who}\",\"did\":\"{did}\",\"to\":\"{to}\",\"outcome\":\"{outcome}\",\"client\":\"10.12.{}.7\"}}",
            random.u8(..4)
        )));
        }
        for at in self.times(DAYS, 60) {
            let random = &mut self.random;
            let (function, through, service) = match random.u8(..12) {
                0..5 => ("ticket-pdf", "queue:paid-orders", "queue"),
                5..7 => ("scan-passport", "bucket:passport-scans", "object-store"),
                7..9 => ("count-scans", "bucket:passport-scans", "object-store"),
                9 => ("thumbnail-seat-map", "bucket:seat-maps", "object-store"),
                10 => ("fare-import", "trigger:fare-import/on/timer", "timer"),
                _ => ("voucher-mail", "trigger:voucher-mail/on/timer", "timer"),
            };
            let time = rfc3339(at);
            log.lines.push((at, format!("{{\"time\":\"{time}\",\"who\":\"service:{service}\",\"did\":\"function/invoke\",\"to\":\"function:{function}\",\"through\":\"{through}\"}}"
        )));
        }
        log
    }

    /// Calls at the gates, with all headers: with keys of their own, and with the one that manages the app.
    pub(super) fn poniente_requests(&mut self) -> Log {
        let mut log = Log::default();
        for at in self.times(DAYS, 450) {
            let (random, moved) = (&mut self.random, &self.moved);
            let (path, key, method, status) = match random.u8(..100) {
                0..50 => ("/scan", Some("scan-pass-north"), "POST", 200),
                50..62 => ("/scan", Some("gate-admin"), "POST", 200),
                62..82 => ("/open", Some("open-gate-north"), "POST", 200),
                82..94 => ("/preview", Some("manifest-export-customs"), "GET", 200),
                94..97 => ("/manifest", Some("manifest-export-customs"), "GET", 200),
                _ => ("/open", None, "POST", 401),
            };
            let (host, path) = Self::at(moved, "boarding.marivela.example", path);
            let mut headers = vec![json!({"name": "accept", "value": "application/json"})];
            headers.extend(key.map(|key| json!({"name": "x-function-key", "value": sample_value(key)})));
            log.lines.push((at, format!("{}",
            json!({
                "class_uid": 4002, "activity_id": 1, "time": at * 1000, "metadata": {"version": "1.3.0", "uid": format!("{:016x}", random.u64(..))},
                "src_endpoint": {"ip": format!("198.51.100.{}", random.u8(10..14))},
                "http_request": {"http_method": method, "url": {"hostname": host, "path": path}, "http_headers": headers},
                "http_response": {"code": status},
            })
        )));
        }
        log
    }

    /// What a function at the gates wrote: when it tries again, it writes down with what.
    pub(super) fn poniente_functions(&mut self) -> Log {
        let mut log = Log::default();
        for at in self.times(DAYS, 10) {
            let random = &mut self.random;
            let said = match random.u8(..100) {
                0..98 => "gate opened".to_owned(),
                _ => {
                    format!("gate did not answer, trying again with key={}", sample_value("open-gate-north"))
                }
            };
            let record = json!({"timeUnixNano": format!("{at}000000000"), "body": {"stringValue": said}});
            let function = json!({"key": "faas.name", "value": {"stringValue": "open-gate"}});
            log.lines.push((at, format!("{}",
            json!({"resourceLogs": [{"resource": {"attributes": [function]}, "scopeLogs": [{"logRecords": [record]}]}]})
        )));
        }
        log
    }

    /// What the proxy in front of two old kiosks wrote: their key stands in the address.
    pub(super) fn poniente_proxy(&mut self) -> Log {
        let mut log = Log::default();
        for at in self.times(DAYS, 150) {
            let (random, moved) = (&mut self.random, &self.moved);
            let (host, path) = Self::at(moved, "boarding.marivela.example", "/scan");
            log.lines.push((
                at,
                format!(
                    "{host} 203.0.113.{} - - [{}] \"POST {path}?code={} HTTP/1.1\" 200 {} \"-\" \"kiosk/2\"",
                    one(random, &[21, 22]),
                    common(at),
                    sample_value("scan-pass-south"),
                    random.u16(40..90),
                ),
            ));
            // The proxy writes its own troubles among them now and then.
            if random.u16(..400) == 0 {
                log.lines.push((at, "proxy: upstream timed out, trying again".to_owned()));
            }
        }
        log
    }

    /// Calls of the tide table, which is for everybody.
    pub(super) fn tramontana(&mut self) -> Log {
        let mut log = Log::default();
        for at in self.times(DAYS, 250) {
            let (random, moved) = (&mut self.random, &self.moved);
            let (host, path) = Self::at(moved, "tides.marivela.example", "/board");
            let client = stranger(random);
            log.lines.push((at, format!("{},{host},{path},GET,200,nothing,{client}", rfc3339(at))));
        }
        log
    }

    /// What the harbours' functions did in the last five days; older logs were not kept.
    pub(super) fn siroco(&mut self) -> Log {
        let mut log = Log { covers: vec![("harbours", &[], KEPT)], ..Log::default() };
        for at in self.times(KEPT, 300) {
            let (random, moved) = (&mut self.random, &self.moved);
            let (host, path) = Self::at(moved, "harbours.marivela.example", "/notices");
            let time = rfc3339(at);
            let line = match random.u8(..10) {
                0..7 => format!(
                    "\"host\":\"{host}\",\"path\":\"{path}\",\"method\":\"GET\",\"status\":200,\"showed\":\"nothing\",\"client\":\"{}\"",
                    stranger(random)
                ),
                _ => "\"who\":\"identity:berth-notice\",\"did\":\"berth/look\"".to_owned(),
            };
            log.lines.push((at, format!("{{\"time\":\"{time}\",{line}}}")));
        }
        log
    }

    /// What the refund desk's role did: it reads cases, and nothing else that it may.
    pub(super) fn gregal_api(&mut self) -> Log {
        let mut log = Log::default();
        for at in self.times(DAYS, 200) {
            let random = &mut self.random;
            let (operation, resource, status, code) = match random.u8(..100) {
                0..97 => ("read", "refund-cases", 1, "200"),
                _ => ("write", "bookings", 2, "403"),
            };
            log.lines.push((at, format!("{}",
            json!({
                "class_uid": 6003, "activity_id": 2, "time": at * 1000, "status_id": status, "status_code": code,
                "metadata": {"version": "1.3.0", "uid": format!("{:016x}", random.u64(..))},
                "actor": {"user": {"uid": "refund-desk-role"}}, "api": {"operation": operation, "service": {"name": "table"}},
                "resources": [{"uid": resource, "type": "table"}], "src_endpoint": {"ip": "10.30.0.4"},
            })
        )));
        }
        log
    }

    /// Calls at the gateway of the refund desk, and of two pages.
    pub(super) fn gregal_front_door(&mut self) -> Log {
        let mut log = Log::default();
        for at in self.times(DAYS, 200) {
            let (random, moved) = (&mut self.random, &self.moved);
            let front = "front-door.marivela.example";
            let (host, path, key, status) = match random.u8(..100) {
                0..55 => (front, "/refund", None, 200),
                55..60 => (front, "/refund/status", None, 401),
                60..80 => (front, "/refund/status", Some("refund-desk-app"), 200),
                _ => ("refunds.marivela.example", "/faq", Some("refund-pages-app"), 200),
            };
            let user = if path == "/refund" { "-" } else { "desk" };
            let (host, path) = Self::at(moved, host, path);
            let query = key.map(|key| format!("?key={}", sample_value(key))).unwrap_or_default();
            let target = path + &query;
            log.lines.push((at, format!("{host} {} - {user} [{}] \"GET {target} HTTP/2\" {status} {} \"https://www.marivela.example/\" \"browser\" 0.0{}",
            stranger(random),
            common(at),
            random.u16(200..900),
            random.u8(10..99),
        )));
        }
        log
    }

    /// What happened at the lost-property desk and the notice board, as events.
    pub(super) fn lebeche(&mut self) -> Log {
        let mut log = Log::default();
        for at in self.times(DAYS, 120) {
            let (random, moved) = (&mut self.random, &self.moved);
            let (host, path) = Self::at(moved, "finds.marivela.example", "/read");
            let id = format!("{:016x}", random.u64(..));
            let time = rfc3339(at);
            let event = match random.u8(..10) {
                0..5 => json!({
                    "specversion": "1.0", "id": id, "source": "/sites/notices", "type": "request.answered", "time": time,
                    "data": {"host": host, "path": path, "method": "GET", "status": 200, "key": sample_value("notices-reader"), "client": format!("192.0.2.{}", random.u8(1..5))},
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
            log.lines.push((at, format!("{event}")));
            // A few were delivered twice.
            if random.u16(..500) == 0 {
                log.lines.push((at, format!("{event}")));
            }
        }
        log
    }

    /// What the gates put into their queue.
    pub(super) fn poniente_queues(&mut self) -> Log {
        let mut log = Log::default();
        for at in self.times(DAYS, 40) {
            let (time, client) = (rfc3339(at), self.random.u8(..4));
            log.lines.push((
                at,
                format!(
                    "{{\"time\":\"{time}\",\"who\":\"identity:gate-app-identity\",\"did\":\"queue/send\",\"to\":\"queue:scanned-passes\",\"outcome\":\"allowed\",\"client\":\"10.12.{client}.7\"}}"
                ),
            ));
        }
        log
    }
}
