//! blind: what could not be seen, and what must therefore not be called clean.

use std::collections::BTreeMap;

use rustc_hash::FxHashMap;

use super::finding::{Raised, Raising};
use super::grant::allowing;
use super::words::listed;
use super::{Audit, Level, Rule, Severity, Sureness, Told};
use crate::access::Verdict;
use crate::effect::ServiceId;
use crate::estate::{
    ActionsId, Condition, ContractId, ContractOf, FunctionId, KeyId, Origin, Reference, ResourcesId, ScopeId,
    ScopeKind, Thing, VerifierId,
};

pub(super) const RULES: &[Rule] = &[
    Rule {
        id: "blind/missing-reference",
        title: "Something is referred to that is not in the estate",
        why: "What is not there was not judged: a missing set may hold every right, a missing identity any grant.",
        fix: "Gather the account or page that it is in; if it is gone, remove the reference.",
        check: "Audit again: the reference is found.",
        references: &["NIST SP 800-53 CM-8"],
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
        judge: unbounded_question,
    },
    Rule {
        id: "blind/opaque-condition",
        title: "A condition was not understood",
        why: "It is taken as unknown: what it guards is judged as perhaps allowed and perhaps denied.",
        fix: "Write it with the attributes of the estate format, or teach the adapter to.",
        check: "Audit again: answers no longer depend on it.",
        references: &["NIST SP 800-53 CA-7"],
        judge: opaque_condition,
    },
    Rule {
        id: "blind/partial-collection",
        title: "A part of the estate could not be collected",
        why: "No findings there means that nobody looked.",
        fix: "Give the collector the access it lacked, and gather again.",
        check: "Gather again: the blind spot is gone.",
        references: &["NIST SP 800-53 CM-8", "NIST SP 800-53 CA-7"],
        judge: partial_collection,
    },
    Rule {
        id: "blind/unread-document",
        title: "A contract or key set could not be used, as a whole or in part",
        why: "What an operation should ask of callers, or whether a key is trusted, is not known, so nothing was held \
              against it.",
        fix: "Mend the document where it says, or have whoever made it do so.",
        check: "Audit again: the part is read.",
        references: &["NIST SP 800-53 CM-8", "NIST SP 800-53 CA-7"],
        judge: unread_document,
    },
    Rule {
        id: "blind/unknown-age",
        title: "Ages cannot be told",
        why: "Without the time that the estate was true, or the time that a key was made, nothing can be called stale.",
        fix: "Say `as_of` in the estate, and `created` for its keys.",
        check: "Audit again: every enabled key has an age.",
        references: &["NIST SP 800-53 IA-5"],
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
        raising.raise(&blind(thing), move |audit| {
            let estate = audit.estate();
            let named = |reference: &Reference| match reference.how {
                "was tried" => "a try of it".to_owned(),
                how => format!("{} {how} it", estate.label(reference.from)),
            };
            let mut mentions: Vec<String> = references
                .iter()
                .map(|reference| match reference.how {
                    "was tried" => "somebody tried it".to_owned(),
                    _ if reference.from == thing => "the estate has statements about it".to_owned(),
                    _ => named(reference),
                })
                .collect();
            mentions.sort_unstable();
            mentions.dedup();
            let mentions = listed(&mentions);
            let told = Told::new(format!("It is not in the estate, but {mentions}. {}", hides(thing)))
                .fix("Gather it too, or remove the reference if it is gone.");
            references.iter().take(4).fold(told, |told, each| told.at(each.origin, named(each)))
        });
    }
}

/// What goes unjudged with a missing thing.
fn hides(thing: Thing) -> &'static str {
    match thing {
        Thing::Scope(_) => "What lies in it, who owns it and what is inherited there is not known.",
        Thing::Identity(_) => "What it may do, and who may act as it, is not known.",
        Thing::Set(_) => "What it gives is not known: it may give everything.",
        Thing::Group(_) => "Who is in it is not known: it may be everybody.",
        Thing::Function(_) => "What it may do, and who makes it run, is not known.",
        Thing::Verifier(_) => "What tokens it accepts is not known: it may accept any.",
        Thing::Key(_) => "What it opens, and how old it is, is not known.",
        Thing::Resource(_) => {
            "How sensitive it is, and whether it still exists, is not known: somebody else may own that name."
        }
        Thing::User(_) => "Who that is, is not known.",
        Thing::Endpoint(_)
        | Thing::Trigger(_)
        | Thing::Grant(_)
        | Thing::Ceiling(_)
        | Thing::Token(_)
        | Thing::Contract(_)
        | Thing::Enrolment(_) => "What it is, is not known.",
    }
}

