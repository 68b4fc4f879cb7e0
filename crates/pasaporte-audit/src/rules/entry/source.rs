//! Event sources and the services that deliver from them: unpinned, gone, switched off, unfiltered.

use rustc_hash::{FxHashMap, FxHashSet};

use super::{running, sureness};
use crate::facts::{Dangling, EntryFact, NamedBy};
use crate::finding::{Cause, Raised, Raising};
use crate::{Audit, Impact, Level, Rule, Sureness};
use pasaporte_core::access::{INVOKE, Question, Verdict};
use pasaporte_core::entry::{Circle, Exposed, Exposure};
use pasaporte_core::estate::{
    Admission, AdmissionId, Attribute, Condition, Effect, EndpointId, Estate, FunctionId, Name, Origin,
    Principal, ResourceId, State, Test, Thing, Trigger, TriggerId,
};
use pasaporte_core::usage::Logged;

pub(crate) const RULES: &[Rule] = &[
    Rule {
        id: "entry/unpinned-source",
        title: "A platform service may invoke on behalf of a stranger's source",
        why: "The service delivers everybody's events. Without a condition on the source resource or account, \
              a stranger can point an event source of their own at this function.",
        fix: "Add a condition on the source resource, and on the source account.",
        check: "Ask for the service with a source of another account: the answer must be no.",
        references: &["CWE-441", "CWE-346", "NIST SP 800-53 AC-3", "NIST SP 800-53 AC-4"],
        apart: &["service"],
        judge: unpinned_source,
    },
    Rule {
        id: "entry/dangling-source",
        title: "A trigger or permission names a source that no longer exists",
        why: "A name that is free again can be taken by somebody else, and then their events make this function run.",
        fix: "Take the trigger and its permission away, or make the source again in your own account.",
        check: "Each source that triggers and permissions name is one that you own.",
        references: &["CWE-672", "CWE-610", "NIST SP 800-53 CM-8", "NIST SP 800-53 AC-3"],
        apart: &["source"],
        judge: dangling_source,
    },
    Rule {
        id: "entry/idle-trigger",
        title: "A trigger is switched off or never fires, and its permission stands",
        why: "What is no longer used is no longer looked at: the way in stays open for whoever can use the \
              permission.",
        fix: "Take the permission away, and the trigger with it.",
        check: "Each permission of a service belongs to a trigger that is on.",
        references: &["CWE-1188", "NIST SP 800-53 CM-7", "NIST SP 800-53 AC-6"],
        apart: &[],
        judge: idle_trigger,
    },
    Rule {
        id: "entry/unfiltered-source",
        title: "A function runs on everything from a source that others pick from",
        why: "It runs on events that it was not made for: that costs money, and whoever may write anything to the \
              source chooses its input.",
        fix: "Give the trigger a filter for the kind of event that the function handles.",
        check: "Write something else to the source: the function must not run.",
        references: &["CWE-20", "NIST SP 800-53 CM-7", "NIST SP 800-53 SI-10"],
        apart: &[],
        judge: unfiltered_source,
    },
];

fn unpinned_source(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let (estate, effects) = (audit.estate(), audit.effects());
    // Through a service that may be a stranger's a function is as open as that.
    let open = |id: FunctionId| audit.exposure(id).to <= Exposure::Outsider;
    for (id, _) in running(audit).filter(|(id, _)| open(*id)) {
        let services = effects.strangers_on(Thing::Function(id)).into_iter();
        for who in services.filter(|who| matches!(who, Principal::Service(_))) {
            let Some(circle) = strangers_circle(audit, who, id) else { continue };
            let exposed = Exposed {
                surely: circle.verdict == Verdict::Yes,
                surely_to: if circle.verdict == Verdict::Yes {
                    Exposure::Outsider
                } else {
                    Exposure::Insiders
                },
                ..Exposed::surely(Exposure::Outsider)
            };
            let question = Question {
                principal: who,
                action: effects.invoke(),
                on: Thing::Function(id),
                given: &circle.given,
            };
            let answer = effects.decide(&question);
            if !effects.is_by_own_name(who, &answer) {
                continue;
            }
            let raised =
                Raised::judged(Thing::Function(id), audit.harm_through(id), exposed, audit.environment(id))
                    .sure(sureness(circle.verdict))
                    .facet(estate.principal_label(who).trim_start_matches("service:"))
                    .from(Cause::of(&answer));
            raising.raise(&raised, EntryFact::Unpinned { function: id, service: who });
        }
    }
}

