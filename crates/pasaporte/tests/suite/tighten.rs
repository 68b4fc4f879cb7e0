//! Over random estates and what was seen of them: a proposal keeps what is needed, adds nothing, and rehearses clean.

use std::fmt::Write;
use std::fs;
use std::path::Path;

use assert_cmd::Command;
use proptest::prelude::*;
use proptest::test_runner::RngSeed;
use rstest::rstest;
use serde_json::Value;

const ACTIONS: [&str; 6] =
    ["table/read", "table/write", "table/delete", "queue/send", "queue/take", "identity/assume"];
const GIVEN: [&str; 8] =
    ["*", "table/*", "queue/*", "table/read", "table/write", "queue/send", "t?ble/*", "identity/assume"];
const TAKEN: [&str; 6] = ["*", "table:*", "table:bookings", "queue:*", "queue:orders", "identity:*"];
const THINGS: [&str; 5] = ["table:bookings", "table:fares", "queue:orders", "identity:two", "identity:one"];
const WHO: [&str; 4] = ["identity:one", "identity:two", "user:ana", "group:crew"];
const PLACES: [&str; 4] = ["", ", at: \"account:tickets\"", ", at: \"table:bookings\"", ", at: \"app:desk\""];
const ASKS: [&str; 3] = ["none", "{key: function}", "{key: app}"];
const KEYS: [&str; 4] = [
    "opens: \"function:f\", reach: function",
    "opens: \"app:desk\", reach: app",
    "opens: \"app:desk\", reach: admin",
    "opens: \"account:tickets\", reach: admin",
];
const WHEN: [&str; 4] = ["", "", "", ", when: {second_factor: \"true\"}"];

/// A grant: who, statements (deny?, action, resource, condition), where.
type Held = (usize, Vec<(bool, usize, usize, usize)>, usize);

#[derive(Debug, Clone)]
struct Recipe {
    grants: Vec<Held>,
    uses: Vec<(usize, usize, Option<usize>, u64)>,
    trigger: bool,
    /// What the endpoints ask for.
    asks: usize,
    /// What the key opens.
    key: usize,
    /// Calls: at which endpoint, and what was shown.
    calls: Vec<(usize, usize)>,
    /// Whether the other function runs as the same identity.
    shared: bool,
    covered: bool,
}

fn recipe() -> impl Strategy<Value = Recipe> {
    let statement = (prop::bool::weighted(0.2), 0..GIVEN.len(), 0..TAKEN.len(), 0..WHEN.len());
    let grant = (0..WHO.len(), prop::collection::vec(statement, 1..4), 0..PLACES.len());
    let one_use = (0..3usize, 0..ACTIONS.len(), prop::option::weighted(0.8, 0..THINGS.len()), 1..900u64);
    (
        prop::collection::vec(grant, 1..5),
        prop::collection::vec(one_use, 0..6),
        any::<bool>(),
        (0..ASKS.len(), 0..KEYS.len()),
        prop::collection::vec((0..2usize, 0..3usize), 0..3),
        any::<bool>(),
        prop::bool::weighted(0.8),
    )
        .prop_map(|(grants, uses, trigger, (asks, key), calls, shared, covered)| Recipe {
            grants,
            uses,
            trigger,
            asks,
            key,
            calls,
            shared,
            covered,
        })
}

