//! The logs as the platforms serve them: some in a shape of their own, some in an open format, each for a range of time.

use std::collections::BTreeMap;

use jiff::Timestamp;
use jiff::civil::Date;
use serde_json::{Value, json};

use super::{Covered, DAY, Log, Logs, Moved, rfc3339};

/// A log that is served.
#[derive(Debug, Default)]
pub(crate) struct Served {
    /// Items with their times, in order.
    items: Vec<(i64, String)>,
    /// What stands beside the items of a page, as a member of its answer.
    pub(crate) beside: Option<String>,
    /// An item that begins the list, whatever is asked for.
    head: Option<String>,
}

/// The parameters of a platform for a range of time, and how it writes a moment.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Ranged {
    pub(crate) from: &'static str,
    pub(crate) to: &'static str,
    pub(crate) written: Moment,
}

/// How a moment is written.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Moment {
    Rfc3339,
    Seconds,
    Milliseconds,
    /// A day; the last one is whole.
    Date,
}

impl Moment {
    /// The second of a moment.
    fn second(self, text: &str) -> Option<i64> {
        match self {
            Self::Rfc3339 => Some(text.parse::<Timestamp>().ok()?.as_second()),
            Self::Seconds => text.parse().ok(),
            Self::Milliseconds => Some(text.parse::<i64>().ok()?.div_euclid(1000)),
            Self::Date => {
                let day: Date = text.parse().ok()?;
                Some(jiff::tz::TimeZone::UTC.to_timestamp(day.at(0, 0, 0, 0)).ok()?.as_second())
            }
        }
    }

    /// The range that some parameters ask for; all where they ask for none.
    pub(crate) fn range(self, from: Option<&str>, to: Option<&str>) -> Option<(i64, i64)> {
        let from = from.map_or(Some(i64::MIN), |text| self.second(text))?;
        let to = to.map_or(Some(i64::MAX), |text| self.second(text))?;
        Some((from, if matches!(self, Self::Date) { to.saturating_add(DAY - 1) } else { to }))
    }
}

impl Served {
    /// The items of a range.
    pub(crate) fn items(&self, (from, to): (i64, i64)) -> impl Iterator<Item = &str> {
        let start = self.items.partition_point(|(at, _)| *at < from);
        let items = self.items[start..].iter().take_while(move |(at, _)| *at <= to);
        self.head.as_deref().into_iter().chain(items.map(|(_, item)| item.as_str()))
    }

    fn of(log: Log) -> Self {
        Self { items: log.lines, ..Self::default() }
    }

    /// Lines of text, as JSON texts.
    fn quoted(log: Log) -> Self {
        Self::each(log, |line| Some(json!(line)))
    }

    fn each(log: Log, make: impl Fn(&str) -> Option<Value>) -> Self {
        let items = log.lines.into_iter().filter_map(|(at, line)| Some((at, make(&line)?.to_string())));
        Self { items: items.collect(), ..Self::default() }
    }
}

/// All logs, by platform and path.
pub(crate) fn all(end: i64, moved: Moved) -> BTreeMap<(&'static str, &'static str), Served> {
    let logs = Logs::until(end, moved);
    let (mut footprints, mut deeds, mut traces) = (Log::default(), logs.poniente_queues, Log::default());
    for (at, line) in logs.levante_audit.lines {
        let of = if line.contains("\"identity:gate-app-identity\"") {
            &mut deeds
        } else if line.contains("\"identity:gauge-reader\"") {
            &mut traces
        } else {
            &mut footprints
        };
        of.lines.push((at, line));
    }
    footprints.lines.sort();
    deeds.lines.sort();
    let kept: Option<&Covered> = logs.siroco.covers.first();
    let since = kept.map(|(_, _, days)| json!({"kept_since": rfc3339(end - days * DAY)}).to_string());
    let (mut finds, mut notices) = (Log::default(), Log::default());
    for (at, line) in logs.lebeche.lines {
        let of = if line.contains("\"/sites/notices\"") { &mut notices } else { &mut finds };
        of.lines.push((at, line));
    }
    let complete = Some(r#""complete_for":["bucket/*"]"#.to_owned());
    BTreeMap::from([
        (("levante", "v1/traces"), Served::of(logs.levante_traces)),
        (("levante", "v1/yards/tickets/footprints"), Served::each(footprints, footprint)),
        (("poniente", "tenancies/boarding/requests"), Served::of(logs.poniente_requests)),
        (("poniente", "tenancies/boarding/writings"), Served::of(logs.poniente_functions)),
        (("poniente", "tenancies/boarding/proxy-lines"), Served::quoted(logs.poniente_proxy)),
        (("poniente", "tenancies/boarding/deeds"), Served::each(deeds, deed)),
        (("tramontana", "tree/reaches/tides/visits"), Served::each(logs.tramontana, visit)),
        (("tramontana", "tree/reaches/tides/traces"), Served::each(traces, trace)),
        (("siroco", "basins/harbours/ledger"), Served { head: since, ..Served::each(logs.siroco, entry) }),
        (("gregal", "v2/desks/refunds/deeds"), Served::of(logs.gregal_api)),
        (("gregal", "v2/desks/refunds/front-lines"), Served::quoted(logs.gregal_front_door)),
        (("lebeche", "sites/lost-property/events"), Served { beside: complete, ..Served::of(finds) }),
        (("lebeche", "sites/notices/events"), Served::of(notices)),
    ])
}

/// A text without what its kind puts before it.
fn after<'t>(value: &'t Value, prefix: &str) -> Option<&'t str> {
    value.as_str()?.strip_prefix(prefix)
}

