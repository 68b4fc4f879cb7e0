//! What was seen, and secrets that identities have: laws over random estates with logs and credentials. What is called unused
//! was used by nobody and would have been seen; what was seen decides nothing; a credential is told by its own dates.
//!
//! `ESTATES` asks for more random estates than the usual number.

use std::collections::BTreeSet;

use crate::support::naive::{Given, Naive};
use crate::support::recipe::{ACTIONS, Cooked, Recipe, cook, cook_with, recipe};
use crate::support::{World, estates, time};
use pasaporte_audit::facts::{Fact, GrantFact};
use pasaporte_audit::{Audit, Catalogue, Finding, Settings, judge};
use pasaporte_core::estate::*;
use proptest::prelude::*;
use proptest::test_runner::RngSeed;

/// What was seen of an estate: uses (who, action, thing, whether it was refused), since when each of its two accounts was
/// logged, and one credential of each identity.
#[derive(Debug, Clone)]
struct Seen {
    uses: Vec<(usize, usize, usize, bool)>,
    logs: [Option<usize>; 2],
    secrets: Vec<Option<Secret>>,
}

/// A credential: switched off?, when it was made, when it ends, and when it was last used, by their numbers.
type Secret = (bool, usize, usize, usize);

const SINCE: [&str; 3] = ["2026-08-01", "2026-10-18", "2026-11-12"];
const MADE: [&str; 3] = ["2024-01-01", "2026-09-01", "2026-11-15"];
const ENDS: [Option<&str>; 3] = [None, Some("2026-01-01"), Some("2027-06-01")];
const USED: [LastUse; 2] = [LastUse::Unknown, LastUse::Never];

/// Those of the recipe's principals who may be seen: five identities and a user.
const SEEN: [usize; 6] = [8, 9, 10, 11, 12, 15];

fn seen() -> impl Strategy<Value = Seen> {
    let one_use = (0..SEEN.len(), 0..ACTIONS.len(), 0..8usize, prop::bool::weighted(0.2));
    let since = || prop::option::weighted(0.8, 0..SINCE.len());
    let secret = (prop::bool::weighted(0.2), 0..MADE.len(), 0..ENDS.len(), 0..=USED.len());
    (
        prop::collection::vec(one_use, 0..6),
        [since(), since()],
        prop::collection::vec(prop::option::of(secret), 3),
    )
        .prop_map(|(uses, logs, secrets)| Seen { uses, logs, secrets })
}

fn cooked(recipe: &Recipe, seen: &Seen) -> Cooked {
    cook_with(recipe, |world, principals, things| {
        let origin = world.origin();
        for (who, action, on, refused) in &seen.uses {
            let outcome = if *refused { Outcome::Refused } else { Outcome::Allowed };
            let last = Some(time("2026-11-19"));
            let did = world.builder.name(ACTIONS[*action]);
            let it = Use {
                who: principals[SEEN[*who]],
                did,
                to: Some(things[*on]),
                outcome,
                through: None,
                tally: Tally { last, ..Tally::of(3) },
                origin,
            };
            world.builder.used(it);
        }
        for (account, since) in ["a", "b"].into_iter().zip(seen.logs) {
            let Some(since) = since else { continue };
            let log = LogCoverage {
                scope: world.builder.mention(account),
                actions: Vec::new(),
                hosts: List::default(),
                from: time(SINCE[since]),
                to: time("2026-11-20"),
                lines: None,
                bad: 0,
                origin,
            };
            world.builder.log(log);
        }
        for (identity, secret) in ["i", "j", "k"].into_iter().zip(&seen.secrets) {
            let credentials = secret.map(|secret| credential(world, secret)).into_iter().collect();
            let id: IdentityId = world.builder.mention(identity);
            world.builder.get_mut(id).expect("it is declared").credentials = credentials;
        }
    })
}

fn credential(world: &mut World, (off, made, ends, used): Secret) -> Credential {
    Credential {
        id: world.builder.name("hand-made"),
        state: if off { State::Disabled } else { State::Enabled },
        created: Some(time(MADE[made])),
        rotated: None,
        expires: ENDS[ends].map(time),
        last_used: USED.get(used).copied().unwrap_or(LastUse::At(time("2026-11-18"))),
        held_by: List::default(),
        origin: world.origin(),
    }
}

/// The findings of a rule, those beneath others too, by what they are about.
fn of_rules(cooked: &Cooked, is_one: impl Fn(&str) -> bool) -> BTreeSet<(&'static str, String)> {
    let audit = Audit::new(&cooked.estate, Settings::default());
    let all = judge(&audit, &Catalogue::shipped().ids().collect());
    let each = all.iter().flat_map(Finding::with_beneath);
    let each = each.map(|it| (audit.rule(it).id, it.label(&cooked.estate)));
    each.filter(|(rule, _)| is_one(rule)).collect()
}

const UNUSED: [&str; 2] = ["grant/unused", "identity/never-used"];

fn is_unused(rule: &str) -> bool {
    UNUSED.contains(&rule)
}

/// All that those who may be seen surely may.
fn allowed(cooked: &Cooked, recipe: &Recipe) -> Vec<(usize, usize, usize, bool)> {
    let naive = Naive::new(cooked, recipe);
    let mut all = Vec::new();
    for (who, action, on) in (0..SEEN.len())
        .flat_map(|who| (0..ACTIONS.len()).flat_map(move |action| (0..8).map(move |on| (who, action, on))))
    {
        let (somebody, thing) = (cooked.principals[SEEN[who]], cooked.things[on]);
        if naive.decide(somebody, ACTIONS[action], thing, &Given::default()) == 2 {
            all.push((who, action, on, false));
        }
    }
    all
}

