//! Contracts and declarations held against what is deployed, by expectations written by hand.

use crate::support::World;
use pasaporte_core::effect::Effects;
use pasaporte_core::entry::{Aspect, Standing};
use pasaporte_core::estate::*;
use pasaporte_core::pattern::Pattern;
use proptest::prelude::*;
use rstest::rstest;

/// What an operation asks, in short: alternatives divided by `|`, proofs together by `+`; `-` for an empty requirement,
/// `?` for what was not understood.
fn asked(world: &mut World, text: &str) -> Asked {
    if text == "?" {
        return Asked::Unread;
    }
    let name = world.builder.name("x");
    let scheme = |word: &str| Scheme {
        kind: match word {
            "key" => SchemeKind::Key(KeyPlace::Header, name),
            "basic" => SchemeKind::Http(name),
            "bearer" => SchemeKind::Bearer,
            "oauth" => SchemeKind::OAuth2,
            "oidc" => SchemeKind::OpenIdConnect,
            "tls" => SchemeKind::MutualTls,
            other => panic!("{other} is no scheme"),
        },
        scopes: Vec::new(),
    };
    let requirement = |text: &str| {
        if text == "-" { Vec::new() } else { text.split('+').map(scheme).collect() }
    };
    Asked::OneOf(if text.is_empty() { Vec::new() } else { text.split('|').map(requirement).collect() })
}

/// A contract of the gateway `front`, with operations such as `GET /sail: key`.
fn contract(world: &mut World, operations: &[&str]) {
    let origin = world.origin();
    let operations = operations
        .iter()
        .map(|text| {
            let (operation, asks) = text.split_once(": ").unwrap_or((text.trim_end_matches(':'), ""));
            let (method, path) = operation.split_once(' ').unwrap();
            let asks = asked(world, asks);
            let (method, path) = (world.builder.name(method), world.builder.name(path));
            Operation {
                method,
                path,
                prefixes: [world.builder.name("/v1")].into(),
                asks: asks.into(),
                origin,
            }
        })
        .collect();
    let of = ContractOf::Gateway(world.builder.name("front"));
    let document = world.builder.name("it.yaml");
    let id: ContractId = world.builder.mention("it");
    world.builder.declare(id, Contract { of, document, operations, unread: Vec::new(), origin }, origin);
}

fn route(world: &mut World, id: &str, check: Check, path: &str, methods: &[&str]) -> EndpointId {
    let function = world.builder.mention("sail");
    let endpoint = world.route(id, function, check, Presents::Nothing);
    let (path, methods) = (world.builder.name(path), world.names(methods));
    let it = world.builder.get_mut(endpoint).unwrap();
    (it.path, it.methods) = (Some(path), methods);
    endpoint
}

/// A function that checks nothing itself, so that what the gateway asks is all that is asked.
fn ferry() -> World {
    let mut world = World::default();
    world.account("boarding");
    let function = world.function("sail", "boarding", None);
    world.endpoint("sail/direct", function, Check::None, Network::Internal);
    world.key("k", KeyOf::Function(function), KeyReach::Function, |_| {});
    world
}

fn check(world: &mut World, text: &str) -> Check {
    match text {
        "none" => Check::None,
        "key" => Check::Key(KeyReach::Function),
        "identity" => Check::Identity,
        "token" => Check::Token(world.builder.mention("site")),
        other => panic!("{other} is no check"),
    }
}

/// What is declared, what the route checks, and how the two stand.
#[rstest]
#[case("", "none", Standing::Open)]
#[case("", "key", Standing::ClosedInEffect)]
#[case("-", "none", Standing::Open)]
#[case("-|key", "none", Standing::Open)]
#[case("-|key", "token", Standing::ClosedInEffect)]
#[case("key", "none", Standing::OpenInEffect)]
#[case("key", "key", Standing::Kept)]
#[case("key", "token", Standing::Kept)]
#[case("key", "identity", Standing::Kept)]
#[case("basic", "key", Standing::Kept)]
#[case("bearer", "none", Standing::OpenInEffect)]
#[case("bearer", "key", Standing::Weaker)]
#[case("bearer", "token", Standing::Kept)]
#[case("oauth", "key", Standing::Weaker)]
#[case("oidc", "identity", Standing::Kept)]
#[case("tls", "key", Standing::Weaker)]
#[case("key|bearer", "key", Standing::Kept)]
#[case("key+bearer", "key", Standing::Weaker)]
#[case("?", "none", Standing::Unread)]
#[case("?", "key", Standing::Unread)]
fn how_what_is_deployed_stands(#[case] declares: &str, #[case] checks: &str, #[case] expected: Standing) {
    let mut world = ferry();
    let check = check(&mut world, checks);
    route(&mut world, "r", check, "/sail", &["GET"]);
    contract(&mut world, &[&format!("GET /sail: {declares}")]);
    let estate = world.finish();
    let held = Effects::new(&estate).held_contracts();
    assert_eq!(held.operations[0].standing, expected);
    assert_eq!(held.operations[0].answered_by.len(), 1);
}