fn nothing_there(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    // Of the estate and its scopes, and of no single thing.
    if audit.is_narrow() {
        return;
    }
    let estate = audit.estate();
    if estate.all::<FunctionId>().next().is_none() {
        raising.raise(&blind(None), |_| {
            Told::new("The estate has no function, so nothing was judged that matters.")
                .fix("Gather functions; look whether the right accounts and regions were asked.")
        });
    }
    for (id, scope) in estate.all::<ScopeId>().filter(|(_, scope)| scope.kind == ScopeKind::Account) {
        if audit.effects().functions_in(id).len() == 0 {
            let origin = scope.origin;
            raising.raise(&blind(Thing::Scope(id)).facet("functions"), move |_| {
                Told::new("No function of this account is in the estate.")
                    .fix("Gather its functions; look whether the right regions were asked.")
                    .at(origin, "the account")
            });
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
            let named = named.filter(|kind| **kind != *crate::effect::ACCESS && !is_kind_of_things(kind));
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
        let kind = effects.service_name(kind);
        origins.sort_unstable();
        origins.dedup();
        raising.raise(&blind(place).facet(&*kind), move |audit| {
            let at = place.map_or("in the estate".to_owned(), |place| format!("at {}", audit.estate().label(place)));
            let told = Told::new(format!(
                "Grants take in {kind} things {at}, and none was gathered there: how sensitive they are is not known."
            ))
            .fix(format!("Gather the {kind} things there; or take them out of the grants if there are none."));
            origins.iter().take(4).fold(told, |told, origin| told.at(*origin, "a statement that takes them in"))
        });
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
    for service in audit.effects().unbounded() {
        raising.raise(&blind(None).facet(&*service), move |_| {
            Told::new(format!(
                "The patterns over actions of {service} tell more sorts of them apart than were looked at, so more may \
                 be allowed than is told."
            ))
            .fix("Write fewer patterns with a `*` at both ends.")
        });
    }
}

fn opaque_condition(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    let mut see = |thing: Option<Thing>, conditions: &[Condition], origin| {
        for condition in conditions {
            let Condition::Opaque(text) = *condition else { continue };
            raising.raise(&blind(thing).facet(estate.text(text)), move |audit| {
                let text = audit.estate().text(text);
                Told::new(format!(
                    "The condition “{text}” was not understood, so what it guards is not known."
                ))
                .fix("Write it with the attributes of the estate format.")
                .at(origin, "the condition")
            });
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

fn partial_collection(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for spot in estate.blind_spots() {
        let (what, hides, origin) = (spot.what, spot.hides, spot.origin);
        raising.raise(&blind(spot.scope.map(Thing::Scope)).facet(estate.text(what)), move |audit| {
            let estate = audit.estate();
            let hides = hides.map_or_else(String::new, |hides| format!(" It hides {}.", estate.text(hides)));
            Told::new(format!("Not collected: {}.{hides}", estate.text(what)))
                .fix("Give the collector the access it lacked, and gather again.")
                .at(origin, "the collector's note")
        });
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
        let (what, origin) = (unread.what, unread.origin);
        raising.raise(&blind(thing).facet(estate.text(what)), move |audit| {
            Told::new(format!("Not understood: {}.", audit.estate().text(what)))
                .fix("Mend the document there, or have whoever made it do so.")
                .at(origin, "the document")
        });
    }
}

/// What nothing could be held against, since no endpoint of the estate is under it.
fn idle_contracts(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for &id in &audit.contracts().idle {
        let Some(contract) = estate.get(id) else { continue };
        let (of, origin) = (contract.of, contract.origin);
        raising.raise(&blind(Thing::Contract(id)).facet("idle"), move |audit| {
            let estate = audit.estate();
            let what = match of {
                ContractOf::Gateway(gateway) => {
                    format!("No route of the estate is at gateway {}", estate.text(gateway))
                }
                ContractOf::Function(function) => {
                    format!("function:{} has no endpoint in the estate", estate.id(function))
                }
            };
            Told::new(format!("{what}, so nothing was held against this contract."))
                .fix("Name the gateway as the estate's routes do; or gather its routes.")
                .at(origin, "the contract")
        });
    }
}

/// What was too much to be held against what is deployed.
fn unbounded_contracts(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for &id in &audit.contracts().unbounded {
        let origin = estate.origin(Thing::Contract(id));
        raising.raise(&blind(Thing::Contract(id)).facet("unbounded"), move |_| {
            Told::new(
                "Its operations and the endpoints of the estate meet in too many ways, so some were not held against \
                 each other.",
            )
            .fix("Make contracts of parts of it, one a gateway or function.")
            .at(origin, "the contract")
        });
    }
}

fn unknown_age(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    if estate.as_of().is_none() {
        raising.raise(&blind(None), |_| {
            Told::new(
                "The estate does not say when it was true, so no age and no expiry can be judged: expired grants and \
                 keys count as valid, and no key as stale.",
            )
            .fix("Add `as_of` to the estate, or audit with --as-of.")
        });
        return;
    }
    let undated = audit.each::<KeyId>().filter(|(id, key)| {
        audit.effects().accepted(*id) != Verdict::No && key.created.is_none() && key.rotated.is_none()
    });
    for (id, key) in undated {
        let origin = key.origin;
        raising.raise(&blind(Thing::Key(id)), move |_| {
            Told::new("Nobody said when this enabled key was made, so its age is not known.")
                .fix("Say when it was made: add `created` to its entry.")
                .at(origin, "the key")
        });
    }
}
