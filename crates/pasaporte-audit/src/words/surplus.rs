//! What is told of what is given and not needed, and of control that code should not have.

use pasaporte_core::access::Verdict;
use pasaporte_core::effect::{Act, Harm, Impact, Power, Road, Wide, action_in_words};
use pasaporte_core::estate::{GrantId, GroupId, Principal, ScopeId, Thing};

use super::Told;
use super::phrases::{called, exposed, functions, holder, listed, narrow, place, selection, source, times};
use super::seen::over;
use crate::Audit;
use crate::facts::{Beyond, Controls, Excess, FromAbove, GrantFact, Membership};
use crate::rules::surplus::run_on;

pub(super) fn tell(audit: &Audit<'_>, fact: &GrantFact) -> Told {
    match fact {
        GrantFact::AllBut(it) => all_but(audit, it.0, &it.1, it.2),
        GrantFact::Controls(it) => controls(audit, it),
        GrantFact::Expired(grant) => expired(audit, *grant),
        GrantFact::FromAbove(it) => from_above(audit, it),
        GrantFact::TemplateExcess(it) => template_excess(audit, it),
        GrantFact::BeyondTrigger(it) => beyond_trigger(audit, it),
        GrantFact::WideMembership(it) => wide_membership(audit, it),
        GrantFact::CeilingMissing(account, bounded) => ceiling_missing(audit, *account, bounded),
        _ => Told::default(),
    }
}

fn all_but(audit: &Audit<'_>, id: GrantId, road: &Road, (harm, who): (Harm, Principal)) -> Told {
    let estate = audit.estate();
    let (grant, statement) = (estate.grant(id), estate.statement(road.statement));
    let (actions, resources) =
        (estate.actions_picked(statement.actions), estate.resources_picked(statement.resources));
    let all = |it| match selection(estate, it).as_str() {
        "*" => "everything".to_owned(),
        text => text.to_owned(),
    };
    let (what, on) = (all(actions), all(resources));
    let may = audit.effects().tell_by(who, *road);
    let may = may.filter(|_| harm.impact < Impact::RunsCode);
    let may = may.map_or_else(String::new, |may| format!(" So it may {may}."));
    Told::new(format!(
        "It is given {what} on {on} {}, written as what is left out ({}).{may}{}",
        place(estate, grant),
        source(audit, road),
        exposed(audit, audit.exposure_of(grant.principal)),
    ))
    .fix(narrow(audit, road, "the actions and resources that the code uses"))
    .at(statement.origin, "the statement")
    .at((grant.origin != statement.origin).then_some(grant.origin), "the grant")
}

fn controls(audit: &Audit<'_>, it: &Controls) -> Told {
    let estate = audit.estate();
    let (grant, statement) = (estate.grant(it.grant), estate.statement(it.road.statement));
    let on = match &it.control.on {
        Wide::There(thing) => estate.label(*thing),
        Wide::New(new) => {
            let kind = new.label.split(':').next().unwrap_or_default();
            let at = new.within.map_or_else(String::new, |thing| format!(" at {}", estate.label(thing)));
            format!("every {kind}{at}")
        }
    };
    let what = match it.power {
        Power::Access => "change who may do what",
        Power::Code => "change code",
        Power::HandOver => "hand over what code runs as",
        Power::Keys => "read or make keys or secrets",
    };
    let perhaps = if it.control.verdict == Verdict::Yes { "" } else { ", on conditions" };
    let who = holder(audit, it.road.name(), (1, 1));
    Told::new(format!(
        "{who} may {what}: {} on {on}{perhaps}. It holds this {}.{}",
        action_in_words(&it.control.act),
        source(audit, &it.road),
        exposed(audit, audit.exposure_of(grant.principal)),
    ))
    .fix(format!("Take {} out of what this grant gives.", action_in_words(&it.control.act)))
    .at(statement.origin, "the statement")
    .at((grant.origin != statement.origin).then_some(grant.origin), "the grant")
}

fn expired(audit: &Audit<'_>, id: GrantId) -> Told {
    let grant = audit.estate().grant(id);
    let ended = grant.expires.map(|time| time.to_string());
    let ended =
        ended.as_deref().and_then(|time| time.split('T').next()).unwrap_or("some time ago").to_owned();
    Told::new(format!("It is still listed as a holder of {}, which ended on {ended}.", called(audit, id)))
        .fix("Take the grant away; it gives nothing.")
        .at(grant.origin, "the grant")
}

