//! What is held against what is needed: what rules say of control, of chains and of all-but is what the decision says, and
//! nothing of it is left out. Laws over random estates.

use std::collections::{BTreeMap, BTreeSet};

use crate::support::estates;
use crate::support::naive::{Given, Naive};
use crate::support::recipe::{cook, recipe};
use pasaporte_audit::facts::{Fact, GrantFact, TrustFact};
use pasaporte_audit::{Audit, Catalogue, Finding, Settings, Severity, Sureness, judge, level_in_words};
use pasaporte_core::access::{On, Verdict};
use pasaporte_core::effect::{Power, Wide};
use pasaporte_core::estate::*;
use proptest::prelude::*;
use proptest::test_runner::RngSeed;
use rstest::rstest;

const CONTROL: [(&str, Power); 4] = [
    ("grant/changes-access", Power::Access),
    ("grant/changes-code", Power::Code),
    ("grant/hands-over-identity", Power::HandOver),
    ("grant/reads-keys", Power::Keys),
];

fn judged(audit: &Audit<'_>, rules: &[&'static str]) -> Vec<Finding> {
    let all = judge(audit, &rules.iter().copied().collect());
    let mut each: Vec<Finding> = all.iter().flat_map(Finding::with_beneath).cloned().collect();
    each.retain(|it| rules.contains(&audit.rule(it).id));
    each
}

