//! What a key opens, held against what it is used for and what is there.

use super::{accepted, of_harm, of_reach, raised};
use crate::facts::{KeyFact, WiderThanUse};
use crate::finding::{Cause, Raised, Raising};
use crate::{Audit, Rule, Sureness};
use pasaporte_core::access::Verdict;
use pasaporte_core::estate::{EndpointId, KeyOf, KeyReach, State, Thing};

pub(super) const RULES: &[Rule] = &[
    Rule {
        id: "key/admin-in-use",
        title: "A key that manages an app is used for ordinary calls, or clients have it",
        why: "Whoever calls with it could change the app as well: each client that has it is an administrator, and each \
              log that holds it gives the app away.",
        fix: "Give each client a key of the function that it calls, then rotate this one and keep it where the app is managed.",
        check: "List calls that show it: there are none.",
        references: &["CWE-250", "CWE-269", "NIST SP 800-53 AC-6", "NIST SP 800-53 IA-5"],
        apart: &[],
        judge: admin_in_use,
    },
    Rule {
        id: "key/wider-than-use",
        title: "A key opens a whole app and is used for one function",
        why: "Whoever gets hold of it can run all the others as well, which its client never needed.",
        fix: "Give the client a key of that function, then switch this one off.",
        check: "List keys: the client's opens one function.",
        references: &["CWE-250", "NIST SP 800-53 AC-6", "NIST SP 800-53 IA-5"],
        apart: &[],
        judge: wider_than_use,
    },
    Rule {
        id: "key/outlives-function",
        title: "The function that a key opens is gone",
        why: "A function of that name that is made again would be open to whoever still has the key.",
        fix: "Remove the key.",
        check: "List keys: it is gone.",
        references: &["CWE-1164", "NIST SP 800-53 AC-2", "NIST SP 800-53 IA-5"],
        apart: &[],
        judge: outlives_function,
    },
    Rule {
        id: "key/guards-nothing",
        title: "All that a key opens is open without it",
        why: "Its clients believe that the door is locked, and whoever reads the list of keys does too.",
        fix: "Have the endpoints check the key; or remove it, if they are meant to be open.",
        check: "Call the endpoint without the key: it must be refused.",
        references: &["CWE-306", "CWE-1164", "NIST SP 800-53 AC-3"],
        apart: &[],
        judge: guards_nothing,
    },
];

fn admin_in_use(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    for (id, key) in accepted(audit).filter(|(_, key)| key.reach == KeyReach::Admin) {
        if audit.was_used(id) || !key.held_by.is_empty() {
            raising.raise(&of_harm(audit, id, key), KeyFact::AdminInUse(id));
        }
    }
}

fn wider_than_use(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    for (id, key) in accepted(audit).filter(|(_, key)| key.reach == KeyReach::App) {
        let [(function, count)] = audit.used_for(id)[..] else { continue };
        let opens = audit.functions_of_thing(Thing::Key(id)).len();
        if opens < 2 {
            continue;
        }
        let Some(window) = audit.watch_of_key(id, key) else { continue };
        let fact = WiderThanUse { key: id, function, opens, count, window };
        raising.raise(&raised(audit, id, key, of_reach(key)), KeyFact::WiderThanUse(Box::new(fact)));
    }
}

fn outlives_function(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (id, key) in accepted(audit) {
        let KeyOf::Function(function) = key.of else { continue };
        if estate.is_declared(Thing::Function(function)) {
            continue;
        }
        // It may be there and not have been gathered.
        let raised = raised(audit, id, key, of_reach(key)).sure(Sureness::Inferred);
        raising.raise(&raised, KeyFact::OutlivesFunction(id));
    }
}

fn guards_nothing(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    // A key that manages an app opens more than endpoints.
    for (id, key) in accepted(audit).filter(|(_, key)| key.reach < KeyReach::Admin) {
        let functions = audit.functions_of_thing(Thing::Key(id)).into_iter();
        let running = functions.filter(|it| estate.get(*it).is_some_and(|it| it.state == State::Enabled));
        let endpoints: Vec<EndpointId> = running
            .flat_map(|function| estate.endpoints_of(function))
            .copied()
            .filter(|it| audit.effects().is_open(*it))
            .collect();
        let open = |it: &EndpointId| audit.effects().opens_to_nothing(*it) == Verdict::Yes;
        if !endpoints.is_empty() && endpoints.iter().all(open) {
            // It follows from the open doors, and is told beneath them.
            let raised = Raised::new(Thing::Key(id), of_reach(key)).within(audit.environment_of_key(key));
            let raised = raised.from(endpoints.into_iter().map(Cause::Door));
            raising.raise(&raised, KeyFact::GuardsNothing(id));
        }
    }
}
