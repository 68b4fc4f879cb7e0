//! grant: what a holder may do.

use std::sync::{Arc, Mutex};

use rustc_hash::FxHashMap;

use crate::facts::{Broad, GrantFact, Reached};
use crate::finding::{Cause, Raised, Raising};
use crate::{Audit, Harm, Rule, Sureness};
use pasaporte_core::access::{Action, Verdict};
use pasaporte_core::effect::{Act, Breadth, Road, ServiceId, Sought};
use pasaporte_core::entry::{Exposed, Exposure};
use pasaporte_core::estate::{
    ActionsId, At, Effect, FunctionId, Grant, GrantId, Id, IdentityId, KeyId, Principal, ResourcesId,
    ScopeKind, Statement, Thing,
};

pub(crate) const RULES: &[Rule] = &[
    Rule {
        id: "grant/any-action",
        title: "A grant gives every action",
        why: "Whoever makes the holder's code do something else may then do anything there, and nobody reading \
              the grant can tell what it is needed for.",
        fix: "List the actions that the code uses. Begin with those of its triggers and of the resources it names.",
        check: "Explain an action that it should not have: the answer must be no.",
        references: &["CWE-250", "CWE-269", "NIST SP 800-53 AC-6"],
        apart: &["holder", "set", "place", "statement"],
        judge: any_action,
    },
    Rule {
        id: "grant/any-resource",
        title: "A grant gives writing or sensitive actions on every resource of a kind",
        why: "The function works with one or two of them; an intruder in it gets all, and those made tomorrow as well.",
        fix: "Name the resources, or hold the grant at the app or resource instead of above it.",
        check: "Explain the action on a resource that the code does not use: the answer must be no.",
        references: &["CWE-732", "NIST SP 800-53 AC-6"],
        apart: &["holder", "set", "place", "statement"],
        judge: any_resource,
    },
    Rule {
        id: "grant/whole-service",
        title: "A grant gives every action of a service",
        why: "Ready-made broad sets hold a whole service, with deleting and administering, for code that reads.",
        fix: "Replace the wildcard by the actions that the code uses.",
        check: "Explain the service's most harmful action: the answer must be no.",
        references: &["CWE-250", "CWE-732", "NIST SP 800-53 AC-6"],
        apart: &["holder", "set", "place", "statement"],
        judge: whole_service,
    },
];

fn any_action(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    for (grant, road) in allowing(audit) {
        let Some(breadth) = audit.effects().every_action(&road) else { continue };
        let broad = broad(audit, road, grant, &breadth);
        let raised = too_broad(audit, &broad, Sureness::Certain);
        raising.raise(&raised, GrantFact::AnyAction(Box::new((broad, breadth))));
    }
}

fn whole_service(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let known = KnownServices::new(audit);
    side_by_side(audit, raising, |raising, grant, road| {
        let services = known.of(audit, statement(audit, &road).actions);
        if services.is_empty() || audit.effects().every_action(&road).is_some() {
            return;
        }
        let mut whole: Vec<(Arc<str>, Breadth)> = Vec::new();
        for (service, every) in services.iter() {
            whole.extend(
                audit.effects().every_action_of(&road, service, every).map(|it| (Arc::clone(service), it)),
            );
        }
        // The surest of them is what the finding rests on.
        let best = whole.iter().map(|(_, breadth)| breadth).max_by_key(|breadth| breadth.verdict);
        let Some(broad) = best.map(|best| broad(audit, road, grant, best)) else { return };
        whole.retain(|(_, breadth)| breadth.verdict == broad.verdict);
        let raised = too_broad(audit, &broad, Sureness::Certain);
        raising.raise(&raised, GrantFact::WholeService(Box::new((broad, whole.into()))));
    });
}

fn any_resource(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let kinds = KnownKinds::new(audit);
    side_by_side(audit, raising, |raising, id, road| {
        let effects = audit.effects();
        if !is_broad(audit, audit.estate().grant(id)) {
            return;
        }
        let covered = kinds.covered(audit, &road);
        if covered.is_empty() || effects.every_action(&road).is_some() {
            return;
        }
        let mut best: Option<Breadth> = None;
        let mut reached: Vec<(Verdict, Reached, bool)> = Vec::new();
        for &service in covered.iter() {
            let Some((breadth, act)) = wide_reach(audit, &road, service) else { continue };
            let it = Reached { service, holder: breadth.holder, within: breadth.within() };
            reached.push((breadth.verdict, it, act.class.is_some()));
            if best.as_ref().is_none_or(|known| breadth.verdict >= known.verdict) {
                best = Some(breadth);
            }
        }
        // The surest of them is what the finding rests on.
        let Some(best) = best else { return };
        reached.retain(|(verdict, ..)| *verdict == best.verdict);
        let known = reached.iter().any(|(_, _, is_known)| *is_known);
        let reached: Box<[Reached]> = reached.into_iter().map(|(_, it, _)| it).collect();
        let broad = broad(audit, road, id, &best);
        let sure = if known { Sureness::Certain } else { Sureness::Inferred };
        raising.raise(&too_broad(audit, &broad, sure), GrantFact::AnyResource(Box::new((broad, reached))));
    });
}

