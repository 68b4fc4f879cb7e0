//! blind: what could not be seen, and what must therefore not be called clean.

use std::collections::BTreeMap;

use rustc_hash::FxHashMap;

use crate::facts::{BlindFact, Missing, Opaque, UnseenKind};
use crate::finding::{Raised, Raising};
use crate::rules::grant::allowing;
use crate::{Audit, Level, Rule, Severity, Sureness};
use pasaporte_core::access::{Dialect, Verdict};
use pasaporte_core::effect::ServiceId;
use pasaporte_core::estate::{
    ActionsId, At, Condition, ContractId, Effect, FunctionId, GroupId, Id, KeyId, Name, Origin, Reference,
    ResourcesId, ScopeId, ScopeKind, Thing, VerifierId,
};

mod usage;

/// The rules, in the order in which one would read them.
pub(crate) fn rules() -> Vec<Rule> {
    [RULES, usage::RULES].concat()
}

const RULES: &[Rule] = &[
    Rule {
        id: "blind/missing-reference",
        title: "Something is referred to that is not in the estate",
        why: "What is not there was not judged: a missing set may hold every right, a missing identity any grant.",
        fix: "Gather the account or page that it is in; if it is gone, remove the reference.",
        check: "Audit again: the reference is found.",
        references: &["NIST SP 800-53 CM-8"],
        apart: &[],
        judge: missing_reference,
    },
    Rule {
        id: "blind/nothing-there",
        title: "Nothing was gathered where something should be",
        why: "An estate or an account without a function, or a kind of thing that grants take in and of which there is \
              nothing, was more likely not gathered than not there. No findings there means that nobody looked.",
        fix: "Gather it: ask the right region and account, with the access that it takes.",
        check: "List what is there: functions, and things of each kind that grants name.",
        references: &["NIST SP 800-53 CM-8", "NIST SP 800-53 CA-7"],
        apart: &["kind"],
        judge: nothing_there,
    },
    Rule {
        id: "blind/unbounded-question",
        title: "A question was too large to answer",
        why: "The patterns of the estate tell so many sorts of actions apart that not all of them were looked at. What \
              was not looked at may be allowed.",
        fix: "Write patterns that say what they mean: fewer with a `*` at both ends.",
        check: "Audit again: the blind spot is gone.",
        references: &["NIST SP 800-53 CA-7"],
        apart: &["service"],
        judge: unbounded_question,
    },
    Rule {
        id: "blind/opaque-condition",
        title: "A condition was not understood",
        why: "It is taken as unknown: what it guards is judged as perhaps allowed and perhaps denied.",
        fix: "Write it with the attributes of the estate format, or teach the adapter to.",
        check: "Audit again: answers no longer depend on it.",
        references: &["NIST SP 800-53 CA-7"],
        apart: &["condition"],
        judge: opaque_condition,
    },
    Rule {
        id: "blind/partial-collection",
        title: "A part of the estate could not be collected",
        why: "No findings there means that nobody looked.",
        fix: "Give the collector the access it lacked, and gather again.",
        check: "Gather again: the blind spot is gone.",
        references: &["NIST SP 800-53 CM-8", "NIST SP 800-53 CA-7"],
        apart: &["what was not collected"],
        judge: partial_collection,
    },
    Rule {
        id: "blind/unknown-action",
        title: "What an action does is not known",
        why: "No line of the catalogue says what it does, so it counts as changing something, and whether it reads what \
              is confidential or changes who may do what is not judged.",
        fix: "Say what it does: a line under `actions` in a file of the estate, or in the adapter's catalogue.",
        check: "Audit again: the action has a class.",
        references: &["NIST SP 800-53 CM-8", "NIST SP 800-53 CA-7"],
        apart: &["action"],
        judge: unclassed_action,
    },
    Rule {
        id: "blind/unseen-members",
        title: "Who is in a group was not seen",
        why: "Whoever may be in it holds what the group holds. It is judged as if somebody were; whether that is \
              everybody, or a stranger, is not known.",
        fix: "Give the collector the access that it takes to read members, and gather again.",
        check: "Gather again: the members are listed.",
        references: &["NIST SP 800-53 CM-8", "NIST SP 800-53 AC-2"],
        apart: &[],
        judge: unseen_members,
    },
    Rule {
        id: "blind/unread-document",
        title: "A contract or key set could not be used, as a whole or in part",
        why: "What an operation should ask of callers, or whether a key is trusted, is not known, so nothing was held \
              against it.",
        fix: "Mend the document where it says, or have whoever made it do so.",
        check: "Audit again: the part is read.",
        references: &["NIST SP 800-53 CM-8", "NIST SP 800-53 CA-7"],
        apart: &["part of the document"],
        judge: unread_document,
    },
    Rule {
        id: "blind/unknown-age",
        title: "How old something is cannot be said",
        why: "Without the time that the estate was true, or the time that a key was made, nothing can be called stale.",
        fix: "Say `as_of` in the estate, and `created` for its keys.",
        check: "Audit again: every enabled key has an age.",
        references: &["NIST SP 800-53 IA-5"],
        apart: &[],
        judge: unknown_age,
    },
];

