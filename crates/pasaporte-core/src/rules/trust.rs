//! trust: who may act as an identity.

use super::entry::{admitted, at_grounds, depending, sureness};
use super::words::{capitalised, exposed, listed};
use super::{Audit, Level, Raised, Rule, Sureness};
use crate::access::{ASSUME, Question, Verdict};
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

fn anyone(audit: &Audit<'_>) -> Vec<Raised> {
    let mut raised = Vec::new();
    for (id, _) in audit.estate().all::<IdentityId>() {
        let crowds = [
            (Principal::Anyone, "anyone, without signing in,"),
            (Principal::SignedIn, "any signed-in caller of the platform, of whichever customer,"),
        ];
        // The wider crowd takes in the other, so one finding says it.
        if let Some(finding) = crowds.iter().find_map(|(who, crowd)| may_act(audit, id, *who, crowd)) {
            raised.push(finding);
        }
    }
    raised
}

fn whole_account(audit: &Audit<'_>) -> Vec<Raised> {
    let estate = audit.estate();
    let mut raised = Vec::new();
    for (id, _) in estate.all::<IdentityId>() {
        if audit.access().stranger_may_assume(Principal::SignedIn, id).verdict == Verdict::Yes {
            continue;
        }
        for who in admitted(audit, Thing::Identity(id)) {
            if let Principal::Account(account) = who
                && audit.access().is_foreign(account, Thing::Identity(id))
            {
                let crowd = format!("every principal of the foreign account:{}", estate.id(account));
                raised.extend(may_act(audit, id, who, &crowd));
            }
        }
    }
    raised
}

fn may_act(audit: &Audit<'_>, id: IdentityId, who: Principal, crowd: &str) -> Option<Raised> {
    let estate = audit.estate();
    let thing = Thing::Identity(id);
    let answer = audit.access().stranger_may_assume(who, id);
    if !answer.is_possible() {
        return None;
    }
    let harm = audit.harm(id);
    let exposed = Exposed { to: audit.access().circle(who, thing), ..Exposed::INSIDE };
    let may = harm.may.as_ref().map_or_else(String::new, |may| format!(" Then they may {may}."));
    let situation = format!("{} may act as it{}.{may}", capitalised(crowd), depending(audit, &answer));
    let name = estate.principal_label(who);
    let finding = Raised::new(thing, Level::of(harm, exposed), situation)
        .within(audit.environment_of(Principal::Identity(id)))
        .sure(sureness(answer.verdict))
        .facet(&name)
        .fix(format!("Replace `{name}` in its trust by whoever needs to act as it."));
    Some(at_grounds(audit, finding, &answer))
}

fn other_service(audit: &Audit<'_>) -> Vec<Raised> {
    let estate = audit.estate();
    let mut raised = Vec::new();
    for (id, identity) in estate.all::<IdentityId>().filter(|(_, it)| it.kind == IdentityKind::ExecutionRole)
    {
        let thing = Thing::Identity(id);
        let mut others = Vec::new();
        let mut certain = true;
        let mut grounds = Vec::new();
        for who in admitted(audit, thing) {
            let Principal::Service(name) = who else { continue };
            if estate.text(name) == RUNNER_SERVICE {
                continue;
            }
            let given = audit.now();
            let answer =
                audit.access().decide(&Question { principal: who, action: ASSUME, on: thing, given });
            if answer.is_possible() {
                certain &= answer.verdict == Verdict::Yes;
                others.push(estate.principal_label(who));
                grounds.push(answer);
            }
        }
        if others.is_empty() {
            continue;
        }
        let harm = audit.harm(id);
        let exposure = audit.exposure_of(Principal::Identity(id));
        let may = harm.may.as_ref().map_or_else(String::new, |may| format!(" It may {may}."));
        let situation = format!(
            "{} may act as this execution role too.{may}{}",
            capitalised(&listed(&others)),
            exposed(audit, exposure),
        );
        // Only insiders can configure the other service, whoever can call the function.
        let finding = Raised::new(thing, Level::of(harm, Exposed::INSIDE), situation)
            .within(audit.environment_of(Principal::Identity(id)))
            .sure(if certain { Sureness::Certain } else { Sureness::Conditional })
            .fix(format!("Take {} out of its trust.", listed(&others)))
            .at(identity.origin, "the execution role");
        let finding = others.iter().fold(finding, Raised::facet);
        raised.push(grounds.iter().fold(finding, |finding, answer| at_grounds(audit, finding, answer)));
    }
    raised
}