/// Whether a road gives something harmful on all of a kind: changing it, or reading where something confidential can be
/// read.
fn wide_reach(audit: &Audit<'_>, road: &Road, service: ServiceId) -> Option<(Breadth, Act)> {
    let effects = audit.effects();
    // Invoking every function is entry/wide-invoke-grant's.
    effects.every_thing(road, service, Sought::Changing).or_else(|| {
        let (breadth, act) = effects.every_thing(road, service, Sought::Reading)?;
        let confidential = effects.reaches_confidential(breadth.holder, road, service, &act.action);
        confidential.then_some((breadth, act))
    })
}

/// Kinds of things that have sections of their own, and are acted on.
const OWN_KINDS: [&str; 3] = [FunctionId::KIND, IdentityId::KIND, KeyId::KIND];

/// The kinds of things that the estate may have: those of its resources, and those that have sections of their own.
fn known_kinds<'a>(audit: &'a Audit<'_>) -> impl Iterator<Item = &'a str> {
    audit.kinds_of_resources().chain(OWN_KINDS)
}

/// The services of those kinds, and that of access.
pub(crate) fn known_services<'a>(audit: &'a Audit<'_>) -> impl Iterator<Item = &'a str> {
    known_kinds(audit).chain([pasaporte_core::effect::ACCESS])
}

/// The services of kinds.
type Kinds = Arc<[ServiceId]>;

/// Of which kinds each choice of resources takes things that may yet be made: those that the estate has, and those that
/// the statement names although nothing of them is there.
struct KnownKinds {
    everywhere: Vec<ServiceId>,
    covered: Mutex<FxHashMap<(ResourcesId, ActionsId), Kinds>>,
}

impl KnownKinds {
    fn new(audit: &Audit<'_>) -> Self {
        let everywhere = known_kinds(audit).map(|kind| audit.effects().service(kind)).collect();
        Self { everywhere, covered: Mutex::default() }
    }

    fn covered(&self, audit: &Audit<'_>, road: &Road) -> Kinds {
        let Self { everywhere, covered } = self;
        let effects = audit.effects();
        let statement = statement(audit, road);
        if !effects.may_take_all_of_a_kind(statement.resources) {
            return Arc::default();
        }
        let mut covered = covered.lock().expect("nobody panics while holding it");
        let found = covered.entry((statement.resources, statement.actions)).or_insert_with(|| {
            let mut kinds = everywhere.clone();
            kinds.extend(effects.kinds_named(road).into_iter().map(|(kind, _)| effects.service(&kind)));
            kinds.sort_by_cached_key(|service| effects.service_name(*service));
            kinds.dedup();
            kinds.retain(|service| {
                effects.takes_fresh(statement.resources, *service)
                    && effects.has_any(statement.actions, *service)
            });
            kinds.into()
        });
        Arc::clone(found)
    }
}

/// Services, each with an action of it that nobody named.
type Services = Arc<[(Arc<str>, Arc<Action>)]>;

/// Of which services each choice of actions takes actions that nobody named: those that it names, those of the kinds of
/// resources in the estate, and those that everything has.
struct KnownServices {
    everywhere: Vec<Arc<str>>,
    covered: Mutex<FxHashMap<ActionsId, Services>>,
}

impl KnownServices {
    fn new(audit: &Audit<'_>) -> Self {
        Self { everywhere: known_services(audit).map(Arc::from).collect(), covered: Mutex::default() }
    }

    fn of(&self, audit: &Audit<'_>, actions: ActionsId) -> Services {
        let Self { everywhere, covered } = self;
        let mut covered = covered.lock().expect("nobody panics while holding it");
        let found = covered.entry(actions).or_insert_with(|| {
            let mut services = everywhere.clone();
            for pattern in audit.effects().patterns(audit.estate().actions_picked(actions).any()) {
                let start = pattern.literal_start();
                let named =
                    start.split_once('/').map(|(service, _)| service).filter(|service| !service.is_empty());
                services.extend(named.map(Arc::from));
            }
            services.sort_unstable();
            services.dedup();
            let with_action = |service: Arc<str>| {
                let every = audit.effects().action(&audit.effects().fresh_action(&service));
                (service, every)
            };
            let all = services.into_iter().map(with_action);
            all.filter(|(_, every)| every.may_be_picked_by(actions)).collect()
        });
        Arc::clone(found)
    }
}

/// Grants at the app or at a thing are as narrow as a place can make them.
pub(crate) fn is_broad(audit: &Audit<'_>, grant: &Grant) -> bool {
    match grant.at {
        At::Everywhere => true,
        At::Thing(Thing::Scope(scope)) => {
            let kind =
                audit.estate().get(scope).map(|scope| scope.kind).or(audit.estate().claimed_kind(scope));
            kind != Some(ScopeKind::App)
        }
        At::Thing(_) => false,
    }
}

