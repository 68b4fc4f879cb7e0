//! Gateway routes and event sources: who gets through, end to end (access-model §6).

use std::net::IpAddr;

use crate::support::{World, allow, time};
use pasaporte_core::access::{INVOKE, Verdict};
use pasaporte_core::effect::Effects;
use pasaporte_core::entry::{By, Exposure};
use pasaporte_core::estate::*;
use proptest::prelude::*;
use rstest::rstest;

/// What everything in the table is about: a function with keys `own` and `shown`, which identities `front` and
/// `role` may invoke, and a verifier `site` with no public token.
struct Gate {
    world: World,
    function: FunctionId,
    shown: KeyId,
    front: IdentityId,
}

impl Gate {
    fn new() -> Self {
        let mut world = World::default();
        world.account("boarding");
        let function = world.function("open-gate", "boarding", None);
        world.key("own", KeyOf::Function(function), KeyReach::Function, |_| {});
        let shown = world.key("shown", KeyOf::Function(function), KeyReach::Function, |_| {});
        let front = world.identity("front", "boarding");
        let role = world.identity("role", "boarding");
        let both = [Principal::Identity(front), Principal::Identity(role)];
        world.admit(Thing::Function(function), &both, &allow(&[INVOKE]));
        Self { world, function, shown, front }
    }

    fn check(&mut self, word: &str) -> Check {
        match word {
            "none" => Check::None,
            "key" => Check::Key(KeyReach::Function),
            "identity" => Check::Identity,
            "token" => Check::Token(self.world.builder.mention("site")),
            other => panic!("{other} is no check"),
        }
    }

    fn presents(&self, word: &str) -> Presents {
        match word {
            "nothing" => Presents::Nothing,
            "caller" => Presents::Caller,
            "identity" => Presents::Identity(self.front),
            "key" => Presents::Key(self.shown),
            other => panic!("{other} cannot be presented"),
        }
    }
}

fn callers(estate: &Estate, route: EndpointId) -> Vec<(String, Verdict)> {
    let access = Effects::new(estate);
    let mut all: Vec<(String, Verdict)> = access
        .callers_at(route)
        .into_iter()
        .map(|caller| (estate.principal_label(caller.who), caller.verdict))
        .collect();
    all.sort();
    all
}

/// A token that one verifier takes may be what another takes as well, or not: that is not known.
#[test]
fn a_token_of_another_verifier_passes_perhaps() {
    let mut gate = Gate::new();
    let (site, kiosk): (VerifierId, VerifierId) =
        (gate.world.builder.mention("site"), gate.world.builder.mention("kiosk"));
    gate.world.endpoint("direct", gate.function, Check::Token(site), Network::Internet);
    let route = gate.world.route("route", gate.function, Check::Token(kiosk), Presents::Caller);
    let estate = gate.world.finish();
    assert_eq!(callers(&estate, route), [("token:kiosk".to_owned(), Verdict::Depends)]);
}

/// Every gateway check, with everything that a gateway can present, before every check of a function: who gets
/// through. Worked out from access-model §6 by hand.
///
/// gateway checks · presents → at a function that checks none · key · identity · token
const TABLE: &str = "
none     nothing  → anyone · – · – · –
none     caller   → anyone · keys · ids · token
none     identity → anyone · – · anyone · –
none     key      → anyone · anyone · – · –
key      nothing  → keys · – · – · –
key      caller   → keys · keys · – · –
key      identity → keys · – · keys · –
key      key      → keys · keys · – · –
identity nothing  → ids · – · – · –
identity caller   → ids · – · ids · –
identity identity → ids · – · ids · –
identity key      → ids · ids · – · –
token    nothing  → token · – · – · –
token    caller   → token · – · – · token
token    identity → token · – · token · –
token    key      → token · token · – · –
";

