//! grant: more than is needed, by how it is written, by where it is held, and by what was used.

use std::collections::BTreeSet;

use rustc_hash::{FxHashMap, FxHashSet};

use crate::facts::{Beyond, Excess, FromAbove, GrantFact};
use crate::finding::{Cause, Raised, Raising};
use crate::rules::grant::{allowing_of, base, is_broad, raised, side_by_side, worst};
use crate::rules::unused::{Watch, holders};
use crate::{Audit, Impact, Level, Rule, Sureness, severity};
use pasaporte_core::access::Verdict;
use pasaporte_core::effect::{Act, Effects, GivenOf, Road, ServiceId};
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::{
    ActionClass, At, FunctionId, Grant, GrantId, IdentityId, MadeBy, Name, Outcome, Principal, ScopeId,
    State, Thing, Trigger, TriggerId,
};

pub(crate) const RULES: &[Rule] = &[
    Rule {
        id: "grant/all-but",
        title: "A grant gives all but what is named",
        why: "A list of what is left out is not a list of what is needed: whatever is added tomorrow is given at once.",
        fix: "Turn it around: list the actions that the code uses.",
        check: "Explain an action that nobody thought of: the answer must be no.",
        references: &["CWE-183", "CWE-250", "NIST SP 800-53 AC-6"],
        apart: &["holder", "set", "place", "statement"],
        judge: all_but,
    },
    Rule {
        id: "grant/from-above",
        title: "A grant is held higher than it is used",
        why: "What is held at an account or above is held at everything below it, also at what is added tomorrow.",
        fix: "Hold it where it is used.",
        check: "Explain the action on a thing elsewhere: the answer must be no.",
        references: &["CWE-732", "NIST SP 800-53 AC-6"],
        apart: &["holder", "set", "place"],
        judge: from_above,
    },
    Rule {
        id: "grant/template-excess",
        title: "A ready-made set is held of which a small part is used",
        why: "Ready-made sets are made for everybody, so they hold what anybody might need.",
        fix: "Make a set of the actions that were used, and hold that instead.",
        check: "The set holds what the code uses; explain another of its actions: the answer must be no.",
        references: &["CWE-250", "CWE-269", "NIST SP 800-53 AC-6"],
        apart: &["holder", "set", "place"],
        judge: template_excess,
    },
    Rule {
        id: "grant/beyond-trigger",
        title: "What a function runs as may do more to its source than its trigger needs",
        why: "Whoever gets into the function may write into its own input, take others' away, or change who else may.",
        fix: "Leave what the trigger needs: reading, and taking away what was worked on.",
        check: "Explain the action on the source: the answer must be no.",
        references: &["CWE-250", "NIST SP 800-53 AC-6"],
        apart: &["source"],
        judge: beyond_trigger,
    },
    Rule {
        id: "grant/expired-still-listed",
        title: "A grant has ended and is still there",
        why: "It gives nothing, and hides what does: whoever reads it thinks that it counts, or prolongs it by mistake.",
        fix: "Take it away.",
        check: "The grant is gone.",
        references: &["CWE-1164", "NIST SP 800-53 AC-2"],
        apart: &["holder", "set", "place"],
        judge: expired,
    },
];

fn all_but(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    side_by_side(audit, raising, |raising, id, road| {
        let statement = estate.statement(road.statement);
        let leaves_out = !estate.actions_picked(statement.actions).except().is_empty()
            || !estate.resources_picked(statement.resources).except().is_empty();
        if !leaves_out {
            return;
        }
        let (harm, who) = worst(audit, &road);
        // What gives nothing in effect is nothing to narrow.
        if harm.impact >= Impact::RunsCode {
            return;
        }
        raising.raise(&raised(audit, id, &road, harm), GrantFact::AllBut(Box::new((id, road, (harm, who)))));
    });
}

fn expired(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (id, grant) in estate.grants() {
        let environment = audit.environment_of(grant.principal);
        // Who keeps such lists needs some time.
        let grace = audit.settings().thresholds(environment).evidence;
        let ended = grant.expires.and_then(|time| audit.days_since(time)).is_some_and(|days| days > grace);
        if ended && audit.effects().has_expired(grant) && audit.looks_at_holder(grant.principal) {
            let thing = grant.principal.thing().unwrap_or(Thing::Grant(id));
            let raised = Raised::new(thing, Level::Table(Impact::Hygiene, Exposure::Insiders))
                .within(environment)
                .facet(estate.principal_label(grant.principal))
                .facet(grant.set.map_or_else(String::new, |set| estate.id(set).to_owned()))
                .facet(estate.place_label(grant.at))
                .from([Cause::Grant(id)]);
            raising.raise(&raised, GrantFact::Expired(id));
        }
    }
}