/// Which endpoints answer an operation, and which is the weakest of them.
#[rstest]
#[case("GET /sail: key", &["exact"], Standing::Kept)]
#[case("GET /sail/north: key", &["below", "blank"], Standing::OpenInEffect)]
#[case("GET /sail/{day}: key", &["blank"], Standing::Kept)]
#[case("GET /sail/north/late: key", &["below"], Standing::OpenInEffect)]
#[case("POST /sail: key", &[], Standing::Unserved)]
#[case("HEAD /sail: key", &["exact"], Standing::Kept)]
#[case("GET /dock: key", &[], Standing::Unserved)]
#[case("GET /off: key", &[], Standing::Unserved)]
#[case("GET /pier: key", &["prefixed"], Standing::Kept)]
fn which_endpoints_answer(#[case] operation: &str, #[case] expected: &[&str], #[case] standing: Standing) {
    let mut world = ferry();
    let key = || Check::Key(KeyReach::Function);
    route(&mut world, "exact", key(), "/sail", &["GET"]);
    route(&mut world, "blank", key(), "/sail/{id}", &["GET"]);
    route(&mut world, "below", Check::None, "/sail/*", &["GET"]);
    route(&mut world, "prefixed", key(), "/v1/pier", &["GET"]);
    let off = route(&mut world, "off", Check::None, "/off", &["GET"]);
    world.builder.get_mut(off).unwrap().state = State::Disabled;
    contract(&mut world, &[operation]);
    let estate = world.finish();
    let held = Effects::new(&estate).held_contracts().operations.remove(0);
    let answered: Vec<&str> = held.answered_by.iter().map(|id| estate.id(*id)).collect();
    assert_eq!((answered.as_slice(), held.standing), (expected, standing));
}

/// What an endpoint takes beyond its contract: the methods needed and spare; or nothing is said of it at all.
#[rstest]
#[case("/sail", &["GET"], None)]
#[case("/sail", &["GET", "POST"], None)]
#[case("/sail", &["GET", "HEAD", "OPTIONS"], None)]
#[case("/sail", &["GET", "DELETE", "PATCH"], Some((&["GET", "POST"][..], &["DELETE", "PATCH"][..])))]
#[case("/sail", &[], Some((&["GET", "POST"][..], &[][..])))]
#[case("/moor", &["GET"], Some((&[][..], &["GET"][..])))]
#[case("/*", &["GET"], None)]
fn what_a_contract_does_not_speak_of(
    #[case] path: &str,
    #[case] methods: &[&str],
    #[case] expected: Option<(&[&str], &[&str])>,
) {
    let mut world = ferry();
    route(&mut world, "r", Check::Identity, path, methods);
    contract(&mut world, &["GET /sail: key", "POST /sail: key"]);
    let estate = world.finish();
    let unspoken = Effects::new(&estate).held_contracts().unspoken;
    let words = |names: &[Name]| names.iter().map(|name| estate.text(*name)).collect::<Vec<_>>();
    let told: Vec<(Vec<&str>, Vec<&str>)> =
        unspoken.iter().map(|it| (words(&it.needed), words(&it.spare))).collect();
    let expected: Vec<(Vec<&str>, Vec<&str>)> =
        expected.into_iter().map(|(needed, spare)| (needed.to_vec(), spare.to_vec())).collect();
    assert_eq!(told, expected);
}

/// A function's contract speaks of its direct endpoints, and of routes only as far as their paths are its own.
#[test]
fn a_gateway_may_call_a_function_by_another_path() {
    let mut world = ferry();
    let direct = world.builder.mention::<EndpointId>("sail/direct");
    let path = world.builder.name("/other");
    world.builder.get_mut(direct).unwrap().path = Some(path);
    route(&mut world, "same", Check::Identity, "/sail", &["GET"]);
    route(&mut world, "rewritten", Check::Identity, "/ferries/sail", &["GET"]);
    contract(&mut world, &["GET /sail: bearer"]);
    let of = ContractOf::Function(world.builder.mention("sail"));
    let id: ContractId = world.builder.mention("it");
    world.builder.get_mut(id).unwrap().of = of;
    let estate = world.finish();
    let held = Effects::new(&estate).held_contracts();
    let answered: Vec<&str> = held.operations[0].answered_by.iter().map(|id| estate.id(*id)).collect();
    assert_eq!(answered, ["same"]);
    let unspoken: Vec<&str> = held.unspoken.iter().map(|it| estate.id(it.endpoint)).collect();
    assert_eq!(unspoken, ["sail/direct"]);
}