fn written(recipe: &Recipe) -> String {
    let mut text = "estate: 1\nas_of: 2026-11-20\nscopes: [{id: tickets, kind: account, environment: production}, {id: desk, kind: app, in: tickets}]\n\
         resources: [{id: \"table:bookings\", in: desk, sensitivity: confidential}, {id: \"table:fares\", in: tickets}, {id: \"queue:orders\", in: tickets}]\n\
         identities: [{id: one, in: desk, kind: execution-role}, {id: two, in: tickets, kind: execution-role}]\n\
         users: [{id: ana, in: tickets}]\ngroups: [{id: crew, in: tickets, members: [user:ana, identity:two]}]\n\
"
        .to_owned();
    let _ = writeln!(text, "keys: [{{id: front, {}, created: 2026-10-01}}]", KEYS[recipe.key]);
    let trigger = if recipe.trigger { ", triggers: [{source: \"queue:orders\"}]" } else { "" };
    let check = ASKS[recipe.asks];
    let door = |id: &str, path: &str| {
        format!("endpoints: [{{id: {id}, check: {check}, url: \"https://tickets.marivela.example/{path}\"}}]")
    };
    let _ = writeln!(
        text,
        "functions: [{{id: f, in: desk, runs_as: one, {}{trigger}}}, {{id: g, in: desk, {}{}}}]",
        door("door", "f"),
        door("hatch", "g"),
        if recipe.shared { ", runs_as: one, settings: [FARES_TABLE]" } else { "" }
    );
    text.push_str("grants:\n");
    for (at, (who, statements, place)) in recipe.grants.iter().enumerate() {
        let line = |(deny, action, resource, when): &(bool, usize, usize, usize)| {
            let effect = if *deny { "deny" } else { "allow" };
            format!("{{{effect}: \"{}\", on: \"{}\"{}}}", GIVEN[*action], TAKEN[*resource], WHEN[*when])
        };
        let statements: Vec<String> = statements.iter().map(line).collect();
        let (who, place) = (WHO[*who], PLACES[*place]);
        let _ = writeln!(
            text,
            "  - {{id: g{at}, to: \"{who}\", statements: [{}]{place}}}",
            statements.join(", ")
        );
    }
    if !recipe.uses.is_empty() {
        text.push_str("usage:\n");
    }
    for (who, action, on, count) in &recipe.uses {
        let on = on.map_or_else(String::new, |on| format!(", to: \"{}\"", THINGS[on]));
        let (who, did) = (WHO[*who], ACTIONS[*action]);
        let _ = writeln!(text, "  - {{who: \"{who}\", did: {did}{on}, count: {count}, last: 2026-11-19}}");
    }
    for (at, (endpoint, showed)) in recipe.calls.iter().enumerate() {
        let (endpoint, showed) =
            (["door", "hatch"][*endpoint], ["nothing", "key:front", "identity:two"][*showed]);
        let heading = if at == 0 { "calls:\n" } else { "" };
        let _ = writeln!(
            text,
            "{heading}  - {{endpoint: {endpoint}, method: POST, answer: 2xx, showed: \"{showed}\", count: 40, last: 2026-11-19}}"
        );
    }
    if recipe.covered {
        text.push_str("logs: [{in: tickets, from: 2026-08-01, to: 2026-11-20}]\n");
    }
    text
}

fn run(args: &[&str]) -> (i32, Value) {
    let output =
        Command::cargo_bin("pasaporte").unwrap().args(args).args(["--format", "json"]).output().unwrap();
    let error = String::from_utf8_lossy(&output.stderr).into_owned();
    let told = serde_json::from_slice(&output.stdout).unwrap_or_else(|_| panic!("{args:?}: {error}"));
    (output.status.code().unwrap(), told)
}

fn verdict(who: &str, action: &str, on: &str, estate: &str, fix: Option<&str>) -> String {
    let with = fix.map_or_else(Vec::new, |fix| vec!["--with", fix]);
    let (_, told) = run(&[&["explain", who, action, on, estate], &with[..]].concat());
    told["verdict"].as_str().unwrap().to_owned()
}

/// The words of verdicts, from less to more.
fn rank(verdict: &str) -> usize {
    ["no", "depends", "yes"].iter().position(|word| *word == verdict).unwrap()
}