/// One step milder than the worst that a road may do: it works as it is, and was only too much.
fn milder(audit: &Audit<'_>, id: GrantId, road: &Road) -> Raised {
    let harm = worst(audit, road).0;
    let holder = audit.estate().grant(id).principal;
    let exposed = audit.exposure_of(holder).through_code();
    let level = severity(harm.impact, exposed.to, audit.environment_of(holder)).lower();
    base(audit, id, harm).at_level(Level::Influence(harm.impact, exposed.to, level)).from([Cause::Grant(id)])
}

/// Grants of somebody, and not of a crowd.
fn of_somebody<'a>(audit: &'a Audit<'_>) -> impl Iterator<Item = (GrantId, &'a Grant)> {
    audit.estate().grants().filter(|(_, grant)| {
        let kind =
            matches!(grant.principal, Principal::Identity(_) | Principal::User(_) | Principal::Group(_));
        kind && !audit.effects().is_of_everybody(grant.principal)
    })
}

fn from_above(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    if estate.logs().is_empty() {
        return;
    }
    let mut watch = Watch::default();
    for (id, grant) in of_somebody(audit).filter(|(_, grant)| is_broad(audit, grant)) {
        let Some(window) = watch.of_all(audit, id, grant) else { continue };
        let mut things: BTreeSet<Thing> = BTreeSet::new();
        let (mut count, mut everywhere, mut reaching) = (0_u64, true, None);
        for (_, road) in allowing_of(audit, std::iter::once((id, grant))) {
            // What names its things is no wider for being held above them.
            if audit.effects().only(estate.statement(road.statement).resources).is_none() {
                reaching.get_or_insert(road);
            }
            for who in holders(audit, grant.principal) {
                for it in audit.effects().uses_by_road(who, road) {
                    count = count.saturating_add(it.tally.count);
                    // What was done to something unnamed may have been done anywhere.
                    let known = it.to.is_some_and(|to| estate.scope_of(to).is_some());
                    everywhere &= known;
                    things.extend(it.to);
                }
            }
        }
        let (Some(road), true) = (reaching, everywhere && !things.is_empty()) else { continue };
        let Some(scope) = common_scope(audit, things.iter().copied()) else { continue };
        let is_lower = match grant.at {
            At::Everywhere => true,
            At::Thing(Thing::Scope(above)) => scope != above && estate.tree().is_within(scope, above),
            At::Thing(_) => false,
        };
        if is_lower && audit.effects().reaches_outside(&road, scope) {
            let things = things.into_iter().collect();
            let fact = FromAbove { grant: id, scope, count, things, window };
            raising.raise(&milder(audit, id, &road), GrantFact::FromAbove(Box::new(fact)));
        }
    }
}

/// The lowest scope that all of some things lie in.
fn common_scope(audit: &Audit<'_>, mut things: impl Iterator<Item = Thing>) -> Option<ScopeId> {
    let estate = audit.estate();
    let first = estate.scope_of(things.next()?);
    let mut above: Vec<ScopeId> = estate.upwards(first).map(|(scope, _)| scope).collect();
    for thing in things {
        let here = estate.scope_of(thing)?;
        above.retain(|scope| estate.tree().is_within(here, *scope));
    }
    above.first().copied()
}

/// Of how many of a set's actions one was used: fewer are a small part.
const SMALL_PART: usize = 3;

fn template_excess(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    if estate.logs().is_empty() {
        return;
    }
    let mut watch = Watch::default();
    for (id, grant) in of_somebody(audit) {
        let Some(set) = grant.set else { continue };
        if estate.get(set).is_none_or(|set| set.made_by != MadeBy::Platform) {
            continue;
        }
        let Some(window) = watch.of_all(audit, id, grant) else { continue };
        let (mut used, mut count): (BTreeSet<Name>, u64) = (BTreeSet::new(), 0);
        let (mut acts, mut first): (Vec<Act>, Option<Road>) = (Vec::new(), None);
        for (_, road) in allowing_of(audit, std::iter::once((id, grant))) {
            first.get_or_insert(road);
            acts.extend(audit.effects().acts_of(&road));
            for who in holders(audit, grant.principal) {
                let it = audit.effects().used_of(who, &road);
                used.extend(it.actions);
                count = count.saturating_add(it.count);
            }
        }
        acts.sort_by(|one, other| one.action.text().cmp(other.action.text()));
        acts.dedup_by(|later, first| later.action.text() == first.action.text());
        let was_used =
            |act: &Act| used.iter().any(|name| estate.text(*name).eq_ignore_ascii_case(act.action.text()));
        let surplus: Vec<Act> = acts.iter().filter(|act| !was_used(act)).cloned().collect();
        let (Some(road), false) = (first, used.is_empty()) else { continue };
        if surplus.len() < SMALL_PART * used.len() {
            continue;
        }
        let used = used.into_iter().collect();
        let fact = Excess { grant: id, set, used, count, surplus: surplus.into(), window };
        raising.raise(&milder(audit, id, &road), GrantFact::TemplateExcess(Box::new(fact)));
    }
}