proptest! {
    #![proptest_config(estates(120, RngSeed::Fixed(7)))]

    /// Control that is told of is control that the decision gives by that very grant, as surely as is said.
    #[test]
    fn control_that_is_told_of_is_there(recipe in recipe()) {
        let cooked = cook(&recipe);
        let audit = Audit::new(&cooked.estate, Settings::default());
        let effects = audit.effects();
        for finding in judged(&audit, &CONTROL.map(|(rule, _)| rule)) {
            for fact in finding.facts() {
                let Fact::Grant(GrantFact::Controls(it)) = fact else { panic!("{finding:?}") };
                let on = match &it.control.on {
                    Wide::There(thing) => On::There(*thing),
                    Wide::New(new) => On::New(new),
                };
                let verdict = effects.gives(it.control.who, &it.road, &it.control.act.action, on);
                prop_assert_eq!(verdict, it.control.verdict, "{:?}", finding);
                prop_assert!(verdict != Verdict::No);
                if finding.sureness == Sureness::Certain {
                    prop_assert_eq!(verdict, Verdict::Yes);
                }
                // And somebody's code runs as whoever has it.
                prop_assert!(!audit.functions_of(it.road.name()).is_empty());
            }
        }
    }

    /// Whoever may surely change access at a scope, or the code of a function, by a grant of what code runs as, is told of.
    #[test]
    fn no_control_is_left_out(recipe in recipe()) {
        let cooked = cook(&recipe);
        let estate = &cooked.estate;
        let audit = Audit::new(estate, Settings::default());
        let (effects, naive) = (audit.effects(), Naive::new(&cooked, &recipe));
        let told: BTreeSet<(&str, String)> = judged(&audit, &CONTROL.map(|(rule, _)| rule))
            .iter()
            .map(|it| (audit.rule(it).id, it.label(estate)))
            .collect();
        let scopes: Vec<Thing> = estate.all::<ScopeId>().map(|(id, _)| id.thing()).collect();
        let functions: Vec<Thing> = estate.all::<FunctionId>().map(|(id, _)| id.thing()).collect();
        for (id, _) in estate.all::<IdentityId>() {
            let who = Principal::Identity(id);
            if estate.functions_as(id).is_empty() {
                continue;
            }
            for road in effects.roads(who) {
                let holder = road.name();
                let of_code =
                    matches!(holder, Principal::Identity(_) | Principal::Group(_) | Principal::Account(_));
                if road.grant().is_none() || !of_code {
                    continue;
                }
                let asked = [
                    ("grant/changes-access", "access/write", &scopes),
                    ("grant/changes-code", "function/update", &functions),
                ];
                for (rule, action, things) in asked {
                    let prepared = effects.action(action);
                    // What anybody may do is told of everybody, and not of each who holds it too.
                    let everybodys = |on: Thing| {
                        let crowds = [Principal::Anyone, Principal::SignedIn];
                        crowds.iter().any(|crowd| effects.may(*crowd, action, on) == Verdict::Yes)
                    };
                    let surely = |on: &&Thing| {
                        let statement = estate.statement(road.statement);
                        let takes = estate.lies_at(**on, road.at)
                            && naive.picks(estate.actions_picked(statement.actions), action, effects.any_case(**on))
                            && naive.picks(estate.resources_picked(statement.resources), &estate.label(**on), false);
                        let given = effects.gives(who, &road, &prepared, On::There(**on));
                        takes && given == Verdict::Yes && !everybodys(**on)
                    };
                    let label = estate.principal_label(holder);
                    let left_out = things.iter().find(surely).filter(|_| !told.contains(&(rule, label.clone())));
                    let left_out = left_out.map(|on| format!("{rule} of {label}: {action} on {}", estate.label(*on)));
                    prop_assert_eq!(left_out, None);
                }
            }
        }
    }

    /// What is told to be more than a trigger needs on its source is all that the decision gives there of the actions that are
    /// named, and the grants that are told with it are those that have such actions.
    #[test]
    fn what_is_beyond_a_trigger_is_what_is_given_there(recipe in recipe()) {
        let cooked = cook(&recipe);
        let estate = &cooked.estate;
        let audit = Audit::new(estate, Settings::default());
        let (effects, naive) = (audit.effects(), Naive::new(&cooked, &recipe));
        let mut told: BTreeMap<(IdentityId, Thing), BTreeSet<&str>> = BTreeMap::new();
        let findings = judged(&audit, &["grant/beyond-trigger"]);
        for finding in &findings {
            for fact in finding.facts() {
                let Fact::Grant(GrantFact::BeyondTrigger(it)) = fact else { panic!("{finding:?}") };
                let who = Principal::Identity(it.identity);
                let best = it.surplus.iter().map(|act| effects.may_do(who, &act.action, it.source)).max();
                prop_assert_eq!(best == Some(Verdict::Yes), finding.sureness == Sureness::Certain);
                let of_it = told.entry((it.identity, it.source)).or_default();
                of_it.extend(it.surplus.iter().map(|act| act.action.text()));
            }
        }
        let running = estate.all::<TriggerId>().filter(|(_, it)| it.state == State::Enabled);
        let running = running.filter_map(|(_, it)| {
            let function = estate.get(it.function).filter(|it| it.state == State::Enabled)?;
            Some((estate.runs_as(function)?, it.source.filter(|it| matches!(it, Thing::Resource(_)))?, it))
        });
        for (identity, source, trigger) in running {
            let who = Principal::Identity(identity);
            let of_it = told.get(&(identity, source)).cloned().unwrap_or_default();
            for action in ["queue/send", "table/write", "queue/delete"] {
                let class = effects.catalogue().class(action, effects.dialect(source));
                let looks = matches!(class, Some(ActionClass::Read | ActionClass::List));
                let is_of_it = estate.label(source).split(':').next() == action.split('/').next();
                let is_named = estate.all_actions_picked().any(|(_, it)| {
                    it.any().iter().any(|id| estate.pattern(*id).as_literal() == Some(action))
                });
                if !is_named || !is_of_it || looks || effects.is_taken_by(trigger, action) {
                    continue;
                }
                let may = naive.decide(who, action, source, &Given::default()) > 0;
                prop_assert_eq!(of_it.contains(action), may, "{} on {}", action, estate.label(source));
            }
        }
    }

    /// A chain that is told of can be gone, step by step, and ends with somebody who may do worse than where it begins.
    #[test]
    fn a_chain_can_be_gone_and_is_worth_going(recipe in recipe()) {
        let cooked = cook(&recipe);
        let audit = Audit::new(&cooked.estate, Settings::default());
        let effects = audit.effects();
        for finding in judged(&audit, &["trust/chain"]) {
            let Fact::Trust(TrustFact::Chain(chain)) = &finding.fact else { panic!("{finding:?}") };
            prop_assert!(chain.steps.len() >= 2);
            let start = Principal::Identity(chain.identity);
            let mut from = start;
            let mut best = Verdict::Yes;
            let given = effects.given(start);
            for step in &chain.steps {
                let (action, on) = (effects.assuming(*step).unwrap(), step.thing().unwrap());
                let verdict = effects.verdict_on(from, action, On::There(on), given);
                prop_assert!(verdict != Verdict::No, "{:?} at {:?}", chain, step);
                best = best.min(verdict);
                from = *step;
            }
            prop_assert_eq!(best == Verdict::Yes, chain.verdict == Verdict::Yes);
            let worst = |who| effects.harm_itself(who).impact;
            prop_assert!(worst(from) < worst(start));
        }
    }

    /// What is told as all but something is written so, and gives something in effect.
    #[test]
    fn all_but_is_written_so_and_gives_something(recipe in recipe()) {
        let cooked = cook(&recipe);
        let estate = &cooked.estate;
        let audit = Audit::new(estate, Settings::default());
        for finding in judged(&audit, &["grant/all-but"]) {
            for fact in finding.facts() {
                let Fact::Grant(GrantFact::AllBut(it)) = fact else { panic!("{finding:?}") };
                let (_, road, (harm, who)) = **it;
                let statement = estate.statement(road.statement);
                let leaves_out = !estate.actions_picked(statement.actions).except().is_empty()
                    || !estate.resources_picked(statement.resources).except().is_empty();
                prop_assert!(leaves_out);
                prop_assert_eq!(audit.effects().harm_by(who, road).impact, harm.impact);
            }
        }
    }

    /// Why a finding has its severity ends with that severity, whatever the environment.
    #[test]
    fn why_a_finding_has_its_level_says_its_level(recipe in recipe()) {
        let cooked = cook(&recipe);
        let audit = Audit::new(&cooked.estate, Settings::default());
        let all = judge(&audit, &Catalogue::shipped().ids().collect());
        for finding in all.iter().flat_map(Finding::with_beneath) {
            let why = level_in_words(&audit, finding);
            prop_assert!(why.contains(&finding.severity.to_string()), "{why}: {}", finding.severity);
        }
    }
}