/// The circle of those outside whose sources a service may invoke a function for: the surest.
pub(crate) fn strangers_circle(
    audit: &Audit<'_>,
    service: Principal,
    function: FunctionId,
) -> Option<Circle> {
    let effects = audit.effects();
    let on = Thing::Function(function);
    let mut best: Option<Circle> = None;
    for circle in effects.circles_as_wide_as(Exposure::Outsider, service, effects.invoke(), on) {
        if best.as_ref().is_none_or(|known| circle.verdict > known.verdict) {
            best = Some(circle);
        }
    }
    best
}

/// A source that a function's triggers or permissions name.
struct Named {
    label: String,
    origin: Origin,
    by: NamedBy,
}

/// Which sources are gone: those that the estate lacks although it has things of their kind, so that they are not only
/// unseen. Each name is looked up once.
struct Gone<'e> {
    estate: &'e Estate,
    kinds: FxHashSet<&'e str>,
    /// The gateways that routes lead through.
    gateways: FxHashSet<&'e str>,
    known: FxHashMap<Name, bool>,
}

impl<'e> Gone<'e> {
    fn new(estate: &'e Estate) -> Self {
        let kinds = estate.all::<ResourceId>().map(|(_, resource)| estate.text(resource.kind)).collect();
        let routes = estate.all::<EndpointId>().filter_map(|(_, it)| it.way.gateway());
        let gateways = routes.map(|gateway| estate.text(gateway)).collect();
        Self { estate, kinds, gateways, known: FxHashMap::default() }
    }

    fn is(&mut self, name: Name) -> bool {
        let Self { estate, kinds, gateways, known } = self;
        *known.entry(name).or_insert_with(|| {
            let label = estate.text(name);
            let is_gateway = label.strip_prefix("gateway:").is_some_and(|name| gateways.contains(name));
            let there = is_gateway || estate.thing(label).is_some_and(|thing| estate.is_declared(thing));
            !there && label.split_once(':').is_some_and(|(kind, _)| kinds.contains(kind))
        })
    }

    fn is_thing(&self, thing: Thing) -> bool {
        let label = self.estate.label(thing);
        label.split_once(':').is_some_and(|(kind, _)| self.kinds.contains(kind))
    }
}

fn dangling_source(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    let mut gone = Gone::new(estate);
    for (id, it) in running(audit) {
        let mut named: Vec<Named> = Vec::new();
        for &trigger in estate.triggers_of(id) {
            let Some(trigger) = estate.get(trigger).filter(|it| it.state == State::Enabled) else { continue };
            let Some(source) = trigger.source.filter(|source| !estate.is_declared(*source)) else { continue };
            if gone.is_thing(source) {
                named.push(Named {
                    label: estate.label(source),
                    origin: trigger.origin,
                    by: NamedBy::Trigger,
                });
            }
        }
        for (_, admission) in of_services(audit, id) {
            let origin = estate.statement(admission.statement).origin;
            for name in pinned_to(audit, admission) {
                if gone.is(name) {
                    let label = estate.text(name).to_owned();
                    named.push(Named { label, origin, by: NamedBy::Permission });
                }
            }
        }
        if named.is_empty() {
            continue;
        }
        named.sort_by(|one, other| {
            (&one.label, one.by, one.origin).cmp(&(&other.label, other.by, other.origin))
        });
        let exposure = if accounts_are_pinned(audit, id) { Exposure::Insiders } else { Exposure::Outsider };
        while let Some(first) = named.first() {
            let label = first.label.clone();
            let rest = named.split_off(named.partition_point(|it| it.label == label));
            let of_it = std::mem::replace(&mut named, rest);
            let environment = estate.environment(it.environment, it.scope);
            let exposed = Exposed::surely(exposure);
            let raised = Raised::judged(Thing::Function(id), audit.harm_through(id), exposed, environment)
                .sure(Sureness::Inferred)
                .facet(&label);
            let named_by = of_it.into_iter().map(|it| (it.by, it.origin)).collect();
            let fact = Dangling { function: id, source: label.into(), named_by, exposure };
            raising.raise(&raised, EntryFact::Dangling(Box::new(fact)));
        }
    }
}

