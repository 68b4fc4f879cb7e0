//! trust: outsiders without proof, people, and where acting as an identity leads.

use crate::facts::{Chain, TrustFact};
use crate::finding::{Cause, Raised, Raising};
use crate::rules::crossing::{anybody_becomes, named};
use crate::rules::trust::decided;
use crate::{Audit, Rule, Sureness};
use pasaporte_core::access::{Truth, Verdict};
use pasaporte_core::entry::{Exposed, Exposure};
use pasaporte_core::estate::{
    Attribute, Condition, Effect, IdentityId, Principal, RUNNER_SERVICE, Test, Thing,
};

pub(crate) const RULES: &[Rule] = &[
    Rule {
        id: "trust/outsider-without-proof",
        title: "An outside party may act as an identity without an agreed proof",
        why: "Whoever can make that party's system ask on their behalf gets in too: it cannot tell for whom it asks.",
        fix: "Agree on a proof with them and ask for it, or on an audience that only they use.",
        check: "Explain acting as it by the outsider: the answer must hang on the proof.",
        references: &["CWE-441", "CWE-287", "NIST SP 800-53 IA-9", "NIST SP 800-53 AC-20"],
        apart: &["outsider"],
        judge: without_proof,
    },
    Rule {
        id: "trust/people",
        title: "People may act as a function's identity",
        why: "What they do then looks as if the function had done it, and goes by the function's rights and not by theirs.",
        fix: "Give the people what they need by a role of their own.",
        check: "The trust names no person and no group with people in it.",
        references: &["CWE-269", "NIST SP 800-53 AC-6", "NIST SP 800-53 AU-10"],
        apart: &[],
        judge: people,
    },
    Rule {
        id: "trust/chain",
        title: "Acting as an identity leads to more than it holds",
        why: "Each step looks harmless by itself; whoever gets into the first gets to the end.",
        fix: "Cut the step that adds most: take acting as it out of the one before.",
        check: "Reach of the identity: it becomes nobody who may do worse.",
        references: &["CWE-269", "CWE-441", "NIST SP 800-53 AC-6"],
        apart: &["end"],
        judge: chain,
    },
];

fn without_proof(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let effects = audit.effects();
    for (id, _) in audit.each::<IdentityId>() {
        let on = Thing::Identity(id);
        for who in effects.strangers_on(on).into_iter().filter(|who| matches!(who, Principal::Outside(_))) {
            let answer = decided(audit, id, who);
            let is_told = answer.is_possible() && effects.is_by_own_name(who, &answer);
            if !is_told || answer.verdict == Verdict::Depends && asks_for_proof(audit, &answer) {
                continue;
            }
            let surely = answer.verdict == Verdict::Yes;
            let surely_to = if surely { Exposure::Outsider } else { Exposure::Insiders };
            let exposed = Exposed { to: Exposure::Outsider, surely, surely_to, through: None };
            let environment = audit.environment_of(Principal::Identity(id));
            let raised = Raised::judged(on, audit.harm(id), exposed, environment)
                .sure(if surely { Sureness::Certain } else { Sureness::Conditional })
                .facet(audit.estate().principal_label(who))
                .from(Cause::of(&answer));
            raising.raise(&raised, TrustFact::WithoutProof { identity: id, who });
        }
    }
}

/// Whether all that may allow asks for an agreed proof or an audience.
fn asks_for_proof(audit: &Audit<'_>, answer: &pasaporte_core::access::Answer<'_>) -> bool {
    let estate = audit.estate();
    let is_proof = |condition: &Condition| match condition {
        Condition::Test(Attribute::OutsideProof | Attribute::TokenAudience, test) => {
            matches!(test, Test::Equals(_) | Test::Like(_) | Test::Present(true))
        }
        // It may be one.
        Condition::Opaque(_) => true,
        Condition::Test(..) => false,
    };
    let mut allows =
        answer.grounds.iter().filter(|it| it.effect == Effect::Allow && it.holds != Truth::False);
    allows.all(|ground| estate.statement(ground.statement).conditions.iter().any(is_proof))
}

