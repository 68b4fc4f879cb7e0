//! grant/to-everybody: what is given to whoever there is.

use crate::facts::{GrantFact, ToEverybody};
use crate::finding::{Cause, Raised, Raising};
use crate::{Audit, Impact, Rule};
use pasaporte_core::access::Via;
use pasaporte_core::effect::{Harm, Road};
use pasaporte_core::entry::Exposed;
use pasaporte_core::estate::{Principal, Thing, TokenId};

pub(crate) const RULES: &[Rule] = &[Rule {
    id: "grant/to-everybody",
    title: "Anyone, or any signed-in caller, holds a right on things that are not public",
    why: "What everybody holds needs no intruder: nobody has to get in anywhere to use it, and no log tells a stranger \
          from a colleague.",
    fix: "Give it to those who need it, by name.",
    check: "Explain the action for `anyone` and for `signed-in`: the answer must be no.",
    references: &["CWE-284", "CWE-732", "NIST SP 800-53 AC-3", "NIST SP 800-53 AC-6"],
    apart: &["crowd", "place", "statement"],
    judge: to_everybody,
}];

fn to_everybody(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for who in crowds(audit) {
        for road in audit.effects().roads(who) {
            // What the wider crowd holds is told of that.
            let is_told = who == Principal::SignedIn && audit.effects().is_of_anyone(road.name());
            // Who may act as an identity, and who may invoke, is told by rules of their own.
            let by_trust = matches!(road.via, Via::Admission { admission, .. }
                if matches!(estate.admission(admission).on, Thing::Identity(_) | Thing::Function(_)));
            if is_told || by_trust {
                continue;
            }
            let harm = audit.effects().harm_by(who, road);
            if harm.impact >= Impact::RunsCode {
                continue;
            }
            raise(audit, raising, who, road, harm);
        }
    }
}

/// The names of those who may be anybody: crowds, and whoever has a token that was handed to public clients.
fn crowds(audit: &Audit<'_>) -> Vec<Principal> {
    let estate = audit.estate();
    let verifiers = estate.all::<pasaporte_core::estate::VerifierId>().map(|(id, _)| id);
    let any_public = estate.all::<TokenId>().any(|(_, token)| token.public);
    let open = verifiers.filter(|id| any_public && audit.effects().public_token_for(*id).is_some());
    let tokens = open.map(Principal::Token);
    [Principal::Anyone, Principal::SignedIn].into_iter().chain(tokens).collect()
}

fn raise(audit: &Audit<'_>, raising: &mut Raising<'_, '_>, who: Principal, road: Road, harm: Harm) {
    let estate = audit.estate();
    // The table has one column for signed-in callers and for whoever has a public token.
    let to = match who {
        Principal::Anyone => pasaporte_core::entry::Exposure::Anyone,
        _ => pasaporte_core::entry::Exposure::SignedIn,
    };
    let (thing, environment) = match road.via {
        Via::Admission { admission, .. } => {
            let on = estate.admission(admission).on;
            (on, environment_of(audit, on))
        }
        Via::Grant { grant, name, .. } => {
            let at = estate.grant(grant).at.thing();
            (name.thing().unwrap_or(Thing::Grant(grant)), at.and_then(|at| environment_of(audit, at)))
        }
        Via::Ceiling(_) => return,
    };
    let statement = estate.statement(road.statement);
    let raised = Raised::judged(thing, harm, Exposed::surely(to), environment)
        .facet(estate.principal_label(who))
        .facet(match road.via {
            Via::Grant { grant, .. } => estate.place_label(estate.grant(grant).at),
            Via::Admission { .. } | Via::Ceiling(_) => String::new(),
        })
        .facet(pasaporte_core::estate::canonical(estate, statement))
        .from(Cause::of_via(road.via));
    raising.raise(&raised, GrantFact::ToEverybody(Box::new(ToEverybody { who, road })));
}

fn environment_of(audit: &Audit<'_>, thing: Thing) -> Option<pasaporte_core::estate::Environment> {
    let estate = audit.estate();
    let own = match thing {
        Thing::Resource(id) => estate.get(id).and_then(|it| it.environment),
        Thing::Function(id) => return audit.environment(id),
        _ => None,
    };
    estate.environment(own, estate.scope_of(thing))
}