/// Looks at the allowing statements of all grants, with all processors.
pub(crate) fn side_by_side<'a, 'e>(
    audit: &Audit<'_>,
    raising: &mut Raising<'a, 'e>,
    look: impl Fn(&mut Raising<'a, 'e>, GrantId, Road) + Sync,
) {
    let grants: Vec<(GrantId, &Grant)> = audit.estate().grants().collect();
    raising.side_by_side(&grants, |raising, grant| {
        allowing_of(audit, std::iter::once(*grant)).for_each(|(grant, road)| look(raising, grant, road));
    });
}

/// The allowing statements of all grants that had not expired and that somebody holds.
pub(crate) fn allowing<'a>(audit: &'a Audit<'_>) -> impl Iterator<Item = (GrantId, Road)> + 'a {
    allowing_of(audit, audit.estate().grants())
}

pub(crate) fn allowing_of<'a>(
    audit: &'a Audit<'_>,
    grants: impl Iterator<Item = (GrantId, &'a Grant)> + 'a,
) -> impl Iterator<Item = (GrantId, Road)> + 'a {
    let estate = audit.estate();
    let held = grants
        .filter(|(_, grant)| !audit.effects().has_expired(grant) && audit.looks_at_holder(grant.principal));
    held.flat_map(move |(id, grant)| {
        let statements = audit.effects().statements_of(grant);
        statements.filter(move |contained| estate.statement(contained.statement).effect == Effect::Allow).map(
            move |contained| {
                (id, Road::of_grant(id, grant, grant.principal, contained.set, contained.statement))
            },
        )
    })
}

pub(crate) fn statement<'e>(audit: &Audit<'e>, road: &Road) -> &'e Statement {
    audit.estate().statement(road.statement)
}

/// The worst that a road lets any of those do who hold it, and one who may.
pub(crate) fn worst(audit: &Audit<'_>, road: &Road) -> (Harm, Principal) {
    audit.known_worst(road, || find_worst(audit, road))
}

fn find_worst(audit: &Audit<'_>, road: &Road) -> (Harm, Principal) {
    let mut all: Option<(Harm, Principal)> = None;
    for bearer in audit.effects().bearers(road.name()).iter() {
        let harm = audit.effects().harm_by(bearer.who, *road);
        all = Some(match all {
            Some((known, who)) => {
                let worst = known.or(harm);
                (worst, if worst.impact == known.impact { who } else { bearer.who })
            }
            None => (harm, bearer.who),
        });
    }
    all.unwrap_or((Harm::RUNS_CODE, road.name()))
}

fn broad(audit: &Audit<'_>, road: Road, grant: GrantId, breadth: &Breadth) -> Broad {
    let (verdict, holders) = (breadth.verdict, breadth.holders);
    Broad { road, grant, verdict, holders, worst: worst(audit, &road) }
}

/// A statement as too broad, as sure as it is known that it gives this.
fn too_broad(audit: &Audit<'_>, broad: &Broad, sure: Sureness) -> Raised {
    let sure = if broad.verdict == Verdict::Yes { sure } else { Sureness::Conditional };
    raised(audit, broad.grant, &broad.road, broad.worst.0).sure(sure)
}

/// A weakness of what a grant's statement gives, with the worst that it lets anybody do.
pub(crate) fn raised(audit: &Audit<'_>, id: GrantId, road: &Road, worst: Harm) -> Raised {
    base(audit, id, worst)
        .facet(pasaporte_core::estate::canonical(audit.estate(), statement(audit, road)))
        .from([Cause::Grant(id)])
}

/// A weakness of a grant, told apart by its holder, set and place.
pub(crate) fn base(audit: &Audit<'_>, id: GrantId, worst: Harm) -> Raised {
    let estate = audit.estate();
    let grant = estate.grant(id);
    let name = grant.principal;
    let thing = name.thing().unwrap_or(Thing::Grant(id));
    let at = estate.place_label(grant.at);
    Raised::judged(thing, worst, exposure(audit, name, grant.at, thing), audit.environment_of(name))
        .facet(estate.principal_label(name))
        .facet(grant.set.map_or_else(String::new, |set| estate.id(set).to_owned()))
        .facet(at)
}

/// Whoever holds something as a crowd may use it; whoever only calls the holder's code may influence it.
fn exposure(audit: &Audit<'_>, name: Principal, at: At, thing: Thing) -> Exposed {
    let effects = audit.effects();
    let seen_from = match at {
        At::Thing(place) => place,
        At::Everywhere => thing,
    };
    let through_code = audit.exposure_of(name).through_code();
    let bearers = effects.bearers(name);
    bearers.iter().fold(through_code, |widest, bearer| match effects.circle(bearer.who, seen_from) {
        Exposure::Insiders => widest,
        to => widest.wider(Exposed::surely(to)),
    })
}