/// How many random estates a law is held over: a few, drawn from a number; or as many as `ESTATES` says, others each time.
fn estates(seed: u64) -> ProptestConfig {
    let asked = std::env::var("ESTATES").ok().and_then(|text| text.parse().ok());
    ProptestConfig {
        cases: asked.unwrap_or(16),
        rng_seed: if asked.is_some() { RngSeed::Random } else { RngSeed::Fixed(seed) },
        failure_persistence: None,
        max_shrink_iters: 64,
        ..ProptestConfig::default()
    }
}

proptest! {
    #![proptest_config(estates(11))]

    #[test]
    fn a_proposal_holds(recipe in recipe()) {
        let folder = tempfile::tempdir().unwrap();
        let place = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
        let (estate, fix) = (place("estate.yaml"), place("fix.yaml"));
        fs::write(&estate, written(&recipe)).unwrap();
        let (code, told) = run(&["tighten", "account:tickets", &estate, "--out", &fix]);
        if !Path::new(&fix).exists() {
            prop_assert_eq!(told["changes"].as_array().unwrap().len(), 0);
            return Ok(());
        }
        prop_assert!(recipe.covered, "nothing is needless where nobody looked");
        prop_assert_eq!(code, 0, "{:#}\n{}", told["proof"], written(&recipe));
        let (code, rehearsed) = run(&["rehearse", &fix, &estate]);
        prop_assert_eq!(code, 0, "{:#}", rehearsed["broken"]);
        // Asked one by one: what was used goes as it did, and nobody may more.
        for (who, action, on, _) in &recipe.uses {
            let Some(on) = on else { continue };
            let (who, action, on) = (WHO[*who], ACTIONS[*action], THINGS[*on]);
            let (was, now) = (verdict(who, action, on, &estate, None), verdict(who, action, on, &estate, Some(&fix)));
            prop_assert_eq!(was, now, "{} {} {}\n{}", who, action, on, written(&recipe));
        }
        for (who, action, on) in [("identity:one", "table/delete", "table:bookings"), ("user:ana", "queue/take", "queue:orders")] {
            let (was, now) = (verdict(who, action, on, &estate, None), verdict(who, action, on, &estate, Some(&fix)));
            prop_assert!(rank(&now) <= rank(&was), "{who} {action} {on}: {was}, then {now}");
        }
    }
}

proptest! {
    #![proptest_config(estates(5))]

    /// What takes the place of an identity may what that was seen to do, one or the other of them, and nothing that it might not.
    #[test]
    fn a_split_holds(recipe in recipe()) {
        let mut recipe = Recipe { shared: true, covered: true, ..recipe };
        recipe.grants.iter_mut().for_each(|grant| grant.0 = 0);
        recipe.uses.iter_mut().for_each(|it| it.0 = 0);
        let folder = tempfile::tempdir().unwrap();
        let place = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
        let (estate, fix) = (place("estate.yaml"), place("fix.yaml"));
        fs::write(&estate, written(&recipe)).unwrap();
        let (code, told) = run(&["tighten", "identity:one", &estate, "--split", "--out", &fix]);
        if !Path::new(&fix).exists() {
            prop_assert_eq!(told["left"].as_array().unwrap().len(), 1, "it says why");
            return Ok(());
        }
        prop_assert_eq!(code, 0, "{:#}\n{}", told["proof"], written(&recipe));
        prop_assert_eq!(run(&["rehearse", &fix, &estate]).0, 0);
        for action in ["table/read", "table/delete", "queue/take", "identity/assume"] {
            for on in ["table:fares", "queue:orders", "identity:two"] {
                let was = verdict("identity:one", action, on, &estate, None);
                let heirs = ["identity:f-identity", "identity:g-identity"];
                let now = heirs.map(|heir| verdict(heir, action, on, &estate, Some(&fix)));
                let most = now.iter().map(|it| rank(it)).max().unwrap();
                prop_assert!(most <= rank(&was), "{action} {on}: {was}, then {now:?}\n{}", written(&recipe));
                let used = |it: &(usize, usize, Option<usize>, u64)| {
                    WHO[it.0] == "identity:one" && ACTIONS[it.1] == action && it.2.is_some_and(|it| THINGS[it] == on)
                };
                if recipe.uses.iter().any(used) {
                    prop_assert_eq!(most, rank(&was), "{} {}: {} was used\n{}", action, on, was, written(&recipe));
                }
            }
        }
    }
}