/// One side of a comparison: a function `sail` with an endpoint, changed a little.
fn side(change: impl FnOnce(&mut World, EndpointId)) -> Estate {
    let mut world = World::default();
    world.account("boarding");
    world.identity("sailor", "boarding");
    world.identity("captain", "boarding");
    let function = world.function("sail", "boarding", Some("sailor"));
    let endpoint = world.endpoint("sail/direct", function, Check::Identity, Network::Internal);
    let methods = world.names(&["GET"]);
    world.builder.get_mut(endpoint).unwrap().methods = methods;
    change(&mut world, endpoint);
    world.finish()
}

fn drift(
    deployed: impl FnOnce(&mut World, EndpointId),
    declared: impl FnOnce(&mut World, EndpointId),
) -> Vec<(String, Aspect, bool)> {
    let mut estate = side(deployed);
    estate.set_declared(side(declared));
    let all = Effects::new(&estate).drift();
    all.into_iter().map(|it| (estate.label(it.thing), it.aspect, it.surely_weaker)).collect()
}

fn change(what: &'static str) -> impl FnOnce(&mut World, EndpointId) {
    move |world, id| {
        let listed = |net: &str| Network::Listed([net.parse().unwrap()].into());
        match what {
            "" => {}
            "none" => world.builder.get_mut(id).unwrap().check = Check::None,
            "key" => world.builder.get_mut(id).unwrap().check = Check::Key(KeyReach::Function),
            "admin" => world.builder.get_mut(id).unwrap().check = Check::Key(KeyReach::Admin),
            "token" | "other token" => {
                let verifier = world.builder.mention(if what == "token" { "site" } else { "staff" });
                world.builder.get_mut(id).unwrap().check = Check::Token(verifier);
            }
            "internet" => world.builder.get_mut(id).unwrap().network = Network::Internet,
            "10.0.0.0/8" | "10.40.0.0/16" | "0.0.0.0/0" => {
                world.builder.get_mut(id).unwrap().network = listed(what);
            }
            "all methods" => world.builder.get_mut(id).unwrap().methods = List::default(),
            "more methods" => {
                let methods = world.names(&["GET", "POST"]);
                world.builder.get_mut(id).unwrap().methods = methods;
            }
            "off" => world.builder.get_mut(id).unwrap().state = State::Disabled,
            "captain" | "nobody" => {
                let function: FunctionId = world.builder.mention("sail");
                let captain = (what == "captain").then(|| world.builder.mention("captain"));
                world.builder.get_mut(function).unwrap().runs_as = captain;
            }
            "function off" => {
                let function: FunctionId = world.builder.mention("sail");
                world.builder.get_mut(function).unwrap().state = State::Disabled;
            }
            "second" => {
                let function = world.builder.mention("sail");
                world.route("sail/front", function, Check::Identity, Presents::Nothing);
            }
            "presents key" | "presents nothing" => {
                let function = world.builder.mention("sail");
                let presents = match what {
                    "presents key" => Presents::Key(world.builder.mention("k")),
                    _ => Presents::Nothing,
                };
                world.route("sail/front", function, Check::Identity, presents);
            }
            "loose" => world.verifier(|_, it| it.checks_signature = false),
            "forever" => world.verifier(|_, it| it.checks_expiry = false),
            "strict" => world.verifier(|world, it| it.audiences = world.names(&["staff"])),
            "two" => world.verifier(|world, it| it.audiences = world.names(&["staff", "web"])),
            "plain" => world.verifier(|_, _| {}),
            other => panic!("{other} is no change"),
        }
    }
}

