//! A digest as a file of the estate: NDJSON, in order, so that the same logs give the same bytes.

use std::io::{self, Write};

use serde_json::{Value, json};

use crate::coverage::Of;
use crate::digest::Digest;
use crate::ledger::{Ledger, Row, Showed, Span, Tally};
use crate::time::moment;

/// Writes a digest, made under a seal of that id. A log of which more than so many in a hundred lines could not be read
/// is a blind spot.
pub fn write(digest: &Digest, seal: &str, bad_lines: u32, out: &mut dyn Write) -> io::Result<()> {
    let logs: Vec<&String> = digest.logs.iter().collect();
    writeln!(out, "{{\"estate\":1,\"digest\":{},\"seal\":{}}}", json!(logs), json!(seal))?;
    for (of, span) in &digest.coverage {
        line(out, &json!({"log": coverage(of, *span)}))?;
    }
    let mut rows: Vec<String> =
        digest.ledger.all().map(|(row, tally)| entity(&digest.ledger, row, tally)).collect();
    rows.sort_unstable();
    for row in rows {
        writeln!(out, "{row}")?;
    }
    for spot in blind_spots(digest, bad_lines) {
        line(out, &json!({"blind_spot": spot}))?;
    }
    Ok(())
}

fn line(out: &mut dyn Write, value: &Value) -> io::Result<()> {
    writeln!(out, "{value}")
}

fn text(seconds: i64) -> String {
    moment(seconds).map(|time| time.to_string()).unwrap_or_default()
}

fn coverage(of: &Of, span: Span) -> Value {
    // What is of one moment covers that moment.
    let (from, to) = (text(span.first), text(span.last.max(span.first + 1)));
    match of {
        Of::Host(account, host) => json!({
            "in": account, "actions": [pasaporte_core::access::INVOKE], "hosts": [host],
            "from": from, "to": to, "lines": span.lines,
        }),
        Of::Said(covers) if covers.actions.is_empty() => {
            json!({"in": covers.scope, "from": from, "to": to, "lines": span.lines})
        }
        Of::Said(covers) => json!({
            "in": covers.scope, "actions": covers.actions, "from": from, "to": to, "lines": span.lines,
        }),
    }
}

fn entity(ledger: &Ledger, row: Row, tally: &Tally) -> String {
    let name = |name| ledger.text(name);
    let showed = |showed: Showed| match showed {
        Showed::Said(said) => json!(name(said)),
        Showed::Issued(issuer, subject) => {
            let mut map = serde_json::Map::new();
            let mut say = |field: &str, text: Option<&str>| {
                if let Some(text) = text {
                    map.insert(field.to_owned(), text.into());
                }
            };
            say("issuer", issuer.map(name));
            say("subject", subject.map(name));
            Value::Object(map)
        }
    };
    let (kind, mut fields) = match row {
        Row::Used { who, did, to, outcome, through } => {
            let mut it = json!({"who": name(who), "did": name(did)});
            if let Some(to) = to {
                it["to"] = name(to).into();
            }
            if outcome != pasaporte_core::estate::Outcome::Allowed {
                it["outcome"] = outcome.to_string().into();
            }
            if let Some(through) = through {
                it["through"] = name(through).into();
            }
            ("used", it)
        }
        Row::Called { endpoint, method, answered, showed: shown, from } => (
            "called",
            json!({
                "endpoint": name(endpoint), "method": name(method), "answer": answered.to_string(),
                "showed": showed(shown), "came_from": from.to_string(),
            }),
        ),
        Row::Seen { showed: shown, place, on } => {
            let mut it = json!({"showed": showed(shown), "place": place.to_string()});
            if let Some(on) = on {
                it["on"] = name(on).into();
            }
            ("seen", it)
        }
    };
    fields["count"] = tally.count.into();
    if let Some(first) = tally.first() {
        fields["first"] = text(first).into();
    }
    if let Some(last) = tally.last() {
        fields["last"] = text(last).into();
    }
    if !tally.clients().is_empty() {
        fields["clients"] = tally.clients().iter().map(|client| format!("{client:08x}")).collect();
    }
    json!({ kind: fields }).to_string()
}

/// What was not understood, and what the estate does not know.
fn blind_spots(digest: &Digest, bad_lines: u32) -> Vec<Value> {
    let told = &digest.told;
    let mut all = Vec::new();
    for file in told.files.iter().filter(|file| !file.repeated) {
        let name = pasaporte_read::shown_file(&file.name);
        if let Some(why) = &file.broke_off {
            all.push(json!({
                "what": format!("the rest of the log {name}"), "why": pasaporte_read::visible(why),
                "hides": "what happened after it broke off",
            }));
        } else if file.format.is_none() && file.lines == 0 {
            all.push(json!({"what": format!("the log {name}"), "why": "its format was not recognised", "hides": "what it says was used"}));
        }
        if file.bad.saturating_mul(100) > u64::from(bad_lines).saturating_mul(file.lines) {
            all.push(json!({
                "what": format!("{} of {} lines of the log {name}", file.bad, file.lines),
                "why": "they could not be read", "hides": "what they say was used",
            }));
        }
    }
    if told.unplaced > 0 {
        let which: Vec<String> =
            told.commonest.iter().map(|it| format!("{} ({})", it.what, it.count)).collect();
        all.push(json!({
            "what": format!("{} of {} events of the logs are about nothing in the estate", told.unplaced, told.events),
            "why": format!("most often: {}", which.join(", ")),
            "hides": "who uses what was not gathered",
        }));
    }
    all
}