/// Two functions that may run as one identity, which was seen to read fares and to write seats.
fn pier(f: &str, more: &str) -> String {
    format!(
        "estate: 1\nas_of: 2026-11-20\nscopes: [{{id: pier, kind: account, environment: production}}, {{id: quay, kind: account}}]\n\
         resources: [{{id: \"table:fares\", in: pier}}, {{id: \"table:seats\", in: pier}}, {{id: \"table:crews\", in: pier}}]\n\
         identities: [{{id: one, in: pier, kind: execution-role, tags: {{team: fares}}, trust: [service:functions], grants: [{{id: work, statements: [allow table/* on table:*], at: account:pier}}]}}]\n\
         functions: [{f}, {{id: g, in: pier, runs_as: one, runtime: node 24}}]\n\
         usage:\n  - {{who: \"identity:one\", did: table/read, to: \"table:fares\", count: 3, last: 2026-11-19}}\n  \
         - {{who: \"identity:one\", did: table/write, to: \"table:seats\", count: 3, last: 2026-11-19}}\n{more}\
         logs: [{{in: pier, from: 2026-08-01, to: 2026-11-20}}]\n"
    )
}

/// Where it cannot be told who needs what, or what would take its place might more or less, nothing is split and it is said why.
#[rstest]
#[case::the_same("{id: f, runs_as: one}", "", "need the same")]
#[case::alone("{id: f}", "", "no two functions")]
#[case::bounded(
    FARES,
    "ceilings: [{over: identity:one, statements: [allow table/*]}]\n",
    "a ceiling names it"
)]
#[case::by_a_group(
    FARES,
    "  - {who: \"identity:one\", did: queue/send, to: \"table:fares\", count: 1, last: 2026-11-19}\ngroups: [{id: crew, in: pier, members: [identity:one], grants: [{statements: [allow queue/*]}]}]\n",
    "by a group"
)]
#[case::by_a_list(
    FARES,
    "  - {who: \"identity:one\", did: queue/send, to: \"table:fares\", count: 1, last: 2026-11-19}\naccess: [{on: \"table:fares\", to: identity:one, allow: queue/send}]\n",
    "an access list"
)]
#[case::not_watched(
    FARES,
    "grants: [{id: far, to: identity:one, statements: [allow queue/send], at: account:quay}]\n",
    "no logs cover"
)]
fn what_cannot_be_told_is_not_split(#[case] f: &str, #[case] more: &str, #[case] why: &str) {
    let folder = tempfile::tempdir().unwrap();
    let estate = folder.path().join("estate.yaml");
    fs::write(&estate, pier(f, more)).unwrap();
    let (code, told) = run(&["tighten", "identity:one", estate.to_str().unwrap(), "--split"]);
    assert_eq!((code, told["changes"].as_array().unwrap().len()), (0, 0), "{told:#}");
    assert!(told["left"][0]["why"].as_str().unwrap().contains(why), "{told:#}");
}

const FARES: &str = "{id: f, runs_as: one, settings: [FARES_TABLE]}";

/// Only what functions run as is split.
#[rstest]
#[case::an_account("account:pier")]
#[case::a_function_that_runs_as_nothing("f")]
fn what_nothing_runs_as_is_not_split(#[case] target: &str) {
    let folder = tempfile::tempdir().unwrap();
    let estate = folder.path().join("estate.yaml");
    fs::write(&estate, pier("{id: f}", "")).unwrap();
    let output = Command::cargo_bin("pasaporte")
        .unwrap()
        .args(["tighten", target])
        .arg(&estate)
        .arg("--split")
        .output()
        .unwrap();
    assert_eq!(output.status.code(), Some(2));
    let told = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(told.contains("is nothing that functions run as"), "{told}");
}