/// An estate of one account in an environment, with a broad role that code runs as.
fn broad(environment: Option<Environment>) -> Estate {
    holding(environment, &["access/*"])
}

/// The same with a role that holds some actions on everything of the account.
fn holding(environment: Option<Environment>, actions: &[&str]) -> Estate {
    let mut world = crate::support::World::default();
    let account = world.scope_with(ScopeKind::Account, "pier", None, |scope| scope.environment = environment);
    let role = world.identity("role", "pier");
    world.function("sail", "pier", Some("role"));
    world.grant(
        Principal::Identity(role),
        At::Thing(Thing::Scope(account)),
        &[crate::support::allow(actions)],
    );
    world.finish()
}

#[rstest]
#[case::in_production(Some(Environment::Production), Severity::High, "control of access × insiders: high")]
#[case::unsaid(None, Severity::High, "since its environment is not said")]
#[case::in_a_test(Some(Environment::Test), Severity::Medium, "one step milder in test: medium")]
fn the_shift_by_environment_is_told(
    #[case] environment: Option<Environment>,
    #[case] severity: Severity,
    #[case] why: &str,
) {
    let estate = broad(environment);
    let audit = Audit::new(&estate, Settings::default());
    let all = judged(&audit, &["grant/changes-access"]);
    assert_eq!(all.len(), 1);
    assert_eq!(all[0].severity, severity);
    let told = level_in_words(&audit, &all[0]);
    assert!(told.contains(why), "{told}");
}

#[rstest]
#[case::access(&["access/write"], &["grant/changes-access"])]
#[case::code(&["function/update"], &["grant/changes-code"])]
#[case::making_code(&["function/create"], &["grant/changes-code"])]
#[case::handing_over(&["identity/hand-over"], &["grant/hands-over-identity"])]
#[case::acting_as_another(&["identity/assume"], &[])]
#[case::keys(&["key/read"], &["grant/reads-keys"])]
#[case::making_keys(&["key/create"], &["grant/reads-keys"])]
#[case::listing_keys(&["key/list"], &[])]
#[case::every_secret(&["secret/read"], &["grant/reads-keys"])]
#[case::listing_secrets(&["secret/list"], &[])]
#[case::work(&["function/invoke", "table/read", "queue/send"], &[])]
#[case::all(&["*"], &["grant/changes-access", "grant/changes-code", "grant/hands-over-identity", "grant/reads-keys"])]
fn each_sort_of_control_is_told_by_its_rule(#[case] actions: &[&str], #[case] rules: &[&str]) {
    let estate = holding(None, actions);
    let audit = Audit::new(&estate, Settings::default());
    let found = judged(&audit, &CONTROL.map(|(rule, _)| rule));
    let found: BTreeSet<&str> = found.iter().map(|it| audit.rule(it).id).collect();
    assert_eq!(found, rules.iter().copied().collect::<BTreeSet<&str>>());
}