fn blind(thing: impl Into<Option<Thing>>) -> Raised {
    Raised::new(thing, Level::Fixed(Severity::Low)).sure(Sureness::Certain)
}

fn missing_reference(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    let mut missing: BTreeMap<Thing, Vec<Reference>> = BTreeMap::new();
    estate.references(|reference| {
        if !estate.is_declared(reference.to) {
            missing.entry(reference.to).or_default().push(reference);
        }
    });
    for (thing, mut references) in missing {
        references
            .sort_by_cached_key(|reference| (estate.label(reference.from), reference.how, reference.origin));
        raising.raise(&blind(thing), BlindFact::Missing(Box::new(Missing { thing, references })));
    }
}

fn nothing_there(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    // Of the estate and its scopes, and of no single thing.
    if audit.is_narrow() {
        return;
    }
    let estate = audit.estate();
    if estate.all::<FunctionId>().next().is_none() {
        raising.raise(&blind(None).facet(FunctionId::KIND), BlindFact::NoFunction);
    }
    for (id, _) in estate.all::<ScopeId>().filter(|(_, scope)| scope.kind == ScopeKind::Account) {
        if audit.effects().functions_in(id).len() == 0 {
            raising.raise(&blind(Thing::Scope(id)).facet(FunctionId::KIND), BlindFact::NoFunctionIn(id));
        }
    }
    unseen_kinds(audit, raising);
}

/// Kinds of things that grants take in and of which nothing was gathered where they hold.
fn unseen_kinds(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let (estate, effects) = (audit.estate(), audit.effects());
    let mut unseen: FxHashMap<(Option<Thing>, ServiceId), Vec<Origin>> = FxHashMap::default();
    let mut known: FxHashMap<(ActionsId, ResourcesId), Box<[ServiceId]>> = FxHashMap::default();
    for (_, road) in allowing(audit) {
        // In a thing nothing else is made.
        let place = road.at.thing();
        if place.is_some_and(|thing| !matches!(thing, Thing::Scope(_))) {
            continue;
        }
        let statement = estate.statement(road.statement);
        // What is named and there is seen.
        if let Some(only) = effects.only(statement.resources)
            && estate.is_declared(only)
            && estate.lies_at(only, road.at)
        {
            continue;
        }
        let kinds = known.entry((statement.actions, statement.resources)).or_insert_with(|| {
            let named = effects.kinds_named(&road).into_iter().map(|(kind, _)| kind);
            let named =
                named.filter(|kind| **kind != *pasaporte_core::effect::ACCESS && !is_kind_of_things(kind));
            let mut kinds: Vec<ServiceId> = named.map(|kind| effects.service(&kind)).collect();
            kinds.dedup();
            kinds.into_boxed_slice()
        });
        let there = effects.services_at(road.at);
        for kind in kinds.iter().filter(|kind| !there.contains(kind)) {
            unseen.entry((place, *kind)).or_default().push(statement.origin);
        }
    }
    for ((place, kind), mut origins) in unseen {
        origins.sort_unstable();
        origins.dedup();
        let raised = blind(place).facet(&*effects.service_name(kind));
        raising.raise(&raised, BlindFact::UnseenKind(Box::new(UnseenKind { place, kind, origins })));
    }
}

/// Whether things of a kind have entries of their own, and so are not resources.
fn is_kind_of_things(kind: &str) -> bool {
    matches!(
        kind,
        "organization"
            | "folder"
            | "account"
            | "app"
            | "user"
            | "group"
            | "permission-set"
            | "endpoint"
            | "trigger"
            | "verifier"
            | "token"
            | "contract"
            | "grant"
            | "ceiling"
            | "enrolment"
    )
}

fn unbounded_question(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    if audit.known_ways().is_some_and(|ways| !ways.complete) && !audit.is_narrow() {
        raising.raise(&blind(None).facet("paths"), BlindFact::FarPaths);
    }
    for service in audit.effects().unbounded() {
        raising.raise(&blind(None).facet(&*service), BlindFact::Unbounded(service));
    }
}

fn opaque_condition(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    let mut see = |thing: Option<Thing>, conditions: &[Condition], origin| {
        for condition in conditions {
            let Condition::Opaque(text) = *condition else { continue };
            raising.raise(
                &blind(thing).facet(estate.text(text)),
                BlindFact::Opaque(Box::new(Opaque { text, origin })),
            );
        }
    };
    for (_, grant) in estate.grants() {
        see(grant.principal.thing(), &grant.conditions, grant.origin);
        for contained in audit.effects().statements_of(grant) {
            let statement = estate.statement(contained.statement);
            let thing = contained.set.map(Thing::Set).or(grant.principal.thing());
            see(thing, &statement.conditions, statement.origin);
        }
    }
    for admission in estate.admissions() {
        let statement = estate.statement(admission.statement);
        see(Some(admission.on), &statement.conditions, statement.origin);
    }
    for (id, ceiling) in estate.ceilings() {
        for statement in ceiling.statements.ids() {
            let statement = estate.statement(statement);
            see(Some(Thing::Ceiling(id)), &statement.conditions, statement.origin);
        }
    }
}

