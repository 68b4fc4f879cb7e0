//! Invoke permissions and grants of invoking that name more than they need.

use super::{admitted, at_grounds, at_identity, depending, running, sureness, with_what};
use crate::access::Verdict;
use crate::entry::Exposed;
use crate::estate::{At, FunctionId, Principal, Thing};
use crate::pattern::Pattern;
use crate::rules::finding::{Raised, Raising};
use crate::rules::grant::{allowing, is_broad};
use crate::rules::words::{capitalised, listed};
use crate::rules::{Audit, Level, Rule, Told};

pub(in crate::rules) const RULES: &[Rule] = &[
    Rule {
        id: "entry/open-invoke",
        title: "An invoke permission admits anyone, any signed-in caller or a whole foreign account",
        why: "Such a permission names a crowd, not a caller: whoever can get an account on the platform, or \
              whoever runs the other account, decides who runs this function.",
        fix: "Name the caller: an identity, or a service pinned to its source.",
        check: "List who may invoke the function: each line is somebody that you can name.",
        references: &["CWE-284", "CWE-732", "NIST SP 800-53 AC-3", "NIST SP 800-53 AC-6"],
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
        judge: wide_invoke_grant,
    },
];

fn open_invoke(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (id, it) in running(audit) {
        let thing = Thing::Function(id);
        for who in admitted(audit, thing) {
            let crowd = match who {
                Principal::Anyone => "anyone, without signing in,".to_owned(),
                Principal::SignedIn => {
                    "any signed-in caller of the platform, of whichever customer,".to_owned()
                }
                Principal::Account(account) if audit.access().is_foreign(account, thing) => {
                    format!("every principal of the foreign account:{}", estate.id(account))
                }
                _ => continue,
            };
            let verdict = audit.access().stranger_invokes(who, id);
            if verdict == Verdict::No {
                continue;
            }
            let exposed = Exposed { to: audit.access().circle(who, thing), ..audit.exposure(id) };
            let name = estate.principal_label(who);
            let raised = Raised::new(thing, Level::of(audit.harm_through(id), exposed))
                .within(estate.environment(it.environment, it.scope))
                .sure(sureness(verdict))
                .facet(&name);
            raising.raise(&raised, move |audit| {
                let answer = audit.access().stranger_may_invoke(who, id);
                let (crowd, depending) = (capitalised(&crowd), depending(audit, &answer));
                let told = Told::new(format!("{crowd} may invoke it{depending}.{}", with_what(audit, id)))
                    .fix(format!(
                        "Replace `{name}` in its invoke permission by the callers that you can name."
                    ));
                at_identity(audit, at_grounds(audit, told, &answer), id)
            });
        }
    }
}

/// Functions that a caller's grant must take in for it to be wide: with fewer there is nothing to choose from. A crowd
/// is not asked what it calls.
const FEWEST: usize = 3;

fn wide_invoke_grant(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let access = audit.access();
    for held in allowing(audit) {
        let (grant, statement) = (held.grant(audit), held.statement(audit));
        let is_wide = is_broad(audit, grant)
            && access.invoke().may_be_picked_by(statement.actions)
            && held.invokes_only(audit)
            && access.covers_resources(statement.resources, "function:?*");
        if !is_wide {
            continue;
        }
        let functions = access.count_taken("function", statement.resources, grant.at);
        let Some(sure) = held.left(audit, &Pattern::literal(crate::access::INVOKE)) else { continue };
        let crowd =
            matches!(grant.principal, Principal::Anyone | Principal::SignedIn | Principal::Account(_));
        if functions < if crowd { 1 } else { FEWEST } {
            continue;
        }
        held.raise(audit, raising, sure, "the functions that it calls", move |audit| {
            let estate = audit.estate();
            let grant = held.grant(audit);
            let at = match grant.at {
                At::Everywhere => "everywhere".to_owned(),
                At::Thing(thing) => format!("of {}", estate.label(thing)),
            };
            let worst = listed(&worst_of(audit, grant.at));
            format!(
                "{} may invoke every function {at}, {functions} today, among them {worst}. That comes {}.",
                held.holder(audit),
                held.source(audit)
            )
        });
    }
}

/// The functions at a place through which most harm can be done: one or two, by name.
fn worst_of(audit: &Audit<'_>, at: At) -> Vec<String> {
    let estate = audit.estate();
    let mut functions: Vec<FunctionId> = match at {
        At::Thing(Thing::Scope(scope)) => audit.functions_below(scope).collect(),
        At::Thing(_) | At::Everywhere => estate.all::<FunctionId>().map(|(id, _)| id).collect(),
    };
    functions.sort_by(|one, other| {
        let impact = |id: &FunctionId| audit.harm_through(*id).impact;
        impact(one).cmp(&impact(other)).then_with(|| estate.id(*one).cmp(estate.id(*other)))
    });
    functions.into_iter().take(2).map(|id| format!("function:{}", estate.id(id))).collect()
}