/// Grants of which nothing at all is said to have been used.
fn wholly_unused(cooked: &Cooked) -> BTreeSet<GrantId> {
    let audit = Audit::new(&cooked.estate, Settings::default());
    let all = judge(&audit, &Catalogue::shipped().ids().collect());
    let of = |it: &Finding| match &it.fact {
        Fact::Grant(GrantFact::Unused(unused)) if unused.used.is_empty() => Some(unused.grant),
        _ => None,
    };
    all.iter().flat_map(Finding::with_beneath).filter_map(of).collect()
}

proptest! {
    #![proptest_config(estates(600, RngSeed::Fixed(13)))]

    /// Where nobody looked, or not for long enough, nothing is unused.
    #[test]
    fn nothing_is_unused_where_nobody_looked(recipe in recipe(), seen in seen(), short: bool) {
        let logs = if short { [Some(2), Some(2)] } else { [None, None] };
        let cooked = cooked(&recipe, &Seen { logs, ..seen });
        prop_assert_eq!(of_rules(&cooked, is_unused), BTreeSet::new());
    }

    /// What more is seen only takes away from what is unused; and who was seen is no identity that was never used.
    #[test]
    fn a_use_leaves_less_unused(recipe in recipe(), seen in seen(), more in (0..SEEN.len(), 0..ACTIONS.len(), 0..8usize)) {
        let before = of_rules(&cooked(&recipe, &seen), is_unused);
        let mut after = seen.clone();
        after.uses.push((more.0, more.1, more.2, false));
        let cooked = cooked(&recipe, &after);
        let now = of_rules(&cooked, |rule| rule == "identity/never-used");
        prop_assert!(now.iter().all(|it| before.contains(it)), "{now:?} and not {before:?}");
        for (who, ..) in after.uses.iter().filter(|it| it.0 < 3) {
            let label = format!("identity:{}", ["i", "j", "k"][*who]);
            prop_assert!(!now.iter().any(|(_, told)| *told == label), "{label} was seen");
        }
    }

    /// A grant without which something that was done would have been refused is in use.
    #[test]
    fn what_something_rested_on_is_in_use(recipe in recipe(), seen in seen(), which in prop::collection::vec(any::<prop::sample::Index>(), 1..6)) {
        let mut recipe = recipe;
        // What crowds hold is told as that, and what ended gives nothing.
        for (number, grant) in recipe.grants.iter_mut().enumerate() {
            (grant.0, grant.4) = (SEEN[number % SEEN.len()], false);
        }
        let plain = cook(&recipe);
        let allowed = allowed(&plain, &recipe);
        if allowed.is_empty() {
            return Ok(());
        }
        let uses: Vec<_> = which.iter().map(|which| *which.get(&allowed)).collect();
        let cooked = cooked(&recipe, &Seen { uses: uses.clone(), logs: [Some(0), Some(0)], ..seen });
        let told = wholly_unused(&cooked);
        for at in told.iter().map(|it| it.index()) {
            let mut without = recipe.clone();
            without.grants[at].4 = true;
            let others = cook(&without);
            let less = Naive::new(&others, &without);
            for (who, action, on, _) in &uses {
                let (who, action, on) = (others.principals[SEEN[*who]], ACTIONS[*action], others.things[*on]);
                let now = less.decide(who, action, on, &Given::default());
                prop_assert_ne!(now, 0, "grant {}: {:?} {} {:?}", at, who, action, on);
            }
        }
    }

    /// What was seen and who has which secret decides nothing: broad grants, trusts and open doors are told as they were.
    #[test]
    fn what_was_seen_decides_nothing(recipe in recipe(), seen in seen()) {
        let heeds_no_use = |rule: &str| {
            ["trust/", "entry/anonymous-", "entry/open-invoke", "entry/open-source", "entry/unpinned-source"]
                .iter()
                .any(|start| rule.starts_with(start))
                || ["grant/to-everybody", "grant/whole-service", "grant/changes-access", "grant/changes-code", "grant/reads-keys"]
                    .contains(&rule)
        };
        let nothing = Seen { uses: Vec::new(), logs: [None, None], secrets: vec![None; 3] };
        let (plain, watched) = (cooked(&recipe, &nothing), cooked(&recipe, &seen));
        prop_assert_eq!(of_rules(&plain, heeds_no_use), of_rules(&watched, heeds_no_use));
    }

    /// A credential is told where it is switched on, has not ended, and is old, never ends or was never used; by its dates alone.
    #[test]
    fn a_credential_is_told_by_its_dates(recipe in recipe(), seen in seen()) {
        let told = of_rules(&cooked(&recipe, &seen), |rule| rule == "identity/long-lived-credential");
        let expected: BTreeSet<_> = ["i", "j", "k"]
            .into_iter()
            .zip(&seen.secrets)
            .filter_map(|(identity, secret)| Some((identity, (*secret)?)))
            .filter(|(_, (off, made, ends, used))| {
                let (old, young) = (*made == 0, *made == 2);
                let never = USED.get(*used) == Some(&LastUse::Never) && !young;
                !off && *ends != 1 && (old || *ends == 0 || never)
            })
            .map(|(identity, _)| ("identity/long-lived-credential", format!("identity:{identity}")))
            .collect();
        prop_assert_eq!(told, expected);
    }
}
