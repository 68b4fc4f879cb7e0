//! What is deployed is weaker than what is declared: by a contract, by definition files, or by a live try.

use super::address;
use crate::facts::EntryFact;
use crate::finding::{Cause, Raised, Raising};
use crate::{Audit, Harm, Impact, Level, Rule, Sureness};
use pasaporte_core::access::Verdict;
use pasaporte_core::entry::{Aspect, Drift, Exposed, Exposure, Standing};
use pasaporte_core::estate::{Check, EndpointId, Environment, FunctionId, Principal, Shows, Thing};

pub(crate) const RULES: &[Rule] = &[
    Rule {
        id: "entry/declared-otherwise",
        title: "What is deployed lets in more than what is declared",
        why: "People read the contract or the definition and believe it. Where what is deployed asks for less, what was \
              agreed does not hold, and the next review will not see it.",
        fix: "Deploy what is declared; or, if it was meant to change, change the declaration, so that it is reviewed.",
        check: "Audit again with the declaration beside it; a try without a credential must be turned away.",
        references: &["CWE-1188", "CWE-287", "NIST SP 800-53 CM-3", "NIST SP 800-53 CM-6", "OWASP API8:2023"],
        apart: &["declaration"],
        judge: declared_otherwise,
    },
    Rule {
        id: "entry/undeclared-operation",
        title: "An endpoint that its contract does not speak of",
        why: "What no contract speaks of is not reviewed, not tested and not documented, and often left over from an \
              earlier version.",
        fix: "Describe the operation in the contract, with what it asks of callers; or take the endpoint away.",
        check: "List operations: each endpoint answers one.",
        references: &["CWE-1059", "NIST SP 800-53 CM-8", "OWASP API9:2023"],
        apart: &[],
        judge: undeclared_operation,
    },
];

fn declared_otherwise(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    by_contract(audit, raising);
    by_definition(audit, raising);
    by_try(audit, raising);
}

fn by_contract(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for held in &audit.contracts().operations {
        if !matches!(held.standing, Standing::OpenInEffect | Standing::Weaker) {
            continue;
        }
        let (Some(contract), Some(weakest)) = (estate.get(held.contract), held.weakest) else { continue };
        let Some(endpoint) = estate.get(weakest) else { continue };
        let operation = &contract.operations[held.operation];
        let name = format!("{} {}", estate.text(operation.method), estate.text(operation.path));
        let exposed = audit.effects().exposure_at(weakest);
        let (harm, environment) =
            (audit.harm_through(endpoint.function), audit.environment(endpoint.function));
        let raised = Raised::judged(Thing::Endpoint(weakest), harm, exposed, environment)
            .facet(format!("contract {} {name}", estate.id(held.contract)))
            .from([Cause::Door(weakest)]);
        raising.raise(&raised, EntryFact::WeakerThanContract(Box::new(held.clone())));
    }
}

fn by_definition(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    for drift in audit.effects().drift() {
        let (harm, exposed, environment) = drifted(audit, &drift);
        let sure = if drift.surely_weaker { Sureness::Certain } else { Sureness::Inferred };
        let door = match (drift.thing, drift.aspect) {
            (Thing::Endpoint(id), Aspect::Check | Aspect::Presents | Aspect::Presence) => {
                Some(Cause::Door(id))
            }
            _ => None,
        };
        let raised = Raised::judged(drift.thing, harm, exposed, environment)
            .sure(sure)
            .facet(format!("definition {}", drift.aspect))
            .from(door.into_iter().chain(callers_of(audit, &drift)));
        raising.raise(&raised, EntryFact::WeakerThanDefined(Box::new(drift)));
    }
}

/// The permissions that let in whoever is not declared.
fn callers_of(audit: &Audit<'_>, drift: &Drift) -> Vec<Cause> {
    if drift.aspect != Aspect::Callers {
        return Vec::new();
    }
    let estate = audit.estate();
    let of_crowds = audit.effects().admissions_on(drift.thing).iter().copied().filter(|id| {
        let to = estate.list(estate.admission(*id).to);
        to.iter().any(|who| matches!(who, Principal::Anyone | Principal::SignedIn | Principal::Account(_)))
    });
    of_crowds.map(Cause::Admission).collect()
}

fn drifted(audit: &Audit<'_>, drift: &Drift) -> (Harm, Exposed, Option<Environment>) {
    let estate = audit.estate();
    let hygiene = (Harm::sure(Impact::Hygiene), Exposed::INSIDE, None);
    let of_function = |function: FunctionId, exposed: Exposed| {
        (audit.harm_through(function), exposed, audit.environment(function))
    };
    match drift.thing {
        Thing::Function(id) => of_function(id, audit.exposure(id)),
        Thing::Endpoint(id) => match estate.get(id) {
            Some(endpoint) => of_function(endpoint.function, audit.effects().exposure_at(id)),
            None => hygiene,
        },
        Thing::Verifier(id) => {
            let guarded = estate.all::<EndpointId>().filter(|(_, it)| it.check == Check::Token(id));
            let worst = guarded
                .map(|(_, it)| it.function)
                .min_by_key(|id| (audit.harm_through(*id).impact, estate.id(*id)));
            let harm = worst.map_or(Harm::sure(Impact::Hygiene), |worst| audit.harm_through(worst));
            let environment = worst.and_then(|worst| audit.environment(worst));
            (harm, Exposed::surely(Exposure::KeyHolders), environment)
        }
        _ => hygiene,
    }
}

fn by_try(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (place, attempt) in estate.attempts().iter().enumerate() {
        let shows = estate.shows(attempt);
        let Some(endpoint) = estate.get(attempt.endpoint).filter(|_| shows > Shows::Unclear) else {
            continue;
        };
        // The latest of those that show it is told.
        if audit.effects().tried_open(attempt.endpoint).map(|(open, _)| open) != Some(place) {
            continue;
        }
        // Where anyone gets through anyway, it came back as the estate says.
        if audit.effects().opens_to_nothing(attempt.endpoint) != Verdict::No {
            continue;
        }
        let function = endpoint.function;
        let sure = if shows == Shows::Through { Sureness::Certain } else { Sureness::Inferred };
        let exposed = Exposed::surely(Exposure::Anyone);
        let thing = Thing::Endpoint(attempt.endpoint);
        let raised =
            Raised::judged(thing, audit.harm_through(function), exposed, audit.environment(function))
                .sure(sure)
                .facet("try")
                .from([Cause::Door(attempt.endpoint)]);
        raising.raise(&raised, EntryFact::GotThrough(place));
    }
}

fn undeclared_operation(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for unspoken in audit.contracts().unspoken.iter().filter(|it| it.needed.is_empty()) {
        let Some(endpoint) = estate.get(unspoken.endpoint) else { continue };
        let exposed = audit.effects().exposure_at(unspoken.endpoint);
        let raised =
            Raised::new(Thing::Endpoint(unspoken.endpoint), Level::Table(Impact::Hygiene, exposed.to))
                .within(audit.environment(endpoint.function))
                .sure(address::sure_of(audit, unspoken));
        raising.raise(&raised, EntryFact::Unspoken(Box::new(unspoken.clone())));
    }
}
