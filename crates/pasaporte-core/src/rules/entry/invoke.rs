//! Whoever may invoke a function and is more than somebody one can name; grants of invoking that take in too much.

use super::{at_grounds, at_identity, depending, running, with_what};
use crate::access::{Answer, Question, Verdict};
use crate::effect::{Act, Counted, Given, action_in_words};
use crate::entry::{Because, Caller, Exposed, Exposure};
use crate::estate::{ActionClass, Attribute, FunctionId, Id, Principal, Thing};
use crate::rules::finding::{Cause, Raised, Raising};
use crate::rules::grant::{allowing, holder, is_broad, narrow, raised, source, worst};
use crate::rules::words::{capitalised, crowd, exposed, listed};
use crate::rules::{Audit, Rule, Sureness, Told};

pub(in crate::rules) const RULES: &[Rule] = &[
    Rule {
        id: "entry/open-invoke",
        title: "Anyone, any signed-in caller or a whole foreign account may invoke a function",
        why: "What is given to a crowd names nobody: whoever can get an account on the platform, or \
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
    raising.raise(&raised, move |audit| {
        let effects = audit.effects();
        let on = Thing::Function(id);
        let circle = effects
            .circles(who, effects.invoke(), on)
            .into_iter()
            .min_by_key(|it| (it.exposure, std::cmp::Reverse(it.verdict)));
        let Some(circle) = circle else { return Told::default() };
        let answer =
            effects.decide(&Question { principal: who, action: effects.invoke(), on, given: &circle.given });
        let from = if matches!(who, Principal::Account(_)) {
            String::new()
        } else {
            narrower(&circle.given, exposed.to)
        };
        let (crowd, depending) =
            (capitalised(&format!("{}{from}", crowd(audit, who))), depending(audit, &answer));
        let more = more_than_invoking(audit, who, id);
        let told = Told::new(format!("{crowd} may invoke it{depending}.{more}{}", with_what(audit, id)))
            .fix(mend(audit, &answer));
        at_identity(audit, at_grounds(audit, told, &answer), id)
    });
}

/// From where those come who are let in, where that is what makes them a narrower circle.
fn narrower(given: &crate::access::Context, to: Exposure) -> String {
    use crate::access::Known;
    if to < Exposure::Outsider {
        return String::new();
    }
    match (given.get(Attribute::CallerAccount), given.get(Attribute::CallerNetwork)) {
        (_, Some(Known::Network(net))) => format!(" from {net}"),
        (Some(Known::Text(account)), _) => format!(" of account {account}"),
        _ => String::new(),
    }
}

/// What a crowd may do to a function besides invoking it.
fn more_than_invoking(audit: &Audit<'_>, who: Principal, id: FunctionId) -> String {
    let effects = audit.effects();
    let on = Thing::Function(id);
    let acts = effects.acts_on(who, on, |_| true);
    let may = |act: &&Act| effects.may(who, act.action.text(), on) != Verdict::No;
    // What is allowed though nobody named it is everything, but what is taken out of it.
    if acts.iter().any(|act| act.is_wild && act.class.is_none() && may(&act)) {
        let not: Vec<String> = acts.iter().filter(|act| !may(act)).map(action_in_words).collect();
        let but = if not.is_empty() { String::new() } else { format!(" but {}", listed(&not)) };
        return format!(" They may do every action on it{but}.");
    }
    let acts = acts.into_iter().filter(|act| {
        !matches!(act.class, Some(ActionClass::Invoke | ActionClass::List | ActionClass::Read))
    });
    let acts: Vec<Act> = acts.collect();
    let may = |act: &&Act| !act.is_wild && may(act);
    let all: Vec<String> = acts.iter().filter(may).map(|act| act.action.text().to_owned()).collect();
    if all.is_empty() { String::new() } else { format!(" They may do {} on it as well.", listed(&all)) }
}

/// Where what opens the function is mended: in its permissions, or in the grant that gives it.
pub(super) fn mend(audit: &Audit<'_>, answer: &Answer<'_>) -> String {
    let estate = audit.estate();
    let mut permissions: Vec<String> = Vec::new();
    let mut grants: Vec<String> = Vec::new();
    let allows = answer.grounds.iter().filter(|it| it.effect == crate::estate::Effect::Allow);
    for ground in allows.filter(|it| it.holds != crate::access::Truth::False) {
        match ground.via {
            crate::access::Via::Admission { name, .. } => permissions.push(estate.principal_label(name)),
            crate::access::Via::Grant { grant, name, .. } => {
                let at = estate.place_label(estate.grant(grant).at);
                grants.push(format!("the grant to `{}` at {at}", estate.principal_label(name)));
            }
            crate::access::Via::Ceiling(_) => {}
        }
    }
    let once = |all: &mut Vec<String>| {
        all.sort_unstable();
        all.dedup();
    };
    once(&mut permissions);
    once(&mut grants);
    let mut parts = Vec::new();
    if !permissions.is_empty() {
        let names: Vec<String> = permissions.iter().map(|name| format!("`{name}`")).collect();
        parts.push(format!(
            "Replace {} in its invoke permission by the callers that you can name.",
            listed(&names)
        ));
    }
    if !grants.is_empty() {
        parts.push(format!("In {}, name who calls, or take invoking out.", listed(&grants)));
    }
    parts.join(" ")
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
        let invokes = |act: &Act| act.class == Some(ActionClass::Invoke);
        let Some((breadth, act)) = effects.every_thing(&road, functions, &invokes) else { continue };
        let count = effects.counted(breadth.holder, &road, functions, Given::Act(&act)).count;
        let name = grant.principal;
        let crowd = matches!(name, Principal::Anyone | Principal::SignedIn | Principal::Account(_));
        if count < if crowd { 1 } else { FEWEST } {
            continue;
        }
        let sure = if breadth.verdict == Verdict::Yes { Sureness::Certain } else { Sureness::Conditional };
        let raised = raised(audit, id, &road, worst(audit, &road).0).sure(sure);
        raising.raise(&raised, move |audit| {
            let estate = audit.estate();
            let grant = estate.grant(id);
            let effects = audit.effects();
            let Counted { count, but, .. } =
                effects.counted(breadth.holder, &road, functions, Given::Act(&act));
            let at = match grant.at {
                crate::estate::At::Everywhere => "everywhere".to_owned(),
                crate::estate::At::Thing(thing) => format!("of {}", estate.label(thing)),
            };
            let but = if but.is_empty() { String::new() } else { format!(" but {}", listed(&but)) };
            let worst = listed(&worst_of(audit, breadth.holder, &road, &act));
            let callers = exposed(audit, audit.exposure_of(name));
            let statement = estate.statement(road.statement).origin;
            Told::new(format!(
                "{} may invoke every function {at}{but}, {count} today, among them {worst}. That comes {}.{callers}",
                holder(audit, name, breadth.holders),
                source(audit, &road)
            ))
            .fix(narrow(audit, &road, "the functions that it calls"))
            .at(statement, "the statement")
            .at((grant.origin != statement).then_some(grant.origin), "the grant")
        });
    }
}

/// The functions that a grant lets its holder invoke through which most harm can be done: one or two, by name.
fn worst_of(audit: &Audit<'_>, who: Principal, road: &crate::effect::Road, act: &Act) -> Vec<String> {
    let estate = audit.estate();
    let effects = audit.effects();
    let all = effects.things_at_places(who, road, FunctionId::KIND).into_iter();
    let mut functions: Vec<FunctionId> = all
        .filter_map(|thing| match thing {
            Thing::Function(id) => Some(id),
            _ => None,
        })
        .collect();
    functions.sort_by(|one, other| {
        let impact = |id: &FunctionId| audit.harm_through(*id).impact;
        impact(one).cmp(&impact(other)).then_with(|| estate.id(*one).cmp(estate.id(*other)))
    });
    let may = |id: &FunctionId| effects.may(who, act.action.text(), Thing::Function(*id)) != Verdict::No;
    let worst = functions.into_iter().filter(may).take(2);
    worst.map(|id| format!("function:{}", estate.id(id))).collect()
}
