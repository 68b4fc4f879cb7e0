//! Event sources that strangers may write to.

use crate::facts::{EntryFact, OpenSource};
use crate::finding::{Cause, Raised, Raising};
use crate::{Audit, Level, Rule, severity};
use pasaporte_core::entry::{Because, Exposed, Exposure, Through, WayIn};
use pasaporte_core::estate::{Principal, Thing, TriggerId};

pub(crate) const RULES: &[Rule] = &[Rule {
    id: "entry/open-source",
    title: "Strangers may write to a source that makes a function run",
    why: "Whoever writes to the source chooses the function's input and when it runs, as if its endpoint were open; \
          what comes of it depends on the code.",
    fix: "Let only those write to the source who feed it.",
    check: "List who may make the function run: each line is somebody that you can name.",
    references: &["CWE-306", "CWE-441", "NIST SP 800-53 AC-3", "NIST SP 800-53 AC-4"],
    apart: &["crowd", "source"],
    judge: open_source,
}];

fn open_source(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let effects = audit.effects();
    for (id, trigger) in audit.each::<TriggerId>() {
        let Some(source) = effects.live_source(id) else { continue };
        for who in effects.strangers_on(source) {
            let is_stranger = match who {
                Principal::Token(verifier) => effects.public_token_for(verifier).is_some(),
                Principal::Anyone | Principal::SignedIn | Principal::Account(_) => true,
                // A single party that is named on purpose is exposure, and no weakness by itself.
                _ => false,
            };
            let Some(caller) = effects.feeding_as(who, id).filter(|_| is_stranger) else { continue };
            let way = WayIn::source(id, caller);
            let mut exposed = way.exposed(trigger.function);
            if matches!(who, Principal::Token(_)) {
                exposed = Exposed::surely(Exposure::SignedIn);
            }
            if exposed.to > Exposure::Outsider {
                continue;
            }
            raise(audit, raising, &way, who, exposed, source);
        }
    }
}

/// Influence is one severity below the open endpoint.
fn raise(
    audit: &Audit<'_>,
    raising: &mut Raising<'_, '_>,
    way: &WayIn<'_>,
    who: Principal,
    exposed: Exposed,
    source: Thing,
) {
    let estate = audit.estate();
    let Through::Source(trigger) = way.through else { return };
    let Some(it) = estate.get(trigger) else { return };
    let function = it.function;
    let Because::Feeds(action) = &way.caller.because else { return };
    let harm = audit.harm_through(function);
    let open = severity(harm.impact, exposed.to, audit.environment(function));
    let judged = Raised::judged(Thing::Function(function), harm, exposed, audit.environment(function));
    let answer = audit.effects().answer_about(who, action, source);
    if !audit.effects().is_by_own_name(who, &answer) {
        return;
    }
    let raised = judged
        .at_level(Level::Influence(harm.impact, exposed.to, open.lower()))
        .facet(estate.principal_label(who))
        .facet(estate.label(source))
        .from(Cause::of(&answer));
    let fact = OpenSource { trigger, who, action: action.clone(), source };
    raising.raise(&raised, EntryFact::OpenSource(Box::new(fact)));
}