/// The allowing permissions on a function that name services.
fn of_services<'a>(
    audit: &'a Audit<'_>,
    function: FunctionId,
) -> impl Iterator<Item = (AdmissionId, &'a Admission)> {
    let estate = audit.estate();
    let all = audit.effects().admissions_on(Thing::Function(function)).iter();
    all.map(|id| (*id, estate.admission(*id))).filter(|(_, admission)| {
        estate.statement(admission.statement).effect == Effect::Allow
            && estate.list(admission.to).iter().any(|who| matches!(who, Principal::Service(_)))
    })
}

/// The source resources that a permission names.
fn pinned_to<'a>(audit: &'a Audit<'_>, admission: &Admission) -> impl Iterator<Item = Name> + 'a {
    let conditions = audit.estate().statement(admission.statement).conditions.iter();
    let names = conditions.filter_map(|condition| match condition {
        Condition::Test(Attribute::SourceResource, Test::Equals(names)) => Some(names),
        _ => None,
    });
    names.flat_map(|names| names.iter().copied())
}

/// Whether every permission of a service is for sources of known accounts only.
fn accounts_are_pinned(audit: &Audit<'_>, function: FunctionId) -> bool {
    let estate = audit.estate();
    let mut all = of_services(audit, function).peekable();
    all.peek().is_some()
        && all.all(|(_, admission)| {
            let conditions = estate.statement(admission.statement).conditions.iter();
            let mut tests = conditions.filter_map(|condition| match condition {
                Condition::Test(attribute, _) => Some(*attribute),
                Condition::Opaque(_) => None,
            });
            tests.any(|attribute| attribute == Attribute::AccountOfSource)
        })
}

/// Whether a permission is for what a trigger runs on: it names the source, or names none.
fn is_for(audit: &Audit<'_>, admission: &Admission, trigger: &Trigger) -> bool {
    let estate = audit.estate();
    let source = trigger.source.map(|source| estate.label(source));
    let mut tests =
        estate.statement(admission.statement).conditions.iter().filter_map(|condition| match condition {
            Condition::Test(Attribute::SourceResource, test) => Some(test),
            _ => None,
        });
    tests.all(|test| match (test, &source) {
        (Test::Equals(names), Some(source)) => names.iter().any(|name| estate.text(*name) == source),
        (Test::Like(patterns), Some(source)) => patterns.iter().any(|pattern| pattern.matches(source)),
        (Test::Equals(_) | Test::Like(_), None) => false,
        _ => true,
    })
}

