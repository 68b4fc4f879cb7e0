//! Which time logs cover, and what rows add up to.

use crate::support::{World, time};
use pasaporte_core::estate::{
    Answered, Call, CameFrom, Client, EndpointId, List, LogCoverage, Outcome, Principal, ScopeId, ScopeKind,
    Showed, Tally, Use,
};
use pasaporte_core::pattern::Pattern;
use pasaporte_core::usage::{Logged, Window};
use rstest::rstest;

/// A scope in an account, with logs of the account.
fn logged(logs: &[(&str, &str, &[&str])], within: &str) -> (pasaporte_core::estate::Estate, Option<ScopeId>) {
    let mut made = World::default();
    let origin = made.origin();
    made.scope(ScopeKind::Account, "pier", None);
    made.scope(ScopeKind::App, "gate", Some("pier"));
    made.builder.overrule_as_of(time("2026-11-20"));
    for (from, to, actions) in logs {
        let log = LogCoverage {
            scope: made.builder.mention("pier"),
            actions: actions.iter().map(|action| Pattern::parse(action).unwrap()).collect(),
            hosts: List::default(),
            from: time(from),
            to: time(to),
            lines: None,
            bad: 0,
            origin,
        };
        made.builder.log(log);
    }
    let estate = made.finish();
    let scope = estate.find(within);
    (estate, scope)
}

#[rstest]
#[case::one(&[("2026-08-01", "2026-11-01", &[][..])], "table/read", Some(("2026-08-01", "2026-11-01")))]
#[case::adjoining(&[("2026-10-02", "2026-11-01", &[][..]), ("2026-08-01", "2026-10-01", &[])], "table/read", Some(("2026-08-01", "2026-11-01")))]
#[case::a_gap(&[("2026-08-01", "2026-10-01", &[][..]), ("2026-10-03", "2026-11-01", &[])], "table/read", Some(("2026-10-03", "2026-11-01")))]
#[case::one_within_another(&[("2026-08-01", "2026-11-01", &[][..]), ("2026-09-01", "2026-09-02", &[])], "table/read", Some(("2026-08-01", "2026-11-01")))]
#[case::of_other_actions(&[("2026-08-01", "2026-11-01", &["queue/*"][..])], "table/read", None)]
#[case::of_this_action(&[("2026-08-01", "2026-11-01", &["queue/*", "table/read"][..])], "table/read", Some(("2026-08-01", "2026-11-01")))]
#[case::after_it_was_true(&[("2026-10-01", "2026-12-31", &[][..])], "table/read", Some(("2026-10-01", "2026-11-20")))]
#[case::all_after(&[("2026-12-01", "2026-12-31", &[][..])], "table/read", None)]
fn logs_cover_a_time(
    #[case] logs: &[(&str, &str, &[&str])],
    #[case] action: &str,
    #[case] expected: Option<(&str, &str)>,
) {
    let expected = expected.map(|(from, to)| Window { from: time(from), to: time(to) });
    for within in ["pier", "gate"] {
        let (estate, scope) = logged(logs, within);
        assert_eq!(estate.logged(scope, Logged::Action(action)), expected, "{within}");
    }
}

#[rstest]
#[case::all("table/*", &["table/*"], true)]
#[case::two_halves("table/*", &["table/read", "table/?rite"], false)]
#[case::a_part("table/re*", &["table/*", "queue/*"], true)]
#[case::more("*", &["table/*"], false)]
fn a_pattern_is_covered_where_all_that_it_takes_is(
    #[case] pattern: &str,
    #[case] actions: &[&str],
    #[case] is_covered: bool,
) {
    let (estate, scope) = logged(&[("2026-08-01", "2026-11-01", actions)], "pier");
    let pattern = Pattern::parse(pattern).unwrap();
    assert_eq!(estate.logged(scope, Logged::Every(&pattern)).is_some(), is_covered);
}

#[test]
fn rows_that_say_the_same_are_one_in_whichever_order_they_come() {
    let rows = [(3, "2026-11-02", vec![1, 5]), (4, "2026-11-01", vec![5, 2]), (1, "2026-11-09", vec![])];
    for turn in 0..3 {
        let mut made = World::default();
        let origin = made.origin();
        let endpoint: EndpointId = made.builder.mention("sail/direct");
        for (count, day, clients) in rows.iter().cycle().skip(turn).take(3) {
            let clients: Vec<Client> = clients.iter().copied().map(Client).collect();
            let kept = pasaporte_core::estate::least_clients(&clients, &[]);
            let clients = made.builder.list(&kept);
            let tally = Tally { first: Some(time(day)), last: Some(time(day)), clients, ..Tally::of(*count) };
            let method = made.builder.name("GET");
            let (answered, showed, from) = (Answered::Good, Showed::Nothing, CameFrom::Internet);
            made.builder.called(Call { endpoint, method, answered, showed, from, tally, origin });
        }
        let estate = made.finish();
        let [only] = estate.calls_at(endpoint) else { panic!("one row") };
        assert_eq!(
            (only.tally.count, only.tally.first, only.tally.last),
            (8, Some(time("2026-11-01")), Some(time("2026-11-09")))
        );
        assert_eq!(estate.list(only.tally.clients), [Client(1), Client(2), Client(5)]);
        let callers = estate.callers_seen(endpoint);
        assert_eq!((callers.all.count, callers.bare().unwrap().clients()), (8, Some((3, false))));
    }
}

#[test]
fn what_is_different_stays_apart() {
    let mut made = World::default();
    let origin = made.origin();
    let who = Principal::User(made.builder.mention("ines"));
    let did = made.builder.name("table/read");
    for outcome in [Outcome::Allowed, Outcome::Refused, Outcome::Allowed] {
        made.builder.used(Use { who, did, to: None, outcome, through: None, tally: Tally::of(2), origin });
    }
    let estate = made.finish();
    let counts: Vec<u64> = estate.uses_by(who).iter().map(|it| it.tally.count).collect();
    assert_eq!(counts, [4, 2]);
}
