//! Verifiers that accept what they should not.

use std::collections::BTreeMap;

use crate::facts::{EntryFact, WeakVerifier};
use crate::finding::{Cause, Raised, Raising};
use crate::{Audit, Rule};
use pasaporte_core::entry::{Exposed, Exposure};
use pasaporte_core::estate::{Check, EndpointId, FunctionId, Thing, Verifier, VerifierId};

pub(crate) const RULES: &[Rule] = &[Rule {
    id: "entry/weak-token-check",
    title: "A verifier accepts tokens that anybody can make, or that were made for others",
    why: "A token proves something only if its signature is checked, and if it was issued by whom and for what the \
              function expects. A verifier that does not look accepts tokens of strangers.",
    fix: "Check signatures, name the issuers and the audiences, and list the algorithms, without `none`.",
    check: "Present a token of another issuer, one for another audience, and one without a signature: each must be \
                refused.",
    references: &["CWE-347", "CWE-345", "RFC 8725", "NIST SP 800-53 IA-5", "OWASP API2:2023"],
    apart: &[],
    judge: weak_token_check,
}];

/// What a verifier lets by that it should not.
pub(crate) struct Weakness {
    /// What it does.
    pub(crate) what: &'static str,
    /// What it should do.
    pub(crate) mend: &'static str,
    exposure: Exposure,
}

pub(crate) fn weaknesses(audit: &Audit<'_>, verifier: &Verifier) -> Vec<Weakness> {
    let found = [
        (!verifier.checks_signature, "it checks no signature", "check signatures", Exposure::Anyone),
        (
            verifier.checks_signature && audit.effects().accepts_unsigned(verifier),
            "it accepts the algorithm `none`, which is no signature",
            "drop the algorithm `none`",
            Exposure::Anyone,
        ),
        (verifier.issuers.is_empty(), "it accepts every issuer", "name the issuers", Exposure::Outsider),
        (
            verifier.audiences.is_empty(),
            "it accepts tokens for every audience",
            "name the audiences",
            Exposure::KeyHolders,
        ),
        (
            !verifier.checks_expiry,
            "it accepts tokens that have ended or never end",
            "refuse tokens without an end or past it",
            Exposure::KeyHolders,
        ),
        (
            verifier.keys.as_ref().is_some_and(|keys| !keys.secret.is_empty()),
            "the secret part of a key stands in its key set, so whoever reads the set can make tokens",
            "publish the public parts of keys only, and make new keys",
            Exposure::KeyHolders,
        ),
        (
            verifier.keys.as_ref().is_some_and(|keys| !keys.other_secret.is_empty()),
            "the secret part of a key for another use than signatures stands in its key set, so whoever reads the set \
             has that key",
            "publish the public parts of keys only, and make new keys",
            Exposure::KeyHolders,
        ),
    ];
    found
        .into_iter()
        .filter(|(is_so, ..)| *is_so)
        .map(|(_, what, mend, exposure)| Weakness { what, mend, exposure })
        .collect()
}

fn weak_token_check(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    let mut guarded: BTreeMap<VerifierId, Vec<FunctionId>> = BTreeMap::new();
    for (_, endpoint) in estate.all::<EndpointId>().filter(|(id, _)| audit.effects().is_open(*id)) {
        if let Check::Token(verifier) = endpoint.check {
            guarded.entry(verifier).or_default().push(endpoint.function);
        }
    }
    for (id, mut functions) in guarded {
        let Some(verifier) = estate.get(id) else { continue };
        let weak = weaknesses(audit, verifier);
        let Some(widest) = weak.iter().map(|weakness| weakness.exposure).min() else { continue };
        functions.sort_unstable_by_key(|function| estate.id(*function));
        functions.dedup();
        let Some(worst) = worst_of(audit, &functions) else { continue };
        let (harm, environment) = (audit.harm_through(worst), audit.environment(worst));
        let raised = Raised::judged(Thing::Verifier(id), harm, Exposed::surely(widest), environment)
            .from((widest == Exposure::Anyone).then_some(Cause::Verifier(id)));
        raising.raise(&raised, EntryFact::WeakVerifier(Box::new(WeakVerifier { verifier: id, functions })));
    }
}

/// Of functions the one through which most harm can be done, the first by name.
pub(crate) fn worst_of(audit: &Audit<'_>, functions: &[FunctionId]) -> Option<FunctionId> {
    let key = |id: &FunctionId| (audit.harm_through(*id).impact, audit.estate().id(*id));
    functions.iter().copied().min_by(|one, other| key(one).cmp(&key(other)))
}