fn people(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (id, _) in audit.each::<IdentityId>() {
        if estate.functions_as(id).is_empty() {
            continue;
        }
        let who = people_acting_as(audit, id);
        let Some(best) = who.iter().map(|(_, verdict)| *verdict).max() else { continue };
        let environment = audit.environment_of(Principal::Identity(id));
        let raised = Raised::judged(Thing::Identity(id), audit.harm(id), Exposed::INSIDE, environment)
            .sure(if best == Verdict::Yes { Sureness::Certain } else { Sureness::Conditional });
        raising.raise(&raised, TrustFact::People(id));
    }
}

/// The people, and the groups with people in them, that are named to act as an identity and may.
pub(crate) fn people_acting_as(audit: &Audit<'_>, id: IdentityId) -> Vec<(Principal, Verdict)> {
    let effects = audit.effects();
    let on = Thing::Identity(id);
    let given = audit.now();
    let is_people = |who: &Principal| match who {
        Principal::User(_) => true,
        Principal::Group(group) => {
            effects.everybody_in(*group).iter().any(|it| matches!(it, Principal::User(_)))
        }
        _ => false,
    };
    let named = effects.named_to_assume(on).into_iter().filter(is_people);
    let mut all: Vec<(Principal, Verdict)> = named
        .map(|who| (who, effects.best_of(who, effects.assume(), on, &given)))
        .filter(|(_, verdict)| *verdict != Verdict::No)
        .collect();
    all.sort_by_cached_key(|(who, _)| audit.estate().principal_label(*who));
    all.dedup();
    all
}

fn chain(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let (estate, effects) = (audit.estate(), audit.effects());
    for (id, _) in audit.each::<IdentityId>() {
        let who = Principal::Identity(id);
        if !is_entered(audit, id) {
            continue;
        }
        // Whom everybody may become is told as that.
        let mut all = effects.becoming(who, effects.given(who));
        all.retain(|it| !anybody_becomes(audit, it.to));
        if all.is_empty() {
            continue;
        }
        let itself = effects.harm_itself(who);
        let ends = all.iter().filter(|it| it.steps >= 2);
        let ends = ends.map(|it| (effects.harm_itself(it.to), it));
        // The worst that is worse than the one before already is; near before far.
        let before = |it: &pasaporte_core::access::Becoming| {
            let of = all.iter().filter(|other| other.steps < it.steps);
            let known = of.map(|other| effects.harm_itself(other.to).impact);
            known.chain([itself.impact]).min().unwrap_or(itself.impact)
        };
        let found = ends
            .filter(|(harm, it)| harm.impact < before(it))
            .min_by_key(|(harm, it)| (harm.impact, it.steps, named(estate, it.to)));
        let Some((harm, end)) = found else { continue };
        let mut steps = end.steps_before(who, &all);
        steps.push(end.to);
        let exposed = audit.exposure_of(who).through_code();
        let raised = Raised::judged(Thing::Identity(id), harm, exposed, audit.environment_of(who))
            .sure(if end.verdict == Verdict::Yes { Sureness::Certain } else { Sureness::Conditional })
            .facet(named(estate, end.to));
        let chain = Chain { identity: id, steps: steps.into(), verdict: end.verdict };
        raising.raise(&raised, TrustFact::Chain(Box::new(chain)));
    }
}

/// Whether anybody gets to act as an identity who is not its keeper: code that runs as it, or whom its trust names.
fn is_entered(audit: &Audit<'_>, id: IdentityId) -> bool {
    let estate = audit.estate();
    let mut named = audit.effects().named_to_assume(Thing::Identity(id)).into_iter();
    !estate.functions_as(id).is_empty()
        || named.any(|who| match who {
            Principal::Service(name) => estate.text(name) != RUNNER_SERVICE,
            other => other != Principal::Identity(id),
        })
}
