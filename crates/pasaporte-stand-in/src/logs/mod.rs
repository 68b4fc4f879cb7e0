//! Ninety days of logs of the sample world, some 200,000 lines in six formats; the same bytes every time.
//!
//! What they show was planted: a key in addresses, an admin key in ordinary use, an app's key used for one function, an
//! open endpoint that nobody calls without a key, one that the public calls, rights of which few are used, an identity that
//! never does anything, refused calls, logs of five days, and lines that nobody understands.

mod lines;
mod served;

use std::collections::HashMap;

use jiff::Timestamp;
use serde_json::json;

pub(crate) use served::{Moment, Ranged, Served, all};

/// The last second of the sample logs: when the sample estate was true.
pub const END: i64 = 1_795_154_400;
/// How many days they cover.
pub(crate) const DAYS: i64 = 90;
const DAY: i64 = 86_400;
/// How many days the harbours keep theirs.
const KEPT: i64 = 5;

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

/// A log: what it holds all of, then lines with their times.
#[derive(Debug, Default, PartialEq, Eq)]
pub(crate) struct Log {
    /// What it holds all of: scopes and actions in them.
    pub(crate) covers: Vec<Covered>,
    /// Lines, in order.
    pub(crate) lines: Vec<(i64, String)>,
}

/// A scope, the actions in it that a log holds all of, and for how many days.
type Covered = (&'static str, &'static [&'static str], i64);

/// The logs of the sample world, each by its name.
#[derive(Debug, PartialEq, Eq)]
pub(crate) struct Logs {
    pub(crate) levante_traces: Log,
    pub(crate) levante_audit: Log,
    pub(crate) poniente_requests: Log,
    pub(crate) poniente_functions: Log,
    pub(crate) poniente_proxy: Log,
    pub(crate) tramontana: Log,
    pub(crate) siroco: Log,
    pub(crate) gregal_api: Log,
    pub(crate) gregal_front_door: Log,
    pub(crate) lebeche: Log,
    pub(crate) poniente_queues: Log,
}

impl Logs {
    /// The logs that end at a time, of endpoints that are at other addresses than those of the sample world: the same but for
    /// that.
    pub(crate) fn until(end: i64, moved: Moved) -> Self {
        let mut writing = Writing { random: fastrand::Rng::with_seed(4711), end, moved };
        Self {
            levante_traces: writing.levante_traces(),
            levante_audit: writing.levante_audit(),
            poniente_requests: writing.poniente_requests(),
            poniente_functions: writing.poniente_functions(),
            poniente_proxy: writing.poniente_proxy(),
            tramontana: writing.tramontana(),
            siroco: writing.siroco(),
            gregal_api: writing.gregal_api(),
            gregal_front_door: writing.gregal_front_door(),
            lebeche: writing.lebeche(),
            poniente_queues: writing.poniente_queues(),
        }
    }
}

/// The sample logs as files: their names and what they hold.
pub fn sample_logs() -> Vec<(&'static str, String)> {
    let all = Logs::until(END, Moved::default());
    let text = |log: Log| {
        let covers = log.covers.iter().map(|(scope, actions, days)| {
            let (from, to) = (rfc3339(END - days * DAY), rfc3339(END));
            match actions {
                [] => json!({"covers": {"in": scope, "from": from, "to": to}}).to_string(),
                _ => json!({"covers": {"in": scope, "actions": actions, "from": from, "to": to}}).to_string(),
            }
        });
        covers
            .chain(log.lines.into_iter().map(|(_, line)| line))
            .fold(String::new(), |text, line| text + &line + "\n")
    };
    let table = |log: Log| "time,host,path,method,status,showed,client\n".to_owned() + &text(log);
    vec![
        ("levante/traces.otlp.ndjson", text(all.levante_traces)),
        ("levante/audit.ndjson", text(all.levante_audit)),
        ("poniente/requests.ocsf.ndjson", text(all.poniente_requests)),
        ("poniente/functions.otlp.ndjson", text(all.poniente_functions)),
        ("poniente/kiosk-proxy.log", text(all.poniente_proxy)),
        ("tramontana/calls.csv", table(all.tramontana)),
        ("siroco/harbours.ndjson", text(all.siroco)),
        ("gregal/api.ocsf.ndjson", text(all.gregal_api)),
        ("gregal/front-door.log", text(all.gregal_front_door)),
        ("lebeche/events.cloudevents.ndjson", text(all.lebeche)),
        ("poniente/queues.ndjson", text(all.poniente_queues)),
    ]
}

/// Hosts and paths of the sample world, and where they are instead.
pub(crate) type Moved = HashMap<(String, String), (String, String)>;

/// Writes logs.
struct Writing {
    random: fastrand::Rng,
    end: i64,
    moved: Moved,
}

impl Writing {
    /// Where something is that the sample world has at a host and path.
    fn at(moved: &Moved, host: &str, path: &str) -> (String, String) {
        let at = (host.to_owned(), path.to_owned());
        moved.get(&at).cloned().unwrap_or(at)
    }

    /// Times of so many things a day over the last days, in order; more by day than by night.
    fn times(&mut self, days: i64, a_day: i64) -> Vec<i64> {
        let random = &mut self.random;
        let mut all: Vec<i64> = (0..days * a_day)
            .map(|number| {
                let noon = random.i64(0..DAY).midpoint(random.i64(0..DAY));
                self.end - (number / a_day + 1) * DAY + noon
            })
            .filter(|time| *time <= self.end)
            .collect();
        all.sort_unstable();
        all
    }
}

/// A moment as RFC 3339 has it.
fn rfc3339(seconds: i64) -> String {
    moment(seconds).to_string()
}

/// A moment as access logs have it.
fn common(seconds: i64) -> String {
    moment(seconds).strftime("%d/%b/%Y:%H:%M:%S +0000").to_string()
}

fn moment(seconds: i64) -> Timestamp {
    Timestamp::from_second(seconds).expect("logs are of this age")
}

fn one<T: Copy>(random: &mut fastrand::Rng, of: &[T]) -> T {
    of[random.usize(..of.len())]
}

/// An address of somebody on the internet; the documentation has no other (RFC 5737).
fn stranger(random: &mut fastrand::Rng) -> String {
    let net = one(random, &["192.0.2", "198.51.100", "203.0.113"]);
    format!("{net}.{}", random.u8(1..255))
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
}
