//! What a key opens in effect, and the worst that whoever has it may do (access-model §6, §10).

use crate::support::{World, allow, deny, time};
use pasaporte_core::access::Verdict;
use pasaporte_core::effect::{Effects, Impact};
use pasaporte_core::estate::*;
use rstest::rstest;

/// An app of three functions: one asks for a key, one for an identity, one is switched off and asks for a key. Each runs as an
/// identity that reads a confidential table.
struct Gate {
    world: World,
    app: ScopeId,
    functions: [FunctionId; 3],
    fares: Thing,
}

impl Gate {
    fn new() -> Self {
        let mut world = World::default();
        world.account("boarding");
        let app = world.scope(ScopeKind::App, "gate", Some("boarding"));
        let reader = world.identity("reader", "gate");
        let fares = world
            .resource_with("table:fares", "boarding", |it| it.sensitivity = Some(Sensitivity::Confidential));
        let line = allow(&["table/read"]).on(&["table:fares"]);
        world.grant(Principal::Identity(reader), At::Everywhere, &[line]);
        let asks = world.function("asks", "gate", Some("reader"));
        let named = world.function("named", "gate", Some("reader"));
        let off = world.function_off("off");
        world.endpoint("asks-door", asks, Check::Key(KeyReach::Function), Network::Internet);
        world.endpoint("named-door", named, Check::Identity, Network::Internet);
        world.endpoint("off-door", off, Check::Key(KeyReach::Function), Network::Internet);
        Self { world, app, functions: [asks, named, off], fares }
    }

    fn key(&mut self, of: KeyOf, reach: KeyReach, change: impl FnOnce(&mut Key)) -> Principal {
        Principal::Key(self.world.key("spare", of, reach, change))
    }
}

fn opened(estate: &Estate, key: Principal) -> Vec<(String, Verdict)> {
    let Principal::Key(key) = key else { panic!("no key") };
    let label = |(id, how)| (estate.label(Thing::Function(id)), how);
    let mut all: Vec<_> = Effects::new(estate).opened_by(key).into_iter().map(label).collect();
    all.sort();
    all
}

fn as_bad_as(estate: &Estate, key: Principal) -> (Impact, bool) {
    let harm = Effects::new(estate).harm(key);
    (harm.impact, harm.surely)
}

#[rstest]
#[case::its_function_asks_for_keys(0, &["function:asks"])]
#[case::its_function_asks_who_calls(1, &[])]
#[case::its_function_is_switched_off(2, &[])]
fn a_key_of_a_function_opens_it_where_an_endpoint_takes_it(#[case] which: usize, #[case] expected: &[&str]) {
    let mut gate = Gate::new();
    let function = gate.functions[which];
    let key = gate.key(KeyOf::Function(function), KeyReach::Function, |_| {});
    let estate = gate.world.finish();
    let expected: Vec<_> = expected.iter().map(|name| ((*name).to_owned(), Verdict::Yes)).collect();
    assert_eq!(opened(&estate, key), expected);
    let worst = if expected.is_empty() { Impact::RunsCode } else { Impact::ConfidentialData };
    assert_eq!(as_bad_as(&estate, key), (worst, true));
}

type Change = fn(&mut Key);

#[rstest]
#[case::in_force(KeyReach::App, (|_| {}) as Change, Some(Verdict::Yes))]
#[case::past_its_end(KeyReach::App, (|key| key.expires = Some(time("2026-01-01"))) as Change, Some(Verdict::Depends))]
#[case::used_past_its_end(
    KeyReach::App,
    (|key| { key.expires = Some(time("2026-01-01")); key.last_used = LastUse::At(time("2026-11-19")); }) as Change,
    Some(Verdict::Yes)
)]
#[case::switched_off(KeyReach::App, (|key| key.state = State::Disabled) as Change, None)]
#[case::admin_in_force(KeyReach::Admin, (|_| {}) as Change, Some(Verdict::Yes))]
#[case::admin_past_its_end(KeyReach::Admin, (|key| key.expires = Some(time("2026-01-01"))) as Change, Some(Verdict::Depends))]
#[case::admin_switched_off(KeyReach::Admin, (|key| key.state = State::Disabled) as Change, None)]
fn a_key_of_an_app_opens_as_surely_as_it_is_accepted(
    #[case] reach: KeyReach,
    #[case] change: Change,
    #[case] expected: Option<Verdict>,
) {
    let mut gate = Gate::new();
    let app = KeyOf::Scope(gate.app);
    let key = gate.key(app, reach, change);
    let estate = gate.world.finish();
    // An admin key manages what asks for no key too.
    let all: &[&str] =
        if reach == KeyReach::Admin { &["function:asks", "function:named"] } else { &["function:asks"] };
    let all = all.iter().filter_map(|name| Some(((*name).to_owned(), expected?)));
    assert_eq!(opened(&estate, key), all.collect::<Vec<_>>());
    let harm = Effects::new(&estate).harm(key);
    let worst = if reach == KeyReach::Admin { Impact::ControlsAccess } else { Impact::ConfidentialData };
    match expected {
        None => assert_eq!(harm.impact, Impact::RunsCode),
        Some(how) => assert_eq!((harm.impact, harm.surely), (worst, how == Verdict::Yes)),
    }
}