/// As deployed, as declared, and what of it lets in more.
#[rstest]
#[case("", "", &[])]
#[case("none", "", &["endpoint:sail/direct check"])]
#[case("key", "", &["endpoint:sail/direct check"])]
#[case("", "key", &[])]
#[case("key", "admin", &["endpoint:sail/direct check"])]
#[case("admin", "key", &[])]
#[case("token", "other token", &["endpoint:sail/direct check (perhaps)"])]
#[case("token", "token", &[])]
#[case("token", "", &[])]
#[case("internet", "", &["endpoint:sail/direct network"])]
#[case("internet", "0.0.0.0/0", &[])]
#[case("10.0.0.0/8", "10.40.0.0/16", &["endpoint:sail/direct network"])]
#[case("10.40.0.0/16", "10.0.0.0/8", &[])]
#[case("10.40.0.0/16", "", &["endpoint:sail/direct network"])]
#[case("", "10.40.0.0/16", &[])]
#[case("all methods", "", &["endpoint:sail/direct methods"])]
#[case("more methods", "", &["endpoint:sail/direct methods"])]
#[case("", "more methods", &[])]
#[case("more methods", "all methods", &[])]
#[case("off", "", &[])]
#[case("", "off", &["endpoint:sail/direct state"])]
#[case("", "function off", &["function:sail state"])]
#[case("captain", "", &["function:sail identity (perhaps)"])]
#[case("captain", "nobody", &[])]
#[case("second", "", &["endpoint:sail/front presence"])]
#[case("", "second", &[])]
#[case("presents key", "presents nothing", &["endpoint:sail/front presents"])]
#[case("presents nothing", "presents key", &[])]
#[case("loose", "plain", &["verifier:site verifier"])]
#[case("forever", "plain", &["verifier:site verifier"])]
#[case("plain", "strict", &["verifier:site verifier"])]
#[case("two", "strict", &["verifier:site verifier"])]
#[case("strict", "two", &[])]
#[case("strict", "plain", &[])]
fn what_drifted(#[case] deployed: &'static str, #[case] declared: &'static str, #[case] expected: &[&str]) {
    let all = drift(change(deployed), change(declared));
    let told: Vec<String> = all
        .into_iter()
        .map(|(thing, aspect, surely)| format!("{thing} {aspect}{}", if surely { "" } else { " (perhaps)" }))
        .collect();
    assert_eq!(told, expected);
}

#[test]
fn nothing_drifts_from_what_nobody_declared() {
    assert!(Effects::new(&side(change("none"))).drift().is_empty());
}

/// What a try shows, by method and status.
#[rstest]
#[case("HEAD", Some(200), Shows::Through)]
#[case("GET", Some(204), Shows::Through)]
#[case("OPTIONS", Some(200), Shows::Unclear)]
#[case("OPTIONS", Some(401), Shows::TurnedAway)]
#[case("HEAD", Some(401), Shows::TurnedAway)]
#[case("HEAD", Some(403), Shows::TurnedAway)]
#[case("HEAD", Some(407), Shows::TurnedAway)]
#[case("POST", Some(400), Shows::PerhapsThrough)]
#[case("POST", Some(422), Shows::PerhapsThrough)]
#[case("OPTIONS", Some(400), Shows::Unclear)]
#[case("HEAD", Some(302), Shows::Unclear)]
#[case("HEAD", Some(404), Shows::Unclear)]
#[case("HEAD", Some(405), Shows::Unclear)]
#[case("HEAD", Some(500), Shows::Unclear)]
#[case("HEAD", None, Shows::Unclear)]
fn what_a_try_shows(#[case] method: &str, #[case] status: Option<u16>, #[case] expected: Shows) {
    assert_eq!(Shows::of(method, status), expected);
}

proptest! {
    /// Paths that a pattern of the same shape matches meet, whatever stands in their blanks.
    #[test]
    fn an_operation_is_answered_by_whatever_its_path_matches(
        route_path in "(/(a|b|\\{x\\})){1,3}(/\\*)?",
        operation in "(/(a|b|c)){1,4}",
    ) {
        let mut world = ferry();
        route(&mut world, "r", Check::None, &route_path, &["GET"]);
        contract(&mut world, &[&format!("GET {operation}:")]);
        let estate = world.finish();
        let held = Effects::new(&estate).held_contracts();
        let answered = !held.operations[0].answered_by.is_empty();
        // The same by another way: a blank is one segment, which has no slash in it.
        let under = |prefix: &str, path: &str| {
            let (mut own, mut theirs) = (prefix.split('/').skip(1), path.split('/').skip(1));
            loop {
                match (own.next(), theirs.next()) {
                    (Some("*"), _) | (None, None) => return true,
                    (Some("{x}"), Some(_)) => {}
                    (Some(one), Some(other)) if Pattern::parse(one).unwrap().matches(other) => {}
                    _ => return false,
                }
            }
        };
        prop_assert_eq!(answered, under(&route_path, &operation) || under(&route_path, &format!("/v1{operation}")));
    }
}
