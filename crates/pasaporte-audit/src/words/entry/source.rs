//! What is told of event sources and the services that deliver from them.

use std::collections::BTreeSet;

use pasaporte_core::access::{Answer, Ground, Known, Question, Truth, Verdict, Via};
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::{
    AccountOf, AdmissionId, Attribute, Condition, Effect, FunctionId, Origin, Principal, Setting, Thing,
    TriggerId,
};
use pasaporte_core::usage::Window;

use crate::Audit;
use crate::facts::{Dangling, NamedBy, OpenSource};
use crate::rules::entry::source::strangers_circle;
use crate::words::phrases::{at_grounds, at_identity, capitalised, crowd, depending, listed, with_what};
use crate::words::seen::{at_source, over};
use crate::words::{Change, Told};

/// A source that strangers may feed.
pub(super) fn open(audit: &Audit<'_>, fact: &OpenSource) -> Option<Told> {
    let estate = audit.estate();
    let OpenSource { trigger, who, ref action, source } = *fact;
    let trigger = estate.get(trigger)?;
    let answer = audit.effects().answer_about(who, action, source);
    let source = estate.label(source);
    let told = Told::new(format!(
        "{} may do {action} on {source}{}, which makes function:{} run on input of their choice.{}{}",
        capitalised(&crowd(audit, who)),
        depending(audit, &answer),
        estate.id(trigger.function),
        with_what(audit, trigger.function),
        at_source(audit, fact.source),
    ))
    .fix(format!("Let only those write to {source} who feed it; name them."))
    .at(trigger.origin, "the trigger");
    Some(at_identity(audit, at_grounds(audit, told, &answer), trigger.function))
}

/// A service that may invoke for sources of strangers.
pub(super) fn unpinned(audit: &Audit<'_>, id: FunctionId, who: Principal) -> Option<Told> {
    let (estate, effects) = (audit.estate(), audit.effects());
    let circle = strangers_circle(audit, who, id)?;
    let on = Thing::Function(id);
    let answer =
        effects.decide(&Question { principal: who, action: effects.invoke(), on, given: &circle.given });
    let service = estate.principal_label(who);
    let of_account = match circle.given.get(Attribute::AccountOfSource) {
        Some(Known::Text(account)) => Some(account.clone()),
        _ => None,
    };
    let situation = match (answer.verdict, of_account) {
        (_, Some(account)) => {
            format!(
                "{service} may invoke it for any source of account {account}, which is not its own{}.",
                depending(audit, &answer)
            )
        }
        (Verdict::Depends, _) => {
            format!("A stranger's source may pass: {service} may invoke it{}.", depending(audit, &answer))
        }
        (Verdict::Yes | Verdict::No, _) => format!(
            "{service} may invoke it for anybody's source: nothing pins the source resource or the source account."
        ),
    };
    let by_grant = answer.grounds.iter().all(|it| !matches!(it.via, Via::Admission { .. }));
    let (fix, pin) = pin(audit, id, by_grant);
    let mut told = Told::new(format!("{situation}{}", with_what(audit, id))).fix(fix);
    told.change = pin.zip(only_permission(audit, &answer)).map(|(to, permission)| Change {
        at: permission,
        stands_for: Some("to"),
        field: "when",
        to,
    });
    Some(at_identity(audit, at_grounds(audit, told, &answer), id))
}

/// The permission that allows, where it is one, for one caller, and asks for nothing that a pin would take away.
fn only_permission(audit: &Audit<'_>, answer: &Answer<'_>) -> Option<Origin> {
    let estate = audit.estate();
    let allows = |it: &&Ground<'_>| it.effect == Effect::Allow && it.holds != Truth::False;
    let mut allowing = answer.grounds.iter().filter(allows);
    let (Some(ground), None) = (allowing.next(), allowing.next()) else { return None };
    let Via::Admission { admission, .. } = ground.via else { return None };
    let is_pin = |condition: &Condition| {
        matches!(condition, Condition::Test(Attribute::SourceResource | Attribute::AccountOfSource, _))
    };
    let statement = estate.statement(ground.statement);
    let one_caller = estate.list(estate.admission(admission).to).len() == 1;
    (one_caller && statement.conditions.iter().all(is_pin)).then_some(statement.origin)
}