/// What a badge did in a yard, or what made a craft run.
fn footprint(line: &str) -> Option<Value> {
    let it: Value = serde_json::from_str(line).ok()?;
    if let Some(craft) = after(&it["to"], "function:") {
        let through = it["through"].as_str()?;
        let spark =
            if through.starts_with("trigger:") { "clock".to_owned() } else { through.replacen(':', ">", 1) };
        return Some(json!({"at": it["time"], "craft": craft, "spark": spark}));
    }
    Some(json!({
        "at": it["time"], "badge": after(&it["who"], "identity:")?, "did": it["did"].as_str()?.replacen('/', ".", 1),
        "stall": it["to"].as_str()?.replacen(':', ">", 1), "let": it["outcome"] == "allowed", "from": it["client"],
    }))
}

/// What a persona did in a tenancy.
fn deed(line: &str) -> Option<Value> {
    let it: Value = serde_json::from_str(line).ok()?;
    let when = it["time"].as_str()?.parse::<Timestamp>().ok()?.as_millisecond();
    let (kind, name) = it["to"].as_str()?.split_once(':')?;
    Some(json!({
        "when": when, "persona": after(&it["who"], "identity:")?, "deed": it["did"],
        "belonging": format!("/tenancy/boarding/{kind}/{name}"), "turnedAway": it["outcome"] != "allowed",
        "caller": it["client"],
    }))
}

/// Somebody at the address of a task.
fn visit(line: &str) -> Option<Value> {
    let [time, host, path, verb, gave, _, from] = line.split(',').collect::<Vec<_>>()[..] else {
        return None;
    };
    let second = time.parse::<Timestamp>().ok()?.as_second();
    Some(json!({
        "second": second, "host": host, "path": path, "verb": verb, "gave": gave.parse::<u16>().ok()?,
        "shown": [], "from": from,
    }))
}

/// What an agent did to a node.
fn trace(line: &str) -> Option<Value> {
    let it: Value = serde_json::from_str(line).ok()?;
    let second = it["time"].as_str()?.parse::<Timestamp>().ok()?.as_second();
    Some(json!({
        "second": second, "agent": after(&it["who"], "identity:")?, "word": it["did"],
        "node": format!("tides/{}", it["to"].as_str()?.replacen(':', "/", 1)), "held": it["outcome"] == "allowed",
        "from": it["client"],
    }))
}

/// A line of a basin's ledger: a hand at work, or somebody at a window.
fn entry(line: &str) -> Option<Value> {
    let it: Value = serde_json::from_str(line).ok()?;
    Some(match after(&it["who"], "identity:") {
        Some(hand) => json!({"on": it["time"], "hand": hand, "did": it["did"]}),
        None => json!({
            "on": it["time"], "window": format!("{}{}", it["host"].as_str()?, it["path"].as_str()?),
            "verb": it["method"], "answered": it["status"], "passer_by": it["client"],
        }),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_range_is_inclusive_and_a_last_day_is_whole() {
        assert_eq!(Moment::Seconds.range(Some("5"), Some("9")), Some((5, 9)));
        assert_eq!(Moment::Milliseconds.range(Some("5999"), None), Some((5, i64::MAX)));
        assert_eq!(Moment::Date.range(Some("1970-01-01"), Some("1970-01-01")), Some((0, DAY - 1)));
        assert_eq!(Moment::Rfc3339.range(Some("1970-01-01T00:00:01Z"), None), Some((1, i64::MAX)));
        assert_eq!(Moment::Rfc3339.range(Some("yesterday"), None), None);
    }

    #[test]
    fn nothing_is_lost_in_the_shapes_of_the_platforms() {
        let logs = Logs::until(super::super::END, Moved::default());
        let plain =
            [&logs.levante_audit, &logs.tramontana, &logs.siroco, &logs.lebeche, &logs.poniente_queues];
        let before: usize = plain.iter().map(|log| log.lines.len()).sum();
        let served = all(super::super::END, Moved::default());
        let own = ["footprints", "deeds", "visits", "traces", "ledger", "events"];
        let after = served.iter().filter(|((platform, path), _)| {
            own.iter().any(|name| path.ends_with(name)) && *platform != "gregal" && *path != "v1/traces"
        });
        assert_eq!(after.map(|(_, log)| log.items.len()).sum::<usize>(), before);
    }
}