#[rstest]
#[case::on_the_internet(Network::Internet, Verdict::Yes)]
#[case::within(Network::Internal, Verdict::Yes)]
// Whether the gateway is in a listed network is not known.
#[case::in_a_network(Network::Listed(Box::new([IpAddr::from([10, 40, 0, 0]).into()])), Verdict::Depends)]
fn what_passes_the_gateway_must_pass_the_function_too(#[case] network: Network, #[case] verdict: Verdict) {
    let mut rows = 0;
    for line in TABLE.lines().filter(|line| !line.is_empty()) {
        let (left, right) = line.split_once('→').unwrap();
        let mut left = left.split_whitespace();
        let (at_gateway, presents) = (left.next().unwrap(), left.next().unwrap());
        for (own, expected) in ["none", "key", "identity", "token"].into_iter().zip(right.split('·')) {
            let mut gate = Gate::new();
            let (check, own_check) = (gate.check(at_gateway), gate.check(own));
            let presented = gate.presents(presents);
            gate.world.endpoint("direct", gate.function, own_check, network.clone());
            let route = gate.world.route("route", gate.function, check, presented);
            let estate = gate.world.finish();
            let names: &[&str] = match expected.trim() {
                "anyone" => &["anyone"],
                "keys" => &["key:own", "key:shown"],
                "ids" => &["identity:front", "identity:role"],
                "token" => &["token:site"],
                _ => &[],
            };
            let expected: Vec<_> = names.iter().map(|name| ((*name).to_owned(), verdict)).collect();
            assert_eq!(callers(&estate, route), expected, "{at_gateway} {presents} {own}");
            // A route is dead exactly if what it presents itself passes nothing.
            let access = Effects::new(&estate);
            let passage = access.passage(route).unwrap();
            if presents != "caller" {
                assert_eq!(passage.verdict == Verdict::No, names.is_empty(), "{at_gateway} {presents} {own}");
            }
            rows += 1;
        }
    }
    assert_eq!(rows, 64);
}

#[test]
fn an_open_route_makes_a_protected_function_anonymous() {
    let mut gate = Gate::new();
    gate.world.endpoint("direct", gate.function, Check::Key(KeyReach::Function), Network::Internal);
    let presents = Presents::Key(gate.shown);
    gate.world.route("route", gate.function, Check::None, presents);
    let function = gate.function;
    let estate = gate.world.finish();
    assert_eq!(Effects::new(&estate).exposure(function).to, Exposure::Anyone);
}

#[rstest]
#[case::from_the_internet(Network::Internet, Exposure::Anyone)]
#[case::from_within(Network::Internal, Exposure::Insiders)]
fn the_network_of_a_route_is_the_gateways(#[case] network: Network, #[case] expected: Exposure) {
    let mut gate = Gate::new();
    let way = Way::Route { gateway: gate.world.builder.name("front"), presents: Presents::Key(gate.shown) };
    gate.world.endpoint("direct", gate.function, Check::Key(KeyReach::Function), Network::Internal);
    gate.world.way_in("route", gate.function, way, Check::None, network);
    let function = gate.function;
    let estate = gate.world.finish();
    // Keys alone come from the direct address, and from within they are insiders'.
    assert_eq!(Effects::new(&estate).exposure(function).to, expected);
}

#[rstest]
#[case::expired(|key: &mut Key| key.expires = Some(time("2026-01-01")), &[Verdict::Depends])]
#[case::switched_off(|key: &mut Key| key.state = State::Disabled, &[])]
fn a_key_that_is_not_accepted_makes_the_route_dead(
    #[case] change: fn(&mut Key),
    #[case] expected: &[Verdict],
) {
    let mut gate = Gate::new();
    let key = gate.world.key("old", KeyOf::Function(gate.function), KeyReach::Function, change);
    gate.world.endpoint("direct", gate.function, Check::Key(KeyReach::Function), Network::Internal);
    let route = gate.world.route("route", gate.function, Check::None, Presents::Key(key));
    let estate = gate.world.finish();
    let access = Effects::new(&estate);
    assert!(matches!(access.passage(route).unwrap().by, By::Key(it) if it == key));
    let through: Vec<Verdict> = access.callers_at(route).iter().map(|caller| caller.verdict).collect();
    assert_eq!(through, expected);
}

