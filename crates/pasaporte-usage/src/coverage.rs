//! What logs cover. A log of calls covers the hosts that it has, from its first line to its last; of what identities did it
//! covers what somebody says that it does, since a log that has no line of something may not be one of it.

use std::collections::BTreeMap;

use pasaporte_core::pattern::Pattern;

use crate::ledger::Span;

/// What logs cover, as somebody says: a scope, and which actions within it.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Covers {
    /// The scope, by its id.
    pub scope: String,
    /// Patterns of actions; all if empty.
    pub actions: Vec<String>,
}

impl Covers {
    /// As it is written: `SCOPE`, or `SCOPE=ACTIONS` with several divided by commas.
    pub fn parse(text: &str) -> Result<Self, String> {
        let (scope, actions) = text.split_once('=').unwrap_or((text, ""));
        let actions = actions.split(',').map(str::trim).filter(|it| !it.is_empty()).map(str::to_owned);
        Self::of(scope, actions.collect())
    }

    /// A scope by its id, before which its kind may stand, and patterns of actions.
    pub(crate) fn of(scope: &str, actions: Vec<String>) -> Result<Self, String> {
        let scope = scope.split_once(':').map_or(scope, |(_, id)| id);
        let is_sound =
            |action: &String| Pattern::parse(action).is_ok() && (action.contains('/') || action == "*");
        if scope.is_empty() || pasaporte_read::shown_name(scope) != scope {
            return Err("a scope is wanted, by its id: tickets, or tickets=table/*,queue/*".to_owned());
        }
        if !actions.iter().all(is_sound) {
            return Err(
                "actions are wanted after `=`, as patterns divided by commas: table/*,queue/send".to_owned()
            );
        }
        Ok(Self { scope: scope.to_owned(), actions })
    }
}

/// Times that logs cover, of each thing that they are of; those that adjoin are one.
#[derive(Debug, Default)]
pub(crate) struct Coverage {
    spans: BTreeMap<Of, Vec<Span>>,
}

/// Of what.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Of {
    /// Of calls to a host, in an account.
    Host(String, String),
    /// Of what somebody says.
    Said(Covers),
}

/// Logs that are written by the day leave a gap of up to one between them, in seconds.
const GAP: i64 = 24 * 60 * 60;

impl Coverage {
    pub(crate) fn add(&mut self, of: Of, span: Span) {
        self.spans.entry(of).or_default().push(span);
    }

    /// Each with its times, in order.
    pub(crate) fn all(mut self) -> Vec<(Of, Span)> {
        let mut all = Vec::new();
        for (of, spans) in &mut self.spans {
            spans.sort_unstable();
            let mut open: Option<Span> = None;
            for span in spans.iter() {
                open = Some(match open {
                    Some(mut known) if span.first - known.last <= GAP => {
                        known.add(*span);
                        known
                    }
                    Some(known) => {
                        all.push((of.clone(), known));
                        *span
                    }
                    None => *span,
                });
            }
            all.extend(open.map(|span| (of.clone(), span)));
        }
        all
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("tickets", "tickets", &[])]
    #[case("account:tickets=table/*, queue/send", "tickets", &["table/*", "queue/send"])]
    fn what_is_covered_is_said(#[case] text: &str, #[case] scope: &str, #[case] actions: &[&str]) {
        let covers = Covers::parse(text).unwrap();
        assert_eq!(
            (covers.scope.as_str(), covers.actions.as_slice()),
            (scope, &actions.iter().map(|it| (*it).to_owned()).collect::<Vec<_>>()[..])
        );
    }

    #[rstest]
    #[case("")]
    #[case("=table/*")]
    #[case("tickets=table")]
    #[case("a b")]
    fn what_is_not_understood_is_refused(#[case] text: &str) {
        assert!(Covers::parse(text).is_err());
    }

    #[test]
    fn a_gap_of_more_than_a_day_divides() {
        let span = |first: i64, last: i64| Span { first, last, lines: 1 };
        let day = 86_400;
        let mut coverage = Coverage::default();
        let of = Of::Host("tickets".to_owned(), "a.example".to_owned());
        for it in [span(5 * day, 6 * day), span(0, day), span(2 * day, 3 * day)] {
            coverage.add(of.clone(), it);
        }
        let all: Vec<Span> = coverage.all().into_iter().map(|(_, span)| span).collect();
        assert_eq!(all, [Span { first: 0, last: 3 * day, lines: 2 }, span(5 * day, 6 * day)]);
    }
}
