//! What is told of who may act as an identity.

use pasaporte_core::access::{Answer, Question, Truth, Verdict, Via};
use pasaporte_core::estate::{Effect, IdentityId, Principal, Thing};

use super::Told;
use super::phrases::{at_grounds, capitalised, crowd, depending, exposed, functions, listed, place};
use crate::Audit;
use crate::facts::{Chain, TrustFact};
use crate::rules::outsiders::people_acting_as;
use crate::rules::trust::{decided, other_services};

pub(super) fn tell(audit: &Audit<'_>, fact: &TrustFact) -> Told {
    match fact {
        TrustFact::MayAct { identity, who } => may_act(audit, *identity, *who),
        TrustFact::OtherService(identity) => other_service(audit, *identity),
        TrustFact::WithoutProof { identity, who } => without_proof(audit, *identity, *who),
        TrustFact::People(identity) => people(audit, *identity),
        TrustFact::Chain(it) => chain(audit, it),
    }
}

fn may_act(audit: &Audit<'_>, id: IdentityId, who: Principal) -> Told {
    let answer = decided(audit, id, who);
    let may = audit.may(id);
    let may = may.map_or_else(String::new, |may| format!(" Then they may {may}."));
    let (crowd, depending) = (capitalised(&crowd(audit, who)), depending(audit, &answer));
    let told = Told::new(format!("{crowd} may act as it{depending}.{may}")).fix(mend(audit, &answer));
    at_grounds(audit, told, &answer)
}

fn other_service(audit: &Audit<'_>, id: IdentityId) -> Told {
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
    .at(audit.estate().origin(Thing::Identity(id)), "the execution role");
    others.iter().fold(told, |told, (_, answer)| at_grounds(audit, told, answer))
}

fn without_proof(audit: &Audit<'_>, id: IdentityId, who: Principal) -> Told {
    let estate = audit.estate();
    let answer = decided(audit, id, who);
    let name = estate.principal_label(who);
    let may = audit.may(id).map_or_else(String::new, |may| format!(" Then it may {may}."));
    let told = Told::new(format!(
        "{name} may act as it{}, and need not present a proof that was agreed on.{may}",
        depending(audit, &answer)
    ))
    .fix(format!(
        "Agree on a proof with them, and admit `{name}` `when: {{outside_proof: …}}` only; or name an audience."
    ));
    at_grounds(audit, told, &answer)
}

fn people(audit: &Audit<'_>, id: IdentityId) -> Told {
    let estate = audit.estate();
    let who: Vec<String> =
        people_acting_as(audit, id).iter().map(|(who, _)| estate.principal_label(*who)).collect();
    let may = audit.may(id).map_or_else(String::new, |may| format!(" Then they may {may}."));
    let runs = functions(estate, estate.functions_as(id));
    let run = if runs.len() == 1 { "runs" } else { "run" };
    Told::new(format!("People may act as it: {}. {} {run} as it.{may}", listed(&who), listed(&runs)))
        .fix(format!("Take {} out of who may act as it; give people a role of their own.", listed(&who)))
        .at(estate.origin(Thing::Identity(id)), "the identity")
}

fn chain(audit: &Audit<'_>, it: &Chain) -> Told {
    let (estate, effects) = (audit.estate(), audit.effects());
    let labels: Vec<String> = it.steps.iter().map(|step| estate.principal_label(*step)).collect();
    let told = format!("Whoever acts as it may act as {}", labels.join(", as that as "));
    let end = it.steps[it.steps.len() - 1];
    let may = effects.may_as(end).map_or_else(String::new, |may| format!(", which may {may}"));
    let perhaps = if it.verdict == Verdict::Yes { "" } else { ", on conditions" };
    let own = effects.may_at_worst(it.identity).is_none();
    let own = if own { " By itself it may do nothing of the sort." } else { "" };
    let before = match it.steps.len() {
        0 | 1 => Principal::Identity(it.identity),
        steps => it.steps[steps - 2],
    };
    let told = Told::new(format!(
        "{told}{may}{perhaps}.{own}{}",
        exposed(audit, audit.exposure_of(Principal::Identity(it.identity)))
    ))
    .fix(part(audit, before, end))
    .at(estate.origin(Thing::Identity(it.identity)), "where it begins");
    it.steps
        .iter()
        .zip(labels)
        .fold(told, |told, (step, label)| told.at(step.thing().and_then(|thing| estate.origin(thing)), label))
}

/// Where it is mended: in the trust, or in the grant that gives it.
fn mend(audit: &Audit<'_>, answer: &Answer<'_>) -> String {
    let trust = |names: &str| format!("Replace {names} in its trust by whoever needs to act as it.");
    taken_out(audit, answer, trust, "it")
}

/// What is done to the names in a trust that allow acting as somebody, and to the grants that do.
fn taken_out(
    audit: &Audit<'_>,
    answer: &Answer<'_>,
    of_trust: impl Fn(&str) -> String,
    whom: &str,
) -> String {
    let estate = audit.estate();
    let (mut trusted, mut grants) = (Vec::new(), Vec::new());
    for ground in answer.grounds.iter().filter(|it| it.effect == Effect::Allow && it.holds != Truth::False) {
        match ground.via {
            Via::Admission { name, .. } => trusted.push(format!("`{}`", estate.principal_label(name))),
            Via::Grant { grant, name, .. } => {
                let at = place(estate, estate.grant(grant));
                grants.push(format!("the grant to `{}` {at}", estate.principal_label(name)));
            }
            Via::Ceiling(_) => {}
        }
    }
    for all in [&mut trusted, &mut grants] {
        all.sort_unstable();
        all.dedup();
    }
    let by_trust = (!trusted.is_empty()).then(|| of_trust(&listed(&trusted)));
    let of_grants = || format!("Take acting as {whom} out of {}.", listed(&grants));
    let by_grants = (!grants.is_empty()).then(of_grants);
    by_trust.into_iter().chain(by_grants).collect::<Vec<String>>().join(" ")
}

/// What is taken away for somebody to act as another no more: names in the trust, grants of acting so.
pub(super) fn part(audit: &Audit<'_>, from: Principal, to: Principal) -> String {
    let effects = audit.effects();
    let (Some(action), Some(on)) = (effects.assuming(to), to.thing()) else { return String::new() };
    let given = effects.given(from);
    let answer = effects.decide(&Question { principal: from, action, on, given });
    let whom = audit.estate().principal_label(to);
    taken_out(audit, &answer, |names| format!("Take {names} out of the trust of {whom}."), &whom)
}