#[test]
fn without_an_address_of_its_own_a_function_is_invoked_by_who_it_admits() {
    let mut gate = Gate::new();
    let stranger = gate.world.identity("stranger", "boarding");
    let lets_in = gate.world.route("front", gate.function, Check::None, Presents::Identity(gate.front));
    let refused = gate.world.route("other", gate.function, Check::None, Presents::Identity(stranger));
    let estate = gate.world.finish();
    assert_eq!(callers(&estate, lets_in), [("anyone".to_owned(), Verdict::Yes)]);
    assert_eq!(callers(&estate, refused), []);
}

#[test]
fn a_route_that_is_switched_off_lets_nobody_in() {
    let mut gate = Gate::new();
    let route = gate.world.route("route", gate.function, Check::None, Presents::Identity(gate.front));
    let id = gate.world.function_off("off");
    let to_off = gate.world.route("to-off", id, Check::None, Presents::Caller);
    let estate = gate.world.finish();
    assert_eq!(callers(&estate, route).len(), 1);
    assert_eq!(callers(&estate, to_off), []);
}

fn feeders(estate: &Estate, trigger: TriggerId) -> Vec<(String, Verdict, String)> {
    let access = Effects::new(estate);
    let told = |it: pasaporte_core::entry::Feeder| {
        (estate.principal_label(it.who), it.verdict, it.action.to_string())
    };
    access.feeders(trigger).into_iter().map(told).collect()
}

#[test]
fn who_may_write_to_a_source_makes_the_function_run() {
    let mut world = World::default();
    world.account("boarding");
    let function = world.function("scan", "boarding", None);
    let source = world.resource("queue:passes", "boarding");
    let [sender, reader, other, taker] =
        ["sender", "reader", "other", "taker"].map(|id| world.identity(id, "boarding"));
    let proof = Condition::Test(Attribute::SecondFactor, Test::Present(true));
    world.grant(Principal::Identity(sender), At::Everywhere, &[allow(&["queue/send"])]);
    world.grant(Principal::Identity(reader), At::Everywhere, &[allow(&["queue/read", "queue/take"])]);
    world.grant(Principal::Identity(other), At::Everywhere, &[allow(&["queue/*"]).when(proof)]);
    // What it surely takes does not make surer what it perhaps sends.
    let proof = Condition::Test(Attribute::SecondFactor, Test::Present(true));
    let both = [allow(&["queue/take"]), allow(&["queue/send"]).when(proof)];
    world.grant(Principal::Identity(taker), At::Everywhere, &both);
    let trigger = world.trigger("on-pass", function, source);
    let estate = world.finish();
    let expected = [
        ("identity:sender", Verdict::Yes),
        ("identity:other", Verdict::Depends),
        ("identity:taker", Verdict::Depends),
    ];
    let found = feeders(&estate, trigger);
    let found: Vec<(&str, Verdict)> =
        found.iter().map(|(who, verdict, _)| (who.as_str(), *verdict)).collect();
    assert_eq!(found, expected);
    assert_eq!(Effects::new(&estate).exposure(function).to, Exposure::Insiders);
}

#[rstest]
#[case(Principal::Anyone, Exposure::Anyone)]
#[case(Principal::SignedIn, Exposure::SignedIn)]
fn a_source_that_a_crowd_may_write_to_exposes_the_function(
    #[case] crowd: Principal,
    #[case] expected: Exposure,
) {
    let mut world = World::default();
    world.account("boarding");
    let function = world.function("scan", "boarding", None);
    let source = world.resource("bucket:passes", "boarding");
    world.admit(source, &[crowd], &allow(&["bucket/write"]));
    world.trigger("on-pass", function, source);
    let estate = world.finish();
    assert_eq!(Effects::new(&estate).exposure(function).to, expected);
}

