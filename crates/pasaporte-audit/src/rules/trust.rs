//! trust: who may act as an identity.

use crate::facts::TrustFact;
use crate::finding::{Cause, Raised, Raising};
use crate::{Audit, Rule, Sureness};
use pasaporte_core::access::{Answer, Question, Verdict};
use pasaporte_core::entry::{Exposed, Exposure};
use pasaporte_core::estate::{IdentityId, IdentityKind, Principal, RUNNER_SERVICE, Thing};

pub(crate) const RULES: &[Rule] = &[
    Rule {
        id: "trust/anyone",
        title: "Anyone, or any signed-in caller, may act as an identity",
        why: "Acting as the identity is having all it holds. A trust or a grant that names everybody gives it away.",
        fix: "Name the one service or party that needs it.",
        check: "Ask whether a stranger may act as it: the answer must be no.",
        references: &["CWE-284", "CWE-862", "NIST SP 800-53 AC-3", "NIST SP 800-53 IA-9"],
        apart: &["crowd"],
        judge: anyone,
    },
    Rule {
        id: "trust/whole-account",
        title: "A whole foreign account may act as an identity",
        why: "Who in that account may act as it is decided there, by people you do not know.",
        fix: "Name the one identity of that account which needs it, and agree a proof with its owner.",
        check: "The trust names identities, not accounts.",
        references: &["CWE-284", "CWE-668", "NIST SP 800-53 AC-3", "NIST SP 800-53 AC-20"],
        apart: &["crowd"],
        judge: whole_account,
    },
    Rule {
        id: "trust/other-service",
        title: "Other services than the one that runs functions may act as an execution role",
        why: "Whoever may configure such a service gets the function's rights without touching the function.",
        fix: "Leave only the service that runs functions in the trust; give the other service a role of its own.",
        check: "The trust names service:functions alone.",
        references: &["CWE-269", "CWE-441", "NIST SP 800-53 AC-6", "NIST SP 800-53 IA-9"],
        apart: &["services"],
        judge: other_service,
    },
];

fn anyone(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    of_crowds(audit, raising, |who| {
        matches!(who, Principal::Anyone | Principal::SignedIn | Principal::Token(_))
    });
}

fn whole_account(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    of_crowds(audit, raising, |who| matches!(who, Principal::Account(_)));
}

/// Raises that a crowd may act as an identity, by its trust or by a grant.
fn of_crowds(audit: &Audit<'_>, raising: &mut Raising<'_, '_>, wanted: impl Fn(Principal) -> bool) {
    let effects = audit.effects();
    for (id, _) in audit.each::<IdentityId>() {
        let on = Thing::Identity(id);
        for who in effects.strangers_on(on).into_iter().filter(|who| wanted(*who)) {
            let public = match who {
                Principal::Token(verifier) => effects.public_token_for(verifier).is_some(),
                _ => true,
            };
            let circles = effects.circles(who, effects.assume(), on);
            let circles = circles.into_iter().filter(|it| {
                it.exposure <= Exposure::Outsider || (public && matches!(who, Principal::Token(_)))
            });
            let exposed = circles.fold(Exposed::INSIDE, |widest, circle| {
                // The table has one column for signed-in callers and for whoever has a public token.
                let to =
                    if matches!(who, Principal::Token(_)) { Exposure::SignedIn } else { circle.exposure };
                let surely = circle.verdict == Verdict::Yes;
                let surely_to = if surely { to } else { Exposure::Insiders };
                widest.wider(Exposed { to, surely, surely_to, through: None })
            });
            if public && exposed.to <= Exposure::Outsider {
                may_act(audit, raising, id, who, exposed);
            }
        }
    }
}

/// Raises that a crowd may act as an identity.
fn may_act(
    audit: &Audit<'_>,
    raising: &mut Raising<'_, '_>,
    id: IdentityId,
    who: Principal,
    exposed: Exposed,
) {
    let thing = Thing::Identity(id);
    let answer = decided(audit, id, who);
    if !audit.effects().is_by_own_name(who, &answer) {
        return;
    }
    let environment = audit.environment_of(Principal::Identity(id));
    let raised = Raised::judged(thing, audit.harm(id), exposed, environment)
        .sure(if exposed.surely { Sureness::Certain } else { Sureness::Conditional })
        .facet(audit.estate().principal_label(who))
        .from(Cause::of(&answer));
    raising.raise(&raised, TrustFact::MayAct { identity: id, who });
}

/// The decision on a crowd, from where they get in at the widest.
pub(crate) fn decided<'e>(audit: &Audit<'e>, id: IdentityId, who: Principal) -> Answer<'e> {
    let effects = audit.effects();
    let on = Thing::Identity(id);
    let circles = effects.circles(who, effects.assume(), on).into_iter();
    let widest = circles.min_by_key(|it| (it.exposure, std::cmp::Reverse(it.verdict)));
    let given = widest.map_or_else(|| effects.stranger().clone(), |circle| circle.given);
    effects.decide(&Question { principal: who, action: effects.assume(), on, given: &given })
}

fn other_service(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let roles = audit.each::<IdentityId>().filter(|(_, it)| it.kind == IdentityKind::ExecutionRole);
    for (id, _) in roles {
        let others = other_services(audit, id);
        if others.is_empty() {
            continue;
        }
        let certain = others.iter().all(|(_, answer)| answer.verdict == Verdict::Yes);
        let names: Vec<&str> = others.iter().map(|(name, _)| name.as_str()).collect();
        // Only insiders can configure the other service, whoever can call the function.
        let environment = audit.environment_of(Principal::Identity(id));
        let raised = Raised::judged(Thing::Identity(id), audit.harm(id), Exposed::INSIDE, environment)
            .sure(if certain { Sureness::Certain } else { Sureness::Conditional })
            .facet(names.join(","))
            .from(others.iter().flat_map(|(_, answer)| Cause::of(answer)));
        raising.raise(&raised, TrustFact::OtherService(id));
    }
}

/// The services other than the one that runs functions which may act as an identity.
pub(crate) fn other_services<'e>(audit: &Audit<'e>, id: IdentityId) -> Vec<(String, Answer<'e>)> {
    let estate = audit.estate();
    let access = audit.effects();
    let given = audit.now();
    let is_other = |who: &Principal| match who {
        Principal::Service(name) => estate.text(*name) != RUNNER_SERVICE,
        _ => false,
    };
    let others = access.strangers_on(Thing::Identity(id)).into_iter().filter(is_other);
    others
        .filter_map(|principal| {
            let on = Thing::Identity(id);
            let answer = access.decide(&Question { principal, action: access.assume(), on, given: &given });
            let told = answer.is_possible() && access.is_by_own_name(principal, &answer);
            told.then(|| (estate.principal_label(principal), answer))
        })
        .collect()
}