fn beyond_trigger(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let (estate, effects) = (audit.estate(), audit.effects());
    let mut seen: FxHashSet<(IdentityId, Thing)> = FxHashSet::default();
    let enabled = estate.all::<TriggerId>().filter(|(_, it)| it.state == State::Enabled);
    let mut triggers: Vec<(&str, TriggerId, &Trigger)> =
        enabled.map(|(id, it)| (estate.id(id), id, it)).collect();
    // Of several on one source the first by name is told of, in whichever order they were read.
    triggers.sort_unstable_by_key(|(name, ..)| *name);
    let mut sources: Vec<(TriggerId, &Trigger, IdentityId, Thing)> = Vec::new();
    for (_, id, trigger) in triggers {
        let running = estate.get(trigger.function).filter(|it| it.state == State::Enabled);
        let identity = running.and_then(|it| estate.runs_as(it));
        if let (Some(identity), Some(source @ Thing::Resource(_))) = (identity, trigger.source)
            && audit.looks_at_holder(Principal::Identity(identity))
            && seen.insert((identity, source))
        {
            sources.push((id, trigger, identity, source));
        }
    }
    // What an identity is given is gone through once for all that it runs on.
    sources.sort_by_key(|(_, _, identity, _)| *identity);
    let by_identity: Vec<&[_]> = sources.chunk_by(|one, next| one.2 == next.2).collect();
    raising.side_by_side(&by_identity, |raising, sources| {
        let mut given: FxHashMap<ServiceId, GivenOf> = FxHashMap::default();
        for &(id, trigger, identity, source) in *sources {
            let who = Principal::Identity(identity);
            let service = effects.service_of(source);
            let given = given.entry(service).or_insert_with(|| effects.given_of(who, service));
            let roads = effects.roads_given_on(given, who, source);
            beyond_one_trigger(audit, raising, (id, trigger), (identity, source), &roads);
        }
    });
}

/// How many of the grants that give a surplus are shown.
const MOST_GRANTS: usize = 3;

/// Raises what roads of an identity give it on the source of a trigger that it does not need.
fn beyond_one_trigger(
    audit: &Audit<'_>,
    raising: &mut Raising<'_, '_>,
    (id, trigger): (TriggerId, &Trigger),
    (identity, source): (IdentityId, Thing),
    roads: &[Road],
) {
    let (estate, effects) = (audit.estate(), audit.effects());
    let who = Principal::Identity(identity);
    let used = |act: &Act| {
        let mut uses = estate.uses_by(who).iter().filter(|it| it.outcome == Outcome::Allowed);
        uses.any(|it| it.to == Some(source) && estate.text(it.did).eq_ignore_ascii_case(act.action.text()))
    };
    let looks = |act: &Act| matches!(act.class, Some(ActionClass::Read | ActionClass::List));
    let surplus = effects.acts_allowed(roads, who, source, |act| {
        !looks(act) && !needed_by_trigger(effects, trigger, act) && !used(act)
    });
    let Some(best) = surplus.iter().map(|(_, verdict)| *verdict).max() else { return };
    let surplus: Box<[Act]> = surplus.into_iter().map(|(act, _)| act).collect();
    let given_by = Effects::grants_among(roads);
    let grants = given_by.iter().copied().take(MOST_GRANTS).collect();
    let causes: Vec<Cause> = given_by.into_iter().map(Cause::Grant).collect();
    let raised =
        Raised::new(Thing::Identity(identity), Level::Table(Impact::DataOrSecrets, Exposure::Insiders))
            .within(audit.environment_of(who))
            .sure(if best == Verdict::Yes { Sureness::Certain } else { Sureness::Conditional })
            .facet(estate.label(source))
            .from(causes);
    let fact = Beyond { identity, trigger: id, function: trigger.function, source, surplus, grants };
    raising.raise(&raised, GrantFact::BeyondTrigger(Box::new(fact)));
}

/// Whether a trigger needs an action on its source: reading and listing it, and what triggers of its kind take besides.
pub fn needed_by_trigger(effects: &Effects<'_>, trigger: &Trigger, act: &Act) -> bool {
    let reads = matches!(act.class, Some(ActionClass::Read | ActionClass::List));
    !act.is_wild && (reads || effects.is_taken_by(trigger, act.action.text()))
}

/// The functions that run on a source as an identity.
pub(crate) fn run_on(audit: &Audit<'_>, identity: IdentityId, source: Thing) -> Vec<FunctionId> {
    let estate = audit.estate();
    let runs = |function: &FunctionId| {
        estate
            .triggers_of(*function)
            .iter()
            .filter_map(|id| estate.get(*id))
            .any(|it| it.source == Some(source))
    };
    estate.functions_as(identity).iter().copied().filter(runs).collect()
}
