//! trust: who may act as an identity.

use super::entry::{admitted, at_grounds, depending, sureness};
use super::finding::{Raised, Raising};
use super::words::{capitalised, exposed, listed};
use super::{Audit, Level, Rule, Sureness, Told};
use crate::access::{Answer, Question, Verdict};
use crate::entry::Exposed;
use crate::estate::{IdentityId, IdentityKind, Principal, RUNNER_SERVICE, Thing};

pub(super) const RULES: &[Rule] = &[
    Rule {
        id: "trust/anyone",
        title: "Anyone, or any signed-in caller, may act as an identity",
        why: "Acting as the identity is having all it holds. A trust that names everybody gives it away.",
        fix: "Name the one service or party that needs it.",
        check: "Ask whether a stranger may act as it: the answer must be no.",
        references: &["CWE-284", "CWE-862", "NIST SP 800-53 AC-3", "NIST SP 800-53 IA-9"],
        judge: anyone,
    },
    Rule {
        id: "trust/whole-account",
        title: "A whole foreign account may act as an identity",
        why: "Who in that account may act as it is decided there, by people you do not know.",
        fix: "Name the one identity of that account which needs it, and agree a proof with its owner.",
        check: "The trust names identities, not accounts.",
        references: &["CWE-284", "CWE-668", "NIST SP 800-53 AC-3", "NIST SP 800-53 AC-20"],
        judge: whole_account,
    },
    Rule {
        id: "trust/other-service",
        title: "Other services than the one that runs functions may act as an execution role",
        why: "Whoever may configure such a service gets the function's rights without touching the function.",
        fix: "Leave only the service that runs functions in the trust; give the other service a role of its own.",
        check: "The trust names service:functions alone.",
        references: &["CWE-269", "CWE-441", "NIST SP 800-53 AC-6", "NIST SP 800-53 IA-9"],
        judge: other_service,
    },
];

fn anyone(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    for (id, _) in audit.estate().all::<IdentityId>() {
        let crowds = [
            (Principal::Anyone, "anyone, without signing in,"),
            (Principal::SignedIn, "any signed-in caller of the platform, of whichever customer,"),
        ];
        // The wider crowd takes in the other, so one finding says it.
        let _ = crowds.into_iter().any(|(who, crowd)| may_act(audit, raising, id, who, crowd.to_owned()));
    }
}

fn whole_account(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (id, _) in estate.all::<IdentityId>() {
        let foreign = admitted(audit, Thing::Identity(id)).into_iter().filter_map(|who| match who {
            Principal::Account(account) if audit.access().is_foreign(account, Thing::Identity(id)) => {
                Some((who, account))
            }
            _ => None,
        });
        for (who, account) in foreign {
            if audit.access().stranger_may_assume(Principal::SignedIn, id).verdict != Verdict::Yes {
                let crowd = format!("every principal of the foreign account:{}", estate.id(account));
                may_act(audit, raising, id, who, crowd);
            }
        }
    }
}

/// Raises that a crowd may act as an identity, if it may.
fn may_act(
    audit: &Audit<'_>,
    raising: &mut Raising<'_, '_>,
    id: IdentityId,
    who: Principal,
    crowd: String,
) -> bool {
    let thing = Thing::Identity(id);
    let answer = audit.access().stranger_may_assume(who, id);
    if !answer.is_possible() {
        return false;
    }
    let exposed = Exposed { to: audit.access().circle(who, thing), ..Exposed::INSIDE };
    let name = audit.estate().principal_label(who);
    let raised = Raised::new(thing, Level::of(audit.harm(id), exposed))
        .within(audit.environment_of(Principal::Identity(id)))
        .sure(sureness(answer.verdict))
        .facet(&name);
    raising.raise(&raised, move |audit| {
        let answer = audit.access().stranger_may_assume(who, id);
        let may = audit.may(id);
        let may = may.map_or_else(String::new, |may| format!(" Then they may {may}."));
        let (crowd, depending) = (capitalised(&crowd), depending(audit, &answer));
        let told = Told::new(format!("{crowd} may act as it{depending}.{may}"))
            .fix(format!("Replace `{name}` in its trust by whoever needs to act as it."));
        at_grounds(audit, told, &answer)
    });
    true
}

fn other_service(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    let roles = estate.all::<IdentityId>().filter(|(_, it)| it.kind == IdentityKind::ExecutionRole);
    for (id, identity) in roles {
        let others = other_services(audit, id);
        if others.is_empty() {
            continue;
        }
        let certain = others.iter().all(|(_, answer)| answer.verdict == Verdict::Yes);
        // Only insiders can configure the other service, whoever can call the function.
        let raised = Raised::new(Thing::Identity(id), Level::of(audit.harm(id), Exposed::INSIDE))
            .within(audit.environment_of(Principal::Identity(id)))
            .sure(if certain { Sureness::Certain } else { Sureness::Conditional });
        let raised = others.iter().fold(raised, |raised, (name, _)| raised.facet(name));
        let origin = identity.origin;
        raising.raise(&raised, move |audit| {
            let others = other_services(audit, id);
            let names: Vec<String> = others.iter().map(|(name, _)| name.clone()).collect();
            let may = audit.may(id);
            let may = may.map_or_else(String::new, |may| format!(" It may {may}."));
            let told = Told::new(format!(
                "{} may act as this execution role too.{may}{}",
                capitalised(&listed(&names)),
                exposed(audit, audit.exposure_of(Principal::Identity(id))),
            ))
            .fix(format!("Take {} out of its trust.", listed(&names)))
            .at(origin, "the execution role");
            others.iter().fold(told, |told, (_, answer)| at_grounds(audit, told, answer))
        });
    }
}

/// The services other than the one that runs functions which may act as an identity.
fn other_services<'e>(audit: &Audit<'e>, id: IdentityId) -> Vec<(String, Answer<'e>)> {
    let estate = audit.estate();
    let access = audit.access();
    let given = audit.now();
    let others = admitted(audit, Thing::Identity(id)).into_iter().filter(|who| match who {
        Principal::Service(name) => estate.text(*name) != RUNNER_SERVICE,
        _ => false,
    });
    others
        .map(|principal| {
            let on = Thing::Identity(id);
            let answer = access.decide(&Question { principal, action: access.assume(), on, given: &given });
            (estate.principal_label(principal), answer)
        })
        .filter(|(_, answer)| answer.is_possible())
        .collect()
}