/// What logs do not name is needed by each, wherever the statement takes it.
#[test]
fn what_logs_do_not_name_stays_with_each() {
    let folder = tempfile::tempdir().unwrap();
    let estate = folder.path().join("estate.yaml");
    fs::write(
        &estate,
        pier(FARES, "  - {who: \"identity:one\", did: table/scan, count: 2, last: 2026-11-19}\n"),
    )
    .unwrap();
    let (code, told) = run(&["tighten", "identity:one", estate.to_str().unwrap(), "--split"]);
    assert_eq!(code, 0, "{told:#}");
    for keeps in told["changes"][0]["keeps"].as_array().unwrap() {
        assert!(
            keeps.as_str().unwrap().contains("table/scan on table:*, since logs do not say on what"),
            "{told:#}"
        );
    }
}

/// What triggers and settings name goes to whose they are, what nobody accounts for to each, and what somebody wants kept for a
/// function to that; and where it cannot be told, nothing is split, and it is said why.
#[rstest]
#[case::by_settings("{id: f, runs_as: one, settings: [FARES_TABLE]}", "", &["table/read on table:fares; table/write on table:seats", "table/write on table:seats"])]
#[case::by_triggers("{id: f, runs_as: one, triggers: [{source: \"table:fares\"}]}", "", &["table/list on table:fares; table/read on table:fares; table/write on table:seats", "table/write on table:seats"])]
#[case::kept("{id: f, runs_as: one, settings: [FARES_TABLE]}", "[[keep]]\nwho = \"function:g\"\ndoes = [\"table/write\"]\non = [\"table:seats\"]\n", &["table/read on table:fares", "table/write on table:seats"])]
fn an_identity_is_split(#[case] f: &str, #[case] config: &str, #[case] keeps: &[&str]) {
    let folder = tempfile::tempdir().unwrap();
    let place = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let (estate, fix, toml) = (place("estate.yaml"), place("fix.yaml"), place("pasaporte.toml"));
    fs::write(&estate, pier(f, "")).unwrap();
    fs::write(&toml, config).unwrap();
    let (code, told) =
        run(&["tighten", "identity:one", &estate, "--split", "--out", &fix, "--config", &toml]);
    assert_eq!(code, 0, "{told:#}");
    if keeps.is_empty() {
        assert_eq!(
            (told["changes"].as_array().unwrap().len(), told["left"].as_array().unwrap().len()),
            (0, 1),
            "{told:#}"
        );
        return;
    }
    let of = |name: &str, what: &str| format!("function:{name}, as identity:{name}-identity: {what}");
    assert_eq!(
        told["changes"][0]["keeps"],
        serde_json::json!([of("f", keeps[0]), of("g", keeps[1])]),
        "{told:#}"
    );
    assert_eq!(verdict("identity:g-identity", "table/delete", "table:crews", &estate, Some(&fix)), "no");
    assert_eq!(
        verdict("service:functions", "identity/assume", "identity:g-identity", &estate, Some(&fix)),
        "yes"
    );
    let (_, functions) = run(&["list", "functions", &estate, "--with", &fix, "--columns", "all"]);
    assert_eq!(functions["rows"][1]["runs_as"], "g-identity", "{functions:#}");
    let overlay = told["overlay"].as_str().unwrap();
    assert!(overlay.contains("node 24") && overlay.contains(r#""team": "fares""#), "{overlay}");
}

/// Two functions of one app, with endpoints that ask for a key of some reach, and calls of them that showed one.
fn desk(key: &str, asks: &str, calls: &[&str], more: &str) -> String {
    let calls: Vec<String> = calls
        .iter()
        .map(|endpoint| format!("{{endpoint: {endpoint}, method: GET, answer: 2xx, showed: \"key:front\", count: 7, last: 2026-11-19}}"))
        .collect();
    format!(
        "estate: 1\nas_of: 2026-11-20\nscopes: [{{id: tickets, kind: account, environment: production}}, {{id: desk, kind: app, in: tickets}}]\n\
         functions:\n  - {{id: f, in: desk, endpoints: [{{id: door, check: {{key: {asks}}}, url: \"https://tickets.marivela.example/f\"}}]}}\n  \
         - {{id: g, in: desk, endpoints: [{{id: hatch, check: {{key: function}}, url: \"https://tickets.marivela.example/g\"}}]}}\n\
         keys: [{{id: front, {key}, created: 2026-10-01}}]\ncalls: [{}]\nlogs: [{{in: tickets, from: 2026-08-01, to: 2026-11-20}}]\n{more}",
        calls.join(", ")
    )
}

/// A key is confined to what it was used for, where the endpoints take such a key; and never beyond what a gateway shows
/// it for, or what somebody else saw of it.
#[rstest]
#[case::one_function("opens: \"app:desk\", reach: app", "function", &["door"], "", Some(("function:f", "function")), "")]
#[case::two_functions("opens: \"app:desk\", reach: app", "function", &["door", "hatch"], "", None, "it is in use")]
#[case::asks_for_more("opens: \"app:desk\", reach: app", "app", &["door"], "", None, "asks for a key of the whole app")]
#[case::managing("opens: \"app:desk\", reach: admin", "function", &["door", "hatch"], "", Some(("app:desk", "app")), "")]
#[case::managing_one("opens: \"app:desk\", reach: admin", "app", &["door"], "", Some(("app:desk", "app")), "")]
#[case::asks_for_all("opens: \"app:desk\", reach: admin", "admin", &["door"], "", None, "asks for a key of the whole app")]
#[case::its_own("opens: \"function:f\", reach: function", "function", &["door"], "", None, "it is in use")]
#[case::seen_later("opens: \"app:desk\", reach: app, last_used: 2026-11-20T12:00:00Z", "function", &["door"], "", None, "it is in use")]
#[case::by_a_gateway("opens: \"app:desk\", reach: app", "function", &["door"], ROUTE, None, "it is in use")]
#[case::by_a_gateway_alone("opens: \"app:desk\", reach: app", "function", &[], ROUTE, Some(("function:g", "function")), "")]
fn a_key_is_confined(
    #[case] key: &str,
    #[case] asks: &str,
    #[case] calls: &[&str],
    #[case] more: &str,
    #[case] expected: Option<(&str, &str)>,
    #[case] why: &str,
) {
    let folder = tempfile::tempdir().unwrap();
    let place = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let (estate, fix) = (place("estate.yaml"), place("fix.yaml"));
    fs::write(&estate, desk(key, asks, calls, more)).unwrap();
    let (code, told) = run(&["tighten", "key:front", &estate, "--out", &fix]);
    assert_eq!(code, 0, "{told:#}");
    let Some((opens, reach)) = expected else {
        assert_eq!(told["changes"].as_array().unwrap().len(), 0, "{told:#}");
        assert!(told["left"][0]["why"].as_str().unwrap().contains(why), "{told:#}");
        return;
    };
    assert_eq!(
        (told["changes"][0]["kind"].as_str(), told["changes"].as_array().unwrap().len()),
        (Some("confine"), 1)
    );
    assert_eq!(told["changes"][0]["keeps"][0], opens);
    let (_, keys) = run(&["list", "keys", &estate, "--with", &fix]);
    assert_eq!(
        (keys["rows"][0]["opens"].as_str(), keys["rows"][0]["reach"].as_str()),
        (Some(opens), Some(reach))
    );
    assert_eq!(run(&["rehearse", &fix, &estate]).0, 0);
}

const ROUTE: &str = "endpoints: [{id: front-route, function: g, gateway: front, path: /g, check: none, presents: {key: front}}]\n";