/// Roles that may act as one another in a row, the last of which changes access; code runs as the first.
fn row(length: usize, back: bool) -> Estate {
    let mut world = crate::support::World::default();
    let account = world.account("pier");
    let roles: Vec<IdentityId> = (0..length).map(|at| world.identity(&format!("r{at}"), "pier")).collect();
    world.function("sail", "pier", Some("r0"));
    for pair in roles.windows(2) {
        let acts = crate::support::allow(&["identity/assume"]);
        world.admit(Thing::Identity(pair[1]), &[Principal::Identity(pair[0])], &acts);
        if back {
            world.admit(Thing::Identity(pair[0]), &[Principal::Identity(pair[1])], &acts);
        }
    }
    let last = Principal::Identity(roles[length - 1]);
    world.grant(last, At::Thing(Thing::Scope(account)), &[crate::support::allow(&["access/*"])]);
    world.finish()
}

#[rstest]
#[case::by_itself(1, 0)]
#[case::one_step_is_a_trust(2, 0)]
#[case::two_steps(3, 2)]
#[case::four_steps(5, 4)]
fn a_chain_has_two_steps_or_more(
    #[case] length: usize,
    #[case] steps: usize,
    #[values(false, true)] back: bool,
) {
    let estate = row(length, back);
    let audit = Audit::new(&estate, Settings::default());
    let told = judged(&audit, &["trust/chain"]);
    let of_first = told.iter().find(|it| it.label(&estate) == "identity:r0");
    let Some(finding) = of_first else {
        assert_eq!(steps, 0);
        return;
    };
    let Fact::Trust(TrustFact::Chain(chain)) = &finding.fact else { panic!("{finding:?}") };
    assert_eq!(chain.steps.len(), steps);
    let situation = pasaporte_audit::told(&audit, finding).situation;
    let names = (1..length).map(|at| situation.find(&format!("identity:r{at}")));
    let places: Vec<usize> = names.map(|it| it.expect("each step is named")).collect();
    assert!(places.is_sorted(), "{situation}");
}

/// Of what an identity is given on a source only the grants are told that have actions of its kind: one that takes everything
/// in and gives nothing of it is no cause.
#[rstest]
#[case::on_the_source(&["queue:tides"])]
#[case::on_all_of_its_kind(&["queue:*"])]
fn only_grants_with_such_actions_are_told_with_more_than_a_trigger_needs(#[case] on: &[&str]) {
    let mut world = crate::support::World::default();
    let account = world.account("pier");
    let source = world.resource("queue:tides", "pier");
    let sailor = Principal::Identity(world.identity("sailor", "pier"));
    let function = world.function("sail", "pier", Some("sailor"));
    world.trigger("on-tides", function, source);
    let at = At::Thing(Thing::Scope(account));
    world.grant(sailor, at, &[crate::support::allow(&["table/write"]).on(&["*"])]);
    world.grant(sailor, at, &[crate::support::allow(&["queue/receive", "queue/send"]).on(on)]);
    let estate = world.finish();
    let audit = Audit::new(&estate, Settings::default());
    let told = judged(&audit, &["grant/beyond-trigger"]);
    let [finding] = &told[..] else { panic!("{told:?}") };
    let Fact::Grant(GrantFact::BeyondTrigger(it)) = &finding.fact else { panic!("{finding:?}") };
    let surplus: Vec<&str> = it.surplus.iter().map(|act| act.action.text()).collect();
    assert_eq!(surplus, ["queue/send"]);
    let places = pasaporte_audit::told(&audit, finding).evidence.into_iter();
    let grants: Vec<_> = places.filter(|it| it.what == "a grant").map(|it| it.origin).collect();
    assert_eq!(grants, [estate.grant(GrantId::new(1)).origin]);
}