fn from_above(audit: &Audit<'_>, it: &FromAbove) -> Told {
    let estate = audit.estate();
    let scope = estate.label(Thing::Scope(it.scope));
    let things: Vec<String> = it.things.iter().map(|thing| estate.label(*thing)).collect();
    Told::new(format!(
        "It holds {}, and used it only in {scope} ({}): {} {}.",
        called(audit, it.grant),
        listed(&things),
        times(it.count),
        over(&it.window),
    ))
    .fix(format!("Hold it at {scope} instead."))
    .at(estate.grant(it.grant).origin, "the grant")
}

fn template_excess(audit: &Audit<'_>, it: &Excess) -> Told {
    let estate = audit.estate();
    let used: Vec<String> = it.used.iter().map(|name| estate.text(*name).to_owned()).collect();
    let set = estate.id(it.set);
    Told::new(format!(
        "Of the ready-made permission-set:{set} {} it used {} ({}) {}; it did not use {}.",
        place(estate, estate.grant(it.grant)),
        listed(&used),
        times(it.count),
        over(&it.window),
        listed(&acts(&it.surplus)),
    ))
    .fix(format!("Hold a set with {} instead of permission-set:{set}.", listed(&used)))
    .at(estate.grant(it.grant).origin, "the grant")
    .at(estate.origin(Thing::Set(it.set)), "the set")
}

fn acts(all: &[Act]) -> Vec<String> {
    all.iter().map(action_in_words).collect()
}

fn beyond_trigger(audit: &Audit<'_>, it: &Beyond) -> Told {
    let estate = audit.estate();
    let source = estate.label(it.source);
    let surplus = listed(&acts(&it.surplus));
    let run = run_on(audit, it.identity, it.source);
    let runs = if run.len() == 1 { "runs" } else { "run" };
    let run = listed(&functions(estate, &run));
    let watched = if estate.logs().is_empty() { "" } else { ", and was not seen to do it" };
    let told = Told::new(format!(
        "{run} {runs} on {source} as it, and it may also do {surplus} there, which no trigger needs{watched}.{}",
        exposed(audit, audit.exposure(it.function)),
    ))
    .fix(format!("Take {surplus} on {source} away, unless the code does it itself."))
    .at(estate.origin(Thing::Trigger(it.trigger)), "the trigger");
    it.grants.iter().fold(told, |told, grant| told.at(estate.grant(*grant).origin, "a grant"))
}

fn wide_membership(audit: &Audit<'_>, it: &Membership) -> Told {
    let estate = audit.estate();
    let members = audit.effects().everybody_in(it.group);
    let mut named: Vec<String> = members.iter().map(|who| estate.principal_label(*who)).collect();
    named.sort_unstable();
    let now = match named.len() {
        0 => "nobody now".to_owned(),
        some => format!("{some} now ({})", listed(&named)),
    };
    let may = audit.effects().tell_by(it.worst.0, it.worst.1);
    let may = may.map_or_else(String::new, |may| format!(" By the group they may {may}."));
    let how = if it.by_place {
        format!("Whoever is made {} is in it", place_of(audit, it.group))
    } else {
        let setters: Vec<String> =
            it.setters.iter().map(|id| estate.principal_label(Principal::Identity(*id))).collect();
        format!(
            "It takes in whoever bears a tag, and {} may set that tag on a function of their own",
            listed(&setters)
        )
    };
    Told::new(format!("{how}: {now}.{may}"))
        .fix("List the members, or let the rule look at something that only you can set.")
        .at(estate.origin(Thing::Group(it.group)), "the group")
}

fn place_of(audit: &Audit<'_>, id: GroupId) -> String {
    let estate = audit.estate();
    let within = estate.get(id).and_then(|group| group.rule.as_ref()).and_then(|rule| rule.within);
    within.map_or_else(|| "anywhere".to_owned(), |scope| format!("in {}", estate.label(Thing::Scope(scope))))
}

fn ceiling_missing(audit: &Audit<'_>, account: ScopeId, bounded: &[ScopeId]) -> Told {
    let estate = audit.estate();
    let siblings: Vec<String> = bounded.iter().map(|id| estate.label(Thing::Scope(*id))).collect();
    let ceiling = estate.ceilings().find(|(_, it)| {
        it.over.iter().any(
            |over| matches!(over, pasaporte_core::estate::Bounded::Scope(scope) if bounded.contains(scope)),
        )
    });
    let told = Told::new(format!(
        "Its siblings {} have a ceiling over them; over this account there is none, so its grants go as far as they are \
         written.",
        listed(&siblings),
    ))
    .fix(format!("Lay the ceiling of its siblings over {} too.", estate.label(Thing::Scope(account))))
    .at(estate.origin(Thing::Scope(account)), "the account");
    told.at(ceiling.map(|(_, it)| it.origin), "the ceiling of a sibling")
}