/// A route and what stands behind it, at random.
#[derive(Debug, Clone)]
struct Recipe {
    at_gateway: &'static str,
    /// The function's own endpoints: check, and whether they are switched on.
    own: Vec<(&'static str, bool)>,
    anyone_invokes: bool,
    shown_ended: bool,
    signed: bool,
}

const CHECKS: [&str; 4] = ["none", "key", "identity", "token"];

fn recipe() -> impl Strategy<Value = Recipe> {
    let check = || proptest::sample::select(&CHECKS[..]);
    let own = proptest::collection::vec((check(), any::<bool>()), 0..3);
    (check(), own, any::<bool>(), any::<bool>(), any::<bool>()).prop_map(
        |(at_gateway, own, anyone_invokes, shown_ended, signed)| Recipe {
            at_gateway,
            own,
            anyone_invokes,
            shown_ended,
            signed,
        },
    )
}

/// What a recipe says, without the route; and the function's own endpoints that are switched on.
fn made(recipe: &Recipe) -> (Gate, Vec<EndpointId>) {
    let mut gate = Gate::new();
    if recipe.anyone_invokes {
        gate.world.admit(Thing::Function(gate.function), &[Principal::Anyone], &allow(&[INVOKE]));
    }
    if recipe.shown_ended {
        gate.shown = gate.world.key("ended", KeyOf::Function(gate.function), KeyReach::Function, |key| {
            key.expires = Some(time("2026-01-01"));
        });
    }
    gate.world.verifier(|_, verifier| verifier.checks_signature = recipe.signed);
    let own = recipe.own.iter().enumerate().filter(|(_, (_, enabled))| *enabled);
    let own: Vec<(usize, Check)> = own.map(|(index, (check, _))| (index, gate.check(check))).collect();
    let declare = |(index, check)| {
        gate.world.endpoint(&format!("own-{index}"), gate.function, check, Network::Internal)
    };
    let own = own.into_iter().map(declare).collect();
    (gate, own)
}

/// Who gets through with something presented, who passes the gateway's check, and who the function's own.
fn through(recipe: &Recipe, presents: &str) -> [Vec<(String, Verdict)>; 3] {
    let (mut gate, own) = made(recipe);
    let (check, presented) = (gate.check(recipe.at_gateway), gate.presents(presents));
    let route = gate.world.route("route", gate.function, check, presented);
    let estate = gate.world.finish();
    // The gateway's check by itself, at a function that is otherwise the same.
    let (mut gate, _) = made(recipe);
    let check = gate.check(recipe.at_gateway);
    let alone = gate.world.endpoint("alone", gate.function, check, Network::Internal);
    let at_gateway = callers(&gate.world.finish(), alone);
    let behind = own.iter().flat_map(|id| callers(&estate, *id)).collect();
    [callers(&estate, route), at_gateway, behind]
}

proptest! {
    /// Nobody gets through a route who passes neither check, and nobody more surely than they pass the gateway.
    #[test]
    fn a_route_opens_to_nobody_new(recipe in recipe(), presents in proptest::sample::select(&["nothing", "caller", "identity", "key"][..])) {
        let [through, at_gateway, behind] = through(&recipe, presents);
        for (who, verdict) in &through {
            let at_gate = at_gateway.iter().find(|(name, _)| name == who || name == "anyone");
            prop_assert!(at_gate.is_some_and(|(_, at_gate)| at_gate >= verdict), "{who}: {recipe:?}");
            prop_assert!(
                at_gateway.iter().any(|(name, _)| name == who) || behind.iter().any(|(name, _)| name == who)
                    || presents == "caller",
                "{who} is new: {recipe:?}"
            );
        }
    }

    /// A gateway that presents something lets in no fewer than one that presents nothing.
    #[test]
    fn presenting_nothing_opens_least(recipe in recipe(), presents in proptest::sample::select(&["identity", "key"][..])) {
        let [nothing, ..] = through(&recipe, "nothing");
        let [something, ..] = through(&recipe, presents);
        for (who, verdict) in nothing {
            let found = something.iter().find(|(name, _)| *name == who);
            prop_assert!(found.is_some_and(|(_, there)| *there >= verdict), "{who}: {recipe:?}");
        }
    }
}
