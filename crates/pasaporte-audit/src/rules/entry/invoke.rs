//! Whoever may invoke a function and is more than somebody one can name; grants of invoking that take in too much.

use super::running;
use crate::facts::{EntryFact, WideInvoke};
use crate::finding::{Cause, Raised, Raising};
use crate::rules::grant::{allowing, is_broad, raised, worst};
use crate::{Audit, Rule, Sureness};
use pasaporte_core::access::Verdict;
use pasaporte_core::effect::{Given, Sought};
use pasaporte_core::entry::{Because, Caller, Exposed, Exposure};
use pasaporte_core::estate::{FunctionId, Id, Principal, Thing};

pub(crate) const RULES: &[Rule] = &[
    Rule {
        id: "entry/open-invoke",
        title: "Anyone, any signed-in caller or a whole foreign account may invoke a function",
        why: "What is given to a crowd names nobody: whoever can get an account on the platform, or \
              whoever runs the other account, decides who runs this function.",
        fix: "Name the caller: an identity, or a service pinned to its source.",
        check: "List who may invoke the function: each line is somebody that you can name.",
        references: &["CWE-284", "CWE-732", "NIST SP 800-53 AC-3", "NIST SP 800-53 AC-6"],
        apart: &["crowd"],
        judge: open_invoke,
    },
    Rule {
        id: "entry/wide-invoke-grant",
        title: "A caller may invoke every function of a scope",
        why: "Whoever gets hold of one caller can make all the others run, also those that somebody adds tomorrow, and \
              each runs with what its own identity may do.",
        fix: "Name the functions that it calls.",
        check: "List what it may invoke: each is one that it calls.",
        references: &["CWE-272", "CWE-732", "NIST SP 800-53 AC-6"],
        apart: &["holder", "set", "place", "statement"],
        judge: wide_invoke_grant,
    },
];

fn open_invoke(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let effects = audit.effects();
    for (id, _) in running(audit) {
        for who in effects.strangers_on(Thing::Function(id)) {
            if !matches!(who, Principal::Anyone | Principal::SignedIn | Principal::Account(_)) {
                continue;
            }
            for caller in effects.invoking_as(who, id) {
                raise(audit, raising, id, who, &caller);
            }
        }
    }
}

fn raise(
    audit: &Audit<'_>,
    raising: &mut Raising<'_, '_>,
    id: FunctionId,
    who: Principal,
    caller: &Caller<'_>,
) {
    let estate = audit.estate();
    let Because::Decision(answer) = &caller.because else { return };
    if !audit.effects().is_by_own_name(who, answer) {
        return;
    }
    let exposed = caller.circles.iter().fold(Exposed::INSIDE, |widest, &(to, verdict)| {
        let surely = verdict == Verdict::Yes;
        let surely_to = if surely { to } else { Exposure::Insiders };
        widest.wider(Exposed { to, surely, surely_to, through: None })
    });
    if exposed.to > Exposure::Outsider {
        return;
    }
    let raised = Raised::judged(Thing::Function(id), audit.harm_through(id), exposed, audit.environment(id))
        .facet(estate.principal_label(who))
        .from(Cause::of(answer));
    raising.raise(&raised, EntryFact::OpenInvoke { function: id, who, to: exposed.to });
}

/// Functions that a caller's grant must take in for it to be wide: with fewer there is nothing to choose from. A crowd
/// is not asked what it calls.
const FEWEST: usize = 3;

fn wide_invoke_grant(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let effects = audit.effects();
    let functions = effects.service(FunctionId::KIND);
    for (id, road) in allowing(audit) {
        let grant = audit.estate().grant(id);
        let statement = audit.estate().statement(road.statement);
        let is_wide = is_broad(audit, grant)
            && effects.may_take_all_of_a_kind(statement.resources)
            && effects.invoke().may_be_picked_by(statement.actions)
            && effects.only_invokes(statement.actions);
        if !is_wide {
            continue;
        }
        let Some((breadth, act)) = effects.every_thing(&road, functions, Sought::Invoking) else { continue };
        let count = effects.counted(breadth.holder, &road, functions, Given::Act(&act)).count;
        let name = grant.principal;
        let crowd = matches!(name, Principal::Anyone | Principal::SignedIn | Principal::Account(_));
        if count < if crowd { 1 } else { FEWEST } {
            continue;
        }
        let sure = if breadth.verdict == Verdict::Yes { Sureness::Certain } else { Sureness::Conditional };
        let raised = raised(audit, id, &road, worst(audit, &road).0).sure(sure);
        let fact = WideInvoke { grant: id, road, breadth, act };
        raising.raise(&raised, EntryFact::WideInvoke(Box::new(fact)));
    }
}