/// Triggers that are on and were never seen to fire, where logs say of each run what made it run.
fn never_fired(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    if estate.logs().is_empty() {
        return;
    }
    for (id, trigger) in audit.each::<TriggerId>().filter(|(_, it)| it.state == State::Enabled) {
        let function = Thing::Function(trigger.function);
        let is_on = estate.get(trigger.function).is_some_and(|it| it.state == State::Enabled);
        let runs = || estate.uses_on(function).filter(|it| estate.text(it.did) == INVOKE);
        let unsaid = || runs().any(|it| it.through.is_none() && matches!(it.who, Principal::Service(_)));
        if !is_on || runs().any(|it| it.through == Some(id)) || unsaid() {
            continue;
        }
        let (scope, environment) = (estate.scope_of(function), audit.environment(trigger.function));
        let Some(window) = audit.watched(scope, environment, Logged::Action(INVOKE)) else { continue };
        let raised = Raised::new(Thing::Trigger(id), Level::Table(Impact::Hygiene, Exposure::Insiders))
            .within(environment)
            .sure(Sureness::Inferred);
        raising.raise(&raised, EntryFact::NeverFired(Box::new((id, window))));
    }
}

fn idle_trigger(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    never_fired(audit, raising);
    let estate = audit.estate();
    for (trigger, off) in audit.each::<TriggerId>().filter(|(_, it)| it.state == State::Disabled) {
        let id = off.function;
        if let Some(it) = estate.get(id).filter(|it| it.state == State::Enabled) {
            let triggers = estate.triggers_of(id).iter().filter_map(|id| estate.get(*id));
            let on: Vec<&Trigger> = triggers.filter(|it| it.state == State::Enabled).collect();
            let mut stands: Vec<(AdmissionId, &Admission)> = of_services(audit, id)
                .filter(|(_, admission)| {
                    is_for(audit, admission, off) && !on.iter().any(|on| is_for(audit, admission, on))
                })
                .collect();
            // Of several the first by whom it names, whatever the order of input.
            stands.sort_by_cached_key(|(_, it)| {
                let mut names: Vec<String> =
                    estate.list(it.to).iter().map(|who| estate.principal_label(*who)).collect();
                names.sort_unstable();
                names
            });
            let Some(&(admission_id, admission)) = stands.first() else { continue };
            let services =
                estate.list(admission.to).iter().filter(|who| matches!(who, Principal::Service(_)));
            let services: Vec<Principal> = services.copied().collect();
            let open = services.iter().any(|who| strangers_circle(audit, *who, id).is_some());
            let exposure = if open { Exposure::Outsider } else { Exposure::Insiders };
            let raised = Raised::new(Thing::Trigger(trigger), Level::Table(Impact::Hygiene, exposure))
                .within(estate.environment(it.environment, it.scope))
                .from([Cause::Admission(admission_id)]);
            raising.raise(&raised, EntryFact::IdleTrigger { trigger, permission: admission_id });
        }
    }
}

fn unfiltered_source(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    let is_on = |trigger: &Trigger| {
        let function = estate.get(trigger.function);
        trigger.state == State::Enabled && function.is_some_and(|it| it.state == State::Enabled)
    };
    let on = || estate.all::<TriggerId>().filter(|(_, trigger)| is_on(trigger));
    let mut filtered: FxHashMap<Thing, Vec<TriggerId>> = FxHashMap::default();
    for (id, trigger) in on().filter(|(_, trigger)| trigger.filter.is_some()) {
        if let Some(source) = trigger.source {
            filtered.entry(source).or_default().push(id);
        }
    }
    let unfiltered = audit.each::<TriggerId>().filter(|(_, it)| is_on(it) && it.filter.is_none());
    for (id, trigger) in unfiltered {
        let Some(source) = trigger.source else { continue };
        let others =
            filtered.get(&source).into_iter().flatten().filter_map(|id| Some((*id, estate.get(*id)?)));
        let others = others.filter(|(_, other)| other.function != trigger.function);
        let Some((picks, _)) = others.min_by_key(|(id, _)| estate.id(*id)) else { continue };
        let raised = Raised::new(Thing::Trigger(id), Level::Table(Impact::RunsCode, Exposure::Insiders))
            .within(audit.environment(trigger.function))
            .sure(Sureness::Inferred);
        raising.raise(&raised, EntryFact::Unfiltered { trigger: id, picks });
    }
}
