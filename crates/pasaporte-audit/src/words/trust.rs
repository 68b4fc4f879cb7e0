//! What is told of who may act as an identity.

use pasaporte_core::access::{Answer, Truth, Via};
use pasaporte_core::estate::{Effect, IdentityId, Principal, Thing};

use super::Told;
use super::phrases::{at_grounds, capitalised, crowd, depending, exposed, listed};
use crate::Audit;
use crate::facts::TrustFact;
use crate::rules::trust::{decided, other_services};

pub(super) fn tell(audit: &Audit<'_>, fact: &TrustFact) -> Told {
    match *fact {
        TrustFact::MayAct { identity, who } => may_act(audit, identity, who),
        TrustFact::OtherService(identity) => other_service(audit, identity),
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

/// Where it is mended: in the trust, or in the grant that gives it.
fn mend(audit: &Audit<'_>, answer: &Answer<'_>) -> String {
    let estate = audit.estate();
    let (mut trusted, mut grants) = (Vec::new(), Vec::new());
    for ground in answer.grounds.iter().filter(|it| it.effect == Effect::Allow && it.holds != Truth::False) {
        match ground.via {
            Via::Admission { name, .. } => trusted.push(format!("`{}`", estate.principal_label(name))),
            Via::Grant { grant, name, .. } => {
                let at = estate.place_label(estate.grant(grant).at);
                grants.push(format!("the grant to `{}` at {at}", estate.principal_label(name)));
            }
            Via::Ceiling(_) => {}
        }
    }
    for all in [&mut trusted, &mut grants] {
        all.sort_unstable();
        all.dedup();
    }
    let mut parts = Vec::new();
    if !trusted.is_empty() {
        parts.push(format!("Replace {} in its trust by whoever needs to act as it.", listed(&trusted)));
    }
    if !grants.is_empty() {
        parts.push(format!("Take acting as it out of {}.", listed(&grants)));
    }
    parts.join(" ")
}