/// The pin to add, from the sources that the function's triggers name.
fn pin(audit: &Audit<'_>, function: FunctionId, by_grant: bool) -> (String, Option<Setting>) {
    let estate = audit.estate();
    let triggers = estate.triggers_of(function).iter().filter_map(|&id| estate.get(id));
    let mut sources: Vec<String> =
        triggers.filter_map(|trigger| trigger.source).map(|source| estate.label(source)).collect();
    sources.sort_unstable();
    sources.dedup();
    let resource = if sources.is_empty() { "that source".to_owned() } else { listed(&sources) };
    let AccountOf::Known(account) = estate.account_of(Thing::Function(function)) else {
        return (format!("Add a condition on the source resource ({resource}) and on its account."), None);
    };
    let account = estate.id(account);
    let fix = format!(
        "Add `when: {{source_resource: {resource}, account_of_source: {account}}}` to the {}.",
        if by_grant { "grant" } else { "permission" }
    );
    let to = Setting::Map(vec![
        ("source_resource", Setting::one_or_more(sources.clone())),
        ("account_of_source", Setting::word(account)),
    ]);
    (fix, (!sources.is_empty()).then_some(to))
}

/// A source that is gone and still named.
pub(super) fn dangling(audit: &Audit<'_>, fact: &Dangling) -> Told {
    let Dangling { function, source, named_by, exposure } = fact;
    let by: BTreeSet<NamedBy> = named_by.iter().map(|(by, _)| *by).collect();
    let by: Vec<String> = by.into_iter().map(|by| format!("{} of the function", naming(by))).collect();
    let claims = match exposure {
        Exposure::Insiders => "Whoever in the account makes one of that name feeds it.",
        _ => "Whoever makes one of that name, in any account, feeds it.",
    };
    let told = Told::new(format!(
        "{source} is not in the estate, which has others of its kind, so it seems to be gone; {} still {} it. \
         {claims}{}",
        listed(&by),
        if by.len() == 1 { "names" } else { "name" },
        with_what(audit, *function)
    ))
    .fix(format!("Take out what names {source}, or make it again in your own account."));
    named_by.iter().fold(told, |told, (by, origin)| told.at(*origin, naming(*by)))
}

fn naming(by: NamedBy) -> &'static str {
    match by {
        NamedBy::Permission => "a permission",
        NamedBy::Trigger => "a trigger",
    }
}

/// A trigger that is off while its permission stands.
pub(super) fn idle(audit: &Audit<'_>, trigger: TriggerId, permission: AdmissionId) -> Option<Told> {
    let estate = audit.estate();
    let (trigger, admission) = (estate.get(trigger)?, estate.admission(permission));
    let services = estate.list(admission.to).iter().filter(|who| matches!(who, Principal::Service(_)));
    let services: Vec<String> = services.map(|who| estate.principal_label(*who)).collect();
    let told = Told::new(format!(
        "It is switched off, and {} may still invoke function:{}.",
        listed(&services),
        estate.id(trigger.function)
    ))
    .fix("Take the permission away; the trigger too, if nobody will switch it on again.");
    let permission = estate.statement(admission.statement).origin;
    Some(told.at(trigger.origin, "the trigger").at(permission, "the permission"))
}

/// A trigger that was never seen to fire.
pub(super) fn never_fired(audit: &Audit<'_>, id: TriggerId, window: &Window) -> Option<Told> {
    let estate = audit.estate();
    let trigger = estate.get(id)?;
    let on = trigger
        .source
        .map_or_else(|| format!("its {}", estate.text(trigger.kind)), |source| estate.label(source));
    let told = Told::new(format!(
        "It is on, and never made function:{} run {}.",
        estate.id(trigger.function),
        over(window)
    ))
    .fix(format!(
        "Ask whether anything is still to come from {on}; if not, take the trigger away, and its permission."
    ))
    .by_setting(trigger.origin, "state", Setting::word("disabled"));
    Some(told.at(trigger.origin, "the trigger"))
}

/// A trigger without a filter on a source from which another picks.
pub(super) fn unfiltered(audit: &Audit<'_>, trigger: TriggerId, picks: TriggerId) -> Option<Told> {
    let estate = audit.estate();
    let (trigger, picks) = (estate.get(trigger)?, estate.get(picks)?);
    let filter = picks.filter.map_or("", |filter| estate.text(filter));
    let told = Told::new(format!(
        "function:{} runs on everything in {}, from which function:{} picks `{filter}`: it holds several kinds of \
         things.",
        estate.id(trigger.function),
        estate.label(trigger.source?),
        estate.id(picks.function),
    ))
    .fix("Give this trigger a filter too.");
    Some(told.at(trigger.origin, "the trigger").at(picks.origin, "the trigger with a filter"))
}