#[test]
fn what_a_key_itself_is_given_is_as_bad_as_it_is_for_anybody() {
    let mut gate = Gate::new();
    let named = KeyOf::Function(gate.functions[1]);
    let key = gate.key(named, KeyReach::Function, |_| {});
    gate.world.grant(key, At::Everywhere, &[allow(&["table/read"]).on(&["table:*"])]);
    let estate = gate.world.finish();
    assert_eq!(as_bad_as(&estate, key), (Impact::ConfidentialData, true));
    let told = Effects::new(&estate).tell(key);
    assert_eq!(told.as_deref(), Some("do table/read on confidential table:fares"));
}

#[test]
fn what_anyone_may_do_is_no_matter_of_a_key() {
    let mut gate = Gate::new();
    let named = KeyOf::Function(gate.functions[1]);
    let key = gate.key(named, KeyReach::Function, |_| {});
    gate.world.admit(gate.fares, &[Principal::Anyone], &allow(&["table/read"]));
    let estate = gate.world.finish();
    assert_eq!(as_bad_as(&estate, Principal::Anyone), (Impact::ConfidentialData, true));
    assert_eq!(as_bad_as(&estate, key), (Impact::RunsCode, true));
}

/// Somebody who may read a key has what it opens, and what it is given; as surely as either is.
#[rstest]
#[case::it_opens(
    0,
    false,
    false,
    Impact::ConfidentialData,
    "make code run as identity:reader, which may do table/read on confidential table:fares"
)]
#[case::it_opens_nothing(1, false, false, Impact::RunsCode, "")]
#[case::it_is_given_something(
    1,
    true,
    false,
    Impact::ConfidentialData,
    "use key:spare, which may do table/write on confidential table:fares"
)]
#[case::reading_is_denied(1, true, true, Impact::RunsCode, "")]
fn whoever_reads_a_key_may_do_what_its_holder_may(
    #[case] which: usize,
    #[case] given: bool,
    #[case] denied: bool,
    #[case] worst: Impact,
    #[case] told: &str,
) {
    let mut gate = Gate::new();
    let function = KeyOf::Function(gate.functions[which]);
    let key = gate.key(function, KeyReach::Function, |_| {});
    if given {
        gate.world.grant(key, At::Everywhere, &[allow(&["table/write"]).on(&["table:fares"])]);
    }
    let clerk = Principal::Identity(gate.world.identity("clerk", "boarding"));
    let mut lines = vec![allow(&["key/read"]).on(&["key:spare"])];
    lines.extend(denied.then(|| deny(&["key/*"])));
    gate.world.grant(clerk, At::Everywhere, &lines);
    let estate = gate.world.finish();
    let effects = Effects::new(&estate);
    assert_eq!(effects.harm(clerk).impact, worst);
    assert_eq!(effects.tell(clerk).unwrap_or_default(), told);
}

#[test]
fn keys_that_may_read_each_other_end_the_search() {
    let mut gate = Gate::new();
    let named = KeyOf::Function(gate.functions[1]);
    let one = gate.key(named, KeyReach::Function, |_| {});
    let app = KeyOf::Scope(gate.app);
    let other = Principal::Key(gate.world.key("other", app, KeyReach::App, |_| {}));
    gate.world.grant(one, At::Everywhere, &[allow(&["key/read"])]);
    gate.world.grant(other, At::Everywhere, &[allow(&["key/read"])]);
    let estate = gate.world.finish();
    // The other opens what reads the table, and the one may read the other.
    assert_eq!(as_bad_as(&estate, other), (Impact::ConfidentialData, true));
    assert_eq!(as_bad_as(&estate, one), (Impact::ConfidentialData, true));
}
