//! grant: control that what code runs as should not have, over access, code, identities and keys.

use crate::facts::{Controls, GrantFact};
use crate::finding::Raising;
use crate::rules::grant::{raised, side_by_side, worst};
use crate::{Audit, Rule, Sureness};
use pasaporte_core::access::Verdict;
use pasaporte_core::effect::Power;

pub(crate) const RULES: &[Rule] = &[
    Rule {
        id: "grant/changes-access",
        title: "What code runs as may change who may do what",
        why: "Whoever makes such a function do something else gives themselves whatever else there is.",
        fix: "Take the actions on access away; let people or a pipeline change access, and not code that runs on events.",
        check: "Explain access/write at its account: the answer must be no.",
        references: &["CWE-269", "CWE-250", "NIST SP 800-53 AC-6", "NIST SP 800-53 CM-5"],
        apart: &["holder", "set", "place", "statement"],
        judge: changes_access,
    },
    Rule {
        id: "grant/changes-code",
        title: "What code runs as may change the code of functions",
        why: "A function that may rewrite another is that other, with all that it may do.",
        fix: "Let a pipeline of its own deploy, with an identity that no function runs as.",
        check: "Explain function/update on another function: the answer must be no.",
        references: &["CWE-269", "CWE-494", "NIST SP 800-53 CM-5", "NIST SP 800-53 AC-6"],
        apart: &["holder", "set", "place", "statement"],
        judge: changes_code,
    },
    Rule {
        id: "grant/hands-over-identity",
        title: "What code runs as may hand identities to code",
        why: "Whoever may set what a function runs as, and change a function, may act as any identity that it hands over.",
        fix: "Name the identities that may be handed over, and keep it to the pipeline that deploys.",
        check: "Explain identity/hand-over on another identity: the answer must be no.",
        references: &["CWE-269", "CWE-441", "NIST SP 800-53 AC-6"],
        apart: &["holder", "set", "place", "statement"],
        judge: hands_over,
    },
    Rule {
        id: "grant/reads-keys",
        title: "What code runs as may read or make keys, or every secret of a place",
        why: "Keys and secrets are others' rights, kept as texts: whoever reads them has those too, and leaves no trace in \
              what is granted.",
        fix: "Name the secrets that the code uses; let nobody read keys but who hands them out.",
        check: "Explain secret/read on a secret that the code does not use: the answer must be no.",
        references: &["CWE-522", "CWE-269", "NIST SP 800-53 AC-6", "NIST SP 800-53 SC-12"],
        apart: &["holder", "set", "place", "statement"],
        judge: reads_keys,
    },
];

fn changes_access(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    of_code(audit, raising, Power::Access);
}

fn changes_code(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    of_code(audit, raising, Power::Code);
}

fn hands_over(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    of_code(audit, raising, Power::HandOver);
}

fn reads_keys(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    of_code(audit, raising, Power::Keys);
}

/// Raises control that a grant gives to what functions run as. Of people and pipelines it is the work.
fn of_code(audit: &Audit<'_>, raising: &mut Raising<'_, '_>, power: Power) {
    side_by_side(audit, raising, |raising, grant, road| {
        if !audit.runs_code(road.name()) {
            return;
        }
        let Some(control) = audit.effects().control(&road, power) else { return };
        let sure = if control.verdict == Verdict::Yes { Sureness::Certain } else { Sureness::Conditional };
        let raised = raised(audit, grant, &road, worst(audit, &road).0).sure(sure);
        raising.raise(&raised, GrantFact::Controls(Box::new(Controls { grant, road, power, control })));
    });
}