/// Actions that are given by name or were used, and that no line of the catalogue knows that counts where they are done.
fn unclassed_action(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    if audit.is_narrow() {
        return;
    }
    let (estate, effects) = (audit.estate(), audit.effects());
    let unknown = |action: &str, read: Option<Dialect>| {
        let mut all = effects.dialects().filter(|it| read.is_none_or(|read| *it == read));
        all.all(|dialect| effects.catalogue().class(action, dialect).is_none())
    };
    // Of each choice the actions that it names, worked out once: thousands of statements share a few.
    let mut named: FxHashMap<(ActionsId, Option<Dialect>), Vec<String>> = FxHashMap::default();
    let mut seen: BTreeMap<String, Vec<Origin>> = BTreeMap::new();
    let held = allowing(audit).map(|(_, road)| (road.statement, road.at));
    let admitted = estate.admissions().iter().map(|it| (it.statement, At::Thing(it.on)));
    // Statements of one place come together.
    let mut last = (At::Everywhere, effects.dialect_at(At::Everywhere));
    for (id, at) in held.chain(admitted) {
        if last.0 != at {
            last = (at, effects.dialect_at(at));
        }
        let (statement, read) = (estate.statement(id), last.1);
        let of_choice = named.entry((statement.actions, read)).or_insert_with(|| {
            let any = estate.actions_picked(statement.actions).any().iter();
            let said = any.filter_map(|id| estate.pattern(*id).as_literal());
            said.filter(|action| unknown(action, read)).map(str::to_owned).collect()
        });
        for action in of_choice.iter().filter(|_| statement.effect == Effect::Allow) {
            seen.entry(action.clone()).or_default().push(statement.origin);
        }
    }
    let mut known: FxHashMap<(Name, Option<Dialect>), bool> = FxHashMap::default();
    for it in estate.uses() {
        let action = estate.text(it.did);
        let read = effects.dialect_at(it.to.map_or(At::Everywhere, At::Thing));
        if *known.entry((it.did, read)).or_insert_with(|| unknown(action, read)) {
            seen.entry(action.to_owned()).or_default().push(it.origin);
        }
    }
    for (action, mut origins) in seen {
        origins.sort_unstable();
        origins.dedup();
        let raised = blind(None).facet(&action);
        raising.raise(&raised, BlindFact::Unclassed(Box::new((action.into(), origins))));
    }
}

fn unseen_members(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    for (id, _) in audit.each::<GroupId>().filter(|(_, group)| group.unseen) {
        raising.raise(&blind(Thing::Group(id)), BlindFact::UnseenMembers(id));
    }
}

fn partial_collection(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (place, spot) in estate.blind_spots().iter().enumerate() {
        let raised = blind(spot.scope.map(Thing::Scope)).facet(estate.text(spot.what));
        raising.raise(&raised, BlindFact::NotCollected(place));
    }
}

fn unread_document(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    idle_contracts(audit, raising);
    unbounded_contracts(audit, raising);
    let estate = audit.estate();
    let contracts = estate.all::<ContractId>().map(|(id, it)| (Thing::Contract(id), it.unread.as_slice()));
    let keys = estate
        .all::<VerifierId>()
        .filter_map(|(id, it)| it.keys.as_ref().map(|keys| (Thing::Verifier(id), keys.unread.as_slice())));
    for (thing, unread) in
        contracts.chain(keys).flat_map(|(thing, all)| all.iter().map(move |it| (thing, it)))
    {
        let fact = BlindFact::Unread(Box::new(unread.clone()));
        raising.raise(&blind(thing).facet(estate.text(unread.part)), fact);
    }
}

/// What nothing could be held against, since no endpoint of the estate is under it.
fn idle_contracts(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    for &id in &audit.contracts().idle {
        raising.raise(&blind(Thing::Contract(id)).facet("idle"), BlindFact::IdleContract(id));
    }
}

/// What was too much to be held against what is deployed.
fn unbounded_contracts(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    for &id in &audit.contracts().unbounded {
        raising.raise(&blind(Thing::Contract(id)).facet("unbounded"), BlindFact::UnboundedContract(id));
    }
}

fn unknown_age(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    if audit.estate().as_of().is_none() {
        raising.raise(&blind(None), BlindFact::NoTime);
        return;
    }
    let undated = audit.each::<KeyId>().filter(|(id, key)| {
        audit.effects().accepted(*id) != Verdict::No && key.created.is_none() && key.rotated.is_none()
    });
    for (id, _) in undated {
        raising.raise(&blind(Thing::Key(id)), BlindFact::NoAge(id));
    }
}
