//! The time that logs cover.

use std::collections::BTreeMap;

use jiff::{SignedDuration, Timestamp};

use crate::estate::{Endpoint, EndpointId, Estate, LogCoverage, ScopeId};
use crate::pattern::{Pattern, covers};

/// Logs that are written by the day leave a gap of up to one between them.
const GAP: SignedDuration = SignedDuration::from_hours(24);

/// A time that logs cover without a gap.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Window {
    /// From when.
    pub from: Timestamp,
    /// Until when; no later than the estate was true.
    pub to: Timestamp,
}

impl Window {
    /// Whole days in it.
    pub fn days(&self) -> i64 {
        self.to.duration_since(self.from).as_hours() / 24
    }

    /// The time that is in both.
    pub fn both(self, other: Self) -> Option<Self> {
        let both = Self { from: self.from.max(other.from), to: self.to.min(other.to) };
        (both.from < both.to).then_some(both)
    }

    /// The time that it covers of what is known to be covered; all of it where nothing is known yet.
    pub fn of_known(self, known: Option<Self>) -> Option<Self> {
        known.map_or(Some(self), |known| known.both(self))
    }
}

/// Of what a log is asked to tell.
#[derive(Debug, Clone, Copy)]
pub enum Logged<'q> {
    /// One action.
    Action(&'q str),
    /// Every action of a pattern.
    Every(&'q Pattern),
    /// Calls of an endpoint.
    Calls(EndpointId),
}

/// Patterns, or hosts.
type Texts<'e> = Vec<&'e str>;

impl Estate {
    /// The last time without a gap over which logs would show something that happened within a scope; none where none
    /// would.
    pub fn logged(&self, within: Option<ScopeId>, what: Logged<'_>) -> Option<Window> {
        if self.logs().is_empty() {
            return None;
        }
        let mut above: Vec<ScopeId> = self.upwards(within).map(|(scope, _)| scope).collect();
        above.extend(within);
        let tells = |log: &&LogCoverage| above.contains(&log.scope) && self.tells(log, what);
        let spans = self.logs().iter().filter(tells).map(|log| self.span(log));
        last_without_gap(spans.collect())
    }

    /// The longest of the last times without a gap that logs cover in an account, or above it, whatever they would show.
    pub fn longest_logged(&self, account: Option<ScopeId>) -> Option<Window> {
        let mut above: Vec<ScopeId> = self.upwards(account).map(|(scope, _)| scope).collect();
        above.extend(account);
        let inside = |scope: ScopeId| account.is_some_and(|account| self.tree().is_within(scope, account));
        let mut alike: BTreeMap<(ScopeId, Texts<'_>, Texts<'_>), Vec<Window>> = BTreeMap::new();
        for log in self.logs().iter().filter(|log| above.contains(&log.scope) || inside(log.scope)) {
            let actions = log.actions.iter().map(Pattern::text).collect();
            let hosts = self.list(log.hosts).iter().map(|host| self.text(*host)).collect();
            alike.entry((log.scope, actions, hosts)).or_default().push(self.span(log));
        }
        let windows = alike.into_values().filter_map(last_without_gap);
        windows.max_by_key(|window| (window.days(), window.to))
    }

    /// The time of a log, as far as it had come when the estate was true.
    fn span(&self, log: &LogCoverage) -> Window {
        Window { from: log.from, to: self.as_of().map_or(log.to, |now| log.to.min(now)) }
    }

    /// Whether a log would show something.
    fn tells(&self, log: &LogCoverage, what: Logged<'_>) -> bool {
        let (endpoint, action) = match what {
            Logged::Action(action) => (None, action),
            Logged::Calls(endpoint) => (Some(endpoint), crate::access::INVOKE),
            Logged::Every(pattern) => {
                let patterns: Vec<&Pattern> = log.actions.iter().collect();
                let all = patterns.is_empty() || covers(&patterns, pattern, false) == Some(true);
                return all && log.hosts.is_empty();
            }
        };
        let hosts = self.list(log.hosts);
        let of_host = || {
            let endpoint = endpoint.and_then(|id| self.get(id));
            endpoint.is_some_and(|it| hosts.iter().any(|host| self.is_at(it, self.text(*host))))
        };
        (log.actions.is_empty() || log.actions.iter().any(|pattern| pattern.matches(action)))
            && (hosts.is_empty() || of_host())
    }

    /// Whether an endpoint is at a host: its gateway, or that of its address.
    fn is_at(&self, endpoint: &Endpoint, host: &str) -> bool {
        let gateway = endpoint.way.gateway().is_some_and(|gateway| self.text(gateway) == host);
        let address = endpoint.url.is_some_and(|url| host_of(self.text(url)).eq_ignore_ascii_case(host));
        gateway || address
    }
}

/// The last time without a gap that some cover.
fn last_without_gap(mut spans: Vec<Window>) -> Option<Window> {
    spans.retain(|span| span.from < span.to);
    spans.sort_by_key(|span| (span.from, span.to));
    spans.into_iter().reduce(|known, span| {
        if span.from.duration_since(known.to) <= GAP {
            Window { from: known.from, to: known.to.max(span.to) }
        } else {
            span
        }
    })
}

/// The host of an absolute URL (RFC 3986 §3.2.2), without its port.
pub fn host_of(url: &str) -> &str {
    let rest = url.split_once("://").map_or(url, |(_, rest)| rest);
    let authority = rest.split(['/', '?', '#']).next().unwrap_or(rest);
    if let Some(end) = authority.find(']') {
        return &authority[..=end];
    }
    authority.split(':').next().unwrap_or(authority)
}
