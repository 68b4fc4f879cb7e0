//! What is told of whoever may invoke a function.

use std::collections::BTreeSet;

use pasaporte_core::access::{Answer, Context, INVOKE, Known, Question, Truth, Verdict, Via};
use pasaporte_core::effect::{Act, Counted, Given, Road, action_in_words};
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::{ActionClass, At, Attribute, Effect, FunctionId, Id, Outcome, Principal, Thing};

use crate::Audit;
use crate::facts::WideInvoke;
use crate::words::Told;
use crate::words::phrases::{
    at_grounds, at_identity, capitalised, crowd, depending, exposed, functions as names, holder, listed,
    narrow, source, with_what,
};
use crate::words::seen::at_function;

/// A crowd that may invoke a function.
pub(super) fn open(audit: &Audit<'_>, id: FunctionId, who: Principal, to: Exposure) -> Option<Told> {
    let effects = audit.effects();
    let on = Thing::Function(id);
    let circles = effects.circles(who, effects.invoke(), on).into_iter();
    let circle = circles.min_by_key(|it| (it.exposure, std::cmp::Reverse(it.verdict)))?;
    let answer =
        effects.decide(&Question { principal: who, action: effects.invoke(), on, given: &circle.given });
    let from = if matches!(who, Principal::Account(_)) { String::new() } else { narrower(&circle.given, to) };
    let (crowd, depending) =
        (capitalised(&format!("{}{from}", crowd(audit, who))), depending(audit, &answer));
    let more = more_than_invoking(audit, who, id);
    let told = Told::new(format!(
        "{crowd} may invoke it{depending}.{more}{}{}",
        with_what(audit, id),
        at_function(audit, id)
    ))
    .fix(mend(audit, &answer));
    Some(at_identity(audit, at_grounds(audit, told, &answer), id))
}

/// A grant of invoking that takes in every function of a place.
pub(super) fn wide(audit: &Audit<'_>, WideInvoke { grant, road, breadth, act }: &WideInvoke) -> Told {
    let (estate, effects) = (audit.estate(), audit.effects());
    let (grant, functions) = (estate.grant(*grant), effects.service(FunctionId::KIND));
    let Counted { count, but, .. } = effects.counted(breadth.holder, road, functions, Given::Act(act));
    let at = match grant.at {
        At::Everywhere => "everywhere".to_owned(),
        At::Thing(thing) => format!("of {}", estate.label(thing)),
    };
    let but = if but.is_empty() { String::new() } else { format!(" but {}", listed(&but)) };
    let worst = listed(&worst_of(audit, breadth.holder, road, act));
    let callers = exposed(audit, audit.exposure_of(grant.principal));
    let statement = estate.statement(road.statement).origin;
    Told::new(format!(
        "{} may invoke every function {at}{but}, {count} today, among them {worst}. That comes {}.{}{callers}",
        holder(audit, grant.principal, breadth.holders),
        source(audit, road),
        invoked(audit, grant.principal),
    ))
    .fix(narrow(audit, road, "the functions that it calls"))
    .at(statement, "the statement")
    .at((grant.origin != statement).then_some(grant.origin), "the grant")
}

/// Which functions a holder was seen to invoke.
fn invoked(audit: &Audit<'_>, who: Principal) -> String {
    let estate = audit.estate();
    let runs = estate
        .uses_by(who)
        .iter()
        .filter(|it| estate.text(it.did) == INVOKE && it.outcome == Outcome::Allowed);
    let functions: BTreeSet<FunctionId> = runs
        .filter_map(|it| match it.to {
            Some(Thing::Function(function)) => Some(function),
            _ => None,
        })
        .collect();
    if functions.is_empty() {
        return String::new();
    }
    let functions: Vec<FunctionId> = functions.into_iter().collect();
    format!(" It was seen to invoke {} of them: {}.", functions.len(), listed(&names(estate, &functions)))
}

/// From where those come who are let in, where that is what makes them a narrower circle.
fn narrower(given: &Context, to: Exposure) -> String {
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
    let may = |act: &&Act| effects.may_do(who, &act.action, on) != Verdict::No;
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
pub(crate) fn mend(audit: &Audit<'_>, answer: &Answer<'_>) -> String {
    let estate = audit.estate();
    let mut permissions: Vec<String> = Vec::new();
    let mut grants: Vec<String> = Vec::new();
    let allows = answer.grounds.iter().filter(|it| it.effect == Effect::Allow);
    for ground in allows.filter(|it| it.holds != Truth::False) {
        match ground.via {
            Via::Admission { name, .. } => {
                permissions.push(estate.principal_label(name));
            }
            Via::Grant { grant, name, .. } => {
                let at = estate.place_label(estate.grant(grant).at);
                grants.push(format!("the grant to `{}` at {at}", estate.principal_label(name)));
            }
            Via::Ceiling(_) => {}
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

/// The functions that a grant lets its holder invoke through which most harm can be done: one or two, by name.
fn worst_of(audit: &Audit<'_>, who: Principal, road: &Road, act: &Act) -> Vec<String> {
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
    let may = |id: &FunctionId| effects.may_do(who, &act.action, Thing::Function(*id)) != Verdict::No;
    let worst = functions.into_iter().filter(may).take(2);
    worst.map(|id| format!("function:{}", estate.id(id))).collect()
}
