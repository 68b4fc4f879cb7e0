//! Event sources that strangers may write to.

use super::with_what;
use crate::entry::{Because, Exposed, Exposure, Through, WayIn};
use crate::estate::{Principal, Thing, TriggerId};
use crate::rules::finding::{Cause, Raised, Raising};
use crate::rules::words::{capitalised, crowd};
use crate::rules::{Audit, Level, Rule, Told, severity};

pub(in crate::rules) const RULES: &[Rule] = &[Rule {
    id: "entry/open-source",
    title: "Strangers may write to a source that makes a function run",
    why: "Whoever writes to the source chooses the function's input and when it runs, as if its endpoint were open; \
          what comes of it depends on the code.",
    fix: "Let only those write to the source who feed it.",
    check: "List who may make the function run: each line is somebody that you can name.",
    references: &["CWE-306", "CWE-441", "NIST SP 800-53 AC-3", "NIST SP 800-53 AC-4"],
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
    let (function, origin) = (it.function, it.origin);
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
    let action = action.clone();
    raising.raise(&raised, move |audit| {
        let estate = audit.estate();
        let answer = audit.effects().answer_about(who, &action, source);
        let residual = answer.residual(estate);
        let depending = if residual.is_empty() { residual } else { format!(", {residual}") };
        let source = estate.label(source);
        let told = Told::new(format!(
            "{} may do {action} on {source}{depending}, which makes function:{} run on input of their choice.{}",
            capitalised(&crowd(audit, who)),
            estate.id(function),
            with_what(audit, function)
        ))
        .fix(format!("Let only those write to {source} who feed it; name them."))
        .at(origin, "the trigger");
        super::at_identity(audit, super::at_grounds(audit, told, &answer), function)
    });
}
